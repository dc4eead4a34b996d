"""Moisture schools, species mixes on any basis, demand, feed, piles, traps. Oven-dry wood is the only quantity charges rest
on."""

import math
from dataclasses import dataclass
from typing import Final

from core.errors import Caution, ImpossibleInput, Infeasible, Problem
from core.quantity import check, choice, figure, quantity
from core.register import Check, model

WALL = 1530.0  # kg/m3, cell wall
YIELD_OF_CLASS: Final = {"oversize": 0.96, "over_thick": 0.985, "accept": 1.0, "pin": 0.97, "fines": 0.80}
BASES: Final = ("dry", "green", "solid", "loose")
AGE_LIMIT_D: Final = {"softwood": 60.0, "hardwood": 45.0, "wet summer": 30.0}


def dry_basis(wet_pct: float) -> float:
    """Dry basis of wet-basis moisture. 48 % is 92.308 %."""
    return 100.0 * wet_pct / (100.0 - wet_pct)


def wet_basis(dry_pct: float) -> float:
    return 100.0 * dry_pct / (100.0 + dry_pct)


def full_pct(rho_b: float) -> float:
    """Dry-basis moisture of a chip that holds all the water it can: 100 (1000/rho − 1000/1530)."""
    return 100.0 * (1000.0 / rho_b - 1000.0 / WALL)


@dataclass(frozen=True, slots=True, kw_only=True)
class MoistureCase:
    school: str = choice("Given on", ("wet basis", "dry basis"))
    moisture_pct: float = quantity("Moisture", "%", possible=(0, 400), valid=(5, 200), decimals=1)
    rho_b: float = quantity("Basic density", "kg/m³", possible=(200, 900), valid=(350, 600), decimals=0, default=420.0)


@dataclass(frozen=True, slots=True, kw_only=True)
class MoistureFound:
    wet_pct: float = figure("Of the wet mass", "%", decimals=1, equation="100 u/(100 + u)")
    dry_pct: float = figure("Of the dry mass", "%", decimals=1, equation="100 M/(100 − M)")
    solids_pct: float = figure("Dry solids", "%", decimals=1, equation="100 − M")
    full_pct: float = figure("Chip full at, dry basis", "%", decimals=1, equation="100 (1000/density − 1/1.53)")
    green_kg_m3: float = figure("Green density", "kg/m³", decimals=0, equation="basic density (1 + u/100)")
    cautions: tuple[Caution, ...] = ()


