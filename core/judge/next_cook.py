"""After the blow: the one move on the next cook, sized by the cook's own model. Source: shift practice, section 4, rows K1,
K2, K3, K8.

The gain is the model's change of kappa with H or with charge around the cook as it was run. Inside the band there is no move.
"""

import math
from dataclasses import dataclass, replace
from typing import Any, Literal

from core.cook import kinetic
from core.cook.charged import FACTORS, ByCoefficients, ByLog, Calibrated, LogPoint, factors_of
from core.cook.kinetic import Charge
from core.cook.profile import Points, h_factor, hold_minutes, thinned
from core.cook.species import DEFAULT, Fitted
from core.errors import Caution, ImpossibleInput, Problem
from core.judge.band import Band
from core.judge.move import DAMPING
from core.quantity import check, choice, figure, quantities, quantity, rows
from core.register import Check, model

MOST_H, MOST_H_SHARE, MOST_EA = 120.0, 0.10, 0.5  # H, share of H, % EA as NaOH on wood
FELT = 0.05  # kappa: what moves it by less moves nothing, default
RESIDUAL_LOW, RESIDUAL_AIM, RESIDUAL_HIGH = 5.0, 8.0, 12.0  # g/L as NaOH


@dataclass(frozen=True, slots=True, kw_only=True)
class NextCook:
    """One lever for the next cook. `size` in H (`minutes` says how long that is at temperature) or in % EA as NaOH on wood.

    `expected` is the kappa the model foresees then: the blow's own kappa moved by gain and size. `gain` in kappa per H or per
    % EA.
    """

    row: Literal["K1", "K2", "K3", "K8"]
    lever: Literal["h", "ea"]
    before: float
    size: float
    gain: float
    minutes: float
    expected: float
    bound_by: str
    cautions: tuple[Caution, ...] = ()

    @property
    def after(self) -> float:
        return self.before + self.size


def gain_h(species: str, charge: Charge, points: Points, *, coefficients: Fitted = DEFAULT) -> float:
    """Kappa per unit of H around the end of the cook."""
    return kinetic.slope_ln_h(species, charge, points, coefficients=coefficients) / h_factor(points)


def _asked(error: float, gain: float) -> float:
    """The size that takes DAMPING of an error away; without bound where the kappa does not move with it."""
    return -DAMPING * error / gain if gain < 0.0 else math.copysign(math.inf, error)


def _moves_nothing(gain: float, size: float, bound: str) -> tuple[Caution, ...]:
    """A caution where the most of one move moves the kappa by less than is measured, or the other way."""
    if not bound or (gain < 0.0 and abs(gain * size) >= FELT):
        return ()
    return (Caution("kappa", "of this cook does not move with it by the model: look for another cause first"),)


def _cut(size: float, most: float, name: str) -> tuple[float, str]:
    return (math.copysign(most, size), name) if abs(size) > most else (size, "")


def after_blow(
    species: str,
    charge: Charge,
    points: Points,
    *,
    kappa: float,
    residual_g_l: float,
    band: Band,
    coefficients: Fitted = DEFAULT,
    before_kappa: float = math.nan,
) -> NextCook | None:
    """The move on the next cook, or None inside the band with alkali left.

    `residual_g_l` nan when it was not measured (then low alkali cannot be told from short time, and it says so).
    `before_kappa`: the blow before this one, nan if there is none. Raises: ImpossibleInput for a kappa or a residual that
    cannot be.
    """
    bad = []
    if not 1.0 <= kappa <= 200.0:
        bad.append(Problem("kappa", f"is {kappa:g}; it must be 1 to 200"))
    if residual_g_l < 0.0:
        bad.append(Problem("residual_g_l", f"is {residual_g_l:g} g/L; it must be 0 or more"))
    if bad:
        raise ImpossibleInput(*bad)
    error, inside = kappa - band.aim, band.low <= kappa <= band.high
    starved = residual_g_l < RESIDUAL_LOW
    cautions: tuple[Caution, ...] = ()
    if not inside and band.low <= before_kappa <= band.high:
        cautions += (
            Caution("kappa", "the blow before this one was inside its band: not for one odd cook; repeat the test first"),
        )
    if starved and (inside or error > 0.0):
        return _more_alkali(species, charge, points, error, inside, residual_g_l, kappa, coefficients, cautions)
    if inside:
        return None
    if math.isnan(residual_g_l):
        cautions += (
            Caution("residual_g_l", "residual alkali was not measured: under 5 g/L the answer is alkali, never more heat"),
        )
    if error < 0.0 and residual_g_l > RESIDUAL_HIGH:
        cautions += (
            Caution("residual_g_l", "residual alkali is above 12 g/L; a shorter cook leaves more: look at the charge"),
        )
    g = gain_h(species, charge, points, coefficients=coefficients)
    h = h_factor(points)
    most = min(MOST_H, MOST_H_SHARE * h)
    if error > 0.0 and abs(g) * most < FELT:  # no heat moves it: by the model its alkali ran out
        cautions += (Caution("residual_g_l", "by the model no alkali was left, whatever was titrated: titrate it again first"),)
        return _more_alkali(species, charge, points, error, inside, residual_g_l, kappa, coefficients, cautions)
    size, bound = _cut(_asked(error, g), most, f"the most of one move, {most:.0f} H")
    return NextCook(
        row="K1" if error > 0.0 else "K3",
        lever="h",
        before=h,
        size=size,
        gain=g,
        minutes=math.copysign(hold_minutes(abs(size), points[-1][1]), size),
        expected=kappa + g * size,
        bound_by=bound,
        cautions=cautions + _moves_nothing(g, size, bound),
    )


