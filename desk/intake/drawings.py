"""The stack of a trend's panels on one time axis, as strings for SVG."""

import math
from datetime import timedelta

from django.utils import timezone

from desk.instruments.models import at
from desk.kit.svg import n, polyline
from desk.kit.templatetags.vat import figure

LEFT, RIGHT, TOP, BOTTOM = 44.0, 776.0, 24.0, 264.0
E_TOP, E_BOTTOM, R_TOP, R_BOTTOM = 334.0, 394.0, 426.0, 470.0
EVENT_Y, AXIS_Y, MOST_EVENTS, EVENT_ROOM = 292.0, 488.0, 6, 118.0
LABEL = 13.0  # room of a label beside the picture
STEPS = (10, 30, 60, 120, 360, 720, 1440, 2880, 10080, 20160, 43200)  # minutes between ticks


def _nice(low: float, high: float, count: int = 4) -> list[float]:
    span = high - low or 1.0
    raw = span / count
    mag = 10.0 ** math.floor(math.log10(raw))
    step = next(m * mag for m in (1, 2, 2.5, 5, 10) if m * mag >= raw)
    first = math.ceil(low / step) * step
    return [first + i * step for i in range(int((high - first) / step + 1e-9) + 1)]


def trend_picture(
    *, start: int, end: int, now: int, buckets, lab, band, chart, smooth, rules, events, decimals: int, ahead=()
) -> dict:
    """Main panel with bands, meter, laboratory and the hours ahead; the log's marks; EWMA; moving range; the axis."""

    def x(t: float) -> float:
        return LEFT + (RIGHT - LEFT) * (t - start) / (end - start)

    shown = [b.low for b in buckets] + [b.high for b in buckets] + [v for _, v in lab]
    if band:
        shown += [v for v in (band.low, band.high) if math.isfinite(v)]
    if chart:
        shown += [chart.low, chart.high]
    shown += [b for _, _, *band_of in ahead for b in band_of]
    low, high = (min(shown), max(shown)) if shown else (0.0, 1.0)
    pad = 0.08 * ((high - low) or abs(high) or 1.0)
    low, high = low - pad, high + pad

    def y(v: float) -> float:
        return BOTTOM - (BOTTOM - TOP) * (v - low) / (high - low)

    p: dict = {
        "grid": [{"y": n(y(v)), "text": figure(v, decimals)} for v in _nice(low, high)],
        "ticks": _ticks(start, end, x),
        "any": bool(shown),
    }
    if band:
        top, foot = (y(band.high) if math.isfinite(band.high) else TOP), (y(band.low) if math.isfinite(band.low) else BOTTOM)
        p["band"] = {
            "y": n(top),
            "h": n(foot - top),
            "high": n(top) if math.isfinite(band.high) else "",
            "low": n(foot) if math.isfinite(band.low) else "",
            "high_text": figure(band.high, decimals),
            "low_text": figure(band.low, decimals),
        }
    if chart:
        wanted = [] if band is None else [y(band.high) - 7.0, y(band.low) + 8.0]
        p["limits"] = [
            {
                "y": n(y(v)),
                "dy": n(4.0 + _aside(y(v), wanted)),
                "text": f"{word} {figure(v, decimals + (word == 'mean'))}",
                "mean": word == "mean",
            }
            for word, v in (("limit", chart.high), ("mean", chart.mean), ("limit", chart.low))
        ]
    if buckets:
        gap = 6.0 * (end - start) / 376.0 + 1_200_000.0  # a break longer than this is drawn as one
        runs: list[list] = [[buckets[0]]]
        for before, b in zip(buckets, buckets[1:], strict=False):
            if b.at_ms - before.at_ms > gap:
                runs.append([])
            runs[-1].append(b)
        p["lines"] = [polyline([(x(b.at_ms), y(b.mean)) for b in run]) for run in runs if len(run) > 1]
        p["spread"] = [
            "M"
            + "L".join(f"{n(x(b.at_ms))} {n(y(b.high))}" for b in run)
            + "L"
            + "L".join(f"{n(x(b.at_ms))} {n(y(b.low))}" for b in reversed(run))
            + "Z"
            for run in runs
            if len(run) > 1
        ]
        p["end"] = {"y": n(y(buckets[-1].mean)), "text": figure(buckets[-1].mean, decimals)}
    p["dots"] = [
        {"x": n(x(t)), "y": n(y(v)), "title": f"{timezone.localtime(at(t)):%H:%M} {figure(v, decimals)}"} for t, v in lab
    ]
    if not buckets and len(lab) > 1:
        p["through"] = polyline([(x(t), y(v)) for t, v in lab])
    if rules:
        last = rules[-1]
        run = lab[last.first : last.at + 1]
        p["run"] = polyline([(x(t), y(v)) for t, v in run]) if len(run) > 1 else f"M{n(x(run[0][0]) - 4)} {n(y(run[0][1]))}h8"
        p["run_text"] = {
            "x": n(min(RIGHT - 120.0, x(run[0][0]))),
            "y": n(max(TOP + 12.0, min(y(v) for _, v in run) - 16.0)),
            "text": last.text,
        }
    if ahead:
        foot, head = [(x(t), y(b)) for t, _, b, _ in ahead], [(x(t), y(b)) for t, _, _, b in ahead]
        p["ahead"] = {
            "line": polyline([(x(t), y(v)) for t, v, *_ in ahead]),
            "band": f"{polyline(head)}L{polyline(foot[::-1])[1:]}Z" if foot != head else "",
            "y": n(y(ahead[-1][1])),
            "text": figure(ahead[-1][1], decimals),
        }
    p["events"] = _events(events, x)
    if smooth and len(smooth) > 1:
        p |= _smooth(smooth, lab, chart, x, decimals)
        p |= _ranges(lab, chart, x)
    if start <= now <= end:
        p["now"] = n(x(now))
    p["summary"] = f"{len(lab)} laboratory results and {sum(b.n for b in buckets)} readings" + (
        f", mean {figure(chart.mean, decimals + 1)}" if chart else ""
    )
    return p


