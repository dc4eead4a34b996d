"""What a model computes against what the laboratory found, as strings for SVG."""

from collections.abc import Sequence

from desk.kit.svg import n, ticks


def fit_plot(lab: Sequence[float], by_default: Sequence[float], by_fit: Sequence[float]) -> dict:
    """Open dots by the default, filled by the fit, on equal axes with the line of equal values."""
    every = [*lab, *by_default, *by_fit]
    room = 0.06 * (max(every) - min(every)) or 1.0
    low, high = min(every) - room, max(every) + room

    def place(computed: float, found: float) -> dict:
        return {"x": n(40.0 + 380.0 * (computed - low) / (high - low)), "y": n(300.0 - 280.0 * (found - low) / (high - low))}

    marks = ticks(low, high, most=7)
    return {
        "default": [place(c, v) for c, v in zip(by_default, lab, strict=True)],
        "fit": [place(c, v) for c, v in zip(by_fit, lab, strict=True)],
        "xt": [{"x": place(v, low)["x"], "text": f"{v:g}"} for v in marks],
        "yt": [{"y": place(low, v)["y"], "text": f"{v:g}"} for v in marks],
        "line": "M40 300L420 20",
    }