@model(
    "chips.moisture",
    title="Moisture on both bases",
    source="SCAN-CM 39; cell wall 1530 kg/m³",
    holds_for="wet basis under 100 %; dry basis to the full chip",
    equation="u = 100 M/(100 − M)",
    symbols="u=dry_pct M=wet_pct",
    checks=(
        Check({"school": "wet basis", "moisture_pct": 48}, "dry_pct", 92.308, 1e-3),
        Check({"school": "dry basis", "moisture_pct": 110}, "wet_pct", 52.381, 1e-3),
        Check({"school": "wet basis", "moisture_pct": 48, "rho_b": 420}, "full_pct", 172.74, 2e-3),
    ),
)
def moisture(case: MoistureCase) -> MoistureFound:
    """Moisture by the other school. Raises: ImpossibleInput for 100 % or more on wet basis, with the hint of the other
    school."""
    cautions = check(case)
    if case.school == "wet basis" and case.moisture_pct >= 100.0:
        raise ImpossibleInput(
            Problem("moisture_pct", f"is {case.moisture_pct:g} % of the wet mass; it must be under 100 %. On dry basis?")
        )
    u = dry_basis(case.moisture_pct) if case.school == "wet basis" else case.moisture_pct
    if u > full_pct(case.rho_b):
        cautions += (
            Caution(
                "moisture_pct",
                f"is over {full_pct(case.rho_b):.0f} % dry basis, a full chip: surface water, or another density",
            ),
        )
    return MoistureFound(
        wet_pct=wet_basis(u),
        dry_pct=u,
        solids_pct=100.0 - wet_basis(u),
        full_pct=full_pct(case.rho_b),
        green_kg_m3=case.rho_b * (1.0 + u / 100.0),
        cautions=cautions,
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class Part:
    """One wood of a mix: share (any basis, any scale), wet-basis moisture, basic density, solid fraction of loose chips."""

    name: str
    share: float
    moisture_pct: float
    rho_b: float
    phi: float = 0.37


@dataclass(frozen=True, slots=True, kw_only=True)
class WoodMix:
    """Shares on every basis (fractions), and the mixture's own figures."""

    dry: tuple[float, ...]
    green: tuple[float, ...]
    solid: tuple[float, ...]
    loose: tuple[float, ...]
    moisture_pct: float
    rho_b: float
    bulk_od: float
    cautions: tuple[Caution, ...] = ()


def _normal(values: list[float]) -> tuple[float, ...]:
    whole = sum(values)
    return tuple(v / whole for v in values)


def mix_wood(parts: tuple[Part, ...], basis: str) -> WoodMix:
    """Shares given on one basis, on all four. Raises: ImpossibleInput naming each bad part.

    Worked: 60/40 by green mass, moisture 52/45 %, density 400/500, solid fraction .36/.38: oven-dry 56.693/43.307.
    """
    bad = [] if basis in BASES else [Problem("basis", f"is {basis!r}; it must be one of {', '.join(BASES)}")]
    for i, p in enumerate(parts):
        for field, value, low, high, unit in (
            ("share", p.share, 0.0, math.inf, ""),
            ("moisture_pct", p.moisture_pct, 0.0, 99.0, " %"),
            ("rho_b", p.rho_b, 200.0, 900.0, " kg/m³"),
            ("phi", p.phi, 0.25, 0.50, ""),
        ):
            if not (math.isfinite(value) and low <= value <= high):
                hint = " On dry basis?" if field == "moisture_pct" and value > 99 else ""
                bad.append(
                    Problem(
                        f"{field}_{i}",
                        f"of {p.name} is {value:g}{unit}; it must be {low:g} to {high:g}{unit}.{hint}"
                        if math.isfinite(high)
                        else f"of {p.name} is {value:g}; it must be at least 0",
                    )
                )
    if not bad and sum(p.share for p in parts) <= 0.0:
        bad.append(Problem("share_0", "and the others sum to 0; give at least one"))
    if bad:
        raise ImpossibleInput(*bad)

    def to_dry(p: Part) -> float:
        return {"dry": 1.0, "green": 1.0 - p.moisture_pct / 100.0, "solid": p.rho_b, "loose": p.rho_b * p.phi}[basis]

    w = _normal([p.share * to_dry(p) for p in parts])
    u = sum(x * dry_basis(p.moisture_pct) for x, p in zip(w, parts, strict=True))
    cautions: list[Caution] = []
    present = [p for p in parts if p.share > 0]
    if present and max(p.rho_b for p in present) - min(p.rho_b for p in present) > 80.0:
        cautions.append(
            Caution("rho_b_0", "densities differ by more than 80 kg/m³: cooks unevenly; separate lines or campaigns")
        )
    return WoodMix(
        dry=w,
        green=_normal([x / (1.0 - p.moisture_pct / 100.0) for x, p in zip(w, parts, strict=True)]),
        solid=_normal([x / p.rho_b for x, p in zip(w, parts, strict=True)]),
        loose=_normal([x / (p.rho_b * p.phi) for x, p in zip(w, parts, strict=True)]),
        moisture_pct=wet_basis(u),
        rho_b=1.0 / sum(x / p.rho_b for x, p in zip(w, parts, strict=True)),
        bulk_od=1.0 / sum(x / (p.rho_b * p.phi) for x, p in zip(w, parts, strict=True)),
        cautions=tuple(cautions),
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class DemandCase:
    screened_pct: float = quantity("Screened yield", "%", possible=(0, 100), above=True, valid=(35, 60), decimals=1)
    loss_pct: float = quantity("Later fibre losses", "%", possible=(0, 90), valid=(0, 15), decimals=1)
    bark_pct: float = quantity("Bark", "%", possible=(0, 90), valid=(0, 3), decimals=1)
    fines_pct: float = quantity("Fines taken out", "%", possible=(0, 90), valid=(0, 5), decimals=1)
    rho_b: float = quantity("Basic density", "kg/m³", possible=(200, 900), valid=(350, 600), decimals=0)
    moisture_pct: float = quantity("Moisture", "% wet", possible=(0, 99), valid=(30, 65), decimals=1)
    phi: float = quantity("Solid fraction, loose", "", possible=(0.25, 0.50), valid=(0.33, 0.42), decimals=2, default=0.37)
    adt_h: float = quantity("Pulp", "ADt/h", possible=(0, 500), decimals=2, default=1.0)


@dataclass(frozen=True, slots=True, kw_only=True)
class DemandFound:
    od_t: float = figure("Clean wood", "t/h OD", decimals=2, equation="0.9 × ADt/h/yield/(1 − losses)")
    supplied_t: float = figure("Wood supplied", "t/h OD", decimals=2, equation="clean wood/[(1 − bark)(1 − fines)]")
    green_t: float = figure("as it comes", "t/h wet", decimals=2, equation="supplied/(1 − moisture)")
    solid_m3: float = figure("Solid", "m³/h", decimals=2, equation="1000 supplied/density")
    loose_m3: float = figure("Loose", "m³/h", decimals=1, equation="solid/solid fraction")
    cautions: tuple[Caution, ...] = ()


_D = {"screened_pct": 46, "loss_pct": 1, "bark_pct": 1.5, "fines_pct": 2, "rho_b": 420, "moisture_pct": 50}


@model(
    "chips.demand",
    title="Wood for pulp",
    source="balance; 1 ADt is 0.9 t OD",
    holds_for="per ADt, or per hour with ADt/h",
    equation="od = 0.9/Y/(1 − loss)",
    symbols="od=od_t Y=screened_pct loss=loss_pct",
    checks=tuple(
        Check(_D, f, w, 2e-3)
        for f, w in (("od_t", 1.9763), ("supplied_t", 2.0473), ("green_t", 4.0947), ("solid_m3", 4.8746), ("loose_m3", 13.175))
    ),
)
def demand(case: DemandCase) -> DemandFound:
    """Wood on every basis for so much pulp. Raises: ImpossibleInput."""
    cautions = check(case)
    od = case.adt_h * 0.9 / (case.screened_pct / 100.0) / (1.0 - case.loss_pct / 100.0)
    supplied = od / ((1.0 - case.bark_pct / 100.0) * (1.0 - case.fines_pct / 100.0))
    solid = 1000.0 * supplied / case.rho_b
    return DemandFound(
        od_t=od,
        supplied_t=supplied,
        green_t=supplied / (1.0 - case.moisture_pct / 100.0),
        solid_m3=solid,
        loose_m3=solid / case.phi,
        cautions=cautions,
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class FeedCase:
    basis: str = choice("Measured", ("belt scale, t/h wet", "loose volume, m³/h", "screw, rpm"))
    reading: float = quantity("Reading", "", possible=(0, 10_000), decimals=1)
    moisture_pct: float = quantity("Moisture", "% wet", possible=(0, 99), valid=(30, 65), decimals=1)
    rho_b: float = quantity("Basic density", "kg/m³", possible=(200, 900), valid=(350, 600), decimals=0)
    phi: float = quantity("Solid fraction, loose", "", possible=(0.25, 0.50), valid=(0.33, 0.42), decimals=2, default=0.37)
    m3_rev: float = quantity("Screw, m³ a turn", "m³", possible=(0, 20), decimals=3, default=0.3)
    fill: float = quantity("Screw fill", "", possible=(0, 1), above=True, valid=(0.8, 0.95), decimals=2, default=0.9)


@dataclass(frozen=True, slots=True, kw_only=True)
class FeedFound:
    od_t_h: float = figure("Oven-dry wood", "t/h", decimals=2, equation="wet × (1 − M), or loose m³/h × bulk/1000")
    wet_t_h: float = figure("as it comes", "t/h wet", decimals=2, equation="od/(1 − M)")
    loose_m3_h: float = figure("on the belt", "m³/h", decimals=1, equation="1000 od/bulk")
    bulk_od: float = figure("OD bulk density", "kg/m³", decimals=0, equation="basic density × solid fraction")
    cautions: tuple[Caution, ...] = ()


@model(
    "chips.feed",
    title="Feed to oven-dry wood",
    source="balance",
    holds_for="screw fill 0.8 to 0.95; solid fraction 0.33 to 0.42",
    equation="od = wet (1 − M) = V ρ φ/1000",
    symbols="od=od_t_h wet=wet_t_h V=loose_m3_h ρ=rho_b φ=phi M=moisture_pct",
    basis="default",
    checks=(Check({"basis": "belt scale, t/h wet", "reading": 60, "moisture_pct": 50, "rho_b": 420}, "od_t_h", 30, 1e-9),),
)
def feed(case: FeedCase) -> FeedFound:
    """Oven-dry wood of a belt scale, a loose volume or a metering screw. Raises: ImpossibleInput."""
    cautions = check(case)
    bulk = case.rho_b * case.phi
    if case.basis.startswith("belt"):
        od = case.reading * (1.0 - case.moisture_pct / 100.0)
    else:
        loose = case.reading if case.basis.startswith("loose") else case.m3_rev * case.reading * 60.0 * case.fill
        od = loose * bulk / 1000.0
    return FeedFound(
        od_t_h=od,
        wet_t_h=od / (1.0 - case.moisture_pct / 100.0),
        loose_m3_h=1000.0 * od / bulk,
        bulk_od=bulk,
        cautions=cautions,
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class PileCase:
    base_m: float = quantity("Base", "m", possible=(0, 500), above=True, valid=(5, 150), decimals=0)
    repose_deg: float = quantity(
        "Angle of repose",
        "°",
        possible=(0, 60),
        above=True,
        valid=(38, 45),
        decimals=0,
        default=40.0,
    )
    bulk_od: float = quantity("OD bulk density", "kg/m³", possible=(20, 400), valid=(80, 220), decimals=0)
    draw_t_h: float = quantity("Drawn", "t/h OD", possible=(0, 500), above=True, decimals=1)


@dataclass(frozen=True, slots=True, kw_only=True)
class PileFound:
    volume_m3: float = figure("Volume", "m³", decimals=0, equation="π (d/2)³ tan r/3")
    od_t: float = figure("Holds", "t OD", decimals=0, equation="volume × bulk/1000")
    days: float = figure("Cover", "d", decimals=1, equation="t OD/(t/h × 24)")
    height_m: float = figure("Height", "m", decimals=1, equation="d/2 tan r")
    cautions: tuple[Caution, ...] = ()


_P = {"base_m": 60, "repose_deg": 40, "bulk_od": 155, "draw_t_h": 55}


@model(
    "chips.pile",
    title="A cone of chips",
    source="geometry",
    holds_for="repose 38 to 45°",
    equation="V = π (d/2)³ tan r / 3",
    symbols="V=volume_m3 d=base_m r=repose_deg",
    checks=(Check(_P, "volume_m3", 23725, 2e-3), Check(_P, "days", 2.7859, 2e-3)),
)
def pile(case: PileCase) -> PileFound:
    """Volume, content and days of cover of a cone. Raises: ImpossibleInput."""
    cautions = check(case)
    tan = math.tan(math.radians(case.repose_deg))
    volume = math.pi * (case.base_m / 2.0) ** 3 * tan / 3.0
    od = volume * case.bulk_od / 1000.0
    return PileFound(
        volume_m3=volume, od_t=od, days=od / (24.0 * case.draw_t_h), height_m=case.base_m / 2.0 * tan, cautions=cautions
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class ClassesCase:
    oversize_pct: float = quantity("Oversize, 45 mm holes", "%", possible=(0, 100), valid=(0, 5), decimals=1)
    over_thick_pct: float = quantity("Over-thick, 8 mm slots", "%", possible=(0, 100), valid=(0, 12), decimals=1)
    accept_pct: float = quantity("Accept", "%", possible=(0, 100), valid=(70, 100), decimals=1)
    pin_pct: float = quantity("Pins, 3 mm holes", "%", possible=(0, 100), valid=(0, 12), decimals=1)
    fines_pct: float = quantity("Fines", "%", possible=(0, 100), valid=(0, 3), decimals=1)
    bark_pct: float = quantity("Bark", "%", possible=(0, 100), valid=(0, 2), decimals=1, default=0.0)


@dataclass(frozen=True, slots=True, kw_only=True)
class ClassesFound:
    yield_factor: float = figure("Yield factor", "", decimals=4, equation="Σ share × yield of the class")
    ea_plus: float = figure("EA to add for bark", "% of EA", decimals=2, equation="0.3 % of EA per % bark")
    over_thick_state: float = figure("Over-thick, of the act limit", "%", decimals=0, equation="100 × over-thick/12")
    scale: float = figure("Shares rescaled by", "", decimals=4, equation="100/sum")
    cautions: tuple[Caution, ...] = ()


_LIMITS = (
    ("over_thick_pct", "over-thick", 8.0, 12.0),
    ("pin_pct", "pins", 8.0, 12.0),
    ("fines_pct", "fines", 1.5, 3.0),
    ("bark_pct", "bark", 1.0, 2.0),
)


@model(
    "chips.classes",
    title="Size and thickness classes",
    source="SCAN-CM 40; yields of classes are defaults to be calibrated",
    holds_for="classes that make 100 ± 0.5 %",
    equation="F = Σ w y, y = .96, .985, 1, .97, .80",
    symbols="F=yield_factor",
    basis="default",
    checks=(
        Check(
            {"oversize_pct": 2, "over_thick_pct": 8, "accept_pct": 82, "pin_pct": 6.5, "fines_pct": 1.5},
            "yield_factor",
            0.02 * 0.96 + 0.08 * 0.985 + 0.82 + 0.065 * 0.97 + 0.015 * 0.8,
            1e-9,
        ),
    ),
)
def classes(case: ClassesCase) -> ClassesFound:
    """Yield factor of a classifier entry. Raises: ImpossibleInput when the classes do not make 100 ± 0.5 %."""
    cautions = check(case)
    shares = {k: getattr(case, f"{k}_pct") for k in YIELD_OF_CLASS}
    whole = sum(shares.values())
    if abs(whole - 100.0) > 0.5 + 1e-9:
        raise ImpossibleInput(Problem("accept_pct", f"and the other classes sum to {whole:g} %; they must make 100 ± 0.5 %"))
    if whole != 100.0:
        cautions += (Caution("accept_pct", f"the classes sum to {whole:g} %; they are rescaled to 100 %"),)
    for field, word, watch, act in _LIMITS:
        value = getattr(case, field)
        if value > watch:
            cautions += (
                Caution(
                    field,
                    f"{word} {value:g} % is over {act:g} %: act"
                    if value > act
                    else f"{word} {value:g} % is over {watch:g} %: watch",
                ),
            )
    factor = sum(shares[k] * y for k, y in YIELD_OF_CLASS.items()) / whole
    return ClassesFound(
        yield_factor=factor,
        ea_plus=0.3 * case.bark_pct,
        over_thick_state=100.0 * case.over_thick_pct / 12.0,
        scale=100.0 / whole,
        cautions=cautions,
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class TrapCase:
    capacity_kg: float = quantity("Trap holds", "kg", possible=(0, 10_000), above=True, decimals=0)
    wet_t_h: float = quantity("Feed", "t/h wet", possible=(0, 1000), above=True, decimals=0)
    ppm: float = quantity("Stones and metal", "ppm", possible=(0, 100_000), above=True, decimals=0)
    capture: float = quantity("Caught", "", possible=(0, 1), above=True, decimals=2, default=0.9)


@dataclass(frozen=True, slots=True, kw_only=True)
class TrapFound:
    hours: float = figure("Full in", "h", decimals=1, equation="capacity/(t/h × 1000 × ppm × 10⁻⁶ × caught)")
    kg_day: float = figure("Caught a day", "kg", decimals=0, equation="24 × caught an hour")
    cautions: tuple[Caution, ...] = ()


@model(
    "chips.trap",
    title="Stone and metal trap",
    source="balance",
    holds_for="a trap that is emptied by procedure, locked out",
    equation="h = m/(W · 1000 · ppm · 10⁻⁶ · c)",
    symbols="h=hours m=capacity_kg W=wet_t_h c=capture",
    checks=(Check({"capacity_kg": 150, "wet_t_h": 110, "ppm": 25}, "hours", 60.606, 2e-3),),
)
def trap(case: TrapCase) -> TrapFound | Infeasible:
    """Hours until a trap is full. Raises: ImpossibleInput."""
    cautions = check(case)
    an_hour = case.wet_t_h * 1000.0 * case.ppm * 1e-6 * case.capture
    return TrapFound(hours=case.capacity_kg / an_hour, kg_day=24.0 * an_hour, cautions=cautions)


@dataclass(frozen=True, slots=True, kw_only=True)
class WeatherCase:
    od_t: float = quantity("Wood in the pile", "t OD", possible=(0, 1e6), above=True, decimals=0)
    moisture_pct: float = quantity("Moisture now", "% wet", possible=(0, 90), valid=(20, 65), decimals=1)
    area_m2: float = quantity("Open top", "m²", possible=(0, 1e6), above=True, decimals=0)
    bulk_od: float = quantity("Bulk, OD", "kg/m³", possible=(50, 400), valid=(100, 220), decimals=0, default=165.0)
    rain_mm: float = quantity("Rain to come", "mm", possible=(0, 1000), valid=(0, 120), decimals=0)
    days: float = quantity("over", "days", possible=(0, 365), above=True, valid=(0.1, 30), decimals=1, default=1.0)
    dry_mm_day: float = quantity("Drying of the top", "mm/day", possible=(0, 15), valid=(0, 6), decimals=1, default=1.5)
    taken: float = quantity("Rain that stays in", "share", possible=(0, 1), valid=(0.3, 0.9), decimals=2, default=0.6)
    skin_m: float = quantity("Depth it reaches", "m", possible=(0, 20), above=True, valid=(0.3, 3), decimals=1, default=1.0)
    rho_b: float = quantity("Basic density", "kg/m³", possible=(200, 900), valid=(300, 650), decimals=0, default=510.0)


@dataclass(frozen=True, slots=True, kw_only=True)
class WeatherFound:
    skin_pct: float = figure(
        "Moisture of the wetted skin", "% wet", decimals=1, equation="u + 100 water/skin's wood, to wet basis"
    )
    mean_pct: float = figure("Moisture of the whole pile", "% wet", decimals=1, equation="the same water in all of it")
    water_t: float = figure(
        "Water gained",
        "t",
        decimals=1,
        equation="area (rain × kept − drying × days)/1000, as far as the skin holds or gives it",
    )
    skin_t: float = figure("Wood in that skin", "t OD", decimals=0, equation="area × depth × bulk, the pile at most")
    feed_more_pct: float = figure(
        "Wet feed for the same dry wood",
        "% more",
        decimals=1,
        equation="(1 − M0)/(1 − M skin) − 1",
    )
    cautions: tuple[Caution, ...] = ()


@model(
    "chips.weather",
    title="Weather on a pile",
    source="water balance of the skin; shares and depth are defaults to be calibrated",
    holds_for="rain and drying on an open pile, no frost",
    equation="Δu = 100 A (rain f − dry d)/1000 / (A z bulk/1000)",
    symbols="A=area_m2 f=taken dry=dry_mm_day d=days z=skin_m bulk=bulk_od rain=rain_mm",
    calibrated_by=("taken", "skin_m", "dry_mm_day"),
    basis="default",
    checks=(
        Check({"od_t": 1851, "moisture_pct": 45.4, "area_m2": 2000, "rain_mm": 30, "dry_mm_day": 0}, "water_t", 36.0),
        Check({"od_t": 1851, "moisture_pct": 45.4, "area_m2": 2000, "rain_mm": 30, "dry_mm_day": 0}, "skin_pct", 48.4694, 1e-5),
    ),
)
def weather(case: WeatherCase) -> WeatherFound:
    """What rain and drying make of the skin and of the pile. A skin cannot hold more than full wood, nor be drier than air-dry
    (8 %).

    Raises: ImpossibleInput.
    """
    cautions = check(case)
    skin = min(case.od_t, case.area_m2 * case.skin_m * case.bulk_od / 1000.0)
    u0, most = dry_basis(case.moisture_pct), max(full_pct(case.rho_b), dry_basis(case.moisture_pct))
    wanted = case.area_m2 * (case.rain_mm * case.taken - case.dry_mm_day * case.days) / 1000.0
    water = min((most - u0) / 100.0 * skin, max((min(u0, 8.0) - u0) / 100.0 * skin, wanted))
    if wanted > water:
        cautions += (Caution("rain_mm", f"{wanted - water:.0f} t run through: the skin holds no more"),)
    u1 = u0 + 100.0 * water / skin
    m1 = wet_basis(u1)
    return WeatherFound(
        skin_pct=m1,
        mean_pct=wet_basis(u0 + 100.0 * water / case.od_t),
        water_t=water,
        skin_t=skin,
        feed_more_pct=100.0 * ((100.0 - case.moisture_pct) / (100.0 - m1) - 1.0),
        cautions=cautions,
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class OrderCase:
    pulp_t: float = quantity("Pulp for the order", "t OD", possible=(0, 1e6), above=True, decimals=1)
    screened_pct: float = quantity("Screened yield", "%", possible=(0, 100), above=True, valid=(38, 60), decimals=1)
    loss_pct: float = quantity("Lost later", "%", possible=(0, 90), valid=(0, 12), decimals=1, default=1.0)
    bark_pct: float = quantity("Bark", "%", possible=(0, 60), valid=(0, 3), decimals=1, default=1.0)
    fines_pct: float = quantity("Fines screened out", "%", possible=(0, 60), valid=(0, 4), decimals=1, default=1.5)
    moisture_pct: float = quantity("Moisture", "% wet", possible=(0, 95), valid=(30, 65), decimals=1)
    rho_b: float = quantity("Basic density", "kg/m³", possible=(200, 900), valid=(350, 600), decimals=0, default=510.0)
    feed_t_h: float = quantity("Oven-dry feed", "t/h", possible=(0, 500), above=True, decimals=2)
    yard_t: float = quantity("Wood in the yard", "t OD", possible=(0, 1e6), decimals=0, default=0.0)


@dataclass(frozen=True, slots=True, kw_only=True)
class OrderFound:
    od_t: float = figure("Wood for it", "t OD", decimals=1, equation="pulp/(Y (1 − loss)(1 − bark)(1 − fines))")
    green_t: float = figure("as it comes", "t wet", decimals=1, equation="od/(1 − M)")
    loose_m3: float = figure("loose", "m³", decimals=0, equation="1000 od/(density × 0.37)")
    hours: float = figure("Hours of this feed", "h", decimals=1, equation="od/feed")
    lacks_t: float = figure("Lacking in the yard", "t OD", decimals=1, equation="wood − yard, not under 0")
    cautions: tuple[Caution, ...] = ()


@model(
    "chips.order",
    title="Wood for an order",
    source="balance",
    holds_for="one source of one order",
    equation="od = pulp/[Y (1 − l)(1 − b)(1 − f)]",
    symbols="od=od_t pulp=pulp_t Y=screened_pct l=loss_pct b=bark_pct f=fines_pct",
    checks=(
        Check(
            {
                "pulp_t": 0.9,
                "screened_pct": 46,
                "loss_pct": 1,
                "bark_pct": 1.5,
                "fines_pct": 2,
                "rho_b": 420,
                "moisture_pct": 50,
                "feed_t_h": 1,
            },
            "od_t",
            2.0473,
            2e-3,
        ),
        Check(
            {
                "pulp_t": 0.9,
                "screened_pct": 46,
                "loss_pct": 1,
                "bark_pct": 1.5,
                "fines_pct": 2,
                "rho_b": 420,
                "moisture_pct": 50,
                "feed_t_h": 1,
            },
            "green_t",
            4.0947,
            2e-3,
        ),
        Check(
            {
                "pulp_t": 0.9,
                "screened_pct": 46,
                "loss_pct": 1,
                "bark_pct": 1.5,
                "fines_pct": 2,
                "rho_b": 420,
                "moisture_pct": 50,
                "feed_t_h": 1,
            },
            "loose_m3",
            13.175,
            2e-3,
        ),
    ),
)
def order(case: OrderCase) -> OrderFound:
    """Wood of one source for an order, on every basis. Raises: ImpossibleInput."""
    cautions = check(case)
    keep = (1 - case.loss_pct / 100) * (1 - case.bark_pct / 100) * (1 - case.fines_pct / 100)
    od = case.pulp_t / (case.screened_pct / 100.0 * keep)
    lacks = max(0.0, od - case.yard_t)
    return OrderFound(
        od_t=od,
        green_t=od / (1 - case.moisture_pct / 100),
        loose_m3=1000 * od / (case.rho_b * 0.37),
        hours=od / case.feed_t_h,
        lacks_t=lacks,
        cautions=cautions,
    )
