"""Accounts of whole hours from the record: what the line took and gave, kept so that a period is summed at once."""

from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from datetime import datetime, timedelta

from django.db import OperationalError
from django.db.models import Max
from django.utils import timezone

from core.accounts.line import STAYS, Account, Accounts, Entry, Terms, accounts_of, summed
from core.accounts.towers import DRAWN_OFF, LEAST_SD, LEVEL_OFF, MADE_OFF, TAKEN_OFF, Tower, TowersCase, TowersFound
from core.accounts.towers import towers as agree
from core.errors import CoreError
from desk.instruments.models import Signal
from desk.instruments.store import at_minute, series
from desk.kit.writing import trouble_of, writing
from desk.log.models import Kind, Record
from desk.mill.models import HourAccount, MillVersion
from desk.mill.shifts import shift_of
from desk.mill.state import MillState, NoMill, solve_running

HOUR = timedelta(hours=1)
AT_ONCE = 8  # hours worked out for one page
LEAST_RATE = 0.02  # a machine that stands is solved at this
LONGEST = timedelta(hours=72)
NORM_HOURS, NORM_BACK = 24, timedelta(days=7)
PERIODS = ("shift", "last shift", "day", "order", "grade")


@dataclass(frozen=True)
class Period:
    """Whole hours from and to, and what they are called."""

    key: str
    name: str
    start: datetime
    end: datetime

    @property
    def hours(self) -> list[datetime]:
        """The beginnings of its hours."""
        count = max(0, int((self.end - self.start) / HOUR))
        return [self.start + HOUR * i for i in range(count)]


def _whole(when: datetime) -> datetime:
    return when.replace(minute=0, second=0, microsecond=0)


def _since(state: MillState, what: str) -> datetime:
    """When the running order, or the running grade, began."""
    run = state.run
    told = Record.objects.current().filter(kind=Kind.START, at__lte=state.now).order_by("-at", "-id")
    begun = state.now
    for record in told[:40]:
        same = record.subject == run["order"] if what == "order" else record.data["grade"] == run["grade"]
        if not same:
            break
        begun = record.at
    return max(begun, state.now - LONGEST)


def period_of(state: MillState, key: str) -> Period:
    """A period by its key; whole hours that are over."""
    now = _whole(timezone.localtime(state.now))
    shift = state.shift
    if key == "last shift":
        before = shift_of(shift.start - timedelta(minutes=1), state.mill)
        return Period(key, f"the {before.name} before", before.start, before.end)
    if key == "day":
        return Period(key, "the last 24 hours", now - timedelta(hours=24), now)
    if key in ("order", "grade"):
        begun = _whole(timezone.localtime(_since(state, key)) + timedelta(minutes=59))
        name = f"order {state.run['order']}" if key == "order" and state.run["order"] else state.grade.name
        return Period(key, f"{name} so far", begun, now)
    return Period("shift", f"this {shift.name}", _whole(shift.start), now)


def _plain(accounts: Accounts) -> dict:
    return {
        key: {
            "name": a.name,
            "unit": a.unit,
            "came": [[e.key, e.name, e.value] for e in a.came],
            "went": [[e.key, e.name, e.value] for e in a.went],
        }
        for key, a in accounts.of.items()
    }


def accounts_in(kept: HourAccount) -> Accounts:
    """What was kept, as accounts."""

    def entries(told) -> tuple[Entry, ...]:
        return tuple(Entry(key=k, name=n, value=v) for k, n, v in told)

    of = {
        key: Account(key=key, name=a["name"], unit=a["unit"], came=entries(a["came"]), went=entries(a["went"]))
        for key, a in kept.told.items()
    }
    return Accounts(reel_t=kept.reel_t, of=of)


def _stale(kept: HourAccount, written: Iterable[tuple[int, datetime]]) -> bool:
    """Whether something of that hour or before was written after it was worked out; `written`: number and time of records."""
    return any(pk > kept.newest and at < kept.start + HOUR for pk, at in written)


