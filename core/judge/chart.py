"""Control charts: the voice of the process from its own short-term scatter, and the rules that hear a change.

Source: shift practice, section 3 (Shewhart individuals and moving range; Roberts 1959 EWMA; Western Electric run rules).
"""

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from itertools import pairwise
from typing import Final

import numpy as np

from core.errors import ImpossibleInput, Infeasible, Problem

D2 = 1.128
LEAST = 8
PHI_HIGH, MOST_PHI = 0.3, 0.85  # neighbours alike: limits are widened from the one, up to the other
EWMA_WEIGHT, EWMA_WIDTH = 0.20, 2.86
RUN = 8
METER_CUSUM_LIMIT = 4.0  # sigma, of a meter less its laboratory: once in 168 by chance, eight after a shift of one sigma
CUSUM_LIMIT = 5.0  # sigma: two-sided, once in 465 points by chance, ten after a shift of one sigma


@dataclass(frozen=True, slots=True, kw_only=True)
class Chart:
    """Individuals and moving range: mean, sigma, limits; phi is the lag-1 autocorrelation of neighbours."""

    n: int
    mean: float
    range_mean: float
    sigma: float
    low: float
    high: float
    range_high: float
    phi: float
    widened: bool


@dataclass(frozen=True, slots=True, kw_only=True)
class Signal:
    """A rule that fired at a point (0-based): its name, the points that make it, the side, and the words."""

    rule: str
    at: int
    first: int
    side: int
    text: str


def autocorrelation(values: Sequence[float]) -> float:
    """Lag-1, -1 to 1; 0 where nothing varies."""
    x = np.asarray(values, dtype=float)
    d = x - x.mean()
    whole = float(d @ d)
    return float(d[1:] @ d[:-1]) / whole if whole > 0.0 else 0.0


def sigma_true(range_mean: float, phi: float) -> float:
    """Sigma from the mean moving range: MRbar / 1.128, widened by sqrt(1 - phi) where neighbours are alike (phi above 0.3).

    Worked: MRbar 0.041, phi 0.55 gives 0.05418.
    """
    return range_mean / (D2 * math.sqrt(1.0 - phi)) if phi > PHI_HIGH else range_mean / D2


def individuals(values: Sequence[float]) -> Chart | Infeasible:
    """I-MR chart. Infeasible under 8 values or when nothing varies; phi above 0.85 wants residuals instead.

    Worked: 3.52 3.47 3.55 3.50 3.44 3.49 3.58 3.53 3.46 3.51 gives 3.505, limits 3.3424 to 3.6676.
    """
    x = np.asarray(values, dtype=float)
    if not np.isfinite(x).all():
        raise ImpossibleInput(Problem("values", "must be finite numbers"))
    if len(x) < LEAST:
        return Infeasible(field="values", reason=f"are {len(x)}; a chart wants {LEAST} at least", nearest=LEAST)
    moving = float(np.abs(np.diff(x)).mean())
    if moving == 0.0:
        return Infeasible(field="values", reason="do not vary at all: is the instrument stuck?")
    phi = autocorrelation(values)
    sigma = sigma_true(moving, min(phi, MOST_PHI))
    mean = float(x.mean())
    return Chart(
        n=len(x),
        mean=mean,
        range_mean=moving,
        sigma=sigma,
        low=mean - 3.0 * sigma,
        high=mean + 3.0 * sigma,
        range_high=3.267 * moving,
        phi=phi,
        widened=phi > PHI_HIGH,
    )


def ewma(
    values: Sequence[float], mean: float, sigma: float, *, weight: float = EWMA_WEIGHT, width: float = EWMA_WIDTH
) -> tuple[tuple[float, float], ...]:
    """(z, half-width of its limits) at each point: z_i = L x_i + (1 − L) z_(i−1), z_0 the mean.

    Worked: 441 455 452 466 449 461 470 458 467 472 about 450, sigma 10: last 461.877 against 9.478.
    """
    z, result = mean, []
    for i, x in enumerate(values, start=1):
        z = weight * x + (1.0 - weight) * z
        result.append((z, width * sigma * math.sqrt(weight / (2.0 - weight) * (1.0 - (1.0 - weight) ** (2 * i)))))
    return tuple(result)


def cusum(
    values: Sequence[float], mean: float, sigma: float, *, k: float = 0.5, head: float = 0.0
) -> tuple[tuple[float, float], ...]:
    """(C+, C−) in sigma units at each point, begun at `head` (half the limit after a restart). Over CUSUM_LIMIT either says
    that the mean has moved.

    Worked: 441 455 452 466 449 461 470 458 467 472 about 450, sigma 10: last C+ 5.8.
    """
    up = down = head
    result = []
    for x in values:
        z = (x - mean) / sigma
        up, down = max(0.0, up + z - k), max(0.0, down - z - k)
        result.append((up, down))
    return tuple(result)


def moved(
    values: Sequence[float], mean: float, sigma: float, *, head: float = 0.0, limit: float = CUSUM_LIMIT
) -> tuple[int, float] | None:
    """Where the mean seems to have moved: the point (0-based) from which the sum over its limit has grown, and the sum at the
    last point, under 0 downwards; None while it stays within `limit`. The sums begin at `head`."""
    sums = cusum(values, mean, sigma, head=head)
    if not sums or max(sums[-1]) <= limit:
        return None
    side = 0 if sums[-1][0] >= sums[-1][1] else 1
    start = next((i + 1 for i in range(len(sums) - 1, -1, -1) if sums[i][side] == 0.0), 0)
    return start, sums[-1][side] * (1 if side == 0 else -1)


