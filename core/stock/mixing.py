"""What a chest does to a disturbance, a change and a wash.

Source: first-order mixing; active fraction and bypass are defaults to be calibrated by a tracer or a grade change.
"""

import math
from dataclasses import dataclass

from core.chance import poisson_at_most
from core.errors import Caution, ImpossibleInput, Infeasible, Problem
from core.quantity import check, figure, quantity
from core.register import Check, model
from core.roots import brentq


@dataclass(frozen=True, slots=True, kw_only=True)
class MixingCase:
    volume_m3: float = quantity("Stock in the chest", "m³", possible=(0, 100_000), above=True, decimals=0)
    flow_m3_h: float = quantity("Flow through", "m³/h", possible=(0, 10_000), decimals=1)
    active_pct: float = quantity(
        "Active part", "%", possible=(1, 100), valid=(60, 100), decimals=0, default=85.0, help="default until a tracer says"
    )
    bypass_pct: float = quantity("Bypass", "%", possible=(0, 90), valid=(0, 20), decimals=0, default=0.0)
    period_min: float = quantity("Swing comes every", "min", possible=(0.01, 10_000), decimals=1, default=10.0)
    correlation_min: float = quantity("Disturbance lasts", "min", possible=(0.01, 10_000), decimals=1, default=5.0)
    washout_pct: float = quantity("Changed when this is left", "%", possible=(0.001, 99.9), decimals=1, default=2.0)


@dataclass(frozen=True, slots=True, kw_only=True)
class Mixing:
    tau_min: float = figure("Time constant", "min", decimals=1, equation="active × volume / flow")
    swing_left_pct: float = figure("Of a swing, left", "%", decimals=1, equation="b + (1 − b)/√(1 + (2π τ/p)²) at most")
    scatter_left_pct: float = figure("Of a disturbance's sd, left", "%", decimals=1, equation="√(T/(T + τ)), without bypass")
    changed_min: float = figure("A change is through in", "min", decimals=0, equation="τ ln((1 − b)/rest)")
    cautions: tuple[Caution, ...] = ()


def swing_left(tau_min: float, period_min: float) -> float:
    """Amplitude ratio of a sinusoid behind a mixed chest: 1/sqrt(1 + (2 pi tau/p)^2). Worked: 30, 10 min: 0.05298."""
    return 1.0 / math.sqrt(1.0 + (2.0 * math.pi * tau_min / period_min) ** 2)


def scatter_left(tau_min: float, correlation_min: float) -> float:
    """Ratio of standard deviations for noise of correlation time T: sqrt(T/(T + tau)). Worked: 30, 5 min: 0.37796."""
    return math.sqrt(correlation_min / (correlation_min + tau_min))


@dataclass(frozen=True, slots=True, kw_only=True)
class WashoutCase:
    tau_min: float = quantity("Time constant of each", "min", possible=(0, 100_000), valid=(1, 600), decimals=1)
    rest_pct: float = quantity(
        "Changed when this is left", "%", possible=(0.001, 99.9), valid=(0.1, 20), decimals=1, default=2.0
    )
    tanks: float = quantity("Chests in a row", "", possible=(1, 20), valid=(1, 6), decimals=0, default=1.0, whole=True)


@dataclass(frozen=True, slots=True, kw_only=True)
class Washout:
    minutes: float = figure(
        "A change is through in",
        "min",
        equation="exp(−z) Σ zᵏ/k! = rest, z = t/τ, k from 0 to chests − 1",
    )
    turnovers: float = figure("Turned over", "times", equation="t/(chests × τ)")
    cautions: tuple[Caution, ...] = ()


@model(
    "stock.washout",
    title="A change through chests in a row",
    source="equal mixed tanks in series",
    holds_for="chests alike, each turned over whole",
    equation="exp(−z) Σ zᵏ/k! = rest",
    symbols="z=turnovers rest=rest_pct",
    checks=(
        Check({"tau_min": 30, "rest_pct": 2, "tanks": 1}, "minutes", 117.36, 5e-4),
        Check({"tau_min": 15, "rest_pct": 2, "tanks": 2}, "minutes", 87.51, 5e-4),
    ),
)
def washout(case: WashoutCase) -> Washout:
    """How long a step of colour, grade or strength takes through equal chests in a row. Raises: ImpossibleInput."""
    cautions = check(case)
    rest, tanks = case.rest_pct / 100.0, round(case.tanks)
    top = 50.0 * tanks - 10.0 * math.log(rest)
    z = brentq(lambda z: poisson_at_most(tanks - 1, z) - rest, 0.0, top, xtol=1e-12)
    return Washout(minutes=case.tau_min * z, turnovers=z / tanks, cautions=cautions)


