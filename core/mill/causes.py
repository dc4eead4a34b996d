"""What lies upstream of a row of the plan, how long its fibre is on the way, and what the row moves with it by the models.

A thing upstream is a setting of a unit, the moisture of a feed, the strength of a liquor, or the quality that a row of the plan
reads. The gain of a quality is that of the line with the unit giving so much more of it than its settings tell, so that what a
setting did is not counted again in what is read behind it. Source: shift practice, section 5.6.
"""

from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any, Final

import numpy as np

from core.cook.unit import CookPlan
from core.errors import CoreError
from core.judge.cause import MODEL_OFF, Cause, Drift, SplitCase, Together, scatter, weights
from core.lab.methods import TESTS
from core.learn import Constant
from core.line.acting import Line
from core.line.network import DrawKind
from core.line.steady import Solution
from core.mill.document import PlanRow
from core.mill.expected import of_line
from core.mill.mill import Mill
from core.mill.run import Running, laid_out, moisture_of
from core.quantity import Quantity
from core.stream import SUSPENDED, Vector
from core.through.layout import PIPE_MIN
from core.through.mill import holds_of, minutes_of
from core.through.plant import felt_min
from core.unit import Acts, Facts, Inlet, Kind, Upset

LEAST_SHARE: Final = 0.005  # of what comes to a unit, for a way to count
LEAST_OF_RANGE, LEAST_OF_VALUE = 1e-4, 1e-3  # of a step
CARRIED: Final = {"kappa": "kappa", "freeness": "csf_ml", "brightness": "iso_pct"}
SETTING, MOISTURE, LIQUOR, QUALITY, UNTOLD = "setting", "moisture", "liquor", "quality", "untold"


@dataclass(frozen=True, slots=True)
class Way:
    """From one unit's pulp to another's: hours as a plug, then in a mixed vessel."""

    delay_h: float = 0.0
    tau_h: float = 0.0

    @property
    def hours(self) -> float:
        return self.delay_h + self.tau_h


@dataclass(frozen=True, kw_only=True)
class Upstream:
    """One thing upstream of a row.

    `kind`: setting, moisture, liquor or quality, or untold where no model says how it acts. `row` reads it, or `unit` has it as
    its setting `name`; `what` of `place` it is. `order`: the place of its unit in the way of the fibre.
    """

    key: str
    kind: str
    place: str
    what: str
    measure: str
    decimals: int
    station: str
    way: Way
    order: int
    unit: str
    row: str = ""
    name: str = ""
    low: float = 0.0
    high: float = 0.0

    @property
    def title(self) -> str:
        return f"{self.place}, {self.what}"


class Ways:
    """The ways of pulp through a solved line: how long, by units, with vessels as they stand (level, %, by the mill's key)."""

    def __init__(self, mill: Mill, line: Line, level_pct: Mapping[str, float]) -> None:
        self.line, self.network = line, line.solution.network
        self.minutes = minutes_of(line)
        self.tanks = {h.unit: h for h in holds_of(mill, line, level_pct)}
        self.into = [[] for _ in self.network.units]  # type: list[list[tuple[int, float]]]
        solved, index = line.solution, self.network.index
        for u in self.network.units:
            for o in u.outlets:
                if index[o.to] > index[u.id]:
                    self.into[index[o.to]].append((index[u.id], float(solved.left(u.id, o.name) @ SUSPENDED)))
        for j, d in enumerate(self.network.draws):
            if d.kind is DrawKind.RATE and index[d.to] > index[d.tank]:
                self.into[index[d.to]].append((index[d.tank], float(solved.drawn[j] * (solved.composition[j] @ SUSPENDED))))

    def stay(self, unit: str) -> Way:
        """Before a unit's act and in it."""
        i = self.network.index[unit]
        plug, tau = self.minutes.get(unit, 0.0) / 60.0 + PIPE_MIN / 60.0, 0.0
        flow = float(self.line.solution.into[i].sum())
        if (tank := self.tanks.get(unit)) is not None and flow > 0.0:
            hours = tank.now_t / flow
            plug, tau = plug + (1.0 - tank.mixed) * hours, tank.mixed * hours
        return Way(plug, tau)

    def to(self, unit: str) -> dict[str, Way]:
        """Every unit whose pulp comes to this one, with the way from what leaves it to what leaves this one; its own is none.

        Of several ways that which carries most. Of mixed vessels in a row the largest counts as mixed, the others as plugs.
        """
        index, units = self.network.index, self.network.units
        best: dict[int, tuple[float, float, tuple[float, ...]]] = {index[unit]: (1.0, 0.0, ())}
        for i in range(index[unit], -1, -1):
            if i not in best:
                continue
            share, delay, taus = best[i]
            stay = self.stay(units[i].id)
            whole = sum(t for _, t in self.into[i]) or 1.0
            for before, t_h in self.into[i]:
                told = share * t_h / whole
                if told > LEAST_SHARE and told > best.get(before, (0.0,))[0]:
                    best[before] = (told, delay + stay.delay_h, (*taus, *((stay.tau_h,) if stay.tau_h > 0.0 else ())))
        return {
            units[i].id: Way(delay + sum(taus) - max(taus, default=0.0), max(taus, default=0.0))
            for i, (_, delay, taus) in best.items()
        }


