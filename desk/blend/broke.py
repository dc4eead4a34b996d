"""Broke by shade, as it stands in its tower and in the yard, and how it is used up: kept apart or thrown together."""

from django.shortcuts import redirect, render
from django.views.decorators.http import require_safe

from core.blend.broke import SUITS, Store, UseCase, use_up
from core.colour import ks_from_reflectance
from core.errors import ImpossibleInput
from core.unit import Worked
from desk.blend.pulps import limits_of, pulps_now
from desk.kit.bench import Well, read_wells, refuse_well, render_bench
from desk.kit.svg import n
from desk.kit.templatetags.vat import figure
from desk.mill.context import state_of
from desk.mill.ribbon import STATIONS, draw_small
from desk.recovered import bales

ROOM_T, DARK_ISO, DARK_S, HOURS = 60.0, 45.0, 42.0, 24.0
LEFT, WIDE, TOP, PITCH = 150.0, 400.0, 40.0, 64.0


def broke_source(state) -> str:
    """The source that is fed with broke: it takes no raw material; none of a mill without."""
    return next((k for k, s in state.mill.sources.items() if s.raw_wet_t_t == 0.0 and not s.spare), "")


def _stores(state, key: str, pulp) -> list[dict]:
    """The tower, then every kind of broke in the yard: what there is, room, what comes, its light, whether it suits."""
    vessel = state.vessels.get(state.mill.sources[key].vessel)
    told = []
    if vessel is not None:
        told.append(
            {
                "name": vessel.vessel.name,
                "t": vessel.content_t,
                "full": vessel.vessel.full_t,
                "made": vessel.rate_in,
                "iso": 100.0 * _iso(pulp.k457 / pulp.s457),
                "s": pulp.s457,
                "suits": SUITS[0],
                "from": "as it stands",
            }
        )
    for kind in (s for s in bales.standings(state) if s.kind.sort == "broke"):
        suits = SUITS[0] if kind.kind.shade in ("", "white") else SUITS[1]
        told.append(
            {
                "name": kind.kind.name,
                "t": kind.free_t,
                "full": max(ROOM_T, kind.free_t),
                "made": 0.0,
                "iso": 100.0 * _iso(pulp.k457 / pulp.s457) if suits == SUITS[0] else DARK_ISO,
                "s": DARK_S,
                "suits": suits,
                "from": "yard",
            }
        )
    return told


def _iso(ks: float) -> float:
    return float(1.0 + ks - (ks * ks + 2.0 * ks) ** 0.5)


