"""A case of the whole line: other settings and another furnish, carried through every unit, vessel and band at once."""

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from functools import cached_property

from core.cook.unit import CookPlan, Made, carried_over
from core.errors import ImpossibleInput, Problem
from core.judge.band import GRAVITY, Band, State, judge
from core.lab.methods import TESTS
from core.mill.expected import expected, running_cost
from core.quantity import Quantity
from core.stock.cover import Cover, cover_of
from desk.kit.bench import typed_number
from desk.kit.held import MOST_HELD
from desk.kit.templatetags.vat import changed, figure
from desk.kit.units import Schools, shown
from desk.kit.words import limits
from desk.kit.writing import writing
from desk.log.models import Record
from desk.log.moves import set_shares
from desk.mill import in_force
from desk.mill.carried import Moved, Step, steps
from desk.mill.models import HeldLine, MillVersion
from desk.mill.state import MillState, VesselNow, solve_running

SETTING, SHARE = "s.", "f."  # of an address: s.UNIT.NAME=value, f.SOURCE=% of the furnish
COPIED = (
    *("now", "version_id", "mill", "run", "halts", "stops", "makes", "coefficients"),
    *("next_card", "next_run", "moistures", "put_in_force", "setpoints"),
)
SUM_OFF = 0.05  # % that typed shares may miss 100 by


@dataclass(frozen=True)
class LineCase:
    """What is other than today: settings by unit and name, and the whole furnish in % where it is another."""

    settings: Mapping[str, Mapping[str, float]] = field(default_factory=dict)
    shares_pct: Mapping[str, float] = field(default_factory=dict)

    @property
    def empty(self) -> bool:
        return not self.settings and not self.shares_pct

    @property
    def query(self) -> list[tuple[str, str]]:
        """The case as an address holds it."""
        told = [(f"{SETTING}{unit}.{name}", f"{v:.10g}") for unit, of in self.settings.items() for name, v in of.items()]
        return told + [(f"{SHARE}{key}", f"{v:.10g}") for key, v in self.shares_pct.items()]


@dataclass(frozen=True)
class Change:
    """One setting of a case: what it is called, today's value and the case's, as read; its place in the address."""

    name: str
    title: str
    label: str
    unit: str
    before: str
    text: str
    target: str  # the unit, or empty for the furnish
    error: str = ""


def settings_of(state: MillState) -> list[tuple[str, str, str, Quantity]]:
    """Every setting that may be tried: (unit, its title, name, how it is measured)."""
    titles = {u.id: u.title or u.id for u in state.mill.units}
    return [
        (unit, titles[unit], name, said) for unit, plan in state.line.acting.items() for name, said in plan.settable().items()
    ]


def upsets_of(state: MillState) -> list[tuple[str, str, list[tuple[str, str]]]]:
    """What may befall the line: (its key, how it is told, its settings as an address holds them)."""
    titles = {u.id: u.title or u.id for u in state.mill.units}
    return [
        (f"{unit}:{i}", f"{titles[unit]}: {upset.name}", LineCase(settings={unit: upset.settings}).query)
        for unit, plan in state.line.acting.items()
        for i, upset in enumerate(plan.upsets())
    ]


def read_case(data: Mapping[str, str], state: MillState) -> tuple[LineCase, dict[str, str]]:
    """A case from an address or a form, and the problems of what was typed, by its place in it."""
    settings: dict[str, dict[str, float]] = {}
    shares: dict[str, float] = {}
    errors: dict[str, str] = {}
    for name, text in data.items():
        if not name.startswith((SETTING, SHARE)) or not text.strip():
            continue
        unit, setting = _known(name, state)
        if name.startswith(SETTING) and not setting:
            continue  # of another set-up: what no longer exists is left out
        if name.startswith(SHARE) and name.removeprefix(SHARE) not in state.mill.sources:
            continue
        try:
            value = typed_number(text)
        except ValueError:
            errors[name] = f"is “{text}”; it must be a number"
            continue
        if name.startswith(SHARE):
            shares[name.removeprefix(SHARE)] = value
            continue
        said = state.line.acting[unit].settable()[setting]
        if (problem := said.problem(value)) is not None:
            errors[name] = problem
        elif abs(value - state.line.acting[unit].settings()[setting]) > in_force.LEAST_CHANGE:
            settings.setdefault(unit, {})[setting] = value
    if shares and not any(name.startswith(SHARE) for name in errors):
        errors |= _furnish(shares, state)
    now = {k: 100.0 * v for k, v in state.shares.items()}
    same = all(abs(v - now.get(k, 0.0)) <= SUM_OFF for k, v in shares.items())
    return LineCase(settings=settings, shares_pct={} if same else shares), errors


def _known(name: str, state: MillState) -> tuple[str, str]:
    """The unit and the setting that a place of the address names, or two empty words."""
    rest = name.removeprefix(SETTING)
    for unit, plan in state.line.acting.items():
        if rest.startswith(f"{unit}.") and rest.removeprefix(f"{unit}.") in plan.settable():
            return unit, rest.removeprefix(f"{unit}.")
    return "", ""


