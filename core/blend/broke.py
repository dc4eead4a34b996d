"""Broke by shade and how it is used up, by both schools: kept apart, each shade in its own grade, or thrown together and mixed
in low. Mass balance of the stores; how much the colour bears by Kubelka and Munk.

Source: recovered to delivery, sections 8 and 9.
"""

import math
from dataclasses import dataclass
from typing import Final

from core.blend.additives import ShadeCase, shade_cap
from core.document import named
from core.errors import Caution, Infeasible
from core.quantity import check, choice, figure, quantity, rows
from core.register import Check, model

SUITS = ("this grade", "other grades")


@dataclass(frozen=True, slots=True, kw_only=True)
class Store:
    """Broke of a shade."""

    name: str = named(default="broke")
    t: float = quantity("Stored", "t OD", possible=(0, 10_000), decimals=1)
    full_t: float = quantity("room for", "t OD", possible=(0, 10_000), above=True, decimals=1)
    made_t_h: float = quantity("comes", "t/h OD", possible=(0, 200), decimals=2, default=0.0)
    k457: float = quantity("Absorption", "m²/kg", possible=(0, 500), decimals=3, default=0.9)
    s457: float = quantity("Scattering", "m²/kg", possible=(1, 300), decimals=1, default=42.0)
    suits: str = choice("Its shade suits", SUITS, default=SUITS[0])


@dataclass(frozen=True, slots=True, kw_only=True)
class UseCase:
    draw_t_h: float = quantity("Furnish", "t/h OD", possible=(0, 500), above=True, decimals=1)
    hours: float = quantity("This grade runs", "h", possible=(0.1, 1000), decimals=0, default=24.0)
    most_pct: float = quantity("Broke, at most, by its card", "%", possible=(0, 100), decimals=1, default=10.0)
    iso_least: float = quantity("Brightness, at least", "% ISO", possible=(1, 99), decimals=1)
    rest_k: float = quantity("The rest of the furnish: absorption", "m²/kg", possible=(0, 500), decimals=3)
    rest_s: float = quantity("its scattering", "m²/kg", possible=(1, 300), decimals=1)
    saves: float = quantity("A tonne of it saves", "a t", possible=(-10_000, 10_000), decimals=0, default=200.0)
    stores: tuple[Store, ...] = rows("Broke", Store, least=1, most=8)


@dataclass(frozen=True, slots=True, kw_only=True)
class Used:
    """A store at the end, kept apart: share in the furnish, used, left, more than it holds."""

    name: str
    share_pct: float
    used_t: float
    left_t: float
    over_t: float


@dataclass(frozen=True, slots=True, kw_only=True)
class UseFound:
    apart_pct: float = figure("Kept apart: broke in the furnish", "%", decimals=1, equation="its shade, colour and card")
    apart_t: float = figure("used", "t OD", decimals=1, equation="share × furnish × hours, what there is at most")
    apart_over_t: float = figure("more than the stores hold", "t OD", decimals=1, equation="other shades that come and fill up")
    apart_worth: float = figure("is worth", "", decimals=0, equation="used × saves")
    together_pct: float = figure(
        "Together: broke in the furnish", "%", decimals=1, equation="of the mixed shade, colour and card"
    )
    together_t: float = figure("used together", "t OD", decimals=1, equation="share × furnish × hours, what there is at most")
    together_over_t: float = figure("more than the stores then hold", "t OD", decimals=1, equation="comes − used − room")
    together_worth: float = figure("is worth together", "", decimals=0, equation="used × saves")
    better: float = figure("Together less apart", "", decimals=0, equation="together − apart, what is lost counted")
    stores: tuple[Used, ...]
    cautions: tuple[Caution, ...] = ()


def _cap(case: UseCase, k: float, s: float) -> float:
    """Share that colour and card bear, as a fraction."""
    found = shade_cap(ShadeCase(iso_least=case.iso_least, rest_k=case.rest_k, rest_s=case.rest_s, k=k, s=s))
    return 0.0 if isinstance(found, Infeasible) else min(case.most_pct, found.share_pct) / 100.0


def _lost_share(case: UseCase, suits: str, part: float) -> float:
    """Of what one shade's stores cannot hold, the share that its other stores cannot take in either."""
    own = [x for x in case.stores if x.suits == suits]
    left = [(x.t + x.made_t_h * case.hours) * (1.0 - part) for x in own]
    room = [max(x.full_t, x.t) for x in own]
    excess = math.fsum(max(0.0, a - b) for a, b in zip(left, room, strict=True))
    return max(0.0, math.fsum(left) - math.fsum(room)) / excess if excess > 0.0 else 0.0


