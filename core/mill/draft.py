"""A mill document as people build it up: each step gives a new document, which may still lack something.

Documents are given in the newest format and never changed in place. What a step cannot do is refused with the field it was
asked with.
"""

import copy
import re
from collections.abc import Iterator, Mapping
from typing import Any, Final, cast

from core.document import (
    ID_PATTERN,
    ID_RULE,
    Amounts,
    Flag,
    Item,
    Json,
    Limit,
    List,
    Number,
    OneOf,
    Part,
    Parts,
    Table,
    Text,
    at,
    keys,
    leaves,
)
from core.errors import ImpossibleInput, Problem
from core.lab.methods import TESTS
from core.mill.document import MillDocument
from core.mill.kinds import KINDS
from core.mill.presets import (
    CHEST_TESTS,
    CLEAR,
    EXITS,
    FRESH,
    PRESETS,
    RECIPES,
    SHOWERS,
    SHOWERS_T_T,
    SUPPLIES,
    TOWER_ROOM_H,
    Drawing,
    Preset,
    band_of,
    empty_mill,
    furnish_of,
    machine_end,
    tower_of,
)
from core.mill.reading import SECTIONS
from core.mill.signals import MEANS
from core.mill.usual import OWN, stage_rows, usual_moves
from core.practice.table import ROWS
from core.quantity import quantities
from core.register import find

Draft = dict[str, Any]
DIGESTER: Final = Text(label="Digester", least=1, most=20)
MOST_DIGESTERS: Final = 40
STARTED: Final = ("machine", "blend")  # units that every draft has once it is started
STEP: Final = re.compile(r"[^.\[\]]+")
FIRST: Final[Mapping[str, Json]] = {  # a part of each list to begin with
    "vessels": {
        "name": "New vessel",
        "full_t": 10,
        "cons_pct": 4,
        "lead_h": 0.5,
        "station": "stock",
        "shape": {"kind": "cylinder", "radius_m": 3, "brim_m": 9},
    },
    "draws": {"kind": "dilute", "tank": "", "to": "", "target": 0.04},
    "tanks": {
        "name": "New chemical",
        "chemical": "NaOH",
        "least_m3": 5,
        "most_m3": 50,
        "use_m3_h": 0.1,
        "lead_h": 24,
        "load_m3": 20,
        "strength_g_l": 763,
    },
    "piles": {"name": "New pile", "kind": "plane", "unit": "", "share": 1, "limit_days": 60},
    "bales": {"name": "New bales", "sort": "recovered paper", "source": "", "bale_kg": 450, "moisture_pct": 10},
    "vats": {
        "name": "New vat",
        "source": "",
        "vat_m3": 22,
        "cons_pct": 14,
        "net_kw": 145,
        "chest_m3": 120,
    },
    "lines": {"name": "New line", "sentence": ""},
    "moves": {"row": "B11", "place": "New place", "readings": {}, "opens": {}},
    "plan": {
        "place": "New place",
        "test": "consistency",
        "interval_min": 120,
        "who": "operator",
        "station": "stock",
        "line": "",
        **band_of("consistency", 4.0),
    },
}
ACTS: Final[Mapping[str, Json]] = {
    p.unit["acts"]["kind"]: p.unit["acts"] for p in PRESETS.values() if "acts" in p.unit
}  # settings of each kind of unit to begin with


def _refused(field: str, text: str) -> ImpossibleInput:
    return ImpossibleInput(Problem(field, text))


def part_of(document: Json, section: str, key: str) -> Draft:
    """A part of a document. Raises: ImpossibleInput when there is none of that name."""
    for part in document.get(section) or ():
        if part.get(SECTIONS[section]) == key:
            return cast(Draft, part)
    raise _refused(section, f"has no {key!r}")


def _unit(document: Json, key: str) -> Draft:
    return part_of(document, "units", key)


def _free(document: Json, section: str, wanted: str) -> str:
    """A name that no part of a list has yet: the wanted one, else with a number."""
    taken = {part.get(SECTIONS[section]) for part in document.get(section) or ()}
    number, name = 1, wanted
    while name in taken:
        number += 1
        name = f"{wanted}{number}"
    return name


