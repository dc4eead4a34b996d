"""The mill as it stands: set-up in force, what runs, the solved line, levels carried forward, cover."""

from collections import OrderedDict
from collections.abc import Mapping
from dataclasses import dataclass, replace
from datetime import datetime, timedelta
from functools import cached_property, lru_cache
from typing import Any

from django.db import connection

from core.bleach.unit import HELD
from core.blend.mix import Mix, mix_furnish
from core.cook.kinetic import SPLIT
from core.cook.species import Fitted, holds, restored
from core.cook.unit import Made
from core.deliver.draw import Draw, DrawCase, draw
from core.errors import CoreError, ImpossibleInput, Problem
from core.judge.fresh import FRESH_INTERVALS, leads, led, row_leads
from core.line.acting import Line
from core.line.steady import Solution
from core.mill.document import Grade, Vessel
from core.mill.mill import Mill
from core.mill.reading import read_mill
from core.mill.run import Running, moisture_of, solve_mill, vessel_rates
from core.stock.cover import Cover, CoverCase, CoverPlanCase, CoverStopCase, Leg, Piece, cover_of, forecast
from core.stream import SUSPENDED
from core.unit import Kind as Acting
from desk.instruments.store import newest
from desk.kit.units import Schools
from desk.log.models import Kind, Record
from desk.log.tail import Taken
from desk.mill import in_force, loaded, planned
from desk.mill.models import MillVersion
from desk.mill.planned import AHEAD as COVER_AHEAD
from desk.mill.planned import NextRun, next_run
from desk.mill.shifts import Shift, shift_of
from desk.mill.standing import COOK_KEEPS, Standing, standing

SETTINGS_SINCE = frozenset(
    {*SPLIT, HELD, "air_pct"}
)  # settings that an older record does not name: they stand as the set-up has them
SHARES_KEPT = 40
# what is left aside, step by step, when the line cannot be run with it: moisture read, set points, kept cooks
LEFT_ASIDE = (("moistures", "moisture_pct"), ("loaded",), ("put_in_force",), ("constants",), ("makes",))
COOK_LEADS = 0.5  # of that time it leads alone, then the plan comes back


class NoMill(Exception):
    """No mill is set up yet."""


_started: dict = {}  # the newest start, and since when it is known to be the one; a test's own database clears it


@lru_cache(maxsize=4)
def _read(version_id: int) -> Mill:
    return read_mill(MillVersion.objects.get(pk=version_id).document)


def mill_in_force() -> tuple[int, Mill]:
    with connection.cursor() as cursor:
        version_id = cursor.execute("SELECT max(id) FROM mill_millversion").fetchone()[0]
    if version_id is None:
        raise NoMill
    return version_id, _read(version_id)


_lines: OrderedDict[tuple, Line] = OrderedDict()  # the line as it was run the last few ways, by set-up version and way
_refused: dict[tuple, CoreError] = {}  # the newest way that cannot be run, so that it is not tried by every page
LINES_KEPT = 64


def _pairs(given: Mapping) -> tuple:
    return tuple(sorted(given.items(), key=lambda pair: pair[0]))


def way_of(running: Running) -> tuple:
    """A way of running the line, by all that makes it."""
    return (
        _pairs(running.feeds),
        _pairs(running.gives),
        running.filler_t_h,
        _pairs(running.makes),
        _pairs(running.moisture_pct),
        _pairs(running.coefficients),
        tuple((unit, _pairs(values)) for unit, values in _pairs(running.constants)),
        tuple((unit, _pairs(values)) for unit, values in _pairs(running.settings)),
    )


def solve_running(version_id: int, running: Running) -> Line:
    """The line as it is run, kept for the last few ways of running it; a new way begins from the newest of the same set-up."""
    key = (version_id, way_of(running))
    if (refused := _refused.get(key)) is not None:
        raise refused
    if (line := _lines.get(key)) is None:
        near = next((kept for (version, _), kept in reversed(_lines.items()) if version == version_id), None)
        try:
            line = _lines[key] = solve_mill(_read(version_id), running, near)
        except CoreError as failure:
            _refused.clear()
            _refused[key] = failure
            raise
        while len(_lines) > LINES_KEPT:
            _lines.popitem(last=False)
    return line


