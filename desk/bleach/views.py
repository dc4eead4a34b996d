"""Bleach: a sequence read from its notation, its picture and charges, least cost, two schools side by side, and the chemical
tanks."""

from contextlib import suppress
from dataclasses import replace
from datetime import timedelta
from typing import NamedTuple
from urllib.parse import urlencode

from django.contrib import messages
from django.shortcuts import redirect, render
from django.urls import reverse
from django.views.decorators.http import require_http_methods, require_safe

from core.bleach import line as bleaching
from core.bleach.ceilings import CL, DT, HP, OF_STAGE, STRENGTH_MOST_G_L, mind_charge, mind_strength
from core.bleach.line import READY, Bleached, Cheapest, Plan, ad_of, cheapest, od_of, slopes, solution_l_min, typical, water_of
from core.bleach.metals import metals, metals_case
from core.bleach.models import one_stage, stage_case
from core.bleach.plant import BY_CHARGE, case_of, found_of, plan_of
from core.bleach.sequence import CODES, Misread, Sequence, read
from core.bleach.stages import CHEMICAL, PUBLISHED, Setting
from core.bleach.store import NEVER
from core.bleach.unit import LEAST_KAPPA, BleachPlan
from core.catalogue import find
from core.errors import ImpossibleInput, Infeasible
from core.judge.band import judge
from core.unit import Worked
from core.wash.oxygen import WOODS
from desk.bleach import tanks as book
from desk.bleach.drawings import FORMULA, sequence_picture
from desk.cases.benches import Bench, bench_view, case_held, held_case
from desk.kit.bench import Well, read_wells, refuse_well, render_bench, typed_number
from desk.kit.templatetags.vat import clock, dayclock
from desk.kit.text import whole
from desk.mill.beside import beside, bias_of
from desk.mill.chemicals import standings, strength_of
from desk.mill.context import state_of
from desk.mill.in_force import put_address
from desk.mill.ribbon import STATIONS, draw_small

