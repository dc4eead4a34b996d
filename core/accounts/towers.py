"""Towers and the machine made to agree: what lines made by the solved line, what flow meters drew, what levels rose by, and
what the machine took.

Each tower: made = drawn + rose; all together: drawn + bought = taken by the machine. What stands in the balance of one tower
alone cannot be told apart; a flow meter stands in both. Source: recovered to delivery, section 14, with the balances of a
furnish.
"""

from dataclasses import dataclass, field
from typing import Any, Final

import numpy as np

from core.accounts.reconcile import OUT, Agreed, reconcile
from core.errors import Caution, ImpossibleInput, Problem
from core.quantity import check, figure, quantity, rows
from core.register import Check, model
from core.stream import Vector

WHAT: Final = ("made", "drawn", "rose")
MADE_OFF, DRAWN_OFF, TAKEN_OFF = 0.02, 0.01, 0.015  # of what is told (sd), defaults to be calibrated
LEVEL_OFF: Final = 0.004  # of a tower, of the difference of two readings of its level
LEAST_SD: Final = 0.05  # t


@dataclass(frozen=True, slots=True, kw_only=True)
class Tower:
    """One tower over a period, t OD, each with what it may be off by (sd)."""

    made_t: float = quantity("Made by its line", "t OD", possible=(0, 100_000), decimals=2)
    made_sd: float = quantity("give or take (sd)", "t", possible=(0, 10_000), above=True, decimals=2)
    drawn_t: float = quantity("Drawn by its flow meter", "t OD", possible=(0, 100_000), decimals=2)
    drawn_sd: float = quantity("give or take (sd)", "t", possible=(0, 10_000), above=True, decimals=2)
    rose_t: float = quantity("Rose by its level", "t OD", possible=(-10_000, 10_000), decimals=2)
    rose_sd: float = quantity("give or take (sd)", "t", possible=(0, 10_000), above=True, decimals=2)


@dataclass(frozen=True, slots=True, kw_only=True)
class TowersCase:
    bought_t: float = quantity("Bought pulp drawn", "t OD", possible=(0, 100_000), decimals=2)
    bought_sd: float = quantity("give or take (sd)", "t", possible=(0, 10_000), above=True, decimals=2)
    machine_t: float = quantity("Taken by the machine", "t OD", possible=(0, 100_000), decimals=2)
    machine_sd: float = quantity("give or take (sd)", "t", possible=(0, 10_000), above=True, decimals=2)
    towers: tuple[Tower, ...] = rows("Tower", Tower, most=30)


@dataclass(frozen=True, slots=True, kw_only=True)
class TowersFound:
    """`towers`: made, drawn, rose of each as adjusted. `suspects`: the number of a tower (from 1; 0 for bought pulp or the
    machine) and what of it cannot be made to agree; several that cannot be told apart. `off_t`: by how much the one that is
    named is off."""

    machine_t: float = figure("Taken by the machine", "t OD", decimals=2, equation="adjusted by weighted least squares")
    bought_t: float = figure("Bought pulp", "t OD", decimals=2, equation="adjusted")
    chi: float = figure("Global test", "", decimals=3, equation="(A m − b)' (A S A')⁻¹ (A m − b)")
    chi_allowed: float = figure("allowed", "", decimals=3, equation="chi-square, 95 %")
    worst: float = figure("Largest test of a meter", "", decimals=3, equation="|m − x|/sd of the shift")
    worst_allowed: float = figure("allowed", "", decimals=3, equation="normal, 95 % of all together")
    off_t: float = figure("The one that is named is off by", "t OD", decimals=2, equation="measured less what the others say")
    towers: tuple[tuple[float, float, float], ...] = ()
    suspects: tuple[tuple[int, str], ...] = field(default=())
    cautions: tuple[Caution, ...] = ()


