"""Water and steam: enthalpies, saturation. Sources: fits within 0.02 % of steam tables, 0 to 200 °C; Antoine's equation."""

from functools import lru_cache

from core.errors import ImpossibleInput, Problem
from core.roots import brentq

STEAM_MOST_BAR = 15.5  # 200 °C
ATMOSPHERE_BAR = 1.01325
MMHG_BAR = ATMOSPHERE_BAR / 760.0
CP_FIBRE, CP_LIQUOR, CP_FILTRATE, CP_WATER = 1.40, 3.90, 4.10, 4.18  # kJ/kg K


def h_liquid(temp_c: float) -> float:
    """Enthalpy of water, kJ/kg, 0 to 200 °C."""
    return 4.20875 * temp_c - 6.1815e-4 * temp_c**2 + 4.40308e-6 * temp_c**3


def h_evaporation(temp_c: float) -> float:
    """Heat of evaporation, kJ/kg, 0 to 200 °C."""
    return 2501.15 - 2.41720 * temp_c + 1.39676e-3 * temp_c**2 - 1.66865e-5 * temp_c**3


def p_saturation(temp_c: float) -> float:
    """Saturation pressure, bar absolute, 0 to 200 °C (Antoine)."""
    a, b, c = (8.07131, 1730.63, 233.426) if temp_c < 100.0 else (8.14019, 1810.94, 244.485)
    return float(10.0 ** (a - b / (c + temp_c))) * MMHG_BAR


@lru_cache(maxsize=256)
def t_saturation(bar_abs: float) -> float:
    """Saturation temperature, °C, of 0.01 to 15.5 bar absolute, by root search. 3.0 bar is 133.74 °C.

    Raises: ImpossibleInput outside, where the fits of the steam tables end (200 °C).
    """
    if not 0.01 <= bar_abs <= STEAM_MOST_BAR:
        raise ImpossibleInput(Problem("bar_abs", f"is {bar_abs:g} bar abs; it must be 0.01 to {STEAM_MOST_BAR:g} bar abs"))
    return brentq(lambda t: p_saturation(t) - bar_abs, 1.0, 205.0, xtol=1e-9)


def kelvin(temp_c: float) -> float:
    return temp_c + 273.15
