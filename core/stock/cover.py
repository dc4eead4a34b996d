"""Hours to empty and to full: at rates as they stand, and through a schedule.

Any content that adds up will do (m3, or oven-dry t): all quantities of one question share the unit, rates are per hour.
"""

import math
from dataclasses import dataclass
from typing import Literal

from core.errors import Caution, ImpossibleInput, Problem
from core.quantity import check, figure, quantity, rows
from core.register import Check, model

USABLE_LOW_PCT, USABLE_HIGH_PCT = 10.0, 95.0  # default
Way = Literal["empty", "full", "steady"]
STEADY_T_H = 1e-9


@dataclass(frozen=True, slots=True, kw_only=True)
class CoverCase:
    capacity: float = quantity("Capacity", "m³ or t", possible=(0, 100_000), above=True, decimals=0)
    level_pct: float = quantity("Level", "%", possible=(0, 100), decimals=1)
    rate_in: float = quantity("In", "m³/h or t/h", possible=(0, 10_000), decimals=1)
    rate_out: float = quantity("Out", "m³/h or t/h", possible=(0, 10_000), decimals=1)
    low_pct: float = quantity("Lowest usable", "%", possible=(0, 100), decimals=0, default=USABLE_LOW_PCT)
    high_pct: float = quantity("Highest usable", "%", possible=(0, 100), decimals=0, default=USABLE_HIGH_PCT)
    lead_h: float = quantity("Lead of the action", "h", possible=(0, 48), decimals=2, default=0.5)


@dataclass(frozen=True, slots=True, kw_only=True)
class Cover:
    """Hours are math.inf for never. `way` says which limit the level runs to."""

    content: float = figure("Content", "m³ or t", decimals=1, equation="capacity × level")
    net: float = figure("Net", "m³/h or t/h", decimals=1, equation="in − out")
    to_low_h: float = figure("To the low limit", "h", decimals=2, equation="(content − low)/(out − in)")
    to_high_h: float = figure("To the high limit", "h", decimals=2, equation="(high − content)/(in − out)")
    act_by_h: float = figure("Act within", "h", decimals=2, equation="first limit − lead, not under 0")
    stop_ridden_h: float = figure("Longest stop of the inflow", "h", decimals=2, equation="(content − low)/out")
    turnover_h: float = figure("Turned over in", "h", decimals=2, equation="content / out")
    way: Way = "steady"
    cautions: tuple[Caution, ...] = ()

    @property
    def hours(self) -> float:
        return min(self.to_low_h, self.to_high_h)


