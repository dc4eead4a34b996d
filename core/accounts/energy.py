"""Steam and power between the users: pumps, turbine, what the header bears, what an accumulator rides through.

Source: accounts and gaps, section 5.
"""

import math
from dataclasses import dataclass
from typing import Final

from core.errors import Caution, ImpossibleInput, Infeasible, Problem
from core.heat import h_evaporation, h_liquid, t_saturation
from core.quantity import check, figure, quantity, rows
from core.register import Check, model

GRAVITY: Final = 9.80665


@dataclass(frozen=True, slots=True, kw_only=True)
class PumpCase:
    flow_m3_h: float = quantity("Flow", "m³/h", possible=(0, 100_000), decimals=0)
    head_m: float = quantity("Head", "m", possible=(0, 1000), decimals=1)
    density: float = quantity("Density", "kg/m³", possible=(500, 2000), decimals=0, default=1000.0)
    efficiency: float = quantity("Efficiency", "share", possible=(0.05, 1), valid=(0.55, 0.8), decimals=2, default=0.7)


@dataclass(frozen=True, slots=True, kw_only=True)
class PumpFound:
    kw: float = figure("Power", "kW", decimals=1, equation="ρ g Q H/(3.6e6 η)")
    cautions: tuple[Caution, ...] = ()


@model(
    "energy.pump",
    title="Power of a pump",
    source="mechanics",
    holds_for="efficiency at its duty, 0.55 to 0.80",
    equation="kW = ρ g Q H/(3.6e6 η)",
    basis="published",
    checks=(Check({"flow_m3_h": 900, "head_m": 32, "density": 1002, "efficiency": 0.74}, "kw", 106.23, 1e-3),),
)
def pump(case: PumpCase) -> PumpFound:
    """Raises: ImpossibleInput."""
    cautions = check(case)
    kw = case.density * GRAVITY * case.flow_m3_h * case.head_m / (3.6e6 * case.efficiency)
    return PumpFound(kw=kw, cautions=cautions)


@dataclass(frozen=True, slots=True, kw_only=True)
class TurbineCase:
    steam_t_h: float = quantity("Steam through it", "t/h", possible=(0, 2000), decimals=0)
    drop_kj_kg: float = quantity("Enthalpy drop", "kJ/kg", possible=(0, 2000), valid=(200, 900), decimals=0)
    efficiency: float = quantity("Generator and gear", "share", possible=(0.5, 1), decimals=2, default=0.97)


@dataclass(frozen=True, slots=True, kw_only=True)
class TurbineFound:
    kw: float = figure("Power made", "kW", decimals=0, equation="t/h × 1000/3600 × drop × efficiency")
    cautions: tuple[Caution, ...] = ()


@model(
    "energy.turbine",
    title="Power of a back-pressure turbine",
    source="energy balance",
    holds_for="the drop at its load",
    equation="kW = t/h × 1000/3600 × Δh × η",
    basis="published",
    checks=(Check({"steam_t_h": 150, "drop_kj_kg": 520}, "kw", 21017, 1e-3),),
)
def turbine(case: TurbineCase) -> TurbineFound:
    """Raises: ImpossibleInput."""
    cautions = check(case)
    return TurbineFound(kw=case.steam_t_h / 3.6 * case.drop_kj_kg * case.efficiency, cautions=cautions)


@dataclass(frozen=True, slots=True, kw_only=True)
class Slot:
    """A quarter of an hour."""

    there: float = quantity("Taken by others", "t/h", possible=(0, 5000), decimals=1)
    wanted: float = quantity("Wanted by the new one", "t/h", possible=(0, 5000), decimals=1, default=0.0)


@dataclass(frozen=True, slots=True, kw_only=True)
class HeaderCase:
    """The header in slots of 15 minutes: what others take in each, and the profile of a new user from its own start."""

    cap_t_h: float = quantity("The header bears", "t/h", possible=(0, 5000), above=True, decimals=0)
    base_t_h: float = quantity("Taken all the time", "t/h", possible=(0, 5000), decimals=0, default=0.0)
    slots: tuple[Slot, ...] = rows("Slot of 15 min", Slot, least=1, most=96)


@dataclass(frozen=True, slots=True, kw_only=True)
class HeaderFound:
    together_t_h: float = figure("Peak, begun at once", "t/h", decimals=0, equation="most of base + others + wanted")
    start_slot: float = figure("Earliest start", "slots on", decimals=0, equation="first whose sum stays under the cap")
    start_min: float = figure("which is in", "min", decimals=0, equation="15 × slots")
    peak_t_h: float = figure("Peak then", "t/h", decimals=0, equation="most of the sum from that start")
    cautions: tuple[Caution, ...] = ()


