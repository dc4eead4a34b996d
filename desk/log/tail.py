"""The end of the record, held in a process: what pages ask of after every entry is read once, and then only what is new.

The record is append-only, so what was read of it stays true. Its last line's chained hash tells whether all that was read is
still there; after a roll-back what came with it is dropped, and in another database all is read anew. What reaches back further
than is held is asked of the record itself: the answer is the same, only slower.
"""

from bisect import bisect_left, bisect_right, insort
from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from operator import attrgetter
from typing import NamedTuple

from django.db import connection
from django.db.models import Q

from desk.log.models import Kind, Record, named

RESULTS_REACH = timedelta(days=3)  # before the last entry: so far back results are held
ANEW = timedelta(days=1)  # of entries later than when it was read, it is read anew, so that the oldest are let go
MOST_GROWN = 2000  # records that are added to what was read before it is read anew
EVER = datetime(1970, 1, 1, tzinfo=UTC)

_reaches: dict[tuple[str, str], timedelta | None] = {}


def hold(*kinds: Kind, back: timedelta | None, prefix: str = "") -> None:
    """Have records of these kinds, and whose subject begins so, held so far back; None is all there are.

    What nobody has asked for so is not held. A kind that is asked for twice is held as far back as the further one says.
    """
    for kind in kinds:
        known = _reaches.get((kind, prefix), timedelta(0))
        _reaches[kind, prefix] = None if known is None or back is None else max(known, back)
    forget()


class Taken(NamedTuple):
    """A result as boards need it."""

    pk: int
    subject: str
    at: datetime
    value: float
    status: str


@dataclass(frozen=True, repr=False)
class Tail:
    """What is held: its last record, records by kind and results by subject, oldest first.

    `corrected` are the numbers of all records that a later one corrects; `base` is the same as it was read from the database at
    first, where it has grown since.
    """

    last: tuple[int, str]
    begun: datetime  # when the last record was entered as it was read from the database
    entered: datetime  # when the last record was entered
    records: Mapping[str, list[Record]]
    results: Mapping[str, list[Taken]]
    corrected: frozenset[int]
    base: "Tail | None" = None

    def told(
        self,
        *kinds: Kind,
        since: datetime | None = None,
        until: datetime | None = None,
        prefix: str = "",
        status: Iterable[str] = (),
    ) -> list[Record]:
        """Current records of these kinds between two times, both included, oldest first.

        `prefix`: what their subject begins with; `status`: what their state is one of.
        """
        status = frozenset(status)
        if not all(self._covers(kind, prefix, since) for kind in kinds):
            return list(_asked(kinds, since, until, prefix, status).order_by("at", "id"))
        found = [
            r
            for kind in kinds
            for r in _between(self.records.get(kind, []), since, until)
            if r.pk not in self.corrected and r.subject.startswith(prefix) and (not status or r.status in status)
        ]
        return sorted(found, key=_by_time) if len(kinds) > 1 else found

    def newest(self, kind: Kind, *, until: datetime, subject: str = "", status: Iterable[str] = ()) -> Record | None:
        """The newest current record of a kind until a time; about a subject and in one of these states where they are told."""
        status = frozenset(status)
        reached = self._reached(kind, subject)
        for r in reversed(self.records.get(kind, ())):
            if reached is None or r.at < reached:
                break
            right = r.subject == subject or not subject
            if r.at <= until and r.pk not in self.corrected and right and (not status or r.status in status):
                return r
        if reached == EVER:
            return None
        asked = _asked((kind,), None, until, "", status)
        return (asked.filter(subject=subject) if subject else asked).order_by("-at", "-id").first()

    def recent_results(self, since: datetime, until: datetime, most: int, subject: str = "") -> dict[str, list[Taken]]:
        """The newest current results of every subject, or of one, between two times: at most so many of each, newest first."""
        result: dict[str, list[Taken]] = {}
        if since < self.begun - RESULTS_REACH:
            for row in Record.objects.recent_results(since, until, most, subject):
                result.setdefault(row[1], []).append(Taken(*row))
            return result
        among = {subject: self.results.get(subject, [])} if subject else self.results
        for subject, taken in among.items():
            found = []
            for r in reversed(taken):
                if r.at < since or len(found) == most:
                    break
                if r.at <= until and r.pk not in self.corrected:
                    found.append(r)
            if found:
                result[subject] = found
        return result

    def results_of(self, subjects: Iterable[str], since: datetime, status: Iterable[str]) -> list[Taken]:
        """The current results of these subjects from a time on, in one of these states, oldest first."""
        subjects, status = frozenset(subjects), frozenset(status)
        if since < self.begun - RESULTS_REACH:
            asked = _asked((Kind.RESULT,), since, None, "", status).filter(subject__in=subjects).order_by("at", "id")
            return [Taken(*row) for row in asked.values_list("pk", "subject", "at", "value", "status")]
        told = (r for s in subjects for r in self.results.get(s, ()) if r.at >= since and r.pk not in self.corrected)
        return sorted((r for r in told if r.status in status), key=_by_time)

    def _covers(self, kind: Kind, prefix: str, since: datetime | None) -> bool:
        reached = self._reached(kind, prefix)
        return reached is not None and (since or EVER) >= reached

    def _reached(self, kind: Kind, prefix: str) -> datetime | None:
        """Since when records of a kind whose subject begins so are all held; None where they are not."""
        for asked in ((kind, prefix), (kind, "")):
            if asked in _reaches:
                return EVER if (back := _reaches[asked]) is None else self.begun - back
        return None


