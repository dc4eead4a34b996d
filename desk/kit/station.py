"""What a station is to the desk: its package says so in `station.py`, and its name stands in the list of those installed.

Addresses, the ribbon's way in, groups of moves, the page walk and the settings read it; to install a station its name is added
to INSTALLED, in the way of the fibre.
"""

from collections.abc import Mapping
from dataclasses import dataclass, field
from functools import cache
from importlib import import_module
from typing import Any, NamedTuple

from desk.kit.lane import Lane, Stands

INSTALLED = ("chips", "cook", "wash", "bleach", "recovered", "clean", "refine", "stock", "blend", "deliver")
APPS = tuple(f"desk.{name}" for name in INSTALLED)


class MoveGroup(NamedTuple):
    """Rows of the practice table that are shown together: the address's word, the heading, the stations of the table, and the
    column of the ribbon they belong to."""

    key: str
    title: str
    rows: tuple[str, ...]
    station: str


@dataclass(frozen=True)
class Station:
    """A station of the desk.

    `key`: its column of the ribbon, and its package desk.<key>. `home`: the name of its first page's address. `urls`: the
    module of its addresses, mounted under `key`. `benches` and `bench`: its single-question pages, by key, and the name of
    their address. `moves`: the groups in which its rows of the practice table are shown. `lanes`: the module whose `lanes`
    tells what of the station stands on the schedule's clock (`desk/kit/lane.py`).
    """

    key: str
    home: str
    urls: str
    benches: Mapping[str, Any] = field(default_factory=dict)
    bench: str = ""
    moves: tuple[MoveGroup, ...] = ()
    lanes: str = ""


@cache
def installed() -> tuple[Station, ...]:
    """The stations that are installed, each as its package declares it."""
    return tuple(import_module(f"desk.{name}.station").STATION for name in INSTALLED)


def by_key() -> dict[str, Station]:
    return {s.key: s for s in installed()}


def lanes_of(state, hours: float, stands: tuple[Stands, ...]) -> list[Lane]:
    """What stands on the schedule's clock, in the way of the fibre, with the stops that are entered."""
    return [lane for s in installed() if s.lanes for lane in import_module(s.lanes).lanes(state, hours, stands)]


def move_groups() -> tuple[MoveGroup, ...]:
    """The groups of moves, in the way of the fibre."""
    return tuple(group for s in installed() for group in s.moves)
