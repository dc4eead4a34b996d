"""The simulated source: what the demo mill's meters would show, from its own balance, through the same door as any other."""

from collections.abc import Callable
from dataclasses import asdict, replace
from datetime import datetime

import numpy as np

from core.instruments.simulate import KINDS, Fault, State, fresh, read
from core.mill.signals import solved_at
from core.stock.flow import l_min_of
from desk.instruments.models import Signal
from desk.intake.actions import Outcome, Raw, deliver
from desk.intake.models import Plant
from desk.kit.writing import writing
from desk.mill.state import MillState

SEED = 26318
WANDER_MIN = 45.0  # how long a chest's consistency stays off its aim
STUCK_EVERY_MIN, STUCK_FOR_MIN = 120.0, 30.0  # the demo's M chest meter sticks once in a while, so that it can be found
TRUTHS: list[Callable[[datetime], dict[str, float]]] = []  # what stations add: tag to what is really there
KNOWN_BIAS = {"meter.S.chest": 0.09}


def _truths(state: MillState, held: dict[str, float], dt_min: float, rng: np.random.Generator) -> dict[str, float]:
    """What is really in the pipes and vessels now: levels by the rates, consistencies about their aim, flows by the shares."""
    result = {}
    for key, v in state.vessels.items():
        tag = f"level.{key}"
        level = held.get(tag, v.level_pct)
        result[tag] = min(100.0, max(0.0, level + 100.0 * (v.rate_in - v.rate_out) * dt_min / 60.0 / v.vessel.full_t))
    for key, source in state.mill.sources.items():
        result[f"flow.{key}"] = l_min_of(state.running.gives.get(key, 0.0), source.source.cons_pct)
    for row in state.mill.plan.values():
        if row.metered:
            band = state.mill.band(row, state.grade)
            aim = solved_at(state.line, row)
            aim = band.aim if aim is None else aim
            tag, share = row.tag, np.exp(-dt_min / WANDER_MIN)
            width = band.high - band.low if np.isfinite(band.high - band.low) else abs(band.aim)
            sd = width * 0.12 * np.sqrt(1.0 - share**2)
            result[tag] = max(0.0, float(aim + share * (held.get(tag, aim) - aim) + rng.normal(0.0, sd)))
    return result


def _fault(tag: str, minutes: float) -> Fault:
    if tag == "meter.M.chest" and minutes % STUCK_EVERY_MIN > STUCK_EVERY_MIN - STUCK_FOR_MIN:
        return Fault.STUCK
    return Fault.NONE


def step(state: MillState, now: datetime) -> Outcome | None:
    """One scan of every simulated meter, from the seed and the number of the scan; None while the clock stands."""
    plant, _ = Plant.objects.get_or_create(pk=1, defaults={"seed": SEED, "at": now})
    dt_min = (now - plant.at).total_seconds() / 60.0
    if plant.scans and dt_min <= 0.0:
        return None
    dt_min = min(max(dt_min, 0.0), 60.0)
    rng = np.random.default_rng([plant.seed, plant.scans])
    truths = _truths(state, plant.truths, dt_min, rng)
    for more in TRUTHS:
        truths |= more(now)
    rows, meters = [], {}
    for i, signal in enumerate(Signal.objects.filter(tag__in=truths)):
        kind = KINDS[signal.kind]
        kept = plant.meters.get(signal.tag)
        if kept:
            meter = State(**{**kept, "fault": Fault(kept["fault"])})
        else:
            meter = fresh(kind, rng)
            if signal.tag in KNOWN_BIAS:
                meter = replace(meter, bias=KNOWN_BIAS[signal.tag])
        meter = replace(meter, fault=_fault(signal.tag, plant.minutes))
        value, meter = read(kind, meter, truths[signal.tag], dt_min, rng)
        meters[signal.tag] = asdict(meter)
        if value is not None:
            rows.append(Raw(i + 1, signal.tag, round(now.timestamp() * 1000), value))
    plant.truths, plant.meters, plant.at = truths, meters, now
    plant.minutes += dt_min
    plant.scans += 1
    with writing():
        if Plant.objects.filter(pk=plant.pk, scans=plant.scans).exists():
            return None  # another scan came first
        plant.save()
        return deliver(rows=rows, door="simulated", name="simulated meters", by=None, now=now, quiet=True)[1]
