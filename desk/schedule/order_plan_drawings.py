"""One time axis in the way of the fibre: orders, stops, the stations’ lanes, levels, loads and samples, as SVG."""

from collections.abc import Mapping, Sequence
from datetime import datetime, timedelta

from django.utils import timezone

from core.plan.levels import Vessel, half_t, within
from core.stock.cover import USABLE_HIGH_PCT, USABLE_LOW_PCT
from desk.cook.lanes import COOKS
from desk.kit.lane import Bar, Bars, Flags, Lane, Stack, Steps
from desk.kit.svg import n, polyline
from desk.schedule.order_plan import FROZEN_H, HOURS, Judged, Plan
from desk.schedule.versions import SAME_COOK_H, SAME_H

LEFT, RIGHT, TOP = 132.0, 852.0, 30.0
ORDER_H, ROW_H, GAP, STOP_H, VESSEL_H, STEPS_H, FLAGS_H, STACK_H = 34.0, 16.0, 9.0, 13.0, 40.0, 36.0, 40.0, 38.0
BAND_STEP_H = 3.0
WORD_PX, NARROW_PX = 6.4, 17.0
STRIP_W = 320.0
COUNTED_H, DUE_H = {72.0: 4.0, 24.0: 2.0, 8.0: 1.0}, {72.0: 2.0, 24.0: 1.0, 8.0: 1.0}


class Clock:
    """Hours from a time on the page's width."""

    def __init__(self, hours: float, now: datetime):
        self.hours, self.now = hours, now

    def at(self, hour: float) -> str:
        return f"{timezone.localtime(self.now + timedelta(hours=hour)):%H:%M}"

    def beyond(self, hour: float) -> float:
        """The same where it may lie off the page, for what is cut there."""
        return LEFT + (RIGHT - LEFT) * hour / self.hours

    def x(self, hour: float) -> float:
        return LEFT + (RIGHT - LEFT) * max(0.0, min(self.hours, hour)) / self.hours

    def wide(self, from_h: float, to_h: float) -> float:
        return self.x(to_h) - self.x(from_h)

    def shown(self, from_h: float, to_h: float) -> bool:
        return to_h > 0.0 and from_h < self.hours


def plan_picture(
    plan: Plan,
    judged: Judged,
    old: "Old",
    lanes: Sequence[Lane],
    hours: float = HOURS,
    factor: float = 1.0,
    rated: Judged | None = None,
) -> dict:
    """The plan; `old` is drawn dashed where it differs, `rated` in pen: the levels with the rates that were found. Lanes of the
    stations stand over the levels, loads and flags under."""
    clock, y = Clock(hours, plan.state.now), TOP
    told = {"orders": _orders(plan, judged, old, clock, y)}
    y += ORDER_H + GAP
    told["stops"] = _stops(plan, clock, y)
    y += STOP_H * max(1, len(plan.stands)) + GAP
    drawn = []
    for lane in lanes:
        if isinstance(lane, Bars):
            drawn.append(_bars(lane, clock, y, old.cooks if lane.name == COOKS else {}))
            y += drawn[-1]["h"] + GAP
    for key in judged.courses:
        drawn.append(_vessel(plan, key, judged, old, clock, y + 4.0, factor))
        if rated is not None:
            drawn[-1]["rated"] = _rated(plan, key, rated, clock, y + 4.0)
        y += VESSEL_H + GAP + 14.0
    for lane in lanes:
        if isinstance(lane, Steps):
            drawn.append(_steps(lane, clock, y))
            y += STEPS_H + GAP
        elif isinstance(lane, Stack):
            drawn.append(_stack(lane, clock, y))
            y += STACK_H + GAP
        elif isinstance(lane, Flags):
            drawn.append(_flags(lane, clock, y))
            y += FLAGS_H + GAP
    shades = [{"x": n(clock.x(s.from_h)), "w": n(clock.wide(s.from_h, s.to_h))} for s in plan.stands if not s.unit]
    return told | {
        "ticks": ticks(plan.state.now, hours),
        "lanes": drawn,
        "foot": n(y - GAP),
        "height": n(y),
        "tall": n(y - GAP - TOP),
        "frozen": n(clock.x(FROZEN_H) - LEFT),
        "shades": [s for s in shades if s["w"] != "0"],
        "hours": hours,
    }


