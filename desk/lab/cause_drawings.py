"""Strips of what a reading met, each moved by its lag so that a column is one result, with each one's share at its end."""

import math

from django.utils import timezone

from core.lab.methods import TESTS
from desk.kit.svg import n, polyline, ticks
from desk.kit.templatetags.vat import figure, hm
from desk.lab.causes import SHOWN, Share, Told

NAMES, LEFT, RIGHT = 14.0, 218.0, 618.0
B_LEFT, B_RIGHT, PART_X, HALF_X = 652.0, 812.0, 858.0, 904.0
TOP, BOTTOM, FIRST, STRIP = 58.0, 140.0, 160.0, 54.0
LABELS, NAME_MOST, SUB_MOST = 8, 26, 18


def _x(count: int):
    step = (RIGHT - LEFT) / max(1, count)
    return (lambda i: LEFT + step * (i + 0.5)), step


def cause_picture(told: Told, band, by_clock: bool) -> dict:
    """Strings for SVG, 904 wide; `height` says how high."""
    shown = told.shares[:SHOWN]
    count = len(told.points)
    x, step = _x(count)
    test = TESTS[told.row.test]
    reading = _reading(told, band, x, step, test.decimals)
    scale = _shares_scale(told)
    strips = [_strip(s, k, x, step, scale, told.now, by_clock) for k, s in enumerate(shown)]
    foot = FIRST + STRIP * len(shown)
    sums = _sums(told, scale, foot)
    bar = None if scale is None else [{"x": n(scale(v)), "text": figure(v, _places(told))} for v in _ticks(told)]
    now = {"x": n(x(count - told.now) - step / 2.0), "w": n(step * told.now), "h": n(foot + 20.0 - TOP)}
    every = max(1, math.ceil(count / LABELS))
    labels = [_label(told.points[i], x(i), i >= count - told.now) for i in range(count - 1, -1, -every)]
    return {
        "reading": reading,
        "strips": strips,
        "sums": sums,
        "ticks": bar or [],
        "zero": n(scale(0.0)) if scale is not None else "",
        "now": now,
        "labels": labels,
        "foot": n(foot),
        "height": n(foot + (112.0 if sums else 24.0)),
        "unit": test.unit or "points",
    }


def _label(point, at: float, now: bool) -> dict:
    local = timezone.localtime(point.at)
    return {"x": n(at), "day": f"{local:%-d %b}", "text": f"{local:%H:%M}", "now": now}


def _reading(told: Told, band, x, step: float, decimals: int) -> dict:
    values = [p.value for p in told.points]
    edges = [v for v in (band.low, band.high) if math.isfinite(v)] if band is not None else []
    low, high = min(values + edges), max(values + edges)
    pad = 0.12 * ((high - low) or 1.0)
    y = lambda v: BOTTOM - (BOTTOM - TOP) * (v - low + pad) / (high - low + 2.0 * pad)  # noqa: E731
    every = max(1, math.ceil(len(values) / LABELS))
    told_at = set(range(len(values) - 1, -1, -every))
    wanted = None
    if edges:
        top = y(band.high) if math.isfinite(band.high) else TOP
        foot = y(band.low) if math.isfinite(band.low) else BOTTOM
        wanted = {"y": n(top), "h": n(foot - top)}
    return {
        "line": polyline([(x(i), y(v)) for i, v in enumerate(values)]) if len(values) > 1 else "",
        "dots": [
            {
                "x": n(x(i)),
                "y": n(y(v)),
                "text": figure(v, decimals) if i in told_at else "",
                "now": i >= len(values) - told.now,
            }
            for i, v in enumerate(values)
        ],
        "band": wanted,
        "mean": n(y(told.before)) if told.drift is not None else "",
        "grid": [{"y": n(y(v)), "text": figure(v, decimals)} for v in ticks(low, high, most=4)],
        "left": n(LEFT),
        "right": n(RIGHT),
        "width": n(RIGHT - LEFT),
    }


def _all_half(told: Told) -> float:
    """The error of all parts together, as if each stood alone."""
    return 1.96 * math.sqrt(sum(s.sd**2 for s in told.shares))


def _ends(told: Told) -> tuple[float, float]:
    """What the bars must show: the drift, the sum and every part with its error; one far out wider than all others is cut."""
    assert told.drift is not None
    spans = [(s.part, s.half) for s in told.shares[:SHOWN]] + [(told.explained, _all_half(told)), (told.rest, told.rest_half)]
    spans.append((told.drift.d, 1.96 * told.drift.sd))
    low, high = min(p - h for p, h in spans), max(p + h for p, h in spans)
    return min(0.0, low), max(0.0, high)


