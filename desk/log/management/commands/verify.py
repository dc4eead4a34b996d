"""manage.py verify: walk the log's chain of hashes."""

from django.core.management.base import BaseCommand, CommandError

from desk.log.safekeeping import verify


class Command(BaseCommand):
    help = "Prove that no record of the log was changed, taken out or put in."

    def handle(self, *args, **options):
        found = verify()
        if not found.holds:
            raise CommandError(f"record {found.broken_at} {found.why} ({found.records} looked at)")
        self.stdout.write(f"{found.records} records, each as it was written.")
