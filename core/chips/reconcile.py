"""The chip meter held against the pulp that was made of its wood. Source: mass balance; errors of the three are defaults."""

import math
from dataclasses import dataclass

from core.errors import Caution, Infeasible
from core.quantity import check, figure, quantity
from core.register import Check, model

CONFIDENT = 1.96


@dataclass(frozen=True, slots=True, kw_only=True)
class ReconcileCase:
    wood_t_h: float = quantity("Wood, by its meter", "t/h OD", possible=(0, 1000), above=True, decimals=2)
    hours: float = quantity("Over", "h", possible=(0, 1000), above=True, valid=(4, 48), decimals=1)
    out_t: float = quantity("Pulp taken, by flow and consistency", "t OD", possible=(0, 100_000), decimals=1)
    rise_t: float = quantity("Pulp that the tower gained", "t OD", possible=(-100_000, 100_000), decimals=1, default=0.0)
    share_pct: float = quantity("Pulp of the wood", "%", possible=(0, 100), above=True, valid=(30, 98), decimals=1)
    meter_sd_pct: float = quantity("Chip meter, error", "%", possible=(0.1, 50), valid=(1, 10), decimals=1, default=4.0)
    pulp_sd_pct: float = quantity("Flow, consistency, error", "%", possible=(0.1, 50), valid=(0.5, 5), decimals=1, default=2.0)
    level_sd_t: float = quantity("Level at each end, error", "t OD", possible=(0, 10_000), decimals=2, default=0.5)
    share_sd_pct: float = quantity("Yield, error", "%", possible=(0.1, 50), valid=(1, 8), decimals=1, default=3.0)


@dataclass(frozen=True, slots=True, kw_only=True)
class Reconciled:
    made_t: float = figure("Pulp made", "t OD", decimals=1, equation="taken + gained")
    implied_t_h: float = figure("Wood that it took", "t/h OD", decimals=2, equation="made / (pulp of the wood × hours)")
    off_pct: float = figure("Meter over it by", "%", decimals=1, equation="100 (meter / wood that it took − 1)")
    half_pct: float = figure("95 %, each way", "%", decimals=1, equation="1.96 √Σ errors² of meter, pulp, levels, yield")
    factor: float = figure("Factor on the meter", "", decimals=3, equation="wood that it took / meter")
    cautions: tuple[Caution, ...] = ()

    @property
    def apart(self) -> bool:
        """Whether they differ by more than their errors."""
        return abs(self.off_pct) > self.half_pct


_CASE = {"wood_t_h": 11.0, "hours": 8.0, "out_t": 34.0, "rise_t": 2.0, "share_pct": 42.0}


@model(
    "chips.reconcile",
    title="Chip meter against pulp made",
    source="mass balance; errors of meter, flow, level and yield are defaults to be calibrated",
    holds_for="hours enough that the levels at both ends are a small part; no stop and no other wood on the line",
    equation="wood = (taken + gained)/(pulp of the wood × hours)",
    calibrated_by=("meter_sd_pct", "pulp_sd_pct", "level_sd_t", "share_sd_pct"),
    basis="default",
    checks=(
        Check(_CASE, "made_t", 36.0),
        Check(_CASE, "implied_t_h", 36.0 / (0.42 * 8.0)),
        Check(_CASE, "off_pct", 100.0 * (11.0 * 0.42 * 8.0 / 36.0 - 1.0), 1e-6),
        Check(_CASE, "half_pct", 1.96 * math.sqrt(16.0 + (2.0 * 34.0 / 36.0) ** 2 + 2.0 * (50.0 / 36.0) ** 2 + 9.0), 1e-6),
    ),
)
def reconcile(case: ReconcileCase) -> Reconciled | Infeasible:
    """What the pulp made says of the chip meter. Infeasible where no pulp was made. Raises: ImpossibleInput."""
    cautions = check(case)
    made = case.out_t + case.rise_t
    if made <= 0.0:
        return Infeasible(field="out_t", reason="and the level say that no pulp was made: there is nothing to hold it against")
    implied = made / (case.share_pct / 100.0 * case.hours)
    off = 100.0 * (case.wood_t_h / implied - 1.0)
    pulp = case.pulp_sd_pct * case.out_t / made
    levels = math.sqrt(2.0) * 100.0 * case.level_sd_t / made
    half = CONFIDENT * math.sqrt(case.meter_sd_pct**2 + pulp**2 + levels**2 + case.share_sd_pct**2)
    if abs(off) > half:
        more = "more" if off > 0.0 else "less"
        told = f"the meter tells {abs(off):.0f} % {more} wood than became pulp, beyond ± {half:.0f} %"
        why = "check its zero, bulk density and moisture, then yield and the consistency meter"
        cautions += (Caution("wood_t_h", f"{told}: {why}"),)
    return Reconciled(
        made_t=made, implied_t_h=implied, off_pct=off, half_pct=half, factor=implied / case.wood_t_h, cautions=cautions
    )
