"""manage.py read_plant: takes readings from the plant's own servers, until it is told to stop."""

import asyncio
import logging
import os
import signal

from django.core.management.base import BaseCommand


class Command(BaseCommand):
    help = "Takes readings from the plant's own servers; runs until it is stopped."
    requires_system_checks: list[str] = []

    def handle(self, *args, **options):
        from desk.opc.work import work

        logging.getLogger("asyncua").setLevel(logging.CRITICAL)  # what matters of it is told on the page
        parent, wanted = os.getppid(), [True]
        signal.signal(signal.SIGTERM, lambda *_: wanted.clear())
        asyncio.run(work(lambda: bool(wanted) and os.getppid() == parent))
