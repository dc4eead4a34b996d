"""A cascade of screens or cleaners as a unit of the line: what it rejects follows from the pulp that comes and from how its
stages run."""

from collections.abc import Mapping
from dataclasses import dataclass, replace
from functools import lru_cache
from typing import Any

from core.clean.cascade import AT, PARTS, TURNS, CascadeCase, CascadeFound, Solved, Stage, cascade
from core.document import Parts, item, same, text
from core.errors import Caution
from core.learn import Constant
from core.quantity import Quantity, quantities
from core.stream import COMPONENTS, INDEX, N, W
from core.unit import ON, Acts, Facts, Inlet, Upset, Worked, checked, near, of_pulp

SET = ("cones_open", "rv_pct", "feed_pct")  # what people set on a stage as it runs
WARM = "temp_c"
CUT_OF_SAND = Constant(
    field="d50_um",
    sign="d50",
    name="cut of sand at 150 kPa, µm",
    low=20.0,
    high=120.0,
    sd=0.3,
    default=45.0,
    in_log=True,
    tests=("sand",),
)
SHIVES_SIZE = Constant(
    field="shive_um",
    sign="dS",
    name="size of its shives, µm",
    low=60.0,
    high=600.0,
    sd=0.3,
    default=180.0,
    in_log=True,
    tests=("shives",),
)
DEBRIS = Constant(
    field="debris",
    sign="PS",
    name="passage of shives over its default",
    low=0.3,
    high=3.0,
    sd=0.4,
    default=1.0,
    in_log=True,
    tests=("shives",),
)
MOST_IN_PCT, NOTHING_T_H = 60.0, 1e-9
IDLE = CascadeCase(lf=1.0, feed_pct=4.0, stages=(Stage(kind="cleaner", cones_open=1, rv_pct=10.0, feed_pct=0.8),))


@dataclass(frozen=True, slots=True, kw_only=True)
class CascadePlan:
    """How a unit screens or cleans: its stages, where its last reject goes, and the sizes of its dirt.

    `rejects`: the outlet that its last reject takes. What comes and its consistency are those of the pulp; how warm it is when
    it is screened is set, as people cool or warm it.
    """

    name: str = text("Called on its page")
    stages: tuple[Stage, ...] = item(Parts(label="Stages", of=Stage, key="stages", least=1, most=6))
    rejects: str = text("Outlet of the last reject", default="rejects")
    refined: float = same(CascadeCase, "refined", default=0.0)
    temp_c: float = same(CascadeCase, "temp_c", default=45.0)
    sand_um: float = same(CascadeCase, "sand_um", default=100.0)
    shive_um: float = same(CascadeCase, "shive_um", default=180.0)
    sticky_um: float = same(CascadeCase, "sticky_um", default=200.0)
    d50_um: float = same(CascadeCase, "d50_um", default=45.0)
    debris: float = same(CascadeCase, "debris", default=1.0)

    @property
    def stage_count(self) -> int:
        """How many stages rows of the plan and moves may name."""
        return len(self.stages)

    def constants(self) -> tuple[Constant, ...]:
        """The cut of its cleaners by sand, the size of its shives to cleaners, or what passes its screens of them."""
        told = []
        if any(s.cones for s in self.stages):
            told += [CUT_OF_SAND, SHIVES_SIZE]
        if any(s.screens for s in self.stages):
            told.append(DEBRIS)
        return tuple(told)

    def tried(self) -> None:
        """Raises: ImpossibleInput for stages that cannot run."""
        cascade(self.case(None))

    def settings(self) -> Mapping[str, float]:
        told = {f"{name}.{i}": getattr(s, name) for i, s in enumerate(self.stages, start=1) for name in SET}
        return told | {WARM: self.temp_c}

    def settable(self) -> Mapping[str, Quantity]:
        said = quantities(Stage)
        result = {}
        for i, s in enumerate(self.stages, start=1):
            for name in SET:
                what = {"cones_open": "cleaners open" if s.cones else "baskets open"}.get(name, said[name].label.lower())
                result[f"{name}.{i}"] = replace(said[name], label=f"Stage {i}, {what}")
        return result | {WARM: quantities(CascadeCase)[WARM]}

    def set_to(self, values: Mapping[str, float]) -> "CascadePlan":
        values = checked(values, self.settable())
        stages = []
        for i, s in enumerate(self.stages, start=1):
            own = {name: values[f"{name}.{i}"] for name in SET if f"{name}.{i}" in values}
            stages.append(replace(s, **own) if own else s)
        return replace(self, stages=tuple(stages), temp_c=values.get(WARM, self.temp_c))

    def upsets(self) -> tuple[Upset, ...]:
        """Cleaners shut, a drop that falls as with more of them open, a stage half plugged, thicker stock to the first."""
        told = []
        for i, s in enumerate(self.stages, start=1):
            if s.cones_open > 2:
                few, what = (2.0, "cleaners") if s.cones else (1.0, "baskets")
                told.append(Upset(name=f"{few:g} {what} of stage {i} shut", settings={f"cones_open.{i}": s.cones_open - few}))
            if s.cones and s.cones_open >= 2:
                more = float(max(1, round(0.4 * s.cones_open)))
                low = Upset(name=f"the drop of stage {i} falls by half", settings={f"cones_open.{i}": s.cones_open + more})
                told.append(low)
            half = max(1.0, 0.5 * s.rv_pct)
            told.append(Upset(name=f"rejects of stage {i} half plugged", settings={f"rv_pct.{i}": half}))
        thick = min(6.0, 1.3 * self.stages[0].feed_pct)
        told.append(Upset(name="stage 1 fed a third thicker", settings={"feed_pct.1": thick}))
        return tuple(told)

    def case(self, inlet: Inlet | None) -> CascadeCase:
        """The cascade as the pulp that comes meets it; on a tonne of long fibre an hour where none comes."""
        if inlet is None or inlet.solids_t_h <= NOTHING_T_H:
            comes = IDLE
        else:
            parts: dict[str, Any] = {name.lower(): near(inlet.parts[INDEX[name]]) for name in PARTS}
            comes = replace(IDLE, **parts, feed_pct=near(min(MOST_IN_PCT, max(0.1, inlet.cons_pct))))
        return replace(
            comes,
            temp_c=self.temp_c,
            stages=self.stages,
            refined=self.refined,
            sand_um=self.sand_um,
            shive_um=self.shive_um,
            sticky_um=self.sticky_um,
            d50_um=self.d50_um,
            debris=self.debris,
        )

    def act(self, inlet: Inlet) -> Acts:
        """Raises: ImpossibleInput, NotSolved."""
        case = self.case(inlet)
        result = _ran(case)
        done = result.solved
        whole = (done.on_l_min + done.out_l_min + done.filtrate_l_min) * 60.0 / 1000.0
        if inlet.solids_t_h <= NOTHING_T_H:  # worked for its page; nothing runs through it
            return Acts(duties={"power_mw": 0.0}, worked=(Worked(model="clean.cascade", case=case, result=result),))
        on = _shares(done)
        return Acts(
            shares={ON: tuple(on), self.rejects: tuple(1.0 - v for v in on)},
            turns=_turns(case, done) if case.refined > 0.0 else None,
            in_pct=100.0 * sum(done.fed) / whole,
            duties={"power_mw": result.pump_kw / 1000.0},
            worked=(Worked(model="clean.cascade", case=case, result=result),),
            cautions=_called(result),
        )

    def _a_point(self, case: CascadeCase, found: CascadeFound, stage: int) -> float:
        """What one point more of the flow rejected by a stage takes of the dirt that goes on, %."""
        s = self.stages[stage - 1]
        stages = (*self.stages[: stage - 1], replace(s, rv_pct=min(90.0, s.rv_pct + 1.0)), *self.stages[stage:])
        more = cascade(replace(case, stages=stages)).dirt_out_ppm
        return 100.0 * (1.0 - more / found.dirt_out_ppm) if found.dirt_out_ppm > 0.0 else 0.0

    def facts(self, inlet: Inlet, acts: Acts, stage: int = 0) -> Facts:
        """What is lost and how clean it leaves; of a stage its flow, drop or velocity, consistencies and how many are open."""
        found: CascadeFound = acts.worked[0].result
        known = of_pulp(inlet) | {
            "lost_kg_h": found.lost_kg_h,
            "dirt_ppm": found.dirt_out_ppm,
            "dirt_in_ppm": found.dirt_in_ppm,
            "removed_pct": found.removed_pct,
            "on_pct": found.on_pct,
            "sand_pct": found.sand_on_pct,
            "shives_pct": found.shives_on_pct,
            "fibre_lost_pct": found.fibre_lost_pct,
            "last_rv_pct": self.stages[-1].rv_pct,
            "last_pct": found.solved.stages[-1].feed_pct,
        }
        if not 0 < stage <= len(self.stages):
            return known
        s, ran = self.stages[stage - 1], found.solved.stages[stage - 1]
        return known | {
            "kpa": ran.kpa,
            "velocity_m_s": ran.velocity_m_s,
            "flow_l_min": ran.feed_l_min,
            "stage_pct": ran.feed_pct,
            "reject_pct": ran.reject_pct,
            "cones_open": float(s.cones_open),
            "cones_there": max(s.there, s.cones_open),
            "a_point_pct": self._a_point(acts.worked[0].case, found, stage),
            "cone_l_min": s.one,
            "rv_pct": s.rv_pct,
        }


