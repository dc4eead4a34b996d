"""Blend: the furnish as it is, tried or at least cost; what holds it, what it does to every tower; put in force by steps."""

from dataclasses import replace
from urllib.parse import urlencode

import numpy as np
from django.contrib import messages
from django.http import Http404
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.views.decorators.http import require_http_methods, require_POST, require_safe

from core.blend.additives import SORTS, AdditiveCase, additive, in_order, meetings, sort_of
from core.blend.furnish import BlendCase, Forecast, Table, forecast, told
from core.blend.least import BY_FIELD, Held, LeastFound, kept, least, step_towards, trade_off, z_of
from core.blend.relief import relief
from core.catalogue import find
from core.errors import ImpossibleInput, Infeasible
from core.quantity import quantities
from core.unit import Worked
from desk.blend.benches import BENCHES
from desk.blend.drawings import PICTURES, added_picture, cost_picture, forecast_rows, shares_picture
from desk.blend.pulps import chest_results, forecast_errors, hours_at, limits_of, pulps_now
from desk.cases.benches import bench_view, case_held, held_case
from desk.kit.bench import Well, read_wells, refuse_well, render_bench
from desk.kit.templatetags.vat import clock, figure, hm
from desk.kit.text import whole
from desk.kit.ways import own_path
from desk.kit.writing import writing
from desk.log.actions import write
from desk.log.models import Kind, Record
from desk.log.moves import set_shares
from desk.mill.context import state_of
from desk.mill.ribbon import STATIONS, draw_small
from desk.people.rights import may, refuse

CHANCES = (("50", "none"), ("90", "9 of 10"), ("95", "19 of 20"))
REACH_H, REACH_LOW, REACH_HIGH = 8.0, 0.5, 240.0
BLEND_MIND = "No share is moved from here: an operator sets the ratios, broke by 2 points in 15 minutes at most."
SUBJECT = "blend.shares"


def station(request, state, **more) -> dict:
    return {"station": "blend", "stations": STATIONS, "small": draw_small(state), **more}


def _wells(limits: dict[str, float], now) -> tuple[Well, ...]:
    """Recipe, limits, prices and bounds, in this order."""
    said = quantities(BlendCase)
    shares = [Well(f"share{i}", p.source.name, "%", round(p.pulp.share_pct, 2), 0, 100) for i, p in enumerate(now.values())]
    asked = [Well(field, _label(field), said[field].unit, value, *said[field].possible) for field, value in limits.items()]
    bounds = [
        Well(f"{what}{i}", f"{p.source.name}, {label}", unit, round(getattr(p.pulp, field), 1), 0, most)
        for i, p in enumerate(now.values())
        for what, field, label, unit, most in (
            ("price", "price", "price", "a t", 100_000),
            ("low", "low_pct", "at least", "%", 100),
            ("high", "high_pct", "at most", "%", 100),
        )
    ]
    return (*shares, *asked, Well("reach", "Every vessel must last", "h", REACH_H, REACH_LOW, REACH_HIGH), *bounds)


NAMES = {
    "iso_least": "Brightness, at least",
    "iso_most": "Brightness, at most",
    "csf_least": "Freeness, at least",
    "csf_most": "Freeness, at most",
}


def _label(field: str) -> str:
    return NAMES.get(field, quantities(BlendCase)[field].label)


