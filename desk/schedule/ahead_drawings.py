"""Levels ahead as lanes, and the furnish at the machine against its card; strings for SVG."""

from datetime import timedelta

import numpy as np
from django.utils import timezone

from core.colour import brightness_from_ks
from core.stock.cover import USABLE_HIGH_PCT, USABLE_LOW_PCT
from core.through.ahead import Course, Sure
from desk.kit.svg import n, polyline
from desk.kit.templatetags.vat import figure
from desk.mill.drawings import hex_of

LEFT, RIGHT, TOP = 132.0, 560.0, 30.0
LANE, LANE_H = 40.0, 30.0
SHOWN = (("freeness", "Freeness", "mL", 0), ("brightness", "Brightness", "% ISO", 1))
PLOT_H = 58.0


def _clock(state, hours: float) -> str:
    return f"{state.now + timedelta(hours=hours):%H:%M}"


def _points(course: Course, values: np.ndarray) -> list[tuple[float, float]]:
    """Hours and values, gaps left out."""
    kept = [i for i in range(len(course.hours)) if np.isfinite(values[i])]
    return [(float(course.hours[i]), float(values[i])) for i in kept]


def _runs(course: Course, values: np.ndarray, x, y) -> str:
    """The same as a line that is broken where nothing is known."""
    told, run = [], []
    for i in range(len(course.hours)):
        if np.isfinite(values[i]):
            run.append((x(float(course.hours[i])), y(float(values[i]))))
        elif run:
            told, run = [*told, polyline(run)], []
    return "".join([*told, polyline(run)] if run else told)


