"""Deviations: why one is opened by rule, what must be answered before it is closed, and how it may end.

Containment comes first, in minutes: stop the spreading, mark what is suspect, tell downstream. The cause follows, then what
becomes of every lot. Source: shift practice, section 5.3.
"""

from dataclasses import dataclass
from typing import Final

RULES: Final = {
    "outer": "outer band broken on a critical test",
    "missed": "critical sample missed",
    "chemical": "wrong chemical",
    "contamination": "visible contamination",
    "reversed": "samples mixed up",
    "meter": "transmitter off by more than its limit",
    "person": "somebody’s own judgement",
}
CONTAIN: Final = {
    "spread": "spreading stopped: diverted, or the path closed",
    "marked": "suspect tonnes marked",
    "told": "downstream told, and who",
}
CONTAMINANTS: Final = frozenset({"chemical", "contamination"})  # never blended away
ENDS: Final = {
    "none": "nothing left to decide: no lot holds any",
    "as_is": "used as it is, under this deviation",
    "downgraded": "downgraded to another card",
    "blended": "blended away within its limit",
    "diverted": "diverted to broke or rework",
}


@dataclass(frozen=True, slots=True)
class Stands:
    """A deviation as far as it has come: what of its containment is answered, its cause, and how many of its lots wait."""

    rule: str
    answered: frozenset[str]
    cause: str
    waiting: int
    good_again: bool


def missing(d: Stands, end: str) -> tuple[str, ...]:
    """What must be answered before a deviation may be closed so; nothing where it may."""
    told = [f"containment: {CONTAIN[key]}" for key in CONTAIN if key not in d.answered]
    if not d.cause.strip():
        told.append("its cause, or that it was not found")
    if not d.good_again:
        told.append("a good result after it")
    if end not in ENDS:
        told.append("how it ends")
    elif end == "blended" and d.rule in CONTAMINANTS:
        told.append("another end: a contaminant is never blended away")
    elif end == "none" and d.waiting:
        told.append(f"what becomes of {d.waiting} lot{'s' if d.waiting > 1 else ''} that hold some of it")
    return tuple(told)
