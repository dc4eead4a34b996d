"""The order of the machine's orders for the next 72 hours: as it is queued, as it is found, the next best, with its levels.

Orders are put in order by core/plan/orders.py; of the cheapest few that one is taken which starves the machine least. What is
put in the plan moves the wanted start of orders; an order whose card is issued keeps it until its card is worked out again.
"""

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from functools import cached_property
from types import MappingProxyType

from core.deliver.draw import draw
from core.errors import Infeasible
from core.line.passing import passing
from core.plan.chances import Tower, short_chances
from core.plan.feeds import BlockRow, FeedsCase, FeedsFound, RateRow, plan_feeds
from core.plan.levels import Course, Span, Vessel, course
from core.plan.orders import MOST_ORDERS, Machine, Order, Ordered, Standing
from core.stock.cover import USABLE_HIGH_PCT, USABLE_LOW_PCT
from desk.cook.models import Cook
from desk.kit.lane import Stands
from desk.kit.refused import FieldRefused
from desk.kit.templatetags.vat import clock, dayclock
from desk.kit.writing import writing
from desk.log.actions import write
from desk.log.models import Kind, Record
from desk.mill.planned import RUNNING
from desk.people.rights import refuse
from desk.schedule.actions import latest_card, latest_cards
from desk.schedule.halts import Told, units_of
from desk.schedule.halts import told as halts_told
from desk.schedule.planning import run_hours

HOURS, FROZEN_H = 72.0, 2.0
WASH_H = 0.5  # between two grades of which the set-up says nothing, default
LOOKED_AT = 12  # of the cheapest orders, for the one that starves the machine least
SHOWN = 3
BLOCK_H = 2.0  # a line's rate is planned for so long at a time
SETTABLE = (0.0, 0.8, 0.9, 1.0, 1.05, 1.1)  # of its usual rate: defaults
STANDS_OF = 0.9  # of what comes: a stop that takes so much out leaves nothing to set
SEARCHED_S, AROUND_S = 1.0, 3.0  # for each line; for all else
Furnish = Mapping[str, Mapping[str, float]]  # fractions by source, by the number of an order
RECIPES: Furnish = MappingProxyType({})  # none is found: every order has its grade's


class Refused(FieldRefused):
    """Why a plan cannot be kept: `field` is where to show it."""


@dataclass(frozen=True)
class Waiting:
    """An order that waits: its record, grade, hours, when it is due, its card if one is issued; whether it is begun so soon
    that it keeps its place."""

    record: Record
    grade: str
    name: str
    hours: float
    due: datetime
    start: datetime
    card: Record | None
    frozen: bool

    @property
    def number(self) -> str:
        return self.record.subject


@dataclass(frozen=True)
class Judged:
    """Orders in their order with what it does to the vessels until the last one ends: courses by vessel, t that the machine is
    short of, hours that vessels are outside their usable levels."""

    found: Ordered
    courses: dict[str, Course]
    short_t: float
    outside_h: float
    moved: int

    @property
    def rank(self) -> tuple:
        """By what a plan is weighed, the first difference decides."""
        levels = (round(self.short_t, 1), round(self.outside_h, 1))
        return (*levels, round(self.found.late_h, 2), round(self.found.washout_h, 2), self.moved)


@dataclass(frozen=True)
class Rates:
    """The rates that were found for a line: its source, the question and the answer."""

    source: str
    case: FeedsCase
    found: FeedsFound

    def cuts(self) -> list[Span]:
        """What comes less (or, below nothing, more) than usual, by block; what a stop takes out is taken out already."""
        usual, h = self.case.usual_t_h, self.case.block_h
        return [
            Span(k * h, (k + 1) * h, usual - rate)
            for k, (rate, block) in enumerate(zip(self.found.rates, self.case.blocks, strict=True))
            if not block.stands and rate != usual
        ]

    def runs(self) -> list[tuple[float, float, float]]:
        """From hour to hour at a rate, blocks of one rate together."""
        told: list[tuple[float, float, float]] = []
        for k, rate in enumerate(self.found.rates):
            begins, ends = k * self.case.block_h, (k + 1) * self.case.block_h
            if told and abs(told[-1][2] - rate) < 1e-9:
                told[-1] = (told[-1][0], ends, rate)
            else:
                told.append((begins, ends, rate))
        return told


def rate_word(t_h: float) -> str:
    """A line's rate in words."""
    return f"{t_h:.1f} t/h" if t_h else "stands"


