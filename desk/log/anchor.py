"""The record proves itself: its keyed chain, its anchor outside the database, and the seals of what stands beside it."""

import contextlib
import fcntl
import hashlib
import json
import os
import sqlite3
from collections.abc import Callable
from dataclasses import dataclass
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

from django.apps import apps
from django.conf import settings
from django.db import connection, transaction

from core.instruments.thin import WIDTHS
from desk.instruments.store import DAY_MS, day_seal
from desk.instruments.thin import seal_of_day
from desk.kit.seal import MODULUS, Sealed, columns, keyed, raw, seal_of, sum_of_figures, sum_of_readings
from desk.kit.triggers import expected
from desk.log.models import Record, canonical

FAULTS_TOLD = 12
NEW_DAYS, TURNS = 8, 28  # of readings: the newest days each night, and the others once in so many nights
FIRST, LAST = (f"SELECT {of}(at_ms) FROM instruments_reading WHERE signal_id = ?" for of in ("min", "max"))
FIELDS = (
    "kind",
    "subject",
    "at",
    "entered_at",
    "by_id",
    "signed",
    "value",
    "status",
    "says",
    "words",
    "data",
    "about_id",
    "corrects_id",
    "reason",
    "core_version",
)


@dataclass(frozen=True)
class Verified:
    """What a walk over the record found: how many records, every fault in words, and how many days of signals another night
    walks."""

    records: int
    faults: tuple[str, ...] = ()
    left: int = 0

    @property
    def holds(self) -> bool:
        return not self.faults

    @property
    def sentence(self) -> str:
        if self.holds:
            turn = f" Readings of the newest {NEW_DAYS} days, and of the others a {TURNS}th in turn." if self.left else ""
            return f"{self.records} records, each as it was written.{turn}"
        more = f" (and {len(self.faults) - 3} more)" if len(self.faults) > 3 else ""
        return f"The record does not prove itself: {'; '.join(self.faults[:3])}{more}."


def folder() -> Path:
    """Where backups and the anchor are kept."""
    result = Path(settings.DATA) / "backups"
    result.mkdir(parents=True, exist_ok=True, mode=0o700)
    return result


def anchor_path() -> Path:
    """The file that says how far the record had come: one for each database, beside its backups."""
    return folder() / f"{Path(connection.settings_dict['NAME']).stem}.anchor"


def history_path() -> Path:
    return anchor_path().with_suffix(".anchors")


def _line(count: int, head: str, **more: Any) -> str:
    told = {"count": count, "head": head, **more}
    text = json.dumps(told, sort_keys=True)
    return json.dumps({**told, "mac": keyed(f"anchor {text}")}, sort_keys=True)


def _read_line(text: str) -> dict[str, Any] | None:
    """A line of an anchor file, or None where it was not made with the record's key."""
    try:
        told = json.loads(text)
        mac = told.pop("mac")
    except (ValueError, KeyError, AttributeError):
        return None
    return told if mac == keyed(f"anchor {json.dumps(told, sort_keys=True)}") else None


def advance(count: int, head: str, *, force: bool = False) -> None:
    """Carry the anchor on to a record that is safely written; never back, but by a restore (`force`)."""
    handle = os.open(anchor_path(), os.O_RDWR | os.O_CREAT, 0o600)
    try:
        fcntl.flock(handle, fcntl.LOCK_EX)
        known = _read_line(os.read(handle, 4096).decode("utf-8", "replace"))
        if known is not None and known["count"] >= count and not force:
            return
        line = _line(count, head).encode()
        os.pwrite(handle, line, 0)
        os.ftruncate(handle, len(line))
    finally:
        os.close(handle)


def advance_soon(record: Record) -> None:
    """Once the transaction is in the database, the anchor follows. A disk that is full keeps the anchor where it is."""

    def go() -> None:
        with contextlib.suppress(OSError):
            advance(record.pk, record.hash)

    transaction.on_commit(go)


def _counts() -> dict[str, int]:
    """How many rows each sealed table and the readings hold."""
    with connection.cursor() as cursor:
        result = {}
        for model in sealed_models():
            cursor.execute(f'SELECT count(*) FROM "{model._meta.db_table}"')
            result[model._meta.db_table] = cursor.fetchone()[0]
        cursor.execute("SELECT coalesce(sum(n), 0) FROM instruments_readingseal")
        result["instruments_reading"] = cursor.fetchone()[0]
    return result


def anchor_now(why: str, now: datetime, *, force: bool = False) -> None:
    """Write the head of the record and the size of every sealed table into the anchor's history."""
    count, head = _head()
    advance(count, head, force=force)
    with open(history_path(), "a", encoding="utf-8") as out:
        out.write(_line(count, head, why=why, at=now.isoformat(), tables=_counts()) + "\n")
        out.flush()
        os.fsync(out.fileno())