BENCHES = {
    b.key: b
    for b in (
        Bench(
            "dioxide",
            "First chlorine dioxide",
            "Kappa out of a charge, carry-over counted.",
            "bleach.dioxide",
            "",
            {"kappa": 14, "clo2_kg": 11},
            "stages",
            f"{CL.title}: {CL.text}",
        ),
        Bench(
            "brighten",
            "A brightening stage",
            "D1, D2, P or PO: points for a charge.",
            "bleach.brighten",
            "",
            {"stage": "D1", "iso_pct": 71, "charge_kg": 7, "minutes": 150, "temp_c": 75, "ph": 3.8, "kappa": 2.6},
            "stages",
        ),
        Bench(
            "stage",
            "Any stage",
            "Kappa, brightness, metals and viscosity of one stage.",
            "bleach.stage",
            "",
            {"stage": "EOP", "kappa": 5.5, "iso_pct": 63, "charge_kg": 3, "minutes": 75, "temp_c": 75, "ph": 10.8, "mn_ppm": 6},
            "stages",
        ),
        Bench(
            "metals",
            "Metals before peroxide",
            "Manganese out, magnesium kept: does their ratio hold peroxide?",
            "bleach.metals",
            "",
            {"mn_ppm": 60, "mg_ppm": 300, "chelant_kg": 1.5, "minutes": 45, "ph": 5.8},
            "stages",
        ),
        Bench(
            "alkali-ph",
            "Alkali and pH",
            "NaOH to the pH at the end, and back.",
            "bleach.alkali_ph",
            "",
            {"stage": "E", "naoh_kg": 15, "active_kg": 27},
            "stages",
        ),
        Bench(
            "least-factor",
            "Kappa factor of least cost",
            "More in D0 makes D1 cheaper: how much?",
            "bleach.least_factor",
            "",
            {"wood": "softwood", "kappa": 14.3, "wanted_pct": 87},
            "stages",
            f"{CL.title}: {CL.text}",
        ),
        Bench(
            "charge",
            "Charge for a brightness",
            "So bright is wanted: how much?",
            "bleach.charge",
            "",
            {"stage": "D1", "iso_pct": 71, "wanted_pct": 87, "minutes": 150, "temp_c": 75, "ph": 3.8, "kappa": 2.6},
            "stages",
        ),
        Bench(
            "kappa-factor",
            "Kappa factor to a flow",
            "Active chlorine, ClO₂, litres a minute.",
            "bleach.kappa_factor",
            "",
            {"kappa": 14, "adt_d": 170, "strength_g_l": 9.4},
            "stages",
            f"{CL.title}: {CL.text}",
        ),
        Bench(
            "tower",
            "Time in a tower",
            "Level, consistency, rate.",
            "bleach.tower",
            "",
            {"volume_m3": 90, "cons_pct": 11, "od_t_h": 6.6},
            "towers",
        ),
        Bench(
            "transit",
            "When what enters leaves",
            "A tower while the flow changes.",
            "bleach.transit",
            "",
            {"volume_m3": 90, "q1": 60, "q2": 50, "change_h": 1},
            "towers",
        ),
        Bench("band", "A meter between samples", "Its honest band.", "bleach.band", "", {}, "towers"),
        Bench(
            "forecast",
            "How sure a forecast is",
            "Errors of model, kappa and charge together.",
            "bleach.forecast",
            "",
            {},
            "towers",
        ),
        Bench(
            "stored",
            "Brightness of stored pulp",
            "What waiting takes back.",
            "bleach.stored",
            "",
            {"iso_pct": 84, "days": 60},
            "store",
        ),
        Bench(
            "end-ph",
            "pH at the end",
            "Charge balance of the mat’s liquor.",
            "bleach.end_ph",
            "",
            {"acid": 0.0132, "base": 0.012},
            "stages",
        ),
        Bench(
            "reversion",
            "Reversion and AOX",
            "What age takes back, and what goes to the effluent.",
            "bleach.reversion",
            "",
            {"iso_pct": 88, "active_cl_adt": 35},
            "stages",
        ),
        Bench("colour", "Colour of a kappa", "What the eye sees of it.", "colour.of_kappa", "", {"kappa": 28}, "stages"),
        Bench(
            "colour-mix",
            "Brightness of a mix",
            "By scattered light, never by the mean.",
            "colour.mix",
            "",
            {"share_pct": 70, "iso_a": 88, "s_a": 32, "iso_b": 60, "s_b": 55},
            "stages",
        ),
        Bench(
            "mechanical",
            "Peroxide on mechanical pulp",
            "Alkali at its best.",
            "bleach.peroxide_mechanical",
            "",
            {"wood": "hemlock", "iso_pct": 54, "peroxide_pct": 2.8, "naoh_pct": 1.9},
            "mechanical",
            f"{HP.title}: {HP.text}",
        ),
        Bench(
            "two-stage",
            "Two stages, press between",
            "Chemicals used again.",
            "bleach.two_stage",
            "",
            {"wood": "hemlock", "iso_pct": 54},
            "mechanical",
            f"{HP.title}: {HP.text}",
        ),
        Bench(
            "dithionite",
            "Dithionite",
            "The plateau comes soon.",
            "bleach.dithionite",
            "",
            {"iso_pct": 54, "kg_odt": 8},
            "mechanical",
            f"{DT.title}: {DT.text}",
        ),
        Bench(
            "tank",
            "A chemical tank",
            "Cover, and when the next load fits.",
            "bleach.tank",
            "",
            {"now_m3": 34, "least_m3": 4, "most_m3": 60, "use_m3_h": 0.9, "lead_h": 20, "load_m3": 24},
            "store",
            "Unloading: product read aloud from hose label, tank and batch, by two people.",
        ),
        Bench(
            "kept",
            "Strength lost in store",
            "What is left of a solution.",
            "bleach.kept",
            "",
            {"strength": 57, "hours": 12},
            "store",
        ),
        Bench(
            "reorder",
            "When to order",
            "Use and lead time with their luck.",
            "bleach.reorder",
            "",
            {"use_d": 38, "sd_use": 6, "lead_d": 9, "sd_lead": 2},
            "store",
        ),
    )
}
START = "O-D0-EOP-D1"
WELLS = tuple(
    Well(*w)
    for w in (
        ("kappa", "Kappa in", "", 26, 0.1, 200),
        ("cod", "COD carried in", "kg/t OD", 8, 0, 300),
        ("od_t_h", "Pulp", "t/h OD", 6.6, 0.01, 300),
        ("clo2_g_l", "ClO₂ solution", "g/L", 9.4, 0.1, STRENGTH_MOST_G_L),
        ("target", "Brightness wanted", "% ISO", 86, 20, 95),
        ("visc", "Viscosity that may go", "mL/g", 350, 0, 1500),
        ("front", "Kappa entering now", "", 0, 0, 200),
    )
)
SETTING = ("charge", "minutes", "temp_c", "ph")
IDLE_OD_T_H = 6.6  # pulp a plant is worked through with while none comes
LIMITS = {
    "c": ("charge", "kg/ADt", 0, 100),
    "m": ("time", "min", 0, 1000),
    "t": ("temperature", "°C", 5, 130),
    "p": ("pH", "", 0, 14),
}


