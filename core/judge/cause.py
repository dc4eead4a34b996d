"""What changed before a reading: how much of its drift each upstream change explains, how sure that is, and what nobody has
explained.

A drift is the mean of the reading now less its mean before. Each cause is carried to the reading by the fibre's own transit (a
plug, then a mixed vessel), its change is turned into the reading's unit by a model's sensitivity, and one linear, Gaussian
split makes parts, rest and noise add up to the drift. It proposes where to look; it accuses nobody. Source: shift practice,
section 5.6.
"""

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Final

import numpy as np

from core.errors import Caution, ImpossibleInput, Infeasible, Problem
from core.judge.chart import D2, PHI_HIGH, autocorrelation, sigma_true
from core.quantity import check, figure, quantity, rows
from core.register import Check, model
from core.stream import Vector

DRIFTS, LIKELY, POSSIBLE, SURPRISED = 2.0, 2.0, 1.0, 3.0  # times an sd
UNEXPLAINED_PCT, ONE_OF = 50.0, -0.7
MODEL_OFF: Final = 0.30  # of a sensitivity, while its model is a default
MOST_CAUSES: Final = 40
WIDE: Final = 1.96


def weights(times: Sequence[float] | Vector, at: float, delay_h: float, tau_h: float) -> Vector:
    """How much each value of a series counts in what arrives at a time, (n,), summing to 1.

    `times`: when each value began to hold, ascending, h; the first holds for ever before. `delay_h` of plug, then one mixed
    vessel of `tau_h` (0: none). All nought where the series is empty.
    """
    t = np.asarray(times, dtype=float)
    if not len(t):
        return np.zeros(0)
    u = at - delay_h
    edges = np.minimum(np.append(t[1:], math.inf), u)  # where each value stops to count
    if tau_h <= 0.0:
        told = np.zeros(len(t))
        told[max(0, int(np.searchsorted(t, u, side="right")) - 1)] = 1.0
        return told
    upto = np.exp(-(u - edges) / tau_h)
    return np.diff(np.append(0.0, upto))


@dataclass(frozen=True, slots=True, kw_only=True)
class Held:
    """A value and since when it holds."""

    from_h: float = quantity("Holds from", "h", possible=(-1e5, 1e5), decimals=2)
    value: float = quantity("Value", "", possible=(-1e9, 1e9), decimals=3)


@dataclass(frozen=True, slots=True, kw_only=True)
class TransitCase:
    held: tuple[Held, ...] = rows("Value", Held, most=60)
    at_h: float = quantity("Read at", "h", possible=(-1e5, 1e5), decimals=2)
    delay_h: float = quantity("On the way, as a plug", "h", possible=(0, 1000), decimals=2)
    tau_h: float = quantity("then in a mixed vessel", "h", possible=(0, 1000), decimals=2, default=0.0)


@dataclass(frozen=True, slots=True, kw_only=True)
class TransitFound:
    met: float = figure("What the reading met", "", decimals=3, equation="Σ x [e^(−(u−hi)/τ) − e^(−(u−lo)/τ)]")
    cautions: tuple[Caution, ...] = ()


@model(
    "cause.transit",
    title="What a reading met of a change upstream",
    source="a plug and one mixed vessel",
    holds_for="flow that stood still on the way",
    equation="x̄ = ∫ x(t − s) h(s) ds",
    symbols="t=at_h τ=tau_h delay=delay_h",
    checks=(
        Check(
            {
                "held": [{"from_h": 0, "value": 30}, {"from_h": 2, "value": 33}, {"from_h": 5, "value": 31}],
                "at_h": 7,
                "delay_h": 1.5,
                "tau_h": 2,
            },
            "met",
            32.0363,
            1e-5,
        ),
    ),
)
def transit(case: TransitCase) -> TransitFound:
    """Raises: ImpossibleInput."""
    cautions = check(case)
    held = sorted(case.held, key=lambda h: h.from_h)
    by = weights([h.from_h for h in held], case.at_h, case.delay_h, case.tau_h)
    return TransitFound(met=float(by @ np.array([h.value for h in held])), cautions=cautions)


def scatter(values: Sequence[float]) -> float:
    """Short-term sigma of a series, neighbours alike counted; 0 for fewer than three."""
    if len(values) < 3:
        return 0.0
    ranges = np.abs(np.diff(np.asarray(values, dtype=float)))
    phi = autocorrelation(values)
    mean = float(ranges.mean())
    return sigma_true(mean, phi) if phi > PHI_HIGH and mean > 0.0 else mean / D2