def place_of(mill: Mill, row: PlanRow) -> str:
    """The unit whose pulp a row reads, or whose feed or loss it is; empty for one that names none."""
    if row.unit:
        return row.unit
    told = {r: u for u, r in mill.moisture_rows.items()}
    told |= {plan.loss_row: u for u, plan in mill.wash_plans.items() if plan.loss_row}
    told |= {plan.kappa_row: u for u, plan in mill.cook_plans.items() if plan.kappa_row}
    return told.get(row.id, "")


def upstream(mill: Mill, line: Line, row: PlanRow, level_pct: Mapping[str, float]) -> tuple[Upstream, ...]:
    """Everything upstream of a row that people set or read, in the way of the fibre; nothing for a row that names no unit."""
    unit = place_of(mill, row)
    if unit not in line.solution.network.index:
        return ()
    ways = Ways(mill, line, level_pct).to(unit)
    told = [*_rows(mill, line, row, unit, ways), *_settings(mill, line, row, unit, ways)]
    return tuple(sorted(told, key=lambda u: (u.order, u.kind in (QUALITY, UNTOLD), u.key)))


def _rows(mill: Mill, line: Line, row: PlanRow, unit: str, ways: Mapping[str, Way]) -> Iterable[Upstream]:
    index, fed = line.solution.network.index, {r: u for u, r in mill.moisture_rows.items()}
    cooks = {k: next((u.line for u in mill.units if u.id == k), "") for k in mill.cook_plans}
    for r in mill.plan.values():
        if r.id == row.id:
            continue
        at, kind = place_of(mill, r), UNTOLD
        if r.test == "white_liquor":
            at = next((k for k, of in cooks.items() if of == r.line and k in ways), "")
            kind, way = LIQUOR, _after(line, ways, at, cooks=True) if at else Way()
        elif at in ways and (at != unit or r.stage < row.stage):
            way = ways[at]
            if r.id in fed:
                kind = MOISTURE
            elif r.test in CARRIED and at in line.acting and r.stage in (0, _stages(line, at)):
                kind = QUALITY
        else:
            continue
        if not at:
            continue
        test = TESTS[r.test]
        yield Upstream(
            key=f"row:{r.id}",
            kind=kind,
            place=r.place,
            what=_midline(test.name),
            measure=test.unit,
            decimals=test.decimals,
            station=r.station,
            way=way,
            order=index[at],
            unit=at,
            row=r.id,
        )


def _midline(name: str) -> str:
    """A name as it stands within a line: ClO₂ and EA keep their letters."""
    return name if any(map(str.isupper, name[1:])) else name[:1].lower() + name[1:]


def _stages(line: Line, unit: str) -> int:
    """How many stages a unit has by its settings; a row behind the last reads what leaves it."""
    numbers = [int(n) for name in line.acting[unit].settings() if (n := name.rpartition(".")[2]).isdigit()]
    return max(numbers, default=0)


def _after(line: Line, ways: Mapping[str, Way], unit: str, cooks: bool = False, names: tuple[str, ...] = ()) -> Way:
    """From where settings act in a unit to the row."""
    own = felt_min(line.acting[unit], line.inlets[unit], names) / 60.0 if unit in line.inlets else 0.0
    way = ways[unit]
    return Way(way.delay_h + own, way.tau_h)


def _settings(mill: Mill, line: Line, row: PlanRow, unit: str, ways: Mapping[str, Way]) -> Iterable[Upstream]:
    index = line.solution.network.index
    titles = {u.id: (u.title or u.id, u.station) for u in mill.units}
    for at, plan in line.acting.items():
        if at not in ways:
            continue
        for name, said in plan.settable().items():
            title, station = titles[at]
            stage = name.rpartition(".")[2]
            if at == unit and row.stage and stage.isdigit() and int(stage) > row.stage:
                continue
            yield Upstream(
                key=f"set:{at}.{name}",
                kind=SETTING,
                place=title,
                what=_midline(said.label),
                measure=said.unit,
                decimals=said.decimals,
                station=station,
                way=_after(line, ways, at, names=(name,)),
                order=index[at],
                unit=at,
                name=name,
                low=said.possible[0] if np.isfinite(said.possible[0]) else 0.0,
                high=said.possible[1] if np.isfinite(said.possible[1]) else 0.0,
            )


