"""The mill that the line is run from, made of its document."""

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field, replace
from functools import cached_property
from typing import Any

import numpy as np

from core.bleach.unit import BleachPlan
from core.chips.unit import FeedPlan
from core.cook.unit import CookPlan
from core.deliver.draw import DrawCase
from core.judge.band import Band
from core.line.network import Draw, DrawKind, Outlet, Unit, loses
from core.mechanical.unit import RefinePlan
from core.mill.document import (
    EVERY,
    ChemicalTank,
    DrawPart,
    FurnishSource,
    Grade,
    Lane,
    Machine,
    MillDocument,
    MovePlace,
    Pile,
    PlanRow,
    Roles,
    Schools,
    UnitPart,
    Vessel,
)
from core.recovered.vat import Vat
from core.recovered.yard import BaleKind
from core.stream import INDEX, N, Vector, W
from core.unit import Kind
from core.wash.unit import OxygenPlan, WashPlan


@dataclass(frozen=True, kw_only=True)
class Mill:
    """A mill as its document has it, by keys; `plans`: the units that act, with their settings."""

    name: str
    note: str
    machine: Machine
    day_starts_h: float
    shift_h: float
    steam_allowed_t_h: float
    blow_tank_t: float
    safety_number: str
    lanes: tuple[Lane, ...]
    units: tuple[Unit, ...]
    draws: tuple[Draw, ...]
    vessels: Mapping[str, Vessel]
    sources: Mapping[str, FurnishSource]
    grades: Mapping[str, Grade]
    plan: Mapping[str, PlanRow]
    schools: Schools
    moves: Mapping[str, MovePlace] = field(default_factory=dict)
    plans: Mapping[str, Kind] = field(default_factory=dict)
    piles: Mapping[str, Pile] = field(default_factory=dict)
    tanks: Mapping[str, ChemicalTank] = field(default_factory=dict)
    bales: Mapping[str, BaleKind] = field(default_factory=dict)
    vats: Mapping[str, Vat] = field(default_factory=dict)
    digesters: tuple[str, ...] = ()  # batch digesters with a thermometer
    roles: Roles = Roles()
    moisture_rows: Mapping[str, str] = field(default_factory=dict)  # the plan row that reads the moisture of a unit's feed

    def _plans(self, kind: type) -> dict[str, Any]:
        return {key: plan for key, plan in self.plans.items() if isinstance(plan, kind)}

    @cached_property
    def cook_plans(self) -> dict[str, CookPlan]:
        """The units that cook."""
        return self._plans(CookPlan)

    @cached_property
    def refine_plans(self) -> dict[str, RefinePlan]:
        """The units that refine chips."""
        return self._plans(RefinePlan)

    @cached_property
    def wash_plans(self) -> dict[str, WashPlan]:
        """The units that wash."""
        return self._plans(WashPlan)

    @cached_property
    def oxygen_plans(self) -> dict[str, OxygenPlan]:
        """The oxygen stages."""
        return self._plans(OxygenPlan)

    @cached_property
    def bleach_plans(self) -> dict[str, BleachPlan]:
        """The units that bleach."""
        return self._plans(BleachPlan)

    @cached_property
    def feed_plans(self) -> dict[str, FeedPlan]:
        """What is fed from outside at a rate that people set, by unit."""
        return {
            key: FeedPlan(feed_t_h=rate) for key, rate in default_feeds(self).items() if rate > 0.0 and key != self.roles.filler
        }

    @cached_property
    def settable(self) -> dict[str, Kind]:
        """Every unit with settings: feeds, and the units that act."""
        return {**self.feed_plans, **self.plans}

    def draw_case(self, grade: Grade, *, gsm: float | None = None, speed_m_min: float | None = None) -> DrawCase:
        """The machine's draw for a grade, its furnish ash still 0 (the mix fills it in)."""
        m = self.machine
        return DrawCase(
            gsm=gsm or grade.gsm,
            speed_m_min=speed_m_min or grade.speed_m_min,
            width_m=m.width_m,
            moisture_pct=grade.moisture_pct,
            trim_m=m.trim_m,
            sheet_ash_pct=grade.sheet_ash_pct,
            furnish_ash_pct=0.0,
            retention_pct=m.retention_pct,
            efficiency_pct=m.efficiency_pct,
        )

    def band(self, row: PlanRow, grade: Grade | None) -> Band:
        """The band that judges a plan row while a grade runs."""
        if row.by_grade and grade is not None:
            for t in grade.tests:
                if t.row == row.id:
                    return t.band
        return row.band


