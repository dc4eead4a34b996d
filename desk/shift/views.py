"""Shift: the whole line at a glance, what is due, what drifts, what runs out, and what was handed over."""

from datetime import datetime, timedelta

from django.contrib import messages
from django.http import Http404, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.template.loader import render_to_string
from django.views.decorators.http import require_GET, require_http_methods, require_POST, require_safe

from core.judge.due import DueState
from desk.cook.running import running_cooks
from desk.deliver.actions import running_lot
from desk.kit.bench import typed_number
from desk.kit.ways import own_path
from desk.lab.board import Board
from desk.log import moves
from desk.log.models import Kind, Record
from desk.log.moves import UNDO_S, DecisionRefused, decide, may_undo, share_slip
from desk.log.tail import hold, tail
from desk.mill.context import state_of
from desk.mill.drawings import cover_rows, tank_rows
from desk.mill.effects import effects
from desk.mill.planned_sets import sets_due
from desk.mill.ribbon import STATIONS, draw_ribbon
from desk.mill.shifts import shift_of
from desk.people.rights import may, refuse
from desk.shift import kept_board
from desk.shift.drawings import FLOOR_PX, floor, shift_rule
from desk.shift.drift import everything, hidden_words, in_force, rows_that_drift, standing_known, vessels_that_drift

ORDERED_IN = timedelta(hours=12)  # a tank stands in Cover when its next load is to be ordered so soon
HELD_BACK = timedelta(days=8)  # a lot that is held longer is no longer counted on Shift
DUE_SHOWN, SETS_SHOWN, DRIFT_SHOWN, COVER_SHOWN = 6, 2, 3, 7

hold(Kind.REMARK, Kind.HANDOVER, Kind.HANDOVER_READ, back=timedelta(days=2))
hold(Kind.DISPOSITION, back=HELD_BACK + timedelta(days=1))


def shift_context(request, state) -> dict:
    """All that Shift shows, at one time."""
    board = Board(state)
    now, sets = state.now, sets_due(state)
    shift = shift_of(now, state.mill)
    drifts = [*vessels_that_drift(state, board), *rows_that_drift(board), *standing_known(state, board)]
    gauges = _gauges(state, board)
    taken = in_force(now, board)
    room = max(1, DRIFT_SHOWN - len(taken[:1]))
    counts = board.counts()
    counts["contain"] += sum(d.vessel is not None for d in drifts)
    lot = running_lot(state)
    handed = tail().newest(Kind.HANDOVER, until=now)
    notes, held = _notes_and_held(state, shift.start)
    running = running_cooks(now)
    cover = [*cover_rows(state), *(t for t in tank_rows(state) if t["order_by"] - now <= ORDERED_IN)]
    cover.sort(key=lambda c: c["hours"])
    late = [r for r in board.due_rows if r.due.state in (DueState.LATE, DueState.MISSED)]
    return {
        "board": board,
        "chest_rows": {test: f"{state.mill.roles.point}.{test}" for test in ("freeness", "consistency")},
        "shift": shift,
        "left_h": (shift.end - now).total_seconds() / 3600.0,
        "rule": shift_rule(shift, now, state, board, running=running),
        "rule_floor": shift_rule(shift, now, state, board, FLOOR_PX, running=running),
        "ribbon": draw_ribbon(state),
        "stations": STATIONS,
        "gauges": gauges,
        "floor": floor(state, gauges),
        "sets": sets[:SETS_SHOWN],
        "due": board.due_rows[: DUE_SHOWN - len(sets[:SETS_SHOWN])],
        "due_total": len(board.rows),
        "late_total": len(late),
        "soon_total": board.soon,
        "taken": taken[:1],
        "drift": drifts[:room],
        "drift_total": len(drifts),
        "drift_hidden": hidden_words(drifts, room),
        "counts": counts,
        "cover": cover[:COVER_SHOWN],
        "cover_total": len(cover),
        "lot": lot,
        "lot_end": lot.to_end if lot else None,
        "lot_share": lot_progress(lot, state) if lot else 0.0,
        "stop": state.stops[0] if state.stops else None,
        "notes_total": notes,
        "held_total": held,
        "handed": handed,
        "handed_read": handed and any(r.about_id == handed.pk for r in tail().told(Kind.HANDOVER_READ, since=handed.at)),
        "may_move": request.user.may("move"),
    }


