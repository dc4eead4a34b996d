"""What happened against a plan that was issued: orders, levels and stops drawn over it, with the reasons that the log tells."""

from dataclasses import dataclass
from datetime import datetime, timedelta

from django.http import Http404
from django.shortcuts import render
from django.views.decorators.http import require_safe

from core.cook.house import BLOW_MIN
from core.plan.levels import level_at
from core.plan.told import BAND_SD, as_case, off_by, told_beforehand
from core.through.ahead import FORGOTTEN_H, RATE_OFF, level_sd
from core.unit import Worked
from desk.cook.models import Cook
from desk.instruments.models import Signal
from desk.instruments.store import series
from desk.kit.svg import n, polyline
from desk.kit.templatetags.vat import dayclock
from desk.log.models import Kind, Record
from desk.mill.context import state_of
from desk.schedule.halts import told as halts_told
from desk.schedule.order_plan import HOURS, rate_word
from desk.schedule.order_plan_drawings import GAP, LEFT, ORDER_H, RIGHT, STOP_H, TOP, VESSEL_H, WORD_PX, Clock, ticks
from desk.schedule.versions import SAME_H, Version, came, versions

BUCKETS = 160
LEAST_H = 8.0
BEFORE = timedelta(hours=4)  # a reason is looked for from so long before an order was to begin
LONG = timedelta(hours=24)  # and a stop that lasted until then from so long before
MOST_REASONS = 3


@dataclass(frozen=True)
class Ran:
    """An order of the plan beside what it did: hours after the issue; None of what has not happened."""

    number: str
    planned: tuple[float, float]
    ran: tuple[float, float] | None
    reasons: tuple[Record, ...]

    @property
    def off_min(self) -> float | None:
        return None if self.ran is None else 60.0 * (self.ran[0] - self.planned[0])

    @property
    def moved(self) -> bool:
        return self.ran is not None and abs(self.ran[0] - self.planned[0]) > SAME_H


def _starts(version: Version, until: datetime) -> list[tuple[str, float, float]]:
    """Orders that ran since the plan was issued, from and to, h after it; the running one to `until`."""
    kept = Record.objects.current().filter(kind=Kind.START, at__lte=until).order_by("at", "id")
    rows = [(r.subject, r.at) for r in kept.filter(at__gte=version.from_)]
    hour = lambda t: (t - version.from_).total_seconds() / 3600.0  # noqa: E731
    began = kept.filter(at__lt=version.from_).last()
    if began is not None:  # what ran when it was issued
        rows.insert(0, (began.subject, version.from_))
    ends = [*(at for _, at in rows[1:]), until][: len(rows)]
    return [(number, hour(at), hour(end)) for (number, at), end in zip(rows, ends, strict=True)]


def _ran(state, version: Version, until: datetime) -> list[Ran]:
    ran = {number: (a, b) for number, a, b in _starts(version, until)}
    told = []
    elapsed = (until - version.from_).total_seconds() / 3600.0
    for row in version.record.data["orders"]:
        planned = tuple((datetime.fromisoformat(row[k]) - version.from_).total_seconds() / 3600.0 for k in ("begins", "ends"))
        own = ran.get(row["name"])
        late = own is None and planned[0] < elapsed - SAME_H
        off = own is not None and abs(own[0] - planned[0]) > SAME_H
        began = version.from_ + timedelta(hours=own[0]) if own else until
        reasons = _reasons(state, version.from_ + timedelta(hours=planned[0]), began) if off or late else ()
        told.append(Ran(row["name"], planned, own, reasons))
    return told


def _reasons(state, planned: datetime, began: datetime) -> tuple[Record, ...]:
    """What the log tells of the time in which it should have begun and did not: stops first, then what people wrote."""
    first, last = min(planned, began) - BEFORE, max(planned, began)
    kept = Record.objects.current().filter(at__lte=last)
    halts = kept.filter(kind__in=(Kind.STOP, Kind.RATE, Kind.DOWN), at__gte=first - LONG).order_by("-at", "-id")
    stops = [r for r in halts if datetime.fromisoformat(r.data["until"]) > first][:MOST_REASONS]
    notes = list(kept.filter(kind=Kind.REMARK, at__gte=first).exclude(words="").order_by("-at", "-id")[:MOST_REASONS])
    return (*stops, *notes)[:MOST_REASONS]


