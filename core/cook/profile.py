"""The temperature log of a cook and its integrals: H-factor (Vroom 1957), G-factor (Kubes et al. 1983).

A log is piecewise linear between points; each stretch is integrated by Simpson's rule with sub-steps of at most 0.5 °C and
5 min. A trapezoid on a coarse log over-counts ramps.
"""

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np

from core.errors import Caution, ImpossibleInput, Infeasible, Problem
from core.heat import kelvin
from core.quantity import check, figure, quantity
from core.register import Check, model

H_LOG_A, H_E_R = 43.20, 16115.0
G_E_R = 179000.0 / 8.314
GAP_MIN = 10.0
STOPPED = 0.01  # of the rate at cook temperature
Points = tuple[tuple[float, float], ...]


def h_rate(temp_c: float) -> float:
    """Relative rate, 1 near 100 °C, 927 at 170 °C: exp(43.20 − 16115/T)."""
    return math.exp(H_LOG_A - H_E_R / kelvin(temp_c))


def read_log(
    points: Sequence[tuple[float, float]], *, real: bool = False, least: int = 2
) -> tuple[Points, tuple[Caution, ...]]:
    """A log that may be integrated: (minutes, °C), time rising strictly, −10 to 200 °C. Raises: ImpossibleInput by row."""
    bad, cautions = [], []
    if len(points) < least:
        bad.append(Problem("points", f"are {len(points)}; a profile wants at least {least}"))
    for i, (minute, temp) in enumerate(points, start=1):
        if not (math.isfinite(minute) and math.isfinite(temp)):
            bad.append(Problem("points", f"row {i} is not a time and a temperature"))
        elif not -10.0 <= temp <= 200.0:
            bad.append(Problem("points", f"row {i} is {temp:g} °C; it must be −10 to 200 °C"))
        if i > 1 and math.isfinite(minute) and not minute > points[i - 2][0]:
            bad.append(Problem("points", f"row {i} is at {minute:g} min, not after row {i - 1} at {points[i - 2][0]:g} min"))
        elif i > 1 and real and minute - points[i - 2][0] > GAP_MIN:
            cautions.append(Caution("points", f"interpolated across {minute - points[i - 2][0]:g} min before {minute:g} min"))
    if bad:
        raise ImpossibleInput(*bad)
    return tuple((float(m), float(t)) for m, t in points), tuple(cautions)


def thinned(points: Points, most: int) -> Points:
    """A log of at most so many points, to 0.1 min and 0.1 °C: those that bend it least go first, its ends and its pauses stay.

    most: 2 or more. A log that is short enough keeps every point, rounded.
    """
    kept = [(round(m, 1), round(t, 1)) for m, t in points]
    kept = [p for i, p in enumerate(kept) if i == 0 or p[0] > kept[i - 1][0]]
    while len(kept) > max(2, most):
        bends = [
            (abs((a[0] - c[0]) * (b[1] - a[1]) - (a[0] - b[0]) * (c[1] - a[1])), i)
            for i, (a, b, c) in enumerate(zip(kept, kept[1:], kept[2:], strict=False), start=1)
            if c[0] - a[0] <= GAP_MIN
        ]
        if not bends:
            break
        kept.pop(min(bends)[1])
    return tuple(kept)


def _integral(points: Points, log_a: float, over_r_k: float) -> float:
    total = 0.0
    for (m0, t0), (m1, t1) in zip(points, points[1:], strict=False):
        n = 2 * max(1, math.ceil(abs(t1 - t0) / 0.5), math.ceil((m1 - m0) / 5.0))
        temps = np.linspace(t0, t1, n + 1) + 273.15
        rate = np.exp(log_a - over_r_k / temps)
        total += (m1 - m0) / n / 3.0 * float(rate[0] + rate[-1] + 4.0 * rate[1:-1:2].sum() + 2.0 * rate[2:-1:2].sum())
    return total / 60.0


