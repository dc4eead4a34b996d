"""Pulpers on the schedule's clock: when each coming batch is to be loaded so that its chest is never short or over."""

from dataclasses import replace

from django.urls import reverse

from core.errors import Infeasible
from core.recovered.pulper import NextCase, next_batch
from desk.kit.lane import Bar, Bars, Lane, Stands
from desk.recovered.batches import batches, chest_now, draw_of

MOST = 200


def coming_batches(state, vat, hours: float) -> list[tuple[float, float]]:
    """From and to of every coming batch, h: each is begun when the chest has room for it once it is dumped, the chest being
    drawn as it is now. Nothing where nothing is drawn, or no batch was kept to go by."""
    draw = draw_of(state, vat)
    kept = batches(vat.key) if draw > 0.0 else []
    if not kept:
        return []
    od_t = kept[0].record.data["od_t"]
    level, _ = chest_now(state, vat, kept)
    case = NextCase(
        chest_m3=vat.chest_m3,
        chest_pct=vat.chest_pct,
        level_pct=level,
        draw_t_h=draw,
        batch_t=od_t,
        minutes=vat.minutes,
        low_pct=vat.low_pct,
        high_pct=vat.high_pct,
        temp_c=vat.temp_c,
    )
    told: list[tuple[float, float]] = []
    at_h = 0.0
    while at_h < hours and len(told) < MOST:
        found = next_batch(case)
        if isinstance(found, Infeasible):
            break
        begins = at_h + max(0.0, found.earliest_min) / 60.0
        ends = begins + vat.minutes / 60.0
        if begins >= hours:
            break
        told.append((begins, ends))
        fallen = case.level_pct - 100.0 * draw * (ends - at_h) / found.full_t
        case = replace(case, level_pct=min(100.0, max(0.0, fallen + found.rises_pct)))
        at_h = ends
    return told


def lanes(state, hours: float, stands: tuple[Stands, ...]) -> list[Lane]:
    rows, names = [], []
    for vat in state.mill.vats.values():
        told = coming_batches(state, vat, hours)
        if told:
            href = f"{reverse('recovered:pulper')}?vat={vat.key}"
            rows.append(tuple(Bar(a, b, str(k), href=href) for k, (a, b) in enumerate(told, start=1)))
            names.append(vat.source)
    return [Bars("Pulpers", "batches", tuple(rows), tuple(names), counted=True)] if rows else []
