"""The quarter-hour rule of the shift, as strings for SVG."""

from datetime import timedelta

from core.judge.due import DueState
from core.stock.cover import USABLE_HIGH_PCT, USABLE_LOW_PCT
from desk.kit.svg import n
from desk.kit.templatetags.vat import clock, figure, hm, tph
from desk.mill.ahead import soon
from desk.mill.ribbon import STATIONS, draw_floor

RULE_PX, FLOOR_PX = 716.0, 500.0
MARK_PX = 9.0
FLAG_PX = 17.0  # flags nearer than this are one, with their number
WORDS_PX = 190.0


def shift_rule(shift, now, state, board, px: float = RULE_PX, *, running=()) -> dict:
    """Ticks, the elapsed part, due flags, planned stops, running cooks and now, along the shift."""
    hours = (shift.end - shift.start).total_seconds() / 3600.0

    def x(when) -> float:
        return px * (when - shift.start).total_seconds() / 3600.0 / hours

    ticks, labels = [], []
    for q in range(int(hours * 4) + 1):
        at = shift.start + timedelta(minutes=15 * q)
        ticks.append(
            {"x": n(x(at)), "h": "13" if q % 4 == 0 else "8" if q % 2 == 0 else "5", "w": "1.25" if q % 4 == 0 else ".75"}
        )
        if q % 4 == 0:
            anchor = "start" if q == 0 else "end" if q == hours * 4 else "middle"
            labels.append({"x": n(x(at)), "text": f"{at:%H}", "anchor": anchor})
    flags = _flags(board, shift, x)
    stops = [_stop(s, state, x, px) for s in state.stops if s.start < shift.end and s.end > shift.start]
    cooks = [_cook(r, x, px, bool(stops)) for r in running if r.blows_at > shift.start]
    ahead = _ahead(state, shift, x)
    told = f"Shift {shift.start:%H:%M} to {shift.end:%H:%M}, {sum(f['n'] for f in flags)} samples due in it"
    return {
        "px": n(px),
        "ticks": ticks,
        "labels": labels,
        "flags": flags,
        "stops": stops,
        "cooks": cooks,
        "ahead": ahead,
        "now": n(x(now)),
        "summary": "; ".join((told, *(c["told"] for c in cooks), *(a["told"] for a in ahead))),
    }


def _ahead(state, shift, x) -> list[dict]:
    """Where vessels meet a limit if nobody acts, by the line looked ahead; marks too near each other are one."""
    marks: list[dict] = []
    for m in soon(state, USABLE_LOW_PCT, USABLE_HIGH_PCT):
        if not shift.start <= m.at <= shift.end:
            continue
        at, told = x(m.at), f"{m.told} {clock(m.at)}"
        if marks and at - marks[-1]["at"] < MARK_PX:
            marks[-1]["told"] += f", {told}"
        else:
            marks.append({"at": at, "x": n(at), "told": told})
    return marks


def _flags(board, shift, x) -> list[dict]:
    """A flag where samples are due; those that would stand in each other's way are counted at the first."""
    flags: list[dict] = []
    for r in board.due_rows:
        if not shift.start <= r.due_at <= shift.end:
            continue
        at, late = x(r.due_at), r.due.state in (DueState.LATE, DueState.MISSED)
        if flags and at - flags[-1]["at"] < FLAG_PX:
            flags[-1]["n"] += 1
            flags[-1]["late"] = flags[-1]["late"] or late
        else:
            flags.append({"at": at, "x": n(at), "nx": n(at + 3), "n": 1, "late": late})
    return flags


def _cook(r, x, px: float, crowded: bool) -> dict:
    """A running cook on the rule: from its charge to its planned blow, with its words where there is room."""
    left, right = max(0.0, x(r.cook.started_at)), min(px, max(0.0, x(r.blows_at)))
    ends = right + WORDS_PX / 2.0 > px
    text = "" if crowded else f"cook {r.cook.number}, blow {clock(r.blows_at)}"
    return {
        "x": n(left),
        "end": n(right),
        "tx": n(right - 5.0 if ends else right + 5.0),
        "anchor": "end" if ends else "start",
        "text": text,
        "told": f"cook {r.cook.number} {r.cook.species}, blow planned {clock(r.blows_at)}",
    }


