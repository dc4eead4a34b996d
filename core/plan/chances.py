"""The chance that the machine is short of stock in a plan: its levels run again and again with rates that are off by
first-order noise, the same noise for every plan, so that two plans are told apart by themselves alone.

Source: shift practice, section 6.1 (uncertainty).
"""

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Final

import numpy as np

from core.plan.levels import Span, Vessel
from core.stream import Vector
from core.through.ahead import FORGOTTEN_H, RATE_OFF

SEEDS: Final = 200
STEP_H: Final = 0.25
SHORT_T: Final = 0.1  # less than this is not felt
KEY: Final = 26318  # of the noise


@dataclass(frozen=True, slots=True)
class Tower:
    """A tower through a plan: what it holds and is fed, what is drawn of it, and what comes less."""

    vessel: Vessel
    draws: Sequence[Span]
    cuts: Sequence[Span] = ()


@dataclass(frozen=True, slots=True)
class Chances:
    """The share of runs, 0 to 1, in which any tower was short, and in which each was; t short of a run, as a mean."""

    short: float
    by_tower: tuple[float, ...]
    mean_t: float


def _rates(spans: Sequence[Span], edges: Vector) -> Vector:
    """The mean of what spans take in each step, t/h."""
    told = np.zeros(len(edges) - 1)
    for s in spans:
        told += s.t_h * np.clip(np.minimum(edges[1:], s.to_h) - np.maximum(edges[:-1], s.from_h), 0.0, None)
    return told / np.diff(edges)


def short_chances(towers: Sequence[Tower], hours: float, *, factor: float = 1.0, seeds: int = SEEDS) -> Chances:
    """`factor`: what past plans taught of how far levels are off; `hours`: how long the plan is, above 0."""
    if not towers:
        return Chances(0.0, (), 0.0)
    steps = max(1, math.ceil(hours / STEP_H))
    edges: Vector = np.linspace(0.0, hours, steps + 1)
    h = hours / steps
    drawn: Vector = np.array([_rates(t.draws, edges) for t in towers])
    fed = np.array([np.clip(t.vessel.fed_t_h - _rates(t.cuts, edges), 0.0, None) for t in towers])
    sd = factor * RATE_OFF * 0.5 * (fed + drawn)
    full = np.array([t.vessel.full_t for t in towers])[:, None]
    level = np.repeat(np.array([[t.vessel.now_t] for t in towers]), seeds, axis=1)
    chance = np.random.default_rng(KEY)
    kept = math.exp(-h / FORGOTTEN_H)
    off = chance.standard_normal((len(towers), seeds))
    short = np.zeros_like(level)
    for k in range(steps):
        level += h * ((fed[:, k] - drawn[:, k])[:, None] + sd[:, k][:, None] * off)
        short += np.clip(-level, 0.0, None)
        np.clip(level, 0.0, full, out=level)
        off = kept * off + math.sqrt(1.0 - kept * kept) * chance.standard_normal(off.shape)
    hit = short > SHORT_T
    return Chances(float(hit.any(axis=0).mean()), tuple(float(v) for v in hit.mean(axis=1)), float(short.sum(axis=0).mean()))
