"""The furnish of least cost that keeps every limit with its chance; what holds it, what a limit costs, and the way there.

A linear programme: brightness is linear in the shares once its K/S is fixed. Each quality limit is kept with its chance by a
back-off of z standard deviations of the forecast; bounds of shares, supply and claims are not random and get none. Where what
is known of the pulps makes the deviation of brightness depend on the recipe it is convex, and is cut: solved again with its
slope added until the shares stand. Source: recovered to delivery, section 8; HiGHS through SciPy.
"""

import math
from dataclasses import dataclass, replace
from statistics import NormalDist
from typing import Final

import numpy as np

from core.blend.furnish import NO_COUNT, NO_CSF, NO_LEAST, NO_MOST, BlendCase, Forecast, Table, Vector, iso_sd, ks_of, told
from core.errors import Caution, Infeasible
from core.quantity import check, figure
from core.register import Check, model

STANDS, MOST_PASSES, BINDS = 1e-5, 12, 1e-6
GRAD_STEP = 1e-6


@dataclass(frozen=True, slots=True, kw_only=True)
class Limit:
    """A limit of the furnish: the field of the case that says it, the figure of the forecast it is held against, one unit of
    it, and whether it is a least."""

    field: str
    figure: str
    unit: float
    least: bool
    none: float
    sd: str = ""
    in_log: bool = False


LIMITS: Final = (
    Limit(field="iso_least", figure="iso_pct", unit=1.0, least=True, none=NO_LEAST, sd="iso_sd"),
    Limit(field="iso_most", figure="iso_pct", unit=1.0, least=False, none=NO_MOST, sd="iso_sd"),
    Limit(field="csf_least", figure="csf_ml", unit=1.0, least=True, none=NO_LEAST, sd="csf_sd", in_log=True),
    Limit(field="csf_most", figure="csf_ml", unit=1.0, least=False, none=NO_CSF, sd="csf_sd", in_log=True),
    Limit(field="ash_most", figure="ash_pct", unit=1.0, least=False, none=NO_MOST, sd="ash_sd"),
    Limit(field="tensile_least", figure="tensile", unit=1.0, least=True, none=NO_LEAST, sd="tensile_sd"),
    Limit(field="tear_least", figure="tear", unit=1.0, least=True, none=NO_LEAST, sd="tear_sd"),
    Limit(field="stickies_most", figure="stickies", unit=1.0, least=False, none=NO_COUNT, sd="count_sd", in_log=True),
    Limit(field="dirt_most", figure="dirt", unit=1.0, least=False, none=NO_COUNT, sd="count_sd", in_log=True),
    Limit(field="recycled_least", figure="recycled_pct", unit=1.0, least=True, none=NO_LEAST),
)
BY_FIELD: Final = {x.field: x for x in LIMITS}


def z_of(chance_pct: float) -> float:
    """Standard deviations of a one-sided chance, 50 % or more; 1.644854 for 95 %."""
    return NormalDist().inv_cdf(chance_pct / 100.0)


def asked(case: BlendCase) -> tuple[Limit, ...]:
    """The limits that the case sets."""
    return tuple(x for x in LIMITS if getattr(case, x.field) != x.none)


def aim(case: BlendCase, x: Limit, sd: float, z: float) -> float:
    """What the forecast must keep for its limit: the limit less or more its back-off."""
    value, way = getattr(case, x.field), 1.0 if x.least else -1.0
    if not x.sd:
        return float(value)
    return float(value * math.exp(way * z * sd)) if x.in_log else float(value + way * z * sd)


@dataclass(frozen=True, slots=True)
class Row:
    """coefficients @ shares <= most. `unit`: of the row, a standard deviation of its limit (or a hundredth of a share)."""

    field: str
    coefficients: Vector
    most: float
    unit: float = 1.0


def quality_row(case: BlendCase, t: Table, x: Limit, z: float, sd: float) -> Row:
    """A limit as a row, with its back-off."""
    wanted, way = aim(case, x, sd, z), -1.0 if x.least else 1.0
    if x.figure == "iso_pct":
        r = min(0.9999, max(0.0001, wanted / 100.0))
        q, unit = ks_of(r), sd / 100.0 * (1.0 - r * r) / (2.0 * r * r) * float(np.mean(t.s457))
        return Row(x.field, -way * (t.k457 - q * t.s457), 0.0, unit)
    if x.figure == "csf_ml":
        return Row(x.field, way * t.ln_csf, way * math.log(max(1.0, wanted)), sd)
    values: Vector = getattr(t, {"ash_pct": "ash_pct", "recycled_pct": "recycled_pct"}.get(x.figure, x.figure))
    return Row(x.field, way * values, way * wanted, wanted * sd if x.in_log else sd)


