"""Plates: cutting edge length, what it means for the edge load, and the power of a refiner that does no work.

Cutting edge length in km a revolution, one side, with 1/cos of the bar angle unless it is said otherwise: conventions differ.
Sources: Wultsch and Flucher 1958, TAPPI TIP 0508-05; Meltzer and Rautenbach 1994; Lumiainen 1990; no-load: form of Herbert and
Marsh 1968, its constant a default.
"""

import math
from dataclasses import dataclass
from typing import Final

from core.errors import Caution, ImpossibleInput, Problem
from core.quantity import check, choice, figure, quantity, rows
from core.register import Check, model

NO_LOAD, NO_LOAD_POWER = 1.3785e-6, 4.249  # kW of a pair of discs, D in m, rpm
WEAR_NO_LOAD: Final = 0.15  # less no-load of plates worn out, default


@dataclass(frozen=True, slots=True, kw_only=True)
class PlateCase:
    """A plate of parallel bars all over its ring."""

    inner_mm: float = quantity("Inner radius", "mm", possible=(0, 2000), valid=(60, 500), decimals=0)
    outer_mm: float = quantity("Outer radius", "mm", possible=(0, 3000), above=True, valid=(150, 900), decimals=0)
    bar_mm: float = quantity("Bar", "mm", possible=(0, 60), above=True, valid=(1, 6), decimals=1)
    groove_mm: float = quantity("Groove", "mm", possible=(0, 60), above=True, valid=(1.5, 8), decimals=1)
    angle_deg: float = quantity("Bar angle from the radius", "°", possible=(0, 80), valid=(0, 40), decimals=0, default=10.0)
    sides: str = choice("Sides", ("one", "two"), default="one")


@dataclass(frozen=True, slots=True, kw_only=True)
class PlateFound:
    cel_km: float = figure("Cutting edge", "km/rev", decimals=3, equation="(2π cos θ/(W + G))² (r₂³ − r₁³)/3/cos θ")
    plain_km: float = figure("without 1/cos θ", "km/rev", decimals=3, equation="the same × cos θ")
    bars: float = figure("Bars at the rim", "", decimals=0, equation="2π r₂ cos θ/(W + G)")
    cautions: tuple[Caution, ...] = ()


_PLATE = {"inner_mm": 160, "outer_mm": 300, "bar_mm": 3, "groove_mm": 4, "angle_deg": 10}