def checked_key(document: Json, section: str, key: str) -> str:
    """A new key for a part. Raises: ImpossibleInput for one that cannot be or is taken."""
    if not re.fullmatch(ID_PATTERN, key) or len(key) > 20:
        raise _refused("key", f"is {key!r}; it must be 1 to 20 {ID_RULE}")
    if any(part.get(SECTIONS[section]) == key for part in document.get(section) or ()):
        raise _refused("key", f"is {key!r}; another has it already")
    return key


def _needed(document: Draft, key: str) -> str:
    """An exit, a supply or the clear water by its name, put into the document where it is missing."""
    if not any(u.get("id") == key for u in document["units"]):
        if key in SUPPLIES:
            document["units"].append({"id": key, "supply": True, "outlets": [], **copy.deepcopy(dict(SUPPLIES[key]))})
        else:
            document["units"].append({"id": key, "title": EXITS.get(key, key), "outlets": []})
    return key


def _filtrate(document: Draft, line: str) -> str:
    """The filtrate tank of a line, put into the document with its make-up where it is missing."""
    key = f"{line}.filtrate"
    if not any(u.get("id") == key for u in document["units"]):
        over = {"name": "over", "to": _needed(document, "effluent")}
        tank = {"id": key, "line": line, "station": "clean", "title": "filtrate tank", "outlets": [over]}
        document["units"].append(tank)
        make_up = {"id": f"{CLEAR}>{key}", "kind": "keep", "tank": CLEAR, "to": key, "target": 2.0, "rest": "rest"}
        document["draws"].append(make_up)
    return key


def start(*, name: str, machine: Json, safety_number: str) -> Draft:
    """A draft with its machine: blend, chest, machine and its water. `machine`: the fields of the machine."""
    document = empty_mill()
    document |= {"name": name, "machine": dict(machine), "safety_number": safety_number}
    units, draws, vessel = machine_end(str(machine.get("name", "")) or "the machine")
    document["units"] += units
    for key in (FRESH, "reel", "sewer", "effluent"):
        _needed(document, key)
    document["draws"] += draws
    document["vessels"].append(vessel)
    return document


def next_of(document: Json, key: str) -> str:
    """The unit that a unit's pulp goes on to, or empty."""
    outlets = _unit(document, key).get("outlets") or [{}]
    return str(outlets[0].get("to", ""))


def feeders_of(document: Json, key: str) -> list[str]:
    """The units whose pulp goes on to this one."""
    return [u["id"] for u in document["units"] if (u.get("outlets") or [{}])[0].get("to") == key]


def join(document: Json, unit: str, outlet: str, to: str) -> Draft:
    """An outlet led elsewhere; the thickener behind it follows. Raises: ImpossibleInput."""
    new = copy.deepcopy(dict(document))
    held = _unit(new, unit)
    if to and to not in {u["id"] for u in new["units"]}:
        raise _refused("to", f"is {to!r}; there is no such unit")
    if to == unit:
        raise _refused("to", "is the unit itself")
    led = next((o for o in held["outlets"] if o["name"] == outlet), None)
    if led is None:
        raise _refused("outlet", f"is {outlet!r}; {unit} has {', '.join(o['name'] for o in held['outlets']) or 'none'}")
    first = led is held["outlets"][0]
    before, led["to"] = led["to"], to
    for draw in new["draws"]:
        if first and draw["tank"] == unit and draw["kind"] == "thicken" and draw["to"] == before:
            draw["to"] = to
    return new


