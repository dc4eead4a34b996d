"""Release or hold: every test of a lot against the grade's card, and what the rule table then says.

Source: models, section 10 (one-sided 95 % bounds, guard band); shift practice, section 5.3 (order of the rules).
"""

import math
from collections.abc import Mapping
from dataclasses import dataclass
from enum import StrEnum

from core.chance import student_quantile
from core.errors import ImpossibleInput, Problem
from core.quantity import check, figure, quantity, rows
from core.register import Check, model

GUARD = 1.645
HISTORY_LEAST = 20
BOUND_LEAST = 3


class Verdict(StrEnum):
    PASSED = "passed"
    FLAGGED = "flagged"
    FAILED = "failed"
    MISSING = "missing"


@dataclass(frozen=True, slots=True, kw_only=True)
class CardTest:
    """What the card asks of one test: limits (an open side is +-inf), whether it is critical, results and history."""

    key: str
    low: float
    high: float
    critical: bool
    results: tuple[float, ...]
    flagged_result: bool = False
    history_sd: float = 0.0
    history_n: int = 0


@dataclass(frozen=True, slots=True, kw_only=True)
class TestVerdict:
    """Mean, the bounds each way (equal to the mean where only plain limits apply), the basis and the verdict."""

    test: CardTest
    key: str
    n: int
    mean: float
    lower: float
    upper: float
    basis: str
    verdict: Verdict
    critical: bool
    low_misses: bool
    high_misses: bool