def _mean(spans: Sequence[Span], from_h: float, to_h: float) -> float:
    """The mean of what spans draw between two hours, t/h."""
    return sum(s.t_h * max(0.0, min(s.to_h, to_h) - max(s.from_h, from_h)) for s in spans) / (to_h - from_h)


class Plan:
    """The orders that wait in the mill as it stands, and the machine that runs them."""

    def __init__(self, state, stands: tuple[Stands, ...] | None = None):
        """`stands`: what is to stand in its hours, where that is not what is entered."""
        self.state = state
        self.waiting = _waiting(state)[:MOST_ORDERS]
        self.stands = stands_of(state) if stands is None else stands
        grades = dict.fromkeys([state.run["grade"], *(w.grade for w in self.waiting)])
        self.number = {g: k for k, g in enumerate(grades, start=1)}
        orders = [Order(hours=max(0.01, w.hours), due_h=_h(state, w.due), shade=self.number[w.grade]) for w in self.waiting]
        self.running = _running(state)
        self.free_h = self.running[-1][1] if self.running else 0.0
        self.orders = orders
        self.washes = {
            (self.number[a], self.number[b]): wash_h(state.mill, a, b) for a in self.number for b in self.number if a != b
        }
        self.machine = self._machine(self.free_h)
        self.fixed = tuple(i for i, w in enumerate(self.waiting) if w.frozen)

    def _machine(self, free_h: float, stands: list[Standing] | None = None) -> Machine:
        """The machine free from an hour on, with its stops as they are entered, or others."""
        own = [
            Standing(from_h=max(0.0, _h(self.state, s.start)), to_h=_h(self.state, s.end))
            for s in self.state.stops
            if s.rate_pct == 0.0 and _h(self.state, s.end) > 0.0
        ]
        shade = self.number[self.state.run["grade"]]
        return Machine(self.orders, self.washes, own if stands is None else stands, shade=shade, free_h=free_h)

    @cached_property
    def cuts(self) -> dict[str, list[Span]]:
        """What comes less to every vessel of the furnish while a unit stands, t/h, by vessel; the way from there to it takes no
        time here."""
        state, told = self.state, {}
        network = state.solution.network
        for s in self.stands:
            unit, share = _of_the_line(state, s.unit)
            if unit not in network.index:
                continue
            passed = passing(state.solution, unit)
            for source in state.mill.sources.values():
                less = share * passed.get(source.tower, 0.0) * state.full_rates.get(source.vessel, (0.0, 0.0))[0]
                if less > 0.0:
                    told.setdefault(source.vessel, []).append(Span(max(0.0, s.from_h), s.to_h, less))
        return told

    @cached_property
    def draws(self) -> list[float]:
        """Solids that the machine takes of its furnish on each order, t/h."""
        return [_draws(self.state, w) for w in self.waiting]

    def judged(self, orders: tuple[int, ...]) -> Judged:
        """Orders in this order, with the levels they bring."""
        found = self.machine.runs(orders)
        courses = self._courses(found)
        short = sum(c.short_t for c in courses.values())
        outside = sum(c.low_h + c.high_h for c in courses.values())
        moved = sum(i != k for i, k in zip(orders, range(len(orders)), strict=True))
        return Judged(found, courses, short, outside, moved)

    @property
    def search_s(self) -> float:
        """How long the rates of all lines are looked for at most, with what stands around it."""
        return AROUND_S + SEARCHED_S * sum(s.raw_wet_t_t > 0.0 and not s.spare for s in self.state.mill.sources.values())

    @cached_property
    def queued(self) -> Judged:
        return self.judged(tuple(range(len(self.waiting))))

    def later_by(self, judged: Judged, vessel: str, more_t: float) -> float:
        """How much later a vessel meets its first limit with so much more (or less) in it now, h; to the plan's end where it
        then meets none."""
        met, then = judged.courses[vessel].first, self._courses(judged.found, {vessel: more_t})[vessel]
        end = then.points[-1][0]
        return (then.first[1] if then.first is not None else end) - (met[1] if met is not None else end)

    def saved_h(self, judged: Judged, hours: float) -> dict[str, float]:
        """Hours late that so many hours more of the machine take off: what it runs done sooner, or its stops shorter."""
        orders = judged.found.orders
        shorter = [Standing(from_h=a, to_h=b - hours) for a, b in self.machine.stands if b - hours > a]
        told = {f"what it runs done {hours:g} h sooner": self._machine(max(0.0, self.free_h - hours)).runs(orders)}
        if self.machine.stands:
            told[f"each stop {hours:g} h shorter"] = self._machine(self.free_h, shorter).runs(orders)
        return {way: judged.found.late_h - found.late_h for way, found in told.items()}

    def found(self) -> list[Judged]:
        """The best order and the next best: of the cheapest few those that starve the machine least."""
        cheapest = self.machine.next_best(LOOKED_AT) if not self.fixed else self._behind_fixed()
        return sorted((self.judged(f.orders) for f in cheapest), key=lambda j: j.rank)[:SHOWN]

    def _behind_fixed(self) -> list[Ordered]:
        """The same behind the orders that keep their places."""
        rest = [i for i in range(len(self.waiting)) if i not in self.fixed]
        begun = self.machine.runs(self.fixed)
        machine = Machine(
            [self.machine.orders[i] for i in rest],
            self.machine.washes,
            [Standing(from_h=a, to_h=b) for a, b in self.machine.stands],
            shade=int(self.machine.orders[self.fixed[-1]].shade),
            free_h=begun.ends_h,
        )
        if not rest:
            return [begun]
        return [self.machine.runs((*self.fixed, *(rest[i] for i in f.orders))) for f in machine.next_best(LOOKED_AT)]

    def drawn(self, found: Ordered, key: str, furnish: Furnish = RECIPES) -> list[Span]:
        """What is drawn of a source through a plan: by the running order, then by each; of each its own furnish where one is
        found, else its recipe."""
        state = self.state
        share = furnish.get(RUNNING, state.shares).get(key, 0.0)
        spans = [Span(a, b, rate * share * state.draw.solids_t_h) for a, b, rate in self.running]
        for run in found.runs:
            w = self.waiting[run.order]
            share = furnish.get(w.number, state.mill.grades[w.grade].shares).get(key, 0.0)
            spans.append(Span(run.begins_h, run.ends_h, share * self.draws[run.order]))
        return spans

    def with_rates(
        self, judged: Judged, furnish: Furnish = RECIPES, seconds: float = SEARCHED_S
    ) -> tuple[Judged, dict[str, Rates]]:
        """The plan with each line's rates found for it, and those rates by vessel; a line that none holds for stays so."""
        told: dict[str, Rates] = {}
        for key, source in self.state.mill.sources.items():
            if source.vessel not in judged.courses or source.spare or source.raw_wet_t_t == 0.0:
                continue  # bought pulp is asked for as it is needed; broke comes as the machine makes it
            case = self._feeds_case(judged, key, source.vessel, furnish)
            found = plan_feeds(case, seconds) if case is not None else None
            if isinstance(found, FeedsFound):
                told[source.vessel] = Rates(key, case, found)
        extra = {vessel: r.cuts() for vessel, r in told.items()}
        courses = self._courses(judged.found, extra=extra, furnish=furnish)
        short = sum(c.short_t for c in courses.values())
        outside = sum(c.low_h + c.high_h for c in courses.values())
        return Judged(judged.found, courses, short, outside, judged.moved), told

    def _feeds_case(self, judged: Judged, key: str, vessel: str, furnish: Furnish) -> FeedsCase | None:
        """The question of a line's rates: what is drawn by blocks of hours, with what stops take out; None of a line that gives
        nothing."""
        v, usual = self.state.vessels[vessel], self.state.full_rates.get(vessel, (0.0, 0.0))[0]
        if usual <= 0.0:
            return None
        ends = judged.courses[vessel].points[-1][0]
        count = max(1, min(int(HOURS / BLOCK_H), math.ceil(ends / BLOCK_H)))
        drawn, cuts = self.drawn(judged.found, key, furnish), self.cuts.get(vessel, [])
        blocks = []
        for k in range(count):
            cut = _mean(cuts, k * BLOCK_H, (k + 1) * BLOCK_H)
            stands = cut > STANDS_OF * usual
            draw_t_h = _mean(drawn, k * BLOCK_H, (k + 1) * BLOCK_H) + (0.0 if stands else cut)
            blocks.append(BlockRow(draw_t_h=round(draw_t_h, 4), stands=float(stands)))
        full = v.vessel.full_t
        return FeedsCase(
            now_t=round(min(full, v.content_t), 3),
            full_t=full,
            low_t=USABLE_LOW_PCT / 100.0 * full,
            high_t=USABLE_HIGH_PCT / 100.0 * full,
            usual_t_h=round(usual, 4),
            block_h=BLOCK_H,
            end_t=round(min(v.content_t, 0.5 * full), 3),
            rates=tuple(RateRow(t_h=round(share * usual, 4)) for share in SETTABLE),
            blocks=tuple(blocks),
        )

    def _courses(
        self,
        found: Ordered,
        more_t: Mapping[str, float] = MappingProxyType({}),
        extra: Mapping[str, list[Span]] = MappingProxyType({}),
        furnish: Furnish = RECIPES,
    ) -> dict[str, Course]:
        """The level of every vessel that the furnish is drawn from."""
        hours, towers = self.hours(found), self._towers(found, more_t, extra, furnish)
        return {key: course(t.vessel, t.draws, hours, t.cuts) for key, t in towers.items()}

    def hours(self, found: Ordered) -> float:
        """How long a plan is: to the end of its last order, within what is looked ahead."""
        return max(0.1, min(HOURS, max(found.ends_h, self.free_h)))

    def chances(self, judged: Judged, rates: Mapping[str, Rates], furnish: Furnish, factor: float) -> dict[str, float]:
        """The chance that the machine is short in a plan (under an empty name), and of each vessel that it is the one;
        `factor`: what past plans taught of how far levels are off."""
        towers = self._towers(judged.found, {}, {vessel: r.cuts() for vessel, r in rates.items()}, furnish)
        told = short_chances(tuple(towers.values()), self.hours(judged.found), factor=factor)
        return {"": told.short, **dict(zip(towers, told.by_tower, strict=True))}

    def _towers(
        self, found: Ordered, more_t: Mapping[str, float], extra: Mapping[str, list[Span]], furnish: Furnish
    ) -> dict[str, Tower]:
        """Every vessel that the furnish is drawn from, with what a plan draws of it and what comes less."""
        state, told = self.state, {}
        for key, source in state.mill.sources.items():
            v = state.vessels.get(source.vessel)
            if v is None or source.spare:
                continue
            full = v.vessel.full_t
            vessel = Vessel(
                now_t=min(full, max(0.0, v.content_t + more_t.get(source.vessel, 0.0))),
                full_t=full,
                low_t=USABLE_LOW_PCT / 100.0 * full,
                high_t=USABLE_HIGH_PCT / 100.0 * full,
                fed_t_h=state.full_rates[source.vessel][0] if source.vessel in state.full_rates else v.rate_in,
            )
            cuts = [*self.cuts.get(source.vessel, ()), *extra.get(source.vessel, ())]
            told[source.vessel] = Tower(vessel, self.drawn(found, key, furnish), cuts)
        return told

    def read(self, text: str) -> tuple[int, ...] | None:
        """An order of orders as an address has it (their numbers, joined by commas); None for one that is not all of them."""
        numbers = {w.number: i for i, w in enumerate(self.waiting)}
        told = tuple(numbers[n] for n in text.split(",") if n in numbers)
        return told if sorted(told) == list(range(len(self.waiting))) and told[: len(self.fixed)] == self.fixed else None

    def written(self, orders: tuple[int, ...]) -> str:
        return ",".join(self.waiting[i].number for i in orders)


