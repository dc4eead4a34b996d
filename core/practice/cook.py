"""Rows K1 to K13: kappa, charge, temperature, liquor, chips and the vessel. Source: shift practice, section 4."""

import math
from dataclasses import dataclass

from core.cook import kinetic
from core.cook.kinetic import Charge
from core.cook.profile import h_rate
from core.cook.sulphite import s_rate
from core.cook.thickness import PresteamCase, presteam
from core.errors import Caution, ImpossibleInput, Problem
from core.practice.row import Practice, Proposal, add, cut, feedback, within
from core.quantity import check, choice, figure, quantity
from core.register import Check, model

VROOM_K = 16115.0
MOST_DRIFT_C, MOST_RATE_C, MOST_WET, MOST_LIQUOR = 1.5, 3.0, 0.15, 0.12
PRESTEAM_MORE, IMPREGNATE_MORE, AIR_WANTED, GAP_MOST, GAP_GOOD, HOLD_MOST = 5.0, 10.0, 0.10, 5.0, 3.0, 20.0
BAGASSE_MOST_EA, PITH_MOST, STILL_MOST, RATE_CUT = 0.8, 13.0, 20.0, 0.10
LOOKS_SULPHITE = ("clear", "browning", "black, burnt smell")


def kelvin2_over(temp_c: float) -> float:
    """Degrees that a relative change of rate takes: (T + 273.15)²/16115. 12.2 at 170 °C: 8.2 % a degree."""
    return (temp_c + 273.15) ** 2 / VROOM_K


@dataclass(frozen=True, slots=True, kw_only=True)
class DriftCase:
    kappa: float = quantity("Kappa at the blow line", "", possible=(1, 200), valid=(10, 60), decimals=1)
    target: float = quantity("Kappa wanted", "", possible=(1, 200), valid=(10, 60), decimals=1)
    inner: float = quantity("Inner band", "± kappa", possible=(0, 30), above=True, valid=(0.5, 4), decimals=1, default=2.0)
    gain: float = quantity("Kappa a unit of H", "", possible=(-1, 0), valid=(-0.06, -0.005), decimals=4, default=-0.019)
    h: float = quantity("H-factor of the vessel", "", possible=(0, 10000), above=True, valid=(200, 2500), decimals=0)
    temp_c: float = quantity("Cooking temperature", "°C", possible=(100, 190), valid=(140, 175), decimals=1)


@dataclass(frozen=True, slots=True, kw_only=True)
class DriftMove(Proposal):
    before: float = figure("Temperature now", "°C", decimals=1, equation="as it is")
    after: float = figure("Temperature then", "°C", decimals=2, equation="T + ln(1 + ΔH/H) (T + 273.15)²/16115")
    delta_h: float = figure("H to be added", "", decimals=0, equation="−0.7 e/g")
    expected: float = figure("Kappa then", "", decimals=1, equation="kappa + g ΔH")


