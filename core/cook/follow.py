"""A batch cook while it runs: H so far from its log, what comes at the set-points, what a pause cost, and one move.

Corrections of the target: charge known to be off, or a measured residual that replaces the model's alkali. Limits of a move: H
by 10 %, 3 °C in 10 min, two moves a cook. Source: models, section 3.12.
"""

import math
from dataclasses import dataclass

from core.cook import kinetic
from core.cook.kinetic import Charge, Cooked
from core.cook.profile import Points, h_factor, h_rate, hold_minutes, read_log, temp_at
from core.cook.species import DEFAULT, Fitted
from core.cook.trust import default_band
from core.errors import Caution, ImpossibleInput, Infeasible, Problem

MOST_H_SHARE = 0.10
UNEVEN_C, UNEVEN_MIN = 140.0, 30.0


@dataclass(frozen=True, slots=True, kw_only=True)
class Followed:
    """Where a cook stands and where it goes."""

    h_so_far: float
    minute: float
    temp_c: float
    planned: Cooked  # at the set-points that are left
    planned_stop: float  # minute
    to_target: float | Infeasible  # minutes at the hold temperature until kappa, from now or from its reaching
    stop: float | None  # minute of the predicted stop for the target
    stop_low: float | None
    stop_high: float | None
    h_at_stop: float | None
    lost_h: float  # what the log lost against the plan so far
    cautions: tuple[Caution, ...] = ()


def joined(log: Points, plan: Points) -> Points:
    """The log as it was, then the plan from there on: what is left of it, reached by its own ramp."""
    now, temp = log[-1]
    rest = [(m, t) for m, t in plan if m > now + 1e-9]
    if not rest:
        return log
    later = []
    for m, t in rest:  # a ramp that was missed starts from where the cook is
        later.append((m, t))
    return (*log, *later)


def to_top(whole: Points, plan: Points, now: float) -> Points:
    """A joined log as far as it first has the plan's top temperature, from now (its minute) on; to now where it never does."""
    top = max(t for _, t in plan)
    top_from = next((m for m, t in whole if m >= now and t >= top - 0.5), now)
    return tuple(p for p in whole if p[0] <= max(now, top_from) + 1e-9)


