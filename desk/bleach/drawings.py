"""A sequence on one axis of minutes: pulp in the towers, kappa, brightness, and what was charged; strings for SVG."""

import math

from core.bleach.line import Bleached, Plan, ad_of, course
from core.colour import ks_from_reflectance, swatch
from desk.kit.svg import n, polyline
from desk.kit.templatetags.vat import figure

LEFT, WIDTH = 40.0, 520.0
TOWER, KAPPA, ISO, BARS = (44.0, 80.0), (132.0, 232.0), (266.0, 372.0), (424.0, 490.0)
WASH = 8.0
FORMULA = {"ClO2": "ClO₂", "H2O2": "H₂O₂", "O2": "O₂", "O3": "O₃", "Cl2": "Cl₂", "MgSO4": "MgSO₄"}


def hex_of(iso: float, *, grey: bool = False) -> str:
    return swatch(ks_from_reflectance(max(0.01, iso / 100.0)), wet=True, beta=0.006 if grey else 0.0105).hex


def _lines(done: Bleached, plan: Plan, x, ky, by) -> tuple[str, str]:
    kappa, iso = [], []
    for s in done.steps:
        for m in course(s, wood=plan.wood, own=plan.own):
            kappa.append((x(m.minute), ky(m.kappa)))
            iso.append((x(m.minute), by(m.iso)))
    return polyline(kappa), polyline(iso)


CLOSE_PX = 16.0


def sequence_picture(
    plan: Plan,
    done: Bleached,
    *,
    other: tuple[Plan, Bleached] | None = None,
    after: tuple[Plan, Bleached] | None = None,
    target: float | None = None,
) -> dict:
    """`other` a sequence beside it (dashed), `after` the same with moved charges (pen)."""
    span = max(done.minutes, other[1].minutes if other else 0.0, 1.0)
    x = lambda m: LEFT + WIDTH * m / span  # noqa: E731
    runs = [done, *(o[1] for o in (other, after) if o)]
    low_k = max(0.4, 0.8 * min(s.done.pulp.kappa for r in runs for s in r.steps))
    high_k = 1.15 * max(r.steps[0].into.kappa for r in runs)

    def ky(k):
        return KAPPA[1] - (KAPPA[1] - KAPPA[0]) * (math.log(max(low_k, k)) - math.log(low_k)) / (
            math.log(high_k) - math.log(low_k)
        )  # noqa: E731

    top = max(92.0, *(r.iso for r in runs)) + 1.0
    low_b = max(20.0, min(66.0, max(r.iso for r in runs) - 22.0))
    by = lambda b: ISO[1] - (ISO[1] - ISO[0]) * (max(low_b, b) - low_b) / (top - low_b)  # noqa: E731
    p: dict = {
        "towers": [],
        "bars": [],
        "ticks": [{"x": n(x(m)), "text": f"{m:g}"} for m in range(0, int(span) + 1, 60 if span > 150 else 30)],
    }
    for i, s in enumerate(done.steps):
        a, b = x(s.starts_min), x(s.ends_min)
        moments = course(s, wood=plan.wood, points=6, own=plan.own)
        reach = max(1e-9, s.ends_min - s.starts_min)
        p["towers"].append(
            {
                "id": f"tw{i}",
                "x": n(a),
                "w": n(max(2.0, b - a)),
                "name": s.stage.name,
                "note": f"{s.setting.minutes:.0f} min, {s.setting.temp_c:.0f} °C" if b - a > 58 else "",
                "mid": n((a + b) / 2),
                "vat": f"M{n(a)} {TOWER[0] - 6:g}V{TOWER[1]:g}H{n(b)}V{TOWER[0] - 6:g}",
                "stops": [(f"{(m.minute - s.starts_min) / reach:.3f}", hex_of(m.iso)) for m in moments],
                "wash": n(b) if s.stage.washed else "",
                "wash_w": n(WIDTH * WASH / span),
                "fits": b - a > 18,
            }
        )
        p.setdefault("labels", []).append(
            {
                "x": n(b),
                "ky": n(ky(s.done.pulp.kappa) - 6),
                "kappa": figure(s.done.pulp.kappa, 1),
                "by": n(by(s.done.pulp.iso) - 6),
                "iso": figure(s.done.pulp.iso, 1),
                "seen": s.done.pulp.iso > low_b,
            }
        )
    p["kappa"], p["iso"] = _lines(done, plan, x, ky, by)
    if other:
        p["kappa_other"], p["iso_other"] = _lines(other[1], other[0], x, ky, by)
    if after:
        p["kappa_after"], p["iso_after"] = _lines(after[1], after[0], x, ky, by)
    p["kgrid"] = [{"y": n(ky(v)), "text": f"{v:g}"} for v in (1, 2, 5, 10, 20, 40) if low_k <= v <= high_k]
    p["bgrid"] = [{"y": n(by(v)), "text": f"{v:g}"} for v in range(int(low_b) // 5 * 5 + 5, int(top), 5)]
    p["target"] = n(by(target)) if target is not None and target > low_b else ""
    most = max(
        [ad_of(v) for s in done.steps for v in s.charged.values()]
        + [ad_of(v) for s in (after[1].steps if after else ()) for v in s.charged.values()]
        + [1.0]
    )
    bar = lambda v: (BARS[1] - BARS[0]) * v / most  # noqa: E731
    for i, s in enumerate(done.steps):
        at, pens = x(s.starts_min) + 2.0, after[1].steps[i].charged if after else {}
        for k, (name, v) in enumerate(s.charged.items()):
            kg, left = ad_of(v), ad_of(s.done.residual) if k == 0 and name in ("ClO2", "H2O2") else 0.0
            bx = at + 31.0 * k
            moved = ad_of(pens.get(name, v))
            pen = abs(moved - kg) > 0.05
            close = pen and abs(bar(moved) - bar(kg)) < CLOSE_PX  # both figures in one place then
            p["bars"].append(
                {
                    "x": n(bx),
                    "y": n(BARS[1] - bar(kg)),
                    "h": n(bar(kg)),
                    "text": "" if close else figure(kg, 1),
                    "name": FORMULA.get(name, name),
                    "tx": n(bx + 7.5),
                    "ty": n(BARS[1] - bar(kg) - 5),
                    "left_y": n(BARS[1] - bar(kg)),
                    "left_h": n(bar(min(kg, left))),
                    "pen": n(BARS[1] - bar(moved)) if pen else "",
                    "pen_text": f"{figure(kg, 1)} to {figure(moved, 1)}" if close else figure(moved, 1),
                    "low": i % 2 == 1 and len(done.steps) > 4,
                }
            )
    return p
