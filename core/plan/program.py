"""An integer program put together row by row, for the solver: terms by the place of their variable, with the least and the most
of each row."""

import math
from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np
from scipy.sparse import coo_array

from core.stream import Vector


@dataclass(frozen=True, slots=True)
class Answer:
    """The best values that were found, None where none was; whether none can be better; what no values can cost less than."""

    x: Vector | None
    proven: bool
    bound: float


class Program:
    """Constraints on `size` variables, of which the first `whole` are 0 or 1 and the rest at least 0."""

    def __init__(self) -> None:
        self.rows: list[tuple[int, int, float]] = []
        self.low: list[float] = []
        self.high: list[float] = []

    def add(self, terms: Mapping[int, float], low: float, high: float) -> None:
        """One more row: low ≤ Σ value × variable ≤ high."""
        self.rows += [(len(self.low), place, value) for place, value in terms.items()]
        self.low.append(low)
        self.high.append(high)

    def solved(self, prices: Vector, whole: int, most: Vector, *, gap: float, seconds: float | None = None) -> Answer:
        """The cheapest values. `most`: the greatest of each variable; `gap`: how far from the best may be, as a share."""
        from scipy.optimize import Bounds, LinearConstraint, milp  # takes long to load: only where a plan is asked for

        row, col, value = (np.array(v) for v in zip(*self.rows, strict=True))
        matrix = coo_array((value, (row, col)), shape=(len(self.low), len(prices))).tocsr()
        integral = np.zeros(len(prices))
        integral[:whole] = 1.0
        found = milp(
            prices,
            constraints=LinearConstraint(matrix, np.array(self.low), np.array(self.high)),
            integrality=integral,
            bounds=Bounds(np.zeros(len(prices)), most),
            options={"mip_rel_gap": gap} | ({"time_limit": seconds} if seconds is not None else {}),
        )
        bound = found.mip_dual_bound
        least = 0.0 if bound is None or not math.isfinite(bound) else float(bound)
        return Answer(None if found.x is None else np.asarray(found.x), found.status == 0, least)
