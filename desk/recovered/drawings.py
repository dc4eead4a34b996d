"""The recovered line as a ribbon over its panels: one step a column, a value holds from its step to the next; for SVG."""

import math
import random
from datetime import datetime, timedelta

from django.utils import timezone

from core.colour import ks_from_reflectance, swatch
from core.recovered.line import At, LineCase
from core.recovered.pulper import LoadedCase, LoadedFound, NextCase, NextFound
from desk.kit.svg import minutes_step, n, polyline, ticks
from desk.kit.templatetags.vat import clock, figure
from desk.recovered.bales import Standing

LEFT, RIGHT = 40.0, 632.0
RIBBON_TOP, THICK_PX = 96.0, 64.0
PANELS = (("iso", 236.0, 306.0), ("ink", 334.0, 400.0), ("ash", 428.0, 484.0), ("stickies", 512.0, 570.0))
INK_A_DOT, STICKIES_A_RING, MOST_MARKS = 20.0, 250.0, 40
LEAST_PX = 1.4
CHEMICALS = {"flotation": "soap", "peroxide": "peroxide", "dithionite": "dithionite"}


def grey_of(iso: float) -> str:
    """The colour of wet grey pulp of a brightness."""
    return swatch(ks_from_reflectance(max(0.01, iso / 100.0)), wet=True, beta=0.006).hex


def line_picture(
    case: LineCase,
    after: tuple[At, ...],
    fed_t_h: float,
    other: tuple[At, ...] = (),
) -> dict:
    """`other`: the held school, drawn dashed."""
    steps = after[1:]
    pitch = (RIGHT - LEFT) / len(steps)
    x = [LEFT + pitch * i for i in range(len(steps) + 1)]
    px = THICK_PX
    cells, losses, marks = [], [], []
    chance = random.Random(7)  # where a mark lies says nothing
    for i, at in enumerate(steps):
        thick, ash = px * at.total, px * at.solids["FL"]
        cells.append(
            {
                "x": n(x[i]),
                "w": n(pitch + 0.6),
                "y": n(RIBBON_TOP),
                "h": n(thick - ash),
                "hex": grey_of(at.iso_pct),
                "ash_y": n(RIBBON_TOP + thick - ash),
                "ash_h": n(ash),
            }
        )
        dots = min(MOST_MARKS, round(at.eric_ppm / INK_A_DOT))
        rings = min(MOST_MARKS, round(at.stickies_mm2_kg / STICKIES_A_RING))
        room = max(6.0, thick - ash - 6.0)
        for k in range(dots + rings):
            marks.append(
                {
                    "x": n(x[i] + 3 + (pitch - 6) * chance.random()),
                    "y": n(RIBBON_TOP + 3 + room * chance.random()),
                    "ring": k >= dots,
                }
            )
        t_h = fed_t_h * at.taken
        if t_h > 5e-4:
            w = max(LEAST_PX, px * at.taken)
            bottom = RIBBON_TOP + thick + w / 2
            foam = case.steps[i].name in ("flotation", "thickener", "washer")
            losses.append(
                {
                    "d": f"M{n(x[i])} {n(bottom)}c{n(0.35 * pitch)} 0 {n(0.5 * pitch)} 8 {n(0.5 * pitch)} 34",
                    "w": n(w),
                    "foam": foam,
                    "x": n(x[i] + 0.5 * pitch),
                    "text": f"{t_h:.3f}",
                }
            )
    told = {
        "cells": cells,
        "losses": losses,
        "marks": marks,
        "names": [
            {
                "x": n(x[i] + 3),
                "y": "14" if i % 2 == 0 else "28",
                "tick": "18" if i % 2 == 0 else "32",
                "text": f"{i + 1} {at.called}",
            }
            for i, at in enumerate(steps)
        ],
        "pins": [
            {"x": n(x[i] + 0.5 * pitch), "what": CHEMICALS[s.name], "dose": figure(s.dose, 1)}
            for i, s in enumerate(case.steps)
            if s.name in CHEMICALS and s.dose > 0.0
        ],
        "lines": [n(v) for v in x],
        "in": figure(fed_t_h, 2),
        "out": figure(fed_t_h * steps[-1].total, 2),
        "right": n(RIGHT),
        "key_y": n(RIBBON_TOP - 14),
    }
    told["panels"] = [_panel(name, top, foot, x, after, other) for name, top, foot in PANELS]
    return told


