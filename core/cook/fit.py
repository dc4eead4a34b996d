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
    Array,
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

STEPS, STEP = 60, 1e-3  # of a cook in time; of a coefficient for its slope
MOST_NEWTON, SETTLED = 25, 1e-4
MUST_FALL = 0.10
SD_KAPPA, SD_RESIDUAL, SD_YIELD = 1.5, 1.0, 0.8
SD_EA, EA_STEP = 0.4, 0.5  # % NaOH on wood: what a charge is wrong by, by default; the step of its slopes
ENOUGH_FOR_MORE = 25
ALIKE = 0.95  # correlation from which two coefficients are not told apart


@dataclass(frozen=True, slots=True, kw_only=True)
class Blow:
    """A cook as it was run and what the laboratory found; nan where it was not tested."""

    charge: Charge
    points: Points
    kappa: float
    residual_g_l: float = float("nan")
    yield_pct: float = float("nan")


@dataclass(frozen=True, slots=True)
class Coefficient:
    """One that may be fitted: its field of Fitted, its sign in the equations, its name in words, its bounds, the spread of its
    prior.

    `in_log`: it is fitted by its logarithm, and its prior is there. `by`: the test that tells it, which eight cooks must have.
    `spread`: what must vary among the cooks, by how much.
    """

    field: str
    sign: str
    name: str
    low: float
    high: float
    sd: float
    in_log: bool = False
    by: str = ""
    spread: tuple[str, float] = ("", 0.0)