def station(request, state, **more) -> dict:
    return {"station": "bleach", "stations": STATIONS, "small": draw_small(state), **more}


class Standing(NamedTuple):
    """A bleach plant as it stands: the unit, its settings, the plan that meets the pulp now, the pulp, and where its charges
    come from."""

    key: str
    unit: BleachPlan
    plan: Plan
    od_t_h: float
    source: str


def plants(state) -> dict[str, str]:
    """The units of this mill that bleach by a sequence, with their titles."""
    titles = {u.id: u.title for u in state.mill.units}
    return {k: titles[k] for k, p in state.mill.bleach_plans.items() if p.sequence}


def _standing(state, key: str) -> Standing | None:
    """The plant as the line runs it now; None where this mill has none of that name."""
    unit = state.line.acting.get(key)
    if not isinstance(unit, BleachPlan) or not unit.sequence:
        return None
    inlet = state.line.inlets[key]
    record = state.put_in_force.get(key)
    plan = unit.plan(max(LEAST_KAPPA, inlet.kappa), inlet.kg_odt("COD"))
    return Standing(key, unit, plan, inlet.solids_t_h, f"in force since {clock(record.at)}" if record else "set-up")


def _wells(state, standing: Standing | None) -> tuple[tuple[Well, ...], dict[str, str]]:
    """The wells opened at the line, and where each comes from: the pulp that enters the plant, the brightness its plan row
    wants."""
    start, sources = {}, dict.fromkeys((w.name for w in WELLS), "default")
    if standing is not None:
        start = {"kappa": standing.plan.kappa, "cod": standing.plan.cod, "od_t_h": standing.od_t_h or IDLE_OD_T_H}
        sources |= dict.fromkeys(start, "solved")
        row = state.mill.plan.get(standing.unit.iso_row)
        if row:
            start["target"] = row.band.aim
            sources["target"] = "set-up"
    if (solution := strength_of(state, "ClO2")) is not None:
        start["clo2_g_l"] = solution.strength
        sources["clo2_g_l"] = f"measured {dayclock(solution.strength_at)}" if solution.strength_at else "set-up"
    wells = tuple(replace(w, start=round(start[w.name], 2)) if w.name in start else w for w in WELLS)
    return wells, sources


def _settings(seq: Sequence, kappa: float, standing: Standing | None) -> tuple[Setting, ...]:
    """What the stages open with: as the plant is run where it is its sequence, else as is usual."""
    if standing is not None and standing.plan.sequence.text == seq.text:
        return standing.plan.settings
    return typical(seq, kappa)


def _stage_rows(data, seq: Sequence, settings: tuple[Setting, ...]) -> list[dict]:
    """A row a stage: its words, and charge, time, temperature and pH as typed or as they stand."""
    rows = []
    for i, (stage, usual) in enumerate(zip(seq.stages, settings, strict=True)):
        start = {"c": round(ad_of(usual.charge), 2), "m": usual.minutes, "t": usual.temp_c, "p": usual.ph}
        by_charge = stage.name in BY_CHARGE
        wells = []
        for k, (word, unit, low, high) in LIMITS.items():
            one = Well(f"s{i}{k}", f"{stage.name}, {word}", unit, start[k], low, high)
            wells.append(_blank(one, data) if k == "p" and by_charge else one.read(data))
            wells[-1]["touched"] = wells[-1]["text"] != ("" if k == "p" and by_charge else f"{start[k]:g}")
        lye = Well(f"s{i}n", f"{stage.name}, NaOH", "kg/ADt", 0.0, 0.0, 40.0)
        asks = stage.name in bleaching.ALKALINE and not by_charge
        rows.append(
            {
                "i": i,
                "stage": stage,
                "words": CODES[stage.code],
                "chemical": FORMULA.get(CHEMICAL.get(stage.name, ""), CHEMICAL.get(stage.name, "")),
                "wells": wells,
                "lye": _blank(lye, data) if asks else None,
                "by_charge": by_charge,
                "usual": usual,
                "card": None,
                "factor": None,
            }
        )
    return rows


