"""Light on recovered pulp: scattering and absorption from what it is made of, ink as ERIC, brightness by Kubelka and Munk.

Source: Kubelka-Munk; ERIC, Jordan and Popson 1994; coefficients by component are defaults to be calibrated.
"""

import math
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Final

from core.errors import Caution, ImpossibleInput, Problem
from core.quantity import check, choice, figure, quantity
from core.register import Check, model

FILLERS: Final = {"carbonate": (200.0, 170.0), "clay": (120.0, 100.0)}  # s at 457 and 950 nm, m2/kg
S457: Final = {"LF": 38.0, "SF": 45.0, "FN": 90.0, "SHV": 20.0}
S950: Final = {"LF": 32.0, "SF": 38.0, "FN": 72.0, "SHV": 17.0}
FIBRES: Final = ("LF", "SF", "FN", "SHV")
K_CHEMICAL, K_MECHANICAL, K_FILLER, K_INK = 0.40, 6.5, 0.10, 10_000.0
MECHANICAL: Final = {"old newspapers": 0.85, "old magazines": 0.60, "sorted office": 0.10, "mixed": 0.50}


def scattering(shares: Mapping[str, float], filler: str = "carbonate", at: int = 457) -> float:
    """s, m2/kg, of solids by their shares."""
    table = S457 if at == 457 else S950
    return sum(shares.get(c, 0.0) * s for c, s in table.items()) + shares.get("FL", 0.0) * FILLERS[filler][at != 457]


def fibre_k(mechanical: float) -> float:
    """k of unbleached fibre at 457 nm by its mechanical share, m2/kg."""
    return (1.0 - mechanical) * K_CHEMICAL + mechanical * K_MECHANICAL


def absorption(shares: Mapping[str, float], *, kf: float, eric_ppm: float) -> float:
    """k at 457 nm, m2/kg: fibre, filler and ink. `kf`: of the fibre, as bleaching has left it."""
    w = sum(shares.get(c, 0.0) for c in FIBRES)
    return w * kf + shares.get("FL", 0.0) * K_FILLER + eric_ppm * 1e-6 * K_INK


def brightness(k: float, s: float) -> float:
    """Reflectance of a thick pad, %: 100 (1 + q − √(q² + 2q)), q = k/s."""
    q = k / s
    return 100.0 * (1.0 + q - math.sqrt(q * q + 2.0 * q))


@dataclass(frozen=True, slots=True, kw_only=True)
class LightCase:
    """Shares of the solids; they are taken as parts of their sum."""

    lf: float = quantity("Long fibre", "share", possible=(0, 1), decimals=3)
    sf: float = quantity("Short fibre", "share", possible=(0, 1), decimals=3)
    fn: float = quantity("Fines", "share", possible=(0, 1), decimals=3)
    fl: float = quantity("Filler", "share", possible=(0, 1), decimals=3)
    eric_ppm: float = quantity("Ink, ERIC", "ppm", possible=(0, 10000), valid=(0, 1500), decimals=0)
    mechanical: float = quantity("Mechanical share of the fibre", "share", possible=(0, 1), decimals=2, default=0.5)
    beta: float = quantity("Left of the fibre’s absorption by bleaching", "share", possible=(0, 3), decimals=3, default=1.0)
    filler: str = choice("Filler", tuple(FILLERS), default="carbonate")


@dataclass(frozen=True, slots=True, kw_only=True)
class LightFound:
    s: float = figure("Scattering s at 457 nm", "m²/kg", decimals=2, equation="sum of shares × s of each")
    k: float = figure("Absorption k", "m²/kg", decimals=4, equation="fibre × k × β + filler × 0.10 + ERIC × 0.01")
    iso_pct: float = figure("Brightness", "% ISO", decimals=2, equation="100 (1 + q − √(q² + 2q)), q = k/s")
    ink_part: float = figure("Ink’s part of k", "share", decimals=2, equation="ERIC × 0.01/k")
    cautions: tuple[Caution, ...] = ()


