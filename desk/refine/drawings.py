"""The refining map, freeness by energy, strength by freeness, and the load of each refiner; strings for SVG."""

import math
from dataclasses import dataclass

from core.refine.furnish import FURNISHES
from core.refine.response import FreenessFound, e0_at, freeness_at, state_of, wears
from core.refine.unit import RefinerPlan, School
from desk.kit.svg import n, polyline, ticks
from desk.kit.templatetags.vat import figure

LEFT, RIGHT, TOP, FOOT = 40.0, 622.0, 30.0, 250.0
SEL_LOW, SEL_HIGH = 0.15, 6.0
CURVE = (40.0, 290.0, 306.0, 440.0)
STRENGTH = (352.0, 602.0, 306.0, 440.0)


def _log_y(sel: float) -> float:
    share = (math.log(sel) - math.log(SEL_LOW)) / (math.log(SEL_HIGH) - math.log(SEL_LOW))
    return FOOT - (FOOT - TOP) * min(1.0, max(0.0, share))


@dataclass(frozen=True, slots=True)
class Track:
    """Refiners in series on the map: net energy since the fibre was unrefined where each begins and ends, and its edge load."""

    name: str
    furnish: str
    entry: float
    steps: tuple[tuple[str, float, float], ...]  # name, energy put in, edge load


def track(plan: RefinerPlan, found: FreenessFound, passes, name: str = "") -> Track:
    """A plan as it stands on the map."""
    f = FURNISHES[plan.furnish]
    first = passes[0].sel if passes else f.sel
    entry = found.u_in * e0_at(f, first) * found.factor * wears(plan.wear) * plan.e0_factor
    names = [" + ".join(r.name for r in plan.refiners)] if plan.parallel else [r.name for r in plan.refiners]
    steps = tuple((called, p.kwh_t, p.sel) for called, p in zip(names, passes, strict=False))
    return Track(name, plan.furnish, entry, steps)


def map_picture(
    plan: RefinerPlan, found: FreenessFound, passes, want: float, band: tuple[float, float] | None, others: list[Track]
) -> dict:
    """Net energy since the fibre was unrefined against edge load: usual regions, the refiners as one line, the contours of the
    freeness wanted and of its band; the mill's other lines beside, smaller."""
    f, own = FURNISHES[plan.furnish], track(plan, found, passes)
    csf0 = max(f.csf0, want + 1.0)
    by = found.factor * wears(plan.wear) * plan.e0_factor
    ends = [t.entry + sum(step[1] for step in t.steps) for t in (own, *others)]
    far = max([FURNISHES[t.furnish].usual_kwh_t[1] * 1.02 for t in (own, *others)] + [end + 20.0 for end in ends])

    def x(kwh: float) -> float:
        return LEFT + (RIGHT - LEFT) * min(far, max(0.0, kwh)) / far

    def drawn(t: Track) -> list[dict]:
        at = t.entry
        points = [{"x": n(x(at)), "y": n(_log_y(t.steps[0][2] if t.steps else f.sel)), "text": ""}]
        for name, kwh, sel in t.steps:
            at += kwh
            points.append({"x": n(x(at)), "y": n(_log_y(sel)), "text": name})
        return points

    points = drawn(own)
    regions = []
    for furnish in dict.fromkeys([plan.furnish, *(t.furnish for t in others)]):
        g = FURNISHES[furnish]
        low, high = g.usual_sel
        regions.append(
            {
                "x": n(x(g.usual_kwh_t[0])),
                "w": n(x(g.usual_kwh_t[1]) - x(g.usual_kwh_t[0])),
                "y": n(_log_y(high)),
                "h": n(_log_y(low) - _log_y(high)),
                "own": furnish == plan.furnish,
                "text": furnish,
                "tx": n(min(RIGHT - 4.0, x(g.usual_kwh_t[1]) + 6.0)),
                "ty": n(_log_y(low) - 4.0 - 13.0 * sum(r["right"] == g.usual_kwh_t[1] for r in regions)),
                "anchor": "start" if x(g.usual_kwh_t[1]) < RIGHT - 110.0 else "end",
                "right": g.usual_kwh_t[1],
            }
        )

    def contour(csf: float) -> str:
        if not f.csf_inf < csf < csf0:
            return ""
        u = state_of(csf, csf0, f.csf_inf, f.n)
        sels = [SEL_LOW * (SEL_HIGH / SEL_LOW) ** (i / 40) for i in range(41)]
        return polyline((x(u * e0_at(f, s) * by), _log_y(s)) for s in sels if u * e0_at(f, s) * by <= far)

    return {
        "regions": regions,
        "others": [
            {"name": t.name, "path": polyline((float(p["x"]), float(p["y"])) for p in at), "end": at[-1]}
            for t in others
            for at in (drawn(t),)
        ],
        "points": points,
        "path": polyline((float(p["x"]), float(p["y"])) for p in points),
        "want": contour(want),
        "band": [c for c in map(contour, band or ()) if c],
        "want_x": n(min(RIGHT - 90.0, x(state_of(want, csf0, f.csf_inf, f.n) * e0_at(f, 4.6) * by) + 6.0))
        if want > f.csf_inf
        else "",
        "x": [{"x": n(x(v)), "text": f"{v:g}"} for v in ticks(0.0, far)],
        "y": [{"y": n(_log_y(v)), "text": f"{v:g}"} for v in (0.2, 0.5, 1.0, 2.0, 5.0)],
        "in": {"x": points[0]["x"], "y": points[0]["y"]},
    }


