"""Schedule, ahead: every vessel and the furnish at the machine through the next twelve hours, as planned and as tried."""

from dataclasses import dataclass
from datetime import datetime, timedelta
from urllib.parse import urlencode

from django.http import JsonResponse, StreamingHttpResponse
from django.shortcuts import redirect, render
from django.template.loader import render_to_string
from django.urls import reverse
from django.utils.html import escape
from django.views.decorators.http import require_POST, require_safe

from core.errors import CoreError
from core.stock.cover import USABLE_HIGH_PCT, USABLE_LOW_PCT
from core.through.ahead import Course, Sure
from desk.kit.bench import Well, read_wells, render_bench
from desk.kit.long_work import told_while
from desk.mill.ahead import HOURS, RUNS, Tried, broke_unit, chance_of, course_of, kept_chance, next_batches
from desk.mill.context import state_of
from desk.mill.line_case import read_case
from desk.mill.ribbon import STATIONS, draw_small
from desk.schedule.ahead_drawings import ahead_picture

WELLS = (
    Well("break_in", "A break begins in", "min", 30, 0, 720),
    Well("break", "and lasts", "min", 0, 0, 600),
    Well("feed_in", "A feed stops in", "min", 0, 0, 720),
    Well("feed_for", "and for", "min", 0, 0, 720),
)
MOST_SHORT, MOST_TRIPS = 4, 5


@dataclass(frozen=True)
class Meets:
    """A vessel that meets a limit: which, when, and when it would without what is tried."""

    name: str
    key: str
    way: str
    at: datetime
    hours: float
    instead: str


def vessels_of(state, course: Course) -> list[tuple[str, str, str]]:
    """The mill's vessels that the course knows: key, name, unit of the line they stand before."""
    told = []
    for v in state.mill.vessels.values():
        unit = v.key if v.key in course.units else v.unit
        if unit in course.units and unit not in [u for *_, u in told] and v.key in state.vessels:
            told.append((v.key, v.name, unit))
    return told


def _meets(state, course: Course, beside: Course | None) -> list[Meets]:
    """Vessels that meet a limit they do not stand at now, soonest first; with something tried, also those that no longer do."""
    rows = []
    for key, name, unit in vessels_of(state, course):
        met = course.first(unit, USABLE_LOW_PCT, USABLE_HIGH_PCT)
        was = beside.first(unit, USABLE_LOW_PCT, USABLE_HIGH_PCT) if beside is not None else None
        if met is None:
            if was is not None:
                rows.append(Meets(name, key, "", state.now + timedelta(hours=HOURS), HOURS + was[1], f"{was[0]} without it"))
            continue
        instead = ""
        if beside is not None and (was is None or was[0] != met[0] or abs(was[1] - met[1]) > 0.05):
            instead = "not within 12 h without it" if was is None else f"{was[0]} {_clock(state, was[1])} without it"
        rows.append(Meets(name, key, met[0], state.now + timedelta(hours=met[1]), met[1], instead))
    return sorted(rows, key=lambda m: m.hours)


def _clock(state, hours: float) -> str:
    return f"{state.now + timedelta(hours=hours):%H:%M}"


def _short(state, course: Course) -> list[tuple[str, float]]:
    """Sources that could not give the furnish what it asked, hours of the twelve, longest first."""
    by_draw = {s.draw: s.name for s in state.mill.sources.values()}
    told = [(by_draw[name], hours) for name, hours in course.short_h.items() if name in by_draw and hours >= 1.0 / 60.0]
    return sorted(told, key=lambda pair: -pair[1])[:MOST_SHORT]


@dataclass(frozen=True)
class Batches:
    """A unit that is blown or dumped: when next, how far apart, whether somebody keeps its batches, the tank behind it, %."""

    name: str
    next_at: datetime
    every_h: float
    kept: bool
    low_pct: float
    high_pct: float


def _batches(state, course: Course) -> list[Batches]:
    titles, kept = {u.id: u.title for u in state.mill.units}, next_batches(state)
    return [
        Batches(
            name=titles.get(b.unit) or b.unit,
            next_at=state.now + timedelta(minutes=b.first_min),
            every_h=b.every_min / 60.0,
            kept=b.unit in kept,
            low_pct=float(course.tank_pct[:, k].min()),
            high_pct=float(course.tank_pct[:, k].max()),
        )
        for k, b in enumerate(course.batched)
    ]


@dataclass(frozen=True)
class Tripped:
    """A modelled interlock: when it trips first, how often, and for how long in all."""

    name: str
    at: datetime
    times: int
    hours: float


