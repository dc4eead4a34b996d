"""Roots by SciPy's bracketed search, imported at the first one: half a second that a model without a root never pays."""

import sys
from collections.abc import Callable
from typing import Final

EPSILON: Final = sys.float_info.epsilon


def brentq(f: Callable[[float], float], a: float, b: float, *, xtol: float = 2e-12, rtol: float = 4.0 * EPSILON) -> float:
    """The root of a continuous function between `a` and `b`, at which it has opposite signs.

    Raises: ValueError where it has not. Source: R. P. Brent, Algorithms for Minimization without Derivatives, 1973, chapter 4.
    """
    from scipy import optimize

    return float(optimize.brentq(f, a, b, xtol=xtol, rtol=rtol))
