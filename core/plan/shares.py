"""The furnish of the coming orders, each within its bands, with what the lines give: so that the machine is not starved, no
tower runs over, and broke is used up.

One linear program over blocks of hours. A run draws shares of its pulps; a tower is fed at any rate from none to the most of
its line, and not in a stop. In its price a tonne that the machine is short comes first, then what runs over, then hours outside
the usable levels, then broke that is left, pulp that is bought, and what is moved from the recipes and the usual rates. Where
even the best plan starves the machine or runs over, the same program says which rules cannot hold together and what each would
have to give way by. Source: shift practice, sections 6 and 6.1; HiGHS through SciPy.
"""

import math
from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any, Final

import numpy as np

from core.document import named
from core.errors import Caution, ImpossibleInput, Infeasible, Problem
from core.plan.program import Program
from core.quantity import check, figure, quantity, rows
from core.register import Check, model
from core.stream import Vector

SHORT, OVER, OUTSIDE = 1000.0, 100.0, 20.0  # a t short, a t over the brim, a t h outside: defaults
LEFT, BOUGHT, MOVED, AWAY = 0.1, 0.2, 0.02, 0.001  # a t of broke left, bought, moved from a recipe, away from a rate: defaults
ENOUGH_T: Final = 0.01  # less is nothing
TINY: Final = 1e-7
MOST_PULPS: Final = 8
FULL, FURNISH, DRAW, STOP = "full", "furnish", "draw", "stop"
# what a rule that is broken weighs: an hour of a stop, an hour's draw, a run's furnish wholly other, a tonne of room
WEIGHTS: Final = {FULL: 1.0, FURNISH: 20.0, DRAW: 1.0, STOP: 1.0}


@dataclass(frozen=True, slots=True, kw_only=True)
class PulpRow:
    """A pulp with its tower; one with no tower comes as it is asked for."""

    name: str = named(default="pulp")
    now_t: float = quantity("Stands in its tower", "t OD", possible=(0, 1e5), decimals=1, default=0.0)
    full_t: float = quantity("which holds", "t OD", possible=(0, 1e5), decimals=1, default=0.0)
    low_t: float = quantity("usable from", "t OD", possible=(0, 1e5), decimals=1, default=0.0)
    high_t: float = quantity("to", "t OD", possible=(0, 1e5), decimals=1, default=1e5)
    usual_t_h: float = quantity("Comes", "t OD/h", possible=(0, 1e4), decimals=2, default=0.0)
    least_t_h: float = quantity("at least", "t OD/h", possible=(0, 1e4), decimals=2, default=0.0)
    most_t_h: float = quantity("at most", "t OD/h", possible=(0, 1e4), decimals=2, default=0.0)
    keep_t: float = quantity("Left at the end, at most", "t OD", possible=(0, 1e5), decimals=1, default=1e5)
    bought: float = quantity("Is bought", "1 yes", possible=(0, 1), whole=True, decimals=0, default=0)


@dataclass(frozen=True, slots=True, kw_only=True)
class StopRow:
    """Hours in which less comes of a pulp; all of it where its line stands."""

    pulp: float = quantity("Pulp", "number", possible=(1, 8), whole=True, decimals=0)
    from_h: float = quantity("From", "h", possible=(0, 200), decimals=2)
    to_h: float = quantity("to", "h", possible=(0, 400), decimals=2)
    less_t_h: float = quantity("Comes less", "t OD/h", possible=(0, 1e4), decimals=2)


@dataclass(frozen=True, slots=True, kw_only=True)
class RunRow:
    """A run of the machine on one furnish."""

    name: str = named(default="run")
    begins_h: float = quantity("Begins in", "h", possible=(0, 400), decimals=2)
    ends_h: float = quantity("ends in", "h", possible=(0, 400), decimals=2)
    draw_t_h: float = quantity("Furnish", "t OD/h", possible=(0, 1e4), decimals=2)
    card: float = quantity("Kept to the limits of card", "number, 0 none", possible=(0, 24), whole=True, decimals=0, default=0)


