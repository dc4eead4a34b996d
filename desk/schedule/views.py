"""Schedule: the order queue, the run card bench, cards issued and printed, the start of a run."""

import csv
import math
from datetime import datetime, timedelta

from django.contrib import messages
from django.http import Http404, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.utils import timezone
from django.views.decorators.http import require_http_methods, require_POST, require_safe

from core import calc
from core.catalogue import find
from core.colour import GREY_BETA, LIGNIN_BETA, ks_from_reflectance, swatch
from core.deliver.runcard import reliefs, run_card
from core.downtime import WHYS
from core.errors import ImpossibleInput, Infeasible
from core.unit import Worked
from desk.cases.models import HeldCase
from desk.cook.forms import DesignForm, Profile
from desk.kit.bench import render_bench
from desk.kit.sheet import safe
from desk.kit.text import plain, whole
from desk.log.models import Kind, Record
from desk.mill.context import state_of
from desk.mill.planned import planned_furnish
from desk.people.rights import may, refuse
from desk.schedule import halts
from desk.schedule.actions import Refused, add_order, attach_case, attach_cook, issue_card, latest_card, start_run
from desk.schedule.drawings import cover_picture, small_courses
from desk.schedule.forms import OrderForm
from desk.schedule.gates import gates_of
from desk.schedule.planning import least_furnish, plan, refiner_set, relief_words, run_hours

WEEK = timedelta(days=7)


@require_safe
def queue(request):
    """Orders by their planned start, what runs, and the card of each."""
    state = state_of(request)
    if state is None:
        return render(request, "no_mill.html")
    return render(
        request,
        "schedule/queue.html",
        {
            **_queue(state),
            "form": OrderForm(request.GET, state),
            "may_plan": request.user.may("plan"),
            "issued": state.plan_in_force,
        },
    )


def _queue(state) -> dict:
    """Orders as they stand: by their issued card where there is one; a later order begins when the one before it ends."""
    started = {r.subject: r for r in Record.objects.current().filter(kind=Kind.START).order_by("id")}
    rows = []
    for o in Record.objects.current().filter(kind=Kind.ORDER).order_by("at", "id"):
        o.card, o.started = latest_card(o.subject), started.get(o.subject)
        o.run = o.card.data if o.card else o.data
        o.grade_name = state.mill.grades[o.run["grade"]].name if o.run["grade"] in state.mill.grades else o.run["grade"]
        o.running = state.run["order"] == o.subject
        o.start = datetime.fromisoformat(o.run["start"])
        rows.append(o)
    waiting = sorted((o for o in rows if not o.started), key=lambda o: (o.start, o.pk))
    free = state.now
    for o in waiting:
        o.begins = max(o.start, free)
        o.later = o.begins > o.start + timedelta(minutes=1)
        o.ends = o.begins + timedelta(hours=run_hours(o.run, state))
        free = o.ends
    done = sorted((o for o in rows if o.started), key=lambda o: (o.start, o.pk))
    return {"waiting": waiting, "done": done[::-1][:8]}


def _halts_page(request, state, *, status: int = 200, **more):
    rows = halts.told(state, WEEK)
    by_cause, micro, micro_h = halts.lost_by_cause(rows, state, WEEK)
    context = {
        "halts": rows,
        "late": sum(t.late for t in rows),
        "lost": [(x, WHYS.get(x.why, "not said yet")) for x in by_cause],
        "most_h": max((x.hours for x in by_cause), default=0.0),
        "micro": micro,
        "micro_min": 60.0 * micro_h,
        "units": halts.units_of(state.mill),
        "whys": WHYS,
        "may_stop": request.user.may("stop"),
        "typed": request.POST or request.GET,
        **more,
    }
    return render(request, "schedule/halts.html", context, status=status)


def _halts_csv(state) -> HttpResponse:
    """Every stop of the year as a file."""
    response = HttpResponse(content_type="text/csv; charset=utf-8")
    response["Content-Disposition"] = 'attachment; filename="stops.csv"'
    out = csv.writer(response)
    out.writerow(["record", "unit", "from", "to", "minutes", "rate_pct", "code", "planned", "what"])
    for t in halts.told(state, timedelta(days=366)):
        times = [timezone.localtime(x).isoformat() for x in (t.halt.start, t.halt.end)]
        row = [t.record.pk, t.halt.unit or "machine", *times, f"{t.minutes:.0f}", f"{t.halt.rate_pct:g}"]
        out.writerow([safe(c) for c in (*row, t.halt.code, "yes" if t.halt.planned else "no", t.halt.what)])
    return response


@require_http_methods(["GET", "HEAD", "POST"])
def halts_page(request):
    """Stops and reduced rates: those ahead and of the last day, and a new one (POST)."""
    state = state_of(request)
    if state is None:
        return render(request, "no_mill.html")
    if request.method != "POST":
        return _halts_csv(state) if request.GET.get("csv") == "1" else _halts_page(request, state)
    refuse(request.user, "stop")
    corrects = Record.objects.filter(kind__in=halts.KINDS, pk=whole(request.POST.get("corrects", ""))).first()
    halt, bad = halts.read(request.POST, state.now, state.mill, corrects)
    try:
        if halt is not None:
            kept = halts.enter(halt=halt, by=request.user, now=state.now, state=state, corrects=corrects)
            messages.success(request, f"Kept: {kept.says}.{'' if halt.unit else ' Cover and cards follow.'}")
            return redirect("schedule:halts")
    except Refused as refusal:
        bad[refusal.field] = str(refusal)
    return _halts_page(request, state, status=422, bad=bad)