TWO: Final[dict[str, Any]] = {
    "bought_t": 20.0,
    "bought_sd": 0.5,
    "machine_t": 300.0,
    "machine_sd": 3.0,
    "towers": (
        {"made_t": 180.0, "made_sd": 5.0, "drawn_t": 181.5, "drawn_sd": 1.0, "rose_t": -2.4, "rose_sd": 0.4},
        {"made_t": 96.0, "made_sd": 3.0, "drawn_t": 99.0, "drawn_sd": 0.6, "rose_t": 1.2, "rose_sd": 0.3},
    ),
}
_OFF: Final[dict[str, Any]] = {**TWO, "towers": (TWO["towers"][0], {**TWO["towers"][1], "drawn_t": 112.0})}


@model(
    "accounts.towers",
    title="Towers and the machine made to agree",
    source="weighted least squares with chi-square and normal tests",
    holds_for="errors of chance over a period in which every level and flow was read",
    equation="x = m − S A' (A S A')⁻¹ (A m − b); made = drawn + rose; Σ drawn + bought = taken",
    basis="published",
    checks=(
        Check(TWO, "machine_t", 300.3192, 1e-6),
        Check(TWO, "bought_t", 19.99113, 1e-6),
        Check(TWO, "chi", 1.91091, 1e-5),
        Check(TWO, "chi_allowed", 7.8147, 1e-4),
        Check(_OFF, "chi", 47.0473, 1e-5),
        Check(_OFF, "worst", 6.8059, 1e-5),
        Check(_OFF, "off_t", 15.4735, 1e-5),
    ),
)
def towers(case: TowersCase) -> TowersFound:
    """Raises: ImpossibleInput for no tower at all."""
    cautions = check(case)
    if not case.towers:
        raise ImpossibleInput(Problem("towers", "are none: a balance needs one at least"))
    measured, sd = _laid_out(case)
    balances = _balances(len(case.towers))
    found = reconcile(measured, sd, balances, [0.0] * len(balances))
    names = [(i // 3 + 1, WHAT[i % 3]) for i in range(3 * len(case.towers))] + [(0, "bought"), (0, "machine")]
    suspects = tuple(names[i] for i in found.suspects)
    off = 0.0
    if len(suspects) == 1:
        off, rest = _without(found.suspects[0], measured, sd, balances)
        told = "the others agree without it" if rest.passes else "and the others do not agree without it: check by hand"
        cautions += (Caution(_place(suspects[0]), f"is what cannot be made to agree: about {off:+.1f} t off, {told}"),)
    elif suspects:
        cautions += (Caution(_place(suspects[0]), "is one of several that cannot be told apart; look at each"),)
    x = found.x.tolist()
    return TowersFound(
        machine_t=x[-1],
        bought_t=x[-2],
        chi=found.chi,
        chi_allowed=found.chi_allowed,
        worst=float(found.tests.max()),
        worst_allowed=found.test_allowed,
        off_t=off,
        towers=tuple((x[3 * i], x[3 * i + 1], x[3 * i + 2]) for i in range(len(case.towers))),
        suspects=suspects,
        cautions=cautions,
    )


def _place(suspect: tuple[int, str]) -> str:
    """The field of the case that a suspect is."""
    number, what = suspect
    return f"towers.{number}.{what}_t" if number else f"{what}_t"


def _laid_out(case: TowersCase) -> tuple[list[float], list[float]]:
    measured = [v for t in case.towers for v in (t.made_t, t.drawn_t, t.rose_t)]
    sd = [v for t in case.towers for v in (t.made_sd, t.drawn_sd, t.rose_sd)]
    return [*measured, case.bought_t, case.machine_t], [*sd, case.bought_sd, case.machine_sd]


def _balances(count: int) -> Vector:
    a = np.zeros((count + 1, 3 * count + 2))
    for i in range(count):
        a[i, 3 * i : 3 * i + 3] = (1.0, -1.0, -1.0)
        a[count, 3 * i + 1] = 1.0
    a[count, -2:] = (1.0, -1.0)
    return a


def _without(i: int, measured: list[float], sd: list[float], balances: Vector) -> tuple[float, Agreed]:
    """By how much a meter is off what the others say, and these without it."""
    loose = [s * OUT if k == i else s for k, s in enumerate(sd)]
    rest = reconcile(measured, loose, balances, [0.0] * len(balances))
    return measured[i] - float(rest.x[i]), rest
