"""Refine: the refiners of a line as they run, set for a freeness, gentle beside hard, and their single questions."""

import math
from dataclasses import replace

from django.shortcuts import render
from django.views.decorators.http import require_safe

from core.accounts.line import POWER_MWH
from core.catalogue import find
from core.errors import ImpossibleInput, Infeasible
from core.refine.fit import PAIRS
from core.refine.furnish import FURNISHES
from core.refine.life import WORN
from core.refine.load import LoadCase, load
from core.refine.response import freeness, strength
from core.refine.unit import Refiner, RefinerPlan, schools, set_for, trade_off
from core.unit import Worked, near
from desk.cases.benches import Bench, bench_view, held_case
from desk.kit.bench import Well, read_wells, refuse_well, render_bench
from desk.kit.templatetags.vat import clock
from desk.log.models import Kind, Record
from desk.mill.beside import beside
from desk.mill.context import state_of
from desk.mill.in_force import put_address
from desk.mill.learning import in_force_of, in_use
from desk.mill.models import UnitFit
from desk.mill.ribbon import STATIONS, draw_small
from desk.refine.drawings import PICTURES, Track, curve_picture, loads_picture, map_picture, strength_picture, track
from desk.refine.plates import newest_gap

PLATES_MIND = (
    "Never load plates at no flow or on thin stock; back out before a stop. Rattle: open, stand aside, by site procedure."
)
TRUSTED = ("single", "accepted")
GAP_NEAR_MM = 0.05
SAMPLES, BAND_ML = 14, 25.0  # shown; what instruments and furnishes allow, default
_TWO = [{"cel_km": 20, "rpm": 600}, {"cel_km": 30, "rpm": 600}]
_PASSES = [{"kwh_t": 50, "sel": 2.5}, {"kwh_t": 50, "sel": 1.5}]
_ZONES = [{"rotor": 90, "stator": 90, "mm": 60}, {"rotor": 140, "stator": 140, "mm": 80}]
SOFT = "softwood bleached kraft"
BENCHES = {
    b.key: b
    for b in (
        Bench(
            "load",
            "Energy and edge load",
            "From the power meter.",
            "refine.load",
            "",
            {"gross_kw": 560, "no_load_kw": 140, "od_t_h": 4.2, "cel_km": 12, "rpm": 750},
            "load",
            PLATES_MIND,
        ),
        Bench(
            "point",
            "Power for a freeness",
            "One refiner.",
            "refine.set_point",
            "",
            {"furnish": SOFT, "csf_in": 690, "to_csf": 420, "od_t_h": 4.2, "cel_km": 12, "rpm": 750, "no_load_kw": 140},
            "load",
            PLATES_MIND,
        ),
        Bench("share", "A load shared", "At one edge load.", "refine.share", "", {"net_kw": 900, "units": _TWO}, "load"),
        Bench(
            "energy",
            "Energy for a freeness",
            "At one edge load.",
            "refine.energy",
            "",
            {"furnish": SOFT, "csf_in": 550, "to_csf": 420, "sel": 2.5},
            "pulp",
        ),
        Bench(
            "freeness",
            "Freeness by refining",
            "Refiners in series.",
            "refine.freeness",
            "",
            {"furnish": SOFT, "csf_in": 690, "passes": _PASSES},
            "pulp",
        ),
        Bench(
            "strength",
            "Strength by refining",
            "Tensile, tear, length.",
            "refine.strength",
            "",
            {"furnish": SOFT, "length_mm": 2.2, "passes": _PASSES},
            "pulp",
        ),
        Bench(
            "together",
            "Together or apart",
            "Long and short fibre.",
            "refine.together",
            "",
            {
                "long_pct": 40,
                "csf_long": 650,
                "csf_short": 520,
                "to_csf": 430,
                "sel_both": 1.8,
                "sel_long": 2.5,
                "sel_short": 0.6,
            },
            "pulp",
        ),
        Bench(
            "life",
            "Life of plates",
            "Hours to a limit.",
            "refine.life",
            "wear",
            WORN,
            "plates",
        ),
        Bench(
            "change",
            "When a change pays",
            "Cost of plates and wear.",
            "refine.change",
            "",
            {"cost": 9000, "grows": 0.018},
            "plates",
        ),
        Bench("stretch", "Stretch", "By high consistency.", "refine.stretch", "", {"kwh_t": 200}, "pulp"),
        Bench("fit", "Fitted to the log", "Freeness pairs.", "refine.fit", "", {"furnish": SOFT, "rows": list(PAIRS)}, "pulp"),
        Bench(
            "plate",
            "Cutting edge of a plate",
            "Parallel bars.",
            "refine.plate",
            "plate",
            {"inner_mm": 160, "outer_mm": 300, "bar_mm": 3, "groove_mm": 4},
            "plates",
        ),
        Bench("zones", "Cutting edge by zones", "Bars counted.", "refine.zones", "", {"zones": _ZONES}, "plates"),
        Bench(
            "intensity",
            "Intensity by the bar",
            "Modified edge load, surface load.",
            "refine.intensity",
            "",
            {"sel": 2, "bar_mm": 3, "groove_mm": 4, "angle_deg": 20},
            "plates",
        ),
        Bench(
            "no-load",
            "No-load, estimated",
            "Where it was not measured.",
            "refine.no_load",
            "",
            {"disc_m": 0.6, "rpm": 1000},
            "plates",
        ),
    )
}
SPARE = RefinerPlan(
    name="no line of this mill",
    furnish=SOFT,
    refiners=(Refiner(name="refiner", cel_km=12, rpm=750, no_load_kw=140, gross_kw=560),),
)


