"""A solved line laid out for stepping: its nodes, links, streams, vessels, plugs and loops as arrays.

Every way between two units holds a plug, so that within a step no unit waits for another. A tank that is drawn from, a vessel
and whatever the mill says holds stock is a mixed vessel before its unit's act; a tower is a plug that feeds its mixed bottom
zone. Source: recovered to delivery, section 13.
"""

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any, Final

import numpy as np
import numpy.typing as npt

from core.colour import ks_from_reflectance
from core.errors import ImpossibleInput, Problem
from core.line.acting import Line
from core.line.network import Draw, DrawKind, Network, Sets
from core.line.steady import WATER, Solution
from core.stream import SUSPENDED, N, Vector
from core.through.control import consistency_tuning, level_tuning
from core.through.entries import OF_SOLUTES, SOLUTES_T, E, carriers, content
from core.through.sequences import Batched, Lock
from core.unit import SOLUTES

Places = npt.NDArray[np.int64]
Parts = dict[str, Any]  # of a layout, by field
PIPE_MIN: Final = 0.5  # of a way between units, default
TANK_MIN: Final = 15.0  # hold-up of a drawn tank that the mill does not describe, default
STEP_S, MOST_STEP_S = 10.0, 60.0
MOST_PARCELS: Final = 6 * 60 * 24
SWING: Final = 2.0  # a stream reaches so many times its steady flow
STRAYS: Final = (0.2, 0.1)  # a level may stray a tenth of its vessel for a fifth of its flow, default
LEAST_SHARE: Final = 0.02  # of a vessel's content that pumps leave
TINY: Final = 1e-12
BLANK: Final = (0.0, float(np.log(600.0)), 0.0, 30.0, 0.0)  # what is fed carries, where its unit says nothing


@dataclass(frozen=True, slots=True, kw_only=True)
class Holds:
    """Stock that stands before a unit's act: so much now and at the brim, t of everything; the share of it that is mixed.

    `free`: its level moves as it is filled and drawn (a tower, a silo); else its outflow keeps it. `fed`: what is brought to a
    unit that is fed from outside, over what the line takes of it.
    """

    unit: str
    now_t: float
    full_t: float
    mixed: float = 1.0
    free: bool = False
    fed: float = 1.0


@dataclass(frozen=True, kw_only=True, eq=False)
class Layout:
    """The arrays. Nodes are the units of the network, in its order; everything in t and hours."""

    line: Line
    step_s: float  # what it is laid out for: parcels of its plugs, and its dilutions’ tuning
    network: Network
    n: int
    # nodes
    turned: Places  # nodes with a conversion
    conversion: Vector  # (turned, 11, 11)
    feed: Vector  # (n, 26) a hour
    sets: Vector  # (n, 5) kappa, ln CSF, k457, s457, grey; nan where a unit sets nothing
    adds: Vector  # (n, 8) t of solutes for each t of `adds_by`
    # links: the ways out of units
    inner: int  # links within the line stand first; those after leave it
    link_from: Places
    link_to: Places
    link_share: Vector  # (links, 11)
    outlet_names: tuple[str, ...]
    thick: Places  # (thickeners, 3): node, link that keeps its pulp, link of its filtrate
    thick_to: Vector
    thick_displaced: npt.NDArray[np.bool_]
    # streams: draws, then what goes on from each vessel
    names: tuple[str, ...]
    kinds: tuple[str, ...]
    stream_from: Places  # vessel, or -1 for a supply
    stream_to: Places  # node
    supply: Vector  # (streams, 26) of a t, of a supply
    steady: Vector  # t/h
    asked: Vector  # t/h; of a draw by solids, t/h of them
    by_solids: npt.NDArray[np.bool_]
    draw_count: int
    # vessels
    vessel_node: Places
    vessel_mix: Vector  # (vessels, 26) of a tonne
    now_t: Vector
    full_t: Vector
    least_t: Vector
    mixed: Vector
    free: npt.NDArray[np.bool_]
    # plugs: of links within the line, then of draws
    plug_to: Places
    plug_t: Vector
    plug_mix: Vector
    parcels: Places
    entered: Vector  # (n, 26) a hour, as solved
    link_flow: Vector  # t/h into each link's plug, as solved
    tower: Places  # plug that is a tower's upper part, by vessel; -1 where there is none
    # loops
    loops: Mapping[str, Any] = field(default_factory=dict)  # reads, drives: places; the rest vectors
    # of its own accord
    batched: tuple[Batched, ...] = ()
    batch_plug: Places = field(default_factory=lambda: np.zeros(0, dtype=np.int64))
    locks: tuple[Lock, ...] = ()

    @property
    def links(self) -> int:
        return len(self.link_from)

    def stream(self, name: str) -> int:
        """Number of a stream. Raises: ImpossibleInput for one that is not there."""
        if name not in self.names:
            there = ", ".join(self.names)
            raise ImpossibleInput(Problem("stream", f"“{name}” is no stream of this line; there are {there}"))
        return self.names.index(name)


