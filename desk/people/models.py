"""People at the desk: initials, a role, and what the role may do (shift practice, section 5.5)."""

from django.contrib.auth.models import AbstractUser
from django.db import models


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


# act -> roles that may do it on the plant's record
MAY = {
    "record": {"operator", "lab", "lead", "engineer"},
    "note": {"operator", "lab", "lead", "engineer", "maintenance", "safety"},
    "move": {"operator", "lead"},
    "propose": {"operator", "lead", "engineer"},
    "hold": {"operator", "lab", "lead", "engineer", "safety"},
    "divert": {"lead", "engineer"},
    "release": {"lead"},
    "plan": {"lead", "engineer"},
    "close_lot": {"operator", "lead"},
    "handover": {"lead"},
    "correct_own": {"operator", "lab", "lead", "engineer"},
    "correct_other": {"lead", "engineer"},
    "read_trail": {"operator", "lab", "lead", "engineer", "maintenance", "safety", "auditor", "admin"},
    "setup": {"admin"},
    "cook": {"operator", "lead"},
    "fit": {"engineer", "lead"},
    "propose_setup": {"engineer", "admin"},
    "countersign": {"lead"},
    "readings": {"operator", "lab", "lead", "engineer"},
    "tokens": {"engineer", "admin"},
    "audit": {"lead", "engineer", "auditor", "admin"},
}


class Person(AbstractUser):
    """Somebody who signs: `initials` on every record, a role that says what they may sign."""

    initials = models.CharField(max_length=8)
    role = models.CharField(max_length=16, choices=Role.choices, default=Role.TRAINEE)
    post = models.CharField(max_length=40, blank=True, help_text="fibre line, stock prep; empty where there is one")
    works = models.CharField(max_length=120, blank=True, help_text="what the role does here, for the sign-in page")
    schools = models.JSONField(default=dict, blank=True, help_text="own choice of units where it is harmless")

    class Meta:
        ordering = ["id"]

    def __str__(self) -> str:
        return self.signed

    def may(self, act: str) -> bool:
        """Whether this person's role may do an act named in MAY."""
        return self.is_active and self.role in MAY[act]

    @property
    def signed(self) -> str:
        """How a record names the person: lead M.R., operator T.K."""
        word = {"lab": "lab", "engineer": "engineer", "admin": "admin"}.get(self.role, self.role)
        return f"{word} {self.initials}"


class Token(models.Model):
    """A key for a program: only its digest is kept, so it is shown once. Works until it is revoked."""

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
