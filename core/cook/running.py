"""A cook as it was run, and a cook while it runs, as registered models: what pages tell of them opens the case that told it."""

from dataclasses import dataclass
from typing import Final

from core.cook import kinetic
from core.cook.charged import ByCoefficients, ByLog, Calibrated, LogPoint, factors_of
from core.cook.follow import Followed, follow
from core.cook.kinetic import Charge
from core.cook.models import YIELD_BY
from core.cook.profile import Points, thinned
from core.cook.species import Fitted
from core.cook.trust import default_band
from core.errors import Caution, Infeasible, beside
from core.quantity import check, figure, quantities, quantity, rows
from core.register import Check, model

MOST_POINTS: Final = 60


@dataclass(frozen=True, slots=True, kw_only=True)
class TestRow:
    """A residual that was titrated while it cooked."""

    minute: float = quantity("Minute", "min", possible=(0, 1500), decimals=0)
    residual_g_l: float = quantity("Residual alkali", "g/L NaOH", possible=(0, 80), decimals=1)


@dataclass(frozen=True, slots=True, kw_only=True)
class AsRunCase(Calibrated, ByLog, ByCoefficients):
    """A wood, its charge, a mill's own coefficients as factors, and the log it was cooked by."""

    points: tuple[LogPoint, ...] = rows("Point", LogPoint, least=1, most=MOST_POINTS)


@dataclass(frozen=True, slots=True, kw_only=True)
class AsRun:
    """What the log made of the wood; `cooked` holds it whole."""

    kappa: float = figure("Kappa by its log", "", decimals=1, equation="the kinetic cook along the log")
    yield_pct: float = figure("Yield by its log", "%", decimals=1, equation=YIELD_BY)
    h: float = figure("H-factor", "", decimals=0, equation="∫ exp(43.20 − 16115/T) dt")
    residual_g_l: float = figure("Residual alkali", "g/L NaOH", decimals=1, equation="40 × alkali left, mol/L")
    viscosity_ml_g: float = figure("Viscosity", "mL/g", decimals=0, equation="1/(1/mu0 + a OH G)")
    cooked: kinetic.Cooked
    cautions: tuple[Caution, ...] = ()


def _points(log: Points) -> tuple[LogPoint, ...]:
    return tuple(LogPoint(minute=m, temp_c=t) for m, t in log)


def as_run_case(species: str, charge: Charge, log: Points, coefficients: Fitted) -> AsRunCase:
    """A cook's log as a case; a longer one is thinned to its bends."""
    return AsRunCase(
        species=species,
        **{name: getattr(charge, name) for name in quantities(Charge)},
        **factors_of(coefficients),
        points=_points(thinned(log, MOST_POINTS)),
    )


_LOG = ({"minute": 0, "temp_c": 80}, {"minute": 90, "temp_c": 170}, {"minute": 180, "temp_c": 170})
_COOK = {"species": "softwood", "ea_pct_naoh": 18.5, "sulphidity_pct": 30, "lw_m3_t": 4, "points": _LOG}


