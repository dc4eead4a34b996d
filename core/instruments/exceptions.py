"""Readings kept by exception: only what leaves a dead band, with the reading before it, so that lines between tell the rest.

A reading within the dead band of the last one kept is held back; once one leaves it, the one held back last is kept too.
Nothing is silent for longer than `longest_ms`. Whatever is held back lies within the dead band of what the steps between kept
readings show.
"""

import math
from dataclasses import dataclass, field
from enum import StrEnum
from typing import Final

LONGEST_MS: Final = 300_000


class Quality(StrEnum):
    """How far a plant trusts a reading of its own."""

    GOOD = "good"
    UNCERTAIN = "uncertain"
    BAD = "bad"


def quality_of(status: int) -> Quality:
    """By the two highest bits of a status code of 32 bits (OPC UA, part 4): 00 good, 01 uncertain, else bad."""
    top = (status >> 30) & 0b11
    return Quality.GOOD if top == 0 else Quality.UNCERTAIN if top == 1 else Quality.BAD


@dataclass(slots=True)
class Exceptions:
    """What one signal keeps of what it reads. `dead`: half the dead band, in the signal's unit; 0 keeps every change."""

    dead: float = 0.0
    longest_ms: int = LONGEST_MS
    kept: tuple[int, float] | None = None
    held: tuple[int, float] | None = field(default=None)

    def take(self, at_ms: int, value: float) -> list[tuple[int, float]]:
        """A reading comes: what is to be kept now, oldest first. Times must rise; one that does not is kept as it is."""
        if not math.isfinite(value):
            return []
        if self.kept is None or at_ms <= self.kept[0]:
            self.kept = self.kept if self.kept is not None else (at_ms, value)
            return [(at_ms, value)]
        moved = abs(value - self.kept[1]) > self.dead if self.dead > 0.0 else value != self.kept[1]
        if not moved and at_ms - self.kept[0] < self.longest_ms:
            self.held = (at_ms, value)
            return []
        before = [self.held] if moved and self.held is not None and self.held[0] < at_ms else []
        self.kept, self.held = (at_ms, value), None
        return [*before, (at_ms, value)]
