"""The line with units that act: solve, ask every unit what it does to what enters it, solve again, until nothing moves.

A unit's act may depend on the flows, kappa and solutes that reach it, and these on the acts upstream: the outer pass repeats
until shares, conversions, draws and quality all stand still. What only rides on the pulp (kappa, brightness, freeness) needs no
new flows. Source: one balance for a line, models, chips to bleach, section 10.
"""

import math
from collections.abc import Mapping
from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np

from core.colour import brightness_from_ks
from core.errors import ImpossibleInput, NotSolved, Problem
from core.line.heat import Heated, heated
from core.line.network import EVERY, Draw, DrawKind, Network, Outlet, Places, Sets, Unit, build, loses, rebuilt, shares_of
from core.line.onward import FED_S, LOG_FED_CSF, Laid, Made, Riding, came, onward
from core.line.steady import Solution, mixed_again, solutes_of, solve
from core.stream import DS, FIBRE, SUSPENDED, N, Vector, W
from core.unit import ON, ON_FIBRE, OXIDANTS, SOLUTES, Acts, Drawn, Facts, Inlet, Kind, met

SETTLED = 1e-9
FINE = 1e-4  # shares close the mass whatever they are: they stand still at a hundred-thousandth
ROUNDING = 1e-13
MOST_PASSES = 25
SOLIDS_AND_FIBRE = np.stack([SUSPENDED, FIBRE], axis=1)
PLACE = {name: i for i, name in enumerate(SOLUTES)}


@dataclass(frozen=True, kw_only=True, eq=False)
class Line:
    """The solved line: its flows, what every acting unit did, the solutes that enter every unit (n, solutes) in kg/h, passes
    taken."""

    solution: Solution
    seen: "Mapping[str, _Seen]"
    solutes: Vector
    passes: int
    acting: Mapping[str, Kind]  # the settings that acted

    @cached_property
    def acts(self) -> Mapping[str, Acts]:
        """What every acting unit did."""
        return {key: seen.act for key, seen in self.seen.items()}

    @cached_property
    def inlets(self) -> Mapping[str, Inlet]:
        """What entered every acting unit."""
        return {key: seen.inlet for key, seen in self.seen.items()}

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
            v[PLACE[name]] += kg_h
    return v


def _all_added(units: tuple[Unit, ...], acts: Mapping[str, Acts]) -> Vector:
    """What every unit adds of each solute, kg/h (n, solutes)."""
    added = np.zeros((len(units), len(SOLUTES)))
    if acts:
        for i, u in enumerate(units):
            if (act := acts.get(u.id)) is not None and act.adds:
                added[i] = _added(act)
    return added


def changed_by(u: Unit, acts: Acts) -> Unit:
    """A unit as its act makes it: conversion, the shares of the dissolved solids, and the quality it sets."""
    conversion = u.conversion if acts.dissolves is None else loses(min(1.0, max(0.0, acts.dissolves)))
    if acts.turns is not None:
        conversion = np.array(acts.turns)
    outlets = u.outlets
    if acts.shares:
        outlets = tuple(
            Outlet(name=o.name, to=o.to, shares=np.array(acts.shares[o.name])) if o.name in acts.shares else o for o in outlets
        )
    if acts.liquor_on is not None:
        others = sum(float(o.shares[DS]) for o in outlets if o.name != ON)
        outlets = tuple(_with_liquor(o, acts.liquor_on, others) for o in outlets)
    own = u.sets
    sets = Sets(
        kappa=own.kappa if acts.kappa is None else acts.kappa,
        csf_ml=own.csf_ml if acts.csf_ml is None else acts.csf_ml,
        iso_pct=own.iso_pct if acts.iso_pct is None else acts.iso_pct,
        s457=own.s457 if acts.s457 is None else acts.s457,
        grey=own.grey,
    )
    return replace(u, conversion=conversion, outlets=outlets, sets=sets)


def _with_liquor(o: Outlet, on: float, others: float) -> Outlet:
    """An outlet with its share of the dissolved: `on` goes with the pulp, the others share the rest as they did."""
    v = o.shares.copy()
    v[DS] = on if o.name == ON else (1.0 - on) * v[DS] / others if others > 0.0 else 0.0
    return Outlet(name=o.name, to=o.to, shares=v)


def _own_supply(network: Network, d: Draw) -> bool:
    """Whether a draw may be what its unit asks of a supply (`Acts.takes`)."""
    return d.kind is DrawKind.FLOW and network.unit(d.tank).supply


def _taking(d: Draw, takes: Drawn) -> Draw:
    return replace(d, target=takes.t_h, carries=takes.composition)


