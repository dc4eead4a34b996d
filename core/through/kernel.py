"""What a step of the line moves, compiled: loops decide, plugs and vessels give up and take in, units act and send.

Flows stand through the step, so each part is exact. Source: recovered to delivery, section 13.2. Arrays that are said to be
changed are changed in place; the order of arguments is that of the work.
"""

from typing import Final, NamedTuple

import numpy as np
import numpy.typing as npt

from core.compiled import compiled
from core.stream import SUSPENDED, N, Vector
from core.through.control import pi_step
from core.through.entries import BIRTH, CARRIED_BY, WEIGHTS, E
from core.through.mixing import TINY, mixed_shares
from core.through.plugs import Parcels, pop, push
from core.through.sequences import dumped

Places = npt.NDArray[np.int64]
LEAST_CONS: Final = 0.01
SOLIDS: Final = SUSPENDED


class Fixed(NamedTuple):
    """Where everything stands: places in the arrays, and sizes of vessels in t. Nothing of it changes."""

    inner: int  # links within the line; plugs of streams stand behind them
    supplies: int  # streams that are bought stand first
    plug_to: Places
    stream_from: Places  # vessel of each stream, -1 for what is bought
    draws: int
    vessel_node: Places
    brim: Vector
    least_t: Vector
    towers: Places  # vessels with a plug above their mixed zone
    tower_plugs: Places
    zone: Vector
    tower_full: Vector
    feeding: Places
    batch_plug: Places
    comes_at: Places  # in the pool: what comes to each acting unit
    sent_at: Places  # and what each link takes its share of
    over_at: Places  # and what nothing leads on from
    bought: Vector  # (supplies, 26) of a tonne


class Loops(NamedTuple):
    """Loops of levels stand first, then those of consistencies."""

    reads: Places  # vessels
    drives: Places  # streams
    acts: Vector
    kc: Vector
    high: Vector
    rate: Places  # streams told by their solids
    rate_vessel: Places


class Paced(NamedTuple):
    """What of the loops hangs on the step's length alone."""

    share: Vector  # of a new reading, in the filter
    quick: Vector
    most: Vector


@compiled
def standing(held: Vector, mass: Vector, cons: Vector) -> None:
    """Mass, t, and consistency, a share, of what stands in vessels (v, 26), into `mass` and `cons`."""
    for v in range(len(mass)):
        solids = whole = 0.0
        for c in range(N):
            solids += held[v, c] * SOLIDS[c]
            whole += held[v, c]
        mass[v], cons[v] = whole, solids / max(whole, TINY)


@compiled
def entering(pool: Vector, at: Places, seen: Vector) -> None:
    """Solids and all that enters these nodes of the pool, t, into `seen` (nodes, 2)."""
    for i in range(len(at)):
        solids = whole = 0.0
        for c in range(N):
            solids += pool[at[i], c] * SOLIDS[c]
            whole += pool[at[i], c]
        seen[i, 0], seen[i, 1] = solids, whole


@compiled
def share_out(stands: Vector, parts: Vector, link_share: Vector, fallback: Vector, share: Vector) -> None:
    """What each link takes of what leaves its unit, by entry, into `share`: of masses (`parts` of what `stands` there) as they
    go, of what is carried as its carrier goes; as the unit is solved where it stands empty."""
    of = np.empty(WEIGHTS.shape[1])
    for k in range(len(share)):
        for c in range(N):
            share[k, c] = parts[k, c] / stands[k, c] if stands[k, c] > TINY else link_share[k, c]
        for w in range(len(of)):
            by = whole = 0.0
            for c in range(N):
                by += parts[k, c] * WEIGHTS[c, w]
                whole += stands[k, c] * WEIGHTS[c, w]
            of[w] = by / whole if whole > TINY else fallback[k, w]
        for e in range(N, E):
            share[k, e] = of[CARRIED_BY[e - N]]


@compiled
def decide(
    loops: Loops,
    paced: Paced,
    whole: Vector,
    cons: Vector,
    reads: Vector,
    wants: Vector,
    sticks: Vector,
    asked: Vector,
    by_hand: Vector,
    runs: Vector,
    filtered: Vector,
    integral: Vector,
    flow: Vector,
) -> None:
    """t/h of every stream in a step, in place of `flow`: loops by what they read, draws by solids, the rest as it is asked.

    `whole` and `cons` of every vessel, `reads` the consistencies that loops see; `filtered` and `integral` are changed.
    """
    levels = len(loops.reads)
    driven = np.empty(len(loops.drives))
    for k in range(len(driven)):
        if k < levels:
            filtered[k] = whole[loops.reads[k]]
        else:
            filtered[k] += paced.share[k - levels] * (reads[k - levels] - filtered[k])
        e, high = loops.acts[k] * (wants[k] - filtered[k]), loops.high[k]
        driven[k], integral[k] = pi_step(
            e, flow[loops.drives[k]], integral[k], loops.kc[k], paced.quick[k], 0.0, high, paced.most[k], sticks[k]
        )
    flow[:] = asked
    for k in range(len(driven)):
        flow[loops.drives[k]] = driven[k]
    for k in range(len(loops.rate)):
        flow[loops.rate[k]] /= max(cons[loops.rate_vessel[k]], LEAST_CONS)
    for j in range(len(flow)):
        if by_hand[j]:
            flow[j] = asked[j]
        flow[j] *= runs[j]


