"""Simulated instruments: noise with its own time, drift, bias, quantisation and faults, from a generator that is passed in.

Source: models, section 11; noise and drift figures are stated defaults for each kind.
Reading = span-limited [true (1 + gain error) + bias + drift × days + noise], quantised.
"""

import math
from dataclasses import dataclass, replace
from enum import StrEnum
from typing import Final
from zlib import crc32

import numpy as np


class Fault(StrEnum):
    """What can go wrong with it, for practice and for proving that it is seen."""

    NONE = "none"
    STUCK = "stuck"
    STEP = "step"
    DRIFT = "drift"
    DROPOUT = "dropout"


@dataclass(frozen=True, slots=True, kw_only=True)
class Kind:
    """A kind of instrument. `noise_rel`: noise as a share of the reading, else absolute in its unit; `corr_min` its own
    time."""

    name: str
    low: float
    high: float
    noise: float
    corr_min: float
    drift_day: float
    bias_sd: float
    step: float = 0.0
    noise_rel: bool = False


KINDS: Final = {
    k.name: k
    for k in (
        Kind(name="consistency", low=1.5, high=8.0, noise=0.03, corr_min=5.0, drift_day=0.010, bias_sd=0.03, step=0.01),
        Kind(name="optical", low=0.1, high=1.5, noise=0.01, corr_min=2.0, drift_day=0.005, bias_sd=0.01, step=0.001),
        Kind(
            name="flow",
            low=0.0,
            high=120_000.0,
            noise=0.003,
            corr_min=1 / 6,
            drift_day=0.0,
            bias_sd=0.003,
            noise_rel=True,
            step=1.0,
        ),
        Kind(name="level", low=0.0, high=100.0, noise=0.2, corr_min=1 / 12, drift_day=0.02, bias_sd=0.3, step=0.1),
        Kind(name="bale_scale", low=0.0, high=1500.0, noise=0.3, corr_min=0.0, drift_day=0.05, bias_sd=0.5, step=0.5),
        Kind(name="temperature", low=0.0, high=200.0, noise=0.2, corr_min=1 / 6, drift_day=0.005, bias_sd=0.2, step=0.1),
        Kind(name="pressure", low=0.0, high=400.0, noise=1.0, corr_min=1 / 6, drift_day=0.05, bias_sd=1.0, step=0.1),
        Kind(name="ph", low=0.0, high=14.0, noise=0.05, corr_min=1 / 6, drift_day=0.01, bias_sd=0.05, step=0.01),
        Kind(
            name="kappa",
            low=0.0,
            high=100.0,
            noise=0.02,
            corr_min=10.0,
            drift_day=0.002,
            bias_sd=0.015,
            noise_rel=True,
            step=0.1,
        ),
        Kind(name="brightness", low=10.0, high=95.0, noise=0.2, corr_min=5.0, drift_day=0.05, bias_sd=0.3, step=0.1),
        Kind(name="residual", low=0.0, high=5.0, noise=0.002, corr_min=2.0, drift_day=0.001, bias_sd=0.003, step=0.001),
        Kind(
            name="power",
            low=0.0,
            high=20_000.0,
            noise=0.005,
            corr_min=1 / 30,
            drift_day=0.0,
            bias_sd=0.005,
            noise_rel=True,
            step=1.0,
        ),
    )
}


@dataclass(frozen=True, slots=True, kw_only=True)
class State:
    """What an instrument carries from one reading to the next."""

    bias: float
    noise: float = 0.0
    days: float = 0.0
    last: float | None = None
    fault: Fault = Fault.NONE


def phi(dt_min: float, corr_min: float) -> float:
    """How much of the noise is left after dt: exp(−dt/T); 0 for an instrument without a time of its own."""
    return math.exp(-dt_min / corr_min) if corr_min > 0.0 else 0.0


def innovation_sd(sd: float, share: float) -> float:
    """Sd of what is new in the noise, so that its stationary sd stays `sd`: sd sqrt(1 − phi²)."""
    return sd * math.sqrt(1.0 - share * share)


def quantised(value: float, step: float) -> float:
    """The value on the instrument's divisions, half away from zero. 612.3 on half kilograms is 612.5."""
    if step <= 0.0:
        return value
    return math.copysign(math.floor(abs(value) / step + 0.5) * step, value)


def offset(bias: float, drift_day: float, days: float) -> float:
    """Bias and drift together: 0.02 % and 0.010 % a day make 0.16 % after 14 days."""
    return bias + drift_day * days


def fresh(kind: Kind, rng: np.random.Generator) -> State:
    """An instrument as it is put in: its bias drawn once."""
    return State(bias=float(rng.normal(0.0, kind.bias_sd)))


FAILS_EVERY_D: Final = 60.0  # a meter fails by chance once in so many days, default
FAULTS: Final = (Fault.STUCK, Fault.STEP, Fault.DRIFT)


def fails(seed: int, tag: str, before_min: float, now_min: float) -> Fault:
    """How a meter fails between two times (minutes from a start), by its own chance; NONE for most."""
    rng = np.random.default_rng([seed, crc32(tag.encode())])
    at = 0.0
    while at < now_min:
        at += 1440.0 * float(rng.exponential(FAILS_EVERY_D))
        how = FAULTS[int(rng.integers(len(FAULTS)))]
        if before_min < at <= now_min:
            return how
    return Fault.NONE


def calibrated(state: State, left: float) -> State:
    """An instrument after it was calibrated: no fault, no drift yet, off by what the calibration left."""
    return replace(state, bias=left, days=0.0, fault=Fault.NONE)


def read(kind: Kind, state: State, true: float, dt_min: float, rng: np.random.Generator) -> tuple[float | None, State]:
    """One reading of a true value after dt, and the state it leaves; None when the signal drops out."""
    share = phi(dt_min, kind.corr_min)
    noise = share * state.noise + float(rng.normal(0.0, 1.0)) * innovation_sd(kind.noise, share)
    days = state.days + dt_min / 1440.0
    if state.fault is Fault.DROPOUT:
        return None, replace(state, noise=noise, days=days)
    if state.fault is Fault.STUCK and state.last is not None:
        return state.last, replace(state, noise=noise, days=days)
    drift = kind.drift_day * (10.0 if state.fault is Fault.DRIFT else 1.0)
    shift = offset(state.bias, drift, days) + (0.2 if state.fault is Fault.STEP else 0.0)
    value = true * (1.0 + shift + noise) if kind.noise_rel else true + shift + noise
    value = quantised(min(kind.high, max(kind.low, value)), kind.step)
    return value, replace(state, noise=noise, days=days, last=value)
