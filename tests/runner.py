"""Django's runner, which also says in one plain line how many passed and failed."""

import tempfile
from pathlib import Path

from django.test.runner import DiscoverRunner

from tests import make


class Counting(DiscoverRunner):
    """Ends with `Tests: N passed, N failed`, and counts a test that could not run as failed."""

    def setup_databases(self, **kwargs):
        """The demo is built once for the run: its rows are kept, and every test that asks for the demo puts them in."""
        made = super().setup_databases(**kwargs)
        if made:
            self.kept = tempfile.TemporaryDirectory()
            make.keep_rows(Path(self.kept.name) / "demo.rows")
        return made

    def teardown_databases(self, old_config, **kwargs):
        if hasattr(self, "kept"):
            self.kept.cleanup()
        super().teardown_databases(old_config, **kwargs)

    def suite_result(self, suite, result, **kwargs):
        bad = len(result.failures) + len(result.errors) + len(getattr(result, "unexpectedSuccesses", []))
        skipped = len(result.skipped)
        self.told = (max(0, result.testsRun - bad - skipped), bad)
        return super().suite_result(suite, result, **kwargs)