def ahead_picture(
    state, course: Course, beside: Course | None, vessels: list[tuple[str, str, str]], chance: Sure | None = None
) -> dict:
    """A lane for each vessel that moves, soonest to a limit first, then freeness and brightness into the machine; with their
    bands by chance where they were run."""
    span = float(course.hours[-1])

    def x(hours: float) -> float:
        return LEFT + (RIGHT - LEFT) * min(span, max(0.0, hours)) / span

    def soonest(row: tuple[str, str, str]) -> tuple[float, float]:
        met = course.first(row[2], USABLE_LOW_PCT, USABLE_HIGH_PCT)
        level, _ = course.level_of(row[2])
        return (met[1] if met else 1e9, -float(np.ptp(level)))

    lanes = []
    for i, (key, name, unit) in enumerate(sorted(vessels, key=soonest)):
        top = TOP + LANE * i

        def y(pct: float, top: float = top) -> float:
            return top + LANE_H * (1.0 - min(100.0, max(0.0, pct)) / 100.0)

        level, half = course.level_of(unit)
        line = _points(course, level)
        low, high = chance.within(unit) if chance is not None else (level - half, level + half)
        up, down = _points(course, high), _points(course, low)
        met = course.first(unit, USABLE_LOW_PCT, USABLE_HIGH_PCT)
        other = _points(course, beside.level_of(unit)[0]) if beside is not None else []
        lanes.append(
            {
                "key": key,
                "name": name,
                "top": n(top),
                "h": n(LANE_H),
                "text_y": n(top + 13),
                "now_y": n(top + 27),
                "hex": hex_of(state, state.mill.vessels[key].unit),
                "band_y": n(y(USABLE_HIGH_PCT)),
                "band_h": n(y(USABLE_LOW_PCT) - y(USABLE_HIGH_PCT)),
                "sure": polyline([(x(h), y(v)) for h, v in up] + [(x(h), y(v)) for h, v in reversed(down)]) + "Z",
                "line": polyline((x(h), y(v)) for h, v in line),
                "beside": polyline((x(h), y(v)) for h, v in other) if other else "",
                "now": f"{level[0]:.0f} %",
                "end": f"{level[-1]:.0f} %",
                "met": {"x": n(x(met[1])), "way": met[0], "text": _clock(state, met[1])} if met else None,
            }
        )
    foot = TOP + LANE * len(lanes)
    plots = _plots(state, course, beside, foot + 26.0, x, chance)
    stops = []
    for s in state.stops:
        a, b = ((t - state.now).total_seconds() / 3600.0 for t in (s.start, s.end))
        if a < span and b > 0.0:
            stops.append({"x": n(x(a)), "w": n(x(b) - x(a)), "text": s.what, "mid": n((x(a) + x(b)) / 2)})
    first = timezone.localtime(state.now).replace(minute=0, second=0, microsecond=0) + timedelta(hours=1)
    marks = [first + timedelta(hours=2 * k) for k in range(int(span // 2) + 1)]
    told = [((at - state.now).total_seconds() / 3600.0, f"{at:%H:%M}") for at in marks]
    whole = foot + 26.0 + (PLOT_H + 30.0) * len(plots)
    return {
        "lanes": lanes,
        "plots": plots,
        "stops": stops,
        "ticks": [{"x": n(x(h)), "text": text} for h, text in told if h <= span],
        "tick_y": n(foot + 14),
        "foot": n(foot),
        "height": n(whole),
        "stop_h": n(whole - TOP - 20.0),
        "left": n(LEFT),
        "right": n(RIGHT),
        "wide": n(RIGHT - LEFT),
    }


def _values(course: Course, test: str) -> np.ndarray:
    """Freeness or brightness of what enters the first that is watched."""
    if not course.watched:
        return np.empty(0)
    return course.csf_ml[:, 0] if test == "freeness" else _bright(course.ks457[:, 0])


def _bright(ks457: np.ndarray) -> np.ndarray:
    """% ISO of k/s, nan where it is not known."""
    return np.array([brightness_from_ks(max(0.0, k)) if np.isfinite(k) else np.nan for k in ks457.ravel()]).reshape(ks457.shape)


def _between(course: Course, chance: Sure | None, test: str, x, y) -> str:
    """10 to 90 % of the runs by chance, where most of them have anything to tell."""
    if chance is None or not chance.csf_ml.size:
        return ""
    told = chance.csf_ml if test == "freeness" else _bright(chance.ks457)
    known = np.isfinite(_values(course, test)) & (np.isfinite(told).sum(axis=0) > 0.5 * chance.runs)
    kept = np.flatnonzero(known)
    if not len(kept):
        return ""
    low, high = (np.nanpercentile(told[:, kept], part, axis=0) for part in (10.0, 90.0))
    hours = course.hours[kept]
    up = [(x(float(h)), y(float(v))) for h, v in zip(hours, high, strict=True)]
    down = [(x(float(h)), y(float(v))) for h, v in zip(hours[::-1], low[::-1], strict=True)]
    return polyline([*up, *down]) + "Z"


def _plots(state, course: Course, beside: Course | None, top: float, x, chance: Sure | None) -> list[dict]:
    """Freeness and brightness of what enters the machine's chest, with the card's band."""
    made = []
    for test, title, unit, decimals in SHOWN:
        row = state.mill.plan.get(f"{state.mill.roles.point}.{test}")
        own = _values(course, test)
        if row is None or not len(own) or not np.isfinite(own).any():
            continue
        band = state.mill.band(row, state.grade)
        other = _values(beside, test) if beside is not None else np.empty(0)
        limits = [v for v in (band.low, band.high) if v is not None]
        told = [*own[np.isfinite(own)].tolist(), *other[np.isfinite(other)].tolist(), *limits]
        low, high = min(told), max(told)
        pad = max(1e-6, 0.12 * (high - low))
        low, high = low - pad, high + pad
        begin = top + (PLOT_H + 30.0) * len(made)

        def y(v: float, begin: float = begin, low: float = low, high: float = high) -> float:
            return begin + 16.0 + PLOT_H * (high - v) / (high - low)

        inner = (band.low if band.low is not None else low, band.high if band.high is not None else high)
        known = np.flatnonzero(np.isfinite(own))
        out = np.flatnonzero((own < inner[0]) | (own > inner[1]))
        last = float(own[known[-1]])
        made.append(
            {
                "title": title,
                "unit": unit,
                "title_y": n(begin + 10),
                "band": {"y": n(y(inner[1])), "h": n(y(inner[0]) - y(inner[1]))},
                "sure": _between(course, chance, test, x, y),
                "line": _runs(course, own, x, y),
                "beside": _runs(beside, other, x, y) if beside is not None else "",
                "end": figure(last, decimals),
                "end_y": n(y(last) + 4),
                "low": {"y": n(y(inner[0]) + 4), "text": figure(inner[0], decimals)},
                "high": {"y": n(y(inner[1]) + 4), "text": figure(inner[1], decimals)},
                "leaves": _clock(state, float(course.hours[out[0]])) if len(out) and out[0] > 0 else "",
            }
        )
    return made
