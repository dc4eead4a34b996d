"""What a line should give through the hours of a plan, so that its tower is neither short nor over: built up before what
empties it, held back before what fills it.

The rate of each block of hours is one of those that can be set; a change is a move. In its price a tonne that the machine is
short comes first, then hours outside the usable levels, then moves, then what is away from the usual rate. Within a block what
comes and what is drawn are even. Searched twice: block by block, where of all that bring the tower to nearly one level at one
rate the cheapest is kept; and as an integer program, which also says how much better any plan could be. Source: shift practice,
sections 6 and 6.1.
"""

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Final

import numpy as np

from core.errors import Caution, ImpossibleInput, Infeasible, Problem
from core.plan.program import Program
from core.quantity import check, figure, quantity, rows
from core.register import Check, model
from core.stream import Vector

SHORT, OUTSIDE, MOVE, AWAY = 1000.0, 20.0, 0.05, 0.001  # a t short, a t h outside, a move, a t away: defaults
TURN: Final = 0.05  # a stop or a start, over its move
GAP: Final = 0.005
SEARCHED_S: Final = 1.0
CELLS: Final = 400  # of a tower's level
TINY: Final = 1e-7


@dataclass(frozen=True, slots=True, kw_only=True)
class BlockRow:
    """What is drawn in a block of hours, and whether the line stands in it."""

    draw_t_h: float = quantity("Draw", "t OD/h", possible=(0, 1e4), decimals=2)
    stands: float = quantity("Stands", "1 yes", possible=(0, 1), whole=True, decimals=0, default=0)


@dataclass(frozen=True, slots=True, kw_only=True)
class RateRow:
    """A rate that can be set."""

    t_h: float = quantity("Rate", "t OD/h", possible=(0, 1e4), decimals=2)


@dataclass(frozen=True, slots=True, kw_only=True)
class FeedsCase:
    now_t: float = quantity("Stands in the tower", "t OD", possible=(0, 1e5), decimals=1)
    full_t: float = quantity("It holds", "t OD", possible=(0, 1e5), above=True, decimals=1)
    low_t: float = quantity("Usable from", "t OD", possible=(0, 1e5), decimals=1)
    high_t: float = quantity("to", "t OD", possible=(0, 1e5), decimals=1)
    usual_t_h: float = quantity("Usual rate", "t OD/h", possible=(0, 1e4), decimals=2)
    block_h: float = quantity("A block is", "h", possible=(0, 24), above=True, decimals=1, default=2.0)
    end_t: float = quantity("At the end at least", "t OD", possible=(0, 1e5), decimals=1, default=0.0)
    rates: tuple[RateRow, ...] = rows("Rate that can be set", RateRow, least=1, most=8)
    blocks: tuple[BlockRow, ...] = rows("Block", BlockRow, least=1, most=60)


@dataclass(frozen=True, slots=True, kw_only=True)
class FeedsFound:
    short_t: float = figure("Short", "t OD", decimals=1, equation="draw that the tower could not give")
    outside_th: float = figure("Outside usable levels", "t h", decimals=1, equation="Σ t outside × h, at the ends of blocks")
    moves: float = figure("Moves", "", decimals=0, equation="changes of the rate, those of a stop not counted")
    end_t: float = figure("Level at the end", "t OD", decimals=1, equation="now + Σ rate h − Σ drawn h")
    cost: float = figure("Cost", "", decimals=3, equation="1000 short + 20 outside + 0.05 moves, stops, starts + 0.001 away")
    gap_pct: float = figure("Not proven by", "%", decimals=1, equation="cost − the least that is possible, of the cost")
    rates: tuple[float, ...]
    cautions: tuple[Caution, ...] = ()


def cost_of(case: FeedsCase, rates: Sequence[float]) -> tuple[float, float, int, float, float] | None:
    """Short t, t h outside, moves, level at the end, and the cost of rates by block; None where the tower would run over. A
    tower that is empty gives what comes."""
    level, short, outside, moves, turns, away = case.now_t, 0.0, 0.0, 0, 0, 0.0
    was = case.usual_t_h
    for block, rate in zip(case.blocks, rates, strict=True):
        level += case.block_h * (rate - block.draw_t_h)
        if level < 0.0:
            short, level = short - level, 0.0
        if level > case.full_t + TINY:
            return None
        outside += case.block_h * (max(0.0, case.low_t - level) + max(0.0, level - case.high_t))
        if not block.stands:
            moves += abs(rate - was) > TINY
            turns += (rate > TINY) != (was > TINY)
            away += case.block_h * abs(rate - case.usual_t_h)
            was = rate
    outside += case.block_h * max(0.0, case.end_t - level)
    cost = SHORT * short + OUTSIDE * outside + MOVE * moves + TURN * turns + AWAY * away
    return short, outside, moves, level, cost


