"""A mill as data: the JSON document read into units, vessels, sources, grades and the sampling plan, every error named.

Open limits are null in the document and +-inf here.
"""

import math
import re
from collections.abc import Iterator, Mapping
from dataclasses import asdict, dataclass, field, replace
from functools import cached_property
from typing import Any

import numpy as np

from core.bleach.unit import BleachPlan, bleached
from core.blend.mix import Source
from core.chips.unit import FeedPlan
from core.cook.kinetic import Charge
from core.cook.unit import CookPlan, Made, made_by
from core.deliver.draw import DrawCase
from core.deliver.runcard import Additive
from core.errors import ImpossibleInput, NotSolved, Problem
from core.judge.band import Band
from core.lab.methods import TESTS
from core.line.acting import Line, solve_line
from core.line.network import Draw, DrawKind, Outlet, Sets, Unit, loses, shares
from core.line.steady import Solution
from core.mechanical.refine import WOODS
from core.mechanical.unit import RefinePlan
from core.practice.table import ROWS
from core.quantity import quantities
from core.register import find
from core.stock.shape import Box, Cylinder, Shape, Surveyed
from core.stream import INDEX, N, Vector, W
from core.unit import Inlet, Kind
from core.wash.line import Washer, wash_line
from core.wash.oxygen import OxygenCase, delignify
from core.wash.unit import OxygenPlan, WashPlan

FORMAT = "fox-vat mill 1"
Json = Mapping[str, Any]


@dataclass(frozen=True, slots=True, kw_only=True)
class Machine:
    name: str
    width_m: float
    trim_m: float
    retention_pct: float
    speed_low: float
    speed_high: float
    efficiency_pct: float
    line_letter: str


@dataclass(frozen=True, slots=True, kw_only=True)
class Vessel:
    """A chest, tower, silo or store; `full_t` oven-dry at the brim and its usual consistency."""

    key: str
    name: str
    full_t: float
    cons_pct: float
    lead_h: float
    station: str
    unit: str
    source: str
    shape: Shape
    in_t_h: float | None = None  # what is brought in, where no unit of the line fills it

    @property
    def full_m3(self) -> float:
        return self.shape.volume_m3(self.shape.brim_m)


@dataclass(frozen=True, slots=True, kw_only=True)
class FurnishSource:
    """A pulp that the blend can take: its properties when nothing newer is known, where it stands, what makes it."""

    source: Source
    name: str
    vessel: str
    unit: str
    raw_wet_t_t: float
    raw_name: str
    spare: bool
    transit_h: float  # from being made to standing in its tower
    tower: str  # the unit it is drawn from
    draw: str  # the draw that takes it to the blend


@dataclass(frozen=True, slots=True, kw_only=True)
class Roles:
    """Which units and vessels of this mill are the ones every line ends with, by their ids; `point` is where the machine's
    chest is sampled."""

    blend: str = "blend"
    chest: str = "chest"
    machine: str = "machine"
    filler: str = "filler"
    vessel: str = "machine.chest"
    point: str = "machine.chest"


@dataclass(frozen=True, slots=True, kw_only=True)
class GradeTest:
    """One line of a grade's card. `band` holds inner and outer limits; `point` is where it is sampled."""

    key: str
    label: str
    unit: str
    band: Band
    critical: bool
    every_h: float
    point: str
    decimals: int

    @property
    def row(self) -> str:
        return f"{self.point}.{self.key}"


@dataclass(frozen=True, slots=True, kw_only=True)
class Grade:
    key: str
    name: str
    gsm: float
    speed_m_min: float
    moisture_pct: float
    sheet_ash_pct: float
    chest_cons_pct: float
    headbox_cons_pct: float
    shares: Mapping[str, float]  # fractions
    additives: tuple[Additive, ...]
    tests: tuple[GradeTest, ...]


@dataclass(frozen=True, slots=True, kw_only=True)
class PlanRow:
    """One row of the sampling plan. `by_grade`: the band of the running grade replaces the one here."""

    id: str
    place: str
    test: str
    interval_min: float
    who: str
    station: str
    line: str
    band: Band
    critical: bool
    tap: str
    by_grade: bool
    lever: Json
    on_duplicate: bool = False  # one accepted duplicate confirms; else a second sample must agree

    @property
    def point(self) -> str:
        return self.id.rsplit(".", 1)[0]


@dataclass(frozen=True, slots=True, kw_only=True)
class ChemicalTank:
    """A chemical in store: m³ at its ends, use, lead time and load, and the strength it is bought or made at."""

    key: str
    name: str
    chemical: str
    least_m3: float
    most_m3: float
    use_m3_h: float
    lead_h: float
    load_m3: float
    strength_g_l: float

    def kg_adt(self, strength_g_l: float, adt_h: float) -> float:
        """Use a tonne air-dry, kg of 100 %."""
        return self.use_m3_h * strength_g_l / adt_h if adt_h > 0.0 else 0.0


