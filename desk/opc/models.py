"""Servers of a plant that readings come from, and which of their nodes is which signal."""

from collections.abc import Iterable

from django.conf import settings
from django.db import models

from core.instruments.simulate import KINDS
from desk.instruments.models import Signal

STANDIN, STANDIN_URL, STANDIN_SPACE = "Stand-in plant", "opc.tcp://127.0.0.1:1/plant/", 2  # the demo's own
POLICIES = (
    ("none", "no security"),
    ("sign", "Basic256Sha256, signed"),
    ("encrypt", "Basic256Sha256, signed and encrypted"),
)


class Link(models.Model):
    """One server: where it is, how it is trusted, and how its connection stands (written by the process that reads it)."""

    name = models.CharField(max_length=60)
    url = models.CharField(max_length=300)
    policy = models.CharField(max_length=10, choices=POLICIES, default="none")
    user = models.CharField(max_length=80, blank=True)
    secret = models.CharField(max_length=400, blank=True, help_text="the password, closed with a key beside the database")
    trusted = models.CharField(max_length=64, blank=True, help_text="fingerprint (SHA-256) of the server's certificate")
    every_ms = models.PositiveIntegerField(default=1000)
    on = models.BooleanField(default=False)
    made_at = models.DateTimeField()
    by = models.ForeignKey(settings.AUTH_USER_MODEL, models.PROTECT, null=True)
    changed = models.PositiveIntegerField(default=0, help_text="counts changes, so that the process begins anew")
    state = models.CharField(max_length=20, default="off")
    state_at = models.DateTimeField(null=True)
    error = models.CharField(max_length=300, blank=True)
    error_at = models.DateTimeField(null=True)
    connects = models.PositiveIntegerField(default=0)

    class Meta:
        ordering = ["id"]

    def __str__(self) -> str:
        return f"{self.name}: {self.url}, {self.state}"


def map_to_standin(link: Link, signals: Iterable[Signal]) -> int:
    """Read meters of the stand-in plant, whose nodes are called as they are; how many."""
    made = [Point(link=link, node=f"ns={STANDIN_SPACE};s={s.tag}", signal=s, dead=KINDS[s.kind].step) for s in signals]
    Point.objects.bulk_create(made)
    return len(made)


class Point(models.Model):
    """A node of a server that is a signal of the mill: what is kept is factor x value + offset, in the signal's unit."""

    link = models.ForeignKey(Link, models.CASCADE, related_name="points")
    node = models.CharField(max_length=200)
    signal = models.OneToOneField(Signal, models.PROTECT, related_name="point")
    factor = models.FloatField(default=1.0)
    offset = models.FloatField(default=0.0)
    dead = models.FloatField(default=0.0)
    read_ms = models.BigIntegerField(null=True, help_text="source time of the newest value that was read, kept or held back")
    value = models.FloatField(null=True)
    quality = models.CharField(max_length=10, blank=True)
    problem = models.CharField(max_length=120, blank=True)

    class Meta:
        ordering = ["signal__tag"]

    def __str__(self) -> str:
        return f"{self.node} is {self.signal_id}"