@dataclass(frozen=True, slots=True, kw_only=True)
class ShareRow:
    """The share of a pulp in the furnish of a run."""

    run: float = quantity("Run", "number", possible=(1, 24), whole=True, decimals=0)
    pulp: float = quantity("Pulp", "number", possible=(1, 8), whole=True, decimals=0)
    usual_pct: float = quantity("Recipe", "%", possible=(0, 100), decimals=1)
    low_pct: float = quantity("at least", "%", possible=(0, 100), decimals=1, default=0.0)
    high_pct: float = quantity("at most", "%", possible=(0, 100), decimals=1, default=100.0)


def _over(number: int) -> Any:
    return quantity(f"Pulp {number} is over it by", "", possible=(-1e6, 1e6), decimals=4, default=0.0)


@dataclass(frozen=True, slots=True, kw_only=True)
class LimitRow:
    """A limit of a card: the shares of a run's pulps, each times what its pulp is over it by, sum to 0 at most."""

    card: float = quantity("Card", "number", possible=(1, 24), whole=True, decimals=0)
    over_1: float = _over(1)
    over_2: float = _over(2)
    over_3: float = _over(3)
    over_4: float = _over(4)
    over_5: float = _over(5)
    over_6: float = _over(6)
    over_7: float = _over(7)
    over_8: float = _over(8)

    @property
    def over(self) -> tuple[float, ...]:
        """By pulp, in their order."""
        return tuple(getattr(self, f"over_{p}") for p in range(1, MOST_PULPS + 1))


def limit_row(card: int, over: Sequence[float]) -> LimitRow:
    """A limit by what each pulp is over it by, in the order of the pulps; eight at most."""
    return LimitRow(card=card, **{f"over_{p}": v for p, v in enumerate(over, start=1)})


@dataclass(frozen=True, slots=True, kw_only=True)
class SharesCase:
    block_h: float = quantity("A block is", "h", possible=(0, 24), above=True, decimals=1, default=2.0)
    hours: float = quantity("Planned", "h", possible=(0, 168), above=True, decimals=0, default=72.0)
    pulps: tuple[PulpRow, ...] = rows("Pulp", PulpRow, least=1, most=MOST_PULPS)
    runs: tuple[RunRow, ...] = rows("Run", RunRow, least=1, most=24)
    shares: tuple[ShareRow, ...] = rows("Share", ShareRow, least=1, most=192)
    stops: tuple[StopRow, ...] = rows("Stop", StopRow, least=0, most=40)
    limits: tuple[LimitRow, ...] = rows("Limit", LimitRow, least=0, most=96)

    @property
    def blocks(self) -> int:
        return max(1, math.ceil(self.hours / self.block_h - TINY))


@dataclass(frozen=True, slots=True, kw_only=True)
class SharesFound:
    short_t: float = figure("Short", "t OD", decimals=1, equation="draw that the towers could not give")
    over_t: float = figure("Runs over", "t OD", decimals=1, equation="what comes and has no room")
    outside_th: float = figure("Outside usable levels", "t h", decimals=1, equation="Σ t outside × h, at the ends of blocks")
    moved_t: float = figure("Moved from the recipes", "t OD", decimals=1, equation="½ Σ |share − recipe| × draw × h")
    left_t: float = figure("Left over what is wanted", "t OD", decimals=1, equation="Σ level at the end − wanted at most")
    cost: float = figure("Cost", "", decimals=2, equation="1000 short + 100 over + 20 outside + 0.1 left + 0.02 moved + …")
    shares_pct: tuple[float, ...]
    rates: tuple[tuple[float, ...], ...]
    cautions: tuple[Caution, ...] = ()


def overlap_h(from_h: float, to_h: float, begins_h: float, ends_h: float) -> float:
    """Hours that two spans have in common."""
    return max(0.0, min(to_h, ends_h) - max(from_h, begins_h))


def drawn_t_h(case: SharesCase, run: RunRow, block: int) -> float:
    """What a run draws in a block, as its mean, t/h."""
    return run.draw_t_h * overlap_h(run.begins_h, run.ends_h, block * case.block_h, (block + 1) * case.block_h) / case.block_h


def less_t_h(case: SharesCase, stop: StopRow, block: int) -> float:
    """What a stop takes out of a block, as its mean, t/h."""
    return stop.less_t_h * overlap_h(stop.from_h, stop.to_h, block * case.block_h, (block + 1) * case.block_h) / case.block_h


