"""The one way to readings: keep, the newest, a stretch of them thinned for a drawing."""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta

from django.db import connection

from desk.instruments.models import Reading, Signal, at, ms
from desk.kit.seal import MODULUS, keyed, sum_of_readings

MATCH_MIN = 15


@dataclass(frozen=True)
class Newest:
    """A signal's newest reading at a time."""

    tag: str
    at: datetime
    value: float


def keep(rows: Sequence[tuple[int, int, float, int]]) -> None:
    """Insert (signal id, ms, value, flag) and carry the signals' newest on. Inside a transaction of the caller's."""
    if not rows:
        return
    newest: dict[int, tuple[int, float]] = {}
    for signal, when, value, _ in rows:
        if signal not in newest or when >= newest[signal][0]:
            newest[signal] = (when, value)
    _seal(rows)
    with connection.cursor() as cursor:
        cursor.executemany("INSERT INTO instruments_reading (signal_id, at_ms, value, flag) VALUES (%s, %s, %s, %s)", rows)
        cursor.executemany(
            "UPDATE instruments_signal SET last_ms = %s, last_value = %s WHERE id = %s AND (last_ms IS NULL OR last_ms <= %s)",
            [(when, value, signal, when) for signal, (when, value) in newest.items()],
        )


DAY_MS = 86_400_000


def day_seal(signal: int, day: int, n: int, total: str) -> str:
    """The mark over one signal's readings of one day."""
    return keyed(f"{signal} {day} {n} {total}")


def _seal(rows: Sequence[tuple[int, int, float, int]]) -> None:
    """Carry new readings into the marks of their signals' days."""
    groups: dict[tuple[int, int], list] = {}
    for row in rows:
        groups.setdefault((row[0], row[1] // DAY_MS), []).append(row)
    with connection.cursor() as cursor:
        changed = []
        for (signal, day), some in groups.items():
            cursor.execute("SELECT n, total FROM instruments_readingseal WHERE signal_id = %s AND day = %s", (signal, day))
            n, total = cursor.fetchone() or (0, "0")
            n, total = n + len(some), f"{(int(total, 16) + sum_of_readings(some)) % MODULUS:x}"
            changed.append((signal, day, n, total, day_seal(signal, day, n, total)))
        cursor.executemany(
            "INSERT INTO instruments_readingseal (signal_id, day, n, total, seal) VALUES (%s, %s, %s, %s, %s)"
            " ON CONFLICT (signal_id, day) DO UPDATE SET n = excluded.n, total = excluded.total, seal = excluded.seal",
            changed,
        )


def already(pairs: Iterable[tuple[int, int]]) -> dict[tuple[int, int], float]:
    """What is kept already at these (signal id, ms)."""
    result: dict[tuple[int, int], float] = {}
    by_signal: dict[int, list[int]] = {}
    for signal, when in pairs:
        by_signal.setdefault(signal, []).append(when)
    with connection.cursor() as cursor:
        for signal, times in by_signal.items():
            cursor.execute(
                "SELECT at_ms, value FROM instruments_reading WHERE signal_id = %s AND at_ms BETWEEN %s AND %s",
                (signal, min(times), max(times)),
            )
            wanted = set(times)
            result.update({(signal, when): value for when, value in cursor.fetchall() if when in wanted})
    return result


def newest(prefix: str, *, before: datetime) -> dict[str, Newest]:
    """The newest reading of each signal whose tag starts so, not later than a time, by tag."""
    limit, result = ms(before), {}
    for s in Signal.objects.filter(tag__startswith=prefix, last_ms__isnull=False):
        if s.last_ms <= limit:
            result[s.tag] = Newest(s.tag, s.last_at, s.last_value)
        elif r := Reading.objects.filter(signal=s, at_ms__lte=limit).order_by("-at_ms").first():
            result[s.tag] = Newest(s.tag, r.at, r.value)
    return result


def at_minute(tag: str, when: datetime) -> Newest | None:
    """The reading nearest before a time, at most 15 minutes old, or None."""
    rows = Reading.objects.filter(signal__tag=tag, at_ms__lte=ms(when), at_ms__gte=ms(when - timedelta(minutes=MATCH_MIN)))
    r = rows.order_by("-at_ms").values_list("at_ms", "value").first()
    return Newest(tag, at(r[0]), r[1]) if r else None


def matched(tag: str, times: Sequence[datetime]) -> list[Newest | None]:
    """The same for many times of one signal, in one query."""
    if not times:
        return []
    first, last = ms(min(times) - timedelta(minutes=MATCH_MIN)), ms(max(times))
    rows = list(
        Reading.objects.filter(signal__tag=tag, at_ms__gte=first, at_ms__lte=last)
        .order_by("at_ms")
        .values_list("at_ms", "value")
    )
    result, keys = [], [r[0] for r in rows]
    import bisect

    for when in times:
        i = bisect.bisect_right(keys, ms(when)) - 1
        near = i >= 0 and ms(when) - keys[i] <= MATCH_MIN * 60_000
        result.append(Newest(tag, at(keys[i]), rows[i][1]) if near else None)
    return result


@dataclass(frozen=True)
class Bucket:
    """A stretch of readings as a drawing needs it."""

    at_ms: int
    mean: float
    low: float
    high: float
    n: int


def series(signal: Signal, start: datetime, end: datetime, buckets: int) -> list[Bucket]:
    """Readings between two times, thinned to so many buckets by mean, lowest and highest."""
    first, last = ms(start), ms(end)
    width = max(1, (last - first) // buckets)
    sql = (
        "SELECT min(at_ms), avg(value), min(value), max(value), count(*) FROM instruments_reading"
        " WHERE signal_id = %s AND at_ms >= %s AND at_ms <= %s GROUP BY (at_ms - %s) / %s ORDER BY 1"
    )
    with connection.cursor() as cursor:
        cursor.execute(sql, (signal.pk, first, last, first, width))
        return [Bucket(*row) for row in cursor.fetchall()]
