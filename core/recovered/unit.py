"""The recovered line as a unit: its steps decide what becomes of fibre, filler, ink and stickies, and how bright it is."""

from collections.abc import Mapping
from dataclasses import dataclass, replace
from functools import lru_cache
from typing import Any, Final

import numpy as np

from core.constants import SODIUM_IN_NAOH
from core.document import Parts, identity, item, same, text
from core.errors import ImpossibleInput, Problem
from core.heat import CP_FIBRE, CP_WATER
from core.learn import Constant
from core.quantity import Quantity, quantities, quantity
from core.recovered.ink import broken
from core.recovered.line import SOLIDS, LineCase, LineFound, Step, line
from core.recovered.pulper import MixCase, MixFound, Paper, mix
from core.recovered.water import WaterCase, WaterFound, water
from core.stream import INDEX, SUSPENDED, N, Vector
from core.unit import ON, Acts, Facts, HotStage, Inlet, Upset, Warmth, Worked, checked, near, of_pulp

SET: Final = {  # what people set on a step as it runs, by its kind
    "pulper": ("kwh_t", "minutes"),
    "flotation": ("air", "water_pct", "dose"),
    "disperger": ("kwh_t",),
    "peroxide": ("dose", "ta", "minutes", "temp_c"),
    "dithionite": ("dose",),
    "thickener": ("to_pct",),
    "washer": ("to_pct",),
}
UPTO = "to_step"
WATER_SET: Final = ("seals_m3_t", "fresh_m3_t")
MIX_SET: Final = ("share", "ash_pct", "unwanted_pct", "eric_ppm", "stickies")  # what bales of a kind turn out to be
CALLED: Final = {
    "air": "air, factor",
    "minutes": "time",
    "water_pct": "water to the foam",
    "kwh_t": "energy",
    "ta": "total alkali",
    "to_pct": "leaves at",
}
DOSES: Final = {"flotation": "soap", "peroxide": "peroxide", "dithionite": "dithionite"}
HOT_PCT: Final = {"disperger": 30.0, "peroxide": 15.0, "dithionite": 10.0}  # steps that are kept warm, at %, default
THINNED: Final = ("flotation", "thickener", "washer")
MJ_A_KWH = 3.6
FIBRES: Final = ("LF", "SF", "FN")
FOREIGN: Final = ("SND", "PLS", "SHV")
NOTHING_T_H = 1e-9
IDLE = LineCase(lf=0.35, sf=0.35, fn=0.14, fl=0.16, eric_ppm=700, steps=(Step(name="takes"),))


@dataclass(frozen=True, slots=True, kw_only=True)
class MixPart(Paper):
    """Bales of a kind in the mix that is loaded."""

    kind: str = identity("Bales", default="bales")


