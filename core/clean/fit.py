"""Screens and cleaners by their own samples: the passage ratio of a class, and the cut of sand, with how far they are trusted.

Source: ln E on ln Rv through zero for a screen; the partition curve turned round for a cleaner, ln d50 on ln drop. Recovered to
delivery, sections 4, 5 and 12.
"""

import math
from dataclasses import dataclass
from typing import Final

from core.chance import student_quantile
from core.clean.cleaner import CUT_C, CUT_KPA, CUT_MM, CUT_PCT, CUT_UM, POWER, SAND_KG_M3, cut_um
from core.clean.screen import PASSAGE, SLOT_MM, driven
from core.errors import Caution, ImpossibleInput, Problem
from core.quantity import check, choice, figure, leaf, quantity, rows
from core.register import Check, model

LEAST: Final = 5  # sample sets for a ratio of the mill's own
HALF: Final = 0.975
FALLS: Final = 0.25  # power of the drop that a cut falls with, default


@dataclass(frozen=True, slots=True, kw_only=True)
class Set:
    """What one set of samples of a screen gave."""

    rv: float = quantity("Flow rejected", "share", possible=(0.01, 0.95), valid=(0.05, 0.6), decimals=3)
    e: float = quantity(
        "Dirt that left in the reject", "share", possible=(0, 0.9999), above=True, valid=(0.2, 0.98), decimals=3
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class PassageFitCase:
    particle: str = choice("Class", tuple(PASSAGE))
    aperture_mm: float = quantity("Slot", "mm", possible=(0.08, 0.35), valid=(0.1, 0.25), decimals=2)
    velocity_m_s: float = quantity("Velocity", "m/s", possible=(0, 6), above=True, valid=(0.8, 2), decimals=2, default=1.2)
    temp_c: float = quantity("Temperature", "°C", possible=(0, 99), valid=(20, 70), decimals=0, default=50.0)
    sets: tuple[Set, ...] = rows("Samples", Set, least=2, most=40)


@dataclass(frozen=True, slots=True, kw_only=True)
class PassageFitFound:
    p: float = figure("Passage ratio", "", decimals=4, equation="Σ ln E ln Rv/Σ (ln Rv)²")
    half: float = figure("give or take, 95 %", "", decimals=4, equation="t × rms/√Σ (ln Rv)²")
    p15: float = figure("at 0.15 mm, 1.2 m/s, 50 °C", "", decimals=4, equation="P/((w/0.15)^b × velocity and warmth)")
    rms: float = figure("Scatter of E", "of E", decimals=3, equation="rms of ln E")
    default_p15: float = figure("Default", "", decimals=2, equation="of the class")
    cautions: tuple[Caution, ...] = ()


_FIVE = tuple({"rv": rv, "e": rv**0.24} for rv in (0.10, 0.15, 0.20, 0.25, 0.30))


@model(
    "screen.passage_fit",
    title="A passage ratio by samples",
    source="least squares of ln E on ln Rv through zero; Gooding and Kerekes 1989",
    holds_for="five sets or more at one slot; feed, accept and reject of one minute that close",
    equation="P = Σ ln E ln Rv/Σ (ln Rv)²",
    basis="published",
    checks=(
        Check({"particle": "shives", "aperture_mm": 0.15, "sets": _FIVE}, "p", 0.24, 1e-9),
        Check({"particle": "shives", "aperture_mm": 0.15, "sets": _FIVE}, "p15", 0.24, 1e-9),
        Check({"particle": "hard stickies", "aperture_mm": 0.20, "sets": _FIVE}, "p15", 0.24 / (0.2 / 0.15) ** 1.5, 1e-9),
    ),
)
def passage_fit(case: PassageFitCase) -> PassageFitFound:
    """Raises: ImpossibleInput."""
    cautions = check(case)
    xs, ys = [math.log(s.rv) for s in case.sets], [math.log(s.e) for s in case.sets]
    xx, n = math.fsum(x * x for x in xs), len(xs)
    p = math.fsum(x * y for x, y in zip(xs, ys, strict=True)) / xx
    off = math.fsum((y - p * x) ** 2 for x, y in zip(xs, ys, strict=True))
    rms = math.sqrt(off / (n - 1))
    if n < LEAST:
        cautions += (Caution("sets", f"are {n}; a ratio of this screen’s own wants {LEAST} or more"),)
    at = (case.aperture_mm / SLOT_MM) ** PASSAGE[case.particle][1] * driven(case.particle, case.velocity_m_s, case.temp_c)
    if at <= 0.0:
        raise ImpossibleInput(Problem("temp_c", f"is {case.temp_c:g} °C: nothing of this class would pass so cold"))
    return PassageFitFound(
        p=p,
        half=student_quantile(HALF, n - 1) * rms / math.sqrt(xx),
        p15=p / at,
        rms=rms,
        default_p15=PASSAGE[case.particle][0],
        cautions=cautions,
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class CutSet:
    """What one set of samples of a bank gave."""

    kpa: float = quantity("Drop", "kPa", possible=(20, 400), valid=(80, 200), decimals=0)
    e: float = quantity(
        "Sand that left in the reject", "share", possible=(0, 0.9999), above=True, valid=(0.3, 0.99), decimals=3
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class CutFitCase:
    size_um: float = quantity("Size of its sand", "µm", possible=(5, 2000), valid=(30, 250), decimals=0)
    rv: float = quantity("Flow rejected", "share", possible=(0.01, 0.6), valid=(0.05, 0.2), decimals=2, default=0.10)
    cone_mm: float = quantity("Diameter of a cone", "mm", possible=(20, 600), valid=(50, 300), decimals=0, default=CUT_MM)
    pct: float = quantity("Consistency", "%", possible=(0.05, 4), valid=(0.3, 1.2), decimals=2, default=CUT_PCT)
    temp_c: float = quantity("Temperature", "°C", possible=(1, 95), valid=(20, 70), decimals=0, default=CUT_C)
    sets: tuple[CutSet, ...] = rows("Samples", CutSet, least=2, most=40)


@dataclass(frozen=True, slots=True, kw_only=True)
class CutFitFound:
    d50_um: float = figure(
        "Cut of sand at 150 kPa, 75 mm, 0.6 %, 45 °C", "µm", decimals=1, equation="mean of ln d50, each at its drop"
    )
    spread_pct: float = figure("Scatter", "%", decimals=0, equation="standard deviation of ln d50")
    power: float = figure(
        "falls with the drop to the power of", "", decimals=2, equation="slope of ln d50 on ln drop; 0.25 by default"
    )
    cautions: tuple[Caution, ...] = ()


def _e_at(kpa: float) -> float:
    """What a cleaner of the default cut throws out of sand of 100 um at 0.10 of the flow."""
    d50 = cut_um(kpa=kpa, cone_mm=CUT_MM, pct=CUT_PCT, temp_c=CUT_C)
    return float(0.1 + 0.9 * (1.0 - 0.5 ** ((100.0 / d50) ** POWER)))


_DROPS = tuple({"kpa": kpa, "e": _e_at(kpa)} for kpa in (90.0, 120.0, 150.0, 180.0, 200.0))


@model(
    "cleaner.cut_fit",
    title="A cut by samples",
    source="partition curve turned round; least squares of ln d50 on ln drop",
    holds_for="triplets at two drops or more, one furnish",
    equation="d50 = d (ln 2/−ln((1 − E)/(1 − Rf)))^(1/1.5)",
    basis="published",
    checks=(
        Check({"size_um": 100, "sets": _DROPS}, "d50_um", 45.0, 1e-6),
        Check({"size_um": 100, "sets": _DROPS}, "power", 0.25, 1e-6),
    ),
)
def cut_fit(case: CutFitCase) -> CutFitFound:
    """Raises: ImpossibleInput for a bank that kept back less than its water's share."""
    cautions = check(case)
    bad = [
        Problem(leaf("sets", i, "e"), f"is {s.e:g}, not over the {case.rv:g} of the flow: no cut tells that")
        for i, s in enumerate(case.sets, start=1)
        if s.e <= case.rv
    ]
    if bad:
        raise ImpossibleInput(*bad)
    here = cut_um(kpa=CUT_KPA, cone_mm=case.cone_mm, pct=case.pct, temp_c=case.temp_c, kg_m3=SAND_KG_M3)
    logs, drops = [], []
    for s in case.sets:
        rest = (1.0 - s.e) / (1.0 - case.rv)
        d50 = case.size_um * (math.log(2.0) / -math.log(rest)) ** (1.0 / POWER)
        logs.append(math.log(d50))
        drops.append(math.log(s.kpa / CUT_KPA))
    n = len(logs)
    at_ref = [y + FALLS * x for x, y in zip(drops, logs, strict=True)]
    mean = math.fsum(at_ref) / n
    spread = math.sqrt(math.fsum((y - mean) ** 2 for y in at_ref) / (n - 1))
    xm, ym = math.fsum(drops) / n, math.fsum(logs) / n
    xx = math.fsum((x - xm) ** 2 for x in drops)
    slope = math.fsum((x - xm) * (y - ym) for x, y in zip(drops, logs, strict=True)) / xx if xx > 1e-12 else -FALLS
    if n < LEAST:
        cautions += (Caution("sets", f"are {n}; a cut of this bank’s own wants {LEAST} or more"),)
    if not xx > 1e-12:
        cautions += (Caution("sets", "stand at one drop: how the cut falls with it is not told, 0.25 is the default"),)
    return CutFitFound(
        d50_um=CUT_UM * math.exp(mean) / here,
        spread_pct=100.0 * spread,
        power=-slope,
        cautions=cautions,
    )
