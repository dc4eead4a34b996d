"""manage.py demo: load the demo mill into an empty database, or let its clock go on from when it was last seen."""

from datetime import timedelta

from django.core.management.base import BaseCommand
from django.db.models import Max

from desk.log.models import Record
from desk.mill.clock import mill_now, set_clock
from desk.mill.models import ClockSetting, MillVersion
from desk.shift.demo import DAYS, build


class Command(BaseCommand):
    help = "Load the demo mill when the database is empty; else let the demo's clock go on."

    def add_arguments(self, parser):
        parser.add_argument("--days", type=int, default=DAYS, help="days of history")

    def handle(self, *args, days, **options):
        if not MillVersion.objects.exists():
            build(days=days)
            self.stdout.write("The demo mill is loaded.")
            return
        setting = ClockSetting.objects.first()
        if setting is None:
            return  # a real mill: its clock is the computer's
        last = Record.objects.aggregate(Max("entered_at"))["entered_at__max"]
        seen = max(filter(None, (setting.seen_at, last)))
        if mill_now() - seen > timedelta(minutes=30):
            set_clock(seen + timedelta(minutes=1))  # the demo's clock rests while nobody works at it
