"""What refining does: freeness by energy and edge load; tensile, tear and length; the two schools at one freeness.

Freeness falls by the state u, the sum over the refiners of energy over E0 at their edge load; bonding and cutting have sums
of their own, so that a gentle plate and a hard one give another pulp at the same freeness. All constants are defaults.
Source: recovered to delivery, section 7.
"""

import math
from collections.abc import Iterable
from dataclasses import dataclass
from typing import Final

from core.errors import Caution, ImpossibleInput, Infeasible, Problem
from core.quantity import check, choice, figure, quantity, rows
from core.refine.furnish import FURNISHES, STRENGTHS, Furnish
from core.register import Check, model

LEAST_LEFT: Final = 0.5108  # −ln of the least length that is left
HARD_CUT, BONDS_POWER = 0.4, 0.25


def factor(ph: float, temp_c: float) -> float:
    """What pH and temperature make of the energy: 1 at pH 7 and 40 °C; alkali swells and saves it, hot stock refines less."""
    return min(1.15, max(0.85, 1.0 - 0.05 * (ph - 7.0))) * (1.0 + 0.004 * (temp_c - 40.0))


def wears(wear: float) -> float:
    """What worn plates make of it, wear 0 to 1."""
    return 1.0 + 0.15 * wear


def state_of(csf: float, csf0: float, csf_inf: float, n: float) -> float:
    """The state u at a freeness; 0 at CSF0 and over."""
    return float(math.log((csf0 - csf_inf) / (csf - csf_inf)) ** (1.0 / n)) if csf < csf0 else 0.0


def freeness_at(u: float, csf0: float, csf_inf: float, n: float) -> float:
    """The freeness of a state, mL."""
    return csf_inf + (csf0 - csf_inf) * math.exp(-math.pow(u, n))


def e0_at(f: Furnish, sel: float) -> float:
    """Energy of a unit of u at an edge load, kWh/t."""
    return f.e0 * math.pow(sel / f.sel, f.a)


@dataclass(frozen=True, slots=True, kw_only=True)
class Pass:
    """A refiner that the pulp passes."""

    kwh_t: float = quantity("Net energy", "kWh/t", possible=(0, 500), valid=(0, 250), decimals=1)
    sel: float = quantity("Edge load", "J/m", possible=(0, 20), above=True, valid=(0.2, 6), decimals=2)


@dataclass(frozen=True, slots=True, kw_only=True)
class FreenessCase:
    furnish: str = choice("Furnish", tuple(FURNISHES))
    csf_in: float = quantity("Freeness in", "mL", possible=(20, 900), valid=(80, 750), decimals=0)
    ph: float = quantity("pH", "", possible=(2, 13), valid=(4.5, 10), decimals=1, default=7.0)
    temp_c: float = quantity("Temperature", "°C", possible=(1, 99), valid=(20, 70), decimals=0, default=40.0)
    wear: float = quantity("Wear", "share", possible=(0, 1), decimals=2, default=0.0)
    e0_factor: float = quantity("Energy over its default", "", possible=(0.2, 5), valid=(0.5, 2), decimals=2, default=1.0)
    passes: tuple[Pass, ...] = rows("Refiner", Pass, most=6)


@dataclass(frozen=True, slots=True, kw_only=True)
class FreenessFound:
    csf_ml: float = figure("Freeness out", "mL", decimals=0, equation="CSF∞ + (CSF0 − CSF∞) exp(−u^n)")
    falls_ml: float = figure("falls by", "mL", decimals=0, equation="in − out")
    u_in: float = figure("State in", "", decimals=5, equation="(ln((CSF0 − CSF∞)/(CSF − CSF∞)))^(1/n)")
    u_out: float = figure("State out", "", decimals=5, equation="in + Σ E/E0(SEL)")
    factor: float = figure("pH and temperature", "", decimals=5, equation="clip(1 − 0.05 (pH − 7)) (1 + 0.004 (T − 40))")
    slope: float = figure("A kWh/t more gives", "mL", decimals=2, equation="dCSF/dE at the last refiner")
    cautions: tuple[Caution, ...] = ()