def _blank(well: Well, data) -> dict:
    """A well that may be left blank: then it is told by the stage's own balance."""
    text = data.get(well.name, "").strip()
    blank = {"name": well.name, "label": well.label, "unit": well.unit, "text": "", "value": None, "error": ""}
    return well.read(data) if text else blank


def _plan(seq: Sequence, rows: list[dict], wells: list[dict], wood: str, standing: Standing | None) -> Plan:
    """The plan as typed; wells that nobody touched keep the figures of the line, not those they show rounded."""
    settings = []
    for r in rows:
        typed = {name: w["value"] for name, w in zip(SETTING, r["wells"], strict=True) if w["touched"]}
        if "charge" in typed:
            typed["charge"] = od_of(typed["charge"])
        settings.append(replace(r["usual"], **typed))
    v = {w["name"]: w for w in wells}
    own = {name: getattr(standing.plan, name) for name in ("kappa", "cod")} if standing else {}
    pulp = {name: own[name] if name in own and not v[name]["touched"] else v[name]["value"] for name in ("kappa", "cod")}
    naoh = {r["i"]: od_of(r["lye"]["value"]) for r in rows if r["lye"] and r["lye"]["value"] is not None}
    led = {r["i"] for r in rows if (r["i"] in naoh or r["by_charge"]) and r["wells"][SETTING.index("ph")]["touched"]}
    constants = standing.plan.own if standing else PUBLISHED
    return Plan(sequence=seq, settings=tuple(settings), wood=wood, naoh=naoh, measured=frozenset(led), own=constants, **pulp)


@require_safe
def sequence(request):
    """A sequence on a pulp: read, run, drawn, priced; solved for the least cost; a new kappa on its way through."""
    state = state_of(request)
    if state is None:
        return render(request, "no_mill.html")
    chosen = READY.get(request.GET.get("ready", ""))
    own = plants(state)
    key = request.GET.get("line", "" if chosen or "seq" in request.GET else next(iter(own), ""))
    standing = _standing(state, key) if key in own else None
    text = request.GET.get("seq", standing.plan.sequence.text if standing else chosen[0] if chosen else START)[:80]
    wood = request.GET.get("wood", standing.unit.wood if standing else chosen[1] if chosen else "softwood")
    wood = wood if wood in WOODS else "softwood"
    opening, sources = _wells(state, standing)
    if chosen and "kappa" not in request.GET:
        opening = tuple(replace(w, start=chosen[2]) if w.name == "kappa" else w for w in opening)
    wells, v = read_wells(request.GET, opening)
    for well, start in zip(wells, opening, strict=True):
        well["touched"] = well["text"] != f"{start.start:g}"
        well["source"] = "typed" if well["touched"] else sources[start.name]
    context = station(
        request,
        state,
        wells=wells,
        text=text,
        wood=wood,
        woods=list(WOODS),
        readies=list(READY),
        plants=own.items(),
        key=key if standing else "",
        charges_from=standing.source if standing and standing.plan.sequence.text == text else "usual",
        sequencing=True,
        solve=request.GET.get("solve") == "1",
    )
    try:
        seq = read(text)
    except Misread as fault:
        context |= {"misread": fault.problems[0].text, "caret": "\u2007" * fault.at + "^", "rows": []}
        return render_bench(request, "bleach/sequence", context)
    rows = _stage_rows(request.GET, seq, _settings(seq, v.get("kappa", 20.0), standing))
    context |= {"seq": seq, "rows": rows}
    if not any(w["error"] for w in (*wells, *_all(rows))):
        try:
            plan = _plan(seq, rows, wells, wood, standing)
            held = held_case(request.GET.get("held", ""), find("bleach.plant"))
            context |= _worked(request, state, plan, rows, v, standing, held)
            context |= {
                "held": held,
                "hold_name": f"{seq.text}, {clock(state.now)}",
            }
            if standing and request.user.may("move") and (moved := _to_put(plan, standing)):
                context["put_in_force"] = put_address(key, moved, request)
        except ImpossibleInput as refusal:
            for p in refusal.problems:
                where, _, what = p.field.partition(".")
                if where[:1] == "s" and whole(where[1:], 1, len(rows)):
                    well = rows[int(where[1:]) - 1]["wells"][SETTING.index(what) if what in SETTING else 0]
                    well["error"] = f"{well['label']} {p.text}"
                else:
                    refuse_well(wells, p.field, p.text)
    context["errors"] = [w["error"] for w in (*wells, *_all(rows)) if w["error"]]
    return render_bench(request, "bleach/sequence", context)


