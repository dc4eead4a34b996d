"""From an order to a run card: draw, furnish by source, raw material, cover through the run; or what stops it.

Source: models, sections 8 to 10. Hours count from now; contents and rates are oven-dry t and t/h.
"""

import math
from collections.abc import Callable
from dataclasses import dataclass, replace
from typing import Any, Final

from core.blend.mix import Source, mix_furnish
from core.deliver.draw import Draw, DrawCase, draw
from core.document import named
from core.errors import Caution, ImpossibleInput, Infeasible, Problem
from core.quantity import check, choice, figure, quantities, quantity, rows
from core.register import Check, model
from core.roots import brentq
from core.stock.cover import USABLE_HIGH_PCT, USABLE_LOW_PCT, Course, Piece, forecast
from core.unit import Worked

LATEST_START_H = 48.0
AFTER_H = 2.0
TINY_T = 1e-6
RESERVE_T = 0.05  # a relief leaves so much over its limit: rounded and put in a minute later it still holds
SHARES_TRIED = 16  # of a source, to find the one that goes furthest
LEAST_T = 0.5  # the smallest order that is worth a card
LEAST_SPEED = 50.0  # m/min, to which a slower machine is looked for
MOST_H = 100_000.0  # that an order may run


@dataclass(frozen=True, slots=True, kw_only=True)
class Supply(Source):
    """One source of the furnish: its pulp, the vessel it comes from, and what a tonne of it takes in raw material.

    `spare`: a store without a line of its own (bales, wet lap): nothing flows in, and a shortage may be taken from it.
    """

    key: str = ""
    name: str = ""
    vessel: str = ""
    raw_name: str = ""
    share: float = quantity("Share of the furnish", "", possible=(0, 1), decimals=3)
    full_t: float = quantity("Vessel, full", "t OD", possible=(0, 100_000), above=True, decimals=1)
    level_pct: float = quantity("Level", "%", possible=(0, 100), decimals=1)
    made_t_h: float = quantity("Made", "t/h OD", possible=(0, 10_000), decimals=2)
    out_now_t_h: float = quantity("Taken by the order before", "t/h OD", possible=(0, 10_000), decimals=2, default=0.0)
    raw_wet_t_t: float = quantity("Raw material, as it comes", "t/t OD", possible=(0, 100), decimals=3, default=0.0)
    low_pct: float = quantity("Lowest usable", "%", possible=(0, 100), decimals=0, default=USABLE_LOW_PCT)
    high_pct: float = quantity("Highest usable", "%", possible=(0, 100), decimals=0, default=USABLE_HIGH_PCT)
    store: str = choice("Fed by", ("a line", "bought pulp"), default="a line")

    @property
    def spare(self) -> bool:
        return self.store == "bought pulp"

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
    strength_pct: float = quantity("As it is pumped", "% w/w", possible=(0, 100), above=True, decimals=1, default=100.0)
    density: float = quantity("Density", "kg/L", possible=(0.5, 3), decimals=2, default=1.0)
    meq_g: float = quantity("Charge", "meq/g", possible=(-20, 20), decimals=2, default=0.0)


@dataclass(frozen=True, slots=True, kw_only=True)
class RunCase(DrawCase):
    """What is ordered, when it starts, and the sources as they stand; the furnish's ash follows from them.

    The machine takes the order before this one until `takes_until_h` and is free for this one from `busy_until_h` (later by a
    planned stop between them).
    """

    furnish_ash_pct: float = 0.0
    sale_t: float = quantity("To sell", "t", possible=(0, 1_000_000), above=True, decimals=1)
    start_h: float = quantity("Starts in", "h", possible=(0, LATEST_START_H))
    takes_until_h: float = quantity("Order before taken until", "h", possible=(0, 1000), default=0.0)
    busy_until_h: float = quantity("Machine free in", "h", possible=(-1000, 1000), default=0.0)
    chest_cons_pct: float = quantity("Consistency from the chest", "%", possible=(0, 20), above=True, valid=(2, 5))
    headbox_cons_pct: float = quantity("Headbox consistency", "%", possible=(0, 5), above=True, valid=(0.2, 1.2))
    speed_low: float = quantity("Slowest", "m/min", possible=(0, 4000), decimals=0)
    speed_high: float = quantity("Fastest", "m/min", possible=(0, 4000), decimals=0)
    supplies: tuple[Supply, ...] = rows("Source", Supply, least=1, most=12)
    additives: tuple[Additive, ...] = ()


