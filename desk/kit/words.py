"""Sentences that several pages share."""

from math import isfinite

from core.judge.band import Band
from desk.kit.templatetags.vat import figure
from desk.kit.units import Schools, shown, way


def limits(band: Band, decimals: int, unit: str = "", schools: Schools | None = None) -> str:
    """A band in words, in the reader's unit: 3.54 to 3.66, under 250, at least 7."""
    (low, _, more), (high, _, _) = shown(band.low, unit, schools), shown(band.high, unit, schools)
    turned = way(unit, schools) is not None and band.low < band.high and isfinite(low) and isfinite(high) and low > high
    if turned:
        low, high = high, low
    if not isfinite(low):
        return f"under {figure(high, decimals + more)}"
    if not isfinite(high):
        return f"at least {figure(low, decimals + more)}"
    return f"{figure(low, decimals + more)} to {figure(high, decimals + more)}"
