"""Many plugs side by side: first in, first out by mass, whatever the flow does.

Each plug keeps cumulated mass F and content G at the end of its parcels, and what it has given out; what went in and did not
come out is in it, to rounding. Source: recovered to delivery, section 13.2 B and E.
"""

from collections.abc import Mapping

import numpy as np
import numpy.typing as npt

from core.stream import Vector

Whole = npt.NDArray[np.int64]
SPARE = 8  # parcels over what the longest residence needs
NOTHING = 1e-300


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
        out = np.minimum(self.out + mass_t, self.head)
        place = self.base + self.oldest % self.room
        end = self.mass.take(place)
        behind = end < out  # then another parcel stands behind it
        while behind.any():
            self.oldest += behind
            place = self.base + self.oldest % self.room
            end = self.mass.take(place)
            behind = end < out
        before = self.base + (self.oldest - 1) % self.room
        start = self.mass.take(before)
        end -= start
        np.maximum(end, NOTHING, out=end)
        given = self.content.take(before, axis=0)
        share = (out - start) / end
        given += (self.content.take(place, axis=0) - given) * share[:, None]
        result = given - self.out_content
        self.out, self.out_content = out, given
        return result

    def push(self, mass_t: Vector, brought: Vector) -> None:
        """Put so much (p,) t with its content (p, e) in at the head of each."""
        behind = self.newest - self.oldest
        joins = (self.head - self.head_start < self.least_t) | (behind >= self.room - 4)
        joins &= behind > 0
        opens = ~joins
        self.head_start = np.where(opens, self.head, self.head_start)
        self.newest += opens
        place = self.base + self.newest % self.room
        self.head += mass_t
        self.head_content += brought
        self.mass[place] = self.head
        self.content[place] = self.head_content

    def rebase(self) -> None:
        """Count anew from what has left, so that the sums stay small."""
        owner = np.repeat(self.all, self.room)
        self.mass -= self.out[owner]
        self.content -= self.out_content[owner]
        self.head, self.head_start = self.head - self.out, self.head_start - self.out
        self.head_content = self.head_content - self.out_content
        self.out = np.zeros_like(self.out)
        self.out_content = np.zeros_like(self.out_content)

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
            setattr(self, name, kept[name].astype(own.dtype, copy=True))
