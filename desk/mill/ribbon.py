"""The fibre ribbon: the solved line as SVG strings. Thickness is t/h oven-dry, margin water, fill the pulp's colour."""

import math
from collections.abc import Sequence
from dataclasses import dataclass, field

from django.urls import reverse
from django.utils.safestring import SafeString

from core.colour import GREY_BETA, LIGNIN_BETA, brightness_from_ks, swatch
from core.line.steady import Solution
from core.mill.document import Lane, LaneNode
from core.stream import SUSPENDED, Stream
from desk.kit.svg import band, n, ribbon
from desk.kit.templatetags.vat import tph, until, working_path
from desk.mill.state import way_of

COLUMNS = {
    "chips": 24,
    "cook": 132,
    "wash": 240,
    "oxygen": 293,
    "bleach": 347,
    "recovered": 455,
    "clean": 563,
    "refine": 671,
    "stock": 779,
    "blend": 944,
    "deliver": 1056,
}
STATIONS = (
    ("chips", "1", "Chips"),
    ("cook", "2", "Cook"),
    ("wash", "3", "Wash"),
    ("bleach", "4", "Bleach"),
    ("recovered", "5", "Recovered"),
    ("clean", "6", "Clean"),
    ("refine", "7", "Refine"),
    ("stock", "8", "Stock"),
    ("blend", "9", "Blend"),
    ("deliver", "0", "Deliver"),
)
LEAD_TOPS = (28.0, 124.0, 208.0, 292.0)  # of the readings of each lane
TOWER_X, LANE_END, END = 846.0, 872.0, 1280.0
BLEACHED_POINTS, BLEACH_REACH = 8.0, 101.0
BLEACH_WAY = [i / 6 for i in range(7)]  # places of the stops on the way through a bleach plant
BLEACH_RISE = [1 - (1 - z) ** 1.7 for z in BLEACH_WAY]  # and how much of the brightening is done there
FALLING = {
    "chips": 2,
    "cook": 50,
    "wash": 94,
    "oxygen": 112,
    "bleach": 138,
    "recovered": 182,
    "clean": 226,
    "refine": 270,
    "stock": 314,
    "blend": 412,
    "deliver": 466,
}
ALONG = {
    "columns": COLUMNS,
    "tower": TOWER_X,
    "lane_end": LANE_END,
    "end": END,
    "dx": 1.0,
    "stem": (916.0, 21.0),
    "reach": 15.0,
}
BIG = {
    "lanes": (92.0, 182.0, 265.0, 348.0),
    "blend": 207.0,
    "scale": 1.0,
    "water": 1.0,
    "height": 376,
    "foot": 340.0,
    "tag": "b",
    **ALONG,
}
SMALL = {
    "lanes": (33.0, 45.5, 53.5, 61.0),
    "blend": 45.5,
    "scale": 0.4,
    "water": 0.32,
    "height": 65,
    "foot": 65.0,
    "tag": "m",
    **ALONG,
}
# the tablet's: the same line drawn along a column, turned by the template so that it falls
FLOOR = {
    "lanes": (146.0, 322.0, 482.0, 640.0),
    "blend": 406.0,
    "scale": 0.95,
    "water": 0.8,
    "height": 820,
    "foot": 700.0,
    "tag": "f",
    "columns": FALLING,
    "tower": 322.0,
    "lane_end": 346.0,
    "end": 510.0,
    "dx": 0.3,
    "stem": (366.0, 14.0),
    "reach": 9.0,
}


@dataclass
class Ribbon:
    """Everything a template draws, in paint order; all numbers are strings already."""

    gradients: list = field(default_factory=list)
    peels: list = field(default_factory=list)
    water: list = field(default_factory=list)
    stems: list = field(default_factory=list)
    fibre: list = field(default_factory=list)
    hairs: list = field(default_factory=list)
    fades: list = field(default_factory=list)
    threads: list = field(default_factory=list)
    pins: list = field(default_factory=list)
    vats: list = field(default_factory=list)
    texts: list = field(default_factory=list)
    merges: list = field(default_factory=list)
    leads: str = ""  # hair lines from the readings down to their lane
    spots: list = field(default_factory=list)  # figures that open their working: place, model or station, what it is
    rendered: dict = field(default_factory=dict)
    height: int = 376
    key_px: str = ""
    summary: str = ""


