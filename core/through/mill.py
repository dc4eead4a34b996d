"""A mill's own line through time: its vessels with their levels, its towers and silos, the minutes its stages take, the
batches of its digesters and vats, and the interlocks that such a line has."""

from collections.abc import Mapping
from typing import Final

from core.cook.house import BLOW_MIN, FILL_MIN, IDLE_MIN
from core.line.acting import Line
from core.line.network import DrawKind
from core.mill.document import Vessel
from core.mill.mill import Mill
from core.refine.unit import RefinerPlan
from core.stream import SUSPENDED
from core.through.layout import STEP_S, Holds, Layout, lay_out
from core.through.sequences import HIGH_PCT, HIGH_RESET_PCT, LOW_PCT, LOW_RESET_PCT, Batched, Lock

LEVEL_PCT: Final = 60.0  # of a vessel without a reading
LEAST_PCT: Final = 2.0
DUMP_MIN: Final = 5.0  # that a pulper's vat takes to empty, default
OF_LEAST, RESET, LEAST_CONS_PCT, CONS_RESET_PCT = 0.5, 1.2, 2.0, 2.4  # of a refiner's least flow; and how thin its stock may be
T_H_L_MIN: Final = 0.06


def holds_of(mill: Mill, line: Line, level_pct: Mapping[str, float]) -> tuple[Holds, ...]:
    """The mill's vessels as stock before units, by levels read (60 % where none is).

    A vessel of its own unit stands before that; any other before the unit that fills it. Content is counted as oven-dry at the
    consistency of the pulp that comes. Of several before one unit the largest stands for all; a bought pulp's store is not in
    the line.
    """
    network = line.solution.network
    told: dict[str, Holds] = {}
    for v in mill.vessels.values():
        unit = v.key if v.key in network.index else v.unit
        if unit not in network.index or network.unit(unit).supply:
            continue
        h = _held(v, unit, line, level_pct.get(v.key, LEVEL_PCT))
        if unit not in told or h.full_t > told[unit].full_t:
            told[unit] = h
    return tuple(told.values())


def _held(v: Vessel, unit: str, line: Line, level: float) -> Holds:
    network = line.solution.network
    i = network.index[unit]
    into = line.solution.into[i]
    solids = float(into @ SUSPENDED)
    share = solids / float(into.sum()) if solids > 0.0 else v.cons_pct / 100.0
    full = v.full_t / share
    feed = float(network.feed[i] @ SUSPENDED)
    brought = v.in_t_h / feed if v.in_t_h is not None and feed > 0.0 else 1.0
    return Holds(
        unit=unit,
        now_t=full * min(100.0, max(LEAST_PCT, level)) / 100.0,
        full_t=full,
        mixed=v.mixed_pct / 100.0,
        free=network.unit(unit).stores or v.in_t_h is not None,
        fed=brought,
    )


def minutes_of(line: Line) -> dict[str, float]:
    """How long pulp is in every unit that says so, min."""
    told = {}
    for unit, plan in line.acting.items():
        passes = getattr(plan, "passes_min", None)
        if passes is not None and unit in line.inlets:
            told[unit] = float(passes(line.inlets[unit]))
    return told


