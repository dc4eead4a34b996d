"""The trace of a lot both ways, and a recall: what is suspected, what it touched, held in one act or rehearsed."""

from django.contrib import messages
from django.http import Http404, JsonResponse
from django.shortcuts import redirect, render
from django.urls import reverse
from django.views.decorators.http import require_POST, require_safe

from core.errors import CoreError
from desk.deliver import tracing
from desk.deliver.actions import lots
from desk.deliver.trace_drawings import trace_picture
from desk.deliver.tracing import Trace, found_of, suspect_of
from desk.kit.templatetags.vat import stop
from desk.kit.text import plain, whole
from desk.log.models import Kind, Record
from desk.log.proof import anchor_words
from desk.mill.context import state_of
from desk.mill.ribbon import STATIONS, draw_small
from desk.people.rights import may

MOST_S = 4 * 3600
SHOWN = 40


def _begun_ms(given, now_ms: int) -> int:
    """When the suspect was first named, in milliseconds; now where that is not told, or cannot be."""
    at = whole(given.get("begun", ""))
    return at if at is not None and now_ms - 1000 * MOST_S <= at <= now_ms else now_ms


def _page(request, state, *, problem: str = "", field: str = "", status: int = 200):
    given = request.GET if request.method == "GET" else request.POST
    trace = Trace(state)
    text = plain(given.get("suspect", ""))[:80]
    trouble, found, rows, picture = "", None, [], {}
    suspect = suspect_of(trace, text) if text else None
    if text and suspect is None:
        trouble = f"“{text[:40]}” is not known: give the number of a lot of the last {tracing.TRACED_DAYS} days."
    try:
        if suspect is not None:
            found = found_of(trace, suspect)
        number = _lot_of(trace, plain(given.get("lot", "")).upper(), found)
        if number:
            rows = tracing.rows_behind(trace, number)[:SHOWN]
            picture = trace_picture(trace, number, found)
    except CoreError as failure:
        number, trouble = "", f"The record of lots does not add up: {failure}"
    if request.method == "GET" and given.get("json") == "1":
        return JsonResponse(as_json(trace, number, rows, found))
    context = {
        "station": "deliver",
        "stations": STATIONS,
        "small": draw_small(state),
        "trace": trace,
        "number": number,
        "lot": trace.furnish.get(number),
        "numbers": list(trace.furnish),
        "p": picture,
        "rows": rows,
        "text": text,
        "found": found,
        "trouble": trouble,
        "choices": tracing.choices(trace),
        "begun": _begun_ms(given, round(1000.0 * request.now.timestamp())),
        "aim_s": tracing.AIM_S,
        "may_hold": request.user.may("hold"),
        "recalls": tracing.recalls(state, most=5),
        "problem": problem,
        "field": field,
        "typed": request.POST,
    }
    return render(request, "deliver/trace.html", context, status=status)


def _lot_of(trace: Trace, asked: str, found) -> str:
    """The furnish lot that is drawn: as asked, else that with most of what is suspect, else the newest that is closed."""
    if asked in trace.furnish:
        return asked
    if found is not None and found.lots:
        return found.lots[0].node.key
    closed = [k for k, x in trace.furnish.items() if x.closed is not None]
    return closed[0] if closed else next(iter(trace.furnish), "")


@require_safe
def trace(request):
    """The trace, and what a suspect touched."""
    state = state_of(request)
    return render(request, "no_mill.html") if state is None else _page(request, state)


@require_POST
@may("hold")
def recall(request):
    """Hold every lot that a suspect touched, or keep that it was rehearsed."""
    state = state_of(request)
    if state is None:
        raise Http404
    seen = Trace(state)
    suspect = suspect_of(seen, plain(request.POST.get("suspect", ""))[:80])
    if suspect is None:
        return _page(request, state, problem="Suspect is empty or not known; choose one.", field="suspect", status=422)
    now_ms = round(1000.0 * request.now.timestamp())
    try:
        kept = tracing.hold_all(
            found=found_of(seen, suspect),
            state=state,
            by=request.user,
            now=state.now,
            pin=request.POST.get("pin", ""),
            words=plain(request.POST.get("words", ""))[:300],
            begun_s=(now_ms - _begun_ms(request.POST, now_ms)) / 1000.0,
            rehearsal=request.POST.get("act", "") != "hold",
        )
    except tracing.RecallRefused as refusal:
        return _page(request, state, problem=str(refusal), field=refusal.field, status=422)
    except CoreError as failure:
        return _page(request, state, problem=str(failure), field="suspect", status=422)
    messages.success(request, stop(kept.says))
    return redirect("deliver:recall", pk=kept.pk)


@require_safe
def recall_paper(request, pk: int):
    """A recall as it was kept, to print."""
    state = state_of(request)
    told = Record.objects.filter(pk=pk, kind=Kind.EVENT, subject="recall").first()
    if state is None or told is None:
        raise Http404
    stand = {x.number: x.standing for x in lots(state, days=3 * tracing.TRACED_DAYS)}
    rows = [{**row, "now": stand.get(row["lot"], row["stands"])} for row in told.data["lots"]]
    context = {"recall": told, "rows": rows, "anchor": anchor_words(), "aim_s": tracing.AIM_S}
    context["back"] = f"{reverse('deliver:trace')}?suspect={told.data['suspect']['key']}"
    return render(request, "deliver/recall.html", context)


def as_json(trace: Trace, number: str, rows, found) -> dict:
    """A lot's trace, and a suspect's, to take away."""
    told: dict = {"format": "fox-vat trace 1", "lot": number}
    if number:
        told["tonnes"] = trace.nodes[number].t
        told["behind"] = [
            {"lot": node.key, "what": node.what, "kind": node.kind, "share": share, "t": t} for node, share, t in rows
        ]
    if found is not None:
        told["suspect"] = tracing.paper_of(found, [], 0.0)
    return told
