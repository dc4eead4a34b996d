"""A vessel: level through the day and ahead, what lies in it by age, how it mixes, what it rides out, its agitator."""

import math
from bisect import bisect_right
from dataclasses import replace
from datetime import datetime, timedelta

from django.http import Http404
from django.shortcuts import render
from django.views.decorators.http import require_safe

from core.errors import ImpossibleInput, Infeasible
from core.mill.document import Vessel
from core.quantity import quantities
from core.stock.agitation import AgitationCase, agitation
from core.stock.cover import CoverCase, Leg, Piece, cover_of, forecast
from core.stock.layers import LayersCase, LevelStep, layers
from core.stock.mixing import MixingCase, mixing
from core.unit import Worked
from desk.instruments.models import Signal
from desk.instruments.store import series
from desk.kit.bench import Well, read_wells, refuse_well, render_bench
from desk.log.models import Kind, Record
from desk.mill.context import state_of
from desk.mill.ribbon import STATIONS, draw_small
from desk.mill.standing import TRUSTED
from desk.stock.benches import BENCHES, GROUPS
from desk.stock.vessel_drawings import layers_picture, level_picture

BACK, AHEAD = timedelta(hours=48), timedelta(hours=12)
EVERY_MIN = 30
TELLS = ("brightness", "freeness")  # tests whose results are put beside the layers
BROWN = ("kappa",)  # of a line that is not bleached
SHORT_FIBRE = "hardwood or recycled"
TYPED_RATES = frozenset({"level", "into", "out"})


def _wells(now) -> tuple[Well, ...]:
    v, said = now.vessel, quantities(Vessel)
    return (
        Well("level", "Level", "%", round(now.level_pct, 1), 0, 100),
        Well("into", "In", "t/h OD", round(now.rate_in, 2), 0, 10_000),
        Well("out", "Out", "t/h OD", round(now.rate_out, 2), 0, 10_000),
        Well("cons", "Consistency", "%", v.cons_pct, *said["cons_pct"].possible),
        Well("mixed", "Of its content mixed", "%", v.mixed_pct, 0, 100),
        Well("kw", "Agitators draw", "kW", v.agitator_kw, 0, 5000),
        Well("swing", "A swing comes every", "min", 30, 0.1, 10_000),
    )


def out_of(v: Vessel, pieces: tuple[Piece, ...], a_h: float, b_h: float) -> float:
    """What was drawn on average between two times of a schedule, t/h."""
    drawn, start = 0.0, 0.0
    for p in pieces:
        drawn += p.rate_out * max(0.0, min(b_h, p.until_h) - max(a_h, start))
        start = p.until_h
    return drawn / (b_h - a_h)


