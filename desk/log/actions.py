"""Every write to the record goes through here: atomic, signed, chained to the one before."""

from django.db import transaction

import core
from desk.log.models import Kind, Record

MOST_RECORDS_READ = 500
REASONS = {
    "mistyped": "mistyped",
    "wrong_point": "wrong point",
    "wrong_time": "wrong time",
    "instrument": "instrument",
    "miscopied": "copied wrong",
    "other": "other",
}


@transaction.atomic
def write(*, kind: str, by, now, says: str, subject: str = "", at=None, value=None, status: str = "", words: str = "",
          data=None, about=None, corrects=None, reason: str = "") -> Record:  # fmt: skip
    """Append one record. `by` None is the desk itself. `now` is the mill's clock; `at` defaults to it."""
    last = Record.objects.order_by("-id").values_list("hash", flat=True).first() or ""
    record = Record(
        kind=kind,
        subject=subject,
        at=at or now,
        entered_at=now,
        by=by,
        signed=by.signed if by else "the desk",
        value=value,
        status=status,
        says=says[:400],
        words=words,
        data=data or {},
        about=about,
        corrects=corrects,
        reason=reason,
        core_version=core.__version__,
        previous_hash=last,
    )
    record.hash = record.chained(last)
    record.save(force_insert=True)
    return record


def write_note(*, by, now, words: str, about=None) -> Record:
    """A person's own words, for the log and the handover."""
    return write(kind=Kind.REMARK, by=by, now=now, says="Note", words=words.strip(), about=about)


class CorrectionRefused(Exception):
    """Why this record cannot be corrected by this person now."""


def may_correct(record: Record, person, *, shift_start) -> str:
    """An empty string when `person` may correct `record`, else the reason why not."""
    if record.kind != Kind.RESULT:
        return "Only a result is corrected here; other entries get a note that points to them."
    if record.is_corrected:
        return "It has been corrected already; correct the newer one."
    own = record.by_id == person.pk
    if own and person.may("correct_own") and record.entered_at >= shift_start:
        return ""
    if person.may("correct_other") or (person.role == "lab" and record.by and record.by.role == "lab"):
        return ""
    if own:
        return "The shift it was entered in is over: ask the shift lead."
    return "It is another person's entry: ask the shift lead."
