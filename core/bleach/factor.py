"""The kappa factor of least cost: more in D0 makes D1 cheaper and the extraction dearer, with the oxygen stage held.

Source: models, section 7.4. Constants of the stages are defaults to be calibrated; prices are the mill's.
"""

import math
from dataclasses import dataclass, replace

from core.bleach.ceilings import CEILING, too_much
from core.bleach.line import CAUSTIC_A_CHLORINE, CAUSTIC_BASE, FACTOR_HIGH, FACTOR_LOW, TYPICAL
from core.bleach.stages import ACTIVE, Pulp, charge_for_iso, extraction_acids, run
from core.colour import ks_from_kappa, ks_from_reflectance
from core.errors import Caution, Infeasible
from core.quantity import check, choice, figure, quantity
from core.register import Check, model
from core.wash.oxygen import WOODS

GRID = 0.005


@dataclass(frozen=True, slots=True, kw_only=True)
class LeastFactorCase:
    wood: str = choice("Pulp", tuple(WOODS))
    kappa: float = quantity("Kappa to D0", "", possible=(0, 200), above=True, valid=(6, 30), decimals=1)
    iso_pct: float = quantity(
        "Brightness to D0", "% ISO", possible=(0, 99), valid=(0, 70), decimals=1, default=0.0, help="0: by the kappa"
    )
    wanted_pct: float = quantity("Brightness wanted after D1", "% ISO", possible=(1, 99), valid=(80, 91), decimals=1)
    h2o2_kg: float = quantity("H₂O₂ in the extraction", "kg/ODt", possible=(0, CEILING["EOP"]), decimals=1, default=3.0)
    clo2_price: float = quantity("ClO₂ costs", "a kg", possible=(0, 100), decimals=2, default=1.10)
    naoh_price: float = quantity("NaOH costs", "a kg", possible=(0, 100), decimals=2, default=0.42)


@dataclass(frozen=True, slots=True, kw_only=True)
class LeastFactor:
    factor: float = figure("Kappa factor", "", decimals=3, equation="least of ClO₂ and NaOH cost, by steps of 0.005")
    d0_kg: float = figure("ClO₂ in D0", "kg/ODt", decimals=2, equation="10 KF κ/2.628")
    d1_kg: float = figure("ClO₂ in D1", "kg/ODt", decimals=2, equation="for the brightness wanted")
    naoh_kg: float = figure("NaOH in the extraction", "kg/ODt", decimals=1, equation="0.45 active chlorine + 3")
    cost: float = figure("ClO₂ and NaOH cost", "a t OD", decimals=2, equation="charges × prices")
    binds: str = ""
    cautions: tuple[Caution, ...] = ()


_HW = {"wood": "hardwood", "kappa": 11.958, "wanted_pct": 89}
_SW = {"wood": "softwood", "kappa": 14.529, "wanted_pct": 89}


@model(
    "bleach.least_factor",
    title="Kappa factor of least cost",
    source="stage models in turn; constants are defaults to be calibrated, prices the mill’s",
    holds_for="D0-EOP-D1 after an oxygen stage that is held; factor 0.15 to 0.28",
    equation="cost = p (ClO₂ of D0 + ClO₂ of D1) + q (0.45 × 2.628 D0 + 3)",
    basis="default",
    checks=(
        Check(_SW, "factor", 0.225, 1e-6),
        Check(_SW, "d1_kg", 11.459, 2e-2),
        Check(_HW, "factor", 0.205, 1e-6),
        Check(_HW, "d1_kg", 9.8632, 2e-2),
    ),
)
def least_factor(case: LeastFactorCase) -> LeastFactor | Infeasible:
    """The factor of least cost for a brightness. Infeasible where no factor of the card reaches it. Raises: ImpossibleInput."""
    cautions = check(case)
    ks = ks_from_reflectance(case.iso_pct / 100.0) if case.iso_pct else ks_from_kappa(case.kappa)
    best: LeastFactor | None = None
    refused: Infeasible | None = None
    steps = round((FACTOR_HIGH - FACTOR_LOW) / GRID)
    factors = [FACTOR_LOW + GRID * i for i in range(steps + 1)]
    for factor in factors:
        active = 10.0 * factor * case.kappa
        d0 = active / ACTIVE["ClO2"]
        if too_much("D0", d0):
            break
        pulp = run("D0", Pulp(kappa=case.kappa, ks=ks), replace(TYPICAL["D0"], charge=d0), wood=case.wood).pulp
        lye = CAUSTIC_A_CHLORINE * active + CAUSTIC_BASE
        setting = replace(TYPICAL["EOP"], charge=case.h2o2_kg)
        ph = extraction_acids(active_kg=active, cod_kg=0.0, cons_pct=setting.cons_pct).ph_of(min(CEILING["E"], lye))
        pulp = run("EOP", pulp, replace(setting, ph=min(14.0, ph)), wood=case.wood).pulp
        d1 = charge_for_iso("D1", pulp, TYPICAL["D1"], case.wanted_pct)
        if isinstance(d1, Infeasible):
            refused = d1 if refused is None or (d1.nearest or 0.0) > (refused.nearest or 0.0) else refused
            continue
        cost = case.clo2_price * (d0 + d1) + case.naoh_price * lye
        if best is None or cost < best.cost - 1e-9:
            best = LeastFactor(factor=factor, d0_kg=d0, d1_kg=d1, naoh_kg=lye, cost=cost)
    if best is None:
        nearest = refused.nearest if refused is not None else math.nan
        why = refused.reason if refused is not None else "asks more than D0 may take"
        return Infeasible(field="wanted_pct", reason=f"no factor of the card does it: {why}", nearest=nearest, unit="% ISO")
    ends = {factors[0]: "the low end of the card", factors[-1]: "the high end of the card"}
    binds = ends.get(best.factor, "")
    if binds:
        cautions += (Caution("wanted_pct", f"the least cost lies at {binds}: it would lie beyond it"),)
    return replace(best, binds=binds, cautions=cautions)
