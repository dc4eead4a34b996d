"""The hours ahead: the line stepped from the levels of now through what is planned, and through what is tried.

Levels come with a band: the rates of vessels are never quite what they are taken for, and what they are off by is forgotten
slowly. Source: recovered to delivery, section 13; laboratory and schedule document, section 6.1 (spread of a level).
"""

import math
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from typing import Final

import numpy as np

from core.errors import Caution
from core.quantity import check, figure, quantity
from core.register import Check, model
from core.stream import SUSPENDED, N, Vector
from core.through.acting import Reacting
from core.through.disturbed import Disturbed, Machine
from core.through.entries import CSF, K457, S457, value
from core.through.layout import Layout
from core.through.sequences import Batched, Trip
from core.through.stepper import Event, Stepped

STEP_S, NOTE_S, ASK_S = 60.0, 300.0, 900.0  # stepped, noted, units asked anew
COARSE: Final = 0.02  # of what comes, before a unit of a disturbed line is asked anew
RATE_OFF: Final = 0.03  # what a rate into or out of a vessel is off by (sd), default
FORGOTTEN_H: Final = 1.0  # and how soon that is forgotten
MOST_OFF: Final = 0.10  # of the vessel
LEAST_FLOW: Final = 0.2  # of the flow at the start, for a quality to be told
HALF: Final = 1.2816  # 10 to 90 %


@dataclass(frozen=True, slots=True, kw_only=True)
class LevelSdCase:
    rate_sd: float = quantity("A rate is off by (sd)", "t/h", possible=(0, 1e5), decimals=2)
    forgotten_h: float = quantity("which is forgotten in", "h", possible=(0, 1000), above=True, decimals=1, default=FORGOTTEN_H)
    after_h: float = quantity("After", "h", possible=(0, 1000), decimals=1)


@dataclass(frozen=True, slots=True, kw_only=True)
class LevelSdFound:
    sd_t: float = figure("A level is off by (sd)", "t", decimals=2, equation="sd √(2 T (t − T (1 − e^(−t/T))))")
    band_t: float = figure("10 to 90 % within ±", "t", decimals=2, equation="1.2816 sd")
    cautions: tuple[Caution, ...] = ()


def level_sd(rate_sd: float, forgotten_h: float, after_h: float) -> float:
    """Spread of a level whose rate is off by first-order noise, in the rate's unit times hours."""
    t, big = after_h, forgotten_h
    return rate_sd * math.sqrt(max(0.0, 2.0 * big * (t - big * -math.expm1(-t / big))))


@model(
    "stock.level_spread",
    title="How sure a level is, hours ahead",
    source="the integral of first-order noise",
    holds_for="a rate that is off by chance, not by a fault; sizes are defaults",
    equation="sd(level) = sd √(2 T (t − T (1 − e^(−t/T))))",
    basis="default",
    checks=(
        Check({"rate_sd": 1, "forgotten_h": 1, "after_h": 10}, "sd_t", 4.2427, 1e-4),
        Check({"rate_sd": 0.5, "forgotten_h": 3, "after_h": 1}, "sd_t", 0.47370, 1e-4),
    ),
)
def level_spread(case: LevelSdCase) -> LevelSdFound:
    """Raises: ImpossibleInput."""
    cautions = check(case)
    sd = level_sd(case.rate_sd, case.forgotten_h, case.after_h)
    return LevelSdFound(sd_t=sd, band_t=HALF * sd, cautions=cautions)


@dataclass(frozen=True, slots=True, kw_only=True)
class Brings:
    """From a time (s) on, a unit's feed from outside over what the line was solved with."""

    at_s: float
    unit: str
    share: float


@dataclass(frozen=True, slots=True, kw_only=True)
class Plan:
    """What comes: events of streams, feeds that change, settings put in force at the start, by unit."""

    events: tuple[Event, ...] = ()
    feeds: tuple[Brings, ...] = ()
    settings: Mapping[str, Mapping[str, float]] = field(default_factory=dict)


@dataclass(frozen=True, kw_only=True, eq=False)
class Course:
    """What the hours ahead bring, a row for each `hours`: levels of vessels (%, by unit) with half their band, and of watched
    units the consistency (%), freeness (mL) and brightness (k/s at 457 nm) of what enters them, nan while hardly anything does.

    `short_h`: hours that a stream could not give what it was asked for, by name. `refused`: units that could not act on what
    came, and why. `trips`: modelled interlocks that tripped or were reset. `tank_pct` (times, `batched`) of the
    tanks behind batched units.
    """

    hours: Vector
    units: tuple[str, ...]
    level_pct: Vector  # (times, vessels)
    half_pct: Vector
    watched: tuple[str, ...]
    cons_pct: Vector  # (times, watched)
    csf_ml: Vector
    ks457: Vector
    t_h: Vector  # suspended solids
    short_h: Mapping[str, float]
    refused: Mapping[str, str]
    trips: tuple[Trip, ...] = ()
    batched: tuple[Batched, ...] = ()
    tank_pct: Vector = field(default_factory=lambda: np.zeros((0, 0)))

    def level_of(self, unit: str) -> tuple[Vector, Vector]:
        """Level and half its band, %. Raises: ValueError."""
        i = self.units.index(unit)
        return self.level_pct[:, i], self.half_pct[:, i]

    def first(self, unit: str, low: float, high: float) -> tuple[str, float] | None:
        """Which limit a vessel meets first, and after how many hours (between two notes in proportion); None where none."""
        level, _ = self.level_of(unit)
        out = np.flatnonzero((level <= low) | (level >= high))
        if not len(out):
            return None
        i = int(out[0])
        way, limit = ("empty", low) if level[i] <= low else ("full", high)
        if i == 0:
            return way, 0.0
        part = (limit - level[i - 1]) / (level[i] - level[i - 1])
        return way, float(self.hours[i - 1] + part * (self.hours[i] - self.hours[i - 1]))


