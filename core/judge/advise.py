"""From a judgement to one proposed move: its lever, size, expected effect, dead time, retest, limits and caution.

Source: shift practice, section 4, rows K1, H2, N1 and D2. Words are put together by the desk from these figures.
"""

import math
from dataclasses import dataclass, replace
from typing import Literal

from core.errors import Infeasible
from core.judge.band import Band
from core.judge.move import DAMPING, feedback_step, minutes_for_h
from core.stock.loop import LoopCase, consistency_loop

RETEST_LEAST_MIN = 10.0
LEAST_WATER_L_MIN = 1.0  # under it there is nothing to move
SAME_PCT = 0.005  # of two consistencies that are shown alike
H_FACTOR_MOST_SHARE = 0.10
MIX_IN_MIN = 15.0


@dataclass(frozen=True, slots=True, kw_only=True)
class Move:
    """One lever from `before` to `after`. `bound_by` names the limit that cut it, "" for none.

    `kind` is a row of the practice table: "dilution" (H2), "h_factor" (K1), "share" (source running empty or full).
    `other_before`/`other_after` belong to the lever that makes room (the spare source), else nan.
    """

    kind: Literal["dilution", "h_factor", "share"]
    before: float
    after: float
    unit: str
    expected: float
    dead_min: float
    retest_min: float
    bound_by: str
    valve_pct: float = math.nan
    minutes: float = math.nan
    other_before: float = math.nan
    other_after: float = math.nan
    gain_is_default: bool = False

    @property
    def change(self) -> float:
        return self.after - self.before


def dilution_move(*, reading: float, band: Band, loop: LoopCase, mixing_min: float) -> Move | Infeasible:
    """Water for a consistency off its band at a dilution point: 0.7 of the way to the aim, valve within 10 to 90 %.

    `reading` % oven-dry, `loop` the outlet as it stands (its measured and target are replaced). Retest after the dead
    time and two mixing times, at least ten minutes.
    """
    aim = reading - DAMPING * (reading - band.aim)
    result = consistency_loop(_with(loop, measured_pct=reading, target_pct=aim))
    if isinstance(result, Infeasible):
        return result
    low, high = 0.10 * loop.water_max_l_min, 0.90 * loop.water_max_l_min
    after, bound = result.water_wanted_l_min, ""
    if after > high:
        after, bound = max(high, result.water_now_l_min), "the valve at 90 %"
    elif after < low:
        after, bound = min(low, result.water_now_l_min), "the valve at 10 %"
    stock, cin, cw = loop.stock_l_min, loop.inlet_pct, loop.water_cons_pct
    expected = (stock * cin + after * cw) / (stock + after)
    dead = result.wait_s / 60.0
    return Move(
        kind="dilution",
        before=result.water_now_l_min,
        after=after,
        unit="L/min",
        expected=expected,
        dead_min=result.dead_time_s / 60.0,
        retest_min=max(RETEST_LEAST_MIN, dead + 2.0 * mixing_min),
        bound_by=bound,
        valve_pct=100.0 * after / loop.water_max_l_min,
    )


def water_to(*, band: Band, loop: LoopCase, mixing_min: float) -> Move | Infeasible | None:
    """The water from what was found to what is wanted, both as `loop` has them, in % oven-dry; None where there is nothing to
    move: what was found lies in the band and its aim is wanted (leaving it is right), what is wanted lies outside the band, or
    the water would change by less than 1 L/min."""
    inside = band.low <= loop.measured_pct <= band.high
    if not band.low <= loop.target_pct <= band.high or (inside and abs(loop.target_pct - band.aim) < SAME_PCT):
        return None
    wanted = replace(band, target=loop.target_pct)
    move = dilution_move(reading=loop.measured_pct, band=wanted, loop=loop, mixing_min=mixing_min)
    return None if isinstance(move, Move) and abs(move.change) < LEAST_WATER_L_MIN else move


def _with(loop: LoopCase, *, measured_pct: float, target_pct: float) -> LoopCase:
    return LoopCase(
        stock_l_min=loop.stock_l_min,
        inlet_pct=loop.inlet_pct,
        target_pct=target_pct,
        measured_pct=measured_pct,
        water_cons_pct=loop.water_cons_pct,
        water_max_l_min=loop.water_max_l_min,
        pipe_m=loop.pipe_m,
        pipe_mm=loop.pipe_mm,
        filter_s=loop.filter_s,
    )


def h_factor_move(
    *, reading: float, band: Band, now: float, gain: float, max_step: float, temp_c: float, dead_min: float
) -> Move:
    """K1/K3: the next cook's H-factor for a kappa off its band. The gain is a default until a cook model is fitted."""
    most = min(max_step, H_FACTOR_MOST_SHARE * now)
    step = feedback_step(reading=reading, band=band, gain=gain, max_step=most, lever=now)
    return Move(
        kind="h_factor",
        before=now,
        after=now + step.size,
        unit="H",
        expected=step.expected,
        dead_min=dead_min,
        retest_min=dead_min,
        bound_by=step.bound_by,
        minutes=minutes_for_h(step.size, temp_c),
        gain_is_default=True,
    )


def share_move(*, share: float, made_t_h: float, drawn_t_h: float, spare_share: float, empties: bool) -> Move | Infeasible:
    """A source that its tower cannot keep up with: its share down to what is made (whole per cents), the spare takes it.

    When the tower runs full instead, the share goes up to what is made. Fractions of the furnish; t/h oven-dry.
    """
    if drawn_t_h <= 0.0:
        return Infeasible(field="drawn_t_h", reason="is 0: the machine takes nothing, a share changes nothing")
    holds = made_t_h / drawn_t_h
    after = math.floor(holds * 100.0 + 1e-9) / 100.0 if empties else math.ceil(holds * 100.0 - 1e-9) / 100.0
    freed = share - after
    bound = ""
    if spare_share + freed < 0.0:
        freed, bound = -spare_share, "the spare source is used up"
        after = share - freed
    return Move(
        kind="share",
        before=100.0 * share,
        after=100.0 * after,
        unit="%",
        expected=100.0 * after,
        dead_min=MIX_IN_MIN,
        retest_min=60.0,
        bound_by=bound,
        other_before=100.0 * spare_share,
        other_after=100.0 * (spare_share + freed),
    )
