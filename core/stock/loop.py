"""The consistency loop at a pump suction: gain, the water for an error, valve range and dead time."""

import math
from dataclasses import dataclass

from core.errors import Caution, Infeasible
from core.quantity import check, figure, quantity
from core.register import Check, model

NO_CONTROL_BELOW_PCT = 10.0
FULL_ABOVE_PCT = 90.0
DEAD_TIMES_TO_WAIT = 3.0


@dataclass(frozen=True, slots=True, kw_only=True)
class LoopCase:
    stock_l_min: float = quantity("Stock on", "L/min", possible=(0, 500_000), above=True, valid=(10, 100_000), decimals=0)
    inlet_pct: float = quantity("Chest outlet", "%", possible=(0, 60), above=True, valid=(0.3, 16))
    target_pct: float = quantity("Wanted after it", "%", possible=(0, 60), above=True, valid=(0.3, 16))
    measured_pct: float = quantity("Found after it", "%", possible=(0, 60), above=True, valid=(0.3, 16), help="laboratory")
    water_cons_pct: float = quantity("White water", "%", possible=(0, 5), valid=(0, 0.6), default=0.0)
    water_max_l_min: float = quantity("Valve, full open", "L/min", possible=(0, 200_000), above=True, decimals=0)
    pipe_m: float = quantity("Pipe to the meter", "m", possible=(0, 500), decimals=1, default=6.0)
    pipe_mm: float = quantity("Pipe bore", "mm", possible=(10, 2000), decimals=0, default=150.0)
    filter_s: float = quantity("Meter filter", "s", possible=(0, 600), decimals=0, default=10.0)


@dataclass(frozen=True, slots=True, kw_only=True)
class Loop:
    water_now_l_min: float = figure(
        "Water now", "L/min", decimals=0, equation="what makes the found consistency: Q (C in − C)/(C − C water)"
    )
    water_wanted_l_min: float = figure("Water wanted", "L/min", decimals=0, equation="Q (C in − C*)/(C* − C water)")
    change_l_min: float = figure(
        "Change of water", "L/min", decimals=0, equation="wanted − now; near the target (Q + W) e/(C − C water)"
    )
    valve_now_pct: float = figure("Valve now", "% of full", decimals=0, equation="100 × water now / full open")
    valve_wanted_pct: float = figure("Valve wanted", "% of full", decimals=0, equation="100 × water wanted / full open")
    flow_l_min: float = figure("After it", "L/min", decimals=0, equation="stock + water now")
    gain_pct_per_l_min: float = figure("Gain", "% per L/min", decimals=5, equation="−(C − C water)/(Q + W)")
    dead_time_s: float = figure("Seen after", "s", decimals=0, equation="pipe volume / flow")
    wait_s: float = figure("Next move not before", "s", decimals=0, equation="3 dead times + meter filter")
    cautions: tuple[Caution, ...] = ()


@model(
    "stock.loop",
    title="Consistency loop at a chest outlet",
    source="mass balance; waiting rule of shift practice",
    holds_for="0.3 to 16 %; valve 10 to 90 % of full",
    equation="ΔQw = (Qin + Qw) e/(C − Cw); seen after pipe volume / flow",
    symbols="Qin=stock_l_min Qw=water_now_l_min C=target_pct Cw=water_cons_pct ΔQw=change_l_min",
    checks=(
        Check(
            {
                "stock_l_min": 588,
                "inlet_pct": 4.8,
                "target_pct": 3.55,
                "measured_pct": 3.46,
                "water_cons_pct": 0.4,
                "water_max_l_min": 420,
            },
            "water_now_l_min",
            257.4,
            0.001,
        ),
    ),
)
def consistency_loop(case: LoopCase) -> Loop | Infeasible:
    """Water now and wanted at a dilution point, what is left of the valve, and how long to wait.

    Raises: ImpossibleInput. Infeasible when no water can make the found or the wanted consistency.
    Worked: 210 m3/h after the water found at 4.35 %, 4.00 % wanted: +18.375 m3/h of clear water.
    """
    cautions = check(case)
    for name, c in (("measured_pct", case.measured_pct), ("target_pct", case.target_pct)):
        if c > case.inlet_pct:
            return Infeasible(
                field=name, reason="is above the chest outlet: water only thins", nearest=case.inlet_pct, unit="%"
            )
        if c <= case.water_cons_pct:
            return Infeasible(field=name, reason="is not above the white water", nearest=case.water_cons_pct, unit="%")

    def water(c: float) -> float:
        return case.stock_l_min * (case.inlet_pct - c) / (c - case.water_cons_pct)

    now, wanted = water(case.measured_pct), water(case.target_pct)
    flow = case.stock_l_min + now
    volume_l = math.pi * (case.pipe_mm / 2000.0) ** 2 * case.pipe_m * 1000.0
    dead = volume_l / flow * 60.0
    full = 100.0 * wanted / case.water_max_l_min
    if full > 100.0:
        cautions += (Caution("water_max_l_min", "The valve cannot give this much: fix the header or cut the flow."),)
    elif full > FULL_ABOVE_PCT:
        cautions += (Caution("water_max_l_min", "The valve would stand above 90 %: little is left to control with."),)
    elif full < NO_CONTROL_BELOW_PCT:
        cautions += (Caution("water_max_l_min", "The valve would stand below 10 %: it does not control there."),)
    return Loop(
        water_now_l_min=now,
        water_wanted_l_min=wanted,
        change_l_min=wanted - now,
        valve_now_pct=100.0 * now / case.water_max_l_min,
        valve_wanted_pct=full,
        flow_l_min=flow,
        gain_pct_per_l_min=-(case.measured_pct - case.water_cons_pct) / flow,
        dead_time_s=dead,
        wait_s=DEAD_TIMES_TO_WAIT * dead + case.filter_s,
        cautions=cautions,
    )
