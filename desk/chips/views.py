"""Chips: the belt as it is fed, on every basis; its thickness; what the pulp becomes of it; piles and their age."""

from dataclasses import replace
from urllib.parse import urlencode

from django.contrib import messages
from django.http import Http404
from django.shortcuts import redirect, render
from django.urls import reverse
from django.views.decorators.http import require_POST, require_safe

from core.catalogue import find
from core.chips.wood import BASES
from core.cook import belt as belts
from core.cook.charged import LogPoint
from core.cook.kinetic import Charge
from core.cook.unit import CookPlan
from core.errors import CoreError, ImpossibleInput
from core.judge.band import Band, judge
from core.quantity import quantities
from core.unit import Worked
from desk.cases.benches import Bench, bench_view, case_held, held_case
from desk.chips import yard
from desk.chips.drawings import belt_picture
from desk.chips.meter import HOURS, held
from desk.kit.bench import Well, read_wells, render_bench, typed_number
from desk.kit.templatetags.vat import clock, pct
from desk.kit.text import whole
from desk.mill.context import state_of
from desk.mill.in_force import put_address
from desk.mill.ribbon import STATIONS, colour_of, draw_small
from desk.people.rights import may

BENCHES = {
    b.key: b
    for b in (
        Bench(
            "moisture",
            "Moisture on both bases",
            "Wet or dry basis?",
            "chips.moisture",
            "",
            {"moisture_pct": 46.8, "rho_b": 510},
            "wood",
        ),
        Bench(
            "demand",
            "Wood for pulp",
            "Wood on every basis, a tonne or an hour.",
            "chips.demand",
            "",
            {
                "screened_pct": 44,
                "loss_pct": 3,
                "bark_pct": 0.9,
                "fines_pct": 1.4,
                "rho_b": 510,
                "moisture_pct": 46.8,
                "adt_h": 4.7,
            },
            "wood",
        ),
        Bench(
            "feed",
            "Feed to oven-dry wood",
            "Belt scale, volume or screw.",
            "chips.feed",
            "",
            {"reading": 18.6, "moisture_pct": 46.8, "rho_b": 510},
            "wood",
        ),
        Bench(
            "classes",
            "Size and thickness classes",
            "What the classifier found.",
            "chips.classes",
            "",
            {"oversize_pct": 1.0, "over_thick_pct": 9.5, "accept_pct": 81.7, "pin_pct": 6.4, "fines_pct": 1.4, "bark_pct": 0.9},
            "wood",
        ),
        Bench(
            "pile",
            "A cone of chips",
            "Volume, content, days.",
            "chips.pile",
            "",
            {"base_m": 38, "bulk_od": 150, "draw_t_h": 4.6},
            "yard",
            "Never walk on a pile that is being drawn: chips bridge over a hole.",
        ),
        Bench(
            "trap",
            "Stone and metal trap",
            "When is it full?",
            "chips.trap",
            "",
            {"capacity_kg": 150, "wet_t_h": 18.6, "ppm": 25},
            "yard",
            "A metal detector trip stays with people: the belt is started at the belt, by procedure.",
        ),
        Bench(
            "order",
            "Wood for an order",
            "One source of one order, on every basis.",
            "chips.order",
            "",
            {"pulp_t": 25, "screened_pct": 43.6, "loss_pct": 3, "moisture_pct": 46.8, "feed_t_h": 10.35, "yard_t": 2477},
            "wood",
        ),
        Bench(
            "weather",
            "Weather on a pile",
            "Rain and drying: what the skin will weigh on the belt.",
            "chips.weather",
            "",
            {"od_t": 1851, "moisture_pct": 45.4, "area_m2": 2000, "rain_mm": 30},
            "yard",
            "Never walk on a pile that is being drawn: chips bridge over a hole.",
        ),
        Bench(
            "wet-wash",
            "Wet washing",
            "Usable fibre out, pith, ash and sand, and the washer’s water.",
            "chips.wet_wash",
            "",
            {"od_t_h": 3.2, "pith_pct": 12, "solubles_pct": 3, "ash_pct": 2},
            "bagasse",
            "Washer drums and dewatering screws draw in: guards closed, locked out before hands go near.",
        ),
        Bench(
            "depith",
            "Depithing",
            "Fibre, pith, sand, and what leaves.",
            "chips.depith",
            "",
            {"od_t_h": 4.6, "pith_pct": 32, "solubles_pct": 4, "ash_pct": 3},
            "bagasse",
        ),
        Bench(
            "bagasse",
            "Bagasse for pulp",
            "Whole bagasse a tonne of pulp.",
            "chips.bagasse",
            "",
            {"cook_pct": 53, "shrink_pct": 6, "depith_pct": 68, "storage_pct": 5, "moisture_pct": 50},
            "bagasse",
            "Bagasse dust burns and is bad to breathe; wet piles heat inside.",
        ),
    )
}
GROUPS = (("wood", "Wood"), ("yard", "Yard"), ("bagasse", "Bagasse"))
CLASSES = (
    ("c2", 1.5, "1 to 2", 5.0),
    ("c3", 2.5, "2 to 3", 17.0),
    ("c4", 3.5, "3 to 4", 27.5),
    ("c5", 4.5, "4 to 5", 22.5),
    ("c6", 5.5, "5 to 6", 10.5),
    ("c8", 7.0, "6 to 8", 8.0),
    ("c10", 9.0, "8 to 10", 6.9),
    ("c12", 11.0, "10 to 12", 2.6),
)
EDGES = ((1.0, 2.0), (2.0, 3.0), (3.0, 4.0), (4.0, 5.0), (5.0, 6.0), (6.0, 8.0), (8.0, 10.0), (10.0, 12.0))
WELLS = tuple(
    Well(*w)
    for w in (
        ("share_0", "Round wood", "%", 62, 0, 1e6),
        ("share_1", "Sawmill", "%", 38, 0, 1e6),
        ("moisture_0", "Round wood, moisture", "% wet", 48.7, 0, 99),
        ("moisture_1", "Sawmill, moisture", "% wet", 43.8, 0, 99),
        ("rho_0", "Round wood, basic density", "kg/m³", 510, 200, 900),
        ("rho_1", "Sawmill, basic density", "kg/m³", 500, 200, 900),
        ("feed_t_h", "Oven-dry feed", "t/h", 10.35, 0.01, 500),
        ("presteam", "Presteaming at 100 °C", "min", 6, 0, 60),
    )
)
CLASS_WELLS = tuple(Well(k, f"Class {words} mm", "%", start, 0, 100) for k, _, words, start in CLASSES)


