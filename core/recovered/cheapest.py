"""Least cost of a recovered line to a brightness: soap's foam, air, dispersing energy, peroxide with its alkali, dithionite.

Bounded search (sequential quadratic programming) over the settings of the steps that are there; the yield counts by what a
tonne of sludge and of lost paper costs. Source: core.recovered.line; prices are defaults.
"""

from dataclasses import dataclass, replace
from typing import Any, Final

import numpy as np
import numpy.typing as npt

from core.errors import Infeasible
from core.recovered.line import PRICES, LineCase, LineFound, cost_of, line, run
from core.recovered.peroxide import best_alkali

Array = npt.NDArray[np.float64]
RANGE: Final = {  # what the search may set, by kind of step
    "flotation": {"air": (0.3, 1.6), "dose": (0.0, 6.0)},
    "disperger": {"kwh_t": (0.0, 100.0)},
    "peroxide": {"dose": (0.0, 30.0)},
    "dithionite": {"dose": (0.0, 10.0)},
}
PAPER_T = 140.0  # a tonne of bales, default
MEETS = 0.02


@dataclass(frozen=True, slots=True, kw_only=True)
class Moved:
    """One setting that the search moved: its name as the unit has it, what it is called, before and after."""

    setting: str
    called: str
    before: float
    after: float


@dataclass(frozen=True, slots=True, kw_only=True)
class Cheapest:
    moves: tuple[Moved, ...]
    found: LineFound
    saves: float  # a t made, against the line as it came
    binds: tuple[str, ...]


def all_cost(case: LineCase) -> float:
    """Chemicals, power, sludge and the paper itself, a tonne made."""
    after = run(case)
    return cost_of(case, after, PRICES) + PAPER_T / after[-1].total


def _levers(case: LineCase) -> list[tuple[int, str, float, float]]:
    return [(i, name, *limits) for i, s in enumerate(case.steps) for name, limits in RANGE.get(s.name, {}).items()]


def cheapest(case: LineCase, iso_pct: float) -> Cheapest | Infeasible:
    """The settings of least cost that end at a brightness or over it. Infeasible with the brightest that these steps reach."""
    levers = _levers(case)
    if not levers:
        return Infeasible(field="want", reason="has no step here that could move", nearest=run(case)[-1].iso_pct, unit="% ISO")

    def with_values(u: Array) -> LineCase:
        steps: list[Any] = list(case.steps)
        for (i, name, a, b), x in zip(levers, u, strict=True):
            steps[i] = replace(steps[i], **{name: float(a + (b - a) * x)})
        for i, s in enumerate(steps):
            if s.name == "peroxide":
                steps[i] = replace(s, ta=_alkali(s.dose, case.mechanical, s.minutes, s.temp_c))
        return replace(case, steps=tuple(steps))

    def iso(u: Array) -> float:
        return run(with_values(u))[-1].iso_pct

    from scipy.optimize import minimize  # a second to import: only who asks pays it

    now = np.clip(np.array([(getattr(case.steps[i], name) - a) / (b - a) for i, name, a, b in levers]), 0.0, 1.0)
    top = max((np.ones(len(levers)), now), key=iso)
    if iso(top) < iso_pct:
        return Infeasible(field="want", reason=f"{iso_pct:g} % is beyond these steps", nearest=iso(top), unit="% ISO")
    limits: Any = ({"type": "ineq", "fun": lambda u: iso(u) - iso_pct},)
    best: Array | None = None
    for start in (now, 0.5 * (now + top), top):
        answer = minimize(
            lambda u: all_cost(with_values(u)),
            start,
            method="SLSQP",
            bounds=[(0.0, 1.0)] * len(levers),
            constraints=limits,
            options={"maxiter": 40, "ftol": 1e-5, "eps": 1e-4},
        )
        for u in (np.clip(answer.x, 0.0, 1.0), start):
            better = best is None or all_cost(with_values(u)) < all_cost(with_values(best)) - 1e-9
            if iso(u) >= iso_pct - MEETS and better:
                best = u
    if best is None:
        return Infeasible(field="want", reason="was not met by the search", nearest=iso(now), unit="% ISO")
    made = with_values(best)
    moves = []
    for i, (was, is_) in enumerate(zip(case.steps, made.steps, strict=True), start=1):
        for name in (*RANGE.get(was.name, {}), *(("ta",) if was.name == "peroxide" else ())):
            a, b = getattr(was, name), getattr(is_, name)
            if abs(a - b) > 0.005:
                moves.append(Moved(setting=f"{name}.{i}", called=f"{was.called}, {_word(was.name, name)}", before=a, after=b))
    binds = [f"brightness, {iso_pct:g} %"] if abs(iso(best) - iso_pct) < 0.05 else []
    for (i, name, *_), x in zip(levers, best, strict=True):
        where = "at its least" if x < 0.005 else "at its most"
        if x < 0.005 or x > 0.995:
            binds.append(f"{case.steps[i].called}, {_word(case.steps[i].name, name)} {where}")
    return Cheapest(moves=tuple(moves), found=line(made), saves=all_cost(case) - all_cost(made), binds=tuple(binds))


def _word(kind: str, name: str) -> str:
    soap = "soap" if kind == "flotation" else kind
    return {"air": "air", "kwh_t": "energy", "ta": "alkali"}.get(name, soap)


def _alkali(dose: float, mechanical: float, minutes: float, temp_c: float) -> float:
    return best_alkali(dose, mechanical=mechanical, minutes=minutes, temp_c=temp_c)
