"""The washing line as mats and liquor: widths by liquor, shades by dissolved solids; the cost curve; strings for SVG."""

import math

from core.wash.line import Cost, WashLine, liquor
from desk.kit.svg import n, polyline, ticks
from desk.kit.templatetags.vat import figure

PX_T, TOP, VAT_Y, TANK_Y = 2.6, 26.0, 96.0, 196.0
X0, X1, COST_TOP, COST_BOTTOM = 36.0, 452.0, 300.0, 398.0
KEY = (0, 5, 10, 20, 40, 80, 160)


def shade(x: float) -> float:
    """How brown a liquor of x kg/t is drawn, 0 (water) to 100."""
    return round(100.0 * (1.0 - math.exp(-max(0.0, x) / 35.0)), 1)


def line_picture(found: WashLine, feed_pct: float, x0: float, weak: tuple[int, ...]) -> dict:
    """Stages from left to right; the filtrate of each goes up as the shower of the one before."""
    count = len(found.stages)
    pitch = 600.0 / count
    r = min(38.0, pitch * 0.2)
    p: dict = {
        "stages": [],
        "risers": [],
        "mats": [],
        "key": [{"x": n(396.0 + 29 * i), "a": shade(k), "text": f"{k:g}"} for i, k in enumerate(KEY)],
    }
    for i, s in enumerate(found.stages):
        cx = pitch * (i + 0.42)
        p["stages"].append(
            {
                "i": i + 1,
                "kind": s.washer.kind,
                "cx": n(cx),
                "cy": n(VAT_Y),
                "r": n(r),
                "inner": n(r * 0.72),
                "vat": f"M{n(cx - r * 1.5)} {n(VAT_Y - 6)}V{n(VAT_Y + 6)}A{n(r * 1.5)} {n(r * 1.25)} 0 0 0 "
                f"{n(cx + r * 1.5)} {n(VAT_Y + 6)}V{n(VAT_Y - 6)}",
                "va": shade(0.5 * (s.x0 + s.y1)),
                "tank": {"x": n(cx - r), "y": n(TANK_Y), "w": n(2 * r), "h": "34", "a": shade(s.y1)},
                "y1": figure(s.y1, 1),
                "x1": figure(s.x1, 1),
                "text_x": n(cx),
                "nozzle": n(cx),
                "weak": i + 1 in weak,
                "shower": f"M{n(cx - r * 0.8)} {n(VAT_Y - r - 14)}H{n(cx + r * 0.8)}",
                "leg": f"M{n(cx)} {n(VAT_Y + r)}V{n(TANK_Y)}",
                "leg_w": n(max(3.0, PX_T * s.v1)),
                "ya": shade(s.y1),
                "after_x": n(cx + pitch * 0.5) if i < count - 1 else "600",
                "anchor": "middle" if i < count - 1 else "end",
                "belt": {"x": n(cx - 1.25 * r), "y": n(VAT_Y - 0.55 * r), "w": n(2.5 * r), "h": n(1.1 * r), "rx": n(0.55 * r)},
                "box": {"x": n(cx - r), "y": n(VAT_Y - r), "w": n(2 * r), "h": n(2 * r)},
            }
        )
        # the shower: from the filtrate tank of the next stage, or hot water at the right end
        nx = pitch * (i + 1.42)
        end = f"M{n(min(nx, 600.0))} {n(TANK_Y + 17)}" if i < count - 1 else f"M600 {n(TOP)}"
        up = (
            f"H{n(cx + pitch * 0.5)}V{n(TOP)}H{n(cx)}V{n(VAT_Y - r - 18)}" if i < count - 1 else f"H{n(cx)}V{n(VAT_Y - r - 18)}"
        )
        p["risers"].append({"d": end + up, "w": n(max(3.0, PX_T * s.v2)), "a": shade(s.y2)})
        start = 0.0 if i == 0 else pitch * (i - 0.58) + r * 0.9
        p["mats"].append(
            {"d": f"M{n(start)} {n(VAT_Y + 4)}H{n(cx - r * 0.9)}", "w": n(max(4.0, PX_T * (s.l0 + 1))), "a": shade(s.x0)}
        )
    last = found.stages[-1]
    cx = pitch * (count - 0.58)
    p["mats"].append(
        {"d": f"M{n(cx + r * 0.9)} {n(VAT_Y + 4)}H600", "w": n(max(4.0, PX_T * (last.l1 + 1))), "a": shade(last.x1)}
    )
    p["feed"] = {"text": figure(x0, 0), "pct": figure(feed_pct, 1)}
    first = found.stages[0]
    p["out"] = {"d": f"M{n(pitch * 0.42 - r)} {n(TANK_Y + 17)}H0", "w": n(max(3.0, PX_T * first.v1)), "a": shade(first.y1)}
    return p


def cost_picture(
    curve: tuple[Cost, ...],
    least: Cost,
    now: Cost,
    span: tuple[float, float] | None,
    held: tuple[Cost, ...] | None = None,
) -> dict:
    """Cost over the dilution factor: steam, losses, their sum, the least, today's point, a held case's sum dashed.

    `span`: the dilutions that keep the loss in its band.
    """
    low, high = curve[0].df, curve[-1].df
    most = max(1e-9, max(c.total for c in (*curve, *(held or ()))), now.total) * 1.06

    def x(df: float) -> float:
        return X0 + (X1 - X0) * (min(high, max(low, df)) - low) / (high - low)

    def y(v: float) -> float:
        return COST_BOTTOM - (COST_BOTTOM - COST_TOP) * v / most

    ends = curve[-1]
    texts = sorted(
        (
            (y(ends.total), "sum", True),
            (y(ends.steam), "steam to evaporate", False),
            (y(ends.lost), "lost and carried on", False),
        )
    )
    placed, last = [], -1e9
    for at, text, bold in texts:
        last = max(at, last + 14.0)
        placed.append({"y": n(last), "text": text, "bold": bold})
    return {
        "sum": polyline([(x(c.df), y(c.total)) for c in curve]),
        "held": polyline([(x(c.df), y(c.total)) for c in held]) if held else "",
        "steam": polyline([(x(c.df), y(c.steam)) for c in curve]),
        "lost": polyline([(x(c.df), y(c.lost)) for c in curve]),
        "now": {"x": n(x(now.df)), "y": n(y(now.total)), "text": figure(now.total, 2)},
        "least": {
            "x": n(x(least.df)),
            "y": n(y(least.total)),
            "text": f"least {figure(least.total, 2)} at {figure(least.df, 1)}",
        },
        "ends": placed,
        "ticks": [{"x": n(x(v)), "text": f"{v:g}"} for v in (1.0, 2.0, 3.0, 4.0)],
        "yt": [{"y": n(y(v)), "text": f"{v:g}"} for v in ticks(0.0, most)],
        "band": {"x": n(x(span[0])), "w": n(max(0.0, x(span[1]) - x(span[0])))} if span else None,
    }


__all__ = ["cost_picture", "line_picture", "liquor", "shade"]