def _set_of(sets: Sets) -> tuple[float, ...]:
    """What a unit sets, as it is carried."""
    light = sets.iso_pct is not None and sets.s457 is not None
    s = sets.s457 if light and sets.s457 is not None else np.nan
    k = s * ks_from_reflectance(sets.iso_pct / 100.0) if light and sets.iso_pct is not None else np.nan
    told = (sets.kappa, None if sets.csf_ml is None else float(np.log(sets.csf_ml)), k, s, sets.grey)
    return tuple(np.nan if v is None else float(v) for v in told)


def qualities(solution: Solution, i: int) -> tuple[float, ...]:
    """Kappa, ln CSF, k457, s457, grey at a unit, as they are carried."""
    return (
        float(solution.kappa[i]),
        float(np.log(solution.csf_ml[i])),
        float(solution.k457[i]),
        float(solution.s457[i]),
        float(solution.grey[i]),
    )


def _came(solution: Solution, i: int) -> tuple[float, ...]:
    """The same of what comes to a unit, before it sets its own."""
    a = solution.arrives
    return (
        float(a["kappa"][i]),
        float(np.log(max(1.0, a["csf_ml"][i]))),
        float(a["k457"][i]),
        float(a["s457"][i]),
        float(a["grey"][i]),
    )


def of_a_tonne(flows: Vector, made: Vector) -> Vector:
    """(26,) a tonne of a content."""
    total = float(flows.sum())
    return made / total if total > TINY else np.asarray(content(WATER, temp_c=45.0, quality=BLANK))