@dataclass(frozen=True, slots=True, kw_only=True)
class Pile:
    """A pile of the yard: drawn first in first out (plane) or from its skin (cone), for a unit, by a share of its feed."""

    key: str
    name: str
    kind: str
    unit: str
    share: float
    limit_days: float


@dataclass(frozen=True, slots=True, kw_only=True)
class MoveSpot:
    """Where a row of the practice table is used in this mill: the readings that fill its wells, the band, and what else they
    open with.

    `readings`: field of the row's model to row of the sampling plan, whose newest result fills it. `band`: the plan row whose
    band fills target, inner, low, high and what is allowed; `subject` is what its moves are kept under.
    """

    key: str
    row: str
    place: str
    readings: Mapping[str, str]
    band: str
    opens: Mapping[str, float | str]

    @property
    def subject(self) -> str:
        """The plan row its retest reads, else the spot itself."""
        return self.band or f"move.{self.key}"


@dataclass(frozen=True, kw_only=True)
class Mill:
    name: str
    note: str
    machine: Machine
    day_starts_h: float
    shift_h: float
    safety_number: str
    lines: tuple[Json, ...]
    lanes: tuple[Json, ...]
    units: tuple[Unit, ...]
    draws: tuple[Draw, ...]
    vessels: Mapping[str, Vessel]
    sources: Mapping[str, FurnishSource]
    grades: Mapping[str, Grade]
    plan: Mapping[str, PlanRow]
    schools: Mapping[str, Any]
    moves: Mapping[str, MoveSpot] = field(default_factory=dict)
    cook_plans: Mapping[str, CookPlan] = field(default_factory=dict)
    refine_plans: Mapping[str, RefinePlan] = field(default_factory=dict)
    piles: Mapping[str, Pile] = field(default_factory=dict)
    tanks: Mapping[str, ChemicalTank] = field(default_factory=dict)
    wash_plans: Mapping[str, WashPlan] = field(default_factory=dict)
    oxygen_plans: Mapping[str, OxygenPlan] = field(default_factory=dict)
    bleach_plans: Mapping[str, BleachPlan] = field(default_factory=dict)
    digesters: tuple[str, ...] = ()  # batch digesters with a thermometer
    roles: Roles = Roles()
    moisture_rows: Mapping[str, str] = field(default_factory=dict)  # the plan row that reads the moisture of a unit's feed

    @cached_property
    def feed_plans(self) -> dict[str, FeedPlan]:
        """What is fed from outside at a rate that people set, by unit."""
        return {
            key: FeedPlan(feed_t_h=rate) for key, rate in default_feeds(self).items() if rate > 0.0 and key != self.roles.filler
        }

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


@dataclass(frozen=True, slots=True, kw_only=True)
class Running:
    """How the line is run: feeds by unit (t/h oven-dry), what each source gives (t/h), filler (t/h).

    `makes`: what a cooking unit makes of its wood, by unit; it stands in place of the unit's plan, or of a fixed loss and
    kappa. `moisture_pct`: measured moisture of a wet feed, by unit; its wet rate stays, what is dry in it follows. `settings`:
    what was put in force on a unit in place of the set-up, by unit and name (`Kind.settings`).
    """

    feeds: Mapping[str, float]
    gives: Mapping[str, float]
    filler_t_h: float
    makes: Mapping[str, Made] = field(default_factory=dict)
    moisture_pct: Mapping[str, float] = field(default_factory=dict)
    settings: Mapping[str, Mapping[str, float]] = field(default_factory=dict)


NOTHING = Inlet(
    solids_t_h=0.0, fibre_t_h=0.0, water_t_h=0.0, dissolved_t_h=0.0, temp_c=20.0, kappa=0.0, iso_pct=0.0, csf_ml=600.0
)


