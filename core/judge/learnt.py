"""What moves taken here have taught: how much of what was foreseen came, and the gain that they tell.

Least squares through the origin over moves that were taken and read again; a gain is offered only where it differs from what
was foreseen by more than two of its own errors. Source: shift practice, section 4.
"""

import math
from dataclasses import dataclass
from typing import Final

from core.errors import Caution, ImpossibleInput, Problem
from core.quantity import check, figure, quantity, rows
from core.register import Check, model

LEAST_OFFERED: Final = 6
SURE: Final = 2.0


@dataclass(frozen=True, slots=True, kw_only=True)
class Taken:
    """One move that was taken: its step, what the reading was foreseen to change by, and what it did."""

    step: float = quantity("Step of the lever", "", possible=(-1e6, 1e6), decimals=2)
    foreseen: float = quantity("Reading foreseen to move by", "", possible=(-1e6, 1e6), decimals=3)
    came: float = quantity("It moved by", "", possible=(-1e6, 1e6), decimals=3)


@dataclass(frozen=True, slots=True, kw_only=True)
class LearntCase:
    moves: tuple[Taken, ...] = rows("Move", Taken, least=2, most=200)


@dataclass(frozen=True, slots=True, kw_only=True)
class Learnt:
    share: float = figure("Of what was foreseen, came", "", decimals=2, equation="Σ f d/Σ f²")
    share_sd: float = figure("sure within (sd)", "", decimals=2, equation="s/√Σ f²")
    gain: float = figure("Reading a unit of the lever", "", decimals=4, equation="Σ step d/Σ step²")
    gain_sd: float = figure("sure within (sd)", "", decimals=4)
    offered: float = figure(
        "Gain is offered", "", decimals=0, equation="1: six moves or more, and off by over two of its errors"
    )
    cautions: tuple[Caution, ...] = ()


_MOVES = [
    {"step": 100, "foreseen": -2.0, "came": -1.6},
    {"step": 50, "foreseen": -1.0, "came": -0.9},
    {"step": 150, "foreseen": -3.0, "came": -2.3},
]


@model(
    "moves.learnt",
    title="What moves taken here have taught",
    source="least squares through the origin",
    holds_for="moves of one row at one place; what else changed meanwhile is in the scatter",
    equation="share = Σ f d/Σ f², f foreseen, d came",
    checks=(
        Check({"moves": _MOVES}, "share", 11.0 / 14.0, 1e-9),
        Check({"moves": _MOVES}, "gain", -0.01571429, 1e-6),
        Check({"moves": _MOVES * 3}, "offered", 1.0, 1e-9),
        Check({"moves": _MOVES}, "offered", 0.0, 1e-9),
    ),
)
def learnt(case: LearntCase) -> Learnt:
    """Raises: ImpossibleInput, also for moves that moved nothing."""
    cautions = check(case)
    f = [m.foreseen for m in case.moves]
    d = [m.came for m in case.moves]
    s = [m.step for m in case.moves]
    ff, ss = sum(x * x for x in f), sum(x * x for x in s)
    if ff <= 0.0 or ss <= 0.0:
        raise ImpossibleInput(Problem("moves", "moved nothing, or nothing was foreseen of them"))
    share, share_sd = _through_origin(f, d, ff)
    gain, gain_sd = _through_origin(s, d, ss)
    offered = len(d) >= LEAST_OFFERED and abs(share - 1.0) > SURE * share_sd
    if len(d) < LEAST_OFFERED:
        cautions += (Caution("moves", f"are {len(d)}; six are needed before a gain is offered"),)
    return Learnt(share=share, share_sd=share_sd, gain=gain, gain_sd=gain_sd, offered=float(offered), cautions=cautions)


def _through_origin(x: list[float], y: list[float], xx: float) -> tuple[float, float]:
    slope = sum(a * b for a, b in zip(x, y, strict=True)) / xx
    rest = sum((b - slope * a) ** 2 for a, b in zip(x, y, strict=True))
    return slope, math.sqrt(rest / (len(x) - 1) / xx)