def _h(state, when: datetime) -> float:
    return (when - state.now).total_seconds() / 3600.0


def halts_ahead(state) -> list[Told]:
    """What stands or is to stand from now on, read once for a state."""
    if "halts_ahead" not in state.__dict__:
        state.__dict__["halts_ahead"] = halts_told(state, timedelta(0))
    return state.__dict__["halts_ahead"]


def stands_of(state) -> tuple[Stands, ...]:
    """What stands, or is to stand, within the hours of the plan: the machine (no unit) and single units."""
    named, told = units_of(state.mill), []
    for t in halts_ahead(state):
        if t.halt.rate_pct == 0.0 and t.halt.end > state.now and _h(state, t.halt.start) < HOURS:
            name = named.get(t.halt.unit, (t.halt.unit, ""))[0]
            spans = _h(state, t.halt.start), _h(state, t.halt.end)
            told.append(Stands(t.halt.unit, *spans, t.halt.what, name, t.halt.planned, str(first_entry(t.record).pk)))
    return tuple(sorted(told, key=lambda s: s.from_h))


def first_entry(record: Record) -> Record:
    """The entry that a record corrects, and so on to the first."""
    while record.corrects is not None:
        record = record.corrects
    return record


def _of_the_line(state, unit: str) -> tuple[str, float]:
    """The unit of the line that a stop takes out, and the share of it: one of several digesters is that share of its cook."""
    if unit not in state.mill.digesters:
        return unit, 1.0
    cooks = {u.cooks: u.id for u in state.mill.units if u.cooks}
    newest: dict[str, str] = {}
    for digester, species in Cook.objects.order_by("started_at").values_list("digester", "species"):
        newest[digester] = cooks.get(species, "")
    own = newest.get(unit, "")
    return own, 1.0 / max(1, sum(newest.get(d) == own for d in state.mill.digesters))


