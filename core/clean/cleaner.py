"""Centrifugal cleaners: pressure drop and flow, the cut, and what share of a particle leaves with the reject.

Source: flow with the root of the pressure drop; partition curve of the form used by Plitt 1976. The exponents of the cut follow
from equal pressure drop in geometrically similar cones and from the network's resistance. Reference cut, sizes and densities
are defaults to be calibrated.
"""

import math
from dataclasses import dataclass
from typing import Final

from core.errors import Caution
from core.quantity import check, choice, figure, quantity
from core.register import Check, model

# size um, density in water kg/m3; default
PARTICLES: Final = {
    "sand over 150 µm": (220.0, 2650.0),
    "sand 50 to 150 µm": (100.0, 2650.0),
    "sand under 50 µm": (30.0, 2650.0),
    "metal, staples": (500.0, 7800.0),
    "shives": (180.0, 1150.0),
    "bark": (150.0, 1150.0),
    "coating specks": (100.0, 1800.0),
    "ink over 150 µm": (200.0, 1200.0),
    "light, wax and foam": (200.0, 920.0),
}
CUT_UM, CUT_KPA, CUT_MM, CUT_PCT, CUT_C, POWER = 45.0, 150.0, 75.0, 0.6, 45.0, 1.5
SAND_KG_M3 = 2650.0
LARGE_MM, SMALL_MOST_PCT, LARGE_MOST_PCT, FADES_PCT = 100.0, 0.9, 1.2, 0.4
LEAST_KPA, MOST_KPA = 60.0, 250.0
PLUGS_PCT, ROPES_KPA = 3.0, 200.0  # reject that plugs a tip; drop that wears tips and ropes, default
HIGH_CUT_UM, HIGH_PCT = 250.0, 3.5
PUMP = 0.65  # efficiency, default


def water_kg_m3(temp_c: float) -> float:
    """Density of water, kg/m³, 0 to 95 °C within 0.2."""
    return 1000.0 * (1.0 - (temp_c + 288.9414) * (temp_c - 3.9863) ** 2 / (508929.2 * (temp_c + 68.12963)))


def viscosity(temp_c: float) -> float:
    """Viscosity of water, Pa s, 0 to 99 °C."""
    return float(2.414e-5 * 10.0 ** (247.8 / (temp_c + 133.15)))


def cut_um(*, kpa: float, cone_mm: float, pct: float, temp_c: float, kg_m3: float = SAND_KG_M3) -> float:
    """The size, um, of which half of what does not go with the water is thrown out; of lighter than water by its lift."""
    rho = water_kg_m3(temp_c)
    apart = max(1e-3, abs(kg_m3 - rho))
    return float(
        CUT_UM
        * (CUT_KPA / kpa) ** 0.25
        * math.sqrt(cone_mm / CUT_MM)
        * math.exp(0.5 * (pct - CUT_PCT))
        * math.sqrt(viscosity(temp_c) / viscosity(CUT_C))
        * math.sqrt((SAND_KG_M3 - rho) / apart)
    )


def partition(size_um: float, d50_um: float, rf: float, power: float = POWER) -> float:
    """Share of a size that leaves with the reject: what goes with its water, and of the rest what is thrown out."""
    return rf + (1.0 - rf) * -math.expm1(-math.log(2.0) * (size_um / d50_um) ** power)


def most_pct(cone_mm: float) -> float:
    """The consistency over which a cone of that diameter cleans ever less, %."""
    return SMALL_MOST_PCT if cone_mm < LARGE_MM else LARGE_MOST_PCT


def efficiencies(
    classes: tuple[tuple[float, float], ...],
    *,
    kpa: float,
    cone_mm: float,
    pct: float,
    temp_c: float,
    rv: float,
    light: bool = False,
) -> list[float]:
    """Shares of particles, by size (um) and density (kg/m3), that leave with the reject of a forward unit, or of a light-reject
    unit (`light`)."""
    rho = water_kg_m3(temp_c)
    sand = cut_um(kpa=kpa, cone_mm=cone_mm, pct=pct, temp_c=temp_c)
    over = max(0.0, pct - most_pct(cone_mm))
    fades = math.exp(-((over / FADES_PCT) ** 2))
    told = []
    for size, kg_m3 in classes:
        if (kg_m3 < rho) != light:
            told.append(rv if light else 0.5 * rv)
            continue
        d50 = sand * math.sqrt((SAND_KG_M3 - rho) / max(1e-3, abs(kg_m3 - rho)))
        told.append(rv + (partition(size, d50, rv) - rv) * fades)
    return told


