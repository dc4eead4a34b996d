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
from core.quantity import KEY, Quantity, quantities
from core.register import Model, find

STEP = 0.01  # relative step of a sensitivity
FIELDS = "any"


def _bound(said: Quantity) -> dict[str, float]:
    low, high = said.possible
    found: dict[str, float] = {}
    if math.isfinite(low):
        found["exclusiveMinimum" if said.above else "minimum"] = low
    if math.isfinite(high):
        found["maximum"] = high
    return found


def defaults(model: Model) -> dict[str, Any]:
    """The inputs that have a default, by field."""
    return {f.name: f.default for f in fields(model.case_class) if KEY in f.metadata and f.default is not MISSING}


def schema(model: Model) -> dict[str, Any]:
    """JSON Schema (2020-12) of a model's input; `x-unit` and `x-valid` carry the unit and the range it holds for."""
    given = defaults(model)
    properties = {}
    for name, said in quantities(model.case_class).items():
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
    return {
        "$schema": "https://json-schema.org/draft/2020-12/schema",
        "title": model.name,
        "description": f"{model.title}. {model.equation}. Holds for {model.holds_for}. Source: {model.source}.",
        "type": "object",
        "properties": properties,
        "required": [name for name in properties if name not in given],
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
    said = quantities(model.case_class)
    bad = [Problem(str(k), f"is no input of {model.name}; there are {', '.join(said)}") for k in given if k not in said]
    usual, values = defaults(model), {}
    for name, one in said.items():
        if name not in given:
            if name not in usual:
                bad.append(Problem(name, f"is missing; give {one.label.lower()}{_allowed(one)}"))
            continue
        values[name], text = (given[name], one.problem(given[name]) or "") if one.options else _number(given[name], one)
        if text:
            bad.append(Problem(name, text))
    if bad:
        raise ImpossibleInput(*bad)
    return model.case_class(**values)


def plain(value: Any) -> Any:
    """A result as JSON can hold it: numbers that are not finite become null."""
    if isinstance(value, enum.Enum):
        return plain(value.value)
    if is_dataclass(value) and not isinstance(value, type):
        return {f.name: plain(getattr(value, f.name)) for f in fields(value)}
    if isinstance(value, (tuple, list)):
        return [plain(v) for v in value]
    if isinstance(value, float):
        return value if math.isfinite(value) else None
    if isinstance(value, (str, int, bool)) or value is None:
        return value
    return plain(float(value))


def calculate(model: Model, given: Any) -> dict[str, Any]:
    """The answer as plain data: result with its units and cautions, or why there is none and the nearest that has one.

    Raises: ImpossibleInput with every bad field; NotSolved when an iteration did not settle.
    """
    case = read_case(model, given)
    found = model.function(case)
    told: dict[str, Any] = {"model": model.name, "core": core.__version__, "given": plain(case)}
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


@dataclass(frozen=True, slots=True)
class Moved:
    """How a figure answers to one input: raised by `step` (in its unit), the figure changes by `change`."""

    field: str
    step: float
    change: float


def sensitivities(model: Model, case: Any, figure: str) -> tuple[Moved, ...]:
    """What moves a figure most: each input raised by 1 % of itself (of its valid span when it is 0), largest first."""
    base = model.function(case)
    if isinstance(base, Infeasible) or not math.isfinite(at := getattr(base, figure)):
        return ()
    found = []
    for name, said in quantities(model.case_class).items():
        if said.options:
            continue
        value = getattr(case, name)
        span = said.valid[1] - said.valid[0]
        step = 1.0 if said.whole else STEP * (abs(value) or (span if math.isfinite(span) else 1.0))
        for sign in (1.0, -1.0):
            try:
                moved = model.function(replace(case, **{name: value + sign * step}))
            except ImpossibleInput:
                continue
            if not isinstance(moved, Infeasible) and math.isfinite(getattr(moved, figure)):
                found.append(Moved(name, sign * step, getattr(moved, figure) - at))
                break
    return tuple(sorted((m for m in found if m.change != 0.0), key=lambda m: -abs(m.change)))


@dataclass(frozen=True, slots=True)
class Proof:
    """A check value run now: what was put in, what must come, what came."""

    given: Mapping[str, Any]
    field: str
    wanted: float
    found: float
    holds: bool


def prove(model: Model) -> tuple[Proof, ...]:
    """Every check value of a model, run."""
    proofs = []
    for check in model.checks:
        answer = model.function(read_case(model, dict(check.given)))
        found = math.nan if isinstance(answer, Infeasible) else float(getattr(answer, check.field))
        proofs.append(Proof(check.given, check.field, check.wanted, found, check.holds(found)))
    return tuple(proofs)


def example(model: Model) -> dict[str, Any]:
    """Inputs that answer: the first check value's, or the middle of each valid range."""
    if model.checks:
        return dict(model.checks[0].given)
    found: dict[str, Any] = {}
    for name, said in quantities(model.case_class).items():
        low, high = said.valid
        if said.options:
            found[name] = said.options[0]
        elif name not in defaults(model):
            found[name] = (low + high) / 2.0 if math.isfinite(high) else max(low, 1.0)
    return found


def find_result(name: str) -> type:
    """The result class of a registered model."""
    return find(name).result_class


def cautions_of(result: Any) -> tuple[Caution, ...]:
    return tuple(getattr(result, "cautions", ()))
