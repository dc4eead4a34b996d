"""Density of water and of stock."""

from dataclasses import dataclass

from core.errors import Caution
from core.quantity import check, figure, quantity
from core.register import Check, model

FIBRE_KG_M3 = 1520.0
FILLER_KG_M3 = 2700.0


def water_density(temp_c: float) -> float:
    """Density of water in kg/m3: 1000 [1 - (T + 288.9414)(T - 3.9863)^2 / (508929.2 (T + 68.12963))].

    Source: standard fit; within 0.1 kg/m3 to 80 degC, 0.2 to 95 degC. Worked: 45 degC gives 990.24.
    """
    return 1000.0 * (1.0 - (temp_c + 288.9414) * (temp_c - 3.9863) ** 2 / (508929.2 * (temp_c + 68.12963)))


@dataclass(frozen=True, slots=True, kw_only=True)
class DensityCase:
    cons_pct: float = quantity("Consistency", "%", possible=(0, 60), valid=(0.2, 35))
    temp_c: float = quantity("Temperature", "°C", possible=(0, 100), valid=(5, 95), decimals=1, default=45.0)
    ash_pct: float = quantity(
        "Ash in the solids", "%", possible=(0, 100), valid=(0, 60), decimals=1, default=0.0, help="filler, of the dry solids"
    )
    air_pct: float = quantity(
        "Air by volume", "%", possible=(0, 50), valid=(0, 8), decimals=1, default=0.0, help="free gas at the meter's pressure"
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class Density:
    kg_m3: float = figure(
        "Stock density",
        "kg/m³",
        decimals=1,
        equation="(1 − air) / [x (1 − ash)/1520 + x ash/2700 + (1 − x)/water density]",
    )
    water_kg_m3: float = figure("Water density", "kg/m³", decimals=2, equation="standard fit in temperature")
    cautions: tuple[Caution, ...] = ()

    @property
    def kg_l(self) -> float:
        return self.kg_m3 / 1000.0


@model(
    "stock.density",
    title="Density of stock",
    source="standard water fit; fibre wall 1520, filler 2700 kg/m³",
    holds_for="consistency to 35 %, 5 to 95 °C, ash to 60 %, air to 8 %",
    equation="1/ρ = x (1 − a)/1520 + x a/2700 + (1 − x)/ρw, times (1 − g)",
    basis="published",
    checks=(
        Check({"cons_pct": 4, "temp_c": 45, "ash_pct": 15}, "kg_m3", 1005.99, 0.0002),
        Check({"cons_pct": 4, "temp_c": 45, "ash_pct": 15}, "water_kg_m3", 990.24, 1e-05),
        Check({"cons_pct": 12, "temp_c": 70}, "kg_m3", 1021.48, 0.0002),
    ),
)
def stock_density(case: DensityCase) -> Density:
    """Density of a suspension from consistency, temperature, ash and free air.

    Raises: ImpossibleInput. Worked: 4.0 %, 15 % ash, 45 degC gives 1005.99 kg/m3.
    """
    cautions = check(case)
    x, a, g = case.cons_pct / 100.0, case.ash_pct / 100.0, case.air_pct / 100.0
    water = water_density(case.temp_c)
    liquid = 1.0 / (x * (1.0 - a) / FIBRE_KG_M3 + x * a / FILLER_KG_M3 + (1.0 - x) / water)
    return Density(kg_m3=(1.0 - g) * liquid, water_kg_m3=water, cautions=cautions)