def _more_alkali(
    species: str,
    charge: Charge,
    points: Points,
    error: float,
    inside: bool,
    residual: float,
    kappa: float,
    coefficients: Fitted,
    cautions: tuple[Caution, ...],
) -> NextCook:
    g = kinetic.slope_ea(species, charge, points, coefficients=coefficients)
    wanted = DAMPING * (RESIDUAL_AIM - residual) * charge.lw_m3_t / 10.0 if inside else _asked(error, g)
    size, bound = _cut(max(wanted, 0.0), MOST_EA, f"the most of one move, {MOST_EA} % EA")
    cautions += _moves_nothing(g, size, bound)
    cautions += (Caution("residual_g_l", "never answer low alkali with more heat: lignin comes down on the fibre"),)
    if inside:
        cautions += (
            Caution("kappa", f"expect kappa {g * size:+.1f} with it: shorten by the same cook’s H if it leaves the band"),
        )
    return NextCook(
        row="K8" if inside else "K2",
        lever="ea",
        before=charge.ea_pct_naoh,
        size=size,
        gain=g,
        minutes=math.nan,
        expected=kappa + g * size,
        bound_by=bound,
        cautions=cautions,
    )


TITRATED = ("titrated", "not measured")


@dataclass(frozen=True, slots=True, kw_only=True)
class NextCase(Calibrated, ByLog, ByCoefficients):
    """A blown cook as it was run, what the laboratory found, and the band its kappa is wanted in."""

    kappa: float = quantity("Kappa of the blow", "", possible=(1, 200), valid=(10, 110), decimals=1)
    residual: str = choice("Residual alkali", TITRATED, default=TITRATED[0])
    residual_g_l: float = quantity("found", "g/L NaOH", possible=(0, 80), decimals=1, default=0.0)
    low: float = quantity("Kappa wanted from", "", possible=(0, 200), decimals=1)
    high: float = quantity("to", "", possible=(0, 200), above=True, decimals=1)
    aim: float = quantity("Aim", "", possible=(0, 200), above=True, decimals=1)
    before_kappa: float = quantity("Kappa of the blow before", "", possible=(0, 200), decimals=1, default=0.0, help="0: none")
    points: tuple[LogPoint, ...] = rows("Point", LogPoint, least=2, most=60)


@dataclass(frozen=True, slots=True, kw_only=True)
class NextFound:
    """The move on the next cook: `move` holds it whole; None, and a size of 0, where the blow asks for none."""

    before: float = figure("Lever now", "H or % EA", decimals=2, equation="H of this cook, or its EA")
    after: float = figure("Lever then", "H or % EA", decimals=2, equation="now + size")
    size: float = figure("Size", "H or % EA", decimals=2, equation="−0.7 e/g; of K8 0.7 (8 − residual) L/W/10; cut")
    gain: float = figure("Kappa a unit of it", "", decimals=4, equation="the cook’s own model around its end")
    minutes: float = figure("At temperature, longer by", "min", decimals=0, equation="60 ΔH/rate at the last temperature")
    expected: float = figure("Kappa then", "", decimals=1, equation="kappa + gain × size")
    move: NextCook | None = None
    cautions: tuple[Caution, ...] = ()