class _Reader:
    """Reads the document and gathers every problem with its place instead of stopping at the first."""

    def __init__(self) -> None:
        self.problems: list[Problem] = []

    def bad(self, place: str, text: str) -> None:
        self.problems.append(Problem(place, text))

    def number(
        self, data: Json, key: str, place: str, low: float = -math.inf, high: float = math.inf, default: Any = ...
    ) -> float:
        value = data.get(key, default)
        if value is ...:
            self.bad(f"{place}.{key}", "is missing")
            return max(low, 0.0) if math.isfinite(low) else 0.0
        if isinstance(value, bool) or not isinstance(value, (int, float)) or not math.isfinite(value):
            self.bad(f"{place}.{key}", f"is {value!r}; it must be a number")
            return 0.0
        if not low <= value <= high:
            self.bad(f"{place}.{key}", f"is {value:g}; it must be {low:g} to {high:g}")
        return float(value)

    def text(self, data: Json, key: str, place: str, default: Any = ...) -> str:
        value = data.get(key, default)
        if not isinstance(value, str):
            self.bad(f"{place}.{key}", "is missing" if value is ... else f"is {value!r}; it must be text")
            return ""
        return value

    def items(self, data: Json, key: str) -> list[Json]:
        value = data.get(key, ...)
        if not isinstance(value, list) or not all(isinstance(v, dict) for v in value):
            self.bad(key, "is missing" if value is ... else "must be a list of objects")
            return []
        return value

    def vector(self, data: Json | None, place: str, base: float = 0.0) -> Vector:
        v = np.zeros(N)
        if data is None:
            return v
        if "*" in data:
            v[:] = float(data["*"])
        elif base:
            v[:] = base
        for name, value in data.items():
            if name == "*":
                continue
            if name not in INDEX:
                self.bad(f"{place}.{name}", f"is no component; there are {', '.join(INDEX)}")
            elif isinstance(value, bool) or not isinstance(value, (int, float)) or not 0 <= value < math.inf:
                self.bad(f"{place}.{name}", f"is {value!r}; it must be at least 0")
            else:
                v[INDEX[name]] = float(value)
        return v

    def band(self, data: Json, place: str, possible: tuple[float, float] = (-math.inf, math.inf)) -> Band:
        """A band whose limits lie within what its test can read."""

        def open_at(key: str, end: float) -> float:
            return end if data.get(key) is None else self.number(data, key, place, *possible)

        try:
            return Band(
                low=open_at("low", -math.inf),
                high=open_at("high", math.inf),
                outer_low=open_at("outer_low", -math.inf),
                outer_high=open_at("outer_high", math.inf),
                target=None if data.get("target") is None else self.number(data, "target", place, *possible),
            )
        except ImpossibleInput as error:
            self.problems += [Problem(f"{place}.{p.field}", p.text) for p in error.problems]
            return Band()


def _unit(r: _Reader, data: Json, i: int) -> Unit:
    place = f"units[{i}] {data.get('id', '?')}"
    supply = bool(data.get("supply", False))
    if "parts" in data:
        feed = _feed(
            r.vector(data["parts"], f"{place}.parts"),
            r.number(data, "cons_pct", place, 0.01, 100.0),
            r.number(data, "feed_t_h", place, 0.0, 1000.0),
        )
    else:
        feed = r.vector(data.get("feed"), f"{place}.feed")
    sets = data.get("sets", {})
    outlets = []
    taken = np.zeros(N)
    listed = data.get("outlets", [])
    for o in listed[1:]:
        v = r.vector(o.get("shares"), f"{place}.{o.get('name')}")
        taken += v
        outlets.append(Outlet(name=r.text(o, "name", place), to=r.text(o, "to", place), shares=v))
    if listed:  # the first outlet carries on with what the others leave
        first = listed[0]
        outlets.insert(
            0, Outlet(name=r.text(first, "name", place), to=r.text(first, "to", place), shares=np.maximum(1.0 - taken, 0.0))
        )
    loss = r.number(data, "loss_pct", place, 0.0, 100.0, default=0.0)
    return Unit(
        id=r.text(data, "id", place),
        station=r.text(data, "station", place, ""),
        line=r.text(data, "line", place, ""),
        title=r.text(data, "title", place, ""),
        feed=feed,
        feed_temp_c=r.number(data, "temp_c", place, 0.0, 180.0, default=20.0),
        conversion=loses(loss / 100.0) if loss else None,
        outlets=tuple(outlets),
        sets=Sets(**{k: v for k, v in sets.items() if k in ("kappa", "csf_ml", "iso_pct", "s457", "grey")}),
        supply=supply,
        stores=bool(data.get("stores", False)),
        cooks=r.text(data, "cooks", place, ""),
    )


def _plans(r: _Reader, units: list[Json]) -> tuple[dict[str, CookPlan], dict[str, RefinePlan]]:
    """The cooking and refining plans of the units, each one tried: a plan that cannot be cooked is named."""
    cooks, refines = {}, {}
    for i, u in enumerate(units):
        place, key = f"units[{i}] {u.get('id', '?')}", str(u.get("id", ""))
        if "cook" in u:
            c = u["cook"]
            plan = CookPlan(
                species=r.text(u, "cooks", place),
                charge=Charge(
                    ea_pct_naoh=r.number(c, "ea_pct_naoh", f"{place}.cook", 0.1, 30.0),
                    sulphidity_pct=r.number(c, "sulphidity_pct", f"{place}.cook", 0.0, 60.0),
                    lw_m3_t=r.number(c, "lw_m3_t", f"{place}.cook", 2.0, 12.0),
                    aq_pct=r.number(c, "aq_pct", f"{place}.cook", 0.0, 0.5, default=0.0),
                ),
                points=tuple((float(m), float(t)) for m, t in c.get("points", [])),
                causticizing_pct=r.number(c, "causticizing_pct", f"{place}.cook", 30.0, 100.0, default=82.0),
                reduction_pct=r.number(c, "reduction_pct", f"{place}.cook", 30.0, 100.0, default=94.0),
                kappa_row=r.text(c, "kappa_row", f"{place}.cook", ""),
                vessel=r.text(c, "vessel", f"{place}.cook", "batch"),
            )
            try:
                made_by(plan.species, plan.charge, plan.points)
                cooks[key] = plan
            except (ImpossibleInput, NotSolved) as refusal:
                r.bad(f"{place}.cook", str(refusal))
        if "refine" in u:
            refines[key] = RefinePlan(
                wood=r.text(u["refine"], "wood", f"{place}.refine"),
                sec_kwh_t=r.number(u["refine"], "sec_kwh_t", f"{place}.refine", 1.0, 6000.0),
            )
            if refines[key].wood not in WOODS:
                r.bad(f"{place}.refine.wood", f"is {refines.pop(key).wood!r}; it must be one of {', '.join(WOODS)}")
    return cooks, refines


