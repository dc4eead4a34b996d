"""Bagasse: depithing and wet washing by component, and what a tonne of pulp takes. Removals are defaults to be calibrated."""

from dataclasses import dataclass

from core.errors import Caution, ImpossibleInput, Problem
from core.quantity import check, figure, quantity
from core.register import Check, model


@dataclass(frozen=True, slots=True, kw_only=True)
class DepithCase:
    od_t_h: float = quantity("Whole bagasse", "t/h OD", possible=(0, 500), above=True, decimals=1)
    pith_pct: float = quantity("Pith", "%", possible=(0, 60), valid=(20, 38), decimals=1)
    solubles_pct: float = quantity("Solubles", "%", possible=(0, 40), valid=(1, 10), decimals=1)
    ash_pct: float = quantity("Ash and sand", "%", possible=(0, 40), valid=(1, 6), decimals=1)
    out_fibre_pct: float = quantity("Fibre taken out", "%", possible=(0, 100), valid=(5, 12), decimals=0, default=8.0)
    out_pith_pct: float = quantity("Pith taken out", "%", possible=(0, 100), valid=(65, 85), decimals=0, default=75.0)
    out_solubles_pct: float = quantity("Solubles taken out", "%", possible=(0, 100), valid=(30, 50), decimals=0, default=40.0)
    out_ash_pct: float = quantity("Ash taken out", "%", possible=(0, 100), valid=(40, 70), decimals=0, default=60.0)


@dataclass(frozen=True, slots=True, kw_only=True)
class Depithed:
    od_out: float = figure("Depithed", "t/h OD", decimals=2, equation="Σ part × (1 − taken out)")
    od_removed: float = figure("To the boiler", "t/h OD", decimals=2, equation="in − out")
    yield_pct: float = figure("Yield", "%", decimals=1, equation="100 × out/in")
    fibre_pct: float = figure("Fibre in it", "%", decimals=1, equation="100 × fibre/out")
    pith_left_pct: float = figure("Pith in it", "%", decimals=1, equation="100 × pith/out")
    fibre_to_pith: float = figure("Fibre to pith", "", decimals=1, equation="fibre/pith")
    ash_left_pct: float = figure("Ash in it", "%", decimals=2, equation="100 × ash/out")
    ea_plus: float = figure("EA for the pith", "% NaOH", decimals=2, equation="0.03 per % pith over 10")
    cautions: tuple[Caution, ...] = ()


_D = {"od_t_h": 20, "pith_pct": 32, "solubles_pct": 4, "ash_pct": 3}


