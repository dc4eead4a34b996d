"""Wash: a line of washers in counter-current, its loss and its cost, the mat on the spatula, the oxygen stage."""

import math

from django.contrib import messages
from django.shortcuts import redirect, render
from django.urls import reverse
from django.views.decorators.http import require_POST, require_safe

from core.errors import ImpossibleInput, Infeasible
from core.judge.band import judge
from core.line.mill import WashPlan
from core.wash import line as washing
from core.wash.line import KINDS, Prices, Washer
from desk.cases.benches import Bench, bench_view
from desk.kit.bench import Well, read_wells, render_bench
from desk.kit.text import whole
from desk.kit.writing import writing
from desk.log.actions import write
from desk.log.models import Kind, Record
from desk.mill.context import state_of
from desk.mill.ribbon import STATIONS, draw_small
from desk.people.rights import may
from desk.wash.drawings import cost_picture, line_picture
from desk.wash.looks import LOOKS

MOST_STAGES = 6
WEAK_UNDER = 0.75  # of its kind's E10: the stage is marked
O2_MIND = "Oxygen: oil-free, slow valves; over 23.5 % in the air clothes burn. Site procedure first."
WL_MIND = "Hot liquor and soap burn; liquor and acid make H₂S. Shield, gloves, the nearest shower known."
BENCHES = {
    b.key: b
    for b in (
        Bench("stage", "One stage", "Norden’s E10 and the displacement it gives.", "wash.stage", "", {"feed_pct": 11, "x0": 60, "out_pct": 12, "df": 2.5, "y2": 5}, "washing", WL_MIND),
        Bench("series", "Stages alike", "Loss and what goes to the evaporators.", "wash.series", "", {"feed_pct": 11, "x0": 60, "df": 2.5}, "washing", WL_MIND),
        Bench("shower", "Shower for a loss", "So much may be lost: how much hot water?", "wash.shower", "", {"loss_kg_adt": 8, "feed_pct": 11, "x0": 60, "od_t_h": 6.9}, "washing"),
        Bench("e10", "E10 from samples", "How a washer washes now.", "wash.norden", "", {"feed_pct": 11, "out_pct": 12, "x0": 60, "y1": 40.8, "x1": 14, "y2": 5, "df": 2.5}, "washing"),
        Bench("evaporate", "What dilution costs", "Water and steam for another dilution factor.", "wash.evaporate", "", {"ddf": 0.5, "adt_d": 165}, "washing"),
        Bench("filtrate", "Bleach filtrate as wash", "What share may go on the brown washers?", "wash.filtrate_share", "", {"filtrate_kg_t": 5}, "closure"),
        Bench("closure", "Build-up", "What goes round builds up.", "wash.closure", "", {"recycled": 0.8}, "closure"),
        Bench("chloride", "Chloride", "In the liquor cycle, and the dust to discard.", "wash.chloride", "", {"cl_kg": 1.2}, "closure"),
        Bench("effluent", "Effluent a tonne", "Water, COD and fibre.", "wash.effluent", "", {"fresh": 22}, "closure"),
        Bench("oxygen", "Oxygen stage", "Kappa and viscosity out.", "oxygen.delignify", "", {"wood": "softwood", "kappa_in": 30, "minutes": 60, "temp_c": 98, "naoh_kg": 24}, "oxygen", O2_MIND),
        Bench("oxygen-alkali", "Alkali for a kappa", "Or the temperature for it.", "oxygen.alkali", "", {"wood": "softwood", "kappa_in": 30, "kappa": 15, "minutes": 60, "temp_c": 98, "naoh_kg": 24}, "oxygen", O2_MIND),
        Bench("press", "Press, mix, tower, press", "The back-water of mechanical bleaching.", "wash.press", "", {}, "closure", "Presses draw in: locked out before hands or hoses go near."),
    )
}  # fmt: skip
BARE = WashPlan(
    name="a line",
    feed_pct=11.0,
    x0=60.0,
    df=2.5,
    loss_row="",
    washers=(Washer(kind="drum", e10=KINDS["drum"], out_pct=12.0),) * 3,
)  # where the set-up plans no washers
WELLS = tuple(Well(*w) for w in (
    ("feed_pct", "Feed", "%", 10.5, 1, 40), ("x0", "Solids in its liquor", "kg/t", 112, 0, 400), ("od_t_h", "Pulp", "t/h OD", 4.6, 0.01, 300), ("shower", "Hot water", "m³/h", 40, 0.1, 5000), ("y_in", "Solids in it", "kg/t", 0, 0, 100), ("salt", "Na₂SO₄ in the solids", "share", 0.27, 0, 1),
    ("loss_want", "Loss wanted, as solids", "kg/ADt", 25, 0.1, 300), ("steam", "Steam costs", "a t", 14, 0, 200), ("solids_price", "Solids cost", "a kg", 0.18, 0, 10), ("carry_price", "Carry-over costs the bleach", "a kg", 0.12, 0, 10), ("economy", "Evaporators’ economy", "t/t", 5, 0.5, 12),
))  # fmt: skip


