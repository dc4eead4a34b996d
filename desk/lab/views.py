"""Lab: what is due, one row's results, and the tablet page that records a sample."""

from datetime import timedelta
from urllib.parse import quote, urlencode

from django.contrib import messages
from django.http import Http404
from django.shortcuts import redirect, render
from django.urls import reverse
from django.utils import timezone
from django.views.decorators.http import require_http_methods, require_POST, require_safe

from core.errors import ImpossibleInput
from core.judge.band import judge
from core.lab.raw import RAW
from core.lab.replicate import Status
from desk.instruments.store import at_minute
from desk.kit.bench import typed_number
from desk.kit.templatetags.vat import stop
from desk.kit.text import whole
from desk.kit.words import limits
from desk.lab import plan, standards
from desk.lab.actions import could_not_sample, record_sample
from desk.lab.board import Board, confirmed
from desk.lab.drawings import last_results, trend
from desk.lab.forms import SampleForm
from desk.log.actions import REASONS, may_correct
from desk.log.models import Kind, Record
from desk.log.moves import propose, slip
from desk.mill.context import state_of
from desk.mill.planned_sets import sets_due
from desk.mill.shifts import shift_of
from desk.people.rights import may, refuse

TREND_H = 24.0


def row_of(request, row_id: str):
    """The mill's state and a row of its plan. Raises: Http404."""
    state = state_of(request)
    if state is None or row_id not in state.mill.plan:
        raise Http404
    return state, state.mill.plan[row_id]


@require_safe
def due_list(request):
    """Every row of the plan: late first, then by time; or what drifts."""
    state = state_of(request)
    if state is None:
        return render(request, "no_mill.html")
    board = Board(state)
    context = {"board": board, "rows": board.due_rows, "counts": board.counts(), "sets": sets_due(state)}
    return render(request, "lab/due.html", context)


@require_safe
def row_page(request, row_id: str):
    """One row: its last results against the band, and who entered them."""
    state, row = row_of(request, row_id)
    now = Board(state, only=row_id).by_id[row_id]
    trail = Record.objects.filter(kind__in=[Kind.RESULT, Kind.NO_SAMPLE], subject=row_id, at__lte=state.now).select_related(
        "by"
    )
    trail = list(trail.prefetch_related("corrected_by").order_by("-at", "-id")[:24])
    shown = Record.objects.current().filter(kind=Kind.RESULT, subject=row_id, at__lte=state.now)
    shown = shown.filter(at__gte=state.now - timedelta(hours=TREND_H)).order_by("-at", "-id")
    picture = trend(list(shown), now.band, state.now, TREND_H)
    start = shift_of(state.now, state.mill).start
    for r in trail:
        r.may_correct = r.kind == Kind.RESULT and not may_correct(r, request.user, shift_start=start)
    context = {
        "r": now,
        "trail": trail,
        "picture": picture,
        "hours": TREND_H,
        "standard": standards.newest(row.test, state.now),
        "may_record": request.user.may("record"),
        "may_ease": request.user.may("ease"),
        "next": plan.worked(now),
        "typed": {k: request.GET.get(k, "") for k in ("known", "found")},
    }
    return render(request, "lab/row.html", context)


@require_POST
@may("ease")
def pace(request, row_id: str):
    """A shift lead doubles the interval of a row, or sets it back to the plan."""
    state, _ = row_of(request, row_id)
    now = Board(state, only=row_id).by_id[row_id]
    try:
        made = plan.keep_pace(now_row=now, doubles=request.POST.get("doubles") == "yes", by=request.user, now=state.now)
    except plan.Refused as refusal:
        messages.error(request, str(refusal))
    else:
        messages.success(request, stop(made.says))
    return redirect("lab:row", row_id)


@require_POST
@may("record")
def standard(request, row_id: str):
    """A check of a row's test on a standard or a blank."""
    state, row = row_of(request, row_id)
    typed = {k: request.POST.get(k, "").strip()[:20] for k in ("known", "found")}
    try:
        known, found = (typed_number(typed[k]) if typed[k] else None for k in ("known", "found"))
        made = standards.keep(row=row, known=known, found=found, by=request.user, now=state.now)
    except (standards.Refused, ValueError) as refusal:
        told = str(refusal) if isinstance(refusal, standards.Refused) else "A standard is two numbers, such as 30.0 and 30.2."
        messages.error(request, told)
        return redirect(f"{reverse('lab:row', args=[row_id])}?{urlencode(typed)}")
    messages.success(request, stop(made.says))
    return redirect("lab:row", row_id)


