"""The mill as it stands: set-up in force, what runs, the solved line, levels carried forward, cover."""

from dataclasses import dataclass, replace
from datetime import datetime, timedelta
from functools import cached_property, lru_cache

from core.blend.mix import Mix, mix_furnish
from core.deliver.draw import Draw, DrawCase, draw
from core.line import mill as mills
from core.line.steady import Solution, solve
from core.stock.cover import Cover, CoverCase, Piece, cover, forecast
from desk.instruments.store import newest
from desk.kit.units import Schools
from desk.log.models import Kind, Record
from desk.mill.models import MillVersion
from desk.mill.shifts import Shift, shift_of

COOK_KEEPS = timedelta(hours=24)  # what the line counts with after a blow, until the next


class NoMill(Exception):
    """No mill is set up yet."""


@lru_cache(maxsize=4)
def _read(version_id: int) -> mills.Mill:
    return mills.read_mill(MillVersion.objects.get(pk=version_id).document)


def mill_in_force() -> tuple[int, mills.Mill]:
    version_id = MillVersion.objects.values_list("pk", flat=True).first()
    if version_id is None:
        raise NoMill
    return version_id, _read(version_id)


@lru_cache(maxsize=64)
def _solved(version_id: int, feeds: tuple, gives: tuple, filler: float, makes: tuple) -> Solution:
    running = mills.Running(feeds=dict(feeds), gives=dict(gives), filler_t_h=filler, makes=dict(makes))
    return solve(mills.network(_read(version_id), running))


def solve_running(version_id: int, running: mills.Running) -> Solution:
    """The solved line, kept for the last few ways of running it."""
    feeds, gives = tuple(sorted(running.feeds.items())), tuple(sorted(running.gives.items()))
    return _solved(version_id, feeds, gives, running.filler_t_h, tuple(sorted(running.makes.items(), key=lambda m: m[0])))


@dataclass(frozen=True)
class VesselNow:
    """A vessel at `now`: its level carried on from the last reading at the rates since, and its cover."""

    vessel: mills.Vessel
    level_pct: float
    read_pct: float
    read_at: datetime
    rate_in: float
    rate_out: float
    case: CoverCase
    cover: Cover

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
    """A planned stop of the machine."""

    start: datetime
    end: datetime
    what: str


