"""Agitation of a chest: the power for full motion by rule of thumb, and what too little means; the age of stock in a tower.

Source: recovered to delivery, section 9; rules of thumb are defaults, the supplier's figures come first.
"""

import math
from dataclasses import dataclass

from core.errors import Caution
from core.quantity import check, choice, figure, quantity
from core.register import Check, model

KW_M3, AT_PCT, LIGHTER, ENOUGH = 0.20, 3.5, 0.7, 0.70


@dataclass(frozen=True, slots=True, kw_only=True)
class AgitationCase:
    volume_m3: float = quantity("Stock in it", "m³", possible=(0, 100_000), above=True, valid=(5, 2000), decimals=0)
    cons_pct: float = quantity("Consistency", "%", possible=(0, 20), above=True, valid=(2, 5))
    kw: float = quantity("Agitator, as it draws", "kW", possible=(0, 5000), decimals=0, default=0.0)
    pulp: str = choice("Pulp", ("softwood", "hardwood or recycled"), default="softwood")


@dataclass(frozen=True, slots=True, kw_only=True)
class AgitationFound:
    need_kw: float = figure("Power for full motion", "kW", decimals=1, equation="0.20 (C/3.5)² × volume; × 0.7 short fibre")
    of_need_pct: float = figure("It draws of that", "%", decimals=0, equation="power/need")
    active_pct: float = figure("Active part, about", "%", decimals=0, equation="60 at half of the need, 95 at all of it")
    cautions: tuple[Caution, ...] = ()


_CHEST = {"volume_m3": 100, "cons_pct": 3.5, "kw": 20}


def full_motion_kw(volume_m3: float, cons_pct: float, pulp: str) -> float:
    """Power for full motion by the rule of thumb."""
    return KW_M3 * (cons_pct / AT_PCT) ** 2 * volume_m3 * (1.0 if pulp == "softwood" else LIGHTER)


@model(
    "stock.agitation",
    title="Agitation of a chest",
    source="rule of thumb for full motion; the supplier’s least propeller comes first",
    holds_for="2 to 5 %; tower dilution zones want 0.5 to 1 kW/m³ of the zone",
    equation="kW = 0.20 (C/3.5)² V; × 0.7 for short fibre",
    basis="default",
    checks=(
        Check(_CHEST, "need_kw", 20.0, 1e-9),
        Check({**_CHEST, "pulp": "hardwood or recycled"}, "need_kw", 14.0, 1e-9),
        Check({**_CHEST, "cons_pct": 4.2}, "need_kw", 28.8, 1e-9),
        Check({**_CHEST, "kw": 10}, "of_need_pct", 50.0, 1e-9),
    ),
)
def agitation(case: AgitationCase) -> AgitationFound:
    """Power for full motion, and what the installed power reaches. Raises: ImpossibleInput."""
    cautions = check(case)
    need = full_motion_kw(case.volume_m3, case.cons_pct, case.pulp)
    share = case.kw / need
    if 0.0 < share < ENOUGH:
        told = "is under 70 % of the need: expect dead zones, the meter will not mirror the chest"
        cautions += (Caution("kw", told),)
    active = 60.0 + 70.0 * (min(1.0, max(0.5, share)) - 0.5)
    return AgitationFound(need_kw=need, of_need_pct=100.0 * share, active_pct=active, cautions=cautions)


@dataclass(frozen=True, slots=True, kw_only=True)
class AgeCase:
    volume_m3: float = quantity("Stock in it", "m³", possible=(0, 100_000), decimals=0)
    flow_m3_h: float = quantity("Drawn", "m³/h", possible=(0, 10_000), decimals=1)
    mixed_pct: float = quantity("Of it mixed", "%", possible=(0, 100), decimals=0, default=0.0, help="0: a plug tower")
    temp_c: float = quantity("Temperature", "°C", possible=(1, 99), decimals=0, default=50.0)
    bleached: str = choice("Stock", ("stable", "peroxide, not stabilised"), default="stable")


@dataclass(frozen=True, slots=True, kw_only=True)
class AgeFound:
    age_h: float = figure("Age of what leaves, mean", "h", decimals=1, equation="volume/drawn")
    first_h: float = figure("A change is first seen after", "h", decimals=2, equation="plug part: volume (1 − mixed)/drawn")
    most_h: float = figure("and is through (95 %) after", "h", decimals=2, equation="plug part − ln 0.05 × mixed part")
    limit_h: float = figure(
        "Age wanted, at most", "h", decimals=0, equation="24; 8 where peroxide is not stabilised over 50 °C"
    )
    cautions: tuple[Caution, ...] = ()


_TOWER = {"volume_m3": 400, "flow_m3_h": 100}


@model(
    "stock.age",
    title="Age of a tower’s stock, and when a change comes out",
    source="first in, first out for a plug tower; a mixed bottom zone after it",
    holds_for="rates that stand; age limits are defaults (reversion, slime)",
    equation="age = V/Q; first seen after the plug part, 95 % after three time constants of the mixed part",
    basis="default",
    checks=(
        Check(_TOWER, "age_h", 4.0, 1e-9),
        Check(_TOWER, "first_h", 4.0, 1e-9),
        Check({**_TOWER, "mixed_pct": 25}, "first_h", 3.0, 1e-9),
        Check({**_TOWER, "mixed_pct": 25}, "most_h", 3.0 - math.log(0.05), 1e-9),
    ),
)
def age(case: AgeCase) -> AgeFound:
    """How old the stock is that leaves, and when a change of what comes in is seen. Infinite without a draw. Raises:
    ImpossibleInput."""
    cautions = check(case)
    hours = case.volume_m3 / case.flow_m3_h if case.flow_m3_h > 0.0 else math.inf
    mixed = hours * case.mixed_pct / 100.0
    first = hours - mixed if math.isfinite(hours) else math.inf
    limit = 8.0 if case.bleached != "stable" and case.temp_c > 50.0 else 24.0
    if hours > limit:
        cautions += (Caution("volume_m3", f"is {hours:.1f} h of stock, over {limit:.0f} h: brightness goes back, slime"),)
    through = first - mixed * math.log(0.05) if math.isfinite(hours) else math.inf
    return AgeFound(age_h=hours, first_h=first, most_h=through, limit_h=limit, cautions=cautions)
