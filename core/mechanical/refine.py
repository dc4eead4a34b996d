"""Two refining stages: freeness by cumulative energy, blow-line consistency and steam from the energy balance.

Source: exponential in energy, CSF0 and E0 defaults to be calibrated; steam by balance with steam-table fits.
"""

import math
from dataclasses import dataclass
from typing import Final

from core.errors import Caution, ImpossibleInput, Infeasible, Problem, as_named, beside
from core.heat import CP_FIBRE, h_evaporation, h_liquid, t_saturation
from core.quantity import check, choice, figure, quantity
from core.register import Check, model

WOODS: Final = {"spruce": (1400.0, 800.0), "pine": (1400.0, 950.0), "aspen": (1100.0, 620.0), "hemlock": (1400.0, 880.0)}
RPM_POWER = 0.30


@dataclass(frozen=True, slots=True, kw_only=True)
class EnergyCase:
    wood: str = choice("Wood", tuple(WOODS))
    sec_kwh_t: float = quantity("Energy in all", "kWh/t", possible=(0, 6000), valid=(400, 3000), decimals=0)
    rpm: float = quantity("Speed", "rpm", possible=(0, 4000), above=True, valid=(1200, 2300), decimals=0, default=1500.0)
    rate_t_h: float = quantity("Production", "t/h OD", possible=(0, 100), decimals=2, default=2.0)
    e0_factor: float = quantity("E0, factor", "", possible=(0.1, 10), valid=(0.3, 2.5), decimals=3, default=1.0)
    csf0_factor: float = quantity("CSF0, factor", "", possible=(0.1, 10), valid=(0.4, 1.6), decimals=3, default=1.0)


@dataclass(frozen=True, slots=True, kw_only=True)
class EnergyFound:
    csf_ml: float = figure("Freeness", "mL CSF", decimals=0, equation="CSF0 exp(−E (rpm/1500)^0.30/E0)")
    load_mw: float = figure("Load in all", "MW", decimals=2, equation="E × t/h / 1000")
    ml_a_kwh: float = figure("One kWh/t more", "mL per kWh/t", decimals=3, equation="−CSF (rpm/1500)^0.30/E0")
    cautions: tuple[Caution, ...] = ()


