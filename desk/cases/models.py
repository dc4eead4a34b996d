"""Cases that people hold: a model's inputs in core units, under a name, with an address of their own."""

from django.conf import settings
from django.db import models

from desk.kit.held import Held
from desk.kit.seal import Sealed


class HeldCase(Held, Sealed):
    """One held case. What it gave is kept with the core version, and worked out anew when it is compared."""

    name = models.CharField(max_length=80)
    model_name = models.CharField(max_length=60)
    given = models.JSONField()
    result = models.JSONField()
    core_version = models.CharField(max_length=20)
    address = models.CharField(max_length=600, help_text="where it was held")
    by = models.ForeignKey(settings.AUTH_USER_MODEL, models.PROTECT, related_name="held_cases")
    made_at = models.DateTimeField()
    let_go_at = models.DateTimeField(null=True)

    class Meta:
        ordering = ["-id"]

    def __str__(self) -> str:
        return f"{self.name}: {self.model_name}"
