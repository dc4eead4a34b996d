"""Readings of meters and levels: append-only, in core units, with their own time."""

from collections.abc import Iterable
from datetime import timedelta

from django.db import models
from django.db.models import Subquery


class Reading(models.Model):
    """One value of a tag. Tags read `level.S.tower` (%), `meter.S.chest` (% consistency)."""

    tag = models.CharField(max_length=60)
    at = models.DateTimeField()
    value = models.FloatField()

    class Meta:
        indexes = [models.Index(fields=["tag", "-at"], name="reading_by_tag")]

    def __str__(self) -> str:
        return f"{self.tag} {self.value:g} at {self.at:%H:%M}"


def newest(tags: Iterable[str], *, before) -> dict[str, Reading]:
    """The newest reading of each tag that has one, not later than a time, by tag: one seek of the index a tag."""
    of_tag = Reading.objects.filter(at__lte=before).order_by("-at").values("pk")
    rows = Reading.objects.filter(pk__in=[Subquery(of_tag.filter(tag=tag)[:1]) for tag in tags])
    return {r.tag: r for r in rows}


def at_minute(tag: str, when) -> Reading | None:
    """The reading nearest before a minute, at most 15 minutes old, or None."""
    return Reading.objects.filter(tag=tag, at__lte=when, at__gte=when - timedelta(minutes=15)).order_by("-at").first()
