"""Whether consistency meters move, from their newest readings."""

from datetime import datetime, timedelta

from core.instruments.intake import is_stuck
from desk.instruments.models import Reading, ms

LOOKED_MIN = 25


def stuck_tags(now: datetime) -> set[str]:
    """Tags of the consistency meters that stand still."""
    since = ms(now - timedelta(minutes=LOOKED_MIN))
    near: dict[str, list] = {}
    asked = Reading.objects.filter(signal__kind="consistency", at_ms__gte=since, at_ms__lte=ms(now)).order_by("at_ms")
    for tag, when, value in asked.values_list("signal__tag", "at_ms", "value"):
        near.setdefault(tag, []).append((when, value))
    return {tag for tag, told in near.items() if is_stuck(told)}
