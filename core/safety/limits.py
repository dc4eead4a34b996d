"""A site's own exposure limits: what may be breathed or heard over a shift and for a short time, as its law and procedure say.

The figures are typed by the site and mean nothing until a safety role has countersigned them; none is ever worked out here.
Source: shift practice, section 7.
"""

import math
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Final

from core.errors import ImpossibleInput, Problem

LONG, SHORT = "long", "short"
TERMS: Final = {LONG: "over a shift", SHORT: "for a short time"}


@dataclass(frozen=True, slots=True)
class Exposure:
    """What is limited: its key, name and unit, the cards it stands on, and what no site would set it over."""

    key: str
    name: str
    unit: str
    cards: tuple[str, ...]
    most: float


EXPOSURES: Final = {
    e.key: e
    for e in (
        Exposure("h2s", "Hydrogen sulphide", "ppm", ("HS", "WL", "CF"), 100.0),
        Exposure("so2", "Sulphur dioxide", "ppm", ("SO", "DT"), 100.0),
        Exposure("clo2", "Chlorine dioxide", "ppm", ("CL", "GC"), 5.0),
        Exposure("cl2", "Chlorine", "ppm", ("CL", "GC"), 10.0),
        Exposure("h2o2", "Hydrogen peroxide", "ppm", ("HP",), 75.0),
        Exposure("o3", "Ozone", "ppm", ("O2",), 5.0),
        Exposure("dust", "Dust", "mg/m³", ("CH", "ND", "FK"), 20.0),
        Exposure("noise", "Noise", "dB(A)", ("ND", "RF", "CH"), 140.0),
    )
}


@dataclass(frozen=True, slots=True)
class Limit:
    """A site's limit of one exposure, over a shift and for a short time; None where the site sets none."""

    long: float | None
    short: float | None


def site_limits(typed: Mapping[str, Mapping[str, float | None]]) -> dict[str, Limit]:
    """The limits of a site as they were typed, by exposure. Raises: ImpossibleInput naming each `key.term` that cannot be: not
    above 0, over what no site sets, or a short-term limit under the one over a shift; also where nothing is typed."""
    bad, told = [], {}
    for key, exposure in EXPOSURES.items():
        given = typed.get(key, {})
        limit = Limit(given.get(LONG), given.get(SHORT))
        for term, value in ((LONG, limit.long), (SHORT, limit.short)):
            if value is not None and not (math.isfinite(value) and 0.0 < value <= exposure.most):
                text = f"is {value:g} {exposure.unit}; it must be above 0 to {exposure.most:g} {exposure.unit}"
                bad.append(Problem(f"{key}.{term}", text))
        if limit.long is not None and limit.short is not None and limit.short < limit.long:
            text = f"is {limit.short:g} {exposure.unit}; it must be at least that over a shift, {limit.long:g} {exposure.unit}"
            bad.append(Problem(f"{key}.{SHORT}", text))
        if limit.long is not None or limit.short is not None:
            told[key] = limit
    if not told and not bad:
        bad.append(Problem("h2s.long", "is empty; type at least one limit"))
    if bad:
        raise ImpossibleInput(*bad)
    return told


def words(key: str, limit: Limit) -> str:
    """A limit in words: Hydrogen sulphide: 5 ppm over a shift, 10 ppm for a short time."""
    exposure = EXPOSURES[key]
    parts = [f"{value:g} {exposure.unit} {TERMS[term]}" for term, value in ((LONG, limit.long), (SHORT, limit.short)) if value]
    return f"{exposure.name}: {', '.join(parts)}"
