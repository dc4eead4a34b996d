"""What a furnish becomes by its recipe: light by k and s, freeness by its logarithm, the rest by mass; and how sure that is.

Shares are of the oven-dry furnish. Light mixes by Kubelka and Munk at one wavelength (457 nm); freeness by its logarithm is a
default, good to 25 mL; tensile and tear by mass are defaults, real mixes often lie over them. Source: recovered to delivery,
section 8.
"""

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Final

import numpy as np
import numpy.typing as npt

from core.colour import brightness_from_ks
from core.document import named
from core.errors import Caution, ImpossibleInput, Problem
from core.quantity import check, figure, quantity, rows
from core.register import Check, model

Vector = npt.NDArray[np.float64]
NO_LEAST, NO_MOST, NO_COUNT = 0.0, 100.0, 1e6
NO_CSF: Final = 1000.0


@dataclass(frozen=True, slots=True, kw_only=True)
class Pulp:
    """A pulp that the furnish may hold. Tensile, tear, stickies and dirt of 0 are not known or none."""

    name: str = named(default="pulp")
    share_pct: float = quantity("Recipe", "%", possible=(0, 100), decimals=1, default=0.0)
    price: float = quantity("Price", "a t", possible=(0, 100_000), decimals=0, default=0.0)
    k457: float = quantity("Absorption", "m²/kg", possible=(0, 500), valid=(0.05, 20), decimals=3, default=0.3)
    s457: float = quantity("Scattering", "m²/kg", possible=(1, 300), valid=(20, 90), decimals=1, default=35.0)
    ash_pct: float = quantity("Ash", "%", possible=(0, 60), valid=(0, 25), decimals=1, default=0.0)
    csf_ml: float = quantity("Freeness", "mL", possible=(10, 900), valid=(50, 750), decimals=0, default=400.0)
    tensile: float = quantity("Tensile index", "N·m/g", possible=(0, 200), decimals=1, default=0.0)
    tear: float = quantity("Tear index", "mN·m²/g", possible=(0, 60), decimals=1, default=0.0)
    stickies: float = quantity("Stickies", "mm²/kg", possible=(0, 1e6), decimals=0, default=0.0)
    dirt: float = quantity("Dirt", "ppm", possible=(0, 1e6), decimals=1, default=0.0)
    recycled_pct: float = quantity("Recycled content", "%", possible=(0, 100), decimals=0, default=0.0)
    low_pct: float = quantity("At least", "%", possible=(0, 100), decimals=1, default=0.0)
    high_pct: float = quantity("At most", "%", possible=(0, 100), decimals=1, default=100.0)
    supply_pct: float = quantity("Its line and vessel give", "%", possible=(0, 100), decimals=1, default=100.0)
    step_pct: float = quantity("One step, at most", "points", possible=(0, 100), above=True, decimals=0, default=5.0)
    k_sd_pct: float = quantity("Absorption known to", "%", possible=(0, 100), decimals=0, default=0.0)
    s_sd_pct: float = quantity("Scattering known to", "%", possible=(0, 100), decimals=0, default=0.0)


@dataclass(frozen=True, slots=True, kw_only=True)
class BlendCase:
    """Pulps with their recipe, what the furnish must keep, and how sure its forecast is. Standard deviations are of forecast
    less measured: defaults until twenty lots of the grade tell them."""

    iso_least: float = quantity("Brightness, at least", "% ISO", possible=(0, 100), decimals=1, default=NO_LEAST)
    iso_most: float = quantity("at most", "% ISO", possible=(0, 100), decimals=1, default=NO_MOST)
    csf_least: float = quantity("Freeness, at least", "mL", possible=(0, 1000), decimals=0, default=NO_LEAST)
    csf_most: float = quantity("at most", "mL", possible=(0, 1000), decimals=0, default=NO_CSF)
    ash_most: float = quantity("Ash, at most", "%", possible=(0, 100), decimals=2, default=NO_MOST)
    tensile_least: float = quantity("Tensile, at least", "N·m/g", possible=(0, 200), decimals=1, default=NO_LEAST)
    tear_least: float = quantity("Tear, at least", "mN·m²/g", possible=(0, 60), decimals=1, default=NO_LEAST)
    stickies_most: float = quantity("Stickies, at most", "mm²/kg", possible=(0, 1e6), decimals=0, default=NO_COUNT)
    dirt_most: float = quantity("Dirt, at most", "ppm", possible=(0, 1e6), decimals=1, default=NO_COUNT)
    recycled_least: float = quantity("Recycled content, at least", "%", possible=(0, 100), decimals=0, default=NO_LEAST)
    chance_pct: float = quantity("Each limit kept with", "%", possible=(50, 99.9), decimals=0, default=95.0)
    iso_sd: float = quantity("Forecast sd of brightness", "points", possible=(0, 10), valid=(0.2, 1), default=0.5)
    csf_sd: float = quantity("of freeness", "share", possible=(0, 1), valid=(0.02, 0.1), decimals=3, default=0.05)
    ash_sd: float = quantity("of ash", "points", possible=(0, 10), valid=(0.1, 1), default=0.3)
    tensile_sd: float = quantity("of tensile", "N·m/g", possible=(0, 20), valid=(0.3, 3), default=0.8)
    tear_sd: float = quantity("of tear", "mN·m²/g", possible=(0, 10), valid=(0.05, 1), default=0.3)
    count_sd: float = quantity("of stickies and dirt", "share", possible=(0, 2), valid=(0.05, 0.5), decimals=2, default=0.2)
    pulps: tuple[Pulp, ...] = rows("Pulp", Pulp, least=2, most=12)


