"""Plain builders for the tests: the demo mill in small, and people."""

from datetime import timedelta

from desk.mill.state import MillState
from desk.people.models import Person
from desk.shift.demo import NOW, PIN, build

DAYS = 5


def demo() -> None:
    """The demo mill with five days of history, its clock at the demo's morning."""
    build(days=DAYS)


def person(username: str) -> Person:
    return Person.objects.get(username=username)


def state(minutes: float = 0.0) -> MillState:
    """The mill some minutes after the demo's morning."""
    return MillState(NOW + timedelta(minutes=minutes))


__all__ = ["NOW", "PIN", "demo", "person", "state"]