def station(request, state, **more) -> dict:
    return {"station": "wash", "stations": STATIONS, "small": draw_small(state), **more}


def _wells(state, unit: str, plan: WashPlan) -> tuple[Well, ...]:
    """The bench's wells for a line: pulp from the solved line, the rest as the set-up plans it."""
    od = washing_od(state, unit)
    water = round(washing.shower_of(plan.df, od, plan.washers[-1].out_pct), 1)
    start = {"feed_pct": plan.feed_pct, "x0": plan.x0, "od_t_h": od, "shower": water}
    return tuple(Well(w.name, w.label, w.unit, start.get(w.name, w.start), w.low, w.high) for w in WELLS)


def washing_od(state, unit: str) -> float:
    """Oven-dry pulp leaving the unit as the line stands, t/h; the well's own start where it is not on the line."""
    if unit not in state.solution.network.index:
        return next(w.start for w in WELLS if w.name == "od_t_h")
    return max(0.01, round(state.solution.leaves(unit, "on").solids_t_h, 2))


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
        found = (
            Well(f"m{i}", f"Measured after stage {i + 1}", "kg/t", 0, 0, 400).read({f"m{i}": text})
            if text
            else {"name": f"m{i}", "text": "", "value": None, "error": "", "unit": "kg/t"}
        )
        rows.append({"i": i, "n": i + 1, "kind": kind, "e": wells[0], "c": wells[1], "m": found})
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
    plan = plans.get(key, BARE)
    wells, v = read_wells(request.GET, _wells(state, key, plan))
    rows = _stages(request.GET, plan.washers)
    context = station(
        request, state, wells=wells, rows=rows, kinds=list(KINDS), lines=[(k, x.name) for k, x in plans.items()], key=key, name=plan.name, counts=range(1, MOST_STAGES + 1), looks=LOOKS.items(), looked=_looked(key), may_record=request.user.may("record"), washing=True,
    )  # fmt: skip
    every = [*wells, *(r[k] for r in rows for k in "ecm")]
    if not any(w["error"] for w in every):
        try:
            context |= _worked(state, v, rows, plan.loss_row)
        except ImpossibleInput as refusal:
            by = {w["name"]: w for w in every}
            renamed = {
                "df": "shower",
                **{f"out_{i + 1}": f"c{i}" for i in range(MOST_STAGES)},
                **{f"e10_{i + 1}": f"e{i}" for i in range(MOST_STAGES)},
            }
            for p in refusal.problems:
                by.get(renamed.get(p.field, p.field), wells[0])["error"] = f"{p.field} {p.text}"
    context["errors"] = [w["error"] for w in every if w["error"]]
    return render_bench(request, "wash/line", context)


