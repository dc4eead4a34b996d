"""The cook fitted to a mill's own blows: which coefficients, how sure, and what the cooks cannot tell.

Robust least squares with weak priors; the error of the charge enters kappa, residual and yield of a cook together. All cooks
are integrated side by side. Source: models, sections 3.4 and 9. A fit may be used only if its left-out error falls by 10 %.
"""

import itertools
import math
from collections.abc import Callable
from dataclasses import dataclass, fields, replace
from typing import Any, Final

import numpy as np

from core.cook.kinetic import Charge
from core.cook.pools import (
    Heats,
    NaOH_G,
    alkali_taken,
    gum_left,
    hydrosulphide,
    kappa_of,
    losses,
    march,
    pools_of,
    quickened,
)
from core.cook.profile import Points, read_log
from core.cook.species import DEFAULT, SPECIES, Fitted, Species, fitted
from core.cook.trust import LEAST_COOKS as LEAST
from core.cook.trust import Trust
from core.errors import Infeasible
from core.learn import ENOUGH_FOR_MORE, MOST_NEWTON, MUST_FALL, STEP, Array, Constant, Problem, rms, settle

STEPS = 60  # of a cook in time
SD_KAPPA, SD_RESIDUAL, SD_YIELD = 1.5, 1.0, 0.8
SD_EA, EA_STEP = 0.4, 0.5  # % NaOH on wood: what a charge is wrong by, by default; the step of its slopes


@dataclass(frozen=True, slots=True, kw_only=True)
class Blow:
    """A cook as it was run and what the laboratory found; nan where it was not tested."""

    charge: Charge
    points: Points
    kappa: float
    residual_g_l: float = float("nan")
    yield_pct: float = float("nan")


@dataclass(frozen=True, slots=True, kw_only=True)
class Coefficient(Constant):
    """One that may be fitted: its field of Fitted, its sign in the equations, its name in words, its bounds, the spread of its
    prior.

    `by`: the test that tells it, which eight cooks must have. `spread`: what must vary among the cooks, by how much.
    """

    by: str = ""
    spread: tuple[str, float] = ("", 0.0)


def _coefficient(field: str, sign: str, name: str, low: float, high: float, sd: float, **more: Any) -> Coefficient:
    default = float(getattr(DEFAULT, field))
    return Coefficient(field=field, sign=sign, name=name, low=low, high=high, sd=sd, default=default, **more)


FIRST: Final = (
    _coefficient("rate", "fm", "rate of bulk and residual lignin, factor", 0.5, 2.0, sd=0.3, in_log=True),
    _coefficient("carbohydrate", "C0", "carbohydrate, % on wood more", -4.0, 4.0, sd=2.0, by="yield"),
    _coefficient("alkali_carb", "aC", "alkali that carbohydrate takes, factor", 0.7, 1.3, sd=0.15, by="residual alkali"),
)
LATER: Final = (
    _coefficient("residual", "fr", "residual lignin, factor", 0.5, 2.0, sd=0.3, in_log=True, spread=("kappa", 8.0)),
    _coefficient("exponent", "exponent", "exponent of alkali", 0.10, 0.60, sd=0.10, spread=("EA", 2.0)),
    _coefficient("sulphide", "gS", "effect of sulphide, factor", 0.3, 2.0, sd=0.3, spread=("sulphidity", 8.0)),
    _coefficient("gum", "gum", "gum, % on wood more", -3.0, 5.0, sd=1.0, spread=("EA", 2.0)),
)
MOST_EVALUATIONS: Final = 2 * MOST_NEWTON  # of one choice of coefficients, and of one more where two are not told apart


@dataclass(frozen=True, slots=True, kw_only=True)
class Fit:
    """Coefficients, errors (rms kappa) with the default and fitted, left-out errors cook by cook, and every blow's kappas.

    `signs`: the coefficients fitted. `held`: of those that were not, which and why. `at_bound`: those that ended at a bound.
    """

    coefficients: Fitted
    signs: tuple[str, ...]
    n: int
    before: float
    after: float
    errors_left_out: tuple[float, ...]
    accepted: bool
    lab: tuple[float, ...]
    by_default: tuple[float, ...]
    by_fit: tuple[float, ...]
    held: tuple[str, ...]
    at_bound: tuple[str, ...]

    @property
    def trust(self) -> Trust:
        return Trust(n=self.n, fitted=len(self.signs), left_out=self.left_out)

    @property
    def left_out(self) -> float:
        return rms(np.array(self.errors_left_out))


