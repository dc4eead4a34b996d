"""The key figures of a shift from its record: accounts, lots, stops, readings; and what the next shift must know first."""

from dataclasses import dataclass
from datetime import datetime, timedelta

from core.accounts.keys import Keys, KeysCase, keys
from core.errors import CoreError
from core.unit import AIR_DRY, Worked
from desk.deliver import deviations
from desk.deliver.actions import Lot, lots
from desk.kit.templatetags.vat import clock, dayclock, figure, hm, midline, upfirst
from desk.lab import looks
from desk.lab.board import STANDS, Board
from desk.log.models import Kind, Record
from desk.mill.accounts import HOUR, Period, kept_hours, sum_of, towers_of
from desk.mill.state import MillState
from desk.schedule import halts

WATERS = ("fresh", "showers")
OFF = ("held", "downgraded", "diverted")
FIRST_MOST = 6
SOON_H = 4.0


@dataclass(frozen=True)
class ShiftKeys:
    """The figures with the case that made them; what they could not count, in words."""

    worked: Worked
    lacks: tuple[str, ...]

    @property
    def found(self) -> Keys:
        return self.worked.result


def keys_of(state: MillState) -> ShiftKeys | None:
    """The figures of the running shift's whole hours so far; None before its first hour, or where no account can be made."""
    shift = state.shift
    end = state.now.replace(minute=0, second=0, microsecond=0)
    start = shift.start
    if end - start < HOUR:
        return None
    period = Period("shift", shift.name, start, end)
    lacks = []
    try:
        hours, missing = kept_hours(period)
        accounts = sum_of(hours)
    except CoreError:
        return None
    if missing:
        lacks.append(f"{missing} hour{'s' if missing > 1 else ''} not worked out yet")
    of = accounts.of
    if "fibre" not in of:
        return None
    delivered = sum(_in(x, start, end) for x in lots(state, days=2))
    if delivered <= 0.0:
        delivered = accounts.reel_t
        lacks.append("no lot of the shift: delivered is what the reel took")
    rose = sum(r.by_meter for r in towers_of(state, period, accounts))
    water = {e.key: e.value for e in of["water"].came} if "water" in of else {}
    gone = {e.key: e.value for e in of["water"].went} if "water" in of else {}
    spilt = {e.key: e.value for e in of["fibre"].went}
    readings, inside = _read(state, start, end)
    closed, first, off = _lots(state, start, end)
    scheduled, down = _hours(state, start, end)
    case = KeysCase(
        raw_t=of["fibre"].total,
        delivered_t=delivered,
        rose_t=rose,
        chemicals_kg=of["chemicals"].total if "chemicals" in of else 0.0,
        kwh=1000.0 * of["power"].total if "power" in of else 0.0,
        steam_t=of["steam"].total if "steam" in of else 0.0,
        fresh_m3=sum(water.get(k, 0.0) for k in WATERS),
        effluent_m3=gone.get("effluent", 0.0),
        fibre_lost_t=spilt.get("sewer", 0.0),
        scheduled_h=max(0.01, scheduled),
        down_h=min(down, scheduled),
        most_adt_h=state.draw.solids_t_h / AIR_DRY,  # what the grade takes at its speed
        in_band=inside,
        valid=readings,
        off_adt=off,
        passed_first=first,
        closed=closed,
    )
    return ShiftKeys(Worked(model="shift.keys", case=case, result=keys(case)), tuple(lacks))


def _in(x: Lot, start: datetime, end: datetime) -> float:
    """Tonnes of a lot that fall into a time, by its hours."""
    whole, part = x.end - x.start, min(x.end, end) - max(x.start, start)
    return x.tonnes * (part / whole) if whole > timedelta() and part > timedelta() else 0.0


def _read(state, start: datetime, end: datetime) -> tuple[int, int]:
    """Valid readings of the plan, and how many lie in their band."""
    asked = Record.objects.current().filter(kind=Kind.RESULT, status__in=STANDS, at__gte=start, at__lt=end)
    told = [(s, v) for s, v in asked.values_list("subject", "value") if s in state.mill.plan]
    bands = {row: state.mill.band(state.mill.plan[row], state.grade) for row in {s for s, _ in told}}
    return len(told), sum(bands[s].low <= v <= bands[s].high for s, v in told)


