"""What share of the solids that come to every unit has passed one unit: what is missed there while that one stands.

A share of 1 at the unit itself is carried along the ways of the solved line, with what turns back: at a unit whose solids S
come from units u with flows q, the share is the sum of q × the share of u, over S. Linear, so it is solved at once.
"""

import numpy as np

from core.line.steady import Solution
from core.stream import SUSPENDED, Vector

LEAST_T_H = 1e-9


def passing(solution: Solution, unit_id: str) -> dict[str, float]:
    """Shares, 0 to 1, by unit. Raises: KeyError for a unit that is not in the line."""
    network = solution.network
    n, own = len(network.units), network.index[unit_id]
    flows: Vector = np.zeros((n, n))
    for unit in network.units:
        for outlet in unit.outlets:
            solids = float(solution.left(unit.id, outlet.name) @ SUSPENDED)
            flows[network.index[outlet.to], network.index[unit.id]] += max(0.0, solids)
    came = flows.sum(axis=1) + np.maximum(0.0, network.feed @ SUSPENDED)
    share = flows / np.maximum(LEAST_T_H, came)[:, None]
    share[own] = 0.0
    wanted = np.zeros(n)
    wanted[own] = 1.0
    told = np.linalg.solve(np.eye(n) - share, wanted)
    return {unit.id: float(min(1.0, max(0.0, told[network.index[unit.id]]))) for unit in network.units}