def strip_picture(plan: Plan, judged: Judged, ends_h: float) -> list[dict]:
    """The orders of a plan as a strip, on the hours that the longest of several takes."""
    scale = STRIP_W / max(1e-6, ends_h)
    told = []
    for r in judged.found.runs:
        wide = scale * (r.ends_h - r.begins_h)
        number = plan.waiting[r.order].number
        room = int((wide - 4.0) / WORD_PX)
        told.append({"x": n(scale * r.begins_h), "w": n(wide), "text": number[-room:].lstrip("-") if room > 1 else ""})
    return told


class Old:
    """What a plan is drawn over: begins and ends of its orders and cooks, levels by vessel; hours from now."""

    def __init__(self, orders: Mapping = (), cooks: Mapping = (), levels: Mapping = ()):
        self.orders, self.cooks, self.levels = dict(orders), dict(cooks), dict(levels)

    def moved(self, name: str, begins: float, of: Mapping) -> bool:
        was = of.get(name)
        return was is not None and abs(max(0.0, was[0]) - max(0.0, begins)) > SAME_H


def _orders(plan: Plan, judged: Judged, old: Old, clock: Clock, y: float) -> dict:
    names = dict(enumerate(plan.waiting))
    bars, ghosts = [], []
    for place, r in enumerate(judged.found.runs):
        w = names[r.order]
        was = old.orders.get(w.number)
        moved = old.moved(w.number, r.begins_h, old.orders)
        if clock.shown(r.begins_h, r.ends_h):
            wide = clock.wide(r.begins_h, r.ends_h)
            most = max(0, int((wide - 8.0) / WORD_PX))
            bars.append(
                {
                    "x": n(clock.x(r.begins_h)),
                    "w": n(wide),
                    "number": w.number[-most:].lstrip("-") if most < len(w.number) else w.number,
                    "whole": w.number,
                    "name": w.name[:most] if most > 4 else "",
                    "moved": moved,
                    "late": r.late_h > 1e-6,
                    "place": place,
                    "fixed": place < len(plan.fixed),
                }
            )
        if moved and was is not None and clock.shown(*was):
            ghosts.append({"x": n(clock.x(was[0])), "w": n(clock.wide(*was))})
    washes = [
        {"x": n(clock.x(r.wash_h)), "w": n(clock.wide(r.wash_h, r.wash_h + r.washed))}
        for r in judged.found.runs
        if r.washed > 0.0 and clock.shown(r.wash_h, r.wash_h + r.washed)
    ]
    left = clock.wide(0.0, plan.free_h)
    return {
        "y": n(y),
        "h": n(ORDER_H),
        "text_y": n(y + 15.0),
        "more_y": n(y + 29.0),
        "late_y": n(y + ORDER_H + 3.0),
        "ghost_y": n(y - 4.0),
        "ghost_h": n(ORDER_H + 8.0),
        "running": {"w": n(left), "text": plan.state.run["order"][-int((left - 8.0) / WORD_PX) :] if left > 34.0 else ""},
        "bars": bars,
        "ghosts": ghosts,
        "washes": washes,
    }


def _stops(plan: Plan, clock: Clock, y: float) -> dict:
    """A row for each stop, with why beside its bar."""
    rows = []
    for k, s in enumerate(plan.stands):
        top = y + STOP_H * k
        a, b = clock.x(s.from_h), clock.x(s.to_h)
        words = f"{s.name}: {s.what}" if s.what else s.name
        right = b < RIGHT - WORD_PX * len(words)
        rows.append(
            {
                "x": n(a),
                "w": n(max(2.0, b - a)),
                "y": n(top),
                "text": words[:60],
                "text_x": n(b + 5.0 if right else a - 5.0),
                "anchor": "start" if right else "end",
                "text_y": n(top + 7.5),
                "planned": s.planned,
                "hit_y": n(top - 3.0),
                "key": s.key if s.planned and s.from_h >= FROZEN_H else "",
            }
        )
    return {"y": n(y + 8.0), "rows": rows}


