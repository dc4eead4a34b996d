"""Deliver: lots, their tests against the card, release or hold, the batch ticket."""

import segno
from django.contrib import messages
from django.http import Http404
from django.shortcuts import redirect, render
from django.urls import reverse
from django.utils.safestring import mark_safe
from django.views.decorators.http import require_http_methods, require_POST, require_safe

from core.deliver.release import CardTest, Verdict, bound_case, retests_needed
from desk.deliver.actions import Refused, close_and_go_on, decide_lot, lot, lots, rights, running_lot, source_lot
from desk.deliver.deviation_views import history_of
from desk.deliver.drawings import against_card, braid
from desk.deliver.signing import Hands, seconds
from desk.kit.templatetags.vat import figure, stop
from desk.kit.words import limits
from desk.log.models import Kind, Record
from desk.log.proof import anchor_words
from desk.mill.context import state_of
from desk.mill.ribbon import STATIONS, draw_small
from desk.people.rights import may

MARKS = {Verdict.PASSED: "in", Verdict.FLAGGED: "watch", Verdict.FAILED: "act", Verdict.MISSING: "old"}


def _lot(request, number: str):
    state = state_of(request)
    result = lot(number.upper(), state) if state else None
    if result is None:
        raise Http404
    return state, result


@require_safe
def newest(request):
    """The lot that waits for a decision, else the running one, else the list."""
    state = state_of(request)
    if state is None:
        return render(request, "no_mill.html")
    result = lots(state)
    waiting = next((x for x in result if x.standing in ("held", "waiting")), None) or running_lot(state)
    return redirect("deliver:lot", number=waiting.number) if waiting else redirect("deliver:lots")


@require_safe
def lot_list(request):
    state = state_of(request)
    if state is None:
        return render(request, "no_mill.html")
    return render(
        request,
        "deliver/lots.html",
        {"lots": lots(state), "station": "deliver", "stations": STATIONS, "small": draw_small(state)},
    )


def _tests(found, proposal, behind) -> list[dict]:
    """Each test of the card: figures in its own digits, its mark and its bar."""
    rows = []
    for test, verdict in zip(found.grade.tests, proposal.tests, strict=True):
        d = test.decimals
        results = behind[test.key]
        bound = ""
        if verdict.n and verdict.basis != "plain limit":
            bound = f"{figure(verdict.lower, d)} to {figure(verdict.upper, d)}"
            if verdict.basis == "guard":
                bound = f"guard {bound}"
        rows.append(
            {
                "test": test,
                "v": verdict,
                "mark": MARKS[verdict.verdict],
                "limits": limits(test.band, d),
                "mean": figure(verdict.mean, d) if verdict.n else "none",
                "bound": bound or verdict.basis,
                "case": bound_case(verdict.test) if verdict.n else None,
                "bar": against_card(test, verdict),
                "results": [figure(r.value, d) for r in results if r.value is not None],
                "times": [r.at for r in results],
                "records": results,
            }
        )
    return rows


def _missing_words(found, proposal) -> str:
    """What retests would prove a flagged test, in a sentence; empty when nothing is flagged."""
    for test, verdict in zip(found.grade.tests, proposal.tests, strict=True):
        if verdict.verdict is Verdict.FLAGGED:
            card = CardTest(
                key=test.key,
                low=test.band.low,
                high=test.band.high,
                critical=test.critical,
                results=tuple(r.value for r in found.results(test)),
            )
            need = retests_needed(card, verdict)
            if need:
                count, value = need
                return f"{count} more tests of {test.label} at about {figure(value, test.decimals)} would prove it."
            return f"{test.label}: even six more would not prove it; look for the cause."
    return ""


def _moves(found) -> list[Record]:
    """Moves decided and judged while the lot was made."""
    return list(
        Record.objects.current()
        .filter(kind__in=[Kind.DECISION, Kind.EFFECT], at__gte=found.start, at__lte=found.end)
        .order_by("at", "id")
    )


