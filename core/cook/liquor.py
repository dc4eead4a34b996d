"""White liquor: ABC titration, conventions, and the liquor plan of a charge. Alkali as NaOH; Na₂O is a display convention."""

from dataclasses import dataclass

from core.errors import Caution, ImpossibleInput, Infeasible, Problem
from core.quantity import check, figure, quantity
from core.register import Check, model

NAOH = 39.997


@dataclass(frozen=True, slots=True, kw_only=True)
class AbcCase:
    v_ml: float = quantity("Liquor taken", "mL", possible=(0, 100), above=True, valid=(1, 10), decimals=2)
    normality: float = quantity("Acid", "N", possible=(0, 5), above=True, valid=(0.1, 1), decimals=3)
    a_ml: float = quantity("A, first end", "mL", possible=(0, 200), above=True, decimals=2)
    b_ml: float = quantity("B, after formaldehyde", "mL", possible=(0, 200), above=True, decimals=2)
    c_ml: float = quantity("C, methyl orange", "mL", possible=(0, 200), above=True, decimals=2)


@dataclass(frozen=True, slots=True, kw_only=True)
class Liquor:
    ea_g_l: float = figure("Effective alkali", "g/L NaOH", decimals=1, equation="A f, f = N × 39.997/v")
    aa_g_l: float = figure("Active alkali", "g/L NaOH", decimals=1, equation="B f")
    tta_g_l: float = figure("Total titratable", "g/L NaOH", decimals=1, equation="C f")
    naoh_g_l: float = figure("Sodium hydroxide", "g/L NaOH", decimals=1, equation="(2A − B) f")
    na2s_g_l: float = figure("Sodium sulphide", "g/L NaOH", decimals=1, equation="2 (B − A) f")
    na2co3_g_l: float = figure("Sodium carbonate", "g/L NaOH", decimals=1, equation="(C − B) f")
    sulphidity_pct: float = figure("Sulphidity, of AA", "%", decimals=1, equation="100 Na₂S/AA")
    sulphidity_tta_pct: float = figure("Sulphidity, of TTA", "%", decimals=1, equation="100 Na₂S/TTA")
    causticizing_pct: float = figure("Causticizing", "%", decimals=1, equation="100 NaOH/(NaOH + Na₂CO₃)")
    activity_pct: float = figure("Activity", "%", decimals=1, equation="100 AA/TTA")
    cautions: tuple[Caution, ...] = ()


_ABC = {"v_ml": 2, "normality": 0.5, "a_ml": 13.2, "b_ml": 15.4, "c_ml": 17.6}


