"""An acid sulphite cook as a unit of the line: its heat and its pressure decide kappa and yield."""

from collections.abc import Mapping
from dataclasses import dataclass, replace

from core.cook.blow import COD_A_ORGANIC
from core.cook.sulphite import SulphiteCase, sulphite
from core.document import same
from core.learn import Constant
from core.quantity import Quantity, quantities
from core.unit import Acts, Facts, Inlet, Upset, Worked, checked, of_pulp

SET = ("cook_c", "hold_min", "bar")


@dataclass(frozen=True, slots=True, kw_only=True)
class SulphitePlan:
    """How a sulphite digester is run. Its acid is drawn as the set-up draws it; its base and its sulphur are not counted."""

    start_c: float = same(SulphiteCase, "start_c", default=70.0)
    rise_min: float = same(SulphiteCase, "rise_min")
    cook_c: float = same(SulphiteCase, "cook_c")
    hold_min: float = same(SulphiteCase, "hold_min")
    start_bar: float = same(SulphiteCase, "start_bar", default=4.0)
    bar: float = same(SulphiteCase, "bar")
    inert_bar: float = same(SulphiteCase, "inert_bar", default=0.0)

    def tried(self) -> None:
        """Raises: ImpossibleInput for a cook that cannot be."""
        sulphite(self.case)

    @property
    def case(self) -> SulphiteCase:
        return SulphiteCase(**{name: getattr(self, name) for name in quantities(SulphiteCase)})

    def settings(self) -> Mapping[str, float]:
        return {name: getattr(self, name) for name in SET}

    def settable(self) -> Mapping[str, Quantity]:
        return {name: quantities(SulphiteCase)[name] for name in SET}

    def set_to(self, values: Mapping[str, float]) -> "SulphitePlan":
        return replace(self, **checked(values, self.settable()))

    def constants(self) -> tuple[Constant, ...]:
        return ()

    def upsets(self) -> tuple[Upset, ...]:
        return (Upset(name="1 bar of its pressure is lost", settings={"bar": max(0.0, self.bar - 1.0)}),)

    def act(self, inlet: Inlet) -> Acts:
        """Raises: ImpossibleInput."""
        case = self.case
        result = sulphite(case)
        dissolved = max(0.0, 1.0 - result.yield_pct / 100.0)
        return Acts(
            dissolves=dissolved,
            kappa=result.kappa,
            adds={"COD": COD_A_ORGANIC * 1000.0 * dissolved * inlet.solids_t_h},
            worked=(Worked(model="cook.sulphite", case=case, result=result),),
            cautions=result.cautions,
        )

    def facts(self, inlet: Inlet, acts: Acts, stage: int = 0) -> Facts:
        """What is set, and the kappa that comes."""
        own: Facts = {"temp_c": self.cook_c, "hot_min": self.hold_min, "kappa": acts.kappa or 0.0}
        return {**of_pulp(inlet), **own}
