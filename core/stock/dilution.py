"""Dilution and thickening in every direction that people ask.

Flows are L/min at the density given; with density 1 for stock and water alike the result is *customary*: water then comes
out low by about 0.34 % for each 1 % of incoming consistency.
"""

from dataclasses import dataclass
from typing import Any

from core.errors import Caution, Infeasible
from core.quantity import check, figure, quantity
from core.register import Check, model

_FLOW: dict[str, Any] = {"possible": (0, 500_000), "valid": (10, 100_000), "decimals": 0}
_CONS: dict[str, Any] = {"possible": (0, 60), "above": True, "valid": (0.3, 16)}
_WATER_CONS: dict[str, Any] = {"possible": (0, 5), "valid": (0, 0.6), "default": 0.0}
_DENSITY: dict[str, Any] = {"possible": (0.5, 1.5), "valid": (0.9, 1.1), "decimals": 3, "default": 1.0}
_BALANCE = "mass balance of suspended solids (ISO 4119 consistency)"
_RANGE = "incoming 0.3 to 16 %, white water to 0.6 %"


def fibre_t_h(flow_l_min: float, cons_pct: float, density_kg_l: float = 1.0) -> float:
    return flow_l_min * density_kg_l * cons_pct / 100.0 * 0.06


@dataclass(frozen=True, slots=True, kw_only=True)
class DilutionCase:
    """Stock on, and the consistency wanted after the water."""

    flow_l_min: float = quantity("Stock flow", "L/min", **_FLOW)
    cons_pct: float = quantity("Stock consistency", "%", **_CONS)
    target_pct: float = quantity("Wanted after it", "%", **_CONS)
    water_cons_pct: float = quantity("White water consistency", "%", **_WATER_CONS)
    stock_density_kg_l: float = quantity("Stock density", "kg/L", **_DENSITY, help="1.000 is customary")
    water_density_kg_l: float = quantity("Water density", "kg/L", **_DENSITY, help="1.000 is customary")


@dataclass(frozen=True, slots=True, kw_only=True)
class Dilution:
    cons_in_pct: float = figure(
        "Consistency before it",
        "%",
        equation="as given, or C out + (C out − C water) × water/stock",
    )
    water_l_min: float = figure("Water", "L/min", decimals=0, equation="stock mass × (C in − C out)/(C out − C water)")
    stock_l_min: float = figure("Stock", "L/min", decimals=0, equation="as given, or from the outflow")
    flow_out_l_min: float = figure("After it", "L/min", decimals=0, equation="stock + water")
    cons_out_pct: float = figure("Consistency after it", "%", equation="fibre out / mass out")
    fibre_in_t_h: float = figure("Fibre in the stock", "t/h", equation="L/min × density × consistency × 0.06")
    fibre_out_t_h: float = figure("Fibre after it", "t/h", equation="fibre in + fibre of the water")
    water_part_pct: float = figure("Water, of all", "%", decimals=1, equation="100 × water / (stock + water)")
    cautions: tuple[Caution, ...] = ()


def _result(case_flow: float, cons: float, water: float, cw: float, ds: float, dw: float, c: tuple[Caution, ...]) -> Dilution:
    fibre_in, fibre_w = fibre_t_h(case_flow, cons, ds), fibre_t_h(water, cw, dw)
    mass = (case_flow * ds + water * dw) * 0.06
    if ds == dw == 1.0 and cons > 3.0:
        c += (Caution("water_l_min", f"Customary, density 1: the water comes out low by about {0.34 * cons:.1f} %"),)
    return Dilution(
        cons_in_pct=cons,
        water_l_min=water,
        stock_l_min=case_flow,
        flow_out_l_min=case_flow + water,
        cons_out_pct=100.0 * (fibre_in + fibre_w) / mass if mass else 0.0,
        fibre_in_t_h=fibre_in,
        fibre_out_t_h=fibre_in + fibre_w,
        water_part_pct=100.0 * water / (case_flow + water) if case_flow + water else 0.0,
        cautions=c,
    )


def _thins(cons: float, target: float, water: float) -> Infeasible | None:
    if target > cons:
        return Infeasible(field="target_pct", reason="is above the stock: dilution only thins", nearest=cons, unit="%")
    if water >= target:
        return Infeasible(
            field="target_pct", reason="cannot be reached: the white water is as thick as this", nearest=water, unit="%"
        )
    return None


