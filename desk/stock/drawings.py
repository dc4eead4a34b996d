"""Pictures of the Stock benches: results turned into strings for SVG. Widths and heights are to scale."""

import math
from dataclasses import replace

import numpy as np

from core.colour import ks_from_reflectance, swatch
from core.stock.density import stock_density
from core.stock.mixing import swing_left
from desk.kit.svg import band, n, polyline

PULP = swatch(ks_from_reflectance(0.83), wet=True).hex
W, H = 620.0, 250.0


def _px(inlet_l: float, out_l: float) -> float:
    """Pixels a L/min, so that the larger flow fits."""
    return 62.0 / max(out_l, inlet_l, 1e-9)


def pipe_outline(inlet_l: float, out_l: float, px: float) -> str:
    """The pipe of another case at the scale of the one that is drawn: its walls alone."""
    yc, h_in, h_out = 170.0, inlet_l * px / 2, out_l * px / 2
    walls = (f"M134 {n(yc + s * h_in)}C232 {n(yc + s * h_in)} 232 {n(yc + s * h_out)} 330 {n(yc + s * h_out)}" for s in (-1, 1))
    return "".join(f"{wall}H{n(W)}" for wall in walls)


def pipe(inlet_l: float, water_l: float, out_l: float, fibre_t_h: float) -> dict:
    """Stock from the left, water from above, both in one pipe: heights to scale in L/min, fibre core in t/h."""
    px = _px(inlet_l, out_l)
    core = min(8.0 * fibre_t_h, inlet_l * px * 0.9, out_l * px * 0.9)
    yc = 170.0
    h_in, h_out, w = inlet_l * px / 2, out_l * px / 2, max(water_l * px, 0.0)
    return {
        "water": band(134, yc - h_in, yc + h_in, 330, yc - h_out, yc + h_out)
        + f"M330 {n(yc - h_out)}H{n(W)}V{n(yc + h_out)}H330Z",
        "core": f"M134 {n(yc - core / 2)}H{n(W)}V{n(yc + core / 2)}H134Z",
        "hex": PULP,
        "fall": f"M{n(266 - w / 2)} 20H{n(266 + w / 2)}V110C{n(266 + w / 2)} 140 {n(280 + w / 2)} {n(yc - h_out)} "
        f"330 {n(yc - h_out)}V{n(yc - h_out + min(w, 2 * h_out))}C{n(270)} {n(yc - h_out + min(w, 2 * h_out))} "
        f"{n(266 - w / 2)} 150 {n(266 - w / 2)} 110Z"
        if w > 0.5
        else "",
        "top_out": n(yc - h_out - 8),
        "under_in": n(yc + max(h_in, h_out) + 22),
        "yc": n(yc + 4.5),
        "water_x": n(266 + w / 2 + 8),
    }


def meter_picture(loop, chest) -> dict:
    """The chest, its outlet, the water and the tap (the mock's drawing with our figures)."""
    made = pipe(loop["stock"], loop["water"], loop["out"], loop["fibre"])
    level = 236.0 - 124.0 * chest["level_pct"] / 100.0
    return made | {"level_y": n(level), "level_h": n(236.0 - level)}


