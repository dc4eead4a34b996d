"""Wash: a line of washers in counter-current, its loss and its cost, the mat on the spatula, the oxygen stage."""

import math
import re
from dataclasses import replace

from django.contrib import messages
from django.shortcuts import redirect, render
from django.urls import reverse
from django.views.decorators.http import require_POST, require_safe

from core import calc
from core.catalogue import find
from core.errors import ImpossibleInput, Infeasible
from core.judge.band import judge
from core.unit import NOTHING, Worked
from core.wash import line as washing
from core.wash.line import KINDS, Prices, WashCase, Washer, WashFound, wash_line
from core.wash.unit import WashPlan
from desk.cases.benches import Bench, bench_view, held_case
from desk.kit.bench import Well, read_wells, refuse_well, render_bench
from desk.kit.templatetags.vat import clock
from desk.kit.text import whole
from desk.kit.writing import writing
from desk.log.actions import write
from desk.log.models import Kind, Record
from desk.mill.context import state_of
from desk.mill.in_force import put_address
from desk.mill.ribbon import STATIONS, draw_small
from desk.people.rights import may
from desk.wash.drawings import cost_picture, line_picture
from desk.wash.looks import LOOKS
from desk.wash.recovery import RECOVERY

MOST_STAGES = 6
PUT_FROM = 1e-3  # t/t of dilution: less is no change
O2_MIND = "Oxygen: oil-free, slow valves; over 23.5 % in the air clothes burn. Site procedure first."
WL_MIND = "Hot liquor and soap burn; liquor and acid make H₂S. Shield, gloves, the nearest shower known."
SCALE_MIND = (
    "Scale is taken off by the site’s procedure alone: acid on it makes gas and heat, acid on liquor H₂S; a vessel is a "
    "confined space."
)
BENCHES = {
    b.key: b
    for b in (
        Bench(
            "stage",
            "One stage",
            "Norden’s E10 and the displacement it gives.",
            "wash.stage",
            "",
            {"feed_pct": 11, "x0": 60, "out_pct": 12, "df": 2.5, "y2": 5},
            "washing",
            WL_MIND,
        ),
        Bench(
            "series",
            "Stages alike",
            "Loss and what goes to the evaporators.",
            "wash.series",
            "",
            {"feed_pct": 11, "x0": 60, "df": 2.5},
            "washing",
            WL_MIND,
        ),
        Bench(
            "shower",
            "Shower for a loss",
            "So much may be lost: how much hot water?",
            "wash.shower",
            "",
            {"loss_kg_adt": 8, "feed_pct": 11, "x0": 60, "od_t_h": 6.9},
            "washing",
        ),
        Bench(
            "e10",
            "E10 from samples",
            "How a washer washes now.",
            "wash.norden",
            "",
            {"feed_pct": 11, "out_pct": 12, "x0": 60, "y1": 40.8, "x1": 14, "y2": 5, "df": 2.5},
            "washing",
        ),
        Bench(
            "evaporate",
            "What dilution costs",
            "Water and steam for another dilution factor.",
            "wash.evaporate",
            "",
            {"ddf": 0.5, "adt_d": 165},
            "washing",
        ),
        Bench(
            "filtrate",
            "Bleach filtrate as wash",
            "What share may go on the brown washers?",
            "wash.filtrate_share",
            "",
            {"filtrate_kg_t": 5},
            "closure",
        ),
        Bench("closure", "Build-up", "What goes round builds up.", "wash.closure", "", {"recycled": 0.8}, "closure"),
        Bench(
            "chloride",
            "Chloride",
            "In the liquor cycle, and the dust to discard.",
            "wash.chloride",
            "",
            {"cl_kg": 1.2},
            "closure",
        ),
        Bench("effluent", "Effluent a tonne", "Water, COD and fibre.", "wash.effluent", "", {"fresh": 22}, "closure"),
        Bench(
            "oxygen",
            "Oxygen stage",
            "Kappa and viscosity out.",
            "oxygen.delignify",
            "",
            {"wood": "softwood", "kappa_in": 30, "minutes": 60, "temp_c": 98, "naoh_kg": 24},
            "oxygen",
            O2_MIND,
        ),
        Bench(
            "oxygen-alkali",
            "Alkali for a kappa",
            "Or the temperature for it.",
            "oxygen.alkali",
            "",
            {"wood": "softwood", "kappa_in": 30, "kappa": 15, "minutes": 60, "temp_c": 98, "naoh_kg": 24},
            "oxygen",
            O2_MIND,
        ),
        Bench(
            "air",
            "Entrained air",
            "A cup of the feed, weighed: how much air, and what does it cost the washers?",
            "wash.air",
            "",
            {"cup_ml": 1000, "stock_g": 965, "cons_pct": 1.2, "temp_c": 75, "solids_kg_t": 20},
            "washing",
            "Hot liquor burns: the cup on a handle, face shield, at the sample valve only.",
        ),
        Bench(
            "calcite",
            "Calcite",
            "Will this water scale with chalk?",
            "wash.calcite",
            "",
            {"temp_c": 65, "ca_mg_l": 60, "alkalinity_mmol_l": 4, "ph": 8},
            "scale",
            SCALE_MIND,
        ),
        Bench(
            "oxalate",
            "Calcium oxalate",
            "From acid to alkali: what can drop?",
            "wash.oxalate",
            "",
            {"temp_c": 65, "ca_mg_l": 60, "oxalate_mmol_l": 0.4, "ph": 4.5, "flow_m3_h": 60},
            "scale",
            SCALE_MIND,
        ),
        Bench(
            "barite",
            "Barite",
            "Barium of the wood, sulphate of the acid.",
            "wash.barite",
            "",
            {"temp_c": 60, "ba_mg_l": 0.3, "so4_mg_l": 300, "flow_m3_h": 60},
            "scale",
            SCALE_MIND,
        ),
        Bench(
            "press",
            "Press, mix, tower, press",
            "The back-water of mechanical bleaching.",
            "wash.press",
            "",
            {},
            "closure",
            "Presses draw in: locked out before hands or hoses go near.",
        ),
        *RECOVERY,
    )
}
BARE = WashPlan(
    name="a line", df=2.5, loss_row="", washers=(Washer(kind="drum", e10=KINDS["drum"], out_pct=12.0),) * 3
)  # where the set-up plans no washers
IDLE_OD_T_H = 4.6  # pulp a line is worked through with while none comes
WELLS = (
    Well("feed_pct", "Feed", "%", 10.5, 1, 40),
    Well("x0", "Solids in its liquor", "kg/t", 112, 0, 400),
    Well("od_t_h", "Pulp", "t/h OD", IDLE_OD_T_H, 0.01, 300),
    Well("shower", "Hot water", "m³/h", 40, 0.1, 5000),
    Well("y_in", "Solids in it", "kg/t", 0, 0, 100),
    Well("air_pct", "Entrained air in the feed", "% by volume", 0, 0, 40),
    Well("salt", "Na₂SO₄ in the solids", "share", 0.56, 0, 4),
    Well("loss_want", "Loss wanted, as solids", "kg/ADt", 25, 0.1, 300),
    Well("steam", "Steam costs", "a t", 14, 0, 200),
    Well("solids_price", "Solids cost", "a kg", 0.18, 0, 10),
    Well("carry_price", "Carry-over costs the bleach", "a kg", 0.12, 0, 10),
    Well("economy", "Evaporators’ economy", "t/t", 5, 0.5, 12),
)
SHOWN = {"feed_pct": 2, "x0": 1, "od_t_h": 2, "shower": 1, "salt": 3, "air_pct": 1}  # decimals of what the line gives
LEAF = re.compile(r"washers\.(\d+)\.(e10|out_pct)")


