"""Where lots came from and where they went: one graph of transfers, walked once each way, and a ledger that closes.

Tonnes of a source in a lot are its share behind that lot times what was made of it. Of every source: made = in the ends, in
stock, and lost on the way. Source: shift practice, sections 5.3 and 5.4.
"""

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import Final

from core.deliver.lots import Edge
from core.errors import Caution, ImpossibleInput, Problem
from core.quantity import check, figure, quantity
from core.register import Check, model

CLOSES: Final = 1e-9
GAP_PCT, GAP_DEVIATION_PCT = 0.5, 2.0  # of a lot, that its transfers may miss what was made of it by


@dataclass(frozen=True, slots=True)
class Account:
    """Where a source's tonnes are: in lots that nobody used, in stock of lots that were, lost on the way."""

    ends: Mapping[str, float]
    stock: Mapping[str, float]
    lost: float

    @property
    def whole(self) -> float:
        return sum(self.ends.values()) + sum(self.stock.values()) + self.lost


class Graph:
    """Transfers between lots, t oven-dry, in the order that lots could be made in.

    `made`: tonnes of every lot. A lot that is only named by its transfers counts as made of what it gave, or of what came.
    Raises: ImpossibleInput where lots lead back to themselves (a transfer that goes back in time).
    """

    def __init__(self, edges: Iterable[Edge], made: Mapping[str, float]) -> None:
        self.edges = tuple(e for e in edges if e.tonnes > 0.0)
        self.into: dict[str, list[Edge]] = {}
        self.out: dict[str, list[Edge]] = {}
        for e in self.edges:
            self.into.setdefault(e.child, []).append(e)
            self.out.setdefault(e.parent, []).append(e)
        self.came = {k: sum(e.tonnes for e in told) for k, told in self.into.items()}
        self.gave = {k: sum(e.tonnes for e in told) for k, told in self.out.items()}
        names = {*made, *self.into, *self.out}
        self.made = {k: made.get(k, self.came.get(k, self.gave.get(k, 0.0))) for k in names}

    @cached_property
    def order(self) -> tuple[str, ...]:
        """Every lot after the lots it was made of. Raises: ImpossibleInput."""
        waits = {k: len(self.into.get(k, ())) for k in self.made}
        ready = sorted(k for k, n in waits.items() if n == 0)
        told = []
        while ready:
            lot = ready.pop()
            told.append(lot)
            for e in self.out.get(lot, ()):
                waits[e.child] -= 1
                if waits[e.child] == 0:
                    ready.append(e.child)
        if len(told) < len(self.made):
            lot = min(k for k, n in waits.items() if n > 0)
            raise ImpossibleInput(Problem(lot, "leads back to itself: a transfer goes back in time"))
        return tuple(told)

    def back(self, lot: str) -> dict[str, float]:
        """The share of every lot behind one, its own 1. Raises: ImpossibleInput."""
        shares = {lot: 1.0}
        for node in reversed(self.order):
            share = shares.get(node, 0.0)
            if share > 0.0:
                for e in self.into.get(node, ()):
                    shares[e.parent] = shares.get(e.parent, 0.0) + share * e.tonnes / self.came[node]
        return shares

    def forward(self, suspects: Mapping[str, float]) -> dict[str, float]:
        """The share that suspects have in every lot that holds any of them; of a suspect what is given (1: all of it).

        A suspect's own share stands, whatever came to it. Raises: ImpossibleInput.
        """
        shares = dict(suspects)
        for node in self.order:
            if node not in suspects and node in self.into:
                held = sum(e.tonnes * shares.get(e.parent, 0.0) for e in self.into[node])
                if held > 0.0:
                    shares[node] = held / self.came[node]
        return {k: s for k, s in shares.items() if s > 0.0}

    def refuse_more_than_made(self) -> None:
        """Raises: ImpossibleInput naming every lot that gave more than was made of it."""
        bad = [
            Problem(k, f"gave {gave:.2f} t of {self.made[k]:.2f} t made: scale, double entry, or closed too early")
            for k, gave in self.gave.items()
            if gave > self.made[k] + CLOSES * max(1.0, self.made[k])
        ]
        if bad:
            raise ImpossibleInput(*bad)

    def account(self, suspects: Mapping[str, float]) -> Account:
        """Where the tonnes of suspects are. Raises: ImpossibleInput, also for a lot that gave more than it was made of."""
        self.refuse_more_than_made()
        ends: dict[str, float] = {}
        stock: dict[str, float] = {}
        lost = 0.0
        for lot, share in self.forward(suspects).items():
            gave = self.gave.get(lot, 0.0)
            if gave <= 0.0:
                ends[lot] = share * self.made[lot]
            elif (left := self.made[lot] - gave) > CLOSES:
                stock[lot] = share * left
            if lot not in suspects and lot in self.came:
                lost += share * (self.came[lot] - self.made[lot])
        return Account(ends, stock, lost)

    def gap_pct(self, lot: str) -> float:
        """How far what came to a lot misses what was made of it, % of that; 0 of one that nothing is told of."""
        made = self.made.get(lot, 0.0)
        return 100.0 * (self.came[lot] - made) / made if lot in self.came and made > 0.0 else 0.0