def _station(request, state, **more):
    return {"station": "chips", "stations": STATIONS, "small": draw_small(state), **more}


def _cook_of(state) -> tuple[str, CookPlan] | None:
    """The batch cook that the belt feeds: the first of the line with its charge as in force."""
    return next(((k, p) for k, p in state.line.acting.items() if isinstance(p, CookPlan) and p.vessel == "batch"), None)


def _mark(value: float, limits: tuple[float, float]) -> str:
    state = belts.mark_of(value, limits)
    return f"m-{state}" if state else ""


def _to_put(request, state, cook: str, feed_t_h: float) -> str:
    """Where a feed that was typed is put in force: on the one unit that feeds the cook. Empty where it is so already, where
    several feed it, or where this person may not."""
    fed = [unit for unit in state.mill.feed_plans if state.feeds(unit, cook)]
    if len(fed) != 1 or not request.user.may("move"):
        return ""
    shown = state.line.inlets[cook].solids_t_h  # at the moisture that is read; what is set is at the moisture of the set-up
    if abs(feed_t_h - round(shown, 2)) < 1e-6 or shown <= 0.0:
        return ""
    to_set = state.line.acting[fed[0]].for_rate(feed_t_h, shown)
    return put_address(fed[0], {"feed_t_h": f"{to_set:.6g}"}, request)


