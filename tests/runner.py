"""Django's runner, which also says in one plain line how many passed and failed."""

from django.test.runner import DiscoverRunner


class Counting(DiscoverRunner):
    """Ends with `Tests: N passed, N failed`, and counts a test that could not run as failed."""

    def suite_result(self, suite, result, **kwargs):
        bad = len(result.failures) + len(result.errors) + len(getattr(result, "unexpectedSuccesses", []))
        skipped = len(result.skipped)
        self.told = (max(0, result.testsRun - bad - skipped), bad)
        return super().suite_result(suite, result, **kwargs)
