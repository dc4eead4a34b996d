"""How Hypothesis runs here: the same examples each time, no deadline. VAT_EXAMPLES=5 draws five times as many."""

import os

from hypothesis import settings

TIMES = float(os.environ.get("VAT_EXAMPLES", "1"))


def examples(usual: int) -> int:
    """How many examples are drawn where a usual run draws so many."""
    return max(1, round(usual * TIMES))


settings.register_profile("vat", derandomize=True, deadline=None, max_examples=examples(40))
settings.load_profile("vat")
