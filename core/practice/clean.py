"""Screens and cleaners on shift: rows S1 to S3 and C1 to C3 of the practice table. All sizes are defaults."""

import math
from dataclasses import dataclass

from core.clean.cleaner import CUT_KPA, drop, told_drop
from core.errors import ImpossibleInput, Problem
from core.judge.move import DAMPING
from core.practice.row import Practice, Proposal, add, cut
from core.quantity import check, choice, figure, quantity
from core.register import Check, model

LOW_KPA, HIGH_KPA, MOST_CONES = 80.0, 200.0, 2.0
MOST_POINTS, MOST_FEED, LESS_POINTS, LESS_FEED = 5.0, 0.2, 3.0, 0.05
CLEAN_RATIO = 1.3  # drop over that of a clean basket at which a screen plugs


@dataclass(frozen=True, slots=True, kw_only=True)
class DropCase:
    kpa: float = quantity("Pressure drop of the stage", "kPa", possible=(1, 600), valid=(40, 300), decimals=0)
    cones_open: float = quantity("Cleaners open", "", possible=(1, 2000), whole=True, decimals=0)
    cones_there: float = quantity("Cleaners there are", "", possible=(1, 2000), whole=True, decimals=0, default=2000)
    to_kpa: float = quantity("Drop wanted", "kPa", possible=(60, 250), valid=(100, 180), decimals=0, default=CUT_KPA)


@dataclass(frozen=True, slots=True, kw_only=True)
class DropMove(Proposal):
    before: float = figure("Open now", "", decimals=0, equation="as counted")
    after: float = figure("Open", "", decimals=0, equation="open × √(drop/drop wanted), two at a time")
    expected: float = figure("Drop then", "kPa", decimals=0, equation="drop × (open now/open)²")


