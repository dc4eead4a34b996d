"""What the machine draws from the chest, and what the approach flow does with it.

Source: mass balance; definitions of system and first-pass retention kept apart. Efficiencies are the mill's.
"""

import math
from dataclasses import dataclass

from core.errors import Caution, ImpossibleInput, Infeasible, Problem
from core.quantity import check, figure, quantity
from core.register import Check, model

GRAVITY_M_S2 = 9.80665


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
    web_t_h: float = figure("Web at the wet end, OD", "t/h", decimals=1, equation="OD × (1 − additions) × (width + trim)/width")
    solids_t_h: float = figure("Thick stock", "t/h OD", decimals=1, equation="web / retention − filler")
    filler_t_h: float = figure("Filler to add", "t/h", decimals=2, equation="web / retention × (a − a furnish)/(1 − a furnish)")
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


def jet_speed_m_min(head_m: float, velocity_coefficient: float = 1.0) -> float:
    """Jet speed Cv sqrt(2 g H). Worked: 12.0 m of water, 1: 920.5 m/min."""
    if not head_m >= 0.0:
        raise ImpossibleInput(Problem("head_m", f"is {head_m:g} m; it must be at least 0"))
    return velocity_coefficient * math.sqrt(2.0 * GRAVITY_M_S2 * head_m) * 60.0


def fresh_water_m3_t(fresh_m3_h: float, sale_t_h: float) -> float:
    """Fresh water per saleable tonne. Worked: 160 m3/h, 16.5 t/h: 9.6970 m3/t."""
    if not sale_t_h > 0.0:
        raise ImpossibleInput(Problem("sale_t_h", f"is {sale_t_h:g} t/h; it must be above 0"))
    return fresh_m3_h / sale_t_h


def blend_off_share(good: float, bad: float, limit: float, *, logarithmic: bool = False) -> float:
    """Largest share of off-specification stock that keeps the mix at the limit.

    `logarithmic` for freeness: ln(good/limit)/ln(good/bad), else (limit - good)/(bad - good).
    Worked: 350 into 430 CSF, limit 400: 0.35132 (arithmetic 0.3750). Raises: ImpossibleInput when the limit is not between.
    """
    if good == bad or not min(good, bad) <= limit <= max(good, bad):
        raise ImpossibleInput(Problem("limit", f"is {limit:g}; it must lie between {good:g} and {bad:g}"))
    if logarithmic:
        return math.log(good / limit) / math.log(good / bad)
    return (limit - good) / (bad - good)
