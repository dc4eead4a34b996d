"""A control chart of a row from the record: its points, phases begun and limits kept by people, and what it says."""

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import datetime, timedelta
from itertools import pairwise

from django.db.models import Avg, Q
from django.db.models.functions import TruncDate

from core.errors import Infeasible
from core.judge.band import Band
from core.judge.capable import GroupsCase, SinglesCase, able, capability, group_chart, group_limits, grouped, limits
from core.judge.chart import (
    CUSUM_LIMIT,
    LEFT_GREY,
    METER_CUSUM_LIMIT,
    MOST_PHI,
    Chart,
    Phase,
    Signal,
    ewma,
    individuals,
    moved,
    phased,
    signals_of,
)
from core.judge.heard import APART, EACH, GROUPS, SWITCHED, TRIPLES, Heard, Usual, usual
from core.judge.run_length import BOTH, CUSUM, EWMA, ONE, SINGLES, RunLengthCase, chart_of, run_length
from core.mill.causes import Way, Ways, place_of
from core.stream import SUSPENDED
from core.unit import Worked
from desk.instruments.store import matched
from desk.kit.refused import FieldRefused
from desk.log.actions import write
from desk.log.models import Kind, Record

LAST, MOST, LEAST_KEPT = 60, 400, 20
PHASE, LIMITS, BACK, RULES = "phase", "limits", "phase taken back", "rules"


class Refused(FieldRefused):
    """Why a phase or limits cannot be kept: `field` is where to show it."""


@dataclass(frozen=True)
class Point:
    """A dot: the record it stands on (0 for a group), when, and its value."""

    pk: int
    at: datetime
    value: float
    spread: float = 0.0


@dataclass(frozen=True)
class Drawn:
    """A chart as it is shown: points, phases with the records that began them, signals by rule, the smoothed mean of every
    phase with its limits, where the mean moved (point and sum), ability against what is wanted.

    Of counts everything is told of their square roots, which scatter evenly; `back` brings a value of the chart to what is
    read. `alone` are signals that are no alarm on this chart."""

    usual: Usual
    points: tuple[Point, ...]
    phases: tuple[Phase, ...]
    records: tuple[Record | None, ...]
    signals: tuple[Signal, ...]
    smooth: tuple[tuple[tuple[float, float], ...], ...]
    moved: tuple[int, float] | None
    able: Worked | None
    not_able: str
    ranges: tuple[float | None, ...]
    grey: tuple[Signal, ...] = ()  # of the newest point: shown, never an alarm
    rules_by: Record | None = None  # who chose what is an alarm; nobody: what is usual

    @property
    def of(self) -> str:
        return self.usual.of

    @property
    def heard(self) -> Heard:
        return self.usual.heard

    def back(self, value: float) -> float:
        """A value of the chart as it is read."""
        return max(0.0, value) ** 2 if self.usual.root else value

    def forth(self, value: float) -> float:
        """What is read, as a value of the chart."""
        return math.sqrt(max(0.0, value)) if self.usual.root else value

    @property
    def last(self) -> Phase:
        return self.phases[-1]

    @property
    def chart(self) -> Chart | None:
        return self.last.begun if self.phases else None

    @property
    def restless(self) -> int:
        """How many ranges of the newest phase are past their limit."""
        chart = self.chart
        own = self.ranges[self.last.first :] if chart is not None else ()
        return sum(r is not None and chart is not None and r > chart.range_high for r in own)

    @property
    def standing(self) -> list[Signal]:
        """Signals that the newest point makes."""
        return [s for s in self.signals if s.at == len(self.points) - 1]

    @property
    def left_ewma(self) -> int | None:
        """Since which point the smoothed mean stands past its limits up to the newest; None where it does not."""
        chart, told = self.chart, self.smooth[-1] if self.smooth else ()
        if chart is None or not self.heard.smooth:
            return None
        past = [abs(z - chart.mean) > half and self.heard.hears(1 if z > chart.mean else -1) for z, half in told]
        if not past or not past[-1]:
            return None
        first = len(past) - next((k for k, out in enumerate(reversed(past)) if not out), len(past))
        return self.last.first + first

    @property
    def since(self) -> datetime | None:
        """When what stands began, the earliest of rules, smoothed mean and sums; None where nothing stands."""
        firsts = [s.first for s in self.standing]
        firsts += [i for i in (self.left_ewma, self.moved[0] if self.moved else None) if i is not None]
        return self.points[min(firsts)].at if firsts else None


