"""Deviations as records: opened by rule or by anyone, contained, their cause, how they end; each an entry about the first."""

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import datetime, timedelta
from functools import cached_property

from core.deliver.deviation import CONTAIN, ENDS, RULES, Stands, missing
from core.deliver.lots import check_sign
from core.deliver.trace import WindowCase, suspect_window
from core.errors import CoreError
from core.lab.methods import TESTS
from core.mill.causes import place_of
from core.stream import SUSPENDED
from core.unit import Worked
from desk.deliver import tracing
from desk.deliver.actions import lot
from desk.deliver.signing import Hands, sign
from desk.kit.refused import FieldRefused
from desk.kit.templatetags.vat import clock, dayclock, stop
from desk.kit.writing import writing
from desk.lab.board import Board
from desk.log.actions import write
from desk.log.models import Kind, Record
from desk.mill.state import MillState
from desk.people.rights import refuse

PREFIX = "deviation."
OPENED, CONTAINED, CAUSE, CLOSED = "opened", "contained", "cause", "closed"
SHOWN_BACK = timedelta(days=60)
LOOKED_BACK = timedelta(hours=24)


class Refused(FieldRefused):
    """Why a deviation cannot be kept: `field` is where to show it."""


@dataclass(frozen=True)
class Deviation:
    """A deviation read from its records."""

    opened: Record
    after: tuple[Record, ...]

    @property
    def number(self) -> str:
        return self.opened.subject.removeprefix(PREFIX)

    def _newest(self, status: str) -> list[Record]:
        return [r for r in self.after if r.status == status]

    @property
    def closed(self) -> Record | None:
        return next(iter(self._newest(CLOSED)[-1:]), None)

    @property
    def is_open(self) -> bool:
        return self.closed is None

    @property
    def answered(self) -> dict[str, Record]:
        """What of the containment is answered, by its key, the newest answer of each."""
        return {r.data["what"]: r for r in self._newest(CONTAINED)}

    @property
    def cause(self) -> Record | None:
        return next(iter(self._newest(CAUSE)[-1:]), None)

    @property
    def suspect(self) -> str:
        return self.opened.data.get("suspect", "")

    @property
    def lots(self) -> list[str]:
        """The furnish lots that held some of it when it was opened, and when it was closed."""
        told = [*self.opened.data.get("lots", ()), *(self.closed.data.get("lots", ()) if self.closed is not None else ())]
        return list(dict.fromkeys(told))

    @property
    def rule(self) -> str:
        return RULES.get(self.opened.data.get("rule", ""), "")

    @cached_property
    def contained_in_min(self) -> float | None:
        """Minutes from opening until all of the containment was answered; None while it is not."""
        told = self.answered
        if set(told) < set(CONTAIN):
            return None
        return (max(r.at for r in told.values()) - self.opened.at).total_seconds() / 60.0


def deviations(state, *, only_open: bool = False) -> list[Deviation]:
    """Deviations of the last two months, and every open one, newest first."""
    opened = Record.objects.current().filter(kind=Kind.EVENT, subject__startswith=PREFIX, status=OPENED, at__lte=state.now)
    told = list(opened.order_by("-at", "-id"))
    if not told:
        return []
    after: dict[int, list[Record]] = {}
    for r in Record.objects.current().filter(kind=Kind.EVENT, about__in=told, subject__startswith=PREFIX).order_by("at", "id"):
        after.setdefault(r.about_id, []).append(r)
    found = [Deviation(r, tuple(after.get(r.pk, ()))) for r in told]
    return [d for d in found if d.is_open or (not only_open and d.opened.at >= state.now - SHOWN_BACK)]


def deviation(state, number: str) -> Deviation | None:
    return next((d for d in deviations(state) if d.number == number), None)


def touching(state, number: str, start: datetime, end: datetime) -> list[Deviation]:
    """Deviations that touch a furnish lot: it was named, or, while one is open, it holds some of what is suspect now."""
    told, trace = [], None
    for d in deviations(state):
        if number in d.lots:
            told.append(d)
        elif d.is_open and d.suspect:
            trace = trace or tracing.Trace(state)
            if number in lots_of(state, d, trace):
                told.append(d)
    return told


def lots_of(state, d: Deviation, trace: "tracing.Trace | None" = None) -> list[str]:
    """The furnish lots that hold any of what is suspect now; those of its opening where nothing is traced."""
    trace = trace or tracing.Trace(state)
    suspect = tracing.suspect_of(trace, d.suspect) if d.suspect else None
    if suspect is None:
        return d.lots
    try:
        now = [x.node.key for x in tracing.found_of(trace, suspect).lots]
    except CoreError:
        return d.lots
    return list(dict.fromkeys([*d.lots, *now]))


