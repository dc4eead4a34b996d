"""Presteaming, penetration, and the cook of an uneven chip: every thickness class cooks by itself in one liquor.

Source: air by the ideal gas, void by Boyle, penetration after Washburn 1921, diffusion after Gustafson et al. 1983; lags,
limits and d_ref are defaults to be calibrated. Range: thickness 1 to 12 mm, penetration 0.6 to 1, and the kinetic cook's own.
"""

import math
from dataclasses import dataclass

from core.chips.wood import WALL, full_pct
from core.cook.kinetic import STEP_MIN, Charge, charge_cautions, kappa_of
from core.cook.models import rejects_pct
from core.cook.profile import Points, h_factor, read_log
from core.cook.species import A_LIGNIN, DEFAULT, SPECIES, Fitted, fitted
from core.errors import Caution, ImpossibleInput, Problem
from core.heat import kelvin, p_saturation
from core.quantity import check, figure, quantity
from core.register import Check, model
from core.roots import brentq

Ks = tuple[tuple[float, ...], tuple[float, ...], tuple[float, ...]]
D_REF_MM = 4.0
IN_CHIP_L_KG = 1.5
ALPHA = 1.4e-7
TAU0_MIN = 4.0
T0_C = 20.0
P_ATM = 1.01325


def air_fraction(rho_b: float, u_pct: float) -> tuple[float, float, float]:
    """(porosity, saturation, air share of the chip's volume)."""
    eps = 1.0 - rho_b / WALL
    s = u_pct / full_pct(rho_b)
    return eps, s, max(0.0, eps * (1.0 - s))


@dataclass(frozen=True, slots=True, kw_only=True)
class PresteamCase:
    minutes: float = quantity("Presteaming", "min", possible=(0, 60), valid=(0, 40), decimals=0)
    steam_c: float = quantity("Steam at", "°C", possible=(80, 140), valid=(90, 130), decimals=0, default=100.0)
    steam_bar_abs: float = quantity("under", "bar abs", possible=(0.5, 4), valid=(1.0, 3), decimals=2, default=1.013)
    thickness_mm: float = quantity("Chip thickness", "mm", possible=(0, 30), above=True, valid=(1, 15), decimals=1, default=4.0)
    length_mm: float = quantity("Chip length", "mm", possible=(1, 80), valid=(10, 40), decimals=0, default=25.0)
    rho_b: float = quantity("Basic density", "kg/m³", possible=(200, 900), valid=(350, 600), decimals=0, default=420.0)
    u_pct: float = quantity("Moisture, dry basis", "%", possible=(0, 250), valid=(30, 200), decimals=0, default=92.308)
    liquor_bar_abs: float = quantity(
        "Liquor pressed in at", "bar abs", possible=(0.5, 20), valid=(1, 12), decimals=1, default=6.0
    )
    liquor_c: float = quantity("Liquor at", "°C", possible=(20, 180), valid=(60, 120), decimals=0, default=90.0)


@dataclass(frozen=True, slots=True, kw_only=True)
class Presteamed:
    air_left: float = figure("Air left", "of what was", decimals=3, equation="x_eq + (1 − x_eq) exp(−(t − lag)/tau)")
    lag_min: float = figure("Warm in the middle after", "min", decimals=2, equation="2 d²/(π² α)")
    void_filled: float = figure("Void filled", "of the void", decimals=3, equation="1 − (1 − s) x [p0/(p − p_sat)] T/T0")
    saturation: float = figure("Saturation", "of a full chip", decimals=3, equation="u/u of a full chip")
    cautions: tuple[Caution, ...] = ()


