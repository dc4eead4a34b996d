"""The mill document by declaration: what a mill is made of, each part a class whose fields are read, written and described from
one place (core/document.py)."""

import re
from collections.abc import Mapping
from dataclasses import dataclass
from functools import cached_property
from typing import Any, Final

from core.blend.mix import Source
from core.deliver.runcard import Additive
from core.document import (
    Amounts,
    Flag,
    Inlined,
    Json,
    Limit,
    List,
    Number,
    OneOf,
    Part,
    Parts,
    Table,
    Text,
    Word,
    flag,
    identity,
    item,
    named,
    text,
)
from core.errors import ImpossibleInput, Problem
from core.judge.band import Band
from core.lab.methods import TESTS
from core.line.network import DrawKind, Sets
from core.mill.kinds import KINDS
from core.practice.table import ROWS
from core.quantity import INF, Quantity, choice, quantity
from core.recovered.vat import Vat
from core.recovered.yard import BaleKind
from core.stock.shape import Box, Cylinder, Shape, Surveyed
from core.stream import COMPONENTS

FORMAT: Final = "fox-vat mill 2"
FORMER: Final = "fox-vat mill 1"
STATIONS: Final = ("", "chips", "cook", "wash", "bleach", "recovered", "clean", "refine", "stock", "blend", "deliver")
COLUMNS: Final = (*STATIONS[1:], "oxygen")  # of the ribbon
WHO: Final = ("operator", "lab")
EVERY: Final = "*"  # every component that is not named


def _least_0(label: str, unit: str, most: float = INF) -> Number:
    return Number(
        said=Quantity(
            label=label,
            unit=unit,
            possible=(0.0, most),
            valid=(0.0, most),
            above=False,
            decimals=4,
            help="",
            equation="",
        )
    )


SHARE: Final = _least_0("Share", "")
FLOW: Final = _least_0("Flow", "t/h")
PARTS: Final = (EVERY, *COMPONENTS)


@dataclass(frozen=True, slots=True, kw_only=True)
class Machine:
    """The paper machine: what it is called, its width, what it can run at and keeps."""

    name: str = named()
    width_m: float = quantity("Width", "m", possible=(0.1, 20), valid=(1, 12), decimals=2)
    trim_m: float = quantity("Trim", "m", possible=(0, 2), valid=(0, 0.4), decimals=2)
    retention_pct: float = quantity("Retention, in all", "%", possible=(1, 100), valid=(80, 99), decimals=0)
    speed_low: float = quantity("Slowest", "m/min", possible=(1, 4000), valid=(100, 2000), decimals=0)
    speed_high: float = quantity("Fastest", "m/min", possible=(1, 4000), valid=(100, 2000), decimals=0)
    efficiency_pct: float = quantity("Efficiency", "%", possible=(1, 100), valid=(70, 97), decimals=0)
    line_letter: str = item(Text(label="Letter of its lots", least=1, most=1, pattern="^[A-Z]$", rule="one capital letter"))

    def tried(self) -> None:
        """Raises: ImpossibleInput for speeds in the wrong order."""
        if self.speed_high < self.speed_low:
            told = f"is {self.speed_high:g}; it must be at least speed_low, {self.speed_low:g}"
            raise ImpossibleInput(Problem("speed_high", told))


@dataclass(frozen=True, kw_only=True)
class OutletPart:
    """A way out of a unit: where it goes, and the share of each component that takes it (the first takes what is left)."""

    name: str = identity("Name")
    to: str = identity("Goes to", names="units")
    shares: Mapping[str, float] = item(Amounts(label="Shares", of=SHARE, names=PARTS), default={})


