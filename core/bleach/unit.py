"""A bleach plant as a unit of the line: the pulp, its kappa and its carry-over as they come, the charges as they are set."""

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, replace
from functools import lru_cache

from core.bleach.ceilings import too_much
from core.bleach.line import PEROXIDE_MJ_A_KG, Bleached, Plan, alkali_of, bleach, hot, od_of, typical
from core.bleach.mechanical import PeroxideCase, peroxide
from core.bleach.plant import case_of, found_of
from core.bleach.sequence import read
from core.bleach.stages import ACTIVE, CHEMICAL, PUBLISHED, Constants, constants_of
from core.constants import CHLORIDE_IN_DIOXIDE, SODIUM_IN_NAOH
from core.document import List, Number, item, same, text
from core.errors import ImpossibleInput, Problem
from core.learn import Constant
from core.quantity import Quantity, quantities, quantity
from core.soda import bound_sodium, held_at
from core.unit import AIR_DRY, LEAST_KAPPA, Acts, Facts, Inlet, Upset, Warmth, Worked, checked, of_pulp

LOST = {
    "ClO2": "chlorine dioxide",
    "H2O2": "peroxide",
    "NaOH": "alkali",
    "O3": "ozone",
    "NaOCl": "hypochlorite",
    "Cl2": "chlorine",
}
HELD, OVERDUE_MIN, MOST_TOWER_MIN, PEROXIDE_MIN = "held_min", 240.0, 1000.0, 120.0
TOWER_CHARGES = ("H₂O₂", "NaOH")  # of a peroxide tower, % on pulp
_BRIGHTENS = Constant(
    field="brighten_factor",
    sign="b",
    name="brightening, factor",
    low=0.1,
    high=3.0,
    sd=0.3,
    default=1.0,
    in_log=True,
    tests=("brightness",),
)
_CEILING = Constant(
    field="floor_more",
    sign="floor",
    name="ceiling of brightness, % ISO more",
    low=-5.5,
    high=2.5,
    sd=1.0,
    tests=("brightness",),
    later=True,
)
SEQUENCE_LEARNS = (
    Constant(
        field="extract_factor",
        sign="e",
        name="extraction, factor",
        low=0.5,
        high=1.5,
        sd=0.2,
        default=1.0,
        in_log=True,
        tests=("kappa",),
    ),
    _BRIGHTENS,
    Constant(
        field="d0_gain",
        sign="a",
        name="gain of D0",
        low=2.0,
        high=9.0,
        sd=0.3,
        default=PUBLISHED.d0_gain,
        in_log=True,
        tests=("kappa",),
        later=True,
    ),
    _CEILING,
)
TOWER_LEARNS = (_BRIGHTENS, _CEILING)
CHARGE = Quantity(
    label="Charge", unit="kg/ADt", possible=(0.0, 100.0), valid=(0.0, 40.0), above=False, decimals=1, help="", equation=""
)


