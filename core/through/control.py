"""Loops: a reading, a set point, a stream that is driven; their tuning, and what they make of a step.

PI with limits, rate and back-calculation: no step of the output on release. Source: Skogestad 2003; recovered to delivery,
section 13.3.
"""

import math
from dataclasses import dataclass
from typing import Final

import numpy as np

from core.compiled import compiled
from core.errors import Caution
from core.quantity import check, figure, quantity
from core.register import Check, model
from core.stream import Vector

AVERAGING, RESET = 2.0 / math.e, 4.0


FREE: Final = 1e12  # what an output is bound by where nothing binds it


@compiled
def pi_step(
    e: float,
    u: float,
    integral: float,
    kc: float,
    quick: float,
    low: float = -FREE,
    high: float = FREE,
    most: float = FREE,
    sticks: float = 0.0,
) -> tuple[float, float]:
    """Output and integral of a loop after a step.

    `e` is the error by its sign, `quick` the step over Ti, `most` what the output may move in a step. The output moves by its
    rate inside its limits; the integral is drawn back by what was not given (tracking time Ti). A valve that `sticks` stays
    until it is asked to move by more than that: its integral goes on then, as that of a loop does that does not know.
    """
    part = kc * e
    integral += part * quick
    raw = part + integral
    asked = min(max(raw, low), high) - u
    moved = u + min(max(asked, -most), most)
    integral += (moved - raw) * min(1.0, quick)
    return (u if abs(asked) <= sticks else moved), integral


def consistency_tuning(gain: float, step_s: float) -> tuple[float, float]:
    """Kc (a unit of flow a unit of consistency) and Ti (h) of a dilution whose consistency falls by `gain` a unit of flow.

    It is looked at every `step_s`: its meter's filter is a step, its dead time two."""
    found = tuning(TuningCase(gain=gain, lag_s=step_s, dead_s=2.0 * step_s))
    return found.kc, found.ti_s / 3600.0


def level_tuning(inflow_t_h: float, strays_t: float) -> tuple[float, float]:
    """Kc (1/h) and Ti (h) of a level that may stray so far for a step of its inflow."""
    kc = AVERAGING * inflow_t_h / strays_t
    return kc, RESET / kc


@dataclass(frozen=True, slots=True, kw_only=True)
class TuningCase:
    gain: float = quantity("Gain of the process", "reading a unit of output", possible=(0, 1e9), above=True, decimals=3)
    lag_s: float = quantity("Lag", "s", possible=(0, 1e5), above=True, valid=(1, 600), decimals=0)
    dead_s: float = quantity("Dead time", "s", possible=(0, 1e5), above=True, valid=(1, 300), decimals=0)


@dataclass(frozen=True, slots=True, kw_only=True)
class TuningFound:
    kc: float = figure("Gain of the loop", "", decimals=3, equation="lag/(gain (tc + dead time)), tc = dead time")
    ti_s: float = figure("Reset time", "s", decimals=1, equation="the less of lag and 4 (tc + dead time)")
    cautions: tuple[Caution, ...] = ()


@model(
    "stock.tuning",
    title="Tuning of a consistency loop",
    source="Skogestad 2003",
    holds_for="a lag with a dead time; then by the loop’s own step test",
    equation="Kc = τ/(K (tc + θ)); Ti = min(τ, 4 (tc + θ)); tc = θ",
    symbols="Kc=kc Ti=ti_s",
    basis="published",
    checks=(
        Check({"gain": 0.8, "lag_s": 40, "dead_s": 15}, "kc", 1.66667, 1e-5),
        Check({"gain": 0.8, "lag_s": 40, "dead_s": 15}, "ti_s", 40.0, 1e-9),
    ),
)
def tuning(case: TuningCase) -> TuningFound:
    """Raises: ImpossibleInput."""
    cautions = check(case)
    both = 2.0 * case.dead_s
    return TuningFound(kc=case.lag_s / (case.gain * both), ti_s=min(case.lag_s, 4.0 * both), cautions=cautions)


@dataclass(frozen=True, slots=True, kw_only=True)
class StepCase:
    """A loop on a lag with a dead time, set to 1 from 0, stepped."""

    gain: float = quantity("Gain of the process", "", possible=(0, 1000), above=True, decimals=2, default=1.0)
    lag_s: float = quantity("Lag", "s", possible=(0, 10_000), above=True, valid=(1, 600), decimals=0)
    dead_s: float = quantity("Dead time", "s", possible=(0, 2000), valid=(1, 300), decimals=0)
    kc: float = quantity("Gain of the loop", "", possible=(0, 1000), above=True, decimals=3)
    ti_s: float = quantity("Reset time", "s", possible=(0, 10_000), above=True, decimals=0)
    step_s: float = quantity("Looked at every", "s", possible=(0.01, 60), valid=(0.05, 10), decimals=2, default=2.0)
    for_s: float = quantity("Followed for", "s", possible=(10, 20_000), decimals=0, default=600.0)


@dataclass(frozen=True, slots=True, kw_only=True)
class StepFound:
    peak: float = figure("Highest reading", "of the step", decimals=4, equation="stepped")
    error_s: float = figure("Error, absolute, over time", "s", decimals=2, equation="Σ |1 − y| Δt; signed it is Ti/(K Kc)")
    signed_s: float = figure("the same, signed", "s", decimals=2, equation="Σ (1 − y) Δt")
    within_s: float = figure("Within 2 % after", "s", decimals=0, equation="last time outside")
    readings: tuple[float, ...]
    cautions: tuple[Caution, ...] = ()


