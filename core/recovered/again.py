"""What one more recycle costs: strength and length of fibre, and what of it is lost on the way.

Chemical pulp stiffens as it is dried and loses bonding, most in the first round, until it levels off; mechanical pulp hardly
changes. Form and size: Howard and Bichard 1992; the constants are defaults.
"""

import math
from dataclasses import dataclass

from core.errors import Caution
from core.quantity import check, figure, quantity
from core.register import Check, model

LEVELS_AT, ROUNDS = 0.70, 1.5  # of the first strength, and rounds to an e-th of the way


@dataclass(frozen=True, slots=True, kw_only=True)
class AgainCase:
    tensile: float = quantity(
        "Tensile index now", "N·m/g", possible=(0, 200), above=True, valid=(15, 100), decimals=1, default=38.0
    )
    length_mm: float = quantity(
        "Fibre length now", "mm", possible=(0, 10), above=True, valid=(0.5, 3), decimals=2, default=1.10
    )
    rounds: float = quantity("Rounds it has behind it", "", possible=(0, 20), valid=(0, 6), decimals=1, default=2.0)
    mechanical: float = quantity("Mechanical share of the fibre", "share", possible=(0, 1), decimals=2, default=0.3)
    yield_pct: float = quantity("Yield of a round", "%", possible=(1, 100), valid=(60, 95), decimals=1, default=80.0)
    shorter_pct: float = quantity("Shorter by, a round", "%", possible=(0, 50), valid=(0.5, 8), decimals=1, default=2.0)
    levels_at: float = quantity(
        "Chemical pulp levels off at", "of new", possible=(0.1, 1), valid=(0.6, 0.9), decimals=2, default=LEVELS_AT
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class AgainFound:
    tensile: float = figure("Tensile index after one more", "N·m/g", decimals=1, equation="chemical part × fall + mechanical")
    falls_pct: float = figure("falls by", "%", decimals=1, equation="1 − after/now")
    length_mm: float = figure("Fibre length after it", "mm", decimals=2, equation="length × (1 − shorter)")
    lost_kg_t: float = figure("Lost on the way", "kg/t", decimals=0, equation="1 − yield")
    left_pct: float = figure("Of the first fibre still there", "%", decimals=0, equation="yield^(rounds + 1)")
    cautions: tuple[Caution, ...] = ()


def kept(rounds: float, levels_at: float = LEVELS_AT) -> float:
    """Strength of chemical pulp after so many rounds, of what it was new."""
    return levels_at + (1.0 - levels_at) * math.exp(-rounds / ROUNDS)


_CHEMICAL = {"mechanical": 0.0, "rounds": 0, "tensile": 50.0}


@model(
    "recovered.again",
    title="One more recycle",
    source="form and size of Howard and Bichard 1992; constants are defaults",
    holds_for="pulp dried, slushed and made to paper again; refining may win strength back at the cost of drainage",
    equation="T(n) = T₀ (a + (1 − a) exp(−n/1.5))",
    basis="default",
    checks=(
        Check(_CHEMICAL, "tensile", 50.0 * (0.7 + 0.3 * math.exp(-1 / 1.5)), 1e-9),
        Check({**_CHEMICAL, "mechanical": 1.0}, "tensile", 50.0, 1e-9),
        Check({"yield_pct": 80, "rounds": 2}, "left_pct", 51.2, 1e-9),
        Check({"yield_pct": 80, "length_mm": 1.10}, "length_mm", 1.078, 1e-9),
    ),
)
def again(case: AgainCase) -> AgainFound:
    """The fibre after one more round. Raises: ImpossibleInput."""
    cautions = check(case)
    fall = kept(case.rounds + 1.0, case.levels_at) / kept(case.rounds, case.levels_at)
    tensile = case.tensile * (case.mechanical + (1.0 - case.mechanical) * fall)
    return AgainFound(
        tensile=tensile,
        falls_pct=100.0 * (1.0 - tensile / case.tensile),
        length_mm=case.length_mm * (1.0 - case.shorter_pct / 100.0),
        lost_kg_t=1000.0 * (1.0 - case.yield_pct / 100.0),
        left_pct=100.0 * (case.yield_pct / 100.0) ** (case.rounds + 1.0),
        cautions=cautions,
    )
