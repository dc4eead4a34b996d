"""Mixed vessels over a step, exact for flows that stand through it. Source: recovered to delivery, section 13.2 D."""

import math
from typing import Final

import numpy as np

from core.stream import Vector

TINY: Final = 1e-12


def mixed(held: Vector, mass: Vector, brought: Vector, came: Vector, then: Vector, leaves: Vector) -> tuple[Vector, Vector]:
    """What stands in each vessel after a step, (v, e), and what left it, of a tonne (v, e).

    `held` and `brought` (v, e) stood in it and came; `mass` and `came` are their t, `then` and `leaves` what stands at the end
    and what went.
    """
    safe = np.maximum(mass, TINY)
    grows = then / safe
    rise = grows - 1.0
    flat = np.abs(rise) < 1e-6
    rise[flat] = 1.0
    slope = np.log(np.maximum(grows, TINY)) / rise
    slope[flat] = 1.5 - 0.5 * grows[flat]
    kept = np.exp(-slope * came / safe)
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
    slope = 1.5 - 0.5 * grows if abs(rise) < 1e-6 else math.log(max(grows, TINY)) / rise
    kept = math.exp(-slope * came / max(mass, TINY))
    return kept * grows, (1.0 - kept) * then / max(came, TINY) if came > 0.0 else 0.0
