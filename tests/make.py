"""Plain builders for the tests: the demo mill in small, and people."""

import os
import pickle
from datetime import timedelta
from pathlib import Path

from django.db import connection, transaction

from desk.mill import clock, ribbon
from desk.mill import state as mill_state
from desk.mill.clock import set_clock
from desk.mill.state import MillState
from desk.people.models import Person
from desk.shift import drift, kept_board
from desk.shift.demo import NOW, PIN, build

DAYS = 5
KEPT_ROWS = "VAT_TEST_ROWS"


def demo() -> None:
    """The demo mill with five days of history, its clock at its morning; from the rows that the run has kept, where it has."""
    forget()
    kept = os.environ.get(KEPT_ROWS)
    if not kept:
        build(days=DAYS)
        return
    tables = pickle.loads(Path(kept).read_bytes())
    with transaction.atomic(), connection.cursor() as cursor:
        cursor.execute("PRAGMA defer_foreign_keys = ON")
        cursor.execute("DELETE FROM sqlite_sequence")
        for name, rows in tables.items():
            if rows:
                places = ", ".join(["%s"] * len(rows[0]))
                cursor.executemany(f'INSERT INTO "{name}" VALUES ({places})', rows)
    set_clock(NOW)
    forget()


def keep_rows(path: Path) -> None:
    """Build the demo once and keep its rows for every `demo()` of the run; the database is left as it was."""

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
        build(days=DAYS)
        after = rows()
        transaction.set_rollback(True)
    forget()
    changed = {k: v for k, v in after.items() if v != before[k]}
    stood = [k for k in changed if before[k] and k != "sqlite_sequence"]
    assert not stood, f"the demo changes rows that stood before it: {stood}"
    path.write_bytes(pickle.dumps(changed))
    os.environ[KEPT_ROWS] = str(path)


def forget() -> None:
    """Drop what the desk keeps by the set-up's version: each test has a database of its own, with the same numbers."""
    mill_state._read.cache_clear()
    mill_state._lines.clear()
    mill_state._refused.clear()
    mill_state._started.clear()
    ribbon.forget()
    drift.forget()
    kept_board.forget()
    clock.forget()


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
