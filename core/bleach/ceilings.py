"""What a stage may be charged at most, and the hazard that its chemical brings: one table for inverses, plans, optimiser and
pages.

Source: models, section 7.2 (ceilings of charge, kg/ODt of 100 % chemical); shift practice, section 7.1 (cards). Site procedure
and the supplier's safety data sheet come first.
"""

from dataclasses import dataclass
from typing import Final

from core.errors import Caution, Problem

CEILING: Final = {
    "D0": 35.0,
    "D1": 15.0,
    "D2": 10.0,
    "P": 40.0,
    "PO": 40.0,
    "EP": 10.0,
    "EOP": 10.0,
    "Z": 8.0,
    "Paa": 15.0,
    "O": 35.0,
    "E": 40.0,
    "EO": 40.0,
    "Q": 5.0,
    "A": 15.0,
    "Y": 12.0,
    "H": 30.0,
    "C": 60.0,
    "W": 0.0,
    "X": 1.0,
}
FACTOR_MOST: Final = 0.35  # kappa factor of D0
ACTIVE_CLO2, COD_CHLORINE = 2.628, 0.4  # active chlorine a kg of ClO2; what a kg of carried COD takes of it
NEAR: Final = 0.8  # from this share of a ceiling on the card is shown with the charge
PEROXIDE_MIND_KG, PEROXIDE_MIND_C = 30.0, 90.0
STRENGTH_MIND_G_L, STRENGTH_MOST_G_L = 10.0, 12.0


@dataclass(frozen=True, slots=True)
class Card:
    """A hazard card: its code, what it is of, and the usual cautions in a line."""

    code: str
    title: str
    text: str


CL = Card(
    "CL",
    "Chlorine dioxide",
    "Monitors read, no rust, oil or rags; tower vents on. Yellow-green haze: leave, alarm, let the authorised crew "
    "isolate. Kept cold and at most 10 g/L.",
)
HP = Card(
    "HP",
    "Hydrogen peroxide",
    "Never shut in between two valves: it bursts the line. Metals decompose it: gas and heat in a closed tower, "
    "relief open. No iron or alkali into the store; a leak is flooded with water.",
)
OX = Card(
    "O2",
    "Oxygen",
    "Pressure; oil-free, slow valves; over 23.5 % in the air clothes burn: leave, ventilate.",
)
OZ = Card(
    "O3",
    "Ozone",
    "Ozone destruct running, off-gas is rich in oxygen: no oil or grease. Ozone alarm: leave, ventilate.",
)
PA = Card(
    "PA",
    "Peracetic acid",
    "Store cold and vented, never shut in; nothing metallic or alkaline into it. Goggles and suit; a leak is "
    "flooded with water.",
)
DT = Card(
    "DT",
    "Dithionite",
    "Powder and damp heat by themselves and give SO₂: dry, closed, small amounts. Wet it and it burns.",
)
AC = Card(
    "AC",
    "Acid",
    "Acid into water, never water into acid. Shield and acid suit; never near hypochlorite, chlorite, liquor or dithionite.",
)
WL = Card(
    "WL",
    "Caustic",
    "Burns eye and skin: goggles and shield, gauntlets, the nearest shower known.",
)
HY = Card(
    "CL",
    "Hypochlorite, chlorine",
    "Never near acid, alum or ammonium: chlorine gas. Monitors read; a haze: leave, alarm.",
)
OF_STAGE: Final = {
    "D0": CL,
    "D1": CL,
    "D2": CL,
    "P": HP,
    "PO": HP,
    "EP": HP,
    "EOP": HP,
    "Z": OZ,
    "O": OX,
    "EO": OX,
    "E": WL,
    "Paa": PA,
    "Y": DT,
    "A": AC,
    "H": HY,
    "C": HY,
}


def factor_most_kg(kappa: float, cod: float = 0.0) -> float:
    """ClO2 kg/ODt at which the kappa factor of a D0 stands at its most; carry-over (COD kg/ODt) takes its own chlorine on
    top."""
    return (10.0 * FACTOR_MOST * kappa + COD_CHLORINE * cod) / ACTIVE_CLO2


def too_much(stage: str, charge_kg: float, *, kappa: float = 0.0, cod: float = 0.0) -> str:
    """Why a charge is over what its stage may take, as a sentence without its subject; empty where it is not."""
    most = CEILING[stage]
    if charge_kg > most:
        return f"is {charge_kg:.4g} kg/ODt; {stage} may take at most {most:g} kg/ODt"
    if stage == "D0" and kappa > 0.0 and charge_kg > (held := factor_most_kg(kappa, cod)) + 1e-9:
        return f"is {charge_kg:.4g} kg/ODt; the kappa factor may be at most {FACTOR_MOST:g}, here {held:.4g} kg/ODt"
    return ""


def refuse_charge(stage: str, charge_kg: float, field: str) -> tuple[Problem, ...]:
    """The refusal of a typed charge over its ceiling; empty where it is inside."""
    return (Problem(field, why),) if (why := too_much(stage, charge_kg)) else ()


def mind_charge(stage: str, charge_kg: float, temp_c: float, field: str) -> tuple[Caution, ...]:
    """The stage's own card near its ceiling, and with much or hot peroxide."""
    card, most = OF_STAGE.get(stage), CEILING[stage]
    near = most > 0.0 and charge_kg >= NEAR * most
    peroxide = card is HP and charge_kg > 0.0 and (charge_kg > PEROXIDE_MIND_KG or temp_c > PEROXIDE_MIND_C)
    if card is None or not (near or peroxide):
        return ()
    why = f"{charge_kg:.4g} kg/ODt, {most:g} is the most" if near else f"{charge_kg:.4g} kg/ODt at {temp_c:.0f} °C"
    return (Caution(field, f"{stage}, {why}. {card.title}: {card.text[0].lower()}{card.text[1:].rstrip('.')}"),)


def mind_strength(g_l: float, field: str) -> tuple[Caution, ...]:
    """A chlorine dioxide solution over the safe strength of its store."""
    if g_l <= STRENGTH_MIND_G_L:
        return ()
    return (
        Caution(
            field,
            f"chlorine dioxide at {g_l:.4g} g/L is over the safe strength of the store, 10 g/L: vapour above it can decompose",
        ),
    )
