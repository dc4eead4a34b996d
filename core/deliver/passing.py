"""Lots on their way through vessels: what a mixed vessel holds and gives out of each, a tower first in first out, and both.

Source: shift practice, section 5.4; the exact step of a mixed vessel is that of the line through time.
"""

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from core.deliver.lots import Parcel
from core.errors import Caution, ImpossibleInput, Problem, as_named
from core.quantity import check, figure, quantity
from core.register import Check, model

Lots = Mapping[str, float]  # t oven-dry by lot
OLDER = "older"
SMALL_SHARE, SMALL_T = 0.001, 0.05  # of a vessel, and t: what is less goes to "older"
TINY = 1e-12


@dataclass(frozen=True, slots=True)
class Passed:
    """What is still held and what was given out of every lot, t oven-dry."""

    held: Lots
    given: Lots


def kept_share(held_t: float, fed_t: float, drawn_t: float) -> float:
    """What is left of the difference between a mixed vessel and what comes to it, over a step in which so much was fed and
    drawn evenly: ((M + d)/M)^(-fed/d), d = fed - drawn; e^(-fed/M) where both are alike. Raises: ImpossibleInput for more
    drawn than there was."""
    left = held_t + fed_t - drawn_t
    if min(held_t, fed_t, drawn_t) < 0.0 or left < -1e-9:
        told = f"is {drawn_t:g} t of {held_t + fed_t:g} t that there was; nothing may be under 0"
        raise ImpossibleInput(Problem("drawn_t", told))
    if held_t <= TINY or left <= TINY:
        return 0.0
    d = fed_t - drawn_t
    if abs(d) <= 1e-9 * held_t:
        return math.exp(-fed_t / held_t)
    return float((left / held_t) ** (-fed_t / d))


def mixed(held: Lots, fed: Lots, drawn_t: float) -> Passed:
    """A mixed vessel over one step, what is fed evenly and what is drawn alike. Raises: ImpossibleInput."""
    before, came = sum(held.values()), sum(fed.values())
    r = kept_share(before, came, drawn_t)
    left = max(0.0, before + came - drawn_t)
    after, given = {}, {}
    for lot in {**held, **fed}:
        was, comes = held.get(lot, 0.0), fed.get(lot, 0.0)
        x0 = was / before if before > TINY else 0.0
        x_in = comes / came if came > TINY else x0
        now = (x_in + (x0 - x_in) * r) * left
        after[lot], given[lot] = now, was + comes - now
    return Passed(after, given)


def plug(held: Sequence[Parcel], drawn_t: float) -> tuple[tuple[Parcel, ...], tuple[Parcel, ...]]:
    """(left, given) of a tower whose oldest parcel stands first: oldest first, the last one cut. Raises: ImpossibleInput for
    more than it holds."""
    whole = sum(p.tonnes for p in held)
    if drawn_t < 0.0 or drawn_t > whole + 1e-9:
        raise ImpossibleInput(Problem("drawn_t", f"is {drawn_t:g} t of {whole:g} t that there was"))
    left, given = [], []
    for p in held:
        taken = min(p.tonnes, drawn_t)
        drawn_t -= taken
        if taken > TINY:
            given.append(Parcel(p.lot, taken))
        if p.tonnes - taken > TINY:
            left.append(Parcel(p.lot, p.tonnes - taken))
    return tuple(left), tuple(given)


def combined(above: Sequence[Parcel], bottom: Lots, fed: Sequence[Parcel], drawn_t: float) -> tuple[tuple[Parcel, ...], Passed]:
    """A tower over its mixed bottom zone, which keeps its content: what is drawn of the zone comes to it from above.

    Returns: what stands above now (oldest first), and the zone with what it gave. Raises: ImpossibleInput.
    """
    left, down = plug((*above, *fed), drawn_t)
    came: dict[str, float] = {}
    for p in down:
        came[p.lot] = came.get(p.lot, 0.0) + p.tonnes
    return left, mixed(bottom, came, drawn_t)


def through_vessel(standing: Sequence[Parcel], fed: Sequence[Parcel], mixed_share: float, drawn_t: float) -> dict[str, float]:
    """What a vessel gave out of every lot while so much was drawn, t; less in all where it did not hold so much.

    `standing`: what stood in it at first, oldest first; `fed`: what came since. Of its content a share is a mixed zone at the
    bottom (0: a plain tower, 1: a chest). Raises: ImpossibleInput for a share that is none.
    """
    if not 0.0 <= mixed_share <= 1.0:
        raise ImpossibleInput(Problem("mixed_share", f"is {mixed_share:g}; it must be 0 to 1"))
    whole = sum(p.tonnes for p in standing)
    drawn = min(drawn_t, whole + sum(p.tonnes for p in fed))
    if drawn <= TINY:
        return {}
    above, zone = plug(standing, mixed_share * whole) if whole > 0.0 else ((), ())
    ahead = (*above, *fed)
    stands = sum(p.tonnes for p in ahead)
    down = stands if mixed_share >= 1.0 else min(drawn, stands)
    _, came = plug(ahead, down)
    if not zone:
        return _together(came)
    even = drawn / down if mixed_share >= 1.0 and down > 0.0 else 1.0  # a chest's level moves; a zone keeps what it holds
    held, given = dict(_together(zone)), dict[str, float]()
    for p in came:  # one after the other: what came first has left more of itself
        passed = mixed(held, {p.lot: p.tonnes}, min(even * p.tonnes, sum(held.values()) + p.tonnes))
        held = dict(passed.held)
        for lot, t in passed.given.items():
            given[lot] = given.get(lot, 0.0) + t
    rest = drawn - sum(given.values())
    if rest > TINY:
        for lot, t in mixed(held, {}, min(rest, sum(held.values()))).given.items():
            given[lot] = given.get(lot, 0.0) + t
    return {lot: t for lot, t in given.items() if t > TINY}


