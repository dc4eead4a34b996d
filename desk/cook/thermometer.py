"""The digesters' own temperature signals: what they read in a running cook, and what the demo's simulated ones would show."""

from datetime import datetime, timedelta

import numpy as np

from desk.cook.models import Cook, CookPoint
from desk.instruments import store
from desk.instruments.models import Signal, at

EVERY_MIN = 5.0
COOLER_C = 1.5  # the demo's digester 1 runs this much under its plan: the desk has something to find


def tag_of(digester: str) -> str:
    return f"temp.digester.{digester}"


def read(cook: Cook, until: datetime) -> list[tuple[float, float]]:
    """(minute, °C) of the cook's digester from its start, a mean every five minutes; [] where it has no signal."""
    signal = Signal.objects.filter(tag=tag_of(cook.digester)).first()
    if signal is None or until <= cook.started_at:
        return []
    buckets = max(1, int((until - cook.started_at) / timedelta(minutes=EVERY_MIN)))
    result = []
    for b in store.series(signal, cook.started_at, until, buckets):
        minute = (at(b.at_ms) - cook.started_at) / timedelta(minutes=1)
        result.append((round(minute, 1), round(b.mean, 1)))
    return result


def joined(typed: list[tuple[float, float]], metered: list[tuple[float, float]]) -> tuple[tuple[float, float], ...]:
    """Both in the order of time; a typed reading stands in place of the meter's within half its stride."""
    kept = [m for m in metered if all(abs(m[0] - t[0]) >= EVERY_MIN / 2 for t in typed)]
    return tuple(sorted([*typed, *kept]))


def settle(cook: Cook, until: datetime) -> None:
    """Keep what the meter read as the cook's own log, at its blow."""
    typed = [(p.minute, p.value) for p in cook.points.all() if p.kind == "t"]
    new = [m for m in joined(typed, read(cook, until)) if m not in typed and -10.0 <= m[1] <= 200.0]
    CookPoint.objects.bulk_create([CookPoint(cook=cook, minute=m, value=t) for m, t in new], ignore_conflicts=True)


def truths(now: datetime) -> dict[str, float]:
    """What a simulated plant's digesters are at: the plan of their running cook, a little cooler in digester 1; else warm and
    empty."""
    result = {s.tag: 60.0 for s in Signal.objects.filter(tag__startswith="temp.digester.")}
    for cook in Cook.objects.filter(blown_at=None, started_at__lte=now):
        minute, plan = (now - cook.started_at) / timedelta(minutes=1), cook.profile
        if (tag := tag_of(cook.digester)) in result:
            cooler = COOLER_C if cook.digester == "1" and minute > 60 else 0.0
            result[tag] = float(np.interp(minute, [m for m, _ in plan], [t for _, t in plan])) - cooler
    return result