def _thickening(d: Draw, by: Acts | None) -> Draw:
    """A thickener's draw with the consistency that its act leaves."""
    if d.kind is not DrawKind.THICKEN or by is None or by.out_pct is None or d.target == by.out_pct / 100.0:
        return d
    return replace(d, target=by.out_pct / 100.0)


def _drawn_as(draws: tuple[Draw, ...], network: Network, acts: Mapping[str, Acts]) -> tuple[Draw, ...]:
    """The draws as the acts ask for them: from the unit's supply, and the consistency its thickener leaves."""
    asked, result = {k for k, a in acts.items() if a.takes is not None}, []
    for d in draws:
        by = acts.get(d.to)
        if by is not None and by.takes is not None and d.to in asked and _own_supply(network, d):
            asked.discard(d.to)
            d = _taking(d, by.takes)
        if d.kind is DrawKind.DILUTE and by is not None and by.in_pct is not None:
            d = replace(d, target=by.in_pct / 100.0)
        result.append(_thickening(d, acts.get(d.tank)))
    return tuple(result)


def _laid(network: Network, acting: Mapping[str, Kind]) -> Laid:
    """Who sends to whom on a walk down the line: past the units that act or that lie before one that does."""
    ways, ends, through = network.ways, network.ends, np.zeros(len(network.units), dtype=bool)
    for i in range(len(network.units) - 1, -1, -1):
        through[i] = network.units[i].id in acting or any(through[to] for to in ways.to[ways.of(i)] if to > i)
    thickens = [j for j, d in enumerate(network.draws) if d.kind is DrawKind.THICKEN]
    at, to, rest = (places[thickens].tolist() for places in (ends.tank, ends.to, ends.rest))
    return Laid(
        begins=ways.begins,
        to=ways.to,
        through=through,
        thick_at=np.array(at, dtype=int),
        thick_way=np.array([ways.find(*pair) for pair in zip(at, to, strict=True)], dtype=int),
        thick_rest=np.array([ways.find(*pair) for pair in zip(at, rest, strict=True)], dtype=int),
        displaced=np.array([network.draws[j].displaced for j in thickens], dtype=bool),
        on_fibre=ON_FIBRE,
    )