class _Program(Program):
    """Binaries of the rate of each block, then its level, short, under, over, move, and whether it stops or starts."""

    def __init__(self, case: FeedsCase) -> None:
        super().__init__()
        self.case, self.n = case, len(case.blocks)
        self.set = sorted({r.t_h for r in case.rates})
        self.open = [b for b in range(self.n) if not case.blocks[b].stands]
        self.chosen = {b: k * len(self.set) for k, b in enumerate(self.open)}
        whole = len(self.open) * len(self.set)
        self.level, self.short, self.under, self.over = (whole + k * self.n for k in range(4))
        self.moved = {b: whole + 4 * self.n + k for k, b in enumerate(self.open)}
        self.turned = {b: whole + 4 * self.n + len(self.open) + k for k, b in enumerate(self.open)}
        self.last = whole + 4 * self.n + 2 * len(self.open)  # what is missing at the end
        self.whole, self.size = whole, self.last + 1

    def priced(self) -> Vector:
        """States every constraint, and tells the prices."""
        case, price = self.case, np.zeros(self.size)
        before: int | None = None
        for b, block in enumerate(case.blocks):
            come = {}
            if b in self.chosen:
                first = self.chosen[b]
                self.add({first + k: 1.0 for k in range(len(self.set))}, 1.0, 1.0)
                for k, t_h in enumerate(self.set):
                    was = {before + k: -1.0} if before is not None else {}
                    had = 0.0 if before is not None else float(abs(t_h - case.usual_t_h) < TINY)
                    self.add({first + k: 1.0, self.moved[b]: -1.0, **was}, -math.inf, had)
                    price[first + k] = AWAY * case.block_h * abs(t_h - case.usual_t_h)
                    come[first + k] = -case.block_h * t_h
                price[self.moved[b]], price[self.turned[b]] = MOVE, TURN
                if self.set[0] <= TINY:  # the first of the rates is none
                    was = {before: -1.0} if before is not None else {}
                    stood = 0.0 if before is not None else float(case.usual_t_h <= TINY)
                    self.add({first: 1.0, self.turned[b]: -1.0, **was}, -math.inf, stood)
                    self.add({first: 1.0, self.turned[b]: 1.0, **was}, stood, math.inf)
                before = first
            began = {self.level + b - 1: -1.0} if b else {}
            held = (0.0 if b else case.now_t) - case.block_h * block.draw_t_h
            self.add({self.level + b: 1.0, self.short + b: -1.0, **began, **come}, held, held)
            self.add({self.level + b: 1.0, self.under + b: 1.0}, case.low_t, math.inf)
            self.add({self.level + b: 1.0, self.over + b: -1.0}, -math.inf, case.high_t)
        self.add({self.level + self.n - 1: 1.0, self.last: 1.0}, case.end_t, math.inf)
        price[self.short : self.short + self.n] = SHORT
        price[self.under : self.under + 2 * self.n] = OUTSIDE * case.block_h
        price[self.last] = OUTSIDE * case.block_h
        return price

    def most(self) -> Vector:
        """The greatest of each variable."""
        most = np.full(self.size, np.inf)
        most[: self.whole] = 1.0
        most[self.level : self.level + self.n] = self.case.full_t
        for b, block in enumerate(self.case.blocks):
            most[self.short + b] = self.case.block_h * block.draw_t_h
        return most

    def rates(self, x: Vector) -> tuple[float, ...]:
        told = []
        for b in range(self.n):
            first = self.chosen.get(b)
            told.append(0.0 if first is None else self.set[int(np.argmax(x[first : first + len(self.set)]))])
        return tuple(told)


