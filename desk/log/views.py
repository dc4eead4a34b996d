"""Log: the trail of everything, notes, and the handover."""

import csv
import json
from datetime import datetime

from django.contrib import messages
from django.core.exceptions import PermissionDenied
from django.core.paginator import Paginator
from django.db.models import Q
from django.http import Http404, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.utils import timezone
from django.utils.http import content_disposition_header
from django.views.decorators.http import require_http_methods, require_safe

from desk.kit.bench import time_of, time_typed, typed_number
from desk.kit.sheet import safe
from desk.kit.text import plain, whole
from desk.kit.writing import writing
from desk.log import files
from desk.log.actions import NOTES, REASONS, CorrectionRefused, correct_note, may_correct, write_note
from desk.log.models import Kind, Record
from desk.log.moves import DecisionRefused, correct_decision, must_be_open, withdraw
from desk.log.search import at_station, stations_of, tags_of, with_tag, with_words
from desk.people.models import Person
from desk.people.rights import may, refuse

PAGE, MOST_ASKED = 40, 200
CSV_MOST = 20_000


def _asked(request):
    """The trail as filtered: kind, words, station, person, time."""
    result = Record.objects.select_related("by").prefetch_related("corrected_by")
    if request.user.how("read_trail") != "yes":
        result = result.filter(Q(by=request.user) | Q(about__by=request.user) | Q(corrects__by=request.user))
    if request.GET.get("kind") in Kind.values:
        result = result.filter(kind=request.GET["kind"])
    if text := plain(request.GET.get("q", "")):
        result = with_words(result, text[:MOST_ASKED])
    state = request.get_state()
    if state is not None and (station := request.GET.get("station", "")) in stations_of(state.mill):
        result = at_station(result, state.mill, station)
    if (by := whole(request.GET.get("by", ""))) is not None:
        result = result.filter(by=by)
    if tag := plain(request.GET.get("tag", "")).strip()[:80]:
        result = with_tag(result, tag)
    for name, asked in (("from", "at__gte"), ("to", "at__lt")):
        if (when := when_of(request.GET.get(name, ""), request.now)) is not None:
            result = result.filter(**{asked: when})
    return _few(result.filter(at__lte=request.now)) if text else result.filter(at__lte=request.now)


FEW = 900


def _few(result):
    """The same records by their numbers, where they are few: words are then searched once, not for the count and the page."""
    found = list(result.order_by().values_list("pk", flat=True)[: FEW + 1])
    if len(found) > FEW:
        return result
    return Record.objects.select_related("by").prefetch_related("corrected_by").filter(pk__in=found)


def when_of(text: str, now: datetime) -> datetime | None:
    """A time of an address (2026-11-14T09:00:00+01:00), or as it is typed (09:00, 2026-11-14 09:00, 2026-11-14); None for
    none, or for what is no time."""
    try:
        told = datetime.fromisoformat(text)
    except ValueError:
        return time_of(text, now) or time_typed(text, now)
    return told if told.tzinfo is not None else timezone.make_aware(told)


