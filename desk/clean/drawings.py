"""A cascade as a serpentine: each stage feeds the other way from the one before, so that an accept returns to the feed above it
without a crossing. Strands are stock, with a dark core of its dirt; both are linear and conserved at every junction."""

from urllib.parse import urlencode

from django.urls import reverse

from core.clean.cascade import BACK, FORWARD, CascadeCase, Ran, Solved, dirt
from desk.kit.svg import n
from desk.kit.templatetags.vat import figure

WIDTH, LEFT, RIGHT, TOP, FOOT = 636.0, 62.0, 560.0, 96.0, 44.0
STOCK_PX, CORE_PX, LEAST_PX, WATER_PX = 44.0, 11.0, 2.0, 8.0
DROP_TO, DROP_LOW, DROP_HIGH, DROP_PX = 250.0, 80.0, 200.0, 100.0
SPEED_TO = 2.0
BANK_PX, MOST_DRAWN = 22.0, 40  # of one cleaner at most; more of them are drawn closer


def cascade_picture(
    case: CascadeCase, done: Solved, held: Solved | None = None, pulp: str = "#F1ECE1", others: dict[int, float] | None = None
) -> dict:
    """Strings for the page: strands, cores, banks, bars of drop or velocity, and words. `pulp`: the colour of the stock.

    `others`: the dirt that would go on, mg/kg, were the accept of a stage (counted from 0) sent the other way.
    """
    stages = done.stages
    count = len(stages)
    pitch = {1: 0.0, 2: 190.0, 3: 165.0}.get(count, 560.0 / (count + 0.2))
    scale, came = STOCK_PX / max(1e-9, stages[0].feed_t_h), max(1e-12, dirt(done.fed))
    ys = [TOP + pitch * i for i in range(count)]

    def px(t_h: float) -> float:
        return max(LEAST_PX, scale * t_h)

    def core(t_h: float) -> float:
        return CORE_PX * t_h / came

    strands: list[dict] = []
    ways: list[dict] = []

    def strand(d: str, t_h: float, dirt_t_h: float) -> None:
        strands.append({"d": d, "w": n(px(t_h)), "water": n(px(t_h) + WATER_PX), "core": n(core(dirt_t_h)) if dirt_t_h else ""})

    told = []
    for i, (s, r) in enumerate(zip(case.stages, stages, strict=True)):
        right = i % 2 == 0  # the way it flows
        start, end, y = (LEFT, RIGHT, ys[i]) if right else (RIGHT, LEFT, ys[i])
        way = 1.0 if right else -1.0
        shown = max(int(s.there), int(s.cones_open))
        wide = min(300.0, BANK_PX * min(MOST_DRAWN, shown) + 24.0)
        a = start + way * (90.0 if i else 120.0)
        b = a + way * wide
        f, acc, rej = px(r.feed_t_h), px(r.accept_t_h), px(r.reject_t_h)
        fd, ad, rd = r.dirt_t_h
        if i == 0:
            strand(f"M0 {n(y)}H{n(LEFT)}", sum(done.fed), dirt(done.fed))
        strand(f"M{n(start)} {n(y)}H{n(b)}", r.feed_t_h, fd)
        ya, yr = y - 0.5 * f + 0.5 * acc, y + 0.5 * f - 0.5 * rej
        far = WIDTH if right else LEFT - 40
        forward = f"M{n(b)} {n(ya)}H{n(far)}"
        if i == 0 or s.accept == FORWARD:
            strand(forward, r.accept_t_h, ad)
        else:
            strand(f"M{n(b)} {n(ya)}H{n(end)}V{n(ys[i - 1])}H{n(end + way * -18)}", r.accept_t_h, ad)
        if i and others and i in others:
            other = forward if s.accept == BACK else f"M{n(b)} {n(ya)}H{n(end)}V{n(ys[i - 1] + 30)}"
            way_not_taken = "forward" if s.accept == BACK else "back"
            edge, anchor = (WIDTH, "end") if right else (0.0, "start")
            words = {"text": f"{way_not_taken}, it", "more": f"gives {figure(others[i], 0)} mg/kg"}
            ways.append({"d": other, "x": n(edge), "y": n(ya + 17), "anchor": anchor} | words)
        out = end - way * 46.0
        last = i == count - 1
        strand(
            f"M{n(b)} {n(yr)}H{n(out)}V{n(y + 64 if last else ys[i + 1])}" + ("" if last else f"H{n(end)}"), r.reject_t_h, rd
        )
        told.append(_stage(i, s, r, y, a, b, f, right, done) | {"out_x": n(out), "end": n(end)})
        told[-1]["beside"] = _bar(s, r, held.stages[i] if held and len(held.stages) == count else None)
    return {
        "height": n(ys[-1] + 64 + FOOT),
        "strands": strands,
        "ways": ways,
        "stages": told,
        "in": {
            "y": n(TOP - 0.5 * STOCK_PX - 10),
            "text": figure(sum(done.fed), 2),
            "dirt": _ppm(dirt(done.fed), sum(done.fed)),
        },
        "on": {
            "y": n(TOP + 0.5 * STOCK_PX + 18),
            "text": figure(sum(done.on), 2),
            "dirt": _ppm(dirt(done.on), sum(done.on)),
            "pct": figure(100.0 * sum(done.on) / max(1e-9, done.on_l_min * 0.06), 2),
        },
        "out": {
            "x": n(RIGHT - 46.0 if count % 2 else LEFT + 30.0),
            "y": n(ys[-1] + 80),
            "anchor": "middle" if count % 2 else "start",
            "text": figure(1000.0 * sum(done.out), 1),
            "share": figure(100.0 * dirt(done.out) / came, 0),
            "back": f"{figure(1000.0 * sum(done.back), 0)} kg/h refined back" if case.refined > 0.0 else "",
        },
        "pulp": pulp,
        "key": {"stock": f"stock, {figure(5.0 / scale, 1)} t/h", "w": n(5.0)},
    }


