"""The pulper: the card of a batch from what is really loaded, the water that mends it, defibering, capacity, and bale mixes.

Densities: water by the standard fit, fibre 1520, filler 2700 kg/m3. Source: mass balances; first order in energy for flakes
(form: Bennington, Smith and Sui 1998); energies are defaults to be calibrated.
"""

import math
from dataclasses import dataclass, replace
from typing import Final

from core.clean.cleaner import water_kg_m3
from core.errors import Caution, ImpossibleInput, Infeasible, Problem
from core.quantity import check, choice, figure, quantity, rows
from core.register import Check, model

FIBRE_KG_M3, FILLER_KG_M3, MOST_LEVEL = 1520.0, 2700.0, 0.97
FURNISH: Final = {  # energy to an e-th of the flakes, kWh/t, default
    "deinking, news and magazines": 6.0,
    "office and white grades": 7.0,
    "old corrugated": 9.0,
    "wet strength": 30.0,
    "machine broke": 4.0,
    "wet lap": 4.0,
}
FLAKES_REF_C, FLAKES_A_K, OVER_PULPED = 45.0, 0.015, 1.5
STEAM_KJ_KG, CP = 2750.0, 4.18


def stock_kg_m3(pct: float, temp_c: float, ash_pct: float = 0.0) -> float:
    """Density of stock, kg/m3."""
    x, a = pct / 100.0, ash_pct / 100.0
    return 1.0 / (x * (1.0 - a) / FIBRE_KG_M3 + x * a / FILLER_KG_M3 + (1.0 - x) / water_kg_m3(temp_c))


@dataclass(frozen=True, slots=True, kw_only=True)
class Load:
    """Bales of one kind, as they are loaded."""

    bales: float = quantity("Bales", "", possible=(0, 200), decimals=0)
    bale_kg: float = quantity("One weighs", "kg", possible=(1, 3000), valid=(100, 1200), decimals=0)
    moisture_pct: float = quantity("Moisture", "% wet", possible=(0, 95), valid=(4, 60), decimals=1)

    @property
    def kg(self) -> float:
        return self.bales * self.bale_kg

    @property
    def od_kg(self) -> float:
        return self.kg * (1.0 - self.moisture_pct / 100.0)


@dataclass(frozen=True, slots=True, kw_only=True)
class CardCase:
    """A vat to be filled: what it takes of bales and water for a consistency."""

    vat_m3: float = quantity("Vat", "m³", possible=(0, 500), above=True, valid=(5, 120), decimals=1)
    cons_pct: float = quantity("Consistency wanted", "%", possible=(0, 25), above=True, valid=(3, 20), decimals=1)
    bale_kg: float = quantity("A bale weighs", "kg", possible=(1, 3000), valid=(100, 1200), decimals=0)
    moisture_pct: float = quantity("Its moisture", "% wet", possible=(0, 95), valid=(4, 60), decimals=1)
    heel_m3: float = quantity("Heel left in", "m³", possible=(0, 500), decimals=2, default=0.0)
    heel_pct: float = quantity("at", "%", possible=(0, 25), decimals=1, default=0.0)
    white_pct: float = quantity("White water", "%", possible=(0, 2), valid=(0, 0.6), decimals=2, default=0.0)
    temp_c: float = quantity("Temperature", "°C", possible=(1, 95), valid=(20, 60), decimals=0, default=45.0)
    ash_pct: float = quantity("Ash of the paper", "%", possible=(0, 60), decimals=1, default=0.0)


@dataclass(frozen=True, slots=True, kw_only=True)
class CardFound:
    stock_t: float = figure("Stock", "t", decimals=3, equation="vat × density at the consistency")
    od_t: float = figure("Fibre, oven-dry", "t", decimals=3, equation="stock × consistency")
    bales: float = figure(
        "Bales",
        "",
        decimals=3,
        equation="(need − water’s solids)/((1 − moisture − white water) × bale)",
    )
    water_t: float = figure("Water", "t", decimals=3, equation="stock − heel − bales")
    whole: float = figure("Whole bales", "", decimals=0, equation="rounded down")
    whole_water_t: float = figure("with water for the same consistency", "t", decimals=3, equation="bales (d − C)/(C − w)")
    whole_pct: float = figure("or the water as it was, at", "%", decimals=2, equation="solids/all")
    cautions: tuple[Caution, ...] = ()


