"""Freeness constants from a mill's own log: E0, n and a by least squares with priors, judged by what is left out.

Source: recovered to delivery, section 7 (net energy, edge load, freeness in and out) and the rule of section 12: a fit is used
only where its left-out error is a tenth under the default's.
"""

import math
from dataclasses import dataclass
from typing import Final

import numpy as np
import numpy.typing as npt

from core.errors import Caution
from core.learn import MUST_FALL
from core.quantity import check, choice, figure, quantity, rows
from core.refine.furnish import FURNISHES, Furnish
from core.register import Check, model

Array = npt.NDArray[np.float64]
SCATTER_ML: Final = 10.0
SD: Final = (0.25, 0.15, 0.10)  # of ln E0, n, a
LEAST, SPAN = 8, 1.5
MOST_STEPS, SETTLED = 60, 1e-10


@dataclass(frozen=True, slots=True, kw_only=True)
class Log:
    """A line of the log."""

    kwh_t: float = quantity("Net energy", "kWh/t", possible=(0, 500), above=True, valid=(5, 250), decimals=1)
    sel: float = quantity("Edge load", "J/m", possible=(0, 20), above=True, valid=(0.2, 6), decimals=2)
    csf_in: float = quantity("Freeness in", "mL", possible=(20, 900), valid=(80, 750), decimals=0)
    csf_out: float = quantity("Freeness out", "mL", possible=(20, 900), valid=(80, 720), decimals=0)


@dataclass(frozen=True, slots=True, kw_only=True)
class LogCase:
    furnish: str = choice("Furnish", tuple(FURNISHES))
    rows: tuple[Log, ...] = rows("Pair", Log, least=3, most=400)


@dataclass(frozen=True, slots=True, kw_only=True)
class LogFound:
    e0: float = figure("E0", "kWh/t", decimals=1, equation="least squares, with its prior")
    n: float = figure("n", "", decimals=3, equation="least squares, with its prior")
    a: float = figure("a", "", decimals=3, equation="the same, where the log spans 1.5 times in edge load")
    before_ml: float = figure("Error by the default", "mL", decimals=2, equation="rms of the log")
    after_ml: float = figure("fitted", "mL", decimals=2, equation="rms of the log")
    left_out_ml: float = figure("each left out in turn", "mL", decimals=2, equation="rms of what was not fitted to")
    ln_e0_sd: float = figure("Spread of ln E0", "", decimals=3, equation="from the inverse of J'J")
    used: float = figure("May be used", "1: yes", decimals=0, equation="left out a tenth under the default")
    cautions: tuple[Caution, ...] = ()


def _out(p: Array, f: Furnish, log: Array) -> Array:
    """Freeness out by the constants (ln E0, n, a); log rows: energy, edge load, in, out."""
    e0, n, a = math.exp(p[0]), p[1], p[2]
    csf0 = np.maximum(f.csf0, log[:, 2])
    came = np.log((csf0 - f.csf_inf) / np.maximum(1e-9, log[:, 2] - f.csf_inf))
    u = np.maximum(came, 0.0) ** (1.0 / n) + log[:, 0] / (e0 * (log[:, 1] / f.sel) ** a)
    return np.asarray(f.csf_inf + (csf0 - f.csf_inf) * np.exp(-(u**n)))


def _residuals(p: Array, f: Furnish, log: Array, first: Array) -> Array:
    return np.concatenate([(log[:, 3] - _out(p, f, log)) / SCATTER_ML, (p - first) / np.array(SD)])


def _slopes(p: Array, f: Furnish, log: Array, first: Array, free: list[int]) -> Array:
    step = 1e-6
    columns = []
    for k in free:
        up, down = p.copy(), p.copy()
        up[k] += step
        down[k] -= step
        columns.append((_residuals(up, f, log, first) - _residuals(down, f, log, first)) / (2.0 * step))
    return np.array(columns).T


def _told(log: Array) -> list[int]:
    """Which constants the log can tell."""
    return [0, 1, 2] if log[:, 1].max() >= SPAN * log[:, 1].min() else [0, 1]