def wash_h(mill, before: str, after: str) -> float:
    """Hours of washing from one grade to another, as the set-up has it; a default where it says nothing."""
    grade = mill.grades.get(after)
    return grade.washed_h.get(before, WASH_H) if grade is not None else WASH_H


def _draws(state, w: Waiting) -> float:
    """Solids that the machine takes of its furnish on an order, t/h."""
    grade = state.mill.grades[w.grade]
    case = state.mill.draw_case(grade, gsm=w.record.data["gsm"], speed_m_min=w.record.data["speed_m_min"])
    result = draw(case)
    return 0.0 if isinstance(result, Infeasible) else result.solids_t_h


def _running(state) -> list[tuple[float, float, float]]:
    """The running order to its end, from hour to hour at a share of its speed, through stops and slower hours; nothing where it
    is not known."""
    order = Record.objects.current().filter(kind=Kind.ORDER, subject=state.run["order"]).first()
    if order is None:
        return []
    card = latest_card(order.subject)
    whole = run_hours(card.data if card is not None else order.data, state)
    left = max(0.0, whole - state.running_h(state.run["since"], state.now))
    edges = sorted({0.0, *(h for s in state.stops for h in (_h(state, s.start), _h(state, s.end)) if h > 0.0)})
    told: list[tuple[float, float, float]] = []
    for k, begin in enumerate(edges):
        if left <= 1e-9:
            break
        rate = state.rate_at(state.now + timedelta(hours=begin + 1e-6))
        lasts = left / rate if rate > 0.0 else math.inf
        end = min(edges[k + 1] if k + 1 < len(edges) else math.inf, begin + lasts)
        if math.isinf(end):
            break
        told.append((begin, end, rate))
        left -= rate * (end - begin)
    return told


