"""Screens and cleaners as one cascade: each stage feeds its reject to the next, accepts come back or go forward, and what each
stage does follows from its own flow, consistency and pressure drop.

Every component has its own balance over the stages, one linear system; the efficiencies follow from the flows, the flows from
the efficiencies, and both are repeated until they stand still. Source: steady balance of a network of stages; screens by
core.clean.screen, cleaners by core.clean.cleaner; a reject refiner by default shares.
"""

import math
from dataclasses import dataclass, replace
from functools import lru_cache
from typing import Any, Final, NamedTuple

import numpy as np
import numpy.typing as npt

from core.clean import cleaner, screen
from core.compiled import compiled
from core.errors import Caution, ImpossibleInput, Infeasible, NotSolved, Problem
from core.quantity import check, choice, figure, leaf, quantity, rows
from core.register import Check, model
from core.roots import brentq

Vector = npt.NDArray[np.float64]
Flows = tuple[float, ...]  # t/h in the order of PARTS
PARTS: Final = ("LF", "SF", "FN", "FL", "SHV", "SND", "STK", "PLS", "INK")
AT: Final = {name: i for i, name in enumerate(PARTS)}
DIRT: Final = ("SHV", "SND", "STK", "PLS")
FIBRE: Final = ("LF", "SF")
KINDS: Final = ("cleaner", "light cleaner", "screen", "fractionator", "tail screen")
CONES: Final = ("cleaner", "light cleaner")
LENGTHS_MM: Final = {"LF": 2.0, "SF": 0.8, "FN": 0.2}  # of the classes on a fractionating plate, default
BACK, FORWARD = "back", "forward"
SETTLED, MOST_PASSES, MOST_E = 1e-9, 200, 0.995
THICK_PCT = 10.0  # of rejects before the refiner
TURNS: Final = {"SHV": {"LF": 0.72, "FN": 0.08}, "LF": {"SF": 0.04, "FN": 0.01}}  # what a reject refiner turns, default
TURNED: Final = ("SHV", "LF")  # in the order it is turned
TURNED_AT: Final = tuple(AT[name] for name in TURNED)
SHIVE_KG_M3, STICKY_KG_M3, INK_UM, INK_KG_M3, LIGHT_UM, LIGHT_KG_M3 = 1150.0, 1000.0, 25.0, 1200.0, 200.0, 920.0
L_MIN_A_T_H = 1000.0 / 60.0  # density 1


@dataclass(frozen=True, slots=True, kw_only=True)
class Stage:
    """One stage: cleaners or screens in parallel, what they reject and where their accept goes.

    Of cleaners `size_mm` is the diameter of a cone, `one` what a cone takes at 150 kPa (L/min), and a class of fibre is
    rejected at its thickening times the flow rejected. Of screens `size_mm` is the width of a slot or hole, `one` the area of a
    basket (m2), and a class passes by its ratio at 0.15 mm. A fractionator is a screen that fibre passes by its length, so that
    its reject is the long fibre. A tail screen rejects a share of the pulp, as of the flow, and keeps back a fixed part of the
    dirt.
    """

    kind: str = choice("Kind", KINDS)
    cones_open: int = quantity("Open", "", possible=(1, 2000), whole=True, decimals=0)
    there: int = quantity("There are", "", possible=(0, 2000), whole=True, decimals=0, default=0, help="0: as many as are open")
    rv_pct: float = quantity("Flow rejected", "%", possible=(1, 90), valid=(5, 40), decimals=1)
    feed_pct: float = quantity("Feed", "%", possible=(0.05, 6), valid=(0.3, 3.5), decimals=2)
    size_mm: float = quantity("Cone, slot or hole", "mm", possible=(0.08, 600), decimals=2, default=75.0)
    one: float = quantity("One takes (L/min), or its basket (m²)", "", possible=(0.05, 20000), decimals=1, default=500.0)
    accept: str = choice("Accept goes", (BACK, FORWARD), default=BACK)
    openings: str = choice("Openings of a screen", screen.SHAPES, default="slots")
    blinds_pct: float = quantity("Its basket blinds at", "%", possible=(1, 12), valid=(4, 8), decimals=1, default=5.5)
    t_lf: float = quantity("Long fibre thickens by", "", possible=(0, 6), valid=(1.0, 2.2), decimals=2, default=1.7)
    t_sf: float = quantity("Short fibre", "", possible=(0, 6), valid=(0.9, 2), decimals=2, default=1.5)
    t_fn: float = quantity("Fines", "", possible=(0, 6), valid=(0.6, 1.2), decimals=2, default=1.0)
    t_fl: float = quantity("Filler", "", possible=(0, 6), valid=(1, 2), decimals=2, default=1.6)
    p_lf: float = quantity("Long fibre passes by", "", possible=(0.02, 1.5), valid=(0.3, 1), decimals=2, default=0.75)
    p_sf: float = quantity("Short fibre", "", possible=(0.02, 1.5), valid=(0.5, 1), decimals=2, default=0.88)
    p_fn: float = quantity("Fines", "", possible=(0.02, 1.5), valid=(0.8, 1), decimals=2, default=0.98)
    p_fl: float = quantity("Filler", "", possible=(0.02, 1.5), valid=(0.8, 1), decimals=2, default=0.99)
    p_shv: float = quantity("Shives", "", possible=(0.005, 1), valid=(0.02, 0.4), decimals=3, default=0.12)
    p_stk: float = quantity("Stickies", "", possible=(0.005, 1), valid=(0.1, 0.6), decimals=3, default=0.24)
    l_mm: float = quantity(
        "Length that e-th of the fibre passes", "mm", possible=(0.2, 20), valid=(1, 5), decimals=1, default=2.8
    )
    e_pct: float = quantity(
        "A tail screen keeps back of the dirt", "%", possible=(1, 99), valid=(80, 95), decimals=0, default=90.0
    )

    @property
    def screens(self) -> bool:
        """Whether stock is pressed through slots or holes, whose velocity and blinding count."""
        return self.kind in ("screen", "fractionator")

    @property
    def cones(self) -> bool:
        """Whether it is of cleaners, with a pressure drop."""
        return self.kind in CONES

    @property
    def power(self) -> float:
        """Exponent of the passage by length: about 1 of holes, 0.5 of slots."""
        return 1.0 if self.openings == "holes" else 0.5

    @property
    def rv(self) -> float:
        """Share of the flow that it rejects."""
        return self.rv_pct / 100.0


