"""The daily mill balance: meters made to agree by weighted least squares, and what cannot be made to agree named.

x = m − S A' (A S A')⁻¹ (A m − b); a global test by chi-square, each measurement by the normal. Meters that stand in the
same balances only cannot be told apart: all are named, none is taken out without a person. Source: recovered to delivery,
section 14.
"""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Final

import numpy as np

from core.chance import chi_square_quantile, normal_quantile
from core.errors import Caution, ImpossibleInput, Problem
from core.quantity import check, figure, quantity
from core.register import Check, model
from core.stream import Vector

SURE: Final = 0.95
ALIKE: Final = 1e-6
OUT: Final = 1000.0  # times the sd of a meter that is taken out


@dataclass(frozen=True, kw_only=True, eq=False)
class Agreed:
    """Measurements as adjusted, with their sd after; the global test against what it allows; each measurement's test."""

    x: Vector
    sd: Vector
    chi: float
    chi_allowed: float
    tests: Vector
    test_allowed: float

    @property
    def passes(self) -> bool:
        return self.chi <= self.chi_allowed

    @property
    def suspects(self) -> tuple[int, ...]:
        """Those with the largest test, where the balance does not pass; several that cannot be told apart."""
        if self.passes or not len(self.tests):
            return ()
        most = float(self.tests.max())
        return tuple(int(i) for i in np.flatnonzero(self.tests >= most * (1.0 - ALIKE)))


def reconcile(measured: Sequence[float], sd: Sequence[float], balances: Vector, right: Sequence[float]) -> Agreed:
    """Measurements (n) with their sd and balances (k, n) A x = b. Raises: ImpossibleInput for an sd that is none, or balances
    that say the same twice."""
    m, spread, a, b = (np.asarray(v, dtype=float) for v in (measured, sd, balances, right))
    if (spread <= 0.0).any():
        i = int(np.flatnonzero(spread <= 0.0)[0])
        raise ImpossibleInput(Problem("sd", f"of measurement {i + 1} is {spread[i]:g}; it must be above 0"))
    kept = np.abs(a).sum(axis=1) > 0.0
    a, b = a[kept], b[kept]
    rank = int(np.linalg.matrix_rank(a)) if len(a) else 0
    if rank < len(a) or not rank:
        raise ImpossibleInput(Problem("balances", "say the same twice, or nothing at all"))
    s = np.diag(spread**2)
    inner = np.linalg.inv(a @ s @ a.T)
    miss = a @ m - b
    move = s @ a.T @ inner
    shift = move @ miss
    taken = move @ a @ s
    var = np.diag(taken)
    tests = np.where(var > 0.0, np.abs(shift) / np.sqrt(np.maximum(var, 1e-300)), 0.0)
    allowed = normal_quantile(1.0 - (1.0 - SURE ** (1.0 / len(m))) / 2.0)
    return Agreed(
        x=m - shift,
        sd=np.sqrt(np.maximum(np.diag(s - taken), 0.0)),
        chi=float(miss @ inner @ miss),
        chi_allowed=chi_square_quantile(SURE, rank),
        tests=tests,
        test_allowed=allowed,
    )


NAMES: Final = ("wood", "washed pulp", "towers", "delivered", "losses")


@dataclass(frozen=True, slots=True, kw_only=True)
class DayCase:
    """A day of a fibre line, t OD: wood by its meter at a yield, washed pulp, what towers rose by, delivered, lost; with what
    each may be off by (sd)."""

    wood_t: float = quantity("Wood by its meter", "t OD", possible=(0, 100_000), above=True, decimals=1)
    wood_sd: float = quantity("give or take (sd)", "t", possible=(0, 10_000), above=True, decimals=1)
    yield_pct: float = quantity("Yield", "%", possible=(5, 100), valid=(38, 98), decimals=1)
    washed_t: float = quantity("Washed pulp", "t OD", possible=(0, 100_000), decimals=1)
    washed_sd: float = quantity("give or take (sd)", "t", possible=(0, 10_000), above=True, decimals=1)
    towers_t: float = quantity("Towers rose by", "t OD", possible=(-10_000, 10_000), decimals=1)
    towers_sd: float = quantity("give or take (sd)", "t", possible=(0, 10_000), above=True, decimals=1)
    delivered_t: float = quantity("Delivered", "t OD", possible=(0, 100_000), decimals=1)
    delivered_sd: float = quantity("give or take (sd)", "t", possible=(0, 10_000), above=True, decimals=1)
    lost_t: float = quantity("Rejects and losses", "t OD", possible=(0, 100_000), decimals=1)
    lost_sd: float = quantity("give or take (sd)", "t", possible=(0, 10_000), above=True, decimals=1)


@dataclass(frozen=True, slots=True, kw_only=True)
class DayFound:
    """`suspects`: the names of those that cannot be made to agree; several that cannot be told apart."""

    wood_t: float = figure("Wood", "t OD", decimals=2, equation="adjusted by weighted least squares")
    washed_t: float = figure("Washed pulp", "t OD", decimals=2, equation="adjusted")
    towers_t: float = figure("Towers", "t OD", decimals=2, equation="adjusted")
    delivered_t: float = figure("Delivered", "t OD", decimals=2, equation="adjusted")
    lost_t: float = figure("Rejects and losses", "t OD", decimals=2, equation="adjusted")
    wood_sd: float = figure("Wood is sure to (sd)", "t", decimals=2, equation="√ of what is left of its variance")
    chi: float = figure("Global test", "", decimals=3, equation="(A m − b)' (A S A')⁻¹ (A m − b)")
    chi_allowed: float = figure("allowed", "", decimals=3, equation="chi-square, 95 %")
    worst: float = figure("Largest test of a meter", "", decimals=3, equation="|m − x|/sd of the shift")
    worst_allowed: float = figure("allowed", "", decimals=3, equation="normal, 95 % of all together")
    factor: float = figure("Factor of the wood meter", "", decimals=3, equation="adjusted/measured")
    suspects: tuple[str, ...] = ()
    cautions: tuple[Caution, ...] = ()