def _answer(form: SampleForm, row, state, corrects) -> dict:
    """The page's answer region: the result so far, its verdict, and the move it would call for."""
    band = state.mill.band(row, state.grade)
    past = Record.objects.current().filter(kind=Kind.RESULT, subject=row.id, at__lte=state.now).order_by("-at", "-id")
    if corrects:
        past = past.exclude(pk=corrects.pk)
    past = list(past[:9])
    result = form.outcome
    answer = {"band": band, "limits": limits(band, form.test.decimals), "outcome": result, "test": form.test}
    answer |= {"raw": RAW.get(row.test), "standard": standards.newest(row.test, state.now)}
    value = result.replicates.value if result else None
    answer["picture"] = last_results(
        [r for r in past if r.status in ("single", "accepted")],
        value,
        result.singles if result else (),
        band,
        form.test.decimals,
    )
    if result and result.replicates.stands:
        entered = Record(value=value, status=result.replicates.status.value)
        sure = confirmed(row, band, entered, past[0] if past else None)
        answer["judgement"] = judge(value, band, confirmed=sure)
        if answer["judgement"].state in ("act", "contain") and sure:
            move = propose(row, band, value)
            if move is not None and hasattr(move, "change") and move.change:
                answer["slip"] = slip(
                    move, row=row, band=band, reading=value, decimals=form.test.decimals, unit=form.test.unit, now=state.now
                )
    answer["third"] = bool(result and result.replicates.status is Status.THIRD_NEEDED)
    if row.test == "consistency" and form.at:
        answer["meter"] = at_minute(f"meter.{row.point}", form.at)
        if answer["meter"] and value is not None:
            answer["apart"] = answer["meter"].value - value
    return answer


@require_http_methods(["GET", "HEAD", "POST"])
@may("record")
def record(request, row_id: str):
    """The tablet page. GET works the sample out as it is typed; POST writes it."""
    state, row = row_of(request, row_id)
    data = request.POST if request.method == "POST" else request.GET
    lot = data.get("lot", "")
    corrects = _corrected(request, data, row, state)
    form = SampleForm(row, {**_was(corrects), **data.dict()}, state.now)
    if request.method == "POST":
        kept = _keep(request, form, row, state, corrects, lot)
        if kept is not None:
            return kept
    else:
        form.work_out(whole=False)
        form.at  # noqa: B018  (the time is checked as it is typed)
    context = {
        "row": row,
        "form": form,
        "corrects": corrects,
        "reasons": REASONS,
        "lot": lot,
        "typed": data,
        **_answer(form, row, state, corrects),
    }
    context["first_empty"] = next(
        (c.name for c in form.cells if not c.typed.strip() or c.error), form.cells[0].name if form.cells else ""
    )
    kept = {"corrects": str(corrects.pk) if corrects else "", "lot": lot, "third": data.get("third", "")}
    context["keeps"] = "".join(f"&{k}={quote(v)}" for k, v in kept.items() if v)
    context["due"] = Board(state, only=row_id).by_id[row_id]
    partial = request.method == "GET" and request.htmx and request.htmx.target == "answer"
    return render(
        request,
        "lab/_record_answer.html" if partial else "lab/record.html",
        context,
        status=422 if form.any_error and request.method == "POST" else 200,
    )


def _corrected(request, data, row, state):
    """The record this entry corrects, once this person may; None for a new sample."""
    if not data.get("corrects"):
        return None
    result = Record.objects.filter(pk=whole(data["corrects"]), kind=Kind.RESULT).first()
    if result is None or result.data.get("test") != row.test or result.subject.rpartition("/")[2] != row.id:
        raise Http404
    why = may_correct(result, request.user, shift_start=shift_of(state.now, state.mill).start)
    if why:
        refuse(request.user, "correct_other")
        raise Http404
    return result


def _was(corrects) -> dict:
    """What a correction starts from: the old entry as it was typed."""
    if corrects is None:
        return {}
    start = {"at": timezone.localtime(corrects.at).strftime("%H:%M")}
    for letter, w in zip("abc", corrects.data.get("weighings", []), strict=False):
        start |= {f"{letter}.{k}": f"{v:g}" for k, v in w.items()}
    if not corrects.data.get("weighings"):
        start |= {f"value_{i}": f"{v:g}" for i, v in enumerate(corrects.data.get("singles", []), start=1)}
        start["mode"] = "result"
    return start


def _keep(request, form: SampleForm, row, state, corrects, lot: str):
    """Write the sample and go on, or None when something on the page is wrong."""
    at = corrects.at if corrects and form.at_typed == _was(corrects)["at"] else form.at
    reason = request.POST.get("reason", "")
    if corrects and reason not in REASONS:
        form.problems.append("Reason of the correction is empty; choose one.")
    try:
        if form.mode == "none":
            kept = could_not_sample(row=row, by=request.user, now=state.now, words=form.words)
            messages.success(request, f"Kept: {kept.says}. The row stays due.")
            return redirect("lab:due")
        outcome = form.work_out(whole=True)
        if outcome is not None and outcome.cautions and request.POST.get("sure") != "1":
            form.problems.append("Unusual; read it twice, then tick “I read it twice”.")
        if outcome is None or form.any_error or at is None:
            return None
        kept = record_sample(
            row=row,
            entry=form.entry,
            at=at,
            by=request.user,
            now=state.now,
            state=state,
            corrects=corrects,
            reason=reason,
            words=form.words,
            lot=lot,
        )
    except ImpossibleInput as refusal:
        form.refuse(refusal)
        return None
    messages.success(request, f"Recorded: {kept.says}.")
    more = getattr(request, "newest_record", 0) > kept.pk  # it called for a move
    move = Record.objects.filter(kind=Kind.MOVE, about=kept).first() if more else None
    if move and request.user.may("move"):
        return redirect("shift:decide", pk=move.pk)
    if lot:
        return redirect("deliver:lot", number=lot)
    return redirect("lab:row", row_id=row.id) if corrects else redirect("shift:home")
