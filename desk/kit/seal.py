"""Seals: what is kept carries a mark that only the holder of the record's key can make, so that a change beside the desk shows.

The key is a file beside the database, never in it. A sealed row's mark is an HMAC over its columns as the database holds
them; a stretch of readings has one mark for all of them.
"""

import hashlib
import hmac
import json
import struct
from collections.abc import Iterable, Sequence
from functools import lru_cache
from pathlib import Path

from django.conf import settings
from django.db import connection, models, transaction

from desk.kit.keyfile import kept_key

_READING = struct.Struct(">qqdq")
_FIGURE = struct.Struct(">qqqqdddq")
MODULUS = 1 << 128


def key_path() -> Path:
    """Where the record's key is kept. A backup is of use only together with it."""
    return Path(settings.DATA) / "record_key"


@lru_cache(maxsize=4)
def _key_in(path: Path) -> bytes:
    return kept_key(path).encode()


def _key() -> bytes:
    return _key_in(key_path())


def keyed(text: str) -> str:
    """HMAC-SHA256 of a text with the record's key, 64 hexadecimal digits."""
    return hmac.new(_key(), text.encode("utf-8", "surrogatepass"), hashlib.sha256).hexdigest()


def sum_of_readings(rows: Iterable[Sequence]) -> int:
    """The sum, modulo 2^128, of the keyed marks of readings (signal id, ms, value, flag). Their order does not matter."""
    key, total = hashlib.sha256(_key()).digest(), 0
    for signal, when, value, flag in rows:
        mark = hashlib.blake2b(_READING.pack(signal, when, value, flag), key=key, digest_size=16).digest()
        total += int.from_bytes(mark, "big")
    return total % MODULUS


def sum_of_figures(rows: Iterable[Sequence]) -> int:
    """The same of figures (signal id, width s, start s, count, mean, low, high, flag)."""
    key, total = hashlib.sha256(_key()).digest(), 0
    for row in rows:
        mark = hashlib.blake2b(_FIGURE.pack(*row), key=key, digest_size=16).digest()
        total += int.from_bytes(mark, "big")
    return total % MODULUS


@lru_cache(maxsize=32)
def columns(table: str, unsealed: frozenset[str]) -> tuple[str, ...]:
    """The sealed columns of a table, by name."""
    with connection.cursor() as cursor:
        cursor.execute(f'PRAGMA table_info("{table}")')
        names = [row[1] for row in cursor.fetchall()]
    return tuple(sorted(n for n in names if n != "seal" and n not in unsealed))


def raw(names: Iterable[str]) -> str:
    """Columns for a SELECT as the database holds them: behind a plus they have no declared type that would be converted."""
    return ", ".join(f'+"{n}"' for n in names)


def seal_of(names: Sequence[str], values: Sequence) -> str:
    """The mark of one row."""
    return keyed(json.dumps(dict(zip(names, values, strict=True)), sort_keys=True, separators=(",", ":"), ensure_ascii=False))


def reseal(table: str, unsealed: frozenset[str], pks: Iterable | None = None) -> None:
    """Mark rows anew from what the database holds of them; all rows that have no mark yet where `pks` is None."""
    names = columns(table, unsealed)
    listed = raw(names)
    with transaction.atomic(), connection.cursor() as cursor:
        wanted = [] if pks is None else list(pks)
        for start in range(0, max(1, len(wanted)), 500):
            some = wanted[start : start + 500]
            if pks is None:
                cursor.execute(f'SELECT id, {listed} FROM "{table}" WHERE seal = %s', [""])
            elif some:
                marks = ", ".join(["%s"] * len(some))
                cursor.execute(f'SELECT id, {listed} FROM "{table}" WHERE id IN ({marks})', some)
            else:
                return
            rows = cursor.fetchall()
            cursor.executemany(f'UPDATE "{table}" SET seal = %s WHERE id = %s', [(seal_of(names, r[1:]), r[0]) for r in rows])


class SealedQuerySet(models.QuerySet):
    """Changes many rows and marks them anew in the same transaction."""

    def update(self, **kwargs):
        if set(kwargs) <= self.model.UNSEALED:
            return super().update(**kwargs)
        with transaction.atomic():
            pks = list(self.values_list("pk", flat=True))
            changed = super().update(**kwargs)
            reseal(self.model._meta.db_table, self.model.UNSEALED, pks)
        return changed

    def bulk_create(self, objs, **kwargs):
        with transaction.atomic():
            made = super().bulk_create(objs, **kwargs)
            reseal(self.model._meta.db_table, self.model.UNSEALED)
        return made


class Sealed(models.Model):
    """A row that carries a mark over its columns, but for those in UNSEALED."""

    UNSEALED: frozenset[str] = frozenset()
    GAPLESS = True  # its numbers have no gaps: a row taken out shows
    seal = models.CharField(max_length=64, default="", editable=False)

    objects = SealedQuerySet.as_manager()

    class Meta:
        abstract = True

    def save(self, *args, **kwargs):
        fields = kwargs.get("update_fields")
        if fields is not None and set(fields) <= self.UNSEALED:
            super().save(*args, **kwargs)
            return
        with transaction.atomic():
            super().save(*args, **kwargs)
            reseal(self._meta.db_table, self.UNSEALED, [self.pk])
