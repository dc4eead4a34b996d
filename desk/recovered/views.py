"""Recovered: the line from bales to bright stock as it stands, its steps tried, grey against white, least cost."""

from dataclasses import replace

from django.shortcuts import render
from django.views.decorators.http import require_safe

from core import calc
from core.catalogue import find
from core.errors import ImpossibleInput, Infeasible
from core.quantity import quantities
from core.recovered.again import AgainCase, again
from core.recovered.cheapest import cheapest
from core.recovered.line import LineCase, Step, grey_step, line, run
from core.recovered.unit import IDLE, SET, UPTO, RecoveredPlan
from core.unit import Worked
from desk.cases.benches import Bench, bench_view, held_case
from desk.kit.bench import Well, read_wells, refuse_well, render_bench, row_caution
from desk.kit.templatetags.vat import clock
from desk.kit.text import whole
from desk.mill.beside import beside
from desk.mill.context import state_of
from desk.mill.in_force import put_address
from desk.mill.ribbon import STATIONS, draw_small
from desk.recovered.drawings import line_picture

IDLE_T_H = 2.0
DITHIONITE_MIND = "Dithionite powder stays dry and off the air: damp heats it by itself. Site procedure first."
STEAM_MIND = "Live steam: the valve slowly, the vat clear of people."
PULPER_MIND = "A pulper is a confined space: permit first. The belt is stopped and tagged before a hand goes to a wire."
_PULPED = {"free_5": 0.171, "free_25": 0.506, "free_150": 0.184, "free_more": 0.046}
_MIX = [
    {
        "share": 68,
        "moisture_pct": 8.5,
        "ash_pct": 17,
        "unwanted_pct": 2.4,
        "eric_ppm": 930,
        "stickies": 4200,
        "mechanical": 0.45,
    },
    {"share": 32, "moisture_pct": 7, "ash_pct": 13, "unwanted_pct": 1.2, "eric_ppm": 375, "stickies": 4500, "mechanical": 0.09},
]
BENCHES = {
    b.key: b
    for b in (
        Bench(
            "ink",
            "Ink in the pulper",
            "Loose, still attached, driven back.",
            "pulper.ink",
            "",
            {"kwh_t": 22},
            "steps",
            PULPER_MIND,
        ),
        Bench(
            "card",
            "A batch, from the vat",
            "Bales and water for a consistency.",
            "pulper.card",
            "",
            {"vat_m3": 30, "cons_pct": 15, "bale_kg": 600, "moisture_pct": 10},
            "pulper",
            PULPER_MIND,
        ),
        Bench(
            "defiber",
            "Defibering",
            "Energy and minutes until the flakes are gone.",
            "pulper.defiber",
            "",
            {"furnish": "office and white grades", "od_t": 2.6, "net_kw": 120},
            "pulper",
        ),
        Bench("through", "Drum or vat", "Continuous pulpers.", "pulper.through", "", {"k": 0.25, "minutes": 12}, "pulper"),
        Bench(
            "cycle",
            "Capacity",
            "Batches an hour, and the slack.",
            "pulper.cycle",
            "",
            {"fill": 4, "load": 5, "pulp": 24, "dump": 5, "od_t": 2.6, "demand_t_h": 2.1},
            "pulper",
        ),
        Bench(
            "steam",
            "Steam for a batch",
            "To warm it.",
            "pulper.steam",
            "",
            {"stock_t": 18, "from_c": 38, "to_c": 50},
            "pulper",
            STEAM_MIND,
        ),
        Bench(
            "pay",
            "Pay weight",
            "Of bales, by their moisture.",
            "pulper.pay",
            "",
            {"received_kg": 612, "moisture_pct": 14},
            "pulper",
        ),
        Bench("flotation", "Flotation", "What cells take, and what they cost.", "flotation.cells", "", {}, "steps"),
        Bench(
            "air", "Air for an ink", "How much, and the filler it takes.", "flotation.air_for", "", {"ink_left": 0.3}, "steps"
        ),
        Bench(
            "thicken",
            "Thicken or wash",
            "What goes with the water.",
            "recovered.thicken",
            "",
            {"feed_pct": 0.9, "to_pct": 8},
            "steps",
        ),
        Bench(
            "disperse",
            "Dispersing",
            "Specks out of sight, ink loose and finer.",
            "recovered.disperse",
            "",
            {"kwh_t": 60, **_PULPED, "attached": 0.08, "redeposited": 0.013},
            "steps",
            "Hot pulp and steam: a disperger is opened cold, locked out and vented.",
        ),
        Bench("peroxide", "Peroxide", "And its best alkali.", "recovered.peroxide", "", {"dose": 18, "naoh_pct": 1.2}, "light"),
        Bench(
            "dose",
            "Peroxide for an absorption",
            "With its alkali at the best.",
            "recovered.peroxide_for",
            "",
            {"to_kf": 3.0},
            "light",
        ),
        Bench(
            "dithionite", "Dithionite", "On recovered pulp.", "recovered.reductive", "", {"dose": 6}, "light", DITHIONITE_MIND
        ),
        Bench(
            "light",
            "Brightness",
            "From what the pulp is made of.",
            "recovered.light",
            "",
            {"lf": 0.3, "sf": 0.42, "fn": 0.16, "fl": 0.12, "eric_ppm": 150},
            "light",
        ),
        Bench(
            "water",
            "Water loops",
            "What dissolves, fresh water, effluent, sludge.",
            "recovered.water",
            "",
            {"paper_t_h": 2.2, "first_t_h": 1.9, "made_t_h": 1.75},
            "water",
            "A sludge press and its pit are confined spaces with gas: permit and gas test first.",
        ),
        Bench("again", "One more recycle", "Strength, length, what is lost.", "recovered.again", "", {}, "water"),
        Bench(
            "second",
            "Foam taken again",
            "A second stage, and how well it tells ink from fibre.",
            "flotation.second",
            "",
            {"solids": 0.1, "ink": 0.6},
            "steps",
        ),
        Bench(
            "mix",
            "A bale mix",
            "By dry mass.",
            "pulper.mix",
            "",
            {"papers": _MIX},
            "pulper",
        ),
        Bench("sorting", "Sorting", "By machine, then by hand.", "yard.sorting", "", {"kg": 1000, "unwanted_pct": 3}, "pulper"),
        Bench(
            "stored",
            "Pulp in store",
            "What brightness is left.",
            "yard.stored",
            "",
            {"iso_pct": 84, "days": 60, "pc": 0.9},
            "light",
        ),
        Bench(
            "first-in",
            "Which lots are used",
            "First in, first out.",
            "yard.first_in",
            "",
            {"take_t": 70, "lots": [{"t": 40}, {"t": 55}, {"t": 30}]},
            "pulper",
        ),
        Bench("eric", "Ink by infrared", "ERIC from a reflectance.", "recovered.eric", "", {"r950": 72}, "light"),
    )
}
WANT = Well("want", "Brightness wanted", "% ISO", 72, 30, 90)
TOP_WELLS = (
    Well("eric", "Ink that comes", "ppm", 700, 0, 5000),
    Well("mechanical", "Mechanical share of the fibre", "share", 0.5, 0, 1),
    Well("stickies", "Stickies that come", "mm²/kg", 4000, 0, 1e6),
    Well("fl", "Filler that comes", "% of solids", 16, 0, 60),
)