@dataclass(frozen=True)
class Node:
    """The state of a lane from x on."""

    x: float
    t_h: float
    cons_pct: float
    hex: str
    iso: float


def colour_of(stream: Stream, *, wet: bool = True) -> tuple[str, float]:
    """Hex and brightness of a stream's pulp."""
    q = stream.quality
    beta = LIGNIN_BETA + (GREY_BETA - LIGNIN_BETA) * min(1.0, q.grey)
    return swatch(q.ks, beta=beta, wet=wet).hex, brightness_from_ks(q.ks)


def _node(solution: Solution, spec: LaneNode, size: dict) -> Node:
    stream = solution.leaves(spec.unit, spec.outlet)
    hex_colour, iso = colour_of(stream)
    x = size["columns"][spec.station] + size["dx"] * spec.dx
    return Node(x, stream.solids_t_h, stream.cons_pct, hex_colour, iso)


def _channels(colour: str) -> tuple[int, int, int]:
    return int(colour[1:3], 16), int(colour[3:5], 16), int(colour[5:7], 16)


def _blends(a: str, b: str, shares: Sequence[float]) -> list[str]:
    """Colours on the way from one to another, at these shares of it."""
    (r, g, v), (r1, g1, v1) = _channels(a), _channels(b)
    r1, g1, v1 = r1 - r, g1 - g, v1 - v
    return [f"#{round(r + r1 * z):02X}{round(g + g1 * z):02X}{round(v + v1 * z):02X}" for z in shares]


def _stops(nodes: list[Node], x0: float, x1: float) -> list[tuple[str, str]]:
    def at(x: float) -> str:
        return SafeString(f"{min(1.0, max(0.0, (x - x0) / (x1 - x0))):.4f}")

    stops = [(at(nodes[0].x), nodes[0].hex)]
    after = [p.x - 16 for p in nodes[2:]] + [math.inf]
    for before, node, end in zip(nodes, nodes[1:], after, strict=False):
        if node.iso - before.iso > BLEACHED_POINTS:
            reach = min(BLEACH_REACH, end - (node.x - 15))  # stops never cross the next stage's
            stops += [
                (at(node.x - 15 + reach * z), colour)
                for z, colour in zip(BLEACH_WAY, _blends(before.hex, node.hex, BLEACH_RISE), strict=True)
            ]
        else:
            stops += [(at(node.x - 15), before.hex), (at(node.x + 15), node.hex)]
    return stops


def _margin(cons_pct: float, scale: float) -> float:
    return 4.6 * scale * math.log10(100.0 / max(min(cons_pct, 100.0), 0.01))


