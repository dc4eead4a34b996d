"""A change carried down the line: what every unit below would do otherwise, figure by figure, from the two solved lines."""

from collections.abc import Iterator
from dataclasses import dataclass
from functools import partial
from itertools import islice

from core.bleach.unit import BleachPlan
from core.cook.unit import CookPlan
from core.judge.band import judge
from core.line.acting import Line
from core.mill.mill import Mill
from core.quantity import labels_alone, quantities
from core.wash.unit import WashPlan
from desk.kit.templatetags.vat import changed, figure, working_path
from desk.kit.units import Schools, shown

PULP = (("kappa", "Kappa out", "", 1), ("iso_pct", "Brightness out", "% ISO", 1), ("csf_ml", "Freeness out", "mL CSF", 0))
UNITS = {"kg_h": "kg/h", "t_h": "t/h", "mw": "MW"}
ROWS = {  # the figure of a unit that a row of the plan judges: where its plan names the row
    "soda_kg_adt": ("loss_row", WashPlan),
    "kappa": ("kappa_row", CookPlan),
    "iso_pct": ("iso_row", BleachPlan),
}
LEAST_T_H = 0.005


@dataclass(frozen=True)
class Moved:
    """One figure of a unit on both lines. `mark` is the state of its band after, where the plan has a row for it; `href` its
    working."""

    label: str
    unit: str
    before: str
    after: str
    change: str
    mark: str = ""
    href: str = ""


@dataclass(frozen=True)
class Step:
    """A unit of the line whose figures move."""

    title: str
    station: str
    rows: tuple[Moved, ...]


def _moved(
    label: str, unit: str, pair: tuple[float, float], decimals: int, schools: Schools | None, mark: str = "", way=None
) -> Moved | None:
    """The figure on both lines where what is read of it differs; `way` makes the address of its working."""
    if pair[0] == pair[1]:
        return None
    (was, name, extra), (now, _, _) = (shown(v, unit, schools) for v in pair)
    places = decimals + extra
    before, after = figure(was, places), figure(now, places)
    if before == after:
        return None
    return Moved(label, name, before, after, changed(was, now, places), mark, way() if way is not None else "")


def _of_unit(mill: Mill, key: str, was: Line, now: Line, schools: Schools | None, back: str) -> Iterator[Moved | None]:
    """What moves at one acting unit: the figures of its models, then the pulp it sends on, then what it uses."""
    a, b = was.acts[key], now.acts[key]
    told = set()
    labels = {said.label.split()[0] for w in b.worked for said in quantities(type(w.result)).values()}
    for name, label, unit, decimals in PULP:
        before, after = getattr(a, name), getattr(b, name)
        if before is not None and after is not None and label.split()[0] not in labels:
            told.add(name)
            yield _moved(label, unit, (before, after), decimals, schools, _mark(mill, key, name, after))
    pairs = [*zip(a.worked, b.worked, strict=False)]
    if key in was.heat.worked and key in now.heat.worked:
        pairs.append((was.heat.worked[key], now.heat.worked[key]))
    for before, after in pairs:
        alone = labels_alone(type(after.result))
        for name, said in quantities(type(after.result)).items():
            pair = (getattr(before.result, name), getattr(after.result, name))
            told.add(name)
            way = partial(working_path, after.model, name, after.case, back)
            yield _moved(alone[name], said.unit, pair, said.decimals, schools, _mark(mill, key, name, pair[1]), way)
    for name, after in b.duties.items():
        kind = next((k for k in UNITS if name.endswith(f"_{k}")), None)
        if kind is not None and name not in told and name != "water_t_h":
            what = name.removesuffix(f"_{kind}").replace("_", " ")
            yield _moved(what[0].upper() + what[1:], UNITS[kind], (a.duties.get(name, 0.0), after), 1, schools)


def _mark(mill: Mill, key: str, name: str, value: float) -> str:
    """The state of the plan row that judges a figure of a unit, where one does."""
    plan = mill.plans.get(key)
    field, of = ROWS.get(name, ("", None))
    row = mill.plan.get(getattr(plan, field, "")) if field and isinstance(plan, of) else None
    return judge(value, row.band, confirmed=True).state.value if row is not None else ""


def steps(mill: Mill, was: Line, now: Line, schools: Schools | None, back: str, *, most: int = 6) -> tuple[Step, ...]:
    """Every unit that acts otherwise on the second line, in the order of the fibre, then the towers that fill otherwise."""
    result = []
    for u in mill.units:
        if u.id in was.acts and u.id in now.acts:
            rows = tuple(islice((r for r in _of_unit(mill, u.id, was, now, schools, back) if r is not None), most))
            if rows:
                result.append(Step(u.title, u.station, rows))
    fills = []
    for source in mill.sources.values():
        tower = source.tower
        if tower in now.solution.network.index:
            pair = (was.solution.enters(tower).solids_t_h, now.solution.enters(tower).solids_t_h)
            if abs(pair[1] - pair[0]) >= LEAST_T_H and (
                row := _moved(f"Into the tower of {source.name}", "t/h OD", pair, 2, schools)
            ):
                fills.append(row)
    return (*result, Step("Towers", "stock", tuple(fills))) if fills else tuple(result)
