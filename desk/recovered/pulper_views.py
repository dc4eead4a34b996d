"""The pulper's batch: the card beside what was really loaded, the water that mends it, when it is ready, and its record."""

from dataclasses import replace
from typing import Any
from urllib.parse import urlencode

from django.contrib import messages
from django.shortcuts import redirect, render
from django.urls import reverse
from django.views.decorators.http import require_POST, require_safe

from core import calc
from core.catalogue import find
from core.errors import ImpossibleInput, Infeasible
from core.practice.recovered import INNER_PCT
from core.recovered.pulper import FURNISH, DefiberCase, Load, LoadedCase, defiber, loaded, mended, off_by
from core.recovered.pulper import bags as bags_of
from core.recovered.unit import RecoveredPlan
from core.unit import Worked
from desk.cases.benches import held_case
from desk.kit.bench import Well, read_wells, refuse_well, render_bench
from desk.kit.templatetags.vat import clock
from desk.kit.text import whole
from desk.mill.context import state_of
from desk.people.rights import may
from desk.recovered.batches import BatchRefused, batches, keep, number_of
from desk.recovered.drawings import defiber_picture, vat_picture
from desk.recovered.views import station

MOST_LOADS = 6
WELLS = (
    Well("vat_m3", "Vat", "m³", 22, 0.5, 500),
    Well("cons_pct", "Consistency wanted", "%", 14, 2, 25),
    Well("water_m3", "White water in", "m³", 13.95, 0, 500),
    Well("white_pct", "its consistency", "%", 0.25, 0, 2),
    Well("heel_m3", "Heel left in", "m³", 0.6, 0, 500),
    Well("heel_pct", "at", "%", 13.9, 0, 25),
    Well("temp_c", "Temperature", "°C", 45, 1, 95),
)
ROTOR = (
    Well("net_kw", "Net power of the rotor", "kW", 145, 1, 5000),
    Well("f0_pct", "Flakes at first", "%", 60, 1, 100),
    Well("to_pct", "Flakes wanted", "%", 2, 0.1, 50),
)
LOADS = (("ledger", 4, 420, 8.5), ("book trim", 3, 260, 7.0))
BAGS = (("caustic", 12.5, 5.0), ("silicate", 25.0, 17.5), ("soap", 10.0, 3.5))


def _opening(last) -> tuple[tuple[Well, ...], list[tuple[str, float, float, float]], str]:
    """Where the wells open: as the last batch was loaded, else at the defaults."""
    if last is None:
        return WELLS, [*LOADS], "default"
    try:
        case = calc.read_case(find("pulper.loaded"), last.data["given"])
    except (ImpossibleInput, KeyError):
        return WELLS, [*LOADS], "default"
    wells = tuple(replace(w, start=round(getattr(case, w.name), 4)) for w in WELLS)
    return (
        wells,
        [(f"load {i}", x.bales, x.bale_kg, x.moisture_pct) for i, x in enumerate(case.loads, start=1)],
        "as the last batch",
    )


def _loads(data, opening) -> list[dict[str, Any]]:
    """Rows of bales: planned, loaded, what one weighs, moisture."""
    count = whole(data.get("count", ""), 1, MOST_LOADS) or len(opening)
    rows = []
    for i in range(count):
        called, bales, kg, wet = opening[i] if i < len(opening) else ("more", 0, 400, 8.0)
        wells, values = read_wells(
            data,
            (
                Well(f"plan{i}", f"Bales of {called}, on the card", "", bales, 0, 200),
                Well(f"n{i}", f"Bales of {called}, loaded", "", bales, 0, 200),
                Well(f"kg{i}", f"A bale of {called}", "kg", kg, 1, 3000),
                Well(f"wet{i}", f"Moisture of {called}", "% wet", wet, 0, 95),
            ),
        )
        rows.append({"i": i, "called": called, "wells": wells, "values": values})
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


def _read(data, last):
    """The whole form as typed: wells, loads, bags, rotor, and whether anything is refused."""
    opening, loads, source = _opening(last)
    wells, v = read_wells(data, opening)
    rotor, r = read_wells(data, ROTOR)
    for well in wells:
        well["source"] = source
    for well in rotor:
        well["source"] = "default"
    rows, bags = _loads(data, loads), _bags(data)
    every = [*wells, *rotor, *(w for row in (*rows, *bags) for w in row["wells"])]
    return wells, v, rotor, r, rows, bags, every


def _case(v: dict, rows: list[dict], field: str) -> LoadedCase:
    loads = []
    for x in rows:
        i, own = x["i"], x["values"]
        loads.append(Load(bales=own[f"{field}{i}"], bale_kg=own[f"kg{i}"], moisture_pct=own[f"wet{i}"]))
    return LoadedCase(**v, loads=tuple(loads))


def _lines(state) -> list[str]:
    """The lines that make recovered paper into stock; one bench where there is none."""
    units = (state.solution.network.unit(k) for k, p in state.line.acting.items() if isinstance(p, RecoveredPlan))
    return [u.line for u in units if u.line] or [""]


