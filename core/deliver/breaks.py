"""The machine through a break and through a change of grade: the broke that surges and where it goes, the paper off its grade.

While the sheet is broken at the wet end it goes to the couch pit and on to the broke tower; the furnish goes on being drawn
with its own share of broke. Mass balance of the tower; mixing of the chests before the headbox is first order.
Source: recovered to delivery, sections 8 to 10.
"""

import math
from dataclasses import dataclass
from typing import Final

from core.errors import Caution, ImpossibleInput, Problem, as_named
from core.quantity import check, figure, quantities, quantity
from core.register import Check, model
from core.stock.mixing import WashoutCase, washout


@dataclass(frozen=True, slots=True, kw_only=True)
class BreakCase:
    web_t_h: float = quantity("Web at the wet end", "t/h OD", possible=(0, 500), above=True, decimals=1)
    minutes: float = quantity("Break", "min", possible=(0, 6000), decimals=0)
    made_t_h: float = quantity("Broke otherwise", "t/h OD", possible=(0, 200), decimals=2, help="trim, winder, store")
    draw_t_h: float = quantity("Furnish", "t/h OD", possible=(0, 500), above=True, decimals=1)
    share_pct: float = quantity("Broke in the furnish", "%", possible=(0, 100), decimals=1)
    most_pct: float = quantity("at most, by its card", "%", possible=(0, 100), decimals=1, default=10.0)
    content_t: float = quantity("In the broke tower", "t OD", possible=(0, 100_000), decimals=1)
    full_t: float = quantity("It holds", "t OD", possible=(0, 100_000), above=True, decimals=1)
    high_pct: float = quantity("at most", "%", possible=(0, 100), decimals=0, default=95.0)
    back_h: float = quantity("Back at its level within", "h", possible=(0.5, 240), decimals=0, default=8.0)


@dataclass(frozen=True, slots=True, kw_only=True)
class BreakFound:
    comes_t: float = figure("Broke that the break makes", "t OD", decimals=1, equation="web × minutes/60")
    level_pct: float = figure("Broke tower then", "%", decimals=0, equation="(content + comes + made − taken)/full")
    full_min: float = figure("It is full after", "min", decimals=0, equation="(high − content)/(web + made − taken)")
    over_t: float = figure("More than it holds", "t OD", decimals=1, equation="what comes after it is full")
    share_pct: float = figure("Broke share that brings it back", "%", decimals=1, equation="(made + rise/hours)/furnish")
    hours: float = figure("Hours at the card’s share", "h", decimals=1, equation="rise/(share × furnish − made)")
    fresh_t: float = figure("Fresh pulp that it saves later", "t OD", decimals=1, equation="the rise, once it is worked off")
    cautions: tuple[Caution, ...] = ()


_BREAK: Final = {
    "web_t_h": 16.0,
    "minutes": 30,
    "made_t_h": 0.9,
    "draw_t_h": 16.0,
    "share_pct": 7,
    "content_t": 12,
    "full_t": 24,
}


