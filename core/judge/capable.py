"""Limits of a chart, and whether a process is able to keep what is wanted of it.

Control limits are the voice of the process, from its own short-term scatter; what is wanted is typed by a person. Neither is
ever computed from the other. Source: shift practice, sections 3.1 and 3.3.
"""

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Final

import numpy as np
from scipy.special import ndtr

from core.errors import Caution, ImpossibleInput, Infeasible, Problem
from core.judge.chart import D2, MOST_PHI, PHI_HIGH, Chart, autocorrelation, sigma_true
from core.quantity import check, choice, figure, quantity
from core.register import Check, model

GROUPS: Final = {  # n: d2, A2, D3, D4
    2: (1.128, 1.880, 0.0, 3.267),
    3: (1.693, 1.023, 0.0, 2.574),
    4: (2.059, 0.729, 0.0, 2.282),
    5: (2.326, 0.577, 0.0, 2.114),
    6: (2.534, 0.483, 0.0, 2.004),
}
LEAST_GROUPS, LEAST_ABLE = 5, 30
BOTH, AT_LEAST, AT_MOST = SIDES = ("on both sides", "at least", "at most")


@dataclass(frozen=True, slots=True, kw_only=True)
class SinglesCase:
    mean: float = quantity("Mean", "", possible=(-1e9, 1e9), decimals=3)
    range_mean: float = quantity("Mean of the moving ranges", "", possible=(0, 1e9), above=True, decimals=4)
    phi: float = quantity("Likeness of neighbours", "", possible=(-1, MOST_PHI), decimals=2, default=0.0)


@dataclass(frozen=True, slots=True, kw_only=True)
class SinglesFound:
    sigma: float = figure("Sigma", "", decimals=4, equation="MR/1.128, over √(1 − φ) where φ is above 0.3")
    naive: float = figure("Sigma, were neighbours not alike", "", decimals=4, equation="MR/1.128")
    low: float = figure("Lower control limit", "", decimals=4, equation="mean − 3 sigma")
    high: float = figure("Upper control limit", "", decimals=4, equation="mean + 3 sigma")
    range_high: float = figure("Limit of the moving range", "", decimals=4, equation="3.267 MR")
    cautions: tuple[Caution, ...] = ()


