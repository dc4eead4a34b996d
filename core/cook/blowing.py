"""The decision to blow: when kappa is inside its window, whether the digester is relieved, and where the pulp may go.

Sources: models, section 3.13 (divert outside the target by 10 %); Antoine's equation for saturation. The model of the kappa is
a default to be calibrated; the limits of the pressure are practice. Nothing here stands for the site's gate.
"""

import math
from bisect import bisect_left
from dataclasses import dataclass, fields
from typing import Final

from core.chance import normal_share
from core.cook import kinetic
from core.cook.follow import joined, to_top
from core.cook.profile import Points, read_log
from core.cook.running import RunningCase
from core.errors import Caution
from core.heat import ATMOSPHERE_BAR, p_saturation, t_saturation
from core.quantity import check, figure, quantity
from core.register import Check, model

SHARE_PCT: Final = 10.0
OVER_BAR: Final = 0.5  # of gas and air above saturation: relief has not kept up
UNDER_BAR: Final = -0.1  # no liquor is hotter than its pressure lets it be: it flashes, or a reading is wrong
LOOK_ON_MIN: Final = 120.0
BAND_SD: Final = 1.96


@dataclass(frozen=True, slots=True, kw_only=True)
class BlowDecisionCase(RunningCase):
    """A running cook, and how far from the kappa wanted its blow may come before the pulp is diverted."""

    share_pct: float = quantity(
        "Window, each way", "% of the kappa", possible=(0, 50), above=True, valid=(5, 15), decimals=0, default=SHARE_PCT
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class BlowDecision:
    """The window of the blow. Minutes are of the cook; nan where its temperature does not bring it there within two hours.

    `stands`: cook on, blow, past.
    """

    kappa_now: float = figure("Kappa if blown now", "", decimals=1, equation="the kinetic cook along the log")
    low: float = figure("Window from kappa", "", decimals=1, equation="kappa wanted × (1 − share)")
    high: float = figure("Window to kappa", "", decimals=1, equation="kappa wanted × (1 + share)")
    opens_min: float = figure(
        "Window opens, at minute", "min", decimals=0, equation="the cook run on, kappa at the window’s top"
    )
    closes_min: float = figure("Window closes, at minute", "min", decimals=0, equation="the cook run on, kappa at its bottom")
    inside_pct: float = figure(
        "Chance that a blow now is inside",
        "%",
        decimals=0,
        equation="a normal law about the kappa if blown now, 95 % of it in the band",
    )
    stands: str
    cautions: tuple[Caution, ...] = ()


def _run_on(case: RunningCase) -> tuple[Points, float]:
    """The log and what is left of the plan up to its top temperature, held there for two hours; and the minute of now."""
    plan, _ = read_log(case.planned)
    log, _ = read_log(case.log, least=1)
    now = log[-1][0]
    points = to_top(joined(log, plan), plan, now)
    return (*points, (points[-1][0] + LOOK_ON_MIN, points[-1][1])), now


def _minute_at(minutes: tuple[float, ...], kappas: tuple[float, ...], kappa: float) -> float:
    """The minute at which a falling kappa passes a value; its first where it starts below, nan where it ends above."""
    i = bisect_left(kappas, -kappa, key=lambda k: -k)
    if i == len(kappas):
        return math.nan
    if i == 0:
        return minutes[0]
    over, under = kappas[i - 1], kappas[i]
    return minutes[i - 1] + (minutes[i] - minutes[i - 1]) * ((over - kappa) / (over - under) if over > under else 1.0)


def decision_case(running: RunningCase) -> BlowDecisionCase:
    """A running cook as the case of its blow, with the usual window."""
    return BlowDecisionCase(**{f.name: getattr(running, f.name) for f in fields(running)})


def inside(kappa: float, low: float, high: float, half: float) -> float:
    """Chance, 0 to 1, that a kappa foreseen with a 95 % band of so much each way comes between two values."""
    if half <= 0.0:
        return float(low <= kappa <= high)
    sd = half / BAND_SD
    return normal_share((low - kappa) / sd, (high - kappa) / sd)


_LOG = ({"minute": 0, "temp_c": 80}, {"minute": 90, "temp_c": 170}, {"minute": 180, "temp_c": 170})
_NOW = {
    "species": "softwood",
    "ea_pct_naoh": 18.5,
    "sulphidity_pct": 30,
    "lw_m3_t": 4,
    "points": _LOG,
    "plan": _LOG,
    "target": 28.621,
    "band": 4.0,
}


@model(
    "cook.blow_decision",
    title="Blow, or cook on",
    source="models, section 3.13; kinetic cook, defaults to be calibrated",
    holds_for="a log of 1 to 60 points and a plan of 2 to 12",
    equation="kappa if blown now against its window; the minutes at which the cook comes into it and leaves it",
    basis="default",
    checks=(
        Check(_NOW, "kappa_now", 28.621, 1e-3),
        Check(_NOW, "high", 31.483, 1e-3),
        Check(_NOW, "inside_pct", 83.9, 2e-3),
        Check({**_NOW, "points": _LOG[:2], "target": 28.621 / 0.9}, "closes_min", 180.0, 1e-3),
    ),
)
def blow_decision(case: BlowDecisionCase) -> BlowDecision:
    """Where a running cook stands against the window of its blow. Raises: ImpossibleInput, NotSolved."""
    cautions = check(case)
    points, now = _run_on(case)
    done = kinetic.cook(case.species, case.charge, points, coefficients=case.coefficients, corrections=case.measured)
    minutes, kappas = done.course.minute, done.course.kappa
    after = bisect_left(minutes, now - 1e-9)
    at = kappas[min(after, len(kappas) - 1)]
    low, high = (case.target * (1.0 + sign * case.share_pct / 100.0) for sign in (-1.0, 1.0))
    opens, closes = (_minute_at(minutes, kappas, k) for k in (high, low))
    stands = "cook on" if at > high else "past" if at < low else "blow"
    if stands == "past":
        cautions += (Caution("kappa_now", f"{at:.1f} is below {low:.1f}: blown now it is for the diverted pulp"),)
    if math.isnan(closes):
        edge = low if opens == opens else high
        told = f"does not come to {edge:.1f} within {LOOK_ON_MIN:.0f} min of its top temperature"
        cautions += (Caution("closes_min", told),)
    return BlowDecision(
        kappa_now=at,
        low=low,
        high=high,
        opens_min=opens,
        closes_min=closes,
        inside_pct=100.0 * inside(at, low, high, case.band),
        stands=stands,
        cautions=cautions,
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class ReliefCase:
    """What the digester's gauge and its thermometer read together."""

    temp_c: float = quantity("Temperature", "°C", possible=(0, 200), valid=(100, 180), decimals=1)
    bar_gauge: float = quantity("Pressure, gauge", "bar", possible=(-1, 14), valid=(0, 10), decimals=2)


@dataclass(frozen=True, slots=True, kw_only=True)
class Relief:
    """Pressure against saturation. `over_bar` is what gas and air add; below zero a reading is wrong."""

    saturated_bar: float = figure("Saturation at that temperature, gauge", "bar", equation="Antoine’s equation − 1.013")
    over_bar: float = figure("Above saturation", "bar", equation="gauge − saturation")
    boils_c: float = figure("That pressure is saturated at", "°C", decimals=1, equation="Antoine’s equation, turned round")
    cautions: tuple[Caution, ...] = ()


@model(
    "cook.relief",
    title="Digester pressure against saturation",
    source="Antoine’s equation; limits by practice, to be set by the site",
    holds_for="100 to 180 °C, steam over liquor; the salts’ boiling point rise, some 1 to 2 °C, left out",
    equation="over = gauge − (p saturation − 1.01325)",
    basis="published",
    symbols="over=over_bar gauge=bar_gauge",
    checks=(
        Check({"temp_c": 170, "bar_gauge": 7.5}, "saturated_bar", 6.904, 1e-2),
        Check({"temp_c": 100, "bar_gauge": 0.0}, "boils_c", 100.0, 5e-3),
    ),
)
def relief(case: ReliefCase) -> Relief:
    """What a digester's pressure says of its gas. Raises: ImpossibleInput."""
    cautions = check(case)
    saturated = p_saturation(case.temp_c) - ATMOSPHERE_BAR
    over = case.bar_gauge - saturated
    boils = t_saturation(max(0.01, case.bar_gauge + ATMOSPHERE_BAR))
    if over > OVER_BAR:
        cautions += (
            Caution(
                "bar_gauge",
                f"{over:.1f} bar above saturation: gas and air are in it, the temperature lags the pressure; relieve by the "
                "site’s procedure before the blow",
            ),
        )
    elif over < UNDER_BAR:
        cautions += (
            Caution(
                "bar_gauge",
                f"{-over:.1f} bar below saturation: the liquor flashes and its level is false, or a reading is wrong; "
                "trust neither for a blow",
            ),
        )
    return Relief(saturated_bar=saturated, over_bar=over, boils_c=boils, cautions=cautions)


@dataclass(frozen=True, slots=True, kw_only=True)
class DivertCase:
    """A tested blow, the kappa wanted, and the pulp it might be blended with."""

    kappa: float = quantity("Kappa of the blow", "", possible=(1, 200), valid=(10, 110), decimals=1)
    target: float = quantity("Kappa wanted", "", possible=(0, 150), above=True, valid=(10, 60), decimals=1)
    wood_t: float = quantity("Wood of the blow", "t OD", possible=(0, 1000), above=True, decimals=1)
    yield_pct: float = quantity("Its yield", "%", possible=(0, 100), above=True, valid=(35, 65), decimals=1)
    other_kappa: float = quantity("Kappa of the other pulp", "", possible=(1, 200), valid=(10, 110), decimals=1)
    share_pct: float = quantity(
        "Window, each way", "% of the kappa", possible=(0, 50), above=True, valid=(5, 15), decimals=0, default=SHARE_PCT
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class Divert:
    """Where a blow may go: the share of it that a mix holds inside the window, and the other pulp that asks for.

    `most_pct` is 100 inside the window and 0 where the other pulp is no help; `other_t` is nan then.
    """

    low: float = figure("Window from kappa", "", decimals=1, equation="kappa wanted × (1 − share)")
    high: float = figure("Window to kappa", "", decimals=1, equation="kappa wanted × (1 + share)")
    most_pct: float = figure("Of a mix, at most", "%", decimals=0, equation="(limit − other) / (kappa − other)")
    other_t: float = figure(
        "Other pulp for the whole blow",
        "t OD",
        decimals=1,
        equation="wood × yield × (100 − most) / most",
    )
    cautions: tuple[Caution, ...] = ()


_BLOW = {"kappa": 36.0, "target": 30.0, "wood_t": 20.0, "yield_pct": 50.0, "other_kappa": 30.0}


@model(
    "cook.divert",
    title="A blow outside its window: divert or blend away",
    source="models, section 3.13; kappa mixes by mass",
    holds_for="pulps of one wood and one process",
    equation="most = (limit − other)/(kappa − other)",
    symbols="most=most_pct other=other_kappa",
    checks=(
        Check(_BLOW, "most_pct", 50.0, 1e-6),
        Check(_BLOW, "other_t", 10.0, 1e-6),
        Check({**_BLOW, "kappa": 24.0}, "most_pct", 50.0, 1e-6),
        Check({**_BLOW, "kappa": 32.0}, "most_pct", 100.0, 1e-6),
    ),
)
def divert(case: DivertCase) -> Divert:
    """Where a tested blow may go. Raises: ImpossibleInput."""
    cautions = check(case)
    low, high = (case.target * (1.0 + sign * case.share_pct / 100.0) for sign in (-1.0, 1.0))
    limit = high if case.kappa > high else low if case.kappa < low else case.kappa
    share = 1.0
    if limit != case.kappa:
        side = 1.0 if case.kappa > limit else -1.0
        helps = side * (limit - case.other_kappa)
        share = helps / (side * (case.kappa - case.other_kappa)) if helps > 0.0 else 0.0
        cautions += (
            Caution(
                "kappa", f"{case.kappa:.1f} is outside {low:.1f} to {high:.1f}: divert it; the lead decides where it is blended"
            ),
        )
    other = case.wood_t * case.yield_pct / 100.0 * (1.0 - share) / share if share > 0.0 else math.nan
    return Divert(low=low, high=high, most_pct=100.0 * share, other_t=other, cautions=cautions)
