"""A cook on one time axis: temperature with the H-factor in the fibre's colour, kappa, yield, residual alkali; strings for
SVG."""

from core.colour import ks_from_kappa, swatch
from core.cook.kinetic import Cooked
from core.cook.profile import Points, h_factor, until
from desk.kit.svg import minutes_step, n, polyline
from desk.kit.templatetags.vat import figure

LEFT, RIGHT = 45.0, 520.0
PANELS = {"kappa": (300.0, 396.0), "yield": (424.0, 504.0), "residual": (532.0, 612.0)}
T_TOP, T_BOTTOM = 30.0, 236.0
H_TOP = 90.0
STOPS = 24


def hex_of(kappa: float) -> str:
    """The wet look of unbleached pulp of a kappa (at most 110, where wood begins)."""
    return swatch(ks_from_kappa(min(110.0, max(1.0, kappa))), wet=True).hex


def cook_picture(
    done: Cooked,
    points: Points,
    *,
    band: tuple[float, float] | None,
    end: float,
    now: float | None = None,
    log: Points = (),
    after: Cooked | None = None,
    after_points: Points = (),
    measured: Points = (),
    held: Cooked | None = None,
) -> dict:
    """`done` along `points`; `log` the part that is known; `after` the case after the move; `held` a held case, dashed."""
    span = max(end, points[-1][0], after_points[-1][0] if after_points else 0.0, 1.0)

    def x(m: float) -> float:
        return LEFT + (RIGHT - LEFT) * m / span

    def ty(t: float) -> float:
        return T_BOTTOM - (T_BOTTOM - T_TOP) * (t - 60.0) / (180.0 - 60.0)

    step = minutes_step(span)
    p: dict = {
        "ticks": [{"x": n(x(m)), "text": f"{m:.0f}"} for m in range(0, int(span) + 1, step)],
        "temps": [{"y": n(ty(t)), "text": str(t)} for t in (80, 110, 140, 170)],
        "line": polyline([(x(m), ty(max(60.0, t))) for m, t in points]),
        "handles": [{"x": n(x(m)), "y": n(ty(max(60.0, t))), "i": i, "m": m, "t": t} for i, (m, t) in enumerate(points)],
        "span": span,
        "end_x": n(x(points[-1][0])),
        "end_text": f"{points[-1][0]:.0f} min",
    }
    if log:
        p["known"] = polyline([(x(m), ty(max(60.0, t))) for m, t in log]) if len(log) > 1 else ""
    if now is not None:
        p["now"] = n(x(min(span, now)))
    # H as an area under the temperature, filled with the fibre's colour at that minute
    total = max(done.h, after.h if after else 0.0, 1.0)
    minutes = [points[-1][0] * i / 40.0 for i in range(41)]
    heights = [h_factor(until(points, m)) if m > points[0][0] else 0.0 for m in minutes]

    def hy(h: float) -> float:
        return T_BOTTOM - (T_BOTTOM - H_TOP) * h / total

    p["area"] = (
        polyline([(x(m), hy(h)) for m, h in zip(minutes, heights, strict=True)])
        + f"L{n(x(minutes[-1]))} {n(T_BOTTOM)}L{n(x(0))} {n(T_BOTTOM)}Z"
    )
    course = done.course
    p["stops"] = []
    for i in range(STOPS + 1):
        m = points[-1][0] * i / STOPS
        at = min(range(len(course.minute)), key=lambda j, m=m: abs(course.minute[j] - m))
        p["stops"].append((f"{i / STOPS:.3f}", hex_of(course.kappa[at])))
    p["h_text"] = {"x": n(x(points[-1][0]) - 6), "y": n(T_BOTTOM - 10), "text": f"H {figure(done.h, 0)} at the end"}
    if now is not None and now > points[0][0]:
        p["h_now"] = {
            "x": n(x(min(now, points[-1][0])) - 6),
            "y": n(T_BOTTOM - 10),
            "text": f"H {figure(h_factor(until(points, min(now, points[-1][0]))), 0)}",
        }
    for name, values, low, high, limits, decimals, grid in (
        ("kappa", course.kappa, 10.0, 80.0, band, 1, (20, 50, 80)),
        ("yield", course.yield_pct, 36.0, 62.0, None, 1, (40, 50, 60)),
        ("residual", course.residual_g_l, 0.0, 30.0, (5.0, 12.0), 1, (0, 15, 30)),
    ):
        top, bottom = PANELS[name]

        def y(v: float, top=top, bottom=bottom, low=low, high=high) -> float:
            return bottom - (bottom - top) * (v - low) / (high - low)

        inside = [(m, v) for m, v in zip(course.minute, values, strict=True) if low <= v <= high]
        panel = {
            "top": n(top),
            "line": polyline([(x(m), y(v)) for m, v in inside[:: max(1, len(inside) // 90)]]) if len(inside) > 1 else "",
            "base": n(bottom),
            "end": {
                "x": n(x(course.minute[-1])),
                "y": n(min(bottom, max(top, y(values[-1])))),
                "text": figure(values[-1], decimals),
            },
            "grid": [{"y": n(y(v)), "text": f"{v:g}"} for v in grid],
        }
        if limits:
            a, b = max(low, limits[0]), min(high, limits[1])
            panel["band"] = {"y": n(y(b)), "h": n(max(0.0, y(a) - y(b)))}
        if after:
            other = {"kappa": after.course.kappa, "yield": after.course.yield_pct, "residual": after.course.residual_g_l}[name]
            kept = [(m, v) for m, v in zip(after.course.minute, other, strict=True) if low <= v <= high and m >= (now or 0.0)]
            panel["after"] = polyline([(x(m), y(v)) for m, v in kept[:: max(1, len(kept) // 90)]]) if len(kept) > 1 else ""
        if held:
            other = {"kappa": held.course.kappa, "yield": held.course.yield_pct, "residual": held.course.residual_g_l}[name]
            kept = [(m, v) for m, v in zip(held.course.minute, other, strict=True) if low <= v <= high and m <= span]
            panel["held"] = polyline([(x(m), y(v)) for m, v in kept[:: max(1, len(kept) // 90)]]) if len(kept) > 1 else ""
        if name == "residual":
            panel["dots"] = [{"x": n(x(m)), "y": n(y(v))} for m, v in measured if low <= v <= high]
        p[name] = panel
    if after_points:
        ahead = [(m, t) for m, t in after_points if m >= (now or 0.0)]
        p["after"] = polyline([(x(m), ty(max(60.0, t))) for m, t in ahead]) if len(ahead) > 1 else ""
    return p


HX0, HX1 = 52.0, 612.0
LANE_TOP, LANE_H, LANE_GAP = 34.0, 64.0, 26.0


def house_picture(batches, kappas: dict, house, limits, lanes, now, *, back: float, ahead: float, held=None) -> dict:
    """Each digester's lane as the silhouette of its temperature in the fibre's colour; steam and blow tank below, limits as
    lines; `held`: the window of another house, dashed."""
    from datetime import timedelta

    from django.utils import timezone

    from core.cook.kinetic import Cooked

    def x(m: float) -> float:
        return HX0 + (HX1 - HX0) * (min(ahead, max(-back, m)) + back) / (ahead + back)

    names = sorted({b.digester for b in batches})
    p: dict = {"lanes": [], "cooks": [], "grads": [], "now": n(x(0.0))}
    for i, name in enumerate(names):
        top = LANE_TOP + i * (LANE_H + LANE_GAP)
        p["lanes"].append(
            {"name": name, "y": n(top + LANE_H / 2), "base": n(top + LANE_H), "top": n(top + 4), "foot": n(top + LANE_H - 2)}
        )

        def ty(t: float, top=top) -> float:
            return top + LANE_H - (LANE_H - 6) * (t - 20.0) / 152.0

        for b in (b for b in batches if b.digester == name and b.end > -back and b.rise_at - b.fill_min < ahead):
            done = kappas.get(b.name)
            shape = [
                (b.rise_at - b.fill_min, 20.0),
                (b.rise_at - b.fill_min * 0.4, 75.0),
                (b.rise_at, 80.0),
                (b.rise_at + b.rise_min, 170.0),
                (b.blow_at, 170.0),
                (b.end, 95.0),
                (b.end + 1.0, 20.0),
            ]
            points = [(x(m), ty(t)) for m, t in shape]
            gid = f"ck{b.name}".replace("+", "-")
            stops = []
            if isinstance(done, Cooked):
                course, start, end = done.course, b.rise_at - b.fill_min, b.end
                for k in range(13):
                    m = start + (end - start) * k / 12.0
                    at = min(range(len(course.minute)), key=lambda j, m=m: abs(course.minute[j] - (m - b.rise_at)))
                    stops.append((f"{k / 12.0:.3f}", hex_of(course.kappa[at])))
            else:
                stops = [("0", hex_of(110.0)), ("1", hex_of(done if isinstance(done, float) else 40.0))]
            p["grads"].append({"id": gid, "stops": stops, "x1": n(points[0][0]), "x2": n(points[-1][0])})
            kappa = done if isinstance(done, float) else getattr(done, "kappa", None)
            width = x(b.blow_at) - x(b.rise_at)
            p["cooks"].append(
                {
                    "d": polyline(points) + "Z",
                    "fill": gid,
                    "planned": not b.done,
                    "blow_x": n(x(b.blow_at)),
                    "blow_w": n(max(0.0, x(b.end) - x(b.blow_at))),
                    "base": n(top + LANE_H),
                    "tx": n((x(b.rise_at) + x(b.blow_at)) / 2 + 16),
                    "ty": n(top + LANE_H - 14),
                    "text": (f"{b.name}: kappa {figure(kappa, 1)}" if kappa is not None else b.name) if width > 90 else "",
                    "words": [
                        {"x": n((x(a) + x(z)) / 2), "y": n(top + LANE_H + 15), "text": word}
                        for word, a, z in b.phases()
                        if x(z) - x(a) > 24 and -back < (a + z) / 2 < ahead
                    ],
                }
            )
    y0 = LANE_TOP + len(names) * (LANE_H + LANE_GAP)
    for i, lane in enumerate(lanes):
        h = min(20.0, 4.2 * lane["t_h"])
        p.setdefault("flat", []).append(
            {
                "y": n(y0 + i * 30),
                "h": n(h),
                "name": lane["line"],
                "text": f"{lane['name']}, {figure(lane['t_h'], 1)} t/h",
                "ty": n(y0 + i * 30 + h / 2 + 4),
                "hex": hex_of(60.0),
            }
        )
    s_top = y0 + len(lanes) * 30 + 36.0
    s_bottom, t_top = s_top + 76.0, s_top + 116.0
    t_bottom = t_top + 66.0
    most = max(*house.steam_t_h, limits.steam_t_h, *(held.steam_t_h if held else ())) * 1.15

    def sy(v: float) -> float:
        return s_bottom - (s_bottom - s_top) * v / most

    steps = []
    for a, b, v in zip(house.minute, [*house.minute[1:], house.minute[-1]], house.steam_t_h, strict=True):
        steps += [(x(a), sy(v)), (x(b), sy(v))]
    p["steam"] = {
        "line": polyline(steps),
        "limit": n(sy(limits.steam_t_h)),
        "top": n(s_top - 10),
        "base": n(s_bottom),
        "limit_text": figure(limits.steam_t_h, 1),
    }
    p["over"] = [
        {
            "x": n(x(c.start)),
            "w": n(x(c.end) - x(c.start)),
            "y": n(sy(c.worst)),
            "h": n(sy(c.limit) - sy(c.worst)),
            "text": f"{figure(c.worst, 1)} t/h",
            "tx": n(min(x(c.start), HX1 - 96)),
            "ty": n(sy(c.worst) - 5),
        }
        for c in house.clashes
        if c.what == "steam"
    ]
    full = max(*house.tank_t, limits.tank_t, *(held.tank_t if held else ())) * 1.1

    def by(v: float) -> float:
        return t_bottom - (t_bottom - t_top) * v / full

    line = [(x(m), by(v)) for m, v in zip(house.minute, house.tank_t, strict=True)]
    p["tank"] = {
        "line": polyline(line),
        "area": polyline(line) + f"L{n(line[-1][0])} {n(t_bottom)}L{n(line[0][0])} {n(t_bottom)}Z",
        "limit": n(by(limits.tank_t)),
        "top": n(t_top - 10),
        "base": n(t_bottom),
        "limit_text": figure(limits.tank_t, 0),
        "hex": hex_of(30.0),
    }
    if held is not None:
        p["held"] = [
            polyline([(x(m), place(v)) for m, v in zip(held.minute, values, strict=True)])
            for place, values in ((sy, held.steam_t_h), (by, held.tank_t))
        ]
    p["stops"] = [{"x": n(x(a)), "w": n(x(z) - x(a)), "y": n(t_bottom - 8)} for a, z in limits.wash_stops]
    p["ticks"] = []
    local = timezone.localtime(now).replace(minute=0, second=0, microsecond=0)
    for k in range(-int(back / 60), int(ahead / 60) + 2):
        when = local + timedelta(hours=k)
        m = (when - now).total_seconds() / 60.0
        if -back <= m <= ahead:
            p["ticks"].append({"x": n(x(m)), "text": f"{when:%H}"})
    p["height"] = n(t_bottom + 30.0)
    p["axis"] = n(t_bottom + 20.0)
    p["grid_top"] = n(LANE_TOP - 8)
    return p


VX0, VX1 = 45.0, 580.0


def vessel_picture(way, done: Cooked, plain, moved, band, held=None) -> dict:
    """The vessel from its top (left) to its blow line (right) on minutes; below it, kappa at the blow line after the change.

    `held`: another vessel's way and cook, dashed.
    """

    def x(m: float) -> float:
        return VX0 + (VX1 - VX0) * m / way.minutes

    def ty(t: float) -> float:
        return 210.0 - 160.0 * (t - 90.0) / 90.0

    p: dict = {"zones": [], "stops": [], "temps": [{"y": n(ty(t)), "text": str(t)} for t in (100, 130, 160)]}
    for s in way.stays:
        wide = x(s.end_min) - x(s.start_min)
        p["zones"].append(
            {
                "x": n(x(s.start_min)),
                "w": n(wide),
                "tx": n(x(s.start_min) + 6),
                "name": s.zone.name if wide > 62 else s.zone.name[:4] + "." if wide > 30 else "",
                "min": f"{s.end_min - s.start_min:.0f} min" if wide > 44 else "",
            }
        )
    p["line"] = polyline([(x(m), ty(max(92.0, t))) for m, t in way.points])
    p["area"] = p["line"] + f"L{n(VX1)} 210L{n(VX0)} 210Z"
    course, last = done.course, done.course.minute[-1]
    for i in range(STOPS + 1):
        m = way.minutes * i / STOPS
        at = min(range(len(course.minute)), key=lambda j, m=m: abs(course.minute[j] - min(m, last)))
        p["stops"].append((f"{i / STOPS:.3f}", hex_of(course.kappa[at])))
    k_low, k_high = 10.0, 90.0

    def ky(k: float) -> float:
        return 350.0 - 96.0 * (k - k_low) / (k_high - k_low)

    inside = [(m, k) for m, k in zip(course.minute, course.kappa, strict=True) if k_low <= k <= k_high]
    stopped = [(way.minutes, inside[-1][1])] if inside else []  # the wash zone cooks no more
    p["kappa"] = (
        polyline([(x(m), ky(k)) for m, k in [*inside[:: max(1, len(inside) // 80)], *inside[-1:], *stopped]]) if inside else ""
    )
    if held is not None:
        past, cooked = held
        p["held"] = polyline([(x(m), ty(max(92.0, t))) for m, t in past.points if m <= way.minutes])
        kept = [(m, k) for m, k in zip(cooked.course.minute, cooked.course.kappa, strict=True) if k_low <= k <= k_high]
        kept = [(m, k) for m, k in kept if m <= way.minutes]
        p["kappa_held"] = polyline([(x(m), ky(k)) for m, k in kept[:: max(1, len(kept) // 80)]]) if len(kept) > 1 else ""
    p["k_end"] = {"y": n(min(350.0, max(254.0, ky(done.kappa)))), "text": figure(done.kappa, 1)}
    p["k_grid"] = [{"y": n(ky(k)), "text": f"{k:g}"} for k in (10, 50, 90)]
    # after the change
    every = [b.kappa for b in (*plain, *moved)] + [band.low, band.high]
    low, high, turn = min(every) - 1.0, max(every) + 1.0, plain[-1].minute

    def bx(m: float) -> float:
        return VX0 + (VX1 - VX0) * m / turn

    def by(k: float) -> float:
        return 520.0 - 110.0 * (k - low) / (high - low)

    p["plain"], p["moved"] = (
        polyline([(bx(b.minute), by(b.kappa)) for b in course_]) if course_ else "" for course_ in (plain, moved)
    )
    p["band"] = {"y": n(by(band.high)), "h": n(by(band.low) - by(band.high))}
    p["ends"] = [{"y": n(by(c[-1].kappa)), "text": figure(c[-1].kappa, 1), "pen": c is moved} for c in (plain, moved) if c]
    if len(p["ends"]) == 2 and abs(by(plain[-1].kappa) - by(moved[-1].kappa)) < 14.0:
        p["ends"] = p["ends"][1:]
    step = minutes_step(turn)
    p["ticks"] = [{"x": n(bx(m)), "text": str(m)} for m in range(0, int(turn) + 1, step)]
    p["b_grid"] = [{"y": n(by(k)), "text": figure(k, 0)} for k in (band.low, band.high)]
    return p