def _fitted(f: Furnish, log: Array, free: list[int]) -> Array:
    """Levenberg and Marquardt from the default."""
    first = np.array([math.log(f.e0), f.n, f.a])
    p, damping = first.copy(), 1e-3
    r = _residuals(p, f, log, first)
    for _ in range(MOST_STEPS):
        j = _slopes(p, f, log, first, free)
        h = j.T @ j
        step = -np.linalg.solve(h + damping * np.diag(np.diag(h)), j.T @ r)
        trial = p.copy()
        trial[free] += step
        trial[1] = max(0.3, trial[1])
        new = _residuals(trial, f, log, first)
        if float(new @ new) <= float(r @ r):
            done = float(np.abs(step).max()) < SETTLED
            p, r, damping = trial, new, damping / 5.0
            if done:
                break
        else:
            damping *= 5.0
            if damping > 1e9:
                break
    return p


def _rms(x: Array) -> float:
    return float(np.sqrt(np.mean(x**2)))


PAIRS: Final = tuple(  # eight freeness pairs of a softwood, the example of the fit
    {"kwh_t": e, "sel": s, "csf_in": i, "csf_out": o}
    for e, s, i, o in (
        (60, 2.4, 690, 598),
        (80, 2.6, 690, 560),
        (100, 2.5, 690, 508),
        (120, 2.5, 690, 452),
        (70, 3.2, 685, 560),
        (90, 1.8, 695, 556),
        (110, 2.2, 690, 492),
        (50, 2.8, 600, 520),
    )
)
_LOG = {"furnish": "softwood bleached kraft", "rows": PAIRS}


@model(
    "refine.fit",
    title="Refining fitted to the mill’s log",
    source="least squares with priors; left-one-out",
    holds_for="eight pairs or more over 1.5 times in energy",
    equation="Σ ((CSF − model)/10 mL)² + Σ ((p − default)/sd)² least",
    basis="published",
    checks=(
        Check(_LOG, "e0", 228.195, 5e-3),
        Check(_LOG, "n", 1.3335, 5e-3),
        Check(_LOG, "a", -0.2184, 5e-3),
        Check(_LOG, "before_ml", 40.05, 5e-3),
        Check(_LOG, "after_ml", 12.33, 5e-3),
        Check(_LOG, "left_out_ml", 17.14, 5e-3),
    ),
)
def fit(case: LogCase) -> LogFound:
    """The mill's own constants of a furnish, and whether they may be used. Raises: ImpossibleInput."""
    cautions = check(case)
    f = FURNISHES[case.furnish]
    log = np.array([(r.kwh_t, r.sel, r.csf_in, r.csf_out) for r in case.rows])
    first = np.array([math.log(f.e0), f.n, f.a])
    free = _told(log)
    p = _fitted(f, log, free)
    before, after = _rms(log[:, 3] - _out(first, f, log)), _rms(log[:, 3] - _out(p, f, log))
    gaps = []
    for i in range(len(log)):
        rest = np.delete(log, i, axis=0)
        one = log[i : i + 1]
        gaps.append(float((one[:, 3] - _out(_fitted(f, rest, free), f, one))[0]))
    left_out = _rms(np.array(gaps))
    j = _slopes(p, f, log, first, free)
    spread = math.sqrt(float(np.linalg.inv(j.T @ j)[0, 0]))
    enough = len(log) >= LEAST and log[:, 0].max() >= SPAN * log[:, 0].min()
    if not enough:
        cautions += (
            Caution("rows", f"are {len(log)}, or too alike in energy: {LEAST} or more over {SPAN:g} times are wanted"),
        )
    if 2 not in free:
        cautions += (Caution("rows", "hardly differ in edge load: a stays at its default"),)
    return LogFound(
        e0=math.exp(p[0]),
        n=float(p[1]),
        a=float(p[2]),
        before_ml=before,
        after_ml=after,
        left_out_ml=left_out,
        ln_e0_sd=spread,
        used=float(enough and left_out <= (1.0 - MUST_FALL) * before),
        cautions=cautions,
    )