def station(request, state, **more) -> dict:
    return {"station": "refine", "stations": STATIONS, "small": draw_small(state), **more}


def _wells(plan: RefinerPlan, csf_in: float, od_t_h: float, cons_pct: float, want: float) -> tuple[Well, ...]:
    told = [
        Well("csf_in", "Freeness in", "mL", round(csf_in), 20, 900),
        Well("od_t_h", "Pulp", "t/h OD", round(od_t_h, 2), 0.01, 200),
        Well("cons_pct", "Consistency", "%", round(cons_pct, 2), 0.5, 45),
        Well("want", "Freeness wanted", "mL", round(want), 20, 900),
    ]
    for i, r in enumerate(plan.refiners, start=1):
        told += [
            Well(f"gross{i}", f"{r.name}, gross power", "kW", round(r.gross_kw, 1), 0, r.motor_kw or 30_000),
            Well(f"idle{i}", f"{r.name}, no-load", "kW", round(r.no_load_kw, 1), 0, 10_000),
            Well(f"cel{i}", f"{r.name}, cutting edge", "km/rev", r.cel_km, 0.01, 500),
            Well(f"rpm{i}", f"{r.name}, speed", "rpm", r.rpm, 1, 3000),
        ]
    return tuple(told)


OF_REFINER = {"gross": "gross_kw", "idle": "no_load_kw", "cel": "cel_km", "rpm": "rpm"}


def _tried(plan: RefinerPlan, v: dict[str, float], typed: set[str]) -> RefinerPlan:
    """The plan with what was typed of its refiners."""
    made = []
    for i, r in enumerate(plan.refiners, start=1):
        own = {field: v[f"{name}{i}"] for name, field in OF_REFINER.items() if f"{name}{i}" in typed}
        made.append(replace(r, **own))
    return replace(plan, refiners=tuple(made))


def _newest(row: str, state) -> Record | None:
    """The newest trusted result of a row."""
    told = Record.objects.current().filter(kind=Kind.RESULT, subject=row, status__in=TRUSTED, at__lte=state.now)
    return told.order_by("-at", "-id").first()


