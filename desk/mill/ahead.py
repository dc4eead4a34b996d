"""The hours ahead of the mill as it stands: stops, slow runs and the next order as planned, and what is tried on top."""

import logging
import math
from collections import OrderedDict
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from datetime import datetime, timedelta
from threading import Lock, Thread

import numpy as np
from django.conf import settings

from core.colour import brightness_from_ks
from core.errors import CoreError
from core.stream import Vector
from core.through.ahead import STEP_S as PACE_S
from core.through.ahead import Brings, Course, Plan, Sure, look_ahead, sure
from core.through.disturbed import Machine
from core.through.layout import Layout
from core.through.mill import through_time
from core.through.stepper import Event
from desk.mill.line_case import LineCase
from desk.mill.state import MillState, way_of

HOURS = 12.0
KEPT, RUNS = 12, 12
CHANCE_KEEPS, SOON_KEEPS = timedelta(minutes=15), timedelta(minutes=5)

log = logging.getLogger(__name__)


@dataclass(frozen=True)
class Tried:
    """What is tried on top of what is planned: a break, a feed that stops, other settings; minutes from now."""

    break_in_min: float = 0.0
    break_min: float = 0.0
    feed: str = ""  # the unit whose feed stops
    feed_in_min: float = 0.0
    feed_min: float = 0.0
    case: LineCase = field(default_factory=LineCase)

    @property
    def nothing(self) -> bool:
        return self.break_min <= 0.0 and (not self.feed or self.feed_min <= 0.0) and not self.case.settings


BATCHES: list[Callable[[MillState], Mapping[str, float]]] = []  # minutes to the next batch of units, by those who keep them

_courses: OrderedDict[tuple, Course] = OrderedDict()  # the newest, by what makes them
_sures: OrderedDict[tuple, tuple[datetime, Sure]] = OrderedDict()
_lock, _one_at_a_time = Lock(), Lock()


def broke_unit(state: MillState) -> str:
    """The unit that broke comes to: of the source that takes no raw material; none of a mill without."""
    told = [s.unit for s in state.mill.sources.values() if s.raw_wet_t_t == 0.0 and not s.spare]
    return next((u for u in told if u in state.feed_rates), "")


def _edges(state: MillState, until: datetime) -> list[datetime]:
    """Times ahead at which the machine's rate or its order changes, now first."""
    told = {t for s in state.stops for t in (s.start, s.end) if state.now < t < until}
    if (run := state.next_run) is not None and state.now < run.start < until:
        told.add(run.start)
    return [state.now, *sorted(told)]


def _gives(state: MillState, at: datetime, layout: Layout) -> dict[str, float]:
    """Solids that each source's draw is asked for with the machine at its speed, t/h, by draw: as set, or by the next order."""
    gives = {s.draw: state.shares.get(k, 0.0) * state.draw.solids_t_h for k, s in state.mill.sources.items()}
    if (run := state.next_run) is not None and at >= run.start:
        gives |= {state.mill.sources[k].draw: t_h for k, t_h in run.t_h.items() if k in state.mill.sources}
    return {draw: t_h for draw, t_h in gives.items() if draw in layout.names}


def plan_of(state: MillState, layout: Layout, tried: Tried, hours: float) -> Plan:
    """What is planned and tried as events of the line, seconds from now."""
    until = state.now + timedelta(hours=hours)
    solved = state.rate or 1.0
    begin = state.now + timedelta(minutes=tried.break_in_min)
    end = begin + timedelta(minutes=tried.break_min)
    edges = _edges(state, until)
    if tried.break_min > 0.0:
        edges = sorted({*edges, *(t for t in (begin, end) if state.now < t < until)})
    supplied = {d.id: d.tank for d in layout.network.draws if layout.network.unit(d.tank).supply}
    events: list[Event] = []
    feeds: list[Brings] = []
    filler, chest, broke = state.mill.roles.filler, state.mill.roles.chest, broke_unit(state)
    for at in edges:
        broken = tried.break_min > 0.0 and begin <= at < end
        rate = 0.0 if broken else state.rate_at(at)
        seconds = (at - state.now).total_seconds()
        for draw, t_h in _gives(state, at, layout).items():
            flow = t_h * rate
            if draw in supplied:  # bought pulp is asked by its whole flow
                j = layout.stream(draw)
                was = state.shares.get(next(k for k, s in state.mill.sources.items() if s.draw == draw), 0.0)
                was_t_h = was * state.draw.solids_t_h * solved
                flow = float(layout.steady[j]) * flow / was_t_h if was_t_h > 0.0 else 0.0
            events.append(Event(at_s=seconds, number=len(events), stream=draw, what="wants", value=flow))
        if f"on.{chest}" in layout.names:  # a machine that stands takes nothing
            events.append(Event(at_s=seconds, number=len(events), stream=f"on.{chest}", what="runs", value=float(rate > 0.0)))
        if filler in layout.network.index and layout.network.unit(filler).feed.any():
            feeds.append(Brings(at_s=seconds, unit=filler, share=rate / solved))
        if tried.break_min > 0.0 and broke:
            own = state.feed_rates[broke]
            feeds.append(Brings(at_s=seconds, unit=broke, share=(own + (state.draw.web_t_h if broken else 0.0)) / own))
    if tried.feed in state.feed_rates and tried.feed_min > 0.0:
        feeds.append(Brings(at_s=60.0 * tried.feed_in_min, unit=tried.feed, share=0.0))
        feeds.append(Brings(at_s=60.0 * (tried.feed_in_min + tried.feed_min), unit=tried.feed, share=1.0))
    return Plan(events=tuple(events), feeds=tuple(feeds), settings=tried.case.settings)


