"""The bale yard: lots by kind and age with their cover, what came in; a lot with its book, its tests and where it went."""

from urllib.parse import urlencode

from django.contrib import messages
from django.http import Http404
from django.shortcuts import redirect, render
from django.urls import reverse
from django.views.decorators.http import require_POST, require_safe

from core.errors import ImpossibleInput
from core.quantity import quantities
from core.recovered.yard import TESTED, BaleKind, SortCase, sorting
from core.unit import Worked
from desk.kit.bench import typed_number
from desk.kit.text import whole
from desk.log.models import Kind, Record
from desk.mill.context import state_of
from desk.people.rights import may
from desk.recovered import bales
from desk.recovered.drawings import yard_picture
from desk.recovered.views import station

RECEIVED = ("bales", "kg", "moisture_pct", "post_pct", "pre_pct")
COUNTED = ("bales", "kg")
SORTED = ("machine_pct", "machine_loss", "hand_pct", "hand_loss")
LABELS = {"bales": ("Bales", ""), "kg": ("Weight", "kg")}
FIELDS = {"received": RECEIVED, "counted": COUNTED, "tested": TESTED, "sorted": SORTED, "held": (), "freed": ()}


def _wells(names, starts, back) -> list[dict]:
    """Rows of a form: label, unit, and what stands in each: what was typed and refused, else where it opens."""
    said = {**quantities(SortCase), **quantities(BaleKind)}
    told = []
    for name in names:
        label, unit = LABELS.get(name) or (said[name].label, said[name].unit)
        start = starts.get(name)
        text = back.get(name, "" if start is None else f"{start:g}")
        told.append({"name": name, "label": label[0].upper() + label[1:], "unit": unit, "text": text})
    return told


def _values(data, names) -> dict[str, float | None]:
    """What was typed, by name; None for an empty well. Raises: YardRefused for what is no number."""
    told: dict[str, float | None] = {}
    for name in names:
        text = data.get(name, "").strip()
        try:
            told[name] = typed_number(text) if text else None
        except ValueError:
            label = name.split("_")[0].capitalize()
            raise bales.YardRefused(name, f"{label} is “{text[:40]}”; it must be a number.") from None
    return told


def _kind_of(state, key: str) -> BaleKind | None:
    kinds = state.mill.bales
    return kinds.get(key) or next(iter(kinds.values()), None)


@require_safe
def yard(request):
    """Lots by kind, the oldest first; which goes next, cover, when to order; what came in."""
    state = state_of(request)
    if state is None:
        return render(request, "no_mill.html")
    lots = bales.lots_of(state)
    standing = bales.standings(state, lots)
    kind = _kind_of(state, request.GET.get("kind", ""))
    starts = {"moisture_pct": kind.moisture_pct, "post_pct": kind.post_pct, "pre_pct": kind.pre_pct} if kind else {}
    context = station(
        request,
        state,
        standing=standing,
        p=yard_picture([(s.kind.name, s) for s in standing]),
        kinds=state.mill.bales.values(),
        kind=kind,
        wells=_wells(RECEIVED, starts, request.GET),
        document=request.GET.get("document", "")[:60],
        trouble=request.GET.get("trouble", "")[:300],
        field=request.GET.get("field", "")[:40],
        newest=sorted(lots.values(), key=lambda x: x.age_days)[:6],
        old=[x for x in lots.values() if x.kg > 0.0 and x.age == "act"],
        gone=sum(x.kg <= 0.0 for x in lots.values()),
        may_record=request.user.may("record"),
        yarding=True,
    )
    return render(request, "recovered/yard.html", context)


def _back(request, to: str, refusal: bales.YardRefused):
    typed = {k: v[:60] for k, v in request.POST.items() if k not in ("csrfmiddlewaretoken", "once")}
    return redirect(f"{to}?{urlencode(typed | {'trouble': f'Not kept. {refusal}', 'field': refusal.field})}#kh")