def _all(rows: list[dict]) -> list[dict]:
    """Every well of the stages."""
    return [w for r in rows for w in (*r["wells"], *([r["lye"]] if r["lye"] else []))]


def _to_put(plan: Plan, standing: Standing) -> dict[str, str]:
    """The charges that differ from those in force, by the name of the setting; none for another sequence."""
    if plan.sequence.text != standing.plan.sequence.text:
        return {}
    pairs = zip(plan.settings, standing.plan.settings, strict=True)
    names = standing.unit.settings()
    result = {
        f"charge.{i}": f"{ad_of(a.charge):.3f}" for i, (a, b) in enumerate(pairs, start=1) if abs(a.charge - b.charge) > 1e-4
    }
    return {k: v for k, v in result.items() if k in names}


def _other(held) -> tuple[Plan, Bleached] | None:
    """A held case as the picture draws it: its plan, run."""
    if (case := case_held(held, find("bleach.plant"))) is None:
        return None
    plan = plan_of(case)
    return plan, bleaching.bleach(plan, over="mind")


def _stage_by_stage(plan: Plan, done) -> list[tuple[str, Worked]]:
    """What each stage does to the pulp that comes to it, as cases of their own; without those that another model tells."""
    told = []
    for step in done.steps:
        case = stage_case(step.stage.name, step.into, step.setting, plan.wood, plan.own)
        if case is not None:
            with suppress(ImpossibleInput):  # a charge over its ceiling is minded on the line, and refused alone
                told.append((step.stage.name, Worked(model="bleach.stage", case=case, result=one_stage(case))))
    return told


def _metals(done) -> tuple[str, Worked] | None:
    """The metals that come to the first peroxide stage, and that stage; None where none comes."""
    found = metals_case(done)
    return (found[0], Worked(model="bleach.metals", case=found[1], result=metals(found[1]))) if found else None


