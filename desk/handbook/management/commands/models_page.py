"""manage.py models_page: write docs/models.md and docs/mill.schema.json anew."""

import json

from django.conf import settings
from django.core.management.base import BaseCommand

from core.mill.reading import document_schema
from desk.handbook.listing import page


class Command(BaseCommand):
    help = "Write the pages of docs/ that are made from the code."

    def handle(self, *args, **options):
        docs = settings.HOUSE / "docs"
        (docs / "models.md").write_text(page(), encoding="utf-8")
        (docs / "mill.schema.json").write_text(
            json.dumps(document_schema(), indent=1, ensure_ascii=False) + "\n", encoding="utf-8"
        )
        self.stdout.write("docs/models.md and docs/mill.schema.json are in step.")