@dataclass(frozen=True, kw_only=True)
class UnitPart:
    """One box of the line. A feed from outside is given as its dry parts with a rate and a consistency, or as flows."""

    id: str = identity()
    outlets: tuple[OutletPart, ...] = item(Parts(label="Outlets", of=OutletPart, most=8))
    line: str = text("Line", default="")
    station: str = choice("Station", STATIONS, default="")
    title: str = text("Name", default="", most=80)
    feed_t_h: float = quantity("Feed", "t/h OD", possible=(0, 1000), valid=(0, 300), default=0.0)
    cons_pct: float = quantity("Consistency of the feed", "%", possible=(0, 100), above=True, valid=(2, 95), default=100.0)
    parts: Mapping[str, float] = item(Amounts(label="What the feed is made of", of=SHARE, names=PARTS), default={})
    feed: Mapping[str, float] = item(Amounts(label="Feed, flow by flow", of=FLOW, names=PARTS), default={})
    temp_c: float = quantity("Temperature of the feed", "°C", possible=(0, 180), valid=(5, 100), decimals=0, default=20.0)
    loss_pct: float = quantity("Fibre dissolved", "%", possible=(0, 100), valid=(0, 60), decimals=1, default=0.0)
    sets: Sets = item(Part(label="The pulp it gives", of=Sets), default=Sets())
    moisture_row: str = text("Row of its moisture", default="", names="plan")
    supply: bool = flag("A supply without end", default=False)
    stores: bool = flag("A tower or tank that stores", default=False)
    cooks: str = text("Wood or plant of its kept cooks", default="")
    acts: Any = item(OneOf(label="How it acts", of=KINDS), default=None)


@dataclass(frozen=True, slots=True, kw_only=True)
class DrawPart:
    """A flow that is drawn: until the consumer has a consistency (fraction), at a rate, or to keep a tank."""

    id: str = identity()
    kind: str = choice("Kind", tuple(k.value for k in DrawKind))
    tank: str = identity("From", names="units")
    to: str = identity("To", names="units")
    target: float = quantity("Target", "fraction, or t/h", possible=(0, INF), decimals=3)
    rest: str = text("Outlet it is taken from", default="")
    displaced: bool = flag("Only water is moved", default=False)


@dataclass(frozen=True, slots=True, kw_only=True)
class Vessel:
    """A chest, tower, silo or store; `full_t` oven-dry at the brim and its usual consistency."""

    key: str = identity()
    name: str = named()
    full_t: float = quantity("Holds at the brim", "t OD", possible=(0.01, 1e6), valid=(0.5, 500))
    cons_pct: float = quantity("Consistency", "%", possible=(0.1, 100), valid=(2, 60))
    lead_h: float = quantity("Lead of its action", "h", possible=(0, 48), valid=(0.1, 8))
    station: str = choice("Station", STATIONS)
    unit: str = text("Filled by unit", default="", names="units")
    source: str = text("Source it holds", default="", names="sources")
    shape: Shape = item(OneOf(label="Shape", of={"cylinder": Cylinder, "box": Box, "surveyed": Surveyed}))
    mixed_pct: float = quantity(
        "Of its content mixed", "%", possible=(0, 100), decimals=0, default=100.0, help="a tower its bottom zone; a silo 0"
    )
    agitator_kw: float = quantity("Agitators draw", "kW", possible=(0, 5000), decimals=0, default=0.0, help="0: not known")
    in_t_h: float | None = item(Limit(label="Brought in, t/h OD", open_at=None, possible=(0.0, 1000.0)), default=None)

    @property
    def full_m3(self) -> float:
        """Its volume at the brim, m³."""
        return self.shape.volume_m3(self.shape.brim_m)