def look_ahead(layout: Layout, plan: Plan, hours: float, watch: tuple[str, ...], disturbed: Disturbed | None = None) -> Course:
    """The line from where it stands, through a plan, and disturbed where that is asked.

    Raises: ImpossibleInput for a stream, unit or setting that is none."""
    line = Stepped(layout)
    acting = Reacting(line) if disturbed is None else Reacting(line, COARSE)
    ask_s = ASK_S if disturbed is None else 2.0 * ASK_S
    for unit, values in plan.settings.items():
        acting.set_to(unit, values)
    line.file(*plan.events, *(disturbed.events() if disturbed is not None else ()))
    if disturbed is not None:
        disturbed.stick(line)
    feeds = sorted(plan.feeds, key=lambda b: b.at_s)
    noted = round(NOTE_S / STEP_S)
    rows = round(hours * 3600.0 / NOTE_S) + 1
    vessels = layout.vessel_node
    level, off = np.empty((rows, len(vessels))), np.zeros((rows, len(vessels)))
    seen, tanks = np.empty((rows, len(watch), 4)), np.empty((rows, len(layout.batched)))
    nodes = [layout.network.index[u] for u in watch]

    def note(row: int) -> None:
        level[row] = 100.0 * line.vessel_t() / layout.full_t
        tanks[row] = line.dumps.level_pct
        for k, node in enumerate(nodes):
            entered = line.entered[node]
            solids, whole = float(entered[:N] @ SUSPENDED), float(entered[:N].sum())
            if row and solids < LEAST_FLOW * seen[0, k, 3]:  # hardly anything comes: nothing is told of it
                seen[row, k] = (np.nan, np.nan, np.nan, solids)
                continue
            light = float(value(entered, K457)) / max(float(value(entered, S457)), 1e-9)
            seen[row, k] = (100.0 * solids / max(whole, 1e-9), np.exp(value(entered, CSF)), light, solids)

    rate = np.zeros(len(vessels))
    note(0)
    if plan.settings:
        acting.ask()
    for step in range(1, (rows - 1) * noted + 1):
        while feeds and feeds[0].at_s <= line.time_s + 1e-9:
            now = feeds.pop(0)
            line.brings(layout.network.index[now.unit], now.share)
        if disturbed is not None and (step - 1) % (2 * noted) == 0:
            disturbed.apply(line)
        if step % round(ask_s / STEP_S) == 0:
            acting.ask()
        line.step(STEP_S)
        if step % noted:
            continue
        row = step // noted
        note(row)
        through = line.entered[vessels, :N].sum(axis=1)
        rate = np.maximum(rate, RATE_OFF * np.where(layout.free, through + line.stream_of @ line.flow, 0.0) / 2.0)
        sd = 100.0 * rate * level_sd(1.0, FORGOTTEN_H, row * NOTE_S / 3600.0) / layout.full_t
        off[row] = np.minimum(MOST_OFF * 100.0, sd)
    short = {layout.names[j]: float(h) for j, h in enumerate(line.held_back_h + line.stopped_h) if h > 0.0}
    return Course(
        hours=np.arange(rows, dtype=float) * (NOTE_S / 3600.0),
        units=tuple(layout.network.units[node].id for node in layout.vessel_node),
        level_pct=level,
        half_pct=HALF * off,
        watched=watch,
        cons_pct=seen[:, :, 0],
        csf_ml=seen[:, :, 1],
        ks457=seen[:, :, 2],
        t_h=seen[:, :, 3],
        short_h=short,
        refused=dict(acting.refused),
        trips=tuple(line.log),
        batched=layout.batched,
        tank_pct=tanks,
    )


@dataclass(frozen=True, kw_only=True, eq=False)
class Sure:
    """Several runs of the same hours, each disturbed in its own way: every level (runs, times, vessels), %, freeness (mL) and
    brightness (k/s) of what enters the first that is watched (runs, times)."""

    hours: Vector
    units: tuple[str, ...]
    level_pct: Vector
    csf_ml: Vector
    ks457: Vector

    @property
    def runs(self) -> int:
        return len(self.level_pct)

    def within(self, unit: str) -> tuple[Vector, Vector]:
        """10 and 90 % of a vessel's level, %."""
        told = self.level_pct[:, :, self.units.index(unit)]
        return np.percentile(told, 10.0, axis=0), np.percentile(told, 90.0, axis=0)

    def meet(self, unit: str, low: float, high: float) -> int:
        """How many runs bring a vessel to a limit that it does not stand at now."""
        told = self.level_pct[:, :, self.units.index(unit)]
        out = (told <= low) | (told >= high)
        return int((out.any(axis=1) & ~out[:, 0]).sum())


def sure(
    layout: Layout,
    plan: Plan,
    hours: float,
    watch: tuple[str, ...],
    machine: Machine,
    heard: Callable[[int], None],
    runs: int,
) -> Sure:
    """The hours ahead so many times, each with its own chance (seeds 1, 2, …), told as they are done."""
    courses = []
    for seed in range(1, runs + 1):
        disturbed = Disturbed(layout=layout, seed=seed, hours=hours, machine=machine)
        courses.append(look_ahead(layout, plan, hours, watch, disturbed))
        heard(seed)
    return Sure(
        hours=courses[0].hours,
        units=courses[0].units,
        level_pct=np.array([c.level_pct for c in courses]),
        csf_ml=np.array([c.csf_ml[:, 0] for c in courses]) if watch else np.zeros((runs, 0)),
        ks457=np.array([c.ks457[:, 0] for c in courses]) if watch else np.zeros((runs, 0)),
    )
