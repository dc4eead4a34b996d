"""The plan and the orders as files: CSV and JSON out and in, stops and due samples as a calendar."""

import csv
import io
import json
import math
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta

from django.utils import timezone
from icalendar import Calendar, Event

from desk.kit.bench import time_typed, typed_number
from desk.kit.lane import Flags, Lanes
from desk.kit.sheet import safe
from desk.kit.text import plain
from desk.kit.writing import writing
from desk.log.models import Kind, Record
from desk.people.rights import refuse
from desk.schedule.actions import Refused, add_order
from desk.schedule.order_plan import HOURS, Judged, Plan

COLUMNS = ("order", "grade", "gsm", "sale_t", "speed_m_min", "start", "due")
PLAN_FORMAT = "fox-vat plan 1"
MOST_ROWS, MOST_BYTES = 200, 200_000
AHEAD = timedelta(days=60)
BACK = timedelta(days=1)
LEAST_EVENT = timedelta(minutes=10)


def plan_csv(plan: Plan, judged: Judged) -> str:
    """The orders of a plan, a line each, in the columns that are read in again, with what the plan makes of them."""
    out = io.StringIO()
    sheet = csv.writer(out)
    sheet.writerow([*COLUMNS, "begins", "ends", "washed_h", "late_h"])
    local = lambda h: timezone.localtime(plan.state.now + timedelta(hours=h)).isoformat(timespec="minutes")  # noqa: E731
    for run in judged.found.runs:
        w = plan.waiting[run.order]
        data = w.record.data
        row = [w.number, w.grade, f"{data['gsm']:g}", f"{data['sale_t']:g}", f"{data['speed_m_min']:g}"]
        row += [timezone.localtime(t).isoformat(timespec="minutes") for t in (w.start, w.due)]
        row += [local(run.begins_h), local(run.ends_h), f"{run.washed:.2f}", f"{run.late_h:.2f}"]
        sheet.writerow([safe(cell) for cell in row])
    return out.getvalue()


def calendar(plan: Plan, lanes: Lanes, name: str) -> bytes:
    """Stops and critical samples of the next hours as an iCalendar file. Each keeps its name from one file to the next, so that
    a calendar that takes it in again moves what it has."""
    cal = Calendar()
    cal.add("prodid", "-//Fox Vat//plan//EN")
    cal.add("version", "2.0")
    cal.add("x-wr-calname", name)
    made = plan.state.now.astimezone(UTC)

    def event(uid: str, summary: str, begins: datetime, ends: datetime, words: str) -> None:
        e = Event()
        e.add("uid", f"{uid}@fox-vat")
        e.add("dtstamp", made)
        e.add("dtstart", begins.astimezone(UTC))
        e.add("dtend", max(ends, begins + LEAST_EVENT).astimezone(UTC))
        e.add("summary", summary)
        e.add("description", words)
        cal.add_component(e)

    at = lambda h: plan.state.now + timedelta(hours=h)  # noqa: E731
    for s in plan.stands:
        event(f"stop-{s.key}", f"{s.name} stands", at(s.from_h), at(s.to_h), s.what)
    for flag in (f for lane in lanes if isinstance(lane, Flags) for f in lane.flags if f.critical and f.hour < HOURS):
        begins = at(flag.hour)
        key = f"sample-{flag.text}-{begins.astimezone(UTC):%Y%m%d%H%M}".replace(" ", "-")
        event(key, f"Sample: {flag.text}", begins, begins + LEAST_EVENT, "critical; due by the sampling plan")
    return cal.to_ical()


@dataclass(frozen=True)
class Read:
    """An order as a line of a file gives it, or what is wrong with it."""

    line: int
    number: str
    values: dict
    bad: tuple[str, ...]
    there: bool  # in the queue already: left as it is


def _rows(text: str) -> list[tuple[int, dict[str, str]]]:
    """Lines of a CSV or JSON file as words by column. Raises: Refused for a file that is neither."""
    if len(text.encode()) > MOST_BYTES:
        raise Refused("text", f"The file is longer than {MOST_BYTES // 1000} kB.")
    if text.lstrip().startswith(("[", "{")):
        try:
            told = json.loads(text)
        except (ValueError, RecursionError):
            raise Refused("text", "It begins like JSON and is none.") from None
        listed = told.get("orders") if isinstance(told, dict) else told
        if not isinstance(listed, list) or not all(isinstance(row, dict) for row in listed):
            raise Refused("text", "JSON must be a list of orders, or hold one under “orders”.")
        return [(k, {str(a): "" if b is None else str(b) for a, b in row.items()}) for k, row in enumerate(listed, start=1)]
    try:
        sheet = csv.DictReader(io.StringIO(text.lstrip("\ufeff")), delimiter=";" if ";" in text.partition("\n")[0] else ",")
        rows = [(sheet.line_num, {(k or "").strip(): (v or "") for k, v in row.items() if isinstance(v, str)}) for row in sheet]
    except csv.Error as failure:
        raise Refused("text", f"It is no CSV file: {failure}.") from None
    return rows


