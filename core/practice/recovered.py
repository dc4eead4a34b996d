"""Recovered paper on shift: rows R1 to R7 of the practice table. All sizes are defaults."""

import math
from dataclasses import dataclass

from core.practice.row import Practice, Proposal, add, cut, feedback
from core.quantity import check, choice, figure, quantity
from core.register import Check, model

MOST_MIN, MOST_POINTS, COOLER_C, COLDEST_C, INNER_PCT = 10.0, 2.0, 5.0, 35.0, 0.3
MOST_SHARE, PH_AN_HOUR = 0.10, 0.3


@dataclass(frozen=True, slots=True, kw_only=True)
class FlakesCase:
    flakes_pct: float = quantity("Flakes at the planned dump", "%", possible=(0, 100), valid=(0, 30), decimals=1)
    wanted_pct: float = quantity("wanted under", "%", possible=(0, 100), above=True, valid=(0.5, 5), decimals=1, default=2.0)
    k: float = quantity("Rate of defibering", "1/min", possible=(0, 5), above=True, valid=(0.05, 0.5), decimals=3, default=0.13)
    minutes: float = quantity("Rotor on for", "min", possible=(0, 240), decimals=0)


@dataclass(frozen=True, slots=True, kw_only=True)
class FlakesMove(Proposal):
    before: float = figure("Minutes now", "min", decimals=0, equation="as planned")
    after: float = figure("Minutes", "min", decimals=0, equation="now + ln(flakes/wanted)/k, ten at most")
    expected: float = figure("Flakes then", "%", decimals=1, equation="flakes × exp(−k more)")


