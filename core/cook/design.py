"""A cook designed whole: charge and liquor, profile, kinetic and empirical kappa, rejects, pulp, steam, and what moves it."""

import math
from collections.abc import Callable, Mapping
from dataclasses import dataclass, fields, replace
from typing import Any, Final

import numpy as np

from core.chips.wood import dry_basis
from core.cook import kinetic
from core.cook.charged import FACTORS, ByCoefficients, ByLog, Calibrated, LogPoint, factors_of
from core.cook.kinetic import Charge, Cooked
from core.cook.limits import least_residual_g_l, off_grade
from core.cook.liquor import LiquorPlan, PlanCase, liquor_plan
from core.cook.models import EMPIRICAL, REJECTS_BY, YIELD_BY, SteamCase, SteamFound, kappa_by_h, rejects_pct, steam
from core.cook.pools import NaOH_G
from core.cook.profile import Points, read_log
from core.cook.species import A_GUM, DEFAULT, EXPONENT, NAMES, SPECIES, Fitted
from core.document import same
from core.errors import Caution, ImpossibleInput, Infeasible
from core.quantity import check, choice, figure, quantity, rows
from core.register import Check, model

STEAM_BAR = 11.0
HOT_C = 140.0  # from where on the alkali that is there counts
GUM_TAKES = A_GUM * NaOH_G  # kg NaOH a kg


HEATED = ("direct steam", "heaters")
PRESTEAM_T_T = 0.15  # condensate of presteaming, t a t of wood, default


@dataclass(frozen=True, slots=True, kw_only=True)
class DesignCase:
    species: str = choice("Wood or plant", NAMES)
    wood_t: float = quantity("Chip charge", "t OD", possible=(0, 1000), above=True, valid=(1, 120), decimals=1)
    moisture_pct: float = quantity("Chip moisture", "% wet", possible=(0, 99), valid=(30, 65), decimals=1)
    over_thick_pct: float = quantity("Over-thick chips", "%", possible=(0, 100), valid=(0, 20), decimals=1, default=6.0)
    ea_g_l: float = quantity("White liquor, EA", "g/L NaOH", possible=(0, 300), above=True, valid=(80, 130), decimals=0)
    sulphidity_pct: float = quantity("Sulphidity, of AA", "%", possible=(0, 60), valid=(0, 45), decimals=1)
    ea_pct_naoh: float = quantity("EA on wood", "% NaOH", possible=(0, 30), above=True, valid=(12, 24), decimals=1)
    lw_m3_t: float = quantity("Liquor to wood", "m³/t", possible=(2, 12), valid=(2.8, 6), decimals=1)
    aq_pct: float = quantity("Anthraquinone", "% on wood", possible=(0, 0.5), valid=(0, 0.15), decimals=2, default=0.0)
    target: float = quantity("Kappa wanted", "", possible=(0, 150), above=True, valid=(10, 60), decimals=1)
    heated: str = choice("Heated by", HEATED, default=HEATED[0])
    second_pct: float = same(Charge, "second_pct", default=0.0)
    second_min: float = same(Charge, "second_min", default=60.0)
    third_pct: float = same(Charge, "third_pct", default=0.0)
    third_min: float = same(Charge, "third_min", default=120.0)


@dataclass(frozen=True, slots=True, kw_only=True)
class LoggedCase(DesignCase, ByLog, ByCoefficients):
    """A design with its temperature log, and this mill's own coefficients as factors on the published ones."""

    rate_factor: float = same(Calibrated, "rate_factor", default=1.0)
    carbohydrate_more: float = same(Calibrated, "carbohydrate_more", default=0.0)
    alkali_factor: float = same(Calibrated, "alkali_factor", default=1.0)
    residual_factor: float = same(Calibrated, "residual_factor", default=1.0)
    alkali_exponent: float = same(Calibrated, "alkali_exponent", default=EXPONENT)
    sulphide_factor: float = same(Calibrated, "sulphide_factor", default=1.0)
    gum_more: float = same(Calibrated, "gum_more", default=0.0)
    kappa_more: float = same(Calibrated, "kappa_more", default=0.0)
    points: tuple[LogPoint, ...] = rows("Point", LogPoint, least=2, most=12)


@dataclass(frozen=True, slots=True, kw_only=True)
class Design:
    """What the design gives. `by_line` is the empirical kappa, nan where it has no line for this plant."""

    cooked: Cooked
    rejects: float
    screened_pct: float
    pulp_t: float
    adt: float
    plan: LiquorPlan
    steam: SteamFound
    by_line: float
    rise_min: float
    per_minute: float  # kappa for ten minutes more at temperature
    per_degree: float  # kappa for one degree more over the level part
    per_ea: float  # kappa for 1 % of the charge more
    at_once: Cooked  # with all of the charge at the start
    hot_g_l: tuple[float, float]  # lowest and highest alkali while hot
    cautions: tuple[Caution, ...] = ()


