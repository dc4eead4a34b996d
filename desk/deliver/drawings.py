"""The braid of a lot's sources, and each test against the card, as strings for SVG."""

import math
from datetime import datetime, timedelta

from django.utils import timezone

from core.colour import LIGNIN_BETA, ks_from_kappa, ks_from_reflectance, swatch
from core.cook.unit import CookPlan
from desk.kit.svg import n

AXIS_END, SLOT_X, LOT_X, WIDTH = 318.0, 462.0, 572.0, 572.0
GAP, LINE_GAP = 3.0, 9.0
LABEL_ROOM = 15.0
SMALLEST = 0.01
LEFT_ROOM = 230.0
LETTER = 6.2  # mean width of a letter of a strand's label


WHITE = "#F4EFE6"


def _hexes(what: str, source, state) -> tuple[str, str]:
    """The colour a source was made in, by the cook of its wood as the line runs it, and the one it came to the blend in; white
    for a source that the set-up no longer has."""
    if source is None:
        return WHITE, WHITE
    end = swatch(ks_from_reflectance(source.source.iso_pct / 100.0), beta=LIGNIN_BETA, wet=True).hex
    for unit, plan in state.line.acting.items():
        if isinstance(plan, CookPlan) and plan.species in what and (kappa := state.line.acts[unit].kappa):
            return swatch(ks_from_kappa(kappa), wet=True).hex, end
    return end, end


def braid(rows: list[dict], lot, state, *, paper: bool = False) -> dict:
    """Strands in the order of the lines, x the hour made, width the tonnes; the lot's height is their sum."""
    if not rows:
        return {"strands": [], "slots": [], "ticks": []}
    rows = _shown(rows)
    start = lot.start - timedelta(hours=16)
    room = 400.0 if not paper else 110.0
    total = sum(r["t"] for r in rows)
    groups = []
    for r in rows:
        if not groups or groups[-1] != r["source"]:
            groups.append(r["source"])
    labels = (LABEL_ROOM if not paper else 0.0) * len(rows)
    scale = (room - labels - GAP * len(rows) - LINE_GAP * len(groups)) / total
    lot_scale = 240.0 / total if not paper else 78.0 / total
    lot_top = (room - total * lot_scale) / 2

    def x(text: str) -> float:
        hours = (datetime.fromisoformat(text) - start).total_seconds() / 3600.0
        return AXIS_END * min(0.93, max(0.0, hours / 18.0))

    y, slot_y, before = 6.0, lot_top, None
    strands, slots = [], {}
    for i, r in enumerate(rows):
        if before is not None and r["source"] != before:
            y += LINE_GAP
        before = r["source"]
        y += LABEL_ROOM if not paper else 0.0
        w, sw = r["t"] * scale, r["t"] * lot_scale
        x0 = x(r["made"])
        old = datetime.fromisoformat(r["made"]) < start
        m = (AXIS_END + SLOT_X) / 2
        d = (
            f"M{n(x0)} {n(y)}H{n(AXIS_END)}C{n(m)} {n(y)} {n(m)} {n(slot_y)} {n(SLOT_X)} {n(slot_y)}V{n(slot_y + sw)}"
            f"C{n(m)} {n(slot_y + sw)} {n(m)} {n(y + w)} {n(AXIS_END)} {n(y + w)}H{n(x0)}Z"
        )
        first, last = _hexes(r["what"], state.mill.sources.get(r["source"]), state)
        made = timezone.localtime(datetime.fromisoformat(r["made"]))
        name = r["what"].split(",")[0]
        aside = x0 > LEFT_ROOM  # its label stands before it, else over it, ending before the strands bend
        label_w = LETTER * len(f"{r['lot']} {name} 00:00 {r['t']:.1f} t")
        if label_w > (x0 - 8.0 if aside else AXIS_END):
            name = name.split()[-1]
            label_w = LETTER * len(f"{r['lot']} {name} 00:00 {r['t']:.1f} t")
        left = max(0.0, min(x0 + 2.0, AXIS_END - label_w))
        strands.append(
            {
                "d": d,
                "id": f"st{i}",
                "x1": n(x0),
                "first": first,
                "last": last,
                "open": f"M{n(x0)} {n(y)}V{n(y + w)}" if old else "",
                "label": r["lot"] or "",
                "what": f"{name} {made:%H:%M}" if not old else f"{name}, {made:%-d %b}",
                "t": r["t"],
                "tx": n(x0 - 8) if aside else n(left),
                "ty": n(y + w / 2 + 4.5) if aside else n(y - 4),
                "anchor": "end" if aside else "start",
                "line": f"M{n(x0)} {n(y + w / 2)}H{n(AXIS_END)}C{n(m)} {n(y + w / 2)} {n(m)} {n(slot_y + sw / 2)} "
                f"{n(SLOT_X)} {n(slot_y + sw / 2)}H{n(LOT_X)}",
                "w": n(max(1.0, (w + sw) / 2)),
            }
        )
        slot = slots.setdefault(r["source"], {"y": slot_y, "h": 0.0, "t": 0.0, "hex": last})
        slot["h"] += sw
        slot["t"] += r["t"]
        y += w + GAP
        slot_y += sw
    drawn = [
        {
            "y": n(s["y"]),
            "h": n(s["h"]),
            "hex": s["hex"],
            "text": f"{_short(state, k)} {100 * s['t'] / total:.0f} %",
            "ty": n(s["y"] + s["h"] / 2 + 4.5),
            "tall": s["h"] > 13,
        }
        for k, s in slots.items()
    ]
    ticks = []
    for k in range(0, 17, 4):
        at = start + timedelta(hours=k)
        ticks.append(
            {"x": n(AXIS_END * k / 18.0), "text": f"{timezone.localtime(at):%H:%M}", "anchor": "start" if k == 0 else "middle"}
        )
    return {
        "strands": strands,
        "slots": drawn,
        "ticks": ticks,
        "top": n(lot_top),
        "height": n(total * lot_scale),
        "axis_y": n(max(y + 12, lot_top + total * lot_scale + 20)),
        "total": f"{max(y + 34, lot_top + total * lot_scale + 44):.0f}",
        "paper_h": f"{y + 8:.0f}",
    }