def station(request, state, **more) -> dict:
    return {"station": "recovered", "stations": STATIONS, "small": draw_small(state), **more}


def _step_wells(steps: tuple[Step, ...]) -> list[tuple[int, str, Well]]:
    """The wells of what is set on each step: its number, its field, the well."""
    said, told = quantities(Step), []
    for i, s in enumerate(steps, start=1):
        for name in SET.get(s.name, ()):
            q = said[name]
            what = {"dose": "soap" if s.name == "flotation" else s.name, "air": "air, factor", "minutes": "time"}
            what["water_pct"] = "water to the foam"
            label = f"{i} {s.called}, {what.get(name, q.label.lower())}"
            told.append((i, name, Well(f"{name}{i}", label, q.unit, getattr(s, name), q.possible[0], q.possible[1])))
    return told


def _typed(wells: list[dict], opening) -> dict[str, float]:
    """The wells that somebody typed into, by name."""
    starts = {w.name: w.start for w in opening}
    return {r["name"]: r["value"] for r in wells if r["value"] is not None and r["text"] != f"{starts[r['name']]:g}"}


@require_safe
def line_page(request):
    """The recovered line: every step with what it takes, the ink, ash, stickies and brightness along it, grey beside white."""
    state = state_of(request)
    if state is None:
        return render(request, "no_mill.html")
    plans = {k: p for k, p in state.line.acting.items() if isinstance(p, RecoveredPlan)}
    key = request.GET.get("line", "")
    key = key if key in plans else next(iter(plans), "")
    plan = plans.get(key)
    inlet = state.line.inlets.get(key)
    full = replace(plan, to_step=0.0).case(inlet) if plan else IDLE
    fed = inlet.solids_t_h if inlet is not None and inlet.solids_t_h > 0.0 else IDLE_T_H
    shares = _mix_wells(plan)
    mixed, m = read_wells(request.GET, shares)
    moved = _typed(mixed, shares)
    if plan and inlet is not None and moved and not any(w["error"] for w in mixed):
        try:
            plan, inlet = plan.remixed(inlet, {k.removeprefix("share_"): v for k, v in m.items()})
            full = replace(plan, to_step=0.0).case(inlet)
        except ImpossibleInput as refusal:
            mixed[0]["error"] = f"{mixed[0]['label']} {refusal.problems[0].text}"
    record = state.put_in_force.get(key)
    source = f"in force since {clock(record.at)}" if record else "set-up"
    starts = {
        "eric": round(full.eric_ppm),
        "mechanical": round(full.mechanical, 3),
        "stickies": round(full.stickies),
        "fl": round(full.filler_pct, 1),
    }
    top = tuple(replace(w, start=starts[w.name]) for w in TOP_WELLS)
    here = _step_wells(full.steps)
    base = line(full)
    want = replace(WANT, start=round(base.iso_pct, 1))
    opening = (*top, *(w for _, _, w in here), want)
    mix_key = ",".join(w["text"] for w in mixed)
    turned = request.GET.get("mixwas", ",".join(f"{w.start:g}" for w in shares)) != mix_key
    data = {k: t for k, t in request.GET.items() if not (turned and k in starts)}  # another mix brings its own figures
    wells, v = read_wells(data, opening)
    typed = _typed(wells, opening)
    by_name = {w["name"]: w for w in wells}
    for w in mixed:
        w["source"] = "typed" if w["name"] in moved else "as loaded" if key in state.loaded else source
    wells += mixed
    for w in wells[: len(opening)]:
        w["source"] = "typed" if w["name"] in typed else ("solved" if w["name"] in ("eric", "fl") else source)
    count = len(full.steps)
    upto = whole(request.GET.get("upto", ""), 1, count) or (int(plan.to_step) if plan and plan.to_step else count)
    context = station(
        request,
        state,
        top=[by_name[w.name] for w in top],
        rows=[by_name[w.name] for _, _, w in here],
        want=by_name["want"],
        mix=mixed,
        mix_key=mix_key,
        turned=turned,
        bales=plan.mix if plan and not any(w["error"] for w in mixed) else None,
        lines=[(k, state.solution.network.unit(k).line or p.name, p.name) for k, p in plans.items()],
        key=key,
        name=plan.name if plan else "no line of this mill",
        source=source,
        count=count,
        upto=upto,
        grey_at=grey_step(full.steps),
        may_put=request.user.may("move") and key in plans,
        standing=record,
        beside=beside(state, key) if key in plans else [],
        lining=True,
    )
    if not any(w["error"] for w in wells):
        try:
            context |= _worked(request, state, plan, key, _case(full, typed, here), fed, upto, v["want"], moved)
            context |= _water(state, key, context["worked"])
        except ImpossibleInput as refusal:
            for p in refusal.problems:
                refuse_well(wells, _well_of(p.field), p.text)
    context["errors"] = [w["error"] for w in wells if w["error"]]
    return render_bench(request, "recovered/line", context)


