"""The quarter-hour rule of the shift, as strings for SVG."""

from datetime import timedelta

from core.judge.due import DueState
from desk.kit.svg import n

RULE_PX = 842.0
FLAGS_SHOWN = 14


def shift_rule(shift, now, state, board) -> dict:
    """Ticks, the elapsed part, due flags, planned stops and now, along the shift."""
    hours = (shift.end - shift.start).total_seconds() / 3600.0

    def x(when) -> float:
        return RULE_PX * (when - shift.start).total_seconds() / 3600.0 / hours

    ticks, labels = [], []
    for q in range(int(hours * 4) + 1):
        at = shift.start + timedelta(minutes=15 * q)
        ticks.append(
            {"x": n(x(at)), "h": "13" if q % 4 == 0 else "8" if q % 2 == 0 else "5", "w": "1.25" if q % 4 == 0 else ".75"}
        )
        if q % 4 == 0:
            anchor = "start" if q == 0 else "end" if q == hours * 4 else "middle"
            labels.append({"x": n(x(at)), "text": f"{at:%H}", "anchor": anchor})
    flags, seen = [], set()
    for r in board.due_rows:
        late = r.due.state in (DueState.LATE, DueState.MISSED)
        at = n(x(r.due_at))
        if shift.start <= r.due_at <= shift.end and at not in seen and len(flags) < FLAGS_SHOWN:
            seen.add(at)
            flags.append({"x": at, "late": late})
    stops = [
        {
            "x": n(max(0.0, x(s.start))),
            "w": n(min(RULE_PX, x(s.end)) - max(0.0, x(s.start))),
            "text": f"{state.mill.machine.name[0].upper()}{state.mill.machine.name[1:]} stops {s.start:%H:%M} to {s.end:%H:%M}",
        }
        for s in state.stops
        if s.start < shift.end and s.end > shift.start
    ]
    return {
        "ticks": ticks,
        "labels": labels,
        "flags": flags,
        "stops": stops,
        "now": n(x(now)),
        "summary": f"Shift {shift.start:%H:%M} to {shift.end:%H:%M}, {len(flags)} samples due in it",
    }
