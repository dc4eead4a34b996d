"""The steady state of a network with recycles.

One sparse system over units and components. Draws start as flows of a guessed composition (a few linear passes); then they are
fractions of what stands in their tank, found by Newton's method, so that every component closes in every pass.
Source: models, section 1; Newton's method in place of its damped passes, since recycles near 1 make those slow.
"""

from dataclasses import dataclass
from functools import cached_property

import numpy as np
from scipy.sparse import csc_array
from scipy.sparse.linalg import splu

from core.colour import ks_from_reflectance
from core.errors import NotSolved, Problem
from core.line.network import Draw, DrawKind, Network, UnsolvableNetwork
from core.stream import COMPONENTS, DS, FIBRE, HEAT_KJ_KG_K, SUSPENDED, N, Quality, Stream, Vector, W

FIRST_PASSES = 4
MOST_PASSES = 30
TOLERANCE = 1e-11
CLOSURE_TOLERANCE = 1e-9
MOST_CONDITION = 1e12
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
        i = self.network.index[unit_id]
        unit = self.network.units[i]
        way = next(o for o in unit.outlets if o.name == outlet)
        flows = self.after[i] * way.shares
        for d, q, w in zip(self.network.draws, self.drawn, self.composition, strict=True):
            if d.tank == unit_id and d.rest == outlet:
                flows = flows - q * w
            if d.tank == unit_id and d.kind is DrawKind.THICKEN and d.to == way.to and d.rest != outlet:
                flows = flows + q * w
        return Stream(flows=_clean(flows), temp_c=float(self.temp_c[i]), quality=self._quality(i))

    def stored_t_h(self, unit_id: str) -> float:
        """Suspended solids a vessel gains (loses, when negative): its feed less what is drawn from it."""
        i = self.network.index[unit_id]
        taken = sum(
            float(q * (w @ SUSPENDED))
            for d, q, w in zip(self.network.draws, self.drawn, self.composition, strict=True)
            if d.tank == unit_id
        )
        return float(self.after[i] @ SUSPENDED) - taken

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
        self.tank = np.array([network.index[d.tank] for d in draws], dtype=int)
        self.to = np.array([network.index[d.to] for d in draws], dtype=int)
        self.rest = np.array([-1 if (r := network.rest_target(d)) is None else r for d in draws], dtype=int)
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
                self.fixed[j] = tank.feed / tank.feed.sum() if tank.supply else WATER
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
        found = np.where(total > 0.0, flows / np.where(total > 0.0, total, 1.0), WATER)
        return np.where(self.moving[:, None], found, self.fixed)


