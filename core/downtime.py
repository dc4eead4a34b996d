"""Downtime: the code of a stop (where, what, why), what is a micro-stop, who must still say, and hours lost by cause.

A code is the letter pair of the station, the letter of the cause and a number of the mill's own list: CKM03. A stop under five
minutes is a micro-stop: counted, not coded. An unknown cause may stand for a day. Source: shift practice, section 5.2.
"""

from collections.abc import Iterable
from dataclasses import dataclass
from typing import Final

PAIRS: Final = {
    "chips": "CH",
    "cook": "CK",
    "wash": "WA",
    "bleach": "BL",
    "recovered": "RC",
    "clean": "SC",
    "refine": "RF",
    "stock": "ST",
    "blend": "BD",
    "deliver": "DE",
}
WHYS: Final = {
    "M": "mechanical",
    "E": "electrical",
    "I": "instrument",
    "P": "process",
    "R": "raw material",
    "U": "utility: steam, water, air, power, effluent",
    "W": "waiting: upstream, downstream, order",
    "G": "grade change or wash",
    "S": "safety",
    "N": "planned",
}
MICRO_H: Final = 5.0 / 60.0
SAY_WITHIN_H: Final = 24.0
MOST_NUMBER: Final = 99


@dataclass(frozen=True, slots=True)
class Down:
    """One stop of one unit: hours from any one instant, and the letter of its cause; empty where nobody has said."""

    unit: str
    start_h: float
    end_h: float
    why: str = ""

    @property
    def hours(self) -> float:
        return self.end_h - self.start_h

    @property
    def micro(self) -> bool:
        return self.hours < MICRO_H - 1e-9

    def must_say(self, now_h: float) -> bool:
        """Whether somebody must say its cause now: a day after it began, and it is no micro-stop."""
        return not self.why and not self.micro and now_h - self.start_h > SAY_WITHIN_H


@dataclass(frozen=True, slots=True)
class Lost:
    """What one cause took in a window: its stops, and their hours within it, added over units. `why` "" is unknown."""

    why: str
    stops: int
    hours: float


def code(station: str, why: str, number: int) -> str:
    """The code of a stop. Raises: ValueError for a letter that is none, or a number outside 1 to 99; KeyError for a station."""
    if why not in WHYS:
        raise ValueError(f"cause is “{why}”; it must be one of {', '.join(WHYS)}")
    if not 1 <= number <= MOST_NUMBER:
        raise ValueError(f"number is {number}; it must be 1 to {MOST_NUMBER}, as in the mill’s own list")
    return f"{PAIRS[station]}{why}{number:02d}"


def overlaps(a: Down, b: Down) -> bool:
    """Whether two stops share time on one unit: two never may. Parallel units each keep their own."""
    return a.unit == b.unit and a.start_h < b.end_h and b.start_h < a.end_h


def lost(stops: Iterable[Down], start_h: float, end_h: float) -> tuple[tuple[Lost, ...], int, float]:
    """Hours lost by cause within a window, largest first; then the micro-stops that began in it, counted, and their hours."""
    hours: dict[str, float] = {}
    count: dict[str, int] = {}
    micro, micro_h = 0, 0.0
    for s in stops:
        within = min(s.end_h, end_h) - max(s.start_h, start_h)
        if within <= 0.0:
            continue
        if s.micro:
            micro, micro_h = micro + 1, micro_h + within
            continue
        hours[s.why] = hours.get(s.why, 0.0) + within
        count[s.why] = count.get(s.why, 0) + 1
    told = sorted((Lost(why, count[why], hours[why]) for why in hours), key=lambda x: (-x.hours, x.why))
    return tuple(told), micro, micro_h
