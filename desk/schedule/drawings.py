"""Cover through the run, as strings for SVG."""

import math
from datetime import timedelta

from django.utils import timezone

from desk.kit.svg import n, polyline
from desk.mill.ahead import levels_ahead

LEFT, RIGHT, LANE = 112.0, 532.0, 56.0
BAND_TOP, BAND_H = 30.0, 39.0


def cover_picture(card, state, wish, held=None) -> dict:
    """One lane for each source with a tower: level between its usable limits, the run, the planned stop, the shortage."""
    rows = [r for r in card.rows if not r.supply.spare]
    rows.sort(key=lambda r: (r.run.short_t <= 0, r.run.low_at_h))
    span = max(card.end_h + 1.5, 6.0)

    def x(h: float) -> float:
        return LEFT + (RIGHT - LEFT) * h / span

    lanes, ahead, start_h = [], levels_ahead(state), (wish.start - state.now).total_seconds() / 3600.0
    for i, r in enumerate(rows):
        top = BAND_TOP + LANE * i
        s = r.supply

        def y(content: float, top=top, s=s) -> float:
            return top + BAND_H * (s.high_t - content) / (s.high_t - s.low_t)

        points = [(x(t), min(top + BAND_H + 8, max(top - 6, y(c)))) for t, c in r.run.course.points if t <= span]
        if r.run.short_t > 0:
            points = [p for p in points if p[0] <= x(r.run.low_at_h) + 0.5]
        end_level = r.level_pct(r.run.course.at(card.end_h))
        lanes.append(
            {
                "name": s.vessel,
                "now": f"now {s.level_pct:.0f} %",
                "top": n(top),
                "h": n(BAND_H),
                "bottom": n(top + BAND_H),
                "line": polyline(points),
                "ahead": _ahead(state, ahead, s.key, start_h, x, y),
                "label_y": n(top + 16),
                "now_y": n(top + 31),
                "short": {"x": n(x(r.run.low_at_h)), "y": n(top + BAND_H), "text": f"empty {clock_at(state, r.run.low_at_h)}"}
                if r.run.short_t > 0
                else None,
                "early": {
                    "x": n(x(r.run.early_low_at_h)),
                    "y": n(top + BAND_H),
                    "text": f"low from {clock_at(state, r.run.early_low_at_h)}",
                }
                if math.isfinite(r.run.early_low_at_h)
                else None,
                "end": f"{end_level:.0f} %",
                "end_y": n(top + 24),
                "full": f"full {clock_at(state, r.run.high_at_h)}" if r.run.high_at_h < card.end_h else "",
                "full_x": n(x(min(r.run.high_at_h, span)) + 4),
                "full_y": n(top + 14),
            }
        )
    stops = []
    for stop in state.stops:
        a, b = ((w - state.now).total_seconds() / 3600.0 for w in (stop.start, stop.end))
        if a < span and b > 0:
            stops.append(
                {
                    "x": n(x(max(0.0, a))),
                    "w": n(x(min(b, span)) - x(max(0.0, a))),
                    "mid": n((x(max(0, a)) + x(min(b, span))) / 2),
                    "text": stop.what,
                }
            )
    height = BAND_TOP + LANE * len(rows) + 6
    ticks = []
    first = timezone.localtime(state.now).replace(minute=0, second=0, microsecond=0) + timedelta(hours=1)
    every = 1 if span <= 12 else 2 if span <= 24 else 6
    for k in range(0, int(span) + 1, every):
        at = first + timedelta(hours=k)
        h = (at - state.now).total_seconds() / 3600.0
        if h <= span:
            ticks.append({"x": n(x(h)), "text": f"{at:%H}"})
    return {
        "lanes": lanes,
        "stops": stops,
        "ticks": ticks,
        "axis_y": n(height),
        "tick_y": n(height + 16),
        "height": n(height + 26),
        "total": f"{height + 26:.0f}",
        "run_x": n(x(card.hours * 0 + (wish.start - state.now).total_seconds() / 3600.0)),
        "run_end": n(x(card.end_h)),
        "run_mid": n((x((wish.start - state.now).total_seconds() / 3600.0) + x(card.end_h)) / 2),
        "order": wish.order or "this order",
    }


def _ahead(state, ahead, source: str, start_h: float, x, y) -> str:
    """The band of a tower's level until the run starts, by the line as it is run; empty until that is worked out."""
    vessel = state.mill.vessels.get(state.mill.sources[source].vessel)
    if vessel is None or (found := ahead.get(vessel.key)) is None:
        return ""
    told = [
        ((t - state.now).total_seconds() / 3600.0, vessel.full_t * low / 100.0, vessel.full_t * high / 100.0)
        for t, low, high in zip(found.at, found.low, found.high, strict=True)
    ]
    told = [row for row in told if row[0] <= max(0.0, start_h)]
    if len(told) < 2:
        return ""
    upper, lower = [(x(h), y(high)) for h, _, high in told], [(x(h), y(low)) for h, low, _ in told[::-1]]
    return f"{polyline(upper)}L{polyline(lower)[1:]}Z"


def clock_at(state, hours: float) -> str:
    return timezone.localtime(state.now + timedelta(hours=hours)).strftime("%H:%M")


def small_courses(card, state) -> list[dict]:
    """The four worst towers as small curves for the printed card (158 x 60)."""
    rows = sorted((r for r in card["rows"] if r["course"]), key=lambda r: r["least"])[:4]
    made = []
    for r in rows:
        span = r["course"][-1][0] or 1.0

        def x(h, span=span):
            return 158.0 * h / span

        def y(pct):
            return 46.0 - 40.0 * pct / 100.0

        made.append(
            {
                "vessel": r["vessel"],
                "least": r["least"],
                "most": r["most"],
                "line": polyline([(x(t), y(p)) for t, p in r["course"]]),
                "low": n(y(10)),
                "high": n(y(95)),
                "start": n(x(card["start_h"])),
                "end": n(x(card["end_h"])),
            }
        )
    return made
