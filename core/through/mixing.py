"""Mixed vessels over a step, exact for flows that stand through it. Source: recovered to delivery, section 13.2 D."""

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
