"""The line of a draft as boxes in the columns of the stations, joined by what flows between them."""

from dataclasses import dataclass, field

from core.document import Json
from core.line.acting import Line
from core.mill.trial import NOWHERE, Trial
from desk.kit.svg import n
from desk.mill.ribbon import COLUMNS, colour_of

ROOM = {"chips": 92, "cook": 92, "wash": 100, "bleach": 96, "recovered": 96, "clean": 92, "refine": 92, "stock": 150}
TOP, PITCH, HIGH, GAP = 34.0, 40.0, 28.0, 6.0
END_X, END_W = (1056.0, 1170.0), (104.0, 104.0)
BLEND_X, BLEND_W = 944.0, 92.0
LETTER_PX = 6.1
MOST_PX = 16.0
CURVE = 0.5


@dataclass(frozen=True)
class Box:
    """A unit: where it stands, what it is called there, and how it is."""

    key: str
    x: float
    y: float
    w: float
    text: str
    title: str
    faulty: bool
    open: bool

    @property
    def cy(self) -> float:
        return self.y + HIGH / 2.0

    @property
    def rect(self) -> dict[str, str]:
        """Its rectangle and where its words stand, as the drawing holds them."""
        return {"x": n(self.x), "y": n(self.y), "w": n(self.w), "tx": n(self.x + 5.0), "ty": n(self.y + 18.5)}


@dataclass
class Picture:
    """Everything the template draws, numbers as strings."""

    boxes: list = field(default_factory=list)
    flows: list = field(default_factory=list)
    loose: list = field(default_factory=list)
    height: int = 236
    summary: str = ""


def _short(title: str, width: float) -> str:
    most = max(2, int((width - 10.0) / LETTER_PX))
    return title if len(title) <= most else title[: most - 1] + "…"


def _on_to(unit: Json) -> str:
    return (unit.get("outlets") or [{}])[0].get("to", "")


def _strands(document: Json, line: str) -> tuple[list[list[str]], list[str]]:
    """The units of a line along first outlets: each feed's own way up to where two meet, and what is theirs together."""
    own = {u["id"]: u for u in document["units"] if u.get("line") == line and u.get("station")}
    fed = {_on_to(u) for u in own.values()}
    ways = []
    for first in [key for key in own if key not in fed and _on_to(own[key])]:
        way, at = [], first
        while at in own and at not in way:
            way.append(at)
            at = _on_to(own[at])
        ways.append(way)
    ways = [way for way in ways if len(way) > 1 or len(own) == 1]  # a tank beside the line is listed, not drawn
    together = [key for key in own if sum(key in way for way in ways) > 1]
    return [[key for key in way if key not in together] for way in ways], together


