"""Which readings of a delivery are kept, kept with a flag, or refused, each with its reason. Good ones never wait for bad
ones."""

import math
from collections.abc import Sequence
from dataclasses import dataclass
from enum import StrEnum
from typing import Final

AHEAD_MS: Final = 120_000
LATE_MS: Final = 2 * 3_600_000
STUCK_MS: Final = 20 * 60_000


class Verdict(StrEnum):
    KEPT = "kept"
    FLAGGED = "flagged"
    REFUSED = "refused"


class Reason(StrEnum):
    """Why; the words stand on the page."""

    GOOD = "good"
    LATE = "late"
    OUT_OF_ORDER = "out of order"
    UNKNOWN = "unknown signal"
    NO_NUMBER = "no number"
    NO_TIME = "no time"
    IMPOSSIBLE = "impossible value"
    AHEAD = "time ahead of the clock"
    DOUBLED = "doubled"
    CONTRADICTS = "contradicts an earlier reading"
    MALFORMED = "malformed row"
    CLOSED = "of a day that stands in figures alone"


@dataclass(frozen=True, slots=True)
class Span:
    """What a signal can show, in its unit."""

    low: float
    high: float


def judge(
    value: float, at_ms: int, *, span: Span, now_ms: int, last_ms: int | None, history: bool = False
) -> tuple[Verdict, Reason]:
    """Judge one reading by itself and its signal. `history`: a delivery of the past, where late and out of order mean
    nothing."""
    if not math.isfinite(value):
        return Verdict.REFUSED, Reason.NO_NUMBER
    if not span.low <= value <= span.high:
        return Verdict.REFUSED, Reason.IMPOSSIBLE
    if at_ms > now_ms + AHEAD_MS:
        return Verdict.REFUSED, Reason.AHEAD
    if not history:
        if now_ms - at_ms > LATE_MS:
            return Verdict.FLAGGED, Reason.LATE
        if last_ms is not None and at_ms < last_ms:
            return Verdict.FLAGGED, Reason.OUT_OF_ORDER
    return Verdict.KEPT, Reason.GOOD


def against_kept(value: float, kept: float) -> Reason:
    """The reason to refuse a reading whose signal has one at the same time already."""
    return Reason.DOUBLED if value == kept else Reason.CONTRADICTS


def is_stuck(readings: Sequence[tuple[int, float]]) -> bool:
    """Whether the newest readings (ms, value; oldest first) stood still for 20 minutes: variance 0."""
    if len(readings) < 3 or readings[-1][0] - readings[0][0] < STUCK_MS:
        return False
    start = readings[-1][0] - STUCK_MS
    window = [v for at, v in readings if at >= start]
    return len(window) >= 3 and max(window) == min(window)
