"""Whether a stop of what fills a vessel fits: its feed by the hour, the longest that does, what else would have to give way."""

from datetime import timedelta

from django.shortcuts import render
from django.views.decorators.http import require_safe

from core.errors import ImpossibleInput, Infeasible
from core.plan.silo import WORDS, Feed, SiloCase, SiloFound, conflict, longest_stop, plan_silo, reliefs
from core.stock.cover import USABLE_HIGH_PCT, USABLE_LOW_PCT
from core.unit import Worked
from desk.kit.bench import Well, read_wells, render_bench
from desk.kit.svg import n, polyline
from desk.mill.context import state_of

HOURS = 48.0
LEFT, RIGHT, TOP, HIGH, FEED_TOP, FEED_H = 60.0, 840.0, 20.0, 200.0, 250.0, 60.0
STEPS = (0.0, 0.5, 0.8, 1.0)  # of what comes in now, that a feed is set to
MORE = 1.1  # and the most it can be raised to, default


def _wells(feed_t_h: float) -> tuple[Well, ...]:
    return (
        Well("stop_in", "It stops in", "h", 4, 0, 47),
        Well("stop_for", "and for", "h", 8, 0, 48),
        Well("most", "Feed at most", "t/h OD", round(MORE * feed_t_h, 2), 0, 1e4),
        Well("end", "At the end at least", "%", 20, 0, 100),
    )


@require_safe
def stop_fits(request):
    """A stop tried on a vessel as it stands."""
    state = state_of(request)
    if state is None:
        return render(request, "no_mill.html")
    vessels = {
        source.vessel: state.vessels[source.vessel]
        for source in state.mill.sources.values()
        if source.vessel in state.vessels and not source.spare
    }
    if not vessels:
        return render_bench(request, "schedule/fits", {"vessels": {}, "wells": [], "errors": []})
    key = request.GET.get("vessel", "")
    key = key if key in vessels else next(iter(vessels))
    v = vessels[key]
    fed, drawn = state.full_rates.get(key, (v.rate_in, v.rate_out))
    wells, told = read_wells(request.GET, _wells(fed))
    context = {
        "vessels": {k: x.vessel.name for k, x in vessels.items()},
        "key": key,
        "v": v,
        "wells": wells,
        "fed": fed,
        "drawn": drawn,
        "errors": [w["error"] for w in wells if w["error"]],
    }
    if not context["errors"]:
        context |= _answer(state, v, fed, drawn, told)
    return render_bench(request, "schedule/fits", context)


def _answer(state, v, fed: float, drawn: float, told: dict[str, float]) -> dict:
    """What the wells ask: the feeds, or the rules that cannot hold together."""
    full = v.vessel.full_t
    low, high = (pct / 100.0 * full for pct in (USABLE_LOW_PCT, USABLE_HIGH_PCT))
    feeds = sorted({round(s * fed, 3) for s in STEPS} | {round(told["most"], 3)})
    case = SiloCase(
        now_t=min(high, max(low, v.content_t)),
        least_t=low,
        most_t=high,
        draw_t_h=drawn,
        feed_t_h=round(fed, 3),
        feeds=tuple(Feed(t_h=f) for f in feeds if f <= told["most"] + 1e-9),
        hours=HOURS,
        stop_h=float(round(told["stop_in"])),
        stop_for_h=float(round(told["stop_for"])),
        end_t=told["end"] / 100.0 * full,
    )
    try:
        found = plan_silo(case)
    except ImpossibleInput as refusal:
        return {"errors": [str(refusal)]}
    longest = longest_stop(case)
    holds = isinstance(found, SiloFound) and found.short_t <= 1e-6
    result = {"case": case, "holds": holds, "longest": longest, "outside": not low <= v.content_t <= high}
    if holds:
        result["found"] = Worked(model="schedule.silo", case=case, result=found)
        result["steps"] = _steps(state, case, found)
        result["p"] = _picture(case, found, full)
        return result
    rules = conflict(case)
    result["rules"] = [WORDS[r] for r in rules]
    result["reliefs"] = [r.words for r in reliefs(case)]
    result["why"] = found.reason if isinstance(found, Infeasible) else ""
    result["p"] = _picture(case, found, full) if isinstance(found, SiloFound) else None
    return result


def _steps(state, case: SiloCase, found: SiloFound) -> list[dict]:
    """When its feed is set to what."""
    told, before = [], case.feed_t_h
    for hour, feed in enumerate(found.feeds):
        if abs(feed - before) > 1e-9:
            stops = case.stops(hour)
            told.append({"at": state.now + timedelta(hours=hour), "t_h": feed, "stop": stops})
        before = feed
    return told


def _picture(case: SiloCase, found: SiloFound, full: float) -> dict:
    """The level over the hours, and the feed beneath it."""
    x = lambda h: LEFT + (RIGHT - LEFT) * h / case.hours  # noqa: E731
    y = lambda t: TOP + HIGH * (1.0 - max(0.0, min(1.0, t / full)))  # noqa: E731
    level, points = case.now_t, [(x(0.0), y(case.now_t))]
    for hour, feed in enumerate(found.feeds):
        level = max(0.0, level + feed - case.draw_t_h)
        points.append((x(hour + 1.0), y(level)))
    most = max([*found.feeds, case.draw_t_h, 1e-9])
    bars = [
        {"x": n(x(h)), "w": n(x(1.0) - x(0.0)), "y": n(FEED_TOP + FEED_H * (1.0 - f / most)), "h": n(FEED_H * f / most)}
        for h, f in enumerate(found.feeds)
    ]
    return {
        "line": polyline(points),
        "band_y": n(y(case.most_t)),
        "band_h": n(y(case.least_t) - y(case.most_t)),
        "end_y": n(y(case.end_t)),
        "stop": {"x": n(x(case.stop_h)), "w": n(x(min(case.hours, case.stop_h + case.stop_for_h)) - x(case.stop_h))},
        "bars": bars,
        "draw_y": n(FEED_TOP + FEED_H * (1.0 - case.draw_t_h / most)),
        "ticks": [{"x": n(x(h)), "text": f"{h:.0f} h"} for h in range(0, int(case.hours) + 1, 6)],
    }
