"""Clean: a cascade of screens or cleaners as it stands in the line, tried with other stages, and the step it asks for first."""

from dataclasses import replace

from django.shortcuts import render
from django.views.decorators.http import require_safe

from core import calc
from core.catalogue import find
from core.clean.cascade import BACK, FORWARD, KINDS, CascadeCase, Stage, cascade, other_ways, solve
from core.clean.least import least_loss
from core.clean.unit import IDLE, SET, WARM, CascadePlan
from core.errors import ImpossibleInput, Infeasible, NotSolved
from core.practice.clean_advice import advise
from core.unit import Worked
from desk.cases.benches import Bench, bench_view, held_case
from desk.clean.drawings import cascade_picture
from desk.kit.bench import Well, read_wells, refuse_well, render_bench, row_caution
from desk.kit.templatetags.vat import clock
from desk.kit.text import whole
from desk.mill.beside import beside
from desk.mill.context import state_of
from desk.mill.in_force import put_address
from desk.mill.ribbon import STATIONS, colour_of, draw_small

MOST_STAGES = 6
PUT_FROM = 1e-6
TIPS_MIND = "Never open a tip or a junk trap under pressure: isolate, bleed and lock out by the site’s procedure."
BASKET_MIND = "A screen is drained, vented and locked out before its lid is loosened; the rotor runs on."
_SETS = [{"rv": rv, "e": e} for rv, e in ((0.10, 0.74), (0.15, 0.79), (0.20, 0.81), (0.25, 0.85), (0.30, 0.86))]
_DROPS = [{"kpa": kpa, "e": e} for kpa, e in ((90, 0.85), (120, 0.88), (150, 0.91), (180, 0.92), (200, 0.93))]
BENCHES = {
    b.key: b
    for b in (
        Bench(
            "screen",
            "One screen",
            "What it keeps back, and what pulp goes with it.",
            "screen.stage",
            "",
            {"rv": 0.2, "p_dirt": 0.15, "p_pulp": 0.75},
            "screens",
            BASKET_MIND,
        ),
        Bench(
            "passage",
            "Slot or hole",
            "What passes it, class by class.",
            "screen.passage",
            "",
            {"particle": "hard stickies", "aperture_mm": 0.15},
            "screens",
        ),
        Bench(
            "slot",
            "Slot for an efficiency",
            "The widest that still keeps it back.",
            "screen.slot_for",
            "",
            {"particle": "hard stickies", "e": 0.7, "rv": 0.2},
            "screens",
        ),
        Bench(
            "capacity",
            "Capacity and blinding",
            "What it carries, and what binds.",
            "screen.capacity",
            "",
            {
                "accept_t_h": 5.2,
                "accept_pct": 1.05,
                "feed_pct": 1.2,
                "rv": 0.2,
                "p_pulp": 0.75,
                "aperture_mm": 0.15,
                "area_m2": 2.4,
            },
            "screens",
            BASKET_MIND,
        ),
        Bench(
            "velocity",
            "Velocity",
            "In slots or holes.",
            "screen.velocity",
            "",
            {"accept_l_min": 6000, "area_m2": 1.9, "open_pct": 4.5},
            "screens",
        ),
        Bench(
            "samples",
            "By samples",
            "Feed, accept and reject of one minute.",
            "screen.samples",
            "",
            {"feed": 66, "accept": 15, "reject": 440, "rv": 0.08, "feed_pct": 1.0, "reject_pct": 1.5},
            "screens",
        ),
        Bench(
            "passage-fit",
            "Passage, fitted",
            "Of several sets of samples.",
            "screen.passage_fit",
            "",
            {"particle": "shives", "aperture_mm": 0.15, "sets": _SETS},
            "screens",
        ),
        Bench(
            "quotient",
            "By the quotient",
            "Efficiency at another reject.",
            "screen.quotient",
            "",
            {"rm": 0.15, "q": 0.9},
            "screens",
        ),
        Bench(
            "rejects",
            "Rejects for an efficiency",
            "By the quotient.",
            "screen.rejects_for",
            "",
            {"e": 0.9, "q": 0.95},
            "screens",
        ),
        Bench("length", "Passage by length", "For fractionation.", "screen.length", "", {"length_mm": 2}, "screens"),
        Bench(
            "bank",
            "A bank",
            "Drop, flow and how many open.",
            "cleaner.bank",
            "",
            {"flow_l_min": 21000, "cones_open": 40},
            "cleaners",
            TIPS_MIND,
        ),
        Bench(
            "cut",
            "The cut",
            "What a cleaner throws out.",
            "cleaner.cut",
            "",
            {"particle": "sand 50 to 150 µm", "kpa": 150},
            "cleaners",
        ),
        Bench(
            "partition",
            "Partition",
            "Of one size, by its cut.",
            "cleaner.partition",
            "",
            {"size_um": 90, "d50_um": 45, "rf": 0.12},
            "cleaners",
        ),
        Bench(
            "thickening",
            "Fibre in the reject",
            "What a cleaner loses.",
            "cleaner.thickening",
            "",
            {"feed_pct": 0.8, "rv": 0.1},
            "cleaners",
        ),
        Bench(
            "cut-fit",
            "Cut, fitted",
            "Of several sets of samples.",
            "cleaner.cut_fit",
            "",
            {"size_um": 100, "sets": _DROPS},
            "cleaners",
        ),
        Bench("high", "High consistency", "Junk traps.", "cleaner.high", "", {"size_um": 400}, "cleaners", TIPS_MIND),
        Bench(
            "recursion",
            "In closed form",
            "Stages that each reject a share.",
            "clean.recursion",
            "",
            {"stages": 3, "r1": 0.2},
            "cascades",
        ),
        Bench(
            "alike",
            "Screens alike",
            "Rejects for a cleanliness.",
            "clean.equal_stages",
            "",
            {"stages": 3, "p_dirt": 0.15, "p_pulp": 0.75, "removed": 0.7},
            "cascades",
        ),
    )
}
FEED_WELLS = (
    Well("pulp", "Pulp", "t/h OD", 5.0, 0.01, 300),
    Well("temp_c", "Temperature", "°C", 45, 1, 95),
    Well("refined", "Last reject to a reject refiner", "share", 0, 0, 0.99),
    Well("want", "Dirt wanted under", "mg/kg", 1000, 0, 1e6),
)


