"""Oxygen delignification: kappa and viscosity out, and backwards for alkali or temperature.

Source: form and exponents after Iribarne and Schroeder 1997; rate constants re-based, defaults to be calibrated.
"""

import math
from dataclasses import dataclass
from typing import Final

from core.errors import Caution, Infeasible
from core.quantity import check, choice, figure, quantity
from core.register import Check, model
from core.wash.line import liquor

NAOH_MOST_KG, TEMP_MOST_C = 35.0, 115.0  # ceilings of the inverse
WOODS: Final = {
    "softwood": (7.9e-4, 2.0),
    "hardwood": (1.7e-3, 5.0),
    "bagasse": (2.0e-3, 1.0),
}  # k at 100 °C, .075 mol/L, 6 bar; kx
MOST: Final = {"softwood": 50.0, "hardwood": 45.0, "bagasse": 45.0}
E_KJ, OH_REF, P_REF, T_REF_K, EXPONENT = 51.0, 0.075, 6.0, 373.15, 0.7
R_KJ: Final = 8.314e-3
CARRY_ALKALI = 0.10  # kg NaOH a kg COD


@dataclass(frozen=True, slots=True, kw_only=True)
class OxygenCase:
    wood: str = choice("Pulp", tuple(WOODS))
    kappa_in: float = quantity("Kappa in", "", possible=(0, 200), above=True, valid=(8, 35), decimals=1)
    minutes: float = quantity("Time", "min", possible=(0, 300), above=True, valid=(20, 120), decimals=0)
    temp_c: float = quantity("Temperature", "°C", possible=(40, 130), valid=(85, 110), decimals=0)
    naoh_kg: float = quantity("NaOH", "kg/ODt", possible=(0, NAOH_MOST_KG), valid=(10, 30), decimals=1)
    cons_pct: float = quantity("Consistency", "%", possible=(1, 40), valid=(9, 15), decimals=1, default=12.0)
    bar_abs: float = quantity("Pressure", "bar abs", possible=(1, 15), valid=(3, 10), decimals=1, default=6.0)
    cod_kg: float = quantity("COD carried in", "kg/ODt", possible=(0, 300), valid=(0, 100), decimals=0, default=0.0)


@dataclass(frozen=True, slots=True, kw_only=True)
class Delignified:
    kappa: float = figure("Kappa out", "", decimals=1, equation="kx + 1/(1/(kappa in − kx) + K t)")
    removed_pct: float = figure("Delignified", "%", decimals=0, equation="100 (1 − out/in)")
    viscosity_change: float = figure("Viscosity by", "mL/g", decimals=0, equation="−13 a kappa up to 45 %, then −30")
    selectivity: float = figure("Viscosity a kappa", "mL/g", decimals=1, equation="change/kappa removed")
    alkali_left_kg: float = figure("Alkali after the carry-over", "kg/ODt", decimals=1, equation="NaOH − 0.10 COD")
    cautions: tuple[Caution, ...] = ()


def kappa_out(
    wood: str, kappa_in: float, minutes: float, temp_c: float, naoh_kg: float, cons_pct: float, bar_abs: float
) -> float:
    """Kappa after the reactor; as it came when there is nothing to remove."""
    k, kx = WOODS[wood]
    kx = min(kx, 0.6 * kappa_in)
    if kappa_in <= kx or naoh_kg <= 0.0:
        return kappa_in
    oh = naoh_kg / liquor(cons_pct) / 40.0
    rate = (
        k
        * (oh / OH_REF) ** EXPONENT
        * (bar_abs / P_REF) ** EXPONENT
        * math.exp(-E_KJ / R_KJ * (1.0 / (temp_c + 273.15) - 1.0 / T_REF_K))
    )
    return float(kx + 1.0 / (1.0 / (kappa_in - kx) + rate * minutes))


