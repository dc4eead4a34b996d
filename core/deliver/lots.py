"""Lot numbers with their check sign, and transfers between lots. Source: shift practice, section 5.4."""

from collections.abc import Iterable
from dataclasses import dataclass
from typing import Final

from core.errors import ImpossibleInput, Problem

SIGNS: Final = "0123456789ABCDEFGHJKLMNPRSTVWXY"


def check_sign(number: str) -> str:
    """The check sign of a lot number without hyphens: weight by position from 1, sum modulo 31.

    Worked: KD26317A04 gives H, RP26317B12 gives 8, BM26318A01 gives 2. Raises: ImpossibleInput for a sign not in use.
    """
    bad = [c for c in number if c not in SIGNS]
    if bad or not number:
        raise ImpossibleInput(Problem("number", f"holds {''.join(bad) or 'nothing'}; signs are {SIGNS}"))
    return SIGNS[sum(i * SIGNS.index(c) for i, c in enumerate(number, start=1)) % 31]


def lot_number(*, line: str, kind: str, year: int, day: int, shift: str, serial: int) -> str:
    """BM-26318-A01-2: line and kind letter, year and day of the shift's start, shift and serial, check sign."""
    bare = f"{line}{kind}{year % 100:02d}{day:03d}{shift}{serial:02d}"
    return f"{line}{kind}-{year % 100:02d}{day:03d}-{shift}{serial:02d}-{check_sign(bare)}"


LONGEST_H: Final = 4.0
LEAST_H: Final = 1.0 / 60.0
USUAL: Final = "four hours"


@dataclass(frozen=True, slots=True, order=True)
class End:
    """A time (h) at which a continuous lot ends, and why."""

    at_h: float
    why: str


def first_end(since_h: float, changes: Iterable[End] = ()) -> End:
    """Where a continuous lot that began at a time ends: after four hours, or before at the first of the changes (another raw
    material or chemical source once it is mixed, another grade, the start or end of a deviation). The next begins there; what
    changed within a minute of its beginning is its beginning."""
    usual = End(since_h + LONGEST_H, USUAL)
    return min([usual, *(c for c in changes if since_h + LEAST_H < c.at_h < usual.at_h)])


@dataclass(frozen=True, slots=True)
class Edge:
    """`tonnes` (oven-dry) of `parent` went into `child`."""

    child: str
    parent: str
    tonnes: float


@dataclass(frozen=True, slots=True)
class Parcel:
    """A source lot that went into a tower, oldest first in a list: its number and oven-dry tonnes."""

    lot: str
    tonnes: float
