"""Units, ranges and words of every input and result, said once on the dataclass field.

Forms, error texts, cautions, units on screen, JSON schema and the working all read these declarations.
"""

import math
from collections.abc import Hashable, Mapping
from dataclasses import MISSING, dataclass, field, fields
from functools import cache
from typing import Any, Final, cast

from core.errors import Caution, ImpossibleInput, Problem

KEY: Final = "quantity"
ROWS_KEY: Final = "rows"
INF: Final = math.inf


@dataclass(frozen=True, slots=True, kw_only=True)
class Quantity:
    """How one number is named, measured and bounded.

    `possible` bounds are inclusive and guard physics; `above` makes the lower one exclusive.
    `valid` is the published or usual range: outside it the answer stands and carries a caution.
    """

    label: str
    unit: str
    possible: tuple[float, float]
    valid: tuple[float, float]
    above: bool
    decimals: int
    help: str
    equation: str
    options: tuple[str, ...] = ()  # words to choose from, where it is no number
    whole: bool = False  # a count

    @property
    def words(self) -> str:
        """The words to choose from: one of drum, press."""
        given = [option for option in self.options if option]
        return f"one of {', '.join(given)}" + (", or nothing" if len(given) < len(self.options) else "")

    @property
    def allowed(self) -> str:
        """The possible range in words: above 0 to 60 %."""
        low, high = self.possible
        unit = f" {self.unit}" if self.unit else ""
        least = f"above {low:g}" if self.above else f"{low:g}"
        if math.isinf(high):
            return f"{'above' if self.above else 'at least'} {low:g}{unit}" if math.isfinite(low) else "any number"
        return f"{least} to {high:g}{unit}"

    def problem(self, value: Any) -> str | None:
        """Why this value is impossible, as a sentence without its subject, or None."""
        if self.options:
            return None if value in self.options else f"is {value!r}; it must be {self.words}"
        low, high = self.possible
        unit = f" {self.unit}" if self.unit else ""
        if not math.isfinite(value):
            return f"is {value:g}; it must be a finite number, {self.allowed}"
        if self.whole and value != int(value):
            return f"is {value:g}; it is a count and must be a whole number, {self.allowed}"
        if value < low or (self.above and value == low):
            least = f"above {low:g}" if self.above else f"at least {low:g}"
            return f"is {value:g}{unit}; it must be {least}{unit}"
        if value > high:
            return f"is {value:g}{unit}; it must be at most {high:g}{unit}"
        return None

    def caution(self, value: Any) -> str | None:
        """Why this value lies outside the range the model is published for, or None."""
        if self.options:
            return None
        low, high = self.valid
        if low <= value <= high:
            return None
        unit = f" {self.unit}" if self.unit else ""
        return f"{self.label} {value:g}{unit} is outside {low:g} to {high:g}{unit}, the range this holds for"


def quantity(
    label: str,
    unit: str = "",
    *,
    possible: tuple[float, float] = (0.0, INF),
    valid: tuple[float, float] | None = None,
    above: bool = False,
    decimals: int = 2,
    default: Any = MISSING,
    help: str = "",
    whole: bool = False,
) -> Any:
    """An input field of a case dataclass; `whole` for a count."""
    said = Quantity(
        label=label,
        unit=unit,
        possible=possible,
        valid=valid or possible,
        above=above,
        decimals=decimals,
        help=help,
        equation="",
        whole=whole,
    )
    return field(default=default, metadata={KEY: said})


def choice(label: str, options: tuple[str, ...], *, default: Any = MISSING, help: str = "") -> Any:
    """An input field that is one word of a list."""
    said = Quantity(
        label=label,
        unit="",
        possible=(-INF, INF),
        valid=(-INF, INF),
        above=False,
        decimals=0,
        help=help,
        equation="",
        options=options,
    )
    return field(default=default, metadata={KEY: said})


def figure(label: str, unit: str = "", *, decimals: int = 2, equation: str = "") -> Any:
    """A field of a result dataclass, with the equation it came from in words."""
    said = Quantity(
        label=label,
        unit=unit,
        possible=(-INF, INF),
        valid=(-INF, INF),
        above=False,
        decimals=decimals,
        help="",
        equation=equation,
    )
    return field(metadata={KEY: said})


@dataclass(frozen=True, slots=True, kw_only=True)
class Rows:
    """A field that holds so many rows, each a case of its own: the washers of a line, the points of a log."""

    label: str
    of: type
    least: int
    most: int


def rows(label: str, of: type, *, least: int = 1, most: int) -> Any:
    """An input field that is a tuple of rows of another declared dataclass; where none is needed it may be left out."""
    said = {ROWS_KEY: Rows(label=label, of=of, least=least, most=most)}
    return field(default=(), metadata=said) if least == 0 else field(metadata=said)


@cache
def row_fields(cls: Hashable) -> Mapping[str, Rows]:
    """The declared fields of a case class that hold rows, by field name."""
    return {f.name: f.metadata[ROWS_KEY] for f in fields(cast(Any, cls)) if ROWS_KEY in f.metadata}


def leaf(name: str, number: int, field_name: str) -> str:
    """The name of one figure of one row, counted from 1: washers.2.e10."""
    return f"{name}.{number}.{field_name}"


@cache
def quantities(cls: Hashable) -> Mapping[str, Quantity]:
    """The declared quantities of a case or result class, by field name, in order."""
    return {f.name: f.metadata[KEY] for f in fields(cast(Any, cls)) if KEY in f.metadata}


def labels_alone(cls: Hashable) -> Mapping[str, str]:
    """What each quantity of a class is called where it stands by itself, by field name.

    A label that begins with a small letter goes on from the one above it (`Goes on`, then `at`), so it is led by that one
    (`Goes on, at`). Symbols (`pH`, `k/s`, `a*`, `n`) stand by themselves.
    """
    result: dict[str, str] = {}
    lead = ""
    for name, said in quantities(cls).items():
        first = said.label.split()[0] if said.label else ""
        goes_on = first.isalpha() and first.islower() and len(said.label) > 1
        result[name] = f"{lead}, {said.label}" if goes_on and lead else said.label
        lead = lead if goes_on else said.label
    return result


def check(case: Any) -> tuple[Caution, ...]:
    """Refuse the impossible, every field at once; return cautions for what lies outside the valid range.

    Raises: ImpossibleInput.
    """
    problems: list[Problem] = []
    cautions: list[Caution] = []
    for name, said in quantities(cast(Hashable, type(case))).items():
        value = getattr(case, name)
        if (text := said.problem(value)) is not None:
            problems.append(Problem(name, text))
        elif (text := said.caution(value)) is not None:
            cautions.append(Caution(name, text))
    for name, group in row_fields(cast(Hashable, type(case))).items():
        held = getattr(case, name)
        if not group.least <= len(held) <= group.most:
            problems.append(Problem(name, f"are {len(held)}; there must be {group.least} to {group.most}"))
        for i, row in enumerate(held, start=1):
            try:
                cautions += [Caution(leaf(name, i, c.field), c.text) for c in check(row)]
            except ImpossibleInput as refusal:
                problems += [Problem(leaf(name, i, p.field), p.text) for p in refusal.problems]
    if problems:
        raise ImpossibleInput(*problems)
    return tuple(cautions)