def _kept(row):
    return Record.objects.current().filter(kind=Kind.RESULT, subject=row.id, status__in=("single", "accepted"))


def points_of(row, start: datetime | None, end: datetime, *, of: str = EACH, n: int = TRIPLES) -> list[Point]:
    """The accepted results of a row, oldest first: from `start`, or the last sixty; singly, in groups, or as meter less
    laboratory."""
    asked = _kept(row).filter(at__lte=end)
    if start is not None:
        asked = asked.filter(at__gte=start)
    most = MOST if start is not None else LAST * (n if of == GROUPS else 1)
    newest = asked.order_by("-at", "-id").values_list("pk", "at", "value")[:most]
    told = [Point(pk, at, value) for pk, at, value in newest][::-1]
    if of == APART:
        pairs = zip(told, matched(f"meter.{row.point}", [p.at for p in told]), strict=True)
        return [Point(p.pk, p.at, meter.value - p.value) for p, meter in pairs if meter is not None]
    if of == GROUPS:
        whole = len(told) // n * n
        means, spreads = grouped([p.value for p in told], n)
        ends = told[len(told) - whole :][n - 1 :: n]
        return [Point(0, p.at, float(m), float(r)) for p, m, r in zip(ends, means, spreads, strict=True)]
    return told


def begins_of(row, upto: datetime) -> list[Record]:
    """Phases that were begun on purpose and not taken back, oldest first."""
    asked = Record.objects.current().filter(kind=Kind.EVENT, subject=subject(row), status=PHASE, at__lte=upto)
    return list(asked.order_by("at", "id"))


def limits_of(row, upto: datetime) -> list[Record]:
    """Limits that were kept, oldest first."""
    asked = Record.objects.current().filter(kind=Kind.EVENT, subject=subject(row), status=LIMITS, at__lte=upto)
    return list(asked.order_by("at", "id"))


def subject(row) -> str:
    return f"chart.{row.id}"


def usual_of(row, band, end: datetime, of: str = "") -> tuple[Usual, Record | None]:
    """How a row is charted, `of` a kind that is asked for; with the record by which an engineer chose its alarms, if any."""
    told = usual(row.test, band.low, band.high, metered=row.metered, of=of)
    asked = Record.objects.current().filter(kind=Kind.EVENT, subject=subject(row), status=RULES, at__lte=end)
    chosen = asked.order_by("-at", "-id").first()
    if chosen is None or told.of != EACH or chosen.data.get("usual"):
        return told, None
    given = chosen.data
    heard = Heard(rules=tuple(given["rules"]), smooth=given["smooth"], sums=given["sums"], side=given["side"])
    return replace(told, heard=heard), chosen


