"""Every row of the sampling plan as it stands now: last result, judgement, what is due, the move that waits."""

from dataclasses import dataclass
from datetime import datetime, timedelta

from core.judge.band import GRAVITY, Band, Judgement, State, judge
from core.judge.due import TIMES, Due, DueState, Pace, due, kept_pace, may_ease
from core.lab.methods import TESTS
from desk.kit import units
from desk.kit.templatetags.vat import figure, hm, midline
from desk.kit.units import Schools
from desk.kit.words import limits
from desk.lab.plan import Bearing, Change, Stop
from desk.log.models import Kind, Record
from desk.log.tail import hold, tail

LOOK_BACK_H = 48
KEPT = 12  # newest results of a row that its judgement and its interval look at
STANDS = {"single", "accepted"}

hold(Kind.MOVE, Kind.DECISION, Kind.EFFECT, back=timedelta(hours=LOOK_BACK_H + 24))


@dataclass(frozen=True)
class RowNow:
    """One plan row at `now`. `results` newest first, only those that stand; `result` the newest or None."""

    row: object
    band: Band
    results: tuple
    due: Due
    due_at: datetime
    judgement: Judgement | None
    move: Record | None
    decision: Record | None
    retest: bool = False
    schools: Schools | None = None
    pace: Pace = Pace.PLANNED
    outside: tuple[bool, ...] = ()  # of the newest results, oldest first
    since_last_min: float = 0.0
    changes: tuple[Change, ...] = ()
    stops: tuple[Stop, ...] = ()
    doubled: Record | None = None
    now: datetime | None = None
    each_batch: bool = False

    @property
    def every_min(self) -> float:
        """The interval it is sampled by now."""
        return self.row.interval_min * TIMES[self.pace]

    @property
    def extra(self) -> Change | None:
        """What asks for a sample before the interval is over."""
        return self.changes[self.due.extra] if self.due.extra is not None else None

    @property
    def stop(self) -> Stop | None:
        """The planned stop that puts it off."""
        return self.stops[self.due.stop] if self.due.stop is not None else None

    @property
    def may_ease(self) -> bool:
        """Whether a shift lead may double its interval now."""
        return self.pace is Pace.PLANNED and may_ease(self.outside, critical=self.row.critical, each_batch=self.each_batch)

    @property
    def result(self):
        return self.results[0] if self.results else None

    @property
    def test(self):
        return TESTS[self.row.test]

    @property
    def state(self) -> str:
        """in, watch, act, contain; old when the next sample has been missed; none without a result."""
        if self.result is None:
            return "none"
        if self.due.state is DueState.MISSED:
            return "old"
        return self.judgement.state.value

    @property
    def gravity(self) -> int:
        return GRAVITY[self.judgement.state] if self.judgement and self.state not in ("old", "none") else 0

    @property
    def position(self) -> float:
        """0 at the lower limit, 1 at the upper, for the gauge; one-sided bands lean on their limit."""
        low, high = self.band.low, self.band.high
        if low == float("-inf"):
            low = high - 2 * abs(high) if high else high - 1
        if high == float("inf"):
            high = low + 2 * abs(low) if low else low + 1
        return (self.result.value - low) / (high - low)

    @property
    def shown(self) -> str:
        """The newest result in the digits and steps its test reports; one digit more where rounding would hide its state."""
        if self.result is None:
            return "none"
        value = self.result.value
        shown = self.test.shown(value)
        inside = self.band.low <= shown <= self.band.high
        digits = self.test.digits(value)
        if inside and self.judgement and self.judgement.state in (State.ACT, State.CONTAIN):
            shown, digits = value, digits + 1
        number, _, more = units.shown(shown, self.test.unit, self.schools)
        return figure(number, digits + more)

    @property
    def unit(self) -> str:
        """The unit of `shown`."""
        return units.shown(self.result.value if self.result else None, self.test.unit, self.schools)[1]

    @property
    def short_unit(self) -> str:
        """The unit as it fits beside a figure on the ribbon."""
        return self.unit.split(" ")[0]

    @property
    def roomy(self) -> bool:
        """Whether a gauge fits beside the figure and unit."""
        return len(self.shown) + len(self.short_unit) <= 7

    @property
    def short_place(self) -> str:
        return self.row.place if self.test.unit else f"{self.row.place} {midline(self.test.name)}"

    @property
    def late_words(self) -> str:
        """18 min, 2 h 05."""
        return hm(self.due.late_min / 60.0)

    @property
    def limits(self) -> str:
        return limits(self.band, self.test.decimals, self.test.unit, self.schools)


def confirmed(row, band: Band, newest, before) -> bool:
    """Whether a reading outside its band is confirmed: an accepted duplicate where the mill says so, or a second sample."""
    if row.on_duplicate and newest.status == "accepted":
        return True
    if before is None:
        return False
    side = 1 if newest.value > band.high else -1 if newest.value < band.low else 0
    return (side > 0 and before.value > band.high) or (side < 0 and before.value < band.low)