@dataclass(frozen=True, slots=True, kw_only=True)
class RecoveredPlan:
    """How recovered paper is made into stock: its steps, and what is known of the ink and specks that come.

    `rejects`: the outlet of foam, sludge and trash. `to_step`: the pulp is taken after that step (grey), 0: after the last
    (white). `papers`: the bale mix; its filler, ink, stickies and mechanical fibre stand in place of those of the feed of its
    bales, whose long, short and fine fibre keep their parts. `stickies` and `unwanted_pct` are then what the feed is given for.
    Without a mix what comes, its fibre and its filler, are those of the feed.
    """

    name: str = text("Called on its page")
    steps: tuple[Step, ...] = item(Parts(label="Steps", of=Step, key="steps", least=1, most=16))
    rejects: str = text("Outlet of foam and sludge", default="rejects")
    to_step: float = quantity(
        "Pulp taken after step, 0: after the last", "", possible=(0, 16), whole=True, decimals=0, default=0.0
    )
    a0: float = same(LineCase, "a0", default=0.5)
    mechanical: float = same(LineCase, "mechanical", default=0.5)
    stickies: float = same(LineCase, "stickies", default=4000.0)
    dirt: float = same(LineCase, "dirt", default=2000.0)
    ph: float = same(LineCase, "ph", default=9.5)
    pulper_pct: float = same(LineCase, "pulper_pct", default=15.0)
    water_c: float = quantity("Loop water", "°C", possible=(0, 95), valid=(25, 60), decimals=0, default=45.0)
    seals_m3_t: float = same(WaterCase, "seals_m3_t", default=1.5)
    fresh_m3_t: float = same(WaterCase, "fresh_m3_t", default=8.0)
    sludge_pct: float = same(WaterCase, "sludge_pct", default=52.0)
    pulping_kg_t: float = same(WaterCase, "pulping_kg_t", default=18.0)
    bleach_kg_t: float = same(WaterCase, "bleach_kg_t", default=8.0)
    unwanted_pct: float = quantity("Unwanted that the feed is given for", "%", possible=(0, 60), decimals=1, default=0.0)
    papers: tuple[MixPart, ...] = item(Parts(label="Bale mix", of=MixPart, most=8), default=())

    @property
    def mix(self) -> MixFound | None:
        """The bale mix; None where none is given. Raises: ImpossibleInput for shares that are all nothing."""
        return _mixed(self.papers) if self.papers else None

    @property
    def stage_count(self) -> int:
        """How many stages rows of the plan and moves may name."""
        return len(self.steps)

    @property
    def passed(self) -> tuple[Step, ...]:
        """The steps that the pulp passes."""
        return self.steps[: int(self.to_step)] if self.to_step else self.steps

    def constants(self) -> tuple[Constant, ...]:
        return ()

    def tried(self) -> None:
        """Raises: ImpossibleInput for steps that cannot be run."""
        line(self.case(None))
        kinds = [p.kind for p in self.papers]
        if len(set(kinds)) < len(kinds):
            raise ImpossibleInput(Problem("papers", f"name bales twice: {', '.join(kinds)}"))

    def settings(self) -> Mapping[str, float]:
        told = {f"{name}.{p.kind}": getattr(p, name) for p in self.papers for name in MIX_SET}
        told |= {f"{name}.{i}": getattr(s, name) for i, s in enumerate(self.steps, start=1) for name in SET.get(s.name, ())}
        return {UPTO: self.to_step} | told | {name: getattr(self, name) for name in WATER_SET}

    def settable(self) -> Mapping[str, Quantity]:
        said = quantities(Step)
        told = {UPTO: replace(quantities(RecoveredPlan)[UPTO], possible=(0.0, float(len(self.steps))))}
        told |= {name: quantities(RecoveredPlan)[name] for name in WATER_SET}
        of_bales = quantities(MixPart)
        for p in self.papers:
            for name in MIX_SET:
                label = of_bales[name].label
                label = "share of the mix" if name == "share" else label[0].lower() + label[1:]
                told[f"{name}.{p.kind}"] = replace(of_bales[name], label=f"Bales of {p.kind}, {label}")
        for i, s in enumerate(self.steps, start=1):
            for name in SET.get(s.name, ()):
                what = DOSES.get(s.name, "dose") if name == "dose" else CALLED.get(name, said[name].label.lower())
                told[f"{name}.{i}"] = replace(said[name], label=f"{s.called.capitalize()}, {what}")
        return told

    def set_to(self, values: Mapping[str, float]) -> "RecoveredPlan":
        values = checked(values, self.settable())
        steps = []
        for i, s in enumerate(self.steps, start=1):
            own = {name: values[f"{name}.{i}"] for name in SET.get(s.name, ()) if f"{name}.{i}" in values}
            steps.append(replace(s, **own) if own else s)
        papers = []
        for p in self.papers:
            own = {name: values[f"{name}.{p.kind}"] for name in MIX_SET if f"{name}.{p.kind}" in values}
            papers.append(replace(p, **own) if own else p)
        water = {name: values[name] for name in WATER_SET if name in values}
        new = replace(self, steps=tuple(steps), papers=tuple(papers), to_step=values.get(UPTO, self.to_step), **water)
        if papers and sum(p.share for p in papers) <= 0.0:
            raise ImpossibleInput(Problem(f"share.{papers[0].kind}", "is 0, as of all other bales: there is no mix"))
        return new

    def upsets(self) -> tuple[Upset, ...]:
        """Stickies in the bales, air lost, a disperger that stops, no peroxide, no dithionite."""
        told = [
            Upset(
                name=f"{p.kind} comes with four times its stickies", settings={f"stickies.{p.kind}": min(1e6, 4.0 * p.stickies)}
            )
            for p in self.papers
            if p.stickies > 0.0 and p.share > 0.0
        ]
        for i, s in enumerate(self.passed, start=1):
            if s.name == "flotation" and s.air > 0.0:
                told.append(Upset(name=f"{s.called} loses half its air", settings={f"air.{i}": 0.5 * s.air}))
            if s.name == "disperger" and s.kwh_t > 0.0:
                told.append(Upset(name="the disperger stops", settings={f"kwh_t.{i}": 0.0}))
            if s.name in ("peroxide", "dithionite") and s.dose > 0.0:
                told.append(Upset(name=f"no {s.name}", settings={f"dose.{i}": 0.0}))
        return tuple(told)

    def remixed(self, inlet: Inlet, shares: Mapping[str, float]) -> tuple["RecoveredPlan", Inlet]:
        """The plan and what comes to it with other shares of its bales, % as received by kind. Raises: ImpossibleInput."""
        new = self.set_to({f"share.{kind}": pct for kind, pct in shares.items()})
        return new, replace(inlet, parts=tuple(new.loads(np.array(inlet.parts), self.mix).tolist()))

    def case(self, inlet: Inlet | None) -> LineCase:
        """The line as what comes meets it; on ordinary paper where none comes."""
        comes = IDLE
        if inlet is not None and inlet.solids_t_h > NOTHING_T_H:
            masses = {name: max(0.0, inlet.parts[INDEX[name]]) for name in SOLIDS}
            whole = sum(masses.values())
            if whole > NOTHING_T_H:
                shares: dict[str, Any] = {name.lower(): near(min(1.0, m / whole)) for name, m in masses.items()}
                ppm = near(min(5000.0, 1e6 * max(0.0, inlet.parts[INDEX["INK"]]) / whole))
                comes = replace(IDLE, **shares, eric_ppm=ppm)
        pulper, bales = next((s.kwh_t for s in self.passed if s.name == "pulper"), IDLE.at_kwh_t), self.mix
        return replace(
            comes,
            at_kwh_t=min(IDLE.at_kwh_t, pulper),  # gentler pulping is not taken to make fines into fibre
            steps=self.passed,
            a0=self.a0,
            mechanical=bales.mechanical if bales else self.mechanical,
            stickies=bales.stickies if bales else self.stickies,
            dirt=self.dirt,
            ph=self.ph,
            pulper_pct=self.pulper_pct,
        )

    def loads(self, feed: Vector, was: MixFound | None = None) -> Vector:
        """The feed of bales, t/h by component, as this mix makes it: as much solids, with its filler, ink, stickies and
        unwanted matter; fibre takes the rest in the parts it has. The same feed without a mix. `was`: the mix that made the
        feed, where it is one that a mix made already.

        Raises: ImpossibleInput where the mix leaves no fibre.
        """
        bales, solids = self.mix, float(feed @ SUSPENDED)
        if bales is None or solids <= 0.0:
            return feed
        new = feed / solids
        stickies, unwanted = (was.stickies, was.unwanted_pct) if was else (self.stickies, self.unwanted_pct)
        new[INDEX["STK"]] *= bales.stickies / stickies if stickies > 0.0 else 1.0
        for name in FOREIGN:
            new[INDEX[name]] *= bales.unwanted_pct / unwanted if unwanted > 0.0 else 1.0
        if was is not None and was.eric_ppm > 0.0 and was.ash_pct > 0.0:
            new[INDEX["INK"]] *= bales.eric_ppm / was.eric_ppm
            new[INDEX["FL"]] *= bales.ash_pct / was.ash_pct
        else:
            new[INDEX["INK"]] = 1e-6 * bales.eric_ppm
            new[INDEX["FL"]] = max(0.0, bales.ash_pct / 100.0 - new[INDEX["SND"]])
        others = sum(float(new[INDEX[name]]) for name in ("FL", "INK", "STK", *FOREIGN))
        fibre = sum(float(new[INDEX[name]]) for name in FIBRES)
        if others >= 1.0 or fibre <= 0.0:
            told = f"is {bales.ash_pct:g} % in the mix: with its unwanted matter that leaves no fibre"
            raise ImpossibleInput(Problem(f"ash_pct.{self.papers[0].kind}", told))
        for name in FIBRES:
            new[INDEX[name]] *= (1.0 - others) / fibre
        return new * solids

    def act(self, inlet: Inlet) -> Acts:
        """Raises: ImpossibleInput."""
        case = self.case(inlet)
        found = _ran(case)
        worked: tuple[Worked, ...] = (Worked(model="recovered.line", case=case, result=found),)
        duties = self._duties(found, near(inlet.solids_t_h))
        if inlet.solids_t_h <= NOTHING_T_H:
            return Acts(duties=duties, worked=worked, cautions=found.cautions)
        turns, on = _shares(case, found)
        loops = self.water(inlet, found)
        if isinstance(told := water(loops), WaterFound):
            worked += (Worked(model="recovered.water", case=loops, result=told),)
            duties |= {"fresh_m3_h": told.fresh_m3_t * loops.made_t_h}
        load = self.pulping_kg_t * inlet.solids_t_h + self.bleach_kg_t * loops.first_t_h
        return Acts(
            shares={ON: on, self.rejects: tuple(1.0 - v for v in on)},
            turns=turns,
            iso_pct=found.iso_pct,
            s457=found.after[-1].s,
            adds={"SOD": SODIUM_IN_NAOH * duties["NaOH_kg_h"], "COD": load},
            warmth=Warmth(stages=hot, water_c=self.water_c) if (hot := self._hot()) else None,
            duties=duties,
            worked=worked,
            cautions=found.cautions,
        )

    def water(self, inlet: Inlet, found: LineFound) -> WaterCase:
        """The two water loops as the line runs: the first ends at the first mat, the second at the last."""
        mats = [i for i, s in enumerate(self.passed, start=1) if s.name in ("thickener", "washer")]
        first = mats[0] if mats else len(self.passed)
        fed = near(inlet.solids_t_h)
        return WaterCase(
            paper_t_h=fed,
            first_t_h=fed * found.after[first].total,
            first_pct=self.passed[first - 1].to_pct,
            made_t_h=fed * found.after[-1].total,
            made_pct=self.passed[mats[-1] - 1].to_pct if mats else self.passed[-1].to_pct,
            sludge_pct=self.sludge_pct,
            seals_m3_t=self.seals_m3_t,
            fresh_m3_t=self.fresh_m3_t,
            pulping_kg_t=self.pulping_kg_t,
            bleach_kg_t=self.bleach_kg_t,
        )

    def _hot(self) -> tuple[HotStage, ...]:
        """The steps that steam warms, each with the power that the rotor makes warmth of, and what of its warmth is left where
        the stock is thinned with loop water after it."""
        told, passed = [], self.passed
        for i, s in enumerate(passed):
            if s.name not in HOT_PCT:
                continue
            after = next((t for t in passed[i + 1 :] if t.name in HOT_PCT or t.name in THINNED), None)
            thinned = after.feed_pct if after is not None and after.name in THINNED else 0.0
            keeps = _warmth_of(HOT_PCT[s.name]) / _warmth_of(thinned) if thinned > 0.0 else 1.0
            told.append(
                HotStage(to_c=s.temp_c, cons_pct=HOT_PCT[s.name], reaction_mj=MJ_A_KWH * s.kwh_t, keeps=min(1.0, keeps))
            )
        return tuple(told)

    def _duties(self, found: LineFound, solids_t_h: float) -> dict[str, float]:
        """Chemicals kg/h and power, by what comes to each step."""
        told = dict.fromkeys(("H2O2_kg_h", "NaOH_kg_h", "dithionite_kg_h", "soap_kg_h", "power_mw"), 0.0)
        for s, before in zip(self.passed, found.after, strict=False):
            t_h = before.total * solids_t_h
            if s.name == "peroxide":
                told["H2O2_kg_h"] += s.dose * t_h
                told["NaOH_kg_h"] += 10.0 * s.ta * t_h
            elif s.name == "dithionite":
                told["dithionite_kg_h"] += s.dose * t_h
            elif s.name == "flotation":
                told["soap_kg_h"] += s.dose * t_h
            told["power_mw"] += s.kwh_t * t_h / 1000.0
        return told

    def facts(self, inlet: Inlet, acts: Acts, stage: int = 0) -> Facts:
        """What leaves: brightness, ink, ash, stickies, dirt, yield; the first flotation's gain. Of a step, what leaves it."""
        found: LineFound = acts.worked[0].result
        at = found.after[min(stage, len(found.after) - 1)] if stage else found.after[-1]
        known = of_pulp(inlet) | {
            "iso_pct": at.iso_pct,
            "eric_ppm": at.eric_ppm,
            "ash_pct": at.ash_pct,
            "stickies_mm2_kg": at.stickies_mm2_kg,
            "dirt_mm2_kg": at.dirt_mm2_kg,
            "yield_pct": at.yield_pct,
            "gain": found.gain,
            "ash_end_pct": found.ash_pct,
            "sludge_t_h": found.sludge_kg / 1000.0 * inlet.solids_t_h * found.yield_pct / 100.0,
        }
        if 0 < stage < len(found.after):
            s = self.steps[stage - 1]
            known |= {name: getattr(s, name) for name in SET.get(s.name, ())}
            if s.name == "flotation":
                known |= self._a_point(acts.worked[0].case, found, stage, inlet.solids_t_h)
        return known

    def _a_point(self, case: LineCase, found: LineFound, stage: int, solids_t_h: float) -> dict[str, float]:
        """What one point more of the water to the foam of a flotation gives in brightness, and loses, t/h."""
        s = self.steps[stage - 1]
        more = replace(case, steps=(*case.steps[: stage - 1], replace(s, water_pct=s.water_pct + 1.0), *case.steps[stage:]))
        now = line(more)
        gains = (now.after[stage].iso_pct - now.after[stage - 1].iso_pct) - (
            found.after[stage].iso_pct - found.after[stage - 1].iso_pct
        )
        lost = (found.after[stage].total - now.after[stage].total) * solids_t_h
        ash = found.after[-1].ash_pct - now.after[-1].ash_pct
        return {"gain_a_point": max(0.0, gains), "lost_a_point": max(0.0, lost), "ash_a_point": max(0.0, ash)}


