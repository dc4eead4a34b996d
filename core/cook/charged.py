"""What the cases of a cook share: a wood with its charge, a mill's own coefficients, and a temperature log."""

from dataclasses import dataclass

from core.cook.kinetic import Charge
from core.cook.profile import Points
from core.cook.species import NAMES, Fitted
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

    @property
    def charge(self) -> Charge:
        """The charge on the wood."""
        return Charge(**{name: getattr(self, name) for name in quantities(Charge)})


@dataclass(frozen=True, slots=True, kw_only=True)
class Calibrated(Charged):
    """A wood, its charge, and a mill's own coefficients as factors on the published ones."""

    rate_factor: float = quantity(
        "Rate of bulk lignin, factor", "", possible=(0.05, 20), valid=(0.3, 3), decimals=3, default=1.0
    )
    carbohydrate_more: float = quantity(
        "Carbohydrate, more", "% on wood", possible=(-20, 20), valid=(-5, 5), decimals=2, default=0.0
    )
    alkali_factor: float = quantity(
        "Alkali of carbohydrate, factor", "", possible=(0.05, 20), valid=(0.3, 3), decimals=3, default=1.0
    )


class ByLog:
    """Of a case with `points`: its temperature log, min and °C."""

    __slots__ = ()
    points: tuple[LogPoint, ...]

    @property
    def log(self) -> Points:
        return tuple((p.minute, p.temp_c) for p in self.points)


class ByCoefficients:
    """Of a case with the three factors: the coefficients as the kinetic cook takes them."""

    __slots__ = ()
    rate_factor: float
    carbohydrate_more: float
    alkali_factor: float

    @property
    def coefficients(self) -> Fitted:
        return Fitted(mb=self.rate_factor, carbohydrate=self.carbohydrate_more, alkali_carb=self.alkali_factor)