def sd_of(case: BlendCase, t: Table, x: Limit, f: Vector) -> float:
    """The standard deviation of a limit's forecast at a recipe; 0 of what is not random."""
    if not x.sd:
        return 0.0
    return iso_sd(t, f, case.iso_sd) if x.sd == "iso_sd" else float(getattr(case, x.sd))


def quality_rows(case: BlendCase, t: Table, z: float, f: Vector | None) -> list[Row]:
    """Every limit asked for, with the deviations of a recipe; the model's own where there is no recipe yet."""
    made = []
    for x in asked(case):
        sd = sd_of(case, t, x, f) if f is not None else float(getattr(case, x.sd)) if x.sd else 0.0
        made.append(quality_row(case, t, x, z, sd))
    return made


def solve(cost: Vector, rows: list[Row], low: Vector, high: Vector) -> Vector | None:
    """The cheapest shares that keep every row and sum to 1; None where nothing does."""
    from scipy.optimize import linprog  # a second to import: only who asks for a furnish pays it

    if (low > high + 1e-12).any():
        return None
    done = linprog(
        cost,
        A_ub=np.array([r.coefficients for r in rows]) if rows else None,
        b_ub=np.array([r.most for r in rows]) if rows else None,
        A_eq=np.ones((1, len(cost))),
        b_eq=[1.0],
        bounds=list(zip(low, high, strict=True)),
        method="highs",
    )
    if done.status != 0:
        return None
    shares: Vector = np.clip(done.x, 0.0, 1.0)
    return shares


def _cut(case: BlendCase, t: Table, x: Limit, z: float, f: Vector) -> Row:
    """A brightness limit with its deviation at a recipe and the slope of that deviation by the shares."""
    sd = iso_sd(t, f, case.iso_sd)
    row = quality_row(case, t, x, z, sd)
    slope = np.array([(iso_sd(t, f + GRAD_STEP * step, case.iso_sd) - sd) / GRAD_STEP for step in np.eye(len(f))])
    r = min(0.9999, max(0.0001, aim(case, x, sd, z) / 100.0))
    g = z / 100.0 * (1.0 - r * r) / (2.0 * r * r) * float(f @ t.s457)
    return Row(x.field, row.coefficients + g * slope, row.most + g * float(slope @ f))


def cheapest(case: BlendCase, t: Table, z: float) -> Vector | None:
    """The shares of least cost with a back-off of z deviations; None where nothing keeps every limit."""
    f = solve(t.price, quality_rows(case, t, z, None), t.low, t.high)
    if f is None or z == 0.0 or not (t.k_sd.any() or t.s_sd.any()):
        return f
    light = [x for x in asked(case) if x.figure == "iso_pct"]
    rest = [r for r in quality_rows(case, t, z, None) if BY_FIELD[r.field].figure != "iso_pct"]
    cuts: list[Row] = []
    for _ in range(MOST_PASSES):
        newest = [_cut(case, t, x, z, f) for x in light]
        again = solve(t.price, rest + newest + cuts, t.low, t.high)
        if again is None:
            again = solve(t.price, rest + newest, t.low, t.high)
            if again is None:
                return None
        done = float(np.abs(again - f).max()) < STANDS
        f, cuts = again, cuts + newest
        if done:
            break
    return f


@dataclass(frozen=True, slots=True, kw_only=True)
class Held:
    """A limit at a recipe: what is asked, what is aimed at, the forecast and its deviation, the chance of keeping it; whether
    it holds the cost, and what letting it go by one unit would save. `pulp`: of a share's bound, counted from 1."""

    field: str
    limit: float
    aim: float
    value: float
    sd: float
    chance_pct: float
    binds: bool
    saves: float = 0.0
    pulp: int = 0


