"""Mechanical and recovered pulp: peroxide by its alkali, dithionite, and the press bleaching line with its back-water.

Source: models, sections 7.5; accounts and gaps, section 3. Ceilings and shares are defaults to be calibrated.
"""

import math
from dataclasses import dataclass
from typing import Final

from core.colour import brightness_from_ks, ks_from_reflectance
from core.errors import Caution, Infeasible
from core.quantity import check, choice, figure, quantity
from core.register import Check, model
from core.wash.line import liquor

CEILING: Final = {"spruce": 82.0, "hemlock": 81.0, "aspen": 85.0, "recovered": 80.0}
GAIN, USED_OF_CHARGE = 1.39, 0.85


def iso_after(
    wood: str, iso_pct: float, peroxide_pct: float, alkali_pct: float, *, gain: float = GAIN, ceiling_more: float = 0.0
) -> float:
    """Brightness after one peroxide tower; total alkali off its best costs exp(−((TA − best)/1.0)²)."""
    k, floor = ks_from_reflectance(iso_pct / 100.0), ks_from_reflectance((CEILING[wood] + ceiling_more) / 100.0)
    if k <= floor:
        return iso_pct
    best = 0.7 + 0.45 * peroxide_pct
    return brightness_from_ks(floor + (k - floor) / (1.0 + gain * peroxide_pct * math.exp(-((alkali_pct - best) ** 2))))


@dataclass(frozen=True, slots=True, kw_only=True)
class PeroxideCase:
    wood: str = choice("Pulp", tuple(CEILING))
    iso_pct: float = quantity("Brightness in", "% ISO", possible=(1, 99), valid=(40, 75), decimals=1)
    peroxide_pct: float = quantity("H₂O₂ on pulp", "%", possible=(0, 10), valid=(0.5, 5), decimals=2)
    naoh_pct: float = quantity("NaOH on pulp", "%", possible=(0, 10), valid=(0.5, 4), decimals=2)
    silicate_pct: float = quantity("Silicate, 41 °Bé product", "%", possible=(0, 10), valid=(0, 4), decimals=2, default=0.0)
    catalase: str = choice("Recycled water", ("clean", "catalase"), default="clean")
    gain_factor: float = quantity("Gain, factor", "", possible=(0.02, 10), valid=(0.1, 3), decimals=3, default=1.0)
    ceiling_more: float = quantity("Ceiling of brightness, more", "% ISO", possible=(-20, 14), valid=(-6, 6), default=0.0)


@dataclass(frozen=True, slots=True, kw_only=True)
class PeroxideFound:
    iso_out: float = figure("Brightness out", "% ISO", decimals=1, equation="Kf + (K − Kf)/(1 + 1.39 P f)")
    gain: float = figure("Gain", "points", decimals=1, equation="out − in")
    alkali_pct: float = figure("Total alkali", "%", decimals=2, equation="NaOH + 0.115 silicate")
    best_pct: float = figure("best at this peroxide", "%", decimals=2, equation="0.7 + 0.45 P")
    cautions: tuple[Caution, ...] = ()


_P = {"wood": "spruce", "iso_pct": 60, "peroxide_pct": 3}


@model(
    "bleach.peroxide_mechanical",
    title="Peroxide on mechanical pulp",
    source="ceiling and alkali optimum are defaults to be calibrated",
    holds_for="12 to 35 %, 60 to 75 °C, 60 to 180 min, 2 to 4 kg/ODt of DTPA before",
    equation="K out = Kf + (K − Kf)/(1 + 1.39 P f), f = exp(−((TA − best)/1.0)²)",
    calibrated_by=("gain_factor", "ceiling_more"),
    basis="default",
    checks=(
        Check({**_P, "naoh_pct": 2.05}, "iso_out", 74.985, 5e-3),
        Check({**_P, "naoh_pct": 2.05}, "best_pct", 2.05),
        Check({**_P, "naoh_pct": 3.2}, "iso_out", 68.302, 5e-3),
    ),
)
def peroxide(case: PeroxideCase) -> PeroxideFound:
    """Raises: ImpossibleInput."""
    cautions = check(case)
    alkali = case.naoh_pct + 0.115 * case.silicate_pct
    p = case.peroxide_pct / 1.2 if case.catalase == "catalase" else case.peroxide_pct
    best = 0.7 + 0.45 * case.peroxide_pct
    out = iso_after(case.wood, case.iso_pct, p, alkali, gain=GAIN * case.gain_factor, ceiling_more=case.ceiling_more)
    if alkali > best + 0.5:
        cautions += (
            Caution("naoh_pct", "too much alkali darkens by the minute in a hot tower: sour to pH 5.5 to 6.5 at once"),
        )
    if case.catalase == "catalase":
        cautions += (Caution("catalase", "catalase eats a sixth of it: heat or biocide first, not more peroxide"),)
    return PeroxideFound(iso_out=out, gain=out - case.iso_pct, alkali_pct=alkali, best_pct=best, cautions=cautions)


