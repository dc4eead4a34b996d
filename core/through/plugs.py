"""Many plugs side by side: first in, first out by mass, whatever the flow does.

Each plug keeps cumulated mass F and content G at the end of its parcels, and what it has given out; what went in and did not
come out is in it, to rounding. Source: recovered to delivery, section 13.2 B and E.
"""

from collections.abc import Mapping
from typing import NamedTuple

import numpy as np
import numpy.typing as npt

from core.compiled import compiled
from core.stream import Vector

Whole = npt.NDArray[np.int64]
SPARE = 8  # parcels over what the longest residence needs
NOTHING = 1e-300


class Parcels(NamedTuple):
    """The state of all plugs as arrays: what `pop` and `push` read and change."""

    base: Whole
    room: Whole
    least_t: Vector
    mass: Vector
    content: Vector
    newest: Whole
    oldest: Whole
    head: Vector
    head_start: Vector
    head_content: Vector
    out: Vector
    out_content: Vector


@compiled
def pop(p: Parcels, mass_t: Vector, given: Vector) -> None:
    """Each plug gives up so much (plugs,) t, oldest first, into `given` (plugs, e); not more than it holds. Between the ends of
    two parcels the content runs straight."""
    for i in range(len(mass_t)):
        out = min(p.out[i] + mass_t[i], p.head[i])
        parcel = p.oldest[i]
        place = p.base[i] + parcel % p.room[i]
        while p.mass[place] < out:  # then another parcel stands behind it
            parcel += 1
            place = p.base[i] + parcel % p.room[i]
        before = p.base[i] + (parcel - 1) % p.room[i]
        share = (out - p.mass[before]) / max(p.mass[place] - p.mass[before], NOTHING)
        for e in range(given.shape[1]):
            sum_out = p.content[before, e] + (p.content[place, e] - p.content[before, e]) * share
            given[i, e] = sum_out - p.out_content[i, e]
            p.out_content[i, e] = sum_out
        p.oldest[i], p.out[i] = parcel, out


@compiled
def push(p: Parcels, mass_t: Vector, brought: Vector) -> None:
    """Each plug takes so much (plugs,) t with its content (plugs, e) in at its head: into its newest parcel while that is small
    or no place is left, else into another."""
    for i in range(len(mass_t)):
        behind = p.newest[i] - p.oldest[i]
        joins = p.head[i] - p.head_start[i] < p.least_t[i] or behind >= p.room[i] - 4
        if behind <= 0 or not joins:
            p.head_start[i] = p.head[i]
            p.newest[i] += 1
        place = p.base[i] + p.newest[i] % p.room[i]
        p.head[i] += mass_t[i]
        p.mass[place] = p.head[i]
        for e in range(brought.shape[1]):
            p.head_content[i, e] += brought[i, e]
            p.content[place, e] = p.head_content[i, e]


class Plugs:
    """State of all plugs of a line: `held_t` (p,) t each, filled with `mix` (p, e) of each t; `parcels` (p,) it may keep."""

    def __init__(self, held_t: Vector, mix: Vector, parcels: Whole) -> None:
        self.count = len(held_t)
        self.room: Whole = parcels.astype(np.int64) + SPARE
        self.base: Whole = np.concatenate(([0], np.cumsum(self.room)[:-1])).astype(np.int64)
        total = int(self.room.sum())
        self.mass = np.zeros(total)  # F, flat: plug p's parcel k at base[p] + k % room[p]
        self.content = np.zeros((total, mix.shape[1]))  # G
        self.newest: Whole = np.ones(self.count, dtype=np.int64)
        self.oldest: Whole = np.ones(self.count, dtype=np.int64)  # the parcel that stands at the outlet
        self.out = np.zeros(self.count)
        self.out_content = np.zeros_like(mix)
        self.least_t = np.maximum(held_t, 1e-9) / np.maximum(parcels, 1)  # a parcel under this takes the next one in
        first = self._place(self.newest)
        self.mass[first] = held_t
        self.content[first] = held_t[:, None] * mix
        self.all: Whole = np.arange(self.count)
        self.head, self.head_start = held_t.astype(float), np.zeros(self.count)  # F at the newest parcel's end and start
        self.head_content = self.content[first]
        self.parcels = Parcels(**{name: getattr(self, name) for name in Parcels._fields})  # these very arrays

    def _place(self, parcel: Whole) -> Whole:
        return np.asarray(self.base + parcel % self.room)

    @property
    def held_t(self) -> Vector:
        """Mass in each, t."""
        return self.head - self.out

    @property
    def held(self) -> Vector:
        """Content of each (p, e)."""
        return self.head_content - self.out_content

    def pop(self, mass_t: Vector) -> Vector:
        """What each gives up (p, e) of so much mass (p,) t, oldest first; not more than it holds."""
        given = np.empty_like(self.out_content)
        pop(self.parcels, mass_t, given)
        return given

    def push(self, mass_t: Vector, brought: Vector) -> None:
        """Put so much (p,) t with its content (p, e) in at the head of each."""
        push(self.parcels, mass_t, brought)

    def rebase(self) -> None:
        """Count anew from what has left, so that the sums stay small."""
        owner = np.repeat(self.all, self.room)
        self.mass -= self.out[owner]
        self.content -= self.out_content[owner]
        for sums in (self.head, self.head_start, self.out):
            sums -= self.out.copy()
        for sums in (self.head_content, self.out_content):
            sums -= self.out_content.copy()

    def kept(self) -> dict[str, Vector]:
        """Everything that must be kept to go on to the last bit."""
        return {
            "mass": self.mass,
            "content": self.content,
            "newest": self.newest,
            "oldest": self.oldest,
            "head": self.head,
            "head_start": self.head_start,
            "head_content": self.head_content,
            "out": self.out,
            "out_content": self.out_content,
        }

    def restore(self, kept: Mapping[str, Vector]) -> None:
        """Stand as it was kept. Raises: KeyError, ValueError for another shape."""
        for name, own in self.kept().items():
            if kept[name].shape != own.shape:
                raise ValueError(f"plugs: {name} has shape {kept[name].shape}; it must be {own.shape}")
            own[...] = kept[name]
