"""A whole sequence on one pulp: every stage, every wash, the minutes through, what it costs, and the least-cost charges to a
target.

A wash keeps a share of the dissolved matter made so far (default 0.10); no wash keeps it all. COD made: 2.0 kg a kappa removed,
default. Source: models, sections 7.3 and 7.4, with costs by price. All constants are defaults to be calibrated.
"""

import math
from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from typing import Any, Final, Literal

import numpy as np
import numpy.typing as npt

from core.bleach.ceilings import CEILING, factor_most_kg, too_much
from core.bleach.sequence import Sequence, Stage, read
from core.bleach.stages import (
    ACTIVE,
    BRIGHTEN,
    CHEMICAL,
    EXTRACT,
    PUBLISHED,
    Alkaline,
    Constants,
    Done,
    Pulp,
    Setting,
    demand_of,
    end_ph,
    extent,
    extraction_acids,
    peroxide_acids,
    run,
)
from core.colour import ks_from_kappa, ks_from_reflectance
from core.errors import ImpossibleInput, Infeasible, Problem
from core.unit import COD_A_KAPPA, HotStage, met
from core.wash.line import liquor

Array = npt.NDArray[np.float64]
WASH_KEEPS = 0.10
CAUSTIC_A_CHLORINE, CAUSTIC_BASE = 0.45, 3.0  # kg NaOH a kg active chlorine; kg/ODt, the usual rule of an extraction
AOX_FROM, DIOXIDE_COUNTS = 0.12, 0.2
FACTOR_LOW, FACTOR_HIGH, LEAST_OXYGEN = 0.15, 0.28, 10.0
WASH_MIN = 8.0
PRICES: Final = {
    "ClO2": 1.10,
    "H2O2": 0.75,
    "NaOH": 0.42,
    "O2": 0.12,
    "O3": 1.60,
    "Paa": 1.30,
    "dithionite": 1.40,
    "chelant": 1.20,
    "acid": 0.12,
    "NaOCl": 0.60,
    "Cl2": 0.35,
    "MgSO4": 0.30,
}  # a kg of 100 %, default
MOST: Final = CEILING  # of every charge that the least-cost search may choose
YIELD_A_KAPPA = 0.13  # % of fibre lost a kappa removed, default


@dataclass(frozen=True, slots=True, kw_only=True)
class Plan:
    """How a sequence is run on a pulp: settings in the order of the stages.

    An alkaline stage whose NaOH is given ends at the pH that its charge balance tells; of E and EO the charge is the NaOH. Else
    EP and EOP take what the pH they are set to asks, P and PO 0.7 kg a kg of peroxide. A measured pH replaces the balance's.
    """

    sequence: Sequence
    settings: tuple[Setting, ...]
    wood: str
    kappa: float
    iso_pct: float | None = None  # measured; else the unbleached rule by kappa
    cod: float = 0.0
    naoh: Mapping[int, float] = field(default_factory=dict)  # kg/ODt of a stage, which then tells its pH
    measured: frozenset[int] = frozenset()  # the stages whose pH is measured
    own: Constants = PUBLISHED


@dataclass(frozen=True, slots=True, kw_only=True)
class Step:
    """One stage as it went: pulp in and out, what was charged (kg/ODt by chemical), residual, and minutes of the line it
    stands at."""

    stage: Stage
    setting: Setting
    into: Pulp
    done: Done
    charged: Mapping[str, float]
    starts_min: float
    ends_min: float


@dataclass(frozen=True, slots=True, kw_only=True)
class Bleached:
    """The whole: steps, chemicals kg/ADt in all, AOX kg/ADt, COD kg/ADt, yield % of what came in, cost a tonne air-dry."""

    steps: tuple[Step, ...]
    chemicals: Mapping[str, float]
    aox: float
    cod: float
    yield_pct: float
    cost: float
    minutes: float
    cautions: tuple[str, ...]

    @property
    def kappa(self) -> float:
        return self.steps[-1].done.pulp.kappa

    @property
    def iso(self) -> float:
        return self.steps[-1].done.pulp.iso

    @property
    def viscosity(self) -> float:
        return self.steps[-1].done.pulp.viscosity