@model(
    "stock.cover",
    title="Hours of cover",
    source="mass balance of a vessel",
    holds_for="rates as they stand; usable 10 to 95 % by default",
    equation="t low = (V − V low)/(out − in); t high = (V high − V)/(in − out)",
    checks=(Check({"capacity": 250, "level_pct": 60, "rate_in": 120, "rate_out": 150}, "to_low_h", 4.16667, 0.0001),),
)
def cover(case: CoverCase) -> Cover:
    """Hours until the usable limits at constant rates; past a limit already is 0 h.

    Raises: ImpossibleInput, also when low is not under high. Worked: 250 m3 usable 10-95 %, 60 %, in 120, out 150: 4.1667 h.
    """
    cautions = check(case)
    if case.low_pct >= case.high_pct:
        raise ImpossibleInput(
            Problem("low_pct", f"is {case.low_pct:g} %; it must be under the high limit, {case.high_pct:g} %")
        )
    content = case.capacity * case.level_pct / 100.0
    low, high = case.capacity * case.low_pct / 100.0, case.capacity * case.high_pct / 100.0
    net = case.rate_in - case.rate_out
    to_low = max(0.0, content - low) / -net if net < -STEADY_T_H else math.inf
    to_high = max(0.0, high - content) / net if net > STEADY_T_H else math.inf
    hours = min(to_low, to_high)
    return Cover(
        content=content,
        net=net,
        to_low_h=to_low,
        to_high_h=to_high,
        act_by_h=max(0.0, hours - case.lead_h),
        stop_ridden_h=max(0.0, content - low) / case.rate_out if case.rate_out > 0 else math.inf,
        turnover_h=content / case.rate_out if case.rate_out > 0 else math.inf,
        way="steady" if math.isinf(hours) else ("empty" if net < 0 else "full"),
        cautions=cautions,
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class CoverStopCase:
    """A vessel with one stop, or hours at other rates, ahead of it or under way (`starts_h` 0), and another order after
    that."""

    capacity: float = quantity("Capacity", "m³ or t", possible=(0, 100_000), above=True, decimals=0)
    level_pct: float = quantity("Level", "%", possible=(0, 100), decimals=1)
    rate_in: float = quantity("In", "m³/h or t/h", possible=(0, 10_000), decimals=1)
    rate_out: float = quantity("Out", "m³/h or t/h", possible=(0, 10_000), decimals=1)
    starts_h: float = quantity("Stop or slow run begins in", "h", possible=(0, 1000), decimals=2)
    lasts_h: float = quantity("It lasts", "h", possible=(0, 1000), decimals=2)
    in_then: float = quantity("In, meanwhile", "m³/h or t/h", possible=(0, 10_000), decimals=1)
    out_then: float = quantity("Out, meanwhile", "m³/h or t/h", possible=(0, 10_000), decimals=1)
    next_h: float = quantity("Next order begins in (1000: none)", "h", possible=(0, 1000), decimals=2, default=1000.0)
    next_in: float = quantity("In, with the next order", "m³/h or t/h", possible=(0, 10_000), decimals=1, default=0.0)
    next_out: float = quantity("Out, with the next order", "m³/h or t/h", possible=(0, 10_000), decimals=1, default=0.0)
    low_pct: float = quantity("Lowest usable", "%", possible=(0, 100), decimals=0, default=USABLE_LOW_PCT)
    high_pct: float = quantity("Highest usable", "%", possible=(0, 100), decimals=0, default=USABLE_HIGH_PCT)
    lead_h: float = quantity("Lead of the action", "h", possible=(0, 48), decimals=2, default=0.5)


AFTER_STOP_H = 10_000.0
NEVER_H = 1000.0


@model(
    "stock.cover_stop",
    title="Hours of cover through a stop",
    source="mass balance of a vessel, piece by piece",
    holds_for="rates as they stand before and after one stop or slow run, then those of the next order; usable 10 to "
    "95 % by default",
    equation="content + Σ (in − out) × hours of each piece; the first limit that it meets",
    checks=(
        Check(
            {
                "capacity": 250,
                "level_pct": 60,
                "rate_in": 120,
                "rate_out": 150,
                "starts_h": 2,
                "lasts_h": 1.5,
                "in_then": 120,
                "out_then": 0,
            },
            "to_high_h",
            3.229167,
            0.0001,
        ),
        Check(
            {
                "capacity": 250,
                "level_pct": 60,
                "rate_in": 120,
                "rate_out": 150,
                "starts_h": 6,
                "lasts_h": 1.5,
                "in_then": 120,
                "out_then": 0,
            },
            "to_low_h",
            4.166667,
            0.0001,
        ),
        Check(
            {
                "capacity": 250,
                "level_pct": 60,
                "rate_in": 120,
                "rate_out": 120,
                "starts_h": 0,
                "lasts_h": 0,
                "in_then": 0,
                "out_then": 0,
                "next_h": 2,
                "next_in": 120,
                "next_out": 145,
            },
            "to_low_h",
            7.0,
            0.0001,
        ),
    ),
)
def cover_stop(case: CoverStopCase) -> Cover:
    """Hours until the usable limits with one stop or slow run ahead; past a limit already and going further is 0 h.

    Raises: ImpossibleInput, also when low is not under high. Without a stop (lasts_h 0) and a next order it is `cover`.
    """
    cautions = check(case)
    plain = cover(
        CoverCase(
            capacity=case.capacity,
            level_pct=case.level_pct,
            rate_in=case.rate_in,
            rate_out=case.rate_out,
            low_pct=case.low_pct,
            high_pct=case.high_pct,
            lead_h=case.lead_h,
        )
    )
    low, high = case.capacity * case.low_pct / 100.0, case.capacity * case.high_pct / 100.0
    back = case.starts_h + case.lasts_h
    turn = max(back, case.next_h) if case.next_h < NEVER_H else back + AFTER_STOP_H
    course = forecast(
        content=plain.content,
        low=low,
        high=high,
        pieces=(
            Piece(case.starts_h, case.rate_in, case.rate_out),
            Piece(back, case.in_then, case.out_then),
            Piece(turn, case.rate_in, case.rate_out),
            Piece(turn + AFTER_STOP_H, case.next_in, case.next_out),
        ),
        holds_at_high=True,
    )
    to_low, to_high = course.low_at_h, course.high_at_h
    hours = min(to_low, to_high)
    return Cover(
        content=plain.content,
        net=plain.net,
        to_low_h=to_low,
        to_high_h=to_high,
        act_by_h=max(0.0, hours - case.lead_h),
        stop_ridden_h=plain.stop_ridden_h,
        turnover_h=plain.turnover_h,
        way="steady" if math.isinf(hours) else ("empty" if to_low <= to_high else "full"),
        cautions=cautions,
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class Leg:
    """Hours at one pair of rates."""

    hours: float = quantity("For", "h", possible=(0, 10_000), decimals=2)
    rate_in: float = quantity("In", "m³/h or t/h", possible=(0, 10_000), decimals=1)
    rate_out: float = quantity("Out", "m³/h or t/h", possible=(0, 10_000), decimals=1)


@dataclass(frozen=True, slots=True, kw_only=True)
class CoverPlanCase:
    """A vessel through the machine's plan: every stop, slow run and order ahead as hours at their own rates."""

    capacity: float = quantity("Capacity", "m³ or t", possible=(0, 100_000), above=True, decimals=0)
    level_pct: float = quantity("Level", "%", possible=(0, 100), decimals=1)
    low_pct: float = quantity("Lowest usable", "%", possible=(0, 100), decimals=0, default=USABLE_LOW_PCT)
    high_pct: float = quantity("Highest usable", "%", possible=(0, 100), decimals=0, default=USABLE_HIGH_PCT)
    lead_h: float = quantity("Lead of the action", "h", possible=(0, 48), decimals=2, default=0.5)
    legs: tuple[Leg, ...] = rows("Leg", Leg, least=1, most=24)


_LEGS = (
    {"hours": 2, "rate_in": 120, "rate_out": 150},
    {"hours": 3, "rate_in": 0, "rate_out": 150},
    {"hours": 8, "rate_in": 180, "rate_out": 150},
)


@model(
    "stock.cover_plan",
    title="Hours of cover through the plan",
    source="mass balance of a vessel, leg by leg",
    holds_for="rates of every stop, slow run and order ahead; the last goes on; a full vessel holds its inflow back",
    equation="content + Σ (in − out) × hours of each leg; the first limit that it meets",
    checks=(
        Check({"capacity": 250, "level_pct": 72, "low_pct": 0, "high_pct": 100, "legs": _LEGS}, "to_low_h", 2.8, 1e-9),
        Check({"capacity": 250, "level_pct": 60, "legs": _LEGS[:1]}, "to_low_h", 4.16667, 1e-5),
        Check({"capacity": 250, "level_pct": 90, "legs": _LEGS[2:]}, "to_high_h", 12.5 / 30.0, 1e-9),
    ),
)
def cover_plan(case: CoverPlanCase) -> Cover:
    """Hours until the usable limits through the plan; past a limit already and going further is 0 h.

    Raises: ImpossibleInput, also when low is not under high.
    """
    cautions = check(case)
    if case.low_pct >= case.high_pct:
        raise ImpossibleInput(
            Problem("low_pct", f"is {case.low_pct:g} %; it must be under the high limit, {case.high_pct:g} %")
        )
    content = case.capacity * case.level_pct / 100.0
    low, high = case.capacity * case.low_pct / 100.0, case.capacity * case.high_pct / 100.0
    pieces, at = [], 0.0
    for leg in case.legs:
        at += leg.hours
        pieces.append(Piece(at, leg.rate_in, leg.rate_out))
    pieces.append(Piece(at + AFTER_STOP_H, case.legs[-1].rate_in, case.legs[-1].rate_out))
    course = forecast(content=content, low=low, high=high, pieces=tuple(pieces), holds_at_high=True)
    hours, now = min(course.low_at_h, course.high_at_h), case.legs[0]
    return Cover(
        content=content,
        net=now.rate_in - now.rate_out,
        to_low_h=course.low_at_h,
        to_high_h=course.high_at_h,
        act_by_h=max(0.0, hours - case.lead_h),
        stop_ridden_h=max(0.0, content - low) / now.rate_out if now.rate_out > 0 else math.inf,
        turnover_h=content / now.rate_out if now.rate_out > 0 else math.inf,
        way="steady" if math.isinf(hours) else ("empty" if course.low_at_h <= course.high_at_h else "full"),
        cautions=cautions,
    )


def cover_of(case: CoverCase | CoverStopCase | CoverPlanCase) -> Cover:
    """The cover of a vessel by the model of its case."""
    if isinstance(case, CoverPlanCase):
        return cover_plan(case)
    return cover_stop(case) if isinstance(case, CoverStopCase) else cover(case)


@dataclass(frozen=True, slots=True)
class Piece:
    """Rates that hold until `until_h` hours from now."""

    until_h: float
    rate_in: float
    rate_out: float


@dataclass(frozen=True, slots=True, kw_only=True)
class Course:
    """Level through a schedule: corner points (h, content), and the first crossings of low and high (h, or inf)."""

    points: tuple[tuple[float, float], ...]
    low_at_h: float
    high_at_h: float

    @property
    def least(self) -> float:
        return min(y for _, y in self.points)

    @property
    def most(self) -> float:
        return max(y for _, y in self.points)

    def at(self, hour: float) -> float:
        """Content at an hour within the course, linear between corners."""
        before = self.points[0]
        for point in self.points[1:]:
            if hour <= point[0]:
                span = point[0] - before[0]
                return before[1] + (point[1] - before[1]) * ((hour - before[0]) / span if span else 1.0)
            before = point
        return before[1]


def forecast(*, content: float, low: float, high: float, pieces: tuple[Piece, ...], holds_at_high: bool = False) -> Course:
    """Integrate piecewise rates and find the first crossing of each limit; 0 h past a limit already and going on that way, as
    `cover` has it. One that comes back first is inside until it leaves again.

    `holds_at_high`: a full vessel stops its inflow instead of running over. Content may fall below `low` and below 0:
    how far it goes under is the shortage. Raises: ImpossibleInput.
    Worked: 180 m3; (120 in, 150 out) to 2 h, then (0, 150): empty (0 m3) at 2.800 h.
    """
    if low >= high:
        raise ImpossibleInput(Problem("low", f"is {low:g}; it must be under the high limit, {high:g}"))
    if any(b.until_h < a.until_h for a, b in zip(pieces, pieces[1:], strict=False)):
        raise ImpossibleInput(Problem("pieces", "must be in time order"))
    t, y = 0.0, content
    points = [(t, y)]
    low_at = high_at = math.inf
    for piece in pieces:
        span = piece.until_h - t
        if span <= 0.0:
            continue
        rate = piece.rate_in - piece.rate_out
        end = y + rate * span
        if math.isinf(low_at) and rate < -STEADY_T_H and end < low:
            low_at = t if y < low else t + (low - y) / rate
            points.append((low_at, min(y, low)))
        if math.isinf(high_at) and rate > STEADY_T_H and end > high:
            high_at = t if y > high else t + (high - y) / rate
            points.append((high_at, max(y, high)))
        if holds_at_high and end > high and rate > 0.0:
            if y < high:
                points.append((t + (high - y) / rate, high))
            end = max(high, y)
        t, y = piece.until_h, end
        points.append((t, y))
    return Course(points=tuple(sorted(set(points))), low_at_h=low_at, high_at_h=high_at)
