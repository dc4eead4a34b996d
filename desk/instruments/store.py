"""The one way to readings: keep, the newest, a stretch of them thinned for a drawing."""

import bisect
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta

from django.db import connection

from core.instruments.thin import HOUR_S, MINUTE_S
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


def closed(pairs: Iterable[tuple[int, int]]) -> set[tuple[int, int]]:
    """Of these (signal id, ms), those of days whose readings are gone into figures: nothing more is taken there."""
    wanted = {(signal, when // DAY_MS) for signal, when in pairs}
    if not wanted:
        return set()
    with connection.cursor() as cursor:
        days = sorted({day for _, day in wanted})
        cursor.execute(
            "SELECT signal_id, day FROM instruments_day WHERE NOT raw AND day BETWEEN %s AND %s", (days[0], days[-1])
        )
        return wanted & set(cursor.fetchall())


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
    sql = "SELECT id, tag, last_ms, last_value FROM instruments_signal WHERE last_ms IS NOT NULL AND substr(tag, 1, %s) = %s"
    with connection.cursor() as cursor:
        signals = cursor.execute(f"{sql} ORDER BY tag", (len(prefix), prefix)).fetchall()
    for signal, tag, last_ms, last_value in signals:
        if last_ms <= limit:
            result[tag] = Newest(tag, at(last_ms), last_value)
        elif r := Reading.objects.filter(signal=signal, at_ms__lte=limit).order_by("-at_ms").first():
            result[tag] = Newest(tag, r.at, r.value)
    return result


def at_minute(tag: str, when: datetime) -> Newest | None:
    """The reading nearest before a time, at most 15 minutes old, or None."""
    first, last = ms(when - timedelta(minutes=MATCH_MIN)), ms(when)
    sql = (
        "SELECT r.at_ms, r.value FROM instruments_reading r JOIN instruments_signal s ON s.id = r.signal_id"
        " WHERE s.tag = %s AND r.at_ms BETWEEN %s AND %s ORDER BY r.at_ms DESC LIMIT 1"
    )
    with connection.cursor() as cursor:
        r = cursor.execute(sql, (tag, first, last)).fetchone()
    if r is None:
        minutes = _in_figures(tag, first, last)
        r = minutes[-1] if minutes else None
    return Newest(tag, at(r[0]), r[1]) if r else None


def _in_figures(tag: str, first: int, last: int) -> list[tuple[int, float]]:
    """Means of the minutes between two times (ms, at their end) of days whose readings are gone."""
    sql = (
        "SELECT (f.at_s + %s) * 1000, f.mean FROM instruments_figure f JOIN instruments_signal s ON s.id = f.signal_id"
        " JOIN instruments_day d ON d.signal_id = f.signal_id AND d.day = f.at_s / 86400 AND NOT d.raw"
        " WHERE s.tag = %s AND f.width_s = %s AND f.at_s BETWEEN %s AND %s ORDER BY f.at_s"
    )
    with connection.cursor() as cursor:
        cursor.execute(sql, (MINUTE_S, tag, MINUTE_S, first // 1000 - MINUTE_S, last // 1000 - MINUTE_S))
        return [(at_ms, mean) for at_ms, mean in cursor.fetchall()]


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
    rows = sorted([*rows, *_in_figures(tag, first, last)])
    result, keys = [], [r[0] for r in rows]
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


def _unsummed(signal: int, first: int, last: int) -> tuple[list[tuple[int, int]], bool]:
    """The stretches (ms) between two times whose days do not stand in figures, and whether any day between them does."""
    with connection.cursor() as cursor:
        cursor.execute(
            "SELECT day FROM instruments_day WHERE signal_id = %s AND day BETWEEN %s AND %s ORDER BY day",
            (signal, first // DAY_MS, last // DAY_MS),
        )
        days = [row[0] for row in cursor.fetchall()]
    told, begin = [], first
    for day in days:
        if begin < day * DAY_MS:
            told.append((begin, day * DAY_MS - 1))
        begin = max(begin, (day + 1) * DAY_MS)
    if begin <= last:
        told.append((begin, last))
    return told, bool(days)


RAW = "SELECT at_ms AS t, value * 1.0 AS s, 1 AS n, value AS lo, value AS hi FROM instruments_reading"
OF_FIGURES = "SELECT at_s * 1000 AS t, mean * n AS s, n, low AS lo, high AS hi FROM instruments_figure"
MOST_PARTS = 40  # of a query; a stretch in more pieces is read from its readings alone


def series(signal: Signal, start: datetime, end: datetime, buckets: int) -> list[Bucket]:
    """Readings between two times, thinned to so many buckets by mean, lowest and highest: from the figures of minutes or hours
    where a bucket is longer than two of them, else from the readings, as far as they are kept."""
    first, last = ms(start), ms(end)
    width = max(1, (last - first) // buckets)
    of_s = HOUR_S if width >= 2000 * HOUR_S else MINUTE_S
    gaps, any_days = _unsummed(signal.pk, first, last)
    coarse = any_days and width >= 2000 * of_s and len(gaps) < MOST_PARTS
    parts: list[str] = []
    given: list[int] = []
    for a, b in gaps if coarse else [(first, last)]:
        parts.append(f"{RAW} WHERE signal_id = %s AND at_ms BETWEEN %s AND %s")
        given += [signal.pk, a, b]
    if coarse:
        parts.append(f"{OF_FIGURES} WHERE signal_id = %s AND width_s = %s AND at_s BETWEEN %s AND %s")
        given += [signal.pk, of_s, first // 1000 // of_s * of_s, last // 1000]
    elif any_days:  # days whose readings are gone are told by their minutes
        parts.append(
            f"{OF_FIGURES} WHERE signal_id = %s AND width_s = {MINUTE_S} AND at_s BETWEEN %s AND %s AND EXISTS (SELECT 1 FROM"
            " instruments_day d WHERE d.signal_id = instruments_figure.signal_id AND d.day = at_s / 86400 AND NOT d.raw)"
        )
        given += [signal.pk, first // 1000, last // 1000]
    sql = (
        f"SELECT min(t), sum(s) / sum(n), min(lo), max(hi), sum(n) FROM ({' UNION ALL '.join(parts)})"
        " GROUP BY (t - %s) / %s ORDER BY 1"
    )
    with connection.cursor() as cursor:
        cursor.execute(sql, (*given, first, width))
        return [Bucket(*row) for row in cursor.fetchall()]