def _key(state: MillState, tried: Tried, hours: float) -> tuple:
    """What a course hangs on."""
    levels = tuple((k, round(v.level_pct, 1)) for k, v in state.vessels.items())
    card = state.next_run.pk if state.next_run is not None else 0
    halts = tuple((s.start, s.end, s.rate_pct) for s in state.stops)
    settings = tuple((unit, tuple(sorted(values.items()))) for unit, values in sorted(tried.case.settings.items()))
    asked = (tried.break_in_min, tried.break_min, tried.feed, tried.feed_in_min, tried.feed_min, settings, hours)
    asked += tuple(sorted((unit, round(minutes)) for unit, minutes in next_batches(state).items()))
    minute = state.now.replace(second=0, microsecond=0)
    return (state.version_id, way_of(state.running), levels, minute, card, halts, asked)


def next_batches(state: MillState) -> dict[str, float]:
    """Minutes to the next batch of the units that somebody keeps batches of."""
    return {unit: minutes for told in BATCHES for unit, minutes in told(state).items()}


def _laid_out(state: MillState) -> tuple[Layout, tuple[str, ...]]:
    """The line from the levels of now, and what is watched."""
    levels = {k: round(v.level_pct, 1) for k, v in state.vessels.items()}
    layout = through_time(state.mill, state.line, levels, PACE_S, lived=True, next_min=next_batches(state))
    return layout, tuple(u for u in (state.mill.roles.chest,) if u in layout.network.index)


def course_of(state: MillState, tried: Tried, hours: float = HOURS) -> Course:
    """The hours ahead; the newest few are kept, so that looking again costs nothing. Raises: CoreError."""
    key = _key(state, tried, hours)
    with _lock:
        if key in _courses:
            _courses.move_to_end(key)
            return _courses[key]
    layout, watch = _laid_out(state)
    course = look_ahead(layout, plan_of(state, layout, tried, hours), hours, watch)
    with _lock:
        _courses[key] = course
        while len(_courses) > KEPT:
            _courses.popitem(last=False)
    return course


def machine_of(state: MillState, layout: Layout) -> Machine:
    """What of the line stops in a break, and where its web goes."""
    on, broke = f"on.{state.mill.roles.chest}", broke_unit(state)
    draws = tuple(s.draw for s in state.mill.sources.values() if s.draw in layout.names)
    web = state.draw.web_t_h if broke else 0.0
    return Machine(draws=draws, on=on if on in layout.names else "", broke=broke, web_t_h=web)


def chance_of(state: MillState, tried: Tried, hours: float = HOURS) -> Callable[[Callable[[int], None]], Sure]:
    """The same hours several times, each disturbed in its own way, as work that asks nothing more of the record: it is given
    whom to tell, and what it finds is kept for a while. One such work goes on at a time. Raises: CoreError."""
    layout, watch = _laid_out(state)
    plan, machine = plan_of(state, layout, tried, hours), machine_of(state, layout)
    key, now = _chance_key(state, tried, hours), state.now

    def work(heard: Callable[[int], None]) -> Sure:
        with _one_at_a_time:
            if (there := _sures.get(key)) is not None and there[0] >= now:  # pressed twice: the first press did it
                return there[1]
            found = sure(layout, plan, hours, watch, machine, heard, RUNS)
        with _lock:
            _sures[key] = (now, found)
            while len(_sures) > KEPT:
                _sures.popitem(last=False)
        return found

    return work


def _chance_key(state: MillState, tried: Tried, hours: float) -> tuple:
    version, way, _, _, card, halts, asked = _key(state, tried, hours)
    return (version, way, card, halts, asked)


def kept_chance(state: MillState, tried: Tried, hours: float = HOURS) -> tuple[datetime, Sure] | None:
    """What chance made of the same, where it was run in the last quarter of an hour: when, and what."""
    with _lock:
        told = _sures.get(_chance_key(state, tried, hours))
    return told if told is not None and timedelta() <= state.now - told[0] <= CHANCE_KEEPS else None


@dataclass(frozen=True)
class Mark:
    """Something that the hours ahead bring: when, and what."""

    at: datetime
    told: str


_soon: dict[tuple, tuple[datetime, Course]] = {}  # the newest course of a mill as it is run, whatever minute it was begun
_running = Lock()


def _soon_key(state: MillState) -> tuple:
    card = state.next_run.pk if state.next_run is not None else 0
    return (state.version_id, way_of(state.running), card, tuple((s.start, s.end, s.rate_pct) for s in state.stops))


