"""A cook designed whole: charge and liquor, profile, kinetic and empirical kappa, rejects, pulp, steam, and what moves it."""

import math
from dataclasses import dataclass, replace

from core.chips.wood import dry_basis
from core.cook import kinetic
from core.cook.kinetic import Charge, Cooked
from core.cook.liquor import LiquorPlan, PlanCase, liquor_plan
from core.cook.models import EMPIRICAL, SteamCase, SteamFound, kappa_by_h, rejects_pct, steam
from core.cook.profile import Points, read_log
from core.cook.species import DEFAULT, NAMES, SPECIES, Fitted
from core.errors import Caution, ImpossibleInput, Infeasible
from core.quantity import check, choice, quantity

STEAM_BAR = 11.0


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
    cautions: tuple[Caution, ...] = ()


def charge_of(case: DesignCase, plan: LiquorPlan) -> Charge:
    """The charge as it will really stand: an over-wet charge has its real liquor to wood."""
    return Charge(
        ea_pct_naoh=case.ea_pct_naoh,
        sulphidity_pct=case.sulphidity_pct,
        lw_m3_t=min(12.0, max(case.lw_m3_t, plan.real_lw_m3_t if plan.black_m3 < 0 else 0.0)),
        aq_pct=case.aq_pct,
    )


def liquor_of(case: DesignCase) -> LiquorPlan:
    return liquor_plan(
        PlanCase(
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


def design(case: DesignCase, points: Points, *, coefficients: Fitted = DEFAULT) -> Design:
    """Work a cook out. Raises: ImpossibleInput naming charge, moisture, liquor or the row of the profile."""
    cautions = check(case)
    points, _ = read_log(points)
    plan = liquor_of(case)
    charge = charge_of(case, plan)
    kind = SPECIES[case.species].kind
    done = kinetic.cook(case.species, charge, points, coefficients=coefficients)
    rejects = min(done.yield_pct, rejects_pct(kind, done.kappa, case.over_thick_pct))
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

    def kappa(c: Charge, p: Points) -> float:
        return kinetic.cook(case.species, c, p, coefficients=coefficients).kappa

    last = points[-1]
    longer = (*points, (last[0] + 10.0, last[1]))
    more = replace(charge, ea_pct_naoh=min(30.0, charge.ea_pct_naoh * 1.01))
    pulp = case.wood_t * (done.yield_pct - rejects) / 100.0
    return Design(
        cooked=done, rejects=rejects, screened_pct=done.yield_pct - rejects, pulp_t=pulp, adt=pulp / 0.9, plan=plan, steam=heat,
        by_line=kappa_by_h(kind, done.h, case.ea_pct_naoh) if kind in EMPIRICAL and done.h > 1.0 else math.nan, rise_min=rise, per_minute=kappa(charge, longer) - done.kappa,
        per_degree=kappa(charge, _hotter(points, 1.0)) - done.kappa, per_ea=kappa(more, points) - done.kappa, cautions=tuple(dict.fromkeys(cautions + done.cautions + plan.cautions)),
    )  # fmt: skip


@dataclass(frozen=True, slots=True, kw_only=True)
class Solved:
    """One way to the target: the lever, from what to what, and the cook it gives."""

    lever: str
    before: float
    after: float
    cooked: Cooked
    points: Points
    ea_pct_naoh: float


def solve_for(case: DesignCase, points: Points, lever: str, *, coefficients: Fitted = DEFAULT) -> Solved | Infeasible:
    """Time at temperature, temperature, or charge (residual kept by it) for the wanted kappa. Raises: ImpossibleInput."""
    points, _ = read_log(points)
    charge = charge_of(case, liquor_of(case))
    if lever == "time":
        top = max(t for _, t in points)
        first = next(i for i, (_, t) in enumerate(points) if t >= top - 0.5)
        ramp = points[: first + 1]
        found = kinetic.minutes_for_kappa(case.species, charge, ramp, case.target, coefficients=coefficients)
        if isinstance(found, Infeasible):
            return found
        new = (*ramp, (ramp[-1][0] + max(found, 0.1), top))
        return Solved(
            lever="time at temperature, min",
            before=points[-1][0] - ramp[-1][0],
            after=found,
            cooked=kinetic.cook(case.species, charge, new, coefficients=coefficients),
            points=new,
            ea_pct_naoh=case.ea_pct_naoh,
        )
    if lever == "temperature":
        temp = kinetic.temp_for_kappa(case.species, charge, points, case.target, coefficients=coefficients)
        if isinstance(temp, Infeasible):
            return temp
        new = _hotter(points, temp - max(t for _, t in points))
        return Solved(
            lever="cooking temperature, °C",
            before=max(t for _, t in points),
            after=temp,
            cooked=kinetic.cook(case.species, charge, new, coefficients=coefficients),
            points=new,
            ea_pct_naoh=case.ea_pct_naoh,
        )
    ea = kinetic.ea_for_kappa(case.species, charge, points, case.target, coefficients=coefficients)
    if isinstance(ea, Infeasible):
        return ea
    return Solved(
        lever="EA on wood, % NaOH",
        before=case.ea_pct_naoh,
        after=ea,
        cooked=kinetic.cook(case.species, replace(charge, ea_pct_naoh=ea), points, coefficients=coefficients),
        points=points,
        ea_pct_naoh=ea,
    )
