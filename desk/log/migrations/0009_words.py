"""The words of the log as an index of SQLite’s own: filled from the record when somebody searches."""

from django.db import migrations


class Migration(migrations.Migration):
    dependencies = [("log", "0008_keyed")]

    operations = [
        migrations.RunSQL(
            "CREATE VIRTUAL TABLE log_words USING fts5(says, words, subject, signed, hash UNINDEXED,"
            " tokenize = 'unicode61 remove_diacritics 2')",
            "DROP TABLE log_words",
        ),
    ]
