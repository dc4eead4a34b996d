"""A draft tried: what it lacks, step by step, and its line solved as far as it is joined."""

from dataclasses import dataclass, replace
from typing import Final

from core.deliver.draw import draw
from core.document import Json, read
from core.errors import CoreError, Infeasible, Problem
from core.line.acting import Line, solve_line
from core.line.network import Draw, DrawKind, Outlet, Unit
from core.mill.document import DrawPart, UnitPart
from core.mill.draft import STARTED
from core.mill.mill import Mill, draw_of, unit_of
from core.mill.reading import SECTIONS, faults_of, read_mill
from core.mill.run import Running, acting_units
from core.stream import SUSPENDED, Vector
from core.unit import Kind

USUALLY_DRAWN: Final = 0.7  # of what a line is fed, until a grade says what the machine takes
NOWHERE: Final = "(not joined)"


@dataclass(frozen=True, slots=True, kw_only=True)
class Step:
    """One thing that a mill must have to run: whether it is there, what it has or lacks, and the part to open for it."""

    key: str
    title: str
    done: bool
    says: str
    section: str = ""
    part: str = ""


@dataclass(frozen=True, kw_only=True)
class Trial:
    """A draft's line as far as it solves: the line or None, why not, the units tried, the outlets that lead nowhere."""

    line: Line | None
    trouble: str
    units: tuple[str, ...]
    left_out: tuple[str, ...]
    unjoined: tuple[tuple[str, str], ...]


@dataclass(frozen=True, slots=True, kw_only=True)
class Way:
    """A flow into or out of a unit, t/h: its suspended solids, and the rest, water and what is dissolved in it."""

    name: str
    solids_t_h: float
    rest_t_h: float


@dataclass(frozen=True, slots=True, kw_only=True)
class Balance:
    """What enters and leaves a unit. `dissolved_t_h`: of its fibre turned into dissolved solids."""

    ins: tuple[Way, ...]
    outs: tuple[Way, ...]
    dissolved_t_h: float

    @property
    def fibre(self) -> tuple[float, float]:
        """Suspended solids in and out, what is dissolved counted out, t/h."""
        return sum(i.solids_t_h for i in self.ins), sum(o.solids_t_h for o in self.outs) + self.dissolved_t_h

    @property
    def rest(self) -> tuple[float, float]:
        """Water and dissolved solids in and out, what is dissolved counted in, t/h."""
        return sum(i.rest_t_h for i in self.ins) + self.dissolved_t_h, sum(o.rest_t_h for o in self.outs)

    @property
    def apart(self) -> tuple[float, float]:
        """By how much in and out differ, t/h: suspended solids, then the rest."""
        return self.fibre[0] - self.fibre[1], self.rest[0] - self.rest[1]


PARTS_OF: Final = {  # the step that a fault belongs to, by the list it lies in
    "units": "fields",
    "draws": "fields",
    "roles": "fields",
    "lanes": "fields",
    "lines": "fields",
    "vessels": "vessels",
    "sources": "vessels",
    "grades": "grades",
    "plan": "plan",
    "moves": "plan",
    "tanks": "vessels",
    "piles": "vessels",
    "bales": "vessels",
    "vats": "vessels",
}


def _plural(count: int, word: str) -> str:
    return f"{count} {word}{'' if count == 1 else 's'}"


def _joint(place: str) -> bool:
    return place.startswith("units") and place.endswith(".to")


def _part_at(document: Json, place: str) -> tuple[str, str]:
    """The section and the key of the part that a place lies in."""
    section, _, rest = place.partition("[")
    number = rest.partition("]")[0]
    parts = document.get(section) or []
    if number.isdigit() and section in SECTIONS and int(number) < len(parts):
        return section, str(parts[int(number)].get(SECTIONS[section], ""))
    return "mill", ""