@dataclass(frozen=True, slots=True, kw_only=True)
class SourceRunCase:
    """One source of an order: what it gives, and the vessel it is taken from."""

    solids_t_h: float = quantity("Thick stock of the order", "t/h OD", possible=(0, 10_000), decimals=2)
    share: float = quantity("Share of the furnish", "", possible=(0, 1), decimals=3)
    cons_pct: float = quantity("Consistency", "%", possible=(0, 30), above=True, valid=(2, 6))
    raw_wet_t_t: float = quantity("Raw material, as it comes", "t/t OD", possible=(0, 100), decimals=3, default=0.0)
    start_h: float = quantity("Starts in", "h", possible=(0, LATEST_START_H))
    hours: float = quantity("Runs", "h", possible=(0, MOST_H), above=True)
    takes_until_h: float = quantity("Order before taken until", "h", possible=(0, 1000), default=0.0)
    out_now_t_h: float = quantity("Taken by the order before", "t/h OD", possible=(0, 10_000), decimals=2, default=0.0)
    full_t: float = quantity("Vessel, full", "t OD", possible=(0, 100_000), above=True, decimals=1)
    level_pct: float = quantity("Level", "%", possible=(0, 100), decimals=1)
    made_t_h: float = quantity("Made", "t/h OD", possible=(0, 10_000), decimals=2)
    low_pct: float = quantity("Lowest usable", "%", possible=(0, 100), decimals=0, default=USABLE_LOW_PCT)
    high_pct: float = quantity("Highest usable", "%", possible=(0, 100), decimals=0, default=USABLE_HIGH_PCT)


@dataclass(frozen=True, slots=True, kw_only=True)
class SourceRun:
    """Hours are math.inf for never."""

    t_h: float = figure("Taken", "t/h OD", equation="share × thick stock")
    l_min: float = figure("Flow", "L/min", decimals=0, equation="1000 t/h / (60 × consistency)")
    run_t: float = figure("In the run", "t OD", decimals=1, equation="taken × hours")
    raw_wet_t: float = figure("Raw material to have", "t", decimals=0, equation="in the run × raw material a tonne")
    end_pct: float = figure(
        "Level at the end",
        "%",
        decimals=0,
        equation="content + Σ (made − taken) × hours of each piece",
    )
    low_at_h: float = figure("Under its limit in", "h", equation="the first time in the run at which content < low")
    short_t: float = figure("Short", "t OD", decimals=1, equation="low − least content in the run")
    high_at_h: float = figure("Full in", "h", equation="the first time at which content > high")
    early_low_at_h: float = figure("Under its limit before the start, in", "h", equation="as above, before the run starts")
    course: Course
    cautions: tuple[Caution, ...] = ()


_SHORT: Final = {
    "solids_t_h": 20.0,
    "share": 0.5,
    "cons_pct": 4.0,
    "raw_wet_t_t": 4.5,
    "start_h": 2.0,
    "hours": 10.0,
    "full_t": 100.0,
    "level_pct": 60.0,
    "made_t_h": 4.0,
    "takes_until_h": 2.0,
    "out_now_t_h": 6.0,
}


