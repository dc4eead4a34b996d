"""A mill document read: every fault with its place, or the mill."""

import math
from collections.abc import Iterable, Iterator
from typing import Any, Final

from core.document import Json, Problems, Schema, at, leaves, read, schema
from core.errors import ImpossibleInput, Problem
from core.mill.document import FORMAT, FORMER, MillDocument
from core.mill.lanes import lanes_of
from core.mill.migrate import brought_up
from core.mill.mill import Mill, mill_of, with_defaults
from core.practice.table import ROWS
from core.quantity import Quantity, quantities
from core.register import find

SECTIONS: Final = {  # the lists of a document, and what their parts are known by
    "units": "id",
    "draws": "id",
    "vessels": "key",
    "sources": "key",
    "grades": "key",
    "plan": "id",
    "lanes": "key",
    "lines": "key",
    "piles": "key",
    "tanks": "key",
    "bales": "key",
    "vats": "key",
    "moves": "key",
}
MADE_BY_KEY: Final = {"tower": "{}.tower", "draw": "out.{}"}


def document_schema() -> Schema:
    """The JSON schema of a mill document."""
    return {
        "$schema": "https://json-schema.org/draft/2020-12/schema",
        "title": "Fox Vat mill document",
        "description": " ".join((MillDocument.__doc__ or "").split()),
        **schema(MillDocument),
    }


def known_names(document: Json) -> dict[str, set[str]]:
    """The names that a document gives, by section."""
    return {
        section: {str(part.get(name)) for part in document.get(section) or () if isinstance(part, dict)}
        for section, name in SECTIONS.items()
    }


def _doubles(document: Json) -> Iterator[Problem]:
    for section, name in SECTIONS.items():
        seen: set[str] = set()
        for i, part in enumerate(document.get(section) or ()):
            if part[name] in seen:
                yield Problem(at(at(section, i), name), f"is {part[name]!r}; another has it already")
            seen.add(part[name])


def _strays(document: Json) -> Iterator[Problem]:
    """Names that lead nowhere."""
    known = known_names(document)
    words = {"units": "unit", "vessels": "vessel", "sources": "source", "plan": "row of the plan", "draws": "draw"}
    for place, said, value in leaves(MillDocument, document):
        names = getattr(said, "names", "")
        if isinstance(names, str) and names and value and value not in known[names]:
            yield Problem(place, f"is {value!r}; there is no such {words[names]}")


def _misfit(said: Quantity, value: float | str) -> str | None:
    """Why a well cannot open with a value, or None."""
    if isinstance(value, str) and not said.options:
        return f"is {value!r}; it must be a number"
    return said.problem(value)