TYPICAL: Final = {
    "O": Setting(charge=18.0, minutes=60.0, temp_c=95.0, ph=10.6, cons_pct=12.0),
    "D0": Setting(charge=9.0, minutes=45.0, temp_c=60.0, ph=2.5),
    "D1": Setting(charge=7.0, minutes=150.0, temp_c=75.0, ph=3.8),
    "D2": Setting(charge=4.0, minutes=180.0, temp_c=75.0, ph=4.0),
    "E": Setting(charge=15.0, minutes=60.0, temp_c=70.0, ph=10.8),
    "EO": Setting(charge=15.0, minutes=70.0, temp_c=78.0, ph=10.8),
    "EP": Setting(charge=3.0, minutes=75.0, temp_c=75.0, ph=10.8),
    "EOP": Setting(charge=3.0, minutes=75.0, temp_c=75.0, ph=10.8),
    "P": Setting(charge=18.0, minutes=150.0, temp_c=85.0, ph=10.8),
    "PO": Setting(charge=18.0, minutes=90.0, temp_c=102.0, ph=10.8),
    "Q": Setting(charge=1.5, minutes=45.0, temp_c=65.0, ph=5.8),
    "Z": Setting(charge=4.0, minutes=5.0, temp_c=45.0, ph=2.8, cons_pct=38.0),
    "A": Setting(charge=5.0, minutes=120.0, temp_c=95.0, ph=3.2),
    "Paa": Setting(charge=4.0, minutes=60.0, temp_c=70.0, ph=5.0),
    "Y": Setting(charge=6.0, minutes=45.0, temp_c=60.0, ph=5.8, cons_pct=4.0),
    "X": Setting(charge=0.1, minutes=90.0, temp_c=55.0, ph=6.0),
    "W": Setting(charge=0.0, minutes=0.0, temp_c=60.0, ph=7.0),
    "H": Setting(charge=15.0, minutes=120.0, temp_c=40.0, ph=10.0),
    "C": Setting(charge=30.0, minutes=30.0, temp_c=35.0, ph=2.0),
}


def typical(sequence: Sequence, kappa: float, *, factor: float = 0.22) -> tuple[Setting, ...]:
    """Settings to start from: D0 and C by the kappa factor (of the kappa left by an oxygen stage before it), an extraction's
    NaOH by the chlorine before it, the others as is usual."""
    result, k, before = [], kappa, 0.0
    for s in sequence.stages:
        setting = TYPICAL[s.name]
        if s.name in ("D0", "C"):
            active = 10.0 * factor * k
            setting = replace(setting, charge=min(CEILING[s.name], active / (ACTIVE["ClO2"] if s.name == "D0" else 1.0)))
        if s.name in ("E", "EO") and before:
            setting = replace(setting, charge=min(CEILING[s.name], CAUSTIC_A_CHLORINE * before + CAUSTIC_BASE))
        if s.name == "O":
            k *= 0.6
        before = active_of(s.name, setting)
        result.append(setting)
    return tuple(result)


def left_of(name: str, residual: float) -> dict[str, float]:
    """What a stage leaves of its oxidant, kg/ODt, as the line counts it: active chlorine (OXA) or peroxide (OXP)."""
    chemical = CHEMICAL.get(name, "") if name not in ("O", "Z", "Y") else ""
    if chemical == "H2O2":
        return {"OXP": residual}
    if chemical in ("ClO2", "Cl2", "NaOCl", "Paa"):
        return {"OXA": ACTIVE.get(chemical, 1.0) * residual}
    return {}


NAOH_A_PEROXIDE = 0.7  # kg a kg, of P and PO, where no other is given


def active_of(name: str, s: Setting) -> float:
    """Active chlorine of a dioxide or chlorine stage, kg/ODt; 0 of others."""
    return ACTIVE["ClO2"] * s.charge if name[0] == "D" else s.charge if name == "C" else 0.0


