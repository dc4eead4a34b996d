"""Plans as they were issued, each a version: what was to run when, and the levels that were foreseen; what came instead."""

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import datetime, timedelta
from types import MappingProxyType

from core.errors import ImpossibleInput
from core.plan.levels import level_at
from core.plan.told import ToldFound, as_case, told_beforehand
from core.through.ahead import FORGOTTEN_H, RATE_OFF, level_sd
from desk.instruments.store import at_minute
from desk.kit.writing import writing
from desk.log.actions import write
from desk.log.models import Kind, Record
from desk.mill.planned import PLAN_STATUS, PLAN_SUBJECT, plans_issued
from desk.people.rights import refuse
from desk.schedule.order_plan import HOURS, Judged, Plan, Rates

SAME_H = 3.0 / 60.0  # an order's start within three minutes has not moved
SAME_COOK_H = 0.5  # nor a cook's within the grid that cooks are planned on
LOOKED_AT_H = (1.0, 2.0, 4.0, 8.0, 12.0, 24.0)  # after its issue a plan's levels are looked at
LEARNT_FROM = 20  # of the newest plans


@dataclass(frozen=True)
class Version:
    """An issued plan: its record, number, and the hour (from `now`) and length of what it has, by order and by cook."""

    record: Record
    now: datetime

    @property
    def number(self) -> int:
        return self.record.data["version"]

    @property
    def from_(self) -> datetime:
        return self.record.at

    def _spans(self, what: str) -> dict[str, tuple[float, float]]:
        hour = lambda text: (datetime.fromisoformat(text) - self.now).total_seconds() / 3600.0  # noqa: E731
        return {row["name"]: (hour(row["begins"]), hour(row["ends"])) for row in self.record.data[what]}

    @property
    def orders(self) -> dict[str, tuple[float, float]]:
        return self._spans("orders")

    @property
    def cooks(self) -> dict[str, tuple[float, float]]:
        return self._spans("cooks")

    @property
    def factor(self) -> float:
        """What the bands of levels are multiplied with, by how good those of the plans before were."""
        return self.record.data.get("factor", 1.0)

    @property
    def levels(self) -> dict[str, list[tuple[float, float]]]:
        """Foreseen content of each vessel, (hour, t)."""
        shift = (self.from_ - self.now).total_seconds() / 3600.0
        return {key: [(h + shift, t) for h, t in points] for key, points in self.record.data["levels"].items()}


def versions(state) -> list[Version]:
    """Every plan that was issued, the newest first."""
    return [Version(r, state.now) for r in plans_issued(state.now)[:200]]


def newest(state) -> Version | None:
    """The plan that is in force; None where none was issued."""
    record = state.plan_in_force
    return Version(record, state.now) if record else None


def moved_from(
    spans: Mapping[str, tuple[float, float]], before: Mapping[str, tuple[float, float]], same_h: float = SAME_H
) -> list[str]:
    """What does not begin when it was to begin, or is new; what was to begin before now and has is no move."""
    told = []
    for name, (begins, _) in spans.items():
        was = before.get(name)
        if was is None or abs(max(begins, 0.0) - max(was[0], 0.0)) > same_h:
            told.append(name)
    return told


def moved_chain(
    spans: Mapping[str, tuple[float, float]], before: Mapping[str, tuple[float, float]], same_h: float
) -> list[str]:
    """The same of what follows one another: only those that moved by more than the ones before them did, by when they begin. A
    cook that runs late puts all behind it off, and is told once."""
    told, by = [], 0.0
    for name, (begins, _) in sorted(spans.items(), key=lambda item: item[1]):
        if name in before:
            shift = max(begins, 0.0) - max(before[name][0], 0.0)
            if abs(shift - by) > same_h:
                told.append(name)
                by = shift
    return told


def order_spans(plan: Plan, judged: Judged) -> dict[str, tuple[float, float]]:
    return {plan.waiting[r.order].number: (r.begins_h, r.ends_h) for r in judged.found.runs}