def _later_plans(r: _Reader, units: list[Json]) -> tuple[dict[str, WashPlan], dict[str, OxygenPlan], dict[str, BleachPlan]]:
    """Washing, oxygen and bleaching plans of the units, each one tried."""
    washes: dict[str, WashPlan] = {}
    oxygens: dict[str, OxygenPlan] = {}
    bleaches: dict[str, BleachPlan] = {}
    for i, u in enumerate(units):
        place, key = f"units[{i}] {u.get('id', '?')}", str(u.get("id", ""))
        try:
            if "washers" in u:
                w = u["washers"]
                stages = tuple(
                    Washer(kind=str(kind), e10=float(e10), out_pct=float(out)) for kind, e10, out in w.get("stages", [])
                )
                made = WashPlan(
                    name=r.text(w, "name", f"{place}.washers"),
                    x0=r.number(w, "x0", f"{place}.washers", 0, 400, default=60.0),
                    loss_row=r.text(w, "loss_row", f"{place}.washers", ""),
                    feed_pct=r.number(w, "feed_pct", f"{place}.washers", 0.1, 60, default=11.0),
                    df=r.number(w, "df", f"{place}.washers", -1, 20),
                    washers=stages,
                )
                wash_line(made.case(NOTHING))
                washes[key] = made
            if "oxygen" in u:
                o = u["oxygen"]
                numbers = {k: r.number(o, k, f"{place}.oxygen") for k in ("minutes", "temp_c", "naoh_kg")}
                case = OxygenCase(
                    wood=r.text(o, "wood", f"{place}.oxygen"),
                    kappa_in=20.0,
                    cons_pct=r.number(o, "cons_pct", f"{place}.oxygen", default=12.0),
                    bar_abs=r.number(o, "bar_abs", f"{place}.oxygen", default=6.0),
                    **numbers,
                )
                delignify(case)
                oxygens[key] = OxygenPlan(case=case)
            if "bleach" in u:
                b = u["bleach"]
                plan = BleachPlan(
                    wood=r.text(b, "wood", f"{place}.bleach"),
                    sequence=r.text(b, "sequence", f"{place}.bleach", ""),
                    charges=tuple(float(c) for c in b.get("charges", [])),
                    iso_in=r.number(b, "iso_in", f"{place}.bleach", 0, 99, default=0.0),
                    iso_row=r.text(b, "iso_row", f"{place}.bleach", ""),
                )
                bleached(plan, 12.0)
                bleaches[key] = plan
        except (ImpossibleInput, NotSolved, KeyError, ValueError, TypeError) as refusal:
            r.bad(place, str(refusal))
    return washes, oxygens, bleaches


def _feed(parts: Vector, cons_pct: float, t_h: float) -> Vector:
    """Component flows of a feed from its dry parts (scaled to 1), consistency and oven-dry rate."""
    total = float(parts.sum())
    flows = parts / total * t_h if total > 0 else parts * 0.0
    if cons_pct > 0:
        flows[W] += t_h * (100.0 / cons_pct - 1.0)
    return flows


def _draw(r: _Reader, data: Json, i: int) -> Draw:
    place = f"draws[{i}] {data.get('id', '?')}"
    try:
        kind = DrawKind(data.get("kind", ""))
    except ValueError:
        r.bad(f"{place}.kind", f"is {data.get('kind')!r}; it must be one of {', '.join(DrawKind)}")
        kind = DrawKind.FLOW
    return Draw(
        id=r.text(data, "id", place),
        kind=kind,
        tank=r.text(data, "tank", place),
        to=r.text(data, "to", place),
        target=r.number(data, "target", place, 0.0),
        rest=r.text(data, "rest", place, ""),
        displaced=bool(data.get("displaced", False)),
    )


def _shape(r: _Reader, data: Any, place: str) -> Shape:
    made: dict[str, Any] = {"cylinder": Cylinder, "box": Box, "surveyed": Surveyed}
    data = dict(data) if isinstance(data, dict) else {}
    kind = data.pop("kind", None)
    try:
        return made[kind](**{k: tuple(v) if isinstance(v, list) else v for k, v in data.items()})  # type: ignore[no-any-return]
    except KeyError:
        r.bad(f"{place}.shape.kind", f"is {kind!r}; it must be one of {', '.join(made)}")
    except TypeError:
        r.bad(f"{place}.shape", "lacks a measure or has one that does not exist")
    except ImpossibleInput as error:
        r.problems += [Problem(f"{place}.shape.{p.field}", p.text) for p in error.problems]
    return Box(length_m=1.0, width_m=1.0, brim_m=1.0)


