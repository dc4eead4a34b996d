"""The line stepped: decide, shift, mix, act, send; every part exact for flows that stand through the step.

Source: recovered to delivery, section 13.2. Steps of 2 to 10 s (60 s to look ahead); an event cuts the step in which it falls.
What a unit sends where, and how its conversion turns what is carried, is worked out anew once a minute (every six long steps)
and after every event; shares always add to 1, so nothing is lost between.
"""

import heapq
from collections.abc import Mapping
from dataclasses import dataclass, field
from hashlib import sha256
from typing import Final

import numpy as np

from core.errors import ImpossibleInput, Problem
from core.line.steady import LIQUOR
from core.stream import DS, INDEX, SUSPENDED, N, Vector, W
from core.through.entries import BIRTH, CARRIED_BY, CSF, GREY, K457, KAPPA, OF_SOLUTES, S457, WEIGHTS, E
from core.through.kernel import Fixed, Loops, Paced, decide, entering, send, share_out, shift, standing
from core.through.layout import TINY, Layout, Places
from core.through.plugs import Plugs
from core.through.sequences import Dumps, Locks, Trip

HOUR_S: Final = 3600.0
LEAST_S, MOST_S = 0.001, 60.0
STROKE_H: Final = 60.0 / HOUR_S  # a stream goes from end to end in a minute, default
REBASE_H: Final = 24.0
ANEW_S, ANEW_STEPS = 60.0, 6.0
VERSION: Final = "fox-vat line through time 3"
MOST_STICKS_PCT: Final = 10.0
RIDES: Final = np.arange(N, E)
SET: Final = (KAPPA, CSF, K457, S457, GREY)
FIELDS: Final = ("wants", "flow", "runs")
SUMS: Final = np.stack([SUSPENDED, np.ones(N)], axis=1)


@dataclass(frozen=True, slots=True, kw_only=True, order=True)
class Event:
    """What is set at a time (seconds from the start): what a stream or the loop on it `wants`, its `flow` by hand, whether it
    `runs` (0: tripped). Events of one time act in the order of their numbers."""

    at_s: float
    number: int = 0
    stream: str = field(compare=False, default="")
    what: str = field(compare=False, default="wants")
    value: float = field(compare=False, default=0.0)


KEPT: Final = (
    *("time_s", "steps", "anew_at_s", "held", "flow", "asked", "runs", "by_hand", "wants", "filtered", "integral"),
    *(
        "held_back_h",
        "link_t",
        "came_t",
        "last_h",
        "reads",
        "share",
        "own_turns",
        "conversion",
        "link_share",
        "adds",
        "sets",
        "thick_to",
        "off",
    ),
    *("feed", "feed_mass", "feed_by", "fed_by", "bought_t", "bought_born", "gone_by", "made_by", "over"),
    *("sticks", "entering", "stopped_h"),
)
KEPT_IN: Final = {"dumps": ("number", "rate", "flow", "held"), "locks": ("since_s", "tripped", "past_reset")}


def fingerprint(layout: Layout) -> str:
    """What a layout is, in short: its units, streams, vessels, links and plugs."""
    units = [u.id for u in layout.network.units]
    places = [layout.vessel_node, layout.parcels, layout.link_from, layout.link_to, layout.turned]
    own = (layout.locks, [(b.unit, b.every_min, b.lasts_min) for b in layout.batched])
    told = (VERSION, layout.step_s, units, layout.names, *(a.tolist() for a in places), *own)
    return sha256(repr(told).encode()).hexdigest()


