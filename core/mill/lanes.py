"""The lanes of the ribbon drawn from the line itself, for a mill whose document draws none."""

from typing import Final

from core.cook.unit import CookPlan
from core.lab.methods import TESTS
from core.mill.document import FurnishSource, Gauge, Lane, LaneNode, MillDocument, Peel, Strand, UnitPart

ROOM: Final = {  # px between one station's column and the next one's
    "chips": 108.0,
    "cook": 108.0,
    "wash": 107.0,
    "bleach": 108.0,
    "recovered": 108.0,
    "clean": 108.0,
    "refine": 108.0,
    "stock": 60.0,
}
MOST_LANES: Final = 4


def _before(units: dict[str, UnitPart], key: str) -> list[UnitPart]:
    """The units whose first outlet goes to this one."""
    return [u for u in units.values() if u.outlets and u.outlets[0].to == key and u.station in ROOM]


def _path(units: dict[str, UnitPart], key: str) -> list[UnitPart]:
    """The units from a raw material to this one along first outlets, up to where two are mixed, that one not included."""
    path: list[UnitPart] = []
    at = units.get(key)
    while at is not None and at not in path and at.station in ROOM:
        path.insert(0, at)
        before = _before(units, at.id)
        at = before[0] if len(before) == 1 else None
    return path


def _nodes(path: list[UnitPart], whole: list[UnitPart]) -> tuple[LaneNode, ...]:
    """The places of a path, part of a whole one: several units of one station share its room."""
    nodes = []
    for unit in path:
        together = [u for u in whole if u.station == unit.station]
        dx = ROOM[unit.station] * together.index(unit) / len(together)
        nodes.append(LaneNode(station=unit.station, unit=unit.id, outlet=unit.outlets[0].name, dx=round(dx)))
    return tuple(nodes)


def _lane(document: MillDocument, units: dict[str, UnitPart], source: FurnishSource) -> Lane | None:
    joint = _path(units, source.unit)
    if not joint:
        return None
    feeders = [_path(units, u.id) for u in _before(units, joint[0].id)]
    strands: tuple[Strand, ...] = ()
    if len(feeders) == 2 and [u.station for u in feeders[0]] == [u.station for u in feeders[1]]:
        strands = tuple(Strand(key=p[0].id, name=p[0].title or p[0].id, nodes=_nodes(p, p + joint)) for p in feeders)
    elif feeders:
        joint = max(feeders, key=lambda p: p[0].feed_t_h) + joint
    stations = list(dict.fromkeys(u.station for u in joint))
    key = joint[-1].line
    rows = {r.station: r for r in reversed(document.plan) if r.line == key and key}
    return Lane(
        key=source.source.key,
        name=source.name,
        nodes=_nodes(joint, (feeders[0] if strands else []) + joint),
        strands=strands,
        peels=tuple(Peel(station=u.station, label="dissolved", lost=(u.id,)) for u in joint if isinstance(u.acts, CookPlan)),
        gauges=tuple(Gauge(station=s, row=rows[s].id, label=TESTS[rows[s].test].name) for s in stations if s in rows),
    )


def lanes_of(document: MillDocument) -> tuple[Lane, ...]:
    """The lanes of the document, then one for each further source that this mill makes itself, four at most."""
    units = {u.id: u for u in document.units}
    drawn = {lane.key for lane in document.lanes}
    made = [_lane(document, units, s) for s in document.sources if not s.spare and s.source.key not in drawn]
    return (*document.lanes, *(lane for lane in made if lane is not None))[:MOST_LANES]
