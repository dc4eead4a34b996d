"""Is the consistency transmitter right? Paired readings, judged step by step.

Source: Deming 1943 (errors in both variables); Student's t; repeat rule after ISO 5725. Action limit and standard
deviations are defaults to be calibrated.
"""

import math
from dataclasses import dataclass
from enum import StrEnum

import numpy as np

from core.chance import student_quantile
from core.errors import Caution, ImpossibleInput, Infeasible, Problem

LEAST_PAIRS = 6
LINE_PAIRS = 8
SD_LAB_PCT = 0.03  # default, absolute at 3.5 %
ACTION_ABS_PCT, ACTION_REL = 0.05, 0.015  # default


@dataclass(frozen=True, slots=True)
class Pair:
    """Meter and laboratory at the same minute, % oven-dry, steady for three filter times."""

    meter_pct: float
    lab_pct: float

    @property
    def apart_pct(self) -> float:
        return self.meter_pct - self.lab_pct


@dataclass(frozen=True, slots=True, kw_only=True)
class TransmitterCase:
    pairs: tuple[Pair, ...]
    sd_lab_pct: float = SD_LAB_PCT
    sd_meter_pct: float = 0.03
    history_sd_pct: float = 0.03
    ratio: float = 1.0


class Outcome(StrEnum):
    """What the check advises. The words are shown as they stand."""

    RESAMPLE = "resample"
    LEAVE = "leave it"
    MORE_PAIRS = "more pairs"
    LOOK_FOR_CAUSE = "look for the cause"
    OFFSET = "offset only"
    TWO_POINT = "slope and offset"


@dataclass(frozen=True, slots=True, kw_only=True)
class Step:
    """One rule of the check: its question, the figures behind it, the answer, and whether it stopped the check."""

    question: str
    figures: str
    answer: str
    stops: bool = False


@dataclass(frozen=True, slots=True, kw_only=True)
class TransmitterCheck:
    n: int
    bias_pct: float
    sd_pct: float
    half_width_pct: float
    t: float
    t_critical: float
    action_pct: float
    slope: float
    intercept_pct: float
    slope_low: float
    slope_high: float
    slope_se: float
    outcome: Outcome
    steps: tuple[Step, ...]
    cautions: tuple[Caution, ...] = ()

    @property
    def corrected(self) -> str:
        """How to enter it, in words."""
        if self.outcome is Outcome.OFFSET:
            return f"new reading = meter − ({self.bias_pct:+.3f})".replace("-", "−")
        if self.outcome is Outcome.TWO_POINT:
            return f"true = (meter − ({self.intercept_pct:.3f}))/{self.slope:.3f}".replace("-", "−")
        return "no change"


def deming(x: np.ndarray, y: np.ndarray, ratio: float = 1.0) -> tuple[float, float]:
    """Slope and intercept of y = a + b x with error in both; ratio = error variance of y over that of x (Deming 1943)."""
    sxx, syy = float(np.var(x, ddof=1)), float(np.var(y, ddof=1))
    sxy = float(np.cov(x, y, ddof=1)[0, 1])
    if sxy == 0.0:
        return 0.0, float(y.mean())
    b = (syy - ratio * sxx + math.sqrt((syy - ratio * sxx) ** 2 + 4 * ratio * sxy**2)) / (2 * sxy)
    return b, float(y.mean() - b * x.mean())


def _jackknife_se(x: np.ndarray, y: np.ndarray, ratio: float) -> float:
    """Standard error of the Deming slope by leaving one pair out at a time."""
    n = len(x)
    whole = deming(x, y, ratio)[0]
    keep = ~np.eye(n, dtype=bool)
    pseudo = np.array([n * whole - (n - 1) * deming(x[k], y[k], ratio)[0] for k in keep])
    return float(pseudo.std(ddof=1) / math.sqrt(n))


def _problems(case: TransmitterCase) -> list[Problem]:
    bad = []
    for i, p in enumerate(case.pairs, start=1):
        for what, value in (("meter", p.meter_pct), ("laboratory", p.lab_pct)):
            if not (math.isfinite(value) and 0.0 < value <= 60.0):
                bad.append(Problem(f"pair {i}", f"{what} is {value:g} %; it must be above 0 and at most 60 %"))
    for name in ("sd_lab_pct", "sd_meter_pct", "history_sd_pct", "ratio"):
        if not getattr(case, name) > 0.0:
            bad.append(Problem(name, f"is {getattr(case, name):g}; it must be above 0"))
    return bad


