"""Work that a page tells of while it runs: in a thread of its own, what it says on the way, and how it ended."""

import logging
from collections.abc import Callable, Iterator
from queue import SimpleQueue
from threading import Thread
from typing import Any

from core.errors import CoreError

log = logging.getLogger(__name__)


def told_while(work: Callable[[Callable[[Any], None]], Any]) -> Iterator[tuple[str, Any]]:
    """Run `work`, which is given what to tell by: ("told", what) as often as it tells, then ("done", its result) once, or
    ("failed", why in words). A page that waits for it always comes to an end."""
    heard: SimpleQueue[tuple[str, Any]] = SimpleQueue()

    def run() -> None:
        end: tuple[str, Any] = ("failed", "it ended without a result; the log of the server says why")
        try:
            end = ("done", work(lambda what: heard.put(("told", what))))
        except CoreError as failure:
            end = ("failed", str(failure))
        except Exception:
            log.exception("long work ended")
        finally:
            heard.put(end)

    Thread(target=run, daemon=True).start()
    while (said := heard.get())[0] == "told":
        yield said
    yield said