@dataclass(frozen=True, slots=True, kw_only=True)
class FurnishSource:
    """A pulp that the blend can take: its properties when nothing newer is known, where it stands, what makes it.

    `transit_h`: from being made to standing in its tower. `tower`: the unit it is drawn from; `draw`: the draw that takes it to
    the blend. Both follow its key where they are not given.
    """

    source: Source = item(Inlined(label="Pulp", of=Source))
    name: str = named()
    vessel: str = identity("Stands in", names="vessels")
    unit: str = identity("Made by unit", names="units")
    raw_wet_t_t: float = quantity("Raw material", "wet t/t OD", possible=(0, 100), valid=(0, 8))
    raw_name: str = text("Name of the raw material")
    spare: bool = flag("Spare source", default=False)
    transit_h: float = quantity("From made to tower", "h", possible=(0, 200), valid=(0, 24), default=0.0)
    tower: str = text("Drawn from unit", default="", names="units")
    draw: str = text("Draw to the blend", default="", names="draws")
    price: float = quantity("Price", "a t OD", possible=(0, 100_000), decimals=0, default=0.0)
    low_pct: float = quantity("In a furnish, at least", "%", possible=(0, 100), decimals=0, default=0.0)
    high_pct: float = quantity("In a furnish, at most", "%", possible=(0, 100), decimals=0, default=100.0)
    step_pct: float = quantity("One change of its share", "points", possible=(0, 100), above=True, decimals=0, default=5.0)
    tensile: float = quantity("Tensile index", "N·m/g", possible=(0, 200), decimals=0, default=0.0, help="0: not known")
    tear: float = quantity("Tear index", "mN·m²/g", possible=(0, 60), decimals=1, default=0.0, help="0: not known")
    recycled_pct: float = quantity("Recycled content", "%", possible=(0, 100), decimals=0, default=0.0)


@dataclass(frozen=True, slots=True, kw_only=True)
class Roles:
    """Which units and vessels of this mill are the ones every line ends with, by their ids; `point` is where the machine's
    chest is sampled."""

    blend: str = identity("Blend", default="blend", names="units")
    chest: str = identity("Machine chest", default="chest", names="units")
    machine: str = identity("Machine", default="machine", names="units")
    filler: str = identity("Filler", default="filler")
    vessel: str = identity("Vessel before the machine", default="machine.chest")
    point: str = identity("Where its chest is sampled", default="machine.chest")


@dataclass(frozen=True, slots=True, kw_only=True)
class GradeTest:
    """One line of a grade's card. `band` holds inner and outer limits; `point` is where it is sampled."""

    key: str = identity()
    label: str = named("Label")
    unit: str = text("Unit")
    band: Band = item(Inlined(label="Band", of=Band))
    critical: bool = flag("Critical", default=False)
    every_h: float = quantity("Every", "h", possible=(0.1, 100), valid=(0.5, 24), decimals=1)
    point: str = identity("Sampled at")
    decimals: int = quantity("Decimals", possible=(0, 4), decimals=0, whole=True)

    @property
    def row(self) -> str:
        """The row of the sampling plan it is read by."""
        return f"{self.point}.{self.key}"


@dataclass(frozen=True, kw_only=True)
class Grade:
    """A grade: how its sheet is made, its furnish in % of oven-dry, and its card."""

    key: str = identity()
    name: str = named()
    gsm: float = quantity("Basis weight", "g/m²", possible=(10, 1000), valid=(30, 400), decimals=0)
    speed_m_min: float = quantity("Speed", "m/min", possible=(10, 3000), valid=(100, 1800), decimals=0)
    moisture_pct: float = quantity("Reel moisture", "%", possible=(0, 50), valid=(3, 10), decimals=1)
    sheet_ash_pct: float = quantity("Ash of the sheet", "%", possible=(0, 60), valid=(0, 30), decimals=1)
    chest_cons_pct: float = quantity("Machine chest", "%", possible=(0.5, 10), valid=(2.5, 4.5))
    headbox_cons_pct: float = quantity("Headbox", "%", possible=(0.05, 3), valid=(0.3, 1.2))
    shares_pct: Mapping[str, float] = item(Amounts(label="Furnish, % OD", of=_least_0("Share", "%", 100.0), key="shares"))
    additives: tuple[Additive, ...] = item(Table(label="Additives, kg/t", of=Additive))
    tests: tuple[GradeTest, ...] = item(Parts(label="Card", of=GradeTest))
    tensile_least: float = quantity("Tensile of the furnish, at least", "N·m/g", possible=(0, 200), decimals=0, default=0.0)
    stickies_most: float = quantity("Stickies of the furnish, at most", "mm²/kg", possible=(0, 1e6), decimals=0, default=1e6)
    recycled_least: float = quantity("Recycled content, at least", "%", possible=(0, 100), decimals=0, default=0.0)
    washed_h: Mapping[str, float] = item(
        Amounts(label="Washed for behind another grade, h", of=_least_0("Washout", "h", 48.0)), default={}
    )

    @cached_property
    def shares(self) -> Mapping[str, float]:
        """The furnish as fractions, by source."""
        return {k: v / 100.0 for k, v in self.shares_pct.items()}

    def tried(self) -> None:
        """Raises: ImpossibleInput for a furnish that does not make 100 %."""
        if abs(sum(self.shares_pct.values()) - 100.0) > 1e-6:
            told = f"sum to {sum(self.shares_pct.values()):g} %; they must make 100 %"
            raise ImpossibleInput(Problem("shares", told))