def _columns(many: tuple[Species, ...]) -> Any:
    """Several species as one whose numbers are columns, a row each: the rates take them as they take plain numbers."""
    numbers = (f.name for f in fields(Species) if f.type is float)
    columns: dict[str, Any] = {name: np.array([[getattr(s, name)] for s in many]) for name in numbers}
    return replace(many[0], **columns)


class SideBySide:
    """Every blow on its own grid of equal steps, temperatures worked out once."""

    def __init__(self, species: str, blows: tuple[Blow, ...]) -> None:
        self.species = SPECIES[species]
        logs = [read_log(b.points)[0] for b in blows]
        ends = np.array([[log[0][0], log[-1][0]] for log in logs])
        self.lengths = [(ends[:, 1] - ends[:, 0]) / STEPS] * STEPS
        at = ends[:, :1] + (ends[:, 1:] - ends[:, :1]) * np.repeat(np.arange(STEPS), 3)[None, :] / STEPS
        at = at + self.lengths[0][:, None] * np.tile([0.0, 0.5, 1.0], STEPS)[None, :]
        along = [np.interp(x, [m for m, _ in log], [t for _, t in log]) for x, log in zip(at, logs, strict=True)]
        self.temps = np.array(along).T[:, None, :]  # half steps, sets of coefficients, blows
        self.lw = np.array([b.charge.lw_m3_t for b in blows])
        self.ea = np.array([b.charge.ea_pct_naoh for b in blows])
        self.sulphidity = np.array([b.charge.sulphidity_pct for b in blows])
        self.quinone = np.array([b.charge.aq_pct for b in blows])
        self.later = np.zeros((STEPS, len(blows)))  # shares of the EA by the step at whose end they are added
        for i, (b, (first, last)) in enumerate(zip(blows, ends, strict=True)):
            for minute, share in b.charge.additions:
                if first < minute <= last:
                    self.later[math.ceil(STEPS * (minute - first) / (last - first) - 1e-9) - 1, i] += share

    def run(self, coefficients: Fitted, ea_more: float = 0.0) -> Array:
        """kappa, residual g/L and yield % of every blow, shape (3, n), its EA by so much more, % NaOH."""
        return self.run_each((coefficients,), ea_more)[:, 0]

    def run_each(self, many: tuple[Fitted, ...], ea_more: float = 0.0) -> Array:
        """The same for many sets of coefficients at once, shape (3, sets, n)."""
        s = _columns(tuple(fitted(self.species, f) for f in many))
        heats = Heats.along(s, self.temps)
        ea = self.ea + ea_more
        more = quickened(s, hydrosulphide(ea, self.sulphidity, self.lw), self.quinone)
        k = list(zip(heats.fast, more * heats.bulk, more * heats.residual, heats.peeled, heats.slow, strict=True))

        def rates(i: int, pools: Array, alkali: Array) -> tuple[Array, Array]:
            lost = losses(s, k[i], pools, np.maximum(alkali, 0.0) / self.lw)
            return np.stack(lost), alkali_taken(s, lost)

        shape = (len(many), len(ea))
        start = np.stack([np.broadcast_to(pool, shape) for pool in pools_of(s)])
        whole = np.broadcast_to(ea * 10.0 / NaOH_G, shape)
        y, n = march(start, whole * (1.0 - self.later.sum(axis=0)), self.lengths, rates, whole * self.later[:, None, :])
        lignin, rest = y[:3].sum(axis=0), y[3:].sum(axis=0) + gum_left(s, y[0])
        return np.stack([kappa_of(lignin, rest, s.hexa), NaOH_G * n / self.lw, lignin + rest])


def _chosen(species: str, blows: tuple[Blow, ...]) -> tuple[list[Coefficient], list[str]]:
    """The coefficients that these cooks can tell, and why the others stay at their default."""
    tested = {"yield": [b.yield_pct for b in blows], "residual alkali": [b.residual_g_l for b in blows]}
    some, held = [], []
    for c in FIRST:
        if c.by and (n := int(np.isfinite(tested[c.by]).sum())) < LEAST:
            held.append(f"{c.sign}: {c.by} is tested in {n} of these cooks, {LEAST} at least tell it")
        else:
            some.append(c)
    varied = {
        "kappa": [b.kappa for b in blows],
        "EA": [b.charge.ea_pct_naoh for b in blows],
        "sulphidity": [b.charge.sulphidity_pct for b in blows],
    }
    for c in LATER:
        if c.field == "gum" and not SPECIES[species].gum:
            continue
        of, by = c.spread
        spread = max(varied[of]) - min(varied[of])
        if len(blows) < ENOUGH_FOR_MORE:
            held.append(f"{c.sign}: {ENOUGH_FOR_MORE} cooks at least")
        elif spread < by:
            held.append(f"{c.sign}: {of} varies by {spread:.1f}, {by:g} at least tells it")
        else:
            some.append(c)
    return some, held


