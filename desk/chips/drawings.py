"""Piles in elevation, the thickness distribution as areas, the kappa of each class as discs; strings for SVG."""

import math

from desk.cook.drawings import hex_of
from desk.kit.svg import n, polyline
from desk.kit.templatetags.vat import figure

PX_M, BASE_Y = 3.2, 96.0
X0, X1, MM_LOW, MM_HIGH = 36.0, 560.0, 0.5, 12.2
B_TOP, B_BOTTOM, K_TOP, K_BOTTOM = 176.0, 306.0, 340.0, 470.0


def _pile(kind: str, now, x: float, limit: float, bulk: float = 150.0, repose: float = 40.0) -> dict:
    """A pile at x: outline, layers with their age; first in first out as planes, a cone as nested cones from its skin."""
    volume = 1000.0 * now.od_t / bulk
    tan = math.tan(math.radians(repose))
    if kind == "cone":
        radius = (3.0 * volume / (math.pi * tan)) ** (1 / 3)
        height = radius * tan
        width, layers = 2 * radius * PX_M, []
        for layer in reversed(now.layers):  # the core is the oldest
            share = 1.0 - layer.start
            r, h = radius * share ** (1 / 3), height * share ** (1 / 3)
            layers.append((r, h, layer))
        shapes = []
        for r, h, layer in sorted(layers, key=lambda z: -z[0]):
            cx = x + width / 2
            shapes.append(
                {
                    "d": f"M{n(cx - r * PX_M)} {n(BASE_Y)}L{n(cx)} {n(BASE_Y - h * PX_M)}L{n(cx + r * PX_M)} {n(BASE_Y)}Z",
                    "old": layer.days > limit,
                }
            )
        core = max(now.layers, key=lambda la: la.days, default=None)
        texts = (
            [{"x": n(x + width / 2), "y": n(BASE_Y - 9), "text": f"{core.days:.0f}", "old": core.days > limit}] if core else []
        )
        return {"shapes": shapes, "texts": texts, "w": width, "top": height * PX_M}
    height = min(12.0, max(5.0, (volume / 260.0) ** 0.5 * 2.2))
    reach = height / tan
    crest = max(2.0, volume / (height * 26.0) - reach)
    whole = crest + 2 * reach
    shapes, texts = [], []
    for layer in now.layers:
        a, b = reach + layer.start * crest, reach + layer.end * crest
        top, foot = (
            [(x + a * PX_M, BASE_Y - height * PX_M), (x + b * PX_M, BASE_Y - height * PX_M)],
            [
                (x + (b + reach) * PX_M if layer.end >= 0.999 else x + b * PX_M + reach * PX_M, BASE_Y),
                (x + (a - reach if layer.start <= 0.001 else a + reach) * PX_M, BASE_Y),
            ],
        )
        shapes.append({"d": polyline([*top, *foot]) + "Z", "old": layer.days > limit})
        if (b - a) * PX_M > 13:
            texts.append(
                {
                    "x": n(x + (a + b) / 2 * PX_M + reach * PX_M / 2),
                    "y": n(BASE_Y - height * PX_M / 2 + 4),
                    "text": f"{layer.days:.0f}",
                    "old": layer.days > limit,
                }
            )
    return {"shapes": shapes, "texts": texts, "w": whole * PX_M, "top": height * PX_M}


def belt_picture(uneven, after, shares, edges, piles, band, dry_pct: float, full: float, wood: str, held=None) -> dict:
    """A belt from its piles to the kappa of each class; `held`: the classes of another belt, dashed."""

    def x(mm: float) -> float:
        return X0 + (X1 - X0) * (mm - MM_LOW) / (MM_HIGH - MM_LOW)

    p: dict = {"piles": [], "wood": wood}
    at = 8.0
    for name, kind, now, limit in piles:
        drawn = _pile(kind, now, at, limit)
        end = min(108.0, 9.0 * now.cover_days)
        p["piles"].append(
            {
                **drawn,
                "name": name,
                "x": n(at),
                "note": f"{figure(now.od_t, 0)} t OD, oldest {figure(now.oldest_days, 0)} d"
                + (f", over {limit:.0f}" if now.oldest_days > limit else ""),
                "old": now.oldest_days > limit,
                "wedge": f"M{n(at)} 139L{n(at + end)} 144.5L{n(at)} 150Z",
                "end": n(at + end),
                "days": f"{figure(now.cover_days, 1)} d",
            }
        )
        at += max(drawn["w"], 168.0) + 12.0
    density = {k: share / (b - a) for (k, share), (a, b) in zip(shares, edges, strict=True)}
    most = max([*density.values(), 1.0]) * 1.12
    y = lambda d: B_BOTTOM - (B_BOTTOM - B_TOP) * d / most  # noqa: E731
    by_mm = {round(c.mm, 1): c for c in uneven.classes}
    p["bars"] = []
    for (k, share), (a, b) in zip(shares, edges, strict=True):
        cooked = by_mm.get(round((a + b) / 2, 1))
        p["bars"].append(
            {
                "x": n(x(a)),
                "w": n(x(b) - x(a)),
                "y": n(y(density[k])),
                "h": n(B_BOTTOM - y(density[k])),
                "hex": hex_of(cooked.kappa if cooked else 40.0),
                "text": figure(share, 1),
                "tx": n((x(a) + x(b)) / 2),
                "ty": n(y(density[k]) - 5),
                "inside": False,
            }
        )
    p["window"] = {"x": n(x(2)), "w": n(x(8) - x(2)), "y": n(B_TOP - 4), "h": n(B_BOTTOM - B_TOP + 4)}
    others = held.classes if held is not None else ()
    high = max([c.kappa for c in (*uneven.classes, *others)] + [40.0]) * 1.08
    ky = lambda v: K_BOTTOM - (K_BOTTOM - K_TOP) * (v - 15.0) / (high - 15.0)  # noqa: E731
    points = sorted((c.mm, c.kappa) for c in uneven.classes)
    p["curve"] = polyline([(x(m), ky(v)) for m, v in points]) if len(points) > 1 else ""
    steamed = sorted((c.mm, c.kappa) for c in after.classes)
    p["after"] = polyline([(x(m), ky(v)) for m, v in steamed]) if len(steamed) > 1 else ""
    dashed = sorted((c.mm, c.kappa) for c in others)
    p["held"] = polyline([(x(m), ky(v)) for m, v in dashed]) if len(dashed) > 1 else ""
    p["discs"] = [
        {
            "x": n(x(c.mm)),
            "y": n(ky(c.kappa)),
            "r": n(max(2.5, 22.0 * math.sqrt(c.share))),
            "hex": hex_of(c.kappa),
            "text": figure(c.kappa, 1),
            "ty": n(ky(c.kappa) - max(2.5, 22.0 * math.sqrt(c.share)) - 5),
            "knots": figure(c.rejects, 2),
            "kw": n(min(40.0, 26.0 * c.rejects)),
            "worst": c.mm == uneven.worst,
        }
        for c in uneven.classes
    ]
    p["kband"] = {"y": n(ky(band.high)), "h": n(ky(band.low) - ky(band.high))}
    p["kgrid"] = [{"y": n(ky(v)), "text": str(v)} for v in range(20, int(high), 10)]
    p["ticks"] = [{"x": n(x(m)), "text": str(m)} for m in (1, 2, 3, 4, 5, 6, 8, 10, 12)]
    scale = 150.0 / max(150.0, full, dry_pct)
    p["bar"] = {"dry": n(100.0 * scale), "water": n(dry_pct * scale), "full": n((100.0 + full) * scale)}
    return p