_START = {"lf": 0.25, "sf": 0.375, "fn": 0.185, "fl": 0.19, "eric_ppm": 900, "mechanical": 0.65}
_END = {"lf": 0.3, "sf": 0.42, "fn": 0.16, "fl": 0.12, "eric_ppm": 150, "mechanical": 0.65}
_LESS = {"lf": 0.3, "sf": 0.42, "fn": 0.16, "fl": 0.88 * 5 / 95, "eric_ppm": 150, "mechanical": 0.65}


@model(
    "recovered.light",
    title="Brightness from what the pulp is made of",
    source="Kubelka-Munk; coefficients by component are defaults",
    holds_for="unbeaten, unpressed fibre; ERIC up to 1500 ppm",
    equation="k/s = (1 − R)²/(2R)",
    basis="default",
    checks=(
        Check(_START, "s", 81.0250, 1e-4),
        Check(_START, "k", 12.55465, 1e-4),
        Check(_START, "iso_pct", 57.710, 1e-4),
        Check(_END, "s", 68.7000, 1e-4),
        Check(_END, "k", 5.35320, 1e-4),
        Check(_END, "iso_pct", 67.554, 1e-4),
        Check(_LESS, "s", 58.2557, 1e-4),
        Check(_LESS, "iso_pct", 64.597, 1e-4),
    ),
)
def light(case: LightCase) -> LightFound:
    """Raises: ImpossibleInput where the shares are all nothing."""
    cautions = check(case)
    shares = {"LF": case.lf, "SF": case.sf, "FN": case.fn, "FL": case.fl}
    whole = sum(shares.values())
    if whole <= 0.0:
        raise ImpossibleInput(Problem("lf", "is 0, as the other shares: there are no solids"))
    shares = {c: v / whole for c, v in shares.items()}
    s = scattering(shares, case.filler)
    k = absorption(shares, kf=case.beta * fibre_k(case.mechanical), eric_ppm=case.eric_ppm)
    ink = case.eric_ppm * 1e-6 * K_INK
    if ink > 0.5 * k:
        cautions += (Caution("eric_ppm", "is over half of what darkens it: ink is the ceiling, bleaching does little"),)
    return LightFound(s=s, k=k, iso_pct=brightness(k, s), ink_part=ink / k if k > 0.0 else 0.0, cautions=cautions)


@dataclass(frozen=True, slots=True, kw_only=True)
class EricCase:
    r950: float = quantity("Reflectance at 950 nm", "%", possible=(1, 99.9), valid=(50, 95), decimals=1)
    s950: float = quantity("Scattering at 950 nm", "m²/kg", possible=(1, 400), valid=(20, 90), decimals=1, default=45.0)
    k950: float = quantity("k of the pulp without ink", "m²/kg", possible=(0, 20), valid=(0, 2), decimals=2, default=0.10)


@dataclass(frozen=True, slots=True, kw_only=True)
class EricFound:
    eric_ppm: float = figure("Ink, ERIC", "ppm", decimals=0, equation="10⁶ (s k/s − k of the pulp)/10 000, at least 0")
    ks: float = figure("k/s", "", decimals=6, equation="(1 − R)²/(2R)")
    cautions: tuple[Caution, ...] = ()


@model(
    "recovered.eric",
    title="Ink by infrared",
    source="ERIC, Jordan and Popson 1994",
    holds_for="up to 1500 ppm; brown grades are not linear",
    equation="ERIC = 10⁶ (s k/s − k0)/10 000",
    symbols="s=s950 k0=k950",
    basis="published",
    checks=(
        Check({"r950": 72}, "eric_ppm", 235.00, 1e-4),
        *(Check({"r950": r}, "ks", ks, 1e-4) for r, ks in ((70, 0.064286), (60, 0.133333), (85, 0.013235))),
    ),
)
def eric(case: EricCase) -> EricFound:
    """Raises: ImpossibleInput."""
    cautions = check(case)
    r = case.r950 / 100.0
    ks = (1.0 - r) ** 2 / (2.0 * r)
    ppm = 1e6 * (case.s950 * ks - case.k950) / K_INK
    if ppm < 0.0:
        cautions += (Caution("r950", "is brighter than this pulp without ink: below detection"),)
    if ppm > 1500.0:
        cautions += (Caution("r950", "is far from linear: over 1500 ppm"),)
    return EricFound(eric_ppm=max(0.0, ppm), ks=ks, cautions=cautions)
