"""The tablet page's form: weighings of two or three pads, a result as read, or why there is none."""

from dataclasses import dataclass, field
from datetime import datetime

from django.utils import timezone

from core.calc import leaf_defaults, leaves
from core.errors import ImpossibleInput
from core.lab.methods import TESTS
from core.lab.raw import RAW, Raw
from desk.kit.bench import time_of, typed_number
from desk.lab.actions import Entry, Outcome, work_out

FIRST_WEIGHED = {"consistency"}  # these open on their weighings; the others on a result, with theirs one tab away
LETTERS = "abc"
MODES = ("weighings", "result", "none")


@dataclass
class Cell:
    """One well: what was typed, its name and what is wrong with it."""

    name: str
    label: str
    unit: str
    typed: str
    error: str = ""
    opens: str = ""  # what it opens with, where that is usual
    needed: bool = True
    part: str = field(default="", repr=False)  # of a single: its field in the case


class SampleForm:
    """Reads what was typed without losing it; `outcome` is worked out by the core, problems stand on their cells."""

    def __init__(self, row, data, now: datetime, *, mode: str = "", third: bool = False):
        self.row, self.test, self.now = row, TESTS[row.test], now
        can_weigh = row.test in RAW
        asked = mode or data.get("mode", "")
        usual = "weighings" if row.test in FIRST_WEIGHED else "result"
        self.mode = asked if asked in MODES and (asked != "weighings" or can_weigh) else usual
        self.can_weigh = can_weigh
        self.data = data
        self.letters = LETTERS if third or data.get("third") == "1" else LETTERS[:2]
        self.words = data.get("words", "")
        self.words_error = ""
        self.at_typed = data.get("at", timezone.localtime(now).strftime("%H:%M"))
        self.at_error = ""
        self.problems: list[str] = []
        self.rows = self._rows()
        self.outcome: Outcome | None = None

    def _rows(self) -> list[dict]:
        if self.mode == "weighings":
            return _raw_rows(RAW[self.row.test], self.letters, self.data)
        if self.mode == "result":
            cells = [
                Cell(f"value_{i}", f"{self.test.name}, {x.upper()}", self.test.unit, self.data.get(f"value_{i}", ""))
                for i, x in enumerate(self.letters, start=1)
            ]
            return [{"label": self.test.name, "cells": cells}]
        return []

    @property
    def cells(self) -> list[Cell]:
        return [c for r in self.rows for c in r["cells"]]

    @property
    def at(self) -> datetime | None:
        """The sample's time: today's, or yesterday's when the clock time has not come yet by half a day."""
        at, local = time_of(self.at_typed, self.now), timezone.localtime(self.now)
        if at is None:
            self.at_error = f"Sampled at is “{self.at_typed}”; it must be a time such as 10:50"
            return None
        if at > local:
            self.at_error = f"Sampled at is {at:%H:%M}; it cannot be after now, {local:%H:%M}"
            return None
        return at

    def work_out(self, *, whole: bool) -> Outcome | None:
        """The outcome of what has been typed. `whole`: blanks are refused; else only complete pads are worked out."""
        if self.mode == "none":
            return None
        numbers: dict[str, float] = {}
        for c in self.cells:
            if not c.typed.strip():
                first = c.name.startswith("a.") or c.name == "value_1"
                if whole and c.needed and (first or (self.mode == "weighings" and self._begun(c.name[0]))):
                    c.error = f"{c.label} is empty"
                continue
            try:
                numbers[c.name] = typed_number(c.typed)
            except ValueError:
                c.error = f"{c.label} is “{c.typed}”; it must be a number{' of ' + c.unit if c.unit else ''}"
        if any(c.error for c in self.cells):
            return None
        entry = self._entry(numbers)
        if entry is None:
            return None
        self.entry = entry
        try:
            self.outcome = work_out(self.row, entry)
        except ImpossibleInput as refusal:
            for p in refusal.problems:
                self._put(p.field, p.text)
        return self.outcome

    def _entry(self, numbers: dict[str, float]) -> Entry | None:
        if self.mode == "result":
            results = tuple(numbers[k] for k in sorted(numbers))
            return Entry(results=results) if results else None
        singles = []
        for x in self.letters:
            own = [c for c in self.cells if c.name[0] == x]
            if self._begun(x) and all(c.name in numbers for c in own if c.needed):
                singles.append({c.part: numbers[c.name] for c in own if c.name in numbers})
        return Entry(weighings=tuple(singles)) if singles else None

    def _begun(self, letter: str) -> bool:
        """Whether something of a single was typed that it did not open with."""
        return any(c.typed.strip() and c.typed.strip() != c.opens for c in self.cells if c.name[0] == letter)

    def _put(self, name: str, text: str) -> None:
        for c in self.cells:
            if c.name == name:
                c.error = f"{c.label} {text}"
                return
        if name == "at":
            self.at_error = f"Sampled at {text}"
        elif name == "words":
            self.words_error = f"Reason {text}"
        else:
            self.problems.append(text)

    def refuse(self, refusal: ImpossibleInput) -> None:
        """Put a refusal of the action on its fields."""
        for p in refusal.problems:
            self._put(p.field, p.text)

    @property
    def any_error(self) -> bool:
        return bool(self.at_error or self.words_error or self.problems or any(c.error for c in self.cells))


def _raw_rows(raw: Raw, letters: str, data) -> list[dict]:
    """The wells of a test's raw entries, a line each, a column a single; what is usual stands in them."""
    case = raw.of.case_class
    counts = raw.counts
    said, usual = leaves(case, counts), leaf_defaults(case, counts)
    told = []
    for name in raw.fields:
        q = said[name]
        opens = f"{usual[name]:g}" if isinstance(usual.get(name), int | float) else ""
        label = q.label.split(",")[0] if name.count(".") == 2 else q.label
        cells = []
        for x in letters:
            key = f"{x}.{name}"
            typed = data.get(key, opens if key not in data else "")
            needed = raw.needs(name)
            cells.append(Cell(key, f"{label}, {x.upper()}", q.unit, typed, opens=opens, needed=needed, part=name))
        told.append({"label": label, "cells": cells})
    return told
