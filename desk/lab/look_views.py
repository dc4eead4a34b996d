"""Looks and rounds: chosen by their drawings, graded, judged; a round walked stop by stop."""

from django.contrib import messages
from django.http import Http404
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.views.decorators.http import require_http_methods, require_POST

from core.lab.looks import GRADES
from core.safety.cards import CARDS
from desk.kit.templatetags.vat import stop as full_stop
from desk.kit.text import plain, whole
from desk.lab import looks as kept
from desk.lab.look_drawings import drawn
from desk.log.models import Record
from desk.mill.context import state_of
from desk.mill.ribbon import STATIONS, draw_small

SHOWN = 12


def _begun(state, text: str) -> Record | None:
    """A round that goes on, by its record."""
    pk = whole(text)
    found = next((r for r in kept.rounds(state, state.shift.start) if r.begun.pk == pk and r.done is None), None)
    return found.begun if found is not None else None


def _page(request, state, *, problem: str = "", field: str = "", status: int = 200):
    given = request.GET if request.method == "GET" else request.POST
    begun = _begun(state, given.get("round", ""))
    line = begun.subject.removeprefix(kept.ROUND) if begun is not None else ""
    seen = kept.board(state)
    if line:
        seen = [s for s in seen if s.stop.line == line]
    keys = [s.stop.key for s in seen]
    done = kept.round_of(begun).seen if begun is not None else set()
    asked = given.get("key", "")
    first = next((k for k in keys if k not in done), keys[0] if keys else "")
    key = asked if asked in keys else first
    chosen = next((s for s in seen if s.stop.key == key), None)
    cards = {c.code: c for c in CARDS}
    codes = [(c, drawn(chosen.stop.look.shape, c.marks), cards.get(c.card)) for c in chosen.stop.look.codes] if chosen else []
    groups: dict[str, list] = {}
    for s in seen:
        groups.setdefault(s.stop.line, []).append(s)
    context = {
        "station": chosen.stop.station if chosen else "",
        "stations": STATIONS,
        "small": draw_small(state),
        "groups": groups.items(),
        "chosen": chosen,
        "codes": codes,
        "grades": GRADES,
        "round": begun,
        "done": done,
        "left": [s for s in seen if s.stop.key not in done] if begun is not None else [],
        "rounds": kept.due(state),
        "newest": sorted((s for s in seen if s.record is not None), key=lambda s: s.record.at, reverse=True)[:SHOWN],
        "may_look": request.user.may("look"),
        "problem": problem,
        "field": field,
        "typed": request.POST,
    }
    return render(request, "lab/looks.html", context, status=status)


@require_http_methods(["GET", "HEAD", "POST"])
def looks(request):
    """The looks of the mill, and the one that is chosen; POST keeps it."""
    state = state_of(request)
    if state is None:
        return render(request, "no_mill.html")
    if request.method != "POST":
        return _page(request, state)
    given = request.POST
    begun = _begun(state, given.get("round", ""))
    try:
        made = kept.keep(
            state=state,
            key=given.get("key", ""),
            code=given.get("code", ""),
            grade=given.get("grade", ""),
            words=plain(given.get("words", "")),
            by=request.user,
            now=state.now,
            round_=begun,
        )
    except kept.Refused as refusal:
        return _page(request, state, problem=str(refusal), field=refusal.field, status=422)
    messages.success(request, full_stop(made.says))
    back = reverse("lab:looks")
    return redirect(f"{back}?round={begun.pk}" if begun is not None else f"{back}?key={given.get('key', '')}")


@require_POST
def begin(request):
    """Begin a round of a line, or go on with the one that is begun."""
    state = state_of(request)
    if state is None:
        raise Http404
    try:
        made = kept.begin(state=state, line=request.POST.get("line", ""), by=request.user, now=state.now)
    except kept.Refused as refusal:
        messages.error(request, str(refusal))
        return redirect("lab:looks")
    return redirect(f"{reverse('lab:looks')}?round={made.pk}")


@require_POST
def finish(request, pk: int):
    """Finish a round: what was not looked at is skipped with a reason."""
    state = state_of(request)
    begun = get_object_or_404(Record, pk=pk, status=kept.BEGUN)
    if state is None:
        raise Http404
    skipped = {k.removeprefix("why."): plain(v) for k, v in request.POST.items() if k.startswith("why.")}
    try:
        made = kept.finish(state=state, begun=begun, skipped=skipped, by=request.user, now=state.now)
    except kept.Refused as refusal:
        messages.error(request, str(refusal))
        return redirect(f"{reverse('lab:looks')}?round={pk}")
    messages.success(request, full_stop(made.says))
    return redirect("lab:looks")
