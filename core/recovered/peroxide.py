"""Peroxide and dithionite on recovered pulp: they act on the fibre's absorption, never on ink.

Source: peroxide works as it is used, alkali past its optimum decomposes it, and a darkening goes on once it is gone; constants
are defaults to be calibrated.
"""

import math
from dataclasses import dataclass

from core.errors import Caution, Infeasible
from core.quantity import check, figure, quantity
from core.register import Check, model
from core.roots import brentq

RATE, A_K, REF_C = 0.02108, 1.05, 65.0
MOST_B, DOSE_E, TA_WIDE, TA0, TA_A_KG = 0.45, 10.2, 0.8, 0.5, 0.040
DARKENS, DARK_MIN, DARK_A_K, DARK_C, HOLDS_KG = 0.10, 60.0, 1.03, 60.0, 1.805
LOW_TA, HIGH_TA = 0.3, 2.5
MOST_Y, DOSE_Y = 0.22, 6.0
SILICATE = 0.115
OFF_TA, LOW_R, LOW_KG = 0.4, 0.05, 0.5


def best_guess(dose: float) -> float:
    """Total alkali at which the model's peroxide is not decomposed, %."""
    return TA0 + TA_A_KG * dose


def residual_share(dose: float, ta: float, minutes: float, temp_c: float) -> float:
    """Share of the dose that is left."""
    return float(math.exp(-RATE * A_K ** (temp_c - REF_C) * ta / best_guess(dose) * minutes))


def factor(dose: float, ta: float, *, mechanical: float, minutes: float, temp_c: float, r: float | None = None) -> float:
    """What is left of the fibre's absorption: 1 − b + δ. `dose` kg/t, `ta` total alkali %, `r` a measured residual share."""
    r = residual_share(dose, ta, minutes, temp_c) if r is None else r
    over = max(0.0, ta - best_guess(dose))
    b = MOST_B * -math.expm1(-dose * (1.0 - r) / DOSE_E) * math.exp(-((over / TA_WIDE) ** 2))
    dark = DARKENS * mechanical * ta * -math.expm1(-minutes / DARK_MIN) * DARK_A_K ** (temp_c - DARK_C)
    return float(1.0 - b + dark * math.exp(-dose * r / HOLDS_KG))


def best_alkali(dose: float, *, mechanical: float, minutes: float, temp_c: float) -> float:
    """Total alkali of the least absorption, %, 0.3 to 2.5, by golden section around the lower part."""
    low, high, ratio = LOW_TA, HIGH_TA, 0.5 * (math.sqrt(5.0) - 1.0)

    def at(ta: float) -> float:
        return factor(dose, ta, mechanical=mechanical, minutes=minutes, temp_c=temp_c)

    n = 45
    grid = [LOW_TA + (HIGH_TA - LOW_TA) * i / n for i in range(n + 1)]
    i = min(range(n + 1), key=lambda j: at(grid[j]))
    low, high = grid[max(0, i - 1)], grid[min(n, i + 1)]
    while high - low > 1e-5:
        a, b = high - ratio * (high - low), low + ratio * (high - low)
        low, high = (low, b) if at(a) < at(b) else (a, high)
    return 0.5 * (low + high)


def reductive(dose: float) -> float:
    """What dithionite leaves of the fibre's absorption, by its dose, kg/t."""
    return 1.0 - MOST_Y * -math.expm1(-dose / DOSE_Y)


@dataclass(frozen=True, slots=True, kw_only=True)
class PeroxideCase:
    kf: float = quantity("Absorption of the fibre", "m²/kg", possible=(0, 20), valid=(0.3, 8), decimals=3, default=4.4)
    dose: float = quantity("Peroxide", "kg/t", possible=(0, 60), valid=(0, 30), decimals=1)
    naoh_pct: float = quantity("NaOH", "% of solids", possible=(0, 2.5), valid=(0.3, 2), decimals=2)
    silicate_pct: float = quantity("Silicate", "% of solids", possible=(0, 8), valid=(0, 3), decimals=1, default=0.0)
    mechanical: float = quantity("Mechanical share of the fibre", "share", possible=(0, 1), decimals=2, default=0.65)
    minutes: float = quantity("Time", "min", possible=(0, 300), valid=(20, 180), decimals=0, default=90.0)
    temp_c: float = quantity("Temperature", "°C", possible=(40, 90), valid=(50, 75), decimals=0, default=65.0)


