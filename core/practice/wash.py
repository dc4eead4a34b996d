"""Rows W1 to W8: washing and the oxygen stage. Source: shift practice, section 4."""

import math
from dataclasses import dataclass

from core.errors import Caution, as_named
from core.practice.row import Practice, Proposal, add, cut, feedback, within
from core.quantity import check, choice, figure, quantity
from core.register import Check, model
from core.unit import AIR_DRY
from core.wash.line import AD, KINDS, Washer, wash
from core.wash.oxygen import WOODS, react

MOST_SHOWER, MOST_RATE_CUT, RATE_CUT, MOST_NAOH, MOST_TEMP = 0.5, 0.20, 0.10, 4.0, 3.0
COD_LIMIT, CL_A_COD, MOST_CL = 12.0, 0.4, 5.0


@dataclass(frozen=True, slots=True, kw_only=True)
class ShowerCase:
    loss: float = quantity("Soda loss", "kg Na₂SO₄/ADt", possible=(0, 300), valid=(1, 40), decimals=1)
    target: float = quantity("Wanted", "kg/ADt", possible=(0, 300), valid=(1, 40), decimals=1, default=8.0)
    inner: float = quantity("Inner band", "±", possible=(0, 100), above=True, decimals=1, default=2.0)
    shower_m3_adt: float = quantity("Shower now", "m³/ADt", possible=(0, 60), above=True, valid=(4, 20), decimals=2)
    adt_h: float = quantity("Pulp", "ADt/h", possible=(0, 300), above=True, decimals=2)
    mat: str = choice("Mat on the spatula", ("even", "faulty"), default="even")
    feed_pct: float = quantity("Feed", "%", possible=(1, 40), valid=(8, 14), decimals=1, default=10.5)
    out_pct: float = quantity("Mats leave at", "%", possible=(5, 60), valid=(9, 35), decimals=1, default=12.5)
    x0: float = quantity("Solids in the feed's liquor", "kg/t", possible=(0, 400), above=True, decimals=0, default=112.0)
    stages: float = quantity("Drums", "", possible=(1, 8), decimals=0, default=3.0, whole=True)
    economy: float = quantity("Evaporators' economy", "t/t", possible=(0.5, 12), decimals=1, default=5.0)


@dataclass(frozen=True, slots=True, kw_only=True)
class ShowerMove(Proposal):
    before: float = figure("Shower now", "m³/ADt", decimals=2, equation="as it is")
    after: float = figure("Shower then", "m³/ADt", decimals=2, equation="−0.7 e/g, 0.5 at most")
    gain: float = figure(
        "Loss a m³ more", "kg/ADt", decimals=2, equation="wash model at this shower, scaled to the loss as read"
    )
    flow_m3_h: float = figure("that is", "m³/h", decimals=1, equation="m³/ADt × ADt/h")
    steam_t_h: float = figure("Steam to evaporate it", "t/h", decimals=2, equation="change/economy")
    expected: float = figure("Loss then", "kg/ADt", decimals=1, equation="loss + g Δ")


def _loss(case: ShowerCase, shower: float) -> float:
    washers = tuple(Washer(kind="drum", e10=KINDS["drum"], out_pct=case.out_pct) for _ in range(round(case.stages)))
    df = shower / AD - (100.0 - case.out_pct) / case.out_pct
    with as_named(lambda field: "shower_m3_adt" if field == "df" else field):
        return wash(feed_pct=case.feed_pct, x0=case.x0, washers=washers, df=max(-0.9, df)).loss_kg_adt


_W1 = {"loss": 12.4, "shower_m3_adt": 8.1, "adt_h": 5.0}


