"""Chemicals in store: tank cover and orders, strength lost, reorder points; and what never meets.

Source: accounts and gaps, section 12; safety, section 7.2. Half-lives are defaults.
"""

import math
from dataclasses import dataclass
from typing import Final

from core.colour import brightness_from_ks, ks_from_reflectance
from core.errors import Caution, ImpossibleInput, Infeasible, Problem
from core.quantity import check, figure, quantity
from core.register import Check, model

Z95 = 1.645
HALF_LIFE_H: Final = {
    "ClO2": 7 * 24.0,
    "H2O2": 300 * 24.0 / 0.152,
    "dithionite": 30.0,
    "NaOCl": 60 * 24.0,
}  # cold and dark; default
NEVER: Final = (
    ("liquor", "acid", "hydrogen sulphide at once"),
    ("liquor", "ClO2", "hydrogen sulphide at once"),
    ("NaOCl", "acid", "chlorine"),
    ("NaOCl", "bisulphite", "heat, chlorine"),
    ("NaOCl", "ammonium", "chloramine"),
    ("chlorate", "acid", "chlorine dioxide gas, fire"),
    ("chlorate", "dithionite", "fire"),
    ("ClO2", "dithionite", "puff, heat"),
    ("ClO2", "H2O2", "puff, heat"),
    ("H2O2", "NaOH", "runaway in a shut pipe"),
    ("H2O2", "dithionite", "runaway, fire"),
    ("dithionite", "acid", "sulphur dioxide, self-heating"),
    ("acid", "NaOH", "boil, spray"),
    ("O3", "oil", "fire"),
    ("O2", "oil", "fire"),
    ("bisulphite", "liquor", "hydrogen sulphide"),
)


def never_with(chemical: str) -> tuple[tuple[str, str], ...]:
    """What a chemical must never meet, and what comes of it; read both ways."""
    return tuple((b if a == chemical else a, what) for a, b, what in NEVER if chemical in (a, b))


def clash(a: str, b: str) -> str:
    """What comes of two chemicals meeting, or an empty string."""
    return next((what for x, y, what in NEVER if {x, y} == {a, b}), "")


@dataclass(frozen=True, slots=True, kw_only=True)
class TankCase:
    now_m3: float = quantity("In the tank", "m³", possible=(0, 10000), decimals=1)
    least_m3: float = quantity("Lowest", "m³", possible=(0, 10000), decimals=1)
    most_m3: float = quantity("Highest", "m³", possible=(0, 10000), above=True, decimals=1)
    use_m3_h: float = quantity("Use", "m³/h", possible=(0, 1000), decimals=3)
    lead_h: float = quantity("From order to arrival", "h", possible=(0, 2000), decimals=0)
    margin_h: float = quantity("Margin", "h", possible=(0, 500), decimals=0, default=6.0)
    load_m3: float = quantity("A load", "m³", possible=(0, 1000), above=True, decimals=0)


@dataclass(frozen=True, slots=True, kw_only=True)
class TankFound:
    cover_h: float = figure("Cover", "h", decimals=1, equation="(V − lowest)/use")
    order_in_h: float = figure("Order within", "h", decimals=1, equation="cover − lead − margin")
    room_m3: float = figure("Room when it comes", "m³", decimals=1, equation="highest − max(lowest, V − use × lead)")
    fits: float = figure("Room over the load", "m³", decimals=1, equation="room − load")
    earliest_h: float = figure(
        "Earliest order",
        "h",
        decimals=1,
        equation="(load − (highest − V))/use − lead, not under 0",
    )
    cautions: tuple[Caution, ...] = ()


_T = {"now_m3": 34, "least_m3": 4, "most_m3": 60, "use_m3_h": 0.9, "lead_h": 20, "load_m3": 24}