def _placed(document: Json, faulty: set[str], opened: str) -> dict[str, Box]:
    boxes: dict[str, Box] = {}
    units = {u["id"]: u for u in document["units"]}
    ends = [u for u in document["units"] if u.get("station") == "deliver"]
    blend = [u for u in document["units"] if u.get("station") == "blend"]

    def put(unit: Json, x: float, y: float, w: float) -> None:
        title = str(unit.get("title") or unit["id"])
        shown = title[:1].upper() + title[1:]
        boxes[unit["id"]] = Box(unit["id"], x, y, w, _short(shown, w), title, unit["id"] in faulty, unit["id"] == opened)

    def put_row(keys: list[str], y: float, beside: list[str]) -> None:
        """A row of units, each station's in its room; `beside`: units of other rows that share the room."""
        for station, room in ROOM.items():
            here = [key for key in keys if units[key]["station"] == station]
            shared = len(here) + sum(units[key]["station"] == station for key in beside)
            w = (room - GAP * (shared - 1)) / shared if shared else 0.0
            first = shared - len(here) if beside and keys and units[keys[0]]["station"] != "chips" else 0
            for j, key in enumerate(here):
                put(units[key], COLUMNS[station] + (first + j) * (w + GAP), y, w)

    row = 0
    for part in document["lines"]:
        ways, together = _strands(document, part["key"])
        longest = max(ways, key=len, default=[])
        for i, way in enumerate(ways):
            put_row(way, TOP + PITCH * (row + i), together if len(ways) > 1 else [])
        put_row(together, TOP + PITCH * (row + (len(ways) - 1) / 2.0), longest if len(ways) > 1 else [])
        row += max(len(ways), 1) if any(units[k]["station"] != "blend" for way in ways for k in way) else 0
    for i, unit in enumerate(sorted(blend, key=lambda u: u.get("line", "") != "")):
        put(unit, BLEND_X, TOP + PITCH * i, BLEND_W)
    for i, unit in enumerate(ends):
        put(unit, END_X[i % 2], TOP + PITCH * (i // 2), END_W[i % 2])
    return boxes


def _flow(a: Box, b: Box, width: float, hex_colour: str) -> dict:
    """A band from one box to another: straight on in a row, else curved."""
    half = max(width, 1.2) / 2.0
    x0, x1 = a.x + a.w, b.x
    if x1 <= x0:  # back, or within a column: down at the side
        x0, x1 = a.x + a.w / 2.0, b.x + b.w / 2.0
        y0, y1 = (a.y + HIGH, b.y) if b.y > a.y else (a.y, b.y + HIGH)
        return {"line": f"M{n(x0)} {n(y0)}L{n(x1)} {n(y1)}", "width": n(2 * half), "hex": hex_colour}
    mid = x0 + (x1 - x0) * CURVE
    d = (
        f"M{n(x0)} {n(a.cy - half)}C{n(mid)} {n(a.cy - half)} {n(mid)} {n(b.cy - half)} {n(x1)} {n(b.cy - half)}"
        f"V{n(b.cy + half)}C{n(mid)} {n(b.cy + half)} {n(mid)} {n(a.cy + half)} {n(x0)} {n(a.cy + half)}Z"
    )
    return {"d": d, "hex": hex_colour}


def _flows(line: Line, boxes: dict[str, Box], picture: Picture) -> None:
    network, solution = line.solution.network, line.solution
    told = []
    for unit in network.units:
        for outlet in unit.outlets:
            if unit.id in boxes and outlet.to in boxes:
                stream = solution.leaves(unit.id, outlet.name)
                if stream.solids_t_h > 1e-9:
                    told.append((boxes[unit.id], boxes[outlet.to], stream.solids_t_h, colour_of(stream)[0]))
    for draw in network.draws:
        if draw.tank in boxes and draw.to in boxes and network.unit(draw.to).station == "blend":
            stream = solution.drawn_from(draw.tank)
            if stream.solids_t_h > 1e-9:
                told.append((boxes[draw.tank], boxes[draw.to], stream.solids_t_h, colour_of(stream)[0]))
    most = max((t[2] for t in told), default=1.0)
    picture.flows = [_flow(a, b, MOST_PX * t_h / most, colour) for a, b, t_h, colour in told]


def draft_picture(document: Json, trial: Trial, faulty: set[str], opened: str) -> Picture:
    """The boxes of a draft with its flows as far as it solves; what is not joined ends in a dotted stub."""
    boxes = _placed(document, faulty | set(trial.left_out), opened)
    lowest = max((b.y for b in boxes.values()), default=TOP)
    picture = Picture(boxes=list(boxes.values()), height=int(max(lowest + HIGH + 14.0, 120.0)))
    if trial.line is not None:
        _flows(trial.line, boxes, picture)
    for unit, _ in trial.unjoined:
        if unit in boxes:
            box = boxes[unit]
            picture.loose.append(f"M{n(box.x + box.w)} {n(box.cy)}h{n(14.0)}")
    apart = f"; {len(trial.unjoined)} outlets lead nowhere" if trial.unjoined else ""
    picture.summary = f"{len(boxes)} units in {len(document['lines'])} lines{apart}"
    return picture


def balance_picture(trial: Trial, balance, hex_colour: str) -> dict:
    """What enters and leaves a unit as two bands, fibre in its pulp's colour on its water: heights by t/h, px."""
    ins, outs = [w for w in balance.ins if w.name != NOWHERE], balance.outs
    whole = max(sum(w.solids_t_h + max(0.0, w.rest_t_h) for w in side) for side in (ins, outs)) or 1.0
    scale = 150.0 / whole

    def side(ways) -> list[dict]:
        y, rows = 22.0, []
        for way in ways:
            t_h = way.solids_t_h + max(0.0, way.rest_t_h)
            h = max(scale * t_h, 1.0)
            fibre = max(scale * way.solids_t_h, 1.0 if way.solids_t_h > 1e-6 else 0.0)
            rows.append(
                {
                    "y": n(y),
                    "h": n(h),
                    "fibre_y": n(y + (h - fibre) / 2.0),
                    "fibre_h": n(fibre),
                    "text_y": n(y + h / 2.0 + 4.0),
                    "name": way.name,
                    "solids": way.solids_t_h,
                    "rest": way.rest_t_h,
                    "roomy": h >= 13.0,
                }
            )
            y += h + 8.0
        return rows

    left, right = side(ins), side(outs)
    low = max((float(r["y"]) + float(r["h"]) for r in (*left, *right)), default=40.0)
    return {"ins": left, "outs": right, "height": int(low + 10.0), "hex": hex_colour}
