"""The furnish as columns whose bands join, its forecast against its limits, cost against a limit, additives; for SVG."""

import numpy as np

from core.blend.dye import DYES as SHADES
from core.blend.dye import dyed, on_screen
from core.blend.furnish import NO_COUNT, NO_CSF, NO_MOST, BlendCase, Forecast, rounded
from core.blend.least import Held, LeastFound
from core.quantity import quantities
from desk.kit.svg import band, n, polyline, ticks
from desk.kit.templatetags.vat import figure
from desk.mill.ribbon import colour_of

TOP, TALL = 36.0, 200.0
COLUMNS = ((168.0, 226.0), (334.0, 392.0), (500.0, 558.0))
INSIDE_PX, NAME_PX = 13.0, 14.0
ROW_TOP, ROW_PITCH = 290.0, 26.0
SCALE = (150.0, 380.0)
COST = (40.0, 282.0, 486.0, 574.0)


def _stack(shares) -> list[tuple[float, float]]:
    """Top and foot of each share in a column."""
    result, y = [], TOP
    for share in shares:
        result.append((y, y + TALL * share / 100.0))
        y = result[-1][1]
    return result


def _apart(ys: list[float]) -> list[float]:
    """Names moved down where they would lie over the one above."""
    result: list[float] = []
    for y in ys:
        result.append(max(y, result[-1] + NAME_PX) if result else y)
    return result


def shares_picture(state, keys: list[str], case: BlendCase, cheap: LeastFound | None, held: BlendCase | None) -> dict:
    """A column a furnish: the recipe, the one of least cost, the held one dashed. A widening band is a rising share."""
    draw = state.draw.solids_t_h
    colours = [colour_of(state.solution.drawn_from(state.mill.sources[k].tower or state.mill.sources[k].unit))[0] for k in keys]
    recipe = [p.share_pct for p in case.pulps]
    columns = [("recipe", recipe, COLUMNS[0], "ink")]
    if cheap:
        columns.append(("least cost", list(cheap.shares), COLUMNS[1], "pen"))
    if held:
        columns.append(("held", [p.share_pct for p in held.pulps], COLUMNS[2], "held"))
    stacks = [_stack(shares) for _, shares, _, _ in columns]
    bands, figures = [], []
    for i, hex_ in enumerate(colours):
        for (_, _, (x0, x1), how), stack in zip(columns, stacks, strict=True):
            if how != "held":
                y0, y1 = stack[i]
                bands.append({"d": f"M{n(x0)} {n(y0)}H{n(x1)}V{n(y1)}H{n(x0)}Z", "hex": hex_})
        for (left, right), here, there in zip(
            [(a[2][1], b[2][0]) for a, b in zip(columns, columns[1:], strict=False)], stacks, stacks[1:], strict=False
        ):
            dashed = columns[stacks.index(there)][3] == "held"
            d = band(left, here[i][0], here[i][1], right, there[i][0], there[i][1])
            bands.append({"d": d, "hex": "" if dashed else hex_})
    for (_, shares, (x0, x1), how), stack in zip(columns, stacks, strict=True):
        for share, (y0, y1) in zip(rounded(shares), stack, strict=True):
            if share <= 0.0:
                continue
            beside = y1 - y0 < INSIDE_PX
            figures.append(
                {
                    "x": n(x1 + 4 if beside else (x0 + x1) / 2),
                    "y": n((y0 + y1) / 2 + 4),
                    "beside": beside,
                    "on": not beside or (how == "ink" and len(columns) > 1),
                    "how": how,
                    "text": figure(share, 1 if how != "ink" or abs(share - round(share)) > 0.04 else 0),
                }
            )
    names = _apart([(y0 + y1) / 2 + 4 for y0, y1 in stacks[0]])
    return {
        "bands": bands,
        "figures": figures,
        "names": [
            {"y": n(y), "name": p.name, "t_h": figure(draw * share / 100.0, 2)}
            for y, p, share in zip(names, case.pulps, recipe, strict=True)
        ],
        "columns": [{"name": name, "x0": n(x0), "x1": n(x1), "how": how} for name, _, (x0, x1), how in columns],
        "top": n(TOP),
        "foot": n(TOP + TALL),
    }


