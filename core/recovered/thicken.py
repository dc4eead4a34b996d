"""Washing and thickening of recovered pulp, and dispersing. Retentions and energies are defaults to be calibrated."""

import math
from dataclasses import dataclass
from typing import Final

from core.errors import Caution, Infeasible
from core.quantity import check, choice, figure, quantity
from core.recovered.ink import AREA_A_60, Ink, dispersed, fresh, pulped
from core.register import Check, model

KEEPS: Final = {  # share of a class that stays in the mat where it does not go with the water, default
    "thickener": {"FL": 0.88, "FN": 0.93, "SF": 0.99, "LF": 0.998},
    "washer": {"FL": 0.30, "FN": 0.60, "SF": 0.95, "LF": 0.99},
}
KEEPS_INK: Final = {"thickener": (0.75, 0.82, 0.92, 1.0), "washer": (0.15, 0.30, 0.60, 0.90)}  # of the free classes, default
SPECKS_E, STICKIES_E = 43.0, 57.0  # kWh/t that take visible area e-fold, default
CP_PULP = 3.5  # kJ/kg K


def water_out(feed_pct: float, to_pct: float) -> float:
    """Share of the water that a thickening takes, no solids lost: 1 − C_f (100 − C_t)/(C_t (100 − C_f))."""
    return 1.0 - feed_pct * (100.0 - to_pct) / (to_pct * (100.0 - feed_pct))


def visible(kwh_t: float, e_d: float) -> float:
    """Share of the visible area that is left by dispersing."""
    return math.exp(-kwh_t / e_d)


@dataclass(frozen=True, slots=True, kw_only=True)
class ThickenCase:
    feed_pct: float = quantity("Feed", "%", possible=(0, 40), above=True, valid=(0.5, 5), decimals=2)
    to_pct: float = quantity("Leaves at", "%", possible=(0, 60), above=True, valid=(4, 35), decimals=1)
    how: str = choice("Mat", tuple(KEEPS), default="thickener")


@dataclass(frozen=True, slots=True, kw_only=True)
class ThickenFound:
    water_pct: float = figure("Water to the filtrate", "%", decimals=3, equation="1 − C_f (100 − C_t)/(C_t (100 − C_f))")
    fl_pct: float = figure("Lost, filler", "%", decimals=2, equation="water × (1 − kept)")
    fn_pct: float = figure("Lost, fines", "%", decimals=2, equation="water × (1 − kept)")
    ink_pct: float = figure("Ink taken, all free", "%", decimals=2, equation="water × (1 − kept), by class")
    cautions: tuple[Caution, ...] = ()


@model(
    "recovered.thicken",
    title="Thickening and washing",
    source="water balance; retentions are defaults",
    holds_for="0.5 to 5 % in, 4 to 35 % out",
    equation="taken of a class = w (1 − g)",
    basis="default",
    checks=(Check({"feed_pct": 0.9, "to_pct": 8}, "water_pct", 89.5560, 1e-5),),
)
def thicken(case: ThickenCase) -> ThickenFound | Infeasible:
    """Infeasible where it would leave thinner than it comes. Raises: ImpossibleInput."""
    cautions = check(case)
    if case.to_pct <= case.feed_pct:
        return Infeasible(field="to_pct", reason=f"is {case.to_pct:g} %, not over the feed", nearest=case.feed_pct, unit="%")
    w, keeps = water_out(case.feed_pct, case.to_pct), KEEPS[case.how]
    ink = fresh(0.0).left(_kept_ink(w, case.how), 1.0)
    return ThickenFound(
        water_pct=100.0 * w,
        fl_pct=100.0 * w * (1.0 - keeps["FL"]),
        fn_pct=100.0 * w * (1.0 - keeps["FN"]),
        ink_pct=100.0 * (1.0 - ink.total),
        cautions=cautions,
    )


def _kept_ink(w: float, how: str) -> tuple[float, float, float, float]:
    a, b, c, d = (1.0 - w * (1.0 - g) for g in KEEPS_INK[how])
    return a, b, c, d


def thickened(ink: Ink, w: float, how: str, fibre_left: float) -> Ink:
    """Ink after a thickening that takes `w` of the water; what is on the fibre stays as the fibre does."""
    return ink.left(_kept_ink(w, how), fibre_left)


def kept(name: str, w: float, how: str) -> float:
    """Share of a class that a mat keeps."""
    return 1.0 - w * (1.0 - KEEPS[how][name])


