"""What is in store between two readings: a tank of a chemical, a pile of wood."""

import math
from collections.abc import Iterable


def stands(
    read: float,
    hours: float,
    use: float,
    came: Iterable[tuple[float, float]] = (),
    *,
    least: float = 0.0,
    most: float = math.inf,
) -> float:
    """What is in store so many hours after a reading, in the unit of the reading.

    `use`: what is taken an hour, evenly; nothing is taken that is not there. `came`: each arrival by the hours after the
    reading at which it came, and how much. `least`: what is never taken. `most`: what it holds; more than that is not in it.
    Worked: 20 m³ with a least of 4, 2 m³/h: 4 m³ after 8 h; 10 m³ that come then stand at 8 m³ an hour later.
    """
    content, at = read, 0.0
    for when, much in sorted(came):
        content = min(most, max(least, content - use * (when - at)) + much)
        at = when
    return min(most, max(least, content - use * (hours - at)))
