"""The colour that the eye sees, from kappa, brightness and light absorption.

Source: Kubelka and Munk 1931 (reflectance of an opaque pad); the absorption of lignin with wavelength and with kappa
are defaults to be calibrated (models, chips to bleach, section 8). Fluorescent whitener is outside the model.
"""

import math
from dataclasses import dataclass
from functools import lru_cache
from typing import Final

from core.errors import ImpossibleInput, Problem

LIGNIN_BETA: Final = 0.0105  # 1/nm, default
GREY_BETA: Final = 0.006  # 1/nm, default: mechanical, dyed or inked stock
_NM_FROM_457: Final = (155.0, 93.0, 0.0)  # red 612, green 550, blue 457


def ks_from_reflectance(r: float) -> float:
    """K/S = (1 - R)^2 / (2 R) of an opaque pad; R is a fraction, 0 < R <= 1."""
    if not 0.0 < r <= 1.0:
        raise ImpossibleInput(Problem("reflectance", f"is {r:g}; it must be above 0 and at most 1"))
    return (1.0 - r) ** 2 / (2.0 * r)


def reflectance_from_ks(ks: float) -> float:
    """R = 1 + K/S - sqrt((K/S)^2 + 2 K/S), the inverse of `ks_from_reflectance`; K/S >= 0."""
    if not ks >= 0.0:
        raise ImpossibleInput(Problem("ks", f"is {ks:g}; it must be at least 0"))
    return 1.0 / (1.0 + ks + math.sqrt(ks * ks + 2.0 * ks))  # the same root without cancellation


def ks_from_kappa(kappa: float) -> float:
    """K/S at 457 nm of unbleached or delignified pulp: 0.030 kappa / (1 + (3.5/kappa)^1.36). Default, kappa 0-200."""
    if not 0.0 <= kappa <= 200.0:
        raise ImpossibleInput(Problem("kappa", f"is {kappa:g}; it must be 0 to 200"))
    if kappa == 0.0:
        return 0.0
    powered = float(kappa**1.36)  # the same fraction, times kappa^1.36: safe near 0
    return 0.030 * kappa * powered / (powered + float(3.5**1.36))


def brightness_from_ks(ks: float) -> float:
    """ISO brightness, %, of an opaque pad (ISO 2470)."""
    return 100.0 * reflectance_from_ks(ks)


def mix_ks(parts: tuple[tuple[float, float, float], ...]) -> float:
    """K/S of a blend from (mass, s, K/S) of each part: mixing is by scattered light, never by brightness."""
    scattered = sum(mass * s for mass, s, _ in parts)
    if scattered <= 0.0:
        raise ImpossibleInput(Problem("parts", "hold no scattering mass"))
    return sum(mass * s * ks for mass, s, ks in parts) / scattered


@dataclass(frozen=True, slots=True)
class Swatch:
    """A colour for the screen, as #RRGGBB, with the brightness it stands for."""

    hex: str
    iso_pct: float


def _encode(v: float) -> int:
    s = 12.92 * v if v <= 0.0031308 else 1.055 * v ** (1 / 2.4) - 0.055
    return math.floor(255.0 * s + 0.5)


def pad_hex(iso_pct: float) -> str:
    """The colour of a dry pad of pulp of a brightness, % ISO (above 0 to 100), as #RRGGBB; for display only."""
    return swatch(ks_from_reflectance(iso_pct / 100.0)).hex


@lru_cache(maxsize=1024)
def swatch(ks457: float, *, beta: float = LIGNIN_BETA, wet: bool = False) -> Swatch:
    """The colour of a pad of absorption K/S at 457 nm: dry as in the laboratory, or wet as in ribbon and towers.

    Wet: K/S x (1.3 + 0.9 (1 - R)), since water in the pores scatters less. Default, for display only.
    Worked: K/S 2.6678 (kappa 90) gives #A58D68 dry and #8A714E wet.
    """
    r457 = reflectance_from_ks(ks457)
    shown = ks457 * (1.3 + 0.9 * (1.0 - r457)) if wet else ks457
    channels = (_encode(reflectance_from_ks(shown * math.exp(-beta * d))) for d in _NM_FROM_457)
    return Swatch("#" + "".join(f"{c:02X}" for c in channels), 100.0 * r457)
