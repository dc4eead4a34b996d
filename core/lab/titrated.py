"""Titrations as arithmetic: kappa, residual alkali, iodometry, chlorine dioxide by two end points, a residual a tonne.

Source: shift practice, section 1.2; method numbers point to the copy that a mill holds.
"""

from dataclasses import dataclass
from typing import Final

from core.errors import Caution, ImpossibleInput, Problem
from core.quantity import check, choice, figure, quantity
from core.register import Check, model
from core.unit import AIR_DRY

NAOH_EQ, CL_EQ, CLO2_EQ, ACTIVE_CL = 39.997, 35.453, 16.863, 2.628
IODOMETRIC: Final = {  # g an equivalent of thiosulphate
    "peroxide": 17.007,
    "hypochlorite, as Cl2": 35.453,
    "ClO2 in acid": 13.49,
    "dithionite": 43.525,
    "SO2": 32.03,
    "ozone": 24.0,
    "peracetic acid": 38.03,
}
P_GOOD, CL2_LOW, CL2_HIGH = (30.0, 70.0), -0.15, 1.0
PERCENT = 100.0


@dataclass(frozen=True, slots=True, kw_only=True)
class KappaTestCase:
    blank_ml: float = quantity("Thiosulphate for the blank", "mL", possible=(0, 500), above=True, decimals=2)
    sample_ml: float = quantity("Thiosulphate for the sample", "mL", possible=(0, 500), decimals=2)
    normality: float = quantity("Thiosulphate", "N", possible=(0, 2), above=True, valid=(0.05, 0.5), decimals=4, default=0.2)
    pulp_g: float = quantity("Pulp, oven-dry", "g", possible=(0, 50), above=True, decimals=3)
    temp_c: float = quantity("Temperature", "°C", possible=(0, 60), valid=(20, 30), decimals=1, default=25.0)


@dataclass(frozen=True, slots=True, kw_only=True)
class KappaTest:
    used_ml: float = figure("Permanganate used", "mL", decimals=2, equation="p = (b − a) N/0.1")
    factor: float = figure("Factor for 50 %", "", decimals=5, equation="log₁₀ d = 0.00093 (p − 50)")
    kappa: float = figure("Kappa, at its temperature", "", decimals=3, equation="K = p d/w")
    kappa_25: float = figure("Kappa", "", decimals=1, equation="K [1 + 0.013 (25 − T)]")
    cautions: tuple[Caution, ...] = ()


_K = {"blank_ml": 50.2, "sample_ml": 24.1, "pulp_g": 1.950, "temp_c": 24.0}


@model(
    "lab.kappa",
    title="Kappa number by titration",
    source="T 236, ISO 302",
    holds_for="30 to 70 mL of permanganate used, 20 to 30 °C; of mechanical or recovered pulp it tells no lignin",
    equation="K = p d/w; K25 = K [1 + 0.013 (25 − T)]",
    symbols="p=used_ml d=factor w=pulp_g T=temp_c",
    checks=(
        Check(_K, "used_ml", 52.20, 1e-4),
        Check(_K, "factor", 1.00472, 1e-5),
        Check(_K, "kappa", 26.896, 1e-4),
        Check(_K, "kappa_25", 27.245, 1e-4),
        Check({**_K, "sample_ml": 21.3, "pulp_g": 9.6, "temp_c": 27.5}, "kappa_25", 5.923, 1e-4),
    ),
)
def kappa_test(case: KappaTestCase) -> KappaTest:
    """Raises: ImpossibleInput, also where the sample used more than the blank."""
    cautions = check(case)
    if case.blank_ml <= case.sample_ml:
        told = f"is {case.sample_ml:g} mL; it must be under the blank, {case.blank_ml:g} mL"
        raise ImpossibleInput(Problem("sample_ml", told))
    p = (case.blank_ml - case.sample_ml) * case.normality / 0.1
    d = 10.0 ** (0.00093 * (p - 50.0))
    kappa = p * d / case.pulp_g
    k25 = kappa * (1.0 + 0.013 * (25.0 - case.temp_c))
    if not P_GOOD[0] <= p <= P_GOOD[1]:
        told = f"used {p:.0f} mL of 30 to 70: repeat with about {50.0 / max(k25, 0.1):.2g} g of pulp"
        cautions += (Caution("sample_ml", told),)
    return KappaTest(used_ml=p, factor=d, kappa=kappa, kappa_25=k25, cautions=cautions)


