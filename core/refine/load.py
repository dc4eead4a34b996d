"""Load of refiners: net power, energy, edge load; how a load is shared; what sets a freeness; high consistency.

Net power is gross less no-load. Source: Brecht and Siewert 1966; energy balance; recovered to delivery, section 7.
"""

import math
from dataclasses import dataclass

from core.errors import Caution, ImpossibleInput, Infeasible, Problem
from core.quantity import check, choice, figure, quantity, rows
from core.refine.furnish import FURNISHES
from core.refine.response import factor, state_of, wears
from core.register import Check, model

CP = 4.15


@dataclass(frozen=True, slots=True, kw_only=True)
class LoadCase:
    gross_kw: float = quantity("Gross power", "kW", possible=(0, 30_000), valid=(20, 3000), decimals=0)
    no_load_kw: float = quantity("No-load", "kW", possible=(0, 10_000), valid=(5, 800), decimals=0)
    od_t_h: float = quantity("Pulp", "t/h OD", possible=(0, 200), above=True, valid=(0.5, 40), decimals=2)
    cel_km: float = quantity("Cutting edge", "km/rev", possible=(0, 500), above=True, valid=(1, 120), decimals=2)
    rpm: float = quantity("Speed", "rpm", possible=(0, 3000), above=True, valid=(300, 1500), decimals=0)
    cons_pct: float = quantity("Consistency", "%", possible=(0, 45), above=True, valid=(2.5, 6), decimals=2, default=4.0)


@dataclass(frozen=True, slots=True, kw_only=True)
class LoadFound:
    net_kw: float = figure("Net power", "kW", decimals=1, equation="gross − no-load")
    kwh_t: float = figure("Net energy", "kWh/t", decimals=2, equation="net/pulp")
    gross_kwh_t: float = figure("Gross energy", "kWh/t", decimals=2, equation="gross/pulp")
    sel: float = figure("Edge load", "J/m", decimals=2, equation="net/(cutting edge × revolutions a second)")
    warmer_k: float = figure("Stock is warmed by", "K", decimals=2, equation="3.6 gross energy C/100/4.15")
    cautions: tuple[Caution, ...] = ()


_LOAD = {"gross_kw": 560, "no_load_kw": 140, "od_t_h": 4.2, "cel_km": 12.0, "rpm": 750}


def edge_load(net_kw: float, cel_km: float, rpm: float) -> float:
    """J/m of net power over the edge that passes a second."""
    return net_kw / (cel_km * rpm / 60.0)