def _draw(document: Draft, said: Drawing, unit: str, line: str) -> Draft:
    """A draw of a preset as the document holds it."""

    def named(name: str) -> str:
        if name == "self":
            return unit
        if name == "next":
            return next_of(document, unit)
        if name == "filtrate":
            return _filtrate(document, line)
        return _needed(document, name)

    tank, to = named(said.tank), named(said.to)
    fed = sum(u.get("feed_t_h", 0.0) for u in document["units"] if u.get("line") == line)
    target = said.target or round(said.a_t_fed * fed, 3)
    made: Draft = {"id": "", "kind": said.kind, "tank": tank, "to": to, "target": target}
    made["id"] = _free(document, "draws", f"{tank}>{to or 'next'}")
    if said.rest:
        made["rest"] = said.rest
    if said.displaced:
        made["displaced"] = True
    return made


def _placed(document: Draft, preset: Preset, line: str, after: str) -> str:
    """A preset put into a draft behind a unit of its line (or first, where `after` is empty): its key."""
    key = _free(document, "units", f"{line}.{preset.key}")
    to = next_of(document, after) if after else ""
    unit: Draft = {"id": key, "line": line, "station": preset.station, "title": preset.name.lower()}
    unit |= copy.deepcopy(dict(preset.unit))
    on: Draft = {"name": "on", "to": to}
    if preset.on:
        on["shares"] = dict(preset.on)
    unit["outlets"] = [on]
    units = document["units"]
    place = next((i + 1 for i, u in enumerate(units) if u["id"] == after), len(units))
    units.insert(place, unit)
    for name, (exit_, shares) in preset.others.items():
        led = _filtrate(document, line) if exit_ == "filtrate" else _needed(document, exit_)
        unit["outlets"].append({"name": name, "to": led, "shares": dict(shares)})
    if after:
        joined = join(document, after, _unit(document, after)["outlets"][0]["name"], key)
        document.clear()
        document |= joined
    for said in preset.draws:
        document["draws"].append(_draw(document, said, key, line))
    return key


def add_unit(document: Json, *, preset: str, line: str, after: str = "") -> tuple[Draft, str]:
    """A unit put into a line behind another one; the draft and the unit's key. Raises: ImpossibleInput."""
    if preset not in PRESETS:
        raise _refused("preset", f"is {preset!r}; it must be one of {', '.join(PRESETS)}")
    if line not in {part["key"] for part in document["lines"]}:
        raise _refused("line", f"is {line!r}; there is no such line")
    new = copy.deepcopy(dict(document))
    if after:
        _unit(new, after)
    return new, _placed(new, PRESETS[preset], line, after)


def take_unit(document: Json, key: str) -> Draft:
    """A unit taken out: what fed it goes on to what it fed, its draws go with it. Raises: ImpossibleInput."""
    unit = _unit(document, key)
    to = next_of(document, key)
    if key in STARTED:
        raise _refused("unit", f"is {key!r}; every mill has one")
    new = copy.deepcopy(dict(document))
    for feeder in feeders_of(new, key):
        new = join(new, feeder, _unit(new, feeder)["outlets"][0]["name"], "" if to == feeder else to)
    new["units"] = [u for u in new["units"] if u["id"] != unit["id"]]
    new["draws"] = [d for d in new["draws"] if key not in (d["tank"], d["to"])]
    for other in new["units"]:
        for outlet in other.get("outlets", ()):
            outlet["to"] = "" if outlet["to"] == key else outlet["to"]
    return new


