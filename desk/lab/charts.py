"""A control chart of a row from the record: its points, phases begun and limits kept by people, and what it says."""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import datetime, timedelta
from itertools import pairwise

from django.db.models import Avg, Q
from django.db.models.functions import TruncDate

from core.errors import Infeasible
from core.judge.capable import GroupsCase, SinglesCase, able, capability, group_chart, group_limits, grouped, limits
from core.judge.chart import (
    CUSUM_LIMIT,
    LEFT_GREY,
    METER_CUSUM_LIMIT,
    MOST_PHI,
    ON,
    Chart,
    Phase,
    Signal,
    ewma,
    individuals,
    moved,
    phased,
    signals_of,
)
from core.judge.run_length import CUSUM, EWMA, SINGLES, USUAL, RunLengthCase, run_length
from core.unit import Worked
from desk.instruments.store import matched
from desk.kit.refused import FieldRefused
from desk.log.actions import write
from desk.log.models import Kind, Record

EACH, GROUPS, APART = "each", "groups", "differences"
LAST, MOST, LEAST_KEPT = 60, 400, 20
PHASE, LIMITS, BACK = "phase", "limits", "phase taken back"
GROUP_OF = 3


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
    phase with its limits, where the mean moved (point and sum), ability against what is wanted."""

    of: str
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
        if chart is None:
            return None
        past = [abs(z - chart.mean) > half for z, half in told]
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


def points_of(row, start: datetime | None, end: datetime, *, of: str = EACH, n: int = GROUP_OF) -> list[Point]:
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


def drawn(row, band, start: datetime | None, end: datetime, *, of: str = EACH, n: int = GROUP_OF) -> Drawn:
    """The chart of a row as the record has it up to `end`."""
    points = points_of(row, start, end, of=of, n=n)
    values = [p.value for p in points]
    began = begins_of(row, end)
    at = {_place(points, r.at): r for r in began}  # of several before the first point the newest
    kept = _kept_limits(row, end, points, began) if of == EACH else {}
    phases = phased(values, list(at), kept) if points else ()
    if of == GROUPS:
        spreads = [p.spread for p in points]
        charts = [group_chart(values[p.first : p.end], spreads[p.first : p.end], n) for p in phases]
        phases = tuple(replace(p, chart=chart) for p, chart in zip(phases, charts, strict=True))
    signals = signals_of(values, phases)
    smooth, ranges = [], []
    for p in phases:
        own, chart = values[p.first : p.end], p.begun
        smooth.append(ewma(own, chart.mean, chart.sigma) if chart is not None else ())
        ranges += [None, *(abs(b - a) for a, b in pairwise(own))]
    if of == GROUPS:
        ranges = [p.spread for p in points]
    return Drawn(
        of=of,
        points=tuple(points),
        phases=phases,
        records=tuple(at.get(p.first) for p in phases),
        signals=signals,
        smooth=tuple(smooth),
        moved=_moved(values, phases, begun=bool(phases) and at.get(phases[-1].first) is not None, limit=cusum_limit(of)),
        grey=tuple(s for s in signals_of(values, phases[-1:], LEFT_GREY) if s.at == len(values) - 1),
        ranges=tuple(ranges),
        **_able(values, phases, signals, band, of),
    )


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


def _moved(values: Sequence[float], phases: Sequence[Phase], *, begun: bool, limit: float) -> tuple[int, float] | None:
    """Where the mean of the newest phase has moved, and the sum now, from half its limit where somebody began the phase."""
    if not phases or (chart := phases[-1].begun) is None:
        return None
    found = moved(values[phases[-1].first :], chart.mean, chart.sigma, head=limit / 2.0 if begun else 0.0, limit=limit)
    return None if found is None else (phases[-1].first + found[0], found[1])


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
        case = GroupsCase(n=GROUP_OF, mean=chart.mean, range_mean=chart.range_mean)
        return Worked(model="chart.groups", case=case, result=group_limits(case))
    case = SinglesCase(mean=chart.mean, range_mean=chart.range_mean, phi=min(chart.phi, MOST_PHI))
    return Worked(model="chart.individuals", case=case, result=limits(case))


def chance_of(told: Drawn) -> Worked:
    """How often what stands stands by chance: of single points, of the rules together, or of the smoothed mean."""
    rules = {s.rule for s in told.standing}
    if not rules and told.left_ewma is None:
        case = RunLengthCase(chart=CUSUM, h=cusum_limit(told.of))
    else:
        case = RunLengthCase(chart=USUAL if rules & {"WE2", "WE4"} else SINGLES if rules else EWMA)
    return Worked(model="chart.run_length", case=case, result=run_length(case))


@dataclass(frozen=True)
class Lies:
    """A furnish lot that was closed since a signal began."""

    number: str
    t: float


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


def lots_since(row, since: datetime, now: datetime) -> list[Lies]:
    """The furnish lots that were open since: what a signal of this row may lie in. What is in pipes and towers comes later."""
    closed = Record.objects.current().filter(kind=Kind.LOT_CLOSE, about__isnull=False, at__gte=since, at__lte=now)
    return [Lies(r.subject, float(r.data["tonnes"])) for r in closed.order_by("at", "id")]


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
    if any(s.rule in ON for s in told.standing):
        raise Refused("words", "A signal stands: find its cause, then keep limits from points without it.")
    data = {"chart": {name: getattr(chart, name) for name in Chart.__dataclass_fields__}, "n": len(own)}
    says = f"{row.place}: limits of its chart kept, {chart.low:.4g} to {chart.high:.4g} from {len(own)} points"
    return write(kind=Kind.EVENT, subject=subject(row), by=by, now=now, says=says, words=words, status=LIMITS, data=data)


def days_of(row, end: datetime, days: int = 365) -> list[tuple[datetime, float]]:
    """Each day's mean of a year."""
    asked = _kept(row).filter(at__gte=end - timedelta(days=days), at__lte=end).annotate(day=TruncDate("at"))
    return list(asked.values("day").annotate(mean=Avg("value")).order_by("day").values_list("day", "mean"))
