"""Which model works a test out from what is weighed, titrated, timed or counted, and which of its figures is the result."""

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any, Final

from core.errors import Caution, Infeasible
from core.quantity import leaf, quantities, row_fields
from core.register import Model, find


@dataclass(frozen=True, slots=True)
class Raw:
    """A registered model, its figure that is the test's result, and what of its case is fixed for the test."""

    model: str
    figure: str
    fixed: Mapping[str, Any] = field(default_factory=dict)

    @property
    def of(self) -> Model:
        return find(self.model)

    @property
    def counts(self) -> dict[str, int]:
        """How many rows of readings are asked for, by the field that holds them."""
        return {name: max(said.least, min(said.most, ROWS_SHOWN)) for name, said in row_fields(self.of.case_class).items()}

    @property
    def fields(self) -> tuple[str, ...]:
        """What is typed of one single, in order; rows of readings are numbered."""
        case, counts = self.of.case_class, self.counts
        told = [name for name in quantities(case) if name not in self.fixed]
        for name, said in row_fields(case).items():
            told += [leaf(name, i, inner) for i in range(1, counts[name] + 1) for inner in quantities(said.of)]
        return tuple(told)

    def needs(self, name: str) -> bool:
        """Whether a field must be typed: every one but the rows past the fewest that are enough."""
        parts = name.split(".")
        return len(parts) < 3 or int(parts[1]) <= row_fields(self.of.case_class)[parts[0]].least


ROWS_SHOWN: Final = 6
RAW: Final[Mapping[str, Raw]] = {
    "consistency": Raw("lab.consistency", "cons_pct"),
    "moisture": Raw("lab.moisture", "wet_pct"),
    "pith": Raw("lab.pith", "pith_pct"),
    "sand": Raw("lab.sand", "residue_pct"),
    "shives": Raw("lab.shives", "shives_pct"),
    "kappa": Raw("lab.kappa", "kappa_25"),
    "residual_alkali": Raw("lab.residual_alkali", "naoh_g_l"),
    "white_liquor": Raw("cook.abc", "ea_g_l"),
    "soda_loss": Raw("lab.soda_loss", "kg_adt"),
    "freeness": Raw("lab.csf", "csf_ml"),
    "brightness": Raw("lab.brightness", "iso_pct"),
    "dirt": Raw("lab.dirt", "ppm"),
    "stickies": Raw("lab.stickies", "mm2_kg"),
    "ash": Raw("lab.ash", "ash_525_pct"),
    "unusable": Raw("lab.share", "pct"),
    "residual_clo2": Raw("lab.iodometry", "g_l", {"what": "ClO2 in acid"}),
    "residual_peroxide": Raw("lab.iodometry", "g_l", {"what": "peroxide"}),
}


@dataclass(frozen=True, slots=True)
class Single:
    """One single worked out: its value, the case that made it and what is to be minded."""

    value: float
    case: Any
    cautions: tuple[Caution, ...]


def worked(test: str, typed: Mapping[str, float]) -> Single:
    """A single from what was typed, by the names of `Raw.fields`. Raises: ImpossibleInput naming the field."""
    raw = RAW[test]
    model = raw.of
    given: dict[str, Any] = dict(raw.fixed)
    rows: dict[str, dict[int, dict[str, float]]] = {}
    for name, value in typed.items():
        parts = name.split(".")
        if len(parts) == 3:
            rows.setdefault(parts[0], {}).setdefault(int(parts[1]), {})[parts[2]] = value
        else:
            said = quantities(model.case_class)[name]
            given[name] = round(value) if said.whole and float(value).is_integer() else value
    for name, said_rows in row_fields(model.case_class).items():
        given[name] = tuple(said_rows.of(**row) for _, row in sorted(rows.get(name, {}).items()))
    case = model.case_class(**given)
    result = model.function(case)
    assert not isinstance(result, Infeasible)
    return Single(float(getattr(result, raw.figure)), case, tuple(result.cautions))