def station(request, state, **more) -> dict:
    return {"station": "clean", "stations": STATIONS, "small": draw_small(state), **more}


def _in_force(state, unit: str) -> tuple[CascadePlan | None, CascadeCase, str]:
    """A cascade as it stands, the case that meets the pulp now, and where its settings come from."""
    plan = state.line.acting.get(unit)
    if not isinstance(plan, CascadePlan):
        return None, IDLE, "default"
    record = state.put_in_force.get(unit)
    return plan, plan.case(state.line.inlets.get(unit)), f"in force since {clock(record.at)}" if record else "set-up"


def _stage_wells(i: int, s: Stage) -> tuple[Well, ...]:
    word = "cleaners" if s.cones else "baskets"
    return (
        Well(f"open{i}", f"Stage {i + 1}, {word} open", "", s.cones_open, 1, 2000),
        Well(f"rv{i}", f"Stage {i + 1}, flow rejected", "%", s.rv_pct, 1, 90),
        Well(f"pct{i}", f"Stage {i + 1}, feed", "%", s.feed_pct, 0.05, 6),
        Well(f"mm{i}", f"Stage {i + 1}, {'cone' if s.cones else 'slot or hole'}", "mm", s.size_mm, 0.08, 600),
        Well(f"one{i}", f"Stage {i + 1}, {'a cleaner takes' if s.cones else 'a basket'}", "", s.one, 0.05, 20000),
    )