def _wells(state, cook: str) -> tuple[Well, ...]:
    """The bench's wells; the feed opens at what comes to the cook."""
    fed = round(state.line.inlets[cook].solids_t_h, 2) if cook else 0.0
    return tuple(replace(w, start=fed) if w.name == "feed_t_h" and fed else w for w in WELLS)


def _worked(v: dict, basis: str, plan) -> Worked:
    """The belt as its model works it, in the cook that is in force."""
    case = belts.BeltCase(
        parts=tuple(
            belts.PartRow(share=v[f"share_{i}"], moisture_pct=v[f"moisture_{i}"], rho_b=v[f"rho_{i}"]) for i in range(2)
        ),
        basis=basis,
        classes=tuple(belts.ClassRow(mm=mm, share=v[k]) for k, mm, _, _ in CLASSES),
        presteam_min=v["presteam"],
        feed_t_h=v["feed_t_h"],
        species=plan.species,
        **{name: getattr(plan.charge, name) for name in quantities(Charge)},
        points=tuple(LogPoint(minute=m, temp_c=t) for m, t in plan.points),
    )
    return Worked(model="chips.belt", case=case, result=belts.belt_found(case))


def _well_of(field: str) -> str:
    """The well that a field of the case was typed in; what belongs to none of them stands at the first share."""
    group, _, rest = field.partition(".")
    number, _, name = rest.partition(".")
    if group == "classes":
        return CLASSES[int(number) - 1][0] if number.isdigit() else "c4"
    of_part = {"share": "share", "moisture_pct": "moisture", "rho_b": "rho"}.get(name)
    if group == "parts" and of_part and number.isdigit():
        return f"{of_part}_{int(number) - 1}"
    return {"presteam_min": "presteam", "feed_t_h": "feed_t_h"}.get(field, "share_0")