@model(
    "deliver.source_run",
    title="One source through an order",
    source="mass balance of the vessel, piece by piece",
    holds_for="rates as they stand; the vessel holds its inflow back when full",
    equation="taken = share × thick stock; content + Σ (made − taken) × hours",
    checks=(
        Check(_SHORT, "t_h", 10.0),
        Check(_SHORT, "l_min", 1000.0 * 10.0 / (60.0 * 0.04)),
        Check(_SHORT, "run_t", 100.0),
        Check(_SHORT, "raw_wet_t", 450.0),
        Check(_SHORT, "low_at_h", 2.0 + (60.0 - 2.0 * 2.0 - 10.0) / 6.0),
        Check(_SHORT, "short_t", 10.0 - (60.0 - 2.0 * 2.0 - 6.0 * 10.0)),
    ),
)
def source_run(case: SourceRunCase) -> SourceRun:
    """What one source gives to an order, and its vessel's level through it. Raises: ImpossibleInput."""
    cautions = check(case)
    if case.low_pct >= case.high_pct:
        raise ImpossibleInput(
            Problem("low_pct", f"is {case.low_pct:g} %; it must be under the high limit, {case.high_pct:g} %")
        )
    end = case.start_h + case.hours
    t_h = case.share * case.solids_t_h
    low_t, high_t = case.full_t * case.low_pct / 100.0, case.full_t * case.high_pct / 100.0
    takes = min(case.takes_until_h, case.start_h)
    made = case.made_t_h
    pieces = [Piece(takes, made, case.out_now_t_h)] if takes > 0 else []
    pieces += [Piece(case.start_h, made, 0.0), Piece(end, made, t_h), Piece(end + AFTER_H, made, 0.0)]
    content = case.full_t * case.level_pct / 100.0
    course = forecast(content=content, low=low_t, high=high_t, pieces=tuple(pieces), holds_at_high=True)
    used = t_h > 0.0
    within = [y for t, y in course.points if case.start_h - 1e-9 <= t <= end + 1e-9]
    short = max(0.0, low_t - min(within)) if used else 0.0
    # a vessel already under its limit before the start counts from the start on
    low_at = course.low_at_h if used and course.low_at_h <= end + 1e-9 else math.inf
    if used and short > TINY_T:
        low_at = max(low_at, case.start_h) if math.isfinite(low_at) else case.start_h
    return SourceRun(
        t_h=t_h,
        l_min=1000.0 * t_h / (60.0 * case.cons_pct / 100.0),
        run_t=t_h * case.hours,
        raw_wet_t=t_h * case.hours * case.raw_wet_t_t,
        end_pct=100.0 * course.at(end) / case.full_t,
        low_at_h=low_at if short > TINY_T else math.inf,
        short_t=short,
        high_at_h=course.high_at_h,
        early_low_at_h=course.low_at_h if course.low_at_h < case.start_h - 1e-9 else math.inf,
        course=course,
        cautions=cautions,
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class Furnished:
    """One row of the card: a source, and its part of the order as it was worked."""

    supply: Supply
    case: SourceRunCase
    run: SourceRun

    @property
    def worked(self) -> Worked:
        return Worked(model="deliver.source_run", case=self.case, result=self.run)

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
    figure: str = ""  # of the model deliver.relief


@dataclass(frozen=True, slots=True, kw_only=True)
class RunCard:
    hours: float = figure("Time of the run", "h", equation="to sell / saleable")
    end_h: float = figure("Ends in", "h", equation="starts in + time of the run")
    cons_pct: float = figure("Consistency of the blend", "%", equation="1 / Σ share / consistency")
    csf_ml: float = figure("Freeness of the blend", "mL CSF", decimals=0, equation="exp Σ share × ln freeness")
    iso_pct: float = figure(
        "Brightness of the blend",
        "% ISO",
        decimals=1,
        equation="by Σ share × k and Σ share × s at 457 nm",
    )
    ash_pct: float = figure("Ash of the blend", "%", decimals=1, equation="Σ share × ash")
    solids_t_h: float = figure("Thick stock", "t/h OD", decimals=1, equation="the machine's draw with the blend's ash")
    sum_l_min: float = figure("Flow from the chests", "L/min", decimals=0, equation="Σ flow of each source")
    thick_l_min: float = figure(
        "Flow from the machine chest", "L/min", decimals=0, equation="1000 thick stock / (60 × consistency)"
    )
    headbox_m3_min: float = figure(
        "Headbox flow", "m³/min", decimals=1, equation="(thick stock + filler) / (60 × headbox consistency)"
    )
    filler_kg_min: float = figure("Filler", "kg/min", decimals=1, equation="1000 filler / 60")
    low_at_h: float = figure("First vessel under its limit in", "h", equation="earliest of the sources; never when all hold")
    short_t: float = figure("Short of it", "t OD", decimals=1, equation="of the vessel that runs out first")
    draw: Draw
    draw_case: DrawCase
    case: RunCase
    rows: tuple[Furnished, ...]
    additives: tuple[tuple[Additive, float], ...]
    cautions: tuple[Caution, ...] = ()

    @property
    def worked(self) -> Worked:
        return Worked(model="deliver.run_card", case=self.case, result=self)

    @property
    def first_short(self) -> Furnished | None:
        """The source that runs out first within the run, or None when the card holds."""
        return _first_short(self.rows)

    @property
    def clashes(self) -> tuple[Furnished, ...]:
        """Sources whose vessel falls under its limit before this order starts: by what runs until then."""
        return tuple(r for r in self.rows if math.isfinite(r.run.early_low_at_h) and not r.supply.spare)

    @property
    def feasible(self) -> bool:
        return self.first_short is None


def _first_short(listed: tuple[Furnished, ...]) -> Furnished | None:
    short = [r for r in listed if r.run.short_t > TINY_T]
    return min(short, key=lambda r: r.run.low_at_h) if short else None


def _check(order: RunCase) -> tuple[Caution, ...]:
    """What an order may not be, told before its sources are looked at."""
    bad = []
    if order.start_h < order.busy_until_h - 1e-9:
        bad.append(Problem("start_h", f"is {order.busy_until_h - order.start_h:.2f} h before the machine is free"))
    if not order.speed_low <= order.speed_m_min <= order.speed_high:
        text = f"is {order.speed_m_min:g} m/min; this machine runs {order.speed_low:g} to {order.speed_high:g} m/min"
        bad.append(Problem("speed_m_min", text))
    told = {p.field for p in bad}
    try:
        cautions = check(order)
    except ImpossibleInput as refusal:
        first = [p for p in refusal.problems if p.field not in told]
        raise ImpossibleInput(*first, *(p for p in bad if p.field not in {q.field for q in first})) from None
    if bad:
        raise ImpossibleInput(*bad)
    return cautions


def _of_draw(order: RunCase, ash_pct: float) -> DrawCase:
    own = {name: getattr(order, name) for name in quantities(DrawCase) if name != "furnish_ash_pct"}
    return DrawCase(**own, furnish_ash_pct=ash_pct)


def _solve(order: RunCase, cautions: tuple[Caution, ...] = ()) -> RunCard | Infeasible:
    mix = mix_furnish(order.supplies)
    draw_case = _of_draw(order, mix.ash_pct)
    drawn = draw(draw_case)
    if isinstance(drawn, Infeasible):
        return drawn
    hours = order.sale_t / drawn.sale_t_h
    if hours > MOST_H:
        raise ImpossibleInput(Problem("sale_t", f"takes {hours:.0f} h as it is run; a card is made for {MOST_H:.0f} h at most"))
    shared = {"solids_t_h": drawn.solids_t_h, "hours": hours, "start_h": order.start_h, "takes_until_h": order.takes_until_h}
    listed = []
    for s in order.supplies:
        own = {name: getattr(s, name) for name in quantities(SourceRunCase) if name not in shared}
        part = SourceRunCase(**shared, **own)
        listed.append(Furnished(supply=s, case=part, run=source_run(part)))
    wet_end = drawn.solids_t_h + drawn.filler_t_h
    short = _first_short(tuple(listed))
    return RunCard(
        hours=hours,
        end_h=order.start_h + hours,
        cons_pct=mix.cons_pct,
        csf_ml=mix.csf_ml,
        iso_pct=mix.iso_pct,
        ash_pct=mix.ash_pct,
        solids_t_h=drawn.solids_t_h,
        sum_l_min=sum(r.run.l_min for r in listed),
        thick_l_min=1000.0 * drawn.solids_t_h / (60.0 * order.chest_cons_pct / 100.0),
        headbox_m3_min=wet_end / (60.0 * order.headbox_cons_pct / 100.0),
        filler_kg_min=drawn.filler_t_h * 1000.0 / 60.0,
        low_at_h=short.run.low_at_h if short else math.inf,
        short_t=short.run.short_t if short else 0.0,
        draw=drawn,
        draw_case=draw_case,
        case=order,
        rows=tuple(listed),
        additives=tuple((a, a.dose_kg_t * wet_end / 60.0) for a in order.additives),
        cautions=cautions + drawn.cautions,
    )


def _short(order: RunCase) -> float:
    try:
        card = _solve(order)
    except ImpossibleInput:  # so slow that it runs longer than any order
        return math.inf
    if isinstance(card, Infeasible):
        return math.inf
    return max(
        r.supply.low_t - min(y for t, y in r.run.course.points if order.start_h - 1e-9 <= t <= card.end_h + 1e-9)
        for r in card.rows
        if r.run.t_h > 0.0
    )


def _least(short: Callable[[float], float], bad: float, good: float) -> float | None:
    """The value nearest to `bad` at which every vessel keeps the reserve, or None when `good` is not enough."""
    if short(good) > -RESERVE_T:
        return None
    return brentq(lambda v: short(v) + RESERVE_T, bad, good, xtol=1e-4)


def _relief(kind: str, name: str, value: float | None, **more: Any) -> Relief:
    return Relief(kind=kind, figure=name, enough=value is not None, value=math.nan if value is None else value, **more)


def _later(order: RunCase) -> Relief:
    later = _least(lambda h: _short(replace(order, start_h=h)), order.start_h, LATEST_START_H)
    return _relief("start", "start_h", later)


def _shared(order: RunCase, short: Supply) -> Relief | None:
    """A part of the short source's share taken from bought pulp; None where there is none."""
    spare = next((s for s in order.supplies if s.spare and s is not short), None)
    if spare is None:
        return None
    whole = short.share

    def shifted(share: float) -> RunCase:
        def moved(s: Supply) -> Supply:
            if s is short:
                return replace(s, share=share)
            return replace(s, share=s.share + whole - share) if s is spare else s

        return replace(order, supplies=tuple(moved(s) for s in order.supplies))

    # the bought pulp runs short itself when too much is taken of it: look for the best share first
    best = min((whole * i / SHARES_TRIED for i in range(SHARES_TRIED + 1)), key=lambda f: _short(shifted(f)))
    share = _least(lambda f: _short(shifted(f)), whole, best) if best < whole else None
    if share is None:
        return Relief(kind="share", figure="moved_pct", enough=False, value=best, supply=spare.key)
    other = spare.share + whole - share
    return Relief(kind="share", figure="moved_pct", enough=True, value=share, other=other, supply=spare.key)


def _fewer(order: RunCase) -> Relief:
    less = _least(lambda t: _short(replace(order, sale_t=t)), order.sale_t, min(LEAST_T, order.sale_t))
    return _relief("tonnes", "sale_t", less, other=math.nan if less is None else order.sale_t - less)


def _slower(order: RunCase) -> Relief:
    def at_speed(v: float) -> float:
        return _short(replace(order, speed_m_min=v))

    slower = _least(at_speed, order.speed_m_min, order.speed_low)
    need = slower if slower is not None else _least(at_speed, order.speed_m_min, min(LEAST_SPEED, order.speed_low))
    return Relief(kind="speed", figure="speed_m_min", enough=slower is not None, value=math.nan if need is None else need)


_ONE: Final = {
    "gsm": 80.0,
    "speed_m_min": 900.0,
    "width_m": 5.0,
    "sheet_ash_pct": 15.0,
    "sale_t": 194.4,
    "start_h": 2.0,
    "chest_cons_pct": 3.2,
    "headbox_cons_pct": 0.7,
    "speed_low": 600.0,
    "speed_high": 1000.0,
}
_PULP: Final = {"cons_pct": 3.8, "ash_pct": 0.0, "iso_pct": 85.0, "s457": 30.0, "csf_ml": 500.0, "full_t": 300.0}
_CARD: Final = _ONE | {
    "supplies": [
        _PULP | {"share": 0.4, "level_pct": 50.0, "made_t_h": 6.0},
        _PULP | {"share": 0.4, "level_pct": 20.0, "made_t_h": 2.0, "cons_pct": 4.0, "csf_ml": 400.0},
        _PULP | {"share": 0.2, "level_pct": 90.0, "made_t_h": 0.0, "cons_pct": 3.2, "csf_ml": 250.0, "store": "bought pulp"},
    ]
}
_WEB: Final = 20.52 * 5.1 / 5.0 / 0.96  # t/h; without ash in the furnish 85 % of it is thick stock


@model(
    "deliver.run_card",
    title="A run card",
    source="mass balances of machine, blend and vessels; freeness by its logarithm is a default, ± 25 mL",
    holds_for="one order on one machine, rates as they stand until it starts",
    equation="time = to sell / saleable; every source gives its share of the thick stock; every vessel holds its limits",
    calibrated_by=("retention_pct", "efficiency_pct"),
    basis="default",
    checks=(
        Check(_CARD, "hours", 10.0),
        Check(_CARD, "cons_pct", 3.7346, 1e-4),
        Check(_CARD, "csf_ml", 398.11, 1e-4),
        Check(_CARD, "solids_t_h", 0.85 * _WEB, 1e-4),
        Check(_CARD, "filler_kg_min", 0.15 * _WEB * 1000.0 / 60.0, 1e-4),
        Check(_CARD, "thick_l_min", 0.85 * _WEB * 1000.0 / (60.0 * 0.032), 1e-4),
        Check(_CARD, "short_t", 30.0 - (60.0 + 12.0 * 2.0 - 4.0 * 0.85 * _WEB), 1e-4),
    ),
)
def run_card(case: RunCase) -> RunCard | Infeasible:
    """Work out a run card: times, flows, the blend, and each source with its vessel through the run.

    The shares of the sources sum to 1. A card that runs a vessel dry is not to be issued; `deliver.relief` says what would do.
    Raises: ImpossibleInput naming the fields. Infeasible when the furnish carries more ash than the sheet may have.
    """
    return _solve(case, _check(case))


@dataclass(frozen=True, slots=True, kw_only=True)
class Reliefs:
    """The least change of each kind that would do alone; endless (or nothing) where none of its kind does."""

    start_h: float = figure("Start in", "h", equation="the earliest start at which every vessel holds")
    moved_pct: float = figure(
        "Share to take from bought pulp", "%", decimals=1, equation="the least share moved at which every vessel holds"
    )
    sale_t: float = figure("To make now", "t", decimals=1, equation="the most tonnes at which every vessel holds")
    speed_m_min: float = figure("Speed", "m/min", decimals=0, equation="the fastest at which every vessel holds")
    listed: tuple[Relief, ...] = ()
    cautions: tuple[Caution, ...] = ()


@model(
    "deliver.relief",
    title="What lets an order run",
    source="the run card turned round, one change at a time",
    holds_for="one order on one machine, rates as they stand until it starts",
    equation="least content in the run = low + 0.05 t, solved for start, share, tonnes and speed",
    basis="default",
    checks=(
        # the second vessel holds 60 t, 2 t/h is made, 7.4 t/h is taken for 10 h from the second hour on; 30 t must stay
        Check(_CARD, "start_h", (30.0 + RESERVE_T - 60.0 - 20.0 + 4.0 * 0.85 * _WEB) / 2.0, 1e-4),
        Check(_CARD, "sale_t", 19.44 * (64.0 - 30.0 - RESERVE_T) / (0.4 * 0.85 * _WEB - 2.0), 1e-4),
        Check(_CARD, "moved_pct", 40.0 - 100.0 * (84.0 - 30.0 - RESERVE_T) / (10.0 * 0.85 * _WEB), 1e-3),
    ),
)
def reliefs(case: RunCase) -> Reliefs | Infeasible:
    """What would let an order run that takes a vessel under its limit; its own figures where every vessel holds.

    Raises: ImpossibleInput. Infeasible as the run card.
    """
    card = run_card(case)
    if isinstance(card, Infeasible):
        return card
    short = card.first_short
    if short is None:
        return Reliefs(start_h=case.start_h, moved_pct=0.0, sale_t=case.sale_t, speed_m_min=case.speed_m_min)
    later, share, fewer, slower = _later(case), _shared(case, short.supply), _fewer(case), _slower(case)
    return Reliefs(
        start_h=later.value if later.enough else math.inf,
        moved_pct=100.0 * (short.supply.share - share.value) if share is not None and share.enough else math.inf,
        sale_t=fewer.value if fewer.enough else 0.0,
        speed_m_min=0.0 if math.isnan(slower.value) else slower.value,
        listed=tuple(sorted((r for r in (later, share, fewer, slower) if r is not None), key=lambda r: not r.enough)),
        cautions=card.cautions,
    )