@model(
    "bleach.tank",
    title="A chemical tank: cover and the next load",
    source="balance",
    holds_for="use at the scheduled recipe",
    equation="cover = (V − min)/use",
    symbols="V=now_m3 min=least_m3 use=use_m3_h cover=cover_h",
    checks=(
        Check(_T, "cover_h", 33.333, 1e-3),
        Check(_T, "order_in_h", 7.3333, 1e-3),
        Check(_T, "room_m3", 44.0, 1e-3),
        Check(_T, "earliest_h", 0.0),
    ),
)
def tank(case: TankCase) -> TankFound | Infeasible:
    """Infeasible when a load never fits. Raises: ImpossibleInput for a level outside the tank."""
    cautions = check(case)
    bad = []
    if case.least_m3 >= case.most_m3:
        bad.append(Problem("least_m3", f"is {case.least_m3:g}; it must be under the highest, {case.most_m3:g} m³"))
    if not case.least_m3 <= case.now_m3 <= case.most_m3:
        bad.append(Problem("now_m3", f"is {case.now_m3:g}; it must be {case.least_m3:g} to {case.most_m3:g} m³"))
    if bad:
        raise ImpossibleInput(*bad)
    if case.load_m3 > case.most_m3 - case.least_m3:
        return Infeasible(
            field="load_m3", reason=f"{case.load_m3:g} m³ never fits", nearest=case.most_m3 - case.least_m3, unit="m³"
        )
    cover = (case.now_m3 - case.least_m3) / case.use_m3_h if case.use_m3_h else math.inf
    room = case.most_m3 - max(case.least_m3, case.now_m3 - case.use_m3_h * case.lead_h)
    earliest = max(0.0, (case.load_m3 - (case.most_m3 - case.now_m3)) / case.use_m3_h - case.lead_h) if case.use_m3_h else 0.0
    order = cover - case.lead_h - case.margin_h
    if order < 0.0:
        cautions += (Caution("now_m3", f"the order is {-order:.0f} h late: find another source or cut the rate"),)
    if room < case.load_m3:
        cautions += (Caution("load_m3", "the load will not fit when it comes: order later or less"),)
    return TankFound(
        cover_h=cover, order_in_h=order, room_m3=room, fits=room - case.load_m3, earliest_h=earliest, cautions=cautions
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class KeepCase:
    strength: float = quantity("Strength when made", "g/L", possible=(0, 2000), above=True, decimals=1)
    hours: float = quantity("Kept for", "h", possible=(0, 20000), decimals=0)
    half_life_h: float = quantity(
        "Half-life",
        "h",
        possible=(0, 1e6),
        above=True,
        decimals=0,
        default=30.0,
        help="dithionite 20 to 40 h, ClO₂ cold and dark 5 to 10 d, hypochlorite 30 to 100 d",
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class KeepFound:
    strength_now: float = figure("Strength now", "g/L", decimals=1, equation="c0 2^(−t/half-life)")
    more_pct: float = figure("Flow for the same charge", "% more", decimals=1, equation="c0/c − 1")
    cautions: tuple[Caution, ...] = ()


@model(
    "bleach.kept",
    title="Strength lost in store",
    source="first order; half-lives default",
    holds_for="one temperature, light kept out",
    equation="c = c0 2^(−t/half-life)",
    symbols="c=strength_now c0=strength t=hours",
    basis="default",
    checks=(Check({"strength": 57, "hours": 12, "half_life_h": 30}, "strength_now", 43.198, 1e-3),),
)
def kept(case: KeepCase) -> KeepFound:
    """Raises: ImpossibleInput."""
    cautions = check(case)
    now = case.strength * 2.0 ** (-case.hours / case.half_life_h)
    return KeepFound(strength_now=now, more_pct=100.0 * (case.strength / now - 1.0) if now > 0 else math.inf, cautions=cautions)


@dataclass(frozen=True, slots=True, kw_only=True)
class ReorderCase:
    use_d: float = quantity("Use", "t/d", possible=(0, 10000), decimals=1)
    sd_use: float = quantity("give or take", "t/d", possible=(0, 10000), decimals=1)
    lead_d: float = quantity("From order to arrival", "d", possible=(0, 365), decimals=1)
    sd_lead: float = quantity("give or take", "d", possible=(0, 365), decimals=1)


@dataclass(frozen=True, slots=True, kw_only=True)
class ReorderFound:
    point_t: float = figure("Order when this much is left", "t", decimals=1, equation="d L + 1.645 √(L sd² + d² sdL²)")
    safety_t: float = figure("of it for bad luck", "t", decimals=1, equation="the second part")
    cautions: tuple[Caution, ...] = ()


@model(
    "bleach.reorder",
    title="When to order again",
    source="normal demand and lead, 95 %",
    holds_for="on hand and on order counted together",
    equation="point = d L + z √(L sd² + d² sdL²)",
    symbols="point=point_t d=use_d L=lead_d sd=sd_use sdL=sd_lead",
    checks=(Check({"use_d": 38, "sd_use": 6, "lead_d": 9, "sd_lead": 2}, "point_t", 470.48, 1e-3),),
)
def reorder(case: ReorderCase) -> ReorderFound:
    """Raises: ImpossibleInput."""
    cautions = check(case)
    safety = Z95 * math.sqrt(case.lead_d * case.sd_use**2 + case.use_d**2 * case.sd_lead**2)
    return ReorderFound(point_t=case.use_d * case.lead_d + safety, safety_t=safety, cautions=cautions)


@dataclass(frozen=True, slots=True, kw_only=True)
class StoredCase:
    iso_pct: float = quantity("Brightness when baled", "% ISO", possible=(1, 99), valid=(50, 92), decimals=1)
    days: float = quantity("Stored for", "d", possible=(0, 3000), decimals=0)
    plateau: float = quantity("Post-colour at the plateau", "", possible=(0, 20), valid=(0.2, 5), decimals=2, default=0.9)
    tau_d: float = quantity("Its time", "d", possible=(1, 1000), decimals=0, default=45.0)


@dataclass(frozen=True, slots=True, kw_only=True)
class StoredFound:
    now_pct: float = figure("Brightness now", "% ISO", decimals=2, equation="of K/S + (PC/100)(1 − e^(−d/τ))")
    lost: float = figure("Lost", "points", decimals=2, equation="then − now")
    cautions: tuple[Caution, ...] = ()


@model(
    "bleach.stored",
    title="Brightness of stored pulp",
    source="post-colour number with a time; defaults",
    holds_for="bales kept dry and dark",
    equation="K/S = K/S0 + (PC/100)(1 − e^(−d/τ))",
    basis="default",
    checks=(Check({"iso_pct": 84, "days": 60}, "now_pct", 81.161, 1e-3),),
)
def stored(case: StoredCase) -> StoredFound:
    """Raises: ImpossibleInput."""
    cautions = check(case)
    ks = ks_from_reflectance(case.iso_pct / 100.0) + case.plateau / 100.0 * (1.0 - math.exp(-case.days / case.tau_d))
    now = brightness_from_ks(ks)
    return StoredFound(now_pct=now, lost=case.iso_pct - now, cautions=cautions)