def default_feeds(mill: Mill) -> dict[str, float]:
    """Oven-dry feeds as the document has them, t/h by unit."""
    return {u.id: float(u.feed.sum() - u.feed[W]) for u in mill.units if not u.supply and u.feed.any()}


def feed_of(parts: Vector, cons_pct: float, t_h: float) -> Vector:
    """Component flows (t/h) of a feed from its dry parts (scaled to 1), consistency (%) and oven-dry rate (t/h)."""
    total = float(parts.sum())
    flows = parts / total * t_h if total > 0 else parts * 0.0
    flows[W] += t_h * (100.0 / cons_pct - 1.0)
    return flows


def vector_of(values: Mapping[str, float]) -> Vector:
    """Values by component, `*` for each that is not named, as the vector of the line."""
    v = np.full(N, values.get(EVERY, 0.0))
    for name, value in values.items():
        if name != EVERY:
            v[INDEX[name]] = value
    return v


def unit_of(part: UnitPart) -> Unit:
    """A unit of the line from its document: the first outlet carries on with what the others leave."""
    shares = [vector_of(o.shares) for o in part.outlets]
    if shares:
        shares[0] = np.maximum(1.0 - sum(shares[1:], np.zeros(N)), 0.0)
    fed = feed_of(vector_of(part.parts), part.cons_pct, part.feed_t_h) if part.parts else vector_of(part.feed)
    return Unit(
        id=part.id,
        station=part.station,
        line=part.line,
        title=part.title,
        feed=fed,
        feed_temp_c=part.temp_c,
        conversion=loses(part.loss_pct / 100.0) if part.loss_pct else None,
        outlets=tuple(Outlet(name=o.name, to=o.to, shares=v) for o, v in zip(part.outlets, shares, strict=True)),
        sets=part.sets,
        supply=part.supply,
        stores=part.stores,
        cooks=part.acts.species if isinstance(part.acts, CookPlan) else part.cooks,
    )


def draw_of(part: DrawPart) -> Draw:
    """A draw of the line from its document."""
    return Draw(
        id=part.id,
        kind=DrawKind(part.kind),
        tank=part.tank,
        to=part.to,
        target=part.target,
        rest=part.rest,
        displaced=part.displaced,
    )


def with_defaults(source: FurnishSource, draws: Iterable[DrawPart]) -> FurnishSource:
    """A source with its draw, which follows its key where it is not given, and the unit it is drawn from, which follows its
    draw."""
    draw = source.draw or f"out.{source.source.key}"
    tank = next((d.tank for d in draws if d.id == draw), "")
    return replace(source, draw=draw, tower=source.tower or tank)


def mill_of(document: MillDocument, lanes: tuple[Lane, ...]) -> Mill:
    """The mill of a document, drawn by these lanes."""
    return Mill(
        name=document.name,
        note=document.note,
        machine=document.machine,
        day_starts_h=document.day_starts_h,
        shift_h=document.shift_hours,
        steam_allowed_t_h=document.steam_allowed_t_h,
        blow_tank_t=document.blow_tank_t,
        safety_number=document.safety_number,
        lanes=lanes,
        units=tuple(unit_of(u) for u in document.units),
        draws=tuple(draw_of(d) for d in document.draws),
        vessels={v.key: v for v in document.vessels},
        sources={s.source.key: with_defaults(s, document.draws) for s in document.sources},
        grades={g.key: g for g in document.grades},
        plan={r.id: r for r in document.plan},
        schools=document.schools,
        moves={m.key: m for m in document.moves},
        plans={u.id: u.acts for u in document.units if u.acts is not None},
        piles={p.key: p for p in document.piles},
        tanks={t.key: t for t in document.tanks},
        bales={b.key: b for b in document.bales},
        vats={v.key: v for v in document.vats},
        digesters=document.digesters,
        roles=document.roles,
        moisture_rows={u.id: u.moisture_row for u in document.units if u.moisture_row},
    )
