"""Plates of the refiners: when they were fitted, what was measured since, how long they last; kept as records."""

from urllib.parse import urlencode

from django.contrib import messages
from django.http import Http404
from django.shortcuts import redirect, render
from django.urls import reverse
from django.views.decorators.http import require_POST, require_safe

from core.errors import ImpossibleInput, Infeasible
from core.refine.life import GROOVE_LEFT, NO_LOAD_FALL, LifeCase, Reading, life
from core.refine.unit import RefinerPlan
from core.unit import Worked
from desk.kit.bench import typed_number
from desk.kit.svg import n, polyline, ticks
from desk.kit.templatetags.vat import figure
from desk.kit.text import whole
from desk.kit.writing import writing
from desk.log.actions import write
from desk.log.models import Kind, Record
from desk.mill.context import state_of
from desk.mill.ribbon import STATIONS, draw_small
from desk.people.rights import may

PLATES = "plates."
WHAT = {"fitted": "new plates fitted", "measured": "plates measured"}
FIELDS = (
    ("no_load_kw", "No-load, backed off on water", "kW", 1.0, 10_000.0),
    ("groove_mm", "Groove depth", "mm", 0.1, 30.0),
    ("gap_mm", "Gap, running", "mm", 0.01, 5.0),
)
BOX = (48.0, 560.0, 30.0, 250.0)
TRENDED = tuple(f for f in FIELDS if f[0] != "gap_mm")  # the gap is set, it does not wear
SAID = {"gap_mm": "gap "}
LOCKED = "Plates are changed with the refiner locked out, drained and cooled, by licensed hands; plates are heavy and sharp."


def _refiners(state) -> list[dict]:
    """Every refiner of the mill by its unit and place there."""
    return [
        {"unit": key, "i": i, "r": r, "subject": f"{PLATES}{key}.{i}"}
        for key, plan in state.line.acting.items()
        if isinstance(plan, RefinerPlan)
        for i, r in enumerate(plan.refiners, start=1)
    ]


def _back(of: str, **told: str):
    """The page of a refiner's plates, with what was typed and why it was refused."""
    return redirect(f"{reverse('refine:plates')}?{urlencode({'of': of, **told})}")


def _book(state, subject: str) -> list[Record]:
    """Entries of a refiner's plates that stand, oldest first."""
    rows = Record.objects.current().filter(kind=Kind.EVENT, subject=subject, at__lte=state.now)
    return list(rows.order_by("at", "id"))


def newest_gap(state, unit: str, number: int) -> Record | None:
    """The newest running gap that was kept of a refiner."""
    book = _book(state, f"{PLATES}{unit}.{number}")
    return next((r for r in reversed(book) if r.data.get("gap_mm")), None)


def _since(book: list[Record]) -> list[Record]:
    """From the newest plates on."""
    at = max((i for i, r in enumerate(book) if r.status == "fitted"), default=None)
    return [] if at is None else book[at:]


@require_safe
def plates(request):
    """A refiner's plates: no-load and groove since they were fitted, hours to their limits, what to keep."""
    state = state_of(request)
    if state is None:
        return render(request, "no_mill.html")
    known = _refiners(state)
    chosen = next((x for x in known if x["subject"] == f"{PLATES}{request.GET.get('of', '')}"), known[0] if known else None)
    context = {
        "station": "refine",
        "stations": STATIONS,
        "small": draw_small(state),
        "known": known,
        "chosen": chosen,
        "on_plates": True,
        "choices": WHAT,
        "what": request.GET.get("what", "measured") if request.GET.get("what") in WHAT else "measured",
        "may_record": request.user.may("record"),
        "trouble": request.GET.get("trouble", "")[:200],
        "mind": LOCKED,
        "wells": [(name, label, unit, request.GET.get(name, "")[:40]) for name, label, unit, *_ in FIELDS],
    }
    if chosen is None:
        return render(request, "refine/plates.html", context)
    book = _book(state, chosen["subject"])
    since = _since(book)
    context |= {"book": book[::-1], "since": since[0] if since else None}
    if since:
        context["hours"] = (state.now - since[0].at).total_seconds() / 3600.0
        context["trends"] = [t for t in (_trend(since, name, label, unit) for name, label, unit, *_ in TRENDED) if t]
        new, last = since[0].data.get("no_load_kw"), since[-1].data.get("no_load_kw")
        if new and last and last < (1.0 - NO_LOAD_FALL) * new:
            context["f3"] = f"{reverse('moves:table')}?group=refine"
    return render(request, "refine/plates.html", context)


