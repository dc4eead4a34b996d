"""What the machine draws from the chest, and what the approach flow does with it.

Source: mass balance; definitions of system and first-pass retention kept apart. Efficiencies are the mill's.
"""

import math
from dataclasses import dataclass
from typing import Final

from core.errors import Caution, ImpossibleInput, Infeasible, Problem
from core.quantity import check, choice, figure, quantity
from core.register import Check, model

GRAVITY_M_S2 = 9.80665

TRAY_PCT: Final = 0.2  # consistency of the white water under the wire, default


@dataclass(frozen=True, slots=True, kw_only=True)
class DrawCase:
    gsm: float = quantity("Basis weight", "g/m²", possible=(0, 2000), above=True, valid=(20, 500), decimals=0)
    speed_m_min: float = quantity("Speed", "m/min", possible=(0, 4000), above=True, valid=(50, 2000), decimals=0)
    width_m: float = quantity("Reel width", "m", possible=(0, 20), above=True, valid=(1, 11))
    moisture_pct: float = quantity("Reel moisture", "%", possible=(0, 60), valid=(3, 10), decimals=1, default=5.0)
    trim_m: float = quantity("Wet edge trim, both", "m", possible=(0, 2), default=0.10)
    dry_end_pct: float = quantity("Dry-end additions", "% of OD", possible=(0, 60), decimals=1, default=0.0)
    sheet_ash_pct: float = quantity("Ash of the sheet", "%", possible=(0, 60), valid=(0, 35), decimals=1)
    furnish_ash_pct: float = quantity("Ash of the furnish", "%", possible=(0, 60), valid=(0, 35), decimals=1)
    retention_pct: float = quantity(
        "System retention",
        "%",
        possible=(0, 100),
        above=True,
        valid=(90, 99.5),
        decimals=1,
        default=96.0,
        help="chest to web, white water reused; not the first pass one",
    )
    efficiency_pct: float = quantity("Efficiency", "%", possible=(0, 100), above=True, valid=(70, 98), decimals=0, default=90.0)


@dataclass(frozen=True, slots=True, kw_only=True)
class Draw:
    gross_t_h: float = figure("On the reel", "t/h", decimals=1, equation="g/m² / 1000 × width × speed × 60 / 1000")
    od_t_h: float = figure("Oven-dry", "t/h", decimals=1, equation="on the reel × (1 − moisture)")
    web_t_h: float = figure(
        "Web at the wet end, OD",
        "t/h",
        decimals=1,
        equation="OD × (1 − additions) × (width + trim)/width",
    )
    solids_t_h: float = figure("Thick stock", "t/h OD", decimals=1, equation="web / retention − filler")
    filler_t_h: float = figure(
        "Filler to add",
        "t/h",
        decimals=2,
        equation="web / retention × (a − a furnish)/(1 − a furnish)",
    )
    sale_t_h: float = figure("Saleable", "t/h", decimals=1, equation="on the reel × efficiency")
    cautions: tuple[Caution, ...] = ()


