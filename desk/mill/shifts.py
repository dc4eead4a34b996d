"""Which shift a time belongs to."""

from dataclasses import dataclass
from datetime import datetime, timedelta

from django.utils import timezone


@dataclass(frozen=True)
class Shift:
    """Letter A starts the production day; `start` and `end` are local times."""

    letter: str
    start: datetime
    end: datetime

    @property
    def name(self) -> str:
        return f"{'day' if self.letter == 'A' else 'night'} shift {self.letter}"


def shift_of(when: datetime, mill) -> Shift:
    """The shift a time falls in: a day is cut into shifts of `mill.shift_h` from `mill.day_starts_h`."""
    local = timezone.localtime(when)
    day = local.replace(hour=0, minute=0, second=0, microsecond=0) + timedelta(hours=mill.day_starts_h)
    if local < day:
        day -= timedelta(days=1)
    number = int((local - day) / timedelta(hours=mill.shift_h))
    start = day + timedelta(hours=mill.shift_h * number)
    return Shift("ABCD"[number % 4], start, start + timedelta(hours=mill.shift_h))
