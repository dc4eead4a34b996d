"""Water of the recovered line in two loops, and what dissolves in them: load, effluent, fresh water a tonne, sludge.

Fresh water comes into the second loop (clean end) and as seals into the first; what the second has over goes back to the first,
what the first has over is effluent. Dissolved and colloidal matter goes with the water alone. Loads are defaults.
Source: mass balances of two mixed loops; recovered to delivery, sections 1 and 13; accounts, section 6.
"""

from dataclasses import dataclass, replace
from typing import Final

from core.errors import Caution, ImpossibleInput, Infeasible, Problem
from core.quantity import check, figure, quantity
from core.register import Check, model
from core.roots import brentq

HIGH_MG_L: Final = 6000.0  # from which dissolved matter is said to gather, default
MOST_FRESH: Final = 200.0


@dataclass(frozen=True, slots=True, kw_only=True)
class WaterCase:
    paper_t_h: float = quantity("Paper in", "t/h OD", possible=(0, 500), above=True, decimals=2)
    moisture_pct: float = quantity("its moisture", "% wet", possible=(0, 90), valid=(4, 20), decimals=1, default=8.0)
    first_t_h: float = quantity("Pulp that leaves the first loop", "t/h OD", possible=(0, 500), above=True, decimals=3)
    first_pct: float = quantity("at", "%", possible=(0.2, 60), valid=(5, 35), decimals=1, default=8.0)
    made_t_h: float = quantity("Pulp made", "t/h OD", possible=(0, 500), above=True, decimals=3)
    made_pct: float = quantity("leaves at", "%", possible=(0.2, 60), valid=(3, 35), decimals=1, default=10.0)
    sludge_pct: float = quantity("Sludge pressed to", "% dry", possible=(2, 90), valid=(40, 65), decimals=0, default=52.0)
    seals_m3_t: float = quantity("Fresh into the first loop", "m³/t made", possible=(0, 200), decimals=1, default=1.5)
    fresh_m3_t: float = quantity(
        "Fresh into the second", "m³/t made", possible=(0, 200), valid=(5, 20), decimals=1, default=8.0
    )
    pulping_kg_t: float = quantity(
        "Dissolved by pulping", "kg COD/t paper", possible=(0, 200), valid=(8, 35), decimals=1, default=18.0
    )
    bleach_kg_t: float = quantity(
        "by dispersing and bleaching", "kg COD/t", possible=(0, 200), valid=(3, 20), decimals=1, default=8.0
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class WaterFound:
    fresh_m3_t: float = figure("Fresh water", "m³/t made", decimals=1, equation="seals + showers")
    effluent_m3_t: float = figure(
        "Effluent", "m³/t made", decimals=1, equation="fresh + with the paper − with pulp − with sludge"
    )
    back_m3_t: float = figure(
        "Second loop gives the first", "m³/t made", decimals=1, equation="fresh + carried over − with the pulp"
    )
    first_mg_l: float = figure(
        "Dissolved, first loop", "mg COD/L", decimals=0, equation="load/(what leaves it), by two balances"
    )
    second_mg_l: float = figure("Dissolved, second loop", "mg COD/L", decimals=0, equation="the same")
    carried_kg_t: float = figure(
        "Goes on with the pulp", "kg COD/t made", decimals=1, equation="second loop × water of the pulp"
    )
    effluent_kg_t: float = figure("Goes with the effluent", "kg COD/t made", decimals=1, equation="first loop × effluent")
    sludge_kg_t: float = figure("Sludge, dry", "kg/t made", decimals=0, equation="paper in − pulp made")
    sludge_wet_kg_t: float = figure("and as it is carted", "kg/t made", decimals=0, equation="dry/dryness")
    gap_pct: float = figure("Dissolved in, apart from out", "%", decimals=3, equation="(in − out)/in")
    cautions: tuple[Caution, ...] = ()


_WATER = {
    "paper_t_h": 2.0,
    "moisture_pct": 10,
    "first_t_h": 1.8,
    "made_t_h": 1.6,
    "sludge_pct": 50,
    "seals_m3_t": 2.5,
    "fresh_m3_t": 7.5,
    "pulping_kg_t": 20,
}


def _round_and_round() -> tuple[float, float]:
    """The two loops of that case walked through, water by water, until nothing changes: mg/L."""
    over, on = 1.8 * 11.5, 1.6 * 9.0
    back = 12.0 + over - on
    effluent = 4.0 + back + 2.0 / 9.0 - over - 0.4
    first = second = 0.0
    for _ in range(4000):
        first = (20.0 * 2.0 + back * second) / (over + effluent + 0.4)
        second = (8.0 * 1.8 + over * first) / (on + back)
    return 1000.0 * first, 1000.0 * second


@model(
    "recovered.water",
    title="Water loops of the recovered line",
    source="balances of two mixed loops; loads are defaults",
    holds_for="two loops with the excess going backwards, fibre and solids apart",
    equation="x₁ (over + effluent + sludge) = load₁ + back x₂; x₂ (on + back) = load₂ + over x₁",
    basis="default",
    checks=(
        Check(_WATER, "first_mg_l", _round_and_round()[0], 1e-6),
        Check(_WATER, "second_mg_l", _round_and_round()[1], 1e-6),
        Check(_WATER, "fresh_m3_t", 10.0),
        Check(_WATER, "sludge_wet_kg_t", 500.0, 1e-9),
    ),
)
def water(case: WaterCase) -> WaterFound | Infeasible:
    """Infeasible where less fresh water comes than leaves with pulp and sludge. Raises: ImpossibleInput for more pulp than
    paper."""
    cautions = check(case)
    bad = []
    if case.first_t_h > case.paper_t_h:
        bad.append(Problem("first_t_h", f"is {case.first_t_h:g} t/h, over the paper, {case.paper_t_h:g} t/h"))
    if case.made_t_h > case.first_t_h:
        bad.append(Problem("made_t_h", f"is {case.made_t_h:g} t/h, over what leaves the first loop, {case.first_t_h:g} t/h"))
    if bad:
        raise ImpossibleInput(*bad)
    made = case.made_t_h
    over = case.first_t_h * (100.0 / case.first_pct - 1.0)
    on = made * (100.0 / case.made_pct - 1.0)
    sludge = case.paper_t_h - made
    with_sludge = sludge * (100.0 / case.sludge_pct - 1.0)
    with_paper = case.paper_t_h * case.moisture_pct / (100.0 - case.moisture_pct)
    back = case.fresh_m3_t * made + over - on
    effluent = case.seals_m3_t * made + back + with_paper - over - with_sludge
    if back < 0.0 or effluent < 0.0:
        least = case.fresh_m3_t - min(back, effluent) / made
        reason = "is less than leaves with the pulp and the sludge"
        return Infeasible(field="fresh_m3_t", reason=reason, nearest=least, unit="m³/t made")
    load1, load2 = case.pulping_kg_t * case.paper_t_h, case.bleach_kg_t * case.first_t_h
    a, d = over + effluent + with_sludge, on + back
    det = a * d - over * back
    if det <= 0.0:
        return Infeasible(field="fresh_m3_t", reason="leaves no way out for what dissolves: it would gather without end")
    x1, x2 = (load1 * d + back * load2) / det, (a * load2 + over * load1) / det
    if 1000.0 * x1 > HIGH_MG_L:
        told = (
            f"leaves {1000.0 * x1:.0f} mg/L in the first loop, over {HIGH_MG_L:.0f}: stickies and pitch settle, retention falls"
        )
        cautions += (Caution("fresh_m3_t", told),)
    out = x1 * (effluent + with_sludge) + x2 * on
    return WaterFound(
        fresh_m3_t=case.seals_m3_t + case.fresh_m3_t,
        effluent_m3_t=effluent / made,
        back_m3_t=back / made,
        first_mg_l=1000.0 * x1,
        second_mg_l=1000.0 * x2,
        carried_kg_t=x2 * on / made,
        effluent_kg_t=x1 * effluent / made,
        sludge_kg_t=1000.0 * sludge / made,
        sludge_wet_kg_t=1000.0 * sludge / made * 100.0 / case.sludge_pct,
        gap_pct=100.0 * (load1 + load2 - out) / (load1 + load2) if load1 + load2 > 0.0 else 0.0,
        cautions=cautions,
    )


def fresh_for(case: WaterCase, second_mg_l: float) -> float | Infeasible:
    """Fresh water into the second loop that keeps its dissolved matter at a figure, m3/t made. Infeasible with the least or the
    most that can be."""

    def off(fresh: float) -> float:
        found = water(replace(case, fresh_m3_t=fresh))
        return found.second_mg_l - second_mg_l if isinstance(found, WaterFound) else 1e12

    if off(MOST_FRESH) > 0.0:
        return Infeasible(
            field="second_mg_l", reason=f"is under what {MOST_FRESH:g} m³/t give", nearest=off(MOST_FRESH) + second_mg_l
        )
    thin = water(replace(case, fresh_m3_t=0.0))
    least = 0.0 if isinstance(thin, WaterFound) else (thin.nearest or 0.0) * (1.0 + 1e-9) + 1e-9
    if off(least) < 0.0:
        return Infeasible(
            field="second_mg_l", reason="is met with the least water there can be", nearest=off(least) + second_mg_l
        )
    return brentq(off, least, MOST_FRESH, xtol=1e-6)