@compiled
def shift(
    f: Fixed,
    parcels: Parcels,
    dt: float,
    now: float,
    flow: Vector,
    mass: Vector,
    wanted: Vector,
    given: Vector,
    tanks: Vector,
    tank_flow: Vector,
    tank_full: Vector,
    feed: Vector,
    feed_mass: Vector,
    shut: Vector,
    fed_by: Vector,
    pool: Vector,
    held: Vector,
    left: Vector,
    came: Vector,
    held_back_h: Vector,
) -> bool:
    """Plugs give up (into `given`), what enters every node is put together, vessels mix and give up (t of a tonne: `left`).

    `wanted`: what links within the line pass on, t; its places of streams and towers are filled here. `tanks`, `tank_flow`,
    `tank_full`: of those behind batches. `pool`: what enters every node, then what leaves every vessel. `flow` and
    `held_back_h` are changed where a vessel would end under what its pumps leave. Returns whether a vessel is at its brim.
    """
    out = np.zeros(len(mass))
    for j in range(len(flow)):
        if f.stream_from[j] >= 0:
            out[f.stream_from[j]] += flow[j] * dt
    for j in range(f.draws):
        wanted[f.inner + j] = flow[j] * dt
    for i in range(len(f.towers)):
        v, k = f.towers[i], f.tower_plugs[i]
        above = parcels.head[k] - parcels.out[k]
        over = mass[v] + above + wanted[k] - out[v] - f.tower_full[i]
        wanted[k] = f.zone[i] * wanted[k] + (1.0 - f.zone[i]) * out[v] + max(0.0, over)  # full towers pass on what is over
    pop(parcels, wanted, given)
    if len(f.batch_plug):
        batches = given[f.batch_plug]
        dumped(tanks, tank_flow, tank_full, dt, batches)
        given[f.batch_plug] = batches
    _enters(f, dt, now, given, feed, feed_mass, shut, fed_by, pool)
    nodes, brimming = len(pool) - len(mass) - len(f.comes_at), False
    for v in range(len(mass)):
        came[v] = pool[f.vessel_node[v], :N].sum()
    _hold_back(f, dt, mass, came, out, flow, held_back_h)
    for v in range(len(mass)):
        node, room = f.vessel_node[v], mass[v] + came[v]
        then = min(room - out[v], f.brim[v])
        brimming |= then == f.brim[v]
        leaves = room - then
        stays, of_came = mixed_shares(mass[v], came[v], then)
        passed = flow[f.draws + v] * dt + leaves - out[v]
        for e in range(E):
            whole = held[v, e] + pool[node, e]
            held[v, e] = held[v, e] * stays + pool[node, e] * of_came
            left[v, e] = (whole - held[v, e]) / max(leaves, TINY)
            pool[nodes + v, e] = left[v, e] * passed
    return brimming


@compiled
def _enters(
    f: Fixed, dt: float, now: float, given: Vector, feed: Vector, feed_mass: Vector, shut: Vector, fed_by: Vector, pool: Vector
) -> None:
    """What plugs give up and what is fed from outside, by the node it enters; what is fed is counted."""
    pool[:] = 0.0
    for k in range(len(f.plug_to)):
        for e in range(E):
            pool[f.plug_to[k], e] += given[k, e]
    for i in range(len(f.feeding)):
        if shut[i]:
            continue
        for e in range(E):
            fed = feed_mass[i] * dt * now if e == BIRTH else feed[i, e] * dt
            pool[f.feeding[i], e] += fed
            fed_by[i, e] += fed


@compiled
def _hold_back(f: Fixed, dt: float, mass: Vector, came: Vector, out: Vector, flow: Vector, held_back_h: Vector) -> None:
    """Streams and outflows so that no vessel ends under what its pumps leave; what is not given is noted."""
    for v in range(len(mass)):
        most = max(mass[v] + came[v] - f.least_t[v], 0.0)
        if out[v] <= most:
            continue
        scale = most / max(out[v], TINY)
        out[v] *= scale
        for j in range(len(flow)):
            if f.stream_from[j] == v:
                flow[j] *= scale
                held_back_h[j] += dt


@compiled
def send(
    f: Fixed,
    parcels: Parcels,
    dt: float,
    now: float,
    flow: Vector,
    before: Vector,
    share: Vector,
    left: Vector,
    brimming: bool,
    pool: Vector,
    pushed: Vector,
    into: Vector,
    made_by: Vector,
    gone_by: Vector,
    over: Vector,
    bought_t: Vector,
    bought_born: Vector,
) -> None:
    """What leaves units (of the pool) is sent on by their shares, streams are drawn, plugs take it in.

    `pushed` and `into` are what each plug takes in, with its t. What acting units made of what came to them (`before`), what
    left the line and what was bought is counted."""
    acted = len(pool) - len(before)
    made_by += pool[acted:] - before
    for k in range(len(f.sent_at)):
        whole = 0.0
        for e in range(E):
            sent = pool[f.sent_at[k], e] * share[k, e]
            if k >= f.inner:
                gone_by[k - f.inner, e] += sent
                continue
            pushed[k, e] = sent
            if e < N:
                whole += sent
        if k < f.inner:
            into[k] = whole
    if brimming:
        for i in range(len(f.over_at)):
            over += pool[f.over_at[i]]
    for j in range(f.draws):
        k, drawn = f.inner + j, flow[j] * dt
        into[k] = drawn
        if j >= f.supplies:
            for e in range(E):
                pushed[k, e] = left[f.stream_from[j], e] * drawn
            continue
        for e in range(E):
            pushed[k, e] = f.bought[j, e] * drawn
        pushed[k, BIRTH] = drawn * now
        bought_t[j] += drawn
        bought_born[j] += drawn * now
    push(parcels, into, pushed)
