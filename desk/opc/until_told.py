"""A process of its own: it works until it is told to stop, and never outlives the server that started it."""

import asyncio
import logging
import os
import signal
from collections.abc import Callable, Coroutine
from typing import Any


def until_told(work: Callable[[Callable[[], bool]], Coroutine[Any, Any, None]]) -> None:
    """Run `work`, which asks what it is given whether it goes on."""
    logging.getLogger("asyncua").setLevel(logging.CRITICAL)  # what matters of it is told on the page
    parent, wanted = os.getppid(), [True]
    signal.signal(signal.SIGTERM, lambda *_: wanted.clear())
    asyncio.run(work(lambda: bool(wanted) and os.getppid() == parent))
