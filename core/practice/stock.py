"""Chests and towers on shift: rows H3 to H6 of the practice table. All sizes are defaults."""

from dataclasses import dataclass
from typing import Final

from core.errors import ImpossibleInput, Problem
from core.practice.row import Practice, Proposal, add, cut
from core.quantity import check, choice, figure, quantity
from core.register import Check, model
from core.stock.agitation import full_motion_kw

MOST_SUPPLY, MOST_OVERFLOW, MOST_WATER, APART_PCT = 0.10, 0.20, 0.10, 5.0


@dataclass(frozen=True, slots=True, kw_only=True)
class LevelCase:
    content_t: float = quantity("In it", "t OD", possible=(0, 100_000), decimals=1)
    full_t: float = quantity("Holds", "t OD", possible=(0, 100_000), above=True, decimals=1)
    in_t_h: float = quantity("In", "t/h OD", possible=(0, 10_000), decimals=2)
    out_t_h: float = quantity("Out", "t/h OD", possible=(0, 10_000), decimals=2)
    want_h: float = quantity("It must last", "h", possible=(0.1, 240), decimals=1, default=8.0)
    low_pct: float = quantity("Lowest usable", "%", possible=(0, 100), decimals=0, default=10.0)
    high_pct: float = quantity("Highest usable", "%", possible=(0, 100), decimals=0, default=95.0)


@dataclass(frozen=True, slots=True, kw_only=True)
class LevelMove(Proposal):
    before: float = figure("Supply now", "t/h OD", decimals=2, equation="as it runs")
    after: float = figure("Supply", "t/h OD", decimals=2, equation="out − (content − limit)/hours")
    hours: float = figure("Hours to the limit", "h", decimals=1, equation="(content − limit)/net, none past it")
    rest_t_h: float = figure(
        "Left for the machine to change by", "t/h OD", decimals=2, equation="needed less what one move allows"
    )
    expected: float = figure("Hours then", "h", decimals=1, equation="(content − limit)/net")


NEVER_H: Final = 1000.0


def _hours(room: float, into: float) -> float:
    """Hours until a room is used up at a rate into it: none where it is used up already, 1000 where it never is."""
    return min(NEVER_H, max(0.0, room) / into) if into > 0.0 else NEVER_H


def _why(limit: str, left: float, ahead: str) -> str:
    return ahead if left > 0.0 else f"It is past its {limit} usable level and still goes on that way."


def _within(case: LevelCase) -> None:
    """Raises: ImpossibleInput where the limits are the wrong way round, or the vessel holds more than it can."""
    if case.low_pct >= case.high_pct:
        raise ImpossibleInput(Problem("low_pct", f"is {case.low_pct:g} %; it must be under the highest, {case.high_pct:g} %"))
    if case.content_t > case.full_t:
        raise ImpossibleInput(Problem("content_t", f"is {case.content_t:g} t; the vessel holds {case.full_t:g} t"))


_FALLS: Final = {"content_t": 3.0, "full_t": 20, "in_t_h": 1.9, "out_t_h": 2.9}
_RISES: Final = {"content_t": 17.0, "full_t": 20, "in_t_h": 4.0, "out_t_h": 2.0, "want_h": 2.0}


@model(
    "stock.falls_move",
    title="H3: a level falls",
    source="shift practice, row H3; mass balance of the vessel",
    holds_for="a tenth of the supply at a time; what is left is asked of the machine",
    equation="in = out − (content − low)/hours",
    basis="default",
    checks=(
        Check(_FALLS, "hours", 1.0, 1e-9),
        Check(_FALLS, "after", 2.09, 1e-9),
        Check(_FALLS, "rest_t_h", 2.9 - 1.0 / 8.0 - 2.09, 1e-9),
        Check({**_FALLS, "in_t_h": 2.88}, "after", 2.88),
    ),
)
def falls_move(case: LevelCase) -> LevelMove:
    """More supply so that the vessel lasts. Raises: ImpossibleInput."""
    cautions = check(case)
    _within(case)
    low = case.full_t * case.low_pct / 100.0
    left = _hours(case.content_t - low, case.out_t_h - case.in_t_h)
    needed = case.out_t_h - max(0.0, case.content_t - low) / case.want_h
    stands = left < case.want_h
    step = cut(needed - case.in_t_h if stands else 0.0, MOST_SUPPLY * case.in_t_h)
    after = case.in_t_h + step.size
    return LevelMove(
        stands=stands and step.size > 0.0,
        why=_why("lowest", left, f"It is at its limit in {left:.1f} h, wanted {case.want_h:.0f} h at least."),
        low=case.in_t_h,
        high=(1.0 + MOST_SUPPLY) * case.in_t_h,
        band_low=case.want_h,
        band_high=NEVER_H,
        bound_by=step.bound_by,
        cautions=cautions,
        before=case.in_t_h,
        after=after,
        hours=left,
        rest_t_h=max(0.0, needed - after) if stands else 0.0,
        expected=_hours(case.content_t - low, case.out_t_h - after),
    )