@require_safe
def trail(request):
    """Newest first; ?csv=1 gives the filtered lines as a file."""
    result = _asked(request)
    if request.GET.get("csv") == "1":
        return _csv(result[:CSV_MOST])
    page = Paginator(result, PAGE).get_page(request.GET.get("page"))
    return render(
        request,
        "log/trail.html",
        {
            "page": page,
            "kinds": Kind.choices,
            "asked": request.GET,
            "since": when_of(request.GET.get("from", ""), request.now),
            "until": when_of(request.GET.get("to", ""), request.now),
            "no_time": [text for text in map(request.GET.get, ("from", "to")) if text and not when_of(text, request.now)],
            "stations": stations_of(state.mill) if (state := request.get_state()) is not None else (),
            "tags": tags_of(state.mill) if state is not None else (),
            "people": Person.objects.order_by("initials"),
            "may_audit": request.user.may("audit"),
        },
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


@require_http_methods(["GET", "HEAD", "POST"])
def one(request, pk: int):
    """One record whole: what was put in, what came out, what it corrects and what corrects it."""
    record = get_object_or_404(Record.objects.select_related("by", "about", "corrects"), pk=pk)
    if not request.user.may_read(record):
        refuse(request.user, "read_trail")
        raise PermissionDenied("This entry is another person’s. You read your own trail; a shift lead reads the whole.")
    state = request.get_state()
    start = state.shift.start if state else request.now
    why_not = may_correct(record, request.user, shift_start=start)
    plan_row = record.subject.rpartition("/")[2] if record.kind == Kind.RESULT else ""
    known = record.kind != Kind.RESULT or (state is not None and plan_row in state.mill.plan)
    problem = field = ""
    if request.method == "POST":
        if why_not or not known or state is None:
            raise PermissionDenied(why_not or "It cannot be corrected here.")
        try:
            kept = _corrected(request, record, state)
        except (CorrectionRefused, DecisionRefused) as refusal:
            problem, field = str(refusal), refusal.field
        else:
            messages.success(request, f"Kept: {kept.says}. The first entry stays in the trail.")
            return redirect("log:one", kept.pk)
    followed = Record.objects.filter(about=record).order_by("at", "id")
    context = {
        "record": record,
        "can_correct": known and not why_not,
        "plan_row": plan_row,
        "lot": record.subject.rpartition("/")[0] if record.kind == Kind.RESULT else "",
        "followed": [f for f in followed if request.user.may_read(f)],
        "corrected_by": record.corrected_by.first(),
        "reasons": REASONS,
        "drawn": files.paths(record.data) if record.kind == Kind.REMARK else [],
        "files": record.data.get("files", []) if record.kind == Kind.REMARK else [],
        "plain_data": {k: v for k, v in record.data.items() if record.kind != Kind.REMARK or k not in ("drawing", "files")},
        "typed": request.POST,
        "problem": problem,
        "field": field,
    }
    return render(request, "log/one.html", context, status=422 if problem else 200)


def _corrected(request, record: Record, state) -> Record:
    """The correction of a note, a move or a decision, as it was sent."""
    words, reason = plain(request.POST.get("words", ""))[:300], request.POST.get("reason", "")
    common = {"reason": reason, "by": request.user, "now": request.now}
    if record.kind == Kind.REMARK:
        return correct_note(note=record, words=words, **common)
    if record.kind == Kind.MOVE:
        if reason not in REASONS or not words:
            raise CorrectionRefused("reason", "Say why it is withdrawn: choose a reason and write a word or two.")
        with writing():
            must_be_open(record)
            return withdraw(record, why=words, **common)
    if record.kind != Kind.DECISION:
        raise CorrectionRefused("reason", "A result is corrected on its own page.")
    try:
        size = typed_number(request.POST.get("size", ""))
    except ValueError:
        size = None
    return correct_decision(
        decided=record, choice=request.POST.get("choice", ""), size=size, words=words, state=state, **common
    )


def _units(mill) -> dict[str, str]:
    """What a note may be about: the units of its stations by their names, the machine by its own."""
    return {u.id: mill.machine.name if u.id == mill.roles.machine else u.title for u in mill.units if u.station}


@require_http_methods(["GET", "POST"])
@may("note")
def note(request):
    """A note in somebody's own words, with a drawing and files where they tell it better."""
    words, drawing, bad = request.POST.get("words", ""), request.POST.get("drawing", ""), {}
    state = request.get_state()
    units = _units(state.mill) if state is not None else {}
    sort, unit = (request.POST if request.method == "POST" else request.GET).get("sort", "note"), request.POST.get("unit", "")
    if request.method == "POST":
        uploads = request.FILES.getlist("files")
        try:
            lines, given = files.drawn(drawing), files.looked_at(uploads)
        except files.FileRefused as refusal:
            bad[refusal.field] = str(refusal)
            drawing = "" if refusal.field == "drawing" else drawing
        if not words.strip():
            bad["words"] = "Note is empty; write what the next shift should know."
        if sort not in NOTES:
            bad["sort"] = f"Kind is “{sort}”; choose one of the list."
        if unit and unit not in units:
            bad["unit"] = f"Unit is “{unit}”; choose one of this mill."
        if not bad:
            about = {"sort": sort, "unit": unit, "place": units.get(unit, "")}
            write_note(by=request.user, now=request.now, words=words, files=given, drawing=lines, **about)
            messages.success(request, "The note is kept; it comes with the handover.")
            return redirect("shift:home")
        if uploads and "files" not in bad:
            bad["files"] = "Choose the files again: a browser does not keep them."
    context = {"sorts": NOTES, "sort": sort, "units": units, "unit": unit}
    context |= {"words": words, "drawing": drawing, "bad": bad, "most": files.MOST_FILES, "mb": files.MOST_BYTES // 1_000_000}
    context |= {"strokes": files.paths({"drawing": json.loads(drawing)}) if drawing and "drawing" not in bad else []}
    return render(request, "log/note.html", context, status=422 if bad else 200)


@require_safe
def file(request, pk: int, n: int):
    """A file of a record: pictures in the page, anything else to be saved; it can run nothing."""
    record = get_object_or_404(Record, pk=pk)
    if not request.user.may_read(record):
        refuse(request.user, "read_trail")
        raise PermissionDenied("This entry is another person’s. You read your own trail; a shift lead reads the whole.")
    told = record.data.get("files", [])
    if record.kind != Kind.REMARK or n >= len(told):
        raise Http404
    body = files.body_of(told[n])
    if body is None:
        return HttpResponse("This file is not as it was kept; tell an administrator.", status=500, content_type="text/plain")
    response = HttpResponse(body, content_type=files.MIME[told[n]["kind"]])
    shown = "inline" if told[n]["kind"] in files.PICTURES else "attachment"
    response["Content-Disposition"] = content_disposition_header(shown == "attachment", told[n]["name"]) or shown
    response["Content-Security-Policy"] = "default-src 'none'; sandbox"
    response["Cache-Control"] = "private, max-age=86400"
    return response
