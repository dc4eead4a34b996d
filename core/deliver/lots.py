"""Lot numbers with their check sign, and where a lot came from.

Source: shift practice, section 5.4. Vessels are well mixed unless they are given as towers.
"""

from collections.abc import Mapping
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


@dataclass(frozen=True, slots=True)
class Edge:
    """`tonnes` (oven-dry) of `parent` went into `child`."""

    child: str
    parent: str
    tonnes: float


def trace_back(edges: tuple[Edge, ...], lot: str) -> Mapping[str, float]:
    """Share of every lot behind this one: products of edge t over the child's total in, summed over paths. Self is 1.

    Raises: ImpossibleInput when lots lead back to themselves (an edge that goes back in time).
    """
    total: dict[str, float] = {}
    parents: dict[str, list[Edge]] = {}
    for e in edges:
        total[e.child] = total.get(e.child, 0.0) + e.tonnes
        parents.setdefault(e.child, []).append(e)
    shares: dict[str, float] = {}

    def walk(node: str, share: float, path: tuple[str, ...]) -> None:
        if node in path:
            raise ImpossibleInput(Problem(node, "leads back to itself: an edge goes back in time"))
        shares[node] = shares.get(node, 0.0) + share
        for e in parents.get(node, ()):
            if total[node] > 0.0:
                walk(e.parent, share * e.tonnes / total[node], (*path, node))

    walk(lot, 1.0, ())
    return shares


def roots(edges: tuple[Edge, ...], lot: str) -> Mapping[str, float]:
    """Shares of the sources that have no parents themselves; they sum to 1.

    Worked: RL9 of the example is C11 36 %, C12 18, R7 27, BK3 9, FILL 10.
    """
    children = {e.child for e in edges}
    return {k: v for k, v in trace_back(edges, lot).items() if k not in children}


def trace_forward(edges: tuple[Edge, ...], made: Mapping[str, float], source: str) -> Mapping[str, float]:
    """Tonnes of a source in every lot that descends from it: share times the tonnes made of that lot."""
    result = {}
    for lot in made:
        share = trace_back(edges, lot).get(source, 0.0)
        if share > 0.0 and lot != source:
            result[lot] = share * made[lot]
    return result


@dataclass(frozen=True, slots=True)
class Parcel:
    """A source lot that went into a tower, oldest first in a list: its number and oven-dry tonnes."""

    lot: str
    tonnes: float


def fifo(parcels: tuple[Parcel, ...], content_t: float, out_t: float) -> tuple[Parcel, ...]:
    """Which parcels left a first-in first-out tower: `content_t` stood in it before `out_t` was drawn.

    What the parcels do not cover (an older heel, or pulp not yet cut into lots) is left out: the tonnes returned may be
    less than `out_t`. Raises: ImpossibleInput for negative amounts.
    """
    if content_t < 0.0 or out_t < 0.0:
        raise ImpossibleInput(Problem("content_t", f"is {content_t:g} t and out {out_t:g} t; neither may be negative"))
    made = sum(p.tonnes for p in parcels)
    start, end = made - content_t, made - content_t + out_t
    left, at = [], 0.0
    for p in parcels:
        share = min(end, at + p.tonnes) - max(start, at)
        if share > 1e-9:
            left.append(Parcel(p.lot, share))
        at += p.tonnes
    return tuple(left)