def judge_test(test: CardTest) -> TestVerdict:
    """One test of the card: bound by Student's t for n >= 3, guard band on 1 or 2 with history, else plain limits.

    Raises: ImpossibleInput for limits that do not rise or results that are not finite.
    Worked: 4 tests mean 402, sd 12, lower limit 390: lower bound 387.88, flagged (hold).
    """
    if not test.low < test.high:
        raise ImpossibleInput(Problem(test.key, f"limits {test.low:g} to {test.high:g} must rise"))
    if not all(math.isfinite(r) for r in test.results):
        raise ImpossibleInput(Problem(test.key, "results must be finite numbers"))
    n = len(test.results)
    if n == 0:
        return TestVerdict(
            test=test,
            key=test.key,
            n=0,
            mean=math.nan,
            lower=math.nan,
            upper=math.nan,
            basis="no result",
            verdict=Verdict.MISSING,
            critical=test.critical,
            low_misses=False,
            high_misses=False,
        )
    mean = sum(test.results) / n
    if n >= BOUND_LEAST:
        sd = math.sqrt(sum((r - mean) ** 2 for r in test.results) / (n - 1))
        wide = student_quantile(0.95, n - 1) * sd / math.sqrt(n)
        basis = "95 % bound"
    elif test.history_n >= HISTORY_LEAST:
        wide = GUARD * test.history_sd / math.sqrt(n)
        basis = "guard"
    else:
        wide, basis = 0.0, "plain limit"
    lower, upper = mean - wide, mean + wide
    outside = mean < test.low or mean > test.high
    low_misses, high_misses = lower < test.low, upper > test.high
    if outside:
        verdict = Verdict.FAILED
    elif low_misses or high_misses or test.flagged_result:
        verdict = Verdict.FLAGGED
    else:
        verdict = Verdict.PASSED
    return TestVerdict(
        test=test,
        key=test.key,
        n=n,
        mean=mean,
        lower=lower,
        upper=upper,
        basis=basis,
        verdict=verdict,
        critical=test.critical,
        low_misses=low_misses,
        high_misses=high_misses,
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class ResultRow:
    """One accepted result of a test of the card."""

    value: float = quantity("Result", "", possible=(-1e6, 1e6), decimals=2)


@dataclass(frozen=True, slots=True, kw_only=True)
class BoundCase:
    """A test of a lot against its card. A side that is open is given as the limit that nothing reaches."""

    low: float = quantity("Card from", "", possible=(-1e9, 1e9), decimals=2, default=-1e9)
    high: float = quantity("Card to", "", possible=(-1e9, 1e9), decimals=2, default=1e9)
    history_sd: float = quantity("Sd of the history", "", possible=(0, 1e6), decimals=3, default=0.0)
    history_n: int = quantity("Results of the history", "", possible=(0, 100_000), decimals=0, whole=True, default=0)
    results: tuple[ResultRow, ...] = rows("Result", ResultRow, most=60)


@dataclass(frozen=True, slots=True, kw_only=True)
class BoundFound:
    """Mean and the one-sided 95 % bound each way."""

    mean: float = figure("Mean", "", decimals=2, equation="Σ results / n")
    lower: float = figure(
        "Bound below",
        "",
        decimals=2,
        equation="mean − t₀.₉₅ s/√n; of 1 or 2: 1.645 × history sd/√n",
    )
    upper: float = figure(
        "Bound above",
        "",
        decimals=2,
        equation="mean + t₀.₉₅ s/√n; of 1 or 2: 1.645 × history sd/√n",
    )
    spare: float = figure("To the nearest limit", "", decimals=2, equation="least of bound − card from, card to − bound")


_FOUR = {"low": 390, "results": tuple({"value": v} for v in (391.60769, 391.60769, 412.39230, 412.39230))}  # sd 12


@model(
    "deliver.lot_bound",
    title="A test of a lot and its bound",
    source="Student's t, one-sided 95 %",
    holds_for="accepted results of one lot; 1 or 2 results by the history of the test",
    equation="mean ± t₀.₉₅,ₙ₋₁ s/√n",
    checks=(Check(_FOUR, "mean", 402.0), Check(_FOUR, "lower", 387.88, 1e-4)),
)
def bound(case: BoundCase) -> BoundFound:
    """The bound of a test. Raises: ImpossibleInput for limits that do not rise."""
    check(case)
    result = judge_test(card_test(case))
    return BoundFound(
        mean=result.mean, lower=result.lower, upper=result.upper, spare=min(result.lower - case.low, case.high - result.upper)
    )


def card_test(case: BoundCase) -> CardTest:
    """The case as a test of a card."""
    return CardTest(
        key="low",
        low=case.low,
        high=case.high,
        critical=True,
        results=tuple(r.value for r in case.results),
        history_sd=case.history_sd,
        history_n=case.history_n,
    )


def bound_case(test: CardTest) -> BoundCase:
    """A test of a card as the case of this model; its open sides are far away."""
    return BoundCase(
        low=max(-1e9, test.low),
        high=min(1e9, test.high),
        history_sd=test.history_sd,
        history_n=test.history_n,
        results=tuple(ResultRow(value=r) for r in test.results),
    )


class Action(StrEnum):
    """What the rule table proposes; a person decides."""

    RELEASE = "release"
    RELEASE_WITH_NOTE = "release with note"
    HOLD = "hold"
    DOWNGRADE = "hold, propose downgrade"
    HOLD_OUT = "hold, propose divert"


@dataclass(frozen=True, slots=True, kw_only=True)
class Disposition:
    """The proposed action, why, whether anybody may release the lot as it stands (and who); the lower cards that it meets."""

    action: Action
    why: tuple[str, ...]
    may_release: tuple[str, ...]
    tests: tuple[TestVerdict, ...]
    meets: tuple[str, ...] = ()


def meets_all(tests: tuple[CardTest, ...]) -> bool:
    """Whether results prove every limit of a card, minor ones too."""
    return bool(tests) and all(judge_test(t).verdict is Verdict.PASSED for t in tests)


def dispose(
    tests: tuple[CardTest, ...], *, open_deviations: int = 0, lower: Mapping[str, tuple[CardTest, ...]] | None = None
) -> Disposition:
    """Walk the rule table in its order: open deviation, missing or flagged critical; minor out; critical out, another card
    (`lower`, by its key) whose limits are all met or none; release."""
    judged = tuple(judge_test(t) for t in tests)
    critical = [t for t in judged if t.critical]
    missing = [t.key for t in critical if t.verdict is Verdict.MISSING]
    flagged = [t.key for t in critical if t.verdict is Verdict.FLAGGED]
    failed = [t.key for t in critical if t.verdict is Verdict.FAILED]
    minor = [t.key for t in judged if not t.critical and t.verdict is not Verdict.PASSED]
    if open_deviations or missing or flagged:
        why = [f"{open_deviations} deviation open"] if open_deviations else []
        why += [f"{k}: no result" for k in missing] + [f"{k}: inside, but not proven" for k in flagged]
        why += [f"{k}: out" for k in failed]
        return Disposition(action=Action.HOLD, why=tuple(why), may_release=(), tests=judged)
    if failed:
        why = [f"{k}: out" for k in failed]
        meets = tuple(key for key, own in (lower or {}).items() if meets_all(own))
        action = Action.DOWNGRADE if meets else Action.HOLD_OUT
        return Disposition(action=action, why=tuple(why), may_release=(), tests=judged, meets=meets)
    if minor:
        why = [f"{k}: minor, not inside" for k in minor]
        return Disposition(action=Action.RELEASE_WITH_NOTE, why=tuple(why), may_release=("lead",), tests=judged)
    return Disposition(action=Action.RELEASE, why=("every test of the card is inside",), may_release=("lead",), tests=judged)


def history(results: tuple[float, ...]) -> tuple[float, int]:
    """Standard deviation and number of a test's earlier results, for the guard band; (0, n) for fewer than two."""
    n = len(results)
    if n < 2:
        return 0.0, n
    mean = sum(results) / n
    return math.sqrt(sum((r - mean) ** 2 for r in results) / (n - 1)), n


def retests_needed(test: CardTest, verdict: TestVerdict, *, most: int = 6) -> tuple[int, float] | None:
    """How many more results at the present mean's good side would prove a flagged test: (count, least value), or None.

    Tries one value for all retests, from the mean to the far limit's middle; a default way to say what is missing.
    """
    if verdict.verdict is not Verdict.FLAGGED or not test.results:
        return None
    finite = [x for x in (test.low, test.high) if math.isfinite(x)]
    aim = sum(finite) / len(finite) if len(finite) == 2 else verdict.mean
    for count in range(2, most + 1):
        for step in range(21):
            value = verdict.mean + (aim - verdict.mean) * step / 20.0
            tried = CardTest(
                key=test.key, low=test.low, high=test.high, critical=test.critical, results=(*test.results, *([value] * count))
            )
            if judge_test(tried).verdict is Verdict.PASSED:
                return count, value
    return None
