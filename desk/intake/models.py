"""What the simulated plant carries from one scan to the next."""

from django.db import models


class Plant(models.Model):
    """One row: seed, scans so far, true values and the state of each simulated meter."""

    seed = models.BigIntegerField()
    scans = models.PositiveIntegerField(default=0)
    minutes = models.FloatField(default=0.0)
    at = models.DateTimeField()
    truths = models.JSONField(default=dict)
    meters = models.JSONField(default=dict)

    def __str__(self) -> str:
        return f"{self.scans} scans from seed {self.seed}"
