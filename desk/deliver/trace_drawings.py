"""The braid of a furnish lot both ways: raw lots, what was made of them, towers, the lot, and the other lots that hold what is
suspect. Thickness is tonnes in the lot, one scale for all."""

from dataclasses import dataclass

from django.urls import reverse
from django.utils import timezone

from core.colour import LIGNIN_BETA, ks_from_reflectance, swatch
from desk.deliver.drawings import _hexes, _short
from desk.deliver.tracing import MADE, PILE, RAW, Found, Node, Trace
from desk.kit.svg import band, n

RAW_X, MADE_X, TOWER_X, LOT_X, AWAY_X = (4.0, 130.0), (196.0, 378.0), (478.0, 518.0), (594.0, 658.0), (666.0, 746.0)
TOP, GAP, SOURCE_GAP, LINE = 44.0, 4.0, 16.0, 13.0
ROOM, LEAST, ASIDE, ROOMY = 430.0, 0.9, 42.0, 32.0
ASIDE_TOP = 26.0
SMALL = 0.01  # of the lot: what is less is joined to the largest of its source


@dataclass
class _Box:
    """A box of a column: its lot or group, tonnes, and where it stands."""

    key: str
    t: float
    y: float = 0.0
    h: float = 0.0
    taken: float = 0.0
    left: float = 0.0


def trace_picture(trace: Trace, number: str, found: Found | None) -> dict:
    """Strings for SVG, 892 wide; `height` says how high."""
    state, lot = trace.state, trace.nodes[number]
    into = list(trace.graph.into.get(number, ()))
    whole = sum(e.tonnes for e in into)
    if whole <= 0.0:
        return {}
    scale = ROOM / whole / 1.45
    rows = _joined(trace, into, whole)
    shares = found.shares if found is not None else {}
    made, towers, raw, links = _columns(trace, rows, scale)
    lot_h = whole * scale
    y0 = TOP + (ASIDE * len(_aside(found, number)) if found is not None else 0.0)
    low = max(y0 + lot_h, *(b.y + b.h for b in (*made, *raw)))
    colours = {
        k: _hexes(trace.nodes[k].what, state.mill.sources.get(trace.nodes[k].source), state) for k in (b.key for b in made)
    }
    p: dict = {
        "height": n(low + 34.0),
        "raw": [],
        "made": [],
        "towers": [],
        "slots": [],
        "strands": [],
        "suspect": [],
        "aside": [],
    }
    tower_by = {b.key: b for b in towers}
    for box in made:
        node = trace.nodes[box.key]
        tower = tower_by[node.source]
        first, last = colours[box.key]
        into_y = tower.y + tower.taken
        d = band(MADE_X[1], box.y, box.y + box.h, TOWER_X[0], into_y, into_y + box.h)
        p["strands"].append({"d": d, "fill": last, "edge": shares.get(box.key, 0.0) > 0.999})
        if shares.get(box.key, 0.0) > 0.0:
            box.left = into_y
        tower.taken += box.h
        p["made"].append(_made_box(node, box, first, shares.get(box.key, 0.0)))
    lot_y = y0
    for tower in towers:
        source = state.mill.sources.get(tower.key)
        fill = (
            swatch(ks_from_reflectance(source.source.iso_pct / 100.0), beta=LIGNIN_BETA, wet=True).hex if source else "#F4EFE6"
        )
        d = band(TOWER_X[1], tower.y, tower.y + tower.h, LOT_X[0], lot_y, lot_y + tower.h)
        p["strands"].append({"d": d, "fill": fill, "edge": False})
        name = _short(state, tower.key)
        p["towers"].append(
            {
                "y": n(tower.y),
                "h": n(tower.h),
                "fill": fill,
                "name": name,
                "name_y": n(tower.y - 5.0),
                "t": tower.t,
                "mid": n(tower.y + tower.h / 2.0 + 4.5),
                "tall": tower.h > LINE,
            }
        )
        p["slots"].append(
            {
                "y": n(lot_y),
                "h": n(tower.h),
                "fill": fill,
                "text": f"{name} {100.0 * tower.t / whole:.0f} %",
                "mid": n(lot_y + tower.h / 2.0 + 4.5),
                "tall": tower.h > LINE,
            }
        )
        for box in made:
            if trace.nodes[box.key].source == tower.key and (share := shares.get(box.key, 0.0)) > 0.0:
                at = lot_y + (box.left - tower.y)
                p["suspect"].append(
                    {
                        "a": band(MADE_X[1], box.y, box.y + box.h, TOWER_X[0], box.left, box.left + box.h),
                        "b": band(TOWER_X[1], box.left, box.left + box.h, LOT_X[0], at, at + box.h),
                        "y": n(at),
                        "h": n(max(LEAST, box.h * share)),
                        "tower": n(box.left),
                    }
                )
        lot_y += tower.h
    for box in raw:
        node = trace.nodes.get(box.key)
        p["raw"].append(_raw_box(trace, box, node, shares.get(box.key, 0.0)))
    for a, b, t in links:
        h = t * scale
        d = band(RAW_X[1], a.y + a.taken, a.y + a.taken + h, MADE_X[0], b.y + b.taken, b.y + b.taken + h)
        a.taken += h
        b.taken += h
        fill = colours[b.key][0]
        edge = shares.get(a.key, 0.0) > 0.0 and shares.get(b.key, 0.0) > 0.0
        p["strands"].insert(0, {"d": d, "fill": fill, "edge": edge})
    p["lot"] = {
        "y": n(y0),
        "h": n(lot_h),
        "t": lot.t,
        "number": number,
        "standing": lot.standing,
        "label_y": n(y0 - 22.0),
        "sub_y": n(y0 - 6.0),
    }
    p["aside"] = _others(trace, found, number, p["suspect"], scale) if found is not None else []
    p["scale"] = {"w": n(5.0 * scale), "y": n(low + 20.0)}
    return p