def _head() -> tuple[int, str]:
    last = Record.objects.order_by("-id").values_list("pk", "hash").first()
    return last or (0, "")


def anchor_words() -> str:
    """The record's head as it is printed on a signed handover and a ticket."""
    count, head = _head()
    return f"{count} records, head {head[:16]}"


def sealed_models() -> list[type[Sealed]]:
    return sorted((m for m in apps.get_models() if issubclass(m, Sealed)), key=lambda m: m._meta.db_table)


def verify(database: Path | None = None, *, anchored: bool = True, turn: int | None = None) -> Verified:
    """Walk the whole record of a database (the one in use): chain, anchor, triggers, readings and sealed rows.

    `anchored` False leaves the anchor out: a backup is older than the database in use. With the number of a night as `turn`, of
    the readings only the newest days and a 28th of the others are walked, so that each is within four weeks.
    """
    faults: list[str] = []
    left = 0
    if database is not None:
        with contextlib.closing(sqlite3.connect(f"file:{database}?mode=ro", uri=True)) as db:
            heads = _chain(db, faults)
            _triggers(db, faults)
            left = _readings(db, faults, turn)
            _sealed(db, faults)
            _files(db, faults)
    else:
        connection.ensure_connection()
        with transaction.atomic():  # one state of the database for all of them
            db = connection.connection
            heads = _chain(db, faults)
            _triggers(db, faults)
            left = _readings(db, faults, turn)
            _sealed(db, faults)
            _files(db, faults)
            if anchored:
                _anchor(heads, faults)
    return Verified(len(heads), tuple(faults[:FAULTS_TOLD]), left)


def _time(text: str) -> str:
    when = datetime.fromisoformat(text)
    return (when if when.tzinfo else when.replace(tzinfo=UTC)).astimezone(UTC).isoformat()


def _chain(db, faults: list[str]) -> dict[int, str]:
    """Every record's own hash behind the one before it; the hashes by number."""
    heads: dict[int, str] = {}
    previous = ""
    sql = f"SELECT id, previous_hash, hash, {raw(FIELDS)} FROM log_record ORDER BY id"
    for pk, before, own, *values in db.execute(sql):
        told = dict(zip(FIELDS, values, strict=True))
        told |= {"at": _time(told["at"]), "entered_at": _time(told["entered_at"]), "data": json.loads(told["data"])}
        told = {k.removesuffix("_id"): v for k, v in told.items()}
        heads[pk] = own
        if before != previous:
            faults.append(f"record {pk} does not follow the record before it: one was taken out or put in")
        elif own != keyed(previous + canonical(told)):
            faults.append(f"record {pk} was changed after it was written")
        if len(faults) >= FAULTS_TOLD:
            break
        previous = own
    counted = db.execute("SELECT seq FROM sqlite_sequence WHERE name = 'log_record'").fetchone()
    last = max(heads, default=0)
    if counted is not None and counted[0] > last and len(faults) < FAULTS_TOLD:
        faults.append(f"the last {counted[0] - last} records were taken out")
    return heads


def _anchor(heads: dict[int, str], faults: list[str]) -> None:
    """The record against what was written down of it outside the database."""
    last = max(heads, default=0)
    try:
        now = _read_line(anchor_path().read_text())
        history = [_read_line(line) for line in history_path().read_text().splitlines()] if history_path().exists() else []
    except OSError:
        if heads:
            faults.append(f"the anchor {anchor_path().name} is not there: how far the record had come cannot be proved")
        return
    if now is None or None in history:
        faults.append(f"the anchor {anchor_path().name} was not made with this record's key")
        return
    since = max((i for i, line in enumerate(history) if line["why"].startswith("restored")), default=0)
    for line in [*history[since:], now]:
        if line["count"] > last:
            faults.append(f"records after {last} are missing: there were {line['count']}")
            break
        if line["count"] and heads.get(line["count"]) != line["head"]:
            faults.append(f"record {line['count']} is not the one that was written: the chain was made anew")
            break
    if history[since:]:
        counts = _counts()
        for table, n in history[-1]["tables"].items():
            if counts.get(table, 0) < n:
                faults.append(f"{table} holds {counts.get(table, 0)} rows, there were {n}")


def _triggers(db, faults: list[str]) -> None:
    stand = dict(db.execute("SELECT name, sql FROM sqlite_master WHERE type = 'trigger'"))
    faults += [
        f"the trigger {name} that keeps the record append-only is {'not there' if name not in stand else 'another one'}"
        for name, sql in expected().items()
        if stand.get(name) != sql
    ]


def _shown(day: int) -> str:
    return f"{datetime.fromtimestamp(day * 86400, UTC):%Y-%m-%d}"