@require_POST
@may("stop")
def end_halt(request, pk: int):
    """It is over now, or taken back before it began."""
    state = state_of(request)
    record = get_object_or_404(Record, pk=pk, kind__in=halts.KINDS)
    if state is None:
        raise Http404
    try:
        kept = halts.end_now(record=record, by=request.user, now=state.now, state=state)
        messages.success(request, f"Kept: {kept.says}.")
    except Refused as refusal:
        messages.error(request, f"Not kept. {refusal}")
    return redirect("schedule:halts")


@require_POST
@may("plan")
def new_order(request):
    state = state_of(request)
    form = OrderForm(request.POST, state)
    wish = form.wish()
    try:
        if wish is not None:
            kept = add_order(
                by=request.user,
                now=state.now,
                number=wish.order,
                grade=wish.grade,
                gsm=wish.gsm,
                sale_t=wish.sale_t,
                speed_m_min=wish.speed_m_min,
                start=wish.start,
                state=state,
            )
            messages.success(request, f"{kept.says}. Work out its card next.")
            return redirect(f"/schedule/card/?order={kept.subject}")
    except Refused as refusal:
        form.errors[refusal.field] = str(refusal)
    return render(
        request, "schedule/queue.html", {**_queue(state), "form": form, "refused": True, "may_plan": True}, status=422
    )


def _opening(data, state) -> dict:
    """A bench opened by its order's number takes the order's figures, or its latest card's."""
    order = Record.objects.current().filter(kind=Kind.ORDER, subject=data.get("order", "")).first()
    if order is None or "gsm" in data:
        return data
    d = order.data
    start = timezone.localtime(datetime.fromisoformat(d["start"]))
    return {
        "order": order.subject,
        "grade": d["grade"],
        "gsm": f"{d['gsm']:g}",
        "sale_t": f"{d['sale_t']:g}",
        "speed_m_min": f"{d['speed_m_min']:g}",
        "start": f"{start:%H:%M}",
        "least": data.get("least", ""),
        **{f"share_{k}": f"{v:g}" for k, v in (planned_furnish(state, order.subject) or (0, {}))[1].items()},
        **{k: v for k, v in data.items() if k.startswith("share_")},
    }


def _as_planned(form: OrderForm, state) -> dict | None:
    """The furnish that the plan in force has for the order, and whether the bench has it so."""
    planned = planned_furnish(state, form.typed["order"])
    if planned is None:
        return None
    number, shares = planned
    own = {f"share_{k}": f"{v:g}" for k, v in shares.items()}
    words = ", ".join(f"{k} {v:g}" for k, v in shares.items())
    return {"number": number, "words": words, "same": all(form.typed[k] == v for k, v in own.items()), "put": own}


def _worked(form: OrderForm, state) -> dict:
    """The bench's answer: the card, its picture, reliefs; or the problems on their fields."""
    wish = form.wish()
    if wish is None:
        return {"form": form}
    try:
        card = plan(wish, state)
    except ImpossibleInput as refusal:
        form.refuse(refusal)
        return {"form": form}
    if isinstance(card, Infeasible):
        form.errors["shares"] = f"Ash of the sheet {card.reason}; least {card.nearest:.1f} %"
        return {"form": form}
    return {
        "form": form,
        "wish": wish,
        "card": card,
        "picture": cover_picture(card, state, wish),
        "hexes": _dry_colours(state),
        **_relieved(card, wish, state),
        "refiners": refiner_set(wish, card, state),
        "least": least_furnish(wish, card, state) if form.least else None,
        "short": card.first_short,
        "grade": form.grade,
        "full_rows": [r for r in card.rows if r.run.high_at_h < card.end_h and not r.supply.spare],
    }


def _relieved(card, wish, state) -> dict:
    """What would let the order run, in words, with the case that tells it; nothing where every vessel holds."""
    if card.feasible:
        return {}
    result = reliefs(card.case)
    return {
        "relieved": Worked(model="deliver.relief", case=card.case, result=result),
        "reliefs": [relief_words(r, card, wish, state) for r in result.listed],
    }


def _dry_colours(state) -> dict[str, str]:
    """The dry pad colour of every source, for its swatch."""
    return {
        k: swatch(ks_from_reflectance(s.source.iso_pct / 100.0), beta=GREY_BETA if k in "RM" else LIGNIN_BETA).hex
        for k, s in state.mill.sources.items()
    }