def drawn(row, band, start: datetime | None, end: datetime, *, of: str = EACH) -> Drawn:
    """The chart of a row as the record has it up to `end`; `of`: as it is usually charted where none is asked for (empty)."""
    how, rules_by = usual_of(row, band, end, of)
    of, n, heard = how.of, how.n, how.heard
    points = points_of(row, start, end, of=of, n=n)
    if how.root:
        points = [replace(p, value=math.sqrt(max(0.0, p.value))) for p in points]
        band = Band(low=_root(band.low), high=_root(band.high))
    values = [p.value for p in points]
    began = begins_of(row, end)
    at = {_place(points, r.at): r for r in began}  # of several before the first point the newest
    kept = _kept_limits(row, end, points, began) if of == EACH else {}
    phases = phased(values, list(at), kept) if points else ()
    if of == GROUPS:
        spreads = [p.spread for p in points]
        charts = [group_chart(values[p.first : p.end], spreads[p.first : p.end], n) for p in phases]
        phases = tuple(replace(p, chart=chart) for p, chart in zip(phases, charts, strict=True))
    every = signals_of(values, phases, SWITCHED)
    signals = heard.alarms(every)
    smooth, ranges = [], []
    for p in phases:
        own, chart = values[p.first : p.end], p.begun
        smooth.append(ewma(own, chart.mean, chart.sigma) if chart is not None else ())
        ranges += [None, *(abs(b - a) for a, b in pairwise(own))]
    if of == GROUPS:
        ranges = [p.spread for p in points]
    return Drawn(
        usual=how,
        points=tuple(points),
        phases=phases,
        records=tuple(at.get(p.first) for p in phases),
        signals=signals,
        smooth=tuple(smooth),
        moved=_moved(values, phases, heard, begun=bool(phases) and at.get(phases[-1].first) is not None, limit=cusum_limit(of)),
        grey=_grey(values, phases, every, signals),
        rules_by=rules_by,
        ranges=tuple(ranges),
        **_able(values, phases, signals, band, of),
    )


def _grey(values: Sequence[float], phases: Sequence[Phase], every: Sequence[Signal], heard: Sequence[Signal]) -> tuple:
    """What the newest point makes that is no alarm here."""
    told = (*every, *signals_of(values, phases[-1:], LEFT_GREY))
    return tuple(s for s in told if s.at == len(values) - 1 and s not in heard)


def _root(limit: float) -> float:
    return math.sqrt(limit) if 0.0 < limit < math.inf else limit


def _place(points: Sequence[Point], when: datetime) -> int:
    """The first point at or after a time."""
    return sum(p.at < when for p in points)


def _kept_limits(row, end: datetime, points: Sequence[Point], began: list[Record]) -> dict[int, Chart]:
    """Limits that a person kept, by the place where their phase begins: of each phase the newest."""
    told: dict[int, Chart] = {}
    for record in limits_of(row, end):
        begun = max((r.at for r in began if r.at <= record.at), default=None)
        place = _place(points, begun) if begun is not None else 0
        told[place] = Chart(**record.data["chart"])
    return told


def cusum_limit(of: str) -> float:
    """The limit of the cumulative sums: tighter where a meter is watched against its laboratory."""
    return METER_CUSUM_LIMIT if of == APART else CUSUM_LIMIT


def _moved(
    values: Sequence[float], phases: Sequence[Phase], heard: Heard, *, begun: bool, limit: float
) -> tuple[int, float] | None:
    """Where the mean of the newest phase has moved, and the sum now, from half its limit where somebody began the phase."""
    if not heard.sums or not phases or (chart := phases[-1].begun) is None:
        return None
    found = moved(values[phases[-1].first :], chart.mean, chart.sigma, head=limit / 2.0 if begun else 0.0, limit=limit)
    if found is None or not heard.hears(1 if found[1] > 0.0 else -1):
        return None
    return phases[-1].first + found[0], found[1]


def _able(values: Sequence[float], phases: Sequence[Phase], signals: Sequence[Signal], band, of: str) -> dict:
    """Ability of the newest phase against what is wanted, the points of its signals left out."""
    if not phases or of != EACH or band is None:
        return {"able": None, "not_able": ""}
    last = phases[-1]
    out = {i for s in signals if s.at >= last.first for i in range(s.first, s.at + 1)}
    case = able([values[i] for i in range(last.first, last.end) if i not in out], band.low, band.high)
    if isinstance(case, Infeasible):
        return {"able": None, "not_able": f"Not told: points {case.reason}."}
    return {"able": Worked(model="chart.capability", case=case, result=capability(case)), "not_able": ""}


def limits_worked(told: Drawn) -> Worked | None:
    """The limits of the newest phase as a model gives them from its mean and ranges; None where it has none."""
    chart = told.chart
    if chart is None:
        return None
    if told.of == GROUPS:
        case = GroupsCase(n=told.usual.n, mean=chart.mean, range_mean=chart.range_mean)
        return Worked(model="chart.groups", case=case, result=group_limits(case))
    case = SinglesCase(mean=chart.mean, range_mean=chart.range_mean, phi=min(chart.phi, MOST_PHI))
    return Worked(model="chart.individuals", case=case, result=limits(case))