def _worked(request, state, plan: Plan, rows: list[dict], v: dict, standing: Standing | None, held=None) -> dict:
    over = "mind" if standing is not None else "refuse"  # a running line is minded, a plan refused
    done = bleaching.bleach(plan, over=over)
    best = cheapest(plan, iso_pct=v["target"], viscosity_loss=v["visc"]) if request.GET.get("solve") == "1" else None
    solved = best if isinstance(best, Cheapest) else None
    front = bleaching.front(plan, v["front"]) if v["front"] else None
    moved = front if isinstance(front, bleaching.Front) else None
    row = state.mill.plan.get(standing.unit.iso_row) if standing else None
    told = beside(state, standing.key) if standing and standing.plan.sequence.text == plan.sequence.text else []
    known = bias_of(told, standing.unit.iso_row) if standing else None
    corrected = known.corrects(done.iso) if known else None
    after = None
    if solved:
        after = (solved_plan(plan, solved), solved.bleached)
    elif moved:
        after = (plan, moved.moved)
    shown = []
    for r, step, ph in zip(rows, done.steps, bleaching.ph_path(done), strict=True):
        r["ph"] = ph
        r["naoh"] = ad_of(step.charged["NaOH"]) if "NaOH" in step.charged else None
        r["card"] = OF_STAGE.get(step.stage.name)
        r["mind"] = mind_charge(step.stage.name, step.setting.charge, step.setting.temp_c, "charge")
        r["factor"] = bleaching.kappa_factor_of(step)
        r["l_min"] = solution_l_min(ad_of(step.charged["ClO2"]), v["od_t_h"], v["clo2_g_l"]) if "ClO2" in step.charged else None
        r["came"] = request.now - timedelta(minutes=step.ends_min)
        r["due"] = request.now + timedelta(minutes=step.ends_min)
        if r["card"] and r["card"] not in shown:
            shown.append(r["card"])
    result = {
        "b": done,
        "worked": Worked(model="bleach.plant", case=case_of(plan), result=found_of(done)),
        "own_constants": plan.own != PUBLISHED,
        "mark": f"m-{judge(done.iso, row.band, confirmed=True).state.value}" if row else "",
        "wanted_words": f"last washer wanted {row.band.low:.1f} to {row.band.high:.1f}" if row else "",
        "slopes": slopes(plan),
        "by_stage": _stage_by_stage(plan, done),
        "metals": _metals(done),
        "p": sequence_picture(plan, done, other=_other(held), after=after, target=v["target"]),
        "cards": shown,
        "water": water_of(plan),
        "over": bleaching.over_bleached(corrected or done.iso, v["target"]),
        "beside": told,
        "known": known,
        "corrected": corrected,
        "strength": mind_strength(v["clo2_g_l"], "clo2_g_l"),
        "minds": [c for r in rows for c in r["mind"]],
        "others": [
            (FORMULA.get(k, k), kg) for k, kg in done.chemicals.items() if k not in ("ClO2", "H2O2", "NaOH") and kg > 0.0
        ],
        "solved": solved,
        "beyond": best if isinstance(best, Infeasible) else front if isinstance(front, Infeasible) else None,
        "front": moved,
    }
    if solved:
        result |= {
            "put": _address(plan, after[0], v, standing.key if standing else ""),
            "charges": [
                (plan.sequence.stages[i].name, ad_of(plan.settings[i].charge), ad_of(c))
                for i, c in zip(bleaching.movable(plan), solved.charges, strict=True)
            ],
        }
    if moved:
        step = done.steps[moved.stage]
        result |= {
            "front_at": request.now + timedelta(minutes=step.starts_min),
            "front_seen": request.now + timedelta(minutes=done.minutes),
            "front_from": ad_of(moved.before),
            "front_to": ad_of(moved.after),
            "front_l": solution_l_min(ad_of(moved.after), v["od_t_h"], v["clo2_g_l"]),
        }
    return result


def solved_plan(plan: Plan, solved: Cheapest) -> Plan:
    """The plan with the charges that were found."""
    settings = list(plan.settings)
    for i, c in zip(bleaching.movable(plan), solved.charges, strict=True):
        settings[i] = replace(settings[i], charge=c)
    return replace(plan, settings=tuple(settings))


def _address(plan: Plan, to: Plan, v: dict, line: str) -> str:
    """The page with a plan's settings put into its wells."""
    asked = {"line": line, "seq": plan.sequence.text, "wood": plan.wood, **{k: f"{x:g}" for k, x in v.items()}}
    for i, s in enumerate(to.settings):
        asked |= {
            f"s{i}c": f"{ad_of(s.charge):.2f}",
            f"s{i}m": f"{s.minutes:g}",
            f"s{i}t": f"{s.temp_c:g}",
            f"s{i}p": "" if plan.sequence.stages[i].name in BY_CHARGE and i not in plan.measured else f"{s.ph:g}",
        }
        if i in plan.naoh:
            asked[f"s{i}n"] = f"{ad_of(plan.naoh[i]):.2f}"
    return f"{reverse('bleach:sequence')}?{urlencode(asked)}"


COMPARE = tuple(
    Well(*w)
    for w in (
        ("kappa", "Kappa in", "", 26, 0.1, 200),
        ("cod", "COD carried in", "kg/t OD", 8, 0, 300),
        ("target", "Brightness wanted", "% ISO", 86, 20, 95),
        ("visc", "Viscosity that may go", "mL/g", 350, 0, 1500),
    )
)