@require_http_methods(["GET", "HEAD", "POST"])
def bench(request):
    """Work out a run card (GET), issue it (POST)."""
    state = state_of(request)
    if state is None:
        return render(request, "no_mill.html")
    data = request.POST if request.method == "POST" else _opening(request.GET, state)
    form = OrderForm(data, state)
    answer = _worked(form, state)
    answer["latest"] = latest_card(form.typed["order"]) if form.typed["order"] else None
    answer["may_issue"] = request.user.may("plan")
    answer["planned"] = _as_planned(form, state)
    if request.method == "POST" and "card" in answer:
        try:
            kept = issue_card(by=request.user, now=state.now, wish=answer["wish"], card=answer["card"], state=state)
            messages.success(request, f"{kept.says}. Issued.")
            return redirect("schedule:issued", pk=kept.pk)
        except Refused as refusal:
            form.errors[refusal.field] = str(refusal)
    if request.method == "POST":
        return render(request, "schedule/bench.html", answer, status=422)
    return render_bench(request, "schedule/bench", answer)


def _context(record: Record) -> dict:
    return {
        "record": record,
        "d": record.data,
        "courses": small_courses(record.data, None),
        "newest": latest_card(record.subject),
    }


def _as_issued(data: dict):
    """The card worked again from the case it was issued on; None where today's models would tell other figures."""
    try:
        card = run_card(calc.read_case(find("deliver.run_card"), data["case"]))
    except (KeyError, ImpossibleInput):  # issued before cases were kept, or under rules that have changed since
        return None
    if isinstance(card, Infeasible):
        return None
    pairs = [
        (card.hours, data["hours"]),
        *((r.run.l_min, kept["l_min"]) for r, kept in zip(card.rows, data["rows"], strict=True)),
    ]
    return card if all(math.isclose(now, kept, rel_tol=1e-9) for now, kept in pairs) else None


@require_safe
def issued(request, pk: int):
    """A card as it was issued; it is never edited, a change is the next version."""
    return _issued(request, pk)


def _issued(request, pk: int, *, status: int = 200, **shown):
    record = get_object_or_404(Record.objects.current(), pk=pk, kind=Kind.RUNCARD)
    versions = Record.objects.current().filter(kind=Kind.RUNCARD, subject=record.subject).order_by("id")
    started = Record.objects.current().filter(kind=Kind.START, subject=record.subject).first()
    card = _as_issued(record.data)
    rows = [(kept, card.rows[i].worked if card else None) for i, kept in enumerate(record.data["rows"])]
    more = {"versions": versions, "started": started, "card": card, "rows": rows}
    if started is None and latest_card(record.subject).pk == record.pk and (state := state_of(request)) is not None:
        more["gates"] = gates_of(state)
    return render(request, "schedule/issued.html", _context(record) | more | shown, status=status)


@require_safe
def gates_page(request):
    """What must hold before a grade, now; the part alone where a page asks for it again."""
    state = state_of(request)
    if state is None:
        return render(request, "no_mill.html")
    again = "HX-Request" in request.headers
    return render(
        request,
        "schedule/_gates.html" if again else "schedule/gates.html",
        {"gates": gates_of(state), "again": again, "short": "short" in request.GET},
    )


@require_safe
def print_card(request, pk: int):
    record = get_object_or_404(Record.objects.current(), pk=pk, kind=Kind.RUNCARD)
    return render(request, "schedule/print.html", _context(record))


@require_POST
@may("plan")
def attach(request):
    """Send a held case to a run card, which becomes its next version."""
    case = get_object_or_404(HeldCase, pk=whole(request.POST.get("case", "")))
    card = get_object_or_404(Record.objects.current(), pk=whole(request.POST.get("card", "")), kind=Kind.RUNCARD)
    try:
        kept = attach_case(by=request.user, now=request.now, card=card, case=case)
    except Refused as refusal:
        messages.error(request, str(refusal))
        return redirect("cases:one_case", case.pk)
    messages.success(request, f"{kept.says}.")
    return redirect("schedule:issued", pk=kept.pk)


@require_POST
@may("plan")
def attach_design(request):
    """Send the designed cook to a run card, which becomes its next version."""
    card = get_object_or_404(Record.objects.current(), pk=whole(request.POST.get("card", "")), kind=Kind.RUNCARD)
    form, profile = DesignForm(request.POST, schools=request.schools), Profile(request.POST, ())
    try:
        kept = attach_cook(by=request.user, now=request.now, card=card, form=form, profile=profile)
    except Refused as refusal:
        messages.error(request, str(refusal))
        return redirect(f"{reverse('cook:design')}?{request.POST.urlencode()}"[:4000])
    messages.success(request, f"{kept.says}.")
    return redirect("schedule:issued", pk=kept.pk)


@require_POST
def start(request, pk: int):
    """The machine takes this order."""
    state = state_of(request)
    record = get_object_or_404(Record.objects.current(), pk=pk, kind=Kind.RUNCARD)
    try:
        reason = plain(request.POST.get("reason", ""))[:200]
        kept = start_run(by=request.user, now=state.now, card=record, state=state, reason=reason)
    except Refused as refusal:
        if refusal.field == "reason":
            return _issued(request, pk, status=422, problem=str(refusal), reason=reason)
        messages.error(request, str(refusal))
        return redirect("schedule:issued", pk=record.pk)
    messages.success(request, f"{kept.says}. Its shares are set and its first lot is open.")
    return redirect("shift:home")
