"""Recycled content of what is made: post-consumer and pre-consumer solids in all new solids, with own broke left out.

The definitions are those of ISO 14021: own broke counts to nothing and changes nothing; broke of a different product counts at
that product's own share; bought pulp as the document that came with it says. Nothing is rounded up.
"""

import math
from collections.abc import Iterable
from dataclasses import dataclass
from typing import Final

from core.errors import Caution, ImpossibleInput, Problem
from core.quantity import check, choice, figure, quantity, rows
from core.register import Check, model

NEW = "new"
OWN = "own broke"
SORTS: Final = (NEW, OWN)


@dataclass(frozen=True, slots=True, kw_only=True)
class Part:
    """Solids that went into the product, and what the goods-in record says of their recycled content."""

    t: float = quantity("Solids", "t OD", possible=(0, 1e7), decimals=2)
    post_pct: float = quantity("Post-consumer", "%", possible=(0, 100), decimals=1, default=0.0)
    pre_pct: float = quantity("Pre-consumer", "%", possible=(0, 100), decimals=1, default=0.0)
    sort: str = choice("Sort", SORTS, default=NEW)


@dataclass(frozen=True, slots=True, kw_only=True)
class ClaimCase:
    parts: tuple[Part, ...] = rows("Part", Part, most=5000)


@dataclass(frozen=True, slots=True, kw_only=True)
class ClaimFound:
    total_pct: float = figure("Recycled content", "%", decimals=1, equation="post-consumer + pre-consumer")
    post_pct: float = figure("post-consumer", "%", decimals=1, equation="Σ t post/new solids")
    pre_pct: float = figure("pre-consumer", "%", decimals=1, equation="Σ t pre/new solids")
    new_t: float = figure("New solids", "t OD", decimals=2, equation="all solids − own broke")
    own_t: float = figure("Own broke, not counted", "t OD", decimals=2, equation="Σ t of own broke")
    cautions: tuple[Caution, ...] = ()


_FURNISH = (
    {"t": 46},
    {"t": 14, "post_pct": 60, "pre_pct": 40},
    {"t": 5, "post_pct": 100},
    {"t": 7, "post_pct": 25, "sort": OWN},
    {"t": 9},
)


@model(
    "recovered.claim",
    title="Recycled content",
    source="definitions of ISO 14021, on total dry solids",
    holds_for="solids with a goods-in record; what has none counts as not recycled",
    equation="100 Σ t share/Σ t, own broke in neither",
    basis="published",
    checks=(
        Check({"parts": _FURNISH}, "post_pct", 100 * (14 * 0.6 + 5) / 74, 1e-9),
        Check({"parts": _FURNISH}, "pre_pct", 100 * 14 * 0.4 / 74, 1e-9),
        Check({"parts": _FURNISH}, "own_t", 7),
    ),
)
def claim(case: ClaimCase) -> ClaimFound:
    """Shares of all new solids, filler among them. Raises: ImpossibleInput where nothing new is in it, or a part is recycled
    more than whole."""
    cautions = check(case)
    over = [i for i, p in enumerate(case.parts, start=1) if p.post_pct + p.pre_pct > 100.0 + 1e-9]
    if over:
        raise ImpossibleInput(*(Problem(f"parts.{i}.post_pct", "and pre-consumer are over 100 % together") for i in over))
    new = [p for p in case.parts if p.sort == NEW]
    whole = math.fsum(p.t for p in new)
    if whole <= 0.0:
        raise ImpossibleInput(Problem("parts.1.t", "is 0, as all that is new: there is no product"))
    post = 100.0 * math.fsum(p.t * p.post_pct / 100.0 for p in new) / whole
    pre = 100.0 * math.fsum(p.t * p.pre_pct / 100.0 for p in new) / whole
    return ClaimFound(
        total_pct=post + pre,
        post_pct=post,
        pre_pct=pre,
        new_t=whole,
        own_t=math.fsum(p.t for p in case.parts if p.sort == OWN),
        cautions=cautions,
    )


def down(pct: float, decimals: int = 1) -> float:
    """A share as it may be claimed: never rounded up."""
    scale = 10.0**decimals
    return math.floor(pct * scale + 1e-9) / scale


@dataclass(frozen=True, slots=True, kw_only=True)
class Row:
    """A part with what stands behind it: its lot, its words, the document; `proved`: a goods-in record says what it holds."""

    lot: str
    what: str
    document: str
    part: Part
    proved: bool


def share_out(t: float, behind: Iterable[tuple[str, float]]) -> list[tuple[str, float]]:
    """Tonnes shared out over the lots behind them by what each gave; nothing behind gives one nameless rest."""
    told = [(lot, kg) for lot, kg in behind if kg > 0.0]
    whole = math.fsum(kg for _, kg in told)
    return [(lot, t * kg / whole) for lot, kg in told] if whole > 0.0 else [("", t)]