def add_line(document: Json, *, recipe: str, key: str, name: str, feed_t_h: float) -> Draft:
    """A whole line from a recipe: its units with their draws, its tower, and the pulp it gives the blend.

    `feed_t_h`: what it is fed, or what a store of bought pulp and broke gives, t/h oven-dry. Raises: ImpossibleInput.
    """
    if recipe not in RECIPES:
        raise _refused("recipe", f"is {recipe!r}; it must be one of {', '.join(RECIPES)}")
    checked_key(document, "lines", key)
    checked_key(document, "sources", key)
    name = name.strip() or RECIPES[recipe].name
    if not 0.0 < feed_t_h <= 1000.0:
        raise _refused("feed_t_h", f"is {feed_t_h:g} t/h; it must be above 0 to 1000 t/h")
    said = RECIPES[recipe]
    new = copy.deepcopy(dict(document))
    new["lines"].append({"key": key, "name": name, "sentence": said.name.lower()})
    pulp = dict(said.pulp)
    source: Draft = {"key": key, "name": name, **pulp, "vessel": f"{key}.tower", "raw_wet_t_t": said.raw_wet_t_t}
    source |= {"raw_name": said.raw_name}
    if recipe == "bought":
        source |= {"unit": _bought(new, key, name, pulp), "spare": True}
        tank, rest = source["unit"], ""
    else:
        source["unit"] = _broke(new, key, name, pulp, feed_t_h) if recipe == "broke" else _made(new, key, said.units, feed_t_h)
        tank, rest = _tower(new, key, name, source["unit"]), "rest"
    for unit in new["units"]:  # the more the lines draw of the clear water, the more of it the wire must give
        if unit["id"] == SHOWERS:
            unit["feed"]["W"] = round(unit["feed"]["W"] + SHOWERS_T_T * feed_t_h, 1)
    new["sources"].append(source)
    new["vessels"].append(tower_of(key, name, TOWER_ROOM_H * feed_t_h, pulp["cons_pct"], source["unit"]))
    draw: Draft = {"id": f"out.{key}", "kind": "rate", "tank": tank, "to": "blend", "target": 0.0}
    new["draws"].append(draw | ({"rest": rest} if rest else {}))
    return new


def _made(document: Draft, line: str, presets: tuple[str, ...], feed_t_h: float) -> str:
    """The units of a line one behind the other; the key of the last."""
    after = ""
    for preset in presets:
        after = _placed(document, PRESETS[preset], line, after)
        if preset == presets[0]:
            _unit(document, after)["feed_t_h"] = feed_t_h
    return after


def _sets(pulp: Json) -> Draft:
    return {"iso_pct": pulp["iso_pct"], "s457": pulp["s457"], "csf_ml": pulp["csf_ml"], "kappa": 1, "grey": 0.2}


def _broke(document: Draft, key: str, name: str, pulp: Json, feed_t_h: float) -> str:
    """Broke as it comes back, a feed of its own; its key."""
    filler = float(pulp["ash_pct"]) / 100.0
    fibre = {"LF": 0.47, "SF": 0.36, "FN": 0.17}
    unit: Draft = {"id": f"{key}.feed", "line": key, "station": "blend", "title": name, "feed_t_h": feed_t_h, "temp_c": 35}
    unit |= {"cons_pct": pulp["cons_pct"], "sets": _sets(pulp), "outlets": [{"name": "on", "to": ""}]}
    unit["parts"] = {c: round(v * (1.0 - filler), 4) for c, v in fibre.items()} | {"FL": filler}
    document["units"].append(unit)
    return str(unit["id"])


def _bought(document: Draft, key: str, name: str, pulp: Json) -> str:
    """Bought pulp, a supply of its own at the consistency it is slushed to; its key."""
    dry = float(pulp["cons_pct"]) / 100.0
    flows = {"LF": round(0.77 * dry, 6), "SF": round(0.17 * dry, 6), "FN": round(0.06 * dry, 6), "W": round(1.0 - dry, 6)}
    unit: Draft = {"id": f"{key}.store", "line": key, "station": "blend", "title": name, "supply": True, "feed": flows}
    unit |= {"temp_c": 30, "sets": _sets(pulp) | {"grey": 0}, "outlets": []}
    document["units"].append(unit)
    return str(unit["id"])


def _tower(document: Draft, key: str, name: str, unit: str) -> str:
    """The tower of a line, its last unit joined to it; the tower's key."""
    tower, stored = f"{key}.tower", f"stored.{key}"
    document["units"].append({"id": stored, "title": f"stays in the {name} tower", "outlets": []})
    made: Draft = {"id": tower, "line": key, "station": "stock", "title": f"{name} tower", "stores": True}
    document["units"].append(made | {"outlets": [{"name": "rest", "to": stored}]})
    _unit(document, unit)["outlets"][0]["to"] = tower
    return tower


