"""The alkaline cook through time: lignin, carbohydrate and alkali by three phases.

Source: form and softwood constants after Gustafson, Sleicher, McKean and Finlayson 1983 (Ind. Eng. Chem. Process Des. Dev.
22:87); multipliers, phase limits and other species are defaults to be calibrated. Range: EA 12 to 24 % NaOH, sulphidity 0 to
45 %, liquor to wood 2.8 to 6, 80 to 180 °C, kappa 10 to 110. Uncalibrated it is good to about 5 kappa.
"""

import math
from collections.abc import Callable
from dataclasses import dataclass, replace
from typing import Final

import numpy as np

from core.cook.profile import Points, g_factor, h_factor, read_log, temp_at, viscosity
from core.cook.species import A_LIGNIN, DEFAULT, SPECIES, Fitted, Species, fitted
from core.errors import Caution, ImpossibleInput, Infeasible, Problem
from core.quantity import check, quantity
from core.roots import brentq

STEP_MIN = 0.5
MOST_MIN = 300.0
RAMP_HIGH, RAMP_ACT, HOT_C, RESIDUAL_HIGH = 2.0, 3.0, 175.0, 12.0  # defaults; the mill sets its own
# by kind: standard H and EA of severity, highest H, highest EA % NaOH
STANDARD: Final = {
    "softwood": (1600.0, 17.5, 2600.0, 21.0),
    "hardwood": (750.0, 16.5, 1400.0, 19.0),
    "bagasse": (310.0, 13.0, 900.0, 16.0),
}
SEVERE, SEVERE_ACT = 1.5, 2.0
EA_LOW, EA_HIGH = 8.0, 28.0
MU0: Final = {"softwood": 1600.0, "hardwood": 1450.0, "bagasse": 1450.0}


@dataclass(frozen=True, slots=True, kw_only=True)
class Charge:
    """What goes in with the wood. EA as NaOH on oven-dry wood; liquor to wood is all free liquid, chip water counted."""

    ea_pct_naoh: float = quantity("EA on wood", "% NaOH", possible=(0, 30), above=True, valid=(12, 24), decimals=1)
    sulphidity_pct: float = quantity("Sulphidity, of AA", "%", possible=(0, 60), valid=(0, 45), decimals=1)
    lw_m3_t: float = quantity("Liquor to wood", "m³/t", possible=(2, 12), valid=(2.8, 6), decimals=2)
    aq_pct: float = quantity("Anthraquinone", "% on wood", possible=(0, 0.5), valid=(0, 0.15), decimals=2, default=0.0)


@dataclass(frozen=True, slots=True, kw_only=True)
class Course:
    """A cook minute by minute (each step): kappa, total yield %, residual EA g/L NaOH, H so far."""

    minute: tuple[float, ...]
    kappa: tuple[float, ...]
    yield_pct: tuple[float, ...]
    residual_g_l: tuple[float, ...]


@dataclass(frozen=True, slots=True, kw_only=True)
class Cooked:
    """The end of a cook."""

    kappa: float
    yield_pct: float
    residual_g_l: float
    h: float
    g: float
    viscosity_ml_g: float
    lignin: float
    carbohydrate: float
    exhausted_at: float | None
    course: Course
    cautions: tuple[Caution, ...] = ()


def kappa_of(lignin: float, carbohydrate: float, hexa: float) -> float:
    return 100.0 * lignin / (lignin + carbohydrate) / 0.15 + hexa