def _furnish(shares: dict[str, float], state: MillState) -> dict[str, str]:
    """What is wrong with typed shares: below 0, or not 100 % together with those that were not typed."""
    errors = {f"{SHARE}{k}": f"is {v:g} %; it must be 0 to 100 %" for k, v in shares.items() if not 0.0 <= v <= 100.0}
    for key in state.mill.sources:
        shares.setdefault(key, 100.0 * state.shares.get(key, 0.0))
    total = sum(shares.values())
    if not errors and abs(total - 100.0) > SUM_OFF:
        errors = {f"{SHARE}{k}": f"makes {total:.1f} % with the others; they must make 100 %" for k in list(shares)[:1]}
    return errors


def state_with(state: MillState, case: LineCase) -> MillState:
    """The mill at the same time, run as the case has it. Raises: ImpossibleInput, CoreError for one that cannot be run."""
    other = MillState.__new__(MillState)
    _ = state.line  # what is left aside today stays so in the case
    for key in COPIED:
        other.__dict__[key] = getattr(state, key)
    other.__dict__["shares"] = {k: v / 100.0 for k, v in case.shares_pct.items()} if case.shares_pct else dict(state.shares)
    other.tried = case.settings
    other.schools = state.schools
    other.__dict__["makes"] = {**state.makes, **_cooked_otherwise(state, case)}
    other.__dict__["line"] = solve_running(state.version_id, other.running_at(state.rate or 1.0))
    return other


def _cooked_otherwise(state: MillState, case: LineCase) -> dict[str, Made]:
    """What the kept cooks that lead the line would have made with the settings of the case, by unit."""
    told = {}
    for unit, values in case.settings.items():
        plan = state.line.acting[unit]
        if unit in state.makes and isinstance(plan, CookPlan):
            told[unit] = carried_over(
                state.makes[unit], plan, plan.set_to({**plan.settings(), **values}), state.line.inlets[unit].solids_t_h
            )
    return told


@dataclass(frozen=True)
class Judged:
    """A row of the plan as today's line expects it and as the case does."""

    row: str
    place: str
    test: str
    unit: str
    before: str
    after: str
    band: str
    state: str
    leaves: bool


@dataclass(frozen=True)
class Ends:
    """A vessel: its cover today and in the case."""

    name: str
    key: str
    now: Cover
    then: Cover
    moved: bool


@dataclass(frozen=True)
class Carried:
    """A case against today, through the whole line."""

    case: LineCase
    today: MillState
    other: MillState
    schools: Schools | None

    @cached_property
    def steps(self) -> tuple[Step, ...]:
        """What changes unit by unit, then the towers, the mix and what it costs."""
        result = steps(self.today.mill, self.today.line, self.other.line, self.schools, "/case/", most=4)
        blend = tuple(m for m in self._mix() if m is not None)
        cost = tuple(m for m in self._cost() if m is not None)
        more = [Step("The mix", "blend", blend)] if blend else []
        return (*result, *more, *([Step("Cost, by default prices", "deliver", cost)] if cost else []))

    def _mix(self) -> Iterable[Moved | None]:
        a, b = self.today.mix, self.other.mix
        yield self._row("Brightness of mix", "% ISO", a.iso_pct, b.iso_pct, 1)
        yield self._row("Freeness of mix", "mL CSF", a.csf_ml, b.csf_ml, 0)
        yield self._row("Ash of mix", "%", a.ash_pct, b.ash_pct, 1)
        for key, source in self.today.mill.sources.items():
            pair = (self.today.running.gives.get(key, 0.0), self.other.running.gives.get(key, 0.0))
            yield self._row(f"{source.name} used", "t/h OD", *pair, 2)

    def _cost(self) -> Iterable[Moved | None]:
        a = running_cost(self.today.line, sum(self.today.running_at(self.today.rate or 1.0).gives.values()))
        b = running_cost(self.other.line, sum(self.other.running_at(self.other.rate or 1.0).gives.values()))
        yield self._row("Chemicals", "an h", a.chemicals_h, b.chemicals_h, 0)
        yield self._row("Steam", "an h", a.steam_h, b.steam_h, 0)
        yield self._row("Power", "an h", a.power_h, b.power_h, 0)
        yield self._row("All a tonne drawn", "an ADt", a.per_adt, b.per_adt, 1)

    def _row(self, label: str, unit: str, was: float, now: float, places: int) -> Moved | None:
        (x, name, more), (y, _, _) = shown(was, unit, self.schools), shown(now, unit, self.schools)
        if figure(x, places + more) == figure(y, places + more):
            return None
        return Moved(label, name, figure(x, places + more), figure(y, places + more), changed(x, y, places + more))

    @cached_property
    def judged(self) -> list[Judged]:
        """Every row that the line expects a value of, the gravest of the case first."""
        mill, grade = self.today.mill, self.today.grade
        before = expected(mill, self.today.line, self.today.mix)
        after = expected(mill, self.other.line, self.other.mix)
        rows = []
        for key, value in after.items():
            row = mill.plan[key]
            test, band = TESTS[row.test], mill.band(row, grade)
            was, state = _state(before[key], band), _state(value, band)
            (x, unit, more), (y, _, _) = shown(before[key], test.unit, self.schools), shown(value, test.unit, self.schools)
            places = test.decimals + more
            rows.append(
                Judged(
                    row=key,
                    place=row.place,
                    test=test.name,
                    unit=unit,
                    before=figure(x, places),
                    after=figure(y, places),
                    band=limits(band, test.decimals, test.unit, self.schools),
                    state=state.value,
                    leaves=GRAVITY[state] > GRAVITY[was],
                )
            )
        return sorted(rows, key=lambda r: (not r.leaves, -GRAVITY[State(r.state)]))

    @cached_property
    def ends(self) -> list[Ends]:
        """Every vessel that has a reading, the soonest of the case first."""
        rows = []
        for key, v in self.today.vessels.items():
            then = cover_of(self.other.cover_case(key, v.level_pct))
            rows.append(Ends(v.vessel.name, key, v.cover, then, _moved(v, then)))
        return sorted(rows, key=lambda e: e.then.hours)

    @property
    def closure(self) -> float:
        return self.other.solution.worst_closure


