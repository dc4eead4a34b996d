"""manage.py stand_in_plant: shows the demo mill's meters as a server of a plant, until it is told to stop."""

import asyncio
import logging
import os
import signal

from django.core.management.base import BaseCommand


class Command(BaseCommand):
    help = "Shows the demo mill's meters as a server of a plant; runs until it is stopped."
    requires_system_checks: list[str] = []

    def handle(self, *args, **options):
        from desk.opc.standin import run

        logging.getLogger("asyncua").setLevel(logging.CRITICAL)  # what matters of it is told on the page
        parent, wanted = os.getppid(), [True]
        signal.signal(signal.SIGTERM, lambda *_: wanted.clear())
        asyncio.run(run(lambda: bool(wanted) and os.getppid() == parent))
