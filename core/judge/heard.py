"""What a chart of a test is usually made of, and what counts as an alarm on it.

Source: shift practice, section 3.1, default charts: one value a cook is charted singly with its smoothed mean; a meter is
watched by what it is off its laboratory; wear is a ramp that the smoothed mean sees; counts scatter as their square roots do;
losses are summed. Every rule that is on is a false alarm more: few are on, and what is off is still told in grey.
"""

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Final

from core.errors import ImpossibleInput, Problem
from core.judge.chart import ON, Signal

SWITCHED: Final = ("WE1", "WE2", "WE3", "WE4")  # the other rules are never an alarm
EACH, GROUPS, APART = "each", "groups", "differences"
BOTH, UP, DOWN = 0, 1, -1
COUNTS: Final = ("dirt", "stickies")
LOSSES: Final = ("soda_loss", "unusable")
PAIRS, TRIPLES = 2, 3


@dataclass(frozen=True, slots=True, kw_only=True)
class Heard:
    """What is an alarm: run rules, the smoothed mean, the cumulative sums; on the side that hurts, or on both (0)."""

    rules: tuple[str, ...] = ON
    smooth: bool = True
    sums: bool = True
    side: int = BOTH

    def __post_init__(self) -> None:
        """Raises: ImpossibleInput for a rule that is never an alarm, or no alarm at all."""
        if other := [r for r in self.rules if r not in SWITCHED]:
            raise ImpossibleInput(Problem("rules", f"“{other[0]}” is never an alarm; there are {', '.join(SWITCHED)}"))
        if not (self.rules or self.smooth or self.sums):
            raise ImpossibleInput(Problem("rules", "are all off; leave one on, or the chart says nothing"))

    def hears(self, side: int) -> bool:
        """Whether a signal to this side counts."""
        return self.side in (BOTH, side)

    def alarms(self, signals: Sequence[Signal]) -> tuple[Signal, ...]:
        """Those of the signals that are an alarm."""
        return tuple(s for s in signals if s.rule in self.rules and self.hears(s.side))


@dataclass(frozen=True, slots=True, kw_only=True)
class Usual:
    """How a test is usually charted: singly, in groups of `n`, or a meter's differences; of counts the square `root`."""

    of: str
    n: int
    root: bool
    heard: Heard


def side_of(low: float, high: float) -> int:
    """The side that hurts, where what is wanted has one limit alone; else both."""
    return BOTH if math.isfinite(low) == math.isfinite(high) else UP if math.isfinite(high) else DOWN


def usual(test: str, low: float, high: float, *, metered: bool, of: str = "") -> Usual:
    """The usual chart of a test whose inner band is `low` to `high` (an open side infinite); `of` asks for one of its kinds."""
    kind = of or (APART if metered and test == "consistency" else GROUPS if test == "consistency" else EACH)
    n = PAIRS if test == "consistency" else TRIPLES
    if kind == APART:
        return Usual(of=kind, n=n, root=False, heard=Heard(rules=("WE1",), smooth=False))
    side = side_of(low, high)
    if test in LOSSES:
        heard = Heard(rules=("WE1",), smooth=False, side=side)
    elif kind == GROUPS:
        heard = Heard(smooth=False, sums=False, side=side)
    else:
        heard = Heard(sums=False, side=side)
    return Usual(of=kind, n=n, root=test in COUNTS, heard=heard)