@model(
    "deliver.draw",
    title="The machine's draw",
    source="mass balance over the machine; r (S + F) = web, r (S ac + F) = a web",
    holds_for="20 to 500 g/m², 50 to 2000 m/min, one retention for fibre and filler",
    equation="F = (web/r)(a − ac)/(1 − ac); S = web/r − F",
    calibrated_by=("retention_pct", "efficiency_pct"),
    symbols="F=filler_t_h S=solids_t_h web=web_t_h r=retention_pct a=sheet_ash_pct ac=furnish_ash_pct",
    basis="default",
    checks=(
        Check(
            {"gsm": 80, "speed_m_min": 900, "width_m": 5.0, "moisture_pct": 5, "sheet_ash_pct": 15, "furnish_ash_pct": 8},
            "gross_t_h",
            21.6,
            0.0001,
        ),
        Check(
            {"gsm": 80, "speed_m_min": 900, "width_m": 5.0, "moisture_pct": 5, "sheet_ash_pct": 15, "furnish_ash_pct": 8},
            "od_t_h",
            20.52,
            0.0001,
        ),
        Check(
            {"gsm": 80, "speed_m_min": 900, "width_m": 5.0, "moisture_pct": 5, "sheet_ash_pct": 15, "furnish_ash_pct": 8},
            "web_t_h",
            20.9304,
            0.0005,
        ),
        Check(
            {"gsm": 80, "speed_m_min": 900, "width_m": 5.0, "moisture_pct": 5, "sheet_ash_pct": 15, "furnish_ash_pct": 8},
            "solids_t_h",
            20.1436,
            0.0005,
        ),
        Check(
            {"gsm": 80, "speed_m_min": 900, "width_m": 5.0, "moisture_pct": 5, "sheet_ash_pct": 15, "furnish_ash_pct": 8},
            "filler_t_h",
            1.6589,
            0.0005,
        ),
    ),
)
def draw(case: DrawCase) -> Draw | Infeasible:
    """Thick stock and filler the chest must give while the sheet is on the reel.

    Raises: ImpossibleInput. Infeasible when the furnish already carries more ash than the sheet.
    Worked: 80 g/m2, 5 %, 5.0 m, 900 m/min, 0.10 m trim, ash 15 on 8 %, 96 %: chest solids 20.1436, filler 1.6589 t/h.
    """
    cautions = check(case)
    gross = case.gsm / 1000.0 * case.width_m * case.speed_m_min * 60.0 / 1000.0
    od = gross * (1.0 - case.moisture_pct / 100.0)
    web = od * (1.0 - case.dry_end_pct / 100.0) * (case.width_m + case.trim_m) / case.width_m
    a, ac, r = case.sheet_ash_pct / 100.0, case.furnish_ash_pct / 100.0, case.retention_pct / 100.0
    if a < ac:
        return Infeasible(
            field="sheet_ash_pct",
            reason="is less than the furnish brings: the chest already carries more ash than the sheet needs",
            nearest=case.furnish_ash_pct,
            unit="%",
        )
    filler = web / r * (a - ac) / (1.0 - ac)
    return Draw(
        gross_t_h=gross,
        od_t_h=od,
        web_t_h=web,
        solids_t_h=web / r - filler,
        filler_t_h=filler,
        sale_t_h=gross * case.efficiency_pct / 100.0,
        cautions=cautions,
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class HeadboxCase:
    stock_l_min: float = quantity("Thick stock", "L/min", possible=(0, 500_000), above=True, decimals=0)
    stock_pct: float = quantity("Thick stock consistency", "%", possible=(0, 20), above=True, valid=(2, 5))
    headbox_pct: float = quantity("Headbox consistency", "%", possible=(0, 5), above=True, valid=(0.2, 1.2))
    tray_pct: float = quantity("White water consistency", "%", possible=(0, 5), valid=(0, 0.8))
    tray_share: float = quantity("Tray flow, of headbox", "", possible=(0, 1), valid=(0.95, 1.0), decimals=3, default=0.985)


@dataclass(frozen=True, slots=True, kw_only=True)
class Headbox:
    water_l_min: float = figure(
        "White water at the fan pump", "L/min", decimals=0, equation="Q (C − C headbox)/(C headbox − C tray)"
    )
    flow_l_min: float = figure("Headbox flow", "L/min", decimals=0, equation="thick stock + white water")
    first_pass_pct: float = figure(
        "First-pass retention", "%", decimals=1, equation="100 (1 − C tray × Q tray/(C headbox × Q headbox))"
    )
    cautions: tuple[Caution, ...] = ()


@model(
    "deliver.headbox",
    title="Fan pump and first-pass retention",
    source="mass balance; tray flow ratio 0.95 to 1.0",
    holds_for="headbox 0.2 to 1.2 %",
    equation="Qw = Qt (Ct − Ch)/(Ch − Cw); FPR = 100 (1 − Cw Qtray/(Ch Qh))",
    symbols="Qw=water_l_min Qt=stock_l_min Ct=stock_pct Ch=headbox_pct Cw=tray_pct FPR=first_pass_pct "
    "Qtray=tray_share Qh=flow_l_min",
    checks=(
        Check(
            {"stock_l_min": 9800, "stock_pct": 3.2, "headbox_pct": 0.7, "tray_pct": 0.2, "tray_share": 0.985},
            "water_l_min",
            49000,
            0.0001,
        ),
        Check(
            {"stock_l_min": 9800, "stock_pct": 3.2, "headbox_pct": 0.7, "tray_pct": 0.2, "tray_share": 0.985},
            "flow_l_min",
            58800,
            0.0001,
        ),
        Check(
            {"stock_l_min": 9800, "stock_pct": 3.2, "headbox_pct": 0.7, "tray_pct": 0.2, "tray_share": 0.985},
            "first_pass_pct",
            71.857,
            0.0001,
        ),
    ),
)
def headbox(case: HeadboxCase) -> Headbox | Infeasible:
    """White water for a headbox consistency, and first-pass retention.

    Raises: ImpossibleInput. Worked: 9800 L/min at 3.2 % to 0.70 % with 0.20 %: 49000 water, 58800 headbox; FPR 71.857 %.
    """
    cautions = check(case)
    if case.stock_pct <= case.headbox_pct:
        return Infeasible(field="headbox_pct", reason="is not below the thick stock", nearest=case.stock_pct, unit="%")
    if case.tray_pct >= case.headbox_pct:
        return Infeasible(field="tray_pct", reason="is not below the headbox", nearest=case.headbox_pct, unit="%")
    water = case.stock_l_min * (case.stock_pct - case.headbox_pct) / (case.headbox_pct - case.tray_pct)
    return Headbox(
        water_l_min=water,
        flow_l_min=case.stock_l_min + water,
        first_pass_pct=100.0 * (1.0 - case.tray_pct * case.tray_share / case.headbox_pct),
        cautions=cautions,
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class JetCase:
    head_m: float = quantity("Head in the headbox", "m of water", possible=(0, 100), valid=(0.5, 40), decimals=2)
    coefficient: float = quantity("Velocity coefficient", "", possible=(0, 1.2), above=True, valid=(0.9, 1.05), default=1.0)
    wire_m_min: float = quantity("Speed of the wire", "m/min", possible=(0, 4000), above=True, valid=(50, 2000), decimals=0)


@dataclass(frozen=True, slots=True, kw_only=True)
class Jet:
    jet_m_min: float = figure("Speed of the jet", "m/min", decimals=1, equation="60 coefficient × √(2 g head)")
    ratio: float = figure("Jet to wire", "", decimals=3, equation="jet / wire; over 1 the jet rushes, under 1 it drags")
    difference_m_min: float = figure("Jet less wire", "m/min", decimals=1, equation="jet − wire")
    cautions: tuple[Caution, ...] = ()


@model(
    "deliver.jet",
    title="Jet and wire",
    source="Bernoulli; g 9.80665 m/s²",
    holds_for="a headbox without loss, or its velocity coefficient",
    equation="v = 60 c √(2 g H)",
    symbols="v=jet_m_min c=coefficient H=head_m",
    calibrated_by=("coefficient",),
    checks=(Check({"head_m": 12.0, "coefficient": 1, "wire_m_min": 920.5}, "jet_m_min", 920.5, 1e-4),),
)
def jet(case: JetCase) -> Jet:
    """Speed of the jet by the head, and how it meets the wire. Raises: ImpossibleInput."""
    cautions = check(case)
    v = case.coefficient * math.sqrt(2.0 * GRAVITY_M_S2 * case.head_m) * 60.0
    return Jet(jet_m_min=v, ratio=v / case.wire_m_min, difference_m_min=v - case.wire_m_min, cautions=cautions)


@dataclass(frozen=True, slots=True, kw_only=True)
class FreshCase:
    fresh_m3_h: float = quantity("Fresh water", "m³/h", possible=(0, 100_000), decimals=0)
    sale_t_h: float = quantity("Saleable", "t/h", possible=(0, 1000), above=True, decimals=1)


@dataclass(frozen=True, slots=True, kw_only=True)
class Fresh:
    m3_t: float = figure("Fresh water a tonne", "m³/t", decimals=1, equation="fresh water / saleable")
    m3_d: float = figure("A day", "m³/d", decimals=0, equation="24 × fresh water")
    cautions: tuple[Caution, ...] = ()


@model(
    "deliver.fresh_water",
    title="Fresh water a tonne",
    source="definition",
    holds_for="meters and reel of the same hours",
    equation="m³/t = fresh water / saleable",
    checks=(Check({"fresh_m3_h": 160, "sale_t_h": 16.5}, "m3_t", 9.6970, 1e-4),),
)
def fresh_water(case: FreshCase) -> Fresh:
    """Fresh water taken for a saleable tonne. Raises: ImpossibleInput."""
    cautions = check(case)
    return Fresh(m3_t=case.fresh_m3_h / case.sale_t_h, m3_d=24.0 * case.fresh_m3_h, cautions=cautions)


@dataclass(frozen=True, slots=True, kw_only=True)
class BlendOffCase:
    good: float = quantity("The good stock", "mL, % or other", possible=(0, 10_000), above=True, decimals=1)
    bad: float = quantity("The off-grade stock", "mL, % or other", possible=(0, 10_000), above=True, decimals=1)
    limit: float = quantity("What the mix must keep", "mL, % or other", possible=(0, 10_000), above=True, decimals=1)
    mixes: str = choice("Mixes by", ("its logarithm (freeness)", "its mass"), default="its logarithm (freeness)")


@dataclass(frozen=True, slots=True, kw_only=True)
class BlendOff:
    share_pct: float = figure(
        "Most of it that may go in", "%", decimals=1, equation="ln(good/limit)/ln(good/bad), or (limit − good)/(bad − good)"
    )
    cautions: tuple[Caution, ...] = ()


@model(
    "deliver.blend_off",
    title="Off-grade stock blended off",
    source="mass balance; freeness mixes by its logarithm, a default to ± 25 mL",
    holds_for="one property at a time; the limit lies between good and off-grade",
    equation="share = ln(good/limit)/ln(good/bad)",
    symbols="share=share_pct good=good bad=bad limit=limit",
    basis="default",
    checks=(
        Check({"good": 430, "bad": 350, "limit": 400}, "share_pct", 35.132, 1e-4),
        Check({"good": 430, "bad": 350, "limit": 400, "mixes": "its mass"}, "share_pct", 37.5, 1e-9),
    ),
)
def blend_off(case: BlendOffCase) -> BlendOff:
    """The largest share of off-grade stock that keeps the mix at its limit. Raises: ImpossibleInput when the limit is not
    between the two."""
    cautions = check(case)
    if case.good == case.bad or not min(case.good, case.bad) <= case.limit <= max(case.good, case.bad):
        raise ImpossibleInput(Problem("limit", f"is {case.limit:g}; it must lie between {case.good:g} and {case.bad:g}"))
    if case.mixes == "its mass":
        share = (case.limit - case.good) / (case.bad - case.good)
    else:
        share = math.log(case.good / case.limit) / math.log(case.good / case.bad)
    return BlendOff(share_pct=100.0 * share, cautions=cautions)