@model(
    "wash.water_move",
    title="W1, W2: shower for a loss off its band",
    source="shift practice, rows W1 and W2; wash model",
    holds_for="mat good; half a m³/ADt at most",
    equation="Δ = −0.7 e/g, g the wash model's slope scaled to the loss as read",
    basis="default",
    checks=(Check({**_W1, "target": 12}, "after", 8.1), Check({**_W1, "loss": 25}, "after", 8.6)),
)
def water_move(case: ShowerCase) -> ShowerMove:
    """Water towards the loss wanted; with a faulty mat the cause comes first. Raises: ImpossibleInput."""
    cautions = check(case)
    here = _loss(case, case.shower_m3_adt)
    gain = (_loss(case, case.shower_m3_adt + 0.2) - here) / 0.2 * (case.loss / here if here > 0.0 else 1.0)
    error, off = case.loss - case.target, within(case.loss, case.target - case.inner, case.target + case.inner)
    stands = off != "in" and not (off == "high" and case.mat == "faulty")
    step = feedback(error, gain, MOST_SHOWER) if stands else cut(0.0, 1.0)
    why = f"Soda loss {case.loss:.1f} kg/ADt, wanted {case.target:.1f} ± {case.inner:.1f}."
    if off == "high" and case.mat == "faulty":
        why += " The mat is faulty: mend it first, by its look; water is no repair."
    after = case.shower_m3_adt + step.size
    return ShowerMove(
        stands=stands,
        why=why,
        low=case.shower_m3_adt - MOST_SHOWER,
        high=case.shower_m3_adt + MOST_SHOWER,
        band_low=case.target - case.inner,
        band_high=case.target + case.inner,
        bound_by=step.bound_by,
        cautions=cautions,
        before=case.shower_m3_adt,
        after=after,
        gain=gain,
        flow_m3_h=after * case.adt_h,
        steam_t_h=step.size * case.adt_h / case.economy,
        expected=case.loss + gain * step.size,
    )


LOOKS = {
    "thin, wet or bald": ("W3", "Vat dilution", 0.95, "vat dilution 5 % down, drum slower to the mat's limit"),
    "foam in the filtrate tank": ("W4", "Seal tank level", 1.10, "level 10 % up; then 0.1 kg/ADt of defoamer, 0.3 at most"),
    "screen plugged": ("W5", "Rate", 1.0 - RATE_CUT, "rate 10 % down, 20 % at most; backflush by procedure; divert"),
}


@dataclass(frozen=True, slots=True, kw_only=True)
class LookCase:
    seen: str = choice("What is seen", ("nothing unusual", *LOOKS))
    vat_m3_h: float = quantity("Vat dilution", "m³/h", possible=(0, 2000), above=True, decimals=0, default=120.0)
    level_pct: float = quantity("Seal tank level", "%", possible=(0, 100), above=True, decimals=0, default=55.0)
    rate_t_h: float = quantity("Rate", "t/h OD", possible=(0, 300), above=True, decimals=2, default=4.6)


@dataclass(frozen=True, slots=True, kw_only=True)
class LookMove(Proposal):
    before: float = figure("The lever now", "", decimals=2, equation="dilution, level or rate, by what is seen")
    after: float = figure("The lever then", "", decimals=2, equation="−5 %, +10 % or −10 %")
    expected: float = figure("Faulty mats wanted", "", decimals=0, equation="none")


