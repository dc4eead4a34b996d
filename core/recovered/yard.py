"""The bale yard: kinds of bales, their lots by what was kept of them, which lot goes first, when to order, what sorting gives.

Dry masses balance; safety stock by the normal law of lead and use. Ages and the rise of brightness loss in store are defaults.
Source: models, accounts and gaps, section 12; recovered to delivery, section 3.
"""

import math
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field, replace
from typing import Any, Final

from core.document import identity, named, text
from core.errors import Caution, ImpossibleInput, Infeasible, Problem
from core.quantity import check, choice, figure, quantity, rows
from core.recovered.pulper import Paper
from core.register import Check, model

SORTS: Final = ("recovered paper", "broke", "dry pulp", "wet lap")
ENTRIES: Final = ("received", "counted", "tested", "sorted", "used", "held", "freed")
TESTED: Final = ("moisture_pct", "ash_pct", "unwanted_pct", "eric_ppm", "stickies", "mechanical")
OLD_OF: Final = 0.8  # of the oldest wanted: use it first
ROUND_KG: Final = 1e-6


@dataclass(frozen=True, slots=True, kw_only=True)
class BaleKind:
    """Bales that the mill buys or keeps, by what they ordinarily are; a lot's own tests stand in place of these.

    `post_pct`, `pre_pct`: recycled content, % of its solids, as the documents that come with it say.
    """

    key: str = identity()
    name: str = named()
    sort: str = choice("Sort", SORTS)
    source: str = identity("Slushed for source", names="sources")
    shade: str = text("Shade", default="")
    share_pct: float = quantity("Share of its source, where no mix says", "%", possible=(0, 100), decimals=0, default=0.0)
    bale_kg: float = quantity("A bale weighs", "kg", possible=(1, 3000), valid=(100, 1200), decimals=0)
    moisture_pct: float = quantity("Moisture", "% wet", possible=(0, 95), valid=(4, 60), decimals=1)
    ash_pct: float = quantity("Ash", "%", possible=(0, 60), decimals=1, default=0.0)
    unwanted_pct: float = quantity("Unwanted", "%", possible=(0, 60), valid=(0, 6), decimals=1, default=0.0)
    eric_ppm: float = quantity("Ink, ERIC", "ppm", possible=(0, 5000), valid=(0, 1500), decimals=0, default=0.0)
    stickies: float = quantity("Stickies", "mm²/kg", possible=(0, 1e6), valid=(0, 20000), decimals=0, default=0.0)
    mechanical: float = quantity("Mechanical share of the fibre", "share", possible=(0, 1), decimals=2, default=0.0)
    post_pct: float = quantity("Post-consumer", "% of solids", possible=(0, 100), decimals=1, default=0.0)
    pre_pct: float = quantity("Pre-consumer", "% of solids", possible=(0, 100), decimals=1, default=0.0)
    limit_days: float = quantity("Oldest wanted", "days", possible=(1, 2000), decimals=0, default=90.0)
    lead_days: float = quantity("Lead of an order", "days", possible=(0, 400), decimals=0, default=9.0)
    load_t: float = quantity("A load", "t", possible=(0.1, 2000), decimals=0, default=24.0)

    def tried(self) -> None:
        """Raises: ImpossibleInput where more than all of it is recycled."""
        if self.post_pct + self.pre_pct > 100.0:
            raise ImpossibleInput(Problem("post_pct", f"and pre_pct are {self.post_pct + self.pre_pct:g} %; at most 100 %"))


@dataclass(frozen=True, slots=True, kw_only=True)
class Entry:
    """What was kept of a lot: `days` ago, bales and kg as they stood on the scale, tests by name.

    `kg` is what came (received), is there now (counted), was taken out (sorted) or went into a batch (used).
    """

    what: str
    days: float
    bales: float = 0.0
    kg: float = 0.0
    tests: Mapping[str, float] = field(default_factory=dict)
    into: str = ""  # the batch that used it


