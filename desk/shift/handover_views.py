"""The handover's pages: the draft of the running shift, and what was signed."""

from django.contrib import messages
from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.http import require_http_methods

from desk.kit.text import whole
from desk.log.models import Kind, Record
from desk.mill.context import state_of
from desk.people.rights import refuse
from desk.shift import handover as handovers
from desk.shift.keys import keys_of


@require_http_methods(["GET", "POST"])
def handover(request):
    """The running shift's draft, or what was signed of it."""
    if request.method == "POST":
        refuse(request.user, "handover")  # before anything is worked out for it
    state = state_of(request)
    if state is None:
        return render(request, "no_mill.html")
    made = handovers.draft(state)
    signed = Record.objects.current().filter(kind=Kind.HANDOVER, subject=made["shift"].start.isoformat()).first()
    again = (request.POST if request.method == "POST" else request.GET).get("again") == "1"
    if signed and not again:
        return redirect("shift:signed", pk=signed.pk)
    problem = field = ""
    if request.method == "POST":
        try:
            kept = handovers.sign(
                by=request.user,
                now=state.now,
                state=state,
                pin=request.POST.get("pin", ""),
                watch=request.POST.get("watch", ""),
                written=request.POST,
                again=again,
            )
            messages.success(request, "Signed. Its words are frozen; the arriving lead reads and signs.")
            return redirect("shift:signed", pk=kept.pk)
        except handovers.Refused as refusal:
            problem, field = str(refusal), refusal.field
    earlier = Record.objects.current().filter(kind=Kind.HANDOVER, at__lte=state.now).order_by("-at", "-id").first()
    context = {
        "again": again and signed is not None,
        "keys": keys_of(state),
        "made": made,
        "typed": request.POST,
        "problem": problem,
        "field": field,
        "earlier": earlier,
    }
    return render(request, "shift/handover.html", context, status=422 if problem else 200)


@require_http_methods(["GET", "POST"])
def signed_handover(request, pk: int):
    """A signed handover: read, asked back, signed by the arriving lead."""
    record = get_object_or_404(Record, pk=pk, kind=Kind.HANDOVER)
    problem = field = ""
    ticked = {n for text in request.POST.getlist("read") if (n := whole(text, 1, 12))}
    if request.method == "POST":
        try:
            if "ask" in request.POST:
                handovers.ask(handover=record, by=request.user, now=request.now, words=request.POST.get("words", ""))
            else:
                handovers.read(
                    handover=record, by=request.user, now=request.now, pin=request.POST.get("pin", ""), ticked=ticked
                )
                messages.success(request, "Signed as read.")
            return redirect("shift:signed", pk=record.pk)
        except handovers.Refused as refusal:
            problem, field = str(refusal), refusal.field
    context = {
        "record": record,
        "read": Record.objects.filter(kind=Kind.HANDOVER_READ, about=record).first(),
        "current": _runs_now(request, record),
        "questions": Record.objects.filter(kind=Kind.QUESTION, about=record).order_by("at", "id"),
        "problem": problem,
        "field": field,
        "ticked": ticked,
        "typed": request.POST,
    }
    return render(request, "shift/signed.html", context, status=422 if problem else 200)


def _runs_now(request, record: Record) -> bool:
    """Whether a handover is of the running shift and stands: a second draft may still take its place."""
    state = state_of(request)
    return state is not None and not record.is_corrected and state.shift.start.isoformat() == record.subject
