"""The digester house board: all digesters, steam and the blow tank on one time axis, clashes marked, the least move out of them."""

from datetime import timedelta

from django.shortcuts import render
from django.views.decorators.http import require_safe

from core.cook import house as houses
from core.cook import kinetic
from core.cook.models import SteamCase, steam
from core.errors import CoreError, ImpossibleInput
from desk.cook.drawings import house_picture
from desk.cook.models import Cook
from desk.cook.views import station
from desk.kit.bench import render_bench, typed_number
from desk.mill.context import state_of

BACK_H, AHEAD_H = 3.0, 8.0
FILL_MIN, BLOW_MIN, IDLE_MIN, CONTINUOUS = 43.0, 20.0, 34.0, (("3", "alder", "K.alder.chips"), ("S", "bagasse", "S.depith"))
WELLS = (
    ("steam_t_h", "Steam allowed", "t/h", 24.5, 0.1, 500.0), ("tank_t", "Blow tank holds", "t OD", 22.0, 0.1, 1000.0), ("tank_now_t", "in it now", "t OD", 12.1, 0.0, 1000.0), ("wash_t_h", "Washing takes", "t/h OD", 4.6, 0.0, 200.0),
    ("wash_from", "Washing stops in", "min", 38.0, 0.0, 1440.0), ("wash_for", "for", "min", 40.0, 0.0, 1440.0), ("delay", "Next rise later by", "min", 0.0, 0.0, 240.0), ("bagasse_t_h", "Bagasse tube heats at", "t/h steam", 7.6, 0.0, 100.0),
)  # fmt: skip


def _wells(request):
    rows, values = [], {}
    for name, label, unit, start, low, high in WELLS:
        text, error = request.GET.get(name, f"{start:g}"), ""
        try:
            values[name] = typed_number(text)
            if not low <= values[name] <= high:
                error = f"{label} is {values[name]:g} {unit}; it must be {low:g} to {high:g} {unit}"
        except ValueError:
            error = f"{label} is “{text}”; it must be a number, {low:g} to {high:g} {unit}"
        rows.append({"name": name, "label": label, "unit": unit, "text": text, "error": error})
    return rows, values


def _batches(now, delay: float) -> tuple[list[houses.Batch], dict[str, Cook]]:
    """Running and coming cooks of the batch digesters, on minutes from now. The coming ones follow the last plan of their digester."""
    found, cooks = [], {}
    since = now - timedelta(hours=BACK_H + 6)
    newest: dict[str, Cook] = {}
    batch = Cook.objects.filter(started_at__gte=since, started_at__lte=now).exclude(
        digester__in=[key for key, _, _ in CONTINUOUS]
    )
    for c in batch.order_by("started_at"):
        newest[c.digester] = c
        found.append(_batch(c, (c.started_at - now).total_seconds() / 60.0, str(c.number), done=True))
        cooks[str(c.number)] = c
    coming = []
    for digester, c in newest.items():
        last = next(b for b in found if b.name == str(c.number))
        at = max(last.end, 0.0) + FILL_MIN + IDLE_MIN
        for k in range(3):
            coming.append(_batch(c, at, f"{digester}+{k + 1}"))
            cooks[f"{digester}+{k + 1}"] = c
            at = coming[-1].end + FILL_MIN + IDLE_MIN
    coming.sort(key=lambda b: b.rise_at)
    if coming:
        from dataclasses import replace

        coming[0] = replace(coming[0], rise_at=coming[0].rise_at + delay)
    return [*found, *coming], cooks


