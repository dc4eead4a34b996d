"""What units send on, one after the other down the line, compiled: components, solutes and the quality on the pulp.

Arrays that are said to be changed are changed in place. Source: one balance for a line, models, chips to bleach, section 10.
"""

import math
from typing import Final, NamedTuple

import numpy as np
import numpy.typing as npt

from core.compiled import compiled
from core.stream import DS, FIBRE, SUSPENDED, N, Vector, W

Places = npt.NDArray[np.intp]
NOTHING: Final = 1e-12
LOG_FED_CSF: Final = math.log(600.0)  # what comes without fibre is taken as what is fed from outside
FED_S: Final = 30.0


class Laid(NamedTuple):
    """Who sends to whom; nothing of it changes on a walk. A way is one unit's sending to another."""

    begins: Places  # (n + 1) the first way of every unit
    to: Places  # of every way
    through: npt.NDArray[np.bool_]  # (n) units on the walk
    thick_at: Places  # thickeners: the unit, the way that keeps liquor, the way that gives it up (-1: none here)
    thick_way: Places
    thick_rest: Places
    displaced: npt.NDArray[np.bool_]
    on_fibre: npt.NDArray[np.bool_]  # of the solutes


class Made(NamedTuple):
    """What units are by their acts; changed as each acts."""

    turns: npt.NDArray[np.bool_]  # (n) units that turn components into others
    conversion: Vector  # (n, 11, 11)
    shares: Vector  # (ways, 11)
    sets: Vector  # (n, 5) kappa, log of freeness, k, s (and grey); not a number where a unit sets nothing
    adds: Vector  # (n, solutes)
    thick: Vector  # consistency that a thickener leaves, a fraction
    drawn_in: Vector  # (n, 11) what draws bring


class Riding(NamedTuple):
    """What has come to every unit so far; changed."""

    flows: Vector  # (n, 11)
    solutes: Vector  # (n, solutes)
    rides: Vector  # (n, 6) fibre, solids, then kappa and log of freeness by the fibre, k and s by the solids


@compiled
def came(rides: Vector, i: int) -> tuple[float, float, float, float]:
    """Kappa, log of freeness, k and s of what arrives at a unit."""
    fibre, solids = rides[i, 0], rides[i, 1]
    if fibre <= NOTHING or solids <= NOTHING:
        return 0.0, LOG_FED_CSF, 0.0, FED_S
    return rides[i, 2] / fibre, rides[i, 3] / fibre, rides[i, 4] / solids, rides[i, 5] / solids


@compiled
def _weight(flows: Vector, by: Vector) -> float:
    total = 0.0
    for c in range(N):
        total += flows[c] * by[c]
    return total


@compiled
def _thickened(laid: Laid, made: Made, t: int, after: Vector, sent: Vector, begin: int) -> None:
    """Let a thickener's way keep liquor until it has its consistency; its other way gives that up. `sent` is changed."""
    kept = sent[laid.thick_way[t] - begin]
    moved = _weight(kept, SUSPENDED) * (1.0 / made.thick[t] - 1.0) - (kept[DS] + kept[W])
    own = after[DS] + after[W]
    dissolved = 0.0 if laid.displaced[t] or own <= 0.0 else moved * after[DS] / own
    water = moved if laid.displaced[t] or own <= 0.0 else moved * after[W] / own
    kept[DS] += dissolved
    kept[W] += water
    if laid.thick_rest[t] >= 0:
        sent[laid.thick_rest[t] - begin, DS] -= dissolved
        sent[laid.thick_rest[t] - begin, W] -= water


@compiled
def onward(first: int, last: int, laid: Laid, made: Made, riding: Riding) -> None:
    """What units first to last (last left out) send to units further on is added to `riding`."""
    flows, solutes, rides = riding.flows, riding.solutes, riding.rides
    quality = np.empty(4)
    for i in range(first, last):
        if not laid.through[i]:
            continue
        into = flows[i] + made.drawn_in[i]
        after = made.conversion[i] @ into if made.turns[i] else into
        begin, end = laid.begins[i], laid.begins[i + 1]
        sent = made.shares[begin:end] * after
        for t in range(len(laid.thick_at)):
            if laid.thick_at[t] == i:
                _thickened(laid, made, t, after, sent, begin)
        quality[0], quality[1], quality[2], quality[3] = came(rides, i)
        for q in range(4):
            if not np.isnan(made.sets[i, q]):
                quality[q] = made.sets[i, q]
        liquor, held = after[DS], _weight(after, FIBRE)
        for w in range(begin, end):
            to, part = laid.to[w], sent[w - begin]
            if to <= i:
                continue
            fibre, solids = _weight(part, FIBRE), _weight(part, SUSPENDED)
            by_fibre = fibre / held if held > 0.0 else 0.0  # solutes go by what holds them, or by what dissolves them
            by_liquor = part[DS] / liquor if liquor > 0.0 else 0.0
            for c in range(N):
                flows[to, c] += part[c]
            for s in range(solutes.shape[1]):
                solutes[to, s] += (solutes[i, s] + made.adds[i, s]) * (by_fibre if laid.on_fibre[s] else by_liquor)
            rides[to, 0] += fibre
            rides[to, 1] += solids
            for q in range(4):
                rides[to, 2 + q] += quality[q] * (fibre if q < 2 else solids)