_NEXT = {
    "species": "softwood",
    "ea_pct_naoh": 17.5,
    "sulphidity_pct": 29,
    "lw_m3_t": 4,
    "points": ({"minute": 0, "temp_c": 80}, {"minute": 90, "temp_c": 170}, {"minute": 181.4, "temp_c": 170}),
    "low": 28,
    "high": 32,
    "aim": 30,
}


@model(
    "cook.next",
    title="K1, K2, K3, K8: the next cook after a blow",
    source="shift practice, rows K1, K2, K3, K8; gains of the kinetic cook",
    holds_for="one lever: H by 10 % and 120 at most, EA by 0.5 % at most; alkali, never heat, where it ran short",
    equation="size = −0.7 e/g, g = dκ/dH or dκ/dEA of the cook itself",
    symbols="size=size g=gain",
    calibrated_by=tuple(FACTORS),
    basis="default",
    checks=(
        Check({**_NEXT, "kappa": 30.5, "residual_g_l": 8.5}, "size", 0.0),
        Check({**_NEXT, "kappa": 33.0, "residual_g_l": 8.5}, "gain", -0.0191, 2e-2),
        Check({**_NEXT, "kappa": 30.0, "residual_g_l": 4.0}, "size", 0.5),
        Check({**_NEXT, "kappa": 33.0, "residual_g_l": 4.0}, "gain", -2.0133, 2e-2),
    ),
)
def next_cook(case: NextCase) -> NextFound:
    """The one move that a tested blow asks of the next cook. Raises: ImpossibleInput."""
    cautions = check(case)
    if not case.low < case.high:
        raise ImpossibleInput(Problem("high", f"is {case.high:g}; it must be over the lower end, {case.low:g}"))
    if not case.low <= case.aim <= case.high:
        raise ImpossibleInput(Problem("aim", f"is {case.aim:g}; it must lie in {case.low:g} to {case.high:g}"))
    move = after_blow(
        case.species,
        case.charge,
        case.log,
        kappa=case.kappa,
        residual_g_l=case.residual_g_l if case.residual == TITRATED[0] else math.nan,
        band=Band(low=case.low, high=case.high, target=case.aim),
        coefficients=case.coefficients,
        before_kappa=case.before_kappa or math.nan,
    )
    if move is None:
        return NextFound(before=0.0, after=0.0, size=0.0, gain=0.0, minutes=0.0, expected=case.kappa, cautions=cautions)
    return NextFound(
        before=move.before,
        after=move.after,
        size=move.size,
        gain=move.gain,
        minutes=move.minutes,
        expected=move.expected,
        move=move,
        cautions=cautions + move.cautions,
    )


def next_case(
    species: str,
    charge: Charge,
    log: Points,
    *,
    kappa: float,
    residual_g_l: float,
    band: Band,
    coefficients: Fitted,
    before_kappa: float,
) -> NextCase:
    """A tested blow as a case; nan where a residual was not titrated, or there was no blow before."""
    own: dict[str, Any] = {name: getattr(charge, name) for name in quantities(Charge)} | factors_of(coefficients)
    return NextCase(
        species=species,
        **own,
        kappa=kappa,
        residual=TITRATED[math.isnan(residual_g_l)],
        residual_g_l=0.0 if math.isnan(residual_g_l) else residual_g_l,
        low=max(0.0, band.low),
        high=min(200.0, band.high),
        aim=band.aim,
        before_kappa=0.0 if math.isnan(before_kappa) else before_kappa,
        points=tuple(LogPoint(minute=m, temp_c=t) for m, t in thinned(log, 60)),
    )


def next_plan(charge: Charge, points: Points, move: NextCook) -> tuple[Charge, Points]:
    """The charge and plan of the next cook with the move in it: the hold so long that the plan has the H asked for, or the
    charge.

    `points` is the plan to start from; the cook as it was run may have had another H.
    """
    if move.lever == "ea":
        return replace(charge, ea_pct_naoh=move.after), points
    missing = move.after - h_factor(points)
    minutes = math.copysign(hold_minutes(abs(missing), points[-1][1]), missing)
    end = max(points[-2][0] + 1.0, points[-1][0] + minutes)
    return charge, (*points[:-1], (end, points[-1][1]))