@require_POST
@may("record")
def receive_lot(request):
    """Keep a lot that came in."""
    state = state_of(request)
    if state is None:
        raise Http404
    try:
        kept = bales.receive(
            state=state,
            kind=request.POST.get("kind", ""),
            values=_values(request.POST, RECEIVED),
            document=request.POST.get("document", ""),
            by=request.user,
            now=request.now,
        )
    except bales.YardRefused as refusal:
        return _back(request, reverse("recovered:yard"), refusal)
    messages.success(request, f"Kept. {kept.says}.")
    if others := bales.of_one_note(state, kept):
        told = (
            f"Note {kept.data['document']} stands with {', '.join(others)} too. If it is one delivery, put one of them right."
        )
        messages.warning(request, told)
    return redirect("recovered:bale_lot", number=kept.subject.removeprefix(bales.BALES))


@require_safe
def lot(request, number: str):
    """A lot: what is left of it, its tests beside the kind's, its book, the batches it went to; what is kept of it."""
    state = state_of(request)
    number = number.upper()
    kept = Record.objects.filter(kind=Kind.EVENT, subject=f"{bales.BALES}{number}").order_by("at", "id")
    if state is None or not kept:
        raise Http404
    lots = bales.lots_of(state)
    found = lots.get(number)
    what = request.GET.get("what", "counted")
    what = what if what in FIELDS else "counted"
    entry, why = bales.entry_to_correct(state, number, whole(request.GET.get("entry", "")), request.user)
    if entry is not None:
        what = entry.status
    starts: dict = {}
    if found is not None:
        starts = {"bales": round(found.bales), "kg": round(found.kg, 1)} if what == "counted" else {}
        if what == "sorted":
            starts = {n: getattr(SortCase(kg=1, unwanted_pct=0), n) for n in SORTED}
    if entry is not None:
        starts = {k: v for k, v in {**entry.data, **entry.data.get("tests", {})}.items() if isinstance(v, int | float)}
    sorts = None
    if found is not None and what == "sorted" and found.kg > 0.0:
        try:
            case = bales.sort_case(found, _values(request.GET, SORTED))
            sorts = Worked(model="yard.sorting", case=case, result=sorting(case))
        except (bales.YardRefused, ImpossibleInput):
            sorts = None
    said = quantities(BaleKind)
    made = (
        {r.subject: r for r in Record.objects.current().filter(kind=Kind.LOT_CLOSE, subject__in=[n for n, _ in found.into])}
        if found
        else {}
    )
    context = station(
        request,
        state,
        number=number,
        lot=found,
        entries=kept.reverse(),
        what=what,
        choices=[(k, bales.WHAT[k]) for k in FIELDS if k != "received"],
        wells=_wells(FIELDS[what], starts, request.GET),
        document=request.GET.get("document", entry.data.get("document", "") if entry else ""),
        words=request.GET.get("words", "")[:300],
        entry=entry,
        why=why,
        trouble=request.GET.get("trouble", "")[:300],
        field=request.GET.get("field", "")[:40],
        sorts=sorts,
        tests=[(said[n], found.tests[n], getattr(found.kind, n)) for n in TESTED] if found else [],
        into=[(n, kg, made.get(n)) for n, kg in found.into] if found else [],
        may_record=request.user.may("record"),
        may_free=request.user.may("move"),
        yarding=True,
    )
    return render(request, "recovered/bale_lot.html", context)


@require_POST
@may("record")
def keep_entry(request, number: str):
    """Keep a count, tests, a sorting, a hold or its end; or an entry again as it should have been."""
    state = state_of(request)
    if state is None:
        raise Http404
    number, what = number.upper(), request.POST.get("what", "")
    to = reverse("recovered:bale_lot", args=[number])
    try:
        entry, why = bales.entry_to_correct(state, number, whole(request.POST.get("entry", "")), request.user)
        if why:
            raise bales.YardRefused("entry", why)
        if entry is not None and entry.status != what:
            raise bales.YardRefused("entry", f"That entry is {bales.WHAT[entry.status]}, not {bales.WHAT.get(what, 'that')}.")
        values = _values(request.POST, FIELDS.get(what, ()))
        common = {"state": state, "by": request.user, "now": request.now, "corrects": entry}
        if what == "received" and entry is not None:
            kept = bales.receive(kind=entry.data["kind"], values=values, document=request.POST.get("document", ""), **common)
        else:
            kept = bales.keep(number=number, what=what, values=values, words=request.POST.get("words", ""), **common)
    except bales.YardRefused as refusal:
        return _back(request, to, refusal)
    messages.success(request, f"Kept. {kept.says}.")
    return redirect(to)
