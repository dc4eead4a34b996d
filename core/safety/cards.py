"""Safety cards, one a hazard: what it is, usual cautions, the first action, when to stop and call.

Exposure figures are orientation only; the limits that hold are the site’s own. Source: shift practice, section 7.1.
"""

from dataclasses import dataclass
from typing import Final

CLOSING: Final = (
    "Local law, the site’s own procedure, the supplier’s safety data sheet and people licensed or authorised for the task"
    " come before anything shown here."
)
UNSET: Final = "Limits not yet set by this site: figures are orientation only, as commonly published."


@dataclass(frozen=True, slots=True)
class Card:
    """A hazard: its code and name, the stations that show it (none: all of them), and the four things it says."""

    code: str
    name: str
    stations: tuple[str, ...]
    hazard: str
    cautions: str
    first: str
    stop: str


CARDS: Final = (
    Card(
        "CH",
        "Chips and bagasse",
        ("chips",),
        "In-running belts, chippers, screw feeders, buried reclaimers, collapse of a pile, dust, mould, bagasse that heats"
        " itself, noise.",
        "Guards on, pull cords tried, nobody alone at a reclaimer; eye and hearing protection, dust mask.",
        "Pull cord, isolate.",
        "Anyone on or under a pile; smoke; a metal trip that repeats.",
    ),
    Card(
        "DG",
        "Digester",
        ("cook",),
        "Pressure, hot liquor, hot blow, relief gases, the capping valve, chips that hang and fall at once.",
        "Clear the blow line, positive isolation, pressure proved zero at two points; face shield, alkali suit.",
        "Move away upwind, alarm.",
        "A cover leaks; vibration; the level is lost; a blow does not end in its time.",
    ),
    Card(
        "WL",
        "Liquor and caustic",
        ("cook", "wash"),
        "White, green and black liquor and caustic burn eye and skin, and are hot; liquor with acid gives hydrogen sulphide;"
        " slippery.",
        "Goggles and shield, gauntlets, boots under trousers; know the nearest shower.",
        "Water for 15 to 30 min at once, then help.",
        "Any splash in an eye; a spill that runs to an acid drain.",
    ),
    Card(
        "HS",
        "Hydrogen sulphide and relief gases",
        ("cook", "wash", "stock"),
        "Smelled at about 0.01 ppm, the smell dies near 100 ppm, immediately dangerous commonly listed at 100; fire and"
        " explosion with air and terpenes.",
        "Personal monitor, wind sock, escape set; never trust the nose.",
        "Leave crosswind, muster.",
        "A monitor alarms; a person is down: no rescue without an air set.",
    ),
    Card(
        "SO",
        "Sulphur dioxide, sulphite acid",
        ("cook",),
        "Choking, immediately dangerous at 100 ppm; acid; pressure.",
        "Escape mask, acid suit, goggles.",
        "Upwind; water on skin.",
        "Haze; a relief lifts.",
    ),
    Card(
        "CL",
        "Chlorine dioxide",
        ("bleach",),
        "Immediately dangerous at 5 ppm, short-term about 0.3; the gas decomposes above about 10 % by volume, warm, lit or on"
        " organics.",
        "Monitor, escape set; no rust, oil or rags; vents on; solution cold, at most about 10 g/L.",
        "Leave, alarm, let the authorised crew isolate.",
        "Yellow-green vapour; a monitor; a tank that warms, or is lit.",
    ),
    Card(
        "GC",
        "Chlorate, chlorite, generator acid",
        ("bleach",),
        "Oxidisers with anything organic; acid on chlorite makes chlorine dioxide.",
        "Wet clothing changed at once; no wood or grease near.",
        "Flush with much water.",
        "A spill that dries out.",
    ),
    Card(
        "HP",
        "Hydrogen peroxide",
        ("bleach", "recovered"),
        "Oxidiser; decomposes with metal, alkali and dirt: heat, oxygen, burst of a shut line; immediately dangerous at"
        " 75 ppm.",
        "Never between two shut valves; clean tools of its own; goggles and suit.",
        "Flood with water; leave a tank that warms.",
        "A tank’s temperature rises; a vent roars.",
    ),
    Card(
        "O2",
        "Oxygen and ozone",
        ("wash", "bleach"),
        "Above 23.5 % clothes burn; ozone immediately dangerous at 5 ppm, harms the lung.",
        "Oil-free, valves slowly, monitor.",
        "Leave, ventilate.",
        "The sound of a leak; an ozone alarm.",
    ),
    Card(
        "DT",
        "Dithionite, bisulphite",
        ("bleach", "recovered"),
        "Powder and damp heat themselves and give sulphur dioxide; the solution takes the oxygen of a closed space.",
        "Stored dry and closed, in small amounts; mask for dust.",
        "Move people away; dry agent or flooding by site rule, never a little water.",
        "A warm drum; smoke; a pungent smell.",
    ),
    Card(
        "AC",
        "Acid and alum",
        ("bleach", "blend"),
        "Heat with water, hydrogen on metal, carbon dioxide with carbonate, gas with liquor.",
        "Acid into water, never water into acid; shield, acid suit.",
        "Water.",
        "It goes to a wrong tank: stop unloading, do not mix it back.",
    ),
    Card(
        "PR",
        "Presses, drums, wires, rolls",
        ("wash", "clean", "deliver"),
        "Nips, jets of hot stock, doctor blades.",
        "Lock out; hoses off the edge.",
        "Stop cord.",
        "A guard is off while it moves.",
    ),
    Card(
        "PU",
        "Pulper",
        ("recovered",),
        "A fall into the rotor, the whip of bale wire, rope, jam, vapour.",
        "Rail or gates at the belt, stand aside of a wire that is cut, no climbing, trucks kept apart.",
        "Emergency stop, tag.",
        "A person near an open throat; the rope is stuck.",
    ),
    Card(
        "FK",
        "Bales and trucks",
        ("chips", "recovered"),
        "Crushing, a stack that falls, wire in eyes.",
        "Height of stacks, chocks, walkway; goggles to cut wire.",
        "Stop the traffic.",
        "A stack leans.",
    ),
    Card(
        "CF",
        "Vats, chests, towers",
        ("clean", "stock"),
        "No oxygen, hydrogen sulphide from old stock, engulfing, agitator, sudden inflow.",
        "By permit only; oxygen 19.5 to 23.5 %, hydrogen sulphide under the site’s limit, explosive gas under 10 %; watch and"
        " retrieval.",
        "Nobody enters to rescue.",
        "Any alarm; the watch leaves.",
    ),
    Card(
        "RF",
        "Refiners",
        ("refine",),
        "Contact of plates, fragments, steam, a hot gland, pinch at the gap.",
        "Work at the gap only locked out; never a foot on the line of the door; hearing protection.",
        "Open the plates by procedure, stand aside.",
        "A rattle; vibration; a gap alarm.",
    ),
    Card(
        "HC",
        "Steam, pumps, hot water",
        ("cook", "refine"),
        "Burns, hammer in lines.",
        "Drain slowly, warm through.",
        "Close by procedure.",
        "Hammer; the plume of a leak.",
    ),
    Card(
        "AG",
        "Agitators, screens, cleaners",
        ("clean", "stock"),
        "Rotation, jets under pressure, hot stock.",
        "Zero energy, proved.",
        "Stop, tag.",
        "It turns, or is under pressure, with a cover off.",
    ),
    Card(
        "ND",
        "Noise, dust, slips, lifting",
        (),
        "Loss of hearing, fire of dust, falls on wet floors.",
        "Hearing protection in its zones; wash down, do not blow.",
        "Make the place safe, get help.",
        "Dust hangs in the air; a floor cannot be kept clear.",
    ),
    Card(
        "LB",
        "Laboratory",
        ("lab",),
        "Burns of oven and furnace, acid and permanganate, barium chloride is poison, formaldehyde where liquor is titrated.",
        "Fume hood, gloves, waste kept apart.",
        "Rinse, vent.",
        "Permanganate spilled on paper; fumes.",
    ),
    Card(
        "EL",
        "Motors, radiation gauges",
        (),
        "Shock, arc, the sealed source of a level gauge.",
        "Only who is authorised; the source closed and locked before anyone enters a vessel.",
        "Keep off.",
        "It is not sure that the shutter is closed.",
    ),
)
BY_CODE: Final = {card.code: card for card in CARDS}


def cards_of(station: str) -> tuple[Card, ...]:
    """The cards that a station shows: its own first, then those of all; every card where no station is named."""
    if not station:
        return CARDS
    own = tuple(card for card in CARDS if station in card.stations)
    return own + tuple(card for card in CARDS if not card.stations)


# which hazard a move that goes up may raise, by its row or kind; by the letter of its row where it is not named
AT_STEP: Final = {
    "h_factor": ("DG", "WL"),
    "K": ("DG", "WL"),
    "K6": (),
    "W": ("WL", "HS"),
    "W7": ("O2", "WL"),
    "B": ("CL", "HP"),
    "B9": ("HP",),
    "B10": ("DT",),
    "R": ("HP", "DT"),
    "T": ("RF",),
    "C": ("AG",),
    "G": ("AC",),
}


def at_step(row: str, *, up: bool) -> tuple[Card, ...]:
    """The cards to read before a lever goes up, by the row of the practice table or the kind of move; none as it goes down."""
    if not up:
        return ()
    return tuple(BY_CODE[code] for code in AT_STEP.get(row, AT_STEP.get(row[:1], ())))
