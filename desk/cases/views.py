"""Held cases: each has an address that can be shared; two are compared point by point; one is sent to a run card."""

from urllib.parse import urlencode

from django.contrib import messages
from django.db.models import Q
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.views.decorators.http import require_POST, require_safe

from core import calc
from core.catalogue import find
from desk.cases.actions import CaseRefused, compare, hold
from desk.cases.models import HeldCase
from desk.kit.text import whole
from desk.kit.ways import own_path
from desk.log.models import Kind, Record
from desk.people.rights import may


def _number(text: str):
    try:
        return float(text)
    except ValueError:
        return text


@require_POST
@may("hold_case")
def hold_case(request):
    """Hold the case of a bench: model, inputs (in.FIELD, core units), name; then back to where it was held."""
    back = own_path(request, request.POST.get("back", ""), "/cases/")
    given = {k[3:]: _number(v) for k, v in request.POST.items() if k.startswith("in.")}
    try:
        kept = hold(
            name=request.POST.get("name", ""),
            model_name=request.POST.get("model", ""),
            given=given,
            address=back,
            by=request.user,
            now=request.now,
        )
    except CaseRefused as refusal:
        messages.error(request, f"Not held. {refusal}")
        return redirect(back)
    messages.success(request, f"Held as “{kept.name}”. Change a well and see it beside.")
    path, _, query = back.partition("?")
    rest = "&".join(p for p in query.split("&") if p and not p.startswith("held="))
    return redirect(f"{path}?{rest + '&' if rest else ''}held={kept.pk}")


@require_safe
def listing(request):
    """The cases held here; ?a= and ?b= puts two beside each other."""
    cases = HeldCase.standing()
    if request.GET.get("mine") == "1":
        cases = cases.filter(by=request.user)
    context = {"cases": cases[:100], "mine": request.GET.get("mine") == "1"}
    a, b = (HeldCase.objects.filter(pk=whole(request.GET.get(k, ""))).first() for k in "ab")
    if a and b:
        context |= {"a": a, "b": b, "lines": compare(a, b, request.schools), "apart": a.model_name != b.model_name}
    return render(request, "cases/list.html", context)


@require_safe
def one(request, pk: int):
    """One case by its address: inputs and figures as held, its bench and its working, what it can be compared with."""
    case = get_object_or_404(HeldCase.objects.select_related("by"), pk=pk)
    model = find(case.model_name)
    cards = list(Record.objects.current().filter(kind=Kind.RUNCARD).order_by("-id")[:8])
    newest = {r.subject: r for r in reversed(cards)}
    context = {
        "case": case,
        "model": model,
        "lines": compare(case, case, request.schools),
        "working": f"{reverse('handbook:working', args=[model.name])}?{urlencode(calc.flat(case.given))}",
        "others": HeldCase.objects.filter(Q(model_name=case.model_name), let_go_at=None).exclude(pk=pk)[:10],
        "cards": newest.values() if request.user.may("plan") else [],
        "own": case.by_id == request.user.pk,
    }
    return render(request, "cases/one.html", context)


@require_POST
@may("hold_case")
def let_go(request, pk: int):
    """Take a case off the list; its address still shows it."""
    case = get_object_or_404(HeldCase, pk=pk)
    case.let_go(by=request.user, now=request.now)
    messages.success(request, f"“{case.name}” is let go.")
    return redirect("cases:list")
