"""Any registered model asked by name with plain numbers: what a command line, an address or a spreadsheet row gives.

The case's own declarations make the schema, the parsing and every refusal, so that each door says the same.
"""

import enum
import math
from collections.abc import Hashable, Mapping
from dataclasses import MISSING, dataclass, fields, is_dataclass, replace
from typing import Any, cast

import core
from core.errors import Caution, ImpossibleInput, Infeasible, Problem
from core.quantity import KEY, Quantity, leaf, quantities, row_fields
from core.register import Model, find

STEP = 0.01  # relative step of a sensitivity
FIELDS = "any"


def _bound(said: Quantity) -> dict[str, float]:
    low, high = said.possible
    result: dict[str, float] = {}
    if math.isfinite(low):
        result["exclusiveMinimum" if said.above else "minimum"] = low
    if math.isfinite(high):
        result["maximum"] = high
    return result


def _defaults(cls: type) -> dict[str, Any]:
    return {f.name: f.default for f in fields(cls) if KEY in f.metadata and f.default is not MISSING}


def defaults(model: Model) -> dict[str, Any]:
    """The inputs that have a default, by field."""
    return _defaults(model.case_class)


def leaves(cls: type, counts: Mapping[str, int]) -> dict[str, Quantity]:
    """Every figure of a case with so many rows, by its name: df, washers.1.e10. Rows stand after the case's own figures."""
    result = dict(quantities(cast(Hashable, cls)))
    for name, group in row_fields(cast(Hashable, cls)).items():
        for i in range(1, counts.get(name, group.least) + 1):
            result |= {
                leaf(name, i, inner): replace(said, label=f"{group.label} {i}, {said.label}")
                for inner, said in quantities(cast(Hashable, group.of)).items()
            }
    return result


def leaf_defaults(cls: type, counts: Mapping[str, int]) -> dict[str, Any]:
    """The defaults of every figure of a case with so many rows, by its name; a figure without one is left out."""
    result = _defaults(cls)
    for name, group in row_fields(cast(Hashable, cls)).items():
        for i in range(1, counts.get(name, group.least) + 1):
            result |= {leaf(name, i, inner): value for inner, value in _defaults(group.of).items()}
    return result


def flat(given: Mapping[str, Any]) -> dict[str, Any]:
    """A case as plain data with its rows laid out by name: washers is their number, washers.1.e10 a figure of the first."""
    result: dict[str, Any] = {}
    for name, value in given.items():
        if isinstance(value, (list, tuple)):
            result[name] = len(value)
            for i, row in enumerate(value, start=1):
                result |= {leaf(name, i, inner): v for inner, v in row.items()}
        else:
            result[name] = value
    return result


def unflat(model: Model, given: Mapping[str, Any]) -> dict[str, Any]:
    """The inverse of `flat`: rows gathered under their field. What is no figure of the case stays, to be refused by name."""
    groups, result = row_fields(model.case_class), dict(given)
    for name, group in groups.items():
        count = given.get(name)
        if isinstance(count, bool) or not isinstance(count, (int, float)) or not 0 <= count <= group.most:
            continue
        listed = []
        for i in range(1, int(count) + 1):
            names = {inner: leaf(name, i, inner) for inner in quantities(cast(Hashable, group.of))}
            listed.append({inner: result.pop(full) for inner, full in names.items() if full in result})
        result[name] = listed
    return result


def counts(model: Model, asked: Mapping[str, Any], usual: Mapping[str, Any]) -> dict[str, int]:
    """How many rows of each kind an address asks for (washers=3), within what the case allows; else as many as usual."""
    result = {}
    for name, group in row_fields(model.case_class).items():
        text = str(asked.get(name, ""))
        number = int(text) if text.isascii() and text.isdigit() and len(text) < 4 else len(usual.get(name, ()))
        result[name] = min(group.most, max(group.least, number))
    return result


def gather(model: Model, values: Mapping[str, Any], counts: Mapping[str, int]) -> Any:
    """A case from figures by their flat names. Nothing is checked here."""
    rows = {
        name: tuple(
            group.of(**{inner: values[leaf(name, i, inner)] for inner in quantities(cast(Hashable, group.of))})
            for i in range(1, counts[name] + 1)
        )
        for name, group in row_fields(model.case_class).items()
    }
    own = {name: values[name] for name in quantities(model.case_class)}
    return model.case_class(**own, **rows)


def schema(model: Model) -> dict[str, Any]:
    """JSON Schema (2020-12) of a model's input; `x-unit` and `x-valid` carry the unit and the range it holds for."""
    return {
        "$schema": "https://json-schema.org/draft/2020-12/schema",
        "title": model.name,
        "description": f"{model.title}. {model.equation}. Holds for {model.holds_for}. Source: {model.source}.",
        **_object(model.case_class),
    }


