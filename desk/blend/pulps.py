"""The pulps of the furnish as they stand now: light, freeness and ash from the line, strength from its refiners, what is not
computed from the set-up; how much of each its line and vessel can give."""

import math
from dataclasses import dataclass, replace

from core.blend.furnish import NO_CSF, NO_LEAST, NO_MOST, BlendCase, Forecast, Pulp, spread
from core.blend.mix import Source
from core.colour import brightness_from_ks
from core.mill.document import FurnishSource, Grade
from core.quantity import quantities
from core.stock.cover import USABLE_HIGH_PCT, USABLE_LOW_PCT
from core.stream import INDEX
from desk.log.models import Kind, Record

NOTHING_T_H, SOME_FILLER = 1e-6, 0.005
QUALITY = (
    ("iso_least", "brightness", "low", NO_LEAST),
    ("iso_most", "brightness", "high", NO_MOST),
    ("csf_least", "freeness", "low", NO_LEAST),
    ("csf_most", "freeness", "high", NO_CSF),
    ("ash_most", "ash", "high", NO_MOST),
)
MOST_RESULTS = 120
SDS = {"iso_pct": "iso_sd", "csf_ml": "csf_sd", "ash_pct": "ash_sd"}
LAB = {"iso_pct": "brightness", "csf_ml": "freeness", "ash_pct": "ash"}
OF_GRADE = ("tensile_least", "stickies_most", "recycled_least")


def limits_of(grade: Grade) -> dict[str, float]:
    """The limits that a grade's card sets for its furnish, by the fields of the case."""
    bands = {t.key: t.band for t in grade.tests}
    result = {}
    for field, key, side, none in QUALITY:
        value = getattr(bands[key], side) if key in bands else None
        result[field] = none if value is None or not math.isfinite(value) else float(value)
    return result | {field: float(getattr(grade, field)) for field in OF_GRADE}


@dataclass(frozen=True)
class Now:
    """A pulp of the furnish with its source and where its figures come from."""

    source: FurnishSource
    pulp: Pulp
    light_from: str
    made_t_h: float


def source_now(state, key: str) -> Source:
    """A source's pulp as the line makes it; as the set-up has it while nothing flows."""
    own = state.mill.sources[key]
    told = own.source
    stream = state.solution.drawn_from(own.tower or own.unit)
    if stream.solids_t_h <= NOTHING_T_H:
        return told
    filler = float(stream.flows[INDEX["FL"]]) / stream.solids_t_h
    return replace(
        told,
        iso_pct=brightness_from_ks(stream.quality.ks),
        s457=stream.quality.s457,
        csf_ml=stream.quality.csf_ml,
        ash_pct=100.0 * filler if filler > SOME_FILLER else told.ash_pct,
    )


def _worked(state, line: str, name: str) -> float | None:
    """The newest figure of this name that a unit of a line works out, down the line."""
    found = None
    for u in state.mill.units:
        acts = state.line.acts.get(u.id)
        if acts is None or u.line != line:
            continue
        for w in acts.worked:
            found = getattr(w.result, name, found)
    return found


def pulps_now(state, reach_h: float) -> dict[str, Now]:
    """Every source of the mill as a pulp of the furnish. `reach_h`: hours that every vessel must last."""
    draw = state.draw.solids_t_h
    result = {}
    for key, own in state.mill.sources.items():
        pulp, line = source_now(state, key), key
        flows = state.solution.drawn_from(own.tower or own.unit).solids_t_h > NOTHING_T_H
        vessel = state.vessels.get(own.vessel)
        made = vessel.rate_in if vessel is not None else 0.0
        supply = 100.0
        if vessel is not None and draw > 0.0:
            kept_t = max(0.0, vessel.content_t - vessel.vessel.full_t * USABLE_LOW_PCT / 100.0)
            supply = min(100.0, 100.0 * (made + kept_t / reach_h) / draw)
        tensile, tear = (_worked(state, line, name) for name in ("tensile", "tear"))
        stickies = _worked(state, line, "stickies_mm2_kg")
        ks = (1.0 - pulp.iso_pct / 100.0) ** 2 / (2.0 * pulp.iso_pct / 100.0)
        result[key] = Now(
            source=own,
            pulp=Pulp(
                name=own.name,
                share_pct=100.0 * state.shares.get(key, 0.0),
                price=own.price,
                k457=ks * pulp.s457,
                s457=pulp.s457,
                ash_pct=pulp.ash_pct,
                csf_ml=pulp.csf_ml,
                tensile=own.tensile if tensile is None else tensile,
                tear=own.tear if tear is None else tear,
                stickies=stickies or 0.0,
                recycled_pct=own.recycled_pct,
                low_pct=own.low_pct,
                high_pct=own.high_pct,
                supply_pct=supply,
                step_pct=own.step_pct,
            ),
            light_from="line" if flows else "set-up",
            made_t_h=made,
        )
    return result


def hours_at(state, key: str, share_pct: float) -> tuple[float, str]:
    """Hours until a source's vessel meets a limit at a share, and which way it goes ("empty", "full", "steady")."""
    own = state.mill.sources[key]
    vessel = state.vessels.get(own.vessel)
    if vessel is None:
        return float("inf"), "steady"
    v = vessel.vessel
    net = vessel.rate_in - share_pct / 100.0 * state.draw.solids_t_h
    low_t, high_t = (v.full_t * p / 100.0 for p in (USABLE_LOW_PCT, USABLE_HIGH_PCT))
    if net < -1e-9:
        return max(0.0, vessel.content_t - low_t) / -net, "empty"
    if net > 1e-9:
        return max(0.0, high_t - vessel.content_t) / net, "full"
    return float("inf"), "steady"


def chest_results(state) -> dict[str, list[float]]:
    """The newest trusted results at the machine's chest, newest first, by the figure of the forecast."""
    result = {}
    for name, key in LAB.items():
        told = Record.objects.current().filter(
            kind=Kind.RESULT,
            subject=f"{state.mill.roles.point}.{key}",
            status__in=("single", "accepted"),
            at__lte=state.now,
            value__isnull=False,
        )
        result[name] = list(told.order_by("-at", "-id").values_list("value", flat=True)[:MOST_RESULTS])
    return result


def forecast_errors(results: dict[str, list[float]]) -> tuple[dict[str, float], list[str]]:
    """Standard deviations of the forecast as the mill's own results tell them, and in words where each comes from."""
    told, words = {}, []
    for name, sd in SDS.items():
        said = quantities(BlendCase)[sd]
        own = spread(results.get(name, ()), in_log=sd == "csf_sd")
        if own is not None and said.possible[0] <= own <= said.possible[1]:
            told[sd] = own
            shown = f"{100.0 * own:.1f} %" if sd == "csf_sd" else f"{own:.2f}"
            words.append(f"{quantities(Forecast)[name].label.lower()} {shown} of {len(results[name])} results")
    return told, words
