"""Stops and reduced rates of the machine: entered, ended, corrected by later records; cover and run cards follow them."""

from dataclasses import dataclass
from datetime import datetime, timedelta
from urllib.parse import urlencode

from django.utils import timezone

from desk.kit.bench import time_typed, typed_number
from desk.kit.templatetags.vat import clock, dayclock
from desk.kit.text import plain
from desk.kit.writing import writing
from desk.log.actions import write
from desk.log.models import Kind, Record
from desk.people.rights import refuse
from desk.schedule.actions import Refused

LONGEST = timedelta(days=30)
BACK = timedelta(days=2)


@dataclass(frozen=True)
class Halt:
    """A stop (`rate_pct` 0) or a reduced rate, read from what was typed."""

    start: datetime
    end: datetime
    what: str
    rate_pct: float
    planned: bool


def as_typed(halt) -> str:
    """A kept halt as the query that opens the form with it."""
    at = lambda when: f"{timezone.localtime(when):%Y-%m-%d %H:%M}"  # noqa: E731
    does = {"does": "rate", "rate_pct": f"{halt.rate_pct:.0f}"} if halt.rate_pct else {"does": "stop"}
    planned = "yes" if halt.planned else "no"
    return urlencode(
        {"corrects": halt.record, "from": at(halt.start), "to": at(halt.end), "what": halt.what, "planned": planned, **does}
    )


def read(data, now: datetime) -> tuple[Halt | None, dict[str, str]]:
    """What was typed, or every problem by its field."""
    bad: dict[str, str] = {}
    start_text, end_text = data.get("from", "").strip(), data.get("to", "").strip()
    start = now if not start_text else time_typed(start_text, now)
    if start is None:
        bad["from"] = f"From is “{start_text}”; it must be a time such as 14:00, or 2026-11-14 14:00"
    elif not now - BACK <= start <= now + LONGEST:
        bad["from"] = f"From is {dayclock(start)}; it must be within 2 days back and 30 days ahead"
    end = time_typed(end_text, now, after=start) if start is not None else None
    if start is not None and end is None:
        bad["to"] = f"To is {'empty' if not end_text else f'“{end_text}”'}; give the time it is to end, such as 15:30"
    elif start is not None and end is not None and not start < end <= start + LONGEST:
        bad["to"] = f"To is {dayclock(end)}; it must be after {dayclock(start)} and at most 30 days later"
    rate = 0.0
    if data.get("does") == "rate":
        try:
            rate = typed_number(data.get("rate_pct", ""))
        except ValueError:
            rate = -1.0
        if not 1.0 <= rate <= 99.0:
            bad["rate_pct"] = f"Rate is “{data.get('rate_pct', '')}”; it must be 1 to 99 % of the machine’s speed"
    what = plain(data.get("what", ""))[:80]
    if not what:
        bad["what"] = "What is empty; say in a word or two why: felts, break, steam"
    if bad or start is None or end is None:
        return None, bad
    return Halt(start, end, what, rate, data.get("planned") == "yes"), bad


def data_of(halt: Halt) -> dict:
    """What is kept of it."""
    return {"until": halt.end.isoformat(), "what": halt.what, "planned": halt.planned, "rate_pct": halt.rate_pct}


def says(halt: Halt, name: str) -> str:
    """In words, by the machine's name."""
    does = "stops" if halt.rate_pct == 0.0 else f"runs at {halt.rate_pct:g} %"
    word = "" if halt.planned else ", unplanned"
    return f"{name[0].upper()}{name[1:]} {does} {dayclock(halt.start)} to {clock(halt.end)}: {halt.what}{word}"


def enter(*, halt: Halt, by, now: datetime, state, corrects: Record | None = None) -> Record:
    """Keep a stop or a reduced rate; with `corrects` in the place of an earlier one. Two never overlap. Raises: Refused."""
    refuse(by, "stop")
    data = data_of(halt)
    kind = Kind.STOP if halt.rate_pct == 0.0 else Kind.RATE
    with writing():
        if corrects is not None and (later := corrects.corrected_by.first()) is not None:
            raise Refused("from", f"It was changed at {clock(later.entered_at)} by {later.signed}; look again.")
        for other in Record.objects.current().filter(
            kind__in=(Kind.STOP, Kind.RATE), at__gte=halt.start - LONGEST, at__lt=halt.end
        ):
            over = datetime.fromisoformat(other.data["until"]) > halt.start
            if over and (corrects is None or other.pk != corrects.pk):
                raise Refused("from", f"It overlaps another: {other.says}. Change or end that one.")
        told = says(halt, state.mill.machine.name)
        reason = "changed" if corrects is not None else ""
        return write(kind=kind, by=by, now=now, at=halt.start, says=told, data=data, corrects=corrects, reason=reason)


def end_now(*, record: Record, by, now: datetime, state) -> Record:
    """The machine runs as before from now on; one that has not begun is taken back. Raises: Refused."""
    refuse(by, "stop")
    begun = record.at < now
    data = {**record.data, "until": (now if begun else record.at).isoformat()}
    name = state.mill.machine.name
    says = f"{name[0].upper()}{name[1:]} {'runs as before' if begun else 'goes on: taken back'}: {record.data['what']}"
    with writing():
        if (later := record.corrected_by.first()) is not None:
            raise Refused("from", f"It was changed at {clock(later.entered_at)} by {later.signed}; look again.")
        return write(kind=record.kind, by=by, now=now, at=record.at, says=says, data=data, corrects=record, reason="ended")
