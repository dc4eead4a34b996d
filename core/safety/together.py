"""What must never meet, asked both ways. Source: shift practice, section 7.2."""

from dataclasses import dataclass
from typing import Final

from core.errors import ImpossibleInput, Problem

SUBSTANCES: Final = {
    "liquor": "white, green or black liquor, sulphide effluent",
    "acid": "acid (sulphuric or other)",
    "strong_acid": "concentrated acid",
    "alum": "alum",
    "so2": "sulphite acid, SO₂, bisulphite",
    "clo2": "ClO₂ solution or its drain",
    "hypo": "hypochlorite",
    "chlorite": "chlorite, chlorate",
    "peroxide": "hydrogen peroxide",
    "caustic": "caustic, strong",
    "dithionite": "dithionite",
    "ammonium": "ammonium, amine, urea biocide",
    "biocide": "oxidising biocide",
    "oxygen": "ozone, oxygen",
    "oil": "oil, grease, solvent",
    "organic": "wood, starch, rags, other organics",
    "metal": "rust, metals, dirt",
    "light_metal": "aluminium, zinc",
    "carbonate": "carbonate filler, carbonate broke",
    "water": "water poured onto it, damp",
    "old_stock": "old wet stock, still and warm",
}


@dataclass(frozen=True, slots=True)
class Never:
    """Two groups that must not meet, and what happens."""

    a: frozenset[str]
    b: frozenset[str]
    outcome: str


def _never(a: str, b: str, outcome: str) -> Never:
    return Never(frozenset(a.split()), frozenset(b.split()), outcome)


NEVER: Final = (
    _never("liquor", "acid strong_acid alum so2 clo2", "Hydrogen sulphide at once."),
    _never("hypo", "acid strong_acid alum so2", "Chlorine, heat."),
    _never("hypo", "ammonium", "Chloramine, heat."),
    _never("chlorite", "acid strong_acid organic oil so2 dithionite", "Chlorine dioxide gas, fire."),
    _never("clo2", "metal organic oil dithionite liquor peroxide", "A puff of gas, heat; warmth and light do the same."),
    _never("peroxide", "caustic metal dithionite organic oil", "It runs away, or bursts a shut pipe."),
    _never("oxygen", "oil", "Fire."),
    _never("dithionite", "water acid strong_acid hypo chlorite oxygen biocide organic", "It heats itself; sulphur dioxide."),
    _never("strong_acid", "water caustic", "It boils and sprays."),
    _never("acid strong_acid alum", "carbonate", "Carbon dioxide foam in a closed chest: no oxygen, lift."),
    _never("caustic", "light_metal", "Hydrogen, heat."),
    _never("biocide", "ammonium organic", "Toxic gas, fire."),
    _never("old_stock", "acid strong_acid alum", "Hydrogen sulphide set free; opening or stirring it does the same."),
)


def together(one: str, other: str) -> tuple[Never, ...]:
    """What happens where these two meet, whichever comes to the other; nothing where the list knows of nothing, which does not
    say that it is safe. Raises: ImpossibleInput for a substance that is none of the list."""
    for name, substance in (("one", one), ("other", other)):
        if substance not in SUBSTANCES:
            raise ImpossibleInput(Problem(name, f"is “{substance}”; it must be one of {', '.join(SUBSTANCES)}"))
    pair = (one, other)
    return tuple(n for n in NEVER if (pair[0] in n.a and pair[1] in n.b) or (pair[1] in n.a and pair[0] in n.b))