def _grade(r: _Reader, g: Json, i: int, sources: Mapping[str, FurnishSource]) -> Grade:
    place = f"grades[{i}] {g.get('key', '?')}"
    given = g.get("shares", {})
    for key in given:
        if key not in sources:
            r.bad(f"{place}.shares.{key}", f"is no source; there are {', '.join(sources)}")
    if abs(sum(given.values()) - 100.0) > 1e-6:
        r.bad(f"{place}.shares", f"sum to {sum(given.values()):g} %; they must make 100 %")
    tests = []
    for j, t in enumerate(g.get("tests", [])):
        at = f"{place}.tests[{j}]"
        tests.append(
            GradeTest(
                key=r.text(t, "key", at),
                label=r.text(t, "label", at),
                unit=r.text(t, "unit", at),
                band=r.band(t, at),
                critical=bool(t.get("critical", False)),
                every_h=r.number(t, "every_h", at, 0.1, 100.0),
                point=r.text(t, "point", at),
                decimals=int(r.number(t, "decimals", at, 0, 4)),
            )
        )
    return Grade(
        key=r.text(g, "key", place),
        name=r.text(g, "name", place),
        gsm=r.number(g, "gsm", place, 10, 1000),
        speed_m_min=r.number(g, "speed_m_min", place, 10, 3000),
        moisture_pct=r.number(g, "moisture_pct", place, 0, 50),
        sheet_ash_pct=r.number(g, "sheet_ash_pct", place, 0, 60),
        chest_cons_pct=r.number(g, "chest_cons_pct", place, 0.5, 10),
        headbox_cons_pct=r.number(g, "headbox_cons_pct", place, 0.05, 3),
        shares={k: float(v) / 100.0 for k, v in given.items()},
        additives=tuple(Additive(name=str(n), dose_kg_t=float(d)) for n, d in g.get("additives", [])),
        tests=tuple(tests),
    )


def _endless(value: Any, place: str) -> Iterator[Problem]:
    """Every figure of a document that is no finite number (NaN, 1e999), with its place."""
    if isinstance(value, float) and not math.isfinite(value):
        yield Problem(place, f"is {value!r}; it must be a finite number")
    elif isinstance(value, dict):
        for key, inner in value.items():
            yield from _endless(inner, f"{place}.{key}" if place else str(key))
    elif isinstance(value, list):
        for i, inner in enumerate(value):
            yield from _endless(inner, f"{place}[{i}]")


