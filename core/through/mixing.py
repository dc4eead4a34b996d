"""Mixed vessels over a step, exact for flows that stand through it. Source: recovered to delivery, section 13.2 D."""

import math
from typing import Final

import numpy as np

from core.stream import Vector

TINY: Final = 1e-12
LEVEL: Final = 1e-12  # a vessel that neither rises nor falls is taken to rise by this share


def mixed(held: Vector, mass: Vector, brought: Vector, came: Vector, then: Vector, leaves: Vector) -> tuple[Vector, Vector]:
    """What stands in each vessel after a step, (v, e), and what left it, of a tonne (v, e).

    `held` and `brought` (v, e) stood in it and came; `mass` and `came` are their t, `then` and `leaves` what stands at the end
    and what went.
    """
    safe = np.maximum(mass, TINY)
    grows = then / safe
    rise = grows - 1.0
    rise[rise == 0.0] = LEVEL
    np.maximum(rise, TINY - 1.0, out=rise)
    kept = np.exp(np.log1p(rise) / rise * (-came / safe))
    after = held * (kept * grows)[:, None]
    after += brought * ((1.0 - kept) * then / np.maximum(came, TINY))[:, None]
    left = held + brought
    left -= after
    left /= np.maximum(leaves, TINY)[:, None]
    return after, left


def mixed_shares(mass: float, came: float, then: float) -> tuple[float, float]:
    """Of one vessel by the same rule: the shares of what stood in it, and of what came, that stand in it after the step."""
    grows = then / max(mass, TINY)
    rise = grows - 1.0
    rise = max(rise or LEVEL, TINY - 1.0)
    kept = math.exp(-math.log1p(rise) / rise * came / max(mass, TINY))
    return kept * grows, (1.0 - kept) * then / max(came, TINY) if came > 0.0 else 0.0