def _checked(document: MillDocument) -> Iterator[Problem]:
    """What one part says of another: the furnish of sources, places of moves, readings of feeds, lanes of outlets."""
    sources = {s.source.key for s in document.sources}
    rows = {r.id: r for r in document.plan}
    outlets = {u.id: {o.name for o in u.outlets} for u in document.units}
    draws, units = {d.id for d in document.draws}, set(outlets)
    for i, source in enumerate(document.sources):
        full = with_defaults(source, document.draws)
        if full.draw not in draws:
            yield Problem(f"sources[{i}].draw", f"is {full.draw!r}; there is no such draw that takes it to the blend")
    for i, grade in enumerate(document.grades):
        for key in grade.shares_pct:
            if key not in sources:
                yield Problem(f"grades[{i}].shares.{key}", f"is no source; there are {', '.join(sources)}")
    for role in ("blend", "chest", "machine"):  # a default that the document does not have is seen only here
        if (name := getattr(document.roles, role)) not in units:
            yield Problem(f"roles.{role}", f"is {name!r}; there is no such unit")
    for i, unit in enumerate(document.units):
        if unit.moisture_row and rows[unit.moisture_row].test != "moisture":
            told = f"names {unit.moisture_row!r}, which reads {rows[unit.moisture_row].test}; it must read moisture"
            yield Problem(f"units[{i}].moisture_row", told)
    mixes = {u.id for u in document.units if getattr(u.acts, "papers", ())}
    for i, vat in enumerate(document.vats):
        if vat.unit and vat.unit not in mixes:
            yield Problem(f"vats[{i}].unit", f"is {vat.unit!r}; it must be a unit with a bale mix")
    stages = {u.id: int(getattr(u.acts, "stage_count", 0)) for u in document.units}
    for section in ("plan", "moves"):
        for i, part in enumerate(getattr(document, section)):
            if part.stage > (most := stages.get(part.unit, 0)):
                told = f"is {part.stage}; {part.unit or 'no unit'} has {most} stages" if part.unit else "is set without a unit"
                yield Problem(f"{section}[{i}].stage", told)
    for i, draw in enumerate(document.draws):
        if draw.rest and draw.rest not in outlets[draw.tank]:
            yield Problem(f"draws[{i}].rest", f"is {draw.rest!r}; {draw.tank} has {', '.join(outlets[draw.tank]) or 'none'}")
    tanks = {f"tank.{t.key}" for t in document.tanks}
    for i, move in enumerate(document.moves):
        if model := ROWS[move.row].model:
            known = quantities(find(model).case_class)
            for well in (*move.readings, *move.opens):
                if well not in known:
                    yield Problem(f"moves[{i}].{well}", f"is no well of {move.row}; there are {', '.join(known)}")
            for well, value in move.opens.items():
                if well in known and (why := _misfit(known[well], value)):
                    yield Problem(f"moves[{i}].opens.{well}", why)
        for name in (*move.readings.values(), *((move.band,) if move.band else ())):
            if name not in rows and name not in tanks:
                yield Problem(f"moves[{i}].readings", f"names {name!r}; the plan has no such row")
    for i, lane in enumerate(document.lanes):
        for node in (*lane.nodes, *(n for strand in lane.strands for n in strand.nodes)):
            if node.outlet not in outlets[node.unit]:
                yield Problem(f"lanes[{i}]", f"draws outlet {node.outlet} of {node.unit}, which does not exist")


def _endless(value: Any, place: str) -> Iterator[Problem]:
    """Every figure of a document that is no finite number (NaN, 1e999), with its place."""
    if isinstance(value, float) and not math.isfinite(value):
        yield Problem(place, f"is {value!r}; it must be a finite number")
    elif isinstance(value, dict):
        for key, inner in value.items():
            yield from _endless(inner, at(place, str(key)))
    elif isinstance(value, list):
        for i, inner in enumerate(value):
            yield from _endless(inner, at(place, i))


def _refuse(problems: Iterable[Problem]) -> None:
    if result := tuple(problems):
        raise ImpossibleInput(*result)


def faults_of(document: Json) -> tuple[Problem, ...]:
    """Everything wrong with a document of the newest format that people build up, whose lists hold parts with their names."""
    bad: Problems = []
    made: MillDocument | None = read(MillDocument, document, "", bad)
    told = {p.field for p in bad}
    bad += [p for p in (*_doubles(document), *_strays(document)) if p.field not in told]
    if made is not None and not bad:
        bad += _checked(made)
    return tuple(bad)


def read_document(data: Json) -> MillDocument:
    """A mill document, of this format or an earlier one. Raises: ImpossibleInput with every fault and its place."""
    if not isinstance(data, dict):
        raise ImpossibleInput(Problem("document", f"is {type(data).__name__}; it must be an object"))
    if data.get("format") not in (FORMAT, FORMER):
        raise ImpossibleInput(Problem("format", f"is {data.get('format')!r}; it must be {FORMAT!r}"))
    _refuse(_endless(data, ""))
    new = brought_up(data)
    bad: Problems = []
    document: MillDocument | None = read(MillDocument, new, "", bad)
    if document is None:
        raise ImpossibleInput(*bad)
    _refuse((*_doubles(new), *_strays(new)))
    _refuse(_checked(document))
    return document


def read_mill(data: Json) -> Mill:
    """The mill of a document. Raises: ImpossibleInput with every fault and its place (units[3].loss_pct)."""
    document = read_document(data)
    return mill_of(document, lanes_of(document))