ON: Final = ("WE1", "WE2", "WE4")  # by default; the others are offered, for every rule more is a false alarm more
LEFT_GREY: Final = ("trend6", "alternating14", "inside15", "mixed8")  # shown, never an alarm
EVERY: Final = ("WE1", "WE2", "WE3", "WE4", *LEFT_GREY)


def run_rules(values: Sequence[float], mean: float, sigma: float, on: Sequence[str] = ON) -> tuple[Signal, ...]:
    """The rules that are on, at every point where they fire, in the order of `EVERY`. Strict; the last point counts."""
    z = [(x - mean) / sigma for x in values]
    told = [found for i in range(len(z)) for rule in EVERY if rule in on and (found := _RULES[rule](z, i)) is not None]
    return tuple(told)


def _side(z: Sequence[float], i: int) -> tuple[int, str]:
    return (1, "above") if z[i] > 0 else (-1, "below")


def _one_far(z: Sequence[float], i: int) -> Signal | None:
    side, word = _side(z, i)
    return Signal(rule="WE1", at=i, first=i, side=side, text=f"one {word} its control limit") if abs(z[i]) > 3.0 else None


def _some_of(rule: str, of: int, wanted: int, beyond: float, words: str, z: Sequence[float], i: int) -> Signal | None:
    """So many of the last few beyond a limit on one side, the newest with them; early on of those there are."""
    side, word = _side(z, i)
    last = z[max(0, i - of + 1) : i + 1]
    if side * z[i] <= beyond or sum(side * v > beyond for v in last) < wanted:
        return None
    return Signal(rule=rule, at=i, first=max(0, i - of + 1), side=side, text=f"{words} {word} the mean")


def _two_of_three(z: Sequence[float], i: int) -> Signal | None:
    return _some_of("WE2", 3, 2, 2.0, "two of three far", z, i)


def _four_of_five(z: Sequence[float], i: int) -> Signal | None:
    return _some_of("WE3", 5, 4, 1.0, "four of five well", z, i)


def _all_one_side(z: Sequence[float], i: int) -> Signal | None:
    side, word = _side(z, i)
    last = z[i - RUN + 1 : i + 1] if i >= RUN - 1 else []
    if not last or not all(side * v > 0.0 for v in last):
        return None
    return Signal(rule="WE4", at=i, first=i - RUN + 1, side=side, text=f"{RUN} in a row {word} the mean")


def _last(z: Sequence[float], i: int, count: int) -> Sequence[float] | None:
    return z[i - count + 1 : i + 1] if i >= count - 1 else None


def _trend(z: Sequence[float], i: int) -> Signal | None:
    last = _last(z, i, 6)
    steps = [b - a for a, b in pairwise(last)] if last else []
    if not steps or not (all(d > 0.0 for d in steps) or all(d < 0.0 for d in steps)):
        return None
    side, word = (1, "rising") if steps[0] > 0.0 else (-1, "falling")
    return Signal(rule="trend6", at=i, first=i - 5, side=side, text=f"six in a row {word}")


def _alternating(z: Sequence[float], i: int) -> Signal | None:
    last = _last(z, i, 14)
    steps = [b - a for a, b in pairwise(last)] if last else []
    if not steps or not all(a * b < 0.0 for a, b in pairwise(steps)):
        return None
    return Signal(rule="alternating14", at=i, first=i - 13, side=_side(z, i)[0], text="fourteen up and down in turn")


def _all_inside(z: Sequence[float], i: int) -> Signal | None:
    last = _last(z, i, 15)
    if last is None or not all(abs(v) < 1.0 for v in last):
        return None
    return Signal(rule="inside15", at=i, first=i - 14, side=_side(z, i)[0], text="fifteen close about the mean")


def _none_inside(z: Sequence[float], i: int) -> Signal | None:
    last = _last(z, i, 8)
    if last is None or not all(abs(v) > 1.0 for v in last) or not (min(last) < 0.0 < max(last)):
        return None
    return Signal(rule="mixed8", at=i, first=i - 7, side=_side(z, i)[0], text="eight far from the mean on both sides")


_RULES: Final = {
    "WE1": _one_far,
    "WE2": _two_of_three,
    "WE3": _four_of_five,
    "WE4": _all_one_side,
    "trend6": _trend,
    "alternating14": _alternating,
    "inside15": _all_inside,
    "mixed8": _none_inside,
}


@dataclass(frozen=True, slots=True, kw_only=True)
class Phase:
    """A stretch of points between two changes that were made on purpose: from `first` to before `end`; its chart, or why there
    is none; whether its limits were kept by a person."""

    first: int
    end: int
    chart: Chart | Infeasible
    kept: bool

    @property
    def begun(self) -> Chart | None:
        return self.chart if isinstance(self.chart, Chart) else None


def phased(values: Sequence[float], begins: Sequence[int], kept: Mapping[int, Chart]) -> tuple[Phase, ...]:
    """Points in phases that begin at these places (0 is always one); `kept` are limits that a person signed, by the place where
    their phase begins. No moving range crosses from one phase into the next."""
    at = sorted({0, *(b for b in begins if 0 < b < len(values))})
    told = []
    for first, end in zip(at, [*at[1:], len(values)], strict=True):
        own = kept.get(first)
        told.append(Phase(first=first, end=end, chart=own or individuals(values[first:end]), kept=own is not None))
    return tuple(told)


def signals_of(values: Sequence[float], phases: Sequence[Phase], on: Sequence[str] = ON) -> tuple[Signal, ...]:
    """Every signal of every phase by its own limits; none is made of points of two."""
    told = []
    for p in phases:
        if (chart := p.begun) is not None:
            found = run_rules(values[p.first : p.end], chart.mean, chart.sigma, on)
            told += [replace(s, at=s.at + p.first, first=s.first + p.first) for s in found]
    return tuple(told)
