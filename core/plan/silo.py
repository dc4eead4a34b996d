"""A silo through a stop of what fills it: its feed hour by hour, whether the stop fits, which rules cannot hold together.

Feeds are those that can be set; changing one is a move. Where no feed holds all, the smallest set of rules that cannot hold
together is found by leaving one out after the other, and each is told with how far it alone would have to give way. Source:
shift practice, sections 6 and 6.1.
"""

from collections.abc import Callable, Collection
from dataclasses import dataclass, replace
from typing import Final

import numpy as np

from core.errors import Caution, ImpossibleInput, Infeasible, Problem
from core.plan.program import Program
from core.quantity import check, figure, quantity, rows
from core.register import Check, model

SHORT_PRICE, MOVE_PRICE, AWAY_PRICE = 1000.0, 1.0, 0.01  # a t short, a move, a t/h away from the draw for an hour: defaults
LEAST, MOST, STOP, END, DRAW = RULES = ("least", "most", "stop", "end", "draw")
TESTED: Final = (LEAST, MOST, END, STOP, DRAW)  # the rules that people can change stay longest
WORDS: Final = {
    LEAST: "the least level",
    MOST: "the greatest level",
    STOP: "the stop of its feed",
    END: "the level at the end",
    DRAW: "the draw",
}
TINY: Final = 1e-7


@dataclass(frozen=True, slots=True, kw_only=True)
class Feed:
    """A feed that can be set."""

    t_h: float = quantity("Feed", "t/h or m³/h", possible=(0, 1e5), decimals=1)


@dataclass(frozen=True, slots=True, kw_only=True)
class SiloCase:
    now_t: float = quantity("Stands at", "t or m³", possible=(0, 1e6), decimals=0)
    least_t: float = quantity("Least", "t or m³", possible=(0, 1e6), decimals=0)
    most_t: float = quantity("Most", "t or m³", possible=(0, 1e6), above=True, decimals=0)
    draw_t_h: float = quantity("Draw", "t/h or m³/h", possible=(0, 1e5), decimals=1)
    feed_t_h: float = quantity("Fed now", "t/h or m³/h", possible=(0, 1e5), decimals=1, default=0.0)
    feeds: tuple[Feed, ...] = rows("Feed that can be set", Feed, least=1, most=8)
    hours: float = quantity("Hours ahead", "h", possible=(1, 168), whole=True, decimals=0, default=24)
    stop_h: float = quantity("Its feed stops in", "h", possible=(0, 168), whole=True, decimals=0, default=0)
    stop_for_h: float = quantity("for", "h", possible=(0, 168), whole=True, decimals=0, default=0)
    end_t: float = quantity("At the end at least", "t or m³", possible=(0, 1e6), decimals=0, default=0.0)

    def stops(self, hour: int) -> bool:
        return self.stop_h <= hour < self.stop_h + self.stop_for_h


@dataclass(frozen=True, slots=True, kw_only=True)
class SiloFound:
    moves: float = figure("Moves", "", decimals=0, equation="changes of the feed, those of the stop not counted")
    short_t: float = figure("Short", "t or m³", decimals=1, equation="draw that the silo could not give")
    away: float = figure("Away from the draw", "t or m³", decimals=0, equation="Σ |feed − draw| h outside the stop")
    end_t: float = figure("Level at the end", "t or m³", decimals=0, equation="now + Σ feed − Σ draw")
    cost: float = figure("Cost", "moves", decimals=2, equation="1000 short + moves + 0.01 away")
    feeds: tuple[float, ...]
    cautions: tuple[Caution, ...] = ()


def _whole(case: SiloCase) -> None:
    bad = []
    if case.least_t >= case.most_t:
        bad.append(Problem("least_t", f"is {case.least_t:g}; it must be under the most, {case.most_t:g}"))
    if not case.least_t <= case.now_t <= case.most_t:
        bad.append(Problem("now_t", f"is {case.now_t:g}; it must be {case.least_t:g} to {case.most_t:g}"))
    if bad:
        raise ImpossibleInput(*bad)