def _value(name: str, at: At) -> float:
    values = {"iso": at.iso_pct, "ink": at.eric_ppm, "ash": at.ash_pct, "stickies": at.stickies_mm2_kg}
    return values[name]


TITLES = {
    "iso": ("Brightness", "% ISO", 1),
    "ink": ("Ink", "ERIC, ppm", 0),
    "ash": ("Ash", "% of dry solids", 1),
    "stickies": ("Stickies", "mm²/kg, log scale", 0),
}


def _panel(name: str, top: float, foot: float, x: list[float], after, other) -> dict:
    """One value along the line: a step line, the held school dashed, figures where it changes most."""
    both = [_value(name, a) for a in (*after, *other)]
    low, high = min(both), max(both)
    log = name == "stickies" and low > 0.0
    if log:
        low, high = 0.8 * low, 1.25 * high
    else:
        pad = max(1e-6, 0.12 * (high - low))
        low, high = max(0.0, low - pad), high + pad

    def y(v: float) -> float:
        if log:
            return foot - (foot - top) * (math.log(v) - math.log(low)) / (math.log(high) - math.log(low))
        return foot - (foot - top) * (v - low) / (high - low)

    def steps(run) -> str:
        d = f"M{n(x[0])} {n(y(_value(name, run[0])))}"
        for i, at in enumerate(run[1 : len(x)]):
            d += f"V{n(y(_value(name, at)))}H{n(x[i + 1])}"
        return d + (f"H{n(x[-1])}" if len(run) < len(x) else "")

    title, unit, places = TITLES[name]
    changes = sorted(range(1, len(after)), key=lambda i: -abs(y(_value(name, after[i])) - y(_value(name, after[i - 1]))))
    shown = {i for i in changes[:3] if i < len(after) - 1}
    return {
        "title": title,
        "unit": unit,
        "y": n(top - 6),
        "top": n(top),
        "foot": n(foot),
        "d": steps(after),
        "other": steps(other) if other else "",
        "figures": [
            {"x": n(x[i - 1] + 4), "y": n(y(_value(name, after[i])) - 6), "text": figure(_value(name, after[i]), places)}
            for i in sorted(shown)
        ],
        "end": {"y": n(y(_value(name, after[-1])) - 6), "text": figure(_value(name, after[-1]), places)},
        "first": {"y": n(y(_value(name, after[0])) + 4), "text": figure(_value(name, after[0]), places)},
    }


M_PX, VAT_LEFT, VAT_FOOT, BALE_TOP = 62.0, 390.0, 366.0, 40.0


def vat_picture(
    case: LoadedCase,
    found: LoadedFound,
    planned: LoadedCase,
    card: LoadedFound | None,
    more: LoadedFound | None,
) -> dict:
    """Bales as they were loaded, one box each and those not on the card edged; the vat with its level, the card's dashed, the
    pen's after the water. Vat and bales share one scale: a vat as high as wide, a bale by its weight."""
    side = min(3.6, (case.vat_m3 * 1.1) ** (1.0 / 3.0)) * M_PX
    foot, top = VAT_FOOT, VAT_FOOT - side
    rows, y = [], BALE_TOP
    for i, (load, plan) in enumerate(zip(case.loads, planned.loads, strict=True)):
        w = min(74.0, M_PX * (load.bale_kg / 420.0) ** (1.0 / 3.0) * 1.1)
        count = min(12, int(round(load.bales)))
        gap = min(w + 4.0, 340.0 / max(1, count))
        boxes = []
        for k in range(count):
            boxes.append({"x": n(gap * k), "y": n(y), "w": n(min(w, gap - 2.0)), "h": n(0.62 * w), "over": k >= plan.bales})
        told = f"{figure(load.bales, 0)} of {figure(plan.bales, 0)}, {figure(load.kg / 1000.0, 2)} t"
        told += f" at {figure(load.moisture_pct, 1)} %"
        rows.append({"boxes": boxes, "y": n(y + 0.62 * w + 15), "text": told, "number": i + 1, "off": load.bales - plan.bales})
        y += 0.62 * w + 36.0

    def at(level_pct: float) -> float:
        return foot - side * min(1.0, max(0.0, level_pct / 100.0))

    return {
        "rows": rows,
        "vat": {"x": n(VAT_LEFT), "y": n(top), "w": n(side), "h": n(side), "foot": n(foot)},
        "fill": {"y": n(at(found.level_pct)), "h": n(foot - at(found.level_pct))},
        "card": n(at(card.level_pct)) if card else "",
        "pen": n(at(more.level_pct)) if more else "",
        "most": n(at(97.0)),
        "left": n(VAT_LEFT - 12.0),
        "right": n(VAT_LEFT + side),
        "text_y": n(0.5 * (at(found.level_pct) + foot)),
        "metre": n(M_PX),
        "hex": grey_of(55.0),
    }