@dataclass(frozen=True, slots=True, kw_only=True)
class BankCase:
    flow_l_min: float = quantity("Flow to the stage", "L/min", possible=(0, 1e6), above=True, decimals=0)
    cones_open: int = quantity("Cleaners open", "", possible=(1, 2000), whole=True, decimals=0)
    cone_l_min: float = quantity("One takes", "L/min", possible=(5, 20000), valid=(60, 1200), decimals=0, default=500.0)
    at_kpa: float = quantity("at a drop of", "kPa", possible=(20, 400), valid=(100, 200), decimals=0, default=CUT_KPA)


@dataclass(frozen=True, slots=True, kw_only=True)
class BankFound:
    kpa: float = figure("Pressure drop", "kPa", decimals=1, equation="drop × (flow/(open × one))²")
    needed: float = figure("Cleaners for that drop", "", decimals=0, equation="flow/one, rounded up")
    shut_kpa: float = figure("with one more shut", "kPa", decimals=1, equation="the same with one less")
    pump_kw: float = figure("Pump power it takes", "kW", decimals=1, equation="flow × drop/0.65")
    cautions: tuple[Caution, ...] = ()


def drop(flow_l_min: float, cones: float, cone_l_min: float, at_kpa: float) -> float:
    """Pressure drop over a bank, kPa."""
    return at_kpa * (flow_l_min / (cones * cone_l_min)) ** 2


def pump_kw(flow_l_min: float, kpa: float) -> float:
    """Power that a drop takes of a flow, kW."""
    return flow_l_min / 60000.0 * kpa / PUMP


def told_drop(kpa: float, name: str) -> tuple[Caution, ...]:
    """What is to be said of a pressure drop."""
    if kpa < LEAST_KPA:
        return (
            Caution(name, f"leaves a drop of {kpa:.0f} kPa, under {LEAST_KPA:g}: no vortex core, the tips pour; shut some"),
        )
    if kpa > ROPES_KPA:
        worse = "far " if kpa > MOST_KPA else ""
        return (Caution(name, f"leaves a drop of {kpa:.0f} kPa, {worse}over {ROPES_KPA:g}: tips wear and rope; open more"),)
    return ()


