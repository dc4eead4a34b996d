"""The pulper's batch: the card beside what was really loaded of which lots, the water that mends it, when it is ready, when the
next is due, its record, and the second person who reads the labels."""

from contextlib import suppress
from dataclasses import replace
from datetime import timedelta
from typing import Any
from urllib.parse import urlencode

from django.contrib import messages
from django.http import Http404
from django.shortcuts import redirect, render
from django.urls import reverse
from django.views.decorators.http import require_POST, require_safe

from core import calc
from core.catalogue import find
from core.errors import ImpossibleInput, Infeasible
from core.practice.recovered import INNER_PCT
from core.recovered.ink import InkCase, on_fibre_through
from core.recovered.pulper import (
    FURNISH,
    DefiberCase,
    DefiberFound,
    Load,
    LoadedCase,
    NextCase,
    defiber,
    loaded,
    mended,
    next_batch,
    off_by,
)
from core.recovered.pulper import bags as bags_of
from core.recovered.unit import RecoveredPlan
from core.recovered.vat import Vat
from core.unit import Worked
from desk.cases.benches import held_case
from desk.kit.bench import Well, read_wells, refuse_well, render_bench
from desk.kit.templatetags.vat import clock
from desk.kit.text import whole
from desk.log.models import Kind, Record
from desk.mill.context import state_of
from desk.people.models import Person
from desk.people.rights import may
from desk.recovered.bales import LotNow, YardRefused, lots_of, number_of
from desk.recovered.batches import (
    BATCHES,
    Batch,
    BatchRefused,
    batch,
    batches,
    chest_now,
    draw_of,
    dump,
    keep,
    read_labels,
)
from desk.recovered.drawings import chest_picture, defiber_picture, vat_picture
from desk.recovered.views import station

MOST_LOADS = 6
BENCH_VAT = Vat(key="", name="Pulper", source="none", vat_m3=22, cons_pct=14, heel_m3=0.6, net_kw=145, chest_m3=120)
ROTOR = (
    Well("net_kw", "Net power of the rotor", "kW", 145, 1, 5000),
    Well("soak_min", "Soak before the rotor", "min", 0, 0, 600),
    Well("f0_pct", "Flakes at first", "%", 60, 1, 100),
    Well("to_pct", "Flakes wanted", "%", 2, 0.1, 50),
)
BAGS = (("caustic", 12.5, 5.0), ("silicate", 25.0, 17.5), ("soap", 10.0, 3.5))
SPARE = ("bales", 7, 420.0, 8.5)  # a load where no kind of bales is set up


def _wells(vat: Vat, water_m3: float) -> tuple[Well, ...]:
    return (
        Well("vat_m3", "Vat", "m³", vat.vat_m3, 0.5, 500),
        Well("cons_pct", "Consistency wanted", "%", vat.cons_pct, 2, 25),
        Well("water_m3", "White water in", "m³", water_m3, 0, 500),
        Well("white_pct", "its consistency", "%", vat.white_pct, 0, 2),
        Well("heel_m3", "Heel left in", "m³", vat.heel_m3, 0, 500),
        Well("heel_pct", "at", "%", vat.cons_pct, 0, 25),
        Well("temp_c", "Temperature", "°C", vat.temp_c, 1, 95),
    )


def _card_of(state, vat: Vat, lots: dict[str, LotNow]) -> list[dict[str, Any]]:
    """The loads of a batch as the vat's card has them: its bales shared out over the kinds by the mix, each from the oldest lot
    that is free."""
    kinds = [k for k in state.mill.bales.values() if k.source == vat.source]
    plan = state.line.acting.get(vat.unit)
    shares = {p.kind: p.share for p in getattr(plan, "papers", ())} or {k.key: k.share_pct for k in kinds}
    wanted = [k for k in kinds if shares.get(k.key, 0.0) > 0.0]
    counts = {k.key: shares[k.key] / k.bale_kg for k in wanted}
    whole_count = sum(counts.values())
    rows = []
    for k in wanted:
        lot = max((x for x in lots.values() if x.kind.key == k.key and x.free), key=lambda x: x.age_days, default=None)
        rows.append(
            {
                "lot": lot.number if lot else "",
                "bales": max(1, round(vat.bales * counts[k.key] / whole_count)),
                "kg": round(lot.bale_kg if lot else k.bale_kg),
                "wet": lot.tests["moisture_pct"] if lot else k.moisture_pct,
            }
        )
    return rows or [{"lot": "", "bales": SPARE[1], "kg": SPARE[2], "wet": SPARE[3]}]