def _by_time(r: Record | Taken) -> tuple:
    return r.at, r.pk


def _between(told: list[Record], since: datetime | None, until: datetime | None) -> list[Record]:
    """Of records by their time, those between two."""
    first = bisect_left(told, since, key=_at) if since is not None else 0
    return told[first : bisect_right(told, until, key=_at) if until is not None else None]


_at = attrgetter("at")


def _asked(kinds: Iterable[Kind], since: datetime | None, until: datetime | None, prefix: str, status: Iterable[str]):
    """The same, as a question to the record."""
    asked = Record.objects.current().filter(kind__in=tuple(kinds))
    if prefix:
        asked = asked.filter(subject__startswith=prefix)
    if since is not None:
        asked = asked.filter(at__gte=since)
    if until is not None:
        asked = asked.filter(at__lte=until)
    return asked.filter(status__in=tuple(status)) if status else asked


def _read(last: tuple[int, str]) -> Tail:
    """What is to be held of the record as it ends now."""
    newest = Record.objects.filter(pk=last[0]).values_list("entered_at", flat=True).first()
    begun, wanted = newest or EVER + timedelta(days=1000), Q(pk__in=())
    for (kind, prefix), back in _reaches.items():
        wanted |= named(kind, prefix) if back is None else named(kind, prefix) & Q(at__gte=begun - back)
    records: dict[str, list[Record]] = {}
    for r in Record.objects.filter(wanted, pk__lte=last[0]).order_by("at", "id"):
        records.setdefault(r.kind, []).append(r)
    results: dict[str, list[Taken]] = {}
    told = Record.objects.filter(kind=Kind.RESULT, at__gte=begun - RESULTS_REACH, pk__lte=last[0]).order_by("at", "id")
    for row in told.values_list("pk", "subject", "at", "value", "status"):
        results.setdefault(row[1], []).append(Taken(*row))
    corrected = Record.objects.filter(corrects__isnull=False, pk__lte=last[0]).values_list("corrects", flat=True)
    return Tail(last=last, begun=begun, entered=begun, records=records, results=results, corrected=frozenset(corrected))


def _grown(held: Tail, last: tuple[int, str]) -> Tail:
    """The same with what was written since."""
    records, results, corrected = dict(held.records), dict(held.results), set(held.corrected)
    entered = held.entered
    for r in Record.objects.filter(pk__gt=held.last[0], pk__lte=last[0]).order_by("pk"):
        entered = max(entered, r.entered_at)
        if r.corrects_id is not None:
            corrected.add(r.corrects_id)
        if not _wanted(r):
            continue
        into = results if r.kind == Kind.RESULT else records
        key = r.subject if r.kind == Kind.RESULT else r.kind
        if into.get(key) is (held.results if r.kind == Kind.RESULT else held.records).get(key):
            into[key] = list(into.get(key, ()))  # what another request reads of is never changed under it
        insort(into[key], Taken(r.pk, r.subject, r.at, r.value, r.status) if r.kind == Kind.RESULT else r, key=_by_time)
    return Tail(
        last=last,
        begun=held.begun,
        entered=entered,
        records=records,
        results=results,
        corrected=frozenset(corrected),
        base=held.base or held,
    )


def _wanted(r: Record) -> bool:
    return r.kind == Kind.RESULT or any(r.kind == kind and r.subject.startswith(prefix) for kind, prefix in _reaches)


def forget() -> None:
    """Drop what is held, so that it is read anew."""
    _held.clear()


_held: dict[str, Tail] = {}


def _ends(held: Tail | None) -> tuple[tuple[int, str], bool]:
    """How the record ends, its last number and hash, and whether what is held is still a part of it."""
    with connection.cursor() as cursor:
        asked = "SELECT id, hash, (SELECT hash FROM log_record WHERE id = %s) FROM log_record ORDER BY id DESC LIMIT 1"
        row = cursor.execute(asked, [held.last[0] if held else 0]).fetchone()
    if row is None:
        return (0, ""), False
    return (row[0], row[1]), held is not None and row[2] == held.last[1]


def tail() -> Tail:
    """What is held, as the record ends now."""
    held = _held.get("tail")
    last, there = _ends(held)
    if held is not None and not there and held.base is not None:
        held = held.base
        last, there = _ends(held)
    if held is not None and there and last == held.last:
        _held["tail"] = held
        return held
    if held is None or not there or last[0] - (held.base or held).last[0] > MOST_GROWN:
        held = _read(last)
    else:
        held = _grown(held, last)
        if held.entered - held.begun > ANEW:
            held = _read(last)
    _held["tail"] = held
    return held