def _mean(stores: tuple[Store, ...], hours: float) -> tuple[float, float]:
    """k and s of broke thrown together, by what there is of each over the hours."""
    whole = [x.t + x.made_t_h * hours for x in stores]
    total = math.fsum(whole)
    if total <= 0.0:
        return stores[0].k457, stores[0].s457
    k, s = (math.fsum(w * getattr(x, f) for w, x in zip(whole, stores, strict=True)) / total for f in ("k457", "s457"))
    return k, s


_TWO: Final = {
    "draw_t_h": 16.0,
    "hours": 10,
    "most_pct": 10,
    "iso_least": 78.5,
    "rest_k": 0.9,
    "rest_s": 38,
    "stores": (
        {"t": 12, "full_t": 24, "made_t_h": 1.0},
        {"t": 8, "full_t": 10, "made_t_h": 0.5, "k457": 14.0, "suits": "other grades"},
    ),
}
_Q: Final = (1 - 0.785) ** 2 / (2 * 0.785)
_K: Final = (22 * 0.9 + 13 * 14.0) / 35.0
_ROOM: Final = 100 * (_Q * 38 - 0.9) / ((_K - 0.9) - _Q * (42 - 38))


@model(
    "blend.use_up",
    title="Broke used up, by both schools",
    source="mass balance; Kubelka and Munk for what the colour bears",
    holds_for="one grade at steady rates; dye that covers a shade is not counted",
    equation="kept apart: Σ of its own shade; together: the mixed shade at its share",
    basis="published",
    checks=(
        Check(_TWO, "apart_pct", 10.0, 1e-9),
        Check(_TWO, "apart_t", 16.0, 1e-9),
        Check(_TWO, "apart_over_t", 3.0, 1e-9),
        Check(_TWO, "together_pct", _ROOM, 1e-9),
        Check(_TWO, "together_t", 1.6 * _ROOM, 1e-9),
    ),
)
def use_up(case: UseCase) -> UseFound:
    """What each school uses of the broke, and what is lost for want of room. Raises: ImpossibleInput."""
    cautions = check(case)
    own = tuple(x for x in case.stores if x.suits == SUITS[0])
    told, apart_t = [], 0.0
    wanted = _cap(case, *_mean(own, case.hours)) * case.draw_t_h * case.hours if own else 0.0
    there = math.fsum(x.t + x.made_t_h * case.hours for x in own)
    part = min(1.0, wanted / there) if there > 0.0 else 0.0
    lost = {suits: _lost_share(case, suits, part if suits == SUITS[0] else 0.0) for suits in SUITS}
    for x in case.stores:
        whole = x.t + x.made_t_h * case.hours
        used = part * whole if x.suits == SUITS[0] else 0.0
        left, apart_t = whole - used, apart_t + used
        over = lost[x.suits] * max(0.0, left - max(x.full_t, x.t))
        share = 100.0 * used / (case.draw_t_h * case.hours)
        told.append(Used(name=x.name, share_pct=share, used_t=used, left_t=left - over, over_t=over))
    whole = math.fsum(x.t + x.made_t_h * case.hours for x in case.stores)
    room = math.fsum(max(x.full_t, x.t) for x in case.stores)
    cap = _cap(case, *_mean(case.stores, case.hours))
    together_t = min(whole, cap * case.draw_t_h * case.hours)
    over = math.fsum(u.over_t for u in told)
    over_both = max(0.0, whole - together_t - room)
    for u in told:
        if u.over_t > 0.0:
            cautions += (Caution("stores", f"run over: {u.over_t:.1f} t of {u.name} has no room; bale it, or run its grade"),)
    furnish = case.draw_t_h * case.hours
    return UseFound(
        apart_pct=100.0 * apart_t / furnish,
        apart_t=apart_t,
        apart_over_t=over,
        apart_worth=apart_t * case.saves,
        together_pct=100.0 * together_t / furnish,
        together_t=together_t,
        together_over_t=over_both,
        together_worth=together_t * case.saves,
        better=(together_t - over_both - apart_t + over) * case.saves,
        stores=tuple(told),
        cautions=cautions,
    )