@dataclass(frozen=True, slots=True, kw_only=True)
class CascadeCase:
    """What comes, t/h by kind, and the stages that it meets."""

    lf: float = quantity("Long fibre", "t/h", possible=(0, 200), decimals=3)
    sf: float = quantity("Short fibre", "t/h", possible=(0, 200), decimals=3, default=0.0)
    fn: float = quantity("Fines", "t/h", possible=(0, 200), decimals=3, default=0.0)
    fl: float = quantity("Filler", "t/h", possible=(0, 200), decimals=3, default=0.0)
    shv: float = quantity("Shives and flakes", "t/h", possible=(0, 50), decimals=4, default=0.0)
    snd: float = quantity("Sand and metal", "t/h", possible=(0, 50), decimals=4, default=0.0)
    stk: float = quantity("Stickies", "t/h", possible=(0, 50), decimals=4, default=0.0)
    pls: float = quantity("Plastics", "t/h", possible=(0, 50), decimals=4, default=0.0)
    ink: float = quantity("Ink", "t/h", possible=(0, 50), decimals=4, default=0.0)
    feed_pct: float = quantity("Comes at", "%", possible=(0.1, 60), valid=(0.3, 35), decimals=2)
    temp_c: float = quantity("Temperature", "°C", possible=(1, 95), valid=(20, 70), decimals=0, default=45.0)
    sand_um: float = quantity("Size of its sand", "µm", possible=(5, 2000), valid=(20, 500), decimals=0, default=100.0)
    shive_um: float = quantity("Size of its shives, as spheres", "µm", possible=(20, 2000), decimals=0, default=180.0)
    sticky_um: float = quantity("Size of its stickies", "µm", possible=(20, 2000), decimals=0, default=200.0)
    d50_um: float = quantity("Cut of sand at 150 kPa", "µm", possible=(5, 400), valid=(20, 120), decimals=0, default=45.0)
    debris: float = quantity(
        "Passage of shives, over its default", "", possible=(0.1, 10), valid=(0.3, 3), decimals=2, default=1.0
    )
    refined: float = quantity("Last reject to a reject refiner", "share", possible=(0, 0.99), decimals=2, default=0.0)
    stages: tuple[Stage, ...] = rows("Stage", Stage, most=6)

    @property
    def solids_t_h(self) -> float:
        """All that comes, t/h."""
        return float(sum(getattr(self, name.lower()) for name in PARTS))

    def times(self, by: float) -> "CascadeCase":
        """The same pulp, so many times as much of it."""
        return replace(self, **{name.lower(): by * getattr(self, name.lower()) for name in PARTS})


@dataclass(frozen=True, slots=True, kw_only=True)
class Ran:
    """A stage as it ran: t/h by PARTS of its feed, accept and reject; whole flows L/min; what it was worked at."""

    feed: Flows
    accept: Flows
    reject: Flows
    e: Flows
    feed_l_min: float
    accept_l_min: float
    reject_l_min: float
    water_l_min: float
    feed_pct: float
    kpa: float  # of cleaners
    velocity_m_s: float  # of screens
    margin: screen.Margin | None
    needed: int  # cleaners for 150 kPa
    pump_kw: float

    @property
    def feed_t_h(self) -> float:
        return sum(self.feed)

    @property
    def accept_t_h(self) -> float:
        return sum(self.accept)

    @property
    def reject_t_h(self) -> float:
        return sum(self.reject)

    @property
    def reject_pct(self) -> float:
        return self.reject_t_h * 100.0 / (self.reject_l_min / L_MIN_A_T_H)

    @property
    def dirt_t_h(self) -> tuple[float, float, float]:
        """Dirt in feed, accept and reject."""
        return dirt(self.feed), dirt(self.accept), dirt(self.reject)


