"""Constants of a model learnt from samples: robust least squares with weak priors, and what the samples cannot tell.

Errors are softened (soft-L1), priors stay plain squares; a fit is judged by its left-out errors. Source: models, chips to
bleach, sections 3.4 and 9.
"""

import math
from abc import ABC, abstractmethod
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Any, Final

import numpy as np
import numpy.typing as npt

Array = npt.NDArray[np.float64]

LEAST = 8  # samples
MUST_FALL: Final = 0.10  # of the left-out error, by a fit that may be used
ENOUGH_FOR_MORE = 25  # samples, from which a constant that comes later is fitted too
STEP = 1e-3  # of a constant for its slope
MOST_NEWTON, SETTLED = 25, 1e-4
ALIKE = 0.95  # correlation from which two constants are not told apart
UNTOLD = 0.90  # of its prior's spread is left: the samples do not tell it


@dataclass(frozen=True, slots=True, kw_only=True)
class Constant:
    """One that may be fitted: its field, its sign in the equations, its name in words, its bounds, its default and the spread
    of its prior.

    `in_log`: it is fitted by its logarithm, and its prior is there. `tests`: the tests of the plan that tell it. `later`: it is
    fitted only where there are samples enough for more.
    """

    field: str
    sign: str
    name: str
    low: float
    high: float
    sd: float
    default: float = 0.0
    in_log: bool = False
    tests: tuple[str, ...] = ()
    later: bool = False

    def scaled(self, value: float) -> float:
        """A value as it is fitted."""
        return math.log(value) if self.in_log else value

    def value(self, x: float) -> float:
        """The value of what was fitted."""
        return math.exp(x) if self.in_log else x


def rms(x: Array) -> float:
    """Root of the mean square; nan of nothing."""
    return float(np.sqrt(np.mean(x**2))) if x.size else math.nan


def softened_prior(d: Array) -> Array:
    """A prior's distance so that the softened loss makes a plain square of it: a prior is no outlier."""
    return np.sign(d) * np.sqrt((1.0 + d**2 / 2.0) ** 2 - 1.0)


class Problem(ABC):
    """The least squares of one choice of constants: x holds them as they are fitted.

    There are n samples of k readings each. `white`, shape (n, k, k), makes the errors of a sample independent and of size one.
    """

    white: Array

    def __init__(self, some: Sequence[Constant]) -> None:
        self.some = list(some)
        self.sd = np.array([c.sd for c in some])
        self.start, self.low, self.high = (
            np.array([c.scaled(getattr(c, end)) for c in some]) for end in ("default", "low", "high")
        )

    @abstractmethod
    def errors(self, x: Array) -> Array:
        """Model minus laboratory, shape (k, n), 0 where it was not tested."""

    @abstractmethod
    def slopes(self, x: Array) -> Array:
        """How the errors move a unit of each of x, shape (p, k, n)."""

    def values(self, x: Array) -> dict[str, float]:
        """The constants by their fields."""
        return {c.field: float(c.value(v)) for c, v in zip(self.some, x, strict=True)}

    def jacobian(self, x: Array) -> Array:
        """Of `rows`; the priors' rows are straight but for the softening taken back."""
        z = np.einsum("ijk,pki->ijp", self.white, self.slopes(x)).reshape(-1, len(x))
        d = (x - self.start) / self.sd
        by = np.where(np.abs(d) < 1e-6, 1.0, np.abs(d) * (1.0 + d**2 / 2.0) / np.maximum(np.abs(softened_prior(d)), 1e-12))
        return np.concatenate([z, np.diag(by / self.sd)])

    def rows(self, x: Array) -> Array:
        """The whitened errors, and the priors."""
        z = np.einsum("ijk,ki->ij", self.white, self.errors(x)).ravel()
        return np.concatenate([z, softened_prior((x - self.start) / self.sd)])

    def left_out(self, x: Array) -> tuple[Array, Array]:
        """Errors, laboratory minus the model fitted without that sample, by leverage, shape (k, n); and the constants'
        covariance."""
        errors = self.errors(x)
        slope = self.slopes(x)
        z = np.einsum("ijk,ki->ij", self.white, errors)
        jac = np.einsum("ijk,pki->ijp", self.white, slope)
        weight = 1.0 / np.sqrt(1.0 + z**2)
        each = np.einsum("ijp,ij,ijq->ipq", jac, weight, jac)
        whole = each.sum(axis=0) + np.diag(1.0 / self.sd**2)
        pull = np.einsum("ijp,ij,ij->ip", jac, weight, z)
        moved = np.stack([np.linalg.solve(whole - h, g) for h, g in zip(each, pull, strict=True)])
        return -(errors + np.einsum("pki,ip->ki", slope, moved)), np.linalg.inv(whole)


@dataclass(frozen=True, slots=True, kw_only=True)
class Settled:
    """The least squares at their least: the problem with the constants that were fitted, x, and the left-out errors (k, n).

    `held`: constants that stayed at their default, and why. `at_bound`: the signs of those that ended at a bound.
    """

    problem: Any
    x: Array
    left_out: Array
    held: tuple[str, ...]
    at_bound: tuple[str, ...]

    @property
    def signs(self) -> tuple[str, ...]:
        return tuple(c.sign for c in self.problem.some)


def settle(
    some: Sequence[Any], make: Callable[[list[Any]], Problem], *, held: Sequence[str] = (), untold: bool = False
) -> Settled:
    """Fit the constants; of two that the samples do not tell apart the second stays at its default, and with `untold` each that
    they do not tell at all."""
    from scipy.optimize import least_squares  # half a second to import: only a fit pays it

    some, why = list(some), list(held)
    while True:
        problem = make(some)
        if not some:
            x, (left_out, cov) = np.zeros(0), (-problem.errors(np.zeros(0)), np.zeros((0, 0)))
            break
        x = least_squares(
            problem.rows,
            problem.start,
            problem.jacobian,
            bounds=(problem.low, problem.high),
            loss="soft_l1",
            x_scale=problem.sd,
            max_nfev=MOST_NEWTON,
            ftol=SETTLED,
            xtol=SETTLED,
        ).x
        left_out, cov = problem.left_out(x)
        size = np.sqrt(np.diag(cov))
        lost = [c for c, s in zip(some, size, strict=True) if s > UNTOLD * c.sd] if untold else []
        if lost:
            why += [f"{c.sign}: these samples do not tell it" for c in lost]
            some = [c for c in some if c not in lost]
            continue
        alike = cov / np.outer(size, size)
        pairs = [(i, j) for j in range(1, len(some)) for i in range(j) if abs(alike[i, j]) > ALIKE]
        if not pairs:
            break
        i, j = max(pairs, key=lambda p: abs(alike[p]))
        why.append(f"{some[j].sign}: these samples do not tell it from {some[i].sign}")
        some = [c for c in some if c is not some[j]]
    room = 1e-3 * (problem.high - problem.low)
    ends = (x - problem.low < room) | (problem.high - x < room)
    return Settled(
        problem=problem,
        x=x,
        left_out=left_out,
        held=tuple(why),
        at_bound=tuple(c.sign for c, on in zip(some, ends, strict=True) if on),
    )