class _Program(Program):
    """Shares by row with what they are moved; by tower and block its rate, level and what is short, over and outside; then what
    every rule gives way by, which is nothing as long as the rule holds."""

    def __init__(self, case: SharesCase) -> None:
        super().__init__()
        self.case, self.n = case, case.blocks
        self.towers = [p for p, row in enumerate(case.pulps) if row.full_t > 0.0]
        self.count = 0
        s, t = len(case.shares), len(self.towers) * self.n
        self.share, self.more, self.less, self.below, self.above = (self._some(s) for _ in range(5))
        self.rate, self.faster, self.slower, self.level = (self._some(t) for _ in range(4))
        self.short, self.over, self.under, self.beyond = (self._some(t) for _ in range(4))
        self.left, self.room = self._some(len(self.towers)), self._some(len(self.towers))
        self.held_back, self.worse = self._some(len(case.runs)), self._some(len(case.runs))
        self.run_on = self._some(len(case.stops) * self.n)
        self._state()

    def _some(self, many: int) -> int:
        """Room for so many more variables; the place of the first."""
        first, self.count = self.count, self.count + many
        return first

    def at(self, first: int, tower: int, block: int) -> int:
        return first + tower * self.n + block

    def _state(self) -> None:
        """Every constraint."""
        case = self.case
        for i, row in enumerate(case.shares):
            own = {self.share + i: 1.0}
            usual, back = row.usual_pct / 100.0, self.held_back + int(row.run) - 1
            self.add({**own, self.more + i: -1.0, self.less + i: 1.0, back: usual}, usual, usual)
            low, high = row.low_pct / 100.0, row.high_pct / 100.0
            self.add({**own, self.below + i: 1.0, back: low}, low, math.inf)
            self.add({**own, self.above + i: -1.0, back: high}, -math.inf, high)
        for r in range(len(case.runs)):
            own = {self.share + i: 1.0 for i, row in enumerate(case.shares) if int(row.run) == r + 1}
            self.add({**own, self.held_back + r: 1.0}, 1.0, 1.0)
            for limit in (x for x in case.limits if x.card == case.runs[r].card):
                over = {self.share + i: limit.over[int(x.pulp) - 1] for i, x in enumerate(case.shares) if int(x.run) == r + 1}
                self.add({**over, self.worse + r: -1.0}, -math.inf, 0.0)
        for t, p in enumerate(self.towers):
            self._tower(t, p, case.pulps[p])

    def _tower(self, t: int, p: int, row: PulpRow) -> None:
        case, h = self.case, self.case.block_h
        own = [(self.share + i, case.runs[int(x.run) - 1]) for i, x in enumerate(case.shares) if int(x.pulp) == p + 1]
        stops = [(j, x) for j, x in enumerate(case.stops) if int(x.pulp) == p + 1]
        for k in range(self.n):
            rate, level = self.at(self.rate, t, k), self.at(self.level, t, k)
            less = sum(less_t_h(case, x, k) for _, x in stops)
            usual, most, least = (max(0.0, v - less) for v in (row.usual_t_h, row.most_t_h, row.least_t_h))
            on = {self.run_on + j * self.n + k: 1.0 for j, x in stops if less_t_h(case, x, k) > 0.0}
            self.add({rate: 1.0}, least, most)
            for j, x in stops:  # a stop gives way by no more than it takes
                self.add({self.run_on + j * self.n + k: 1.0}, 0.0, less_t_h(case, x, k))
            self.add({rate: 1.0, self.at(self.faster, t, k): -1.0, self.at(self.slower, t, k): 1.0}, usual, usual)
            began = {self.at(self.level, t, k - 1): -1.0} if k else {}
            terms = {level: 1.0, rate: -h, self.at(self.short, t, k): -1.0, self.at(self.over, t, k): 1.0, **began}
            terms |= {place: -h * v for place, v in on.items()}
            for place, run in own:
                if (drawn := drawn_t_h(case, run, k)) > 0.0:
                    terms[place] = h * drawn
            held = 0.0 if k else row.now_t
            self.add(terms, held, held)
            self.add({level: 1.0, self.room + t: -1.0}, -math.inf, row.full_t)
            self.add({level: 1.0, self.at(self.under, t, k): 1.0}, row.low_t, math.inf)
            self.add({level: 1.0, self.at(self.beyond, t, k): -1.0}, -math.inf, row.high_t)
        self.add({self.at(self.level, t, self.n - 1): 1.0, self.left + t: -1.0}, -math.inf, row.keep_t)

    def drawn_t(self, run: int) -> float:
        """What a run draws within the plan, t."""
        return self.case.block_h * sum(drawn_t_h(self.case, self.case.runs[run], k) for k in range(self.n))

    def prices(self) -> Vector:
        case, h, told = self.case, self.case.block_h, np.zeros(self.count)
        for i, row in enumerate(case.shares):
            drawn = self.drawn_t(int(row.run) - 1)
            told[self.more + i] = told[self.less + i] = 0.5 * MOVED * drawn + TINY
            told[self.more + i] += BOUGHT * drawn * case.pulps[int(row.pulp) - 1].bought
        many = len(self.towers) * self.n
        for first, price in ((self.short, SHORT), (self.over, OVER), (self.under, OUTSIDE * h), (self.beyond, OUTSIDE * h)):
            told[first : first + many] = price
        told[self.faster : self.faster + many] = told[self.slower : self.slower + many] = AWAY * h
        told[self.left : self.left + len(self.towers)] = LEFT
        return told

    def slacks(self, rule: tuple[str, int]) -> dict[int, float]:
        """What a rule gives way by: the places of its slacks, each with what one of it comes to in the rule's own measure."""
        kind, i = rule
        case = self.case
        if kind == FULL:
            return {self.room + i: 1.0}
        if kind == DRAW:
            return {self.held_back + i: 1.0}
        if kind == FURNISH:
            mine = [k for k, row in enumerate(case.shares) if int(row.run) == i + 1]
            return {**{self.below + k: 1.0 for k in mine}, **{self.above + k: 1.0 for k in mine}, self.worse + i: TINY}
        stop = case.stops[i]
        return {self.run_on + i * self.n + k: case.block_h / max(TINY, stop.less_t_h) for k in range(self.n)}

    def bounds(self, given: Collection[tuple[str, int]], hard: bool) -> Vector:
        """The greatest of each variable: nothing where a rule holds, and where the machine may be neither short nor a tower run
        over."""
        most = np.full(self.count, np.inf)
        for first, many in (
            (self.below, 2 * len(self.case.shares)),
            (self.room, len(self.towers)),
            (self.held_back, 2 * len(self.case.runs)),
            (self.run_on, len(self.case.stops) * self.n),
        ):
            most[first : first + many] = 0.0
        if hard:
            many = len(self.towers) * self.n
            most[self.short : self.short + many] = most[self.over : self.over + many] = 0.0
        for rule in given:
            for place in self.slacks(rule):
                most[place] = 1.0 if rule[0] == DRAW else math.inf
        return most

    def answered(self, prices: Vector, given: Collection[tuple[str, int]] = (), *, hard: bool = False) -> Vector | None:
        return self.solved(prices, 0, self.bounds(given, hard), gap=1e-9).x


