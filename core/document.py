"""Parts of a JSON document, declared once: how each value is called and bounded, read, written and described.

A part is a frozen dataclass. Its numbers and its words of a list are declared as quantities (core/quantity.py); what else
stands in a document is declared with the fields of this file. Reader, writer, JSON schema and the wells of an editing page all
follow the declaration. A field of the class that is not declared stays out of the document.
"""

import math
import re
from collections.abc import Hashable, Iterator, Mapping
from dataclasses import MISSING, dataclass, field, fields, replace
from functools import cache
from typing import Any, Final, Protocol, cast

from core.errors import CoreError, ImpossibleInput, Problem
from core.quantity import INF, KEY, Quantity, quantities

ITEM: Final = "item"
Json = Mapping[str, Any]
Schema = dict[str, Any]
Problems = list[Problem]
ID_PATTERN: Final = r"^[A-Za-z0-9_.>\-]+$"
ID_RULE: Final = "letters, digits, and . _ - > without blanks"


class Item(Protocol):
    """How one value of a document is read, written and described."""

    @property
    def label(self) -> str:
        """How people call it."""
        ...

    @property
    def key(self) -> str:
        """Its name in the document, where that is not the name of the field."""
        ...

    def read(self, value: Any, place: str, bad: Problems) -> Any:
        """The value as the class holds it; what is wrong is added to `bad`, and None returned."""
        ...

    def write(self, value: Any) -> Any:
        """The value as the document holds it."""
        ...

    def schema(self) -> Schema:
        """Its JSON schema."""
        ...


def at(place: str, name: str | int) -> str:
    """The place of a value within another: units[3].loss_pct."""
    if isinstance(name, int):
        return f"{place}[{name}]"
    return f"{place}.{name}" if place else name


def shown(value: Any) -> str:
    """A refused value, short enough to read."""
    text = repr(value) if isinstance(value, str) else str(value)
    return text if len(text) <= 60 else text[:57] + "..."


def _refused(value: Any, place: str, wanted: str, bad: Problems) -> None:
    bad.append(Problem(place, f"is {shown(value)}; it must be {wanted}"))


def _is_list(value: Any, place: str, least: int, most: int, bad: Problems, what: str = "") -> bool:
    """Whether this is a list; one of a wrong length is told, and read all the same."""
    if not isinstance(value, list):
        _refused(value, place, f"a list{what}", bad)
        return False
    if not least <= len(value) <= most:
        bad.append(Problem(place, f"has {len(value)}; there must be {least} to {most}"))
    return True


def is_number(value: Any) -> bool:
    """Whether this is a finite number; true and false are none."""
    return isinstance(value, int | float) and not isinstance(value, bool) and math.isfinite(value)


@dataclass(frozen=True, slots=True, kw_only=True)
class Number:
    """A number, or a word of a list, as its quantity says."""

    said: Quantity
    key: str = ""

    @property
    def label(self) -> str:
        return self.said.label

    def read(self, value: Any, place: str, bad: Problems) -> Any:
        if self.said.options:
            text = self.said.problem(value) if isinstance(value, str) else None
            if text is not None or not isinstance(value, str):
                _refused(value, place, self.said.words, bad)
                return None
            return value
        if not is_number(value):
            _refused(value, place, "a number", bad)
            return None
        if (text := self.said.problem(value)) is not None:
            bad.append(Problem(place, text))
            return None
        return int(value) if self.said.whole else float(value)

    def write(self, value: Any) -> Any:
        return int(value) if isinstance(value, float) and value == int(value) else value

    def schema(self) -> Schema:
        if self.said.options:
            return {"enum": list(self.said.options), "title": self.label}
        low, high = self.said.possible
        described: Schema = {"type": "integer" if self.said.whole else "number", "title": self.label}
        if self.said.unit:
            described["description"] = self.said.unit
        if math.isfinite(low):
            described["exclusiveMinimum" if self.said.above else "minimum"] = low
        if math.isfinite(high):
            described["maximum"] = high
        return described