def station(request, state, **more) -> dict:
    return {"station": "wash", "stations": STATIONS, "small": draw_small(state), **more}


def _in_force(state, unit: str) -> tuple[WashPlan, WashCase, str]:
    """A washing line as it stands: its plan with what was put in force, the case that meets the pulp now, and where the water
    comes from."""
    plan = state.line.acting.get(unit)
    if not isinstance(plan, WashPlan):
        return BARE, replace(BARE.case(NOTHING), od_t_h=IDLE_OD_T_H), "default"
    record = state.put_in_force.get(unit)
    source = f"in force since {clock(record.at)}" if record else "set-up"
    case = plan.case(state.line.inlets[unit])
    return plan, case if case.od_t_h > 0.0 else replace(case, od_t_h=IDLE_OD_T_H), source


def _wells(case: WashCase, water: str) -> tuple[tuple[Well, ...], dict[str, str]]:
    """The bench's wells at a case, and the words of where each comes from."""
    shower = washing.shower_of(case.df, case.od_t_h, case.washers[-1].out_pct)
    start = {"feed_pct": case.feed_pct, "x0": case.x0, "od_t_h": case.od_t_h, "shower": shower, "salt": case.na2so4_share}
    start["air_pct"] = case.air_pct
    wells = tuple(replace(w, start=round(start[w.name], SHOWN[w.name])) if w.name in start else w for w in WELLS)
    sources = {w.name: "default" for w in WELLS} | dict.fromkeys(("feed_pct", "x0", "od_t_h", "salt"), "solved")
    sources |= {"shower": water, "air_pct": water}
    return wells, sources