CURVE_LEFT, CURVE_RIGHT, CURVE_TOP, CURVE_FOOT = 40.0, 632.0, 436.0, 546.0


def defiber_picture(f0_pct: float, to_pct: float, minutes: float, ink: tuple[tuple[float, float], ...] = ()) -> dict:
    """Flakes over the minutes since the rotor started, on a log axis: the limit, when it is met, and when it is too much; the
    ink on the fibre on an axis of its own, from nothing to its share at first."""
    last = 1.8 * minutes
    low, high = min(0.5 * to_pct, 1.0), max(f0_pct, 2.0 * to_pct)

    def x(t: float) -> float:
        return CURVE_LEFT + (CURVE_RIGHT - CURVE_LEFT) * t / last

    def y(pct: float) -> float:
        return CURVE_FOOT - (CURVE_FOOT - CURVE_TOP) * (math.log(pct) - math.log(low)) / (math.log(high) - math.log(low))

    end = min(last, minutes * math.log(f0_pct / low) / math.log(f0_pct / to_pct))  # a straight line on a log axis
    at_end = f0_pct * (to_pct / f0_pct) ** (end / minutes)
    most = max((pct for _, pct in ink), default=0.0)

    def on_fibre(pct: float) -> float:
        return CURVE_FOOT - (CURVE_FOOT - CURVE_TOP) * pct / most

    return {
        "ink": polyline((x(t), on_fibre(v)) for t, v in ink) if ink else "",
        "ink_end": {
            "x": n(x(ink[-1][0]) + 5),
            "y": n(on_fibre(ink[-1][1]) - 5),
            "text": f"ink on the fibre {figure(ink[-1][1], 0)} %",
        }
        if ink
        else None,
        "ink_first": {"x": n(CURVE_RIGHT + 4), "y": n(CURVE_TOP + 4), "text": f"{figure(most, 0)} %"} if ink else None,
        "d": f"M{n(x(0.0))} {n(y(f0_pct))}L{n(x(end))} {n(y(max(low, at_end)))}",
        "band": {"y": n(y(to_pct)), "h": n(CURVE_FOOT - y(to_pct))},
        "ready": {"x": n(x(minutes)), "text": f"ready, {figure(minutes, 0)} min"},
        "over": n(x(1.5 * minutes)),
        "y": [{"y": n(y(v)), "text": f"{v:g}"} for v in (50.0, 20.0, 10.0, 5.0, 2.0, 1.0) if low <= v <= high],
        "x": [{"x": n(x(t)), "text": f"{t:g}"} for t in ticks(0.0, last)],
    }


CHEST_TOP, CHEST_FOOT = 612.0, 690.0


