"""Rows B1 to B12: bleaching. Source: shift practice, section 4; sizes by the stage models."""

from dataclasses import dataclass

from core.bleach.ceilings import CEILING, STRENGTH_MOST_G_L, mind_strength
from core.bleach.stages import PUBLISHED, Constants, Pulp, Setting, run
from core.colour import ks_from_reflectance
from core.document import same
from core.errors import Caution
from core.judge.move import strength_step
from core.practice.row import Practice, Proposal, Sized, add, cut, feedback
from core.quantity import check, choice, figure, quantity
from core.register import Check, model
from core.unit import Facts

AD = 0.9
MOST_FACTOR, MOST_D1, MOST_P, MOST_ALKALI, MOST_TEMP, MOST_RESIDUAL = 0.25, 3.0, 4.0, 3.0, 5.0, 0.20
NIL_CLO2, CHASE = 0.01, 0.15
MOST_ADT = {stage: AD * kg for stage, kg in CEILING.items()}  # kg/ADt


def under_ceiling(step: Sized, now: float, stage: str) -> Sized:
    """A step of a charge (kg/ADt) that ends at its stage's ceiling at the most."""
    room = max(0.0, MOST_ADT[stage] - now)
    if step.size <= room:
        return step
    return Sized(size=room, bound_by=f"the ceiling of {stage}, {MOST_ADT[stage]:g} kg/ADt")


@dataclass(frozen=True, slots=True, kw_only=True)
class KappaCase:
    kappa: float = quantity("Kappa into D0 now", "", possible=(0.1, 200), valid=(3, 35), decimals=1)
    set_kappa: float = quantity("Kappa the charge is set for", "", possible=(0.1, 200), valid=(3, 35), decimals=1)
    clo2_kg: float = quantity("ClO₂ to D0 now", "kg/ADt", possible=(0, MOST_ADT["D0"]), above=True, decimals=1)
    low_factor: float = quantity("Factor card from", "", possible=(0, 1), decimals=2, default=0.15)
    high_factor: float = quantity("to", "", possible=(0, 1), decimals=2, default=0.28)
    strength_g_l: float = quantity(
        "ClO₂ solution",
        "g/L",
        possible=(0, STRENGTH_MOST_G_L),
        above=True,
        decimals=1,
        default=9.4,
    )
    adt_h: float = quantity("Pulp", "ADt/h", possible=(0, 300), above=True, decimals=2, default=7.3)


@dataclass(frozen=True, slots=True, kw_only=True)
class KappaMove(Proposal):
    before: float = figure("ClO₂ now", "kg/ADt", decimals=1, equation="as it is")
    after: float = figure("ClO₂ then", "kg/ADt", decimals=1, equation="× kappa now/kappa set, 25 % at most, within the card")
    factor: float = figure("Kappa factor then", "", decimals=3, equation="active chlorine %/kappa")
    l_min: float = figure("that is", "L/min", decimals=0, equation="kg/ADt × ADt/h × 1000/(g/L × 60)")
    expected: float = figure("Kappa it is set for then", "", decimals=1, equation="as it enters")


