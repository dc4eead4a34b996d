"""Safe limits of a cook: what of its charge, its log or its result asks too much. Defaults; the mill sets its own.

Source: models, section 3.13. Every line that is broken gives its own caution.
"""

from dataclasses import dataclass
from typing import Final

from core.cook.profile import Points
from core.cook.species import Species
from core.errors import Caution

RAMP_HIGH, RAMP_ACT = 2.0, 3.0  # °C/min
COLD_C, HOT_C = 140.0, 175.0
SEVERE, SEVERE_ACT = 1.5, 2.0
RESIDUAL_LOW_G_L, RESIDUAL_SODA_G_L, RESIDUAL_HIGH_G_L = 5.0, 3.0, 12.0
SULPHIDITY_LOW, SULPHIDITY_HIGH = 18.0, 35.0
LW_LOW, LW_HIGH = 3.2, 6.0
OFF_GRADE = 0.30


@dataclass(frozen=True, slots=True, kw_only=True)
class Limits:
    """Of one kind of wood: EA, % NaOH, from and to; the highest H; the H and EA of severity 1; the least total yield, %."""

    ea_low: float
    ea_high: float
    h_high: float
    h_std: float
    ea_std: float
    yield_low: float


LIMITS: Final = {
    "softwood": Limits(ea_low=15.0, ea_high=21.0, h_high=2600.0, h_std=1600.0, ea_std=17.5, yield_low=43.0),
    "gum": Limits(ea_low=16.5, ea_high=22.0, h_high=2600.0, h_std=1600.0, ea_std=17.5, yield_low=39.0),
    "hardwood": Limits(ea_low=14.0, ea_high=19.0, h_high=1400.0, h_std=750.0, ea_std=16.5, yield_low=47.0),
    "bagasse": Limits(ea_low=10.0, ea_high=16.0, h_high=900.0, h_std=310.0, ea_std=13.0, yield_low=46.0),
}


def limits_of(s: Species) -> Limits:
    """The limits of a wood: one whose gum takes alkali and yield, such as larch, has its own."""
    return LIMITS["gum" if s.gum else s.kind]


def least_residual_g_l(s: Species) -> float:
    """The alkali, g/L NaOH, that must be left at the end of a cook of this plant."""
    return RESIDUAL_SODA_G_L if s.kind == "bagasse" else RESIDUAL_LOW_G_L


def of_rise(points: Points) -> list[Caution]:
    """The rises of a temperature log that the liquor does not follow."""
    told = []
    for (m0, t0), (m1, t1) in zip(points, points[1:], strict=False):
        ramp = abs(t1 - t0) / (m1 - m0)
        if ramp > RAMP_HIGH and t1 > t0:
            act = "act: " if ramp > RAMP_ACT else ""
            text = (
                f"{act}{t0:g} to {t1:g} °C goes at {ramp:.1f} °C/min; over {RAMP_HIGH:g} the liquor does not "
                f"follow into the chips"
            )
            told.append(Caution("points", text))
    return told


def of_log(points: Points) -> tuple[Caution, ...]:
    """What a temperature log asks too much of: a rise that the liquor does not follow, and heat that costs viscosity."""
    told = of_rise(points)
    top = max(t for _, t in points)
    if top > HOT_C:
        told.append(Caution("points", f"over {HOT_C:.0f} °C viscosity falls; the vessel’s rating always prevails"))
    return tuple(told[:3])


def of_charge(s: Species, *, ea_pct_naoh: float, sulphidity_pct: float, lw_m3_t: float) -> tuple[Caution, ...]:
    """What a charge, % NaOH on oven-dry wood, sulphidity, % of AA, and liquor, m³/t, ask of this wood."""
    told, lim = [], limits_of(s)
    if ea_pct_naoh > lim.ea_high:
        told.append(Caution("ea_pct_naoh", f"EA {ea_pct_naoh:g} % is over {lim.ea_high:g} % NaOH: yield, viscosity, residual"))
    elif ea_pct_naoh < lim.ea_low:
        told.append(Caution("ea_pct_naoh", f"EA {ea_pct_naoh:g} % is under {lim.ea_low:g} % NaOH: knots and a low residual"))
    if sulphidity_pct > SULPHIDITY_HIGH:
        told.append(Caution("sulphidity_pct", f"over {SULPHIDITY_HIGH:g} % smells and corrodes"))
    elif 0.0 < sulphidity_pct < SULPHIDITY_LOW and s.kind != "bagasse":
        told.append(Caution("sulphidity_pct", f"under {SULPHIDITY_LOW:g} % cooks slowly and weakens the pulp"))
    if lw_m3_t < LW_LOW:
        told.append(Caution("lw_m3_t", f"under {LW_LOW:g} m³/t chips cook unevenly"))
    elif lw_m3_t > LW_HIGH:
        told.append(Caution("lw_m3_t", f"over {LW_HIGH:g} m³/t costs steam"))
    return tuple(told)


def of_result(
    s: Species, *, h: float, ea_pct_naoh: float, kappa: float, yield_pct: float, residual_g_l: float
) -> tuple[Caution, ...]:
    """Whether a cook as a whole asks too much of its fibre: severity, H, yield and what is left of the alkali."""
    told, lim = [], limits_of(s)
    index = (h / lim.h_std) * (ea_pct_naoh / lim.ea_std)
    if index > SEVERE:
        word = "act: shorten or cool it, or charge less" if index > SEVERE_ACT else "yield and viscosity fall"
        told.append(Caution("points", f"severity {index:.2f}, H {h:.0f} with EA {ea_pct_naoh:g} %: over {SEVERE:g}, {word}"))
    if h > lim.h_high:
        told.append(Caution("points", f"H {h:.0f} is over {lim.h_high:.0f}: overcooked whatever the kappa says"))
    if yield_pct < lim.yield_low:
        told.append(Caution("yield_pct", f"a total yield of {yield_pct:.1f} % is under {lim.yield_low:g}: overcooked"))
    if residual_g_l > RESIDUAL_HIGH_G_L:
        text = f"residual alkali {residual_g_l:.1f} g/L: over {RESIDUAL_HIGH_G_L:g} is waste and costs yield"
        told.append(Caution("ea_pct_naoh", text))
    low = least_residual_g_l(s)
    why = "the pulp darkens and silica deposits" if s.kind == "bagasse" else "lignin settles back on the fibre"
    if residual_g_l < low:
        told.append(Caution("residual_g_l", f"residual alkali {residual_g_l:.1f} g/L: under {low:g} {why}"))
    if not 10.0 <= kappa <= 110.0:
        told.append(Caution("kappa", f"{kappa:.1f} is outside 10 to 110, the range this holds for"))
    return tuple(told)


def off_grade(kappa: float, target: float) -> tuple[Caution, ...]:
    """Whether a plan's kappa is further from what is wanted than a plan for this grade would be."""
    if abs(kappa - target) <= OFF_GRADE * target:
        return ()
    return (Caution("target", f"this plan gives kappa {kappa:.1f} for {target:g} wanted: it is not a plan for this grade"),)