class _Walk:
    """One walk down the line: each acting unit sees what the units before it send after their acts.

    Recycles, and draws between tanks, are as in the solution the walk starts from; what a unit takes of a supply and the liquor
    that a thickener keeps follow its act. Where the acts stand still, the walk repeats the solution.
    """

    def __init__(self, solution: Solution, solutes: Vector, acts: Mapping[str, Acts], laid: Laid) -> None:
        network = self.network = solution.network
        self.solution, self.laid = solution, laid
        self.asks: dict[int, int] = {}  # the draw by which a unit takes of a supply
        ends, carried = network.ends, solution.drawn[:, None] * solution.composition
        thickens = np.array([d.kind is DrawKind.THICKEN for d in network.draws], dtype=bool)
        for j, d in enumerate(network.draws):
            if _own_supply(network, d):
                self.asks.setdefault(int(ends.to[j]), j)
        self.made = Made(
            turns=network.turns.copy(),
            conversion=network.conversion.copy(),
            shares=network.shares.copy(),
            sets=network.sets.copy(),
            adds=np.zeros_like(solutes),
            thick=np.array([d.target for d in network.draws if d.kind is DrawKind.THICKEN]),
            drawn_in=np.zeros_like(network.feed),
        )
        inner = ~thickens & (ends.rest >= 0)
        np.add.at(self.made.drawn_in, ends.to[~thickens], carried[~thickens])
        flows = network.feed.copy()
        at, to, shares = network.returns  # what comes back from units further on
        back = solution.after[at] * shares
        np.add.at(flows, to, back)
        np.subtract.at(flows, ends.rest[inner], carried[inner])
        given = carried[inner]
        self.riding = self._riding(  # flows that are as in the solution: from, to, t/h
            flows,
            solutes + _all_added(network.units, acts),
            np.concatenate([ends.tank[inner], ends.tank[inner], at]),
            np.concatenate([ends.to[inner], ends.rest[inner], to]),
            np.concatenate([given, -given, back]),
        )
        self.reached = 0

    def _riding(self, came: Vector, held: Vector, at: Places, to: Places, flows: Vector) -> Riding:
        """What is fed, and flows (k, 11) from `at` to `to` that are as in the solution, with solutes and quality on them.

        `held`: solutes (n, k) in what units send.
        """
        s, fed = self.solution, np.maximum(self.network.feed, 0.0)
        solutes, fibre, solids = np.zeros_like(held), fed @ FIBRE, fed @ SUSPENDED
        rides = np.stack([fibre, solids, 0.0 * fibre, fibre * LOG_FED_CSF, 0.0 * solids, solids * FED_S], axis=1)
        liquor, pulp = s.after[at, DS], s.after[at] @ FIBRE
        by_liquor = np.where(liquor > 0.0, flows[:, DS] / np.where(liquor > 0.0, liquor, 1.0), 0.0)
        by_fibre = np.where(pulp > 0.0, flows @ FIBRE / np.where(pulp > 0.0, pulp, 1.0), 0.0)
        np.add.at(solutes, to, held[at] * np.where(ON_FIBRE, by_fibre[:, None], by_liquor[:, None]))
        one = np.ones_like(s.kappa)
        quality = np.stack([one, one, s.kappa, np.log(s.csf_ml), s.k457, s.s457], axis=1)[at]
        moved = flows @ SOLIDS_AND_FIBRE
        np.add.at(rides, to, quality * moved[:, [1, 0, 1, 1, 0, 0]])
        return Riding(flows=came, solutes=solutes, rides=rides)

    def inlet(self, i: int) -> Inlet:
        """What enters a unit once all units before it have sent on, with the solutes and the quality on it."""
        onward(self.reached, i, self.laid, self.made, self.riding)
        self.reached = i
        flows = np.maximum(self.riding.flows[i], 0.0)
        solids, fibre = (flows @ SOLIDS_AND_FIBRE).tolist()
        parts = flows.tolist()
        kappa, csf, k, s = came(self.riding.rides, i)
        return Inlet(
            solids_t_h=solids,
            fibre_t_h=fibre,
            water_t_h=parts[W],
            dissolved_t_h=parts[DS],
            temp_c=float(self.solution.arrives["temp_c"][i]),
            kappa=max(0.0, kappa),
            iso_pct=brightness_from_ks(max(0.0, k / s)) if s > 0.0 else 0.0,
            csf_ml=math.exp(csf),
            solutes=tuple(self.riding.solutes[i].tolist()),
            parts=tuple(parts),
        )

    def acted(self, i: int, u: Unit, acts: Acts) -> None:
        """Take what a unit does to what enters it: it sends on so."""
        network, made = self.network, self.made
        if network.units[i] is not u:
            made.conversion[i] = EVERY if u.conversion is None else u.conversion
            made.turns[i] = u.conversion is not None
            if u.outlets:
                made.shares[network.ways.of(i)] = shares_of(u, network.index)
            made.sets[i] = u.sets.mixed()
        made.adds[i] = _added(acts)
        if acts.out_pct is not None:
            made.thick[self.laid.thick_at == i] = acts.out_pct / 100.0
        if acts.takes is not None and (j := self.asks.get(i)) is not None:
            d = _taking(network.draws[j], acts.takes)
            tank = network.unit(d.tank).feed
            carries = d.carries if d.carries is not None else tank / tank.sum()
            made.drawn_in[i] += d.target * carries - self.solution.drawn[j] * self.solution.composition[j]


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


@dataclass(frozen=True, slots=True, kw_only=True, eq=False)
class _Seen:
    """What a unit of these settings did to an inlet, and the unit as that made it (from `own`)."""

    kind: Kind
    inlet: Inlet
    act: Acts
    own: Unit
    unit: Unit


def _same(a: Inlet, b: Inlet) -> bool:
    """Whether two inlets differ by rounding alone, so that a unit does the same to both."""
    if a == b:
        return True
    pairs = zip(_figures(a), _figures(b), strict=True)
    return all(abs(x - y) <= ROUNDING * max(1.0, abs(x)) for x, y in pairs)


def _figures(a: Inlet) -> tuple[float, ...]:
    rates = (a.solids_t_h, a.fibre_t_h, a.water_t_h, a.dissolved_t_h)
    return (*rates, a.temp_c, a.kappa, a.iso_pct, a.csf_ml, *a.solutes, *a.parts)


def _acted(u: Unit, kind: Kind, inlet: Inlet, seen: _Seen | None) -> _Seen:
    """What a unit does to what enters it; what it did before, where nothing that it knows has changed.

    Raises: ImpossibleInput with the unit's name, NotSolved.
    """
    if seen is not None and (seen.kind is kind or seen.kind == kind) and _same(seen.inlet, inlet):
        return seen if seen.own is u else replace(seen, own=u, unit=changed_by(u, seen.act))
    met_inlet, used = _met(inlet)
    try:
        act = kind.act(met_inlet)
    except ImpossibleInput as refusal:
        raise ImpossibleInput(*(Problem(f"{u.id}.{p.field}", p.text) for p in refusal.problems)) from None
    act = replace(act, adds=_sum(act.adds, used)) if used else act
    return _Seen(kind=kind, inlet=inlet, act=act, own=u, unit=changed_by(u, act))