def dirt(flows: Flows) -> float:
    """Shives, sand, stickies and plastics of a flow, t/h."""
    return sum(flows[AT[name]] for name in DIRT)


def fibre(flows: Flows) -> float:
    return sum(flows[AT[name]] for name in FIBRE)


@dataclass(frozen=True, slots=True, kw_only=True)
class Solved:
    """The whole: its stages; what goes on, what leaves the line and what the refiner brought back, t/h by PARTS; liquor that
    the thickener before the refiner gives back, L/min; passes taken; the worst closure of a component, a share of the feed."""

    stages: tuple[Ran, ...]
    fed: Flows
    on: Flows
    out: Flows
    back: Flows
    on_l_min: float
    out_l_min: float
    filtrate_l_min: float
    passes: int
    closure: float


@dataclass(frozen=True, slots=True, kw_only=True)
class CascadeFound:
    """What the cascade does; `solved` holds its stages."""

    on_t_h: float = figure("Goes on", "t/h OD", decimals=3, equation="accept of stage 1, and accepts that go forward")
    on_pct: float = figure("at", "%", decimals=2, equation="solids/whole of what goes on")
    lost_kg_h: float = figure("Leaves the line", "kg/h OD", decimals=1, equation="last reject, less what is refined back")
    loss_pct: float = figure("Lost of what came", "%", decimals=3, equation="leaves/feed")
    fibre_lost_pct: float = figure("Fibre lost", "%", decimals=3, equation="long and short fibre that leave/that came")
    dirt_in_ppm: float = figure("Dirt in, by mass", "mg/kg", decimals=0, equation="shives, sand, stickies, plastics/solids")
    dirt_out_ppm: float = figure("Dirt out, by mass", "mg/kg", decimals=0, equation="the same of what goes on")
    removed_pct: float = figure("Dirt removed", "%", decimals=2, equation="1 − dirt on/dirt in")
    sand_pct: float = figure("Sand removed", "%", decimals=2, equation="1 − sand on/sand in")
    shives_pct: float = figure("Shives removed", "%", decimals=2, equation="1 − shives on/shives in")
    stickies_pct: float = figure("Stickies removed", "%", decimals=2, equation="1 − stickies on/stickies in")
    sand_on_pct: float = figure("Sand in what goes on", "%", decimals=3, equation="sand/solids")
    shives_on_pct: float = figure("Shives in what goes on", "%", decimals=3, equation="shives/solids")
    round_pct: float = figure("Round again", "%", decimals=1, equation="feed of stage 1 over what came, less 1")
    water_l_min: float = figure(
        "Dilution water", "L/min", decimals=0, equation="sum over the stages, less what is thickened out"
    )
    pump_kw: float = figure("Pumps, through the cones", "kW", decimals=1, equation="sum of flow × drop/0.65")
    least_margin: float = figure("Least margin to blinding", "", decimals=2, equation="of the screens; 1 where there is none")
    solved: Solved
    cautions: tuple[Caution, ...] = ()


def fed_of(case: CascadeCase) -> Vector:
    """What comes, t/h in the order of PARTS."""
    return np.array([getattr(case, name.lower()) for name in PARTS])