def version_at(when: datetime) -> int:
    """The version of the set-up that was in force at a time; of a time before the first, the first. Raises: NoMill."""
    then = MillVersion.objects.filter(made_at__lte=when).order_by("-pk").values_list("pk", flat=True).first()
    first = then or MillVersion.objects.order_by("pk").values_list("pk", flat=True).first()
    if first is None:
        raise NoMill
    return first


def _worked(start: datetime) -> HourAccount | None:
    """An hour by the record: the line as it was run in its middle, the machine at its share of the hour. None of an hour
    before the mill was set up, or that the line cannot be solved for."""
    newest = Record.objects.aggregate(Max("pk"))["pk__max"] or 0
    try:
        state = MillState(start + HOUR / 2, version_at(start + HOUR / 2))
        ran = state.running_h(start, start + HOUR)
        line = solve_running(state.version_id, state.running_at(max(ran, LEAST_RATE)))
    except (NoMill, CoreError):
        return None
    drawn = state.draw.solids_t_h * ran
    added = {a.name: a.dose_kg_t * drawn for a in state.grade.additives}
    accounts = accounts_of(line, reel_of(state), added, Terms())
    return HourAccount(
        start=start,
        newest=newest,
        version=MillVersion.objects.get(pk=state.version_id),
        ran=ran,
        order=state.run["order"],
        grade=state.run["grade"],
        reel_t=accounts.reel_t if ran > 0.0 else 0.0,
        told=_plain(accounts),
        gives={key: t_h * ran for key, t_h in state.running.gives.items()} if state.rate > 0.0 else {},
    )


def reel_of(state: MillState) -> str:
    """The exit that the machine's web goes to: where most of its solids leave."""
    network = state.solution.network
    unit = state.mill.roles.machine
    if unit not in network.index:
        return ""
    ways = [(float(state.solution.leaves(unit, o.name).solids_t_h), o.to) for o in network.unit(unit).outlets]
    return max(ways, default=(0.0, ""))[1]


def _keep(made: HourAccount) -> None:
    """Keep an hour that was worked out; where the database takes nothing now, it is worked out again the next time."""
    try:
        with writing():
            HourAccount.objects.filter(start=made.start).delete()
            made.save()
    except OperationalError as trouble:
        if trouble_of(trouble) is None:
            raise


def kept_hours(period: Period, *, at_once: int = AT_ONCE) -> tuple[list[HourAccount], int]:
    """The hours of a period that are worked out, some of them just now, and how many are still to be."""
    hours = period.hours
    there = {h.start: h for h in HourAccount.objects.filter(start__gte=period.start, start__lt=period.end)}
    since = min((h.newest for h in there.values()), default=None)
    later = Record.objects.filter(pk__gt=since, at__lt=period.end) if there else Record.objects.none()
    written = list(later.values_list("pk", "at"))
    told, missing, done = [], 0, 0
    for start in hours:
        kept = there.get(start)
        if kept is not None and (kept.gives or kept.ran <= 0.0) and not _stale(kept, written):
            told.append(kept)
            continue
        if done >= at_once:
            missing += 1
            continue
        done += 1
        if (made := _worked(start)) is None:
            continue
        _keep(made)
        told.append(made)
    return told, missing


def sum_of(hours: list[HourAccount]) -> Accounts:
    """The accounts of hours together."""
    return summed((1.0, accounts_in(h)) for h in hours)


def norm_of(before: datetime, key: str) -> tuple[float, int] | None:
    """An account a tonne on the reel over the week before, and of how many hours; None of less than a day of them."""
    rows = list(HourAccount.objects.filter(start__gte=before - NORM_BACK, start__lt=before, ran__gt=0.5))
    if len(rows) < NORM_HOURS:
        return None
    reel = sum(h.reel_t for h in rows)
    return (sum(accounts_in(h).of[key].total for h in rows if key in h.told) / reel, len(rows)) if reel > 0.0 else None


@dataclass(frozen=True)
class Rose:
    """A tower over a period: what it rose by in its meter, what by the accounts, t OD."""

    name: str
    key: str
    by_meter: float
    by_line: float

    @property
    def unexplained(self) -> float:
        return self.by_meter - self.by_line