FIELDS = {"open": "cones_open", "rv": "rv_pct", "pct": "feed_pct", "mm": "size_mm", "one": "one"}
NEW = {
    "cleaner": Stage(kind="cleaner", cones_open=2, rv_pct=12.0, feed_pct=0.5, size_mm=100.0, one=500.0),
    "light cleaner": Stage(kind="light cleaner", cones_open=2, rv_pct=15.0, feed_pct=0.7, size_mm=125.0, one=500.0),
    "screen": Stage(kind="screen", cones_open=1, rv_pct=20.0, feed_pct=1.0, size_mm=0.15, one=0.5),
    "fractionator": Stage(kind="fractionator", cones_open=1, rv_pct=40.0, feed_pct=1.5, size_mm=1.2, one=1.0, openings="holes"),
    "tail screen": Stage(kind="tail screen", cones_open=1, rv_pct=12.0, feed_pct=1.0, size_mm=3.0, one=1.0, openings="holes"),
}


def _rows(data, opening: tuple[Stage, ...]) -> list[dict]:
    """The stages as typed: kind, the way of the accept, and five wells each; those that are new open as is usual."""
    count = whole(data.get("count", ""), 1, MOST_STAGES) or len(opening)
    rows = []
    for i in range(count):
        start = opening[i] if i < len(opening) else replace(opening[-1], cones_open=1, there=0, accept=BACK)
        kind = data.get(f"kind{i}", start.kind)
        if kind in KINDS and kind != start.kind:
            start = NEW[kind]
        accept = data.get(f"accept{i}", start.accept)
        wells, values = read_wells(data, _stage_wells(i, start))
        rows.append(
            {
                "i": i,
                "n": i + 1,
                "start": start,
                "kind": start.kind,
                "screens": not start.cones,
                "wells": wells,
                "values": values,
                "accept": accept if accept in (BACK, FORWARD) else BACK,
            }
        )
    return rows


def _stages(rows: list[dict]) -> tuple[Stage, ...]:
    """The stages of the rows; a well that nobody touched keeps its own figure."""
    made = []
    for r in rows:
        own = {}
        for well in r["wells"]:
            name = FIELDS[well["name"].rstrip("0123456789")]
            if well["text"] != f"{getattr(r['start'], name):g}":
                own[name] = float(round(well["value"])) if name == "cones_open" else well["value"]
        made.append(replace(r["start"], **own, accept=r["accept"]))
    return tuple(made)


@require_safe
def cascade_page(request):
    """The cascade of a line: its stages and their balance, what is lost and what stays in, the step it asks for, least loss."""
    state = state_of(request)
    if state is None:
        return render(request, "no_mill.html")
    plans = {k: p for k, p in state.line.acting.items() if isinstance(p, CascadePlan)}
    key = request.GET.get("line", "")
    key = key if key in plans else next(iter(plans), "")
    plan, standing, source = _in_force(state, key)
    base = cascade(standing)
    opening = tuple(
        replace(w, start=round(v, places))
        for w, v, places in (
            (FEED_WELLS[0], sum(base.solved.fed), 2),
            (FEED_WELLS[1], standing.temp_c, 0),
            (FEED_WELLS[2], standing.refined, 2),
            (FEED_WELLS[3], base.dirt_out_ppm, 0),
        )
    )
    wells, v = read_wells(request.GET, opening)
    where = {"pulp": "solved", "temp_c": source, "refined": "set-up", "want": "as it is now"}
    for row, well in zip(wells, opening, strict=True):
        row["source"] = where[well.name] if row["text"] == f"{well.start:g}" else "typed"
    rows = _rows(request.GET, standing.stages)
    context = station(
        request,
        state,
        wells=wells,
        rows=rows,
        kinds=KINDS,
        lines=[(k, state.solution.network.unit(k).line or p.name, p.name) for k, p in plans.items()],
        key=key,
        name=plan.name if plan else "no line of this mill",
        source=source,
        counts=range(1, MOST_STAGES + 1),
        may_put=request.user.may("move") and key in plans,
        standing=state.put_in_force.get(key),
        cascading=True,
        beside=beside(state, key) if key in plans else [],
    )
    every = [*wells, *(w for r in rows for w in r["wells"])]
    if not any(w["error"] for w in every):
        try:
            context |= _worked(request, state, key, plan, standing, _case(standing, wells, v, opening, _stages(rows)), v)
        except ImpossibleInput as refusal:
            for p in refusal.problems:
                refuse_well(every, _well_of(p.field), p.text)
        except NotSolved as failure:
            refuse_well(every, "pulp", str(failure))
    for r in rows:
        r["error"] = " ".join(w["error"] for w in r["wells"] if w["error"])
    context["errors"] = [w["error"] for w in every if w["error"]]
    return render_bench(request, "clean/cascade", context)