def _bars(lane: Bars, clock: Clock, y: float, old: Mapping[str, tuple[float, float]]) -> dict:
    """Rows of bars: with their words, as silhouettes where they have a shape and there is room, or counted by so many hours."""
    tall = 26.0 if any(b.shape for row in lane.rows for b in row) and clock.hours <= 8.0 else ROW_H
    rows, counted = [], False
    for k, row in enumerate(lane.rows):
        top = y + k * (tall + 2.0)
        shown = [b for b in row if clock.shown(b.from_h, b.to_h)]
        narrow = lane.counted and any((RIGHT - LEFT) * (b.to_h - b.from_h) / clock.hours < NARROW_PX for b in shown)
        bars = _counts(shown, clock) if narrow else [_bar(b, clock, top, tall, old) for b in shown]
        ghosts = [
            {"x": n(clock.x(old[b.text][0])), "w": n(clock.wide(*old[b.text]))}
            for b in shown
            if _off(b, old) and clock.shown(*old[b.text])
        ]
        label = lane.labels[k] if k < len(lane.labels) else ""
        counted |= narrow
        rows.append(
            {"y": n(top), "text_y": n(top + tall / 2.0 + 4.0), "bars": bars, "label": label, "h": n(tall), "ghosts": ghosts}
        )
    under = f"{lane.under}, each {COUNTED_H.get(clock.hours, 4.0):.0f} h" if counted else lane.under
    whole = len(lane.rows) * (tall + 2.0)
    text = {"name_y": n(y + 11.0), "under_y": n(y + 25.0), "name": lane.name, "under": under}
    return {"kind": "bars", "rows": rows, "h": max(whole, 28.0), **text}


def _bar(b: Bar, clock: Clock, top: float, tall: float, old: Mapping[str, tuple[float, float]]) -> dict:
    x, wide = clock.x(b.from_h), clock.wide(b.from_h, b.to_h)
    most = int((wide - 4.0) / WORD_PX)
    told = {"x": n(x), "w": n(wide), "tint": b.tint, "href": b.href, "known": b.known, "what": b.text, "hold": b.hold}
    told["text"] = (
        b.text if len(b.text) <= most else b.text[-most:] if most > 1 and b.text.isdigit() else b.text[: max(0, most)]
    )
    told["middle"] = n(x + wide / 2.0) if b.shape else n(x + 5.0)
    told["centred"] = bool(b.shape)
    told["moved"] = b.other or _off(b, old)
    if b.shape and clock.hours <= 8.0:
        points = [(clock.beyond(h), top + tall * (1.0 - 0.9 * v)) for h, v in b.shape]
        told["shape"] = polyline([(points[0][0], top + tall), *points, (points[-1][0], top + tall)])
        blow = b.shape[-2][0] if len(b.shape) > 1 else b.to_h
        words = f"{b.text}, blow {clock.at(blow)}"
        top_x, blow_x = clock.x(b.shape[2][0]), clock.x(blow)  # words stand where the silhouette is whole
        room = blow_x - top_x
        told["text"] = words if room > WORD_PX * len(words) else b.text if room > WORD_PX * len(b.text) else ""
        told["middle"] = n((top_x + blow_x) / 2.0)
        told["blow"] = {"x": n(clock.x(blow)), "w": n(max(3.0, clock.wide(blow, b.to_h))), "y": n(top + tall - 3.0)}
    return told


def _off(b: Bar, old: Mapping[str, tuple[float, float]]) -> bool:
    """Whether a coming bar begins at another time than it did in the old plan."""
    return not b.known and b.text in old and abs(max(0.0, old[b.text][0]) - b.from_h) > SAME_COOK_H


def _counts(shown: Sequence[Bar], clock: Clock) -> list[dict]:
    """How many begin in each so many hours."""
    step, told = COUNTED_H.get(clock.hours, 4.0), []
    for k in range(int(clock.hours / step)):
        count = sum(k * step <= max(0.0, b.from_h) < (k + 1) * step for b in shown)
        x, wide = clock.x(k * step), clock.wide(k * step, (k + 1) * step)
        if count:
            told.append({"x": n(x + 1.0), "w": n(wide - 2.0), "text": str(count), "middle": n(x + wide / 2.0), "centred": True})
    return told