@model(
    "cook.as_run",
    title="A cook by its log",
    source="parallel pools after Gustafson et al. 1983; constants are defaults to be calibrated",
    holds_for="a log of 1 to 60 points, kraft, soda or soda with anthraquinone",
    equation="lignin, carbohydrate, gum and alkali in parallel pools along the log",
    basis="default",
    checks=(Check(_COOK, "kappa", 28.621, 1e-3), Check(_COOK, "h", 1574.5, 1e-3)),
)
def as_run(case: AsRunCase) -> AsRun:
    """The cook of a log. Raises: ImpossibleInput, NotSolved."""
    cautions = check(case)
    done = kinetic.cook(case.species, case.charge, case.log, coefficients=case.coefficients)
    return AsRun(
        kappa=done.kappa,
        yield_pct=done.yield_pct,
        h=done.h,
        residual_g_l=done.residual_g_l,
        viscosity_ml_g=done.viscosity_ml_g,
        cooked=done,
        cautions=cautions + done.cautions,
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class RunningCase(AsRunCase):
    """A cook while it runs: the log so far, the plan it follows, what was titrated, and what is wanted."""

    target: float = quantity("Kappa wanted", "", possible=(0, 150), above=True, valid=(10, 60), decimals=1)
    band: float = quantity("95 % band, each way", "kappa", possible=(0, 80), decimals=1, default=default_band(30.0))
    plan: tuple[LogPoint, ...] = rows("Plan", LogPoint, least=2, most=12)
    tests: tuple[TestRow, ...] = rows("Test", TestRow, least=0, most=20)

    @property
    def planned(self) -> Points:
        return tuple((p.minute, p.temp_c) for p in self.plan)

    @property
    def measured(self) -> tuple[tuple[float, float], ...]:
        return tuple((t.minute, t.residual_g_l) for t in self.tests)


@dataclass(frozen=True, slots=True, kw_only=True)
class Running:
    """Where the cook stands and where it goes; `followed` holds it whole. `stop_min` is nan where no minute reaches the
    kappa."""

    h: float = figure("H so far", "", decimals=0, equation="∫ exp(43.20 − 16115/T) dt along the log")
    kappa: float = figure("Kappa at the planned end", "", decimals=1, equation="the kinetic cook along log and plan")
    residual_g_l: float = figure("Residual at the end", "g/L NaOH", decimals=1, equation="40 × alkali left, mol/L")
    stop_min: float = figure("Kappa wanted, at minute", "min", decimals=0, equation="the cook run on at its temperature")
    h_then: float = figure("H then", "", decimals=0, equation="H of the log and of what is left")
    lost_h: float = figure("Behind its plan by", "H", decimals=0, equation="H of the plan to now − H so far")
    followed: Followed
    cautions: tuple[Caution, ...] = ()


def running_case(
    species: str,
    charge: Charge,
    *,
    log: Points,
    plan: Points,
    target: float,
    coefficients: Fitted,
    band: float,
    measured: tuple[tuple[float, float], ...],
) -> RunningCase:
    """A running cook as a case; its log is thinned to its bends."""
    return RunningCase(
        species=species,
        **{name: getattr(charge, name) for name in quantities(Charge)},
        **factors_of(coefficients),
        points=_points(thinned(log, MOST_POINTS)),
        plan=_points(plan),
        tests=tuple(TestRow(minute=m, residual_g_l=v) for m, v in measured),
        target=target,
        band=band,
    )


@model(
    "cook.running",
    title="A cook while it runs",
    source="models, section 3.12; kinetic cook, defaults to be calibrated",
    holds_for="a log of 1 to 60 points and a plan of 2 to 12",
    equation="the kinetic cook along the log so far and the plan that is left",
    basis="default",
    checks=(
        Check({**_COOK, "points": _LOG[:2], "plan": _LOG, "target": 28.621}, "kappa", 28.621, 1e-3),
        Check({**_COOK, "points": _LOG[:2], "plan": _LOG, "target": 28.621}, "stop_min", 180.0, 2e-3),
    ),
)
def running(case: RunningCase) -> Running:
    """A running cook. Raises: ImpossibleInput for a log, a plan or a residual that cannot be; NotSolved."""
    cautions = check(case)
    seen = follow(
        case.species,
        case.charge,
        case.planned,
        case.log,
        case.target,
        coefficients=case.coefficients,
        band=case.band,
        measured=case.measured,
    )
    nowhere = isinstance(seen.to_target, Infeasible)
    return Running(
        h=seen.h_so_far,
        kappa=seen.planned.kappa,
        residual_g_l=seen.planned.residual_g_l,
        stop_min=float("nan") if nowhere or seen.stop is None else seen.stop,
        h_then=float("nan") if nowhere or seen.h_at_stop is None else seen.h_at_stop,
        lost_h=seen.lost_h,
        followed=seen,
        cautions=beside(cautions + seen.cautions, lambda field: "kappa" if field == "yield_pct" else field),
    )
