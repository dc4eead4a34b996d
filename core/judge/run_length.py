"""How often a chart cries wolf, and how soon it hears a change: average run lengths by Markov chains.

Source: Brook and Evans 1972 (chains of CUSUM and EWMA), Champ and Woodall 1987 (run rules); shift practice, section 3.1.
"""

import math
from collections.abc import Callable, Iterable
from dataclasses import dataclass
from functools import lru_cache
from itertools import combinations
from typing import Final

import numpy as np
from scipy.sparse import csr_matrix, identity
from scipy.sparse.linalg import spsolve
from scipy.special import ndtr

from core.errors import Caution
from core.quantity import check, choice, figure, quantity
from core.register import Check, model

SINGLES, EWMA, CUSUM = "individuals, 3 sigma", "EWMA", "CUSUM"
WE: Final = ("WE1", "WE2", "WE3", "WE4")


def chart_of(rules: Iterable[str]) -> str:
    """The chart that hears these run rules and nothing else."""
    on = [rule for rule in WE if rule in set(rules)]
    if on == ["WE1"]:
        return SINGLES
    if on == list(WE):
        return "individuals, rules WE1 to WE4"
    told = f"{', '.join(on[:-1])} and {on[-1]}" if len(on) > 1 else on[0]
    return f"individuals, rule{'s' if len(on) > 1 else ''} {told}"


BY_RULES: Final = {chart_of(on): frozenset(on) for n in range(1, 5) for on in combinations(WE, n)}
RULES, USUAL = chart_of(WE), chart_of(("WE1", "WE2", "WE4"))
CHARTS: Final = (*BY_RULES, EWMA, CUSUM)
BOTH, ONE = "on both sides", "on one side"
CELLS: Final = 201
FAR: Final = 4.0  # limits below the mean, as far as a smoothed mean is followed that signals upwards alone
EDGES: Final = np.array([-math.inf, -3.0, -2.0, -1.0, 0.0, 1.0, 2.0, 3.0, math.inf])
ZONES: Final = (-4, -3, -2, -1, 1, 2, 3, 4)  # by how many sigma a point lies beyond, with its side
RUN: Final = 8


def _chain(cells: int, to: Callable[[np.ndarray], np.ndarray], start: int) -> float:
    """Mean steps until a chain of cells is left. `to` gives the chance of each cell (cells, cells) from every one."""
    stays = to(np.arange(cells))
    return float(np.linalg.solve(np.eye(cells) - stays, np.ones(cells))[start])


def singles(shift: float, limit: float = 3.0, *, one: bool = False) -> float:
    """Of individuals against a limit in sigma, on both sides or on `one`, to which the mean shifts."""
    return 1.0 / float(ndtr(-limit + shift) + (0.0 if one else ndtr(-limit - shift)))


def of_ewma(shift: float, weight: float, width: float, *, one: bool = False) -> float:
    """Of an EWMA against its limits at rest; on `one` side far below counts as the lowest cell."""
    limit = width * math.sqrt(weight / (2.0 - weight))
    foot = FAR * limit if one else limit
    cell = (limit + foot) / CELLS
    mids = -foot + cell * (np.arange(CELLS) + 0.5)

    def to(rows: np.ndarray) -> np.ndarray:
        from_ = (1.0 - weight) * mids[rows][:, None]
        high, low = ((mids + side * cell / 2.0 - from_) / weight - shift for side in (1.0, -1.0))
        stays = ndtr(high) - ndtr(low)
        if one:
            stays[:, 0] = ndtr(high[:, 0])
        return np.asarray(stays)

    return _chain(CELLS, to, int(np.argmin(np.abs(mids))))


def of_cusum(shift: float, k: float, h: float, *, one: bool = False) -> float:
    """Of a CUSUM from 0, its sides one after the other; or of `one`, to which the mean shifts."""
    if one:
        return _one_side(shift, k, h)
    return 1.0 / (1.0 / _one_side(shift, k, h) + 1.0 / _one_side(-shift, k, h))


def _one_side(shift: float, k: float, h: float) -> float:
    cell = h / (CELLS - 0.5)
    mids = cell * np.arange(CELLS)

    def to(rows: np.ndarray) -> np.ndarray:
        need = mids[None, :] - mids[rows][:, None] + k - shift
        stays = ndtr(need + cell / 2.0) - ndtr(need - cell / 2.0)
        stays[:, 0] = ndtr(need[:, 0] + cell / 2.0)
        return np.asarray(stays)

    return _chain(CELLS, to, 0)


def fires(zones: tuple[int, ...], run: int, rules: frozenset[str], *, one: bool = False) -> bool:
    """Whether any of these rules fires at the newest of these zones, oldest first, five at most, `run` of them on its side; on
    `one` side only upwards."""
    now = zones[-1]
    side = 1 if now > 0 else -1
    if one and side < 0:
        return False
    far = "WE1" in rules and abs(now) >= 4
    two = "WE2" in rules and sum(side * z >= 3 for z in zones[-3:]) >= 2 and side * now >= 3
    some = "WE3" in rules and sum(side * z >= 2 for z in zones[-5:]) >= 4 and side * now >= 2
    return far or two or some or ("WE4" in rules and run >= RUN)


def _counted(zone: int, rules: frozenset[str]) -> int:
    """What a zone behind the newest still counts for: zones that no rule tells apart are one."""
    side, beyond = (1 if zone > 0 else -1), abs(zone)
    if "WE2" in rules and beyond >= 3:
        return 3 * side
    return 2 * side if "WE3" in rules and beyond >= 2 else side


