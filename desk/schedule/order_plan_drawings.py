"""72 hours on one axis: orders, stops, and the level of every vessel that the furnish is drawn from, as strings for SVG."""

from datetime import timedelta

from django.utils import timezone

from core.plan.levels import half_t
from core.stock.cover import USABLE_HIGH_PCT, USABLE_LOW_PCT
from desk.kit.svg import n, polyline
from desk.schedule.order_plan import HOURS, Judged, Plan

LEFT, RIGHT, TOP = 132.0, 872.0, 34.0
ORDER_H, STOP_Y, VESSEL_TOP, VESSEL_H, VESSEL_GAP = 34.0, 84.0, 118.0, 46.0, 28.0
BAND_STEP_H = 3.0
WORD_PX = 7.0


def x(hour: float) -> float:
    return LEFT + (RIGHT - LEFT) * max(0.0, min(HOURS, hour)) / HOURS


def plan_picture(plan: Plan, judged: Judged, beside: Judged | None) -> dict:
    """The plan; `beside` is drawn dashed where it differs."""
    state = plan.state
    names = dict(enumerate(plan.waiting))
    bars = [_bar(names[r.order], r, beside) for r in judged.found.runs if r.begins_h < HOURS]
    ghosts = [
        {"x": n(x(r.begins_h)), "w": n(x(r.ends_h) - x(r.begins_h))}
        for r in (beside.found.runs if beside is not None else ())
        if r.begins_h < HOURS and not any(o.order == r.order and abs(o.begins_h - r.begins_h) < 0.02 for o in judged.found.runs)
    ]
    stops = [{"x": n(x(a)), "w": n(max(2.0, x(b) - x(a)))} for a, b in plan.machine.stands if a < HOURS]
    lanes = [_lane(plan, key, k, judged, beside) for k, key in enumerate(judged.courses)]
    foot = VESSEL_TOP + len(lanes) * (VESSEL_H + VESSEL_GAP)
    return {
        "ticks": _ticks(state.now),
        "running": {"w": n(x(plan.free_h) - LEFT), "text": state.run["order"][-4:] if plan.free_h > 4.0 else ""},
        "bars": bars,
        "washes": [
            {"x": n(x(r.wash_h)), "w": n(x(r.wash_h + r.washed) - x(r.wash_h))} for r in judged.found.runs if r.washed > 0.0
        ],
        "ghosts": ghosts,
        "stops": stops,
        "lanes": lanes,
        "foot": n(foot),
        "frozen_h": n(foot - 30.0),
        "height": n(foot + 8.0),
        "frozen": n(x(2.0) - LEFT),
    }


def _bar(w, run, beside: Judged | None) -> dict:
    wide = x(run.ends_h) - x(run.begins_h)
    moved = beside is not None and not any(
        r.order == run.order and abs(r.begins_h - run.begins_h) < 0.02 for r in beside.found.runs
    )
    most = max(0, int((wide - 8.0) / WORD_PX))
    return {
        "x": n(x(run.begins_h)),
        "w": n(wide),
        "number": w.number[-most:] if most < len(w.number) else w.number,
        "name": w.name[:most] if most > 4 else "",
        "moved": moved,
        "late": run.late_h > 1e-6,
    }


def _ticks(now) -> list[dict]:
    """Midnights with their day, and every six hours between."""
    local = timezone.localtime(now)
    first = local.replace(minute=0, second=0, microsecond=0) + timedelta(hours=1)
    told = []
    for k in range(int(HOURS)):
        at = first + timedelta(hours=k)
        if at.hour % 6 == 0:
            hour = (at - local).total_seconds() / 3600.0
            told.append({"x": n(x(hour)), "text": f"{at:%-d %b}" if at.hour == 0 else f"{at:%H}", "day": at.hour == 0})
    return told


def _lane(plan: Plan, key: str, k: int, judged: Judged, beside: Judged | None) -> dict:
    """A vessel's level between its usable limits, with how sure it is; where it meets one."""
    v = plan.state.vessels[key]
    full, top = v.vessel.full_t, VESSEL_TOP + k * (VESSEL_H + VESSEL_GAP)
    y = lambda t: top + VESSEL_H * (1.0 - max(0.0, min(1.0, t / full)))  # noqa: E731
    c = judged.courses[key]
    fed = plan.state.full_rates[key][0] if key in plan.state.full_rates else v.rate_in
    vessel = type("V", (), {"fed_t_h": fed, "full_t": full})
    ends = c.points[-1][0]
    hours = [*(BAND_STEP_H * i for i in range(int(ends / BAND_STEP_H) + 1)), ends]
    halves = [half_t(vessel, fed, h) for h in hours]
    upper = [(x(h), y(c.at(h) + half)) for h, half in zip(hours, halves, strict=True)]
    lower = [(x(h), y(c.at(h) - half)) for h, half in zip(hours, halves, strict=True)]
    met = None
    if c.first is not None:
        when = timezone.localtime(plan.state.now + timedelta(hours=c.first[1]))
        up, place = c.first[0] == "full", x(c.first[1])
        said = {"text": f"{c.first[0]} {when:%H:%M}", "text_y": n(top - 3.0 if up else top + VESSEL_H + 10.0)}
        met = {"x": n(place), "y": n(y(c.at(c.first[1]))), "up": up, "right": place > RIGHT - 90.0, **said}
    was = beside.courses.get(key) if beside is not None else None
    return {
        "name": v.vessel.name,
        "now": f"now {v.level_pct:.0f} %",
        "top": n(top),
        "name_y": n(top + 16.0),
        "now_y": n(top + 32.0),
        "usable_y": n(y(full * USABLE_HIGH_PCT / 100.0)),
        "usable_h": n(VESSEL_H * (USABLE_HIGH_PCT - USABLE_LOW_PCT) / 100.0),
        "line": polyline([(x(h), y(t)) for h, t in c.points]),
        "band": polyline(upper + lower[::-1]),
        "was": polyline([(x(h), y(t)) for h, t in was.points]) if was is not None and was.points != c.points else "",
        "met": met,
    }
