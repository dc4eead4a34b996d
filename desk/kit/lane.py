"""What stands on the schedule's clock, as a station tells it: bars, steps, flags; hours from now throughout."""

from collections.abc import Sequence
from dataclasses import dataclass


@dataclass(frozen=True)
class Stands:
    """A unit (the machine: empty) that stands from one hour to another, and why."""

    unit: str
    from_h: float
    to_h: float
    what: str
    name: str
    planned: bool = True
    key: str = ""  # the same as long as it is the same stop, however often it is corrected


@dataclass(frozen=True)
class Bar:
    """From one hour to another. `tint`: the colour of what it makes, as #RRGGBB, empty where it has none. `shape`: (hour, 0 to
    1) of its outline where the clock is wide enough to draw it."""

    from_h: float
    to_h: float
    text: str
    tint: str = ""
    href: str = ""
    known: bool = False
    other: bool = False  # than usual
    hold: str = ""  # what is held back where it is moved later: the unit that it is of
    shape: tuple[tuple[float, float], ...] = ()


@dataclass(frozen=True)
class Bars:
    """Rows of bars under one name; where bars are too narrow for their words they are counted, or drawn bare."""

    name: str
    under: str
    rows: tuple[tuple[Bar, ...], ...]
    labels: tuple[str, ...] = ()
    counted: bool = False


@dataclass(frozen=True)
class Steps:
    """A load that changes in steps: (hour, value) from each on."""

    name: str
    unit: str
    points: tuple[tuple[float, float], ...]
    limit: float | None = None

    @property
    def most(self) -> tuple[float, float]:
        """The hour and value of the greatest."""
        return max(self.points, key=lambda p: p[1])


@dataclass(frozen=True)
class Flag:
    """Something due at an hour."""

    hour: float
    text: str
    critical: bool = False
    href: str = ""


@dataclass(frozen=True)
class Flags:
    name: str
    under: str
    flags: tuple[Flag, ...]


@dataclass(frozen=True)
class Stack:
    """Amounts one above the other: name, tint and the (hour, t) of each; `full` of them together where there is one."""

    name: str
    under: str
    parts: tuple[tuple[str, str, tuple[tuple[float, float], ...]], ...]
    full: float


Lane = Bars | Steps | Flags | Stack
Lanes = Sequence[Lane]