@dataclass(frozen=True, slots=True, kw_only=True)
class Limit:
    """A number that may be left open: null or missing in the document, `open_at` in the class."""

    label: str
    open_at: float | None
    key: str = ""
    possible: tuple[float, float] = (-INF, INF)

    def read(self, value: Any, place: str, bad: Problems) -> Any:
        if value is None:
            return self.open_at
        low, high = self.possible
        if not is_number(value):
            _refused(value, place, "a number, or nothing where there is no limit", bad)
        elif not low <= value <= high:
            _refused(value, place, f"{low:g} to {high:g}", bad)
        else:
            return float(value)
        return self.open_at

    def write(self, value: Any) -> Any:
        return None if value is None or not math.isfinite(value) else int(value) if value == int(value) else value

    def schema(self) -> Schema:
        low, high = self.possible
        bounds = {k: v for k, v in (("minimum", low), ("maximum", high)) if math.isfinite(v)}
        return {"type": ["number", "null"], "title": self.label, **bounds}


@dataclass(frozen=True, slots=True, kw_only=True)
class Text:
    """Words. `names`: what of the document it must name (units, vessels, sources, plan, draws), or empty."""

    label: str
    key: str = ""
    least: int = 0
    most: int = 200
    pattern: str = ""
    rule: str = ""  # the pattern in words
    names: str = ""

    def read(self, value: Any, place: str, bad: Problems) -> Any:
        if not isinstance(value, str):
            _refused(value, place, "text", bad)
        elif not self.least <= len(value.strip()) or len(value) > self.most:
            _refused(value, place, f"{self.least} to {self.most} characters", bad)
        elif self.pattern and not re.fullmatch(self.pattern, value):
            _refused(value, place, self.rule, bad)
        else:
            return value
        return None

    def write(self, value: Any) -> Any:
        return value

    def schema(self) -> Schema:
        described: Schema = {"type": "string", "title": self.label, "maxLength": self.most}
        if self.least:
            described["minLength"] = self.least
        if self.pattern:
            described["pattern"] = self.pattern
        return described


@dataclass(frozen=True, slots=True, kw_only=True)
class Flag:
    """Yes or no."""

    label: str
    key: str = ""

    def read(self, value: Any, place: str, bad: Problems) -> Any:
        if not isinstance(value, bool):
            _refused(value, place, "true or false", bad)
            return None
        return value

    def write(self, value: Any) -> Any:
        return value

    def schema(self) -> Schema:
        return {"type": "boolean", "title": self.label}


@dataclass(frozen=True, slots=True, kw_only=True)
class Part:
    """A part within a part."""

    label: str
    of: type
    key: str = ""

    def read(self, value: Any, place: str, bad: Problems) -> Any:
        return read(self.of, value, place, bad)

    def write(self, value: Any) -> Any:
        return None if value is None else write(value)

    def schema(self) -> Schema:
        return {**schema(self.of), "title": self.label}


@dataclass(frozen=True, slots=True, kw_only=True)
class Inlined:
    """A part whose values stand among those of the part that holds it."""

    label: str
    of: type
    key: str = ""

    def read(self, value: Any, place: str, bad: Problems) -> Any:
        return read(self.of, value, place, bad)

    def write(self, value: Any) -> Any:
        return write(value)

    def schema(self) -> Schema:
        return schema(self.of)


@dataclass(frozen=True, slots=True, kw_only=True)
class Parts:
    """A list of parts."""

    label: str
    of: type
    key: str = ""
    least: int = 0
    most: int = 1000

    def read(self, value: Any, place: str, bad: Problems) -> Any:
        if not _is_list(value, place, self.least, self.most, bad):
            return None
        return tuple(read(self.of, each, at(place, i), bad) for i, each in enumerate(value))

    def write(self, value: Any) -> Any:
        return [write(each) for each in value]

    def schema(self) -> Schema:
        bounds = {"minItems": self.least} if self.least else {}
        return {"type": "array", "title": self.label, "items": schema(self.of), "maxItems": self.most, **bounds}


