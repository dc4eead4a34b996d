"""From an order to a run card: draw, furnish by source, raw material, cover through the run; or what stops it.

Source: models, sections 8 to 10. Hours count from now; contents and rates are oven-dry t and t/h.
"""

import math
from collections.abc import Callable
from dataclasses import dataclass, replace

from core.blend.mix import Mix, Source, mix_furnish
from core.deliver.draw import Draw, DrawCase, draw
from core.document import named
from core.errors import Caution, ImpossibleInput, Infeasible, Problem
from core.quantity import quantity
from core.roots import brentq
from core.stock.cover import USABLE_HIGH_PCT, USABLE_LOW_PCT, Course, Piece, forecast

LATEST_START_H = 48.0
AFTER_H = 2.0
TINY_T = 1e-6
RESERVE_T = 0.05  # a relief leaves so much over its limit: rounded and put in a minute later it still holds


@dataclass(frozen=True, slots=True, kw_only=True)
class Supply:
    """One source of the furnish: its pulp, the vessel it comes from, and what a tonne of it takes in raw material.

    `steady`: a store without a line of its own (bales, wet lap): nothing flows in.
    """

    source: Source
    name: str
    vessel: str
    full_t: float
    level_pct: float
    made_t_h: float
    out_now_t_h: float
    raw_wet_t_t: float
    raw_name: str
    low_pct: float = USABLE_LOW_PCT
    high_pct: float = USABLE_HIGH_PCT
    spare: bool = False

    @property
    def low_t(self) -> float:
        return self.full_t * self.low_pct / 100.0

    @property
    def high_t(self) -> float:
        return self.full_t * self.high_pct / 100.0

    @property
    def content_t(self) -> float:
        return self.full_t * self.level_pct / 100.0


@dataclass(frozen=True, slots=True, kw_only=True)
class Additive:
    name: str = named()
    dose_kg_t: float = quantity("Dose", "kg/t", possible=(0, 500), valid=(0, 60))


@dataclass(frozen=True, slots=True, kw_only=True)
class RunOrder:
    """What is ordered, and when it starts. The machine takes the order before this one until `takes_until_h` and is free
    for this one from `busy_until_h` (later by a planned stop between them).
    """

    draw: DrawCase
    sale_t: float
    start_h: float
    busy_until_h: float
    chest_cons_pct: float
    headbox_cons_pct: float
    speed_low: float
    speed_high: float
    takes_until_h: float = 0.0
    additives: tuple[Additive, ...] = ()


@dataclass(frozen=True, slots=True, kw_only=True)
class Furnished:
    """One row of the card."""

    supply: Supply
    t_h: float
    l_min: float
    run_t: float
    raw_wet_t: float
    course: Course
    low_at_h: float
    high_at_h: float
    short_t: float
    early_low_at_h: float = math.inf  # under its limit before the run starts

    def level_pct(self, content_t: float) -> float:
        return 100.0 * content_t / self.supply.full_t


@dataclass(frozen=True, slots=True, kw_only=True)
class Relief:
    """One change that would do alone (or `enough` False: that would not), with the figure it takes."""

    kind: str
    enough: bool
    value: float
    other: float = math.nan
    supply: str = ""


@dataclass(frozen=True, slots=True, kw_only=True)
class RunCard:
    draw: Draw
    draw_case: DrawCase
    mix: Mix
    hours: float
    end_h: float
    rows: tuple[Furnished, ...]
    sum_l_min: float
    thick_l_min: float
    headbox_m3_min: float
    filler_kg_min: float
    additives: tuple[tuple[Additive, float], ...]
    reliefs: tuple[Relief, ...]
    cautions: tuple[Caution, ...] = ()

    @property
    def first_short(self) -> Furnished | None:
        """The source that runs out first within the run, or None when the card holds."""
        short = [r for r in self.rows if r.short_t > TINY_T]
        return min(short, key=lambda r: r.low_at_h) if short else None

    @property
    def clashes(self) -> tuple[Furnished, ...]:
        """Sources whose vessel falls under its limit before this order starts: by what runs until then."""
        return tuple(r for r in self.rows if math.isfinite(r.early_low_at_h) and not r.supply.spare)

    @property
    def feasible(self) -> bool:
        return self.first_short is None