@require_safe
def against(request, number: int):
    state = state_of(request)
    if state is None:
        return render(request, "no_mill.html")
    all_ = versions(state)
    version = next((v for v in all_ if v.number == number), None)
    if version is None:
        raise Http404("There is no plan of this number.")
    after = next((v for v in reversed(all_) if v.from_ > version.from_ or v.number == number + 1), None)
    until = after.from_ if after else state.now
    levels = came(state, version, until)
    found = told_beforehand(case := as_case([(c.error, c.sd_t) for c in levels])) if levels else None
    ran = _ran(state, version, state.now)
    context = {
        "version": version,
        "after": after,
        "all": all_,
        "ran": [(r, version.from_ + timedelta(hours=r.planned[0])) for r in ran],
        "levels": [(state.mill.vessels[c.vessel].name, version.from_ + timedelta(hours=c.hours), c) for c in levels],
        "band_sd": BAND_SD,
        "worked": Worked(model="schedule.forecast", case=case, result=found) if found else None,
        "p": _picture(state, version, ran, until),
        "stands": _stands(state, version),
        "counts_on": _counts_on(state, version),
        "durations": _durations(version, ran, state.now),
    }
    return render(request, "schedule/against.html", context)


@dataclass(frozen=True)
class Durations:
    """Cooks of a plan that were begun since: how many, what their blow was off the plan by (min, mean of the amounts and bias),
    and what orders took over what was planned (min)."""

    cooks: int
    off_min: float
    bias_min: float
    orders: tuple[tuple[str, float], ...]


def _durations(version: Version, ran: list[Ran], now: datetime) -> Durations:
    ends = {row["name"]: datetime.fromisoformat(row["ends"]) for row in version.record.data["cooks"]}
    numbers = [int(name) for name in ends if name.isdigit()]
    blown = Cook.objects.filter(number__in=numbers, blown_at__isnull=False, blown_at__lte=now, blown_at__gte=version.from_)
    off = [(c.blown_at + timedelta(minutes=BLOW_MIN) - ends[str(c.number)]).total_seconds() / 60.0 for c in blown]
    elapsed = (now - version.from_).total_seconds() / 3600.0
    over = [
        (r.number, 60.0 * ((r.ran[1] - r.ran[0]) - (r.planned[1] - r.planned[0])))
        for r in ran
        if r.ran is not None and r.ran[1] < elapsed - SAME_H
    ]
    return Durations(len(off), *off_by(off), tuple(over))


def _counts_on(state, version: Version) -> list[tuple[str, str]]:
    """The rates of lines that a plan counts on, in words, by the tower they fill."""
    told = []
    for key, runs in version.record.data.get("counts_on", {}).items():
        if key in state.mill.vessels:
            words = (f"{rate_word(t_h)} from {dayclock(version.from_ + timedelta(hours=a))}" for a, _, t_h in runs)
            told.append((state.mill.vessels[key].name, ", ".join(words)))
    return told


def _stands(state, version: Version) -> list:
    """What stood since the plan was issued, and whether the plan knew of it."""
    known = {(unit, what) for unit, _, _, what in version.record.data["stands"]}
    rows = [t for t in halts_told(state, state.now - version.from_) if t.halt.end > version.from_ and t.halt.start <= state.now]
    return [(t, (t.halt.unit, t.halt.what) in known) for t in sorted(rows, key=lambda t: t.halt.start)]