@dataclass(frozen=True)
class VesselNow:
    """A vessel at `now`: its level carried on from the last reading at the rates since, and its cover."""

    vessel: Vessel
    level_pct: float
    read_pct: float
    read_at: datetime
    rate_in: float
    rate_out: float
    case: CoverCase | CoverStopCase | CoverPlanCase
    cover: Cover

    @property
    def model(self) -> str:
        """The registered model that its cover comes from."""
        if isinstance(self.case, CoverPlanCase):
            return "stock.cover_plan"
        return "stock.cover_stop" if isinstance(self.case, CoverStopCase) else "stock.cover"

    @property
    def content_t(self) -> float:
        return self.vessel.full_t * self.level_pct / 100.0

    @property
    def volume_m3(self) -> float:
        """Stock in it, by the level's share of its full volume."""
        return self.vessel.full_m3 * self.level_pct / 100.0

    @property
    def act_by_h(self) -> float:
        return self.cover.hours - self.vessel.lead_h

    @property
    def stops_the_line(self) -> bool:
        """Somebody must act within half an hour, or a limit is reached that stops the line."""
        return self.act_by_h <= 0.5


@dataclass(frozen=True)
class Planned:
    """A stop of the machine, or hours at a reduced rate (`rate_pct` of its speed; 0 is a stop)."""

    start: datetime
    end: datetime
    what: str
    rate_pct: float = 0.0
    planned: bool = True
    record: int = 0


