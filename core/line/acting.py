"""The line with units that act: solve, ask every unit what it does to what enters it, solve again, until nothing moves.

A unit's act may depend on the flows, kappa and solutes that reach it, and these on the acts upstream: the outer pass repeats
until shares, conversions, draws and quality all stand still. What only rides on the pulp (kappa, brightness, freeness) needs no
new flows. Source: one balance for a line, models, chips to bleach, section 10.
"""

from collections.abc import Mapping
from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np

from core.colour import brightness_from_ks, ks_from_reflectance
from core.errors import ImpossibleInput, NotSolved, Problem
from core.line.heat import Heated, heated
from core.line.network import Draw, DrawKind, Network, Outlet, Unit, build, loses, rebuilt
from core.line.steady import LIQUOR, WATER, Solution, mixed_again, solutes_of, solve
from core.stream import DS, FIBRE, SUSPENDED, Vector, W
from core.unit import ON, ON_FIBRE, OXIDANTS, SOLUTES, Acts, Facts, Inlet, Kind, met

SETTLED = 1e-9
FINE = 1e-4  # shares close the mass whatever they are: they stand still at a hundred-thousandth
MOST_PASSES = 25


@dataclass(frozen=True, kw_only=True, eq=False)
class Line:
    """The solved line: its flows, what every acting unit did, the solutes that enter every unit (n, solutes) in kg/h, passes
    taken."""

    solution: Solution
    acts: Mapping[str, Acts]
    inlets: Mapping[str, Inlet]
    solutes: Vector
    passes: int
    acting: Mapping[str, Kind]  # the settings that acted

    def solute_kg_h(self, unit_id: str, solute: str) -> float:
        """A solute that enters a unit, kg/h."""
        return float(self.solutes[self.solution.network.index[unit_id], SOLUTES.index(solute)])

    def duty(self, name: str) -> float:
        """What all units take together of steam, power, water or a chemical, by the duty's name (NaOH_kg_h)."""
        return sum(acts.duties.get(name, 0.0) for acts in self.acts.values())

    @cached_property
    def heat(self) -> Heated:
        """Temperatures and steam along the line; worked out when first asked for. Raises: ImpossibleInput."""
        return heated(self.solution, {k: a.warmth for k, a in self.acts.items() if a.warmth is not None})

    def facts(self, unit_id: str, stage: int = 0) -> Facts:
        """What an acting unit knows of itself in this line (`Kind.facts`); nothing for a unit that does not act."""
        if unit_id not in self.acts:
            return {}
        return self.acting[unit_id].facts(self.inlets[unit_id], self.acts[unit_id], stage)


def _added(acts: Acts | None) -> Vector:
    """What an act adds of each solute, kg/h."""
    v = np.zeros(len(SOLUTES))
    if acts is not None:
        for name, kg_h in acts.adds.items():
            v[SOLUTES.index(name)] += kg_h
    return v


def changed_by(u: Unit, acts: Acts) -> Unit:
    """A unit as its act makes it: conversion, the shares of the dissolved solids, and the quality it sets."""
    conversion = u.conversion if acts.dissolves is None else loses(min(1.0, max(0.0, acts.dissolves)))
    if acts.turns is not None:
        conversion = np.array(acts.turns)
    outlets = u.outlets
    if acts.shares:
        outlets = tuple(replace(o, shares=np.array(acts.shares[o.name])) if o.name in acts.shares else o for o in outlets)
    if acts.liquor_on is not None:
        others = sum(float(o.shares[DS]) for o in outlets if o.name != ON)
        outlets = tuple(_with_liquor(o, acts.liquor_on, others) for o in outlets)
    sets = u.sets
    given = {"kappa": acts.kappa, "iso_pct": acts.iso_pct, "csf_ml": acts.csf_ml, "s457": acts.s457}
    sets = replace(sets, **{k: v for k, v in given.items() if v is not None})
    return replace(u, conversion=conversion, outlets=outlets, sets=sets)


def _with_liquor(o: Outlet, on: float, others: float) -> Outlet:
    """An outlet with its share of the dissolved: `on` goes with the pulp, the others share the rest as they did."""
    v = o.shares.copy()
    v[DS] = on if o.name == ON else (1.0 - on) * v[DS] / others if others > 0.0 else 0.0
    return replace(o, shares=v)


