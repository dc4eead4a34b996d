"""One rule for duplicates of every test.

Source: shift practice, section 1.1, after the critical range of ISO 5725-6. Limits are defaults until the mill has its own.
"""

import math
from dataclasses import dataclass
from enum import StrEnum
from typing import Final

from core.errors import ImpossibleInput, Problem

THREE_OVER_TWO: Final = 1.18  # 3.3 / 2.8


class Status(StrEnum):
    SINGLE = "single"
    ACCEPTED = "accepted"
    THIRD_NEEDED = "third_needed"
    MEDIAN_FLAGGED = "median_flagged"
    VOID = "void"


@dataclass(frozen=True, slots=True, kw_only=True)
class Replicates:
    """The accepted value, or the mean so far when a third is needed; range and its limit in the test's unit."""

    value: float
    status: Status
    spread: float
    limit: float

    @property
    def stands(self) -> bool:
        """Whether charts, moves and releases may use the value."""
        return self.status in (Status.SINGLE, Status.ACCEPTED)


def combine(results: tuple[float, ...], *, r_abs: float, r_rel_pct: float = 0.0) -> Replicates:
    """One, two or three results of one sample by the repeatability rule. Equality accepts.

    Raises: ImpossibleInput for none, more than three, or a number that is not finite.
    Worked: 3.42, 3.58 with 0.05 and 3 %: limit 0.105, third needed; third 3.55: limit 0.1245, median 3.55 flagged.
    """
    if not 1 <= len(results) <= 3 or not all(math.isfinite(r) for r in results):
        raise ImpossibleInput(Problem("results", f"are {len(results)}; one to three finite results make a test"))
    mean = sum(results) / len(results)
    limit = max(r_abs, r_rel_pct * abs(mean) / 100.0)
    spread = max(results) - min(results)
    if len(results) == 1:
        return Replicates(value=mean, status=Status.SINGLE, spread=0.0, limit=limit)
    if len(results) == 2:
        status = Status.ACCEPTED if spread <= limit + 1e-12 else Status.THIRD_NEEDED
        return Replicates(value=mean, status=status, spread=spread, limit=limit)
    limit *= THREE_OVER_TWO
    if spread <= limit + 1e-12:
        return Replicates(value=mean, status=Status.ACCEPTED, spread=spread, limit=limit)
    return Replicates(value=sorted(results)[1], status=Status.MEDIAN_FLAGGED, spread=spread, limit=limit)
