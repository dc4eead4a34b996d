"""The digester house on one clock: phases of every batch, the steam they draw together, the blow tank, and where they clash."""

import math
from dataclasses import dataclass, fields, replace

from core.cook.models import SteamCase, steam
from core.cook.profile import Points
from core.errors import Caution, ImpossibleInput, Problem
from core.quantity import check, figure, quantity, rows
from core.register import Check, model

STEP_MIN = 5.0


@dataclass(frozen=True, slots=True, kw_only=True)
class Batch:
    """A batch cook on the house's clock, minutes: filling before the rise, then rise, hold, blow. Steam is drawn in the
    rise."""

    name: str
    digester: str
    rise_at: float
    fill_min: float
    rise_min: float
    hold_min: float
    blow_min: float
    steam_t_h: float
    hold_steam_t_h: float
    pulp_t: float
    done: bool = False  # known, no more to be moved

    @property
    def blow_at(self) -> float:
        return self.rise_at + self.rise_min + self.hold_min

    @property
    def end(self) -> float:
        return self.blow_at + self.blow_min

    def phases(self) -> tuple[tuple[str, float, float], ...]:
        a = self.rise_at - self.fill_min
        return (
            ("fill", a, self.rise_at),
            ("rise", self.rise_at, self.rise_at + self.rise_min),
            ("hold", self.rise_at + self.rise_min, self.blow_at),
            ("blow", self.blow_at, self.end),
        )


FILL_MIN, BLOW_MIN, IDLE_MIN, HOLD_STEAM, WET_WOOD_PCT, LOSS_MJ_T = 43.0, 20.0, 34.0, 0.15, 88.0, 60.0
NO_HEAT_T_T = 0.8  # t steam a t of wood where the heat balance has no answer