@require_safe
def belt(request):
    """The larch belt: mix, moisture, thickness, presteaming; kappa of every class in the same cook; piles; what was seen."""
    state = state_of(request)
    if state is None:
        return render(request, "no_mill.html")
    basis = request.GET.get("basis", "green")
    basis = basis if basis in BASES else "green"
    unit, plan = _cook_of(state) or ("", None)
    wells, v = read_wells(request.GET, _wells(state, unit))
    classes, shares = read_wells(request.GET, CLASS_WELLS)
    errors = {w["name"]: w["error"] for w in (*wells, *classes) if w["error"]}
    row = state.mill.plan.get(plan.kappa_row) if plan else None
    band = row.band if row else Band(low=28, high=32, outer_low=26, outer_high=34, target=30)
    context = _station(
        request,
        state,
        basis=basis,
        bases=(("green", "green mass"), ("dry", "dry wood"), ("solid", "solid m³"), ("loose", "loose m³")),
        looks=yard.LOOKS.items(),
        traps=yard.TRAPS.items(),
        feeds=yard.feeds_of(state).items(),
        piles=yard.stands(state),
        counts=yard.counts(state),
        looked=yard.looked(state),
        may_record=request.user.may("record"),
        band=band,
    )
    result = None
    if plan is None:
        errors["share_0"] = "The set-up has no batch cook; an engineer adds one."
    elif not errors:
        try:
            worked = _worked(v | shares, basis, plan)
            result = worked.result.belt
        except ImpossibleInput as refusal:
            labels = {w["name"]: w["label"] for w in wells}
            for name, text in ((_well_of(p.field), p.text) for p in refusal.problems):
                errors[name] = f"{labels[name]} {text}" if name in labels else f"{text[0].upper()}{text[1:]}"
        except CoreError as failure:
            errors["share_0"] = str(failure)
    for w, start in zip((*wells, *classes), (*_wells(state, unit), *CLASS_WELLS), strict=True):
        w["error"] = errors.get(w["name"], w["error"])
        fed = start.name == "feed_t_h" and bool(unit)
        w["source"] = "typed" if w["text"] != f"{start.start:g}" else "solved" if fed else "default"
    context |= {
        "wells": wells,
        "wood": plan.species if plan else "chips",
        "cook_title": next((u.title for u in state.mill.units if u.id == unit), ""),
        "classes": [{**w, "label": words} for w, (_, _, words, _) in zip(classes, CLASSES, strict=True)],
        "errors": errors,
    }
    if result is not None:
        known = [
            (s.pile.name, s.pile.kind, s.now, s.pile.limit_days) for s in context["piles"] if s.now is not None and s.now.layers
        ]
        wood = colour_of(state.solution.enters(unit))[0]
        held = held_case(request.GET.get("held", ""), find("chips.belt"))
        other = case_held(held, find("chips.belt"))
        context |= {
            "b": result,
            "worked": worked,
            "put_in_force": _to_put(request, state, unit, v["feed_t_h"]),
            "held": held,
            "hold_name": f"{plan.species} belt, {clock(state.now)}",
            "marks": {
                "kappa": f"m-{judge(result.uneven.kappa, band, confirmed=True).state.value}",
                "spread": _mark(result.spread, belts.SPREAD_LIMITS),
                "thick": _mark(result.over_thick_pct, belts.OVER_THICK_LIMITS),
            },
            "limit_words": {
                "spread": "good under {:.0%} of the mean, act over {:.0%}".format(*belts.SPREAD_LIMITS).replace("%", " %"),
                "thick": "default: watch over {:.0f} %, act over {:.0f} %".format(*belts.OVER_THICK_LIMITS),
            },
            "dry_words": f"dry basis {result.dry_pct:.1f} %, a full chip {result.full_pct:.0f}",
            "void_words": f"void filled {100.0 * result.steamed.void_filled:.0f} %",
            "shares": [
                (name, [pct(getattr(result.mix, b)[i], 1) for b in ("green", "dry", "solid", "loose")])
                for i, name in enumerate(("Round wood", "Sawmill"))
            ],
            "p": belt_picture(
                result.uneven,
                result.after,
                [(k, shares[k]) for k, *_ in CLASSES],
                EDGES,
                known,
                band,
                result.dry_pct,
                result.full_pct,
                wood,
                belts.belt(other).uneven if other is not None else None,
            ),
        }
    return render_bench(request, "chips/belt", context)


@require_safe
def meter(request):
    """The chip meters against the pulp that was made of their wood over the last hours."""
    state = state_of(request)
    if state is None:
        return render(request, "no_mill.html")
    hours = float(whole(request.GET.get("hours", ""), 2, 72) or HOURS)
    context = _station(request, state, held=held(state, hours), hours=hours, spans=(4, 8, 24, 48), metering=True)
    return render(request, "chips/meter.html", context)


@require_POST
@may("record")
def note(request):
    """Keep what came into the yard, a survey, a stone or a metal trip, or what a feed looked like."""
    state = state_of(request)
    if state is None:
        raise Http404
    text = request.POST.get("value", "").strip()
    kept_back = urlencode({f"kept_{name}": request.POST.get(name, "")[:300] for name in ("what", "where", "value", "words")})
    try:
        value = typed_number(text) if text else None
        kept = yard.keep(
            state=state,
            what=request.POST.get("what", ""),
            where=request.POST.get("where", ""),
            value=value,
            words=request.POST.get("words", "").strip()[:300],
            by=request.user,
            now=request.now,
        )
    except ValueError:
        messages.error(request, f"Not kept. Wood is “{text}”; it must be a number of t oven-dry.")
    except yard.YardRefused as refusal:
        messages.error(request, f"Not kept. {refusal}")
    else:
        messages.success(request, f"Kept: {kept.says}." + (f" {kept.data['does']}" if kept.data.get("does") else ""))
        return redirect("chips:belt")
    return redirect(f"{reverse('chips:belt')}?{kept_back}#kh")


bench = bench_view("chips", BENCHES, _station)