@dataclass(frozen=True, slots=True)
class Drift:
    """The mean of a reading now less its mean before, with the sd of that: `now` results against `before`."""

    d: float
    sd: float
    now: int
    before: int
    sigma: float

    @property
    def seen(self) -> bool:
        return abs(self.d) > DRIFTS * self.sd


def drift_of(values: Sequence[float], now: int, sigma: float) -> Drift | Infeasible:
    """The drift of the last `now` of these values against as many before them (at least three where there are)."""
    before = values[max(0, len(values) - now - max(now, 3)) : len(values) - now]
    if now < 1 or not before:
        return Infeasible(field="results", reason="are too few: a drift needs results now and before")
    if sigma <= 0.0:
        return Infeasible(field="results", reason="do not scatter: nothing tells a drift from chance")
    d = float(np.mean(values[-now:]) - np.mean(before))
    return Drift(d, sigma * math.sqrt(1.0 / now + 1.0 / len(before)), now, len(before), sigma)


@dataclass(frozen=True, slots=True, kw_only=True)
class Cause:
    """One cause: how far it moved by what the reading met, and what the reading moves with it."""

    moved: float = quantity("It moved by", "", possible=(-1e9, 1e9), decimals=3)
    moved_sd: float = quantity("that is sure within (sd)", "", possible=(0, 1e9), decimals=3, default=0.0)
    gain: float = quantity("The reading a unit of it", "", possible=(-1e9, 1e9), decimals=4)
    gain_sd: float = quantity("that is sure within (sd)", "", possible=(0, 1e9), decimals=4, default=0.0)


@dataclass(frozen=True, slots=True, kw_only=True)
class Together:
    """Two causes that stand on one measurement: the covariance of what they moved by."""

    one: float = quantity("Cause number", "", possible=(1, MOST_CAUSES), decimals=0, whole=True)
    other: float = quantity("and cause number", "", possible=(1, MOST_CAUSES), decimals=0, whole=True)
    covariance: float = quantity("Moved together (covariance)", "", possible=(-1e12, 1e12), decimals=4)


@dataclass(frozen=True, slots=True, kw_only=True)
class SplitCase:
    causes: tuple[Cause, ...] = rows("Cause", Cause, most=MOST_CAUSES)
    drift: float = quantity("The reading drifted by", "", possible=(-1e9, 1e9), decimals=3)
    drift_sd: float = quantity("that is sure within (sd)", "", possible=(0, 1e9), decimals=3)
    rest_sd: float = quantity("What is not measured moves it by (sd)", "", possible=(0, 1e9), above=True, decimals=3)
    together: tuple[Together, ...] = rows("Together", Together, least=0, most=200)


@dataclass(frozen=True, slots=True, kw_only=True)
class Split:
    forecast: float = figure("By the causes alone", "", decimals=3, equation="Σ gain × moved")
    surprise: float = figure("Surprise", "sd", decimals=2, equation="(drift − forecast)/√S")
    first: float = figure("Part of the first cause", "", decimals=4, equation="c + K (drift − Σ c)")
    first_sd: float = figure("sure within (sd)", "", decimals=4)
    rest: float = figure("Rest, unexplained", "", decimals=4)
    rest_sd: float = figure("sure within (sd)", "", decimals=4)
    noise: float = figure("Noise of the reading", "", decimals=4)
    unexplained_pct: float = figure("Unexplained", "%", decimals=2, equation="100 rest/drift")
    parts: tuple[tuple[float, float], ...] = ()  # of every cause: part, sd
    one_of: tuple[tuple[int, int], ...] = ()  # causes that cannot be told apart
    cautions: tuple[Caution, ...] = ()

    @property
    def sums_to(self) -> float:
        """Parts, rest and noise together: the drift."""
        return sum(part for part, _ in self.parts) + self.rest + self.noise


def _checked(field: str, expected: float) -> Check:
    causes = [
        {"moved": 0.4, "moved_sd": 0.15, "gain": -1.5},
        {"moved": 1.2, "moved_sd": 0.5, "gain": 0.8},
        {"moved": -2.0, "moved_sd": 0.6, "gain": -0.25},
    ]
    return Check({"causes": causes, "drift": 3.0, "drift_sd": 0.4, "rest_sd": 1.0}, field, expected, 2e-4)


