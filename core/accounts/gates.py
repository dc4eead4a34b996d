"""The gates before a grade: what must hold before its forecast is used, each with what cures it.

A forecast is only as good as what went in. A gate that cannot be told does not hold. To accept a grade is a person's word: the
desk says not yet, with its reasons, and a lead may go on with a reason on record. Source: recovered to delivery, section 14.
"""

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Final

from core.accounts.reconcile import KAPPA_SD, TitrationCase, titration

ALKALI_H, PAIR_PCT, UNACCOUNTED_PCT = 4.0, 1.0, 2.0
SLOPE_KAPPA: Final = -3.8  # a % more alkali, default until the mill's own is learnt
OFF_PCT: Final = 2.0  # what a titration that is late or alone may be off by, default


@dataclass(frozen=True, slots=True, kw_only=True)
class Titrated:
    """The newest titration of a white liquor: how old, h, and its two readings' difference, % of their mean; None where there
    is none."""

    name: str
    row: str
    age_h: float | None
    pair_pct: float | None


@dataclass(frozen=True, slots=True, kw_only=True)
class Transmitter:
    """A consistency meter of the blend: what it is off by against the laboratory (%, None under six pairs), what is left alone,
    and whether it stands still."""

    name: str
    row: str
    off_pct: float | None
    action_pct: float
    stuck: bool


@dataclass(frozen=True, slots=True, kw_only=True)
class Balanced:
    """The balance of a day: the global test and the largest of a measurement, each with what it allows; fibre that no account
    tells and what came, t OD."""

    chi: float
    chi_allowed: float
    worst: float
    worst_allowed: float
    unaccounted_t: float
    came_t: float
    suspects: tuple[str, ...] = ()

    @property
    def unaccounted_pct(self) -> float:
        return 100.0 * abs(self.unaccounted_t) / self.came_t if self.came_t > 0.0 else 0.0


@dataclass(frozen=True, slots=True)
class Gate:
    """One gate: what it asks, what was found, whether it holds, and what cures it where it does not. `of`: the row of the plan
    or the account that it stands on."""

    key: str
    asks: str
    found: str
    holds: bool
    cure: str = ""
    of: str = ""


def apart_pct(singles: Sequence[float]) -> float | None:
    """How far the first two readings of a titration are apart, % of their mean; None for one alone, or for two of nothing."""
    both = sum(singles[:2]) if len(singles) > 1 else 0.0
    return 200.0 * abs(singles[0] - singles[1]) / both if both > 0.0 else None


def gates(titrated: tuple[Titrated, ...], meters: tuple[Transmitter, ...], balance: Balanced | None) -> tuple[Gate, ...]:
    """Every gate in the order of the document; those of liquor for every white liquor of the mill, of meters for every one of
    the blend. `balance` is None where a day cannot be made up."""
    told = [gate for t in titrated for gate in _of_alkali(t)]
    told += _of_balance(balance)
    return (*told, *(gate for m in meters for gate in _of_meter(m)))


def _of_alkali(t: Titrated) -> tuple[Gate, Gate]:
    late = t.age_h is None or t.age_h > ALKALI_H
    pair = t.pair_pct is not None and t.pair_pct <= PAIR_PCT
    again = "titrate a second time" if t.pair_pct is None else "titrate a third; check the acid and the pipette"
    return (
        Gate(
            key="alkali",
            asks=f"{t.name}: titrated within {ALKALI_H:g} h",
            found="not titrated" if t.age_h is None else f"{t.age_h:.1f} h ago",
            holds=not late,
            cure="titrate it now, in duplicate" if late else "",
            of=t.row,
        ),
        Gate(
            key="pair",
            asks=f"{t.name}: two titrations within {PAIR_PCT:.1f} %",
            found="one alone" if t.pair_pct is None else f"{t.pair_pct:.2f} % apart",
            holds=pair,
            cure="" if pair else again,
            of=t.row,
        ),
    )


def _of_balance(b: Balanced | None) -> tuple[Gate, ...]:
    fibre = f"Fibre unaccounted {UNACCOUNTED_PCT:g} % at most"
    asks = ("The day’s balance passes its test", "No measurement over its own", fibre)
    keys = ("balance", "measurement", "fibre")
    if b is None:
        cure = "let the meters be read through a whole day"
        return tuple(Gate(key, ask, "a day is not made up yet", False, cure) for key, ask in zip(keys, asks, strict=True))
    found = (
        f"{b.chi:.1f} of {b.chi_allowed:.1f}",
        f"{b.worst:.2f} of {b.worst_allowed:.2f}",
        f"{b.unaccounted_pct:.1f} %",
    )
    holds = (b.chi <= b.chi_allowed, b.worst <= b.worst_allowed, b.unaccounted_pct <= UNACCOUNTED_PCT)
    named = f"look at {', '.join(b.suspects)}" if b.suspects else "look at the towers’ levels and flow meters"
    return tuple(
        Gate(key, ask, what, ok, "" if ok else named) for key, ask, what, ok in zip(keys, asks, found, holds, strict=True)
    )


def _of_meter(m: Transmitter) -> tuple[Gate, Gate]:
    off = m.off_pct is None or abs(m.off_pct) > m.action_pct
    found = "under six pairs" if m.off_pct is None else f"{m.off_pct:+.3f} %, {m.action_pct:.3f} left alone".replace("-", "−")
    return (
        Gate(
            key="meter",
            asks=f"{m.name}: meter within its action limit",
            found=found,
            holds=not off,
            cure=("take samples beside it" if m.off_pct is None else "check it, then enter its offset") if off else "",
            of=m.row,
        ),
        Gate(
            key="stuck",
            asks=f"{m.name}: meter moves",
            found="stands still" if m.stuck else "it does",
            holds=not m.stuck,
            cure="look at the meter; do not trust it until it is calibrated" if m.stuck else "",
            of=m.row,
        ),
    )


def wider(not_yet: tuple[Gate, ...], ea_pct: float, sd0: float = KAPPA_SD) -> TitrationCase | None:
    """What a forecast of kappa then carries: the case of its sd, where a gate of the liquor does not hold; else None."""
    if not any(gate.key in ("alkali", "pair") for gate in not_yet):
        return None
    return TitrationCase(sd0=sd0, ea_pct=ea_pct, slope=SLOPE_KAPPA, off_pct=OFF_PCT)


def added_sd(titrated: tuple[Titrated, ...], ea_pct: float) -> float:
    """What the titrations of a liquor add to the spread (sd) of a foreseen kappa; 0 where they are in time and agree, or where
    nothing is titrated."""
    case = wider(tuple(gate for t in titrated for gate in _of_alkali(t) if not gate.holds), ea_pct)
    return math.sqrt(titration(case).sd ** 2 - case.sd0**2) if case is not None else 0.0
