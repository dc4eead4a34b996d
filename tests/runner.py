"""Django's runner, which also says in one plain line how many passed and failed."""

import gc
import os
import sys
import tempfile
import time
import unittest
from pathlib import Path

from django.test.runner import DiscoverRunner, ParallelTestSuite

from tests import make

TIMES = "VAT_TEST_TIMES"
SLOWEST = 12


def note_times() -> None:
    """Every test, in whichever process it runs, notes how long it took where the run has set a place for it."""
    run, class_set_up = unittest.TestCase.run, unittest.TestSuite._handleClassSetUp

    def note(name: str, begun: float) -> None:
        if place := os.environ.get(TIMES):
            with open(place, "a") as file:
                file.write(f"{time.perf_counter() - begun:.2f} {name}\n")

    def timed(self, result=None):
        begun = time.perf_counter()
        try:
            return run(self, result)
        finally:
            note(self.id(), begun)

    def set_up(self, test, result):
        begun = time.perf_counter()
        if "browser" not in getattr(type(test), "tags", ()) and (browser := sys.modules.get("tests.browser.desk")):
            browser.end_chromium()
        class_set_up(self, test, result)
        if time.perf_counter() - begun > 0.05:
            note(f"{type(test).__module__}.{type(test).__name__} (its set-up)", begun)

    unittest.TestCase.run, unittest.TestSuite._handleClassSetUp = timed, set_up


note_times()


def tags_of(suite) -> set[str]:
    return getattr(next(iter(suite)), "tags", set())


class LongFirst(ParallelTestSuite):
    """The classes that take longest begin first, those of the browser and then the slow, so that no process is left with one at
    the end."""

    def __init__(self, subsuites, *args, **kwargs):
        turn = lambda suite: next((i for i, tag in enumerate(("browser", "slow")) if tag in tags_of(suite)), 2)  # noqa: E731
        super().__init__(sorted(subsuites, key=turn), *args, **kwargs)


class Counting(DiscoverRunner):
    """Ends with `Tests: N passed, N failed`, and counts a test that could not run as failed."""

    parallel_test_suite = LongFirst

    def setup_databases(self, **kwargs):
        """The demo is built once for the run: it stands in its database, and in the copies that its processes work on."""
        self.kept = tempfile.TemporaryDirectory()
        self.times = Path(self.kept.name) / "times"
        self.times.touch()
        os.environ[TIMES] = str(self.times)
        made = super().setup_databases(**kwargs)
        if made:
            make.keep_rows(Path(self.kept.name) / "demo.rows")
            make.put_in_every(self.parallel, Path(self.kept.name) / "demo.sqlite3")
        return made

    def teardown_databases(self, old_config, **kwargs):
        self.kept.cleanup()
        super().teardown_databases(old_config, **kwargs)

    def run_suite(self, suite, **kwargs):
        gc.freeze()  # what stands now stands to the end: no process of the run looks through it again
        gc.set_threshold(20_000, 20, 20)
        found = super().run_suite(suite, **kwargs)
        told = sorted((line.split(" ", 1) for line in self.times.read_text().splitlines()), key=lambda t: -float(t[0]))
        print("The slowest, in seconds: " + "; ".join(f"{name} {took}" for took, name in told[:SLOWEST]))
        if kept := os.environ.get("VAT_KEEP_TIMES"):
            with open(kept, "a") as file:
                file.writelines(f"{took} {name}\n" for took, name in told)
        return found

    def suite_result(self, suite, result, **kwargs):
        bad = len(result.failures) + len(result.errors) + len(getattr(result, "unexpectedSuccesses", []))
        skipped = len(result.skipped)
        self.told = (max(0, result.testsRun - bad - skipped), bad)
        return super().suite_result(suite, result, **kwargs)
