"""Delivery on shift: rows D1 to D4 of the practice table. All sizes are defaults."""

from dataclasses import dataclass
from typing import Final

from core.practice.row import Practice, Proposal, add, cut
from core.quantity import check, choice, figure, quantity
from core.register import Check, model

MOST_STEAM_C_H, MOST_C = 2.0, 3.0


@dataclass(frozen=True, slots=True, kw_only=True)
class SwingCase:
    gsm_sd_pct: float = quantity("Basis weight swings by, sd", "%", possible=(0, 20), decimals=2)
    usual_pct: float = quantity("usual", "%", possible=(0, 20), above=True, decimals=2, default=0.7)
    cons_sd_pct: float = quantity("Consistency swings by, sd", "%", possible=(0, 20), decimals=2)
    flow_sd_pct: float = quantity("Stock flow swings by, sd", "%", possible=(0, 20), decimals=2, default=0.3)


@dataclass(frozen=True, slots=True, kw_only=True)
class SwingMove(Proposal):
    before: float = figure("Consistency swing now", "%", decimals=2, equation="as measured")
    after: float = figure("Consistency swing wanted", "%", decimals=2, equation="√(usual² − flow²)")
    share_pct: float = figure("of the swing is consistency’s", "%", decimals=0, equation="C²/total², 100 at most")
    expected: float = figure("Basis weight swing then", "%", decimals=2, equation="√(C² + flow²)")


_SWING: Final = {"gsm_sd_pct": 1.3, "cons_sd_pct": 1.2}