FIGURES = (
    ("iso_pct", "iso_least", "iso_most"),
    ("csf_ml", "csf_least", "csf_most"),
    ("ash_pct", "", "ash_most"),
    ("tensile", "tensile_least", ""),
    ("tear", "tear_least", ""),
    ("stickies", "", "stickies_most"),
    ("dirt", "", "dirt_most"),
    ("recycled_pct", "recycled_least", ""),
)
NONE = {"iso_most": NO_MOST, "csf_most": NO_CSF, "ash_most": NO_MOST, "stickies_most": NO_COUNT, "dirt_most": NO_COUNT}


def forecast_rows(
    case: BlendCase, standing: dict[str, Held], found: Forecast, cheap: LeastFound | None, lab: dict[str, float]
) -> dict:
    """One row a property that has a limit: tint the band, hatch its back-off, dot the recipe with a whisker of what its
    forecast is known to, ring the least cost, a small dot the laboratory."""
    said, rows = quantities(Forecast), []
    for name, low_field, high_field in FIGURES:
        low = getattr(case, low_field) if low_field and getattr(case, low_field) > 0.0 else None
        high = getattr(case, high_field) if high_field and getattr(case, high_field) < NONE[high_field] else None
        if low is None and high is None:
            continue
        value, then = getattr(found, name), getattr(cheap.forecast, name) if cheap else None
        held = standing.get(low_field) or standing.get(high_field)
        sd = held.sd * (value if name in ("csf_ml", "stickies", "dirt") else 1.0) if held else 0.0
        marks = [m for m in (low, high, value, then, lab.get(name)) if m is not None]
        span = max(max(marks) - min(marks), 4.0 * sd, 1e-6)
        first = min(marks) - 0.2 * span
        last = max(marks) + 0.2 * span

        def x(v: float, first: float = first, last: float = last) -> float:
            return SCALE[0] + (SCALE[1] - SCALE[0]) * (min(last, max(first, v)) - first) / (last - first)

        y = ROW_TOP + ROW_PITCH * len(rows)
        left, right = x(low) if low is not None else SCALE[0], x(high) if high is not None else SCALE[1]
        aims = [(standing[f].limit, standing[f].aim) for f in (low_field, high_field) if f in standing]
        z_sd = 1.645 * sd
        said_of = said[name]
        text = (
            f"{figure(low, said_of.decimals)} to {figure(high, said_of.decimals)}"
            if low is not None and high is not None
            else f"over {figure(low, said_of.decimals)}"
            if low is not None
            else f"under {figure(high, said_of.decimals)}"
        )
        rows.append(
            {
                "y": n(y),
                "text_y": n(y + 12),
                "mid": n(y + 6),
                "pen_y": n(y + 11),
                "label": said_of.label,
                "limits": text,
                "x": n(left),
                "w": n(max(0.0, right - left)),
                "posts": [n(x(v)) for v in (low, high) if v is not None],
                "hatch": [{"x": n(min(x(a), x(b))), "w": n(abs(x(b) - x(a)))} for a, b in aims],
                "now": n(x(value)),
                "whisker": f"M{n(x(value - z_sd))} {n(y + 6)}H{n(x(value + z_sd))}",
                "lab": n(x(lab[name])) if name in lab else "",
                "lab_text": figure(lab[name], said_of.decimals) if name in lab else "",
                "then": n(x(then)) if then is not None else "",
                "value": figure(value, said_of.decimals),
                "then_text": figure(then, said_of.decimals) if then is not None else "",
                "field": name,
                "out": any(
                    h.chance_pct < case.chance_pct - 1e-6 and not h.binds
                    for f in (low_field, high_field)
                    if (h := standing.get(f)) is not None
                ),
            }
        )
    return {"rows": rows, "foot": n(ROW_TOP + ROW_PITCH * len(rows))}


