"""What is asked of one stage of bleaching, registered: dioxide, brightening, any stage, its alkali and pH, tower, reversion.

All constants are defaults to be calibrated. Source: models, sections 7.2 to 7.5.
"""

from dataclasses import asdict, dataclass
from typing import Final

from core.bleach.ceilings import CEILING, FACTOR_MOST, STRENGTH_MOST_G_L, mind_charge, mind_strength, refuse_charge, too_much
from core.bleach.stages import (
    ACTIVE,
    COD_CHLORINE,
    E_PH,
    EXTRACT,
    MN_ALKALINE,
    PUBLISHED,
    Constants,
    Done,
    Pulp,
    Setting,
    charge_for_iso,
    constants_of,
    end_ph,
    extraction_acids,
    peroxide_acids,
    run,
)
from core.colour import brightness_from_ks, ks_from_kappa, ks_from_reflectance
from core.document import same
from core.errors import Caution, ImpossibleInput, Infeasible, Problem
from core.quantity import check, choice, figure, quantities, quantity
from core.register import Check, model
from core.wash.oxygen import WOODS


@dataclass(frozen=True, slots=True, kw_only=True)
class DioxideCase:
    kappa: float = quantity("Kappa in", "", possible=(0, 200), above=True, valid=(3, 35), decimals=2)
    clo2_kg: float = quantity("ClO₂", "kg/ODt", possible=(0, CEILING["D0"]), valid=(2, 25), decimals=2)
    minutes: float = quantity("Time", "min", possible=(0, 1000), valid=(30, 90), decimals=0, default=45.0)
    temp_c: float = quantity("Temperature", "°C", possible=(5, 100), valid=(50, 70), decimals=0, default=60.0)
    ph: float = quantity("pH at its end", "", possible=(0, 14), valid=(2, 3.5), decimals=1, default=2.5)
    cod_kg: float = quantity("COD carried in", "kg/ODt", possible=(0, 300), valid=(0, 30), decimals=0, default=0.0)


@dataclass(frozen=True, slots=True, kw_only=True)
class DioxideFound:
    kappa_out: float = figure("Kappa out", "", decimals=2, equation="0.8 + (κ − 0.8) exp(−5 avail X p/(10 κ))")
    factor: float = figure("Kappa factor", "", decimals=3, equation="active chlorine % / kappa")
    available: float = figure("Active chlorine for the fibre", "kg/ODt", decimals=2, equation="2.628 ClO₂ − 0.4 COD")
    residual: float = figure("Left, as active chlorine", "kg/ODt", decimals=3, equation="available (1 − X)")
    caustic_kg: float = figure("NaOH for the next E", "kg/ODt", decimals=1, equation="0.45 active chlorine + 3")
    cautions: tuple[Caution, ...] = ()


_D0 = {"kappa": 11.76, "clo2_kg": 9.844}


