"""Batch digesters on a grid of slots: which cook begins when, so that the pulp behind the blow tank never runs short.

One digester is filled at a time, one heated at a time, a digester cooks one batch at a time, and the blow tank stays under its
brim after every blow; in a slot the draw comes first, then the blow. Solved as an integer program. Source: shift practice,
sections 6 and 6.1.
"""

import math
from dataclasses import dataclass
from typing import Final

import numpy as np

from core.errors import Caution, ImpossibleInput, Infeasible, Problem
from core.plan.program import Program
from core.quantity import check, figure, quantity
from core.register import Check, model
from core.stream import Vector

SHORT_PRICE: Final = 10.0  # slots that a tonne short is worth, default
EARLY: Final = 1e-4  # of equal plans the earliest starts
SEARCHED_S: Final = 5.0  # s, at most, unless another time is given
SPARE: Final = 12  # slots over the least that the cooks can take


@dataclass(frozen=True, slots=True, kw_only=True)
class HousePlanCase:
    cooks: float = quantity("Cooks", "", possible=(1, 12), whole=True, decimals=0)
    digesters: float = quantity("Digesters", "", possible=(1, 6), whole=True, decimals=0, default=2)
    fill: float = quantity("Filling", "slots", possible=(1, 10), whole=True, decimals=0, default=2)
    heat: float = quantity("Heating", "slots", possible=(1, 12), whole=True, decimals=0, default=3)
    hold: float = quantity("At temperature", "slots", possible=(0, 12), whole=True, decimals=0, default=3)
    blow: float = quantity("Blow", "slots", possible=(1, 6), whole=True, decimals=0, default=1)
    tank_t: float = quantity("Blow tank holds", "t OD", possible=(0, 1e5), above=True, decimals=0, default=1e5)
    now_t: float = quantity("stands in it", "t OD", possible=(0, 1e5), decimals=1, default=0.0)
    cook_t: float = quantity("A cook gives", "t OD", possible=(0, 1e4), decimals=1, default=14.0)
    draw_t: float = quantity("is drawn", "t OD a slot", possible=(0, 1e4), decimals=2, default=0.0)
    short_price: float = quantity("A tonne short is worth", "slots", possible=(0, 1e4), decimals=0, default=SHORT_PRICE)

    @property
    def cycle(self) -> int:
        return self.before + int(self.blow)

    @property
    def before(self) -> int:
        """Slots from a cook's start to its blow."""
        return int(self.fill + self.heat + self.hold)

    @property
    def apart(self) -> int:
        """Slots between two starts, at least."""
        return int(max(self.fill, self.heat))


@dataclass(frozen=True, slots=True, kw_only=True)
class HousePlanFound:
    slots: float = figure("Slots to the last blow’s end", "", decimals=0, equation="last start + cycle")
    short_t: float = figure("Short", "t OD", decimals=1, equation="asked − drawn, to the last blow")
    cost: float = figure("Cost", "slots", decimals=1, equation="slots + price × t short")
    starts: tuple[int, ...]
    cautions: tuple[Caution, ...] = ()


def _earliest(case: HousePlanCase) -> list[int]:
    """The first slot in which each cook can begin, for its digester, those before it and the room in the tank."""
    told = []
    for cook in range(int(case.cooks)):
        turn, place = divmod(cook, int(case.digesters))
        first = max(cook * case.apart, turn * case.cycle + place * case.apart)
        over = case.now_t + (cook + 1) * case.cook_t - case.tank_t
        if over > 0.0 and case.draw_t > 0.0:  # drawn in every slot to that of the blow
            first = max(first, math.ceil(over / case.draw_t - 1e-9) - case.before - 1)
        told.append(first)
    return told


class _Program(Program):
    """The integer program: where a cook begins by slot (1 or 0), whether one begins there or later, what is drawn and short.

    Cooks are alike and alternate, so which cook begins is not asked: each digester cooks one batch at a time where of any
    cycle's length no more begin than there are digesters.
    """

    def __init__(self, case: HousePlanCase, slots: int) -> None:
        super().__init__()
        self.case, self.slots = case, slots
        self.starts = slots - case.cycle + 1  # a cook may begin in so many slots
        self.size = 2 * self.starts + 2 * slots

    def on(self, slot: int) -> int:
        """Whether a cook begins in this slot or later."""
        return self.starts + slot

    def drawn(self, slot: int) -> int:
        return 2 * self.starts + slot

    def short(self, slot: int) -> int:
        return 2 * self.starts + self.slots + slot

    def state(self) -> None:
        """Every constraint."""
        c = self.case
        self.add(dict.fromkeys(range(self.starts), 1.0), c.cooks, c.cooks)
        for slot in range(self.starts):
            for lasts, many in ((c.apart, 1.0), (c.cycle, c.digesters), (self.starts, c.cooks)):
                begun = dict.fromkeys(range(slot, min(self.starts, slot + lasts)), 1.0)
                self.add(begun | {self.on(slot): -many}, -math.inf, 0.0)
            if slot:
                self.add({self.on(slot - 1): 1.0, self.on(slot): -1.0}, 0.0, math.inf)
        earliest = _earliest(c)
        for slot in range(self.starts):
            self.add(dict.fromkeys(range(slot + 1), 1.0), 0.0, float(sum(first <= slot for first in earliest)))
            if slot <= earliest[-1]:
                self.add({self.on(slot): 1.0}, 1.0, 1.0)
        before = c.before
        blown: dict[int, float] = {}
        taken: dict[int, float] = {}
        for slot in range(self.slots):  # drawn until the last blow, then the blow
            from_ = max(0, slot - before)
            goes_on = {self.on(from_): -c.draw_t} if from_ < self.starts else {}
            self.add({self.drawn(slot): 1.0, self.short(slot): 1.0, **goes_on}, 0.0, 0.0)
            taken[self.drawn(slot)] = -1.0
            self.add({**blown, **taken}, -c.now_t, math.inf)
            if 0 <= slot - before < self.starts:
                blown[slot - before] = c.cook_t
            self.add({**blown, **taken}, -math.inf, c.tank_t - c.now_t)

    def prices(self) -> Vector:
        """Of a slot each in which a cook begins or is still to begin, and of what is short."""
        told = np.zeros(self.size)
        told[: self.starts] = EARLY * np.arange(self.starts) / max(1, self.slots)
        told[self.on(0) : self.on(self.starts)] = 1.0
        told[self.short(0) :] = self.case.short_price
        return told


