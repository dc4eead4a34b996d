"""SQLite triggers that make a table append-only: UPDATE and DELETE are refused by the database itself."""


def append_only(table: str) -> list[tuple[str, str]]:
    """(forward, backward) statements for one table."""
    made = []
    for verb in ("UPDATE", "DELETE"):
        name = f"{table}_no_{verb.lower()}"
        body = f"SELECT RAISE(ABORT, '{table} is append-only: correct it with a later record');"
        made.append((f"CREATE TRIGGER {name} BEFORE {verb} ON {table} BEGIN {body} END;", f"DROP TRIGGER {name};"))
    return made
