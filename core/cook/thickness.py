"""Presteaming, penetration, and the cook of an uneven chip: every thickness class cooks by itself in one liquor.

Source: air by the ideal gas, void by Boyle, penetration after Washburn 1921, diffusion after Gustafson et al. 1983; lags,
limits and d_ref are defaults to be calibrated. Range: thickness 1 to 12 mm, penetration 0.6 to 1, and the kinetic cook's own.
"""

import itertools
import math
from dataclasses import dataclass
from typing import Any

import numpy as np

from core.chips.wood import WALL, full_pct
from core.cook.kinetic import Charge, charge_cautions
from core.cook.models import rejects_pct
from core.cook.pools import (
    Array,
    Heats,
    NaOH_G,
    alkali_taken,
    gum_left,
    hydrosulphide,
    kappa_of,
    losses,
    march,
    pools_of,
    quickened,
)
from core.cook.profile import Points, h_factor, read_log
from core.cook.species import DEFAULT, SPECIES, Fitted, Species, fitted
from core.errors import Caution, ImpossibleInput, Problem
from core.heat import ATMOSPHERE_BAR, kelvin, p_saturation
from core.quantity import check, figure, quantity
from core.register import Check, model

D_REF_MM = 4.0
IN_CHIP_L_KG = 1.5
INSIDE_POWER = 3.0  # what the alkali inside a chip counts more than that of the whole digester
STEP_MIN = 2.0
ALPHA = 1.4e-7
TAU0_MIN = 4.0
T0_C = 20.0


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
    pa0 = ATMOSPHERE_BAR - p_saturation(T0_C)
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


def diffusion_at(temp_c: float) -> float:
    """What temperature alone does to diffusion, cm²/min: 5.7e-2 √T exp(−2452.4/T)."""
    t = kelvin(temp_c)
    return 5.7e-2 * math.sqrt(t) * math.exp(-2452.4 / t)


def opened(lignin: Any, oh: Any) -> Any:
    """How open the wood is to it: max(0.05, −0.02 L + 0.13 OH^0.55 + 0.58), lignin % of wood, alkali mol/L."""
    return np.maximum(0.05, -0.02 * lignin + 0.13 * oh**0.55 + 0.58)


def diffusion(temp_c: float, lignin: float, oh: float) -> float:
    """Diffusion in the chip, cm²/min."""
    return float(diffusion_at(temp_c) * opened(lignin, oh))