class _Rates:
    """Temperature-dependent constants on the grid of half steps, worked out once for the whole log."""

    def __init__(self, s: Species, charge: Charge, temps_c: np.ndarray) -> None:
        t = temps_c + 273.15
        aa = charge.ea_pct_naoh / (1.0 - charge.sulphidity_pct / 200.0)
        hs = aa * charge.sulphidity_pct / 100.0 * 10.0 / 80.0 / charge.lw_m3_t
        aq = 1.0 + 3.0 * math.sqrt(charge.aq_pct)
        self.initial = (s.mi * 36.2 * np.sqrt(t) * np.exp(-4807.69 / t)).tolist()
        self.bulk_oh = (aq * s.mb * np.exp(35.19 - 17200.0 / t)).tolist()
        self.bulk_hs = (aq * s.mb * np.exp(29.23 - 14400.0 / t) * hs**0.4).tolist()
        self.residual = (s.mr * np.exp(19.64 - 10804.0 / t)).tolist()


def _grid(points: Points) -> list[tuple[float, float]]:
    """(start, length) of every step: at most half a minute, cut at every point of the log."""
    steps = []
    for (m0, _), (m1, _) in zip(points, points[1:], strict=False):
        n = max(1, math.ceil((m1 - m0) / STEP_MIN - 1e-9))
        steps += [(m0 + (m1 - m0) * i / n, (m1 - m0) / n) for i in range(n)]
    return steps


State = tuple[float, float, float]


def _run(
    s: Species,
    charge: Charge,
    points: Points,
    *,
    stop: Callable[[float, State], bool] | None = None,
    corrections: tuple[tuple[float, float], ...] = (),
) -> tuple[list[float], list[State], float | None]:
    """Minutes and states (lignin, carbohydrate, alkali mol/kg). `corrections`: (minute, measured EA g/L) that replace the
    model's."""
    steps = _grid(points)
    halves = np.array([[m, m + h / 2.0, m + h] for m, h in steps])
    temps = np.interp(halves.ravel(), [m for m, _ in points], [t for _, t in points])
    k = _Rates(s, charge, temps)
    lw, limits = charge.lw_m3_t, (s.bulk_from, s.residual_from, -1.0)
    bulk_c, residual_c = s.cb, s.cr
    alkali_l, alkali_c = 10.0 * A_LIGNIN, 10.0 * s.alkali_carb

    def rates(i: int, lignin: float, n: float, phase: int) -> State:
        oh = n / lw
        if oh <= 0.0:
            return 0.0, 0.0, 0.0
        if phase == 0:
            r = k.initial[i] * lignin if s.pi == 0.0 else k.initial[i] * (oh / 0.5) ** s.pi * lignin
            c = s.ci * oh**0.11
        elif phase == 1:
            r, c = (k.bulk_oh[i] * oh + k.bulk_hs[i] * math.sqrt(oh)) * lignin, bulk_c
        else:
            r, c = k.residual[i] * oh**0.7 * lignin, residual_c
        return -r, -c * r, -(alkali_l + alkali_c * c) * r

    def advance(i: int, y: State, h: float, phase: int) -> State:
        lignin, carb, n = y
        a = rates(i, lignin, n, phase)
        b = rates(i + 1, lignin + h / 2 * a[0], n + h / 2 * a[2], phase)
        c = rates(i + 1, lignin + h / 2 * b[0], n + h / 2 * b[2], phase)
        d = rates(i + 2, lignin + h * c[0], n + h * c[2], phase)
        w = h / 6.0
        return (
            lignin + w * (a[0] + 2 * b[0] + 2 * c[0] + d[0]),
            carb + w * (a[1] + 2 * b[1] + 2 * c[1] + d[1]),
            n + w * (a[2] + 2 * b[2] + 2 * c[2] + d[2]),
        )

    y: State = (s.lignin, s.carbohydrate, charge.ea_pct_naoh * 10.0 / 40.0)
    phase = next(p for p in range(3) if y[0] > limits[p])
    minutes, states, exhausted = [steps[0][0]], [y], None
    waiting = sorted(corrections)
    for j, (start, length) in enumerate(steps):
        left = length
        while True:
            new = advance(3 * j, y, left, phase)
            if phase == 2 or new[0] > limits[phase]:
                y = new
                break
            low, high = 0.0, left  # the part of the step that lands on the phase's limit
            for _ in range(40):
                mid = (low + high) / 2.0
                low, high = (mid, high) if advance(3 * j, y, mid, phase)[0] > limits[phase] else (low, mid)
            y, left, phase = advance(3 * j, y, high, phase), left - high, phase + 1
            if left <= 1e-9:
                break
        while waiting and waiting[0][0] <= start + length + 1e-9:
            y = (y[0], y[1], waiting.pop(0)[1] / 40.0 * lw)
        if y[2] <= 0.0 and exhausted is None:
            exhausted = start + length
        minutes.append(start + length)
        states.append(y)
        if stop is not None and stop(start + length, y):
            break
    return minutes, states, exhausted