@dataclass(frozen=True, slots=True, kw_only=True)
class PeroxideFound:
    kf: float = figure("Absorption after", "m²/kg", decimals=4, equation="k (1 − b + δ)")
    residual: float = figure("Left of the dose", "share", decimals=4, equation="exp(−0.02108 1.05^(T − 65) TA/TA best t)")
    left_kg: float = figure("Left", "kg/t", decimals=2, equation="dose × share")
    ta: float = figure("Total alkali", "%", decimals=2, equation="NaOH + 0.115 silicate")
    best_ta: float = figure("Best at this dose", "%", decimals=2, equation="least absorption over 0.3 to 2.5")
    best_kf: float = figure("Absorption there", "m²/kg", decimals=4, equation="the same at it")
    cautions: tuple[Caution, ...] = ()


def _at(ta: float, **more: float) -> dict[str, float]:
    return {"dose": 18.05, "naoh_pct": ta, **more}


_BY_TA = ((0.4, 3.29373, 0.53740), (0.8, 2.99393, 0.28880), (1.222, 2.93019, 0.14999), (1.6, 3.30796, 0.08340))
_BY_MIN = ((0, 4.4, 1.0), (30, 3.28469, 0.53132), (180, 3.07852, 0.02250))


@model(
    "recovered.peroxide",
    title="Peroxide on recovered pulp",
    source="bleaching by what is used; darkening by alkali once it is gone; defaults",
    holds_for="total alkali 0.3 to 2.5 %, 40 to 90 °C, 0 to 300 min, 10 to 30 %",
    equation="k (1 − 0.45 (1 − exp(−used/10.2)) exp(−((TA − best)/0.8)²) + δ)",
    symbols="TA=ta",
    basis="default",
    checks=(
        *(Check(_at(ta), "kf", k, 1e-4) for ta, k, _ in _BY_TA),
        *(Check(_at(ta), "residual", r, 2e-4) for ta, _, r in _BY_TA),
        Check(_at(2.2), "kf", 4.44396, 1e-4),
        *(Check(_at(1.222, minutes=m), "kf", k, 1e-4) for m, k, _ in _BY_MIN),
        *(Check(_at(1.222, minutes=m), "residual", r, 5e-4) for m, _, r in _BY_MIN),
        Check(_at(1.222, minutes=300), "kf", 3.15374, 1e-4),
        Check(_at(1.222, temp_c=50), "kf", 3.11022, 1e-4),
        Check(_at(1.222, temp_c=80), "kf", 3.17319, 1e-4),
        *(
            Check({"dose": d, "naoh_pct": 1.0}, "best_kf", k, 2e-4)
            for d, k in ((5, 3.8433), (10, 3.3812), (18.05, 2.9292), (30, 2.6166))
        ),
        Check({"dose": 18.05, "naoh_pct": 1.0}, "best_ta", 1.17, 0.02),
        Check({"dose": 0, "naoh_pct": 0.8, "minutes": 20, "temp_c": 50}, "kf", 4.44826, 1e-4),
    ),
)
def peroxide(case: PeroxideCase) -> PeroxideFound:
    """Raises: ImpossibleInput."""
    cautions = check(case)
    ta = case.naoh_pct + SILICATE * case.silicate_pct
    how = {"mechanical": case.mechanical, "minutes": case.minutes, "temp_c": case.temp_c}
    r = residual_share(case.dose, ta, case.minutes, case.temp_c)
    best = best_alkali(case.dose, **how)
    if case.dose > 0.0 and abs(ta - best) > OFF_TA:
        cautions += (Caution("naoh_pct", f"makes {ta:.2f} % of alkali; {best:.2f} is best for this dose"),)
    if case.dose > 0.0 and case.minutes > 0.0 and (r < LOW_R or case.dose * r < LOW_KG):
        told = "is all used: alkali darkens it in the tower; cut alkali or heat, or sour at once"
        cautions += (Caution("dose", told),)
    return PeroxideFound(
        kf=case.kf * factor(case.dose, ta, **how),
        residual=r,
        left_kg=case.dose * r,
        ta=ta,
        best_ta=best,
        best_kf=case.kf * factor(case.dose, best, **how),
        cautions=cautions,
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class DoseCase:
    kf: float = quantity(
        "Absorption of the fibre", "m²/kg", possible=(0, 20), above=True, valid=(0.3, 8), decimals=3, default=4.4
    )
    to_kf: float = quantity("wanted", "m²/kg", possible=(0, 20), above=True, decimals=3)
    mechanical: float = quantity("Mechanical share of the fibre", "share", possible=(0, 1), decimals=2, default=0.65)
    minutes: float = quantity("Time", "min", possible=(1, 300), valid=(20, 180), decimals=0, default=90.0)
    temp_c: float = quantity("Temperature", "°C", possible=(40, 90), valid=(50, 75), decimals=0, default=65.0)


@dataclass(frozen=True, slots=True, kw_only=True)
class DoseFound:
    dose: float = figure("Peroxide", "kg/t", decimals=2, equation="root, alkali at its best for each dose")
    ta: float = figure("Total alkali", "%", decimals=2, equation="best for that dose")
    cautions: tuple[Caution, ...] = ()


MOST_DOSE = 60.0


@model(
    "recovered.peroxide_for",
    title="Peroxide for an absorption",
    source="recovered.peroxide turned round",
    holds_for="0 to 60 kg/t",
    equation="k(dose, best alkali) = wanted",
    basis="default",
    checks=(Check({"to_kf": 2.9292}, "dose", 18.05, 2e-3),),
)
def peroxide_for(case: DoseCase) -> DoseFound | Infeasible:
    """Infeasible where no dose, or sixty kilograms, does not come to it. Raises: ImpossibleInput."""
    cautions = check(case)
    how = {"mechanical": case.mechanical, "minutes": case.minutes, "temp_c": case.temp_c}

    def over(dose: float) -> float:
        return case.kf * factor(dose, best_alkali(dose, **how), **how) - case.to_kf

    if over(0.0) < 0.0:
        return Infeasible(field="to_kf", reason="is reached with no peroxide", nearest=case.to_kf + over(0.0), unit="m²/kg")
    if over(MOST_DOSE) > 0.0:
        return Infeasible(field="to_kf", reason="is beyond peroxide", nearest=case.to_kf + over(MOST_DOSE), unit="m²/kg")
    dose = brentq(over, 0.0, MOST_DOSE, xtol=1e-6)
    return DoseFound(dose=dose, ta=best_alkali(dose, **how), cautions=cautions)


@dataclass(frozen=True, slots=True, kw_only=True)
class ReductiveCase:
    kf: float = quantity("Absorption of the fibre", "m²/kg", possible=(0, 20), valid=(0.3, 8), decimals=3, default=2.93)
    dose: float = quantity("Dithionite", "kg/t", possible=(0, 40), valid=(0, 12), decimals=1)


@dataclass(frozen=True, slots=True, kw_only=True)
class ReductiveFound:
    kf: float = figure("Absorption after", "m²/kg", decimals=4, equation="k (1 − 0.22 (1 − exp(−dose/6)))")
    cautions: tuple[Caution, ...] = ()


@model(
    "recovered.reductive",
    title="Dithionite on recovered pulp",
    source="plateau of 0.22, default",
    holds_for="3 to 5 %, 55 to 65 °C, pH 5 to 6.5, free of air",
    equation="k (1 − 0.22 (1 − exp(−dose/6)))",
    basis="default",
    checks=(Check({"kf": 1.0, "dose": 6}, "kf", 1.0 - 0.22 * (1.0 - math.exp(-1.0)), 1e-9),),
)
def reductive_of(case: ReductiveCase) -> ReductiveFound:
    """Raises: ImpossibleInput."""
    cautions = check(case)
    cautions += (Caution("dose", "dry powder and damp heat by themselves: keep it dry, never near acid or oxidiser"),)
    return ReductiveFound(kf=case.kf * reductive(case.dose), cautions=cautions)