def _second(field: str, expected: float) -> Check:
    causes = [
        {"moved": -0.3, "moved_sd": 0.1, "gain": -6.0, "gain_sd": 1.5},
        {"moved": 1.0, "moved_sd": 0.4, "gain": 0.9, "gain_sd": 0.2},
    ]
    return Check({"causes": causes, "drift": 2.4, "drift_sd": 0.6, "rest_sd": 0.8}, field, expected, 2e-4)


def split(
    gains: Vector, moved: Vector, covariance: Vector, gain_sds: Vector, drift: float, drift_sd: float, rest_sd: float
) -> tuple[Vector, Vector, float]:
    """Parts of every cause, the rest and the noise (n + 2,), their covariance, and the surprise in sd.

    `covariance` (n, n) of what the causes moved by; causes that share a meter have one.
    """
    prior = np.concatenate([gains * moved, [0.0, 0.0]])
    size = len(prior)
    p = np.zeros((size, size))
    p[:-2, :-2] = np.outer(gains, gains) * covariance + np.diag((moved * gain_sds) ** 2)
    p[-2, -2], p[-1, -1] = rest_sd**2, drift_sd**2
    ones = np.ones(size)
    s = float(ones @ p @ ones)
    k = p @ ones / s
    off = drift - float(prior.sum())
    return prior + k * off, p - np.outer(k, ones @ p), off / math.sqrt(s)


@model(
    "cause.split",
    title="How a drift is shared among what changed before it",
    source="linear, Gaussian split of a drift",
    holds_for="small changes about one point; gains are the models’ own, within 30 % while these are defaults",
    equation="parts = c + K (drift − Σ c); K = P 1/(1ᵀ P 1)",
    basis="default",
    checks=(
        _checked("forecast", 0.8600),
        _checked("surprise", 1.8131),
        _checked("first", -0.5222),
        _checked("first_sd", 0.2209),
        _checked("rest", 1.5361),
        _checked("rest_sd", 0.5312),
        _checked("noise", 0.2458),
        _checked("unexplained_pct", 51.20),
        _second("first", 1.7026),
        _second("first_sd", 0.6163),
        Check(_second("rest", -0.1108).given, "rest", -0.1108, 1e-3),
        Check(
            {"causes": [{"moved": 1.5, "gain": 2.0}], "drift": 4.0, "drift_sd": 0.0, "rest_sd": 0.5},
            "unexplained_pct",
            25.0,
            1e-9,
        ),
    ),
)
def split_drift(case: SplitCase) -> Split:
    """Every part, the rest and the noise, which add up to the drift; parts in the order of the causes, each with its sd.

    Raises: ImpossibleInput, also for causes together that are none.
    """
    cautions = check(case)
    told = case.causes
    gains, moved = np.array([c.gain for c in told]), np.array([c.moved for c in told])
    covariance = np.diag([c.moved_sd**2 for c in told])
    for pair in case.together:
        i, j = round(pair.one) - 1, round(pair.other) - 1
        if max(i, j) >= len(told) or i == j:
            raise ImpossibleInput(Problem("together", f"names causes {pair.one:g} and {pair.other:g} of {len(told)}"))
        covariance[i, j] = covariance[j, i] = pair.covariance
    parts, cov, surprise = split(
        gains, moved, covariance, np.array([c.gain_sd for c in told]), case.drift, case.drift_sd, case.rest_sd
    )
    sds, n = np.sqrt(np.maximum(0.0, np.diag(cov))), len(told)
    like = [
        (i, j)
        for i in range(n)
        for j in range(i + 1, n)
        if sds[i] > 0.0 and sds[j] > 0.0 and cov[i, j] / (sds[i] * sds[j]) < ONE_OF
    ]
    return Split(
        forecast=float(gains @ moved),
        surprise=surprise,
        first=float(parts[0]),
        first_sd=float(sds[0]),
        rest=float(parts[-2]),
        rest_sd=float(sds[-2]),
        noise=float(parts[-1]),
        unexplained_pct=100.0 * float(parts[-2]) / case.drift if case.drift else 0.0,
        parts=tuple((float(p), float(sd)) for p, sd in zip(parts[:n], sds[:n], strict=True)),
        one_of=tuple(like),
        cautions=cautions,
    )


def seen_as(part: float, sd: float) -> str:
    """What a part is called: likely, possible, or not seen."""
    if abs(part) > LIKELY * sd and part != 0.0:
        return "likely"
    return "possible" if abs(part) > POSSIBLE * sd and part != 0.0 else "not seen"