_COOK = [{"there": t, "wanted": t} for t in (30, 30, 20, 20, 10)]


@model(
    "energy.header",
    title="When the header bears another user",
    source="sum of profiles, slot by slot",
    holds_for="slots of 15 minutes; after the last slot others take nothing more than the base",
    equation="earliest start s with base + others(i) + wanted(i − s) ≤ cap for all i",
    basis="published",
    checks=(
        Check({"cap_t_h": 110, "base_t_h": 70, "slots": _COOK}, "together_t_h", 130.0),
        Check({"cap_t_h": 110, "base_t_h": 70, "slots": _COOK}, "start_slot", 4.0),
        Check({"cap_t_h": 110, "base_t_h": 70, "slots": _COOK}, "peak_t_h", 110.0),
    ),
)
def header(case: HeaderCase) -> HeaderFound | Infeasible:
    """Infeasible where the new user alone, on the base, is over the cap. Raises: ImpossibleInput."""
    cautions = check(case)
    there, wanted = [s.there for s in case.slots], [s.wanted for s in case.slots]
    count = len(there)

    def peak(start: int) -> float:
        span = max(count, start + count)
        sums = [
            case.base_t_h + (there[i] if i < count else 0.0) + (wanted[i - start] if 0 <= i - start < count else 0.0)
            for i in range(span)
        ]
        return max(sums)

    if case.base_t_h + max(wanted) > case.cap_t_h + 1e-9:
        over = case.base_t_h + max(wanted) - case.cap_t_h
        return Infeasible(field="cap_t_h", reason=f"is {over:.0f} t/h short whenever it starts", nearest=case.cap_t_h + over)
    start = next(s for s in range(count + 1) if max(peak(s), 0.0) <= case.cap_t_h + 1e-9 or s == count)
    if peak(start) > case.cap_t_h + 1e-9:
        raise ImpossibleInput(Problem("base_t_h", "and the others alone are over the cap: shed one of them first"))
    return HeaderFound(
        together_t_h=peak(0), start_slot=float(start), start_min=15.0 * start, peak_t_h=peak(start), cautions=cautions
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class AccumulatorCase:
    water_m3: float = quantity("Water in it", "m³", possible=(0, 5000), above=True, decimals=0)
    from_bar: float = quantity("Full at", "bar abs", possible=(1.1, 15), valid=(3, 12), decimals=1)
    to_bar: float = quantity("Empty at", "bar abs", possible=(1, 15), valid=(2, 8), decimals=1)
    short_t_h: float = quantity("Steam that is short", "t/h", possible=(0, 1000), decimals=1, default=20.0)


@dataclass(frozen=True, slots=True, kw_only=True)
class AccumulatorFound:
    steam_t: float = figure("Steam it can give", "t", decimals=2, equation="m (1 − e^(−Δh liquid/mean latent heat))")
    minutes: float = figure("It rides through", "min", decimals=0, equation="steam/short × 60")
    cautions: tuple[Caution, ...] = ()


_ACC = {"water_m3": 150, "from_bar": 9, "to_bar": 4}


@model(
    "energy.accumulator",
    title="What a steam accumulator rides through",
    source="flash of saturated water step by step, mean latent heat",
    holds_for="100 to 200 °C",
    equation="Δm = m (1 − e^(−(h₁ − h₂)/h_fg)); ρ = 0.9583 − 8.26e-4 d − 2.2e-6 d(d − 50), d = t − 100",
    basis="published",
    checks=(Check(_ACC, "steam_t", 8.5792, 1e-2),),
)
def accumulator(case: AccumulatorCase) -> AccumulatorFound:
    """Raises: ImpossibleInput where it is empty above full."""
    cautions = check(case)
    if case.to_bar >= case.from_bar:
        raise ImpossibleInput(Problem("to_bar", f"is {case.to_bar:g} bar; it must be under {case.from_bar:g} bar"))
    hot, cold = t_saturation(case.from_bar), t_saturation(case.to_bar)
    density = 0.9583 - 8.26e-4 * (hot - 100.0) - 2.2e-6 * (hot - 100.0) * (hot - 150.0)
    latent = (h_evaporation(hot) + h_evaporation(cold)) / 2.0
    given = case.water_m3 * density * -math.expm1(-(h_liquid(hot) - h_liquid(cold)) / latent)
    minutes = 60.0 * given / case.short_t_h if case.short_t_h > 0.0 else float("inf")
    return AccumulatorFound(steam_t=given, minutes=minutes, cautions=cautions)