@model(
    "bleach.kappa_move",
    title="B1: charge for a kappa that changed",
    source="shift practice, row B1",
    holds_for="feed-forward, with the plug, factor 0.15 to 0.28",
    equation="ClO₂ then = ClO₂ × κ now/κ set",
    checks=(
        Check({"kappa": 13.9, "set_kappa": 13.5, "clo2_kg": 10.3}, "after", 10.605, 1e-3),
        Check({"kappa": 20, "set_kappa": 13.5, "clo2_kg": 10.3}, "after", 12.875, 1e-3),
    ),
)
def kappa_move(case: KappaCase) -> KappaMove:
    """The whole of it, when the plug arrives; towards the factor card by what one move may be. Raises: ImpossibleInput."""
    cautions = check(case) + mind_strength(case.strength_g_l, "strength_g_l")
    wanted, bound = case.clo2_kg * case.kappa / case.set_kappa, ""
    per = 2.628 / AD / 10.0 / case.kappa
    if wanted * per > case.high_factor:
        wanted, bound = case.high_factor / per, "the factor card's upper end"
    elif wanted * per < case.low_factor:
        wanted, bound = case.low_factor / per, "the factor card's lower end"
    step = cut(wanted - case.clo2_kg, MOST_FACTOR * case.clo2_kg)
    after, bound = case.clo2_kg + step.size, step.bound_by or bound
    if after > MOST_ADT["D0"]:
        after, bound = MOST_ADT["D0"], f"the ceiling of D0, {MOST_ADT['D0']:g} kg/ADt"
    return KappaMove(
        stands=abs(case.kappa / case.set_kappa - 1.0) > 0.02,
        why=f"Kappa {case.kappa:.1f} enters where the charge is set for {case.set_kappa:.1f}. Time it by the "
        f"transport, not by the sample.",
        low=min(after, case.clo2_kg * (1 - MOST_FACTOR)),
        high=case.clo2_kg * (1 + MOST_FACTOR),
        band_low=0.98 * case.kappa,
        band_high=1.02 * case.kappa,
        bound_by=bound,
        cautions=cautions,
        before=case.clo2_kg,
        after=after,
        factor=after * per,
        l_min=after * case.adt_h * 1000.0 / case.strength_g_l / 60.0,
        expected=case.kappa,
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class WeakCase:
    strength_g_l: float = quantity(
        "ClO₂ solution now", "g/L", possible=(0, STRENGTH_MOST_G_L), above=True, valid=(6, 10), decimals=2
    )
    set_g_l: float = quantity("Flow is set for", "g/L", possible=(0, STRENGTH_MOST_G_L), above=True, valid=(6, 10), decimals=2)
    flow_m3_h: float = quantity("Flow now", "m³/h", possible=(0, 500), above=True, decimals=2)
    pump_m3_h: float = quantity("Pump at most", "m³/h", possible=(0, 500), above=True, decimals=1, default=20.0)


@dataclass(frozen=True, slots=True, kw_only=True)
class WeakMove(Proposal):
    before: float = figure("Flow now", "m³/h", decimals=2, equation="as it is")
    after: float = figure("Flow then", "m³/h", decimals=2, equation="× old strength/new, the pump at most")
    rate_pct: float = figure("Rate, if the pump binds", "%", decimals=0, equation="100 × what the pump gives/what is wanted")
    expected: float = figure("ClO₂ kept at", "kg/h", decimals=1, equation="flow × strength")


@model(
    "bleach.weak_move",
    title="B2: flow for a weak chlorine dioxide solution",
    source="shift practice, row B2",
    holds_for="feed-forward, one accepted titration",
    equation="flow × c old/c new",
    checks=(
        Check({"strength_g_l": 8.6, "set_g_l": 10.0, "flow_m3_h": 8.2}, "after", 9.535, 1e-4),
        Check({"strength_g_l": 8.6, "set_g_l": 10.0, "flow_m3_h": 8.2, "pump_m3_h": 9.0}, "rate_pct", 94.39, 1e-3),
    ),
)
def weak_move(case: WeakCase) -> WeakMove:
    """Raises: ImpossibleInput."""
    cautions = check(case) + mind_strength(max(case.strength_g_l, case.set_g_l), "strength_g_l")
    wanted = strength_step(case.flow_m3_h, case.set_g_l, case.strength_g_l)
    after = min(wanted, case.pump_m3_h)
    cautions += (Caution("flow_m3_h", "more water cools and thins: look at temperature and consistency again"),)
    return WeakMove(
        stands=abs(case.strength_g_l / case.set_g_l - 1.0) > 0.01,
        why=f"The solution is {case.strength_g_l:.4g} g/L where the flow is set for {case.set_g_l:.4g}.",
        low=min(after, 0.8 * case.flow_m3_h),
        high=max(after, case.pump_m3_h),
        band_low=0.98 * case.flow_m3_h * case.set_g_l,
        band_high=1.02 * case.flow_m3_h * case.set_g_l,
        bound_by="the pump" if after < wanted else "",
        cautions=cautions,
        before=case.flow_m3_h,
        after=after,
        rate_pct=100.0 * after / wanted,
        expected=after * case.strength_g_l,
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class BrightCase:
    iso_pct: float = quantity("Brightness", "% ISO", possible=(1, 99), valid=(60, 92), decimals=1)
    target: float = quantity("Wanted", "% ISO", possible=(1, 99), valid=(60, 91), decimals=1)
    inner: float = quantity("Inner band", "± points", possible=(0, 10), above=True, decimals=1, default=0.8)
    residual_g_l: float = quantity("ClO₂ left", "g/L", possible=(0, 5), valid=(0, 0.3), decimals=3)
    clo2_kg: float = quantity("ClO₂ to D1 now", "kg/ADt", possible=(0, MOST_ADT["D1"]), valid=(1, 12), decimals=1)
    before_pct: float = quantity("Brightness into D1", "% ISO", possible=(1, 99), valid=(60, 88), decimals=1, default=81.0)
    minutes: float = quantity("Time", "min", possible=(1, 1000), decimals=0, default=167.0)
    temp_c: float = quantity("Temperature", "°C", possible=(5, 100), valid=(65, 80), decimals=0, default=74.0)
    ph: float = quantity("Exit pH", "", possible=(0, 14), valid=(3.3, 4.5), decimals=1, default=3.8)
    kappa_in: float = quantity("Kappa into D1", "", possible=(0.1, 100), valid=(0.5, 8), decimals=1, default=2.0)
    brighten_factor: float = same(Constants, "brighten_factor", default=PUBLISHED.brighten_factor)
    floor_more: float = same(Constants, "floor_more", default=PUBLISHED.floor_more)


@dataclass(frozen=True, slots=True, kw_only=True)
class BrightMove(Proposal):
    before: float = figure("ClO₂ now", "kg/ADt", decimals=1, equation="as it is")
    after: float = figure("ClO₂ then", "kg/ADt", decimals=1, equation="−0.7 e/g, 3 at most; none where some is left")
    gain: float = figure("Points a kg/ADt", "", decimals=2, equation="stage model at this charge, with this mill’s constants")
    ph: float = figure("Or pH to", "", decimals=1, equation="3.8 where chemical is left (B4)")
    temp_c: float = figure("and temperature to", "°C", decimals=0, equation="+ 3 °C (B4), 5 at most")
    expected: float = figure("Brightness then", "% ISO", decimals=1, equation="brightness + g Δ")


_B3 = {"iso_pct": 85.0, "target": 86.0, "residual_g_l": 0.0, "clo2_kg": 2.9}


@model(
    "bleach.brightness_move",
    title="B3, B4: low brightness after D1",
    source="shift practice, rows B3 and B4; stage model",
    holds_for="under the ceiling; charge only where nothing is left",
    equation="ΔClO₂ = −0.7 e/g, g from the stage model",
    basis="default",
    checks=(
        Check({**_B3, "residual_g_l": 0.05}, "after", 2.9),
        Check({**_B3, "residual_g_l": 0.05}, "temp_c", 77.0),
        Check({**_B3, "iso_pct": 86.2}, "after", 2.9),
    ),
)
def brightness_move(case: BrightCase) -> BrightMove:
    """With chemical left it is pH and heat, not charge; near the ceiling nothing is chased. Raises: ImpossibleInput."""
    cautions = check(case)
    pulp = Pulp(kappa=case.kappa_in, ks=ks_from_reflectance(case.before_pct / 100.0), mn=3.0)
    own = Constants(brighten_factor=case.brighten_factor, floor_more=case.floor_more)

    def at(kg: float) -> float:
        setting = Setting(charge=kg / AD, minutes=case.minutes, temp_c=case.temp_c, ph=case.ph)
        return run("D1", pulp, setting, own=own).pulp.iso

    tried = 0.5 if case.clo2_kg + 0.5 <= MOST_ADT["D1"] else -0.5
    gain = (at(case.clo2_kg + tried) - at(case.clo2_kg)) / tried
    error = case.iso_pct - case.target
    low, left = error < -case.inner, case.residual_g_l > NIL_CLO2
    flat = gain < CHASE
    step = feedback(error, gain, MOST_D1) if low and not left and not flat else cut(0.0, 1.0)
    step = under_ceiling(step, case.clo2_kg, "D1")
    why = f"Brightness {case.iso_pct:.1f}, wanted {case.target:.1f} ± {case.inner:.1f}; {case.residual_g_l:.3f} g/L left."
    if low and left:
        why += " Chemical is left (B4): not charge, but pH to 3.8 and 3 °C more; look at channelling and mixing."
    elif low and flat:
        why += f" A kg gives {gain:.2f} points: near the ceiling, do not chase."
    return BrightMove(
        stands=low and (left or not flat),
        why=why,
        low=case.clo2_kg,
        high=min(MOST_ADT["D1"], case.clo2_kg + MOST_D1),
        band_low=case.target - case.inner,
        band_high=min(99.0, case.target + 3.0),
        bound_by=step.bound_by,
        cautions=cautions,
        before=case.clo2_kg,
        after=case.clo2_kg + step.size,
        gain=gain,
        ph=3.8 if low and left else case.ph,
        temp_c=case.temp_c + (3.0 if low and left else 0.0),
        expected=case.iso_pct + gain * step.size,
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class LeftCase:
    residual_g_l: float = quantity("ClO₂ left at the exit", "g/L", possible=(0, 5), decimals=3)
    target_g_l: float = quantity("Wanted", "g/L", possible=(0, 5), decimals=3, default=0.03)
    inner: float = quantity("Inner band", "± g/L", possible=(0, 1), above=True, decimals=3, default=0.03)
    cons_pct: float = quantity("Consistency", "%", possible=(1, 40), valid=(9, 14), decimals=1, default=11.0)
    clo2_kg: float = quantity("ClO₂ now", "kg/ADt", possible=(0, MOST_ADT["D0"]), above=True, decimals=1)


@dataclass(frozen=True, slots=True, kw_only=True)
class LeftMove(Proposal):
    before: float = figure("ClO₂ now", "kg/ADt", decimals=1, equation="as it is")
    after: float = figure("ClO₂ then", "kg/ADt", decimals=2, equation="− 0.7 (left − wanted) × liquor, 20 % at most")
    liquor: float = figure("Liquor with the pulp", "m³/ADt", decimals=2, equation="0.9 (100 − C)/C")
    expected: float = figure("Left then", "g/L", decimals=3, equation="left + change/liquor")


@model(
    "bleach.residual_move",
    title="B5: residual chlorine dioxide high",
    source="shift practice, row B5",
    holds_for="with the kill (SO₂ or bisulphite) on",
    equation="Δ = −0.7 (left − wanted) W",
    checks=(
        Check({"residual_g_l": 0.23, "clo2_kg": 5}, "after", 4.0),
        Check({"residual_g_l": 0.13, "clo2_kg": 5}, "after", 4.490273, 1e-4),
    ),
)
def residual_move(case: LeftCase) -> LeftMove:
    """Raises: ImpossibleInput."""
    cautions = check(case)
    w = AD * (100.0 - case.cons_pct) / case.cons_pct
    over = case.residual_g_l - case.target_g_l
    stands = over > case.inner
    step = cut(-0.7 * over * w if stands else 0.0, MOST_RESIDUAL * case.clo2_kg)
    return LeftMove(
        stands=stands,
        why=f"{case.residual_g_l:.3f} g/L is left at the exit, {case.target_g_l:.3f} wanted. The kill goes on first.",
        low=case.clo2_kg * (1 - MOST_RESIDUAL),
        high=case.clo2_kg,
        band_low=0.0,
        band_high=case.target_g_l + case.inner,
        bound_by=step.bound_by,
        cautions=cautions,
        before=case.clo2_kg,
        after=case.clo2_kg + step.size,
        liquor=w,
        expected=case.residual_g_l + step.size / w,
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class PhCase:
    stage: str = choice("Stage", ("D, with acid", "D, with NaOH", "E or P, with NaOH"))
    ph: float = quantity("Exit pH", "", possible=(0, 14), decimals=1)
    target: float = quantity("Wanted", "", possible=(0, 14), decimals=1)
    inner: float = quantity("Inner band", "±", possible=(0, 5), above=True, decimals=1, default=0.3)
    kg_adt: float = quantity("Acid or NaOH now", "kg/ADt", possible=(0, MOST_ADT["E"]), decimals=1)
    slope: float = quantity("pH a kg/ADt", "", possible=(-3, 3), decimals=2, default=0.25, help="this mill's; acid negative")


@dataclass(frozen=True, slots=True, kw_only=True)
class PhMove(Proposal):
    before: float = figure("Acid or NaOH now", "kg/ADt", decimals=1, equation="as it is")
    after: float = figure("Acid or NaOH then", "kg/ADt", decimals=1, equation="−0.7 e/g; 2 kg in D, 3 in E or P")
    expected: float = figure("Exit pH then", "", decimals=1, equation="pH + g Δ")


@model(
    "bleach.ph_move",
    title="B6, B7: exit pH off",
    source="shift practice, rows B6 and B7; the slope is the mill's",
    holds_for="strength and recycle checked",
    equation="Δ = −0.7 e/g",
    basis="default",
    calibrated_by=("slope",),
    checks=(
        Check({"stage": "E or P, with NaOH", "ph": 10.2, "target": 10.8, "kg_adt": 14}, "after", 15.68),
        Check({"stage": "D, with acid", "ph": 4.4, "target": 3.8, "kg_adt": 2, "slope": -0.3}, "after", 3.4),
    ),
)
def ph_move(case: PhCase) -> PhMove:
    """Raises: ImpossibleInput."""
    cautions = check(case)
    error, d = case.ph - case.target, case.stage[0] == "D"
    stands = abs(error) > case.inner
    step = feedback(error, case.slope, 2.0 if d else MOST_ALKALI) if stands else cut(0.0, 1.0)
    if case.kg_adt + step.size < 0.0:
        step = cut(-case.kg_adt, 100.0)
    step = under_ceiling(step, case.kg_adt, "A" if case.stage == "D, with acid" else "E")
    if d and case.ph < 2.5:
        cautions += (Caution("ph", "under 2.5 it corrodes and makes chlorate"),)
    if d and case.ph > 5.0:
        cautions += (Caution("ph", "over 5 chlorite is left unused"),)
    most = 2.0 if d else MOST_ALKALI
    return PhMove(
        stands=stands,
        why=f"Exit pH {case.ph:.1f}, wanted {case.target:.1f} ± {case.inner:.1f}.",
        low=max(0.0, case.kg_adt - most),
        high=max(case.kg_adt, min(MOST_ADT["A" if case.stage == "D, with acid" else "E"], case.kg_adt + most)),
        band_low=case.target - case.inner,
        band_high=case.target + case.inner,
        bound_by=step.bound_by,
        cautions=cautions,
        before=case.kg_adt,
        after=case.kg_adt + step.size,
        expected=case.ph + case.slope * step.size,
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class PeroxideCase:
    iso_pct: float = quantity("Brightness", "% ISO", possible=(1, 99), decimals=1)
    target: float = quantity("Wanted", "% ISO", possible=(1, 99), decimals=1)
    inner: float = quantity("Inner band", "± points", possible=(0, 10), above=True, decimals=1, default=0.8)
    left_pct: float = quantity("Peroxide left, of the charge", "%", possible=(0, 100), decimals=0)
    line: str = choice("Pulp", ("chemical", "mechanical"))
    alkali: str = choice("Alkali", ("at its best", "over its best"), default="at its best")
    h2o2_kg: float = quantity("H₂O₂ now", "kg/ADt", possible=(0, MOST_ADT["P"]), decimals=1)
    naoh_kg: float = quantity("NaOH now", "kg/ADt", possible=(0, MOST_ADT["E"]), decimals=1)


@dataclass(frozen=True, slots=True, kw_only=True)
class PeroxideMove(Proposal):
    before: float = figure("The lever now", "kg/ADt", decimals=1, equation="H₂O₂, or NaOH where it is over its best")
    after: float = figure(
        "The lever then", "kg/ADt", decimals=1, equation="H₂O₂ + 2 (4 at most), NaOH − 1 a kg short (3 at most)"
    )
    expected: float = figure("Brightness wanted", "% ISO", decimals=1, equation="the aim; no model foresees the metals")


@model(
    "bleach.peroxide_move",
    title="B8, B9: peroxide gone and brightness low",
    source="shift practice, rows B8 and B9",
    holds_for="chelation or biocide first; mechanical pulp: alkali down, sour at once",
    equation="H₂O₂ + 2, or NaOH − 1 kg a kg of H₂O₂ short",
    checks=(
        Check(
            {
                "iso_pct": 69,
                "target": 70,
                "left_pct": 0,
                "line": "mechanical",
                "alkali": "over its best",
                "h2o2_kg": 25,
                "naoh_kg": 20,
            },
            "after",
            17.5,
        ),
        Check({"iso_pct": 82, "target": 83, "left_pct": 0, "line": "chemical", "h2o2_kg": 18, "naoh_kg": 12}, "after", 20.0),
    ),
)
def peroxide_move(case: PeroxideCase) -> PeroxideMove:
    """Which of the two, by the alkali. Raises: ImpossibleInput."""
    cautions = check(case)
    low, nil = case.iso_pct < case.target - case.inner, case.left_pct < 5.0
    short = max(0.0, 0.10 * case.h2o2_kg - case.left_pct / 100.0 * case.h2o2_kg)
    lye = case.line == "mechanical" and case.alkali == "over its best"
    before = case.naoh_kg if lye else case.h2o2_kg
    step = cut((-short if lye else 2.0) if low and nil else 0.0, MOST_ALKALI if lye else MOST_P)
    step = under_ceiling(step, before, "E" if lye else "P")
    why = f"Brightness {case.iso_pct:.1f}, wanted {case.target:.1f}; {case.left_pct:.0f} % of the peroxide is left."
    if low and nil:
        why += (
            " NaOH down, sour to pH 5.5 to 6.5 at once: it darkens by the minute."
            if lye
            else " First chelant, or biocide and heat where catalase is about; then peroxide."
        )
    return PeroxideMove(
        stands=low and nil,
        why=why,
        low=max(0.0, before - MOST_ALKALI) if lye else before,
        high=before if lye else min(MOST_ADT["P"], before + MOST_P),
        band_low=case.target - case.inner,
        band_high=min(99.0, case.target + 3.0),
        bound_by=step.bound_by,
        cautions=(*cautions, Caution("h2o2_kg", "decomposing peroxide builds pressure: nothing shut in")),
        before=before,
        after=before + step.size,
        expected=case.target,
    )


def peroxide_left(residual_g_l: float, facts: Facts) -> float | None:
    """Peroxide left, % of the charge, of what a titration of the liquor finds, g/L; None without a charge to count it by."""
    charge, cons = facts.get("h2o2_kg"), facts.get("cons_pct")
    if not isinstance(charge, float) or not isinstance(cons, float) or charge <= 0.0:
        return None
    return min(100.0, 100.0 * residual_g_l * AD * (100.0 - cons) / cons / charge)


@dataclass(frozen=True, slots=True, kw_only=True)
class DithioniteCase:
    gain: float = quantity("Gain of the stage", "points", possible=(-10, 30), decimals=1)
    wanted: float = quantity("Gain wanted", "points", possible=(0, 30), decimals=1, default=7.0)
    inner: float = quantity("Inner band", "± points", possible=(0, 10), above=True, decimals=1, default=1.0)
    air: str = choice("Air in the stock", ("none", "air, or pH off"))
    kg_odt: float = quantity("Dithionite now", "kg/t", possible=(0, CEILING["Y"]), valid=(0, 9), decimals=1)


@dataclass(frozen=True, slots=True, kw_only=True)
class DithioniteMove(Proposal):
    before: float = figure("Dithionite now", "kg/t", decimals=1, equation="as it is")
    after: float = figure("Dithionite then", "kg/t", decimals=1, equation="+ 1, at most 2 a move, 9 in all; air first")
    expected: float = figure("Gain wanted", "points", decimals=1, equation="the aim")


@model(
    "bleach.dithionite_move",
    title="B10: dithionite gains little",
    source="shift practice, row B10",
    holds_for="air and pH first",
    equation="+ 1 kg/t to the plateau",
    checks=(
        Check({"gain": 4, "air": "none", "kg_odt": 6}, "after", 7.0),
        Check({"gain": 4, "air": "none", "kg_odt": 9}, "after", 9.0),
    ),
)
def dithionite_move(case: DithioniteCase) -> DithioniteMove:
    """Raises: ImpossibleInput."""
    cautions = check(case)
    low, room = case.gain < case.wanted - case.inner, max(0.0, 9.0 - case.kg_odt)
    step = cut(1.0 if low and case.air == "none" else 0.0, room, "the plateau, 9 kg/t")
    why = f"The stage gains {case.gain:.1f} points, {case.wanted:.1f} wanted."
    if low and case.air != "none":
        why += " Air or pH first (pH 5 to 6, free of air): more powder would feed the air."
    return DithioniteMove(
        stands=low and case.air == "none" and room > 0.0,
        why=why,
        low=case.kg_odt,
        high=min(9.0, case.kg_odt + 2.0) if room > 0 else case.kg_odt,
        band_low=case.wanted - case.inner,
        band_high=30.0,
        bound_by=step.bound_by,
        cautions=cautions,
        before=case.kg_odt,
        after=case.kg_odt + step.size,
        expected=case.wanted,
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class SteadyCase:
    what: str = choice("What is seen", ("neither", "viscosity falls over a stage", "brightness swings with the tower level"))
    temp_c: float = quantity("Temperature of that stage", "°C", possible=(5, 130), decimals=0, default=98.0)
    level_pct: float = quantity("Tower level", "%", possible=(0, 100), decimals=0, default=70.0)
    swing_pct: float = quantity("its swing", "± %", possible=(0, 50), decimals=0, default=3.0)


@dataclass(frozen=True, slots=True, kw_only=True)
class SteadyMove(Proposal):
    before: float = figure("The lever now", "", decimals=0, equation="temperature, or swing of the level")
    after: float = figure("The lever then", "", decimals=0, equation="− 3 °C (5 at most), or ± 3 %")
    expected: float = figure("Wanted", "", decimals=0, equation="viscosity held, or a swing of 3 %")


@model(
    "bleach.steady_move",
    title="B11, B12: viscosity lost, or brightness that swings",
    source="shift practice, rows B11 and B12",
    holds_for="the stage found by paired samples; no charge move for a swing",
    equation="T − 3 °C, or level held ± 3 %",
    checks=(
        Check({"what": "viscosity falls over a stage"}, "after", 95.0),
        Check({"what": "brightness swings with the tower level", "swing_pct": 9}, "after", 3.0),
    ),
)
def steady_move(case: SteadyCase) -> SteadyMove:
    """Raises: ImpossibleInput."""
    cautions = check(case)
    hot, swings = case.what[0] == "v", case.what[0] == "b"
    before, after = (
        (case.temp_c, case.temp_c - 3.0) if hot else (case.swing_pct, min(case.swing_pct, 3.0)) if swings else (0.0, 0.0)
    )
    why = {
        "v": "Viscosity falls: find the stage by paired samples; strength is lost for good.",
        "b": "Brightness swings with the level: steady it, no charge move. The funnel again.",
        "n": "Neither is seen.",
    }[case.what[0]]
    return SteadyMove(
        stands=hot or (swings and case.swing_pct > 3.0),
        why=why,
        low=before - 5.0 if hot else 0.0,
        high=before,
        band_low=0.0,
        band_high=3.0 if swings else 200.0,
        cautions=cautions,
        before=before,
        after=after,
        expected=3.0 if swings else 0.0,
    )


G1 = "G1: monitors read, towers’ vents on"
CLOUD = "Chlorine dioxide goes up: monitors read, towers’ vents on, said by a person. Yellow-green haze: leave, alarm."
add(
    Practice(
        id="B1",
        station="bleach",
        symptom="Kappa into D0 changed",
        check_first=("duplicate", "arrival time"),
        says="ClO₂ to D0 {before} to {after} kg/ADt, when the plug arrives",
        unit="kg/ADt",
        decimals=1,
        reads="kappa",
        dead_min=60,
        retest_min=120,
        caution=CLOUD,
        model="bleach.kappa_move",
        gate=G1,
        most="25 %",
        solved={"clo2_kg": "clo2_kg", "adt_h": "adt_h"},
        lever={"charge.{stage}": 1.0},
    ),
    Practice(
        id="B2",
        station="bleach",
        symptom="ClO₂ solution weak or strong",
        check_first=("repeat the titration", "chiller temperature"),
        says="ClO₂ solution {before} to {after} m³/h",
        unit="m³/h",
        decimals=2,
        reads="strength_g_l",
        dead_min=5,
        retest_min=60,
        caution="More solution cools and thins the pulp. " + CLOUD,
        model="bleach.weak_move",
        gate=G1,
        most="the pump",
    ),
    Practice(
        id="B3",
        station="bleach",
        symptom="Brightness after D1 low: nothing left (B3), or some left (B4)",
        check_first=("kappa into D1", "pH", "time", "channelling, mixing"),
        says="ClO₂ to D1 {before} to {after} kg/ADt",
        unit="kg/ADt",
        decimals=1,
        reads="iso_pct",
        dead_min=180,
        retest_min=240,
        caution="Near the ceiling the gain goes to nothing: do not chase. " + CLOUD,
        model="bleach.brightness_move",
        gate=G1,
        most="3 kg/ADt",
        school="Some set D1’s pH before the charge, some after.",
        solved={
            "clo2_kg": "clo2_kg",
            "before_pct": "iso_in",
            "minutes": "minutes",
            "temp_c": "temp_c",
            "ph": "ph",
            "kappa_in": "kappa_in",
            "brighten_factor": "brighten_factor",
            "floor_more": "floor_more",
        },
        lever={"charge.{stage}": 1.0},
    ),
    Practice(
        id="B5",
        station="bleach",
        symptom="Residual ClO₂ high at the exit",
        check_first=("flow meter", "kappa low"),
        says="ClO₂ {before} to {after} kg/ADt, kill on",
        unit="kg/ADt",
        decimals=2,
        reads="residual_g_l",
        dead_min=150,
        retest_min=210,
        caution="Vapour at the washer: keep away upwind, monitor, alarm. The kill by procedure.",
        model="bleach.residual_move",
        most="20 %",
        solved={"clo2_kg": "clo2_kg", "cons_pct": "cons_pct"},
        lever={"charge.{stage}": 1.0},
    ),
    Practice(
        id="B6",
        station="bleach",
        symptom="D exit pH out (B6), or E/P exit pH low (B7)",
        check_first=("NaOH or acid strength", "filtrate recycle", "acid carry-over"),
        says="Acid or NaOH {before} to {after} kg/ADt",
        unit="kg/ADt",
        decimals=1,
        reads="ph",
        dead_min=60,
        retest_min=150,
        caution="Acid and caustic burn; acid never meets liquor, hypochlorite or dithionite.",
        model="bleach.ph_move",
        most="2 kg, 3 kg",
        solved={"kg_adt": "alkali_kg"},
    ),
    Practice(
        id="B8",
        station="bleach",
        symptom="Peroxide gone at the exit and brightness low (B8); yellowing with high alkali (B9)",
        check_first=("metals, manganese", "chelation pH 5 to 6", "catalase", "temperature", "silicate"),
        says="Peroxide or NaOH {before} to {after} kg/ADt",
        unit="kg/ADt",
        decimals=1,
        reads="iso_pct",
        dead_min=60,
        retest_min=180,
        caution="Decomposing peroxide builds gas and pressure: nothing shut in between valves.",
        model="bleach.peroxide_move",
        gate=G1,
        most="4 kg, 3 kg",
        solved={"line": "line", "h2o2_kg": "h2o2_kg", "naoh_kg": "naoh_kg"},
        turned={"left_pct": peroxide_left},
    ),
    Practice(
        id="B10",
        station="bleach",
        symptom="Dithionite gains little",
        check_first=("air in the stock", "pH 5 to 6", "consistency", "age of the solution"),
        says="Dithionite {before} to {after} kg/t",
        unit="kg/t",
        decimals=1,
        reads="gain",
        dead_min=15,
        retest_min=45,
        caution="Dry powder and damp heat by themselves and give SO₂.",
        model="bleach.dithionite_move",
        most="2 kg",
    ),
    Practice(
        id="B11",
        station="bleach",
        symptom="Viscosity falls over the stages (B11); brightness swings each few hours (B12)",
        check_first=("paired samples over each stage", "tower level cycling"),
        says="{before} to {after}, by what is seen",
        unit="",
        decimals=0,
        reads="",
        dead_min=120,
        retest_min=360,
        caution="Strength is lost for good. A swing wants a steady level, not a charge.",
        model="bleach.steady_move",
        most="5 °C",
        solved={"temp_c": "temp_c"},
    ),
)