class _Feeds(Program):
    """The integer program of the feeds: which of them in each hour, where it is changed, what is short."""

    def __init__(self, case: SiloCase) -> None:
        super().__init__()
        self.case, self.hours = case, int(case.hours)
        self.set = [f.t_h for f in case.feeds]
        self.open = [h for h in range(self.hours) if not case.stops(h)]
        self.n = len(self.set)
        self.chosen = {h: k * self.n for k, h in enumerate(self.open)}  # where an hour's binaries begin
        self.moved = {h: len(self.open) * self.n + k for k, h in enumerate(self.open)}
        self.short = {h: len(self.open) * (self.n + 1) + h for h in range(self.hours)}
        self.size = len(self.open) * (self.n + 1) + self.hours

    def choices(self) -> np.ndarray | None:
        """The choices, or None where none holds."""
        case, price = self.case, np.zeros(self.size)
        flow: dict[int, float] = {}
        before: int | None = None
        for h in range(self.hours):
            if h in self.chosen:
                first = self.chosen[h]
                self.add({first + k: 1.0 for k in range(self.n)}, 1.0, 1.0)
                for k, t_h in enumerate(self.set):  # what was fed before, else it is a move
                    was = {before + k: -1.0} if before is not None else {}
                    had = 0.0 if before is not None else float(abs(t_h - case.feed_t_h) < TINY)
                    self.add({first + k: 1.0, self.moved[h]: -1.0, **was}, -np.inf, had)
                    price[first + k] = AWAY_PRICE * abs(t_h - case.draw_t_h)
                    flow[first + k] = t_h
                price[self.moved[h]] = MOVE_PRICE
                before = first
            flow[self.short[h]] = 1.0
            price[self.short[h]] = SHORT_PRICE
            level = case.now_t - case.draw_t_h * (h + 1)
            self.add(dict(flow), case.least_t - level, case.most_t - level)
        self.add(dict(flow), case.end_t - (case.now_t - case.draw_t_h * self.hours), np.inf)
        most = np.ones(self.size)
        most[len(self.open) * (self.n + 1) :] = case.draw_t_h
        return self.solved(price, len(self.open) * self.n, most, gap=1e-9).x


def can_hold(case: SiloCase, rules: Collection[str]) -> bool:
    """Whether any feed, up to the greatest that can be set, keeps these of the rules."""
    from scipy.optimize import linprog

    hours, most = int(case.hours), max(f.t_h for f in case.feeds)
    # feed of each hour, then draw of each hour
    upper = [0.0 if STOP in rules and case.stops(h) else most for h in range(hours)]
    draw = [(case.draw_t_h, case.draw_t_h) if DRAW in rules else (0.0, case.draw_t_h)] * hours
    falls = np.tril(np.ones((hours, hours)))
    level = np.hstack([falls, -falls])
    above: list[np.ndarray] = []
    limits: list[float] = []
    if MOST in rules:
        above += list(level)
        limits += [case.most_t - case.now_t] * hours
    if LEAST in rules:
        above += list(-level)
        limits += [case.now_t - case.least_t] * hours
    if END in rules:
        above.append(-level[-1])
        limits.append(case.now_t - case.end_t)
    found = linprog(
        np.zeros(2 * hours),
        A_ub=np.array(above) if above else None,
        b_ub=limits or None,
        bounds=[*((0.0, u) for u in upper), *draw],
    )
    return bool(found.status == 0)


def conflict(case: SiloCase) -> tuple[str, ...]:
    """The smallest set of rules that cannot hold together, found by leaving out one after the other; empty where all hold."""
    if can_hold(case, RULES):
        return ()
    kept = list(RULES)
    for rule in TESTED:
        without = [r for r in kept if r != rule]
        if not can_hold(case, without):
            kept = without
    return tuple(r for r in RULES if r in kept)


@dataclass(frozen=True, slots=True)
class Relief:
    """How far one rule alone would have to give way for all to hold: its figure as it is, and then."""

    rule: str
    now: float
    then: float
    words: str