@dataclass(frozen=True, slots=True, kw_only=True)
class Dilution:
    """The lever of a consistency: dilution water, with what its step and its time are worked out from."""

    stock_l_min: float = quantity("Stock", "L/min", possible=(0, 500_000), decimals=0)
    inlet_pct: float = quantity("Chest outlet", "%", possible=(0, 60))
    water_cons_pct: float = quantity("White water", "%", possible=(0, 10))
    water_max_l_min: float = quantity("Water valve full open", "L/min", possible=(0, 500_000), decimals=0)
    pipe_m: float = quantity("Pipe to the meter", "m", possible=(0, 5000), decimals=1)
    pipe_mm: float = quantity("Pipe bore", "mm", possible=(0, 5000), decimals=0)
    filter_s: float = quantity("Meter filter", "s", possible=(0, 5000), decimals=0)
    mixing_min: float = quantity("Mixing", "min", possible=(0, 600), decimals=1, default=0.0)


@dataclass(frozen=True, slots=True, kw_only=True)
class HFactor:
    """The lever of a kappa: H-factor, its gain in kappa a unit, and its largest step."""

    now: float = quantity("H-factor now", "", possible=(1, 10_000), decimals=0)
    gain: float = quantity("Kappa a unit of H", "", possible=(-10, 10), decimals=3)
    max_step: float = quantity("Largest step of H", "", possible=(0, 2000), decimals=0)
    temp_c: float = quantity("Cooking temperature", "°C", possible=(100, 200), decimals=0)
    dead_min: float = quantity("Seen after", "min", possible=(0, 10_000), decimals=0)


METERED: Final = {  # the tests that a meter on the line can read, with the kind of meter
    "consistency": "consistency",
    "kappa": "kappa",
    "brightness": "brightness",
    "ph": "ph",
    "residual_clo2": "residual",
    "residual_peroxide": "residual",
    "drop": "pressure",
}
LEVERS: Final = {"dilution": Dilution, "h_factor": HFactor}


