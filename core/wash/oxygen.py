"""Oxygen delignification: kappa and viscosity out, and backwards for alkali or temperature.

Source: form and exponents after Iribarne and Schroeder 1997; rate constants re-based, defaults to be calibrated.
"""

import math
from dataclasses import dataclass
from typing import Final

from core.compiled import compiled
from core.errors import Caution, Infeasible
from core.quantity import check, choice, figure, quantity
from core.register import Check, model
from core.roots import brentq
from core.wash.line import liquor

NAOH_MOST_KG, TEMP_LOW_C, TEMP_MOST_C = 35.0, 80.0, 115.0  # brackets and ceilings of the inverses
WOODS: Final = {
    "softwood": (1.25e-3, 2.0),
    "hardwood": (2.3e-3, 5.0),
    "bagasse": (2.9e-3, 1.0),
}  # k at 100 °C, .075 mol/L, 6 bar; kx
MOST: Final = {"softwood": 50.0, "hardwood": 45.0, "bagasse": 45.0}
E_KJ, OH_REF, P_REF, T_REF_K, EXPONENT = 51.0, 0.075, 6.0, 373.15, 0.7
R_KJ: Final = 8.314e-3
CARRY_ALKALI, FIRST_KG, ALKALI_A_KAPPA = 0.10, 3.0, 1.1  # kg NaOH a kg COD; taken at once, kg/ODt; a kappa removed
NOT_OXIDISED = 0.6  # of the kappa that comes, at most
STEPS = 120
BUFFER_MOL_L, BUFFER_PKA = 0.030, 10.6
PH_STOPPED, PH_LOW, PH_HIGH, PH_WASTE = 10.0, 10.3, 11.2, 11.5


@dataclass(frozen=True, slots=True, kw_only=True)
class Reacted:
    """What leaves a reactor: kappa, alkali left and used, kg/ODt, and the pH at its end, cooled to 25 °C."""

    kappa: float
    left_kg: float
    used_kg: float
    end_ph: float


def ph_of_alkali(mol_l: float) -> float:
    """pH of a liquor with so much alkali left, mol/L, held by its phenols and carbonate."""

    def balance(ph: float) -> float:
        return float(10.0 ** (ph - 14.0) - 10.0**-ph + BUFFER_MOL_L / (1.0 + 10.0 ** (BUFFER_PKA - ph)) - mol_l)

    return brentq(balance, 0.0, 15.0, xtol=1e-9)


@compiled
def _falls(kappa: float, kappa_in: float, rate: float, kx: float, start: float) -> float:
    """Kappa a minute, with the alkali that the lignin taken so far has left."""
    alkali = start - ALKALI_A_KAPPA * (kappa_in - kappa)
    return rate * (kappa - kx) ** 2 * alkali**EXPONENT if alkali > 0.0 else 0.0


@compiled
def _through(kappa_in: float, h: float, rate: float, kx: float, start: float) -> float:
    """Kappa after all steps of h minutes, by classical fourth-order steps."""
    kappa = kappa_in
    for _ in range(STEPS):
        a = _falls(kappa, kappa_in, rate, kx, start)
        b = _falls(kappa - h / 2.0 * a, kappa_in, rate, kx, start)
        c = _falls(kappa - h / 2.0 * b, kappa_in, rate, kx, start)
        d = _falls(kappa - h * c, kappa_in, rate, kx, start)
        kappa -= h / 6.0 * (a + 2.0 * b + 2.0 * c + d)
    return kappa


