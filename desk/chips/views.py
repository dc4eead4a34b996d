"""Chips: the belt as it is fed, on every basis; its thickness; what the pulp becomes of it; piles and their age."""

from django.http import Http404
from django.shortcuts import render
from django.urls import reverse
from django.views.decorators.http import require_safe

from core.chips.piles import Receipt, what_is_left
from core.chips.wood import BASES, Part, dry_basis, full_pct, mix_wood
from core.cook import thickness
from core.cook.kinetic import Charge
from core.errors import CoreError, ImpossibleInput, Problem
from core.judge.band import Band, judge
from desk.cases.benches import Bench, bench_page
from desk.chips.drawings import belt_picture
from desk.kit.bench import render_bench, typed_number
from desk.mill.context import state_of
from desk.mill.ribbon import STATIONS, colour_of, draw_small

BENCHES = {
    b.key: b
    for b in (
        Bench("moisture", "Moisture on both bases", "Wet or dry basis?", "chips.moisture", "", {"moisture_pct": 46.8, "rho_b": 510}, "wood"),
        Bench("demand", "Wood for pulp", "Wood on every basis, a tonne or an hour.", "chips.demand", "", {"screened_pct": 44, "loss_pct": 3, "bark_pct": 0.9, "fines_pct": 1.4, "rho_b": 510, "moisture_pct": 46.8, "adt_h": 4.7}, "wood"),
        Bench("feed", "Feed to oven-dry wood", "Belt scale, volume or screw.", "chips.feed", "", {"reading": 18.6, "moisture_pct": 46.8, "rho_b": 510}, "wood"),
        Bench("classes", "Size and thickness classes", "What the classifier found.", "chips.classes", "", {"oversize_pct": 1.0, "over_thick_pct": 9.5, "accept_pct": 81.7, "pin_pct": 6.4, "fines_pct": 1.4, "bark_pct": 0.9}, "wood"),
        Bench("pile", "A cone of chips", "Volume, content, days.", "chips.pile", "", {"base_m": 38, "bulk_od": 150, "draw_t_h": 4.6}, "yard", "Never walk on a pile that is being drawn: chips bridge over a hole."),
        Bench("trap", "Stone and metal trap", "When is it full?", "chips.trap", "", {"capacity_kg": 150, "wet_t_h": 18.6, "ppm": 25}, "yard", "A metal detector trip stays with people: the belt is started at the belt, by procedure."),
        Bench("order", "Wood for an order", "One source of one order, on every basis.", "chips.order", "", {"pulp_t": 25, "screened_pct": 43.6, "loss_pct": 3, "moisture_pct": 46.8, "feed_t_h": 10.35, "yard_t": 2477}, "wood"),
        Bench("weather", "Weather on a pile", "Rain and drying: what the skin will weigh on the belt.", "chips.weather", "", {"od_t": 1851, "moisture_pct": 45.4, "area_m2": 2000, "rain_mm": 30}, "yard", "Never walk on a pile that is being drawn: chips bridge over a hole."),
        Bench("wet-wash", "Wet washing", "Usable fibre out, pith, ash and sand, and the washer’s water.", "chips.wet_wash", "", {"od_t_h": 3.2, "pith_pct": 12, "solubles_pct": 3, "ash_pct": 2}, "bagasse", "Washer drums and dewatering screws draw in: guards closed, locked out before hands go near."),
        Bench("depith", "Depithing", "Fibre, pith, sand, and what leaves.", "chips.depith", "", {"od_t_h": 4.6, "pith_pct": 32, "solubles_pct": 4, "ash_pct": 3}, "bagasse"),
        Bench("bagasse", "Bagasse for pulp", "Whole bagasse a tonne of pulp.", "chips.bagasse", "", {"cook_pct": 53, "shrink_pct": 6, "depith_pct": 68, "storage_pct": 5, "moisture_pct": 50}, "bagasse", "Bagasse dust burns and is bad to breathe; wet piles heat inside."),
    )
}  # fmt: skip
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
LOOKS = (
    ("even", "An even mat fills the washer or feeder", "Loaded as it should be.", "watch"),
    (
        "starved",
        "Gaps, the feeder chatters",
        "Starved: H and liquor run ahead of the wood. Look at the bin and the screw, then at the level below.",
        "act",
    ),
    ("flooded", "Heaped, spilling back", "Flooded: uneven steam and dry cores. Cut the feed before anything else.", "act"),
    (
        "stones",
        "Rattle, sparks, bright marks",
        "Stone or metal: stop by procedure, empty the trap locked out; look at the detector’s log.",
        "act",
    ),
    ("ice", "Lumps, frost on the chips", "Frozen: steam longer, expect a cold core and slow penetration.", "watch"),
    (
        "rot",
        "Grey, smoking, sour smell",
        "Old wood from the core of the pile: mix it in thin, expect dark pulp and alkali taken.",
        "watch",
    ),
)
START = {
    "share_0": 62,
    "share_1": 38,
    "moisture_0": 48.7,
    "moisture_1": 43.8,
    "rho_0": 510,
    "rho_1": 500,
    "feed_t_h": 9.9,
    "presteam": 6,
    "bark": 0.9,
}
LARCH_CHARGE = Charge(ea_pct_naoh=18.0, sulphidity_pct=28.4, lw_m3_t=4.1)
LARCH_PLAN = ((0.0, 80.0), (35.0, 116.0), (50.0, 116.0), (95.0, 170.0), (185.0, 170.0))
LABELS = {
    "share_0": ("Round wood", "%", 0, 1e6), "share_1": ("Sawmill", "%", 0, 1e6), "moisture_0": ("Round wood, moisture", "% wet", 0, 99), "moisture_1": ("Sawmill, moisture", "% wet", 0, 99),
    "rho_0": ("Round wood, basic density", "kg/m³", 200, 900), "rho_1": ("Sawmill, basic density", "kg/m³", 200, 900), "feed_t_h": ("Oven-dry feed", "t/h", 0.01, 500), "presteam": ("Presteaming at 100 °C", "min", 0, 60), "bark": ("Bark", "%", 0, 100),
}  # fmt: skip
PILES = (
    ("Larch, round wood", "plane", 1851.0, 5.9, ((1, 240), (3, 300), (5, 330), (7, 340), (9, 330), (11, 320), (13, 330)), 60.0),
    ("Larch, sawmill", "plane", 626.0, 4.0, ((1, 110), (2, 150), (4, 160), (5, 150), (7, 170)), 60.0),
    ("Alder", "cone", 974.0, 4.6, ((2, 120), (9, 180), (71, 800)), 45.0),
)