def _together(parcels: Sequence[Parcel]) -> dict[str, float]:
    told: dict[str, float] = {}
    for p in parcels:
        told[p.lot] = told.get(p.lot, 0.0) + p.tonnes
    return told


def lost(lots: Lots, share: float) -> dict[str, float]:
    """What is left of every lot of a stream where solids are lost: all lose alike."""
    return {lot: t * (1.0 - share) for lot, t in lots.items()}


def tidied(held: Lots) -> tuple[dict[str, float], tuple[str, ...]]:
    """A vessel with lots that are hardly in it any more put together as older, and their names, which a recall still wants."""
    whole = sum(held.values())
    small = tuple(k for k, t in held.items() if k != OLDER and t < SMALL_SHARE * whole and t < SMALL_T)
    told = {k: t for k, t in held.items() if k not in small}
    if small:
        told[OLDER] = told.get(OLDER, 0.0) + sum(held[k] for k in small)
    return told, small


@dataclass(frozen=True, slots=True, kw_only=True)
class MixedLotsCase:
    held_a_t: float = quantity("Lot A in the chest", "t OD", possible=(0, 1e5), decimals=1)
    held_b_t: float = quantity("Lot B in the chest", "t OD", possible=(0, 1e5), decimals=1, default=0.0)
    fed_t_h: float = quantity("Lot B fed", "t/h OD", possible=(0, 1e4), decimals=1)
    drawn_t_h: float = quantity("Drawn", "t/h OD", possible=(0, 1e4), decimals=1)
    hours: float = quantity("For", "h", possible=(0, 1000), decimals=2)


@dataclass(frozen=True, slots=True, kw_only=True)
class MixedLotsFound:
    held_a: float = figure("Lot A held", "t OD", decimals=5, equation="(x_in + (x0 − x_in) r) M1")
    held_b: float = figure("Lot B held", "t OD", decimals=5)
    given_a: float = figure("Lot A given out", "t OD", decimals=5, equation="held before + fed − held now")
    given_b: float = figure("Lot B given out", "t OD", decimals=5)
    new_pct: float = figure("Of what is given, lot B", "%", decimals=2)
    cautions: tuple[Caution, ...] = ()


_EVEN = {"held_a_t": 40, "fed_t_h": 10, "drawn_t_h": 10, "hours": 2}
_FALLING = {"held_a_t": 30, "held_b_t": 20, "fed_t_h": 12, "drawn_t_h": 20, "hours": 1.5}


@model(
    "lots.mixed",
    title="Two lots through a mixed chest",
    source="first-order mixing, exact over the step",
    holds_for="a chest that mixes all it holds; fed and drawn evenly",
    equation="r = ((M + d)/M)^(−fed/d), d = fed − drawn",
    symbols="M=held_a_t fed=fed_t_h drawn=drawn_t_h",
    checks=(
        Check(_EVEN, "held_a", 24.26123, 1e-6),
        Check(_EVEN, "held_b", 15.73877, 1e-6),
        Check(_EVEN, "given_b", 4.26123, 1e-6),
        Check(_FALLING, "held_a", 15.10620, 1e-6),
        Check(_FALLING, "held_b", 22.89380, 1e-6),
        Check(_FALLING, "given_a", 14.89380, 1e-6),
        Check(_FALLING, "given_b", 15.10620, 1e-6),
    ),
)
def mixed_lots(case: MixedLotsCase) -> MixedLotsFound:
    """Raises: ImpossibleInput, also for more drawn than there was."""
    cautions = check(case)
    drawn = case.drawn_t_h * case.hours
    with as_named(lambda field: "drawn_t_h" if field == "drawn_t" else field):
        found = mixed({"A": case.held_a_t, "B": case.held_b_t}, {"B": case.fed_t_h * case.hours}, drawn)
    return MixedLotsFound(
        held_a=found.held["A"],
        held_b=found.held["B"],
        given_a=found.given["A"],
        given_b=found.given["B"],
        new_pct=100.0 * found.given["B"] / drawn if drawn > 0.0 else 0.0,
        cautions=cautions,
    )