def _water_for(vat: Vat, loads: list[dict[str, Any]]) -> float:
    """White water that takes these loads to the vat's consistency, m³."""
    case = LoadedCase(
        vat_m3=500,
        cons_pct=vat.cons_pct,
        water_m3=0,
        white_pct=vat.white_pct,
        heel_m3=vat.heel_m3,
        heel_pct=vat.cons_pct,
        temp_c=vat.temp_c,
        loads=tuple(Load(bales=x["bales"], bale_kg=x["kg"], moisture_pct=x["wet"]) for x in loads),
    )
    return round(loaded(case).more_m3, 2)


def _opening(state, vat: Vat, lots: dict[str, LotNow], last: Batch | None) -> tuple[tuple[Well, ...], list[dict], str]:
    """Where the bench opens: as a batch was loaded that is to be corrected, else as the vat's card has it."""
    if last is not None:
        try:
            case = calc.read_case(find("pulper.loaded"), last.record.data["given"])
        except (ImpossibleInput, KeyError):
            case = None
        if case is not None:
            wells = tuple(replace(w, start=round(getattr(case, w.name), 4)) for w in _wells(vat, 0.0))
            numbers = [row["lot"] for row in last.record.data.get("lots", ())] + [""] * len(case.loads)
            rows = [
                {"lot": numbers[i], "bales": x.bales, "kg": x.bale_kg, "wet": x.moisture_pct} for i, x in enumerate(case.loads)
            ]
            return wells, rows, "as it was kept"
    rows = _card_of(state, vat, lots)
    return _wells(vat, _water_for(vat, rows)), rows, "set-up" if vat.key else "default"


def _loads(data, opening: list[dict], lots: dict[str, LotNow], vat: Vat) -> list[dict[str, Any]]:
    """Rows of bales: the lot they are of, planned, loaded, what one weighs, moisture. Another lot opens with its own weight and
    moisture."""
    count = whole(data.get("count", ""), 1, MOST_LOADS) or len(opening)
    free = [x for x in lots.values() if x.kind.source == vat.source and x.free]
    rows = []
    for i in range(count):
        start = opening[i] if i < len(opening) else {"lot": "", "bales": 0, "kg": 400.0, "wet": 8.0}
        chosen = data.get(f"lot{i}", start["lot"])
        lot = lots.get(chosen)
        turned = lot is not None and chosen != data.get(f"was{i}", start["lot"])
        if turned and lot is not None:
            start = start | {"kg": round(lot.bale_kg), "wet": lot.tests["moisture_pct"]}
        called = f"{lot.kind.name.lower()} {lot.number}" if lot else f"load {i + 1}"
        typed = {k: v for k, v in data.items() if not (turned and k in (f"kg{i}", f"wet{i}"))}
        wells, values = read_wells(
            typed,
            (
                Well(f"plan{i}", f"Bales of {called}, on the card", "", start["bales"], 0, 200),
                Well(f"n{i}", f"Bales of {called}, loaded", "", start["bales"], 0, 200),
                Well(f"kg{i}", f"A bale of {called}", "kg", start["kg"], 1, 3000),
                Well(f"wet{i}", f"Moisture of {called}", "% wet", start["wet"], 0, 95),
            ),
        )
        here = [x for x in free if x is not lot]
        told = lot.kind.name if lot else "no lot of the yard"
        choices = ([lot] if lot else []) + here
        rows.append(
            {"i": i, "lot": lot, "called": told, "choices": choices, "wells": wells, "values": values, "turned": turned}
        )
    return rows


def _bags(data) -> list[dict[str, Any]]:
    """Rows of chemicals by the bag: how many went in, what one holds, what the card asks a tonne."""
    rows = []
    for i, (called, kg, dose) in enumerate(BAGS):
        wells, values = read_wells(
            data,
            (
                Well(f"b{i}", f"Bags of {called}", "", 0, 0, 100),
                Well(f"bk{i}", f"A bag of {called}", "kg", kg, 0.1, 1000),
                Well(f"bd{i}", f"{called.capitalize()} on the card", "kg/t", dose, 0, 100),
            ),
        )
        rows.append({"i": i, "called": called, "wells": wells, "values": values})
    return rows


