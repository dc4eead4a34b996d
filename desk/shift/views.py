"""Shift: the whole line at a glance, what is due, what drifts, what runs out, and what was handed over."""

from datetime import timedelta

from django.contrib import messages
from django.http import Http404, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.http import require_GET, require_http_methods

from core.judge.due import DueState
from desk.deliver.actions import running_lot
from desk.kit.bench import typed_number
from desk.kit.ways import own_path
from desk.lab.board import Board
from desk.log.actions import write
from desk.log.models import Kind, Record
from desk.log.moves import DecisionRefused, decide, share_slip
from desk.mill.context import state_of
from desk.mill.drawings import cover_rows
from desk.mill.ribbon import STATIONS, draw_ribbon
from desk.mill.shifts import shift_of
from desk.people.rights import may
from desk.shift.drawings import shift_rule

DUE_SHOWN, DRIFT_SHOWN, COVER_SHOWN = 6, 3, 7


def shift_context(request, state) -> dict:
    """All that Shift shows, at one time."""
    board = Board(state)
    now = state.now
    shift = shift_of(now, state.mill)
    drift = [{"vessel": v, "slip": share_slip(state, v)} for v in state.vessels.values() if v.stops_the_line]
    for d in drift:
        d["decision"] = _cover_decision(d["vessel"].vessel.key, now)
    drift = [d for d in drift if not (d["decision"] and d["decision"].data["choice"] != "refuse")]
    rows = board.drifting
    counts = board.counts()
    counts["contain"] += len(drift)
    lot = running_lot(state)
    notes = Record.objects.current().filter(kind=Kind.REMARK, at__gte=shift.start, at__lte=now)
    handed = Record.objects.current().filter(kind=Kind.HANDOVER, at__lte=now).order_by("-at", "-id").first()
    late = [r for r in board.due_rows if r.due.state in (DueState.LATE, DueState.MISSED)]
    return {
        "board": board,
        "shift": shift,
        "left_h": (shift.end - now).total_seconds() / 3600.0,
        "rule": shift_rule(shift, now, state, board),
        "ribbon": draw_ribbon(state),
        "stations": STATIONS,
        "gauges": _gauges(state, board),
        "due": board.due_rows[:DUE_SHOWN],
        "due_total": len(board.rows),
        "late_total": len(late),
        "soon_total": board.soon,
        "contain_vessels": drift[:DRIFT_SHOWN],
        "drift": rows[: max(0, DRIFT_SHOWN - len(drift))],
        "drift_total": len(rows) + len(drift),
        "counts": counts,
        "cover": cover_rows(state)[:COVER_SHOWN],
        "cover_total": len(state.vessels),
        "lot": lot,
        "lot_share": lot_progress(lot, state) if lot else 0.0,
        "stop": state.stops[0] if state.stops else None,
        "notes_total": notes.count(),
        "held_total": _held_total(state),
        "handed": handed,
        "handed_read": handed and Record.objects.filter(kind=Kind.HANDOVER_READ, about=handed).exists(),
        "newest_id": Record.objects.order_by("-id").values_list("pk", flat=True).first() or 0,
    }


def lot_progress(lot, state) -> float:
    """How far the running lot is through its planned four hours, or to the next stop: 0 to 1."""
    end = lot.start + timedelta(hours=4)
    if state.stops and lot.start < state.stops[0].start < end:
        end = state.stops[0].start
    return min(1.0, max(0.0, (state.now - lot.start) / (end - lot.start)))


def _held_total(state) -> int:
    newest: dict[str, str] = {}
    since = state.now - timedelta(days=8)
    for r in Record.objects.current().filter(kind=Kind.DISPOSITION, at__gte=since).order_by("at", "id"):
        newest[r.subject] = r.data["action"]
    return sum(a == "hold" for a in newest.values())


def _cover_decision(vessel: str, now):
    since = now - timedelta(hours=2)
    return Record.objects.current().filter(kind=Kind.DECISION, subject=f"cover.{vessel}", at__gte=since).order_by("-at").first()


def _gauges(state, board) -> list[dict]:
    found = []
    for i, lane in enumerate(state.mill.lanes):
        for g in lane["gauges"]:
            row = board.by_id.get(g["row"])
            if row:
                lead, _, rest = g.get("lead", "").partition(" ")
                source = state.mill.sources.get(lane["key"])
                vessel = state.vessels.get(source.vessel) if source else None
                crowded = g["station"] == "stock" and vessel is not None and vessel.stops_the_line
                found.append(
                    {
                        "gauge": row.roomy and not crowded,
                        "lane": i,
                        "station": g["station"],
                        "lead": lead,
                        "rest": rest,
                        "label": g["label"],
                        "row": row,
                    }
                )
    return found


def _no_mill(request):
    return render(request, "no_mill.html", status=200)


@require_GET
def home(request):
    state = state_of(request)
    if state is None:
        return _no_mill(request)
    return render(request, "shift/home.html", shift_context(request, state))


@require_GET
def live(request):
    """The page's live part. 204 while nothing has changed in the record and the minute is the same."""
    state = state_of(request)
    if state is None:
        raise Http404
    newest = Record.objects.order_by("-id").values_list("pk", flat=True).first() or 0
    stamp = f"{newest}-{state.now:%H%M}"
    if request.GET.get("stamp") == stamp:
        return HttpResponse(status=204)
    return render(request, "shift/_live.html", shift_context(request, state))


def _size(request) -> float | None:
    try:
        return typed_number(request.POST.get("size", ""))
    except ValueError:
        return None


def _decided(request, move, state):
    """Keep the decision, or give the slip again with what was wrong; nothing typed is lost."""
    choice = request.POST.get("choice", "")
    try:
        kept = decide(
            move=move,
            choice=choice,
            by=request.user,
            now=state.now,
            state=state,
            size=_size(request),
            reason=request.POST.get("reason", ""),
            gate=request.POST.get("gate") == "yes",
        )
    except DecisionRefused as refusal:
        context = {
            "slip": move.data,
            "move": move,
            "problem": str(refusal),
            "problem_field": refusal.field,
            "typed": request.POST,
            "about": move.about,
        }
        return render(request, "move_page.html", context, status=422)
    messages.success(
        request,
        f"{kept.says}. {'Kept in the log.' if choice == 'refuse' else 'You set it at the plant; the desk keeps the record.'}",
    )
    return redirect(own_path(request, request.POST.get("next", ""), "/"))


@require_http_methods(["GET", "POST"])
@may("move")
def decide_move(request, pk: int):
    """One slip on its own page (GET), and its decision (POST)."""
    state = state_of(request)
    move = get_object_or_404(Record.objects.current(), pk=pk, kind=Kind.MOVE)
    if request.method == "POST":
        return _decided(request, move, state)
    decision = Record.objects.current().filter(kind=Kind.DECISION, about=move).first()
    return render(
        request,
        "move_page.html",
        {"slip": move.data, "move": move, "decision": decision, "typed": request.GET, "about": move.about},
    )


@require_http_methods(["GET", "POST"])
@may("move")
def decide_cover(request, vessel: str):
    """The same for a share move, which is worked out anew from the levels when it is decided."""
    state = state_of(request)
    now_vessel = state.vessels.get(vessel)
    slip = share_slip(state, now_vessel) if now_vessel else None
    if slip is None:
        raise Http404
    if request.method == "POST":
        move = write(kind=Kind.MOVE, subject=f"cover.{vessel}", by=None, now=state.now, says=slip["title"], data=slip)
        return _decided(request, move, state)
    return render(request, "move_page.html", {"slip": slip, "vessel": now_vessel, "typed": request.GET})
