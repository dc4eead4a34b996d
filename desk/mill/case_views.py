"""The page of a case of the whole line: what if; held, compared, taken away, put in force."""

from urllib.parse import urlencode

from django.contrib import messages
from django.http import JsonResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.views.decorators.http import require_POST, require_safe

from core.errors import CoreError, ImpossibleInput
from desk.kit.templatetags.vat import figure
from desk.kit.text import whole
from desk.mill import in_force
from desk.mill import line_case as cases
from desk.mill.context import state_of
from desk.mill.models import HeldLine
from desk.mill.put_views import MINDS
from desk.mill.ribbon import STATIONS, draw_ribbon, outlines, places
from desk.people.rights import may

WEDGE_PX, WEDGE_H = 44.0, 12.0
FIRST_ROWS = 4  # of a station, under its column


def _address(case: cases.LineCase, **more: str) -> str:
    pairs = [*case.query, *((k, v) for k, v in more.items() if v)]
    return reverse("mill:case") + (f"?{urlencode(pairs)}" if pairs else "")


def _held(request, state) -> tuple[HeldLine | None, cases.Carried | None]:
    """The held case that is laid beside this one, carried through the line as it is now."""
    kept = HeldLine.objects.filter(pk=whole(request.GET.get("beside", "")) or 0).first()
    if kept is None:
        return None, None
    try:
        return kept, cases.carry(state, _case_of(kept, state), request.schools)
    except CoreError as failure:
        messages.error(request, f"“{kept.name}” cannot be run now: {failure}")
        return kept, None


def _case_of(kept: HeldLine, state) -> cases.LineCase:
    """A held case as the mill of today can run it; settings that exist no longer are left out."""
    return cases.read_case(dict(cases.LineCase(settings=kept.changes, shares_pct=kept.shares_pct).query), state)[0]


def _changes(state, case: cases.LineCase, typed: dict, errors: dict) -> list[cases.Change]:
    """The rows of the bench: each setting that is other than today's or was typed, then the furnish."""
    rows = []
    for unit, title, name, said in cases.settings_of(state):
        place = f"{cases.SETTING}{unit}.{name}"
        now = state.line.acting[unit].settings()[name]
        if place in typed or name in case.settings.get(unit, {}):
            text = typed.get(place) or f"{now:.6g}"
            rows.append(
                cases.Change(place, title, said.label, said.unit, figure(now, said.decimals), text, unit, errors.get(place, ""))
            )
    if any(k.startswith(cases.SHARE) for k in typed) or case.shares_pct:
        for key, source in state.mill.sources.items():
            place, now = f"{cases.SHARE}{key}", 100.0 * state.shares.get(key, 0.0)
            text = typed.get(place) or f"{case.shares_pct.get(key, now):.6g}"
            rows.append(cases.Change(place, "furnish", source.name, "% OD", figure(now, 1), text, "", errors.get(place, "")))
    return rows


def _discs(state, changes: list[cases.Change]) -> list[dict]:
    """A numbered disc on each unit that is changed, where the ribbon draws it."""
    stands, told, discs = places(state), {}, []
    for i, c in enumerate(changes, start=1):
        if c.target in stands:
            told.setdefault(c.target, []).append(i)
    for unit, numbers in told.items():
        x, y = stands[unit]
        discs.append(
            {"x": f"{x + 14:.1f}", "y": f"{y - 30:.1f}", "text": ",".join(map(str, numbers)), "r": 9 + 3 * (len(numbers) - 1)}
        )
    return discs


def _wedge(cover) -> dict:
    """A vessel's end on the one scale of hours."""
    hours = min(cover.hours, WEDGE_H)
    return {"x": f"{WEDGE_PX * hours / WEDGE_H:.1f}", "ends": cover.way != "steady" and cover.hours <= WEDGE_H}


def _by_station(carried: cases.Carried, beside: cases.Carried | None) -> list[dict]:
    """What changes, under the column of its station; figures of the held case beside, where it has them."""
    other = {(s.title, r.label): r.after for s in beside.steps for r in s.rows} if beside else {}
    columns = []
    for key, digit, name in STATIONS:
        rows = [
            {"title": s.title, "row": r, "held": other.get((s.title, r.label), "")}
            for s in carried.steps
            if s.station == key
            for r in s.rows
        ]
        columns.append({"key": key, "digit": digit, "name": name, "rows": rows[:FIRST_ROWS], "more": len(rows) - FIRST_ROWS})
    return columns


@require_safe
def case(request):
    """What if: a case against today."""
    return _page(request, request.GET.dict())


