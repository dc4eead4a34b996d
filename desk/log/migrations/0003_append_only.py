"""The log refuses UPDATE and DELETE."""

from django.db import migrations

from desk.kit.triggers import append_only


class Migration(migrations.Migration):
    dependencies = [("log", "0002_initial")]
    operations = [migrations.RunSQL(*pair) for pair in append_only("log_record")]