_SOFT = "softwood bleached kraft"
_TWICE = {"furnish": _SOFT, "csf_in": 690, "passes": ({"kwh_t": 60, "sel": 2.5}, {"kwh_t": 60, "sel": 2.5})}
_MIXED = {"furnish": _SOFT, "csf_in": 690, "passes": ({"kwh_t": 50, "sel": 2.5}, {"kwh_t": 50, "sel": 1.5})}
_WARM = {"furnish": _SOFT, "csf_in": 690, "ph": 8.5, "temp_c": 55, "passes": ({"kwh_t": 100, "sel": 2.5},)}


def _usual(furnish: str, passes: Iterable[Pass]) -> tuple[Caution, ...]:
    """Edge loads outside the furnish's usual range."""
    low, high = FURNISHES[furnish].usual_sel
    return tuple(
        Caution(f"passes.{i}.sel", f"is {p.sel:g} J/m, outside {low:g} to {high:g}, usual for {furnish}")
        for i, p in enumerate(passes, start=1)
        if not low <= p.sel <= high
    )


@model(
    "refine.freeness",
    title="Freeness by refining",
    source="exponential in the state of refining; constants are defaults",
    holds_for="u 0 to 2.5, freeness 80 to 720 mL, edge load 0.2 to 6 J/m",
    equation="CSF = CSF∞ + (CSF0 − CSF∞) exp(−u^n); u = Σ E/(E0 (SEL/SEL_ref)^a)",
    symbols="u=u_out",
    basis="default",
    checks=(
        Check(_TWICE, "csf_ml", 423.39, 1e-3),
        Check(_MIXED, "csf_ml", 482.045, 5e-4),
        Check(_WARM, "csf_ml", 463.563, 5e-4),
        Check(_WARM, "factor", 0.98050, 1e-4),
    ),
)
def freeness(case: FreenessCase) -> FreenessFound:
    """The freeness after refiners in series. Raises: ImpossibleInput for a freeness that refining never reaches."""
    cautions = check(case)
    f = FURNISHES[case.furnish]
    if case.csf_in <= f.csf_inf:
        raise ImpossibleInput(
            Problem("csf_in", f"is {case.csf_in:g} mL; it must be over {f.csf_inf:g} mL, the furnish's least")
        )
    csf0, by = max(f.csf0, case.csf_in), factor(case.ph, case.temp_c) * wears(case.wear) * case.e0_factor
    u_in = state_of(case.csf_in, csf0, f.csf_inf, f.n)
    u = u_in + math.fsum(p.kwh_t / (e0_at(f, p.sel) * by) for p in case.passes)
    out = freeness_at(u, csf0, f.csf_inf, f.n)
    a_unit = -(out - f.csf_inf) * f.n * u ** (f.n - 1.0) if u > 0.0 else 0.0
    if u > 2.5:
        cautions += (Caution("passes", f"refine it to a state of {u:.2f}, over 2.5: further than this was ever fitted"),)
    return FreenessFound(
        csf_ml=out,
        falls_ml=case.csf_in - out,
        u_in=u_in,
        u_out=u,
        factor=factor(case.ph, case.temp_c),
        slope=a_unit / (e0_at(f, case.passes[-1].sel) * by),
        cautions=cautions + _usual(case.furnish, case.passes),
    )


def energy_for(furnish: str, csf_in: float, to_csf: float, sel: float) -> float:
    """Net energy, kWh/t, from one freeness to a lower one at an edge load; 0 where it is there already."""
    f = FURNISHES[furnish]
    if to_csf >= csf_in or to_csf <= f.csf_inf:
        return 0.0
    csf0 = max(f.csf0, csf_in)
    u = state_of(to_csf, csf0, f.csf_inf, f.n) - state_of(csf_in, csf0, f.csf_inf, f.n)
    return u * e0_at(f, sel)


