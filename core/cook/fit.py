"""Fitting the cook to a mill's own blows: mb, C0 and aC by robust least squares, error before and after, one left out.

Source: models, section 9. All cooks are integrated side by side, each in its own steps. Fitted is accepted only if the
one-left-out error falls by 10 %; the published default stays selectable.
"""

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from core.cook.kinetic import Charge
from core.cook.profile import Points, read_log
from core.cook.species import A_LIGNIN, SPECIES, Fitted
from core.errors import Infeasible

Array = npt.NDArray[np.float64]
LEAST = 8
STEPS = 150
MOST_NEWTON = 25
MOST_EVALUATIONS = 4 * MOST_NEWTON  # each step asks once, and once more a coefficient
MUST_FALL = 0.10
BOUNDS = ((0.3, -4.0, 0.7), (3.0, 4.0, 1.3))
SD_KAPPA, SD_RESIDUAL, SD_YIELD = 1.5, 1.0, 0.6


@dataclass(frozen=True, slots=True, kw_only=True)
class Blow:
    """A cook as it was run and what the laboratory found; nan where it was not tested."""

    charge: Charge
    points: Points
    kappa: float
    residual_g_l: float = float("nan")
    yield_pct: float = float("nan")


@dataclass(frozen=True, slots=True, kw_only=True)
class Fit:
    """Coefficients, errors (rms kappa) with the default and fitted, one left out (by leverage), and every blow's kappas."""

    coefficients: Fitted
    n: int
    before: float
    after: float
    left_out_before: float
    left_out_after: float
    accepted: bool
    lab: tuple[float, ...]
    by_default: tuple[float, ...]
    by_fit: tuple[float, ...]
    at_bound: tuple[str, ...]


class _SideBySide:
    """Every blow on its own grid of equal steps, temperatures worked out once."""

    def __init__(self, species: str, blows: tuple[Blow, ...]) -> None:
        self.s = SPECIES[species]
        logs = [read_log(b.points)[0] for b in blows]
        self.h = np.array([(log[-1][0] - log[0][0]) / STEPS for log in logs])
        grid = (
            np.array(
                [
                    np.interp(np.linspace(log[0][0], log[-1][0], 2 * STEPS + 1), [m for m, _ in log], [t for _, t in log])
                    for log in logs
                ]
            ).T
            + 273.15
        )
        self.lw = np.array([b.charge.lw_m3_t for b in blows])
        ea = np.array([b.charge.ea_pct_naoh for b in blows])
        sulphidity = np.array([b.charge.sulphidity_pct for b in blows])
        hs = ea / (1 - sulphidity / 200) * sulphidity / 100 * 10 / 80 / self.lw
        aq = 1 + 3 * np.sqrt(np.array([b.charge.aq_pct for b in blows]))
        s = self.s
        self.n0 = ea * 10 / 40
        self.initial = s.mi * 36.2 * np.sqrt(grid) * np.exp(-4807.69 / grid)
        self.bulk_oh = aq * np.exp(35.19 - 17200 / grid)
        self.bulk_hs = aq * np.exp(29.23 - 14400 / grid) * hs**0.4
        self.residual = s.mr * np.exp(19.64 - 10804 / grid)

    def run(self, mb: float, carbohydrate: float, alkali: float) -> tuple[Array, Array, Array]:
        """kappa, yield, residual g/L of every blow with factors on mb and aC and points on C0."""
        s, size = self.s, len(self.h)
        limits = np.array([s.bulk_from, s.residual_from, -1.0])
        a_c = s.alkali_carb * alkali

        def rates(i: int, y: Array, phase: npt.NDArray[np.int64]) -> Array:
            lignin, oh = y[0], np.maximum(y[2], 0.0) / self.lw
            power = oh**0.11
            first = self.initial[i] * lignin * ((np.maximum(oh, 1e-12) / 0.5) ** s.pi if s.pi else 1.0) * (oh > 0)
            bulk = s.mb * mb * (self.bulk_oh[i] * oh + self.bulk_hs[i] * np.sqrt(oh)) * lignin
            last = self.residual[i] * oh**0.7 * lignin
            r = np.where(phase == 0, first, np.where(phase == 1, bulk, last))
            c = np.where(phase == 0, s.ci * power, np.where(phase == 1, s.cb, s.cr))
            return np.stack([-r, -c * r, -10 * (A_LIGNIN + a_c * c) * r])

        def advance(i: int, y: Array, h: Array, phase: npt.NDArray[np.int64]) -> Array:
            a = rates(i, y, phase)
            b = rates(i + 1, y + h / 2 * a, phase)
            c = rates(i + 1, y + h / 2 * b, phase)
            d = rates(i + 2, y + h * c, phase)
            return y + h / 6 * (a + 2 * b + 2 * c + d)

        y = np.stack([np.full(size, s.lignin), np.full(size, s.carbohydrate + carbohydrate), self.n0])
        phase = np.full(size, int(np.argmax(s.lignin > limits)))
        for k in range(STEPS):
            new = advance(2 * k, y, self.h, phase)
            crossing = (phase < 2) & (new[0] <= limits[phase])
            if crossing.any():  # those that cross land on their limit by regula falsi, then finish the step in the next phase
                part = np.where(crossing, self.h * (y[0] - limits[phase]) / np.maximum(y[0] - new[0], 1e-12), self.h)
                landed = advance(2 * k, y, part, phase)
                part = np.where(crossing, part * (y[0] - limits[phase]) / np.maximum(y[0] - landed[0], 1e-12), self.h)
                landed = advance(2 * k, y, part, phase)
                phase = phase + crossing
                new = np.where(crossing, advance(2 * k, landed, self.h - part, phase), new)
            y = new
        kappa = 100 * y[0] / (y[0] + y[1]) / 0.15 + s.hexa
        return kappa, y[0] + y[1], 40 * np.maximum(y[2], 0) / self.lw