@dataclass(frozen=True, slots=True, kw_only=True)
class PlanRow:
    """One row of the sampling plan. `by_grade`: the band of the running grade replaces the one here. `on_duplicate`: one
    accepted duplicate confirms; else a second sample must agree.

    `unit`, `stage`: the unit whose pulp it reads as it leaves, or as it leaves one of its stages, counted from 1; what the
    models say of it stands beside what the laboratory says.
    """

    id: str = identity()
    place: str = named("Place")
    test: str = choice("Test", tuple(TESTS))
    interval_min: float = quantity("Every", "min", possible=(1, 100_000), valid=(15, 1440), decimals=0)
    who: str = choice("Who", WHO)
    station: str = choice("Station", STATIONS)
    line: str = text("Line", default="")
    band: Band = item(Inlined(label="Band", of=Band), default=Band())
    critical: bool = flag("Critical", default=False)
    tap: str = text("Where it is taken", default="")
    by_grade: bool = item(Flag(label="Band of the running grade", key="grade"), default=False)
    lever: Json = item(OneOf(label="Its lever", of=LEVERS, plain=True), default={})
    confirm: str = choice("Confirmed by", ("sample", "duplicate"), default="sample")
    online: bool = flag("A meter reads it too", default=False)
    unit: str = text("Unit whose pulp it reads", default="", names="units")
    stage: int = quantity("after its stage", "", possible=(0, 12), decimals=0, whole=True, default=0)

    @property
    def on_duplicate(self) -> bool:
        """Whether one accepted duplicate confirms a reading."""
        return self.confirm == "duplicate"

    @property
    def point(self) -> str:
        """Where it is sampled: its id without the test."""
        return self.id.rsplit(".", 1)[0]

    @property
    def metered(self) -> bool:
        """Whether a meter on the line reads it too: asked for, or the meter that its dilution is set by."""
        return self.online or self.lever.get("kind") == "dilution"

    @property
    def tag(self) -> str:
        """The signal of that meter."""
        return f"{'meter' if self.test == 'consistency' else self.test}.{self.point}"

    def tried(self) -> None:
        """Raises: ImpossibleInput for limits that its test cannot read, or a meter that there is none of."""
        if self.online and self.test not in METERED:
            told = f"is set; no meter reads {self.test}, only {', '.join(METERED)}"
            raise ImpossibleInput(Problem("online", told))
        low, high = TESTS[self.test].possible
        limits = {k: getattr(self.band, k) for k in ("low", "high", "outer_low", "outer_high", "target")}
        outside = {k: v for k, v in limits.items() if v is not None and abs(v) != INF and not low <= v <= high}
        if outside:
            raise ImpossibleInput(*(Problem(k, f"is {v:g}; it must be {low:g} to {high:g}") for k, v in outside.items()))


@dataclass(frozen=True, slots=True, kw_only=True)
class ChemicalTank:
    """A chemical in store: m³ at its ends, use, lead time and load, and the strength it is bought or made at."""

    key: str = identity()
    name: str = named()
    chemical: str = named("Chemical")
    least_m3: float = quantity("Least", "m³", possible=(0, 1e5), decimals=0)
    most_m3: float = quantity("Most", "m³", possible=(0.1, 1e5), decimals=0)
    use_m3_h: float = quantity("Use, where the line does not say", "m³/h", possible=(0, 1e4))
    lead_h: float = quantity("Lead of a load", "h", possible=(0, 5000), decimals=0)
    load_m3: float = quantity("A load", "m³", possible=(0.1, 1e4), decimals=0)
    strength_g_l: float = quantity("Strength", "g/L", possible=(0.1, 2000), decimals=1)

    def tried(self) -> None:
        """Raises: ImpossibleInput for ends in the wrong order."""
        if self.least_m3 >= self.most_m3:
            raise ImpossibleInput(Problem("least_m3", f"is {self.least_m3:g}; it must be under most_m3, {self.most_m3:g}"))

    def kg_adt(self, strength_g_l: float, adt_h: float) -> float:
        """Use a tonne air-dry, kg of 100 %."""
        return self.use_m3_h * strength_g_l / adt_h if adt_h > 0.0 else 0.0


@dataclass(frozen=True, slots=True, kw_only=True)
class Pile:
    """A pile of the yard: drawn first in first out (plane) or from its skin (cone), for a unit, by a share of its feed."""

    key: str = identity()
    name: str = named()
    kind: str = choice("Kind", ("plane", "cone"))
    unit: str = identity("Feeds unit", names="units")
    share: float = quantity("Share of the feed", "", possible=(0, 1))
    limit_days: float = quantity("Oldest wanted", "days", possible=(1, 1000), decimals=0)