@dataclass(frozen=True, slots=True, kw_only=True)
class EnergyCase:
    furnish: str = choice("Furnish", tuple(FURNISHES))
    csf_in: float = quantity("Freeness in", "mL", possible=(20, 900), valid=(80, 750), decimals=0)
    to_csf: float = quantity("Freeness wanted", "mL", possible=(20, 900), valid=(80, 720), decimals=0)
    sel: float = quantity("Edge load", "J/m", possible=(0, 20), above=True, valid=(0.2, 6), decimals=2)
    ph: float = quantity("pH", "", possible=(2, 13), valid=(4.5, 10), decimals=1, default=7.0)
    temp_c: float = quantity("Temperature", "°C", possible=(1, 99), valid=(20, 70), decimals=0, default=40.0)
    wear: float = quantity("Wear", "share", possible=(0, 1), decimals=2, default=0.0)


@dataclass(frozen=True, slots=True, kw_only=True)
class EnergyFound:
    kwh_t: float = figure("Net energy", "kWh/t", decimals=3, equation="(u wanted − u in) E0(SEL)")
    u_in: float = figure("State in", "", decimals=5, equation="(ln((CSF0 − CSF∞)/(CSF − CSF∞)))^(1/n)")
    u_out: float = figure("State wanted", "", decimals=5, equation="the same at what is wanted")
    cautions: tuple[Caution, ...] = ()


_REFINED = {"furnish": _SOFT, "csf_in": 550, "to_csf": 420, "sel": 2.5}


@model(
    "refine.energy",
    title="Energy for a freeness",
    source="the freeness curve turned round",
    holds_for="one edge load; constants are defaults until fitted",
    equation="E = (u(CSF) − u_in) E0 (SEL/SEL_ref)^a",
    basis="default",
    checks=(
        Check(_REFINED, "kwh_t", 55.897, 5e-4),
        Check(_REFINED, "u_in", 0.34564, 1e-4),
        Check(_REFINED, "u_out", 0.63984, 1e-4),
        *(
            Check({"furnish": _SOFT, "csf_in": 690, "to_csf": 450, "sel": sel}, "kwh_t", kwh, 5e-4)
            for sel, kwh in ((1.5, 122.665), (2.5, 107.959), (4.0, 95.990))
        ),
    ),
)
def energy(case: EnergyCase) -> EnergyFound | Infeasible:
    """Infeasible for a freeness that is there already, or that refining never reaches. Raises: ImpossibleInput."""
    cautions = check(case)
    f = FURNISHES[case.furnish]
    if case.to_csf >= case.csf_in:
        return Infeasible(
            field="to_csf", reason="is not under what comes: refining only lowers it", nearest=case.csf_in, unit="mL"
        )
    if case.to_csf <= f.csf_inf:
        reason = f"is not over {f.csf_inf:g} mL, which refining never reaches"
        return Infeasible(field="to_csf", reason=reason, nearest=f.csf_inf, unit="mL")
    csf0 = max(f.csf0, case.csf_in)
    u_in, u = (state_of(x, csf0, f.csf_inf, f.n) for x in (case.csf_in, case.to_csf))
    kwh_t = (u - u_in) * e0_at(f, case.sel) * factor(case.ph, case.temp_c) * wears(case.wear)
    return EnergyFound(kwh_t=kwh_t, u_in=u_in, u_out=u, cautions=cautions)


@dataclass(frozen=True, slots=True, kw_only=True)
class StrengthCase:
    furnish: str = choice("Furnish", tuple(STRENGTHS))
    length_mm: float = quantity("Fibre length, unrefined", "mm", possible=(0.1, 10), valid=(0.5, 3.5), decimals=2)
    ph: float = quantity("pH", "", possible=(2, 13), valid=(4.5, 10), decimals=1, default=7.0)
    temp_c: float = quantity("Temperature", "°C", possible=(1, 99), valid=(20, 70), decimals=0, default=40.0)
    passes: tuple[Pass, ...] = rows("Refiner", Pass, most=7)


@dataclass(frozen=True, slots=True, kw_only=True)
class StrengthFound:
    tensile: float = figure("Tensile index", "N·m/g", decimals=1, equation="T0 + dT (1 − exp(−v)) (L/L0)^0.5")
    tear: float = figure("Tear index", "mN·m²/g", decimals=1, equation="X0 (1 + A(1 − exp(−E/E1))) exp(−E/E2) left^1.5")
    length_mm: float = figure("Fibre length", "mm", decimals=2, equation="L0 exp(−c/(1 + (c/0.5108)⁸)^(1/8))")
    left: float = figure("Length left", "of unrefined", decimals=5, equation="L/L0")
    scatter: float = figure("Scattering", "of unrefined", decimals=3, equation="exp(−E/500)")
    cautions: tuple[Caution, ...] = ()


