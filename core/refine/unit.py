"""Low consistency refiners in series as a unit of the line: their power decides the freeness of what leaves."""

from collections.abc import Mapping
from dataclasses import dataclass, replace

from core.document import Parts, item, named, same, text
from core.errors import Caution, ImpossibleInput, Infeasible, Problem
from core.learn import Constant
from core.quantity import Quantity, choice, quantities, quantity
from core.refine.furnish import FURNISHES, STRENGTHS
from core.refine.load import Unit, edge_load
from core.refine.response import (
    FreenessCase,
    FreenessFound,
    Pass,
    StrengthCase,
    energy_for,
    factor,
    freeness,
    strength,
    wears,
)
from core.roots import brentq
from core.unit import Acts, Facts, Inlet, Upset, Worked, checked, near, of_pulp

SET = "gross_kw"
LEAST_SEL, MOST_SEL, NOTHING_T_H = 0.01, 20.0, 1e-9
LEARNS = (
    Constant(
        field="e0_factor",
        sign="E0",
        name="energy of its freeness, factor",
        low=0.35,
        high=2.8,
        sd=0.25,
        default=1.0,
        in_log=True,
        tests=("freeness",),
    ),
)


@dataclass(frozen=True, slots=True, kw_only=True)
class Refiner(Unit):
    """A refiner as it stands: what it is called, its plates, its motor, and the gross power it is set to."""

    name: str = named(default="refiner")
    gross_kw: float = quantity("Gross power", "kW", possible=(0, 30_000), valid=(10, 3000), decimals=0, default=0.0)
    least_gap_mm: float = quantity("Least gap", "mm", possible=(0, 5), decimals=2, default=0.0)
    least_l_min: float = quantity("Flow, at least", "L/min", possible=(0, 100_000), decimals=0, default=0.0, help="0: not told")
    most_l_min: float = quantity("Flow, at most", "L/min", possible=(0, 100_000), decimals=0, default=0.0, help="0: not told")

    @property
    def net_kw(self) -> float:
        """Power that refines; nothing under the no-load."""
        return max(0.0, self.gross_kw - self.no_load_kw)

    @property
    def edge(self) -> float:
        """Edge that passes a second, km."""
        return self.cel_km * self.rpm / 60.0

    @property
    def sel(self) -> float:
        """Edge load, J/m."""
        return edge_load(self.net_kw, self.cel_km, self.rpm)


