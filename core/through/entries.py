"""What is carried through time: masses, what is dissolved or held, and sums of a value times what carries it.

All entries are extensive, so that mixing and splitting are addition. The list and its carriers are those of the steady line:
kappa and freeness (its logarithm) ride on the fibre, light on all that is suspended, heat on everything, solutes on the
dissolved or on the fibre. Source: recovered to delivery, section 13.1; kappa, light and temperature as the steady solver mixes
them.
"""

from typing import Final

import numpy as np

from core.stream import COMPONENTS, DS, FIBRE, HEAT_KJ_KG_K, SUSPENDED, N, Vector
from core.unit import ON_FIBRE, SOLUTES

RIDES: Final = ("heat", "kappa", "csf_ml", "k457", "s457", "grey", "birth")
ENTRIES: Final = (*COMPONENTS, *SOLUTES, *RIDES)
E: Final = len(ENTRIES)
AT: Final = {name: i for i, name in enumerate(ENTRIES)}
HEAT, KAPPA, CSF, K457, S457, GREY, BIRTH = (AT[name] for name in RIDES)
OF_SOLUTES: Final = slice(N, N + len(SOLUTES))
CARRIERS: Final = ("dissolved", "fibre", "suspended", "heat", "mass")
BY_DISSOLVED, BY_FIBRE, BY_SUSPENDED, BY_HEAT, BY_MASS = range(len(CARRIERS))

WEIGHTS: Final[Vector] = np.stack([np.eye(N)[DS], FIBRE, SUSPENDED, HEAT_KJ_KG_K, np.ones(N)], axis=1)  # (11, carriers)
CARRIED_BY: Final = np.array(
    [BY_FIBRE if held else BY_DISSOLVED for held in ON_FIBRE]
    + [BY_HEAT, BY_FIBRE, BY_FIBRE, BY_SUSPENDED, BY_SUSPENDED, BY_SUSPENDED, BY_MASS]
)
SOLUTES_T: Final = 1e-3  # solutes are carried in t, the steady line tells kg/h


def carriers(components: Vector) -> Vector:
    """(..., carriers) of masses (..., 11)."""
    return np.asarray(components @ WEIGHTS)


def content(components: Vector, *, temp_c: float, quality: tuple[float, ...], solutes: Vector | None = None) -> Vector:
    """(26,) of masses (11), t: `quality` in the order kappa, ln CSF, k457, s457, grey; solutes in t; born at time 0."""
    result = np.zeros(E)
    result[:N] = components
    if solutes is not None:
        result[OF_SOLUTES] = solutes
    by = carriers(components)
    result[HEAT] = temp_c * by[BY_HEAT]
    for place, value in zip((KAPPA, CSF, K457, S457, GREY), quality, strict=True):
        result[place] = value * by[CARRIED_BY[place - N]]
    return result


def value(held: Vector, entry: int) -> Vector:
    """A carried value of contents (..., 26): its sum over what carries it; nan where nothing does."""
    by = carriers(held[..., :N])[..., CARRIED_BY[entry - N]]
    with np.errstate(invalid="ignore", divide="ignore"):
        return np.asarray(np.where(by > 1e-12, held[..., entry] / np.where(by > 1e-12, by, 1.0), np.nan))
