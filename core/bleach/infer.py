"""Between samples: when what enters leaves, a meter's bias by its pairs, the honest band, and feed-forward with feedback.

Source: accounts and gaps, section 7 (steady Kalman gain of a random walk; first in first out by volume drawn).
"""

import math
from collections.abc import Sequence
from dataclasses import dataclass

from core.errors import Caution, ImpossibleInput, Infeasible, Problem
from core.quantity import check, figure, quantity
from core.register import Check, model


def exit_time(enters_h: float, volume_m3: float, flows: Sequence[tuple[float, float]]) -> float | Infeasible:
    """Hour at which a plug that entered leaves: the volume drawn since equals what lay before it.

    `flows`: (from hour, m3/h) in order of time, the last one lasting. Infeasible when nothing flows. Raises: ImpossibleInput.
    """
    if not flows or any(q < 0.0 for _, q in flows) or any(b[0] <= a[0] for a, b in zip(flows, flows[1:], strict=False)):
        raise ImpossibleInput(Problem("flows", "must be in order of time, none under 0"))
    left, at = volume_m3, enters_h
    for i, (_, q) in enumerate(flows):
        end = flows[i + 1][0] if i + 1 < len(flows) else math.inf
        if end <= at:
            continue
        span = end - at
        if q * span >= left and q > 0.0:
            return at + left / q
        left, at = left - q * span if q > 0.0 else left, end
        if math.isinf(end):
            break
    return Infeasible(field="flows", reason="stand still: what is in the tower never leaves")


def gain(q: float, r: float) -> tuple[float, float, float]:
    """(P before a result, Kalman gain, P after it) of a drifting bias; q drift variance an interval, r laboratory variance."""
    if q < 0.0 or r <= 0.0:
        raise ImpossibleInput(Problem("q" if q < 0.0 else "r", "cannot be so: drift at least 0, laboratory variance above 0"))
    p = 0.5 * (q + math.sqrt(q * q + 4.0 * q * r))
    lam = p / (p + r)
    return p, lam, p * r / (p + r)


def track(pairs: Sequence[tuple[float, float]], share: float, bias: float = 0.0) -> tuple[float, ...]:
    """The bias after each (laboratory, meter) pair: b + share (lab − meter − b)."""
    result = []
    for lab, meter in pairs:
        bias += share * (lab - (meter + bias))
        result.append(bias)
    return tuple(result)


def feed_forward(wanted: float, model_at: float, slope: float, offset: float) -> float:
    """Change of charge for the parcel at the mixer: (wanted − offset − model)/slope."""
    if slope == 0.0:
        raise ImpossibleInput(Problem("slope", "is 0; a charge without effect moves nothing"))
    return (wanted - offset - model_at) / slope


def learnt(offset: float, measured: float, modelled: float, share: float = 0.3) -> float:
    """The offset after one matched result: d + 0.3 (measured − (model at the parcel's inputs + d)), so that it dies out."""
    return offset + share * (measured - (modelled + offset))


@dataclass(frozen=True, slots=True, kw_only=True)
class TransitCase:
    volume_m3: float = quantity("Tower as full as it is", "m³", possible=(0, 10000), above=True, decimals=0)
    q1: float = quantity("Flow now", "m³/h", possible=(0, 5000), decimals=0)
    q2: float = quantity("Flow then", "m³/h", possible=(0, 5000), decimals=0)
    change_h: float = quantity("changes in", "h", possible=(0, 1000), decimals=2, default=1000.0)
    mixed: float = quantity("Part that is mixed", "share", possible=(0, 1), valid=(0, 0.4), decimals=2, default=0.0)


@dataclass(frozen=True, slots=True, kw_only=True)
class TransitFound:
    plug_h: float = figure("A plug leaves after", "h", decimals=2, equation="∫Q dt = V")
    half_min: float = figure(
        "Half of a step is through after", "min", decimals=1, equation="(1 − m)V/Q + (mV/Q) ln 2, at the flow now"
    )
    most_min: float = figure("Nine tenths after", "min", decimals=1, equation="(1 − m)V/Q + (mV/Q) ln 10")
    cautions: tuple[Caution, ...] = ()