def _whole(case: SharesCase) -> None:
    """Raises: ImpossibleInput for rows that name nothing, shares that cannot make 100 %, or a tower over its brim."""
    bad = [Problem(f"pulps.{p}.now_t", "is over what the tower holds") for p, x in enumerate(case.pulps) if x.now_t > x.full_t]
    bad += [Problem(f"pulps.{p}.least_t_h", "is over the most") for p, x in enumerate(case.pulps) if x.least_t_h > x.most_t_h]
    for i, row in enumerate(case.shares):
        if row.run > len(case.runs) or row.pulp > len(case.pulps):
            bad.append(Problem(f"shares.{i}.run", "names a run or a pulp that there is none of"))
    bad += [Problem(f"stops.{i}.pulp", "names no pulp") for i, x in enumerate(case.stops) if x.pulp > len(case.pulps)]
    pairs = [(x.run, x.pulp) for x in case.shares]
    bad += [Problem(f"shares.{i}.pulp", "stands twice") for i, pair in enumerate(pairs) if pair in pairs[:i]]
    for r, run in enumerate(case.runs):
        mine = [x for x in case.shares if int(x.run) == r + 1]
        if run.ends_h < run.begins_h:
            bad.append(Problem(f"runs.{r}.ends_h", "is before it begins"))
        if not sum(x.low_pct for x in mine) - TINY <= 100.0 <= sum(x.high_pct for x in mine) + TINY:
            bad.append(Problem(f"runs.{r}.name", "has shares whose bands cannot make 100 %"))
    if bad:
        raise ImpossibleInput(*bad)


