"""Deliver, at the machine: draw, dilution to the headbox, water, what swings the basis weight, a break, a change."""

import math
from dataclasses import replace

from django.shortcuts import render
from django.views.decorators.http import require_safe

from core.blend.furnish import spread
from core.colour import ks_from_reflectance
from core.deliver.breaks import BreakCase, ChangeCase, broken, changed
from core.deliver.draw import TRAY_PCT, DrawCase, HeadboxCase, draw, headbox
from core.errors import ImpossibleInput, Infeasible
from core.quantity import quantities
from core.stock.basis_weight import BudgetCase, variability
from core.unit import Worked
from desk.deliver.machine_drawings import break_picture, flow_picture, swing_picture
from desk.kit.bench import Well, read_wells, refuse_well, render_bench
from desk.log.models import Kind, Record
from desk.mill.context import state_of
from desk.mill.ribbon import STATIONS, colour_of, draw_small

MOST_RESULTS = 120
USUAL = {"cons": 0.5, "flow": 0.3, "swing_speed": 0.05, "swing_retention": 0.4}
DRAWN = {"gsm": "gsm", "speed": "speed_m_min", "sheet_ash": "sheet_ash_pct", "retention": "retention_pct"}


def _own_swing(state) -> tuple[float | None, int]:
    """The consistency's own swing at the chest, % relative, from the laboratory; None under twenty results."""
    told = Record.objects.current().filter(
        kind=Kind.RESULT,
        subject=f"{state.mill.roles.point}.consistency",
        status__in=("single", "accepted"),
        at__lte=state.now,
        value__isnull=False,
    )
    values = list(told.order_by("-at", "-id").values_list("value", flat=True)[:MOST_RESULTS])
    own = spread(values, in_log=True)
    return (100.0 * own if own is not None else None), len(values)


def _broke_key(state) -> str:
    """The source that is fed with broke: the one that takes no raw material; none of a mill without."""
    return next((k for k, s in state.mill.sources.items() if s.raw_wet_t_t == 0.0 and not s.spare), "")


def _next(state) -> tuple[float, float]:
    """Basis weight and speed of the order that follows; of the running one where none is issued."""
    run = state.next_run
    return (run.gsm, run.speed_m_min) if run else (state.run["gsm"], state.run["speed_m_min"])


def _wells(state, swing: float | None, broke: dict[str, float]) -> tuple[Well, ...]:
    case = state.draw_case
    said = quantities(DrawCase)
    gsm, speed = _next(state)
    chest = state.vessels.get(state.mill.roles.vessel)
    listed = [
        Well("gsm", "Basis weight", "g/m²", case.gsm, *said["gsm"].possible),
        Well("speed", "Speed", "m/min", case.speed_m_min, *said["speed_m_min"].possible),
        Well("sheet_ash", "Ash of the sheet", "%", case.sheet_ash_pct, 0, 60),
        Well("retention", "System retention", "%", case.retention_pct, 1, 100),
        Well("chest_pct", "Machine chest", "%", state.grade.chest_cons_pct, 0.5, 10),
        Well("head_pct", "Headbox", "%", state.grade.headbox_cons_pct, 0.05, 3),
        Well("tray_pct", "White water", "%", TRAY_PCT, 0, 2),
        Well("fresh", "Fresh water of the machine", "m³/h", 160, 0, 10_000),
        Well("cons", "Consistency swings by", "% rel.", round(swing or USUAL["cons"], 2), 0, 20),
        Well("flow", "Thick stock flow", "% rel.", USUAL["flow"], 0, 20),
        Well("swing_speed", "Speed", "% rel.", USUAL["swing_speed"], 0, 20),
        Well("swing_retention", "Retention", "% rel.", USUAL["swing_retention"], 0, 20),
        Well("allowed", "Basis weight may swing by", "% rel.", 0.8, 0, 20),
        Well("minutes", "A break of", "min", 30, 0, 6000),
        Well("back_h", "Worked off within", "h", 8, 0.5, 240),
        Well("next_gsm", "Next basis weight", "g/m²", gsm, *said["gsm"].possible),
        Well("next_speed", "Next speed", "m/min", speed, *said["speed_m_min"].possible),
        Well("next_iso", "Next brightness", "% ISO", round(state.mix.iso_pct, 1), 20, 95),
        Well("borne", "Of the step in brightness borne", "points", 0.3, 0.01, 20),
        Well("drained", "Chest drained first to", "%", 100, 1, 100),
    ]
    if broke:
        listed.insert(14, Well("share", "Broke in the furnish", "%", round(broke["share"], 1), 0, 100))
    return tuple(listed) if chest is not None or not listed else tuple(w for w in listed if w.name != "drained")


