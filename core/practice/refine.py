"""Refining on shift: rows F1 to F5 of the practice table. All sizes are defaults."""

from dataclasses import dataclass

from core.judge.move import DAMPING
from core.practice.row import Practice, Proposal, add, cut
from core.quantity import check, choice, figure, quantity
from core.register import Check, model

MOST_KWH_T, STEP_KW, STEP_SHARE = 10.0, 20.0, 0.05


@dataclass(frozen=True, slots=True, kw_only=True)
class FreenessCase:
    csf_ml: float = quantity("Freeness out", "mL", possible=(0, 1000), valid=(80, 750), decimals=0)
    target: float = quantity("wanted", "mL", possible=(0, 1000), valid=(80, 750), decimals=0)
    inner: float = quantity("give or take", "mL", possible=(0, 200), above=True, decimals=0, default=15.0)
    a_kwh_t: float = quantity("A kWh/t more gives", "mL", possible=(-50, 0), valid=(-6, -0.3), decimals=2, default=-2.6)
    od_t_h: float = quantity("Pulp", "t/h OD", possible=(0, 200), above=True, valid=(0.5, 40), decimals=2)
    gross_kw: float = quantity("Gross power now", "kW", possible=(0, 30_000), decimals=0)
    motor_kw: float = quantity("Motors", "kW", possible=(0, 60_000), decimals=0, default=0.0, help="0: not told")


@dataclass(frozen=True, slots=True, kw_only=True)
class FreenessMove(Proposal):
    before: float = figure("Gross power now", "kW", decimals=0, equation="as set")
    after: float = figure("Gross power", "kW", decimals=0, equation="now + ΔE × pulp")
    more_kwh_t: float = figure("Energy more", "kWh/t", decimals=2, equation="0.7 (freeness − wanted)/|g|, 10 at most")
    step_kw: float = figure("in steps of", "kW", decimals=0, equation="20, or 5 % where that is less")
    expected: float = figure("Freeness then", "mL", decimals=0, equation="freeness + g ΔE")


_HIGH = {"csf_ml": 472, "target": 440, "a_kwh_t": -2.6, "od_t_h": 5.8, "gross_kw": 520}