@dataclass(frozen=True)
class Due:
    """A deviation that the rules ask for and nobody has opened: its rule, its words, what is suspect."""

    rule: str
    words: str
    row: str
    at: datetime


def due(state) -> list[Due]:
    """What the rules would open: a critical test outside its outer band, a critical sample missed; each once."""
    known = {(d.opened.data.get("rule"), d.opened.data.get("row")) for d in deviations(state, only_open=True)}
    told = []
    for r in Board(state).rows:
        if not r.row.critical or r.result is None:
            continue
        test = TESTS[r.row.test]
        if r.state == "contain" and ("outer", r.row.id) not in known and r.result.at >= state.now - LOOKED_BACK:
            words = f"{r.row.place}, {test.name.lower()} {r.shown} {test.unit}, outside {r.limits}"
            told.append(Due("outer", words, r.row.id, r.result.at))
        if r.state == "old" and ("missed", r.row.id) not in known:
            told.append(
                Due("missed", f"{r.row.place}, {test.name.lower()}: due {dayclock(r.due_at)}, missed", r.row.id, r.due_at)
            )
    return told


def window_of(state, row_id: str) -> tuple[Worked, bool] | None:
    """The suspect window of a row between its good results, and whether one is good again; None where nothing was out.

    The rate is that of the unit whose pulp it reads, or what the machine takes.
    """
    row = state.mill.plan.get(row_id)
    if row is None:
        return None
    band = state.mill.band(row, state.grade)
    asked = Record.objects.current().filter(kind=Kind.RESULT, subject=row.id, at__lte=state.now)
    newest = list(asked.order_by("-at", "-id").values_list("at", "value")[:200])
    bad = next((i for i, (_, v) in enumerate(newest) if not band.low <= v <= band.high), None)
    if bad is None:
        return None
    again = newest[bad - 1][0] if bad > 0 else state.now
    good = next((at for at, v in newest[bad:] if band.low <= v <= band.high), newest[-1][0])
    unit, network = place_of(state.mill, row), state.solution.network
    rate = float(state.solution.after[network.index[unit]] @ SUSPENDED) if unit in network.index else state.takes_t_h
    if row.id.startswith(f"{state.mill.roles.point}."):
        rate = state.draw.solids_t_h
    midnight = good.replace(hour=0, minute=0, second=0, microsecond=0)
    hours = [(at - midnight) / timedelta(hours=1) for at in (good, again)]
    if hours[1] <= hours[0]:
        return None
    case = WindowCase(good_h=hours[0], again_h=hours[1], transport_h=0.0, rate_t_h=rate)
    return Worked(model="lots.suspect_window", case=case, result=suspect_window(case)), bad > 0


def _number(now: datetime) -> str:
    day = now.timetuple()
    prefix = f"DV{day.tm_year % 100:02d}{day.tm_yday:03d}"
    count = Record.objects.filter(subject__startswith=f"{PREFIX}{prefix}", status=OPENED).count() + 1
    bare = f"{prefix}{count:02d}"
    return f"{bare}{check_sign(bare)}"


def open_one(*, state, rule: str, words: str, row: str, suspect: str, by, now: datetime) -> Record:
    """Open a deviation; its suspect is traced as it stands. Raises: Refused; PermissionDenied."""
    refuse(by, "deviate")
    if rule not in RULES:
        raise Refused("rule", "Rule is empty; choose one.")
    if not 5 <= len(words.strip()) <= 300:
        raise Refused("words", "What was seen is empty or too short; say it in a sentence.")
    if row and row not in state.mill.plan:
        raise Refused("row", f"{row} is no row of the plan.")
    trace = tracing.Trace(state)
    key = suspect.strip() or (f"{tracing.METER}{row}" if row else "")
    found = tracing.suspect_of(trace, key) if key else None
    if suspect.strip() and found is None:
        raise Refused("suspect", f"“{suspect[:40]}” is not known; give a lot’s number, or leave it empty.")
    lots = []
    if found is not None:
        try:
            lots = [x.node.key for x in tracing.found_of(trace, found).lots]
        except CoreError as failure:
            raise Refused("suspect", f"It cannot be traced: {failure}") from None
    worked = window_of(state, row) if row else None
    data: dict = {"rule": rule, "row": row, "suspect": key, "lots": lots}
    if worked is not None:
        data["tonnes"] = worked[0].result.tonnes
    with writing():
        number = _number(now)
        return write(
            kind=Kind.EVENT,
            subject=f"{PREFIX}{number}",
            by=by,
            now=now,
            says=f"Deviation {number} opened: {words.strip()}"[:380],
            words=words.strip(),
            status=OPENED,
            data=data,
        )


