"""Writing a move into the log from its row, and what the retest found where no sample of the plan reads it."""

from core.errors import ImpossibleInput, Problem
from core.judge.band import Band
from core.judge.move import outcome
from core.practice.table import ROWS
from desk.kit.writing import writing
from desk.log.actions import write
from desk.log.models import Kind, Record
from desk.log.practice import proposed, put

WORDS = {"worked": "worked", "partly": "worked in part", "not": "did not work"}


@writing()
def propose(*, placement, values, by, mill, now) -> Record:
    """Put a row that stands to the shift. Raises: ImpossibleInput where it does not stand or one is open already."""
    result = proposed(placement, values)
    if result is None or not result.stands or result.before == result.after:
        raise ImpossibleInput(Problem("move", "has no move to propose at these readings"))
    if waiting(placement) is not None:
        raise ImpossibleInput(Problem("move", "has a move that is proposed or waits for its retest: one at a time"))
    return put(ROWS[placement.row], placement, result, values, about=None, by=by, mill=mill, now=now)


def moves_of(placement) -> list[Record]:
    """The moves ever proposed at a placement, the newest first, with what was decided and what became of each."""
    moves = [
        m
        for m in Record.objects.current().filter(kind=Kind.MOVE, subject=placement.subject).order_by("-at", "-id")
        if m.data.get("spot") == placement.key
    ]
    for m in moves:
        m.decision = m.followed_by.filter(kind=Kind.DECISION).order_by("-id").first()
        m.effect = m.decision.followed_by.filter(kind=Kind.EFFECT).order_by("-id").first() if m.decision else None
        m.effect_words = WORDS.get(m.effect.status, m.effect.status) if m.effect else ""
    return moves


def waiting(placement) -> Record | None:
    """The newest move of a placement that is not decided, or taken and not yet judged."""
    for m in moves_of(placement)[:1]:
        if m.decision is None or (m.decision.data["choice"] != "refuse" and m.effect is None):
            return m
    return None


@writing()
def found_after(*, move: Record, value: float, by, now) -> Record:
    """What the retest read, judged against the band the move aimed into. Once."""
    decision = move.followed_by.filter(kind=Kind.DECISION).order_by("-id").first()
    if decision is None or decision.data["choice"] == "refuse":
        raise ImpossibleInput(Problem("value", "belongs to a move that was taken; this one was not"))
    if decision.followed_by.filter(kind=Kind.EFFECT).exists():
        raise ImpossibleInput(Problem("value", "is kept already for this move"))
    low, high = move.data["band"]
    reading = move.data["reading"]
    band = Band(low=low, high=high if high > low else low + 1e-9)
    result = outcome(before=reading if reading is not None else value, expected=move.data["expected"], after=value, band=band)
    return write(
        kind=Kind.EFFECT,
        subject=move.subject,
        by=by,
        now=now,
        says=f"{move.data['title']}: {WORDS[result]}",
        status=result,
        data={"after": value, "expected": move.data["expected"]},
        about=decision,
    )
