"""What bears on when samples are due beside their interval: changes upstream, planned stops, intervals that a lead has doubled.

The rules are those of core/judge/due.py; here is what the record tells of a mill.
"""

from collections import OrderedDict
from dataclasses import dataclass
from datetime import datetime, timedelta

from core.judge.due import EASY_AFTER, Changed, Pace, SampleCase, Stands, next_sample
from core.line.acting import Line
from core.mill.causes import Way
from core.mill.telling import planned, takers, telling
from core.unit import Worked
from desk.kit.templatetags.vat import clock
from desk.log.actions import write
from desk.log.models import Kind, Record
from desk.log.tail import hold, tail
from desk.mill.chemicals import TANK
from desk.mill.in_force import PREFIX as SET
from desk.people.rights import refuse

PACE = "plan."  # of the record of an interval that was doubled, or is as planned again; then the row
DOUBLED, ENDED = "doubled", "planned"
LOOK_BACK = timedelta(hours=24)
DOWN_BACK = timedelta(days=30)  # a unit is down for weeks where it is rebuilt
WITH_MACHINE = ("blend", "deliver")  # stations whose pulp stands while the machine does
KEPT = 4
MOST_CHANGES = 12

hold(Kind.EVENT, prefix=PACE, back=None)
hold(Kind.DOWN, back=DOWN_BACK + timedelta(days=1))

_told: OrderedDict[int, tuple] = OrderedDict()  # of the last few set-ups, which rows tell of which unit first


class Refused(Exception):
    """Why an interval stays as it is, in words."""


@dataclass(frozen=True)
class Change:
    """Something that was changed upstream of a row, or is planned to be, and how long it is on its way to where the row is
    sampled."""

    at: datetime
    what: str
    way: Way

    def seen(self, now: datetime) -> Changed:
        return Changed(
            ago_min=(now - self.at).total_seconds() / 60.0,
            dead_min=60.0 * self.way.delay_h,
            mixing_min=60.0 * self.way.tau_h,
        )


@dataclass(frozen=True)
class Stop:
    """A planned stop of what a row is sampled from."""

    start: datetime
    end: datetime
    what: str
    record: int
    way: Way

    def seen(self, now: datetime) -> Stands:
        from_min, to_min = ((t - now).total_seconds() / 60.0 for t in (self.start, self.end))
        return Stands(from_min=from_min, to_min=to_min, settles_min=60.0 * (self.way.delay_h + 2.0 * self.way.tau_h))


def _telling(mill) -> tuple[Line | None, dict]:
    """The line as the set-up plans it, and which rows tell first of each of its units; worked out once a set-up."""
    kept = _told.get(id(mill))
    if kept is None or kept[0] is not mill:
        line = planned(mill)
        kept = _told[id(mill)] = (mill, line, dict(telling(mill, line)) if line is not None else {})
        while len(_told) > KEPT:
            _told.popitem(last=False)
    return kept[1], kept[2]


