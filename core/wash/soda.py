"""Soda that no washing takes, as a question of its own. Source: models, section 5."""

from dataclasses import dataclass

from core.errors import Caution
from core.quantity import check, choice, figure, quantity
from core.register import Check, model
from core.soda import ACID_GROUPS, bound_saltcake


@dataclass(frozen=True, slots=True, kw_only=True)
class BoundCase:
    wood: str = choice("Pulp", tuple(ACID_GROUPS))
    ph: float = quantity("pH of its liquor", "", possible=(0, 14), valid=(2, 12), decimals=1)
    total_kg_adt: float = quantity(
        "Total soda by the laboratory, as Na₂SO₄", "kg/ADt", possible=(0, 400), valid=(0, 40), decimals=1, default=0.0
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class Bound:
    bound_kg_adt: float = figure(
        "Bound on the fibre, as Na₂SO₄", "kg/ADt", decimals=2, equation="0.9 q 0.071021/(1 + 10^(0.6 (5 − pH)))"
    )
    washable_kg_adt: float = figure("Washable", "kg/ADt", decimals=2, equation="total − bound")
    cautions: tuple[Caution, ...] = ()


@model(
    "wash.bound_soda",
    title="Soda that no washing takes",
    source="acid groups of the fibre; q is a default to be calibrated",
    holds_for="unbleached pulp, pH 2 to 12",
    equation="Na₂SO₄ = 0.9 q 0.071021/(1 + 10^(0.6 (5 − pH)))",
    symbols="pH=ph",
    basis="default",
    checks=tuple(
        Check({"wood": "softwood", "ph": ph}, "bound_kg_adt", kg, 5e-3)
        for ph, kg in ((11, 4.7927), (9, 4.7749), (7, 4.5094), (5, 2.397), (3, 0.28452))
    ),
)
def bound_soda(case: BoundCase) -> Bound:
    """What the fibre holds, and what of a total is washable. Raises: ImpossibleInput."""
    cautions = check(case)
    bound = bound_saltcake(case.wood, case.ph)
    if 0.0 < case.total_kg_adt < bound:
        told = "is less than the fibre holds at this pH: washable soda was tested, or the pH is lower"
        cautions += (Caution("total_kg_adt", told),)
    return Bound(bound_kg_adt=bound, washable_kg_adt=max(0.0, case.total_kg_adt - bound), cautions=cautions)