@model(
    "cook.presteam",
    title="Presteaming and penetration",
    source="ideal gas, Boyle; lag by conduction; tau and limits are defaults to be calibrated",
    holds_for="thickness 1 to 15 mm, length 10 to 40 mm; want air under 0.10, act over 0.25; void over 0.95",
    equation="x = xeq + (1 − xeq) exp(−(t − lag)/τ); P = 1 − (1 − s) x p0/(p − psat) T/T0",
    symbols="x=air_left lag=lag_min P=void_filled s=saturation",
    basis="default",
    checks=(
        Check({"minutes": 10}, "lag_min", 0.38599, 5e-3),
        Check({"minutes": 10}, "air_left", 0.090401, 5e-3),
        Check({"minutes": 3}, "air_left", 0.52022, 5e-3),
        Check({"minutes": 10, "thickness_mm": 12}, "air_left", 0.19563, 5e-3),
        Check({"minutes": 10}, "saturation", 0.53439, 2e-3),
        Check({"minutes": 10}, "void_filled", 0.99028, 2e-3),
        Check({"minutes": 0}, "void_filled", 0.89226, 2e-3),
    ),
)
def presteam(case: PresteamCase) -> Presteamed:
    """Air left by steam and the void that liquor then fills. Raises: ImpossibleInput when the liquor boils, or steam is too
    hot for its pressure."""
    cautions = check(case)
    bad = []
    if p_saturation(case.steam_c) > case.steam_bar_abs * 1.02:
        bad.append(Problem("steam_c", f"is {case.steam_c:g} °C, hotter than saturated steam of {case.steam_bar_abs:g} bar"))
    if case.liquor_bar_abs <= p_saturation(case.liquor_c):
        bad.append(
            Problem(
                "liquor_bar_abs",
                f"is {case.liquor_bar_abs:g} bar; at {case.liquor_c:g} °C the liquor boils under "
                f"{p_saturation(case.liquor_c):.2f} bar",
            )
        )
    if bad:
        raise ImpossibleInput(*bad)
    _, s, _ = air_fraction(case.rho_b, case.u_pct)
    if s > 1.0:
        cautions += (Caution("u_pct", "is over a full chip: surface water, or another density"),)
        s = 1.0
    lag = 2.0 * (case.thickness_mm / 1000.0) ** 2 / (math.pi**2 * ALPHA) / 60.0
    tau = TAU0_MIN * (case.length_mm / 25.0) ** 2
    pa0 = P_ATM - p_saturation(T0_C)
    xeq = (case.steam_bar_abs - p_saturation(case.steam_c)) / pa0 * kelvin(T0_C) / kelvin(case.steam_c)
    xeq = 0.0 if xeq < 0.002 else min(1.0, xeq)
    x = 1.0 if case.minutes <= lag else xeq + (1.0 - xeq) * math.exp(-(case.minutes - lag) / tau)
    if xeq > 0.1:
        cautions += (
            Caution("steam_bar_abs", "an air cushion over the steam: pressure is not presteaming; vent at saturation"),
        )
    if x > 0.25:
        cautions += (Caution("minutes", f"{100 * x:.0f} % of the air is left, over 25 %: steam longer"),)
    elif x > 0.10:
        cautions += (Caution("minutes", f"{100 * x:.0f} % of the air is left; under 10 % is wanted"),)
    filled = max(
        0.0,
        1.0 - (1.0 - s) * x * pa0 / (case.liquor_bar_abs - p_saturation(case.liquor_c)) * kelvin(case.liquor_c) / kelvin(T0_C),
    )
    if filled < 0.90:
        cautions += (
            Caution("liquor_bar_abs", f"{100 * filled:.0f} % of the void is filled; under 90 % chips float and knots follow"),
        )
    return Presteamed(air_left=x, lag_min=lag, void_filled=filled, saturation=s, cautions=cautions)


def diffusion(temp_c: float, lignin: float, oh: float) -> float:
    """cm²/min: 5.7e-2 √T exp(−2452.4/T) max(0.05, −0.02 L + 0.13 OH^0.55 + 0.58)."""
    t = kelvin(temp_c)
    return float(5.7e-2 * math.sqrt(t) * math.exp(-2452.4 / t) * max(0.05, -0.02 * lignin + 0.13 * oh**0.55 + 0.58))


def effectiveness(phi: float) -> float:
    """tanh(phi)/phi, 1 for a thin chip."""
    return math.tanh(phi) / phi if phi > 1e-6 else 1.0


@dataclass(frozen=True, slots=True, kw_only=True)
class ChipClass:
    """A thickness class: its middle, mm, its share of the oven-dry wood (any scale), and how far liquor fills it."""

    mm: float
    share: float
    penetration: float = 1.0