def kept(case: BlendCase, t: Table, f: Vector, z: float) -> tuple[Held, ...]:
    """Every limit asked for at a recipe."""
    found, result = told(t, f, case.iso_sd), []
    for x in asked(case):
        sd, value = sd_of(case, t, x, f), float(getattr(found, x.figure))
        limit, way = float(getattr(case, x.field)), 1.0 if x.least else -1.0
        wanted = aim(case, x, sd, z)
        gap = way * (math.log(max(1e-9, value) / limit) if x.in_log else value - limit)
        chance = NormalDist().cdf(gap / sd) if sd > 0.0 else float(gap >= -1e-9)
        near = abs(value - wanted) <= 1e-5 * max(1.0, abs(wanted))
        result.append(
            Held(field=x.field, limit=limit, aim=wanted, value=value, sd=sd, chance_pct=100.0 * chance, binds=near, pulp=0)
        )
    for i, p in enumerate(case.pulps):
        for field, bound in (("low_pct", p.low_pct), ("high_pct", p.high_pct), ("supply_pct", p.supply_pct)):
            share = 100.0 * float(f[i])
            if abs(share - bound) < 1e-4 and 0.0 < bound < 100.0:
                told_ = Held(field=field, limit=bound, aim=bound, value=share, sd=0.0, chance_pct=100.0, binds=True, pulp=i + 1)
                result.append(told_)
    return tuple(result)


def eased(case: BlendCase, held: Held, by: float = 1.0) -> BlendCase:
    """The case with a limit let go by so many of its units."""
    if held.pulp:
        p = case.pulps[held.pulp - 1]
        value = getattr(p, held.field) - by if held.field == "low_pct" else getattr(p, held.field) + by
        pulp = replace(p, **{held.field: min(100.0, max(0.0, value))})
        return replace(case, pulps=tuple(pulp if q is p else q for q in case.pulps))
    x = BY_FIELD[held.field]
    value = getattr(case, held.field) + (-by if x.least else by) * x.unit
    return replace(case, **{held.field: max(0.0, value)})


@dataclass(frozen=True, slots=True, kw_only=True)
class LeastFound:
    cost: float = figure("Furnish at least cost", "a t", decimals=1, equation="least Σ f price within every limit")
    backoff_cost: float = figure("of it for the chance", "a t", decimals=1, equation="with the back-off less without")
    recipe_cost: float = figure("The recipe", "a t", decimals=1, equation="Σ f price")
    saves: float = figure("It saves", "a t", decimals=1, equation="recipe − least")
    iso_pct: float = figure("Brightness aimed at", "% ISO", decimals=1, equation="of K/S")
    csf_ml: float = figure("Freeness", "mL", decimals=0, equation="exp Σ f ln CSF")
    ash_pct: float = figure("Ash", "%", decimals=2, equation="Σ f a")
    tensile: float = figure("Tensile index", "N·m/g", decimals=1, equation="Σ f T")
    first_pct: float = figure("The first pulp", "%", decimals=1, equation="share")
    second_pct: float = figure("the second", "%", decimals=1, equation="share")
    last_pct: float = figure("the last", "%", decimals=1, equation="share")
    all_kept_pct: float = figure("All limits at once, at least", "%", decimals=1, equation="1 − Σ (1 − p), Bonferroni")
    shares: tuple[float, ...]
    forecast: Forecast
    limits: tuple[Held, ...]
    cautions: tuple[Caution, ...] = ()


WORKED: Final = {
    "iso_least": 80,
    "ash_most": 6,
    "tensile_least": 46,
    "iso_sd": 0.5,
    "ash_sd": 0.3,
    "tensile_sd": 0.8,
    "pulps": tuple(
        {"price": c, "k457": k, "s457": s, "ash_pct": a, "tensile": t, "low_pct": low, "high_pct": high, "share_pct": 25}
        for c, k, s, a, t, low, high in (
            (720, 0.229, 28, 0.3, 75, 10, 100),
            (600, 0.310, 38, 0.4, 45, 0, 100),
            (380, 4.80, 55, 9, 38, 0, 100),
            (250, 0.95, 45, 18, 42, 0, 20),
        )
    ),
}
PLAIN: Final = {**WORKED, "chance_pct": 50}


