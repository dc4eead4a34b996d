"""A bleach plant as one registered model: its stages with their charges on a pulp, to the pulp that leaves and what it took.

Source: models, sections 7.3 and 7.4; every constant is a default to be calibrated.
"""

from dataclasses import asdict, dataclass
from typing import Final

from core.bleach.line import ALKALINE, Bleached, Plan, ad_of, bleach, hours, od_of
from core.bleach.sequence import read
from core.bleach.stages import CHEMICAL, PUBLISHED, Constants, Setting, constants_of
from core.document import same
from core.errors import Caution, ImpossibleInput, Problem, as_named
from core.quantity import check, choice, figure, leaf, quantity, rows
from core.register import Check, model
from core.wash.oxygen import WOODS

STAGES: Final = (*CHEMICAL, "W", "X")
LYES: Final = ("by the pH", "as charged", "as charged, pH measured")  # what leads: the pH, the NaOH, or both
BY_CHARGE: Final = ("E", "EO")  # their charge is the NaOH
BY_KAPPA = 0.0  # brightness in: told by the kappa


@dataclass(frozen=True, slots=True, kw_only=True)
class StageRow:
    """One stage as it is run: its charge of 100 % chemical (an alkaline stage with P: peroxide), and whether a wash follows."""

    name: str = choice("Stage", STAGES)
    charge_kg: float = quantity("Charge", "kg/ADt", possible=(0, 100), valid=(0, 40), decimals=1)
    minutes: float = quantity("Time", "min", possible=(0, 1000), valid=(0, 300), decimals=0)
    temp_c: float = quantity("Temperature", "°C", possible=(5, 130), valid=(30, 110), decimals=0)
    ph: float = quantity("pH", "", possible=(0, 14), decimals=1)
    cons_pct: float = quantity("Consistency", "%", possible=(1, 40), valid=(3, 40), decimals=0, default=11.0)
    bar_abs: float = quantity("Pressure, of O", "bar abs", possible=(1, 15), valid=(3, 10), decimals=1, default=6.0)
    lye: str = choice("NaOH of an alkaline stage", LYES, default=LYES[0])
    naoh_kg: float = quantity("NaOH of it", "kg/ADt", possible=(0, 40), valid=(0, 30), decimals=1, default=0.0)
    wash: str = choice("After it", ("wash", "no wash"), default="wash")


@dataclass(frozen=True, slots=True, kw_only=True)
class PlantCase:
    wood: str = choice("Pulp", tuple(WOODS))
    kappa: float = quantity("Kappa in", "", possible=(0, 200), above=True, valid=(4, 35), decimals=1)
    cod_kg: float = quantity("COD carried in", "kg/ODt", possible=(0, 300), valid=(0, 30), decimals=1, default=0.0)
    iso_pct: float = quantity(
        "Brightness in", "% ISO", possible=(0, 99), valid=(0, 70), decimals=1, default=BY_KAPPA, help="0: by the kappa"
    )
    d0_gain: float = same(Constants, "d0_gain", default=PUBLISHED.d0_gain)
    extract_factor: float = same(Constants, "extract_factor", default=PUBLISHED.extract_factor)
    brighten_factor: float = same(Constants, "brighten_factor", default=PUBLISHED.brighten_factor)
    floor_more: float = same(Constants, "floor_more", default=PUBLISHED.floor_more)
    stages: tuple[StageRow, ...] = rows("Stage", StageRow, most=12)


@dataclass(frozen=True, slots=True, kw_only=True)
class PlantFound:
    """What the plant makes of the pulp; `bleached` holds its stages one by one."""

    iso_pct: float = figure(
        "Brightness", "% ISO", decimals=1, equation="K/S stage by stage, then R = 1 + K/S − √((K/S)² + 2 K/S)"
    )
    kappa: float = figure("Kappa at the end", "", decimals=2, equation="stage by stage")
    left_kg: float = figure("Left in the last tower", "kg/ODt", decimals=2, equation="charge − what reacted")
    viscosity: float = figure("Viscosity by", "mL/g", decimals=0, equation="sum over the stages")
    clo2_kg: float = figure("ClO₂", "kg/ADt", decimals=1, equation="sum over the stages")
    h2o2_kg: float = figure("H₂O₂", "kg/ADt", decimals=1, equation="sum over the stages")
    naoh_kg: float = figure("NaOH", "kg/ADt", decimals=1, equation="sum over the stages; by the pH where not given")
    cost: float = figure("Chemicals cost", "a t AD", decimals=2, equation="charges × prices, defaults")
    aox_kg: float = figure("AOX, untreated", "kg/ADt", decimals=2, equation="0.12 (Cl₂ + 0.2 active Cl of ClO₂)")
    cod_kg: float = figure("COD", "kg/ADt", decimals=0, equation="what came in + 2.0 a kappa removed")
    yield_pct: float = figure("Yield of what came in", "%", decimals=1, equation="100 − 0.13 a kappa removed")
    hours: float = figure("Hours through", "h", decimals=1, equation="stages and washes")
    bleached: Bleached
    cautions: tuple[Caution, ...] = ()


