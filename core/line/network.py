"""A network of units with recycles: what it is made of, and what is refused before solving.

A unit takes the sum of its feeds, converts components (matrix K, columns summing to 1), and sends fixed shares of each
component to its outlets. Draws move stock or water on demand: to a consistency, at a rate, or to keep a tank level.
Source: models, section 1.
"""

import math
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from enum import StrEnum
from functools import cached_property

import numpy as np
import numpy.typing as npt
from scipy.sparse import coo_array, csr_array
from scipy.sparse.csgraph import breadth_first_order

from core.colour import ks_from_reflectance
from core.document import Limit, item
from core.errors import ImpossibleInput, Problem
from core.stream import COMPONENTS, INDEX, NAMES, SUSPENDED, N, Vector

SHARE_TOLERANCE = 1e-9
EVERY = np.eye(N)  # a unit that turns nothing into anything else

Places = npt.NDArray[np.intp]
Turning = npt.NDArray[np.bool_]


class UnsolvableNetwork(ImpossibleInput):
    """A network that can have no steady state; the problems name the unit or the loop, and the component."""


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class Outlet:
    """A named way out of a unit: to another unit, with the share of each component that takes it (length 11)."""

    name: str
    to: str
    shares: Vector


@dataclass(frozen=True, slots=True, kw_only=True)
class Sets:
    """Quality that a unit gives its pulp, whatever came in; None leaves it as it mixed."""

    kappa: float | None = item(Limit(label="Kappa", open_at=None, possible=(0, 200)), default=None)
    csf_ml: float | None = item(Limit(label="Freeness, mL CSF", open_at=None, possible=(1, 1000)), default=None)
    iso_pct: float | None = item(Limit(label="Brightness, % ISO", open_at=None, possible=(1, 100)), default=None)
    s457: float | None = item(Limit(label="Scattering, m²/kg", open_at=None, possible=(1, 300)), default=None)
    grey: float | None = item(Limit(label="Grey of its colour, 0 to 1", open_at=None, possible=(0, 1)), default=None)

    def mixed(self) -> tuple[float, float, float, float, float]:
        """What is set as it mixes: kappa, log of freeness, k and s (m2/kg), grey; not a number where nothing is set."""
        light = self.iso_pct is not None and self.s457 is not None
        s = self.s457 if light and self.s457 is not None else math.nan
        return (
            math.nan if self.kappa is None else self.kappa,
            math.nan if self.csf_ml is None else math.log(self.csf_ml),
            s * ks_from_reflectance(self.iso_pct / 100.0) if light and self.iso_pct is not None else math.nan,
            s,
            math.nan if self.grey is None else self.grey,
        )


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class Unit:
    """One box of the line. `feed` enters from outside (t/h). No outlets: the unit is an exit.

    `conversion` is K(c', c): the share of component c that becomes c'. `supply`: an unlimited source for draws. `stores`: its
    rest outlet is what stays in the vessel and may be negative while the level falls. `cooks`: the wood or plant whose kept
    cooks say what it makes.
    """

    id: str
    station: str = ""
    line: str = ""
    title: str = ""
    feed: Vector = field(default_factory=lambda: np.zeros(N))
    feed_temp_c: float = 20.0
    conversion: Vector | None = None
    outlets: tuple[Outlet, ...] = ()
    sets: Sets = Sets()
    supply: bool = False
    stores: bool = False
    cooks: str = ""


class DrawKind(StrEnum):
    """How the size of a draw is found."""

    DILUTE = "dilute"  # until the consumer's feed has `target` (consistency, fraction)
    THICKEN = "thicken"  # liquor kept by the consumer so that it has `target` (consistency, fraction)
    RATE = "rate"  # `target` t/h of suspended oven-dry solids
    FLOW = "flow"  # `target` t/h of everything
    KEEP = "keep"  # make-up so that the consumer (a tank) sends `target` t/h over its rest outlet