@model(
    "oxygen.delignify",
    title="Oxygen delignification",
    source="after Iribarne and Schroeder 1997; constants are defaults to be calibrated",
    holds_for="85 to 110 °C, 3 to 10 bar, 10 to 30 kg NaOH/ODt, 9 to 15 %, kappa 8 to 35",
    equation="dκ/dt = −k (κ − κx)² OH^0.7 p^0.7",
    basis="default",
    checks=(
        Check({"wood": "softwood", "kappa_in": 28, "minutes": 60, "temp_c": 98, "naoh_kg": 24}, "kappa", 13.825, 5e-3),
        Check({"wood": "softwood", "kappa_in": 25, "minutes": 60, "temp_c": 100, "naoh_kg": 22}, "kappa", 13.004, 5e-3),
        Check({"wood": "hardwood", "kappa_in": 18, "minutes": 60, "temp_c": 95, "naoh_kg": 18}, "kappa", 11.765, 5e-3),
        Check(
            {"wood": "bagasse", "kappa_in": 14, "minutes": 45, "temp_c": 95, "naoh_kg": 15, "cons_pct": 11, "bar_abs": 5},
            "kappa",
            9.1857,
            5e-3,
        ),
        Check(
            {"wood": "softwood", "kappa_in": 28, "minutes": 60, "temp_c": 98, "naoh_kg": 24}, "viscosity_change", -211.05, 1e-3
        ),
    ),
)
def delignify(case: OxygenCase) -> Delignified:
    """Kappa and viscosity of one reactor. Raises: ImpossibleInput."""
    cautions = check(case)
    left = max(0.0, case.naoh_kg - CARRY_ALKALI * case.cod_kg)
    out = kappa_out(case.wood, case.kappa_in, case.minutes, case.temp_c, left, case.cons_pct, case.bar_abs)
    if case.kappa_in <= WOODS[case.wood][1]:
        cautions += (Caution("kappa_in", "there is nothing here that oxygen removes"),)
    removed = case.kappa_in - out
    share = 100.0 * removed / case.kappa_in
    usual = 0.45 * case.kappa_in
    drop = -13.0 * min(removed, usual) - 30.0 * max(0.0, removed - usual)
    if share > MOST[case.wood]:
        cautions += (
            Caution("naoh_kg", f"{share:.0f} % delignified: over {MOST[case.wood]:.0f} % viscosity falls fast; test it"),
        )
    if case.cod_kg > 100.0:
        cautions += (Caution("cod_kg", "over 100 kg/ODt carried in: wash first"),)
    return Delignified(
        kappa=out,
        removed_pct=share,
        viscosity_change=drop,
        selectivity=drop / removed if removed > 1e-9 else 0.0,
        alkali_left_kg=left,
        cautions=cautions,
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class OxygenTargetCase:
    wood: str = choice("Pulp", tuple(WOODS))
    kappa_in: float = quantity("Kappa in", "", possible=(0, 200), above=True, valid=(8, 35), decimals=1)
    kappa: float = quantity("Kappa wanted", "", possible=(0, 200), above=True, valid=(4, 25), decimals=1)
    minutes: float = quantity("Time", "min", possible=(0, 300), above=True, valid=(20, 120), decimals=0)
    temp_c: float = quantity("Temperature", "°C", possible=(40, 130), valid=(85, 110), decimals=0)
    naoh_kg: float = quantity(
        "NaOH, for the temperature", "kg/ODt", possible=(0, NAOH_MOST_KG), above=True, valid=(10, 30), decimals=1
    )
    cons_pct: float = quantity("Consistency", "%", possible=(1, 40), valid=(9, 15), decimals=1, default=12.0)
    bar_abs: float = quantity("Pressure", "bar abs", possible=(1, 15), valid=(3, 10), decimals=1, default=6.0)
    cod_kg: float = quantity("COD carried in", "kg/ODt", possible=(0, 300), valid=(0, 100), decimals=0, default=0.0)


@dataclass(frozen=True, slots=True, kw_only=True)
class OxygenTarget:
    naoh_kg: float = figure(
        "NaOH at this temperature", "kg/ODt", decimals=1, equation="40 L OH, OH = 0.075 [K needed/k…]^(1/0.7), + 0.10 COD"
    )
    temp_c: float = figure("or temperature at that NaOH", "°C", decimals=1, equation="1/(1/373.15 − R ln(K needed/K ref)/E)")
    cautions: tuple[Caution, ...] = ()


_OT = {"wood": "softwood", "kappa_in": 28, "kappa": 13.825, "minutes": 60, "temp_c": 98, "naoh_kg": 24}


@model(
    "oxygen.alkali",
    title="Alkali or temperature for a kappa",
    source="the oxygen model turned round",
    holds_for="as the oxygen model",
    equation="K needed = [1/(κ − κx) − 1/(κin − κx)]/t",
    basis="default",
    checks=(Check(_OT, "naoh_kg", 24.0, 5e-3), Check(_OT, "temp_c", 98.0, 5e-3)),
)
def alkali(case: OxygenTargetCase) -> OxygenTarget | Infeasible:
    """Both levers for a kappa. Infeasible under what oxygen cannot remove or over what comes in. Raises: ImpossibleInput."""
    cautions = check(case)
    k, kx = WOODS[case.wood]
    kx = min(kx, 0.6 * case.kappa_in)
    if case.kappa >= case.kappa_in:
        return Infeasible(
            field="kappa", reason=f"{case.kappa:g} needs no oxygen: it comes in at {case.kappa_in:g}", nearest=case.kappa_in
        )
    if case.kappa <= kx:
        return Infeasible(field="kappa", reason=f"{case.kappa:g} is under what oxygen cannot remove, {kx:g}", nearest=kx)
    need = (1.0 / (case.kappa - kx) - 1.0 / (case.kappa_in - kx)) / case.minutes
    hot = math.exp(-E_KJ / R_KJ * (1.0 / (case.temp_c + 273.15) - 1.0 / T_REF_K))
    pressed = (case.bar_abs / P_REF) ** EXPONENT
    oh = OH_REF * (need / (k * pressed * hot)) ** (1.0 / EXPONENT)
    naoh = 40.0 * liquor(case.cons_pct) * oh + CARRY_ALKALI * case.cod_kg
    if naoh > NAOH_MOST_KG:
        most = max(0.0, NAOH_MOST_KG - CARRY_ALKALI * case.cod_kg)
        reached = kappa_out(case.wood, case.kappa_in, case.minutes, case.temp_c, most, case.cons_pct, case.bar_abs)
        asked = f"{naoh:.0f}" if naoh < 1000.0 else "over 1000"
        return Infeasible(
            field="kappa",
            reason=f"{case.kappa:g} asks {asked} kg NaOH/ODt, over the {NAOH_MOST_KG:g} the stage may take; that "
            f"reaches kappa {reached:.1f}",
            nearest=reached,
        )
    left = max(1e-6, case.naoh_kg - CARRY_ALKALI * case.cod_kg)
    at_ref = k * pressed * (left / liquor(case.cons_pct) / 40.0 / OH_REF) ** EXPONENT
    temp = 1.0 / (1.0 / T_REF_K - R_KJ / E_KJ * math.log(need / at_ref)) - 273.15
    if 100.0 * (1.0 - case.kappa / case.kappa_in) > MOST[case.wood]:
        cautions += (Caution("kappa", f"over {MOST[case.wood]:.0f} % delignified: viscosity falls fast"),)
    if not 80.0 <= temp <= TEMP_MOST_C:
        cautions += (Caution("temp_c", f"{temp:.0f} °C cannot be run: this lever alone does not do it"),)
    elif not 85.0 <= temp <= 110.0:
        cautions += (Caution("temp_c", f"{temp:.0f} °C is outside 85 to 110: move the alkali instead"),)
    return OxygenTarget(naoh_kg=naoh, temp_c=temp, cautions=cautions)
