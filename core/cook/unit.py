"""A cook as a unit of the line: its charge and its log decide yield, kappa, and the liquor and solids that the washers get."""

from collections.abc import Mapping
from dataclasses import dataclass, replace
from functools import lru_cache

import numpy as np

from core.cook.blow import COD_A_ORGANIC, BlowCase, blow, white_liquor
from core.cook.kinetic import Charge, Cooked, cook
from core.cook.profile import Points
from core.cook.species import NAMES
from core.document import Inlined, Table, item, text
from core.errors import ImpossibleInput, Problem
from core.quantity import Quantity, choice, quantities, quantity
from core.stream import DS, N, Vector, W
from core.unit import Acts, Drawn, Inlet, Worked, checked


@dataclass(frozen=True, slots=True, kw_only=True)
class Made:
    """What a cook made: total yield, % of oven-dry wood (above 0 to 100), and its kappa (0 to 200)."""

    yield_pct: float
    kappa: float


def carried_over(made: Made, now: "CookPlan", then: "CookPlan") -> Made:
    """What a kept cook would have made at other settings: the model's change between the two added to what it made.

    Raises: ImpossibleInput, NotSolved.
    """
    before, after = (made_by(plan.species, plan.charge, plan.points) for plan in (now, then))
    return Made(
        yield_pct=min(100.0, max(1.0, made.yield_pct + after.yield_pct - before.yield_pct)),
        kappa=min(200.0, max(0.1, made.kappa + after.kappa - before.kappa)),
    )


VESSELS = ("batch", "continuous")


@dataclass(frozen=True, slots=True, kw_only=True)
class LogPoint:
    """A corner of a temperature log: minutes from the start of heating, and °C."""

    minute: float = quantity("Minute", "min", possible=(0, 10_000), decimals=0)
    temp_c: float = quantity("Temperature", "°C", possible=(-10, 200), decimals=0)


@dataclass(frozen=True, slots=True, kw_only=True)
class CookPlan:
    """How a cooking unit is set to cook. `makes`: what its newest kept cook made, which leads; else the kinetic model tells.

    `charged_for_t_h`: the oven-dry wood, t/h, that the liquor is charged for; where other wood comes, the same liquor meets it
    and EA and liquor to wood are what they are on that wood. None charges for whatever comes.
    """

    species: str = choice("Wood or plant", NAMES)
    charge: Charge = item(Inlined(label="Charge", of=Charge))
    points: Points = item(Table(label="Temperature log", of=LogPoint, least=2, most=12, plain=True))
    causticizing_pct: float = quantity("Causticizing", "%", possible=(30, 100), valid=(75, 90), decimals=0, default=82.0)
    reduction_pct: float = quantity("Reduction", "%", possible=(30, 100), valid=(88, 97), decimals=0, default=94.0)
    kappa_row: str = text("Row of its kappa", default="", names="plan")
    vessel: str = choice("Vessel", VESSELS, default="batch")
    makes: Made | None = None
    charged_for_t_h: float | None = None
    chip_water_t_h: float = 0.0  # that came with the wood it is charged for

    def tried(self) -> None:
        """Raises: ImpossibleInput, NotSolved for a charge or a log that cannot be cooked."""
        made_by(self.species, self.charge, self.points)

    def settings(self) -> Mapping[str, float]:
        return {name: getattr(self.charge, name) for name in quantities(Charge)}

    def settable(self) -> Mapping[str, Quantity]:
        return quantities(Charge)

    def set_to(self, values: Mapping[str, float]) -> "CookPlan":
        return replace(self, charge=replace(self.charge, **checked(values, self.settable())))

    def met(self, inlet: Inlet) -> Charge:
        """The charge as the wood that comes meets it."""
        wood = inlet.solids_t_h
        if self.charged_for_t_h is None or wood <= 0.0:
            return self.charge
        drawn = self.charge.lw_m3_t * self.charged_for_t_h - self.chip_water_t_h
        return replace(
            self.charge,
            ea_pct_naoh=self.charge.ea_pct_naoh * self.charged_for_t_h / wood,
            lw_m3_t=(drawn + inlet.water_t_h) / wood,
        )

    def act(self, inlet: Inlet) -> Acts:
        """Raises: ImpossibleInput for a charge that cannot be, NotSolved."""
        charge = self.met(inlet)
        made = self.makes or made_by(self.species, charge, self.points)
        wood = inlet.solids_t_h
        liquor = charge.lw_m3_t * wood - inlet.water_t_h
        if liquor < 0.0:
            told = f"is {charge.lw_m3_t:.2f} m³/t; the chips alone bring {inlet.water_t_h / wood:.2f} t of water a t of wood"
            raise ImpossibleInput(Problem("lw_m3_t", told))
        brought = white_liquor(
            ea_pct_naoh=charge.ea_pct_naoh,
            sulphidity_pct=charge.sulphidity_pct,
            causticizing_pct=self.causticizing_pct,
            reduction_pct=self.reduction_pct,
        )
        case = BlowCase(
            yield_pct=made.yield_pct,
            ea_pct_naoh=charge.ea_pct_naoh,
            sulphidity_pct=charge.sulphidity_pct,
            lw_m3_t=charge.lw_m3_t,
            residual_g_l=cooked(self.species, charge, self.points).residual_g_l,
            causticizing_pct=self.causticizing_pct,
            reduction_pct=self.reduction_pct,
        )
        dissolved = 1.0 - made.yield_pct / 100.0
        return Acts(
            dissolves=dissolved,
            kappa=made.kappa,
            takes=Drawn(t_h=liquor, composition=_composition(brought.solids * wood / 1000.0, liquor)),
            adds={
                "SOD": brought.sodium * wood,
                "SUL": brought.sulphur * wood,
                "COD": COD_A_ORGANIC * 1000.0 * dissolved * wood,
            },
            duties={"alkali_kg_h": 10.0 * charge.ea_pct_naoh * wood, "liquor_t_h": liquor},
            worked=(Worked(model="cook.blow", case=case, result=blow(case)),) if wood > 0.0 else (),
        )


def _composition(solids_t_h: float, liquor_t_h: float) -> Vector:
    """Mass fractions of the liquor charged: its solids and the rest water. Solids over the liquor are refused."""
    if solids_t_h > liquor_t_h:
        told = "leaves less liquor than the alkali weighs: charge less alkali, or more liquor"
        raise ImpossibleInput(Problem("lw_m3_t", told))
    v = np.zeros(N)
    v[DS] = solids_t_h / liquor_t_h if liquor_t_h > 0.0 else 0.0
    v[W] = 1.0 - v[DS]
    return v


@lru_cache(maxsize=256)
def cooked(species: str, charge: Charge, points: Points) -> Cooked:
    """The kinetic cook of a charge and a log, published coefficients; kept, since a line asks it again and again."""
    return cook(species, charge, points)


def made_by(species: str, charge: Charge, points: Points) -> Made:
    """Yield and kappa by the kinetic model. Raises: ImpossibleInput."""
    done = cooked(species, charge, points)
    return Made(yield_pct=done.yield_pct, kappa=done.kappa)