@model(
    "pulper.flakes_move",
    title="R1: flakes at the planned dump",
    source="shift practice, row R1; first order in time at steady power",
    holds_for="ten minutes at a time: longer pulping grinds stickies and plastic",
    equation="more = ln(flakes/wanted)/k",
    basis="default",
    checks=(
        Check({"flakes_pct": 4, "minutes": 24}, "after", 24 + math.log(2.0) / 0.13, 1e-6),
        Check({"flakes_pct": 1.5, "minutes": 24}, "after", 24.0),
    ),
)
def flakes_move(case: FlakesCase) -> FlakesMove:
    """Minutes more of the rotor. Raises: ImpossibleInput."""
    cautions = check(case)
    stands = case.flakes_pct > case.wanted_pct
    step = cut(math.log(case.flakes_pct / case.wanted_pct) / case.k if stands else 0.0, MOST_MIN)
    return FlakesMove(
        stands=stands,
        why=f"{case.flakes_pct:.1f} % of flakes are left, wanted under {case.wanted_pct:.1f} %.",
        low=case.minutes,
        high=case.minutes + MOST_MIN,
        band_low=0.0,
        band_high=case.wanted_pct,
        bound_by=step.bound_by,
        cautions=cautions,
        before=case.minutes,
        after=case.minutes + step.size,
        expected=case.flakes_pct * math.exp(-case.k * step.size),
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class ThickCase:
    cons_pct: float = quantity("Consistency of the batch", "%", possible=(0.5, 30), valid=(3, 20), decimals=1)
    wanted_pct: float = quantity("wanted", "%", possible=(0.5, 30), valid=(3, 20), decimals=1, default=14.0)
    stock_t: float = quantity("In the vat", "t", possible=(0, 500), above=True, decimals=1)
    white_pct: float = quantity("White water", "%", possible=(0, 2), valid=(0, 0.6), decimals=2, default=0.25)
    water_m3: float = quantity("Water that went in", "m³", possible=(0, 500), decimals=2)


@dataclass(frozen=True, slots=True, kw_only=True)
class ThickMove(Proposal):
    before: float = figure("Water now", "m³", decimals=2, equation="as metered")
    after: float = figure("Water", "m³", decimals=2, equation="now + stock (C − wanted)/(wanted − white water)")
    expected: float = figure("Consistency then", "%", decimals=1, equation="(C stock + white water more)/(stock + more)")


@model(
    "pulper.thick_move",
    title="R2: a batch off its consistency",
    source="shift practice, row R2; mass balance",
    holds_for="before the rotor’s load limit; too thin wants a bale",
    equation="more = stock (C − wanted)/(wanted − w)",
    basis="published",
    checks=(
        Check({"cons_pct": 15.3, "stock_t": 17.16, "water_m3": 13.95}, "after", 13.95 + 17.16 * 1.3 / 13.75, 1e-6),
        Check({"cons_pct": 14.2, "stock_t": 17.16, "water_m3": 13.95}, "after", 13.95),
    ),
)
def thick_move(case: ThickCase) -> ThickMove:
    """Water into a batch that is too thick. Raises: ImpossibleInput."""
    cautions = check(case)
    over = case.cons_pct - case.wanted_pct
    stands = over > INNER_PCT and case.wanted_pct > case.white_pct
    more = case.stock_t * over / (case.wanted_pct - case.white_pct) if stands else 0.0
    why = f"The batch is at {case.cons_pct:.1f} %, wanted {case.wanted_pct:.1f} ± {INNER_PCT:g}."
    if over < -INNER_PCT:
        why += " It is too thin: a bale, by the pulper’s page, before the rotor’s load limit."
    return ThickMove(
        stands=stands,
        why=why,
        low=case.water_m3,
        high=case.water_m3 + 1.2 * more,
        band_low=case.wanted_pct - INNER_PCT,
        band_high=case.wanted_pct + INNER_PCT,
        cautions=cautions,
        before=case.water_m3,
        after=case.water_m3 + more,
        expected=(case.cons_pct * case.stock_t + case.white_pct * more) / (case.stock_t + more),
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class GainCase:
    gain: float = quantity("Flotation’s gain", "points", possible=(-50, 80), valid=(0, 25), decimals=1)
    least: float = quantity("wanted at least", "points", possible=(0, 40), valid=(4, 15), decimals=1, default=7.0)
    water_pct: float = quantity("Water to the foam", "%", possible=(0, 40), valid=(2, 6), decimals=1)
    a_point: float = quantity("One point more gives", "points", possible=(0, 5), valid=(0.05, 1), decimals=2, default=0.3)
    lost_a_point: float = quantity("and loses", "t/h", possible=(0, 5), decimals=3, default=0.01)


@dataclass(frozen=True, slots=True, kw_only=True)
class GainMove(Proposal):
    before: float = figure("Foam now", "% of the water", decimals=1, equation="as set by the weir")
    after: float = figure(
        "Foam",
        "% of the water",
        decimals=1,
        equation="now + 0.7 (wanted − gain)/slope, two points at most",
    )
    expected: float = figure("Gain then", "points", decimals=1, equation="gain + slope × points")
    lost_t_h: float = figure("More lost", "t/h", decimals=3, equation="points × loss of a point")


@model(
    "recovered.gain_move",
    title="R3: flotation gains little",
    source="shift practice, row R3; the slope is the line’s own",
    holds_for="two points at a time, then soap + 0.1 kg/t; air, hardness, pH and 40 to 55 °C are looked at first",
    equation="Δ = 0.7 (wanted − gain)/slope",
    basis="default",
    checks=(
        Check({"gain": 6.5, "water_pct": 4}, "after", 4 + 0.7 * 0.5 / 0.3, 1e-6),
        Check({"gain": 9.6, "water_pct": 4}, "after", 4.0),
    ),
)
def gain_move(case: GainCase) -> GainMove:
    """The weir up. Raises: ImpossibleInput."""
    cautions = check(case)
    stands = case.gain < case.least
    step = feedback(case.gain - case.least, case.a_point, MOST_POINTS) if stands else cut(0.0, MOST_POINTS)
    return GainMove(
        stands=stands and step.size > 0.0,
        why=f"Flotation gains {case.gain:.1f} points, wanted {case.least:.1f} at least.",
        low=case.water_pct,
        high=case.water_pct + MOST_POINTS,
        band_low=case.least,
        band_high=80.0,
        bound_by=step.bound_by,
        cautions=cautions,
        before=case.water_pct,
        after=case.water_pct + step.size,
        expected=case.gain + case.a_point * step.size,
        lost_t_h=case.lost_a_point * step.size,
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class StickyCase:
    stickies: float = quantity("Stickies", "mm²/kg", possible=(0, 1e6), valid=(0, 5000), decimals=0)
    outer: float = quantity("never over", "mm²/kg", possible=(0, 1e6), above=True, decimals=0, default=400.0)
    temp_c: float = quantity("At the fine screens", "°C", possible=(5, 90), valid=(35, 65), decimals=0, default=50.0)


@dataclass(frozen=True, slots=True, kw_only=True)
class StickyMove(Proposal):
    before: float = figure("Fine screens now", "°C", decimals=0, equation="as read")
    after: float = figure("Fine screens", "°C", decimals=0, equation="5 °C cooler, 35 at least")
    expected: float = figure(
        "Stickies wanted under", "mm²/kg", decimals=0, equation="their outer band; how far one move goes is not told"
    )


@model(
    "recovered.sticky_move",
    title="R5: stickies over their outer band",
    source="shift practice, row R5",
    holds_for="divert or hold first; a detackifier moves stickies, it does not take them out",
    equation="T − 5 °C",
    basis="default",
    checks=(Check({"stickies": 460}, "after", 45.0), Check({"stickies": 236}, "after", 50.0)),
)
def sticky_move(case: StickyCase) -> StickyMove:
    """Cooler screens keep stickies back while the pulp is held. Raises: ImpossibleInput."""
    cautions = check(case)
    stands = case.stickies > case.outer and case.temp_c > COLDEST_C
    return StickyMove(
        stands=stands,
        why=f"Stickies are {case.stickies:.0f} mm²/kg, never over {case.outer:.0f}: hold what was made, trace the bales.",
        low=max(COLDEST_C, case.temp_c - COOLER_C),
        high=case.temp_c,
        band_low=0.0,
        band_high=case.outer,
        cautions=cautions,
        before=case.temp_c,
        after=max(COLDEST_C, case.temp_c - COOLER_C) if stands else case.temp_c,
        expected=case.outer,
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class AshCase:
    """Ash of the recovered pulp, or of what the machine gets; what a point more of the foam's water takes of it."""

    ash_pct: float = quantity("Ash of the pulp", "%", possible=(0, 60), valid=(0, 25), decimals=1)
    high: float = quantity("wanted under", "%", possible=(0, 60), above=True, decimals=1)
    water_pct: float = quantity("Water to the foam", "%", possible=(0, 40), valid=(2, 6), decimals=1, default=4.0)
    a_point: float = quantity("One point more takes", "points of ash", possible=(0, 20), decimals=2, default=0.3)
    lost_a_point: float = quantity("and loses", "t/h", possible=(0, 50), decimals=3, default=0.01)
    share_pct: float = quantity("Share of the furnish", "%", possible=(0, 100), decimals=1, default=14.0)
    others_pct: float = quantity("Ash of the other pulps", "%", possible=(0, 60), decimals=1, default=1.0)


@dataclass(frozen=True, slots=True, kw_only=True)
class AshMove(Proposal):
    before: float = figure("Water to the foam now", "%", decimals=1, equation="as set")
    after: float = figure("Water to the foam", "%", decimals=1, equation="now + 0.7 (ash − wanted)/a point, two at most")
    expected: float = figure("Ash then", "%", decimals=1, equation="ash − points × a point")
    lost_t_h: float = figure("Lost more", "t/h", decimals=3, equation="points × loss a point")
    share_then_pct: float = figure(
        "or its share of the furnish", "%", decimals=1, equation="share that brings as much ash as wanted, a tenth less at most"
    )


@model(
    "recovered.ash_move",
    title="R4: ash to the machine high",
    source="shift practice, row R4; the slope is the line's own",
    holds_for="two points of the foam at a time, or a tenth of the share; filler is yield",
    equation="Δ = 0.7 (ash − wanted)/a point",
    basis="default",
    checks=(
        Check({"ash_pct": 7.0, "high": 6.0, "a_point": 0.5}, "after", 4 + 0.7 * 1.0 / 0.5, 1e-9),
        Check({"ash_pct": 5.0, "high": 6.0}, "after", 4.0),
        Check({"ash_pct": 7.0, "high": 6.5}, "share_then_pct", 14 * 5.5 / 6.0, 1e-9),
        Check({"ash_pct": 12.0, "high": 6.0}, "share_then_pct", 12.6, 1e-9),
    ),
)
def ash_move(case: AshCase) -> AshMove:
    """More foam, and the share of the furnish that would do as much. Raises: ImpossibleInput."""
    cautions = check(case)
    stands = case.ash_pct > case.high
    step = feedback(case.high - case.ash_pct, case.a_point, MOST_POINTS) if stands else cut(0.0, MOST_POINTS)
    over = max(1e-9, case.ash_pct - case.others_pct)
    less = max(1.0 - MOST_SHARE, min(1.0, (case.high - case.others_pct) / over)) if stands else 1.0
    return AshMove(
        stands=stands and step.size > 0.0,
        why=f"Ash is {case.ash_pct:.1f} %, wanted under {case.high:.1f} %.",
        low=case.water_pct,
        high=case.water_pct + MOST_POINTS,
        band_low=0.0,
        band_high=case.high,
        bound_by=step.bound_by,
        cautions=cautions,
        before=case.water_pct,
        after=case.water_pct + step.size,
        expected=case.ash_pct - case.a_point * step.size,
        lost_t_h=case.lost_a_point * step.size,
        share_then_pct=case.share_pct * less,
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class LoopCase:
    ph: float = quantity("pH of the loop", "", possible=(0, 14), valid=(6, 10.5), decimals=1)
    usual: float = quantity("as it usually is", "", possible=(0, 14), valid=(6.5, 10), decimals=1, default=8.2)
    inner: float = quantity("give or take", "", possible=(0, 3), above=True, decimals=1, default=0.3)


@dataclass(frozen=True, slots=True, kw_only=True)
class LoopMove(Proposal):
    before: float = figure("pH now", "", decimals=1, equation="as read")
    after: float = figure("pH in an hour", "", decimals=1, equation="0.3 nearer to what is usual, no faster")
    expected: float = figure("It reads then", "", decimals=1, equation="as brought back")
    hours: float = figure("Back in", "h", decimals=1, equation="what it is off/0.3")


@model(
    "recovered.loop_move",
    title="R6: the loop's pH has jumped",
    source="shift practice, row R6",
    holds_for="0.3 of pH an hour: a shock deposits pitch and scale",
    equation="pH ± 0.3 an hour",
    basis="default",
    checks=(
        Check({"ph": 7.2}, "after", 7.5, 1e-9),
        Check({"ph": 7.2}, "hours", 1.0 / 0.3, 1e-9),
        Check({"ph": 8.7}, "after", 8.4, 1e-9),
        Check({"ph": 8.4}, "after", 8.4),
    ),
)
def loop_move(case: LoopCase) -> LoopMove:
    """The pH brought back slowly. Raises: ImpossibleInput."""
    cautions = check(case)
    off = case.usual - case.ph
    stands = abs(off) > case.inner
    step = cut(off if stands else 0.0, PH_AN_HOUR, "0.3 an hour")
    return LoopMove(
        stands=stands,
        why=f"pH is {case.ph:.1f}, usually {case.usual:.1f}. Look for filler that met acid, fresh water, a wild pump.",
        low=min(case.ph, case.usual),
        high=max(case.ph, case.usual),
        band_low=case.usual - case.inner,
        band_high=case.usual + case.inner,
        bound_by=step.bound_by,
        cautions=cautions,
        before=case.ph,
        after=case.ph + step.size,
        expected=case.ph + step.size,
        hours=abs(off) / PH_AN_HOUR if stands else 0.0,
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class RopeStopCase:
    turns: str = choice("The rope or rag", ("turns", "stuck, or the rotor is braked"))
    feed_t_h: float = quantity("The line is fed", "t/h OD", possible=(0, 200), decimals=2)
    chest_min: float = quantity("Its chest covers", "min", possible=(0, 1e5), decimals=0, default=60.0)


@dataclass(frozen=True, slots=True, kw_only=True)
class RopeStop(Proposal):
    before: float = figure("Fed now", "t/h OD", decimals=2, equation="as it runs")
    after: float = figure("Fed", "t/h OD", decimals=2, equation="nothing while the vat is stopped and locked out")
    expected: float = figure("Ropes that hold the rotor", "", decimals=0, equation="none")
    cover_min: float = figure("The line runs on for", "min", decimals=0, equation="by its dump chest")


@model(
    "pulper.rope_stop",
    title="R7: the rope limits the rotor",
    source="shift practice, row R7",
    holds_for="stop by procedure, lock out, then cut; nothing is cut that can still move",
    equation="stop",
    basis="published",
    checks=(
        Check({"turns": "stuck, or the rotor is braked", "feed_t_h": 2.18}, "after", 0.0),
        Check({"turns": "turns", "feed_t_h": 2.18}, "after", 2.18),
    ),
)
def rope_stop(case: RopeStopCase) -> RopeStop:
    """Stop the vat; what its chest still covers. Raises: ImpossibleInput."""
    cautions = check(case)
    stands = case.turns != "turns"
    return RopeStop(
        stands=stands,
        why="The rope or a rag holds the rotor." if stands else "The rope turns.",
        low=0.0,
        high=case.feed_t_h,
        band_low=0.0,
        band_high=0.0,
        cautions=cautions,
        before=case.feed_t_h,
        after=0.0 if stands else case.feed_t_h,
        expected=0.0,
        cover_min=case.chest_min,
    )


PULPER = "A pulper is a confined space; never climb or reach over the rim. Stop and tag the belt before a hand goes to a wire."
add(
    Practice(
        id="R1",
        station="recovered",
        symptom="Flakes left at the planned dump",
        check_first=("consistency", "temperature", "a wet-strength bale"),
        says="Rotor {before} to {after} min",
        unit="min",
        decimals=0,
        reads="flakes_pct",
        dead_min=10,
        retest_min=10,
        caution="Longer pulping grinds stickies and plastic. " + PULPER,
        model="pulper.flakes_move",
        most="10 min",
        solved={"minutes": "minutes"},
        lever={"minutes.{stage}": 1.0},
    ),
    Practice(
        id="R2",
        station="recovered",
        symptom="Pulper consistency off",
        check_first=("bales counted and weighed", "water meter"),
        says="Water of the batch {before} to {after} m³",
        unit="m³",
        decimals=2,
        reads="cons_pct",
        dead_min=3,
        retest_min=3,
        caution=PULPER,
        model="pulper.thick_move",
        most="before the rotor’s load limit",
    ),
    Practice(
        id="R3",
        station="recovered",
        symptom="Flotation gain low",
        check_first=("ink in", "air", "soap and hardness", "pH", "40 to 55 °C"),
        says="Weir up: foam {before} to {after} % of the water",
        unit="%",
        decimals=1,
        reads="gain",
        dead_min=10,
        retest_min=40,
        caution="Points gained cost yield: the loss stands beside. Foam floors are slippery.",
        model="recovered.gain_move",
        most="2 points",
        solved={"water_pct": "water_pct", "a_point": "gain_a_point", "lost_a_point": "lost_a_point"},
        lever={"water_pct.{stage}": 1.0},
    ),
    Practice(
        id="R5",
        station="recovered",
        symptom="Stickies over their outer band",
        check_first=("bale lots, traced back", "temperature", "a pH jump", "slot basket"),
        says="Hold what was made; fine screens {before} to {after} °C",
        unit="°C",
        decimals=0,
        reads="stickies",
        dead_min=60,
        retest_min=120,
        caution="A detackifier moves stickies, it does not take them out.",
        model="recovered.sticky_move",
        most="5 °C",
    ),
    Practice(
        id="R4",
        station="recovered",
        symptom="Ash to the machine high",
        check_first=("bale mix", "washer split", "filler of the machine"),
        says="Foam {before} to {after} % of the water",
        unit="%",
        decimals=1,
        reads="ash_pct",
        dead_min=40,
        retest_min=120,
        caution="Filler is yield: the loss, and the share of the furnish that would do as much, stand beside.",
        model="recovered.ash_move",
        most="2 points, or a tenth of its share",
        solved={"ash_pct": "ash_end_pct", "water_pct": "water_pct", "a_point": "ash_a_point", "lost_a_point": "lost_a_point"},
        lever={"water_pct.{stage}": 1.0},
    ),
    Practice(
        id="R6",
        station="recovered",
        symptom="The loop’s pH or hardness has jumped",
        check_first=("filler that met acid", "fresh water", "caustic and acid pumps"),
        says="pH of the loop {before} to {after} within the hour",
        unit="",
        decimals=1,
        reads="ph",
        dead_min=30,
        retest_min=60,
        caution="A shock deposits pitch and scale: no faster than 0.3 an hour.",
        model="recovered.loop_move",
        most="0.3 an hour",
    ),
    Practice(
        id="R7",
        station="recovered",
        symptom="Rope or rag limits rotation",
        check_first=("wire and strings in the bales", "rope speed"),
        says="Stop the vat by procedure, lock out, then cut",
        unit="t/h OD",
        decimals=2,
        reads="",
        dead_min=0,
        retest_min=30,
        caution=PULPER + " Nothing is cut that can still move; the rotor is locked out and tried first.",
        model="pulper.rope_stop",
        solved={"feed_t_h": "od_t_h"},
    ),
)