@model(
    "refine.plate",
    title="Cutting edge of a plate",
    source="Wultsch and Flucher 1958; TAPPI TIP 0508-05",
    holds_for="parallel bars; rotor and stator alike",
    equation="CEL = (2π cos θ/(W + G))² (r₂³ − r₁³)/(3 cos θ)",
    basis="published",
    checks=(
        Check(_PLATE, "cel_km", 6.0577, 1e-4),
        Check(_PLATE, "plain_km", 5.9656, 1e-4),
        Check({**_PLATE, "sides": "two"}, "cel_km", 2 * 6.0577, 1e-4),
    ),
)
def plate(case: PlateCase) -> PlateFound:
    """Raises: ImpossibleInput for an inner radius that is not inside the outer one."""
    cautions = check(case)
    if case.inner_mm >= case.outer_mm:
        raise ImpossibleInput(Problem("inner_mm", f"is {case.inner_mm:g} mm; it must be under the outer, {case.outer_mm:g} mm"))
    cos, pitch = math.cos(math.radians(case.angle_deg)), (case.bar_mm + case.groove_mm) / 1000.0
    cubes = (case.outer_mm / 1000.0) ** 3 - (case.inner_mm / 1000.0) ** 3
    plain = (2.0 * math.pi * cos / pitch) ** 2 * cubes / 3.0 / 1000.0 * (2.0 if case.sides == "two" else 1.0)
    return PlateFound(
        cel_km=plain / cos, plain_km=plain, bars=2.0 * math.pi * case.outer_mm / 1000.0 * cos / pitch, cautions=cautions
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class Zone:
    """A zone of a plate, by its bars on rotor and stator."""

    rotor: int = quantity("Bars of the rotor", "", possible=(1, 2000), whole=True, decimals=0)
    stator: int = quantity("of the stator", "", possible=(1, 2000), whole=True, decimals=0)
    mm: float = quantity("Radial length", "mm", possible=(0, 1000), above=True, decimals=0)
    angle_deg: float = quantity("Bar angle", "°", possible=(0, 80), decimals=0, default=10.0)


@dataclass(frozen=True, slots=True, kw_only=True)
class ZonesCase:
    zones: tuple[Zone, ...] = rows("Zone", Zone, most=12)


@dataclass(frozen=True, slots=True, kw_only=True)
class ZonesFound:
    cel_km: float = figure("Cutting edge", "km/rev", decimals=4, equation="Σ n_r n_s Δr/cos θ")
    cautions: tuple[Caution, ...] = ()


@model(
    "refine.zones",
    title="Cutting edge by zones",
    source="TAPPI TIP 0508-05",
    holds_for="bars counted zone by zone",
    equation="CEL = Σ n_r n_s Δr/cos θ",
    basis="published",
    checks=(
        Check(
            {"zones": ({"rotor": 90, "stator": 90, "mm": 60}, {"rotor": 140, "stator": 140, "mm": 80})}, "cel_km", 2.08569, 1e-4
        ),
    ),
)
def zones(case: ZonesCase) -> ZonesFound:
    """Raises: ImpossibleInput."""
    cautions = check(case)
    metres = math.fsum(z.rotor * z.stator * z.mm / 1000.0 / math.cos(math.radians(z.angle_deg)) for z in case.zones)
    return ZonesFound(cel_km=metres / 1000.0, cautions=cautions)


@dataclass(frozen=True, slots=True, kw_only=True)
class IntensityCase:
    sel: float = quantity("Edge load", "J/m", possible=(0, 20), valid=(0.2, 6), decimals=2)
    bar_mm: float = quantity("Bar", "mm", possible=(0, 60), above=True, valid=(1, 6), decimals=1)
    groove_mm: float = quantity("Groove", "mm", possible=(0, 60), above=True, valid=(1.5, 8), decimals=1)
    angle_deg: float = quantity("Mean bar angle", "°", possible=(0, 80), above=True, valid=(3, 45), decimals=0)
    crossing_deg: float = quantity("Bars cross at", "°", possible=(0, 160), valid=(10, 90), decimals=0, default=40.0)


@dataclass(frozen=True, slots=True, kw_only=True)
class IntensityFound:
    mel: float = figure("Modified edge load", "J/m", decimals=3, equation="SEL (W + G)/(2 W tan α)")
    ssl: float = figure("Surface load", "J/m²", decimals=0, equation="SEL/IL; IL = W/cos(ψ/2)")
    cautions: tuple[Caution, ...] = ()


@model(
    "refine.intensity",
    title="Intensity by the width of a bar",
    source="Meltzer and Rautenbach 1994; Lumiainen 1990",
    holds_for="rotor and stator of the same bars",
    equation="MEL = SEL (W + G)/(2 W tan α); SSL = SEL cos(ψ/2)/W",
    basis="published",
    checks=(
        Check({"sel": 2.0, "bar_mm": 3, "groove_mm": 4, "angle_deg": 20}, "mel", 6.4108, 1e-4),
        Check({"sel": 2.0, "bar_mm": 3, "groove_mm": 4, "angle_deg": 20}, "ssl", 2000 / 3 * math.cos(math.radians(20)), 1e-9),
    ),
)
def intensity(case: IntensityCase) -> IntensityFound:
    """Raises: ImpossibleInput."""
    cautions = check(case)
    mel = case.sel * (case.bar_mm + case.groove_mm) / (2.0 * case.bar_mm * math.tan(math.radians(case.angle_deg)))
    width = case.bar_mm / 1000.0 / math.cos(math.radians(0.5 * case.crossing_deg))
    return IntensityFound(mel=mel, ssl=case.sel / width, cautions=cautions)


@dataclass(frozen=True, slots=True, kw_only=True)
class NoLoadCase:
    disc_m: float = quantity("Disc", "m", possible=(0, 3), above=True, valid=(0.3, 1.6), decimals=2)
    rpm: float = quantity("Speed", "rpm", possible=(0, 3000), above=True, valid=(300, 1500), decimals=0)
    pairs: int = quantity("Pairs of discs", "", possible=(1, 20), whole=True, decimals=0, default=1)
    wear: float = quantity("Wear", "share", possible=(0, 1), decimals=2, default=0.0)


@dataclass(frozen=True, slots=True, kw_only=True)
class NoLoadFound:
    kw: float = figure("No-load power", "kW", decimals=1, equation="1.3785e-6 D^4.249 rpm³ × pairs × (1 − 0.15 wear)")
    cautions: tuple[Caution, ...] = ()


@model(
    "refine.no_load",
    title="No-load power, estimated",
    source="form of Herbert and Marsh 1968; the constant is a default",
    holds_for="where it was not measured with water, plates backed off",
    equation="P = 1.3785e-6 D^4.249 rpm³",
    basis="default",
    checks=(Check({"disc_m": 0.60, "rpm": 1000}, "kw", 157.3, 5e-3),),
)
def no_load(case: NoLoadCase) -> NoLoadFound:
    """Raises: ImpossibleInput."""
    cautions = check(case)
    kw = NO_LOAD * case.disc_m**NO_LOAD_POWER * case.rpm**3 * case.pairs * (1.0 - WEAR_NO_LOAD * case.wear)
    return NoLoadFound(kw=kw, cautions=cautions)
