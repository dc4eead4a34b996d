"""A mixed vessel over a step, exact for flows that stand through it. Source: recovered to delivery, section 13.2 D."""

import math
from typing import Final

from core.compiled import compiled

TINY: Final = 1e-12
LEVEL: Final = 1e-12  # a vessel that neither rises nor falls is taken to rise by this share


@compiled
def mixed_shares(mass: float, came: float, then: float) -> tuple[float, float]:
    """Of a vessel that held `mass`, t, and holds `then` after so much `came`: the shares of what stood in it, and of what came,
    that stand in it after the step."""
    if came <= 0.0:
        return then / max(mass, TINY), 0.0
    rise = then / max(mass, TINY) - 1.0
    rise = LEVEL if rise == 0.0 else max(rise, TINY - 1.0)
    kept = math.exp(-math.log1p(rise) / rise * came / max(mass, TINY))
    return kept * then / max(mass, TINY), (1.0 - kept) * then / max(came, TINY)
