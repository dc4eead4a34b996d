"""The alkaline cook through time: what its lignin, carbohydrate, gum and alkali are at every minute of a temperature log.

Source: models, section 3.4. Constants are defaults to be calibrated. Range: EA 12 to 24 % NaOH, sulphidity 0 to 45 %, liquor to
wood 2.8 to 6, 80 to 180 °C, kappa 10 to 110. Until a mill's own cooks are fitted most fall within some 0.27 of the kappa.
"""

import math
from collections.abc import Callable, Iterable
from dataclasses import dataclass, replace
from functools import lru_cache
from typing import Final

import numpy as np
import numpy.typing as npt

from core.compiled import compiled
from core.cook import limits
from core.cook.pools import Heats, NaOH_G, gum_left, hydrosulphide, kappa_of, leaving, pools_of, quickened, taken
from core.cook.profile import Points, g_factor, h_factor, h_rate, read_log, temp_at, viscosity
from core.cook.species import DEFAULT, SPECIES, Fitted, Species, fitted
from core.errors import Caution, ImpossibleInput, Infeasible, Problem
from core.quantity import check, quantity
from core.roots import brentq

STEP_MIN = 1.0  # in kappa within 1e-6 of half of it
MOST_MIN = 300.0
EXHAUSTED_G_L = 0.5
COOKS_KEPT = 256
SLOPE_SHARE = 0.05  # of H, for a slope
Vector = npt.NDArray[np.float64]
MU0: Final = {"softwood": 1600.0, "hardwood": 1450.0, "bagasse": 1450.0}


@dataclass(frozen=True, slots=True, kw_only=True)
class Charge:
    """What goes in with the wood. EA as NaOH on oven-dry wood; liquor to wood is all free liquid, chip water counted."""

    ea_pct_naoh: float = quantity("EA on wood", "% NaOH", possible=(0, 30), above=True, valid=(12, 24), decimals=1)
    sulphidity_pct: float = quantity("Sulphidity, of AA", "%", possible=(0, 60), valid=(0, 45), decimals=1)
    lw_m3_t: float = quantity("Liquor to wood", "m³/t", possible=(2, 12), valid=(2.8, 6), decimals=2)
    aq_pct: float = quantity("Anthraquinone", "% on wood", possible=(0, 0.5), valid=(0, 0.15), decimals=2, default=0.0)
    second_pct: float = quantity("Of the EA, added second", "%", possible=(0, 80), valid=(0, 60), decimals=0, default=0.0)
    second_min: float = quantity("added at", "min", possible=(0, 1500), decimals=0, default=60.0)
    third_pct: float = quantity("Of the EA, added third", "%", possible=(0, 80), valid=(0, 60), decimals=0, default=0.0)
    third_min: float = quantity("added at", "min", possible=(0, 1500), decimals=0, default=120.0)

    @property
    def additions(self) -> tuple[tuple[float, float], ...]:
        """(minute, share of the EA, 0 to 1) of what is added after the start, in order of time."""
        later = ((self.second_min, self.second_pct / 100.0), (self.third_min, self.third_pct / 100.0))
        return tuple(sorted((m, share) for m, share in later if share > 0.0))

    @property
    def at_once(self) -> "Charge":
        """The same with all of it at the start."""
        return replace(self, second_pct=0.0, third_pct=0.0)


SPLIT: Final = ("second_pct", "second_min", "third_pct", "third_min")
MOST_LATER_PCT = 80.0


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
    gum: float
    exhausted_at: float | None
    course: Course
    cautions: tuple[Caution, ...] = ()


def _grid(points: Points, cuts: Iterable[float] = ()) -> list[tuple[float, float]]:
    """(start, length) of every step: at most a minute, cut at every point of the log and at the minutes of `cuts`."""
    steps = []
    first, last = points[0][0], points[-1][0]
    corners = sorted({m for m, _ in points} | {m for m in cuts if first < m < last})
    for m0, m1 in zip(corners, corners[1:], strict=False):
        n = max(1, math.ceil((m1 - m0) / STEP_MIN - 1e-9))
        steps += [(m0 + (m1 - m0) * i / n, (m1 - m0) / n) for i in range(n)]
    return steps