def acids_of(name: str, pulp: Pulp, s: Setting, active: float) -> Alkaline:
    """What the liquor of an alkaline stage must neutralise, after so much active chlorine, kg/ODt."""
    if name in EXTRACT:
        return extraction_acids(active_kg=active, cod_kg=pulp.cod, cons_pct=s.cons_pct)
    there = max(0.0, s.charge - demand_of(name, pulp.kappa, pulp.cod))
    used = there * extent(name, s.minutes, s.temp_c)
    return peroxide_acids(used_kg=used, left_kg=there - used, cod_kg=pulp.cod, cons_pct=s.cons_pct)


def _lye(name: str, pulp: Pulp, s: Setting, active: float, naoh: float | None, measured: bool) -> tuple[float, Setting]:
    """NaOH of an alkaline stage, kg/ODt, and the stage with the pH it ends at."""
    if name in ("E", "EO"):
        naoh = s.charge if naoh is None else naoh
    acids = acids_of(name, pulp, s, active)
    if naoh is not None and measured:
        return naoh, s
    if naoh is not None:
        return naoh, replace(s, ph=min(14.0, acids.ph_of(naoh)))
    if name in ("P", "PO"):
        return NAOH_A_PEROXIDE * s.charge, s
    most = CEILING["E"]
    asked = max(0.0, acids.naoh_for(s.ph))
    return (asked, s) if asked <= most else (most, replace(s, ph=acids.ph_of(most)))


def _charged(step: Stage, setting: Setting, naoh: float) -> dict[str, float]:
    """kg/ODt by chemical."""
    name = step.name
    if name in EXTRACT:
        made = {"NaOH": naoh}
        if "P" in name:
            made["H2O2"] = setting.charge
        if "O" in name:
            made["O2"] = 4.0
        return made
    if name == "O":
        return {"NaOH": setting.charge, "O2": 18.0, "MgSO4": 1.5}
    if name in ("P", "PO"):
        return {"H2O2": setting.charge, "NaOH": naoh}
    key = CHEMICAL.get(name)
    return {key: setting.charge} if key and setting.charge else {}


ALKALINE: Final = (*EXTRACT, "P", "PO")
Over = Literal["refuse", "hold", "mind"]