def _ppm(dirt_t_h: float, t_h: float) -> str:
    return figure(1e6 * dirt_t_h / t_h, 0) if t_h > 0.0 else "0"


def _stage(i: int, s, r: Ran, y: float, a: float, b: float, f: float, right: bool, done: Solved) -> dict:
    """The bank of a stage, one mark a cleaner or basket, and what is written at it."""
    low, high = min(a, b), max(a, b)
    shown, open_ = max(int(s.there), int(s.cones_open)), int(s.cones_open)
    step = (high - low - 24.0) / max(1, shown)
    marks = []
    for k in range(shown):
        x = low + 12.0 + step * (k + 0.5)
        half = min(6.5, 0.42 * step)
        shut = k >= open_ if right else k < shown - open_
        if not s.cones:
            d = f"M{n(x - half)} {n(y - 9)}H{n(x + half)}V{n(y + 17)}H{n(x - half)}Z"
        else:
            d = f"M{n(x - half)} {n(y - 4)}H{n(x + half)}L{n(x + 1)} {n(y + 36)}H{n(x - 1)}Z"
        marks.append({"d": d, "shut": shut, "x": n(x), "y": n(y - 14), "cross": f"M{n(x - 4)} {n(y - 15)}l8 7m0 -7l-8 7"})
    whole = dirt(r.feed)
    back = "back" if i and s.accept == "back" else "on"
    return {
        "i": i + 1,
        "called": f"Stage {i + 1}" if s.cones or s.kind == "screen" else f"Stage {i + 1}, {s.kind}",
        "bench": _bench(s, r),
        "marks": marks if shown <= 4 * MOST_DRAWN else [],
        "title_x": n(low if right else high),
        "anchor": "start" if right else "end",
        "bar_x": n(low if right else high - 230.0),
        "reject_x": n(WIDTH if right else LEFT + 58.0),
        "reject_anchor": "end" if right else "start",
        "reject_y": n(y + (80.0 if i == 0 else 52.0)),
        "reject_of_y": n(y + (94.0 if i == 0 else 66.0)),
        "reject_dirt_y": n(y + (108.0 if i == 0 else 80.0)),
        "title_y": n(y - 0.5 * f - 14),
        "mid": n(0.5 * (low + high)),
        "y": n(y),
        "foot": n(y + max(44.0, 0.5 * f + 18)),
        "head": f"{open_} of {shown} open, feed {figure(r.feed_t_h, 2)} t/h, {figure(r.feed_l_min, 0)} L/min",
        "reject": f"reject {figure(r.reject_t_h, 2)} t/h",
        "reject_of": f"{figure(s.rv_pct, 0)} % of the flow",
        "reject_dirt": f"{figure(100.0 * dirt(r.reject) / whole, 0)} % of its dirt" if whole else "",
        "accept": f"{figure(r.accept_t_h, 2)} t/h {back}",
        "right": right,
    }


def _bench(s, r: Ran) -> str:
    """The bench of a stage's kind, opened at what it runs at."""
    if s.cones:
        key, opens = "bank", {"flow_l_min": f"{r.feed_l_min:.0f}", "cones_open": s.cones_open, "cone_l_min": f"{s.one:g}"}
    elif s.kind == "fractionator":
        key, opens = "length", {"scale_mm": f"{s.l_mm:g}", "power": f"{s.power:g}", "length_mm": "2"}
    else:
        key = "capacity"
        opens = {
            "accept_t_h": f"{r.accept_t_h:.3f}",
            "accept_pct": f"{100.0 * r.accept_t_h / max(1e-9, r.accept_l_min * 0.06):.3f}",
            "feed_pct": f"{r.feed_pct:.3f}",
            "rv": f"{s.rv:.3f}",
            "p_pulp": f"{s.p_lf:g}",
            "aperture_mm": f"{s.size_mm:g}",
            "area_m2": f"{s.cones_open * s.one:g}",
            "shape": s.openings,
        }
    return f"{reverse('clean:bench', args=[key])}?{urlencode(opens)}"


def _bar(s, r: Ran, held: Ran | None) -> dict:
    """The bar of a stage: its pressure drop, or of screens the velocity in their openings, with its usual band."""
    to, low, high = (SPEED_TO, 0.8, 1.5) if s.screens else (DROP_TO, DROP_LOW, DROP_HIGH)
    value = r.velocity_m_s if s.screens else r.kpa
    if not s.screens and not s.cones:
        return {"text": f"keeps back {figure(s.e_pct, 0)} %", "what": "of the dirt that comes to it", "none": True}

    def x(v: float) -> float:
        return DROP_PX * min(1.0, max(0.0, v / to))

    return {
        "low": n(x(low)),
        "wide": n(x(high) - x(low)),
        "high": n(x(high)),
        "now": n(x(value)),
        "out": not low <= value <= high,
        "held": n(x(held.velocity_m_s if s.screens else held.kpa)) if held else "",
        "text": f"{figure(value, 2)} m/s" if s.screens else f"{figure(value, 0)} kPa",
        "what": f"in the {s.openings}" if s.screens else "drop, band 80 to 200",
    }