def _mean_oh(points: Points, minutes: list[float], states: list[State], lw: float) -> float:
    """Mean alkali, mol/L, over the time at temperature."""
    temps = np.interp(minutes, [m for m, _ in points], [t for _, t in points])
    at = temps >= temps.max() - 1.0
    return float(np.mean([max(0.0, y[2]) / lw for y, on in zip(states, at, strict=True) if on]))


def charge_cautions(charge: Charge, s: Species) -> tuple[Caution, ...]:
    """Other convention, soda coefficients, chips not covered."""
    found = list(check(charge))
    if s.kind == "softwood" and 12.0 <= charge.ea_pct_naoh <= 16.0:
        found.append(
            Caution(
                "ea_pct_naoh",
                f"{charge.ea_pct_naoh:g} % is low for softwood as NaOH; as Na₂O it would be "
                f"{charge.ea_pct_naoh / 0.7748:.1f} % NaOH: other convention?",
            )
        )
    if s.key in ("bagasse", "straw") and charge.sulphidity_pct > 5.0:
        found.append(Caution("sulphidity_pct", f"{s.key} has soda coefficients; with sulphide it cooks faster than shown"))
    return tuple(found)


def cook(
    species: str,
    charge: Charge,
    points: Points,
    *,
    coefficients: Fitted = DEFAULT,
    corrections: tuple[tuple[float, float], ...] = (),
) -> Cooked:
    """Cook a wood through a log (minutes, °C).

    Raises: ImpossibleInput for a species that does not exist, a charge or a log that cannot be.
    Worked: softwood, 0/90/180 min = 80/170/170 °C, EA 18.5 %, S 30 %, L/W 4 gives kappa 26.749, yield 46.907, 9.8167 g/L.
    """
    if species not in SPECIES:
        raise ImpossibleInput(Problem("species", f"is {species!r}; it must be one of {', '.join(SPECIES)}"))
    s = fitted(SPECIES[species], coefficients)
    cautions = charge_cautions(charge, s)
    points, more = read_log(points)
    start_g_l = charge.ea_pct_naoh * 10.0 / charge.lw_m3_t
    for minute, measured in corrections:
        if not 0.0 <= measured <= start_g_l:
            raise ImpossibleInput(
                Problem(
                    "residual",
                    f"is {measured:g} g/L at {minute:g} min; at most the start's {start_g_l:.1f} g/L can be left: "
                    f"sample or charge wrong",
                )
            )
    minutes, states, exhausted = _run(s, charge, points, corrections=corrections)
    return _ended(s, charge, points, minutes, states, exhausted, cautions + more + severity(points))


def _severe(kind: str, h: float, ea_pct_naoh: float) -> tuple[Caution, ...]:
    """Whether a cook as a whole asks too much of its fibre: severity, H and alkali against their kind's limits."""
    h_std, ea_std, h_most, ea_most = STANDARD.get(kind, STANDARD["bagasse"])
    found, index = [], (h / h_std) * (ea_pct_naoh / ea_std)
    if index > SEVERE:
        word = "act: shorten or cool it, or charge less" if index > SEVERE_ACT else "yield and viscosity fall"
        found.append(Caution("points", f"severity {index:.2f}, H {h:.0f} with EA {ea_pct_naoh:g} %: over {SEVERE:g}, {word}"))
    if h > h_most:
        found.append(Caution("points", f"H {h:.0f} is over {h_most:.0f}: overcooked whatever the kappa says"))
    if ea_pct_naoh > ea_most:
        found.append(Caution("ea_pct_naoh", f"EA {ea_pct_naoh:g} % is over {ea_most:g} % NaOH: yield, viscosity, residual"))
    return tuple(found)