def react(
    wood: str,
    kappa_in: float,
    *,
    minutes: float,
    temp_c: float,
    naoh_kg: float,
    cons_pct: float = 12.0,
    bar_abs: float = 6.0,
    cod_kg: float = 0.0,
    first_kg: float = FIRST_KG,
    rate_factor: float = 1.0,
    inert_more: float = 0.0,
) -> Reacted:
    """Kappa, alkali and pH through one reactor: alkali is taken at once, by carry-over and by lignin, what is left drives it.

    naoh_kg: charged, kg/ODt; a second reactor takes what the first left, with first_kg 0. rate_factor and inert_more: a mill's
    own, on the rate and on the kappa that oxygen does not remove.
    """
    k, kx = WOODS[wood]
    kx = min(max(0.0, kx + inert_more), NOT_OXIDISED * kappa_in)
    mat = liquor(cons_pct)
    start = max(0.0, naoh_kg - first_kg - CARRY_ALKALI * cod_kg)
    hot = math.exp(-E_KJ / R_KJ * (1.0 / (temp_c + 273.15) - 1.0 / T_REF_K))
    rate = rate_factor * k * (bar_abs / P_REF) ** EXPONENT * hot / (mat * 40.0 * OH_REF) ** EXPONENT

    kappa = _through(kappa_in, minutes / STEPS, rate, kx, start) if start > 0.0 and minutes > 0.0 else kappa_in
    kappa = max(kappa, kappa_in - start / ALKALI_A_KAPPA)  # consumption cannot exceed supply
    left = max(0.0, start - ALKALI_A_KAPPA * (kappa_in - kappa))
    return Reacted(kappa=kappa, left_kg=left, used_kg=naoh_kg - left, end_ph=ph_of_alkali(left / mat / 40.0))


def viscosity_by(kappa_in: float, kappa: float) -> float:
    """What the delignifying costs, mL/g: 13 a kappa up to 45 % of it, then 30."""
    removed, usual = kappa_in - kappa, 0.45 * kappa_in
    return -13.0 * min(removed, usual) - 30.0 * max(0.0, removed - usual)


@dataclass(frozen=True, slots=True, kw_only=True)
class OxygenCase:
    wood: str = choice("Pulp", tuple(WOODS))
    kappa_in: float = quantity("Kappa in", "", possible=(0, 200), above=True, valid=(8, 35), decimals=1)
    minutes: float = quantity("Time", "min", possible=(0, 300), valid=(20, 120), decimals=0)
    temp_c: float = quantity("Temperature", "°C", possible=(40, 130), valid=(85, 110), decimals=0)
    naoh_kg: float = quantity("NaOH", "kg/ODt", possible=(0, NAOH_MOST_KG), valid=(10, 30), decimals=1)
    cons_pct: float = quantity("Consistency", "%", possible=(1, 40), valid=(9, 15), decimals=1, default=12.0)
    bar_abs: float = quantity("Pressure", "bar abs", possible=(1, 15), valid=(3, 10), decimals=1, default=6.0)
    cod_kg: float = quantity("COD carried in", "kg/ODt", possible=(0, 300), valid=(0, 100), decimals=0, default=0.0)
    first_kg: float = quantity(
        "Taken at once", "kg NaOH/ODt", possible=(0, 20), decimals=1, default=FIRST_KG, help="0 in a second reactor"
    )
    rate_factor: float = quantity("Rate, factor", "", possible=(0.05, 20), valid=(0.2, 5), decimals=3, default=1.0)
    inert_more: float = quantity("Kappa not oxidised, more", "", possible=(-5, 20), valid=(-2, 6), decimals=2, default=0.0)


@dataclass(frozen=True, slots=True, kw_only=True)
class Delignified:
    kappa: float = figure(
        "Kappa out",
        "",
        decimals=1,
        equation="dκ/dt = −k (κ − kx)² OH^0.7 p^0.7, OH of the alkali left",
    )
    removed_pct: float = figure("Delignified", "%", decimals=0, equation="100 (1 − out/in)")
    viscosity_change: float = figure("Viscosity by", "mL/g", decimals=0, equation="−13 a kappa up to 45 %, then −30")
    selectivity: float = figure("Viscosity a kappa", "mL/g", decimals=1, equation="change/kappa removed")
    alkali_used_kg: float = figure("Alkali used", "kg/ODt", decimals=1, equation="3 at once + 0.10 COD + 1.1 a kappa")
    alkali_left_kg: float = figure("Alkali left at the end", "kg/ODt", decimals=1, equation="NaOH − used")
    end_ph: float = figure("pH at the end, 25 °C", "", decimals=1, equation="charge balance of the alkali left")
    cautions: tuple[Caution, ...] = ()