def take_line(document: Json, key: str) -> Draft:
    """A line taken out with its units, draws, vessels, sources and rows. Raises: ImpossibleInput."""
    part_of(document, "lines", key)
    new = copy.deepcopy(dict(document))
    gone = {u["id"] for u in new["units"] if u.get("line") == key} | {f"stored.{key}"}
    new["units"] = [u for u in new["units"] if u["id"] not in gone]
    new["draws"] = [d for d in new["draws"] if d["tank"] not in gone and d["to"] not in gone]
    sources = {s["key"] for s in new["sources"] if s.get("unit") in gone}
    new["sources"] = [s for s in new["sources"] if s["key"] not in sources]
    new["vessels"] = [v for v in new["vessels"] if v.get("unit") not in gone and v.get("source") not in sources]
    new["plan"] = [r for r in new["plan"] if r.get("line") != key]
    new["lines"] = [part for part in new["lines"] if part["key"] != key]
    new["lanes"] = [lane for lane in new.get("lanes", ()) if lane["key"] not in sources]
    new["piles"] = [p for p in new.get("piles", ()) if p["unit"] not in gone]
    for section in ("bales", "vats"):
        new[section] = [p for p in new.get(section, ()) if p["source"] not in sources and p.get("unit") not in gone]
    for grade in new["grades"]:
        grade["shares"] = {k: v for k, v in grade["shares"].items() if k not in sources}
    return new


def add_grade(document: Json, *, key: str, name: str, gsm: float, speed_m_min: float) -> Draft:
    """A grade with equal parts of every pulp that is not spare, and the usual card of the chest about what that makes.

    Raises: ImpossibleInput for a key that is taken, and while there is no pulp.
    """
    checked_key(document, "grades", key)
    made = [s["key"] for s in document["sources"] if not s.get("spare")]
    if not made:
        raise _refused("key", "cannot be used yet: no line gives pulp")
    shares = {k: round(100.0 / len(made), 1) for k in made}
    shares[made[0]] = round(100.0 - sum(shares[k] for k in made[1:]), 1)
    new = copy.deepcopy(dict(document))
    point = new.get("roles", {}).get("point", "machine.chest")
    aims = {"consistency": 3.6, **furnish_of(document, shares)}
    card: list[Draft] = []
    for test in CHEST_TESTS:
        said = TESTS[test]
        line: Draft = {"key": test, "label": said.name, "unit": said.unit, **band_of(test, aims.get(test))}
        line |= {"critical": test != "ash", "every_h": 2, "point": point, "decimals": said.decimals}
        card.append(line)
    grade: Draft = {"key": key, "name": name, "gsm": gsm, "speed_m_min": speed_m_min, "moisture_pct": 5.5}
    grade |= {"sheet_ash_pct": 10, "chest_cons_pct": 3.6, "headbox_cons_pct": 0.7, "shares": shares, "additives": []}
    new["grades"].append(grade | {"tests": card})
    return new


def proposed_rows(document: Json) -> list[Draft]:
    """Rows of the sampling plan that this mill lacks: of each line by its recipe's stations, and of the machine's chest."""
    have = {row["id"] for row in document["plan"]}
    rows = []
    for line in document["lines"]:
        source: Json = next((s for s in document["sources"] if s["key"] == line["key"]), {})
        aims = {"freeness": source.get("csf_ml"), "brightness": source.get("iso_pct"), "consistency": source.get("cons_pct")}
        units = {u["id"].removeprefix(f"{line['key']}."): u for u in document["units"] if u.get("line") == line["key"]}
        wanted = {row for r in RECIPES.values() if r.units and r.units[0] in units for row in r.rows}
        for unit, test, place in sorted(wanted, key=lambda row: list(units).index(row[0]) if row[0] in units else -1):
            if unit not in units:
                continue
            fed = units[unit].get("cons_pct", 50)
            aim = 100 - fed if test == "moisture" else aims.get(test)
            if test == "kappa" and unit == "o2":
                aim = AFTER_OXYGEN
            row: Draft = {"id": f"{line['key']}.{unit}.{test}", "place": f"{line['key']} {place}", "test": test}
            row |= {"interval_min": 120, "who": "operator", "station": units[unit]["station"], "line": line["key"]}
            of_unit = {"unit": units[unit]["id"]} if units[unit].get("acts") and test in MEANS else {}
            rows.append(row | band_of(test, aim) | of_unit)
        rows += [row for unit in units.values() for row in stage_rows(unit)]
    for test in CHEST_TESTS if document["grades"] else ():
        card: Json = next((t for t in document["grades"][0]["tests"] if t["key"] == test), {})
        limits = {k: card.get(k) for k in ("low", "high", "outer_low", "outer_high", "target")}
        point = document.get("roles", {}).get("point", "machine.chest")
        row = {"id": f"{point}.{test}", "place": "Machine chest", "test": test, "interval_min": 120, "who": "operator"}
        rows.append(row | {"station": "deliver", "line": "", "critical": test != "ash", "grade": True, **limits})
    read = {(row.get("unit"), row.get("stage", 0), row["test"]) for row in document["plan"] if row.get("stage")}
    lacking = [row for row in rows if row["id"] not in have]
    return [row for row in lacking if (row.get("unit"), row.get("stage", 0), row["test"]) not in read]