@dataclass(frozen=True, slots=True, kw_only=True)
class ResidualAlkaliCase:
    sample_ml: float = quantity("Acid for the sample", "mL", possible=(0, 500), decimals=2)
    blank_ml: float = quantity("Acid for the blank", "mL", possible=(0, 100), decimals=2, default=0.0)
    normality: float = quantity("Acid", "N", possible=(0, 2), above=True, decimals=4, default=0.1)
    aliquot_ml: float = quantity("Liquor taken", "mL", possible=(0, 500), above=True, decimals=2, default=5.0)


@dataclass(frozen=True, slots=True, kw_only=True)
class ResidualAlkali:
    naoh_g_l: float = figure("Residual alkali, as NaOH", "g/L", decimals=1, equation="(V − V₀) N 39.997/aliquot")
    na2o_g_l: float = figure("as Na₂O", "g/L", decimals=1, equation="(V − V₀) N 30.990/aliquot")
    cautions: tuple[Caution, ...] = ()


_RA = {"sample_ml": 9.85, "blank_ml": 0.15, "normality": 0.1, "aliquot_ml": 5.0}


@model(
    "lab.residual_alkali",
    title="Residual alkali of black liquor",
    source="SCAN-N 33 idea, carbonate removed by barium chloride",
    holds_for="kraft blow 4 to 12 g/L as NaOH; under 4 lignin falls back on the fibre",
    equation="(V − V₀) N E/aliquot",
    checks=(Check(_RA, "naoh_g_l", 7.759, 1e-4), Check(_RA, "na2o_g_l", 6.012, 1e-4)),
)
def residual_alkali(case: ResidualAlkaliCase) -> ResidualAlkali:
    """Raises: ImpossibleInput, also where the blank took more than the sample."""
    cautions = check(case)
    net = _net(case.sample_ml, case.blank_ml)
    by = net * case.normality / case.aliquot_ml
    return ResidualAlkali(naoh_g_l=by * NAOH_EQ, na2o_g_l=by * 30.990, cautions=cautions)


def _net(sample_ml: float, blank_ml: float) -> float:
    if sample_ml < blank_ml:
        raise ImpossibleInput(Problem("sample_ml", f"is {sample_ml:g} mL; it must not be under the blank, {blank_ml:g} mL"))
    return sample_ml - blank_ml


@dataclass(frozen=True, slots=True, kw_only=True)
class IodometryCase:
    what: str = choice("Titrated is", tuple(IODOMETRIC), default="peroxide")
    sample_ml: float = quantity("Thiosulphate for the sample", "mL", possible=(0, 500), decimals=2)
    blank_ml: float = quantity("Thiosulphate for the blank", "mL", possible=(0, 100), decimals=2, default=0.0)
    normality: float = quantity("Thiosulphate", "N", possible=(0, 2), above=True, decimals=4, default=0.1)
    aliquot_ml: float = quantity("Solution taken", "mL", possible=(0, 1000), above=True, decimals=2)
    dilution: float = quantity("Diluted to so many times", "", possible=(1, 10_000), decimals=0, default=1.0)


@dataclass(frozen=True, slots=True, kw_only=True)
class Iodometry:
    g_l: float = figure("Strength", "g/L", decimals=3, equation="(V − V₀) N E f/v")
    cautions: tuple[Caution, ...] = ()


@model(
    "lab.iodometry",
    title="Strength by iodometry, one end point",
    source="iodometric titration",
    holds_for="one oxidant or reductant at a time",
    equation="(V − V₀) N E f/v",
    checks=(
        Check({"sample_ml": 18.6, "blank_ml": 0.1, "aliquot_ml": 1.0, "dilution": 10}, "g_l", 314.6, 2e-4),
        Check({"what": "dithionite", "sample_ml": 26.4, "blank_ml": 0.2, "aliquot_ml": 2.0}, "g_l", 57.02, 1e-4),
    ),
)
def iodometry(case: IodometryCase) -> Iodometry:
    """Raises: ImpossibleInput, also where the blank took more than the sample."""
    cautions = check(case)
    net = _net(case.sample_ml, case.blank_ml)
    return Iodometry(g_l=net * case.normality * IODOMETRIC[case.what] * case.dilution / case.aliquot_ml, cautions=cautions)