def curve_picture(
    plan: RefinerPlan,
    found: FreenessFound,
    passes,
    want: float,
    csf_in: float,
    lab: float | None,
    samples: list[tuple[float, float]],
    half: float,
) -> dict:
    """Freeness after the net energy that is put in here, at today's edge load, within the band of a new sample; now, the
    laboratory's newest samples at the energy then in force (kWh/t, mL), and what is wanted."""
    f = FURNISHES[plan.furnish]
    csf0 = max(f.csf0, csf_in)
    total = sum(p.kwh_t for p in passes)
    sel = sum(p.sel * p.kwh_t for p in passes) / total if total > 0.0 else (passes[0].sel if passes else f.sel)
    unit = e0_at(f, max(SEL_LOW, sel)) * found.factor * wears(plan.wear) * plan.e0_factor
    left, right, top, foot = CURVE
    needed = (state_of(want, csf0, f.csf_inf, f.n) - found.u_in) * unit if f.csf_inf < want < csf_in else None
    far = max(20.0, 1.8 * total, 1.2 * (needed or 0.0))
    read = [csf for _, csf in samples]
    ends = [csf_in, freeness_at(found.u_in + far / unit, csf0, f.csf_inf, f.n), want, lab or want, *read]
    high, low = max(ends) + 10.0, min(ends) - 10.0

    def x(kwh: float) -> float:
        return left + (right - left) * min(far, max(0.0, kwh)) / far

    def y(csf: float) -> float:
        return foot - (foot - top) * (csf - low) / (high - low)

    course = [(e, freeness_at(found.u_in + e / unit, csf0, f.csf_inf, f.n)) for e in (far * i / 30 for i in range(31))]
    within = [(e, min(high, csf + half)) for e, csf in course] + [(e, max(low, csf - half)) for e, csf in reversed(course)]
    return {
        "d": polyline((x(e), y(csf)) for e, csf in course),
        "half": polyline((x(e), y(csf)) for e, csf in within) + "Z",
        "dots": [{"x": n(x(e)), "y": n(y(csf))} for e, csf in samples],
        "now": {"x": n(x(total)), "y": n(y(found.csf_ml)), "text": figure(found.csf_ml, 0)},
        "lab": {"x": n(x(total)), "y": n(y(lab))} if lab is not None else None,
        "want": {"x": n(x(needed)), "y": n(y(want)), "text": figure(needed, 1)}
        if needed is not None and needed > 0.0
        else None,
        "want_y": n(y(want)),
        "left": n(left),
        "right": n(right),
        "foot": n(foot),
        "x": [{"x": n(x(v)), "text": f"{v:g}"} for v in ticks(0.0, far, most=4)],
        "y": [{"y": n(y(v)), "text": f"{v:g}"} for v in ticks(low, high, most=4)],
    }