AFTER_OXYGEN: Final = 16.0  # kappa, to begin with


def add_rows(document: Json) -> Draft:
    """The draft with the rows that are proposed for it; a unit that names the row of its loss, kappa or brightness is given
    it."""
    new = copy.deepcopy(dict(document))
    rows = proposed_rows(document)
    new["plan"] += rows
    for unit in new["units"]:
        acts = unit.get("acts") or {}
        known = keys(KINDS[acts["kind"]]) if acts.get("kind") in KINDS else {}
        for test, name in OWN.items():
            row = next((r["id"] for r in rows if r["id"] == f"{unit['id']}.{test}"), "")
            if row and name in known and not acts.get(name):
                acts[name] = row
        if "moisture_row" not in unit and (row := next((r["id"] for r in rows if r["id"] == f"{unit['id']}.moisture"), "")):
            unit["moisture_row"] = row
    return new


def add_moves(document: Json) -> Draft:
    """The draft with the places of the practice table that are usual at its units."""
    new = copy.deepcopy(dict(document))
    new["moves"] = [*new.get("moves", ()), *usual_moves(document)]
    return new


def add_part(document: Json, section: str, key: str) -> Draft:
    """A part of a list to begin with, under a new key. Raises: ImpossibleInput."""
    if section not in FIRST:
        raise _refused("section", f"is {section!r}; it must be one of {', '.join(FIRST)}")
    checked_key(document, section, key)
    new = copy.deepcopy(dict(document))
    new.setdefault(section, []).append({SECTIONS[section]: key, **copy.deepcopy(dict(FIRST[section]))})
    return new


def take_part(document: Json, section: str, key: str) -> Draft:
    """A part taken out of its list; a unit and a line with what belongs to them. Raises: ImpossibleInput."""
    if section == "units":
        return take_unit(document, key)
    if section == "lines":
        return take_line(document, key)
    part_of(document, section, key)
    new = copy.deepcopy(dict(document))
    new[section] = [part for part in new[section] if part[SECTIONS[section]] != key]
    return new


def _class_of(section: str) -> type:
    said = keys(cast(Any, MillDocument))[section]
    return cast(Parts | Part, said).of


def wells_of(document: Json, section: str, key: str) -> Iterator[tuple[str, Item, Any]]:
    """Every value of a part that is typed, with its place in it and how it is declared. `key` is empty for a part of which
    there is one (machine, roles, schools)."""
    if section == "mill":
        for name in ("name", "note", "safety_number", "day_starts", "shift_hours", "steam_allowed_t_h", "blow_tank_t"):
            yield name, keys(cast(Any, MillDocument))[name], document.get(name)
        for i, digester in enumerate(document.get("digesters") or ()):
            yield f"digesters[{i}]", DIGESTER, digester
        return
    part = part_of(document, section, key) if key else document.get(section) or {}
    for place, said, value in leaves(_class_of(section), part):
        if section != "moves" or not place.startswith(MOVE_WELLS):
            yield place, said, value
    if section == "moves":
        yield from _move_wells(part)