@dataclass(frozen=True, slots=True, kw_only=True)
class DithioniteCase:
    iso_pct: float = quantity("Brightness in", "% ISO", possible=(1, 99), valid=(40, 80), decimals=1)
    kg_odt: float = quantity("Dithionite", "kg/ODt", possible=(0, 40), valid=(0, 12), decimals=1)
    bleached: str = choice("Pulp before", ("unbleached", "peroxide bleached"), default="unbleached")
    ph: float = quantity("pH", "", possible=(0, 14), valid=(5, 6.5), decimals=1, default=5.8)


@dataclass(frozen=True, slots=True, kw_only=True)
class DithioniteFound:
    iso_out: float = figure("Brightness out", "% ISO", decimals=1, equation="K (1 − a (1 − e^(−c/4)))")
    gain: float = figure("Gain", "points", decimals=1, equation="out − in")
    a_kg: float = figure("One kg more gives", "points", decimals=2, equation="ISO with 1 kg more − ISO out")
    cautions: tuple[Caution, ...] = ()


@model(
    "bleach.dithionite",
    title="Dithionite",
    source="plateau 0.52, on bleached pulp 0.25, defaults to be calibrated",
    holds_for="3 to 5 %, 55 to 65 °C, pH 5.0 to 6.5, free of air, 30 to 60 min",
    equation="K out = K (1 − a (1 − e^(−c/4)))",
    basis="default",
    checks=(Check({"iso_pct": 60, "kg_odt": 8}, "iso_out", 68.332, 5e-3),),
)
def dithionite(case: DithioniteCase) -> DithioniteFound:
    """Raises: ImpossibleInput."""
    cautions = check(case)
    share, k = (0.52 if case.bleached == "unbleached" else 0.25), ks_from_reflectance(case.iso_pct / 100.0)

    def at(c: float) -> float:
        return brightness_from_ks(k * (1.0 - share * (1.0 - math.exp(-min(c, 12.0) / 4.0))))

    cautions += (Caution("kg_odt", "dry powder and damp heat by themselves: keep it dry, never near acid or oxidiser"),)
    out = at(case.kg_odt)
    return DithioniteFound(iso_out=out, gain=out - case.iso_pct, a_kg=at(case.kg_odt + 1.0) - out, cautions=cautions)


@dataclass(frozen=True, slots=True, kw_only=True)
class PressCase:
    feed_pct: float = quantity("Feed", "%", possible=(1, 40), valid=(3, 5), decimals=1, default=4.0)
    press_pct: float = quantity("First press", "%", possible=(5, 60), valid=(25, 35), decimals=0, default=30.0)
    tower_pct: float = quantity("Tower", "%", possible=(3, 60), valid=(10, 30), decimals=0, default=25.0)
    dilute_pct: float = quantity("Diluted to", "%", possible=(1, 40), valid=(4, 7), decimals=1, default=5.0)
    out_pct: float = quantity("Second press", "%", possible=(5, 60), valid=(25, 35), decimals=0, default=30.0)
    clean_t: float = quantity("Clean water in the dilution", "t/ODt", possible=(0, 60), decimals=1, default=6.0)
    clean_kg: float = quantity("its COD", "kg/t", possible=(0, 50), decimals=2, default=0.5)
    back_t: float = quantity("Filtrate before the first press", "t/ODt", possible=(0, 60), decimals=1, default=1.5)
    mix_back_t: float = quantity("Filtrate into the mixer", "t/ODt", possible=(0, 20), decimals=2, default=0.0)
    feed_kg: float = quantity("COD of the feed's liquor", "kg/t", possible=(0, 100), decimals=1, default=1.0)
    made_kg: float = quantity("COD made", "kg/ODt", possible=(0, 200), valid=(15, 50), decimals=0, default=32.0)
    fresh_kg: float = quantity("Fresh peroxide", "kg/ODt", possible=(0, 100), decimals=0, default=30.0)
    residual: float = quantity("Peroxide left", "share", possible=(0, 0.95), valid=(0.05, 0.6), decimals=2, default=0.15)
    survives: float = quantity("Of what returns, lives", "share", possible=(0, 1), valid=(0, 0.95), decimals=2, default=0.5)


