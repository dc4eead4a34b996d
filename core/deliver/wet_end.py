"""The wet end as far as the furnish needs it: what retention brings round, gas by compression, heat to the headbox, drainage.

Source: accounts and gaps, section 9.
"""

from dataclasses import dataclass
from typing import Final

from core.errors import Caution, ImpossibleInput, Problem
from core.heat import CP_WATER
from core.quantity import check, figure, quantity
from core.register import Check, model

STEAM_KJ, CP_STOCK = 2750.0, 4.17
VISCOSITY: Final = (2.414e-5, 247.8, 140.0)


@dataclass(frozen=True, slots=True, kw_only=True)
class LoopCase:
    retention: float = quantity("First-pass retention", "share", possible=(0, 1), above=True, valid=(0.3, 0.95), decimals=2)
    lost: float = quantity("Tray solids lost", "share", possible=(0, 1), valid=(0, 0.3), decimals=2, default=0.06)
    thick_t_h: float = quantity("Thick stock solids", "t/h", possible=(0, 500), decimals=1, default=18.0)
    residence_min: float = quantity("White water stays", "min", possible=(0, 1000), decimals=0, default=10.0)


@dataclass(frozen=True, slots=True, kw_only=True)
class LoopFound:
    total: float = figure("Total retention", "share", decimals=4, equation="R/(R + l (1 − R))")
    headbox_t_h: float = figure("Solids in the headbox", "t/h", decimals=2, equation="S/(R + l (1 − R))")
    gain: float = figure("It builds up", "times", decimals=3, equation="1/(1 − (1 − R)(1 − l))")
    settles_min: float = figure("Time constant", "min", decimals=1, equation="residence × build-up")
    cautions: tuple[Caution, ...] = ()


