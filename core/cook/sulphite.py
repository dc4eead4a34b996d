"""Acid sulphite and bisulphite: acid by titration, S-factor, kappa and yield. Ea and coefficients are defaults to be
calibrated."""

import math
from dataclasses import dataclass

import numpy as np

from core.cook.profile import Points, read_log
from core.errors import Caution, ImpossibleInput, Infeasible, Problem
from core.heat import ATMOSPHERE_BAR, kelvin, p_saturation
from core.quantity import check, figure, quantity
from core.register import Check, model

SO2_EQ = 32.03
EA_R = 90_000.0 / 8.314
L0, C0, A, C1, C2 = 27.0, 66.0, 0.0085, 0.45, 9.1e-4
L_LEAST, C_LEAST = 0.30, 30.0  # % of wood left however long it cooks; no real pulp is there
K160, C2_BI = 16.5, 5.0e-4
LEAST_YIELD, LEAST_KAPPA, LEAST_ASKED = 42.0, 10.0, 8.0


@dataclass(frozen=True, slots=True, kw_only=True)
class AcidCase:
    v_ml: float = quantity("Acid taken", "mL", possible=(0, 50), above=True, valid=(0.5, 5), decimals=2)
    iodate_ml: float = quantity("Iodate", "mL", possible=(0, 200), above=True, decimals=2)
    iodate_n: float = quantity("Iodate strength", "N", possible=(0, 2), above=True, decimals=3, default=0.1)
    naoh_ml: float = quantity("then NaOH", "mL", possible=(0, 200), decimals=2)
    naoh_n: float = quantity("NaOH strength", "N", possible=(0, 2), above=True, decimals=3, default=0.1)


@dataclass(frozen=True, slots=True, kw_only=True)
class Acid:
    total_pct: float = figure("Total SO₂", "%", decimals=2, equation="V1 N1 32.03/(10 v)")
    free_pct: float = figure("Free SO₂", "%", decimals=2, equation="V2 N2 32.03/(10 v)")
    combined_pct: float = figure("Combined SO₂", "%", decimals=2, equation="total − free")
    true_free_pct: float = figure("True free SO₂", "%", decimals=2, equation="total − 2 combined")
    mgo_pct: float = figure("Base, as MgO", "%", decimals=2, equation="combined × 0.6291")
    cao_pct: float = figure("Base, as CaO", "%", decimals=2, equation="combined × 0.8753")
    na2o_pct: float = figure("Base, as Na₂O", "%", decimals=2, equation="combined × 0.9675")
    cautions: tuple[Caution, ...] = ()


@model(
    "cook.sulphite_acid",
    title="Cooking acid by titration",
    source="Palmrose 1935; TAPPI T 604",
    holds_for="acid 5.5 to 8 % total, 0.9 to 1.4 % combined; bisulphite: combined half of total",
    equation="total = V1 N1 32.03/(10 v); combined = total − free",
    symbols="total=total_pct combined=combined_pct free=free_pct V1=iodate_ml N1=iodate_n v=v_ml",
    basis="published",
    checks=tuple(
        Check({"v_ml": 1, "iodate_ml": 18.9, "naoh_ml": 14.7}, f, w, 2e-3)
        for f, w in (
            ("total_pct", 6.0537),
            ("free_pct", 4.7084),
            ("combined_pct", 1.3453),
            ("true_free_pct", 3.3632),
            ("mgo_pct", 0.84633),
            ("cao_pct", 1.1775),
            ("na2o_pct", 1.3015),
        )
    ),
)
def cooking_acid(case: AcidCase) -> Acid:
    """Total, free and combined SO₂. Raises: ImpossibleInput when free comes out over total."""
    cautions = check(case)
    total = case.iodate_ml * case.iodate_n * SO2_EQ / (10.0 * case.v_ml)
    free = case.naoh_ml * case.naoh_n * SO2_EQ / (10.0 * case.v_ml)
    if free > total:
        raise ImpossibleInput(
            Problem("naoh_ml", f"gives {free:.2f} % free SO₂, more than the total {total:.2f} %: repeat the titration")
        )
    combined = total - free
    if total - 2.0 * combined < 0.0:
        cautions += (Caution("naoh_ml", "true free SO₂ is below 0: the neutral or alkaline sulphite region, not acid"),)
    if combined < 0.6:
        cautions += (Caution("naoh_ml", "combined SO₂ under 0.6 %: base too low, lignin may condense (a burnt cook)"),)
    return Acid(
        total_pct=total,
        free_pct=free,
        combined_pct=combined,
        true_free_pct=total - 2.0 * combined,
        mgo_pct=combined * 0.6291,
        cao_pct=combined * 0.8753,
        na2o_pct=combined * 0.9675,
        cautions=cautions,
    )


