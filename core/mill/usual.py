"""What units usually want: samples after the stages of a bleach plant, and places of rows of the practice table."""

from collections.abc import Iterator
from dataclasses import dataclass, field
from typing import Any, Final

from core.bleach.line import TYPICAL
from core.bleach.sequence import Misread, Stage, read
from core.clean.cascade import CONES
from core.document import Json
from core.practice.table import ROWS

Part = dict[str, Any]
PH_INNER, PH_OUTER = 0.3, 0.6
EVERY_MIN: Final = 240  # between samples after a stage, to begin with
GAUGED_MIN: Final = 720  # between looks at the gauges of a bank that has a meter
DROP_BAND: Final = {"low": 100, "high": 190, "outer_low": 80, "outer_high": 220, "target": 150}  # kPa


@dataclass(frozen=True, slots=True, kw_only=True)
class Use:
    """A row of the practice table at a unit, or at one of its stages: wells that plan rows fill, by their test, and the test
    whose band judges it."""

    row: str
    readings: dict[str, str] = field(default_factory=dict)
    band: str = ""
    opens: dict[str, float | str] = field(default_factory=dict)


BY_KIND: Final = {
    "washers": (Use(row="W1", readings={"loss": "soda_loss"}, band="soda_loss"), Use(row="W3")),
    "oxygen": (Use(row="W7", readings={"kappa": "kappa"}, band="kappa"),),
    "refine": (Use(row="T1", readings={"csf_ml": "freeness"}, band="freeness"), Use(row="T3"), Use(row="T4")),
    "feed": (Use(row="K6", readings={"moisture_pct": "moisture"}, band="moisture"),),
    "continuous": (Use(row="K5", readings={"kappa": "kappa"}), Use(row="K13")),
    "bagasse": (Use(row="K11", readings={"kappa": "kappa", "pith_pct": "pith"}, band="kappa"), Use(row="K13")),
    "batch": (Use(row="K7", readings={"ea_g_l": "white_liquor"}), Use(row="K9", readings={"kappa": "kappa"})),
    "sulphite": (Use(row="K12"),),
    "tower": (Use(row="B8", readings={"iso_pct": "brightness"}, band="brightness"),),
}
ACID, ALKALI = "D, with acid", "E or P, with NaOH"


def stages_of(acts: Json) -> tuple[Stage, ...]:
    """The stages of a bleach plant as its document has it; none for a tower, or for a sequence that cannot be read."""
    try:
        return read(str(acts.get("sequence") or "")).stages if acts.get("kind") == "bleach" else ()
    except Misread:
        return ()


def stage_rows(unit: Json) -> Iterator[Part]:
    """The samples that are usual after the stages of a unit: pH of each, and what is left of its oxidant."""
    line = str(unit.get("line") or "")
    yield from _drop_rows(unit, line)
    for i, stage in enumerate(stages_of(unit.get("acts") or {}), start=1):
        tests = ["ph"] if stage.name in TYPICAL else []
        tests += ["residual_clo2"] if stage.name[0] == "D" else ["residual_peroxide"] if stage.name in ("P", "PO") else []
        for test in tests:
            point = f"{unit['id']}.{i}{stage.name.lower()}"
            row: Part = {"id": f"{point}.{test}", "place": f"{line} {stage.name} exit".strip(), "test": test}
            row |= {"interval_min": EVERY_MIN, "who": "operator", "station": "bleach", "line": line}
            row |= _band(test, TYPICAL[stage.name].ph) | {"unit": unit["id"], "stage": i}
            yield row


def _drop_rows(unit: Json, line: str) -> Iterator[Part]:
    """The pressure drop of every stage of cleaners, by gauge and by meter."""
    acts = unit.get("acts") or {}
    stages = acts.get("stages") if acts.get("kind") == "cascade" else ()
    for i, stage in enumerate(stages if isinstance(stages, list | tuple) else (), start=1):
        if stage.get("kind") in CONES:
            row: Part = {"id": f"{unit['id']}.{i}.drop", "place": f"{line} cleaners, stage {i}".strip(), "test": "drop"}
            row |= {"interval_min": GAUGED_MIN, "who": "operator", "station": "clean", "line": line, "online": True}
            yield row | DROP_BAND | {"unit": unit["id"], "stage": i}


def _band(test: str, ph: float) -> Part:
    if test == "ph":
        limits = {"low": ph - PH_INNER, "high": ph + PH_INNER, "outer_low": ph - PH_OUTER, "outer_high": ph + PH_OUTER}
        return {k: round(v, 1) for k, v in limits.items()} | {"target": ph}
    if test == "residual_clo2":
        return {"low": None, "high": 0.06, "outer_low": None, "outer_high": 0.12, "target": 0.03}
    return {"low": 0.2, "high": 1.0, "outer_low": 0.1, "outer_high": 2.0, "target": 0.5}


def _stage_uses(stages: tuple[Stage, ...]) -> Iterator[tuple[int, Use]]:
    """Rows of the practice table by stage."""
    last = max((i for i, s in enumerate(stages, start=1) if s.name in ("D1", "D2")), default=0)
    for i, stage in enumerate(stages, start=1):
        if stage.name == "D0":
            yield i, Use(row="B1", readings={"kappa": "in.kappa", "strength_g_l": "tank.ClO2"})
            yield i, Use(row="W6")
        if i == last:
            wells = {"iso_pct": "brightness", "residual_g_l": "residual_clo2"}
            yield i, Use(row="B3", readings=wells, band="brightness")
            yield i, Use(row="B5", readings={"residual_g_l": "residual_clo2"}, band="residual_clo2")
        if stage.name in ("P", "PO"):
            wells = {"iso_pct": "brightness", "left_pct": "residual_peroxide"}
            yield i, Use(row="B8", readings=wells, band="brightness")
        if stage.name[0] in "DEP":
            acid = stage.name[0] == "D"
            opens: dict[str, float | str] = {"stage": ACID, "slope": -0.3, "kg_adt": 0.0} if acid else {"stage": ALKALI}
            yield i, Use(row="B6", readings={"ph": "ph"}, band="ph", opens=opens)


