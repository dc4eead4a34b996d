"""What is added to the furnish: how much a minute or in bags, in which order along the approach, and who must not meet whom.

Doses are kg of active a tonne of oven-dry furnish. Usual doses and the order are customary, defaults to be set by the
mill's own supplier papers. Source: recovered to delivery, section 8.
"""

import math
from dataclasses import dataclass
from typing import Final

from core.errors import Caution, ImpossibleInput, Infeasible, Problem
from core.quantity import check, figure, quantity, rows
from core.register import Check, model

PLACES: Final = ("blend chest", "machine chest", "outlet", "fan pump", "screen")  # in the way of the stock


@dataclass(frozen=True, slots=True, kw_only=True)
class Sort:
    """A sort of additive: usual dose, where along the way it goes in, and what to mind."""

    dose: tuple[float, float]
    place: str
    mind: str


SORTS: Final = {
    "alum": Sort(dose=(2, 20), place="blend chest", mind="early, thick stock, pH 4.5 to 5.5; carbonate gives off CO₂"),
    "fixative": Sort(dose=(0.5, 2), place="blend chest", mind="early, thick stock; too much turns the charge"),
    "dye": Sort(dose=(0.01, 10), place="blend chest", mind="thick stock, a direct dye before the fixative; traceable 24 h"),
    "brightener": Sort(dose=(1, 8), place="machine chest", mind="thick stock, neutral; too much greens; measured with UV on"),
    "starch": Sort(dose=(4, 12), place="machine chest", mind="cooked at 90 to 95 °C; too much turns the charge"),
    "size": Sort(dose=(0.5, 2), place="machine chest", mind="AKD with its starch to thick stock; ASA late and fresh"),
    "filler": Sort(dose=(0, 400), place="outlet", mind="before the retention aid; slurry ages"),
    "retention": Sort(dose=(0.1, 0.5), place="screen", mind="at the last shear; solution of 0.1 to 0.5 % at most"),
    "other": Sort(dose=(0, 500), place="machine chest", mind=""),
}
# who must not meet whom: sorts that are put in at one place, and why
APART: Final = (
    ("dye", "brightener", "an anionic brightener and a dye at one point rob each other"),
    ("fixative", "dye", "a fixative before its dye leaves specks: dye first"),
    ("alum", "filler", "alum and carbonate: pH falls, CO₂ foams"),
    ("starch", "retention", "starch and polymer at one point flock"),
    ("brightener", "starch", "a cationic starch takes the brightener away"),
)


def sort_of(name: str) -> str:
    """The sort of an additive by the words of its name; "other" where none is told."""
    low = name.lower()
    for key, words in (
        ("retention", ("retention", "polymer")),
        ("starch", ("starch",)),
        ("size", ("size", "akd", "asa")),
        ("brightener", ("brightener",)),
        ("dye", ("dye", "violet", "blue", "red", "yellow")),
        ("fixative", ("fixative", "fixing")),
        ("alum", ("alum",)),
        ("filler", ("filler", "carbonate", "clay", "talc")),
    ):
        if any(w in low for w in words):
            return key
    return "other"


@dataclass(frozen=True, slots=True, kw_only=True)
class AdditiveCase:
    od_t_h: float = quantity("Furnish", "t/h OD", possible=(0, 500), above=True, valid=(1, 60), decimals=2)
    dose_kg_t: float = quantity("Dose, active", "kg/t", possible=(0, 500), decimals=2)
    strength_pct: float = quantity("Strength", "% w/w", possible=(0, 100), above=True, decimals=1)
    density: float = quantity("Density", "kg/L", possible=(0.5, 3), decimals=2, default=1.0)
    tank_l: float = quantity("In its tank", "L", possible=(0, 1e6), decimals=0, default=0.0)


@dataclass(frozen=True, slots=True, kw_only=True)
class AdditiveFound:
    kg_min: float = figure("Active", "kg/min", decimals=3, equation="dose × furnish/60")
    l_min: float = figure("Pump", "L/min", decimals=3, equation="active/(strength × density)")
    days: float = figure("The tank lasts", "d", decimals=1, equation="tank/(1440 × pump)")
    cautions: tuple[Caution, ...] = ()