def reliefs(case: SiloCase) -> tuple[Relief, ...]:
    """The cheapest relief of each rule of the conflict alone; a rule that cannot relieve it is left out."""
    told = []
    for rule in conflict(case):
        if rule == DRAW:
            then = _most(lambda x: can_hold(replace(case, draw_t_h=x), RULES), 0.0, case.draw_t_h)
            words = "draw {:.1f} an hour instead of {:.1f}"
            now = case.draw_t_h
        elif rule == STOP:
            whole = [h for h in range(int(case.stop_for_h)) if can_hold(replace(case, stop_for_h=float(h)), RULES)]
            then = float(max(whole)) if whole else None
            words, now = "stop for {:.0f} h instead of {:.0f} h", case.stop_for_h
        elif rule == END:
            then = _most(lambda x: can_hold(replace(case, end_t=x), RULES), 0.0, case.end_t)
            words, now = "end at {:.0f} instead of {:.0f}", case.end_t
        elif rule == LEAST:
            then = _most(lambda x: can_hold(replace(case, least_t=x), RULES), 0.0, case.least_t)
            words, now = "let it fall to {:.0f} instead of {:.0f}", case.least_t
        else:
            continue  # a vessel grows no larger
        if then is not None:
            told.append(Relief(rule, now, then, words.format(then, now)))
    return tuple(told)


def longest_stop(case: SiloCase) -> float | None:
    """The longest stop, in whole hours up to the hours ahead, with which all rules hold; None where they hold with none."""

    def holds(hours: int) -> bool:
        return can_hold(replace(case, stop_for_h=float(hours)), RULES)

    if not holds(0):
        return None
    low, high = 0, int(case.hours) - int(case.stop_h)
    while low < high:
        middle = (low + high + 1) // 2
        low, high = (middle, high) if holds(middle) else (low, middle - 1)
    return float(low)


def _most(holds: Callable[[float], bool], low: float, high: float) -> float | None:
    """The greatest value from low to high that holds, where lower ones do, to a thousandth; None where not even the lowest
    does."""
    if not holds(low):
        return None
    if holds(high):
        return high
    while high - low > 1e-3:
        middle = 0.5 * (low + high)
        low, high = (middle, high) if holds(middle) else (low, middle)
    return low


_FEEDS: Final = [{"t_h": 0}, {"t_h": 50}, {"t_h": 58}, {"t_h": 66}]
_STOP: Final = {
    "now_t": 300,
    "least_t": 120,
    "most_t": 500,
    "draw_t_h": 50,
    "feed_t_h": 50,
    "feeds": _FEEDS,
    "hours": 8,
    "stop_h": 4,
    "stop_for_h": 3,
    "end_t": 210,
}


@model(
    "schedule.silo",
    title="A silo through a stop of its feed",
    source="shift practice: scheduling; integer program, HiGHS",
    holds_for="feeds set by the hour, a steady draw; a whole plan in t or in m³",
    equation="least of 1000 short + moves + 0.01 |feed − draw| h",
    checks=(
        Check(_STOP, "cost", 1.64, 1e-9),
        Check(_STOP, "moves", 1.0),
        Check(_STOP, "end_t", 214.0, 1e-9),
    ),
)
def plan_silo(case: SiloCase) -> SiloFound | Infeasible:
    """Raises: ImpossibleInput for limits that cannot be."""
    cautions = check(case)
    _whole(case)
    program = _Feeds(case)
    found = program.choices()
    if found is None:
        rules = conflict(case)
        why = ", ".join(WORDS[r] for r in rules) or "the feeds that can be set"
        best = "; ".join(r.words for r in reliefs(case))
        return Infeasible(field="stop_for_h", reason=f"cannot hold together: {why}{f'. Any one of: {best}' if best else ''}")
    feeds = [0.0] * program.hours
    for h, first in program.chosen.items():
        feeds[h] = program.set[int(np.argmax(found[first : first + program.n]))]
    outside = [f for h, f in enumerate(feeds) if not case.stops(h)]
    moves = sum(a != b for a, b in zip([case.feed_t_h, *outside], outside, strict=False))
    short = float(sum(found[place] for place in program.short.values()))
    away = sum(abs(f - case.draw_t_h) for f in outside)
    return SiloFound(
        moves=float(moves),
        short_t=short,
        away=away,
        end_t=case.now_t + sum(feeds) - case.draw_t_h * program.hours + short,
        cost=SHORT_PRICE * short + MOVE_PRICE * moves + AWAY_PRICE * away,
        feeds=tuple(feeds),
        cautions=cautions,
    )
