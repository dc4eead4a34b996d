"""What a unit of the line is to the line: it acts on the pulp that enters it.

A station says how its units act beside its models (core/<station>/unit.py); the line asks them (core/line/acting.py). An act is
a pure function of what enters and of the unit's settings, so that equal inlets give equal answers and the answers can be kept.
"""

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any, Final, Protocol

import numpy as np

from core.errors import Caution, ImpossibleInput, Problem
from core.learn import Constant
from core.quantity import Quantity, quantity
from core.stream import N, Vector

AIR_DRY: Final = 0.9  # oven-dry in a tonne air-dry
LEAST_KAPPA: Final = 0.1  # what a stage is worked with where less, or none, comes
COD_A_KAPPA: Final = 2.0  # kg O2 an ODt for each kappa removed, default

# what is counted beside the mass, kg/h each: it goes with the liquor, but for what the fibre itself holds
SOLUTES: Final = ("SOD", "SUL", "COD", "CL", "ALK", "SODB", "OXA", "OXP")
SOLUTE_NAMES: Final = {
    "SOD": "sodium in the liquor, kg Na/h",
    "SUL": "sulphur, kg S/h",
    "COD": "COD, kg O2/h",
    "CL": "chloride, kg Cl/h",
    "ALK": "free alkali, under 0 free acid, kg NaOH/h",
    "SODB": "sodium on the fibre, kg Na/h",
    "OXA": "active chlorine left, kg/h",
    "OXP": "peroxide left, kg/h",
}
ON_FIBRE: Final = np.array([name == "SODB" for name in SOLUTES])  # the others go with the liquor
OXIDANTS: Final = {"OXA": 0.4, "OXP": 0.1}  # kg that a kg of COD takes where they meet, default
CONSERVED: Final = ("SOD", "SUL", "CL", "SODB")  # the others are made and used up by the rules of the units


@dataclass(frozen=True, slots=True, kw_only=True)
class Inlet:
    """The pulp that enters a unit from the units before it, without what is drawn into it.

    Suspended solids, fibre, water and dissolved solids in t/h; temperature in degC; kappa, brightness (% ISO) and freeness
    (CSF, mL) of the pulp; solutes in kg/h.
    """

    solids_t_h: float
    fibre_t_h: float
    water_t_h: float
    dissolved_t_h: float
    temp_c: float
    kappa: float
    iso_pct: float
    csf_ml: float
    solutes: tuple[float, ...] = (0.0,) * len(SOLUTES)
    parts: tuple[float, ...] = (0.0,) * N  # t/h of each component, in the order of COMPONENTS

    @property
    def cons_pct(self) -> float:
        """Suspended solids in the whole, % by mass; 0 for an empty stream."""
        whole = self.solids_t_h + self.water_t_h + self.dissolved_t_h
        return 100.0 * self.solids_t_h / whole if whole > 0.0 else 0.0

    @property
    def liquor_kg_t(self) -> float:
        """Dissolved solids in the liquor it carries, kg/t of liquor."""
        liquor = self.water_t_h + self.dissolved_t_h
        return 1000.0 * self.dissolved_t_h / liquor if liquor > 0.0 else 0.0

    def kg_h(self, solute: str) -> float:
        """A solute it carries, kg/h."""
        return self.solutes[SOLUTES.index(solute)]

    @property
    def sodium_kg_h(self) -> float:
        """All its sodium, in the liquor and on the fibre, kg Na/h."""
        return self.kg_h("SOD") + self.kg_h("SODB")

    def kg_odt(self, solute: str) -> float:
        """A solute it carries, kg per oven-dry t of its solids; 0 without solids."""
        return max(0.0, self.solutes[SOLUTES.index(solute)]) / self.solids_t_h if self.solids_t_h > 1e-9 else 0.0


NOTHING: Final = Inlet(
    solids_t_h=0.0, fibre_t_h=0.0, water_t_h=0.0, dissolved_t_h=0.0, temp_c=20.0, kappa=0.0, iso_pct=0.0, csf_ml=600.0
)


def met(cod: float, oxidants: Mapping[str, float]) -> tuple[float, dict[str, float]]:
    """COD and the oxidants (OXA, OXP) that are left once they have met in one liquor, none under nothing; any one unit of mass.

    A kg of COD takes 0.4 kg of active chlorine, then 0.1 kg of peroxide. Source: one balance for a line, section 10.
    """
    left = {}
    for name, a_kg in OXIDANTS.items():
        there = max(0.0, oxidants.get(name, 0.0))
        taken = min(there, a_kg * max(0.0, cod))
        left[name], cod = there - taken, cod - taken / a_kg
    return max(0.0, cod), left


@dataclass(frozen=True, slots=True, kw_only=True)
class Worked:
    """A model as a unit ran it: pages print its figures, and their working opens this very case."""

    model: str
    case: Any
    result: Any


@dataclass(frozen=True, slots=True, kw_only=True)
class Drawn:
    """What a unit asks of its draws: t/h taken from a supply, and of which composition (None: the supply's own)."""

    t_h: float
    composition: Vector | None = None


ON: Final = "on"  # the outlet that sends the pulp on