def record_of(state, now) -> list[tuple[datetime, float]]:
    """Levels of the last two days, oldest first, the last of them now."""
    signal = Signal.objects.filter(tag=f"level.{now.vessel.key}").first()
    if signal is None:
        return []
    buckets = int(BACK.total_seconds() // 60 // EVERY_MIN)
    told = [
        (datetime.fromtimestamp(b.at_ms / 1000.0, tz=state.now.tzinfo), b.mean)
        for b in series(signal, state.now - BACK, state.now, buckets)
    ]
    return [(at, level) for at, level in told if at < state.now - timedelta(minutes=1)] + [(state.now, now.level_pct)]


def layers_case(state, v: Vessel, told: list[tuple[datetime, float]], mixed_pct: float) -> LayersCase | None:
    """What the record says came in and went; None of a vessel with less than two levels."""
    if len(told) < 2:
        return None
    pieces = state.pieces_since(v, told[0][0])
    hours = [(at - told[0][0]).total_seconds() / 3600.0 for at, _ in told]
    steps = tuple(
        LevelStep(hours=b - a, level_pct=min(100.0, max(0.0, level)), rate_out=out_of(v, pieces, a, b))
        for a, b, (_, level) in zip(hours, hours[1:], told[1:], strict=False)
    )
    return LayersCase(capacity=v.full_t, level_pct=min(100.0, max(0.0, told[0][1])), mixed_pct=mixed_pct, steps=steps)


def results_of(state, v: Vessel, since: datetime) -> list[Record]:
    """Results of the pulp that fills it, since a time: brightness and freeness of its unit's line, kappa of a brown one."""
    unit = next((u for u in state.mill.units if u.id == v.unit), None)
    own = [r for r in state.mill.plan.values() if unit and unit.line and r.line == unit.line]
    rows = {r.id for r in own if r.test in TELLS} or {r.id for r in own if r.test in BROWN}
    kept = Record.objects.current().filter(
        kind=Kind.RESULT, subject__in=rows, status__in=TRUSTED, at__gte=since, at__lte=state.now, value__isnull=False
    )
    return list(kept.order_by("at", "id"))


def _ahead(state, v: Vessel, case, level: float) -> list[tuple[float, float]]:
    """Hours ahead and level %, through what is planned or at rates that stand."""
    hours = AHEAD.total_seconds() / 3600.0
    if isinstance(case, CoverCase):
        legs: tuple[Leg, ...] = (Leg(hours=hours, rate_in=case.rate_in, rate_out=case.rate_out),)
    else:
        legs = state.through_the_plan(v, level).legs
    pieces, until = [], 0.0
    for leg in legs:
        until += leg.hours
        pieces.append(Piece(until, leg.rate_in, leg.rate_out))
        if until >= hours:
            break
    pieces[-1] = replace(pieces[-1], until_h=min(pieces[-1].until_h, hours))
    full = v.full_t
    course = forecast(content=full * level / 100.0, low=0.0, high=full, pieces=tuple(pieces), holds_at_high=True)
    return [(h, 100.0 * content / full) for h, content in course.points]


@require_safe
def vessel(request, vessel_key: str):
    """One vessel as it stands, with what is typed of it tried."""
    state = state_of(request)
    if state is None:
        return render(request, "no_mill.html")
    if vessel_key not in state.mill.vessels:
        raise Http404
    now = state.vessels.get(vessel_key)
    base = {
        "station": "stock",
        "stations": STATIONS,
        "small": draw_small(state),
        "groups": GROUPS,
        "benches": BENCHES.values(),
        "rows": True,
        "key": vessel_key,
        "vessel": state.mill.vessels[vessel_key],
        "others": [(k, v.vessel.name) for k, v in state.vessels.items()],
    }
    if now is None:
        return render(request, "stock/vessel_unread.html", base)
    opening = _wells(now)
    wells, v = read_wells(request.GET, opening)
    starts = {w.name: f"{w.start:g}" for w in opening}
    typed = {w["name"] for w in wells if w["text"] != starts[w["name"]]}
    where = {
        "level": f"read {now.read_pct:.0f} % at {now.read_at:%H:%M}",
        **dict.fromkeys(("into", "out"), "as the line runs"),
        "swing": "default",
    }
    for w in wells:
        w["source"] = "typed" if w["name"] in typed else where.get(w["name"], "set-up")
    context = base | {"now": now, "wells": wells}
    if not any(w["error"] for w in wells):
        try:
            context |= _worked(state, now, v, typed)
        except ImpossibleInput as refusal:
            for p in refusal.problems:
                refuse_well(wells, OF_FIELD.get(p.field, "level"), p.text)
    context["errors"] = [w["error"] for w in wells if w["error"]]
    return render_bench(request, "stock/vessel", context)


OF_FIELD = {"level_pct": "level", "rate_in": "into", "rate_out": "out", "mixed_pct": "mixed", "kw": "kw", "cons_pct": "cons"}


def _worked(state, now, v: dict[str, float], typed: set[str]) -> dict:
    """Cover, layers, mixing and agitation with what is typed, and their pictures."""
    vessel = now.vessel
    case = now.case
    if typed & TYPED_RATES:
        case = CoverCase(
            capacity=vessel.full_t,
            level_pct=v["level"] if "level" in typed else now.level_pct,
            rate_in=v["into"] if "into" in typed else now.rate_in,
            rate_out=v["out"] if "out" in typed else now.rate_out,
            lead_h=vessel.lead_h,
        )
    tried = replace(now, level_pct=case.level_pct, case=case, cover=cover_of(case))
    told = record_of(state, now)
    lain = layers_case(state, vessel, told, v["mixed"])
    found = layers(lain) if lain else None
    volume = tried.volume_m3
    rate_out = case.rate_out if isinstance(case, CoverCase) else now.rate_out
    flow = 100.0 * rate_out / v["cons"]
    mixed = volume * v["mixed"] / 100.0
    smooth = None
    if mixed > 0.0 and flow > 0.0:
        one = MixingCase(volume_m3=mixed, flow_m3_h=flow, active_pct=85.0, period_min=v["swing"])
        done = mixing(one)
        smooth = None if isinstance(done, Infeasible) else Worked(model="stock.mixing", case=one, result=done)
    stirred = None
    if v["kw"] > 0.0 and mixed > 0.0:
        unit = next((u for u in state.mill.units if u.id == vessel.unit), None)
        parts = state.solution.enters(unit.id) if unit is not None else None
        pulp = "softwood" if parts is None or parts["LF"] >= 0.5 * parts.fibre_t_h else SHORT_FIBRE
        stir = AgitationCase(volume_m3=mixed, cons_pct=v["cons"], kw=v["kw"], pulp=pulp)
        stirred = Worked(model="stock.agitation", case=stir, result=agitation(stir))
    ahead = _ahead(state, vessel, case, case.level_pct)
    results = results_of(state, vessel, told[0][0]) if told else []
    minds = [c.text for c in (*(found.cautions if found else ()), *(stirred.result.cautions if stirred else ()))]
    return {
        "tried": tried,
        "worked": Worked(model=tried.model, case=case, result=tried.cover),
        "lain": Worked(model="stock.layers", case=lain, result=found) if found else None,
        "left_at": state.now - timedelta(hours=found.leaves_h) if found else None,
        "smooth": smooth,
        "stirred": stirred,
        "show": {"empty": "to_low_h", "full": "to_high_h"}.get(tried.cover.way, "content"),
        "act_at": state.now + timedelta(hours=max(0.0, tried.act_by_h)) if math.isfinite(tried.act_by_h) else None,
        "lv": level_picture(state, told, ahead, case, tried.cover.hours),
        "ly": layers_picture(state, vessel, found, case.level_pct, results, _layer_of(found, state.now)) if found else None,
        "minds": minds,
    }


def _layer_of(found, now: datetime):
    """Which layer a time lies in, by its number; None of none."""
    ends = sorted(((layer.newest_h, i) for i, layer in enumerate(found.layers)))
    hours = [h for h, _ in ends]

    def of(at: datetime) -> int | None:
        ago = (now - at).total_seconds() / 3600.0
        i = bisect_right(hours, ago) - 1
        if i < 0:
            return None
        layer = found.layers[ends[i][1]]
        return ends[i][1] if layer.oldest_h is None or ago <= layer.oldest_h else None

    return of
