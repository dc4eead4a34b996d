"""Piles as they lie: first in first out as planes, a cone from its skin; ages of the layers from the receipts. Source:
geometry."""

import math
from dataclasses import dataclass

from core.errors import ImpossibleInput, Problem


@dataclass(frozen=True, slots=True, kw_only=True)
class Receipt:
    """Wood that came in: days ago, t OD."""

    days_ago: float
    od_t: float


@dataclass(frozen=True, slots=True, kw_only=True)
class Layer:
    """Wood still there: its age, t OD, and the share of the pile before it (0 the newest)."""

    days: float
    od_t: float
    start: float
    end: float


@dataclass(frozen=True, slots=True, kw_only=True)
class PileNow:
    layers: tuple[Layer, ...]
    od_t: float
    oldest_days: float
    cover_days: float
    lost_t: float  # to storage, since it came in


LOSS_A_MONTH = 0.0075  # of the oven-dry wood, default


def what_is_left(
    receipts: tuple[Receipt, ...], inventory_t: float, draw_t_h: float, *, first_in_first_out: bool = True
) -> PileNow:
    """The layers of a pile of so much, from its receipts: the newest ones (first in, first out), or the oldest (a cone drawn
    from its skin).

    Raises: ImpossibleInput for an inventory below 0, a draw not over 0, or receipts that do not reach the inventory.
    """
    bad = []
    if inventory_t < 0:
        bad.append(Problem("inventory_t", f"is {inventory_t:g} t; it must be at least 0"))
    if not draw_t_h > 0:
        bad.append(Problem("draw_t_h", f"is {draw_t_h:g} t/h; it must be above 0"))
    if inventory_t > sum(r.od_t for r in receipts) * 1.0001:
        bad.append(
            Problem(
                "inventory_t", f"is {inventory_t:g} t, more than the receipts on record, {sum(r.od_t for r in receipts):g} t"
            )
        )
    if bad:
        raise ImpossibleInput(*bad)
    order = sorted(receipts, key=lambda r: r.days_ago, reverse=not first_in_first_out)
    left, kept = inventory_t, []
    for r in order:
        part = min(left, r.od_t)
        if part > 1e-9:
            kept.append((r.days_ago, part))
            left -= part
    kept.sort()
    at, layers = 0.0, []
    for days, od in kept:
        layers.append(Layer(days=days, od_t=od, start=at / inventory_t, end=(at + od) / inventory_t))
        at += od
    oldest = max((layer.days for layer in layers), default=0.0)
    lost = sum(layer.od_t * (1.0 - math.exp(-LOSS_A_MONTH * layer.days / 30.0)) for layer in layers)
    return PileNow(
        layers=tuple(layers), od_t=inventory_t, oldest_days=oldest, cover_days=inventory_t / (24.0 * draw_t_h), lost_t=lost
    )
