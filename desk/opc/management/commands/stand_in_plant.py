"""manage.py stand_in_plant: shows the demo mill's meters as a server of a plant, until it is told to stop."""

from django.core.management.base import BaseCommand


class Command(BaseCommand):
    help = "Shows the demo mill's meters as a server of a plant; runs until it is stopped."
    requires_system_checks: list[str] = []

    def handle(self, *args, **options):
        from desk.opc.standin import run
        from desk.opc.until_told import until_told

        until_told(run)