def fit(species: str, blows: tuple[Blow, ...], *, told: Callable[[int], None] | None = None) -> Fit | Infeasible:
    """Fit three coefficients to a mill's blows. Infeasible under 8. `told` hears the evaluations done, for a progress
    display."""
    if len(blows) < LEAST:
        return Infeasible(field="blows", reason=f"are {len(blows)}; a fit wants {LEAST} at least", nearest=LEAST)
    side = _SideBySide(species, blows)
    lab = np.array([b.kappa for b in blows])
    total, left = np.array([b.yield_pct for b in blows]), np.array([b.residual_g_l for b in blows])
    tested_y, tested_r = np.isfinite(total), np.isfinite(left)
    count = 0

    def misses(x: Array) -> Array:
        nonlocal count
        count += 1
        if told is not None:
            told(count)
        kappa, made, rest = side.run(float(x[0]), float(x[1]), float(x[2]))
        prior = np.array(
            [(x[0] - 1.0) / 1.0, x[1] / 4.0, (x[2] - 1.0) / 0.3]
        )  # weak: keeps what the tests do not tell near its default
        return np.concatenate(
            [(kappa - lab) / SD_KAPPA, ((made - total) / SD_YIELD)[tested_y], ((rest - left) / SD_RESIDUAL)[tested_r], prior]
        )

    from scipy.optimize import least_squares  # half a second to import: only a fit pays it

    start = np.array([1.0, 0.0, 1.0])
    found = least_squares(
        misses, start, bounds=BOUNDS, loss="soft_l1", x_scale=(0.2, 1.0, 0.1), diff_step=1e-3, max_nfev=MOST_NEWTON
    )
    mb, carbohydrate, alkali = (float(v) for v in found.x)
    by_default, by_fit = side.run(1.0, 0.0, 1.0)[0], side.run(mb, carbohydrate, alkali)[0]
    n = len(blows)
    jac = found.jac[:n]
    leverage = np.clip(np.einsum("ij,jk,ik->i", jac, np.linalg.pinv(found.jac.T @ found.jac), jac), 0.0, 0.95)

    def rms(x: Array) -> float:
        return float(np.sqrt(np.mean(x**2)))

    before, after = rms(by_default - lab), rms(by_fit - lab)
    left_out = rms((by_fit - lab) / (1.0 - leverage))
    names, (lows, highs) = ("mb", "C0", "aC"), BOUNDS
    bound = tuple(
        name for name, v, lo, hi in zip(names, found.x, lows, highs, strict=True) if min(v - lo, hi - v) < 1e-3 * (hi - lo)
    )
    return Fit(
        coefficients=Fitted(mb=mb, carbohydrate=carbohydrate, alkali_carb=alkali),
        n=n,
        before=before,
        after=after,
        left_out_before=before,
        left_out_after=left_out,
        accepted=left_out <= (1.0 - MUST_FALL) * before,
        lab=tuple(lab.tolist()),
        by_default=tuple(by_default.tolist()),
        by_fit=tuple(by_fit.tolist()),
        at_bound=bound,
    )
