"""The nightly work on readings: whole days are summed into figures of minutes and hours, and readings older than sixty days go
once their figures are proved. One day of one signal at a time, each whole or not at all; it can be stopped between any two."""

import time
from collections.abc import Callable
from dataclasses import dataclass
from datetime import datetime

from django.db import connection

from core.instruments.thin import WIDTHS, Figure, summed, why_not
from desk.instruments.models import Day, ms
from desk.instruments.store import DAY_MS
from desk.kit.seal import MODULUS, keyed, sum_of_figures, sum_of_readings
from desk.kit.writing import writing

RAW_DAYS = 60
ENTRIES = "signal_id, width_s, at_s, n, mean, low, high, flag"


class NotProved(Exception):
    """A day whose figures do not stand for its readings, or whose readings are not those that were kept."""


@dataclass
class Done:
    """What a stretch of the work did, and what it left as it was, with why."""

    summed: int = 0
    thinned: int = 0
    readings: int = 0
    left: list[str] | None = None


def seal_of_day(signal: int, day: int, n: int, total: str, raw: bool) -> str:
    """The mark over a day in figures."""
    return keyed(f"figures {signal} {day} {n} {total} {int(raw)}")


def _readings(signal: int, day: int) -> list[tuple[int, float, int]]:
    with connection.cursor() as cursor:
        sql = (
            "SELECT at_ms, value, flag FROM instruments_reading WHERE signal_id = %s AND at_ms BETWEEN %s AND %s ORDER BY at_ms"
        )
        cursor.execute(sql, (signal, day * DAY_MS, (day + 1) * DAY_MS - 1))
        return [(at_ms, value, flag) for at_ms, value, flag in cursor.fetchall()]


def _as_kept(signal: int, day: int, rows: list[tuple[int, float, int]]) -> None:
    """Raises: NotProved where these are not the readings that were kept."""
    with connection.cursor() as cursor:
        cursor.execute("SELECT n, total FROM instruments_readingseal WHERE signal_id = %s AND day = %s", (signal, day))
        n, total = cursor.fetchone() or (0, "0")
    if n != len(rows) or int(total, 16) % MODULUS != sum_of_readings((signal, *r) for r in rows):
        raise NotProved(f"the readings of signal {signal}, day {day}, are not those that were kept")


def _figures(signal: int, day: int) -> list[tuple]:
    with connection.cursor() as cursor:
        sql = f"SELECT {ENTRIES} FROM instruments_figure WHERE signal_id = %s AND width_s = %s AND at_s BETWEEN %s AND %s"
        told: list[tuple] = []
        for width in WIDTHS:
            cursor.execute(sql, (signal, width, day * 86400, (day + 1) * 86400 - 1))
            told += cursor.fetchall()
        return told


def sum_day(signal: int, day: int) -> int:
    """Put a day of a signal into figures, anew where readings came since; how many readings. Raises: NotProved."""
    with writing():
        rows = _readings(signal, day)
        _as_kept(signal, day, rows)
        made: list[Figure] = []
        for width in WIDTHS:
            figures = summed(rows, width)
            if wrong := why_not(rows, figures):
                raise NotProved(f"the figures of signal {signal}, day {day}, {wrong}")
            made += figures
        put = [(signal, f.width_s, f.at_s, f.n, f.mean, f.low, f.high, f.flag) for f in made]
        with connection.cursor() as cursor:
            for width in WIDTHS:
                sql = "DELETE FROM instruments_figure WHERE signal_id = %s AND width_s = %s AND at_s BETWEEN %s AND %s"
                cursor.execute(sql, (signal, width, day * 86400, (day + 1) * 86400 - 1))
            marks = ", ".join(["%s"] * 8)
            cursor.executemany(f"INSERT INTO instruments_figure ({ENTRIES}) VALUES ({marks})", put)
        total = f"{sum_of_figures(put):x}"
        seal = seal_of_day(signal, day, len(rows), total, True)
        Day.objects.update_or_create(
            signal_id=signal, day=day, defaults={"n": len(rows), "total": total, "raw": True, "seal": seal}
        )
    return len(rows)


def thin_day(signal: int, day: int) -> int:
    """Let the readings of a day go that stands in figures: once more they are proved, then they are gone; how many.

    Raises: NotProved; Day.DoesNotExist.
    """
    with writing():
        told = Day.objects.get(signal_id=signal, day=day)
        rows = _readings(signal, day)
        _as_kept(signal, day, rows)
        put = _figures(signal, day)
        for width in WIDTHS:
            figures = [Figure(*row[1:]) for row in put if row[1] == width]
            if wrong := why_not(rows, figures):
                raise NotProved(f"the figures of signal {signal}, day {day}, {wrong}")
        if f"{sum_of_figures(put):x}" != told.total or told.seal != seal_of_day(signal, day, told.n, told.total, told.raw):
            raise NotProved(f"the figures of signal {signal}, day {day}, are not those that were made")
        told.raw, told.seal = False, seal_of_day(signal, day, told.n, told.total, False)
        told.save(update_fields=["raw", "seal"])
        with connection.cursor() as cursor:
            sql = "DELETE FROM instruments_reading WHERE signal_id = %s AND at_ms BETWEEN %s AND %s"
            cursor.execute(sql, (signal, day * DAY_MS, (day + 1) * DAY_MS - 1))
    return len(rows)


def _to_sum(today: int) -> list[tuple[int, int]]:
    """Whole days of signals that have readings which no figures stand for yet, oldest first."""
    sql = (
        "SELECT s.signal_id, s.day FROM instruments_readingseal s LEFT JOIN instruments_day d ON d.signal_id = s.signal_id"
        " AND d.day = s.day WHERE s.day < %s AND (d.n IS NULL OR (d.raw AND d.n <> s.n)) ORDER BY s.day, s.signal_id"
    )
    with connection.cursor() as cursor:
        cursor.execute(sql, [today])
        return [(signal, day) for signal, day in cursor.fetchall()]


def work(now: datetime, going: Callable[[], bool], *, seconds: float = 1e9, raw_days: int = RAW_DAYS) -> Done:
    """Sum what can be summed and thin what is old enough, as long as it may."""
    end, today, done = time.monotonic() + seconds, ms(now) // DAY_MS, Done(left=[])
    assert done.left is not None

    def may() -> bool:
        return going() and time.monotonic() < end

    for signal, day in _to_sum(today):
        if not may():
            return done
        try:
            done.readings += sum_day(signal, day)
            done.summed += 1
        except NotProved as failure:
            done.left.append(str(failure))
    old = Day.objects.filter(raw=True, day__lt=today - raw_days).order_by("day", "signal_id").values_list("signal_id", "day")
    for signal, day in list(old):
        if not may():
            return done
        try:
            thin_day(signal, day)
            done.thinned += 1
        except NotProved as failure:
            done.left.append(str(failure))
    return done