def chest_picture(case: NextCase, found: NextFound, level_pct: float, ready_min: float, now: datetime) -> dict:
    """The dump chest on a clock axis: now, this batch's dump, and the next, landed as late as may be; the bar is when loading
    it may start. `case` begins at this batch's dump, `ready_min` from now."""
    latest = min(found.latest_min, 24 * 60.0)
    next_dump = ready_min + latest + case.minutes
    last = max(60.0, 1.25 * next_dump)
    fall = 100.0 * case.draw_t_h / 60.0 / found.full_t  # % a minute

    def x(minute: float) -> float:
        return CURVE_LEFT + (CURVE_RIGHT - CURVE_LEFT) * min(last, minute) / last

    def y(pct: float) -> float:
        return CHEST_FOOT - (CHEST_FOOT - CHEST_TOP) * min(100.0, max(0.0, pct)) / 100.0

    at_dump = level_pct - fall * ready_min
    then = case.level_pct
    at_next = then - fall * (next_dump - ready_min)
    after = at_next + found.rises_pct
    known = [(0.0, level_pct), (ready_min, at_dump), (ready_min, then), (next_dump, at_next)]
    pen = [(next_dump, at_next), (next_dump, after), (last, after - fall * (last - next_dump))]
    none = [(next_dump, at_next), (last, at_next - fall * (last - next_dump))]
    step = minutes_step(last)
    first = step - (timezone.localtime(now).hour * 60 + timezone.localtime(now).minute) % step
    marks = [first + step * i for i in range(int((last - first) / step) + 1)]
    return {
        "known": polyline((x(t), y(v)) for t, v in known),
        "pen": polyline((x(t), y(v)) for t, v in pen),
        "none": polyline((x(t), y(v)) for t, v in none),
        "band": {"y": n(y(case.high_pct)), "h": n(y(case.low_pct) - y(case.high_pct))},
        "bar": {"x": n(x(ready_min + found.earliest_min)), "to": n(x(ready_min + latest))},
        "y": [{"y": n(y(v)), "text": f"{v:g}"} for v in (case.high_pct, 50.0, case.low_pct)],
        "x": [{"x": n(x(t)), "text": clock(now + timedelta(minutes=t))} for t in marks],
        "then": {"x": n(x(ready_min) + 4), "y": n(y(then) - 5), "text": f"{figure(then, 0)} %, this batch in"},
        "foot": n(CHEST_FOOT),
        "top": n(CHEST_TOP),
    }


ISO_OF = {"recovered paper": 55.0, "broke": 78.0, "dry pulp": 86.0, "wet lap": 84.0}
YARD_WIDTH, YARD_PITCH, YARD_BOX = 640.0, 86.0, 34.0


def yard_picture(kinds: list[tuple[str, Standing]]) -> dict:
    """Every kind of bales as a row of its lots, the oldest at the left; all rows in one scale, t oven-dry."""
    most = max((sum(x.od_t for x in s.lots) for _, s in kinds), default=0.0)
    most = max([most, *(s.worked.result.point_t for _, s in kinds if s.use_t_d > 0.0)]) if kinds else 0.0
    px = (YARD_WIDTH - 20.0) / most if most > 0.0 else 0.0
    rows = []
    for i, (title, s) in enumerate(kinds):
        y, x, boxes = 22.0 + YARD_PITCH * i, 0.0, []
        for lot in s.lots:
            w = max(2.0, lot.od_t * px)
            boxes.append(
                {
                    "number": lot.number,
                    "x": n(x),
                    "w": n(w - 1.0),
                    "mid": n(x + w / 2),
                    "days": figure(lot.age_days, 0),
                    "t": figure(lot.od_t, 1),
                    "room": w >= 20.0,
                    "held": lot.held,
                    "old": lot.age == "act",
                    "hex": grey_of(ISO_OF.get(lot.kind.sort, 60.0)),
                }
            )
            x += w
        point = s.worked.result.point_t * px if s.use_t_d > 0.0 and s.kind.lead_days > 0.0 else 0.0
        told = f"{figure(sum(lot.od_t for lot in s.lots), 0)} t OD in {len(s.lots)} lots"
        rows.append(
            {
                "title": title,
                "told": told,
                "boxes": boxes,
                "title_y": n(y - 8),
                "y": n(y),
                "text_y": n(y + YARD_BOX / 2 + 4),
                "note_y": n(y + YARD_BOX + 20),
                "point": n(min(YARD_WIDTH - 40.0, max(40.0, point))) if point else "",
            }
        )
    words = "; ".join(f"{r['title']}: {r['told']}" for r in rows)
    return {"rows": rows, "height": n(22.0 + YARD_PITCH * len(rows)), "box": n(YARD_BOX), "words": words}
