"""The steady state of a network with recycles.

One sparse system over units and components. Draws start as flows of a guessed composition (a few linear passes); then they are
fractions of what stands in their tank, found by Newton's method, so that every component closes in every pass.
Source: models, section 1; Newton's method in place of its damped passes, since recycles near 1 make those slow.
"""

from collections.abc import Mapping
from dataclasses import dataclass, replace
from functools import cached_property
from typing import Any

import numpy as np
from scipy.sparse import csc_array, eye_array
from scipy.sparse.linalg import SuperLU, splu

from core.errors import NotSolved, Problem
from core.line.network import Draw, DrawKind, Network, UnsolvableNetwork
from core.stream import COMPONENTS, DS, FIBRE, HEAT_KJ_KG_K, SUSPENDED, N, Quality, Stream, Vector, W
from core.unit import ON_FIBRE

LIQUID: Vector = np.eye(N)[DS]  # what solutes go with
FIRST_PASSES = 2
MOST_PASSES = 30
TOLERANCE = 1e-11
GOOD_STEP = 0.02
CLOSURE_TOLERANCE = 1e-9
MOST_CONDITION = 1e12
ASTRAY = 1e12  # of a tank, or t/h: no draw is ever so large
GROWN = 1e6  # times what is fed: the line is looked at for a loop without a bleed
# units stand in the order of the fibre; columns are too short for panels to pay
AS_IT_FLOWS: dict[str, Any] = {"permc_spec": "NATURAL", "diag_pivot_thresh": 0.01, "relax": 1, "panel_size": 1}
LIQUOR = np.zeros(N)
LIQUOR[[DS, W]] = 1.0
WATER = np.zeros(N)
WATER[W] = 1.0


@dataclass(frozen=True, kw_only=True, eq=False)
class Solution:
    """Feeds of every unit (n, 11), what leaves after conversion, the draws (t/h), closure and quality."""

    network: Network
    into: Vector
    after: Vector
    drawn: Vector
    composition: Vector  # (draws, 11)
    passes: int
    closure: Vector  # (11,) |in + made - out| / all that was fed
    kappa: Vector
    csf_ml: Vector
    k457: Vector
    s457: Vector
    grey: Vector
    temp_c: Vector
    mixing: "Mixing"
    arrives: Mapping[str, Vector]  # quality that comes to every unit, before it sets its own

    def draw_t_h(self, draw_id: str) -> float:
        """Mass flow of a draw, t/h of everything."""
        return float(self.drawn[next(i for i, d in enumerate(self.network.draws) if d.id == draw_id)])

    def _quality(self, i: int) -> Quality:
        return Quality(
            kappa=float(self.kappa[i]),
            csf_ml=float(self.csf_ml[i]),
            k457=float(self.k457[i]),
            s457=float(self.s457[i]),
            grey=float(self.grey[i]),
        )

    def enters(self, unit_id: str) -> Stream:
        """Everything that enters a unit, with the quality that the unit gives it."""
        i = self.network.index[unit_id]
        return Stream(flows=_clean(self.into[i]), temp_c=float(self.temp_c[i]), quality=self._quality(i))

    def leaves(self, unit_id: str, outlet: str) -> Stream:
        """One outlet of a unit, draws taken off or added: what goes on to the next."""
        if (known := self._streams.get((unit_id, outlet))) is None:
            i, flows = self.network.index[unit_id], _clean(self.left(unit_id, outlet))
            known = Stream(flows=flows, temp_c=float(self.temp_c[i]), quality=self._quality(i))
            self._streams[unit_id, outlet] = known
        return known

    @cached_property
    def _streams(self) -> dict[tuple[str, str], Stream]:
        """Outlets that were asked for: a page draws each of them several times."""
        return {}

    def left(self, unit_id: str, outlet: str) -> Vector:
        """The same as flows by component, t/h; below 0 where a vessel's level falls."""
        i = self.network.index[unit_id]
        unit = self.network.units[i]
        way = next(o for o in unit.outlets if o.name == outlet)
        flows: Vector = self.after[i] * way.shares
        for d, taken in self._draws_of.get(unit_id, ()):
            if d.rest == outlet:
                flows = flows - taken
            if d.kind is DrawKind.THICKEN and d.to == way.to and d.rest != outlet:
                flows = flows + taken
        return flows

    @cached_property
    def _draws_of(self) -> dict[str, list[tuple[Draw, Vector]]]:
        """The draws of each tank with what they carry, t/h by component."""
        result: dict[str, list[tuple[Draw, Vector]]] = {}
        for d, q, w in zip(self.network.draws, self.drawn, self.composition, strict=True):
            result.setdefault(d.tank, []).append((d, q * w))
        return result

    def drawn_from(self, unit_id: str) -> Stream:
        """All that is drawn from a unit, together."""
        i = self.network.index[unit_id]
        flows = sum((taken for _, taken in self._draws_of.get(unit_id, ())), np.zeros(N))
        return Stream(flows=_clean(flows), temp_c=float(self.temp_c[i]), quality=self._quality(i))

    def stored_t_h(self, unit_id: str) -> float:
        """Suspended solids a vessel gains (loses, when negative): its feed less what is drawn from it."""
        i = self.network.index[unit_id]
        drawn = sum(float(taken @ SUSPENDED) for _, taken in self._draws_of.get(unit_id, ()))
        return float(self.after[i] @ SUSPENDED) - drawn

    @cached_property
    def worst_closure(self) -> float:
        return float(self.closure.max())