class MillState:
    """Everything a page needs to know of the mill at one time. Properties are worked out once, when asked for.

    `schools`: the units its reader sees; None is the core's own.
    """

    schools: Schools | None = None

    def __init__(self, now: datetime):
        self.now = now
        self.version_id, self.mill = mill_in_force()

    @cached_property
    def shift(self) -> Shift:
        return shift_of(self.now, self.mill)

    @cached_property
    def run(self) -> dict:
        """What the machine runs: the newest start of an order at this time (order, grade, gsm, speed_m_min)."""
        started = Record.objects.current().filter(kind=Kind.START, at__lte=self.now).order_by("-at", "-id").first()
        if started:
            return {**started.data, "since": started.at}
        grade = next(iter(self.mill.grades.values()))
        return {"order": "", "grade": grade.key, "gsm": grade.gsm, "speed_m_min": grade.speed_m_min, "since": self.now}

    @cached_property
    def grade(self) -> mills.Grade:
        return self.mill.grades[self.run["grade"]]

    @cached_property
    def stops(self) -> tuple[Planned, ...]:
        """Planned stops that are not over, soonest first."""
        found = []
        for r in Record.objects.current().filter(kind=Kind.STOP, at__gte=self.now - timedelta(days=2)):
            end = datetime.fromisoformat(r.data["until"])
            if end > self.now:
                found.append(Planned(r.at, end, r.data["what"]))
        return tuple(sorted(found, key=lambda s: s.start))

    @cached_property
    def setpoints(self) -> list[Record]:
        """Share set points of the last two days, oldest first."""
        rows = Record.objects.current().filter(kind=Kind.SETPOINT, subject="blend.shares", at__lte=self.now)
        return list(rows.order_by("-at", "-id")[:40])[::-1]

    @cached_property
    def shares(self) -> dict[str, float]:
        """Fractions of the furnish, by source, as last set."""
        if self.setpoints:
            return {k: v / 100.0 for k, v in self.setpoints[-1].data["shares_pct"].items()}
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
        found = draw(self.draw_case_of(mix))
        assert isinstance(found, Draw)
        return found

    @cached_property
    def draw(self) -> Draw:
        return self.draw_of(self.mix)

    @cached_property
    def stands_still(self) -> bool:
        return any(s.start <= self.now < s.end for s in self.stops)

    @cached_property
    def running(self) -> mills.Running:
        drawn = 0.0 if self.stands_still else self.draw.solids_t_h
        filler = 0.0 if self.stands_still else self.draw.filler_t_h
        gives = {k: self.shares.get(k, 0.0) * drawn for k in self.mill.sources}
        return mills.Running(feeds={}, gives=gives, filler_t_h=filler, makes=self.makes)

    @cached_property
    def makes(self) -> dict[str, mills.Made]:
        """What the newest cook of each cooking unit made, by the model as it was run or the laboratory's kappa; a day old at most."""
        wood = {u.cooks: u.id for u in self.mill.units if u.cooks}
        if not wood:
            return {}
        told = Record.objects.current().filter(
            kind=Kind.COOK, status__in=("blown", "tested"), at__gt=self.now - COOK_KEEPS, at__lte=self.now
        )
        found = {}
        for data in told.order_by("at", "id").values_list("data", flat=True):
            if (unit := wood.get(data.get("species", ""))) and data.get("yield_pct"):
                found[unit] = mills.Made(yield_pct=data["yield_pct"], kappa=data["kappa"])
        return found

    @cached_property
    def solution(self) -> Solution:
        """The solved line; while the machine stands its part is drawn as it last ran."""
        running = self.running
        if self.stands_still:
            gives = {k: self.shares.get(k, 0.0) * self.draw.solids_t_h for k in self.mill.sources}
            running = mills.Running(feeds={}, gives=gives, filler_t_h=self.draw.filler_t_h, makes=self.makes)
        return solve_running(self.version_id, running)

    @cached_property
    def rates(self) -> dict[str, tuple[float, float]]:
        return mills.vessel_rates(self.mill, self.solution, self.running)

    @cached_property
    def vessels(self) -> dict[str, VesselNow]:
        """Every vessel that has a level reading, worst cover first."""
        found = {}
        for tag, reading in newest("level.", before=self.now).items():
            key = tag.removeprefix("level.")
            if key not in self.mill.vessels:
                continue
            v = self.mill.vessels[key]
            rate_in, rate_out = self.rates[key]
            level = self._carried(v, reading, rate_in, rate_out)
            case = CoverCase(capacity=v.full_t, level_pct=level, rate_in=rate_in, rate_out=rate_out, lead_h=v.lead_h)
            found[key] = VesselNow(v, level, reading.value, reading.at, rate_in, rate_out, case, cover(case))
        return dict(sorted(found.items(), key=lambda kv: kv[1].cover.hours))

    def _carried(self, v: mills.Vessel, reading, rate_in: float, rate_out: float) -> float:
        """The level now: the reading, and what the rates set since then have made of it."""
        hours = (self.now - reading.at).total_seconds() / 3600.0
        pieces = []
        changes = [s for s in self.setpoints if reading.at < s.at <= self.now] if v.source else []
        before = [s for s in self.setpoints if s.at <= reading.at]
        outs = [s.data["gives_t_h"].get(v.source, rate_out) for s in (before[-1:] + changes)] if v.source else []
        for change, out in zip(changes, outs[: len(changes)] if before else [rate_out] * len(changes), strict=False):
            pieces.append(Piece((change.at - reading.at).total_seconds() / 3600.0, rate_in, out))
        pieces.append(Piece(hours, rate_in, rate_out))
        full = v.full_t
        course = forecast(content=full * reading.value / 100.0, low=0.0, high=full, pieces=tuple(pieces), holds_at_high=True)
        return min(100.0, max(0.0, 100.0 * course.points[-1][1] / full))