@dataclass(frozen=True, slots=True, kw_only=True)
class LotNow:
    """A lot as it stands: what came, is left, was used, sorted out, and found missing by count, all in kg as received."""

    number: str
    kind: BaleKind
    age_days: float
    came_kg: float
    kg: float
    bales: float
    used_kg: float
    sorted_kg: float
    missing_kg: float
    held: bool
    tests: Mapping[str, float]
    tested: bool
    into: tuple[tuple[str, float], ...]

    @property
    def od_t(self) -> float:
        """What is left of it, t oven-dry."""
        return self.kg * (1.0 - self.tests["moisture_pct"] / 100.0) / 1000.0

    @property
    def bale_kg(self) -> float:
        """What one of its bales weighs, kg."""
        return self.kg / self.bales if self.bales > 0.0 else self.kind.bale_kg

    @property
    def free(self) -> bool:
        """Whether it may be used: something is left and nobody holds it."""
        return not self.held and self.kg > ROUND_KG

    @property
    def age(self) -> str:
        """in, watch (near its oldest) or act (past it)."""
        limit = self.kind.limit_days
        return "act" if self.age_days > limit else "watch" if self.age_days > OLD_OF * limit else "in"

    @property
    def harm(self) -> float:
        """How it stands beside others of its kind: unwanted matter, stickies and ink over what is ordinary, 1 as ordinary."""
        usual = {n: getattr(self.kind, n) for n in ("unwanted_pct", "stickies", "eric_ppm")}
        told = [self.tests[n] / v for n, v in usual.items() if v > 0.0]
        return sum(told) / len(told) if told else 1.0


def lot_now(number: str, kind: BaleKind, entries: Iterable[Entry]) -> LotNow:
    """A lot by what was kept of it, oldest first.

    A count stands in place of what the books have; what is gone by it is told as missing (found again: below 0). What is used
    or sorted out is never more than is there. Raises: ImpossibleInput, naming the lot.
    """
    came = kg = bales = used = out = missing = 0.0
    age, held = 0.0, False
    tests: dict[str, float] = {name: getattr(kind, name) for name in TESTED}
    tested, into = False, []
    for e in entries:
        one = kg / bales if bales > 0.0 else kind.bale_kg
        if e.what == "received":
            came, kg, bales, age = came + e.kg, kg + e.kg, bales + e.bales, max(age, e.days)
        elif e.what == "counted":
            missing += kg - e.kg
            kg, bales = e.kg, e.bales
        elif e.what in ("used", "sorted"):
            if e.kg > kg * (1.0 + 1e-9) + ROUND_KG:
                raise ImpossibleInput(Problem(number, f"gives {e.kg:.0f} kg where {kg:.0f} kg are left"))
            taken = min(kg, e.kg)
            kg = kg - taken if kg - taken > ROUND_KG else 0.0
            bales = max(0.0, bales - (e.bales or taken / one)) if kg > 0.0 else 0.0
            if e.what == "used":
                used += taken
                into.append((e.into, taken))
            else:
                out += taken
        elif e.what in ("held", "freed"):
            held = e.what == "held"
        if e.tests:
            tests |= {k: v for k, v in e.tests.items() if k in tests}
            tested = True
    return LotNow(
        number=number,
        kind=kind,
        age_days=age,
        came_kg=came,
        kg=kg,
        bales=bales,
        used_kg=used,
        sorted_kg=out,
        missing_kg=missing,
        held=held,
        tests=tests,
        tested=tested,
        into=tuple(into),
    )


def oldest(lots: Iterable[LotNow]) -> LotNow | None:
    """The free lot that is there longest."""
    return max((x for x in lots if x.free), key=lambda x: x.age_days, default=None)


def best(lots: Iterable[LotNow]) -> LotNow | None:
    """The free lot that harms the line least by its tests; of lots alike, the older."""
    return min((x for x in lots if x.free), key=lambda x: (x.harm, -x.age_days), default=None)


def paper_of(lot: LotNow, share: float) -> Paper:
    """A lot as a part of a mix."""
    named_so = ("moisture_pct", "ash_pct", "unwanted_pct", "eric_ppm", "stickies")
    return Paper(share=share, **{n: lot.tests[n] for n in named_so})