def _station(request, state, **more):
    return {"station": "chips", "stations": STATIONS, "small": draw_small(state), **more}


def _read(request, names: dict) -> tuple[dict, dict, dict]:
    typed = {k: request.GET.get(k, f"{v:g}") for k, v in names.items()}
    values, errors = {}, {}
    for k, text in typed.items():
        label, unit, low, high = LABELS.get(k, (f"Class {k}", "%", 0, 100))
        try:
            values[k] = typed_number(text)
        except ValueError:
            errors[k] = f"{label} is “{text}”; it must be a number of {unit}"
            continue
        if not low <= values[k] <= high:
            hint = " On dry basis?" if k.startswith("moisture") and values[k] > 99 else ""
            errors[k] = f"{label} is {values[k]:g} {unit}; it must be {low:g} to {high:g} {unit}.{hint}"
    return typed, values, errors


def _wood(state) -> str:
    """The colour of the larch on the belt: the one the ribbon paints it with."""
    return colour_of(state.solution.enters("K.larch.chips"))[0]


def _steam(minutes: float, chip: dict) -> thickness.Presteamed:
    return thickness.presteam(thickness.PresteamCase(minutes=minutes, **chip))


def _cooked(v: dict, steamed: thickness.Presteamed) -> thickness.Uneven:
    """Every class in the larch cook of the plan, filled as far as the steaming lets the liquor in."""
    filled = max(0.3, steamed.void_filled)
    return thickness.cook_classes(
        "larch",
        LARCH_CHARGE,
        LARCH_PLAN,
        tuple(thickness.ChipClass(mm=mm, share=v[k], penetration=filled) for k, mm, _, _ in CLASSES),
    )


