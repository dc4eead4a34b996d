"""Moves: one lever, its size, what to expect and when to look again.

Source: shift practice, section 4: step = -0.7 e/g, nothing inside the inner band, clamped to the largest step and the
lever's limits. Gains marked default are first guesses until a model or a fit replaces them.
"""

import math
from dataclasses import dataclass
from typing import Final

from core.errors import ImpossibleInput, Problem
from core.judge.band import Band

DAMPING: Final = 0.7
WORKED_SHARE: Final = 0.4
VROOM_A, VROOM_B = 43.2, 16115.0  # Vroom 1957, relative rate of delignification
VALVE_LOW_PCT, VALVE_HIGH_PCT = 10.0, 90.0


@dataclass(frozen=True, slots=True, kw_only=True)
class Step:
    """Size of a move, and which limit bound it ("" for none)."""

    size: float
    expected: float
    bound_by: str


def feedback_step(
    *,
    reading: float,
    band: Band,
    gain: float,
    max_step: float = math.inf,
    lever: float = 0.0,
    lever_low: float = -math.inf,
    lever_high: float = math.inf,
) -> Step:
    """-0.7 e/g from the aim; 0 inside the inner band. `expected` is the reading after it.

    Worked: kappa 33.1, target 30, inner 2, gain -0.020 per H: +108.5 H. 30.8: 0. Raises: ImpossibleInput for gain 0.
    """
    if gain == 0.0 or not math.isfinite(gain):
        raise ImpossibleInput(Problem("gain", f"is {gain:g}; a lever without effect moves nothing"))
    error = reading - band.aim
    if band.low <= reading <= band.high:
        return Step(size=0.0, expected=reading, bound_by="")
    wanted = -DAMPING * error / gain
    size, bound = wanted, ""
    if abs(size) > max_step:
        size, bound = math.copysign(max_step, size), "the largest step"
    if lever + size > lever_high:
        size, bound = lever_high - lever, "the lever's upper limit"
    elif lever + size < lever_low:
        size, bound = lever_low - lever, "the lever's lower limit"
    return Step(size=size, expected=reading + gain * size, bound_by=bound)


def strength_step(flow: float, strength_before: float, strength_now: float) -> float:
    """Feed-forward for a solution's strength: flow x c_old/c_new. Worked: 8.2 m3/h, 10.0 to 8.6 g/L: 9.535 m3/h."""
    if not strength_now > 0.0:
        raise ImpossibleInput(Problem("strength_now", f"is {strength_now:g}; it must be above 0"))
    return flow * strength_before / strength_now


def relative_rate(temp_c: float) -> float:
    """Relative rate of a kraft cook, per hour (Vroom 1957): exp(43.2 - 16115/(T + 273.15)). Worked: 170 degC: 930.1."""
    return math.exp(VROOM_A - VROOM_B / (temp_c + 273.15))


def minutes_for_h(delta_h: float, temp_c: float) -> float:
    """Minutes at temperature that give so much H-factor. Worked: 108.5 H at 170 degC: 7.0 min."""
    return 60.0 * delta_h / relative_rate(temp_c)


def outcome(*, before: float, expected: float, after: float, band: Band) -> str:
    """What became of a move at its retest: worked, partly (40 % of the expected change or more), or not."""
    if band.low <= after <= band.high:
        return "worked"
    wanted = expected - before
    return "partly" if wanted and (after - before) / wanted >= WORKED_SHARE else "not"


def tampering_factor(share: float) -> float:
    """How much correcting every reading by a share widens pure noise: sqrt(2/(2 - g)). Worked: 0.7 gives 1.240."""
    if not 0.0 <= share < 2.0:
        raise ImpossibleInput(Problem("share", f"is {share:g}; it must be 0 to under 2"))
    return math.sqrt(2.0 / (2.0 - share))
