"""Plain builders for the tests: the demo mill in small, and people."""

from datetime import timedelta

from desk.mill import clock, ribbon
from desk.mill import state as mill_state
from desk.mill.state import MillState
from desk.people.models import Person
from desk.shift import drift
from desk.shift.demo import NOW, PIN, build

DAYS = 5


def demo() -> None:
    """The demo mill with five days of history, its clock at the demo's morning."""
    forget()
    build(days=DAYS)


def forget() -> None:
    """Drop what the desk keeps by the set-up's version: each test has a database of its own, with the same numbers."""
    mill_state._read.cache_clear()
    mill_state._lines.clear()
    mill_state._started.clear()
    ribbon.forget()
    drift.forget()
    clock.forget()


def person(username: str) -> Person:
    return Person.objects.get(username=username)


def state(minutes: float = 0.0) -> MillState:
    """The mill some minutes after the demo's morning."""
    return MillState(NOW + timedelta(minutes=minutes))


__all__ = ["NOW", "PIN", "demo", "person", "state"]


def issue_card(client) -> int:
    """The key of a run card for H-0413, issued through its page by whoever is signed in (lead or engineer)."""
    shares = {f"share_{k}": v for k, v in (("K", 60), ("S", 6), ("M", 6), ("R", 13), ("W", 5), ("B", 10))}
    order = {"order": "H-0413", "grade": "LB80", "gsm": "80", "sale_t": "50", "speed_m_min": "880", "start": "16:45"}
    made = client.post("/schedule/card/", {**order, **shares})
    return int(made.url.rstrip("/").rsplit("/", 1)[1])
