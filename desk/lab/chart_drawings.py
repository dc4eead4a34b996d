"""A control chart on one axis of points: values with phases and limits, ranges, the smoothed mean; the year below it."""

import math
from collections.abc import Sequence
from datetime import datetime, timedelta

from django.utils import timezone

from desk.kit.svg import n, polyline, ticks
from desk.kit.templatetags.vat import figure
from desk.lab.charts import Drawn
from desk.log.models import Record

LEFT, RIGHT, TOP, BOTTOM = 44.0, 776.0, 44.0, 256.0
SAID_Y, R_TOP, R_BOTTOM, E_TOP, E_BOTTOM = 276.0, 326.0, 382.0, 418.0, 474.0
YEAR_TOP, YEAR_BOTTOM = 20.0, 56.0
LABELS, WORD_PX, MOST_WORDS = 8, 7.2, 26


def _scale(values: list[float], top: float, bottom: float, pad: float = 0.08):
    """y of a value, so that all of these are shown."""
    low, high = (min(values), max(values)) if values else (0.0, 1.0)
    room = pad * ((high - low) or abs(high) or 1.0)
    low, high = low - room, high + room
    return lambda v: bottom - (bottom - top) * (v - low) / (high - low)


def _ends(values: list[float]) -> tuple[float, float]:
    return min(values), max(values)


def chart_picture(told: Drawn, band, decimals: int, marks: Sequence[Record] = ()) -> dict:
    """Strings for SVG (width 860, height 506). `marks`: what the log tells of between the points, drawn where it came."""
    points, values = told.points, [p.value for p in told.points]
    charts = [p.begun for p in told.phases]
    back, forth = told.back, told.forth
    wanted = [forth(v) for v in (band.low, band.high) if math.isfinite(v)] if band is not None else []
    y = _scale(values + wanted + [v for c in charts if c is not None for v in (c.low, c.high)], TOP, BOTTOM)
    step = (RIGHT - LEFT - 20.0) / max(1, len(points) - 1)

    def x(i: float) -> float:
        return LEFT + 10.0 + step * i

    marked = sorted({i for s in told.signals for i in range(s.first, s.at + 1)})
    ends = [back(v) for v in _ends(values + wanted)] if values else []
    grid = [{"y": n(y(forth(v))), "text": figure(v, decimals)} for v in ticks(*ends)] if values else []
    p: dict = {"grid": grid, "count": len(points), "band": _band(band, y, forth), "phases": [], "marks": [], "dots": []}
    for k, (phase, record) in enumerate(zip(told.phases, told.records, strict=True)):
        word = lambda value: figure(back(value), decimals)  # noqa: E731
        p["phases"].append(_phase(phase, record, k, x, y, step, word, newest=k == len(told.phases) - 1))
    p["lines"] = [polyline([(x(i), y(values[i])) for i in range(f.first, f.end)]) for f in told.phases if f.end - f.first > 1]
    p["marks"] = [polyline([(x(i), y(values[i])) for i in run]) for run in _runs(marked)]
    shown_at = lambda when: f"{timezone.localtime(when):%d %b %H:%M}"  # noqa: E731
    p["dots"] = [
        {"x": n(x(i)), "y": n(y(pt.value)), "title": f"{figure(back(pt.value), decimals)}, {shown_at(pt.at)}", "pk": pt.pk}
        for i, pt in enumerate(points)
    ]
    every = max(1, math.ceil(len(points) / LABELS))
    form = "%-d %b %H:%M" if len({timezone.localtime(pt.at).date() for pt in points}) > 1 else "%H:%M"
    p["labels"] = [
        {"x": n(x(i)), "text": timezone.localtime(points[i].at).strftime(form)} for i in range(0, len(points), every)
    ]
    p["ranges"] = _ranges(told, x, decimals)
    p["ewma"] = _ewma(told, x, decimals)
    standing = told.standing
    p["log"] = [
        {"x": n(x(sum(pt.at < m.at for pt in points) - 0.5)), "pk": m.pk, "title": f"{m.says}, {shown_at(m.at)}"} for m in marks
    ]
    p["said"] = _said(standing[-1].text, x(standing[-1].first)) if standing else None
    return p


def _said(text: str, left: float) -> dict:
    return {"text": text, "x": n(min(left, RIGHT - WORD_PX * len(text))), "y": n(SAID_Y)}


def _band(band, y, forth) -> dict | None:
    if band is None or not (math.isfinite(band.low) or math.isfinite(band.high)):
        return None
    top = y(forth(band.high)) if math.isfinite(band.high) else TOP
    foot = y(forth(band.low)) if math.isfinite(band.low) else BOTTOM
    return {
        "y": n(top),
        "h": n(foot - top),
        "high": {"y": n(top), "value": band.high} if math.isfinite(band.high) else None,
        "low": {"y": n(foot), "value": band.low} if math.isfinite(band.low) else None,
    }