@require_safe
def refiners(request):
    """The refiners of a line: map, freeness, strength, load; the power for the freeness wanted; gentle and hard plates."""
    state = state_of(request)
    if state is None:
        return render(request, "no_mill.html")
    plans = {k: p for k, p in state.line.acting.items() if isinstance(p, RefinerPlan)}
    key = request.GET.get("line", "")
    key = key if key in plans else next(iter(plans), "")
    plan, inlet = plans.get(key, SPARE), state.line.inlets.get(key)
    row = next((r for r in state.mill.plan.values() if r.unit == key and r.test == "freeness" and not r.stage), None)
    lab = _newest(row.id, state) if row else None
    record = state.put_in_force.get(key)
    source = f"in force since {clock(record.at)}" if record else ("set-up" if key else "default")
    csf_in = inlet.csf_ml if inlet is not None and inlet.solids_t_h > 0.0 else FURNISHES[plan.furnish].csf0
    fed = inlet.solids_t_h if inlet is not None and inlet.solids_t_h > 0.0 else 4.2
    cons = inlet.cons_pct if inlet is not None and inlet.cons_pct > 0.0 else 4.0
    aim = row.band.target if row and row.band.target is not None else freeness(plan.case(csf_in, fed)).csf_ml
    opening = _wells(plan, csf_in, fed, cons, aim)
    wells, v = read_wells(request.GET, opening)
    starts = {w.name: f"{w.start:g}" for w in opening}
    typed = {w["name"] for w in wells if w["text"] != starts[w["name"]]}
    for w in wells:
        at = (
            "solved"
            if w["name"] in ("csf_in", "od_t_h", "cons_pct") and key
            else "card"
            if w["name"] == "want" and row
            else source
        )
        w["source"] = "typed" if w["name"] in typed else at
    furnish = request.GET.get("furnish", plan.furnish)
    furnish = furnish if furnish in FURNISHES else plan.furnish
    context = station(
        request,
        state,
        first=wells[:4],
        groups=[(r.name, _gap(state, key, i, r), wells[4 * i : 4 * i + 4]) for i, r in enumerate(plan.refiners, start=1)],
        lines=[(k, state.solution.network.unit(k).line or p.name, p.name) for k, p in plans.items()],
        key=key,
        plan=plan,
        source=source,
        furnish=furnish,
        furnishes=list(FURNISHES),
        may_put=request.user.may("move") and key in plans,
        standing=record,
        lab=lab,
        row=row,
        beside=beside(state, key) if key in plans else [],
        refining=True,
    )
    if not any(w["error"] for w in wells):
        tried = replace(_tried(plan, v, typed), furnish=furnish)
        exact = {"csf_in": csf_in, "od_t_h": fed, "cons_pct": cons}
        now = {name: v[name] if name in typed else value for name, value in exact.items()}
        try:
            context |= _worked(request, state, key, plan, tried, now, v["want"], row, lab)
        except ImpossibleInput as refusal:
            for p in refusal.problems:
                refuse_well(wells, _well_of(p.field), p.text)
    context["errors"] = [w["error"] for w in wells if w["error"]]
    return render_bench(request, "refine/refiners", context)


def _levels(high: float, low: float) -> tuple[float, ...]:
    """Freenesses of the trade-off curve, from what comes to a good way under what is wanted."""
    least = max(80.0, low - 0.35 * (high - low))
    return tuple(high - (high - least) * i / 14 for i in range(1, 15)) if high > least else ()


def _gap(state, unit: str, number: int, r: Refiner) -> dict | None:
    """A refiner's running gap as it was kept last, against its least; None where neither is known."""
    kept = newest_gap(state, unit, number) if unit else None
    if kept is None and not r.least_gap_mm:
        return None
    mm = float(kept.data["gap_mm"]) if kept else None
    near_it = mm is not None and r.least_gap_mm > 0.0 and mm < r.least_gap_mm + GAP_NEAR_MM
    return {"least": r.least_gap_mm, "mm": mm, "near": near_it, "at": kept.at if kept else None}


def _samples(state, plan: RefinerPlan, now: dict[str, float], row) -> list[tuple[float, float]]:
    """The newest freeness samples (kWh/t, mL), each at the power then in force on the pulp that passes now."""
    if row is None:
        return []
    told = Record.objects.current().filter(kind=Kind.RESULT, subject=row.id, status__in=TRUSTED, at__lte=state.now)
    put = in_force_of(state).get(row.unit, ())
    result = []
    for at, value in told.order_by("-at", "-id").values_list("at", "value")[:SAMPLES]:
        then = next((p.settings for p in reversed(put) if p.minute * 60.0 <= at.timestamp()), None)
        by = state.plans[row.unit] if then is None else state.plans[row.unit].set_to(then)
        result.append((sum(p.kwh_t for p in by.passes(now["od_t_h"])), value))
    return result


def _half(state, unit: str, row) -> tuple[float, int]:
    """Half the band of a new sample, mL, and how many samples it is of; the default where no fit is in use."""
    chosen = in_use(state, unit) if unit else None
    fit = UnitFit.objects.filter(pk=chosen.data["fit"]).first() if chosen else None
    for r in fit.told["rows"] if fit else ():
        if row is not None and r["row"] == row.id and r["half"] and math.isfinite(r["half"]):
            return float(r["half"]), len(r["lab"])
    return BAND_ML, 0


def _others(state, key: str) -> list[Track]:
    """The mill's other lines on the map."""
    told = []
    for k, p in state.line.acting.items():
        if isinstance(p, RefinerPlan) and k != key and k in state.line.acts:
            refined = state.line.acts[k].worked[0]
            told.append(track(p, refined.result, refined.case.passes, state.solution.network.unit(k).line or p.name))
    return told


def _well_of(field: str) -> str:
    head, _, rest = field.partition(".")
    number = rest.partition(".")[0]
    return f"gross{number}" if head == "passes" and number.isdigit() else field


