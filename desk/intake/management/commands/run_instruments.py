"""manage.py run_instruments: takes files from the drop folder, and with --simulate lets the demo's meters read."""

import os
import signal
import time

from django.core.management.base import BaseCommand
from django.db import OperationalError, close_old_connections

from desk.intake.actions import ensure_signals
from desk.intake.files import work
from desk.intake.plant import step
from desk.mill.clock import mill_now
from desk.mill.state import MillState, NoMill, mill_in_force

SCAN_S = 20.0


class Command(BaseCommand):
    help = "Take readings from the drop folder; --simulate also reads the simulated meters."

    def add_arguments(self, parser):
        parser.add_argument("--simulate", action="store_true")
        parser.add_argument("--once", action="store_true", help="one round, for tests")

    def handle(self, *args, simulate, once, **options):
        self.going = True
        if not once:
            signal.signal(signal.SIGTERM, lambda *a: setattr(self, "going", False))
        scanned, version, parent = 0.0, None, os.getppid()
        while self.going and os.getppid() == parent:  # never outlives the server that started it
            busy = False
            try:
                now = mill_now()
                try:
                    found, mill = mill_in_force()
                except NoMill:
                    found = None
                if found is not None and found != version:
                    ensure_signals(mill)
                    version = found
                busy = work(now)
                if simulate and found is not None and time.monotonic() - scanned >= SCAN_S:
                    step(MillState(now), now)
                    scanned = time.monotonic()
            except OperationalError as busy_database:
                self.stderr.write(f"waits: {busy_database}")
            if once:
                return
            close_old_connections()
            if not busy:
                time.sleep(1.0)
