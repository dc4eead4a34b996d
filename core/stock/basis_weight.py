"""What a change of consistency does to basis weight, and how much variation of it is allowed."""

import math
from dataclasses import dataclass

from core.errors import Caution, Infeasible
from core.quantity import check, figure, quantity
from core.register import Check, model


@dataclass(frozen=True, slots=True, kw_only=True)
class BasisWeightCase:
    gsm: float = quantity("Basis weight", "g/m²", possible=(0, 2000), above=True, valid=(20, 500), decimals=1)
    cons_before_pct: float = quantity("Consistency was", "%", possible=(0, 60), above=True, valid=(0.3, 16))
    cons_after_pct: float = quantity("Consistency is", "%", possible=(0, 60), above=True, valid=(0.3, 16))
    flow_change_pct: float = quantity(
        "Thick stock flow change", "%", possible=(-90, 200), valid=(-20, 20), decimals=1, default=0.0
    )
    speed_change_pct: float = quantity("Speed change", "%", possible=(-90, 200), valid=(-20, 20), decimals=1, default=0.0)
    retention_change_pct: float = quantity(
        "Retention change", "%", possible=(-90, 200), valid=(-10, 10), decimals=1, default=0.0
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class BasisWeight:
    gsm: float = figure("Basis weight becomes", "g/m²", decimals=1, equation="gsm × (C'/C)(1 + ΔQ)(1 + Δr)/(1 + Δv)")
    change_gsm: float = figure("Change", "g/m²", decimals=1, equation="new − old")
    change_pct: float = figure("Change", "%", decimals=2, equation="100 × change / old")
    flow_to_hold_pct: float = figure(
        "Flow that would hold it", "% of now", decimals=1, equation="100 × (C/C')(1 + Δv)/(1 + Δr)"
    )
    cautions: tuple[Caution, ...] = ()


@model(
    "stock.basis_weight",
    title="Consistency into basis weight",
    source="logarithmic gain of the approach flow: d ln gsm = d ln C + d ln Q − d ln v + d ln r",
    holds_for="while the flow is held and dilution is slower than the change",
    equation="gsm' = gsm (C'/C)(1 + ΔQ)(1 + Δr)/(1 + Δv)",
    checks=(Check({"gsm": 70, "cons_before_pct": 3.60, "cons_after_pct": 3.64}, "gsm", 70.7778, 1e-5),),
)
def basis_weight(case: BasisWeightCase) -> BasisWeight:
    """Basis weight after changes of consistency, flow, speed and retention. Raises: ImpossibleInput.

    Worked: 1 % relative in consistency is 1 % in basis weight.
    """
    cautions = check(case)
    q, v, r = (1 + x / 100.0 for x in (case.flow_change_pct, case.speed_change_pct, case.retention_change_pct))
    gain = case.cons_after_pct / case.cons_before_pct
    new = case.gsm * gain * q * r / v
    return BasisWeight(
        gsm=new,
        change_gsm=new - case.gsm,
        change_pct=100.0 * (new / case.gsm - 1.0),
        flow_to_hold_pct=100.0 * v / (gain * r),
        cautions=cautions,
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class BudgetCase:
    """Relative standard deviations, %."""

    cons_pct: float = quantity("Consistency", "% rel.", possible=(0, 20), valid=(0, 5))
    flow_pct: float = quantity("Thick stock flow", "% rel.", possible=(0, 20), valid=(0, 5))
    speed_pct: float = quantity("Speed", "% rel.", possible=(0, 20), valid=(0, 5))
    retention_pct: float = quantity("Retention", "% rel.", possible=(0, 20), valid=(0, 5))
    wanted_pct: float = quantity("Allowed in all", "% rel.", possible=(0, 20), valid=(0, 5), default=1.0)


@dataclass(frozen=True, slots=True, kw_only=True)
class Budget:
    total_pct: float = figure("Basis weight varies", "% rel.", decimals=3, equation="root of the sum of squares")
    cons_allowed_pct: float = figure(
        "Consistency may vary", "% rel.", decimals=3, equation="√(allowed² − flow² − speed² − retention²)"
    )
    cons_share_pct: float = figure("Consistency's part", "% of variance", decimals=0, equation="100 × C²/total²")
    cautions: tuple[Caution, ...] = ()


@model(
    "deliver.variability",
    title="Variability budget of basis weight",
    source="propagation of independent errors",
    holds_for="independent, small, slower than the consistency loop",
    equation="total² = C² + Q² + v² + r²",
    symbols="total=total_pct C=cons_pct Q=flow_pct v=speed_pct r=retention_pct",
    checks=(Check({"cons_pct": 0.5, "flow_pct": 0.3, "speed_pct": 0.05, "retention_pct": 0.4}, "total_pct", 0.7089, 0.0001),),
)
def variability(case: BudgetCase) -> Budget | Infeasible:
    """Relative sd of basis weight, and the consistency sd that a wanted total leaves. Raises: ImpossibleInput.

    Worked: 0.5, 0.3, 0.05, 0.4 % give 0.7089 %.
    """
    cautions = check(case)
    rest = case.flow_pct**2 + case.speed_pct**2 + case.retention_pct**2
    total = math.sqrt(case.cons_pct**2 + rest)
    if case.wanted_pct**2 < rest:
        return Infeasible(
            field="wanted_pct",
            reason="is below what flow, speed and retention alone make",
            nearest=math.sqrt(rest),
            unit="%",
        )
    return Budget(
        total_pct=total,
        cons_allowed_pct=math.sqrt(case.wanted_pct**2 - rest),
        cons_share_pct=100.0 * case.cons_pct**2 / total**2 if total else 0.0,
        cautions=cautions,
    )
