"""Entrained air in a washer's feed, by weighing a cup of it. What air costs a washer is a default to be calibrated."""

import math
from dataclasses import dataclass

from core.errors import Caution, Infeasible
from core.quantity import check, figure, quantity
from core.register import Check, model
from core.stock.density import DensityCase, stock_density
from core.wash.line import AIR_COSTS


@dataclass(frozen=True, slots=True, kw_only=True)
class AirCase:
    """A cup of stock taken full from the feed of a washer and weighed."""

    cup_ml: float = quantity("Cup, brimful", "mL", possible=(50, 20_000), valid=(500, 5000), decimals=0)
    stock_g: float = quantity("Stock in it", "g", possible=(0, 40_000), above=True, decimals=1)
    cons_pct: float = quantity("Consistency", "%", possible=(0, 30), valid=(0.5, 5), decimals=2)
    temp_c: float = quantity("Temperature", "°C", possible=(0, 100), valid=(20, 95), decimals=0)
    solids_kg_t: float = quantity("Solids in its liquor", "kg/t", possible=(0, 400), valid=(0, 200), decimals=0, default=0.0)


@dataclass(frozen=True, slots=True, kw_only=True)
class AirFound:
    air_pct: float = figure(
        "Entrained air", "% by volume", decimals=1, equation="100 (1 − weighed density / density without air)"
    )
    airless_kg_l: float = figure("Without air", "kg/L", decimals=3, equation="water at its temperature, fibre and solids added")
    e10_share: float = figure("Of every E10, there is left", "%", decimals=0, equation="100 exp(−0.04 air)")
    cautions: tuple[Caution, ...] = ()


SOLIDS_DENSER = 0.00055  # kg/L a kg/t of dissolved solids, default


@model(
    "wash.air",
    title="Entrained air by the cup",
    source="weighed density against that of the stock without air; what air costs a washer is a default to be calibrated",
    holds_for="a cup filled at the washer's feed and struck off at once",
    equation="air = 1 − (stock/cup)/ρ",
    symbols="stock=stock_g cup=cup_ml ρ=airless_kg_l",
    basis="default",
    checks=(
        Check({"cup_ml": 1000, "stock_g": 950.0, "cons_pct": 0, "temp_c": 4}, "air_pct", 5.0, 2e-3),
        Check({"cup_ml": 1000, "stock_g": 1000.0, "cons_pct": 0, "temp_c": 4}, "air_pct", 0.0, 1e-2),
    ),
)
def air(case: AirCase) -> AirFound | Infeasible:
    """Air in a weighed cup. Infeasible where the cup weighs more than it can hold. Raises: ImpossibleInput."""
    cautions = check(case)
    dense = stock_density(DensityCase(cons_pct=case.cons_pct, temp_c=case.temp_c)).kg_m3 / 1000.0
    dense += SOLIDS_DENSER * case.solids_kg_t
    share = 1.0 - case.stock_g / case.cup_ml / dense
    if share < -0.005:
        most = case.cup_ml * dense
        told = f"is more than the cup holds without air, {most:.0f} g"
        return Infeasible(field="stock_g", reason=told, nearest=most, unit="g")
    pct = 100.0 * max(0.0, share)
    return AirFound(air_pct=pct, airless_kg_l=dense, e10_share=100.0 * math.exp(-AIR_COSTS * pct), cautions=cautions)