def severity(points: Points) -> tuple[Caution, ...]:
    """What a temperature log asks too much of: a rise that the liquor does not follow, and heat that costs viscosity."""
    found = []
    for (m0, t0), (m1, t1) in zip(points, points[1:], strict=False):
        ramp = abs(t1 - t0) / (m1 - m0)
        if ramp > RAMP_HIGH:
            act = "act: " if ramp > RAMP_ACT else ""
            text = (
                f"{act}{t0:g} to {t1:g} °C goes at {ramp:.1f} °C/min; over {RAMP_HIGH:g} the liquor does not "
                f"follow into the chips"
            )
            found.append(Caution("points", text))
    if max(t for _, t in points) > HOT_C:
        found.append(Caution("points", f"over {HOT_C:.0f} °C viscosity falls; the vessel’s rating always prevails"))
    return tuple(found[:3])


def _ended(
    s: Species,
    charge: Charge,
    points: Points,
    minutes: list[float],
    states: list[State],
    exhausted: float | None,
    cautions: tuple[Caution, ...],
) -> Cooked:
    end = states[-1]
    run = (
        points
        if minutes[-1] >= points[-1][0] - 1e-9
        else (*(p for p in points if p[0] < minutes[-1]), (minutes[-1], temp_at(points, minutes[-1])))
    )
    g = g_factor(run)
    kappa = kappa_of(end[0], end[1], s.hexa)
    if exhausted is not None:
        cautions += (Caution("ea_pct_naoh", f"alkali is exhausted at {exhausted:.0f} min: nothing reacts after it"),)
    if not 10.0 <= kappa <= 110.0:
        cautions += (Caution("kappa", f"{kappa:.1f} is outside 10 to 110, the range this holds for"),)
    residual = 40.0 * max(0.0, end[2]) / charge.lw_m3_t
    h = h_factor(run)
    cautions += _severe(s.kind, h, charge.ea_pct_naoh)
    if residual > RESIDUAL_HIGH:
        text = f"residual alkali {residual:.1f} g/L: over {RESIDUAL_HIGH:g} is waste and costs yield"
        cautions += (Caution("ea_pct_naoh", text),)
    if residual < 5.0 and s.kind != "bagasse":
        cautions += (Caution("residual_g_l", f"residual alkali {residual:.1f} g/L: under 5 lignin settles back on the fibre"),)
    if s.kind == "bagasse" and residual < 3.0:
        cautions += (
            Caution("residual_g_l", f"residual alkali {residual:.1f} g/L: under 3 the pulp darkens and silica deposits"),
        )
    return Cooked(
        kappa=kappa,
        yield_pct=end[0] + end[1],
        residual_g_l=residual,
        h=h_factor(run),
        g=g,
        viscosity_ml_g=viscosity(g, _mean_oh(points, minutes, states, charge.lw_m3_t), mu0=MU0[s.kind]),
        lignin=end[0],
        carbohydrate=end[1],
        exhausted_at=exhausted,
        course=Course(
            minute=tuple(minutes),
            kappa=tuple(kappa_of(y[0], y[1], s.hexa) for y in states),
            yield_pct=tuple(y[0] + y[1] for y in states),
            residual_g_l=tuple(40.0 * max(0.0, y[2]) / charge.lw_m3_t for y in states),
        ),
        cautions=cautions,
    )


