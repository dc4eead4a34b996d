"""The record: everything people do or that the desk proposes, append-only, with who, when, what and what it corrects.

SQLite triggers (migration 0002) refuse UPDATE and DELETE. A wrong entry is corrected by a later record that points to it.
"""

import json
from collections.abc import Iterable, Mapping
from datetime import UTC, datetime
from typing import Any

from django.conf import settings
from django.db import connection, models

from desk.kit.seal import keyed


class Kind(models.TextChoices):
    RESULT = "result", "result"
    NO_SAMPLE = "no_sample", "could not sample"
    MOVE = "move", "move proposed"
    DECISION = "decision", "move decided"
    EFFECT = "effect", "move judged"
    UNDO = "undo", "move undone"
    SETPOINT = "setpoint", "set point made"
    ORDER = "order", "order"
    RUNCARD = "runcard", "run card"
    START = "start", "start"
    STOP = "stop", "stop"
    RATE = "rate", "reduced rate"
    DOWN = "down", "unit down"
    LOT_OPEN = "lot_open", "lot opened"
    LOT_CLOSE = "lot_close", "lot closed"
    DISPOSITION = "disposition", "disposition"
    REMARK = "remark", "note"
    HANDOVER = "handover", "handover signed"
    HANDOVER_READ = "handover_read", "handover read"
    QUESTION = "question", "asked back"
    CORRECTION = "correction", "correction"
    SETUP = "setup", "set-up"
    COOK = "cook", "cook"
    EVENT = "event", "event"
    PROOF = "proof", "record proved"


def canonical(told: Mapping[str, Any]) -> str:
    """A record as one line of JSON: sorted keys, times in UTC, no spaces."""
    plain = {k: v.astimezone(UTC).isoformat() if isinstance(v, datetime) else v for k, v in told.items()}
    if plain["value"] is not None:
        plain["value"] = float(plain["value"])
    return json.dumps(plain, sort_keys=True, separators=(",", ":"), ensure_ascii=False)


def named(kind: str, prefix: str) -> models.Q:
    """Records of a kind whose subject begins so, as the index by subject finds them; of every subject where it is empty."""
    if not prefix:
        return models.Q(kind=kind)
    return models.Q(kind=kind, subject__gte=prefix, subject__lt=f"{prefix[:-1]}{chr(ord(prefix[-1]) + 1)}")


class RecordQuerySet(models.QuerySet):
    def current(self):
        """Records that no later record corrects."""
        return self.filter(corrected_by__isnull=True)

    def latest_of(self, kind: str, subject: str):
        """The newest current record of a kind about a subject, by its own time, or None."""
        return self.current().filter(kind=kind, subject=subject).order_by("-at", "-id").first()

    def result_before(self, subject: str, at: datetime, status: Iterable[str], *, but: int = 0):
        """The newest current result of a subject before a time, in one of these states; `but` is a record to pass over. Or
        None.

        Written in SQL: every sample that is posted asks it, and the query takes a tenth of the time it takes to compose.
        """
        status = tuple(status)
        asked = f"""
            SELECT * FROM log_record r WHERE kind = 'result' AND subject = %s AND at < %s AND id <> %s
            AND status IN ({", ".join(["%s"] * len(status))}) AND NOT EXISTS (SELECT 1 FROM log_record c WHERE c.corrects_id =
            r.id)
            ORDER BY at DESC, id DESC LIMIT 1"""
        return next(iter(self.raw(asked, [subject, connection.ops.adapt_datetimefield_value(at), but, *status])), None)

    def newest_of(self, kind: str, subjects: Iterable[str], status: Iterable[str]) -> dict[str, "Record"]:
        """The newest current record of a kind about each subject, in one of these states, by subject.

        Written in SQL: pages ask it of dozens of rows, and one question each took most of their time.
        """
        status = tuple(status)
        asked = f"""
            SELECT * FROM log_record WHERE id IN (
                SELECT (SELECT id FROM log_record r WHERE kind = %s AND subject = s.value
                        AND status IN ({", ".join(["%s"] * len(status))})
                        AND NOT EXISTS (SELECT 1 FROM log_record c WHERE c.corrects_id = r.id)
                        ORDER BY at DESC, id DESC LIMIT 1)
                FROM json_each(%s) s)"""
        told = self.raw(asked, [kind, *status, json.dumps(sorted(set(subjects)))])
        return {r.subject: r for r in told}

    def recent_results(self, since: datetime, until: datetime, most: int, subject: str = "") -> Iterable[tuple]:
        """The newest current results of every subject, or of one, between two times: number, subject, time, value, state.

        `most`: how many of a subject. The newest come first. Written in SQL: Shift asks it for hundreds of rows after every
        entry, of which most of the time went into composing it and into reading their times.
        """
        among = "AND subject = %s" if subject else ""
        asked = f"""
            SELECT id, subject, at || '', value, status FROM (
                SELECT *, row_number() OVER (PARTITION BY subject ORDER BY at DESC, id DESC) AS place FROM log_record r
                WHERE kind = 'result' AND at >= %s AND at <= %s {among}
                AND NOT EXISTS (SELECT 1 FROM log_record c WHERE c.corrects_id = r.id)
            ) WHERE place <= %s ORDER BY at DESC, id DESC"""
        times = [connection.ops.adapt_datetimefield_value(t) for t in (since, until)]
        with connection.cursor() as cursor:
            told = cursor.execute(asked, [*times, *([subject] if subject else []), most]).fetchall()
        return ((pk, row, datetime.fromisoformat(at).replace(tzinfo=UTC), value, status) for pk, row, at, value, status in told)

    def update(self, **kwargs):
        raise TypeError("records are never changed; write a later one that corrects")

    def delete(self):
        raise TypeError("records are never deleted; write a later one that corrects")


