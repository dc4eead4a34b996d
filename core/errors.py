"""What the core says when it cannot answer, and what it says besides the answer."""

from collections.abc import Callable, Iterable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass, replace


@dataclass(frozen=True, slots=True)
class Problem:
    """One field that cannot be as given: its name and a sentence with the value and what is allowed."""

    field: str
    text: str


class CoreError(Exception):
    """Any refusal of the core."""


class ImpossibleInput(CoreError, ValueError):
    """Input that nature or arithmetic forbids. Every bad field is listed at once."""

    def __init__(self, *problems: Problem) -> None:
        self.problems = problems
        super().__init__("; ".join(f"{p.field} {p.text}" for p in problems))


class NotSolved(CoreError):
    """An iteration that did not settle. Carries what was solved, the passes spent, the residual and where."""

    def __init__(self, what: str, passes: int, residual: float, where: str = "") -> None:
        self.what, self.passes, self.residual, self.where = what, passes, residual, where
        place = f", worst at {where}" if where else ""
        super().__init__(f"{what} not solved after {passes} passes, residual {residual:.3g}{place}")


@dataclass(frozen=True, slots=True, kw_only=True)
class Infeasible:
    """A sensible question without an answer: the field it hangs on, why, and the nearest value that has one."""

    field: str
    reason: str
    nearest: float | None = None
    unit: str = ""

    @property
    def feasible(self) -> bool:
        return False


@dataclass(frozen=True, slots=True)
class Caution:
    """A remark that comes with a number: outside a published range, or a danger to mind."""

    field: str
    text: str


@contextmanager
def as_named(name: Callable[[str], str]) -> Iterator[None]:
    """What is refused inside is refused under the names of the caller's own case, so that it stands beside its field.

    `name`: the caller's name of a field that the inner part names.
    """
    try:
        yield
    except ImpossibleInput as refusal:
        raise ImpossibleInput(*(replace(p, field=name(p.field)) for p in refusal.problems)) from None


def beside(cautions: Iterable[Caution], name: Callable[[str], str]) -> tuple[Caution, ...]:
    """Cautions of an inner part, each once, under the names of the caller's own case."""
    return tuple(dict.fromkeys(replace(c, field=name(c.field)) for c in cautions))