@model(
    "cook.drift",
    title="K4: temperature for a drifting kappa, continuous",
    source="shift practice, row K4; Vroom 1957",
    holds_for="one move a residence time; 1.5 °C at most",
    equation="ΔT = ln(1 + ΔH/H)(T + 273.15)²/16115, ΔH = −0.7 e/g",
    calibrated_by=("gain",),
    symbols="ΔH=delta_h H=h g=gain T=temp_c",
    basis="default",
    checks=(
        Check({"kappa": 33.1, "target": 30, "inner": 2, "gain": -0.02, "h": 1640, "temp_c": 170}, "delta_h", 108.5),
        Check({"kappa": 33.1, "target": 30, "inner": 2, "gain": -0.02, "h": 1640, "temp_c": 170}, "after", 170.7809, 1e-5),
        Check({"kappa": 30.8, "target": 30, "inner": 2, "gain": -0.02, "h": 1640, "temp_c": 170}, "delta_h", 0.0),
    ),
)
def drift(case: DriftCase) -> DriftMove:
    """The temperature for a kappa off its band. Raises: ImpossibleInput, also for a gain of 0."""
    cautions = check(case)
    if case.gain == 0.0:
        raise ImpossibleInput(Problem("gain", "is 0; heat that changes nothing moves nothing"))
    error = case.kappa - case.target
    stands = abs(error) > case.inner
    wanted = feedback(error, case.gain, math.inf).size if stands else 0.0
    share = max(-0.95, wanted / case.h)
    step = cut(math.log1p(share) * kelvin2_over(case.temp_c), MOST_DRIFT_C)
    delta_h = case.h * math.expm1(step.size / kelvin2_over(case.temp_c))
    return DriftMove(
        stands=stands,
        why=f"Kappa {case.kappa:.1f} lies {abs(error):.1f} {'over' if error > 0 else 'under'} the aim of "
        f"{case.target:.1f}, band ± {case.inner:.1f}.",
        low=case.temp_c - MOST_DRIFT_C,
        high=case.temp_c + MOST_DRIFT_C,
        band_low=case.target - case.inner,
        band_high=case.target + case.inner,
        bound_by=step.bound_by,
        cautions=cautions,
        before=case.temp_c,
        after=case.temp_c + step.size,
        delta_h=delta_h,
        expected=case.kappa + case.gain * delta_h,
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class RateCase:
    rate_t_h: float = quantity("Wood fed now", "t/h OD", possible=(0, 300), above=True, valid=(1, 150), decimals=1)
    new_t_h: float = quantity("Wood fed then", "t/h OD", possible=(0, 300), above=True, valid=(1, 150), decimals=1)
    temp_c: float = quantity("Cooking temperature", "°C", possible=(100, 190), valid=(140, 175), decimals=1)
    kappa: float = quantity("Kappa at the blow line", "", possible=(1, 200), valid=(10, 60), decimals=1)
    inner: float = quantity("Inner band", "± kappa", possible=(0, 30), above=True, valid=(0.5, 4), decimals=1, default=2.0)


@dataclass(frozen=True, slots=True, kw_only=True)
class RateMove(Proposal):
    before: float = figure("Temperature now", "°C", decimals=1, equation="as it is")
    after: float = figure(
        "Temperature then",
        "°C",
        decimals=2,
        equation=f"T + ln(new/now)(T + 273.15)²/16115, {MOST_RATE_C:g} °C more or less at most",
    )
    expected: float = figure("Kappa kept at", "", decimals=1, equation="H kept")


@model(
    "cook.rate_temperature",
    title="K5: temperature that goes with a new rate",
    source="shift practice, row K5; Vroom 1957",
    holds_for="feed-forward, 3 °C at most in one move",
    equation="ΔT = ln(new/now)(T + 273.15)²/16115",
    symbols="now=rate_t_h new=new_t_h T=temp_c",
    basis="published",
    checks=(Check({"rate_t_h": 62, "new_t_h": 70, "temp_c": 160, "kappa": 18}, "after", 161.413, 1e-4),),
)
def rate_temperature(case: RateCase) -> RateMove:
    """The whole of it at once: a rate changed on purpose is known. Raises: ImpossibleInput."""
    cautions = check(case)
    step = cut(math.log(case.new_t_h / case.rate_t_h) * kelvin2_over(case.temp_c), MOST_RATE_C)
    stands = abs(case.new_t_h / case.rate_t_h - 1.0) > 0.005
    return RateMove(
        stands=stands,
        why=f"Wood goes from {case.rate_t_h:.4g} to {case.new_t_h:.4g} t/h: "
        f"{100 * (case.new_t_h / case.rate_t_h - 1):+.1f} % on purpose.",
        low=case.temp_c - MOST_RATE_C,
        high=case.temp_c + MOST_RATE_C,
        band_low=case.kappa - case.inner,
        band_high=case.kappa + case.inner,
        bound_by=step.bound_by,
        cautions=cautions,
        before=case.temp_c,
        after=case.temp_c + step.size,
        expected=case.kappa,
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class WetCase:
    moisture_pct: float = quantity("Moisture now", "% wet", possible=(0, 90), valid=(20, 65), decimals=1)
    set_pct: float = quantity("Moisture the feed is set for", "% wet", possible=(0, 90), valid=(20, 65), decimals=1)
    inner: float = quantity("Inner band", "± points", possible=(0, 20), above=True, decimals=1, default=3.0)
    feed_t_h: float = quantity("Wet feed", "t/h", possible=(0, 1000), above=True, decimals=1)


@dataclass(frozen=True, slots=True, kw_only=True)
class WetMove(Proposal):
    before: float = figure("Wet feed now", "t/h", decimals=1, equation="as it is")
    after: float = figure("Wet feed then", "t/h", decimals=1, equation="feed × (1 − M0)/(1 − M1)")
    water_before: float = figure("Chip water now", "t/t OD", decimals=3, equation="M0/(1 − M0)")
    water_after: float = figure("Chip water then", "t/t OD", decimals=3, equation="M1/(1 − M1)")
    makeup_t_h: float = figure("Make-up liquor by", "t/h", decimals=2, equation="−dry wood × the water gained")
    expected: float = figure("Dry wood kept at", "t/h OD", decimals=2, equation="feed then × (1 − M1)")


_WET = {"moisture_pct": 52, "set_pct": 45.4, "feed_t_h": 38.0}


@model(
    "chips.wet_feed",
    title="K6: wet feed for another moisture",
    source="shift practice, row K6; balance",
    holds_for="15 % at most; belt sample in duplicate",
    equation="feed then = feed × (1 − M0)/(1 − M1)",
    symbols="M0=set_pct M1=moisture_pct feed=feed_t_h",
    checks=(
        Check(_WET, "after", 43.2, 1e-3),
        Check(_WET, "water_before", 0.832, 1e-3),
        Check(_WET, "water_after", 1.083, 1e-3),
    ),
)
def wet_feed(case: WetCase) -> WetMove:
    """Wet feed that keeps the dry wood; liquor stays on dry wood, make-up gives way to the chips' water. Raises:
    ImpossibleInput."""
    cautions = check(case)
    m0, m1 = case.set_pct / 100.0, case.moisture_pct / 100.0
    off = case.moisture_pct - case.set_pct
    step = cut((1.0 - m0) / (1.0 - m1) - 1.0, MOST_WET)
    w0, w1 = m0 / (1.0 - m0), m1 / (1.0 - m1)
    dry = case.feed_t_h * (1.0 - m0)
    after = case.feed_t_h * (1.0 + step.size)
    return WetMove(
        stands=abs(off) > case.inner,
        why=f"The belt reads {case.moisture_pct:.1f} % where the feed is set for {case.set_pct:.1f}: {abs(off):.1f} "
        f"points {'wetter' if off > 0 else 'drier'}.",
        low=case.feed_t_h * (1.0 - MOST_WET),
        high=case.feed_t_h * (1.0 + MOST_WET),
        band_low=case.moisture_pct - case.inner,
        band_high=case.moisture_pct + case.inner,
        bound_by=step.bound_by,
        cautions=cautions,
        before=case.feed_t_h,
        after=after,
        water_before=w0,
        water_after=w1,
        makeup_t_h=-dry * (w1 - w0),
        expected=after * (1.0 - m1),
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class LiquorCase:
    ea_kg: float = quantity("Charge as EA", "kg NaOH", possible=(0, 100000), above=True, decimals=0)
    old_g_l: float = quantity(
        "EA the volume is set for", "g/L NaOH", possible=(0, 200), above=True, valid=(60, 140), decimals=1
    )
    ea_g_l: float = quantity(
        "EA by the newest titration", "g/L NaOH", possible=(0, 200), above=True, valid=(60, 140), decimals=1
    )
    makeup_m3: float = quantity("Make-up liquor", "m³", possible=(0, 1000), decimals=1, default=30.0)


@dataclass(frozen=True, slots=True, kw_only=True)
class LiquorMove(Proposal):
    before: float = figure("White liquor now", "m³", decimals=1, equation="charge/EA old")
    after: float = figure("White liquor then", "m³", decimals=1, equation=f"charge/EA new, by {100 * MOST_LIQUOR:g} % at most")
    makeup_m3: float = figure("Make-up then", "m³", decimals=1, equation="make-up − what white liquor gains")
    expected: float = figure("Charge kept at", "kg NaOH", decimals=0, equation="m³ × g/L")


_LIQUOR = {"ea_kg": 2660, "old_g_l": 107.6, "ea_g_l": 98.7}


@model(
    "cook.weak_liquor",
    title="K7: white liquor volume for another strength",
    source="shift practice, row K7",
    holds_for="12 % at most; one accepted ABC",
    equation="m³ = charge/EA",
    symbols="charge=ea_kg EA=ea_g_l",
    checks=(Check(_LIQUOR, "before", 24.7, 2e-3), Check(_LIQUOR, "after", 27.0, 2e-3)),
)
def weak_liquor(case: LiquorCase) -> LiquorMove:
    """Volume × old over new; the make-up gives way. Feed-forward, whole. Raises: ImpossibleInput."""
    cautions = check(case)
    before = case.ea_kg / case.old_g_l
    step = cut(case.old_g_l / case.ea_g_l - 1.0, MOST_LIQUOR)
    after = before * (1.0 + step.size)
    makeup = case.makeup_m3 - (after - before)
    if makeup < 0.0:
        cautions += (Caution("makeup_m3", f"{-makeup:.1f} m³ more than the make-up can give way: liquor to wood rises"),)
    return LiquorMove(
        stands=abs(case.ea_g_l / case.old_g_l - 1.0) > 0.01,
        why=f"White liquor is {case.ea_g_l:.4g} g/L where the volume is set for {case.old_g_l:.4g}: "
        f"{100 * (case.ea_g_l / case.old_g_l - 1):+.1f} %.",
        low=before * (1.0 - MOST_LIQUOR),
        high=before * (1.0 + MOST_LIQUOR),
        band_low=0.98 * case.ea_kg,
        band_high=1.02 * case.ea_kg,
        bound_by=step.bound_by,
        cautions=cautions,
        before=before,
        after=after,
        makeup_m3=max(0.0, makeup),
        expected=after * case.ea_g_l,
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class KnotsCase:
    knots_pct: float = quantity("Knots on pulp", "% OD", possible=(0, 60), valid=(0, 8), decimals=1)
    most_pct: float = quantity("Knots allowed", "% OD", possible=(0, 60), above=True, decimals=1, default=2.5)
    kappa: float = quantity("Kappa", "", possible=(1, 200), valid=(10, 60), decimals=1)
    low: float = quantity("Band from", "kappa", possible=(1, 200), decimals=1)
    high: float = quantity("Band to", "kappa", possible=(1, 200), decimals=1)
    presteam_min: float = quantity("Presteaming", "min", possible=(0, 60), valid=(2, 30), decimals=0)
    impregnate_min: float = quantity("Impregnation", "min", possible=(0, 240), valid=(10, 90), decimals=0, default=15.0)
    rho_b: float = quantity("Basic density", "kg/m³", possible=(200, 900), valid=(300, 650), decimals=0, default=510.0)
    u_pct: float = quantity("Moisture, dry basis", "%", possible=(0, 250), valid=(30, 180), decimals=0, default=88.0)
    mm: float = quantity("Thickness of the thick chips", "mm", possible=(1, 15), valid=(2, 12), decimals=1, default=8.0)


@dataclass(frozen=True, slots=True, kw_only=True)
class KnotsMove(Proposal):
    before: float = figure("Minutes now", "min", decimals=0, equation="presteaming, or impregnation where the air is out")
    after: float = figure("Minutes then", "min", decimals=0, equation="presteaming + 5, impregnation + 10")
    air_before: float = figure("Air left in thick chips", "", decimals=3, equation="presteaming model")
    air_after: float = figure("Air left then", "", decimals=3, equation="presteaming model")
    expected: float = figure("Knots wanted under", "% OD", decimals=1, equation="what is allowed; no model foresees it")


@model(
    "cook.knots_air",
    title="K9: presteaming or impregnation against knots",
    source="shift practice, row K9; presteaming model",
    holds_for="kappa in its band; next blow",
    equation="air left over 0.10: presteam 5 min more; else impregnate 10 min more",
    basis="default",
    checks=(
        Check({"knots_pct": 3.4, "kappa": 30, "low": 28, "high": 32, "presteam_min": 3}, "after", 8.0),
        Check({"knots_pct": 3.4, "kappa": 30, "low": 28, "high": 32, "presteam_min": 30}, "after", 25.0),
    ),
)
def knots_air(case: KnotsCase) -> KnotsMove:
    """Which of the two, by the air the presteaming model leaves in a thick chip. Raises: ImpossibleInput."""
    cautions = check(case)
    if not case.low < case.high:
        raise ImpossibleInput(Problem("high", f"is {case.high:g}; it must be over the lower end, {case.low:g}"))

    def air(minutes: float) -> float:
        return presteam(PresteamCase(minutes=minutes, rho_b=case.rho_b, u_pct=case.u_pct, thickness_mm=case.mm)).air_left

    steaming = air(case.presteam_min) > AIR_WANTED
    before = case.presteam_min if steaming else case.impregnate_min
    at_kappa = within(case.kappa, case.low, case.high)
    knotty = case.knots_pct > case.most_pct
    stands = knotty and at_kappa != "high"
    after = before + (PRESTEAM_MORE if steaming else IMPREGNATE_MORE) * stands
    why = (
        f"Knots {case.knots_pct:.1f} %, {case.most_pct:.1f} allowed; kappa {case.kappa:.1f} is "
        f"{'in its band' if at_kappa == 'in' else at_kappa}."
    )
    if knotty and at_kappa == "high":
        why += " Kappa first, by K1: both may be one cause."
    elif knotty:
        why += " Presteaming leaves air in the thick chips." if steaming else " The air is out: it wants time for the liquor."
    return KnotsMove(
        stands=stands,
        why=why,
        low=before,
        high=before + IMPREGNATE_MORE,
        band_low=0.0,
        band_high=case.most_pct,
        cautions=cautions,
        before=before,
        after=after,
        air_before=air(case.presteam_min),
        air_after=air(min(60.0, after)) if steaming else air(case.presteam_min),
        expected=case.most_pct,
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class GapCase:
    top_c: float = quantity("Top", "°C", possible=(20, 200), valid=(60, 180), decimals=1)
    bottom_c: float = quantity("Bottom", "°C", possible=(20, 200), valid=(60, 180), decimals=1)
    liquor_m3: float = quantity("Liquor in the digester", "m³", possible=(0, 1000), above=True, valid=(10, 400), decimals=0)
    flow_m3_h: float = quantity("Circulation", "m³/h", possible=(0, 5000), above=True, valid=(50, 2000), decimals=0)


@dataclass(frozen=True, slots=True, kw_only=True)
class GapMove(Proposal):
    before: float = figure("Hold now", "min", decimals=0, equation="0: heating goes on")
    after: float = figure("Hold heating", "min", decimals=0, equation="(V/Q) ln(gap/3), 20 at most")
    gap_c: float = figure("Gap", "°C", decimals=1, equation="|top − bottom|")
    h_rate: float = figure("H counts at the colder end", "per h", decimals=0, equation="Vroom, the colder probe")
    h_lead: float = figure("Times faster at the hot end", "", decimals=2, equation="ratio of the two rates")
    expected: float = figure("Gap then", "°C", decimals=1, equation="gap e^(−Q t/V)")


@model(
    "cook.gap_hold",
    title="K10: hold for a gap between top and bottom",
    source="shift practice, row K10; one stirred volume",
    holds_for="gap over 5 °C; 20 min at most",
    equation="t = (V/Q) ln(gap/3)",
    symbols="V=liquor_m3 Q=flow_m3_h t=after",
    basis="default",
    checks=(
        Check({"top_c": 150, "bottom_c": 141, "liquor_m3": 90, "flow_m3_h": 450}, "after", 13.1833, 1e-4),
        Check({"top_c": 150, "bottom_c": 141, "liquor_m3": 90, "flow_m3_h": 450}, "expected", 3.0),
    ),
)
def gap_hold(case: GapCase) -> GapMove:
    """How long the circulation takes to bring the two ends together. Raises: ImpossibleInput."""
    cautions = check(case)
    gap, turn = abs(case.top_c - case.bottom_c), 60.0 * case.liquor_m3 / case.flow_m3_h
    cold, hot = sorted((case.top_c, case.bottom_c))
    step = cut(turn * math.log(gap / GAP_GOOD) if gap > GAP_MOST else 0.0, HOLD_MOST, "20 min in one move")
    return GapMove(
        stands=gap > GAP_MOST,
        why=f"Top {case.top_c:.1f}, bottom {case.bottom_c:.1f} °C: {gap:.1f} apart, 5 allowed. The circulation turns "
        f"the liquor in {turn:.0f} min.",
        low=0.0,
        high=HOLD_MOST,
        band_low=0.0,
        band_high=GAP_GOOD,
        bound_by=step.bound_by,
        cautions=cautions,
        before=0.0,
        after=step.size,
        gap_c=gap,
        h_rate=h_rate(cold),
        h_lead=h_rate(hot) / h_rate(cold),
        expected=gap * math.exp(-step.size / turn),
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class BagasseKappaCase:
    kappa: float = quantity("Kappa at the blow", "", possible=(1, 100), valid=(8, 30), decimals=1)
    target: float = quantity("Kappa wanted", "", possible=(1, 100), valid=(8, 30), decimals=1, default=14.0)
    inner: float = quantity("Inner band", "± kappa", possible=(0, 20), above=True, decimals=1, default=1.5)
    pith_pct: float = quantity("Pith after the depither", "%", possible=(0, 60), valid=(5, 30), decimals=1)
    pith_most: float = quantity("Pith allowed", "%", possible=(0, 60), above=True, decimals=1, default=PITH_MOST)
    ea_pct_naoh: float = quantity("Alkali on fibre", "% NaOH", possible=(5, 30), valid=(9, 18), decimals=1)
    lw_m3_t: float = quantity("Liquor to fibre", "m³/t", possible=(2, 20), valid=(3, 8), decimals=1, default=6.0)
    cook_c: float = quantity("Tube at", "°C", possible=(120, 190), valid=(150, 180), decimals=0, default=168.0)
    minutes: float = quantity("Minutes in the tube", "min", possible=(2, 120), valid=(5, 40), decimals=0, default=15.0)


@dataclass(frozen=True, slots=True, kw_only=True)
class BagasseMove(Proposal):
    before: float = figure("Alkali now", "% NaOH", decimals=2, equation="as it is")
    after: float = figure("Alkali then", "% NaOH", decimals=2, equation="−0.7 e/g, 0.8 at most")
    gain: float = figure("Kappa a % alkali", "", decimals=2, equation="kinetic model, bagasse, at this cook")
    minutes: float = figure("Or minutes instead", "min", decimals=1, equation="the same kappa from time, kinetic model")
    expected: float = figure("Kappa then", "", decimals=1, equation="kappa + g ΔEA")


@model(
    "cook.bagasse_kappa",
    title="K11: alkali for a high bagasse kappa",
    source="shift practice, row K11; kinetic model",
    holds_for="soda and soda-AQ tubes; pith first",
    equation="ΔEA = −0.7 e/g, g from the kinetic model",
    symbols="g=gain ΔEA=after",
    basis="default",
    checks=(Check({"kappa": 14.9, "pith_pct": 12, "ea_pct_naoh": 13}, "after", 13.0),),
)
def bagasse_kappa(case: BagasseKappaCase) -> BagasseMove:
    """Alkali, and the time that would do the same; with pith over its limit depithing comes first. Raises: ImpossibleInput."""
    cautions = check(case)
    points = ((0.0, 100.0), (2.0, case.cook_c), (2.0 + case.minutes, case.cook_c))

    def at(ea: float, longer: float = 0.0) -> float:
        run = (*points[:-1], (points[-1][0] + longer, case.cook_c))
        return kinetic.cook("bagasse", Charge(ea_pct_naoh=ea, sulphidity_pct=0.0, lw_m3_t=case.lw_m3_t), run).kappa

    here = at(case.ea_pct_naoh)
    gain, by_minute = (at(case.ea_pct_naoh + 0.5) - here) / 0.5, (at(case.ea_pct_naoh, 2.0) - here) / 2.0
    error, pithy = case.kappa - case.target, case.pith_pct > case.pith_most
    stands = error > case.inner
    step = feedback(error, gain, BAGASSE_MOST_EA) if stands and not pithy else cut(0.0, 1.0)
    why = f"Kappa {case.kappa:.1f}, wanted {case.target:.1f} ± {case.inner:.1f}."
    if stands and pithy:
        why += f" Pith is {case.pith_pct:.1f} %, {case.pith_most:.1f} allowed: mend the depithing first, pith takes the alkali."
    return BagasseMove(
        stands=stands and not pithy,
        why=why,
        low=case.ea_pct_naoh - BAGASSE_MOST_EA,
        high=case.ea_pct_naoh + BAGASSE_MOST_EA,
        band_low=case.target - case.inner,
        band_high=case.target + case.inner,
        bound_by=step.bound_by,
        cautions=cautions,
        before=case.ea_pct_naoh,
        after=case.ea_pct_naoh + step.size,
        gain=gain,
        minutes=gain * step.size / by_minute if by_minute else 0.0,
        expected=case.kappa + gain * step.size,
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class BrownCase:
    look: str = choice("Liquor on a white tile", LOOKS_SULPHITE)
    combined_pct: float = quantity("Combined SO₂", "%", possible=(0, 10), valid=(0.8, 3), decimals=2, default=1.2)
    combined_least: float = quantity("Combined SO₂ at least", "%", possible=(0, 10), decimals=2, default=1.0)
    penetrate_min: float = quantity("Minutes at 110 °C", "min", possible=(0, 600), valid=(30, 240), decimals=0, default=60.0)
    top_c: float = quantity("Top temperature", "°C", possible=(100, 180), valid=(125, 165), decimals=0, default=140.0)
    hold_min: float = quantity("Minutes at the top", "min", possible=(0, 900), valid=(60, 480), decimals=0, default=240.0)


@dataclass(frozen=True, slots=True, kw_only=True)
class BrownMove(Proposal):
    before: float = figure("Top temperature now", "°C", decimals=0, equation="as it is")
    after: float = figure("Next cook's top", "°C", decimals=0, equation="2 °C lower")
    penetrate_min: float = figure("Next cook at 110 °C", "min", decimals=0, equation="30 min longer")
    hold_min: float = figure("Next cook at the top", "min", decimals=0, equation="the same S-factor at the lower top")
    expected: float = figure("Browning cooks wanted", "", decimals=0, equation="none")


@model(
    "cook.browning",
    title="K12: sulphite liquor browning",
    source="shift practice, row K12; S-factor",
    holds_for="acid and bisulphite; this cook: stop the ramp, hold, relieve by procedure, call",
    equation="next cook: 110 °C + 30 min, top − 2 °C, the hold × rate(top)/rate(top − 2)",
    symbols="top=top_c hold=hold_min",
    basis="default",
    checks=(
        Check({"look": "browning"}, "after", 138.0),
        Check({"look": "browning"}, "penetrate_min", 90.0),
        Check({"look": "clear"}, "after", 140.0),
    ),
)
def browning(case: BrownCase) -> BrownMove:
    """What the next cook changes; this one is held and relieved by procedure. Raises: ImpossibleInput."""
    cautions = check(case)
    stands = case.look != "clear"
    after = case.top_c - 2.0 if stands else case.top_c
    if case.combined_pct < case.combined_least:
        told = f"{case.combined_pct:.3g} % is under {case.combined_least:.3g}: too little base, this browns a cook"
        cautions += (Caution("combined_pct", told),)
    if case.look == LOOKS_SULPHITE[2]:
        cautions += (Caution("look", "a burnt cook is not saved by bleaching: keep it apart, call the lead"),)
    why = f"The liquor on the tile is {case.look}." + (" Stop the ramp, hold, relieve by procedure, call." if stands else "")
    return BrownMove(
        stands=stands,
        why=why,
        low=case.top_c - 2.0,
        high=case.top_c,
        band_low=0.0,
        band_high=0.0,
        cautions=cautions,
        before=case.top_c,
        after=after,
        penetrate_min=case.penetrate_min + (30.0 if stands else 0.0),
        hold_min=case.hold_min * s_rate(case.top_c) / s_rate(after),
        expected=0.0,
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class HangCase:
    still_min: float = quantity("Level signal still for", "min", possible=(0, 1440), decimals=0)
    agrees: str = choice("Outlet consistency and power say", ("column moves", "column hangs"))
    rate_t_h: float = quantity("Wood fed", "t/h OD", possible=(0, 300), above=True, valid=(1, 150), decimals=2)


@dataclass(frozen=True, slots=True, kw_only=True)
class HangMove(Proposal):
    before: float = figure("Wood fed now", "t/h OD", decimals=2, equation="as it is")
    after: float = figure("Wood fed then", "t/h OD", decimals=2, equation="10 % less")
    expected: float = figure("Level moving again within", "min", decimals=0, equation="20")


@model(
    "cook.hanging",
    title="K13: a hanging column",
    source="shift practice, row K13",
    holds_for="level signal still 20 min and the outlet agrees",
    equation="rate × 0.90",
    checks=(Check({"still_min": 30, "agrees": "column hangs", "rate_t_h": 4.6}, "after", 4.14),),
)
def hanging(case: HangCase) -> HangMove:
    """Ten per cent less feed; the outlet device by procedure. Raises: ImpossibleInput."""
    cautions = check(case)
    stands = case.still_min >= STILL_MOST and case.agrees == "column hangs"
    return HangMove(
        stands=stands,
        why=f"The level has been still for {case.still_min:.0f} min and the outlet says: {case.agrees}.",
        low=0.8 * case.rate_t_h,
        high=case.rate_t_h,
        band_low=0.0,
        band_high=STILL_MOST,
        cautions=cautions,
        before=case.rate_t_h,
        after=case.rate_t_h * (1.0 - RATE_CUT if stands else 1.0),
        expected=STILL_MOST,
    )


_BLOW = "next blow"
add(
    Practice(
        id="K1",
        station="cook",
        symptom="Kappa high at a batch blow, residual alkali normal",
        check_first=("duplicate", "probe", "circulation", "chip thickness", "H really run"),
        says="",
        unit="H",
        decimals=0,
        reads="",
        dead_min=0,
        retest_min=0,
        caution="Yield and viscosity fall as H rises; not for one odd cook.",
        model="",
        most="120 H or 10 %, the smaller",
    ),
    Practice(
        id="K2",
        station="cook",
        symptom="Kappa high and residual alkali under 5 g/L",
        check_first=("ABC", "charged volume", "chip moisture"),
        says="",
        unit="% EA",
        decimals=2,
        reads="",
        dead_min=0,
        retest_min=0,
        caution="Never answer low alkali with more heat: lignin precipitates.",
        model="",
        most="0.5 %",
    ),
    Practice(
        id="K3",
        station="cook",
        symptom="Kappa low at the blow",
        check_first=("overtime at temperature", "thin or small chips", "slow rate"),
        says="",
        unit="H",
        decimals=0,
        reads="",
        dead_min=0,
        retest_min=0,
        caution="Keep the residual under 12 g/L.",
        model="",
        school="Some cook to alkali, some to H.",
        most="120 H or 10 %, the smaller",
    ),
    Practice(
        id="K4",
        station="cook",
        symptom="Kappa drifting, continuous digester",
        check_first=("chip level", "feed screw factor", "alkali profile"),
        says="Cooking temperature {before} to {after} °C",
        unit="°C",
        decimals=1,
        reads="kappa",
        dead_min=240,
        retest_min=360,
        caution="One move a residence time; half a degree is a move.",
        model="cook.drift",
        most="1.5 °C",
        solved={"h": "h", "temp_c": "temp_c"},
        lever={"zone.*": 1.0},
    ),
    Practice(
        id="K5",
        station="cook",
        symptom="Production rate changed on purpose",
        check_first=("new residence time", "alkali goes with the wood, in ratio"),
        says="Cooking temperature {before} to {after} °C with the new rate",
        unit="°C",
        decimals=1,
        reads="kappa",
        dead_min=0,
        retest_min=240,
        caution="Ramp with the plug, not with the button.",
        model="cook.rate_temperature",
        most="3 °C",
        solved={"rate_t_h": "od_t_h", "new_t_h": "od_t_h", "temp_c": "temp_c"},
        lever={"zone.*": 1.0},
    ),
    Practice(
        id="K6",
        station="chips",
        symptom="Chip moisture off what the feed is set for",
        check_first=("belt sample in duplicate",),
        says="Wet feed {before} to {after} t/h",
        unit="t/h",
        decimals=1,
        reads="moisture_pct",
        dead_min=20,
        retest_min=60,
        caution="Check the conveyor’s and the feeder’s limits. White liquor stays on dry wood.",
        model="chips.wet_feed",
        most="15 %",
        solved={"feed_t_h": "wet_t_h"},
    ),
    Practice(
        id="K7",
        station="cook",
        symptom="White liquor weak or strong",
        check_first=("repeat the ABC", "tank change", "dilution valve"),
        says="White liquor a cook {before} to {after} m³",
        unit="m³",
        decimals=1,
        reads="ea_kg",
        dead_min=0,
        retest_min=282,
        caution="White liquor burns at once: shield, gloves, shower near. Tell recausticising.",
        model="cook.weak_liquor",
        most="12 %",
    ),
    Practice(
        id="K8",
        station="cook",
        symptom="Residual alkali low, kappa on target",
        check_first=("titration blank", "scale", "chips richer in bark"),
        says="",
        unit="% EA",
        decimals=2,
        reads="",
        dead_min=0,
        retest_min=0,
        caution="Expect lower kappa too: cut H by K1.",
        model="",
        most="0.5 %",
    ),
    Practice(
        id="K9",
        station="cook",
        symptom="Knots high, kappa normal",
        check_first=("over-thick chips", "presteaming time", "pressure", "air"),
        says="Presteaming or impregnation {before} to {after} min",
        unit="min",
        decimals=0,
        reads="knots_pct",
        dead_min=0,
        retest_min=282,
        caution="A longer cook burns the thin chips for the thick ones’ sake. Steam under pressure: vessels open by "
        "procedure only.",
        model="cook.knots_air",
        most="10 min",
    ),
    Practice(
        id="K10",
        station="cook",
        symptom="Top and bottom more than 5 °C apart, batch",
        check_first=("strainer pressure drop", "pump current"),
        says="Hold the heating {after} min",
        unit="min",
        decimals=0,
        reads="gap_c",
        dead_min=5,
        retest_min=15,
        caution="No H for the colder end: both ends are shown. Backflush by procedure.",
        model="cook.gap_hold",
        most="20 min",
    ),
    Practice(
        id="K11",
        station="cook",
        symptom="Bagasse kappa high at the blow",
        check_first=("pith", "moisture", "sand", "feed density"),
        says="Alkali on bagasse {before} to {after} %",
        unit="% NaOH",
        decimals=2,
        reads="kappa",
        dead_min=15,
        retest_min=60,
        caution="A short cook: overshoots are quick and silica rises.",
        model="cook.bagasse_kappa",
        most="0.8 %",
        solved={"ea_pct_naoh": "ea_pct_naoh", "lw_m3_t": "lw_m3_t", "cook_c": "temp_c", "minutes": "hot_min"},
        lever={"ea_pct_naoh": 1.0},
    ),
    Practice(
        id="K12",
        station="cook",
        symptom="Sulphite liquor browning, SO₂ falling early",
        check_first=("combined SO₂", "penetration time", "circulation"),
        says="Stop the ramp and call; next cook’s top {before} to {after} °C",
        unit="°C",
        decimals=0,
        reads="",
        dead_min=0,
        retest_min=600,
        caution="SO₂: relieve by procedure only, upwind, with breathing apparatus at the first alarm. A burnt cook "
        "is not saved by bleaching.",
        model="cook.browning",
        school="Acid and bisulphite schools differ on the hold.",
        most="2 °C",
    ),
    Practice(
        id="K13",
        station="cook",
        symptom="Column hangs or the level signal is still",
        check_first=("radar against power", "outlet consistency"),
        says="Feed {before} to {after} t/h",
        unit="t/h OD",
        decimals=2,
        reads="still_min",
        dead_min=30,
        retest_min=30,
        caution="A column can fall at once: people away from the outlet, call. The outlet device by procedure.",
        model="cook.hanging",
        most="10 %",
        solved={"rate_t_h": "od_t_h"},
    ),
)