def blend_away_pct(good: float, bad: float, limit: float) -> float:
    """The most of a lot that may be blended into others for the mix to keep a limit, %: (limit - good)/(bad - good).

    100 where the lot itself keeps it. Raises: ImpossibleInput where what it is blended into does not keep the limit.
    """
    if (limit - good) * (bad - good) < 0.0 and abs(limit - good) > 0.0:
        raise ImpossibleInput(Problem("good", f"is {good:g}, past the limit {limit:g} itself: nothing can be blended away"))
    if bad == good or (limit - good) / (bad - good) >= 1.0:
        return 100.0
    return 100.0 * (limit - good) / (bad - good)


@dataclass(frozen=True, slots=True, kw_only=True)
class WindowCase:
    good_h: float = quantity("Last good sample at", "h", possible=(-1e6, 1e6), decimals=2)
    again_h: float = quantity("First good sample after at", "h", possible=(-1e6, 1e6), decimals=2)
    transport_h: float = quantity("From the unit to where it is sampled", "h", possible=(0, 200), decimals=2)
    rate_t_h: float = quantity("Made", "t/h OD", possible=(0, 1000), decimals=2)


@dataclass(frozen=True, slots=True, kw_only=True)
class WindowFound:
    from_h: float = figure("Suspect from, on the unit’s clock", "h", decimals=2, equation="last good − transport")
    to_h: float = figure("to", "h", decimals=2, equation="first good after − transport")
    tonnes: float = figure("Suspect", "t OD", decimals=1, equation="rate × (first good after − last good)")
    cautions: tuple[Caution, ...] = ()


_WINDOW = {"good_h": 6.0, "again_h": 10.0, "transport_h": 0.6, "rate_t_h": 7.4}


@model(
    "lots.suspect_window",
    title="What is suspect between two good samples",
    source="shift practice, containment",
    holds_for="a rate that stood still; tonnes at the unit that made them",
    equation="t = rate × (first good − last good)",
    checks=(
        Check(_WINDOW, "from_h", 5.4, 1e-9),
        Check(_WINDOW, "to_h", 9.4, 1e-9),
        Check(_WINDOW, "tonnes", 29.6, 1e-9),
    ),
)
def suspect_window(case: WindowCase) -> WindowFound:
    """Raises: ImpossibleInput, also for a good sample that is not after the last."""
    cautions = check(case)
    if case.again_h <= case.good_h:
        raise ImpossibleInput(
            Problem("again_h", f"is {case.again_h:g} h; it must be after the last good sample, {case.good_h:g} h")
        )
    return WindowFound(
        from_h=case.good_h - case.transport_h,
        to_h=case.again_h - case.transport_h,
        tonnes=case.rate_t_h * (case.again_h - case.good_h),
        cautions=cautions,
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class BlendAwayCase:
    good: float = quantity("What it is blended into", "", possible=(0, 1e6), decimals=1)
    bad: float = quantity("The lot itself", "", possible=(0, 1e6), decimals=1)
    limit: float = quantity("Limit", "", possible=(0, 1e6), decimals=1)


@dataclass(frozen=True, slots=True, kw_only=True)
class BlendAwayFound:
    most_pct: float = figure("Of the mix at most", "%", decimals=2, equation="(limit − good)/(bad − good)")
    cautions: tuple[Caution, ...] = ()


@model(
    "lots.blend_away",
    title="How much of a lot may be blended away",
    source="mass balance",
    holds_for="a property that mixes by mass; never for contaminants, nor for what a claim or law names",
    equation="share = (limit − good)/(bad − good)",
    checks=(Check({"good": 30, "bad": 220, "limit": 60}, "most_pct", 15.78947, 1e-5),),
)
def blend_away(case: BlendAwayCase) -> BlendAwayFound:
    """Raises: ImpossibleInput."""
    cautions = check(case)
    return BlendAwayFound(most_pct=blend_away_pct(case.good, case.bad, case.limit), cautions=cautions)


def ranked(shares: Mapping[str, float], made: Mapping[str, float]) -> Sequence[tuple[str, float, float]]:
    """(lot, its share, tonnes) of what is touched, most tonnes first."""
    told = [(lot, share, share * made.get(lot, 0.0)) for lot, share in shares.items()]
    return sorted(told, key=lambda row: -row[2])