def _needed(of: type) -> int:
    """How many of the first columns of a row must be told; those after them have their defaults."""
    told = required(of)
    return max((i for i, name in enumerate(declared(of), start=1) if name in told), default=0)


@dataclass(frozen=True, slots=True, kw_only=True)
class Table:
    """A list of rows, each a short list in the order of the fields of `of`; `plain` keeps the rows as tuples."""

    label: str
    of: type
    key: str = ""
    least: int = 0
    most: int = 100
    plain: bool = False

    def read(self, value: Any, place: str, bad: Problems) -> Any:
        if not _is_list(value, place, self.least, self.most, bad, " of rows"):
            return None
        names = list(declared(self.of))
        needed = _needed(self.of)
        rows = []
        for i, row in enumerate(value):
            if not isinstance(row, list) or not needed <= len(row) <= len(names):
                how_many = f"{needed}" if needed == len(names) else f"{needed} to {len(names)}"
                _refused(row, at(place, i), f"a row of {how_many}: {', '.join(names)}", bad)
                continue
            told = {name: v for j, (name, v) in enumerate(zip(names, row, strict=False)) if j < needed or v is not None}
            made = read(self.of, told, at(place, i), bad)
            if made is not None:
                rows.append(tuple(getattr(made, name) for name in names) if self.plain else made)
        return tuple(rows)

    def write(self, value: Any) -> Any:
        items = declared(self.of)
        if self.plain:
            return [[item.write(v) for item, v in zip(items.values(), row, strict=True)] for row in value]
        return [[item.write(getattr(row, name)) for name, item in items.items()] for row in value]

    def schema(self) -> Schema:
        columns, needed = [item.schema() for item in declared(self.of).values()], _needed(self.of)
        columns = [c if j < needed else {"anyOf": [c, {"type": "null"}]} for j, c in enumerate(columns)]
        row = {"type": "array", "prefixItems": columns, "minItems": needed, "maxItems": len(columns)}
        return {"type": "array", "title": self.label, "items": row, "minItems": self.least, "maxItems": self.most}


@dataclass(frozen=True, slots=True, kw_only=True)
class List:
    """A list of single values, each as `of` says."""

    label: str
    of: Any
    key: str = ""
    least: int = 0
    most: int = 1000

    def read(self, value: Any, place: str, bad: Problems) -> Any:
        if not _is_list(value, place, self.least, self.most, bad):
            return None
        return tuple(self.of.read(each, at(place, i), bad) for i, each in enumerate(value))

    def write(self, value: Any) -> Any:
        return [self.of.write(each) for each in value]

    def schema(self) -> Schema:
        bounds = {"minItems": self.least, "maxItems": self.most}
        return {"type": "array", "title": self.label, "items": self.of.schema(), **bounds}


@dataclass(frozen=True, slots=True, kw_only=True)
class Amounts:
    """Values by name, each as `of` says. `names`: the names there are; none leaves them open."""

    label: str
    of: Any
    key: str = ""
    names: tuple[str, ...] = ()

    def read(self, value: Any, place: str, bad: Problems) -> Any:
        if not isinstance(value, dict):
            _refused(value, place, "a list of names with their values", bad)
            return None
        for name in value:
            if self.names and name not in self.names:
                bad.append(Problem(at(place, name), f"is not known here; there are {', '.join(self.names)}"))
        return {k: self.of.read(v, at(place, k), bad) for k, v in value.items() if not self.names or k in self.names}

    def write(self, value: Any) -> Any:
        return {k: self.of.write(v) for k, v in value.items()}

    def schema(self) -> Schema:
        if not self.names:
            return {"type": "object", "title": self.label, "additionalProperties": self.of.schema()}
        return {
            "type": "object",
            "title": self.label,
            "properties": {k: self.of.schema() for k in self.names},
            "additionalProperties": False,
        }