def _batch(c: Cook, rise_at: float, name: str, *, done: bool = False) -> houses.Batch:
    plan = c.profile
    top = max(t for _, t in plan)
    rise = next(m for m, t in plan if t >= top - 0.5)
    try:
        q = steam(
            SteamCase(
                rise_c=max(1.0, top - plan[0][1]),
                u_pct=88.0,
                liquor_t_t=max(0.0, c.given.lw_m3_t - 0.88),
                loss_mj_t=60.0,
                final_c=min(top, 180.0),
            )
        ).direct_t_t
    except ImpossibleInput:
        q = 0.8
    return houses.Batch(
        name=name, digester=c.digester, rise_at=rise_at, fill_min=FILL_MIN, rise_min=rise, hold_min=max(1.0, plan[-1][0] - rise), blow_min=BLOW_MIN, steam_t_h=q * c.wood_t / (rise / 60.0),
        hold_steam_t_h=0.15 * q * c.wood_t / (rise / 60.0), pulp_t=c.wood_t * 0.465, done=done,
    )  # fmt: skip


@require_safe
def house(request):
    state = state_of(request)
    if state is None:
        return render(request, "no_mill.html")
    wells, v = _wells(request)
    context = station(request, state, wells=wells, lanes=True)
    if not any(w["error"] for w in wells):
        batches, cooks = _batches(request.now, v["delay"])
        limits = houses.Limits(
            steam_t_h=v["steam_t_h"],
            tank_t=v["tank_t"],
            tank_now_t=v["tank_now_t"],
            wash_t_h=v["wash_t_h"],
            wash_stops=((v["wash_from"], v["wash_from"] + v["wash_for"]),) if v["wash_for"] else (),
        )
        steady = (
            houses.Steady(name="alder", steam_t_h=4.2, start=-1e4, end=1e4),
            houses.Steady(name="bagasse", steam_t_h=3.4, start=-1e4, end=1e4),
            houses.Steady(name="bagasse heats", steam_t_h=v["bagasse_t_h"], start=78.0, end=108.0),
        )
        window = {"start": 0.0, "end": AHEAD_H * 60.0}
        found = houses.look_ahead(tuple(batches), steady, limits, **window)
        coming = sorted((b for b in batches if not b.done and b.rise_at > 0), key=lambda b: b.rise_at)
        way = houses.later_start(tuple(batches), coming[0].name, steady, limits, **window) if coming and found.clashes else None
        kappas = {}
        for b in batches:
            c = cooks[b.name]
            try:
                kappas[b.name] = (
                    c.kappa
                    if b.done and c.kappa is not None
                    else kinetic.cook(c.species, c.given, c.profile, coefficients=c.fitted)
                )
            except CoreError:
                kappas[b.name] = None

        def at(m: float):
            return request.now + timedelta(minutes=m)

        lanes = [
            {"key": key, "name": name, "t_h": state.solution.enters(unit).solids_t_h}
            for key, name, unit in CONTINUOUS
            if unit in state.solution.network.index
        ]
        cycle = sum((b.end - b.rise_at + FILL_MIN + IDLE_MIN for b in coming[:1]), 0.0)
        digesters = len({b.digester for b in batches})
        context |= {
            "house": found, "clashes": [(c, at(c.start), at(c.end)) for c in found.clashes[:6]], "way": way, "next": coming[0] if coming else None, "way_at": at(coming[0].rise_at + way[0]) if way else None,
            "next_at": at(coming[0].rise_at) if coming else None, "cycle_h": cycle / 60.0, "apart_h": cycle / 60.0 / digesters if digesters else 0.0, "adt_day": digesters * 22.4 * 0.45 / 0.9 * 1440.0 / cycle if cycle else 0.0,
            "blows": [(b, at(b.blow_at), kappas[b.name] if isinstance(kappas[b.name], float) else getattr(kappas[b.name], "kappa", None), cooks[b.name].target) for b in sorted(batches, key=lambda b: b.blow_at) if b.blow_at > -60][:5],
            "p": house_picture(batches, kappas, found, limits, lanes, request.now, back=BACK_H * 60.0, ahead=AHEAD_H * 60.0), "continuous": lanes,
        }  # fmt: skip
    return render_bench(request, "cook/house", context)