def _warmth_of(pct: float) -> float:
    """What a degree takes of stock of a consistency, kJ/kg OD."""
    return CP_FIBRE + CP_WATER * (100.0 - pct) / pct


@lru_cache(maxsize=64)
def _mixed(papers: tuple[MixPart, ...]) -> MixFound:
    return mix(MixCase(papers=papers))


@lru_cache(maxsize=256)
def _ran(case: LineCase) -> LineFound:
    return line(case)


def _shares(case: LineCase, found: LineFound) -> tuple[tuple[tuple[float, ...], ...] | None, tuple[float, ...]]:
    """What pulping turns of each component, if anything, and the share of each that goes on after that."""
    start, end = found.after[0], found.after[-1]
    turns, became = None, dict(start.solids)
    pulper = next((s for s in case.steps if s.name == "pulper"), None)
    more = broken(pulper.kwh_t) - broken(case.at_kwh_t) if pulper else 0.0
    if more > 1e-12:
        k = [[float(i == j) for j in range(N)] for i in range(N)]
        for name in ("LF", "SF"):
            moved = more * start.solids[name]
            became[name] -= moved
            became["FN"] += moved
            k[INDEX["FN"]][INDEX[name]] += more
            k[INDEX[name]][INDEX[name]] -= more
        turns = tuple(tuple(row) for row in k)
    on = [1.0] * N
    for name in SOLIDS:
        if became[name] > 0.0:
            on[INDEX[name]] = min(1.0, max(0.0, end.solids[name] / became[name]))
    on[INDEX["INK"]] = min(1.0, end.ink.total / start.ink.total) if start.ink.total > 0.0 else 1.0
    on[INDEX["STK"]] = min(1.0, end.stickies / start.stickies) if start.stickies > 0.0 else 1.0
    water = 1.0
    for s in case.steps:
        if s.name == "flotation":
            water *= 1.0 - s.water_pct / 100.0 * (1.0 - s.second)
    on[INDEX["W"]] = on[INDEX["DS"]] = water
    return turns, tuple(on)
