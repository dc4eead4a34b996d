"""Looks at the places of a mill and rounds over them, as records; the newest of each is evidence for the practice table."""

from collections.abc import Iterable
from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import Any

from core.bleach.unit import BleachPlan
from core.clean.unit import CascadePlan
from core.cook.acid import SulphitePlan
from core.cook.unit import CookPlan
from core.lab.looks import GRADES, LOOKS, VERDICTS, Code, Look
from core.mechanical.unit import RefinePlan
from core.recovered.unit import RecoveredPlan
from core.refine.unit import RefinerPlan
from core.wash.unit import WashPlan
from desk.kit.refused import FieldRefused
from desk.kit.templatetags.vat import clock, stop
from desk.kit.writing import writing
from desk.log.actions import write
from desk.log.models import Kind, Record
from desk.mill.shifts import Shift, shift_of
from desk.people.rights import refuse

LOOK, ROUND = "look.", "round."
BEGUN, DONE = "round begun", "round done"
MACHINE = "machine"
FIRST_WITHIN, WANTED = timedelta(minutes=90), 2
LOOKED_BACK = timedelta(hours=24)
AT: dict[type, tuple[str, ...]] = {
    WashPlan: ("mat",),
    CookPlan: ("handful",),
    SulphitePlan: ("handful",),
    RefinePlan: ("refiner",),
    BleachPlan: ("vapour",),
    CascadePlan: ("rejects", "tips"),
    RefinerPlan: ("refiner",),
    RecoveredPlan: ("froth",),
}


class Refused(FieldRefused):
    """Why a look or a round cannot be kept: `field` is where to show it."""


@dataclass(frozen=True)
class Stop:
    """A place of the mill and the look that is done there."""

    unit: str
    look: Look
    title: str
    station: str
    line: str

    @property
    def key(self) -> str:
        return f"{self.look.key}.{self.unit}"


@dataclass(frozen=True)
class Seen:
    """A stop with its newest look, if any."""

    stop: Stop
    record: Record | None

    @property
    def code(self) -> Code | None:
        return self.stop.look.code(self.record.data["code"]) if self.record is not None else None

    @property
    def mark(self) -> str:
        """How it is marked on a page."""
        code = self.code
        return "" if code is None else {"fine": "in", "watch": "watch", "act": "act", "danger": "contain"}[code.verdict]


def stops(state) -> list[Stop]:
    """Every look of this mill, in the way of its fibre, by what its units are."""
    mill, told = state.mill, []
    vats = {v.unit for v in mill.vats.values()}
    bagasse = {u.id for u in mill.units if u.feed.any() and _feeds_bagasse(mill, u)}
    for u in mill.units:
        title = u.title or u.id
        plan = state.line.acting.get(u.id)
        looks = AT.get(type(plan), ())
        if u.feed.any() and u.station == "chips" and not u.supply:
            looks = ("bagasse",) if u.id in bagasse else ("chips", "feeder")
        if u.id in vats:
            looks = ("vat", *looks)
        if u.stores or u.id == mill.roles.chest:
            looks = (*looks, "chest")
        if u.id == mill.roles.chest:
            looks = (*looks, "seen")
        told += [Stop(u.id, LOOKS[key], title, u.station, u.line or MACHINE) for key in looks]
    return told


def _feeds_bagasse(mill, unit) -> bool:
    """Whether what a unit is fed comes to a cook of bagasse by outlets alone."""
    ahead, seen = [unit.id], {unit.id}
    by_id = {u.id: u for u in mill.units}
    while ahead:
        at = ahead.pop()
        if at in mill.cook_plans:
            return mill.cook_plans[at].species == "bagasse"
        for o in by_id[at].outlets[:1]:
            if o.to not in seen:
                seen.add(o.to)
                ahead.append(o.to)
    return False


def newest(state, units: Iterable[str] | None = None) -> dict[str, Record]:
    """The newest look of every stop in the last day, by its key."""
    asked = Record.objects.current().filter(
        kind=Kind.EVENT, subject__startswith=LOOK, at__gte=state.now - LOOKED_BACK, at__lte=state.now
    )
    if units is not None:
        asked = asked.filter(subject__in=[f"{LOOK}{u}" for u in units])
    return {f"{r.data['look']}.{r.subject.removeprefix(LOOK)}": r for r in asked.order_by("at", "id")}


def board(state) -> list[Seen]:
    """Every stop with its newest look."""
    known = newest(state)
    return [Seen(s, known.get(s.key)) for s in stops(state)]


def stop_of(state, key: str) -> Stop | None:
    return next((s for s in stops(state) if s.key == key), None)


def keep(*, state, key: str, code: str, grade: str, words: str, by, now: datetime, round_: Record | None = None) -> Record:
    """Keep a look. A look of danger wants no grade; any other that is not fine does. Raises: Refused; PermissionDenied."""
    refuse(by, "look")
    stop = stop_of(state, key)
    if stop is None:
        raise Refused("key", f"“{key[:40]}” is no look of this mill.")
    seen = stop.look.code(code)
    if seen is None:
        raise Refused("code", f"{stop.look.title}: choose what is seen.")
    if seen.verdict in ("watch", "act") and grade not in GRADES:
        raise Refused("grade", f"{seen.word[:1].upper()}{seen.word[1:]}: choose how strong: slight, clear or strong.")
    strength = grade if seen.verdict in ("watch", "act") else ""
    says = f"{stop.look.title}, {stop.title}: {seen.word}{f' ({strength})' if strength else ''}"
    data = {"look": stop.look.key, "code": seen.key, "verdict": seen.verdict, "grade": strength}
    return write(
        kind=Kind.EVENT,
        subject=f"{LOOK}{stop.unit}",
        by=by,
        now=now,
        says=says,
        words=words.strip()[:300],
        status="look",
        data=data,
        about=round_,
    )


