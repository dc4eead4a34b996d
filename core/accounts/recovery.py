"""What the fibre lines send to recovery and take from it: solids and heat of the liquor, lime, make-up, what a liquor carries.

Source: accounts and gaps, section 4. Heating values and losses are defaults to be calibrated.
"""

from dataclasses import dataclass
from typing import Final

from core.errors import Caution, Infeasible
from core.quantity import check, choice, figure, quantity
from core.register import Check, model

NA_OF_NAOH: Final = 0.57479
NA2S, NA2CO3, NA2SO4 = 0.97564, 1.32495, 1.77566  # kg a kg as NaOH
LIGNIN_MJ: Final = {"softwood": 26.9, "hardwood": 25.1}
CARBOHYDRATE_MJ, EXTRACTIVE_MJ, SULPHIDE_MJ, FOUND = 13.555, 37.71, 12.9, 0.95
WATER_MJ, HYDROGEN, SULPHIDE_SHARE, SMELT = 2.443, 0.036, 0.08, 0.40
CAO, MUD = 56.077 / 79.994, 1.78479


@dataclass(frozen=True, slots=True, kw_only=True)
class SolidsCase:
    yield_pct: float = quantity("Yield of the cook", "%", possible=(5, 100), valid=(38, 60), decimals=1)
    ea_pct: float = quantity("Effective alkali", "% NaOH on wood", possible=(0, 40), above=True, valid=(12, 24), decimals=1)
    sulphidity_pct: float = quantity("Sulphidity", "%", possible=(0, 60), valid=(0, 45), decimals=0, default=30.0)
    lignin_pct: float = quantity("Dissolved lignin", "% of wood", possible=(0, 40), decimals=1)
    carbohydrate_pct: float = quantity("Dissolved carbohydrate", "% of wood", possible=(0, 60), decimals=1)
    extractives_pct: float = quantity("Extractives", "% of wood", possible=(0, 20), decimals=1, default=5.0)
    soap_kg: float = quantity("Soap skimmed", "kg/ADt", possible=(0, 200), decimals=0, default=20.0)
    ce_pct: float = quantity("Causticizing", "%", possible=(1, 100), valid=(75, 90), decimals=0, default=82.0)
    reduction_pct: float = quantity("Reduction", "%", possible=(1, 100), valid=(88, 97), decimals=0, default=94.0)
    oxygen_naoh: float = quantity("Alkali of the oxygen stage", "kg/ADt", possible=(0, 100), decimals=0, default=0.0)
    washed: float = quantity(
        "Share that washing sends back", "", possible=(0, 1), valid=(0.9, 0.995), decimals=3, default=0.981
    )
    wood: str = choice("Wood", tuple(LIGNIN_MJ), default="softwood")


@dataclass(frozen=True, slots=True, kw_only=True)
class SolidsFound:
    wood_t: float = figure("Wood", "t/ADt", decimals=3, equation="0.9/yield")
    organics_kg: float = figure("Organics", "kg/ADt", decimals=0, equation="10 W × dissolved − soap")
    inorganics_kg: float = figure("Inorganics", "kg/ADt", decimals=0, equation="NaOH, Na₂S, Na₂CO₃, Na₂SO₄ of it")
    solids_kg: float = figure("Solids", "kg/ADt", decimals=0, equation="organics + inorganics")
    to_recovery_kg: float = figure("to recovery", "kg/ADt", decimals=0, equation="solids × share washed back")
    hhv_mj_kg: float = figure("Gross heat", "MJ/kg", decimals=2, equation="0.95 × Σ heat of its parts/solids")
    na_kg: float = figure("Sodium in it", "kg/ADt", decimals=1, equation="alkali as NaOH × 0.57479")
    cautions: tuple[Caution, ...] = ()


_COOK = {"yield_pct": 45.498, "ea_pct": 18.5, "lignin_pct": 25.683, "carbohydrate_pct": 23.819}