@model(
    "refine.freeness_move",
    title="F1, F2: freeness off after the refiners",
    source="shift practice, rows F1 and F2; the slope is the line’s own",
    holds_for="10 kWh/t at a time, put in by steps; two transit times, then a test",
    equation="ΔE = 0.7 (freeness − wanted)/|g|; ΔP = ΔE × pulp",
    basis="default",
    checks=(
        Check(_HIGH, "more_kwh_t", 8.6154, 1e-3),
        Check(_HIGH, "after", 520 + 8.6154 * 5.8, 1e-4),
        Check({**_HIGH, "csf_ml": 445}, "after", 520.0),
        Check({**_HIGH, "csf_ml": 400}, "after", 520 - 5.8 * 10.0, 1e-9),
    ),
)
def freeness_move(case: FreenessCase) -> FreenessMove:
    """Power more or less for the freeness wanted. Raises: ImpossibleInput."""
    cautions = check(case)
    off = case.csf_ml - case.target
    stands = abs(off) > case.inner and case.a_kwh_t < 0.0
    step = cut(DAMPING * off / -case.a_kwh_t if stands else 0.0, MOST_KWH_T)
    after, bound = case.gross_kw + step.size * case.od_t_h, step.bound_by
    if stands and 0.0 < case.motor_kw < after:
        after, bound = case.motor_kw, "the motors"
    after = max(0.0, after)
    more = (after - case.gross_kw) / case.od_t_h
    return FreenessMove(
        stands=stands and after != case.gross_kw,
        why=f"Freeness is {case.csf_ml:.0f} mL, wanted {case.target:.0f} ± {case.inner:.0f}.",
        low=min(after, max(0.0, case.gross_kw - MOST_KWH_T * case.od_t_h)),
        high=case.gross_kw + MOST_KWH_T * case.od_t_h,
        band_low=case.target - case.inner,
        band_high=case.target + case.inner,
        bound_by=bound,
        cautions=cautions,
        before=case.gross_kw,
        after=after,
        more_kwh_t=more,
        step_kw=min(STEP_KW, STEP_SHARE * case.gross_kw),
        expected=case.csf_ml + case.a_kwh_t * more,
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class WornCase:
    no_load_kw: float = quantity("No-load now", "kW", possible=(0, 10_000), decimals=0)
    new_kw: float = quantity("with new plates", "kW", possible=(0, 10_000), above=True, decimals=0)
    hours: float = quantity("Plates on for", "h", possible=(0, 1e5), decimals=0, default=0.0)


@dataclass(frozen=True, slots=True, kw_only=True)
class WornMove(Proposal):
    before: float = figure("No-load now", "kW", decimals=0, equation="as measured with water, backed off")
    after: float = figure("No-load of new plates", "kW", decimals=0, equation="after a change")
    fallen_pct: float = figure("It has fallen by", "%", decimals=0, equation="1 − now/new")
    expected: float = figure("No-load then", "kW", decimals=0, equation="that of new plates")


@model(
    "refine.worn_move",
    title="F3: plates worn",
    source="shift practice, row F3; accounts, section 11",
    holds_for="the same flow, consistency and gap; a fall of 12 %",
    equation="1 − now/new over 12 %",
    basis="default",
    checks=(
        Check({"no_load_kw": 70, "new_kw": 84}, "fallen_pct", 100 * 14 / 84, 1e-9),
        Check({"no_load_kw": 70, "new_kw": 84}, "after", 84.0),
        Check({"no_load_kw": 80, "new_kw": 84}, "after", 80.0),
    ),
)
def worn_move(case: WornCase) -> WornMove:
    """Plates to be changed at the next stop. Raises: ImpossibleInput."""
    cautions = check(case)
    fallen = 100.0 * (1.0 - case.no_load_kw / case.new_kw)
    stands = fallen > 12.0
    return WornMove(
        stands=stands,
        why=f"No-load has fallen by {fallen:.0f} %, wanted under 12 %. Worn bars cut: more power is no answer.",
        low=min(case.no_load_kw, case.new_kw),
        high=max(case.no_load_kw, case.new_kw),
        band_low=0.88 * case.new_kw,
        band_high=1.2 * case.new_kw,
        cautions=cautions,
        before=case.no_load_kw,
        after=case.new_kw if stands else case.no_load_kw,
        fallen_pct=fallen,
        expected=case.new_kw,
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class FeedCase:
    feed: str = choice("Stock to the refiner", ("flows", "flow under its least", "thin or lost"))
    gross_kw: float = quantity("Gross power now", "kW", possible=(0, 30_000), decimals=0)
    no_load_kw: float = quantity("No-load", "kW", possible=(0, 10_000), decimals=0, default=60.0)


@dataclass(frozen=True, slots=True, kw_only=True)
class FeedMove(Proposal):
    before: float = figure("Gross power now", "kW", decimals=0, equation="as set")
    after: float = figure("Gross power", "kW", decimals=0, equation="no-load: back the plates out")
    expected: float = figure("Contacts of the plates", "", decimals=0, equation="none")


@model(
    "refine.feed_move",
    title="F4: stock to the refiner is lost",
    source="shift practice, row F4",
    holds_for="unload first, then look for the cause; or recirculate",
    equation="power → no-load",
    basis="published",
    checks=(
        Check({"feed": "thin or lost", "gross_kw": 250}, "after", 60.0),
        Check({"feed": "flows", "gross_kw": 250}, "after", 250.0),
    ),
)
def feed_move(case: FeedCase) -> FeedMove:
    """Back the plates out. Raises: ImpossibleInput."""
    cautions = check(case)
    stands = case.feed != "flows" and case.gross_kw > case.no_load_kw
    return FeedMove(
        stands=stands,
        why=f"Stock: {case.feed}. Plates touch with nothing between them.",
        low=min(case.no_load_kw, case.gross_kw),
        high=case.gross_kw,
        band_low=0.0,
        band_high=0.0,
        cautions=cautions,
        before=case.gross_kw,
        after=case.no_load_kw if stands else case.gross_kw,
        expected=0.0,
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class HuntCase:
    load_pct: float = quantity("Net load swings by", "% rel.", possible=(0, 200), decimals=1)
    cons_pct: float = quantity("Consistency before it swings by", "% rel.", possible=(0, 200), decimals=1)
    allowed_pct: float = quantity("Load may swing by", "% rel.", possible=(0, 200), above=True, decimals=1, default=3.0)
    ti_s: float = quantity("Reset time of the load loop now", "s", possible=(0, 10_000), above=True, valid=(5, 600), decimals=0)


@dataclass(frozen=True, slots=True, kw_only=True)
class HuntMove(Proposal):
    before: float = figure("Reset time now", "s", decimals=0, equation="as set")
    after: float = figure("Reset time", "s", decimals=0, equation="1.5 times, where consistency is not the cause")
    from_cons_pct: float = figure(
        "Of the swing from consistency", "%", decimals=0, equation="variance: (consistency/load)², 100 at most"
    )
    expected: float = figure(
        "Load swings then by", "% rel.", decimals=1, equation="what consistency leaves, or what is allowed"
    )


_HUNTS = {"load_pct": 8, "cons_pct": 2, "ti_s": 40}


@model(
    "refine.hunt_move",
    title="F5: the load hunts",
    source="shift practice, row F5; variances add",
    holds_for="swings of one period; consistency mended by H1 and H2 first",
    equation="share = (consistency swing/load swing)²; over a half: mend it; else reset time × 1.5",
    basis="default",
    checks=(
        Check(_HUNTS, "after", 60.0, 1e-9),
        Check(_HUNTS, "from_cons_pct", 6.25, 1e-9),
        Check({**_HUNTS, "cons_pct": 7}, "after", 40.0),
        Check({**_HUNTS, "load_pct": 2.5}, "after", 40.0),
    ),
)
def hunt_move(case: HuntCase) -> HuntMove:
    """Slow the load loop, unless its swing comes from the consistency. Raises: ImpossibleInput."""
    cautions = check(case)
    share = min(1.0, (case.cons_pct / case.load_pct) ** 2) if case.load_pct > 0.0 else 0.0
    hunts, upstream = case.load_pct > case.allowed_pct, share >= 0.5
    stands = hunts and not upstream
    why = (
        f"Net load swings by {case.load_pct:.1f} %, {case.allowed_pct:.1f} allowed; {100 * share:.0f} % of it from consistency."
    )
    if hunts and upstream:
        why += " Mend the consistency first: rows H1 and H2."
    return HuntMove(
        stands=stands,
        why=why,
        low=case.ti_s,
        high=2.0 * case.ti_s,
        band_low=0.0,
        band_high=case.allowed_pct,
        cautions=cautions,
        before=case.ti_s,
        after=1.5 * case.ti_s if stands else case.ti_s,
        from_cons_pct=100.0 * share,
        expected=max(case.allowed_pct, case.cons_pct) if stands else case.load_pct,
    )


PLATES = "Never load plates at no flow or on thin stock; back out before a stop. Rattle: open, stand aside, by site procedure."
add(
    Practice(
        id="F1",
        station="refine",
        symptom="Freeness off after the refiners (F1 high, F2 low)",
        check_first=("freeness in", "consistency", "temperature", "plate hours", "broke and fines share"),
        says="Gross power {before} to {after} kW",
        unit="kW",
        decimals=0,
        reads="csf_ml",
        dead_min=3,
        retest_min=60,
        caution=PLATES + " The edge load stays inside its range: a hard plate cuts. Look at strength before going far.",
        model="refine.freeness_move",
        most="10 kWh/t",
        solved={"csf_ml": "csf_ml", "a_kwh_t": "a_kwh_t", "od_t_h": "od_t_h", "gross_kw": "gross_kw"},
    ),
    Practice(
        id="F3",
        station="refine",
        symptom="The same power gives less, no-load lower",
        check_first=("plate hours", "no-load trend"),
        says="Plan a plate change; no-load {before} to {after} kW",
        unit="kW",
        decimals=0,
        reads="",
        dead_min=0,
        retest_min=60,
        caution="Plates are changed with the refiner locked out, by licensed hands. Worn bars cut.",
        model="refine.worn_move",
        solved={"new_kw": "no_load_kw", "no_load_kw": "no_load_kw"},
    ),
    Practice(
        id="F4",
        station="refine",
        symptom="Flow to the refiner under its least, stock thin or lost",
        check_first=("valve", "chest low"),
        says="Gross power {before} to {after} kW: back the plates out",
        unit="kW",
        decimals=0,
        reads="",
        dead_min=0,
        retest_min=5,
        caution=PLATES,
        model="refine.feed_move",
        solved={"gross_kw": "gross_kw", "no_load_kw": "no_load_kw"},
        lever={"gross_kw.{stage}": 1.0},
    ),
    Practice(
        id="F5",
        station="refine",
        symptom="Refiner load hunts",
        check_first=("consistency swing before it", "gap control", "feed pump"),
        says="Reset time of the load loop {before} to {after} s",
        unit="s",
        decimals=0,
        reads="load_pct",
        dead_min=5,
        retest_min=30,
        caution=PLATES + " Loops are tuned by those who may; keep what was set before.",
        model="refine.hunt_move",
        most="1.5 times",
    ),
)
