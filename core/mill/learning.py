"""What the samples of a unit's pulp teach of its own constants: oxygen, bleaching, washing and refining fitted to a mill's log.

What came into the unit is taken as it was measured: the newest kappa before the sample, at the nearest rows up the line; what
was not measured stands as it stands now, and settings as they were in force then. Source: models, chips to bleach, section 9.
"""

import math
from bisect import bisect_right
from collections import Counter
from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass, replace

import numpy as np

from core.chance import student_quantile
from core.errors import ImpossibleInput, Infeasible
from core.lab.methods import TESTS
from core.learn import ENOUGH_FOR_MORE, LEAST, MUST_FALL, STEP, Array, Constant, Problem, rms, settle
from core.line.acting import Line
from core.mill.document import PlanRow
from core.mill.mill import Mill
from core.mill.signals import MEANS
from core.unit import ON, Kind

KEPT_FOR = 3.0  # intervals of its row that a kappa counts as what comes in
LEAST_FREE = 5  # samples over the constants fitted, for a band of the mill's own
HALF = 0.975
REPEATS_AT = 2.77  # of two readings that differ by the test's repeatability, in standard deviations
MAD = 1.4826  # a standard deviation from the median distance


@dataclass(frozen=True, slots=True, kw_only=True)
class Sample:
    """A result of a row of the plan, minutes counted from any moment."""

    row: str
    minute: float
    value: float


@dataclass(frozen=True, slots=True, kw_only=True)
class InForce:
    """What was put in force on the unit, from a minute on."""

    minute: float
    settings: Mapping[str, float]


@dataclass(frozen=True, slots=True, kw_only=True)
class RowLearnt:
    """A row of the plan before and after: errors, rms in its unit, by the default, fitted and left out; every sample.

    `half`: of the 95 % band of a new sample, in its unit; nan where there are too few.
    """

    row: str
    before: float
    after: float
    left_out: float
    half: float
    lab: tuple[float, ...]
    by_default: tuple[float, ...]
    by_fit: tuple[float, ...]

    @property
    def n(self) -> int:
        return len(self.lab)


@dataclass(frozen=True, slots=True, kw_only=True)
class Learnt:
    """Constants of a unit by their fields, those that were fitted, and what each row says of it.

    `accepted`: the left-out errors of all rows together, each in its own scatter, fall by a tenth. `held`: constants that stay
    at the default, and why. `at_bound`: the signs of those that ended at a bound.
    """

    unit: str
    values: Mapping[str, float]
    signs: tuple[str, ...]
    rows: tuple[RowLearnt, ...]
    accepted: bool
    held: tuple[str, ...]
    at_bound: tuple[str, ...]

    @property
    def n(self) -> int:
        return sum(r.n for r in self.rows)


def learners(mill: Mill, line: Line) -> dict[str, tuple[PlanRow, ...]]:
    """The units whose constants rows of the plan teach, with these rows, in the order of the line."""
    told = {u.id: teachers(mill, line, u.id) for u in mill.units if u.id in line.acting and line.acting[u.id].constants()}
    return {unit: rows for unit, rows in told.items() if rows}


def teachers(mill: Mill, line: Line, unit: str) -> tuple[PlanRow, ...]:
    """The rows that tell a unit's constants: of its own pulp, and of the kappa of pulp that goes on from it as it is.

    A loss that two lines of washers name as theirs tells neither: a sample of it does not say whose mat it was.
    """
    tests = {t for c in line.acting[unit].constants() for t in c.tests}
    own = {getattr(line.acting[unit], "loss_row", "")} - _shared(line)
    found = [r for r in mill.plan.values() if r.test in tests and (r.unit == unit or r.id in own)]
    if "kappa" in tests and not any(r.test == "kappa" for r in found):
        found += _further_down(mill, line, unit)
    return tuple(found)


def _shared(line: Line) -> set[str]:
    named = Counter(getattr(plan, "loss_row", "") for plan in line.acting.values())
    return {row for row, times in named.items() if times > 1}


def untaught(mill: Mill, line: Line) -> dict[str, str]:
    """The units with constants of their own that no row teaches, and why, in the order of the line."""
    told, shared = learners(mill, line), _shared(line)
    result = {}
    for u in mill.units:
        if u.id in told or u.id not in line.acting or not line.acting[u.id].constants():
            continue
        row = mill.plan.get(getattr(line.acting[u.id], "loss_row", ""))
        between = row is not None and row.id in shared
        result[u.id] = f"{row.place} is read for several lines together" if row and between else "no row reads what it gives"
    return result


def _further_down(mill: Mill, line: Line, unit: str) -> list[PlanRow]:
    """The first rows down the line that read the kappa of a unit, behind units that leave it as it comes."""
    by_id = {u.id: u for u in mill.units}
    while True:
        on = next((o.to for o in by_id[unit].outlets if o.name == ON), "")
        if on not in by_id or ((acts := line.acts.get(on)) is not None and acts.kappa is not None):
            return []
        if rows := [r for r in mill.plan.values() if r.unit == on and r.test == "kappa"]:
            return rows
        unit = on


