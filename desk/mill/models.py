"""The mill's set-up in versions, and its clock."""

from django.conf import settings
from django.db import models


class MillVersion(models.Model):
    """One version of the mill document; the newest is in force. Never edited: a change is a new version."""

    document = models.JSONField()
    made_at = models.DateTimeField()
    by = models.ForeignKey(settings.AUTH_USER_MODEL, models.PROTECT, null=True)
    note = models.CharField(max_length=200)

    class Meta:
        ordering = ["-id"]

    def __str__(self) -> str:
        return f"version {self.pk}: {self.note}"


class ClockSetting(models.Model):
    """Seconds between the computer's clock and the mill's. 0 at a real mill; the demo keeps a clock of its own."""

    offset_s = models.FloatField(default=0.0)
    seen_at = models.DateTimeField(null=True)

    def __str__(self) -> str:
        return f"{self.offset_s:+.0f} s"