def _page(request, data: dict, *, why: str = "", refused: str = "", field: str = "", status: int = 200):
    state = state_of(request)
    if state is None:
        return render(request, "no_mill.html")
    typed = {k: v for k, v in data.items() if k.startswith((cases.SETTING, cases.SHARE))}
    added = data.get("add", "")
    if added:
        typed.setdefault(added, "")
    if added == cases.SHARE:
        typed = {k: v for k, v in typed.items() if k != cases.SHARE} | {
            f"{cases.SHARE}{k}": typed.get(f"{cases.SHARE}{k}", "") for k in state.mill.sources
        }
    upsets = cases.upsets_of(state)
    typed |= dict(next((settings for key, _, settings in upsets if key == data.get("upset")), ()))
    wanted, errors = cases.read_case(typed, state)
    carried = trouble = None
    kept, beside = _held(request, state)
    if not errors:
        try:
            carried = cases.carry(state, wanted, request.schools)
        except CoreError as failure:
            trouble = in_force.why_not(state.mill, failure)
    changes = _changes(state, wanted, typed, errors)
    units = {c.target for c in changes if c.target}
    context = {
        "ribbon": draw_ribbon(state),
        "stations": STATIONS,
        "case": wanted,
        "changes": changes,
        "choices": [c for c in cases.settings_of(state) if f"{cases.SETTING}{c[0]}.{c[2]}" not in {r.name for r in changes}],
        "upsets": upsets,
        "no_furnish": not any(c.target == "" for c in changes),
        "carried": carried,
        "trouble": trouble,
        "kept": kept,
        "beside": beside,
        "held": HeldLine.standing()[:30],
        "may_put": request.user.may("move"),
        "minds": sorted({MINDS[type(state.line.acting[u])] for u in units if type(state.line.acting[u]) in MINDS}),
        "seen": _seen(state, wanted),
        "why": why,
        "refused": refused,
        "field": field,
        "json_query": urlencode(wanted.query),
    }
    if carried:
        context |= {
            "outline": outlines(state, carried.other) if not wanted.empty else [],
            "dashed": outlines(state, beside.other) if beside else [],
            "discs": _discs(state, changes),
            "columns": _by_station(carried, beside),
            "leaves": [j for j in carried.judged if j.state != "in" or j.leaves],
            "in_band": sum(j.state == "in" for j in carried.judged),
            "ends": [{"e": e, "now": _wedge(e.now), "then": _wedge(e.then)} for e in carried.ends],
        }
    return render(request, "mill/case.html", context, status=422 if errors or trouble else status)


def _seen(state, wanted: cases.LineCase) -> list[tuple[str, int]]:
    """The records that stand where the case would write, so that a set point put meanwhile is not overrun."""
    told = [(unit, state.put_in_force[unit].pk if unit in state.put_in_force else 0) for unit in wanted.settings]
    return told + ([("", state.setpoints[-1].pk if state.setpoints else 0)] if wanted.shares_pct else [])


@require_safe
def as_json(request):
    """The case and all it changes as JSON."""
    state = state_of(request)
    if state is None:
        return JsonResponse({"error": "no mill is set up"}, status=404)
    wanted, errors = cases.read_case(request.GET.dict(), state)
    try:
        if errors:
            return JsonResponse({"errors": errors}, status=422)
        told = cases.as_json(cases.carry(state, wanted, request.schools))
    except CoreError as failure:
        return JsonResponse({"error": str(failure)}, status=422)
    response = JsonResponse(told, json_dumps_params={"indent": 1, "ensure_ascii": False})
    response["Content-Disposition"] = 'attachment; filename="line-case.json"'
    return response


@require_POST
@may("hold_case")
def hold(request):
    """Hold the case of the page under a name."""
    state = state_of(request)
    if state is None:
        return redirect("mill:case")
    wanted, errors = cases.read_case(request.POST.dict(), state)
    try:
        if errors:
            raise ImpossibleInput()
        kept = cases.hold(name=request.POST.get("name", ""), case=wanted, by=request.user, now=request.now)
    except ImpossibleInput as refusal:
        return _page(request, request.POST.dict(), refused=str(refusal) or "is not held", field="name", status=422)
    messages.success(request, f"Held as “{kept.name}”. Change a setting and see it beside, dashed.")
    return redirect(_address(wanted, beside=str(kept.pk)))


@require_POST
@may("hold_case")
def let_go(request, pk: int):
    """A held case off the list."""
    kept = get_object_or_404(HeldLine, pk=pk)
    kept.let_go(by=request.user, now=request.now)
    messages.success(request, f"“{kept.name}” is let go.")
    return redirect("mill:case")


@require_safe
def open_held(request, pk: int):
    """A held case opened: its address with its settings as they are today."""
    kept = get_object_or_404(HeldLine, pk=pk)
    return redirect(_address(cases.LineCase(settings=kept.changes, shares_pct=kept.shares_pct)))


@require_POST
@may("move")
def put(request):
    """Every change of the case in force together, or none of it."""
    state = state_of(request)
    if state is None:
        return redirect("mill:case")
    data = request.POST.dict()
    wanted, errors = cases.read_case(data, state)
    if errors:
        return _page(request, data, why=data.get("why", ""), status=422)
    seen = {k.removeprefix("seen."): whole(v, 0, 10**12) or 0 for k, v in data.items() if k.startswith("seen.")}
    try:
        carried = cases.carry(state, wanted, request.schools)
        made = cases.put(carried, why=data.get("why", ""), seen=seen, by=request.user, now=request.now)
    except ImpossibleInput as refusal:
        told = "; ".join(f"{p.field} {p.text}" for p in refusal.problems)
        return _page(request, data, why=data.get("why", ""), refused=told, field="why", status=422)
    except CoreError as failure:
        return _page(request, data, why=data.get("why", ""), refused=f"cannot be run: {failure}", field="why", status=422)
    messages.success(request, f"In force: {len(made)} set point{'s' if len(made) != 1 else ''}.")
    return redirect("mill:in_force")
