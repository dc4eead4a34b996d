"""manage.py backup: a dated, checked copy of the database; 14 are kept."""

import sqlite3
from pathlib import Path

from django.core.management.base import BaseCommand, CommandError
from django.db import DatabaseError
from django.utils import timezone

from desk.log.safekeeping import KEPT, NotSafe, backup


class Command(BaseCommand):
    requires_system_checks: list[str] = []
    help = "Copy the database into backups/, check the copy, keep the newest."

    def add_arguments(self, parser):
        parser.add_argument("--into", help="another folder, such as a second disk")
        parser.add_argument("--keep", type=int, default=KEPT)

    def handle(self, *args, into, keep, **options):
        if keep < 1:
            raise CommandError(f"--keep is {keep}; it must be at least 1")
        try:
            path = backup(timezone.now(), into=Path(into) if into else None, keep=keep)
        except (NotSafe, OSError, DatabaseError, sqlite3.Error) as error:
            raise CommandError(str(error)) from None
        self.stdout.write(f"{path} ({path.stat().st_size / 1e6:.1f} MB), checked and proved.")
