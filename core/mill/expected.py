"""What the solved line expects of the rows of the sampling plan, and what its chemicals, steam and power cost."""

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Final

from core.accounts.line import POWER_MWH
from core.bleach.line import PRICES
from core.blend.mix import Mix
from core.line.acting import Line
from core.mill.mill import Mill
from core.mill.signals import solved_at
from core.quantity import figure
from core.wash.line import Prices

SET_TESTS: Final = ("ph",)  # what a stage is set to, not what comes of it
OF_THE_MIX: Final = {"freeness": "csf_ml", "brightness": "iso_pct", "ash": "ash_pct"}


def of_line(mill: Mill, line: Line) -> dict[str, float]:
    """Values of the rows that a unit computes, by row: kappa of cooks, loss of washers, what leaves stages of bleaching."""
    told: dict[str, float] = {}
    for key, plan in mill.cook_plans.items():
        kappa = line.acts[key].kappa
        if plan.kappa_row and kappa is not None:
            told[plan.kappa_row] = kappa
    for key, washers in mill.wash_plans.items():
        worked = line.acts[key].worked
        if washers.loss_row and worked:
            told[washers.loss_row] = max(told.get(washers.loss_row, 0.0), float(worked[0].result.soda_kg_adt))
    for key, bleaching in mill.bleach_plans.items():
        iso = line.acts[key].iso_pct
        if bleaching.iso_row and iso is not None:
            told[bleaching.iso_row] = iso
    for row in mill.plan.values():
        if row.id not in told and row.test not in SET_TESTS and (value := solved_at(line, row)) is not None:
            told[row.id] = value
    return told


def expected(mill: Mill, line: Line, mix: Mix) -> dict[str, float]:
    """The same with what the furnish gives the machine's chest."""
    told = of_line(mill, line)
    for test, name in OF_THE_MIX.items():
        told[f"{mill.roles.point}.{test}"] = float(getattr(mix, name))
    return {row: value for row, value in told.items() if row in mill.plan}


@dataclass(frozen=True, slots=True, kw_only=True)
class RunningCost:
    """What the line costs as it is run, by prices that are defaults until the mill gives its own."""

    chemicals_h: float = figure("Bleaching and oxygen chemicals", "an h", decimals=0, equation="Σ kg/h × price")
    steam_h: float = figure("Steam of the evaporators", "an h", decimals=0, equation="t/h × price")
    power_h: float = figure("Power of chip refining", "an h", decimals=0, equation="MW × price")
    adt_h: float = figure("Drawn by the machine", "ADt/h", decimals=1, equation="t/h OD / 0.9")

    @property
    def whole_h(self) -> float:
        """All three, an hour."""
        return self.chemicals_h + self.steam_h + self.power_h

    @property
    def per_adt(self) -> float:
        """All three a tonne air-dry of furnish; 0 while nothing is drawn."""
        return self.whole_h / self.adt_h if self.adt_h > 0.0 else 0.0


def running_cost(line: Line, drawn_t_h: float, prices: Mapping[str, float] = PRICES) -> RunningCost:
    """The cost of a solved line that gives so much furnish, t/h oven-dry."""
    duties = [pair for acts in line.acts.values() for pair in acts.duties.items()]
    return RunningCost(
        chemicals_h=sum(v * prices.get(name.removesuffix("_kg_h"), 0.0) for name, v in duties),
        steam_h=sum(v for name, v in duties if name == "steam_t_h") * Prices().steam_t,
        power_h=sum(v for name, v in duties if name == "power_mw") * POWER_MWH,
        adt_h=drawn_t_h / 0.9,
    )