def _well_of(field: str) -> str:
    head, _, rest = field.partition(".")
    number, _, name = rest.partition(".")
    return f"{name}{number}" if head == "steps" else {"eric_ppm": "eric"}.get(field, field)


def _case(full: LineCase, typed: dict[str, float], here) -> LineCase:
    """The standing case with what was typed: another ink, another filler, other settings of the steps."""
    steps = list(full.steps)
    for i, name, well in here:
        if well.name in typed:
            value = float(round(typed[well.name])) if name == "cells" else typed[well.name]
            steps[i - 1] = replace(steps[i - 1], **{name: value})
    case = replace(full, steps=tuple(steps))
    if "fl" in typed:
        case = case.with_filler(typed["fl"])
    named = {"eric": "eric_ppm", "mechanical": "mechanical", "stickies": "stickies"}
    return replace(case, **{field: typed[name] for name, field in named.items() if name in typed})


def _mix_wells(plan: RecoveredPlan | None) -> tuple[Well, ...]:
    """The shares of the bale mix, as received."""
    papers = plan.papers if plan else ()
    return tuple(Well(f"share_{p.kind}", p.kind.capitalize(), "%", round(p.share, 1), 0, 100) for p in papers)


def _water(state, key: str, worked: Worked) -> dict:
    """The water loops as the line runs, and what one more recycle costs of this line's yield and bales."""
    acts = state.line.acts.get(key)
    told = {"loops": next((w for w in acts.worked if w.model == "recovered.water"), None) if acts else None}
    case = AgainCase(mechanical=worked.case.mechanical, yield_pct=round(worked.result.yield_pct, 1))
    return told | {"again": Worked(model="recovered.again", case=case, result=again(case))}