@require_safe
def furnish(request):
    """The recipe beside the furnish of least cost: shares, forecast with its back-off, what holds it, towers, additives."""
    state = state_of(request)
    if state is None:
        return render(request, "no_mill.html")
    if len(state.mill.sources) < 2:
        return redirect("blend:bench", "mix")
    limits = limits_of(state.grade)
    now = pulps_now(state, REACH_H)
    results = chest_results(state)
    sds, from_results = forecast_errors(results)
    wells, v = read_wells(request.GET, opening := _wells(limits, now))
    starts = {w.name: f"{w.start:g}" for w in opening}
    typed = {w["name"] for w in wells if w["text"] != starts[w["name"]]}
    put = state.setpoints[-1] if state.setpoints else None
    share_from = f"in force since {clock(put.at)}" if put else "card"
    for w in wells:
        name = w["name"]
        at = (
            share_from if name.startswith("share") else "card" if name in limits else "default" if name == "reach" else "set-up"
        )
        w["source"] = "typed" if name in typed else at
    chance = request.GET.get("chance", "95")
    chance = chance if chance in dict(CHANCES) else "95"
    by = {w["name"]: w for w in wells}
    n = len(now)
    context = station(
        request,
        state,
        rows=[
            {"w": by[f"share{i}"], "price": by[f"price{i}"], "low": by[f"low{i}"], "high": by[f"high{i}"], "now": p}
            for i, p in enumerate(now.values())
        ],
        limits=[by[f] for f in limits],
        reach=by["reach"],
        wells=wells,
        chance=chance,
        chances=CHANCES,
        from_results=from_results,
        standing=put if put is not None and put.about_id is None else None,
        may_put=request.user.may("move"),
        seen=put.pk if put else 0,
        furnishing=True,
    )
    shares = [v.get(f"share{i}") for i in range(n)]
    if None not in shares and abs(sum(shares) - 100.0) > 0.05:
        refuse_well(wells, "share0", f"makes the recipe {sum(shares):.4g} %; it must make 100 %")
    if not any(w["error"] for w in wells):
        if "reach" in typed:
            now = pulps_now(state, v["reach"])
        pulps = tuple(
            replace(
                p.pulp,
                share_pct=v[f"share{i}"] if f"share{i}" in typed else p.pulp.share_pct,
                price=v[f"price{i}"],
                low_pct=v[f"low{i}"],
                high_pct=v[f"high{i}"],
            )
            for i, p in enumerate(now.values())
        )
        case = BlendCase(**{f: v[f] for f in limits}, **sds, chance_pct=float(chance), pulps=pulps)
        newest = {name: values[0] for name, values in results.items() if values}
        try:
            context |= _worked(request, state, case, list(now), typed, newest)
        except ImpossibleInput as refusal:
            for p in refusal.problems:
                refuse_well(wells, _well_of(p.field), p.text)
    context["errors"] = [w["error"] for w in wells if w["error"]]
    return render_bench(request, "blend/furnish", context)


OF_PULP = {"share_pct": "share", "price": "price", "low_pct": "low", "high_pct": "high"}


def _well_of(field: str) -> str:
    head, _, rest = field.partition(".")
    number, _, name = rest.partition(".")
    return f"{OF_PULP.get(name, 'share')}{int(number) - 1}" if head == "pulps" and number.isdigit() else field


def _moved(case: BlendCase, keys: list[str], shares) -> dict[str, str]:
    return {key: f"{share:.2f}" for key, share in zip(keys, shares, strict=True)}


def _put_way(request, keys: list[str], shares) -> str:
    told_ = {f"s{i}": f"{share:.3f}" for i, share in enumerate(shares)}
    kept = {k: v for k, v in request.GET.items() if not k.startswith("share") and k != "least"}
    back = f"{request.path}?{urlencode(kept)}" if kept else request.path
    return f"{reverse('blend:put')}?{urlencode({**told_, 'back': back})}"


