"""manage.py restore FILE: put a backup in place of the database, with the server stopped."""

import os
import sqlite3
from pathlib import Path

from django.conf import settings
from django.core.management.base import BaseCommand, CommandError
from django.db import DatabaseError
from django.utils import timezone

from desk.log.safekeeping import NotSafe, folder, restore


def server_runs() -> bool:
    """Whether the server that wrote its number into the data folder still lives."""
    note = Path(settings.DATA) / "server.pid"
    try:
        os.kill(int(note.read_text()), 0)
    except (OSError, ValueError):
        return False
    return True


class Command(BaseCommand):
    requires_system_checks: list[str] = []
    help = "Restore a backup; without FILE the newest of backups/. The database before is kept beside it."

    def add_arguments(self, parser):
        parser.add_argument("file", nargs="?")

    def handle(self, *args, file, **options):
        if server_runs():
            raise CommandError("the server runs; stop it first")
        path = Path(file) if file else max(folder().glob("vat-*.sqlite3"), default=None)
        if path is None:
            raise CommandError("there is no backup in backups/")
        try:
            result = restore(path, timezone.now())
        except (NotSafe, OSError, DatabaseError, sqlite3.Error) as error:
            raise CommandError(str(error)) from None
        self.stdout.write(f"{path.name} is in place; {result.sentence}")