def read_mill(data: Json) -> Mill:
    """Read a mill document. Raises: ImpossibleInput with every problem and its place (units[3] K.cook.loss_pct)."""
    r = _Reader()
    if data.get("format") != FORMAT:
        raise ImpossibleInput(Problem("format", f"is {data.get('format')!r}; it must be {FORMAT!r}"))
    if endless := tuple(_endless(data, "")):
        raise ImpossibleInput(*endless)
    m = data.get("machine", {})
    machine = Machine(
        name=r.text(m, "name", "machine"),
        width_m=r.number(m, "width_m", "machine", 0.1, 20),
        trim_m=r.number(m, "trim_m", "machine", 0, 2),
        retention_pct=r.number(m, "retention_pct", "machine", 1, 100),
        speed_low=r.number(m, "speed_low", "machine", 1, 4000),
        speed_high=r.number(m, "speed_high", "machine", 1, 4000),
        efficiency_pct=r.number(m, "efficiency_pct", "machine", 1, 100),
        line_letter=r.text(m, "line_letter", "machine"),
    )
    vessels = {}
    for i, v in enumerate(r.items(data, "vessels")):
        place = f"vessels[{i}] {v.get('key', '?')}"
        vessel = Vessel(
            key=r.text(v, "key", place),
            name=r.text(v, "name", place),
            full_t=r.number(v, "full_t", place, 0.01, 1e6),
            cons_pct=r.number(v, "cons_pct", place, 0.1, 100),
            lead_h=r.number(v, "lead_h", place, 0, 48),
            station=r.text(v, "station", place),
            unit=r.text(v, "unit", place, ""),
            source=r.text(v, "source", place, ""),
            shape=_shape(r, v.get("shape"), place),
            in_t_h=None if v.get("in_t_h") is None else r.number(v, "in_t_h", place, 0, 1000),
        )
        vessels[vessel.key] = vessel
    sources = {}
    for i, s in enumerate(r.items(data, "sources")):
        place = f"sources[{i}] {s.get('key', '?')}"
        key = r.text(s, "key", place)
        if s.get("vessel") not in vessels:
            r.bad(f"{place}.vessel", f"is {s.get('vessel')!r}; there is no such vessel")
        sources[key] = FurnishSource(
            source=Source(
                key=key,
                share=0.0,
                cons_pct=r.number(s, "cons_pct", place, 0.1, 30),
                ash_pct=r.number(s, "ash_pct", place, 0, 60),
                iso_pct=r.number(s, "iso_pct", place, 1, 100),
                s457=r.number(s, "s457", place, 1, 300),
                csf_ml=r.number(s, "csf_ml", place, 10, 800),
            ),
            name=r.text(s, "name", place),
            vessel=r.text(s, "vessel", place),
            unit=r.text(s, "unit", place),
            raw_wet_t_t=r.number(s, "raw_wet_t_t", place, 0, 100),
            raw_name=r.text(s, "raw_name", place),
            spare=bool(s.get("spare", False)),
            tower=r.text(s, "tower", place, f"{key}.tower"),
            draw=r.text(s, "draw", place, f"out.{key}"),
            transit_h=r.number(s, "transit_h", place, 0, 200, default=0.0),
        )
    plan = {}
    for i, row in enumerate(r.items(data, "plan")):
        place = f"plan[{i}] {row.get('id', '?')}"
        test = r.text(row, "test", place)
        if test not in TESTS:
            r.bad(f"{place}.test", f"is {test!r}; there are {', '.join(TESTS)}")
        kept = PlanRow(
            id=r.text(row, "id", place),
            place=r.text(row, "place", place),
            test=test,
            interval_min=r.number(row, "interval_min", place, 1, 100_000),
            who=r.text(row, "who", place),
            station=r.text(row, "station", place),
            line=r.text(row, "line", place, ""),
            band=r.band(row, place, TESTS[test].possible if test in TESTS else (-math.inf, math.inf)),
            critical=bool(row.get("critical", False)),
            tap=r.text(row, "tap", place, ""),
            by_grade=bool(row.get("grade", False)),
            lever=row.get("lever", {}),
            on_duplicate=row.get("confirm") == "duplicate",
        )
        if kept.id in plan:
            r.bad(f"{place}.id", f"is {kept.id!r}; another row has it already")
        plan[kept.id] = kept
    units = tuple(_unit(r, u, i) for i, u in enumerate(r.items(data, "units")))
    draws = tuple(_draw(r, d, i) for i, d in enumerate(r.items(data, "draws")))
    grades = {g.key: g for g in (_grade(r, g, i, sources) for i, g in enumerate(r.items(data, "grades")))}
    lanes, lines = tuple(r.items(data, "lanes")), tuple(r.items(data, "lines"))
    moves = {}
    for i, spot in enumerate(r.items(data, "moves") if "moves" in data else []):
        place = f"moves[{i}] {spot.get('key', '?')}"
        made = MoveSpot(
            key=r.text(spot, "key", place),
            row=r.text(spot, "row", place),
            place=r.text(spot, "place", place),
            readings=spot.get("readings", {}),
            band=r.text(spot, "band", place, ""),
            opens=spot.get("opens", {}),
        )
        moves[made.key] = made
        if made.row not in ROWS:
            r.bad(f"{place}.row", f"is {made.row!r}; it must be one of {', '.join(ROWS)}")
        elif ROWS[made.row].model:
            known = quantities(find(ROWS[made.row].model).case_class)
            for name in (*made.readings, *made.opens):
                if name not in known:
                    r.bad(f"{place}.{name}", f"is no well of {made.row}; there are {', '.join(known)}")
        for name in (*made.readings.values(), *((made.band,) if made.band else ())):
            if name not in plan and name not in {f"tank.{t.get('key')}" for t in data.get("tanks", [])}:
                r.bad(f"{place}.readings", f"names {name!r}; the plan has no such row")
    wash_plans, oxygen_plans, bleach_plans = _later_plans(r, r.items(data, "units"))
    piles = {}
    for i, p in enumerate(r.items(data, "piles") if "piles" in data else []):
        place = f"piles[{i}] {p.get('key', '?')}"
        pile = Pile(
            key=r.text(p, "key", place),
            name=r.text(p, "name", place),
            kind=r.text(p, "kind", place),
            unit=r.text(p, "unit", place),
            share=r.number(p, "share", place, 0.0, 1.0),
            limit_days=r.number(p, "limit_days", place, 1.0, 1000.0),
        )
        piles[pile.key] = pile
        if pile.unit not in {u.id for u in units}:
            r.bad(f"{place}.unit", f"is {pile.unit!r}; there is no such unit")
    tanks = {}
    for i, t in enumerate(r.items(data, "tanks") if "tanks" in data else []):
        place = f"tanks[{i}] {t.get('key', '?')}"
        made_tank = ChemicalTank(
            key=r.text(t, "key", place),
            name=r.text(t, "name", place),
            chemical=r.text(t, "chemical", place),
            least_m3=r.number(t, "least_m3", place, 0.0, 1e5),
            most_m3=r.number(t, "most_m3", place, 0.1, 1e5),
            use_m3_h=r.number(t, "use_m3_h", place, 0.0, 1e4),
            lead_h=r.number(t, "lead_h", place, 0.0, 5000.0),
            load_m3=r.number(t, "load_m3", place, 0.1, 1e4),
            strength_g_l=r.number(t, "strength_g_l", place, 0.1, 2000.0),
        )
        tanks[made_tank.key] = made_tank
        if made_tank.least_m3 >= made_tank.most_m3:
            r.bad(f"{place}.least_m3", f"is {made_tank.least_m3:g}; it must be under most_m3, {made_tank.most_m3:g}")
    roles = data.get("roles", {})
    moisture_rows = {str(u.get("id", "")): str(u["moisture_row"]) for u in r.items(data, "units") if u.get("moisture_row")}
    for key, name in moisture_rows.items():
        if name not in plan:
            r.bad(f"{key}.moisture_row", f"names {name!r}; the plan has no such row")
        elif plan[name].test != "moisture":
            r.bad(f"{key}.moisture_row", f"names {name!r}, which reads {plan[name].test}; it must read moisture")
    cook_plans, refine_plans = _plans(r, r.items(data, "units"))
    day_starts = r.text(data, "day_starts", "mill")
    clock = re.fullmatch(r"([01][0-9]|2[0-3]):([0-5][0-9])", day_starts)
    if clock is None:
        r.bad("mill.day_starts", f"is {day_starts!r}; it must be a time such as 06:00")
    day_starts_h = int(clock[1]) + int(clock[2]) / 60.0 if clock else 6.0
    mill = Mill(
        name=r.text(data, "name", "mill"),
        note=r.text(data, "note", "mill", ""),
        machine=machine,
        day_starts_h=day_starts_h,
        shift_h=r.number(data, "shift_hours", "mill", 1, 24),
        safety_number=r.text(data, "safety_number", "mill", ""),
        lines=lines,
        lanes=lanes,
        units=units,
        draws=draws,
        vessels=vessels,
        sources=sources,
        grades=grades,
        plan=plan,
        schools=data.get("schools", {}),
        moves=moves,
        cook_plans=cook_plans,
        refine_plans=refine_plans,
        wash_plans=wash_plans,
        oxygen_plans=oxygen_plans,
        bleach_plans=bleach_plans,
        piles=piles,
        tanks=tanks,
        digesters=tuple(str(d) for d in data.get("digesters", [])),
        moisture_rows=moisture_rows,
        roles=Roles(**{k: r.text(roles, k, "roles", v) for k, v in asdict(Roles()).items()}),
    )
    if r.problems:
        raise ImpossibleInput(*r.problems)
    return mill


