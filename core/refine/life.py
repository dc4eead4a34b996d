"""Life of plates from their trend: hours to the limit of a signal, with how sure, by regression and Fieller's interval.

The signal is taken at one flow, consistency and gap, else the trend is the load's. Limits are defaults: groove 40 % left,
no-load 12 % under new. Source: accounts and gaps, section 11; interval: Fieller 1954.
"""

import math
from dataclasses import dataclass
from typing import Final

from core.chance import student_quantile
from core.errors import Caution, ImpossibleInput, Infeasible, Problem
from core.quantity import check, figure, quantity, rows
from core.register import Check, model

LEAST, BOTH_TAILS = 4, 0.975
GROOVE_LEFT, NO_LOAD_FALL = 0.40, 0.12  # of new, defaults


@dataclass(frozen=True, slots=True, kw_only=True)
class Reading:
    """What was read so many hours after the plates were fitted."""

    h: float = quantity("Hours", "h", possible=(0, 1e5), decimals=0)
    y: float = quantity("Signal", "", possible=(-1e5, 1e5), decimals=2)


@dataclass(frozen=True, slots=True, kw_only=True)
class LifeCase:
    limit: float = quantity("Limit", "", possible=(-1e5, 1e5), decimals=2)
    readings: tuple[Reading, ...] = rows("Reading", Reading, least=2, most=200)


@dataclass(frozen=True, slots=True, kw_only=True)
class LifeFound:
    """`trend` 0: no trend yet, no date; low and high are then 0 and never."""

    hours: float = figure("Limit after", "h", decimals=0, equation="(limit − a)/b")
    low: float = figure("at the earliest", "h", decimals=0, equation="Fieller, 95 %")
    high: float = figure("at the latest", "h", decimals=0, equation="Fieller, 95 %")
    slope: float = figure("An hour takes", "", decimals=5, equation="b of y = a + b h")
    intercept: float = figure("New", "", decimals=3, equation="a of y = a + b h")
    s: float = figure("Scatter", "", decimals=4, equation="√(Σ (y − a − b h)²/(n − 2))")
    g: float = figure("g", "", decimals=4, equation="t² s²/(b² Sxx); 1 and over: no trend")
    trend: float = figure("A trend", "1: yes", decimals=0, equation="g < 1")
    cautions: tuple[Caution, ...] = ()


_H: Final = (0, 150, 300, 450, 600, 750)


def _readings(*ys: float) -> dict[str, object]:
    return {"limit": 3.5, "readings": tuple({"h": h, "y": y} for h, y in zip(_H, ys, strict=True))}


WORN: Final = _readings(6.00, 5.72, 5.49, 5.18, 4.93, 4.61)
_FLAT: Final = _readings(6.00, 6.05, 5.90, 6.02, 5.97, 5.95)


@model(
    "refine.life",
    title="Life of plates by their trend",
    source="least squares; Fieller 1954",
    holds_for="four readings or more since the last change, at one flow, consistency and gap",
    equation="h* = (limit − a)/b; interval by Fieller",
    basis="published",
    checks=(
        Check(WORN, "slope", -0.0018343, 3e-3),
        Check(WORN, "intercept", 6.0095, 3e-3),
        Check(WORN, "s", 0.023825, 3e-3),
        Check(WORN, "g", 0.0033028, 3e-3),
        Check(WORN, "hours", 1368.1, 3e-3),
        Check(WORN, "low", 1312.3, 3e-3),
        Check(WORN, "high", 1430.5, 3e-3),
        Check(WORN, "trend", 1.0),
        Check(_FLAT, "g", 12.148, 3e-3),
        Check(_FLAT, "trend", 0.0),
    ),
)
def life(case: LifeCase) -> LifeFound | Infeasible:
    """Hours to the limit. Infeasible under four readings, or where it does not wear.

    Raises: ImpossibleInput for readings of one hour.
    """
    cautions = check(case)
    n = len(case.readings)
    if n < LEAST:
        return Infeasible(field="readings", reason=f"are {n}; four since the plates were fitted tell a trend", nearest=LEAST)
    h, y = [r.h for r in case.readings], [r.y for r in case.readings]
    hbar, ybar = math.fsum(h) / n, math.fsum(y) / n
    sxx = math.fsum((x - hbar) ** 2 for x in h)
    if sxx <= 0.0:
        raise ImpossibleInput(Problem("readings", "are all of one hour: no trend can be told"))
    b = math.fsum((x - hbar) * (v - ybar) for x, v in zip(h, y, strict=True)) / sxx
    a = ybar - b * hbar
    s = math.sqrt(math.fsum((v - a - b * x) ** 2 for x, v in zip(h, y, strict=True)) / (n - 2))
    t = student_quantile(BOTH_TAILS, n - 2)
    g = t * t * s * s / (b * b * sxx) if b != 0.0 else math.inf
    gap = case.limit - ybar
    if b == 0.0 or (g < 1.0 and (case.limit - a) / b < 0.0):
        return Infeasible(field="readings", reason="do not go toward the limit: it is not wearing", nearest=None)
    hours = (case.limit - a) / b
    low, high = 0.0, math.inf
    if g < 1.0:
        half = t * s / abs(b) * math.sqrt((1.0 - g) / n + gap * gap / (b * b * sxx))
        low, high = (hbar + (gap / b - half) / (1.0 - g), hbar + (gap / b + half) / (1.0 - g))
        if hours > 2.0 * (max(h) - min(h)):
            cautions += (Caution("readings", "reach less than half as far: the date is drawn out"),)
    else:
        cautions += (Caution("readings", "tell no trend yet: no date"),)
    return LifeFound(
        hours=hours, low=max(0.0, low), high=high, slope=b, intercept=a, s=s, g=g, trend=float(g < 1.0), cautions=cautions
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class ChangeCase:
    cost: float = quantity("A change costs", "money", possible=(0, 1e7), above=True, decimals=0)
    grows: float = quantity("Cost of wear grows by", "money/h an h", possible=(0, 1e4), above=True, decimals=3)


@dataclass(frozen=True, slots=True, kw_only=True)
class ChangeFound:
    hours: float = figure("Change them after", "h", decimals=0, equation="√(2 C/e)")
    a_h: float = figure("It costs then", "money/h", decimals=2, equation="C/T + e T/2")
    cautions: tuple[Caution, ...] = ()


@model(
    "refine.change",
    title="When a change of plates pays",
    source="least cost of a wear that grows evenly",
    holds_for="flat within a quarter: put it into a stop",
    equation="T = √(2 C/e)",
    symbols="C=cost e=grows T=hours",
    basis="published",
    checks=(Check({"cost": 9000, "grows": 0.018}, "hours", 1000.0, 1e-9),),
)
def change(case: ChangeCase) -> ChangeFound:
    """Raises: ImpossibleInput."""
    cautions = check(case)
    hours = math.sqrt(2.0 * case.cost / case.grows)
    return ChangeFound(hours=hours, a_h=case.cost / hours + case.grows * hours / 2.0, cautions=cautions)
