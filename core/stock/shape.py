"""Volume of a vessel at a level, and back."""

import math
from dataclasses import dataclass

import numpy as np

from core.document import List, Number, item
from core.errors import ImpossibleInput, Problem
from core.quantity import INF, Quantity, quantity
from core.roots import brentq

LEVEL = Number(
    said=Quantity(label="Level", unit="m", possible=(0.0, INF), valid=(0.0, INF), above=False, decimals=2, help="", equation="")
)
VOLUME = Number(
    said=Quantity(
        label="Volume", unit="m³", possible=(0.0, INF), valid=(0.0, INF), above=False, decimals=1, help="", equation=""
    )
)


@dataclass(frozen=True, slots=True, kw_only=True)
class Cylinder:
    """Upright cylinder of radius R on a cone or frustum of height `cone_m` whose floor has radius `floor_m`. Metres."""

    radius_m: float = quantity("Radius", "m", possible=(0, 1000), above=True)
    brim_m: float = quantity("Brim", "m", possible=(0, 1000), above=True)
    cone_m: float = quantity("Height of the cone", "m", possible=(0, 1000), default=0.0)
    floor_m: float = quantity("Radius of its floor", "m", possible=(0, 1000), default=0.0)

    def __post_init__(self) -> None:
        bad = []
        if not self.radius_m > 0:
            bad.append(Problem("radius_m", f"is {self.radius_m:g} m; it must be above 0"))
        if not 0 <= self.floor_m <= self.radius_m:
            bad.append(Problem("floor_m", f"is {self.floor_m:g} m; it must be 0 to the radius"))
        if not 0 <= self.cone_m < self.brim_m:
            bad.append(Problem("cone_m", f"is {self.cone_m:g} m; it must be 0 to under the brim"))
        if bad:
            raise ImpossibleInput(*bad)

    def volume_m3(self, level_m: float) -> float:
        """Worked: R 2.5, cone 2.0 to a point: 1.6362 m3 at 1 m, 13.0900 at 2 m, 91.6298 at 6 m."""
        _level_in(level_m, self.brim_m)
        h = min(level_m, self.cone_m)
        r = self.floor_m + (self.radius_m - self.floor_m) * h / self.cone_m if self.cone_m else self.radius_m
        below = math.pi * h * (self.floor_m**2 + self.floor_m * r + r**2) / 3.0 if self.cone_m else 0.0
        return below + math.pi * self.radius_m**2 * (level_m - h)


@dataclass(frozen=True, slots=True, kw_only=True)
class Box:
    """Rectangular chest; `fillet_m2` is the plan area lost to corner fillets. Metres."""

    length_m: float = quantity("Length", "m", possible=(0, 1000), above=True)
    width_m: float = quantity("Width", "m", possible=(0, 1000), above=True)
    brim_m: float = quantity("Brim", "m", possible=(0, 1000), above=True)
    fillet_m2: float = quantity("Lost to fillets", "m²", possible=(0, 1000), default=0.0)

    def __post_init__(self) -> None:
        if not (self.length_m > 0 and self.width_m > 0 and self.brim_m > 0):
            raise ImpossibleInput(Problem("length_m", "and width and brim must be above 0 m"))
        if not 0 <= self.fillet_m2 < self.length_m * self.width_m:
            raise ImpossibleInput(Problem("fillet_m2", f"is {self.fillet_m2:g} m²; it must be 0 to under the floor area"))

    def volume_m3(self, level_m: float) -> float:
        _level_in(level_m, self.brim_m)
        return (self.length_m * self.width_m - self.fillet_m2) * level_m


@dataclass(frozen=True, slots=True, kw_only=True)
class Surveyed:
    """A strapping table: levels and volumes, both rising from 0."""

    levels_m: tuple[float, ...] = item(List(label="Levels", of=LEVEL, least=2))
    volumes_m3: tuple[float, ...] = item(List(label="Volumes", of=VOLUME, least=2))

    def __post_init__(self) -> None:
        if len(self.levels_m) != len(self.volumes_m3) or len(self.levels_m) < 2:
            raise ImpossibleInput(Problem("levels_m", "and volumes must be two lists of the same length, at least 2"))
        if any(b <= a for t in (self.levels_m, self.volumes_m3) for a, b in zip(t, t[1:], strict=False)):
            raise ImpossibleInput(Problem("levels_m", "and volumes must both rise from row to row"))

    @property
    def brim_m(self) -> float:
        return self.levels_m[-1]

    def volume_m3(self, level_m: float) -> float:
        _level_in(level_m, self.brim_m)
        return float(np.interp(level_m, self.levels_m, self.volumes_m3))


Shape = Cylinder | Box | Surveyed


def _level_in(level_m: float, brim_m: float) -> None:
    if not 0.0 <= level_m <= brim_m:
        raise ImpossibleInput(Problem("level_m", f"is {level_m:g} m; it must be 0 to the brim at {brim_m:g} m"))


def level_m(shape: Shape, volume_m3: float) -> float:
    """Level that holds a volume, by bracketing. Worked: 50 m3 in the cone of the example stands at 3.87981 m.

    Raises: ImpossibleInput outside 0 to the full volume.
    """
    full = shape.volume_m3(shape.brim_m)
    if not 0.0 <= volume_m3 <= full * (1 + 1e-12):
        raise ImpossibleInput(Problem("volume_m3", f"is {volume_m3:g} m³; it must be 0 to {full:.4g} m³"))
    if volume_m3 <= 0.0:
        return 0.0
    if volume_m3 >= full:
        return shape.brim_m
    return brentq(lambda h: shape.volume_m3(h) - volume_m3, 0.0, shape.brim_m, xtol=1e-12)