def _stop(stop, state, x, px: float) -> dict:
    """A stop or a reduced rate on the rule: its hatching and its words, which stay on the rule."""
    left, right = max(0.0, x(stop.start)), min(px, x(stop.end))
    name = state.mill.machine.name[0].upper() + state.mill.machine.name[1:]
    does = "stops" if stop.rate_pct == 0 else f"at {stop.rate_pct:.0f} %"
    ends = left + WORDS_PX > px
    return {
        "x": n(left),
        "w": n(max(1.0, right - left)),
        "tx": n(px if ends else left),
        "anchor": "end" if ends else "start",
        "text": f"{name} {does} {clock(stop.start)} to {clock(stop.end)}",
    }


def floor(state, gauges) -> dict:
    """The tablet's falling line: heads of the lanes, and a row a station with what is read there."""
    lanes = state.mill.lanes
    keys = {lane.key for lane in lanes}
    heads = []
    for lane in lanes:
        source = state.mill.sources.get(lane.key)
        words = source.name.split(" ", 1)[-1] if source else ""
        heads.append({"key": lane.key, "text": f"{words} {tph(state.running.gives.get(lane.key, 0.0))} t/h"})
    rows = []
    for key, digit, name in STATIONS:
        values = [_floor_value(g) for g in gauges if g["station"] == key and g["row"].result]
        if key == "stock":
            values = [v for lane, i in zip(lanes, range(len(lanes)), strict=True) if (v := _floor_vessel(state, lane.key, i))]
        if key == "blend":
            values = [
                {
                    "lane": 0,
                    "shown": tph(state.draw.solids_t_h),
                    "unit": "t/h",
                    "state": "in",
                    "word": "",
                    "side": 0,
                    "label": "furnish",
                },
                {
                    "lane": 2,
                    "shown": figure(state.mix.iso_pct, 1),
                    "unit": "%",
                    "state": "in",
                    "word": "",
                    "side": 0,
                    "label": "brightness",
                },
                {
                    "lane": 3,
                    "shown": figure(state.mix.csf_ml, 0),
                    "unit": "mL",
                    "state": "in",
                    "word": "",
                    "side": 0,
                    "label": "freeness",
                },
            ]
        if key == "deliver":
            out = state.draw.solids_t_h + state.draw.filler_t_h
            values = [
                {
                    "lane": 0,
                    "shown": tph(out),
                    "unit": "t/h",
                    "state": "in",
                    "word": "",
                    "side": 0,
                    "label": f"with {tph(state.draw.filler_t_h)} filler",
                }
            ]
        rows.append({"key": key, "digit": digit, "name": name, "values": values})
    spare = [
        (s.name, state.shares.get(k, 0.0), state.vessels.get(s.vessel)) for k, s in state.mill.sources.items() if k not in keys
    ]
    spares = [
        f"{name.lower()} {pct:.0f} %" + (f", {v.level_pct:.0f} % full" if v else "")
        for name, share, v in spare
        if (pct := 100 * share) > 0
    ]
    return {"ribbon": draw_floor(state), "heads": heads, "rows": rows, "spares": spares}


def _floor_value(g: dict) -> dict:
    row = g["row"]
    calm = row.state in ("in", "none")
    word = "" if calm else "old" if row.state == "old" else row.judgement.word
    label = " ".join(t for t in (g["lead"], g["rest"], g["label"]) if t)
    side = row.judgement.side if row.judgement else 0
    return {
        "lane": g["lane"],
        "shown": row.shown,
        "unit": row.short_unit,
        "state": row.state,
        "word": word,
        "side": side,
        "label": label,
    }


def _floor_vessel(state, key: str, lane: int) -> dict | None:
    source = state.mill.sources.get(key)
    now = state.vessels.get(source.vessel) if source else None
    if now is None:
        return None
    ends = "steady" if now.cover.way == "steady" else f"{now.cover.way} in {hm(now.cover.hours)}"
    mark = "contain" if now.stops_the_line else "in"
    return {"lane": lane, "shown": f"{now.level_pct:.0f}", "unit": "%", "state": mark, "word": "", "side": -1, "label": ends}
