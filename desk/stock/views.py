"""Stock: the line and its meter, the single-question benches, the chests."""

from dataclasses import replace
from datetime import datetime
from urllib.parse import urlencode

from django.contrib import messages
from django.http import Http404
from django.shortcuts import redirect, render
from django.urls import reverse
from django.views.decorators.http import require_POST, require_safe

from core.errors import ImpossibleInput, Infeasible
from core.judge import advise
from core.judge.band import Band, judge
from core.stock.dilution import fibre_t_h
from core.stock.loop import LoopCase, consistency_loop
from core.stock.transmitter import Pair, TransmitterCase, check_transmitter
from desk.cases.benches import bench_page
from desk.kit.bench import render_bench, typed_number
from desk.lab.board import Board
from desk.log.actions import write
from desk.log.models import Kind, Record
from desk.log.moves import bias_slip, slip, undecided
from desk.mill.context import state_of
from desk.mill.drawings import cover_rows, tank_rows
from desk.mill.ribbon import STATIONS, draw_small
from desk.people.rights import may
from desk.stock.benches import BENCHES, GROUPS
from desk.stock.drawings import PICTURES, bias_plot, meter_picture, slope_plot
from desk.stock.pairs import pairs_of


def _station(request, state, **more) -> dict:
    return {
        "station": "stock",
        "stations": STATIONS,
        "small": draw_small(state),
        "groups": GROUPS,
        "benches": BENCHES.values(),
        **more,
    }


@require_safe
def meter(request):
    """A chest's outlet: dilution, the water wanted, and whether its meter may be believed."""
    state = state_of(request)
    if state is None:
        return render(request, "no_mill.html")
    rows = [r for r in state.mill.plan.values() if r.lever.get("kind") == "dilution"]
    if not rows:  # a mill without a dilution point in its plan
        return redirect("stock:bench", "dilution")
    chosen = next((r for r in rows if r.id == request.GET.get("row")), next((r for r in rows if r.line == "S"), rows[0]))
    band = state.mill.band(chosen, state.grade)
    now = Board(state, only=chosen.id).by_id[chosen.id]
    lever = chosen.lever
    result = now.result.value if now.result else band.aim
    opening = {
        "inlet_pct": lever["inlet_pct"],
        "water_cons_pct": lever["water_cons_pct"],
        "target_pct": band.aim,
        "measured_pct": round(result, 2),
        "stock_l_min": lever["stock_l_min"],
    }
    typed = {k: request.GET.get(k, f"{v:g}") for k, v in opening.items()}
    errors, numbers = {}, {}
    for k, text in typed.items():
        try:
            numbers[k] = typed_number(text)
        except ValueError:
            errors[k] = f"{LABELS[k][0]} is “{text}”; it must be a number of {LABELS[k][1]}"
    loop = None
    if not errors:
        try:
            loop_case = _loop_case(chosen, numbers)
            loop = consistency_loop(loop_case)
        except ImpossibleInput as refusal:
            errors |= {p.field: f"{LABELS.get(p.field, (p.field,))[0]} {p.text}" for p in refusal.problems}
        if isinstance(loop, Infeasible):
            errors[loop.field] = f"{LABELS.get(loop.field, (loop.field,))[0]} {loop.reason}"
            loop = None
    pairs = pairs_of(chosen, state)
    check = check_transmitter(TransmitterCase(pairs=tuple(Pair(p["meter"], p["lab"]) for p in pairs)))
    context = _station(
        request,
        state,
        rows=rows,
        row=chosen,
        now=now,
        wells=[(k, *LABELS[k], typed[k], errors.get(k, "")) for k in opening],
        loop=loop,
        errors=errors,
        lever=lever,
        pairs=pairs,
        band=band,
    )
    if isinstance(check, Infeasible):
        context["few"] = check
    else:
        context |= {
            "check": check,
            "bias": bias_plot(pairs, check),
            "slope": slope_plot(pairs, check),
            "meter_judged": judge(check.bias_pct, BIAS_BAND, confirmed=True),
            "bias_band": BIAS_BAND,
            "slip": bias_slip(chosen, check),
            "decided": open_bias(chosen, state.now),
        }
    if loop is not None:
        fibre = fibre_t_h(numbers["stock_l_min"], numbers["inlet_pct"])
        vessel = state.vessels.get(chosen.point)
        chest = {"level_pct": vessel.level_pct if vessel else 50.0}
        context["picture"] = meter_picture(
            {"stock": numbers["stock_l_min"], "water": loop.water_now_l_min, "out": loop.flow_l_min, "fibre": fibre}, chest
        )
        context |= {
            "fibre": fibre,
            "water_slip": water_slip(chosen, state, loop_case) if request.user.may("propose") else None,
            "waiting": undecided(chosen.id),
            "loop_case": loop_case,
            "vessel": vessel,
            "stock_l_min": numbers["stock_l_min"],
            "inlet_pct": numbers["inlet_pct"],
            "measured_pct": numbers["measured_pct"],
            "target_pct": numbers["target_pct"],
            "water_pct": numbers["water_cons_pct"],
        }
    return render_bench(request, "stock/meter", context)