@dataclass(frozen=True, slots=True, kw_only=True)
class OneOf:
    """A part of one of several kinds; the document says which under `by`. `plain` keeps the mapping as it stands."""

    label: str
    of: Mapping[str, type]
    key: str = ""
    by: str = "kind"
    plain: bool = False

    def read(self, value: Any, place: str, bad: Problems) -> Any:
        if not isinstance(value, dict):
            _refused(value, place, "an object", bad)
            return None
        kind = value.get(self.by)
        if not isinstance(kind, str) or kind not in self.of:
            _refused(kind, at(place, self.by), f"one of {', '.join(self.of)}", bad)
            return None
        made = read(self.of[kind], {k: v for k, v in value.items() if k != self.by}, place, bad)
        return dict(value) if self.plain else made

    def write(self, value: Any) -> Any:
        if self.plain:
            return dict(value)
        kind = next(name for name, cls in self.of.items() if type(value) is cls)
        return {self.by: kind, **write(value)}

    def schema(self) -> Schema:
        kinds = []
        for name, cls in self.of.items():
            described = schema(cls)
            described["properties"] = {self.by: {"const": name}, **described["properties"]}
            described["required"] = [self.by, *described["required"]]
            kinds.append(described)
        return {"title": self.label, "oneOf": kinds}


@dataclass(frozen=True, slots=True, kw_only=True)
class Word:
    """A number or a word, where either may stand."""

    label: str = ""
    key: str = ""

    def read(self, value: Any, place: str, bad: Problems) -> Any:
        if not (is_number(value) or isinstance(value, str)):
            _refused(value, place, "a number or text", bad)
            return None
        return value

    def write(self, value: Any) -> Any:
        return value

    def schema(self) -> Schema:
        return {"type": ["number", "string"]}


def item(said: Item, *, default: Any = MISSING) -> Any:
    """A declared field; without a default the document must have it."""
    if isinstance(default, dict):
        return field(default_factory=lambda: dict(default), metadata={ITEM: said})
    return field(default=default, metadata={ITEM: said})


def text(label: str, *, default: Any = MISSING, key: str = "", least: int = 0, most: int = 200, names: str = "") -> Any:
    """A field of words."""
    return item(Text(label=label, key=key, least=least, most=most, names=names), default=default)


def named(label: str = "Name", *, default: Any = MISSING) -> Any:
    """A field that people read: 1 to 80 characters."""
    return item(Text(label=label, least=1, most=80), default=default)


def identity(label: str = "Id", *, default: Any = MISSING, names: str = "") -> Any:
    """A field that others point to, or that points to others: no blanks."""
    said = Text(label=label, least=1, most=60, pattern=ID_PATTERN, rule=ID_RULE, names=names)
    return item(said, default=default)


def flag(label: str, *, default: Any = MISSING) -> Any:
    """A field that is yes or no."""
    return item(Flag(label=label), default=default)


def same(cls: Any, field_name: str, *, default: Any = MISSING, **other: Any) -> Any:
    """A field declared like one of another class, so that its range is said once; `other` replaces parts of what is said."""
    return field(default=default, metadata={KEY: replace(quantities(cls)[field_name], **other)})


@cache
def declared(cls: Hashable) -> Mapping[str, Item]:
    """The declared fields of a part, by field name, in order."""
    told: dict[str, Item] = {}
    for f in fields(cast(Any, cls)):
        if ITEM in f.metadata:
            told[f.name] = f.metadata[ITEM]
        elif KEY in f.metadata:
            told[f.name] = cast(Item, Number(said=f.metadata[KEY]))
    return told


@cache
def required(cls: Hashable) -> frozenset[str]:
    """The declared fields that a document must have."""
    told = declared(cls)
    return frozenset(
        f.name for f in fields(cast(Any, cls)) if f.name in told and f.default is MISSING and f.default_factory is MISSING
    )