@dataclass(frozen=True, slots=True, kw_only=True)
class PressFound:
    cod_forward: float = figure("COD forward with the pulp", "kg/ODt", decimals=2, equation="Lo x filtrate")
    p_eff: float = figure("Peroxide at work", "kg/ODt", decimals=2, equation="fresh/[1 − s ρ (a back + mix)/(Lt + clean)]")
    returned: float = figure("of it returned", "kg/ODt", decimals=3, equation="at work − fresh")
    h_forward: float = figure("Peroxide forward", "kg/ODt", decimals=2, equation="ρ P/(Lt + clean) × Lo")
    x_filtrate: float = figure("COD of the filtrate", "kg/t", decimals=2, equation="solute balance")
    cod_press: float = figure("COD out with the first press", "kg/ODt", decimals=2, equation="(L0 + back − L1) x1")
    cod_purge: float = figure("COD out with the purge", "kg/ODt", decimals=2, equation="purge × filtrate")
    mix_water: float = figure(
        "Room left in the mixer, taken fresh",
        "t/ODt",
        decimals=3,
        equation="Lt − L1 − filtrate into it",
    )
    purge: float = figure("Purge", "t/ODt", decimals=2, equation="Lt + clean − Lo − back − mix")
    fresh_water: float = figure("Fresh water", "t/ODt", decimals=2, equation="clean + what the mixer takes fresh")
    cautions: tuple[Caution, ...] = ()


_MB = {"tower_pct": 20, "back_t": 0, "mix_back_t": 1.2, "residual": 0.30}