def _worked(request, state, plan, key: str, case: LineCase, fed: float, upto: int, want: float, mix: dict[str, float]) -> dict:
    """Figures and picture of the line to the step that is taken, the other school beside it, least cost where it is asked."""
    taken = replace(case, steps=case.steps[:upto])
    found = line(taken)
    grey = grey_step(case.steps)
    other = line(replace(case, steps=case.steps[: grey if upto == len(case.steps) else len(case.steps)]))
    model = find("recovered.line")
    held = held_case(request.GET.get("held", ""), model)
    beside_run = other.after
    if held is not None:
        try:
            beside_run = run(calc.read_case(model, held.given))
        except ImpossibleInput:
            held = None
    told = {
        "worked": Worked(model="recovered.line", case=taken, result=found),
        "other": other,
        "other_name": "grey" if upto == len(case.steps) else "white",
        "saves": found.dearer_by(other),
        "a_point": found.a_point_of(other),
        "fed": fed,
        "sludge_t_h": found.sludge_t_h(fed),
        "other_sludge_t_h": other.sludge_t_h(fed),
        "p": line_picture(taken, found.after, fed, beside_run),
        "held": held,
        "hold_name": f"{plan.name if plan else 'recovered'}, {clock(state.now)}",
        "minds": [row_caution(c, "steps", Step, lambda i: case.steps[i - 1].called.capitalize()) for c in found.cautions],
    }
    if plan:
        now = {f"{name}.{i}": getattr(s, name) for i, s in enumerate(case.steps, start=1) for name in SET.get(s.name, ())}
        was = plan.settings()
        moved = {k: f"{x:g}" for k, x in now.items() if abs(x - was[k]) > 1e-9}
        moved |= {f"share.{name.removeprefix('share_')}": f"{x:g}" for name, x in mix.items()}
        to = 0 if upto == len(case.steps) else upto
        moved |= {UPTO: str(to)} if to != int(plan.to_step) else {}
        if moved:
            told["put"] = put_address(key, moved, request)
    if request.GET.get("least"):
        least = cheapest(taken, want)
        told["beyond"] = least if isinstance(least, Infeasible) else None
        told["least"] = None if isinstance(least, Infeasible) else least
        if told["least"] and plan:
            told["put_least"] = put_address(key, {m.setting: f"{m.after:.3f}" for m in least.moves}, request, afresh=True)
    return told


bench = bench_view("recovered", BENCHES, station)