def _course(supply: Supply, order: RunOrder, out_t_h: float, hours: float) -> Course:
    end = order.start_h + hours
    made = supply.made_t_h
    takes = min(order.takes_until_h, order.start_h)
    pieces = [Piece(takes, made, supply.out_now_t_h)] if takes > 0 else []
    pieces += [Piece(order.start_h, made, 0.0), Piece(end, made, out_t_h), Piece(end + AFTER_H, made, 0.0)]
    return forecast(content=supply.content_t, low=supply.low_t, high=supply.high_t, pieces=tuple(pieces), holds_at_high=True)


def _check(order: RunOrder) -> None:
    bad = []
    if not order.sale_t > 0.0:
        bad.append(Problem("sale_t", f"is {order.sale_t:g} t; it must be above 0"))
    if not 0.0 <= order.start_h <= LATEST_START_H:
        bad.append(Problem("start_h", f"is {order.start_h:.2f} h from now; it must be 0 to {LATEST_START_H:g} h ahead"))
    elif order.start_h < order.busy_until_h - 1e-9:
        bad.append(Problem("start_h", f"is {order.busy_until_h - order.start_h:.2f} h before the machine is free"))
    if not order.speed_low <= order.draw.speed_m_min <= order.speed_high:
        text = f"is {order.draw.speed_m_min:g} m/min; this machine runs {order.speed_low:g} to {order.speed_high:g} m/min"
        bad.append(Problem("speed_m_min", text))
    for name in ("chest_cons_pct", "headbox_cons_pct"):
        if not getattr(order, name) > 0.0:
            bad.append(Problem(name, f"is {getattr(order, name):g} %; it must be above 0"))
    if bad:
        raise ImpossibleInput(*bad)


def _solve(order: RunOrder, supplies: tuple[Supply, ...]) -> RunCard | Infeasible:
    mix = mix_furnish(tuple(s.source for s in supplies))
    draw_case = replace(order.draw, furnish_ash_pct=mix.ash_pct)
    drawn = draw(draw_case)
    if isinstance(drawn, Infeasible):
        return drawn
    hours = order.sale_t / drawn.sale_t_h
    end = order.start_h + hours
    rows = []
    for s in supplies:
        t_h = s.source.share * drawn.solids_t_h
        course = _course(s, order, t_h, hours)
        used = t_h > 0.0
        within = [y for t, y in course.points if order.start_h - 1e-9 <= t <= end + 1e-9]
        short = max(0.0, s.low_t - min(within)) if used else 0.0
        # a vessel already under its limit before the start counts from the start on
        low_at = course.low_at_h if used and course.low_at_h <= end + 1e-9 else math.inf
        if used and short > TINY_T:
            low_at = max(low_at, order.start_h) if math.isfinite(low_at) else order.start_h
        rows.append(
            Furnished(
                supply=s,
                t_h=t_h,
                l_min=1000.0 * t_h / (60.0 * s.source.cons_pct / 100.0),
                run_t=t_h * hours,
                raw_wet_t=t_h * hours * s.raw_wet_t_t,
                course=course,
                low_at_h=low_at if short > TINY_T else math.inf,
                high_at_h=course.high_at_h,
                short_t=short,
                early_low_at_h=course.low_at_h if course.low_at_h < order.start_h - 1e-9 else math.inf,
            )
        )
    wet_end = drawn.solids_t_h + drawn.filler_t_h
    doses = tuple((a, a.dose_kg_t * wet_end / 60.0) for a in order.additives)
    return RunCard(
        draw=drawn,
        draw_case=draw_case,
        mix=mix,
        hours=hours,
        end_h=end,
        rows=tuple(rows),
        sum_l_min=sum(r.l_min for r in rows),
        thick_l_min=1000.0 * drawn.solids_t_h / (60.0 * order.chest_cons_pct / 100.0),
        headbox_m3_min=wet_end / (60.0 * order.headbox_cons_pct / 100.0),
        filler_kg_min=drawn.filler_t_h * 1000.0 / 60.0,
        additives=doses,
        reliefs=(),
        cautions=drawn.cautions,
    )


