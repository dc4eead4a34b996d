"""Safety cards by station, what must never meet, and checklists that people answer: reminders, never a permit."""

from django.contrib import messages
from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.http import require_http_methods, require_POST, require_safe

from core.errors import ImpossibleInput
from core.safety.cards import CARDS, CLOSING, UNSET, cards_of
from core.safety.checklist import ANSWERS, KINDS, OPEN, Answered, answered
from core.safety.limits import EXPOSURES, TERMS
from core.safety.together import NEVER, SUBSTANCES, together
from desk.handbook import limits as site_limits
from desk.handbook.views import PLACES
from desk.kit.templatetags.vat import stop
from desk.kit.text import plain, whole
from desk.log.actions import write
from desk.log.models import Kind, Record
from desk.people.rights import may

CHECKLIST, UNLOADING = "checklist", "chemical unloading"
SHOWN = 8


@require_safe
def cards(request):
    """The cards of a station, or all; two substances asked whether they may meet."""
    shown = {s for card in CARDS for s in card.stations}
    stations = tuple(key for key in PLACES if key in shown)
    station = request.GET.get("station", "")
    station = station if station in stations else ""
    one, other = request.GET.get("one", ""), request.GET.get("other", "")
    asked = one in SUBSTANCES and other in SUBSTANCES
    site = site_limits.in_force(request.now)
    context = {
        "cards": [(card, site.lines(card.code) if site is not None else []) for card in cards_of(station)],
        "site": site,
        "waiting": site_limits.waiting(request.now),
        "station_asked": station,
        "stations": stations,
        "substances": SUBSTANCES.items(),
        "one": one,
        "other": other,
        "asked": asked,
        "meets": together(one, other) if asked else (),
        "never": [(_words(n.a), _words(n.b), n.outcome) for n in NEVER],
        "closing": CLOSING,
        "unset": UNSET,
    }
    return render(request, "handbook/cards.html", context)


@require_http_methods(["GET", "HEAD", "POST"])
def limits(request):
    """The site's own exposure limits; POST keeps what was typed until a safety role countersigns it."""
    problems: dict[str, str] = {}
    if request.method == "POST":
        kept, problems = site_limits.propose(request.POST, by=request.user, now=request.now)
        if kept is not None:
            messages.success(request, stop(kept.says))
            return redirect("handbook:limits")
    return _limits_page(request, problems)


def _limits_page(request, problems: dict[str, str]):
    site, asked = site_limits.in_force(request.now), site_limits.waiting(request.now)
    shown = asked.data["limits"] if asked is not None else {}
    if asked is None and site is not None:
        shown = site.signed.about.data["limits"]
    rows = []
    for key, exposure in EXPOSURES.items():
        wells = []
        for term, word in TERMS.items():
            name, kept = f"{key}.{term}", shown.get(key, {}).get(term)
            start = "" if kept is None else f"{kept:g}"
            wells.append({"name": name, "word": word, "value": request.POST.get(name, start), "problem": problems.get(name)})
        rows.append({"exposure": exposure, "wells": wells, "cards": [CARD_NAMES[c] for c in exposure.cards]})
    source = asked.words if asked is not None else site.source if site is not None else ""
    context = {
        "rows": rows,
        "site": site,
        "waiting": asked,
        "source": request.POST.get("source", source),
        "problems": problems,
        "closing": CLOSING,
        "unset": UNSET,
        "may_type": request.user.may("limits"),
        "may_sign": asked is not None and request.user.may("sign_limits") and asked.by_id != request.user.pk,
    }
    return render(request, "handbook/limits.html", context, status=422 if problems else 200)


CARD_NAMES = {card.code: card.name for card in CARDS}


@require_POST
@may("sign_limits")
def sign_limits(request, pk: int):
    """Countersign the limits that wait."""
    record = get_object_or_404(Record, pk=pk, kind=Kind.EVENT, subject=site_limits.SUBJECT, status=site_limits.PROPOSED)
    try:
        kept = site_limits.countersign(record, pin=request.POST.get("pin", ""), by=request.user, now=request.now)
    except site_limits.Refused as refusal:
        return _limits_page(request, {refusal.field: str(refusal)})
    messages.success(request, stop(kept.says))
    return redirect("handbook:limits")


