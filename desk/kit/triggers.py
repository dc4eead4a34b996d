"""SQLite triggers that make a table append-only: UPDATE and DELETE are refused by the database itself."""


def no_replace(table: str, same: str) -> tuple[str, str]:
    """(forward, backward) for a trigger that refuses INSERT OR REPLACE; `same` says which row there is the one to be
    replaced."""
    name = f"{table}_no_replace"
    body = (
        f"SELECT RAISE(ABORT, '{table} is append-only: it is there already') WHERE EXISTS (SELECT 1 FROM {table} WHERE {same});"
    )
    return f"CREATE TRIGGER {name} BEFORE INSERT ON {table} BEGIN {body} END;", f"DROP TRIGGER {name};"


SAME = {
    "log_record": "id = NEW.id OR hash = NEW.hash",
    "log_attachment": "id = NEW.id OR sha256 = NEW.sha256",
    "instruments_reading": "signal_id = NEW.signal_id AND at_ms = NEW.at_ms",
}


THINNED = "instruments_reading_no_delete"


def thinned_only() -> tuple[str, str]:
    """A reading may go where its day stands in figures that were proved, and was closed; nothing else may."""
    known = "SELECT 1 FROM instruments_day d WHERE d.signal_id = OLD.signal_id AND d.day = OLD.at_ms / 86400000 AND NOT d.raw"
    body = (
        f"SELECT RAISE(ABORT, 'instruments_reading is append-only: its day is not in figures yet') WHERE NOT EXISTS ({known});"
    )
    return f"CREATE TRIGGER {THINNED} BEFORE DELETE ON instruments_reading BEGIN {body} END;", f"DROP TRIGGER {THINNED};"


def expected() -> dict[str, str]:
    """Every trigger that must stand in the database, by name."""
    pairs = [pair for table, same in SAME.items() for pair in (*append_only(table), no_replace(table, same))]
    pairs = [pair for pair in pairs if pair[0].split()[2] != THINNED] + [thinned_only()]
    return {forward.split()[2]: forward.rstrip(";") for forward, _ in pairs}


def append_only(table: str) -> list[tuple[str, str]]:
    """(forward, backward) statements for one table."""
    made = []
    for verb in ("UPDATE", "DELETE"):
        name = f"{table}_no_{verb.lower()}"
        body = f"SELECT RAISE(ABORT, '{table} is append-only: correct it with a later record');"
        made.append((f"CREATE TRIGGER {name} BEFORE {verb} ON {table} BEGIN {body} END;", f"DROP TRIGGER {name};"))
    return made
