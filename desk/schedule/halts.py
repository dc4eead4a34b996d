"""Stops of the machine and of single units, and reduced rates: entered, coded, ended, corrected by later records.

Cover, levels, lots and run cards follow the machine's own; what a unit stood still for is counted by cause.
"""

from dataclasses import dataclass
from datetime import datetime, timedelta
from urllib.parse import urlencode

from django.utils import timezone

from core.downtime import MOST_NUMBER, PAIRS, WHYS, Down, code, lost
from desk.kit.bench import time_typed, typed_number
from desk.kit.templatetags.vat import clock, dayclock
from desk.kit.text import plain, whole
from desk.kit.writing import writing
from desk.log.actions import write
from desk.log.models import Kind, Record
from desk.people.rights import refuse
from desk.schedule.actions import Refused

KINDS = (Kind.STOP, Kind.RATE, Kind.DOWN)
LONGEST = timedelta(days=30)
BACK = timedelta(days=2)
DOES = ("stop", "rate")


@dataclass(frozen=True)
class Halt:
    """A stop (`rate_pct` 0) or a reduced rate, read from what was typed."""

    start: datetime
    end: datetime
    what: str
    rate_pct: float
    planned: bool
    unit: str = ""  # empty: the machine
    code: str = ""  # empty: nobody has said yet


@dataclass(frozen=True)
class Told:
    """A halt as its record tells it. `late`: its cause must be said now."""

    record: Record
    halt: Halt
    name: str
    down: Down
    late: bool

    @property
    def minutes(self) -> float:
        return 60.0 * self.down.hours

    @property
    def words(self) -> str:
        return WHYS.get(self.down.why, "").partition(":")[0]

    @property
    def typed(self) -> str:
        return as_typed(self.halt, self.record.pk)


def units_of(mill) -> dict[str, tuple[str, str]]:
    """What may stand still on its own: the machine (empty), units of a station, digesters; each by its name and station."""
    named = {"": (mill.machine.name, "deliver")}
    named |= {u.id: (u.title, u.station) for u in mill.units if u.station in PAIRS and u.id != mill.roles.machine}
    return named | {d: (_digester(d), "cook") for d in mill.digesters}


def _digester(key: str) -> str:
    """A digester by its key: digester 1; digester 1, K where the key says its line."""
    line, _, own = key.rpartition(".")
    return f"digester {own}, {line}" if line else f"digester {own}"


def told(state, back: timedelta = timedelta(days=7)) -> list[Told]:
    """Everything that stood still or ran slower since, and what is ahead; the newest first."""
    known, made = units_of(state.mill), []
    kept = Record.objects.current().filter(kind__in=KINDS, at__gte=state.now - back - LONGEST, entered_at__lte=state.now)
    kept = kept.order_by("-at", "-id")
    for r in kept:
        end = datetime.fromisoformat(r.data["until"])
        if end <= max(r.at, state.now - back):
            continue  # over before, or taken back
        rate = float(r.data.get("rate_pct", 0.0))
        code_ = r.data.get("code", "")
        halt = Halt(r.at, end, r.data["what"], rate, r.data.get("planned", True), r.subject, code_)
        down = Down(r.subject, r.at.timestamp() / 3600.0, end.timestamp() / 3600.0, code_[2:3])
        late = down.must_say(state.now.timestamp() / 3600.0)
        made.append(Told(r, halt, known.get(r.subject, (r.subject, ""))[0], down, late))
    return made


def lost_by_cause(rows: list[Told], state, back: timedelta):
    """Hours lost by cause (`core.downtime.lost`), of what stood still; the machine's slower hours are no stops."""
    end = state.now.timestamp() / 3600.0
    return lost((t.down for t in rows if t.halt.rate_pct == 0.0), end - back.total_seconds() / 3600.0, end)


def as_typed(halt, record: int) -> str:
    """A halt as the query that opens the form with it; `record`: the one that keeps it, 0 for one that is not entered yet."""
    at = _typed_time
    does = {"does": "rate", "rate_pct": f"{halt.rate_pct:.0f}"} if halt.rate_pct else {"does": "stop"}
    planned = "yes" if halt.planned else "no"
    return urlencode(
        {
            **({"corrects": record} if record else {}),
            "unit": halt.unit,
            "from": at(halt.start),
            "to": at(halt.end),
            "what": halt.what,
            "planned": planned,
            **does,
        }
        | {"why": halt.code[2:3], "number": halt.code[3:].lstrip("0")}
    )


def _coded(data, station: str, bad: dict[str, str]) -> str:
    """The code that was typed; empty where the cause is not known yet."""
    why, number = data.get("why", ""), data.get("number", "").strip()
    if not why:
        return ""
    try:
        return code(station, why, whole(number) if whole(number) is not None else 0)
    except ValueError:
        said = f"“{number}”" if number else "empty"
        bad["why" if why not in WHYS else "number"] = (
            f"Cause is “{why}”; choose one of the list"
            if why not in WHYS
            else f"Number is {said}; it must be 1 to {MOST_NUMBER}, as in the mill’s own list"
        )
        return ""