class MillState:
    """Everything a page needs to know of the mill at one time. Properties are worked out once, when asked for.

    `schools`: the units its reader sees; None is the core's own.
    """

    schools: Schools | None = None

    def __init__(self, now: datetime, version_id: int | None = None):
        """`version_id`: another version of the set-up than the one in force. Raises: NoMill."""
        self.now = now
        if version_id is None:
            self.version_id, self.mill = mill_in_force()
        else:
            self.version_id, self.mill = version_id, _read(version_id)

    @cached_property
    def shift(self) -> Shift:
        return shift_of(self.now, self.mill)

    @cached_property
    def run(self) -> dict:
        """What the machine runs: the newest start of an order at this time (order, grade, gsm, speed_m_min). An order of a
        grade that the set-up in force no longer has counts as none."""
        started = self._started
        if started is not None and started["grade"] in self.mill.grades:
            return started
        grade = next(iter(self.mill.grades.values()))
        return {"order": "", "grade": grade.key, "gsm": grade.gsm, "speed_m_min": grade.speed_m_min, "since": self.now}

    @property
    def _started(self) -> dict | None:
        """The newest start at this time; None where nothing was started."""
        with connection.cursor() as cursor:
            newest = cursor.execute("SELECT max(id) FROM log_record WHERE kind = 'start'").fetchone()[0]
        if _started.get("newest") != newest or _started.get("until", self.now) > self.now or newest is None:
            _started.clear()
            started = Record.objects.current().filter(kind=Kind.START, at__lte=self.now).order_by("-at", "-id").first()
            if started is not None and not Record.objects.filter(kind=Kind.START, at__gt=self.now).exists():
                _started.update(newest=newest, until=self.now, run={**started.data, "since": started.at})
            if started is not None:
                return {**started.data, "since": started.at}
        elif newest is not None:
            return dict(_started["run"])
        return None

    def grade_of(self, key: str, at: datetime) -> Grade:
        """A grade by its key, of the set-up in force or of the one that was in force at a time. Raises: KeyError."""
        if key in self.mill.grades:
            return self.mill.grades[key]
        versions = MillVersion.objects.filter(made_at__lte=at).order_by("-id").values_list("pk", flat=True)
        for pk in (*versions[:1], *MillVersion.objects.order_by("-id").values_list("pk", flat=True)):
            if key in (grades := _read(pk).grades):
                return grades[key]
        raise KeyError(key)

    @cached_property
    def grade(self) -> Grade:
        return self.mill.grades[self.run["grade"]]

    @property
    def _fresh(self) -> timedelta:
        """How long a reading of a feed's moisture leads, at most."""
        rows = self.mill.moisture_rows.values()
        return timedelta(minutes=FRESH_INTERVALS * max((self.mill.plan[row].interval_min for row in rows), default=0.0))

    @cached_property
    def standing(self) -> Standing:
        """The records that the state is read from."""
        return standing(self.now, sorted(self.mill.moisture_rows.values()), self._fresh)

    @cached_property
    def stops(self) -> tuple[Planned, ...]:
        """Stops and reduced rates of the machine that are not over, soonest first."""
        return tuple(s for s in self.halts if s.end > self.now)

    @cached_property
    def halts(self) -> tuple[Planned, ...]:
        """The same with those of the last days, which levels and lots are counted through."""
        result = []
        for r in self.standing.halts(self.now):
            end, rate = datetime.fromisoformat(r.data["until"]), float(r.data.get("rate_pct", 0.0))
            result.append(Planned(r.at, end, r.data["what"], rate, r.data.get("planned", True), r.pk))
        return tuple(sorted(result, key=lambda s: (s.start, s.record)))

    def rate_at(self, when: datetime) -> float:
        """The share of its speed the machine runs at, by what was entered: 0 in a stop, 1 where nothing is entered."""
        return min((s.rate_pct / 100.0 for s in self.halts if s.start <= when < s.end), default=1.0)

    def running_h(self, start: datetime, end: datetime) -> float:
        """Hours between two times, each counted at the share of its speed that the machine ran at."""
        edges = sorted({start, end, *(t for s in self.halts for t in (s.start, s.end) if start < t < end)})
        return sum(self.rate_at(a) * (b - a).total_seconds() / 3600.0 for a, b in zip(edges, edges[1:], strict=False))

    @cached_property
    def setpoints(self) -> list[Record]:
        """The newest share set points, oldest first."""
        return self.standing.shares(self.now, SHARES_KEPT)

    @cached_property
    def shares(self) -> dict[str, float]:
        """Fractions of the furnish, by source, as last set."""
        if self.setpoints:
            told = {k: v / 100.0 for k, v in self.setpoints[-1].data["shares_pct"].items() if k in self.mill.sources}
            if (whole := sum(told.values())) > 0.0:  # a source that the set-up no longer has gives nothing
                return {k: v / whole for k, v in told.items()} if abs(whole - 1.0) > 1e-9 else told
        return dict(self.grade.shares)

    def mix_of(self, shares: dict[str, float]) -> Mix:
        parts = (replace(s.source, share=shares.get(k, 0.0)) for k, s in self.mill.sources.items())
        return mix_furnish(tuple(parts))

    @cached_property
    def mix(self) -> Mix:
        return self.mix_of(self.shares)

    def draw_case_of(self, mix: Mix) -> DrawCase:
        case = self.mill.draw_case(self.grade, gsm=self.run["gsm"], speed_m_min=self.run["speed_m_min"])
        return replace(case, furnish_ash_pct=min(mix.ash_pct, case.sheet_ash_pct))

    @cached_property
    def draw_case(self) -> DrawCase:
        return self.draw_case_of(self.mix)

    def draw_of(self, mix: Mix) -> Draw:
        result = draw(self.draw_case_of(mix))
        assert isinstance(result, Draw)
        return result

    @cached_property
    def draw(self) -> Draw:
        return self.draw_of(self.mix)

    @property
    def rate(self) -> float:
        """The share of its speed the machine runs at now."""
        return self.rate_at(self.now)

    @property
    def stands_still(self) -> bool:
        return self.rate == 0.0

    @property
    def takes_t_h(self) -> float:
        """What the machine takes of the furnish now, t/h oven-dry."""
        return self.rate * self.draw.solids_t_h

    tried: Mapping[str, Mapping[str, float]] = {}  # settings of a case, over what is in force

    def running_at(self, rate: float) -> Running:
        """How the line is run with the machine at a share of its speed."""
        settings = {unit: r.data["settings"] for unit, r in self.put_in_force.items()}
        for unit, values in self.loaded.items():
            settings[unit] = {**settings.get(unit, self.plans[unit].settings()), **values}
        for unit, values in self.tried.items():
            settings[unit] = {**settings.get(unit, self.plans[unit].settings()), **values}
        gives = {k: self.shares.get(k, 0.0) * self.draw.solids_t_h * rate for k in self.mill.sources}
        return Running(
            feeds={},
            gives=gives,
            filler_t_h=self.draw.filler_t_h * rate,
            makes=self.makes,
            coefficients=self.coefficients,
            constants=self.constants,
            moisture_pct=self.moisture_pct,
            settings=settings,
        )

    @cached_property
    def running(self) -> Running:
        return self.running_at(self.rate)

    @cached_property
    def makes(self) -> dict[str, Made]:
        """What the newest cook of each cooking unit made, by the model as it was run or the laboratory's kappa; a day old at
        most."""
        wood = {u.cooks: u.id for u in self.mill.units if u.cooks}
        if not wood:
            return {}
        result = {}
        for at, data in ((r.at, r.data) for r in self.standing.cooks(self.now)):
            if (unit := wood.get(data.get("species", ""))) and data.get("yield_pct"):
                weight = leads((self.now - at) / COOK_KEEPS, fully=COOK_LEADS, at_most=1.0)
                result[unit] = Made(yield_pct=data["yield_pct"], kappa=data["kappa"], weight=weight)
        return result

    @cached_property
    def coefficients(self) -> dict[str, Fitted]:
        """This mill's own coefficients of a wood's cook, where a person chose a fit; what an earlier model fitted counts as
        none."""
        told = self.standing.fitted(self.now)
        return {species: restored(data) for species, data in told.items() if data and holds(data)}

    @cached_property
    def constants(self) -> dict[str, dict[str, float]]:
        """This mill's own constants of a unit, where a person chose a fit; a fit whose constants can no longer be counts as
        none."""
        result = {}
        for unit, data in self.standing.learnt(self.now).items():
            values = data.get("constants", {})
            plan = self.mill.settable.get(unit)
            bounds = {c.field: (c.low, c.high) for c in plan.constants()} if plan is not None else {}
            if values and all(k in bounds and bounds[k][0] <= v <= bounds[k][1] for k, v in values.items()):
                result[unit] = values
        return result

    @cached_property
    def put_in_force(self) -> dict[str, Record]:
        """The set points in force by unit: those whose settings the set-up in force still has."""
        result = {}
        for unit, record in self.standing.sets(self.now).items():
            plan = self.plans.get(unit)
            put = record.data["settings"].keys()
            if plan is None or not plan.settings().keys() - SETTINGS_SINCE <= put <= plan.settings().keys():
                continue
            try:
                plan.set_to(record.data["settings"])
            except ImpossibleInput:
                continue  # the set-up has changed under it
            result[unit] = record
        return result

    def levered(self, lever: Mapping[str, Any], step: float, base: Mapping[str, float] | None = None) -> dict[str, Any]:
        """What taking a move puts in force on its unit (`in_force.levered`). Raises: ImpossibleInput in words."""
        try:
            return in_force.levered(self, lever["unit"], lever["by"], step, base)
        except CoreError as failure:
            raise ImpossibleInput(Problem("lever", in_force.why_not(self.mill, failure))) from None

    @cached_property
    def loaded(self) -> dict[str, dict[str, float]]:
        """The bale mix that the newest batches loaded, as settings by unit."""
        return loaded.mixes(self.standing.batches(self.now), self.plans, self.put_in_force) if self.mill.vats else {}

    @cached_property
    def plans(self) -> dict[str, Acting]:
        """What the set-up plans for every unit that acts."""
        return self.mill.settable

    @cached_property
    def moistures(self) -> dict[str, Taken]:
        """The newest reading of the moisture of each wet feed while it is fresh, by unit."""
        rows = {row: unit for unit, row in self.mill.moisture_rows.items()}
        if not rows:
            return {}
        newest = {rows[record.subject]: record for record in self.standing.moistures(self.now, self._fresh)}
        return {unit: record for unit, record in newest.items() if self.leads(record) > 0.0}

    def leads(self, record: Record | Taken) -> float:
        """How much a result of the plan leads now, 1 to 0."""
        row = self.mill.plan.get(record.subject)
        return row_leads((self.now - record.at).total_seconds() / 60.0, row.interval_min) if row else 0.0

    def feeds(self, feed: str, unit: str) -> bool:
        """Whether a feed goes straight to a unit."""
        return any(o.to == unit for u in self.mill.units if u.id == feed for o in u.outlets)

    @cached_property
    def moisture_pct(self) -> dict[str, float]:
        read = {unit: r for unit, r in self.moistures.items() if r.value is not None and 0.0 <= r.value < 95.0}
        return {unit: led(float(r.value), moisture_of(self.mill, unit), self.leads(r)) for unit, r in read.items()}

    line_trouble: str = ""  # why the line is not worked with all that was read and put in force

    @cached_property
    def line(self) -> Line:
        """The line with all that acts on it; while the machine stands its part is drawn as it last ran.

        A reading or a set point that the line cannot be run with takes no page down: it is left aside, as `line_trouble` says.
        """
        rate = self.rate or 1.0
        for left_aside in ((), *LEFT_ASIDE):
            for name in left_aside:
                self.__dict__[name] = {}
            try:
                return solve_running(self.version_id, self.running_at(rate))
            except CoreError as failure:
                self.__dict__.pop("running", None)
                self.line_trouble = self.line_trouble or str(failure)
                refused = failure
        raise refused

    @property
    def solution(self) -> Solution:
        """The solved flows of the line."""
        return self.line.solution

    @cached_property
    def full_rates(self) -> dict[str, tuple[float, float]]:
        """Into and out of every vessel with the machine at its speed, t/h oven-dry."""
        whole = self.rate or 1.0
        result = vessel_rates(self.mill, self.solution, self.running_at(whole))
        return {k: self._scaled(k, pair, 1.0 / whole) for k, pair in result.items()}

    @cached_property
    def feed_rates(self) -> dict[str, float]:
        """What is fed to every unit that is fed from outside, t/h oven-dry, as the line is run now."""
        network = self.solution.network
        return {key: float(network.feed[network.index[key]] @ SUSPENDED) for key in self.mill.feed_plans}

    def _scaled(self, key: str, pair: tuple[float, float], rate: float) -> tuple[float, float]:
        """What the machine draws changes with its rate: out of the sources' vessels, through the machine's own chest."""
        v = self.mill.vessels[key]
        into, out = pair
        if v.source:
            return into, out * rate
        return (into * rate, out * rate) if v.station == "deliver" else pair

    def rates_at(self, rate: float) -> dict[str, tuple[float, float]]:
        return {k: self._scaled(k, pair, rate) for k, pair in self.full_rates.items()}

    @cached_property
    def rates(self) -> dict[str, tuple[float, float]]:
        return self.rates_at(self.rate)

    @cached_property
    def vessels(self) -> dict[str, VesselNow]:
        """Every vessel that has a level reading, worst cover first."""
        result = {}
        for tag, reading in newest("level.", before=self.now).items():
            key = tag.removeprefix("level.")
            if key not in self.mill.vessels:
                continue
            v = self.mill.vessels[key]
            rate_in, rate_out = self.rates[key]
            level = self._carried(v, reading, rate_in, rate_out)
            case = self.cover_case(key, level)
            result[key] = VesselNow(v, level, reading.value, reading.at, rate_in, rate_out, case, cover_of(case))
        return dict(sorted(result.items(), key=lambda kv: kv[1].cover.hours))

    def vessel_facts(self, key: str) -> dict[str, float | str]:
        """What rows of the practice table may open with at a vessel: content, rates, and what the furnish takes of its source.
        Nothing of a vessel without a level reading."""
        now = self.vessels.get(key)
        if now is None:
            return {}
        facts: dict[str, float | str] = {
            "content_t": now.content_t,
            "full_t": now.vessel.full_t,
            "level_pct": now.level_pct,
            "in_t_h": now.rate_in,
            "out_t_h": now.rate_out,
            "draw_t_h": self.draw.solids_t_h,
            "filler_kg_min": 1000.0 * self.draw.filler_t_h / 60.0,
        }
        if (source := now.vessel.source) in self.mill.sources:
            facts |= {
                "share_pct": 100.0 * self.shares.get(source, 0.0),
                "most_pct": self.mill.sources[source].high_pct,
            }
        return facts

    def cover_case(self, key: str, level: float) -> CoverCase | CoverStopCase | CoverPlanCase:
        """A vessel's cover at the rates now; with the machine's next stop or slow run (or the end of this one) where it has
        one, through all of them where it has more."""
        v, (now_in, now_out) = self.mill.vessels[key], self.rates[key]
        halt = self.stops[0] if self.stops and self.stops[0].start <= self.now + COVER_AHEAD else None
        run = self.next_run
        if (halt is None and run is None) or not (v.source or v.station == "deliver"):
            return CoverCase(capacity=v.full_t, level_pct=level, rate_in=now_in, rate_out=now_out, lead_h=v.lead_h)
        if sum(s.start <= self.now + COVER_AHEAD for s in self.stops) > 1:
            return self.through_the_plan(v, level)
        rate_in, rate_out = self.full_rates[key]
        in_then, out_then = self._scaled(key, (rate_in, rate_out), halt.rate_pct / 100.0 if halt else 1.0)
        begin = max(halt.start, self.now) if halt else self.now
        more = {}
        if run is not None:
            out = run.t_h.get(v.source, run.solids_t_h)
            more = {
                "next_h": max(0.0, (run.start - self.now).total_seconds() / 3600.0),
                "next_in": rate_in if v.source else out,
                "next_out": out if v.source or v.station == "deliver" else rate_out,
            }
        return CoverStopCase(
            capacity=v.full_t,
            level_pct=level,
            rate_in=rate_in,
            rate_out=rate_out,
            starts_h=(begin - self.now).total_seconds() / 3600.0,
            lasts_h=(halt.end - begin).total_seconds() / 3600.0 if halt else 0.0,
            in_then=in_then,
            out_then=out_then,
            lead_h=v.lead_h,
            **more,
        )

    def through_the_plan(self, v: Vessel, level: float) -> CoverPlanCase:
        """A vessel's cover through every stop and slow run ahead, and the next order."""
        run, ahead = self.next_run, self.now + COVER_AHEAD
        start = run.start if run is not None else ahead
        edges = {t for s in self.stops for t in (s.start, s.end) if self.now < t < ahead} | {start}
        times = sorted({self.now, ahead, *(t for t in edges if self.now < t < ahead)})
        rate_in, rate_out = self.full_rates[v.key]
        then_in, then_out = rate_in, rate_out
        if run is not None:
            out = run.t_h.get(v.source, run.solids_t_h)
            then_in, then_out = (rate_in, out) if v.source else (out, out)
        legs = []
        for a, b in zip(times, times[1:], strict=False):
            pair = (then_in, then_out) if a >= start else (rate_in, rate_out)
            into, out = self._scaled(v.key, pair, self.rate_at(a + (b - a) / 2))
            legs.append(Leg(hours=(b - a).total_seconds() / 3600.0, rate_in=into, rate_out=out))
        return CoverPlanCase(capacity=v.full_t, level_pct=level, lead_h=v.lead_h, legs=tuple(legs[:24]))

    def pieces_since(self, v: Vessel, since: datetime) -> tuple[Piece, ...]:
        """Into and out of a vessel from a time until now, through what was set and every stop; hours are counted from then."""
        steps = [s for s in self.setpoints if v.source and since < s.at <= self.now]
        edges = {t for h in self.halts for t in (h.start, h.end) if since < t < self.now}
        times = sorted({since, self.now, *edges, *(s.at for s in steps)})
        pieces = []
        for start, end in zip(times, times[1:], strict=False):
            set_then = [s for s in self.setpoints if s.at <= start]
            into, out = self.full_rates[v.key]
            if v.source and set_then:
                out = set_then[-1].data["gives_t_h"].get(v.source, out)
            into, out = self._scaled(v.key, (into, out), self.rate_at(start))
            pieces.append(Piece((end - since).total_seconds() / 3600.0, into, out))
        return tuple(pieces)

    @cached_property
    def next_card(self) -> Record | None:
        """The issued card of the next order that has not started: its shares and draw follow in every cover."""
        newest = {c.subject: c for c in self.standing.cards(self.now)}
        ahead = [c for c in newest.values() if self.now < datetime.fromisoformat(c.data["start"]) <= self.now + COVER_AHEAD]
        return min(ahead, key=lambda c: c.data["start"], default=None)

    @cached_property
    def plan_in_force(self) -> Record | None:
        """The plan that was issued last; None where none was."""
        return planned.plan_in_force(self.now)

    @cached_property
    def next_run(self) -> NextRun | None:
        """The order that follows in every cover and look ahead: by its card, else by the plan in force."""
        return next_run(self, self.next_card)

    def _carried(self, v: Vessel, reading, rate_in: float, rate_out: float) -> float:
        """The level now: the reading, and what shares and stops since then have made of it."""
        full = v.full_t
        content = full * reading.value / 100.0
        course = forecast(content=content, low=0.0, high=full, pieces=self.pieces_since(v, reading.at), holds_at_high=True)
        return min(100.0, max(0.0, 100.0 * course.points[-1][1] / full))
