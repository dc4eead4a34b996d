"""Moves: the table of a station's rows, and one row with its wells, its size and what became of it."""

import math

from django.contrib import messages
from django.http import Http404
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.views.decorators.http import require_http_methods, require_safe

from core.errors import ImpossibleInput, Problem
from core.practice.table import ROWS
from core.quantity import quantities
from core.register import find
from desk.cases.benches import sweep
from desk.kit.bench import BenchForm, cautions_of, render_bench, result_rows, typed_number
from desk.kit.station import move_groups
from desk.kit.text import whole
from desk.lab import causes
from desk.log.models import Kind, Record
from desk.log.practice import newest_results, opening, slip_of
from desk.mill.context import state_of
from desk.mill.ribbon import STATIONS, draw_small
from desk.moves import actions
from desk.moves.board import group_of, group_with, lines, station_of
from desk.moves.learnt import tallies
from desk.people.rights import refuse

_forms: dict[str, type[BenchForm]] = {}


def form_class(name: str) -> type[BenchForm]:
    return _forms.setdefault(name, BenchForm.of(find(name)))


@require_safe
def table(request):
    """Every row of the practice table in this mill: what stands, its size, what was decided."""
    state = state_of(request)
    if state is None:
        return render(request, "no_mill.html")
    group = group_of(request.GET.get("group", "cook"))
    result = lines(state, group)
    context = {
        "station": group.station,
        "stations": STATIONS,
        "small": draw_small(state),
        "groups": move_groups(),
        "group": group,
        "lines": result,
        "standing": sum(x.state == "stands" for x in result),
        "open_moves": Record.objects.current()
        .filter(kind=Kind.MOVE)
        .exclude(followed_by__kind=Kind.DECISION)
        .order_by("-at")[:5],
    }
    return render(request, "moves/table.html", context)


@require_safe
def how_they_worked(request):
    """Every row that was decided here, how often it hit, and the gain that its moves tell."""
    state = state_of(request)
    if state is None:
        return render(request, "no_mill.html")
    context = {
        "tallies": tallies(state),
        "may_offer": request.user.may("propose_setup"),
        "station": "",
        "stations": STATIONS,
        "small": draw_small(state),
    }
    return render(request, "moves/learnt.html", context)


@require_http_methods(["GET", "HEAD", "POST"])
def row(request, key: str):
    """One row at one place: wells filled from the newest readings, whether it stands, its slip, and the moves before."""
    state = state_of(request)
    if state is None or key not in state.mill.moves:
        raise Http404
    placement = state.mill.moves[key]
    practice = ROWS[placement.row]
    model = find(practice.model)
    start = opening(placement, state, newest=newest_results(placement.readings.values()))
    asked = request.POST if request.method == "POST" else request.GET
    form = form_class(model.name)(form_class(model.name).opened(asked, start.values, request.schools), schools=request.schools)
    untouched = request.method != "POST" and not any(name in asked for name in form.fields)
    result = None if untouched and start.missing else form.run()
    problem = ""
    if request.method == "POST":
        refuse(request.user, "move" if "value" in request.POST else "propose")
        try:
            if "value" in request.POST:
                return _found_after(request, placement)
            if result is not None:
                move = actions.propose(
                    placement=placement, values=form.cleaned_data, by=request.user, mill=state.mill, now=request.now
                )
                messages.success(request, "Put to the shift.")
                return redirect("shift:decide", move.pk) if request.user.may("move") else redirect("moves:row", key)
        except ImpossibleInput as refusal:
            problem = "; ".join(f"{p.field} {p.text}" for p in refusal.problems)
    labels = {n: q.label for n, q in quantities(model.case_class).items()}
    context = {
        "station": station_of(practice),
        "stations": STATIONS,
        "small": draw_small(state),
        "practice": practice,
        "placement": placement,
        "form": form,
        "result": result,
        "came": start.came,
        "problem": problem,
        "missing": [labels[n].lower() for n in start.missing] if untouched else [],
        "model": model,
        "here": reverse("moves:row", args=[key]),
        "history": actions.moves_of(placement)[:6],
        "waiting": actions.waiting(placement),
        "may_propose": request.user.may("propose"),
        "may_move": request.user.may("move"),
        "group": group_with(practice),
        "plan_row": placement.band in state.mill.plan,
        "reads": labels.get(practice.reads, ""),
        "tally": next(iter(tallies(state, placement.key)), None),
        "cause": _cause(state, placement, practice),
    }
    if result is not None:
        context |= {
            "results": result_rows(result, request.schools),
            "cautions": cautions_of(result),
            "given": form.given,
            "slip": _slip(practice, placement, result, form, state),
            "lookup": f"{reverse('handbook:working', args=[model.name])}?{form.query}",
            "p": sweep(
                result,
                form.case,
                model,
                of="after",
                by=practice.reads if practice.reads in form.fields else "",
                band=(result.band_low, result.band_high) if practice.reads in form.fields else (),
            ),
        }
    if problem or (request.method == "POST" and result is None):
        return render(request, "moves/row.html", context, status=422)
    return render_bench(request, "moves/row", context)


def _cause(state, placement, practice):
    """What changed before the reading that a row goes by, where it drifted: what to check first; None where it has not."""
    row = state.mill.plan.get(placement.readings.get(practice.reads, "") or placement.band)
    if row is None:
        return None
    told = causes.told_of(state, row, state.now)
    if told.drift is None or not told.drift.seen:
        return None
    return {"told": told, "parts": [s for s in told.shares if s.seen in ("likely", "possible")][:3]}


def _slip(practice, placement, result, form, state) -> dict | None:
    """The slip of a row that stands."""
    if not result.stands:
        return None
    return slip_of(practice, placement, result, form.cleaned_data, mill=state.mill, now=state.now)


def _found_after(request, placement):
    """The retest's reading of a move that no sample of the plan reads."""
    pk = request.POST.get("move", "")
    move = get_object_or_404(Record.objects.current(), pk=whole(pk), kind=Kind.MOVE)
    if move.data.get("spot") != placement.key:
        raise Http404
    try:
        value = typed_number(request.POST.get("value", ""))
    except ValueError:
        value = math.nan
    if not abs(value) < 1e9:
        raise ImpossibleInput(Problem("Reading", f"is “{request.POST.get('value', '')}”; it must be a number"))
    kept = actions.found_after(move=move, value=value, by=request.user, now=request.now)
    messages.success(request, f"{kept.says}. Kept in the log.")
    return redirect("moves:row", placement.key)