@model(
    "wash.look_move",
    title="W3, W4, W5: the move for what the mat or the tank shows",
    source="shift practice, rows W3 to W5",
    holds_for="one look, one lever",
    equation="dilution × 0.95, level × 1.10, or rate × 0.90",
    checks=(
        Check({"seen": "thin, wet or bald"}, "after", 114.0),
        Check({"seen": "foam in the filtrate tank"}, "after", 60.5),
        Check({"seen": "screen plugged"}, "after", 4.14),
    ),
)
def look_move(case: LookCase) -> LookMove:
    """The lever of a look. Raises: ImpossibleInput."""
    cautions = check(case)
    if case.seen not in LOOKS:
        return LookMove(
            stands=False,
            why="Nothing unusual is seen.",
            low=case.rate_t_h,
            high=case.rate_t_h,
            band_low=0.0,
            band_high=0.0,
            cautions=cautions,
            before=case.rate_t_h,
            after=case.rate_t_h,
            expected=0.0,
        )
    row, lever, factor, does = LOOKS[case.seen]
    before = {"W3": case.vat_m3_h, "W4": case.level_pct, "W5": case.rate_t_h}[row]
    limits = {"W3": (0.95, 1.0), "W4": (1.0, 1.15), "W5": (1.0 - MOST_RATE_CUT, 1.0)}[row]
    note = {
        "W3": "low vat consistency is often the true cause",
        "W4": "defoamer comes back as pitch specks",
        "W5": "a lost extraction overfills what lies before it: look at the levels",
    }[row]
    return LookMove(
        stands=True,
        why=f"{case.seen.capitalize()} ({row}): {does}. {lever} {before:.1f} to {before * factor:.1f}.",
        low=before * limits[0],
        high=before * limits[1],
        band_low=0.0,
        band_high=0.0,
        cautions=(*cautions, Caution("seen", note)),
        before=before,
        after=before * factor,
        expected=0.0,
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class CarryCase:
    cod_kg: float = quantity("COD carried to the bleach", "kg/ADt", possible=(0, 300), valid=(0, 60), decimals=1)
    limit_kg: float = quantity("Limit", "kg/ADt", possible=(0, 300), above=True, decimals=0, default=COD_LIMIT)
    active_kg: float = quantity("Active chlorine now", "kg/ADt", possible=(0, 200), decimals=1)


@dataclass(frozen=True, slots=True, kw_only=True)
class CarryMove(Proposal):
    before: float = figure("Active chlorine now", "kg/ADt", decimals=1, equation="as it is")
    after: float = figure("Active chlorine then", "kg/ADt", decimals=1, equation="+ 0.4 × what is over the limit, 5 at most")
    clo2_kg: float = figure("as ClO₂ more", "kg/ADt", decimals=2, equation="change/2.628")
    expected: float = figure("Carry-over wanted under", "kg/ADt", decimals=0, equation="the limit: by repair")


@model(
    "wash.carry_over",
    title="W6: carry-over to the bleach",
    source="shift practice, row W6; 0.4 kg active chlorine a kg COD",
    holds_for="until the washing is repaired",
    equation="Δ = 0.4 (COD − limit)",
    basis="default",
    checks=(Check({"cod_kg": 20, "active_kg": 25}, "after", 28.2), Check({"cod_kg": 40, "active_kg": 25}, "after", 30.0)),
)
def carry_over(case: CarryCase) -> CarryMove:
    """Chemical until repaired. Raises: ImpossibleInput."""
    cautions = check(case)
    over = max(0.0, case.cod_kg - case.limit_kg)
    step = cut(CL_A_COD * over, MOST_CL)
    return CarryMove(
        stands=over > 0.0,
        why=f"COD {case.cod_kg:.1f} kg/ADt goes to the bleach, {case.limit_kg:.0f} allowed. Paying with chemical is "
        f"no repair: look at the last mat.",
        low=case.active_kg,
        high=case.active_kg + MOST_CL,
        band_low=0.0,
        band_high=case.limit_kg,
        bound_by=step.bound_by,
        cautions=cautions,
        before=case.active_kg,
        after=case.active_kg + step.size,
        clo2_kg=step.size / 2.628,
        expected=case.limit_kg,
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class OxygenMoveCase:
    kappa: float = quantity("Kappa out", "", possible=(0.1, 200), valid=(5, 25), decimals=1)
    target: float = quantity("Wanted", "", possible=(0.1, 200), valid=(5, 25), decimals=1)
    inner: float = quantity("Inner band", "±", possible=(0, 20), above=True, decimals=1, default=1.0)
    wood: str = choice("Pulp", tuple(WOODS), default="softwood")
    kappa_in: float = quantity("Kappa in", "", possible=(0.1, 200), valid=(8, 35), decimals=1)
    naoh_kg: float = quantity("NaOH now", "kg/ADt", possible=(0, 80), above=True, valid=(9, 27), decimals=1)
    temp_c: float = quantity("Temperature", "°C", possible=(40, 130), valid=(85, 110), decimals=0, default=98.0)
    minutes: float = quantity("Time", "min", possible=(0, 300), above=True, decimals=0, default=60.0)
    viscosity: str = choice("Viscosity", ("holds", "falls"), default="holds")


@dataclass(frozen=True, slots=True, kw_only=True)
class OxygenMove(Proposal):
    before: float = figure("NaOH now", "kg/ADt", decimals=1, equation="as it is")
    after: float = figure(
        "NaOH then", "kg/ADt", decimals=1, equation="−0.7 e/g, +2 a move (4 at most), −1 when viscosity falls"
    )
    gain: float = figure("Kappa a kg", "", decimals=2, equation="oxygen model at this stage")
    temp_c: float = figure("Then, if it is not enough", "°C", decimals=0, equation="+2 °C, or −2 when viscosity falls")
    expected: float = figure("Kappa then", "", decimals=1, equation="kappa + g Δ")


@model(
    "oxygen.move",
    title="W7, W8: alkali and heat of the oxygen stage",
    source="shift practice, rows W7 and W8; oxygen model",
    holds_for="exit pH 10.3 to 11.2; never beyond half the kappa without a viscosity test",
    equation="Δ NaOH = −0.7 e/g",
    basis="default",
    checks=(
        Check({"kappa": 18, "target": 15, "kappa_in": 28, "naoh_kg": 20}, "after", 24.0),
        Check({"kappa": 15.4, "target": 15, "kappa_in": 28, "naoh_kg": 20}, "after", 20.0),
    ),
)
def oxygen_move(case: OxygenMoveCase) -> OxygenMove:
    """Alkali first, then heat, pressure last; with falling viscosity both go down. Raises: ImpossibleInput."""
    cautions = check(case)

    def at(kg_adt: float) -> float:
        return react(case.wood, case.kappa_in, minutes=case.minutes, temp_c=case.temp_c, naoh_kg=kg_adt / AD).kappa

    gain = (at(case.naoh_kg + 0.5) - at(case.naoh_kg)) / 0.5
    error = case.kappa - case.target
    low_kappa = error < -case.inner
    stands = abs(error) > case.inner and (error > 0.0 or case.viscosity == "falls")
    step = feedback(error, gain, MOST_NAOH if error > 0.0 else 1.0) if stands else cut(0.0, 1.0)
    if stands and 100.0 * (1.0 - case.target / case.kappa_in) > 50.0:
        cautions += (Caution("target", "beyond half the kappa only with a viscosity test"),)
    why = f"Kappa out {case.kappa:.1f}, wanted {case.target:.1f} ± {case.inner:.1f}; viscosity {case.viscosity}."
    if low_kappa and case.viscosity == "holds":
        why += " Low kappa with viscosity held is a gift: leave it."
    return OxygenMove(
        stands=stands,
        why=why,
        low=case.naoh_kg - 1.0,
        high=case.naoh_kg + MOST_NAOH,
        band_low=case.target - case.inner,
        band_high=case.target + case.inner,
        bound_by=step.bound_by,
        cautions=cautions,
        before=case.naoh_kg,
        after=case.naoh_kg + step.size,
        gain=gain,
        temp_c=case.temp_c + (math.copysign(2.0, error) if stands else 0.0),
        expected=case.kappa + gain * step.size,
    )


add(
    Practice(
        id="W1",
        station="wash",
        symptom="Soda loss high (W1) or liquor thin and loss low (W2)",
        check_first=("laboratory sodium", "shower temperature", "leaks and seal water", "the mat"),
        says="Shower {before} to {after} m³/ADt",
        unit="m³/ADt",
        decimals=2,
        reads="loss",
        dead_min=40,
        retest_min=120,
        caution="Each m³ must be evaporated: its steam stands beside it.",
        model="wash.water_move",
        most="0.5 m³/ADt",
        solved={
            "shower_m3_adt": "shower_m3_adt",
            "adt_h": "adt_h",
            "stages": "stages",
            "feed_pct": "feed_pct",
            "out_pct": "out_pct",
            "x0": "x0",
        },
        lever={"df": 1.0 / AIR_DRY},
    ),
    Practice(
        id="W3",
        station="wash",
        symptom="Mat thin, wet, bald (W3); foam in the filtrate tank (W4); wash screen plugged (W5)",
        check_first=("vat consistency", "vacuum and drop leg", "air leak, seal tank", "temperature, scale, pitch"),
        says="{before} to {after}, by what is seen",
        unit="",
        decimals=2,
        reads="",
        dead_min=5,
        retest_min=20,
        caution="A drum is stopped and locked out before a hand goes near its face or showers.",
        model="wash.look_move",
        most="5 %, 10 %, 20 %",
        solved={"rate_t_h": "od_t_h"},
    ),
    Practice(
        id="W6",
        station="wash",
        symptom="COD carried to the bleach over its limit",
        check_first=("last mat looked at",),
        says="Active chlorine {before} to {after} kg/ADt until the washing is mended",
        unit="kg/ADt",
        decimals=1,
        reads="cod_kg",
        dead_min=60,
        retest_min=150,
        caution="Oxidant goes up: monitors read, towers’ vents on. Paying with chemical is no repair.",
        model="wash.carry_over",
        gate="G1: monitors read, towers’ vents on",
        most="5 kg active chlorine",
        solved={"active_kg": "active_kg"},
    ),
    Practice(
        id="W7",
        station="oxygen",
        symptom="Oxygen kappa high (W7), or low with viscosity falling (W8)",
        check_first=("kappa in", "mixing", "carry-over", "oxygen purity", "pH out"),
        says="NaOH to oxygen {before} to {after} kg/ADt",
        unit="kg/ADt",
        decimals=1,
        reads="kappa",
        dead_min=75,
        retest_min=120,
        caution="Keep exit pH 10.3 to 11. Oxygen: oil-free, slow valves.",
        model="oxygen.move",
        most="4 kg, 3 °C",
        solved={"wood": "wood", "kappa_in": "kappa_in", "naoh_kg": "naoh_kg", "temp_c": "temp_c", "minutes": "minutes"},
        lever={"naoh_kg": 1.0 / AIR_DRY},
    ),
)