def order_of(text: str, plan: Plan) -> str | None:
    """The order of orders that a plan's own file (JSON) has, as an address of the plan has it; None for another file. Orders
    that wait and are not in it go behind. Raises: Refused for a plan of orders that do not wait here."""
    try:
        told = json.loads(text) if text.lstrip().startswith("{") else None
    except (ValueError, RecursionError):
        return None
    if not isinstance(told, dict) or told.get("format") != PLAN_FORMAT:
        return None
    listed = told.get("orders")
    if not isinstance(listed, list) or not all(isinstance(row, dict) for row in listed):
        raise Refused("text", "It is a plan without a list of orders.")
    waiting = [w.number for w in plan.waiting]
    numbers = list(dict.fromkeys(str(row.get("order")) for row in listed))
    if gone := [number for number in numbers if number not in waiting]:
        raise Refused(
            "text", f"Of its orders, {', '.join(gone[:6])} do not wait here: they have started, or are not in the queue."
        )
    return ",".join([*numbers, *(number for number in waiting if number not in numbers)])


def read_orders(text: str, state) -> list[Read]:
    """Every order of a file, with what is wrong with it in words; nothing is kept. Raises: Refused."""
    rows = _rows(text)
    if not rows:
        raise Refused("text", "It holds no order. A first line names the columns, then a line for each order.")
    if len(rows) > MOST_ROWS:
        raise Refused("text", f"It holds {len(rows)} orders; at most {MOST_ROWS} are taken at once.")
    if missing := {"order", "grade", "sale_t", "start"} - set(rows[0][1]):
        raise Refused("text", f"It lacks the columns: {', '.join(c for c in COLUMNS if c in missing)}.")
    queued = set(Record.objects.current().filter(kind=Kind.ORDER).values_list("subject", flat=True))
    seen: set[str] = set()
    return [_read(line, row, state, queued, seen) for line, row in rows]


def _read(line: int, row: dict[str, str], state, queued: set[str], seen: set[str]) -> Read:
    bad: list[str] = []
    number, key = plain(row.get("order", "")).strip()[:40], plain(row.get("grade", "")).strip()
    grade = state.mill.grades.get(key) or next((g for g in state.mill.grades.values() if g.name == key), None)
    if not number:
        bad.append("order is empty")
    elif number in seen:
        bad.append(f"order {number} stands in the file twice")
    seen.add(number)
    if grade is None:
        bad.append(f"grade is “{key[:40]}”; it must be one of {', '.join(state.mill.grades)}")
    values: dict = {"grade": grade.key if grade else ""}
    default = {"gsm": grade.gsm, "speed_m_min": grade.speed_m_min} if grade else {"gsm": 80.0, "speed_m_min": 800.0}
    for name, low, high in (("gsm", 1.0, 1000.0), ("sale_t", 0.1, 10_000.0), ("speed_m_min", 1.0, 3000.0)):
        typed = row.get(name, "").strip()
        if not typed and name in default:
            values[name] = default[name]
            continue
        try:
            values[name] = typed_number(typed)
        except ValueError:
            values[name] = math.nan
        if not low <= values[name] <= high:
            bad.append(f"{name} is {f'“{typed[:20]}”' if typed else 'empty'}; it must be a number from {low:g} to {high:g}")
    for name in ("start", "due"):
        typed = row.get(name, "").strip()
        if not typed and name == "due":
            continue
        when = _time(typed, state.now)
        if when is None or not state.now - BACK <= when <= state.now + AHEAD:
            told, such = f"“{typed[:30]}”" if typed else "empty", timezone.localtime(state.now + timedelta(days=1))
            bad.append(f"{name} is {told}; it must be a time within {AHEAD.days} days, such as {such:%Y-%m-%d} 14:00")
        else:
            values[name] = when
    return Read(line, number, values, tuple(bad), number in queued)


def _time(text: str, now: datetime) -> datetime | None:
    try:
        told = datetime.fromisoformat(text)
    except ValueError:
        return time_typed(text, now)
    return timezone.make_aware(told) if timezone.is_naive(told) else told


@writing()
def take_in(*, rows: list[Read], by, now: datetime, state) -> tuple[list[str], list[str]]:
    """Put every order of a file into the queue, all of them or none: numbers that were kept, and those that stood there already
    and were left. Raises: Refused where one is wrong."""
    refuse(by, "plan")
    wrong = next((r for r in rows if r.bad), None)
    if wrong is not None:
        raise Refused("text", f"Line {wrong.line}: {wrong.bad[0]}.")
    kept, left = [], []
    for r in rows:
        if r.there:
            left.append(r.number)
            continue
        values = {k: v for k, v in r.values.items() if k != "due"}
        add_order(by=by, now=now, number=r.number, state=state, due=r.values.get("due"), **values)
        kept.append(r.number)
    return kept, left


def words_of(kept: list[str], left: list[str]) -> str:
    """What was done with a file, as a person is told."""
    told = f"{len(kept)} order{'' if len(kept) == 1 else 's'} put in the queue"
    if not left:
        return f"{told}."
    return f"{told}; {', '.join(left)} stood there already and {'is' if len(left) == 1 else 'are'} left unchanged."