MOVE_WELLS: Final = ("readings.", "opens.")


def _move_wells(part: Json) -> Iterator[tuple[str, Item, Any]]:
    """The wells of a move's row: which row of the plan reads each, and what it opens with."""
    model = ROWS[part["row"]].model if part.get("row") in ROWS else ""
    wells = quantities(find(model).case_class) if model else {}
    readings, opens = part.get("readings") or {}, part.get("opens") or {}
    for name, said in wells.items():
        if not said.options:
            yield f"readings.{name}", Text(label=said.label, names="plan"), readings.get(name)
    for name, said in wells.items():
        yield f"opens.{name}", Number(said=said) if not said.options else Text(label=said.label), opens.get(name)


def _steps(place: str) -> list[str | int]:
    return [int(step) if step.isdigit() else step for step in STEP.findall(place)]


def _typed(said: Item, text: str, place: str) -> Any:
    """A typed value as a document holds it. Raises: ImpossibleInput."""
    text = text.strip()
    if isinstance(said, Flag):
        return text in ("on", "true", "yes")
    number = isinstance(said, Limit) or (isinstance(said, Number) and not said.said.options)
    if not number:
        return text
    if not text and isinstance(said, Limit):
        return None
    try:
        value = float(text.replace(",", ".").replace("−", "-"))
    except ValueError:
        raise _refused(place, f"is “{text}”; it must be a number") from None
    bad: list[Problem] = []
    said.read(value, place, bad)
    if bad:
        raise ImpossibleInput(*bad)
    return int(value) if value == int(value) else value


def typed(document: Json, section: str, key: str, values: Mapping[str, str]) -> Draft:
    """The draft with values typed into a part, by their places in it.

    An empty well of a value with a default takes it out. Raises: ImpossibleInput naming each place that cannot be.
    """
    new = copy.deepcopy(dict(document))
    if section != "mill" and not key:
        new.setdefault(section, {})
    bad: list[Problem] = []
    for place, said, old in wells_of(document, section, key):
        if place not in values:
            continue
        holder: Any = new if section == "mill" else part_of(new, section, key) if key else new[section]
        *way, last = _steps(place)
        for step in way:
            holder = holder.setdefault(step, {}) if isinstance(holder, dict) else holder[step]
        try:
            if section == "moves" and place.startswith(MOVE_WELLS) and not values[place].strip():
                holder.pop(last, None)
                continue
            if old is None and not values[place].strip() and not isinstance(said, Flag):
                continue
            value = _typed(said, values[place], place)
        except ImpossibleInput as refusal:
            bad += refusal.problems
            continue
        if isinstance(said, Flag) and not value and isinstance(holder, dict):
            holder.pop(last, None)
        else:
            if isinstance(holder, list):
                holder.extend([None] * (int(last) + 1 - len(holder)))
            holder[last] = value
    if bad:
        raise ImpossibleInput(*bad)
    return new


def act_as(document: Json, unit: str, kind: str) -> Draft:
    """A unit that acts otherwise, with the settings of that kind to begin with; empty for one with fixed shares.

    Raises: ImpossibleInput.
    """
    if kind and kind not in KINDS:
        raise _refused("kind", f"is {kind!r}; it must be one of {', '.join(KINDS)}, or nothing")
    new = copy.deepcopy(dict(document))
    held = _unit(new, unit)
    held.pop("acts", None)
    if kind:
        held["acts"] = copy.deepcopy(dict(ACTS[kind]))
    return new


def tables_of(document: Json, section: str, key: str) -> list[tuple[str, str, int, int, int]]:
    """The lists within a part that may grow: (place, label, rows, least, most)."""
    if section == "mill":
        return [("digesters", "Batch digesters", len(document.get("digesters") or ()), 0, MOST_DIGESTERS)]
    part = part_of(document, section, key) if key else document.get(section) or {}
    return list(_tables(_class_of(section), part, ""))


