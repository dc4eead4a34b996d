"""The records that every page reads the mill's state from: stops, set points, chosen fits, cooks, batches, moistures, cards.

Read together and kept as long as the log ends as it did: its last record's chained hash stands for all that is in it. Where the
log has grown they are read anew.
"""

from collections.abc import Iterable, Sequence
from datetime import datetime, timedelta

from django.db import connection
from django.db.models import Q

from desk.log.models import Kind, Record, named
from desk.mill.in_force import PREFIX as SET
from desk.mill.loaded import BATCHES

HALTS_BACK = timedelta(days=10)
COOK_KEEPS = timedelta(hours=24)  # what the line counts with after a blow, until the next
BATCH_KEEPS = timedelta(hours=8)  # a batch tells of the mix so long
SHARES = "blend.shares"
FITTED = "fit."  # of the record of a chosen fit, then its wood
LEARNT = "constants."  # of the record of a unit's chosen constants, then the unit
TRUSTED = ("single", "accepted")
ORDERED = (Kind.RUNCARD, Kind.START)
HALTS, BLOWN = (Kind.STOP, Kind.RATE), ("blown", "tested")
MOST_SHARES = 200
BACK = timedelta(hours=24)  # what is kept also tells of a time so long before it was read

_kept: dict[tuple, "Standing"] = {}  # the newest reading, by how the log ends and what was asked of it
MOST_KEPT = 4


class Standing:
    """Current records by what they tell, oldest first; each is asked for as of a time."""

    def __init__(self, now: datetime, rows: Sequence[str], fresh: timedelta):
        """`rows`: of the sampling plan whose results lead a feed's moisture, for `fresh` after they were taken."""
        self.since = now - BACK
        lasting = named(Kind.SETPOINT, SET) | Q(status="chosen") & (named(Kind.SETPOINT, LEARNT) | named(Kind.COOK, FITTED))
        made = Q(kind=Kind.COOK, status__in=BLOWN, at__gt=self.since - COOK_KEEPS)
        loaded = named(Kind.EVENT, BATCHES) & Q(status="batch", at__gt=self.since - BATCH_KEEPS)
        asked = Q(kind__in=(*HALTS, *ORDERED), at__gte=self.since - HALTS_BACK) | lasting | made | loaded
        if rows:
            asked |= Q(kind=Kind.RESULT, subject__in=rows, status__in=TRUSTED, at__gt=self.since - fresh)
        told: dict[str, list[Record]] = {}
        for r in Record.objects.current().filter(asked).order_by("at", "id"):
            told.setdefault(_what(r), []).append(r)
        self._halts, self._sets, self._learnt, self._ordered = (told.get(k, []) for k in ("halt", SET, LEARNT, "order"))
        self._fitted, self._cooks, self._batches, self._moistures = (
            told.get(k, []) for k in (FITTED, "cook", BATCHES, "moisture")
        )
        shares = Record.objects.current().filter(kind=Kind.SETPOINT, subject=SHARES)
        self._shares = list(shares.order_by("-at", "-id")[:MOST_SHARES])[::-1]

    def halts(self, now: datetime) -> list[Record]:
        """Stops and reduced rates of the machine that begin in the ten days before, or later."""
        return [r for r in self._halts if r.at >= now - HALTS_BACK]

    def cards(self, now: datetime) -> list[Record]:
        """Cards issued in the ten days before, oldest first, but those of orders that have started."""
        told = [r for r in _until(self._ordered, now) if r.at >= now - HALTS_BACK]
        started = {r.subject for r in told if r.kind == Kind.START}
        return sorted((r for r in told if r.kind == Kind.RUNCARD and r.subject not in started), key=lambda r: r.pk)

    def shares(self, now: datetime, most: int) -> list[Record]:
        return _until(self._shares, now)[-most:]

    def sets(self, now: datetime) -> dict[str, Record]:
        """The newest set point of each unit."""
        return {r.subject.removeprefix(SET): r for r in _until(self._sets, now)}

    def learnt(self, now: datetime) -> dict[str, dict]:
        """What was chosen last of each unit's constants."""
        return {r.subject.removeprefix(LEARNT): r.data for r in _until(self._learnt, now)}

    def fitted(self, now: datetime) -> dict[str, dict]:
        """What was chosen last of each wood's fit."""
        return {r.subject.removeprefix(FITTED): r.data for r in _until(self._fitted, now)}

    def cooks(self, now: datetime) -> list[Record]:
        return [r for r in _until(self._cooks, now) if r.at > now - COOK_KEEPS]

    def batches(self, now: datetime) -> list[Record]:
        return [r for r in _until(self._batches, now) if r.at > now - BATCH_KEEPS]

    def moistures(self, now: datetime, fresh: timedelta) -> list[Record]:
        return [r for r in _until(self._moistures, now) if r.at > now - fresh]


def forget() -> None:
    """Drop what is kept, so that it is read anew."""
    _kept.clear()


def _what(r: Record) -> str:
    """What a record tells: the start of its subject where that says it."""
    if r.kind in HALTS:
        return "halt"
    if r.kind in ORDERED:
        return "order"
    if r.kind == Kind.RESULT:
        return "moisture"
    prefix = next((p for p in (SET, LEARNT, FITTED, BATCHES) if r.subject.startswith(p)), "")
    return prefix or "cook"


def _until(records: Iterable[Record], now: datetime) -> list[Record]:
    return [r for r in records if r.at <= now]


def standing(now: datetime, rows: Sequence[str], fresh: timedelta) -> Standing:
    """What stands as the log is now, for a time that is not a day before it was read."""
    with connection.cursor() as cursor:
        last = cursor.execute("SELECT hash FROM log_record ORDER BY id DESC LIMIT 1").fetchone()
    key = (last, tuple(rows), fresh)
    kept = _kept.get(key)
    if kept is not None and kept.since <= now:
        return kept
    made = Standing(now, rows, fresh)
    if kept is None:
        if len(_kept) >= MOST_KEPT:
            _kept.clear()
        _kept[key] = made
    return made