@model(
    "recovery.solids",
    title="Liquor solids a tonne",
    source="balance of the cook; heating values of the parts",
    holds_for="kraft and soda cooks; usual 1.3 to 1.9 t/ADt, 12.5 to 15.5 MJ/kg",
    equation="solids = 10 W dissolved − soap + inorganics; W = 0.9/yield",
    basis="default",
    checks=(
        Check(_COOK, "wood_t", 1.9781, 1e-4),
        Check(_COOK, "organics_kg", 1058.1, 1e-3),
        Check(_COOK, "inorganics_kg", 529.68, 1e-3),
        Check(_COOK, "solids_kg", 1587.8, 1e-3),
        Check(_COOK, "to_recovery_kg", 1557.6, 1e-3),
        Check(_COOK, "hhv_mj_kg", 14.751, 1e-3),
        Check(_COOK, "na_kg", 290.23, 1e-3),
    ),
)
def solids(case: SolidsCase) -> SolidsFound:
    """Raises: ImpossibleInput."""
    cautions = check(case)
    wood = 90.0 / case.yield_pct
    alkali = 10.0 * wood * case.ea_pct / (1.0 - case.sulphidity_pct / 200.0)
    sulphide = alkali * case.sulphidity_pct / 100.0
    caustic = alkali - sulphide
    carbonate = caustic * (100.0 - case.ce_pct) / case.ce_pct
    sulphate = sulphide * (100.0 - case.reduction_pct) / case.reduction_pct
    inorganic = caustic + NA2S * sulphide + NA2CO3 * carbonate + NA2SO4 * sulphate + case.oxygen_naoh
    lignin, sugar = (10.0 * wood * pct for pct in (case.lignin_pct, case.carbohydrate_pct))
    fat = max(0.0, 10.0 * wood * case.extractives_pct - case.soap_kg)
    organic = lignin + sugar + 10.0 * wood * case.extractives_pct - case.soap_kg
    whole = organic + inorganic
    heat = LIGNIN_MJ[case.wood] * lignin + CARBOHYDRATE_MJ * sugar + EXTRACTIVE_MJ * fat + SULPHIDE_MJ * NA2S * sulphide
    return SolidsFound(
        wood_t=wood,
        organics_kg=organic,
        inorganics_kg=inorganic,
        solids_kg=whole,
        to_recovery_kg=whole * case.washed,
        hhv_mj_kg=FOUND * heat / whole if whole > 0.0 else 0.0,
        na_kg=(caustic + sulphide + carbonate + sulphate + case.oxygen_naoh) * NA_OF_NAOH,
        cautions=cautions,
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class FiredCase:
    hhv_mj_kg: float = quantity("Gross heat", "MJ/kg solids", possible=(0, 30), above=True, valid=(12, 16), decimals=1)
    solids_pct: float = quantity("Fired at", "% solids", possible=(1, 100), valid=(65, 82), decimals=0)
    steam_kj: float = quantity("Steam", "kJ/kg", possible=(1000, 4000), decimals=0, default=3300.0)
    feed_kj: float = quantity("Feed water", "kJ/kg", possible=(0, 1500), decimals=0, default=500.0)


@dataclass(frozen=True, slots=True, kw_only=True)
class FiredFound:
    heat_mj_kg: float = figure("Heat to steam", "MJ/kg solids", decimals=2, equation="0.915 H − water, reduction, smelt")
    steam_kg_kg: float = figure("Steam", "kg/kg solids", decimals=2, equation="1000 q/(h steam − h feed)")
    efficiency_pct: float = figure("of its gross heat", "%", decimals=1, equation="q/H")
    cautions: tuple[Caution, ...] = ()


_FIRED = {"hhv_mj_kg": 14.0, "solids_pct": 72}


@model(
    "recovery.steam",
    title="Steam of the liquor",
    source="heat balance of the boiler; its losses are defaults",
    holds_for="liquor fired at 65 to 82 %",
    equation="q = H (1 − 0.07 − 0.015) − 2.443 (9 × 0.036 + (100 − DS)/DS) − 12.9 × 0.08 − 1.35 × 0.40",
    symbols="H=hhv_mj_kg DS=solids_pct q=heat_mj_kg",
    basis="default",
    checks=(
        Check(_FIRED, "heat_mj_kg", 9.4964, 1e-4),
        Check(_FIRED, "steam_kg_kg", 3.3916, 1e-4),
        Check(_FIRED, "efficiency_pct", 67.832, 1e-4),
        Check({**_FIRED, "solids_pct": 65}, "steam_kg_kg", 3.2611, 1e-3),
    ),
)
def steam(case: FiredCase) -> FiredFound | Infeasible:
    """Infeasible for a liquor that will not burn. Raises: ImpossibleInput."""
    cautions = check(case)
    water = WATER_MJ * (9.0 * HYDROGEN + (100.0 - case.solids_pct) / case.solids_pct)
    q = case.hhv_mj_kg * 0.915 - water - SULPHIDE_MJ * SULPHIDE_SHARE - 1.35 * SMELT
    if q <= 0.0:
        return Infeasible(field="solids_pct", reason="is too thin: it will not burn by itself")
    kg = 1000.0 * q / (case.steam_kj - case.feed_kj)
    return FiredFound(heat_mj_kg=q, steam_kg_kg=kg, efficiency_pct=100.0 * q / case.hhv_mj_kg, cautions=cautions)


@dataclass(frozen=True, slots=True, kw_only=True)
class BarkCase:
    wet_t_h: float = quantity("Bark, wet", "t/h", possible=(0, 500), decimals=1)
    moisture_pct: float = quantity("Moisture", "%", possible=(0, 95), valid=(30, 60), decimals=0)
    dry_mj: float = quantity("Heat, dry", "MJ/kg", possible=(5, 30), decimals=1, default=19.0)
    efficiency: float = quantity("Boiler", "share", possible=(0.1, 1), decimals=2, default=0.86)
    steam_kj: float = quantity("Steam over its feed", "kJ/kg", possible=(500, 4000), decimals=0, default=2800.0)


@dataclass(frozen=True, slots=True, kw_only=True)
class BarkFound:
    net_mj_kg: float = figure("Net heat", "MJ/kg wet", decimals=2, equation="dry (1 − M) − 2.443 M")
    steam_t_h: float = figure("Steam", "t/h", decimals=1, equation="bark × net × boiler/(h steam − h feed)")
    cautions: tuple[Caution, ...] = ()


@model(
    "recovery.bark",
    title="Steam of bark",
    source="heat balance",
    holds_for="over 60 % moisture the fire goes out without other fuel",
    equation="net = 19 (1 − M) − 2.443 M",
    symbols="M=moisture_pct",
    basis="published",
    checks=(
        Check({"wet_t_h": 12, "moisture_pct": 58}, "net_mj_kg", 6.5631, 1e-4),
        Check({"wet_t_h": 12, "moisture_pct": 58}, "steam_t_h", 24.19, 1e-3),
    ),
)
def bark(case: BarkCase) -> BarkFound | Infeasible:
    """Infeasible where the bark gives no heat. Raises: ImpossibleInput."""
    cautions = check(case)
    m = case.moisture_pct / 100.0
    net = case.dry_mj * (1.0 - m) - WATER_MJ * m
    if net <= 0.0:
        return Infeasible(field="moisture_pct", reason="is so high that the bark gives no heat")
    given = 1000.0 * case.wet_t_h * net * case.efficiency / case.steam_kj
    return BarkFound(net_mj_kg=net, steam_t_h=given, cautions=cautions)


@dataclass(frozen=True, slots=True, kw_only=True)
class LimeCase:
    liquor_m3: float = quantity("White liquor", "m³/ADt or m³/h", possible=(0, 10_000), decimals=2)
    white_g_l: float = quantity("NaOH in it", "g/L", possible=(0, 300), valid=(60, 120), decimals=0)
    green_g_l: float = quantity("NaOH in the green liquor", "g/L", possible=(0, 300), valid=(5, 25), decimals=0)
    available_pct: float = quantity("Available CaO", "%", possible=(1, 100), valid=(80, 95), decimals=0, default=88.0)
    tta_g_l: float = quantity("Titratable alkali", "g/L NaOH", possible=(0, 400), valid=(80, 200), decimals=1, default=150.0)
    sulphidity_pct: float = quantity("Sulphidity", "%", possible=(0, 60), valid=(0, 45), decimals=0, default=30.0)
    ce_pct: float = quantity("Causticizing now", "%", possible=(0, 100), valid=(75, 90), decimals=1, default=82.0)


@dataclass(frozen=True, slots=True, kw_only=True)
class LimeFound:
    cao_kg: float = figure("Lime, pure", "kg", decimals=1, equation="V (NaOH white − green) 56.077/79.994")
    lime_kg: float = figure("Burnt lime", "kg", decimals=1, equation="pure/available")
    mud_kg: float = figure("Mud", "kg", decimals=1, equation="pure × 1.78479")
    most_ce_pct: float = figure(
        "Highest sensible causticizing", "%", decimals=1, equation="98 − 0.065 TTA − 0.10 max(0, S − 20)"
    )
    cautions: tuple[Caution, ...] = ()


_LIME = {"liquor_m3": 3.30, "white_g_l": 86, "green_g_l": 11}


@model(
    "recovery.lime",
    title="Lime and causticizing",
    source="stoichiometry; the highest causticizing is a default",
    holds_for="nearer than 1.5 points to it the mud turns slow",
    equation="CaO = V ΔNaOH 56.077/79.994; CE max = 98 − 0.065 TTA − 0.10 max(0, S − 20)",
    symbols="V=liquor_m3 TTA=tta_g_l S=sulphidity_pct",
    basis="default",
    checks=(
        Check(_LIME, "cao_kg", 173.5, 1e-3),
        Check(_LIME, "lime_kg", 197.16, 1e-3),
        Check(_LIME, "mud_kg", 309.66, 1e-3),
        Check({**_LIME, "tta_g_l": 152.55, "sulphidity_pct": 20}, "most_ce_pct", 88.084, 1e-4),
        Check({**_LIME, "tta_g_l": 152.55, "sulphidity_pct": 30}, "most_ce_pct", 87.084, 1e-4),
        Check({**_LIME, "tta_g_l": 152.55, "sulphidity_pct": 33.951}, "most_ce_pct", 86.689, 1e-4),
    ),
)
def lime(case: LimeCase) -> LimeFound:
    """Raises: ImpossibleInput."""
    cautions = check(case)
    pure = case.liquor_m3 * max(0.0, case.white_g_l - case.green_g_l) * CAO
    most = 98.0 - 0.065 * case.tta_g_l - 0.10 * max(0.0, case.sulphidity_pct - 20.0)
    if case.ce_pct > most - 1.5:
        told = f"is within 1.5 points of {most:.1f} %: over-liming, slow mud, lime carried over"
        cautions += (Caution("ce_pct", told),)
    return LimeFound(
        cao_kg=pure, lime_kg=pure / (case.available_pct / 100.0), mud_kg=pure * MUD, most_ce_pct=most, cautions=cautions
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class MakeUpCase:
    na_kg: float = quantity("Sodium lost", "kg/ADt", possible=(0, 200), decimals=1)
    s_kg: float = quantity("Sulphur lost", "kg/ADt", possible=(0, 100), decimals=1)
    s_in_kg: float = quantity("Sulphur that comes otherwise", "kg/ADt", possible=(0, 100), decimals=1, default=0.0)
    circulated_kg: float = quantity("Sodium going round", "kg/ADt", possible=(0, 2000), above=True, decimals=0, default=300.0)


@dataclass(frozen=True, slots=True, kw_only=True)
class MakeUpFound:
    saltcake_kg: float = figure("Saltcake", "kg/ADt", decimals=2, equation="(S lost − S in) 142.042/32.06")
    naoh_kg: float = figure("Caustic", "kg/ADt", decimals=2, equation="(Na lost − 0.32371 saltcake)/0.57479")
    recovered_pct: float = figure("Sodium recovered", "%", decimals=2, equation="100 (1 − make-up/circulated)")
    cautions: tuple[Caution, ...] = ()


_LOST = {"na_kg": 9.5, "s_kg": 2.1, "s_in_kg": 0.9, "circulated_kg": 305}


@model(
    "recovery.make_up",
    title="Make-up of soda and sulphur",
    source="balance of the cycle",
    holds_for="a period whose change of levels is counted",
    equation="saltcake = ΔS 142.042/32.06; NaOH = (Na − 0.32371 saltcake)/0.57479",
    basis="published",
    checks=(
        Check(_LOST, "saltcake_kg", 5.3166, 1e-4),
        Check(_LOST, "naoh_kg", 13.534, 1e-4),
        Check(_LOST, "recovered_pct", 96.885, 1e-4),
    ),
)
def make_up(case: MakeUpCase) -> MakeUpFound | Infeasible:
    """Infeasible for a surplus of sulphur, or of the sodium that comes with it. Raises: ImpossibleInput."""
    cautions = check(case)
    need = case.s_kg - case.s_in_kg
    saltcake = need * 142.042 / 32.06
    caustic = (case.na_kg - 0.32371 * saltcake) / NA_OF_NAOH
    if need < 0.0 or caustic < 0.0:
        told = "is more than is lost: sulphidity will rise; purge dust or cut that source"
        return Infeasible(field="s_in_kg", reason=told, nearest=case.s_kg, unit="kg/ADt")
    if case.na_kg > case.circulated_kg:
        cautions += (Caution("na_kg", "is more than goes round: a change of inventory is not counted"),)
    return MakeUpFound(
        saltcake_kg=saltcake, naoh_kg=caustic, recovered_pct=100.0 * (1.0 - case.na_kg / case.circulated_kg), cautions=cautions
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class CarriesCase:
    liquor_m3_h: float = quantity("White liquor", "m³/h", possible=(0, 10_000), decimals=0)
    ea_g_l: float = quantity("Effective alkali in it", "g/L NaOH", possible=(1, 300), valid=(80, 130), decimals=1)
    ea_pct: float = quantity("Charged", "% NaOH on wood", possible=(1, 40), valid=(12, 24), decimals=1)
    yield_pct: float = quantity("Yield", "%", possible=(5, 100), valid=(38, 60), decimals=1)


@dataclass(frozen=True, slots=True, kw_only=True)
class CarriesFound:
    adt_h: float = figure("Pulp that the liquor carries", "ADt/h", decimals=2, equation="m³/h × EA/(10 EA % W)")
    m3_adt: float = figure("White liquor", "m³/ADt", decimals=2, equation="10 W EA %/EA")
    cautions: tuple[Caution, ...] = ()


_CARRIES = {"liquor_m3_h": 182, "ea_g_l": 107.6, "ea_pct": 18.5, "yield_pct": 46.9}


@model(
    "recovery.carries",
    title="What a liquor carries",
    source="alkali balance of the cook",
    holds_for="one wood at one charge",
    equation="ADt/h = m³/h × EA/(10 EA % W), W = 0.9/yield",
    basis="published",
    checks=(Check(_CARRIES, "adt_h", 55.162, 1e-3),),
)
def carries(case: CarriesCase) -> CarriesFound:
    """Raises: ImpossibleInput."""
    cautions = check(case)
    wood = 90.0 / case.yield_pct
    each = 10.0 * wood * case.ea_pct / case.ea_g_l
    return CarriesFound(adt_h=case.liquor_m3_h / each, m3_adt=each, cautions=cautions)