def _read(state, vat: Vat, data, last: Batch | None, kept: list[Batch] | None = None):
    """The whole form as typed: wells, rotor, loads, bags, the chest, and all of them."""
    lots = lots_of(state)
    opening, loads, source = _opening(state, vat, lots, last)
    wells, v = read_wells(data, opening)
    own = {"net_kw": vat.net_kw, "soak_min": vat.soak_min}
    rotor, r = read_wells(data, tuple(replace(w, start=own.get(w.name, w.start)) for w in ROTOR))
    level, since = chest_now(state, vat, kept)
    chest, c = read_wells(data, (Well("chest_level", "Dump chest now", "%", round(level), 0, 100),))
    for well in wells:
        well["source"] = source
    for well in rotor:
        well["source"] = "set-up" if vat.key and well["name"] in own else "default"
    chest[0]["source"] = since
    rows, bags = _loads(data, loads, lots, vat), _bags(data)
    every = [*wells, *rotor, *chest, *(w for row in (*rows, *bags) for w in row["wells"])]
    return wells, v, rotor, r, rows, bags, chest, c, every


def _case(v: dict, rows: list[dict], field: str) -> LoadedCase:
    loads = []
    for x in rows:
        i, own = x["i"], x["values"]
        loads.append(Load(bales=own[f"{field}{i}"], bale_kg=own[f"kg{i}"], moisture_pct=own[f"wet{i}"]))
    return LoadedCase(**v, loads=tuple(loads))


def _vats(state) -> dict[str, Vat]:
    return dict(state.mill.vats) or {"": BENCH_VAT}


def _stepped(request) -> str:
    """The address with one bale or bag more or less, where a step key was pressed; empty where none was."""
    name, _, by = request.GET.get("step", "").partition("_")
    if not name or by not in ("1", "-1", "0.5"):
        return ""
    data = request.GET.copy()
    del data["step"]
    text = data.get(name, "0")
    with suppress(ValueError):  # what is no number is kept as it was typed, and said at its well
        data[name] = f"{min(200.0, max(0.0, float(text.replace(',', '.')) + float(by))):g}"
    return f"{reverse('recovered:pulper')}?{data.urlencode()}"


@require_safe
def pulper(request):
    """A batch on the card and as it was loaded: consistency, level, the water that mends it, ready when, the next one due."""
    state = state_of(request)
    if state is None:
        return render(request, "no_mill.html")
    if to := _stepped(request):
        return redirect(to)
    vats = _vats(state)
    vat = vats.get(request.GET.get("vat", ""), next(iter(vats.values())))
    kept = batches(vat.key) if vat.key else []
    mends = next((b for b in kept if b.number == request.GET.get("corrects", "")), None)
    wells, v, rotor, r, rows, bags, chest, c, every = _read(state, vat, request.GET, mends, kept)
    furnish = request.GET.get("furnish", "")
    furnish = furnish if furnish in FURNISH else vat.furnish
    context = station(
        request,
        state,
        vat=vat,
        vats=vats.values(),
        wells=wells,
        rotor=rotor,
        rows=rows,
        bags=bags,
        chest=chest,
        furnish=furnish,
        furnishes=list(FURNISH),
        counts=range(1, MOST_LOADS + 1),
        kept=kept,
        corrects=mends.number if mends else "",
        number=mends.number if mends else _number(state, vat),
        may_record=request.user.may("record") and bool(vat.key),
        readers=[p for p in Person.objects.filter(is_active=True).order_by("initials") if p.may("record")],
        typed=[
            ("vat", vat.key),
            *((w["name"], w["text"]) for w in every),
            *((f"lot{x['i']}", x["lot"].number if x["lot"] else "") for x in rows),
            ("count", len(rows)),
            ("furnish", furnish),
        ],
        pulping=True,
    )
    if not any(w["error"] for w in every):
        try:
            context |= _worked(request, state, vat, v, r, rows, bags, furnish, c["chest_level"])
        except ImpossibleInput as refusal:
            for p in refusal.problems:
                refuse_well(every, _well_of(p.field), p.text)
    for row in (*rows, *bags):
        row["error"] = " ".join(w["error"] for w in row["wells"] if w["error"])
    context["errors"] = [w["error"] for w in every if w["error"]]
    return render_bench(request, "recovered/pulper", context)