def _strength(kwh: float, sel: float, furnish: str = _SOFT, mm: float = 2.2) -> dict[str, object]:
    return {"furnish": furnish, "length_mm": mm, "passes": ({"kwh_t": kwh, "sel": sel},)}


@model(
    "refine.strength",
    title="Strength and length by refining",
    source="bonding and cutting by energy and edge load; constants are defaults",
    holds_for="from unrefined pulp; handsheets of one furnish",
    equation="T = T0 + dT (1 − exp(−v)) (L/L0)^0.5; X = X0 (1 + A (1 − exp(−E/E1))) exp(−E/E2) (L/L0)^1.5",
    symbols="T=tensile X=tear",
    basis="default",
    checks=(
        Check(_strength(100, 2.5), "tensile", 80.618, 5e-4),
        Check(_strength(100, 2.5), "tear", 14.523, 5e-4),
        Check(_strength(100, 2.5), "length_mm", 2.0927, 5e-4),
        *(
            Check(_strength(kwh, sel), name, wanted, 5e-4)
            for kwh, sel, told in (
                (122.665, 1.5, (88.842, 13.748, 2.1382)),
                (107.959, 2.5, (82.388, 14.002, 2.0844)),
                (95.990, 4.0, (73.795, 12.517, 1.8760)),
            )
            for name, wanted in zip(("tensile", "tear", "length_mm"), told, strict=True)
        ),
        *(
            Check(_strength(60, sel, "hardwood bleached kraft", 0.80), name, wanted, 5e-4)
            for sel, left, tensile in (
                (0.6, 0.97045, 64.252),
                (1.5, 0.87379, 57.531),
                (2.5, 0.72242, 52.232),
                (6.0, 0.60002, 46.311),
            )
            for name, wanted in (("left", left), ("tensile", tensile))
        ),
        Check({"furnish": _SOFT, "length_mm": 2.2, "passes": _MIXED["passes"]}, "tensile", 82.628, 5e-4),
        Check({"furnish": _SOFT, "length_mm": 2.2, "passes": _MIXED["passes"]}, "tear", 14.817, 5e-4),
        Check({"furnish": _SOFT, "length_mm": 2.2, "passes": _MIXED["passes"]}, "length_mm", 2.1209, 5e-4),
        Check({**_strength(100, 2.5), "ph": 8.5, "temp_c": 55}, "tensile", 81.109, 5e-4),
    ),
)
def strength(case: StrengthCase) -> StrengthFound:
    """Tensile, tear and length after refiners in series. Raises: ImpossibleInput."""
    cautions = check(case)
    f, s, by = FURNISHES[case.furnish], STRENGTHS[case.furnish], factor(case.ph, case.temp_c)
    v = math.fsum(p.kwh_t / (s.e_t * (p.sel / f.sel) ** BONDS_POWER * by) for p in case.passes)
    cut = math.fsum(
        p.kwh_t / 1000.0 * (0.5 * (p.sel / f.sel) ** 1.5 + s.k_c * max(0.0, p.sel / f.usual_sel[1] - 1.0) ** 1.5)
        for p in case.passes
    )
    left = math.exp(-cut / (1.0 + (cut / LEAST_LEFT) ** 8) ** 0.125)
    kwh_t = math.fsum(p.kwh_t for p in case.passes)
    if cut > HARD_CUT:
        cautions += (Caution("passes", "cut harder than the cut was ever fitted"),)
    return StrengthFound(
        tensile=s.t0 + s.dt * -math.expm1(-v) * math.sqrt(left),
        tear=s.x0 * (1.0 + s.a * -math.expm1(-kwh_t / s.e1)) * math.exp(-kwh_t / s.e2) * left**1.5,
        length_mm=case.length_mm * left,
        left=left,
        scatter=math.exp(-kwh_t / 500.0),
        cautions=cautions + _usual(case.furnish, case.passes),
    )
