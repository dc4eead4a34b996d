"""A feed as a unit of the line: chips, bagasse, bales or broke at a rate that people set."""

from collections.abc import Mapping
from dataclasses import dataclass, replace

from core.errors import ImpossibleInput, Problem
from core.learn import Constant
from core.quantity import Quantity
from core.unit import Acts, Facts, Inlet, Upset, checked, of_pulp

FEED = Quantity(
    label="Feed",
    unit="t/h OD",
    possible=(0.0, 1000.0),
    valid=(0.0, 300.0),
    above=False,
    decimals=2,
    equation="",
    help="oven-dry, at the moisture of the set-up; the wet rate stays when the moisture moves",
)


@dataclass(frozen=True, slots=True, kw_only=True)
class FeedPlan:
    """How much is fed, t/h oven-dry at the moisture of the set-up."""

    feed_t_h: float

    def settings(self) -> Mapping[str, float]:
        return {"feed_t_h": self.feed_t_h}

    def settable(self) -> Mapping[str, Quantity]:
        return {"feed_t_h": FEED}

    def set_to(self, values: Mapping[str, float]) -> "FeedPlan":
        return replace(self, **checked(values, self.settable()))

    def constants(self) -> tuple[Constant, ...]:
        return ()

    def upsets(self) -> tuple[Upset, ...]:
        return (Upset(name="a quarter of the feed is lost", settings={"feed_t_h": 0.75 * self.feed_t_h}),)

    def for_rate(self, wanted_t_h: float, came_t_h: float) -> float:
        """What is to be set, t/h at the set-up's moisture, so that `wanted_t_h` comes where `came_t_h` comes of what is set
        now: the wet rate moves in proportion. Raises: ImpossibleInput where nothing comes."""
        if came_t_h <= 0.0:
            raise ImpossibleInput(Problem("feed_t_h", "brings nothing now: its moisture tells no rate"))
        return self.feed_t_h * wanted_t_h / came_t_h

    def act(self, inlet: Inlet) -> Acts:
        """A feed changes nothing of what it brings; its wet and dry rate are told."""
        wet = inlet.solids_t_h + inlet.water_t_h + inlet.dissolved_t_h
        return Acts(duties={"fed_dry_t_h": inlet.solids_t_h, "fed_wet_t_h": wet})

    def facts(self, inlet: Inlet, acts: Acts, stage: int = 0) -> Facts:
        """What is fed, wet."""
        return of_pulp(inlet) | {"wet_t_h": acts.duties["fed_wet_t_h"]}