def bias_plot(pairs, check) -> dict:
    """Meter less laboratory, in time order, with the action limit as a band, the mean and its half width."""
    d = [p["apart"] for p in pairs]
    top = max(0.06, max(abs(x) for x in d) * 1.25, check.action_pct * 1.4)

    def y(v: float) -> float:
        return 105.0 - 95.0 * v / top

    step = 300.0 / max(len(d), 1)
    points = [{"x": n(18 + step * i), "y": n(y(v))} for i, v in enumerate(d)]
    times = [{"x": n(18 + step * i), "text": pairs[i]["time"]} for i in range(0, len(d), max(1, len(d) // 3))]
    a, m, hw = check.action_pct, check.bias_pct, check.half_width_pct
    return {
        "band_y": n(y(a)),
        "band_h": n(y(-a) - y(a)),
        "zero": n(y(0)),
        "points": points,
        "times": times,
        "mean": n(y(m)),
        "up": n(y(m + hw)),
        "down": n(y(m - hw)),
        "mean_text_y": n(y(m) + 4),
        "half_y": n(max(10.0, y(m + hw) - 3)),
        "a_y": n(y(a) + 4),
        "b_y": n(y(-a) + 4),
        "z_y": n(y(0) + 4),
        "label_clear": abs(y(m) - y(a)) > 14,
    }


def slope_plot(pairs, check) -> dict:
    """Meter against laboratory with the Deming line and the line of 1."""
    values = [p["lab"] for p in pairs] + [p["meter"] for p in pairs]
    low, high = min(values) - 0.06, max(values) + 0.06

    def x(v: float) -> float:
        return 34.0 + 180.0 * (v - low) / (high - low)

    def y(v: float) -> float:
        return 205.0 - 195.0 * (v - low) / (high - low)

    labs = sorted(p["lab"] for p in pairs)
    line = [(x(v), y(check.intercept_pct + check.slope * v)) for v in (labs[0] - 0.04, labs[-1] + 0.04)]
    ticks = np.linspace(labs[0], labs[-1], 3)
    return {
        "dots": [{"x": n(x(p["lab"])), "y": n(y(p["meter"]))} for p in pairs],
        "line": polyline(line),
        "one": polyline([(x(low), y(low)), (x(high), y(high))]),
        "xt": [{"x": n(x(t)), "text": f"{t:.2f}"} for t in ticks],
        "yt": [{"y": n(y(t) + 4), "text": f"{t:.2f}"} for t in ticks],
    }


def _flows(result, case) -> tuple[float, float]:
    """Stock in and stock out, L/min."""
    if hasattr(result, "first_pass_pct"):
        return case.stock_l_min, result.flow_l_min
    return result.stock_l_min, result.flow_out_l_min


def dilution_picture(result, case, other=None) -> dict:
    held = pipe_outline(*_flows(*other), _px(*_flows(result, case))) if other else ""
    if hasattr(result, "first_pass_pct"):  # headbox
        fibre = case.stock_l_min * case.stock_pct / 100 * 0.06
        made = pipe(case.stock_l_min, result.water_l_min, result.flow_l_min, fibre)
        labels = (
            case.stock_pct,
            case.stock_l_min,
            result.water_l_min,
            case.tray_pct,
            result.flow_l_min,
            case.headbox_pct,
            fibre,
        )
    else:
        made = pipe(result.stock_l_min, result.water_l_min, result.flow_out_l_min, result.fibre_in_t_h)
        labels = (
            result.cons_in_pct,
            result.stock_l_min,
            result.water_l_min,
            case.water_cons_pct,
            result.flow_out_l_min,
            result.cons_out_pct,
            result.fibre_out_t_h,
        )
    keys = ("cons_in", "stock", "water_l", "water_pct", "out", "cons_out", "fibre")
    return made | dict(zip(keys, labels, strict=True)) | {"held": held}


def _box(x: float, y: float, w: float, h: float) -> str:
    return f"M{n(x)} {n(y)}h{n(w)}v{n(h)}h{n(-w)}Z"


def thicken_picture(result, case, other=None) -> dict:
    px = 90.0 / max(case.flow_l_min, 1e-9)
    held = ""
    if other:
        flows = (other[1].flow_l_min * px, other[0].flow_out_l_min * px)
        held = "".join(_box(x, 125 - h / 2, 250, h) for x, h in zip((20, 350), flows, strict=True))
        held += _box(310 - other[0].filtrate_l_min * px / 2, 180, other[0].filtrate_l_min * px, 56)
    return {
        "held": held,
        "in_y": n(125 - case.flow_l_min * px / 2),
        "in_h": n(case.flow_l_min * px),
        "out_y": n(125 - result.flow_out_l_min * px / 2),
        "out_h": n(max(1.0, result.flow_out_l_min * px)),
        "f_w": n(max(1.0, result.filtrate_l_min * px)),
        "f_x": n(310 - result.filtrate_l_min * px / 2),
        "hex": PULP,
        "r": result,
        "c": case,
    }


def pads_picture(result, case, other=None) -> dict:
    """Fibre and water of the beaker as one bar to scale, and the pad beside it."""
    share = result.cons_pct / 100.0
    return {
        "held": f"M{n(30 + 560 * other[0].cons_pct / 100.0)} 62V138" if other else "",
        "w": n(560 * share),
        "hex": PULP,
        "r": result,
        "c": case,
    }


def density_picture(result, case, other=None) -> dict:
    """Density over consistency at this temperature, ash and air, with the point."""
    top = max(8.0, case.cons_pct * 1.5)
    grid = np.linspace(0.0, min(top, 60.0), 40)
    lines = [[stock_density(replace(c, cons_pct=float(v))).kg_m3 for v in grid] for c in (case, *(other or ())[1:])]
    return _curve(grid, lines[0], (case.cons_pct, result.kg_m3), "consistency, %", "kg/m³", 1, held=lines[1:])


def _curve(xs, ys, point, x_label: str, y_label: str, decimals: int, *, held=()) -> dict:
    every = [float(v) for line in (ys, *held) for v in line]
    low, high = min(every), max(every)
    room = (high - low) * 0.12 or 1.0
    low, high = low - room, high + room
    x0, x1 = float(xs[0]), float(xs[-1])

    def x(v: float) -> float:
        return 60.0 + 520.0 * (v - x0) / (x1 - x0)

    def y(v: float) -> float:
        return 215.0 - 195.0 * (v - low) / (high - low)

    return {
        "line": polyline([(x(float(a)), y(float(b))) for a, b in zip(xs, ys, strict=True)]),
        "held": "".join(polyline([(x(float(a)), y(float(b))) for a, b in zip(xs, line, strict=True)]) for line in held),
        "px": n(x(point[0])),
        "py": n(y(point[1])),
        "xt": [{"x": n(x(v)), "text": f"{v:g}"} for v in np.linspace(x0, x1, 5).round(2)],
        "yt": [{"y": n(y(v) + 4), "g": n(y(v)), "text": f"{v:.{decimals}f}"} for v in np.linspace(low + room, high - room, 3)],
        "x_label": x_label,
        "y_label": y_label,
    }


def _core(case) -> tuple[float, float]:
    """Top and height of the fibre core in a pipe 90 px high, under its air."""
    air, height = getattr(case, "air_pct", 0.0) / 100.0, max(3.0, 90 * case.cons_pct / 100.0)
    return 80 + 90 * air + (90 - 90 * air) / 2 - height / 2, height


def pipe_picture(result, case, other=None) -> dict:
    """A full pipe: liquid, its fibre core, and the air that the meter also counts."""
    air = getattr(case, "air_pct", 0.0) / 100.0
    top, height = _core(case)
    return {
        "held": _box(20, _core(other[1])[0], 580, _core(other[1])[1]) if other else "",
        "air_h": n(90 * air),
        "hex": PULP,
        "core_h": n(height),
        "core_y": n(top),
        "wet_y": n(80 + 90 * air),
        "wet_h": n(90 - 90 * air),
        "c": case,
        "r": result,
    }


def sheets_picture(result, case, other=None) -> dict:
    px = 120.0 / max(result.gsm, case.gsm, *((other[0].gsm, other[1].gsm) if other else ()))
    tops = ((120, other[1].gsm), (360, other[0].gsm)) if other else ()
    return {
        "held": "".join(_box(x, 190 - px * gsm, 140, px * gsm) for x, gsm in tops),
        "before": n(px * case.gsm),
        "after": n(px * result.gsm),
        "by": n(190 - px * case.gsm),
        "ay": n(190 - px * result.gsm),
        "c": case,
        "r": result,
    }


def _widths(case) -> list[tuple[str, float, float]]:
    """Cause, percent and width of each part of the variance in a bar of 560 px."""
    parts = [
        ("consistency", case.cons_pct),
        ("flow", case.flow_pct),
        ("speed", case.speed_pct),
        ("retention", case.retention_pct),
    ]
    total = sum(v * v for _, v in parts) or 1.0
    return [(name, 100 * v * v / total, 560.0 * v * v / total) for name, v in parts]


def budget_picture(result, case, other=None) -> dict:
    """Shares of the variance as one bar; those of another case as its edges."""
    made, x = [], 30.0
    for name, share, w in _widths(case):
        made.append({"x": n(x), "w": n(w), "name": name, "pct": share, "tx": n(x + 4), "wide": w > 60})
        x += w
    held, x = "", 30.0
    for *_, w in _widths(other[1])[:-1] if other else ():
        x += w
        held += f"M{n(x)} 60V126"
    return {"parts": made, "held": held, "r": result, "c": case}


def vessel_picture(result, case, other=None) -> dict:
    """The vessel at its level with its limits, and the course of the next twelve hours."""
    level = 220.0 - 180.0 * case.level_pct / 100.0
    span = 12.0 if math.isinf(result.hours) else min(48.0, max(2.0, result.hours * 1.4))

    def y(p: float) -> float:
        return 220.0 - 180.0 * p / 100.0

    def course(r, c) -> str:
        at = lambda h: min(100.0, max(0.0, c.level_pct + 100.0 * r.net * h / c.capacity))  # noqa: E731
        return polyline([(210.0 + 380.0 * h / span, y(at(h))) for h in np.linspace(0, span, 60)])

    hit = (
        None
        if math.isinf(result.hours) or result.hours > span
        else {"x": n(210.0 + 380.0 * result.hours / span), "y": n(y(case.low_pct if result.way == "empty" else case.high_pct))}
    )
    ticks = [{"x": n(210.0 + 380.0 * k / 4), "text": f"{span * k / 4:.1f}"} for k in range(5)]
    return {
        "level_y": n(level),
        "level_h": n(220.0 - level),
        "low_y": n(y(case.low_pct)),
        "high_y": n(y(case.high_pct)),
        "band_h": n(y(case.low_pct) - y(case.high_pct)),
        "line": course(result, case),
        "held": course(*other) if other else "",
        "hit": hit,
        "ticks": ticks,
        "hex": PULP,
        "r": result,
        "c": case,
    }


def mixing_picture(result, case, other=None) -> dict:
    """A swing going in and what is left of it coming out, over three periods."""
    left = result.swing_left_pct / 100.0
    t = np.linspace(0, 3, 150)
    into = [(40 + 540 * x / 3, 110 - 70 * math.sin(2 * math.pi * x)) for x in t]

    def out(r, c) -> str:
        share, lag = r.swing_left_pct / 100.0, math.atan(2 * math.pi * r.tau_min / c.period_min)
        return polyline([(40 + 540 * x / 3, 110 - 70 * share * math.sin(2 * math.pi * x - lag)) for x in t])

    pure = swing_left(result.tau_min, case.period_min)
    return {
        "into": polyline(into),
        "out": out(result, case),
        "held": out(*other) if other else "",
        "left": 100 * left,
        "pure": 100 * pure,
        "ticks": [{"x": n(40 + 180 * k), "text": f"{k * case.period_min:g} min"} for k in range(4)],
        "r": result,
        "c": case,
    }


def loop_step_picture(result, case, other=None) -> dict:
    """The reading after a step of the set point; of another case dashed."""

    def curve(r, c) -> str:
        told = r.readings[:: max(1, len(r.readings) // 300)]
        return polyline((40 + 540 * i / max(1, len(told) - 1), 200 - 130 * y) for i, y in enumerate(told))

    return {
        "curve": curve(result, case),
        "held": curve(*other) if other else "",
        "set": n(200 - 130),
        "ticks": [{"x": n(40 + 135 * k), "text": f"{case.for_s * k / 4:g} s"} for k in range(5)],
        "r": result,
        "c": case,
    }


PICTURES = {
    "loop_step": loop_step_picture,
    "dilution": dilution_picture,
    "thicken": thicken_picture,
    "pads": pads_picture,
    "density": density_picture,
    "pipe": pipe_picture,
    "sheets": sheets_picture,
    "budget": budget_picture,
    "vessel": vessel_picture,
    "mixing": mixing_picture,
}