def bleach(plan: Plan, *, prices: Mapping[str, float] = PRICES, over: Over = "refuse") -> Bleached:
    """Run the sequence. A D0 over the most of its kappa factor is refused in a plan, held at it in a search, and minded on a
    running line, whose kappa falls without its charge. Raises: ImpossibleInput naming kappa, iso_pct, cod or s2.charge (the
    second stage's).
    """
    bad = []
    if not 0.0 < plan.kappa <= 200.0:
        bad.append(Problem("kappa", f"is {plan.kappa:g}; it must be above 0 and at most 200"))
    if plan.iso_pct is not None and not 1.0 <= plan.iso_pct <= 99.0:
        bad.append(Problem("iso_pct", f"is {plan.iso_pct:g} %; it must be 1 to 99 %"))
    if plan.cod < 0.0:
        bad.append(Problem("cod", f"is {plan.cod:g} kg/ODt; it must be at least 0"))
    if len(plan.settings) != len(plan.sequence.stages):
        bad.append(Problem("settings", f"are {len(plan.settings)} for {len(plan.sequence.stages)} stages"))
    if bad:
        raise ImpossibleInput(*bad)
    ks = ks_from_kappa(plan.kappa) if plan.iso_pct is None else ks_from_reflectance(plan.iso_pct / 100.0)
    pulp = Pulp(kappa=plan.kappa, ks=ks, cod=plan.cod)
    steps, at, active, made_cod, chlorine, elemental = [], 0.0, 0.0, 0.0, 0.0, 0.0
    burned = 0.0
    chemicals: dict[str, float] = {}
    said: list[str] = list(plan.sequence.cautions)
    problems: list[Problem] = []
    for i, (stage, setting) in enumerate(zip(plan.sequence.stages, plan.settings, strict=True)):
        if stage.name == "D0" and (why := too_much("D0", setting.charge, kappa=pulp.kappa, cod=pulp.cod)):
            if over == "hold":
                setting = replace(setting, charge=min(CEILING["D0"], factor_most_kg(pulp.kappa, pulp.cod)))
            elif over == "mind":
                said.append(f"D0 {why}")
            else:
                problems.append(Problem(f"s{i + 1}.charge", why))
                continue
        lye = 0.0
        try:
            run(
                stage.name, pulp, setting, wood=plan.wood, washed=stage.washed, own=plan.own
            )  # refuses before its alkali is asked for
            if stage.name in ALKALINE:
                lye, setting = _lye(stage.name, pulp, setting, active, plan.naoh.get(i), i in plan.measured)
            done = run(stage.name, pulp, setting, wood=plan.wood, washed=stage.washed, own=plan.own)
        except ImpossibleInput as refusal:
            problems += [Problem(f"s{i + 1}.{p.field}", p.text) for p in refusal.problems]
            continue
        charged = _charged(stage, setting, lye)
        for k, v in charged.items():
            chemicals[k] = chemicals.get(k, 0.0) + 0.9 * v
        active = active_of(stage.name, setting)
        chlorine += active if stage.name[0] == "D" else 0.0
        elemental += setting.charge if stage.name == "C" else 0.0
        dissolved = COD_A_KAPPA * max(0.0, pulp.kappa - done.pulp.kappa)
        made_cod += dissolved
        kept = WASH_KEEPS if stage.washed else 1.0
        there = kept * (pulp.cod + dissolved)
        carried, oxidants = met(there, {name: kept * kg for name, kg in left_of(stage.name, done.residual).items()})
        burned += there - carried
        out = replace(done.pulp, cod=carried, oxidants=oxidants)
        end = at + setting.minutes
        steps.append(
            Step(
                stage=stage,
                setting=setting,
                into=pulp,
                done=replace(done, pulp=out),
                charged=charged,
                starts_min=at,
                ends_min=end,
            )
        )
        said += [f"{stage.name}: {c}" for c in done.cautions]
        at = end + (WASH_MIN if stage.washed else 0.0)
        pulp = out
    if problems:
        raise ImpossibleInput(*problems)
    removed = plan.kappa - pulp.kappa
    return Bleached(
        steps=tuple(steps),
        chemicals=chemicals,
        aox=AOX_FROM * 0.9 * (elemental + DIOXIDE_COUNTS * chlorine),
        cod=0.9 * max(0.0, plan.cod + made_cod - burned),
        yield_pct=100.0 - YIELD_A_KAPPA * removed,
        cost=sum(v * prices.get(k, 0.0) for k, v in chemicals.items()),
        minutes=at,
        cautions=tuple(dict.fromkeys(said)),
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class Moment:
    """The pulp at a minute inside a tower."""

    minute: float
    kappa: float
    iso: float


def course(step: Step, *, wood: str, points: int = 9, own: Constants = PUBLISHED) -> tuple[Moment, ...]:
    """Kappa and brightness inside a stage, by the model stopped early."""
    end = Moment(minute=step.ends_min, kappa=step.done.pulp.kappa, iso=step.done.pulp.iso)
    start = Moment(minute=step.starts_min, kappa=step.into.kappa, iso=step.into.iso)
    if step.setting.minutes <= 0.0:
        return (start, end)
    result = [start]
    for i in range(1, points):
        t = step.setting.minutes * (i / points) ** 2  # fast at first
        p = run(step.stage.name, step.into, replace(step.setting, minutes=t), wood=wood, washed=step.stage.washed, own=own).pulp
        result.append(Moment(minute=step.starts_min + t, kappa=p.kappa, iso=p.iso))
    return (*result, end)


@dataclass(frozen=True, slots=True, kw_only=True)
class Cheapest:
    """Least-cost charges to a target: kg/ODt by stage, the sequence run with them, and which limits bind."""

    charges: tuple[float, ...]
    bleached: Bleached
    binds: tuple[str, ...]


def movable(plan: Plan) -> tuple[int, ...]:
    """The stages whose charge the optimiser may set: those that delignify or brighten by a charge."""
    return tuple(i for i, s in enumerate(plan.sequence.stages) if s.name in (*BRIGHTEN, "D0", "Z", "Y", "O"))


def _factor(b: Bleached) -> float:
    """Kappa factor of the first D0, active chlorine % a kappa."""
    step = next(s for s in b.steps if s.stage.name == "D0")
    return ACTIVE["ClO2"] * step.setting.charge / 10.0 / step.into.kappa


def _meets(got: Bleached, names: list[str], iso_pct: float, kappa: float, viscosity_loss: float) -> bool:
    factor = "D0" not in names or FACTOR_LOW - 0.002 <= _factor(got) <= FACTOR_HIGH + 0.002
    return factor and got.iso >= iso_pct - 0.03 and got.kappa <= kappa + 0.03 and got.viscosity >= -viscosity_loss - 1.0


def cheapest(
    plan: Plan, *, iso_pct: float, kappa: float = math.inf, viscosity_loss: float = 400.0, prices: Mapping[str, float] = PRICES
) -> Cheapest | Infeasible:
    """Charges of least cost that end at `iso_pct` or more, at `kappa` or less, losing `viscosity_loss` mL/g at most.

    Sequential quadratic programming from the best four of 64 even samples; limits of each stage as MOST. Infeasible with the
    brightness that is reached. Raises: ImpossibleInput for a plan that cannot run.
    """
    free = movable(plan)
    if not free:
        return Infeasible(field="sequence", reason="has no stage whose charge brightens")
    names = [plan.sequence.stages[i].name for i in free]
    high = np.array([MOST[n] for n in names])

    low: Array = np.array([LEAST_OXYGEN if n == "O" else 0.0 for n in names]) / high
    seen: dict[bytes, Bleached] = {}

    def at(x: Array) -> Bleached:
        key = x.tobytes()
        if key not in seen:
            settings = list(plan.settings)
            for i, v, most in zip(free, x, high, strict=True):
                settings[i] = replace(settings[i], charge=float(min(most, max(0.0, v))))
            seen[key] = bleach(replace(plan, settings=tuple(settings)), prices=prices, over="hold")
        return seen[key]

    top = at(high)
    if top.iso < iso_pct:
        best = max((at(high * s) for s in (0.4, 0.6, 0.8, 1.0)), key=lambda b: b.iso)
        ceiling = f"every charge at its limit gives {best.iso:.1f} %"
        return Infeasible(
            field="iso_pct", reason=f"{iso_pct:g} % is beyond this sequence: {ceiling}", nearest=best.iso, unit="% ISO"
        )
    limits: list[dict[str, Any]] = [
        {"type": "ineq", "fun": lambda u: at(u * high).iso - iso_pct},
        {"type": "ineq", "fun": lambda u: (at(u * high).viscosity + viscosity_loss) / 50.0},
    ]
    if "D0" in names:  # within the factor card
        limits.append({"type": "ineq", "fun": lambda u: _factor(at(u * high)) - FACTOR_LOW})
        limits.append({"type": "ineq", "fun": lambda u: FACTOR_HIGH - _factor(at(u * high))})
    if math.isfinite(kappa):
        limits.append({"type": "ineq", "fun": lambda u: kappa - at(u * high).kappa})
    now = np.array([plan.settings[i].charge for i in free]) / high
    result: Bleached | None = None
    chosen = now * high

    def sum_of_misses(u: Array) -> float:
        """How far the limits are from being kept, so that the least bad start is taken where none keeps them."""
        return float(sum(max(0.0, -float(limit["fun"](u))) for limit in limits))

    # kinks where a charge only feeds the carry-over stop a gradient: the neighbourhood is found by even samples first
    from scipy.optimize import minimize

    steps = 2.0 ** (np.arange(1, len(free) + 1) / (len(free) + 1))  # a sequence of Kronecker's: even in every direction
    spread = low + (1.0 - low) * (np.outer(np.arange(1, SAMPLES + 1), steps) % 1.0)
    tried = sorted([sum_of_misses(u), at(u * high).cost, *u] for u in [np.clip(now, low, 1.0), *spread])
    starts = [np.array(row[2:]) for row in tried[:STARTS]]
    for start in starts:
        answer = minimize(
            lambda u: at(u * high).cost,
            start,
            method="SLSQP",
            bounds=[(float(v), 1.0) for v in low],
            constraints=limits,
            options={"maxiter": 30, "ftol": 1e-5, "eps": 1e-4},
        )
        for x in (answer.x, start):
            got = at(x * high)
            if _meets(got, names, iso_pct, kappa, viscosity_loss) and (result is None or got.cost < result.cost - 1e-6):
                result, chosen = got, np.array([got.steps[i].setting.charge for i in free])
    if result is None:
        return Infeasible(
            field="kappa",
            reason=(f"{kappa:g} " if math.isfinite(kappa) else "")
            + f"within the factor card and the viscosity is beyond this sequence at {iso_pct:g} % ISO",
            nearest=top.kappa,
        )
    binds = [f"{n} at its limit, {h:g} kg/ODt" for n, v, h in zip(names, chosen, high, strict=True) if v > 0.995 * h]
    binds += [f"{n} at nothing" for n, v in zip(names, chosen, strict=True) if v < 0.005 * MOST[n]]
    binds += [
        f"{n} at its least, {LEAST_OXYGEN:g} kg/ODt"
        for n, v in zip(names, chosen, strict=True)
        if n == "O" and v < 1.005 * LEAST_OXYGEN
    ]
    if "D0" in names:
        f = _factor(result)
        binds += [f"kappa factor {f:.2f}, an end of its card"] if min(abs(f - FACTOR_LOW), abs(f - FACTOR_HIGH)) < 0.003 else []
    if abs(result.iso - iso_pct) < 0.05:
        binds.insert(0, f"brightness {iso_pct:g} %")
    if abs(result.kappa - kappa) < 0.05:
        binds.insert(0, f"kappa {kappa:g}")
    if abs(result.viscosity + viscosity_loss) < 2.0:
        binds.append(f"viscosity, {viscosity_loss:g} mL/g lost")
    return Cheapest(charges=tuple(float(v) for v in chosen), bleached=result, binds=tuple(binds))


READY: Final = {
    "softwood kraft, ECF": ("O-D0-EOP-D1", "softwood", 28.0),
    "hardwood kraft, ECF": ("O-D0-EOP-D1", "hardwood", 18.0),
    "kraft, TCF": ("O-Q-P-P", "hardwood", 17.0),
    "bagasse soda": ("D0-EP-P", "bagasse", 14.0),
    "sulphite, TCF": ("EO-Q-P", "softwood", 12.0),
    "kraft, old school": ("C-E-H-D", "softwood", 28.0),
}


def ready(name: str) -> Plan:
    """A ready-made starting point with usual settings. Raises: KeyError."""
    text, wood, kappa = READY[name]
    sequence = read(text)
    settings = list(typical(sequence, kappa))
    if name == "softwood kraft, ECF":
        settings[0] = replace(settings[0], charge=24.0, temp_c=98.0)
    return Plan(sequence=sequence, settings=tuple(settings), wood=wood, kappa=kappa)


def od_of(kg_adt: float) -> float:
    """kg/ODt of a charge given a tonne air-dry."""
    return kg_adt / 0.9


def ad_of(kg_odt: float) -> float:
    """kg/ADt of a charge given a tonne oven-dry."""
    return 0.9 * kg_odt


def solution_l_min(kg_adt: float, od_t_h: float, strength_g_l: float) -> float:
    """Flow of a solution for a charge: od t/h over 0.9 is ADt/h. Raises: ImpossibleInput for no strength."""
    if not strength_g_l > 0.0:
        raise ImpossibleInput(Problem("strength", f"is {strength_g_l:g} g/L; it must be above 0"))
    return od_t_h / 0.9 * kg_adt * 1000.0 / strength_g_l / 60.0


@dataclass(frozen=True, slots=True, kw_only=True)
class Slope:
    """What half a kg/ODt more of a stage's charge does, a kg: points ISO and cost a point."""

    stage: str
    iso_a_kg: float
    cost_a_point: float
    chase: bool


def _room(step: Step) -> float:
    """Half a kilogram more where the ceiling of the stage lets it be tried, else half a kilogram less."""
    most = MOST[step.stage.name]
    if step.stage.name == "D0":
        most = min(most, factor_most_kg(step.into.kappa, step.into.cod))
    return 0.5 if step.setting.charge + 0.5 <= most else -min(0.5, step.setting.charge)


def slopes(plan: Plan, *, prices: Mapping[str, float] = PRICES) -> tuple[Slope, ...]:
    """For every stage with a charge: points a kg, cost a point, and whether to chase (0.15 a kg ClO2, 0.10 a kg peroxide)."""
    base, result = bleach(plan, prices=prices), []
    for i in movable(plan):
        name = plan.sequence.stages[i].name
        settings = list(plan.settings)
        if not (step := _room(base.steps[i])):
            continue
        settings[i] = replace(settings[i], charge=settings[i].charge + step)
        more = bleach(replace(plan, settings=tuple(settings)), prices=prices)
        gain, cost = (more.iso - base.iso) / step, (more.cost - base.cost) / step
        result.append(
            Slope(
                stage=name,
                iso_a_kg=gain,
                cost_a_point=cost / gain if gain > 1e-6 else math.inf,
                chase=gain >= (0.15 if name[0] == "D" else 0.10),
            )
        )
    return tuple(result)


@dataclass(frozen=True, slots=True, kw_only=True)
class Front:
    """A new kappa on its way: brightness at the end with charges as set, and with the first D0 by the same factor (kg/ODt)."""

    plain: Bleached
    moved: Bleached
    stage: int
    before: float
    after: float


def front(plan: Plan, kappa: float, *, most: float = 0.25) -> Front | Infeasible:
    """Feed-forward for what enters now (B1): the active chlorine goes with the kappa that reaches D0, a quarter at most.

    Infeasible for a sequence without D0. Raises: ImpossibleInput.
    """
    at = next((i for i, s in enumerate(plan.sequence.stages) if s.name == "D0"), None)
    if at is None:
        return Infeasible(field="sequence", reason="has no D0 to move with the kappa")
    now, plain = bleach(plan), bleach(replace(plan, kappa=kappa), over="mind")
    before = plan.settings[at].charge
    ratio = plain.steps[at].into.kappa / now.steps[at].into.kappa
    into = plain.steps[at].into
    after = min(before * min(1.0 + most, max(1.0 - most, ratio)), CEILING["D0"], factor_most_kg(into.kappa, into.cod))
    settings = list(plan.settings)
    settings[at] = replace(settings[at], charge=after)
    return Front(
        plain=plain, moved=bleach(replace(plan, kappa=kappa, settings=tuple(settings))), stage=at, before=before, after=after
    )


def washes(plan: Plan) -> int:
    """How many washers the sequence has."""
    return sum(s.washed for s in plan.sequence.stages)


SAMPLES, STARTS = 64, 4
WATER_A_WASH = 9.5  # m3/ADt: a mat's liquor and a dilution of two, before filtrate is used again; default


def water_of(plan: Plan) -> float:
    """Wash water m3/ADt with no filtrate used again."""
    return WATER_A_WASH * washes(plan)


def kappa_factor_of(step: Step) -> float | None:
    """Active chlorine % a kappa of a delignifying D; None of any other stage."""
    if step.stage.name != "D0" or step.into.kappa <= 0.0:
        return None
    return ACTIVE["ClO2"] * step.setting.charge / 10.0 / step.into.kappa


def ceiling(plan: Plan) -> float:
    """Brightness with every charge at its limit, % ISO; the best of four levels, since too much of one may cost another."""
    free = movable(plan)
    best = bleach(plan).iso
    for share in (0.4, 0.6, 0.8, 1.0):
        settings = list(plan.settings)
        for i in free:
            settings[i] = replace(settings[i], charge=share * MOST[plan.sequence.stages[i].name])
        best = max(best, bleach(replace(plan, settings=tuple(settings)), over="hold").iso)
    return best


OXYGEN_MJ_A_KAPPA, PEROXIDE_MJ_A_KG = 12.0, 3.0  # heats of reaction, default


def hot(done: Bleached) -> tuple[HotStage, ...]:
    """The stages of a sequence as steam keeps them warm, each with the heat of its reaction, MJ/ODt, and its wash.

    Oxygen gives 12 MJ a kappa, peroxide 3 MJ a kg used; dioxide and alkali nothing. Source: models, section 10; defaults.
    """
    told = []
    for step in done.steps:
        reaction = 0.0
        if step.stage.name == "O":
            reaction = OXYGEN_MJ_A_KAPPA * max(0.0, step.into.kappa - step.done.pulp.kappa)
        elif CHEMICAL.get(step.stage.name) == "H2O2":
            reaction = PEROXIDE_MJ_A_KG * max(0.0, step.setting.charge - step.done.residual)
        kept = WASH_KEEPS if step.stage.washed else 1.0
        told.append(HotStage(to_c=step.setting.temp_c, cons_pct=step.setting.cons_pct, reaction_mj=reaction, keeps=kept))
    return tuple(told)


def hours(done: Bleached) -> float:
    """Hours in towers and washes."""
    return done.minutes / 60.0


OVER_POINTS, STARVED_POINTS = 1.5, 1.5


def over_bleached(iso_pct: float, wanted: float) -> str:
    """What is to be said of a brightness over or under what is wanted by more than a point and a half; else an empty string.

    `iso_pct`: % ISO, corrected by the laboratory's bias where one is known.
    """
    off = iso_pct - wanted
    if off > OVER_POINTS:
        return f"over-bleached by {off:.1f} points: chemical and viscosity for nothing"
    if off < -STARVED_POINTS:
        return f"starved by {-off:.1f} points: look at residual, pH and carry-over before the charge"
    return ""


@dataclass(frozen=True, slots=True, kw_only=True)
class PhStep:
    """A stage's pH by its own chemicals, and what holds the pH it is set to: NaOH or H2SO4, kg/ADt (one of them 0)."""

    free: float
    naoh: float
    acid: float


CONSUMED_ACID, M_CLO2, M_NAOH, M_H2SO4_EQ, WEAK, PKA = 0.7, 67.452, 40.0, 49.04, 0.004, 4.5


def alkali_of(done: Bleached) -> float:
    """Free alkali that a sequence adds to its liquor, kg NaOH/ODt, under 0 free acid: what it is charged less what its acids
    take, and the acid that dioxide makes."""
    total, active = 0.0, 0.0
    for s in done.steps:
        name = s.stage.name
        if name[0] == "D":
            total -= CONSUMED_ACID * max(0.0, s.setting.charge - s.done.residual) / M_CLO2 * M_NAOH
        elif name in ALKALINE:
            total += s.charged.get("NaOH", 0.0) - acids_of(name, s.into, s.setting, active).taken(s.setting.ph)
        elif name == "O":
            total += s.done.residual
        elif name == "A":
            total -= s.setting.charge * M_NAOH / M_H2SO4_EQ
        active = active_of(name, s.setting)
    return total


def ph_path(done: Bleached) -> tuple[PhStep | None, ...]:
    """The pH each stage ends at by its charges, and the caustic or acid to end at the pH it is set to. None of stages without
    a balance.

    Source: models, 7.3: a dioxide stage makes 0.7 acid a ClO2 used; an alkaline one has the acid groups of its own balance.
    """
    result: list[PhStep | None] = []
    active = 0.0
    for s in done.steps:
        mat, name = liquor(s.setting.cons_pct), s.stage.name
        if name in ("D0", "D1", "D2"):
            acid = CONSUMED_ACID * max(0.0, s.setting.charge - s.done.residual) / M_CLO2 / mat
            want = s.setting.ph
            gap = WEAK / (1.0 + 10.0 ** (PKA - want)) + 10.0 ** (want - 14.0) - 10.0**-want + acid  # mol/L of base wanted
            result.append(
                PhStep(
                    free=end_ph(acid_mol_l=acid, base_mol_l=0.0, weak_mol_l=WEAK, pka=PKA),
                    naoh=max(0.0, 0.9 * gap * M_NAOH * mat),
                    acid=max(0.0, -0.9 * gap * M_H2SO4_EQ * mat),
                )
            )
        elif name in ALKALINE:
            acids, charged = acids_of(name, s.into, s.setting, active), s.charged.get("NaOH", 0.0)
            more = acids.naoh_for(s.setting.ph) - charged
            result.append(
                PhStep(
                    free=acids.ph_of(charged),
                    naoh=0.9 * max(0.0, more),
                    acid=0.9 * max(0.0, -more) * M_H2SO4_EQ / M_NAOH,
                )
            )
        else:
            result.append(None)
        active = active_of(name, s.setting)
    return tuple(result)
