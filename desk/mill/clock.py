"""The mill's time. A demo keeps its own clock, which rests while the desk is off; a real mill's is the computer's."""

from datetime import datetime, timedelta

from django.utils import timezone

from desk.mill.models import ClockSetting


def mill_now() -> datetime:
    setting = ClockSetting.objects.first()
    return timezone.now() + timedelta(seconds=setting.offset_s if setting else 0.0)


def set_clock(now: datetime) -> None:
    """Let the mill's clock show `now` from here on (the demo only)."""
    offset = (now - timezone.now()).total_seconds()
    ClockSetting.objects.update_or_create(pk=1, defaults={"offset_s": offset})
