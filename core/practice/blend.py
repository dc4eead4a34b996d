"""Blend and wet end on shift: rows N1 to N8 of the practice table. Gains are the mill's own where told, else defaults."""

from dataclasses import dataclass
from typing import Final

from core.practice.row import Practice, Proposal, add, cut, feedback
from core.quantity import check, choice, figure, quantity
from core.register import Check, model

BROKE_STEP = 2.0  # points in 15 minutes


@dataclass(frozen=True, slots=True, kw_only=True)
class BrokeCase:
    level_pct: float = quantity("Broke tower", "%", possible=(0, 100), decimals=0)
    in_t_h: float = quantity("comes in", "t/h OD", possible=(0, 200), decimals=2)
    draw_t_h: float = quantity("Furnish", "t/h OD", possible=(0, 500), above=True, decimals=2)
    share_pct: float = quantity("Broke in the furnish", "%", possible=(0, 100), decimals=1)
    most_pct: float = quantity("at most, by its card", "%", possible=(0, 100), decimals=1, default=10.0)
    high_pct: float = quantity("Tower, at most", "%", possible=(0, 100), decimals=0, default=75.0)


@dataclass(frozen=True, slots=True, kw_only=True)
class BrokeMove(Proposal):
    before: float = figure("Broke now", "%", decimals=1, equation="as set")
    after: float = figure("Broke", "%", decimals=1, equation="in/furnish, 2 points and the card at most")
    holds_pct: float = figure("holds its level at", "%", decimals=1, equation="in/furnish")
    stored_t_h: float = figure("Stored meanwhile", "t/h OD", decimals=2, equation="in − share × furnish, not under 0")
    expected: float = figure("Tower rises then by", "t/h OD", decimals=2, equation="in − share × furnish")


_FULL: Final = {"level_pct": 82, "in_t_h": 2.15, "draw_t_h": 16.35, "share_pct": 7}