def _lots(state, start: datetime, end: datetime) -> tuple[int, int, float]:
    """Lots closed in a time, how many of these were released at their first decision, and ADt held, downgraded or diverted."""
    closed = [x for x in lots(state, days=2) if x.closed is not None and start < x.end <= end]
    first = sum(bool(x.decisions) and x.decisions[0].data["action"] == "release" and len(x.decisions) == 1 for x in closed)
    return len(closed), first, sum(x.tonnes for x in closed if x.standing in OFF) / AIR_DRY


def _hours(state, start: datetime, end: datetime) -> tuple[float, float]:
    """Hours that count (planned stops that were entered before they began are left out), and of these the machine stood."""
    planned = down = 0.0
    for h in state.halts:
        hours = (min(h.end, end) - max(h.start, start)) / HOUR
        if hours <= 0.0 or h.rate_pct > 0.0:
            continue
        if h.planned:
            planned += hours
        else:
            down += hours
    return (end - start) / HOUR - planned, down


def know_first(state, board: Board) -> list[str]:
    """What the next shift must know before anything else, gravest first."""
    told = [
        f"Safety: {r.words[:120]}"
        for r in Record.objects.current()
        .filter(kind=Kind.REMARK, status="safety", at__gte=state.shift.start, at__lte=state.now)
        .order_by("at", "id")
    ]
    danger = [s for s in looks.board(state) if s.code is not None and s.code.verdict == "danger"]
    told += [f"Seen at {s.stop.title}: {s.code.word}, {clock(s.record.at)}." for s in danger]
    told += [f"Deviation {d.number} is open: {d.opened.words}." for d in deviations.deviations(state, only_open=True)]
    told += [
        f"{r.row.place}, {midline(r.test.name)} {r.shown}, {r.judgement.word}, {clock(r.result.at)}."
        for r in board.drifting
        if r.state == "contain"
    ]
    held = [x.number for x in lots(state, days=4) if x.standing == "held"]
    if held:
        told.append(f"{len(held)} lot{'s' if len(held) > 1 else ''} on hold: {', '.join(held[:3])}.")
    first = next((v for v in state.vessels.values() if v.cover.way != "steady" and v.cover.hours < SOON_H), None)
    if first is not None:
        told.append(f"{first.vessel.name} {first.cover.way} in {hm(first.cover.hours)}.")
    told += [f"The machine stops {clock(s.start)}: {s.what}." for s in state.stops[:1]]
    standing = [t for t in halts.told(state, timedelta(days=7)) if t.halt.unit or t.late]
    told += [
        f"{upfirst(t.name)} is down since {dayclock(t.halt.start)}: {t.halt.what}."
        for t in standing
        if t.halt.unit and t.halt.start <= state.now < t.halt.end
    ]
    if late := sum(t.late for t in standing):
        told.append(f"{late} stop{'s' if late > 1 else ''} without a cause after a day: somebody must say.")
    return told[:FIRST_MOST]


def lines(made: ShiftKeys) -> list[str]:
    """The figures as the handover freezes them, each with its basis."""
    k, c = made.found, made.worked.case
    told = [
        f"made {figure(k.made_adt, 1)} ADt: delivered {figure(c.delivered_t, 1)} t OD, towers {figure(c.rose_t, 1)} t",
        f"yield {figure(k.yield_pct, 1)} % of {figure(c.raw_t, 1)} t OD raw",
        f"chemicals {figure(k.chemicals, 1)} kg, power and heat {figure(k.energy, 0)} kWh an ADt",
        f"fresh water {figure(k.water, 1)}, effluent {figure(k.effluent, 1)} m³ an ADt",
        f"uptime {figure(k.uptime_pct, 1)} % of {figure(c.scheduled_h, 1)} h, rate loss {figure(k.rate_loss_pct, 1)} %",
        f"in band {figure(k.in_band_pct, 1)} % of {c.valid:.0f} readings",
        f"first-pass {c.passed_first:.0f} of {c.closed:.0f} lots, off quality {figure(k.off_pct, 1)} % "
        f"of what was made, fibre to sewer {figure(k.fibre_loss_pct, 2)} %",
    ]
    told = [line.replace(" %", "\N{NO-BREAK SPACE}%") for line in told]
    return told + [f"not counted: {'; '.join(made.lacks)}" for _ in made.lacks[:1]]