def _waiting(state) -> list[Waiting]:
    """Orders that are not started, by their wanted start."""
    started = Record.objects.current().filter(kind=Kind.START).values("subject")
    orders = list(Record.objects.current().filter(kind=Kind.ORDER).exclude(subject__in=started).order_by("at", "id"))
    cards = latest_cards([o.subject for o in orders])
    told = []
    for o in orders:
        if o.data["grade"] not in state.mill.grades:
            continue
        card = cards.get(o.subject)
        run = card.data if card is not None else o.data
        start, hours = datetime.fromisoformat(run["start"]), run_hours(run, state)
        due = datetime.fromisoformat(o.data["due"]) if o.data.get("due") else start + timedelta(hours=hours)
        frozen = card is not None and _h(state, start) < FROZEN_H
        told.append(Waiting(o, o.data["grade"], state.mill.grades[o.data["grade"]].name, hours, due, start, card, frozen))
    return sorted(told, key=lambda w: (not w.frozen, w.start, w.record.pk))


def put(*, plan: Plan, orders: tuple[int, ...], by, now: datetime) -> list[Record]:
    """Put an order of orders in the plan: the wanted start of each that has no card; what is due stays so. Raises: Refused
    where an order with a card would have to move."""
    refuse(by, "plan")
    found = plan.machine.runs(orders)
    starts = {plan.waiting[r.order].number: plan.state.now + timedelta(hours=r.begins_h) for r in found.runs}
    moved = {w.number for w in plan.waiting if abs((starts[w.number] - w.start).total_seconds()) > 60.0}
    carded = [w for w in plan.waiting if w.card is not None and w.number in moved and not w.frozen]
    if carded:
        names = ", ".join(f"{w.number} to {clock(starts[w.number])}" for w in carded)
        raise Refused("orders", f"A card is issued for what would move: {names}. Work its card out again first.")
    kept = []
    with writing():
        for w in plan.waiting:
            when = starts[w.number].replace(second=0, microsecond=0)
            if w.card is not None or w.number not in moved:
                continue
            newest = Record.objects.current().filter(kind=Kind.ORDER, subject=w.number).first()
            if newest is None or newest.pk != w.record.pk:
                raise Refused("orders", f"Order {w.number} was changed meanwhile; look again.")
            data = {**w.record.data, "start": when.isoformat(), "due": w.due.isoformat()}
            says = f"Order {w.number}: start {dayclock(when)} in place of {dayclock(w.start)}"
            common = {"by": by, "now": now, "corrects": w.record, "reason": "planned"}
            kept.append(write(kind=Kind.ORDER, subject=w.number, says=says, data=data, **common))
    return kept