@model(
    "stock.rises_move",
    title="H4: a level near overflow",
    source="shift practice, row H4; mass balance of the vessel",
    holds_for="a fifth of the supply at a time; or stored by shade, or more drawn",
    equation="in = out + (high − content)/hours",
    basis="default",
    checks=(
        Check(_RISES, "hours", 1.0, 1e-9),
        Check(_RISES, "after", 3.2, 1e-9),
        Check({**_RISES, "content_t": 10}, "after", 4.0),
    ),
)
def rises_move(case: LevelCase) -> LevelMove:
    """Less supply before it runs over. Raises: ImpossibleInput."""
    cautions = check(case)
    _within(case)
    high = case.full_t * case.high_pct / 100.0
    left = _hours(high - case.content_t, case.in_t_h - case.out_t_h)
    needed = case.out_t_h + max(0.0, high - case.content_t) / case.want_h
    stands = left < case.want_h
    step = cut(needed - case.in_t_h if stands else 0.0, MOST_OVERFLOW * case.in_t_h)
    after = max(0.0, case.in_t_h + step.size)
    return LevelMove(
        stands=stands and step.size < 0.0,
        why=_why("highest", left, f"It is full in {left:.1f} h.") + " What runs over is lost to the sewer.",
        low=(1.0 - MOST_OVERFLOW) * case.in_t_h,
        high=case.in_t_h,
        band_low=case.want_h,
        band_high=NEVER_H,
        bound_by=step.bound_by,
        cautions=cautions,
        before=case.in_t_h,
        after=after,
        hours=left,
        rest_t_h=max(0.0, after - needed) if stands else 0.0,
        expected=_hours(high - case.content_t, after - case.out_t_h),
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class LayersCase:
    top_pct: float = quantity("Sample at the top", "%", possible=(0.1, 30), decimals=2)
    bottom_pct: float = quantity("at the bottom", "%", possible=(0.1, 30), decimals=2)
    volume_m3: float = quantity("Stock in it", "m³", possible=(0.1, 10_000), decimals=0, default=40.0)
    kw: float = quantity("Agitator", "kW", possible=(0, 2000), decimals=0, default=0.0)
    pulp: str = choice("Pulp", ("softwood", "hardwood or recycled"), default="softwood")


@dataclass(frozen=True, slots=True, kw_only=True)
class LayersMove(Proposal):
    before: float = figure("Agitator", "kW", decimals=0, equation="as installed")
    after: float = figure("Agitator wanted", "kW", decimals=0, equation="0.20 (C/3.5)² × volume")
    apart_pct: float = figure("Top and bottom apart", "%", decimals=1, equation="|top − bottom|/mean")
    expected: float = figure("Apart then", "%", decimals=0, equation="under 5")


_LAYERS: Final = {"top_pct": 3.3, "bottom_pct": 3.7, "volume_m3": 40, "kw": 4}


@model(
    "stock.layers_move",
    title="H5: top and bottom differ",
    source="shift practice, row H5; rule of thumb for agitators",
    holds_for="two samples of one minute; over 5 % apart",
    equation="kW = 0.20 (C/3.5)² × volume",
    basis="default",
    checks=(
        Check(_LAYERS, "apart_pct", 100 * 0.4 / 3.5, 1e-9),
        Check(_LAYERS, "after", 8.0, 1e-9),
        Check({**_LAYERS, "bottom_pct": 3.35}, "after", 4.0),
    ),
)
def layers_move(case: LayersCase) -> LayersMove:
    """Agitation, and the level cycled to clear dead stock. Raises: ImpossibleInput."""
    cautions = check(case)
    mean = 0.5 * (case.top_pct + case.bottom_pct)
    apart = 100.0 * abs(case.top_pct - case.bottom_pct) / mean
    stands = apart > APART_PCT
    after = max(case.kw, full_motion_kw(case.volume_m3, mean, case.pulp)) if stands else case.kw
    return LayersMove(
        stands=stands,
        why=f"Top and bottom are {apart:.1f} % apart, wanted under 5. Dead stock turns: it gives off H₂S.",
        low=case.kw,
        high=max(case.kw, after),
        band_low=0.0,
        band_high=APART_PCT,
        cautions=cautions,
        before=case.kw,
        after=after,
        apart_pct=apart,
        expected=APART_PCT,
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class BottomCase:
    cons_pct: float = quantity("Outlet", "%", possible=(0.5, 20), decimals=2)
    lumps: str = choice("It comes", ("even", "thin", "in lumps"))
    stock_l_min: float = quantity("Stock on", "L/min", possible=(1, 100_000), decimals=0)
    store_pct: float = quantity("In the tower", "%", possible=(1, 20), decimals=1, default=10.0)
    water_l_min: float = quantity("Bottom water now", "L/min", possible=(0, 100_000), decimals=0)
    target_pct: float = quantity("Wanted", "%", possible=(1, 10), decimals=2, default=3.75)
    inner: float = quantity("give or take", "%", possible=(0, 2), above=True, decimals=2, default=0.25)


@dataclass(frozen=True, slots=True, kw_only=True)
class BottomMove(Proposal):
    before: float = figure("Bottom water now", "L/min", decimals=0, equation="as set")
    after: float = figure("Bottom water", "L/min", decimals=0, equation="stock (C tower − C)/C, a tenth at most")
    needed: float = figure("in the end", "L/min", decimals=0, equation="stock (C tower − C)/C, not under 0")
    expected: float = figure("Outlet then", "%", decimals=2, equation="stock × C tower/(stock + water)")


_THICK: Final = {"cons_pct": 4.4, "lumps": "in lumps", "stock_l_min": 900, "store_pct": 10, "water_l_min": 1145}


@model(
    "stock.bottom_move",
    title="H6: a tower’s outlet thin or lumpy",
    source="shift practice, row H6; mass balance of the dilution zone",
    holds_for="3.5 to 4 % in the bottom zone; steady outflow",
    equation="water = stock (C tower − C)/C",
    basis="default",
    checks=(
        Check(_THICK, "needed", 900 * (10 - 3.75) / 3.75, 1e-9),
        Check(_THICK, "after", 1145 * 1.1, 1e-9),
        Check({**_THICK, "cons_pct": 3.8, "lumps": "even"}, "after", 1145),
    ),
)
def bottom_move(case: BottomCase) -> BottomMove:
    """Bottom water to the consistency wanted. Raises: ImpossibleInput."""
    cautions = check(case)
    needed = case.stock_l_min * max(0.0, case.store_pct - case.target_pct) / case.target_pct
    off = abs(case.cons_pct - case.target_pct) > case.inner
    stands = off or case.lumps != "even"
    step = cut(needed - case.water_l_min if stands else 0.0, MOST_WATER * case.water_l_min)
    after = max(0.0, case.water_l_min + step.size)
    return BottomMove(
        stands=stands and after != case.water_l_min,
        why=f"The outlet is at {case.cons_pct:.2f} %, {case.lumps}; wanted {case.target_pct:.2f} ± {case.inner:.2f} %.",
        low=(1.0 - MOST_WATER) * case.water_l_min,
        high=(1.0 + MOST_WATER) * case.water_l_min,
        band_low=case.target_pct - case.inner,
        band_high=case.target_pct + case.inner,
        bound_by=step.bound_by,
        cautions=cautions,
        before=case.water_l_min,
        after=after,
        needed=needed,
        expected=case.stock_l_min * case.store_pct / (case.stock_l_min + after),
    )


OF_VESSEL: Final = {"content_t": "content_t", "full_t": "full_t", "in_t_h": "in_t_h", "out_t_h": "out_t_h"}
add(
    Practice(
        id="H3",
        station="stock",
        symptom="A level falls: its limit before the plan allows",
        check_first=("inflow", "draw plan", "is the meter right"),
        says="Supply {before} to {after} t/h",
        unit="t/h OD",
        decimals=2,
        reads="",
        dead_min=10,
        retest_min=30,
        caution="The latest time to act stands in Cover. Ring the machine early: a stop called late costs the most.",
        model="stock.falls_move",
        most="10 %",
        solved=OF_VESSEL,
    ),
    Practice(
        id="H4",
        station="stock",
        symptom="A level near overflow",
        check_first=("stop plan", "divert chest", "is the meter right"),
        says="Supply {before} to {after} t/h",
        unit="t/h OD",
        decimals=2,
        reads="",
        dead_min=5,
        retest_min=30,
        caution="Overflow is fibre lost to the sewer, and hot stock over a floor. Store by shade.",
        model="stock.rises_move",
        most="20 %",
        solved=OF_VESSEL,
    ),
    Practice(
        id="H5",
        station="stock",
        symptom="Top and bottom samples differ by more than 5 %",
        check_first=("agitator power", "consistency", "a stale heel"),
        says="Agitator {before} to {after} kW, level cycled",
        unit="kW",
        decimals=0,
        reads="",
        dead_min=30,
        retest_min=120,
        caution="Dead stock gives off H₂S: gas tested before a lid is opened; nobody enters but under the site’s permit.",
        model="stock.layers_move",
    ),
    Practice(
        id="H6",
        station="stock",
        symptom="Tower outlet thin or in lumps",
        check_first=("bottom dilution ratio", "outflow", "a rat-hole"),
        says="Bottom water {before} to {after} L/min",
        unit="L/min",
        decimals=0,
        reads="cons_pct",
        dead_min=10,
        retest_min=30,
        caution="Never lance a rat-hole from above: the stock falls at once.",
        model="stock.bottom_move",
        most="10 %",
    ),
)
