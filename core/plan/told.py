"""How good forecasts were: what was foreseen beside what came, and how much wider or narrower their bands should be.

Each pair is an error with the spread it was foreseen with. Bands are right when errors over their spreads have a standard
deviation of one; that of the pairs is the factor bands are multiplied with, once there are enough of them.
"""

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Final

from core.errors import Caution, ImpossibleInput, Problem
from core.quantity import check, figure, quantity, rows
from core.register import Check, model

BAND_SD: Final = 1.645  # of a band that holds 9 of 10 errors to either side together
ENOUGH: Final = 12  # pairs
LEAST_FACTOR: Final = 0.5
MOST_FACTOR: Final = 3.0


@dataclass(frozen=True, slots=True, kw_only=True)
class PairRow:
    """What came less what was foreseen, and the spread it was foreseen with, both in one unit."""

    error: float = quantity("Came less foreseen", "", possible=(-1e6, 1e6), decimals=2)
    sd: float = quantity("Spread foreseen", "", possible=(0, 1e6), above=True, decimals=3)


@dataclass(frozen=True, slots=True, kw_only=True)
class ToldCase:
    pairs: tuple[PairRow, ...] = rows("Forecast", PairRow, least=1, most=5000)


@dataclass(frozen=True, slots=True, kw_only=True)
class ToldFound:
    bias: float = figure("Bias", "", decimals=2, equation="mean of came − foreseen")
    mean_off: float = figure("Off by", "", decimals=2, equation="mean of the amounts")
    inside_pct: float = figure("Inside the band", "%", decimals=0, equation="amount ≤ 1.645 spreads; 90 % is right")
    factor: float = figure("Bands are multiplied by", "", decimals=2, equation="√ mean of (error/spread)², 0.5 to 3")
    cautions: tuple[Caution, ...] = ()


_MANY = {"pairs": tuple({"error": e, "sd": 1.0} for e in (2.0, -2.0) * 6)}
_FEW = {"pairs": ({"error": 3.0, "sd": 1.0}, {"error": 1.0, "sd": 2.0})}


def off_by(errors: Sequence[float]) -> tuple[float, float]:
    """The mean of the amounts, and of the errors themselves (their bias), in their unit; 0 of none."""
    count = max(1, len(errors))
    return math.fsum(map(abs, errors)) / count, math.fsum(errors) / count


@model(
    "schedule.forecast",
    title="How good forecasts were",
    source="standardised errors",
    holds_for="errors that do not lean on each other; forecasts of one issue share a part of theirs",
    equation="factor = √ mean of (error/spread)²",
    checks=(
        Check(_MANY, "factor", 2.0, 1e-9),
        Check(_MANY, "inside_pct", 0.0),
        Check(_MANY, "bias", 0.0),
        Check(_FEW, "factor", 1.0),
        Check(_FEW, "inside_pct", 50.0),
        Check(_FEW, "mean_off", 2.0),
    ),
)
def told_beforehand(case: ToldCase) -> ToldFound:
    """Raises: ImpossibleInput without a pair."""
    cautions = check(case)
    if not case.pairs:
        raise ImpossibleInput(Problem("pairs", "is empty; give a forecast and what came"))
    over = [p.error / p.sd for p in case.pairs]
    mean_off, bias = off_by([p.error for p in case.pairs])
    root = math.sqrt(math.fsum(o * o for o in over) / len(over))
    enough = len(over) >= ENOUGH
    if not enough:
        cautions += (Caution("pairs", f"are {len(over)}: bands stay as they are until there are {ENOUGH}"),)
    return ToldFound(
        bias=bias,
        mean_off=mean_off,
        inside_pct=100.0 * sum(abs(o) <= BAND_SD for o in over) / len(over),
        factor=min(MOST_FACTOR, max(LEAST_FACTOR, root)) if enough else 1.0,
        cautions=cautions,
    )


def as_case(pairs: Sequence[tuple[float, float]]) -> ToldCase:
    """Errors and spreads as a case of the model."""
    return ToldCase(pairs=tuple(PairRow(error=e, sd=s) for e, s in pairs))