def _joined(trace: Trace, into, whole: float) -> list[tuple[str, float]]:
    """What the lot was made of, in the way of the furnish and by time; what is under 1 % with the largest of its source."""
    rows = sorted(((e.parent, e.tonnes) for e in into), key=lambda r: _order(trace, r[0]))
    big = {k: t for k, t in rows if t >= SMALL * whole}
    for k, t in rows:
        if k in big:
            continue
        source = trace.nodes[k].source
        same = [x for x in big if trace.nodes[x].source == source]
        if same:
            big[max(same, key=big.__getitem__)] += t
        else:
            big[k] = t
    return sorted(big.items(), key=lambda r: _order(trace, r[0]))


def _order(trace: Trace, key: str) -> tuple:
    node, sources = trace.nodes[key], list(trace.state.mill.sources)
    return (sources.index(node.source) if node.source in sources else 99, node.what.split(",")[0], node.at)


def _columns(trace: Trace, rows: list[tuple[str, float]], scale: float):
    """Boxes of what was made, of towers and of raw lots, top to bottom, and the links from raw to made."""
    made, towers, y, before = [], [], TOP, None
    for key, t in rows:
        source = trace.nodes[key].source
        if source != before:
            y += SOURCE_GAP if before is not None else 0.0
            towers.append(_Box(source, 0.0, y))
            before = source
        h = max(LEAST, t * scale)
        made.append(_Box(key, t, y, h))
        y += h + GAP + (0.0 if h > LINE else LINE)
        towers[-1].t += t
        towers[-1].h += h
    foot = 0.0
    for tower in towers:  # a tower stands in the middle of what came to it, under the one before
        own = [b for b in made if trace.nodes[b.key].source == tower.key]
        middle = (own[0].y + own[-1].y + own[-1].h) / 2.0
        tower.y = max(foot + SOURCE_GAP + 4.0, middle - tower.h / 2.0)
        foot = tower.y + tower.h
    groups: dict[str, float] = {}
    pairs: list[tuple[str, str, float]] = []
    for key, t in rows:
        behind = trace.graph.into.get(key, ())
        came = sum(e.tonnes for e in behind)
        for e in behind:
            part = t * e.tonnes / came
            groups[e.parent] = groups.get(e.parent, 0.0) + part
            pairs.append((e.parent, key, part))
    raw, y = [], TOP
    for key, t in groups.items():
        h = max(LEAST, t * scale)
        raw.append(_Box(key, t, y, h))
        y += h + GAP + (0.0 if h > ROOMY else LINE)
    by_raw, by_made = {b.key: b for b in raw}, {b.key: b for b in made}
    return made, towers, raw, [(by_raw[a], by_made[b], t) for a, b, t in pairs]


def _made_box(node: Node, box: _Box, fill: str, share: float) -> dict:
    at = timezone.localtime(node.at)
    tall = box.h > LINE
    return {
        "y": n(box.y),
        "h": n(box.h),
        "fill": fill,
        "t": box.t,
        "title": node.title,
        "at": f"{at:%H:%M}",
        "day": f"{at:%-d %b}",
        "tall": tall,
        "text_y": n(box.y + box.h / 2.0 + 4.5 if tall else box.y + box.h + LINE - 2.0),
        "url": reverse("deliver:source", args=[node.key]) if node.kind == MADE and not node.key.startswith("uncut:") else "",
        "suspect": n(max(LEAST, box.h * share)) if share > 0.0 else "",
        "whole": share > 0.999,
    }


def _raw_box(trace: Trace, box: _Box, node: Node | None, share: float) -> dict:
    title = node.title if node is not None else box.key
    bales = node is not None and node.kind == RAW and not node.key.startswith(PILE)
    return {
        "y": n(box.y),
        "h": n(box.h),
        "title": title,
        "t": box.t,
        "text_y": n(box.y + 13.0 if box.h > ROOMY else box.y + box.h + LINE - 2.0),
        "sub_y": n(box.y + 28.0) if box.h > ROOMY else "",
        "on": box.h > LINE,
        "suspect": share > 0.0,
        "key": box.key,
        "bales": bales,
    }


def _aside(found: Found, number: str) -> list:
    return [x for x in found.lots if x.node.key != number][:3]


def _others(trace: Trace, found: Found, number: str, suspect: list[dict], scale: float) -> list[dict]:
    """Other furnish lots that hold some of it, above the lot, only its own share drawn."""
    told = []
    for k, x in enumerate(_aside(found, number)):
        y = ASIDE_TOP + ASIDE * k
        h = max(LEAST, x.of_it * scale)
        first = suspect[0] if suspect else None
        told.append(
            {
                "y": n(y),
                "h": n(min(h, ASIDE - 18.0)),
                "number": x.node.key,
                "t": x.t,
                "of_it": x.of_it,
                "where": x.where,
                "text_y": n(y + 10.0),
                "sub_y": n(y + 26.0),
                "d": band(
                    TOWER_X[1],
                    float(first["tower"]),
                    float(first["tower"]) + min(h, 8.0),
                    LOT_X[0],
                    y,
                    y + min(h, ASIDE - 18.0),
                )
                if first
                else "",
            }
        )
    return told
