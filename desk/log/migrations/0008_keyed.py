"""INSERT OR REPLACE is refused. A record that was chained without a key is chained with it, once its old chain has held;
rows and readings that stand beside it get their seals."""

import hashlib
import json

from django.db import migrations

from desk.instruments.store import day_seal
from desk.kit import seal
from desk.kit.triggers import SAME, append_only, no_replace

SEALED = {
    "cases_heldcase": (),
    "cook_cook": (),
    "cook_cookfit": (),
    "cook_cookpoint": (),
    "mill_millversion": (),
    "mill_proposal": (),
    "people_person": ("last_login", "schools"),
    "people_token": ("used_at",),
}
REPLACED = ("log_record", "instruments_reading")  # the tables there were
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


def told(values) -> str:
    found = {k.removesuffix("_id"): v for k, v in zip(FIELDS, values, strict=True)}
    for name in ("at", "entered_at"):
        found[name] = found[name].replace(" ", "T") + "+00:00"
    found["data"] = json.loads(found["data"])
    return json.dumps(found, sort_keys=True, separators=(",", ":"), ensure_ascii=False)


def forward(apps, schema_editor):
    with schema_editor.connection.cursor() as cursor:
        cursor.execute(f"SELECT id, previous_hash, hash, {seal.raw(FIELDS)} FROM log_record ORDER BY id")
        rows = cursor.fetchall()
        previous, before, changed = "", "", []
        for pk, old_previous, old, *values in rows:
            text = told(values)
            if old_previous != before or old != hashlib.sha256((before + text).encode()).hexdigest():
                raise RuntimeError(f"record {pk} of the log is not as it was written; it is not chained anew over that")
            before, own = old, seal.keyed(previous + text)
            changed.append((previous, own, pk))
            previous = own
        if changed:
            refuse_update, _ = append_only("log_record")
            cursor.execute(refuse_update[1])
            cursor.executemany("UPDATE log_record SET previous_hash = %s, hash = %s WHERE id = %s", changed)
            cursor.execute(refuse_update[0])
        for table, unsealed in SEALED.items():
            seal.columns.cache_clear()
            seal.reseal(table, frozenset(unsealed))
        cursor.execute("SELECT signal_id, at_ms, value, flag FROM instruments_reading")
        days: dict[tuple[int, int], list] = {}
        for row in cursor.fetchall():
            days.setdefault((row[0], row[1] // 86_400_000), []).append(row)
        made = []
        for (signal, day), some in days.items():
            total = f"{seal.sum_of_readings(some):x}"
            made.append((signal, day, len(some), total, day_seal(signal, day, len(some), total)))
        cursor.executemany(
            "INSERT INTO instruments_readingseal (signal_id, day, n, total, seal) VALUES (%s, %s, %s, %s, %s)", made
        )


class Migration(migrations.Migration):
    dependencies = [
        ("log", "0007_undo_rate_proof"),
        ("cases", "0002_seal"),
        ("cook", "0002_seal"),
        ("mill", "0004_seal"),
        ("people", "0003_seal_and_pins"),
        ("instruments", "0004_seals_and_worker"),
    ]
    operations = [
        *(migrations.RunSQL(*no_replace(table, same)) for table, same in SAME.items() if table in REPLACED),
        migrations.RunPython(forward, migrations.RunPython.noop),
    ]