def _picture(state, version: Version, ran: list[Ran], until: datetime) -> dict:
    """The plan dashed, what came solid, on hours from its issue."""
    elapsed = (state.now - version.from_).total_seconds() / 3600.0
    clock = Clock(min(HOURS, max(LEAST_H, 1.15 * elapsed)), version.from_)
    y = TOP
    orders = []
    running = next(((number, a, b) for number, a, b in _starts(version, state.now) if a == 0.0), None)
    planned = {r.number for r in ran}
    first = [Ran(running[0], running[1:], running[1:], ())] if running and running[0] not in planned else []
    for r in [*first, *ran]:
        for span, kind in ((r.planned, "planned"), (r.ran, "ran")):  # what ran is drawn over what was planned
            if span is not None and clock.shown(*span) and span[0] < clock.hours:
                wide = clock.wide(*span)
                room = int((wide - 8.0) / WORD_PX)
                text = r.number if len(r.number) <= room else r.number[-room:] if room > 2 else ""
                orders.append({"x": n(clock.x(span[0])), "w": n(wide), "kind": kind, "text": text, "moved": r.moved})
    told = {
        "orders": orders,
        "y": n(y),
        "h": n(ORDER_H),
        "text_y": n(y + 21.0),
        "plan_y": n(y - 4.0),
        "plan_h": n(ORDER_H + 8.0),
    }
    y += ORDER_H + GAP
    stops = []
    for t, known in _stands(state, version):
        hours = [(x - version.from_).total_seconds() / 3600.0 for x in (t.halt.start, t.halt.end)]
        if clock.shown(*hours):
            stops.append({"x": n(clock.x(hours[0])), "w": n(max(2.0, clock.wide(*hours))), "y": n(y + 2.0), "known": known})
    told |= {"stops": stops, "stops_y": n(y + 9.0)}
    y += STOP_H + GAP
    lanes = []
    for key, points in version.record.data["levels"].items():
        v = state.mill.vessels.get(key)
        if v is None:
            continue
        lanes.append(_level(version, v, points, clock, y + 4.0, min(state.now, version.from_ + timedelta(hours=clock.hours))))
        y += VESSEL_H + GAP + 14.0
    replaced = clock.x((until - version.from_).total_seconds() / 3600.0) if until < state.now else 0.0
    now = clock.x(elapsed)
    return told | {
        "lanes": lanes,
        "ticks": ticks(version.from_, clock.hours),
        "foot": n(y - GAP),
        "height": n(y),
        "replaced": n(replaced) if replaced else "",
        "now": n(now),
        "now_right": now > RIGHT - 60.0,
    }


def _level(version: Version, v, points: list, clock: Clock, top: float, until: datetime) -> dict:
    """A vessel's level as it was foreseen, within its band, and as it was read."""
    full = v.full_t
    y = lambda share: top + VESSEL_H * (1.0 - max(0.0, min(1.0, share)))  # noqa: E731
    foreseen = [(h, t / full) for h, t in points if h <= clock.hours]
    rate = version.record.data["rates"].get(v.key, 0.0)
    hours = [clock.hours * k / 24.0 for k in range(25) if clock.hours * k / 24.0 <= points[-1][0]]
    at = lambda h: level_at(points, h) / full  # noqa: E731
    half = {h: version.factor * BAND_SD * level_sd(RATE_OFF * rate, FORGOTTEN_H, h) / full for h in hours}
    upper = [(clock.x(h), y(at(h) + half[h])) for h in hours]
    lower = [(clock.x(h), y(at(h) - half[h])) for h in hours]
    signal = Signal.objects.filter(tag=f"level.{v.key}").first()
    read = series(signal, version.from_, until, BUCKETS) if signal is not None and until > version.from_ else []
    seen = [(b.at_ms / 3.6e6 - version.from_.timestamp() / 3600.0, b.mean / 100.0) for b in read]
    return {
        "name": v.name,
        "name_y": n(top + 13.0),
        "under_y": n(top + 28.0),
        "top": n(top),
        "h": n(VESSEL_H),
        "was": polyline([(clock.x(h), y(s)) for h, s in foreseen]) if len(foreseen) > 1 else "",
        "band": polyline(upper + lower[::-1]) if len(upper) > 1 else "",
        "line": polyline([(clock.x(h), y(s)) for h, s in seen]) if len(seen) > 1 else "",
        "left": n(LEFT),
        "wide": n(RIGHT - LEFT),
    }