class _Painter:
    def __init__(self, state, size: dict, k: float | None = None):
        self.state, self.size, self.r = state, size, Ribbon(height=size["height"])
        self.solution: Solution = state.solution
        self.lanes = state.mill.lanes
        starts = []
        for lane in self.lanes:
            nodes = [lane.strands] if lane.strands else []
            firsts = [s.nodes[0] for s in lane.strands] if nodes else [lane.nodes[0]]
            starts.append(sum(self._solids(f) for f in firsts))
        self.gives = {k: v for k, v in self.state.running.gives.items() if v > 0} or {
            k: self.state.shares.get(k, 0.0) * self.state.draw.solids_t_h for k in self.state.mill.sources
        }
        self.blend_t = sum(self.gives.values())
        self.k = k or min(2.6, 34.0 / max(starts), 37.0 / max(self.blend_t, 1e-6)) * size["scale"]
        self.tag = size["tag"]

    def _at(self, station: str, wide: float, falling: float) -> float:
        """A place behind a station's own, in the ribbon that runs along the page or the one that falls."""
        return self.size["columns"][station] + (falling if self.size is FLOOR else wide)

    def _solids(self, spec: LaneNode) -> float:
        return self.solution.leaves(spec.unit, spec.outlet).solids_t_h

    def half(self, t_h: float) -> float:
        return max(self.k * t_h, 2.5 * (1 if self.size is BIG else 0.5)) / 2.0

    def lane(self, i: int, lane: Lane) -> None:
        yc = self.size["lanes"][i]
        nodes = [_node(self.solution, s, self.size) for s in lane.nodes]
        strands = [[_node(self.solution, s, self.size) for s in strand.nodes] for strand in lane.strands]
        if strands:  # the lane before the strands are mixed is their sum
            joint = []
            for parts in zip(*strands, strict=True):
                t = sum(p.t_h for p in parts)
                mass = sum(p.t_h * 100.0 / p.cons_pct for p in parts)
                joint.append(Node(parts[0].x, t, 100.0 * t / mass, parts[0].hex, parts[0].iso))
            nodes = joint + nodes
        gives = self.gives.get(lane.key, 0.0)
        last = nodes[-1]
        nodes.append(Node(self.size["tower"], gives, last.cons_pct, last.hex, last.iso))
        tops = [(p.x, yc - self.half(p.t_h)) for p in nodes]
        bottoms = [(p.x, yc + self.half(p.t_h)) for p in nodes]
        wet_tops = [(p.x, yc - self.half(p.t_h) - _margin(p.cons_pct, self.size["water"])) for p in nodes]
        wet_bottoms = [(p.x, yc + self.half(p.t_h) + _margin(p.cons_pct, self.size["water"])) for p in nodes]
        gid = f"{self.tag}{lane.key}"
        self.r.gradients.append(
            {
                "id": gid,
                "x1": n(nodes[0].x),
                "x2": n(self.size["lane_end"]),
                "stops": _stops(nodes, nodes[0].x, self.size["lane_end"]),
            }
        )
        self.r.water.append(ribbon(wet_tops, wet_bottoms, self.size["lane_end"], reach=self.size["reach"]))
        self.r.fibre.append(
            {"d": ribbon(tops, bottoms, self.size["lane_end"], reach=self.size["reach"]), "fill": f"url(#{gid})"}
        )
        if len(strands) == 2:
            self._strand(lane, strands, nodes, yc)
        if self.size is BIG:
            self._lane_words(i, lane, nodes, strands, yc)

    def _strand(self, lane: Lane, strands: list, nodes: list, yc: float) -> None:
        """The lower strand over the joint lane, fading out where the two are mixed."""
        upper, lower = strands
        end = self.size["columns"]["bleach"] + 6.0
        joint = nodes[: len(lower)]
        tops = [(p.x, yc - self.half(j.t_h) + self.k * a.t_h) for p, j, a in zip(lower, joint, upper, strict=True)]
        bottoms = [(p.x, yc + self.half(j.t_h)) for p, j in zip(lower, joint, strict=True)]
        gid = f"{self.tag}{lane.key}low"
        self.r.gradients.append({"id": gid, "x1": n(lower[0].x), "x2": n(end), "stops": _stops(lower, lower[0].x, end)})
        self.r.fades.append(
            {
                "d": ribbon(tops, bottoms, end, reach=self.size["reach"]),
                "fill": f"url(#{gid})",
                "from": n(end - 60),
                "to": n(end),
                "id": f"{gid}f",
            }
        )

    def _lane_words(self, i: int, lane: Lane, nodes: list, strands: list, yc: float) -> None:
        def state_at(x: float) -> Node:
            return [p for p in nodes if p.x <= x + 1e-6][-1]

        first = nodes[0]
        if strands:
            top = yc - self.half(first.t_h)
            for s, parts in zip(lane.strands, strands, strict=True):
                mid = top + self.k * parts[0].t_h / 2
                unit = " t/h" if parts is strands[0] else ""
                self.r.texts.append(
                    {
                        "x": "32",
                        "y": n(mid + 4.5),
                        "text": f"{s.name} {tph(parts[0].t_h)}{unit}",
                        "class": "svgl onpulp",
                        "weight": "600",
                        "flow": True,
                    }
                )
                top += self.k * parts[0].t_h
        else:
            y = yc - self.half(first.t_h) - _margin(first.cons_pct, 1.0) - 5
            self.r.texts.append(
                {"x": n(first.x + 8), "y": n(y), "text": f"{tph(first.t_h)} t/h", "class": "svgl quietf", "weight": "600"}
            )
        refined = state_at(COLUMNS["refine"] + 20)
        on_fibre = 2 * self.half(refined.t_h) > 13.0
        y = yc + 4.5 if on_fibre else yc - self.half(refined.t_h) - _margin(refined.cons_pct, 1.0) - 4
        shade = "onpulp" if on_fibre else "quietf"
        self.r.texts.append(
            {
                "x": n(COLUMNS["refine"] + 12),
                "y": n(y),
                "text": f"{tph(refined.t_h)} t/h",
                "class": f"svgl {shade}",
                "weight": "600",
            }
        )
        for peel in lane.peels:
            before, after = state_at(COLUMNS[peel.station] - 20), state_at(COLUMNS[peel.station] + 20)
            lost = sum(self._lost(u) for u in peel.lost)
            self._peel(COLUMNS[peel.station], yc + self.half(before.t_h), lost, before.hex, peel.label, after)
        for thread in lane.threads:
            x = COLUMNS[thread.station] + thread.dx
            t_h = sum(self.solution.leaves(u, o).solids_t_h for u, o in thread.leaves)
            here = state_at(x)
            self._thread(x, yc + self.half(here.t_h), t_h, here.hex, thread.label, thread.station)
        for pin in lane.pins:
            x = COLUMNS[pin.station] + 6 + pin.dx
            here = state_at(x)
            head = yc - (24.0 if i == 0 else 17.0)
            value = self._pin_value(pin)
            self.r.pins.append(
                {
                    "x": n(x),
                    "y1": n(head),
                    "y2": n(yc - self.half(here.t_h)),
                    "text": pin.label + value,
                    "tx": n(x + 6),
                    "ty": n(head + 4.5),
                }
            )
        for gauge in lane.gauges:
            x = COLUMNS[gauge.station]
            here = state_at(x + 20)
            end = max(LEAD_TOPS[i] + 20.0, yc - self.half(here.t_h) - _margin(here.cons_pct, 1.0) - 2.0)
            self.r.leads += f"M{n(x - 3.5)} {n(LEAD_TOPS[i])}V{n(end)}"
        self._vat(lane.key, nodes[-1].hex, yc)

    def _pin_value(self, pin: dict) -> str:
        """What a pin tells: the setting of its unit as it is run now, else the value that the set-up wrote beside it."""
        plan = self.state.line.acting.get(pin.of)
        value = plan.settings().get(pin.setting) if plan is not None else pin.value
        return "" if value is None else f" {value:.4g} {pin.unit}"

    def _lost(self, unit: str) -> float:
        i = self.solution.network.index[unit]
        return float((self.solution.into[i] - self.solution.after[i]) @ SUSPENDED)

    def _peel(self, x: float, bottom: float, t_h: float, hex_colour: str, label: str, after: Node) -> None:
        w, x0, down = self.k * t_h, x - 15.0, bottom + 24.0
        d = (
            f"M{n(x0)} {n(bottom - w)}C{n(x0 + 12 + w)} {n(bottom - w)} {n(x + 8 + w)} {n(bottom)} {n(x + 9 + w)} {n(down)}"
            f"H{n(x + 8)}C{n(x + 8)} {n(bottom + 10)} {n(x)} {n(bottom)} {n(x0)} {n(bottom)}Z"
        )
        gid = f"peel{n(x)}{n(bottom)}".replace(".", "-")
        self.r.peels.append({"d": d, "id": gid, "y1": n(bottom - w / 2), "y2": n(down), "hex": hex_colour})
        self.r.texts.append(
            {"x": n(x + 20 + w), "y": n(down - 8), "text": f"{label} {tph(t_h)} t/h", "class": "svgl quietf", "weight": "450"}
        )

    def _thread(self, x: float, bottom: float, t_h: float, hex_colour: str, label: str, station: str) -> None:
        x0 = x + (8 if station != "wash" else 42)
        d = f"M{n(x0)} {n(bottom - 1)}C{n(x0 + 10)} {n(bottom)} {n(x0 + 8)} {n(bottom + 12)} {n(x0 + 18)} {n(bottom + 14)}"
        width = max(1.6, self.k * t_h)
        self.r.threads.append({"d": d, "width": n(width), "edge": n(width + 1.3), "hex": hex_colour})
        self.r.texts.append(
            {"x": n(x0 + 22), "y": n(bottom + 17), "text": f"{label} {t_h:.2f} t/h", "class": "svgl quietf", "weight": "450"}
        )

    def _vat(self, key: str, hex_colour: str, yc: float) -> None:
        source = self.state.mill.sources.get(key)
        now = self.state.vessels.get(source.vessel) if source else None
        if now is None:
            return
        top, bottom, left, right = yc - 19.0, yc + 14.0, 836.0, 870.0
        level = bottom - (bottom - top) * now.level_pct / 100.0
        vat = {
            "d": f"M{n(left)} {n(top)}V{n(bottom)}H{n(right)}V{n(top)}",
            "x": n(left),
            "y": n(level),
            "w": "34",
            "h": n(bottom - level),
            "hex": hex_colour,
            "vessel": source.vessel,
            "in": {"x": n(left), "y": n(top), "w": "34", "h": n(bottom - top)},
        }
        self.r.vats.append(vat)
        cover = now.cover
        if now.stops_the_line and not math.isinf(cover.hours):
            self.r.texts.append(
                {
                    "x": "852",
                    "y": n(top - 5),
                    "text": f"▼ {cover.way} in" if cover.way == "empty" else f"▲ {cover.way} in",
                    "class": "svgl pencilf",
                    "weight": "650",
                    "anchor": "start",
                    "dx": "-14",
                }
            )
            self.r.vats[-1]["block"] = {"x": "841", "y": n(bottom + 3), "text": until(cover.hours)}
        else:
            left = until(cover.hours)
            self.r.vats[-1]["under"] = {"x": "874", "y": n(bottom + 10.5), "level": f"{now.level_pct:.0f} %", "left": left}

    def merge(self) -> None:
        centre, k = self.size["blend"], self.k
        blend_x = float(self.size["columns"]["blend"])
        y = centre - k * self.blend_t / 2
        lanes = {lane.key: i for i, lane in enumerate(self.lanes)}
        order = [*lanes, *(s for s in self.gives if s not in lanes)]
        blend = self.solution.leaves(self.state.mill.roles.blend, "on")
        hex_blend, _ = colour_of(blend)
        fades = []
        for key in order:
            t_h = self.gives.get(key, 0.0)
            w = k * t_h
            source = self.state.mill.sources[key]
            if key in lanes:
                yc = self.size["lanes"][lanes[key]]
                end = self.lanes[lanes[key]].nodes[-1]
                stream = self.solution.leaves(end.unit, end.outlet)
                hex_colour, _ = colour_of(stream)
                h, m = self.half(t_h), _margin(source.source.cons_pct, self.size["water"])
                self.r.water.append(band(self.size["lane_end"], yc - h - m, yc + h + m, blend_x, y - m, y + w + m))
                self.r.fibre.append({"d": band(self.size["lane_end"], yc - h, yc + h, blend_x, y, y + w), "hex": hex_colour})
            else:
                i = order.index(key) - len(lanes)
                x = self.size["stem"][0] + self.size["stem"][1] * i
                beta = LIGNIN_BETA
                s = source.source
                from_ks = (1 - s.iso_pct / 100) ** 2 / (2 * s.iso_pct / 100)
                hex_colour = swatch(from_ks, beta=beta, wet=True).hex
                foot = self.size["foot"]
                lift = 8.0 if self.size is SMALL else (foot - y) / 2 + 10
                d = (
                    f"M{n(x)} {n(foot)}V{n(foot - 2 if self.size is SMALL else foot - 18)}C{n(x)} {n(foot - lift)} "
                    f"{n(x - 2)} {n(y + w / 2)} {n(blend_x + 1)} {n(y + w / 2)}"
                )
                m = _margin(s.cons_pct, self.size["water"])
                self.r.stems.append(
                    {"d": d, "width": n(max(w, 1.2)), "edge": n(max(w, 1.2) + 1.4), "water": n(w + 2 * m), "hex": hex_colour}
                )
                if self.size is BIG:
                    now = self.state.vessels.get(source.vessel)
                    level = now.level_pct if now else 0.0
                    self.r.vats.append(
                        {
                            "d": f"M{n(x - 8)} 336V358H{n(x + 8)}V336",
                            "x": n(x - 8),
                            "y": n(358 - 22 * level / 100),
                            "w": "16",
                            "h": n(22 * level / 100),
                            "hex": hex_colour,
                            "thin": True,
                            "vessel": source.vessel,
                        }
                    )
                    self.r.texts.append(
                        {
                            "x": "951",
                            "y": n(341 + 16 * i),
                            "text": f"{source.name.lower()} {t_h:.2f} t/h, " + (f"{level:.0f} %" if now else "not read"),
                            "class": "svgl quietf",
                            "weight": "450",
                        }
                    )
            fades.append({"x": n(blend_x), "y": n(y), "w": "46", "h": n(w), "hex": hex_colour})
            y += w
        self.r.merges = fades
        self._deliver(hex_blend)

    def _deliver(self, hex_blend: str) -> None:
        centre, k = self.size["blend"], self.k
        roles = self.state.mill.roles
        blend, chest = self.solution.leaves(roles.blend, "on"), self.solution.leaves(roles.chest, "on")
        filled = self.solution.enters(roles.machine)
        hex_out, _ = colour_of(filled)
        t = self.blend_t
        nodes = [
            Node(float(self.size["columns"]["blend"]), t, blend.cons_pct, hex_blend, 0),
            Node(self._at("deliver", 36.0, 10.0), t, chest.cons_pct, hex_blend, 0),
            Node(self._at("deliver", 140.0, 30.0), t + self.state.draw.filler_t_h, filled.cons_pct, hex_out, 0),
        ]

        def edges(wet: float):
            tops = [(p.x, centre - k * p.t_h / 2 - wet * _margin(p.cons_pct, self.size["water"])) for p in nodes]
            return tops, [(x, 2 * centre - y) for x, y in tops]

        self.r.water.append(ribbon(*edges(1.0), self.size["end"], reach=self.size["reach"]))
        gid = f"{self.tag}out"
        self.r.gradients.append(
            {"id": gid, "x1": n(nodes[0].x), "x2": n(self.size["end"]), "stops": _stops(nodes, nodes[0].x, self.size["end"])}
        )
        self.r.fibre.append({"d": ribbon(*edges(0.0), self.size["end"], reach=self.size["reach"]), "fill": f"url(#{gid})"})
        if self.size is not BIG:
            return
        self.r.texts += [
            {"x": "1006", "y": n(centre + 4.5), "text": f"{tph(t)} t/h", "class": "svgl onpulp", "weight": "600"},
            {
                "x": "1234",
                "y": n(centre + 4.5),
                "text": f"{tph(t + self.state.draw.filler_t_h)} t/h",
                "class": "svgl onpulp",
                "weight": "600",
            },
        ]
        self.r.pins.append(
            {
                "x": "1182",
                "y1": n(centre - 48),
                "y2": n(centre - k * t / 2),
                "text": f"filler {self.state.draw.filler_t_h:.2f} t/h",
                "tx": "1188",
                "ty": n(centre - 43.5),
            }
        )
        now = self.state.vessels.get(roles.vessel)
        if now:
            top, bottom = centre - 35.0, centre + 35.0
            level = bottom - 70.0 * now.level_pct / 100.0
            self.r.vats.append(
                {
                    "d": f"M1092 {n(top)}V{n(bottom)}H1136V{n(top)}",
                    "x": "1092",
                    "y": n(level),
                    "w": "44",
                    "h": n(bottom - level),
                    "hex": hex_blend,
                    "vessel": now.vessel.key,
                    "in": {"x": "1092", "y": n(top), "w": "44", "h": "70"},
                }
            )
            self.r.texts.append(
                {
                    "x": "1092",
                    "y": n(bottom + 18),
                    "text": f"{now.level_pct:.0f} % {'steady' if math.isinf(now.cover.hours) else ''}".strip(),
                    "class": "svgl inkf",
                    "weight": "600",
                }
            )
        told = [f"{self._short(k)} {100 * v:.0f}" for k, v in self.state.shares.items() if v > 0]
        half = (len(told) + 1) // 2 if len(told) > SHARES_A_ROW else len(told)
        for i, row in enumerate(filter(None, (told[:half], told[half:]))):
            last = i or half == len(told)
            text = ", ".join(row) + (" %" if last else ",")
            self.r.texts.append(
                {"x": "950", "y": n(centre + 46 + 15 * i), "text": text, "class": "svgl quietf", "weight": "450"}
            )

    def _short(self, key: str) -> str:
        """A source as it is called among others: by its key where its name starts with it, else by its name."""
        name = self.state.mill.sources[key].name
        return key if name.split()[0] == key else name.lower()

    def paint(self) -> Ribbon:
        for i, lane in enumerate(self.lanes):
            self.lane(i, lane)
        self.merge()
        self.r.key_px = n(5 * self.k)
        gives = ", ".join(f"{self.state.mill.sources[k].name} {tph(v)}" for k, v in self.gives.items())
        self.r.summary = (
            f"Fibre ribbon, oven-dry tonnes an hour: {gives} make {tph(self.blend_t)}; "
            f"{tph(self.state.draw.filler_t_h)} of filler makes {tph(self.blend_t + self.state.draw.filler_t_h)} to "
            f"{self.state.mill.machine.name}"
        )
        return self.r