FIRST: Final = (
    Coefficient("rate", "fm", "rate of bulk and residual lignin, factor", 0.5, 2.0, sd=0.3, in_log=True),
    Coefficient("carbohydrate", "C0", "carbohydrate, % on wood more", -4.0, 4.0, sd=2.0, by="yield"),
    Coefficient("alkali_carb", "aC", "alkali that carbohydrate takes, factor", 0.7, 1.3, sd=0.15, by="residual alkali"),
)
LATER: Final = (
    Coefficient("residual", "fr", "residual lignin, factor", 0.5, 2.0, sd=0.3, in_log=True, spread=("kappa", 8.0)),
    Coefficient("exponent", "exponent", "exponent of alkali", 0.10, 0.60, sd=0.10, spread=("EA", 2.0)),
    Coefficient("sulphide", "gS", "effect of sulphide, factor", 0.3, 2.0, sd=0.3, spread=("sulphidity", 8.0)),
    Coefficient("gum", "gum", "gum, % on wood more", -3.0, 5.0, sd=1.0, spread=("EA", 2.0)),
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
        return _rms(np.array(self.errors_left_out))


def _rms(x: Array) -> float:
    return float(np.sqrt(np.mean(x**2)))


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
        y, n = march(start, np.broadcast_to(ea * 10.0 / NaOH_G, shape), self.lengths, rates)
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


def _prior(d: Array) -> Array:
    """A prior's distance so that the softened loss makes a plain square of it: a prior is no outlier."""
    return np.sign(d) * np.sqrt((1.0 + d**2 / 2.0) ** 2 - 1.0)


class _Problem:
    """The least squares of one choice of coefficients: x holds them, those in the log by their logarithm."""

    def __init__(self, side: SideBySide, lab: Array, some: list[Coefficient], heard: Callable[[], None]) -> None:
        self.side, self.lab, self.some, self.heard = side, lab, some, heard
        self.tested = np.isfinite(lab)
        self.white = _whitened(side, self.tested)
        self.sd = np.array([c.sd for c in some])
        self.start = np.array([0.0 if c.in_log else getattr(DEFAULT, c.field) for c in some])
        self.low, self.high = (
            np.array([math.log(getattr(c, end)) if c.in_log else getattr(c, end) for c in some]) for end in ("low", "high")
        )

    def coefficients(self, x: Array) -> Fitted:
        return replace(DEFAULT, **{c.field: float(math.exp(v) if c.in_log else v) for c, v in zip(self.some, x, strict=True)})

    def errors(self, x: Array) -> Array:
        """Model minus laboratory, shape (3, n), 0 where it was not tested."""
        self.heard()
        return np.where(self.tested, self.side.run(self.coefficients(x)) - self.lab, 0.0)

    def slopes(self, x: Array) -> Array:
        """How the errors move a unit of each of x, shape (p, 3, n)."""
        sets = tuple(self.coefficients(y) for y in (x, *(x + STEP * np.eye(len(x)))))
        told = self.side.run_each(sets)
        return np.where(self.tested[:, None], (told[:, 1:] - told[:, :1]) / STEP, 0.0).transpose(1, 0, 2)

    def jacobian(self, x: Array) -> Array:
        """Of `rows`; the priors' rows are straight but for the softening taken back."""
        z = np.einsum("ijk,pki->ijp", self.white, self.slopes(x)).reshape(-1, len(x))
        d = (x - self.start) / self.sd
        by = np.where(np.abs(d) < 1e-6, 1.0, np.abs(d) * (1.0 + d**2 / 2.0) / np.maximum(np.abs(_prior(d)), 1e-12))
        return np.concatenate([z, np.diag(by / self.sd)])

    def rows(self, x: Array) -> Array:
        z = np.einsum("ijk,ki->ij", self.white, self.errors(x)).ravel()
        return np.concatenate([z, _prior((x - self.start) / self.sd)])

    def left_out(self, x: Array) -> tuple[Array, Array]:
        """Kappa errors, laboratory minus the model fitted without that cook, by leverage; and the coefficients' correlation."""
        errors = self.errors(x)
        slope = self.slopes(x)
        z = np.einsum("ijk,ki->ij", self.white, errors)
        jac = np.einsum("ijk,pki->ijp", self.white, slope)
        weight = 1.0 / np.sqrt(1.0 + z**2)
        each = np.einsum("ijp,ij,ijq->ipq", jac, weight, jac)
        whole = each.sum(axis=0) + np.diag(1.0 / self.sd**2)
        pull = np.einsum("ijp,ij,ij->ip", jac, weight, z)
        moved = np.stack([np.linalg.solve(whole - h, g) for h, g in zip(each, pull, strict=True)])
        cov = np.linalg.inv(whole)
        size = np.sqrt(np.diag(cov))
        return -(errors[0] + np.einsum("pi,ip->i", slope[:, 0], moved)), cov / np.outer(size, size)


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
    from scipy.optimize import least_squares  # half a second to import: only a fit pays it

    counted = itertools.count(1)
    side = SideBySide(species, blows)
    lab = np.array([[b.kappa, b.residual_g_l, b.yield_pct] for b in blows]).T
    some, held = _chosen(species, blows)
    while True:
        problem = _Problem(side, lab, some, lambda: heard(next(counted)) if heard is not None else None)
        result = least_squares(
            problem.rows,
            problem.start,
            problem.jacobian,
            bounds=(problem.low, problem.high),
            loss="soft_l1",
            x_scale=problem.sd,
            max_nfev=MOST_NEWTON,
            ftol=SETTLED,
            xtol=SETTLED,
        )
        left_out, alike = problem.left_out(result.x)
        pairs = [(i, j) for j in range(1, len(some)) for i in range(j) if abs(alike[i, j]) > ALIKE]
        if not pairs:
            break
        i, j = max(pairs, key=lambda p: abs(alike[p]))
        held.append(f"{some[j].sign}: these cooks do not tell it from {some[i].sign}")
        some = [c for c in some if c is not some[j]]
    best = problem.coefficients(result.x)
    by_default, by_fit = side.run(DEFAULT)[0], side.run(best)[0]
    room = 1e-3 * (problem.high - problem.low)
    at_bound = (result.x - problem.low < room) | (problem.high - result.x < room)
    before = _rms(by_default - lab[0])
    return Fit(
        coefficients=best,
        signs=tuple(c.sign for c in some),
        n=len(blows),
        before=before,
        after=_rms(by_fit - lab[0]),
        errors_left_out=tuple(left_out.tolist()),
        accepted=_rms(left_out) <= (1.0 - MUST_FALL) * before,
        lab=tuple(lab[0].tolist()),
        by_default=tuple(by_default.tolist()),
        by_fit=tuple(by_fit.tolist()),
        held=tuple(held),
        at_bound=tuple(c.sign for c, on in zip(some, at_bound, strict=True) if on),
    )