def _worked(request, state, case: BlendCase, keys: list[str], typed: set[str], lab: dict[str, float]) -> dict:
    """The recipe's forecast; the furnish of least cost with the way there, or what must give."""
    found = forecast(case)
    recipe = tuple(p.share_pct for p in case.pulps)
    held = held_case(request.GET.get("held", ""), find("blend.forecast"))
    beside = case_held(held, find("blend.forecast"))
    beside = beside if beside is not None and len(beside.pulps) == len(case.pulps) else None
    done = least(case) if request.GET.get("least") == "1" else None
    cheap = done if isinstance(done, LeastFound) else None
    z = z_of(case.chance_pct)
    standing = {h.field: h for h in kept(case, Table(case.pulps), _fractions(recipe), z) if not h.pulp}
    result = {
        "worked": Worked(model="blend.forecast", case=case, result=found),
        "least": Worked(model="blend.least", case=case, result=cheap) if cheap else None,
        "shares": shares_picture(state, keys, case, cheap, beside),
        "forecast": forecast_rows(case, standing, found, cheap, lab),
        "out": [_limit_words(case, h) for h in standing.values() if not h.binds and h.chance_pct < case.chance_pct - 1e-6],
        "held": held,
        "hold_name": f"{state.grade.name}, {clock(state.now)}",
        "towers": _towers(state, keys, recipe, cheap.shares if cheap else None),
        "added": added_picture(_added(state)),
        "meet": meetings(tuple(a.name for a in state.grade.additives)),
        "minds": [c.text for c in found.cautions],
        "asked_least": done is not None,
    }
    if any(name.startswith("share") for name in typed):
        result["put"] = _put_way(request, keys, recipe)
    if cheap:
        binding = [h for h in cheap.limits if h.binds]
        most = max((h.saves for h in binding), default=1.0)
        result["holds"] = [_holds(case, h, most) for h in binding]
        step = step_towards(case, cheap.shares)
        at = told(Table(case.pulps), _fractions(step.shares), case.iso_sd)
        outside = [
            _limit_words(case, h)
            for h in kept(case, Table(case.pulps), _fractions(step.shares), z)
            if not h.pulp and not h.binds and h.chance_pct < case.chance_pct - 1e-6
        ]
        moves = [
            f"{name} {figure(p.share_pct, 1)} to {figure(s, 1)}"
            for name, p, s in zip((x.name for x in case.pulps), case.pulps, step.shares, strict=True)
            if abs(s - p.share_pct) > 0.05
        ]
        cost = sum(p.price * s for p, s in zip(case.pulps, step.shares, strict=True)) / 100.0
        result["step"] = {
            "of": step.of,
            "moves": ", ".join(moves),
            "at": at,
            "saves": found.cost - cost,
            "outside": outside,
            "put": _put_way(request, keys, step.shares),
        }
        quality = next((h for h in binding if not h.pulp), None)
        if quality is not None:
            reach = {"csf_ml": 20.0, "stickies": 20.0}.get(BY_FIELD[quality.field].figure, 2.0)
            curve = trade_off(case, quality, reach=reach)
            result["cost"] = cost_picture(curve, quality.limit, cheap.cost, _label(quality.field).split(",")[0].lower())
    elif isinstance(done, Infeasible):
        gives = relief(case)
        if not isinstance(gives, Infeasible):
            result["gives"] = {
                "alone": [_give_words(case, g) for g in gives.alone if g.enough],
                "never": [_label(g.field).lower() for g in gives.alone if not g.enough and not g.pulp],
                "no_bound": not any(g.enough for g in gives.alone if g.pulp),
                "joint": [
                    f"{_give_name(case, *_place(field)).lower()} by {figure(slack, 2)} {'points' if 'pulps' in field else 'sd'}"
                    for field, slack in (gives.joint.slacks.items() if gives.joint else ())
                    if slack > 5e-4
                ],
                "conflict": [_give_name(case, *_place(field)).lower() for field in gives.conflict],
                "worked": Worked(model="blend.relief", case=case, result=gives),
            }
    return result


def _place(field: str) -> tuple[str, int]:
    parts = field.split(".")
    return (parts[2], int(parts[1])) if parts[0] == "pulps" else (field, 0)


def _fractions(shares) -> np.ndarray:
    return np.array(shares) / 100.0


def _give_name(case: BlendCase, field: str, pulp: int) -> str:
    ends = {"low_pct": "at least", "high_pct": "at most", "supply_pct": "as much as its line and vessel give"}
    return f"{case.pulps[pulp - 1].name}, {ends[field]}" if pulp else _label(field)


def _give_words(case: BlendCase, give) -> str:
    decimals = 1 if give.pulp else quantities(BlendCase)[give.field].decimals
    unit = "%" if give.pulp else quantities(BlendCase)[give.field].unit
    now = getattr(case.pulps[give.pulp - 1] if give.pulp else case, give.field)
    name = _give_name(case, give.field, give.pulp)
    return f"{name} {figure(now, decimals)} to {figure(give.to, max(1, decimals))} {unit}"


def _limit_words(case: BlendCase, h: Held) -> str:
    return f"{_label(h.field)} {h.limit:g}: kept with {figure(h.chance_pct, 0)} %"


def _holds(case: BlendCase, h: Held, most: float) -> dict:
    """A limit that holds the cost: what it is, what a unit of it would save, and its bar."""
    if h.pulp:
        words = {"low_pct": "at least", "high_pct": "up to", "supply_pct": "line and vessel give"}
        name, unit = f"{case.pulps[h.pulp - 1].name}, {words[h.field]} {figure(h.limit, 1)} %", "a point"
    else:
        said = quantities(BlendCase)[h.field]
        name, unit = f"{_label(h.field)} {figure(h.limit, said.decimals)}", f"a {said.unit or 'unit'}"
        unit = {"a % ISO": "a point", "a %": "a point"}.get(unit, unit)
    return {"name": name, "saves": h.saves, "unit": unit, "w": f"{max(3.0, 300.0 * h.saves / most):.1f}"}


