"""Ink of recovered paper: six masses, free in four size classes, attached to the fibre, and driven back into it.

Source: first order in energy; shares, rates and cost are defaults to be calibrated. ERIC counts all six with one absorption:
its dependence on size is not modelled.
"""

import math
from dataclasses import dataclass, replace
from typing import Final

from core.errors import Caution
from core.quantity import check, figure, quantity
from core.register import Check, model

CLASSES: Final = ("under 5 µm", "5 to 25 µm", "25 to 150 µm", "over 150 µm")
LOOSE: Final = (0.20, 0.55, 0.20, 0.05)  # of what comes loose, by class, default
DISPERSED_E, FINER_E, AREA_A_60 = 40.0, 150.0, 0.10  # kWh/t; ERIC more at 60 kWh/t
USUAL_KWH_T, MIN_A_KWH = 22.0, 18.0 / 22.0
PRICE_KWH, PRICE_INK, PRICE_FINES = 0.08, 30.0, 120.0
HIGH_PH = 9.0


@dataclass(frozen=True, slots=True, kw_only=True)
class Ink:
    """Six masses that add to all the ink, in any one unit."""

    free: tuple[float, float, float, float]
    attached: float
    redeposited: float = 0.0

    @property
    def total(self) -> float:
        return sum(self.free) + self.attached + self.redeposited

    @property
    def on_fibre(self) -> float:
        """Attached and redeposited: neither water nor bubbles reach it."""
        return self.attached + self.redeposited

    def left(self, free: tuple[float, float, float, float], on_fibre: float) -> "Ink":
        """What stays of it, by the share of each free class and of what is on the fibre."""
        a, b, c, d = (m * share for m, share in zip(self.free, free, strict=True))
        return Ink(free=(a, b, c, d), attached=self.attached * on_fibre, redeposited=self.redeposited * on_fibre)

    def loosened(self, amount: float) -> "Ink":
        """With so much of what is on the fibre come loose, attached and redeposited alike."""
        share = 1.0 - amount / self.on_fibre if self.on_fibre > 0.0 else 1.0
        a, b, c, d = (m + amount * s for m, s in zip(self.free, LOOSE, strict=True))
        return Ink(free=(a, b, c, d), attached=self.attached * share, redeposited=self.redeposited * share)


def attached_share(kwh_t: float, *, a0: float, e_a: float, ph: float) -> float:
    """Share of all ink that is still attached after so much energy of pulping."""
    return a0 * math.exp(-kwh_t / (e_a * (1.0 + 0.10 * max(0.0, HIGH_PH - ph))))


def pulped(ink: Ink, *, kwh_t: float, minutes: float, pct: float, ph: float, e_a: float, k_r: float) -> Ink:
    """Ink after pulping: what comes loose is shared over the classes, then the finest is driven back by time."""
    now = attached_share(kwh_t, a0=1.0, e_a=e_a, ph=ph)
    came = ink.attached * (1.0 - now)
    a, b, c, d = (m + came * s for m, s in zip(ink.free, LOOSE, strict=True))
    back = a * -math.expm1(-k_r * minutes * pct / 15.0)
    return Ink(free=(a - back, b, c, d), attached=ink.attached * now, redeposited=ink.redeposited + back)


def dispersed(ink: Ink, kwh_t: float) -> Ink:
    """Ink after dispersing: it comes loose, and each free class loses a part to the next finer one."""
    loose = ink.loosened(ink.on_fibre * -math.expm1(-kwh_t / DISPERSED_E))
    share = -math.expm1(-kwh_t / FINER_E)
    a, b, c, d = loose.free
    return replace(loose, free=(a + share * b, b - share * b + share * c, c - share * c + share * d, d - share * d))


def broken(kwh_t: float) -> float:
    """Share of the fibre that is broken to fines by so much energy of pulping."""
    return 0.01 * (kwh_t / 20.0) ** 2


@dataclass(frozen=True, slots=True, kw_only=True)
class InkCase:
    kwh_t: float = quantity("Energy of pulping", "kWh/t", possible=(0, 200), valid=(10, 60), decimals=1)
    minutes: float = quantity("Time", "min", possible=(0, 240), valid=(5, 60), decimals=0, default=18.0)
    pct: float = quantity("Consistency", "%", possible=(0, 25), above=True, valid=(3, 20), decimals=1, default=15.0)
    ph: float = quantity("pH", "", possible=(4, 13), valid=(7, 10.5), decimals=1, default=9.5)
    a0: float = quantity("Attached at first", "share", possible=(0, 1), valid=(0.4, 0.8), decimals=2, default=0.5)
    e_a: float = quantity("Energy to free it e-fold", "kWh/t", possible=(1, 60), valid=(8, 20), decimals=1, default=12.0)
    k_r: float = quantity("Rate of redeposition", "1/min", possible=(0, 0.1), valid=(0.001, 0.01), decimals=4, default=0.004)


