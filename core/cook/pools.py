"""The alkaline cook's rates: lignin and carbohydrate in parallel pools, which alkali, sulphide and heat take away.

Lignin is fast, bulk and residual, each a fixed share of what came in; carbohydrate is easily peeled and slow; gum leaves with
the fast lignin. No phase, no switch: the answer and its slopes are smooth in every input. Source: models, section 3.4; form
after Gustafson et al. 1983 with parallel pools as Lindgren and Lindstroem 1996; constants are defaults to be calibrated.
"""

from dataclasses import dataclass
from typing import Any, Final

import numpy as np
import numpy.typing as npt

from core.compiled import compiled, plain
from core.cook.species import A_GUM, A_LIGNIN, Species

Array = npt.NDArray[np.float64]
R_KJ: Final = 8.314e-3
PEELING, SLOW, ACID_GROUPS_MOL_L = 0.10, 0.70, 0.02  # exponents of alkali; below this alkali acts in proportion
HALF_SULPHIDE_MOL_L, HALF_QUINONE_PCT, QUINONE_GAIN = 0.10, 0.05, 0.60
FAST, BULK, PEEL, SLOWLY = (100.0, 50.0), (170.0, 134.0), (140.0, 90.0), (170.0, 150.0)  # reference °C, kJ/mol
K_PEEL = 0.030  # per min at 140 °C
NaOH_G, SULPHIDE_G = 40.0, 80.0  # g as NaOH a mol; of Na2S as NaOH a mol of HS


def _heat(temps_c: Array, at: tuple[float, float]) -> Array:
    """How much faster than at the reference, by an activation energy."""
    return np.exp(-at[1] / R_KJ * (1.0 / (temps_c + 273.15) - 1.0 / (at[0] + 273.15)))


def hydrosulphide(ea_pct: Any, sulphidity_pct: Any, lw_m3_t: Any) -> Any:
    """HS, mol/L, of a charge, % NaOH on wood; it stays what it was."""
    aa = ea_pct / (1.0 - sulphidity_pct / 200.0)
    return aa * sulphidity_pct / 100.0 * 10.0 / SULPHIDE_G / lw_m3_t


def quickened(s: Species, hs_mol_l: Any, quinone_pct: Any) -> Any:
    """How much faster bulk and residual lignin leave for sulphide and anthraquinone; both saturate."""
    sulphide = hs_mol_l**2 / (hs_mol_l**2 + HALF_SULPHIDE_MOL_L**2)
    quinone = quinone_pct / (quinone_pct + HALF_QUINONE_PCT)
    return 1.0 + s.sulphide * sulphide + QUINONE_GAIN * quinone * (1.0 - 0.5 * sulphide)


@dataclass(frozen=True, slots=True)
class Heats:
    """The five rate constants, per min, along a grid of temperatures: fast, bulk and residual lignin, peeled and slow
    carbohydrate."""

    fast: Any
    bulk: Any
    residual: Any
    peeled: Any
    slow: Any

    @classmethod
    def along(cls, s: Species, temps_c: Array) -> "Heats":
        bulk = _heat(temps_c, BULK)
        return cls(
            fast=s.k_fast * _heat(temps_c, FAST),
            bulk=s.k_bulk * bulk,
            residual=s.k_residual * bulk,
            peeled=K_PEEL * _heat(temps_c, PEEL),
            slow=s.k_slow * _heat(temps_c, SLOWLY),
        )

    def rows(self, more: float = 1.0) -> list[tuple[float, float, float, float, float]]:
        """Point by point as plain numbers, lignin's by `more` faster."""
        table = (self.fast, more * self.bulk, more * self.residual, self.peeled, self.slow)
        return list(zip(*(column.tolist() for column in table), strict=True))


def pools_of(s: Species) -> tuple[float, float, float, float, float]:
    """Fast, bulk and residual lignin, peeled and slow carbohydrate at the start, % of oven-dry wood."""
    fast, residual = s.fast_lignin * s.lignin, s.residual_lignin * s.lignin
    return fast, s.lignin - fast - residual, residual, s.peeled * s.carbohydrate, (1.0 - s.peeled) * s.carbohydrate


@compiled
def leaving(fast_exponent: float, exponent: float, k: Any, pools: Any, oh: Any) -> Any:
    """What leaves the five pools, % of wood a minute, at alkali `oh`, mol/L (at least 0), by a wood's exponents."""
    log = np.log(oh + ACID_GROUPS_MOL_L)  # its powers by one logarithm
    bulk = oh * np.exp((exponent - 1.0) * log)
    return (
        k[0] * oh * np.exp((fast_exponent - 1.0) * log) * pools[0],
        k[1] * bulk * pools[1],
        k[2] * bulk * pools[2],
        k[3] * oh * np.exp((PEELING - 1.0) * log) * pools[3],
        k[4] * oh * np.exp((SLOW - 1.0) * log) * pools[4],
    )


@compiled
def taken(alkali_carb: float, gum_a_fast: float, lost: Any) -> Any:
    """Alkali that those losses take, mol NaOH a kg of wood; `gum_a_fast`: gum that leaves with a part of fast lignin."""
    lignin = lost[0] + lost[1] + lost[2]
    return 10.0 * (A_LIGNIN * lignin + alkali_carb * (lost[3] + lost[4]) + A_GUM * gum_a_fast * lost[0])


def losses(s: Species, k: Any, pools: Any, oh: Any) -> Any:
    """What leaves the five pools, % of wood a minute, at alkali `oh`, mol/L (at least 0). Numbers or arrays alike."""
    return plain(leaving)(s.fast_exponent, s.exponent, k, pools, oh)


def alkali_taken(s: Species, lost: Any) -> Any:
    """Alkali that those losses take, mol NaOH a kg of wood."""
    return plain(taken)(s.alkali_carb, gum_left(s, 1.0), lost)


def gum_left(s: Species, fast: Any) -> Any:
    """Gum still in the wood, % of oven-dry wood: it leaves with the fast lignin."""
    return s.gum * fast / (s.fast_lignin * s.lignin)


def kappa_of(lignin: Any, rest: Any, hexa: float) -> Any:
    """Kappa of pulp with that lignin beside the rest of it, both % of wood; `hexa`: what hexenuronic acids add."""
    return 100.0 * lignin / (lignin + rest) / 0.15 + hexa


def march(pools: Array, alkali: Array, lengths: Any, rates: Any, added: Any = None) -> tuple[Array, Array]:
    """Many cooks side by side to their end, by classical fourth-order steps.

    pools: shape (5, ...), % of wood. alkali: mol/kg, any shape that `rates` returns. lengths: minutes of every step, each a
    number or an array that multiplies both. rates(i, pools, alkali) at half step i (0, 1, 2 of the first step, 3 a step): what
    the pools lose and the alkali that takes, a minute. added: alkali that comes in at the end of every step.
    """
    for j, h in enumerate(lengths):
        a, na = rates(3 * j, pools, alkali)
        b, nb = rates(3 * j + 1, pools - h / 2.0 * a, alkali - h / 2.0 * na)
        c, nc = rates(3 * j + 1, pools - h / 2.0 * b, alkali - h / 2.0 * nb)
        d, nd = rates(3 * j + 2, pools - h * c, alkali - h * nc)
        pools = pools - h / 6.0 * (a + 2.0 * (b + c) + d)
        alkali = np.maximum(0.0, alkali - h / 6.0 * (na + 2.0 * (nb + nc) + nd))
        if added is not None:
            alkali = alkali + added[j]
    return pools, alkali
