"""What wanders: disturbances and instrument noise as exact first-order series on fixed grids, seeded by name.

A series never changes when another is added, or when the line is stepped otherwise. Source: recovered to delivery, section
13.4 (noise on a grid of 2 s, held; disturbances on a grid of 60 s, read between).
"""

import math
from dataclasses import dataclass
from typing import Final
from zlib import crc32

import numpy as np

from core.errors import ImpossibleInput, Problem
from core.stream import Vector

DISTURBED_S, NOISE_S = 60.0, 2.0
BLOCK: Final = 4096


def generator(seed: int, name: str) -> np.random.Generator:
    """The generator of a name under a seed."""
    return np.random.Generator(np.random.PCG64(np.random.SeedSequence([seed, crc32(name.encode())])))


def phi_of(grid_s: float, time_s: float) -> float:
    """What is left of a deviation after a grid step: exp(-dt/T)."""
    return math.exp(-grid_s / time_s)


def innovation_of(sd: float, phi: float) -> float:
    """Sd of what is new a step, so that the spread stays `sd`."""
    return sd * math.sqrt(1.0 - phi * phi)


@dataclass(frozen=True, slots=True, kw_only=True)
class Wanders:
    """A deviation of so much (sd) that is forgotten in a time, read on a grid; `held`: the value at or before, else between."""

    name: str
    sd: float
    time_s: float
    grid_s: float = DISTURBED_S
    held: bool = False

    def __post_init__(self) -> None:
        if self.sd < 0.0 or self.time_s <= 0.0 or self.grid_s <= 0.0:
            raise ImpossibleInput(Problem(self.name, "wanders by at least 0, in a time and on a grid above 0"))


class Series:
    """One that wanders, made as far as it is asked for."""

    def __init__(self, what: Wanders, seed: int) -> None:
        self.what, self.rng = what, generator(seed, what.name)
        self.phi = phi_of(what.grid_s, what.time_s)
        self.new = innovation_of(what.sd, self.phi)
        self.values: Vector = np.array([what.sd * self.rng.standard_normal()])

    def _made(self, count: int) -> None:
        while len(self.values) < count:
            drawn = self.new * self.rng.standard_normal(BLOCK)
            made = np.empty(BLOCK)
            last = float(self.values[-1])
            for i in range(BLOCK):
                last = self.phi * last + drawn[i]
                made[i] = last
            self.values = np.concatenate([self.values, made])

    def at(self, time_s: float) -> float:
        """The deviation at a time, s from the start."""
        place = time_s / self.what.grid_s
        k = math.floor(place + 1e-9)
        self._made(k + 2)
        if self.what.held:
            return float(self.values[k])
        part = place - k
        return float(self.values[k] + (self.values[k + 1] - self.values[k]) * max(0.0, part))