@dataclass(frozen=True, slots=True, kw_only=True)
class Draw:
    """A flow from `tank` to `to` of the tank's composition, taken from the tank's outlet `rest`.

    THICKEN: tank is the thickener itself, `rest` its filtrate outlet, and only liquor (water and dissolved) is moved;
    with `displaced` only water, the dissolved having its own shares, as behind a displacement wash.
    """

    id: str
    kind: DrawKind
    tank: str
    to: str
    target: float
    rest: str = ""
    displaced: bool = False
    carries: Vector | None = field(default=None, compare=False)  # of a supply: mass fractions, in place of the supply's own


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class Ways:
    """Who sends to whom, by number, in the order of the units; two outlets of a unit to one target are one way."""

    begins: Places  # (n + 1) the first way of every unit
    at: Places
    to: Places

    def of(self, i: int) -> slice:
        """The ways of a unit."""
        return slice(int(self.begins[i]), int(self.begins[i + 1]))

    def find(self, at: int, to: int) -> int:
        """The way from one unit to another; -1 where there is none."""
        begin = int(self.begins[at])
        targets = self.to[self.of(at)].tolist()
        return begin + targets.index(to) if to in targets else -1


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class Ends:
    """Every draw's ends by number: its tank, who draws, who gives it up (-1: a supply, which gives without end)."""

    tank: Places
    to: Places
    rest: Places


@dataclass(frozen=True, kw_only=True, eq=False)
class Network:
    """Units and draws with their arrays, checked. Build with `build`."""

    units: tuple[Unit, ...]
    draws: tuple[Draw, ...]
    index: Mapping[str, int]
    routing: Vector  # (N, n, n): share of component c leaving u that enters v
    conversion: Vector  # (n, N, N)
    order: tuple[int, ...]  # components, every conversion leading from earlier to later
    feed: Vector  # (n, N)
    ends: Ends
    ways: Ways
    shares: Vector  # (ways, N): of what leaves the unit
    turns: Turning  # (n) units that turn components into others
    sets: Vector  # (n, 5): `Sets.mixed` of every unit

    @cached_property
    def doubled(self) -> bool:
        """Whether any unit has two outlets to one target."""
        return any(len({o.to for o in u.outlets}) < len(u.outlets) for u in self.units)

    @cached_property
    def links(self) -> tuple[Places, Places, Places, Vector]:
        """What is routed at all: component, unit it enters, unit it leaves, share."""
        way, c = np.nonzero(self.shares)
        return c, self.ways.to[way], self.ways.at[way], self.shares[way, c]

    @cached_property
    def returns(self) -> tuple[Places, Places, Vector]:
        """What units send back to themselves or to units before them: from, to, share of each component (k, 11)."""
        back = self.ways.to <= self.ways.at
        return self.ways.at[back], self.ways.to[back], self.shares[back]

    @cached_property
    def flow(self) -> coo_array:
        """(n 11, n 11) sparse: of what enters column (u, c), the share that arrives at row (v, c'), draws left aside."""
        size = len(self.units) * N
        c, v, u, routed = self.links
        share = routed[:, None] * self.conversion[u, c, :]
        which, entered = np.nonzero(share)
        rows, cols = v[which] * N + c[which], u[which] * N + entered
        return coo_array((share[which, entered], (rows, cols)), shape=(size, size))

    @property
    def exits(self) -> tuple[str, ...]:
        return tuple(u.id for u in self.units if not u.outlets and not u.supply)

    def unit(self, unit_id: str) -> Unit:
        return self.units[self.index[unit_id]]


def shares_of(unit: Unit, index: Mapping[str, int]) -> Vector:
    """The share of each component on every way of a unit (k, 11)."""
    to = [index[o.to] for o in unit.outlets]
    if len(set(to)) == len(to):
        return np.array([o.shares for o in unit.outlets]).reshape(len(to), N)
    targets = list(dict.fromkeys(to))
    taken = np.zeros((len(targets), N))
    for target, o in zip(to, unit.outlets, strict=True):
        taken[targets.index(target)] += o.shares
    return taken