@dataclass(frozen=True, kw_only=True)
class MovePlace:
    """Where a row of the practice table is used in this mill: the readings that fill its wells, the band, and what else they
    open with.

    `readings`: field of the row's model to row of the sampling plan, whose newest result fills it. `unit` and `stage`: what the
    line solves there fills the wells that the row names in `Practice.solved`; of a `vessel` its content and rates, and what
    the furnish takes of it. `band`: the plan row whose
    band fills target, inner, low, high and what is allowed; `subject` is what its moves are kept under.
    """

    key: str = identity()
    row: str = choice("Row of the practice table", tuple(ROWS))
    place: str = named("Place")
    readings: Mapping[str, str] = item(Amounts(label="Readings", of=Text(label="Row")), default={})
    band: str = text("Row whose band it takes", default="")
    opens: Mapping[str, float | str] = item(Amounts(label="Opens with", of=Word()), default={})
    unit: str = text("Unit it moves", default="", names="units")
    stage: int = quantity("its stage", "", possible=(0, 12), decimals=0, whole=True, default=0)
    vessel: str = text("Vessel it keeps", default="", names="vessels")

    @property
    def subject(self) -> str:
        """The plan row its retest reads, else the place itself."""
        return self.band or f"move.{self.key}"


@dataclass(frozen=True, slots=True, kw_only=True)
class LaneNode:
    """A place of a lane of the ribbon: the outlet whose flow is drawn from its station on, `dx` px along."""

    station: str = choice("Station", COLUMNS)
    unit: str = identity("Unit", names="units")
    outlet: str = identity("Outlet", default="on")
    dx: float = quantity("Along", "px", possible=(-200, 200), decimals=0, default=0.0)


@dataclass(frozen=True, slots=True, kw_only=True)
class Strand:
    """A part of a lane before two are mixed."""

    key: str = identity()
    name: str = named()
    nodes: tuple[LaneNode, ...] = item(Parts(label="Places", of=LaneNode, least=1))


@dataclass(frozen=True, slots=True, kw_only=True)
class Peel:
    """What leaves a lane dissolved, by the units that dissolve it."""

    station: str = choice("Station", COLUMNS)
    lost: tuple[str, ...] = item(List(label="Units", of=Text(label="Unit", names="units")))
    label: str = text("Label")


@dataclass(frozen=True, slots=True, kw_only=True)
class Leaf:
    """A unit and one of its outlets."""

    unit: str = identity("Unit", names="units")
    outlet: str = identity("Outlet")


@dataclass(frozen=True, slots=True, kw_only=True)
class Thread:
    """What leaves a lane as rejects, by the outlets it leaves by."""

    station: str = choice("Station", COLUMNS)
    label: str = text("Label")
    leaves: tuple[tuple[str, str], ...] = item(Table(label="Outlets", of=Leaf, plain=True))
    dx: float = quantity("Along", "px", possible=(-200, 200), decimals=0, default=0.0)


@dataclass(frozen=True, slots=True, kw_only=True)
class Pin:
    """What is added to a lane: the setting of a unit as it is run, or a written value."""

    station: str = choice("Station", COLUMNS)
    label: str = text("Label")
    dx: float = quantity("Along", "px", possible=(-200, 200), decimals=0, default=0.0)
    value: float | None = item(Limit(label="Value", open_at=None), default=None)
    unit: str = text("Unit", default="")
    of: str = text("Of unit", default="", names="units")
    setting: str = text("Setting", default="")


@dataclass(frozen=True, slots=True, kw_only=True)
class Gauge:
    """A reading shown along a lane."""

    station: str = choice("Station", COLUMNS)
    row: str = identity("Row", names="plan")
    label: str = text("Label")
    lead: str = text("Lead", default="")


@dataclass(frozen=True, slots=True, kw_only=True)
class Lane:
    """A lane of the ribbon: one source, from its raw material to its tower."""

    key: str = identity("Source", names="sources")
    name: str = named()
    nodes: tuple[LaneNode, ...] = item(Parts(label="Places", of=LaneNode, least=1))
    strands: tuple[Strand, ...] = item(Parts(label="Strands", of=Strand), default=())
    peels: tuple[Peel, ...] = item(Parts(label="Dissolved", of=Peel), default=())
    threads: tuple[Thread, ...] = item(Parts(label="Rejects", of=Thread), default=())
    pins: tuple[Pin, ...] = item(Parts(label="Added", of=Pin), default=())
    gauges: tuple[Gauge, ...] = item(Parts(label="Readings", of=Gauge), default=())


