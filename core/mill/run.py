"""A mill as it is run: its feeds, what its sources give, what was put in force; solved, every unit acting."""

from collections.abc import Mapping
from dataclasses import dataclass, field, replace

from core.cook.species import DEFAULT, Fitted
from core.cook.unit import Made
from core.errors import ImpossibleInput, Problem
from core.line.acting import Line, solve_line
from core.line.network import Draw, Unit, loses, shares
from core.line.steady import Solution
from core.mill.mill import Mill, feed_of
from core.recovered.unit import RecoveredPlan
from core.stream import W
from core.unit import Kind


@dataclass(frozen=True, slots=True, kw_only=True)
class Running:
    """How the line is run: feeds by unit (t/h oven-dry), what each source gives (t/h), filler (t/h).

    `makes`: what a cooking unit makes of its wood, by unit; it stands in place of the unit's plan, or of a fixed loss and
    kappa. `moisture_pct`: measured moisture of a wet feed, by unit; its wet rate stays, what is dry in it follows. `settings`:
    what was put in force on a unit in place of the set-up, by unit and name (`Kind.settings`). `coefficients`: this mill's own
    for a wood, where a person chose them. `constants`: the same of a unit, by unit and field (`Kind.constants`).
    """

    feeds: Mapping[str, float]
    gives: Mapping[str, float]
    filler_t_h: float
    makes: Mapping[str, Made] = field(default_factory=dict)
    moisture_pct: Mapping[str, float] = field(default_factory=dict)
    settings: Mapping[str, Mapping[str, float]] = field(default_factory=dict)
    coefficients: Mapping[str, Fitted] = field(default_factory=dict)
    constants: Mapping[str, Mapping[str, float]] = field(default_factory=dict)


def moisture_of(mill: Mill, unit: str) -> float:
    """The moisture of a unit's feed as the set-up has it, % of the wet feed; 0 without a feed."""
    feed = next((u.feed for u in mill.units if u.id == unit), None)
    return 100.0 * float(feed[W] / feed.sum()) if feed is not None and feed.any() else 0.0


def _refuse(mill: Mill, running: Running) -> None:
    """Raises: ImpossibleInput for a feed or a cooking unit that does not exist, or a yield or kappa that cannot be."""
    ids = {u.id for u in mill.units}
    bad = [Problem(k, "is no unit with a feed") for k in (*running.feeds, *running.moisture_pct) if k not in ids]
    for k, pct in running.moisture_pct.items():
        if not 0.0 <= pct < 100.0:
            bad.append(Problem(k, f"has a moisture of {pct:g} %; it must be 0 to under 100 %"))
    for k, made in running.makes.items():
        if k not in ids:
            bad.append(Problem(k, "is no unit that cooks"))
        elif not (0.0 < made.yield_pct <= 100.0 and 0.0 <= made.kappa <= 200.0):
            bad.append(
                Problem(k, f"makes {made.yield_pct:g} % at kappa {made.kappa:g}; it must be above 0 to 100 %, kappa 0 to 200")
            )
    if bad:
        raise ImpossibleInput(*bad)


def _fed(u: Unit, running: Running, filler: str) -> Unit:
    """A unit with its feed as the line is run: its rate, and the moisture its wet feed has now."""
    rate = running.filler_t_h if u.id == filler else running.feeds.get(u.id, running.settings.get(u.id, {}).get("feed_t_h"))
    if u.supply:
        return u
    dry = float(u.feed.sum() - u.feed[W])
    if rate is not None:
        if dry > 0:
            u = replace(u, feed=u.feed * (rate / dry))
        elif u.id == filler:
            u = replace(u, feed=feed_of(shares(0.0, FL=1.0), 40.0, rate))
    moisture = running.moisture_pct.get(u.id)
    if moisture is not None and dry > 0.0:
        wet = float(u.feed.sum())
        feed = u.feed * (wet * (1.0 - moisture / 100.0) / float(u.feed.sum() - u.feed[W]))
        feed[W] = wet * moisture / 100.0
        u = replace(u, feed=feed)
    return u