def lot_progress(lot, state) -> float:
    """How far the running lot is through its time: 0 to 1."""
    end, _ = lot.to_end
    return min(1.0, max(0.0, (state.now - lot.start) / (end - lot.start)))


def _notes_and_held(state, begun: datetime) -> tuple[int, int]:
    """How many notes the shift has, and how many lots are held."""
    held = tail()
    notes = held.told(Kind.REMARK, since=begun, until=state.now)
    newest = {r.subject: r.data.get("action") for r in held.told(Kind.DISPOSITION, since=state.now - HELD_BACK)}
    return len(notes), sum(action == "hold" for action in newest.values())


def _gauges(state, board) -> list[dict]:
    result = []
    for i, lane in enumerate(state.mill.lanes):
        for g in lane.gauges:
            row = board.by_id.get(g.row)
            if row:
                lead, _, rest = g.lead.partition(" ")
                source = state.mill.sources.get(lane.key)
                vessel = state.vessels.get(source.vessel) if source else None
                crowded = g.station == "stock" and vessel is not None and vessel.stops_the_line
                result.append(
                    {
                        "gauge": row.roomy and not crowded,
                        "lane": i,
                        "station": g.station,
                        "lead": lead,
                        "rest": rest,
                        "label": g.label,
                        "row": row,
                    }
                )
    return result


def _no_mill(request):
    return render(request, "no_mill.html", status=200)


def _page(request, state) -> dict:
    """The board, kept while nothing has changed, and the stamp by which the page asks for it again."""

    def made() -> tuple[str, bool]:
        context = shift_context(request, state)
        return render_to_string("shift/_board.html", context, request), not context["taken"]

    return {"board": kept_board.board(request, state, made), "newest_id": _newest_id()}


def _newest_id() -> int:
    return tail().last[0]


@require_GET
def home(request):
    state = state_of(request)
    if state is None:
        return _no_mill(request)
    return render(request, "shift/home.html", _page(request, state))


@require_GET
def live(request):
    """The page's live part. 204 while nothing has changed in the record and the minute is the same."""
    state = state_of(request)
    if state is None:
        raise Http404
    stamp = f"{_newest_id()}-{state.now:%H%M}"
    if request.GET.get("stamp") == stamp:
        return HttpResponse(status=204)
    return render(request, "shift/_live.html", _page(request, state))


def _size(request) -> float | None:
    try:
        return typed_number(request.POST.get("size", ""))
    except ValueError:
        return None


def _typed(request) -> dict:
    """A decision as it was sent."""
    return {
        "choice": request.POST.get("choice", ""),
        "size": _size(request),
        "reason": request.POST.get("reason", ""),
        "gate": request.POST.get("gate") == "yes",
    }


def _slip_page(request, slip: dict, state, *, status: int = 200, problem: str = "", field: str = "", **more):
    """A slip on its own page, or (asked for by a slip's key) its confirmation alone."""
    asked = request.GET.get("ask", "")
    size = request.GET.get("size") or request.POST.get("size")
    try:
        after = typed_number(size) if size else None
    except ValueError:
        after = None
    inside = after is not None and slip["low"] <= after <= slip["high"]
    context = {
        "slip": slip,
        "asked": asked if asked in ("take", "alter") else "",
        "after": after if inside else slip["after"],
        "effects": effects(slip, state, after if inside else None),
        "problem": problem,
        "problem_field": field,
        "typed": request.POST or request.GET,
        "may_move": request.user.may("move"),
        "until": state.now + timedelta(seconds=UNDO_S),
        "where": request.path,
        "back": own_path(request, request.GET.get("back", ""), "/"),
        **more,
    }
    partial = request.method == "GET" and request.htmx and context["asked"]
    return render(request, "parts/slip_confirm.html" if partial else "move_page.html", context, status=status)