class Table:
    """The pulps' properties as vectors, in the order of the case."""

    def __init__(self, pulps: tuple[Pulp, ...]) -> None:
        self.names = tuple(p.name for p in pulps)
        for field in ("price", "k457", "s457", "ash_pct", "tensile", "tear", "stickies", "dirt", "recycled_pct"):
            setattr(self, field, np.array([getattr(p, field) for p in pulps]))
        self.ln_csf = np.log([p.csf_ml for p in pulps])
        self.k_sd = self.k457 * np.array([p.k_sd_pct for p in pulps]) / 100.0
        self.s_sd = self.s457 * np.array([p.s_sd_pct for p in pulps]) / 100.0
        self.low = np.array([p.low_pct for p in pulps]) / 100.0
        self.high = np.array([min(p.high_pct, p.supply_pct) for p in pulps]) / 100.0

    price: Vector
    k457: Vector
    s457: Vector
    ash_pct: Vector
    tensile: Vector
    tear: Vector
    stickies: Vector
    dirt: Vector
    recycled_pct: Vector


def ks_of(r: float) -> float:
    """K/S of a reflectance, 0 to 1."""
    return (1.0 - r) ** 2 / (2.0 * r)


def iso_sd(t: Table, f: Vector, model_sd: float) -> float:
    """Standard deviation of the brightness forecast, points: the model's own, and what k and s of each pulp are known to."""
    k, s = float(f @ t.k457), float(f @ t.s457)
    if k <= 0.0 or not (t.k_sd.any() or t.s_sd.any()):
        return model_sd
    q = k / s
    slope = 1.0 - (q + 1.0) / math.sqrt(q * q + 2.0 * q)
    of_pulps = float(np.sum(f**2 * ((t.k_sd / s) ** 2 + (k * t.s_sd / s**2) ** 2)))
    return math.hypot(model_sd, 100.0 * slope * math.sqrt(of_pulps))


@dataclass(frozen=True, slots=True, kw_only=True)
class Forecast:
    iso_pct: float = figure("Brightness", "% ISO", decimals=1, equation="of K/S; K = Σ f k, S = Σ f s")
    csf_ml: float = figure("Freeness", "mL", decimals=0, equation="exp Σ f ln CSF")
    ash_pct: float = figure("Ash", "%", decimals=2, equation="Σ f a")
    tensile: float = figure("Tensile index", "N·m/g", decimals=1, equation="Σ f T")
    tear: float = figure("Tear index", "mN·m²/g", decimals=1, equation="Σ f X")
    stickies: float = figure("Stickies", "mm²/kg", decimals=0, equation="Σ f x")
    dirt: float = figure("Dirt", "ppm", decimals=1, equation="Σ f x")
    recycled_pct: float = figure("Recycled content", "%", decimals=1, equation="Σ f c")
    cost: float = figure("Furnish", "a t", decimals=1, equation="Σ f price")
    k457: float = figure("Absorption", "m²/kg", decimals=3, equation="Σ f k")
    s457: float = figure("Scattering", "m²/kg", decimals=1, equation="Σ f s")
    ks: float = figure("K/S", "", decimals=5, equation="K/S")
    iso_sd: float = figure("Forecast sd of brightness", "points", decimals=3, equation="√(model² + Σ (∂R/∂x sd)²)")
    cautions: tuple[Caution, ...] = ()


