"""manage.py demo: load the demo mill into an empty database, or let its clock go on from when it was last seen."""

from datetime import datetime, timedelta

from django.core.management.base import BaseCommand
from django.db.models import Max

from desk.instruments.models import Signal, at
from desk.intake.models import Plant
from desk.log.models import Record
from desk.mill.clock import mill_now, set_clock
from desk.mill.models import ClockSetting, MillVersion
from desk.shift.demo import DAYS, build


def last_seen() -> datetime:
    """The newest time that the desk has kept: of an entry, of a reading, of what the plant last showed."""
    read_ms = Signal.objects.aggregate(Max("last_ms"))["last_ms__max"]
    kept = (
        Record.objects.aggregate(Max("entered_at"))["entered_at__max"],
        Plant.objects.aggregate(Max("at"))["at__max"],
        at(read_ms) if read_ms is not None else None,
    )
    return max((when for when in kept if when is not None), default=mill_now())


class Command(BaseCommand):
    help = "Load the demo mill when the database is empty; else let the demo's clock go on."

    def add_arguments(self, parser):
        parser.add_argument("--days", type=int, default=DAYS, help="days of history")

    def handle(self, *args, days, **options):
        if not MillVersion.objects.exists():
            build(days=days)
            self.stdout.write("The demo mill is loaded.")
            return
        if not ClockSetting.objects.exists():
            return  # a real mill: its clock is the computer's
        seen = last_seen()
        if not timedelta(0) <= mill_now() - seen <= timedelta(minutes=30):
            set_clock(seen + timedelta(minutes=1))  # the demo's clock rests while nobody works at it
