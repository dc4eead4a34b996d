"""Parts to begin a mill with: units, whole lines, the machine's end, grades and sampling rows.

Every figure here is a first value to be replaced by the mill's own; the page that offers them says so.
"""

import math
from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from typing import Any, Final

from core.blend.mix import Source, mix_furnish
from core.document import Json, read
from core.lab.methods import TESTS
from core.mill.document import FORMAT
from core.recovered.line import FOURTEEN

Part = dict[str, Any]

FRESH, CLEAR, LIQUOR, SHOWERS = "fresh", "clear", "liquor", "showers"
SHOWERS_T_T: Final = 12.0  # t of fresh water on the wire a t of furnish, to begin with
EXITS: Final = {
    "effluent": "to effluent",
    "recovery": "to recovery",
    "sewer": "sludge",
    "rejects": "rejects",
    "trash": "trash",
    "inkash": "ink and ash",
    "knots": "knots",
    "reel": "to the reel",
}
SUPPLIES: Final[Mapping[str, Part]] = {
    FRESH: {"title": "hot and fresh water", "feed": {"W": 1}, "temp_c": 55},
    LIQUOR: {"title": "cooking liquor", "feed": {"W": 0.86, "DS": 0.14}, "temp_c": 90},
}
WHOLE: Final = dict.fromkeys(("LF", "SF", "FN", "SHV", "FL", "INK", "STK", "SND", "PLS"), 1)
TOWER_ROOM_H: Final = 4.0  # hours of its line that a proposed tower holds


@dataclass(frozen=True, slots=True, kw_only=True)
class Drawing:
    """A draw that a unit needs. `tank`, `to`: a name of the document, or "self", "next" (the unit its pulp goes to) or
    "filtrate" (its line's filtrate tank)."""

    kind: str
    tank: str
    to: str
    target: float = 0.0
    a_t_fed: float = 0.0  # in place of a target: so much a tonne that the line is fed
    rest: str = ""
    displaced: bool = False


@dataclass(frozen=True, slots=True, kw_only=True)
class Preset:
    """A unit to begin with: its station, its document without name and joints, where its other outlets go, its draws."""

    key: str
    name: str
    station: str
    unit: Json = field(default_factory=dict)
    on: Json = field(default_factory=dict)  # shares of the outlet that goes on, where others do not leave it all
    others: Mapping[str, tuple[str, Json]] = field(default_factory=dict)  # outlet: (exit, shares)
    draws: tuple[Drawing, ...] = ()


def _rejects(**shares: float) -> Json:
    return {"*": 0, **shares}


_PRESSED = {"W": 1, "DS": 0.9}


def _bank(cones: int, feed_pct: float) -> Json:
    """A stage of cleaners to begin with, sized for a few tonnes an hour."""
    return {"kind": "cleaner", "cones_open": cones, "rv_pct": 12, "feed_pct": feed_pct, "size_mm": 75, "one": 500}


