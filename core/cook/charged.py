"""What the cases of a cook share: a wood with its charge, a mill's own coefficients, and a temperature log."""

from dataclasses import dataclass
from typing import Final

from core.cook.kinetic import Charge
from core.cook.profile import Points
from core.cook.species import EXPONENT, NAMES, Fitted
from core.document import same
from core.quantity import choice, quantities, quantity


@dataclass(frozen=True, slots=True, kw_only=True)
class LogPoint:
    """One point of a temperature log."""

    minute: float = quantity("Minute", "min", possible=(0, 1500), decimals=1)
    temp_c: float = quantity("Temperature", "°C", possible=(-10, 200), valid=(20, 180), decimals=1)


@dataclass(frozen=True, slots=True, kw_only=True)
class Charged:
    """A wood and its charge."""

    species: str = choice("Wood or plant", NAMES)
    ea_pct_naoh: float = same(Charge, "ea_pct_naoh")
    sulphidity_pct: float = same(Charge, "sulphidity_pct")
    lw_m3_t: float = same(Charge, "lw_m3_t")
    aq_pct: float = same(Charge, "aq_pct", default=0.0)
    second_pct: float = same(Charge, "second_pct", default=0.0)
    second_min: float = same(Charge, "second_min", default=60.0)
    third_pct: float = same(Charge, "third_pct", default=0.0)
    third_min: float = same(Charge, "third_min", default=120.0)

    @property
    def charge(self) -> Charge:
        """The charge on the wood."""
        return Charge(**{name: getattr(self, name) for name in quantities(Charge)})


@dataclass(frozen=True, slots=True, kw_only=True)
class Calibrated(Charged):
    """A wood, its charge, and a mill's own coefficients on the published ones."""

    rate_factor: float = quantity(
        "Rate of bulk and residual lignin, factor", "", possible=(0.05, 20), valid=(0.5, 2), decimals=3, default=1.0
    )
    carbohydrate_more: float = quantity(
        "Carbohydrate, more", "% on wood", possible=(-20, 20), valid=(-4, 4), decimals=2, default=0.0
    )
    alkali_factor: float = quantity(
        "Alkali of carbohydrate, factor", "", possible=(0.05, 20), valid=(0.7, 1.3), decimals=3, default=1.0
    )
    residual_factor: float = quantity(
        "Residual lignin, factor", "", possible=(0.05, 20), valid=(0.5, 2), decimals=3, default=1.0
    )
    alkali_exponent: float = quantity(
        "Exponent of alkali", "", possible=(0.02, 1), valid=(0.10, 0.60), decimals=3, default=EXPONENT
    )
    sulphide_factor: float = quantity(
        "Effect of sulphide, factor", "", possible=(0, 20), valid=(0.3, 2), decimals=3, default=1.0
    )
    gum_more: float = quantity("Gum, more", "% on wood", possible=(-15, 15), valid=(-3, 5), decimals=2, default=0.0)
    kappa_more: float = quantity("Bias taken out", "kappa", possible=(-60, 60), valid=(-15, 15), decimals=2, default=0.0)


FACTORS: Final = {
    "rate_factor": "rate",
    "carbohydrate_more": "carbohydrate",
    "alkali_factor": "alkali_carb",
    "residual_factor": "residual",
    "alkali_exponent": "exponent",
    "sulphide_factor": "sulphide",
    "gum_more": "gum",
    "kappa_more": "kappa",
}  # of a case: which of a mill's own coefficients each is


def factors_of(f: Fitted) -> dict[str, float]:
    """A mill's own coefficients as the fields of a case."""
    return {field: getattr(f, name) for field, name in FACTORS.items()}


class ByLog:
    """Of a case with `points`: its temperature log, min and °C."""

    __slots__ = ()
    points: tuple[LogPoint, ...]

    @property
    def log(self) -> Points:
        return tuple((p.minute, p.temp_c) for p in self.points)


class ByCoefficients:
    """Of a case with the factors: the coefficients as the kinetic cook takes them."""

    __slots__ = ()

    @property
    def coefficients(self) -> Fitted:
        return Fitted(**{name: getattr(self, field) for field, name in FACTORS.items()})