def _stages(data, opening: tuple[Washer, ...]) -> list[dict]:
    """Rows of the line as typed: kind, E10, consistency out, and the solids measured after (may be empty)."""
    count = data.get("count", str(len(opening)))
    count = whole(count, 1, MOST_STAGES) or len(opening)
    rows = []
    for i in range(count):
        start = opening[i] if i < len(opening) else BARE.washers[0]
        kind = data.get(f"kind{i}", start.kind)
        kind = kind if kind in KINDS else "drum"
        wells = [
            Well(f"e{i}", f"E10 of stage {i + 1}", "", start.e10, 0.1, 20).read(data),
            Well(f"c{i}", f"Stage {i + 1} leaves at", "%", start.out_pct, 1, 60).read(data),
        ]
        text = data.get(f"m{i}", "").strip()
        result = (
            Well(f"m{i}", f"Measured after stage {i + 1}", "kg/t", 0, 0, 400).read({f"m{i}": text})
            if text
            else {"name": f"m{i}", "text": "", "value": None, "error": "", "unit": "kg/t"}
        )
        rows.append({"i": i, "n": i + 1, "kind": kind, "e": wells[0], "c": wells[1], "m": result})
    return rows


@require_safe
def line(request):
    """The line of washers: liquor and mats, loss against its band, cost and its least, what the samples say of each stage."""
    state = state_of(request)
    if state is None:
        return render(request, "no_mill.html")
    plans = state.mill.wash_plans
    key = request.GET.get("line", "")
    key = key if key in plans else next(iter(plans), "")
    plan, standing, water = _in_force(state, key)
    opening, sources = _wells(standing, water)
    wells, v = read_wells(request.GET, opening)
    changed = set()
    for row, well in zip(wells, opening, strict=True):
        row["source"] = sources[well.name]
        if well.name in request.GET and row["text"] != f"{well.start:g}":
            row["source"] = "typed"
            changed.add(well.name)
    rows = _stages(request.GET, plan.in_service)
    context = station(
        request,
        state,
        wells=wells,
        rows=rows,
        kinds=list(KINDS),
        lines=[(k, x.name) for k, x in plans.items()],
        key=key,
        name=plan.name,
        counts=range(1, MOST_STAGES + 1),
        looks=LOOKS.items(),
        looked=_looked(key),
        may_record=request.user.may("record"),
        may_put=request.user.may("move") and key in state.line.acting,
        standing=state.put_in_force.get(key),
        washing=True,
    )
    every = [*wells, *(r[k] for r in rows for k in "ecm")]
    if not any(w["error"] for w in every):
        try:
            case = _case(standing, v, rows, changed)
            held = held_case(request.GET.get("held", ""), find("wash.line"))
            context |= _worked(state, case, v, rows, plan.loss_row, held)
            context |= {"held": held, "hold_name": f"{plan.name}, {clock(state.now)}"}
            moved = {name: getattr(case, name) for name in ("df", "air_pct")}
            moved = {k: f"{v:.4f}" for k, v in moved.items() if abs(v - getattr(standing, k)) > PUT_FROM}
            if moved:
                context["put"] = put_address(key, moved, request)
        except ImpossibleInput as refusal:
            for p in refusal.problems:
                made = "The dilution factor that it makes" if p.field == "df" else ""
                refuse_well(every, _well_of(p.field), p.text, called=made)
    context["errors"] = [w["error"] for w in every if w["error"]]
    return render_bench(request, "wash/line", context)


def _well_of(field: str) -> str:
    """The well that a refused field of the case was typed into."""
    if result := LEAF.fullmatch(field):
        return f"{'e' if result[2] == 'e10' else 'c'}{int(result[1]) - 1}"
    return {"df": "shower", "na2so4_share": "salt"}.get(field, field)


def _case(standing: WashCase, v: dict, rows: list[dict], changed: set[str]) -> WashCase:
    """The standing case with what was typed; wells that nobody touched keep its own figures, not those they show rounded."""
    washers = tuple(Washer(kind=r["kind"], e10=r["e"]["value"], out_pct=r["c"]["value"]) for r in rows)
    typed = {k: v[k] for k in ("feed_pct", "x0", "od_t_h", "air_pct") if k in changed}
    typed |= {"na2so4_share": v["salt"]} if "salt" in changed else {}
    case = replace(standing, **typed, y_in=v["y_in"], economy=v["economy"], washers=washers)
    if {"shower", "od_t_h"} & changed:  # the water stands while the pulp changes
        shower = (
            v["shower"]
            if "shower" in changed
            else washing.shower_of(standing.df, standing.od_t_h, standing.washers[-1].out_pct)
        )
        case = replace(case, df=washing.df_of(shower, case.od_t_h, washers[-1].out_pct))
    return case