class Board:
    """The plan at one time, from a handful of queries."""

    def __init__(self, state, only: str = ""):
        """`only`: the id of the one row that is asked for; the others are left out."""
        self.mill_state, self.now = state, state.now
        since, held = self.now - timedelta(hours=LOOK_BACK_H), tail()
        self.results = held.recent_results(since, self.now, KEPT, only)
        told = held.told(Kind.MOVE, Kind.DECISION, Kind.EFFECT, since=since, until=self.now)
        if only:
            told = [r for r in told if r.subject == only]
        moves = [r for r in reversed(told) if r.kind == Kind.MOVE]
        self.decided_on = {d.subject: d for d in told if d.kind == Kind.DECISION}  # the newest on each
        decisions = {d.about_id: d for d in told if d.kind == Kind.DECISION}
        judged = {e.about_id for e in told if e.kind == Kind.EFFECT}
        self.moves: dict[str, Record] = {}
        for m in moves:
            self.moves.setdefault(m.subject, m)
        self.decisions = {m.subject: decisions.get(m.pk) for m in self.moves.values()}
        self.judged = judged
        self.bearing = Bearing(state)
        self.rows = tuple(self._row(row) for row in state.mill.plan.values() if not only or row.id == only)
        self.by_id = {r.row.id: r for r in self.rows}

    def decided(self, subject: str, since: datetime) -> Record | None:
        """What was decided last on a subject, where that is not older."""
        decision = self.decided_on.get(subject)
        return decision if decision is not None and decision.at >= since else None

    def _row(self, row) -> RowNow:
        band = self.mill_state.mill.band(row, self.mill_state.grade)
        taken = self.results.get(row.id, [])
        stands = tuple(r for r in taken if r.status in STANDS)
        outside = tuple(not band.low <= r.value <= band.high for r in reversed(stands))
        doubled = self.bearing.doubled.get(row.id)
        each_batch = row.id in self.bearing.each_batch
        pace = kept_pace(outside, eased=doubled is not None, critical=row.critical, each_batch=each_batch)
        changes, stops = (tuple(told.get(row.id, ())) for told in (self.bearing.changes, self.bearing.stops))
        every = row.interval_min * TIMES[pace]
        since = (self.now - taken[0].at).total_seconds() / 60.0 if taken else every
        state = due(
            since_last_min=since,
            interval_min=every,
            changes=[c.seen(self.now) for c in changes],
            stops=[s.seen(self.now) for s in stops],
        )
        due_at = self.now + timedelta(minutes=state.in_min)
        judgement = None
        if stands:
            before = stands[1] if len(stands) > 1 else None
            judgement = judge(stands[0].value, band, confirmed=confirmed(row, band, stands[0], before))
        move, decision = self.moves.get(row.id), self.decisions.get(row.id)
        retest = False
        if decision and decision.data["choice"] != "refuse" and decision.pk not in self.judged:
            retest_at = datetime.fromisoformat(decision.data["retest_at"])
            if not taken or taken[0].at < decision.at:
                in_min = (retest_at - self.now).total_seconds() / 60.0
                if retest_at < due_at:
                    due_at, retest = retest_at, True
                    state = due(since_last_min=60.0 - in_min, interval_min=60.0)
        elif taken and taken[0].status == "third_needed":
            due_at, retest = self.now, True
            state = due(since_last_min=60.0, interval_min=60.0)
        if move and stands and move.about_id != stands[0].pk and not (decision and decision.pk not in self.judged):
            move = decision = None  # a newer result has overtaken it
        return RowNow(
            row,
            band,
            stands,
            state,
            due_at,
            judgement,
            move,
            decision,
            retest,
            self.mill_state.schools,
            pace=pace,
            outside=outside,
            since_last_min=since,
            changes=changes,
            stops=stops,
            doubled=doubled,
            now=self.now,
            each_batch=each_batch,
        )

    @property
    def due_rows(self) -> list[RowNow]:
        """Late first, then by time."""
        return sorted(self.rows, key=lambda r: r.due_at)

    @property
    def drifting(self) -> list[RowNow]:
        """Rows not in band, worst first."""
        off = [r for r in self.rows if r.gravity > 0]
        return sorted(off, key=lambda r: (-r.gravity, -r.result.at.timestamp()))

    def counts(self) -> dict[str, int]:
        result = {"contain": 0, "act": 0, "watch": 0, "in": 0, "old": 0, "none": 0}
        for r in self.rows:
            result[r.state] += 1
        return result

    @property
    def late(self) -> int:
        return sum(r.due.state in (DueState.LATE, DueState.MISSED) for r in self.rows)

    @property
    def soon(self) -> int:
        hour = self.now + timedelta(hours=1)
        return sum(r.due_at <= hour and r.due.state in (DueState.NOT_DUE, DueState.DUE) for r in self.rows)