def batches_of(mill: Mill, line: Line, next_min: Mapping[str, float] | None = None) -> tuple[Batched, ...]:
    """Batch digesters and pulper vats that are blown or dumped, by their cycles; the next of each `next_min` (by unit) from
    now, else half a cycle.

    Digesters serve the batch cooks of the line in equal parts. A vat's batch is what it holds, as often as its line takes it.
    """
    network, soon = line.solution.network, next_min or {}
    cooks = [k for k, plan in line.acting.items() if getattr(plan, "vessel", "") == "batch" and network.unit(k).outlets]
    each = max(1, len(mill.digesters) // max(1, len(cooks)))
    minutes = minutes_of(line)
    tank: dict[str, float] = {}
    told = {k: ((minutes.get(k, 0.0) + FILL_MIN + BLOW_MIN + IDLE_MIN) / each, BLOW_MIN) for k in cooks}
    for vat in mill.vats.values():
        before = [u.id for u in network.units for o in u.outlets if o.to == vat.unit]
        if not vat.unit or not before:
            continue
        unit = max(before, key=lambda key: float(line.solution.after[network.index[key]] @ SUSPENDED))
        solids = float(line.solution.after[network.index[unit]] @ SUSPENDED)
        if solids > 0.0 and not network.unit(unit).stores:
            told[unit] = (60.0 * vat.vat_m3 * vat.cons_pct / 100.0 / solids, DUMP_MIN)
            tank[unit] = vat.chest_m3 * vat.chest_pct / vat.cons_pct  # as thick as it is dumped
    return tuple(
        Batched(unit=unit, every_min=every, lasts_min=lasts, first_min=soon.get(unit, every / 2.0), tank_t=tank.get(unit))
        for unit, (every, lasts) in told.items()
        if every > 2.0 * lasts
    )


def locks_of(mill: Mill, line: Line, holds: tuple[Holds, ...]) -> tuple[Lock, ...]:
    """The interlocks that a line like this usually has: an empty vessel's pumps stop, a full store's feed is shut, a refiner
    backs out of stock that is thin or hardly comes. They let go by themselves."""
    network, told = line.solution.network, []
    called = {v.key if v.key in network.index else v.unit: v.name for v in mill.vessels.values()}
    for h in holds:
        unit = network.unit(h.unit)
        name = called.get(h.unit, h.unit)
        pumps = tuple(d.id for d in network.draws if d.tank == h.unit and d.kind is not DrawKind.THICKEN)
        on = () if unit.stores else (f"on.{h.unit}",)
        stops = f"{name} low: its pumps stop"
        told.append(Lock(name=stops, reads="level", at=h.unit, trips=LOW_PCT, resets=LOW_RESET_PCT, stops=(*pumps, *on)))
        if h.free and not unit.stores and unit.feed.any():
            shuts = f"{name} high: its feed is shut"
            told.append(Lock(name=shuts, reads="level", at=h.unit, trips=HIGH_PCT, resets=HIGH_RESET_PCT, shuts=(h.unit,)))
    for key, plan in line.acting.items():
        if isinstance(plan, RefinerPlan):
            told += _idling(line, key, plan)
    return tuple(told)


def _idling(line: Line, key: str, plan: RefinerPlan) -> list[Lock]:
    """When the refiners of a unit open and idle: half their least flow (half the usual where none is told), or thin stock. None
    that would be met at rest."""
    network = line.solution.network
    into = line.solution.into[network.index[key]]
    whole, name = float(into.sum()), network.unit(key).title or key
    if whole <= 0.0:
        return []
    least = max(r.least_l_min for r in plan.refiners) * T_H_L_MIN * (len(plan.refiners) if plan.arranged == "parallel" else 1)
    trips = OF_LEAST * (least or whole)
    told = []
    if RESET * trips < whole:
        flow = f"{name} idles: hardly any stock comes"
        told.append(Lock(name=flow, reads="flow", at=key, trips=trips, resets=RESET * trips, idles=(key,)))
    if 100.0 * float(into @ SUSPENDED) / whole > CONS_RESET_PCT:
        thin = f"{name} idles: thin stock comes"
        told.append(Lock(name=thin, reads="cons", at=key, trips=LEAST_CONS_PCT, resets=CONS_RESET_PCT, idles=(key,)))
    return told


def through_time(
    mill: Mill,
    line: Line,
    level_pct: Mapping[str, float] | None = None,
    step_s: float = STEP_S,
    *,
    lived: bool = False,
    next_min: Mapping[str, float] | None = None,
) -> Layout:
    """The mill's line as it is solved, laid out for stepping; `lived`: with its batches and its interlocks, the next batch of a
    unit `next_min` from now. Raises: ImpossibleInput."""
    holds = holds_of(mill, line, level_pct or {})
    batched, locks = (batches_of(mill, line, next_min), locks_of(mill, line, holds)) if lived else ((), ())
    return lay_out(line, holds, minutes_of(line), step_s, batched=batched, locks=locks)


def levels_pct(layout: Layout, vessel_t: "list[float]") -> dict[str, float]:
    """Level of every vessel by its unit, %."""
    units = [layout.network.units[node].id for node in layout.vessel_node]
    return {unit: 100.0 * float(t) / float(full) for unit, t, full in zip(units, vessel_t, layout.full_t, strict=True)}