def _readings(db, faults: list[str], turn: int | None) -> int:
    """Every day of every signal, or those whose turn it is: as many readings as were kept, each as it was. How many days of
    signals were left for another night."""
    seals = {
        (signal, day): (n, total, seal)
        for signal, day, n, total, seal in db.execute("SELECT signal_id, day, n, total, seal FROM instruments_readingseal")
    }
    newest = max((day for _, day in seals), default=0)

    def due(day: int) -> bool:
        return turn is None or day > newest - NEW_DAYS or day % TURNS == turn % TURNS

    for (signal, day), (n, total, seal) in seals.items():
        if due(day) and seal != day_seal(signal, day, n, total):
            faults.append(f"the seal of signal {signal}, day {day}, was not made with this record's key")
    there = {place for place in seals if due(place[1])}
    for (signal,) in db.execute("SELECT id FROM instruments_signal").fetchall():
        ends = [
            db.execute(f"SELECT {of}(at_ms) FROM instruments_reading WHERE signal_id = ?", (signal,)) for of in ("min", "max")
        ]
        first, last = (end.fetchone()[0] for end in ends)
        if first is not None:  # also days that nobody sealed
            there |= {(signal, day) for day in range(first // DAY_MS, last // DAY_MS + 1) if due(day)}
    in_figures = _in_figures(db, faults, due)
    sql = "SELECT signal_id, at_ms, value, flag FROM instruments_reading WHERE signal_id = ? AND at_ms BETWEEN ? AND ?"
    for signal, day in sorted(there):
        if len(faults) >= FAULTS_TOLD:
            break
        rows = db.execute(sql, (signal, day * DAY_MS, (day + 1) * DAY_MS - 1)).fetchall()
        n, total, _ = (0, "0", "") if (signal, day) in in_figures else seals.get((signal, day), (0, "0", ""))
        if n and not rows:
            faults.append(f"the readings of signal {signal}, day {_shown(day)}, are not there")
        elif n != len(rows) or int(total, 16) % MODULUS != sum_of_readings(rows):
            faults.append(f"readings of signal {signal}, day {_shown(day)}, were changed")
    return sum(not due(day) for _, day in seals)


def _in_figures(db, faults: list[str], due: Callable[[int], bool]) -> set[tuple[int, int]]:
    """The days whose readings are gone into figures: each figure as it was made, of those that are due."""
    sql = (
        "SELECT signal_id, width_s, at_s, n, mean, low, high, flag FROM instruments_figure"
        " WHERE signal_id = ? AND width_s = ? AND at_s BETWEEN ? AND ?"
    )
    told = set()
    kept = db.execute("SELECT signal_id, day, n, total, seal FROM instruments_day WHERE NOT raw").fetchall()
    for signal, day, n, total, seal in kept:
        told.add((signal, day))
        if not due(day):
            continue
        put = [r for width in WIDTHS for r in db.execute(sql, (signal, width, day * 86400, day * 86400 + 86399))]
        if seal != seal_of_day(signal, day, n, total, False) or int(total, 16) % MODULUS != sum_of_figures(put):
            faults.append(f"the figures of signal {signal}, day {_shown(day)}, were changed")
        if len(faults) >= FAULTS_TOLD:
            break
    return told


def _files(db, faults: list[str]) -> None:
    """Every file that a record tells of, as it was kept."""
    if not db.execute("SELECT 1 FROM sqlite_master WHERE name = 'log_attachment'").fetchone():
        return  # a backup from before notes kept files
    kept = {own: hashlib.sha256(body).hexdigest() for own, body in db.execute("SELECT sha256, body FROM log_attachment")}
    told = """SELECT id, data FROM log_record WHERE kind = 'remark' AND json_extract(data, '$.files') IS NOT NULL ORDER BY id"""
    for pk, data in db.execute(told):
        for f in json.loads(data)["files"]:
            if kept.get(f["sha256"]) != f["sha256"]:
                faults.append(f"file {f['name']} of record {pk} is not as it was kept")


def _sealed(db, faults: list[str]) -> None:
    """Every sealed row as the desk wrote it, and none missing."""
    for model in sealed_models():
        table, name = model._meta.db_table, model._meta.verbose_name
        names = columns(table, model.UNSEALED)
        listed, last, n = raw(names), 0, 0
        for pk, seal, *values in db.execute(f'SELECT id, seal, {listed} FROM "{table}" ORDER BY id'):
            last, n = pk, n + 1
            if seal != seal_of(names, values):
                faults.append(f"{name} {pk} was changed beside the desk")
            if len(faults) >= FAULTS_TOLD:
                return
        counted = db.execute("SELECT seq FROM sqlite_sequence WHERE name = ?", [table]).fetchone()
        if model.GAPLESS and max(last, counted[0] if counted else 0) != n:
            faults.append(f"{name}: {max(last, counted[0] if counted else 0) - n} rows were taken out")
