"""The JSON Schema of a mill document, published as docs/mill.schema.json. What a schema cannot say, `read_mill` checks."""

from typing import Any

from core.cook.species import NAMES
from core.cook.unit import VESSELS
from core.lab.methods import TESTS
from core.line.network import DrawKind
from core.mechanical.refine import WOODS
from core.practice.table import ROWS
from core.stream import COMPONENTS
from core.wash.line import KINDS
from core.wash.oxygen import WOODS as OXYGEN_WOODS

Schema = dict[str, Any]


def _num(low: float | None = None, high: float | None = None, *, null: bool = False) -> Schema:
    found: Schema = {"type": ["number", "null"] if null else "number"}
    if low is not None:
        found["minimum"] = low
    if high is not None:
        found["maximum"] = high
    return found


def _obj(required: dict[str, Schema], optional: dict[str, Schema] | None = None) -> Schema:
    return {
        "type": "object",
        "properties": {**required, **(optional or {})},
        "required": list(required),
        "additionalProperties": False,
    }


def _list(item: Schema, least: int = 0) -> Schema:
    return {"type": "array", "items": item, "minItems": least}


TEXT: Schema = {"type": "string", "maxLength": 200}
NAME: Schema = {"type": "string", "minLength": 1, "maxLength": 80}
KEY: Schema = {"type": "string", "pattern": r"^[A-Za-z0-9_.>\-]+$", "maxLength": 60}
FLAG: Schema = {"type": "boolean"}
PARTS = {"type": "object", "properties": {c: _num(0) for c in ("*", *COMPONENTS)}, "additionalProperties": False}
BAND = {k: _num(null=True) for k in ("low", "high", "outer_low", "outer_high", "target")}
SETS = _obj(
    {}, {"kappa": _num(0, 200), "csf_ml": _num(1, 1000), "iso_pct": _num(1, 100), "s457": _num(1, 300), "grey": _num(0, 1)}
)
COOK_PLAN = _obj(
    {
        "ea_pct_naoh": _num(0.1, 30),
        "sulphidity_pct": _num(0, 60),
        "lw_m3_t": _num(2, 12),
        "points": {
            "type": "array",
            "items": {"type": "array", "items": _num(), "minItems": 2, "maxItems": 2},
            "minItems": 2,
            "maxItems": 12,
        },
    },
    {
        "aq_pct": _num(0, 0.5),
        "causticizing_pct": _num(30, 100),
        "reduction_pct": _num(30, 100),
        "kappa_row": TEXT,
        "vessel": {"enum": list(VESSELS)},
    },
)
WASH_PLAN = _obj(
    {
        "name": TEXT,
        "df": _num(-1, 20),
        "stages": {
            "type": "array",
            "items": {
                "type": "array",
                "prefixItems": [{"enum": list(KINDS)}, _num(0.1, 20), _num(0.1, 60)],
                "minItems": 3,
                "maxItems": 3,
            },
            "minItems": 1,
            "maxItems": 12,
        },
    },
    {"loss_row": TEXT, "feed_pct": _num(0.1, 60), "x0": _num(0, 400)},
)
OXYGEN_PLAN = _obj(
    {"wood": {"enum": list(OXYGEN_WOODS)}, "minutes": _num(1, 300), "temp_c": _num(40, 130), "naoh_kg": _num(0, 80)},
    {"cons_pct": _num(1, 40), "bar_abs": _num(1, 15), "of": KEY},  # `of` is of older documents and no longer read
)
BLEACH_PLAN = _obj(
    {"wood": TEXT, "charges": _list(_num(0, 100), 1)},
    {"sequence": TEXT, "iso_in": _num(0, 99), "iso_row": TEXT, "of": _list(KEY, 1)},
)
REFINE_PLAN = _obj({"wood": {"enum": list(WOODS)}, "sec_kwh_t": _num(1, 6000)})
UNIT = _obj(
    {"id": KEY, "outlets": _list(_obj({"name": KEY, "to": KEY}, {"shares": PARTS}))},
    {
        "line": TEXT,
        "station": TEXT,
        "title": TEXT,
        "moisture_row": TEXT,
        "supply": FLAG,
        "stores": FLAG,
        "fibre": FLAG,
        "feed": PARTS,
        "parts": PARTS,
        "feed_t_h": _num(0, 1000),
        "cons_pct": _num(0.01, 100),
        "temp_c": _num(0, 180),
        "loss_pct": _num(0, 100),
        "sets": SETS,
        "cooks": {"enum": list(NAMES)},
        "cook": COOK_PLAN,
        "refine": REFINE_PLAN,
        "washers": WASH_PLAN,
        "oxygen": OXYGEN_PLAN,
        "bleach": BLEACH_PLAN,
    },
)
ROLES = _obj({}, dict.fromkeys(("blend", "chest", "machine", "filler", "vessel", "point"), KEY))
DRAW = _obj(
    {"id": KEY, "kind": {"enum": [k.value for k in DrawKind]}, "tank": KEY, "to": KEY, "target": _num(0)},
    {"rest": TEXT, "displaced": FLAG},
)
SHAPE = _obj(
    {"kind": {"enum": ["cylinder", "box", "surveyed"]}},
    {
        **{k: _num(0, 1000) for k in ("radius_m", "brim_m", "cone_m", "length_m", "width_m", "fillet_m2")},
        "volumes_m3": _list(_num(0)),
        "levels_m": _list(_num(0)),
    },
)
VESSEL = _obj(
    {
        "key": KEY,
        "name": NAME,
        "full_t": _num(0.01, 1e6),
        "cons_pct": _num(0.1, 100),
        "lead_h": _num(0, 48),
        "station": TEXT,
        "shape": SHAPE,
    },
    {"unit": TEXT, "source": TEXT, "in_t_h": _num(0, 1000, null=True)},
)
SOURCE = _obj(
    {
        "key": KEY,
        "name": NAME,
        "cons_pct": _num(0.1, 30),
        "ash_pct": _num(0, 60),
        "iso_pct": _num(1, 100),
        "s457": _num(1, 300),
        "csf_ml": _num(10, 800),
        "vessel": KEY,
        "unit": KEY,
        "raw_wet_t_t": _num(0, 100),
        "raw_name": TEXT,
    },
    {"spare": FLAG, "transit_h": _num(0, 200), "tower": KEY, "draw": KEY},
)
GRADE = _obj(
    {
        "key": KEY,
        "name": NAME,
        "gsm": _num(10, 1000),
        "speed_m_min": _num(10, 3000),
        "moisture_pct": _num(0, 50),
        "sheet_ash_pct": _num(0, 60),
        "chest_cons_pct": _num(0.5, 10),
        "headbox_cons_pct": _num(0.05, 3),
        "shares": {"type": "object", "additionalProperties": _num(0, 100)},
        "additives": _list({"type": "array", "prefixItems": [NAME, _num(0, 500)], "minItems": 2, "maxItems": 2}),
        "tests": _list(
            _obj(
                {
                    "key": KEY,
                    "label": NAME,
                    "unit": TEXT,
                    "every_h": _num(0.1, 100),
                    "point": KEY,
                    "decimals": {"type": "integer", "minimum": 0, "maximum": 4},
                },
                {**BAND, "critical": FLAG},
            )
        ),
    },
)
LEVER = {
    "type": "object",
    "oneOf": [
        _obj(
            {
                "kind": {"const": "dilution"},
                **{
                    k: _num(0, 500_000)
                    for k in ("stock_l_min", "inlet_pct", "water_cons_pct", "water_max_l_min", "pipe_m", "pipe_mm", "filter_s")
                },
            },
            {"mixing_min": _num(0, 600)},
        ),
        _obj(
            {
                "kind": {"const": "h_factor"},
                "now": _num(1, 10_000),
                "gain": _num(-10, 10),
                "max_step": _num(0, 2000),
                "temp_c": _num(100, 200),
                "dead_min": _num(0, 10_000),
            }
        ),
    ],
}
PLAN = _obj(
    {
        "id": KEY,
        "place": NAME,
        "test": {"enum": list(TESTS)},
        "interval_min": _num(1, 100_000),
        "who": {"enum": ["operator", "lab"]},
        "station": TEXT,
    },
    {
        **BAND,
        "line": TEXT,
        "critical": FLAG,
        "tap": TEXT,
        "grade": FLAG,
        "lever": LEVER,
        "confirm": {"enum": ["duplicate", "sample"]},
    },
)
NODE = _obj({"station": KEY, "unit": KEY, "outlet": KEY}, {"dx": _num(-200, 200)})
LANE = _obj(
    {
        "key": KEY,
        "name": NAME,
        "nodes": _list(NODE, 1),
        "strands": _list(_obj({"key": KEY, "name": NAME, "nodes": _list(NODE, 1)})),
    },
    {
        "peels": _list(_obj({"station": KEY, "lost": _list(KEY), "label": TEXT})),
        "threads": _list(
            _obj(
                {"station": KEY, "label": TEXT, "leaves": _list({"type": "array", "items": KEY, "minItems": 2, "maxItems": 2})},
                {"dx": _num(-200, 200)},
            )
        ),
        "pins": _list(
            _obj(
                {"station": KEY, "label": TEXT},
                {"dx": _num(-200, 200), "value": _num(), "unit": TEXT, "setpoint": TEXT, "of": KEY, "setting": TEXT},
            )
        ),
        "gauges": _list(_obj({"station": KEY, "row": KEY, "label": TEXT}, {"lead": TEXT})),
    },
)
MACHINE = _obj(
    {
        "name": NAME,
        "width_m": _num(0.1, 20),
        "trim_m": _num(0, 2),
        "retention_pct": _num(1, 100),
        "speed_low": _num(1, 4000),
        "speed_high": _num(1, 4000),
        "efficiency_pct": _num(1, 100),
        "line_letter": {"type": "string", "pattern": "^[A-Z]$"},
    }
)
SCHOOLS = _obj(
    {},
    {
        "system": {"enum": ["metric", "us"]},
        "freeness": {"enum": ["csf", "sr"]},
        "alkali": {"enum": ["naoh", "na2o"]},
        "moisture": {"enum": ["wet", "dry"]},
        "dryness": {"enum": ["od", "ad"]},
        "brightness": {"enum": ["iso", "dir"]},
        "offset": _num(-10, 10),
    },
)
MOVE = _obj(
    {"key": KEY, "row": {"enum": list(ROWS)}, "place": NAME},
    {
        "readings": {"type": "object", "additionalProperties": KEY},
        "band": KEY,
        "opens": {"type": "object", "additionalProperties": {"type": ["number", "string"]}},
    },
)
TANK = _obj(
    {
        "key": KEY,
        "name": NAME,
        "chemical": NAME,
        "least_m3": _num(0, 1e5),
        "most_m3": _num(0.1, 1e5),
        "use_m3_h": _num(0, 1e4),
        "lead_h": _num(0, 5000),
        "load_m3": _num(0.1, 1e4),
        "strength_g_l": _num(0.1, 2000),
    }
)
PILE = _obj(
    {
        "key": KEY,
        "name": NAME,
        "kind": {"enum": ["plane", "cone"]},
        "unit": KEY,
        "share": _num(0, 1),
        "limit_days": _num(1, 1000),
    }
)
SCHEMA: Schema = {
    "$schema": "https://json-schema.org/draft/2020-12/schema",
    "title": "Fox Vat mill document",
    "description": "A mill as data: units and draws of the line, vessels, furnish sources, grades with inner and "
    "outer bands, sampling plan. Flows in t/h oven-dry, shares as fractions, furnish shares in %.",
    **_obj(
        {
            "format": {"const": "fox-vat mill 1"},
            "name": NAME,
            "machine": MACHINE,
            "day_starts": {"type": "string", "pattern": r"^([01]\d|2[0-3]):[0-5]\d$"},
            "shift_hours": _num(1, 24),
            "safety_number": NAME,
            "units": _list(UNIT, 1),
            "draws": _list(DRAW),
            "vessels": _list(VESSEL, 1),
            "sources": _list(SOURCE, 1),
            "grades": _list(GRADE, 1),
            "plan": _list(PLAN),
            "lanes": _list(LANE),
            "lines": _list(_obj({"key": KEY, "name": NAME}, {"sentence": TEXT})),
        },
        {
            "note": TEXT,
            "schools": SCHOOLS,
            "moves": _list(MOVE),
            "piles": _list(PILE),
            "digesters": _list(KEY),
            "tanks": _list(TANK),
            "roles": ROLES,
        },
    ),
}