def _worked(state, v: dict, rows: list[dict], row_id: str) -> dict:
    washers = tuple(Washer(kind=r["kind"], e10=r["e"]["value"], out_pct=r["c"]["value"]) for r in rows)
    case = {"feed_pct": v["feed_pct"], "x0": v["x0"], "washers": washers, "y_in": v["y_in"]}
    prices = Prices(steam_t=v["steam"], economy=v["economy"], solids_kg=v["solids_price"], carry_kg=v["carry_price"])
    df = washing.df_of(v["shower"], v["od_t_h"], washers[-1].out_pct)
    found = washing.wash(**case, df=df)
    curve, least = washing.cost_curve(**case, prices=prices)
    now = washing.cost_at(found, prices)
    row = state.mill.plan.get(row_id)
    salt = washing.salt_of(found, v["salt"])
    wanted = washing.df_for_loss(**case, loss_kg_adt=v["loss_want"])
    measured = [r["m"]["value"] for r in rows]
    fitted = (
        washing.e10_by_samples(
            feed_pct=v["feed_pct"],
            x0=v["x0"],
            out_pct=tuple(w.out_pct for w in washers),
            after=tuple(measured),
            df=df,
            y_in=v["y_in"],
        )
        if all(m is not None for m in measured)
        else ()
    )
    weak = tuple(
        i + 1
        for i, (e, w) in enumerate(zip(fitted, washers, strict=False))
        if math.isfinite(e) and e < WEAK_UNDER * KINDS[w.kind]
    )
    mended = washing.wash(feed_pct=v["feed_pct"], x0=v["x0"], df=df, y_in=v["y_in"], washers=tuple(Washer(kind=w.kind, e10=KINDS[w.kind] if i + 1 in weak else w.e10 if not fitted or not math.isfinite(fitted[i]) else fitted[i], out_pct=w.out_pct) for i, w in enumerate(washers))) if weak else None  # fmt: skip
    span = (
        washing.dilutions_for(**case, loss_kg_adt=row.band.high / v["salt"])
        if row and v["salt"] and math.isfinite(row.band.high)
        else None
    )
    return {
        "w": found, "df": df, "now": now, "least": least, "salt": salt, "judged": judge(salt, row.band, confirmed=True) if row else None, "band": row.band if row else None, "row_id": row_id, "fitted": [(i + 1, e, KINDS[w.kind], i + 1 in weak) for i, (e, w) in enumerate(zip(fitted, washers, strict=False))],
        "weak": weak, "mended": mended, "mended_salt": washing.salt_of(mended, v["salt"]) if mended else None, "wanted": None if isinstance(wanted, Infeasible) else wanted, "beyond": wanted if isinstance(wanted, Infeasible) else None, "evaporate_t_h": washing.filtrate_t_h(found, v["od_t_h"]),
        "wanted_m3_h": None if isinstance(wanted, Infeasible) else washing.shower_of(wanted, v["od_t_h"], washers[-1].out_pct), "p": line_picture(found, v["feed_pct"], v["x0"], weak), "c": cost_picture(curve, least, now, span), "saves": washing.saving(now, least), "steam_t_h": washing.steam_t_h(found, v["od_t_h"], v["economy"]),
        "lookup": f"{reverse('handbook:working', args=['wash.series'])}?feed_pct={v['feed_pct']}&x0={v['x0']}&df={df:.4f}&y_in={v['y_in']}&stages={len(washers)}&e10={washers[0].e10}&out_pct={washers[0].out_pct}&last_pct={washers[-1].out_pct}",
    }  # fmt: skip


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
        kind=Kind.EVENT, subject=f"mat.{key}", by=request.user, now=request.now, says=f"{plans[key].name}, mat of stage {drum}: {title}", status=f"look.{what}", words=request.POST.get("words", "").strip()[:300], data={"does": does, "row": row, "drum": drum}
    )  # fmt: skip
    messages.success(request, f"Kept: {title}. {does}")
    return redirect(f"{reverse('wash:line')}?line={key}")


bench = bench_view("wash", BENCHES, station)
