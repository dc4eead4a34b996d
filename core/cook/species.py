"""What each wood or plant brings to a cook. Densities and analyses are defaults [D]; the softwood kinetics' exponents are
published."""

from dataclasses import dataclass, replace
from typing import Final

A_LIGNIN = 4.78e-3  # mol NaOH a gram of lignin


@dataclass(frozen=True, slots=True, kw_only=True)
class Species:
    """Kinetic constants (Gustafson et al. 1983 form), analysis and density of one raw material."""

    key: str
    kind: str  # softwood, hardwood, bagasse, straw: whose rejects and empirical line hold
    rho_b: float
    lignin: float
    carbohydrate: float
    bulk_from: float
    residual_from: float
    mi: float
    mb: float
    mr: float
    ci: float
    cb: float
    cr: float
    alkali_carb: float
    hexa: float
    pi: float


def _s(
    key: str,
    kind: str,
    rho: float,
    l0: float,
    c0: float,
    lib: float,
    lbr: float,
    mi: float,
    mb: float,
    mr: float,
    ci: float,
    ac: float,
    hexa: float,
    pi: float,
) -> Species:
    return Species(
        key=key,
        kind=kind,
        rho_b=rho,
        lignin=l0,
        carbohydrate=c0,
        bulk_from=lib,
        residual_from=lbr,
        mi=mi,
        mb=mb,
        mr=mr,
        ci=ci,
        cb=0.47,
        cr=2.19,
        alkali_carb=ac,
        hexa=hexa,
        pi=pi,
    )


_SOFT = _s("softwood", "softwood", 405, 27.5, 67.5, 22.5, 1.40, 1.0, 1.15, 1.0, 2.53, 0.0108, 2, 0)
_HARD = _s("hardwood", "hardwood", 510, 22.0, 72.5, 14.0, 0.75, 2.0, 4.0, 1.5, 2.00, 0.0120, 4, 0)
SPECIES: Final = {
    s.key: s
    for s in (
        _SOFT,
        _HARD,
        _s("eucalypt", "hardwood", 500, 25.0, 71.5, 15.5, 0.70, 2.2, 4.6, 1.5, 1.70, 0.0115, 5, 0),
        _s("bamboo", "hardwood", 520, 25.0, 68.0, 15.0, 1.00, 2.2, 3.6, 1.5, 1.60, 0.0115, 2, 0),
        _s("bagasse", "bagasse", 400, 20.0, 68.0, 3.5, 0.70, 15, 12, 2.0, 0.95, 0.0115, 1, 0.4),
        _s("straw", "bagasse", 400, 18.0, 66.0, 3.2, 0.70, 16, 12, 2.0, 1.10, 0.0115, 1, 0.4),
        replace(_SOFT, key="spruce"),
        replace(_SOFT, key="pine", rho_b=440, carbohydrate=67.0),
        replace(_SOFT, key="larch", rho_b=510, lignin=27.0, carbohydrate=63.5),
        replace(_SOFT, key="hemlock", rho_b=410, lignin=29.0, carbohydrate=66.0),
        replace(_HARD, key="alder", rho_b=390),
    )
}
NAMES: Final = tuple(SPECIES)


@dataclass(frozen=True, slots=True, kw_only=True)
class Fitted:
    """The three coefficients a mill fits first, as factors and points on the published default."""

    mb: float = 1.0
    carbohydrate: float = 0.0
    alkali_carb: float = 1.0


DEFAULT: Final = Fitted()


def fitted(species: Species, f: Fitted) -> Species:
    """The species with a mill's own coefficients."""
    return replace(
        species,
        mb=species.mb * f.mb,
        carbohydrate=species.carbohydrate + f.carbohydrate,
        alkali_carb=species.alkali_carb * f.alkali_carb,
    )