@model(
    "deliver.break",
    title="A break, and its broke",
    source="mass balance of the broke tower",
    holds_for="the wet end runs on and the sheet goes to the couch pit; with the stock shut off nothing comes",
    equation="level = content + (web + made − share × furnish) × time",
    basis="published",
    checks=(
        Check(_BREAK, "comes_t", 8.0, 1e-9),
        Check(_BREAK, "level_pct", 100 * (12 + 0.5 * (16 + 0.9 - 1.12)) / 24, 1e-9),
        Check(_BREAK, "full_min", 60 * (22.8 - 12) / (16.9 - 1.12), 1e-9),
        Check(_BREAK, "share_pct", 100 * (0.9 + 0.5 * 15.78 / 8) / 16, 1e-9),
        Check(_BREAK, "hours", 0.5 * 15.78 / (1.6 - 0.9), 1e-9),
        Check({**_BREAK, "content_t": 20}, "over_t", 20 + 0.5 * 15.78 - 22.8, 1e-9),
    ),
)
def broken(case: BreakCase) -> BreakFound:
    """What a break does to the broke tower, and how it is worked off. Raises: ImpossibleInput."""
    cautions = check(case)
    if case.content_t > case.full_t:
        raise ImpossibleInput(Problem("content_t", f"is {case.content_t:g} t; the tower holds {case.full_t:g}"))
    hours, taken = case.minutes / 60.0, case.share_pct / 100.0 * case.draw_t_h
    net = case.web_t_h + case.made_t_h - taken
    high = case.full_t * case.high_pct / 100.0
    then = case.content_t + net * hours
    over = max(0.0, then - max(high, case.content_t))
    rise = min(then, max(high, case.content_t)) - case.content_t
    needed = (case.made_t_h + max(0.0, rise) / case.back_h) / case.draw_t_h
    spare = case.most_pct / 100.0 * case.draw_t_h - case.made_t_h
    work_h = max(0.0, rise) / spare if spare > 1e-9 else math.inf
    if over > 0.0:
        cautions += (Caution("minutes", f"makes {over:.1f} t more than the tower holds: store by shade, or shut stock off"),)
    if 100.0 * needed > case.most_pct:
        told = f"would have to be {100 * needed:.1f} % to bring it back, over the card’s {case.most_pct:g}"
        cautions += (Caution("share_pct", told),)
    return BreakFound(
        comes_t=case.web_t_h * hours,
        level_pct=100.0 * (case.content_t + rise) / case.full_t,
        full_min=60.0 * max(0.0, high - case.content_t) / net if net > 1e-9 else math.inf,
        over_t=over,
        share_pct=100.0 * needed,
        hours=work_h,
        fresh_t=max(0.0, rise) if math.isfinite(work_h) else 0.0,
        cautions=cautions,
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class ChangeCase:
    """A change of grade: the chests before the headbox, and how much of the step in shade or furnish the new grade bears."""

    before_t_h: float = quantity("Draw before", "t/h OD", possible=(0, 500), above=True, decimals=1)
    after_t_h: float = quantity("Draw after", "t/h OD", possible=(0, 500), above=True, decimals=1)
    chest_t: float = quantity("In the chests before the headbox", "t OD", possible=(0, 10_000), above=True, decimals=1)
    tanks: int = quantity("Chests in a row", "", possible=(1, 6), whole=True, decimals=0, default=2)
    step: float = quantity("Step in absorption", "m²/kg", possible=(0, 500), above=True, decimals=3)
    tolerance: float = quantity("of it borne", "m²/kg", possible=(0, 500), above=True, decimals=3)
    drained_pct: float = quantity(
        "Drained first to", "%", possible=(1, 100), decimals=0, default=100.0, help="100: not drained"
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class ChangeFound:
    minutes: float = figure("Through in", "min", decimals=0, equation="n chests: e^(−z) Σ z^k/k! = tolerance/step")
    off_t: float = figure("Paper off its grade", "t OD", decimals=1, equation="minutes × draw after")
    drain_min: float = figure("Draining takes", "min", decimals=0, equation="chest × (1 − drained)/draw before")
    draw_change_pct: float = figure("Draw changes by", "%", decimals=1, equation="after/before − 1")
    cautions: tuple[Caution, ...] = ()


_STEP: Final = {"before_t_h": 16.5, "after_t_h": 16.5, "chest_t": 8.25, "tanks": 1, "step": 1.0, "tolerance": 0.02}


@model(
    "deliver.change",
    title="A change of grade through the chests",
    source="chests mixed in a row; absorption adds",
    holds_for="scattering alike in both; light to dark first, one wash from dark to light",
    equation="t = τ ln(step/tolerance) for one chest; n chests by their sum",
    basis="published",
    checks=(
        Check(_STEP, "minutes", 117.36, 5e-4),
        Check({**_STEP, "tanks": 2}, "minutes", 87.51, 5e-4),
        Check(_STEP, "off_t", 117.36 / 60 * 16.5, 5e-4),
        Check({**_STEP, "drained_pct": 20}, "minutes", 30 * math.log(0.2 / 0.02), 1e-6),
        Check({**_STEP, "drained_pct": 20}, "drain_min", 60 * 0.8 * 8.25 / 16.5, 1e-9),
    ),
)
def changed(case: ChangeCase) -> ChangeFound:
    """How long a new grade takes to come through, and what it costs in paper. Raises: ImpossibleInput."""
    cautions = check(case)
    left = case.drained_pct / 100.0
    rest = case.tolerance / (case.step * left)
    tau = 60.0 * case.chest_t / case.tanks / case.after_t_h
    minutes = 0.0
    if 100.0 * rest <= quantities(WashoutCase)["rest_pct"].possible[1]:  # else the step is borne as it is, or all but so
        with as_named(lambda field: {"tau_min": "after_t_h", "rest_pct": "tolerance"}.get(field, field)):
            minutes = washout(WashoutCase(tau_min=tau, rest_pct=100.0 * rest, tanks=case.tanks)).minutes
    return ChangeFound(
        minutes=minutes,
        off_t=minutes / 60.0 * case.after_t_h,
        drain_min=60.0 * case.chest_t * (1.0 - left) / case.before_t_h,
        draw_change_pct=100.0 * (case.after_t_h / case.before_t_h - 1.0),
        cautions=cautions,
    )