def water_slip(row, state, loop_case: LoopCase) -> dict | None:
    """The slip of the water from what was found to what is wanted; None where there is nothing to move."""
    band = state.mill.band(row, state.grade)
    move = advise.water_to(band=band, loop=loop_case, mixing_min=row.lever.get("mixing_min", 5.0))
    if move is None or isinstance(move, Infeasible):
        return None
    wanted = replace(band, target=loop_case.target_pct)
    kept = slip(move, row=row, band=wanted, reading=loop_case.measured_pct, decimals=2, unit="%", now=state.now)
    why = (
        f"Put by hand: {loop_case.measured_pct:.2f} % was found, {loop_case.target_pct:.2f} % is wanted. 0.7 of it is taken, "
        "so that the water does not chase the noise."
    )
    return kept | {"why": why + (f" It is held back by {move.bound_by}." if move.bound_by else ""), "school": ""}


@require_POST
@may("propose")
def put(request, row_id: str):
    """Put the water that was worked out to the shift, as the slip that is decided like any other."""
    state = state_of(request)
    row = state.mill.plan.get(row_id) if state else None
    if row is None or row.lever.get("kind") != "dilution":
        raise Http404
    if (open_move := undecided(row.id)) is not None:
        messages.warning(request, "A move of this row waits to be decided: decide it first.")
        return redirect("shift:decide", open_move.pk)
    try:
        case = _loop_case(row, {name: typed_number(request.POST.get(name, "")) for name in LABELS})
        told = water_slip(row, state, case)
    except (ValueError, ImpossibleInput):
        told = None
    if told is None:
        messages.error(request, "Not put: the wells are not right, or there is nothing to move within the band.")
        return redirect(f"{reverse('stock:meter')}?{urlencode({'row': row.id})}")
    move = write(kind=Kind.MOVE, subject=row.id, by=request.user, now=state.now, says=told["title"], data=told)
    messages.success(request, "Put to the shift.")
    return redirect("shift:decide", move.pk)


def _loop_case(row, numbers: dict[str, float]) -> LoopCase:
    """The outlet of a row as its lever has it, with what was typed. Raises: ImpossibleInput."""
    lever = row.lever
    return LoopCase(
        **numbers,
        water_max_l_min=lever["water_max_l_min"],
        pipe_m=lever["pipe_m"],
        pipe_mm=lever["pipe_mm"],
        filter_s=lever["filter_s"],
    )


@require_POST
@may("move")
def bias(request, row_id: str):
    """Write the meter's move anew from its pairs and open its slip, where it is taken, altered or refused."""
    state = state_of(request)
    row = state.mill.plan.get(row_id) if state else None
    pairs = pairs_of(row, state) if row else []
    check = check_transmitter(TransmitterCase(pairs=tuple(Pair(p["meter"], p["lab"]) for p in pairs)))
    slip = None if isinstance(check, Infeasible) or open_bias(row, state.now) else bias_slip(row, check)
    if slip is None:
        raise Http404
    waits = undecided(f"meter.{row.id}")
    if waits is not None and waits.data.get("after") == slip["after"]:
        return redirect("shift:decide", waits.pk)  # the same is before the shift already
    move = write(kind=Kind.MOVE, subject=f"meter.{row.id}", by=None, now=state.now, says=slip["title"], data=slip)
    return redirect("shift:decide", move.pk)


def open_bias(row, now) -> Record | None:
    """A bias that was taken and whose six pairs are not in yet."""
    kept = Record.objects.current().filter(kind=Kind.DECISION, subject=f"meter.{row.id}", at__lte=now)
    result = kept.order_by("-at", "-id").first()
    if result and result.data["choice"] != "refuse" and datetime.fromisoformat(result.data["retest_at"]) > now:
        return result
    return None


LABELS = {
    "inlet_pct": ("Chest outlet", "%"),
    "water_cons_pct": ("White water", "%"),
    "target_pct": ("Wanted after it", "%"),
    "measured_pct": ("Found after it", "%"),
    "stock_l_min": ("Stock on", "L/min"),
}


BIAS_BAND = Band(low=-0.08, high=0.08, outer_low=-0.15, outer_high=0.15, target=0.0)  # meter less laboratory, %


@require_safe
def bench(request, bench: str):
    """One question: its wells, its picture, its verdict."""
    state = state_of(request)
    if bench not in BENCHES:
        raise Http404
    return bench_page(
        request,
        BENCHES[bench],
        address=lambda key: reverse("stock:bench", args=[key]),
        benches=BENCHES.values(),
        pictures=PICTURES,
        context=_station(request, state),
        seg="stock/seg.html",
    )


@require_safe
def chests(request):
    """Every chest, tower, silo and store: level, cover, volume, and what must be done by when."""
    state = state_of(request)
    if state is None:
        return render(request, "no_mill.html")
    rows = cover_rows(state)
    for c in rows:
        v = c["v"]
        c["volume_m3"] = v.volume_m3
    return render(request, "stock/chests.html", _station(request, state, rows=rows, tanks=tank_rows(state)))