@dataclass(frozen=True, slots=True)
class State:
    """A cook at one moment: lignin, gum and carbohydrate left, % of oven-dry wood, and alkali, mol NaOH a kg of wood."""

    lignin: float
    carbohydrate: float
    gum: float
    alkali: float

    @property
    def yield_pct(self) -> float:
        return self.lignin + self.carbohydrate + self.gum

    def kappa(self, hexa: float) -> float:
        return float(kappa_of(self.lignin, self.carbohydrate + self.gum, hexa))


def _run(
    s: Species,
    charge: Charge,
    points: Points,
    *,
    stop: Callable[[float, State], bool] | None = None,
    corrections: tuple[tuple[float, float], ...] = (),
) -> tuple[list[float], list[State], float | None]:
    """Minutes and states of every step, and the minute at which the alkali ran out. `corrections`: (minute, measured EA g/L)
    that replace the model's."""
    steps = _grid(points, (m for m, _ in charge.additions))
    halves = np.array([[m, m + h / 2.0, m + h] for m, h in steps])
    temps = np.interp(halves.ravel(), [m for m, _ in points], [t for _, t in points])
    lw = charge.lw_m3_t
    more = quickened(s, hydrosulphide(charge.ea_pct_naoh, charge.sulphidity_pct, lw), charge.aq_pct)
    k = np.array(Heats.along(s, temps).rows(more)).reshape(-1, 5)
    whole = charge.ea_pct_naoh * 10.0 / NaOH_G
    ends = np.array([m + h for m, h in steps])
    added, measured = np.zeros(len(steps)), np.full(len(steps), np.nan)
    later = [(m, whole * share) for m, share in charge.additions if m > steps[0][0]]
    for minute, mol in later:
        if (j := _step_by(ends, minute)) < len(steps):
            added[j] += mol
    for minute, g_l in sorted(corrections):
        if (j := _step_by(ends, minute)) < len(steps):
            measured[j] = g_l / NaOH_G * lw
    n = whole - sum(mol for _, mol in later)
    wood = (s.fast_exponent, s.exponent, s.alkali_carb, gum_left(s, 1.0), lw)
    lengths = np.array([h for _, h in steps])
    pools, alkali, out_at = _marched(k, lengths, np.array(pools_of(s)), n, added, measured, wood)
    minutes = [steps[0][0], *ends.tolist()]
    lignin, carbohydrate, gum = pools[:, :3].sum(axis=1), pools[:, 3] + pools[:, 4], gum_left(s, pools[:, 0])
    told = zip(lignin.tolist(), carbohydrate.tolist(), gum.tolist(), alkali.tolist(), strict=True)
    states = [State(*each) for each in told]
    last = len(steps)
    if stop is not None:
        last = next((j for j in range(1, len(states)) if stop(minutes[j], states[j])), last)
    exhausted = float(ends[out_at[last - 1]]) if last and out_at[last - 1] >= 0 else None
    return minutes[: last + 1], states[: last + 1], exhausted


def _step_by(ends: Vector, minute: float) -> int:
    """The first step that ends at a minute or after it; their number where none does."""
    return int(np.searchsorted(ends + 1e-9, minute))


@compiled
def _marched(
    k: Vector,
    lengths: Vector,
    pools: Vector,
    n: float,
    added: Vector,
    measured: Vector,
    wood: tuple[float, float, float, float, float],
) -> tuple[Vector, Vector, npt.NDArray[np.int64]]:
    """Pools, % of wood (steps + 1, 5), alkali, mol/kg (steps + 1), and by every step which one it ran out in (-1: none).

    k: rate constants at the start, middle and end of every step (3 steps, 5). added: alkali put in after each step, mol/kg;
    measured: what it is then found to be, not a number where nobody measured. wood: exponents of fast lignin and of the rest,
    alkali of carbohydrate, gum a part of fast lignin, liquor to wood, L/kg.
    """
    fast_exponent, exponent, alkali_carb, gum, lw = wood
    steps = len(lengths)
    ys, ns, out_at = np.empty((steps + 1, 5)), np.empty(steps + 1), np.empty(steps, dtype=np.int64)
    ys[0], ns[0] = pools, n
    stage = ((0, 0.0, 1.0), (1, 0.5, 2.0), (1, 0.5, 2.0), (2, 1.0, 1.0))  # which constants, how far, what weight
    exhausted = -1
    for j in range(steps):
        h = lengths[j]
        slope, slope_n = np.zeros(5), 0.0
        mean, mean_n = np.zeros(5), 0.0
        for at, far, weight in stage:
            y, left = ys[j] - far * h * slope, ns[j] - far * h * slope_n
            lost = leaving(fast_exponent, exponent, k[3 * j + at], y, left / lw if left > 0.0 else 0.0)
            slope_n = taken(alkali_carb, gum, lost)
            for c in range(5):
                slope[c] = lost[c]
                mean[c] += weight * lost[c]
            mean_n += weight * slope_n
        ys[j + 1] = ys[j] - h / 6.0 * mean
        n = max(0.0, ns[j] - h / 6.0 * mean_n)
        if added[j] > 0.0:
            n += added[j]
            exhausted = -1
        if not np.isnan(measured[j]):
            n = measured[j]
        if exhausted < 0 and NaOH_G * n / lw < EXHAUSTED_G_L:
            exhausted = j
        ns[j + 1], out_at[j] = n, exhausted
    return ys, ns, out_at