_CARD = {"vat_m3": 30, "cons_pct": 15, "bale_kg": 600, "moisture_pct": 10}
_HEEL = {**_CARD, "heel_m3": 3, "heel_pct": 15, "white_pct": 0.30}


@model(
    "pulper.card",
    title="Pulper batch, from the vat",
    source="mass balance",
    holds_for="vats of 5 to 120 m³, 3 to 20 %",
    equation="B = (M C − heel − (M − heel) w)/(d − w); water = M − heel − B",
    basis="published",
    checks=(
        Check(_CARD, "stock_t", 31.3460, 5e-4),
        Check(_CARD, "od_t", 4.7019, 5e-4),
        Check(_CARD, "bales", 8.707, 5e-4),
        Check(_CARD, "water_t", 26.1217, 5e-4),
        Check(_CARD, "whole", 8),
        Check(_CARD, "whole_water_t", 24.0000, 5e-4),
        Check(_CARD, "whole_pct", 13.971, 5e-4),
        Check(_HEEL, "bales", 7.705, 5e-4),
        Check(_HEEL, "water_t", 23.5882, 5e-4),
    ),
)
def card(case: CardCase) -> CardFound | Infeasible:
    """Infeasible where the bales are wetter than the stock wanted. Raises: ImpossibleInput for a heel over the vat."""
    cautions = check(case)
    if case.heel_m3 > case.vat_m3:
        raise ImpossibleInput(Problem("heel_m3", f"is {case.heel_m3:g} m³, over the vat, {case.vat_m3:g} m³"))
    m = case.vat_m3 * stock_kg_m3(case.cons_pct, case.temp_c, case.ash_pct) / 1000.0
    heel = case.heel_m3 * stock_kg_m3(case.heel_pct, case.temp_c, case.ash_pct) / 1000.0
    c, w, d = case.cons_pct / 100.0, case.white_pct / 100.0, 1.0 - case.moisture_pct / 100.0
    if d <= max(w, c):
        reason = f"is {case.moisture_pct:g} %: such bales are thinner than {case.cons_pct:g} % stock"
        return Infeasible(field="moisture_pct", reason=reason, nearest=100.0 * (1.0 - c), unit="% wet")
    need = m * c - heel * case.heel_pct / 100.0
    bales_t = (need - (m - heel) * w) / (d - w)
    water = m - heel - bales_t
    if bales_t < 0.0 or water < 0.0:
        field = "heel_pct" if bales_t < 0.0 else "moisture_pct"
        return Infeasible(field=field, reason="leaves no room: what is in the vat is thicker, or the bales wetter, than wanted")
    count = bales_t * 1000.0 / case.bale_kg
    whole = math.floor(count + 1e-9)
    t = whole * case.bale_kg / 1000.0
    heel_od = heel * case.heel_pct / 100.0
    fits = max(0.0, (t * (d - c) + heel_od - heel * c) / (c - w)) if c > w else 0.0
    got = 100.0 * (t * d + heel_od + water * w) / (t + heel + water)
    return CardFound(
        stock_t=m,
        od_t=need + heel_od,
        bales=count,
        water_t=water,
        whole=whole,
        whole_water_t=fits,
        whole_pct=got,
        cautions=cautions,
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class LoadedCase:
    """What is really in the vat: bales by kind, heel and water; and the consistency that was wanted."""

    vat_m3: float = quantity("Vat", "m³", possible=(0, 500), above=True, valid=(5, 120), decimals=1)
    cons_pct: float = quantity("Consistency wanted", "%", possible=(0, 25), above=True, valid=(3, 20), decimals=1)
    water_m3: float = quantity("White water in", "m³", possible=(0, 500), decimals=2)
    white_pct: float = quantity("its consistency", "%", possible=(0, 2), valid=(0, 0.6), decimals=2, default=0.25)
    heel_m3: float = quantity("Heel left in", "m³", possible=(0, 500), decimals=2, default=0.0)
    heel_pct: float = quantity("at", "%", possible=(0, 25), decimals=1, default=0.0)
    temp_c: float = quantity("Temperature", "°C", possible=(1, 95), valid=(20, 60), decimals=0, default=45.0)
    loads: tuple[Load, ...] = rows("Load", Load, most=8)


@dataclass(frozen=True, slots=True, kw_only=True)
class LoadedFound:
    cons_pct: float = figure("Consistency", "%", decimals=2, equation="solids/all that is in")
    od_t: float = figure("Fibre", "t OD", decimals=3, equation="bales × dry + heel + white water’s")
    level_pct: float = figure("Level", "%", decimals=0, equation="all/density/vat")
    more_m3: float = figure("Water to mend it", "m³", decimals=2, equation="(solids − C all)/(C − white water’s)")
    then_pct: float = figure("Level then", "%", decimals=0, equation="with that water")
    more_kg: float = figure("or dry bales to mend it", "kg", decimals=0, equation="(C all − solids)/(d − C)")
    cautions: tuple[Caution, ...] = ()


_LOADED = {
    "vat_m3": 22,
    "cons_pct": 14,
    "water_m3": 13.95,
    "heel_m3": 0.6,
    "heel_pct": 13.9,
    "loads": ({"bales": 4, "bale_kg": 420, "moisture_pct": 8.5}, {"bales": 4, "bale_kg": 260, "moisture_pct": 7.0}),
}


def _loaded_pct() -> float:
    """The consistency of that batch, by hand: bales, heel and white water weighed and added."""
    rho = water_kg_m3(45.0) / 1000.0
    bales, dry = 4 * 0.42 + 4 * 0.26, 4 * 0.42 * 0.915 + 4 * 0.26 * 0.93
    heel = 0.6 * stock_kg_m3(13.9, 45.0) / 1000.0
    water = 13.95 * rho
    return 100.0 * (dry + heel * 0.139 + water * 0.0025) / (bales + heel + water)


@model(
    "pulper.loaded",
    title="Pulper batch, as it was loaded",
    source="mass balance",
    holds_for="vats of 5 to 120 m³, 3 to 20 %",
    equation="C = solids/all; water = (solids − C all)/(C − w)",
    basis="published",
    checks=(
        Check(_LOADED, "cons_pct", _loaded_pct(), 1e-6),
        Check(_LOADED, "od_t", 2.6227, 2e-3),
    ),
)
def loaded(case: LoadedCase) -> LoadedFound:
    """What the batch came to, and how it is mended. Raises: ImpossibleInput for an empty vat, or one that overflows."""
    cautions = check(case)
    rho = water_kg_m3(case.temp_c) / 1000.0
    heel = case.heel_m3 * stock_kg_m3(case.heel_pct, case.temp_c) / 1000.0
    water, w, c = case.water_m3 * rho, case.white_pct / 100.0, case.cons_pct / 100.0
    solids = sum(x.od_kg for x in case.loads) / 1000.0 + heel * case.heel_pct / 100.0 + water * w
    whole = sum(x.kg for x in case.loads) / 1000.0 + heel + water
    if whole <= 0.0:
        raise ImpossibleInput(Problem("water_m3", "is 0, as all else: the vat is empty"))

    def level(t: float, od: float) -> float:
        return 100.0 * t / (stock_kg_m3(100.0 * od / t, case.temp_c) / 1000.0) / case.vat_m3

    now = level(whole, solids)
    if now > 100.0:
        raise ImpossibleInput(Problem("water_m3", f"fills the vat to {now:.0f} %: it would run over"))
    if now > 100.0 * MOST_LEVEL:
        cautions += (Caution("water_m3", f"fills the vat to {now:.0f} %, over {100 * MOST_LEVEL:.0f}: never above"),)
    more = max(0.0, (solids - c * whole) / (c - w)) if c > w else 0.0
    wettest = max((x.moisture_pct for x in case.loads if x.bales > 0.0), default=10.0)
    d = 1.0 - wettest / 100.0
    then = level(whole + more, solids + more * w)
    if then > 100.0 * MOST_LEVEL:
        cautions += (Caution("cons_pct", f"would fill the vat to {then:.0f} %: dump a part, or run it thicker"),)
    return LoadedFound(
        cons_pct=100.0 * solids / whole,
        od_t=solids,
        level_pct=now,
        more_m3=more / rho,
        then_pct=then,
        more_kg=max(0.0, 1000.0 * (c * whole - solids) / (d - c)) if d > c else 0.0,
        cautions=cautions,
    )


def mended(case: LoadedCase, found: LoadedFound) -> LoadedFound | None:
    """The batch once the water that mends it is in; None where it needs none, or the vat would run over."""
    if found.more_m3 <= 0.0 or found.then_pct > 100.0:
        return None
    return loaded(replace(case, water_m3=case.water_m3 + found.more_m3))


def off_by(case: LoadedCase, found: LoadedFound) -> float:
    """How much thicker than wanted it is, points of consistency."""
    return found.cons_pct - case.cons_pct


def bags(count: float, bag_kg: float, card_kg_t: float, od_t: float) -> tuple[float, float]:
    """What bags make, kg/t OD, and how many the card asks for that fibre."""
    return (count * bag_kg / od_t if od_t > 0.0 else 0.0), card_kg_t * od_t / bag_kg


@dataclass(frozen=True, slots=True, kw_only=True)
class DefiberCase:
    furnish: str = choice("Furnish", tuple(FURNISH))
    od_t: float = quantity("Fibre in the vat", "t OD", possible=(0, 60), above=True, valid=(0.5, 20), decimals=2)
    net_kw: float = quantity("Net power", "kW", possible=(0, 5000), above=True, valid=(20, 800), decimals=0)
    f0_pct: float = quantity("Flakes at first", "%", possible=(0, 100), above=True, valid=(30, 100), decimals=0, default=60.0)
    to_pct: float = quantity("Flakes wanted", "%", possible=(0, 100), above=True, valid=(0.5, 10), decimals=1, default=2.0)
    rest_pct: float = quantity("Never defibered", "%", possible=(0, 50), decimals=1, default=0.0)
    temp_c: float = quantity("Temperature", "°C", possible=(5, 90), valid=(35, 80), decimals=0, default=45.0)


@dataclass(frozen=True, slots=True, kw_only=True)
class DefiberFound:
    kwh_t: float = figure("Energy", "kWh/t", decimals=2, equation="E_F ln((F0 − F∞)/(F − F∞))")
    minutes: float = figure("Time", "min", decimals=1, equation="energy × fibre × 60/net power")
    e_f: float = figure("Energy to an e-th", "kWh/t", decimals=2, equation="E_F exp(−0.015 (T − 45))")
    most_kwh_t: float = figure("Over-pulped from", "kWh/t", decimals=1, equation="1.5 × energy")
    cautions: tuple[Caution, ...] = ()


def e_f_of(furnish: str, temp_c: float) -> float:
    """Energy to an e-th of the flakes, kWh/t."""
    return FURNISH[furnish] * math.exp(-FLAKES_A_K * (temp_c - FLAKES_REF_C))


_DEFIBER = {"furnish": "old corrugated", "od_t": 4.5, "net_kw": 180}


@model(
    "pulper.defiber",
    title="Defibering",
    source="first order in energy; form of Bennington, Smith and Sui 1998; energies are defaults",
    holds_for="batch pulpers at steady net power",
    equation="F = F∞ + (F0 − F∞) exp(−E/E_F); t = E m/P",
    basis="default",
    checks=(Check(_DEFIBER, "kwh_t", 30.611, 1e-4), Check(_DEFIBER, "minutes", 45.92, 1e-4)),
)
def defiber(case: DefiberCase) -> DefiberFound | Infeasible:
    """Infeasible where the flakes wanted are fewer than those that never come apart. Raises: ImpossibleInput."""
    cautions = check(case)
    if case.to_pct <= case.rest_pct:
        reason = f"is {case.to_pct:g} %, not over what never comes apart"
        return Infeasible(field="to_pct", reason=reason, nearest=case.rest_pct, unit="%")
    if case.to_pct >= case.f0_pct:
        return Infeasible(field="to_pct", reason="is there already", nearest=case.f0_pct, unit="%")
    e_f = e_f_of(case.furnish, case.temp_c)
    energy = e_f * math.log((case.f0_pct - case.rest_pct) / (case.to_pct - case.rest_pct))
    return DefiberFound(
        kwh_t=energy,
        minutes=60.0 * energy * case.od_t / case.net_kw,
        e_f=e_f,
        most_kwh_t=OVER_PULPED * energy,
        cautions=cautions,
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class ThroughCase:
    k: float = quantity("Rate of defibering", "1/min", possible=(0, 10), valid=(0.05, 1), decimals=3)
    minutes: float = quantity("Mean time in it", "min", possible=(0, 240), valid=(5, 40), decimals=1)
    f0_pct: float = quantity("Flakes that come", "%", possible=(0, 100), valid=(30, 100), decimals=0, default=50.0)


@dataclass(frozen=True, slots=True, kw_only=True)
class ThroughFound:
    drum_pct: float = figure("Flakes left by a drum", "%", decimals=3, equation="F0 exp(−k τ)")
    vat_pct: float = figure("by a continuous vat", "%", decimals=3, equation="F0/(1 + k τ)")
    cautions: tuple[Caution, ...] = ()


_THROUGH = {"k": 0.25, "minutes": 12}


@model(
    "pulper.through",
    title="Drum and continuous pulpers",
    source="plug and mixed flow of a first order rate",
    holds_for="steady feed; flakes that come back are the line’s recycle",
    equation="drum F0 exp(−k τ); vat F0/(1 + k τ)",
    symbols="τ=minutes F0=f0_pct",
    basis="published",
    checks=(
        Check({"k": 0.25, "minutes": 12}, "drum_pct", 2.4894, 1e-4),
        Check({"k": 0.25, "minutes": 12}, "vat_pct", 12.5, 1e-4),
    ),
)
def through(case: ThroughCase) -> ThroughFound:
    """Raises: ImpossibleInput."""
    cautions = check(case)
    kt = case.k * case.minutes
    return ThroughFound(drum_pct=case.f0_pct * math.exp(-kt), vat_pct=case.f0_pct / (1.0 + kt), cautions=cautions)


@dataclass(frozen=True, slots=True, kw_only=True)
class CycleCase:
    fill: float = quantity("Fill", "min", possible=(0, 120), decimals=0)
    load: float = quantity("Load", "min", possible=(0, 120), decimals=0)
    pulp: float = quantity("Pulp", "min", possible=(0, 240), decimals=0)
    dump: float = quantity("Dump", "min", possible=(0, 120), decimals=0)
    wait: float = quantity("Wait", "min", possible=(0, 240), decimals=0, default=0.0)
    od_t: float = quantity("A batch", "t OD", possible=(0, 60), above=True, decimals=2)
    demand_t_h: float = quantity("Stock wanted", "t/h OD", possible=(0, 100), decimals=2)
    yield_share: float = quantity("Yield to it", "share", possible=(0, 1), above=True, valid=(0.6, 1), decimals=2, default=1.0)


@dataclass(frozen=True, slots=True, kw_only=True)
class CycleFound:
    t_h: float = figure("Capacity", "t/h OD", decimals=3, equation="batch × 60/cycle")
    batches_h: float = figure("Batches wanted", "an hour", decimals=4, equation="wanted/(yield × batch)")
    load_pct: float = figure("Load", "% of capacity", decimals=2, equation="wanted/(yield × capacity)")
    cautions: tuple[Caution, ...] = ()


_CYCLE = {"fill": 4, "load": 5, "pulp": 16, "dump": 5, "od_t": 4.35, "demand_t_h": 6.0, "yield_share": 0.94}


@model(
    "pulper.cycle",
    title="A pulper’s capacity",
    source="one batch after another",
    holds_for="batch pulpers",
    equation="batch × 60/(fill + load + pulp + dump + wait)",
    basis="published",
    checks=(
        Check(_CYCLE, "t_h", 8.700, 1e-4),
        Check(_CYCLE, "batches_h", 1.4674, 1e-4),
        Check(_CYCLE, "load_pct", 73.37, 1e-4),
    ),
)
def cycle(case: CycleCase) -> CycleFound:
    """Raises: ImpossibleInput for a cycle of no time."""
    cautions = check(case)
    minutes = case.fill + case.load + case.pulp + case.dump + case.wait
    if minutes <= 0.0:
        raise ImpossibleInput(Problem("pulp", "is 0, as all else: a cycle takes time"))
    t_h = case.od_t * 60.0 / minutes
    load = 100.0 * case.demand_t_h / (case.yield_share * t_h)
    if load > 90.0:
        cautions += (Caution("demand_t_h", f"loads it to {load:.0f} %: no slack for a late batch"),)
    return CycleFound(t_h=t_h, batches_h=case.demand_t_h / (case.yield_share * case.od_t), load_pct=load, cautions=cautions)


def chest_t(m3: float, pct: float, temp_c: float) -> float:
    """What a chest holds, t oven-dry."""
    return m3 * stock_kg_m3(pct, temp_c) / 1000.0 * pct / 100.0


@dataclass(frozen=True, slots=True, kw_only=True)
class NextCase:
    """The dump chest now, what is drawn from it, and a batch that is to be dumped into it."""

    chest_m3: float = quantity("Dump chest", "m³", possible=(0, 5000), above=True, valid=(20, 500), decimals=0)
    chest_pct: float = quantity("Stock in it", "%", possible=(0.5, 20), valid=(3, 6), decimals=1, default=4.5)
    level_pct: float = quantity("Level now", "%", possible=(0, 100), decimals=0)
    draw_t_h: float = quantity("The line takes", "t/h OD", possible=(0, 200), decimals=2)
    batch_t: float = quantity("A batch", "t OD", possible=(0, 60), above=True, decimals=2)
    minutes: float = quantity("From loading to the dump", "min", possible=(1, 600), valid=(10, 120), decimals=0, default=40.0)
    low_pct: float = quantity("Never under", "%", possible=(0, 100), decimals=0, default=20.0)
    high_pct: float = quantity("Never over", "%", possible=(0, 100), decimals=0, default=90.0)
    temp_c: float = quantity("Temperature", "°C", possible=(1, 95), decimals=0, default=45.0)


@dataclass(frozen=True, slots=True, kw_only=True)
class NextFound:
    full_t: float = figure("The chest holds", "t OD", decimals=2, equation="volume × density × consistency")
    earliest_min: float = figure("Start loading, not before", "min", decimals=0, equation="(level + batch − high)/draw − t")
    latest_min: float = figure("not after", "min", decimals=0, equation="(level − low)/draw − t, t of a batch")
    rises_pct: float = figure("A batch raises it by", "%", decimals=0, equation="batch/chest")
    cautions: tuple[Caution, ...] = ()


_CHEST = {"chest_m3": 120, "level_pct": 52, "draw_t_h": 2.15, "batch_t": 2.4, "minutes": 36}


def _chest_t() -> float:
    """What 120 m3 of 4.5 % stock at 45 C hold, t OD, by hand."""
    return 120.0 * stock_kg_m3(4.5, 45.0) / 1000.0 * 0.045


@model(
    "pulper.next",
    title="When the next batch is due",
    source="mass balance of the dump chest",
    holds_for="a steady draw; a dump that is short beside the cycle",
    equation="L(t) = L − q t/M; the dump lands when L + b ≤ high and L ≥ low",
    basis="published",
    checks=(
        Check(_CHEST, "full_t", _chest_t(), 1e-9),
        Check({**_CHEST, "level_pct": 88}, "earliest_min", 60 * (2.4 - 0.02 * _chest_t()) / 2.15 - 36, 1e-6),
        Check(_CHEST, "latest_min", 60 * 0.32 * _chest_t() / 2.15 - 36, 1e-6),
    ),
)
def next_batch(case: NextCase) -> NextFound | Infeasible:
    """Minutes from now between which loading starts; 0 where it could have begun already.

    Infeasible where a batch is more than the chest takes between its limits, or nothing is drawn. Raises: ImpossibleInput.
    """
    cautions = check(case)
    if case.low_pct >= case.high_pct:
        raise ImpossibleInput(Problem("low_pct", f"is {case.low_pct:g} %; it must be under the most, {case.high_pct:g} %"))
    full = chest_t(case.chest_m3, case.chest_pct, case.temp_c)
    rises = 100.0 * case.batch_t / full
    if rises > case.high_pct - case.low_pct:
        reason = f"is {case.batch_t:g} t, {rises:.0f} % of the chest: more than it takes between its limits"
        return Infeasible(field="batch_t", reason=reason, nearest=full * (case.high_pct - case.low_pct) / 100.0, unit="t OD")
    room = (case.level_pct + rises - case.high_pct) / 100.0 * full
    over = (case.level_pct - case.low_pct) / 100.0 * full
    if case.draw_t_h <= 0.0:
        if room > 0.0:
            return Infeasible(field="draw_t_h", reason="is 0: the chest has no room, and nothing is drawn from it")
        return NextFound(full_t=full, earliest_min=0.0, latest_min=math.inf, rises_pct=rises, cautions=cautions)
    latest = 60.0 * over / case.draw_t_h - case.minutes
    if latest < 0.0:
        late = f"is {case.level_pct:g} %: a batch begun now lands {-latest:.0f} min after the chest is at its least"
        cautions += (Caution("level_pct", late),)
    return NextFound(
        full_t=full,
        earliest_min=max(0.0, 60.0 * room / case.draw_t_h - case.minutes),
        latest_min=max(0.0, latest),
        rises_pct=rises,
        cautions=cautions,
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class SteamCase:
    stock_t: float = quantity("Stock", "t", possible=(0, 500), above=True, decimals=1)
    from_c: float = quantity("from", "°C", possible=(0, 99), decimals=0)
    to_c: float = quantity("to", "°C", possible=(0, 99), valid=(30, 80), decimals=0)
    steam_kj_kg: float = quantity("Enthalpy of the steam", "kJ/kg", possible=(2600, 3300), decimals=0, default=STEAM_KJ_KG)


@dataclass(frozen=True, slots=True, kw_only=True)
class SteamFound:
    steam_t: float = figure("Direct steam", "t", decimals=4, equation="M cp ΔT/(h − cp T)")
    cautions: tuple[Caution, ...] = ()


@model(
    "pulper.steam",
    title="Steam to warm a batch",
    source="heat balance, its condensate counted",
    holds_for="stock under 8 %; thicker: a little less",
    equation="M cp ΔT/(h − cp T)",
    basis="published",
    checks=(Check({"stock_t": 30, "from_c": 38, "to_c": 50}, "steam_t", 0.5922, 5e-4),),
)
def steam(case: SteamCase) -> SteamFound | Infeasible:
    """Infeasible where it is to be colder. Raises: ImpossibleInput."""
    cautions = check(case)
    if case.to_c < case.from_c:
        return Infeasible(field="to_c", reason="is under what it is: steam only warms", nearest=case.from_c, unit="°C")
    cautions += (Caution("stock_t", "live steam: the valve slowly, the vat clear of people"),)
    t = case.stock_t * CP * (case.to_c - case.from_c) / (case.steam_kj_kg - CP * case.to_c)
    return SteamFound(steam_t=t, cautions=cautions)


@dataclass(frozen=True, slots=True, kw_only=True)
class Paper:
    """A kind of paper in a bale mix, by its share as received."""

    share: float = quantity("Share as received", "%", possible=(0, 100), decimals=1)
    moisture_pct: float = quantity("Moisture", "% wet", possible=(0, 95), valid=(4, 20), decimals=1)
    ash_pct: float = quantity("Ash", "%", possible=(0, 60), decimals=1)
    unwanted_pct: float = quantity("Unwanted", "%", possible=(0, 50), valid=(0, 6), decimals=1)
    eric_ppm: float = quantity("Ink, ERIC", "ppm", possible=(0, 5000), decimals=0)
    stickies: float = quantity("Stickies", "mm²/kg", possible=(0, 1e6), decimals=0)
    mechanical: float = quantity("Mechanical share of its fibre", "share", possible=(0, 1), decimals=2, default=0.0)


@dataclass(frozen=True, slots=True, kw_only=True)
class MixCase:
    papers: tuple[Paper, ...] = rows("Paper", Paper, most=8)


@dataclass(frozen=True, slots=True, kw_only=True)
class MixFound:
    first_share: float = figure(
        "The first’s share, oven-dry",
        "share",
        decimals=4,
        equation="m (1 − moisture) of it/of all",
    )
    moisture_pct: float = figure("Moisture", "% wet", decimals=2, equation="by mass as received")
    ash_pct: float = figure("Ash", "%", decimals=3, equation="by dry mass")
    unwanted_pct: float = figure("Unwanted", "%", decimals=4, equation="by dry mass")
    eric_ppm: float = figure("Ink, ERIC", "ppm", decimals=1, equation="by dry mass")
    stickies: float = figure("Stickies", "mm²/kg", decimals=0, equation="by dry mass")
    mechanical: float = figure("Mechanical share of the fibre", "share", decimals=3, equation="by dry mass without ash")
    cautions: tuple[Caution, ...] = ()


_PAPERS = (
    {"share": 60, "moisture_pct": 10, "ash_pct": 12, "unwanted_pct": 1.5, "eric_ppm": 900, "stickies": 3000},
    {"share": 40, "moisture_pct": 8, "ash_pct": 32, "unwanted_pct": 1.0, "eric_ppm": 500, "stickies": 9000},
)
_HALVES = (  # as much of each, dry; 10 and 30 % ash
    {"share": 50, "moisture_pct": 8, "ash_pct": 10, "unwanted_pct": 0, "eric_ppm": 0, "stickies": 0, "mechanical": 0.85},
    {"share": 50, "moisture_pct": 8, "ash_pct": 30, "unwanted_pct": 0, "eric_ppm": 0, "stickies": 0, "mechanical": 0.25},
)


@model(
    "pulper.mix",
    title="A bale mix",
    source="dry masses add",
    holds_for="shares as received; three bales or more tested per delivery",
    equation="x = Σ m (1 − moisture) x/Σ m (1 − moisture)",
    basis="published",
    checks=(
        Check({"papers": _PAPERS}, "first_share", 0.5947, 2e-4),
        Check({"papers": _PAPERS}, "ash_pct", 20.106, 5e-4),
        Check({"papers": _PAPERS}, "unwanted_pct", 1.2974, 5e-4),
        Check({"papers": _PAPERS}, "eric_ppm", 737.9, 5e-4),
        Check({"papers": _PAPERS}, "stickies", 5432, 5e-4),
        Check({"papers": _HALVES}, "mechanical", (0.9 * 0.85 + 0.7 * 0.25) / 1.6, 1e-9),
    ),
)
def mix(case: MixCase) -> MixFound:
    """Raises: ImpossibleInput where nothing is in it."""
    cautions = check(case)
    whole = sum(p.share for p in case.papers)
    dry = [p.share * (1.0 - p.moisture_pct / 100.0) for p in case.papers]
    if whole <= 0.0 or sum(dry) <= 0.0:
        raise ImpossibleInput(Problem("papers.1.share", "is 0, as the others: there is no paper"))
    if abs(whole - 100.0) > 0.05:
        cautions += (Caution("papers", f"shares add to {whole:g} %; they are taken as parts of that"),)

    def mean(name: str) -> float:
        return float(sum(m * getattr(p, name) for m, p in zip(dry, case.papers, strict=True)) / sum(dry))

    fibre = [m * (1.0 - p.ash_pct / 100.0) for m, p in zip(dry, case.papers, strict=True)]

    return MixFound(
        first_share=dry[0] / sum(dry),
        moisture_pct=100.0 * (1.0 - sum(dry) / whole),
        ash_pct=mean("ash_pct"),
        unwanted_pct=mean("unwanted_pct"),
        eric_ppm=mean("eric_ppm"),
        stickies=mean("stickies"),
        mechanical=sum(m * p.mechanical for m, p in zip(fibre, case.papers, strict=True)) / sum(fibre),
        cautions=cautions,
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class PayCase:
    received_kg: float = quantity("Received", "kg", possible=(0, 1e7), above=True, decimals=0)
    moisture_pct: float = quantity("Moisture", "% wet", possible=(0, 95), valid=(4, 60), decimals=1)
    basis_pct: float = quantity("Bought on", "% moisture", possible=(0, 60), decimals=0, default=10.0)


@dataclass(frozen=True, slots=True, kw_only=True)
class PayFound:
    pay_kg: float = figure("Pay weight", "kg", decimals=2, equation="received (1 − moisture)/(1 − basis)")
    claim_kg: float = figure("To claim", "kg", decimals=2, equation="received − pay weight")
    cautions: tuple[Caution, ...] = ()


@model(
    "pulper.pay",
    title="Pay weight of bales",
    source="dry mass on the bought basis",
    holds_for="any moisture",
    equation="received (1 − moisture)/(1 − basis)",
    basis="published",
    checks=(Check({"received_kg": 612, "moisture_pct": 14}, "pay_kg", 584.80, 1e-4),),
)
def pay(case: PayCase) -> PayFound:
    """Raises: ImpossibleInput."""
    cautions = check(case)
    kg = case.received_kg * (1.0 - case.moisture_pct / 100.0) / (1.0 - case.basis_pct / 100.0)
    return PayFound(pay_kg=kg, claim_kg=case.received_kg - kg, cautions=cautions)