@dataclass(frozen=True, slots=True, kw_only=True)
class ClassCooked:
    mm: float
    share: float
    kappa: float
    yield_pct: float
    rejects: float


@dataclass(frozen=True, slots=True, kw_only=True)
class Uneven:
    """The mix of all classes: kappa by pulp mass and its spread, yield, rejects (thickness explicit), residual alkali."""

    classes: tuple[ClassCooked, ...]
    kappa: float
    kappa_sd: float
    yield_pct: float
    rejects: float
    screened_pct: float
    residual_g_l: float
    h: float
    worst: float  # mm of the class that makes most of the rejects
    cautions: tuple[Caution, ...] = ()


def cook_classes(
    species: str, charge: Charge, points: Points, classes: tuple[ChipClass, ...], *, coefficients: Fitted = DEFAULT
) -> Uneven:
    """Cook every class in one liquor. Four millimetres, fully penetrated, give the kinetic cook exactly.

    Raises: ImpossibleInput for shares that are all 0, a thickness not over 0, a penetration outside 0.3 to 1.
    Worked: softwood 0/90/180 = 80/170/170, EA 18.5, S 30, L/W 4, .10/.35/.35/.14/.06 of 2/3/5/7/9 mm: kappa 28.901, sd 7.196.
    """
    bad = [Problem("mm", f"is {c.mm:g} mm; it must be above 0 and at most 30") for c in classes if not 0.0 < c.mm <= 30.0]
    bad += [
        Problem("penetration", f"of {c.mm:g} mm is {c.penetration:g}; it must be 0.3 to 1")
        for c in classes
        if not 0.3 <= c.penetration <= 1.0
    ]
    whole = sum(c.share for c in classes)
    if not whole > 0.0 or any(c.share < 0.0 for c in classes):
        bad.append(Problem("share", "must be at least 0 each and not all 0"))
    if bad:
        raise ImpossibleInput(*bad)
    s = fitted(SPECIES[species], coefficients)
    cautions = charge_cautions(charge, s)
    points, more = read_log(points)
    used = tuple(c for c in classes if c.share > 0.0)
    w = [c.share / whole for c in used]
    m, lw = len(used), charge.lw_m3_t
    limits = (s.bulk_from, s.residual_from, -1.0)
    aa = charge.ea_pct_naoh / (1.0 - charge.sulphidity_pct / 200.0)
    hs = (aa * charge.sulphidity_pct / 100.0 * 10.0 / 80.0 / lw) ** 0.4
    aq = 1.0 + 3.0 * math.sqrt(charge.aq_pct)
    halves = [c.mm / 20.0 for c in used]  # cm
    pen2 = [c.penetration**2 for c in used]
    ref_half = D_REF_MM / 20.0

    def constants(temp_c: float) -> tuple[float, float, float, float, float]:
        t = temp_c + 273.15
        return (
            s.mi * 36.2 * math.sqrt(t) * math.exp(-4807.69 / t),
            aq * s.mb * math.exp(35.19 - 17200.0 / t),
            aq * s.mb * math.exp(29.23 - 14400.0 / t) * hs,
            s.mr * math.exp(19.64 - 10804.0 / t),
            5.7e-2 * math.sqrt(t) * math.exp(-2452.4 / t),
        )

    def own(k: tuple[float, ...], lignin: float, oh: float, phase: int) -> tuple[float, float]:
        if phase == 0:
            return k[0] * (oh / 0.5) ** s.pi * lignin, s.ci * oh**0.11
        if phase == 1:
            return (k[1] * oh + k[2] * math.sqrt(oh)) * lignin, s.cb
        return k[3] * oh**0.7 * lignin, s.cr

    def rates(k: tuple[float, ...], y: list[float], phases: list[int]) -> list[float]:
        oh = y[2 * m] / lw
        if oh <= 0.0:
            return [0.0] * (2 * m + 1)
        out, dn, power = [0.0] * (2 * m + 1), 0.0, 0.13 * oh**0.55
        for j in range(m):
            lignin = y[j]
            r, c = own(k, lignin, oh, phases[j])
            eaten = 10.0 * r * (A_LIGNIN + s.alkali_carb * c) / (oh * IN_CHIP_L_KG)
            d = k[4] * max(0.05, -0.02 * lignin + power + 0.58)
            root = math.sqrt(eaten / d) if eaten > 0.0 else 0.0
            here = oh * effectiveness(halves[j] * root / math.sqrt(pen2[j])) / effectiveness(ref_half * root)
            r, c = own(k, lignin, here, phases[j])
            out[j], out[m + j] = -r, -c * r
            dn -= w[j] * 10.0 * (A_LIGNIN + s.alkali_carb * c) * r
        out[2 * m] = dn
        return out

    def advance(
        k0: tuple[float, ...], k1: tuple[float, ...], k2: tuple[float, ...], y: list[float], h: float, phases: list[int]
    ) -> list[float]:
        a = rates(k0, y, phases)
        b = rates(k1, [v + h / 2 * d for v, d in zip(y, a, strict=True)], phases)
        c = rates(k1, [v + h / 2 * d for v, d in zip(y, b, strict=True)], phases)
        e = rates(k2, [v + h * d for v, d in zip(y, c, strict=True)], phases)
        return [v + h / 6.0 * (p + 2 * q + 2 * r + t) for v, p, q, r, t in zip(y, a, b, c, e, strict=True)]

    y = [s.lignin] * m + [s.carbohydrate] * m + [charge.ea_pct_naoh * 10.0 / 40.0]
    first = next(p for p in range(3) if s.lignin > limits[p])
    phases = [first] * m
    for (m0, t0), (m1, t1) in zip(points, points[1:], strict=False):
        n = max(1, math.ceil((m1 - m0) / STEP_MIN - 1e-9))
        h0, slope = (m1 - m0) / n, (t1 - t0) / (m1 - m0)
        for i in range(n):
            begin, left = m0 + h0 * i, h0
            k0, k1, k2 = (constants(t0 + slope * (begin - m0 + x)) for x in (0.0, h0 / 2, h0))
            for _ in range(2 * m + 1):
                new = advance(k0, k1, k2, y, left, phases)
                crossing = [j for j in range(m) if phases[j] < 2 and new[j] <= limits[phases[j]]]
                if not crossing:
                    y = new
                    break

                def over(x: float, y: list[float] = y, crossing: list[int] = crossing, k: Ks = (k0, k1, k2)) -> float:
                    """How far the first of those that cross is over its limit after so long."""
                    part = advance(*k, y, x, phases)
                    return min(part[j] - limits[phases[j]] for j in crossing)

                high = brentq(over, 0.0, left, xtol=1e-11, rtol=1e-12)
                part = advance(k0, k1, k2, y, high, phases)
                for j in crossing:
                    if part[j] <= limits[phases[j]] + 1e-9:
                        phases[j] += 1
                y, left = part, left - high
                if left <= 1e-9:
                    break
    done = []
    for j, c in enumerate(used):
        kappa, total = kappa_of(y[j], y[m + j], s.hexa), y[j] + y[m + j]
        done.append(
            ClassCooked(
                mm=c.mm, share=w[j], kappa=kappa, yield_pct=total, rejects=w[j] * min(total, rejects_pct(s.kind, kappa))
            )
        )
    pulp = [x.share * x.yield_pct for x in done]
    total = sum(pulp)
    mean = sum(p * x.kappa for p, x in zip(pulp, done, strict=True)) / total
    sd = math.sqrt(sum(p * (x.kappa - mean) ** 2 for p, x in zip(pulp, done, strict=True)) / total)
    knots = sum(x.rejects for x in done)
    residual = 40.0 * max(0.0, y[2 * m]) / lw
    if mean > 0 and sd / mean > 0.30:
        cautions += (Caution("mm", f"kappa spreads by {sd:.1f}, over 30 % of the mean: act on the thickness, not on the cook"),)
    elif mean > 0 and sd / mean > 0.20:
        cautions += (Caution("mm", f"kappa spreads by {sd:.1f}, over 20 % of the mean"),)
    return Uneven(
        classes=tuple(done),
        kappa=mean,
        kappa_sd=sd,
        yield_pct=total,
        rejects=knots,
        screened_pct=total - knots,
        residual_g_l=residual,
        h=h_factor(points),
        worst=max(done, key=lambda x: x.rejects).mm,
        cautions=cautions + more,
    )
