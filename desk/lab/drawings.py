"""The last results against their band, as strings for SVG."""

import math
from datetime import timedelta

from django.utils import timezone

from desk.kit.svg import n, polyline


def scale(values: list[float], band, height: float, *, pad: float = 0.15):
    """(y of a value, low, high) for a plot of this height that shows the values and the band."""
    ends = [v for v in (band.low, band.high) if math.isfinite(v)] + values
    low, high = min(ends), max(ends)
    if high - low < 1e-9:
        low, high = low - abs(low) * 0.05 - 0.5, high + abs(high) * 0.05 + 0.5
    room = (high - low) * pad
    low, high = low - room, high + room
    return (lambda v: height * (1.0 - (v - low) / (high - low))), low, high


def last_results(records: list, value: float | None, singles: tuple, band, decimals: int) -> dict:
    """Up to nine results and the one being entered, with the inner band behind them (width 430, height 152)."""
    past = list(reversed(records[:9]))
    values = [r.value for r in past] + ([value] if value is not None else []) + list(singles)
    y, low, high = scale(values or [band.aim], band, 128.0)
    points = [(20.0 + 38.0 * i, y(r.value) + 2) for i, r in enumerate(past)]
    now_x = 20.0 + 38.0 * len(past)
    return {
        "band_y": n((y(band.high) if math.isfinite(band.high) else 0.0) + 2),
        "band_h": n((y(band.low) if math.isfinite(band.low) else 128.0) - (y(band.high) if math.isfinite(band.high) else 0.0)),
        "high": band.high if math.isfinite(band.high) else None,
        "low": band.low if math.isfinite(band.low) else None,
        "high_y": n(y(band.high) + 6) if math.isfinite(band.high) else "",
        "low_y": n(y(band.low) + 6) if math.isfinite(band.low) else "",
        "line": polyline(points + ([(now_x, y(value) + 2)] if value is not None else []))
        if len(points) > 1 or value is not None and points
        else "",
        "dots": [{"x": n(px), "y": n(py)} for px, py in points],
        "now": {"x": n(now_x), "y": n(y(value) + 2)} if value is not None else None,
        "ticks": [n(y(s) + 2) for s in singles] if len(singles) > 1 else [],
        "tick_x": n(now_x + 10),
        "first": timezone.localtime(past[0].at).strftime("%H:%M") if past else "",
        "now_x": n(now_x),
        "decimals": decimals,
    }


def trend(records: list, band, now, hours: float, *, width: float = 820.0, height: float = 300.0) -> dict:
    """Results over the last hours against inner and outer band (records newest first)."""
    start = now - timedelta(hours=hours)
    shown = [r for r in reversed(records) if r.at >= start]
    outer = [v for v in (band.outer_low, band.outer_high) if math.isfinite(v)]
    y, low, high = scale([r.value for r in shown] + outer, band, height)

    def x(when) -> float:
        return width * (when - start).total_seconds() / 3600.0 / hours

    grid = []
    for h in range(0, int(hours) + 1, max(1, int(hours / 8))):
        at = start + timedelta(hours=h)
        grid.append(
            {"x": n(x(at)), "text": timezone.localtime(at).strftime("%H:%M"), "anchor": "start" if h == 0 else "middle"}
        )
    top, bottom = (
        (max(0.0, y(band.high)) if math.isfinite(band.high) else 0.0),
        (min(height, y(band.low)) if math.isfinite(band.low) else height),
    )
    return {
        "band_y": n(top),
        "band_h": n(bottom - top),
        "line": polyline([(x(r.at), y(r.value)) for r in shown]) if len(shown) > 1 else "",
        "dots": [{"x": n(x(r.at)), "y": n(y(r.value)), "open": r.status not in ("single", "accepted")} for r in shown],
        "grid": grid,
        "high": band.high if math.isfinite(band.high) else None,
        "low": band.low if math.isfinite(band.low) else None,
        "high_y": n(top + 4),
        "low_y": n(bottom + 4),
        "outer": [{"y": n(y(v)), "value": v} for v in outer],
        "count": len(shown),
        "width": n(width),
        "height": n(height),
    }