@dataclass(frozen=True, slots=True, kw_only=True)
class FibreLine:
    """A fibre line by its letter."""

    key: str = identity()
    name: str = named()
    sentence: str = text("What it is", default="")


@dataclass(frozen=True, slots=True, kw_only=True)
class Schools:
    """How this mill writes its figures, where a reader has not chosen."""

    system: str = choice("System", ("metric", "us"), default="metric")
    freeness: str = choice("Freeness", ("csf", "sr"), default="csf")
    alkali: str = choice("Alkali", ("naoh", "na2o"), default="naoh")
    moisture: str = choice("Moisture", ("wet", "dry"), default="wet")
    dryness: str = choice("Dryness", ("od", "ad"), default="od")
    brightness: str = choice("Brightness", ("iso", "dir"), default="iso")
    offset: float = quantity("Directional over ISO", "points", possible=(-10, 10), decimals=1, default=0.0)


@dataclass(frozen=True, kw_only=True)
class MillDocument:
    """A mill as data: units and draws of the line, vessels, furnish sources, grades with inner and outer bands, sampling plan.
    Flows in t/h oven-dry, shares as fractions, furnish shares in %."""

    format: str = choice("Format", (FORMAT,))
    name: str = named("Mill")
    note: str = text("Note", default="")
    machine: Machine = item(Part(label="Machine", of=Machine))
    day_starts: str = item(
        Text(label="Day starts", pattern=r"^([01][0-9]|2[0-3]):[0-5][0-9]$", rule="a time such as 06:00"), default="06:00"
    )
    shift_hours: float = quantity("Hours of a shift", "h", possible=(1, 24), decimals=0, default=12.0)
    steam_allowed_t_h: float = quantity("Steam allowed", "t/h", possible=(0, 2000), decimals=1, default=24.5)
    blow_tank_t: float = quantity("Blow tank holds", "t OD", possible=(0, 2000), decimals=1, default=22.0)
    safety_number: str = named("Emergency number and muster point")
    lines: tuple[FibreLine, ...] = item(Parts(label="Lines", of=FibreLine))
    units: tuple[UnitPart, ...] = item(Parts(label="Units", of=UnitPart, least=1))
    draws: tuple[DrawPart, ...] = item(Parts(label="Draws", of=DrawPart))
    vessels: tuple[Vessel, ...] = item(Parts(label="Vessels", of=Vessel, least=1))
    sources: tuple[FurnishSource, ...] = item(Parts(label="Sources", of=FurnishSource, least=1))
    grades: tuple[Grade, ...] = item(Parts(label="Grades", of=Grade, least=1))
    plan: tuple[PlanRow, ...] = item(Parts(label="Sampling plan", of=PlanRow))
    lanes: tuple[Lane, ...] = item(Parts(label="Lanes of the ribbon", of=Lane), default=())
    roles: Roles = item(Part(label="Roles", of=Roles), default=Roles())
    digesters: tuple[str, ...] = item(List(label="Batch digesters", of=Text(label="Name", least=1, most=20)), default=())
    piles: tuple[Pile, ...] = item(Parts(label="Piles", of=Pile), default=())
    tanks: tuple[ChemicalTank, ...] = item(Parts(label="Chemicals in store", of=ChemicalTank), default=())
    bales: tuple[BaleKind, ...] = item(Parts(label="Bales", of=BaleKind), default=())
    vats: tuple[Vat, ...] = item(Parts(label="Pulper vats", of=Vat), default=())
    moves: tuple[MovePlace, ...] = item(Parts(label="Moves", of=MovePlace), default=())
    schools: Schools = item(Part(label="Units on screen", of=Schools), default=Schools())

    @property
    def day_starts_h(self) -> float:
        """The hour at which the mill's day starts."""
        clock = re.fullmatch(r"(\d\d):(\d\d)", self.day_starts)
        return int(clock[1]) + int(clock[2]) / 60.0 if clock else 6.0