@dataclass(frozen=True, slots=True, kw_only=True)
class BleachPlan:
    """How pulp is bleached: a sequence with its charges, kg/ADt in the order of its stages, or one peroxide tower on
    mechanical pulp.

    `iso_row`: the plan row of its brightness, or empty. `iso_in`: brightness of the mechanical pulp that comes; its charges
    are peroxide and alkali, % on pulp.
    """

    wood: str = text("Pulp")
    sequence: str = text("Sequence", default="")
    charges: tuple[float, ...] = item(List(label="Charges", of=Number(said=CHARGE), least=1, most=12))
    iso_in: float = same(PeroxideCase, "iso_pct", default=0.0, possible=(0.0, 99.0), above=False)
    iso_row: str = text("Row of its brightness", default="", names="plan")
    held_min: float = quantity("Longer in the last tower", "min", possible=(0, 600), valid=(0, 120), decimals=0, default=0.0)
    tower_c: float = quantity("Peroxide tower kept at", "°C", possible=(5, 99), valid=(60, 75), decimals=0, default=70.0)
    water_c: float = quantity("Wash water between stages", "°C", possible=(0, 100), valid=(30, 90), decimals=0, default=60.0)
    d0_gain: float = same(Constants, "d0_gain", default=PUBLISHED.d0_gain)
    extract_factor: float = same(Constants, "extract_factor", default=PUBLISHED.extract_factor)
    brighten_factor: float = same(Constants, "brighten_factor", default=PUBLISHED.brighten_factor)
    floor_more: float = same(Constants, "floor_more", default=PUBLISHED.floor_more)

    @property
    def own(self) -> Constants:
        """The constants of its stages as this mill has them."""
        return constants_of(self)

    @property
    def stage_count(self) -> int:
        """How many stages rows of the plan and moves may name; a tower has none."""
        return len(self.charges) if self.sequence else 0

    def constants(self) -> tuple[Constant, ...]:
        return SEQUENCE_LEARNS if self.sequence else TOWER_LEARNS

    def tried(self) -> None:
        """Raises: ImpossibleInput for a sequence, a pulp or charges that cannot be."""
        if self.sequence:
            stages = read(self.sequence).stages
            if len(stages) != len(self.charges):
                told = f"are {len(self.charges)}; {self.sequence} has {len(stages)} stages, one charge each"
                raise ImpossibleInput(Problem("charges", told))
        elif len(self.charges) != len(TOWER_CHARGES):
            raise ImpossibleInput(Problem("charges", "must be two: peroxide and alkali, % on pulp"))
        bleached(self, 12.0)

    def settings(self) -> Mapping[str, float]:
        charges = {f"charge.{i}": v for i, v in enumerate(self.charges, start=1)}
        return charges | {HELD: self.held_min} if self.sequence else charges

    def settable(self) -> Mapping[str, Quantity]:
        names = [stage.name for stage in read(self.sequence).stages] if self.sequence else TOWER_CHARGES
        unit = "kg/ADt" if self.sequence else "% on pulp"
        pairs = enumerate(zip(names, self.charges, strict=False), start=1)
        charges = {f"charge.{i}": replace(CHARGE, label=f"{name}, charge", unit=unit) for i, (name, _) in pairs}
        return charges | {HELD: quantities(BleachPlan)[HELD]} if self.sequence else charges

    def set_to(self, values: Mapping[str, float]) -> "BleachPlan":
        checked(values, self.settable())
        now = {**self.settings(), **values}
        held = now.pop(HELD, 0.0)
        kept = tuple(now.values())
        if self.sequence:
            problems = [
                Problem(f"charge.{i}", why)
                for i, (stage, kg) in enumerate(zip(read(self.sequence).stages, kept, strict=False), start=1)
                if (why := too_much(stage.name, od_of(kg)))
            ]
            if problems:
                raise ImpossibleInput(*problems)
        return replace(self, charges=kept, held_min=held)

    def upsets(self) -> tuple[Upset, ...]:
        """A chemical that does not come, in all its stages at once."""
        if not self.sequence:
            return (Upset(name="no peroxide", settings={"charge.1": 0.0}),)
        lost: dict[str, dict[str, float]] = {}
        for i, stage in enumerate(read(self.sequence).stages, start=1):
            if stage.name in CHEMICAL and self.charges[i - 1] > 0.0:
                lost.setdefault(CHEMICAL[stage.name], {})[f"charge.{i}"] = 0.0
        late = Upset(
            name=f"the last tower stands {OVERDUE_MIN / 60.0:.0f} h longer", settings={HELD: self.held_min + OVERDUE_MIN}
        )
        return (*(Upset(name=f"no {LOST.get(key, key)}", settings=settings) for key, settings in lost.items()), late)

    def passes_min(self, inlet: Inlet) -> float:
        """How long pulp is in its towers, min; of a peroxide tower what is usual."""
        if not self.sequence:
            return PEROXIDE_MIN
        return sum(s.minutes for s in self.plan(min(200.0, max(LEAST_KAPPA, inlet.kappa))).settings)

    def felt_min(self, inlet: Inlet, settings: Iterable[str]) -> float:
        """How long pulp is on its way from where the first of these settings acts to where it leaves, min."""
        stages = [int(name.partition(".")[2]) for name in settings if name.startswith("charge.")]
        if not self.sequence or not stages:
            return self.passes_min(inlet)
        minutes = [s.minutes for s in self.plan(min(200.0, max(LEAST_KAPPA, inlet.kappa))).settings]
        return sum(minutes[min(stages) - 1 :])

    def plan(self, kappa: float, cod: float = 0.0) -> Plan:
        """The sequence as it runs on pulp of a kappa that carries so much COD, kg/ODt."""
        sequence = read(self.sequence)
        settings = list(typical(sequence, kappa))
        for i, kg in enumerate(self.charges):
            settings[i] = replace(settings[i], charge=od_of(kg))
        settings[-1] = replace(settings[-1], minutes=min(MOST_TOWER_MIN, settings[-1].minutes + self.held_min))
        settled = tuple(settings)
        return Plan(sequence=sequence, settings=settled, wood=self.wood, kappa=kappa, cod=cod, own=self.own)

    def act(self, inlet: Inlet) -> Acts:
        """Raises: ImpossibleInput."""
        if not self.sequence:
            return self._tower(inlet)
        kappa, cod = min(200.0, max(LEAST_KAPPA, inlet.kappa)), inlet.kg_odt("COD")
        plan = self.plan(kappa, cod)
        done = _bleached(self, kappa, cod)
        pulp = inlet.solids_t_h
        kg = {name: v / 0.9 * pulp for name, v in done.chemicals.items()}
        return Acts(
            dissolves=max(0.0, 1.0 - done.yield_pct / 100.0),
            kappa=done.kappa,
            iso_pct=done.iso,
            adds={name: kg * pulp - inlet.kg_h(name) for name, kg in done.steps[-1].done.pulp.oxidants.items()}
            | {
                "COD": (done.cod / 0.9 - cod) * pulp,
                "CL": CHLORIDE_IN_DIOXIDE * kg.get("ClO2", 0.0),
                "ALK": alkali_of(done) * pulp,
            }
            | held_at(inlet, bound_sodium(self.wood, done.steps[-1].setting.ph), SODIUM_IN_NAOH * kg.get("NaOH", 0.0)),
            duties={f"{name}_kg_h": v for name, v in kg.items()},
            warmth=Warmth(stages=hot(done), water_c=self.water_c),
            worked=(Worked(model="bleach.plant", case=case_of(plan), result=found_of(done)),),
        )

    def facts(self, inlet: Inlet, acts: Acts, stage: int = 0) -> Facts:
        """Of a stage: its charge, kg/ADt, pH, time, temperature, and the pulp in and out of it with what is left, g/L. Of a
        peroxide tower: peroxide and alkali, kg/ADt."""
        known = of_pulp(inlet)
        if not self.sequence:
            oxidant, alkali = (10.0 * AIR_DRY * pct for pct in self.charges)
            return known | {"line": "mechanical", "h2o2_kg": oxidant, "naoh_kg": alkali, "iso_pct": acts.iso_pct or 0.0}
        steps = acts.worked[0].result.bleached.steps
        if not 0 < stage <= len(steps):
            return known | {"kappa": acts.kappa or 0.0, "iso_pct": acts.iso_pct or 0.0}
        step = steps[stage - 1]
        setting, charged = step.setting, {name: AIR_DRY * kg for name, kg in step.charged.items()}
        active = sum(ACTIVE.get(name, 0.0) * kg for name, kg in charged.items())
        if "NaOH" in charged:
            known["alkali_kg"] = charged["NaOH"]
        return known | {
            "line": "chemical",
            "kappa_in": step.into.kappa,
            "iso_in": step.into.iso,
            "kappa": step.done.pulp.kappa,
            "iso_pct": step.done.pulp.iso,
            "residual_g_l": step.done.residual * setting.cons_pct / (100.0 - setting.cons_pct),
            "left_pct": min(100.0, 100.0 * step.done.residual / setting.charge) if setting.charge > 0.0 else 0.0,
            "charge_kg": AIR_DRY * setting.charge,
            "clo2_kg": charged.get("ClO2", 0.0),
            "h2o2_kg": charged.get("H2O2", 0.0),
            "naoh_kg": charged.get("NaOH", 0.0),
            "active_kg": active,
            "minutes": setting.minutes,
            "temp_c": setting.temp_c,
            "ph": setting.ph,
            "cons_pct": setting.cons_pct,
            "brighten_factor": self.brighten_factor,
            "floor_more": self.floor_more,
        }

    def _tower(self, inlet: Inlet) -> Acts:
        oxidant, alkali = self.charges
        case = PeroxideCase(
            wood=self.wood,
            iso_pct=self.iso_in,
            peroxide_pct=oxidant,
            naoh_pct=alkali,
            gain_factor=self.brighten_factor,
            ceiling_more=self.floor_more,
        )
        result = peroxide(case)
        pulp = 10.0 * inlet.solids_t_h  # kg of each % on pulp
        return Acts(
            kappa=0.0,
            iso_pct=result.iso_out,
            adds={"SOD": SODIUM_IN_NAOH * alkali * pulp},
            warmth=Warmth(to_c=self.tower_c, leaves_c=self.tower_c, reaction_mj_h=PEROXIDE_MJ_A_KG * oxidant * pulp),
            duties={"H2O2_kg_h": oxidant * pulp, "NaOH_kg_h": alkali * pulp},
            worked=(Worked(model="bleach.peroxide_mechanical", case=case, result=result),),
            cautions=result.cautions,
        )


@lru_cache(maxsize=256)
def _bleached(plan: BleachPlan, kappa: float, cod: float) -> Bleached:
    return bleach(plan.plan(kappa, cod), over="mind")


def bleached(plan: BleachPlan, kappa: float) -> tuple[float, float]:
    """(kappa, % ISO) of a bleach plan on clean pulp of a kappa. Raises: ImpossibleInput."""
    inlet = Inlet(
        solids_t_h=1.0, fibre_t_h=1.0, water_t_h=9.0, dissolved_t_h=0.0, temp_c=60.0, kappa=kappa, iso_pct=0.0, csf_ml=600.0
    )
    acts = plan.act(inlet)
    return acts.kappa or 0.0, acts.iso_pct or 0.0
