"""The order of the machine's orders: light to dark and back, in time, around what stands still.

Every order runs through without a stop between its beginning and its end; between two shades the machine is washed, which
begins when the order before ends, is counted once, and may be done while the machine stands. Lateness comes before washing.
Exact: labels over sets of orders, of which one that ends no later and costs no more makes the other needless. Source: shift
practice, sections 6 and 6.1.
"""

import heapq
import math
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from typing import Final

from core.errors import Caution, ImpossibleInput, Problem
from core.quantity import check, figure, quantity, rows
from core.register import Check, model

MOST_ORDERS: Final = 12
LATE_PRICE: Final = 10.0  # hours of washing that an hour late is worth, default
TINY: Final = 1e-9


@dataclass(frozen=True, slots=True, kw_only=True)
class Order:
    """So many hours of the machine, due at a time, of a shade, not before its release; hours from now."""

    hours: float = quantity("Runs for", "h", possible=(0.01, 200), decimals=1)
    due_h: float = quantity("Due in", "h", possible=(-200, 1000), decimals=1)
    shade: float = quantity("Shade number", "", possible=(1, 30), whole=True, decimals=0, default=1)
    release_h: float = quantity("Not before", "h", possible=(0, 1000), decimals=1, default=0.0)


@dataclass(frozen=True, slots=True, kw_only=True)
class Wash:
    """What the machine is washed for from one shade to another, h."""

    one: float = quantity("From shade", "", possible=(1, 30), whole=True, decimals=0)
    other: float = quantity("to shade", "", possible=(1, 30), whole=True, decimals=0)
    hours: float = quantity("Washed for", "h", possible=(0, 48), decimals=2)


@dataclass(frozen=True, slots=True, kw_only=True)
class Standing:
    """The machine stands from one time to another, hours from now."""

    from_h: float = quantity("Stands from", "h", possible=(0, 1000), decimals=1)
    to_h: float = quantity("to", "h", possible=(0, 1000), decimals=1)


@dataclass(frozen=True, slots=True)
class Run:
    """An order (its place in the list, from 0) as it is run: washed from `wash_h`, begun, ended; hours late."""

    order: int
    wash_h: float
    washed: float
    begins_h: float
    ends_h: float
    late_h: float


@dataclass(frozen=True, slots=True)
class Ordered:
    """Orders in their order, with what that costs: hours late times their price, and hours of washing."""

    runs: tuple[Run, ...]
    price: float = LATE_PRICE

    @property
    def orders(self) -> tuple[int, ...]:
        return tuple(r.order for r in self.runs)

    @property
    def washout_h(self) -> float:
        return sum(r.washed for r in self.runs)

    @property
    def late_h(self) -> float:
        return sum(r.late_h for r in self.runs)

    @property
    def cost(self) -> float:
        return self.washout_h + self.price * self.late_h

    @property
    def ends_h(self) -> float:
        return self.runs[-1].ends_h if self.runs else 0.0


