"""Long and short fibre refined together or apart to one freeness of their blend: energy, tensile and length of both ways.

Together both take the same energy at one edge load, and the softwood's plates cut the short fibre; apart each has its own edge
load and goes down to one freeness. Source: recovered to delivery, section 7; mixing rules of section 8; constants are defaults.
"""

import math
from dataclasses import dataclass
from typing import Final

from core.errors import Caution, Infeasible
from core.quantity import check, choice, figure, quantity
from core.refine.furnish import FURNISHES, STRENGTHS
from core.refine.response import Pass, StrengthCase, e0_at, energy_for, freeness_at, state_of, strength
from core.register import Check, model
from core.roots import brentq

MOST_KWH = 500.0


@dataclass(frozen=True, slots=True, kw_only=True)
class TogetherCase:
    long_fibre: str = choice("Long fibre", tuple(STRENGTHS), default="softwood bleached kraft")
    short_fibre: str = choice("Short fibre", tuple(STRENGTHS), default="hardwood bleached kraft")
    long_pct: float = quantity("Long fibre, share", "%", possible=(0, 100), decimals=0)
    csf_long: float = quantity("Freeness of the long", "mL", possible=(20, 900), valid=(80, 750), decimals=0)
    csf_short: float = quantity("of the short", "mL", possible=(20, 900), valid=(80, 750), decimals=0)
    to_csf: float = quantity("Wanted of the blend", "mL", possible=(20, 900), valid=(80, 720), decimals=0)
    sel_both: float = quantity("Edge load, together", "J/m", possible=(0, 20), above=True, valid=(0.2, 6), decimals=2)
    sel_long: float = quantity("of the long alone", "J/m", possible=(0, 20), above=True, valid=(0.2, 6), decimals=2)
    sel_short: float = quantity("of the short alone", "J/m", possible=(0, 20), above=True, valid=(0.2, 6), decimals=2)
    mm_long: float = quantity("Length of the long", "mm", possible=(0.1, 10), valid=(0.5, 3.5), decimals=2, default=2.2)
    mm_short: float = quantity("of the short", "mm", possible=(0.1, 10), valid=(0.4, 2), decimals=2, default=0.8)


@dataclass(frozen=True, slots=True, kw_only=True)
class TogetherFound:
    both_kwh_t: float = figure("Together: net energy", "kWh/t", decimals=1, equation="the same for both, to the blend wanted")
    apart_kwh_t: float = figure("Apart: net energy", "kWh/t", decimals=1, equation="Σ share × its own, to one freeness")
    apart_csf: float = figure("Apart: each goes to", "mL", decimals=0, equation="one freeness that blends to what is wanted")
    both_tensile: float = figure("Together: tensile index", "N·m/g", decimals=1, equation="Σ share × its own")
    apart_tensile: float = figure("Apart: tensile index", "N·m/g", decimals=1, equation="Σ share × its own")
    both_short_left: float = figure("Together: short fibre left", "of its length", decimals=3, equation="L/L0")
    apart_short_left: float = figure("Apart: short fibre left", "of its length", decimals=3, equation="L/L0")
    cautions: tuple[Caution, ...] = ()


def _after(furnish: str, csf: float, kwh_t: float, sel: float) -> float:
    """Freeness after an energy."""
    f = FURNISHES[furnish]
    csf0 = max(f.csf0, csf)
    return freeness_at(state_of(csf, csf0, f.csf_inf, f.n) + kwh_t / e0_at(f, sel), csf0, f.csf_inf, f.n)


def _pulp(furnish: str, csf: float, kwh_t: float, sel: float, mm: float) -> tuple[float, float]:
    """Tensile and length left, what was refined before counted at the same edge load."""
    before = energy_for(furnish, max(FURNISHES[furnish].csf0, csf), csf, sel)
    one = Pass(kwh_t=min(MOST_KWH, before + kwh_t), sel=sel)
    found = strength(StrengthCase(furnish=furnish, length_mm=mm, passes=(one,)))
    return found.tensile, found.left


_SAME: Final = {
    "short_fibre": "softwood bleached kraft",
    "long_pct": 50,
    "csf_long": 690,
    "csf_short": 690,
    "to_csf": 420,
    "sel_both": 2.5,
    "sel_long": 2.5,
    "sel_short": 2.5,
}


@model(
    "refine.together",
    title="Refined together or apart",
    source="freeness and strength by energy and edge load, turned round; freeness blends by its logarithm",
    holds_for="two furnishes; constants are defaults until fitted",
    equation="Σ f ln CSF = ln CSF wanted",
    basis="default",
    checks=(
        Check(_SAME, "both_kwh_t", 0.63984 * 190, 1e-4),
        Check(_SAME, "apart_kwh_t", 0.63984 * 190, 1e-4),
        Check(_SAME, "apart_csf", 420.0, 1e-6),
    ),
)
def together(case: TogetherCase) -> TogetherFound | Infeasible:
    """What both ways take and give. Infeasible for a freeness that the blend has already, or never reaches. Raises:
    ImpossibleInput."""
    cautions = check(case)
    share = case.long_pct / 100.0
    parts = (
        (case.long_fibre, share, case.csf_long, case.sel_long, case.mm_long),
        (case.short_fibre, 1.0 - share, case.csf_short, case.sel_short, case.mm_short),
    )
    now = math.exp(math.fsum(f * math.log(csf) for _, f, csf, _, _ in parts))
    if case.to_csf >= now:
        return Infeasible(field="to_csf", reason="is not under the blend’s: refining only lowers it", nearest=now, unit="mL")

    def both(kwh: float) -> float:
        return math.fsum(f * math.log(_after(n, csf, kwh, case.sel_both)) for n, f, csf, _, _ in parts) - math.log(case.to_csf)

    if both(MOST_KWH) > 0.0:
        least = case.to_csf * math.exp(both(MOST_KWH))
        return Infeasible(field="to_csf", reason="is never reached", nearest=least, unit="mL")
    kwh = brentq(both, 0.0, MOST_KWH, xtol=1e-9)

    def apart(csf: float) -> float:
        return math.fsum(f * math.log(min(csf, own)) for _, f, own, _, _ in parts) - math.log(case.to_csf)

    low = 1.0 + max(FURNISHES[n].csf_inf for n, *_ in parts)
    if apart(low) > 0.0:
        return Infeasible(field="to_csf", reason="is never reached", nearest=case.to_csf * math.exp(apart(low)), unit="mL")
    each = brentq(apart, low, max(case.csf_long, case.csf_short), xtol=1e-9)
    energies = [energy_for(n, max(FURNISHES[n].csf0, own), min(each, own), sel) for n, _, own, sel, _ in parts]
    spent = [
        e - energy_for(n, max(FURNISHES[n].csf0, own), own, sel) for e, (n, _, own, sel, _) in zip(energies, parts, strict=True)
    ]
    mixed = [_pulp(n, own, kwh, case.sel_both, mm) for n, _, own, _, mm in parts]
    alone = [_pulp(n, own, e, sel, mm) for e, (n, _, own, sel, mm) in zip(spent, parts, strict=True)]
    weights = [f for _, f, *_ in parts]
    return TogetherFound(
        both_kwh_t=kwh,
        apart_kwh_t=math.fsum(f * e for f, e in zip(weights, spent, strict=True)),
        apart_csf=each,
        both_tensile=math.fsum(f * t for f, (t, _) in zip(weights, mixed, strict=True)),
        apart_tensile=math.fsum(f * t for f, (t, _) in zip(weights, alone, strict=True)),
        both_short_left=mixed[1][1],
        apart_short_left=alone[1][1],
        cautions=cautions,
    )