@lru_cache(maxsize=64)
def of_rules(shift: float, rules: frozenset[str] = frozenset(WE), *, one: bool = False) -> float:
    """Of individuals under these rules together, from an empty chart."""
    chance = np.diff(ndtr(EDGES - shift))
    depth = 4 if "WE3" in rules else 2 if "WE2" in rules else 1  # points behind the newest that a rule may count
    empty: tuple[tuple[int, ...], int] = ((), 0)
    number, ahead = {empty: 0}, [empty]
    rows: list[int] = []
    cols: list[int] = []
    weights: list[float] = []
    while ahead:
        past, run = state = ahead.pop()
        for zone, p in zip(ZONES, chance.tolist(), strict=True):
            again = min(run + 1, RUN) if "WE4" in rules and past and (past[-1] > 0) == (zone > 0) else 1
            seen = (*past, zone)
            if fires(seen, again, rules, one=one):
                continue
            then = (tuple(_counted(z, rules) for z in seen[-depth:]), again)
            if then not in number:
                number[then] = len(number)
                ahead.append(then)
            rows.append(number[state])
            cols.append(number[then])
            weights.append(p)
    n = len(number)
    stays = csr_matrix((weights, (rows, cols)), shape=(n, n))
    return float(spsolve((identity(n) - stays).tocsc(), np.ones(n))[0])


@dataclass(frozen=True, slots=True, kw_only=True)
class RunLengthCase:
    chart: str = choice("Chart", CHARTS)
    sides: str = choice("Alarm", (BOTH, ONE), default=BOTH)
    shift: float = quantity("The mean has moved by", "sigma", possible=(0, 10), valid=(0, 4), decimals=1, default=0.0)
    weight: float = quantity("Weight of an EWMA", "", possible=(0.01, 1), valid=(0.05, 0.5), decimals=2, default=0.2)
    width: float = quantity("Limits of an EWMA", "sigma", possible=(0.5, 6), valid=(2, 3.5), decimals=2, default=2.86)
    k: float = quantity("Slack of a CUSUM", "sigma", possible=(0, 3), valid=(0.25, 1), decimals=2, default=0.5)
    h: float = quantity("Limit of a CUSUM", "sigma", possible=(0.5, 12), valid=(3, 8), decimals=1, default=5.0)


@dataclass(frozen=True, slots=True, kw_only=True)
class RunLengthFound:
    points: float = figure("Points until it signals, on average", "", decimals=1, equation="1ᵀ (I − Q)⁻¹")
    cautions: tuple[Caution, ...] = ()


@model(
    "chart.run_length",
    title="How often a chart signals",
    source="Brook and Evans 1972; Champ and Woodall 1987",
    holds_for="independent normal points, limits that are known; neighbours that are alike make false alarms more frequent",
    equation="points = row of the start in (I − Q)⁻¹ 1",
    basis="published",
    checks=(
        Check({"chart": SINGLES}, "points", 370.4, 1e-3),
        Check({"chart": SINGLES, "shift": 0.5}, "points", 155.2, 1e-3),
        Check({"chart": SINGLES, "shift": 1}, "points", 43.9, 1e-3),
        Check({"chart": SINGLES, "shift": 2}, "points", 6.3, 2e-3),
        Check({"chart": EWMA}, "points", 371.0, 5e-3),
        Check({"chart": EWMA, "shift": 0.5}, "points", 36.2, 5e-3),
        Check({"chart": EWMA, "shift": 1}, "points", 9.8, 1e-2),
        Check({"chart": EWMA, "shift": 2}, "points", 3.6, 2e-2),
        Check({"chart": CUSUM}, "points", 465.0, 5e-3),
        Check({"chart": CUSUM, "shift": 0.5}, "points", 38.0, 5e-3),
        Check({"chart": CUSUM, "shift": 1}, "points", 10.4, 5e-3),
        Check({"chart": CUSUM, "shift": 2}, "points", 4.0, 1e-2),
        Check({"chart": CUSUM, "h": 4}, "points", 168.0, 5e-3),
        Check({"chart": CUSUM, "h": 4, "shift": 1}, "points", 8.4, 1e-2),
        Check({"chart": RULES}, "points", 91.75, 1e-3),
        Check({"chart": USUAL}, "points", 122.05, 1e-3),
        Check({"chart": chart_of(("WE1", "WE2"))}, "points", 225.44, 1e-4),
        Check({"chart": chart_of(("WE1", "WE3"))}, "points", 166.05, 1e-3),
        Check({"chart": chart_of(("WE1", "WE4"))}, "points", 152.73, 1e-4),
        Check({"chart": SINGLES, "sides": ONE}, "points", 740.8, 1e-3),
    ),
)
def run_length(case: RunLengthCase) -> RunLengthFound:
    """Raises: ImpossibleInput."""
    cautions = check(case)
    one = case.sides == ONE
    if case.chart == SINGLES:
        points = singles(case.shift, one=one)
    elif case.chart in BY_RULES:
        points = of_rules(case.shift, BY_RULES[case.chart], one=one)
    elif case.chart == EWMA:
        points = of_ewma(case.shift, case.weight, case.width, one=one)
    else:
        points = of_cusum(case.shift, case.k, case.h, one=one)
    return RunLengthFound(points=points, cautions=cautions)
