"""The chip meters held against the pulp of their towers: what the readings of the last hours say, line by line."""

from dataclasses import dataclass
from datetime import timedelta

from core.chips.reconcile import ReconcileCase, reconcile
from core.errors import ImpossibleInput, Infeasible
from core.stock.dilution import fibre_t_h
from core.unit import ON, Worked
from desk.instruments.models import Signal
from desk.instruments.store import Bucket, series

HOURS = 8.0
BUCKETS = 48
LEVEL_ERROR = 0.005  # of a full tower, standard deviation of a level gauge: default
LEAST_READ = 0.8  # of the stretch must be read for a sum of a meter to count


@dataclass(frozen=True)
class Held:
    """A source with its wood: the units that are fed, and the balance, or why there is none."""

    key: str
    name: str
    wood: tuple[str, ...]
    worked: Worked | None
    why: str = ""


def _behind(mill, tower: str) -> set[str]:
    """Every unit that pulp passes on its way to a tower."""
    found, waiting = set(), [tower]
    while waiting:
        to = waiting.pop()
        for u in mill.units:
            if u.id not in found and any(o.name == ON and o.to == to for o in u.outlets):
                found.add(u.id)
                waiting.append(u.id)
    return found


def _read(tag: str, now, hours: float) -> list[Bucket]:
    """The readings of a meter over the stretch; none where it was read over too little of it."""
    signal = Signal.objects.filter(tag=tag).first()
    told = series(signal, now - timedelta(hours=hours), now, BUCKETS) if signal else []
    return told if len(told) >= LEAST_READ * BUCKETS else []


def held(state, hours: float = HOURS) -> list[Held]:
    """Every source whose wood is fed by a meter, in the order of the furnish."""
    result = []
    titles = {u.id: u.title for u in state.mill.units}
    for key, source in state.mill.sources.items():
        behind = _behind(state.mill, source.tower) if source.tower else set()
        wood = tuple(u for u in state.feed_rates if u in behind and state.feed_rates[u] > 0.0 and _is_wood(state, u))
        if not wood or source.spare:
            continue
        result.append(_one(state, key, source, wood, tuple(titles[u] for u in wood), hours))
    return result


def _is_wood(state, unit: str) -> bool:
    return next(u.station for u in state.mill.units if u.id == unit) == "chips"


def _one(state, key: str, source, wood: tuple[str, ...], names: tuple[str, ...], hours: float) -> Held:
    flow, level = _read(f"flow.{key}", state.now, hours), _read(f"level.{source.vessel}", state.now, hours)
    missing = [what for what, told in (("its flow to the blend", flow), ("its tower’s level", level)) if not told]
    if missing:
        return Held(key, source.name, names, None, f"{' and '.join(missing)} was not read through the last {hours:.0f} h")
    fed = sum(state.feed_rates[u] for u in wood)
    made, _ = state.full_rates[source.vessel]
    mean_l_min = sum(b.mean for b in flow) / len(flow)
    full_t = state.mill.vessels[source.vessel].full_t
    try:
        case = ReconcileCase(
            wood_t_h=fed,
            hours=hours,
            out_t=fibre_t_h(mean_l_min, source.source.cons_pct) * hours,
            rise_t=full_t * (level[-1].mean - level[0].mean) / 100.0,
            share_pct=min(100.0, 100.0 * made / fed),
            level_sd_t=LEVEL_ERROR * full_t,
        )
        result = reconcile(case)
    except ImpossibleInput as refusal:
        return Held(key, source.name, names, None, f"{refusal.problems[0].field} {refusal.problems[0].text}")
    if isinstance(result, Infeasible):
        return Held(key, source.name, names, None, f"flow {result.reason}")
    return Held(key, source.name, names, Worked(model="chips.reconcile", case=case, result=result))