_DAY: Final = {
    "wood_t": 402,
    "wood_sd": 12,
    "yield_pct": 46.2,
    "washed_t": 183.5,
    "washed_sd": 3.0,
    "towers_t": 6.0,
    "towers_sd": 1.5,
    "delivered_t": 171.0,
    "delivered_sd": 1.5,
    "lost_t": 5.2,
    "lost_sd": 0.8,
}
_OFF: Final = {**_DAY, "delivered_t": 184.0}


@model(
    "accounts.day",
    title="The balance of a day",
    source="weighted least squares with chi-square and normal tests",
    holds_for="errors of chance; two balances: wood × yield = washed; washed = towers + delivered + losses",
    equation="x = m − S A' (A S A')⁻¹ (A m − b)",
    basis="published",
    checks=(
        Check(_DAY, "wood_t", 396.031, 1e-4),
        Check(_DAY, "washed_t", 182.966, 1e-4),
        Check(_DAY, "towers_t", 6.335, 1e-4),
        Check(_DAY, "delivered_t", 171.335, 1e-4),
        Check(_DAY, "lost_t", 5.295, 1e-4),
        Check(_DAY, "wood_sd", 3.722, 2e-4),
        Check(_DAY, "chi", 0.3933, 2e-4),
        Check(_DAY, "chi_allowed", 5.991, 1e-4),
        Check(_OFF, "chi", 10.483, 1e-3),
        Check(_OFF, "worst", 3.218, 1e-3),
        Check(_OFF, "worst_allowed", 2.569, 1e-3),
    ),
)
def day(case: DayCase) -> DayFound:
    """Raises: ImpossibleInput."""
    cautions = check(case)
    measured = (case.wood_t, case.washed_t, case.towers_t, case.delivered_t, case.lost_t)
    sd = (case.wood_sd, case.washed_sd, case.towers_sd, case.delivered_sd, case.lost_sd)
    balances = np.array([[case.yield_pct / 100.0, -1.0, 0.0, 0.0, 0.0], [0.0, 1.0, -1.0, -1.0, -1.0]])
    found = reconcile(measured, sd, balances, (0.0, 0.0))
    suspects = tuple(NAMES[i] for i in found.suspects)
    fields = ("wood_t", "washed_t", "towers_t", "delivered_t", "lost_t")
    if len(suspects) == 1:
        i = found.suspects[0]
        without = reconcile(measured, [v * OUT if k == i else v for k, v in enumerate(sd)], balances, (0.0, 0.0))
        size = measured[i] - float(without.x[i])
        rest = "the others agree without it" if without.passes else "and the others do not agree without it: check by hand"
        told = f"is what cannot be made to agree ({suspects[0]}): about {size:+.1f} t off, {rest}"
        cautions += (Caution(fields[i], told),)
    elif suspects:
        told = f"is one of {', '.join(suspects)}: one of these is off, and they cannot be told apart; look at each"
        cautions += (Caution(fields[found.suspects[0]], told),)
    return DayFound(
        wood_t=float(found.x[0]),
        washed_t=float(found.x[1]),
        towers_t=float(found.x[2]),
        delivered_t=float(found.x[3]),
        lost_t=float(found.x[4]),
        wood_sd=float(found.sd[0]),
        chi=found.chi,
        chi_allowed=found.chi_allowed,
        worst=float(found.tests.max()),
        worst_allowed=found.test_allowed,
        factor=float(found.x[0]) / case.wood_t,
        suspects=suspects,
        cautions=cautions,
    )


KAPPA_SD, USUAL_EA_PCT = 0.8, 18.5  # defaults


@dataclass(frozen=True, slots=True, kw_only=True)
class TitrationCase:
    sd0: float = quantity("Kappa is sure to (sd)", "", possible=(0, 20), above=True, decimals=1, default=KAPPA_SD)
    ea_pct: float = quantity("Effective alkali", "% NaOH on wood", possible=(1, 40), decimals=1, default=USUAL_EA_PCT)
    slope: float = quantity("Kappa for a % more alkali", "", possible=(-20, 0), valid=(-7, -1), decimals=1)
    off_pct: float = quantity("The titration is off by", "%", possible=(0, 20), decimals=1, default=2.0)


@dataclass(frozen=True, slots=True, kw_only=True)
class TitrationFound:
    sd: float = figure("Kappa is then sure to (sd)", "", decimals=3, equation="√(sd² + (slope × EA × error)²)")
    times: float = figure("which is", "times", decimals=2, equation="sd then/sd")
    cautions: tuple[Caution, ...] = ()


@model(
    "accounts.titration",
    title="What an error of the alkali test does to kappa",
    source="first order",
    holds_for="the mill’s own slope, from its log; the larger until then",
    equation="sd = √(sd₀² + (slope EA x)²)",
    basis="published",
    checks=(
        Check({"slope": -2}, "sd", 1.0898, 1e-3),
        Check({"slope": -4}, "sd", 1.6824, 1e-3),
        Check({"slope": -6}, "sd", 2.3597, 1e-3),
        Check({"slope": -6}, "times", 2.95, 1e-3),
    ),
)
def titration(case: TitrationCase) -> TitrationFound:
    """Raises: ImpossibleInput."""
    cautions = check(case)
    sd = float(np.hypot(case.sd0, case.slope * case.ea_pct * case.off_pct / 100.0))
    return TitrationFound(sd=sd, times=sd / case.sd0, cautions=cautions)
