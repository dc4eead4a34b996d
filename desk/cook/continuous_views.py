"""The continuous digester: zones by production, kappa down the vessel, and a change of rate on its way to the blow line."""

from dataclasses import replace

from django.contrib import messages
from django.shortcuts import redirect, render
from django.views.decorators.http import require_http_methods

from core.catalogue import find
from core.cook import continuous
from core.cook.kinetic import Charge
from core.cook.trust import default_band
from core.cook.unit import ZONE, CookPlan
from core.cook.vessel import VesselCase, ZoneRow, found_of, zones_of
from core.errors import CoreError, ImpossibleInput
from core.judge.band import judge
from core.unit import Worked
from desk.cases.benches import case_held, held_case
from desk.cook import actions
from desk.cook.drawings import vessel_picture
from desk.cook.views import band_of, station
from desk.kit.bench import Well, refuse_well, render_bench
from desk.kit.templatetags.vat import clock
from desk.mill.beside import beside
from desk.mill.context import state_of
from desk.mill.in_force import LEAST_CHANGE, put_address

CHARGE = ("ea_pct_naoh", "sulphidity_pct", "lw_m3_t")
NO_DIGESTER = "hardwood"  # what the page is worked through with where the mill has no continuous digester
WELLS = tuple(
    Well(*w)
    for w in (
        ("wood_t_h", "Wood fed now", "t/h OD", 4.6, 0.1, 300.0),
        ("new_t_h", "Wood fed then", "t/h OD", 5.1, 0.1, 300.0),
        ("level_pct", "Chip level", "% of top zone", 100.0, 10.0, 110.0),
        ("ea_pct_naoh", "EA on wood", "% NaOH", 17.5, 5.0, 30.0),
        ("sulphidity_pct", "Sulphidity, of AA", "%", 28.4, 0.0, 60.0),
        ("lw_m3_t", "Liquor to wood", "m³/t", 4.0, 2.0, 12.0),
        ("target", "Kappa wanted", "", 18.0, 5.0, 100.0),
        ("feed_c", "Chips enter at", "°C", 100.0, 20.0, 140.0),
    )
)
ZONES = tuple(  # where the mill has no continuous digester, or its set-up does not say its zones
    continuous.Zone(name=name, kind=kind, volume_m3=volume, packing_t_m3=packing, temp_c=temp)
    for kind, name, volume, packing, temp in (
        ("impregnate", "Impregnation", 18.0, 0.20, 112.0),
        ("heat", "Heating", 8.0, 0.19, 158.0),
        ("cook", "Cooking", 37.0, 0.19, 158.0),
        ("wash", "Wash", 60.0, 0.18, 130.0),
    )
)
LIMITS = {
    "v": ("volume", "m³", 0.5, 5000.0),
    "p": ("packing", "t OD/m³", 0.05, 0.5),
    "t": ("temperature", "°C", 20.0, 190.0),
}


@require_http_methods(["GET", "HEAD", "POST"])
def vessel(request):
    state = state_of(request)
    if state is None:
        return render(request, "no_mill.html")
    data = request.POST if request.method == "POST" else request.GET
    result = _digester(state)
    species, opening, sources = _opening(state, result)
    zones = result[1].zones if result and result[1].zones else ZONES
    wells = [w.read(data) | {"source": sources[w.name] if w.name not in data else ""} for w in opening]
    rows = [
        {
            "name": z.name,
            "kind": z.kind,
            "wells": [
                Well(f"{k}{i}", f"{z.name}, {LIMITS[k][0]}", LIMITS[k][1], start, *LIMITS[k][2:]).read(data)
                for k, start in (("v", z.volume_m3), ("p", z.packing_t_m3), ("t", z.temp_c))
            ],
        }
        for i, z in enumerate(zones)
    ]
    every = [*wells, *(w for r in rows for w in r["wells"])]
    context = station(request, state, wells=wells, zones=rows, vessel=True, species=species, may_move=request.user.may("move"))
    if not any(w["error"] for w in every):
        try:
            values = {w["name"]: w["value"] for w in every}
            held = held_case(request.GET.get("held", ""), find("cook.vessel"))
            context |= _worked(values, state, species, zones, held)
            context["put_in_force"] = _to_put(request, values, result)
            context["beside"] = beside(state, result[0]) if result else []
        except ImpossibleInput as refusal:
            for problem in refusal.problems:
                refuse_well(every, problem.field, problem.text)
        except CoreError as failure:
            every[0]["error"] = str(failure)
    if request.method == "POST":
        try:
            actions.decide_rate(
                move=context.get("move"),
                choice=request.POST.get("choice", ""),
                why=request.POST.get("reason", ""),
                by=request.user,
                now=request.now,
            )
        except actions.CookRefused as refusal:
            return render(
                request,
                "cook/continuous.html",
                context | {"problem": str(refusal), "reason": request.POST.get("reason", "")},
                status=422,
            )
        messages.success(request, "Kept in the log. People set the temperatures, ramped with the plug.")
        return redirect("cook:continuous")
    return render_bench(request, "cook/continuous", context)