@dataclass(frozen=True)
class Shifted:
    """A unit that gives so much more of a quality than it would: kappa, freeness (mL) or brightness (% ISO)."""

    own: Kind
    quality: str
    by: float

    def settings(self) -> Mapping[str, float]:
        return self.own.settings()

    def settable(self) -> Mapping[str, Quantity]:
        return self.own.settable()

    def set_to(self, values: Mapping[str, float]) -> "Shifted":
        return replace(self, own=self.own.set_to(values))

    def upsets(self) -> tuple[Upset, ...]:
        return self.own.upsets()

    def constants(self) -> tuple[Constant, ...]:
        return self.own.constants()

    def facts(self, inlet: Inlet, acts: Acts, stage: int = 0) -> Facts:
        return self.own.facts(inlet, acts, stage)

    def act(self, inlet: Inlet) -> Acts:
        """Raises: ImpossibleInput, NotSolved."""
        acts = self.own.act(inlet)
        gives = getattr(acts, self.quality)
        told: dict[str, Any] = {self.quality: max(0.0, (getattr(inlet, self.quality) if gives is None else gives) + self.by)}
        if self.quality == "iso_pct" and acts.s457 is None:
            told["s457"] = BROWN_S
        return replace(acts, **told)


BROWN_S: Final = 30.0  # m2/kg, of a pulp whose unit names no scattering


class Gains:
    """What rows move with things upstream, by central differences of the steady line about one way of running it.

    `solve`: the line of a running, as the caller keeps it (it is asked twice a thing); every answer is kept here.
    """

    def __init__(self, mill: Mill, running: Running, solve: Callable[[Running], Line], solve_as: Callable[..., Line]) -> None:
        self.mill, self.solve, self.solve_as = mill, solve, solve_as
        moist = {u: moisture_of(mill, u) for u in mill.moisture_rows} | dict(running.moisture_pct)
        self.running = replace(running, makes={}, moisture_pct=moist)
        self.base = solve(self.running)
        self.kept: dict[str, Mapping[str, float]] = {}

    def of(self, thing: Upstream, step: float) -> Mapping[str, float]:
        """What every row of the plan moves a unit of a thing upstream; nothing where no model tells, or the line refuses."""
        if thing.kind == UNTOLD:
            return {}
        if thing.key not in self.kept:
            size = max(step, LEAST_OF_RANGE * (thing.high - thing.low), LEAST_OF_VALUE * abs(self.value(thing)), 1e-6)
            try:
                up, down = (of_line(self.mill, self._with(thing, side * size)) for side in (1.0, -1.0))
                self.kept[thing.key] = {k: (up[k] - down[k]) / (2.0 * size) for k in up if k in down}
            except CoreError:
                self.kept[thing.key] = {}
        return self.kept[thing.key]

    def value(self, thing: Upstream) -> float:
        """What a thing stands at in the line."""
        if thing.kind == SETTING:
            return float(self.base.acting[thing.unit].settings()[thing.name])
        if thing.kind == MOISTURE:
            return self.running.moisture_pct[thing.unit]
        return 0.0

    def _with(self, thing: Upstream, by: float) -> Line:
        """The line with so much more of a thing. Raises: CoreError."""
        if thing.kind == MOISTURE:
            wet = {**self.running.moisture_pct, thing.unit: self.running.moisture_pct[thing.unit] + by}
            return self.solve(replace(self.running, moisture_pct=wet))
        if thing.kind == SETTING:
            return self.solve(self._set({thing.unit: {thing.name: self.value(thing) + by}}))
        if thing.kind == LIQUOR:
            return self.solve(self._set(self._weaker(thing, by)))
        units, draws, acting = laid_out(self.mill, self.running)
        quality = CARRIED[self.mill.plan[thing.row].test]
        return self.solve_as(units, draws, {**acting, thing.unit: Shifted(acting[thing.unit], quality, by)}, self.base)

    def _set(self, settings: Mapping[str, Mapping[str, float]]) -> Running:
        own = {u: {**self.base.acting[u].settings(), **values} for u, values in settings.items()}
        return replace(self.running, settings={**self.running.settings, **own})

    def _weaker(self, thing: Upstream, by: float) -> dict[str, dict[str, float]]:
        """The alkali on wood of every cook of a liquor's line, with the volume as it was set and liquor so much stronger."""
        row = self.mill.plan[thing.row]
        strength = row.band.aim if np.isfinite(row.band.aim) and row.band.aim > 0.0 else 100.0
        lines = {u.id: u.line for u in self.mill.units}
        return {
            key: {"ea_pct_naoh": plan.charge.ea_pct_naoh * (1.0 + by / strength)}
            for key, plan in self.base.acting.items()
            if isinstance(plan, CookPlan) and lines.get(key) == row.line
        }