def _ways(units: tuple[Unit, ...], index: Mapping[str, int]) -> Ways:
    targets = [tuple(dict.fromkeys(index[o.to] for o in u.outlets)) for u in units]
    counts = [len(each) for each in targets]
    return Ways(
        begins=np.cumsum([0, *counts]),
        at=np.repeat(np.arange(len(units)), counts),
        to=np.array([to for each in targets for to in each], dtype=int),
    )


def _ends(units: tuple[Unit, ...], draws: tuple[Draw, ...], index: Mapping[str, int]) -> Ends:
    rests = []
    for d in draws:
        tank = units[index[d.tank]]
        rests.append(-1 if tank.supply else index[next(o.to for o in tank.outlets if o.name == d.rest)])
    tanks, to = ([index[getattr(d, end)] for d in draws] for end in ("tank", "to"))
    return Ends(tank=np.array(tanks, dtype=int), to=np.array(to, dtype=int), rest=np.array(rests, dtype=int))


def shares(base: float = 1.0, **by_component: float) -> Vector:
    """A share vector: `base` for every component, then the named ones. shares(0, LF=0.02, W=0.1)."""
    v = np.full(N, float(base))
    for name, value in by_component.items():
        v[INDEX[name]] = value
    return v


def loses(share: float, *, of: Iterable[str] = ("LF", "SF", "FN", "SHV"), to: str = "DS") -> Vector:
    """A conversion that turns the same share of several components into another: a cook's or a stage's yield loss."""
    k = np.eye(N)
    for name in of:
        k[INDEX[name], INDEX[name]] = 1.0 - share
        k[INDEX[to], INDEX[name]] += share
    return k


def _unit_problems(units: tuple[Unit, ...], index: Mapping[str, int]) -> list[Problem]:
    bad = []
    for u in units:
        if not np.isfinite(u.feed).all() or (u.feed < 0).any():
            bad.append(Problem(u.id, "feed must be finite and at least 0 t/h"))
        total = np.zeros(N)
        for o in u.outlets:
            if o.to not in index:
                bad.append(Problem(u.id, f"outlet {o.name} goes to {o.to}, which does not exist"))
            if (o.shares < -SHARE_TOLERANCE).any() or (o.shares > 1 + SHARE_TOLERANCE).any():
                bad.append(Problem(u.id, f"outlet {o.name} has a share outside 0 to 1"))
            total += o.shares
        if u.outlets and np.abs(total - 1.0).max() > 1e-6:
            worst = COMPONENTS[int(np.abs(total - 1.0).argmax())]
            bad.append(Problem(u.id, f"outlets take {100 * total[INDEX[worst]]:.4g} % of {NAMES[worst]}; they must take 100 %"))
        k = u.conversion
        if k is not None and (k.shape != (N, N) or (k < 0).any() or np.abs(k.sum(axis=0) - 1.0).max() > SHARE_TOLERANCE):
            bad.append(Problem(u.id, "conversion must be 11 x 11, not negative, with columns summing to 1"))
    return bad


def _draw_problems(draws: tuple[Draw, ...], units: tuple[Unit, ...], index: Mapping[str, int]) -> list[Problem]:
    bad = []
    for d in draws:
        if d.tank not in index or d.to not in index:
            bad.append(Problem(d.id, f"joins {d.tank} and {d.to}; one of them does not exist"))
            continue
        tank = units[index[d.tank]]
        if not tank.supply and d.rest not in {o.name for o in tank.outlets}:
            bad.append(Problem(d.id, f"takes from outlet {d.rest or '(none)'} of {tank.id}, which has no such outlet"))
        fraction = d.kind in (DrawKind.DILUTE, DrawKind.THICKEN)
        if not (0.0 < d.target < 1.0 if fraction else d.target >= 0.0):
            allowed = "a consistency above 0 and under 100 %" if fraction else "at least 0 t/h"
            shown = f"{100 * d.target:g} %" if fraction else f"{d.target:g} t/h"
            bad.append(Problem(d.id, f"target is {shown}; it must be {allowed}"))
        if tank.supply and (d.kind is DrawKind.RATE and not (tank.feed @ SUSPENDED)):
            bad.append(Problem(d.id, f"asks solids of {tank.id}, which supplies none"))
    return bad