def told(t: Table, f: Vector, model_sd: float = 0.0) -> Forecast:
    """The furnish of shares that sum to 1."""
    k, s = float(f @ t.k457), float(f @ t.s457)
    return Forecast(
        iso_pct=brightness_from_ks(k / s),
        csf_ml=math.exp(float(f @ t.ln_csf)),
        ash_pct=float(f @ t.ash_pct),
        tensile=float(f @ t.tensile),
        tear=float(f @ t.tear),
        stickies=float(f @ t.stickies),
        dirt=float(f @ t.dirt),
        recycled_pct=float(f @ t.recycled_pct),
        cost=float(f @ t.price),
        k457=k,
        s457=s,
        ks=k / s,
        iso_sd=iso_sd(t, f, model_sd),
    )


def rounded(shares: Sequence[float]) -> list[float]:
    """Shares, %, to a tenth that sum as they did, by the largest remainder."""
    tenths = [10.0 * s for s in shares]
    whole = [math.floor(t) for t in tenths]
    for i in sorted(range(len(tenths)), key=lambda i: whole[i] - tenths[i])[: round(sum(tenths)) - sum(whole)]:
        whole[i] += 1
    return [w / 10.0 for w in whole]


ENOUGH_LOTS: Final = 20
OF_MAD: Final = 1.4826


def spread(values: Sequence[float], *, in_log: bool = False) -> float | None:
    """The scatter of a property's results about their median, robust (from the median distance); its logarithm's where asked.
    None under twenty: the default stands. The bias of the forecast is not in it: it is read beside."""
    told = np.log(values) if in_log and min(values, default=0.0) > 0.0 else np.asarray(values, dtype=float)
    if len(told) < ENOUGH_LOTS:
        return None
    return OF_MAD * float(np.median(np.abs(told - np.median(told))))


def recipe(case: BlendCase) -> Vector:
    """The shares of the case, as fractions. Raises: ImpossibleInput where they do not make 100 %."""
    f = np.array([p.share_pct for p in case.pulps])
    if abs(float(f.sum()) - 100.0) > 0.05:
        raise ImpossibleInput(Problem("pulps.1.share_pct", f"makes the recipe {f.sum():.4g} %; it must make 100 %"))
    shares: Vector = f / f.sum()
    return shares


def _pulps(*told: tuple[float, float, float, float, float]) -> tuple[dict[str, float], ...]:
    return tuple({"share_pct": f, "k457": k, "s457": s, "csf_ml": csf, "ash_pct": ash} for f, k, s, csf, ash in told)


_THREE = {"pulps": _pulps((40, 0.229, 28, 500, 0.3), (40, 0.310, 38, 400, 0.4), (20, 4.80, 55, 250, 9.0))}
KNOWN: Final = {
    "iso_sd": 0.25,
    "pulps": tuple(
        {"share_pct": f, "k457": k, "s457": s, "k_sd_pct": d, "s_sd_pct": 4}
        for f, k, s, d in ((12.225, 0.229, 28, 5), (57.039, 0.310, 38, 5), (10.736, 4.80, 55, 8), (20, 0.95, 45, 15))
    ),
}


@model(
    "blend.forecast",
    title="What a recipe becomes",
    source="Kubelka and Munk 1931; mass balance; freeness by its logarithm, a default",
    holds_for="freeness to 25 mL; tensile and tear by mass are defaults",
    equation="R from K/S; ln CSF = Σ f ln CSF; the rest Σ f x",
    symbols="R=iso_pct",
    basis="default",
    checks=(
        Check(_THREE, "iso_pct", 77.874, 1e-4),
        Check(_THREE, "ks", 0.03143, 2e-4),
        Check(_THREE, "csf_ml", 398.11, 1e-4),
        Check(_THREE, "ash_pct", 0.4 * 0.3 + 0.4 * 0.4 + 0.2 * 9.0, 1e-9),
        Check(KNOWN, "iso_sd", 0.5799, 1e-3),
    ),
)
def forecast(case: BlendCase) -> Forecast:
    """Raises: ImpossibleInput, also for a recipe that does not make 100 %."""
    cautions = check(case)
    found = told(Table(case.pulps), recipe(case), case.iso_sd)
    return Forecast(**{n: getattr(found, n) for n in Forecast.__slots__ if n != "cautions"}, cautions=cautions)