@require_safe
def belt(request):
    """The larch belt: mix, moisture, thickness, presteaming; kappa of every class in the same cook; piles."""
    state = state_of(request)
    if state is None:
        return render(request, "no_mill.html")
    basis = request.GET.get("basis", "green")
    basis = basis if basis in BASES else "green"
    names = {**START, **{k: start for k, _, _, start in CLASSES}}
    typed, v, errors = _read(request, names)
    context = _station(
        request,
        state,
        basis=basis,
        bases=(("green", "green mass"), ("dry", "dry wood"), ("solid", "solid m³"), ("loose", "loose m³")),
        looks=LOOKS,
        look=next((x for x in LOOKS if x[0] == request.GET.get("look")), None),
    )
    mix = uneven = steamed = after = None
    if not errors:
        try:
            mix = mix_wood(
                (
                    Part(name="round wood", share=v["share_0"], moisture_pct=v["moisture_0"], rho_b=v["rho_0"]),
                    Part(name="sawmill", share=v["share_1"], moisture_pct=v["moisture_1"], rho_b=v["rho_1"]),
                ),
                basis,
            )
            whole = sum(v[k] for k, *_ in CLASSES)
            if abs(whole - 100.0) > 0.5:
                raise ImpossibleInput(Problem("c4", f"the classes sum to {whole:g} %; they must make 100 ± 0.5 %"))
            chip = {"rho_b": mix.rho_b, "u_pct": min(250.0, dry_basis(mix.moisture_pct))}
            steamed, longer = _steam(v["presteam"], chip), min(60.0, v["presteam"] + 5.0)
            uneven, after = _cooked(v, steamed), _cooked(v, _steam(longer, chip))
        except ImpossibleInput as refusal:
            errors |= {p.field: f"{p.text[0].upper()}{p.text[1:]}" for p in refusal.problems}
        except CoreError as failure:
            errors["share_0"] = str(failure)
    row = state.mill.plan.get("K.larch_blow.kappa")
    band = row.band if row else Band(low=28, high=32, outer_low=26, outer_high=34, target=30)
    context |= {
        "wells": [(k, LABELS[k][0], LABELS[k][1], typed[k], errors.get(k, "")) for k in START], "classes": [(k, words, typed[k], errors.get(k, "")) for k, _, words, _ in CLASSES], "errors": errors, "band": band,
        "over_thick": v.get("c10", 0) + v.get("c12", 0), "accept": sum(v.get(k, 0) for k in ("c3", "c4", "c5", "c6", "c8")),
    }  # fmt: skip
    if uneven is not None:
        piles = [
            (
                name,
                kind,
                what_is_left(
                    tuple(Receipt(days_ago=d, od_t=t) for d, t in receipts), inventory, draw, first_in_first_out=kind == "plane"
                ),
                limit,
            )
            for name, kind, inventory, draw, receipts, limit in PILES
        ]
        wet = v["feed_t_h"] / (1 - mix.moisture_pct / 100.0)
        context |= {
            "mix": mix, "u": uneven, "after": after, "steamed": steamed, "longer": longer, "judged": judge(uneven.kappa, band, confirmed=True), "spread": uneven.kappa_sd / uneven.kappa, "wet_t_h": wet, "loose_m3_h": 1000.0 * v["feed_t_h"] / mix.bulk_od,
            "dry_pct": dry_basis(mix.moisture_pct), "full": full_pct(mix.rho_b), "shares": [(name, [100 * getattr(mix, b)[i] for b in ("green", "dry", "solid", "loose")]) for i, name in enumerate(("Round wood", "Sawmill"))],
            "p": belt_picture(uneven, after, [(k, v[k]) for k, *_ in CLASSES], EDGES, piles, band, dry_basis(mix.moisture_pct), full_pct(mix.rho_b), _wood(state)), "worst_share": 100 * sum(c.rejects for c in uneven.classes if c.mm > 8) / uneven.rejects if uneven.rejects else 0.0, "piles": piles,
        }  # fmt: skip
    return render_bench(request, "chips/belt", context)


@require_safe
def bench(request, key: str):
    state = state_of(request)
    if key not in BENCHES or state is None:
        raise Http404
    return bench_page(
        request,
        BENCHES[key],
        address=lambda k: reverse("chips:bench", args=[k]),
        benches=BENCHES.values(),
        pictures={},
        context=_station(request, state),
        seg="chips/seg.html",
    )