def follow(
    species: str,
    charge: Charge,
    plan: Points,
    log: Points,
    target: float,
    *,
    coefficients: Fitted = DEFAULT,
    band: float | None = None,
    measured: tuple[tuple[float, float], ...] = (),
) -> Followed:
    """Follow a cook. `measured`: (minute, residual EA g/L); `band`: half of the kappa's 95 % band, the default's when None.

    Raises: ImpossibleInput for a log or a residual that cannot be."""
    plan, _ = read_log(plan)
    log, cautions = read_log(log, real=True, least=1)  # just charged: its first temperature alone
    now, temp = log[-1]
    if not target > 0.0:
        raise ImpossibleInput(Problem("target", f"is {target:g}; it must be above 0"))
    whole = joined(log, plan)
    planned = kinetic.cook(species, charge, whole, coefficients=coefficients, corrections=measured)
    ramp = to_top(whole, plan, now)
    minutes = kinetic.minutes_for_kappa(species, charge, ramp, target, coefficients=coefficients, corrections=measured)
    stop = low = high = h_stop = None
    half = default_band(target) if band is None else band
    if not isinstance(minutes, Infeasible):
        stop = ramp[-1][0] + minutes
        h_stop = h_factor((*ramp, (stop, ramp[-1][1]))) if minutes > 1e-9 else h_factor(ramp)
        for delta in (-half, half):  # a model that is high stops late, one that is low stops early
            other = kinetic.minutes_for_kappa(
                species, charge, ramp, target - delta, coefficients=coefficients, corrections=measured
            )
            at = ramp[-1][0] + (other if not isinstance(other, Infeasible) else 0.0)
            if delta < 0:
                low = min(at, stop)
            else:
                high = max(at, stop)
    fallen = [
        b[0] - a[0]
        for a, b in zip(log, log[1:], strict=False)
        if max(a[1], b[1]) < UNEVEN_C and a[0] > (plan[-2][0] if len(plan) > 1 else 0)
    ]
    if sum(fallen) > UNEVEN_MIN:
        cautions += (Caution("points", f"below {UNEVEN_C:.0f} °C for {sum(fallen):.0f} min: the cook will be uneven"),)
    for minute, value in measured:
        model = kinetic.cook(
            species,
            charge,
            tuple(p for p in whole if p[0] <= minute) if any(p[0] > 0 and p[0] <= minute for p in whole) else whole[:2],
            coefficients=coefficients,
        )
        if abs(model.residual_g_l - value) > 2.0:
            cautions += (
                Caution(
                    "measured",
                    f"residual {value:.1f} g/L at {minute:.0f} min, the model has {model.residual_g_l:.1f}: ask "
                    f"moisture, chip weight, liquor strength, in this order",
                ),
            )
    done = h_factor(log)
    planned_h = h_factor(tuple(p for p in plan if p[0] < now) + ((now, temp_at(plan, now)),)) if now > plan[0][0] else 0.0
    return Followed(
        h_so_far=done,
        minute=now,
        temp_c=temp,
        planned=planned,
        planned_stop=whole[-1][0],
        to_target=minutes,
        stop=stop,
        stop_low=low,
        stop_high=high,
        h_at_stop=h_stop,
        lost_h=planned_h - done,
        cautions=tuple(dict.fromkeys(cautions + planned.cautions)),
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class Hold:
    """The move on a running cook: so many minutes more (or less) than planned, at the temperature it has."""

    minutes: float
    h_before: float
    h_after: float
    kappa_before: float
    kappa_after: float
    viscosity_change: float
    bound_by: str


def hold_move(
    followed: Followed,
    species: str,
    charge: Charge,
    plan: Points,
    log: Points,
    target: float,
    *,
    coefficients: Fitted = DEFAULT,
    measured: tuple[tuple[float, float], ...] = (),
) -> Hold | None:
    """Longer or shorter at temperature so that the target is met; H moves by 10 % at most. None when no change of a minute is
    needed."""
    if followed.stop is None:
        return None
    change = followed.stop - followed.planned_stop
    if abs(change) < 1.0:
        return None
    h = followed.planned.h
    top = max(t for _, t in plan)
    most = hold_minutes(MOST_H_SHARE * h, top)
    bound = ""
    if abs(change) > most:
        change, bound = math.copysign(most, change), "the most H of one move, 10 %"
    whole = joined(log, plan)
    end = max(whole[-1][0] + change, log[-1][0] + 0.1)
    new = (*(p for p in whole if p[0] < end), (end, top if end > whole[-1][0] else temp_at(whole, end)))
    after = kinetic.cook(species, charge, new, coefficients=coefficients, corrections=measured)
    return Hold(
        minutes=end - whole[-1][0],
        h_before=h,
        h_after=after.h,
        kappa_before=followed.planned.kappa,
        kappa_after=after.kappa,
        viscosity_change=after.viscosity_ml_g - followed.planned.viscosity_ml_g,
        bound_by=bound,
    )


def steam_loss(plan: Points, at_min: float, minutes: float, drop_c: float) -> tuple[float, float]:
    """(H lost, minutes at the plan's temperature that make it up) when steam fails for so long and the cook falls by drop
    °C."""
    temp = temp_at(plan, at_min)
    lost = h_rate(temp) * minutes / 60.0 - h_factor(((0.0, temp), (minutes / 2.0, temp - drop_c), (minutes, temp)))
    return lost, hold_minutes(lost, temp)


EARLY_SHARE, DOUBT_KAPPA = 0.90, 4.0


def doubt(h: float, planned_h: float, kappa: float, predicted: float) -> str:
    """What is to be said of a kappa that looks ordinary after a blow before its time; else an empty string.

    h, planned_h: H-factor at the blow and of the plan. kappa: as tested, predicted: by the model as the cook was run. Defaults:
    under nine tenths of its H, and four kappa units under the model.
    """
    if planned_h <= 0.0 or h >= EARLY_SHARE * planned_h or predicted - kappa < DOUBT_KAPPA:
        return ""
    return (
        f"blown at H {h:.0f} of {planned_h:.0f}, where the model expects kappa {predicted:.0f}: {kappa:.1f} looks ordinary and "
        "may not be this cook's; test a second sample, and look at the thermometer and the charge before the next cook"
    )