@model(
    "bleach.dioxide",
    title="First chlorine dioxide stage",
    source="stage model, constants default to be calibrated",
    holds_for="kappa 3 to 35, 50 to 70 °C, end pH 2 to 3",
    equation="κ out = 0.8 + (κ − 0.8) exp(−5 a X p/(10 κ))",
    basis="default",
    checks=(
        Check(_D0, "kappa_out", 4.5038, 5e-3),
        Check(_D0, "available", 25.87, 5e-3),
        Check(_D0, "residual", 0.3534, 5e-3),
        *(Check({**_D0, "ph": ph}, "kappa_out", k, 5e-3) for ph, k in ((5, 8.6099), (7, 11.757), (9, 11.76))),
        Check({**_D0, "cod_kg": 12}, "kappa_out", 5.3297, 5e-3),
        Check({**_D0, "cod_kg": 12}, "available", 21.07, 5e-3),
        Check({**_D0, "cod_kg": 12}, "residual", 0.28783, 5e-3),
    ),
)
def dioxide(case: DioxideCase) -> DioxideFound:
    """D0. Raises: ImpossibleInput."""
    cautions = check(case)
    done = run(
        "D0",
        Pulp(kappa=case.kappa, ks=ks_from_kappa(case.kappa), cod=case.cod_kg),
        Setting(charge=case.clo2_kg, minutes=case.minutes, temp_c=case.temp_c, ph=case.ph),
    )
    chlorine = ACTIVE["ClO2"] * case.clo2_kg
    cautions += tuple(Caution("clo2_kg", c) for c in done.cautions)
    cautions += (
        Caution("clo2_kg", "chlorine dioxide: monitors, tower vents on, no rust, oil or rags; yellow-green haze: leave, alarm"),
    )
    return DioxideFound(
        kappa_out=done.pulp.kappa,
        factor=chlorine / 10.0 / case.kappa,
        available=max(0.0, chlorine - COD_CHLORINE * case.cod_kg),
        residual=ACTIVE["ClO2"] * done.residual,
        caustic_kg=0.45 * chlorine + 3.0,
        cautions=cautions,
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class BrightenCase:
    stage: str = choice("Stage", ("D1", "D2", "P", "PO", "Paa"))
    iso_pct: float = quantity("Brightness in", "% ISO", possible=(1, 99), valid=(50, 90), decimals=1)
    charge_kg: float = quantity("Charge, 100 %", "kg/ODt", possible=(0, CEILING["P"]), valid=(0, 30), decimals=1)
    minutes: float = quantity("Time", "min", possible=(0, 1000), valid=(60, 300), decimals=0)
    temp_c: float = quantity("Temperature", "°C", possible=(5, 130), valid=(60, 105), decimals=0)
    ph: float = quantity("pH at its end", "", possible=(0, 14), decimals=1)
    mn_ppm: float = quantity("Manganese", "ppm", possible=(0, 300), valid=(0, 80), decimals=0, default=0.0)
    cod_kg: float = quantity("COD carried in", "kg/ODt", possible=(0, 300), valid=(0, 30), decimals=0, default=0.0)
    kappa: float = quantity(
        "Kappa in", "", possible=(0, 50), valid=(0, 6), decimals=2, default=0.0, help="0: not known, not counted"
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class BrightenFound:
    iso_out: float = figure("Brightness out", "% ISO", decimals=1, equation="100 R of K/S out")
    kappa_out: float = figure(
        "Kappa out",
        "",
        decimals=2,
        equation="D: κ [1 − 0.26 (1 − exp(−u/2))]; P: κ exp(−0.021 a X p)",
    )
    ks: float = figure("K/S out", "", decimals=5, equation="Kf + (K − Kf)/(1 + b m a X p)^1.5")
    residual: float = figure("Left", "kg/ODt", decimals=2, equation="available (1 − X)")
    reacted: float = figure("Reacted", "share", decimals=3, equation="X = 1 − exp(−q √min)")
    a_kg: float = figure("One kg more gives", "points ISO", decimals=2, equation="2 (ISO with ½ kg more − ISO out)")
    decomposed_kg: float = figure("Lost to metals", "kg H₂O₂/ODt", decimals=2, equation="a X p (1 − 0.85 m)")
    viscosity: float = figure("Viscosity by", "mL/g", decimals=0, equation="−5 a kg decomposed")
    cautions: tuple[Caution, ...] = ()


_BD = {"stage": "D1", "iso_pct": 82.0, "charge_kg": 8, "minutes": 150, "temp_c": 75, "ph": 3.8}
_BP = {"stage": "P", "iso_pct": 75.7, "charge_kg": 18, "minutes": 120, "temp_c": 85, "ph": 10.8}
STOP: Final = {"D1": 0.15, "D2": 0.15, "P": 0.10, "PO": 0.10, "Paa": 0.10}  # points a kg: below it, do not chase


@model(
    "bleach.brighten",
    title="A brightening stage",
    source="stage model, constants default to be calibrated",
    holds_for="D1, D2: 70 to 80 °C, pH 3.5 to 4.5; P: 80 to 105 °C, pH 10.3 to 11.2",
    equation="K out = Kf + (K − Kf)/(1 + b m a X p)^1.5",
    basis="default",
    checks=(
        Check(_BD, "ks", 0.0046332, 5e-3),
        Check(_BD, "iso_out", 90.826, 5e-3),
        Check(_BD, "residual", 0.52114, 5e-3),
        Check(_BD, "reacted", 0.93486, 5e-3),
        Check({**_BD, "kappa": 2.4}, "ks", 0.0058434, 5e-3),
        Check({**_BD, "kappa": 2.4}, "iso_out", 89.758, 5e-3),
        Check({**_BD, "kappa": 2.4}, "residual", 0.38043, 5e-3),
        Check({**_BD, "kappa": 2.4}, "kappa_out", 1.7908, 5e-3),
        Check({**_BD, "kappa": 2.4, "charge_kg": 0}, "iso_out", 82.0, 1e-3),
        Check({**_BD, "kappa": 2.4, "charge_kg": 0}, "kappa_out", 2.4, 1e-3),
        *(
            Check({**_BD, "kappa": 2.4, "ph": ph}, "iso_out", iso, 2e-3)
            for ph, iso in ((5, 89.283), (6, 84.489), (7, 82.052), (8, 82.001))
        ),
        Check(_BP, "ks", 0.012527, 5e-3),
        Check(_BP, "iso_out", 85.375, 5e-3),
        Check(_BP, "residual", 6.3232, 5e-3),
        Check(_BP, "reacted", 0.64871, 5e-3),
        Check(_BP, "decomposed_kg", 1.7515, 5e-3),
        Check(_BP, "viscosity", -8.7576, 5e-3),
        Check({**_BP, "mn_ppm": 60}, "iso_out", 81.306, 5e-3),
        Check({**_BP, "mn_ppm": 60}, "decomposed_kg", 8.3684, 5e-3),
        Check({**_BP, "mn_ppm": 60}, "viscosity", -41.842, 5e-3),
    ),
)
def brighten(case: BrightenCase) -> BrightenFound:
    """D1, D2, P, PO or Paa. Raises: ImpossibleInput."""
    cautions = check(case)
    pulp = Pulp(kappa=case.kappa, ks=ks_from_reflectance(case.iso_pct / 100.0), mn=case.mn_ppm, cod=case.cod_kg)

    if over := refuse_charge(case.stage, case.charge_kg, "charge_kg"):
        raise ImpossibleInput(*over)

    def at(charge: float) -> Done:
        return run(case.stage, pulp, Setting(charge=charge, minutes=case.minutes, temp_c=case.temp_c, ph=case.ph))

    done = at(case.charge_kg)
    if case.charge_kg + 0.5 <= CEILING[case.stage]:
        slope = at(case.charge_kg + 0.5).pulp.iso - done.pulp.iso
    else:
        slope = done.pulp.iso - at(case.charge_kg - 0.5).pulp.iso
    cautions += mind_charge(case.stage, case.charge_kg, case.temp_c, "charge_kg")
    cautions += tuple(Caution("charge_kg", c) for c in done.cautions)
    if 2.0 * slope < STOP[case.stage]:
        cautions += (Caution("charge_kg", f"a kg more gives {2 * slope:.2f} points: near the ceiling, do not chase"),)
    return BrightenFound(
        iso_out=done.pulp.iso,
        kappa_out=done.pulp.kappa,
        ks=done.pulp.ks,
        residual=done.residual,
        reacted=done.extent,
        a_kg=2.0 * slope,
        decomposed_kg=done.decomposed,
        viscosity=done.pulp.viscosity,
        cautions=cautions,
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class TargetCase:
    stage: str = choice("Stage", ("D1", "D2", "P", "PO"))
    iso_pct: float = quantity("Brightness in", "% ISO", possible=(1, 99), valid=(50, 90), decimals=1)
    wanted_pct: float = quantity("wanted", "% ISO", possible=(1, 99), valid=(70, 91), decimals=1)
    minutes: float = quantity("Time", "min", possible=(0, 1000), above=True, valid=(60, 300), decimals=0)
    temp_c: float = quantity("Temperature", "°C", possible=(5, 130), valid=(60, 105), decimals=0)
    ph: float = quantity("pH at its end", "", possible=(0, 14), decimals=1)
    mn_ppm: float = quantity("Manganese", "ppm", possible=(0, 300), valid=(0, 80), decimals=0, default=0.0)
    cod_kg: float = quantity("COD carried in", "kg/ODt", possible=(0, 300), valid=(0, 30), decimals=0, default=0.0)
    kappa: float = same(BrightenCase, "kappa", default=0.0)


@dataclass(frozen=True, slots=True, kw_only=True)
class TargetFound:
    charge_kg: float = figure(
        "Charge, 100 %", "kg/ODt", decimals=2, equation="[((K − Kf)/(K out − Kf))^(1/1.5) − 1]/(b m X p) + demand"
    )
    charge_adt: float = figure("a tonne air-dry", "kg/ADt", decimals=2, equation="0.9 of it")
    cautions: tuple[Caution, ...] = ()


_TD = {"stage": "D1", "iso_pct": 74.5, "wanted_pct": 88.5, "kappa": 2.3, "minutes": 150, "temp_c": 75, "ph": 3.8}
_TP = {"stage": "P", "iso_pct": 75, "wanted_pct": 84, "mn_ppm": 3, "minutes": 150, "temp_c": 85, "ph": 10.8}


@model(
    "bleach.charge",
    title="Charge for a brightness",
    source="the stage model turned round",
    holds_for="under the stage's ceiling",
    equation="a = [((K − Kf)/(K out − Kf))^(1/1.5) − 1]/(b m X p) + demand",
    basis="default",
    checks=(
        Check(_TD, "charge_kg", 7.6015, 5e-3),
        Check(_TP, "charge_kg", 13.91, 5e-3),
        Check({**_TD, "iso_pct": 82.0, "kappa": 0, "wanted_pct": 90.826}, "charge_kg", 8.0, 5e-3),
    ),
)
def charge(case: TargetCase) -> TargetFound | Infeasible:
    """Infeasible above the ceiling of the stage. Raises: ImpossibleInput."""
    cautions = check(case)
    pulp = Pulp(kappa=case.kappa, ks=ks_from_reflectance(case.iso_pct / 100.0), mn=case.mn_ppm, cod=case.cod_kg)
    result = charge_for_iso(
        case.stage, pulp, Setting(charge=0.0, minutes=case.minutes, temp_c=case.temp_c, ph=case.ph), case.wanted_pct
    )
    if isinstance(result, Infeasible):
        return Infeasible(field="wanted_pct", reason=result.reason, nearest=result.nearest, unit=result.unit)
    cautions += mind_charge(case.stage, result, case.temp_c, "wanted_pct")
    return TargetFound(charge_kg=result, charge_adt=0.9 * result, cautions=cautions)


@dataclass(frozen=True, slots=True, kw_only=True)
class FactorCase:
    kappa: float = quantity("Kappa", "", possible=(0, 200), above=True, valid=(3, 35), decimals=1)
    factor: float = quantity("Kappa factor", "", possible=(0, FACTOR_MOST), valid=(0.15, 0.28), decimals=3, default=0.22)
    strength_g_l: float = quantity(
        "ClO₂ solution", "g/L", possible=(0, STRENGTH_MOST_G_L), above=True, valid=(6, 10), decimals=1, default=10.0
    )
    adt_d: float = quantity("Pulp", "ADt/d", possible=(0, 10000), above=True, decimals=0, default=160.0)
    cod_kg: float = quantity("COD carried in", "kg/ODt", possible=(0, 300), valid=(0, 30), decimals=0, default=0.0)


@dataclass(frozen=True, slots=True, kw_only=True)
class FactorFound:
    active_kg: float = figure("Active chlorine", "kg/ODt", decimals=1, equation="10 × factor × kappa + 0.4 COD")
    clo2_kg: float = figure("ClO₂", "kg/ODt", decimals=2, equation="active chlorine/2.628")
    clo2_adt: float = figure("ClO₂, air-dry", "kg/ADt", decimals=2, equation="0.9 of it")
    l_min: float = figure("Solution", "L/min", decimals=1, equation="ADt/d × kg/ADt × 1000/(g/L × 1440)")
    caustic_kg: float = figure("NaOH for the next E", "kg/ODt", decimals=1, equation="0.45 active chlorine + 3")
    cautions: tuple[Caution, ...] = ()


@model(
    "bleach.kappa_factor",
    title="Kappa factor to a flow",
    source="stoichiometry; caustic rule default",
    holds_for="factor 0.15 to 0.28, solution 6 to 13 g/L",
    equation="active chlorine = 10 KF κ + 0.4 COD; L/min = ADt/d kg/ADt 1000/(g/L 1440)",
    basis="published",
    checks=(
        Check({"kappa": 12}, "active_kg", 26.4, 2e-3),
        Check({"kappa": 12}, "clo2_kg", 10.046, 2e-3),
        Check({"kappa": 12}, "clo2_adt", 9.041, 2e-3),
        Check({"kappa": 12.6093, "adt_d": 850, "strength_g_l": 10.2}, "l_min", 549.77, 1e-3),
    ),
)
def kappa_factor(case: FactorCase) -> FactorFound:
    """Charge and flow; the carry-over's demand on top. Raises: ImpossibleInput."""
    cautions = check(case)
    active = 10.0 * case.factor * case.kappa + COD_CHLORINE * case.cod_kg
    clo2 = active / ACTIVE["ClO2"]
    if why := too_much("D0", clo2):
        raise ImpossibleInput(Problem("kappa", f"at this factor asks a charge that {why}"))
    cautions += mind_strength(case.strength_g_l, "strength_g_l")
    cautions += (
        (Caution("strength_g_l", "chlorine dioxide: a weak solution thins and cools; retest before a second move"),)
        if case.strength_g_l < 8.0
        else ()
    )
    return FactorFound(
        active_kg=active,
        clo2_kg=clo2,
        clo2_adt=0.9 * clo2,
        l_min=case.adt_d * 0.9 * clo2 * 1000.0 / (case.strength_g_l * 1440.0),
        caustic_kg=0.45 * active + 3.0,
        cautions=cautions,
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class TowerCase:
    volume_m3: float = quantity("Tower, full", "m³", possible=(0, 5000), above=True, decimals=0)
    level_pct: float = quantity("Level", "%", possible=(0, 100), decimals=0, default=100.0)
    cons_pct: float = quantity("Consistency", "%", possible=(0, 60), above=True, valid=(3, 30), decimals=1)
    od_t_h: float = quantity("Pulp", "t/h OD", possible=(0, 300), above=True, decimals=2)
    gas_pct: float = quantity("Gas in it", "%", possible=(0, 50), decimals=0, default=0.0)
    plug: float = quantity("Plug-flow share", "", possible=(0.3, 1), valid=(0.85, 1), decimals=2, default=1.0)


@dataclass(frozen=True, slots=True, kw_only=True)
class TowerFound:
    minutes: float = figure("Time in it", "min", decimals=0, equation="60 × what it holds/(od t/h)")
    holds_t: float = figure("Holds", "t OD", decimals=1, equation="V level (1 − gas) plug ρ C, 1/ρ = C/1.52 + 1 − C")
    cautions: tuple[Caution, ...] = ()


@model(
    "bleach.tower",
    title="Time in a tower",
    source="density of stock by additive volumes",
    holds_for="3 to 30 %",
    equation="min = 60 V (1 − gas) ρ C/100/(od t/h)",
    checks=(Check({"volume_m3": 320, "cons_pct": 11, "od_t_h": 32, "gas_pct": 4}, "minutes", 65.838, 3e-3),),
)
def tower(case: TowerCase) -> TowerFound:
    """Minutes of plug flow. Raises: ImpossibleInput."""
    cautions = check(case)
    c = case.cons_pct / 100.0
    rho = 1.0 / (c / 1.52 + 1.0 - c)
    holds = case.volume_m3 * case.level_pct / 100.0 * (1.0 - case.gas_pct / 100.0) * rho * c * case.plug
    if not case.level_pct:
        cautions += (Caution("level_pct", "0: the pulp does not stay at all"),)
    return TowerFound(minutes=60.0 * holds / case.od_t_h, holds_t=holds, cautions=cautions)


@dataclass(frozen=True, slots=True, kw_only=True)
class StageCase:
    stage: str = choice("Stage", (*EXTRACT, "D0", "D1", "D2", "P", "PO", "Q", "Z", "A", "Paa", "Y"))
    wood: str = choice("Pulp", tuple(WOODS), default="softwood")
    kappa: float = quantity("Kappa in", "", possible=(0, 200), above=True, valid=(1, 35), decimals=2)
    iso_pct: float = quantity("Brightness in", "% ISO", possible=(1, 99), valid=(30, 90), decimals=1)
    charge_kg: float = quantity(
        "Charge, 100 %", "kg/ODt", possible=(0, CEILING["P"]), valid=(0, 30), decimals=1, help="EP, EOP: peroxide; E, EO: NaOH"
    )
    minutes: float = quantity("Time", "min", possible=(0, 1000), valid=(0, 300), decimals=0)
    temp_c: float = quantity("Temperature", "°C", possible=(5, 130), valid=(40, 105), decimals=0)
    ph: float = quantity("pH at its end", "", possible=(0, 14), decimals=1)
    mn_ppm: float = quantity("Manganese", "ppm", possible=(0, 300), valid=(0, 80), decimals=0, default=MN_ALKALINE)
    cod_kg: float = quantity("COD carried in", "kg/ODt", possible=(0, 300), valid=(0, 30), decimals=0, default=0.0)
    d0_gain: float = same(Constants, "d0_gain", default=PUBLISHED.d0_gain)
    extract_factor: float = same(Constants, "extract_factor", default=PUBLISHED.extract_factor)
    brighten_factor: float = same(Constants, "brighten_factor", default=PUBLISHED.brighten_factor)
    floor_more: float = same(Constants, "floor_more", default=PUBLISHED.floor_more)


@dataclass(frozen=True, slots=True, kw_only=True)
class StageFound:
    kappa_out: float = figure("Kappa out", "", decimals=2, equation="the stage's own")
    iso_out: float = figure("Brightness out", "% ISO", decimals=1, equation="100 R of K/S out")
    mn_out: float = figure("Manganese out", "ppm", decimals=1, equation="the stage's own")
    residual: float = figure("Left of the charge", "kg/ODt", decimals=2, equation="the stage's own")
    weight: float = figure("Works at", "share", decimals=3, equation="what pH, and in extraction time and heat, leave of it")
    viscosity: float = figure("Viscosity by", "mL/g", decimals=0, equation="the stage's own")
    cautions: tuple[Caution, ...] = ()


def _e(stage: str, charge: float = 0.0, minutes: float = 60, temp_c: float = 70, ph: float = 10.8) -> dict[str, float | str]:
    run = {"charge_kg": charge, "minutes": minutes, "temp_c": temp_c, "ph": ph}
    return {"stage": stage, "kappa": 4.5, "iso_pct": 67, "mn_ppm": 6, **run}


def _mn(stage: str, charge: float, minutes: float, temp_c: float, ph: float) -> dict[str, float | str]:
    run = {"charge_kg": charge, "minutes": minutes, "temp_c": temp_c, "ph": ph}
    return {"stage": stage, "kappa": 11.76, "iso_pct": 60, "mn_ppm": 60, **run}


def _z(stage: str, charge: float, minutes: float, temp_c: float, ph: float, **more: float | str) -> dict[str, float | str]:
    return {**_mn(stage, charge, minutes, temp_c, ph), "kappa": 10, **more}


_EXTRACTS = (
    (_e("E"), 3.015, 66.222, 1.0),
    (_e("EO"), 2.685, 68.665, 1.0),
    (_e("EP", 3), 2.6817, 72.274, 1.0),
    (_e("EOP", 3), 2.3517, 74.27, 1.0),
    (_e("EOP", 3, 75, 75), 2.2553, 74.431, 1.0449),
    (_e("EOP", 3, ph=10), 3.6925, 70.149, 0.37589),
    (_e("EOP", 3, ph=9), 4.4623, 67.162, 0.017566),
    (_e("EOP", 6), 2.2774, 77.662, 1.0),
    (_e("EOP", 3, 20, 55), 3.2076, 71.773, 0.60158),
)


@model(
    "bleach.stage",
    title="One stage of bleaching",
    source="stage models, constants default to be calibrated",
    holds_for="each stage at its usual time, heat and pH; nothing charged does nothing",
    equation="E: κ out = 1.2 + (κ − 1.2)(1 − F), F = (0.45 + 0.10 o + 0.13 (1 − exp(−c/2))) w",
    basis="default",
    checks=(
        *(
            Check(given, name, wanted, 5e-3)
            for given, *told in _EXTRACTS
            for name, wanted in zip(("kappa_out", "iso_out", "weight"), told, strict=True)
        ),
        *(Check({**_e("EOP", 3), "kappa": k, "iso_pct": 85}, "iso_out", 87.207, 2e-3) for k in (1.19, 1.21)),
        *(
            Check(_mn("D0", kg, minutes, 60, ph), "mn_out", mn, 5e-3)
            for kg, minutes, ph, mn in (
                (9.844, 45, 2.5, 6.0635),
                (0, 45, 2.5, 60),
                (9.844, 0, 2.5, 60),
                (1, 45, 2.5, 25.904),
                (9.844, 45, 4.5, 33.005),
                (9.844, 45, 7, 59.99),
            )
        ),
        *(
            Check(_mn("P", kg, minutes, 85, 10.8), "mn_out", mn, 5e-3)
            for kg, minutes, mn in ((18, 120, 42.002), (0, 120, 60), (2, 120, 48.622), (18, 0, 60))
        ),
        *(
            Check(_mn("Q", 1.5, 45, 65, ph), "mn_out", mn, 5e-3)
            for ph, mn in ((3, 59.114), (4.9, 7.9021), (5, 6.6343), (5.8, 3.9093), (6.5, 7.9021), (8, 56.631))
        ),
        Check(_mn("Q", 0, 45, 65, 5.8), "mn_out", 60, 1e-3),
        *(
            Check(_z("Z", 4, 5, t, ph), "kappa_out", k, 5e-3)
            for t, ph, k in ((45, 2.8, 7.1177), (45, 7, 9.9649), (80, 2.8, 9.5226))
        ),
        *(
            Check(_z("A", 5, 120, 95, ph, wood="hardwood"), "kappa_out", k, 5e-3)
            for ph, k in ((2.5, 7.7577), (3.2, 7.921), (5, 9.8495), (7, 9.9994))
        ),
        *(Check(_z("Paa", kg, 60, 70, 5, iso_pct=75), "iso_out", iso, 5e-3) for kg, iso in ((0, 75), (4, 77.992))),
        Check(_z("Y", 8, 45, 60, 5.8, iso_pct=60), "iso_out", 68.295, 5e-3),
        *(
            Check(_z(stage, kg, minutes, t, ph, iso_pct=iso, kappa=k), "iso_out", wanted, 2e-3)
            for stage, iso, k, kg, minutes, t, ph, wanted in (
                ("D0", 88, 1.5, 3.5 * 1.5 / ACTIVE["ClO2"], 45, 60, 2.5, 89.844),
                ("Z", 85, 5, 8, 5, 45, 2.8, 89.66),
                ("Z", 91, 1.5, 4, 5, 45, 2.8, 91),
            )
        ),
    ),
)
def one_stage(case: StageCase) -> StageFound:
    """Any stage on its own. Raises: ImpossibleInput."""
    cautions = check(case)
    pulp = Pulp(kappa=case.kappa, ks=ks_from_reflectance(case.iso_pct / 100.0), mn=case.mn_ppm, cod=case.cod_kg)
    setting = Setting(charge=case.charge_kg, minutes=case.minutes, temp_c=case.temp_c, ph=case.ph)
    if over := refuse_charge(case.stage, case.charge_kg, "charge_kg"):
        raise ImpossibleInput(*over)
    done = run(case.stage, pulp, setting, wood=case.wood, own=constants_of(case))
    cautions += mind_charge(case.stage, case.charge_kg, case.temp_c, "charge_kg")
    return StageFound(
        kappa_out=done.pulp.kappa,
        iso_out=done.pulp.iso,
        mn_out=done.pulp.mn,
        residual=done.residual,
        weight=done.ph_factor,
        viscosity=done.pulp.viscosity,
        cautions=cautions + tuple(Caution("charge_kg", c) for c in done.cautions),
    )


def stage_case(stage: str, pulp: Pulp, setting: Setting, wood: str, own: Constants = PUBLISHED) -> StageCase | None:
    """A stage of a sequence as a case of its own; None for a stage of another model, or a pulp out of its range."""
    said = quantities(StageCase)
    if stage not in said["stage"].options:
        return None
    case = StageCase(
        stage=stage,
        wood=wood,
        kappa=pulp.kappa,
        iso_pct=pulp.iso,
        charge_kg=setting.charge,
        minutes=setting.minutes,
        temp_c=setting.temp_c,
        ph=setting.ph,
        mn_ppm=pulp.mn,
        cod_kg=pulp.cod,
        **asdict(own),
    )
    return None if any(q.problem(getattr(case, name)) for name, q in said.items()) else case


@dataclass(frozen=True, slots=True, kw_only=True)
class AlkaliPhCase:
    stage: str = choice("Stage", ("E", "P"), help="E: any extraction; P: a peroxide stage")
    naoh_kg: float = quantity("NaOH", "kg/ODt", possible=(0, CEILING["E"]), valid=(5, 30), decimals=1)
    wanted: float = quantity("pH wanted", "", possible=(0, 14), valid=(10, 11.5), decimals=1, default=E_PH)
    active_kg: float = quantity(
        "Active chlorine of the D before it", "kg/ODt", possible=(0, 120), valid=(0, 60), decimals=1, default=0.0
    )
    used_kg: float = quantity("H₂O₂ used", "kg/ODt", possible=(0, 40), decimals=1, default=0.0)
    left_kg: float = quantity("H₂O₂ left", "kg/ODt", possible=(0, 40), decimals=1, default=0.0)
    cod_kg: float = quantity("COD carried in", "kg/ODt", possible=(0, 300), valid=(0, 30), decimals=0, default=0.0)
    cons_pct: float = quantity("Consistency", "%", possible=(1, 40), valid=(8, 15), decimals=1, default=11.0)


@dataclass(frozen=True, slots=True, kw_only=True)
class AlkaliPh:
    ph: float = figure("pH at the end", "", decimals=1, equation="NaOH = strong + weak acids + peroxide + OH − H, mol/L")
    naoh_for: float = figure("NaOH for the pH wanted", "kg/ODt", decimals=1, equation="the same, turned round")
    cautions: tuple[Caution, ...] = ()


_EPH = {"stage": "E", "active_kg": 26.4}


@model(
    "bleach.alkali_ph",
    title="pH at the end of an alkaline stage",
    source="charge balance of the mat liquor; acid groups are defaults to be calibrated",
    holds_for="extraction and peroxide stages; a measured pH replaces it",
    equation="NaOH/(40 L) = S/(1 + 10^(4.5 − pH)) + W/(1 + 10^(9.8 − pH)) + 10^(pH − 14) − 10^−pH",
    basis="default",
    checks=(
        *(
            Check({**_EPH, "naoh_kg": naoh}, "ph", ph, 5e-3)
            for naoh, ph in ((0, 3.0182), (10, 8.5328), (12, 9.6513), (13.9, 10.288), (14.9, 10.811), (18, 11.947))
        ),
        *(Check({**_EPH, "naoh_kg": 10, "wanted": ph}, "naoh_for", naoh, 5e-3) for ph, naoh in ((10.8, 14.884), (10.3, 13.93))),
        *(
            Check({"stage": "P", "naoh_kg": naoh, "used_kg": 11.7, "left_kg": 6.3}, "ph", ph, 5e-3)
            for naoh, ph in ((12.6, 10.932), (6, 4.6784))
        ),
    ),
)
def alkali_ph(case: AlkaliPhCase) -> AlkaliPh:
    """The pH of so much alkali, and the alkali of a pH. Raises: ImpossibleInput."""
    cautions = check(case)
    acids = (
        extraction_acids(active_kg=case.active_kg, cod_kg=case.cod_kg, cons_pct=case.cons_pct)
        if case.stage == "E"
        else peroxide_acids(used_kg=case.used_kg, left_kg=case.left_kg, cod_kg=case.cod_kg, cons_pct=case.cons_pct)
    )
    ph = acids.ph_of(case.naoh_kg)
    if ph < 9.0:
        cautions += (Caution("naoh_kg", f"ends at pH {ph:.1f}: next to nothing is extracted under 9"),)
    return AlkaliPh(ph=ph, naoh_for=max(0.0, acids.naoh_for(case.wanted)), cautions=cautions)


@dataclass(frozen=True, slots=True, kw_only=True)
class PhCase:
    acid: float = quantity("Acid made and added", "mol/L", possible=(0, 2), decimals=4)
    base: float = quantity("Alkali added", "mol/L", possible=(0, 2), decimals=4)
    weak: float = quantity("Weak acids", "mol/L", possible=(0, 0.5), decimals=4, default=0.004)


@dataclass(frozen=True, slots=True, kw_only=True)
class PhFound:
    ph: float = figure("pH at the end", "", decimals=2, equation="charge balance")
    cautions: tuple[Caution, ...] = ()


@model(
    "bleach.end_ph",
    title="pH at the end of a stage",
    source="charge balance; weak acids 4 mmol/L at pKa 4.5, default",
    holds_for="mat liquor",
    equation="10^−pH + base − acid − weak/(1 + 10^(pKa − pH)) − 10^(pH − 14) = 0",
    basis="default",
    checks=(Check({"acid": 0.0132, "base": 0.0120}, "ph", 2.8876, 1e-2),),
)
def end_ph_of(case: PhCase) -> PhFound:
    """Raises: ImpossibleInput."""
    cautions = check(case)
    return PhFound(ph=end_ph(acid_mol_l=case.acid, base_mol_l=case.base, weak_mol_l=case.weak), cautions=cautions)


@dataclass(frozen=True, slots=True, kw_only=True)
class AgedCase:
    iso_pct: float = quantity("Brightness, fresh", "% ISO", possible=(1, 99), decimals=1)
    post_colour: float = quantity("Post-colour number", "", possible=(0, 20), valid=(0.2, 5), decimals=2, default=0.4)
    active_cl_adt: float = quantity("Active chlorine as ClO₂", "kg/ADt", possible=(0, 200), decimals=1, default=40.0)
    cl2_adt: float = quantity("Elemental chlorine", "kg/ADt", possible=(0, 100), decimals=1, default=0.0)


@dataclass(frozen=True, slots=True, kw_only=True)
class AgedFound:
    aged_pct: float = figure("Brightness, aged", "% ISO", decimals=1, equation="from K/S + PC/100")
    aox_adt: float = figure("AOX, untreated", "kg/ADt", decimals=2, equation="0.12 (Cl₂ + D/5)")
    cautions: tuple[Caution, ...] = ()


@model(
    "bleach.reversion",
    title="Brightness reversion and AOX",
    source="Giertz 1945; AOX after Germgaard and Larsson 1983, constant default",
    holds_for="last stage D 0.4, P 0.3, hexenuronic 0.8, mechanical 3 to 5",
    equation="PC = 100 (K/S aged − K/S fresh); AOX = 0.12 (Cl₂ + D/5)",
    basis="default",
    checks=(Check({"iso_pct": 89}, "aged_pct", 86.345, 2e-3), Check({"iso_pct": 89}, "aox_adt", 0.96, 1e-3)),
)
def reversion(case: AgedCase) -> AgedFound:
    """Raises: ImpossibleInput."""
    cautions = check(case)
    aged = brightness_from_ks(ks_from_reflectance(case.iso_pct / 100.0) + case.post_colour / 100.0)
    return AgedFound(aged_pct=aged, aox_adt=0.12 * (case.cl2_adt + case.active_cl_adt / 5.0), cautions=cautions)