class History:
    """A mill's samples and what was in force, asked for what stood at a minute."""

    def __init__(self, mill: Mill, line: Line, samples: Iterable[Sample], in_force: Mapping[str, tuple[InForce, ...]]) -> None:
        self.mill, self.line, self.in_force = mill, line, in_force
        self.by_row: dict[str, list[Sample]] = {}
        for sample in sorted(samples, key=lambda s: s.minute):
            self.by_row.setdefault(sample.row, []).append(sample)
        self.minutes = {row: [s.minute for s in listed] for row, listed in self.by_row.items()}
        self.before: dict[str, list[str]] = {}
        for u in mill.units:
            for o in u.outlets:
                if o.name == ON:
                    self.before.setdefault(o.to, []).append(u.id)
        self.kappa_rows = {r.unit: r for r in mill.plan.values() if r.unit and r.test == "kappa" and not r.stage}

    def read(self, row: PlanRow, minute: float) -> float | None:
        """The newest result of a row before a minute, while it counts."""
        i = bisect_right(self.minutes.get(row.id, []), minute)
        if not i:
            return None
        newest = self.by_row[row.id][i - 1]
        return newest.value if minute - newest.minute <= KEPT_FOR * row.interval_min else None

    def plan_at(self, unit: str, minute: float) -> Kind:
        """A unit's settings as they were in force; those of now where none that it still has were put in force."""
        plan = self.line.acting[unit]
        for put in reversed(self.in_force.get(unit, ())):
            if put.minute <= minute:
                try:
                    return plan.set_to(put.settings)
                except ImpossibleInput:
                    return plan  # of a set-up since changed
        return plan

    def kappa_into(self, unit: str, minute: float, given: Mapping[str, float]) -> float:
        """The kappa of what enters a unit at a minute: by mass of what each unit before it sends; `given` leads."""
        whole = mixed = 0.0
        for key in self.before.get(unit, ()):
            flow = self.line.solution.leaves(key, ON).solids_t_h
            mixed += flow * self.kappa_of(key, minute, given)
            whole += flow
        return mixed / whole if whole > 0.0 else self.line.inlets[unit].kappa if unit in self.line.inlets else 0.0

    def kappa_of(self, unit: str, minute: float, given: Mapping[str, float]) -> float:
        """The kappa that a unit gave at a minute: as given, as read, else worked from what came in."""
        if unit in given:
            return given[unit]
        row = self.kappa_rows.get(unit)
        if row is not None and (value := self.read(row, minute)) is not None:
            return value
        acts = self.line.acts.get(unit)
        if acts is None or acts.kappa is None:
            return self.kappa_into(unit, minute, given)
        if not any(key in self.line.inlets for key in self.before.get(unit, ())) or self.line.inlets[unit].kappa <= 0.0:
            return acts.kappa
        inlet = replace(self.line.inlets[unit], kappa=self.kappa_into(unit, minute, given))
        return self.plan_at(unit, minute).act(inlet).kappa or acts.kappa


class _Point:
    """A sample with what its unit met: plan and kappa in; `share` and `rest` turn the unit's kappa into that of the row."""

    def __init__(self, history: History, unit: str, row: PlanRow, sample: Sample) -> None:
        self.row, self.value = row, sample.value
        published = {c.field: c.default for c in history.line.acting[unit].constants()}
        self.plan: Kind = replace(history.plan_at(unit, sample.minute), **published)  # type: ignore[type-var]
        self.inlet = history.line.inlets[unit]
        if self.inlet.kappa > 0.0:
            self.inlet = replace(self.inlet, kappa=history.kappa_into(unit, sample.minute, {}))
        self.share, self.rest = 1.0, 0.0
        if row.test == "kappa" and row.unit != unit:
            self.rest = history.kappa_into(row.unit, sample.minute, {unit: 0.0})
            self.share = history.kappa_into(row.unit, sample.minute, {unit: 1.0}) - self.rest

    def told(self, values: Mapping[str, float], worked: dict[tuple[Kind, float], Mapping[str, float]], unit: str) -> float:
        """What the unit's model says of the sample with these constants; what was worked already is kept in `worked`."""
        plan = replace(self.plan, **values)  # type: ignore[type-var]
        stage = self.row.stage if self.row.unit == unit else 0
        key = (plan, self.inlet.kappa + 1000.0 * stage)
        if key not in worked:
            facts = plan.facts(self.inlet, plan.act(self.inlet), stage)
            worked[key] = {k: v for k, v in facts.items() if not isinstance(v, str)}
        return self.rest + self.share * worked[key].get(MEANS[self.row.test], math.nan)