def _drawn_as(draws: tuple[Draw, ...], network: Network, acts: Mapping[str, Acts]) -> tuple[Draw, ...]:
    """The draws as the acts ask for them: from the unit's supply, and the consistency its thickener leaves."""
    asked, result = {k for k, a in acts.items() if a.takes is not None}, []
    for d in draws:
        by = acts.get(d.to)
        if (
            d.to in asked
            and by is not None
            and by.takes is not None
            and d.kind is DrawKind.FLOW
            and network.unit(d.tank).supply
        ):
            asked.discard(d.to)
            d = replace(d, target=by.takes.t_h, carries=by.takes.composition)
        if d.kind is DrawKind.DILUTE and by is not None and by.in_pct is not None:
            d = replace(d, target=by.in_pct / 100.0)
        by = acts.get(d.tank)
        if d.kind is DrawKind.THICKEN and by is not None and by.out_pct is not None:
            d = replace(d, target=by.out_pct / 100.0)
        result.append(d)
    return tuple(result)


def _needed(network: Network, acting: Mapping[str, Kind]) -> list[int]:
    """Units that act or that lie before one that does, in the order of the line."""
    needed: set[int] = set()
    for i in range(len(network.units) - 1, -1, -1):
        u = network.units[i]
        if u.id in acting or any(network.index[o.to] > i and network.index[o.to] in needed for o in u.outlets):
            needed.add(i)
    return sorted(needed)


class _Walk:
    """One walk down the line: each acting unit sees what the units before it send after their acts.

    Recycles, and draws between tanks, are as in the solution the walk starts from; what a unit takes of a supply and the liquor
    that a thickener keeps follow its act. Where the acts stand still, the walk repeats the solution.
    """

    def __init__(self, solution: Solution, solutes: Vector, acts: Mapping[str, Acts]) -> None:
        network = self.network = solution.network
        len(network.units)
        self.solution = solution
        self.held = solutes + np.array([_added(acts.get(u.id)) for u in network.units])
        self.flows, self.solutes, self.drawn_in = network.feed.copy(), np.zeros_like(solutes), np.zeros_like(network.feed)
        fed = np.maximum(network.feed, 0.0)
        self.fibre, self.solids = fed @ FIBRE, fed @ SUSPENDED
        self.rides = np.array([0.0 * self.fibre, self.fibre * np.log(600.0), 0.0 * self.solids, self.solids * 30.0])
        self.thickens: dict[int, list[int]] = {}
        for j, d in enumerate(network.draws):
            tank, to, rest = network.index[d.tank], network.index[d.to], network.rest_target(d)
            if d.kind is DrawKind.THICKEN:
                self.thickens.setdefault(tank, []).append(j)
                continue
            carried = solution.drawn[j] * solution.composition[j]
            self.drawn_in[to] += carried
            if rest is not None:
                self._ride(tank, to, carried)
                self._ride(tank, rest, -carried)
                self.flows[rest] -= carried
        for i, u in enumerate(network.units):  # what comes back from units further on
            for o in u.outlets:
                if (to := network.index[o.to]) <= i:
                    self.flows[to] += solution.after[i] * o.shares
                    self._ride(i, to, solution.after[i] * o.shares)

    def _ride(self, at: int, to: int, flows: Vector) -> None:
        """Solutes and quality of the solution on a flow that is as in the solution."""
        s = self.solution
        self.solutes[to] += self.held[at] * _carried(flows, s.after[at])
        self._mix(to, flows, (s.kappa[at], np.log(s.csf_ml[at]), s.k457[at], s.s457[at]))

    def _mix(self, to: int, flows: Vector, quality: tuple[float, ...]) -> None:
        fibre, solids = float(flows @ FIBRE), float(flows @ SUSPENDED)
        self.fibre[to] += fibre
        self.solids[to] += solids
        kappa, csf, k, s = quality
        self.rides[:, to] += (fibre * kappa, fibre * csf, solids * k, solids * s)

    def _came(self, i: int) -> tuple[float, float, float, float]:
        """Kappa, log of freeness, k and s of what arrives at a unit."""
        fibre, solids = self.fibre[i], self.solids[i]
        kappa, csf, k, s = self.rides[:, i]
        if fibre <= 1e-12 or solids <= 1e-12:
            return 0.0, float(np.log(600.0)), 0.0, 30.0
        return kappa / fibre, csf / fibre, k / solids, s / solids

    def inlet(self, i: int) -> Inlet:
        flows = np.maximum(self.flows[i], 0.0)
        kappa, csf, k, s = self._came(i)
        return Inlet(
            solids_t_h=float(flows @ SUSPENDED),
            fibre_t_h=float(flows @ FIBRE),
            water_t_h=float(flows[W]),
            dissolved_t_h=float(flows[DS]),
            temp_c=float(self.solution.arrives["temp_c"][i]),
            kappa=max(0.0, float(kappa)),
            iso_pct=brightness_from_ks(max(0.0, float(k / s))) if s > 0.0 else 0.0,
            csf_ml=float(np.exp(csf)),
            solutes=tuple(self.solutes[i].tolist()),
            parts=tuple(flows.tolist()),
        )

    def passes(self, i: int, u: Unit, acts: Acts | None, draws: tuple[Draw, ...]) -> None:
        """What a unit sends on, after its act."""
        network, into = self.network, self.flows[i] + self.drawn_in[i]
        if acts is not None and acts.takes is not None:
            for j, d in enumerate(draws):
                if network.index[d.to] == i and d.kind is DrawKind.FLOW and network.unit(d.tank).supply:
                    into = into - self.solution.drawn[j] * self.solution.composition[j]
                    tank = network.unit(d.tank).feed
                    carries = d.carries if d.carries is not None else tank / tank.sum()
                    into = into + d.target * carries
                    break
        after = into if u.conversion is None else u.conversion @ into
        kept = self.solutes[i] + _added(acts)
        kappa, csf, k, s = self._came(i)
        if u.sets.kappa is not None:
            kappa = u.sets.kappa
        if u.sets.csf_ml is not None:
            csf = float(np.log(u.sets.csf_ml))
        if u.sets.iso_pct is not None and u.sets.s457 is not None:
            s = u.sets.s457
            k = s * ks_from_reflectance(u.sets.iso_pct / 100.0)
        sent = {network.index[o.to]: after * o.shares for o in u.outlets}
        for j in self.thickens.get(i, ()):
            d = draws[j]
            to, rest = network.index[d.to], network.rest_target(d)
            liquor = sent[to] * LIQUOR
            moved = float(sent[to] @ SUSPENDED) * (1.0 / d.target - 1.0) - float(liquor.sum())
            own = after * LIQUOR
            carried = moved * (WATER if d.displaced or own.sum() <= 0.0 else own / own.sum())
            sent[to] = sent[to] + carried
            if rest is not None:
                sent[rest] = sent[rest] - carried
        for to, flows in sent.items():
            if to <= i:
                continue
            self.flows[to] += flows
            self.solutes[to] += kept * _carried(flows, after)
            self._mix(to, flows, (kappa, csf, k, s))


