"""Putting a unit's settings in force: what changes down the line first, then the record; and setting it back."""

from django.contrib import messages
from django.http import Http404
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.views.decorators.http import require_http_methods, require_POST, require_safe

from core.bleach.unit import BleachPlan
from core.chips.unit import FeedPlan
from core.cook.unit import CookPlan
from core.errors import CoreError, ImpossibleInput
from core.mechanical.unit import RefinePlan
from core.refine.unit import RefinerPlan
from core.wash.unit import OxygenPlan, WashPlan
from desk.kit.bench import typed_number
from desk.kit.templatetags.vat import figure
from desk.kit.text import whole
from desk.kit.ways import own_path
from desk.log.models import Kind, Record
from desk.mill import in_force
from desk.mill.carried import steps
from desk.mill.context import state_of
from desk.people.rights import may, refuse

MINDS = {
    CookPlan: "Alkali burns and the digester is under pressure: the charge is set by the operator on the site’s procedure.",
    WashPlan: "Hot liquor burns; less water sends more to the bleach plant, more water to the evaporators: ring them first.",
    OxygenPlan: "Oxygen: oil-free, slow valves. Alkali burns: shield, gloves, the nearest shower known. Site procedure first.",
    BleachPlan: "ClO₂ and peroxide are set at their own panel, by the site’s procedure; ring the chemical house first.",
    RefinePlan: "Refiner plates clash when the gap or the feed is lost: load is moved slowly, by the operator at the machine.",
    RefinerPlan: "Plates touch without stock between them: flow seen first, then load in small steps, at the machine.",
    FeedPlan: "Feeders and conveyors start without a warning to who stands in them: locked out before a hand goes near.",
}


def _typed(data, plan) -> tuple[dict[str, float], dict[str, str]]:
    """The settings of an address or a form, and the problems of those that are no numbers."""
    values, errors = {}, {}
    for name, said in plan.settable().items():
        if name not in data:
            continue
        try:
            values[name] = typed_number(data[name])
        except ValueError:
            errors[name] = f"{said.label} is “{data[name]}”; it must be a number, {said.allowed}"
    return values, errors


@require_safe
def standing(request):
    """Every unit that has settings, as it is run now: what is in force, since when and by whom, or the set-up."""
    state = state_of(request)
    if state is None:
        return render(request, "no_mill.html")
    rows = []
    for u in state.mill.units:
        if (plan := state.line.acting.get(u.id)) is None:
            continue
        said = plan.settable()
        told = [(q.label, figure(plan.settings()[name], q.decimals), q.unit) for name, q in said.items()]
        rows.append({"unit": u, "told": told, "record": state.put_in_force.get(u.id)})
    return render(request, "mill/in_force.html", {"rows": rows})


@require_http_methods(["GET", "HEAD", "POST"])
def put(request):
    """GET shows the settings of a unit as they would be and what moves down the line; POST puts them in force."""
    state = state_of(request)
    if state is None:
        return render(request, "no_mill.html")
    if request.method == "POST":
        refuse(request.user, "move")
    data = request.POST if request.method == "POST" else request.GET
    if not data.get("unit"):
        return redirect("mill:in_force")
    unit, plan = data.get("unit", ""), state.line.acting.get(data.get("unit", ""))
    if plan is None:
        raise Http404
    back = own_path(request, data.get("back", ""), reverse("shift:home"))
    record = state.put_in_force.get(unit)
    values, errors = _typed(data, plan)
    said = plan.settable()
    why, change = data.get("why", ""), None
    try:
        if not errors:
            change = in_force.weigh(state, unit, values)
            if request.method == "POST":
                seen = whole(data.get("seen", "0"), 0, 10**12) or 0
                made = in_force.put(change=change, why=why, by=request.user, now=request.now, seen=seen)
                messages.success(request, f"{made.says}.")
                return redirect(back)
    except CoreError as failure:
        problems = failure.problems if isinstance(failure, ImpossibleInput) else ()
        named = [(p.field.removeprefix(f"{unit}."), p.text) for p in problems]
        own = {
            name: f"{said[name].label} {text}" if name in said else text
            for name, text in named
            if name in (*said, "why", "unit")
        }
        errors |= own or {"unit": in_force.why_not(state.mill, failure)}
    before = plan.settings()
    rows = [
        {
            "name": name,
            "label": q.label,
            "unit": q.unit,
            "before": figure(before[name], q.decimals),
            "text": data.get(name, f"{before[name]:.6g}"),
            "error": errors.get(name, ""),
        }
        for name, q in said.items()
    ]
    the_unit = next(u for u in state.mill.units if u.id == unit)
    context = {
        "unit": unit,
        "title": the_unit.title,
        "mind": MINDS.get(type(plan), ""),
        "rows": rows,
        "why": why,
        "errors": errors,
        "back": back,
        "standing": record,
        "may_put": request.user.may("move"),
        "change": change,
        "steps": steps(state.mill, state.line, change.line, request.schools, request.get_full_path()) if change else (),
    }
    return render(request, "mill/put.html", context, status=422 if request.method == "POST" else 200)


@require_POST
@may("move")
def set_back(request, pk: int):
    """What was in force before a set point, in force again."""
    record = get_object_or_404(Record, pk=pk, kind=Kind.SETPOINT, subject__startswith=in_force.PREFIX)
    try:
        made = in_force.set_back(record=record, by=request.user, now=request.now)
        messages.success(request, f"{made.says}.")
    except ImpossibleInput as refusal:
        messages.error(request, "Not set back: it " + "; ".join(p.text for p in refusal.problems))
    return redirect(own_path(request, request.POST.get("back", ""), reverse("shift:home")))