@dataclass(frozen=True, slots=True, kw_only=True)
class RefinerPlan:
    """How a unit refines: furnish, refiners in the order of the pulp, each with its gross power."""

    name: str = text("Called on its page")
    furnish: str = choice("Furnish", tuple(FURNISHES))
    refiners: tuple[Refiner, ...] = item(Parts(label="Refiners", of=Refiner, key="refiners", least=1, most=6))
    arranged: str = choice("Arranged", ("series", "parallel"), default="series")
    ph: float = same(FreenessCase, "ph", default=7.0)
    temp_c: float = same(FreenessCase, "temp_c", default=40.0)
    wear: float = same(FreenessCase, "wear", default=0.0)
    length_mm: float = same(StrengthCase, "length_mm", default=2.0)
    e0_factor: float = quantity("Energy over its default", "", possible=(0.2, 5), valid=(0.5, 2), decimals=2, default=1.0)

    @property
    def parallel(self) -> bool:
        """Whether the pulp is shared between several refiners."""
        return self.arranged == "parallel" and len(self.refiners) > 1

    def share_t_h(self, r: Refiner, od_t_h: float) -> float:
        """Pulp that passes a refiner, t/h: all of it in series, by its edge in parallel."""
        return od_t_h * r.edge / sum(x.edge for x in self.refiners) if self.parallel else od_t_h

    @property
    def stage_count(self) -> int:
        """How many refiners rows of the plan and moves may name."""
        return len(self.refiners)

    def tried(self) -> None:
        """Raises: ImpossibleInput for a refiner set over its motor."""
        bad = [
            Problem(f"refiners[{i}].gross_kw", f"is {r.gross_kw:g} kW, over its motor, {r.motor_kw:g} kW")
            for i, r in enumerate(self.refiners)
            if 0.0 < r.motor_kw < r.gross_kw
        ]
        if bad:
            raise ImpossibleInput(*bad)

    def constants(self) -> tuple[Constant, ...]:
        return LEARNS

    def settings(self) -> Mapping[str, float]:
        return {f"{SET}.{i}": r.gross_kw for i, r in enumerate(self.refiners, start=1)}

    def settable(self) -> Mapping[str, Quantity]:
        said = quantities(Refiner)[SET]
        told = {}
        for i, r in enumerate(self.refiners, start=1):
            most = r.motor_kw or said.possible[1]
            told[f"{SET}.{i}"] = replace(said, label=f"{r.name}, gross power", possible=(0.0, most))
        return told

    def set_to(self, values: Mapping[str, float]) -> "RefinerPlan":
        values = checked(values, self.settable())
        made = tuple(replace(r, gross_kw=values.get(f"{SET}.{i}", r.gross_kw)) for i, r in enumerate(self.refiners, start=1))
        return replace(self, refiners=made)

    def upsets(self) -> tuple[Upset, ...]:
        """A refiner backed out."""
        return tuple(
            Upset(name=f"{r.name} backs out", settings={f"{SET}.{i}": min(r.gross_kw, r.no_load_kw)})
            for i, r in enumerate(self.refiners, start=1)
            if r.net_kw > 0.0
        )

    def passes(self, od_t_h: float) -> tuple[Pass, ...]:
        """Net energy and edge load of every refiner on so much pulp, t/h. In parallel the pulp is shared by their edges, so all
        of it takes the same energy at one edge load: a single pass."""
        if self.parallel and od_t_h > NOTHING_T_H:
            net, edge = sum(r.net_kw for r in self.refiners), sum(r.edge for r in self.refiners)
            return (Pass(kwh_t=near(min(500.0, net / od_t_h)), sel=near(min(20.0, max(LEAST_SEL, net / edge)))),)
        if od_t_h <= NOTHING_T_H:
            return tuple(Pass(kwh_t=0.0, sel=max(LEAST_SEL, r.sel)) for r in self.refiners)
        return tuple(
            Pass(kwh_t=near(min(500.0, r.net_kw / od_t_h)), sel=near(min(20.0, max(LEAST_SEL, r.sel)))) for r in self.refiners
        )

    def case(self, csf_in: float, od_t_h: float) -> FreenessCase:
        """The refiners as the pulp that comes meets them."""
        least = FURNISHES[self.furnish].csf_inf + 1.0
        return FreenessCase(
            furnish=self.furnish,
            csf_in=near(min(900.0, max(least, csf_in))),
            ph=self.ph,
            temp_c=self.temp_c,
            wear=self.wear,
            e0_factor=self.e0_factor,
            passes=self.passes(od_t_h),
        )

    def strength_case(self, csf_in: float, od_t_h: float) -> StrengthCase | None:
        """The same for strength, what was refined before counted at the first edge load; None of a furnish without figures."""
        if self.furnish not in STRENGTHS:
            return None
        passes = self.passes(od_t_h)
        by = factor(self.ph, self.temp_c) * wears(self.wear) * self.e0_factor
        before = by * energy_for(self.furnish, FURNISHES[self.furnish].csf0, csf_in, passes[0].sel)
        first = (Pass(kwh_t=near(min(500.0, before)), sel=passes[0].sel),) if before > 0.0 else ()
        return StrengthCase(
            furnish=self.furnish, length_mm=self.length_mm, ph=self.ph, temp_c=self.temp_c, passes=(*first, *passes)
        )

    def act(self, inlet: Inlet) -> Acts:
        """Raises: ImpossibleInput."""
        case = self.case(inlet.csf_ml, inlet.solids_t_h)
        found = freeness(case)
        worked: tuple[Worked, ...] = (Worked(model="refine.freeness", case=case, result=found),)
        if (made := self.strength_case(case.csf_in, inlet.solids_t_h)) is not None:
            worked += (Worked(model="refine.strength", case=made, result=strength(made)),)
        return Acts(
            csf_ml=found.csf_ml if inlet.solids_t_h > NOTHING_T_H else None,
            duties={"power_mw": sum(r.gross_kw for r in self.refiners) / 1000.0 if inlet.solids_t_h > NOTHING_T_H else 0.0},
            worked=worked,
            cautions=self._called(found) + self.feed_cautions(inlet.solids_t_h, inlet.cons_pct),
        )

    def flow_l_min(self, r: Refiner, od_t_h: float, cons_pct: float) -> float:
        """Stock through a refiner, L/min."""
        return self.share_t_h(r, od_t_h) * 1e5 / 60.0 / cons_pct if cons_pct > 0.0 else 0.0

    def feed_cautions(self, od_t_h: float, cons_pct: float) -> tuple[Caution, ...]:
        """Loaded refiners whose stock is under or over what their plates are made for."""
        told = []
        for i, r in enumerate(self.refiners, start=1):
            flow = self.flow_l_min(r, od_t_h, cons_pct)
            if r.net_kw > 0.0 and flow < r.least_l_min:
                words = f"is loaded at {flow:.0f} L/min of stock, under its {r.least_l_min:.0f}: back {r.name} out first"
                told.append(Caution(f"{SET}.{i}", words))
            elif 0.0 < r.most_l_min < flow:
                words = f"gets {flow:.0f} L/min of stock, over its {r.most_l_min:.0f}: {r.name} passes it by unrefined"
                told.append(Caution(f"{SET}.{i}", words))
        return tuple(told)

    def _called(self, found: FreenessFound) -> tuple[Caution, ...]:
        """Its cautions under the settings that answer them."""
        told = []
        for c in found.cautions:
            head, _, rest = c.field.partition(".")
            number = rest.partition(".")[0]
            told.append(replace(c, field=f"{SET}.{number}") if head == "passes" and number.isdigit() else c)
        return tuple(told)

    def facts(self, inlet: Inlet, acts: Acts, stage: int = 0) -> Facts:
        """Freeness in and out, energy and edge load; of one refiner its power. `a_kwh_t`: mL that a kWh/t more gives."""
        case: FreenessCase = acts.worked[0].case
        found: FreenessFound = acts.worked[0].result
        net = sum(r.net_kw for r in self.refiners)
        known = of_pulp(inlet) | {
            "csf_ml": found.csf_ml,
            "csf_in": case.csf_in,
            "kwh_t": sum(p.kwh_t for p in case.passes),
            "net_kw": net,
            "gross_kw": sum(r.gross_kw for r in self.refiners),
            "a_kwh_t": found.slope,
            "flow_l_min": 1000.0 / 60.0 * (inlet.solids_t_h + inlet.water_t_h),
        }
        if not 0 < stage <= len(self.refiners):
            return known
        r = self.refiners[stage - 1]
        return known | {"sel": r.sel, "gross_kw": r.gross_kw, "net_kw": r.net_kw, "no_load_kw": r.no_load_kw}