def check_transmitter(case: TransmitterCase) -> TransmitterCheck | Infeasible:
    """Walk the six rules over paired readings; advise to leave, resample, look for a cause, or correct.

    Takes / gives: pairs in % oven-dry. Raises: ImpossibleInput. Infeasible under six pairs.
    Worked: eight pairs of the check table give bias +0.08875, sd 0.02100, t 11.953, slope 1.1149 (SE 0.0488): offset only.
    """
    if bad := _problems(case):
        raise ImpossibleInput(*bad)
    n = len(case.pairs)
    if n < LEAST_PAIRS:
        return Infeasible(field="pairs", reason=f"are {n}: not enough pairs, {LEAST_PAIRS} are needed", nearest=LEAST_PAIRS)
    meter = np.array([p.meter_pct for p in case.pairs])
    lab = np.array([p.lab_pct for p in case.pairs])
    d = meter - lab
    bias, sd = float(d.mean()), float(d.std(ddof=1))
    half = student_quantile(0.975, n - 1) * sd / math.sqrt(n)
    crit = student_quantile(0.975, n - 1)
    t = bias / (sd / math.sqrt(n)) if sd > 0 else (math.copysign(math.inf, bias) if bias else 0.0)
    action = max(ACTION_ABS_PCT, ACTION_REL * float(lab.mean()))
    slope, intercept = deming(lab, meter, case.ratio)
    se = _jackknife_se(lab, meter, case.ratio)
    wide = student_quantile(0.975, n - 2) * se
    lab_range = float(np.ptp(lab))

    steps: list[Step] = []

    def rule(question: str, figures: str, goes_on: bool, yes: str, no: str) -> bool:
        steps.append(Step(question=question, figures=figures, answer=yes if goes_on else no, stops=not goes_on))
        return goes_on

    worst = float(d[np.argmax(np.abs(d - np.median(d)))])
    spread = abs(worst - float(np.median(d)))
    scatter_limit = 2.0 * math.hypot(case.sd_lab_pct, case.sd_meter_pct)
    range_needed = 6.0 * case.sd_lab_pct
    enough = lab_range >= range_needed and n >= LINE_PAIRS
    holds_one = slope - wide <= 1.0 <= slope + wide

    outcome: Outcome
    if not rule(
        "No pair beyond 4 sd",
        f"widest {worst:+.2f}, {spread:.2f} from the middle; 4 × {case.history_sd_pct:.2f} allowed",
        spread <= 4.0 * case.history_sd_pct,
        "goes on",
        "resample",
    ):
        outcome = Outcome.RESAMPLE
    elif not rule("Mean apart", f"{abs(bias):.3f} against {action:.3f}", abs(bias) > action, "too much", "leave it"):
        outcome = Outcome.LEAVE
    elif not rule("Chance?", f"t {abs(t):.1f} against {crit:.2f}", abs(t) > crit, "no", "may be"):
        outcome = Outcome.MORE_PAIRS
    elif not rule("Scatter", f"{sd:.3f} against {scatter_limit:.3f}", sd <= scatter_limit, "clean", "too wide"):
        outcome = Outcome.LOOK_FOR_CAUSE
    elif not rule(
        "Enough range", f"{lab_range:.2f} against {range_needed:.2f}, n {n}", enough, "yes", "offset only"
    ) or not rule(
        "Slope",
        f"{slope - wide:.2f} to {slope + wide:.2f} {'holds' if holds_one else 'leaves out'} 1",
        not holds_one,
        "slope and offset",
        "offset only",
    ):
        outcome = Outcome.OFFSET
    else:
        outcome = Outcome.TWO_POINT
    return TransmitterCheck(
        n=n,
        bias_pct=bias,
        sd_pct=sd,
        half_width_pct=half,
        t=t,
        t_critical=crit,
        action_pct=action,
        slope=slope,
        intercept_pct=intercept,
        slope_low=slope - wide,
        slope_high=slope + wide,
        slope_se=se,
        outcome=outcome,
        steps=tuple(steps),
    )