@dataclass(frozen=True, slots=True, kw_only=True)
class HotStage:
    """A stage that steam keeps warm, and the wash after it: of the warmth over its water the mat keeps a share (1: no wash)."""

    to_c: float = quantity("Kept at", "°C", possible=(0, 200), valid=(30, 110), decimals=0)
    cons_pct: float = quantity("Consistency", "%", possible=(0, 60), above=True, valid=(3, 40), decimals=1)
    reaction_mj: float = quantity("Heat of reaction", "MJ/t OD", possible=(0, 2000), decimals=1, default=0.0)
    keeps: float = quantity("Warmth kept by its mat", "", possible=(0, 1), decimals=2, default=1.0)


@dataclass(frozen=True, slots=True, kw_only=True)
class Warmth:
    """How warm a unit is. What it is kept at, °C, by direct steam (`to_c`), and what its pulp and filtrates leave at, where
    that is set (`leaves_c`); heat of reaction, MJ/h. Or, of a washer, the share of the warmth that its mat `keeps`, as of the
    solids in its liquor. Or the `stages` that the pulp passes one after the other, washed with water of `water_c` between.
    """

    to_c: float | None = None
    leaves_c: float | None = None
    keeps: float | None = None
    reaction_mj_h: float = 0.0
    steam_bar_abs: float = 8.0
    stages: tuple[HotStage, ...] = ()
    water_c: float = 0.0


@dataclass(frozen=True, slots=True, kw_only=True)
class Acts:
    """What a unit does to what enters it. Whatever is None or missing stays as the unit has it.

    `s457`: scattering at 457 nm, m2/kg, where it is known. `shares`: by outlet, the share of each component that takes it.
    `turns`: K(c', c), the share of a component that becomes another. `in_pct`: the consistency, %, that all its water makes of
    what enters it.
    `dissolves`: share of fibre turned into dissolved solids. `liquor_on`: share of the dissolved solids that goes on with the
    pulp. `out_pct`: consistency it leaves at, %. `takes`: what it draws from supplies. `adds`: solutes it makes (or consumes,
    below 0), kg/h. `warmth`: how warm it is. `duties`: chemicals, steam and power by name, in the unit that the name ends with
    (naoh_kg_h).
    """

    shares: Mapping[str, tuple[float, ...]] = field(default_factory=dict)
    turns: tuple[tuple[float, ...], ...] | None = None
    in_pct: float | None = None
    dissolves: float | None = None
    liquor_on: float | None = None
    out_pct: float | None = None
    kappa: float | None = None
    iso_pct: float | None = None
    s457: float | None = None
    csf_ml: float | None = None
    takes: Drawn | None = None
    adds: Mapping[str, float] = field(default_factory=dict)
    duties: Mapping[str, float] = field(default_factory=dict)
    warmth: Warmth | None = None
    worked: tuple[Worked, ...] = ()
    cautions: tuple[Caution, ...] = ()


Facts = Mapping[str, float | str]


def near(x: float) -> float:
    """A figure to seven digits, so that inlets which hardly differ ask a unit the same question."""
    return float(f"{x:.7g}")


def of_pulp(inlet: Inlet) -> dict[str, float | str]:
    """What is known of the pulp that enters a unit: its rate, t/h oven-dry and air-dry, kappa, and brightness, % ISO."""
    rate = inlet.solids_t_h
    return {"od_t_h": rate, "adt_h": rate / AIR_DRY, "kappa_in": inlet.kappa, "iso_in": inlet.iso_pct}


def checked(values: Mapping[str, float], known: Mapping[str, Quantity]) -> dict[str, Any]:
    """The same values, each a setting that exists and within its range. Raises: ImpossibleInput naming each that is not."""
    bad = [Problem(k, f"is no setting of this unit; there are {', '.join(known)}") for k in values if k not in known]
    bad += [Problem(k, text) for k, v in values.items() if k in known and (text := known[k].problem(v))]
    if bad:
        raise ImpossibleInput(*bad)
    return dict(values)


@dataclass(frozen=True, slots=True, kw_only=True)
class Upset:
    """What may befall a unit, as other settings of it: tried on the line, it tells what follows."""

    name: str
    settings: Mapping[str, float]


class Kind(Protocol):
    """Settings that can act: a frozen dataclass with these methods."""

    def settings(self) -> Mapping[str, float]:
        """What people set on this unit as it runs, by name."""
        ...

    def settable(self) -> Mapping[str, Quantity]:
        """The same names with how each is called, measured and bounded."""
        ...

    def set_to(self, values: Mapping[str, float]) -> "Kind":
        """The same with other settings. Raises: ImpossibleInput naming each setting that cannot be."""
        ...

    def upsets(self) -> tuple[Upset, ...]:
        """What may befall the unit, worst first; none where its settings cannot tell it."""
        ...

    def constants(self) -> tuple[Constant, ...]:
        """The fields of its own that samples of its pulp can teach, those that come first before the others."""
        ...

    def act(self, inlet: Inlet) -> Acts:
        """What the unit does to this inlet. Raises: ImpossibleInput, NotSolved."""
        ...

    def facts(self, inlet: Inlet, acts: Acts, stage: int = 0) -> Facts:
        """What the unit knows of itself as it runs, by name, as rows of the practice table ask for it (`Practice.solved`).

        `stage`: counted from 1 in a unit of several; 0 for the unit as a whole.
        """
        ...
