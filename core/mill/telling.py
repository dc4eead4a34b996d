"""Which samples tell first of a change at a unit, and how long it takes until they do.

A row that reads the unit's own pulp tells of it; where there is none, those of the nearest place behind it that is sampled do.
Dead and mixing times are those of a line as it stands. Source: shift practice, section 2.
"""

from collections.abc import Mapping
from math import inf

from core.errors import CoreError
from core.line.acting import Line
from core.mill.causes import Way, Ways, place_of
from core.mill.document import PlanRow
from core.mill.mill import Mill
from core.mill.run import solve_mill
from core.mill.trial import at_its_grade
from core.through.layout import PIPE_MIN
from core.through.plant import felt_min


def planned(mill: Mill) -> Line | None:
    """The line as it is planned, at its first grade; None where it cannot be solved."""
    try:
        return solve_mill(mill, at_its_grade(mill))
    except CoreError:
        return None


def telling(mill: Mill, line: Line) -> Mapping[str, Mapping[str, Way]]:
    """By unit: the rows of the plan that tell first of what is changed there, each with its way."""
    ways = Ways(mill, line, {})
    rows_at: dict[str, list[PlanRow]] = {}
    for row in mill.plan.values():
        if (place := place_of(mill, row)) in line.solution.network.index:
            rows_at.setdefault(place, []).append(row)
    own = {place: {row.id: _own(mill, line, ways.stay(place), row, place) for row in told} for place, told in rows_at.items()}
    nearest: dict[str, tuple[float, str, Way]] = {}
    for place in rows_at:
        for unit, way in ways.to(place).items():
            if unit not in rows_at and way.hours < nearest.get(unit, (inf,))[0]:
                nearest[unit] = (way.hours, place, way)
    return own | {unit: dict.fromkeys(own[place], way) for unit, (_, place, way) in nearest.items()}


def _own(mill: Mill, line: Line, stay: Way, row: PlanRow, place: str) -> Way:
    """From what is changed at a unit to a row that reads its own pulp; what comes on a feed's belt is read as it comes."""
    if row.id in mill.moisture_rows.values() or place not in line.inlets:
        return stay
    kind, inlet = line.acting[place], line.inlets[place]
    felt = felt_min(kind, inlet, ())
    later = tuple(name for name in kind.settings() if row.stage and name.rpartition(".")[2] == str(row.stage + 1))
    return Way((PIPE_MIN + felt - (felt_min(kind, inlet, later) if later else 0.0)) / 60.0, stay.tau_h)


def takers(line: Line, chemical: str) -> tuple[str, ...]:
    """Units that take a chemical of the store."""
    return tuple(unit for unit, acts in line.acts.items() if acts.duties.get(f"{chemical}_kg_h", 0.0) > 0.0)