def _soft(**more: float) -> dict[str, float | str]:
    return {"wood": "softwood", "kappa_in": 28, "minutes": 60, "temp_c": 98, "naoh_kg": 24, **more}


_HARD: dict[str, float | str] = {"wood": "hardwood", "kappa_in": 18, "minutes": 60, "temp_c": 95, "naoh_kg": 18}
_BAGASSE: dict[str, float | str] = {
    "wood": "bagasse",
    "kappa_in": 14,
    "minutes": 45,
    "temp_c": 95,
    "naoh_kg": 15,
    "cons_pct": 11,
    "bar_abs": 5,
}


def _four(case: dict[str, float | str], kappa: float, left: float, used: float, ph: float) -> tuple[Check, ...]:
    told = (("kappa", kappa), ("alkali_left_kg", left), ("alkali_used_kg", used), ("end_ph", ph))
    return tuple(Check(case, name, wanted, 5e-3) for name, wanted in told)


@model(
    "oxygen.delignify",
    title="Oxygen delignification",
    source="after Iribarne and Schroeder 1997; constants are defaults to be calibrated",
    holds_for="85 to 110 °C, 3 to 10 bar, 10 to 30 kg NaOH/ODt, 9 to 15 %, kappa 8 to 35; end pH 10.3 to 11.2",
    equation="dκ/dt = −k (κ − κx)² OH^0.7 p^0.7, alkali = NaOH − 3 − 0.10 COD − 1.1 (κin − κ)",
    calibrated_by=("rate_factor", "inert_more"),
    basis="default",
    checks=(
        *_four(_soft(), 14.529, 6.1814, 17.819, 10.917),
        *_four(_soft(kappa_in=25, temp_c=100, naoh_kg=22), 13.431, 6.2739, 15.726, 10.936),
        *_four(_HARD, 11.958, 8.3537, 9.6463, 11.405),
        *_four(_BAGASSE, 9.2028, 6.7231, 8.2769, 10.9),
        *_four(_soft(naoh_kg=12), 20.286, 0.51411, 11.486, 9.3863),
        *_four(_soft(cod_kg=80), 17.837, 1.8204, 22.18, 10.007),
        Check(_soft(), "viscosity_change", -13 * 12.6 - 30 * (28 - 14.529 - 12.6), 5e-3),
        Check(_soft(naoh_kg=0), "kappa", 28.0, 1e-9),
        Check(_soft(minutes=0), "kappa", 28.0, 1e-9),
    ),
)
def delignify(case: OxygenCase) -> Delignified:
    """Kappa, alkali and viscosity of one reactor. Raises: ImpossibleInput."""
    cautions = check(case)
    done = react(
        case.wood,
        case.kappa_in,
        minutes=case.minutes,
        temp_c=case.temp_c,
        naoh_kg=case.naoh_kg,
        cons_pct=case.cons_pct,
        bar_abs=case.bar_abs,
        cod_kg=case.cod_kg,
        first_kg=case.first_kg,
        rate_factor=case.rate_factor,
        inert_more=case.inert_more,
    )
    if case.kappa_in <= WOODS[case.wood][1] + case.inert_more:
        cautions += (Caution("kappa_in", "there is little here that oxygen removes"),)
    removed = case.kappa_in - done.kappa
    share = 100.0 * removed / case.kappa_in
    if share > MOST[case.wood]:
        cautions += (
            Caution("naoh_kg", f"{share:.0f} % delignified: over {MOST[case.wood]:.0f} % viscosity falls fast; test it"),
        )
    cautions += _of_ph(done.end_ph)
    if case.cod_kg > 100.0:
        cautions += (Caution("cod_kg", "over 100 kg/ODt carried in: wash first"),)
    drop = viscosity_by(case.kappa_in, done.kappa)
    return Delignified(
        kappa=done.kappa,
        removed_pct=share,
        viscosity_change=drop,
        selectivity=drop / removed if removed > 1e-9 else 0.0,
        alkali_used_kg=done.used_kg,
        alkali_left_kg=done.left_kg,
        end_ph=done.end_ph,
        cautions=cautions,
    )


