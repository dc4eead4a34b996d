"""Structured looks: what a person sees at a place, as a code with its meaning, what to look at next, and how grave it is.

A look is evidence: where a row of the practice table asks what is seen, the newest look at its unit answers. Source: shift
practice, section 2.2.
"""

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Final

FINE, WATCH, ACT, DANGER = VERDICTS = ("fine", "watch", "act", "danger")
GRADES: Final = {"slight": "slight", "clear": "clear", "strong": "strong"}


@dataclass(frozen=True, slots=True)
class Code:
    """One thing that may be seen: its word, how grave it is, what it implies and what to look at next; marks that draw it."""

    key: str
    word: str
    verdict: str
    means: str
    marks: tuple[str, ...] = ()
    card: str = ""  # the safety card that is shown with it


@dataclass(frozen=True, slots=True)
class Look:
    """A look of the work: how it is done, at which stations, the shape it is drawn on, its codes, the fine one first."""

    key: str
    title: str
    how: str
    stations: tuple[str, ...]
    shape: str
    codes: tuple[Code, ...]

    def code(self, key: str) -> Code | None:
        return next((c for c in self.codes if c.key == key), None)


LOOKS: Final[dict[str, Look]] = {
    look.key: look
    for look in (
        Look(
            "mat",
            "Mat on a spatula",
            "lift a corner, tear, press",
            ("wash",),
            "mat",
            (
                Code("even", "even, lifts whole", FINE, "formed and drained as it should be"),
                Code("thin", "thin or bald strip", ACT, "uneven vat feed, blinded face, low vat consistency", ("bald",)),
                Code("wet", "wet back", ACT, "poor vacuum or drop leg, fines, cold", ("drops",)),
                Code("bands", "dark bands", ACT, "broken displacement, blocked shower: look at the shower pipe", ("bands",)),
                Code("foam", "foam in the mat", WATCH, "air, soap: look at the filtrate tank", ("foam",)),
                Code("specks", "black spots", WATCH, "pitch, scale, uncooked: look at knots and at the blow", ("specks",)),
                Code("slides", "slides off", ACT, "high drum speed or a soft sheet", ("slide",)),
            ),
        ),
        Look(
            "handful",
            "Handful of pulp",
            "squeeze, open, hold to the light",
            ("cook", "wash", "bleach", "refine", "stock"),
            "hand",
            (
                Code("springs", "springs, clean water", FINE, "free pulp"),
                Code("slimy", "slimy, slow water", WATCH, "low freeness or fines", ("drops",)),
                Code("knots", "knots, sticks", ACT, "undercooked or overthick chips: look at the chips' thickness", ("knots",)),
                Code("shives", "shives to the light", ACT, "mechanical plates, screens", ("shives",)),
                Code("lumps", "lumps with a dry heart", ACT, "mixing, dilution", ("lumps",)),
                Code(
                    "smells",
                    "smells: sulphide, chlorine, sour",
                    DANGER,
                    "carry-over, residual, stagnant stock: step back",
                    ("haze",),
                    "HS",
                ),
            ),
        ),
        Look(
            "chips",
            "Chips in the hand",
            "a double handful from the belt, stopped by procedure",
            ("chips",),
            "chips",
            (
                Code("even", "even, sound", FINE, "as they should be"),
                Code("wet", "shine, drip", WATCH, "wet: take a moisture sample", ("drops",)),
                Code("ice", "ice", WATCH, "frozen: presteam longer", ("ice",)),
                Code("bark", "bark", WATCH, "debarking: dirt and alkali", ("specks",)),
                Code("rot", "blue or brown rot", ACT, "old pile: yield and brightness", ("bands",)),
                Code("fines", "slivers, dust", WATCH, "knives blunt", ("shives",)),
                Code("thick", "thick blocks", ACT, "slow penetration: knots", ("knots",)),
                Code("stone", "stone or metal", DANGER, "stop the belt feed by procedure", ("lumps",), "CH"),
            ),
        ),
        Look(
            "feeder",
            "Chip washer or feeder",
            "from the walkway, guards on",
            ("chips",),
            "bin",
            (
                Code("steady", "full bin, steady", FINE, "as it should be"),
                Code("gaps", "gaps", ACT, "starving", ("bald",)),
                Code("bridge", "bridge", ACT, "hung up: nobody under it", ("slide",), "CH"),
                Code("over", "overflowing", ACT, "feed over what goes on", ("foam",)),
                Code("sand", "sand in the drain", WATCH, "sand is coming with the chips", ("specks",)),
            ),
        ),
        Look(
            "bagasse",
            "Bagasse",
            "from the belt",
            ("chips",),
            "chips",
            (
                Code("pale", "pale, fresh", FINE, "as it should be"),
                Code(
                    "black",
                    "black, hot, sour",
                    ACT,
                    "fermented: low yield and colour; reject the pile's face",
                    ("bands",),
                    "CH",
                ),
                Code("pith", "dusty pith", ACT, "depither: drainage will be slow", ("specks",)),
                Code("strings", "strings", WATCH, "wire, string from the bales", ("strings",)),
            ),
        ),
        Look(
            "vat",
            "Pulper surface",
            "from behind the rail",
            ("recovered",),
            "vat",
            (
                Code("rolling", "rolling vortex", FINE, "as it should be", ("vortex",)),
                Code("floating", "floating bales", WATCH, "too thick or low level", ("blocks",)),
                Code("still", "still surface", ACT, "overcharged: stop adding", ("still",), "PU"),
                Code("foam", "foam", WATCH, "air, soap", ("foam",)),
                Code("plastic", "plastic raft", ACT, "detrash", ("raft",)),
                Code("streak", "dye streak", ACT, "wrong bale: trace the lot", ("bands",)),
            ),
        ),
        Look(
            "flakes",
            "Sheet to the light",
            "hand sheet or blue glass flask",
            ("recovered", "blend"),
            "sheet",
            (
                Code("none", "no flakes", FINE, "done"),
                Code("flakes", "2 to 4 mm flakes", WATCH, "3 to 5 minutes more", ("lumps",)),
                Code("wet_strength", "wet-strength flakes", ACT, "never by time alone: heat, alkali, or aside", ("blocks",)),
            ),
        ),
        Look(
            "rejects",
            "Screen rejects",
            "at the reject launder",
            ("clean",),
            "screen",
            (
                Code("usual", "as usual", FINE, "debris and little fibre"),
                Code("white", "wet and white, good fibre", ACT, "reject rate too high, or the feed thick", ("drops",)),
                Code("rope", "dry rope", ACT, "plugging", ("rope",)),
                Code("few", "hardly any", ACT, "a hole in the basket? look at the accepts for shives", ("bald",)),
                Code("plastic", "plastics", WATCH, "upstream sorting", ("raft",)),
            ),
        ),
        Look(
            "tips",
            "Tips of the cleaners",
            "through the guard glass",
            ("clean",),
            "cone",
            (
                Code("spray", "spraying cone", FINE, "open", ("spray",)),
                Code("rope", "rope or drip", ACT, "plugging: never open under pressure", ("rope",), "AG"),
                Code("blocked", "no flow, other warmth", ACT, "blocked", ("still",), "AG"),
                Code("sand", "sand", FINE, "sand is leaving", ("spray", "specks")),
            ),
        ),
        Look(
            "froth",
            "Flotation froth",
            "over the cell",
            ("recovered",),
            "froth",
            (
                Code("dark", "dark, dry, stable", FINE, "ink is leaving", ("specks",)),
                Code("white", "white", ACT, "losing fibre and filler", ("foam",)),
                Code("flat", "flat", ACT, "soap, hardness or air lost", ("still",)),
                Code("boils", "boiling over", ACT, "level or soap", ("vortex",)),
            ),
        ),
        Look(
            "refiner",
            "Refiner",
            "outside the guards",
            ("refine", "cook"),
            "motor",
            (
                Code("hum", "steady hum", FINE, "as it should be"),
                Code("chatter", "ring or chatter", DANGER, "near contact: unload, call", ("strings",), "RF"),
                Code("gland", "hot gland", ACT, "call maintenance", ("haze",), "RF"),
                Code("pulsing", "pulsing motor load", WATCH, "feed consistency", ("bands",)),
            ),
        ),
        Look(
            "chest",
            "Chest or tower",
            "through the hatch glass, never leaning in",
            ("stock", "blend", "deliver"),
            "chest",
            (
                Code("rolling", "rolling", FINE, "as it should be", ("vortex",)),
                Code("corner", "dead corner", WATCH, "agitator, stale stock", ("still",)),
                Code("foam", "foam cap", WATCH, "air, defoamer", ("foam",)),
                Code("strings", "strings from the roof", WATCH, "slime: plan a wash", ("strings",)),
                Code("lumps", "outlet in lumps", ACT, "bottom dilution", ("lumps",)),
                Code("rotten", "rotten smell", DANGER, "stop entry, ventilate, test gas", ("haze",), "CF"),
            ),
        ),
        Look(
            "vapour",
            "Tower or washer vapour",
            "from upwind, monitor on",
            ("bleach",),
            "tower",
            (
                Code("clear", "clear", FINE, "as it should be"),
                Code("yellow", "yellow-green haze", DANGER, "chlorine dioxide: leave, alarm", ("haze",), "CL"),
                Code("pungent", "pungent", DANGER, "sulphur dioxide: leave, alarm", ("haze",), "SO"),
            ),
        ),
        Look(
            "seen",
            "Contamination",
            "at the machine chest and in hand sheets",
            ("deliver",),
            "sheet",
            (
                Code("none", "none", FINE, "clean"),
                Code("specks", "specks", WATCH, "look upstream: trace the lot", ("specks",)),
                Code("plastic", "plastic or wax", ACT, "divert, hold, trace", ("raft",)),
                Code("oil", "oil", ACT, "divert, hold, trace", ("bands",)),
                Code("lumps", "off-colour lumps", ACT, "divert, hold, trace", ("lumps",)),
            ),
        ),
    )
}

