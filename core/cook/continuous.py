"""A continuous digester: zones by production, packing and level, H over them, and a rate change on its way down the vessel."""

from dataclasses import dataclass, replace
from itertools import pairwise
from typing import Final

from core.cook import kinetic
from core.cook.limits import of_rise
from core.cook.profile import Points, h_factor, h_rate, temp_for_h
from core.document import named, same
from core.errors import Caution, ImpossibleInput, Problem
from core.quantity import check, choice, figure, quantity
from core.register import Check, model

EDGE_MIN: Final = 0.1  # in which liquor of another temperature takes over at the edge of a zone


@dataclass(frozen=True, slots=True, kw_only=True)
class ZoneCase:
    volume_m3: float = quantity("Zone volume", "m³", possible=(0, 5000), above=True, valid=(20, 2000), decimals=0)
    packing_t_m3: float = quantity("Packing", "t OD/m³", possible=(0.05, 0.5), valid=(0.16, 0.26), decimals=3)
    wood_t_h: float = quantity("Wood fed", "t/h OD", possible=(0, 300), above=True, valid=(1, 150), decimals=1)
    temp_c: float = quantity("Temperature", "°C", possible=(60, 190), valid=(100, 175), decimals=1)
    new_t_h: float = quantity("Wood fed then", "t/h OD", possible=(0, 300), above=True, valid=(1, 150), decimals=1)


@dataclass(frozen=True, slots=True, kw_only=True)
class ZoneFound:
    minutes: float = figure("Time in the zone", "min", decimals=1, equation="60 × volume × packing / wood")
    h: float = figure("H of the zone", "", decimals=0, equation="rate × minutes / 60")
    new_minutes: float = figure("Time in it then", "min", decimals=1, equation="the same with the new rate")
    new_c: float = figure("Temperature that holds H", "°C", decimals=2, equation="16115/(43.20 − ln(60 H/min)) − 273.15")
    cautions: tuple[Caution, ...] = ()


_Z = {"volume_m3": 420, "packing_t_m3": 0.185, "wood_t_h": 62, "temp_c": 160, "new_t_h": 70}


@model(
    "cook.zone",
    title="A zone of a continuous digester",
    source="balance; Vroom 1957",
    holds_for="packing 0.16 to 0.26 t OD/m³, counted as wood fed",
    equation="min = 60 V p/W",
    symbols="min=minutes V=volume_m3 p=packing_t_m3 W=wood_t_h",
    basis="published",
    checks=(Check(_Z, "minutes", 75.194, 2e-3), Check(_Z, "h", 503.47, 2e-3), Check(_Z, "new_c", 161.42, 2e-3)),
)
def zone(case: ZoneCase) -> ZoneFound:
    """Minutes and H of a zone, and the temperature that keeps H at another rate. Raises: ImpossibleInput."""
    cautions = check(case)
    minutes = 60.0 * case.volume_m3 * case.packing_t_m3 / case.wood_t_h
    new = 60.0 * case.volume_m3 * case.packing_t_m3 / case.new_t_h
    h = h_rate(case.temp_c) * minutes / 60.0
    to = temp_for_h(h, new)
    if abs(to - case.temp_c) > 3.0:
        cautions += (
            Caution("new_t_h", f"asks {to - case.temp_c:+.1f} °C: no more than 3 °C in one move, ramped with the plug"),
        )
    return ZoneFound(minutes=minutes, h=h, new_minutes=new, new_c=to, cautions=cautions)


ZONE_KINDS = ("impregnate", "heat", "cook", "wash")


@dataclass(frozen=True, slots=True, kw_only=True)
class Zone:
    """A part of the vessel from the top down: kind impregnate, heat, cook or wash."""

    name: str = named("Zone")
    kind: str = choice("Kind", ZONE_KINDS)
    volume_m3: float = same(ZoneCase, "volume_m3")
    packing_t_m3: float = same(ZoneCase, "packing_t_m3")
    temp_c: float = quantity("Temperature", "°C", possible=(20, 190), valid=(100, 175), decimals=1)


def filled(zones: tuple[Zone, ...], level_pct: float) -> tuple[Zone, ...]:
    """The zones with the top one as full as the chip level says, % of it."""
    return (replace(zones[0], volume_m3=zones[0].volume_m3 * level_pct / 100.0), *zones[1:])


@dataclass(frozen=True, slots=True, kw_only=True)
class Stay:
    """A zone as the chips pass it: minutes from the top at its start and end, °C at both."""

    zone: Zone
    start_min: float
    end_min: float
    from_c: float
    to_c: float


@dataclass(frozen=True, slots=True, kw_only=True)
class Passage:
    """Chips on their way through at one rate."""

    stays: tuple[Stay, ...]
    points: Points
    h: float
    minutes: float


def passage(zones: tuple[Zone, ...], wood_t_h: float, *, level_pct: float = 100.0, feed_c: float = 100.0) -> Passage:
    """Minutes and temperatures down the vessel; a heating zone is a ramp; the top zone holds as much as the chip level says.

    Raises: ImpossibleInput for no wood, a level outside 10 to 110 %, or no zone.
    """
    bad = []
    if not wood_t_h > 0.0:
        bad.append(Problem("wood_t_h", f"is {wood_t_h:g} t/h; it must be above 0"))
    if not 10.0 <= level_pct <= 110.0:
        bad.append(Problem("level_pct", f"is {level_pct:g} %; it must be 10 to 110 % of the top zone"))
    if not zones:
        bad.append(Problem("zones", "are none; a digester has one at least"))
    if bad:
        raise ImpossibleInput(*bad)
    at, temp, stays, points = 0.0, feed_c, [], [(0.0, feed_c)]
    for i, z in enumerate(zones):
        volume = z.volume_m3 * (level_pct / 100.0 if i == 0 else 1.0)
        minutes = 60.0 * volume * z.packing_t_m3 / wood_t_h
        if z.kind != "heat" and z.temp_c != temp:  # liquor of another temperature takes over at the zone's edge
            points.append((at + EDGE_MIN, z.temp_c))
            temp = z.temp_c
        stays.append(Stay(zone=z, start_min=at, end_min=at + minutes, from_c=temp, to_c=z.temp_c))
        at += minutes
        temp = z.temp_c
        points.append((at, temp))
    tidy = tuple(p for i, p in enumerate(points) if i == 0 or p[0] > points[i - 1][0])
    return Passage(stays=tuple(stays), points=tidy, h=h_factor(tidy), minutes=at)