class Machine:
    """What sequences are run on: orders, washes by pair of shades, when it stands, what it runs first and until when."""

    def __init__(
        self,
        orders: Sequence[Order],
        washes: Mapping[tuple[int, int], float],
        stands: Iterable[Standing] = (),
        *,
        shade: int = 1,
        free_h: float = 0.0,
        price: float = LATE_PRICE,
    ) -> None:
        """Raises: ImpossibleInput for more orders than can be searched, or a stop that ends before it begins."""
        if len(orders) > MOST_ORDERS:
            raise ImpossibleInput(Problem("orders", f"are {len(orders)}; at most {MOST_ORDERS} are put in order at once"))
        self.orders, self.washes, self.price = tuple(orders), washes, price
        self.stands = sorted(((s.from_h, s.to_h) for s in stands), key=lambda s: s[0])
        if bad := [s for s in self.stands if s[1] <= s[0]]:
            raise ImpossibleInput(Problem("stands", f"ends at {bad[0][1]:g} h, not after it begins at {bad[0][0]:g} h"))
        self.shade, self.free_h = shade, free_h

    def wash_h(self, one: int, other: int) -> float:
        """Hours of washing from a shade to another; none for the same."""
        return 0.0 if one == other else self.washes.get((one, other), 0.0)

    def run(self, at_h: float, shade: int, order: int) -> Run:
        """An order begun as soon as it can be once the machine is free at a time with a shade."""
        o = self.orders[order]
        washed = self.wash_h(shade, int(o.shade))
        begins = max(at_h + washed, o.release_h)
        for start, end in self.stands:
            if begins < end - TINY and begins + o.hours > start + TINY:
                begins = end
        ends = begins + o.hours
        return Run(order, at_h, washed, begins, ends, max(0.0, ends - o.due_h))

    def runs(self, order: Sequence[int]) -> Ordered:
        """Orders run in this order."""
        at, shade, told = self.free_h, self.shade, []
        for i in order:
            told.append(self.run(at, shade, i))
            at, shade = told[-1].ends_h, int(self.orders[i].shade)
        return Ordered(tuple(told), self.price)

    def best(self, fixed: Sequence[int] = (), but: frozenset[int] = frozenset()) -> Ordered | None:
        """The cheapest order that begins with these and does not go on with any of `but`; of equal ones that whose orders are
        due first. None where nothing is left to choose."""
        begun = self.runs(fixed)
        at = begun.ends_h if fixed else self.free_h
        rest = frozenset(range(len(self.orders))) - set(fixed)
        if not rest:
            return begun if not but else None
        shade = int(self.orders[fixed[-1]].shade) if fixed else self.shade
        # labels of (orders done, shade): cost, time, dues in their order, the orders themselves
        layer: dict[tuple[frozenset[int], int], list[_Label]] = {(frozenset(), shade): [(0.0, at, (), ())]}
        for depth in range(len(rest)):
            then: dict[tuple[frozenset[int], int], list[_Label]] = {}
            for (done, last), labels in layer.items():
                for order in rest - done:
                    if depth == 0 and order in but:
                        continue
                    key = (done | {order}, int(self.orders[order].shade))
                    for cost, time, dues, path in labels:
                        run = self.run(time, last, order)
                        due = (*dues, self.orders[order].due_h)
                        label = (cost + run.washed + self.price * run.late_h, run.ends_h, due, (*path, order))
                        _keep(then.setdefault(key, []), label)
            layer = then
        ends = [label for labels in layer.values() for label in labels]
        if not ends:
            return None
        least = min(label[0] for label in ends)
        path = min(((dues, path) for cost, _, dues, path in ends if cost <= least + TINY))[1]
        return self.runs((*fixed, *path))

    def next_best(self, count: int) -> list[Ordered]:
        """The best and the next best orders, each another, as many as there are up to `count`: every later one is the cheapest
        that differs from all before."""
        first = self.best()
        if first is None or not first.runs:
            return []
        # each space: orders that it begins with, those that may not come next, its best
        waiting: list[_Space] = [(first.cost, self._dues(first), first.orders, (), frozenset())]
        told: list[Ordered] = []
        while waiting and len(told) < count:
            _, _, orders, fixed, but = heapq.heappop(waiting)
            told.append(self.runs(orders))
            for k in range(len(fixed), len(orders) - 1):
                prefix = orders[:k]
                banned = frozenset({orders[k]}) | (but if k == len(fixed) else frozenset())
                if (other := self.best(prefix, banned)) is not None:
                    heapq.heappush(waiting, (other.cost, self._dues(other), other.orders, prefix, banned))
        return told

    def _dues(self, found: Ordered) -> tuple[float, ...]:
        return tuple(self.orders[i].due_h for i in found.orders)


_Label = tuple[float, float, tuple[float, ...], tuple[int, ...]]
_Space = tuple[float, tuple[float, ...], tuple[int, ...], tuple[int, ...], frozenset[int]]


def _keep(labels: list[_Label], new: _Label) -> None:
    """Keep a label unless another ends no later, costs no more and is of orders due no later; drop what it makes needless."""
    if any(_needless(new, other) for other in labels):
        return
    labels[:] = [other for other in labels if not _needless(other, new)]
    labels.append(new)


def _needless(one: _Label, other: _Label) -> bool:
    """Whether the other is as good as this one in everything that comes after."""
    cheaper = other[0] < one[0] - TINY
    return other[0] <= one[0] + TINY and other[1] <= one[1] + TINY and (cheaper or other[2] <= one[2])