class _Rejects:
    """The shares of each class that every stage rejects, by its drop, consistency and velocity; the rest is worked out once."""

    def __init__(self, case: CascadeCase) -> None:
        stages, rho = case.stages, cleaner.water_kg_m3(case.temp_c)
        n = len(stages)
        self.screens = np.array([s.screens for s in stages])
        self.rv = np.array([s.rv for s in stages])
        self.fixed = np.zeros((n, len(PARTS)))  # what does not depend on how a stage runs
        self.cut = np.zeros((n, len(PARTS)))  # of cleaners: ln 2 (d/d50)^1.5 at 150 kPa and 0.6 %; 0: not by size
        self.passes = np.ones((n, len(PARTS)))  # of screens: passage ratio at 1.2 m/s
        self.driven = np.zeros(len(PARTS))  # 1 of the classes that a higher velocity drives through
        self.most = np.array([cleaner.most_pct(s.size_mm) for s in stages])
        sizes = {
            "SHV": (case.shive_um, SHIVE_KG_M3),
            "SND": (case.sand_um, cleaner.SAND_KG_M3),
            "STK": (case.sticky_um, STICKY_KG_M3),
            "PLS": (LIGHT_UM, LIGHT_KG_M3),
            "INK": (INK_UM, INK_KG_M3),
        }
        for name in ("SHV", "SND", "STK", "PLS"):
            self.driven[AT[name]] = 1.0
        for i, s in enumerate(stages):
            if s.screens:
                for name, (known, p15) in _known(s).items():
                    self.passes[i, AT[name]] = screen.passage(
                        known, s.size_mm, shape=s.openings, temp_c=case.temp_c, p15=p15, most=math.inf
                    )
                self.passes[i, AT["SHV"]] *= case.debris
                if s.kind == "fractionator":
                    for name, mm in LENGTHS_MM.items():
                        self.passes[i, AT[name]] = math.exp(-((mm / s.l_mm) ** s.power))
                continue
            if not s.cones:
                self.fixed[i] = s.rv
                for name in DIRT:
                    self.fixed[i, AT[name]] = max(s.rv, s.e_pct / 100.0)
                continue
            light = s.kind == "light cleaner"
            thick = {"LF": s.t_lf, "SF": s.t_sf, "FN": s.t_fn, "FL": s.t_fl}
            for name, t in thick.items():  # fibre is heavier: it is not thickened at the core
                self.fixed[i, AT[name]] = s.rv * (min(1.0, t) if light else t)
            sand = cleaner.cut_um(kpa=cleaner.CUT_KPA, cone_mm=s.size_mm, pct=cleaner.CUT_PCT, temp_c=case.temp_c)
            sand *= case.d50_um / cleaner.CUT_UM
            for name, (size, kg_m3) in sizes.items():
                if (kg_m3 < rho) != light:
                    self.fixed[i, AT[name]] = s.rv if light else 0.5 * s.rv
                    continue
                d50 = sand * math.sqrt((cleaner.SAND_KG_M3 - rho) / max(1e-3, abs(kg_m3 - rho)))
                self.cut[i, AT[name]] = math.log(2.0) * (size / d50) ** cleaner.POWER

    def at(self, kpa: Vector, pct: Vector, v: Vector) -> Vector:
        """Shares (stages, PARTS) at these drops (kPa), consistencies (%) and velocities (m/s)."""
        of_stage = (self.screens, self.rv, self.most, self.driven)
        return _rejected(kpa, pct, v, of_stage, self.fixed, self.cut, self.passes)


@compiled
def _rejected(kpa: Vector, pct: Vector, v: Vector, of_stage: Any, fixed: Vector, cut: Vector, passes: Vector) -> Vector:
    """Shares (stages, PARTS) that stages reject; what they are made with is named as in `_Rejects`."""
    screens, rv, most, driven = of_stage
    shares = np.empty_like(fixed)
    for i in range(len(kpa)):
        sharper = (kpa[i] / cleaner.CUT_KPA) ** (0.25 * cleaner.POWER) * math.exp(
            -0.5 * cleaner.POWER * (pct[i] - cleaner.CUT_PCT)
        )
        fades = math.exp(-((max(0.0, pct[i] - most[i]) / cleaner.FADES_PCT) ** 2))
        faster = math.sqrt(max(v[i], 0.0) / screen.REF_M_S) - 1.0
        for c in range(shares.shape[1]):
            if screens[i]:
                share = math.exp(math.log(rv[i]) * min(1.0, passes[i, c] * (1.0 + driven[c] * faster)))
            elif cut[i, c] > 0.0:
                share = rv[i] + (1.0 - rv[i]) * -math.expm1(-cut[i, c] * sharper) * fades
            else:
                share = fixed[i, c]
            shares[i, c] = min(MOST_E, share)
    return shares


def _known(s: Stage) -> dict[str, tuple[str, float | None]]:
    """Of a screen: each class by the name of its passage, and the ratio at 0.15 mm where the stage has its own."""
    return {
        "LF": ("long fibre", s.p_lf),
        "SF": ("short fibre", s.p_sf),
        "FN": ("fines", s.p_fn),
        "FL": ("filler", s.p_fl),
        "SHV": ("shives", s.p_shv),
        "SND": ("sand", None),
        "STK": ("hard stickies", s.p_stk),
        "PLS": ("plastic film", None),
    }


class _Ways(NamedTuple):
    """How the stages hang together: which sends its accept back, rejected flow, wanted consistency, what is refined of the
    last reject, and what of each class a refiner leaves in it."""

    back: npt.NDArray[np.bool_]
    rv: Vector
    feed_pct: Vector
    refined: float
    keeps: Vector
    turns: Vector  # (2, PARTS): of shives and of long fibre, what becomes each class


def _ways(case: CascadeCase) -> _Ways:
    return _Ways(
        back=np.array([s.accept == BACK for s in case.stages]),
        rv=np.array([s.rv for s in case.stages]),
        feed_pct=np.array([s.feed_pct for s in case.stages]),
        refined=float(case.refined),
        keeps=np.array([1.0 - sum(TURNS.get(name, {}).values()) for name in PARTS]),
        turns=np.array([[TURNS[source].get(name, 0.0) for name in PARTS] for source in TURNED]),
    )