def set_for(plan: RefinerPlan, csf_in: float, od_t_h: float, to_csf: float) -> "RefinerPlan | Infeasible":
    """The refiners set for a freeness, at one edge load for all: the lowest greatest intensity. Within their motors.

    Infeasible for a freeness that is there already, or that the motors do not reach, with the one they do. Raises:
    ImpossibleInput.
    """

    def at(sel: float) -> RefinerPlan:
        made = []
        for r in plan.refiners:
            wanted = sel * r.cel_km * r.rpm / 60.0 + r.no_load_kw
            made.append(replace(r, gross_kw=min(wanted, r.motor_kw) if r.motor_kw > 0.0 else wanted))
        return replace(plan, refiners=tuple(made))

    def over(sel: float) -> float:
        return freeness(at(sel).case(csf_in, od_t_h)).csf_ml - to_csf

    if to_csf >= csf_in:
        return Infeasible(field="want", reason="is not under what comes: refining only lowers it", nearest=csf_in, unit="mL")
    if od_t_h <= NOTHING_T_H:
        return Infeasible(field="want", reason="waits for pulp: nothing comes")
    if (least := over(MOST_SEL)) > 0.0:
        return Infeasible(field="want", reason="is beyond these motors and plates", nearest=to_csf + least, unit="mL")
    return at(brentq(over, LEAST_SEL, MOST_SEL, xtol=1e-9))


@dataclass(frozen=True, slots=True, kw_only=True)
class School:
    """A way of refining to a freeness: its edge load, the energy it takes, and the pulp it gives."""

    csf_ml: float
    sel: float
    kwh_t: float
    tensile: float
    tear: float
    length_mm: float


def schools(plan: RefinerPlan, csf_in: float, to_csf: float, sels: tuple[float, ...]) -> tuple[School, ...]:
    """The same freeness by gentle and by hard plates, from the pulp that comes; none of a furnish without strength figures."""
    if plan.furnish not in STRENGTHS or to_csf >= csf_in or to_csf <= FURNISHES[plan.furnish].csf_inf:
        return ()
    return tuple(_school(plan, csf_in, to_csf, sel) for sel in sels)


def trade_off(plan: RefinerPlan, csf_in: float, sel: float, csfs: tuple[float, ...]) -> tuple[School, ...]:
    """Drainage against strength at one edge load: the pulp at every freeness that can be had of what comes."""
    if plan.furnish not in STRENGTHS:
        return ()
    least = FURNISHES[plan.furnish].csf_inf
    return tuple(_school(plan, csf_in, csf, sel) for csf in csfs if least < csf <= csf_in)


def _school(plan: RefinerPlan, csf_in: float, to_csf: float, sel: float) -> School:
    """Energies by this mill's own factor, its pH, temperature and wear."""
    f, by = FURNISHES[plan.furnish], factor(plan.ph, plan.temp_c) * wears(plan.wear) * plan.e0_factor
    csf0 = max(f.csf0, csf_in)
    whole, before = (energy_for(plan.furnish, csf0, csf, sel) * by for csf in (to_csf, csf_in))
    one = Pass(kwh_t=near(min(500.0, whole)), sel=sel)
    found = strength(
        StrengthCase(furnish=plan.furnish, length_mm=plan.length_mm, ph=plan.ph, temp_c=plan.temp_c, passes=(one,))
    )
    return School(
        csf_ml=to_csf, sel=sel, kwh_t=whole - before, tensile=found.tensile, tear=found.tear, length_mm=found.length_mm
    )
