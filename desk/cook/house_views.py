"""The digester house board: all digesters, steam and the blow tank on one time axis, clashes marked, the least move out of them."""

from dataclasses import replace
from datetime import timedelta

from django.shortcuts import render
from django.views.decorators.http import require_safe

from core.cook import house as houses
from core.cook import kinetic
from core.errors import CoreError
from desk.cook.drawings import house_picture
from desk.cook.models import Cook
from desk.cook.views import station
from desk.kit.bench import Well, read_wells, render_bench
from desk.mill.context import state_of

BACK_H, AHEAD_H = 3.0, 8.0
CONTINUOUS = (("3", "alder", "K.alder.chips"), ("S", "bagasse", "S.depith"))
TUBE_HEATS = (78.0, 108.0)  # minutes from now: the bagasse tube comes up after its stop
WELLS = tuple(Well(*w) for w in (
    ("steam_t_h", "Steam allowed", "t/h", 24.5, 0.1, 500.0), ("tank_t", "Blow tank holds", "t OD", 22.0, 0.1, 1000.0), ("tank_now_t", "in it now", "t OD", 12.1, 0.0, 1000.0), ("wash_t_h", "Washing takes", "t/h OD", 4.6, 0.0, 200.0),
    ("wash_from", "Washing stops in", "min", 38.0, 0.0, 1440.0), ("wash_for", "for", "min", 40.0, 0.0, 1440.0), ("delay", "Next rise later by", "min", 0.0, 0.0, 240.0), ("alder_t_h", "Alder draws", "t/h steam", 4.2, 0.0, 100.0), ("tube_t_h", "Bagasse tube draws", "t/h steam", 3.4, 0.0, 100.0), ("bagasse_t_h", "and heats at", "t/h steam", 7.6, 0.0, 100.0),
))  # fmt: skip


def _batches(now, delay: float) -> tuple[list[houses.Batch], dict[str, Cook], dict]:
    """Running and coming cooks of the batch digesters, on minutes from now. The coming ones follow the last plan of their digester."""
    found, cooks, made_of = [], {}, {}
    since = now - timedelta(hours=BACK_H + 6)
    newest: dict[str, houses.Batch] = {}
    batch = Cook.objects.filter(started_at__gte=since, started_at__lte=now).exclude(
        digester__in=[key for key, _, _ in CONTINUOUS]
    )
    for c in batch.order_by("started_at"):
        try:
            done = kinetic.cook(c.species, c.given, c.profile, coefficients=c.fitted)
        except CoreError:
            continue
        made = houses.batch_of(
            name=str(c.number), digester=c.digester, rise_at=(c.started_at - now).total_seconds() / 60.0, plan=c.profile, lw_m3_t=c.given.lw_m3_t, wood_t=c.wood_t,
            yield_pct=done.yield_pct, done=True,
        )  # fmt: skip
        newest[c.digester] = made
        found.append(made)
        cooks[made.name], made_of[made.name] = c, done
    coming = []
    for digester, last in newest.items():
        for k in range(3):
            last = houses.follow_on(last, f"{digester}+{k + 1}", 0.0)
            coming.append(last)
            cooks[last.name], made_of[last.name] = cooks[newest[digester].name], made_of[newest[digester].name]
    coming.sort(key=lambda b: b.rise_at)
    if coming:
        coming[0] = replace(coming[0], rise_at=coming[0].rise_at + delay)
    return [*found, *coming], cooks, made_of


@require_safe
def house(request):
    state = state_of(request)
    if state is None:
        return render(request, "no_mill.html")
    wells, v = read_wells(request.GET, WELLS)
    context = station(request, state, wells=wells, lanes=True)
    if not any(w["error"] for w in wells):
        batches, cooks, made_of = _batches(request.now, v["delay"])
        limits = houses.Limits(
            steam_t_h=v["steam_t_h"],
            tank_t=v["tank_t"],
            tank_now_t=v["tank_now_t"],
            wash_t_h=v["wash_t_h"],
            wash_stops=((v["wash_from"], v["wash_from"] + v["wash_for"]),) if v["wash_for"] else (),
        )
        steady = (
            houses.Steady(name="alder", steam_t_h=v["alder_t_h"], start=-1e4, end=1e4),
            houses.Steady(name="bagasse", steam_t_h=v["tube_t_h"], start=-1e4, end=1e4),
            houses.Steady(name="bagasse heats", steam_t_h=v["bagasse_t_h"], start=TUBE_HEATS[0], end=TUBE_HEATS[1]),
        )
        window = {"start": 0.0, "end": AHEAD_H * 60.0}
        found = houses.look_ahead(tuple(batches), steady, limits, **window)
        coming = sorted((b for b in batches if not b.done and b.rise_at > 0), key=lambda b: b.rise_at)
        way = houses.later_start(tuple(batches), coming[0].name, steady, limits, **window) if coming and found.clashes else None
        kappas = {
            b.name: cooks[b.name].kappa if b.done and cooks[b.name].kappa is not None else made_of[b.name] for b in batches
        }

        def at(m: float):
            return request.now + timedelta(minutes=m)

        lanes = [
            {"key": key, "name": name, "t_h": state.solution.enters(unit).solids_t_h}
            for key, name, unit in CONTINUOUS
            if unit in state.solution.network.index
        ]
        pace = houses.pace(coming[0], len({b.digester for b in batches})) if coming else None
        context |= {
            "house": found, "clashes": [(c, at(c.start), at(c.end)) for c in found.clashes[:6]], "way": way, "next": coming[0] if coming else None, "way_at": at(coming[0].rise_at + way[0]) if way else None,
            "next_at": at(coming[0].rise_at) if coming else None, "pace": pace,
            "blows": [(b, at(b.blow_at), kappas[b.name] if isinstance(kappas[b.name], float) else getattr(kappas[b.name], "kappa", None), cooks[b.name].target) for b in sorted(batches, key=lambda b: b.blow_at) if b.blow_at > -60][:5],
            "p": house_picture(batches, kappas, found, limits, lanes, request.now, back=BACK_H * 60.0, ahead=AHEAD_H * 60.0), "continuous": lanes,
        }  # fmt: skip
    return render_bench(request, "cook/house", context)
