"""Readings by signal and time, stored in that order (WITHOUT ROWID), append-only; deliveries and refusals."""

import django.db.models.deletion
from django.conf import settings
from django.db import migrations, models

from desk.kit.triggers import append_only

TABLE = """CREATE TABLE instruments_reading (
    signal_id bigint NOT NULL REFERENCES instruments_signal (id) DEFERRABLE INITIALLY DEFERRED,
    at_ms bigint NOT NULL, value real NOT NULL, flag smallint NOT NULL DEFAULT 0,
    PRIMARY KEY (signal_id, at_ms)) WITHOUT ROWID"""


class Migration(migrations.Migration):
    dependencies = [("instruments", "0002_append_only"), migrations.swappable_dependency(settings.AUTH_USER_MODEL)]
    operations = [
        *(migrations.RunSQL(backward, forward) for forward, backward in append_only("instruments_reading")),
        migrations.DeleteModel("Reading"),
        migrations.CreateModel(
            name="Signal",
            fields=[
                ("id", models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name="ID")),
                ("tag", models.CharField(max_length=60, unique=True)),
                ("label", models.CharField(max_length=120)),
                ("unit", models.CharField(max_length=20)),
                ("kind", models.CharField(max_length=20)),
                ("low", models.FloatField()),
                ("high", models.FloatField()),
                ("decimals", models.PositiveSmallIntegerField()),
                ("station", models.CharField(max_length=20)),
                ("age_min", models.FloatField(help_text="older than this, a reading is old")),
                ("row", models.CharField(blank=True, help_text="the row of the plan that checks it", max_length=80)),
                ("last_ms", models.BigIntegerField(null=True)),
                ("last_value", models.FloatField(null=True)),
            ],
            options={"ordering": ["tag"]},
        ),
        migrations.SeparateDatabaseAndState(
            database_operations=[migrations.RunSQL(TABLE, "DROP TABLE instruments_reading")],
            state_operations=[
                migrations.CreateModel(
                    name="Reading",
                    fields=[
                        (
                            "pk",
                            models.CompositePrimaryKey(
                                "signal_id", "at_ms", blank=True, editable=False, primary_key=True, serialize=False
                            ),
                        ),
                        ("at_ms", models.BigIntegerField()),
                        ("value", models.FloatField()),
                        ("flag", models.PositiveSmallIntegerField(default=0)),
                        (
                            "signal",
                            models.ForeignKey(
                                db_index=False,
                                on_delete=django.db.models.deletion.PROTECT,
                                related_name="readings",
                                to="instruments.signal",
                            ),
                        ),
                    ],
                )
            ],
        ),
        *(migrations.RunSQL(forward, backward) for forward, backward in append_only("instruments_reading")),
        migrations.CreateModel(
            name="Delivery",
            fields=[
                ("id", models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name="ID")),
                ("door", models.CharField(help_text="http, file, typed, simulated", max_length=10)),
                ("name", models.CharField(max_length=120)),
                ("made_at", models.DateTimeField()),
                (
                    "status",
                    models.CharField(
                        choices=[
                            ("waiting", "waiting"),
                            ("running", "running"),
                            ("stopped", "stopped"),
                            ("done", "done"),
                            ("failed", "failed"),
                        ],
                        default="waiting",
                        max_length=10,
                    ),
                ),
                ("wanted", models.CharField(default="go", max_length=4)),
                ("path", models.CharField(blank=True, max_length=300)),
                (
                    "history",
                    models.BooleanField(default=False, help_text="readings of the past: late and out of order mean nothing"),
                ),
                ("line", models.PositiveIntegerField(default=0)),
                ("done_bytes", models.BigIntegerField(default=0)),
                ("total_bytes", models.BigIntegerField(default=0)),
                ("kept", models.PositiveIntegerField(default=0)),
                ("flagged", models.PositiveIntegerField(default=0)),
                ("refused", models.PositiveIntegerField(default=0)),
                ("reasons", models.JSONField(default=dict)),
                ("by", models.ForeignKey(null=True, on_delete=django.db.models.deletion.PROTECT, to=settings.AUTH_USER_MODEL)),
            ],
            options={"ordering": ["-id"]},
        ),
        migrations.CreateModel(
            name="Refusal",
            fields=[
                ("id", models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name="ID")),
                ("line", models.PositiveIntegerField()),
                ("text", models.CharField(max_length=160)),
                ("reason", models.CharField(max_length=40)),
                (
                    "delivery",
                    models.ForeignKey(
                        on_delete=django.db.models.deletion.CASCADE, related_name="refusals", to="instruments.delivery"
                    ),
                ),
            ],
            options={"ordering": ["id"]},
        ),
    ]