@model(
    "deliver.retention_loop",
    title="What comes round with the white water",
    source="geometric series, per component",
    holds_for="one component; filler’s loop is longer than fibre’s",
    equation="total = R/(R + l (1 − R)); build-up = 1/(1 − (1 − R)(1 − l))",
    symbols="R=retention l=lost",
    basis="published",
    checks=(
        Check({"retention": 0.72}, "total", 0.9772, 1e-4),
        Check({"retention": 0.72}, "gain", 1.3572, 1e-4),
        Check({"retention": 0.40}, "total", 0.91743, 1e-4),
        Check({"retention": 0.40}, "gain", 2.2936, 1e-4),
        Check({"retention": 0.72}, "headbox_t_h", 24.43, 1e-3),
    ),
)
def retention_loop(case: LoopCase) -> LoopFound:
    """Raises: ImpossibleInput."""
    cautions = check(case)
    passes = case.retention + case.lost * (1.0 - case.retention)
    gain = 1.0 / passes  # 1 − (1 − R)(1 − l) is the same
    return LoopFound(
        total=case.retention / passes,
        headbox_t_h=case.thick_t_h / passes,
        gain=gain,
        settles_min=case.residence_min * gain,
        cautions=cautions,
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class GasCase:
    sample_ml: float = quantity("Sample", "mL", possible=(0, 1e5), above=True, decimals=0, default=1000.0)
    lost_ml: float = quantity("Volume lost", "mL", possible=(0, 1e4), decimals=1)
    from_bar: float = quantity("Pressed from", "bar abs", possible=(0.5, 5), decimals=3, default=1.013)
    to_bar: float = quantity("to", "bar abs", possible=(0.6, 50), decimals=2)


@dataclass(frozen=True, slots=True, kw_only=True)
class GasFound:
    gas_pct: float = figure("Free gas", "% by volume", decimals=2, equation="100 ΔV/(1 − p₀/p₁)/V")
    cautions: tuple[Caution, ...] = ()


@model(
    "deliver.gas",
    title="Gas in stock by compression",
    source="Boyle’s law",
    holds_for="headbox under 0.5 %, thick stock under 2 %: defaults",
    equation="gas = 100 ΔV/(1 − p₀/p₁)/V",
    basis="published",
    checks=(Check({"lost_ml": 6.0, "to_bar": 4.0}, "gas_pct", 0.80348, 1e-4),),
)
def gas(case: GasCase) -> GasFound:
    """Raises: ImpossibleInput where it is not pressed."""
    cautions = check(case)
    if case.to_bar <= case.from_bar:
        raise ImpossibleInput(Problem("to_bar", f"is {case.to_bar:g} bar; it must be over {case.from_bar:g} bar"))
    found = 100.0 * case.lost_ml / (1.0 - case.from_bar / case.to_bar) / case.sample_ml
    if found > 1.5:
        cautions += (Caution("lost_ml", f"makes {found:.1f} %: flow and consistency meters read it as stock"),)
    return GasFound(gas_pct=found, cautions=cautions)


@dataclass(frozen=True, slots=True, kw_only=True)
class WarmCase:
    thick_t_h: float = quantity("Thick stock", "t/h", possible=(0, 1e5), decimals=0)
    thick_c: float = quantity("at", "°C", possible=(0, 99), decimals=0)
    white_t_h: float = quantity("White water", "t/h", possible=(0, 1e6), above=True, decimals=0)
    white_c: float = quantity("at", "°C", possible=(0, 99), decimals=0)
    fresh_t_h: float = quantity("Fresh water", "t/h", possible=(0, 1e5), decimals=0, default=0.0)
    fresh_c: float = quantity("at", "°C", possible=(0, 99), decimals=0, default=15.0)
    lift_k: float = quantity("To be lifted by", "°C", possible=(0, 40), decimals=1, default=1.0)


@dataclass(frozen=True, slots=True, kw_only=True)
class WarmFound:
    headbox_c: float = figure("Headbox", "°C", decimals=2, equation="Σ m cp T/Σ m cp")
    steam_t_h: float = figure("Steam for the lift", "t/h", decimals=2, equation="m cp ΔT/(2750 − 4.18 T)")
    drains: float = figure("It drains then", "times as fast", decimals=3, equation="viscosity now/viscosity then")
    cautions: tuple[Caution, ...] = ()


_WARM = {"thick_t_h": 510, "thick_c": 52, "white_t_h": 4900, "white_c": 47, "fresh_t_h": 60}


def viscosity_mpa_s(temp_c: float) -> float:
    """Of water, mPa s."""
    a, b, c = VISCOSITY
    return float(1000.0 * a * 10.0 ** (b / (temp_c + 273.15 - c)))


@model(
    "deliver.headbox_heat",
    title="Heat to the headbox",
    source="heat balance; viscosity of water",
    holds_for="2 °C an hour at most; drainage time goes with the viscosity",
    equation="T = Σ m cp T/Σ m cp; steam = m cp ΔT/(2750 − 4.18 T)",
    basis="published",
    checks=(
        Check(_WARM, "headbox_c", 47.114, 1e-4),
        Check(_WARM, "steam_t_h", 8.9683, 3e-3),
        Check({"thick_t_h": 0, "thick_c": 40, "white_t_h": 100, "white_c": 40, "lift_k": 10}, "drains", 1.1971, 1e-3),
    ),
)
def headbox_heat(case: WarmCase) -> WarmFound:
    """Raises: ImpossibleInput."""
    cautions = check(case)
    parts = (
        (case.thick_t_h * CP_STOCK, case.thick_c),
        (case.white_t_h * CP_WATER, case.white_c),
        (case.fresh_t_h * CP_WATER, case.fresh_c),
    )
    capacity = sum(c for c, _ in parts)
    now = sum(c * t for c, t in parts) / capacity
    then = now + case.lift_k
    if case.lift_k > 2.0:
        cautions += (Caution("lift_k", "takes more than an hour: 2 °C an hour at most"),)
    return WarmFound(
        headbox_c=now,
        steam_t_h=capacity * case.lift_k / (STEAM_KJ - CP_WATER * then),
        drains=viscosity_mpa_s(now) / viscosity_mpa_s(then),
        cautions=cautions,
    )