def _words(keys) -> str:
    return "; ".join(words for key, words in SUBSTANCES.items() if key in keys)


@require_http_methods(["GET", "HEAD", "POST"])
@may("note")
def checklist(request):
    """A checklist of a kind of work; POST keeps what was answered, also with items open."""
    data = request.POST if request.method == "POST" else request.GET
    earlier = _earlier(data)
    was = earlier.data if earlier is not None else {}
    kind = data.get("kind", was.get("kind", ""))
    kind = kind if kind in KINDS else next(iter(KINDS))
    place = plain(data.get("place", was.get("place", "")))[:80]
    one, other = (data.get(name, was.get(name, "")) for name in ("one", "other"))
    problems: dict[str, str] = {}
    if request.method == "POST":
        told, problems = _read(data, kind, place, one, other)
        if told is not None:
            _keep(request, told, place, {"one": one, "other": other}, earlier)
            return redirect("handbook:checklist")
    context = {
        "kinds": KINDS,
        "kind": kind,
        "place": place,
        "items": _items(data, was, kind, problems),
        "answers": ANSWERS,
        "unloading": kind == UNLOADING,
        "substances": SUBSTANCES.items(),
        "one": one,
        "other": other,
        "meets": together(one, other) if one in SUBSTANCES and other in SUBSTANCES else (),
        "problems": problems,
        "earlier": earlier,
        "newest": Record.objects.current().filter(kind=Kind.EVENT, status=CHECKLIST).order_by("-at", "-id")[:SHOWN],
        "closing": CLOSING,
    }
    return render(request, "handbook/checklist.html", context, status=422 if problems else 200)


def _earlier(data) -> Record | None:
    """The kept checklist that is answered again; None for none, or for one that was already."""
    pk = whole(data.get("again", ""))
    return Record.objects.current().filter(pk=pk, kind=Kind.EVENT, status=CHECKLIST).first() if pk is not None else None


def _items(data, was: dict, kind: str, problems: dict[str, str]) -> list[dict]:
    """Every item with its answer as typed, or as it was kept."""
    kept = dict(was.get("answers", {})) if was.get("kind") == kind else {}
    return [
        {
            "key": key,
            "text": text,
            "answer": data.get(key, kept.get(key, [OPEN, ""])[0]),
            "why": data.get(f"why_{key}", kept.get(key, [OPEN, ""])[1]),
            "problem": problems.get(key, ""),
        }
        for key, text in KINDS[kind]
    ]


def _read(data, kind: str, place: str, one: str, other: str) -> tuple[Answered | None, dict[str, str]]:
    """What was answered, or every problem by its field."""
    problems = {} if place else {"place": "Where is empty; say the vessel, line or tank."}
    if kind == UNLOADING:
        for name, substance in (("one", one), ("other", other)):
            if substance not in SUBSTANCES:
                problems[name] = "Choose what it is; read it from the label, the tank and the batch."
        if not problems and together(one, other) and data.get("read_it") != "yes":
            problems["read_it"] = "These must never meet. Read what happens, stop the unloading, and say that you have."
    told = None
    try:
        why = {key: plain(data.get(f"why_{key}", ""))[:120] for key, _ in KINDS[kind]}
        told = answered(kind, {key: data.get(key, "") for key, _ in KINDS[kind]}, why)
    except ImpossibleInput as refusal:
        problems |= {p.field: f"It {p.text}." for p in refusal.problems}
    return (None if problems else told), problems


def _keep(request, told: Answered, place: str, met: dict[str, str], earlier: Record | None) -> None:
    keys = [key for key, _ in KINDS[told.kind]]
    answers = {key: [answer, why] for key, (_, answer, why) in zip(keys, told.answers, strict=True)}
    data = {"kind": told.kind, "place": place, "answers": answers, "open": told.open, **met}
    done = len(keys) - told.open
    says = f"Checklist {told.kind}, {place}: {done} of {len(keys)} answered; the site’s own permit is the permit"
    again = {"corrects": earlier, "reason": "answered again"} if earlier is not None else {}
    write(kind=Kind.EVENT, by=request.user, now=request.now, says=says, status=CHECKLIST, data=data, **again)
    messages.success(request, f"{says}.")
