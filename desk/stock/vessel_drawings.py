"""A vessel cut open: its layers by when they came in with what the laboratory found of them; its level back and ahead."""

from collections.abc import Callable
from datetime import datetime, timedelta

from core.lab.methods import TESTS
from core.mill.document import Vessel
from core.stock.layers import LayersFound
from desk.kit.svg import n, polyline, ticks
from desk.kit.templatetags.vat import figure
from desk.log.models import Record
from desk.mill.drawings import hex_of

LEFT, WIDE, TOP, FOOT = 60.0, 150.0, 34.0, 250.0
MOST_TIMES, MOST_RESULTS, LINE_PX = 7, 12, 17.0
BACK_H, AHEAD_H = 24.0, 12.0
T_LEFT, T_RIGHT, T_TOP, T_FOOT = 40.0, 622.0, 306.0, 440.0


def _clock(at: datetime) -> str:
    return f"{at:%H:%M}"


def layers_picture(
    state,
    vessel: Vessel,
    found: LayersFound,
    level_pct: float,
    results: list[Record],
    layer_of: Callable[[datetime], int | None],
) -> dict:
    """The vessel to scale of its level: the mixed zone below, the plug above it by hours, results at the layer they lie in."""
    high = (FOOT - TOP) * level_pct / 100.0
    content = max(found.content_t, 1e-9)
    zone_t = sum(layer.zone_t for layer in found.layers)
    zone_y = FOOT - high * zone_t / content
    y, spans, lines, last = zone_y, {}, [], None
    for i, layer in enumerate(found.layers):  # oldest first: the plug stands on its zone in that order
        h = high * layer.plug_t / content
        spans[i] = (y, y - h)
        came = state.now - timedelta(hours=layer.newest_h)
        if h > 0.0 and (last is None or last - (y - h) >= max(LINE_PX, high / MOST_TIMES)):
            last = y - h
            lines.append({"y": n(y - h), "text": _clock(came), "ty": n(y - h + 4)})
        y -= h
    told = []
    for r in results:
        if (i := layer_of(r.at)) is None:
            continue
        layer = found.layers[i]
        low, top = spans[i]
        if layer.plug_t <= 0.0:
            continue
        whole = (layer.oldest_h or layer.newest_h) - layer.newest_h
        part = ((state.now - r.at).total_seconds() / 3600.0 - layer.newest_h) / whole if whole > 0.0 else 0.5
        told.append((top + (low - top) * min(1.0, max(0.0, part)), r))
    told = sorted(told, key=lambda pair: pair[0])[:: max(1, -(-len(told) // MOST_RESULTS))]
    placed, at = [], TOP - LINE_PX
    for wanted, r in told:
        at = max(at + LINE_PX, wanted)
        placed.append([wanted, at, r])
    over = (placed[-1][1] - FOOT) if placed else 0.0
    for i in range(len(placed) - 1, -1, -1):  # what was pushed under the floor moves up again
        if over <= 0.0:
            break
        ceiling = placed[i + 1][1] - LINE_PX if i + 1 < len(placed) else FOOT
        placed[i][1] = min(placed[i][1], ceiling)
    rows = state.mill.plan
    return {
        "hex": hex_of(state, vessel.unit),
        "x": n(LEFT),
        "w": n(WIDE),
        "top": n(TOP),
        "foot": n(FOOT),
        "right": n(LEFT + WIDE),
        "surface": n(FOOT - high),
        "high": n(high),
        "zone": {
            "y": n(zone_y),
            "h": n(FOOT - zone_y),
            "text_y": n((zone_y + FOOT) / 2 + 4) if FOOT - zone_y >= LINE_PX else None,  # a thin zone holds no line of text
            "t": figure(zone_t, 1),
        }
        if zone_t > 0.0
        else None,
        "lines": lines,
        "results": [
            {
                "y": n(wanted),
                "ty": n(y_text + 4),
                "bend": n(y_text),
                "text": f"{_clock(r.at)} {rows[r.subject].place}",
                "value": figure(r.value, TESTS[rows[r.subject].test].decimals),
                "unit": TESTS[rows[r.subject].test].unit or TESTS[rows[r.subject].test].name,
            }
            for wanted, y_text, r in placed
        ],
    }


def level_picture(state, told: list[tuple[datetime, float]], ahead: list[tuple[float, float]], case, hours: float) -> dict:
    """Level over the last day and the next half: as read, then through what is planned; usable limits, stops hatched;
    `hours` to the limit it meets."""
    begin = state.now - timedelta(hours=BACK_H)

    def x(hours: float) -> float:
        return T_LEFT + (T_RIGHT - T_LEFT) * (hours + BACK_H) / (BACK_H + AHEAD_H)

    def y(pct: float) -> float:
        return T_FOOT - (T_FOOT - T_TOP) * min(100.0, max(0.0, pct)) / 100.0

    past = [((at - state.now).total_seconds() / 3600.0, level) for at, level in told if at >= begin]
    stops = []
    for s in state.halts:
        a, b = ((t - state.now).total_seconds() / 3600.0 for t in (s.start, s.end))
        a, b = max(a, -BACK_H), min(b, AHEAD_H)
        if a < b:
            stops.append({"x": n(x(a)), "w": n(x(b) - x(a)), "what": s.what})
    low, high = case.low_pct, case.high_pct
    limits = (low, high)
    return {
        "past": polyline((x(h), y(pct)) for h, pct in past) if len(past) > 1 else "",
        "ahead": polyline((x(h), y(pct)) for h, pct in ahead),
        "now": n(x(0.0)),
        "now_y": n(y(ahead[0][1] if ahead else 0.0)),
        "now_text": figure(ahead[0][1], 0) if ahead else "",
        "band": {"y": n(y(high)), "h": n(y(low) - y(high))},
        "limits": [{"y": n(y(v)), "text": f"{v:.0f}"} for v in limits],
        "crossing": n(x(hours)) if hours < AHEAD_H else "",
        "stops": stops,
        "left": n(T_LEFT),
        "right": n(T_RIGHT),
        "top": n(T_TOP),
        "foot": n(T_FOOT),
        "height": n(T_FOOT - T_TOP),
        "x": [{"x": n(x(h)), "text": _clock(state.now + timedelta(hours=h))} for h in ticks(-BACK_H, AHEAD_H, most=7)],
    }
