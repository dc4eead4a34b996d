"""manage.py read_plant: takes readings from the plant's own servers, until it is told to stop."""

from django.core.management.base import BaseCommand


class Command(BaseCommand):
    help = "Takes readings from the plant's own servers; runs until it is stopped."
    requires_system_checks: list[str] = []

    def handle(self, *args, **options):
        from desk.opc.until_told import until_told
        from desk.opc.work import work

        until_told(work)
