"""A mill's own line through time: its vessels with their levels, its towers and silos, the minutes its stages take."""

from collections.abc import Mapping
from typing import Final

from core.line.acting import Line
from core.mill.document import Vessel
from core.mill.mill import Mill
from core.stream import SUSPENDED
from core.through.layout import STEP_S, Holds, Layout, lay_out

LEVEL_PCT: Final = 60.0  # of a vessel without a reading
LEAST_PCT: Final = 2.0


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


def through_time(mill: Mill, line: Line, level_pct: Mapping[str, float] | None = None, step_s: float = STEP_S) -> Layout:
    """The mill's line as it is solved, laid out for stepping. Raises: ImpossibleInput."""
    return lay_out(line, holds_of(mill, line, level_pct or {}), minutes_of(line), step_s)


def levels_pct(layout: Layout, vessel_t: "list[float]") -> dict[str, float]:
    """Level of every vessel by its unit, %."""
    units = [layout.network.units[node].id for node in layout.vessel_node]
    return {unit: 100.0 * float(t) / float(full) for unit, t, full in zip(units, vessel_t, layout.full_t, strict=True)}