def strength_picture(
    curves: tuple[tuple[str, tuple[School, ...]], ...], now: tuple[float, float], want: float, band: tuple[float, float] | None
) -> dict | None:
    """Tensile against freeness at today's edge load and, dashed, at the gentle and the hard end of what is usual: strength is
    bought with drainage, and the schools pay differently. `now`: freeness and tensile as set."""
    told = [s for _, curve in curves for s in curve]
    if len(told) < 2:
        return None
    left, right, top, foot = STRENGTH
    low, high = min(s.tensile for s in told), max(s.tensile for s in told)
    pad = max(0.5, 0.08 * (high - low))
    low, high = low - pad, high + pad
    least, most = min(s.csf_ml for s in told), max(s.csf_ml for s in told)

    def x(csf: float) -> float:
        return left + (right - left) * (min(most, max(least, csf)) - least) / (most - least)

    def y(v: float) -> float:
        return foot - (foot - top) * (min(high, max(low, v)) - low) / (high - low)

    drawn = [
        {"text": text, "d": polyline((x(s.csf_ml), y(s.tensile)) for s in curve), "y": n(y(curve[-1].tensile))}
        for text, curve in curves
        if len(curve) > 1
    ]
    return {
        "curves": drawn,
        "now": {"x": n(x(now[0])), "y": n(y(now[1])), "text": figure(now[1], 1)},
        "band": {"x": n(x(band[0])), "w": n(x(band[1]) - x(band[0]))} if band else None,
        "want_x": n(x(want)),
        "left": n(left),
        "foot": n(foot),
        "top": n(top),
        "height": n(foot - top),
        "right": n(right),
        "x": [{"x": n(x(v)), "text": f"{v:g}"} for v in ticks(least, most, most=4)],
        "y": [{"y": n(y(v)), "text": f"{v:g}"} for v in ticks(low, high, most=4)],
    }


LOADS_TOP, BAR_LEFT, BAR_WIDE, BAR_PITCH = 494.0, 96.0, 300.0, 30.0


def loads_picture(plan: RefinerPlan, then: RefinerPlan | None) -> dict:
    """Gross power of each refiner: no-load pale, net dark, the pen's after the move; of its motor where that is told."""
    most = max([r.motor_kw or 1.2 * r.gross_kw for r in plan.refiners] + [1.0])
    rows = []
    for i, r in enumerate(plan.refiners):
        y = LOADS_TOP + BAR_PITCH * i
        idle = min(r.gross_kw, r.no_load_kw)
        after = then.refiners[i].gross_kw if then else None
        rows.append(
            {
                "name": r.name,
                "y": n(y),
                "text_y": n(y + 12),
                "idle": n(BAR_WIDE * idle / most),
                "net_x": n(BAR_LEFT + BAR_WIDE * idle / most),
                "net": n(BAR_WIDE * max(0.0, r.gross_kw - idle) / most),
                "pen": n(BAR_LEFT + BAR_WIDE * after / most) if after is not None else "",
                "told": f"{figure(r.gross_kw, 0)}{f' to {figure(after, 0)}' if after is not None else ''} kW"
                + (f" of {figure(r.motor_kw, 0)}" if r.motor_kw else ""),
                "words_x": n(BAR_LEFT + BAR_WIDE + 12),
            }
        )
    return {"rows": rows, "x": n(BAR_LEFT), "height": n(LOADS_TOP + BAR_PITCH * len(rows) + 8)}


SECTOR_OF, SECTOR_BOX = 16, (620.0, 250.0)