def cost_picture(curve, limit: float, cost: float, name: str) -> dict | None:
    """Least cost against the limit that binds; hatched where nothing fits."""
    fits = [(v, c) for v, c in curve if c is not None]
    if len(fits) < 2:
        return None
    left, right, top, foot = COST
    first, last = min(v for v, _ in curve), max(v for v, _ in curve)
    low, high = min(c for _, c in fits), max(c for _, c in fits)
    pad = max(0.5, 0.1 * (high - low))
    low, high = low - pad, high + pad

    def x(v: float) -> float:
        return left + (right - left) * (v - first) / max(1e-9, last - first)

    def y(c: float) -> float:
        return foot - (foot - top) * (c - low) / (high - low)

    none = [x(v) for v, c in curve if c is None]
    beyond = None
    if none:
        edge = x(fits[-1][0]) if curve[-1][1] is None else x(fits[0][0])
        beyond = {"x": n(min(edge, *none)), "w": n(abs(max(edge, *none) - min(edge, *none)))}
    return {
        "name": name,
        "d": polyline((x(v), y(c)) for v, c in sorted(fits)),
        "now": {"x": n(x(limit)), "y": n(y(cost)), "text": figure(cost, 1)},
        "beyond": beyond,
        "left": n(left),
        "right": n(right),
        "top": n(top),
        "foot": n(foot),
        "height": n(foot - top),
        "x": [{"x": n(x(v)), "text": f"{v:g}"} for v in ticks(first, last, most=5)],
        "y": [{"y": n(y(v)), "text": f"{v:g}"} for v in ticks(low, high, most=4)],
    }


def _beside(left: bool) -> dict[str, str]:
    """Where a pin's name stands: the last one's on its left, so that it is not cut off."""
    return {"dx": "-6", "anchor": "end"} if left else {"dx": "6", "anchor": "start"}


PIN_TOP, PIN_FOOT = 484.0, 540.0


def added_picture(rows: list[dict]) -> dict:
    """Additives as pins on the way of the stock, in their order, each on its own height."""
    pitch = 252.0 / max(1, len(rows))
    return {
        "rows": rows,
        "pins": [
            {
                "x": n(324.0 + pitch * i),
                "y": n(PIN_TOP + (PIN_FOOT - PIN_TOP) * i / max(1, len(rows) - 1)),
                "name": r["name"],
                "text": r["text"],
                **_beside(i == len(rows) - 1 > 0),
            }
            for i, r in enumerate(rows)
        ],
    }


SHADE_AT, SHADE_PX = (230.0, 128.0), 100.0  # the middle of the a*, b* plane, and pixels to its edge


def shade_picture(result, case, other=None) -> dict:
    """The a*, b* plane: the undyed pulp, what the dyes make of it, what is wanted with its tolerance; each as a patch."""
    plain = dyed(case.base, case.s, np.zeros(4), case.school)
    doses = np.array([getattr(result if hasattr(result, "total") else case, name) for name in SHADES])
    made = dyed(case.base, case.s, doses, case.school)
    wanted = np.array([case.l_star, case.a_star, case.b_star]) if hasattr(case, "within") else None
    told = [plain, made] + ([wanted] if wanted is not None else [])
    far = max(10.0, 1.15 * max(float(np.abs(lab[1:]).max()) for lab in told))

    def at(lab) -> dict[str, str]:
        px = SHADE_PX / far
        return {"x": n(SHADE_AT[0] + px * float(lab[1])), "y": n(SHADE_AT[1] - px * float(lab[2])), "hex": on_screen(lab)}

    return {
        "plain": at(plain),
        "made": at(made),
        "wanted": at(wanted) if wanted is not None else None,
        "ring": n(SHADE_PX / far * getattr(case, "within", getattr(case, "borne", 1.0))),
        "far": figure(far, 0),
        "de": figure(result.de, 2),
        "lab": [figure(float(v), 1) for v in made],
        "held": at(
            dyed(
                other[1].base,
                other[1].s,
                np.array([getattr(other[0] if hasattr(other[0], "total") else other[1], k) for k in SHADES]),
                other[1].school,
            )
        )
        if other
        else None,
    }


PICTURES = {"shade": shade_picture}
