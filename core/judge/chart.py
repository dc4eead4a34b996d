"""Control charts: the voice of the process from its own short-term scatter, and the rules that hear a change.

Source: shift practice, section 3 (Shewhart individuals and moving range; Roberts 1959 EWMA; Western Electric run rules).
"""

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from core.errors import ImpossibleInput, Infeasible, Problem

D2 = 1.128
LEAST = 8
PHI_HIGH = 0.3
EWMA_WEIGHT, EWMA_WIDTH = 0.20, 2.86
RUN = 8
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
    sigma = sigma_true(moving, min(phi, 0.85))
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


def cusum(values: Sequence[float], mean: float, sigma: float, *, k: float = 0.5) -> tuple[tuple[float, float], ...]:
    """(C+, C−) in sigma units at each point, begun at 0. Over CUSUM_LIMIT either says that the mean has moved.

    Worked: 441 455 452 466 449 461 470 458 467 472 about 450, sigma 10: last C+ 5.8.
    """
    up = down = 0.0
    result = []
    for x in values:
        z = (x - mean) / sigma
        up, down = max(0.0, up + z - k), max(0.0, down - z - k)
        result.append((up, down))
    return tuple(result)


def moved(values: Sequence[float], mean: float, sigma: float) -> tuple[int, float] | None:
    """Where the mean seems to have moved: the point (0-based) from which the sum over its limit has grown, and the sum at the
    last point, under 0 downwards; None while it stays within CUSUM_LIMIT."""
    sums = cusum(values, mean, sigma)
    if not sums or max(sums[-1]) <= CUSUM_LIMIT:
        return None
    side = 0 if sums[-1][0] >= sums[-1][1] else 1
    start = next((i + 1 for i in range(len(sums) - 1, -1, -1) if sums[i][side] == 0.0), 0)
    return start, sums[-1][side] * (1 if side == 0 else -1)


def run_rules(values: Sequence[float], mean: float, sigma: float) -> tuple[Signal, ...]:
    """WE1, WE2 and WE4, the rules that are on by default, at every point where they fire. Strict; the last point counts."""
    z = [(x - mean) / sigma for x in values]
    result = []
    for i, now in enumerate(z):
        side = 1 if now > 0 else -1
        word = "above" if side > 0 else "below"
        if abs(now) > 3.0:
            result.append(Signal(rule="WE1", at=i, first=i, side=side, text=f"one {word} its control limit"))
        last3 = z[max(0, i - 2) : i + 1]
        if side * now > 2.0 and sum(side * v > 2.0 for v in last3) >= 2:
            result.append(Signal(rule="WE2", at=i, first=max(0, i - 2), side=side, text=f"two of three far {word} the mean"))
        last = z[i - RUN + 1 : i + 1] if i >= RUN - 1 else []
        if last and all(side * v > 0.0 for v in last):
            result.append(Signal(rule="WE4", at=i, first=i - RUN + 1, side=side, text=f"{RUN} in a row {word} the mean"))
    return tuple(result)
