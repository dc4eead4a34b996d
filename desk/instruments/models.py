"""Readings of meters and levels: append-only, in core units, with their own time."""

from datetime import timedelta

from django.db import models


class Reading(models.Model):
    """One value of a tag. Tags read `level.S.tower` (%), `meter.S.chest` (% consistency)."""

    tag = models.CharField(max_length=60)
    at = models.DateTimeField()
    value = models.FloatField()

    class Meta:
        indexes = [models.Index(fields=["tag", "-at"], name="reading_by_tag")]

    def __str__(self) -> str:
        return f"{self.tag} {self.value:g} at {self.at:%H:%M}"


def newest(prefix: str, *, before) -> dict[str, Reading]:
    """The newest reading of every tag with a prefix, not later than a time."""
    found: dict[str, Reading] = {}
    for tag in Reading.objects.filter(tag__startswith=prefix).values_list("tag", flat=True).distinct():
        reading = Reading.objects.filter(tag=tag, at__lte=before).order_by("-at").first()
        if reading:
            found[tag.removeprefix(prefix)] = reading
    return found


def at_minute(tag: str, when) -> Reading | None:
    """The reading nearest before a minute, at most 15 minutes old, or None."""

    return Reading.objects.filter(tag=tag, at__lte=when, at__gte=when - timedelta(minutes=15)).order_by("-at").first()