def charge_of(case: DesignCase, plan: LiquorPlan) -> Charge:
    """The charge as it will really stand: an over-wet charge has its real liquor to wood."""
    return Charge(
        ea_pct_naoh=case.ea_pct_naoh,
        sulphidity_pct=case.sulphidity_pct,
        lw_m3_t=min(12.0, max(case.lw_m3_t, plan.real_lw_m3_t if plan.black_m3 < 0 else 0.0)),
        aq_pct=case.aq_pct,
        **{name: getattr(case, name) for name in kinetic.SPLIT},
    )


def liquor_of(case: DesignCase, steam_t_t: float = 0.0) -> LiquorPlan:
    """What is filled in: the condensate of so much direct steam, t a t of wood, takes the place of black liquor."""
    return liquor_plan(
        PlanCase(
            condensate_t_t=PRESTEAM_T_T + min(2.8, steam_t_t),
            wood_t=case.wood_t,
            moisture_pct=case.moisture_pct,
            ea_pct_naoh=case.ea_pct_naoh,
            ea_g_l=case.ea_g_l,
            lw_m3_t=case.lw_m3_t,
        )
    )


def _hotter(points: Points, by: float) -> Points:
    top = max(t for _, t in points)
    return tuple((m, min(200.0, t + by) if t >= top - 0.5 else t) for m, t in points)


def _while_hot(done: Cooked, points: Points) -> tuple[float, float]:
    """Lowest and highest residual alkali, g/L NaOH, while it is over HOT_C; nan where it never is."""
    temps = np.interp(done.course.minute, [m for m, _ in points], [t for _, t in points])
    told = [g_l for g_l, t in zip(done.course.residual_g_l, temps, strict=True) if t >= HOT_C]
    return (min(told), max(told)) if told else (math.nan, math.nan)


