"""Scale: how far a water is over what it can hold of calcite, calcium oxalate and barite, and what lets it rest.

Source: accounts and gaps, section 10; activities after Davies 1962, carbonate constants after Plummer & Busenberg 1982. A
caution with its reason, never a promise: scale starts late and then does not stop.
"""

import math
from collections.abc import Callable
from dataclasses import dataclass
from itertools import pairwise
from typing import Final

from core.errors import Caution, ImpossibleInput, Problem
from core.quantity import check, figure, quantity
from core.register import Check, model
from core.roots import brentq

CA, BA, SO4, OXALATE_SALT, BARITE_SALT = 40.078, 137.327, 96.06, 146.11, 233.39  # g/mol
PK_OXALIC: Final = (1.25, 4.27)
IONIC_MOST = 0.5  # mol/L, of Davies' equation
PH_LEAST, PH_MOST = 2.0, 12.0
QUIET: Final = {"calcite": 0.3, "oxalate": 0.3, "barite": 0.2}
ACT: Final = {"calcite": 1.0, "oxalate": 1.0, "barite": 0.8}
WHERE: Final = {
    "calcite": "alkaline washers, E stages, liquor heaters, carbonate white water turned alkaline",
    "oxalate": "the washer from D0 to E, pH 3 to 8",
    "barite": "acid filtrates of wood with much barium that meet sulphate acid",
}


@dataclass(frozen=True, slots=True, kw_only=True)
class Water:
    """What every question asks of the water: temperature and ionic strength (by conductivity, some 1.6e-5 a µS/cm)."""

    temp_c: float = quantity("Temperature", "°C", possible=(0, 100), valid=(10, 95), decimals=0)
    ionic_mol_l: float = quantity(
        "Ionic strength",
        "mol/L",
        possible=(0, 5),
        valid=(0, IONIC_MOST),
        decimals=3,
        default=0.05,
        help="some 1.6e-5 a µS/cm of conductivity",
    )

    @property
    def activity(self) -> tuple[float, float]:
        """Activity factors of charge 1 and 2 (Davies)."""
        root = math.sqrt(self.ionic_mol_l)
        a = 0.4883 + 7.4e-4 * self.temp_c + 3.6e-6 * self.temp_c**2
        log = -a * (root / (1.0 + root) - 0.3 * self.ionic_mol_l)
        return 10.0**log, 10.0 ** (4.0 * log)


def log_k(temp_c: float) -> dict[str, float]:
    """log10 of the constants at a temperature, °C: calcite, k1, k2, kw, oxalate (monohydrate), barite."""
    t = temp_c + 273.15
    return {
        "calcite": -171.9065 - 0.077993 * t + 2839.319 / t + 71.595 * math.log10(t),
        "k1": -356.3094 - 0.06091964 * t + 21834.37 / t + 126.8339 * math.log10(t) - 1684915.0 / t**2,
        "k2": -107.8871 - 0.03252849 * t + 5151.79 / t + 38.92561 * math.log10(t) - 563713.9 / t**2,
        "kw": 6.0875 - 4470.99 / t - 0.01706 * t,
        "oxalate": -8.62 + 0.009 * (temp_c - 25.0),
        "barite": -9.97 + 0.008 * (temp_c - 25.0),
    }


def oxalate_share(ph: float) -> float:
    """The share of oxalic acid, 0 to 1, that is oxalate at a pH."""
    k1, k2 = (float(10.0**-pk) for pk in PK_OXALIC)
    h: float = 10.0**-ph
    return 1.0 / (1.0 + h / k2 + h * h / (k1 * k2))


def can_drop(a: float, b: float, product: float) -> float:
    """What may drop, mol/L, of two ions a and b, mol/L, until their product is `product`; 0 where it is not over it."""
    if a * b <= product:
        return 0.0
    return 0.5 * ((a + b) - math.sqrt((a - b) ** 2 + 4.0 * product))


def cautioned(salt: str, si: float) -> tuple[Caution, ...]:
    """What an index asks for: nothing while it is quiet, a look, or an act."""
    if si < QUIET[salt]:
        return ()
    if si <= ACT[salt]:
        return (Caution("si", f"{si:.2f} over what dissolves: watch {WHERE[salt]}"),)
    way = "lower pH or temperature step, purge, chelate or dispersant by the mill’s rule"
    return (Caution("si", f"{si:.2f} over what dissolves, act: {way}; look at {WHERE[salt]}"),)


@dataclass(frozen=True, slots=True, kw_only=True)
class CalciteCase(Water):
    """A water with calcium and carbonate. Alkalinity is without organic acids: titrated to pH 4.3, their share taken off."""

    ca_mg_l: float = quantity("Calcium", "mg/L", possible=(0, 2000), above=True, valid=(1, 1000), decimals=0)
    alkalinity_mmol_l: float = quantity("Alkalinity", "mmol/L", possible=(0, 200), above=True, valid=(0.1, 50), decimals=1)
    ph: float = quantity("pH at that temperature", "", possible=(0, 14), valid=(5, 12), decimals=1)