@model(
    "wash.press",
    title="Press, mix, tower, press: back-water of mechanical bleaching",
    source="steady well-mixed balance; survival and made COD default",
    holds_for="press 25 to 35 %, tower under the press",
    equation="x2 = (a L0 x0 + made + clean y)/(Lt + clean − a back − mix)",
    basis="default",
    calibrated_by=("residual", "survives", "made_kg"),
    checks=(
        Check({}, "mix_water", 0.66667, 2e-3),
        Check({}, "purge", 5.1667, 2e-3),
        Check({}, "x_filtrate", 4.1969, 2e-3),
        Check({}, "cod_press", 27.523, 2e-3),
        Check({}, "cod_purge", 21.684, 2e-3),
        Check({}, "cod_forward", 9.7928, 2e-3),
        Check({}, "p_eff", 30.034, 2e-3),
        Check({}, "returned", 0.034353, 5e-3),
        Check({}, "h_forward", 1.168, 2e-3),
        Check({}, "fresh_water", 6.6667, 2e-3),
        Check(_MB, "mix_water", 0.46667, 2e-3),
        Check(_MB, "x_filtrate", 4.2424, 2e-3),
        Check(_MB, "cod_purge", 27.434, 2e-3),
        Check(_MB, "cod_forward", 9.899, 2e-3),
        Check(_MB, "p_eff", 30.55, 2e-3),
        Check(_MB, "returned", 0.5499, 2e-3),
        Check(_MB, "fresh_water", 6.4667, 2e-3),
        Check({"back_t": 0}, "x_filtrate", 4.1481, 2e-3),
        Check({"back_t": 0}, "cod_forward", 9.679, 2e-3),
        Check({"back_t": 0}, "cod_purge", 27.654, 2e-3),
    ),
)
def press(case: PressCase) -> PressFound | Infeasible:
    """What comes round and what goes forward. Infeasible when more returns than there is room or water for. Raises:
    ImpossibleInput."""
    cautions = check(case)
    l0, l1, lt, ld, lo = (liquor(c) for c in (case.feed_pct, case.press_pct, case.tower_pct, case.dilute_pct, case.out_pct))
    room = lt - l1
    if room < 0.0:
        return Infeasible(
            field="tower_pct",
            reason=f"{case.tower_pct:g} % is over the press, {case.press_pct:g} %: there is no room for chemicals",
            nearest=case.press_pct,
            unit="%",
        )
    if case.mix_back_t > room + 1e-9:
        return Infeasible(
            field="mix_back_t", reason=f"{case.mix_back_t:g} t is more than the mixer has room for", nearest=room, unit="t/ODt"
        )
    own = ld - lt - case.clean_t
    if own < -1e-9:
        return Infeasible(
            field="clean_t", reason=f"{case.clean_t:g} t is more than the dilution takes", nearest=ld - lt, unit="t/ODt"
        )
    purge = lt + case.clean_t - lo - case.back_t - case.mix_back_t
    if purge < 0.0:
        return Infeasible(
            field="back_t", reason="returns more filtrate than there is", nearest=max(0.0, case.back_t + purge), unit="t/ODt"
        )
    a = l1 / (l0 + case.back_t)
    x2 = (a * l0 * case.feed_kg + case.made_kg + case.clean_t * case.clean_kg) / (
        lt + case.clean_t - a * case.back_t - case.mix_back_t
    )
    x1 = (l0 * case.feed_kg + case.back_t * x2) / (l0 + case.back_t)
    p = case.fresh_kg / (1.0 - case.survives * case.residual * (a * case.back_t + case.mix_back_t) / (lt + case.clean_t))
    forward = lo * x2
    if forward > 15.0:
        cautions += (Caution("clean_t", f"{forward:.0f} kg COD/ODt goes forward: a neutral machine loop wants under 8"),)
    if case.residual > 0.0:
        cautions += (Caution("residual", "peroxide goes forward: destroy it before any dithionite"),)
    return PressFound(
        cod_forward=forward,
        p_eff=p,
        returned=p - case.fresh_kg,
        h_forward=case.residual * p / (lt + case.clean_t) * lo,
        x_filtrate=x2,
        cod_press=(l0 + case.back_t - l1) * x1,
        cod_purge=purge * x2,
        mix_water=room - case.mix_back_t,
        purge=purge,
        fresh_water=case.clean_t + room - case.mix_back_t,
        cautions=cautions,
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class TwoStageCase:
    wood: str = choice("Pulp", tuple(CEILING))
    iso_pct: float = quantity("Brightness in", "% ISO", possible=(1, 99), valid=(40, 75), decimals=1)
    first_kg: float = quantity("Fresh to the first stage", "kg/ODt", possible=(0, 100), decimals=0, default=0.0)
    second_kg: float = quantity("Fresh to the second", "kg/ODt", possible=(0, 100), decimals=1, default=30.0)
    left_1: float = quantity("Left after the first", "share", possible=(0, 0.95), decimals=2, default=0.15)
    left_2: float = quantity("Left after the second", "share", possible=(0, 0.95), decimals=2, default=0.45)
    back: float = quantity("Second's rest that returns", "share", possible=(0, 1), decimals=2, default=0.85)
    carried: float = quantity("First's liquor the press carries", "share", possible=(0, 1), decimals=2, default=0.20)
    gain: float = quantity("Gain of the press between", "", possible=(1, 1.4), decimals=2, default=1.15)


@dataclass(frozen=True, slots=True, kw_only=True)
class TwoStageFound:
    iso_out: float = figure("Brightness out", "% ISO", decimals=1, equation="one curve for what both used")
    p1: float = figure("At work in the first", "kg/ODt", decimals=2, equation="f1 + b ρ2 P2")
    p2: float = figure("At work in the second", "kg/ODt", decimals=2, equation="(f2 + c ρ1 f1)/(1 − b c ρ1 ρ2)")
    used: float = figure("Used in both", "kg/ODt", decimals=2, equation="(1 − ρ) P of each")
    lost: float = figure("Lost", "kg/ODt", decimals=2, equation="fresh − used")
    one_stage: float = figure("The same fresh in one stage", "% ISO", decimals=1, equation="15 % left")
    cautions: tuple[Caution, ...] = ()


_TS = {"wood": "spruce", "iso_pct": 60}


@model(
    "bleach.two_stage",
    title="Two peroxide stages with a press between",
    source="returned residual by balance; alkali at its best",
    holds_for="all or most fresh peroxide to the thick second stage",
    equation="P2 = (f2 + c ρ1 f1)/(1 − b c ρ1 ρ2); P1 = f1 + b ρ2 P2",
    basis="default",
    calibrated_by=("gain",),
    checks=(
        Check(_TS, "p1", 11.608, 1e-3),
        Check(_TS, "p2", 30.348, 1e-3),
        Check(_TS, "used", 26.559, 1e-3),
        Check(_TS, "lost", 3.4415, 1e-3),
        Check(_TS, "iso_out", 75.781, 2e-3),
        Check(_TS, "one_stage", 74.985, 2e-3),
        Check({**_TS, "second_kg": 25.047}, "iso_out", 74.985, 3e-3),
    ),
)
def two_stage(case: TwoStageCase) -> TwoStageFound:
    """Raises: ImpossibleInput."""
    cautions = check(case)
    p2 = (case.second_kg + case.carried * case.left_1 * case.first_kg) / (
        1.0 - case.back * case.carried * case.left_1 * case.left_2
    )
    p1 = case.first_kg + case.back * case.left_2 * p2
    used = (1.0 - case.left_1) * p1 + (1.0 - case.left_2) * p2
    fresh = case.first_kg + case.second_kg
    pct = case.gain * used / (10.0 * USED_OF_CHARGE)
    return TwoStageFound(
        iso_out=iso_after(case.wood, case.iso_pct, pct, 0.7 + 0.45 * pct),
        p1=p1,
        p2=p2,
        used=used,
        lost=fresh - used,
        one_stage=iso_after(case.wood, case.iso_pct, fresh / 10.0, 0.7 + 0.45 * fresh / 10.0),
        cautions=cautions,
    )
