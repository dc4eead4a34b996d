"""People at the desk: initials, a role, and what the role may do (shift practice, section 5.5)."""

from django.contrib.auth.models import AbstractUser, UserManager
from django.db import models

from desk.kit.seal import Sealed, SealedQuerySet
from desk.people.table import BY_ACT, MAY


class Role(models.TextChoices):
    OPERATOR = "operator", "operator"
    LAB = "lab", "laboratory"
    LEAD = "lead", "shift lead"
    ENGINEER = "engineer", "process engineer"
    MAINTENANCE = "maintenance", "maintenance"
    SAFETY = "safety", "safety"
    TRAINEE = "trainee", "trainee"
    AUDITOR = "auditor", "auditor"
    ADMIN = "admin", "administrator"


class PersonManager(UserManager.from_queryset(SealedQuerySet)):
    """People, each row under its seal."""

    use_in_migrations = False


class Person(Sealed, AbstractUser):
    """Somebody who signs: `initials` on every record, a role that says what they may sign."""

    UNSEALED = frozenset({"last_login", "schools"})
    initials = models.CharField(max_length=8)
    role = models.CharField(max_length=16, choices=Role.choices, default=Role.TRAINEE)
    post = models.CharField(max_length=40, blank=True, help_text="fibre line, stock prep; empty where there is one")
    works = models.CharField(max_length=120, blank=True, help_text="what the role does here, for the sign-in page")
    schools = models.JSONField(default=dict, blank=True, help_text="own choice of units where it is harmless")
    own_pin = models.BooleanField(default=True, help_text="False while the PIN is one that somebody else knows")
    pin_set_at = models.DateTimeField(null=True)
    left_at = models.DateTimeField(null=True)

    objects = PersonManager()

    class Meta:
        ordering = ["id"]

    def __str__(self) -> str:
        return self.signed

    def may(self, act: str) -> bool:
        """Whether this person's role may do an act of the table of rights, wholly or narrowed by its cell's word."""
        return self.is_active and self.role in MAY[act]

    def how(self, act: str) -> str:
        """The cell of this person's role: "yes", the word that narrows it, or empty."""
        return BY_ACT[act].cells.get(self.role, "") if self.is_active else ""

    def may_read(self, record) -> bool:
        """Whether this person may read an entry of the log: the whole trail, or their own and what answers it."""
        if self.how("read_trail") == "yes":
            return True
        if not self.how("read_trail"):
            return False
        near = (record, record.about, record.corrects)
        return any(r is not None and r.by_id == self.pk for r in near)

    @property
    def signed(self) -> str:
        """How a record names the person: lead M.R., operator T.K."""
        return f"{self.role} {self.initials}"


class Token(Sealed):
    """A key for a program: only its digest is kept, so it is shown once. Works until it is revoked."""

    UNSEALED = frozenset({"used_at"})
    SCOPES = (("calc", "ask models"), ("readings", "deliver readings"))

    name = models.CharField(max_length=60)
    scope = models.CharField(max_length=12, choices=SCOPES)
    digest = models.CharField(max_length=64, unique=True)
    made_by = models.ForeignKey(Person, models.PROTECT, null=True, related_name="tokens")
    made_at = models.DateTimeField()
    revoked_at = models.DateTimeField(null=True)
    used_at = models.DateTimeField(null=True)

    class Meta:
        ordering = ["-id"]

    def __str__(self) -> str:
        return f"{self.name} ({self.scope})"