def _tank(case: HousePlanCase, starts: tuple[int, ...]) -> tuple[float, bool]:
    """What is short to the last blow, t, and whether the blow tank stays under its brim."""
    blows = [s + case.before for s in starts]
    level, short, under = case.now_t, 0.0, True
    for slot in range(max(blows) + 1):
        drawn = min(case.draw_t, level)
        short += case.draw_t - drawn
        level += case.cook_t * blows.count(slot) - drawn
        under &= level <= case.tank_t + 1e-9
    return short, under


def _one_after_the_other(case: HousePlanCase, most: int) -> tuple[int, ...] | None:
    """Each cook as soon as it can be behind those before: a plan to begin from; None where a cook waits too long."""
    told: list[int] = []
    for cook in range(int(case.cooks)):
        slot = told[-1] + case.apart if told else 0
        if cook >= case.digesters:
            slot = max(slot, told[cook - int(case.digesters)] + case.cycle)
        while slot <= most and not _tank(case, (*told, slot))[1]:
            slot += 1
        if slot > most:
            return None
        told.append(slot)
    return tuple(told)


def _solved(case: HousePlanCase, slots: int, seconds: float) -> tuple[tuple[int, ...], bool] | None:
    """The best starts that were found, and whether none can be better; None where none was found."""
    program = _Program(case, slots)
    program.state()
    most = np.full(program.size, np.inf)
    most[: 2 * program.starts] = 1.0
    found = program.solved(program.prices(), program.starts, most, gap=1e-6, seconds=seconds)
    if found.x is None:
        return None
    told = np.flatnonzero(found.x[: program.starts] > 0.5).tolist()
    return tuple(told), found.proven


@model(
    "schedule.digesters",
    title="Cooks of batch digesters on a grid",
    source="shift practice: scheduling; integer program, HiGHS",
    holds_for="like cooks that alternate between the digesters; slots of one length",
    equation="least of slots + price × t short",
    basis="published",
    checks=(
        Check({"cooks": 2}, "slots", 12.0),
        Check({"cooks": 3}, "slots", 18.0),
        Check({"cooks": 4}, "slots", 21.0),
        Check({"cooks": 4, "tank_t": 30, "now_t": 10, "draw_t": 2}, "cost", 102.0, 1e-6),
        Check({"cooks": 4, "tank_t": 30, "now_t": 10, "draw_t": 2}, "short_t", 8.0, 1e-6),
        Check({"cooks": 5, "tank_t": 40, "now_t": 12, "draw_t": 1.4}, "cost", 37.0, 1e-6),
        Check({"cooks": 5, "tank_t": 40, "now_t": 12, "draw_t": 1.4}, "short_t", 0.6, 1e-6),
    ),
)
def plan_digesters(case: HousePlanCase, seconds: float = SEARCHED_S) -> HousePlanFound | Infeasible:
    """Raises: ImpossibleInput for more in the tank than it holds."""
    cautions = check(case)
    if case.now_t > case.tank_t:
        raise ImpossibleInput(Problem("now_t", f"is {case.now_t:g} t, over the {case.tank_t:g} t that the tank holds"))
    turns = math.ceil(case.cooks / case.digesters)
    least = turns * case.cycle + int(case.cooks) * case.apart
    waits = math.ceil(case.cook_t / case.draw_t) if case.draw_t > 0.0 else 0
    slots = least + SPARE + int(case.cooks) * waits
    first = _one_after_the_other(case, slots)
    if first is not None:  # no plan that takes longer than this one costs can be better
        cost = max(first) + case.cycle + case.short_price * _tank(case, first)[0]
        slots = min(slots, math.floor(cost))
    found = _solved(case, slots, seconds) or (None if first is None else (first, False))
    if found is None:
        held = f"{case.now_t:g} t and a cook of {case.cook_t:g} t, drawn {case.draw_t:g} t a slot"
        return Infeasible(field="tank_t", reason=f"holds {case.tank_t:g} t: too little for {held}", unit="t OD")
    starts, proven = found
    short = _tank(case, starts)[0]
    if not proven:
        cautions += (Caution("cooks", f"were searched for {seconds:.0f} s: a better plan may exist"),)
    slots = max(starts) + case.cycle
    return HousePlanFound(
        slots=float(slots), short_t=short, cost=slots + case.short_price * short, starts=starts, cautions=cautions
    )
