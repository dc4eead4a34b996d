"""Consistency from weighings (ISO 4119, TAPPI T 240)."""

from dataclasses import dataclass

from core.errors import Caution, ImpossibleInput, Problem
from core.lab.replicate import Replicates, combine
from core.quantity import check, figure, quantity
from core.register import Check, model

R_ABS_PCT, R_REL_PCT = 0.05, 3.0  # default repeatability limits, % absolute and % of the mean


@dataclass(frozen=True, slots=True, kw_only=True)
class Weighing:
    """One pad, all in grams: stock poured (tare already off), dry paper, dry paper with its pad."""

    stock_g: float = quantity("Stock poured", "g", possible=(0, 20_000), above=True, valid=(50, 2000), decimals=1)
    paper_g: float = quantity("Filter paper, dry", "g", possible=(0, 100), valid=(0, 10), decimals=3)
    pad_g: float = quantity("Paper and pad, dry", "g", possible=(0, 5000), above=True, valid=(0.5, 200), decimals=3)


@dataclass(frozen=True, slots=True, kw_only=True)
class Consistency:
    cons_pct: float = figure("Consistency", "%", equation="100 × (paper and pad − paper) / stock poured")
    fibre_g: float = figure("Dry fibre", "g", decimals=3, equation="paper and pad − paper")
    cautions: tuple[Caution, ...] = ()


@model(
    "lab.consistency",
    title="Consistency by weighing",
    source="ISO 4119, TAPPI T 240",
    holds_for="0.2 to 35 %, oven at 105 °C to constant mass",
    equation="C = 100 (dry pad and paper − dry paper)/stock",
    symbols="C=cons_pct stock=stock_g",
    checks=(Check({"stock_g": 1105.8, "paper_g": 1.22, "pad_g": 43.86}, "cons_pct", 3.856, 0.0001),),
)
def weigh(case: Weighing) -> Consistency:
    """Consistency of one pad, % by mass.

    Raises: ImpossibleInput, also when the pad is not heavier than its paper or not lighter than the stock.
    Worked: beaker 1318.4 - 212.6 g, pad 43.86, paper 1.22 g: 3.8560 %.
    """
    cautions = check(case)
    fibre = case.pad_g - case.paper_g
    if fibre <= 0.0:
        raise ImpossibleInput(Problem("pad_g", f"is {case.pad_g:g} g; it must be heavier than the paper, {case.paper_g:g} g"))
    if fibre >= case.stock_g:
        raise ImpossibleInput(
            Problem("pad_g", f"is {case.pad_g:g} g; the dry pad must be lighter than the stock, {case.stock_g:g} g")
        )
    return Consistency(cons_pct=100.0 * fibre / case.stock_g, fibre_g=fibre, cautions=cautions)


def duplicates(*cons_pct: float) -> Replicates:
    """The repeatability verdict on one to three pads of one sample."""
    return combine(cons_pct, r_abs=R_ABS_PCT, r_rel_pct=R_REL_PCT)


def pooled(weighings: tuple[Weighing, ...]) -> float:
    """Several samples as one, pooled by mass: all fibre over all stock, %. Raises: ImpossibleInput."""
    if not weighings:
        raise ImpossibleInput(Problem("weighings", "are none; at least one is needed"))
    return 100.0 * sum(weigh(w).fibre_g for w in weighings) / sum(w.stock_g for w in weighings)