def steps_of(document: Json, trial: Trial) -> tuple[Step, ...]:
    """What a draft has of all that a mill must have to run, in the order it is best given."""
    faults = faults_of(document)
    by_step: dict[str, list[Problem]] = {}
    for fault in faults:
        section = fault.field.partition("[")[0].partition(".")[0]
        step = "joints" if _joint(fault.field) else PARTS_OF.get(section, "mill")
        by_step.setdefault(step, []).append(fault)

    def judged(key: str, title: str, has: str, *, there: bool = True, lacks: str = "") -> Step:
        held = by_step.get(key, [])
        section, part = _part_at(document, held[0].field) if held else ("", "")
        says = has if there and not held else lacks if not there else _told(held)
        return Step(key=key, title=title, done=there and not held, says=says, section=section, part=part)

    own = [u for u in document["units"] if u.get("station")]
    ways = sum(len(u.get("outlets", ())) for u in document["units"])
    apart = sum(_joint(f.field) for f in faults)
    rows = len(document["plan"])
    critical = sum(bool(r.get("critical")) for r in document["plan"])
    made = len(document["lines"])
    whole = not faults
    solves = whole and trial.line is not None
    worst = f"every component closes to {trial.line.solution.worst_closure:.0e}" if solves and trial.line else trial.trouble
    joints = judged("joints", f"Joints: {ways - apart} of {ways}", "every outlet goes somewhere")
    return (
        judged("mill", "Mill and machine", f"{document.get('name')}, {document.get('machine', {}).get('name')}"),
        Step(
            key="units",
            title="Units",
            done=made > 0,
            says=f"{_plural(len(own), 'unit')} in {_plural(made, 'line')}" if made else "no line gives pulp yet",
            section="add",
        ),
        judged("fields", "Fields", "every unit has what it needs"),
        replace(joints, says=_nowhere(document, trial)) if apart and trial.unjoined else joints,
        judged("vessels", "Vessels and sources", _plural(len(document["vessels"]), "vessel")),
        judged(
            "grades",
            "Grades",
            _plural(len(document["grades"]), "grade"),
            there=bool(document["grades"]),
            lacks="none yet: what the machine is to make",
        ),
        judged("plan", "Sampling plan", f"{_plural(rows, 'row')}, {critical} critical", there=rows > 0, lacks="no row yet"),
        Step(
            key="solves",
            title="The line solves",
            done=solves,
            says=worst if solves else worst or "as soon as the steps above are done",
        ),
    )


def _nowhere(document: Json, trial: Trial) -> str:
    """The first outlet that leads nowhere, in words."""
    unit, outlet = trial.unjoined[0]
    title = next((u.get("title") or unit for u in document["units"] if u["id"] == unit), unit)
    more = f"; {len(trial.unjoined) - 1} more" if len(trial.unjoined) > 1 else ""
    return f"{title}, {outlet}: goes nowhere{more}"


def _told(faults: list[Problem]) -> str:
    """The first of some faults in words, and how many more there are."""
    first = faults[0]
    more = f"; {len(faults) - 1} more" if len(faults) > 1 else ""
    return f"{first.field.rpartition('.')[2] or first.field} {first.text}{more}"


def _unit_of(data: Json, known: frozenset[str]) -> tuple[Unit, Kind | None] | None:
    """A unit of a draft, its unjoined outlets led nowhere; None when its fields cannot be read."""
    led = []
    for outlet in data.get("outlets", ()):
        led.append({**outlet, "to": outlet["to"] if outlet.get("to") in known else "nowhere"})
    part: UnitPart | None = read(UnitPart, {**data, "outlets": led}, "", [])
    if part is None:
        return None
    unit = unit_of(part)
    ways = tuple(replace(o, to=NOWHERE) if o.to == "nowhere" else o for o in unit.outlets)
    return replace(unit, outlets=ways), part.acts


def tried(document: Json) -> Trial:
    """The line of a draft solved with what it has. Until it has a grade, the machine draws a usual part of what is fed."""
    known = frozenset(str(u.get("id")) for u in document["units"])
    units, acting, left_out = [], {}, []
    for data in document["units"]:
        pair = _unit_of(data, known)
        if pair is None:
            left_out.append(str(data.get("id")))
            continue
        units.append(pair[0])
        if pair[1] is not None:
            acting[pair[0].id] = pair[1]
    there = {u.id for u in units}
    units = [replace(u, outlets=tuple(_led(o, there) for o in u.outlets)) for u in units]
    unjoined = tuple((u.id, o.name) for u in units for o in u.outlets if o.to == NOWHERE)
    units.append(Unit(id=NOWHERE))
    draws = [made for data in document["draws"] if (made := _draw_of(data, there)) is not None]
    trial = Trial(line=None, trouble="", units=tuple(sorted(there)), left_out=tuple(left_out), unjoined=unjoined)
    if not there.issuperset(STARTED):
        return replace(trial, trouble="no machine is set up yet")
    try:
        mill = read_mill(document)
        running = at_its_grade(mill)
        acting = acting_units(mill, running, {u.id: u for u in units})
        fixed = {mill.sources[key].draw: t_h for key, t_h in running.gives.items()}
        draws = [replace(d, target=fixed[d.id]) if d.id in fixed else d for d in draws]
    except CoreError:  # not whole yet
        fed = {str(u.get("line")): USUALLY_DRAWN * u.get("feed_t_h", 0.0) for u in document["units"] if u.get("feed_t_h")}
        gives = {f"out.{line}": t_h for line, t_h in fed.items()}
        draws = [replace(d, target=gives.get(d.id, d.target)) for d in draws]
    try:
        return replace(trial, line=solve_line(tuple(units), tuple(_worked(units, draws)), acting))
    except CoreError as failure:
        return replace(trial, trouble=str(failure))