# what a look answers where a row's model asks what is seen: (model, field): by look, code to the row's own word
EVIDENCE: Final[Mapping[tuple[str, str], Mapping[str, Mapping[str, str]]]] = {
    ("wash.water_move", "mat"): {
        "mat": {"even": "even"} | dict.fromkeys(("thin", "wet", "bands", "foam", "specks", "slides"), "faulty")
    },
    ("wash.look_move", "seen"): {
        "mat": {
            "even": "nothing unusual",
            "thin": "thin, wet or bald",
            "wet": "thin, wet or bald",
            "slides": "thin, wet or bald",
            "foam": "foam in the filtrate tank",
        }
    },
    ("refine.feed_move", "feed"): {"refiner": {"hum": "flows"}},
    ("mechanical.gap_alarm", "alarm"): {"refiner": {"hum": "quiet", "chatter": "rattle"}},
    ("stock.bottom_move", "lumps"): {"chest": {"rolling": "even", "lumps": "in lumps"}},
    ("deliver.seen_move", "seen"): {
        "seen": {
            "none": "none",
            "specks": "specks",
            "plastic": "plastic or wax",
            "oil": "oil",
            "lumps": "off-colour lumps",
        }
    },
}


def answers(model: str, field: str, seen: Mapping[str, str]) -> tuple[str, str] | None:
    """What the newest looks (code by look) answer to a field of a row's model: the row's word, and the look; None where none
    does."""
    for look, words in EVIDENCE.get((model, field), {}).items():
        if (word := words.get(seen.get(look, ""))) is not None:
            return word, look
    return None


def evidence_checked(options: Mapping[tuple[str, str], tuple[str, ...]]) -> list[str]:
    """Words of `EVIDENCE` that no row's model knows; empty where all fit. `options`: what every field may be."""
    return [
        f"{model}.{field} does not know {word!r}"
        for (model, field), looks in EVIDENCE.items()
        for words in looks.values()
        for word in words.values()
        if word not in options.get((model, field), ())
    ]
