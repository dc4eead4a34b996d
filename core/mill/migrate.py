"""Documents of an earlier format brought up to the newest."""

import copy
from typing import Any

from core.document import Json
from core.mill.document import FORMAT, FORMER
from core.mill.kinds import KINDS

GONE = {"unit": ("fibre",), "oxygen": ("of",), "bleach": ("of",), "pin": ("setpoint",)}  # no longer read


def brought_up(document: Json) -> Json:
    """The document in the newest format; one that is so already is given back as it is.

    Format 1 held what acts in a unit under a key of its kind (washers, oxygen) and the species of a cook beside it.
    """
    if not isinstance(document, dict) or document.get("format") != FORMER:
        return document
    new: dict[str, Any] = copy.deepcopy(document)
    new["format"] = FORMAT
    for unit in _listed(new, "units"):
        for key in GONE["unit"]:
            unit.pop(key, None)
        for kind in [k for k in KINDS if isinstance(unit.get(k), dict)]:
            acts = {"kind": kind, **unit.pop(kind)}
            for key in GONE.get(kind, ()):
                acts.pop(key, None)
            if kind == "cook" and "cooks" in unit:
                acts["species"] = unit.pop("cooks")
            unit["acts"] = acts
        unit.setdefault("outlets", [])
    for lane in _listed(new, "lanes"):
        for pin in lane.get("pins", ()):
            for key in GONE["pin"]:
                pin.pop(key, None)
    return new


def _listed(document: Json, section: str) -> list[dict[str, Any]]:
    return [each for each in document.get(section) or () if isinstance(each, dict)]