@dataclass(frozen=True, slots=True, kw_only=True)
class DisperseCase:
    kwh_t: float = quantity("Energy", "kWh/t", possible=(0, 300), valid=(40, 100), decimals=0)
    cons_pct: float = quantity("Consistency", "%", possible=(5, 50), valid=(25, 35), decimals=0, default=30.0)
    free_5: float = quantity("Ink free, under 5 µm", "share", possible=(0, 1), decimals=4, default=0.171)
    free_25: float = quantity("5 to 25 µm", "share", possible=(0, 1), decimals=4, default=0.506)
    free_150: float = quantity("25 to 150 µm", "share", possible=(0, 1), decimals=4, default=0.184)
    free_more: float = quantity("over 150 µm", "share", possible=(0, 1), decimals=4, default=0.046)
    attached: float = quantity("Attached", "share", possible=(0, 1), decimals=4, default=0.080)
    redeposited: float = quantity("Redeposited", "share", possible=(0, 1), decimals=4, default=0.013)


@dataclass(frozen=True, slots=True, kw_only=True)
class DisperseFound:
    free_5: float = figure("Free, under 5 µm", "share", decimals=4, equation="what comes from the class above stays here")
    free_25: float = figure("Free, 5 to 25 µm", "share", decimals=4, equation="1 − exp(−E/150) goes finer")
    free_150: float = figure("Free, 25 to 150 µm", "share", decimals=4, equation="the same")
    free_more: float = figure("Free, over 150 µm", "share", decimals=4, equation="the same")
    attached: float = figure("Attached", "share", decimals=4, equation="× exp(−E/40)")
    redeposited: float = figure("Redeposited", "share", decimals=4, equation="× exp(−E/40)")
    specks_pct: float = figure("Specks gone from sight", "%", decimals=0, equation="1 − exp(−E/43)")
    stickies_pct: float = figure("Stickies gone from sight", "%", decimals=0, equation="1 − exp(−E/57)")
    eric_factor: float = figure("ERIC by", "", decimals=2, equation="1 + 0.10 E/60")
    warmer_k: float = figure("Warms it by", "K", decimals=0, equation="3.6 E (C/100)/3.5")
    cautions: tuple[Caution, ...] = ()


_MADE = pulped(fresh(0.5), kwh_t=22.0, minutes=18.0, pct=15.0, ph=9.5, e_a=12.0, k_r=0.004)
_INK = {
    "free_5": _MADE.free[0],
    "free_25": _MADE.free[1],
    "free_150": _MADE.free[2],
    "free_more": _MADE.free[3],
    "attached": _MADE.attached,
    "redeposited": _MADE.redeposited,
}


@model(
    "recovered.disperse",
    title="Dispersing",
    source="first order in energy; defaults",
    holds_for="25 to 35 %, 60 to 95 °C, 40 to 100 kWh/t; before flotation or bleaching, never last",
    equation="on the fibre × exp(−E/40); each free class loses 1 − exp(−E/150) to the next finer",
    symbols="E=kwh_t C=cons_pct",
    basis="default",
    checks=(
        *(
            Check({**_INK, "kwh_t": 60}, name, share, 2e-4)
            for name, share in (
                ("free_5", 0.36553),
                ("free_25", 0.43118),
                ("free_150", 0.14936),
                ("free_more", 0.03325),
                ("attached", 0.01784),
            )
        ),
        Check({**_INK, "kwh_t": 60}, "redeposited", 0.00285, 2e-3),
    ),
)
def disperse(case: DisperseCase) -> DisperseFound:
    """Raises: ImpossibleInput."""
    cautions = check(case)
    ink = Ink(
        free=(case.free_5, case.free_25, case.free_150, case.free_more), attached=case.attached, redeposited=case.redeposited
    )
    now = dispersed(ink, case.kwh_t)
    cautions += (Caution("kwh_t", "hot pulp and steam: a disperger is opened cold, locked out and vented"),)
    return DisperseFound(
        free_5=now.free[0],
        free_25=now.free[1],
        free_150=now.free[2],
        free_more=now.free[3],
        attached=now.attached,
        redeposited=now.redeposited,
        specks_pct=100.0 * (1.0 - visible(case.kwh_t, SPECKS_E)),
        stickies_pct=100.0 * (1.0 - visible(case.kwh_t, STICKIES_E)),
        eric_factor=1.0 + AREA_A_60 * case.kwh_t / 60.0,
        warmer_k=3.6 * case.kwh_t * case.cons_pct / 100.0 / CP_PULP,
        cautions=cautions,
    )