def _towers(state, keys: list[str], recipe, cheap) -> list[dict]:
    """How long each source's vessel lasts at the recipe and at least cost; those that last long are left out."""
    result = []
    for i, key in enumerate(keys):
        hours, way = hours_at(state, key, recipe[i])
        then, way_then = hours_at(state, key, cheap[i]) if cheap else (float("inf"), "steady")
        soonest = min(h for h, w in ((hours, way), (then, way_then)))
        if soonest > 24.0:
            continue
        vessel = state.mill.vessels[state.mill.sources[key].vessel]
        result.append(
            {
                "name": vessel.name,
                "now": _lasts(hours, way),
                "then": _lasts(then, way_then) if cheap else "",
                "late": way == "empty" and hours - vessel.lead_h <= 0.5,
            }
        )
    return result


def _lasts(hours: float, way: str) -> str:
    if hours > 72.0:
        return "stands" if way == "steady" else f"{way} in days"
    return f"{way} in {hm(hours)}"


def _added(state) -> list[dict]:
    """Every additive of the grade with its flow at the present draw, in the order of the way; filler by the draw itself."""
    grade, draw = state.grade, state.draw.solids_t_h
    by_name = {a.name: a for a in grade.additives}
    result = []
    for name in in_order(tuple(by_name)):
        a = by_name[name]
        case = AdditiveCase(od_t_h=max(0.01, draw), dose_kg_t=a.dose_kg_t, strength_pct=a.strength_pct, density=a.density)
        sort = SORTS[sort_of(name)]
        result.append(
            {
                "name": name,
                "worked": Worked(model="blend.additive", case=case, result=additive(case)),
                "dose": a.dose_kg_t,
                "place": sort.place,
                "mind": sort.mind,
                "usual": sort.dose,
                "unusual": not sort.dose[0] <= a.dose_kg_t <= sort.dose[1],
                "figure": "l_min",
                "unit": "L/min",
                "text": figure(additive(case).l_min, 1),
            }
        )
    if state.draw.filler_t_h > 0.0:
        sort = SORTS["filler"]
        result.append(
            {
                "name": "Filler",
                "worked": Worked(model="deliver.draw", case=state.draw_case, result=state.draw),
                "dose": 1000.0 * state.draw.filler_t_h / draw,
                "place": sort.place,
                "mind": sort.mind,
                "usual": sort.dose,
                "unusual": False,
                "figure": "filler_t_h",
                "unit": "t/h",
                "text": f"{figure(state.draw.filler_t_h, 2)} t/h",
            }
        )
    order = in_order(tuple(r["name"] for r in result))
    return sorted(result, key=lambda r: order.index(r["name"]))


def _asked_shares(state, data) -> tuple[dict[str, float] | None, str]:
    """The shares of an address or a form by source, %; and what is wrong with them."""
    shares = {}
    for i, key in enumerate(state.mill.sources):
        try:
            shares[key] = float(data.get(f"s{i}", ""))
        except ValueError:
            return None, "The shares are not told; choose them on the page of the furnish."
    if any(not 0.0 <= s <= 100.0 for s in shares.values()) or abs((whole_ := sum(shares.values())) - 100.0) > 0.05:
        return None, f"The shares make {sum(shares.values()):.4g} %; each is 0 to 100 and they must make 100 %."
    return {k: 100.0 * s / whole_ for k, s in shares.items()}, ""