class _Draft:
    """Puts a layout together from a solved line."""

    def __init__(
        self,
        line: Line,
        holds: tuple[Holds, ...],
        plug_min: Mapping[str, float],
        step_s: float,
        batched: tuple[Batched, ...],
    ) -> None:
        self.batched = batched
        self.step_s, self.pipe_min = step_s, max(PIPE_MIN, step_s / 60.0)
        self.line, self.solution = line, line.solution
        self.network = network = line.solution.network
        self.plug_min = plug_min
        added = np.zeros_like(line.solutes)
        for key, act in line.acts.items():
            for name, kg_h in act.adds.items():
                added[network.index[key], SOLUTES.index(name)] += kg_h
        self.added = added
        self.after_solutes = line.solutes + added
        moves = [d for d in network.draws if d.kind is not DrawKind.THICKEN]
        self.moves = sorted(moves, key=lambda d: not network.unit(d.tank).supply)  # what is bought stands first
        tanks = {d.tank for d in self.moves if not network.unit(d.tank).supply}
        told = {h.unit: h for h in holds}
        for unit in sorted(tanks - set(told), key=network.index.__getitem__):
            flow = float(self.solution.into[network.index[unit]].sum())
            mass = max(0.1, flow * TANK_MIN / 60.0)
            told[unit] = Holds(unit=unit, now_t=mass, full_t=1.6 * mass, free=network.unit(unit).stores)
        self.holds = [told[u.id] for u in network.units if u.id in told]
        bad = [Problem(h.unit, "is no unit of this line") for h in holds if h.unit not in network.index]
        bad += [
            Problem(unit, "is drawn from and shares what leaves it: its draws are not told through time")
            for unit in sorted(tanks)
            if len(network.unit(unit).outlets) != 1 or network.unit(unit).conversion is not None
        ]
        if bad:
            raise ImpossibleInput(*bad)
        self.vessel_of = {h.unit: v for v, h in enumerate(self.holds)}
        self.behind = self._behind()

    def _behind(self) -> dict[str, str]:
        """The outlet by which each batched unit is blown or dumped, its largest. Raises: ImpossibleInput naming a unit that is
        not there, or that nothing leaves."""
        network, outlets = self.network, {}
        for b in self.batched:
            ways = network.unit(b.unit).outlets if b.unit in network.index else ()
            within = [o for o in ways if network.unit(o.to).outlets]
            if not within:
                raise ImpossibleInput(Problem(b.unit, "is no unit of this line that pulp leaves for another"))
            outlets[b.unit] = max(within, key=lambda o: float(self.solution.left(b.unit, o.name).sum())).name
        return outlets

    def at_unit(self, i: int) -> Vector:
        """(26,) a hour of what leaves a unit, after its act."""
        s = self.solution
        return np.asarray(
            content(
                s.after[i],
                temp_c=float(s.temp_c[i]),
                quality=qualities(s, i),
                solutes=self.after_solutes[i] * SOLUTES_T,
            )
        )

    def into_unit(self, i: int) -> Vector:
        """(26,) a hour of what enters a unit, before its act."""
        s = self.solution
        temp = float(s.arrives["temp_c"][i]) if "temp_c" in s.arrives else float(s.temp_c[i])
        return np.asarray(content(s.into[i], temp_c=temp, quality=_came(s, i), solutes=self.line.solutes[i] * SOLUTES_T))

    def nodes(self) -> Parts:
        network, n = self.network, len(self.network.units)
        turned = [i for i, u in enumerate(network.units) if u.conversion is not None]
        feed = np.zeros((n, E))
        for i, u in enumerate(network.units):
            if not u.supply and u.feed.any():
                feed[i] = content(u.feed, temp_c=u.feed_temp_c, quality=BLANK)
                if u.id in self.vessel_of:
                    feed[i] *= self.holds[self.vessel_of[u.id]].fed
        by = np.maximum(self.solution.into.sum(axis=1), TINY)
        return {
            "turned": np.array(turned, dtype=np.int64),
            "conversion": np.stack([network.conversion[i] for i in turned]) if turned else np.zeros((0, N, N)),
            "feed": feed,
            "sets": np.array([_set_of(u.sets) for u in network.units], dtype=float),
            "adds": self.added * SOLUTES_T / by[:, None],
        }

    def links(self) -> Parts:
        network = self.network
        told: list[tuple[int, int]] = []
        shares: list[Vector] = []
        where: dict[tuple[str, str], int] = {}
        for i, u in enumerate(network.units):
            if u.stores:
                continue  # what is left of a tower's inflow stays in it
            for o in u.outlets:
                where[u.id, o.name] = len(told)
                told.append((i, network.index[o.to]))
                shares.append(o.shares)
        thick, to, displaced = [], [], []
        for d in network.draws:
            if d.kind is DrawKind.THICKEN:
                keeps = next(o.name for o in network.unit(d.tank).outlets if o.to == d.to and o.name != d.rest)
                thick.append((network.index[d.tank], where[d.tank, keeps], where[d.tank, d.rest]))
                to.append(d.target)
                displaced.append(d.displaced)
        pairs = np.array(told, dtype=np.int64).reshape(-1, 2)
        ends = np.array([not network.units[to].outlets for _, to in told], dtype=bool)
        order = np.concatenate([np.flatnonzero(~ends), np.flatnonzero(ends)]).astype(np.int64)
        at = np.argsort(order)
        pairs, shares = pairs[order], [shares[k] for k in order]
        thick = [(node, int(at[keeps]), int(at[rest])) for node, keeps, rest in thick]
        self.outlet_of = [list(where)[k] for k in order]
        return {
            "inner": int((~ends).sum()),
            "link_from": pairs[:, 0],
            "link_to": pairs[:, 1],
            "link_share": np.array(shares).reshape(-1, N),
            "outlet_names": tuple(name for _, name in self.outlet_of),
            "thick": np.array(thick, dtype=np.int64).reshape(-1, 3),
            "thick_to": np.array(to, dtype=float),
            "thick_displaced": np.array(displaced, dtype=bool),
        }

    def streams(self) -> Parts:
        network, s = self.network, self.solution
        drawn = dict(zip((d.id for d in network.draws), s.drawn, strict=True))
        names, kinds, start, end, supply, steady, asked = [], [], [], [], [], [], []
        kept = {d.to: d.target for d in self.moves if d.kind is DrawKind.KEEP}
        for d in self.moves:
            tank = network.unit(d.tank)
            names.append(d.id)
            kinds.append(d.kind.value)
            start.append(-1 if tank.supply else self.vessel_of[d.tank])
            end.append(network.index[d.to])
            own = d.carries if d.carries is not None else (tank.feed / tank.feed.sum() if tank.supply else WATER)
            like = _came(s, end[-1])  # bought pulp counts as what it meets, as the steady line mixes it
            supply.append(content(own, temp_c=tank.feed_temp_c, quality=like))
            steady.append(float(drawn[d.id]))
            asked.append(d.target if d.kind is DrawKind.RATE and not tank.supply else steady[-1])
        for v, h in enumerate(self.holds):
            u = network.unit(h.unit)
            names.append(f"on.{h.unit}")
            kinds.append("on")
            start.append(v)
            end.append(network.index[h.unit])
            supply.append(np.zeros(E))
            taken = sum(q for q, a in zip(steady, start, strict=False) if a == v)
            steady.append(0.0 if u.stores else max(0.0, float(s.into[network.index[h.unit]].sum()) - taken))
            asked.append(kept.get(h.unit, steady[-1]))
        return {
            "names": tuple(names),
            "kinds": tuple(kinds),
            "stream_from": np.array(start, dtype=np.int64),
            "stream_to": np.array(end, dtype=np.int64),
            "supply": np.array(supply).reshape(-1, E),
            "steady": np.array(steady),
            "asked": np.array(asked),
            "by_solids": np.array([k == DrawKind.RATE.value for k in kinds], dtype=bool),
            "draw_count": len(self.moves),
        }

    def vessels(self) -> Parts:
        return {
            "vessel_node": np.array([self.network.index[h.unit] for h in self.holds], dtype=np.int64),
            "vessel_mix": np.array([self._mix(self.network.index[h.unit]) for h in self.holds]).reshape(-1, E),
            "now_t": np.array([h.now_t for h in self.holds]),
            "full_t": np.array([h.full_t for h in self.holds]),
            "least_t": np.array([max(1e-3, LEAST_SHARE * h.full_t) for h in self.holds]),
            "mixed": np.array([h.mixed for h in self.holds]),
            "free": np.array([h.free for h in self.holds], dtype=bool),
        }

    def _mix(self, i: int) -> Vector:
        """(26,) of a tonne of what enters a unit."""
        return of_a_tonne(self.solution.into[i], self.into_unit(i))

    def plugs(self, links: Parts, streams: Parts) -> Parts:
        """A plug for every link within the line and every draw, filled as the line runs; the main way into a unit holds the
        minutes it is told."""
        s, count = self.solution, links["inner"]
        to = np.concatenate([links["link_to"][:count], streams["stream_to"][: len(self.moves)]])
        flow, mix = np.zeros(len(to)), np.zeros((len(to), E))
        for k in range(count):
            i = int(links["link_from"][k])
            flows = np.maximum(s.left(*self.outlet_of[k]), 0.0)
            flow[k] = flows.sum()
            mix[k] = of_a_tonne(flows, self._carried(i, flows))
        for j, d in enumerate(self.moves):
            flow[count + j] = s.draw_t_h(d.id)
            if streams["stream_from"][j] < 0:
                mix[count + j] = streams["supply"][j]
            else:
                i = self.network.index[d.tank]
                mix[count + j] = of_a_tonne(s.after[i], self.at_unit(i))
        minutes = np.full(len(to), self.pipe_min)
        tower = np.full(len(self.holds), -1, dtype=np.int64)
        for unit, told in self.plug_min.items():
            if unit in self.network.index and (main := self._main_way(self.network.index[unit], to, flow)) is not None:
                minutes[main] = max(self.pipe_min, told)
        held = flow * minutes / 60.0
        for v, h in enumerate(self.holds):
            main = self._main_way(self.network.index[h.unit], to, flow)
            if h.mixed < 1.0 and main is not None:
                tower[v] = main
                held[main] = h.now_t * (1.0 - h.mixed)
                minutes[main] = 60.0 * h.full_t / max(flow[main], 1e-3)
        batch_plug = np.array([self.outlet_of.index((b.unit, self.behind[b.unit])) for b in self.batched], dtype=np.int64)
        for k, b in zip(batch_plug.tolist(), self.batched, strict=True):
            minutes[k] = b.every_min
            held[k] = flow[k] * max(self.pipe_min, b.every_min - b.first_min) / 60.0
        parcels = np.ceil(np.clip(minutes, PIPE_MIN, 60.0 * 72.0) * 60.0 / self.step_s).astype(np.int64) + 1
        return {
            "plug_to": to,
            "plug_t": held,
            "plug_mix": mix,
            "parcels": np.minimum(parcels, MOST_PARCELS),
            "entered": np.array([self.into_unit(i) for i in range(len(self.network.units))]),
            "link_flow": flow[:count],
            "tower": tower,
            "batched": self.batched,
            "batch_plug": batch_plug,
        }

    def _main_way(self, node: int, to: Places, flow: Vector) -> int | None:
        ways = np.flatnonzero(to == node)
        return int(ways[flow[ways].argmax()]) if len(ways) else None

    def _carried(self, i: int, flows: Vector) -> Vector:
        """(26,) of flows that leave a unit."""
        s = self.solution
        made = content(flows, temp_c=float(s.temp_c[i]), quality=qualities(s, i))
        stands, by = carriers(s.after[i]), carriers(flows)
        share = np.divide(by, stands, out=np.zeros_like(by), where=stands > TINY)
        held = np.array([share[1] if name == "SODB" else share[0] for name in SOLUTES])
        made[OF_SOLUTES] = self.after_solutes[i] * SOLUTES_T * held
        return np.asarray(made)

    def loops(self, streams: Parts) -> dict[str, Any]:
        """Levels that a stream keeps, and consistencies that dilution keeps: what each reads, drives, wants, and its tuning."""
        s, network = self.solution, self.network
        steady = streams["steady"]
        kept = {network.index[d.to]: j for j, d in enumerate(self.moves) if d.kind is DrawKind.KEEP}
        rows: list[tuple[float, ...]] = []  # reads (vessel, or vessels + node), drives, wants, acts, Kc, Ti h, filter h
        count = len(self.holds)
        for v, h in enumerate(self.holds):
            if h.free:
                continue
            node = network.index[h.unit]
            drives, acts = (kept[node], 1.0) if node in kept else (len(self.moves) + v, -1.0)
            flow = max(float(s.into[node].sum()), 1e-3)
            kc, ti = level_tuning(STRAYS[0] * flow, STRAYS[1] * h.full_t)
            rows.append((v, drives, h.now_t, acts, kc, ti, 0.0))
        for j, d in enumerate(self.moves):
            if d.kind is not DrawKind.DILUTE:
                continue
            rows.append((count + network.index[d.to], j, d.target, -1.0, *self._diluting(d), self.step_s / 3600.0))
        told = np.array(rows, dtype=float).reshape(-1, 7)
        driven = told[:, 1].astype(np.int64)
        return {
            "reads": told[:, 0].astype(np.int64),
            "drives": driven,
            "wants": told[:, 2],
            "acts": told[:, 3],
            "kc": told[:, 4],
            "ti": told[:, 5],
            "filter": told[:, 6],
            "most": SWING * np.maximum(steady[driven], 1.0),
        }

    def _diluting(self, d: Draw) -> tuple[float, float]:
        """Kc (t/h a unit of consistency) and Ti (h) of a dilution."""
        s = self.solution
        i, tank = self.network.index[d.to], self.network.unit(d.tank)
        whole = max(float(s.into[i].sum()), 1e-3)
        own = s.after[self.network.index[d.tank]] if not tank.supply else tank.feed
        thin = float(own @ SUSPENDED) / max(float(own.sum()), TINY)
        gain = max(1e-9, (d.target - thin) / whole)
        return consistency_tuning(gain, self.step_s)