def left(cooked_lignin: float, cooked_carbohydrate: float) -> tuple[float, float]:
    """(lignin, carbohydrate) left, % of wood, by how far each has gone: the exponents of their first-order loss, from 0."""
    lignin = L_LEAST + (L0 - L_LEAST) * math.exp(-cooked_lignin)
    carb = C_LEAST + (C0 - C1 * (L0 - lignin) - C_LEAST) * math.exp(-cooked_carbohydrate)
    return lignin, carb


def kappa_of(lignin: float, carb: float) -> float:
    """Kappa of a pulp of so much lignin and carbohydrate, in one measure."""
    return 100.0 * lignin / (lignin + carb) / 0.15


def _overcooked(lignin: float, carb: float, field: str) -> tuple[Caution, ...]:
    if lignin + carb >= LEAST_YIELD and kappa_of(lignin, carb) >= LEAST_KAPPA:
        return ()
    return (Caution(field, "overcooked: under yield 42 % or kappa 10 the model is out of its range"),)


def s_rate(temp_c: float) -> float:
    return math.exp(EA_R * (1.0 / 373.15 - 1.0 / kelvin(temp_c)))


def p_so2(temp_c: float, bar_gauge: float, inert_bar: float = 0.0) -> float:
    """Partial pressure of SO₂, bar, floor 0. 140 °C at 7.0 bar gauge gives 4.42."""
    return max(0.0, bar_gauge + ATMOSPHERE_BAR - p_saturation(temp_c) - inert_bar)


def s_factor(temps: Points, pressures: Points, inert_bar: float = 0.0) -> float:
    """∫ s pSO₂ dt, bar h, over a log of °C and one of bar gauge (both by minute, linear between points)."""
    temps, _ = read_log(temps)
    end = temps[-1][0]
    minutes = np.unique(
        np.concatenate(
            [
                np.linspace(temps[0][0], end, 2 * math.ceil(end - temps[0][0]) + 1),
                [m for m, _ in temps],
                [m for m, _ in pressures if m <= end],
            ]
        )
    )
    t = np.interp(minutes, [m for m, _ in temps], [v for _, v in temps])
    p = np.interp(minutes, [m for m, _ in pressures], [v for _, v in pressures])
    rate = np.array([s_rate(x) * p_so2(x, y, inert_bar) for x, y in zip(t.tolist(), p.tolist(), strict=True)])
    return float(np.trapezoid(rate, minutes)) / 60.0


@dataclass(frozen=True, slots=True, kw_only=True)
class SulphiteCase:
    start_c: float = quantity("Start", "°C", possible=(0, 150), valid=(40, 100), decimals=0, default=70.0)
    rise_min: float = quantity(
        "Rise", "min", possible=(0, 1500), above=True, valid=(60, 400), decimals=0, help="below 115 °C for 2 h at least"
    )
    cook_c: float = quantity("Cooking temperature", "°C", possible=(80, 170), valid=(125, 150), decimals=1)
    hold_min: float = quantity("At temperature", "min", possible=(0, 1500), valid=(60, 600), decimals=0)
    start_bar: float = quantity("Pressure at the start", "bar gauge", possible=(0, 15), valid=(2, 7), decimals=1, default=4.0)
    bar: float = quantity("Pressure in the cook", "bar gauge", possible=(0, 15), valid=(4, 9), decimals=1)
    inert_bar: float = quantity("Inert gas", "bar", possible=(0, 5), decimals=2, default=0.0)