def ticks(now, hours: float) -> list[dict]:
    """Midnights with their day, and every six hours between; every hour on a short clock."""
    clock, local = Clock(hours, now), timezone.localtime(now)
    first = local.replace(minute=0, second=0, microsecond=0) + timedelta(hours=1)
    every = 6 if hours > 24.0 else 3 if hours > 8.0 else 1
    told = []
    for k in range(int(hours)):
        at = first + timedelta(hours=k)
        if at.hour % every == 0:
            hour = (at - local).total_seconds() / 3600.0
            text = f"{at:%-d %b}" if at.hour == 0 else f"{at:%H}"
            told.append({"x": n(clock.x(hour)), "text": text, "day": at.hour == 0})
    return told


def _vessel(plan: Plan, key: str, judged: Judged, old: Old, clock: Clock, top: float, factor: float) -> dict:
    """A vessel's level between its usable limits, with how sure it is; where it meets one."""
    v = plan.state.vessels[key]
    full = v.vessel.full_t
    y = lambda t: top + VESSEL_H * (1.0 - max(0.0, min(1.0, t / full)))  # noqa: E731
    c = judged.courses[key]
    fed = plan.state.full_rates[key][0] if key in plan.state.full_rates else v.rate_in
    vessel = Vessel(now_t=v.content_t, full_t=full, low_t=0.0, high_t=full, fed_t_h=fed)
    ends = min(c.points[-1][0], clock.hours)
    step = min(BAND_STEP_H, clock.hours / 16.0)
    hours = [*(step * i for i in range(int(ends / step) + 1)), ends]
    halves = [half_t(vessel, fed, h, factor) for h in hours]
    upper = [(clock.x(h), y(c.at(h) + half)) for h, half in zip(hours, halves, strict=True)]
    lower = [(clock.x(h), y(c.at(h) - half)) for h, half in zip(hours, halves, strict=True)]
    met = None
    if c.first is not None and c.first[1] <= clock.hours:
        when = timezone.localtime(plan.state.now + timedelta(hours=c.first[1]))
        up, place = c.first[0] == "full", clock.x(c.first[1])
        said = {"text": f"{c.first[0]} {when:%H:%M}", "text_y": n(top - 3.0 if up else top + VESSEL_H - 6.0)}
        met = {"x": n(place), "y": n(y(c.at(c.first[1]))), "up": up, "right": place > RIGHT - 90.0, **said}
    line = within(c.points, 0.0, clock.hours)
    was = within(was_at, 0.0, clock.hours) if (was_at := old.levels.get(key)) else []
    differs = [t for h, t in was if abs(c.at(h) - t) > 0.01 * full]
    return {
        "kind": "vessel",
        "name": v.vessel.name,
        "now": f"now {v.level_pct:.0f} %, {USABLE_LOW_PCT:.0f} to {USABLE_HIGH_PCT:.0f}",
        "top": n(top),
        "name_y": n(top + 13.0),
        "now_y": n(top + 28.0),
        "usable_y": n(y(full * USABLE_HIGH_PCT / 100.0)),
        "usable_h": n(VESSEL_H * (USABLE_HIGH_PCT - USABLE_LOW_PCT) / 100.0),
        "line": polyline([(clock.x(h), y(t)) for h, t in line]),
        "band": polyline(upper + lower[::-1]),
        "was": polyline([(clock.x(h), y(t)) for h, t in was]) if differs else "",
        "met": met,
    }


def _rated(plan: Plan, key: str, rated: Judged, clock: Clock, top: float) -> str:
    """A vessel's level with the rates that were found."""
    full, course = plan.state.vessels[key].vessel.full_t, rated.courses[key]
    points = within(course.points, 0.0, clock.hours)
    return polyline([(clock.x(h), top + VESSEL_H * (1.0 - max(0.0, min(1.0, t / full)))) for h, t in points])