@model(
    "blend.broke_move",
    title="N1: broke over its limit",
    source="shift practice, row N1; mass balance of the broke tower",
    holds_for="2 points in 15 minutes; the card’s limit; what is over is stored by shade",
    equation="share = in/furnish",
    basis="default",
    checks=(
        Check(_FULL, "after", 9.0),
        Check(_FULL, "holds_pct", 100 * 2.15 / 16.35, 1e-9),
        Check({**_FULL, "most_pct": 8}, "after", 8.0),
        Check({**_FULL, "level_pct": 60}, "after", 7.0),
    ),
)
def broke_move(case: BrokeCase) -> BrokeMove:
    """More broke in the furnish, by steps. Raises: ImpossibleInput."""
    cautions = check(case)
    holds = 100.0 * case.in_t_h / case.draw_t_h
    stands = case.level_pct > case.high_pct and holds > case.share_pct
    step = cut(holds - case.share_pct if stands else 0.0, BROKE_STEP, "2 points in 15 minutes")
    after, bound = case.share_pct + step.size, step.bound_by
    if after > case.most_pct:
        after, bound = max(case.share_pct, case.most_pct), "the card"
    stored = case.in_t_h - after * case.draw_t_h / 100.0
    return BrokeMove(
        stands=stands and after > case.share_pct,
        why=f"The tower stands at {case.level_pct:.0f} % and rises; {holds:.1f} % in the furnish would hold it.",
        low=case.share_pct,
        high=max(case.share_pct, min(case.most_pct, case.share_pct + BROKE_STEP)) if stands else case.share_pct,
        band_low=0.0,
        band_high=case.high_pct,
        bound_by=bound,
        cautions=cautions,
        before=case.share_pct,
        after=after,
        holds_pct=holds,
        stored_t_h=max(0.0, stored),
        expected=stored,
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class LeverCase:
    """A reading of the wet end, and the lever that answers it."""

    value: float = quantity("Reading", "", possible=(-1000, 1e6), decimals=2)
    target: float = quantity("wanted", "", possible=(-1000, 1e6), decimals=2)
    inner: float = quantity("give or take", "", possible=(0, 1e6), above=True, decimals=2)
    now: float = quantity("Lever now", "", possible=(0, 1e6), decimals=3)
    gain: float = quantity("A unit of the lever gives", "", possible=(-1e6, 1e6), decimals=3)


@dataclass(frozen=True, slots=True, kw_only=True)
class LeverMove(Proposal):
    before: float = figure("Lever now", "", decimals=2, equation="as set")
    after: float = figure("Lever", "", decimals=2, equation="now − 0.7 e/g, within one move")
    expected: float = figure("Reading then", "", decimals=2, equation="reading + g × change")


def _lever(case: LeverCase, most: float, words: str) -> LeverMove:
    """−0.7 e/g within one move; nothing inside the band."""
    cautions = check(case)
    off = case.value - case.target
    stands = abs(off) > case.inner and case.gain != 0.0
    step = feedback(off if stands else 0.0, case.gain, most)
    after = max(0.0, case.now + step.size)
    return LeverMove(
        stands=stands and after != case.now,
        why=f"{words} {case.value:.2f}, wanted {case.target:.2f} ± {case.inner:.2f}.",
        low=max(0.0, case.now - most),
        high=case.now + most,
        band_low=case.target - case.inner,
        band_high=case.target + case.inner,
        bound_by=step.bound_by,
        cautions=cautions,
        before=case.now,
        after=after,
        expected=case.value + case.gain * (after - case.now),
    )


_DYE: Final = {"value": 2.0, "target": 1.0, "inner": 0.4, "now": 12.0, "gain": 0.5}


@model(
    "blend.shade_move",
    title="N2: shade off",
    source="shift practice, row N2",
    holds_for="the one colour axis that this dye moves; 15 % of its dose; after the mixing time, never within it",
    equation="Δ = −0.7 e/g",
    basis="default",
    checks=(
        Check(_DYE, "after", 12 - 1.4),
        Check({**_DYE, "value": 4.0}, "after", 12 * 0.85),
        Check({**_DYE, "value": 1.2}, "after", 12.0),
    ),
)
def shade_move(case: LeverCase) -> LeverMove:
    """Dye more or less. Raises: ImpossibleInput."""
    return _lever(case, 0.15 * case.now, "The axis stands at")


_PH: Final = {"value": 7.9, "target": 7.4, "inner": 0.3, "now": 2.0, "gain": -0.5}


@model(
    "blend.ph_move",
    title="N3: headbox pH out",
    source="shift practice, row N3; the slope is the mill’s own",
    holds_for="0.3 pH at a time, acid or alkali by its slope",
    equation="Δ = −0.7 e/g, 0.3 pH at most",
    basis="default",
    checks=(
        Check(_PH, "after", 2.0 + 0.6),
        Check({**_PH, "value": 7.75}, "after", 2.0 + 0.7 * 0.35 / 0.5),
        Check({**_PH, "value": 7.6}, "after", 2.0),
    ),
)
def ph_move(case: LeverCase) -> LeverMove:
    """Acid or alkali by the mill's slope. Raises: ImpossibleInput."""
    return _lever(case, 0.3 / abs(case.gain) if case.gain else 0.0, "pH stands at")


_RETENTION: Final = {"value": 90, "target": 94, "inner": 2, "now": 0.20, "gain": 200}


@model(
    "blend.retention_move",
    title="N5: retention down",
    source="shift practice, row N5",
    holds_for="15 % of the polymer’s dose; formation suffers by more",
    equation="Δ = −0.7 e/g",
    basis="default",
    checks=(
        Check(_RETENTION, "after", 0.20 + 0.014, 1e-9),
        Check({**_RETENTION, "value": 80}, "after", 0.23, 1e-9),
    ),
)
def retention_move(case: LeverCase) -> LeverMove:
    """Retention polymer more or less. Raises: ImpossibleInput."""
    return _lever(case, 0.15 * case.now, "Retention stands at")


@dataclass(frozen=True, slots=True, kw_only=True)
class ChargeCase:
    demand: float = quantity("Charge demand", "µeq/L", possible=(0, 5000), decimals=0)
    usual: float = quantity("usual", "µeq/L", possible=(0, 5000), above=True, decimals=0)
    dose_kg_t: float = quantity("Fixative now", "kg/t", possible=(0, 20), decimals=2)
    source: str = choice("Its source", ("not found", "carry-over", "coated broke", "fines"), default="not found")


@dataclass(frozen=True, slots=True, kw_only=True)
class ChargeMove(Proposal):
    before: float = figure("Fixative now", "kg/t", decimals=2, equation="as set")
    after: float = figure("Fixative", "kg/t", decimals=2, equation="+ 0.1; 0.3 in all")
    over_pct: float = figure("Over its usual by", "%", decimals=0, equation="demand/usual − 1")
    expected: float = figure("Charge demand then", "µeq/L", decimals=0, equation="toward the usual")


_CHARGED: Final = {"demand": 70, "usual": 45, "dose_kg_t": 0.8}


@model(
    "blend.charge_move",
    title="N4: charge demand up",
    source="shift practice, row N4",
    holds_for="0.1 kg/t at a time; its source is found, not covered",
    equation="+ 0.1 kg/t over 1.25 times the usual",
    basis="default",
    checks=(
        Check(_CHARGED, "after", 0.9),
        Check(_CHARGED, "over_pct", 100 * 25 / 45, 1e-9),
        Check({**_CHARGED, "demand": 50}, "after", 0.8),
    ),
)
def charge_move(case: ChargeCase) -> ChargeMove:
    """A little more fixative while the source is looked for. Raises: ImpossibleInput."""
    cautions = check(case)
    over = case.demand / case.usual - 1.0
    stands = over > 0.25
    after = case.dose_kg_t + 0.1 if stands else case.dose_kg_t
    return ChargeMove(
        stands=stands,
        why=f"Demand is {100 * over:.0f} % over its usual; source: {case.source}.",
        low=case.dose_kg_t,
        high=case.dose_kg_t + 0.3,
        band_low=0.0,
        band_high=1.25 * case.usual,
        cautions=cautions,
        before=case.dose_kg_t,
        after=after,
        over_pct=100.0 * over,
        expected=case.usual if stands else case.demand,
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class AshCase:
    ash_pct: float = quantity("Ash of the sheet", "%", possible=(0, 60), decimals=1)
    target: float = quantity("wanted", "%", possible=(0, 60), above=True, decimals=1)
    inner: float = quantity("give or take", "%", possible=(0, 20), above=True, decimals=1, default=0.5)
    filler: float = quantity("Filler now", "kg/min", possible=(0, 5000), decimals=1)


@dataclass(frozen=True, slots=True, kw_only=True)
class AshMove(Proposal):
    before: float = figure("Filler now", "kg/min", decimals=1, equation="as set")
    after: float = figure("Filler", "kg/min", decimals=1, equation="now × wanted/ash, a tenth at most")
    expected: float = figure("Ash then", "%", decimals=1, equation="ash × filler then/now")


_ASH: Final = {"ash_pct": 13.0, "target": 14.0, "filler": 38.0}


@model(
    "blend.ash_move",
    title="N6: ash off its card",
    source="shift practice, row N6",
    holds_for="a tenth at a time; density of the slurry and broke ash looked at first",
    equation="filler × (wanted/ash)",
    basis="default",
    checks=(
        Check(_ASH, "after", 38 * 14 / 13, 1e-9),
        Check({**_ASH, "ash_pct": 10}, "after", 41.8, 1e-9),
        Check({**_ASH, "ash_pct": 13.8}, "after", 38.0),
    ),
)
def ash_move(case: AshCase) -> AshMove:
    """Filler more or less. Raises: ImpossibleInput."""
    cautions = check(case)
    stands = abs(case.ash_pct - case.target) > case.inner and case.ash_pct > 0.0
    step = cut(case.filler * (case.target / case.ash_pct - 1.0) if stands else 0.0, 0.1 * case.filler)
    after = case.filler + step.size
    return AshMove(
        stands=stands and after != case.filler,
        why=f"Ash is {case.ash_pct:.1f} %, wanted {case.target:.1f} ± {case.inner:.1f} %.",
        low=0.9 * case.filler,
        high=1.1 * case.filler,
        band_low=case.target - case.inner,
        band_high=case.target + case.inner,
        bound_by=step.bound_by,
        cautions=cautions,
        before=case.filler,
        after=after,
        expected=case.ash_pct * after / case.filler if case.filler > 0.0 else case.ash_pct,
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class SizingCase:
    value: float = quantity("Water taken up in 60 s", "g/m²", possible=(0, 500), valid=(10, 120), decimals=0)
    most: float = quantity("at most, by its card", "g/m²", possible=(0, 500), above=True, valid=(15, 100), decimals=0)
    dose_kg_t: float = quantity("Size now", "kg/t", possible=(0, 50), valid=(0.3, 3), decimals=2)
    usual_kg_t: float = quantity("usual", "kg/t", possible=(0, 50), above=True, valid=(0.3, 3), decimals=2)
    cause: str = choice(
        "Looked at first",
        ("all as usual", "pH off", "temperature off", "retention down", "emulsion old"),
        default="all as usual",
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class SizingMove(Proposal):
    before: float = figure("Size now", "kg/t", decimals=2, equation="as set")
    after: float = figure("Size", "kg/t", decimals=2, equation="+ 5 %; 15 % over its usual at most")
    expected: float = figure("Water taken up then", "g/m²", decimals=0, equation="toward the card")


_SIZED: Final = {"value": 34, "most": 28, "dose_kg_t": 1.2, "usual_kg_t": 1.2}


@model(
    "blend.sizing_move",
    title="N7: sizing low",
    source="shift practice, row N7",
    holds_for="after its cause was looked for: pH, temperature, retention, age of the emulsion; sizing ripens",
    equation="+ 5 % of the dose; 15 % over its usual at most",
    basis="default",
    checks=(
        Check(_SIZED, "after", 1.26, 1e-9),
        Check({**_SIZED, "cause": "pH off"}, "after", 1.2),
        Check({**_SIZED, "dose_kg_t": 1.36}, "after", 1.38, 1e-9),
        Check({**_SIZED, "value": 27}, "after", 1.2),
    ),
)
def sizing_move(case: SizingCase) -> SizingMove:
    """A little more size, once its cause was looked for and nothing was found. Raises: ImpossibleInput."""
    cautions = check(case)
    most = 1.15 * case.usual_kg_t
    low = case.value > case.most
    found = case.cause != "all as usual"
    after = min(1.05 * case.dose_kg_t, most) if low and not found else case.dose_kg_t
    after = max(after, case.dose_kg_t)
    told = f" The cause is found: {case.cause}. Mend it first; more size covers it." if found else ""
    return SizingMove(
        stands=after > case.dose_kg_t,
        why=f"The sheet takes up {case.value:.0f} g/m², {case.most:.0f} at most by its card.{told}",
        low=case.dose_kg_t,
        high=max(most, case.dose_kg_t),
        band_low=0.0,
        band_high=case.most,
        bound_by="15 % over its usual" if low and not found and after < 1.05 * case.dose_kg_t else "",
        cautions=cautions,
        before=case.dose_kg_t,
        after=after,
        expected=case.most if after > case.dose_kg_t else case.value,
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class StrengthCase:
    tensile: float = quantity("Tensile forecast", "N·m/g", possible=(0, 200), decimals=1)
    least: float = quantity("at least, by its card", "N·m/g", possible=(0, 200), decimals=1)
    a_kwh: float = quantity("A kWh/t more gives", "N·m/g", possible=(0, 5), decimals=3, default=0.25)
    kwh_cost: float = quantity("A kWh/t costs", "a t", possible=(0, 100), decimals=3, default=0.08)
    a_point: float = quantity("A point more long fibre gives", "N·m/g", possible=(0, 5), decimals=2, default=0.35)
    point_cost: float = quantity("A point costs", "a t", possible=(-100, 100), decimals=2, default=1.2)
    long_pct: float = quantity("Long fibre now", "%", possible=(0, 100), decimals=1)


@dataclass(frozen=True, slots=True, kw_only=True)
class StrengthMove(Proposal):
    before: float = figure("Long fibre now", "%", decimals=1, equation="as set")
    after: float = figure("Long fibre", "%", decimals=1, equation="+ lack/gain where that is cheaper, 5 points at most")
    kwh_t: float = figure("or refining", "kWh/t", decimals=1, equation="lack/gain where that is cheaper, 10 at most")
    expected: float = figure("Tensile then", "N·m/g", decimals=1, equation="forecast + gain × change")


_WEAK: Final = {"tensile": 52.5, "least": 54, "long_pct": 46}


@model(
    "blend.strength_move",
    title="N8: strength forecast under its card",
    source="shift practice, row N8",
    holds_for="the cheaper of refining and long fibre; two chests until it is felt",
    equation="lack/gain × price, the less of both",
    basis="default",
    checks=(
        Check(_WEAK, "kwh_t", 6.0, 1e-9),
        Check(_WEAK, "after", 46.0),
        Check({**_WEAK, "kwh_cost": 2.0}, "after", 46 + 1.5 / 0.35, 1e-9),
        Check({**_WEAK, "tensile": 55}, "kwh_t", 0.0),
    ),
)
def strength_move(case: StrengthCase) -> StrengthMove:
    """The cheaper way to the strength of the card. Raises: ImpossibleInput."""
    cautions = check(case)
    lack = case.least - case.tensile
    stands = lack > 0.0 and (case.a_kwh > 0.0 or case.a_point > 0.0)
    by_kwh = lack / case.a_kwh if case.a_kwh > 0.0 else float("inf")
    by_fibre = lack / case.a_point if case.a_point > 0.0 else float("inf")
    refine = by_kwh * case.kwh_cost <= by_fibre * case.point_cost
    kwh = cut(by_kwh, 10.0) if stands and refine else cut(0.0, 10.0)
    points = cut(by_fibre, 5.0) if stands and not refine else cut(0.0, 5.0)
    told = f" {kwh.size:.1f} kWh/t of refining is the cheaper." if kwh.size else ""
    return StrengthMove(
        stands=stands,
        why=f"Forecast {case.tensile:.1f}, at least {case.least:.1f} N·m/g.{told}",
        low=case.long_pct,
        high=min(100.0, case.long_pct + 5.0),
        band_low=case.least,
        band_high=1000.0,
        bound_by=kwh.bound_by or points.bound_by,
        cautions=cautions,
        before=case.long_pct,
        after=min(100.0, case.long_pct + points.size),
        kwh_t=kwh.size,
        expected=case.tensile + case.a_kwh * kwh.size + case.a_point * points.size,
    )


add(
    Practice(
        id="N1",
        station="blend",
        symptom="Broke over its limit, its tower rising",
        check_first=("the break", "shade", "strips"),
        says="Broke {before} to {after} %",
        unit="%",
        decimals=1,
        reads="",
        dead_min=5,
        retest_min=30,
        caution="Freeness and shade follow the broke: look at the chest. What is over the card is stored by shade.",
        model="blend.broke_move",
        most="2 points in 15 min",
        school="Broke kept apart by shade, or mixed in low: the mill’s choice, told on the page of the furnish.",
        solved={
            "level_pct": "level_pct",
            "in_t_h": "in_t_h",
            "draw_t_h": "draw_t_h",
            "share_pct": "share_pct",
            "most_pct": "most_pct",
        },
    ),
    Practice(
        id="N2",
        station="blend",
        symptom="Shade off",
        check_first=("light source", "dye strength", "broke shade"),
        says="Dye {before} to {after}",
        unit="",
        decimals=2,
        reads="value",
        dead_min=15,
        retest_min=60,
        caution="An overdose cannot be taken out: dilute or hold. Never chase it within the mixing time.",
        model="blend.shade_move",
        most="15 %",
    ),
    Practice(
        id="N3",
        station="blend",
        symptom="pH at the headbox out",
        check_first=("alum", "carbonate filler", "carry-over"),
        says="Acid or alkali {before} to {after}",
        unit="",
        decimals=2,
        reads="value",
        dead_min=10,
        retest_min=30,
        caution="Acid on carbonate: CO₂ and foam. Acid and alkali burn: goggles, gloves, the nearest shower known.",
        model="blend.ph_move",
        most="0.3 pH",
    ),
    Practice(
        id="N4",
        station="blend",
        symptom="Charge demand up",
        check_first=("carry-over COD", "coated broke", "fines"),
        says="Fixative {before} to {after} kg/t",
        unit="kg/t",
        decimals=2,
        reads="demand",
        dead_min=15,
        retest_min=45,
        caution="Too much cationic turns the charge: foam and bad drainage. Find the source.",
        model="blend.charge_move",
        most="0.3 kg/t",
    ),
    Practice(
        id="N5",
        station="blend",
        symptom="Retention down",
        check_first=("polymer solution", "fines", "shear"),
        says="Polymer {before} to {after} kg/t",
        unit="kg/t",
        decimals=3,
        reads="value",
        dead_min=5,
        retest_min=20,
        caution="Formation suffers by more. Spilt polymer is slippery: cover and sweep, no hose first.",
        model="blend.retention_move",
        most="15 %",
    ),
    Practice(
        id="N6",
        station="blend",
        symptom="Ash off its card",
        check_first=("filler density", "broke ash"),
        says="Filler {before} to {after} kg/min",
        unit="kg/min",
        decimals=1,
        reads="ash_pct",
        dead_min=10,
        retest_min=30,
        caution="Retention moves with it: one lever at a time.",
        model="blend.ash_move",
        most="10 %",
        solved={"filler": "filler_kg_min"},
    ),
    Practice(
        id="N7",
        station="blend",
        symptom="Sizing low",
        check_first=("pH", "temperature", "retention", "age of the emulsion"),
        says="Size {before} to {after} kg/t",
        unit="kg/t",
        decimals=2,
        reads="value",
        dead_min=30,
        retest_min=60,
        caution="Sizing ripens in the sheet: an hour at least before the next step. Some emulsions last hours only.",
        model="blend.sizing_move",
        most="5 %, 15 % over its usual",
    ),
    Practice(
        id="N8",
        station="blend",
        symptom="Strength forecast under its card",
        check_first=("refining", "share of long fibre"),
        says="Long fibre {before} to {after} %",
        unit="%",
        decimals=1,
        reads="",
        dead_min=30,
        retest_min=120,
        caution="Refining costs drainage and tear: look at the freeness first.",
        model="blend.strength_move",
        most="5 points, 10 kWh/t",
        solved={"tensile": "tensile", "least": "tensile_least", "long_pct": "long_pct"},
    ),
)