def _mean_oh(points: Points, minutes: list[float], states: list[State], lw: float) -> float:
    """Mean alkali, mol/L, over the time at temperature."""
    temps = np.interp(minutes, [m for m, _ in points], [t for _, t in points])
    at = temps >= temps.max() - 1.0
    return float(np.mean([y.alkali / lw for y, on in zip(states, at, strict=True) if on]))


def charge_cautions(charge: Charge, s: Species) -> tuple[Caution, ...]:
    """Other convention, soda coefficients, chips not covered, and what the charge asks of this wood."""
    told = list(check(charge))
    if s.kind == "softwood" and 12.0 <= charge.ea_pct_naoh <= 16.0:
        told.append(
            Caution(
                "ea_pct_naoh",
                f"{charge.ea_pct_naoh:g} % is low for softwood as NaOH; as Na₂O it would be "
                f"{charge.ea_pct_naoh / 0.7748:.1f} % NaOH: other convention?",
            )
        )
    if s.kind == "bagasse" and charge.sulphidity_pct > 5.0:
        told.append(Caution("sulphidity_pct", f"{s.key} has soda coefficients; with sulphide it cooks faster than shown"))
    charged = limits.of_charge(s, ea_pct_naoh=charge.ea_pct_naoh, sulphidity_pct=charge.sulphidity_pct, lw_m3_t=charge.lw_m3_t)
    return (*told, *charged)


def cook(
    species: str,
    charge: Charge,
    points: Points,
    *,
    coefficients: Fitted = DEFAULT,
    corrections: tuple[tuple[float, float], ...] = (),
) -> Cooked:
    """Cook a wood through a log (minutes, °C). `corrections`: (minute, residual EA, g/L NaOH) as titrated.

    Raises: ImpossibleInput for a species that does not exist, a charge or a log that cannot be, a residual above the start's.
    """
    log = tuple((float(m), float(t)) for m, t in points)
    return _cooked(species, charge, log, coefficients, tuple(corrections))


@lru_cache(maxsize=COOKS_KEPT)
def _cooked(
    species: str, charge: Charge, points: Points, coefficients: Fitted, corrections: tuple[tuple[float, float], ...]
) -> Cooked:
    """The cook itself: the last few are kept, since a page, its levers and its working ask for the same one."""
    if species not in SPECIES:
        raise ImpossibleInput(Problem("species", f"is {species!r}; it must be one of {', '.join(SPECIES)}"))
    if charge.second_pct + charge.third_pct > MOST_LATER_PCT:
        told = f"is {charge.third_pct:g} %; with the second, {charge.second_pct:g} %, it must be at most {MOST_LATER_PCT:g} %"
        raise ImpossibleInput(Problem("third_pct", told))
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
    return _ended(s, charge, points, minutes, states, exhausted, cautions + more + limits.of_log(points))


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
    g, h = g_factor(run), h_factor(run)
    kappa = end.kappa(s.hexa)
    residual = NaOH_G * end.alkali / charge.lw_m3_t
    if exhausted is not None:
        cautions += (Caution("ea_pct_naoh", f"alkali is exhausted at {exhausted:.0f} min: nothing reacts after it"),)
    cautions += limits.of_result(
        s, h=h, ea_pct_naoh=charge.ea_pct_naoh, kappa=kappa, yield_pct=end.yield_pct, residual_g_l=residual
    )
    return Cooked(
        kappa=kappa,
        yield_pct=end.yield_pct,
        residual_g_l=residual,
        h=h,
        g=g,
        viscosity_ml_g=viscosity(g, _mean_oh(points, minutes, states, charge.lw_m3_t), mu0=MU0[s.kind]),
        lignin=end.lignin,
        carbohydrate=end.carbohydrate,
        gum=end.gum,
        exhausted_at=exhausted,
        course=Course(
            minute=tuple(minutes),
            kappa=tuple(y.kappa(s.hexa) for y in states),
            yield_pct=tuple(y.yield_pct for y in states),
            residual_g_l=tuple(NaOH_G * y.alkali / charge.lw_m3_t for y in states),
        ),
        cautions=tuple(dict.fromkeys(cautions)),
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
        s, charge, whole, stop=lambda m, y: m >= end and y.kappa(s.hexa) <= target, corrections=corrections
    )
    kappas = [y.kappa(s.hexa) for y in states]
    if kappas[-1] > target:
        why = f"the alkali is exhausted at {exhausted:.0f} min" if exhausted else "residual lignin leaves slowly"
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


