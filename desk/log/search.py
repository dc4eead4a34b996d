"""Searching the log: by words through SQLite's own full-text index, by station, person and time.

The index is brought up to the record when somebody searches; where that cannot be written (a full disk, a lock), entries are
searched one by one.
"""

from django.db import OperationalError, connection
from django.db.models import Q
from django.db.models.expressions import RawSQL

from desk.kit.writing import trouble_of, writing
from desk.log.models import RecordQuerySet

COLUMNS = "says, words, subject, signed, hash"
FOLLOWS = f"INSERT INTO log_words (rowid, {COLUMNS}) SELECT id, {COLUMNS} FROM log_record WHERE id > %s ORDER BY id"


def caught_up() -> bool:
    """Bring the index up to the record; anew where it stands for another one. Whether it could be."""
    with connection.cursor() as cursor:
        indexed = cursor.execute("SELECT rowid, hash FROM log_words ORDER BY rowid DESC LIMIT 1").fetchone()
        newest = cursor.execute("SELECT id, hash FROM log_record ORDER BY id DESC LIMIT 1").fetchone()
    if indexed == newest:
        return True
    try:
        with writing(), connection.cursor() as cursor:
            last, mark = indexed or (0, "")
            kept = cursor.execute("SELECT hash FROM log_record WHERE id = %s", [last]).fetchone()
            if indexed and kept != (mark,):
                cursor.execute("DELETE FROM log_words")
                last = 0
            cursor.execute(
                f"INSERT INTO log_words (rowid, {COLUMNS}) SELECT id, {COLUMNS} FROM log_record WHERE id > %s ORDER BY id",
                [last],
            )
    except OperationalError as trouble:
        if trouble_of(trouble) is None:
            raise
        return False
    return True


def expression(text: str) -> str:
    """What was typed as the index is asked: every word, the beginnings of words too; empty where there is none."""
    words = [word.replace('"', "") for word in text.split()]
    return " ".join(f'"{word}"*' for word in words if any(c.isalnum() for c in word))


def with_words(records: RecordQuerySet, text: str) -> RecordQuerySet:
    """Those of the records that hold every word."""
    asked = expression(text)
    if not asked:
        return records.none()
    if caught_up():
        found = RawSQL("SELECT rowid FROM log_words WHERE log_words MATCH %s", [asked])
        return records.filter(pk__in=found)
    for word in text.split():
        records = records.filter(
            Q(says__icontains=word) | Q(words__icontains=word) | Q(subject__icontains=word) | Q(signed__icontains=word)
        )
    return records


def tags_of(mill) -> tuple[str, ...]:
    """What an entry may be about by its tag: rows of the plan, units, vessels and meters, in their order."""
    told = [*mill.plan, *(u.id for u in mill.units), *mill.vessels, *(r.tag for r in mill.plan.values() if r.metered)]
    return tuple(dict.fromkeys(told))


def with_tag(records: RecordQuerySet, tag: str) -> RecordQuerySet:
    """Those about a tag, or about a part of it: S.chest has S.chest.consistency, a meter, a set point and a lot's own test."""
    ends = Q(subject__endswith=f".{tag}") | Q(subject__endswith=f"/{tag}")
    return records.filter(Q(subject=tag) | ends | Q(subject__contains=f"{tag}."))


def stations_of(mill) -> tuple[str, ...]:
    """The stations that the mill has rows or units at, in the order of its units."""
    return tuple(dict.fromkeys(x.station for x in (*mill.units, *mill.plan.values()) if x.station))


def at_station(records: RecordQuerySet, mill, station: str) -> RecordQuerySet:
    """Those about a row of the plan or a unit of a station."""
    rows = [r.id for r in mill.plan.values() if r.station == station]
    asked = Q(subject__in=rows)
    for unit in (u.id for u in mill.units if u.station == station):
        asked |= Q(subject=unit) | Q(subject__gt=f"{unit}.", subject__lt=f"{unit}/")  # what begins with it and a point
    return records.filter(asked)