def _component_order(conversion: Vector) -> tuple[int, ...]:
    """An order of components in which every conversion leads forward; ImpossibleInput when they turn in a circle."""
    turns = (np.abs(conversion).sum(axis=0) > 0) & ~np.eye(N, dtype=bool)  # turns[c', c]: c becomes c'
    left, order = set(range(N)), []
    while left:
        free = sorted(c for c in left if not any(turns[c, other] for other in left))
        if not free:
            names = ", ".join(NAMES[COMPONENTS[c]] for c in sorted(left))
            raise UnsolvableNetwork(Problem("conversion", f"turns components into each other in a circle: {names}"))
        order += free
        left -= set(free)
    return tuple(order)


def _trapped(network: Network) -> list[Problem]:
    """Components that enter units from which they can reach no exit, as problems that name the loop."""
    n = len(network.units)
    size = n * N
    alive = network.feed > 0
    takes, gives = [], []
    for d in network.draws:
        tank, to = network.index[d.tank], network.index[d.to]
        if network.units[tank].supply:  # a supply's water appears where it is drawn to
            alive[to] |= network.units[tank].feed > 0
        else:  # draws carry the tank's components, as converted there, to the consumer
            after, entered = np.nonzero(network.conversion[tank])
            takes.append(tank * N + entered)
            gives.append(to * N + after)
    flow = network.flow
    came = np.flatnonzero(alive.ravel())
    ends = np.flatnonzero(np.repeat([not u.outlets for u in network.units], N))
    forward = csr_array(
        (
            np.ones(len(came) + flow.nnz + sum(map(len, takes))),
            (np.concatenate([np.full(len(came), size), flow.col, *takes]), np.concatenate([came, flow.row, *gives])),
        ),
        shape=(size + 1, size + 1),
    )
    backward = csr_array(
        (
            np.ones(len(ends) + flow.nnz),
            (np.concatenate([np.full(len(ends), size), flow.row]), np.concatenate([ends, flow.col])),
        ),
        shape=(size + 1, size + 1),
    )
    entered_at, leaves_from = np.zeros(size + 1, dtype=bool), np.zeros(size + 1, dtype=bool)
    entered_at[breadth_first_order(forward, size, return_predecessors=False)] = True
    leaves_from[breadth_first_order(backward, size, return_predecessors=False)] = True
    kept = (entered_at & ~leaves_from)[:size].reshape(n, N)
    problems = []
    for c in np.flatnonzero(kept.any(axis=0)).tolist():
        stuck = [network.units[u].id for u in np.flatnonzero(kept[:, c])]
        text = f"{NAMES[COMPONENTS[c]]} enter {', '.join(stuck)} and leave nowhere: give the loop a bleed or an outlet"
        problems.append(Problem(stuck[0], text))
    return problems


def build(units: Iterable[Unit], draws: Iterable[Draw] = ()) -> Network:
    """Check units and draws and lay out their arrays.

    Raises: UnsolvableNetwork with every problem found: unknown targets, shares not making 1, a component that enters a
    loop and leaves nowhere, conversions that turn in a circle.
    """
    us, ds = tuple(units), tuple(draws)
    index = {u.id: i for i, u in enumerate(us)}
    bad = [] if len(index) == len(us) else [Problem("units", "two units have the same id")]
    bad += _unit_problems(us, index)
    bad += _draw_problems(ds, us, index) if not bad else []
    if bad:
        raise UnsolvableNetwork(*bad)
    network = _laid_out(us, ds, index)
    if trapped := _trapped(network):
        raise UnsolvableNetwork(*trapped)
    return network