def _shown(rows: list[dict]) -> list[dict]:
    """The sources of at least 1 %, and the rest of each line joined to its largest."""
    total = sum(r["t"] for r in rows)
    shown = [dict(r) for r in rows if r["t"] >= SMALLEST * total]
    for r in rows:
        if r["t"] < SMALLEST * total:
            same = [s for s in shown if s["source"] == r["source"]]
            if same:
                max(same, key=lambda s: s["t"])["t"] += r["t"]
            else:
                shown.append(dict(r))
    return shown


def _short(state, key: str) -> str:
    """What a source is called in little room: a line by its letter, another by its name."""
    source = state.mill.sources.get(key)
    return source.name.lower() if source is not None and key not in {lane.key for lane in state.mill.lanes} else key


def against_card(test, verdict) -> dict:
    """Mean, bounds and card limits of one test on a bar of 100 px (10 to 110)."""
    low, high = test.band.low, test.band.high
    if math.isinf(low):
        low = 0.0
    if math.isinf(high):
        high = max(low * 1.3, low + 1)
    width = high - low

    def x(v: float) -> float:
        return min(124.0, max(0.0, 12.0 + 100.0 * (v - low) / width))

    if verdict.n == 0:
        return {"none": True, "low_open": math.isinf(test.band.low), "high_open": math.isinf(test.band.high)}
    return {
        "mean": n(x(verdict.mean)),
        "lower": n(x(verdict.lower)),
        "upper": n(x(verdict.upper)),
        "low_open": math.isinf(test.band.low),
        "high_open": math.isinf(test.band.high),
        "low_bad": verdict.low_misses,
        "high_bad": verdict.high_misses,
    }
