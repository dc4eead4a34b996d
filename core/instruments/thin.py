"""Readings summed into minutes and hours: mean, least, most, count and the worst flag of each; and the proof that nothing was
lost on the way."""

import math
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from itertools import groupby
from typing import Final

MINUTE_S: Final = 60
HOUR_S: Final = 3600
WIDTHS: Final = (MINUTE_S, HOUR_S)
CLOSE: Final = 1e-9


@dataclass(frozen=True, slots=True)
class Figure:
    """What a stretch of readings comes to: it begins at `at_s` (s since 1970, UTC) and is `width_s` long."""

    width_s: int
    at_s: int
    n: int
    mean: float
    low: float
    high: float
    flag: int  # the highest of its readings


def summed(readings: Iterable[tuple[int, float, int]], width_s: int) -> list[Figure]:
    """Readings (ms, value, flag; in order of time) by stretches of so many seconds; one without a reading has no figure."""
    told = []
    for at_s, group in groupby(readings, key=lambda r: r[0] // 1000 // width_s * width_s):
        rows = list(group)
        values = [v for _, v, _ in rows]
        told.append(
            Figure(
                width_s=width_s,
                at_s=at_s,
                n=len(rows),
                mean=math.fsum(values) / len(values),
                low=min(values),
                high=max(values),
                flag=max(flag for *_, flag in rows),
            )
        )
    return told


def why_not(readings: Sequence[tuple[int, float, int]], figures: Sequence[Figure]) -> str:
    """Why the figures of one width do not stand for the readings; an empty string where they do: as many, the same sum, the
    same ends, every reading within its stretch."""
    if sum(f.n for f in figures) != len(readings):
        return f"count {sum(f.n for f in figures)} readings of {len(readings)}"
    if not readings:
        return ""
    values = [v for _, v, _ in readings]
    scale = max(1.0, math.fsum(abs(v) for v in values))
    if abs(math.fsum(f.mean * f.n for f in figures) - math.fsum(values)) > CLOSE * scale:
        return "do not come to the sum of the readings"
    if min(f.low for f in figures) != min(values) or max(f.high for f in figures) != max(values):
        return "do not reach as far as the readings"
    by_start = {f.at_s: f for f in figures}
    for at_ms, value, _ in readings:
        f = by_start.get(at_ms // 1000 // figures[0].width_s * figures[0].width_s)
        if f is None or not f.low <= value <= f.high:
            return f"leave out the reading at {at_ms} ms"
    return ""
