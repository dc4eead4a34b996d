"""Mill setup: the document in force, to read and to take away."""

import json

from django.contrib import messages
from django.http import Http404, JsonResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.debug import sensitive_post_parameters
from django.views.decorators.http import require_http_methods, require_safe

from core.document import Flag
from core.errors import ImpossibleInput
from core.lab.methods import TESTS
from core.mill.draft import typed as typed_in
from core.mill.draft import wells_of
from core.mill.migrate import brought_up
from core.mill.reading import SECTIONS, document_schema
from desk.kit.words import limits
from desk.mill import setup as setups
from desk.mill.context import state_of
from desk.mill.drafts import groups_of
from desk.mill.models import MillVersion, Proposal
from desk.people.rights import may

EDITED = {"plan": "Sampling plan", "vessels": "Vessel", "grades": "Grade", "sources": "Source"}


@require_safe
def setup(request):
    state = state_of(request)
    waiting = Proposal.objects.filter(decided_at=None).select_related("by").defer("document")
    if state is None:
        return render(request, "no_mill.html")
    plan = [
        {"row": r, "test": TESTS[r.test], "limits": limits(r.band, TESTS[r.test].decimals)} for r in state.mill.plan.values()
    ]
    grades = [
        {
            "g": g,
            "tests": [(t, limits(t.band, t.decimals)) for t in g.tests],
            "shares": [(k, v) for k, v in g.shares.items() if v > 0],
        }
        for g in state.mill.grades.values()
    ]
    context = {
        "version": MillVersion.objects.first(),
        "versions": MillVersion.objects.defer("document").select_related("by")[:12],
        "waiting": waiting,
        "may_edit": request.user.may("propose_setup"),
        "plan": plan,
        "grades": grades,
    }
    return render(request, "mill/setup.html", context)


@require_safe
def document(request):
    """The whole document as JSON."""
    version = MillVersion.objects.first()
    response = JsonResponse(version.document if version else {}, json_dumps_params={"indent": 1, "ensure_ascii": False})
    if version:
        response["Content-Disposition"] = f'attachment; filename="mill-version-{version.pk}.json"'
    return response


@require_safe
def schema(request):
    """The JSON Schema a document must meet."""
    return JsonResponse(document_schema(), json_dumps_params={"indent": 1, "ensure_ascii": False})


def _proposed(request, document, note: str, *, template: str, context: dict):
    """Propose, or give the page again with every fault and all that was typed."""
    try:
        kept = setups.propose(document=document, note=note, by=request.user, now=request.now)
    except setups.SetupRefused as refusal:
        return render(request, template, {**context, "refusal": str(refusal), "faults": refusal.problems}, status=422)
    messages.success(request, "Proposed. It comes into force when a shift lead countersigns it.")
    return redirect("mill:change", kept.pk)


@require_http_methods(["GET", "POST"])
@may("propose_setup")
def bring_in(request):
    """A document from a file: every fault with its place, or what it would change."""
    context = {"note": request.POST.get("note", "")}
    if request.method == "GET":
        return render(request, "mill/bring_in.html", context)
    upload = request.FILES.get("file")
    trouble = ""
    document = None
    if upload is None:
        trouble = "File is missing; choose a mill document (.json)."
    elif upload.size > setups.MOST_BYTES:
        trouble = f"File is {upload.size} bytes; it must be at most {setups.MOST_BYTES}."
    else:
        try:
            document = json.loads(upload.read().decode("utf-8-sig"))
        except (ValueError, RecursionError) as error:
            trouble = f"File {upload.name} is no JSON: {error}"
    if trouble:
        return render(request, "mill/bring_in.html", {**context, "refusal": trouble}, status=422)
    return _proposed(
        request, document, context["note"], template="mill/bring_in.html", context={**context, "file": upload.name}
    )


@require_http_methods(["GET", "POST"])
@may("propose_setup")
def edit(request, section: str, key: str):
    """One row of the plan, vessel, grade or source of the version in force: its figures as wells, proposed together."""
    in_force = MillVersion.objects.first()
    document = brought_up(in_force.document) if in_force else {}
    parts = {p[SECTIONS[section]]: p for p in document.get(section) or ()} if section in EDITED else {}
    if key not in parts:
        raise Http404
    typed = request.POST.dict()
    context = {
        "section": section,
        "key": key,
        "kind": EDITED[section],
        "title": parts[key].get("name") or parts[key].get("place") or key,
        "note": typed.get("note", ""),
    }
    errors: dict[str, str] = {}
    if request.method == "POST":
        flags = {name: "off" for name, said, _ in wells_of(document, section, key) if isinstance(said, Flag)}
        try:
            new = typed_in(document, section, key, flags | typed)
            faults = setups.problems(new, now=request.now)
        except ImpossibleInput as refusal:
            new, faults = document, list(refusal.problems)
        if not faults:
            context["groups"] = groups_of(document, section, key, typed, {})
            return _proposed(request, new, context["note"], template="mill/edit.html", context=context)
        place = f"{section}[{list(parts).index(key)}]."
        errors = {f.field.removeprefix(place): f.text for f in faults}
        known = {name for name, _, _ in wells_of(document, section, key)}
        elsewhere = [f for f in faults if f.field.removeprefix(place) not in known]
        context |= {"refusal": "Nothing was changed.", "faults": elsewhere}
    context["groups"] = groups_of(document, section, key, typed, errors)
    return render(request, "mill/edit.html", context, status=422 if errors else 200)


@require_http_methods(["GET", "POST"])
@sensitive_post_parameters("pin")
def change(request, pk: int):
    """A proposed change: what differs, and its countersignature."""
    proposal = get_object_or_404(Proposal.objects.select_related("by", "decided_by", "base"), pk=pk)
    context = {
        "p": proposal,
        "changes": setups.differences(proposal.base.document if proposal.base else {}, proposal.document),
        "may_sign": not setups.may_countersign(request.user, proposal),
    }
    if request.method == "POST":
        accept = request.POST.get("choice") == "countersign"
        try:
            made = setups.decide(
                proposal=proposal,
                accept=accept,
                by=request.user,
                pin=request.POST.get("pin", ""),
                now=request.now,
                reason=request.POST.get("reason", ""),
            )
        except setups.SetupRefused as refusal:
            return render(
                request,
                "mill/change.html",
                {**context, "refusal": str(refusal), "reason": request.POST.get("reason", "")},
                status=422,
            )
        messages.success(request, f"Version {made.pk} is in force." if made else "Sent back.")
        return redirect("mill:setup")
    return render(request, "mill/change.html", context)


@require_safe
def version(request, pk: int):
    """One version, and what it changed of the one before."""
    result = get_object_or_404(MillVersion.objects.select_related("by"), pk=pk)
    before = MillVersion.objects.filter(pk__lt=pk).first()
    changes = setups.differences(before.document, result.document) if before else []
    return render(request, "mill/version.html", {"version": result, "before": before, "changes": changes})