@model(
    "mechanical.freeness",
    title="Energy to freeness",
    source="exponential in cumulative energy; CSF0 and E0 are defaults to be calibrated",
    holds_for="40 to 700 mL CSF, 400 to 3000 kWh/t",
    equation="CSF = CSF0 exp(−E (rpm/1500)^0.30 / E0)",
    symbols="CSF=csf_ml E=sec_kwh_t",
    calibrated_by=("e0_factor", "csf0_factor"),
    basis="default",
    checks=(
        Check({"wood": "spruce", "sec_kwh_t": 1000}, "csf_ml", 401.11, 2e-3),
        Check({"wood": "spruce", "sec_kwh_t": 2100}, "csf_ml", 101.42, 2e-3),
    ),
)
def freeness(case: EnergyCase) -> EnergyFound:
    """Freeness of an energy. Raises: ImpossibleInput."""
    cautions = check(case)
    csf0, e0 = (of * by for of, by in zip(WOODS[case.wood], (case.csf0_factor, case.e0_factor), strict=True))
    factor = (case.rpm / 1500.0) ** RPM_POWER
    csf = csf0 * math.exp(-case.sec_kwh_t * factor / e0)
    if not 40.0 <= csf <= 700.0:
        cautions += (Caution("sec_kwh_t", f"{csf:.0f} mL is outside 40 to 700, the range this holds for"),)
    return EnergyFound(
        csf_ml=csf, load_mw=case.sec_kwh_t * case.rate_t_h / 1000.0, ml_a_kwh=-csf * factor / e0, cautions=cautions
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class TargetCase:
    wood: str = choice("Wood", tuple(WOODS))
    csf_ml: float = quantity("Freeness wanted", "mL CSF", possible=(0, 1400), above=True, valid=(40, 700), decimals=0)
    rpm: float = quantity("Speed", "rpm", possible=(0, 4000), above=True, valid=(1200, 2300), decimals=0, default=1500.0)
    rate_t_h: float = quantity("Production", "t/h OD", possible=(0, 100), above=True, decimals=2, default=2.0)
    split_pct: float = quantity("First stage's share", "%", possible=(1, 99), valid=(40, 60), decimals=0, default=50.0)


@dataclass(frozen=True, slots=True, kw_only=True)
class TargetFound:
    sec_kwh_t: float = figure("Energy in all", "kWh/t", decimals=0, equation="E0 ln(CSF0/CSF)/(rpm/1500)^0.30")
    first_mw: float = figure("First stage", "MW", decimals=2, equation="share × E × t/h / 1000")
    second_mw: float = figure("Second stage", "MW", decimals=2, equation="the rest")
    between_ml: float = figure("Freeness between", "mL CSF", decimals=0, equation="after the first stage's energy")
    cautions: tuple[Caution, ...] = ()


@model(
    "mechanical.energy",
    title="Freeness to energy, two stages",
    source="the freeness line turned round",
    holds_for="40 to 700 mL CSF",
    equation="E = E0 ln(CSF0/CSF) / (rpm/1500)^0.30",
    symbols="E=sec_kwh_t CSF=csf_ml",
    basis="default",
    checks=(
        Check({"wood": "spruce", "csf_ml": 110}, "sec_kwh_t", 2035, 2e-3),
        Check({"wood": "spruce", "csf_ml": 110, "rpm": 1800}, "sec_kwh_t", 1926.7, 2e-3),
    ),
)
def energy(case: TargetCase) -> TargetFound | Infeasible:
    """Energy for a freeness. Infeasible at or over CSF0: no refining is needed. Raises: ImpossibleInput."""
    cautions = check(case)
    csf0, e0 = WOODS[case.wood]
    if case.csf_ml >= csf0:
        return Infeasible(
            field="csf_ml",
            reason=f"{case.csf_ml:g} mL needs no refining; chips start at {csf0:g} mL",
            nearest=csf0,
            unit="mL CSF",
        )
    factor = (case.rpm / 1500.0) ** RPM_POWER
    sec = e0 * math.log(csf0 / case.csf_ml) / factor
    first = sec * case.split_pct / 100.0
    return TargetFound(
        sec_kwh_t=sec,
        first_mw=first * case.rate_t_h / 1000.0,
        second_mw=(sec - first) * case.rate_t_h / 1000.0,
        between_ml=csf0 * math.exp(-first * factor / e0),
        cautions=cautions,
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class BlowCase:
    sec_kwh_t: float = quantity("Energy of the stage", "kWh/t", possible=(0, 4000), valid=(0, 1800), decimals=0)
    feed_pct: float = quantity("Feed consistency", "%", possible=(0, 99), above=True, valid=(15, 60), decimals=1)
    feed_c: float = quantity("Feed at", "°C", possible=(0, 200), valid=(40, 140), decimals=0)
    dilution_t_t: float = quantity("Dilution", "t/t OD", possible=(0, 10), valid=(0, 3), decimals=2)
    dilution_c: float = quantity("Dilution at", "°C", possible=(0, 150), valid=(20, 95), decimals=0)
    casing_bar_abs: float = quantity("Casing", "bar abs", possible=(0.5, 12), valid=(1, 6), decimals=1)


@dataclass(frozen=True, slots=True, kw_only=True)
class BlowFound:
    steam_t_t: float = figure(
        "Steam made", "t/t OD", decimals=2, equation="(3.6 E + heat of feed and water)/heat of evaporation"
    )
    water_out_t_t: float = figure("Water with the pulp", "t/t OD", decimals=2, equation="feed water + dilution − steam")
    cons_out_pct: float = figure("Blow-line consistency", "%", decimals=1, equation="100/(1 + water out)")
    steam_c: float = figure("Steam at", "°C", decimals=1, equation="saturation of the casing")
    cautions: tuple[Caution, ...] = ()


_B = {"sec_kwh_t": 1100, "feed_pct": 30, "feed_c": 90, "dilution_t_t": 1.2, "dilution_c": 70, "casing_bar_abs": 3.0}


def _balance(case: BlowCase, dilution: float) -> tuple[float, float, float]:
    """(steam, water out, casing °C) of a dilution."""
    at = t_saturation(case.casing_bar_abs)
    w = (100.0 - case.feed_pct) / case.feed_pct
    heat = 3.6 * case.sec_kwh_t + CP_FIBRE * (case.feed_c - at) + w * (h_liquid(case.feed_c) - h_liquid(at))
    heat += dilution * (h_liquid(case.dilution_c) - h_liquid(at))
    steam = heat / h_evaporation(at)
    return steam, w + dilution - steam, at


@model(
    "mechanical.blow_line",
    title="Refiner balance: steam and blow-line consistency",
    source="heat balance with steam-table fits",
    holds_for="run 35 to 55 %; over 60 % mind, over 65 % act",
    equation="S = [3.6 E + cf (Tin − Ts) + w Δh + d Δh]/hfg",
    symbols="S=steam_t_t E=sec_kwh_t d=dilution_t_t",
    basis="published",
    checks=(
        Check(_B, "steam_t_t", 1.4532, 5e-3),
        Check(_B, "water_out_t_t", 2.0802, 5e-3),
        Check(_B, "cons_out_pct", 32.466, 5e-3),
    ),
)
def blow_line(case: BlowCase) -> BlowFound:
    """Steam and consistency out of one stage. Raises: ImpossibleInput when the refiner would run dry."""
    cautions = check(case)
    steam, water, at = _balance(case, case.dilution_t_t)
    if steam < 0.0:
        cautions += (Caution("sec_kwh_t", "not enough energy to make steam"),)
        steam, water = 0.0, (100.0 - case.feed_pct) / case.feed_pct + case.dilution_t_t
    if water <= 0.0:
        raise ImpossibleInput(Problem("dilution_t_t", f"is {case.dilution_t_t:g} t/t; the refiner would run dry: more water"))
    cons = 100.0 / (1.0 + water)
    if cons > 65.0:
        cautions += (Caution("dilution_t_t", f"{cons:.0f} % out: over 65 % fibre burns and dust forms; act on the water"),)
    elif cons > 60.0 or cons < 35.0:
        cautions += (Caution("dilution_t_t", f"{cons:.0f} % out is outside the run band 35 to 55 %"),)
    return BlowFound(steam_t_t=steam, water_out_t_t=water, cons_out_pct=cons, steam_c=at, cautions=cautions)


@dataclass(frozen=True, slots=True, kw_only=True)
class WaterCase:
    wanted_pct: float = quantity("Blow line wanted", "%", possible=(5, 90), valid=(35, 55), decimals=1)
    sec_kwh_t: float = quantity("Energy of the stage", "kWh/t", possible=(0, 4000), valid=(0, 1800), decimals=0)
    feed_pct: float = quantity("Feed consistency", "%", possible=(0, 99), above=True, valid=(15, 60), decimals=1)
    feed_c: float = quantity("Feed at", "°C", possible=(0, 200), valid=(40, 140), decimals=0)
    dilution_c: float = quantity("Dilution at", "°C", possible=(0, 150), valid=(20, 95), decimals=0)
    casing_bar_abs: float = quantity("Casing", "bar abs", possible=(0.5, 12), valid=(1, 6), decimals=1)


@dataclass(frozen=True, slots=True, kw_only=True)
class WaterFound:
    dilution_t_t: float = figure("Dilution", "t/t OD", decimals=3, equation="[q − (w − w out) hfg]/(hfg + h(Ts) − h(Td))")
    cautions: tuple[Caution, ...] = ()


@model(
    "mechanical.dilution",
    title="Dilution for a blow-line consistency",
    source="the refiner balance turned round",
    holds_for="35 to 55 %; one move at a time, wait 3 to 5 min",
    equation="d = [q − (w − wout) hfg]/(hfg + h(Ts) − h(Td))",
    symbols="d=dilution_t_t",
    basis="published",
    checks=(
        Check(
            {"wanted_pct": 45, "sec_kwh_t": 1100, "feed_pct": 30, "feed_c": 90, "dilution_c": 70, "casing_bar_abs": 3.0},
            "dilution_t_t",
            0.43704,
            1e-2,
        ),
    ),
)
def dilution(case: WaterCase) -> WaterFound | Infeasible:
    """Water for a consistency. Infeasible when it would have to be taken out. Raises: ImpossibleInput."""
    cautions = check(case)
    stage = BlowCase(
        sec_kwh_t=case.sec_kwh_t,
        feed_pct=case.feed_pct,
        feed_c=case.feed_c,
        dilution_t_t=0.0,
        dilution_c=case.dilution_c,
        casing_bar_abs=case.casing_bar_abs,
    )
    steam0, _, at = _balance(stage, 0.0)
    w, w_out, hfg = (100.0 - case.feed_pct) / case.feed_pct, (100.0 - case.wanted_pct) / case.wanted_pct, h_evaporation(at)
    d = (steam0 * hfg - (w - w_out) * hfg) / (hfg + h_liquid(at) - h_liquid(case.dilution_c))
    if d < 0.0:
        return Infeasible(
            field="wanted_pct",
            reason=f"{case.wanted_pct:g} % is thicker than it gets without any water",
            nearest=100.0 / (1.0 + w - steam0),
            unit="%",
        )
    return WaterFound(dilution_t_t=d, cautions=cautions)


@dataclass(frozen=True, slots=True, kw_only=True)
class HarvestCase:
    steam_t_t: float = quantity("Steam made", "t/t OD", possible=(0, 10), valid=(0.3, 2.5), decimals=2)
    captured: float = quantity("of it captured", "share", possible=(0, 1), valid=(0.6, 0.8), decimals=2, default=0.7)
    casing_bar_abs: float = quantity("Casing", "bar abs", possible=(0.5, 12), valid=(1, 6), decimals=1)
    clean_bar_abs: float = quantity("Clean steam at", "bar abs", possible=(0.5, 12), valid=(1, 5), decimals=1)
    feed_c: float = quantity("Feed water at", "°C", possible=(0, 150), valid=(20, 105), decimals=0, default=90.0)
    rate_t_h: float = quantity("Production", "t/h OD", possible=(0, 100), decimals=2, default=2.0)


@dataclass(frozen=True, slots=True, kw_only=True)
class Harvested:
    clean_t_t: float = figure(
        "Clean steam",
        "t/t OD",
        decimals=3,
        equation="S captured hfg(Ts)/[hl(Tc) + hfg(Tc) − hl(feed)]",
    )
    clean_t_h: float = figure("that is", "t/h", decimals=2, equation="× production")
    driving_c: float = figure("Driving difference", "°C", decimals=1, equation="Ts − Tc")
    cautions: tuple[Caution, ...] = ()


@model(
    "mechanical.harvest",
    title="Steam harvested from a refiner",
    source="heat balance with steam-table fits; captured share default",
    holds_for="clean steam under the casing's pressure",
    equation="t/t = S captured hfg(Ts)/[hl(Tc) + hfg(Tc) − hl(feed)]",
    symbols="S=steam_t_t",
    basis="default",
    checks=(
        Check(
            {"steam_t_t": 1.4532, "casing_bar_abs": 3.0, "clean_bar_abs": 2.0, "feed_c": 90, "captured": 0.7},
            "clean_t_t",
            0.94404,
            5e-3,
        ),
    ),
)
def harvest(case: HarvestCase) -> Harvested | Infeasible:
    """Clean steam of a reboiler. Infeasible when the clean side is not under the casing: it would blow back. Raises:
    ImpossibleInput."""
    cautions = check(case)
    ts, tc = t_saturation(case.casing_bar_abs), t_saturation(case.clean_bar_abs)
    if tc >= ts:
        return Infeasible(
            field="clean_bar_abs",
            reason=f"{case.clean_bar_abs:g} bar is not under the casing: heat does not flow, steam blows back",
            nearest=case.casing_bar_abs,
            unit="bar abs",
        )
    if ts - tc < 5.0:
        cautions += (Caution("clean_bar_abs", f"only {ts - tc:.1f} °C drive it: the reboiler would have to be large"),)
    per = case.steam_t_t * case.captured * h_evaporation(ts) / (h_liquid(tc) + h_evaporation(tc) - h_liquid(case.feed_c))
    return Harvested(clean_t_t=per, clean_t_h=per * case.rate_t_h, driving_c=ts - tc, cautions=cautions)


@dataclass(frozen=True, slots=True, kw_only=True)
class RejectsCase:
    main_kwh_t: float = quantity("Main line", "kWh/t", possible=(0, 6000), above=True, valid=(800, 3000), decimals=0)
    reject_pct: float = quantity("Rejects refined", "%", possible=(0, 60), valid=(10, 25), decimals=0)
    reject_kwh_t: float = quantity("Reject refining", "kWh/t", possible=(0, 4000), valid=(600, 1200), decimals=0)
    accept_ml: float = quantity("Freeness of the accepts", "mL CSF", possible=(1, 900), valid=(40, 700), decimals=0)
    refined_ml: float = quantity("of the refined rejects", "mL CSF", possible=(1, 900), valid=(40, 700), decimals=0)


@dataclass(frozen=True, slots=True, kw_only=True)
class RejectsFound:
    line_kwh_t: float = figure("Energy of the line", "kWh/t", decimals=0, equation="E main + r E reject")
    csf_ml: float = figure("Freeness together", "mL CSF", decimals=0, equation="ln CSF = Σ w ln CSF")
    cautions: tuple[Caution, ...] = ()


@model(
    "mechanical.rejects",
    title="Reject refining in the line",
    source="energy by share; freeness by its logarithm, default",
    holds_for="10 to 25 % of rejects, 600 to 1200 kWh/t",
    equation="E = E main + r/100 E reject; ln CSF = Σ w ln CSF",
    basis="default",
    checks=(
        Check(
            {"main_kwh_t": 2000, "reject_pct": 20, "reject_kwh_t": 900, "accept_ml": 120, "refined_ml": 200}, "line_kwh_t", 2180
        ),
        Check(
            {"main_kwh_t": 2000, "reject_pct": 20, "reject_kwh_t": 900, "accept_ml": 120, "refined_ml": 200},
            "csf_ml",
            132.911,
            1e-4,
        ),
    ),
)
def rejects(case: RejectsCase) -> RejectsFound:
    """Raises: ImpossibleInput."""
    cautions, r = check(case), case.reject_pct / 100.0
    csf = math.exp((1.0 - r) * math.log(case.accept_ml) + r * math.log(case.refined_ml))
    return RejectsFound(line_kwh_t=case.main_kwh_t + r * case.reject_kwh_t, csf_ml=csf, cautions=cautions)


@dataclass(frozen=True, slots=True, kw_only=True)
class PairCase:
    first_kwh_t: float = quantity("First stage", "kWh/t", possible=(0, 4000), valid=(300, 1600), decimals=0)
    second_kwh_t: float = quantity("Second stage", "kWh/t", possible=(0, 4000), valid=(300, 1600), decimals=0)
    feed_pct: float = quantity("Feed consistency", "%", possible=(0, 99), above=True, valid=(15, 60), decimals=1)
    feed_c: float = quantity("Feed at", "°C", possible=(0, 200), valid=(40, 140), decimals=0)
    water_1: float = quantity("Dilution, first", "t/t OD", possible=(0, 10), valid=(0, 3), decimals=2)
    water_2: float = quantity("Dilution, second", "t/t OD", possible=(0, 10), valid=(0, 3), decimals=2)
    dilution_c: float = quantity("Dilution at", "°C", possible=(0, 150), valid=(20, 95), decimals=0, default=70.0)
    casing_bar_abs: float = quantity("Casings", "bar abs", possible=(0.5, 12), valid=(1, 6), decimals=1, default=3.0)


@dataclass(frozen=True, slots=True, kw_only=True)
class PairFound:
    cons_2: float = figure("Blow line of the second", "%", decimals=1, equation="its balance on what the first sends")
    cons_1: float = figure("Blow line of the first", "%", decimals=1, equation="its balance")
    steam_1: float = figure("Steam of the first", "t/t OD", decimals=2, equation="its balance")
    steam_2: float = figure("Steam of the second", "t/t OD", decimals=2, equation="its balance")
    cautions: tuple[Caution, ...] = ()


@model(
    "mechanical.pair",
    title="Two refiners in series",
    source="the refiner balance, the second on what the first sends at its casing's temperature",
    holds_for="blow lines 35 to 55 %",
    equation="C in of the second = C out of the first",
    basis="published",
    checks=(
        Check(
            {"first_kwh_t": 1100, "second_kwh_t": 0, "feed_pct": 30, "feed_c": 90, "water_1": 1.2, "water_2": 0},
            "cons_1",
            32.466,
            5e-3,
        ),
    ),
)
def pair(case: PairCase) -> PairFound:
    """Raises: ImpossibleInput when either would run dry."""
    cautions = check(case)
    common = {"dilution_c": case.dilution_c, "casing_bar_abs": case.casing_bar_abs}
    first = {"sec_kwh_t": "first_kwh_t", "dilution_t_t": "water_1"}
    second = {"sec_kwh_t": "second_kwh_t", "dilution_t_t": "water_2"}
    with as_named(lambda field: first.get(field, field)):
        fed = {"feed_pct": case.feed_pct, "feed_c": case.feed_c}
        one = blow_line(BlowCase(sec_kwh_t=case.first_kwh_t, dilution_t_t=case.water_1, **fed, **common))
    sent = {"feed_pct": one.cons_out_pct, "feed_c": one.steam_c}
    with as_named(lambda field: second.get(field, "water_1" if field in sent else field)):
        two = blow_line(BlowCase(sec_kwh_t=case.second_kwh_t, dilution_t_t=case.water_2, **sent, **common))
    said = (c for c in two.cautions if c.field not in sent)  # what the first sends is said of the first
    return PairFound(
        cons_2=two.cons_out_pct,
        cons_1=one.cons_out_pct,
        steam_1=one.steam_t_t,
        steam_2=two.steam_t_t,
        cautions=beside(
            (*cautions, *beside(one.cautions, lambda f: first.get(f, f)), *beside(said, lambda f: second.get(f, f))), str
        ),
    )