@dataclass(frozen=True, slots=True, kw_only=True)
class InkFound:
    attached: float = figure(
        "Still on the fibre", "share", decimals=4, equation=f"A0 exp(−E/E_A), E_A × (1 + 0.10 ({HIGH_PH:g} − pH)) under it"
    )
    redeposited: float = figure("Driven back into it", "share", decimals=4, equation="free < 5 µm × (1 − exp(−k t C/15))")
    free_5: float = figure("Free, under 5 µm", "share", decimals=4, equation="0.20 of what is loose, less what went back")
    free_25: float = figure("Free, 5 to 25 µm", "share", decimals=4, equation="0.55 of what is loose")
    free_150: float = figure("Free, 25 to 150 µm", "share", decimals=4, equation="0.20 of what is loose")
    free_more: float = figure("Free, over 150 µm", "share", decimals=4, equation="0.05 of what is loose")
    broken: float = figure("Fibre broken to fines", "share", decimals=4, equation="0.01 (E/20)²")
    cost: float = figure("Power, ink left on and fines", "a t", decimals=2, equation="0.08 E + 30 (on the fibre) + 120 broken")
    best_kwh_t: float = figure("Best energy", "kWh/t", decimals=1, equation="least cost, minutes going with the energy")
    cautions: tuple[Caution, ...] = ()


def fresh(a0: float) -> Ink:
    """All ink as it comes: a share attached, the rest loose and shared over the classes."""
    a, b, c, d = ((1.0 - a0) * s for s in LOOSE)
    return Ink(free=(a, b, c, d), attached=a0)


def on_fibre_through(case: InkCase, points: int = 24) -> tuple[tuple[float, float], ...]:
    """Ink on the fibre, % of all, by the minute of the rotor to the case's minutes and energy: loosened, driven back."""
    told = []
    for i in range(points + 1):
        minutes, kwh_t = case.minutes * i / points, case.kwh_t * i / points
        ink = pulped(fresh(case.a0), kwh_t=kwh_t, minutes=minutes, pct=case.pct, ph=case.ph, e_a=case.e_a, k_r=case.k_r)
        told.append((minutes, 100.0 * ink.on_fibre / ink.total))
    return tuple(told)


def _cost(case: InkCase, kwh_t: float, minutes: float) -> float:
    done = pulped(fresh(case.a0), kwh_t=kwh_t, minutes=minutes, pct=case.pct, ph=case.ph, e_a=case.e_a, k_r=case.k_r)
    return PRICE_KWH * kwh_t + PRICE_INK * done.on_fibre + PRICE_FINES * broken(kwh_t)


def best_energy(case: InkCase) -> float:
    """Energy of least cost, kWh/t, by golden section over 0 to 120; minutes go with the energy."""
    low, high, ratio = 0.0, 120.0, 0.5 * (math.sqrt(5.0) - 1.0)

    def at(e: float) -> float:
        return _cost(case, e, MIN_A_KWH * e)

    while high - low > 1e-4:
        a, b = high - ratio * (high - low), low + ratio * (high - low)
        low, high = (low, b) if at(a) < at(b) else (a, high)
    return 0.5 * (low + high)


_PULPED = {"kwh_t": 22}


@model(
    "pulper.ink",
    title="Ink in the pulper",
    source="first order in energy; rates, shares and prices are defaults",
    holds_for="deinking at 3 to 20 %, pH 7 to 10.5; toner and cured inks hold faster (0.6 to 0.8)",
    equation="A = A0 exp(−E/E_A); redeposited = free < 5 µm × (1 − exp(−k t C/15))",
    symbols="E=kwh_t t=minutes C=pct A0=a0 E_A=e_a k=k_r",
    basis="default",
    checks=(
        *(Check({"kwh_t": e}, "attached", a, 1e-4) for e, a in ((0, 0.5), (10, 0.21730), (20, 0.09444), (30, 0.04104))),
        Check({"kwh_t": 20, "ph": 7}, "attached", 0.12468, 1e-4),
        Check(_PULPED, "attached", 0.07994, 1e-4),
        Check(_PULPED, "redeposited", 0.01278, 1e-3),
        Check(_PULPED, "free_5", 0.17123, 1e-4),
        Check(_PULPED, "free_25", 0.50603, 1e-4),
        Check(_PULPED, "free_150", 0.18401, 1e-4),
        Check(_PULPED, "free_more", 0.04600, 2e-4),
        *(Check({"kwh_t": e, "minutes": e * 18 / 22}, "cost", c, 1e-3) for e, c in ((10, 7.7702), (20, 5.9774), (30, 6.8693))),
        Check(_PULPED, "best_kwh_t", 20.65, 1e-3),
    ),
)
def ink_of(case: InkCase) -> InkFound:
    """Raises: ImpossibleInput."""
    cautions = check(case)
    done = pulped(fresh(case.a0), kwh_t=case.kwh_t, minutes=case.minutes, pct=case.pct, ph=case.ph, e_a=case.e_a, k_r=case.k_r)
    best = best_energy(case)
    if case.kwh_t > 1.5 * best:
        cautions += (Caution("kwh_t", f"is over 1.5 times the best, {best:.0f}: fines, and toner too small to screen"),)
    return InkFound(
        attached=done.attached,
        redeposited=done.redeposited,
        free_5=done.free[0],
        free_25=done.free[1],
        free_150=done.free[2],
        free_more=done.free[3],
        broken=broken(case.kwh_t),
        cost=_cost(case, case.kwh_t, case.minutes),
        best_kwh_t=best,
        cautions=cautions,
    )
