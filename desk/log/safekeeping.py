"""Safe keeping: the chain of the log proved, dated backups that were checked, a restore that goes back when it fails."""

import contextlib
import hashlib
import os
import shutil
import sqlite3
from dataclasses import dataclass
from datetime import UTC, datetime
from pathlib import Path

from django.core.management import call_command
from django.db import connection

from desk.log.actions import write
from desk.log.anchor import Verified, anchor_now, anchor_path, folder, history_path, verify
from desk.log.models import Kind

__all__ = ["KEPT", "Kept", "NotSafe", "Verified", "backup", "folder", "newest_backup", "restore", "verify"]

KEPT = 14


class NotSafe(Exception):
    """Why a backup or a restore did not happen; what was there before still is."""


def _check_file(path: Path) -> None:
    try:
        with sqlite3.connect(f"file:{path}?mode=ro", uri=True) as db:
            result = db.execute("PRAGMA integrity_check").fetchone()[0]
            tables = {row[0] for row in db.execute("SELECT name FROM sqlite_master WHERE type = 'table'")}
    except sqlite3.Error as error:
        raise NotSafe(f"{path.name} cannot be read as a database: {error}") from None
    finally:
        if "db" in locals():
            db.close()
    if result != "ok":
        raise NotSafe(f"{path.name} is damaged: {result}")
    if not {"log_record", "mill_millversion"} <= tables:
        raise NotSafe(f"{path.name} is a database, but not one of Fox Vat")


def _digest(path: Path) -> str:
    with open(path, "rb") as source:
        return hashlib.file_digest(source, "sha256").hexdigest()


def backup(now: datetime, *, into: Path | None = None, keep: int = KEPT) -> Path:
    """A whole, checked copy of the database in use, dated; older ones than `keep` are taken away."""
    place = into or folder()
    place.mkdir(parents=True, exist_ok=True, mode=0o700)
    path = place / f"vat-{now:%Y%m%d-%H%M%S}.sqlite3"
    if path.exists():
        raise NotSafe(f"{path.name} exists already")
    part = path.with_suffix(".part")
    part.unlink(missing_ok=True)
    anchor_now("backup", now)
    try:
        with contextlib.closing(sqlite3.connect(connection.settings_dict["NAME"], timeout=30)) as db:
            db.execute("VACUUM INTO ?", (str(part),))
    except sqlite3.Error as error:
        part.unlink(missing_ok=True)
        raise NotSafe(f"the copy was not made: {error}") from None
    try:
        _check_file(part)
        result = verify(part, turn=now.toordinal())
        if not result.holds:
            raise NotSafe(f"{path.name} was not kept: {result.sentence}")
    except (NotSafe, sqlite3.Error):
        part.unlink(missing_ok=True)
        raise
    with open(part, "rb") as written:
        os.fsync(written.fileno())
    part.rename(path)
    path.with_suffix(".sha256").write_text(f"{_digest(path)}  {path.name}\n")
    if into is not None:  # the anchor goes where the copies go
        for file in (anchor_path(), history_path()):
            shutil.copyfile(file, place / file.name)
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
        result = verify(anchored=False)
    except Exception as failure:
        _go_back(target, aside)
        raise NotSafe(f"{path.name} could not be used ({failure}); the database before is back") from failure
    if not result.holds:
        _go_back(target, aside)
        raise NotSafe(f"{path.name}: {result.sentence} The database before is back")
    anchor_now(f"restored {path.name}", now, force=True)
    write(
        kind=Kind.PROOF,
        subject="record",
        by=None,
        now=now,
        says=f"Restored from {path.name}; {result.sentence}",
        status="restored",
    )
    return result


@dataclass(frozen=True)
class Kept:
    """The newest backup that proved good, and how old it is."""

    path: Path
    at: datetime

    def age_h(self, now: datetime) -> float:
        return max(0.0, (now - self.at).total_seconds() / 3600.0)


def newest_backup() -> Kept | None:
    """The newest backup whose copy was proved; its checksum stands beside it only then."""
    good = [p for p in folder().glob("vat-*.sqlite3") if p.with_suffix(".sha256").exists()]
    newest = max(good, default=None)
    return None if newest is None else Kept(newest, datetime.fromtimestamp(newest.stat().st_mtime, UTC))


def _go_back(target: Path, aside: Path) -> None:
    connection.close()
    for end in ("", "-wal", "-shm"):
        Path(f"{target}{end}").unlink(missing_ok=True)
        if (old := Path(f"{aside}{end}")).exists():
            shutil.move(old, f"{target}{end}")
