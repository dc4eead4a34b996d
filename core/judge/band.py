"""A reading against its band: in, watch, act or contain, with the rule that fired.

Source: levels of shift practice (shift, laboratory and safety, sections 2 to 5); marks of the look, section 4.
"""

import math
from dataclasses import dataclass
from enum import StrEnum
from typing import Final

from core.document import Limit, item
from core.errors import ImpossibleInput, Problem

OUTER_TENTH: Final = 0.1


@dataclass(frozen=True, slots=True, kw_only=True)
class Band:
    """Inner (action) and outer (specification) limits; an open side is +-inf. `target` is the aim, if there is one."""

    low: float = item(Limit(label="Inner low", open_at=-math.inf), default=-math.inf)
    high: float = item(Limit(label="Inner high", open_at=math.inf), default=math.inf)
    outer_low: float = item(Limit(label="Outer low", open_at=-math.inf), default=-math.inf)
    outer_high: float = item(Limit(label="Outer high", open_at=math.inf), default=math.inf)
    target: float | None = item(Limit(label="Aim", open_at=None), default=None)

    def __post_init__(self) -> None:
        if not (self.outer_low <= self.low < self.high <= self.outer_high):
            text = f"is {self.low:g} to {self.high:g}; it must rise and lie within {self.outer_low:g} to {self.outer_high:g}"
            raise ImpossibleInput(Problem("band", text))
        if self.target is not None and not self.low <= self.target <= self.high:
            raise ImpossibleInput(Problem("target", f"is {self.target:g}; it must lie in {self.low:g} to {self.high:g}"))

    @property
    def aim(self) -> float:
        """The target, else the middle, else the one limit there is."""
        if self.target is not None:
            return self.target
        if math.isfinite(self.low) and math.isfinite(self.high):
            return 0.5 * (self.low + self.high)
        return self.low if math.isfinite(self.low) else self.high

    @property
    def half_width(self) -> float:
        """Distance from the aim to the nearer inner limit: below it no move is made."""
        return min(self.aim - self.low, self.high - self.aim)


class State(StrEnum):
    """How a reading stands; in this order of gravity."""

    IN = "in"
    WATCH = "watch"
    ACT = "act"
    CONTAIN = "contain"


GRAVITY: Final = {State.IN: 0, State.WATCH: 1, State.ACT: 2, State.CONTAIN: 3}


@dataclass(frozen=True, slots=True, kw_only=True)
class Judgement:
    """A state, its word, the side it lies on (-1 low, 0, +1 high), the rule that fired and the distance from the aim."""

    state: State
    word: str
    side: int
    rule: str
    error: float


def judge(value: float, band: Band, *, confirmed: bool) -> Judgement:
    """Judge the full value, never the rounded one.

    `confirmed`: a second sample agrees, or the reading needs no confirming (a level, a clock). Source: look, section 4.
    Worked: 33.1 in 28 to 32 (outer 26 to 34), confirmed: act, high.
    """
    if not math.isfinite(value):
        raise ImpossibleInput(Problem("value", "must be a finite number"))
    side = 1 if value > band.high else -1 if value < band.low else 0
    error = value - band.aim
    name = "high" if side > 0 else "low"
    if value > band.outer_high or value < band.outer_low:
        return Judgement(state=State.CONTAIN, word=name, side=side, rule="outside the outer band", error=error)
    if side:
        if confirmed:
            return Judgement(state=State.ACT, word=name, side=side, rule="outside the inner band, confirmed", error=error)
        return Judgement(
            state=State.WATCH, word=f"{name}, once", side=side, rule="outside the inner band, one sample", error=error
        )
    top = _margin(band, upper=True)
    if value > band.high - top:
        return Judgement(state=State.WATCH, word="near top", side=1, rule="outer tenth of the inner band", error=error)
    if value < band.low + _margin(band, upper=False):
        return Judgement(state=State.WATCH, word="near bottom", side=-1, rule="outer tenth of the inner band", error=error)
    return Judgement(state=State.IN, word="in band", side=0, rule="inside the inner band", error=error)


def _margin(band: Band, *, upper: bool) -> float:
    """The outer tenth; of a one-sided band, a tenth of the limit itself."""
    limit = band.high if upper else band.low
    if not math.isfinite(limit):
        return 0.0
    if math.isfinite(band.low) and math.isfinite(band.high):
        return OUTER_TENTH * (band.high - band.low)
    return OUTER_TENTH * abs(limit)