@dataclass(frozen=True, slots=True, kw_only=True)
class Lever:
    """What an inverse turns: its name and unit in words, and the range within which it may answer (section 3.4)."""

    name: str
    unit: str
    low: float
    high: float


EA, TEMP = Lever(name="EA", unit="% EA", low=8.0, high=28.0), Lever(name="temperature", unit="°C", low=140.0, high=180.0)
SULPHIDITY = Lever(name="sulphidity", unit="% sulphidity", low=0.0, high=45.0)
QUINONE = Lever(name="anthraquinone", unit="% AQ", low=0.0, high=0.15)
DOES_NOTHING = 0.02  # kappa a unit of the lever


def _search(of: Callable[[float], Cooked], lever: Lever, target: float, field: str) -> float | Infeasible:
    """The lever's value for a kappa or a residual, or which side fails, what its limit gives and what binds there."""

    def answer(x: float) -> float:
        return float(getattr(of(x), field))

    name = "kappa" if field == "kappa" else "residual alkali"
    low, high = answer(lever.low), answer(lever.high)
    if (low - target) * (high - target) > 0.0:
        end, value = (lever.low, low) if abs(low - target) < abs(high - target) else (lever.high, high)
        exhausted = of(end).exhausted_at
        why = f"the alkali is exhausted at {exhausted:.0f} min" if exhausted else f"{end:g} is the {lever.name}’s ceiling"
        return Infeasible(
            field=field,
            reason=f"{target:g} is not reached between {lever.low:g} and {lever.high:g} {lever.unit}; at {end:g} "
            f"{lever.unit} {name} is {value:.1f}, since {why}",
            nearest=value,
        )
    return brentq(lambda x: answer(x) - target, lever.low, lever.high, xtol=1e-3, rtol=1e-6)


def ea_for_kappa(
    species: str, charge: Charge, points: Points, target: float, *, coefficients: Fitted = DEFAULT
) -> float | Infeasible:
    """EA % NaOH on wood, 8 to 28, that gives a kappa by the same profile."""
    return _search(
        lambda ea: cook(species, replace(charge, ea_pct_naoh=ea), points, coefficients=coefficients), EA, target, "kappa"
    )


def ea_for_residual(
    species: str, charge: Charge, points: Points, target_g_l: float, *, coefficients: Fitted = DEFAULT
) -> float | Infeasible:
    """EA % NaOH on wood, 8 to 28, that leaves a residual alkali, g/L NaOH."""
    return _search(
        lambda ea: cook(species, replace(charge, ea_pct_naoh=ea), points, coefficients=coefficients),
        EA,
        target_g_l,
        "residual_g_l",
    )


def temp_for_kappa(
    species: str, charge: Charge, points: Points, target: float, *, coefficients: Fitted = DEFAULT
) -> float | Infeasible:
    """Temperature of the level part that gives a kappa in the same minutes, 140 to 180 °C."""
    points, _ = read_log(points)
    top = max(t for _, t in points)

    def at(temp: float) -> Cooked:
        moved = tuple((m, temp if t >= top - 1e-9 else t) for m, t in points)
        return cook(species, charge, moved, coefficients=coefficients)

    return _search(at, TEMP, target, "kappa")