PRESETS: Final = {
    p.key: p
    for p in (
        Preset(
            key="chips",
            name="Chips",
            station="chips",
            unit={
                "feed_t_h": 5,
                "cons_pct": 52,
                "parts": {"LF": 0.7, "SF": 0.18, "FN": 0.11, "SHV": 0.01},
                "temp_c": 12,
                "sets": {"iso_pct": 40, "s457": 24, "csf_ml": 700, "kappa": 150, "grey": 0},
            },
        ),
        Preset(
            key="cook",
            name="Cook",
            station="cook",
            unit={
                "acts": {
                    "kind": "cook",
                    "species": "larch",
                    "ea_pct_naoh": 18,
                    "sulphidity_pct": 28,
                    "lw_m3_t": 4.1,
                    "points": [[0, 80], [35, 116], [50, 116], [95, 170], [185, 170]],
                },
                "sets": {"iso_pct": 20, "s457": 24, "csf_ml": 690},
            },
            draws=(Drawing(kind="flow", tank=LIQUOR, to="self", a_t_fed=3.4),),
        ),
        Preset(
            key="sulphite",
            name="Acid sulphite digester",
            station="cook",
            unit={
                "acts": {"kind": "sulphite", "rise_min": 210, "cook_c": 140, "hold_min": 240, "bar": 7},
                "sets": {"iso_pct": 45, "s457": 26, "csf_ml": 690},
            },
            draws=(Drawing(kind="flow", tank=LIQUOR, to="self", a_t_fed=4.0),),
        ),
        Preset(
            key="refining",
            name="Chip refiner",
            station="cook",
            unit={
                "acts": {"kind": "refine", "wood": "hemlock", "sec_kwh_t": 2100},
                "loss_pct": 4,
                "sets": {"iso_pct": 54, "s457": 52, "csf_ml": 130, "kappa": 0, "grey": 0.3},
            },
            draws=(Drawing(kind="dilute", tank=CLEAR, to="self", target=0.32, rest="rest"),),
        ),
        Preset(
            key="wash",
            name="Washing",
            station="wash",
            unit={"acts": {"kind": "washers", "name": "washing", "df": 2, "stages": [["drum", 3.5, 12], ["drum", 3.5, 13]]}},
            on={**WHOLE, "W": 0, "DS": 0.06},
            others={"filtrate": ("recovery", _rejects(W=1, DS=0.94)), "knots": ("knots", _rejects(SHV=0.6))},
            draws=(
                Drawing(kind="flow", tank=FRESH, to="self", a_t_fed=5.0),
                Drawing(kind="thicken", tank="self", to="next", target=0.12, rest="filtrate", displaced=True),
            ),
        ),
        Preset(
            key="o2",
            name="Oxygen stage",
            station="wash",
            unit={"acts": {"kind": "oxygen", "wood": "softwood", "minutes": 60, "temp_c": 98, "naoh_kg": 20}},
        ),
        Preset(
            key="bleach",
            name="Bleaching",
            station="bleach",
            unit={
                "acts": {"kind": "bleach", "wood": "softwood", "sequence": "D0-EOP-D1", "charges": [10.3, 2.7, 3.2]},
                "sets": {"s457": 31, "csf_ml": 560, "grey": 0},
            },
            on={**WHOLE, "W": 0, "DS": 0.1},
            others={"filtrate": ("effluent", _rejects(**_PRESSED))},
            draws=(
                Drawing(kind="flow", tank=FRESH, to="self", a_t_fed=6.5),
                Drawing(kind="thicken", tank="self", to="next", target=0.1, rest="filtrate", displaced=True),
            ),
        ),
        Preset(
            key="bales",
            name="Bales",
            station="recovered",
            unit={
                "feed_t_h": 4,
                "cons_pct": 90,
                "parts": {
                    "LF": 0.34,
                    "SF": 0.34,
                    "FN": 0.132,
                    "FL": 0.155,
                    "INK": 0.0009,
                    "STK": 0.002,
                    "SND": 0.003,
                    "PLS": 0.0251,
                    "SHV": 0.002,
                },
                "temp_c": 18,
                "sets": {"iso_pct": 55, "s457": 45, "csf_ml": 380, "kappa": 0, "grey": 1},
            },
        ),
        Preset(
            key="pulper",
            name="Pulper",
            station="recovered",
            unit={"sets": {"iso_pct": 50, "s457": 46}},
            others={"trash": ("trash", _rejects(PLS=0.9, SND=0.6, LF=0.002, SF=0.002, W=0.0005))},
            draws=(Drawing(kind="dilute", tank=CLEAR, to="self", target=0.14, rest="rest"),),
        ),
        Preset(
            key="float",
            name="Flotation",
            station="recovered",
            unit={
                "sets": {"csf_ml": 350},
                "acts": {"kind": "recovered", "name": "Deinking", "rejects": "inkash", "steps": [dict(s) for s in FOURTEEN]},
            },
            others={"inkash": ("inkash", _rejects(INK=0.8, FL=0.7, STK=0.4, FN=0.17, SF=0.016, LF=0.004, W=0.04))},
            draws=(Drawing(kind="dilute", tank=CLEAR, to="self", target=0.11, rest="rest"),),
        ),
        Preset(
            key="clean",
            name="Cleaning",
            station="clean",
            unit={"acts": {"kind": "cascade", "name": "Cleaners", "stages": [_bank(16, 0.9), _bank(3, 0.75), _bank(1, 0.5)]}},
            others={
                "rejects": ("rejects", _rejects(PLS=0.85, SND=0.85, STK=0.45, SHV=0.6, LF=0.01, SF=0.008, FN=0.003, W=0.0006))
            },
            draws=(Drawing(kind="dilute", tank="filtrate", to="self", target=0.011, rest="over"),),
        ),
        Preset(
            key="thick",
            name="Thickener",
            station="clean",
            on={**WHOLE, "SF": 0.999, "FN": 0.93, "FL": 0.8, "INK": 0.7, "STK": 0.9, "W": 0, "DS": 0},
            others={"filtrate": ("filtrate", _rejects(SF=0.001, FN=0.07, FL=0.2, INK=0.3, STK=0.1, W=1, DS=1))},
            draws=(Drawing(kind="thicken", tank="self", to="next", target=0.042, rest="filtrate"),),
        ),
        Preset(key="refine", name="Refiner", station="refine", unit={"sets": {"csf_ml": 400}}),
        Preset(
            key="stock",
            name="To its tower",
            station="stock",
            draws=(Drawing(kind="dilute", tank="filtrate", to="self", target=0.037, rest="over"),),
        ),
    )
}