SHARES_A_ROW = 4
STRANDS_APART = 34.0


def _spots(ribbon: Ribbon, state) -> None:
    """Over every computed figure of the ribbon lies a link to its working: a station's balance, a cover, the draw."""
    for text in ribbon.texts:
        if not text["text"].endswith("t/h") and " t/h" not in text["text"] and not text.get("flow"):
            continue
        x, y = float(text["x"]), float(text["y"])
        wide = 6.4 * len(text["text"])
        placement = {
            "x": n(x - 3),
            "y": n(y - 13),
            "w": n(wide + 6),
            "h": "17",
            "label": f"{text['text']}: how it is worked out",
        }
        if x >= COLUMNS["blend"] and y < 336:
            figure = "filler_t_h" if x > COLUMNS["deliver"] + 90 else "solids_t_h"
            placement["href"] = working_path("deliver.draw", figure, state.draw_case, "/")
        else:
            place = max((px, key) for key, px in COLUMNS.items() if px <= x + 20 and key != "oxygen")[1]
            placement["href"] = reverse("stations:line", args=[place if x < COLUMNS["blend"] - 60 else "blend"])
        ribbon.spots.append(placement)
    for vat in ribbon.vats:
        now = state.vessels.get(vat.get("vessel", ""))
        if now is not None:
            show = {"empty": "to_low_h", "full": "to_high_h"}.get(now.cover.way, "content")
            ribbon.spots.append(
                {
                    "x": vat["x"],
                    "y": n(float(vat["y"]) - 2),
                    "w": vat["w"],
                    "h": n(float(vat["h"]) + 18),
                    "href": working_path(now.model, show, now.case, "/"),
                    "label": f"{now.vessel.name} {now.level_pct:.0f} %: how its cover is worked out",
                }
            )