@dataclass(frozen=True, slots=True, kw_only=True)
class Calcite:
    """`ph_quiet` is nan, and minded, where no pH of 2 to 12 lets it rest, or every one does."""

    si: float = figure("Over what dissolves", "log10", equation="log10(Ca γ2 CO3 γ2) − log10 K")
    co3_mmol: float = figure("Carbonate", "mmol/L", decimals=3, equation="c q/(1 + 2q), q = K2 γ1/(γ2 H)")
    ph_quiet: float = figure("Rests below pH", "", decimals=1, equation="the pH at which the index is 0.3")
    cautions: tuple[Caution, ...] = ()


def _carbonate(case: CalciteCase, ph: float) -> float:
    """Carbonate, mol/L; 0 or less where the alkalinity is all hydroxide."""
    one, two = case.activity
    k = log_k(case.temp_c)
    h: float = 10.0**-ph
    held: float = case.alkalinity_mmol_l / 1000.0 - 10.0 ** k["kw"] / h / one + h / one
    q: float = 10.0 ** k["k2"] * one / (two * h)
    return held * q / (1.0 + 2.0 * q)


def _calcite_index(case: CalciteCase, ph: float) -> float:
    carbonate = max(_carbonate(case, ph), 1e-30)
    return math.log10(case.ca_mg_l / CA / 1000.0 * carbonate * case.activity[1] ** 2) - log_k(case.temp_c)["calcite"]


_CALCITE = {"ca_mg_l": 80, "alkalinity_mmol_l": 4, "ph": 7.8, "temp_c": 45, "ionic_mol_l": 0.02}


@model(
    "wash.calcite",
    title="Calcite scale",
    source="accounts and gaps, section 10; Davies 1962, Plummer & Busenberg 1982; where it starts is a default",
    holds_for="10 to 95 °C, ionic strength up to 0.5 mol/L",
    equation="index = log10(Ca γ2 CO3 γ2) − log10 K",
    symbols="index=si Ca=ca_mg_l CO3=co3_mmol",
    basis="published",
    checks=(
        Check(_CALCITE, "si", 0.80855, 3e-3),
        Check(_CALCITE, "co3_mmol", 0.024414, 3e-3),
        Check({**_CALCITE, "ph": 7.0}, "si", 0.013318, 3e-3),
        Check({**_CALCITE, "ph": 7.0}, "co3_mmol", 0.0039121, 3e-3),
    ),
)
def calcite(case: CalciteCase) -> Calcite:
    """How far a water is over calcite. Raises: ImpossibleInput, also where all the alkalinity is hydroxide."""
    cautions = check(case)
    carbonate = _carbonate(case, case.ph)
    if carbonate <= 0.0:
        told = f"{case.alkalinity_mmol_l:g} mmol/L is all hydroxide at pH {case.ph:g}; there is no carbonate to ask of"
        raise ImpossibleInput(Problem("alkalinity_mmol_l", told))
    si = _calcite_index(case, case.ph)
    quiet = _quiet(lambda ph: _calcite_index(case, ph) - QUIET["calcite"])
    return Calcite(
        si=si,
        co3_mmol=1000.0 * carbonate,
        ph_quiet=quiet,
        cautions=cautions + cautioned("calcite", si) + _rests(quiet, si - QUIET["calcite"]),
    )


def _quiet(over: Callable[[float], float]) -> float:
    """The lowest pH of 2 to 12 at which an index comes over its limit; nan where it comes over it nowhere, or at 2 already."""
    steps = [PH_LEAST + 0.1 * i for i in range(round((PH_MOST - PH_LEAST) / 0.1) + 1)]
    for low, high in pairwise(steps):
        if over(low) <= 0.0 < over(high):
            return brentq(over, low, high, xtol=1e-4)
    return math.nan


def _rests(ph_quiet: float, over_now: float) -> tuple[Caution, ...]:
    """What is to be said where no pH is the limit."""
    if not math.isnan(ph_quiet):
        return ()
    told = "no pH of 2 to 12 lets it rest" if over_now > 0.0 else "it rests at every pH of 2 to 12"
    return (Caution("ph_quiet", told),)


@dataclass(frozen=True, slots=True, kw_only=True)
class OxalateCase(Water):
    """A water with calcium and oxalate."""

    ca_mg_l: float = quantity("Calcium", "mg/L", possible=(0, 2000), above=True, valid=(1, 1000), decimals=0)
    oxalate_mmol_l: float = quantity("Oxalate, all of it", "mmol/L", possible=(0, 50), above=True, valid=(0.01, 5), decimals=2)
    ph: float = quantity("pH at that temperature", "", possible=(0, 14), valid=(2, 12), decimals=1)
    flow_m3_h: float = quantity("Flow", "m³/h", possible=(0, 20000), decimals=0, default=0.0)