@compiled
def _balance(e: Vector, ways: _Ways, fed: Vector) -> Vector:
    """Feed of every stage, t/h (stages, PARTS), by the shares that each rejects."""
    n, parts = e.shape
    x = np.empty((n, parts))
    unit = np.empty((n, parts))  # of one t/h fed
    for c in range(parts):
        a, right = np.eye(n), np.zeros(n)
        right[0] = 1.0
        for i in range(1, n):
            a[i, i - 1] -= e[i - 1, c]
            if ways.back[i]:
                a[i - 1, i] -= 1.0 - e[i, c]
        a[0, n - 1] -= ways.refined * ways.keeps[c] * e[n - 1, c]
        unit[:, c] = np.linalg.solve(a, right)
    brought = fed.copy()
    if ways.refined > 0.0:  # what the refiner turns from one class into another comes in with the feed
        for t in range(len(TURNED_AT)):
            c = TURNED_AT[t]
            sent = ways.refined * e[n - 1, c] * unit[n - 1, c] * brought[c]
            brought += ways.turns[t] * sent
    for c in range(parts):
        x[:, c] = unit[:, c] * brought[c]
    return x


@compiled
def _flows(x: Vector, e: Vector, ways: _Ways, fed: float) -> tuple[Vector, Vector]:
    """Whole flow of every stage's feed, and the water that thins it, t/h. A stage that comes thinner than wanted stays so.

    fed: the whole flow that comes, t/h.
    """
    n = len(x)
    wanted = x.sum(axis=1) * 100.0 / ways.feed_pct
    back = ways.refined * (e[n - 1] * x[n - 1]).sum() * 100.0 / THICK_PCT
    m = wanted.copy()
    came = m.copy()
    for _ in range(60):
        came[:] = 0.0
        came[0] = fed + back
        for i in range(n):
            if i:
                came[i] += ways.rv[i - 1] * m[i - 1]
            if i + 1 < n and ways.back[i + 1]:
                came[i] += (1.0 - ways.rv[i + 1]) * m[i + 1]
        new = np.maximum(wanted, came)
        if np.abs(new - m).max() <= 1e-12 * new.max():
            break
        m = new
    return m, np.maximum(0.0, m - came)


def _tends_to(a: Vector, b: Vector, c: Vector) -> Vector:
    """Where three values of a steady approach tend to, each of its own; the last of them where they do not tell."""
    first, second = b - a, c - b
    bend = second - first
    far = np.where(np.abs(bend) > 1e-14 * np.maximum(1.0, np.abs(c)), c - second**2 / np.where(bend == 0.0, 1.0, bend), c)
    return np.where(np.isfinite(far) & (far > 0.5 * c) & (far < 2.0 * c), far, c)


@lru_cache(maxsize=64)
def solve(case: CascadeCase, settled: float = SETTLED) -> Solved:
    """The cascade at rest. `settled`: the change of an efficiency at which it stands still; a search asks less.

    Raises: NotSolved when flows and efficiencies do not settle.
    """
    fed, stages = fed_of(case), case.stages
    n = len(stages)
    kpa, v = np.full(n, cleaner.CUT_KPA), np.full(n, screen.REF_M_S)
    pct = np.array([s.feed_pct for s in stages])
    rejects, ways, whole = _Rejects(case), _ways(case), float(fed.sum()) * 100.0 / case.feed_pct
    e, gap = np.zeros((n, len(PARTS))), math.inf
    passes, trail = 0, [np.concatenate([kpa, v])]
    while gap > settled:
        if (passes := passes + 1) > MOST_PASSES:
            raise NotSolved("the cascade", MOST_PASSES, gap, "stages")
        now = rejects.at(kpa, pct, v)
        gap, e = float(np.abs(now - e).max()), now
        x = _balance(e, ways, fed)
        m, water = _flows(x, e, ways, whole)
        pct = 100.0 * x.sum(axis=1) / m
        for i, s in enumerate(stages):
            if s.screens:
                accept = float(((1.0 - e[i]) * x[i]).sum())
                at = 100.0 * accept / ((1.0 - s.rv) * m[i])
                v[i] = accept / (screen.T_H_A_PCT * screen.open_share(s.size_mm, s.openings) * at * s.cones_open * s.one)
            elif s.cones:
                kpa[i] = max(1.0, cleaner.drop(float(m[i]) * L_MIN_A_T_H, s.cones_open, s.one, cleaner.CUT_KPA))
        trail.append(np.concatenate([kpa, v]))
        if len(trail) == 3 and gap > settled:  # three in a row tell where they tend to (Aitken)
            trail = [_tends_to(*trail)]
            kpa, v = trail[0][:n].copy(), trail[0][n:].copy()
    return _solved(case, fed, x, e, m, water, pct, kpa, v, passes)