def _clean(flows: Vector) -> Vector:
    """Rounding dust below zero is zero; anything larger stays and is refused by Stream."""
    return np.where((flows < 0) & (flows > -1e-7 * max(1.0, float(np.abs(flows).sum()))), 0.0, flows)


class _Draws:
    """The draws as arrays: where they take and give, what they carry, and the constraint each must meet.

    Constraint j: row[j] . feed[at[j]] + own[j] phi_j + shared[j] . phi = right[j], with phi the draws in t/h; for a draw
    by solids, own[j] is the solids in one t/h of it.
    """

    def __init__(self, network: Network) -> None:
        draws, m = network.draws, len(network.draws)
        self.tank, self.to, self.rest = network.ends.tank, network.ends.to, network.ends.rest
        self.mask, self.fixed = np.ones((m, N)), np.zeros((m, N))
        self.moving = np.ones(m, dtype=bool)  # carries what the tank holds; else of fixed composition
        self.row, self.at = np.zeros((m, N)), np.zeros(m, dtype=int)
        self.own, self.right, self.shared = np.zeros(m), np.zeros(m), np.zeros((m, m))
        self.by_solids = np.array([d.kind is DrawKind.RATE for d in draws], dtype=bool)
        for j, d in enumerate(draws):
            tank = network.unit(d.tank)
            if d.kind is DrawKind.THICKEN:
                self.mask[j] = WATER if d.displaced else LIQUOR
            if tank.supply or (d.kind is DrawKind.THICKEN and d.displaced):
                self.moving[j] = False
                own = tank.feed / tank.feed.sum() if tank.supply else WATER
                self.fixed[j] = own if d.carries is None else d.carries
            self._constrain(j, d, network)

    def _constrain(self, j: int, d: Draw, network: Network) -> None:
        if d.kind is DrawKind.FLOW:
            self.own[j], self.right[j] = 1.0, d.target
        elif d.kind is DrawKind.RATE:
            self.right[j] = d.target
        elif d.kind is DrawKind.DILUTE:
            self.row[j], self.at[j] = SUSPENDED - d.target, self.to[j]
        elif d.kind is DrawKind.KEEP:
            self.row[j], self.at[j], self.right[j] = 1.0, self.to[j], d.target
            self.shared[j, [k for k, other in enumerate(network.draws) if other.tank == d.to]] = -1.0
        else:
            unit = network.unit(d.tank)
            kept = next(o for o in unit.outlets if o.to == d.to and o.name != d.rest).shares
            held = (LIQUOR - (1.0 / d.target - 1.0) * SUSPENDED) * kept
            i = network.index[d.tank]
            self.row[j], self.at[j], self.own[j] = held @ network.conversion[i], i, 1.0

    def compositions(self, after: Vector) -> Vector:
        """Mass fractions (m, 11) of what each draw carries, from what stands in its tank."""
        flows = np.maximum(after[self.tank], 0.0) * self.mask
        total = flows.sum(axis=1, keepdims=True)
        result = np.where(total > 0.0, flows / np.where(total > 0.0, total, 1.0), WATER)
        return np.where(self.moving[:, None], result, self.fixed)