def _number(state, vat: Vat) -> str:
    try:
        return number_of(state, vat.source, "P", state.now) if vat.key else ""
    except YardRefused:
        return ""


def _well_of(field: str) -> str:
    head, _, rest = field.partition(".")
    number, _, name = rest.partition(".")
    named = {"bales": "n", "bale_kg": "kg", "moisture_pct": "wet"}
    return f"{named.get(name, 'n')}{int(number) - 1}" if head == "loads" and number.isdigit() else field


def _next(state, vat: Vat, level: float, minutes: float, od_t: float) -> tuple[Worked | None, str, float]:
    """When the next batch is due once this one is dumped: worked, or why it cannot be told; the level after this dump."""
    draw = draw_of(state, vat)
    at_dump = NextCase(chest_m3=vat.chest_m3, chest_pct=vat.chest_pct, level_pct=0.0, draw_t_h=draw, batch_t=od_t)
    full = next_batch(replace(at_dump, low_pct=0.0, high_pct=100.0))
    if isinstance(full, Infeasible):
        return None, f"A batch {full.reason}.", level
    after = level - 100.0 * draw * minutes / 60.0 / full.full_t + full.rises_pct
    case = replace(
        at_dump,
        level_pct=min(100.0, max(0.0, after)),
        minutes=vat.minutes,
        low_pct=vat.low_pct,
        high_pct=vat.high_pct,
        temp_c=vat.temp_c,
    )
    found = next_batch(case)
    if isinstance(found, Infeasible):
        return None, f"A batch {found.reason}.", after
    return Worked(model="pulper.next", case=case, result=found), "", after


def _worked(request, state, vat: Vat, v: dict, r: dict, rows: list[dict], bags: list[dict], furnish: str, level: float) -> dict:
    """The batch's figures, the card's beside them, what mends it, the time it takes, the bags a tonne, and the dump chest."""
    case, planned = _case(v, rows, "n"), _case(v, rows, "plan")
    found = loaded(case)
    try:
        card = loaded(planned)
    except ImpossibleInput:
        card = None
    more, off = mended(case, found), off_by(case, found)
    flakes = {k: r[k] for k in ("net_kw", "f0_pct", "to_pct")}
    warm = min(90.0, max(5.0, case.temp_c))
    time = defiber(DefiberCase(furnish=furnish, od_t=max(0.01, found.od_t), temp_c=warm, **flakes))
    for bag in bags:
        i, b = bag["i"], bag["values"]
        bag["dose"], bag["wanted"] = bags_of(b[f"b{i}"], b[f"bk{i}"], b[f"bd{i}"], found.od_t)
    held = held_case(request.GET.get("held", ""), find("pulper.loaded"))
    ready = None if isinstance(time, Infeasible) else r["soak_min"] + time.minutes
    ink = () if isinstance(time, Infeasible) else _ink(state, vat, case, time)
    due, why, after = _next(state, vat, level, ready or 0.0, found.od_t)
    told = {
        "worked": Worked(model="pulper.loaded", case=case, result=found),
        "card": card,
        "more": more,
        "off": off,
        "mends": abs(off) > INNER_PCT,
        "time": None if isinstance(time, Infeasible) else time,
        "p": vat_picture(case, found, planned, card, more),
        "soak": r["soak_min"],
        "ready_min": ready,
        "ready_at": state.now + timedelta(minutes=ready) if ready is not None else None,
        "c": None if isinstance(time, Infeasible) else defiber_picture(r["f0_pct"], r["to_pct"], time.minutes, ink),
        "ink": ink[-1][1] if ink else None,
        "due": due,
        "due_why": why,
        "over": after > vat.high_pct,
        "after_pct": after,
        "held": held,
        "hold_name": f"pulper, {clock(state.now)}",
        "minds": [c.text for c in found.cautions],
    }
    if due is not None:
        start = state.now + timedelta(minutes=ready or 0.0)
        told |= {
            "from_at": start + timedelta(minutes=due.result.earliest_min),
            "to_at": start + timedelta(minutes=min(due.result.latest_min, 1e5)),
            "q": chest_picture(due.case, due.result, level, ready or 0.0, state.now),
        }
    if more is not None:
        told["with_water"] = f"{case.water_m3 + found.more_m3:.2f}"
    return told


