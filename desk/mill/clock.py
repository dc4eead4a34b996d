"""The mill's time. A demo keeps its own clock, which rests while the desk is off; a real mill's is the computer's."""

import time
from datetime import datetime, timedelta

from django.utils import timezone

from desk.mill.models import ClockSetting

OFFSET_FOR_S = 1.0
_known: dict[str, float] = {}


def mill_now() -> datetime:
    """The mill's clock. Its offset is asked of the database at most once a second a process."""
    if time.monotonic() - _known.get("asked", -OFFSET_FOR_S) >= OFFSET_FOR_S:
        setting = ClockSetting.objects.first()
        _known.update(offset_s=setting.offset_s if setting else 0.0, asked=time.monotonic())
    return timezone.now() + timedelta(seconds=_known["offset_s"])


def forget() -> None:
    """Ask the database again (its clock was set, or the database is another one)."""
    _known.clear()


def set_clock(now: datetime) -> None:
    """Let the mill's clock show `now` from here on (the demo only)."""
    offset = (now - timezone.now()).total_seconds()
    ClockSetting.objects.update_or_create(pk=1, defaults={"offset_s": offset})
    forget()
