"""Plain builders for the tests: the demo mill in small, and people."""

import os
import pickle
import shutil
import sqlite3
from contextlib import closing
from datetime import timedelta
from io import StringIO
from pathlib import Path

from django.core.management import call_command
from django.db import connection, transaction

from desk.log.anchor import anchor_path
from desk.mill import clock, ribbon
from desk.mill import state as mill_state
from desk.mill.clock import set_clock
from desk.mill.models import MillVersion
from desk.mill.state import MillState
from desk.people.models import Person
from desk.shift import drift, kept_board
from desk.shift.demo import NOW, PIN, build

DAYS = 5
KEPT_ROWS = "VAT_TEST_ROWS"
KEPT_DATABASE = "VAT_TEST_DATABASE"


def demo() -> None:
    """The demo mill with five days of history, its clock at its morning. It stands in the database from the start of the run;
    where a test before has emptied that, it is put in again from the rows that the run has kept."""
    forget()
    if not MillVersion.objects.exists():
        kept = os.environ.get(KEPT_ROWS)
        if not kept:
            build(days=DAYS)
            return
        _put(pickle.loads(Path(kept).read_bytes())["demo"])
    set_clock(NOW)
    forget()


def nothing() -> None:
    """A database in which no mill was ever set up, for the tests of a first day; as far as the test's own transaction goes."""
    with connection.cursor() as cursor:
        cursor.execute("SELECT name, sql FROM sqlite_master WHERE type = 'trigger'")
        triggers = cursor.fetchall()  # of the log, which is never deleted
        for name, _ in triggers:
            cursor.execute(f'DROP TRIGGER "{name}"')
        kept = pickle.loads(Path(os.environ[KEPT_ROWS]).read_bytes())
        cursor.execute("PRAGMA defer_foreign_keys = ON")
        for name in kept["demo"]:
            cursor.execute(f'DELETE FROM "{name}"')
        _put({"sqlite_sequence": kept["sequence"]})
        for _, sql in triggers:
            cursor.execute(sql)
    forget()


def _put(tables: dict[str, list]) -> None:
    with transaction.atomic(), connection.cursor() as cursor:
        cursor.execute("PRAGMA defer_foreign_keys = ON")
        cursor.execute("DELETE FROM sqlite_sequence")
        for name, rows in tables.items():
            if rows:
                places = ", ".join(["%s"] * len(rows[0]))
                cursor.executemany(f'INSERT INTO "{name}" VALUES ({places})', rows)


def put_in_every(parallel: int, kept: Path) -> None:
    """The demo in the run's database, in the copies of it that the run's processes work on, and in one that is kept."""
    demo()
    own = connection.settings_dict["NAME"]
    connection.close()
    os.environ[KEPT_DATABASE] = str(kept)
    copies = [
        connection.creation.get_test_db_clone_settings(str(k))["NAME"] for k in range(1, parallel + 1 if parallel > 1 else 1)
    ]
    for copy in (kept, *copies):
        shutil.copyfile(own, copy)


def put_back() -> None:
    """The database as it stood when the run began, page by page, after a test that wrote outside a transaction of its own; what
    it anchored of its record goes with it."""
    connection.ensure_connection()
    with closing(sqlite3.connect(os.environ[KEPT_DATABASE])) as kept:
        kept.backup(connection.connection)
    anchor_path().unlink(missing_ok=True)
    forget()


def keep_rows(path: Path) -> None:
    """Build the demo once and keep its rows for the run; the database is left as it was."""

    def rows() -> dict[str, list]:
        with connection.cursor() as cursor:
            cursor.execute(
                "SELECT name FROM sqlite_master WHERE type = 'table' AND name NOT LIKE 'sqlite_%%' OR name = 'sqlite_sequence'"
            )
            names = [row[0] for row in cursor.fetchall()]
            return {name: cursor.execute(f'SELECT * FROM "{name}"').fetchall() for name in names}

    before = rows()
    with transaction.atomic():
        forget()
        call_command("demo", "--days", str(DAYS), stdout=StringIO())
        after = rows()
        transaction.set_rollback(True)
    forget()
    changed = {k: v for k, v in after.items() if v != before[k]}
    stood = [k for k in changed if before[k] and k != "sqlite_sequence"]
    assert not stood, f"the demo changes rows that stood before it: {stood}"
    path.write_bytes(pickle.dumps({"demo": changed, "sequence": before["sqlite_sequence"]}))
    os.environ[KEPT_ROWS] = str(path)


_first: dict[str, str | None] = {"document": None}  # the set-up that what is kept of version 1 was worked out of


def forget() -> None:
    """Drop what the desk keeps: each test has a database of its own, with the same numbers. What it keeps of the first version
    stays as long as that is the same set-up: its document, its lines by how they are run, and their ribbons."""
    mill_state._refused.clear()
    mill_state._started.clear()
    drift.forget()
    kept_board.forget()
    clock.forget()
    with connection.cursor() as cursor:
        row = cursor.execute("SELECT document FROM mill_millversion WHERE id = 1").fetchone()
    document = row[0] if row else None
    stays = document is not None and document == _first["document"]
    _first["document"] = document
    if not (stays and _only_first_is_read()):
        mill_state._read.cache_clear()
    for kept in (mill_state._lines, ribbon._small, ribbon._floor, ribbon._large):
        for key in [k for k in kept if not stays or k[0] != 1]:
            del kept[key]


def _only_first_is_read() -> bool:
    """Whether the first version, and no other, is kept as it was read."""
    before = mill_state._read.cache_info()
    if before.currsize == 1:
        mill_state._read(1)
    return before.currsize == 1 and mill_state._read.cache_info().misses == before.misses


def person(username: str) -> Person:
    return Person.objects.get(username=username)


def state(minutes: float = 0.0) -> MillState:
    """The mill some minutes after the demo's morning."""
    return MillState(NOW + timedelta(minutes=minutes))


__all__ = ["NOW", "PIN", "demo", "person", "state"]


def issue_card(client) -> int:
    """The key of a run card for H-0413, issued through its page by whoever is signed in (lead or engineer)."""
    shares = {f"share_{k}": v for k, v in (("K", 60), ("S", 6), ("M", 6), ("R", 13), ("W", 5), ("B", 10))}
    order = {"order": "H-0413", "grade": "LB80", "gsm": "80", "sale_t": "50", "speed_m_min": "880", "start": "16:45"}
    made = client.post("/schedule/card/", {**order, **shares})
    return int(made.url.rstrip("/").rsplit("/", 1)[1])
