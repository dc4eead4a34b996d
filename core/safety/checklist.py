"""Checklists as reminders: they defer to the site's own permit and stand for none. Source: shift practice, section 7.3."""

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Final

from core.errors import ImpossibleInput, Problem

DONE, NOT_HERE, OPEN = ANSWERS = ("done", "not applicable", "open")
ENERGY: Final = (
    ("energies", "Every energy is listed: electrical, steam, air, liquor, rotating, gravity, spring, chemical, radiation"),
    ("isolated", "Isolated at its points, locks with their numbers, tried dead"),
)
EMPTY: Final = (
    ("drained", "Drained, vented, flushed"),
    ("blanked", "Blanked or positively isolated"),
)
WATCH: Final = (
    ("watch", "A watch with call words, who does nothing else"),
    ("rescue", "Rescue on site; nobody enters to rescue alone"),
)
END: Final = (("end", "End time and handback, tools counted, closed by name"),)
GAS: Final = (
    ("gas", "Gas tested: oxygen, explosive, H₂S, SO₂, ClO₂; instrument number; tested again every so often"),
    ("air", "Ventilation runs"),
)
KINDS: Final = {
    "confined space": (
        *ENERGY,
        *EMPTY,
        ("agitator", "Agitator and pumps locked"),
        *GAS,
        *WATCH,
        ("light", "Lights of low voltage"),
        *END,
    ),
    "lock-out": (*ENERGY, ("tags", "Tags with name and time"), *END),
    "line break": (
        *ENERGY,
        *EMPTY,
        ("pressure", "Pressure read zero at two points"),
        ("aside", "Stand aside of the flange; shield and suit for what was in it"),
        *END,
    ),
    "chemical unloading": (
        ("read", "Product read aloud from hose label, tank and batch, by two people"),
        ("room", "Room in the tank, vent clear, bund closed"),
        ("shower", "Shower and eye wash tried"),
        ("stay", "Somebody stays to the end; it stops at the first doubt"),
        *END,
    ),
    "hot work": (
        *ENERGY,
        ("clear", "What burns is moved or covered, drains closed, dust washed down"),
        *GAS,
        ("fire", "Fire watch with extinguisher, also after the work"),
        *END,
    ),
}


@dataclass(frozen=True, slots=True)
class Answered:
    """A checklist as it was answered: each item’s answer, and how many are open."""

    kind: str
    answers: tuple[tuple[str, str, str], ...]  # item, answer, why not applicable

    @property
    def open(self) -> int:
        return sum(answer == OPEN for _, answer, _ in self.answers)


def answered(kind: str, answers: Mapping[str, str], why: Mapping[str, str]) -> Answered:
    """A kind’s items with what was answered (what was not is open). Raises: ImpossibleInput for a kind or an answer that is
    none, and for what is not applicable without a reason."""
    if kind not in KINDS:
        raise ImpossibleInput(Problem("kind", f"is “{kind}”; it must be one of {', '.join(KINDS)}"))
    bad, told = [], []
    for key, text in KINDS[kind]:
        answer = answers.get(key) or OPEN
        if answer not in ANSWERS:
            bad.append(Problem(key, f"is “{answer}”; it must be one of {', '.join(ANSWERS)}"))
        elif answer == NOT_HERE and not why.get(key, "").strip():
            bad.append(Problem(key, "is not applicable: say why"))
        told.append((text, answer, why.get(key, "").strip()))
    if bad:
        raise ImpossibleInput(*bad)
    return Answered(kind, tuple(told))