@dataclass(frozen=True, slots=True, kw_only=True)
class Recipe:
    """A line to begin with: its units in the way of the pulp, and the pulp it gives the blend."""

    key: str
    name: str
    units: tuple[str, ...]
    pulp: Json
    raw_name: str
    raw_wet_t_t: float
    rows: tuple[tuple[str, str, str], ...] = ()  # sampling rows: unit, test, place


_END = ("clean", "thick", "refine", "stock")
_TOWER_ROWS = (("refine", "freeness", "refiner out"), ("stock", "consistency", "chest outlet"))
RECIPES: Final = {
    r.key: r
    for r in (
        Recipe(
            key="recovered",
            name="Recovered paper",
            units=("bales", "pulper", "float", *_END),
            pulp={"cons_pct": 3.65, "ash_pct": 10, "iso_pct": 72, "s457": 63, "csf_ml": 345},
            raw_name="bales, as received",
            raw_wet_t_t=1.35,
            rows=(
                ("bales", "unusable", "bale sort"),
                ("float", "gain", "flotation in, out"),
                ("clean", "stickies", "line end"),
                *_TOWER_ROWS,
            ),
        ),
        Recipe(
            key="chemical",
            name="Cooked, washed and bleached",
            units=("chips", "cook", "wash", "o2", "bleach", *_END),
            pulp={"cons_pct": 3.7, "ash_pct": 0.4, "iso_pct": 86, "s457": 31, "csf_ml": 455},
            raw_name="chips, wet",
            raw_wet_t_t=4.3,
            rows=(
                ("chips", "moisture", "chip feed"),
                ("cook", "kappa", "blow"),
                ("wash", "soda_loss", "last washer mat"),
                ("o2", "kappa", "after oxygen"),
                ("bleach", "brightness", "last washer"),
                *_TOWER_ROWS,
            ),
        ),
        Recipe(
            key="brown",
            name="Cooked and washed, unbleached",
            units=("chips", "cook", "wash", *_END),
            pulp={"cons_pct": 3.7, "ash_pct": 0.8, "iso_pct": 22, "s457": 24, "csf_ml": 550},
            raw_name="chips, wet",
            raw_wet_t_t=4.0,
            rows=(
                ("chips", "moisture", "chip feed"),
                ("cook", "kappa", "blow"),
                ("wash", "soda_loss", "last washer mat"),
                *_TOWER_ROWS,
            ),
        ),
        Recipe(
            key="sulphite",
            name="Sulphite, cooked and washed",
            units=("chips", "sulphite", "wash", *_END),
            pulp={"cons_pct": 3.7, "ash_pct": 0.5, "iso_pct": 55, "s457": 27, "csf_ml": 560},
            raw_name="chips, wet",
            raw_wet_t_t=4.2,
            rows=(
                ("chips", "moisture", "chip feed"),
                ("sulphite", "kappa", "blow"),
                ("wash", "soda_loss", "last washer mat"),
                *_TOWER_ROWS,
            ),
        ),
        Recipe(
            key="mechanical",
            name="Mechanical, from chips",
            units=("chips", "refining", *_END),
            pulp={"cons_pct": 3.7, "ash_pct": 0.4, "iso_pct": 58, "s457": 52, "csf_ml": 125},
            raw_name="chips, wet",
            raw_wet_t_t=2.1,
            rows=(("chips", "moisture", "chip feed"), ("refining", "freeness", "blow"), *_TOWER_ROWS),
        ),
        Recipe(
            key="broke",
            name="Broke",
            units=(),
            pulp={"cons_pct": 3.75, "ash_pct": 12, "iso_pct": 80, "s457": 42, "csf_ml": 350},
            raw_name="from store",
            raw_wet_t_t=0,
        ),
        Recipe(
            key="bought",
            name="Bought pulp",
            units=(),
            pulp={"cons_pct": 3.9, "ash_pct": 0.3, "iso_pct": 87.5, "s457": 30, "csf_ml": 540},
            raw_name="bales, as received",
            raw_wet_t_t=1.11,
        ),
    )
}
# where the middle of a band has to lie, and how wide: inner and outer, by test; None takes what the line gives
BANDS: Final[Mapping[str, tuple[float | None, float, float]]] = {
    "consistency": (None, 0.08, 0.15),
    "freeness": (None, 15, 30),
    "brightness": (None, 0.8, 1.5),
    "moisture": (None, 3, 7),
    "ph": (7.4, 0.3, 0.6),
    "kappa": (30, 2, 4),
    "ash": (None, 2, 3.5),
}
MOST: Final[Mapping[str, tuple[float, float]]] = {"unusable": (4, 8), "stickies": (250, 400), "soda_loss": (10, 14)}
LEAST: Final[Mapping[str, tuple[float, float]]] = {"gain": (7, 5)}
CHEST_TESTS: Final = ("consistency", "freeness", "brightness", "ph", "ash")