def _trend(since: list[Record], name: str, label: str, unit: str) -> dict | None:
    """A signal since the plates were fitted: points, its line to the limit, hours with how sure; None of one never read."""
    read = [(r, float(r.data[name])) for r in since if r.data.get(name)]
    if not read:
        return None
    first = read[0][1]
    limit = (1.0 - NO_LOAD_FALL if name == "no_load_kw" else GROOVE_LEFT) * first
    points = [((r.at - since[0].at).total_seconds() / 3600.0, v) for r, v in read]
    told = {"label": label, "unit": unit, "limit": limit, "first": first, "last": read[-1][1], "count": len(points)}
    result = None
    if len(points) >= 2:
        case = LifeCase(limit=limit, readings=tuple(Reading(h=round(h, 2), y=v) for h, v in points))
        try:
            result = life(case)
        except ImpossibleInput as refusal:
            told["why"] = "; ".join(p.text for p in refusal.problems)
        if isinstance(result, Infeasible):
            told["why"], result = f"Readings {result.reason}", None
        elif result is not None:
            told["worked"] = Worked(model="refine.life", case=case, result=result)
    else:
        told["why"] = "Four readings since they were fitted tell a trend"
    return told | {"p": _picture(points, limit, result)}


def _picture(points, limit: float, result) -> dict:
    left, right, top, foot = BOX
    far = max([h for h, _ in points] + [100.0])
    if result is not None and result.trend:
        far = max(far, min(1.15 * result.hours, 4.0 * far))
    values = [v for _, v in points] + [limit]
    low, high = min(values), max(values)
    pad = max(0.05 * abs(high), 0.15 * (high - low))
    low, high = low - pad, high + pad

    def x(h: float) -> float:
        return left + (right - left) * min(far, h) / far

    def y(v: float) -> float:
        return foot - (foot - top) * (min(high, max(low, v)) - low) / (high - low)

    line = ""
    if result is not None and result.trend:
        line = polyline((x(h), y(result.intercept + result.slope * h)) for h in (0.0, min(far, result.hours)))
    return {
        "dots": [{"x": n(x(h)), "y": n(y(v))} for h, v in points],
        "line": line,
        "limit_y": n(y(limit)),
        "band": {"x": n(x(result.low)), "w": n(max(1.0, x(min(far, result.high)) - x(result.low)))}
        if result is not None and result.trend
        else None,
        "left": n(left),
        "right": n(right),
        "top": n(top),
        "foot": n(foot),
        "height": n(foot - top),
        "x": [{"x": n(x(h)), "text": f"{h:g}"} for h in ticks(0.0, far)],
        "y": [{"y": n(y(v)), "text": f"{v:g}"} for v in ticks(low, high, most=4)],
    }


def _typed(data) -> dict[str, str]:
    return {name: data.get(name, "").strip()[:20] for name, *_ in FIELDS}


@require_POST
@may("record")
def keep(request):
    """Keep that plates were fitted or measured; an entry put right stands in the place of the wrong one."""
    state = state_of(request)
    if state is None:
        raise Http404
    data = request.POST
    chosen = next((x for x in _refiners(state) if x["subject"] == f"{PLATES}{data.get('of', '')}"), None)
    if chosen is None:
        raise Http404
    of, what = data["of"], data.get("what", "")
    if what not in WHAT:
        return _back(of, trouble="Choose one of fitted, measured.")
    values = {}
    for name, label, unit, low, high in FIELDS:
        text = data.get(name, "").strip()[:20]
        if not text:
            continue
        try:
            value = typed_number(text)
        except ValueError:
            return _back(of, what=what, trouble=f"{label} is “{text}”; it must be a number of {unit}.", **_typed(data))
        if not low <= value <= high:
            told = f"{label} is {value:g} {unit}; it must be {low:g} to {high:g} {unit}."
            return _back(of, what=what, trouble=told, **_typed(data))
        values[name] = value
    if not values:
        return _back(of, what=what, trouble="Nothing is typed; no-load, groove depth or gap is wanted.")
    corrects = None
    if data.get("entry"):
        own = Record.objects.current().filter(kind=Kind.EVENT, subject=chosen["subject"])
        corrects = own.filter(pk=whole(data["entry"])).first()
        if corrects is None:
            return _back(of, trouble="That entry was put right already.")
    if what == "measured" and corrects is None and not _since(_book(state, chosen["subject"])):
        return _back(of, what="fitted", trouble="No plates are fitted by the record yet; keep that first.", **_typed(data))
    says = ", ".join(
        f"{SAID.get(name, '')}{figure(values[name], 2 if unit == 'mm' else 0)} {unit}"
        for name, _, unit, *_ in FIELDS
        if name in values
    )
    with writing():
        made = write(
            kind=Kind.EVENT,
            subject=chosen["subject"],
            by=request.user,
            now=state.now,
            at=corrects.at if corrects else state.now,
            says=f"{chosen['r'].name}, {WHAT[what]}: {says}",
            status=what,
            data=values,
            corrects=corrects,
            reason="mistyped" if corrects else "",
        )
    messages.success(request, f"Kept. {made.says}.")
    return _back(of)