def read(data, now: datetime, mill, corrects: Record | None = None) -> tuple[Halt | None, dict[str, str]]:
    """What was typed, or every problem by its field; with `corrects` its times may stay as they are, however old."""
    bad: dict[str, str] = {}
    units, unit = units_of(mill), data.get("unit", "")
    if unit not in units:
        bad["unit"] = f"What stands is “{unit}”; choose a unit of this mill"
    elif corrects is not None and corrects.subject != unit:
        bad["unit"] = "It stays the unit that it was entered for; take this one back and enter another"
    kept = corrects is not None and data.get("from", "").strip() == _typed_time(corrects.at)
    start_text, end_text = data.get("from", "").strip(), data.get("to", "").strip()
    start = corrects.at if kept and corrects is not None else now if not start_text else time_typed(start_text, now)
    if start is None:
        bad["from"] = f"From is “{start_text}”; it must be a time such as 14:00, or 2026-11-14 14:00"
    elif not kept and not now - BACK <= start <= now + LONGEST:
        bad["from"] = f"From is {dayclock(start)}; it must be within 2 days back and 30 days ahead"
    end = time_typed(end_text, now, after=start) if start is not None else None
    if corrects is not None and end_text == _typed_time(datetime.fromisoformat(corrects.data["until"])):
        end = datetime.fromisoformat(corrects.data["until"])
    if start is not None and end is None:
        bad["to"] = f"To is {'empty' if not end_text else f'“{end_text}”'}; give the time it is to end, such as 15:30"
    elif start is not None and end is not None and not start < end <= start + LONGEST:
        bad["to"] = f"To is {dayclock(end)}; it must be after {dayclock(start)} and at most 30 days later"
    rate = 0.0
    if data.get("does", "stop") not in DOES:
        bad["does"] = f"It “{data.get('does')}”; it stops, or runs slower"
    if data.get("does") == "rate":
        try:
            rate = typed_number(data.get("rate_pct", ""))
        except ValueError:
            rate = -1.0
        if not 1.0 <= rate <= 99.0:
            bad["rate_pct"] = f"Rate is “{data.get('rate_pct', '')}”; it must be 1 to 99 % of the machine’s speed"
        elif unit:
            bad["rate_pct"] = "Only the machine is entered as running slower; a unit stops or runs"
    what = plain(data.get("what", ""))[:80]
    if not what:
        bad["what"] = "What is empty; say in a word or two why: felts, break, steam"
    coded = _coded(data, units[unit][1], bad) if unit in units else ""
    if bad or start is None or end is None:
        return None, bad
    if Down(unit, start.timestamp() / 3600.0, end.timestamp() / 3600.0).micro:
        coded = ""  # counted, not coded
    return Halt(start, end, what, rate, data.get("planned") == "yes", unit, coded), bad


def _typed_time(when: datetime) -> str:
    return f"{timezone.localtime(when):%Y-%m-%d %H:%M}"


def data_of(halt: Halt) -> dict:
    """What is kept of it."""
    told_ = {"until": halt.end.isoformat(), "what": halt.what, "planned": halt.planned, "rate_pct": halt.rate_pct}
    return told_ | ({"code": halt.code} if halt.code else {})


def says(halt: Halt, name: str) -> str:
    """In words, by the name of the machine or the unit."""
    does = "stops" if halt.rate_pct == 0.0 else f"runs at {halt.rate_pct:g} %"
    word = ("" if halt.planned else ", unplanned") + (f", {halt.code}" if halt.code else "")
    return f"{name[0].upper()}{name[1:]} {does} {dayclock(halt.start)} to {clock(halt.end)}: {halt.what}{word}"


def enter(*, halt: Halt, by, now: datetime, state, corrects: Record | None = None) -> Record:
    """Keep a stop or a reduced rate; with `corrects` in the place of an earlier one. Two never overlap. Raises: Refused."""
    refuse(by, "stop")
    data = data_of(halt)
    kind = Kind.DOWN if halt.unit else Kind.STOP if halt.rate_pct == 0.0 else Kind.RATE
    beside = (Kind.DOWN,) if halt.unit else (Kind.STOP, Kind.RATE)
    with writing():
        if corrects is not None and (later := corrects.corrected_by.first()) is not None:
            raise Refused("from", f"It was changed at {clock(later.entered_at)} by {later.signed}; look again.")
        for other in Record.objects.current().filter(
            kind__in=beside, subject=halt.unit, at__gte=halt.start - LONGEST, at__lt=halt.end
        ):
            over = datetime.fromisoformat(other.data["until"]) > halt.start
            if over and (corrects is None or other.pk != corrects.pk):
                raise Refused("from", f"It overlaps another: {other.says}. Change or end that one.")
        words = says(halt, units_of(state.mill)[halt.unit][0])
        reason = "changed" if corrects is not None else ""
        common = {"by": by, "now": now, "at": halt.start, "corrects": corrects, "reason": reason}
        return write(kind=kind, subject=halt.unit, says=words, data=data, **common)


def end_now(*, record: Record, by, now: datetime, state) -> Record:
    """It runs as before from now on; one that has not begun is taken back. Raises: Refused, also for one that is over."""
    refuse(by, "stop")
    begun, until = record.at < now, datetime.fromisoformat(record.data["until"])
    data = {**record.data, "until": (now if begun else record.at).isoformat()}
    name = units_of(state.mill).get(record.subject, (record.subject, ""))[0]
    says = f"{name[0].upper()}{name[1:]} {'runs as before' if begun else 'goes on: taken back'}: {record.data['what']}"
    with writing():
        if (later := record.corrected_by.first()) is not None:
            raise Refused("from", f"It was changed at {clock(later.entered_at)} by {later.signed}; look again.")
        if until <= max(now, record.at):
            told = (
                f"It ended at {clock(until)} already; change it if it lasted longer." if begun else "It is taken back already."
            )
            raise Refused("from", told)
        common = {"by": by, "now": now, "at": record.at, "corrects": record, "reason": "ended"}
        return write(kind=record.kind, subject=record.subject, says=says, data=data, **common)