def batch_of(
    *,
    name: str,
    digester: str,
    rise_at: float,
    plan: Points,
    lw_m3_t: float,
    wood_t: float,
    yield_pct: float,
    done: bool = False,
) -> Batch:
    """A cook on the house's clock: its phases from its profile, its steam from the heat of the rise, its pulp from its
    yield."""
    top = max(t for _, t in plan)
    rise = next(m for m, t in plan if t >= top - 0.5)
    try:
        heat = SteamCase(
            rise_c=max(1.0, top - plan[0][1]),
            u_pct=WET_WOOD_PCT,
            liquor_t_t=max(0.0, lw_m3_t - WET_WOOD_PCT / 100.0),
            loss_mj_t=LOSS_MJ_T,
            final_c=min(top, 180.0),
        )
        per_t = steam(heat).direct_t_t
    except ImpossibleInput:
        per_t = NO_HEAT_T_T
    rising = per_t * wood_t / (max(rise, 1.0) / 60.0)
    return Batch(
        name=name,
        digester=digester,
        rise_at=rise_at,
        fill_min=FILL_MIN,
        rise_min=rise,
        hold_min=max(1.0, plan[-1][0] - rise),
        blow_min=BLOW_MIN,
        steam_t_h=rising,
        hold_steam_t_h=HOLD_STEAM * rising,
        pulp_t=wood_t * yield_pct / 100.0,
        done=done,
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class Pace:
    """Hours of a cycle, hours between blows, and ADt a day of the house."""

    cycle_h: float
    apart_h: float
    adt_day: float


def pace(batch: Batch, digesters: int) -> Pace:
    """The pace of so many digesters that all cook like this one, filling and idle time in. Raises: ImpossibleInput for none."""
    if digesters < 1:
        raise ImpossibleInput(Problem("digesters", f"is {digesters}; there must be one at least"))
    cycle = batch.end - batch.rise_at + FILL_MIN + IDLE_MIN
    return Pace(cycle_h=cycle / 60.0, apart_h=cycle / 60.0 / digesters, adt_day=digesters * batch.pulp_t / 0.9 * 1440.0 / cycle)


def follow_on(last: Batch, name: str, after: float) -> Batch:
    """The next cook of a digester, like the last: filled and begun as soon as it may, not before `after`."""
    return replace(last, name=name, rise_at=max(last.end, after) + FILL_MIN + IDLE_MIN, done=False)


@dataclass(frozen=True, slots=True, kw_only=True)
class Steady:
    """A continuous consumer: steam t/h from minute to minute."""

    name: str
    steam_t_h: float
    start: float
    end: float


@dataclass(frozen=True, slots=True, kw_only=True)
class Limits:
    """What the house shares: steam, the blow tank's room and what washing takes from it, and when washing stands."""

    steam_t_h: float
    tank_t: float
    tank_now_t: float
    wash_t_h: float
    wash_stops: tuple[tuple[float, float], ...] = ()


@dataclass(frozen=True, slots=True, kw_only=True)
class Clash:
    """Where a limit is passed: what, from and to which minute, how much at worst, and the limit."""

    what: str
    start: float
    end: float
    worst: float
    limit: float


@dataclass(frozen=True, slots=True, kw_only=True)
class House:
    minute: tuple[float, ...]
    steam_t_h: tuple[float, ...]
    tank_t: tuple[float, ...]
    clashes: tuple[Clash, ...]


def _runs(minutes: list[float], values: list[float], limit: float, what: str) -> list[Clash]:
    result, start, worst = [], None, 0.0
    for m, v in zip([*minutes, minutes[-1] + STEP_MIN], [*values, -1.0], strict=True):
        if v > limit + 1e-9:
            start = m if start is None else start
            worst = max(worst, v)
        elif start is not None:
            result.append(Clash(what=what, start=start, end=m, worst=worst, limit=limit))
            start, worst = None, 0.0
    return result


def look_ahead(batches: tuple[Batch, ...], steady: tuple[Steady, ...], limits: Limits, *, start: float, end: float) -> House:
    """Steam and blow tank from one minute to another, and every clash: steam, tank, two blows at once, one digester twice.

    Raises: ImpossibleInput when the window or a phase is not positive.
    """
    bad = [] if end > start else [Problem("end", f"is {end:g} min; it must be after {start:g}")]
    bad += [
        Problem(b.name, "has a phase of no length")
        for b in batches
        if min(b.rise_min, b.hold_min, b.blow_min) <= 0 or b.fill_min < 0
    ]
    if bad:
        raise ImpossibleInput(*bad)
    minutes = [start + STEP_MIN * i for i in range(int((end - start) / STEP_MIN) + 1)]
    steam, tank, held = [], [], limits.tank_now_t
    for m in minutes:
        used = sum(s.steam_t_h for s in steady if s.start <= m < s.end)
        for b in batches:
            if b.rise_at <= m < b.rise_at + b.rise_min:
                used += b.steam_t_h
            elif b.rise_at + b.rise_min <= m < b.blow_at:
                used += b.hold_steam_t_h
        steam.append(used)
        tank.append(held)
        held += sum(b.pulp_t * STEP_MIN / b.blow_min for b in batches if b.blow_at <= m < b.end)
        if not any(a <= m < z for a, z in limits.wash_stops):
            held = max(0.0, held - limits.wash_t_h * STEP_MIN / 60.0)
    clashes = _runs(minutes, steam, limits.steam_t_h, "steam") + _runs(minutes, tank, limits.tank_t, "blow tank")
    order = sorted(batches, key=lambda b: b.blow_at)
    for a, b in zip(order, order[1:], strict=False):
        if b.blow_at < a.end and a.end > start and b.blow_at < end:
            clashes.append(Clash(what=f"two blows, {a.name} and {b.name}", start=b.blow_at, end=a.end, worst=2, limit=1))
    for a in batches:
        for b in batches:
            if (
                a is not b
                and a.digester == b.digester
                and a.rise_at - a.fill_min < b.rise_at < a.end
                and start < a.end
                and b.rise_at < end
            ):
                clashes.append(
                    Clash(what=f"digester {a.digester} twice", start=b.rise_at - b.fill_min, end=a.end, worst=2, limit=1)
                )
    return House(
        minute=tuple(minutes), steam_t_h=tuple(steam), tank_t=tuple(tank), clashes=tuple(sorted(clashes, key=lambda c: c.start))
    )


def later_start(
    batches: tuple[Batch, ...],
    name: str,
    steady: tuple[Steady, ...],
    limits: Limits,
    *,
    start: float,
    end: float,
    most_min: float = 120.0,
) -> tuple[float, House] | None:
    """The least delay of one batch's rise (in steps of five minutes) that brings no clash; None when none to two hours does."""
    for delay in range(0, int(most_min) + 1, int(STEP_MIN)):
        moved = tuple(replace(b, rise_at=b.rise_at + delay) if b.name == name else b for b in batches)
        house = look_ahead(moved, steady, limits, start=start, end=end)
        if not house.clashes:
            return float(delay), house
    return None


@dataclass(frozen=True, slots=True, kw_only=True)
class BatchRow:
    """A batch on the clock: when its rise begins (minutes from now), its phases, its steam and its pulp."""

    rise_at: float = quantity("Rise begins", "min", possible=(-3000, 6000), decimals=0)
    rise_min: float = quantity("Rise", "min", possible=(0, 600), above=True, decimals=0)
    hold_min: float = quantity("Hold", "min", possible=(0, 1000), above=True, decimals=0)
    steam_t_h: float = quantity("Steam in the rise", "t/h", possible=(0, 500), decimals=1)
    hold_steam_t_h: float = quantity("Steam in the hold", "t/h", possible=(0, 500), decimals=1)
    pulp_t: float = quantity("Pulp", "t OD", possible=(0, 500), decimals=2)


@dataclass(frozen=True, slots=True, kw_only=True)
class SteadyRow:
    """A continuous consumer of steam, from minute to minute."""

    steam_t_h: float = quantity("Steam", "t/h", possible=(0, 500), decimals=1)
    start: float = quantity("from", "min", possible=(-1e5, 1e5), decimals=0, default=-1e4)
    end: float = quantity("to", "min", possible=(-1e5, 1e5), decimals=0, default=1e4)


@dataclass(frozen=True, slots=True, kw_only=True)
class HouseCase:
    """What runs and comes in the digester house, what it shares, and how many digesters cook like the first batch."""

    batches: tuple[BatchRow, ...] = rows("Batch", BatchRow, most=60)
    steady: tuple[SteadyRow, ...] = rows("Continuous", SteadyRow, least=0, most=8)
    digesters: int = quantity("Batch digesters", "", possible=(1, 60), decimals=0, whole=True, default=1)
    tank_now_t: float = quantity("In the blow tank now", "t OD", possible=(0, 1000), decimals=1, default=0.0)
    wash_t_h: float = quantity("Washing takes", "t/h OD", possible=(0, 200), decimals=1, default=0.0)
    wash_from: float = quantity("Washing stops at", "min", possible=(0, 1440), decimals=0, default=0.0)
    wash_for: float = quantity("for", "min", possible=(0, 1440), decimals=0, default=0.0)
    ahead_min: float = quantity("Looked ahead", "min", possible=(5, 2880), decimals=0, default=480.0)


@dataclass(frozen=True, slots=True, kw_only=True)
class HouseFound:
    """The pace of the house, and the most it asks of steam and blow tank in the window; `ahead` holds the window whole."""

    cycle_h: float = figure("Cycle, batch", "h", decimals=2, equation="(fill + rise + hold + blow + idle)/60")
    apart_h: float = figure("Digesters apart", "h", decimals=2, equation="cycle/digesters")
    adt_day: float = figure("Batch pulp a day", "ADt", decimals=0, equation="digesters × pulp/0.9 × 24/cycle")
    steam_most_t_h: float = figure("Steam at most", "t/h", decimals=1, equation="largest sum, by five minutes")
    tank_most_t: float = figure("Blow tank at most", "t OD", decimals=1, equation="largest of now + blows − washing")
    ahead: House
    cautions: tuple[Caution, ...] = ()


def house_case(
    batches: tuple[Batch, ...], steady: tuple[Steady, ...], limits: Limits, *, first: Batch, digesters: int, ahead_min: float
) -> HouseCase:
    """A house as the case of its model, the batch whose pace is told first. A batch long over is left out."""
    kept = [first, *(b for b in batches if b is not first and b.end > 0.0)]
    stop = limits.wash_stops[0] if limits.wash_stops else (0.0, 0.0)
    named = {f.name for f in fields(BatchRow)}
    return HouseCase(
        batches=tuple(BatchRow(**{name: getattr(b, name) for name in named}) for b in kept),
        steady=tuple(SteadyRow(steam_t_h=s.steam_t_h, start=s.start, end=s.end) for s in steady),
        digesters=digesters,
        tank_now_t=limits.tank_now_t,
        wash_t_h=limits.wash_t_h,
        wash_from=stop[0],
        wash_for=stop[1] - stop[0],
        ahead_min=ahead_min,
    )


_CHECK = {
    "batches": ({"rise_at": 0, "rise_min": 95, "hold_min": 90, "steam_t_h": 12, "hold_steam_t_h": 1.8, "pulp_t": 10.08},),
    "steady": ({"steam_t_h": 4.2},),
    "digesters": 2,
    "tank_now_t": 12.0,
}


@model(
    "cook.house",
    title="The digester house",
    source="batches on one clock; balance of the blow tank",
    holds_for=f"filling {FILL_MIN:.0f} min, blow {BLOW_MIN:.0f} min, idle {IDLE_MIN:.0f} min (defaults)",
    equation="steam and pulp summed over the batches, step by step",
    basis="default",
    checks=(
        Check(_CHECK, "cycle_h", (43 + 95 + 90 + 20 + 34) / 60.0),
        Check(_CHECK, "adt_day", 2 * 10.08 / 0.9 * 1440.0 / 282.0),
        Check(_CHECK, "steam_most_t_h", 16.2),
        Check(_CHECK, "tank_most_t", 22.08),
    ),
)
def house(case: HouseCase) -> HouseFound:
    """The house of a case. Raises: ImpossibleInput."""
    cautions = check(case)
    batches = tuple(
        Batch(
            name=str(i),
            digester=str(i),
            rise_at=b.rise_at,
            fill_min=FILL_MIN,
            rise_min=b.rise_min,
            hold_min=b.hold_min,
            blow_min=BLOW_MIN,
            steam_t_h=b.steam_t_h,
            hold_steam_t_h=b.hold_steam_t_h,
            pulp_t=b.pulp_t,
        )
        for i, b in enumerate(case.batches, start=1)
    )
    steady = tuple(Steady(name=str(i), steam_t_h=s.steam_t_h, start=s.start, end=s.end) for i, s in enumerate(case.steady))
    limits = Limits(
        steam_t_h=math.inf,
        tank_t=math.inf,
        tank_now_t=case.tank_now_t,
        wash_t_h=case.wash_t_h,
        wash_stops=((case.wash_from, case.wash_from + case.wash_for),) if case.wash_for else (),
    )
    ahead = look_ahead(batches, steady, limits, start=0.0, end=case.ahead_min)
    paced = pace(batches[0], case.digesters)
    return HouseFound(
        cycle_h=paced.cycle_h,
        apart_h=paced.apart_h,
        adt_day=paced.adt_day,
        steam_most_t_h=max(ahead.steam_t_h),
        tank_most_t=max(ahead.tank_t),
        ahead=ahead,
        cautions=cautions,
    )