MOST_STEPS: Final = 100_000


@compiled
def _followed(count: int, delay: int, keeps: float, moves: float, kc: float, quick: float) -> Vector:
    """Readings of a lag with a dead time of so many steps, under PI from rest to 1."""
    put, readings = np.zeros(count + delay + 1), np.empty(count)
    u, integral, y = 0.0, 0.0, 0.0
    for k in range(count):
        u, integral = pi_step(1.0 - y, u, integral, kc, quick)
        put[k + delay + 1] = u
        readings[k] = y
        y = keeps * y + moves * put[k + 1]
    return readings


_LOOP = {"gain": 1, "lag_s": 30, "dead_s": 20, "kc": 0.75, "ti_s": 30}


@model(
    "stock.loop_step",
    title="A loop after a step of its set point",
    source="first-order lag with dead time under PI, stepped; output not bounded",
    holds_for="a linear process; valves that stick or end are not in it",
    equation="y(k+1) = a y(k) + (1 − a) K u(k − n), a = e^(−Δt/τ)",
    basis="published",
    checks=(
        Check(_LOOP, "peak", 1.05280, 1e-4),
        Check(_LOOP, "error_s", 44.024, 1e-4),
        Check(_LOOP, "signed_s", 40.0, 1e-3),
        Check({**_LOOP, "step_s": 0.05}, "peak", 1.04078, 1e-3),
        Check({**_LOOP, "step_s": 0.05}, "error_s", 43.385, 1e-3),
    ),
)
def loop_step(case: StepCase) -> StepFound:
    """Raises: ImpossibleInput."""
    cautions = check(case)
    count = min(MOST_STEPS, math.ceil(case.for_s / case.step_s))
    a, delay = math.exp(-case.step_s / case.lag_s), round(case.dead_s / case.step_s)
    told = _followed(count, delay, a, (1.0 - a) * case.gain, case.kc, case.step_s / case.ti_s)
    outside = np.flatnonzero(np.abs(1.0 - told) > 0.02)
    return StepFound(
        peak=float(told.max()),
        error_s=float(np.abs(1.0 - told).sum() * case.step_s),
        signed_s=float((1.0 - told).sum() * case.step_s),
        within_s=float((outside[-1] + 1) * case.step_s) if len(outside) else 0.0,
        readings=tuple(told.tolist()),
        cautions=cautions,
    )


@compiled
def _swallowed(count: int, held_at: float, inflow: float, kc: float, quick: float, dt: float) -> tuple[float, float]:
    """The highest and the last level of so many steps of an inflow under a level loop at rest."""
    level, out, integral, peak = held_at, 0.0, 0.0, held_at
    for _ in range(count):
        out, integral = pi_step(level - held_at, out, integral, kc, quick)
        level += dt * (inflow - out)
        peak = max(peak, level)
    return peak, level


@dataclass(frozen=True, slots=True, kw_only=True)
class LevelCase:
    inflow_t_h: float = quantity("Inflow may step by", "t/h or m³/h", possible=(0, 1e5), above=True, decimals=1)
    strays_t: float = quantity("Level may stray by", "t or m³", possible=(0, 1e5), above=True, decimals=1)
    level_t: float = quantity("Held at", "t or m³", possible=(0, 1e6), above=True, decimals=0, default=60.0)
    after_h: float = quantity("Followed for", "h", possible=(0, 100), above=True, decimals=1, default=2.0)


@dataclass(frozen=True, slots=True, kw_only=True)
class LevelFound:
    kc: float = figure("Gain of the loop", "1/h", decimals=3, equation="(2/e) Δq/ΔM")
    ti_h: float = figure("Reset time", "h", decimals=3, equation="4/Kc")
    peak_h: float = figure("Furthest after", "h", decimals=2, equation="2/Kc")
    peak_t: float = figure("Level then", "t or m³", decimals=2, equation="stepped at 10 s")
    then_t: float = figure("At the end", "t or m³", decimals=2, equation="stepped at 10 s")
    cautions: tuple[Caution, ...] = ()


@model(
    "stock.averaging_level",
    title="An averaging level loop",
    source="critically damped PI on an integrating level",
    holds_for="a vessel that is there to swallow upsets; limits and rates are not reached",
    equation="Kc = (2/e) Δq/ΔM; Ti = 4/Kc",
    symbols="Kc=kc Ti=ti_h",
    basis="published",
    checks=(
        Check({"inflow_t_h": 20, "strays_t": 8}, "kc", 1.83940, 1e-5),
        Check({"inflow_t_h": 20, "strays_t": 8}, "ti_h", 2.17463, 1e-5),
        Check({"inflow_t_h": 20, "strays_t": 8}, "peak_h", 1.08731, 1e-5),
        Check({"inflow_t_h": 20, "strays_t": 8}, "peak_t", 68.0034, 1e-3),
        Check({"inflow_t_h": 20, "strays_t": 8}, "then_t", 66.3520, 1e-3),
    ),
)
def averaging_level(case: LevelCase) -> LevelFound:
    """A step of the inflow swallowed. Raises: ImpossibleInput."""
    cautions = check(case)
    kc, ti = level_tuning(case.inflow_t_h, case.strays_t)
    dt = 10.0 / 3600.0
    peak, level = _swallowed(min(MOST_STEPS, round(case.after_h / dt)), case.level_t, case.inflow_t_h, kc, dt / ti, dt)
    return LevelFound(kc=kc, ti_h=ti, peak_h=2.0 / kc, peak_t=peak, then_t=level, cautions=cautions)
