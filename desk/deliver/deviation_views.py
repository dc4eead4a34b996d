"""Deviations: what is open, what the rules would open, and each one from its containment to how it ends."""

from django.contrib import messages
from django.http import Http404, JsonResponse
from django.shortcuts import redirect, render
from django.urls import reverse
from django.views.decorators.http import require_http_methods, require_safe

from core.deliver.deviation import CONTAIN, ENDS, RULES
from desk.deliver import deviations as kept
from desk.deliver.actions import Lot, lot
from desk.deliver.signing import Hands, seconds
from desk.kit.templatetags.vat import stop
from desk.kit.text import plain
from desk.log.models import Kind, Record
from desk.log.proof import anchor_words
from desk.mill.context import state_of
from desk.mill.ribbon import STATIONS, draw_small

MOST_WORDS = 300


def _frame(state) -> dict:
    return {"station": "deliver", "stations": STATIONS, "small": draw_small(state)}


@require_http_methods(["GET", "HEAD", "POST"])
def board(request):
    """Every deviation of the last two months; POST opens one."""
    state = state_of(request)
    if state is None:
        return render(request, "no_mill.html")
    problem, field, status = "", "", 200
    if request.method == "POST":
        try:
            made = kept.open_one(
                state=state,
                rule=request.POST.get("rule", ""),
                words=plain(request.POST.get("words", ""))[:MOST_WORDS],
                row=request.POST.get("row", ""),
                suspect=plain(request.POST.get("suspect", ""))[:80],
                by=request.user,
                now=state.now,
            )
        except kept.Refused as refusal:
            problem, field, status = str(refusal), refusal.field, 422
        else:
            messages.success(request, stop(made.says))
            return redirect("deliver:deviation", number=made.subject.removeprefix(kept.PREFIX))
    told = kept.deviations(state)
    asked = request.POST if request.method == "POST" else request.GET
    context = _frame(state) | {
        "open": [d for d in told if d.is_open],
        "closed": [d for d in told if not d.is_open],
        "due": kept.due(state),
        "rules": RULES,
        "rows": [(r.id, f"{r.place}, {r.test.replace('_', ' ')}") for r in state.mill.plan.values()],
        "asked": {k: asked.get(k, "") for k in ("rule", "words", "row", "suspect")},
        "may_open": request.user.may("deviate"),
        "problem": problem,
        "field": field,
    }
    return render(request, "deliver/deviations.html", context, status=status)


def _one(request, number: str):
    state = state_of(request)
    found = kept.deviation(state, number.upper()) if state is not None else None
    if found is None:
        raise Http404
    return state, found


@require_http_methods(["GET", "HEAD", "POST"])
def one(request, number: str):
    """A deviation: its containment, cause, lots and how it ends; POST answers one of these."""
    state, found = _one(request, number)
    if request.GET.get("json") == "1":
        return JsonResponse(dict(kept.as_json(found)))
    problem, field, status = "", "", 200
    if request.method == "POST":
        try:
            made = _answered(request, state, found.number)
        except kept.Refused as refusal:
            problem, field, status = str(refusal), refusal.field, 422
        else:
            messages.success(request, stop(made.says))
            return redirect("deliver:deviation", number=found.number)
    numbers = kept.lots_of(state, found) if found.is_open else found.lots
    row = state.mill.plan.get(found.opened.data.get("row", ""))
    window = kept.window_of(state, row.id) if row is not None and found.is_open else None
    end = request.POST.get("end", "")
    context = _frame(state) | {
        "d": found,
        "row": row,
        "window": window[0] if window is not None else None,
        "good_again": kept.good_again(state, found),
        "lots": [x for n in numbers if (x := lot(n, state)) is not None],
        "contain": [(key, words, found.answered.get(key)) for key, words in CONTAIN.items()],
        "ends": ENDS,
        "end_words": ENDS.get(found.closed.data.get("end", ""), "") if found.closed is not None else "",
        "lacks": kept.lacks(state, found, end or "as_is") if found.is_open else (),
        "seconds": seconds(request.user),
        "may_deviate": request.user.may("deviate"),
        "may_dispose": request.user.may("dispose"),
        "problem": problem,
        "field": field,
        "typed": request.POST,
    }
    return render(request, "deliver/deviation.html", context, status=status)


def _answered(request, state, number: str) -> Record:
    """Keep what was pressed. Raises: Refused."""
    given, by, now = request.POST, request.user, state.now
    act = given.get("act", "")
    words = plain(given.get("words", ""))[:MOST_WORDS]
    if act in CONTAIN:
        return kept.contain(state=state, number=number, what=act, words=words, by=by, now=now)
    if act == "cause":
        return kept.keep_cause(state=state, number=number, words=words, by=by, now=now)
    if act == "close":
        hands = Hands(given.get("pin", ""), given.get("second", ""), given.get("second_pin", ""))
        return kept.close(state=state, number=number, end=given.get("end", ""), words=words, hands=hands, by=by, now=now)
    raise kept.Refused("action", "is none of contain, cause, close")


def history_of(found: Lot) -> list[Record]:
    """Every entry about a lot, oldest first: opened, closed, tested again, decided, judged again, recalled."""
    about = Record.objects.filter(about=found.opened)
    own = Record.objects.filter(subject=found.number)
    retests = Record.objects.filter(kind=Kind.RESULT, subject__startswith=f"{found.number}/")
    told = {r.pk: r for r in (*about, *own, *retests)}
    return sorted(told.values(), key=lambda r: (r.at, r.pk))


@require_safe
def ticket_json(request, number: str):
    """A batch ticket with the whole history of its lot, to take away."""
    state = state_of(request)
    found = lot(number.upper(), state) if state is not None else None
    if found is None:
        raise Http404
    proposal, behind = found.judged()
    return JsonResponse(
        {
            "format": "fox-vat batch ticket 1",
            "address": request.build_absolute_uri(reverse("deliver:ticket", args=[found.number])),
            "lot": found.number,
            "order": found.opened.data["order"],
            "grade": found.grade.key,
            "opened": found.start.isoformat(),
            "closed": found.end.isoformat() if found.closed else None,
            "tonnes": found.tonnes,
            "stands": found.standing,
            "sources": found.sources,
            "tests": [
                {
                    "test": t.key,
                    "critical": t.critical,
                    "low": t.band.low if t.band.low > float("-inf") else None,
                    "high": t.band.high if t.band.high < float("inf") else None,
                    "verdict": v.verdict.value,
                    "results": [{"at": r.at.isoformat(), "value": r.value, "status": r.status} for r in behind[t.key]],
                }
                for t, v in zip(found.grade.tests, proposal.tests, strict=True)
            ],
            "deviations": [dict(kept.as_json(d)) for d in found.deviations],
            "history": [
                {"at": r.at.isoformat(), "by": r.signed, "kind": r.kind, "says": r.says, "words": r.words, "hash": r.hash}
                for r in history_of(found)
            ],
            "core": found.opened.core_version,
            "record": anchor_words(),
            "head": Record.objects.order_by("-id").values_list("hash", flat=True).first(),
        }
    )