@dataclass(frozen=True, slots=True, kw_only=True)
class Dropped:
    """How far over, and what may drop: mg/L, and kg a day of the flow."""

    si: float = figure("Over what dissolves", "log10", equation="log10(M A γ2²) − log10 K")
    drop_mg_l: float = figure("Can drop", "mg/L", decimals=1, equation="[(a + b) − √((a − b)² + 4K′)]/2 × molar mass")
    drop_kg_d: float = figure("Can drop a day", "kg/d", decimals=0, equation="mg/L × m³/h × 24/1000")


@dataclass(frozen=True, slots=True, kw_only=True)
class Oxalate(Dropped):
    ph_quiet: float = figure("Rests below pH", "", decimals=1, equation="the pH at which the index is 0.3")
    cautions: tuple[Caution, ...] = ()


_OXALATE = {"oxalate_mmol_l": 0.40, "ca_mg_l": 2.0 * CA, "temp_c": 65, "ionic_mol_l": 0.05}


@model(
    "wash.oxalate",
    title="Calcium oxalate scale",
    source="accounts and gaps, section 10; Davies 1962; slope with temperature and where it starts are defaults",
    holds_for="10 to 95 °C, ionic strength up to 0.5 mol/L; the monohydrate",
    equation="index = log10(Ca Ox γ2²) − log10 K",
    symbols="index=si Ca=ca_mg_l Ox=oxalate_mmol_l",
    basis="default",
    checks=(
        *(Check({**_OXALATE, "ph": ph}, "si", si, 5e-3) for ph, si in ((2.5, -0.37783), (4.0, 0.96567), (6.0, 1.4148))),
        Check({**_OXALATE, "ph": 6.0}, "drop_mg_l", 55.666, 5e-3),
    ),
)
def oxalate(case: OxalateCase) -> Oxalate:
    """How far a water is over calcium oxalate, and what can drop. Raises: ImpossibleInput."""
    cautions = check(case)
    calcium, acid = case.ca_mg_l / CA / 1000.0, case.oxalate_mmol_l / 1000.0
    squared, log = case.activity[1] ** 2, log_k(case.temp_c)["oxalate"]

    def over(ph: float) -> float:
        return math.log10(calcium * acid * oxalate_share(ph) * squared) - log - QUIET["oxalate"]

    si, quiet = over(case.ph) + QUIET["oxalate"], _quiet(over)
    drop = 1000.0 * OXALATE_SALT * can_drop(calcium, acid, 10.0**log / (squared * oxalate_share(case.ph)))
    return Oxalate(
        si=si,
        drop_mg_l=drop,
        drop_kg_d=drop * case.flow_m3_h * 24.0 / 1000.0,
        ph_quiet=quiet,
        cautions=cautions + cautioned("oxalate", si) + _rests(quiet, over(case.ph)),
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class BariteCase(Water):
    """A water with barium and sulphate."""

    ba_mg_l: float = quantity("Barium", "mg/L", possible=(0, 200), above=True, valid=(0.01, 20), decimals=2)
    so4_mg_l: float = quantity("Sulphate", "mg/L", possible=(0, 20000), above=True, valid=(1, 2000), decimals=0)
    flow_m3_h: float = quantity("Flow", "m³/h", possible=(0, 20000), decimals=0, default=0.0)


@dataclass(frozen=True, slots=True, kw_only=True)
class Barite(Dropped):
    so4_quiet: float = figure("Rests below sulphate", "mg/L", decimals=0, equation="K 10^0.2/(Ba γ2²)")
    cautions: tuple[Caution, ...] = ()


@model(
    "wash.barite",
    title="Barite scale",
    source="accounts and gaps, section 10; Davies 1962; slope with temperature and where it starts are defaults",
    holds_for="10 to 95 °C, ionic strength up to 0.5 mol/L",
    equation="index = log10(Ba SO4 γ2²) − log10 K",
    symbols="index=si Ba=ba_mg_l SO4=so4_mg_l",
    basis="default",
    checks=(Check({"ba_mg_l": 0.3, "so4_mg_l": 450, "temp_c": 60, "ionic_mol_l": 0.05}, "si", 0.96779, 5e-3),),
)
def barite(case: BariteCase) -> Barite:
    """How far a water is over barite, and what can drop. Raises: ImpossibleInput."""
    cautions = check(case)
    barium, sulphate = case.ba_mg_l / BA / 1000.0, case.so4_mg_l / SO4 / 1000.0
    squared, log = case.activity[1] ** 2, log_k(case.temp_c)["barite"]
    si = math.log10(barium * sulphate * squared) - log
    drop = 1000.0 * BARITE_SALT * can_drop(barium, sulphate, 10.0**log / squared)
    return Barite(
        si=si,
        drop_mg_l=drop,
        drop_kg_d=drop * case.flow_m3_h * 24.0 / 1000.0,
        so4_quiet=1000.0 * SO4 * 10.0 ** (log + QUIET["barite"]) / (barium * squared),
        cautions=cautions + cautioned("barite", si),
    )