def _worked(units: list[Unit], draws: list[Draw]) -> list[Draw]:
    """The draws that can be: behind a gap nothing comes, so that nothing can be drawn, thinned or thickened there."""
    led = {u.id: [o.to for o in u.outlets] for u in units}
    for d in draws:
        if d.kind is DrawKind.RATE and d.target > 0.0:
            led[d.tank].append(d.to)
    reached: set[str] = set()
    waiting = [u.id for u in units if u.feed.any()]
    while waiting:
        at = waiting.pop()
        if at not in reached:
            reached.add(at)
            waiting += led.get(at, [])
    kinds = (DrawKind.DILUTE, DrawKind.THICKEN)
    return [d for d in draws if d.tank in reached and (d.kind not in kinds or d.to in reached)]


def at_its_grade(mill: Mill) -> Running:
    """A mill run at its first grade: each pulp by its share of what the machine then draws, about."""
    grade = next(iter(mill.grades.values()))
    case = mill.draw_case(grade)
    drawn = draw(case)
    if isinstance(drawn, Infeasible):
        return Running(feeds={}, gives={}, filler_t_h=0.0)
    return Running(feeds={}, gives={k: v * drawn.solids_t_h for k, v in grade.shares.items()}, filler_t_h=drawn.filler_t_h)


def _led(outlet: Outlet, there: set[str]) -> Outlet:
    return outlet if outlet.to in there or outlet.to == NOWHERE else replace(outlet, to=NOWHERE)


def _draw_of(data: Json, there: set[str]) -> Draw | None:
    part: DrawPart | None = read(DrawPart, data, "", [])
    return draw_of(part) if part is not None and part.tank in there and part.to in there else None


def balance_of(line: Line, key: str) -> Balance:
    """What enters and leaves a unit of a solved line, way by way; the ways are named by where they come from and go to."""
    solution = line.solution
    network, unit = solution.network, solution.network.unit(key)
    ins, outs = [], []
    for other in network.units:
        ins += [_way(other.title or other.id, solution.left(other.id, o.name)) for o in other.outlets if o.to == key]
    if not unit.supply and unit.feed.any():
        ins.append(_way("from outside", unit.feed))
    for outlet in unit.outlets:
        flows = solution.left(key, outlet.name)
        stays = unit.stores and outlet is unit.outlets[-1]
        outs.append(_way("stays in it" if stays else f"{outlet.name}: {network.unit(outlet.to).title or outlet.to}", flows))
    for drawn, t_h, parts in zip(network.draws, solution.drawn, solution.composition, strict=True):
        if drawn.kind is DrawKind.THICKEN:
            continue  # counted with the outlet that it thickens
        if drawn.to == key:
            ins.append(_way(network.unit(drawn.tank).title or drawn.tank, t_h * parts))
        elif drawn.tank == key:
            outs.append(_way(f"drawn: {network.unit(drawn.to).title or drawn.to}", t_h * parts))
    lost = sum(i.solids_t_h for i in ins) - sum(o.solids_t_h for o in outs)
    return Balance(ins=tuple(ins), outs=tuple(outs), dissolved_t_h=lost if unit.conversion is not None else 0.0)


def _way(name: str, flows: Vector) -> Way:
    solids = float(flows @ SUSPENDED)
    return Way(name=name, solids_t_h=solids, rest_t_h=float(flows.sum()) - solids)