class _Unit(Problem):
    """The least squares of one choice of a unit's constants: one reading a sample."""

    def __init__(self, unit: str, points: list[_Point], sd: Array, some: list[Constant], heard: Callable[[], None]) -> None:
        super().__init__(some)
        self.unit, self.points, self.heard = unit, points, heard
        self.lab = np.array([p.value for p in points])
        self.white = (1.0 / sd)[:, None, None]

    def told(self, values: Mapping[str, float]) -> Array:
        """What the model says of every sample, shape (n,)."""
        self.heard()
        worked: dict[tuple[Kind, float], Mapping[str, float]] = {}
        return np.array([p.told(values, worked, self.unit) for p in self.points])

    def errors(self, x: Array) -> Array:
        errors: Array = (self.told(self.values(x)) - self.lab)[None]
        return errors

    def slopes(self, x: Array) -> Array:
        here = self.told(self.values(x))
        moved = np.array([self.told(self.values(x + STEP * step)) for step in np.eye(len(x))])
        slopes: Array = (moved - here)[:, None, :] / STEP
        return slopes


def _spread(test: str, off: Array) -> float:
    """The standard deviation that errors of a row are weighed by: their own scatter, the test's repeatability at least."""
    said = TESTS[test]
    repeats = max(said.r_abs, 1e-3) / REPEATS_AT
    return max(repeats, MAD * float(np.median(np.abs(off - np.median(off)))))


def learn(
    mill: Mill,
    line: Line,
    unit: str,
    samples: Iterable[Sample],
    in_force: Mapping[str, tuple[InForce, ...]] | None = None,
    *,
    most: int = 60,
    heard: Callable[[], None] = lambda: None,
) -> Learnt | Infeasible:
    """Fit a unit's constants to the newest samples of the rows that teach it, `most` of each row.

    `in_force`: what was put in force, by unit, oldest first. `heard` is called at every evaluation. Infeasible under 8 samples,
    or where no row teaches the unit.
    """
    rows = teachers(mill, line, unit)
    history = History(mill, line, samples, in_force or {})
    points = [_Point(history, unit, row, s) for row in rows for s in history.by_row.get(row.id, ())[-most:]]
    constants = line.acting[unit].constants()
    published = {c.field: c.default for c in constants}
    if not rows:
        return Infeasible(field="rows", reason="are none: no row of the plan reads what this unit gives", nearest=0)
    worked: dict[tuple[Kind, float], Mapping[str, float]] = {}
    points = [p for p in points if math.isfinite(p.told(published, worked, unit))]
    if len(points) < LEAST:
        return Infeasible(field="samples", reason=f"are {len(points)}; a fit wants {LEAST} at least", nearest=LEAST)
    counts = {row.id: sum(p.row is row for p in points) for row in rows}
    off = np.array([p.value - p.told(published, worked, unit) for p in points])
    places = {row.id: np.array([p.row is row for p in points]) for row in rows if counts[row.id]}
    sd = np.ones(len(points))
    for row in rows:
        if row.id in places:
            sd[places[row.id]] = _spread(row.test, off[places[row.id]])
    some, held = _chosen(constants, rows, counts)
    done = settle(some, lambda few: _Unit(unit, points, sd, few, heard), held=held, untold=True)
    values = published | done.problem.values(done.x)
    by_fit, by_default = done.problem.told(values), done.problem.told(published)
    lab, left_out = done.problem.lab, done.left_out[0]
    told = []
    for row in rows:
        if row.id not in places:
            continue
        at, free = places[row.id], counts[row.id] - len(done.signs)
        error = rms(left_out[at])
        band = student_quantile(HALF, free) * error * math.sqrt(1.0 + 1.0 / counts[row.id]) if free >= LEAST_FREE else math.nan
        told.append(
            RowLearnt(
                row=row.id,
                before=rms(by_default[at] - lab[at]),
                after=rms(by_fit[at] - lab[at]),
                left_out=error,
                half=band,
                lab=tuple(lab[at].tolist()),
                by_default=tuple(by_default[at].tolist()),
                by_fit=tuple(by_fit[at].tolist()),
            )
        )
    return Learnt(
        unit=unit,
        values=values,
        signs=done.signs,
        rows=tuple(told),
        accepted=bool(done.signs) and rms(left_out / sd) <= (1.0 - MUST_FALL) * rms((by_default - lab) / sd),
        held=done.held,
        at_bound=done.at_bound,
    )


def _chosen(
    constants: tuple[Constant, ...], rows: tuple[PlanRow, ...], counts: Mapping[str, int]
) -> tuple[list[Constant], list[str]]:
    """The constants that these samples may tell, and why the others stay at their default."""
    some, held = [], []
    for c in constants:
        n = sum(counts[row.id] for row in rows if row.test in c.tests)
        if n < LEAST:
            held.append(
                f"{c.sign}: {n} samples of {' or '.join(TESTS[t].name.lower() for t in c.tests)}, {LEAST} at least tell it"
            )
        elif c.later and n < ENOUGH_FOR_MORE:
            held.append(f"{c.sign}: {ENOUGH_FOR_MORE} samples at least")
        else:
            some.append(c)
    return some, held
