"""What stands on the plan's clock beside the stations': broke by shade, and samples and rounds that come due."""

from django.urls import reverse

from core.colour import pad_hex
from desk.blend.broke import ROOM_T, broke_source
from desk.kit.lane import Flag, Flags, Lane, Stack
from desk.kit.station import lanes_of
from desk.lab.board import Board
from desk.lab.looks import coming as coming_rounds
from desk.recovered import bales
from desk.schedule.order_plan import HOURS, Judged, Plan

MOST_FLAGS = 4000
# brightness that a shade of broke is drawn with, % ISO: defaults, for display only
SHADE_ISO = {"": 80.0, "white": 80.0, "cream": 72.0, "buff": 60.0, "blue": 55.0}
OTHER_ISO = 45.0


def all_lanes(plan: Plan, judged: Judged) -> list[Lane]:
    """Everything but orders, stops and levels, in the way of the fibre; loads and what is due at the end."""
    told = lanes_of(plan.state, HOURS, plan.stands)
    broke = _broke(plan, judged)
    return [*told, *([broke] if broke else []), _samples(plan, judged)]


def _broke(plan: Plan, judged: Judged) -> Stack | None:
    """Broke in its tower through the plan, and each kind in the yard, which is used as fast as it is now."""
    state = plan.state
    key = broke_source(state)
    if not key:
        return None
    hours = [0.0, 12.0, 24.0, 36.0, 48.0, 60.0, HOURS]
    parts, full = [], 0.0
    tower = state.mill.sources[key].vessel
    if tower in judged.courses:
        course = judged.courses[tower]
        hours = sorted({*hours, *(h for h, _ in course.points)})
        end = course.points[-1][0]
        parts.append(("tower", pad_hex(SHADE_ISO["white"]), tuple((h, course.at(min(h, end))) for h in hours)))
        full += state.vessels[tower].vessel.full_t
    for kind in (s for s in bales.standings(state) if s.kind.sort == "broke"):
        used = bales.use_of(state, kind.kind)
        there = tuple((h, max(0.0, kind.free_t - used * h)) for h in hours)
        parts.append((kind.kind.shade or kind.kind.name, pad_hex(SHADE_ISO.get(kind.kind.shade, OTHER_ISO)), there))
        full += max(ROOM_T, kind.free_t)
    return Stack("Broke by shade", f"t OD, room {full:.0f}", tuple(parts), full) if parts else None


def _samples(plan: Plan, judged: Judged) -> Flags:
    """Every sample of the plan of samples by its interval from the time it is due on, rounds, and the first of each order."""
    state, flags, board = plan.state, [], Board(plan.state)
    href = {r.row.id: reverse("lab:row", args=[r.row.id]) for r in board.rows}
    for row in board.rows:
        at_h = max(0.0, (row.due_at - state.now).total_seconds() / 3600.0)
        every_h = max(row.every_min, 5.0) / 60.0
        text, critical, way = f"{row.row.place} {row.test.name.lower()}", row.row.critical, href[row.row.id]
        waits = row.row.station == "deliver"
        while at_h < HOURS and len(flags) < MOST_FLAGS:
            if not waits or not _stands(plan, at_h):
                flags.append(Flag(at_h, text, critical, way))
            at_h += every_h
    rounds = reverse("lab:looks")
    flags += [Flag(hour, f"round of {line}", False, rounds) for hour, line in coming_rounds(state, HOURS)]
    for run in judged.found.runs:
        if run.begins_h < HOURS:
            number = plan.waiting[run.order].number
            flags.append(Flag(run.begins_h, f"{number}: first", True, ""))
    return Flags("Samples, rounds", "", tuple(flags))


def _stands(plan: Plan, at_h: float) -> bool:
    """Whether the machine stands then; what is sampled of it waits for it."""
    return any(not s.unit and s.from_h <= at_h < s.to_h for s in plan.stands)
