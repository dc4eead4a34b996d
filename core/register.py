"""One listing of every model the product computes with; station pages, docs and commands read it."""

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Any, TypeVar, get_args, get_type_hints


@dataclass(frozen=True, slots=True)
class Check:
    """One published or computed value: the inputs that differ from the defaults, the figure asked for, and what it must be."""

    given: Mapping[str, Any]
    field: str
    wanted: float
    within: float = 1e-4  # relative

    def holds(self, found: float) -> bool:
        return abs(found - self.wanted) <= self.within * max(abs(self.wanted), 1e-12)


@dataclass(frozen=True, slots=True, kw_only=True)
class Model:
    """A registered function from one case to one result (or Infeasible).

    `name` reads station.question and is a public interface: it does not change. `symbols` maps a symbol of the equation
    to the field it stands for. `basis` says what its coefficients rest on: exact (none), published, default.
    """

    name: str
    title: str
    source: str
    holds_for: str
    equation: str
    calibrated_by: tuple[str, ...]
    function: Callable[[Any], Any]
    case_class: type
    result_class: type
    checks: tuple[Check, ...]
    symbols: Mapping[str, str]
    basis: str

    @property
    def station(self) -> str:
        return self.name.split(".")[0]


_listing: dict[str, Model] = {}


F = TypeVar("F", bound=Callable[..., Any])


def model(
    name: str,
    *,
    title: str,
    source: str,
    holds_for: str,
    equation: str,
    calibrated_by: tuple[str, ...] = (),
    checks: tuple[Check, ...] = (),
    symbols: str = "",
    basis: str = "exact",
) -> Callable[[F], F]:
    """Register the decorated function; its annotations name the case and the result. `symbols`: "Qin=flow_l_min ..."."""

    def listed(function: F) -> F:
        hints = get_type_hints(function)
        gives = hints.pop("return")
        case_class = next(iter(hints.values()))
        if name in _listing:
            raise ValueError(f"model {name} is registered twice")
        _listing[name] = Model(
            name=name,
            title=title,
            source=source,
            holds_for=holds_for,
            equation=equation,
            calibrated_by=calibrated_by,
            function=function,
            case_class=case_class,
            result_class=(get_args(gives) or (gives,))[0],
            checks=checks,
            symbols=dict(pair.split("=") for pair in symbols.split()),
            basis=basis,
        )
        return function

    return listed


def models() -> tuple[Model, ...]:
    """Every model, in the order in which its station was loaded. Import core.catalogue first."""
    return tuple(_listing.values())


def find(name: str) -> Model:
    """The model of that name. Raises: KeyError with the names that exist."""
    try:
        return _listing[name]
    except KeyError:
        raise KeyError(f"no model {name!r}; there are {', '.join(sorted(_listing))}") from None