def by_levels(case: FeedsCase) -> tuple[float, ...] | None:
    """Rates block by block: of those that bring the tower into one cell of its level at one rate, the cheapest go on. Near the
    best, and at once; None where the tower runs over whatever is set."""
    rates = np.array(sorted({r.t_h for r in case.rates}))
    h, full = case.block_h, case.full_t
    level, cost = np.array([case.now_t]), np.array([0.0])
    was = np.array([-1])  # of the rates; the usual one before the first
    trail: list[tuple[np.ndarray, np.ndarray]] = []
    for block in case.blocks:
        if block.stands:
            chosen, parent = np.full(len(level), -1), np.arange(len(level))
            t_h, price, then = np.zeros(len(level)), np.zeros(len(level)), was
        else:
            parent = np.repeat(np.arange(len(level)), len(rates))
            chosen = then = np.tile(np.arange(len(rates)), len(level))
            t_h = rates[chosen]
            before = np.where(was[parent] < 0, case.usual_t_h, rates[was[parent]])
            price = MOVE * (np.abs(t_h - before) > TINY) + TURN * ((t_h > TINY) != (before > TINY))
            price = price + AWAY * h * np.abs(t_h - case.usual_t_h)
        after = level[parent] + h * (t_h - block.draw_t_h)
        price = price + SHORT * np.maximum(0.0, -after)
        after = np.maximum(0.0, after)
        outside = np.maximum(0.0, case.low_t - after) + np.maximum(0.0, after - case.high_t)
        price = cost[parent] + price + OUTSIDE * h * outside
        kept = np.flatnonzero(after <= full + TINY)
        if not len(kept):
            return None
        cell = (CELLS * after[kept] / full).astype(int) * (len(rates) + 1) + then[kept] + 1
        order = np.lexsort((price[kept], cell))
        first = kept[order[np.flatnonzero(np.diff(cell[order], prepend=-1))]]
        level, cost, was = after[first], price[first], then[first]
        trail.append((parent[first], chosen[first]))
    at = int(np.argmin(cost + OUTSIDE * h * np.maximum(0.0, case.end_t - level)))
    told: list[float] = []
    for parents, choices in reversed(trail):
        told.append(0.0 if choices[at] < 0 else float(rates[choices[at]]))
        at = int(parents[at])
    return tuple(told[::-1])


def _whole(case: FeedsCase) -> None:
    bad = []
    if not case.low_t < case.high_t <= case.full_t:
        told = f"is {case.low_t:g} t; it must be under the upper, {case.high_t:g} t, and that within {case.full_t:g} t"
        bad.append(Problem("low_t", told))
    if case.now_t > case.full_t:
        bad.append(Problem("now_t", f"is {case.now_t:g} t, over the {case.full_t:g} t that it holds"))
    if bad:
        raise ImpossibleInput(*bad)


_RATES = ({"t_h": 0}, {"t_h": 5}, {"t_h": 6}, {"t_h": 6.6})
_STOP = {
    "now_t": 30,
    "full_t": 60,
    "low_t": 6,
    "high_t": 54,
    "usual_t_h": 6,
    "block_h": 2,
    "rates": _RATES,
    "blocks": ({"draw_t_h": 6},) * 3 + ({"draw_t_h": 6, "stands": 1},) * 2 + ({"draw_t_h": 6},) * 2,
}


@model(
    "schedule.feeds",
    title="Rates of a line through a plan",
    source="shift practice: scheduling; integer program, HiGHS",
    holds_for="one line and its tower; the draw of a plan whose orders stand",
    equation="least of 1000 short + 20 outside + 0.05 moves + 0.001 away",
    basis="published",
    checks=(
        Check(_STOP, "short_t", 0.0),
        Check(_STOP, "moves", 0.0),  # 30 t last through 4 h at 6 t/h with 6 t left
        Check({**_STOP, "now_t": 28}, "moves", 1.0),  # 2 t too little: 6.6 in time
        Check({**_STOP, "now_t": 28}, "end_t", 8.8, 1e-6),  # as late as it may: four hours before give 2.4, those behind 2.4
        Check({**_STOP, "now_t": 10}, "short_t", 10.4, 1e-6),  # 24 to give, 10 + 3.6 there
    ),
)
def plan_feeds(case: FeedsCase, seconds: float = SEARCHED_S) -> FeedsFound | Infeasible:
    """Raises: ImpossibleInput for levels that do not rise or more in the tower than it holds."""
    cautions = check(case)
    _whole(case)
    rates = by_levels(case)
    if rates is None:
        least = min(r.t_h for r in case.rates)
        held = f"the least rate, {least:g} t/h, fills the tower to over {case.full_t:g} t"
        return Infeasible(field="rates", reason=f"cannot hold: {held}", unit="t OD/h")
    told = cost_of(case, rates)
    assert told is not None  # by_levels keeps none that runs over
    better, bound = _proven(case, seconds)
    if better is not None and (other := cost_of(case, better)) is not None and other[4] < told[4]:
        rates, told = better, other
    short, outside, moves, end, cost = told
    gap = 100.0 * max(0.0, cost - bound) / max(cost, TINY)
    if gap > 100.0 * GAP:
        cautions += (Caution("blocks", f"were searched for {seconds:g} s: a plan up to {cost - bound:.2g} cheaper may exist"),)
    return FeedsFound(
        short_t=short,
        outside_th=outside,
        moves=float(moves),
        end_t=end,
        cost=cost,
        gap_pct=gap,
        rates=rates,
        cautions=cautions,
    )


