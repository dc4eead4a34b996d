"""Sentences that several pages share."""

from core.judge.band import Band
from desk.kit.templatetags.vat import figure


def limits(band: Band, decimals: int) -> str:
    """A band in words: 3.54 to 3.66, under 250, at least 7."""
    if band.low == float("-inf"):
        return f"under {figure(band.high, decimals)}"
    if band.high == float("inf"):
        return f"at least {figure(band.low, decimals)}"
    return f"{figure(band.low, decimals)} to {figure(band.high, decimals)}"