def _short(order: RunOrder, supplies: tuple[Supply, ...]) -> float:
    card = _solve(order, supplies)
    if isinstance(card, Infeasible):
        return math.inf
    return max(
        r.supply.low_t - min(y for t, y in r.course.points if order.start_h - 1e-9 <= t <= card.end_h + 1e-9)
        for r in card.rows
        if r.t_h > 0.0
    )


def _least(short: Callable[[float], float], bad: float, good: float) -> float | None:
    """The value nearest to `bad` at which every vessel keeps the reserve, or None when `good` is not enough."""
    if short(good) > -RESERVE_T:
        return None
    return brentq(lambda v: short(v) + RESERVE_T, bad, good, xtol=1e-4)


def _reliefs(order: RunOrder, supplies: tuple[Supply, ...], short: Furnished) -> tuple[Relief, ...]:
    result = []

    later = _least(lambda h: _short(replace(order, start_h=h), supplies), order.start_h, LATEST_START_H)
    result.append(Relief(kind="start", enough=later is not None, value=later if later is not None else math.nan))

    spare = next((s for s in supplies if s.spare and s.source.key != short.supply.source.key), None)
    if spare is not None:
        whole = short.supply.source.share

        def shifted(share: float) -> tuple[Supply, ...]:
            def moved(s: Supply) -> Supply:
                if s is short.supply:
                    return replace(s, source=replace(s.source, share=share))
                if s is spare:
                    return replace(s, source=replace(s.source, share=s.source.share + whole - share))
                return s

            return tuple(moved(s) for s in supplies)

        # the spare store runs short itself when asked for too much: look for the best share first
        grid = [whole * i / 40 for i in range(41)]
        best = min(grid, key=lambda f: _short(order, shifted(f)))
        share = _least(lambda f: _short(order, shifted(f)), whole, best) if best < whole else None
        if share is not None:
            result.append(
                Relief(
                    kind="share", enough=True, value=share, other=spare.source.share + whole - share, supply=spare.source.key
                )
            )
        else:
            result.append(Relief(kind="share", enough=False, value=best, supply=spare.source.key))

    least_t = min(0.5, order.sale_t)
    less = _least(lambda t: _short(replace(order, sale_t=t), supplies), order.sale_t, least_t)
    result.append(
        Relief(
            kind="tonnes",
            enough=less is not None,
            value=less if less is not None else math.nan,
            other=order.sale_t - less if less is not None else math.nan,
        )
    )

    def at_speed(v: float) -> float:
        return _short(replace(order, draw=replace(order.draw, speed_m_min=v)), supplies)

    slower = _least(at_speed, order.draw.speed_m_min, order.speed_low)
    need = slower if slower is not None else _least(at_speed, order.draw.speed_m_min, 50.0)
    result.append(Relief(kind="speed", enough=slower is not None, value=need if need is not None else math.nan))
    return tuple(sorted(result, key=lambda r: not r.enough))


def plan_run(order: RunOrder, supplies: tuple[Supply, ...]) -> RunCard | Infeasible:
    """Work out a run card. A card that runs a source dry carries what would relieve it; it is not to be issued.

    Takes / gives: at least one supply, shares summing to 1. Raises: ImpossibleInput naming order fields or sources.
    Infeasible when the furnish carries more ash than the sheet may have.
    """
    _check(order)
    card = _solve(order, supplies)
    if isinstance(card, Infeasible) or card.first_short is None:
        return card
    return replace(card, reliefs=_reliefs(order, supplies, card.first_short))
