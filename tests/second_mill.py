"""A second mill for the tests: two lines, no kraft, other names for everything; made from the demo's document so that it stays
valid."""

import copy
import json
from datetime import timedelta

from core.mill.reading import read_mill
from desk.intake.actions import ensure_signals
from desk.mill.clock import set_clock
from desk.mill.models import MillVersion
from desk.people.models import Person, Role
from desk.shift.demo import DOCUMENT, NOW
from tests import make

KEPT = ("M", "R", "W", "B", "")
LETTERS = {"M": "T", "R": "D", "W": "L", "B": "X"}
ROLES = {"blend": "mixtank", "chest": "pm7feed", "machine": "pm7", "filler": "clay"}
NAMED = {
    **ROLES,
    "machine.chest": "pm7.feed",
    "clear": "cloudy",
    "saveall": "disc",
    "fresh": "well",
    "wetlap": "bales",
    "reel": "pope",
}


def _new(name: str) -> str:
    """An id of the demo mill as the second mill calls it: every part of it renamed."""
    for sign in (">", "."):
        if sign in name and name not in NAMED:
            head, _, tail = name.partition(sign)
            if sign == "." and name.startswith("machine.chest."):
                head, tail = "machine.chest", name.removeprefix("machine.chest.")
            return f"{_new(head)}{sign}{_new(tail) if sign == '>' or head in ('out', 'stored') else tail}"
    return NAMED.get(name, LETTERS.get(name, name))


def document() -> dict:
    """The document: a thermomechanical and a recovered line, bought pulp and broke, on a machine of another name."""
    d = copy.deepcopy(json.loads(DOCUMENT.read_text()))
    d["units"] = [
        u
        for u in d["units"]
        if u["line"] in KEPT and u["id"] not in ("liquor", "recovery", "knots", "pith", "stored.K", "stored.S")
    ]
    units = {u["id"] for u in d["units"]}
    d["draws"] = [w for w in d["draws"] if w["tank"] in units and w["to"] in units]
    d["sources"] = [s for s in d["sources"] if s["key"] in KEPT]
    d["vessels"] = [v for v in d["vessels"] if v["unit"] in units]
    d["lanes"] = [lane for lane in d["lanes"] if lane["key"] in KEPT]
    d["lines"] = [line for line in d["lines"] if line["key"] in KEPT]
    d["plan"] = [row for row in d["plan"] if row["line"] in KEPT]
    rows = {row["id"] for row in d["plan"]}
    vessels = {v["key"] for v in d["vessels"]}
    d["moves"] = [
        m
        for m in d["moves"]
        if {*m.get("readings", {}).values(), *filter(None, [m.get("band")])} <= rows
        and m.get("unit", "M.tmp") in units
        and m.get("vessel", "M.tower") in vessels
    ]
    d["tanks"] = [t for t in d["tanks"] if t["key"] in ("peroxide", "caustic")]
    d["piles"], d["digesters"] = [], []
    for grade in d["grades"]:
        kept = {k: v for k, v in grade["shares"].items() if k in KEPT}
        grade["shares"] = {LETTERS[k]: 100.0 * v / sum(kept.values()) for k, v in kept.items()}
    old = (
        units | rows | {x["id"] for x in d["draws"]} | {v["key"] for v in d["vessels"]} | {"M", "R", "W", "B", "machine.chest"}
    )
    old |= {row["id"].rsplit(".", 1)[0] for row in d["plan"]}

    def renamed(value, key=""):
        if isinstance(value, dict):
            return {
                k: v if k in ("shares", "parts", "feed", "line_letter", "station") and key != "grade" else renamed(v, k)
                for k, v in value.items()
            }
        if isinstance(value, list):
            return [renamed(v, key) for v in value]
        return _new(value) if isinstance(value, str) and value in old else value

    for u in d["units"]:
        u["outlets"] = [o | {"to": _new(o["to"])} for o in u["outlets"]]
    d = renamed(d)
    for source in d["sources"]:
        source["draw"] = f"out.{source['key']}"
        source["name"] = {"T": "Thermo", "D": "Deinked", "L": "Bought pulp", "X": "Broke pulp"}[source["key"]]
    d["roles"] = {**ROLES, "vessel": "pm7.feed", "point": "pm7.feed"}
    d["name"], d["note"], d["machine"]["name"] = "Otter Race", "A second mill, made up for the tests.", "the Otter"
    return d


def build() -> None:
    """An empty mill of this document, a person of every role, its clock at the demo's morning."""
    make.nothing()
    people = {
        role: Person.objects.create_user(f"o{i}", password="otter-test-1", role=role, own_pin=True)
        for i, role in enumerate(Role.values)
    }
    MillVersion.objects.create(
        document=document(), made_at=NOW - timedelta(days=1), by=people[Role.ENGINEER], note="as delivered"
    )
    ensure_signals(read_mill(document()))
    set_clock(NOW)