def sulphidity_for_kappa(
    species: str, charge: Charge, points: Points, target: float, *, coefficients: Fitted = DEFAULT
) -> float | Infeasible:
    """Sulphidity, % of AA, 0 to 45, that gives a kappa. Infeasible too where sulphide does next to nothing."""

    def at(value: float) -> Cooked:
        return cook(species, replace(charge, sulphidity_pct=value), points, coefficients=coefficients)

    low, high = at(SULPHIDITY.low).kappa, at(SULPHIDITY.high).kappa
    if abs(low - high) < DOES_NOTHING * (SULPHIDITY.high - SULPHIDITY.low):
        return Infeasible(field="kappa", reason=f"{target:g}: sulphidity does nothing here, kappa is {low:.1f}", nearest=low)
    return _search(at, SULPHIDITY, target, "kappa")


def quinone_for_kappa(
    species: str, charge: Charge, points: Points, target: float, *, coefficients: Fitted = DEFAULT
) -> float | Infeasible:
    """Anthraquinone, % on wood, 0 to 0.15, that gives a kappa."""
    return _search(
        lambda aq: cook(species, replace(charge, aq_pct=aq), points, coefficients=coefficients), QUINONE, target, "kappa"
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class Slopes:
    """How the end of a cook answers: kappa a unit of ln H, a point of EA and of sulphidity; residual, g/L, and yield a point
    of EA."""

    kappa_ln_h: float
    kappa_ea: float
    kappa_sulphidity: float
    residual_ea: float
    yield_ea: float


EA_STEP, SULPHIDITY_STEP = 0.5, 0.5


def slope_ln_h(species: str, charge: Charge, points: Points, *, coefficients: Fitted = DEFAULT) -> float:
    """Kappa a unit of ln H at the end of a cook, by 5 % of its H more and, where it held so long, less. Raises:
    ImpossibleInput."""
    points, _ = read_log(points)
    end = points[-1]
    by = max(0.2, SLOPE_SHARE * h_factor(points) * 60.0 / max(1.0, h_rate(end[1])))
    cut = end[0] - by
    room = len(points) > 2 and points[-2][0] < cut - 1.0
    before = (*points[:-1], (cut, temp_at(points, cut))) if room else points
    longer, shorter = (
        cook(species, charge, log, coefficients=coefficients) for log in ((*points, (end[0] + by, end[1])), before)
    )
    return (longer.kappa - shorter.kappa) / math.log(longer.h / shorter.h)


def _by_ea(species: str, charge: Charge, points: Points, coefficients: Fitted) -> tuple[Cooked, Cooked, float]:
    """The cook with half a point of EA less and more, and how far they are apart, % NaOH."""
    low, high = charge.ea_pct_naoh - EA_STEP, min(30.0, charge.ea_pct_naoh + EA_STEP)
    less, more = (cook(species, replace(charge, ea_pct_naoh=v), points, coefficients=coefficients) for v in (low, high))
    return less, more, high - low


def slope_ea(species: str, charge: Charge, points: Points, *, coefficients: Fitted = DEFAULT) -> float:
    """Kappa a point of EA, % NaOH on wood, at the cook's own log. Raises: ImpossibleInput."""
    less, more, width = _by_ea(species, charge, points, coefficients)
    return (more.kappa - less.kappa) / width


def slopes(species: str, charge: Charge, points: Points, *, coefficients: Fitted = DEFAULT) -> Slopes:
    """The slopes of a cook at its own charge and log: of H by 5 % of it each way, of EA and sulphidity by half a point each
    way. Raises: ImpossibleInput."""
    less, more, width = _by_ea(species, charge, points, coefficients)
    low_s, high_s = max(0.0, charge.sulphidity_pct - SULPHIDITY_STEP), min(60.0, charge.sulphidity_pct + SULPHIDITY_STEP)
    weaker, stronger = (
        cook(species, replace(charge, sulphidity_pct=v), points, coefficients=coefficients).kappa for v in (low_s, high_s)
    )
    return Slopes(
        kappa_ln_h=slope_ln_h(species, charge, points, coefficients=coefficients),
        kappa_ea=(more.kappa - less.kappa) / width,
        kappa_sulphidity=(stronger - weaker) / (high_s - low_s),
        residual_ea=(more.residual_g_l - less.residual_g_l) / width,
        yield_ea=(more.yield_pct - less.yield_pct) / width,
    )
