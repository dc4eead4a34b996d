"""Levels through a plan: what a vessel holds while what is drawn from it changes with the orders, as straight pieces.

Only levels are followed: what comes in stays as it is now. It answers at once while a bar is moved; the line through time says
more. How sure a level is follows from a rate that is off by chance. Source: shift practice, section 6.1.
"""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Final

import numpy as np

from core.through.ahead import FORGOTTEN_H, RATE_OFF, level_sd

KEEPS_OFF: Final = 1.645  # spreads that a level keeps off its limits: 19 times of 20
MOST_OFF: Final = 0.10  # of the vessel
TINY: Final = 1e-9


@dataclass(frozen=True, slots=True)
class Span:
    """From one time to another (h) so much is drawn, or comes less, t OD/h."""

    from_h: float
    to_h: float
    t_h: float


@dataclass(frozen=True, slots=True)
class Vessel:
    """A vessel: holds now, at its brim, t OD; usable between these; fed so much, t OD/h."""

    now_t: float
    full_t: float
    low_t: float
    high_t: float
    fed_t_h: float


@dataclass(frozen=True, slots=True)
class Course:
    """Time (h) and content (t) at every bend; t that could not be drawn of an empty vessel; hours under the usable low and over
    the usable high; the first limit that is met and when, None where none is."""

    points: tuple[tuple[float, float], ...]
    short_t: float
    low_h: float
    high_h: float
    first: tuple[str, float] | None

    def at(self, hour: float) -> float:
        """Content at a time, t."""
        return level_at(self.points, hour)


def level_at(points: Sequence[Sequence[float]], hour: float) -> float:
    """Content at an hour, t, between the bends (h, t) of a course; before the first and after the last as there."""
    hours, contents = zip(*points, strict=True)
    return float(np.interp(hour, hours, contents))


def within(points: Sequence[Sequence[float]], from_h: float, to_h: float) -> list[tuple[float, float]]:
    """A course between two hours, cut where it passes either; nothing where it lies outside."""
    begins, ends = max(from_h, points[0][0]), min(to_h, points[-1][0])
    if ends <= begins:
        return []
    inner = [(h, t) for h, t in points if begins < h < ends]
    return [(begins, level_at(points, begins)), *inner, (ends, level_at(points, ends))]


def course(vessel: Vessel, draws: Sequence[Span], hours: float, cuts: Sequence[Span] = ()) -> Course:
    """The level of a vessel through so many hours. Under nothing nothing is drawn, over the brim nothing comes in; `cuts` are
    taken off what comes in, which is never below nothing."""
    edges = sorted({0.0, hours, *(t for s in (*draws, *cuts) for t in (s.from_h, s.to_h) if 0.0 < t < hours)})
    now, points = vessel.now_t, [(0.0, vessel.now_t)]
    short_t = low_h = high_h = 0.0
    first: tuple[str, float] | None = None
    for begin, end in zip(edges, edges[1:], strict=False):
        drawn = sum(s.t_h for s in draws if s.from_h <= begin + TINY and s.to_h >= end - TINY)
        cut = sum(s.t_h for s in cuts if s.from_h <= begin + TINY and s.to_h >= end - TINY)
        rate, at = max(0.0, vessel.fed_t_h - cut) - drawn, begin
        while at < end - TINY:
            bounds = [b for b in (0.0, vessel.low_t, vessel.high_t, vessel.full_t) if (b - now) * rate > TINY]
            near = min(((b - now) / rate for b in bounds), default=end - at)
            lasts = min(end - at, near)
            then = now + rate * lasts
            if (rate < 0.0 and now <= TINY) or (rate > 0.0 and now >= vessel.full_t - TINY):
                lasts, then = end - at, now  # empty or full: it stays so
                short_t -= rate * lasts if rate < 0.0 else 0.0
            middle = 0.5 * (now + then)
            low_h += lasts if middle < vessel.low_t - TINY else 0.0
            high_h += lasts if middle > vessel.high_t + TINY else 0.0
            at, now = at + lasts, then
            points.append((at, now))
            if first is None and at > 0.0:
                if now <= vessel.low_t + TINY and rate < 0.0:
                    first = ("empty", at)
                elif now >= vessel.high_t - TINY and rate > 0.0:
                    first = ("full", at)
    return Course(tuple(points), short_t, low_h, high_h, first)


def half_t(vessel: Vessel, drawn_t_h: float, hour: float, factor: float = 1.0) -> float:
    """How far a level is kept off its limits for what its rates may be off by, t; `factor` is what past plans taught of it."""
    sd = factor * level_sd(RATE_OFF * 0.5 * (vessel.fed_t_h + drawn_t_h), FORGOTTEN_H, hour)
    return min(MOST_OFF * vessel.full_t, KEEPS_OFF * sd)
