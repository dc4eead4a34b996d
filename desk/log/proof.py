"""The record proved each night: what the walk found is written down; what fails stops releases until an administrator signs."""

from datetime import datetime

from desk.kit.writing import writing
from desk.log.actions import write
from desk.log.anchor import anchor_now, anchor_words, verify
from desk.log.models import Kind, Record
from desk.people.pins import check_pin
from desk.people.rights import refuse

__all__ = ["anchor_words", "newest_proof", "prove", "sign_for", "unproved", "verify"]


def prove(now: datetime) -> Record:
    """Walk the record, its older readings in turn, and write what was found into it; a record that fails stops releases until
    an administrator signs."""
    result = verify(turn=now.toordinal())
    status = "holds" if result.holds else "broken"
    data = {"records": result.records, "faults": list(result.faults)}
    kept = write(kind=Kind.PROOF, subject="record", by=None, now=now, says=result.sentence, status=status, data=data)
    if result.holds:
        anchor_now("proved", now)
    return kept


def newest_proof() -> Record | None:
    return Record.objects.filter(kind=Kind.PROOF, status__in=("holds", "broken")).order_by("-id").first()


def unproved() -> str:
    """Why nothing may be released now, or an empty string: the newest proof failed on something that nobody has signed for."""
    proof = newest_proof()
    if proof is None or proof.status == "holds":
        return ""
    signed: set[str] = set()
    for data in Record.objects.filter(kind=Kind.PROOF, status="signed").values_list("data", flat=True):
        signed |= set(data["faults"])
    open_ = [fault for fault in proof.data["faults"] if fault not in signed]
    return f"{open_[0]}. An administrator signs for it on the Log’s audit page." if open_ else ""


def sign_for(*, by, now: datetime, pin: str, words: str) -> Record:
    """An administrator has looked into what failed and signs for it, in words. Raises: PinRefused, ValueError in words."""
    refuse(by, "setup")
    if not words.strip():
        raise ValueError("Words are empty; say what was found and what was done.")
    check_pin(by, pin)
    with writing():
        proof = newest_proof()
        if proof is None or proof.status == "holds" or not unproved():
            raise ValueError("There is nothing to sign for.")
        says = f"Signed for: {proof.says}"
        data = {"faults": proof.data["faults"], "meaning": "looked into"}
        return write(
            kind=Kind.PROOF,
            subject="record",
            by=by,
            now=now,
            says=says,
            words=words.strip(),
            status="signed",
            data=data,
            about=proof,
        )