class Bearing:
    """All that bears on the rows of a plan at one time: changes and planned stops by row, and the rows that are doubled."""

    def __init__(self, state):
        self.state, self.mill, self.now = state, state.mill, state.now
        self.changes: dict[str, list[Change]] = {}
        self.stops: dict[str, list[Stop]] = {}
        self.doubled: dict[str, Record] = {}
        self.since = self.now - LOOK_BACK
        self.each_batch = {cook.kappa_row for cook in self.mill.cook_plans.values() if cook.vessel == "batch"}
        self._of_machine()
        held = tail()
        told = [
            *held.told(Kind.START, since=self.since),
            *held.told(Kind.SETPOINT, prefix=SET, since=self.since),
            *held.told(Kind.EVENT, prefix=TANK, since=self.since, status=("delivery",)),
            *held.told(Kind.DOWN, since=self.now - DOWN_BACK),
            *held.told(Kind.EVENT, prefix=PACE),
        ]
        for r in sorted(told, key=lambda r: (r.at, r.pk)):
            self._reads(r)
        if (run := state.next_run) is not None:
            self._changed(self.mill.roles.blend, run.start, f"{run.order} is to run from {clock(run.start)}, {run.told_by}")

    def _reads(self, r: Record) -> None:
        if r.kind == Kind.DOWN:
            self._down(r)
        elif r.at > self.now:
            return
        elif r.kind == Kind.START and r.at >= self.since:
            self._changed(self.mill.roles.blend, r.at, f"{r.data.get('grade', 'another grade')} runs since {clock(r.at)}")
        elif r.kind == Kind.SETPOINT:
            unit = r.subject.removeprefix(SET)
            self._changed(unit, r.at, f"set point of {self._name(unit)} put in force {clock(r.at)}")
        elif r.subject.startswith(PACE):
            self.doubled.pop(row := r.subject.removeprefix(PACE), None)
            if r.status == DOUBLED:
                self.doubled[row] = r
        elif (tank := self.mill.tanks.get(r.subject.removeprefix(TANK))) is not None:
            line, _ = _telling(self.mill)
            for unit in takers(line, tank.chemical) if line is not None else ():
                self._changed(unit, r.at, f"{tank.chemical} delivered {clock(r.at)}")

    def _name(self, unit: str) -> str:
        return next((u.title for u in self.mill.units if u.id == unit), unit)

    def _changed(self, unit: str, at: datetime, what: str) -> None:
        for row, way in _telling(self.mill)[1].get(unit, {}).items():
            self.changes.setdefault(row, []).append(Change(at, what, way))

    def _of_machine(self) -> None:
        """Stops of the machine: planned ones excuse what is sampled of its pulp; after each its own chest is sampled again."""
        chest, name = self.mill.roles.chest, self.mill.machine.name
        for s in self.state.halts:
            if s.rate_pct > 0.0 or s.end < self.since:
                continue
            ways = _telling(self.mill)[1].get(chest, {})
            if s.end <= self.now:
                self._changed(chest, s.end, f"{name} runs again since {clock(s.end)}")
            if s.planned:
                for row in self.mill.plan.values():
                    if row.station in WITH_MACHINE:
                        stop = Stop(s.start, s.end, s.what, s.record, ways.get(row.id, Way()))
                        self.stops.setdefault(row.id, []).append(stop)

    def _down(self, r: Record) -> None:
        end = datetime.fromisoformat(r.data["until"])
        if end < self.since or end <= r.at:
            return
        for row, way in _telling(self.mill)[1].get(r.subject, {}).items():
            if end <= self.now:
                what = f"{self._name(r.subject)} runs again since {clock(end)}"
                self.changes.setdefault(row, []).append(Change(end, what, way))
            if r.data.get("planned", True):
                self.stops.setdefault(row, []).append(Stop(r.at, end, r.data["what"], r.pk, way))


def worked(told) -> Worked:
    """The registered case of when a row of the board is sampled next."""
    case = SampleCase(
        interval_min=told.row.interval_min,
        pace=told.pace.value,
        since_last_min=max(0.0, told.since_last_min),
        changes=tuple(c.seen(told.now) for c in told.changes[-MOST_CHANGES:]),
    )
    return Worked(model="lab.next_sample", case=case, result=next_sample(case))


def keep_pace(*, now_row, doubles: bool, by, now: datetime) -> Record:
    """A shift lead doubles a row's interval, or sets it back to the plan. Raises: Refused."""
    refuse(by, "ease")
    row = now_row.row
    if doubles == (now_row.pace is Pace.DOUBLED):
        raise Refused("Its interval is so already.")
    if doubles and not now_row.may_ease:
        told = "it is a critical test" if row.critical else f"its last {EASY_AFTER} results are not all inside their band"
        told = "each batch is sampled" if now_row.each_batch else told
        raise Refused(f"Its interval stays: {told}.")
    every = f"every {2 * row.interval_min if doubles else row.interval_min:.0f} min"
    says = f"{row.place}, {now_row.test.name.lower()}: sampled {every}" + ("" if doubles else " again, as planned")
    data = {"row": row.id, "interval_min": row.interval_min}
    return write(
        kind=Kind.EVENT, subject=f"{PACE}{row.id}", status=DOUBLED if doubles else ENDED, by=by, now=now, says=says, data=data
    )