@writing()
def issue(
    *,
    plan: Plan,
    judged: Judged,
    cooks: Mapping[str, tuple[float, float]],
    by,
    now: datetime,
    words: str,
    rates: Mapping[str, Rates] = MappingProxyType({}),
    furnish: Mapping[str, Mapping[str, float]] = MappingProxyType({}),
) -> Record:
    """Keep a plan as the next version. `cooks`: hours from now of every coming cook, by its number; `rates`: those of the lines
    that it counts on, by vessel; `furnish`: what each order is to be made of, %, by its number."""
    refuse(by, "plan")
    before = newest(plan.state)
    number = before.number + 1 if before else 1

    def told(spans: Mapping[str, tuple[float, float]]) -> list[dict]:
        at = lambda h: (now + timedelta(hours=h)).isoformat()  # noqa: E731
        return [{"name": name, "begins": at(a), "ends": at(b)} for name, (a, b) in spans.items()]

    orders = order_spans(plan, judged)
    moved = moved_from(orders, before.orders) if before else []
    data = {
        "version": number,
        "hours": HOURS,
        "orders": told(orders),
        "cooks": told(cooks),
        "stands": [[s.unit, s.from_h, s.to_h, s.what] for s in plan.stands],
        "levels": {k: [[round(h, 4), round(t, 3)] for h, t in c.points] for k, c in judged.courses.items()},
        "feeds": {
            unit: settings["feed_t_h"]
            for unit in plan.state.mill.feed_plans
            if "feed_t_h" in (settings := plan.state.line.acting[unit].settings())
        },
        "furnish": {number: dict(shares) for number, shares in furnish.items()},
        "counts_on": {k: [[a, b, t_h] for a, b, t_h in r.runs()] for k, r in rates.items()},
        "factor": round(known[0].factor, 4) if (known := learnt(plan.state)) else 1.0,
        "rates": {k: round(plan.state.full_rates.get(k, (0.0, 0.0))[0], 4) for k in judged.courses},
    }
    says = f"Plan {number}: {', '.join(orders) or 'no order'}"
    if moved:
        says += f"; {len(moved)} order{'' if len(moved) == 1 else 's'} moved"
    return write(
        kind=Kind.EVENT,
        subject=PLAN_SUBJECT,
        status=PLAN_STATUS,
        by=by,
        now=now,
        says=says,
        data=data,
        words=words,
        about=before.record if before else None,
    )


@dataclass(frozen=True)
class Came:
    """A level beside what was foreseen of it: hours after the issue, t, and the spread it was foreseen with."""

    vessel: str
    hours: float
    foreseen_t: float
    read_t: float
    sd_t: float

    @property
    def error(self) -> float:
        return self.read_t - self.foreseen_t


def came(state, version: Version, until: datetime) -> list[Came]:
    """Levels that were read at the hours at which a plan is looked at, while it was in force (`until`)."""
    told = []
    for key, points in version.record.data["levels"].items():
        v = state.mill.vessels.get(key)
        if v is None or len(points) < 2:
            continue
        for hours in LOOKED_AT_H:
            when = version.from_ + timedelta(hours=hours)
            read = at_minute(f"level.{key}", when) if when <= until and hours <= points[-1][0] else None
            if read is None:
                continue
            sd = level_sd(RATE_OFF * version.record.data["rates"].get(key, 0.0), FORGOTTEN_H, hours)
            told.append(Came(key, hours, level_at(points, hours), read.value / 100.0 * v.full_t, max(sd, 1e-6)))
    return told


def learnt(state) -> tuple[ToldFound, int] | None:
    """How good the levels of the newest plans were, and of how many figures; None where nothing was foreseen yet."""
    newest_first = versions(state)[:LEARNT_FROM]
    ends = [state.now, *(v.from_ for v in newest_first)]  # each was in force until the next was issued
    pairs = [(c.error, c.sd_t) for v, until in zip(newest_first, ends, strict=False) for c in came(state, v, until)]
    if not pairs:
        return None
    try:
        return told_beforehand(as_case(pairs)), len(pairs)
    except ImpossibleInput:  # a spread or an error that no vessel has
        return None