def _tripped(state, course: Course) -> list[Tripped]:
    """Interlocks that trip in the hours ahead, soonest first."""
    told: dict[str, list[float]] = {}
    for trip in course.trips:
        told.setdefault(trip.lock.name, []).append(trip.at_s / 3600.0)  # tripped, reset, tripped, …
    rows = []
    for name, hours in told.items():
        ends = [*hours, HOURS] if len(hours) % 2 else hours
        lasts = sum(end - begin for begin, end in zip(ends[::2], ends[1::2], strict=True))
        rows.append(Tripped(name, state.now + timedelta(hours=hours[0]), (len(hours) + 1) // 2, lasts))
    return sorted(rows, key=lambda row: row.at)[:MOST_TRIPS]


def _by_chance(state, course: Course, sure: Sure) -> list[tuple[str, str, int]]:
    """Vessels that chance brings to a limit in some of its runs, most often first: key, name, in how many."""
    told = [(k, name, sure.meet(unit, USABLE_LOW_PCT, USABLE_HIGH_PCT)) for k, name, unit in vessels_of(state, course)]
    return sorted(((k, name, count) for k, name, count in told if count), key=lambda row: -row[2])


def _tried(v: dict[str, float], feed: str, case) -> Tried:
    return Tried(
        break_in_min=v["break_in"],
        break_min=v["break"],
        feed=feed,
        feed_in_min=v["feed_in"],
        feed_min=v["feed_for"],
        case=case,
    )


@require_safe
def ahead(request):
    """Levels and the furnish twelve hours ahead; what is tried beside what comes of itself."""
    state = state_of(request)
    if state is None:
        return render(request, "no_mill.html")
    wells, v = read_wells(request.GET, WELLS)
    feeds = [(u.id, u.title or u.id) for u in state.mill.units if u.id in state.feed_rates and u.id in state.mill.feed_plans]
    feed = request.GET.get("feed", "")
    feed = feed if feed in dict(feeds) else ""
    case, problems = read_case(request.GET, state)
    context = {
        "station": "",
        "stations": STATIONS,
        "small": draw_small(state),
        "wells": wells,
        "feeds": feeds,
        "feed": feed,
        "case": case,
        "broke": broke_unit(state),
        "hours": HOURS,
        "asked": [(k, x) for k, x in request.GET.items()],
    }
    context["errors"] = [w["error"] for w in wells if w["error"]] + [f"{name} {text}" for name, text in problems.items()]
    if not context["errors"]:
        tried = _tried(v, feed, case)
        try:
            plain = course_of(state, Tried())
            course = plain if tried.nothing else course_of(state, tried)
        except CoreError as failure:
            context["errors"] = [str(failure)]
            return render_bench(request, "schedule/ahead", context)
        beside = None if tried.nothing else plain
        chance = kept_chance(state, tried)
        titles = {u.id: u.title for u in state.mill.units}
        context |= {
            "p": ahead_picture(state, course, beside, vessels_of(state, course), chance[1] if chance else None),
            "tried": not tried.nothing,
            "meets": _meets(state, course, beside),
            "chance_at": chance[0] if chance else None,
            "runs": chance[1].runs if chance else RUNS,
            "by_chance": _by_chance(state, course, chance[1]) if chance else [],
            "short": _short(state, course),
            "batches": _batches(state, course),
            "tripped": _tripped(state, course),
            "was_short": _short(state, beside) if beside is not None else [],
            "refused": [titles.get(unit, unit) for unit in course.refused],
        }
    return render_bench(request, "schedule/ahead", context)


@require_POST
def by_chance(request):
    """The same hours several times, told as they are run; then the page with what chance makes of them. Nothing is recorded."""
    state = state_of(request)
    if state is None:
        return render(request, "no_mill.html")
    asked = {k: x for k, x in request.POST.items() if k not in ("csrfmiddlewaretoken", "once")}
    back = f"{reverse('schedule:ahead')}?{urlencode(asked)}"
    wells, v = read_wells(asked, WELLS)
    case, problems = read_case(asked, state)
    if problems or any(w["error"] for w in wells):
        return redirect(back)
    try:
        work = chance_of(state, _tried(v, asked.get("feed", ""), case))
    except CoreError:
        return redirect(back)  # which says why
    told = StreamingHttpResponse(_running(request, work, back))
    told["Content-Encoding"] = "identity"  # line by line, not held back to be packed
    return told


def _running(request, work, back: str):
    """The page of the runs while they go on, line by line: the runs in a thread of their own."""
    start, end = render_to_string("schedule/by_chance.html", {"runs": RUNS}, request).split("<!--told-->")
    yield start
    end_is, found = "", None
    for end_is, found in told_while(work):
        if end_is == "told":
            yield f"<p>{found} of {RUNS}</p>\n"
    link = f'<a class="lk" href="{escape(back)}">Back</a>'
    if end_is == "failed":
        yield f'<p class="msg">It failed: {escape(found)}. {link}</p>'
    else:
        yield f'<p>Done. {link}</p><meta http-equiv="refresh" content="0;url={escape(back)}">'
    yield end


@require_safe
def as_json(request):
    """The same course as figures, a row every five minutes."""
    state = state_of(request)
    if state is None:
        return JsonResponse({"error": "no mill is set up"}, status=404)
    wells, v = read_wells(request.GET, WELLS)
    case, problems = read_case(request.GET, state)
    bad = {w["name"]: w["error"] for w in wells if w["error"]} | problems
    if bad:
        return JsonResponse({"error": bad}, status=400)
    try:
        course = course_of(state, _tried(v, request.GET.get("feed", ""), case))
    except CoreError as failure:
        return JsonResponse({"error": str(failure)}, status=400)
    told = {
        "from": state.now.isoformat(),
        "hours": course.hours.round(4).tolist(),
        "vessels": {
            key: {
                "name": name,
                "level_pct": course.level_of(unit)[0].round(2).tolist(),
                "band_pct": course.level_of(unit)[1].round(2).tolist(),
            }
            for key, name, unit in vessels_of(state, course)
        },
        "short_h": {name: round(hours, 3) for name, hours in course.short_h.items()},
        "batches": [
            {
                "unit": b.unit,
                "next_min": round(b.first_min, 1),
                "every_min": round(b.every_min, 1),
                "tank_pct": course.tank_pct[:, k].round(2).tolist(),
            }
            for k, b in enumerate(course.batched)
        ],
        "interlocks": [{"name": t.lock.name, "at_h": round(t.at_s / 3600.0, 4), "tripped": t.tripped} for t in course.trips],
    }
    return JsonResponse(told)