@dataclass(frozen=True, slots=True, kw_only=True)
class Waits:
    """A lot that waits to be used, the oldest first."""

    t: float = quantity("Left of the lot", "t", possible=(0, 1e5), decimals=1)


@dataclass(frozen=True, slots=True, kw_only=True)
class FirstInCase:
    take_t: float = quantity("Wanted", "t", possible=(0, 1e5), decimals=1)
    lots: tuple[Waits, ...] = rows("Lot, the oldest first", Waits, most=60)


@dataclass(frozen=True, slots=True, kw_only=True)
class FirstInFound:
    count: float = figure("Lots opened", "", decimals=0, equation="until what is wanted is there")
    first_t: float = figure("of the oldest", "t", decimals=2, equation="all of it, or what is wanted")
    last_t: float = figure("of the last", "t", decimals=2, equation="what is still wanted")
    left_t: float = figure("Left in the yard", "t", decimals=2, equation="all lots − wanted")
    takes: tuple[float, ...] = ()
    cautions: tuple[Caution, ...] = ()


_THREE = {"lots": ({"t": 40}, {"t": 55}, {"t": 30}), "take_t": 70}


@model(
    "yard.first_in",
    title="Which lots are used",
    source="first in, first out",
    holds_for="lots of one kind and shade, in the order they came",
    equation="of every lot all that is there, until what is wanted is taken",
    basis="published",
    checks=(
        Check(_THREE, "count", 2),
        Check(_THREE, "first_t", 40, 1e-3),
        Check(_THREE, "last_t", 30, 1e-3),
        Check(_THREE, "left_t", 55, 1e-3),
    ),
)
def first_in(case: FirstInCase) -> FirstInFound | Infeasible:
    """Infeasible, with the tonnes there are, where the yard holds too little. Raises: ImpossibleInput."""
    cautions = check(case)
    there = sum(x.t for x in case.lots)
    if there < case.take_t - 1e-9:
        reason = f"is {case.take_t:g} t; {case.take_t - there:g} t are short"
        return Infeasible(field="take_t", reason=reason, nearest=there, unit="t")
    takes, wanted = [], case.take_t
    for x in case.lots:
        takes.append(min(x.t, wanted))
        wanted -= takes[-1]
    opened = [t for t in takes if t > 0.0]
    return FirstInFound(
        count=len(opened),
        first_t=takes[0],
        last_t=opened[-1] if opened else 0.0,
        left_t=there - case.take_t,
        takes=tuple(takes),
        cautions=cautions,
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class ReorderCase:
    use_t_d: float = quantity("Use", "t/d OD", possible=(0, 1e4), decimals=1)
    use_sd: float = quantity("its spread", "t/d", possible=(0, 1e4), decimals=1, default=0.0)
    lead_d: float = quantity("Lead of an order", "days", possible=(0, 400), decimals=1)
    lead_sd: float = quantity("its spread", "days", possible=(0, 200), decimals=1, default=0.0)
    there_t: float = quantity("In hand, free to use", "t OD", possible=(0, 1e6), decimals=1, default=0.0)
    comes_t: float = quantity("On order", "t OD", possible=(0, 1e6), decimals=1, default=0.0)
    z: float = quantity("Normal quantile", "", possible=(0, 4), decimals=3, default=1.645)


@dataclass(frozen=True, slots=True, kw_only=True)
class ReorderFound:
    point_t: float = figure("Order when under", "t OD", decimals=1, equation="d L + z √(L sd_d² + d² sd_L²)")
    cover_d: float = figure("Cover", "days", decimals=1, equation="in hand/use")
    short_t: float = figure("Under it by", "t OD", decimals=1, equation="point − in hand − on order, 0 at least")
    in_d: float = figure("Order in", "days", decimals=1, equation="(in hand + on order − point)/use, 0 at least")
    cautions: tuple[Caution, ...] = ()


_USE = {"use_t_d": 38, "use_sd": 6, "lead_d": 9, "lead_sd": 2}


@model(
    "yard.reorder",
    title="When to order bales",
    source="safety stock by the normal law of use and lead",
    holds_for="use and lead that vary by themselves",
    equation="point = d L + z √(L sd_d² + d² sd_L²)",
    basis="published",
    checks=(
        Check(_USE, "point_t", 470.48, 1e-3),
        Check({**_USE, "there_t": 300, "comes_t": 100}, "short_t", 70.48, 1e-3),
        Check({**_USE, "there_t": 300}, "cover_d", 300 / 38, 1e-6),
    ),
)
def reorder(case: ReorderCase) -> ReorderFound:
    """The stock at which to order; with nothing used there is nothing to order. Raises: ImpossibleInput."""
    cautions = check(case)
    d, lead = case.use_t_d, case.lead_d
    point = d * lead + case.z * math.sqrt(lead * case.use_sd**2 + d * d * case.lead_sd**2)
    stock = case.there_t + case.comes_t
    return ReorderFound(
        point_t=point,
        cover_d=case.there_t / d if d > 0.0 else math.inf,
        short_t=max(0.0, point - stock),
        in_d=max(0.0, stock - point) / d if d > 0.0 else math.inf,
        cautions=cautions,
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class SortCase:
    """A lot on the sorting belt: by machine, then the last pieces by hand."""

    kg: float = quantity("On the belt", "kg", possible=(0, 1e6), above=True, decimals=0)
    unwanted_pct: float = quantity("Unwanted in it", "%", possible=(0, 60), valid=(0, 6), decimals=2)
    machine_pct: float = quantity("of it taken by machine", "%", possible=(0, 100), valid=(20, 60), decimals=0, default=40.0)
    machine_loss: float = quantity("and good paper with it", "%", possible=(0, 50), valid=(0.3, 3), decimals=1, default=1.0)
    hand_pct: float = quantity("of the rest taken by hand", "%", possible=(0, 100), valid=(0, 60), decimals=0, default=30.0)
    hand_loss: float = quantity("and good paper with it", "%", possible=(0, 50), valid=(0, 3), decimals=1, default=0.3)


@dataclass(frozen=True, slots=True, kw_only=True)
class SortFound:
    out_kg: float = figure("Sorted out", "kg", decimals=1, equation="unwanted taken + good paper taken")
    good_kg: float = figure("of it good paper", "kg", decimals=1, equation="good × losses of both")
    left_kg: float = figure("Goes on", "kg", decimals=1, equation="on the belt − sorted out")
    left_pct: float = figure("Unwanted in it then", "%", decimals=2, equation="unwanted left/what goes on")
    cautions: tuple[Caution, ...] = ()


def _sorted_by_hand() -> float:
    """1000 kg with 3 %: 30 kg unwanted, 18 left by the machine, 12.6 by the hands; 970 good, 960.3, then 957.4191."""
    return 100.0 * 12.6 / (12.6 + 970 * 0.99 * 0.997)


@model(
    "yard.sorting",
    title="Sorting bales",
    source="mass balance of two passes; shares are defaults",
    holds_for="machine, then hands",
    equation="u' = u (1 − a)(1 − b); g' = g (1 − l₁)(1 − l₂)",
    basis="default",
    checks=(
        Check({"kg": 1000, "unwanted_pct": 3}, "left_pct", _sorted_by_hand(), 1e-9),
        Check({"kg": 1000, "unwanted_pct": 3}, "good_kg", 970 - 970 * 0.99 * 0.997, 1e-9),
    ),
)
def sorting(case: SortCase) -> SortFound:
    """What is taken, what goes on and how clean it is. Raises: ImpossibleInput."""
    cautions = check(case)
    bad, good = case.kg * case.unwanted_pct / 100.0, case.kg * (1.0 - case.unwanted_pct / 100.0)
    bad_left = bad * (1.0 - case.machine_pct / 100.0) * (1.0 - case.hand_pct / 100.0)
    good_left = good * (1.0 - case.machine_loss / 100.0) * (1.0 - case.hand_loss / 100.0)
    left = bad_left + good_left
    return SortFound(
        out_kg=case.kg - left,
        good_kg=good - good_left,
        left_kg=left,
        left_pct=100.0 * bad_left / left if left > 0.0 else 0.0,
        cautions=cautions,
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class StoredCase:
    iso_pct: float = quantity("Brightness when it came", "% ISO", possible=(1, 99), valid=(50, 92), decimals=1)
    days: float = quantity("In store", "days", possible=(0, 2000), decimals=0)
    pc: float = quantity("Post-colour number it ends at", "", possible=(0, 50), valid=(0.1, 5), decimals=2)
    tau_days: float = quantity("Time constant", "days", possible=(1, 1000), decimals=0, default=45.0)


@dataclass(frozen=True, slots=True, kw_only=True)
class StoredFound:
    iso_pct: float = figure("Brightness now", "% ISO", decimals=2, equation="from K/S + (PC/100)(1 − exp(−d/τ))")
    lost: float = figure("Lost in store", "points", decimals=2, equation="came − now")
    cautions: tuple[Caution, ...] = ()


@model(
    "yard.stored",
    title="Brightness of pulp in store",
    source="post-colour number; its time constant is a default",
    holds_for="bleached bales and wet lap, dry and dark",
    equation="K/S = (1 − R)²/(2 R) + (PC/100)(1 − exp(−d/τ))",
    basis="default",
    checks=(Check({"iso_pct": 84, "days": 60, "pc": 0.9}, "iso_pct", 81.161, 1e-3),),
)
def stored(case: StoredCase) -> StoredFound:
    """Brightness after so many days. Raises: ImpossibleInput."""
    cautions = check(case)
    r = case.iso_pct / 100.0
    q = (1.0 - r) ** 2 / (2.0 * r) + case.pc / 100.0 * (1.0 - math.exp(-case.days / case.tau_days))
    now = 100.0 * (1.0 + q - math.sqrt(q * q + 2.0 * q))
    return StoredFound(iso_pct=now, lost=case.iso_pct - now, cautions=cautions)


def sort_case_of(lot: LotNow, **how: Any) -> SortCase:
    """What is left of a lot put on the belt."""
    return replace(SortCase(kg=lot.kg, unwanted_pct=lot.tests["unwanted_pct"]), **how)


def batch_mix(taken: Iterable[tuple[LotNow, float]], kinds: tuple[str, ...]) -> dict[str, float]:
    """What a batch loads of the kinds of a mix, as settings of it (share.ledger, ash_pct.ledger): shares as received, and what
    the lots of each kind are by dry mass. Nothing where it holds other bales, or none: it tells nothing of the mix then.
    """
    told = [(lot, kg) for lot, kg in taken if kg > 0.0]
    whole = sum(kg for _, kg in told)
    if whole <= 0.0 or any(lot.kind.key not in kinds for lot, _ in told):
        return {}
    settings = {}
    for kind in kinds:
        own = [(lot, kg, kg * (1.0 - lot.tests["moisture_pct"] / 100.0)) for lot, kg in told if lot.kind.key == kind]
        settings[f"share.{kind}"] = 100.0 * sum(kg for _, kg, _ in own) / whole
        if (dry := sum(d for _, _, d in own)) > 0.0:
            for name in ("ash_pct", "unwanted_pct", "eric_ppm", "stickies"):
                settings[f"{name}.{kind}"] = sum(d * lot.tests[name] for lot, _, d in own) / dry
    return settings


def over_batches(batches: Iterable[tuple[float, Mapping[str, float]]]) -> dict[str, float]:
    """What several batches load together: every setting by the dry tonnes of those that tell it."""
    sums: dict[str, tuple[float, float]] = {}
    for t, mix in batches:
        for name, value in mix.items():
            weight, total = sums.get(name, (0.0, 0.0))
            sums[name] = weight + t, total + t * value
    return {name: total / weight for name, (weight, total) in sums.items() if weight > 0.0}