def course_soon(state: MillState) -> Course | None:
    """The hours ahead as they were worked out in the last minutes; where they were not, None, and it is begun beside the page.

    Asks the record for all that it needs before it returns. Raises: CoreError.
    """
    key = _soon_key(state)
    told = _soon.get(key)
    fresh = told is not None and timedelta() <= state.now - told[0] < SOON_KEEPS
    if not fresh and settings.LOOK_AHEAD_BESIDE and _running.acquire(blocking=False):
        try:
            layout, watch = _laid_out(state)
            plan, now = plan_of(state, layout, Tried(), HOURS), state.now
        except BaseException:
            _running.release()
            raise
        Thread(target=_look_beside, args=(key, now, layout, plan, watch), daemon=True).start()
    return told[1] if told is not None and timedelta() <= state.now - told[0] < 2 * SOON_KEEPS else None


def _look_beside(key: tuple, now: datetime, layout: Layout, plan: Plan, watch: tuple[str, ...]) -> None:
    """Work a course out in a thread of its own, and keep it alone."""
    try:
        course = look_ahead(layout, plan, HOURS, watch)
        _soon.clear()
        _soon[key] = (now, course)
    except CoreError as failure:
        log.info("the hours ahead cannot be worked out: %s", failure)
    finally:
        _running.release()


@dataclass(frozen=True)
class Ahead:
    """A reading through the hours ahead: times, what it is then, and the band from 10 to 90 % (the same where none is told)."""

    at: tuple[datetime, ...]
    value: tuple[float, ...]
    low: tuple[float, ...]
    high: tuple[float, ...]


def _course_now(state: MillState) -> tuple[datetime, Course] | None:
    """The hours ahead as the mill stands and when they begin; None where they cannot be run, or are being worked out."""
    try:
        course = course_soon(state)
    except CoreError:
        return None
    return None if course is None else (_soon[_soon_key(state)][0], course)


def levels_ahead(state: MillState) -> dict[str, Ahead]:
    """The level of every vessel that the line has through the hours ahead, by key; nothing until they are worked out."""
    now = _course_now(state)
    if now is None:
        return {}
    told = ((key, _reading(state, *now, vessel=key)) for key in state.mill.vessels)
    return {key: found for key, found in told if found is not None and len(found.at) > 1}


def reading_ahead(state: MillState, *, vessel: str = "", row: str = "") -> Ahead | None:
    """A vessel's level, or a row of the plan at the machine's chest, through the hours ahead as the mill stands.

    None where the line does not tell it, cannot be run, or is being worked out beside the page.
    """
    now = _course_now(state)
    return None if now is None else _reading(state, *now, vessel=vessel, row=row)


def _reading(state: MillState, begun: datetime, course: Course, *, vessel: str = "", row: str = "") -> Ahead | None:
    told = _level_ahead(state, course, vessel) if vessel else _chest_ahead(state, course, row)
    if told is None:
        return None
    value, half = told
    on = [i for i, x in enumerate(value) if math.isfinite(x) and begun + timedelta(hours=float(course.hours[i])) >= state.now]
    least, most = (0.0, 100.0) if vessel else (-math.inf, math.inf)
    return Ahead(
        at=tuple(begun + timedelta(hours=float(course.hours[i])) for i in on),
        value=tuple(float(value[i]) for i in on),
        low=tuple(max(least, float(value[i] - half[i])) for i in on),
        high=tuple(min(most, float(value[i] + half[i])) for i in on),
    )


def _level_ahead(state: MillState, course: Course, key: str) -> tuple[Vector, Vector] | None:
    v = state.mill.vessels.get(key)
    if v is None:
        return None
    unit = key if key in course.units else v.unit
    return course.level_of(unit) if unit in course.units else None


def _chest_ahead(state: MillState, course: Course, key: str) -> tuple[Vector, Vector] | None:
    row = state.mill.plan.get(key)
    if row is None or row.unit not in course.watched:
        return None
    k = course.watched.index(row.unit)
    if row.test == "brightness":
        value = np.array([brightness_from_ks(x) if math.isfinite(x) else math.nan for x in course.ks457[:, k].tolist()])
    elif row.test in ("freeness", "consistency"):
        value = (course.csf_ml if row.test == "freeness" else course.cons_pct)[:, k]
    else:
        return None
    return value, np.zeros_like(value)


def marks_of(state: MillState, low: float, high: float, begun: datetime, course: Course) -> list[Mark]:
    """When vessels meet a limit, soonest first, counted from when the course was begun."""
    told = []
    for key, v in state.mill.vessels.items():
        unit = key if key in course.units else v.unit
        if (
            unit in course.units
            and key in state.vessels
            and (met := course.first(unit, low, high)) is not None
            and met[1] > 0.0
        ):
            told.append(Mark(begun + timedelta(hours=met[1]), f"{v.name} {met[0]}"))
    return sorted(told, key=lambda m: m.at)


def soon(state: MillState, low: float, high: float) -> list[Mark]:
    """The same of the mill as it stands; nothing while it is not worked out yet, or cannot be."""
    try:
        course = course_soon(state)
    except CoreError:
        return []
    return marks_of(state, low, high, _soon[_soon_key(state)][0], course) if course is not None else []