def _still_open(state, number: str) -> Deviation:
    found = deviation(state, number)
    if found is None:
        raise Refused("action", f"Deviation {number} is not known.")
    if found.closed is not None:
        raise Refused("action", f"It was closed at {clock(found.closed.entered_at)} by {stop(found.closed.signed)}")
    return found


def contain(*, state, number: str, what: str, words: str, by, now: datetime) -> Record:
    """Answer one part of the containment, with how; a later answer stands over an earlier one. Raises: Refused."""
    refuse(by, "deviate")
    if what not in CONTAIN:
        raise Refused("action", "is none of the containment")
    if not words.strip():
        raise Refused(what, "How is empty; say what was done, or “not applicable” and why.")
    says = f"{CONTAIN[what]}: {words.strip()}"
    return _told(state, number, by=by, now=now, says=says, words=words, status=CONTAINED, data={"what": what})


def keep_cause(*, state, number: str, words: str, by, now: datetime) -> Record:
    """Its cause as it is known, or that it was not found. Raises: Refused."""
    refuse(by, "deviate")
    if not words.strip():
        raise Refused("cause", "Cause is empty; say what it was, or that it was not found.")
    return _told(state, number, by=by, now=now, says=f"cause: {words.strip()}", words=words, status=CAUSE)


def _told(state, number: str, *, by, now: datetime, says: str, words: str, status: str, data: dict | None = None) -> Record:
    """A part of an open deviation, kept beside it. Raises: Refused where it is closed."""
    with writing():
        opened = _still_open(state, number).opened
        told = {"subject": opened.subject, "about": opened, "words": words.strip(), "status": status, "data": data}
        return write(kind=Kind.EVENT, by=by, now=now, says=f"Deviation {number}, {says}"[:380], **told)


def good_again(state, d: Deviation) -> bool:
    """Whether its row read well again after what opened it; true of one without a row."""
    row = state.mill.plan.get(d.opened.data.get("row", ""))
    if row is None:
        return True
    band = state.mill.band(row, state.grade)
    newest = Record.objects.current().filter(kind=Kind.RESULT, subject=row.id, at__lte=state.now).order_by("-at", "-id").first()
    return newest is not None and band.low <= newest.value <= band.high


def waiting(state, numbers: list[str]) -> list[str]:
    """Of these lots those that nobody has released, diverted or downgraded."""
    found = [lot(n, state) for n in numbers]
    return [x.number for x in found if x is not None and x.standing in ("running", "waiting", "held")]


def lacks(state, d: Deviation, end: str) -> tuple[str, ...]:
    """What must be answered before it may be closed so."""
    lots = lots_of(state, d)
    cause = d.cause.words if d.cause is not None else ""
    stands = Stands(
        d.opened.data.get("rule", ""), frozenset(d.answered), cause, len(waiting(state, lots)), good_again(state, d)
    )
    return missing(stands, end)


def close(*, state, number: str, end: str, words: str, hands: Hands, by, now: datetime) -> Record:
    """Close a deviation with how it ends, signed by a lead and an engineer. Raises: Refused, also for what is not answered."""
    refuse(by, "dispose")
    found = _still_open(state, number)
    if not words.strip():
        raise Refused("words", "Disposition is empty; say what becomes of it and why.")
    if lacking := lacks(state, found, end):
        raise Refused("end", f"It cannot be closed yet: {'; '.join(lacking)}.")
    second = sign(hands, by, Refused)
    with writing():
        found = _still_open(MillState(now), number)
        return write(
            kind=Kind.EVENT,
            subject=found.opened.subject,
            by=by,
            now=now,
            says=f"Deviation {number} closed: {ENDS[end]}; signed by {by.signed} and {second.signed}"[:380],
            words=words.strip(),
            status=CLOSED,
            data={"end": end, "second": second.signed, "meaning": "closed", "lots": lots_of(state, found)},
            about=found.opened,
        )


def as_json(d: Deviation) -> Mapping[str, object]:
    """A deviation with all that was kept about it."""
    return {
        "number": d.number,
        "opened": d.opened.at.isoformat(),
        "by": d.opened.signed,
        "rule": d.opened.data.get("rule"),
        "words": d.opened.words,
        "lots": d.lots,
        "tonnes": d.opened.data.get("tonnes"),
        "entries": [{"at": r.at.isoformat(), "by": r.signed, "status": r.status, "says": r.says} for r in d.after],
        "open": d.is_open,
    }
