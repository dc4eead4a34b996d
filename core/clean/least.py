"""Least fibre lost at a required cleanliness: what each stage of a cascade is to reject, and which limits bind.

Sequential quadratic programming from the rejects as they stand and from those scaled until the cleanliness is met; limits of
each stage are its valid rejects, and for cleaners the thickest reject that a tip passes. Source: core.clean.cascade.
"""

from dataclasses import dataclass, replace
from typing import Any, Final

import numpy as np
import numpy.typing as npt

from core.clean.cascade import CascadeCase, CascadeFound, Stage, cascade, dirt, fed_of, solve
from core.clean.cleaner import PLUGS_PCT
from core.clean.screen import NEAR
from core.errors import Infeasible, NotSolved

Array = npt.NDArray[np.float64]
LIMITS: Final = {"cleaner": (0.05, 0.20), "light cleaner": (0.05, 0.40), "screen": (0.05, 0.35)}
MEETS_PPM, ROUGH = 1.0, 1e-6


@dataclass(frozen=True, slots=True, kw_only=True)
class Least:
    """Flow rejected by each stage, what the cascade does then, and the limits that bind."""

    rv: tuple[float, ...]
    found: CascadeFound
    binds: tuple[str, ...]

    @property
    def rv_pct(self) -> tuple[float, ...]:
        """Flow rejected by each stage, %."""
        return tuple(100.0 * v for v in self.rv)


def limits_of(s: Stage) -> tuple[float, float]:
    """Least and most that a stage may reject of its flow."""
    return LIMITS[s.kind]


def least_loss(case: CascadeCase, dirt_ppm: float) -> Least | Infeasible:
    """The rejects of least loss that leave at most `dirt_ppm` in what goes on.

    Infeasible with the cleanest that this cascade reaches. Raises: ImpossibleInput for a case that cannot be.
    """
    n, base = len(case.stages), cascade(case)
    low, high = (np.array([limits_of(s)[k] for s in case.stages]) for k in (0, 1))
    came = float(fed_of(case).sum())
    kept: dict[bytes, tuple[float, float, float, float]] = {}

    def with_rejects(rv: Array) -> CascadeCase:
        stages = tuple(replace(s, rv_pct=100.0 * float(v)) for s, v in zip(case.stages, rv, strict=True))
        return replace(case, stages=stages)

    def at(rv: Array) -> tuple[float, float, float, float]:
        """Loss, % of what came; dirt on, mg/kg; the thickest tip, %; the least margin of a basket to blinding."""
        key = rv.tobytes()
        if key not in kept:
            try:
                done = solve(with_rejects(rv), ROUGH)
            except NotSolved:
                return 100.0, 1e6, 100.0, -1.0
            tips = [r.reject_pct for s, r in zip(case.stages, done.stages, strict=True) if s.cones]
            margins = [r.margin.least for r in done.stages if r.margin is not None]
            lost, cleaned = 100.0 * sum(done.out) / came, 1e6 * dirt(done.on) / sum(done.on)
            kept[key] = lost, cleaned, max(tips, default=0.0), min(margins, default=1.0)
        return kept[key]

    cleanest = at(high)[1]
    if cleanest > dirt_ppm + MEETS_PPM:
        reason = f"{dirt_ppm:g} mg/kg is cleaner than these stages make at their most rejects"
        return Infeasible(field="dirt_ppm", reason=reason, nearest=cleanest, unit="mg/kg")
    from scipy.optimize import minimize  # a second to import: only who asks pays it

    now = np.clip(np.array([s.rv for s in case.stages]), low, high)
    loosest, nearest = max(PLUGS_PCT, at(now)[2]), min(NEAR, at(now)[3])  # what plugs or blinds today may not do so more
    asked: tuple[Any, ...] = (
        {"type": "ineq", "fun": lambda u: (dirt_ppm - at(u)[1]) / max(1.0, dirt_ppm)},
        {"type": "ineq", "fun": lambda u: loosest - at(u)[2]},
        {"type": "ineq", "fun": lambda u: at(u)[3] - nearest},
    )
    best: Array | None = None
    for start in (_scaled(now, low, high, lambda u: at(u)[1] - dirt_ppm), now, high):
        answer = minimize(
            lambda u: np.log(max(1e-9, at(u)[0])),
            start,
            method="SLSQP",
            bounds=list(zip(low, high, strict=True)),
            constraints=asked,
            options={"maxiter": 15, "ftol": 1e-6, "eps": 1e-4},
        )
        for u in (np.clip(answer.x, low, high), start):
            fits = at(u)[1] <= dirt_ppm + MEETS_PPM and at(u)[2] <= loosest + 1e-3 and at(u)[3] >= nearest - 1e-3
            if fits and (best is None or at(u)[0] < at(best)[0] - 1e-9):
                best = u
        if best is not None:
            break
    if best is None:
        reason = f"{dirt_ppm:g} mg/kg asks for rejects that plug tips or blind baskets"
        return Infeasible(field="dirt_ppm", reason=reason, nearest=base.dirt_out_ppm, unit="mg/kg")
    found = cascade(with_rejects(best))
    binds = [f"stage {i + 1} at its least, {100 * low[i]:g} %" for i in range(n) if best[i] < low[i] + 1e-3]
    binds += [f"stage {i + 1} at its most, {100 * high[i]:g} %" for i in range(n) if best[i] > high[i] - 1e-3]
    if abs(found.dirt_out_ppm - dirt_ppm) < 0.01 * dirt_ppm + MEETS_PPM:
        binds.insert(0, f"dirt, {dirt_ppm:g} mg/kg")
    if abs(at(best)[2] - loosest) < 0.02:
        binds.append(f"the tips, {loosest:.1f} %")
    if abs(at(best)[3] - nearest) < 2e-3:
        binds.append("the baskets, near blinding")
    return Least(rv=tuple(float(v) for v in best), found=found, binds=tuple(binds))


def _scaled(now: Array, low: Array, high: Array, over: Any) -> Array:
    """The rejects times the factor at which what is over just vanishes, found by halving; the most where none does."""
    a, b = 0.1, 10.0
    if over(np.clip(b * now, low, high)) > 0.0:
        return high
    for _ in range(18):
        mid = 0.5 * (a + b)
        a, b = (mid, b) if over(np.clip(mid * now, low, high)) > 0.0 else (a, mid)
    return np.clip(b * now, low, high)
