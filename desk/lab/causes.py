"""What changed before a reading, from the record: all that is upstream as the reading met it, with each one's share."""

import math
from collections import OrderedDict
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field, replace
from datetime import datetime, timedelta
from functools import cached_property
from threading import Lock

from core.errors import CoreError, Infeasible
from core.judge.cause import MOST_CAUSES, SURPRISED, UNEXPLAINED_PCT, Drift, drift_of, scatter, seen_as, split_drift, weights
from core.lab.methods import TESTS
from core.line.acting import solve_line
from core.mill.causes import SETTING, UNTOLD, Gains, Met, Upstream, met_by, split_case, upstream
from core.mill.run import solve_mill
from core.unit import Worked
from desk.kit.templatetags.vat import clock, dayclock, figure, midline
from desk.lab.charts import Point, drawn, points_of
from desk.log.models import Kind, Record
from desk.mill.state import MillState, way_of

MOST_NOW, USUAL_NOW, COLUMNS = 12, 6, 7
TAUS, LEAST_BACK_H, LEAST_MOVED = 5.0, 12.0, 1e-9
SHOWN, STANDS = 6, ("single", "accepted")
GAINS_KEPT, SMALL, LEAST_SEEN = 4, 0.05, 0.002  # of sigma, for a thing to count at all


@dataclass(frozen=True)
class Series:
    """A thing upstream as the record has it: when each value began to hold, the value, and what a person wrote beside it.

    `gain`: what the reading moves with it, where it is told otherwise than by the line; `note`: words of the newest change.
    """

    thing: Upstream
    held: tuple[tuple[float, float], ...]
    gain: float | None = None
    notes: tuple[tuple[float, str], ...] = ()


OWN: list[Callable[[MillState, object, datetime], list[Series]]] = []  # what stations know of a row beside the line

_gains: OrderedDict[tuple, Gains] = OrderedDict()
_lock = Lock()


def gains_of(state: MillState) -> Gains:
    """The gains about the mill as it is run; kept for the last few ways. Raises: CoreError."""
    running = state.running_at(state.rate or 1.0)
    key = (state.version_id, way_of(replace(running, makes={})))
    with _lock:
        if key in _gains:
            _gains.move_to_end(key)
            return _gains[key]
    line = state.line
    gains = Gains(state.mill, running, lambda run: solve_mill(state.mill, run, line), solve_line)
    with _lock:
        _gains[key] = gains
        while len(_gains) > GAINS_KEPT:
            _gains.popitem(last=False)
    return gains


def hours(at: datetime) -> float:
    return at.timestamp() / 3600.0


@dataclass(frozen=True)
class Share:
    """One cause with its part of the drift and what the reading met of it at each column."""

    series: Series
    met: Met
    part: float
    sd: float
    gain: float
    met_at: tuple[float, ...]  # at each column, at its lag
    by_clock: tuple[float, ...]
    number: int = 0
    one_of: tuple[int, ...] = ()

    @property
    def thing(self) -> Upstream:
        return self.series.thing

    @property
    def half(self) -> float:
        return 1.96 * self.sd

    of: float = 0.0  # the whole drift

    @property
    def seen(self) -> str:
        """Likely, possible or not seen; small where it is hardly any of the drift, however sure."""
        return "small" if abs(self.part) < SMALL * abs(self.of) else seen_as(self.part, self.sd)

    @property
    def note(self) -> str:
        """The newest words beside it."""
        return self.series.notes[-1][1] if self.series.notes else ""


@dataclass(frozen=True)
class Told:
    """Why a reading drifted, as far as the record and the models tell it."""

    row: object
    points: tuple[Point, ...]  # the columns, oldest first
    now: int  # how many of the newest are the window now
    drift: Drift | None
    worked: Worked | None
    shares: tuple[Share, ...]  # largest first
    untold: tuple[Upstream, ...]  # moved, and no model says how it acts
    quiet: tuple[Upstream, ...]
    trouble: str = ""
    before: float = 0.0  # the mean of the window before
    window: tuple[datetime, datetime] | None = None
    gains: Gains | None = field(default=None, repr=False)

    @cached_property
    def likely(self) -> list[Share]:
        return [s for s in self.shares if s.seen == "likely"]

    @property
    def explained(self) -> float:
        return sum(s.part for s in self.shares)

    @property
    def rest(self) -> float:
        return self.worked.result.rest if self.worked else 0.0

    @property
    def rest_half(self) -> float:
        return 1.96 * self.worked.result.rest_sd if self.worked else 0.0

    @property
    def more_than_measured(self) -> bool:
        return self.worked is not None and abs(self.worked.result.surprise) > SURPRISED

    @property
    def mostly_unexplained(self) -> bool:
        return self.worked is None or abs(self.worked.result.unexplained_pct) > UNEXPLAINED_PCT


