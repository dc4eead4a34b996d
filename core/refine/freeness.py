"""Freeness between its two scales: Canadian standard (mL) and Schopper-Riegler (degrees)."""

from dataclasses import dataclass

from core.errors import Caution
from core.quantity import check, figure, quantity
from core.register import Check, model
from core.roots import brentq

SR_LOW, SR_HIGH = 10.0, 90.0
_SOURCE = "cubic fitted to the customary chart (read to 10 mL); methods ISO 5267-1 and -2, TAPPI T 227"
_RANGE = "10 to 90 °SR; allow ± 2 °SR or ± 25 mL between instruments and furnishes; fines-rich stock deviates most"


def csf_of(sr: float) -> float:
    """mL CSF of degrees SR, 10 to 90: 1041.44 − 28.109 SR + 0.28621 SR² − 0.0011088 SR³ (falling throughout)."""
    return 1041.44 - 28.109 * sr + 0.28621 * sr**2 - 0.0011088 * sr**3


CSF_LOW, CSF_HIGH = csf_of(SR_HIGH), csf_of(SR_LOW)


def sr_of(csf_ml: float) -> float:
    """Degrees SR of mL CSF, by bracketing. Raises: ValueError outside 10 to 90 °SR."""
    return brentq(lambda sr: csf_of(sr) - csf_ml, SR_LOW, SR_HIGH, xtol=1e-12)


@dataclass(frozen=True, slots=True, kw_only=True)
class SrCase:
    sr: float = quantity("Schopper-Riegler", "°SR", possible=(SR_LOW, SR_HIGH), valid=(12, 85), decimals=1)


@dataclass(frozen=True, slots=True, kw_only=True)
class CsfFound:
    csf_ml: float = figure("Canadian standard freeness", "mL", decimals=0, equation="cubic of the chart")
    cautions: tuple[Caution, ...] = ()


@dataclass(frozen=True, slots=True, kw_only=True)
class CsfCase:
    csf_ml: float = quantity(
        "Canadian standard freeness", "mL", possible=(round(CSF_LOW, 1), round(CSF_HIGH, 1)), valid=(30, 720), decimals=0
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class SrFound:
    sr: float = figure("Schopper-Riegler", "°SR", decimals=1, equation="the cubic turned round, by bracketing")
    cautions: tuple[Caution, ...] = ()


@model(
    "refine.csf_of_sr",
    title="Degrees SR to mL CSF",
    source=_SOURCE,
    holds_for=_RANGE,
    equation="CSF = 1041.44 − 28.109 SR + 0.28621 SR² − 0.0011088 SR³",
    symbols="CSF=csf_ml SR=sr",
    basis="default",
    checks=tuple(
        Check({"sr": sr}, "csf_ml", wanted, 1e-3) for sr, wanted in ((20, 584.9), (30, 425.8), (40, 304.1), (50, 212.9))
    ),
)
def freeness_of_sr(case: SrCase) -> CsfFound:
    """Canadian freeness of a Schopper-Riegler figure. Raises: ImpossibleInput.

    Worked: 30 °SR is 425.8 mL.
    """
    return CsfFound(csf_ml=csf_of(case.sr), cautions=check(case))


@model(
    "refine.sr_of_csf",
    title="mL CSF to degrees SR",
    source=_SOURCE,
    holds_for=_RANGE,
    equation="CSF = 1041.44 − 28.109 SR + 0.28621 SR² − 0.0011088 SR³, solved for SR",
    symbols="CSF=csf_ml SR=sr",
    basis="default",
    checks=tuple(
        Check({"csf_ml": csf}, "sr", wanted, 2e-3) for csf, wanted in ((600, 19.17), (420, 30.42), (300, 40.39), (150, 59.27))
    ),
)
def sr_of_freeness(case: CsfCase) -> SrFound:
    """Schopper-Riegler figure of a Canadian freeness. Raises: ImpossibleInput.

    Worked: 420 mL is 30.42 °SR.
    """
    cautions = check(case)
    return SrFound(sr=sr_of(min(max(case.csf_ml, CSF_LOW), CSF_HIGH)), cautions=cautions)