def _aside(at_y: float, taken: list[float]) -> float:
    """How far a label is moved so that it does not lie on another."""
    near = next((t for t in taken if math.isfinite(t) and abs(at_y - t) < LABEL), None)
    return 0.0 if near is None else near + math.copysign(LABEL, at_y - near) - at_y


def _ticks(start: int, end: int, x) -> list[dict]:
    minutes = (end - start) / 60_000.0
    step = next((s for s in STEPS if minutes / s <= 10), STEPS[-1])
    local = timezone.localtime(at(start)).replace(second=0, microsecond=0)
    first = local.replace(hour=0, minute=0)
    ticks, when = [], first
    while when.timestamp() * 1000 <= end and len(ticks) < 40:
        t = when.timestamp() * 1000
        if t >= start:
            midnight = when.hour == 0 and when.minute == 0
            ticks.append(
                {"x": n(x(t)), "text": f"{when:%-d %b}" if step >= 1440 or midnight else f"{when:%H:%M}", "day": midnight}
            )
        when += timedelta(minutes=step)
    return ticks


def _events(events, x) -> list[dict]:
    """Notes and acts on leaders; those that would lie on each other are left to the table of the log."""
    result: list[dict] = []
    for t, words, kind in reversed(events):
        at_x = x(t)
        if all(abs(at_x - e["at"]) > EVENT_ROOM for e in result):
            text = words if len(words) <= 19 else words[:18] + "…"
            result.append(
                {"at": at_x, "x": n(at_x), "text": text, "hand": kind == "remark", "tx": n(min(at_x + 5, RIGHT - 96.0))}
            )
        if len(result) == MOST_EVENTS:
            break
    return result


def _smooth(smooth, lab, chart, x, decimals: int) -> dict:
    reach = max([w for _, w in smooth] + [abs(z - chart.mean) for z, _ in smooth]) * 1.15 or 1.0

    def y(v: float) -> float:
        return (E_TOP + E_BOTTOM) / 2 - (E_BOTTOM - E_TOP) / 2 * (v - chart.mean) / reach

    times = [t for t, _ in lab]
    points = [(x(t), y(z)) for t, (z, _) in zip(times, smooth, strict=True)]
    return {
        "ewma": {
            "line": polyline(points),
            "high": polyline([(x(t), y(chart.mean + w)) for t, (_, w) in zip(times, smooth, strict=True)]),
            "low": polyline([(x(t), y(chart.mean - w)) for t, (_, w) in zip(times, smooth, strict=True)]),
            "mean": n(y(chart.mean)),
            "past": [
                {"x": n(px), "y": n(py)} for (px, py), (z, w) in zip(points, smooth, strict=True) if abs(z - chart.mean) > w
            ],
            "text": figure(smooth[-1][0], decimals + 1),
            "text_y": n(points[-1][1] + 4),
        }
    }


def _ranges(lab, chart, x) -> dict:
    moved = [(t, abs(v - before)) for (_, before), (t, v) in zip(lab, lab[1:], strict=False)]
    high = max([r for _, r in moved] + [chart.range_high]) * 1.1

    def y(v: float) -> float:
        return R_BOTTOM - (R_BOTTOM - R_TOP) * v / high

    return {
        "ranges": {
            "bars": [{"x": n(x(t)), "y": n(y(r))} for t, r in moved],
            "limit": n(y(chart.range_high)),
            "foot": n(R_BOTTOM),
            "text": f"{chart.range_high:.3g}",
        }
    }