def _run_key(state) -> tuple:
    return state.version_id, way_of(state.running)


def _kept(store: dict, key: tuple, draw) -> Ribbon:
    if key not in store:
        if len(store) > 20:
            store.clear()
        store[key] = draw()
    return store[key]


def draw_ribbon(state) -> Ribbon:
    """The large ribbon of Shift; kept while the line is run the same way and no level or time left reads differently."""
    levels = tuple(
        (k, round(v.level_pct, 1), round(60 * min(v.cover.hours, 1e6)), v.stops_the_line) for k, v in state.vessels.items()
    )

    def draw() -> Ribbon:
        ribbon = _Painter(state, BIG).paint()
        _spots(ribbon, state)
        return ribbon

    return _kept(_large, (*_run_key(state), state.stands_still, levels), draw)


def outlines(today, other) -> list[str]:
    """The fibre of another state of the line as edges over the large ribbon of today: same centre lines, same scale."""
    painted = _Painter(other, BIG, _Painter(today, BIG).k).paint()
    return [f["d"] for f in painted.fibre]


def places(state) -> dict[str, tuple[float, float]]:
    """Where each unit that the large ribbon draws stands on it, by unit: x, and y of its lane."""
    result = {}
    for i, lane in enumerate(state.mill.lanes):
        y = BIG["lanes"][i]
        for node in lane.nodes:
            result[node.unit] = (COLUMNS[node.station] + node.dx, y)
        for j, strand in enumerate(lane.strands):
            for node in strand.nodes:
                result[node.unit] = (COLUMNS[node.station] + node.dx, y + (j - 0.5) * STRANDS_APART)
    return result


def draw_small(state) -> Ribbon:
    """The small ribbon that is the station menu; kept while the line is run the same way."""
    return _kept(_small, _run_key(state), lambda: _Painter(state, SMALL).paint())


def draw_floor(state) -> Ribbon:
    """The falling ribbon of the tablet; kept while the line is run the same way."""
    return _kept(_floor, _run_key(state), lambda: _Painter(state, FLOOR).paint())


_floor: dict = {}
_small: dict = {}
_large: dict = {}


def forget() -> None:
    """Drop what is kept (tests change the mill under their own feet)."""
    _small.clear()
    _floor.clear()
    _large.clear()