def acting_units(mill: Mill, running: Running, units: Mapping[str, Unit]) -> dict[str, Kind]:
    """The settings of every unit that acts, as the line is run: a kept cook leads, and liquor is charged for the chips of the
    set-up."""
    acting: dict[str, Kind] = dict(mill.settable)
    as_set = {u.id: u for u in mill.units}
    for key, plan in mill.cook_plans.items():
        plan = replace(plan, makes=running.makes.get(key), coefficients=running.coefficients.get(plan.species, DEFAULT))
        fed = [u for u in units.values() if any(o.to == key for o in u.outlets) and u.id in running.moisture_pct]
        if len(fed) == 1 and not as_set[fed[0].id].conversion:
            meant = _fed(as_set[fed[0].id], replace(running, moisture_pct={}), mill.roles.filler)
            plan = replace(plan, charged_for_t_h=float(meant.feed.sum() - meant.feed[W]), chip_water_t_h=float(meant.feed[W]))
        acting[key] = plan
    for key, values in running.constants.items():
        if key in acting:  # a unit that is gone, or a constant that it no longer has, is left aside
            own = {c.field: values[c.field] for c in acting[key].constants() if c.field in values}
            acting[key] = replace(acting[key], **own)  # type: ignore[type-var]
    for key, values in running.settings.items():
        if key not in acting:
            raise ImpossibleInput(Problem(key, "is no unit with settings"))
        try:
            acting[key] = acting[key].set_to(values)
        except ImpossibleInput as refusal:
            raise ImpossibleInput(*(Problem(f"{key}.{p.field}", p.text) for p in refusal.problems)) from None
    return acting


def _loaded(units: list[Unit], acting: Mapping[str, Kind]) -> list[Unit]:
    """The units with the feeds of bales as their mixes make them. Raises: ImpossibleInput for a mix that leaves no fibre."""
    told = {u.id: u for u in units}
    for key, plan in acting.items():
        if not isinstance(plan, RecoveredPlan) or not plan.papers:
            continue
        seen, ahead = {key}, [key]
        while ahead:
            to = ahead.pop()
            for u in units:
                if u.id in seen or u.supply or not any(o.to == to for o in u.outlets):
                    continue
                seen.add(u.id)
                ahead.append(u.id)
                if u.feed.any():
                    try:
                        told[u.id] = replace(u, feed=plan.loads(u.feed))
                    except ImpossibleInput as refusal:
                        raise ImpossibleInput(*(Problem(f"{key}.{p.field}", p.text) for p in refusal.problems)) from None
    return list(told.values())


def laid_out(mill: Mill, running: Running) -> tuple[tuple[Unit, ...], tuple[Draw, ...], dict[str, Kind]]:
    """The mill's units, draws and acting settings as it is run now. Raises: ImpossibleInput for a feed or a cooking unit that
    does not exist."""
    _refuse(mill, running)
    units = []
    for u in mill.units:
        u = _fed(u, running, mill.roles.filler)
        if u.id in running.makes and u.id not in mill.cook_plans:
            made = running.makes[u.id]
            u = replace(u, conversion=loses(1.0 - made.yield_pct / 100.0), sets=replace(u.sets, kappa=made.kappa))
        units.append(u)
    taken = {source.draw: running.gives.get(key, 0.0) for key, source in mill.sources.items()}
    draws = tuple(replace(d, target=taken[d.id]) if d.id in taken else d for d in mill.draws)
    acting = acting_units(mill, running, {u.id: u for u in units})
    return tuple(_loaded(units, acting)), draws, acting


def solve_mill(mill: Mill, running: Running, start: Line | None = None) -> Line:
    """The mill's line as it is run now, every unit acting on what enters it; `start` is a line of the same mill to begin from.

    Raises: UnsolvableNetwork, NotSolved, ImpossibleInput for a feed or a cooking unit that does not exist.
    """
    return solve_line(*laid_out(mill, running), start)


def vessel_rates(mill: Mill, solution: Solution, running: Running) -> dict[str, tuple[float, float]]:
    """What flows into and out of every vessel, t/h oven-dry, as the line is run."""
    drawn = sum(running.gives.values())
    network = solution.network
    dry = network.feed.sum(axis=1) - network.feed[:, W]
    feeds = {key: float(dry[network.index[key]]) for key in mill.feed_plans}
    rates = {}
    for key, v in mill.vessels.items():
        if v.source:
            out = running.gives.get(v.source, 0.0)
            tower = mill.sources[v.source].tower if v.source in mill.sources else ""
            made = (
                solution.stored_t_h(tower) + out
                if tower in solution.network.index and solution.network.unit(tower).stores
                else 0.0
            )
            rates[key] = (made if v.in_t_h is None else v.in_t_h, out)
        elif v.unit in feeds:
            rates[key] = (feeds[v.unit] if v.in_t_h is None else v.in_t_h, feeds[v.unit])
        elif v.station == "deliver":
            rates[key] = (drawn, drawn)
        else:
            through = solution.enters(v.unit).solids_t_h if v.unit in solution.network.index else 0.0
            rates[key] = (through, through)
    return rates