@require_http_methods(["GET", "HEAD", "POST"])
def put(request):
    """GET shows what a furnish does to every tower and to the forecast; POST puts it in force, with a reason."""
    state = state_of(request)
    if state is None:
        return render(request, "no_mill.html")
    if request.method == "POST":
        refuse(request.user, "move")
    data = request.POST if request.method == "POST" else request.GET
    back = own_path(request, data.get("back", ""), reverse("blend:furnish"))
    shares, trouble = _asked_shares(state, data)
    if shares is None and request.method != "POST" and "s0" not in data:
        return redirect("blend:furnish")
    now = pulps_now(state, REACH_H)
    standing = state.setpoints[-1] if state.setpoints else None
    why, errors = data.get("why", ""), {}
    was = {k: 100.0 * s for k, s in state.shares.items()}
    moved = shares is not None and any(abs(shares[k] - was.get(k, 0.0)) > 0.005 for k in shares)
    if shares is not None and not moved:
        trouble = "It is run so already: nothing changes."
    if request.method == "POST" and not trouble:
        if not why.strip():
            errors["why"] = "Why is empty; say why the furnish is changed."
        else:
            with writing():
                newest = Record.objects.current().filter(kind=Kind.SETPOINT, subject=SUBJECT).order_by("-at", "-id").first()
                if newest is not None and newest.pk != (whole(data.get("seen", "0"), 0, 10**12) or 0):
                    trouble = f"The furnish was set at {clock(newest.at)} by {newest.signed} meanwhile: {newest.says}"
                else:
                    made = set_shares(
                        {k: round(s, 6) for k, s in shares.items()}, by=request.user, now=request.now, state=state, words=why
                    )
            if not trouble:
                messages.success(request, f"{made.says}.")
                return redirect(back)
    rows = []
    if shares is not None:
        for key, p in now.items():
            hours, way = hours_at(state, key, was.get(key, 0.0))
            then, way_then = hours_at(state, key, shares[key])
            rows.append(
                {
                    "name": p.source.name,
                    "before": was.get(key, 0.0),
                    "after": shares[key],
                    "vessel": state.mill.vessels[p.source.vessel].name,
                    "now": _lasts(hours, way),
                    "then": _lasts(then, way_then),
                    "short": way_then == "empty" and then < REACH_H,
                    "fast": abs(shares[key] - was.get(key, 0.0)) > p.pulp.step_pct + 1e-6,
                    "step": p.pulp.step_pct,
                }
            )
    table = Table(tuple(p.pulp for p in now.values()))
    compare = []
    if shares is not None:
        a, b = (told(table, _fractions([s.get(k, 0.0) for k in now])) for s in (was, shares))
        said = quantities(Forecast)
        compare = [
            (said[f].label, said[f].unit, figure(getattr(a, f), said[f].decimals), figure(getattr(b, f), said[f].decimals))
            for f in ("iso_pct", "csf_ml", "ash_pct", "tensile", "tear", "stickies", "recycled_pct", "cost")
        ]
    context = {
        "rows": rows,
        "minds_any": any(r["fast"] for r in rows),
        "compare": compare,
        "why": why,
        "errors": errors,
        "trouble": trouble,
        "back": back,
        "given": [(f"s{i}", data.get(f"s{i}", "")) for i in range(len(now))],
        "seen": standing.pk if standing else 0,
        "may_put": request.user.may("move") and moved,
        "mind": BLEND_MIND,
        "stations": STATIONS,
    }
    return render(request, "blend/put.html", context, status=422 if request.method == "POST" else 200)


@require_POST
@may("move")
def set_back(request, pk: int):
    """The furnish that was in force before, again, as a later record."""
    state = state_of(request)
    if state is None:
        raise Http404
    record = get_object_or_404(Record, pk=pk, kind=Kind.SETPOINT, subject=SUBJECT)
    with writing():
        newest = Record.objects.current().filter(kind=Kind.SETPOINT, subject=SUBJECT).order_by("-at", "-id").first()
        if newest is None or newest.pk != record.pk:
            messages.error(request, f"Not set back: the furnish was set at {clock(newest.at)} by {newest.signed} since.")
            return redirect("blend:furnish")
        data = {
            "shares_pct": record.data["was_pct"],
            "gives_t_h": record.data["gave_t_h"],
            "was_pct": record.data["shares_pct"],
            "gave_t_h": record.data["gives_t_h"],
        }
        words = ", ".join(f"{k} {figure(s, 1)}" for k, s in data["shares_pct"].items() if s > 0)
        made = write(
            kind=Kind.SETPOINT,
            subject=SUBJECT,
            by=request.user,
            now=request.now,
            says=f"Furnish set back: {words} %",
            data=data,
            about=record,
        )
    messages.success(request, f"{made.says}.")
    return redirect("blend:furnish")


bench = bench_view("blend", BENCHES, station, PICTURES)