def _worked(request, state, key, plan, tried: RefinerPlan, now: dict[str, float], want: float, row, lab) -> dict:
    """Freeness and strength as set, each refiner's load, the power for what is wanted, and the two schools."""
    case = tried.case(now["csf_in"], now["od_t_h"])
    found = freeness(case)
    made = tried.strength_case(case.csf_in, now["od_t_h"])
    loads = []
    for r in tried.refiners:
        if r.net_kw > 0.0:
            one = LoadCase(
                gross_kw=r.gross_kw,
                no_load_kw=r.no_load_kw,
                od_t_h=tried.share_t_h(r, now["od_t_h"]),
                cel_km=r.cel_km,
                rpm=r.rpm,
                cons_pct=now["cons_pct"],
            )
            loads.append((r, Worked(model="refine.load", case=one, result=load(one))))
        else:
            loads.append((r, None))
    then = set_for(tried, now["csf_in"], now["od_t_h"], want)
    beyond = then if isinstance(then, Infeasible) else None
    there = None if isinstance(then, Infeasible) else then
    f = FURNISHES[tried.furnish]
    low, high = f.usual_sel
    told = schools(tried, now["csf_in"], want, (low, high))
    net = sum(r.net_kw for r in tried.refiners)
    total = sum(p.kwh_t for p in case.passes)
    mean_sel = sum(p.sel * p.kwh_t for p in case.passes) / total if total > 0.0 else f.sel
    band = (row.band.low, row.band.high) if row else None
    gross = sum(r.gross_kw for r in tried.refiners)
    short = tried.feed_cautions(now["od_t_h"], now["cons_pct"])
    half, own = _half(state, key, row)
    gentle, hard = told if told else (None, None)
    csfs = _levels(now["csf_in"], min(want, found.csf_ml))
    curves = tuple(
        (f"{sel:.2g} J/m", trade_off(tried, now["csf_in"], near(sel), csfs)) for sel in (max(0.05, mean_sel), low, high)
    )
    then_sel = max(r.sel for r in there.refiners) if there else 0.0
    after = there.strength_case(case.csf_in, now["od_t_h"]) if there else None
    result = {
        "worked": Worked(model="refine.freeness", case=case, result=found),
        "made": Worked(model="refine.strength", case=made, result=strength(made)) if made else None,
        "loads": loads,
        "total": total,
        "net": net,
        "gross": gross,
        "cost": POWER_MWH / 1000.0 * gross / now["od_t_h"],
        "then": there,
        "then_rows": list(zip(tried.refiners, there.refiners, strict=True)) if there else [],
        "then_sel": then_sel,
        "beyond_sel": (low, high, "it cuts; wants more edge" if then_sel > high else "it hardly refines")
        if there and not low <= then_sel <= high
        else None,
        "beyond": beyond,
        "want": want,
        "near": abs(found.csf_ml - want) < (0.5 * (band[1] - band[0]) if band else 5.0),
        "off": found.csf_ml - want,
        "gentle": gentle,
        "hard": hard,
        "after": strength(after) if after else None,
        "after_kwh": sum(p.kwh_t for p in there.passes(now["od_t_h"])) if there else 0.0,
        "m": map_picture(tried, found, case.passes, want, band, _others(state, key)),
        "c": curve_picture(
            tried, found, case.passes, want, case.csf_in, lab.value if lab else None, _samples(state, tried, now, row), half
        ),
        "half": half,
        "half_own": own,
        "flows": [(r, tried.flow_l_min(r, now["od_t_h"], now["cons_pct"])) for r in tried.refiners],
        "s": strength_picture(curves, (found.csf_ml, strength(made).tensile), want, band) if made else None,
        "b": loads_picture(tried, there),
        "held": held_case(request.GET.get("held", ""), find("refine.freeness")),
        "hold_name": f"{plan.name}, {clock(state.now)}",
        "minds": [c.text for c in found.cautions]
        + [f"{tried.refiners[int(c.field.partition('.')[2]) - 1].name} {c.text}" for c in short],
    }
    if key:
        was = plan.settings()
        typed = {f"gross_kw.{i}": r.gross_kw for i, r in enumerate(tried.refiners, start=1)}
        moved = {k: f"{x:g}" for k, x in typed.items() if abs(x - was[k]) > 0.05}
        if moved:
            result["put"] = put_address(key, moved, request)
        if there:
            asked = {f"gross_kw.{i}": f"{r.gross_kw:.1f}" for i, r in enumerate(there.refiners, start=1)}
            result["put_then"] = put_address(key, asked, request, afresh=True)
    return result


bench = bench_view("refine", BENCHES, station, PICTURES)