@model(
    "chips.depith",
    title="Depithing",
    source="component balance; removals are defaults to be calibrated",
    holds_for="moist depithing; for the wet wash use solubles 60 to 80, ash 50 to 70, pith 10 to 20 %",
    equation="out = in (1 − e/100) for each component",
    basis="default",
    checks=tuple(
        Check(_D, f, w, 2e-3)
        for f, w in (
            ("od_out", 13.544),
            ("od_removed", 6.456),
            ("yield_pct", 67.72),
            ("fibre_pct", 82.871),
            ("pith_left_pct", 11.813),
            ("fibre_to_pith", 7.015),
            ("ash_left_pct", 1.772),
        )
    ),
)
def depith(case: DepithCase) -> Depithed:
    """What depithing leaves. Raises: ImpossibleInput when the parts pass 100 %, or nothing is left."""
    cautions = check(case)
    fibre = 100.0 - case.pith_pct - case.solubles_pct - case.ash_pct
    if fibre <= 0.0:
        raise ImpossibleInput(Problem("pith_pct", f"with solubles and ash makes {100 - fibre:g} %; some of it must be fibre"))
    parts = {
        "fibre": fibre * (1 - case.out_fibre_pct / 100),
        "pith": case.pith_pct * (1 - case.out_pith_pct / 100),
        "solubles": case.solubles_pct * (1 - case.out_solubles_pct / 100),
        "ash": case.ash_pct * (1 - case.out_ash_pct / 100),
    }
    out = sum(parts.values())
    if out <= 0.0:
        raise ImpossibleInput(Problem("out_fibre_pct", "and the others take everything out; something must be left"))
    ratio = parts["fibre"] / parts["pith"] if parts["pith"] > 0 else float("inf")
    if ratio < 3.5:
        cautions += (Caution("out_pith_pct", f"fibre to pith {ratio:.1f} is under 3.5: act on the depither"),)
    elif ratio < 5.0:
        cautions += (Caution("out_pith_pct", f"fibre to pith {ratio:.1f}; bleached grades want over 5"),)
    pith, ash = 100 * parts["pith"] / out, 100 * parts["ash"] / out
    if ash > 3.0:
        cautions += (Caution("out_ash_pct", f"ash {ash:.1f} % is over 3 %: silica to recovery, wear"),)
    return Depithed(
        od_out=case.od_t_h * out / 100,
        od_removed=case.od_t_h * (1 - out / 100),
        yield_pct=out,
        fibre_pct=100 * parts["fibre"] / out,
        pith_left_pct=pith,
        fibre_to_pith=ratio,
        ash_left_pct=ash,
        ea_plus=0.03 * max(0.0, pith - 10.0),
        cautions=cautions,
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class WetWashCase:
    od_t_h: float = quantity("Depithed bagasse", "t/h OD", possible=(0, 500), above=True, decimals=2)
    pith_pct: float = quantity("Pith", "%", possible=(0, 60), valid=(5, 25), decimals=1)
    solubles_pct: float = quantity("Solubles", "%", possible=(0, 40), valid=(1, 6), decimals=1)
    ash_pct: float = quantity("Ash and sand", "%", possible=(0, 40), valid=(0.5, 4), decimals=2)
    feed_pct: float = quantity("Washer at", "% OD", possible=(0.2, 20), valid=(1, 6), decimals=1, default=3.0)
    out_pct: float = quantity("Leaves the dewatering at", "% OD", possible=(5, 60), valid=(15, 35), decimals=0, default=22.0)
    out_fibre_pct: float = quantity("Fibre washed out", "%", possible=(0, 100), valid=(0.5, 4), decimals=1, default=2.0)
    out_pith_pct: float = quantity("Pith washed out", "%", possible=(0, 100), valid=(10, 20), decimals=0, default=15.0)
    out_solubles_pct: float = quantity("Solubles washed out", "%", possible=(0, 100), valid=(60, 80), decimals=0, default=70.0)
    out_ash_pct: float = quantity("Ash washed out", "%", possible=(0, 100), valid=(50, 70), decimals=0, default=60.0)


@dataclass(frozen=True, slots=True, kw_only=True)
class WetWashed:
    od_out: float = figure("Usable fibre to the cook", "t/h OD", decimals=2, equation="Σ part × (1 − washed out)")
    yield_pct: float = figure("Yield of the wash", "%", decimals=1, equation="100 × out/in")
    water_m3_h: float = figure("Water through the washer", "m³/h", decimals=0, equation="od (100 − C)/C at the washer")
    pressed_m3_h: float = figure(
        "back from the dewatering", "m³/h", decimals=0, equation="washer's water − what leaves with the fibre"
    )
    moisture_pct: float = figure("Moisture to the feeder", "% wet", decimals=1, equation="100 − consistency")
    pith_left_pct: float = figure("Pith in it", "%", decimals=1, equation="100 × pith/out")
    ash_left_pct: float = figure("Ash and sand in it", "%", decimals=2, equation="100 × ash/out")
    ash_kg_h: float = figure("Ash and sand taken out", "kg/h", decimals=0, equation="1000 × od × ash × washed out")
    lost_t_h: float = figure("Washed out in all", "t/h OD", decimals=2, equation="in − out")
    ea_plus: float = figure("EA for the pith", "% NaOH", decimals=2, equation="0.03 per % pith over 10")
    cautions: tuple[Caution, ...] = ()


@model(
    "chips.wet_wash",
    title="Wet washing of bagasse",
    source="component balance; removals are defaults to be calibrated",
    holds_for="after moist depithing, washer 1 to 6 %",
    equation="out = in (1 − e/100) for each component; water = od (100 − C)/C",
    symbols="C=feed_pct",
    basis="default",
    checks=(
        Check({"od_t_h": 10, "pith_pct": 12, "solubles_pct": 3, "ash_pct": 2}, "od_out", 9.324),
        Check({"od_t_h": 10, "pith_pct": 12, "solubles_pct": 3, "ash_pct": 2}, "ash_kg_h", 120.0),
        Check({"od_t_h": 10, "pith_pct": 12, "solubles_pct": 3, "ash_pct": 2}, "water_m3_h", 323.333),
    ),
)
def wet_wash(case: WetWashCase) -> WetWashed:
    """What wet washing leaves, and its water. Raises: ImpossibleInput when the parts pass 100 % or the fibre leaves wetter
    than it came."""
    cautions = check(case)
    fibre = 100.0 - case.pith_pct - case.solubles_pct - case.ash_pct
    if fibre <= 0.0:
        raise ImpossibleInput(Problem("pith_pct", f"with solubles and ash makes {100 - fibre:g} %; some of it must be fibre"))
    if case.out_pct <= case.feed_pct:
        raise ImpossibleInput(Problem("out_pct", f"is {case.out_pct:g} %; it must be over the washer, {case.feed_pct:g} %"))
    gone = (case.out_fibre_pct, case.out_pith_pct, case.out_solubles_pct, case.out_ash_pct)
    f, p, s, a = (
        x * (1.0 - e / 100.0) for x, e in zip((fibre, case.pith_pct, case.solubles_pct, case.ash_pct), gone, strict=True)
    )
    out = f + p + s + a
    if out <= 0.0:
        raise ImpossibleInput(Problem("out_fibre_pct", "and the others wash everything out; something must be left"))
    od = case.od_t_h * out / 100.0
    water = case.od_t_h * (100.0 - case.feed_pct) / case.feed_pct
    ash = 100.0 * a / out
    if ash > 3.0:
        cautions += (Caution("out_ash_pct", f"ash {ash:.1f} % is over 3 %: silica to recovery, wear"),)
    return WetWashed(
        od_out=od,
        yield_pct=out,
        water_m3_h=water,
        pressed_m3_h=water - od * (100.0 - case.out_pct) / case.out_pct,
        moisture_pct=100.0 - case.out_pct,
        pith_left_pct=100.0 * p / out,
        ash_left_pct=ash,
        ash_kg_h=10.0 * case.od_t_h * (case.ash_pct - a),
        lost_t_h=case.od_t_h - od,
        ea_plus=0.03 * max(0.0, 100.0 * p / out - 10.0),
        cautions=cautions,
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class BagasseCase:
    cook_pct: float = quantity("Cook yield", "%", possible=(0, 100), above=True, valid=(45, 60), decimals=1)
    shrink_pct: float = quantity("Bleaching shrinkage", "%", possible=(0, 90), valid=(0, 12), decimals=1)
    depith_pct: float = quantity("Depithing yield", "%", possible=(0, 100), above=True, valid=(55, 80), decimals=1)
    storage_pct: float = quantity("Lost in the pile", "%", possible=(0, 90), valid=(0, 12), decimals=1)
    moisture_pct: float = quantity("Moisture", "% wet", possible=(0, 99), valid=(40, 80), decimals=1)


@dataclass(frozen=True, slots=True, kw_only=True)
class BagasseFound:
    od_t: float = figure("Whole bagasse", "t OD/ADt", decimals=2, equation="0.9/[Y (1 − shrink) depith (1 − storage)]")
    wet_t: float = figure("as it comes", "t wet/ADt", decimals=2, equation="od/(1 − M)")
    cautions: tuple[Caution, ...] = ()


_B = {"cook_pct": 53, "shrink_pct": 6, "depith_pct": 68, "storage_pct": 5, "moisture_pct": 50}


@model(
    "chips.bagasse",
    title="Bagasse for pulp",
    source="balance",
    holds_for="whole bagasse from the press to air-dry pulp",
    equation="od = 0.9/[Y (1 − s) d (1 − p)]",
    symbols="od=od_t Y=cook_pct s=shrink_pct d=depith_pct p=storage_pct",
    checks=(Check(_B, "od_t", 2.7964, 2e-3), Check(_B, "wet_t", 5.5929, 2e-3)),
)
def bagasse_demand(case: BagasseCase) -> BagasseFound:
    """Bagasse a tonne of air-dry pulp. Raises: ImpossibleInput."""
    cautions = check(case)
    od = 0.9 / (case.cook_pct / 100 * (1 - case.shrink_pct / 100) * case.depith_pct / 100 * (1 - case.storage_pct / 100))
    return BagasseFound(od_t=od, wet_t=od / (1 - case.moisture_pct / 100), cautions=cautions)