# -- rounds


@dataclass(frozen=True)
class Round:
    """A round over a line: when it was begun, what was looked at, what was skipped and why, when it was done."""

    begun: Record
    looks: tuple[Record, ...]
    done: Record | None

    @property
    def line(self) -> str:
        return self.begun.subject.removeprefix(ROUND)

    @property
    def seen(self) -> set[str]:
        return {f"{r.data['look']}.{r.subject.removeprefix(LOOK)}" for r in self.looks}

    @property
    def findings(self) -> list[Record]:
        """Looks that want something done, gravest first."""
        return sorted((r for r in self.looks if r.data["verdict"] != "fine"), key=lambda r: -VERDICTS.index(r.data["verdict"]))


def round_of(begun: Record) -> Round:
    """A round read from its records."""
    about = list(Record.objects.current().filter(about=begun).order_by("at", "id"))
    done = next((r for r in about if r.status == DONE), None)
    return Round(begun, tuple(r for r in about if r.status == "look"), done)


def rounds(state, since: datetime) -> list[Round]:
    """Rounds begun since a time, newest first."""
    asked = Record.objects.current().filter(kind=Kind.EVENT, subject__startswith=ROUND, status=BEGUN, at__gte=since)
    return [round_of(r) for r in asked.filter(at__lte=state.now).order_by("-at", "-id")]


def lines_of(state) -> dict[str, list[Stop]]:
    """The stops of every line's round."""
    told: dict[str, list[Stop]] = {}
    for s in stops(state):
        told.setdefault(s.line, []).append(s)
    return told


@dataclass(frozen=True)
class RoundDue:
    """How the rounds of a line stand in a shift: how many are done, whether the next is late, and the one that goes on."""

    line: str
    stops: int
    done: int
    late: bool
    going: Round | None

    @property
    def words(self) -> str:
        told = f"{self.done} of {WANTED} rounds done"
        if self.going is not None:
            return f"{told}, one goes on since {clock(self.going.begun.at)}"
        return f"{told}, {'late' if self.late else 'in time'}"


def due(state) -> list[RoundDue]:
    """How the rounds of every line stand: the first within 90 minutes of the shift's start, the second by its last quarter."""
    shift: Shift = state.shift
    made = rounds(state, shift.start)
    told = []
    for line, own in lines_of(state).items():
        mine = [r for r in made if r.line == line]
        done = sum(r.done is not None for r in mine)
        into = state.now - shift.start
        whole = shift.end - shift.start
        late = (done == 0 and into > FIRST_WITHIN) or (done < WANTED and into > 0.75 * whole)
        told.append(RoundDue(line, len(own), done, late, next((r for r in mine if r.done is None), None)))
    return told


def coming(state, hours: float) -> list[tuple[float, str]]:
    """When each round of each line is to be done by, hours from now, in this shift and those that follow; one that is late is
    due now."""
    told: list[tuple[float, str]] = []
    made = {d.line: d.done for d in due(state)}
    shift, until = state.shift, state.now + timedelta(hours=hours)
    while shift.start < until:
        by = (shift.start + FIRST_WITHIN, shift.start + 0.75 * (shift.end - shift.start))
        for line, done in made.items():
            told += [(max(0.0, (at - state.now) / timedelta(hours=1)), line) for at in by[done:] if at < until]
        made = dict.fromkeys(made, 0)
        shift = shift_of(shift.end, state.mill)
    return sorted(told)


def begin(*, state, line: str, by, now: datetime) -> Record:
    """Begin a round of a line; one that goes on is gone on with. Raises: Refused."""
    refuse(by, "look")
    if line not in lines_of(state):
        raise Refused("line", f"“{line[:20]}” is no line of this mill.")
    with writing():
        going = next((r for r in rounds(state, state.shift.start) if r.line == line and r.done is None), None)
        if going is not None:
            return going.begun
        name = "machine" if line == MACHINE else f"line {line}"
        return write(kind=Kind.EVENT, subject=f"{ROUND}{line}", by=by, now=now, says=f"Round of {name} begun", status=BEGUN)


def finish(*, state, begun: Record, skipped: dict[str, str], by, now: datetime) -> Record:
    """Finish a round: every stop was looked at, or skipped with a reason. Raises: Refused naming the first that was not."""
    refuse(by, "look")
    with writing():
        found = round_of(begun)
        if found.done is not None:
            raise Refused("line", f"It was finished at {clock(found.done.entered_at)} by {stop(found.done.signed)}")
        own = lines_of(state).get(found.line, [])
        left = [s for s in own if s.key not in found.seen]
        for s in left:
            if len(skipped.get(s.key, "").strip()) < 3:
                raise Refused(s.key, f"{s.look.title}, {s.title}: look, or say why it is skipped.")
        reasons = {s.key: skipped[s.key].strip()[:120] for s in left}
        minutes = (now - begun.at).total_seconds() / 60.0
        says = f"{begun.says.removesuffix(' begun')} done in {minutes:.0f} min: {len(own) - len(left)} looked at"
        says += f", {len(left)} skipped" if left else ""
        says += f", {len(found.findings)} findings" if found.findings else ", nothing found"
        data: dict[str, Any] = {"skipped": reasons, "minutes": minutes, "findings": len(found.findings)}
        return write(
            kind=Kind.EVENT, subject=begun.subject, by=by, now=now, says=says[:380], status=DONE, data=data, about=begun
        )