def plate_picture(result, case, other=None) -> dict:
    """A sector of the plate to scale, its bars at their angle; of another case its rim, dashed."""
    half = math.pi / SECTOR_OF
    inner, outer = case.inner_mm, case.outer_mm
    scale = min(200.0 / (outer - inner * math.cos(half)), 220.0 / (2.0 * outer * math.sin(half)), 190.0 / (outer - inner))
    cx, cy = 40.0 - inner * math.cos(half) * scale, SECTOR_BOX[1] / 2

    def at(r: float, angle: float) -> tuple[float, float]:
        return cx + r * scale * math.cos(angle), cy + r * scale * math.sin(angle)

    def ring(r1: float, r2: float) -> str:
        steps = [half * (2.0 * i / 16 - 1.0) for i in range(17)]
        return polyline([at(r2, a) for a in steps] + [at(r1, a) for a in reversed(steps)]) + "Z"

    pitch = case.bar_mm + case.groove_mm
    bars, tan = [], math.tan(math.radians(case.angle_deg))
    gap = pitch / math.cos(math.radians(case.angle_deg))
    reach = outer * math.sin(half) + outer * tan
    for k in range(-math.ceil(reach / gap), math.ceil(reach / gap) + 1):
        told = []
        for i in range(25):  # a bar, along its slope, where it lies inside the sector
            along = inner + (outer - inner) * i / 24
            across = k * gap + (along - inner) * tan
            r, angle = math.hypot(along, across), math.atan2(across, along)
            if abs(angle) <= half and inner <= r <= outer:
                told.append(at(r, angle))
        if len(told) > 1:
            bars.append(polyline(told))
    return {
        "ring": ring(inner, outer),
        "bars": bars,
        "width": n(max(0.6, case.bar_mm * scale)),
        "held": ring(other[1].inner_mm, other[1].outer_mm) if other else "",
        "ruler": n(50.0 * scale),
        "c": case,
        "r": result,
        "of": SECTOR_OF,
    }


WEAR = (52.0, 560.0, 24.0, 236.0)
MOST_AHEAD = 3.0  # of the hours that were read, drawn at most


def wear_picture(result, case, other=None) -> dict:
    """The signal over the hours since the plates were fitted: what was read, its line, and where that meets the limit, as early
    and as late as it may; of another case its line, dashed."""
    left, right, top, foot = WEAR
    read = max(r.h for r in case.readings)
    tells = result.trend > 0.5
    latest = result.high if tells and math.isfinite(result.high) else 1.5 * read
    end = max(1.0, read, min(MOST_AHEAD * read, 1.05 * latest))

    def line(found, hours: float) -> float:
        return found.intercept + found.slope * hours

    values = [r.y for r in case.readings] + [case.limit, line(result, 0.0), line(result, end)]
    low, high = min(values), max(values)
    pad = 0.08 * (high - low or 1.0)
    low, high = low - pad, high + pad

    def x(hours: float) -> float:
        return left + (right - left) * min(end, max(0.0, hours)) / end

    def y(value: float) -> float:
        return foot - (foot - top) * (value - low) / (high - low)

    return {
        "dots": [{"x": n(x(r.h)), "y": n(y(r.y))} for r in case.readings],
        "line": polyline([(x(0.0), y(line(result, 0.0))), (x(read), y(line(result, read)))]),
        "on": polyline([(x(read), y(line(result, read))), (x(end), y(line(result, end)))]) if tells else "",
        "limit": n(y(case.limit)),
        "span": f"M{n(x(result.low))} {n(y(case.limit))}H{n(x(result.high))}" if tells and result.low <= end else "",
        "at": n(x(result.hours)) if tells and result.hours <= end else "",
        "held": polyline([(x(h), y(line(other[0], h))) for h in (0.0, end)]) if other else "",
        "ticks_x": [{"x": n(x(t)), "text": figure(t, 0)} for t in ticks(0.0, end)],
        "ticks_y": [{"y": n(y(t)), "text": figure(t, 1)} for t in ticks(low, high)],
        "c": case,
        "r": result,
        "tells": tells,
    }


PICTURES = {"plate": plate_picture, "wear": wear_picture}