def chance_of(told: Drawn) -> Worked:
    """How often what stands stands by chance: of single points, of the rules together, or of the smoothed mean."""
    rules, heard = {s.rule for s in told.standing}, told.heard
    sides = ONE if heard.side else BOTH
    if not rules and told.left_ewma is None:
        case = RunLengthCase(chart=CUSUM, h=cusum_limit(told.of), sides=sides)
    elif not rules:
        case = RunLengthCase(chart=EWMA, sides=sides)
    else:
        case = RunLengthCase(chart=SINGLES if rules == {"WE1"} else chart_of(heard.rules), sides=sides)
    return Worked(model="chart.run_length", case=case, result=run_length(case))


def choose_alarms(*, row, by, now: datetime, heard: Heard, chosen: Record | None = None) -> Record:
    """What is an alarm on a row's chart of single results from now on, in place of what was `chosen`. Raises: Refused where it
    is that already."""
    told = [*heard.rules, *(["smoothed mean"] if heard.smooth else []), *(["cumulative sums"] if heard.sums else [])]
    where = {1: " upwards", -1: " downwards"}.get(heard.side, "")
    says = f"{row.place}: alarms of its chart are {', '.join(told)}{where}"
    data = {"rules": list(heard.rules), "smooth": heard.smooth, "sums": heard.sums, "side": heard.side}
    if chosen is not None and chosen.data == data:
        raise Refused("rules", "They are these already.")
    return write(kind=Kind.EVENT, subject=subject(row), by=by, now=now, says=says, status=RULES, data=data)


def as_usual(*, row, by, now: datetime) -> Record:
    """The alarms of a row are the usual ones again from now on, whatever was chosen before."""
    says = f"{row.place}: alarms of its chart are the usual ones again"
    return write(kind=Kind.EVENT, subject=subject(row), by=by, now=now, says=says, status=RULES, data={"usual": True})


def chances(told: Drawn) -> list[tuple[str, Worked]]:
    """How often each kind of alarm that is on comes by chance alone: rules together, the smoothed mean, the sums."""
    heard, sides = told.heard, ONE if told.heard.side else BOTH
    cases = []
    if heard.rules:
        cases.append(("rules", RunLengthCase(chart=chart_of(heard.rules), sides=sides)))
    if heard.smooth:
        cases.append(("smoothed mean", RunLengthCase(chart=EWMA, sides=sides)))
    if heard.sums:
        cases.append(("sums", RunLengthCase(chart=CUSUM, h=cusum_limit(told.of), sides=sides)))
    return [(word, Worked(model="chart.run_length", case=case, result=run_length(case))) for word, case in cases]


@dataclass(frozen=True)
class Lies:
    """A furnish lot that was closed since a signal began."""

    number: str
    t: float


@dataclass(frozen=True)
class Suspect:
    """What a signal may lie in: the furnish lots since the first of its pulp came there, and what is still on its way.

    `way`: from where the row is sampled to the furnish, None for a row that names no unit; `t_h` passes there."""

    lots: list[Lies]
    way: Way | None
    on_way_t: float
    from_: datetime
    ahead: bool  # none of it has come there yet


BY_THE_MACHINE = ("stock", "blend", "deliver")  # stations whose rows follow its stops and the shares of the furnish
MOST_MARKS = 30


def marks_of(row, units: Sequence[str], start: datetime, end: datetime) -> list[Record]:
    """What the log tells of between two times that may have moved this row: its moves, set-ups put in force, stops of the units
    of its station, and near the machine its stops and the shares set; the newest, oldest first."""
    asked = Q(kind=Kind.DECISION, subject=row.id) | Q(kind=Kind.DOWN, subject__in=units) | Q(kind=Kind.SETUP)
    if row.station in BY_THE_MACHINE:
        asked |= Q(kind__in=(Kind.SETPOINT, Kind.STOP, Kind.RATE))
    told = Record.objects.current().filter(asked, at__gt=start, at__lte=end).order_by("-at", "-id")
    return [r for r in told[: 2 * MOST_MARKS] if r.data.get("choice") != "refuse"][:MOST_MARKS][::-1]