def empty_mill() -> Part:
    """A mill document with nothing in it yet."""
    lists: Part = {section: [] for section in ("lines", "units", "draws", "vessels", "sources", "grades", "plan")}
    return {"format": FORMAT, "name": "", "machine": {}, "safety_number": "", **lists}


def band_of(test: str, aim: float | None) -> Part:
    """Limits to begin with for a test, about an aim where it has one."""
    low = high = outer_low = outer_high = None
    target: float | None = None
    if test in MOST:
        high, outer_high = MOST[test]
    elif test in LEAST:
        low, outer_low = LEAST[test]
    elif test in BANDS:
        middle, inner, outer = BANDS[test]
        target = middle if aim is None else aim
        if target is not None:
            least, most = TESTS[test].possible
            places = TESTS[test].decimals
            low, high = round(max(least, target - inner), places), round(min(most, target + inner), places)
            outer_low, outer_high = round(max(least, target - outer), places), round(min(most, target + outer), places)
            target = round(target, places)
    return {"low": low, "high": high, "outer_low": outer_low, "outer_high": outer_high, "target": target}


def tower_of(key: str, name: str, full_t: float, cons_pct: float, unit: str) -> Part:
    """An upright tower that holds so much, three times as high as its radius."""
    radius = (full_t * 100.0 / cons_pct / (3.0 * math.pi)) ** (1.0 / 3.0)
    return {
        "key": f"{key}.tower",
        "name": f"{name} tower",
        "full_t": round(full_t, 1),
        "cons_pct": cons_pct,
        "lead_h": 0.5,
        "station": "stock",
        "unit": unit,
        "source": key,
        "shape": {"kind": "cylinder", "radius_m": round(radius, 2), "brim_m": round(3.0 * radius, 2)},
    }