def now_of(state: MillState, row, upto: datetime, band) -> int:
    """How many of the newest results a drift is of: those since a signal of the chart began, or the run outside what is wanted;
    else the usual six."""
    told = drawn(row, band, None, upto)
    since = told.since
    if since is not None:
        return max(1, min(MOST_NOW, sum(p.at >= since for p in told.points), len(told.points) // 2))
    values = [p.value for p in told.points]
    side = 0 if not values or band is None else 1 if values[-1] > band.high else -1 if values[-1] < band.low else 0
    if side:
        run = next(
            (i for i, v in enumerate(reversed(values)) if not (v > band.high if side > 0 else v < band.low)), len(values)
        )
        return max(1, min(MOST_NOW, run))
    return min(USUAL_NOW, max(1, len(values) // 2))


def told_of(state: MillState, row, upto: datetime, now: int | None = None) -> Told:
    """Why a row's newest results up to a time differ from those before them. `now`: how many of them; None as `now_of` says."""
    points = points_of(row, None, upto)
    band = state.mill.band(row, state.grade)
    count = now if now is not None else now_of(state, row, upto, band)
    count = max(1, min(count, MOST_NOW, len(points) - 1)) if len(points) > 1 else 1
    values = [p.value for p in points]
    earlier = values[:-count]
    drift = drift_of(values, count, scatter(earlier) or scatter(values))
    blank = Told(row, tuple(points[-COLUMNS:]), count, None, None, (), (), ())
    if isinstance(drift, Infeasible):
        return replace(blank, trouble=f"Its results {drift.reason}.")
    columns = tuple(points[-max(COLUMNS, count + 1) :])
    window = points[-count:], points[-count - drift.before : -count]
    mean_before = sum(p.value for p in window[1]) / len(window[1])
    begun = replace(blank, points=columns, drift=drift, before=mean_before, window=(window[0][0].at, window[0][-1].at))
    try:
        gains = gains_of(state)
        things = upstream(state.mill, gains.base, row, {k: v.level_pct for k, v in state.vessels.items()})
    except CoreError as failure:
        return replace(begun, trouble=f"The line does not tell what lies upstream: {failure}")
    if not things:
        return replace(begun, trouble="Its place names no unit of the line: what lies upstream is not told by the set-up.")
    series = _series(state, row, things, window[1][0].at, upto)
    return _shared(begun, gains, series, things, [hours(p.at) for p in window[0]], [hours(p.at) for p in window[1]])


def _shared(told: Told, gains: Gains, series: list[Series], things, now: list[float], before: list[float]) -> Told:
    """The drift shared among what moved."""
    met = [(s, m) for s in series if (m := met_by(s.thing, s.held, now, before)) is not None]
    untold = tuple(s.thing for s, m in met if s.thing.kind == UNTOLD and s.gain is None and abs(m.moved) > 2.0 * m.sd)
    counted: list[tuple[Series, Met, dict[str, float]]] = []
    row = told.row.id
    for s, m in met:
        if abs(m.moved) <= LEAST_MOVED and m.sd <= LEAST_MOVED:
            continue
        moves = {row: s.gain} if s.gain is not None else dict(gains.of(s.thing, scatter([v for _, v in s.held])))
        if abs(moves.get(row, 0.0)) * (abs(m.moved) + m.sd) > LEAST_SEEN * told.drift.sigma:
            counted.append((s, replace(m, gain=s.gain), moves))
    counted = counted[:MOST_CAUSES]
    if not counted:
        why = "Nothing upstream that a model tells of has moved in the time its fibre was on the way."
        return replace(told, untold=untold, quiet=_quiet(things, series, ()), trouble=why, gains=gains)
    drift = told.drift
    assert drift is not None
    case = split_case([m for _, m, _ in counted], [g for _, _, g in counted], row, drift, drift.sigma)
    found = split_drift(case)
    at = [hours(p.at) for p in told.points]
    shares = []
    for i, ((s, m, moves), (part, sd)) in enumerate(zip(counted, found.parts, strict=True)):
        times, values = [t for t, _ in s.held], [v for _, v in s.held]
        way = s.thing.way
        carried = tuple(float(weights(times, t, way.delay_h, way.tau_h) @ values) for t in at)
        by_clock = tuple(float(weights(times, t, 0.0, 0.0) @ values) for t in at)
        twins = tuple(b if a == i else a for a, b in found.one_of if i in (a, b))
        shares.append(
            Share(s, m, part, sd, moves.get(row, 0.0), carried, by_clock, i + 1, tuple(t + 1 for t in twins), drift.d)
        )
    ranked = tuple(sorted(shares, key=lambda s: -abs(s.part)))
    worked = Worked(model="cause.split", case=case, result=found)
    return replace(told, worked=worked, shares=ranked, untold=untold, quiet=_quiet(things, series, ranked), gains=gains)


def _quiet(things: Sequence[Upstream], series: Sequence[Series], shares: Sequence[Share]) -> tuple[Upstream, ...]:
    """What was looked at and did not move: rows of the plan and settings of the way, each once."""
    moved = {s.thing.key for s in shares}
    looked = {s.thing.key for s in series}
    return tuple(t for t in things if t.key in looked and t.key not in moved and t.kind != UNTOLD)


def _series(state: MillState, row, things: Sequence[Upstream], first: datetime, upto: datetime) -> list[Series]:
    """Everything upstream with what the record has of it in the time the reading's fibre was on the way."""
    own = [s for told in OWN for s in told(state, row, first)]
    replaced = {s.thing.unit for s in own}
    longest = max(t.way.delay_h + TAUS * t.way.tau_h for t in things)
    since = first - timedelta(hours=max(LEAST_BACK_H, longest + 2.0))
    results = _results([t.row for t in things if t.row], since, upto)
    told = list(own)
    for t in things:
        if t.kind != SETTING and results.get(t.row):
            told.append(Series(t, tuple((hours(at), value) for at, value in results[t.row])))
    told += [s for s in _settings(state, things, since, upto) if s.thing.unit not in replaced]
    return told


def _results(rows: Sequence[str], since: datetime, upto: datetime) -> dict[str, list[tuple[datetime, float]]]:
    asked = Record.objects.current().filter(kind=Kind.RESULT, subject__in=rows, status__in=STANDS, at__gte=since, at__lte=upto)
    told: dict[str, list[tuple[datetime, float]]] = {}
    for subject, at, value in asked.order_by("at", "id").values_list("subject", "at", "value"):
        told.setdefault(subject, []).append((at, value))
    return told


def _settings(state: MillState, things: Sequence[Upstream], since: datetime, upto: datetime) -> list[Series]:
    """Settings that were put in force in the time, each from what it was before."""
    of_unit: dict[str, list[Upstream]] = {}
    for t in things:
        if t.kind == SETTING:
            of_unit.setdefault(t.unit, []).append(t)
    asked = Record.objects.current().filter(kind=Kind.SETPOINT, subject__startswith="set.", at__gte=since, at__lte=upto)
    told: dict[str, tuple[list[tuple[float, float]], list[tuple[float, str]]]] = {}
    known = {t.key: t for unit in of_unit.values() for t in unit}
    for record in asked.select_related("about", "about__about").order_by("at", "id"):
        for t in of_unit.get(record.subject.removeprefix("set."), ()):
            was, now = record.data.get("before", {}).get(t.name), record.data["settings"].get(t.name)
            if was is None or now is None or abs(was - now) <= LEAST_MOVED:
                continue
            held, notes = told.setdefault(t.key, ([(hours(record.at) - 1e4, float(was))], []))
            held.append((hours(record.at), float(now)))
            notes.append((hours(record.at), _said(t, record, float(was), float(now))))
    return [Series(known[key], tuple(held), None, tuple(notes)) for key, (held, notes) in told.items()]


def _said(t: Upstream, record: Record, was: float, now: float) -> str:
    """A change of a setting in a few words: the move that it came of, where one did."""
    move = record.about.about if record.about is not None and record.about.kind == Kind.DECISION else None
    from_to = f"{figure(was, t.decimals)} to {figure(now, t.decimals)}"
    by = f"{record.signed or 'the desk'} {clock(record.at)}"
    return f"our move, {from_to}, {by}" if move is not None else f"{from_to}, {by}"


@dataclass(frozen=True)
class Settles:
    """A test that would tell: what is sampled, and what each answer would mean."""

    title: str
    row: str
    why: str
    answers: tuple[tuple[str, str], ...]


def settles(told: Told) -> Settles | None:
    """The test that would settle it: the first cause read again, or where that is known (a setting), the next result itself."""
    if not told.shares or told.worked is None or told.drift is None:
        return None
    top, drift = told.shares[0], told.drift
    if top.thing.row:
        now, before = top.met_at[-1], top.met_at[-1] - top.met.moved
        again = f"{midline(top.thing.title)}"
        half = max(1.0 * top.met.sd, 10.0**-top.thing.decimals)
        places = top.thing.decimals
        without = _without(told, top)
        other = next((s for s in told.shares[1:] if abs(s.part) > s.sd), None)
        instead = f"it was not this: {figure(abs(without), 0)} % of it would be unexplained"
        instead += f", look at {midline(other.thing.title)}" if other is not None else ""
        near = (f"about {figure(now, places)} (± {figure(half, places)})", "it stands: act on this cause")
        back = (f"about {figure(before, places)} again", instead)
        why = "The same sample point, in duplicate."
        return Settles(f"Read {again} again", top.thing.row, why, (near, back))
    places = TESTS[told.row.test].decimals
    likely = told.before + told.explained
    half = 1.96 * math.sqrt(drift.sigma**2 + drift.sd**2)
    span = f"{figure(likely - half, places)} to {figure(likely + half, places)}"
    answers = (
        (span, "the causes beside it tell it"),
        (f"nearer {figure(told.before, places)}", "it was chance, or it has gone again"),
        ("further out", "more has changed than was measured"),
    )
    return Settles(
        "Take the next result first", told.row.id, "What moved first is known; the reading itself is not sure.", answers
    )


def _without(told: Told, share: Share) -> float:
    """What would be unexplained, %, had this cause not moved."""
    assert told.worked is not None
    case = told.worked.case
    i = share.number - 1
    causes = tuple(replace(c, moved=0.0, moved_sd=0.0, gain_sd=0.0) if k == i else c for k, c in enumerate(case.causes))
    together = tuple(t for t in case.together if i + 1 not in (round(t.one), round(t.other)))
    return split_drift(replace(case, causes=causes, together=together)).unexplained_pct


def answered(told: Told) -> str:
    """What an open move of the row's own lever acts on, as far as the shares tell."""
    if not told.shares or told.row.lever.get("kind") != "h_factor":
        return "answers the reading; whether it answers its cause is yours to say"
    top = told.shares[0]
    if top.thing.name == "h":
        return "acts on the first cause itself"
    return f"answers the reading, not its first cause: {midline(top.thing.title)}"


def headline(told: Told) -> str:
    """What it mostly is, in a sentence."""
    if told.drift is None or told.worked is None:
        return "Not told"
    if not told.drift.seen:
        return "No drift to explain"
    if told.mostly_unexplained:
        return "Mostly not explained"
    return f"Mostly {midline(told.shares[0].thing.title)}"


def lines(told: Told) -> list[str]:
    """What the verdict says beside the headline."""
    if told.drift is None or told.worked is None:
        return []
    drift, found = told.drift, told.worked.result
    test = TESTS[told.row.test]
    places, unit = test.decimals + 1, f" {test.unit}" if test.unit else ""
    at = dayclock(told.window[0]) if told.window else ""
    n = "newest result differs" if drift.now == 1 else f"newest {drift.now} results differ"
    said = [
        f"The {n} by {figure(drift.d, places)}{unit} from the {drift.before} before them (since {at}), sure within "
        f"± {figure(1.96 * drift.sd, places)}."
    ]
    if not drift.seen:
        said.append("That is no more than its own scatter: two sd are asked of a drift. Nothing is to be explained.")
    if found.surprise and told.more_than_measured:
        said.append("More has changed than was measured: look for what nobody reads.")
    elif told.mostly_unexplained and drift.seen:
        said.append("Look for what is not measured at this station; what is told explains less than half.")
    return said