@dataclass(frozen=True)
class Agreed:
    """Towers and the machine over a period made to agree: the case, what was found, names by tower in its order."""

    case: TowersCase
    found: TowersFound
    names: tuple[str, ...]

    @property
    def rows(self) -> list[tuple[str, list[tuple[float, float]]]]:
        """Each tower: its name; made, drawn and rose as told and as adjusted."""
        told = [(t.made_t, t.drawn_t, t.rose_t) for t in self.case.towers]
        pairs = [list(zip(t, x, strict=True)) for t, x in zip(told, self.found.towers, strict=True)]
        return list(zip(self.names, pairs, strict=True))

    @property
    def suspects(self) -> list[str]:
        """In words: whose meter cannot be made to agree."""
        words = {"made": "what its line made", "drawn": "its flow meter", "rose": "its level"}
        other = {"bought": "the bought pulp's meter", "machine": "what the machine took"}
        return [f"{self.names[k - 1]}, {words[what]}" if k else other[what] for k, what in self.found.suspects]


def _flowed(state: MillState, source: str, period: Period) -> float | None:
    """What a source's flow meter passed over a period, t OD; None where it was not read through it."""
    signal = Signal.objects.filter(tag=f"flow.{source}").first()
    if signal is None:
        return None
    hours = (period.end - period.start) / HOUR
    told = series(signal, period.start, period.end, max(1, round(hours)))
    if len(told) < hours - 0.5:
        return None
    l_min = sum(b.mean for b in told) / len(told)
    cons = state.mill.sources[source].source.cons_pct
    return 0.06 * l_min * cons / 100.0 * hours


def agreed_of(state: MillState, period: Period, accounts: Accounts, hours: list[HourAccount]) -> Agreed | None:
    """Towers and the machine made to agree over a period; None where a level or a flow was not read through it, or an
    hour of it is not worked out."""
    if len(hours) != len(period.hours) or not hours or "fibre" not in accounts.of:
        return None
    gives: dict[str, float] = {}
    for h in hours:
        for key, t in h.gives.items():
            gives[key] = gives.get(key, 0.0) + t
    by_tower = {s.tower: key for key, s in state.mill.sources.items() if s.tower}
    towers, names, used, bought = [], [], set(), 0.0
    for rose in towers_of(state, period, accounts):
        source = by_tower.get(rose.key)
        drawn = _flowed(state, source, period) if source else None
        if source is None or drawn is None:
            return None
        made = max(0.0, rose.by_line + gives.get(source, 0.0))
        towers.append(
            Tower(
                made_t=made,
                made_sd=max(LEAST_SD, MADE_OFF * made),
                drawn_t=drawn,
                drawn_sd=max(LEAST_SD, DRAWN_OFF * drawn),
                rose_t=rose.by_meter,
                rose_sd=max(LEAST_SD, LEVEL_OFF * state.mill.vessels[rose.key].full_t),
            )
        )
        names.append(rose.name)
        used.add(source)
    for key in state.mill.sources.keys() - used:
        if (flow := _flowed(state, key, period)) is None:
            return None
        bought += flow
    taken = sum(gives.values())
    if not towers:
        return None
    case = TowersCase(
        bought_t=bought,
        bought_sd=max(LEAST_SD, DRAWN_OFF * bought),
        machine_t=taken,
        machine_sd=max(LEAST_SD, TAKEN_OFF * taken),
        towers=tuple(towers),
    )
    return Agreed(case, agree(case), tuple(names))


def towers_of(state: MillState, period: Period, accounts: Accounts) -> Iterator[Rose]:
    """Every tower whose level was read at both ends of a period."""
    stays = {e.key: e.value for e in accounts.of["fibre"].went} if "fibre" in accounts.of else {}
    for key, v in state.mill.vessels.items():
        unit = next((u for u in state.mill.units if u.id == key and u.stores), None)
        if unit is None:
            continue
        first, last = (at_minute(f"level.{key}", t) for t in (period.start, period.end))
        if first is not None and last is not None:
            rose = v.full_t * (last.value - first.value) / 100.0
            yield Rose(v.name, key, rose, stays.get(STAYS + unit.outlets[0].to, 0.0))
