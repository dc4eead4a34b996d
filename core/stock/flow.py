"""Volume flow of stock to oven-dry fibre and back, and what air does to a meter."""

from dataclasses import dataclass

from core.constants import US_GALLON_L
from core.errors import Caution
from core.quantity import check, figure, quantity
from core.register import Check, model

_DENSITY_HELP = "customary 1.000, or computed from temperature and ash"
HEADBOX_AIR_CAUTION = "Vent and read again before blaming the transmitter: the meter counts the air as stock."


@dataclass(frozen=True, slots=True, kw_only=True)
class FibreFlowCase:
    flow_l_min: float = quantity("Metered flow", "L/min", possible=(0, 500_000), valid=(10, 100_000), decimals=0)
    cons_pct: float = quantity("Consistency", "%", possible=(0, 60), valid=(0.2, 35))
    density_kg_l: float = quantity(
        "Density", "kg/L", possible=(0.5, 1.5), valid=(0.9, 1.1), decimals=3, default=1.0, help=_DENSITY_HELP
    )
    air_pct: float = quantity("Air by volume", "%", possible=(0, 50), valid=(0, 8), decimals=1, default=0.0)


@dataclass(frozen=True, slots=True, kw_only=True)
class FibreFlow:
    fibre_t_h: float = figure(
        "Fibre, oven-dry",
        "t/h",
        decimals=3,
        equation="L/min × (1 − air) × density × consistency × 0.06",
    )
    uncorrected_t_h: float = figure("As the meter believes", "t/h", decimals=3, equation="the same without the air")
    fibre_t_d: float = figure("A day", "t OD", decimals=1, equation="24 × t/h")
    cautions: tuple[Caution, ...] = ()


@model(
    "stock.fibre_flow",
    title="Metered flow to oven-dry fibre",
    source="mass balance",
    holds_for="0.2 to 35 %; air to 8 % by volume",
    equation="t/h = Q (1 − g) ρ C/100 × 0.06",
    symbols="t/h=fibre_t_h Q=flow_l_min g=air_pct ρ=density_kg_l C=cons_pct",
    checks=(
        Check({"flow_l_min": 3000, "cons_pct": 3.6, "density_kg_l": 1.004, "air_pct": 4}, "fibre_t_h", 6.2457, 0.0001),
        Check({"flow_l_min": 3000, "cons_pct": 3.6, "density_kg_l": 1.004, "air_pct": 4}, "uncorrected_t_h", 6.5059, 0.0001),
    ),
)
def fibre_flow(case: FibreFlowCase) -> FibreFlow:
    """Oven-dry fibre in a metered flow, L/min to t/h, corrected for free air.

    Raises: ImpossibleInput. Worked: 3000 L/min, 3.6 %, 1.004 kg/L, 4 % air gives 6.2457 t/h (6.5059 uncorrected).
    """
    cautions = check(case)
    raw = case.flow_l_min * case.density_kg_l * case.cons_pct / 100.0 * 0.06
    true = raw * (1.0 - case.air_pct / 100.0)
    if case.air_pct > 0:
        cautions += (Caution("air_pct", HEADBOX_AIR_CAUTION),)
    return FibreFlow(fibre_t_h=true, uncorrected_t_h=raw, fibre_t_d=24.0 * true, cautions=cautions)


@dataclass(frozen=True, slots=True, kw_only=True)
class StockFlowCase:
    fibre_t_h: float = quantity("Fibre, oven-dry", "t/h", possible=(0, 500), valid=(0.05, 100))
    cons_pct: float = quantity("Consistency", "%", possible=(0, 60), above=True, valid=(0.2, 35))
    density_kg_l: float = quantity(
        "Density", "kg/L", possible=(0.5, 1.5), valid=(0.9, 1.1), decimals=3, default=1.0, help=_DENSITY_HELP
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class StockFlow:
    flow_l_min: float = figure("Stock flow", "L/min", decimals=0, equation="1000 t/h / (0.6 × consistency % × density)")
    flow_m3_h: float = figure("Stock flow", "m³/h", decimals=1, equation="L/min × 0.06")
    flow_us_gpm: float = figure("Stock flow", "US gpm", decimals=0, equation="L/min / litres of a US gallon, 3.785")
    cautions: tuple[Caution, ...] = ()


@model(
    "stock.flow",
    title="Oven-dry fibre to stock flow",
    source="mass balance",
    holds_for="0.2 to 35 %",
    equation="Q = 1000 t/h / (60 C/100 ρ)",
    symbols="Q=flow_l_min t/h=fibre_t_h C=cons_pct ρ=density_kg_l",
    checks=(
        Check({"fibre_t_h": 8.333333333333334, "cons_pct": 3.5}, "flow_l_min", 3968.3, 0.0001),
        Check({"fibre_t_h": 18.9, "cons_pct": 3.2, "density_kg_l": 1.004}, "flow_l_min", 9804.5, 0.0001),
    ),
)
def stock_flow(case: StockFlowCase) -> StockFlow:
    """Volume flow that carries so much fibre at a consistency; the inverse of `fibre_flow` without air.

    Raises: ImpossibleInput. Worked: 200 t/d at 3.5 %, density 1.000 gives 3968.3 L/min.
    """
    cautions = check(case)
    q = 1000.0 * case.fibre_t_h / (60.0 * case.cons_pct / 100.0 * case.density_kg_l)
    return StockFlow(flow_l_min=q, flow_m3_h=q * 0.06, flow_us_gpm=q / US_GALLON_L, cautions=cautions)


def l_min_of(fibre_t_h: float, cons_pct: float) -> float:
    """L/min that carry so much oven-dry fibre at a consistency, density 1."""
    return 1000.0 * fibre_t_h / (0.6 * cons_pct)
