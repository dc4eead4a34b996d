"""What each wood or plant brings to a cook: density, analysis, and the rates of its lignin and carbohydrate.

All rates are defaults to be calibrated, except the alkali that lignin takes and the activation energy of bulk and residual
lignin (Vroom 1957). Source: models, sections 1.2 and 3.4.
"""

from collections.abc import Mapping
from dataclasses import dataclass, fields, replace
from typing import Any, Final

A_LIGNIN, A_GUM = 4.78e-3, 4.5e-3  # mol NaOH a gram of lignin; of gum
EXPONENT: Final = 0.22  # of alkali in bulk and residual lignin, lumped over a whole digester


@dataclass(frozen=True, slots=True, kw_only=True)
class Species:
    """Analysis, % of oven-dry wood, density, kg/m³, and kinetic constants of one raw material.

    `fast_lignin`, `residual_lignin`: shares of the lignin that leaves at once and that leaves last; the rest is bulk.
    `peeled`: the share of the carbohydrate easily peeled. `k_fast` per min at 100 °C, `k_bulk` and `k_residual` at 170,
    `k_slow` (of the other carbohydrate) at 170. `alkali_carb`: mol NaOH a gram of carbohydrate. `sulphide`: how much sulphide
    can add to the rate. `fast_exponent`: of alkali in the fast lignin. `hexa`: kappa of hexenuronic acids.
    """

    key: str
    kind: str  # softwood, hardwood, bagasse: whose rejects and empirical line hold
    rho_b: float
    lignin: float
    carbohydrate: float
    fast_lignin: float
    residual_lignin: float
    k_fast: float
    k_bulk: float
    k_residual: float
    peeled: float
    k_slow: float
    alkali_carb: float
    sulphide: float
    fast_exponent: float
    hexa: float
    gum: float = 0.0
    exponent: float = EXPONENT


_COLUMNS: Final = (
    *("rho_b", "lignin", "carbohydrate", "fast_lignin", "residual_lignin"),
    *("k_fast", "k_bulk", "k_residual", "peeled", "k_slow"),
    *("alkali_carb", "sulphide", "fast_exponent", "hexa"),
)
_ROWS: Final = {
    "softwood": (405, 27.5, 67.5, 0.2, 0.111, 0.012, 0.0358, 0.00597, 0.323, 0.000946, 0.00975, 0.63, 0, 2),
    "hardwood": (510, 22, 72.5, 0.3, 0.0665, 0.012, 0.0881, 0.00881, 0.296, 0.0011, 0.01085, 0.81, 0, 4),
    "eucalypt": (500, 25, 71.5, 0.3, 0.0541, 0.012, 0.1013, 0.01013, 0.291, 0.00113, 0.0113, 0.76, 0, 5),
    "bamboo": (520, 25, 68, 0.3, 0.0748, 0.012, 0.0996, 0.00996, 0.308, 0.00154, 0.0115, 0.86, 0, 2),
    "bagasse": (400, 20, 68, 0.8, 0.0696, 0.025, 0.413, 0.0206, 0.232, 0.0012, 0.01105, 0.3, 0.3, 1),
    "straw": (400, 18, 66, 0.75, 0.0805, 0.025, 0.557, 0.0279, 0.279, 0.0012, 0.0116, 0.3, 0.3, 1),
}
_KIND: Final = {"softwood": "softwood", "bagasse": "bagasse", "straw": "bagasse"}
_OWN = {
    key: Species(key=key, kind=_KIND.get(key, "hardwood"), **dict(zip(_COLUMNS, map(float, row), strict=True)))
    for key, row in _ROWS.items()
}
_SOFT, _HARD = _OWN["softwood"], _OWN["hardwood"]
SPECIES: Final = _OWN | {
    s.key: s
    for s in (
        replace(_SOFT, key="spruce"),
        replace(_SOFT, key="pine", rho_b=440.0, carbohydrate=67.0),
        replace(_SOFT, key="larch", rho_b=510.0, lignin=27.0, carbohydrate=62.0, gum=9.0),
        replace(_SOFT, key="hemlock", rho_b=410.0, lignin=29.0, carbohydrate=66.0),
        replace(_HARD, key="alder", rho_b=390.0),
        replace(_HARD, key="birch"),
        replace(_HARD, key="oak"),
        replace(_HARD, key="maple"),
    )
}
NAMES: Final = tuple(SPECIES)


@dataclass(frozen=True, slots=True, kw_only=True)
class Fitted:
    """A mill's own coefficients, as factors on the published defaults, points more, or (the exponent) as they stand.

    rate: on bulk and residual lignin together. carbohydrate, gum: % on wood more than the default. alkali_carb: on the alkali
    that carbohydrate takes. residual: on the share of residual lignin. exponent: of alkali. sulphide: on sulphide's effect.
    kappa: what this mill's cooks come out over the model by, taken out in one press; kappa units.
    """

    rate: float = 1.0
    carbohydrate: float = 0.0
    alkali_carb: float = 1.0
    residual: float = 1.0
    exponent: float = EXPONENT
    sulphide: float = 1.0
    gum: float = 0.0
    kappa: float = 0.0


DEFAULT: Final = Fitted()


def holds(stored: Mapping[str, Any]) -> bool:
    """Whether stored coefficients are of this model: those of an earlier one have other names and are fitted again."""
    return set(stored) <= {f.name for f in fields(Fitted)}


def restored(stored: Mapping[str, Any]) -> Fitted:
    """Coefficients as they were stored; those of an earlier model cannot be carried over and count as the default."""
    return Fitted(**stored) if holds(stored) else DEFAULT


def fitted(species: Species, f: Fitted) -> Species:
    """The species with a mill's own coefficients."""
    return replace(
        species,
        k_bulk=species.k_bulk * f.rate,
        k_residual=species.k_residual * f.rate,
        carbohydrate=species.carbohydrate + f.carbohydrate,
        alkali_carb=species.alkali_carb * f.alkali_carb,
        residual_lignin=min(1.0 - species.fast_lignin, species.residual_lignin * f.residual),
        exponent=f.exponent,
        sulphide=species.sulphide * f.sulphide,
        gum=max(0.0, species.gum + f.gum) if species.gum else 0.0,
        hexa=species.hexa + f.kappa,
    )