def _levels(case: SharesCase, shares_pct: Sequence[float], rates: Sequence[Sequence[float]]) -> tuple[float, ...]:
    """What is short, runs over, is outside and is left over what is wanted, with these shares (%) and rates by tower."""
    short = over = outside = left = 0.0
    towers = [p for p, row in enumerate(case.pulps) if row.full_t > 0.0]
    for p, came in zip(towers, rates, strict=True):
        row, level = case.pulps[p], case.pulps[p].now_t
        own = [
            (v / 100.0, case.runs[int(x.run) - 1]) for v, x in zip(shares_pct, case.shares, strict=True) if int(x.pulp) == p + 1
        ]
        for k, rate in enumerate(came):
            level += case.block_h * (rate - sum(v * drawn_t_h(case, run, k) for v, run in own))
            short, level = short + max(0.0, -level), max(0.0, level)
            over, level = over + max(0.0, level - row.full_t), min(row.full_t, level)
            outside += case.block_h * (max(0.0, row.low_t - level) + max(0.0, level - row.high_t))
        left += max(0.0, level - row.keep_t)
    return short, over, outside, left


_CHECK: Final[dict[str, Any]] = {
    "block_h": 2,
    "hours": 10,
    "pulps": [
        {"now_t": 40, "full_t": 200, "usual_t_h": 4, "most_t_h": 4},
        {"now_t": 100, "full_t": 200, "usual_t_h": 6, "most_t_h": 6},
    ],
    "runs": [{"begins_h": 0, "ends_h": 10, "draw_t_h": 20}],
    "shares": [
        {"run": 1, "pulp": 1, "usual_pct": 50, "low_pct": 30, "high_pct": 60},
        {"run": 1, "pulp": 2, "usual_pct": 50, "low_pct": 40, "high_pct": 70},
    ],
}


@model(
    "schedule.furnish",
    title="Furnish of the coming orders, with what the lines give",
    source="shift practice: scheduling; linear program, HiGHS",
    holds_for="rates and draws even within a block; a tower with no way through it",
    equation="least of 1000 short + 100 over + 20 outside + what is left, bought and moved",
    basis="published",
    checks=(
        # 40 + 4 × 10 = 80 t of the first pulp for 200 t of furnish: a share of 40 % empties it to the last tonne
        Check(_CHECK, "moved_t", 20.0, 1e-6),
        Check(_CHECK, "short_t", 0.0, 1e-6),
        # with at least 45 % of it 90 t are asked for
        Check({**_CHECK, "shares": [{**_CHECK["shares"][0], "low_pct": 45}, _CHECK["shares"][1]]}, "short_t", 10.0, 1e-6),
        Check({**_CHECK, "stops": [{"pulp": 1, "from_h": 4, "to_h": 6, "less_t_h": 4}]}, "moved_t", 28.0, 1e-6),
    ),
)
def plan_furnish(case: SharesCase) -> SharesFound | Infeasible:
    """Shares (%) by row of `shares`, and mean rates (t/h) by tower and block. Raises: ImpossibleInput for rows that do not
    fit."""
    cautions = check(case)
    _whole(case)
    program = _Program(case)
    prices = program.prices()
    x = program.answered(prices)
    if x is None:
        return Infeasible(field="limits", reason="no furnish keeps every limit of a run within its bands", unit="")
    n, towers = program.n, len(program.towers)
    shares = tuple(float(100.0 * v) for v in x[program.share : program.share + len(case.shares)])
    rates = tuple(tuple(float(v) for v in x[program.rate + t * n : program.rate + (t + 1) * n]) for t in range(towers))
    short, over, outside, left = _levels(case, shares, rates)
    moved = sum(
        0.5 * abs(v - row.usual_pct) / 100.0 * program.drawn_t(int(row.run) - 1)
        for v, row in zip(shares, case.shares, strict=True)
    )
    return SharesFound(
        short_t=short,
        over_t=over,
        outside_th=outside,
        moved_t=moved,
        left_t=left,
        cost=float(prices @ x),
        shares_pct=shares,
        rates=rates,
        cautions=cautions,
    )


