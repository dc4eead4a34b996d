"""When a sample is due, late or missed.

Source: shift practice, section 2: due = last + interval; grace = max(10 min, 25 % of the interval).
"""

from dataclasses import dataclass
from enum import StrEnum

from core.errors import ImpossibleInput, Problem

GRACE_LEAST_MIN = 10.0
GRACE_SHARE = 0.25


class DueState(StrEnum):
    NOT_DUE = "not due"
    DUE = "due"
    LATE = "late"
    MISSED = "missed"


@dataclass(frozen=True, slots=True)
class Due:
    """State, and minutes from now to the due time (negative once it is past)."""

    state: DueState
    in_min: float

    @property
    def late_min(self) -> float:
        return max(0.0, -self.in_min)


def due(*, since_last_min: float, interval_min: float) -> Due:
    """State of a sampling row, from the minutes since the last sample was *taken*.

    Worked: last 6.0 h, interval 4 h, now 10.9 h: due at 10.0, late only after 11.0: due. Raises: ImpossibleInput.
    """
    if not interval_min > 0.0:
        raise ImpossibleInput(Problem("interval_min", f"is {interval_min:g}; it must be above 0"))
    in_min = interval_min - since_last_min
    grace = max(GRACE_LEAST_MIN, GRACE_SHARE * interval_min)
    if in_min > 0.0:
        state = DueState.NOT_DUE
    elif -in_min <= grace:
        state = DueState.DUE
    elif -in_min <= interval_min:
        state = DueState.LATE
    else:
        state = DueState.MISSED
    return Due(state, in_min)
