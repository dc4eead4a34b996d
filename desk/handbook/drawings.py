"""The strip beside a value: the band is the range the model holds for, the dot where the value lies."""

import math

from core.quantity import Quantity
from desk.kit.svg import n

WIDTH, PAD = 202.0, 0.18


def range_strip(value: float, said: Quantity) -> dict | None:
    """Places on the strip, or None for a field without a finite range."""
    low, high = said.valid
    if not (math.isfinite(low) and math.isfinite(high)) or high <= low:
        return None
    span = high - low
    left, right = low - PAD * span, high + PAD * span

    def x(v: float) -> float:
        return WIDTH * min(1.0, max(0.0, (v - left) / (right - left)))

    return {
        "low": low,
        "high": high,
        "x1": n(x(low)),
        "x2": n(x(high)),
        "w": n(x(high) - x(low)),
        "dot": n(x(value)),
        "out": not low <= value <= high,
    }
