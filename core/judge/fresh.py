"""How long a reading leads: fully while it is fresh, then less and less, until the plan stands alone."""

import math
from typing import Final

LEADS_INTERVALS: Final = 2.0  # a reading leads fully while it is no older than so many intervals of its plan row
FRESH_INTERVALS: Final = 3.0  # and is gone when it is so many old
STEPS: Final = 20


def leads(age: float, *, fully: float, at_most: float) -> float:
    """The weight of a reading against the plan, 1 to 0: 1 up to an age, then in a straight line to 0 at another.

    Ages in one unit, 0 <= fully < at_most. It falls in steps of a twentieth, so that the line is not solved anew every minute.
    A reading from later than now counts as fresh.
    """
    return min(1.0, max(0.0, math.ceil(STEPS * (at_most - age) / (at_most - fully)) / STEPS))


def row_leads(age_min: float, interval_min: float) -> float:
    """The weight of a reading of a plan row by its age and its interval, min."""
    return leads(age_min, fully=LEADS_INTERVALS * interval_min, at_most=FRESH_INTERVALS * interval_min)


def led(reading: float, plan: float, weight: float) -> float:
    """The value that holds between a reading and the plan, by the reading's weight."""
    return plan + weight * (reading - plan)