@dataclass(frozen=True, slots=True, kw_only=True)
class SulphiteFound:
    s: float = figure("S-factor", "bar h", decimals=0, equation="∫ exp[(Ea/R)(1/373.15 − 1/T)] pSO₂ dt")
    p_so2: float = figure("SO₂ pressure at temperature", "bar", decimals=2, equation="gauge + 1.013 − saturation − inert")
    kappa: float = figure("Kappa", "", decimals=1, equation="100 L/(L + C)/0.15, L = 0.30 + (L0 − 0.30) exp(−a S)")
    yield_pct: float = figure("Total yield", "%", decimals=1, equation="L + C")
    cautions: tuple[Caution, ...] = ()


_S = {"start_c": 70, "rise_min": 180, "cook_c": 140, "hold_min": 240, "start_bar": 4, "bar": 7}


@model(
    "cook.sulphite",
    title="Acid sulphite cook",
    source="S-factor after Yorston, Hägglund, and Hagberg and Schöön 1973; constants are defaults to be calibrated",
    holds_for="125 to 150 °C, 4 to 9 bar; softwood",
    equation="S = ∫ s pSO2 dt; L = Lres + (L0 − Lres) exp(−a S)",
    symbols="S=s",
    basis="default",
    checks=(
        Check(_S, "p_so2", 4.4236, 1e-2),
        Check(_S, "s", 344.4, 1e-2),
        Check(_S, "kappa", 23.183, 1e-2),
        Check(_S, "yield_pct", 49.731, 1e-2),
    ),
)
def sulphite(case: SulphiteCase) -> SulphiteFound:
    """S-factor, kappa and yield of an acid sulphite cook. Raises: ImpossibleInput."""
    cautions = check(case)
    end = case.rise_min + case.hold_min
    temps: Points = ((0.0, case.start_c), (case.rise_min, case.cook_c))
    if end > case.rise_min:
        temps = (*temps, (end, case.cook_c))
    s = s_factor(
        temps, ((0.0, case.start_bar), (case.rise_min, case.bar), (max(end, case.rise_min + 1e-9), case.bar)), case.inert_bar
    )
    if p_so2(case.cook_c, case.bar, case.inert_bar) <= 0.0:
        cautions += (Caution("bar", "no SO₂ pressure is left at temperature: relief too deep, or the probe is wrong"),)
    below = (
        case.rise_min * (115.0 - case.start_c) / max(1e-9, case.cook_c - case.start_c)
        if case.cook_c > 115.0 > case.start_c
        else 0.0
    )
    if case.cook_c > 115.0 and below < 120.0:
        cautions += (
            Caution("rise_min", f"only {below:.0f} min below 115 °C: hold penetration 2 h at least, or lignin condenses"),
        )
    lignin, carb = left(A * s, C2 * s)
    return SulphiteFound(
        s=s,
        p_so2=p_so2(case.cook_c, case.bar, case.inert_bar),
        kappa=kappa_of(lignin, carb),
        yield_pct=lignin + carb,
        cautions=cautions + _overcooked(lignin, carb, "hold_min"),
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class BisulphiteCase:
    minutes: float = quantity("At temperature", "min", possible=(0, 1500), above=True, valid=(60, 400), decimals=0)
    cook_c: float = quantity("Cooking temperature", "°C", possible=(100, 180), valid=(150, 168), decimals=1)
    hso3_mol_l: float = quantity("Bisulphite", "mol/L", possible=(0, 3), above=True, valid=(0.3, 1.2), decimals=2)
    ph: float = quantity(
        "pH at digester temperature", "", possible=(1, 7), valid=(3, 5), decimals=1, help="about 0.3 over a reading at 25 °C"
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class BisulphiteFound:
    kappa: float = figure("Kappa", "", decimals=1, equation="100 L/(L + C)/0.15, L = 0.30 + (L0 − 0.30) exp(−k m)")
    yield_pct: float = figure("Total yield", "%", decimals=1, equation="L + C")
    rate: float = figure("Rate", "1/min", decimals=5, equation="k160 exp[−(Ea/R)(1/T − 1/433.15)] ([HSO₃][H])^0.75")
    cautions: tuple[Caution, ...] = ()


_BI = {"minutes": 180, "cook_c": 160, "hso3_mol_l": 0.75, "ph": 4.0}


@model(
    "cook.bisulphite",
    title="Bisulphite cook",
    source="first order in lignin, [HSO₃][H] to 0.75; constants are defaults to be calibrated",
    holds_for="150 to 168 °C, pH 3 to 5 at temperature",
    equation="k = k160 exp[−(Ea/R)(1/T − 1/433.15)] ([HSO3][H])^0.75",
    symbols="k=rate HSO3=hso3_mol_l",
    basis="default",
    checks=(Check(_BI, "kappa", 32.79, 1e-2), Check(_BI, "yield_pct", 55.661, 1e-2)),
)
def bisulphite(case: BisulphiteCase) -> BisulphiteFound:
    """Kappa and yield of a bisulphite cook at one temperature. Raises: ImpossibleInput."""
    cautions = check(case)
    k = K160 * math.exp(-EA_R * (1.0 / kelvin(case.cook_c) - 1.0 / 433.15)) * (case.hso3_mol_l * 10.0**-case.ph) ** 0.75
    lignin, carb = left(k * case.minutes, C2_BI * case.minutes * s_rate(case.cook_c) / s_rate(160.0))
    cautions += _overcooked(lignin, carb, "minutes")
    return BisulphiteFound(kappa=kappa_of(lignin, carb), yield_pct=lignin + carb, rate=k, cautions=cautions)


@dataclass(frozen=True, slots=True, kw_only=True)
class SulphiteTimeCase:
    kappa: float = quantity("Kappa wanted", "", possible=(0, 150), above=True, valid=(10, 60), decimals=1)
    s_so_far: float = quantity("S so far", "bar h", possible=(0, 5000), decimals=0)
    cook_c: float = quantity("Cooking temperature", "°C", possible=(80, 170), valid=(125, 150), decimals=1)
    bar: float = quantity("Pressure", "bar gauge", possible=(0, 15), valid=(4, 9), decimals=1)


@dataclass(frozen=True, slots=True, kw_only=True)
class SulphiteTime:
    hours: float = figure("Hours left", "h", decimals=2, equation="(S wanted − S so far)/(s pSO₂)")
    s_wanted: float = figure("S wanted", "bar h", decimals=0, equation="where L and C give the kappa")
    cautions: tuple[Caution, ...] = ()


@model(
    "cook.sulphite_time",
    title="Hours left of an acid sulphite cook",
    source="S-factor as for the cook; constants are defaults to be calibrated",
    holds_for="125 to 150 °C, kappa 10 to 60",
    equation="h = (S* − S)/(s pSO2)",
    symbols="h=hours S*=s_wanted S=s_so_far",
    basis="default",
    checks=(Check({"kappa": 23.183, "s_so_far": 100, "cook_c": 140, "bar": 7}, "s_wanted", 344.4, 1e-2),),
)
def sulphite_time(case: SulphiteTimeCase) -> SulphiteTime | Infeasible:
    """Hours at this temperature and pressure until the kappa. Raises: ImpossibleInput."""
    cautions = check(case)

    def at(s: float) -> float:
        return kappa_of(*left(A * s, C2 * s))

    low, high = 0.0, 900.0
    if case.kappa < LEAST_ASKED:
        return Infeasible(
            field="kappa", reason=f"{case.kappa:g} is under what acid sulphite reaches, {LEAST_ASKED:g}", nearest=8.0
        )
    if not at(high) < case.kappa < at(low):
        return Infeasible(
            field="kappa",
            reason=f"{case.kappa:g} is outside what this cook gives, {at(high):.1f} to {at(low):.1f}",
            nearest=at(high) if case.kappa < at(high) else at(low),
        )
    for _ in range(60):
        mid = (low + high) / 2.0
        low, high = (mid, high) if at(mid) > case.kappa else (low, mid)
    pressure = p_so2(case.cook_c, case.bar)
    if pressure <= 0.0:
        return Infeasible(
            field="bar",
            reason="leaves no SO₂ pressure at this temperature: it would take for ever",
            nearest=p_saturation(case.cook_c) - ATMOSPHERE_BAR,
            unit="bar gauge",
        )
    hours = (high - case.s_so_far) / (s_rate(case.cook_c) * pressure)
    if hours < 0.0:
        cautions += (Caution("s_so_far", "is past the target already"),)
    return SulphiteTime(hours=hours, s_wanted=high, cautions=cautions)
