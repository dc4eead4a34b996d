"""manage.py verify: walk the record: its chain, its anchor, its triggers, its readings and sealed rows."""

import sqlite3

from django.core.management.base import BaseCommand, CommandError
from django.db import DatabaseError

from desk.log.safekeeping import verify


class Command(BaseCommand):
    requires_system_checks: list[str] = []
    help = "Prove that nothing of the record was changed, taken out or put in."

    def handle(self, *args, **options):
        try:
            result = verify()
        except (OSError, DatabaseError, sqlite3.Error, ValueError) as error:
            raise CommandError(f"the record cannot be read: {error}") from None
        if not result.holds:
            raise CommandError(result.sentence)
        self.stdout.write(result.sentence)
