"""manage.py run_instruments: takes files from the drop folder, lets the demo's meters read, copies and proves the record at
night."""

import os
import signal
import time
from datetime import timedelta

from django.core.management.base import BaseCommand
from django.db import DatabaseError, close_old_connections
from django.db.models import F
from django.utils import timezone

from desk.instruments import thin
from desk.instruments.models import Worker
from desk.intake.actions import ensure_signals
from desk.intake.files import work
from desk.intake.plant import step
from desk.kit.models import Once
from desk.kit.text import plain
from desk.kit.writing import Trouble, trouble_of, writing
from desk.log.proof import newest_proof, prove
from desk.log.safekeeping import NotSafe, backup
from desk.mill.clock import mill_now
from desk.mill.state import MillState, NoMill, mill_in_force

SCAN_S = 20.0
BEAT_S = 10.0
NIGHT_H = 2
THIN_EVERY_S, THIN_FOR_S, FIRST_THIN_S = 120.0, 4.0, 60.0
DAY = timedelta(hours=24)


class Command(BaseCommand):
    help = "Take readings from the drop folder; --simulate also reads the simulated meters."
    requires_system_checks: list[str] = []

    def add_arguments(self, parser):
        parser.add_argument("--simulate", action="store_true")
        parser.add_argument("--once", action="store_true", help="one round, for tests")

    def handle(self, *args, simulate, once=False, **options):
        self.going, self.version, self.scanned, self.beat, self.error = True, None, -SCAN_S, -BEAT_S, ""
        self.thinned = time.monotonic() - THIN_EVERY_S + FIRST_THIN_S
        if not once:
            signal.signal(signal.SIGTERM, lambda *a: setattr(self, "going", False))
        parent = os.getppid()
        self._started()
        while self.going and os.getppid() == parent:  # never outlives the server that started it
            busy = False
            try:
                busy = self.round(simulate)
                self.figures(once)
                if not once:
                    self.rest()
            except Exception as failure:  # noqa: BLE001  (said on the Instruments page; the next round goes on)
                self._trouble(failure)
            if once:
                return
            close_old_connections()
            if not busy:
                time.sleep(1.0)

    def round(self, simulate: bool) -> bool:
        """One round: signals of the set-up in force, files, meters, the night's work. Whether there is more to do at once."""
        now = mill_now()
        try:
            result, mill = mill_in_force()
        except NoMill:
            result = None
        if result is not None and result != self.version:
            with writing():
                ensure_signals(mill)
            self.version = result
        busy = work(now)
        if simulate and result is not None and time.monotonic() - self.scanned >= SCAN_S:
            self.scanned = time.monotonic()
            step(MillState(now), now)
        return busy

    def figures(self, once: bool) -> None:
        """A little of the work on whole days: into figures, and out of the readings once they are old and proved."""
        if once or time.monotonic() - self.thinned < THIN_EVERY_S:
            return
        self.thinned = time.monotonic()
        done = thin.work(mill_now(), lambda: self.going, seconds=THIN_FOR_S)
        if done.left and done.left[0] != self.error:
            self._trouble(thin.NotProved(done.left[0]))

    def rest(self) -> None:
        """Between rounds: say that the process lives, and do the night's work when it is due."""
        if time.monotonic() - self.beat >= BEAT_S:
            self.beat = time.monotonic()
            self._heard()
            self.night(mill_now())

    def night(self, now) -> None:
        """Once a night, or when a day has gone by without: a checked copy, the proof of the record, old form keys taken
        away."""
        last = newest_proof()
        local = timezone.localtime(now)
        since = None if last is None else now - last.entered_at
        due = (
            since is None
            or since > DAY
            or (local.hour >= NIGHT_H and timezone.localtime(last.entered_at).date() < local.date())
        )
        if not due or not self.version:
            return
        try:
            backup(timezone.now())
        except (NotSafe, OSError) as failure:
            self._trouble(failure)
        prove(now)
        with writing():
            Once.objects.filter(at__lt=timezone.now() - 2 * DAY).delete()

    def _started(self) -> None:
        try:
            with writing():
                Worker.objects.get_or_create(pk=1)
                Worker.objects.filter(pk=1).update(started_at=timezone.now(), seen_at=timezone.now(), starts=F("starts") + 1)
        except DatabaseError as failure:
            self.stderr.write(f"waits: {failure}")

    def _heard(self) -> None:
        with writing():
            Worker.objects.filter(pk=1).update(seen_at=timezone.now())

    def _trouble(self, failure: Exception) -> None:
        """Say it once at the console and keep it for the Instruments page, where the database takes it."""
        trouble = trouble_of(failure)
        text = {Trouble.BUSY: "the database is busy", Trouble.FULL: "the disk is full"}.get(
            trouble, f"{type(failure).__name__}: {failure}"
        )
        if text != self.error:
            self.stderr.write(f"instruments: {text}")
        self.error = text
        try:
            with writing():
                Worker.objects.filter(pk=1).update(last_error=plain(text)[:300], error_at=timezone.now())
        except DatabaseError:
            return
