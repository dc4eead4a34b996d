"""What the simulated plant carries from one scan to the next."""

from django.db import models


class Plant(models.Model):
    """One row: seed, scans so far, true values and the state of each simulated meter; its line through time as it was begun
    (`base`: set-up version, how it was run, levels), how many minutes ago, as it stood when it was last kept and as it was
    set then."""

    seed = models.BigIntegerField()
    scans = models.PositiveIntegerField(default=0)
    minutes = models.FloatField(default=0.0)
    at = models.DateTimeField()
    truths = models.JSONField(default=dict)
    meters = models.JSONField(default=dict)
    base = models.JSONField(default=dict)
    line_min = models.PositiveIntegerField(default=0)
    kept = models.BinaryField(null=True)
    set_as = models.JSONField(default=dict)
    heard = models.BigIntegerField(default=0)  # the newest record whose act the plant has done

    def __str__(self) -> str:
        return f"{self.scans} scans from seed {self.seed}"
