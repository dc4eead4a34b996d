"""The digester house board: all digesters, steam and the blow tank on one time axis, clashes marked, the least move out of
them."""

from dataclasses import replace
from datetime import timedelta

from django.shortcuts import render
from django.views.decorators.http import require_safe

from core.catalogue import find
from core.cook import house as houses
from core.unit import Worked
from desk.cases.benches import case_held, held_case
from desk.cook.drawings import house_picture
from desk.cook.lanes import blow_tank, continuous, known_batches
from desk.cook.models import Cook
from desk.cook.views import station
from desk.kit.bench import Well, read_wells, render_bench
from desk.kit.templatetags.vat import clock
from desk.mill.context import state_of

BACK_H, AHEAD_H = 3.0, 8.0
HEATS = (78.0, 108.0)  # minutes from now: the last continuous digester comes up after its stop
DRAWS = (4.2, 3.4)  # t/h of steam, defaults


def _wells(state, lanes: list[dict]) -> tuple[Well, ...]:
    """The wells of the house, opened with what the mill knows: its steam and blow tank as set up, what stands in it as the last
    cooks tell, what washing takes as the line is solved; and of the steam that each continuous digester draws."""
    known, _, _ = known_batches(state, state.now, BACK_H + 6.0)
    tank = blow_tank(state, known)
    now_t, draw_t_h = (tank.now_t, tank.draw_t_h) if tank is not None else (0.0, 0.0)
    result = [
        Well("steam_t_h", "Steam allowed", "t/h", state.mill.steam_allowed_t_h, 0.1, 2000.0),
        Well("tank_t", "Blow tank holds", "t OD", state.mill.blow_tank_t, 0.1, 2000.0),
        Well("tank_now_t", "in it now, counted", "t OD", round(now_t, 1), 0.0, 2000.0),
        Well("wash_t_h", "Washing takes", "t/h OD", round(draw_t_h, 2), 0.0, 200.0),
        Well("wash_from", "Washing stops in", "min", 0.0, 0.0, 1440.0),
        Well("wash_for", "for", "min", 0.0, 0.0, 1440.0),
        Well("delay", "Next rise later by", "min", 0.0, 0.0, 240.0),
    ]
    result += [
        Well(f"draws_{i}", f"{lane['name'].capitalize()} draws", "t/h steam", DRAWS[min(i, len(DRAWS) - 1)], 0.0, 100.0)
        for i, lane in enumerate(lanes)
    ]
    if lanes:
        result.append(Well("heats_t_h", "and heats at", "t/h steam", 7.6, 0.0, 100.0))
    return tuple(result)


def _steady(lanes: list[dict], v: dict) -> tuple[houses.Steady, ...]:
    """What the continuous digesters draw, and the heating of the last."""
    result = [houses.Steady(name=lane["name"], steam_t_h=v[f"draws_{i}"], start=-1e4, end=1e4) for i, lane in enumerate(lanes)]
    if lanes:
        result.append(houses.Steady(name=f"{lanes[-1]['name']} heats", steam_t_h=v["heats_t_h"], start=HEATS[0], end=HEATS[1]))
    return tuple(result)


def _batches(state, now, delay: float) -> tuple[list[houses.Batch], dict[str, Cook], dict]:
    """Running and coming cooks of the batch digesters, on minutes from now. The coming ones follow the last plan of their
    digester."""
    result, cooks, made_of = known_batches(state, now, hours=BACK_H + 6.0)
    newest = {b.digester: b for b in result}
    coming = []
    for digester, last in newest.items():
        before = last.name
        for k in range(3):
            last = houses.follow_on(last, f"{digester}+{k + 1}", 0.0)
            coming.append(last)
            cooks[last.name], made_of[last.name] = cooks[before], made_of[before]
    coming.sort(key=lambda b: b.rise_at)
    if coming:
        coming[0] = replace(coming[0], rise_at=coming[0].rise_at + delay)
    return [*result, *coming], cooks, made_of


@require_safe
def house(request):
    state = state_of(request)
    if state is None:
        return render(request, "no_mill.html")
    lanes = continuous(state)
    wells, v = read_wells(request.GET, _wells(state, lanes))
    context = station(request, state, wells=wells, lanes=True)
    if not any(w["error"] for w in wells):
        batches, cooks, made_of = _batches(state, request.now, v["delay"])
        limits = houses.Limits(
            steam_t_h=v["steam_t_h"],
            tank_t=v["tank_t"],
            tank_now_t=v["tank_now_t"],
            wash_t_h=v["wash_t_h"],
            wash_stops=((v["wash_from"], v["wash_from"] + v["wash_for"]),) if v["wash_for"] else (),
        )
        steady = _steady(lanes, v)
        window = {"start": 0.0, "end": AHEAD_H * 60.0}
        result = houses.look_ahead(tuple(batches), steady, limits, **window)
        coming = sorted((b for b in batches if not b.done and b.rise_at > 0), key=lambda b: b.rise_at)
        way = (
            houses.later_start(tuple(batches), coming[0].name, steady, limits, **window) if coming and result.clashes else None
        )
        kappas = {
            b.name: cooks[b.name].kappa if b.done and cooks[b.name].kappa is not None else made_of[b.name] for b in batches
        }

        def at(m: float):
            return request.now + timedelta(minutes=m)

        held = held_case(request.GET.get("held", ""), find("cook.house"))
        other = case_held(held, find("cook.house"))
        worked = None
        if coming:
            case = houses.house_case(
                tuple(batches),
                steady,
                limits,
                first=coming[0],
                digesters=len({b.digester for b in batches}),
                ahead_min=window["end"],
            )
            worked = Worked(model="cook.house", case=case, result=houses.house(case))
        context |= {
            "house": result,
            "clashes": [(c, at(c.start), at(c.end)) for c in result.clashes[:6]],
            "way": way,
            "next": coming[0] if coming else None,
            "way_at": at(coming[0].rise_at + way[0]) if way else None,
            "next_at": at(coming[0].rise_at) if coming else None,
            "worked": worked,
            "steam_words": f"allowed {v['steam_t_h']:.1f}",
            "tank_words": f"holds {v['tank_t']:.1f}",
            "held": held,
            "hold_name": f"digester house, {clock(request.now)}",
            "blows": [
                (
                    b,
                    at(b.blow_at),
                    kappas[b.name] if isinstance(kappas[b.name], float) else getattr(kappas[b.name], "kappa", None),
                    cooks[b.name].target,
                )
                for b in sorted(batches, key=lambda b: b.blow_at)
                if b.blow_at > -60
            ][:5],
            "p": house_picture(
                batches,
                kappas,
                result,
                limits,
                lanes,
                request.now,
                back=BACK_H * 60.0,
                ahead=AHEAD_H * 60.0,
                held=houses.house(other).ahead if other is not None else None,
            ),
            "continuous": lanes,
        }
    return render_bench(request, "cook/house", context)
