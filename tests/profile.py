"""How Hypothesis runs here: the same examples each time, no deadline."""

from hypothesis import settings

settings.register_profile("vat", derandomize=True, deadline=None, max_examples=60)
settings.load_profile("vat")