class _System:
    """Balances and constraints as one sparse system over the feeds X (n, 11) and one unknown z a draw.

    A moving draw takes the fraction z of what stands in its tank, any other z t/h of a fixed composition. Each row is
    linear in X and in what the draws carry, so the Jacobian is a fixed pattern with three kinds of entries: constant, z
    times a weight (how a draw answers to its tank), and a weight times what stands in the tank (how it answers to z).
    """

    def __init__(self, network: Network, draws: _Draws) -> None:
        n, m = len(network.units), len(network.draws)
        self.network, self.draws, self.m, self.size = network, draws, m, n * N + m
        # what one t/h of component c carried by draw k adds to each row: to its consumer, from its rest, to constraints
        k, c = np.divmod(np.arange(m * N), N)
        back = draws.rest[k] >= 0
        own = np.where(draws.by_solids[:, None], SUSPENDED, draws.own[:, None])
        j, other = (np.repeat(each, N) for each in np.nonzero(draws.shared))
        p_row = np.concatenate([draws.to[k] * N + c, (draws.rest[k] * N + c)[back], n * N + k, n * N + j])
        p_kc = np.concatenate([k * N + c, (k * N + c)[back], k * N + c, other * N + np.arange(len(j)) % N])
        p_val = np.concatenate([np.full(m * N, -1.0), np.ones(int(back.sum())), own.ravel(), draws.shared[j, other]])
        on = p_val != 0.0
        self.p_row, self.p_kc, self.p_val = p_row[on], p_kc[on], p_val[on]
        # what draw k carries of each component for one unit of z, from the feeds of its tank
        held = network.conversion[draws.tank] * (draws.mask * draws.moving[:, None])[:, :, None]
        k, c, entered = np.nonzero(held)
        self.held_kc, self.held_col, self.held_val = k * N + c, draws.tank[k] * N + entered, held[k, c, entered]
        # constants: the identity less what units send on, and the constraints' own rows
        flow, every = network.flow, np.arange(n * N)
        j, c = np.nonzero(draws.row)
        self.rows = np.concatenate([every, flow.row, n * N + j])
        self.cols = np.concatenate([every, flow.col, draws.at[j] * N + c])
        self.given = np.concatenate([np.ones(n * N), -flow.data, draws.row[j, c]])
        self.right = np.concatenate([network.feed.ravel(), draws.right])
        # the pattern: entry lists with the place of each in the column-ordered matrix
        begins = np.searchsorted(self.held_kc, np.arange(m * N + 1))
        lengths = np.diff(begins)[self.p_kc]
        at = np.arange(int(lengths.sum())) + np.repeat(begins[self.p_kc] - np.cumsum(lengths) + lengths, lengths)
        self.by_z = np.repeat(self.p_val, lengths) * self.held_val[at]
        self.by_z_owner = np.repeat(self.p_kc // N, lengths)
        key = np.concatenate([self.cols, self.held_col[at], n * N + self.p_kc // N]).astype(np.int64) * self.size
        key += np.concatenate([self.rows, np.repeat(self.p_row, lengths), self.p_row])
        places, self.place = np.unique(key, return_inverse=True)
        starts = np.searchsorted(places, np.arange(self.size + 1) * self.size).astype(np.int32)
        empty = np.zeros(len(places))
        self.jacobian = csc_array((empty, (places % self.size).astype(np.int32), starts), shape=(self.size, self.size))

    def stands(self, x: Vector) -> Vector:
        """What each draw carries (m, 11) for one unit of its z."""
        draws = self.draws
        flows = np.bincount(self.held_kc, weights=self.held_val * x[self.held_col], minlength=self.m * N)
        standing = flows.reshape(self.m, N)
        return np.where(draws.moving[:, None], standing, draws.fixed)

    def miss(self, x: Vector, carried: Vector) -> Vector:
        """How far balances and constraints are from being met."""
        own = np.bincount(self.rows, weights=self.given * x[self.cols], minlength=self.size)
        drawn = np.bincount(self.p_row, weights=self.p_val * carried.ravel()[self.p_kc], minlength=self.size)
        return np.asarray(own + drawn - self.right, dtype=np.float64)

    def factors(self, z: Vector, stands: Vector) -> SuperLU:
        """The Jacobian's factors at these fractions and standing flows."""
        stood = stands.ravel()[self.p_kc]
        values = np.concatenate([self.given, self.by_z * z[self.by_z_owner], self.p_val * stood])
        self.jacobian.data = np.bincount(self.place, weights=values, minlength=self.jacobian.nnz)
        try:
            return splu(self.jacobian, **AS_IT_FLOWS)
        except RuntimeError:
            raise UnsolvableNetwork(
                Problem("network", "has a loop that returns all it is given, or draws that depend on each other")
            ) from None


def _refuse_ill_conditioned(network: Network, factors: SuperLU) -> None:
    """By the diagonal of the line's factors without draws, which shrinks as a loop comes near to giving nothing up.

    `factors` of the whole system begin with the line's, unless a constraint was taken as a pivot before its turn.
    """
    size = len(network.units) * N
    if not np.array_equal(factors.perm_r[:size], np.arange(size)):
        try:
            factors = splu((eye_array(size) - network.flow).tocsc(), **AS_IT_FLOWS)
        except RuntimeError:
            raise UnsolvableNetwork(Problem("network", "has a loop that returns all it is given")) from None
    pivots = np.abs(factors.U.diagonal()[:size])
    if not pivots.min() * MOST_CONDITION > pivots.max():
        i = int(np.flatnonzero(factors.perm_c == pivots.argmin())[0])
        unit, component = network.units[i // N], COMPONENTS[i % N]
        raise UnsolvableNetwork(Problem(unit.id, f"lies in a loop that gives up almost no {component}: add a bleed"))


def _first_guess(system: _System) -> tuple[Vector, Vector]:
    """A few linear passes, draws as t/h of the composition of the pass before: feeds and draws near the answer."""
    network, draws = system.network, system.draws
    n = len(network.units)
    still, fed = np.zeros(system.m), max(1.0, float(np.abs(system.right).sum()))
    x = np.zeros(system.size)
    for each in range(FIRST_PASSES):
        carried = draws.compositions(_after(network, x[: n * N].reshape(n, N)))
        if not each:  # nothing stands anywhere yet: solids by the pulp alone, all else by water
            carried = np.where((draws.moving & draws.by_solids)[:, None], SUSPENDED / SUSPENDED.sum(), carried)
        solids = carried @ SUSPENDED
        if (empty := np.flatnonzero(draws.by_solids & (solids <= 0.0) & (draws.right > 0.0))).size:
            d = network.draws[int(empty[0])]
            raise UnsolvableNetwork(Problem(d.tank, f"holds no solids, and {_t_h(d.target)} are asked of it"))
        carried = np.where((draws.by_solids & (solids <= 0.0))[:, None], SUSPENDED, carried)
        factors = system.factors(still, carried)
        x = factors.solve(system.right)
        if not each and not float(np.abs(x).max()) < GROWN * fed:  # a loop that gives almost nothing up swells with what is fed
            _refuse_ill_conditioned(network, factors)
        if not system.m:
            break
    return x, x[n * N :]


def _refine(system: _System, x: Vector, phi: Vector) -> tuple[Vector, Vector, Vector, int]:
    """Newton's method on feeds and draws together: feeds (n, 11), draws, what they carry, passes."""
    network, draws = system.network, system.draws
    n = len(network.units)
    x = x.copy()
    x[n * N :] = 0.0
    total = system.stands(x).sum(axis=1)
    z = np.where(draws.moving, phi / np.where(total > 0.0, total, 1.0), phi)  # fraction of the tank, or t/h
    worst, before, factors = np.inf, np.inf, None
    for passes in range(1, MOST_PASSES + 1):
        stands = system.stands(x)
        carried = z[:, None] * stands
        miss = system.miss(x, carried)
        worst = float(np.abs(miss).max() / max(1.0, float(np.abs(x).max())))
        if worst < TOLERANCE:
            return x[: n * N].reshape(n, N), carried.sum(axis=1), carried, passes
        if factors is None or worst > GOOD_STEP * before:  # old factors serve while they still bring the miss down
            factors = system.factors(z, stands)
        before = worst
        step = factors.solve(-miss)
        x[: n * N] += step[: n * N]
        z = z + step[n * N :]
        if system.m and not float(np.abs(z).max()) < ASTRAY:
            break
    where = int(np.abs(miss).argmax())
    place = network.units[where // N].id if where < n * N else network.draws[where - n * N].to
    raise NotSolved("the line", MOST_PASSES, worst, place)


def solve(network: Network, start: Solution | None = None) -> Solution:
    """Solve the steady state; `start` is a solution of a network of the same shape, to begin from.

    Raises: UnsolvableNetwork when a draw would have to run backwards (incoming thinner than the target, a tank drawn
    dry) or a loop gives nothing up; NotSolved when the draws do not settle in 30 passes.
    """
    system = _System(network, _Draws(network))
    into, drawn, carried, passes = _settled(system, start)
    after = _after(network, into)
    whole = np.where(np.abs(drawn) > 0.0, drawn, 1.0)
    compositions = carried / whole[:, None]
    _refuse_backwards(network, system.draws, drawn, compositions, after)
    closure = _closure(network, into, after, drawn, compositions)
    if closure.max() > CLOSURE_TOLERANCE:
        raise NotSolved("the balance", passes, float(closure.max()), COMPONENTS[int(closure.argmax())])
    mixing = Mixing(network, system.draws, after, carried)
    quality, arrives = mixing.of(network.sets)
    return Solution(
        network=network,
        into=into,
        after=after,
        drawn=drawn,
        composition=compositions,
        passes=passes,
        closure=closure,
        mixing=mixing,
        arrives=arrives,
        **quality,
    )


def _settled(system: _System, start: Solution | None) -> tuple[Vector, Vector, Vector, int]:
    """The line from another solution where that leads anywhere; else from nothing, which says why where there is none."""
    if start is not None:
        try:
            return _refine(system, np.concatenate([start.into.ravel(), start.drawn]), start.drawn)
        except (UnsolvableNetwork, NotSolved):
            pass
    return _refine(system, *_first_guess(system))


def _after(network: Network, into: Vector) -> Vector:
    after: Vector = np.einsum("ukc,uc->uk", network.conversion, into)
    return after


def _runs_forward(draws: _Draws, network: Network, drawn: Vector, compositions: Vector, after: Vector, scale: float) -> bool:
    """Whether no draw runs backwards and no outlet is drawn below nothing; outlets that share a target count together."""
    if (drawn < -1e-9 * scale).any():
        return False
    inner = draws.rest >= 0
    if not inner.any():
        return True
    pairs = draws.tank[inner] * len(network.units) + draws.rest[inner]
    places, where = np.unique(pairs, return_inverse=True)
    taken = np.zeros((len(places), N))
    np.add.at(taken, where, drawn[inner, None] * compositions[inner])
    tank, rest = np.divmod(places, len(network.units))
    left = after[tank] * network.routing[:, rest, tank].T - taken
    stores = np.array([network.units[i].stores for i in tank], dtype=bool)
    return bool((left.sum(axis=1) >= -1e-7 * scale)[~stores].all())


def _refuse_backwards(network: Network, draws: _Draws, drawn: Vector, compositions: Vector, after: Vector) -> None:
    scale = max(1.0, float(np.abs(drawn).max())) if len(drawn) else 1.0
    if not network.doubled and _runs_forward(draws, network, drawn, compositions, after, scale):
        return
    bad = []
    for d, q in zip(network.draws, drawn, strict=True):
        if q < -1e-9 * scale:
            if d.kind is DrawKind.DILUTE:
                text = f"cannot be thinned to {100 * d.target:g} %: what comes in is thinner than that"
            elif d.kind is DrawKind.KEEP:
                text = f"gets more than its draws take, by {_t_h(-q)}: it needs no make-up"
            else:
                text = f"would run backwards ({_t_h(q)})"
            bad.append(Problem(d.to, text))
    taken: dict[tuple[str, str], Vector] = {}
    for d, flows in zip(network.draws, drawn[:, None] * compositions, strict=True):
        taken[d.tank, d.rest] = taken.get((d.tank, d.rest), 0.0) + flows
    for d in network.draws:
        tank = network.unit(d.tank)
        if tank.supply or tank.stores:
            continue
        way = next(o for o in tank.outlets if o.name == d.rest)
        left = float((after[network.index[d.tank]] * way.shares - taken[d.tank, d.rest]).sum())
        if left < -1e-7 * scale:
            if d.kind is DrawKind.THICKEN:
                text = f"cannot leave at {100 * d.target:g} %: it comes in thicker, {_t_h(-left)} of liquor are missing"
            else:
                text = f"is drawn dry: {_t_h(-left)} more are asked than come in"
            bad.append(Problem(d.tank, text))
    if bad:
        raise UnsolvableNetwork(*dict.fromkeys(bad))


def _t_h(flow: float) -> str:
    """A flow in words: three figures, and never a power of ten."""
    return f"{flow:.0f} t/h" if abs(flow) >= 100.0 else f"{flow:.3g} t/h"


def _closure(network: Network, into: Vector, after: Vector, drawn: Vector, compositions: Vector) -> Vector:
    """|in + made - out| over all that was fed, for each component, counted anew from the result."""
    supplied = np.array([network.unit(d.tank).supply for d in network.draws], dtype=bool)
    fed = network.feed.sum(axis=0) + drawn[supplied] @ compositions[supplied]
    made = (after - into).sum(axis=0)
    exits = np.array([not u.outlets and not u.supply for u in network.units])
    out = after[exits].sum(axis=0)
    turnover = np.maximum(fed + np.maximum(made, 0.0), 1e-3 * max(float(fed.sum()), 1e-9) * 1e-3)
    closure: Vector = np.abs(fed + made - out) / turnover
    return closure


QUALITIES = ("kappa", "csf_ml", "k457", "s457", "grey", "temp_c")
FED = (0.0, float(np.log(600.0)), 0.0, 30.0, 0.0)  # what is fed from outside carries, where its unit says nothing


class Mixing:
    """How what rides on the solids, and heat, mix at every unit, by the solved flows; units that set a quality start it anew.

    Kappa and freeness (its logarithm) ride on the fibre, colour on all that is suspended, heat on everything.
    """

    def __init__(self, network: Network, draws: _Draws, after: Vector, carried: Vector) -> None:
        n = len(network.units)
        c, to, at, routed = network.links
        moved, lane = routed * np.maximum(after[at, c], 0.0), to * n + at
        inner = np.array([not network.unit(d.tank).supply for d in network.draws], dtype=bool)

        def weights(by: Vector) -> Vector:
            flow = np.bincount(lane, weights=by[c] * moved, minlength=n * n).reshape(n, n)
            mass = (carried @ by)[inner]
            np.add.at(flow, (draws.to[inner], draws.tank[inner]), mass)
            np.subtract.at(flow, (draws.rest[inner], draws.tank[inner]), mass)
            return np.maximum(flow, 0.0)

        def share_of(by: Vector) -> tuple[Vector, Vector, Vector]:
            """(mixing by mass of `by`, what the feed is of each unit's total, whether anything comes at all)."""
            flow = weights(by)
            feed = np.maximum(network.feed, 0.0) @ by
            total = flow.sum(axis=1) + feed
            some = total > 1e-12
            safe = np.where(some, total, 1.0)
            return flow / safe[:, None], feed / safe, some

        heat = weights(HEAT_KJ_KG_K)
        warm = network.feed @ HEAT_KJ_KG_K
        feed_temps = np.array([u.feed_temp_c for u in network.units])
        supplied = np.zeros(n)
        bought = (carried @ HEAT_KJ_KG_K)[~inner]
        np.add.at(supplied, draws.to[~inner], bought)
        heat_in = heat.sum(axis=1) + warm + supplied
        warmth = warm * feed_temps
        np.add.at(warmth, draws.to[~inner], bought * feed_temps[draws.tank[~inner]])
        safe = np.where(heat_in > 1e-12, heat_in, 1.0)
        fed = np.array(FED)[:, None]
        (fibre, fibre_fed, fibre_some), (solids, solids_fed, solids_some) = share_of(FIBRE), share_of(SUSPENDED)
        self.shares, self.right = np.empty((6, n, n)), np.empty((6, n))
        self.shares[:2], self.shares[2:5], self.shares[5] = fibre, solids, heat / safe[:, None]
        self.right[:2] = np.where(fibre_some, fibre_fed * fed[:2], fed[:2])
        self.right[2:5] = np.where(solids_some, solids_fed * fed[2:], fed[2:])
        self.right[5] = np.where(heat_in > 1e-12, warmth / safe, 20.0)

    def of(self, sets: Vector) -> tuple[dict[str, Vector], dict[str, Vector]]:
        """(quality at every unit, what arrives there before the unit sets its own); `sets` (n, 5) as `Sets.mixed`."""
        matrices, right = np.eye(len(sets)) - self.shares, self.right.copy()
        quality, unit = np.nonzero(~np.isnan(sets.T))
        matrices[quality, unit] = 0.0
        matrices[quality, unit, unit] = 1.0
        right[quality, unit] = sets[unit, quality]
        result = np.asarray(np.linalg.solve(matrices, right[:, :, None])[:, :, 0], dtype=np.float64)
        came: Vector = np.einsum("qij,qj->qi", self.shares, result) + self.right
        return _named(result), _named(came)


def _named(found: Vector) -> dict[str, Vector]:
    told = dict(zip(QUALITIES, found, strict=True))
    told["csf_ml"] = np.exp(told["csf_ml"])
    return told


def mixed_again(solution: Solution, network: Network) -> Solution:
    """The same flows with the qualities that the units of `network` set."""
    quality, arrives = solution.mixing.of(network.sets)
    told: dict[str, Any] = {**quality, "network": network, "arrives": arrives}
    return replace(solution, **told)


def solutes_of(solution: Solution, adds: Vector) -> Vector:
    """Solutes that enter every unit (n, k), in the unit of `adds` (n, k), what each unit adds to them.

    They go where the dissolved solids go, what the fibre holds where the fibre goes, draws included; signed amounts are carried
    like any other. Conserved exactly.
    """
    into: Vector = np.empty_like(adds)
    for by, held in ((LIQUID, ~ON_FIBRE), (FIBRE, ON_FIBRE)):
        share = _shares_of(solution, by)
        into[:, held] = np.linalg.solve(np.eye(len(share)) - share, share @ adds[:, held])
    return into


def _shares_of(solution: Solution, by: Vector) -> Vector:
    """(n, n): of what `by` counts in each unit, the share that goes to every other, draws included."""
    network, ends = solution.network, solution.network.ends
    stands = solution.after @ by
    safe = np.where(stands > 0.0, stands, 1.0)
    carried = np.flatnonzero(by)
    if len(carried) == 1:  # of one component alone the shares hold where none of it stands, too
        share = network.routing[carried[0]].copy()
    else:
        held = by[carried, None] * solution.after.T[carried] / safe
        share = (network.routing[carried] * held[:, None, :]).sum(axis=0)
    moves = (ends.rest >= 0) & (stands[ends.tank] > 0.0)
    tank, moved = ends.tank[moves], (solution.drawn * (solution.composition @ by))[moves] / safe[ends.tank[moves]]
    np.add.at(share, (ends.to[moves], tank), moved)
    np.subtract.at(share, (ends.rest[moves], tank), moved)
    return np.asarray(share, dtype=np.float64)