def suspect_of(row, since: datetime, state) -> Suspect:
    """What a signal that began at a time may lie in. Its pulp comes to the furnish as soon as the plugs on its way let it; what
    has passed since and has not come there is still in towers and pipes."""
    unit, way, on_way = place_of(state.mill, row), None, 0.0
    solution = state.solution
    if unit in solution.network.index:
        levels = {key: v.level_pct for key, v in state.vessels.items()}
        way = Ways(state.mill, state.line, levels).to(state.mill.roles.blend).get(unit)
    first = since + timedelta(hours=way.delay_h if way is not None else 0.0)
    if way is not None:
        passes = float(solution.after[solution.network.index[unit]] @ SUSPENDED)
        held_h = min(way.hours, (state.now - since).total_seconds() / 3600.0)
        on_way = passes * held_h
    closed = Record.objects.current().filter(kind=Kind.LOT_CLOSE, about__isnull=False, at__gte=first, at__lte=state.now)
    lots = [Lies(r.subject, float(r.data["tonnes"])) for r in closed.order_by("at", "id")]
    return Suspect(lots=lots, way=way, on_way_t=on_way, from_=first, ahead=first > state.now)


def begin_phase(*, row, by, now: datetime, at: datetime, words: str) -> Record:
    """The process was changed on purpose: a phase begins. Raises: Refused."""
    if not words:
        raise Refused("words", "Why is empty; say what was changed, such as: pump 2, new cook card.")
    newest = begins_of(row, now)
    if newest and at <= newest[-1].at:
        raise Refused("at", f"It must be after the phase before, begun {newest[-1].at:%d.%m. %H:%M}.")
    says = f"{row.place}: a phase of its chart begins, {words}"
    return write(kind=Kind.EVENT, subject=subject(row), by=by, now=now, at=at, says=says, words=words, status=PHASE)


def take_back(*, row, by, now: datetime, record: Record) -> Record:
    """A phase was begun wrongly: its points belong to the one before again. Raises: Refused."""
    if record.corrected_by.exists():
        raise Refused("at", "It was taken back already; look again.")
    says = f"{row.place}: the phase “{record.words}” of its chart is taken back"
    return write(kind=Kind.EVENT, subject=subject(row), by=by, now=now, at=record.at, says=says, status=BACK, corrects=record)


def keep_limits(*, row, by, now: datetime, told: Drawn, words: str) -> Record:
    """The limits of the newest phase are kept as they are worked out now. Raises: Refused under twenty points, while something
    stands, or without a reason."""
    own = [p.value for p in told.points[told.last.first :]] if told.phases else []
    if not words:
        raise Refused("words", "Why is empty; say that the cause is found and removed.")
    if len(own) < LEAST_KEPT:
        raise Refused("words", f"The phase has {len(own)} points; {LEAST_KEPT} are needed to keep limits.")
    chart = individuals(own)
    if isinstance(chart, Infeasible):
        raise Refused("words", f"The points {chart.reason}.")
    if told.standing:
        raise Refused("words", "A signal stands: find its cause, then keep limits from points without it.")
    data = {"chart": {name: getattr(chart, name) for name in Chart.__dataclass_fields__}, "n": len(own)}
    low, high = told.back(chart.low), told.back(chart.high)
    says = f"{row.place}: limits of its chart kept, {low:.4g} to {high:.4g} from {len(own)} points"
    return write(kind=Kind.EVENT, subject=subject(row), by=by, now=now, says=says, words=words, status=LIMITS, data=data)


def days_of(row, end: datetime, days: int = 365) -> list[tuple[datetime, float]]:
    """Each day's mean of a year."""
    asked = _kept(row).filter(at__gte=end - timedelta(days=days), at__lte=end).annotate(day=TruncDate("at"))
    return list(asked.values("day").annotate(mean=Avg("value")).order_by("day").values_list("day", "mean"))