@require_safe
def machine(request):
    """The machine's draw and dilution as it runs; its swing, a break and a change of grade tried on it."""
    state = state_of(request)
    if state is None:
        return render(request, "no_mill.html")
    swing, count = _own_swing(state)
    key = _broke_key(state)
    vessel = state.vessels.get(state.mill.sources[key].vessel) if key else None
    broke = {"share": 100.0 * state.shares.get(key, 0.0)} if vessel is not None else {}
    opening = _wells(state, swing, broke)
    wells, v = read_wells(request.GET, opening)
    starts = {w.name: f"{w.start:g}" for w in opening}
    typed = {w["name"] for w in wells if w["text"] != starts[w["name"]]}
    where = {
        **dict.fromkeys(("gsm", "speed"), "as it runs"),
        **dict.fromkeys(("sheet_ash", "chest_pct", "head_pct"), "card"),
        "retention": "set-up",
        "share": "in force",
        "cons": f"{count} results at the chest" if swing is not None else "default",
        **dict.fromkeys(("next_gsm", "next_speed"), state.next_run.told_by if state.next_run else "as it runs"),
    }
    for w in wells:
        w["source"] = "typed" if w["name"] in typed else where.get(w["name"], "default")
    groups = (
        ("The machine", 0, 8),
        ("What swings", 8, 13),
        ("A break", 13, 16 if broke else 15),
        ("A change of grade", 16 if broke else 15, 99),
    )
    context = {
        "station": "deliver",
        "stations": STATIONS,
        "small": draw_small(state),
        "groups": [(title, wells[a:b]) for title, a, b in groups],
        "wells": wells,
        "at_machine": True,
    }
    if not any(w["error"] for w in wells):
        try:
            context |= _worked(state, v, typed, vessel, key)
        except ImpossibleInput as refusal:
            for p in refusal.problems:
                refuse_well(wells, OF_FIELD.get(p.field, p.field if p.field in v else "gsm"), p.text)
    context["errors"] = [w["error"] for w in wells if w["error"]]
    return render_bench(request, "deliver/machine", context)


OF_FIELD = {
    "speed_m_min": "speed",
    "sheet_ash_pct": "sheet_ash",
    "retention_pct": "retention",
    "headbox_pct": "head_pct",
    "stock_pct": "chest_pct",
    "cons_pct": "cons",
    "flow_pct": "flow",
    "speed_pct": "swing_speed",
    "retention_rel": "swing_retention",
    "wanted_pct": "allowed",
    "share_pct": "share",
    "tolerance": "borne",
    "step": "next_iso",
}


