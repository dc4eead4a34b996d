"""Readings by minutes and hours, stored in their order (WITHOUT ROWID); a reading may go once its day stands in figures."""

import django.db.models.deletion
from django.db import migrations, models

from desk.kit.triggers import append_only, thinned_only

TABLE = """CREATE TABLE instruments_figure (
    signal_id bigint NOT NULL REFERENCES instruments_signal (id) DEFERRABLE INITIALLY DEFERRED,
    width_s integer NOT NULL, at_s bigint NOT NULL, n integer NOT NULL,
    mean real NOT NULL, low real NOT NULL, high real NOT NULL, flag smallint NOT NULL,
    PRIMARY KEY (signal_id, width_s, at_s)) WITHOUT ROWID"""
_, DELETE = append_only("instruments_reading")


class Migration(migrations.Migration):
    dependencies = [("instruments", "0005_plant_interface")]
    operations = [
        migrations.CreateModel(
            name="Day",
            fields=[
                ("id", models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name="ID")),
                ("day", models.IntegerField()),
                ("n", models.BigIntegerField()),
                ("total", models.CharField(max_length=32)),
                ("raw", models.BooleanField(default=True)),
                ("seal", models.CharField(max_length=64)),
                (
                    "signal",
                    models.ForeignKey(
                        on_delete=django.db.models.deletion.PROTECT, related_name="days", to="instruments.signal"
                    ),
                ),
            ],
            options={"constraints": [models.UniqueConstraint(fields=("signal", "day"), name="one_sum_a_day")]},
        ),
        migrations.RunSQL(TABLE, "DROP TABLE instruments_figure"),
        migrations.RunSQL(DELETE[1], DELETE[0]),
        migrations.RunSQL(*thinned_only()),
    ]