def _solved(
    case: CascadeCase,
    fed: Vector,
    x: Vector,
    e: Vector,
    m: Vector,
    water: Vector,
    pct: Vector,
    kpa: Vector,
    v: Vector,
    passes: int,
) -> Solved:
    """The stages put together, with what goes on and what leaves."""
    ran, on, on_t_h = [], np.zeros(len(PARTS)), 0.0
    for i, s in enumerate(case.stages):
        reject, whole = e[i] * x[i], float(m[i]) * L_MIN_A_T_H
        accept = x[i] - reject
        if i == 0 or s.accept == FORWARD:
            on, on_t_h = on + accept, on_t_h + (1.0 - s.rv) * float(m[i])
        rm = float(reject.sum() / x[i].sum()) if x[i].sum() > 0.0 else 0.0
        ran.append(
            Ran(
                feed=tuple(x[i].tolist()),
                accept=tuple(accept.tolist()),
                reject=tuple(reject.tolist()),
                e=tuple(e[i].tolist()),
                feed_l_min=whole,
                accept_l_min=(1.0 - s.rv) * whole,
                reject_l_min=s.rv * whole,
                water_l_min=float(water[i]) * L_MIN_A_T_H,
                feed_pct=float(pct[i]),
                kpa=float(kpa[i]) if s.cones else 0.0,
                velocity_m_s=float(v[i]) if s.screens else 0.0,
                margin=screen.margin_of(
                    velocity_m_s=float(v[i]),
                    shape=s.openings,
                    rm=rm,
                    rv=s.rv,
                    feed_pct=float(pct[i]),
                    aperture_mm=s.size_mm,
                    blinds_pct=s.blinds_pct,
                )
                if s.screens
                else None,
                needed=math.ceil(whole / s.one - 1e-9) if s.cones else 0,
                pump_kw=cleaner.pump_kw(whole, float(kpa[i])) if s.cones else 0.0,
            )
        )
    rejects = np.array(ran[-1].reject)
    sent = case.refined * rejects
    out, back = rejects - sent, sent.copy()
    for source, into in TURNS.items():
        for name, share in into.items():
            back[AT[name]] += share * sent[AT[source]]
            back[AT[source]] -= share * sent[AT[source]]
    turned = back - sent  # what the refiner makes of one class is another's
    closure = np.abs(fed + turned - on - out) / max(1e-12, float(fed.sum()))
    last = float(case.stages[-1].rv * m[-1])
    return Solved(
        stages=tuple(ran),
        fed=tuple(fed.tolist()),
        on=tuple(on.tolist()),
        out=tuple(out.tolist()),
        back=tuple(back.tolist()),
        on_l_min=on_t_h * L_MIN_A_T_H,
        out_l_min=(1.0 - case.refined) * last * L_MIN_A_T_H,
        filtrate_l_min=max(0.0, case.refined * last - float(sent.sum()) * 100.0 / THICK_PCT) * L_MIN_A_T_H,
        passes=passes,
        closure=float(closure.max()),
    )


def _gone(name: str, done: Solved) -> float:
    """Share of a class that does not go on, %; 0 of what did not come."""
    came = done.fed[AT[name]]
    return 100.0 * (1.0 - done.on[AT[name]] / came) if came > 0.0 else 0.0


def _cautions(case: CascadeCase, solved: Solved) -> tuple[Caution, ...]:
    """What is to be said of each stage, at its own field."""
    told: list[Caution] = []
    for i, (s, r) in enumerate(zip(case.stages, solved.stages, strict=True), start=1):
        if s.screens and r.margin is not None:
            told += screen.near(r.margin, leaf("stages", i, "rv_pct"))
        elif s.cones:
            told += cleaner.told_drop(r.kpa, leaf("stages", i, "cones_open"))
            most = cleaner.most_pct(s.size_mm)
            if r.feed_pct > most:
                told.append(Caution(leaf("stages", i, "feed_pct"), f"is over {most:g} % for these cones: they clean ever less"))
            if r.reject_pct > cleaner.PLUGS_PCT:
                at = f"leaves a reject of {r.reject_pct:.1f} %, over {cleaner.PLUGS_PCT:g}: tips plug, give them water"
                told.append(Caution(leaf("stages", i, "rv_pct"), at))
        if r.feed_pct < 0.98 * s.feed_pct:
            told.append(
                Caution(leaf("stages", i, "feed_pct"), f"comes at {r.feed_pct:.2f} %, thinner than this: no water is added")
            )
    return tuple(told)


def _area(accept_t_h: float, accept_pct: float) -> float:
    """The basket that has 1.2 m/s in slots of 0.15 mm."""
    return accept_t_h / (screen.T_H_A_PCT * screen.open_share(0.15, "slots") * accept_pct * screen.REF_M_S)


def _bank(open_: int, rv: float, feed_pct: float, lf: float, sf: float, fn: float, fl: float) -> dict[str, object]:
    thick = {"t_lf": lf / rv, "t_sf": sf / rv, "t_fn": fn / rv, "t_fl": fl / rv}
    return {"kind": "cleaner", "cones_open": open_, "rv_pct": 100 * rv, "feed_pct": feed_pct, **thick}


_CLEANERS = {
    "lf": 5,
    "sf": 3,
    "fn": 1.5,
    "fl": 0.5,
    "snd": 0.02,
    "shv": 0.03,
    "feed_pct": 3.5,
    "stages": (
        _bank(47, 0.10, 0.85, 0.17, 0.15, 0.10, 0.16),
        _bank(10, 0.11, 0.75, 0.18, 0.16, 0.10, 0.17),
        _bank(3, 0.11, 0.65, 0.17, 0.15, 0.09, 0.17),
        _bank(1, 0.10, 0.55, 0.13, 0.11, 0.07, 0.16),
    ),
}


