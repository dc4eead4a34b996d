"""Source lots: a cook, a slice of a continuous line or of broke, as a mass with one story that furnish lots are made of.

A batch is a lot when it is blown or dumped; what runs without batches is cut every four hours, or before where a deviation
begins or ends or another raw material comes, without gaps. Tonnes are what of
it reaches the tower, by the line as it is run.
"""

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta

from core.cook.unit import CookPlan
from core.deliver.lots import SIGNS, USUAL, first_end, lot_number
from core.mechanical.unit import RefinePlan
from core.mill.causes import reaching
from core.stream import SUSPENDED
from desk.log.actions import write
from desk.log.models import Kind, Record
from desk.mill.lot_ends import Ends
from desk.mill.shifts import shift_of

SLICE = timedelta(hours=4)
MOST_SLICES = 18  # of a unit that nobody cut for days: what is older is not told
COOKED, REFINED, BROKE = "D", "T", "R"


@dataclass(frozen=True)
class Maker:
    """A unit whose pulp is cut into lots: the source it makes, its letters, what it is called, its rate to the tower."""

    unit: str
    source: str
    line: str
    kind: str
    what: str
    t_h: float
    batch: bool


def _letter(state, source: str) -> str:
    return source if len(source) == 1 and source in SIGNS else "X"


def makers(state) -> list[Maker]:
    """Every unit that cooks, refines or takes broke for a source of the furnish, as the line is run."""
    told, solved = [], state.solution
    titles = {u.id: u.title or u.id for u in state.mill.units}
    for key, source in state.mill.sources.items():
        if source.tower not in solved.network.index:
            continue
        shares = reaching(solved, source.tower)
        letter = _letter(state, key)
        for unit, plan in state.line.acting.items():
            if unit not in shares or not isinstance(plan, CookPlan | RefinePlan):
                continue
            kind = COOKED if isinstance(plan, CookPlan) else REFINED
            made = float(solved.after[solved.network.index[unit]] @ SUSPENDED)
            batch = getattr(plan, "vessel", "") == "batch"
            told.append(Maker(unit, key, letter, kind, titles[unit], made * shares[unit], batch))
        if source.raw_wet_t_t == 0.0 and not source.spare and source.unit in solved.network.index:
            made = float(solved.after[solved.network.index[source.unit]] @ SUSPENDED)
            what = f"{source.name}, with its own history"
            told.append(Maker(source.unit, key, letter, BROKE, what, made * shares.get(source.unit, 1.0), False))
    return told


def number_for(state, line: str, kind: str, at: datetime) -> str:
    """The next number of a line and kind in the shift of a time, one that is not used."""
    shift = shift_of(at, state.mill)
    day = shift.start.timetuple()
    prefix = f"{line}{kind}-{day.tm_year % 100:02d}{day.tm_yday:03d}-{shift.letter}"
    used = set(Record.objects.filter(kind=Kind.LOT_CLOSE, subject__startswith=prefix).values_list("subject", flat=True))
    for serial in range(len(used) + 1, len(used) + 200):
        number = lot_number(line=line, kind=kind, year=day.tm_year, day=day.tm_yday, shift=shift.letter, serial=serial)
        if number not in used:
            return number
    raise ValueError(f"no number is free for {prefix}")


def keep(state, maker: Maker, *, tonnes: float, what: str, at: datetime, by, now: datetime, since: datetime, **more) -> Record:
    """Keep a source lot that was made up to a time. Inside the caller's write."""
    number = number_for(state, maker.line, maker.kind, at)
    data = {"source": maker.source, "unit": maker.unit, "what": what, "tonnes": tonnes, "since": since.isoformat(), **more}
    says = f"Lot {number}, {what}, {tonnes:.1f} t"
    return write(kind=Kind.LOT_CLOSE, subject=number, by=by, now=now, at=at, says=says, data=data)


def of_cook(state, *, unit: str, what: str, pulp_t: float, number: int, since: datetime, by, now: datetime) -> Record | None:
    """A blown cook as a source lot, of so much pulp at the blow, t; None for a unit that makes no source's pulp."""
    maker = next((m for m in makers(state) if m.unit == unit), None)
    if maker is None:
        return None
    made = float(state.solution.after[state.solution.network.index[unit]] @ SUSPENDED)
    share = maker.t_h / made if made > 0.0 else 1.0
    return keep(state, maker, tonnes=pulp_t * share, what=what, at=now, by=by, now=now, since=since, cook=number)


def cut_due(state, *, by, now: datetime) -> list[Record]:
    """Cut every slice that is due: four hours each, the next from the same second. Inside the caller's write."""
    told, ends = [], Ends(state, now - MOST_SLICES * SLICE)
    for maker in makers(state):
        if maker.batch or maker.t_h <= 0.0:
            continue
        newest = (
            Record.objects.current()
            .filter(kind=Kind.LOT_CLOSE, about__isnull=True, data__unit=maker.unit)
            .order_by("-at", "-id")
            .first()
        )
        since = newest.at if newest is not None else now - SLICE
        since = max(since, now - MOST_SLICES * SLICE)
        own = ends.of(maker.unit, maker.line)
        while True:
            found = first_end(since.timestamp() / 3600.0, own)
            end = datetime.fromtimestamp(round(found.at_h * 3600.0, 3), UTC)
            if end > now:
                break
            whole_h = (end - since) / timedelta(hours=1)
            hours = whole_h if maker.kind != BROKE else state.running_h(since, end)
            tonnes = maker.t_h * hours
            if tonnes > 0.0:
                behind = {"from": _reels(since, end, tonnes)} if maker.kind == BROKE else {}
                what = maker.what if maker.kind == BROKE else f"{maker.what}, {whole_h:.2g} h slice"
                what += "" if found.why == USUAL else f", {found.why}"
                told.append(keep(state, maker, tonnes=tonnes, what=what, at=end, by=by, now=now, since=since, **behind))
            since = end
    return told


def _reels(since: datetime, end: datetime, tonnes: float) -> list[Mapping[str, object]]:
    """The furnish lots that ran on the machine in a time, each with its part of the broke of that time."""
    opened = Record.objects.current().filter(kind=Kind.LOT_OPEN, at__lt=end).order_by("-at", "-id")[:8]
    rows: list[tuple[str, float]] = []
    until = end
    for r in opened:
        hours = (until - max(r.at, since)) / timedelta(hours=1)
        if hours > 0.0:
            rows.append((r.subject, hours))
        until = min(until, r.at)
        if r.at <= since:
            break
    whole = sum(h for _, h in rows)
    return [{"lot": lot, "od_t": tonnes * h / whole} for lot, h in rows] if whole > 0.0 else []
