"""Cooks: what went in, how it was run, what the laboratory found; fits of the kinetic coefficients to them."""

from django.conf import settings
from django.db import models

from core.cook.kinetic import Charge
from core.cook.species import Fitted, holds, restored
from core.cook.trust import Trust
from desk.kit.seal import Sealed


class Cook(Sealed):
    """One batch cook. Plan and charge as designed; its log is CookPoint; the blow's results are set once, through the
    actions."""

    number = models.PositiveIntegerField(unique=True)
    digester = models.CharField(max_length=20)
    species = models.CharField(max_length=20)
    wood_t = models.FloatField()
    charge = models.JSONField()
    plan = models.JSONField(help_text="[[minute, °C], ...] as set")
    target = models.FloatField()
    predicted = models.FloatField(help_text="kappa by the model when it was started")
    coefficients = models.JSONField(default=dict)
    started_at = models.DateTimeField()
    started_by = models.ForeignKey(settings.AUTH_USER_MODEL, models.PROTECT, null=True, related_name="cooks")
    blown_at = models.DateTimeField(null=True)
    kappa = models.FloatField(null=True)
    residual_g_l = models.FloatField(null=True)
    yield_pct = models.FloatField(null=True)
    note = models.CharField(max_length=200, blank=True)

    class Meta:
        ordering = ["-number"]

    def __str__(self) -> str:
        return f"cook {self.number}"

    @property
    def given(self) -> Charge:
        return Charge(**self.charge)

    @property
    def profile(self) -> tuple[tuple[float, float], ...]:
        return tuple((float(m), float(t)) for m, t in self.plan)

    @property
    def fitted(self) -> Fitted:
        return restored(self.coefficients)

    @property
    def error(self) -> float | None:
        return None if self.kappa is None else self.kappa - self.predicted

    @property
    def state(self) -> str:
        return "cooking" if self.blown_at is None else "blown" if self.kappa is None else "tested"


class CookPoint(Sealed):
    """A temperature of a running cook, or a residual alkali (kind r), at its minute."""

    GAPLESS = False  # a minute that is there already takes a number and leaves it
    cook = models.ForeignKey(Cook, models.PROTECT, related_name="points")
    kind = models.CharField(max_length=1, default="t")
    minute = models.FloatField()
    value = models.FloatField()
    by = models.ForeignKey(settings.AUTH_USER_MODEL, models.PROTECT, null=True)

    class Meta:
        ordering = ["minute"]
        constraints = [models.UniqueConstraint(fields=["cook", "kind", "minute"], name="one_point_a_minute")]

    def __str__(self) -> str:
        return f"{self.cook} {self.minute:g} min {self.value:g}"


class CookFit(Sealed):
    """A fit of a species' coefficients to this mill's cooks; `in_use` is a person's choice, the default is always there."""

    species = models.CharField(max_length=20)
    coefficients = models.JSONField()
    n = models.PositiveIntegerField()
    before = models.FloatField()
    after = models.FloatField()
    left_out = models.FloatField()
    accepted = models.BooleanField()
    in_use = models.BooleanField(default=False)
    dots = models.JSONField(default=dict)
    made_at = models.DateTimeField()
    by = models.ForeignKey(settings.AUTH_USER_MODEL, models.PROTECT, null=True)

    class Meta:
        ordering = ["-id"]

    def __str__(self) -> str:
        return f"{self.species} fitted to {self.n} cooks"

    @property
    def holds(self) -> bool:
        """Whether it is of today's model; one of an earlier model cannot be carried over."""
        return holds(self.coefficients)

    @property
    def fitted(self) -> Fitted:
        return restored(self.coefficients)

    @property
    def only_bias(self) -> bool:
        """Whether it takes out a bias and leaves the published constants else."""
        return self.dots.get("signs") == ["bias"]

    @property
    def trust(self) -> Trust:
        return Trust(n=self.n, fitted=len(self.dots.get("signs", ())), left_out=self.left_out)