def _walk(
    solution: Solution,
    solutes: Vector,
    before: Mapping[str, Acts],
    units: Mapping[str, Unit],
    acting: Mapping[str, Kind],
    known: Mapping[str, _Seen],
    laid: Laid,
) -> dict[str, _Seen]:
    """What every acting unit does, each seeing what the acts before it send.

    `known`: what it did when last asked. `laid`: who sends to whom.
    Raises: ImpossibleInput, NotSolved, with the unit's name.
    """
    network = solution.network
    walk = _Walk(solution, solutes, before, laid)
    seen: dict[str, _Seen] = {}
    for i, unit in enumerate(network.units):
        if unit.id in acting:
            now = seen[unit.id] = _acted(units[unit.id], acting[unit.id], walk.inlet(i), known.get(unit.id))
            walk.acted(i, now.unit, now.act)
    return seen


def _gap(a: float | None, b: float | None) -> float:
    if a is None or b is None:
        return 0.0 if a is b else np.inf
    return abs(a - b) / max(1.0, abs(a), abs(b))


def _moved(before: Acts | None, now: Acts) -> tuple[float, float]:
    """How far an act has moved since the pass before: in what changes flows, and in what only rides on them."""
    if before is now:
        return 0.0, 0.0
    if before is None:
        return np.inf, np.inf
    flows = max(_gap(getattr(before, k), getattr(now, k)) for k in ("dissolves", "liquor_on", "out_pct"))
    flows = max(flows, FINE * _gap(before.in_pct, now.in_pct))
    for name, shares in now.shares.items():
        was = before.shares.get(name)
        if shares is not was:
            flows = max(flows, FINE * max(abs(a - b) for a, b in zip(shares, was or (0.0,) * N, strict=True)))
    if now.turns is not None and now.turns is not before.turns:
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
    known: Mapping[str, _Seen] = {}
    if start is None:
        network = build(units, draws)
        solution, acts, solutes = solve(network), {}, np.zeros((len(units), len(SOLUTES)))
    else:
        acts, solutes = dict(start.acts), start.solutes
        changed = _changed(units, acts, known)
        network = rebuilt(start.solution.network, changed, _drawn_as(draws, start.solution.network, acts))
        solution, known = replace(start.solution, network=network), start.seen
    fresh = start is not None  # nothing is solved yet for these feeds and targets
    worst, gap, laid = "", np.inf, _laid(network, acting)
    for passes in range(1, MOST_PASSES + 1):
        known = _walk(solution, solutes, acts, own, acting, known, laid)
        now = {key: seen.act for key, seen in known.items()}
        flows, rides = 0.0, 0.0
        for key, act in now.items():
            f, r = _moved(acts.get(key), act)
            flows, rides = max(flows, f), max(rides, r)
            if (g := max(f, r)) >= gap or not worst:
                worst, gap = key, g
        if passes > 1 and max(flows, rides) <= SETTLED:
            return Line(solution=solution, seen=known, solutes=solutes, passes=passes, acting=acting)
        anew = flows > SETTLED or fresh
        acts = now if anew else {key: _flowing_as(act, acts[key]) for key, act in now.items()}
        network = rebuilt(network, _changed(units, acts, known), _drawn_as(draws, network, acts))
        if anew:
            solution = solve(network, solution)
        elif rides > SETTLED:
            solution = mixed_again(solution, network)
        fresh, gap = False, max(flows, rides)
        solutes = solutes_of(solution, _all_added(units, acts))
    if start is not None:  # too far from where it began: once more from nothing
        return solve_line(units, draws, acting)
    raise NotSolved("the line", MOST_PASSES, gap, worst)


def _changed(units: tuple[Unit, ...], acts: Mapping[str, Acts], known: Mapping[str, _Seen]) -> tuple[Unit, ...]:
    """The units as their acts make them; those already made so are taken as they are."""
    return tuple(_made(u, acts.get(u.id), known.get(u.id)) for u in units)


def _made(u: Unit, act: Acts | None, seen: _Seen | None) -> Unit:
    if act is None:
        return u
    return seen.unit if seen is not None and seen.act is act and seen.own is u else changed_by(u, act)