def _phase(phase, record, k: int, x, y, step: float, figured, *, newest: bool) -> dict:
    """Where a phase begins, its word, and its limits, each value as it is `figured`."""
    left = x(phase.first) - step / 2.0 if phase.first else LEFT
    right = RIGHT if newest else x(phase.end - 1) + step / 2.0
    word = f"phase {k + 1}"
    if record is not None:
        word += f": {record.words}"
    most = max(0, int((right - left) / WORD_PX) - 1)
    narrow = newest and most < len(word)  # its words then end at the right edge
    told = {
        "x": n(left),
        "begun": record is not None and phase.first > 0,
        "text": word[: MOST_WORDS if narrow else min(MOST_WORDS, most)],
        "text_x": n(right if narrow else left + 6.0),
        "anchor": "end" if narrow else "start",
        "limits": [],
    }
    if (chart := phase.begun) is not None:
        for what, value in (("limit", chart.high), ("mean", chart.mean), ("limit", chart.low)):
            label = f"{what} {figured(value)}" if newest else ""
            told["limits"].append(
                {"d": f"M{n(left)} {n(y(value))}H{n(right)}", "mean": what == "mean", "y": n(y(value)), "label": label}
            )
    return told


def _runs(places: list[int]) -> list[list[int]]:
    """Neighbouring places together; a lone one twice, so that it is drawn."""
    told: list[list[int]] = []
    for i in places:
        if told and told[-1][-1] == i - 1:
            told[-1].append(i)
        else:
            told.append([i])
    return [run if len(run) > 1 else [run[0], run[0]] for run in told]


def _ranges(told: Drawn, x, decimals: int) -> dict:
    most = max([r for r in told.ranges if r is not None] + [p.begun.range_high for p in told.phases if p.begun], default=1.0)
    y = lambda v: R_BOTTOM - (R_BOTTOM - R_TOP) * v / (most * 1.06 or 1.0)  # noqa: E731
    bars = [{"x": n(x(i)), "y": n(y(r))} for i, r in enumerate(told.ranges) if r is not None]
    limits = []
    for p in told.phases:
        if p.begun is not None:
            limits.append(f"M{n(x(p.first) - 4.0)} {n(y(p.begun.range_high))}H{n(x(p.end - 1) + 4.0)}")
    chart = told.chart
    label = {"y": n(y(chart.range_high)), "text": f"limit {figure(chart.range_high, decimals)}"} if chart is not None else None
    return {"bars": bars, "limits": limits, "label": label, "foot": n(R_BOTTOM)}


def _ewma(told: Drawn, x, decimals: int) -> dict | None:
    spread = [
        v
        for p, s in zip(told.phases, told.smooth, strict=True)
        if p.begun
        for z, h in s
        for v in (z, p.begun.mean + h, p.begun.mean - h)
    ]
    if not spread:
        return None
    y = _scale(spread, E_TOP, E_BOTTOM)
    lines, limits, past = [], [], []
    for p, smooth in zip(told.phases, told.smooth, strict=True):
        if p.begun is None or len(smooth) < 2:
            continue
        mean = p.begun.mean
        lines.append(polyline([(x(p.first + i), y(z)) for i, (z, _) in enumerate(smooth)]))
        limits += [polyline([(x(p.first + i), y(mean + side * h)) for i, (_, h) in enumerate(smooth)]) for side in (1.0, -1.0)]
        heard = told.heard
        past += [
            {"x": n(x(p.first + i)), "y": n(y(z))}
            for i, (z, h) in enumerate(smooth)
            if heard.smooth and abs(z - mean) > h and heard.hears(1 if z > mean else -1)
        ]
    last = told.smooth[-1][-1][0] if told.smooth and told.smooth[-1] else None
    end = {"text": figure(told.back(last), decimals + 1), "y": n(y(last))} if last is not None else None
    return {"lines": lines, "limits": limits, "past": past, "end": end}


def year_picture(days: list, start: datetime, end: datetime, now: datetime) -> dict | None:
    """Each day's mean of the year, and the stretch that is shown."""
    if len(days) < 2:
        return None
    first = now - timedelta(days=365)

    def x(when: datetime) -> float:
        return LEFT + (RIGHT - LEFT) * max(0.0, min(1.0, (when - first) / (now - first)))

    zone = timezone.get_current_timezone()
    y = _scale([mean for _, mean in days], YEAR_TOP, YEAR_BOTTOM)
    at = [(x(datetime(d.year, d.month, d.day, 12, tzinfo=zone)), y(mean)) for d, mean in days]
    months = [first + timedelta(days=k) for k in range(366) if timezone.localtime(first + timedelta(days=k)).day == 1]
    left, right = x(start), max(x(end), x(start) + 3.0)
    return {
        "line": polyline(at),
        "left": n(left),
        "width": n(right - left),
        "right": n(right),
        "months": [{"x": n(x(m)), "text": f"{timezone.localtime(m):%b}"} for m in months[::2]],
        "from": round(first.timestamp() * 1000),
        "to": round(now.timestamp() * 1000),
    }