def _sound(units: Sequence[Unit]) -> bool:
    """Whether nothing is wrong with units whose outlets lead where they did; what is wrong is said by `_unit_problems`."""
    made = [u.conversion for u in units if u.conversion is not None]
    turned = np.array(made) if {k.shape for k in made} <= {(N, N)} else np.array([])
    if made and not (turned.size and (turned >= 0).all() and (np.abs(turned.sum(axis=1) - 1.0) <= SHARE_TOLERANCE).all()):
        return False
    fed = np.array([u.feed for u in units])
    sending = [u for u in units if u.outlets]
    shares = np.array([o.shares for u in sending for o in u.outlets]).reshape(-1, N)
    within = ((shares >= -SHARE_TOLERANCE) & (shares <= 1.0 + SHARE_TOLERANCE)).all()
    begins = np.cumsum([0, *(len(u.outlets) for u in sending)])[:-1]
    total = np.add.reduceat(shares, begins) if sending else np.ones((1, N))
    return bool(within and (np.abs(total - 1.0) <= 1e-6).all() and np.isfinite(fed).all() and (fed >= 0.0).all())


def rebuilt(network: Network, units: tuple[Unit, ...], draws: tuple[Draw, ...]) -> Network:
    """The same network with other shares, conversions, settings and targets; who sends to whom is as it was and is not checked
    again.

    Raises: UnsolvableNetwork for shares not making 1, or a target that cannot be.
    """
    changed = [i for i, (u, before) in enumerate(zip(units, network.units, strict=True)) if u is not before]
    others = tuple(units[i] for i in changed)
    bad = _unit_problems(others, network.index) if others and not _sound(others) else []
    bad = bad or _draw_problems(draws, units, network.index)
    if bad:
        raise UnsolvableNetwork(*bad)
    now = Network(
        units=units,
        draws=draws,
        index=network.index,
        routing=network.routing.copy(),
        conversion=network.conversion.copy(),
        order=network.order,
        feed=network.feed.copy(),
        ends=network.ends,
        ways=network.ways,
        shares=network.shares.copy(),
        turns=network.turns.copy(),
        sets=network.sets.copy(),
    )
    _lay(now, changed)
    if np.array_equal(now.conversion[changed] > 0.0, network.conversion[changed] > 0.0):
        return now
    return replace(now, order=_component_order(now.conversion))


def _lay(network: Network, places: Iterable[int]) -> None:
    """Put units in their places in the arrays of a network."""
    for i in places:
        u, own = network.units[i], network.ways.of(i)
        network.turns[i] = u.conversion is not None
        network.conversion[i] = EVERY if u.conversion is None else u.conversion
        network.feed[i] = 0.0 if u.supply else u.feed
        network.sets[i] = u.sets.mixed()
        if u.outlets:
            network.shares[own] = shares_of(u, network.index)
            network.routing[:, network.ways.to[own], i] = network.shares[own].T


def _laid_out(us: tuple[Unit, ...], ds: tuple[Draw, ...], index: Mapping[str, int]) -> Network:
    n, ways = len(us), _ways(us, index)
    network = Network(
        units=us,
        draws=ds,
        index=index,
        routing=np.zeros((N, n, n)),
        conversion=np.empty((n, N, N)),
        order=(),
        feed=np.zeros((n, N)),
        ends=_ends(us, ds, index),
        ways=ways,
        shares=np.empty((len(ways.to), N)),
        turns=np.empty(n, dtype=bool),
        sets=np.empty((n, 5)),
    )
    _lay(network, range(n))
    return replace(network, order=_component_order(network.conversion))