def uses_of(unit: Json) -> Iterator[tuple[int, Use]]:
    """Where rows of the practice table are used at a unit, with the stage (0 for the unit as a whole)."""
    acts = unit.get("acts") or {}
    kind = str(acts.get("kind") or "")
    if kind == "bleach":
        stages = stages_of(acts)
        yield from _stage_uses(stages) if stages else ((0, use) for use in BY_KIND["tower"])
        return
    if kind == "recovered":
        yield 0, Use(row="R5", readings={"stickies": "stickies"}, band="stickies")
        yield 0, Use(row="R6", readings={"ph": "ph"})
        yield 0, Use(row="R7")
        first = next((i for i, s in enumerate(acts.get("steps") or (), start=1) if s.get("name") == "flotation"), 0)
        if first:
            yield first, Use(row="R3", readings={"gain": "gain"}, band="gain")
            yield first, Use(row="R4", readings={"ash_pct": "ash"}, opens={"high": 6.0})
        return
    if kind == "cascade":
        yield from _cascade_uses(acts.get("stages"))
        return
    if kind == "cook":
        kind = str(acts.get("vessel") or "batch")
        kind = "bagasse" if acts.get("species") == "bagasse" else kind
    if not kind and unit.get("feed_t_h") and unit.get("moisture_row"):
        kind = "feed"
    yield from ((0, use) for use in BY_KIND.get(kind, ()))


def _cascade_uses(stages: Any) -> Iterator[tuple[int, Use]]:
    """Rows at a cascade: at each stage by its kind, and what is judged by the dirt in the accept or the fibre that is lost."""
    for i, stage in enumerate(stages if isinstance(stages, list | tuple) else (), start=1):
        if stage.get("kind") in CONES:
            yield i, Use(row="C1", readings={"kpa": "drop"})
        elif stage.get("kind") != "tail screen":
            yield i, Use(row="S1")
    for test in ("shives", "sand"):
        yield 1, Use(row="S2", readings={"dirt": test}, band=test)
    yield 0, Use(row="S3")


def usual_moves(document: Json) -> list[Part]:
    """Places of the practice table that this mill lacks, by its units, filled by the rows of its plan."""
    plan = document.get("plan") or ()
    units = {u["id"]: u for u in document["units"]}
    have = {(m["row"], m.get("unit", ""), m.get("stage", 0)) for m in document.get("moves") or ()}
    tanks = {str(t.get("chemical")): t["key"] for t in document.get("tanks") or ()}
    result = []
    for key, unit in units.items():
        for stage, use in uses_of(unit):
            if (use.row, key, stage) in have:
                continue
            before = tuple(k for k, u in units.items() if any(o.get("to") == key for o in u.get("outlets") or ()))
            told = {well: _row(plan, unit, stage, test, tanks, before) for well, test in use.readings.items()}
            readings = {well: row for well, row in told.items() if row}
            band = _row(plan, unit, stage, use.band, {}) if use.band else ""
            if use.band and not band:
                continue  # nothing judges it
            stages = stages_of(unit.get("acts") or {})
            called = stages[stage - 1].name if 0 < stage <= len(stages) else f"stage {stage}"
            place = f"{unit.get('title') or key}{f', {called}' if stage else ''}"
            part: Part = {"key": f"{use.row}-{key}{f'.{stage}' if stage else ''}", "row": use.row, "place": place[:60]}
            part |= {"readings": readings, "opens": dict(use.opens), "unit": key}
            part |= ({"stage": stage} if stage else {}) | ({"band": band} if band else {})
            result.append(part)
    return [part for part in result if part["row"] in ROWS]


OWN: Final = {"soda_loss": "loss_row", "kappa": "kappa_row", "brightness": "iso_row"}  # what a unit names its row under
OF_THE_LINE: Final = ("freeness", "white_liquor", "pith")  # tests that a line has one of


def _row(plan: Any, unit: Json, stage: int, test: str, tanks: Json, before: tuple[str, ...] = ()) -> str:
    """The plan row of a test at a unit's stage, or of the unit as a whole; of what comes to its first stage, of the unit
    before; else the only one of its line, where a line has one."""
    if test.startswith("tank."):
        key = tanks.get(test.removeprefix("tank."))
        return f"tank.{key}" if key else ""
    rows = [r for r in plan if r["test"] == test.removeprefix("in.")]
    if test.startswith("in."):
        return next((str(r["id"]) for r in rows if r.get("unit") in before), "")
    for wanted in (stage, 0):
        if own := [r["id"] for r in rows if r.get("unit") == unit["id"] and r.get("stage", 0) == wanted]:
            return str(own[0])
    named = unit.get("moisture_row") if test == "moisture" else (unit.get("acts") or {}).get(OWN.get(test, ""))
    near = [r["id"] for r in rows if r.get("line") == unit.get("line")] if test in OF_THE_LINE else []
    return str(named or "") or (str(near[0]) if len(near) == 1 else "")
