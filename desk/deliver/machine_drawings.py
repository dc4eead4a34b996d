"""The approach flow to scale, where the swing of basis weight comes from, and a break in the broke tower; strings for SVG."""

from core.deliver.breaks import BreakCase, BreakFound
from core.deliver.draw import Headbox
from desk.kit.svg import n, polyline, ticks
from desk.kit.templatetags.vat import figure

THICK = 96.0  # px for the flow of the headbox
SWING_LEFT, SWING_WIDE = 130.0, 430.0
SURGE = (40.0, 560.0, 356.0, 476.0)


def flow_picture(stock_l_min: float, head: Headbox) -> dict:
    """Thick stock, white water and headbox as bands, in one scale of L/min; the water that comes back from the wire."""
    px = THICK / max(1.0, head.flow_l_min)
    stock, water, top = px * stock_l_min, px * head.water_l_min, 40.0
    foot = top + stock + water
    return {
        "stock": {"y": n(top), "h": n(max(1.0, stock)), "text_y": n(top - 8), "text": figure(stock_l_min, 0)},
        "water": {
            "y": n(top + stock),
            "h": n(water),
            "text_y": n(top + stock + water / 2),
            "text": figure(head.water_l_min, 0),
        },
        "head": {"y": n(top), "h": n(foot - top), "text": figure(head.flow_l_min, 0), "text_y": n((top + foot) / 2)},
        "loop": f"M470 {n(foot)}v20H225V{n(foot)}",
        "loop_y": n(foot + 36),
    }


def swing_picture(parts, allowed: float) -> dict:
    """Variances side by side: they add, so the widest is the one that pays to mend."""
    total2 = sum(x * x for _, x in parts)
    most = max(total2, allowed * allowed, 1e-9)
    x, made = SWING_LEFT, []
    for i, (name, sd) in enumerate(parts):
        w = SWING_WIDE * sd * sd / most
        made.append(
            {
                "x": n(x),
                "w": n(w),
                "name": name,
                "sd": figure(sd, 2),
                "opacity": n(0.75 - 0.15 * i),
                "mid": n(x + w / 2),
                "text_y": n(276.0 + 14.0 * (i % 2)),
                "wide": w > 24.0,
            }
        )
        x += w
    return {
        "parts": made,
        "allowed": n(SWING_LEFT + SWING_WIDE * allowed * allowed / most),
        "over": total2 > allowed * allowed,
        "total": figure(total2**0.5, 2),
        "end": n(x + 6),
    }


def break_picture(case: BreakCase, found: BreakFound) -> dict:
    """The broke tower's level through the break and after it: at its share, and at the share that brings it back."""
    left, right, top, foot = SURGE
    hours = case.minutes / 60.0
    last = max(2.0, hours + case.back_h)

    def x(h: float) -> float:
        return left + (right - left) * (h + 0.5) / (last + 0.5)

    def y(pct: float) -> float:
        return foot - (foot - top) * min(100.0, max(0.0, pct)) / 100.0

    full, high = case.full_t, case.high_pct
    now = 100.0 * case.content_t / full
    net = case.made_t_h - case.share_pct / 100.0 * case.draw_t_h
    before = now - 0.5 * 100.0 * net / full
    rise_end = found.level_pct
    points = [(x(-0.5), y(before)), (x(0.0), y(now))]
    if found.over_t > 0.0:
        points.append((x(found.full_min / 60.0), y(high)))
    points.append((x(hours), y(rise_end)))
    as_is = rise_end + 100.0 * net * (last - hours) / full
    return {
        "level": polyline(points),
        "stays": polyline([(x(hours), y(rise_end)), (x(last), y(min(high, as_is)))]),
        "back": polyline([(x(hours), y(rise_end)), (x(min(last, hours + case.back_h)), y(now))]),
        "band": {"x": n(x(0.0)), "w": n(max(1.0, x(hours) - x(0.0))), "y": n(top), "h": n(foot - top)},
        "high_y": n(y(high)),
        "left": n(left),
        "right": n(right),
        "foot": n(foot),
        "end": {"x": n(x(hours)), "y": n(y(rise_end)), "text": figure(rise_end, 0)},
        "full": n(x(found.full_min / 60.0)) if found.over_t > 0.0 else "",
        "x": [{"x": n(x(h)), "text": f"{h:g}"} for h in ticks(0.0, last, most=6)],
        "y": [{"y": n(y(p)), "text": f"{p:g}"} for p in (0.0, 50.0, 100.0)],
        "x_mid": n((x(0.0) + x(hours)) / 2),
    }
