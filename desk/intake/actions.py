"""The door of the readings: whatever brings them (program, file, hand, simulation), they are judged and kept here."""

import math
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, field
from datetime import datetime
from functools import lru_cache

from django.utils import timezone

from core.instruments import intake
from core.instruments.intake import Reason, Span, Verdict
from core.mill.mill import Mill
from core.mill.signals import signals
from desk.instruments import store
from desk.instruments.models import Delivery, Refusal, Signal, ms
from desk.kit.text import plain
from desk.kit.writing import writing

FLAGS = {Reason.GOOD: 0, Reason.LATE: 1, Reason.OUT_OF_ORDER: 2}
UNCERTAIN = 3  # the plant itself does not quite trust it
MOST_TOLD = 500  # refused lines kept word for word a delivery; the counts go on


def ensure_signals(mill: Mill) -> None:
    """The mill's meters as rows; a meter the mill no longer has keeps its readings."""
    for spec in signals(mill):
        told = {
            "label": spec.label,
            "unit": spec.unit,
            "kind": spec.kind,
            "low": spec.low,
            "high": spec.high,
            "decimals": spec.decimals,
            "station": spec.station,
            "age_min": spec.age_min,
            "row": spec.row,
        }
        Signal.objects.update_or_create(tag=spec.tag, defaults=told)


@dataclass(frozen=True)
class Raw:
    """One reading as it came: line in its delivery, tag, time (text or ms) and value (text or number)."""

    line: int
    tag: str
    when: object
    value: object
    whole: str = ""
    bad: Reason | None = None
    uncertain: bool = False


@lru_cache(maxsize=4096)
def _read_time(text: str) -> int | None:
    try:
        when = datetime.fromisoformat(text.strip())
    except ValueError:
        return None
    try:
        return ms(when if when.tzinfo else when.replace(tzinfo=timezone.get_current_timezone()))
    except (OverflowError, OSError, ValueError):
        return None


def _time(when: object) -> int | None:
    if isinstance(when, str):
        return _read_time(when)
    return when if isinstance(when, int) and not isinstance(when, bool) and 0 <= when < 10**14 else None


def _value(value: object) -> float:
    if isinstance(value, bool):
        return math.nan
    try:
        return float(value)  # type: ignore[arg-type]
    except (TypeError, ValueError, OverflowError):
        return math.nan


@dataclass
class Outcome:
    """What became of a batch."""

    kept: int = 0
    flagged: int = 0
    refused: int = 0
    reasons: dict[str, int] = field(default_factory=dict)
    told: list[tuple[Raw, Reason]] = field(default_factory=list)

    def count(self, raw: Raw, verdict: Verdict, reason: Reason) -> None:
        if verdict is Verdict.KEPT:
            self.kept += 1
            return
        if verdict is Verdict.FLAGGED:
            self.flagged += 1
        else:
            self.refused += 1
        self.reasons[reason.value] = self.reasons.get(reason.value, 0) + 1
        self.told.append((raw, reason))


@dataclass(frozen=True)
class Judged:
    """A reading judged by itself: the signal it belongs to, its time and value, and the verdict so far."""

    raw: Raw
    signal: int
    when: int
    value: float
    verdict: Verdict
    reason: Reason


def known_signals() -> dict[str, Signal]:
    return {s.tag: s for s in Signal.objects.all()}


def judge_rows(rows: Sequence[Raw], known: dict[str, Signal], *, now: datetime, history: bool = False) -> list[Judged]:
    """Judge a batch without the database: outside the write lock."""
    now_ms, result = ms(now), []
    last = {s.pk: s.last_ms for s in known.values()}
    spans = {tag: Span(s.low, s.high) for tag, s in known.items()}
    for raw in rows:
        signal = known.get(raw.tag)
        when = _time(raw.when)
        if raw.bad is not None or signal is None or when is None:
            reason = raw.bad or (Reason.UNKNOWN if signal is None else Reason.NO_TIME)
            result.append(Judged(raw, 0, 0, 0.0, Verdict.REFUSED, reason))
            continue
        value = _value(raw.value)
        verdict, reason = intake.judge(
            value, when, span=spans[raw.tag], now_ms=now_ms, last_ms=last[signal.pk], history=history
        )
        if verdict is not Verdict.REFUSED and (last[signal.pk] is None or when > last[signal.pk]):
            last[signal.pk] = when
        result.append(Judged(raw, signal.pk, when, value, verdict, reason))
    return result


def keep_rows(judged: Sequence[Judged]) -> Outcome:
    """Keep what is good of a judged batch and was not kept before. Inside the caller's write."""
    out = Outcome()
    taken = [(j.signal, j.when) for j in judged if j.verdict is not Verdict.REFUSED]
    seen, closed = store.already(taken), store.closed(taken)
    good = []
    for j in judged:
        place = (j.signal, j.when)
        if j.verdict is Verdict.REFUSED:
            out.count(j.raw, j.verdict, j.reason)
        elif closed and (j.signal, j.when // store.DAY_MS) in closed:
            out.count(j.raw, Verdict.REFUSED, Reason.CLOSED)
        elif place in seen:
            out.count(j.raw, Verdict.REFUSED, intake.against_kept(j.value, seen[place]))
        else:
            seen[place] = j.value
            good.append((j.signal, j.when, j.value, FLAGS[j.reason] or (UNCERTAIN if j.raw.uncertain else 0)))
            out.count(j.raw, j.verdict, j.reason)
    store.keep(good)
    return out


def add_to(delivery: Delivery, out: Outcome) -> None:
    """Carry a batch's outcome into its delivery; the first 500 refused or flagged lines are kept word for word."""
    room = max(0, MOST_TOLD - delivery.refusals.count()) if out.told else 0
    Refusal.objects.bulk_create(
        Refusal(
            delivery=delivery,
            line=raw.line,
            text=plain(raw.whole or f"{raw.tag}, {raw.when}, {raw.value}")[:160],
            reason=reason.value,
        )
        for raw, reason in out.told[:room]
    )
    delivery.kept += out.kept
    delivery.flagged += out.flagged
    delivery.refused += out.refused
    for reason, n in out.reasons.items():
        delivery.reasons[reason] = delivery.reasons.get(reason, 0) + n


def deliver(
    *, rows: Iterable[Raw], door: str, name: str, by, now: datetime, quiet: bool = False, history: bool = False
) -> tuple[Delivery | None, Outcome]:
    """A whole small delivery at once. `quiet` (meters read by themselves) leaves a row only where something was refused or
    flagged; `history`: readings of the past, where late and out of order mean nothing."""
    judged = judge_rows(list(rows), known_signals(), now=now, history=history)
    with writing():
        out = keep_rows(judged)
        if quiet and not out.told:
            return None, out
        delivery = Delivery.objects.create(door=door, name=plain(name)[:120], by=by, made_at=now, status="done", taken_at=now)
        add_to(delivery, out)
        delivery.save()
    return delivery, out