def _object(cls: type) -> dict[str, Any]:
    """The schema of one declared dataclass, its rows as arrays of objects."""
    given = _defaults(cls)
    properties: dict[str, Any] = {}
    for name, said in quantities(cast(Hashable, cls)).items():
        one: dict[str, Any] = {"type": "number", "title": said.label, "x-unit": said.unit, **_bound(said)}
        if said.options:
            one = {"enum": list(said.options), "title": said.label}
        if all(map(math.isfinite, said.valid)):
            one["x-valid"] = list(said.valid)
        if said.help:
            one["description"] = said.help
        if name in given:
            one["default"] = given[name]
        properties[name] = one
    groups = row_fields(cast(Hashable, cls))
    for name, group in groups.items():
        properties[name] = {
            "type": "array",
            "title": group.label,
            "minItems": group.least,
            "maxItems": group.most,
            "items": _object(group.of),
        }
    return {
        "type": "object",
        "properties": properties,
        "required": [n for n in properties if n not in given and not ((g := groups.get(n)) is not None and g.least == 0)],
        "additionalProperties": False,
    }


def _number(value: Any, said: Quantity) -> tuple[float, str]:
    if isinstance(value, bool) or not isinstance(value, (int, float)):
        return math.nan, f"is {value!r}; it must be a number{_allowed(said)}"
    try:
        number = float(value)
    except OverflowError:
        return math.nan, f"is too large a number; it must be {said.allowed}"
    return number, said.problem(number) or ""


def _allowed(said: Quantity) -> str:
    low, high = said.possible
    unit = f" {said.unit}" if said.unit else ""
    if math.isfinite(low) and math.isfinite(high):
        return f", {'above ' if said.above else ''}{low:g} to {high:g}{unit}"
    return f", {'above' if said.above else 'at least'} {low:g}{unit}" if math.isfinite(low) else ""


def read_case(model: Model, given: Any) -> Any:
    """A case from plain data. Raises: ImpossibleInput naming every missing, unknown, wrong or impossible field at once."""
    if not isinstance(given, Mapping):
        raise ImpossibleInput(Problem(FIELDS, "must be one object of named numbers"))
    values, bad = _read(model.case_class, given, f"no input of {model.name}")
    if bad:
        raise ImpossibleInput(*bad)
    return model.case_class(**values)


def _read(cls: type, given: Mapping[str, Any], stray: str) -> tuple[dict[str, Any], list[Problem]]:
    """The fields of a declared dataclass from plain data, and everything wrong with them."""
    said, groups = quantities(cast(Hashable, cls)), row_fields(cast(Hashable, cls))
    known = ", ".join((*said, *groups))
    bad = [Problem(str(k), f"is {stray}; there are {known}") for k in given if k not in said and k not in groups]
    usual, values = _defaults(cls), {}
    for name, one in said.items():
        if name not in given:
            if name not in usual:
                bad.append(Problem(name, f"is missing; give {one.label.lower()}{_allowed(one)}"))
            continue
        values[name], text = (given[name], one.problem(given[name]) or "") if one.options else _number(given[name], one)
        if text:
            bad.append(Problem(name, text))
    for name, group in groups.items():
        listed = given.get(name, () if group.least == 0 else None)
        if not isinstance(listed, (list, tuple)) or not all(isinstance(row, Mapping) for row in listed):
            bad.append(Problem(name, "is missing" if listed is None else "must be a list of objects"))
            continue
        if not group.least <= len(listed) <= group.most:
            bad.append(Problem(name, f"are {len(listed)}; there must be {group.least} to {group.most}"))
            continue
        result = []
        for i, row in enumerate(listed, start=1):
            inner, wrong = _read(group.of, row, f"no figure of {group.label.lower()}")
            bad += [Problem(leaf(name, i, p.field), p.text) for p in wrong]
            if not wrong:
                result.append(group.of(**inner))
        values[name] = tuple(result)
    return values, bad


def plain(value: Any) -> Any:
    """A result as JSON can hold it: numbers that are not finite become null."""
    if isinstance(value, enum.Enum):
        return plain(value.value)
    if is_dataclass(value) and not isinstance(value, type):
        return {f.name: plain(getattr(value, f.name)) for f in fields(value)}
    if isinstance(value, (tuple, list)):
        return [plain(v) for v in value]
    if isinstance(value, Mapping):
        return {str(k): plain(v) for k, v in value.items()}
    if isinstance(value, float):
        return value if math.isfinite(value) else None
    if isinstance(value, (str, int, bool)) or value is None:
        return value
    return plain(float(value))


def declared(case: Any) -> dict[str, Any]:
    """A case as its declared figures alone, rows included: what `read_case` reads again."""
    cls = cast(Hashable, type(case))
    own: dict[str, Any] = {name: plain(getattr(case, name)) for name in quantities(cls)}
    return own | {name: [declared(row) for row in getattr(case, name)] for name in row_fields(cls)}