def _whitened(side: SideBySide, tested: Array) -> Array:
    """By cook the 3 by 3 matrix that makes its errors of kappa, residual and yield independent and of size one."""
    slope = (side.run(DEFAULT, EA_STEP) - side.run(DEFAULT, -EA_STEP)) / (2.0 * EA_STEP)
    out = np.zeros((tested.shape[1], 3, 3))
    for i in range(tested.shape[1]):
        on = np.flatnonzero(tested[:, i])
        g = slope[on, i]
        v = np.diag(np.array([SD_KAPPA, SD_RESIDUAL, SD_YIELD])[on] ** 2) + SD_EA**2 * np.outer(g, g)
        out[i][np.ix_(on, on)] = np.linalg.inv(np.linalg.cholesky(v))
    return out


class _Cooks(Problem):
    """The least squares of one choice of coefficients: kappa, residual and yield of every cook."""

    def __init__(self, side: SideBySide, lab: Array, some: list[Coefficient], heard: Callable[[], None]) -> None:
        super().__init__(some)
        self.side, self.lab, self.heard = side, lab, heard
        self.tested = np.isfinite(lab)
        self.white = _whitened(side, self.tested)

    def coefficients(self, x: Array) -> Fitted:
        return replace(DEFAULT, **self.values(x))

    def errors(self, x: Array) -> Array:
        self.heard()
        return np.where(self.tested, self.side.run(self.coefficients(x)) - self.lab, 0.0)

    def slopes(self, x: Array) -> Array:
        sets = tuple(self.coefficients(y) for y in (x, *(x + STEP * np.eye(len(x)))))
        told = self.side.run_each(sets)
        return np.where(self.tested[:, None], (told[:, 1:] - told[:, :1]) / STEP, 0.0).transpose(1, 0, 2)


def told(coefficients: Fitted, signs: tuple[str, ...]) -> tuple[tuple[Coefficient, float, float, bool], ...]:
    """Every coefficient with its default, its value, and whether it was fitted."""
    return tuple(
        (c, float(getattr(DEFAULT, c.field)), float(getattr(coefficients, c.field)), c.sign in signs) for c in (*FIRST, *LATER)
    )


def fit(species: str, blows: tuple[Blow, ...], *, heard: Callable[[int], None] | None = None) -> Fit | Infeasible:
    """Fit a wood's coefficients to a mill's blows. `heard` is called with the evaluations done, for a progress display.

    Kappa alone cannot tell a rate from a steady error of the charge: the fit is to EA as it is titrated here. Two coefficients
    that the cooks do not tell apart: the second stays at its default. Infeasible under 8 blows.
    """
    if len(blows) < LEAST:
        return Infeasible(field="blows", reason=f"are {len(blows)}; a fit wants {LEAST} at least", nearest=LEAST)
    counted = itertools.count(1)
    side = SideBySide(species, blows)
    lab = np.array([[b.kappa, b.residual_g_l, b.yield_pct] for b in blows]).T
    some, held = _chosen(species, blows)
    done = settle(
        some, lambda few: _Cooks(side, lab, few, lambda: heard(next(counted)) if heard is not None else None), held=held
    )
    best, left_out = done.problem.coefficients(done.x), done.left_out[0]
    by_default, by_fit = side.run(DEFAULT)[0], side.run(best)[0]
    before = rms(by_default - lab[0])
    return Fit(
        coefficients=best,
        signs=done.signs,
        n=len(blows),
        before=before,
        after=rms(by_fit - lab[0]),
        errors_left_out=tuple(left_out.tolist()),
        accepted=rms(left_out) <= (1.0 - MUST_FALL) * before,
        lab=tuple(lab[0].tolist()),
        by_default=tuple(by_default.tolist()),
        by_fit=tuple(by_fit.tolist()),
        held=done.held,
        at_bound=done.at_bound,
    )
