"""After the blow: the one move on the next cook, sized by the cook's own model. Source: shift practice, section 4, rows K1,
K2, K3, K8.

The gain is the model's change of kappa with H or with charge around the cook as it was run. Inside the band there is no move.
"""

import math
from dataclasses import dataclass, replace
from typing import Literal

from core.cook import kinetic
from core.cook.kinetic import Charge
from core.cook.profile import Points, h_factor, hold_minutes
from core.cook.species import DEFAULT, Fitted
from core.errors import Caution, ImpossibleInput, Problem
from core.judge.band import Band
from core.judge.move import DAMPING

MOST_H, MOST_H_SHARE, MOST_EA = 120.0, 0.10, 0.5  # H, share of H, % EA as NaOH on wood
RESIDUAL_LOW, RESIDUAL_AIM, RESIDUAL_HIGH = 5.0, 8.0, 12.0  # g/L as NaOH
PROBE_MIN, PROBE_EA = 10.0, 0.5


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
    """Kappa per unit of H around the end of the cook: ten minutes longer at the last temperature."""
    longer = (*points[:-1], (points[-1][0] + PROBE_MIN, points[-1][1]))
    now, then = (kinetic.cook(species, charge, p, coefficients=coefficients) for p in (points, longer))
    return (then.kappa - now.kappa) / (then.h - now.h)


def gain_ea(species: str, charge: Charge, points: Points, *, coefficients: Fitted = DEFAULT) -> float:
    """Kappa per % EA as NaOH on wood, the profile kept."""
    more = replace(charge, ea_pct_naoh=charge.ea_pct_naoh + PROBE_EA)
    now, then = (kinetic.cook(species, c, points, coefficients=coefficients) for c in (charge, more))
    return (then.kappa - now.kappa) / PROBE_EA


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
    size, bound = _cut(-DAMPING * error / g, most, f"the most of one move, {most:.0f} H")
    return NextCook(
        row="K1" if error > 0.0 else "K3",
        lever="h",
        before=h,
        size=size,
        gain=g,
        minutes=math.copysign(hold_minutes(abs(size), points[-1][1]), size),
        expected=kappa + g * size,
        bound_by=bound,
        cautions=cautions,
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
    g = gain_ea(species, charge, points, coefficients=coefficients)
    wanted = DAMPING * (RESIDUAL_AIM - residual) * charge.lw_m3_t / 10.0 if inside else -DAMPING * error / g
    size, bound = _cut(max(wanted, 0.0), MOST_EA, f"the most of one move, {MOST_EA} % EA")
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