class Record(models.Model):
    """One line of the log. `value` is the judged number in core units, `data` the inputs, result and words.

    `at` is when it happened (a sample: when the pulp was taken), `entered_at` when it was written; nobody can set that.
    """

    kind = models.CharField(max_length=16, choices=Kind.choices)
    subject = models.CharField(max_length=80, blank=True)
    at = models.DateTimeField()
    entered_at = models.DateTimeField()
    by = models.ForeignKey(settings.AUTH_USER_MODEL, models.PROTECT, null=True, related_name="records")
    signed = models.CharField(max_length=40)
    value = models.FloatField(null=True)
    status = models.CharField(max_length=20, blank=True)
    says = models.CharField(max_length=400)
    words = models.TextField(blank=True)
    data = models.JSONField(default=dict)
    about = models.ForeignKey("self", models.PROTECT, null=True, related_name="followed_by")
    corrects = models.ForeignKey("self", models.PROTECT, null=True, related_name="corrected_by")
    reason = models.CharField(max_length=40, blank=True)
    core_version = models.CharField(max_length=20)
    previous_hash = models.CharField(max_length=64, blank=True)
    hash = models.CharField(max_length=64, unique=True)

    objects = RecordQuerySet.as_manager()

    class Meta:
        ordering = ["-at", "-id"]
        indexes = [
            models.Index(fields=["kind", "subject", "-at"], name="record_by_subject"),
            models.Index(fields=["-at"], name="record_by_time"),
        ]

    def __str__(self) -> str:
        return f"{self.at:%Y-%m-%d %H:%M} {self.kind} {self.subject}: {self.says}"

    def chained(self, previous_hash: str) -> str:
        """The keyed hash of this record behind the one before it."""
        return keyed(previous_hash + canonical(self.told()))

    def told(self) -> dict[str, Any]:
        """What the hash is taken over, by name."""
        return {
            "kind": self.kind,
            "subject": self.subject,
            "at": self.at,
            "entered_at": self.entered_at,
            "by": self.by_id,
            "signed": self.signed,
            "value": self.value,
            "status": self.status,
            "says": self.says,
            "words": self.words,
            "data": self.data,
            "about": self.about_id,
            "corrects": self.corrects_id,
            "reason": self.reason,
            "core_version": self.core_version,
        }

    @property
    def is_corrected(self) -> bool:
        return self.corrected_by.exists()


class Attachment(models.Model):
    """The content of a file that records tell of, by its own hash: the same file sent twice is kept once. Append-only."""

    sha256 = models.CharField(max_length=64, unique=True)
    body = models.BinaryField()

    def __str__(self) -> str:
        return f"{self.sha256[:16]}, {len(self.body)} bytes"