@model(
    "stock.mixing",
    title="What a chest smooths",
    source="first-order mixing; active part and bypass are defaults",
    holds_for="a turned-over chest: active 60 to 100 %, bypass to 20 %",
    equation="τ = a V/Q; swing left 1/√(1 + (2πτ/p)²)",
    calibrated_by=("active_pct", "bypass_pct"),
    symbols="τ=tau_min p=period_min V=volume_m3 a=active_pct Q=flow_m3_h",
    basis="default",
    checks=(
        Check({"volume_m3": 100, "flow_m3_h": 200, "active_pct": 100, "period_min": 10}, "swing_left_pct", 5.298, 0.001),
        Check({"volume_m3": 100, "flow_m3_h": 200, "active_pct": 100, "correlation_min": 5}, "scatter_left_pct", 37.796, 0.001),
        Check({"volume_m3": 100, "flow_m3_h": 200, "active_pct": 100}, "changed_min", 117.36, 0.0005),
    ),
)
def mixing(case: MixingCase) -> Mixing | Infeasible:
    """Time constant of a chest and what it leaves of swings, scatter and changes. Raises: ImpossibleInput.

    Infeasible without flow: there is no turnover.
    """
    cautions = check(case)
    if case.flow_m3_h == 0.0:
        return Infeasible(field="flow_m3_h", reason="is 0: no turnover, the chest smooths nothing and passes nothing")
    tau = case.active_pct / 100.0 * case.volume_m3 / case.flow_m3_h * 60.0
    b, rest = case.bypass_pct / 100.0, case.washout_pct / 100.0
    changed = tau * math.log((1.0 - b) / rest) if rest < 1.0 - b else 0.0
    return Mixing(
        tau_min=tau,
        swing_left_pct=100.0 * (b + (1.0 - b) * swing_left(tau, case.period_min)),
        scatter_left_pct=100.0 * scatter_left(tau, case.correlation_min),
        changed_min=changed,
        cautions=cautions,
    )


def step_mixed(c0: float, c_in: float, dt: float, residence: float) -> float:
    """Concentration of a mixed vessel after dt at constant volume, exact. Worked: 3.0, 3.5, 10, 20 min: 3.19673."""
    return c_in + (c0 - c_in) * math.exp(-dt / residence)


def step_moving(c0: float, c_in: float, v0: float, q_in: float, q_out: float, dt: float) -> tuple[float, float]:
    """Volume and concentration of a mixed vessel whose level moves: c = ci + (c0 - ci)(V/V0)^(-Qi/(Qi - Qo)).

    Raises: ImpossibleInput when it would run empty. Worked: 3.0, 4.0 %, 100 m3, 60 in, 20 out, 1 h: 140 m3, 3.39632 %.
    """
    v = v0 + (q_in - q_out) * dt
    if not (v0 > 0.0 and v > 0.0):
        raise ImpossibleInput(Problem("volume_m3", f"is {v0:g} m³ and would become {v:g} m³; both must be above 0"))
    if math.isclose(q_in, q_out):
        return v, step_mixed(c0, c_in, dt, v0 / q_in) if q_in else c0
    return v, c_in + (c0 - c_in) * (v / v0) ** (-q_in / (q_in - q_out))


@dataclass(frozen=True, slots=True, kw_only=True)
class MovingCase:
    volume_m3: float = quantity("Stock in the chest", "m³", possible=(0, 100_000), above=True, decimals=0)
    now: float = quantity("In the chest now", "% or g/L", possible=(0, 1000), decimals=2)
    comes: float = quantity("Comes in with", "% or g/L", possible=(0, 1000), decimals=2)
    in_m3_h: float = quantity("In", "m³/h", possible=(0, 10_000), decimals=1)
    out_m3_h: float = quantity("Out", "m³/h", possible=(0, 10_000), decimals=1)
    hours: float = quantity("After", "h", possible=(0, 1000), decimals=2)


@dataclass(frozen=True, slots=True, kw_only=True)
class Moving:
    volume_m3: float = figure("Stock then", "m³", decimals=0, equation="volume + (in − out) × hours")
    then: float = figure(
        "In the chest then",
        "% or g/L",
        decimals=2,
        equation="c in + (c − c in)(V/V₀)^(−in/(in − out))",
    )
    new_pct: float = figure("Of it new", "%", decimals=1, equation="1 − (V/V₀)^(−in/(in − out))")
    cautions: tuple[Caution, ...] = ()


@model(
    "stock.moving",
    title="A chest while its level moves",
    source="first-order mixing with a level that rises or falls",
    holds_for="a chest turned over whole; rates that stand",
    equation="c = c in + (c₀ − c in)(V/V₀)^(−Q in/(Q in − Q out))",
    checks=(
        Check({"volume_m3": 100, "now": 3, "comes": 4, "in_m3_h": 60, "out_m3_h": 20, "hours": 1}, "then", 3.39632, 1e-5),
        Check({"volume_m3": 100, "now": 3, "comes": 4, "in_m3_h": 60, "out_m3_h": 20, "hours": 1}, "volume_m3", 140.0, 1e-9),
        Check({"volume_m3": 320, "now": 0, "comes": 1, "in_m3_h": 140, "out_m3_h": 140, "hours": 1.5}, "new_pct", 48.12, 1e-3),
        Check({"volume_m3": 320, "now": 0, "comes": 1, "in_m3_h": 160, "out_m3_h": 140, "hours": 1.5}, "new_pct", 51.17, 1e-3),
    ),
)
def moving(case: MovingCase) -> Moving:
    """What a chest holds after some hours while its level moves. Raises: ImpossibleInput, also where it would run empty."""
    cautions = check(case)
    volume, then = step_moving(case.now, case.comes, case.volume_m3, case.in_m3_h, case.out_m3_h, case.hours)
    _, new = step_moving(0.0, 1.0, case.volume_m3, case.in_m3_h, case.out_m3_h, case.hours)
    return Moving(volume_m3=volume, then=then, new_pct=100.0 * new, cautions=cautions)