@dataclass(frozen=True, slots=True)
class Way:
    """A rule, by its kind and the number of its row, and what it gives way by: t of room, hours of a stop, the share of a draw,
    or of a furnish."""

    kind: str
    row: int
    value: float


def rules_of(case: SharesCase) -> tuple[tuple[str, int], ...]:
    """Every rule that could give way, those that people can change last at the end."""
    towers = sum(row.full_t > 0.0 for row in case.pulps)
    return (
        *((FULL, t) for t in range(towers)),
        *((FURNISH, r) for r in range(len(case.runs))),
        *((DRAW, r) for r in range(len(case.runs))),
        *((STOP, j) for j in range(len(case.stops))),
    )


def cannot_hold(case: SharesCase) -> tuple[tuple[str, int], ...]:
    """The smallest set of rules that cannot hold together, by dropping one after the other; empty where all hold."""
    program = _Program(case)
    none = np.zeros(program.count)
    if program.answered(none, hard=True) is not None:
        return ()
    dropped: list[tuple[str, int]] = []
    for rule in rules_of(case):
        if program.answered(none, [*dropped, rule], hard=True) is None:
            dropped.append(rule)
    return tuple(rule for rule in rules_of(case) if rule not in dropped)


def _gives(program: _Program, given: Sequence[tuple[str, int]], prices: Mapping[tuple[str, int], float]) -> tuple[Way, ...]:
    """What these rules give way by together, at the least of their prices; none where that is not enough."""
    told = np.zeros(program.count)
    for rule in given:
        for place, measure in program.slacks(rule).items():
            told[place] = prices[rule] * measure
    x = program.answered(told, given, hard=True)
    if x is None:
        return ()
    values = {rule: sum(x[p] * m for p, m in program.slacks(rule).items()) for rule in given}
    return tuple(Way(kind, row, float(v)) for (kind, row), v in values.items() if v > 1e-6)


def together(case: SharesCase) -> tuple[Way, ...]:
    """What rules give way by where all of them may, at the least weight: the elastic run."""
    program, rules = _Program(case), rules_of(case)
    prices = {}
    for kind, row in rules:
        hours = program.drawn_t(row) / max(TINY, case.runs[row].draw_t_h) if kind == DRAW else 1.0
        prices[kind, row] = WEIGHTS[kind] * max(TINY, hours)
    return _gives(program, rules, prices)


def alone(case: SharesCase, rules: Sequence[tuple[str, int]]) -> tuple[Way, ...]:
    """What each of these rules would have to give way by if only it did; left out where that is not enough."""
    program = _Program(case)
    told: list[Way] = []
    for rule in rules:
        told.extend(_gives(program, [rule], {rule: 1.0}))
    return tuple(told)


def without(case: SharesCase, way: Way) -> SharesCase:
    """The case with a rule changed by what it gives way by, so that a reader can work it out anew."""
    if way.kind == FULL:
        towers = [p for p, row in enumerate(case.pulps) if row.full_t > 0.0]
        own = towers[way.row]
        pulps = [replace(x, full_t=x.full_t + way.value) if p == own else x for p, x in enumerate(case.pulps)]
        return replace(case, pulps=tuple(pulps))
    if way.kind == DRAW:
        runs = [replace(x, draw_t_h=x.draw_t_h * (1.0 - way.value)) if r == way.row else x for r, x in enumerate(case.runs)]
        return replace(case, runs=tuple(runs))
    if way.kind == FURNISH:
        free = [replace(x, low_pct=0.0, high_pct=100.0) if int(x.run) == way.row + 1 else x for x in case.shares]
        runs = [replace(x, card=0.0) if r == way.row else x for r, x in enumerate(case.runs)]
        return replace(case, shares=tuple(free), runs=tuple(runs))
    return replace(case, stops=tuple(x for j, x in enumerate(case.stops) if j != way.row))