def cooked_through(
    species: str,
    charge: kinetic.Charge,
    zones: tuple[Zone, ...],
    wood_t_h: float,
    *,
    level_pct: float = 100.0,
    feed_c: float = 100.0,
) -> tuple[Passage, kinetic.Cooked]:
    """The kinetic cook along the passage as far as the wash zone, where cold liquor stops it."""
    way = passage(tuple(z for z in zones if z.kind != "wash"), wood_t_h, level_pct=level_pct, feed_c=feed_c)
    done = kinetic.cook(species, charge, way.points)
    # at a zone's edge liquor of another temperature takes over at once: no rise that it would have to follow
    edges = {c for a, b in pairwise(way.points) if b[0] - a[0] <= EDGE_MIN for c in of_rise((a, b))}
    done = replace(done, cautions=tuple(c for c in done.cautions if c not in edges))
    return passage(zones, wood_t_h, level_pct=level_pct, feed_c=feed_c), done


MOST_C = 3.0  # of one move, ramped with the plug


def _plug(
    zones: tuple[Zone, ...], before_t_h: float, after_t_h: float, temps: tuple[float, ...], start_at: float, feed_c: float
) -> Points:
    """Temperatures of the plug that stood at `start_at` t of inventory when the rate changed, from the top to the wash."""
    at, temp, points, passed = 0.0, feed_c, [(0.0, feed_c)], 0.0
    for i, z in enumerate(zones):
        whole = z.volume_m3 * z.packing_t_m3
        old = max(0.0, min(whole, start_at - passed))
        passed += whole
        if z.kind == "wash":
            break
        reached = (
            temp + (z.temp_c - temp) * old / whole if z.kind == "heat" else z.temp_c
        )  # a ramp is part way when the rate changes
        for part, rate, to in ((old, before_t_h, reached), (whole - old, after_t_h, temps[i])):
            minutes = 60.0 * part / rate
            if minutes <= 0.2:
                continue
            if z.kind != "heat" and abs(to - temp) > 1e-9:
                points.append((at + EDGE_MIN, to))
            at, temp = at + minutes, to
            points.append((at, temp))
    return tuple(points)


def feed_forward(zones: tuple[Zone, ...], before_t_h: float, after_t_h: float) -> tuple[tuple[float, ...], bool]:
    """K5: the temperature of every cooking zone that keeps its H at the new rate, and the heating zone's end with it.

    At most 3 °C in one move; True when that bound it. Raises: ImpossibleInput for a rate that is not above 0.
    """
    temps, bound = [z.temp_c for z in zones], False
    for i, z in enumerate(zones):
        if z.kind != "cook":
            continue
        result = zone(
            ZoneCase(
                volume_m3=z.volume_m3, packing_t_m3=z.packing_t_m3, wood_t_h=before_t_h, temp_c=z.temp_c, new_t_h=after_t_h
            )
        )
        change = result.new_c - z.temp_c
        bound = bound or abs(change) > MOST_C
        temps[i] = z.temp_c + max(-MOST_C, min(MOST_C, change))
    for i, z in enumerate(zones[:-1]):
        if z.kind == "heat" and zones[i + 1].kind == "cook":
            temps[i] = temps[i + 1]
    return tuple(temps), bound


@dataclass(frozen=True, slots=True, kw_only=True)
class BlowLine:
    """Kappa at the blow line so many minutes after the change."""

    minute: float
    kappa: float
    entered_min: float


def blow_line(
    species: str,
    charge: kinetic.Charge,
    zones: tuple[Zone, ...],
    before_t_h: float,
    after_t_h: float,
    *,
    temps_after: tuple[float, ...] | None = None,
    feed_c: float = 100.0,
    plugs: int = 20,
) -> tuple[BlowLine, ...]:
    """Kappa of what comes out after a change of rate and, at once, of temperatures, until the vessel has turned over once."""
    whole = sum(z.volume_m3 * z.packing_t_m3 for z in zones)
    turn = 60.0 * whole / after_t_h
    temps = temps_after or tuple(z.temp_c for z in zones)
    cooked = sum(z.volume_m3 * z.packing_t_m3 for z in zones if z.kind != "wash")
    out: list[BlowLine] = []
    for k in range(plugs + 1):
        minute = turn * k / plugs
        start_at = whole * (1.0 - k / plugs)
        stayed = 60.0 * start_at / before_t_h + 60.0 * (whole - start_at) / after_t_h
        if out and start_at >= cooked:  # it stood in the wash zone: cooked as the first
            kappa = out[0].kappa
        else:
            kappa = kinetic.cook(species, charge, _plug(zones, before_t_h, after_t_h, temps, start_at, feed_c)).kappa
        out.append(BlowLine(minute=minute, kappa=kappa, entered_min=minute - stayed))
    return tuple(out)
