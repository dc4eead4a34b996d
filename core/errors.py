"""What the core says when it cannot answer, and what it says besides the answer."""

from dataclasses import dataclass


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