@dataclass(frozen=True, slots=True, kw_only=True)
class ChlorineDioxideCase:
    neutral_ml: float = quantity("Thiosulphate at pH 7", "mL", possible=(0, 500), decimals=2)
    further_ml: float = quantity("Further, after acid", "mL", possible=(0, 500), above=True, decimals=2)
    normality: float = quantity("Thiosulphate", "N", possible=(0, 2), above=True, decimals=4, default=0.1)
    aliquot_ml: float = quantity("Solution taken", "mL", possible=(0, 500), above=True, decimals=2, default=2.0)


@dataclass(frozen=True, slots=True, kw_only=True)
class ChlorineDioxideTest:
    clo2_g_l: float = figure("Chlorine dioxide", "g/L", decimals=1, equation="m N 16.863/v")
    cl2_g_l: float = figure("Chlorine", "g/L", decimals=1, equation="(n − m/4) N 35.453/v")
    active_g_l: float = figure("Active chlorine", "g/L", decimals=1, equation="2.628 ClO₂ + Cl₂")
    cautions: tuple[Caution, ...] = ()


_CD = {"neutral_ml": 3.40, "further_ml": 11.80}


@model(
    "lab.chlorine_dioxide",
    title="Chlorine dioxide by two end points",
    source="T 700 idea",
    holds_for="6 to 12 g/L; chlorine under −0.15: repeat; over 1: tell the generator",
    equation="ClO₂ = m N 16.863/v; Cl₂ = (n − m/4) N 35.453/v",
    symbols="n=neutral_ml m=further_ml N=normality v=aliquot_ml",
    checks=(Check(_CD, "clo2_g_l", 9.949, 1e-4), Check(_CD, "cl2_g_l", 0.798, 1e-3), Check(_CD, "active_g_l", 26.94, 3e-4)),
)
def chlorine_dioxide(case: ChlorineDioxideCase) -> ChlorineDioxideTest:
    """Raises: ImpossibleInput."""
    cautions = check(case)
    by = case.normality / case.aliquot_ml
    clo2, cl2 = case.further_ml * by * CLO2_EQ, (case.neutral_ml - case.further_ml / 4.0) * by * CL_EQ
    if cl2 < CL2_LOW:
        cautions += (Caution("neutral_ml", "chlorine comes out below zero: repeat the titration"),)
    if cl2 > CL2_HIGH:
        cautions += (Caution("neutral_ml", "much chlorine: tell the generator"),)
    return ChlorineDioxideTest(clo2_g_l=clo2, cl2_g_l=cl2, active_g_l=ACTIVE_CL * clo2 + cl2, cautions=cautions)


@dataclass(frozen=True, slots=True, kw_only=True)
class ResidualCase:
    g_l: float = quantity("Left in the liquor", "g/L", possible=(0, 100), decimals=3)
    cons_pct: float = quantity("Consistency", "%", possible=(0.1, 60), decimals=1)
    applied_kg_adt: float = quantity("Applied", "kg/ADt", possible=(0, 500), above=True, decimals=1)


@dataclass(frozen=True, slots=True, kw_only=True)
class ResidualFound:
    water_m3_adt: float = figure("Water with the pulp", "m³/ADt", decimals=3, equation="0.9 (100 − C)/C")
    kg_adt: float = figure("Left", "kg/ADt", decimals=2, equation="g/L × water")
    of_applied_pct: float = figure("Of what was applied", "%", decimals=1, equation="100 × left/applied")
    cautions: tuple[Caution, ...] = ()


_RE = {"g_l": 0.12, "cons_pct": 10.5, "applied_kg_adt": 22}


@model(
    "lab.residual",
    title="A residual a tonne",
    source="mass balance",
    holds_for="liquor and pulp alike",
    equation="kg/ADt = g/L × 0.9 (100 − C)/C",
    checks=(
        Check(_RE, "water_m3_adt", 7.671, 1e-4),
        Check(_RE, "kg_adt", 0.9206, 1e-4),
        Check(_RE, "of_applied_pct", 4.184, 1e-3),
    ),
)
def residual(case: ResidualCase) -> ResidualFound:
    """Raises: ImpossibleInput, also for more left than was applied."""
    cautions = check(case)
    water = AIR_DRY * (PERCENT - case.cons_pct) / case.cons_pct
    left = case.g_l * water
    if left > case.applied_kg_adt:
        raise ImpossibleInput(Problem("g_l", f"is {left:.1f} kg/ADt, more than the {case.applied_kg_adt:g} applied"))
    return ResidualFound(
        water_m3_adt=water, kg_adt=left, of_applied_pct=PERCENT * left / case.applied_kg_adt, cautions=cautions
    )