@model(
    "clean.drop_move",
    title="C1: the pressure drop of a stage of cleaners",
    source="shift practice, row C1; flow with the root of the drop",
    holds_for="80 to 200 kPa is left alone; two cleaners at a time",
    equation="open = open now × √(ΔP/ΔP wanted)",
    basis="default",
    checks=(
        Check({"kpa": 207, "cones_open": 6, "cones_there": 8}, "after", 8),
        Check({"kpa": 207, "cones_open": 6, "cones_there": 8}, "expected", 116.4, 1e-3),
        Check({"kpa": 139, "cones_open": 22, "cones_there": 24}, "after", 22),
    ),
)
def drop_move(case: DropCase) -> DropMove:
    """Open or shut cleaners until the drop lies in its band; never more than there are. Raises: ImpossibleInput."""
    cautions = check(case)
    stands = not LOW_KPA <= case.kpa <= HIGH_KPA
    wanted = case.cones_open * math.sqrt(case.kpa / case.to_kpa)
    whole = math.ceil(wanted - 1e-9) if case.kpa > case.to_kpa else math.floor(wanted + 1e-9)
    step = cut(whole - case.cones_open if stands else 0.0, MOST_CONES)
    after, bound = max(1.0, case.cones_open + step.size), step.bound_by
    if after > case.cones_there:
        after, bound = max(case.cones_open, case.cones_there), "the cleaners there are"
    expected = case.kpa * (case.cones_open / after) ** 2
    return DropMove(
        stands=stands and after != case.cones_open,
        why=f"The drop is {case.kpa:.0f} kPa, wanted {LOW_KPA:.0f} to {HIGH_KPA:.0f}.",
        low=max(1.0, case.cones_open - MOST_CONES),
        high=min(max(case.cones_open, case.cones_there), case.cones_open + MOST_CONES),
        band_low=LOW_KPA,
        band_high=HIGH_KPA,
        bound_by=bound,
        cautions=cautions + told_drop(expected, "cones_open"),
        before=case.cones_open,
        after=after,
        expected=expected,
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class DirtCase:
    dirt: float = quantity("Shives, sand or dirt in the accept", "", possible=(0, 1e6), decimals=2)
    high: float = quantity("wanted under", "", possible=(0, 1e6), above=True, decimals=2)
    rv_pct: float = quantity("Stage 1 rejects of its flow", "%", possible=(1, 90), valid=(5, 40), decimals=1)
    a_point: float = quantity(
        "One point more takes", "% of the dirt", possible=(0, 60), valid=(0.2, 15), decimals=2, default=3.0
    )
    seen: str = choice("Basket and pressures", ("in order", "dp negative or basket damaged"), default="in order")


@dataclass(frozen=True, slots=True, kw_only=True)
class DirtMove(Proposal):
    before: float = figure("Rejects now", "%", decimals=1, equation="as set")
    after: float = figure("Rejects", "%", decimals=1, equation="now + 0.7 (dirt − wanted)/(dirt × a point)")
    expected: float = figure("Dirt then", "", decimals=2, equation="dirt × (1 − a point)^points")


@model(
    "clean.dirt_move",
    title="S2: shives or dirt in the accepts",
    source="shift practice, row S2; the slope is the cascade's own",
    holds_for="five points at a time; the next stage takes what is rejected",
    equation="Δ = 0.7 (dirt − wanted)/(dirt × a point)",
    basis="default",
    checks=(
        Check({"dirt": 0.62, "high": 0.5, "rv_pct": 22, "a_point": 4}, "after", 22 + 0.7 * 0.12 / (0.62 * 0.04), 1e-6),
        Check({"dirt": 0.42, "high": 0.5, "rv_pct": 22}, "after", 22.0),
    ),
)
def dirt_move(case: DirtCase) -> DirtMove:
    """More flow rejected at the first stage, by what the cascade says of a point. Raises: ImpossibleInput."""
    cautions = check(case)
    stands = case.dirt > case.high and case.seen == "in order"
    slope = case.dirt * case.a_point / 100.0
    step = cut(DAMPING * (case.dirt - case.high) / slope if stands and slope > 0.0 else 0.0, MOST_POINTS)
    why = f"{case.dirt:.2f} in the accept, wanted under {case.high:.2f}."
    if case.seen != "in order":
        why += " A basket that leaks is mended first: no reject rate cleans past a hole."
    return DirtMove(
        stands=stands and step.size > 0.0,
        why=why,
        low=case.rv_pct - MOST_POINTS,
        high=min(90.0, case.rv_pct + MOST_POINTS),
        band_low=0.0,
        band_high=case.high,
        bound_by=step.bound_by,
        cautions=cautions,
        before=case.rv_pct,
        after=case.rv_pct + step.size,
        expected=case.dirt * (1.0 - case.a_point / 100.0) ** step.size,
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class PlugCase:
    kpa: float = quantity("Drop over the basket", "kPa", possible=(0, 400), valid=(5, 80), decimals=0)
    clean_kpa: float = quantity("of a clean one at this flow", "kPa", possible=(0, 400), above=True, valid=(5, 60), decimals=0)
    feed_pct: float = quantity("Feed", "%", possible=(0.2, 6), valid=(0.6, 3.5), decimals=2)


@dataclass(frozen=True, slots=True, kw_only=True)
class PlugMove(Proposal):
    before: float = figure("Feed now", "%", decimals=2, equation="as set")
    after: float = figure("Feed", "%", decimals=2, equation="now − 0.1, or − 0.2 far over")
    expected: float = figure("Drop wanted under", "kPa", decimals=0, equation="1.3 × that of a clean basket")


@model(
    "clean.plug_move",
    title="S1: a screen plugs",
    source="shift practice, row S1",
    holds_for="a drop over 1.3 times that of a clean basket; a flush first",
    equation="feed − 0.1 % abs, twice that over twice the clean drop",
    basis="default",
    checks=(
        Check({"kpa": 30, "clean_kpa": 20, "feed_pct": 1.35}, "after", 1.25, 1e-6),
        Check({"kpa": 45, "clean_kpa": 20, "feed_pct": 1.35}, "after", 1.15, 1e-6),
        Check({"kpa": 22, "clean_kpa": 20, "feed_pct": 1.35}, "after", 1.35),
    ),
)
def plug_move(case: PlugCase) -> PlugMove:
    """Thinner feed while the basket is flushed. Raises: ImpossibleInput."""
    cautions = check(case)
    ratio = case.kpa / case.clean_kpa
    stands = ratio > CLEAN_RATIO
    step = MOST_FEED if ratio > 2.0 else MOST_FEED / 2.0
    return PlugMove(
        stands=stands,
        why=f"The drop is {ratio:.1f} times that of a clean basket, wanted under {CLEAN_RATIO:g}.",
        low=max(0.2, case.feed_pct - MOST_FEED),
        high=case.feed_pct,
        band_low=0.0,
        band_high=CLEAN_RATIO * case.clean_kpa,
        cautions=cautions,
        before=case.feed_pct,
        after=max(0.2, case.feed_pct - step) if stands else case.feed_pct,
        expected=CLEAN_RATIO * case.clean_kpa,
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class LossCase:
    lost_pct: float = quantity("Fibre lost", "%", possible=(0, 60), valid=(0, 5), decimals=2)
    wanted_pct: float = quantity("wanted under", "%", possible=(0, 60), above=True, valid=(0.05, 3), decimals=2, default=0.4)
    rv_pct: float = quantity("Last stage rejects of its flow", "%", possible=(1, 90), valid=(5, 40), decimals=1)
    kind: str = choice("It is of", ("screens", "cleaners"), default="screens")
    feed_pct: float = quantity("Its feed", "%", possible=(0.05, 6), valid=(0.3, 3.5), decimals=2, default=0.5)


@dataclass(frozen=True, slots=True, kw_only=True)
class LossMove(Proposal):
    before: float = figure("Rejects now", "%", decimals=1, equation="as set")
    after: float = figure("Rejects", "%", decimals=1, equation="now × wanted/lost, three points at most")
    thinner_pct: float = figure("Its feed", "%", decimals=2, equation="0.05 thinner at once")
    expected: float = figure("Fibre lost then", "%", decimals=2, equation="lost × rejects then/now")


@model(
    "clean.loss_move",
    title="S3, C3: good fibre lost with the rejects",
    source="shift practice, rows S3 and C3",
    holds_for="three points at a time; tips and dilution looked at first",
    equation="Δ = 0.7 rejects (wanted/lost − 1)",
    basis="default",
    checks=(
        Check({"lost_pct": 0.5, "wanted_pct": 0.4, "rv_pct": 12}, "after", 12 + 0.7 * 12 * (0.4 / 0.5 - 1), 1e-6),
        Check({"lost_pct": 0.3, "wanted_pct": 0.4, "rv_pct": 12}, "after", 12.0),
        Check({"lost_pct": 0.5, "wanted_pct": 0.4, "rv_pct": 12}, "thinner_pct", 0.45, 1e-6),
    ),
)
def loss_move(case: LossCase) -> LossMove:
    """Less flow to the sewer, and thinner stock to the last stage. Raises: ImpossibleInput."""
    cautions = check(case)
    stands = case.lost_pct > case.wanted_pct
    step = cut(DAMPING * case.rv_pct * (case.wanted_pct / case.lost_pct - 1.0) if stands else 0.0, LESS_POINTS)
    return LossMove(
        stands=stands,
        why=f"{case.lost_pct:.2f} % of the fibre leaves with the rejects, wanted under {case.wanted_pct:.2f}.",
        low=max(1.0, case.rv_pct - LESS_POINTS),
        high=case.rv_pct,
        band_low=0.0,
        band_high=case.wanted_pct,
        bound_by=step.bound_by,
        cautions=cautions,
        before=case.rv_pct,
        after=max(1.0, case.rv_pct + step.size),
        thinner_pct=max(0.05, case.feed_pct - LESS_FEED) if stands else case.feed_pct,
        expected=case.lost_pct * max(1.0, case.rv_pct + step.size) / case.rv_pct,
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class RopeCase:
    roping: float = quantity("Tips that rope or are dead", "", possible=(0, 2000), whole=True, decimals=0)
    cones_open: float = quantity("Cleaners open", "", possible=(1, 2000), whole=True, decimals=0)
    feed_pct: float = quantity("Feed", "%", possible=(0.05, 6), valid=(0.3, 1.3), decimals=2)


@dataclass(frozen=True, slots=True, kw_only=True)
class RopeMove(Proposal):
    before: float = figure("Feed now", "%", decimals=2, equation="as set")
    after: float = figure("Feed", "%", decimals=2, equation="now − 0.1")
    left_kpa: float = figure("Those left run at", "of the drop", decimals=2, equation="(open/(open − roping))²")
    expected: float = figure("Tips that rope", "", decimals=0, equation="none, once they are cleared")


@model(
    "clean.rope_move",
    title="C2: tips that rope",
    source="shift practice, row C2",
    holds_for="tips are cleared by procedure, bank by bank, never under pressure",
    equation="feed − 0.1 % abs",
    basis="default",
    checks=(
        Check({"roping": 2, "cones_open": 8, "feed_pct": 1.05}, "after", 0.95, 1e-6),
        Check({"roping": 2, "cones_open": 8, "feed_pct": 1.05}, "left_kpa", (8 / 6) ** 2, 1e-6),
        Check({"roping": 0, "cones_open": 8, "feed_pct": 1.05}, "after", 1.05),
    ),
)
def rope_move(case: RopeCase) -> RopeMove:
    """Thinner feed until the tips are clear. Raises: ImpossibleInput."""
    cautions = check(case)
    if case.roping >= case.cones_open:
        raise ImpossibleInput(Problem("roping", f"is {case.roping:g}; it must be under the {case.cones_open:g} that are open"))
    stands = case.roping > 0.0
    return RopeMove(
        stands=stands,
        why=f"{case.roping:.0f} of {case.cones_open:.0f} tips rope or are dead.",
        low=max(0.05, case.feed_pct - MOST_FEED),
        high=case.feed_pct,
        band_low=0.0,
        band_high=0.0,
        cautions=cautions,
        before=case.feed_pct,
        after=max(0.05, case.feed_pct - MOST_FEED / 2.0) if stands else case.feed_pct,
        expected=0.0,
        left_kpa=drop(case.cones_open, case.cones_open - case.roping, 1.0, 1.0),
    )


NEVER_OPEN = "Never open a tip or a trap under pressure: isolate, bleed, lock out by the site’s procedure."
add(
    Practice(
        id="S1",
        station="clean",
        symptom="Screen’s pressure drop high, accept flow down",
        check_first=("feed consistency", "rotor", "reject valve"),
        says="Feed of the screen {before} to {after} %, and flush",
        unit="%",
        decimals=2,
        reads="kpa",
        dead_min=2,
        retest_min=15,
        caution="More reject also loads the next stage: solve the cascade. A basket is opened locked out and drained.",
        model="clean.plug_move",
        most="0.2 %",
        solved={"feed_pct": "stage_pct"},
        lever={"feed_pct.{stage}": 1.0},
    ),
    Practice(
        id="S2",
        station="clean",
        symptom="Shives, sand or dirt high in the accepts",
        check_first=("basket", "pressures, none negative", "rotor speed", "feed consistency"),
        says="Rejects of stage 1 {before} to {after} % of its flow",
        unit="%",
        decimals=1,
        reads="dirt",
        dead_min=10,
        retest_min=30,
        caution="What is rejected loads the next stage: look at its drop and its thickening.",
        model="clean.dirt_move",
        most="5 points",
        solved={"rv_pct": "rv_pct", "a_point": "a_point_pct"},
        lever={"rv_pct.{stage}": 1.0},
    ),
    Practice(
        id="S3",
        station="clean",
        symptom="Good fibre lost with the last rejects (S3 screens, C3 cleaners)",
        check_first=("reject thickening", "dilution to the stage", "worn tips"),
        says="Rejects of the last stage {before} to {after} % of its flow",
        unit="%",
        decimals=1,
        reads="lost_pct",
        dead_min=15,
        retest_min=60,
        caution="Too little reject plugs the last stage: its drop and its tips stand beside.",
        model="clean.loss_move",
        most="3 points",
        solved={"lost_pct": "fibre_lost_pct", "rv_pct": "last_rv_pct", "feed_pct": "last_pct"},
    ),
    Practice(
        id="C1",
        station="clean",
        symptom="Cleaners’ pressure drop out of its band",
        check_first=("pump", "accepts throttled", "plugged feed header", "cleaners shut"),
        says="Cleaners open {before} to {after}",
        unit="",
        decimals=0,
        reads="kpa",
        dead_min=1,
        retest_min=15,
        caution=NEVER_OPEN,
        model="clean.drop_move",
        most="two cleaners",
        solved={"kpa": "kpa", "cones_open": "cones_open", "cones_there": "cones_there"},
        lever={"cones_open.{stage}": 1.0},
    ),
    Practice(
        id="C2",
        station="clean",
        symptom="Tips rope or are dead",
        check_first=("feed consistency over the card", "knots", "sand"),
        says="Feed of the stage {before} to {after} %, tips cleared by procedure",
        unit="%",
        decimals=2,
        reads="roping",
        dead_min=5,
        retest_min=30,
        caution=NEVER_OPEN,
        model="clean.rope_move",
        most="0.2 %",
        solved={"cones_open": "cones_open", "feed_pct": "stage_pct"},
        lever={"feed_pct.{stage}": 1.0},
    ),
)
