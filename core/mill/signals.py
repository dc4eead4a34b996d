"""The meters a mill has by its document."""

from dataclasses import dataclass
from typing import Final

from core.colour import brightness_from_ks
from core.lab.methods import TESTS
from core.line.acting import Line
from core.line.steady import Solution
from core.mill.document import METERED, PlanRow
from core.mill.mill import Mill
from core.stream import INDEX, SUSPENDED


@dataclass(frozen=True, slots=True, kw_only=True)
class SignalSpec:
    """A meter of the mill: what it reads, of which kind, and what it can show. Tags read what.where: level.S.tower."""

    tag: str
    label: str
    unit: str
    kind: str
    low: float
    high: float
    decimals: int
    station: str
    age_min: float
    row: str = ""  # the row of the plan that checks it


METER_TO: Final = {"consistency": 12.0, "kappa": 100.0, "brightness": 95.0, "ph": 14.0, "residual": 5.0, "pressure": 400.0}
MEANS: Final = {  # what a test reads, as a unit names it of itself (`Kind.facts`)
    "kappa": "kappa",
    "soda_loss": "soda_kg_adt",
    "brightness": "iso_pct",
    "freeness": "csf_ml",
    "sand": "sand_pct",
    "shives": "shives_pct",
    "stickies": "stickies_mm2_kg",
    "gain": "gain",
    "drop": "kpa",
    "ash": "ash_pct",
    "ph": "ph",
    "residual_alkali": "residual_g_l",
    "residual_clo2": "residual_g_l",
    "residual_peroxide": "residual_g_l",
}


def solved_at(line: Line, row: PlanRow) -> float | None:
    """What the line's models say of a row of the plan; None for a row that names no unit, or that they do not tell."""
    if not row.unit or row.unit not in line.solution.network.index:
        return None
    result = line.facts(row.unit, row.stage).get(MEANS.get(row.test, ""))
    if result is None and row.unit not in line.acts:
        return _of_pulp(line.solution, line.solution.network.index[row.unit], row.test)
    return None if result is None or isinstance(result, str) else result


def _of_pulp(solved: Solution, i: int, test: str) -> float | None:
    """What a test reads of the pulp at a unit that does nothing to it; None for a test that the balance does not tell."""
    after = solved.after[i]
    solids = float(after @ SUSPENDED)
    if solids <= 0.0:
        return None
    told = {
        "consistency": lambda: 100.0 * solids / float(after.sum()),
        "ash": lambda: 100.0 * float(after[INDEX["FL"]]) / solids,
        "kappa": lambda: float(solved.kappa[i]),
        "freeness": lambda: float(solved.csf_ml[i]),
        "brightness": lambda: brightness_from_ks(max(0.0, float(solved.k457[i] / solved.s457[i]))),
    }
    return told[test]() if test in told else None


def _meter(row: PlanRow) -> SignalSpec:
    """The meter that reads a row of the plan on the line."""
    test, kind = TESTS[row.test], METERED[row.test]
    return SignalSpec(
        tag=row.tag,
        label=f"{row.place}, {test.name if any(map(str.isupper, test.name[1:])) else test.name[0].lower() + test.name[1:]}",
        unit=test.unit,
        kind=kind,
        low=0.0,
        high=METER_TO[kind],
        decimals=test.decimals,
        station=row.station,
        age_min=5.0 if kind == "consistency" else 15.0,
        row=row.id,
    )


def signals(mill: Mill) -> tuple[SignalSpec, ...]:
    """The meters a mill has by its document: a level a vessel, a flow a source, a meter a row of the plan that has one, a
    thermometer a digester."""
    result = [
        SignalSpec(
            tag=f"level.{k}",
            label=f"{v.name}, level",
            unit="%",
            kind="level",
            low=-1.0,
            high=105.0,
            decimals=1,
            station=v.station,
            age_min=15.0,
        )
        for k, v in mill.vessels.items()
    ]
    result += [
        SignalSpec(
            tag=f"flow.{k}",
            label=f"{s.name} to blend, flow",
            unit="L/min",
            kind="flow",
            low=-10.0,
            high=120_000.0,
            decimals=0,
            station="blend",
            age_min=5.0,
        )
        for k, s in mill.sources.items()
    ]
    result += [_meter(r) for r in mill.plan.values() if r.metered]
    result += [
        SignalSpec(
            tag=f"temp.digester.{d}",
            label=f"Digester {d}, circulation",
            unit="°C",
            kind="temperature",
            low=-10.0,
            high=200.0,
            decimals=1,
            station="cook",
            age_min=10.0,
        )
        for d in mill.digesters
    ]
    return tuple(result)
