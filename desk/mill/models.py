"""The mill's set-up in versions, and its clock."""

from django.conf import settings
from django.db import models

from desk.kit.held import Held
from desk.kit.seal import Sealed


class MillVersion(Sealed):
    """One version of the mill document; the newest is in force. Never edited: a change is a new version."""

    document = models.JSONField()
    made_at = models.DateTimeField()
    by = models.ForeignKey(settings.AUTH_USER_MODEL, models.PROTECT, null=True)
    note = models.CharField(max_length=200)

    class Meta:
        ordering = ["-id"]

    def __str__(self) -> str:
        return f"version {self.pk}: {self.note}"


class Proposal(Sealed):
    """A change of the set-up that waits for, or had, its countersignature."""

    document = models.JSONField()
    base = models.ForeignKey(MillVersion, models.PROTECT, null=True)
    note = models.CharField(max_length=200)
    by = models.ForeignKey(settings.AUTH_USER_MODEL, models.PROTECT, related_name="setup_proposals")
    made_at = models.DateTimeField()
    decided_by = models.ForeignKey(settings.AUTH_USER_MODEL, models.PROTECT, null=True, related_name="setup_decisions")
    decided_at = models.DateTimeField(null=True)
    accepted = models.BooleanField(null=True)

    class Meta:
        ordering = ["-id"]

    def __str__(self) -> str:
        return f"proposal {self.pk}: {self.note}"


class ClockSetting(models.Model):
    """Seconds between the computer's clock and the mill's. 0 at a real mill; the demo keeps a clock of its own."""

    offset_s = models.FloatField(default=0.0)
    seen_at = models.DateTimeField(null=True)

    def __str__(self) -> str:
        return f"{self.offset_s:+.0f} s"


class DraftStep(models.Model):
    """One change of the draft of a set-up, with the whole document after it; the newest is the draft. None: no draft.

    A draft is no record: it is stepped back and thrown away freely. What comes of it is proposed, and that is kept.
    """

    document = models.JSONField()
    base = models.ForeignKey(MillVersion, models.PROTECT, null=True)
    says = models.CharField(max_length=200)
    by = models.ForeignKey(settings.AUTH_USER_MODEL, models.PROTECT, related_name="draft_steps")
    at = models.DateTimeField()

    class Meta:
        ordering = ["-id"]

    def __str__(self) -> str:
        return f"draft step {self.pk}: {self.says}"


class UnitFit(Sealed):
    """A fit of a unit's own constants to this mill's samples; which is in use is a record of the log, the default is always
    there."""

    unit = models.CharField(max_length=60)
    constants = models.JSONField()  # by field
    told = models.JSONField()  # core.mill.learning.Learnt: what was fitted, what stayed and why, every row before and after
    n = models.PositiveIntegerField()
    accepted = models.BooleanField()
    made_at = models.DateTimeField()
    by = models.ForeignKey(settings.AUTH_USER_MODEL, models.PROTECT, related_name="unit_fits")

    class Meta:
        ordering = ["-id"]

    def __str__(self) -> str:
        return f"{self.unit} fitted to {self.n} samples"


class HeldLine(Held, Sealed):
    """A case of the whole line that somebody holds: other settings and another furnish, under a name."""

    name = models.CharField(max_length=80)
    changes = models.JSONField()  # settings by unit and name
    shares_pct = models.JSONField()
    version = models.ForeignKey(MillVersion, models.PROTECT)
    by = models.ForeignKey(settings.AUTH_USER_MODEL, models.PROTECT, related_name="held_lines")
    made_at = models.DateTimeField()
    let_go_at = models.DateTimeField(null=True)

    class Meta:
        ordering = ["-id"]

    def __str__(self) -> str:
        return self.name


class HourAccount(models.Model):
    """The line's accounts of one whole hour, worked out from the record as it stood. No record: it is made anew once something
    of that hour or before is written later.
    """

    start = models.DateTimeField(unique=True)
    newest = models.BigIntegerField(help_text="the newest record it was worked out from")
    version = models.ForeignKey(MillVersion, models.CASCADE)
    ran = models.FloatField(help_text="share of its speed that the machine ran at")
    order = models.CharField(max_length=60, blank=True)
    grade = models.CharField(max_length=60, blank=True)
    reel_t = models.FloatField()
    told = models.JSONField()
    gives = models.JSONField(default=dict, help_text="what each source gave by the set-up in force, t OD")

    class Meta:
        ordering = ["start"]

    def __str__(self) -> str:
        return f"{self.start:%Y-%m-%d %H}:00"
