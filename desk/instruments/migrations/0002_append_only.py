"""Readings refuse UPDATE and DELETE."""

from django.db import migrations

from desk.kit.triggers import append_only


class Migration(migrations.Migration):
    dependencies = [("instruments", "0001_initial")]
    operations = [migrations.RunSQL(*pair) for pair in append_only("instruments_reading")]
