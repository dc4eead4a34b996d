"""Units and schools at the edge: what the core computes in, and what this mill or person reads.

One table. A unit that is not in it is shown as the core has it. Every figure says its school by its unit.
Sources: international inch, pound and US gallon (exact); NaOH and Na₂O by molar mass 2 × 39.997 and 61.979;
freeness by core.refine.freeness; directional brightness by a mill offset (no formula holds for all pulps).
"""

import math
from collections.abc import Callable
from dataclasses import asdict, dataclass, fields
from functools import cached_property

from core.refine import freeness

LB, GAL, FT, SHORT_T = 0.45359237, 3.785411784, 0.3048, 0.90718474
NA2O = 61.979 / (2 * 39.997)
AIR_DRY = 0.9


@dataclass(frozen=True)
class Schools:
    """One choice a question. The core's own are first in CHOICES."""

    system: str = "metric"
    freeness: str = "csf"
    alkali: str = "naoh"
    moisture: str = "wet"
    dryness: str = "od"
    brightness: str = "iso"
    offset: float = 0.0  # directional less ISO brightness, points

    @cached_property
    def ways(self) -> dict[str, "Way"]:
        """How every unit that is not shown as it is is shown, by the core's unit."""
        if self not in _known:
            _known[self] = _ways(self)
        return _known[self]


CHOICES = {
    "system": ("Measures", (("metric", "metric"), ("us", "US customary"))),
    "freeness": ("Freeness", (("csf", "Canadian standard, mL"), ("sr", "Schopper-Riegler, °SR"))),
    "alkali": ("Alkali", (("naoh", "as NaOH"), ("na2o", "as Na₂O"))),
    "moisture": ("Moisture", (("wet", "of the wet mass"), ("dry", "of the dry mass"))),
    "dryness": ("Pulp", (("od", "oven-dry"), ("ad", "air-dry, 90 %"))),
    "brightness": ("Brightness", (("iso", "ISO"), ("dir", "directional, ISO + the mill’s offset"))),
}


@dataclass(frozen=True)
class Way:
    """From the core's unit to another and back; `more` decimals are added to what the core would print."""

    unit: str
    to: Callable[[float], float]
    back: Callable[[float], float]
    more: int = 0


def _times(unit: str, factor: float, more: int = 0) -> Way:
    return Way(unit, lambda v: v * factor, lambda v: v / factor, more)


US = {
    "L/min": _times("US gal/min", 1 / GAL),
    "m³/h": _times("US gal/min", 1000 / 60 / GAL),
    "m³/min": _times("US gal/min", 1000 / GAL),
    "m³": _times("US gal", 1000 / GAL),
    "t": _times("short t", 1 / SHORT_T),
    "t OD": _times("short t OD", 1 / SHORT_T),
    "t/h": _times("short t/h", 1 / SHORT_T),
    "t/h OD": _times("short t/h OD", 1 / SHORT_T),
    "m/min": _times("ft/min", 1 / FT),
    "m": _times("ft", 1 / FT),
    "mm": _times("in", 1 / 25.4, 2),
    "g/m²": _times("lb/3000 ft²", 3000 * FT**2 / (1000 * LB), 1),
    "kg/t": _times("lb/short t", 2.0),
    "kg/m³": _times("lb/ft³", FT**3 / LB, 1),
    "kg/L": _times("lb/US gal", GAL / LB),
    "kWh/t": _times("kWh/short t", SHORT_T),
    "°C": Way("°F", lambda v: v * 1.8 + 32, lambda v: (v - 32) / 1.8),
}


def _dry(w: float) -> float:
    return 100.0 * w / (100.0 - w) if w < 100.0 else math.inf


def _ways(schools: Schools) -> dict[str, Way]:
    ways: dict[str, Way] = dict(US) if schools.system == "us" else {}
    if schools.freeness == "sr":
        ways["mL CSF"] = Way("°SR", freeness.sr_of, freeness.csf_of, 1)
    if schools.alkali == "na2o":
        ways |= {u: _times(u.replace("NaOH", "Na₂O"), NA2O) for u in ("g/L NaOH", "% NaOH", "kg NaOH/ADt", "kg/t NaOH")}
    if schools.moisture == "dry":
        ways["% wet"] = Way("% dry", _dry, lambda d: 100.0 * d / (100.0 + d))
    if schools.dryness == "ad":
        for unit in ("t/h OD", "t OD"):
            before = ways.get(unit)
            name = before.unit.replace(" OD", " AD") if before else unit.replace(" OD", " AD")
            factor = (before.to(1.0) if before else 1.0) / AIR_DRY
            ways[unit] = _times(name, factor)
    if schools.brightness == "dir":
        ways["% ISO"] = Way("% dir.", lambda v: v + schools.offset, lambda v: v - schools.offset)
    return ways


_known: dict[Schools, dict[str, Way]] = {}


def way(unit: str, schools: Schools | None) -> Way | None:
    """How a unit is shown in these schools; None when it stays as it is."""
    return schools.ways.get(unit) if unit and schools is not None else None


def shown(value: float | None, unit: str, schools: Schools | None) -> tuple[float | None, str, int]:
    """(value, unit, extra decimals) as read. A value that the other scale does not hold stays in the core's unit."""
    result = way(unit, schools)
    if result is None or value is None or not math.isfinite(value):
        return value, unit if result is None or value is not None else result.unit, 0
    try:
        return result.to(value), result.unit, result.more
    except ValueError:
        return value, unit, 0


def typed(value: float, unit: str, schools: Schools | None) -> float:
    """What was typed in the reader's unit, in the core's."""
    result = way(unit, schools)
    return value if result is None else result.back(value)


def schools_from(*choices: dict) -> Schools:
    """The mill's choices, then the person's on top; unknown keys and values are left out."""
    kept = asdict(Schools())
    for given in choices:
        for f in fields(Schools):
            if f.name == "offset":
                kept["offset"] = float(given.get("offset", kept["offset"]))
            elif given.get(f.name) in dict(CHOICES[f.name][1]):
                kept[f.name] = given[f.name]
    return Schools(**kept)


def key(schools: Schools) -> str:
    """The choices as an address holds them: us.sr.naoh.wet.od.iso; empty for the core's own."""
    if schools == Schools():
        return ""
    return ".".join([*(getattr(schools, name) for name in CHOICES), f"{schools.offset:g}"])


def from_key(text: str, reader: Schools | None) -> Schools | None:
    """The schools an address was written in; without a key the core's own. A key nobody knows is read as the reader's."""
    if not text:
        return Schools()
    parts = text.split(".", len(CHOICES))
    if len(parts) <= len(CHOICES):
        return reader
    try:
        return schools_from(dict(zip(CHOICES, parts, strict=False)) | {"offset": parts[-1]})
    except ValueError:
        return reader
