"""The limits of a furnish as rows of a linear programme, for whoever searches furnishes together with other things."""

from dataclasses import dataclass

import numpy as np

from core.blend.furnish import BlendCase, Table, Vector, recipe
from core.blend.least import quality_rows, z_of
from core.quantity import check

TINY = 1e-9


@dataclass(frozen=True, slots=True)
class Over:
    """A limit, by its field of the case: shares (fractions that make 1) keep it where shares @ row is not above 0. The largest
    of the row is 1 or -1."""

    field: str
    row: Vector


def _most(row: Vector, low: Vector, high: Vector) -> float:
    """The greatest of row @ shares of all shares within their bounds that make 1."""
    shares = low.copy()
    left = 1.0 - float(shares.sum())
    for i in np.argsort(-row):
        more = min(left, float(high[i] - low[i]))
        shares[i], left = shares[i] + more, left - more
    return float(row @ shares)


def limits_within(case: BlendCase) -> tuple[Over, ...]:
    """The limits that some furnish within its bounds breaks, each kept with its chance; a recipe that breaks one already is to
    break it no further.

    Raises: ImpossibleInput for a case outside what is possible.
    """
    check(case)
    table, own = Table(case.pulps), recipe(case)
    low, high = np.minimum(table.low, own), np.maximum(table.high, own)
    told = []
    for row in quality_rows(case, table, z_of(case.chance_pct), own):
        over = row.coefficients - row.most  # shares make 1
        over = over - max(0.0, float(over @ own))
        largest = float(np.abs(over).max())
        if largest > TINY and _most(over, low, high) > TINY * largest:
            told.append(Over(row.field, over / largest))
    return tuple(told)