@model(
    "deliver.swing_move",
    title="D1: basis weight swings with the thick stock",
    source="shift practice, row D1; variance adds",
    holds_for="one percent of consistency is one percent of basis weight while flow is held",
    equation="C wanted = √(usual² − flow²)",
    basis="published",
    checks=(
        Check(_SWING, "after", (0.49 - 0.09) ** 0.5, 1e-9),
        Check(_SWING, "share_pct", 100 * 1.44 / 1.69, 1e-9),
        Check({**_SWING, "gsm_sd_pct": 0.7}, "after", 1.2),
    ),
)
def swing_move(case: SwingCase) -> SwingMove:
    """The consistency loop put right first. Raises: ImpossibleInput."""
    cautions = check(case)
    stands = case.gsm_sd_pct > 1.2 * case.usual_pct and case.cons_sd_pct > case.flow_sd_pct
    wanted = max(0.0, case.usual_pct**2 - case.flow_sd_pct**2) ** 0.5
    after = min(case.cons_sd_pct, wanted) if stands else case.cons_sd_pct
    share = 100.0 * min(1.0, case.cons_sd_pct**2 / case.gsm_sd_pct**2) if case.gsm_sd_pct > 0.0 else 0.0
    return SwingMove(
        stands=stands,
        why=f"Basis weight swings by {case.gsm_sd_pct:.2f} %, usual {case.usual_pct:.2f}; {share:.0f} % of it is consistency.",
        low=after,
        high=case.cons_sd_pct,
        band_low=0.0,
        band_high=1.2 * case.usual_pct,
        cautions=cautions,
        before=case.cons_sd_pct,
        after=after,
        share_pct=share,
        expected=(after**2 + case.flow_sd_pct**2) ** 0.5,
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class CoverCase:
    content_t: float = quantity("In the machine chest", "t OD", possible=(0, 10_000), decimals=1)
    full_t: float = quantity("Holds", "t OD", possible=(0, 10_000), above=True, decimals=1)
    in_t_h: float = quantity("In", "t/h OD", possible=(0, 1000), decimals=2)
    out_t_h: float = quantity("The machine takes", "t/h OD", possible=(0, 1000), above=True, decimals=2)
    card_min: float = quantity("Cover wanted", "min", possible=(0, 600), decimals=0, default=15.0)
    low_pct: float = quantity("Lowest usable", "%", possible=(0, 100), decimals=0, default=10.0)


@dataclass(frozen=True, slots=True, kw_only=True)
class CoverMove(Proposal):
    before: float = figure("The machine takes", "t/h OD", decimals=2, equation="as it runs")
    after: float = figure("could take, for the cover wanted", "t/h OD", decimals=2, equation="in + (content − low)/cover")
    empty_min: float = figure("Empty in", "min", decimals=0, equation="(content − low)/(out − in)")
    ridden_min: float = figure(
        "A stop of the supply is ridden for", "min", decimals=0, equation="(content − low)/out, not under 0"
    )
    expected: float = figure("Cover then", "min", decimals=0, equation="(content − low)/(out − in)")


_SHORT: Final = {"content_t": 2.7, "full_t": 7, "in_t_h": 8.0, "out_t_h": 16.0}


@model(
    "deliver.cover_move",
    title="D2: machine chest cover under its card",
    source="shift practice, row D2; mass balance of the chest",
    holds_for="told with the time to empty; the plan is made anew, the lead and the machine decide",
    equation="out = in + (content − low)/cover",
    basis="published",
    checks=(
        Check(_SHORT, "empty_min", 15.0, 1e-9),
        Check({**_SHORT, "card_min": 30}, "after", 12.0, 1e-9),
        Check({**_SHORT, "card_min": 10}, "after", 16.0),
    ),
)
def cover_move(case: CoverCase) -> CoverMove:
    """What the machine could take, and the minutes there are. Raises: ImpossibleInput."""
    cautions = check(case)
    over, net = max(0.0, case.content_t - case.full_t * case.low_pct / 100.0), case.out_t_h - case.in_t_h
    empty = 60.0 * over / net if net > 1e-9 else 6000.0
    stands = empty < case.card_min
    after = min(case.out_t_h, case.in_t_h + 60.0 * over / case.card_min) if stands else case.out_t_h
    return CoverMove(
        stands=stands,
        why=f"The chest is empty in {empty:.0f} min, wanted {case.card_min:.0f} at least.",
        low=after,
        high=case.out_t_h,
        band_low=case.card_min,
        band_high=6000.0,
        cautions=cautions,
        before=case.out_t_h,
        after=after,
        empty_min=empty,
        ridden_min=60.0 * over / case.out_t_h,
        expected=case.card_min if stands else empty,
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class WarmthCase:
    temp_c: float = quantity("To the headbox", "°C", possible=(0, 95), decimals=1)
    target: float = quantity("wanted", "°C", possible=(0, 95), decimals=1)
    inner: float = quantity("give or take", "°C", possible=(0, 20), above=True, decimals=1, default=1.5)


@dataclass(frozen=True, slots=True, kw_only=True)
class WarmthMove(Proposal):
    before: float = figure("To the headbox", "°C", decimals=1, equation="as read")
    after: float = figure("Wire pit steam to", "°C", decimals=1, equation="+ lack, 3 °C at most")
    hours: float = figure("at 2 °C an hour", "h", decimals=1, equation="rise/2")
    expected: float = figure("Temperature then", "°C", decimals=1, equation="as raised")


@model(
    "deliver.warmth_move",
    title="D3: temperature to the headbox down",
    source="shift practice, row D3",
    holds_for="2 °C an hour; less fresh water first; air and drainage change with it",
    equation="+ lack, 3 °C at most",
    basis="default",
    checks=(
        Check({"temp_c": 46, "target": 50}, "after", 49.0),
        Check({"temp_c": 48, "target": 50}, "hours", 1.0),
        Check({"temp_c": 49, "target": 50}, "after", 49.0),
    ),
)
def warmth_move(case: WarmthCase) -> WarmthMove:
    """Steam to the wire pit, slowly. Raises: ImpossibleInput."""
    cautions = check(case)
    lack = case.target - case.temp_c
    stands = lack > case.inner
    step = cut(lack if stands else 0.0, MOST_C)
    return WarmthMove(
        stands=stands,
        why=f"{case.temp_c:.1f} °C, wanted {case.target:.1f} ± {case.inner:.1f}.",
        low=case.temp_c,
        high=case.temp_c + MOST_C,
        band_low=case.target - case.inner,
        band_high=case.target + case.inner,
        bound_by=step.bound_by,
        cautions=cautions,
        before=case.temp_c,
        after=case.temp_c + step.size,
        hours=step.size / MOST_STEAM_C_H,
        expected=case.temp_c + step.size,
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class SeenCase:
    seen: str = choice("Contamination", ("none", "specks", "plastic or wax", "oil", "off-colour lumps"))
    out_t_h: float = quantity("Stock to the machine", "t/h OD", possible=(0, 1000), decimals=1)
    since_min: float = quantity("Since", "min", possible=(0, 6000), decimals=0, default=15.0)


@dataclass(frozen=True, slots=True, kw_only=True)
class SeenMove(Proposal):
    before: float = figure("Stock to the machine", "t/h OD", decimals=1, equation="as it runs")
    after: float = figure("goes on to it", "t/h OD", decimals=1, equation="none: divert and hold")
    touched_t: float = figure("Touched since", "t OD", decimals=1, equation="rate × time")
    expected: float = figure("Suspect stock to the machine", "t/h OD", decimals=0, equation="none")


@model(
    "deliver.seen_move",
    title="D4: contamination seen",
    source="shift practice, row D4",
    holds_for="divert and hold now, trace up and down; releasing is for the shift lead",
    equation="rate → 0; touched = rate × time",
    basis="published",
    checks=(
        Check({"seen": "oil", "out_t_h": 16, "since_min": 15}, "touched_t", 4.0),
        Check({"seen": "oil", "out_t_h": 16}, "after", 0.0),
        Check({"seen": "none", "out_t_h": 16}, "after", 16.0),
    ),
)
def seen_move(case: SeenCase) -> SeenMove:
    """Divert and hold. Raises: ImpossibleInput."""
    cautions = check(case)
    stands = case.seen != "none" and case.out_t_h > 0.0
    return SeenMove(
        stands=stands,
        why=f"{case.seen[0].upper()}{case.seen[1:]} seen; {case.out_t_h * case.since_min / 60.0:.1f} t touched since.",
        low=0.0,
        high=case.out_t_h,
        band_low=0.0,
        band_high=0.0,
        cautions=cautions,
        before=case.out_t_h,
        after=0.0 if stands else case.out_t_h,
        touched_t=case.out_t_h * case.since_min / 60.0,
        expected=0.0,
    )


add(
    Practice(
        id="D1",
        station="deliver",
        symptom="Basis weight swings with the thick stock",
        check_first=("consistency loop", "a sticking valve", "level"),
        says="Consistency swing {before} to {after} %: mend the loop first",
        unit="%",
        decimals=2,
        reads="",
        dead_min=2,
        retest_min=15,
        caution="The machine’s side owns its valve: hold it together, do not chase it from both ends.",
        model="deliver.swing_move",
    ),
    Practice(
        id="D2",
        station="deliver",
        symptom="Machine chest cover under its card",
        check_first=("sources", "stops"),
        says="The machine takes {before}, could take {after} t/h",
        unit="t/h OD",
        decimals=1,
        reads="",
        dead_min=0,
        retest_min=15,
        caution="A sheet stops for nobody: ring early, with the time to empty. The machine’s tender decides its speed.",
        model="deliver.cover_move",
        solved={"content_t": "content_t", "full_t": "full_t", "in_t_h": "in_t_h", "out_t_h": "out_t_h"},
    ),
    Practice(
        id="D3",
        station="deliver",
        symptom="Temperature to the headbox down",
        check_first=("steam", "cold water in"),
        says="Wire pit {before} to {after} °C",
        unit="°C",
        decimals=1,
        reads="temp_c",
        dead_min=30,
        retest_min=60,
        caution="Steam burns: by its valve, slowly. Air and drainage change with it: tell the machine.",
        model="deliver.warmth_move",
        most="3 °C",
    ),
    Practice(
        id="D4",
        station="deliver",
        symptom="Contamination seen",
        check_first=("the lot", "looks up the line"),
        says="Stock to the machine {before} to {after} t/h: divert and hold",
        unit="t/h OD",
        decimals=1,
        reads="",
        dead_min=0,
        retest_min=15,
        caution="Trace it up and down. Releasing is for the shift lead.",
        model="deliver.seen_move",
        solved={"out_t_h": "out_t_h"},
    ),
)