_SIZE = {"od_t_h": 10, "dose_kg_t": 1.2, "strength_pct": 15, "density": 1.01}


@model(
    "blend.additive",
    title="Flow of an additive",
    source="mass balance",
    holds_for="a solution or emulsion of known strength",
    equation="L/min = dose × t/h/60/(strength × density)",
    basis="published",
    checks=(Check(_SIZE, "l_min", 1.3201, 1e-4), Check({**_SIZE, "tank_l": 1901}, "days", 1901 / 1.320132 / 1440, 1e-5)),
)
def additive(case: AdditiveCase) -> AdditiveFound:
    """Raises: ImpossibleInput."""
    cautions = check(case)
    kg = case.dose_kg_t * case.od_t_h / 60.0
    litres = kg / (case.strength_pct / 100.0 * case.density)
    return AdditiveFound(
        kg_min=kg, l_min=litres, days=case.tank_l / litres / 1440.0 if litres > 0.0 else math.inf, cautions=cautions
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class DoseCase:
    od_t_h: float = quantity("Furnish", "t/h OD", possible=(0, 500), above=True, valid=(1, 60), decimals=2)
    l_min: float = quantity("Pump, measured", "L/min", possible=(0, 1e5), decimals=3)
    strength_pct: float = quantity("Strength", "% w/w", possible=(0, 100), above=True, decimals=1)
    density: float = quantity("Density", "kg/L", possible=(0.5, 3), decimals=2, default=1.0)


@dataclass(frozen=True, slots=True, kw_only=True)
class DoseFound:
    dose_kg_t: float = figure("Dose, active", "kg/t", decimals=3, equation="60 pump × strength × density/furnish")
    cautions: tuple[Caution, ...] = ()


@model(
    "blend.dose_of",
    title="Dose from a flow",
    source="mass balance",
    holds_for="a pump measured with its tube",
    equation="kg/t = 60 L/min × strength × density/(t/h)",
    basis="published",
    checks=(Check({"od_t_h": 10, "l_min": 1.320132, "strength_pct": 15, "density": 1.01}, "dose_kg_t", 1.2, 1e-6),),
)
def dose_of(case: DoseCase) -> DoseFound:
    """Raises: ImpossibleInput."""
    cautions = check(case)
    return DoseFound(dose_kg_t=60.0 * case.l_min * case.strength_pct / 100.0 * case.density / case.od_t_h, cautions=cautions)


@dataclass(frozen=True, slots=True, kw_only=True)
class BagsCase:
    od_t: float = quantity("Batch", "t OD", possible=(0, 1000), above=True, decimals=2)
    dose_kg_t: float = quantity("Dose, active", "kg/t", possible=(0, 500), decimals=2)
    bag_kg: float = quantity("A bag holds", "kg", possible=(0, 2000), above=True, decimals=0, default=25.0)
    solids_pct: float = quantity("of active", "%", possible=(0, 100), above=True, decimals=0, default=100.0)


@dataclass(frozen=True, slots=True, kw_only=True)
class BagsFound:
    needed_kg: float = figure("Wanted as it comes", "kg", decimals=2, equation="dose × batch/active")
    bags: float = figure("Bags", "", decimals=0, equation="up to whole")
    achieved_kg_t: float = figure("Dose then", "kg/t", decimals=3, equation="bags × bag × active/batch")
    cautions: tuple[Caution, ...] = ()


@model(
    "blend.bags",
    title="Bags for a batch",
    source="mass balance",
    holds_for="whole bags",
    equation="bags = ⌈dose × t/(bag × active)⌉",
    basis="published",
    checks=(
        Check({"od_t": 4.35, "dose_kg_t": 8, "bag_kg": 25, "solids_pct": 88}, "needed_kg", 39.545, 1e-4),
        Check({"od_t": 4.35, "dose_kg_t": 8, "bag_kg": 25, "solids_pct": 88}, "bags", 2, 1e-9),
        Check({"od_t": 4.35, "dose_kg_t": 8, "bag_kg": 25, "solids_pct": 88}, "achieved_kg_t", 10.115, 1e-4),
    ),
)
def bags(case: BagsCase) -> BagsFound:
    """Raises: ImpossibleInput."""
    cautions = check(case)
    active = case.solids_pct / 100.0
    needed = case.dose_kg_t * case.od_t / active
    count = math.ceil(needed / case.bag_kg - 1e-9)
    return BagsFound(needed_kg=needed, bags=count, achieved_kg_t=count * case.bag_kg * active / case.od_t, cautions=cautions)


@dataclass(frozen=True, slots=True, kw_only=True)
class FillerCase:
    sheet_ash_pct: float = quantity("Ash of the sheet", "%", possible=(0, 60), valid=(0, 35), decimals=1)
    fibre_ash_pct: float = quantity("Ash of the furnish", "%", possible=(0, 60), valid=(0, 35), decimals=1)
    retention_pct: float = quantity("Filler retained", "%", possible=(0, 100), above=True, valid=(30, 99), decimals=0)


@dataclass(frozen=True, slots=True, kw_only=True)
class FillerFound:
    in_sheet_kg_t: float = figure("Filler in the sheet", "kg/t", decimals=2, equation="(a − a_f)/(1 − a_f)")
    added_kg_t: float = figure("Filler to add", "kg/t", decimals=2, equation="in the sheet/retention")
    cautions: tuple[Caution, ...] = ()


_FILLED = {"sheet_ash_pct": 20, "fibre_ash_pct": 1.0, "retention_pct": 70}


@model(
    "blend.filler",
    title="Filler for an ash",
    source="mass balance; loss-free filler",
    holds_for="a tonne of oven-dry sheet",
    equation="F = (a − a_f)/(1 − a_f)/retention",
    basis="published",
    checks=(Check(_FILLED, "in_sheet_kg_t", 191.92, 1e-4), Check(_FILLED, "added_kg_t", 274.17, 1e-4)),
)
def filler(case: FillerCase) -> FillerFound | Infeasible:
    """Infeasible where the furnish brings more ash than the sheet holds. Raises: ImpossibleInput."""
    cautions = check(case)
    a, own = case.sheet_ash_pct / 100.0, case.fibre_ash_pct / 100.0
    if a < own:
        return Infeasible(
            field="sheet_ash_pct", reason="is less than the furnish brings already", nearest=case.fibre_ash_pct, unit="%"
        )
    held = 1000.0 * (a - own) / (1.0 - own)
    return FillerFound(in_sheet_kg_t=held, added_kg_t=100.0 * held / case.retention_pct, cautions=cautions)


@dataclass(frozen=True, slots=True, kw_only=True)
class Charged:
    """A cationic additive, and its charge."""

    dose_kg_t: float = quantity("Dose, active", "kg/t", possible=(0, 500), decimals=2)
    meq_g: float = quantity("Charge", "meq/g", possible=(0, 20), valid=(0.05, 8), decimals=2)


@dataclass(frozen=True, slots=True, kw_only=True)
class ChargeCase:
    demand_ueq_l: float = quantity("Charge demand", "µeq/L", possible=(0, 5000), valid=(5, 500), decimals=0)
    cons_pct: float = quantity("Stock", "%", possible=(0, 20), above=True, valid=(0.3, 5), decimals=2)
    meq_g: float = quantity("Charge of the polymer", "meq/g", possible=(0, 20), above=True, valid=(0.1, 8), decimals=2)
    added: tuple[Charged, ...] = rows("Cationic additive", Charged, least=0, most=8)


@dataclass(frozen=True, slots=True, kw_only=True)
class ChargeFound:
    kg_t: float = figure("Polymer to neutral", "kg/t", decimals=4, equation="demand/(stock × charge)")
    neutral_pct: float = figure("Neutralised by what is added", "%", decimals=0, equation="Σ dose × charge/(demand/stock)")
    left_kg_t: float = figure("Polymer that is left to add", "kg/t", decimals=4, equation="to neutral less what is added")
    cautions: tuple[Caution, ...] = ()


@model(
    "blend.charge",
    title="Charge balance",
    source="polyelectrolyte titration; charges of what is added are its papers’",
    holds_for="the filtrate of the stock; small molecules take longer",
    equation="kg/t = µeq/L/(g/L × meq/g)",
    basis="published",
    checks=(
        Check({"demand_ueq_l": 45, "cons_pct": 1.0, "meq_g": 6}, "kg_t", 0.75, 1e-4),
        Check(
            {"demand_ueq_l": 45, "cons_pct": 1.0, "meq_g": 6, "added": ({"dose_kg_t": 6, "meq_g": 0.3},)},
            "neutral_pct",
            40.0,
            1e-9,
        ),
    ),
)
def charge(case: ChargeCase) -> ChargeFound:
    """Dose of a polymer to neutral, and how far what is added goes already. Raises: ImpossibleInput."""
    cautions = check(case)
    meq_t = case.demand_ueq_l / (10.0 * case.cons_pct)  # eq a tonne of dry stock: µeq/L over g/L is meq/kg
    added = math.fsum(a.dose_kg_t * a.meq_g for a in case.added)
    neutral = 100.0 * added / meq_t if meq_t > 0.0 else math.inf if added > 0.0 else 0.0
    if neutral > 90.0:
        cautions += (Caution("added", f"neutralise {neutral:.0f} %, over 90: overdosed stock foams and drains badly"),)
    return ChargeFound(
        kg_t=meq_t / case.meq_g,
        neutral_pct=neutral,
        left_kg_t=max(0.0, (meq_t - added) / case.meq_g),
        cautions=cautions,
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class Stream:
    """A pulp on its way to the blend."""

    share_pct: float = quantity("Share", "%", possible=(0, 100), decimals=1)
    cons_pct: float = quantity("Consistency", "%", possible=(0, 30), above=True, valid=(2, 5))
    flow_l_min: float = quantity("Flow, measured", "L/min", possible=(0, 1e6), decimals=0, default=0.0, help="0: not told")


@dataclass(frozen=True, slots=True, kw_only=True)
class FlowsCase:
    od_t_h: float = quantity("Furnish", "t/h OD", possible=(0, 500), above=True, valid=(1, 60), decimals=2)
    density: float = quantity("Density", "kg/L", possible=(0.9, 1.2), decimals=3, default=1.0)
    streams: tuple[Stream, ...] = rows("Pulp", Stream, least=1, most=12)


@dataclass(frozen=True, slots=True, kw_only=True)
class FlowsFound:
    first_l_min: float = figure("The first pulp", "L/min", decimals=1, equation="1000 share × t/h/(60 C ρ)")
    last_l_min: float = figure("the last", "L/min", decimals=1, equation="the same")
    cons_pct: float = figure("Blend", "%", decimals=3, equation="1/Σ share/C")
    worst_pct: float = figure("Worst off its ratio", "%", decimals=1, equation="measured/wanted − 1")
    each: tuple[float, ...]
    cautions: tuple[Caution, ...] = ()


_RATIO = {
    "od_t_h": 10,
    "streams": tuple({"share_pct": f, "cons_pct": c} for f, c in ((40, 3.8), (40, 4.0), (20, 3.2))),
}


@model(
    "blend.flows",
    title="Flows of a recipe, and the ratio check",
    source="mass balance",
    holds_for="master demand in oven-dry; a flow over 2 % off its share is told",
    equation="Q = OD/(0.06 ρ C); 1/C = Σ share/C",
    basis="published",
    checks=(
        Check(_RATIO, "first_l_min", 1754.4, 1e-4),
        Check(_RATIO, "last_l_min", 1041.7, 1e-4),
        Check(_RATIO, "cons_pct", 3.7346, 1e-4),
    ),
)
def flows(case: FlowsCase) -> FlowsFound:
    """Raises: ImpossibleInput, also for shares that do not make 100 %."""
    cautions = check(case)
    whole = math.fsum(s.share_pct for s in case.streams)
    if abs(whole - 100.0) > 0.05:
        raise ImpossibleInput(Problem("streams.1.share_pct", f"makes the shares {whole:.4g} %; they must make 100 %"))
    each = tuple(case.od_t_h * s.share_pct / 100.0 / (0.06 * case.density * s.cons_pct / 100.0) for s in case.streams)
    worst = 0.0
    for i, (s, wanted) in enumerate(zip(case.streams, each, strict=True), start=1):
        if s.flow_l_min > 0.0 and wanted > 0.0:
            off = 100.0 * (s.flow_l_min / wanted - 1.0)
            worst = off if abs(off) > abs(worst) else worst
            if abs(off) > 2.0:
                cautions += (Caution(f"streams.{i}.flow_l_min", f"is {off:+.1f} % off its share, over 2 %: meter, or ratio"),)
    return FlowsFound(
        first_l_min=each[0],
        last_l_min=each[-1],
        cons_pct=1.0 / math.fsum(s.share_pct / 100.0 / s.cons_pct for s in case.streams),
        worst_pct=worst,
        each=each,
        cautions=cautions,
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class ShadeCase:
    iso_least: float = quantity("Brightness, at least", "% ISO", possible=(1, 99), decimals=1)
    rest_k: float = quantity("The rest: absorption", "m²/kg", possible=(0, 500), decimals=3)
    rest_s: float = quantity("its scattering", "m²/kg", possible=(1, 300), decimals=1)
    k: float = quantity("The darker pulp: absorption", "m²/kg", possible=(0, 500), decimals=3)
    s: float = quantity("its scattering", "m²/kg", possible=(1, 300), decimals=1)


@dataclass(frozen=True, slots=True, kw_only=True)
class ShadeFound:
    share_pct: float = figure("Of it, at most", "%", decimals=2, equation="(q s_v − k_v)/((k − k_v) − q (s − s_v))")
    cautions: tuple[Caution, ...] = ()


_DARK = {"iso_least": 80.0, "rest_k": 0.3, "rest_s": 36.0, "k": 3.0, "s": 45.0}


@model(
    "blend.shade_cap",
    title="How much of a darker pulp",
    source="Kubelka and Munk 1931, turned round",
    holds_for="broke or deinked in an otherwise fixed furnish",
    equation="f ≤ (q s_v − k_v)/((k − k_v) − q (s − s_v)); q = (1 − R)²/2R",
    basis="published",
    checks=(Check(_DARK, "share_pct", 100 * (0.025 * 36 - 0.3) / (2.7 - 0.025 * 9), 1e-9),),
)
def shade_cap(case: ShadeCase) -> ShadeFound | Infeasible:
    """Infeasible where the rest alone is not bright enough. Raises: ImpossibleInput."""
    cautions = check(case)
    r = case.iso_least / 100.0
    q = (1.0 - r) ** 2 / (2.0 * r)
    room = q * case.rest_s - case.rest_k
    if room < 0.0:
        return Infeasible(field="iso_least", reason="is not reached by the rest alone: none of it may go in")
    takes = (case.k - case.rest_k) - q * (case.s - case.rest_s)
    return ShadeFound(share_pct=100.0 if takes <= 0.0 else min(100.0, 100.0 * room / takes), cautions=cautions)


@dataclass(frozen=True, slots=True)
class Meeting:
    """Two additives that should not meet, and why."""

    one: str
    other: str
    why: str


def meetings(names: tuple[str, ...]) -> tuple[Meeting, ...]:
    """Who must not meet whom among these: put in apart, in the order of the table."""
    told = {sort_of(n): n for n in names}
    return tuple(Meeting(told[a], told[b], why) for a, b, why in APART if a in told and b in told)


def in_order(names: tuple[str, ...]) -> tuple[str, ...]:
    """Additives in the order of their places along the way of the stock."""
    return tuple(sorted(names, key=lambda n: (PLACES.index(SORTS[sort_of(n)].place), tuple(SORTS).index(sort_of(n)))))
