"""Furnishes as refining knows them: freeness unrefined, energy, edge load, strength. All figures are defaults to be fitted.

Source: recovered to delivery, section 7. Edge load in J/m, energy in kWh/t net, freeness in mL CSF.
"""

from dataclasses import dataclass
from typing import Final


@dataclass(frozen=True, slots=True, kw_only=True)
class Furnish:
    """How a furnish answers to refining. `usual_*`: the range that is published for it; of none, no region is drawn."""

    csf0: float
    csf_inf: float
    e0: float
    n: float
    sel: float
    a: float
    usual_sel: tuple[float, float]
    usual_kwh_t: tuple[float, float]
    usual_pct: tuple[float, float]


@dataclass(frozen=True, slots=True, kw_only=True)
class Strength:
    """Tensile (N·m/g), tear (mN·m2/g) and how far its fibre is cut."""

    t0: float
    dt: float
    e_t: float
    x0: float
    a: float
    e1: float
    e2: float
    k_c: float


FURNISHES: Final = {
    "softwood bleached kraft": Furnish(
        csf0=690,
        csf_inf=60,
        e0=190,
        n=1.3,
        sel=2.5,
        a=-0.25,
        usual_sel=(1.5, 3.5),
        usual_kwh_t=(60, 200),
        usual_pct=(3.5, 4.5),
    ),
    "softwood unbleached kraft": Furnish(
        csf0=710, csf_inf=60, e0=230, n=1.3, sel=3, a=-0.25, usual_sel=(2.0, 5.0), usual_kwh_t=(60, 250), usual_pct=(3.5, 5)
    ),
    "hardwood bleached kraft": Furnish(
        csf0=560, csf_inf=60, e0=165, n=1.15, sel=0.6, a=-0.2, usual_sel=(0.3, 0.9), usual_kwh_t=(30, 120), usual_pct=(4, 5.5)
    ),
    "bagasse bleached": Furnish(
        csf0=450, csf_inf=60, e0=95, n=1.1, sel=0.4, a=-0.2, usual_sel=(0.2, 0.6), usual_kwh_t=(10, 60), usual_pct=(3.5, 5)
    ),
    "recycled board": Furnish(
        csf0=430, csf_inf=50, e0=150, n=1.1, sel=1, a=-0.2, usual_sel=(0.5, 1.5), usual_kwh_t=(20, 80), usual_pct=(3.5, 5)
    ),
    "deinked": Furnish(
        csf0=300, csf_inf=50, e0=130, n=1.1, sel=0.5, a=-0.2, usual_sel=(0.2, 0.7), usual_kwh_t=(10, 60), usual_pct=(4, 5)
    ),
}
STRENGTHS: Final = {
    "softwood bleached kraft": Strength(t0=25, dt=75, e_t=70, x0=20, a=0.15, e1=15, e2=260, k_c=12),
    "hardwood bleached kraft": Strength(t0=25, dt=60, e_t=55, x0=6, a=0.30, e1=25, e2=400, k_c=0.5),
    "bagasse bleached": Strength(t0=40, dt=30, e_t=30, x0=5, a=0.10, e1=10, e2=200, k_c=0.5),
    "recycled board": Strength(t0=30, dt=25, e_t=50, x0=9, a=0.05, e1=15, e2=250, k_c=4),
}