def _kept(request, kept: Record):
    rest = "Kept in the log." if kept.data["choice"] == "refuse" else "You set it at the plant; the desk keeps the record."
    messages.success(request, f"{kept.says}. {rest}")
    return redirect(own_path(request, request.POST.get("next", ""), "/"))


@require_http_methods(["GET", "HEAD", "POST"])
def decide_move(request, pk: int):
    """One slip on its own page, open to everyone who may see it (GET), and its decision (POST)."""
    state = state_of(request)
    move = get_object_or_404(Record, pk=pk, kind=Kind.MOVE)
    if state is None:
        raise Http404
    if request.method == "POST":
        refuse(request.user, "move")
        try:
            return _kept(request, decide(move=move, by=request.user, now=state.now, state=state, **_typed(request)))
        except DecisionRefused as refusal:
            more = {"move": move, "about": move.about, "problem": str(refusal), "field": refusal.field}
            return _slip_page(request, move.data, state, status=422, **more)
    decision = Record.objects.current().filter(kind=Kind.DECISION, about=move).first()
    withdrawn = Record.objects.filter(corrects=move).first()
    left = may_undo(decision, state.now) if decision else 0.0
    more = {"move": move, "decision": decision, "withdrawn": withdrawn, "about": move.about, "undo_s": left}
    return _slip_page(request, move.data, state, **more)


@require_http_methods(["GET", "HEAD", "POST"])
def decide_cover(request, vessel: str):
    """The same for a share move, which is worked out anew from the levels when it is decided."""
    state = state_of(request)
    now_vessel = state.vessels.get(vessel) if state else None
    slip = share_slip(state, now_vessel) if now_vessel else None
    if request.method == "POST":
        refuse(request.user, "move")
    if slip is None:
        if request.method == "POST":
            messages.error(request, "Not taken: the levels ask for no such move any more.")
            return redirect("shift:home")
        raise Http404
    if request.method == "POST":
        try:
            kept = moves.decide_cover(slip_=slip, by=request.user, now=state.now, state=state, **_typed(request))
            return _kept(request, kept)
        except DecisionRefused as refusal:
            more = {"vessel": now_vessel, "problem": str(refusal), "field": refusal.field}
            return _slip_page(request, slip, state, status=422, **more)
    return _slip_page(request, slip, state, vessel=now_vessel)


@require_POST
@may("move")
def undo_move(request, pk: int):
    """Take a decision back while its minute lasts: a later record, nothing is erased."""
    decision = get_object_or_404(Record, pk=pk, kind=Kind.DECISION)
    try:
        kept = moves.undo(decided=decision, by=request.user, now=request.now)
        messages.success(request, f"{kept.says}. Set it back at the plant too.")
    except DecisionRefused as refusal:
        messages.error(request, f"Not undone. {refusal}")
    return redirect(own_path(request, request.POST.get("next", ""), "/"))


@require_safe
def drift(request):
    """Every standing move in one list, worst first: what it is, what else moves, how it came."""
    state = state_of(request)
    if state is None:
        return _no_mill(request)
    board = Board(state)
    result = everything(state, board)
    counts = board.counts()
    show = request.GET.get("show", "open")
    day = Record.objects.filter(kind=Kind.DECISION, at__gte=shift_of(state.now, state.mill).start - timedelta(hours=12))
    decided = list(
        day.filter(at__lte=state.now).select_related("about").prefetch_related("corrected_by").order_by("-at", "-id")
    )
    taken = [d for d in decided if d.data["choice"] != "refuse"]
    refused_ones = [d for d in decided if d.data["choice"] == "refuse"]
    context = {
        "drifts": result if show == "open" else [],
        "past": taken if show == "taken" else refused_ones if show == "refused" else [],
        "show": show,
        "tabs": (("open", "open", len(result)), ("taken", "taken", len(taken)), ("refused", "refused", len(refused_ones))),
        "taken": in_force(state.now, board),
        "counts": counts,
        "contain": counts["contain"] + sum(d.vessel is not None for d in result),
        "may_move": request.user.may("move"),
    }
    return render(request, "shift/drift.html", context)