@cache
def keys(cls: Hashable) -> Mapping[str, Item]:
    """What may stand in the document of a part, by its key there, inlined parts counted with it."""
    told: dict[str, Item] = {}
    for field_name, said in declared(cls).items():
        if isinstance(said, Inlined):
            told |= keys(cast(Hashable, said.of))
        else:
            told[said.key or field_name] = said
    return told


def read(cls: Any, data: Any, place: str, bad: Problems) -> Any:
    """A part from its document. Everything wrong is added to `bad` with its place, and None returned."""
    if not isinstance(data, Mapping):
        _refused(data, place or "document", "an object", bad)
        return None
    before = len(bad)
    values: dict[str, Any] = {}
    for field_name, said in declared(cls).items():
        if isinstance(said, Inlined):
            values[field_name] = said.read({k: v for k, v in data.items() if k in keys(cast(Hashable, said.of))}, place, bad)
            continue
        key = said.key or field_name
        if key in data:
            values[field_name] = said.read(data[key], at(place, key), bad)
        elif field_name in required(cls):
            bad.append(Problem(at(place, key), "is missing"))
    known = keys(cls)
    bad += [Problem(at(place, k), f"is not known here; there are {', '.join(known)}") for k in data if k not in known]
    if len(bad) > before:
        return None
    try:
        made = cls(**values)
        if tried := getattr(made, "tried", None):
            tried()
        return made
    except ImpossibleInput as refusal:
        bad += [Problem(at(place, p.field), p.text) for p in refusal.problems]
    except CoreError as refusal:
        bad.append(Problem(place, str(refusal)))
    return None


def write(made: Any) -> dict[str, Any]:
    """The document of a part; what is as by default is left out."""
    told: dict[str, Any] = {}
    standard = {
        f.name: f.default if f.default is not MISSING else f.default_factory() if f.default_factory is not MISSING else MISSING
        for f in fields(made)
    }
    for field_name, said in declared(cast(Hashable, type(made))).items():
        value = getattr(made, field_name)
        if isinstance(said, Inlined):
            told |= said.write(value)
        elif standard[field_name] is MISSING or value != standard[field_name]:
            told[said.key or field_name] = said.write(value)
    return told


def schema(cls: Any) -> Schema:
    """The JSON schema of a part, unknown keys refused."""
    properties: dict[str, Schema] = {}
    needed: list[str] = []
    for field_name, said in declared(cls).items():
        if isinstance(said, Inlined):
            inner = said.schema()
            properties |= inner["properties"]
            needed += inner["required"]
        else:
            properties[said.key or field_name] = said.schema()
            if field_name in required(cls):
                needed.append(said.key or field_name)
    return {"type": "object", "properties": properties, "required": needed, "additionalProperties": False}


def leaves(cls: Any, data: Json, path: str = "") -> Iterator[tuple[str, Item, Any]]:
    """Every value of a part that can be typed in one well: its place within the part, how it is declared, its value.

    What the document leaves out is given with None, so that an editing page can offer it.
    """
    for key, said in keys(cls).items():
        place, value = at(path, key), data.get(key)
        if isinstance(said, Part):
            if value is not None:
                yield from leaves(said.of, value, place)
        elif isinstance(said, Parts):
            for i, each in enumerate(value or ()):
                yield from leaves(said.of, each, at(place, i))
        elif isinstance(said, OneOf):
            if isinstance(value, Mapping) and value.get(said.by) in said.of:
                yield from leaves(said.of[value[said.by]], value, place)
        elif isinstance(said, Table):
            for i, row in enumerate(value or ()):
                for j, column in enumerate(declared(cast(Hashable, said.of)).values()):
                    yield f"{place}[{i}][{j}]", column, row[j] if j < len(row) else None
        elif isinstance(said, List):
            for i, each in enumerate(value or ()):
                yield at(place, i), said.of, each
        elif isinstance(said, Amounts):
            for name_, each in (value or {}).items():
                yield at(place, name_), said.of, each
        else:
            yield place, said, value