@model(
    "cleaner.bank",
    title="A bank of cleaners",
    source="flow with the root of the pressure drop",
    holds_for="60 to 250 kPa",
    equation="ΔP = ΔP0 (Q/(n Q0))²",
    symbols="n=cones_open Q=flow_l_min Q0=cone_l_min",
    basis="published",
    checks=(
        Check({"flow_l_min": 21000, "cones_open": 40}, "kpa", 165.38, 1e-4),
        Check({"flow_l_min": 21000, "cones_open": 40}, "needed", 42),
        Check({"flow_l_min": 428.17, "cones_open": 1}, "kpa", 110.0, 1e-4),
    ),
)
def bank(case: BankCase) -> BankFound:
    """Raises: ImpossibleInput."""
    cautions = check(case)
    kpa = drop(case.flow_l_min, case.cones_open, case.cone_l_min, case.at_kpa)
    less = max(1, case.cones_open - 1)
    return BankFound(
        kpa=kpa,
        needed=math.ceil(case.flow_l_min / case.cone_l_min - 1e-9),
        shut_kpa=drop(case.flow_l_min, less, case.cone_l_min, case.at_kpa),
        pump_kw=pump_kw(case.flow_l_min, kpa),
        cautions=cautions + told_drop(kpa, "cones_open"),
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class CutCase:
    particle: str = choice("Particle", tuple(PARTICLES))
    kpa: float = quantity("Pressure drop", "kPa", possible=(10, 500), valid=(LEAST_KPA, MOST_KPA), decimals=0)
    cone_mm: float = quantity("Diameter of a cone", "mm", possible=(20, 600), valid=(50, 300), decimals=0, default=CUT_MM)
    pct: float = quantity("Consistency", "%", possible=(0, 4), above=True, valid=(0.3, 1.2), decimals=2, default=CUT_PCT)
    temp_c: float = quantity("Temperature", "°C", possible=(1, 95), valid=(20, 70), decimals=0, default=CUT_C)
    rv: float = quantity("Flow rejected", "share", possible=(0, 0.9), above=True, valid=(0.05, 0.4), decimals=2, default=0.10)
    unit: str = choice("Reject", ("heavy, at the tip", "light, at the core"), default="heavy, at the tip")


@dataclass(frozen=True, slots=True, kw_only=True)
class CutFound:
    d50_um: float = figure("Cut", "µm", decimals=1, equation="45 (150/ΔP)^¼ √(D/75) exp(0.5 (C − 0.6)) √μ √density")
    e: float = figure("Leaves with the reject", "share", decimals=4, equation="Rf + (1 − Rf)(1 − exp(−ln2 (d/d50)^1.5))")
    cautions: tuple[Caution, ...] = ()


def _sand(kpa: float) -> dict[str, object]:
    return {"particle": "sand 50 to 150 µm", "kpa": kpa}


def _shives(kpa: float) -> dict[str, object]:
    return {"particle": "shives", "kpa": kpa}


@model(
    "cleaner.cut",
    title="What a cleaner throws out",
    source="partition of the form used by Plitt 1976; defaults",
    holds_for="0.3 to 1.2 %, 60 to 250 kPa; over 0.9 % (small cones) or 1.2 % (large) it fades",
    equation="E = Rf + (1 − Rf)(1 − exp(−ln2 (d/d50)^1.5))",
    symbols="E=e d50=d50_um Rf=rv",
    basis="default",
    checks=(
        Check(_sand(100), "d50_um", 49.801, 1e-4),
        Check(_sand(150), "d50_um", 45.000, 1e-4),
        Check(_sand(200), "d50_um", 41.877, 1e-4),
        Check({**_sand(150), "cone_mm": 125}, "d50_um", 58.095, 1e-4),
        Check({**_sand(150), "pct": 1.0}, "d50_um", 54.963, 1e-4),
        *(Check(_sand(p), "e", e, 1e-4) for p, e in ((100, 0.8748), (150, 0.9094), (200, 0.9303))),
        *(Check(_shives(p), "e", e, 1e-4) for p, e in ((100, 0.6048), (150, 0.6548), (200, 0.6905))),
        Check({"particle": "sand over 150 µm", "kpa": 150}, "e", 0.999, 1e-3),
        Check({"particle": "sand under 50 µm", "kpa": 150}, "e", 0.383, 1e-3),
        Check({"particle": "bark", "kpa": 150}, "e", 0.566, 2e-3),
        Check({"particle": "coating specks", "kpa": 150}, "e", 0.764, 1e-3),
        Check({"particle": "light, wax and foam", "kpa": 150}, "e", 0.05, 1e-6),
    ),
)
def cut(case: CutCase) -> CutFound:
    """Raises: ImpossibleInput."""
    cautions = check(case)
    size, kg_m3 = PARTICLES[case.particle]
    light = case.unit != "heavy, at the tip"
    how = {"kpa": case.kpa, "cone_mm": case.cone_mm, "pct": case.pct, "temp_c": case.temp_c}
    if case.pct > most_pct(case.cone_mm):
        cautions += (Caution("pct", f"is over {most_pct(case.cone_mm):g} % for this cone: it cleans ever less"),)
    if light and kg_m3 > water_kg_m3(case.temp_c):
        cautions += (Caution("particle", "is heavier than water: a light reject takes it with the water alone"),)
    return CutFound(
        d50_um=cut_um(kg_m3=kg_m3, **how),
        e=efficiencies(((size, kg_m3),), rv=case.rv, light=light, **how)[0],
        cautions=cautions,
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class ShareCase:
    size_um: float = quantity("Size", "µm", possible=(0, 5000), decimals=0)
    d50_um: float = quantity("Cut", "µm", possible=(0, 5000), above=True, decimals=1)
    rf: float = quantity("Water to the reject", "share", possible=(0, 1), valid=(0, 0.4), decimals=2)
    power: float = quantity("Exponent m", "", possible=(0.2, 6), valid=(1, 2.5), decimals=2, default=POWER)


@dataclass(frozen=True, slots=True, kw_only=True)
class ShareFound:
    e: float = figure("Leaves with the reject", "share", decimals=4, equation="Rf + (1 − Rf)(1 − exp(−ln2 (d/d50)^m))")
    cautions: tuple[Caution, ...] = ()


@model(
    "cleaner.partition",
    title="Partition of one size",
    source="form used by Plitt 1976",
    holds_for="any cut",
    equation="E = Rf + (1 − Rf)(1 − exp(−ln2 (d/d50)^m))",
    symbols="E=e d=size_um d50=d50_um Rf=rf m=power",
    basis="published",
    checks=tuple(
        Check({"size_um": k * 45, "d50_um": 45, "rf": 0.12}, "e", e, 1e-4) for k, e in ((1, 0.5600), (2, 0.8761), (3, 0.9760))
    ),
)
def share(case: ShareCase) -> ShareFound:
    """Raises: ImpossibleInput."""
    cautions = check(case)
    return ShareFound(e=partition(case.size_um, case.d50_um, case.rf, case.power), cautions=cautions)


@dataclass(frozen=True, slots=True, kw_only=True)
class ThickCase:
    feed_pct: float = quantity("Feed", "%", possible=(0, 6), above=True, valid=(0.3, 1.2), decimals=2)
    rv: float = quantity("Flow rejected", "share", possible=(0, 0.9), above=True, valid=(0.05, 0.15), decimals=3)
    thickening: float = quantity("Fibre thickens by", "", possible=(0.2, 6), valid=(1.3, 2.2), decimals=2, default=1.6)


@dataclass(frozen=True, slots=True, kw_only=True)
class ThickFound:
    rm: float = figure("Fibre rejected", "share", decimals=4, equation="T Rv")
    reject_pct: float = figure("Reject", "%", decimals=3, equation="T × feed")
    accept_pct: float = figure("Accept", "%", decimals=4, equation="feed (1 − T Rv)/(1 − Rv)")
    cautions: tuple[Caution, ...] = ()


_THICK = {"feed_pct": 0.80, "rv": 0.10}


@model(
    "cleaner.thickening",
    title="Fibre in the reject of a cleaner",
    source="mass balance; thickening is a default",
    holds_for="forward cleaners at 0.3 to 1.2 %",
    equation="Rm = T Rv",
    symbols="Rm=rm T=thickening Rv=rv",
    basis="default",
    checks=(
        Check(_THICK, "rm", 0.1600, 1e-4),
        Check(_THICK, "reject_pct", 1.280, 1e-4),
        Check(_THICK, "accept_pct", 0.7467, 1e-4),
    ),
)
def thickening(case: ThickCase) -> ThickFound:
    """Raises: ImpossibleInput where more fibre would leave than comes."""
    cautions = check(case)
    rm = min(1.0, case.thickening * case.rv)
    if rm > 0.6:
        cautions += (Caution("rv", f"rejects {100 * rm:.0f} % of the fibre"),)
    if case.thickening * case.feed_pct > PLUGS_PCT:
        cautions += (Caution("feed_pct", f"thickens to over {PLUGS_PCT:g} % at the tip, where it plugs: water to the tip"),)
    return ThickFound(
        rm=rm,
        reject_pct=case.feed_pct * rm / case.rv,
        accept_pct=case.feed_pct * (1.0 - rm) / (1.0 - case.rv),
        cautions=cautions,
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class HighCase:
    size_um: float = quantity("Size", "µm", possible=(0, 20000), valid=(100, 5000), decimals=0)
    kg_m3: float = quantity("Its density", "kg/m³", possible=(1001, 12000), valid=(1100, 8000), decimals=0, default=SAND_KG_M3)
    pct: float = quantity("Consistency", "%", possible=(1, 7), valid=(2.5, 4.5), decimals=2, default=HIGH_PCT)
    kpa: float = quantity("Pressure drop", "kPa", possible=(10, 500), valid=(80, 200), decimals=0, default=CUT_KPA)
    temp_c: float = quantity("Temperature", "°C", possible=(1, 95), valid=(20, 70), decimals=0, default=CUT_C)


@dataclass(frozen=True, slots=True, kw_only=True)
class HighFound:
    d50_um: float = figure("Cut", "µm", decimals=0, equation="250 (150/ΔP)^¼ exp(0.25 (C − 3.5)) √density")
    e: float = figure("Goes to the junk trap", "share", decimals=4, equation="1 − exp(−ln2 (d/d50)^1.5)")
    cautions: tuple[Caution, ...] = ()


def high_cut_um(*, kpa: float, pct: float, temp_c: float, kg_m3: float = SAND_KG_M3) -> float:
    """The cut of a high-consistency cleaner, um."""
    rho = water_kg_m3(temp_c)
    apart = max(1e-3, kg_m3 - rho)
    return float(
        HIGH_CUT_UM * (CUT_KPA / kpa) ** 0.25 * math.exp(0.25 * (pct - HIGH_PCT)) * math.sqrt((SAND_KG_M3 - rho) / apart)
    )


@model(
    "cleaner.high",
    title="High-consistency cleaner",
    source="partition form with no water to the trap; defaults",
    holds_for="2.5 to 4.5 %, 80 to 200 kPa, junk trap dumped by batch (0.1 to 0.3 % of the fibre with it)",
    equation="d50 = 250 (150/ΔP)^¼ exp(0.25 (C − 3.5)); E = 1 − exp(−ln2 (d/d50)^1.5)",
    symbols="d50=d50_um C=pct E=e",
    basis="default",
    checks=(
        Check({"size_um": 220}, "e", 0.4357, 1e-3),
        Check({"size_um": 400}, "e", 0.7541, 1e-3),
        Check({"size_um": 500, "kg_m3": 7800}, "e", 0.9965, 1e-3),
        Check({"size_um": 400, "pct": 4.5, "kpa": 100}, "e", 0.5631, 1e-3),
    ),
)
def high(case: HighCase) -> HighFound:
    """Raises: ImpossibleInput."""
    cautions = check(case)
    d50 = high_cut_um(kpa=case.kpa, pct=case.pct, temp_c=case.temp_c, kg_m3=case.kg_m3)
    cautions += (Caution("kpa", "a junk trap is under pressure: dump it by its valves in turn, never open both"),)
    return HighFound(d50_um=d50, e=partition(case.size_um, d50, 0.0), cautions=cautions)
