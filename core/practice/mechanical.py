"""Rows T1 to T5: thermomechanical refining. Source: shift practice, section 4."""

from dataclasses import dataclass

from core.errors import Caution, ImpossibleInput, Problem
from core.mechanical.refine import WOODS, EnergyCase, freeness
from core.practice.row import Practice, Proposal, add, cut, feedback, within
from core.quantity import check, choice, figure, quantity
from core.register import Check, model

MOST_KWH, MOST_WATER, RATE_CUT, REJECT_MORE, REJECT_MOST, ENERGY_MORE = 60.0, 0.05, 0.10, 3.0, 45.0, 1.10
BLOW_LOW, BLOW_HIGH = 45.0, 50.0


@dataclass(frozen=True, slots=True, kw_only=True)
class LoadCase:
    csf_ml: float = quantity("Freeness", "mL CSF", possible=(0, 900), above=True, valid=(40, 700), decimals=0)
    target: float = quantity(
        "Freeness wanted", "mL CSF", possible=(0, 900), above=True, valid=(40, 700), decimals=0, default=120.0
    )
    inner: float = quantity("Inner band", "± mL", possible=(0, 300), above=True, decimals=0, default=10.0)
    wood: str = choice("Wood", tuple(WOODS), default="hemlock")
    sec_kwh_t: float = quantity("Energy now", "kWh/t", possible=(0, 6000), above=True, valid=(400, 3000), decimals=0)
    rate_t_h: float = quantity("Production", "t/h OD", possible=(0, 100), above=True, decimals=2)
    load_left_mw: float = quantity("Motor room left", "MW", possible=(0, 100), decimals=2, default=0.5)


@dataclass(frozen=True, slots=True, kw_only=True)
class LoadMove(Proposal):
    before: float = figure("Energy now", "kWh/t", decimals=0, equation="as it is")
    after: float = figure("Energy then", "kWh/t", decimals=0, equation="−0.7 e/g, 60 at most")
    gain: float = figure("Freeness a kWh/t", "mL", decimals=3, equation="energy model at this freeness: −CSF/E0")
    load_mw: float = figure("Load by", "MW", decimals=3, equation="change × t/h / 1000")
    expected: float = figure("Freeness then", "mL CSF", decimals=0, equation="CSF + g ΔE")