@dataclass(frozen=True, kw_only=True)
class Met:
    """What a reading met of one thing: by how much that moved between the two windows, and how sure that is."""

    thing: Upstream
    moved: float
    sd: float
    gain: float | None = None  # of one that is told otherwise than by the line


def apart(things: Sequence[Met], gains: Sequence[Mapping[str, float]], row: str) -> tuple[Vector, Vector, Vector, Vector]:
    """(gains, moved, covariance, sd of gains) of things that count each for itself, in their order.

    Of a quality that is read, what the things upstream of it already tell by the models is taken off, so that nothing counts
    twice; it then shares their scatter.
    """
    n = len(things)
    own_part = np.eye(n)
    for i, met in enumerate(things):
        if met.thing.kind != QUALITY:
            continue
        for j, earlier in enumerate(things[:i]):
            told = gains[j].get(met.thing.row, 0.0)
            if told and (earlier.thing.kind != QUALITY or earlier.thing.order < met.thing.order):
                own_part[i] -= told * own_part[j]
    raw = np.array([m.moved for m in things])
    cov = np.diag([m.sd**2 for m in things])
    own = np.array([gains[i].get(row, 0.0) if m.gain is None else m.gain for i, m in enumerate(things)])
    return own, own_part @ raw, own_part @ cov @ own_part.T, MODEL_OFF * np.abs(own)


def split_case(
    things: Sequence[Met], gains: Sequence[Mapping[str, float]], row: str, drift: Drift, rest_sd: float
) -> SplitCase:
    """A drift and the things that moved, as the model of the split takes them."""
    own, moved, cov, sds = apart(things, gains, row)
    causes = tuple(
        Cause(moved=float(m), moved_sd=float(np.sqrt(cov[i, i])), gain=float(g), gain_sd=float(sd))
        for i, (m, g, sd) in enumerate(zip(moved, own, sds, strict=True))
    )
    pairs = [(i, j) for i in range(len(own)) for j in range(i + 1, len(own)) if abs(cov[i, j]) > 1e-15]
    together = tuple(Together(one=i + 1, other=j + 1, covariance=float(cov[i, j])) for i, j in pairs)
    return SplitCase(causes=causes, drift=drift.d, drift_sd=drift.sd, rest_sd=rest_sd, together=together)


def met_by(thing: Upstream, held: Sequence[tuple[float, float]], now: Sequence[float], before: Sequence[float]) -> Met | None:
    """What a reading met of a thing at the times it was read, now and before: the mean of each carried by the way; None of a
    thing without a value.

    `held`: when each value began to hold (h) and the value, ascending. A setting is known; of what is read, its own short-term
    scatter counts as many times as results stand behind each mean, and its whole spread where none is newer.
    """
    if not held or not now or not before:
        return None
    times, values = np.array([t for t, _ in held]), np.array([v for _, v in held])
    way = thing.way
    met_now, met_before = (np.mean([weights(times, t, way.delay_h, way.tau_h) for t in at], axis=0) for at in (now, before))
    difference = met_now - met_before
    moved = float(difference @ values)
    if thing.kind == SETTING:
        return Met(thing=thing, moved=moved, sd=0.0)
    sigma = scatter(values.tolist()) or float(np.std(values))
    seen = float(np.sqrt(difference @ difference))
    return Met(thing=thing, moved=moved, sd=sigma * seen if seen > 1e-9 else float(np.std(values)))


def reaching(solution: Solution, unit: str) -> dict[str, float]:
    """Of the solids that leave every unit before one, the share that comes into it by pulp, what is lost left out.

    Worked from the unit back: what a unit sends on is shared as its solids leave it, and shrinks with what its act dissolves.
    """
    network, told = solution.network, {}
    index = network.index
    told[index[unit]] = 1.0
    sends: dict[int, list[tuple[int, float]]] = {}
    for u in network.units:
        for o in u.outlets:
            if index[o.to] > index[u.id]:
                sends.setdefault(index[u.id], []).append((index[o.to], float(solution.left(u.id, o.name) @ SUSPENDED)))
    shares: dict[str, float] = {}
    for i in range(index[unit] - 1, -1, -1):
        whole = float(solution.after[i] @ SUSPENDED)
        if whole <= 0.0:
            continue
        share = 0.0
        for to, t_h in sends.get(i, ()):
            if to not in told:
                continue
            into, after = float(solution.into[to] @ SUSPENDED), float(solution.after[to] @ SUSPENDED)
            kept = 1.0 if to == index[unit] else (after / into if into > 0.0 else 0.0)
            share += t_h / whole * kept * told[to]
        if share > 0.0:
            told[i] = shares[network.units[i].id] = share
    return shares