def _worked(state, v: dict[str, float], typed: set[str], vessel, key: str) -> dict:
    """Draw, dilution, swing, break and change, each as its own worked case."""
    own = {field: v[name] for name, field in DRAWN.items() if name in typed}
    case = replace(state.draw_case, **own)
    drawn = draw(case)
    if isinstance(drawn, Infeasible):
        return {"beyond": f"Ash of the sheet {drawn.reason}; least {drawn.nearest:.1f} %"}
    stock = 1000.0 * drawn.solids_t_h / (60.0 * v["chest_pct"] / 100.0)
    head_case = HeadboxCase(stock_l_min=stock, stock_pct=v["chest_pct"], headbox_pct=v["head_pct"], tray_pct=v["tray_pct"])
    head = headbox(head_case)
    budget_case = BudgetCase(
        cons_pct=v["cons"],
        flow_pct=v["flow"],
        speed_pct=v["swing_speed"],
        retention_pct=v["swing_retention"],
        wanted_pct=v["allowed"],
    )
    budget = variability(budget_case)
    result = {
        "worked": Worked(model="deliver.draw", case=case, result=drawn),
        "thick_l_min": stock,
        "fresh_m3_t": v["fresh"] / drawn.sale_t_h if drawn.sale_t_h > 0.0 else math.inf,
        "minds": [c.text for c in drawn.cautions],
    }
    if isinstance(head, Infeasible):
        result["beyond"] = f"Headbox {head.reason}"
    else:
        result["head"] = Worked(model="deliver.headbox", case=head_case, result=head)
        stream = state.solution.enters(state.mill.roles.chest)
        result["flows"] = flow_picture(stock, head) | {"hex": colour_of(stream)[0]}
    parts = (
        ("consistency", v["cons"]),
        ("stock flow", v["flow"]),
        ("speed", v["swing_speed"]),
        ("retention", v["swing_retention"]),
    )
    result["swing"] = swing_picture(parts, v["allowed"])
    if isinstance(budget, Infeasible):
        result["swing_beyond"] = f"{budget.reason}; at least {budget.nearest:.2f} %"
    else:
        result["budget"] = Worked(model="deliver.variability", case=budget_case, result=budget)
    most = max(parts, key=lambda p: p[1])
    total = math.sqrt(sum(x * x for _, x in parts))
    result["pays"] = {
        "name": most[0],
        "to": math.sqrt(max(0.0, total**2 - most[1] ** 2 + (0.5 * most[1]) ** 2)),
        "now": total,
    }
    if vessel is not None:
        source = state.mill.sources[key]
        break_case = BreakCase(
            web_t_h=drawn.web_t_h,
            minutes=v["minutes"],
            made_t_h=vessel.rate_in,
            draw_t_h=drawn.solids_t_h,
            share_pct=v["share"],
            most_pct=source.high_pct,
            content_t=min(vessel.content_t, vessel.vessel.full_t),
            full_t=vessel.vessel.full_t,
            back_h=v["back_h"],
        )
        found = broken(break_case)
        result["break"] = Worked(model="deliver.break", case=break_case, result=found)
        result["broke_name"] = vessel.vessel.name
        result["surge"] = break_picture(break_case, found)
        result["break_minds"] = [f"{quantities(BreakCase)[c.field].label} {c.text}" for c in found.cautions]
    result |= _change(state, v, case, drawn)
    return result


def _change(state, v: dict[str, float], case: DrawCase, drawn) -> dict:
    """The next order's draw, and how long its shade takes to come through the chests before the headbox."""
    chest = state.vessels.get(state.mill.roles.vessel)
    after = draw(replace(case, gsm=v["next_gsm"], speed_m_min=v["next_speed"]))
    if chest is None or isinstance(after, Infeasible) or chest.content_t <= 0.0:
        return {}
    s = state.mix.s457
    was, then, near = (
        s * ks_from_reflectance(iso / 100.0) for iso in (state.mix.iso_pct, v["next_iso"], v["next_iso"] - v["borne"])
    )
    step = abs(then - was)
    told = {"next_draw": after}
    if abs(v["next_iso"] - state.mix.iso_pct) <= v["borne"]:
        return told
    change_case = ChangeCase(
        before_t_h=drawn.solids_t_h,
        after_t_h=after.solids_t_h,
        chest_t=chest.content_t,
        tanks=1,
        step=step,
        tolerance=max(1e-6, abs(near - then)),
        drained_pct=v.get("drained", 100.0),
    )
    return told | {"change": Worked(model="deliver.change", case=change_case, result=changed(change_case))}