@model(
    "stock.dilute",
    title="Water for a stock flow",
    source=_BALANCE,
    holds_for=_RANGE,
    equation="Qw = Qin (Cin − Cout)/(Cout − Cw)",
    symbols="Qw=water_l_min Qin=flow_l_min Cin=cons_pct Cout=target_pct Cw=water_cons_pct",
    checks=(
        Check({"flow_l_min": 2000, "cons_pct": 4.8, "target_pct": 3.2}, "water_l_min", 1000.0, 0.0001),
        Check({"flow_l_min": 2000, "cons_pct": 4.8, "target_pct": 3.2, "water_cons_pct": 0.4}, "water_l_min", 1142.857, 0.0001),
        Check({"flow_l_min": 210, "cons_pct": 4.35, "target_pct": 4.0, "water_cons_pct": 0.3}, "water_l_min", 19.865, 0.0001),
    ),
)
def dilute(case: DilutionCase) -> Dilution | Infeasible:
    """Water that brings a stock flow to its target consistency.

    Raises: ImpossibleInput. Infeasible when the target is above the stock or not above the water.
    Worked: 2000 L/min at 4.8 % to 3.2 % takes 1000.0 L/min of clear water, 1142.9 at 0.40 %.
    """
    cautions = check(case)
    if refusal := _thins(case.cons_pct, case.target_pct, case.water_cons_pct):
        return refusal
    mass = case.flow_l_min * case.stock_density_kg_l
    water = mass * (case.cons_pct - case.target_pct) / (case.target_pct - case.water_cons_pct) / case.water_density_kg_l
    return _result(
        case.flow_l_min,
        case.cons_pct,
        water,
        case.water_cons_pct,
        case.stock_density_kg_l,
        case.water_density_kg_l,
        cautions,
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class OutflowCase:
    """The flow wanted after dilution: how much of it is stock, how much water?"""

    flow_out_l_min: float = quantity("Flow after it", "L/min", **_FLOW)
    cons_pct: float = quantity("Stock consistency", "%", **_CONS)
    target_pct: float = quantity("Wanted after it", "%", **_CONS)
    water_cons_pct: float = quantity("White water consistency", "%", **_WATER_CONS)


@model(
    "stock.dilute_outflow",
    title="Stock and water for an outflow",
    source=_BALANCE,
    holds_for=_RANGE,
    equation="Qin = Qout (Cout − Cw)/(Cin − Cw)",
    symbols="Qin=stock_l_min Qout=flow_out_l_min Cout=target_pct Cw=water_cons_pct Cin=cons_pct",
    checks=(
        Check({"flow_out_l_min": 3600, "cons_pct": 4.8, "target_pct": 3.2}, "stock_l_min", 2400.0, 0.0001),
        Check({"flow_out_l_min": 3600, "cons_pct": 4.8, "target_pct": 3.2}, "water_l_min", 1200.0, 0.0001),
    ),
)
def dilute_outflow(case: OutflowCase) -> Dilution | Infeasible:
    """Stock and water that together make a wanted flow at a wanted consistency (density 1).

    Raises: ImpossibleInput. Worked: 3600 L/min at 3.2 % from 4.8 % and clear water is 2400 stock, 1200 water.
    """
    cautions = check(case)
    if refusal := _thins(case.cons_pct, case.target_pct, case.water_cons_pct):
        return refusal
    stock = case.flow_out_l_min * (case.target_pct - case.water_cons_pct) / (case.cons_pct - case.water_cons_pct)
    return _result(stock, case.cons_pct, case.flow_out_l_min - stock, case.water_cons_pct, 1.0, 1.0, cautions)


@dataclass(frozen=True, slots=True, kw_only=True)
class MixedCase:
    """Both flows are known: what comes out?"""

    flow_l_min: float = quantity("Stock flow", "L/min", **_FLOW)
    cons_pct: float = quantity("Stock consistency", "%", possible=(0, 60), valid=(0.3, 16))
    water_l_min: float = quantity("Water flow", "L/min", **_FLOW)
    water_cons_pct: float = quantity("White water consistency", "%", **_WATER_CONS)


@model(
    "stock.dilute_result",
    title="Consistency after known flows",
    source=_BALANCE,
    holds_for=_RANGE,
    equation="Cout = (Qin Cin + Qw Cw)/(Qin + Qw)",
    symbols="Cout=cons_out_pct Qin=flow_l_min Cin=cons_pct Qw=water_l_min Cw=water_cons_pct",
    checks=(
        Check({"flow_l_min": 2000, "cons_pct": 4.8, "water_l_min": 1000, "water_cons_pct": 0.4}, "cons_out_pct", 10 / 3, 1e-9),
    ),
)
def dilute_result(case: MixedCase) -> Dilution | Infeasible:
    """What two known flows make (density 1). Raises: ImpossibleInput. Infeasible when nothing flows."""
    cautions = check(case)
    if case.flow_l_min + case.water_l_min <= 0.0:
        return Infeasible(field="flow_l_min", reason="and the water are both 0: nothing flows, so there is no consistency")
    return _result(case.flow_l_min, case.cons_pct, case.water_l_min, case.water_cons_pct, 1.0, 1.0, cautions)


@dataclass(frozen=True, slots=True, kw_only=True)
class InletCase:
    """Flows and the consistency after it are known: what does the chest really give?"""

    flow_l_min: float = quantity("Stock flow", "L/min", possible=(0, 500_000), above=True, valid=(10, 100_000), decimals=0)
    water_l_min: float = quantity("Water flow", "L/min", **_FLOW)
    cons_out_pct: float = quantity("Consistency after it", "%", **_CONS)
    water_cons_pct: float = quantity("White water consistency", "%", **_WATER_CONS)


@model(
    "stock.dilution_inlet",
    title="Consistency before the water",
    source=_BALANCE,
    holds_for=_RANGE,
    equation="Cin = Cout + (Cout − Cw) Qw/Qin",
    symbols="Cin=cons_in_pct Cout=cons_out_pct Cw=water_cons_pct Qw=water_l_min Qin=flow_l_min",
    checks=(
        Check(
            {"flow_l_min": 588, "water_l_min": 257, "cons_out_pct": 3.46, "water_cons_pct": 0.4}, "cons_in_pct", 4.79745, 1e-5
        ),
    ),
)
def dilution_inlet(case: InletCase) -> Dilution | Infeasible:
    """Consistency ahead of the dilution point from both flows and the result (density 1). Raises: ImpossibleInput."""
    cautions = check(case)
    cons = case.cons_out_pct + (case.cons_out_pct - case.water_cons_pct) * case.water_l_min / case.flow_l_min
    if not 0.0 <= cons <= 100.0:
        return Infeasible(field="cons_out_pct", reason=f"would need stock at {cons:.1f} %: a flow or a reading is wrong")
    return _result(case.flow_l_min, cons, case.water_l_min, case.water_cons_pct, 1.0, 1.0, cautions)


@dataclass(frozen=True, slots=True, kw_only=True)
class ThickeningCase:
    """Water to take out: filtrate of a thickener or press."""

    flow_l_min: float = quantity("Stock flow", "L/min", **_FLOW)
    cons_pct: float = quantity("Stock consistency", "%", **_CONS)
    target_pct: float = quantity("Wanted after it", "%", possible=(0, 60), above=True, valid=(0.3, 45))
    filtrate_pct: float = quantity("Filtrate consistency", "%", **_WATER_CONS)


@dataclass(frozen=True, slots=True, kw_only=True)
class Thickening:
    filtrate_l_min: float = figure("Filtrate", "L/min", decimals=0, equation="Q (C out − C in)/(C out − C filtrate)")
    flow_out_l_min: float = figure("Thick stock", "L/min", decimals=0, equation="stock − filtrate")
    fibre_lost_t_h: float = figure("Fibre in the filtrate", "t/h", decimals=3, equation="filtrate × its consistency × 0.06")
    fibre_out_t_h: float = figure("Fibre in the thick stock", "t/h", equation="fibre in − fibre in the filtrate")
    cautions: tuple[Caution, ...] = ()


@model(
    "stock.thicken",
    title="Filtrate of a thickening",
    source=_BALANCE,
    holds_for=_RANGE,
    equation="Qf = Qin (Cout − Cin)/(Cout − Cf)",
    symbols="Qf=filtrate_l_min Qin=flow_l_min Cout=target_pct Cin=cons_pct Cf=filtrate_pct",
    checks=(
        Check({"flow_l_min": 9000, "cons_pct": 1.1, "target_pct": 10, "filtrate_pct": 0.05}, "filtrate_l_min", 8050.25, 1e-5),
    ),
)
def thicken(case: ThickeningCase) -> Thickening | Infeasible:
    """Filtrate that must leave to thicken a flow (density 1). Raises: ImpossibleInput."""
    cautions = check(case)
    if case.target_pct < case.cons_pct:
        return Infeasible(field="target_pct", reason="is below the stock: that is dilution", nearest=case.cons_pct, unit="%")
    if case.filtrate_pct > case.cons_pct or case.filtrate_pct >= case.target_pct:
        return Infeasible(
            field="filtrate_pct", reason="is thicker than the stock it comes from", nearest=case.cons_pct, unit="%"
        )
    f = case.flow_l_min * (case.target_pct - case.cons_pct) / (case.target_pct - case.filtrate_pct)
    lost = fibre_t_h(f, case.filtrate_pct)
    return Thickening(
        filtrate_l_min=f,
        flow_out_l_min=case.flow_l_min - f,
        fibre_lost_t_h=lost,
        fibre_out_t_h=fibre_t_h(case.flow_l_min, case.cons_pct) - lost,
        cautions=cautions,
    )