@model(
    "refine.load",
    title="Energy and edge load",
    source="Brecht and Siewert 1966",
    holds_for="low consistency, steady flow",
    equation="E = P_net/F; SEL = P_net/(CEL n)",
    symbols="E=kwh_t SEL=sel",
    basis="published",
    checks=(
        Check(_LOAD, "net_kw", 420.0, 1e-6),
        Check(_LOAD, "kwh_t", 100.0, 1e-6),
        Check(_LOAD, "sel", 2.8, 1e-6),
        Check({**_LOAD, "gross_kw": 504}, "warmer_k", 4.1639, 1e-4),
    ),
)
def load(case: LoadCase) -> LoadFound:
    """Raises: ImpossibleInput where there is no net power: plates or meter."""
    cautions = check(case)
    net = case.gross_kw - case.no_load_kw
    if net <= 0.0:
        told = f"is {case.gross_kw:g} kW, not over the no-load, {case.no_load_kw:g} kW: check plates or meter"
        raise ImpossibleInput(Problem("gross_kw", told))
    gross = case.gross_kw / case.od_t_h
    return LoadFound(
        net_kw=net,
        kwh_t=net / case.od_t_h,
        gross_kwh_t=gross,
        sel=edge_load(net, case.cel_km, case.rpm),
        warmer_k=3.6 * gross * case.cons_pct / 100.0 / CP,
        cautions=cautions,
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class PointCase:
    """One refiner, or several of the same edge load taken together, set for a freeness."""

    furnish: str = choice("Furnish", tuple(FURNISHES))
    csf_in: float = quantity("Freeness in", "mL", possible=(20, 900), valid=(80, 750), decimals=0)
    to_csf: float = quantity("Freeness wanted", "mL", possible=(20, 900), valid=(80, 720), decimals=0)
    od_t_h: float = quantity("Pulp", "t/h OD", possible=(0, 200), above=True, valid=(0.5, 40), decimals=2)
    cel_km: float = quantity("Cutting edge", "km/rev", possible=(0, 500), above=True, valid=(1, 120), decimals=2)
    rpm: float = quantity("Speed", "rpm", possible=(0, 3000), above=True, valid=(300, 1500), decimals=0)
    no_load_kw: float = quantity("No-load", "kW", possible=(0, 10_000), valid=(5, 800), decimals=0)
    ph: float = quantity("pH", "", possible=(2, 13), valid=(4.5, 10), decimals=1, default=7.0)
    temp_c: float = quantity("Temperature", "°C", possible=(1, 99), valid=(20, 70), decimals=0, default=40.0)
    wear: float = quantity("Wear", "share", possible=(0, 1), decimals=2, default=0.0)


@dataclass(frozen=True, slots=True, kw_only=True)
class PointFound:
    gross_kw: float = figure("Set point, gross", "kW", decimals=1, equation="net + no-load")
    net_kw: float = figure("Net power", "kW", decimals=2, equation="(F u E0 (CEL n SEL_ref)^(−a))^(1/(1 − a))")
    kwh_t: float = figure("Net energy", "kWh/t", decimals=3, equation="net/pulp")
    sel: float = figure("Edge load", "J/m", decimals=4, equation="net/(CEL n)")
    cautions: tuple[Caution, ...] = ()


_SOFT = {
    "furnish": "softwood bleached kraft",
    "csf_in": 690,
    "to_csf": 420,
    "od_t_h": 4.2,
    "cel_km": 12,
    "rpm": 750,
    "no_load_kw": 140,
}
_HARD = {
    "furnish": "hardwood bleached kraft",
    "csf_in": 560,
    "to_csf": 400,
    "od_t_h": 6.0,
    "cel_km": 36,
    "rpm": 750,
    "no_load_kw": 120,
}


@model(
    "refine.set_point",
    title="Power for a freeness",
    source="freeness by energy, which itself moves with the edge load: closed form",
    holds_for="one unit; constants are defaults until fitted",
    equation="P = (F u E0 (CEL n SEL_ref)^(−a))^(1/(1 − a))",
    basis="default",
    checks=(
        Check(_SOFT, "sel", 3.2002, 1e-3),
        Check(_SOFT, "net_kw", 480.03, 1e-3),
        Check(_SOFT, "kwh_t", 114.292, 1e-3),
        Check(_SOFT, "gross_kw", 620.0, 1e-3),
        Check(_HARD, "sel", 0.8882, 1e-3),
        Check(_HARD, "net_kw", 399.71, 1e-3),
        Check(_HARD, "kwh_t", 66.618, 1e-3),
    ),
)
def set_point(case: PointCase) -> PointFound | Infeasible:
    """Infeasible for a freeness that is there already, or that refining never reaches. Raises: ImpossibleInput."""
    cautions = check(case)
    f = FURNISHES[case.furnish]
    if case.to_csf >= case.csf_in:
        return Infeasible(
            field="to_csf", reason="is not under what comes: refining only lowers it", nearest=case.csf_in, unit="mL"
        )
    if case.to_csf <= f.csf_inf:
        reason = f"is not over {f.csf_inf:g} mL, which refining never reaches"
        return Infeasible(field="to_csf", reason=reason, nearest=f.csf_inf, unit="mL")
    csf0 = max(f.csf0, case.csf_in)
    u = state_of(case.to_csf, csf0, f.csf_inf, f.n) - state_of(case.csf_in, csf0, f.csf_inf, f.n)
    e0 = f.e0 * wears(case.wear) * factor(case.ph, case.temp_c)
    edge = case.cel_km * case.rpm / 60.0
    net = (case.od_t_h * u * e0 * (edge * f.sel) ** -f.a) ** (1.0 / (1.0 - f.a))
    sel = net / edge
    low, high = f.usual_sel
    if not low <= sel <= high:
        words = "cuts" if sel > high else "hardly refines"
        cautions += (Caution("cel_km", f"makes {sel:.2f} J/m, outside {low:g} to {high:g}: it {words}"),)
    return PointFound(
        gross_kw=net + case.no_load_kw, net_kw=net, kwh_t=net / case.od_t_h, sel=sel, cautions=cautions + FEED_MIND
    )


FEED_MIND = (Caution("od_t_h", "never load plates at no flow or on thin stock; back out before a stop"),)


@dataclass(frozen=True, slots=True, kw_only=True)
class Unit:
    """A refiner that shares a load."""

    cel_km: float = quantity("Cutting edge", "km/rev", possible=(0, 500), above=True, decimals=2)
    rpm: float = quantity("Speed", "rpm", possible=(0, 3000), above=True, decimals=0)
    no_load_kw: float = quantity("No-load", "kW", possible=(0, 10_000), decimals=0, default=0.0)
    motor_kw: float = quantity("Motor", "kW", possible=(0, 30_000), decimals=0, default=0.0, help="0: not told")


@dataclass(frozen=True, slots=True, kw_only=True)
class ShareCase:
    net_kw: float = quantity("Net power of all", "kW", possible=(0, 30_000), above=True, decimals=0)
    units: tuple[Unit, ...] = rows("Refiner", Unit, most=8)


@dataclass(frozen=True, slots=True, kw_only=True)
class ShareFound:
    sel: float = figure("Edge load of each", "J/m", decimals=3, equation="net/Σ CEL n")
    first_kw: float = figure("The first takes, net", "kW", decimals=1, equation="SEL × its CEL n")
    last_kw: float = figure("the last", "kW", decimals=1, equation="SEL × its CEL n")
    gross_kw: float = figure("Gross of all", "kW", decimals=0, equation="net + no-loads")
    each: tuple[float, ...]
    cautions: tuple[Caution, ...] = ()


@model(
    "refine.share",
    title="A load shared over refiners",
    source="equal edge load is the lowest greatest intensity of a total",
    holds_for="refiners of one furnish",
    equation="P_i = SEL CEL_i n_i",
    basis="published",
    checks=(
        Check({"net_kw": 900, "units": ({"cel_km": 20, "rpm": 600}, {"cel_km": 30, "rpm": 600})}, "sel", 1.8, 1e-6),
        Check({"net_kw": 900, "units": ({"cel_km": 20, "rpm": 600}, {"cel_km": 30, "rpm": 600})}, "first_kw", 360, 1e-6),
        Check({"net_kw": 900, "units": ({"cel_km": 20, "rpm": 600}, {"cel_km": 30, "rpm": 600})}, "last_kw", 540, 1e-6),
    ),
)
def share(case: ShareCase) -> ShareFound:
    """Raises: ImpossibleInput."""
    cautions = check(case)
    edges = [u.cel_km * u.rpm / 60.0 for u in case.units]
    sel = case.net_kw / math.fsum(edges)
    each = tuple(sel * e for e in edges)
    for i, (u, kw) in enumerate(zip(case.units, each, strict=True), start=1):
        if 0.0 < u.motor_kw < kw + u.no_load_kw:
            told = f"would take {kw + u.no_load_kw:.0f} kW, over its motor, {u.motor_kw:.0f} kW"
            cautions += (Caution(f"units.{i}.motor_kw", told),)
    gross = case.net_kw + math.fsum(u.no_load_kw for u in case.units)
    return ShareFound(sel=sel, first_kw=each[0], last_kw=each[-1], gross_kw=gross, each=each, cautions=cautions)


@dataclass(frozen=True, slots=True, kw_only=True)
class StretchCase:
    kwh_t: float = quantity("Energy at high consistency", "kWh/t", possible=(0, 1000), valid=(150, 300), decimals=0)
    e0: float = quantity("Stretch without", "%", possible=(0, 20), decimals=1, default=2.5)
    de: float = quantity("and what is to be won", "%", possible=(0, 20), above=True, decimals=1, default=4.5)
    e_s: float = quantity("Energy to an e-th of it", "kWh/t", possible=(1, 1000), decimals=0, default=120.0)
    wanted_pct: float = quantity("Stretch wanted", "%", possible=(0, 20), decimals=1, default=6.0)


@dataclass(frozen=True, slots=True, kw_only=True)
class StretchFound:
    stretch_pct: float = figure("Stretch", "%", decimals=3, equation="e0 + de (1 − exp(−E/E_s))")
    for_wanted: float = figure("Energy for what is wanted", "kWh/t", decimals=1, equation="−E_s ln(1 − (e − e0)/de)")
    cautions: tuple[Caution, ...] = ()


@model(
    "refine.stretch",
    title="Stretch by high consistency",
    source="first order in energy; constants are defaults",
    holds_for="28 to 40 %, 150 to 300 kWh/t; a pass at low consistency after it restores bonding and lowers curl",
    equation="e = e0 + de (1 − exp(−E/E_s))",
    basis="default",
    checks=(
        Check({"kwh_t": 200}, "stretch_pct", 6.1501, 1e-4),
        Check({"kwh_t": 200}, "for_wanted", 180.49, 1e-4),
    ),
)
def stretch(case: StretchCase) -> StretchFound | Infeasible:
    """Infeasible for more stretch than there is to be won, or less than there is. Raises: ImpossibleInput."""
    cautions = check(case)
    over = (case.wanted_pct - case.e0) / case.de
    if not 0.0 <= over < 1.0:
        nearest = case.e0 if over < 0.0 else case.e0 + case.de
        return Infeasible(field="wanted_pct", reason="lies beyond what this refining gives", nearest=nearest, unit="%")
    return StretchFound(
        stretch_pct=case.e0 + case.de * -math.expm1(-case.kwh_t / case.e_s),
        for_wanted=-case.e_s * math.log1p(-over),
        cautions=cautions,
    )
