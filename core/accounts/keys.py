"""The key figures of a shift by their formulas, each with its basis.

Levels are corrected for: made is what was delivered and what the towers rose by, else a shift looks good by draining chests.
Planned stops are outside the hours that count only when they were entered before they began. Source: shift practice, section 9.
"""

from dataclasses import dataclass
from typing import Final

from core.errors import Caution, ImpossibleInput, Problem
from core.quantity import check, figure, quantity
from core.register import Check, model
from core.unit import AIR_DRY

STEAM_KWH_T: Final = 650.0  # of a tonne of steam, default: its heat to the process


@dataclass(frozen=True, slots=True, kw_only=True)
class KeysCase:
    raw_t: float = quantity("Raw material", "t OD", possible=(0, 1e6), decimals=1)
    delivered_t: float = quantity("Delivered", "t OD", possible=(0, 1e6), decimals=1)
    rose_t: float = quantity("Towers rose by", "t OD", possible=(-1e5, 1e5), decimals=1, default=0.0)
    chemicals_kg: float = quantity("Chemicals, as 100 %", "kg", possible=(0, 1e8), decimals=0, default=0.0)
    kwh: float = quantity("Power", "kWh", possible=(0, 1e8), decimals=0, default=0.0)
    steam_t: float = quantity("Steam", "t", possible=(0, 1e6), decimals=1, default=0.0)
    steam_kwh_t: float = quantity("Heat of a tonne of steam", "kWh/t", possible=(0, 1000), decimals=0, default=STEAM_KWH_T)
    fresh_m3: float = quantity("Fresh water", "m³", possible=(0, 1e7), decimals=0, default=0.0)
    effluent_m3: float = quantity("Effluent", "m³", possible=(0, 1e7), decimals=0, default=0.0)
    fibre_lost_t: float = quantity("Fibre to sewer", "t OD", possible=(0, 1e5), decimals=2, default=0.0)
    scheduled_h: float = quantity("Hours that count", "h", possible=(0, 1000), above=True, decimals=2)
    down_h: float = quantity("Of these the machine stood", "h", possible=(0, 1000), decimals=2, default=0.0)
    most_adt_h: float = quantity("Proven rate", "ADt/h", possible=(0, 1000), decimals=2, default=0.0, help="0: not told")
    in_band: float = quantity("Readings in their inner band", "", possible=(0, 1e6), decimals=0, default=0.0, whole=True)
    valid: float = quantity("of valid readings", "", possible=(0, 1e6), decimals=0, default=0.0, whole=True)
    off_adt: float = quantity("Held, downgraded or diverted", "ADt", possible=(0, 1e6), decimals=1, default=0.0)
    passed_first: float = quantity("Lots released at once", "", possible=(0, 1e4), decimals=0, default=0.0, whole=True)
    closed: float = quantity("of lots closed", "", possible=(0, 1e4), decimals=0, default=0.0, whole=True)


@dataclass(frozen=True, slots=True, kw_only=True)
class Keys:
    made_adt: float = figure("Made", "ADt", decimals=1, equation="(delivered + rose)/0.9")
    yield_pct: float = figure("Yield, od pulp on od raw", "%", decimals=1, equation="100 × pulp/raw")
    chemicals: float = figure("Chemicals", "kg/ADt", decimals=1, equation="kg/made")
    energy: float = figure("Power and heat", "kWh/ADt", decimals=0, equation="(kWh + steam × heat)/made")
    water: float = figure("Fresh water", "m³/ADt", decimals=1, equation="m³/made")
    effluent: float = figure("Effluent", "m³/ADt", decimals=1, equation="m³/made")
    fibre_loss_pct: float = figure("Fibre to sewer", "%", decimals=2, equation="100 × lost/made od")
    uptime_pct: float = figure("Uptime", "%", decimals=1, equation="100 (scheduled − down)/scheduled")
    rate_loss_pct: float = figure("Rate loss", "%", decimals=1, equation="100 (1 − made/(proven rate × hours run))")
    in_band_pct: float = figure("Readings in band", "%", decimals=1, equation="100 × in/valid")
    off_pct: float = figure("Off quality", "%", decimals=1, equation="100 × off/made")
    first_pass_pct: float = figure("First-pass release", "%", decimals=1, equation="100 × first/closed")
    cautions: tuple[Caution, ...] = ()


_SHIFT = {
    "raw_t": 168,
    "delivered_t": 79.4,
    "chemicals_kg": 36200,
    "kwh": 61500,
    "fresh_m3": 2910,
    "scheduled_h": 12,
    "down_h": 0.7,
    "in_band": 61,
    "valid": 66,
    "off_adt": 4.6,
    "passed_first": 8,
    "closed": 9,
}


@model(
    "shift.keys",
    title="The key figures of a shift",
    source="shift practice, section 9",
    holds_for="one mill and shift; tonnes corrected for what the towers rose by",
    equation="made = (delivered + rise of towers)/0.9",
    checks=(
        Check(_SHIFT, "yield_pct", 47.262, 1e-5),
        Check(_SHIFT, "made_adt", 88.222, 1e-5),
        Check(_SHIFT, "chemicals", 410.33, 1e-4),
        Check(_SHIFT, "energy", 697.10, 1e-5),
        Check(_SHIFT, "water", 32.985, 1e-4),
        Check(_SHIFT, "uptime_pct", 94.167, 1e-5),
        Check(_SHIFT, "in_band_pct", 92.424, 1e-5),
        Check(_SHIFT, "off_pct", 5.214, 1e-4),
        Check(_SHIFT, "first_pass_pct", 88.889, 1e-5),
    ),
)
def keys(case: KeysCase) -> Keys:
    """Every figure; what is told a tonne is 0 of a shift that made nothing. Raises: ImpossibleInput for more down than there
    was, or more in band than read."""
    cautions = check(case)
    bad = [
        Problem(field, f"is {got:g}; it must not be over {most:g}")
        for field, got, most in (
            ("down_h", case.down_h, case.scheduled_h),
            ("in_band", case.in_band, case.valid),
            ("passed_first", case.passed_first, case.closed),
        )
        if got > most
    ]
    if bad:
        raise ImpossibleInput(*bad)
    pulp = case.delivered_t + case.rose_t
    made = max(0.0, pulp / AIR_DRY)
    a_tonne = 1.0 / made if made > 0.0 else 0.0
    run_h = case.scheduled_h - case.down_h
    could = case.most_adt_h * run_h
    return Keys(
        made_adt=made,
        yield_pct=100.0 * pulp / case.raw_t if case.raw_t > 0.0 else 0.0,
        chemicals=case.chemicals_kg * a_tonne,
        energy=(case.kwh + case.steam_t * case.steam_kwh_t) * a_tonne,
        water=case.fresh_m3 * a_tonne,
        effluent=case.effluent_m3 * a_tonne,
        fibre_loss_pct=100.0 * case.fibre_lost_t / pulp if pulp > 0.0 else 0.0,
        uptime_pct=100.0 * run_h / case.scheduled_h,
        rate_loss_pct=100.0 * (1.0 - made / could) if could > 0.0 else 0.0,
        in_band_pct=100.0 * case.in_band / case.valid if case.valid else 0.0,
        off_pct=100.0 * case.off_adt * a_tonne,
        first_pass_pct=100.0 * case.passed_first / case.closed if case.closed else 0.0,
        cautions=cautions,
    )