def h_factor(points: Points) -> float:
    """H of a log. 0/90/180 min = 80/170/170 °C gives 1574.5."""
    return _integral(points, H_LOG_A, H_E_R)


def g_factor(points: Points) -> float:
    """G of a log. 0/90/180 min = 80/170/170 °C gives 14949."""
    return _integral(points, G_E_R / 373.15, G_E_R)


def temp_at(points: Points, minute: float) -> float:
    """°C at a minute; the ends go on level."""
    return float(np.interp(minute, [m for m, _ in points], [t for _, t in points]))


def until(points: Points, minute: float) -> Points:
    """The log as far as a minute, its end interpolated."""
    kept = [p for p in points if p[0] < minute]
    return (*kept, (minute, temp_at(points, minute)))


def hold_minutes(h: float, temp_c: float) -> float:
    """Minutes at a temperature that add so much H."""
    return 60.0 * h / h_rate(temp_c)


def temp_for_h(h: float, minutes: float) -> float:
    """Temperature that gives H in so many minutes: 900 in 100 min is 163.47 °C."""
    return H_E_R / (H_LOG_A - math.log(60.0 * h / minutes)) - 273.15


def viscosity(g: float, oh_mean: float, *, mu0: float = 1600.0, a: float = 5.0e-8) -> float:
    """Intrinsic viscosity, mL/g (ISO 5351): 1/mu = 1/mu0 + a OH G. Defaults to be calibrated."""
    return 1.0 / (1.0 / mu0 + a * oh_mean * g)


@dataclass(frozen=True, slots=True, kw_only=True)
class HCase:
    start_c: float = quantity("Start", "°C", possible=(-10, 200), valid=(40, 110), decimals=0, default=80.0)
    rise_min: float = quantity("Rise", "min", possible=(0, 600), above=True, valid=(20, 180), decimals=0)
    cook_c: float = quantity("Cooking temperature", "°C", possible=(60, 200), valid=(100, 185), decimals=1)
    hold_min: float = quantity("At temperature", "min", possible=(0, 900), valid=(0, 400), decimals=0)


@dataclass(frozen=True, slots=True, kw_only=True)
class HFound:
    h: float = figure("H-factor", "", decimals=0, equation="∫ exp(43.20 − 16115/T) dt, hours, by Simpson's rule")
    g: float = figure("G-factor", "", decimals=0, equation="∫ exp[(179000/R)(1/373.15 − 1/T)] dt, hours")
    rate: float = figure("Relative rate at temperature", "", decimals=1, equation="exp(43.20 − 16115/T)")
    ramp_h: float = figure("H of the rise alone", "", decimals=0, equation="the same over the rise")
    degree_pct: float = figure("One degree more changes the rate by", "%", decimals=1, equation="100 × 16115/T²")
    cautions: tuple[Caution, ...] = ()


def profile_of(start_c: float, rise_min: float, cook_c: float, hold_min: float) -> Points:
    """Start, rise, hold as a log."""
    ramp = ((0.0, start_c), (rise_min, cook_c))
    return (*ramp, (rise_min + hold_min, cook_c)) if hold_min > 0.0 else ramp