@model(
    "chart.individuals",
    title="Limits of individuals and moving range",
    source="Shewhart; correction for first-order neighbours",
    holds_for="single values in their order; 20 or more from a process that was left alone",
    equation="mean ± 3 sigma; sigma = MR/(1.128 √(1 − φ))",
    basis="published",
    checks=(
        Check({"mean": 3.505, "range_mean": 0.0611111}, "sigma", 0.05418, 1e-4),
        Check({"mean": 3.505, "range_mean": 0.0611111}, "low", 3.3424, 1e-4),
        Check({"mean": 3.505, "range_mean": 0.0611111}, "high", 3.6676, 1e-4),
        Check({"mean": 3.505, "range_mean": 0.0611111}, "range_high", 0.19965, 1e-4),
        Check({"mean": 3.5, "range_mean": 0.041, "phi": 0.55}, "naive", 0.03635, 1e-3),
        Check({"mean": 3.5, "range_mean": 0.041, "phi": 0.55}, "sigma", 0.05418, 1e-3),
    ),
)
def limits(case: SinglesCase) -> SinglesFound:
    """Raises: ImpossibleInput."""
    cautions = check(case)
    if case.phi > PHI_HIGH:
        cautions += (Caution("phi", f"is above {PHI_HIGH:g}: neighbours are alike, and the limits are widened for it"),)
    sigma = sigma_true(case.range_mean, case.phi)
    return SinglesFound(
        sigma=sigma,
        naive=case.range_mean / D2,
        low=case.mean - 3.0 * sigma,
        high=case.mean + 3.0 * sigma,
        range_high=3.267 * case.range_mean,
        cautions=cautions,
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class GroupsCase:
    n: float = quantity("Values in a group", "", possible=(2, 6), whole=True, decimals=0, default=3)
    mean: float = quantity("Mean of all groups", "", possible=(-1e9, 1e9), decimals=3)
    range_mean: float = quantity("Mean of their ranges", "", possible=(0, 1e9), above=True, decimals=4)


@dataclass(frozen=True, slots=True, kw_only=True)
class GroupsFound:
    low: float = figure("Lower limit of a group’s mean", "", decimals=4, equation="mean − A2 R")
    high: float = figure("Upper limit of a group’s mean", "", decimals=4, equation="mean + A2 R")
    range_low: float = figure("Lower limit of a range", "", decimals=4, equation="D3 R")
    range_high: float = figure("Upper limit of a range", "", decimals=4, equation="D4 R")
    sigma: float = figure("Sigma of single values", "", decimals=4, equation="R/d2")
    cautions: tuple[Caution, ...] = ()


@model(
    "chart.groups",
    title="Limits of group means and ranges",
    source="Shewhart, with the usual constants",
    holds_for="groups taken close together, their ranges by chance alone",
    equation="mean ± A2 R; D3 R to D4 R",
    basis="published",
    checks=(
        Check({"n": 3, "mean": 30.240, "range_mean": 1.080}, "low", 29.1352, 1e-5),
        Check({"n": 3, "mean": 30.240, "range_mean": 1.080}, "high", 31.3448, 1e-5),
        Check({"n": 3, "mean": 30.240, "range_mean": 1.080}, "range_high", 2.7799, 1e-4),
        Check({"n": 3, "mean": 30.240, "range_mean": 1.080}, "sigma", 0.63792, 1e-4),
    ),
)
def group_limits(case: GroupsCase) -> GroupsFound:
    """Raises: ImpossibleInput."""
    cautions = check(case)
    d2, a2, d3, d4 = GROUPS[int(case.n)]
    return GroupsFound(
        low=case.mean - a2 * case.range_mean,
        high=case.mean + a2 * case.range_mean,
        range_low=d3 * case.range_mean,
        range_high=d4 * case.range_mean,
        sigma=case.range_mean / d2,
        cautions=cautions,
    )


def grouped(values: Sequence[float], n: int) -> tuple[np.ndarray, np.ndarray]:
    """Means and ranges of whole groups of neighbours, counted from the newest. Raises: ImpossibleInput for another size."""
    if n not in GROUPS:
        raise ImpossibleInput(Problem("n", f"is {n}; it must be one of {', '.join(map(str, GROUPS))}"))
    whole = len(values) // n * n
    told = np.asarray(values[len(values) - whole :], dtype=float).reshape(-1, n)
    return told.mean(axis=1), np.ptp(told, axis=1)


def group_chart(means: Sequence[float], ranges: Sequence[float], n: int) -> Chart | Infeasible:
    """The chart of group means by their ranges. Infeasible under five groups, or where nothing varies."""
    if len(means) < LEAST_GROUPS:
        return Infeasible(field="values", reason=f"are {len(means)} groups; {LEAST_GROUPS} are needed", nearest=LEAST_GROUPS)
    mean, spread = float(np.mean(means)), float(np.mean(ranges))
    if spread <= 0.0:
        return Infeasible(field="values", reason="do not vary at all: is the instrument stuck?")
    found = group_limits(GroupsCase(n=n, mean=mean, range_mean=spread))
    phi = autocorrelation(means)
    return Chart(
        n=len(means),
        mean=mean,
        range_mean=spread,
        sigma=(found.high - mean) / 3.0,
        low=found.low,
        high=found.high,
        range_high=found.range_high,
        phi=phi,
        widened=False,
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class AbleCase:
    mean: float = quantity("Mean", "", possible=(-1e9, 1e9), decimals=3)
    sd_short: float = quantity("Sigma, short-term", "", possible=(0, 1e9), above=True, decimals=3)
    sd_whole: float = quantity("Sigma, overall", "", possible=(0, 1e9), above=True, decimals=3)
    wanted: str = choice("Wanted", SIDES, default=BOTH)
    low: float = quantity("Wanted at least", "", possible=(-1e9, 1e9), decimals=3, default=0.0)
    high: float = quantity("Wanted at most", "", possible=(-1e9, 1e9), decimals=3, default=0.0)
    n: float = quantity("Points", "", possible=(2, 1e6), valid=(LEAST_ABLE, 1e6), whole=True, decimals=0)


@dataclass(frozen=True, slots=True, kw_only=True)
class AbleFound:
    """`cp` and `pp` are 0 where only one side is wanted: there is none then."""

    cp: float = figure("Cp", "", decimals=3, equation="width/6 short-term sigma")
    cpk: float = figure("Cpk", "", decimals=3, equation="distance to the nearer limit/3 short-term sigma")
    pp: float = figure("Pp", "", decimals=3, equation="width/6 overall sigma")
    ppk: float = figure("Ppk", "", decimals=3, equation="distance to the nearer limit/3 overall sigma")
    half: float = figure("Ppk is sure to ±", "", decimals=3, equation="1.96 √(1/(9 n) + Ppk²/(2 (n − 1)))")
    outside_pct: float = figure("Outside, were it normal", "%", decimals=3, equation="both tails beyond what is wanted")
    cautions: tuple[Caution, ...] = ()


_S6: Final = {"mean": 84.3, "sd_short": 0.35, "sd_whole": 0.52, "low": 83, "high": 86, "n": 60}


@model(
    "chart.capability",
    title="Whether a process is able",
    source="usual definitions; half-width after Bissell 1990",
    holds_for="a process without signals, 30 points or more, near enough normal",
    equation="Cp = width/6s; Cpk = nearer distance/3s",
    basis="published",
    checks=(
        Check(_S6, "cp", 1.429, 1e-3),
        Check(_S6, "cpk", 1.238, 1e-3),
        Check(_S6, "pp", 0.9615, 1e-3),
        Check(_S6, "ppk", 0.8333, 1e-3),
        Check(_S6, "half", 0.1724, 1e-3),
        Check(_S6, "outside_pct", 0.6749, 1e-3),
        Check({**_S6, "wanted": AT_LEAST}, "cpk", 1.238, 1e-3),
    ),
)
def capability(case: AbleCase) -> AbleFound:
    """Raises: ImpossibleInput, also for limits the wrong way round."""
    cautions = check(case)
    both = case.wanted == BOTH
    if both and case.low >= case.high:
        raise ImpossibleInput(Problem("high", f"is {case.high:g}; it must be above what is wanted at least, {case.low:g}"))
    below = case.mean - case.low if case.wanted != AT_MOST else math.inf
    above = case.high - case.mean if case.wanted != AT_LEAST else math.inf
    near, width = min(below, above), case.high - case.low
    ppk = near / (3.0 * case.sd_whole)
    return AbleFound(
        cp=width / (6.0 * case.sd_short) if both else 0.0,
        cpk=near / (3.0 * case.sd_short),
        pp=width / (6.0 * case.sd_whole) if both else 0.0,
        ppk=ppk,
        half=1.96 * math.sqrt(1.0 / (9.0 * case.n) + ppk**2 / (2.0 * (case.n - 1.0))),
        outside_pct=100.0 * float(ndtr(-below / case.sd_whole) + ndtr(-above / case.sd_whole)),
        cautions=cautions,
    )


def able(values: Sequence[float], low: float, high: float) -> AbleCase | Infeasible:
    """The case of points without signals against what is wanted (an open side is infinite). Infeasible under 30 of them, where
    nothing varies, or nothing is wanted."""
    x = np.asarray(values, dtype=float)
    if len(x) < LEAST_ABLE:
        return Infeasible(field="values", reason=f"are {len(x)} without a signal; {LEAST_ABLE} are needed", nearest=LEAST_ABLE)
    if not (math.isfinite(low) or math.isfinite(high)):
        return Infeasible(field="wanted", reason="is open on both sides")
    short, whole = float(np.abs(np.diff(x)).mean()) / D2, float(x.std(ddof=1))
    if short <= 0.0 or whole <= 0.0:
        return Infeasible(field="values", reason="do not vary at all: is the instrument stuck?")
    wanted = BOTH if math.isfinite(low) and math.isfinite(high) else AT_LEAST if math.isfinite(low) else AT_MOST
    sides = {"low": low if math.isfinite(low) else 0.0, "high": high if math.isfinite(high) else 0.0}
    return AbleCase(mean=float(x.mean()), sd_short=short, sd_whole=whole, wanted=wanted, n=float(len(x)), **sides)