def _basket(rv: float, feed_pct: float, accept_t_h: float, accept_pct: float) -> dict[str, object]:
    own = {"kind": "screen", "cones_open": 1, "rv_pct": 100 * rv, "feed_pct": feed_pct, "size_mm": 0.15, "p_shv": 0.15}
    return own | {"one": _area(accept_t_h, accept_pct)}


_SCREENS = {
    "lf": 6.0,
    "sf": 2.5,
    "fn": 1.4,
    "shv": 0.1,
    "feed_pct": 3.0,
    "refined": 0.95,
    "stages": (
        _basket(0.20, 2.2, 9.97427, 1.9834),
        _basket(0.20, 1.6, 3.34050, 1.4145),
        _basket(0.25, 1.2, 0.86807, 1.0046),
    ),
}


@model(
    "clean.cascade",
    title="A cascade of screens and cleaners",
    source="steady balance of stages; screens and cleaners by their own models, defaults",
    holds_for="1 to 6 stages, each feeding its reject to the next",
    equation="feed = what came + accepts that come back + rejects of the stage before, for every component",
    basis="default",
    checks=(
        Check(_CLEANERS, "sand_pct", 84.624, 2e-4),
        Check(_CLEANERS, "shives_pct", 38.113, 3e-4),
        Check(_CLEANERS, "lost_kg_h", 36.80, 3e-4),
        Check(_CLEANERS, "fibre_lost_pct", 0.0963, 1e-3),
        Check(_SCREENS, "shives_pct", 68.946, 2e-4),
        Check(_SCREENS, "loss_pct", 0.2573, 5e-4),
    ),
)
def cascade(case: CascadeCase) -> CascadeFound:
    """The cascade of a case. Raises: ImpossibleInput, NotSolved."""
    cautions = check(case)
    problems = []
    for i, s in enumerate(case.stages, start=1):
        what = "cones" if s.cones else "holes of a tail screen" if not s.screens else s.openings
        low, high = (20.0, 600.0) if s.cones else screen.SLOTS_MM if what == "slots" else screen.HOLES_MM
        if not low <= s.size_mm <= high:
            problems.append(Problem(leaf("stages", i, "size_mm"), f"is {s.size_mm:g} mm; {what} are {low:g} to {high:g} mm"))
    if not float(fed_of(case).sum()) > 0.0:
        problems.append(Problem("lf", "is 0, as all else: nothing comes"))
    if problems:
        raise ImpossibleInput(*problems)
    done = solve(case)
    solids, lost, came = sum(done.on), sum(done.out), sum(done.fed)
    margins = [r.margin.least for r in done.stages if r.margin is not None]
    return CascadeFound(
        on_t_h=solids,
        on_pct=100.0 * solids / (done.on_l_min / L_MIN_A_T_H),
        lost_kg_h=1000.0 * lost,
        loss_pct=100.0 * lost / came,
        fibre_lost_pct=100.0 * fibre(done.out) / fibre(done.fed) if fibre(done.fed) > 0.0 else 0.0,
        dirt_in_ppm=1e6 * dirt(done.fed) / came,
        dirt_out_ppm=1e6 * dirt(done.on) / solids,
        removed_pct=100.0 * (1.0 - dirt(done.on) / dirt(done.fed)) if dirt(done.fed) > 0.0 else 0.0,
        sand_pct=_gone("SND", done),
        shives_pct=_gone("SHV", done),
        stickies_pct=_gone("STK", done),
        sand_on_pct=100.0 * done.on[AT["SND"]] / solids,
        shives_on_pct=100.0 * done.on[AT["SHV"]] / solids,
        round_pct=100.0 * (done.stages[0].feed_t_h / came - 1.0),
        water_l_min=sum(r.water_l_min for r in done.stages) - done.filtrate_l_min,
        pump_kw=sum(r.pump_kw for r in done.stages),
        least_margin=min(margins, default=1.0),
        solved=done,
        cautions=cautions + _cautions(case, done),
    )


def other_ways(case: CascadeCase) -> dict[int, float]:
    """The dirt that would go on, mg/kg, were the accept of a stage sent the other way; by the stage's place, counted from 0."""
    told = {}
    for i, s in enumerate(case.stages[1:], start=1):
        turned = replace(s, accept=FORWARD if s.accept == BACK else BACK)
        done = solve(replace(case, stages=(*case.stages[:i], turned, *case.stages[i + 1 :])), 1e-6)
        told[i] = 1e6 * dirt(done.on) / sum(done.on)
    return told


@dataclass(frozen=True, slots=True, kw_only=True)
class AlikeCase:
    """Stages that each reject the same share of a class."""

    stages: int = quantity("Stages", "", possible=(1, 6), whole=True, decimals=0)
    r1: float = quantity("Stage 1 rejects", "share", possible=(0, 0.99), decimals=3)
    r2: float = quantity("Stage 2", "share", possible=(0, 0.99), decimals=3, default=0.15)
    r3: float = quantity("Stage 3", "share", possible=(0, 0.99), decimals=3, default=0.15)
    r4: float = quantity("Stage 4", "share", possible=(0, 0.99), decimals=3, default=0.15)
    r5: float = quantity("Stage 5", "share", possible=(0, 0.99), decimals=3, default=0.15)
    r6: float = quantity("Stage 6", "share", possible=(0, 0.99), decimals=3, default=0.15)