def _page(request, state, found, *, problem: str = "", field: str = "", status: int = 200):
    proposal, behind = found.judged()
    grants = rights(found, proposal, request.user)
    labels = {t.key: t.label for t in found.grade.tests}
    context = {
        "lot": found,
        "proposal": proposal,
        "tests": _tests(found, proposal, behind),
        "braid": braid(found.sources, found, state),
        "grants": grants,
        "why": [
            w if ":" not in w else f"{labels.get(w.split(':')[0], w.split(':')[0])}:{w.split(':', 1)[1]}" for w in proposal.why
        ],
        "missing": _missing_words(found, proposal),
        "may_close": request.user.may("close_lot"),
        "problem": problem,
        "field": field,
        "typed": request.POST,
        "moves": _moves(found),
        "station": "deliver",
        "stations": STATIONS,
        "small": draw_small(state),
        "seconds": seconds(request.user),
        "meets": [(k, state.mill.grades[k].name) for k in proposal.meets],
        "held_total": sum(x.standing == "held" for x in lots(state)),
        "retest_row": next(
            (r["test"].row for r in _tests(found, proposal, behind) if r["mark"] in ("watch", "old", "act")), ""
        ),
    }
    return render(request, "deliver/lot.html", context, status=status)


@require_http_methods(["GET", "HEAD", "POST"])
def lot_page(request, number: str):
    """Tests against the card, where the lot came from, and the decision (POST, signed)."""
    state, result = _lot(request, number)
    if request.method != "POST":
        return _page(request, state, result)
    try:
        kept = decide_lot(
            lot_=result,
            action=request.POST.get("action", ""),
            by=request.user,
            now=state.now,
            pin=request.POST.get("pin", ""),
            words=request.POST.get("words", ""),
            hands=Hands(request.POST.get("pin", ""), request.POST.get("second", ""), request.POST.get("second_pin", "")),
            grade=request.POST.get("grade", ""),
        )
    except Refused as refusal:
        return _page(request, state, result, problem=str(refusal), field=refusal.field, status=422)
    messages.success(request, f"{kept.says}. Signed {stop(request.user.signed)}")
    return redirect("deliver:lot", number=result.number)


@require_POST
@may("close_lot")
def close(request, number: str):
    """Close the running lot; the next opens at the same second."""
    state, result = _lot(request, number)
    try:
        fresh = close_and_go_on(opened=result.opened, by=request.user, now=state.now, state=state)
    except Refused as refusal:
        messages.error(request, str(refusal))
        return redirect("deliver:lot", number=result.number)
    messages.success(request, f"Lot {result.number} is closed; {fresh.subject} goes on from this second.")
    return redirect("deliver:lot", number=result.number)


@require_safe
def source(request, number: str):
    """A source lot: what it is, what it held, the furnish lots it went into, and what is left of it."""
    state = state_of(request)
    result = source_lot(number.upper()) if state else None
    if result is None:
        raise Http404
    context = {"source": result, "station": "deliver", "stations": STATIONS, "small": draw_small(state)}
    return render(request, "deliver/source.html", context)


@require_safe
def ticket(request, number: str):
    """The printable batch ticket, so far as the lot has come."""
    state, result = _lot(request, number)
    proposal, behind = result.judged()
    context = {
        "lot": result,
        "tests": _tests(result, proposal, behind),
        "braid": braid(result.sources, result, state, paper=True),
        "moves": _moves(result),
        "proposal": proposal,
    }
    address = request.build_absolute_uri(reverse("deliver:ticket", args=[result.number]))
    context |= {
        "anchor": anchor_words(),
        "head": Record.objects.order_by("-id").values_list("hash", flat=True).first(),
        "address": address,
        "square": mark_safe(segno.make(address, error="m").svg_inline(scale=3, border=2)),
        "history": history_of(result),
    }
    return render(request, "deliver/ticket.html", context)