def _refuse(mill: Mill, running: Running) -> None:
    """Raises: ImpossibleInput for a feed or a cooking unit that does not exist, or a yield or kappa that cannot be."""
    ids = {u.id for u in mill.units}
    bad = [Problem(k, "is no unit with a feed") for k in (*running.feeds, *running.moisture_pct) if k not in ids]
    for k, pct in running.moisture_pct.items():
        if not 0.0 <= pct < 100.0:
            bad.append(Problem(k, f"has a moisture of {pct:g} %; it must be 0 to under 100 %"))
    for k, made in running.makes.items():
        if k not in ids:
            bad.append(Problem(k, "is no unit that cooks"))
        elif not (0.0 < made.yield_pct <= 100.0 and 0.0 <= made.kappa <= 200.0):
            bad.append(
                Problem(k, f"makes {made.yield_pct:g} % at kappa {made.kappa:g}; it must be above 0 to 100 %, kappa 0 to 200")
            )
    if bad:
        raise ImpossibleInput(*bad)


def _fed(u: Unit, running: Running, filler: str) -> Unit:
    """A unit with its feed as the line is run: its rate, and the moisture its wet feed has now."""
    rate = running.filler_t_h if u.id == filler else running.feeds.get(u.id, running.settings.get(u.id, {}).get("feed_t_h"))
    if u.supply:
        return u
    dry = float(u.feed.sum() - u.feed[W])
    if rate is not None:
        if dry > 0:
            u = replace(u, feed=u.feed * (rate / dry))
        elif u.id == filler:
            u = replace(u, feed=_feed(shares(0.0, FL=1.0), 40.0, rate))
    moisture = running.moisture_pct.get(u.id)
    if moisture is not None and dry > 0.0:
        wet = float(u.feed.sum())
        feed = u.feed * (wet * (1.0 - moisture / 100.0) / float(u.feed.sum() - u.feed[W]))
        feed[W] = wet * moisture / 100.0
        u = replace(u, feed=feed)
    return u


def acting_units(mill: Mill, running: Running, units: Mapping[str, Unit]) -> dict[str, Kind]:
    """The settings of every unit that acts, as the line is run: a kept cook leads, and liquor is charged for the chips of the
    set-up."""
    plans = (mill.wash_plans, mill.oxygen_plans, mill.bleach_plans, mill.refine_plans)
    acting: dict[str, Kind] = {key: plan for each in plans for key, plan in each.items()}
    acting |= mill.feed_plans
    as_set = {u.id: u for u in mill.units}
    for key, plan in mill.cook_plans.items():
        plan = replace(plan, makes=running.makes.get(key))
        fed = [u for u in units.values() if any(o.to == key for o in u.outlets) and u.id in running.moisture_pct]
        if len(fed) == 1 and not as_set[fed[0].id].conversion:
            meant = _fed(as_set[fed[0].id], replace(running, moisture_pct={}), mill.roles.filler)
            plan = replace(plan, charged_for_t_h=float(meant.feed.sum() - meant.feed[W]), chip_water_t_h=float(meant.feed[W]))
        acting[key] = plan
    for key, values in running.settings.items():
        if key not in acting:
            raise ImpossibleInput(Problem(key, "is no unit with settings"))
        try:
            acting[key] = acting[key].set_to(values)
        except ImpossibleInput as refusal:
            raise ImpossibleInput(*(Problem(f"{key}.{p.field}", p.text) for p in refusal.problems)) from None
    return acting