@require_safe
def compare(request):
    """Two sequences on the same brown pulp, each at its least cost for the same brightness."""
    state = state_of(request)
    if state is None:
        return render(request, "no_mill.html")
    wells, v = read_wells(request.GET, COMPARE)
    wood = request.GET.get("wood", "softwood")
    wood = wood if wood in WOODS else "softwood"
    texts = {"a": request.GET.get("a", START)[:80], "b": request.GET.get("b", "O-Q-PO-P")[:80]}
    context = station(request, state, wells=wells, texts=texts, wood=wood, woods=list(WOODS), comparing=True, faults={})
    sides = {}
    for key, text in texts.items():
        try:
            sides[key] = read(text)
        except Misread as fault:
            context["faults"][key] = fault.problems[0].text
    if len(sides) == 2 and not any(w["error"] for w in wells):
        try:
            both = {k: _side(seq, v, wood) for k, seq in sides.items()}
        except ImpossibleInput as refusal:
            wells[0]["error"] = "; ".join(f"{p.field} {p.text}" for p in refusal.problems)
        else:
            a, b = both["a"], both["b"]
            context |= {
                "a": a,
                "b": b,
                "p": sequence_picture(a["plan"], a["run"], other=(b["plan"], b["run"]), target=v["target"]),
                "lines": _lines(a, b),
                "figures": COMPARED,
                "worked_a": _plant(a),
                "worked_b": _plant(b),
            }
    context["errors"] = [*context["faults"].values(), *(w["error"] for w in wells if w["error"])]
    return render_bench(request, "bleach/compare", context)


def _side(seq: Sequence, v: dict, wood: str) -> dict:
    """A sequence at its least cost for the target; at its usual charges where it does not reach it."""
    plan = Plan(sequence=seq, settings=typical(seq, v["kappa"]), wood=wood, kappa=v["kappa"], cod=v["cod"])
    best = cheapest(plan, iso_pct=v["target"], viscosity_loss=v["visc"])
    if isinstance(best, Cheapest):
        plan = solved_plan(plan, best)
        return {
            "seq": seq,
            "plan": plan,
            "run": best.bleached,
            "binds": best.binds,
            "short": None,
            "ceiling": bleaching.ceiling(plan),
        }
    return {
        "seq": seq,
        "plan": plan,
        "run": bleaching.bleach(plan),
        "binds": (),
        "short": best,
        "ceiling": bleaching.ceiling(plan),
    }


COMPARED = ("iso_pct", "kappa", "viscosity", "yield_pct", "cost", "aox_kg", "cod_kg", "hours")


def _plant(side: dict) -> Worked:
    """A side as its model works it."""
    return Worked(model="bleach.plant", case=case_of(side["plan"]), result=found_of(side["run"]))


def _lines(a: dict, b: dict) -> list[tuple[str, str, float, float, int]]:
    """What else is put beside each other: label, unit, both values, decimals."""
    x: Bleached = a["run"]
    y: Bleached = b["run"]
    rows = [
        ("Brightness at most", "% ISO", a["ceiling"], b["ceiling"], 1),
        ("Wash water, fresh", "m³/ADt", water_of(a["plan"]), water_of(b["plan"]), 0),
    ]
    for name in sorted({*x.chemicals, *y.chemicals}):
        rows.append((FORMULA.get(name, name), "kg/ADt", x.chemicals.get(name, 0.0), y.chemicals.get(name, 0.0), 1))
    return rows


@require_http_methods(["GET", "HEAD", "POST"])
def tanks(request):
    """The chemical tank book: what stands, when to order, and what was read, delivered or tested."""
    state = state_of(request)
    if state is None:
        return render(request, "no_mill.html")
    problem = field = ""
    if request.method == "POST":
        text = request.POST.get("value", "").strip()
        try:
            kept = book.keep(
                state=state,
                what=request.POST.get("what", ""),
                where=request.POST.get("where", ""),
                value=typed_number(text) if text else None,
                second=request.POST.get("second", ""),
                read_aloud=request.POST.get("read_aloud") == "yes",
                words=request.POST.get("words", "").strip()[:300],
                by=request.user,
                now=request.now,
            )
            said = " ".join(f"{c[0].upper()}{c[1:]}." for c in kept.data.get("cautions", ()))
            messages.success(request, f"Kept: {kept.says}. {said}".strip())
            return redirect("bleach:tanks")
        except ValueError:
            problem, field = f"Value is “{text}”; it must be a number.", "value"
        except book.BookRefused as refusal:
            problem, field = str(refusal), refusal.field
    result = standings(state)
    context = station(
        request,
        state,
        tanking=True,
        standings=result,
        problem=problem,
        field=field,
        typed=request.POST,
        may_record=request.user.may("record"),
        never=NEVER,
        what=book.WHAT,
    )
    return render(request, "bleach/tanks.html", context, status=422 if problem else 200)


bench = bench_view("bleach", BENCHES, station)
