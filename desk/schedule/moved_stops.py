"""A planned stop tried at another time on the plan: what is to stand then, and the mill with it; nothing is kept."""

import math
from copy import copy
from dataclasses import dataclass, replace
from datetime import datetime, timedelta

from django.urls import reverse

from desk.cook.lanes import coming_cooks, next_cooks
from desk.kit.lane import Stands
from desk.kit.templatetags.vat import clock, dayclock
from desk.schedule.halts import Halt, as_typed, units_of
from desk.schedule.order_plan import FROZEN_H, HOURS, first_entry, halts_ahead, stands_of

MOST_BY_H = 168.0
KEY_H, HOLD_KEY_H = 1.0, 0.5  # a key moves a stop, and puts a cook off, by so much
MOST_HELD_H, HELD_BACK = 24.0, "held back"


@dataclass(frozen=True)
class Movable:
    """A planned stop that has not begun and does not begin at once: its key, its record, how it was entered, and its name."""

    key: str
    record: int
    halt: Halt
    name: str
    from_h: float = 0.0  # of a cook: when it would be filled


@dataclass(frozen=True)
class Tried:
    """A stop tried so many hours later than it was entered (earlier: below 0), or why it cannot be tried there."""

    stop: Movable
    by_h: float
    problem: str = ""

    @property
    def start(self) -> datetime:
        return self.stop.halt.start + timedelta(hours=self.by_h)

    @property
    def end(self) -> datetime:
        return self.stop.halt.end + timedelta(hours=self.by_h)

    @property
    def words(self) -> str:
        return f"{self.stop.name}, {self.stop.halt.what}: {dayclock(self.start)} to {clock(self.end)}"

    @property
    def enter(self) -> str:
        """Where it is entered so, as a change of what stands."""
        moved = replace(self.stop.halt, start=self.start, end=self.end)
        return f"{reverse('schedule:halts')}?{as_typed(moved, self.stop.record)}"

    def stands(self, known: tuple[Stands, ...]) -> tuple[Stands, ...]:
        """What is to stand, with this stop where it is tried."""
        told = [
            replace(s, from_h=s.from_h + self.by_h, to_h=s.to_h + self.by_h) if s.key == self.stop.key else s for s in known
        ]
        return tuple(sorted(told, key=lambda s: s.from_h))

    def mill_state(self, state):
        """The mill at the same time with the stop there; a stop of a unit is told by `stands` alone."""
        if self.stop.halt.unit:
            return state
        _ = state.vessels  # levels as they are now are read once for both
        other = copy(state)
        other.__dict__.pop("stops", None)
        moved = [replace(h, start=self.start, end=self.end) if h.record == self.stop.record else h for h in state.halts]
        other.__dict__["halts"] = tuple(sorted(moved, key=lambda h: (h.start, h.record)))
        return other


@dataclass(frozen=True)
class HeldBack(Tried):
    """A digester held back so many hours before its next cook: as if it stood meanwhile."""

    @property
    def start(self) -> datetime:
        return self.stop.halt.start

    @property
    def enter(self) -> str:
        return f"{reverse('schedule:halts')}?{as_typed(replace(self.stop.halt, end=self.end), 0)}"

    @property
    def words(self) -> str:
        return f"{self.stop.name}, {self.stop.halt.what} from {dayclock(self.start)} to {clock(self.end)}"

    def stands(self, known: tuple[Stands, ...]) -> tuple[Stands, ...]:
        from_h = self.stop.from_h
        own = Stands(self.stop.halt.unit, from_h, from_h + self.by_h, self.stop.halt.what, self.stop.name, True, self.stop.key)
        return tuple(sorted([*known, own], key=lambda s: s.from_h))

    def mill_state(self, state):
        return state


def holdable(state, stands: tuple[Stands, ...]) -> list[Movable]:
    """The digesters whose next cook may be put off, each from the time it would be filled."""
    named, told = units_of(state.mill), []
    _, coming = coming_cooks(state, HOURS, stands)
    for digester, b in sorted(next_cooks(coming).items()):
        from_h = max(0.0, b.rise_at - b.fill_min) / 60.0
        start = state.now + timedelta(hours=from_h)
        halt = Halt(start, start, HELD_BACK, 0.0, True, digester, "")
        told.append(Movable(digester, 0, halt, named.get(digester, (digester, ""))[0], from_h))
    return told


def movable(state) -> list[Movable]:
    """Planned stops that begin within the plan and not within its frozen hours, the soonest first."""
    first = state.now + timedelta(hours=FROZEN_H)
    told = [
        Movable(str(first_entry(t.record).pk), t.record.pk, t.halt, t.name)
        for t in halts_ahead(state)
        if t.halt.planned and t.halt.rate_pct == 0.0 and first <= t.halt.start < state.now + timedelta(hours=HOURS)
    ]
    return sorted(told, key=lambda m: m.halt.start)


def read_tried(state, data) -> Tried | None:
    """The stop that an address moves, and by how much; None where it names none. One that would begin within the frozen hours
    or behind the plan's end is told with why."""
    try:
        by_h = float(data.get("by", ""))
    except ValueError:
        return None
    if not math.isfinite(by_h) or abs(by_h) > MOST_BY_H or by_h == 0.0:
        return None
    if digester := data.get("hold", ""):
        held = next((m for m in holdable(state, stands_of(state)) if m.key == digester), None)
        return HeldBack(held, by_h) if held is not None and 0.0 < by_h <= MOST_HELD_H else None
    stop = next((m for m in movable(state) if m.key == data.get("stop", "")), None)
    if stop is None:
        return None
    begins = (stop.halt.start - state.now).total_seconds() / 3600.0 + by_h
    if begins < FROZEN_H:
        return Tried(stop, by_h, f"{stop.name} would stand within {FROZEN_H:g} h: that keeps its place.")
    if begins >= HOURS:
        return Tried(stop, by_h, f"{stop.name} would stand behind the {HOURS:g} h of the plan.")
    return Tried(stop, by_h)


def stands_with(state, tried: Tried | None) -> tuple[Stands, ...]:
    """What is to stand in the plan's hours, with the stop that is tried."""
    return tried.stands(stands_of(state)) if tried is not None else stands_of(state)