@dataclass(frozen=True, slots=True, kw_only=True)
class AlikeFound:
    back: float = figure(
        "Lost, accepts back",
        "share",
        decimals=6,
        equation="φ = R φ next/(1 − R (1 − φ next)), from the last",
    )
    forward: float = figure("Lost, accepts forward", "share", decimals=6, equation="product of R")
    first: float = figure("Feed of stage 1, accepts back", "of what came", decimals=5, equation="1/(1 − R1 (1 − φ2))")
    cautions: tuple[Caution, ...] = ()


@model(
    "clean.recursion",
    title="A cascade in closed form",
    source="recursion over the stages",
    holds_for="one class, its rejects known",
    equation="φn = Rn; φi = Ri φi+1/(1 − Ri (1 − φi+1))",
    basis="published",
    checks=(
        Check({"stages": 3, "r1": 0.20, "r2": 0.25, "r3": 0.30}, "back", 0.022222, 1e-4),
        Check({"stages": 3, "r1": 0.20, "r2": 0.25, "r3": 0.30}, "forward", 0.015000, 1e-5),
        Check({"stages": 2, "r1": 0.16, "r2": 0.15}, "back", 0.027778, 1e-4),
        Check({"stages": 2, "r1": 0.16, "r2": 0.15}, "first", 1.15741, 1e-5),
        Check({"stages": 2, "r1": 0.20, "r2": 0.25}, "first", 1.176471, 1e-5),
    ),
)
def recursion(case: AlikeCase) -> AlikeFound:
    """Raises: ImpossibleInput."""
    cautions = check(case)
    shares = [getattr(case, f"r{i}") for i in range(1, int(case.stages) + 1)]
    first = 1.0 / (1.0 - shares[0] * (1.0 - lost_back(shares[1:])))
    return AlikeFound(back=lost_back(shares), forward=math.prod(shares), first=first, cautions=cautions)


@dataclass(frozen=True, slots=True, kw_only=True)
class EqualCase:
    """Screens alike, each feeding its reject to the next, accepts back."""

    stages: int = quantity("Stages", "", possible=(1, 6), whole=True, decimals=0)
    p_dirt: float = quantity("Passage of the dirt", "", possible=(0.01, 1), valid=(0.02, 0.6), decimals=3)
    p_pulp: float = quantity("Passage of the pulp", "", possible=(0.02, 1.5), valid=(0.3, 1), decimals=3)
    removed: float = quantity("Dirt to be removed", "share", possible=(0, 0.9999), above=True, valid=(0.2, 0.95), decimals=3)


@dataclass(frozen=True, slots=True, kw_only=True)
class EqualFound:
    rv: float = figure("Each rejects of its flow", "share", decimals=4, equation="root of the recursion for the dirt")
    loss_pct: float = figure("Pulp lost", "%", decimals=3, equation="the recursion for the pulp")
    cautions: tuple[Caution, ...] = ()


def lost_back(shares: list[float]) -> float:
    """What is lost of a class by stages that reject these shares of it, accepts back."""
    phi = 1.0
    for r in reversed(shares):
        phi = r * phi / (1.0 - r * (1.0 - phi))
    return phi


@model(
    "clean.equal_stages",
    title="Rejects for a cleanliness, stages alike",
    source="the closed form, turned round",
    holds_for="1 to 6 screens alike, passage ratios constant",
    equation="φ of the dirt = what is to be removed",
    basis="published",
    checks=(
        Check({"stages": 3, "p_dirt": 0.15, "p_pulp": 0.75, "removed": 0.70}, "rv", 0.16854, 5e-4),
        Check({"stages": 3, "p_dirt": 0.15, "p_pulp": 0.75, "removed": 0.70}, "loss_pct", 2.9727, 5e-4),
    ),
)
def equal_stages(case: EqualCase) -> EqualFound | Infeasible:
    """Infeasible where more than 0.6 of the flow would have to be rejected. Raises: ImpossibleInput."""
    cautions, n = check(case), int(case.stages)

    def over(rv: float) -> float:
        return lost_back([rv**case.p_dirt] * n) - case.removed

    if over(0.6) < 0.0:
        best = case.removed + over(0.6)
        return Infeasible(
            field="removed", reason="is more than these stages take at 60 % of the flow", nearest=best, unit="share"
        )
    if over(1e-9) > 0.0:
        return Infeasible(field="removed", reason="is less than they take at any reject", nearest=case.removed + over(1e-9))
    rv = brentq(over, 1e-9, 0.6, xtol=1e-10)
    return EqualFound(rv=rv, loss_pct=100.0 * lost_back([rv**case.p_pulp] * n), cautions=cautions)
