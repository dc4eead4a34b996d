"""Strings for SVG attributes: coordinates never meet a locale."""

import math

from django.utils.safestring import SafeString


def n(x: float) -> SafeString:
    """A coordinate with at most two decimals; safe as it is, since a picture has hundreds."""
    return SafeString(f"{x:.2f}".rstrip("0").rstrip("."))


def ticks(low: float, high: float, *, most: int = 5) -> list[float]:
    """Round numbers from low to high for an axis, `most` at most: steps of 1, 2 or 5 times a power of ten."""
    if not low < high:
        return [low]
    step = 10.0 ** math.floor(math.log10((high - low) / most))
    step *= next(k for k in (1, 2, 5, 10, 20) if (high - low) / (k * step) <= most)
    first = math.ceil(low / step - 1e-9)
    last = math.floor(high / step + 1e-9)
    return [round(i * step, 12) for i in range(first, last + 1)]


def minutes_step(span: float, *, most: int = 8) -> int:
    """Minutes from mark to mark of a time axis so long, so that it has `most` at most: quarters of an hour to days."""
    for step in (15, 30, 60, 120, 240, 480, 1440):
        if span / step <= most:
            return step
    return 1440 * math.ceil(span / 1440 / most)


def polyline(points) -> str:
    """A path through (x, y) points."""
    return "M" + "L".join(f"{n(x)} {n(y)}" for x, y in points)


def edge(steps: list[tuple[float, float]], end: float, *, reach: float = 15.0) -> str:
    """An edge that runs level and changes over 2 x reach at each x: steps are (x, y from there on), the first its start."""
    path, y = f"{n(steps[0][0])} {n(steps[0][1])}", steps[0][1]
    for x, after in steps[1:]:
        path += f"H{n(x - reach)}C{n(x)} {n(y)} {n(x)} {n(after)} {n(x + reach)} {n(after)}"
        y = after
    return path + f"H{n(end)}"


def edge_back(steps: list[tuple[float, float]], end: float, *, reach: float = 15.0) -> str:
    """The same edge walked from its end to its start."""
    path = ""
    for i in range(len(steps) - 1, 0, -1):
        x, after = steps[i]
        before = steps[i - 1][1]
        path += f"H{n(x + reach)}C{n(x)} {n(after)} {n(x)} {n(before)} {n(x - reach)} {n(before)}"
    return f"V{n(steps[-1][1])}" + path + f"H{n(steps[0][0])}"


def ribbon(tops: list[tuple[float, float]], bottoms: list[tuple[float, float]], end: float, *, reach: float = 15.0) -> str:
    """A closed band between an upper and a lower edge."""
    return SafeString(f"M{edge(tops, end, reach=reach)}{edge_back(bottoms, end, reach=reach)}Z")


def band(x0: float, a: float, b: float, x1: float, c: float, d: float) -> str:
    """A band that swings from (a, b) at x0 to (c, d) at x1 in two equal cubics."""
    m = (x0 + x1) / 2
    return f"M{n(x0)} {n(a)}C{n(m)} {n(a)} {n(m)} {n(c)} {n(x1)} {n(c)}V{n(d)}C{n(m)} {n(d)} {n(m)} {n(b)} {n(x0)} {n(b)}Z"
