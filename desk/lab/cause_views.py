"""What changed before this: a drifting reading, everything it met on the way, and each one's share of the drift."""

from datetime import UTC, datetime

from django.contrib import messages
from django.http import JsonResponse
from django.shortcuts import redirect
from django.urls import reverse
from django.views.decorators.http import require_POST, require_safe

from core.lab.methods import TESTS
from desk.kit.bench import render_bench
from desk.kit.templatetags.vat import dayclock, figure, midline
from desk.kit.text import plain, whole
from desk.lab import causes
from desk.lab.board import Board
from desk.lab.cause_drawings import cause_picture
from desk.lab.views import row_of
from desk.log.actions import write
from desk.log.models import Kind
from desk.mill.ribbon import STATIONS, draw_small
from desk.people.rights import may

CHOICES = (1, 3, 6, 12)


def _told(request, state, row) -> causes.Told:
    """The reading as it is asked for: up to a time, of so many newest results."""
    given = request.GET if request.method == "GET" else request.POST
    at, now = whole(given.get("at", "")), whole(given.get("n", ""))
    upto = datetime.fromtimestamp(at / 1000.0, UTC) if at is not None and 0 <= at < 10**14 else state.now
    return causes.told_of(state, row, min(upto, state.now), now if now is not None and 1 <= now <= causes.MOST_NOW else None)


@require_safe
def cause(request, row_id: str):
    """A row's drift and what changed before it."""
    state, row = row_of(request, row_id)
    told = _told(request, state, row)
    if request.GET.get("json") == "1":
        return JsonResponse(as_json(told))
    by_clock = request.GET.get("by") == "clock"
    board = Board(state)
    r = board.by_id[row_id]
    band = state.mill.band(row, state.grade)
    asked = {k: v for k, v in (("at", request.GET.get("at", "")), ("n", request.GET.get("n", ""))) if whole(v) is not None}
    context = {
        "station": row.station,
        "stations": STATIONS,
        "small": draw_small(state),
        "row": row,
        "r": r,
        "title": f"{row.place}, {midline(r.test.name)}",
        "told": told,
        "p": cause_picture(told, band, by_clock) if told.points else None,
        "by_clock": by_clock,
        "headline": causes.headline(told),
        "lines": causes.lines(told),
        "settles": causes.settles(told) if told.drift is not None and told.drift.seen else None,
        "shown": causes.SHOWN,
        "keep": "&".join(f"{k}={v}" for k, v in asked.items()),
        "choices": [(n, f"n={n}" + (f"&at={asked['at']}" if "at" in asked else "")) for n in CHOICES],
        "next": [d for d in board.drifting if d.row.id != row_id][:3],
        "move": r.move if r.move is not None and r.decision is None else None,
        "answered": causes.answered(told),
        "places": TESTS[row.test].decimals + 1,
    }
    return render_bench(request, "lab/cause", context)


def as_json(told: causes.Told) -> dict:
    """The drift and its shares, to take away."""
    drift = told.drift
    return {
        "format": "fox-vat cause 1",
        "row": told.row.id,
        "results": [{"at": p.at.isoformat(), "value": p.value} for p in told.points],
        "drift": None if drift is None else {"d": drift.d, "sd": drift.sd, "now": drift.now, "before": drift.before},
        "shares": [
            {
                "cause": s.thing.key,
                "title": s.thing.title,
                "delay_h": s.thing.way.delay_h,
                "mixed_h": s.thing.way.tau_h,
                "moved": s.met.moved,
                "moved_sd": s.met.sd,
                "gain": s.gain,
                "part": s.part,
                "sd": s.sd,
                "is": s.seen,
            }
            for s in told.shares
        ],
        "rest": told.rest if told.worked else None,
        "trouble": told.trouble,
    }


@require_POST
@may("note")
def keep(request, row_id: str):
    """What the page found, written to the log as a note about the reading."""
    state, row = row_of(request, row_id)
    told = _told(request, state, row)
    back = reverse("lab:cause", args=[row_id])
    if told.drift is None or told.worked is None:
        messages.error(request, "There is nothing to write: no cause is told.")
        return redirect(back)
    places = TESTS[row.test].decimals + 1
    parts = [
        f"{s.thing.title} {figure(s.part, places)} (± {figure(s.half, places)}, {s.seen})"
        for s in told.shares
        if s.seen in ("likely", "possible")
    ]
    rest = f"unexplained {figure(told.rest, places)}"
    words = plain(request.POST.get("words", ""))[:300]
    kept = write(
        kind=Kind.REMARK,
        subject=row.id,
        by=request.user,
        now=state.now,
        says=f"What changed before {row.place} {dayclock(told.points[-1].at)}: {'; '.join([*parts[:4], rest])}"[:380],
        words=words,
        data={"cause": as_json(told)},
    )
    messages.success(request, f"Written to the log: {kept.says}")
    return redirect(back)