def _proven(case: FeedsCase, seconds: float) -> tuple[tuple[float, ...] | None, float]:
    """The best rates that the integer program finds in its time, and what no rates can cost less than."""
    program = _Program(case)
    found = program.solved(program.priced(), program.whole, program.most(), gap=GAP, seconds=seconds)
    return (None if found.x is None else program.rates(found.x)), found.bound


RATE, STOPS, DRAW = RULES = ("rate", "stops", "draw")
WORDS: Final = {RATE: "the greatest rate", STOPS: "the stops of the line", DRAW: "what is drawn"}
TESTED: Final = (STOPS, RATE, DRAW)  # the rule that people can change soonest stays longest
MOST_RATE: Final = 4.0  # times the usual one, that a relief is looked for up to
ENOUGH_T: Final = 0.05  # a tower short of less is short of nothing


@dataclass(frozen=True, slots=True)
class Relief:
    """What one rule alone would have to give way by: a rate in t/h, hours less of stops, or t less drawn."""

    rule: str
    value: float


def short_t(case: FeedsCase) -> float:
    """The least that the machine is short of, t, whatever rates are set; all that is drawn where the tower runs over."""
    rates = by_levels(case)
    told = cost_of(case, rates) if rates is not None else None
    return sum(b.draw_t_h for b in case.blocks) * case.block_h if told is None else told[0]


def without(case: FeedsCase, rules: Sequence[str]) -> FeedsCase:
    """The same question with some of its rules given up."""
    blocks = case.blocks
    if STOPS in rules:
        blocks = tuple(replace(b, stands=0.0) for b in blocks)
    if DRAW in rules:
        blocks = tuple(replace(b, draw_t_h=0.0) for b in blocks)
    rates = (*case.rates, RateRow(t_h=MOST_RATE * case.usual_t_h)) if RATE in rules else case.rates
    nothing = RateRow(t_h=0.0)
    return replace(case, blocks=blocks, rates=rates if nothing in rates else (nothing, *rates))


def conflict(case: FeedsCase) -> tuple[str, ...]:
    """The smallest set of rules that cannot hold together, by leaving out one after the other; none where all hold."""
    if short_t(case) <= ENOUGH_T:
        return ()
    given_up: list[str] = []
    for rule in TESTED:
        if short_t(without(case, [*given_up, rule])) > ENOUGH_T:
            given_up.append(rule)
    return tuple(r for r in RULES if r not in given_up)


def reliefs(case: FeedsCase) -> tuple[Relief, ...]:
    """What each rule of the conflict alone would have to give way by, where it alone can."""
    told = []
    for rule in conflict(case):
        if short_t(without(case, [rule])) > ENOUGH_T:
            continue
        if rule == RATE:
            low, high = max(r.t_h for r in case.rates), MOST_RATE * case.usual_t_h
            while high - low > 0.01 * case.usual_t_h:
                middle = 0.5 * (low + high)
                holds = short_t(replace(case, rates=(*case.rates, RateRow(t_h=middle)))) <= ENOUGH_T
                low, high = (low, middle) if holds else (middle, high)
            told.append(Relief(RATE, high))
        elif rule == STOPS:
            stood = [k for k, b in enumerate(case.blocks) if b.stands]
            for less in range(1, len(stood) + 1):  # from its end
                ended = set(stood[len(stood) - less :])
                blocks = tuple(replace(b, stands=0.0) if k in ended else b for k, b in enumerate(case.blocks))
                if short_t(replace(case, blocks=blocks)) <= ENOUGH_T:
                    told.append(Relief(STOPS, less * case.block_h))
                    break
        else:
            told.append(Relief(DRAW, short_t(case)))
    return tuple(told)