@dataclass(frozen=True, slots=True, kw_only=True)
class OrdersCase:
    orders: tuple[Order, ...] = rows("Order", Order, least=1, most=MOST_ORDERS)
    washes: tuple[Wash, ...] = rows("Washout", Wash, least=0, most=200)
    stands: tuple[Standing, ...] = rows("Stop", Standing, least=0, most=12)
    shade: float = quantity("Shade it runs now", "", possible=(1, 30), whole=True, decimals=0, default=1)
    late_price: float = quantity("An hour late is worth", "h of washing", possible=(0, 1e4), decimals=0, default=LATE_PRICE)


@dataclass(frozen=True, slots=True, kw_only=True)
class OrdersFound:
    cost: float = figure("Cost", "h of washing", decimals=2, equation="washing + price × hours late")
    washout_h: float = figure("Washing", "h", decimals=2, equation="sum over neighbours")
    late_h: float = figure("Late", "h", decimals=2, equation="sum of end − due, where above 0")
    ends_h: float = figure("Last one ends in", "h", decimals=2, equation="each once washed, released, clear of stops")
    sequence: tuple[int, ...]  # places in the list, from 1
    cautions: tuple[Caution, ...] = ()


_SHADES: Final = ("white", "cream", "blue", "buff")
_PAIRS: Final = {
    "white cream": 0.25,
    "white blue": 0.5,
    "white buff": 0.5,
    "cream white": 1,
    "cream blue": 0.75,
    "cream buff": 0.25,
    "blue white": 2.5,
    "blue cream": 2,
    "blue buff": 1.5,
    "buff white": 2,
    "buff cream": 0.75,
    "buff blue": 1,
}
_NUMBER: Final = {name: i for i, name in enumerate(_SHADES, start=1)}
_WASHES: Final = [
    {"one": _NUMBER[pair.split()[0]], "other": _NUMBER[pair.split()[1]], "hours": h} for pair, h in _PAIRS.items()
]


def _orders(*told: tuple[float, float, str]) -> list[dict[str, float]]:
    return [{"hours": hours, "due_h": due, "shade": _NUMBER[shade]} for hours, due, shade in told]


_FIRST: Final = {
    "orders": _orders((5, 9, "white"), (4, 20, "blue"), (3, 14, "cream"), (6, 26, "buff"), (4, 30, "white")),
    "washes": _WASHES,
}
_STOPPED: Final = {
    "orders": _orders((5, 9, "white"), (4, 20, "blue"), (3, 14, "cream"), (6, 30, "buff"), (4, 34, "white")),
    "washes": _WASHES,
    "stands": [{"from_h": 12, "to_h": 16}],
}


@model(
    "schedule.orders",
    title="The order of the machine’s orders",
    source="shift practice: scheduling; labels over sets of orders",
    holds_for="orders that are not divided; washouts by pair of shades as the mill keeps them",
    equation="least of washing + price × hours late",
    checks=(
        Check(_FIRST, "washout_h", 2.50, 1e-9),
        Check(_FIRST, "late_h", 0.0),
        Check({**_FIRST, "late_price": 0}, "washout_h", 1.50, 1e-9),
        Check(_STOPPED, "washout_h", 4.50, 1e-9),
        Check(_STOPPED, "late_h", 0.0),
        Check(_STOPPED, "ends_h", 33.50, 1e-9),
    ),
)
def put_in_order(case: OrdersCase) -> OrdersFound:
    """Raises: ImpossibleInput."""
    cautions = check(case)
    washes = {(int(w.one), int(w.other)): w.hours for w in case.washes}
    found = Machine(case.orders, washes, case.stands, shade=int(case.shade), price=case.late_price).best()
    if found is None or not math.isfinite(found.cost):
        raise ImpossibleInput(Problem("orders", "cannot be put in any order"))
    return OrdersFound(
        cost=found.cost,
        washout_h=found.washout_h,
        late_h=found.late_h,
        ends_h=found.ends_h,
        sequence=tuple(i + 1 for i in found.orders),
        cautions=cautions,
    )