class _Line:
    """The network as one sparse system over (unit, component), conversions and moving draws included.

    Row (v, c'), column (u, c): what of c entering u arrives at v as c'. The pattern stays, only the draws' fractions change.
    """

    def __init__(self, network: Network, draws: _Draws) -> None:
        n, m = len(network.units), len(network.draws)
        self.network, self.draws, self.shape = network, draws, (n, N)
        k = network.conversion
        c, v, u = np.nonzero(network.routing)
        share = network.routing[c, v, u]
        rows, cols, values = [np.arange(n * N)], [np.arange(n * N)], [np.ones(n * N)]
        for before in range(N):  # component `before` of u that leaves as c
            part = k[u, c, before] * share
            on = part != 0.0
            rows.append(v[on] * N + c[on])
            cols.append(u[on] * N + before)
            values.append(-part[on])
        fixed = sum(len(r) for r in rows)
        owner = []
        for j in np.flatnonzero(draws.moving).tolist():
            tank = draws.tank[j]
            after, entered = np.nonzero(k[tank] * draws.mask[j][:, None])
            weight = k[tank][after, entered] * draws.mask[j][after]
            for place, sign in ((draws.to[j], -1.0), (draws.rest[j], 1.0)):
                rows.append(place * N + after)
                cols.append(tank * N + entered)
                values.append(sign * weight)
                owner.append(np.full(len(after), j))
        self.owner = np.concatenate(owner) if owner else np.zeros(0, dtype=int)
        self.values, self.fixed = np.concatenate(values), fixed
        key = np.concatenate(cols) * (n * N) + np.concatenate(rows)  # column by column, as the solver wants it
        places, self.place = np.unique(key, return_inverse=True)
        self.rows = (places % (n * N)).astype(np.int32)
        self.starts = np.searchsorted(places, np.arange(n * N + 1) * (n * N)).astype(np.int32)
        self.m = m

    def at(self, fractions: Vector) -> None:
        """Factorise with these fractions of the moving draws."""
        values = self.values.copy()
        values[self.fixed :] *= fractions[self.owner]
        data = np.bincount(self.place, weights=values, minlength=len(self.rows))
        size = self.shape[0] * N
        try:
            self.factors = splu(csc_array((data, self.rows, self.starts), shape=(size, size)))
        except RuntimeError:
            raise UnsolvableNetwork(Problem("network", "has a loop that returns all it is given")) from None

    def refuse_ill_conditioned(self) -> None:
        """By the factors' diagonal, which shrinks as a loop comes near to giving nothing up."""
        pivots = np.abs(self.factors.U.diagonal())
        if not pivots.min() * MOST_CONDITION > pivots.max():
            i = int(np.flatnonzero(self.factors.perm_c == pivots.argmin())[0])
            unit, component = self.network.units[i // N], COMPONENTS[i % N]
            raise UnsolvableNetwork(Problem(unit.id, f"lies in a loop that gives up almost no {component}: add a bleed"))

    def base(self) -> Vector:
        """Feeds (n, 11) that answer to what enters from outside."""
        found: Vector = self.factors.solve(self.network.feed.ravel()).reshape(self.shape)
        return found

    def answer(self, carried: Vector) -> Vector:
        """Feeds (m, n, 11) that answer to moving `carried` (m, 11), t/h, by each draw."""
        draws, every = self.draws, np.arange(self.m)
        inflow = np.zeros((self.m, *self.shape))
        if not self.m:
            return inflow
        inflow[every, draws.to] += carried
        back = draws.rest >= 0
        inflow[every[back], draws.rest[back]] -= carried[back]
        found: Vector = self.factors.solve(inflow.reshape(self.m, -1).T).T.reshape(inflow.shape)
        return found


def _first_guess(line: _Line) -> tuple[Vector, Vector]:
    """A few linear passes with compositions of the pass before: feeds and draws near the answer."""
    network, draws = line.network, line.draws
    line.at(np.zeros(line.m))
    line.refuse_ill_conditioned()
    base = line.base()
    if not line.m:
        return base, np.zeros(0)
    carried = np.where((draws.moving & ~draws.by_solids)[:, None], WATER, draws.compositions(_after(network, base)))
    into, phi = base, np.zeros(line.m)
    for _ in range(FIRST_PASSES):
        answer = line.answer(carried)
        solids = carried @ SUSPENDED
        if (empty := np.flatnonzero(draws.by_solids & (solids <= 0.0) & (draws.right > 0.0))).size:
            d = network.draws[int(empty[0])]
            raise UnsolvableNetwork(Problem(d.id, f"asks {d.target:g} t/h of solids of {d.tank}, which holds none"))
        own = np.where(draws.by_solids, np.where(solids > 0.0, solids, 1.0), draws.own)
        g = np.matmul(answer[:, draws.at, :].transpose(1, 0, 2), draws.row[:, :, None])[:, :, 0] + draws.shared
        phi = _answer_of(g + np.diag(own), draws.right - (draws.row * base[draws.at]).sum(axis=1))
        into = base + np.tensordot(phi, answer, axes=1)
        carried = draws.compositions(_after(network, into))
    return into, phi


def _answer_of(g: Vector, right: Vector) -> Vector:
    try:
        found: Vector = np.asarray(np.linalg.solve(g, right), dtype=np.float64)
    except np.linalg.LinAlgError:
        raise UnsolvableNetwork(Problem("draws", "depend on each other without an answer")) from None
    return found


def _refine(line: _Line, into: Vector, phi: Vector) -> tuple[Vector, Vector, Vector, int]:
    """Newton's method on the fractions that draws take of their tanks: feeds, draws, what they carry, passes."""
    network, draws, every = line.network, line.draws, np.arange(line.m)
    moving = draws.moving
    held = (np.maximum(_after(network, into)[draws.tank], 0.0) * draws.mask).sum(axis=1)
    unknown = np.where(moving, phi / np.where(held > 0.0, held, 1.0), phi)  # fraction of the tank, or t/h
    worst = np.inf
    for passes in range(1, MOST_PASSES + 1):
        line.at(np.where(moving, unknown, 0.0))
        fixed = np.where(moving, 0.0, unknown)
        into = line.base()
        steady = line.answer(np.where(moving[:, None], 0.0, draws.fixed))
        into = into + np.tensordot(fixed, steady, axes=1)
        stands = _after(network, into)[draws.tank] * draws.mask
        carried = np.where(moving[:, None], unknown[:, None] * stands, fixed[:, None] * draws.fixed)
        phi = carried.sum(axis=1)
        own = np.where(draws.by_solids, carried @ SUSPENDED, draws.own * phi)
        miss = (draws.row * into[draws.at]).sum(axis=1) + own + draws.shared @ phi - draws.right
        scale = np.maximum(
            np.abs(into[draws.at]).sum(axis=1) * np.abs(draws.row).max(axis=1), np.abs(draws.right) + np.abs(phi)
        )
        worst = float((np.abs(miss) / np.maximum(scale, 1e-9)).max()) if line.m else 0.0
        if worst < TOLERANCE:
            return into, phi, carried, passes
        # how everything answers to each unknown
        move = steady + line.answer(np.where(moving[:, None], stands, 0.0))  # d into / d unknown (m, n, 11)
        stood = (
            np.matmul(move[:, draws.tank, None, :], network.conversion[draws.tank].transpose(0, 2, 1))[:, :, 0, :] * draws.mask
        )
        d_carried = np.where(moving[:, None], unknown[:, None], 0.0) * stood  # (i unknown, j draw, 11)
        d_carried[every, every] += np.where(moving[:, None], stands, draws.fixed)
        d_phi = d_carried.sum(axis=2)
        d_own = np.where(draws.by_solids, d_carried @ SUSPENDED, draws.own * d_phi)
        jacobian = (move[:, draws.at, :] * draws.row).sum(axis=2) + d_own + d_phi @ draws.shared.T
        unknown = unknown + _answer_of(jacobian.T, -miss)
    where = network.draws[int(np.abs(miss).argmax())].to
    raise NotSolved("the line", MOST_PASSES, worst, where)


def solve(network: Network) -> Solution:
    """Solve the steady state.

    Raises: UnsolvableNetwork when a draw would have to run backwards (incoming thinner than the target, a tank drawn
    dry) or a loop gives nothing up; NotSolved when the draws do not settle in 30 passes.
    """
    line = _Line(network, _Draws(network))
    into, drawn, carried, passes = _refine(line, *_first_guess(line))
    after = _after(network, into)
    whole = np.where(np.abs(drawn) > 0.0, drawn, 1.0)
    compositions = carried / whole[:, None]
    _refuse_backwards(network, drawn, compositions, after)
    closure = _closure(network, into, after, drawn, compositions)
    if closure.max() > CLOSURE_TOLERANCE:
        raise NotSolved("the balance", passes, float(closure.max()), COMPONENTS[int(closure.argmax())])
    return Solution(
        network=network,
        into=into,
        after=after,
        drawn=drawn,
        composition=compositions,
        passes=passes,
        closure=closure,
        **_qualities(network, into, after, drawn, compositions),
    )


def _after(network: Network, into: Vector) -> Vector:
    after: Vector = np.einsum("ukc,uc->uk", network.conversion, into)
    return after


def _refuse_backwards(network: Network, drawn: Vector, compositions: Vector, after: Vector) -> None:
    scale = max(1.0, float(np.abs(drawn).max())) if len(drawn) else 1.0
    bad = []
    for d, q in zip(network.draws, drawn, strict=True):
        if q < -1e-9 * scale:
            if d.kind is DrawKind.DILUTE:
                text = f"cannot be thinned to {100 * d.target:g} %: what comes in is thinner than that"
            elif d.kind is DrawKind.KEEP:
                text = f"gets more than its draws take, by {-q:.3g} t/h: it needs no make-up"
            else:
                text = f"would run backwards ({q:.3g} t/h)"
            bad.append(Problem(d.to, text))
    for d in network.draws:
        tank = network.unit(d.tank)
        if tank.supply or tank.stores:
            continue
        i = network.index[d.tank]
        way = next(o for o in tank.outlets if o.name == d.rest)
        left = after[i] * way.shares
        for other, q, w in zip(network.draws, drawn, compositions, strict=True):
            if other.tank == d.tank and other.rest == d.rest:
                left = left - q * w
        if left.sum() < -1e-7 * scale:
            if d.kind is DrawKind.THICKEN:
                text = f"cannot leave at {100 * d.target:g} %: it comes in thicker, {-left.sum():.3g} t/h of liquor are missing"
            else:
                text = f"is drawn dry: {-left.sum():.3g} t/h more are asked than come in"
            bad.append(Problem(d.tank, text))
    if bad:
        raise UnsolvableNetwork(*dict.fromkeys(bad))


def _closure(network: Network, into: Vector, after: Vector, drawn: Vector, compositions: Vector) -> Vector:
    """|in + made - out| over all that was fed, for each component, counted anew from the result."""
    fed = network.feed.sum(axis=0)
    for d, q, w in zip(network.draws, drawn, compositions, strict=True):
        if network.unit(d.tank).supply:
            fed = fed + q * w
    made = (after - into).sum(axis=0)
    exits = np.array([not u.outlets and not u.supply for u in network.units])
    out = after[exits].sum(axis=0)
    turnover = np.maximum(fed + np.maximum(made, 0.0), 1e-3 * max(float(fed.sum()), 1e-9) * 1e-3)
    closure: Vector = np.abs(fed + made - out) / turnover
    return closure


def _qualities(network: Network, into: Vector, after: Vector, drawn: Vector, compositions: Vector) -> dict[str, Vector]:
    """Mix what rides on the solids through the solved flows; units that set a quality start it anew."""
    n = len(network.units)

    moved = (network.routing * np.maximum(after, 0.0).T[:, None, :]).reshape(N, -1)

    def weights(by: Vector) -> Vector:
        flow: Vector = (by @ moved).reshape(n, n)
        for d, q, w in zip(network.draws, drawn, compositions, strict=True):
            if not network.unit(d.tank).supply:
                mass = float(q * (w @ by))
                flow[network.index[d.to], network.index[d.tank]] += mass
                if (back := network.rest_target(d)) is not None:
                    flow[back, network.index[d.tank]] -= mass
        return np.maximum(flow, 0.0)

    def mixed(by: Vector, settings: list[float | None], feed_value: float) -> Vector:
        flow = weights(by)
        feed = np.maximum(network.feed, 0.0) @ by
        total = flow.sum(axis=1) + feed
        safe = np.where(total > 1e-12, total, 1.0)
        matrix = np.eye(n) - flow / safe[:, None]
        right = feed / safe * feed_value
        for i, value in enumerate(settings):
            if value is not None:
                matrix[i] = 0.0
                matrix[i, i] = 1.0
                right[i] = value
            elif total[i] <= 1e-12:
                right[i] = feed_value
        return np.asarray(np.linalg.solve(matrix, right), dtype=np.float64)

    sets = [u.sets for u in network.units]
    light_k: list[float | None] = []
    light_s: list[float | None] = []
    for s in sets:
        light_s.append(s.s457 if s.iso_pct is not None else None)
        light_k.append(None if s.iso_pct is None or s.s457 is None else s.s457 * ks_from_reflectance(s.iso_pct / 100.0))
    heat = weights(HEAT_KJ_KG_K)
    warm = network.feed @ HEAT_KJ_KG_K
    heat_in = heat.sum(axis=1) + warm
    supplied = np.zeros(n)
    for d, q, w in zip(network.draws, drawn, compositions, strict=True):
        if network.unit(d.tank).supply:
            mass = float(q * (w @ HEAT_KJ_KG_K))
            supplied[network.index[d.to]] += mass * network.unit(d.tank).feed_temp_c
            heat_in[network.index[d.to]] += mass
    safe = np.where(heat_in > 1e-12, heat_in, 1.0)
    feed_temps = np.array([u.feed_temp_c for u in network.units])
    right = np.where(heat_in > 1e-12, (warm * feed_temps + supplied) / safe, 20.0)
    temp = np.linalg.solve(np.eye(n) - heat / safe[:, None], right)
    return {
        "kappa": mixed(FIBRE, [s.kappa for s in sets], 0.0),
        "csf_ml": np.exp(
            mixed(FIBRE, [None if s.csf_ml is None else float(np.log(s.csf_ml)) for s in sets], float(np.log(600.0)))
        ),
        "k457": mixed(SUSPENDED, light_k, 0.0),
        "s457": mixed(SUSPENDED, light_s, 30.0),
        "grey": mixed(SUSPENDED, [s.grey for s in sets], 0.0),
        "temp_c": temp,
    }
