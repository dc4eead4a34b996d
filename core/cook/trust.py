"""How sure a foreseen kappa is: the band before and after fitting, and a bias that a mill's own cooks show.

Source: models, section 3.4. Before fitting the band is a default, not a guarantee: reactivity of the wood, lignin, temperature,
alkali, sulphidity and the laboratory add up to some 4.3 kappa of standard deviation at softwood 30.
"""

import math
from dataclasses import dataclass

from core.chance import normal_quantile, student_quantile
from core.errors import Caution
from core.quantity import check, figure, quantity, rows
from core.register import Check, model

LEAST_COOKS, LEAST_FREE = 8, 5
LEAST_BAND, BAND_SHARE = 4.0, 0.27
CHANCE = 0.975


def default_band(kappa: float) -> float:
    """Half of the 95 % band, kappa units, of constants that no mill's cooks have fitted."""
    return max(LEAST_BAND, BAND_SHARE * kappa)


def student(free: int) -> float:
    """The 97.5 % point of Student's t with so many degrees of freedom, at least 1."""
    return student_quantile(CHANCE, free)


@dataclass(frozen=True, slots=True, kw_only=True)
class Trust:
    """What a fit is worth: cooks, coefficients fitted, and the rms of its left-out errors, kappa units."""

    n: int
    fitted: int
    left_out: float

    @property
    def enough(self) -> bool:
        """Whether there are cooks enough for a band of the mill's own."""
        return self.n >= LEAST_COOKS and self.n - self.fitted >= LEAST_FREE

    def band(self, kappa: float) -> float:
        """Half of the 95 % band of a new cook, kappa units; the default's where the cooks are too few."""
        if not self.enough:
            return default_band(kappa)
        return student(self.n - self.fitted) * self.left_out * math.sqrt(1.0 + 1.0 / self.n)


def band_of(kappa: float, trust: Trust | None, more_sd: float = 0.0) -> float:
    """Half of the 95 % band of a foreseen kappa: by a fit, or before any; `more_sd` is what its alkali adds by chance."""
    own = default_band(kappa) if trust is None else trust.band(kappa)
    return math.hypot(own, normal_quantile(CHANCE) * more_sd)


DEFAULT_WORDS = "default constants, not fitted to this mill: most cooks fall within, none is promised"
SHORT = "95 %, default constants: none is promised"


def told(kappa: float, trust: Trust | None, more_sd: float = 0.0) -> str:
    """The band of a foreseen kappa in a few words."""
    own = trust is not None and trust.enough
    words = f"95 %, fitted to {trust.n} cooks" if own and trust else SHORT
    wider = "; wider until its liquor is titrated in time and twice" if more_sd > 0.0 else ""
    return f"± {band_of(kappa, trust, more_sd):.1f}, {words}{wider}"


@dataclass(frozen=True, slots=True, kw_only=True)
class Bias:
    """What the laboratory's kappa is over the model's on average, half of its 95 % interval, and how the errors spread about
    it, over so many cooks."""

    mean: float
    half: float
    spread: float
    n: int

    @property
    def stands(self) -> bool:
        """Whether it is more than chance would make it."""
        return abs(self.mean) > self.half


LEAST_BIASED = 5


def bias_of(errors: tuple[float, ...]) -> Bias | None:
    """The bias of errors (laboratory minus model, kappa units); None under five cooks."""
    n = len(errors)
    if n < LEAST_BIASED:
        return None
    mean = sum(errors) / n
    sd = math.sqrt(sum((e - mean) ** 2 for e in errors) / (n - 1))
    return Bias(mean=mean, half=student(n - 1) * sd / math.sqrt(n), spread=sd, n=n)


@dataclass(frozen=True, slots=True, kw_only=True)
class ErrorRow:
    """A cook left out of the fit: laboratory minus the model that did not see it."""

    error: float = quantity("Error", "kappa", possible=(-100, 100), decimals=1)


@dataclass(frozen=True, slots=True, kw_only=True)
class BandCase:
    kappa: float = quantity("Kappa foreseen", "", possible=(0, 200), above=True, valid=(10, 110), decimals=1)
    fitted: float = quantity("Coefficients fitted", "", possible=(0, 7), decimals=0, whole=True, default=0.0)
    errors: tuple[ErrorRow, ...] = rows("Cook", ErrorRow, least=0, most=400)


@dataclass(frozen=True, slots=True, kw_only=True)
class Band:
    half: float = figure(
        "95 % band, each way",
        "kappa",
        decimals=1,
        equation="t(0.975; n − p) s √(1 + 1/n), or max(4, 0.27 κ)",
    )
    s: float = figure("Left-out error, rms", "kappa", decimals=2, equation="√(Σ e²/n)")
    cautions: tuple[Caution, ...] = ()


_ERRORS = tuple({"error": e} for e in (1.2, -0.8, 2.1, -1.5, 0.4, -2.4, 1.0, 0.6, -0.9, 1.7))


@model(
    "cook.band",
    title="How far a cook may fall from its foreseen kappa",
    source="Student’s t on leave-one-out errors; before fitting a default to be calibrated",
    holds_for="8 cooks and 5 more than the coefficients at least; else the default band",
    equation="± t(0.975; n − p) s √(1 + 1/n); before fitting ± max(4, 0.27 κ)",
    basis="default",
    checks=(
        Check({"kappa": 30, "fitted": 3, "errors": _ERRORS}, "half", 3.4827, 2e-3),
        Check({"kappa": 30, "errors": ()}, "half", 8.1, 1e-3),
        Check({"kappa": 13, "errors": ()}, "half", 4.0, 1e-3),
    ),
)
def band(case: BandCase) -> Band:
    """The band of a foreseen kappa. Raises: ImpossibleInput."""
    cautions = check(case)
    n = len(case.errors)
    s = math.sqrt(sum(e.error**2 for e in case.errors) / n) if n else math.nan
    trust = Trust(n=n, fitted=int(case.fitted), left_out=s) if n else None
    if trust is None or not trust.enough:
        cautions += (Caution("errors", DEFAULT_WORDS),)
    return Band(half=band_of(case.kappa, trust), s=s, cautions=cautions)