def _of_ph(end_ph: float) -> tuple[Caution, ...]:
    """What the pH at the end tells of the alkali."""
    if end_ph < PH_STOPPED:
        return (Caution("naoh_kg", f"ends at pH {end_ph:.1f}: the alkali is used up, the stage has stopped"),)
    if end_ph > PH_WASTE:
        return (Caution("naoh_kg", f"ends at pH {end_ph:.1f}: more alkali than it needs"),)
    return ()


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
    """`temp_c` is nan where no temperature does it at that NaOH."""

    naoh_kg: float = figure("NaOH at this temperature", "kg/ODt", decimals=1, equation="the oxygen model, turned round")
    end_ph: float = figure("pH at the end then", "", decimals=1, equation="charge balance of the alkali left")
    temp_c: float = figure("or temperature at that NaOH", "°C", decimals=1, equation="the oxygen model, turned round")
    cautions: tuple[Caution, ...] = ()


_OT = {"wood": "softwood", "kappa_in": 28, "kappa": 15, "minutes": 60, "temp_c": 98, "naoh_kg": 24}


@model(
    "oxygen.alkali",
    title="Alkali or temperature for a kappa",
    source="the oxygen model turned round",
    holds_for="as the oxygen model; NaOH to 35 kg/ODt, 80 to 115 °C",
    equation="κ(NaOH) = κ wanted; κ(T) = κ wanted",
    basis="default",
    checks=(Check(_OT, "naoh_kg", 22.586, 5e-3), Check({**_OT, "kappa": 14.529}, "temp_c", 98.0, 5e-3)),
)
def alkali(case: OxygenTargetCase) -> OxygenTarget | Infeasible:
    """Both levers for a kappa. Infeasible over the ceiling of alkali, with what it reaches, or over what comes in.

    Raises: ImpossibleInput.
    """
    cautions = check(case)

    def at(naoh: float, temp: float) -> Reacted:
        return react(
            case.wood,
            case.kappa_in,
            minutes=case.minutes,
            temp_c=temp,
            naoh_kg=naoh,
            cons_pct=case.cons_pct,
            bar_abs=case.bar_abs,
            cod_kg=case.cod_kg,
        )

    if case.kappa >= case.kappa_in:
        return Infeasible(
            field="kappa", reason=f"{case.kappa:g} needs no oxygen: it comes in at {case.kappa_in:g}", nearest=case.kappa_in
        )
    most = at(NAOH_MOST_KG, case.temp_c)
    if most.kappa > case.kappa:
        return Infeasible(
            field="kappa",
            reason=f"{case.kappa:g} asks more than the {NAOH_MOST_KG:g} kg NaOH/ODt the stage may take; that reaches kappa "
            f"{most.kappa:.1f} at pH {most.end_ph:.1f}",
            nearest=most.kappa,
        )
    naoh = brentq(lambda x: at(x, case.temp_c).kappa - case.kappa, 0.0, NAOH_MOST_KG, xtol=1e-4)
    done = at(naoh, case.temp_c)
    cautions += _of_ph(done.end_ph)
    if 100.0 * (1.0 - case.kappa / case.kappa_in) > MOST[case.wood]:
        cautions += (Caution("kappa", f"over {MOST[case.wood]:.0f} % delignified: viscosity falls fast"),)
    cold, hot = (at(case.naoh_kg, t).kappa - case.kappa for t in (TEMP_LOW_C, TEMP_MOST_C))
    temp = math.nan
    if cold * hot > 0.0:
        way = "more" if hot > 0.0 else "less"
        cautions += (Caution("temp_c", f"no temperature does it with {case.naoh_kg:g} kg NaOH: charge {way}"),)
    else:
        temp = brentq(lambda t: at(case.naoh_kg, t).kappa - case.kappa, TEMP_LOW_C, TEMP_MOST_C, xtol=1e-3)
        if not 85.0 <= temp <= 110.0:
            cautions += (Caution("temp_c", f"{temp:.0f} °C is outside 85 to 110: move the alkali instead"),)
    return OxygenTarget(naoh_kg=naoh, end_ph=done.end_ph, temp_c=temp, cautions=cautions)
