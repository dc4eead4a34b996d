"""The records that every page reads the mill's state from: stops, set points, chosen fits, cooks, batches, moistures, cards.

Sorted out of the end of the record that the process holds, and kept as long as that ends as it did.
"""

from collections.abc import Iterable, Sequence
from datetime import datetime, timedelta

from desk.log.models import Kind, Record
from desk.log.tail import Tail, Taken, hold, tail
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

for lasting in (SET, LEARNT, SHARES):
    hold(Kind.SETPOINT, prefix=lasting, back=None)
hold(Kind.COOK, prefix=FITTED, back=None)
hold(*HALTS, *ORDERED, back=HALTS_BACK + 2 * BACK)
hold(Kind.COOK, back=COOK_KEEPS + 2 * BACK)
hold(Kind.EVENT, prefix=BATCHES, back=BATCH_KEEPS + 2 * BACK)


class Standing:
    """Current records by what they tell, oldest first; each is asked for as of a time."""

    def __init__(self, held: Tail, now: datetime, rows: Sequence[str], fresh: timedelta):
        """`rows`: of the sampling plan whose results lead a feed's moisture, for `fresh` after they were taken."""
        self.since = since = now - BACK
        self._halts, self._ordered = (held.told(*kinds, since=since - HALTS_BACK) for kinds in (HALTS, ORDERED))
        self._sets = held.told(Kind.SETPOINT, prefix=SET)
        self._learnt = held.told(Kind.SETPOINT, prefix=LEARNT, status=("chosen",))
        self._fitted = held.told(Kind.COOK, prefix=FITTED, status=("chosen",))
        self._cooks = held.told(Kind.COOK, since=since - COOK_KEEPS, status=BLOWN)
        self._batches = held.told(Kind.EVENT, prefix=BATCHES, since=since - BATCH_KEEPS, status=("batch",))
        self._moistures = held.results_of(rows, since - fresh, TRUSTED)
        self._shares = [r for r in held.told(Kind.SETPOINT, prefix=SHARES) if r.subject == SHARES][-MOST_SHARES:]

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

    def moistures(self, now: datetime, fresh: timedelta) -> list[Taken]:
        return [r for r in _until(self._moistures, now) if r.at > now - fresh]


def forget() -> None:
    """Drop what is kept, so that it is read anew."""
    _kept.clear()


def _until(records: Iterable, now: datetime) -> list:
    return [r for r in records if r.at <= now]


def standing(now: datetime, rows: Sequence[str], fresh: timedelta) -> Standing:
    """What stands as the log is now, for a time that is not a day before it was read."""
    held = tail()
    key = (held.last, tuple(rows), fresh)
    kept = _kept.get(key)
    if kept is not None and kept.since <= now:
        return kept
    made = Standing(held, now, rows, fresh)
    if kept is None:
        if len(_kept) >= MOST_KEPT:
            _kept.clear()
        _kept[key] = made
    return made
