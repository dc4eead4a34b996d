"""Sodium that the fibre's own acid groups hold: washing with water of that pH does not take it away, acid does.

Source: models, section 5. Acid groups are defaults to be calibrated: the laboratory's total soda less its washable soda.
"""

from typing import Final

from core.constants import SALTCAKE_A_SODIUM
from core.unit import AIR_DRY, Inlet

ACID_GROUPS: Final = {"softwood": 75.0, "hardwood": 90.0, "bagasse": 95.0}  # mmol/kg OD, unbleached
SALTCAKE_A_MMOL: Final = 0.071021  # kg Na2SO4 a mol of sodium
SPREAD, HALF_PH = 0.6, 5.0


def bound_saltcake(wood: str, ph: float) -> float:
    """Sodium bound on the fibre, kg Na2SO4 a tonne air-dry, at the pH of its liquor."""
    return float(AIR_DRY * ACID_GROUPS[wood] * SALTCAKE_A_MMOL / (1.0 + 10.0 ** (SPREAD * (HALF_PH - ph))))


def bound_sodium(wood: str, ph: float) -> float:
    """The same as sodium, kg Na a tonne oven-dry."""
    return bound_saltcake(wood, ph) / SALTCAKE_A_SODIUM / AIR_DRY


def held_at(inlet: Inlet, bound_kg_odt: float, brought_kg_h: float = 0.0) -> dict[str, float]:
    """What a unit moves between liquor and fibre so that the fibre holds so much sodium, kg Na/ODt; `brought`: what it adds.

    The fibre holds no more than there is.
    """
    held = min(max(0.0, bound_kg_odt) * inlet.solids_t_h, inlet.sodium_kg_h + brought_kg_h)
    moved = held - inlet.kg_h("SODB")
    return {"SODB": moved, "SOD": brought_kg_h - moved}