def lay_out(
    line: Line,
    holds: tuple[Holds, ...] = (),
    plug_min: Mapping[str, float] | None = None,
    step_s: float = STEP_S,
    *,
    batched: tuple[Batched, ...] = (),
    locks: tuple[Lock, ...] = (),
) -> Layout:
    """A solved line as arrays, standing as it is solved.

    `holds`: stock before units; `plug_min`: minutes that the main way into a unit takes (0.5 where it is not told); `step_s`:
    the longest step that it is laid out for; `batched`: units that are blown or dumped; `locks`: modelled interlocks. Raises:
    ImpossibleInput naming a unit that is not there, a drawn tank that shares what leaves it, or a step that is none.
    """
    if not 0.0 < step_s <= MOST_STEP_S:
        raise ImpossibleInput(Problem("step_s", f"is {step_s:g} s; it must be above 0 and at most {MOST_STEP_S:g} s"))
    draft = _Draft(line, tuple(holds), plug_min or {}, step_s, batched)
    links, streams, vessels = draft.links(), draft.streams(), draft.vessels()
    return Layout(
        line=line,
        step_s=step_s,
        network=draft.network,
        n=len(draft.network.units),
        **draft.nodes(),
        **links,
        **streams,
        **vessels,
        **draft.plugs(links, streams),
        loops=draft.loops(streams),
        locks=locks,
    )