@lru_cache(maxsize=256)
def _ran(case: CascadeCase) -> CascadeFound:
    return cascade(case)


def _shares(done: Solved) -> list[float]:
    """Share of each component that goes on; what is thickened out before a refiner goes back to the water, and so on."""
    on = [1.0] * N
    for i, name in enumerate(PARTS):
        left = done.on[i] + done.out[i]
        if left > 0.0:
            on[INDEX[name]] = done.on[i] / left
    t_h = 60.0 / 1000.0
    water = t_h * (done.on_l_min + done.filtrate_l_min) - sum(done.on)
    leaves = t_h * done.out_l_min - sum(done.out)
    liquor = water / (water + leaves) if water + leaves > 0.0 else 1.0
    for name in COMPONENTS[INDEX["DS"] : W + 1]:
        on[INDEX[name]] = min(1.0, max(0.0, liquor))
    return on


def _turns(case: CascadeCase, done: Solved) -> tuple[tuple[float, ...], ...]:
    """What the reject refiner makes of each component, as shares of what came."""
    k = [[float(i == j) for j in range(N)] for i in range(N)]
    sent = [case.refined * v for v in done.stages[-1].reject]
    for source, into in TURNS.items():
        came = done.fed[AT[source]]
        for name, share in into.items():
            moved = min(1.0, share * sent[AT[source]] / came) if came > 0.0 else 0.0
            k[INDEX[name]][INDEX[source]] += moved
            k[INDEX[source]][INDEX[source]] -= moved
    return tuple(tuple(row) for row in k)


def _called(found: CascadeFound) -> tuple[Caution, ...]:
    """Its cautions under the names of the settings that answer them."""
    told = []
    for c in found.cautions:
        head, _, rest = c.field.partition(".")
        number, _, name = rest.partition(".")
        told.append(replace(c, field=f"{name}.{number}") if head == "stages" and name in SET else c)
    return tuple(told)