@model(
    "bleach.transit",
    title="When what enters leaves",
    source="first in first out by volume; mixed part as one tank",
    holds_for="any flow, a stop included",
    equation="∫Q dt = V",
    symbols="V=volume_m3",
    checks=(
        Check({"volume_m3": 300, "q1": 120, "q2": 120, "mixed": 0.2}, "half_min", 140.79, 1e-3),
        Check({"volume_m3": 300, "q1": 120, "q2": 120, "mixed": 0.2}, "most_min", 189.08, 1e-3),
        Check({"volume_m3": 300, "q1": 90, "q2": 150, "change_h": 1.0}, "plug_h", 2.4, 1e-4),
    ),
)
def transit(case: TransitCase) -> TransitFound | Infeasible:
    """Infeasible when nothing flows. Raises: ImpossibleInput."""
    cautions = check(case)
    flows = ((0.0, case.q1),) if case.change_h >= 1000.0 else ((0.0, case.q1), (max(case.change_h, 1e-9), case.q2))
    result = exit_time(0.0, case.volume_m3, flows)
    if isinstance(result, Infeasible):
        return Infeasible(field="q1", reason=result.reason)
    if case.q1 <= 0.0:
        half = most = math.nan
    else:
        plug, tank = (1.0 - case.mixed) * case.volume_m3 / case.q1, case.mixed * case.volume_m3 / case.q1
        half, most = 60.0 * (plug + tank * math.log(2.0)), 60.0 * (plug + tank * math.log(10.0))
    return TransitFound(plug_h=result, half_min=half, most_min=most, cautions=cautions)


@dataclass(frozen=True, slots=True, kw_only=True)
class BandCase:
    q: float = quantity("Drift variance an interval", "", possible=(0, 100), decimals=3, default=0.09)
    r: float = quantity("Laboratory variance", "", possible=(0, 100), above=True, decimals=3, default=0.36)
    since: float = quantity("Intervals since the last pair", "", possible=(0, 100), decimals=1, default=1.5)
    meter_sd: float = quantity("Meter noise", "sd", possible=(0, 100), decimals=2, default=0.2)


@dataclass(frozen=True, slots=True, kw_only=True)
class BandFound:
    half: float = figure("95 % band", "±", decimals=2, equation="1.96 √(P after + q since + meter²)")
    share: float = figure("What a pair moves the bias by", "share", decimals=3, equation="P/(P + r)")
    p_prior: float = figure("P before a pair", "", decimals=4, equation="(q + √(q² + 4 q r))/2")
    p_post: float = figure("P after it", "", decimals=4, equation="P r/(P + r)")
    cautions: tuple[Caution, ...] = ()


@model(
    "bleach.band",
    title="A meter between samples: its band",
    source="steady Kalman filter of a drifting bias",
    holds_for="pairs matched by the time the pulp needs",
    equation="± 1.96 √(P r/(P + r) + q n + s²)",
    checks=(
        Check({}, "p_prior", 0.23054, 1e-4),
        Check({}, "share", 0.39039, 1e-4),
        Check({}, "p_post", 0.14054, 1e-4),
        Check({}, "half", 1.101, 1e-3),
    ),
)
def band(case: BandCase) -> BandFound:
    """Raises: ImpossibleInput."""
    cautions = check(case)
    p, lam, post = gain(case.q, case.r)
    half = 1.96 * math.sqrt(post + case.q * case.since + case.meter_sd**2)
    if case.since > 3.0:
        cautions += (Caution("since", "over three intervals since a pair: do not use the meter"),)
    return BandFound(half=half, share=lam, p_prior=p, p_post=post, cautions=cautions)


@dataclass(frozen=True, slots=True, kw_only=True)
class ForecastCase:
    model_sd: float = quantity("The model's own error", "points", possible=(0, 50), decimals=2, default=0.6)
    by_kappa: float = quantity("Points a kappa", "", possible=(-20, 20), decimals=2, default=-1.1)
    kappa_sd: float = quantity("Kappa, give or take", "sd", possible=(0, 50), decimals=2, default=0.5)
    by_charge: float = quantity("Points a kg", "", possible=(-20, 20), decimals=2, default=0.6)
    charge_sd: float = quantity("Charge, give or take", "sd kg", possible=(0, 50), decimals=2, default=0.3)


@dataclass(frozen=True, slots=True, kw_only=True)
class ForecastFound:
    sd: float = figure("Brightness foreseen, give or take", "sd", decimals=3, equation="√(model² + Σ (dy/dx sd)²)")
    half: float = figure("95 % band", "±", decimals=2, equation="1.96 sd")
    cautions: tuple[Caution, ...] = ()


@model(
    "bleach.forecast",
    title="How sure a forecast of brightness is",
    source="first-order error propagation",
    holds_for="errors small and independent",
    equation="sd² = model² + Σ (dy/dx sd)²",
    checks=(Check({}, "sd", 0.83361, 1e-4), Check({}, "half", 1.6339, 1e-4)),
)
def forecast(case: ForecastCase) -> ForecastFound:
    """Raises: ImpossibleInput."""
    cautions = check(case)
    sd = math.sqrt(case.model_sd**2 + (case.by_kappa * case.kappa_sd) ** 2 + (case.by_charge * case.charge_sd) ** 2)
    return ForecastFound(sd=sd, half=1.96 * sd, cautions=cautions)