@model(
    "mechanical.load",
    title="T1: energy for a freeness off its band",
    source="shift practice, row T1; energy model",
    holds_for="60 kWh/t at most; motor and gap limit",
    equation="ΔE = −0.7 e/g, g = −CSF/E0",
    symbols="g=gain ΔE=after",
    basis="default",
    checks=(
        Check({"csf_ml": 140, "target": 120, "sec_kwh_t": 2000, "rate_t_h": 2}, "gain", -0.159091, 1e-4),
        Check({"csf_ml": 140, "target": 120, "sec_kwh_t": 2000, "rate_t_h": 2, "load_left_mw": 5}, "after", 2060),
        Check({"csf_ml": 132, "target": 120, "sec_kwh_t": 2000, "rate_t_h": 2}, "after", 2056, 1e-4),
    ),
)
def load(case: LoadCase) -> LoadMove:
    """Energy by the model's slope at the freeness as read, cut by the step and by the motor. Raises: ImpossibleInput."""
    cautions = check(case)
    model_at = freeness(EnergyCase(wood=case.wood, sec_kwh_t=case.sec_kwh_t))
    gain = model_at.ml_a_kwh / model_at.csf_ml * case.csf_ml
    error = case.csf_ml - case.target
    stands = abs(error) > case.inner
    step = feedback(error, gain, MOST_KWH) if stands else cut(0.0, 1.0)
    room = 1000.0 * case.load_left_mw / case.rate_t_h
    if step.size > room:
        step = cut(step.size, room, "the motor's room")
    after = case.sec_kwh_t + step.size
    return LoadMove(
        stands=stands,
        why=f"Freeness {case.csf_ml:.0f} mL, wanted {case.target:.0f} ± {case.inner:.0f}.",
        low=max(0.0, case.sec_kwh_t - MOST_KWH),
        high=case.sec_kwh_t + min(MOST_KWH, room),
        band_low=case.target - case.inner,
        band_high=case.target + case.inner,
        bound_by=step.bound_by,
        cautions=cautions,
        before=case.sec_kwh_t,
        after=after,
        gain=gain,
        load_mw=step.size * case.rate_t_h / 1000.0,
        expected=case.csf_ml + gain * step.size,
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class SwingCase:
    cons_pct: float = quantity("Blow-line consistency", "%", possible=(5, 90), valid=(30, 60), decimals=1)
    low_pct: float = quantity("Kept from", "%", possible=(5, 90), decimals=0, default=BLOW_LOW)
    high_pct: float = quantity("to", "%", possible=(5, 90), decimals=0, default=BLOW_HIGH)
    rate_t_h: float = quantity("Production", "t/h OD", possible=(0, 100), above=True, decimals=2)
    water_t_h: float = quantity("Dilution now", "t/h", possible=(0, 500), above=True, decimals=2)


@dataclass(frozen=True, slots=True, kw_only=True)
class SwingMove(Proposal):
    before: float = figure("Dilution now", "t/h", decimals=2, equation="as it is")
    after: float = figure("Dilution then", "t/h", decimals=2, equation="0.7 × od (1/C* − 1/C), 5 % at most")
    wanted: float = figure("Water for the whole way", "t/h", decimals=2, equation="od (1/C* − 1/C), none inside its band")
    expected: float = figure("Consistency then", "%", decimals=1, equation="od/(od/C + ΔW)")


@model(
    "mechanical.swing",
    title="T2: dilution for the blow-line consistency",
    source="shift practice, rows T2 and H2",
    holds_for="45 to 50 %; 5 % of the water at most, plates left alone",
    equation="ΔW = 0.7 od (1/C* − 1/C)",
    symbols="od=rate_t_h C=cons_pct ΔW=after",
    checks=(
        Check({"cons_pct": 54, "rate_t_h": 2, "water_t_h": 4}, "wanted", 0.506823, 1e-4),
        Check({"cons_pct": 54, "rate_t_h": 2, "water_t_h": 4}, "after", 4.2),
    ),
)
def swing(case: SwingCase) -> SwingMove:
    """Water towards the middle of the band. Raises: ImpossibleInput."""
    cautions = check(case)
    if not case.low_pct < case.high_pct:
        raise ImpossibleInput(Problem("high_pct", f"is {case.high_pct:g} %; it must be over {case.low_pct:g} %"))
    aim = 0.5 * (case.low_pct + case.high_pct)
    stands = within(case.cons_pct, case.low_pct, case.high_pct) != "in"
    wanted = 100.0 * case.rate_t_h * (1.0 / aim - 1.0 / case.cons_pct) if stands else 0.0
    step = cut(0.7 * wanted, MOST_WATER * case.water_t_h)
    return SwingMove(
        stands=stands,
        why=f"The blow line reads {case.cons_pct:.1f} %, kept {case.low_pct:.0f} to {case.high_pct:.0f}.",
        low=case.water_t_h * (1 - MOST_WATER),
        high=case.water_t_h * (1 + MOST_WATER),
        band_low=case.low_pct,
        band_high=case.high_pct,
        bound_by=step.bound_by,
        cautions=cautions,
        before=case.water_t_h,
        after=case.water_t_h + step.size,
        wanted=wanted,
        expected=100.0 * case.rate_t_h / (100.0 * case.rate_t_h / case.cons_pct + step.size),
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class GapAlarmCase:
    alarm: str = choice("At the refiner", ("quiet", "gap alarm", "vibration", "rattle"))
    feed_t_h: float = quantity("Feed", "t/h OD", possible=(0, 100), decimals=2, default=2.0)


@dataclass(frozen=True, slots=True, kw_only=True)
class GapAlarmMove(Proposal):
    before: float = figure("Feed now", "t/h OD", decimals=2, equation="as it is")
    after: float = figure("Feed then", "t/h OD", decimals=2, equation="0: stop the feed, open the plates, by procedure")
    expected: float = figure("Alarms wanted", "", decimals=0, equation="none")


@model(
    "mechanical.gap_alarm",
    title="T3: gap alarm, vibration or rattle",
    source="shift practice, row T3",
    holds_for="protect first; nothing is checked before",
    equation="feed → 0",
    checks=(
        Check({"alarm": "rattle"}, "after", 0.0),
        Check({"alarm": "quiet"}, "after", 2.0),
    ),
)
def gap_alarm(case: GapAlarmCase) -> GapAlarmMove:
    """Plates open by procedure, feed stopped, call. Raises: ImpossibleInput."""
    cautions, stands = check(case), case.alarm != "quiet"
    return GapAlarmMove(
        stands=stands,
        why=f"The refiner: {case.alarm}." + (" Open the plates by procedure, stop the feed, call." if stands else ""),
        low=0.0,
        high=0.0 if stands else case.feed_t_h,
        band_low=0.0,
        band_high=0.0,
        cautions=cautions,
        before=case.feed_t_h,
        after=0.0 if stands else case.feed_t_h,
        expected=0.0,
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class BlowBackCase:
    seen: str = choice("At the feeder", ("dry, quiet", "steam blows back"))
    rate_t_h: float = quantity("Production", "t/h OD", possible=(0, 100), above=True, decimals=2)


@dataclass(frozen=True, slots=True, kw_only=True)
class BlowBackMove(Proposal):
    before: float = figure("Production now", "t/h OD", decimals=2, equation="as it is")
    after: float = figure("Production then", "t/h OD", decimals=2, equation="10 % less")
    expected: float = figure("Blow-backs wanted", "", decimals=0, equation="none")


@model(
    "mechanical.blow_back",
    title="T4: steam blows back through the feeder",
    source="shift practice, row T4",
    holds_for="with the pressure balance checked",
    equation="rate × 0.90",
    checks=(Check({"seen": "steam blows back", "rate_t_h": 2.2}, "after", 1.98),),
)
def blow_back(case: BlowBackCase) -> BlowBackMove:
    """Ten per cent less, and the pressures balanced by procedure. Raises: ImpossibleInput."""
    cautions, stands = check(case), case.seen != "dry, quiet"
    return BlowBackMove(
        stands=stands,
        why=f"At the feeder: {case.seen}.",
        low=0.8 * case.rate_t_h,
        high=case.rate_t_h,
        band_low=0.0,
        band_high=0.0,
        cautions=cautions,
        before=case.rate_t_h,
        after=case.rate_t_h * (1.0 - RATE_CUT if stands else 1.0),
        expected=0.0,
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class ShivesCase:
    shives_pct: float = quantity("Shives in the accepts", "%", possible=(0, 20), valid=(0, 3), decimals=2)
    most_pct: float = quantity("Shives allowed", "%", possible=(0, 20), above=True, decimals=2, default=0.5)
    csf_ml: float = quantity("Freeness", "mL CSF", possible=(0, 900), above=True, valid=(40, 700), decimals=0)
    csf_high: float = quantity("Freeness at most", "mL CSF", possible=(0, 900), above=True, decimals=0, default=130.0)
    reject_pct: float = quantity("Screen rejects", "%", possible=(0, 60), above=True, valid=(5, 40), decimals=0)
    reject_kwh_t: float = quantity("Reject refining", "kWh/t", possible=(0, 3000), above=True, valid=(400, 1400), decimals=0)


@dataclass(frozen=True, slots=True, kw_only=True)
class ShivesMove(Proposal):
    before: float = figure("Screen rejects now", "%", decimals=0, equation="as it is")
    after: float = figure("Screen rejects then", "%", decimals=0, equation="3 points more")
    kwh_t: float = figure("Reject refining then", "kWh/t", decimals=0, equation="10 % more")
    load_more_pct: float = figure("Reject refiner's load", "%", decimals=1, equation="both together")
    expected: float = figure("Shives wanted under", "%", decimals=2, equation="what is allowed; no model foresees it")


@model(
    "mechanical.shives",
    title="T5: rejects and reject refining for shives",
    source="shift practice, row T5",
    holds_for="freeness in its band",
    equation="rejects + 3 points, reject refining × 1.10",
    basis="default",
    checks=(
        Check({"shives_pct": 0.7, "csf_ml": 122, "reject_pct": 18, "reject_kwh_t": 900}, "after", 21),
        Check({"shives_pct": 0.7, "csf_ml": 122, "reject_pct": 18, "reject_kwh_t": 900}, "load_more_pct", 28.3333, 1e-4),
    ),
)
def shives(case: ShivesCase) -> ShivesMove:
    """More to the reject refiner and harder there; with freeness high T1 comes first. Raises: ImpossibleInput."""
    cautions = check(case)
    shivy, free = case.shives_pct > case.most_pct, case.csf_ml > case.csf_high
    stands = shivy and not free
    step = cut(REJECT_MORE if stands else 0.0, max(0.0, REJECT_MOST - case.reject_pct), "45 % of rejects")
    after, kwh = case.reject_pct + step.size, case.reject_kwh_t * (ENERGY_MORE if stands else 1.0)
    why = f"Shives {case.shives_pct:.2f} %, {case.most_pct:.2f} allowed; freeness {case.csf_ml:.0f} mL."
    if shivy and free:
        why += " Freeness is high: energy first, by T1."
    if stands:
        cautions += (Caution("reject_kwh_t", "look at plate edges and the screen basket before the second such move"),)
    return ShivesMove(
        stands=stands,
        why=why,
        low=case.reject_pct,
        high=max(case.reject_pct, min(REJECT_MOST, case.reject_pct + REJECT_MORE)),
        band_low=0.0,
        band_high=case.most_pct,
        bound_by=step.bound_by,
        cautions=cautions,
        before=case.reject_pct,
        after=after,
        kwh_t=kwh,
        load_more_pct=100.0 * (after * kwh / (case.reject_pct * case.reject_kwh_t) - 1.0),
        expected=case.most_pct,
    )


add(
    Practice(
        id="T1",
        station="mechanical",
        symptom="Freeness off its band, load on target",
        check_first=("chips", "feed consistency", "plate hours"),
        says="Energy {before} to {after} kWh/t",
        unit="kWh/t",
        decimals=0,
        reads="csf_ml",
        dead_min=35,
        retest_min=80,
        caution="Motor and gap limits come first; touching plates are destroyed and can start a fire.",
        model="mechanical.load",
        most="60 kWh/t",
        solved={"wood": "wood", "sec_kwh_t": "sec_kwh_t", "rate_t_h": "od_t_h"},
        lever={"sec_kwh_t": 1.0},
    ),
    Practice(
        id="T2",
        station="mechanical",
        symptom="Freeness swings with the motor load",
        check_first=("chip feed density", "dilution water"),
        says="Dilution {before} to {after} t/h",
        unit="t/h",
        decimals=2,
        reads="cons_pct",
        dead_min=2,
        retest_min=10,
        caution="Never move plates and water together. Over 65 % in the blow line fibre burns.",
        model="mechanical.swing",
        most="5 %",
        solved={"rate_t_h": "od_t_h"},
    ),
    Practice(
        id="T3",
        station="mechanical",
        symptom="Gap alarm, vibration, rattle",
        check_first=("nothing: protect",),
        says="Open the plates, stop the feed, call",
        unit="t/h OD",
        decimals=2,
        reads="",
        dead_min=0,
        retest_min=5,
        caution="Contact destroys plates and can start a fire. By site procedure; no interlock is passed by.",
        model="mechanical.gap_alarm",
        solved={"feed_t_h": "od_t_h"},
    ),
    Practice(
        id="T4",
        station="mechanical",
        symptom="Steam blows back through the feeder",
        check_first=("plug screw wear", "pressure balance"),
        says="Production {before} to {after} t/h",
        unit="t/h OD",
        decimals=2,
        reads="",
        dead_min=5,
        retest_min=15,
        caution="Burns: clear the platform first.",
        model="mechanical.blow_back",
        most="10 %",
        solved={"rate_t_h": "od_t_h"},
    ),
    Practice(
        id="T5",
        station="mechanical",
        symptom="Shives high at good freeness",
        check_first=("plate edges", "screen basket", "reject refiner"),
        says="Screen rejects {before} to {after} %, reject refining 10 % more",
        unit="%",
        decimals=0,
        reads="shives_pct",
        dead_min=20,
        retest_min=40,
        caution="The reject refiner’s motor first: the load rises by both.",
        model="mechanical.shives",
        most="3 points",
    ),
)