def _steps(lane: Steps, clock: Clock, y: float) -> dict:
    """A load in steps, under its limit where there is one."""
    most = max([v for _, v in lane.points] + ([lane.limit] if lane.limit else [])) * 1.1 or 1.0
    high = lambda v: y + STEPS_H * (1.0 - v / most)  # noqa: E731
    path = f"M{n(LEFT)} {n(y + STEPS_H)}"
    for h, v in lane.points:
        if h < clock.hours:
            path += f"H{n(clock.x(h))}V{n(high(v))}"
    _, peak = lane.most
    of = f" of {lane.limit:g}" if lane.limit else ""
    return {
        "kind": "steps",
        "name": lane.name,
        "under": f"{lane.unit}; to {peak:.1f}{of}",
        "name_y": n(y + 13.0),
        "now_y": n(y + 28.0),
        "path": f"{path}H{n(RIGHT)}V{n(y + STEPS_H)}z",
        "limit_y": n(high(lane.limit)) if lane.limit else "",
    }


def _stack(lane: Stack, clock: Clock, y: float) -> dict:
    """Amounts on each other, t, to the brim of them all."""
    full = 1.7 * max(1e-9, *(sum(part[i][1] for *_, part in lane.parts) for i in range(len(lane.parts[0][2]))))
    high = lambda t: y + STACK_H * (1.0 - t / full)  # noqa: E731
    hours = [h for h, _ in lane.parts[0][2]]
    below, areas = [0.0] * len(hours), []
    for name, tint, part in lane.parts:
        above = [b + t for b, (_, t) in zip(below, part, strict=True)]
        there = [(clock.x(h), high(t)) for h, t in zip(hours, above, strict=True)]
        back = [(clock.x(h), high(t)) for h, t in zip(hours, below, strict=True)]
        areas.append({"path": polyline(there + back[::-1]), "tint": tint, "text": f"{name} {part[0][1]:.0f} t"})
        below = above
    words = ", ".join(a["text"] for a in areas)
    text = {"name": lane.name, "under": lane.under, "name_y": n(y + 13.0), "now_y": n(y + 28.0)}
    return {"kind": "stack", "areas": areas, "words": words, "words_y": n(y + 12.0), "top": n(y), **text}


def _flags(lane: Flags, clock: Clock, y: float) -> dict:
    """What is due: counted on a long clock, the critical ones solid; each named on a short one as far as there is room."""
    flags = [f for f in lane.flags if 0.0 <= f.hour < clock.hours]
    told = {"kind": "flags", "name": lane.name, "name_y": n(y + 13.0), "now_y": n(y + 28.0), "named": [], "bars": []}
    if clock.hours <= 8.0:
        free = [0.0, 0.0]  # of the two rows of names
        for f in sorted(flags, key=lambda f: (f.hour, not f.critical)):
            x = clock.x(f.hour)
            row = next((k for k in (0, 1) if x >= free[k] and x + WORD_PX * len(f.text) < RIGHT), None) if f.critical else None
            flag = {"x": n(x), "y": n(y), "text": "" if row is None else f.text, "critical": f.critical, "href": f.href}
            told["named"].append(flag | {"text_y": n(y + 10.0 + 12.0 * (row or 0)), "from": n(12.0 * (row or 0))})
            if row is not None:
                free[row] = x + 8.0 + WORD_PX * len(f.text)
        told["under"] = f"{sum(f.critical for f in flags)} critical of {len(flags)}"
        return told
    step = DUE_H.get(clock.hours, 2.0)
    groups: list[list] = [[] for _ in range(int(clock.hours / step))]
    for f in flags:
        groups[int(f.hour / step)].append(f)
    most = max((len(g) for g in groups), default=0) or 1
    for k, group in enumerate(groups):
        x, wide = clock.x(k * step) + 1.0, clock.wide(k * step, (k + 1) * step) - 2.0
        tall, solid = (FLAGS_H * c / most for c in (len(group), sum(f.critical for f in group)))
        bar = {"x": n(x), "w": n(wide), "y": n(y + FLAGS_H - tall), "h": n(tall), "solid_y": n(y + FLAGS_H - solid)}
        told["bars"].append(bar | {"solid": n(solid), "what": f"{len(group)} due"})
    told["under"] = f"each {step:.0f} h, solid: critical"
    return told