@require_safe
def broke(request):
    """Both schools of broke at the running grade, from what the tower and the yard hold."""
    state = state_of(request)
    if state is None:
        return render(request, "no_mill.html")
    key = broke_source(state)
    if not key:
        return redirect("blend:bench", "use-up")
    now = pulps_now(state, HOURS)
    own = now[key].pulp
    stores = _stores(state, key, own)
    rest = [p.pulp for k, p in now.items() if k != key]
    share = sum(p.share_pct for p in rest) or 1.0
    k, s = (sum(p.share_pct * getattr(p, f) for p in rest) / share for f in ("k457", "s457"))
    dearest = max((p.price for p in rest if p.share_pct > 0.0), default=own.price)
    opening = [
        Well("hours", "This grade runs", "h", HOURS, 0.1, 1000),
        Well("most", "Broke, at most", "%", own.high_pct, 0, 100),
        Well("iso", "Brightness, at least", "% ISO", max(1.0, limits_of(state.grade)["iso_least"]), 1, 99),
        Well("saves", "A tonne of it saves", "a t", round(dearest - own.price, 0), -10_000, 10_000),
    ]
    for i, x in enumerate(stores):
        opening += [
            Well(f"t{i}", f"{x['name']}, stored", "t OD", round(x["t"], 1), 0, 10_000),
            Well(f"full{i}", f"{x['name']}, room", "t OD", round(x["full"], 1), 0.1, 10_000),
            Well(f"made{i}", f"{x['name']}, comes", "t/h OD", round(x["made"], 2), 0, 200),
            Well(f"iso{i}", f"{x['name']}, brightness", "% ISO", round(x["iso"], 1), 5, 95),
        ]
    wells, v = read_wells(request.GET, opening)
    starts = {w.name: f"{w.start:g}" for w in opening}
    where = {"hours": "default", "most": "set-up", "iso": "card", "saves": "dearest pulp less broke"}
    for w in wells:
        number = w["name"].lstrip("tfulmadeiso")
        at = where.get(w["name"]) or (stores[int(number)]["from"] if w["name"].startswith(("t", "made")) else "default")
        w["source"] = "typed" if w["text"] != starts[w["name"]] else at
    context = {
        "station": "blend",
        "stations": STATIONS,
        "small": draw_small(state),
        "wells": wells,
        "first": wells[:4],
        "groups": [],
        "on_broke": True,
    }
    suits = []
    for i, x in enumerate(stores):
        asked = request.GET.get(f"suits{i}", x["suits"])
        suits.append(asked if asked in SUITS else x["suits"])
        context["groups"].append({"name": x["name"], "i": i, "suits": suits[-1], "wells": wells[4 + 4 * i : 8 + 4 * i]})
    context["kinds"] = SUITS
    if not any(w["error"] for w in wells):
        case = UseCase(
            draw_t_h=max(0.01, state.draw.solids_t_h),
            hours=v["hours"],
            most_pct=v["most"],
            iso_least=v["iso"],
            rest_k=k,
            rest_s=s,
            saves=v["saves"],
            stores=tuple(
                Store(
                    name=x["name"],
                    t=v[f"t{i}"],
                    full_t=v[f"full{i}"],
                    made_t_h=v[f"made{i}"],
                    k457=x["s"] * ks_from_reflectance(v[f"iso{i}"] / 100.0),
                    s457=x["s"],
                    suits=suits[i],
                )
                for i, x in enumerate(stores)
            ),
        )
        try:
            found = use_up(case)
            context |= {
                "worked": Worked(model="blend.use_up", case=case, result=found),
                "p": _picture(case, found),
                "minds": [c.text for c in found.cautions],
            }
        except ImpossibleInput as refusal:
            for p in refusal.problems:
                refuse_well(wells, OF_FIELD.get(p.field, "hours"), p.text)
    context["errors"] = [w["error"] for w in wells if w["error"]]
    return render_bench(request, "blend/broke", context)


OF_FIELD = {"most_pct": "most", "iso_least": "iso"}


def _picture(case: UseCase, found) -> dict:
    """A bar a store, kept apart: used, left, over its room; the room as a post."""
    whole = [x.t + x.made_t_h * case.hours for x in case.stores]
    most = max([*whole, *(x.full_t for x in case.stores), 0.1])
    rows = []
    for i, (store, used) in enumerate(zip(case.stores, found.stores, strict=True)):
        y, px = TOP + PITCH * i, WIDE / most
        rows.append(
            {
                "name": store.name,
                "y": n(y),
                "text_y": n(y + 17),
                "under_y": n(y + 42),
                "used": {"x": n(LEFT), "w": n(px * used.used_t)},
                "left": {"x": n(LEFT + px * used.used_t), "w": n(px * used.left_t)},
                "over": {"x": n(LEFT + px * (used.used_t + used.left_t)), "w": n(px * used.over_t)},
                "room": n(LEFT + px * store.full_t),
                "words": f"used {figure(used.used_t, 1)}, left {figure(used.left_t, 1)}"
                + (f", over {figure(used.over_t, 1)}" if used.over_t > 0.0 else "")
                + f" t; {figure(used.share_pct, 1)} % of the furnish",
            }
        )
    return {"rows": rows, "height": n(TOP + PITCH * len(rows) + 10)}
