"""One listing of every model the product computes with; station pages, docs and commands read it."""

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any, TypeVar, get_type_hints


@dataclass(frozen=True, slots=True, kw_only=True)
class Model:
    """A registered function from one case to one result (or Infeasible).

    `name` reads station.question and is a public interface: it does not change.
    """

    name: str
    title: str
    source: str
    holds_for: str
    equation: str
    calibrated_by: tuple[str, ...]
    function: Callable[[Any], Any]
    case_class: type

    @property
    def station(self) -> str:
        return self.name.split(".")[0]


_listing: dict[str, Model] = {}


F = TypeVar("F", bound=Callable[..., Any])


def model(
    name: str, *, title: str, source: str, holds_for: str, equation: str, calibrated_by: tuple[str, ...] = ()
) -> Callable[[F], F]:
    """Register the decorated function; its one argument's annotation is the case class."""

    def listed(function: F) -> F:
        hints = get_type_hints(function)
        hints.pop("return", None)
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