def _fitted(case: WashCase, rows: list[dict]) -> tuple[float, ...]:
    """E10 of each stage by the samples after it; empty until every stage has one."""
    measured = [r["m"]["value"] for r in rows]
    if any(m is None for m in measured):
        return ()
    return washing.e10_by_samples(
        feed_pct=case.feed_pct,
        x0=case.x0,
        out_pct=tuple(w.out_pct for w in case.washers),
        after=tuple(measured),
        df=case.df,
        y_in=case.y_in,
    )


def _mended(case: WashCase, fitted: tuple[float, ...], weak: tuple[int, ...]) -> WashFound | None:
    """The line with its weak stages as their kind washes and the others as the samples say; None where none is weak."""
    if not weak:
        return None
    washers = tuple(
        replace(w, e10=KINDS[w.kind] if i in weak else e if math.isfinite(e) else w.e10)
        for i, (w, e) in enumerate(zip(case.washers, fitted, strict=True), start=1)
    )
    return wash_line(replace(case, washers=washers))


def _worked(state, case: WashCase, v: dict, rows: list[dict], row_id: str, held=None) -> dict:
    """What the line does by its case: the verdict's figures, the cost over the dilution, what the samples say, the picture."""
    result = wash_line(case)
    alike = {"feed_pct": case.feed_pct, "x0": case.x0, "washers": case.washing, "y_in": case.y_in}
    prices = Prices(steam_t=v["steam"], economy=v["economy"], solids_kg=v["solids_price"], carry_kg=v["carry_price"])
    curve, least = washing.cost_curve(**alike, prices=prices)
    now = washing.cost_at(result.line, prices)
    beside = None
    if held is not None:
        other = calc.read_case(find("wash.line"), held.given)
        beside, _ = washing.cost_curve(
            feed_pct=other.feed_pct, x0=other.x0, washers=other.washing, y_in=other.y_in, prices=prices
        )
    row = state.mill.plan.get(row_id)
    wanted = washing.df_for_loss(**alike, loss_kg_adt=v["loss_want"])
    fitted = _fitted(case, rows)
    weak = washing.weak_stages(fitted, case.washers)
    limit = row.band.high if row else math.inf
    span = None
    if result.soda_kg_adt > 0.0 and math.isfinite(limit):
        span = washing.dilutions_for(**alike, loss_kg_adt=limit * result.loss_kg_adt / result.soda_kg_adt)
    last = case.washers[-1].out_pct
    return {
        "w": result.line,
        "worked": Worked(model="wash.line", case=case, result=result),
        "df": case.df,
        "now": now,
        "least": least,
        "judged": judge(result.soda_kg_adt, row.band, confirmed=True) if row else None,
        "mark": f"m-{judge(result.soda_kg_adt, row.band, confirmed=True).state.value}" if row else "",
        "band": row.band if row else None,
        "limit_words": f"wanted under {row.band.high:.0f}" if row else "",
        "solids_words": f"at {result.solids_pct:.1f} % solids",
        "row_id": row_id,
        "fitted": [
            (i, e, KINDS[w.kind], i in weak) for i, (e, w) in enumerate(zip(fitted, case.washers, strict=False), start=1)
        ],
        "weak": weak,
        "mended": _mended(case, fitted, weak),
        "wanted": None if isinstance(wanted, Infeasible) else wanted,
        "beyond": wanted if isinstance(wanted, Infeasible) else None,
        "wanted_m3_h": None if isinstance(wanted, Infeasible) else washing.shower_of(wanted, case.od_t_h, last),
        "p": line_picture(result.line, case.feed_pct, case.x0, weak),
        "c": cost_picture(curve, least, now, span, beside),
        "saves": washing.saving(now, least),
        "evaporate_t_h": result.evaporators_t_h,
    }


def _looked(key: str) -> list[Record]:
    return list(Record.objects.current().filter(kind=Kind.EVENT, subject=f"mat.{key}").order_by("-at", "-id")[:3])


@require_POST
@may("record")
@writing()
def look(request):
    """Keep what the spatula showed of a drum's mat."""
    state = state_of(request)
    plans = state.mill.wash_plans if state else {}
    key, what, drum = (
        request.POST.get("line", ""),
        request.POST.get("look", ""),
        whole(request.POST.get("drum", ""), 1, MOST_STAGES),
    )
    if key not in plans or what not in LOOKS or drum is None:
        messages.error(request, "Not kept. Choose the drum and what the mat looks like.")
        return redirect("wash:line")
    title, does, row, _ = LOOKS[what]
    write(
        kind=Kind.EVENT,
        subject=f"mat.{key}",
        by=request.user,
        now=request.now,
        says=f"{plans[key].name}, mat of stage {drum}: {title}",
        status=f"look.{what}",
        words=request.POST.get("words", "").strip()[:300],
        data={"does": does, "row": row, "drum": drum},
    )
    messages.success(request, f"Kept: {title}. {does}")
    return redirect(f"{reverse('wash:line')}?line={key}")


bench = bench_view("wash", BENCHES, station)