def design(case: DesignCase, points: Points, *, coefficients: Fitted = DEFAULT) -> Design:
    """Work a cook out. Raises: ImpossibleInput naming charge, moisture, liquor or the row of the profile."""
    cautions = check(case)
    points, _ = read_log(points)
    plan = liquor_of(case)
    charge = charge_of(case, plan)
    kind = SPECIES[case.species].kind
    done = kinetic.cook(case.species, charge, points, coefficients=coefficients)
    rejects = min(done.yield_pct, rejects_pct(kind, done.kappa, case.over_thick_pct))
    acting = case.ea_pct_naoh - GUM_TAKES * SPECIES[case.species].gum  # the line is of wood without gum
    top = max(t for _, t in points)
    rise = next(m for m, t in points if t >= top - 0.5) - points[0][0]
    heat: SteamFound | None = None
    try:
        heat = steam(
            SteamCase(
                rise_c=max(1.0, top - points[0][1]),
                u_pct=min(400.0, dry_basis(case.moisture_pct)),
                liquor_t_t=max(0.0, charge.lw_m3_t - dry_basis(case.moisture_pct) / 100.0),
                loss_mj_t=60.0,
                steam_bar_abs=STEAM_BAR,
                final_c=top,
            )
        )
    except ImpossibleInput as refusal:
        cautions += (Caution("points", refusal.problems[0].text),)
        heat = SteamFound(q_mj_t=math.nan, direct_t_t=math.nan, indirect_t_t=math.nan)
    if case.heated == HEATED[0] and math.isfinite(heat.direct_t_t):
        plan = liquor_of(case, heat.direct_t_t)

    def kappa(c: Charge, p: Points) -> float:
        return kinetic.cook(case.species, c, p, coefficients=coefficients).kappa

    last = points[-1]
    longer = (*points, (last[0] + 10.0, last[1]))
    more = replace(charge, ea_pct_naoh=min(30.0, charge.ea_pct_naoh * 1.01))
    pulp = case.wood_t * (done.yield_pct - rejects) / 100.0
    hot = _while_hot(done, points)
    least = least_residual_g_l(SPECIES[case.species])
    if charge.additions and hot[0] < least:
        told = (
            f"alkali falls to {hot[0]:.1f} g/L while hot: under {least:g} lignin settles back, add sooner or more at the start"
        )
        cautions += (Caution("second_pct", told),)
    return Design(
        cooked=done,
        rejects=rejects,
        screened_pct=done.yield_pct - rejects,
        pulp_t=pulp,
        adt=pulp / 0.9,
        plan=plan,
        steam=heat,
        by_line=kappa_by_h(kind, done.h, acting) if kind in EMPIRICAL and done.h > 1.0 and acting > 0.0 else math.nan,
        rise_min=rise,
        per_minute=kappa(charge, longer) - done.kappa,
        per_degree=kappa(charge, _hotter(points, 1.0)) - done.kappa,
        per_ea=kappa(more, points) - done.kappa,
        at_once=kinetic.cook(case.species, charge.at_once, points, coefficients=coefficients) if charge.additions else done,
        hot_g_l=hot,
        cautions=tuple(dict.fromkeys(cautions + done.cautions + off_grade(done.kappa, case.target) + plan.cautions)),
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class Solved:
    """One way to the target: the lever, from what to what, the cook it gives, its log, and the inputs it changes."""

    lever: str
    before: float
    after: float
    cooked: Cooked
    points: Points
    sets: Mapping[str, float]


Search = Callable[..., float | Infeasible]
# by what of the charge a kappa, or the least residual, is reached: how it is called, the input, the search
BY_CHARGE: Final[Mapping[str, tuple[str, str, Search]]] = {
    "charge": ("EA on wood, % NaOH", "ea_pct_naoh", kinetic.ea_for_kappa),
    "residual": ("EA on wood for the least residual, % NaOH", "ea_pct_naoh", kinetic.ea_for_residual),
    "sulphidity": ("sulphidity, % of AA", "sulphidity_pct", kinetic.sulphidity_for_kappa),
    "anthraquinone": ("anthraquinone, % on wood", "aq_pct", kinetic.quinone_for_kappa),
}


def solve_for(case: DesignCase, points: Points, lever: str, *, coefficients: Fitted = DEFAULT) -> Solved | Infeasible:
    """The wanted kappa by one lever: time at temperature, temperature, or one part of the charge (BY_CHARGE); "residual" is
    the charge that leaves the least alkali this plant needs, whatever its kappa. Raises: ImpossibleInput."""
    points, _ = read_log(points)
    charge = charge_of(case, liquor_of(case))
    top = max(t for _, t in points)
    if lever in BY_CHARGE:
        title, name, search = BY_CHARGE[lever]
        wanted = least_residual_g_l(SPECIES[case.species]) if lever == "residual" else case.target
        value = search(case.species, charge, points, wanted, coefficients=coefficients)
        if isinstance(value, Infeasible):
            return value
        after = replace(charge, **{name: value})
        before, new, sets = getattr(case, name), points, {name: value}
    elif lever == "time":
        first = next(i for i, (_, t) in enumerate(points) if t >= top - 0.5)
        ramp = points[: first + 1]
        value = kinetic.minutes_for_kappa(case.species, charge, ramp, case.target, coefficients=coefficients)
        if isinstance(value, Infeasible):
            return value
        title, before, after, sets = "time at temperature, min", points[-1][0] - ramp[-1][0], charge, {}
        new = (*ramp, (ramp[-1][0] + max(value, 0.1), top))
    else:
        value = kinetic.temp_for_kappa(case.species, charge, points, case.target, coefficients=coefficients)
        if isinstance(value, Infeasible):
            return value
        title, before, after, new, sets = "cooking temperature, °C", top, charge, _hotter(points, value - top), {}
    cooked = kinetic.cook(case.species, after, new, coefficients=coefficients)
    return Solved(lever=title, before=before, after=value, cooked=cooked, points=new, sets=sets)


def logged(case: DesignCase, points: Points, coefficients: Fitted = DEFAULT) -> LoggedCase:
    """A design, its log and a mill's coefficients as one case."""
    own: dict[str, Any] = {f.name: getattr(case, f.name) for f in fields(DesignCase)} | factors_of(coefficients)
    return LoggedCase(
        **own,
        points=tuple(LogPoint(minute=m, temp_c=t) for m, t in points),
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class Designed:
    """What a cook is foreseen to give; `design` holds it whole."""

    kappa: float = figure("Kappa", "", decimals=1, equation="100 L/(L + C + gum)/0.15 + hexenuronic share")
    by_line: float = figure("by the line of H", "", decimals=1, equation="A − B log₁₀(H) EAⁿ, EA less what gum takes")
    yield_pct: float = figure("Total yield", "%", decimals=1, equation=YIELD_BY)
    screened_pct: float = figure("Screened", "%", decimals=1, equation="total yield − rejects")
    rejects_pct: float = figure("Rejects", "% on wood", decimals=2, equation=REJECTS_BY)
    residual_g_l: float = figure("Residual alkali", "g/L NaOH", decimals=1, equation="40 × alkali left, mol/L")
    h: float = figure("H-factor", "", decimals=0, equation="∫ exp(43.20 − 16115/T) dt")
    viscosity_ml_g: float = figure("Viscosity", "mL/g", decimals=0, equation="1/(1/mu0 + a OH G)")
    pulp_t: float = figure("Pulp", "t OD", decimals=1, equation="wood × screened yield")
    white_m3: float = figure("White liquor", "m³", decimals=1, equation="10 × wood × EA/(EA of the liquor)")
    chip_water_m3: float = figure("Water of the chips", "m³", decimals=1, equation="wood × moisture/(100 − moisture)")
    condensate_m3: float = figure("Condensate", "m³", decimals=1, equation="wood × (0.15 of presteaming + direct steam)")
    black_m3: float = figure(
        "Black liquor make-up",
        "m³",
        decimals=1,
        equation="wood × L/W − white − water − condensate",
    )
    steam_t_t: float = figure(
        "Steam of the rise", "t/t OD", decimals=2, equation="heat of wood, water and liquor over the rise / heat of the steam"
    )
    a_minute: float = figure("10 min more", "kappa", decimals=1, equation="the cook run on")
    a_degree: float = figure("1 °C more", "kappa", decimals=1, equation="the cook run hotter")
    a_charge: float = figure("1 % of the charge more", "kappa", decimals=2, equation="the cook run with more alkali")
    hot_low_g_l: float = figure("Alkali while hot, lowest", "g/L NaOH", decimals=1, equation="least of the course over 140 °C")
    hot_high_g_l: float = figure(
        "Alkali while hot, highest",
        "g/L NaOH",
        decimals=1,
        equation="most of the course over 140 °C",
    )
    at_once_kappa: float = figure("Kappa, all at the start", "", decimals=1, equation="the cook run with one addition")
    at_once_yield: float = figure("Yield, all at the start", "%", decimals=1, equation="the cook run with one addition")
    design: Design
    cautions: tuple[Caution, ...] = ()


_CHECK = {
    "species": "softwood",
    "wood_t": 20,
    "moisture_pct": 50,
    "ea_g_l": 100,
    "sulphidity_pct": 30,
    "ea_pct_naoh": 18.5,
    "lw_m3_t": 4,
    "target": 27,
    "points": ({"minute": 0, "temp_c": 80}, {"minute": 90, "temp_c": 170}, {"minute": 180, "temp_c": 170}),
}


@model(
    "cook.design",
    title="A cook by its temperature log",
    source="parallel pools after Gustafson et al. 1983; all constants are defaults to be calibrated",
    holds_for="kraft, soda and soda-AQ; EA 12 to 24 % NaOH, sulphidity 0 to 45 %, L/W 2.8 to 6, 80 to 180 °C, kappa 10 to 110",
    equation="lignin, carbohydrate, gum and alkali in parallel pools, integrated over the log",
    calibrated_by=tuple(FACTORS),
    basis="default",
    checks=(
        Check(_CHECK, "kappa", 28.621, 1e-3),
        Check(_CHECK, "yield_pct", 45.498, 1e-3),
        Check(_CHECK, "residual_g_l", 10.75, 1e-3),
        Check(_CHECK, "h", 1574.5, 1e-3),
    ),
)
def designed(case: LoggedCase) -> Designed:
    """The cook of a case. Raises: ImpossibleInput, its fields named as the case has them."""
    done = design(case, case.log, coefficients=case.coefficients)
    return Designed(
        kappa=done.cooked.kappa,
        by_line=done.by_line,
        yield_pct=done.cooked.yield_pct,
        screened_pct=done.screened_pct,
        rejects_pct=done.rejects,
        residual_g_l=done.cooked.residual_g_l,
        h=done.cooked.h,
        viscosity_ml_g=done.cooked.viscosity_ml_g,
        pulp_t=done.pulp_t,
        white_m3=done.plan.white_m3,
        chip_water_m3=done.plan.chip_water_m3,
        black_m3=done.plan.black_m3,
        condensate_m3=done.plan.condensate_m3,
        steam_t_t=done.steam.direct_t_t if case.heated == HEATED[0] else done.steam.indirect_t_t,
        a_minute=done.per_minute,
        a_degree=done.per_degree,
        a_charge=done.per_ea,
        hot_low_g_l=done.hot_g_l[0],
        hot_high_g_l=done.hot_g_l[1],
        at_once_kappa=done.at_once.kappa,
        at_once_yield=done.at_once.yield_pct,
        design=done,
        cautions=done.cautions,
    )