def minutes_for_kappa(
    species: str,
    charge: Charge,
    ramp: Points,
    target: float,
    *,
    coefficients: Fitted = DEFAULT,
    corrections: tuple[tuple[float, float], ...] = (),
) -> float | Infeasible:
    """Minutes at the ramp's last temperature until kappa is reached, 0 to 300, in one run. Infeasible says the lowest and
    why."""
    s = fitted(SPECIES[species], coefficients)
    charge_cautions(charge, s)
    ramp, _ = read_log(ramp)
    end, temp = ramp[-1]
    whole = (*ramp, (end + MOST_MIN, temp))
    minutes, states, exhausted = _run(
        s, charge, whole, stop=lambda m, y: m >= end and kappa_of(y[0], y[1], s.hexa) <= target, corrections=corrections
    )
    kappas = [kappa_of(y[0], y[1], s.hexa) for y in states]
    if kappas[-1] > target:
        why = f"the alkali is exhausted at {exhausted:.0f} min" if exhausted else "the residual phase is slow"
        return Infeasible(
            field="kappa",
            reason=f"{target:g} is not reached within {MOST_MIN:.0f} min; the lowest is {kappas[-1]:.1f}, since {why}",
            nearest=kappas[-1],
        )
    at_ramp = next(i for i, m in enumerate(minutes) if m >= end - 1e-9)
    if kappas[at_ramp] <= target:
        return Infeasible(
            field="kappa",
            reason=f"{target:g} is passed during the rise already; at its end it is {kappas[at_ramp]:.1f}",
            nearest=kappas[at_ramp],
        )
    m0, m1, k0, k1 = minutes[-2], minutes[-1], kappas[-2], kappas[-1]
    return m0 + (m1 - m0) * (k0 - target) / (k0 - k1) - end


def _search(
    of: Callable[[float], float], low: float, high: float, target: float, field: str, unit: str, name: str
) -> float | Infeasible:
    """A root of a monotone answer, or which side fails and what the limit gives."""
    a, b = of(low) - target, of(high) - target
    if a * b > 0.0:
        end, value = (low, a + target) if abs(a) < abs(b) else (high, b + target)
        return Infeasible(
            field=field,
            reason=f"{target:g} is not reached between {low:g} and {high:g} {unit}; at {end:g} {unit} {name} is {value:.1f}",
            nearest=value,
        )
    return brentq(lambda x: of(x) - target, low, high, xtol=1e-3, rtol=1e-6)


def ea_for_kappa(
    species: str, charge: Charge, points: Points, target: float, *, coefficients: Fitted = DEFAULT
) -> float | Infeasible:
    """EA % NaOH on wood that gives a kappa by the same profile."""
    return _search(
        lambda ea: cook(species, replace(charge, ea_pct_naoh=ea), points, coefficients=coefficients).kappa,
        EA_LOW,
        EA_HIGH,
        target,
        "kappa",
        "% EA",
        "kappa",
    )


def ea_for_residual(
    species: str, charge: Charge, points: Points, target_g_l: float, *, coefficients: Fitted = DEFAULT
) -> float | Infeasible:
    """EA % NaOH on wood that leaves a residual alkali, g/L NaOH."""
    return _search(
        lambda ea: cook(species, replace(charge, ea_pct_naoh=ea), points, coefficients=coefficients).residual_g_l,
        EA_LOW,
        EA_HIGH,
        target_g_l,
        "residual_g_l",
        "% EA",
        "residual alkali",
    )


def temp_for_kappa(
    species: str, charge: Charge, points: Points, target: float, *, coefficients: Fitted = DEFAULT
) -> float | Infeasible:
    """Temperature of the level part that gives a kappa in the same minutes, 140 to 180 °C."""
    points, _ = read_log(points)
    top = max(t for _, t in points)

    def at(temp: float) -> float:
        moved = tuple((m, temp if t >= top - 1e-9 else t) for m, t in points)
        return cook(species, charge, moved, coefficients=coefficients).kappa

    return _search(at, 140.0, 180.0, target, "kappa", "°C", "kappa")