@require_safe
def pulper(request):
    """A batch on the card and as it was loaded: consistency, level, the water that mends it, the minute it is ready."""
    state = state_of(request)
    if state is None:
        return render(request, "no_mill.html")
    lines = _lines(state)
    line = request.GET.get("line", lines[0])
    line = line if line in lines else lines[0]
    kept = batches(line)
    wells, v, rotor, r, rows, bags, every = _read(request.GET, kept[0] if kept else None)
    furnish = request.GET.get("furnish", "")
    furnish = furnish if furnish in FURNISH else "office and white grades"
    context = station(
        request,
        state,
        line=line,
        lines=lines,
        wells=wells,
        rotor=rotor,
        rows=rows,
        bags=bags,
        furnish=furnish,
        furnishes=list(FURNISH),
        counts=range(1, MOST_LOADS + 1),
        kept=kept,
        number=number_of(line, state.now),
        may_record=request.user.may("record"),
        second=request.GET.get("second", "")[:40],
        typed=[*((w["name"], w["text"]) for w in every), ("count", len(rows)), ("furnish", furnish)],
        pulping=True,
    )
    if not any(w["error"] for w in every):
        try:
            context |= _worked(request, state, v, r, rows, bags, furnish)
        except ImpossibleInput as refusal:
            for p in refusal.problems:
                refuse_well(every, _well_of(p.field), p.text)
    for row in (*rows, *bags):
        row["error"] = " ".join(w["error"] for w in row["wells"] if w["error"])
    context["errors"] = [w["error"] for w in every if w["error"]]
    return render_bench(request, "recovered/pulper", context)


def _well_of(field: str) -> str:
    head, _, rest = field.partition(".")
    number, _, name = rest.partition(".")
    named = {"bales": "n", "bale_kg": "kg", "moisture_pct": "wet"}
    return f"{named.get(name, 'n')}{int(number) - 1}" if head == "loads" and number.isdigit() else field


def _worked(request, state, v: dict, r: dict, rows: list[dict], bags: list[dict], furnish: str) -> dict:
    """The batch's figures, the card's beside them, what mends it, the time it takes, and the bags a tonne."""
    case, planned = _case(v, rows, "n"), _case(v, rows, "plan")
    found = loaded(case)
    try:
        card = loaded(planned)
    except ImpossibleInput:
        card = None
    more, off = mended(case, found), off_by(case, found)
    time = defiber(DefiberCase(furnish=furnish, od_t=max(0.01, found.od_t), temp_c=min(90.0, max(5.0, case.temp_c)), **r))
    for bag in bags:
        i, b = bag["i"], bag["values"]
        bag["dose"], bag["wanted"] = bags_of(b[f"b{i}"], b[f"bk{i}"], b[f"bd{i}"], found.od_t)
    held = held_case(request.GET.get("held", ""), find("pulper.loaded"))
    return {
        "worked": Worked(model="pulper.loaded", case=case, result=found),
        "card": card,
        "more": more,
        "off": off,
        "mends": abs(off) > INNER_PCT,
        "time": None if isinstance(time, Infeasible) else time,
        "p": vat_picture(case, found, planned, card, more),
        "c": None if isinstance(time, Infeasible) else defiber_picture(r["f0_pct"], r["to_pct"], time.minutes),
        "held": held,
        "hold_name": f"pulper, {clock(state.now)}",
        "minds": [c.text for c in found.cautions],
    }


@require_POST
@may("record")
def keep_batch(request):
    """Keep the batch as it was loaded, or a batch again as it really was."""
    state = state_of(request)
    lines = _lines(state) if state else []
    line = request.POST.get("line", "")
    typed = {k: v[:40] for k, v in request.POST.items() if k not in ("csrfmiddlewaretoken", "once", "wire", "corrects")}
    back = f"{reverse('recovered:pulper')}?{urlencode(typed)}"  # nothing typed is lost
    if state is None or line not in lines:
        messages.error(request, "Not kept: there is no such line.")
        return redirect("recovered:pulper")
    kept = batches(line)
    _, v, _, _, rows, bags, every = _read(request.POST, kept[0] if kept else None)
    wrong = next((w["error"] for w in every if w["error"]), "")
    try:
        if wrong:
            raise BatchRefused("form", wrong)
        case = _case(v, rows, "n")
        found = loaded(case)
        put = [{"called": b["called"], "bags": b["values"][f"b{b['i']}"], "kg": b["values"][f"bk{b['i']}"]} for b in bags]
        record = keep(
            line=line,
            case=case,
            found=found,
            bags=put,
            second=request.POST.get("second", ""),
            wire=bool(request.POST.get("wire")),
            corrects=request.POST.get("corrects", ""),
            by=request.user,
            now=state.now,
        )
    except (BatchRefused, ImpossibleInput) as refusal:
        messages.error(request, f"Not kept. {refusal}")
        return redirect(back)
    messages.success(request, f"Kept. {record.says}")
    return redirect(f"{reverse('recovered:pulper')}?line={line}")