def _digester(state) -> tuple[str, CookPlan] | None:
    """The continuous digester of this mill as it is run, one with its zones set up before others."""
    every = [(k, p) for k, p in state.line.acting.items() if isinstance(p, CookPlan) and p.vessel == "continuous"]
    return min(every, key=lambda pair: not pair[1].zones, default=None)


def _to_put(request, values: dict, found) -> str:
    """The address that puts the page's charge and temperatures in force; empty while they are as they are run."""
    if found is None:
        return ""
    unit, plan = found
    now = plan.settings()
    wanted = {name: values[name] for name in CHARGE} | {
        f"{ZONE}{i}": values[f"t{i - 1}"] for i, _ in enumerate(plan.zones, start=1) if f"{ZONE}{i}" in now
    }
    moved = {k: f"{v:.10g}" for k, v in wanted.items() if abs(v - now[k]) > LEAST_CHANGE}
    return put_address(unit, moved, request) if moved else ""


def _opening(state, found) -> tuple[str, tuple[Well, ...], dict[str, str]]:
    """What the digester of this mill cooks, its wells as it is run now, and where each comes from."""
    sources = dict.fromkeys((w.name for w in WELLS), "default")
    if found is None:
        return NO_DIGESTER, WELLS, sources
    unit, plan = found
    record, row = state.put_in_force.get(unit), state.mill.plan.get(plan.kappa_row)
    charge = dict.fromkeys(CHARGE, f"in force since {clock(record.at)}" if record else "set-up")
    start = {name: getattr(plan.charge, name) for name in charge}
    if plan.zones:
        start["feed_c"], sources["feed_c"] = plan.feed_c, "set-up"
    sources |= charge
    if (fed := state.line.inlets[unit].solids_t_h) > 0.0:
        start["wood_t_h"] = round(fed, 6)
        sources["wood_t_h"] = "solved"
    if row is not None and row.band.target is not None:
        start["target"], sources["target"] = row.band.target, "set-up"
    return plan.species, tuple(replace(w, start=start.get(w.name, w.start)) for w in WELLS), sources


def _passed(case: VesselCase):
    """The way down a vessel and the cook along it. Raises: ImpossibleInput."""
    return continuous.cooked_through(case.species, case.charge, zones_of(case), case.wood_t_h, feed_c=case.feed_c)


def _worked(v: dict, state, species: str, zones, held=None) -> dict:
    whole = tuple(replace(z, volume_m3=v[f"v{i}"], packing_t_m3=v[f"p{i}"], temp_c=v[f"t{i}"]) for i, z in enumerate(zones))
    zones = continuous.filled(whole, v["level_pct"])
    charge = Charge(ea_pct_naoh=v["ea_pct_naoh"], sulphidity_pct=v["sulphidity_pct"], lw_m3_t=v["lw_m3_t"])
    way, done = continuous.cooked_through(species, charge, zones, v["wood_t_h"], feed_c=v["feed_c"])
    case = VesselCase(
        species=species,
        ea_pct_naoh=v["ea_pct_naoh"],
        sulphidity_pct=v["sulphidity_pct"],
        lw_m3_t=v["lw_m3_t"],
        wood_t_h=v["wood_t_h"],
        level_pct=v["level_pct"],
        feed_c=v["feed_c"],
        zones=tuple(ZoneRow(kind=z.kind, volume_m3=z.volume_m3, packing_t_m3=z.packing_t_m3, temp_c=z.temp_c) for z in whole),
    )
    then = continuous.passage(zones, v["new_t_h"], feed_c=v["feed_c"])
    temps, bound = continuous.feed_forward(zones, v["wood_t_h"], v["new_t_h"])
    plain = continuous.blow_line(species, charge, zones, v["wood_t_h"], v["new_t_h"], feed_c=v["feed_c"])
    moved = continuous.blow_line(species, charge, zones, v["wood_t_h"], v["new_t_h"], temps_after=temps, feed_c=v["feed_c"])
    other = case_held(held, find("cook.vessel"))
    band = band_of(state, species, v["target"])
    changes = [(z.name, z.temp_c, t) for z, t in zip(zones, temps, strict=True) if abs(t - z.temp_c) >= 0.05]
    move = None
    if changes:
        move = {
            "changes": changes,
            "bound": bound,
            "from": plain[-1].kappa,
            "to": moved[-1].kappa,
            "before_t_h": v["wood_t_h"],
            "after_t_h": v["new_t_h"],
            "minutes": plain[-1].minute,
        }
    return {
        "way": way,
        "worked": Worked(model="cook.vessel", case=case, result=found_of(done, way.h, way.minutes)),
        "then": then,
        "done": done,
        "band": band,
        "kappa_source": f"± {default_band(done.kappa):.1f}, 95 %, until fitted; wanted {band.low:.1f} to {band.high:.1f}",
        "judged": judge(done.kappa, band, confirmed=True),
        "plain": plain,
        "settled": plain[-1],
        "moved": moved,
        "move": move,
        "stays": list(zip(way.stays, then.stays, strict=True)),
        "first": next((b for b in plain if abs(b.kappa - plain[0].kappa) > 0.2), None),
        "held": held,
        "hold_name": f"{species}, {v['wood_t_h']:g} t/h",
        "p": vessel_picture(
            way, done, plain, moved if changes else (), band, held=_passed(other) if other is not None else None
        ),
    }