def effectiveness(phi: Any) -> Any:
    """tanh(phi)/phi, 1 for a thin chip. Numbers or arrays alike."""
    small = np.maximum(phi, 1e-6)
    return np.tanh(small) / small


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
    """
    return cook_chips(species, charge, points, (classes,), coefficients=coefficients)[0]


def cook_chips(
    species: str,
    charge: Charge,
    points: Points,
    lots: tuple[tuple[ChipClass, ...], ...],
    *,
    coefficients: Fitted = DEFAULT,
) -> tuple[Uneven, ...]:
    """Several lots of as many classes each, every lot in a liquor of its own, through the same cook at once.

    Raises: as `cook_classes`.
    """
    for classes in lots:
        _refuse(classes)
    s = fitted(SPECIES[species], coefficients)
    cautions = charge_cautions(charge, s)
    points, more = read_log(points)
    lots = tuple(tuple(c for c in classes if c.share > 0.0) for classes in lots)
    mm = np.array([[c.mm for c in classes] for classes in lots])
    w = np.array([[c.share for c in classes] for classes in lots])
    w = w / w.sum(axis=1, keepdims=True)
    filled = np.array([[c.penetration for c in classes] for classes in lots])
    lw = charge.lw_m3_t

    later = [(m, share) for m, share in charge.additions if m > points[0][0]]
    corners = sorted({*_minutes(points), *(m for m, _ in later if m < points[-1][0])})
    steps = [(m0, (m1 - m0), max(1, math.ceil((m1 - m0) / STEP_MIN - 1e-9))) for m0, m1 in itertools.pairwise(corners)]
    starts = np.concatenate([m0 + length / n * np.arange(n) for m0, length, n in steps])
    lengths = np.concatenate([np.full(n, length / n) for _, length, n in steps])
    halves = (starts[:, None] + lengths[:, None] * np.array([0.0, 0.5, 1.0])).ravel()
    temps = np.interp(halves, _minutes(points), [t for _, t in points])
    k = Heats.along(s, temps).rows(quickened(s, hydrosulphide(charge.ea_pct_naoh, charge.sulphidity_pct, lw), charge.aq_pct))
    moves = [diffusion_at(t) for t in temps.tolist()]

    def rates(i: int, y: Array, n: Array) -> tuple[Array, Array]:
        oh = np.maximum(n, 1e-9) / lw
        eaten = alkali_taken(s, losses(s, k[i], y, oh)) / (oh * IN_CHIP_L_KG)
        spread = moves[i] * opened(y[0] + y[1] + y[2], oh)
        root = np.sqrt(np.maximum(eaten, 0.0) / spread)
        inside = effectiveness(mm / 20.0 * root / filled) / effectiveness(D_REF_MM / 20.0 * root)
        lost = np.stack(losses(s, k[i], y, oh * inside**INSIDE_POWER))
        return lost, (w * alkali_taken(s, lost)).sum(axis=1, keepdims=True)

    y = np.ones((5, *mm.shape)) * np.array(pools_of(s))[:, None, None]
    whole = charge.ea_pct_naoh * 10.0 / NaOH_G
    n = np.full((len(lots), 1), whole * (1.0 - sum(share for _, share in later)))
    added = np.zeros(len(starts))
    for minute, share in later:
        added[np.isclose(starts + lengths, minute)] += whole * share
    y, n = march(y, n, lengths.tolist(), rates, added)
    residual = (NaOH_G * n[:, 0] / lw).tolist()
    h = h_factor(points)
    return tuple(_mixed(s, classes, w[i].tolist(), y[:, i], residual[i], h, cautions + more) for i, classes in enumerate(lots))


def _minutes(points: Points) -> list[float]:
    return [m for m, _ in points]


def _refuse(classes: tuple[ChipClass, ...]) -> None:
    bad = [Problem("mm", f"is {c.mm:g} mm; it must be above 0 and at most 30") for c in classes if not 0.0 < c.mm <= 30.0]
    bad += [
        Problem("penetration", f"of {c.mm:g} mm is {c.penetration:g}; it must be 0.3 to 1")
        for c in classes
        if not 0.3 <= c.penetration <= 1.0
    ]
    if not sum(c.share for c in classes) > 0.0 or any(c.share < 0.0 for c in classes):
        bad.append(Problem("share", "must be at least 0 each and not all 0"))
    if bad:
        raise ImpossibleInput(*bad)


def _mixed(
    s: Species,
    classes: tuple[ChipClass, ...],
    shares: list[float],
    pools: Array,
    residual_g_l: float,
    h: float,
    cautions: tuple[Caution, ...],
) -> Uneven:
    """The pulp of all classes together: kappa by pulp mass, yield by oven-dry share."""
    done = []
    for c, share, y in zip(classes, shares, pools.T.tolist(), strict=True):
        lignin, rest = sum(y[:3]), y[3] + y[4] + gum_left(s, y[0])
        kappa, total = float(kappa_of(lignin, rest, s.hexa)), lignin + rest
        knots = share * min(total, rejects_pct(s.kind, kappa))
        done.append(ClassCooked(mm=c.mm, share=share, kappa=kappa, yield_pct=total, rejects=knots))
    pulp = [x.share * x.yield_pct for x in done]
    total = sum(pulp)
    mean = sum(p * x.kappa for p, x in zip(pulp, done, strict=True)) / total
    sd = math.sqrt(sum(p * (x.kappa - mean) ** 2 for p, x in zip(pulp, done, strict=True)) / total)
    knots = sum(x.rejects for x in done)
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
        residual_g_l=residual_g_l,
        h=h,
        worst=max(done, key=lambda x: x.rejects).mm,
        cautions=cautions,
    )