class Stepped:
    """A line through time. `layout` is never changed, the state is.

    `fed`, `gone`, `made`: all that came in, left, and was turned by units since the start, by entry; with `holds` they close.
    """

    def __init__(self, layout: Layout, loops_s: float | None = None) -> None:
        """`loops_s`: how often loops look and act within a step, s; once a step where it is None."""
        if loops_s is not None and not LEAST_S <= loops_s <= MOST_S:
            raise ImpossibleInput(Problem("loops_s", f"is {loops_s:g} s; it must be over 0 and at most {MOST_S:g} s"))
        lo = self.layout = layout
        self.loops_s = loops_s
        self.time_s, self.steps, self.anew_at_s = 0.0, 0, 0.0
        # what acts may change
        self.conversion, self.link_share = lo.conversion.copy(), lo.link_share.copy()
        self.adds, self.sets, self.thick_to = lo.adds.copy(), lo.sets.copy(), lo.thick_to.copy()
        self.feed_by = np.ones(lo.n)
        self.off = np.zeros_like(lo.sets)  # what a unit sets is off by
        self.plugs = Plugs(lo.plug_t, lo.plug_mix, lo.parcels)
        mass = lo.now_t * np.where(lo.tower >= 0, lo.mixed, 1.0)
        self.held = lo.vessel_mix * mass[:, None]
        self.flow, self.asked = lo.steady.copy(), lo.asked.copy()
        self.runs, self.by_hand = np.ones(len(lo.names)), np.zeros(len(lo.names), dtype=bool)
        self.wants, self.filtered = lo.loops["wants"].copy(), lo.loops["wants"].copy()
        self.integral = lo.steady[lo.loops["drives"]].copy()
        self.events: list[Event] = []
        self.held_back_h = np.zeros(len(lo.names))
        self.link_t = lo.link_flow.copy()  # t into each link's plug in the last step, and how long that was, h
        self.came_t = lo.entered[lo.vessel_node, :N].sum(axis=1)  # and into each vessel
        self.last_h = 1.0
        self.last: tuple[Vector, float] | None = None  # what came to acting units, and how long that was, h
        self.sticks = np.zeros(len(lo.loops["drives"]))  # t/h that a valve must be asked to move before it does
        index = {u.id: i for i, u in enumerate(lo.network.units)}
        vessels = {lo.network.units[node].id: v for v, node in enumerate(lo.vessel_node.tolist())}
        self.dumps = Dumps(lo.batched, lo.link_flow[lo.batch_plug], lo.plug_mix[lo.batch_plug])
        self.locks = Locks(lo.locks, vessels, index, {name: j for j, name in enumerate(lo.names)})
        self.entering = lo.entered[self.locks.node, :N] @ SUMS
        self.stopped_h = np.zeros(len(lo.names))  # by a lock
        self.log: list[Trip] = []
        self._prepare()

    def _prepare(self) -> None:
        """Indices and constants that the steps use."""
        lo, count, loops = self.layout, len(self.layout.plug_to), self.layout.loops
        n, v, vessels = lo.n, len(lo.vessel_node), lo.vessel_node
        self.stream_of = np.zeros((v, len(lo.names)))
        drawn: Places = np.flatnonzero(lo.stream_from >= 0)
        self.stream_of[lo.stream_from[drawn], drawn] = 1.0
        supplies = int((lo.stream_from[: lo.draw_count] < 0).sum())
        towers: Places = np.flatnonzero(lo.tower >= 0)
        of_level = loops["reads"] < v  # the loops of levels stand first
        self.cons_reads = loops["reads"][~of_level] - v
        self.seen: Places = np.concatenate([self.cons_reads, self.locks.node])
        self.loop_rate = loops["most"] / STROKE_H
        self.feeding: Places = np.flatnonzero(lo.feed.any(axis=1))
        self.feed, self.feed_mass = lo.feed[self.feeding], lo.feed[self.feeding][:, :N].sum(axis=1)
        read = lo.entered[self.cons_reads, :N] @ SUMS
        self.reads = read[:, 0] / np.maximum(read[:, 1], TINY)
        self.filter_h = loops["filter"][~of_level]
        given = ~np.isnan(lo.sets)
        self.acting: Places = np.unique(
            np.concatenate([lo.turned, np.flatnonzero(given.any(axis=1)), np.flatnonzero(np.abs(lo.adds).any(axis=1))])
        ).astype(np.int64)
        at = {int(node): i for i, node in enumerate(self.acting)}
        # one pool holds what enters every node, what leaves every vessel, what leaves every acting unit
        self.pool = np.zeros((n + v + len(self.acting), E))
        self.pool_own = self.pool[n + v :]
        self.leaves_at: Places = np.arange(n)
        self.leaves_at[vessels] = n + np.arange(v)
        comes_at: Places = self.leaves_at[self.acting].copy()
        self.leaves_at[self.acting] = n + v + np.arange(len(self.acting))
        self.turns: Places = np.array([at[int(i)] for i in lo.turned], dtype=np.int64)
        rows, which = np.nonzero(given[self.acting])
        self.set_rows, self.set_entries = rows, np.array(SET)[which]
        self.set_which = which
        linked = set(lo.link_from.tolist())
        unlinked = [i for i, u in enumerate(lo.network.units) if u.outlets and i not in linked and not u.supply]
        self.fixed = Fixed(
            inner=lo.inner,
            supplies=supplies,
            plug_to=lo.plug_to,
            stream_from=lo.stream_from,
            draws=lo.draw_count,
            vessel_node=vessels,
            brim=lo.full_t * np.where(lo.tower >= 0, lo.mixed, 1.0),
            least_t=lo.least_t,
            towers=towers,
            tower_plugs=lo.tower[towers],
            zone=lo.mixed[towers],
            tower_full=lo.full_t[towers],
            feeding=self.feeding,
            batch_plug=lo.batch_plug,
            comes_at=comes_at,
            sent_at=self.leaves_at[lo.link_from],
            over_at=self.leaves_at[np.array(unlinked, dtype=np.int64)],
            bought=lo.supply[:supplies],
        )
        rate: Places = np.flatnonzero(lo.by_solids & (lo.stream_from >= 0))
        self.loops = Loops(
            reads=loops["reads"][of_level],
            drives=loops["drives"],
            acts=loops["acts"],
            kc=loops["kc"],
            high=loops["most"],
            rate=rate,
            rate_vessel=lo.stream_from[rate],
        )
        self._paced(10.0 / HOUR_S)
        self._locked()
        self._turns()
        self._fall_back()
        self.share = np.zeros((lo.links, E))
        self.mass, self.cons, self.left = np.zeros(v), np.zeros(v), np.zeros((v, E))
        self.given, self.pushed = np.zeros((count, E)), np.zeros((count, E))
        self.into, self.wanted = np.zeros(count), np.zeros(count)
        # all that came in, left and was turned since the start
        self.fed_by = np.zeros((len(self.feeding), E))
        self.bought_t, self.bought_born = np.zeros(supplies), np.zeros(supplies)
        self.gone_by = np.zeros((lo.links - lo.inner, E))
        self.made_by = np.zeros((len(self.acting), E))
        self.over = np.zeros(E)

    def _fall_back(self) -> None:
        """Shares of what is carried where a unit stands empty."""
        self.fallback = np.stack([self.link_share[:, k] for k in (DS, INDEX["LF"], INDEX["LF"], W, W)], axis=1)

    def changed(self) -> None:
        """After conversions, shares, settings or targets were changed: the next step works with them."""
        self._turns()
        self._fall_back()
        self.anew_at_s = self.time_s

    def brings(self, node: int, share: float) -> None:
        """A unit's feed from outside, over what the line was solved with (1: as solved)."""
        self.feed_by[node] = share
        self.feed = self.layout.feed[self.feeding] * self.feed_by[self.feeding, None]
        self.feed_mass = self.feed[:, :N].sum(axis=1)

    def feeds(self, node: int, fed: Vector) -> None:
        """What a unit is fed from outside (26 a hour), whatever the line was solved with."""
        row = int(np.flatnonzero(self.feeding == node)[0])
        self.feed[row] = fed
        self.feed_mass[row] = float(fed[:N].sum())

    def sticky(self, stream: str, pct: float) -> None:
        """The valve of a stream that a loop drives moves only once it is asked to by over so much of its reach, %.

        Raises: ImpossibleInput for a stream that no loop drives, or a share that is none."""
        rows = self.layout.loops["drives"] == self.layout.stream(stream)
        if not rows.any():
            raise ImpossibleInput(Problem("stream", f"“{stream}” is driven by no loop"))
        if not 0.0 <= pct <= MOST_STICKS_PCT:
            raise ImpossibleInput(Problem("pct", f"is {pct:g}; it must be from 0 to {MOST_STICKS_PCT:g} %"))
        self.sticks[rows] = pct / 100.0 * self.layout.loops["most"][rows]

    def _locked(self) -> None:
        """What tripped locks do to streams, feeds and units."""
        self.stopped = self.locks.over(self.locks.stops)
        self.shut = self.locks.over(self.locks.shuts)[self.feeding]
        self.any_stopped = bool(self.stopped.any())
        self.idle = self.locks.over(self.locks.idles)[self.acting]

    def _interlock(self, whole_t: Vector, dt: float) -> None:
        """Let the locks read; what trips or is reset is logged and acts at once."""
        told = self.locks.look(100.0 * whole_t / self.layout.full_t, self.entering, self.time_s, dt * HOUR_S)
        if told:
            self.log += told
            self._locked()
            self._turns()
            self.anew_at_s = self.time_s

    def _turns(self) -> None:
        """What each acting unit makes of a content, as matrices: conversion, what it adds, the qualities it sets."""
        rows, entries = self.set_rows, self.set_entries
        own = np.zeros((len(self.acting), E, E)) + np.eye(E)
        self.set_values = (self.sets + self.off)[self.acting][rows, self.set_which]
        own[self.turns, :N, :N] = self.conversion
        own[:, OF_SOLUTES, :N] += self.adds[self.acting][:, :, None]  # of each tonne that comes
        carried = WEIGHTS[:, CARRIED_BY[entries - N]].T  # of what leaves, told by what comes
        own[rows, entries] = 0.0
        own[rows, entries, :N] = self.set_values[:, None] * np.matmul(carried[:, None, :], own[rows, :N, :N])[:, 0]
        unset = np.ones((len(self.acting), E - N))
        unset[rows, entries - N] = 0.0
        own[self.idle], unset[self.idle] = np.eye(E), 1.0  # pulp goes through as it comes
        self.own_turns = own
        self.unset = unset[self.turns]

    # -- one step

    def step(self, dt_s: float) -> None:
        """Go on by so many seconds, cut where an event falls. Raises: ImpossibleInput for a step that is none."""
        if not LEAST_S <= dt_s <= MOST_S:
            raise ImpossibleInput(Problem("dt_s", f"is {dt_s:g} s; it must be over 0 and at most {MOST_S:g} s"))
        end = self.time_s + dt_s
        while self.events and self.events[0].at_s < end - 1e-9:
            event = heapq.heappop(self.events)
            if event.at_s > self.time_s + 1e-9:
                self._step(event.at_s - self.time_s)
            self._happens(event)
        if end > self.time_s + 1e-9:
            self._step(end - self.time_s)
        self.time_s = end

    def file(self, *events: Event) -> None:
        """Put events on the list. Raises: ImpossibleInput for a stream or field that is not there, or a time that is past."""
        for e in events:
            self.layout.stream(e.stream)
            if e.what not in FIELDS:
                raise ImpossibleInput(Problem("what", f"“{e.what}” cannot be set; there are {', '.join(FIELDS)}"))
            if e.at_s < self.time_s:
                raise ImpossibleInput(Problem("at_s", f"is {e.at_s:g} s, before now, {self.time_s:g} s"))
            heapq.heappush(self.events, e)

    def _happens(self, e: Event) -> None:
        j = self.layout.stream(e.stream)
        self.anew_at_s = self.time_s
        if e.what == "runs":
            self.runs[j] = 1.0 if e.value else 0.0
            if e.value:
                self.locks.started(j)
                self._locked()
                self._turns()
        elif e.what == "flow":
            self.by_hand[j], self.asked[j] = True, e.value
        else:
            self.by_hand[j], self.asked[j] = False, e.value
            self.wants[self.layout.loops["drives"] == j] = e.value

    def _decide(self, mass: Vector, above: Vector, dt: float) -> None:
        """t/h of every stream in this step: loops by what they read, draws by solids, the rest as it is asked; interlocks last.

        Of each vessel its mass, of each tower what stands above its zone.
        """
        whole = mass.copy()
        whole[self.fixed.towers] += above
        if dt != self.paced_h:
            self._paced(dt)
        told = (self.reads, self.wants, self.sticks, self.asked, self.by_hand, self.runs)
        decide(self.loops, self.paced, whole, self.cons, *told, self.filtered, self.integral, self.flow)
        if self.locks.locks:
            self._interlock(whole, dt)
            if self.any_stopped:
                self.flow[self.stopped] = 0.0
                self.stopped_h[self.stopped] += dt

    def _decide_often(self, above: Vector, dt: float, looks: int) -> None:
        """The mean of what is decided in so many looks within a step: what comes to vessels stays as in the step before, what
        leaves them is counted; what enters the joints is as it was read. Source: section 13.7, two rates."""
        each, came = dt / looks, self.came_t / self.last_h
        stands, total = self.mass.copy(), np.zeros_like(self.flow)
        for _ in range(looks):
            self._decide(stands, above, each)
            total += self.flow
            stands += each * (came - self.stream_of @ self.flow)
        self.flow[:] = total / looks

    def _paced(self, dt: float) -> None:
        """What of the loops depends on the step's length alone."""
        self.paced_h = dt
        self.paced = Paced(1.0 - np.exp(-dt / self.filter_h), dt / self.layout.loops["ti"], self.loop_rate * dt)

    def _step(self, dt_s: float) -> None:
        lo, fixed, dt, now = self.layout, self.fixed, dt_s / HOUR_S, self.time_s / HOUR_S
        parcels, dumps, inner = self.plugs.parcels, self.dumps, lo.inner
        standing(self.held, self.mass, self.cons)
        above = (self.plugs.head - self.plugs.out)[fixed.tower_plugs]
        looks = 1 if self.loops_s is None else max(1, round(dt_s / self.loops_s))
        if looks == 1:
            self._decide(self.mass, above, dt)
        else:
            self._decide_often(above, dt, looks)
        np.multiply(self.link_t, dt / self.last_h, out=self.wanted[:inner])
        if len(lo.batch_plug):
            waits = (self.plugs.head - self.plugs.out)[lo.batch_plug]
            self.wanted[lo.batch_plug] = dumps.gives(now, dt, waits)
        passing = (self.wanted, self.given, dumps.held, dumps.flow, dumps.full)
        fed = (self.feed, self.feed_mass, self.shut, self.fed_by)
        stands = (self.pool, self.held, self.left, self.came_t, self.held_back_h)
        brimming = shift(fixed, parcels, dt, now, self.flow, self.mass, *passing, *fed, *stands)
        seen = np.empty((len(self.seen), 2))
        entering(self.pool, self.seen, seen)
        read = seen[: len(self.cons_reads)]
        self.reads = read[:, 0] / np.maximum(read[:, 1], TINY)
        self.entering = seen[len(self.cons_reads) :] / dt
        before = self.pool.take(fixed.comes_at, axis=0)
        if self.time_s >= self.anew_at_s - 1e-9:
            self._shares_anew(before)
            self.anew_at_s = self.time_s + max(ANEW_S, ANEW_STEPS * lo.step_s)
        np.matmul(self.own_turns, before[:, :, None], out=self.pool_own[:, :, None])
        sent = (self.share, self.left, brimming, self.pool, self.pushed, self.into)
        counted = (self.made_by, self.gone_by, self.over, self.bought_t, self.bought_born)
        send(fixed, parcels, dt, now, self.flow, before, *sent, *counted)
        self.link_t, self.last_h = self.into[:inner].copy(), dt
        self.last = (before, dt)
        self.time_s += dt_s
        self.steps += 1
        if self.time_s // (REBASE_H * HOUR_S) > (self.time_s - dt_s) // (REBASE_H * HOUR_S):
            self.plugs.rebase()

    def _shares_anew(self, before: Vector) -> None:
        """How units split and turn what is carried, by what comes to those that act (26 each), and to the others."""
        lo = self.layout
        comps = before[:, :N]
        own = np.matmul(self.own_turns[:, :N, :N], comps[:, :, None])[:, :, 0]
        if len(lo.turned):
            was, then = comps.take(self.turns, axis=0) @ WEIGHTS, own.take(self.turns, axis=0) @ WEIGHTS
            ratio = np.divide(then, was, out=np.ones_like(then), where=was > TINY).take(CARRIED_BY, axis=1)
            ratio[:, : OF_SOLUTES.stop - N] = 1.0  # a conversion makes no solutes
            self.own_turns[self.turns[:, None], RIDES, RIDES] = ratio * self.unset
        self.pool_own[:, :N] = own
        stands = self.pool.take(self.fixed.sent_at, axis=0)[:, :N]
        parts = stands * self.link_share
        if len(lo.thick):
            self._thicken(self.pool.take(self.leaves_at[lo.thick[:, 0]], axis=0), parts)
        share_out(stands, parts, self.link_share, self.fallback, self.share)

    def _thicken(self, after: Vector, parts: Vector) -> None:
        """Liquor moved to the pulp that a thickener keeps, until its consistency; in place. `after` is what leaves each."""
        lo = self.layout
        _, keeps, rest = lo.thick.T
        wanted = parts[keeps] @ SUSPENDED * (1.0 / self.thick_to - 1.0) - parts[keeps] @ LIQUOR
        water, dissolved = after[:, W], after[:, DS]
        of_ds = np.where(lo.thick_displaced, 0.0, dissolved / np.maximum(water + dissolved, TINY))
        most = parts[rest, W] / np.maximum(1.0 - of_ds, TINY)
        most = np.where(of_ds > TINY, np.minimum(most, parts[rest, DS] / np.maximum(of_ds, TINY)), most)
        least = -parts[keeps, W] / np.maximum(1.0 - of_ds, TINY)
        least = np.where(of_ds > TINY, np.maximum(least, -parts[keeps, DS] / np.maximum(of_ds, TINY)), least)
        moved = np.clip(wanted, least, most)
        for component, share in ((W, 1.0 - of_ds), (DS, of_ds)):
            parts[keeps, component] += moved * share
            parts[rest, component] -= moved * share

    # -- what is asked of it

    def holds(self) -> Vector:
        """(26,) of everything the line holds."""
        return np.asarray(self.held.sum(axis=0) + self.plugs.held.sum(axis=0) + self.dumps.held.sum(axis=0))

    def vessel_t(self) -> Vector:
        """Mass in every vessel, a tower's plug with it, t."""
        whole = self.held[:, :N].sum(axis=1)
        whole[self.fixed.towers] += self.plugs.held_t[self.fixed.tower_plugs]
        return np.asarray(whole)

    @property
    def fed(self) -> Vector:
        """(26,) of all that came in since the start."""
        bought = (self.fixed.bought * self.bought_t[:, None]).sum(axis=0)
        bought[BIRTH] = self.bought_born.sum()
        return np.asarray(self.fed_by.sum(axis=0) + bought)

    @property
    def gone(self) -> Vector:
        """(26,) of all that left."""
        return np.asarray(self.gone_by.sum(axis=0) + self.over)

    @property
    def made(self) -> Vector:
        """(26,) of all that units turned, added and set."""
        return np.asarray(self.made_by.sum(axis=0))

    @property
    def entered(self) -> Vector:
        """(n, 26) a hour of what entered every unit in the last step."""
        if self.last is None:
            return self.layout.entered
        return np.asarray(self.pool[: self.layout.n] / self.last[1])

    def leaves(self, node: int) -> Vector:
        """(26,) of what left a unit in the last step, after its act. Raises: ValueError before the first."""
        if self.last is None:
            raise ValueError("no step was made yet")
        return np.asarray(self.pool[self.leaves_at[node]])

    def comes(self) -> Vector:
        """(n, 26) a hour of what came to every unit from the units before it in the last step, without what is drawn into it;
        what is fed from outside with it."""
        if self.last is None:
            return self.layout.entered
        before, dt = self.last
        inner, result = self.layout.inner, np.zeros((self.layout.n, E))
        np.add.at(result, self.layout.plug_to[:inner], self.given[:inner] / dt)
        result[self.feeding] += self.feed
        held = np.isin(self.acting, self.layout.vessel_node)  # of stock before an act, what leaves it
        result[self.acting[held]] = before[held] / dt
        return np.asarray(result)

    def enters(self, unit: str) -> Vector:
        """(26,) a hour of what entered a unit in the last step."""
        return np.asarray(self.entered[self.layout.network.index[unit]])

    def kept(self) -> dict[str, Vector]:
        """Everything that must be kept to go on to the last bit, as named arrays; events with their streams by number."""
        told = {name: np.array(getattr(self, name)) for name in KEPT}
        told |= {f"plugs.{name}": a.copy() for name, a in self.plugs.kept().items()}
        told |= {f"{of}.{name}": np.array(getattr(getattr(self, of), name)) for of, names in KEPT_IN.items() for name in names}
        rows = [(e.at_s, e.number, self.layout.stream(e.stream), FIELDS.index(e.what), e.value) for e in sorted(self.events)]
        told["events"] = np.array(rows, dtype=float).reshape(-1, 5)
        told["layout"] = np.array(fingerprint(self.layout))
        return told

    def restore(self, kept: Mapping[str, Vector]) -> None:
        """Stand as it was kept. Raises: ImpossibleInput for what was kept of another layout, or is broken."""
        if "layout" not in kept or str(kept["layout"]) != fingerprint(self.layout):
            raise ImpossibleInput(Problem("layout", "is another than the one this was kept of"))
        places = [(self, name, name) for name in KEPT]
        places += [(getattr(self, of), name, f"{of}.{name}") for of, names in KEPT_IN.items() for name in names]
        for of, name, called in places:
            own = getattr(of, name)
            if called not in kept or np.asarray(kept[called]).shape != np.asarray(own).shape:
                raise ImpossibleInput(Problem(called, "is missing or of another shape in what was kept"))
            value = np.array(kept[called], copy=True)
            setattr(of, name, value if isinstance(own, np.ndarray) else type(own)(value.item()))
        try:
            self.plugs.restore({k.removeprefix("plugs."): v for k, v in kept.items() if k.startswith("plugs.")})
        except (KeyError, ValueError) as broken:
            raise ImpossibleInput(Problem("plugs", f"are broken in what was kept: {broken}")) from None
        names = self.layout.names
        self.events = [
            Event(at_s=at, number=int(k), stream=names[int(j)], what=FIELDS[int(w)], value=v)
            for at, k, j, w, v in kept["events"]
        ]
        heapq.heapify(self.events)
        self._paced(self.paced_h)
        self._locked()
        self._fall_back()
        self.last = None

    def fork(self) -> "Stepped":
        """Another line that stands as this one does; what becomes of it leaves this one alone."""
        other = Stepped(self.layout, self.loops_s)
        other.restore(self.kept())
        return other

    def run(self, hours: float, dt_s: float = 10.0) -> None:
        """Step on for so many hours."""
        for _ in range(round(hours * HOUR_S / dt_s)):
            self.step(dt_s)