def _ink(state, vat: Vat, case: LoadedCase, time: DefiberFound) -> tuple[tuple[float, float], ...]:
    """The ink on the fibre by the minute of the rotor, % of all, until it is ready; nothing where its line is unknown."""
    plan = state.plans.get(vat.unit)
    if not isinstance(plan, RecoveredPlan):
        return ()
    return on_fibre_through(InkCase(kwh_t=time.kwh_t, minutes=time.minutes, pct=case.cons_pct, ph=plan.ph, a0=plan.a0))


def _typed_back(request) -> str:
    left_out = ("csrfmiddlewaretoken", "once", "wire", "pin")
    typed = {k: v[:40] for k, v in request.POST.items() if k not in left_out}
    return f"{reverse('recovered:pulper')}?{urlencode(typed)}"


@require_POST
@may("record")
def keep_batch(request):
    """Keep the batch as it was loaded, or a batch again as it really was."""
    state = state_of(request)
    vat = state.mill.vats.get(request.POST.get("vat", "")) if state else None
    if state is None or vat is None:
        messages.error(request, "Not kept: there is no such vat in the set-up.")
        return redirect("recovered:pulper")
    corrects = request.POST.get("corrects", "")
    _, v, _, _, rows, bags, _, c, every = _read(state, vat, request.POST, None)
    wrong = next((w["error"] for w in every if w["error"]), "")
    try:
        if wrong:
            raise BatchRefused("form", wrong)
        case = _case(v, rows, "n")
        found = loaded(case)
        put = [{"called": b["called"], "bags": b["values"][f"b{b['i']}"], "kg": b["values"][f"bk{b['i']}"]} for b in bags]
        lots = [
            (x["lot"].number, load.bales, load.kg) for x, load in zip(rows, case.loads, strict=True) if x["lot"] and load.bales
        ]
        record = keep(
            state=state,
            vat=vat,
            case=case,
            found=found,
            lots=lots,
            bags=put,
            chest_pct=c["chest_level"],
            wire=bool(request.POST.get("wire")),
            corrects=corrects,
            by=request.user,
            now=state.now,
        )
    except (BatchRefused, ImpossibleInput) as refusal:
        messages.error(request, f"Not kept. {refusal}")
        return redirect(_typed_back(request))
    messages.success(request, f"Kept. {record.says}")
    return redirect(f"{reverse('recovered:pulper')}?vat={vat.key}#kh")


def _then(request, act, **asked):
    """Do something to a batch and go back to its vat, with what was refused in words."""
    number = request.POST.get("number", "")[:40]
    found = batch(number)
    back = f"{reverse('recovered:pulper')}?vat={found.record.data['vat']}#kh" if found else reverse("recovered:pulper")
    try:
        record = act(number=number, now=request.now, **asked)
    except BatchRefused as refusal:
        messages.error(request, f"Not kept. {refusal}")
    else:
        messages.success(request, f"Kept. {record.says}. Signed {record.signed}")
    return redirect(back)


@require_POST
@may("record")
def read_batch(request):
    """A second person read every label: their own name and PIN."""
    return _then(request, read_labels, person=request.POST.get("person", "")[:150], pin=request.POST.get("pin", ""))


@require_POST
@may("record")
def dump_batch(request):
    """The batch was dumped into its chest."""
    return _then(request, dump, by=request.user)


@require_safe
def ticket(request, number: str):
    """A batch as a printed ticket: what was loaded of which lots, what it came to, who signed."""
    found = batch(number.upper())
    state = state_of(request)
    if found is None or state is None:
        raise Http404
    vat = state.mill.vats.get(found.record.data["vat"], BENCH_VAT)
    case = calc.read_case(find("pulper.loaded"), found.record.data["given"])
    lots = {row["lot"]: row for row in found.record.data["lots"]}
    made = Record.objects.current().filter(kind=Kind.LOT_CLOSE, subject=found.number, about__isnull=True).last()
    former = [r for r in Record.objects.filter(subject=f"{BATCHES}{vat.key}", data__number=found.number) if r.is_corrected]
    kinds = state.mill.bales
    context = {
        "b": found,
        "vat": vat,
        "case": case,
        "found": loaded(case),
        "lots": [(n, kinds.get(row["kind"]), row) for n, row in lots.items()],
        "bags": [x for x in found.record.data["bags"] if x["bags"]],
        "made": made,
        "former": former,
    }
    return render(request, "recovered/ticket.html", context)