def calculate(model: Model, given: Any) -> dict[str, Any]:
    """The answer as plain data: result with its units and cautions, or why there is none and the nearest that has one.

    Raises: ImpossibleInput with every bad field; NotSolved when an iteration did not settle.
    """
    case = read_case(model, given)
    found = model.function(case)
    told: dict[str, Any] = {"model": model.name, "core": core.__version__, "given": declared(case)}
    if isinstance(found, Infeasible):
        why = {"field": found.field, "reason": found.reason, "nearest": plain(found.nearest), "unit": found.unit}
        return told | {"feasible": False, "infeasible": why}
    result = plain(found)
    cautions = result.pop("cautions", [])
    units = {name: said.unit for name, said in quantities(model.result_class).items()}
    told |= {"feasible": True, "result": result, "units": units, "cautions": cautions}
    if nulls := why_null(found):
        told["why_null"] = nulls
    return told


def why_null(found: Any) -> dict[str, str]:
    """Every figure of a result that is no finite number, and why, by its name."""
    reasons = {}
    for name, said in quantities(cast(Hashable, type(found))).items():
        value = getattr(found, name)
        if isinstance(value, float) and not math.isfinite(value):
            what = said.label.lower()
            reasons[name] = f"never: {what} has no end here" if math.isinf(value) else f"{what} is not defined for this case"
    return reasons


def _figure_of(case: Any, name: str) -> Any:
    """One figure of a case by its flat name."""
    head, _, rest = name.partition(".")
    if not rest:
        return getattr(case, head)
    number, _, inner = rest.partition(".")
    return getattr(getattr(case, head)[int(number) - 1], inner)


@dataclass(frozen=True, slots=True)
class Moved:
    """How a figure answers to one input: raised by `step` (in its unit), the figure changes by `change`."""

    field: str
    step: float
    change: float


MOST_MOVED = 24  # inputs that are moved one by one, rows and all


def sensitivities(model: Model, case: Any, figure: str) -> tuple[Moved, ...]:
    """What moves a figure most: each input raised by 1 % of itself (of its valid span when it is 0), largest first.

    The figures of rows count too while a case has few enough; of a long log or a full house only what is said once does.
    """
    base = model.function(case)
    if isinstance(base, Infeasible) or not math.isfinite(at := getattr(base, figure)):
        return ()
    result = []
    counts = {name: len(getattr(case, name)) for name in row_fields(model.case_class)}
    values = {name: _figure_of(case, name) for name in leaves(model.case_class, counts)}
    own = quantities(model.case_class)
    few = len(values) <= MOST_MOVED
    for name, said in leaves(model.case_class, counts).items():
        if said.options or not (few or name in own):
            continue
        value = values[name]
        span = said.valid[1] - said.valid[0]
        step = 1.0 if said.whole else STEP * (abs(value) or (span if math.isfinite(span) else 1.0))
        for sign in (1.0, -1.0):
            try:
                moved = model.function(gather(model, {**values, name: value + sign * step}, counts))
            except ImpossibleInput:
                continue
            if not isinstance(moved, Infeasible) and math.isfinite(getattr(moved, figure)):
                result.append(Moved(name, sign * step, getattr(moved, figure) - at))
                break
    return tuple(sorted((m for m in result if m.change != 0.0), key=lambda m: -abs(m.change)))


@dataclass(frozen=True, slots=True)
class Proof:
    """A check value run now: what was put in, what must come, what came."""

    given: Mapping[str, Any]
    field: str
    wanted: float
    found: float
    holds: bool


def prove(model: Model) -> tuple[Proof, ...]:
    """Every check value of a model, run; once in a process, since neither model nor values change in it."""
    if (known := _proofs.get(id(model))) is not None:
        return known
    proofs: list[Proof] = []
    answers: list[tuple[Mapping[str, Any], Any]] = []
    for check in model.checks:
        answer = next((a for given, a in answers if given == check.given), None)
        if answer is None:  # several values of one case: it is worked once
            answer = model.function(read_case(model, dict(check.given)))
            answers.append((check.given, answer))
        result = math.nan if isinstance(answer, Infeasible) else float(getattr(answer, check.field))
        proofs.append(Proof(check.given, check.field, check.wanted, result, check.holds(result)))
    _proofs[id(model)] = tuple(proofs)
    _proved.append(model)  # kept, so that its id is no other's
    return _proofs[id(model)]


_proofs: dict[int, tuple[Proof, ...]] = {}
_proved: list[Model] = []


def example(model: Model) -> dict[str, Any]:
    """Inputs that answer: the first check value's, or the middle of each valid range."""
    if model.checks:
        return {k: [dict(row) for row in v] if isinstance(v, tuple) else v for k, v in model.checks[0].given.items()}
    result: dict[str, Any] = {}
    for name, said in quantities(model.case_class).items():
        low, high = said.valid
        if said.options:
            result[name] = said.options[0]
        elif name not in defaults(model):
            result[name] = (low + high) / 2.0 if math.isfinite(high) else max(low, 1.0)
    return result


def find_result(name: str) -> type:
    """The result class of a registered model."""
    return find(name).result_class


def cautions_of(result: Any) -> tuple[Caution, ...]:
    return tuple(getattr(result, "cautions", ()))
