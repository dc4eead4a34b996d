"""Signals and their readings, in core units, each with its own time; deliveries and what was refused of them.

Readings are append-only and stored by signal and time (one seek finds a stretch of them), so a year stays fast.
"""

from datetime import UTC, datetime

from django.conf import settings
from django.db import models


def ms(when: datetime) -> int:
    """A time as whole milliseconds since 1970, UTC."""
    return round(when.timestamp() * 1000)


def at(at_ms: int) -> datetime:
    return datetime.fromtimestamp(at_ms / 1000.0, UTC)


class Signal(models.Model):
    """A meter: what it is, what it can show, and its newest reading."""

    tag = models.CharField(max_length=60, unique=True)
    label = models.CharField(max_length=120)
    unit = models.CharField(max_length=20)
    kind = models.CharField(max_length=20)
    low = models.FloatField()
    high = models.FloatField()
    decimals = models.PositiveSmallIntegerField()
    station = models.CharField(max_length=20)
    age_min = models.FloatField(help_text="older than this, a reading is old")
    row = models.CharField(max_length=80, blank=True, help_text="the row of the plan that checks it")
    last_ms = models.BigIntegerField(null=True)
    last_value = models.FloatField(null=True)

    class Meta:
        ordering = ["tag"]

    def __str__(self) -> str:
        return self.tag

    @property
    def last_at(self) -> datetime | None:
        return at(self.last_ms) if self.last_ms is not None else None


class Reading(models.Model):
    """One value of a signal. `flag`: 0 good, 1 late, 2 out of order, 3 uncertain by the plant's own word."""

    pk = models.CompositePrimaryKey("signal_id", "at_ms")
    signal = models.ForeignKey(Signal, models.PROTECT, related_name="readings", db_index=False)
    at_ms = models.BigIntegerField()
    value = models.FloatField()
    flag = models.PositiveSmallIntegerField(default=0)

    def __str__(self) -> str:
        return f"{self.signal_id} {self.value:g} at {self.at:%H:%M}"

    @property
    def at(self) -> datetime:
        return at(self.at_ms)


class ReadingSeal(models.Model):
    """One mark over a signal's readings of a day (days since 1970, UTC): how many, and the sum of their keyed marks."""

    signal = models.ForeignKey(Signal, models.PROTECT, related_name="seals")
    day = models.IntegerField()
    n = models.BigIntegerField()
    total = models.CharField(max_length=32)
    seal = models.CharField(max_length=64)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["signal", "day"], name="one_seal_a_day")]

    def __str__(self) -> str:
        return f"{self.signal_id} day {self.day}: {self.n} readings"


class Day(models.Model):
    """One signal's readings of a day, summed into figures of minutes and hours. `raw`: the readings themselves are still kept.

    `total` is the sum of the keyed marks of its figures; `seal` covers it all.
    """

    signal = models.ForeignKey(Signal, models.PROTECT, related_name="days")
    day = models.IntegerField()
    n = models.BigIntegerField()
    total = models.CharField(max_length=32)
    raw = models.BooleanField(default=True)
    seal = models.CharField(max_length=64)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["signal", "day"], name="one_sum_a_day")]

    def __str__(self) -> str:
        return f"{self.signal_id} day {self.day}: {self.n} readings in figures"


class Worker(models.Model):
    """The instrument process, as it was last heard. One row."""

    started_at = models.DateTimeField(null=True)
    seen_at = models.DateTimeField(null=True)
    starts = models.PositiveIntegerField(default=0)
    last_error = models.CharField(max_length=300, blank=True)
    error_at = models.DateTimeField(null=True)

    def __str__(self) -> str:
        return f"started {self.starts} times, heard {self.seen_at}"


class Delivery(models.Model):
    """A batch of readings and how far it is. `wanted` go or stop is the wish, `status` where it stands."""

    STATUS = (("waiting", "waiting"), ("running", "running"), ("stopped", "stopped"), ("done", "done"), ("failed", "failed"))

    door = models.CharField(max_length=10, help_text="http, file, typed, simulated, opc")
    name = models.CharField(max_length=120)
    by = models.ForeignKey(settings.AUTH_USER_MODEL, models.PROTECT, null=True)
    made_at = models.DateTimeField()
    status = models.CharField(max_length=10, choices=STATUS, default="waiting")
    wanted = models.CharField(max_length=4, default="go")
    path = models.CharField(max_length=300, blank=True)
    history = models.BooleanField(default=False, help_text="readings of the past: late and out of order mean nothing")
    line = models.PositiveIntegerField(default=0)
    done_bytes = models.BigIntegerField(default=0)
    total_bytes = models.BigIntegerField(default=0)
    kept = models.PositiveIntegerField(default=0)
    flagged = models.PositiveIntegerField(default=0)
    refused = models.PositiveIntegerField(default=0)
    reasons = models.JSONField(default=dict)
    assumed = models.CharField(max_length=120, blank=True, help_text="what was taken for granted of the file's form")
    not_read = models.CharField(max_length=120, blank=True, help_text="which lines were not read, and why")
    taken_at = models.DateTimeField(null=True, help_text="when its newest piece was taken")

    class Meta:
        ordering = ["-id"]

    def __str__(self) -> str:
        return f"{self.door} {self.name}: {self.kept} kept, {self.flagged} flagged, {self.refused} refused"

    @property
    def share(self) -> float:
        return self.done_bytes / self.total_bytes if self.total_bytes else 1.0

    @property
    def alive(self) -> bool:
        return self.status in ("waiting", "running")


class Refusal(models.Model):
    """One reading that was refused or flagged, as it came."""

    delivery = models.ForeignKey(Delivery, models.CASCADE, related_name="refusals")
    line = models.PositiveIntegerField()
    text = models.CharField(max_length=160)
    reason = models.CharField(max_length=40)

    class Meta:
        ordering = ["id"]

    def __str__(self) -> str:
        return f"line {self.line}: {self.reason}"