WITH_LIQUOR = ~ON_FIBRE


def _carried(flows: Vector, stands: Vector) -> Vector:
    """Of each solute, the share that a flow takes of what stands: by the dissolved, or by the fibre that holds it."""
    liquor, fibre = float(stands[DS]), float(stands @ FIBRE)
    by_liquor = flows[DS] / liquor if liquor > 0.0 else 0.0
    by_fibre = float(flows @ FIBRE) / fibre if fibre > 0.0 else 0.0
    return by_liquor * WITH_LIQUOR + by_fibre * ON_FIBRE


def _met(inlet: Inlet) -> tuple[Inlet, dict[str, float]]:
    """What enters a unit once the oxidant that came has met its COD, and what that adds (under 0: uses) of each, kg/h."""
    brought = {name: inlet.kg_h(name) for name in OXIDANTS}
    if not any(kg > 0.0 for kg in brought.values()):
        return inlet, {}
    cod, left = met(inlet.kg_h("COD"), brought)
    now = dict(zip(SOLUTES, inlet.solutes, strict=True)) | left | {"COD": cod}
    used = {name: now[name] - inlet.kg_h(name) for name in ("COD", *OXIDANTS)}
    return replace(inlet, solutes=tuple(now.values())), used


def _sum(a: Mapping[str, float], b: Mapping[str, float]) -> dict[str, float]:
    return {name: a.get(name, 0.0) + b.get(name, 0.0) for name in {**a, **b}}


def _walk(
    solution: Solution,
    solutes: Vector,
    before: Mapping[str, Acts],
    units: Mapping[str, Unit],
    acting: Mapping[str, Kind],
    draws: tuple[Draw, ...],
) -> tuple[dict[str, Acts], dict[str, Inlet]]:
    """The acts of every acting unit, each seeing what the acts before it send. Raises: ImpossibleInput, NotSolved, with the
    unit's name."""
    network, walk = solution.network, _Walk(solution, solutes, before)
    acts: dict[str, Acts] = {}
    inlets: dict[str, Inlet] = {}
    for i in _needed(network, acting):
        u = units[network.units[i].id]
        act = None
        if u.id in acting:
            inlet, used = _met(inlets.setdefault(u.id, walk.inlet(i)))
            try:
                act = acting[u.id].act(inlet)
                acts[u.id] = act = replace(act, adds=_sum(act.adds, used)) if used else act
            except ImpossibleInput as refusal:
                raise ImpossibleInput(*(Problem(f"{u.id}.{p.field}", p.text) for p in refusal.problems)) from None
            u = changed_by(u, act)
        draws_on = act is not None and (act.takes, act.out_pct, act.in_pct) != (None, None, None)
        walk.passes(i, u, act, _drawn_as(draws, network, {u.id: act}) if draws_on and act is not None else network.draws)
    return acts, inlets