@model(
    "cook.h_factor",
    title="H-factor of a profile",
    source="Vroom 1957, Pulp Paper Mag. Can. 58(3):228; G: Kubes et al. 1983",
    holds_for="100 to 185 °C; below it counts but hardly",
    equation="H = ∫ exp(43.20 − 16115/T) dt",
    symbols="H=h",
    basis="published",
    checks=(
        Check({"rise_min": 90, "cook_c": 170, "hold_min": 90}, "h", 1574.5, 2e-3),
        Check({"rise_min": 90, "cook_c": 170, "hold_min": 0}, "h", 179.29, 2e-3),
        Check({"rise_min": 90, "cook_c": 170, "hold_min": 90}, "g", 14949, 3e-3),
        *(
            Check({"rise_min": 90, "cook_c": t, "hold_min": 0}, "rate", w, 1e-3)
            for t, w in ((125, 15.261), (152, 199.48), (163, 518.9), (168, 788.77), (173, 1187.8))
        ),
    ),
)
def profile_factors(case: HCase) -> HFound:
    """H and G of a start, a rise and a hold. Raises: ImpossibleInput.

    Worked: 80 to 170 °C in 90 min and 90 min at it is H 1574.5.
    """
    cautions = check(case)
    points = profile_of(case.start_c, case.rise_min, case.cook_c, case.hold_min)
    return HFound(
        h=h_factor(points),
        g=g_factor(points),
        rate=h_rate(case.cook_c),
        ramp_h=h_factor(points[:2]),
        degree_pct=100.0 * H_E_R / kelvin(case.cook_c) ** 2,
        cautions=cautions,
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class MinutesCase:
    h_target: float = quantity("H wanted", "", possible=(0, 20_000), above=True, valid=(50, 3000), decimals=0)
    h_so_far: float = quantity("H so far", "", possible=(0, 20_000), decimals=0)
    hold_c: float = quantity("Temperature held", "°C", possible=(60, 200), valid=(100, 185), decimals=1)
    cool_to_c: float = quantity("Cooled to", "°C", possible=(20, 200), decimals=0, default=100.0)
    cool_min: float = quantity("Cooling takes", "min", possible=(0, 120), decimals=0, default=0.0)


@dataclass(frozen=True, slots=True, kw_only=True)
class MinutesLeft:
    minutes: float = figure("Minutes left", "min", decimals=1, equation="(H wanted − H so far − H of cooling) × 60 / rate")
    h_cool: float = figure("H of the cooling", "", decimals=0, equation="∫ rate over the cooling")
    cautions: tuple[Caution, ...] = ()


@model(
    "cook.minutes_left",
    title="Minutes to an H-factor",
    source="Vroom 1957; cooling counted",
    holds_for="100 to 185 °C",
    equation="min = 60 (H − Hnow − Hcool)/k",
    symbols="min=minutes H=h_target Hnow=h_so_far Hcool=h_cool",
    basis="published",
    checks=(
        Check({"h_target": 1500, "h_so_far": 418, "hold_c": 166}, "minutes", 97.203, 3e-3),
        Check({"h_target": 1500, "h_so_far": 418, "hold_c": 169}, "minutes", 75.779, 3e-3),
    ),
)
def minutes_left(case: MinutesCase) -> MinutesLeft:
    """Minutes at the held temperature until the target; negative once it is passed, with a caution. Raises: ImpossibleInput."""
    cautions = check(case)
    if case.cool_min > 0.0 and case.cool_to_c > case.hold_c:
        raise ImpossibleInput(Problem("cool_to_c", f"is {case.cool_to_c:g} °C, over the {case.hold_c:g} °C that is held"))
    cool = h_factor(((0.0, case.hold_c), (case.cool_min, case.cool_to_c))) if case.cool_min > 0.0 else 0.0
    minutes = hold_minutes(case.h_target - case.h_so_far - cool, case.hold_c)
    if minutes < 0.0:
        cautions += (Caution("h_target", f"is passed already by {case.h_so_far + cool - case.h_target:.0f} H"),)
    return MinutesLeft(minutes=minutes, h_cool=cool, cautions=cautions)


def crossing(points: Points, of: Callable[[Points], float], target: float) -> float | Infeasible:
    """The minute at which an integral of the log reaches a target."""
    if of(points) < target:
        return Infeasible(field="target", reason=f"is not reached; the profile gives {of(points):.0f}", nearest=of(points))
    low, high = points[0][0], points[-1][0]
    for _ in range(60):
        mid = (low + high) / 2.0
        low, high = (mid, high) if of(until(points, mid)) < target else (low, mid)
    return high
