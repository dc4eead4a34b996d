"""Log: the trail of everything, notes, and the handover."""

import csv

from django.contrib import messages
from django.core.paginator import Paginator
from django.http import Http404, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.utils import timezone
from django.views.decorators.http import require_http_methods, require_safe

from desk.kit.sheet import safe
from desk.log.actions import may_correct, write_note
from desk.log.models import Kind, Record
from desk.people.rights import may

PAGE = 40
CSV_MOST = 20_000


def _asked(request):
    """The trail as filtered: kind, subject, person, words."""
    found = Record.objects.select_related("by").prefetch_related("corrected_by")
    if not request.user.may("read_trail"):
        found = found.filter(by=request.user)
    if request.GET.get("kind") in Kind.values:
        found = found.filter(kind=request.GET["kind"])
    if text := request.GET.get("q", "").strip():
        found = found.filter(says__icontains=text) | found.filter(words__icontains=text) | found.filter(subject__icontains=text)
    return found.filter(at__lte=request.now)


@require_safe
def trail(request):
    """Newest first; ?csv=1 gives the filtered lines as a file."""
    found = _asked(request)
    if request.GET.get("csv") == "1":
        return _csv(found[:CSV_MOST])
    page = Paginator(found, PAGE).get_page(request.GET.get("page"))
    return render(
        request,
        "log/trail.html",
        {"page": page, "kinds": Kind.choices, "asked": request.GET, "may_audit": request.user.may("audit")},
    )


def _csv(records):
    response = HttpResponse(content_type="text/csv; charset=utf-8")
    response["Content-Disposition"] = 'attachment; filename="log.csv"'
    out = csv.writer(response)
    out.writerow(["id", "at", "entered_at", "kind", "subject", "value", "status", "says", "words", "signed", "corrects"])
    for r in records:
        row = [r.pk, timezone.localtime(r.at).isoformat(), timezone.localtime(r.entered_at).isoformat(), r.kind, r.subject]
        row += ["" if r.value is None else repr(r.value), r.status, r.says, r.words, r.signed, r.corrects_id or ""]
        out.writerow([safe(c) for c in row])
    return response


@require_safe
def one(request, pk: int):
    """One record whole: what was put in, what came out, what it corrects and what corrects it."""
    record = get_object_or_404(Record.objects.select_related("by", "about", "corrects"), pk=pk)
    if not request.user.may("read_trail") and record.by_id != request.user.pk:
        raise Http404
    state = request.get_state()
    start = state.shift.start if state else request.now
    can = (
        record.kind == Kind.RESULT
        and record.subject in (state.mill.plan if state else {})
        and not may_correct(record, request.user, shift_start=start)
    )
    followed = Record.objects.filter(about=record).order_by("at", "id")
    return render(
        request,
        "log/one.html",
        {"record": record, "can_correct": can, "followed": followed, "corrected_by": record.corrected_by.first()},
    )


@require_http_methods(["GET", "POST"])
@may("note")
def note(request):
    words, problem = request.POST.get("words", ""), ""
    if request.method == "POST":
        if words.strip():
            write_note(by=request.user, now=request.now, words=words)
            messages.success(request, "The note is kept; it comes with the handover.")
            return redirect("shift:home")
        problem = "Note is empty; write what the next shift should know."
    return render(request, "log/note.html", {"words": words, "problem": problem}, status=422 if problem else 200)
