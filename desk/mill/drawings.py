"""Every vessel with its wedge of cover, as strings for SVG."""

import math
from datetime import timedelta

from desk.kit.svg import n, polyline
from desk.mill.ahead import levels_ahead
from desk.mill.chemicals import standings
from desk.mill.ribbon import colour_of

SCALE_PX, SCALE_H = 108.0, 12.0


COURSE_TOP, COURSE_FOOT, EVERY = 2.0, 14.0, 3  # of the picture; of a course's notes every third is drawn


def _course(found) -> dict:
    """A level through the hours ahead as an area, with its band, 10 to 90 %."""
    begun = found.at[0]

    def points(values) -> list[tuple[float, float]]:
        told = [((t - begun).total_seconds() / 3600.0, v) for t, v in zip(found.at, values, strict=True)][::EVERY]
        return [(SCALE_PX * h / SCALE_H, COURSE_FOOT - (COURSE_FOOT - COURSE_TOP) * v / 100.0) for h, v in told if h <= SCALE_H]

    level, high, low = points(found.value), points(found.high), points(found.low)
    return {
        "wedge": f"{polyline(level)}V{n(COURSE_FOOT)}H0z",
        "band": f"{polyline(high)}L{polyline(low[::-1])[1:]}Z",
    }


def cover_rows(state) -> list[dict]:
    """Every vessel with its wedge: thins to empty, swells to full, ends at the time it gets there; its level through the hours
    ahead in place of the wedge, once that is worked out."""
    rows, ahead = [], levels_ahead(state)
    for v in state.vessels.values():
        hours = v.cover.hours
        end = SCALE_PX * min(hours, SCALE_H) / SCALE_H if not math.isinf(hours) else SCALE_PX
        shape = v.vessel.shape
        top = {"empty": (3.0, 13.0), "full": (13.0, 3.0), "steady": (5.0, 5.0)}[v.cover.way]
        if not math.isinf(hours) and hours > SCALE_H:  # cut at the end of the scale
            part = SCALE_H / hours
            top = (top[0], top[0] + (top[1] - top[0]) * part)
        stops = []
        for s in state.stops:
            a = SCALE_PX * (s.start - state.now).total_seconds() / 3600.0 / SCALE_H
            b = SCALE_PX * (s.end - state.now).total_seconds() / 3600.0 / SCALE_H
            if a < SCALE_PX and b > 0:
                stops.append({"x": n(max(0.0, a)), "w": n(min(SCALE_PX, b) - max(0.0, a))})
        unit = v.vessel.unit
        hex_colour = hex_of(state, unit)
        rows.append(
            {
                "v": v,
                "hours": hours,
                "hex": hex_colour,
                "level_y": n(21 - 20 * v.level_pct / 100.0),
                "level_h": n(20 * v.level_pct / 100.0),
                "wedge": f"M0 {n(top[0])}L{n(end)} {n(top[1])}V14H0z",
                "end": n(end),
                "ends": not math.isinf(hours) and hours <= SCALE_H,
                "stops": stops,
                "act_by": state.now + timedelta(hours=max(0.0, v.act_by_h)) if v.stops_the_line else None,
                "shape": shape,
                "tx": n(min(end + 6, 42.0)),
                "show": {"empty": "to_low_h", "full": "to_high_h"}.get(v.cover.way, "content"),
            }
        )
        if (found := ahead.get(v.vessel.key)) is not None:
            rows[-1] |= _course(found)
    return rows


def tank_rows(state) -> list[dict]:
    """Every chemical tank that has a level and is used, with its wedge to empty."""
    rows = []
    for s in standings(state):
        if s.found is None or math.isinf(s.found.cover_h):
            continue
        hours = s.found.cover_h
        end = SCALE_PX * min(hours, SCALE_H) / SCALE_H
        top = 13.0 if hours <= SCALE_H else 3.0 + 10.0 * SCALE_H / hours
        share = min(1.0, max(0.0, s.now_m3 / s.tank.most_m3))
        rows.append(
            {
                "tank": s,
                "hours": hours,
                "level_pct": 100.0 * share,
                "level_y": n(21 - 20 * share),
                "level_h": n(20 * share),
                "wedge": f"M0 3L{n(end)} {n(top)}V14H0z",
                "end": n(end),
                "ends": hours <= SCALE_H,
                "order_by": state.now + timedelta(hours=max(0.0, s.found.order_in_h)),
                "late": s.found.order_in_h < 0.0,
                "tx": n(min(end + 6, 34.0)),
            }
        )
    return sorted(rows, key=lambda r: r["hours"])


def hex_of(state, unit: str) -> str:
    """Colour of the pulp that a unit makes."""
    network = state.solution.network
    if unit in network.index and network.unit(unit).outlets:
        return colour_of(state.solution.leaves(unit, network.unit(unit).outlets[0].name))[0]
    if unit in network.index:
        return colour_of(state.solution.enters(unit))[0]
    return "#F4EFE6"