def _gap(a: float | None, b: float | None) -> float:
    if a is None or b is None:
        return 0.0 if a is b else np.inf
    return abs(a - b) / max(1.0, abs(a), abs(b))


def _moved(before: Acts | None, now: Acts) -> tuple[float, float]:
    """How far an act has moved since the pass before: in what changes flows, and in what only rides on them."""
    if before is None:
        return np.inf, np.inf
    flows = max(_gap(getattr(before, k), getattr(now, k)) for k in ("dissolves", "liquor_on", "out_pct"))
    flows = max(flows, FINE * _gap(before.in_pct, now.in_pct))
    for name, shares in now.shares.items():
        flows = max(flows, FINE * float(np.abs(np.array(shares) - np.array(before.shares.get(name, 0.0))).max()))
    if now.turns is not None:
        flows = max(flows, FINE * float(np.abs(np.array(now.turns) - np.array(before.turns or 0.0)).max()))
    if before.takes is not None and now.takes is not None:
        flows = max(flows, _gap(before.takes.t_h, now.takes.t_h))
        if before.takes.composition is not None and now.takes.composition is not None:
            flows = max(flows, float(np.abs(before.takes.composition - now.takes.composition).max()))
    rides = max(_gap(getattr(before, k), getattr(now, k)) for k in ("kappa", "iso_pct", "csf_ml", "s457"))
    return flows, max(rides, *(_gap(before.adds.get(k, 0.0), now.adds.get(k, 0.0)) for k in {**before.adds, **now.adds}), 0.0)


def _flowing_as(act: Acts, solved: Acts) -> Acts:
    """An act with the shares that the flows were solved with, so that what only rides is mixed on flows that close."""
    if not act.shares:
        return act
    return replace(act, shares=solved.shares, turns=solved.turns, in_pct=solved.in_pct)


def solve_line(units: tuple[Unit, ...], draws: tuple[Draw, ...], acting: Mapping[str, Kind], start: Line | None = None) -> Line:
    """The steady line with its acting units.

    `acting`: the settings that act, by unit. `start`: a line of the same units and draws to begin from (its feeds, settings and
    targets may be others). Raises: UnsolvableNetwork, ImpossibleInput naming unit and field, NotSolved with the unit that does
    not settle.
    """
    own = {u.id: u for u in units}
    if start is None:
        network = build(units, draws)
        solution, acts, solutes = solve(network), {}, np.zeros((len(units), len(SOLUTES)))
    else:
        acts, solutes = dict(start.acts), start.solutes
        changed = tuple(changed_by(u, acts[u.id]) if u.id in acts else u for u in units)
        network = rebuilt(start.solution.network, changed, _drawn_as(draws, start.solution.network, acts))
        solution = replace(start.solution, network=network)
    fresh = start is not None  # nothing is solved yet for these feeds and targets
    worst, gap = "", np.inf
    for passes in range(1, MOST_PASSES + 1):
        now, inlets = _walk(solution, solutes, acts, own, acting, draws)
        flows, rides = 0.0, 0.0
        for key, act in now.items():
            f, r = _moved(acts.get(key), act)
            flows, rides = max(flows, f), max(rides, r)
            if (g := max(f, r)) >= gap or not worst:
                worst, gap = key, g
        if passes > 1 and max(flows, rides) <= SETTLED:
            return Line(solution=solution, acts=now, inlets=inlets, solutes=solutes, passes=passes, acting=acting)
        anew = flows > SETTLED or fresh
        acts = now if anew else {key: _flowing_as(act, acts[key]) for key, act in now.items()}
        changed = tuple(changed_by(u, acts[u.id]) if u.id in acts else u for u in units)
        network = rebuilt(network, changed, _drawn_as(draws, network, acts))
        if anew:
            solution = solve(network, solution)
        elif rides > SETTLED:
            solution = mixed_again(solution, network)
        fresh, gap = False, max(flows, rides)
        solutes = solutes_of(solution, np.array([_added(acts.get(u.id)) for u in units]))
    if start is not None:  # too far from where it began: once more from nothing
        return solve_line(units, draws, acting)
    raise NotSolved("the line", MOST_PASSES, gap, worst)