@model(
    "cook.abc",
    title="White liquor by ABC titration",
    source="SCAN-N 30, TAPPI T 624",
    holds_for="cumulative readings A, B, C of one titration",
    equation="EA = A f; AA = B f; TTA = C f",
    symbols="EA=ea_g_l AA=aa_g_l TTA=tta_g_l A=a_ml B=b_ml C=c_ml",
    basis="published",
    checks=tuple(
        Check(_ABC, f, w, 2e-3)
        for f, w in (
            ("ea_g_l", 131.99),
            ("aa_g_l", 153.99),
            ("tta_g_l", 175.99),
            ("naoh_g_l", 109.99),
            ("na2s_g_l", 43.997),
            ("na2co3_g_l", 21.998),
            ("sulphidity_pct", 28.571),
            ("sulphidity_tta_pct", 25),
            ("causticizing_pct", 83.333),
            ("activity_pct", 87.5),
        )
    ),
)
def abc(case: AbcCase) -> Liquor:
    """Strengths from cumulative burette readings. Raises: ImpossibleInput for readings out of order, or no free caustic."""
    cautions = check(case)
    bad = []
    if case.b_ml < case.a_ml:
        bad.append(Problem("b_ml", f"is {case.b_ml:g} mL, before A at {case.a_ml:g}; give cumulative readings"))
    if case.c_ml < case.b_ml:
        bad.append(Problem("c_ml", f"is {case.c_ml:g} mL, before B at {case.b_ml:g}; give cumulative readings"))
    if case.b_ml > 2.0 * case.a_ml:
        bad.append(
            Problem(
                "b_ml",
                f"is over twice A: 2A − B is {2 * case.a_ml - case.b_ml:g} mL, no free caustic; repeat the formaldehyde step",
            )
        )
    if bad:
        raise ImpossibleInput(*bad)
    f = case.normality * NAOH / case.v_ml
    naoh, sulphide, carbonate = (2 * case.a_ml - case.b_ml) * f, 2 * (case.b_ml - case.a_ml) * f, (case.c_ml - case.b_ml) * f
    if 0.0 < case.b_ml - case.a_ml < 0.3:
        cautions += (Caution("b_ml", "A and B lie under 0.3 mL apart: sulphide is not precise; take more liquor"),)
    return Liquor(
        ea_g_l=case.a_ml * f,
        aa_g_l=case.b_ml * f,
        tta_g_l=case.c_ml * f,
        naoh_g_l=naoh,
        na2s_g_l=sulphide,
        na2co3_g_l=carbonate,
        sulphidity_pct=100.0 * sulphide / (case.b_ml * f),
        sulphidity_tta_pct=100.0 * sulphide / (case.c_ml * f),
        causticizing_pct=100.0 * naoh / (naoh + carbonate) if naoh + carbonate > 0 else float("nan"),
        activity_pct=100.0 * case.b_ml / case.c_ml,
        cautions=cautions,
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class PlanCase:
    wood_t: float = quantity("Wood", "t OD", possible=(0, 1000), above=True, decimals=1)
    moisture_pct: float = quantity("Chip moisture", "% wet", possible=(0, 99), valid=(30, 65), decimals=1)
    ea_pct_naoh: float = quantity("EA on wood", "% NaOH", possible=(0, 30), above=True, valid=(12, 24), decimals=1)
    ea_g_l: float = quantity("White liquor, EA", "g/L NaOH", possible=(0, 300), above=True, valid=(80, 130), decimals=1)
    lw_m3_t: float = quantity("Liquor to wood", "m³/t", possible=(1, 12), valid=(2.8, 6), decimals=2)
    condensate_t_t: float = quantity("Condensate", "t/t OD", possible=(0, 3), decimals=2, default=0.15)
    black_ea_g_l: float = quantity("Black liquor, EA", "g/L NaOH", possible=(0, 100), valid=(0, 20), decimals=1, default=8.0)


@dataclass(frozen=True, slots=True, kw_only=True)
class LiquorPlan:
    white_m3: float = figure("White liquor", "m³", decimals=1, equation="wood × 10 × EA % / strength")
    chip_water_m3: float = figure("Water of the chips", "m³", decimals=1, equation="wood × dry-basis moisture")
    condensate_m3: float = figure("Condensate", "m³", decimals=1, equation="wood × t/t")
    black_m3: float = figure("Black liquor make-up", "m³", decimals=1, equation="L/W × wood − the others")
    start_g_l: float = figure("EA at the start", "g/L NaOH", decimals=1, equation="alkali of both liquors / all liquid")
    real_lw_m3_t: float = figure("Liquor to wood, real", "m³/t", decimals=2, equation="all liquid / wood")
    cautions: tuple[Caution, ...] = ()


_PLAN = {"wood_t": 20, "moisture_pct": 48, "ea_pct_naoh": 18.5, "ea_g_l": 100, "lw_m3_t": 4.0}


@model(
    "cook.liquor_plan",
    title="Liquor of a charge",
    source="balance; chip water counted",
    holds_for="L/W 2.8 to 6; white liquor 80 to 130 g/L EA as NaOH",
    equation="WL = 10 W EA/c; BL = LW W − WL − water − condensate",
    symbols="WL=white_m3 W=wood_t EA=ea_pct_naoh c=ea_g_l BL=black_m3 LW=lw_m3_t water=chip_water_m3 condensate=condensate_m3",
    checks=(
        *(
            Check(_PLAN, f, w, 2e-3)
            for f, w in (
                ("white_m3", 37),
                ("chip_water_m3", 18.462),
                ("condensate_m3", 3),
                ("black_m3", 21.538),
                ("start_g_l", 48.404),
            )
        ),
        *(
            Check({**_PLAN, "moisture_pct": 60, "lw_m3_t": 3.3}, f, w, 2e-3)
            for f, w in (("chip_water_m3", 30), ("black_m3", -4), ("start_g_l", 52.857))
        ),
    ),
)
def liquor_plan(case: PlanCase) -> LiquorPlan:
    """White liquor, chip water and make-up of a charge; a negative make-up says over-wet, with the least L/W. Raises:
    ImpossibleInput."""
    cautions = check(case)
    white = 10.0 * case.wood_t * case.ea_pct_naoh / case.ea_g_l
    water = case.wood_t * case.moisture_pct / (100.0 - case.moisture_pct)
    condensate = case.wood_t * case.condensate_t_t
    black = case.lw_m3_t * case.wood_t - white - water - condensate
    made = max(0.0, black)
    liquid = white + water + condensate + made
    if black < 0.0:
        cautions += (Caution("lw_m3_t", f"over-wet: the least liquor to wood is {liquid / case.wood_t:.2f} m³/t"),)
    return LiquorPlan(
        white_m3=white,
        chip_water_m3=water,
        condensate_m3=condensate,
        black_m3=black,
        start_g_l=(white * case.ea_g_l + made * case.black_ea_g_l) / liquid,
        real_lw_m3_t=liquid / case.wood_t,
        cautions=cautions,
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class EaCase:
    aa_pct: float = quantity("Active alkali on wood", "% NaOH", possible=(0, 40), above=True, valid=(10, 26), decimals=2)
    sulphidity_pct: float = quantity("Sulphidity, of AA", "%", possible=(0, 100), valid=(0, 45), decimals=1)


@dataclass(frozen=True, slots=True, kw_only=True)
class EaFound:
    ea_pct_naoh: float = figure("Effective alkali", "% NaOH", decimals=2, equation="AA (1 − S/200)")
    cautions: tuple[Caution, ...] = ()


@model(
    "cook.effective_alkali",
    title="Active to effective alkali",
    source="definition; EA = NaOH + Na₂S/2",
    holds_for="sulphidity of AA",
    equation="EA = AA (1 − S/200)",
    symbols="EA=ea_pct_naoh AA=aa_pct S=sulphidity_pct",
    checks=(Check({"aa_pct": 15.5 / 0.7748, "sulphidity_pct": 28}, "ea_pct_naoh", 17.205, 2e-3),),
)
def effective_alkali(case: EaCase) -> EaFound | Infeasible:
    """EA of an AA charge. Raises: ImpossibleInput."""
    return EaFound(cautions=check(case), ea_pct_naoh=case.aa_pct * (1.0 - case.sulphidity_pct / 200.0))