def solve_mill(mill: Mill, running: Running, start: Line | None = None) -> Line:
    """The mill's line as it is run now, every unit acting on what enters it; `start` is a line of the same mill to begin from.

    Raises: UnsolvableNetwork, NotSolved, ImpossibleInput for a feed or a cooking unit that does not exist.
    """
    _refuse(mill, running)
    units = []
    for u in mill.units:
        u = _fed(u, running, mill.roles.filler)
        if u.id in running.makes and u.id not in mill.cook_plans:
            made = running.makes[u.id]
            u = replace(u, conversion=loses(1.0 - made.yield_pct / 100.0), sets=replace(u.sets, kappa=made.kappa))
        units.append(u)
    taken = {source.draw: running.gives.get(key, 0.0) for key, source in mill.sources.items()}
    draws = tuple(replace(d, target=taken[d.id]) if d.id in taken else d for d in mill.draws)
    return solve_line(tuple(units), draws, acting_units(mill, running, {u.id: u for u in units}), start)


def default_feeds(mill: Mill) -> dict[str, float]:
    """Oven-dry feeds as the document has them, by unit."""
    return {u.id: float(u.feed.sum() - u.feed[W]) for u in mill.units if not u.supply and u.feed.any()}


def vessel_rates(mill: Mill, solution: Solution, running: Running) -> dict[str, tuple[float, float]]:
    """What flows into and out of every vessel, t/h oven-dry, as the line is run."""
    drawn = sum(running.gives.values())
    network = solution.network
    dry = network.feed.sum(axis=1) - network.feed[:, W]
    feeds = {key: float(dry[network.index[key]]) for key in mill.feed_plans}
    rates = {}
    for key, v in mill.vessels.items():
        if v.source:
            out = running.gives.get(v.source, 0.0)
            tower = mill.sources[v.source].tower if v.source in mill.sources else ""
            made = solution.stored_t_h(tower) + out if tower in solution.network.index else 0.0
            rates[key] = (made if v.in_t_h is None else v.in_t_h, out)
        elif v.unit in feeds:
            rates[key] = (feeds[v.unit] if v.in_t_h is None else v.in_t_h, feeds[v.unit])
        elif v.station == "deliver":
            rates[key] = (drawn, drawn)
        else:
            through = solution.enters(v.unit).solids_t_h if v.unit in solution.network.index else 0.0
            rates[key] = (through, through)
    return rates


@dataclass(frozen=True, slots=True, kw_only=True)
class SignalSpec:
    """A meter of the mill: what it reads, of which kind, and what it can show. Tags read what.where: level.S.tower."""

    tag: str
    label: str
    unit: str
    kind: str
    low: float
    high: float
    decimals: int
    station: str
    age_min: float
    row: str = ""  # the row of the plan that checks it


def signals(mill: Mill) -> tuple[SignalSpec, ...]:
    """The meters a mill has by its document: a level a vessel, a flow a source, a consistency meter a dilution point, a
    thermometer a digester."""
    found = [
        SignalSpec(
            tag=f"level.{k}",
            label=f"{v.name}, level",
            unit="%",
            kind="level",
            low=-1.0,
            high=105.0,
            decimals=1,
            station=v.station,
            age_min=15.0,
        )
        for k, v in mill.vessels.items()
    ]
    found += [
        SignalSpec(
            tag=f"flow.{k}",
            label=f"{s.name} to blend, flow",
            unit="L/min",
            kind="flow",
            low=-10.0,
            high=120_000.0,
            decimals=0,
            station="blend",
            age_min=5.0,
        )
        for k, s in mill.sources.items()
    ]
    found += [
        SignalSpec(
            tag=f"meter.{r.point}",
            label=f"{r.place}, consistency",
            unit="%",
            kind="consistency",
            low=0.0,
            high=12.0,
            decimals=2,
            station=r.station,
            age_min=5.0,
            row=r.id,
        )
        for r in mill.plan.values()
        if r.lever.get("kind") == "dilution"
    ]
    found += [
        SignalSpec(
            tag=f"temp.digester.{d}",
            label=f"Digester {d}, circulation",
            unit="°C",
            kind="temperature",
            low=-10.0,
            high=200.0,
            decimals=1,
            station="cook",
            age_min=10.0,
        )
        for d in mill.digesters
    ]
    return tuple(found)
