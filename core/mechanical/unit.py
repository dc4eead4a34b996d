"""A refiner as a unit of the line: its energy decides the freeness of what leaves it."""

from collections.abc import Mapping
from dataclasses import dataclass, replace

from core.document import same
from core.heat import CP_FIBRE, CP_WATER
from core.learn import Constant
from core.mechanical.refine import EnergyCase, freeness
from core.quantity import Quantity, quantities
from core.unit import Acts, Facts, Inlet, Upset, Warmth, Worked, checked, of_pulp

BOILS_C, MJ_A_KWH = 100.0, 3.6
LEARNS = (
    Constant(
        field="e0_factor",
        sign="E0",
        name="energy to a factor e in freeness, factor",
        low=0.35,
        high=2.2,
        sd=0.2,
        default=1.0,
        in_log=True,
        tests=("freeness",),
    ),
    Constant(
        field="csf0_factor",
        sign="CSF0",
        name="freeness before energy, factor",
        low=0.45,
        high=1.3,
        sd=0.2,
        default=1.0,
        in_log=True,
        tests=("freeness",),
        later=True,
    ),
)


@dataclass(frozen=True, slots=True, kw_only=True)
class RefinePlan:
    """How a refining unit is set: wood and energy in all, kWh/t."""

    wood: str = same(EnergyCase, "wood")
    sec_kwh_t: float = same(EnergyCase, "sec_kwh_t", possible=(1.0, 6000.0))
    e0_factor: float = same(EnergyCase, "e0_factor", default=1.0)
    csf0_factor: float = same(EnergyCase, "csf0_factor", default=1.0)

    def constants(self) -> tuple[Constant, ...]:
        return LEARNS

    def settings(self) -> Mapping[str, float]:
        return {"sec_kwh_t": self.sec_kwh_t}

    def settable(self) -> Mapping[str, Quantity]:
        return {"sec_kwh_t": quantities(EnergyCase)["sec_kwh_t"]}

    def set_to(self, values: Mapping[str, float]) -> "RefinePlan":
        return replace(self, **checked(values, self.settable()))

    def upsets(self) -> tuple[Upset, ...]:
        return (Upset(name="a fifth of the load is lost", settings={"sec_kwh_t": 0.8 * self.sec_kwh_t}),)

    def act(self, inlet: Inlet) -> Acts:
        """Raises: ImpossibleInput."""
        case = EnergyCase(
            wood=self.wood,
            sec_kwh_t=self.sec_kwh_t,
            rate_t_h=min(100.0, inlet.solids_t_h),
            e0_factor=self.e0_factor,
            csf0_factor=self.csf0_factor,
        )
        result = freeness(case)
        power = self.sec_kwh_t * inlet.solids_t_h / 1000.0
        return Acts(
            csf_ml=result.csf_ml,
            duties={"power_mw": power},
            warmth=Warmth(leaves_c=self.leaves_c(inlet)),
            worked=(Worked(model="mechanical.freeness", case=case, result=result),),
            cautions=result.cautions,
        )

    def leaves_c(self, inlet: Inlet) -> float:
        """How warm the pulp leaves, °C: all its energy warms it, and what is over boils water away in an open discharge."""
        liquor = (100.0 - inlet.cons_pct) / inlet.cons_pct if inlet.cons_pct > 0.0 else 0.0
        return min(BOILS_C, inlet.temp_c + MJ_A_KWH * self.sec_kwh_t / (CP_FIBRE + CP_WATER * liquor))

    def facts(self, inlet: Inlet, acts: Acts, stage: int = 0) -> Facts:
        """Wood, energy and the freeness that leaves."""
        return of_pulp(inlet) | {"wood": self.wood, "sec_kwh_t": self.sec_kwh_t, "csf_ml": acts.csf_ml or 0.0}