def _tables(cls: Any, part: Json, path: str) -> Iterator[tuple[str, str, int, int, int]]:
    for name, said in keys(cls).items():
        place, value = at(path, name), part.get(name)
        if isinstance(said, Table | List | Parts) and name != "outlets":
            yield place, said.label, len(value or ()), said.least, said.most
        elif isinstance(said, OneOf) and isinstance(value, dict) and value.get(said.by) in said.of:
            yield from _tables(said.of[value[said.by]], value, place)


def add_row(document: Json, section: str, key: str, place: str) -> Draft:
    """A list within a part one row longer: the last row again, to be changed. Raises: ImpossibleInput."""
    return _resized(document, section, key, place, +1)


def take_row(document: Json, section: str, key: str, place: str) -> Draft:
    """A list within a part without its last row. Raises: ImpossibleInput."""
    return _resized(document, section, key, place, -1)


def _resized(document: Json, section: str, key: str, place: str, by: int) -> Draft:
    told = {t[0]: t for t in tables_of(document, section, key)}
    if place not in told:
        raise _refused("place", f"is {place!r}; it must be one of {', '.join(told) or 'none'}")
    _, label, held, least, most = told[place]
    if not least <= held + by <= most:
        raise _refused(place, f"has {held}; there must be {least} to {most} ({label.lower()})")
    new = copy.deepcopy(dict(document))
    holder: Any = part_of(new, section, key) if key else new if section == "mill" else new[section]
    *way, last = _steps(place)
    for step in way:
        holder = holder[step]
    rows = holder.setdefault(last, [])
    if by < 0:
        rows.pop()
    else:
        rows.append(copy.deepcopy(rows[-1]) if rows else _first_row(place))
    if rows and by > 0 and isinstance(rows[-1], dict) and "key" in rows[-1]:
        rows[-1]["key"] = f"{rows[-1]['key']}.{len(rows)}"
    return new


def _first_row(place: str) -> Any:
    """A first row of an empty list, where it may be typed: additives of a grade, digesters of the mill."""
    if place == "digesters":
        return "1"
    if place == "additives":
        return ["Cationic starch", 5]
    raise _refused(place, "has no row to begin with; bring it in with a document")


def set_share(document: Json, section: str, key: str, place: str, name: str, value: float) -> Draft:
    """A named amount within a part (a share of an outlet, of the furnish, a part of a feed); 0 takes it out.

    Raises: ImpossibleInput for a name that is not known there, or a value below 0.
    """
    new = copy.deepcopy(dict(document))
    holder: Any = part_of(new, section, key)
    said: Any = None
    cls: Any = _class_of(section)
    try:
        for step in _steps(place):
            if isinstance(step, str):
                said = keys(cls).get(step)
                cls = getattr(said, "of", None)
                holder = holder.setdefault(step, {}) if isinstance(said, Amounts) else holder.get(step)
            else:
                holder = holder[step]
    except (AttributeError, IndexError, TypeError):
        said = None
    if not isinstance(said, Amounts):
        raise _refused("place", f"is {place!r}; amounts are not named there")
    sources = tuple(s["key"] for s in document["sources"]) if said.key == "shares" and section == "grades" else ()
    allowed = sources or said.names
    if allowed and name not in allowed:
        raise _refused("name", f"is {name!r}; there are {', '.join(allowed)}")
    bad: list[Problem] = []
    said.of.read(value, "value", bad)
    if bad:
        raise ImpossibleInput(*bad)
    if value == 0.0:
        holder.pop(name, None)
    else:
        holder[name] = value
    return new


def copied_settings(document: Json, unit: str, to: str) -> Draft:
    """How one unit acts, copied to another. Raises: ImpossibleInput."""
    acts = _unit(document, unit).get("acts")
    if acts is None:
        raise _refused("unit", f"is {unit!r}, which has no settings to copy")
    new = copy.deepcopy(dict(document))
    _unit(new, to)["acts"] = copy.deepcopy(acts)
    return new