def _shares_scale(told: Told):
    if told.worked is None:
        return None
    low, high = _ends(told)
    whole = (high - low) or 1.0
    return lambda v: B_LEFT + (B_RIGHT - B_LEFT) * (v - low) / whole


def _ticks(told: Told) -> list[float]:
    return ticks(*_ends(told), most=4)


def _places(told: Told) -> int:
    steps = _ticks(told)
    gap = min((b - a for a, b in zip(steps, steps[1:], strict=False)), default=1.0)
    return max(0, -math.floor(math.log10(gap))) if gap > 0.0 else 0


def _bar(scale, part: float, half: float, y: float) -> dict:
    a, b = sorted((scale(0.0), scale(part)))
    return {
        "x": n(a),
        "w": n(max(0.8, b - a)),
        "y": n(y),
        "mid": n(y + 7.0),
        "whisker": f"M{n(scale(part - half))} {n(y + 7.0)}H{n(scale(part + half))}"
        f"M{n(scale(part - half))} {n(y + 3.0)}v8M{n(scale(part + half))} {n(y + 3.0)}v8",
    }


def _strip(s: Share, k: int, x, step: float, scale, now: int, by_clock: bool) -> dict:
    top = FIRST + STRIP * k
    values = s.by_clock if by_clock else s.met_at
    low, high = min(values), max(values)
    y = lambda v: top + 40.0 - 24.0 * ((v - low) / (high - low) if high > low else 0.5)  # noqa: E731
    path = [(x(0) - step / 2.0, y(values[0]))]
    for i, v in enumerate(values):
        path += [(x(i) - step / 2.0, y(v)), (x(i) + step / 2.0, y(v))]
    places, last = s.thing.decimals, len(values) - 1
    first_y, last_y = y(values[0]), y(values[last])
    lag = "at the reading itself" if s.thing.way.hours < 0.05 else f"{hm(s.thing.way.hours)} before"
    return {
        "number": k + 1,
        "title": _cut(s.thing.place, NAME_MOST),
        "whole": s.thing.title,
        "sub": f"{_cut(s.thing.what, SUB_MOST)}; {lag}",
        "y": n(top),
        "name_y": n(top + 22.0),
        "sub_y": n(top + 39.0),
        "line": polyline(path),
        "first": {"x": n(LEFT + 2.0), "y": n(_beside(first_y, top)), "text": figure(values[0], places)},
        "met": {"x": n(x(last)), "y": n(_beside(last_y, top)), "text": figure(values[last], places)},
        "note": {
            "x": n(x(last - now + 1) - step / 2.0 - 6.0),
            "y": n(top + (47.0 if last_y < top + 27.0 else 14.0)),
            "text": s.note,
        },
        "bar": _bar(scale, s.part, s.half, top + 20.0),
        "part": _signed(s.part, _part_places(s)),
        "half": f"± {figure(s.half, _part_places(s))}",
        "seen": s.seen,
    }


def _cut(text: str, most: int) -> str:
    return text if len(text) <= most else f"{text[: most - 1]}…"


def _beside(y: float, top: float) -> float:
    """Where the figure of a line stands: under one in the upper half of its strip, over any other."""
    return y + 14.0 if y < top + 27.0 else y - 5.0


def _part_places(s: Share) -> int:
    return 2 if abs(s.part) < 1.0 and s.half < 1.0 else 1


def _signed(value: float, places: int) -> str:
    text = figure(value, places)
    return f"+{text}" if value > 0.0 else text


def _sums(told: Told, scale, foot: float) -> list[dict]:
    """All parts together, what was observed, and the rest."""
    if scale is None or told.drift is None or told.worked is None:
        return []
    inside = abs(told.rest) <= told.rest_half
    places = 2 if abs(told.drift.d) < 1.0 else 1
    all_half = _all_half(told)
    rows = (
        ("All that models tell", f"{len(told.shares)} causes", told.explained, all_half, "bar"),
        ("Observed", "newest against before", told.drift.d, 1.96 * told.drift.sd, "barn"),
        ("Rest, unexplained", "inside its error" if inside else "more than its error", told.rest, told.rest_half, "barq"),
    )
    return [
        {
            "name": name,
            "sub": sub,
            "y": n(foot + 21.0 + 28.0 * k),
            "bar": _bar(scale, value, half, foot + 10.0 + 28.0 * k),
            "shape": shape,
            "part": _signed(value, places),
            "half": f"± {figure(half, places)}",
            "sub_x": n(NAMES + 7.7 * len(name) + 10.0),
        }
        for k, (name, sub, value, half, shape) in enumerate(rows)
    ]