def machine_end(name: str) -> tuple[list[Part], list[Part], Part]:
    """Blend, chest, filler, machine and its water: units, draws, and the vessel before the machine."""
    tray = {"*": 0.04, "W": 1, "DS": 0.95}
    clear = {"*": 0, "FN": 0.002, "FL": 0.002, "W": 0.99, "DS": 0.99}
    sludge = {"*": 1, "FN": 0.998, "FL": 0.998, "W": 0.01, "DS": 0.01}
    units: list[Part] = [
        {"id": "blend", "station": "blend", "title": "blend chest", "outlets": [{"name": "on", "to": "chest"}]},
        {"id": "chest", "station": "deliver", "title": "machine chest", "outlets": [{"name": "on", "to": "machine"}]},
        {
            "id": "filler",
            "station": "deliver",
            "title": "filler slurry",
            "cons_pct": 40,
            "parts": {"FL": 1},
            "temp_c": 25,
            "sets": {"iso_pct": 94, "s457": 160, "grey": 0},
            "outlets": [{"name": "on", "to": "machine"}],
        },
        {
            "id": "machine",
            "station": "deliver",
            "title": name,
            "outlets": [
                {"name": "web", "to": "reel", "shares": {"*": 0.96, "W": 0, "DS": 0.05}},
                {"name": "tray", "to": "saveall", "shares": tray},
            ],
        },
        {
            "id": SHOWERS,
            "station": "deliver",
            "title": "fresh water on the wire",
            "feed": {"W": 60},
            "temp_c": 45,
            "outlets": [{"name": "on", "to": "saveall"}],
        },
        {
            "id": "saveall",
            "station": "deliver",
            "title": "save-all",
            "outlets": [
                {"name": "clear", "to": "clear", "shares": clear},
                {"name": "sludge", "to": "sewer", "shares": sludge},
            ],
        },
        {"id": "clear", "station": "deliver", "title": "clear water tank", "outlets": [{"name": "rest", "to": "effluent"}]},
    ]
    draws: list[Part] = [
        {"id": "chest.water", "kind": "dilute", "tank": "clear", "to": "chest", "target": 0.036, "rest": "rest"},
        {
            "id": "machine>reel",
            "kind": "thicken",
            "tank": "machine",
            "to": "reel",
            "target": 0.42,
            "rest": "tray",
            "displaced": True,
        },
    ]
    vessel: Part = {
        "key": "machine.chest",
        "name": "Machine chest",
        "full_t": 7,
        "cons_pct": 3.6,
        "lead_h": 0.25,
        "station": "deliver",
        "unit": "chest",
        "shape": {"kind": "box", "length_m": 8.2, "width_m": 5.2, "brim_m": 4.9, "fillet_m2": 2.4},
    }
    return units, draws, vessel


def furnish_of(document: Json, shares: Mapping[str, float]) -> Part:
    """The properties of a furnish (shares in %), to set the bands of its grade about; empty while a source cannot be read."""
    sources = []
    for part in document["sources"]:
        if shares.get(part["key"], 0.0) > 0.0:
            pulp = {k: part.get(k) for k in ("key", "cons_pct", "ash_pct", "iso_pct", "s457", "csf_ml")}
            source = read(Source, pulp, "", [])
            if source is None:
                return {}
            sources.append(source)
    total = sum(shares[s.key] for s in sources)
    if not sources or total <= 0.0:
        return {}
    mix = mix_furnish(tuple(replace(s, share=shares[s.key] / total) for s in sources))
    return {"freeness": mix.csf_ml, "brightness": mix.iso_pct, "ash": mix.ash_pct}