def _state(value: float, band: Band) -> State:
    return judge(value, band, confirmed=True).state


def _moved(v: VesselNow, then: Cover) -> bool:
    return v.cover.way != then.way or (then.way != "steady" and abs(then.hours - v.cover.hours) > 0.02 * v.cover.hours + 0.02)


def carry(state: MillState, case: LineCase, schools: Schools | None) -> Carried:
    """A case carried through the line. Raises: ImpossibleInput, CoreError."""
    return Carried(case, state, state_with(state, case), schools)


def as_json(carried: Carried) -> dict:
    """The case with all that changes, to take away."""
    return {
        "format": "fox-vat line case 1",
        "mill": carried.today.mill.name,
        "at": carried.today.now.isoformat(),
        "settings": {unit: dict(of) for unit, of in carried.case.settings.items()},
        "furnish_pct": dict(carried.case.shares_pct),
        "changes": [
            {"unit": s.title, "figure": r.label, "in": r.unit, "today": r.before, "case": r.after}
            for s in carried.steps
            for r in s.rows
        ],
        "bands": [{"row": j.row, "today": j.before, "case": j.after, "band": j.band, "state": j.state} for j in carried.judged],
        "vessels": [
            {"vessel": e.key, "today_h": _hours(e.now), "case_h": _hours(e.then), "case_is": e.then.way} for e in carried.ends
        ],
    }


def _hours(cover: Cover) -> float | None:
    return None if cover.way == "steady" else round(cover.hours, 3)


def hold(*, name: str, case: LineCase, by, now) -> HeldLine:
    """Keep a case of the line under a name. Raises: ImpossibleInput by field."""
    name = name.strip()
    if not 1 <= len(name) <= 80:
        raise ImpossibleInput(Problem("name", "is empty or longer than 80 letters"))
    if case.empty:
        raise ImpossibleInput(Problem("name", "holds nothing: no setting is another than today’s"))
    with writing():
        if not HeldLine.room(by):
            raise ImpossibleInput(Problem("name", f"is one too many: you hold {MOST_HELD}; let some go first"))
        return HeldLine.objects.create(
            name=name,
            changes={unit: dict(of) for unit, of in case.settings.items()},
            shares_pct=dict(case.shares_pct),
            version=MillVersion.objects.first(),
            by=by,
            made_at=now,
        )


def put(carried: Carried, *, why: str, seen: Mapping[str, int], by, now) -> list[Record]:
    """Every change of a case in force together, or none. `seen`: the record that stood when the person looked, by unit (the
    furnish under an empty name).

    Raises: ImpossibleInput naming what was overtaken or is missing.
    """
    today = carried.today
    if not why.strip():
        raise ImpossibleInput(Problem("why", "is empty; say why it is changed"))
    if carried.case.empty:
        raise ImpossibleInput(Problem("why", "puts nothing in force: no setting is another than today’s"))
    titles = {u.id: u.title or u.id for u in today.mill.units}
    made = []
    with writing():
        for unit, values in carried.case.settings.items():
            plan = today.line.acting[unit]
            before = dict(plan.settings())
            change = in_force.Change(
                unit=unit,
                title=titles[unit],
                before=before,
                after={**before, **values},
                said=plan.settable(),
                line=carried.other.line,
            )
            made.append(in_force.put(change=change, why=why, by=by, now=now, seen=seen.get(unit, 0)))
        if carried.case.shares_pct:
            standing = MillState(now).setpoints
            if (standing[-1].pk if standing else 0) != seen.get("", 0):
                raise ImpossibleInput(Problem("why", "meets other shares: the furnish was set by somebody else meanwhile"))
            made.append(set_shares(dict(carried.case.shares_pct), by=by, now=now, state=today))
    return made