def case_of(plan: Plan) -> PlantCase:
    """A plan as the case of this model."""
    return PlantCase(
        wood=plan.wood,
        kappa=plan.kappa,
        cod_kg=plan.cod,
        iso_pct=BY_KAPPA if plan.iso_pct is None else plan.iso_pct,
        **asdict(plan.own),
        stages=tuple(
            StageRow(
                name=stage.name,
                charge_kg=ad_of(s.charge),
                minutes=s.minutes,
                temp_c=s.temp_c,
                ph=s.ph,
                cons_pct=s.cons_pct,
                bar_abs=s.bar_abs,
                lye=LYES[0] if i not in plan.naoh and i not in plan.measured else LYES[2 if i in plan.measured else 1],
                naoh_kg=ad_of(plan.naoh.get(i, 0.0)),
                wash="wash" if stage.washed else "no wash",
            )
            for i, (stage, s) in enumerate(zip(plan.sequence.stages, plan.settings, strict=True))
        ),
    )


def plan_of(case: PlantCase) -> Plan:
    """The plan of a case. Raises: ImpossibleInput for stages that make no sequence."""
    last = len(case.stages) - 1
    text = "".join(s.name + ("" if i == last else "-" if s.wash == "wash" else "/") for i, s in enumerate(case.stages))
    sequence = read(text)
    if len(sequence.stages) != len(case.stages):
        raise ImpossibleInput(Problem("stages", f"read as {sequence.text}: put a wash between codes that run into each other"))
    settings = tuple(
        Setting(charge=od_of(s.charge_kg), minutes=s.minutes, temp_c=s.temp_c, ph=s.ph, cons_pct=s.cons_pct, bar_abs=s.bar_abs)
        for s in case.stages
    )
    iso = None if case.iso_pct == BY_KAPPA else case.iso_pct
    lyes = [(i, s) for i, s in enumerate(case.stages) if s.lye != LYES[0] and s.name in ALKALINE]
    return Plan(
        sequence=sequence,
        settings=settings,
        wood=case.wood,
        kappa=case.kappa,
        cod=case.cod_kg,
        iso_pct=iso,
        naoh={i: od_of(s.naoh_kg) for i, s in lyes if s.name not in BY_CHARGE},
        measured=frozenset(i for i, s in lyes if s.lye == LYES[2]),
        own=constants_of(case),
    )


def _row(name: str, charge: float, minutes: float, temp_c: float, ph: float) -> dict[str, float | str]:
    return {"name": name, "charge_kg": 0.9 * charge, "minutes": minutes, "temp_c": temp_c, "ph": ph}


_HARDWOOD = {
    "wood": "hardwood",
    "kappa": 18,
    "stages": (
        _row("O", 18, 60, 95, 10.6) | {"cons_pct": 12},
        _row("D0", 9.844, 45, 60, 2.5),
        _row("EOP", 3, 75, 75, 10.8),
        _row("D1", 7, 150, 75, 3.8),
    ),
}


# the published row leaves the carry-over between its stages out, which takes a hundredth of the last kappa
@model(
    "bleach.plant",
    title="A bleach plant",
    source="stage models in turn; constants are defaults to be calibrated",
    holds_for="ECF, TCF and old sequences of 1 to 12 stages on kraft, soda and sulphite pulp",
    equation="pulp, residual and carry-over of each stage go into the next; a wash keeps 0.10 of the dissolved",
    calibrated_by=("d0_gain", "extract_factor", "brighten_factor", "floor_more"),
    basis="default",
    checks=(Check(_HARDWOOD, "iso_pct", 88.2, 1e-2), Check(_HARDWOOD, "kappa", 1.71, 5e-2)),
)
def plant(case: PlantCase) -> PlantFound:
    """The plant of a case. Raises: ImpossibleInput, its fields named as the case has them (kappa, stages.2.charge_kg)."""
    cautions = check(case)
    with as_named(_leaf):
        return found_of(bleach(plan_of(case), over="mind"), cautions)


def _leaf(name: str) -> str:
    """s2.charge of the sequence is stages.2.charge_kg of the case."""
    head, _, inner = name.partition(".")
    if inner and head[:1] == "s" and head[1:].isdigit():
        return leaf("stages", int(head[1:]), "charge_kg" if inner == "charge" else inner)
    return {"cod": "cod_kg", "sequence": "stages"}.get(name, name)


def found_of(done: Bleached, cautions: tuple[Caution, ...] = ()) -> PlantFound:
    """The figures of a sequence that was run."""
    return PlantFound(
        iso_pct=done.iso,
        kappa=done.kappa,
        left_kg=done.steps[-1].done.residual,
        viscosity=done.viscosity,
        clo2_kg=done.chemicals.get("ClO2", 0.0),
        h2o2_kg=done.chemicals.get("H2O2", 0.0),
        naoh_kg=done.chemicals.get("NaOH", 0.0),
        cost=done.cost,
        aox_kg=done.aox,
        cod_kg=done.cod,
        yield_pct=done.yield_pct,
        hours=hours(done),
        bleached=done,
        cautions=cautions + tuple(Caution("stages", text) for text in done.cautions),
    )
