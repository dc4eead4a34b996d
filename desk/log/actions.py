"""Every write to the record goes through here: atomic, signed, chained to the one before."""

from django.db import connection

import core
from desk.kit.refused import FieldRefused
from desk.kit.writing import note_record, writing
from desk.log.anchor import advance_soon
from desk.log.files import beside, keep
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


@writing()
def write(
    *,
    kind: str,
    by,
    now,
    says: str,
    subject: str = "",
    at=None,
    value=None,
    status: str = "",
    words: str = "",
    data=None,
    about=None,
    corrects=None,
    reason: str = "",
) -> Record:
    """Append one record. `by` None is the desk itself. `now` is the mill's clock; `at` defaults to it."""
    with connection.cursor() as cursor:
        row = cursor.execute("SELECT hash FROM log_record ORDER BY id DESC LIMIT 1").fetchone()
    last = row[0] if row else ""
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
    note_record(record.pk)
    advance_soon(record)
    return record


NOTES = {"note": "Note", "seen": "Observation", "event": "Event", "safety": "Safety", "permit": "Permit note"}


def write_note(
    *, by, now, words: str, about=None, files=(), drawing=(), sort: str = "note", unit: str = "", place=""
) -> Record:
    """A person's own words, for the log and the handover, with a drawing and files where there are. `sort` is a key of NOTES;
    `unit` the id of the unit that it is about, `place` what that is called."""
    with writing():
        data = keep(list(files), tuple(drawing))
        says = f"{NOTES[sort]}{f' on {place}' if unit else ''} {beside(data)}".strip()
        told = {"subject": unit, "status": "" if sort == "note" else sort, "about": about, "data": data}
        return write(kind=Kind.REMARK, by=by, now=now, says=says, words=words.strip(), **told)


CORRECTABLE = (Kind.RESULT, Kind.REMARK, Kind.DECISION, Kind.MOVE)


class CorrectionRefused(FieldRefused):
    """Why this record cannot be corrected so: `field` is where to show it."""


def may_correct(record: Record, person, *, shift_start) -> str:
    """An empty string when `person` may correct `record`, else the reason why not."""
    if record.kind not in CORRECTABLE:
        return "Results, notes, moves and decisions are corrected; other entries get a note that points to them."
    if record.kind == Kind.MOVE and record.followed_by.filter(kind=Kind.DECISION).exists():
        return "It is decided: correct the decision."
    if record.kind == Kind.DECISION and record.about_id is None:
        return "It was decided on the page of its cook, which tells what holds now; a note can point to it."
    return whose(record, person, shift_start=shift_start)


def whose(record: Record, person, *, shift_start) -> str:
    """An empty string when an entry is this person's to put right, whatever its kind, else the reason why not."""
    if (later := record.corrected_by.first()) is not None:
        return f"It was corrected at {later.entered_at:%H:%M} by {later.signed}; correct the newer one."
    if record.by is None and person.may("move"):
        return ""  # the desk's own proposal
    own = record.by_id == person.pk
    if own and person.may("correct_own") and (record.entered_at >= shift_start or person.how("correct_own") == "yes"):
        return ""
    if person.how("correct_other") == "yes" or (person.may("correct_other") and record.by and record.by.role == person.role):
        return ""
    if own:
        return "The shift it was entered in is over: ask the shift lead."
    return "It is another person’s entry: ask the shift lead."


def correct_note(*, note: Record, words: str, reason: str, by, now) -> Record:
    """A note's words put right by a later note. Raises: CorrectionRefused."""
    if not words.strip():
        raise CorrectionRefused("words", "Note is empty; write what it should have said.")
    if reason not in REASONS:
        raise CorrectionRefused("reason", "Reason of the correction is empty; choose one.")
    with writing():
        _still_current(note)
        return write(
            kind=Kind.REMARK,
            by=by,
            now=now,
            at=note.at,
            subject=note.subject,
            status=note.status,
            says=note.says,
            words=words.strip(),
            data=note.data,  # its drawing and files go on with it
            about=note.about,
            corrects=note,
            reason=reason,
        )


def _still_current(record: Record) -> None:
    if (later := record.corrected_by.first()) is not None:
        raise CorrectionRefused("reason", f"It was corrected at {later.entered_at:%H:%M} by {later.signed} already.")