def _well_of(field: str) -> str:
    """The well that a refused field of the case was typed into."""
    head, _, rest = field.partition(".")
    number, _, name = rest.partition(".")
    if head == "stages" and number.isdigit():
        return f"{next((k for k, f in FIELDS.items() if f == name), 'open')}{int(number) - 1}"
    return {"lf": "pulp"}.get(field, field)


def _case(standing: CascadeCase, wells, v: dict, opening, stages: tuple[Stage, ...]) -> CascadeCase:
    """The standing case with what was typed: more pulp of the same kind, another warmth, other stages."""
    case = replace(standing, stages=stages)
    typed = {row["name"] for row, well in zip(wells, opening, strict=True) if row["text"] != f"{well.start:g}"}
    if "pulp" in typed:
        case = case.times(v["pulp"] / standing.solids_t_h)
    return replace(case, **{name: v[name] for name in ("temp_c", "refined") if name in typed})


def _worked(request, state, key: str, plan, standing: CascadeCase, case: CascadeCase, v: dict) -> dict:
    """The cascade's figures and picture, the step that it asks for first, and where asked the rejects of least loss."""
    found = cascade(case)
    held = held_case(request.GET.get("held", ""), find("clean.cascade"))
    other = None
    if held is not None:
        try:
            other = solve(calc.read_case(find("clean.cascade"), held.given))
        except (ImpossibleInput, NotSolved):
            other = None
    told = {
        "worked": Worked(model="clean.cascade", case=case, result=found),
        "p": cascade_picture(case, found.solved, other, _pulp(state, key), other_ways(case)),
        "held": held,
        "hold_name": f"{plan.name if plan else 'cascade'}, {clock(state.now)}",
        "advice": advise(case, found),
        "has": {name: getattr(case, name) > 0.0 for name in ("snd", "shv", "stk", "pls", "fl")},
        "minds": [row_caution(c, "stages", Stage, lambda i: f"Stage {i}") for c in found.cautions],
    }
    if told["advice"]:
        asked = {"drop": "C1", "blinds": "S1"}.get(told["advice"].what, "")
        places = (p for p in state.mill.moves.values() if (p.row, p.unit, p.stage) == (asked, key, told["advice"].stage))
        told["advice_row"] = next((p.key for p in places), "")
    now = {f"{name}.{i}": getattr(s, name) for i, s in enumerate(case.stages, start=1) for name in SET}
    now[WARM] = case.temp_c
    was = plan.settings() if plan else {}
    moved = {k: f"{x:g}" for k, x in now.items() if k in was and abs(x - was[k]) > PUT_FROM}
    if plan and moved and len(case.stages) == len(plan.stages):
        told["put"] = put_address(key, moved, request)
    if request.GET.get("least"):
        least = least_loss(case, v["want"])
        told["least"] = None if isinstance(least, Infeasible) else least
        told["beyond"] = least if isinstance(least, Infeasible) else None
        if told["least"] and plan and len(least.rv) == len(plan.stages):
            told["least_rows"] = [
                (i, a, s.rv_pct) for i, (a, s) in enumerate(zip(least.rv_pct, case.stages, strict=True), start=1)
            ]
            solved = {f"rv_pct.{i}": f"{a:.2f}" for i, a in enumerate(least.rv_pct, start=1)}
            told["put_least"] = put_address(key, solved, request, afresh=True)
    return told


def _pulp(state, key: str) -> str:
    """The colour of the stock that comes, for the picture."""
    return colour_of(state.solution.enters(key))[0] if key in state.solution.network.index else "#F1ECE1"


bench = bench_view("clean", BENCHES, station)
