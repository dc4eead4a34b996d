"""Safe keeping: the chain of the log proved, dated backups that were checked, a restore that goes back when it fails."""

import hashlib
import os
import shutil
import sqlite3
from dataclasses import dataclass
from datetime import datetime
from pathlib import Path

from django.conf import settings
from django.core.management import call_command
from django.db import connection

from desk.log.models import Record

KEPT = 14


class NotSafe(Exception):
    """Why a backup or a restore did not happen; what was there before still is."""


@dataclass(frozen=True)
class Verified:
    """The chain as far as it holds: records looked at, and the first that does not fit."""

    records: int
    broken_at: int | None
    why: str = ""

    @property
    def holds(self) -> bool:
        return self.broken_at is None


def verify() -> Verified:
    """Walk the log from its first record: each names the hash of the one before and has its own."""
    previous, n = "", 0
    for record in Record.objects.order_by("id").iterator(chunk_size=2000):
        n += 1
        if record.previous_hash != previous:
            return Verified(n, record.pk, "does not follow the record before it: one was taken out or put in")
        if record.hash != record.chained(previous):
            return Verified(n, record.pk, "was changed after it was written")
        previous = record.hash
    return Verified(n, None)


def _check_file(path: Path) -> None:
    try:
        with sqlite3.connect(f"file:{path}?mode=ro", uri=True) as db:
            found = db.execute("PRAGMA integrity_check").fetchone()[0]
            tables = {row[0] for row in db.execute("SELECT name FROM sqlite_master WHERE type = 'table'")}
    except sqlite3.Error as error:
        raise NotSafe(f"{path.name} cannot be read as a database: {error}") from None
    finally:
        if "db" in locals():
            db.close()
    if found != "ok":
        raise NotSafe(f"{path.name} is damaged: {found}")
    if not {"log_record", "mill_millversion"} <= tables:
        raise NotSafe(f"{path.name} is a database, but not one of Fox Vat")


def _digest(path: Path) -> str:
    with open(path, "rb") as source:
        return hashlib.file_digest(source, "sha256").hexdigest()


def folder() -> Path:
    found = Path(settings.DATA) / "backups"
    found.mkdir(parents=True, exist_ok=True)
    return found


def backup(now: datetime, *, into: Path | None = None, keep: int = KEPT) -> Path:
    """A whole, checked copy of the database in use, dated; older ones than `keep` are taken away."""
    place = into or folder()
    place.mkdir(parents=True, exist_ok=True)
    path = place / f"vat-{now:%Y%m%d-%H%M%S}.sqlite3"
    if path.exists():
        raise NotSafe(f"{path.name} exists already")
    part = path.with_suffix(".part")
    part.unlink(missing_ok=True)
    with sqlite3.connect(connection.settings_dict["NAME"], timeout=30) as db:
        db.execute("VACUUM INTO ?", (str(part),))
    db.close()
    try:
        _check_file(part)
    except NotSafe:
        part.unlink(missing_ok=True)
        raise
    with open(part, "rb") as written:
        os.fsync(written.fileno())
    part.rename(path)
    path.with_suffix(".sha256").write_text(f"{_digest(path)}  {path.name}\n")
    for old in sorted(place.glob("vat-*.sqlite3"))[:-keep]:
        old.unlink()
        old.with_suffix(".sha256").unlink(missing_ok=True)
    return path


def restore(path: Path, now: datetime) -> Verified:
    """Put a backup in the place of the database; the one before is kept beside it. Goes back when its log does not hold."""
    if not path.is_file():
        raise NotSafe(f"{path} does not exist")
    _check_file(path)
    sums = path.with_suffix(".sha256")
    if sums.exists() and sums.read_text().split()[0] != _digest(path):
        raise NotSafe(f"{path.name} is not what was backed up: its checksum differs")
    target = Path(connection.settings_dict["NAME"])
    aside = target.with_name(f"{target.name}.before-{now:%Y%m%d-%H%M%S}")
    connection.close()
    for end in ("", "-wal", "-shm"):
        if (old := Path(f"{target}{end}")).exists():
            shutil.move(old, f"{aside}{end}")
    shutil.copyfile(path, target)
    try:
        call_command("migrate", verbosity=0)
        found = verify()
    except Exception as failure:
        _go_back(target, aside)
        raise NotSafe(f"{path.name} could not be used ({failure}); the database before is back") from failure
    if not found.holds:
        _go_back(target, aside)
        raise NotSafe(f"record {found.broken_at} of {path.name} {found.why}; the database before is back")
    return found


def _go_back(target: Path, aside: Path) -> None:
    connection.close()
    for end in ("", "-wal", "-shm"):
        Path(f"{target}{end}").unlink(missing_ok=True)
        if (old := Path(f"{aside}{end}")).exists():
            shutil.move(old, f"{target}{end}")