@model(
    "blend.least",
    title="Furnish of least cost",
    source="linear programme with back-offs; prices and deviations are the mill’s",
    holds_for="limits each kept with their chance; tensile and freeness by mixing rules that are defaults",
    equation="least Σ f price; Σ f (k − q s) ≤ 0; Σ f x within its limit − z sd",
    basis="default",
    checks=(
        Check(PLAIN, "cost", 513.311, 1e-6),
        Check(PLAIN, "first_pct", 10.0, 1e-6),
        Check(PLAIN, "second_pct", 56.959, 1e-4),
        Check(PLAIN, "last_pct", 20.0, 1e-6),
        Check(PLAIN, "ash_pct", 5.0315, 1e-4),
        Check(PLAIN, "tensile", 46.487, 1e-4),
        Check(WORKED, "cost", 521.050, 1e-6),
        Check(WORKED, "backoff_cost", 7.739, 1e-3),
        Check(WORKED, "first_pct", 12.225, 1e-4),
        Check(WORKED, "second_pct", 57.039, 1e-4),
        Check(WORKED, "iso_pct", 80.8224, 1e-5),
        Check(WORKED, "ash_pct", 4.8311, 1e-4),
        Check(WORKED, "tensile", 47.3159, 1e-5),
    ),
)
def least(case: BlendCase) -> LeastFound | Infeasible:
    """The cheapest furnish, what holds it and what that costs. Infeasible where nothing keeps every limit: `blend.relief` says
    what would have to give. Raises: ImpossibleInput."""
    cautions = check(case)
    t, z = Table(case.pulps), z_of(case.chance_pct)
    f = cheapest(case, t, z)
    if f is None:
        return Infeasible(field="pulps", reason="cannot keep every limit together with its chance; see what must give")
    plain = cheapest(case, t, 0.0) if z > 0.0 else f
    assert plain is not None
    cost, found = float(f @ t.price), told(t, f, case.iso_sd)
    listed = []
    for held in kept(case, t, f, z):
        if not held.binds:
            listed.append(held)
            continue
        let_go = eased(case, held)
        better = cheapest(let_go, Table(let_go.pulps), z)
        saved = cost - float(better @ t.price) if better is not None else 0.0
        listed.append(replace(held, saves=max(0.0, saved), binds=saved > BINDS))
    missed = math.fsum(1.0 - h.chance_pct / 100.0 for h in listed if h.sd > 0.0)
    recipe_cost = math.fsum(p.share_pct * p.price for p in case.pulps) / 100.0
    return LeastFound(
        cost=cost,
        backoff_cost=cost - float(plain @ t.price),
        recipe_cost=recipe_cost,
        saves=recipe_cost - cost,
        iso_pct=found.iso_pct,
        csf_ml=found.csf_ml,
        ash_pct=found.ash_pct,
        tensile=found.tensile,
        first_pct=100.0 * float(f[0]),
        second_pct=100.0 * float(f[1]),
        last_pct=100.0 * float(f[-1]),
        all_kept_pct=max(0.0, 100.0 * (1.0 - missed)),
        shares=tuple(100.0 * float(x) for x in f),
        forecast=found,
        limits=tuple(sorted(listed, key=lambda h: -h.saves)),
        cautions=cautions,
    )


@dataclass(frozen=True, slots=True)
class Step:
    """The next step on the straight way from the recipe to another: shares in %, how many steps it is of."""

    shares: tuple[float, ...]
    of: int


def step_towards(case: BlendCase, shares: tuple[float, ...]) -> Step:
    """No pulp moves by more than its step. Limits are convex: between two recipes that keep them every one does."""
    moves = [(there - p.share_pct, p.step_pct) for p, there in zip(case.pulps, shares, strict=True)]
    steps = max(1, math.ceil(max(abs(d) / most for d, most in moves) - 1e-9))
    return Step(tuple(p.share_pct + d / steps for p, (d, _) in zip(case.pulps, moves, strict=True)), steps)


def trade_off(case: BlendCase, held: Held, points: int = 9, reach: float = 8.0) -> tuple[tuple[float, float | None], ...]:
    """Least cost against a limit, from `reach` of its units looser to as much tighter; None where nothing fits."""
    z, result = z_of(case.chance_pct), []
    for i in range(points):
        by = reach * (1.0 - 2.0 * i / (points - 1))
        other = eased(case, held, by)
        value = getattr(other.pulps[held.pulp - 1], held.field) if held.pulp else getattr(other, held.field)
        t = Table(other.pulps)
        f = cheapest(other, t, z)
        result.append((float(value), float(f @ t.price) if f is not None else None))
    return tuple(result)
