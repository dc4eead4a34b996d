"""Files that notes tell of, by the hash of their content; the table refuses UPDATE, DELETE and REPLACE."""

from django.db import migrations, models

from desk.kit.triggers import append_only, no_replace


class Migration(migrations.Migration):
    dependencies = [("log", "0009_words")]
    operations = [
        migrations.CreateModel(
            name="Attachment",
            fields=[
                ("id", models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name="ID")),
                ("sha256", models.CharField(max_length=64, unique=True)),
                ("body", models.BinaryField()),
            ],
        ),
        *(
            migrations.RunSQL(*pair)
            for pair in (*append_only("log_attachment"), no_replace("log_attachment", "id = NEW.id OR sha256 = NEW.sha256"))
        ),
    ]
