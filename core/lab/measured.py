"""Readings brought to their standard: freeness, brightness and its ageing, viscosity, electrodes, soda in a mat, retention.

The corrections of freeness are smooth stand-ins for the printed tables of the methods: raw and corrected always stand together.
Source: shift practice, section 1.2.
"""

import math
from dataclasses import dataclass
from typing import Final

from scipy.special import stdtrit

from core.errors import Caution, ImpossibleInput, Problem
from core.quantity import check, figure, quantity, rows
from core.register import Check, model
from core.roots import brentq
from core.unit import AIR_DRY

CSF_AT: Final = ((0.25, 0.35), (17.0, 30.0))  # corrected only within these
SR_AT: Final = ((0.18, 0.22), (17.0, 25.0))
NA_TO_SULPHATE, DENSITY, PERCENT = 3.0892, 1.052, 100.0
NERNST, KELVIN, AT_25 = 59.16, 273.15, 298.15


def _outside(within: tuple[tuple[float, float], ...], cons: float, temp: float) -> tuple[Caution, ...]:
    (c0, c1), (t0, t1) = within
    if c0 <= cons <= c1 and t0 <= temp <= t1:
        return ()
    return (Caution("cons_pct", f"is corrected only from {c0:g} to {c1:g} % and {t0:g} to {t1:g} °C: repeat it"),)


@dataclass(frozen=True, slots=True, kw_only=True)
class CsfCase:
    read_ml: float = quantity("Freeness as read", "mL", possible=(0, 1000), valid=(30, 750), decimals=0)
    cons_pct: float = quantity("Consistency", "%", possible=(0.05, 1), valid=(0.25, 0.35), decimals=3, default=0.3)
    temp_c: float = quantity("Temperature", "°C", possible=(2, 60), valid=(17, 30), decimals=1, default=20.0)


@dataclass(frozen=True, slots=True, kw_only=True)
class CsfFound:
    csf_ml: float = figure(
        "Freeness, 0.30 % and 20 °C", "mL CSF", decimals=0, equation="F + 9 S (C − 0.30)/0.01 − 3.5 S (T − 20)"
    )
    for_cons: float = figure("of it for consistency", "mL", decimals=2)
    for_temp: float = figure("of it for temperature", "mL", decimals=2)
    cautions: tuple[Caution, ...] = ()


@model(
    "lab.csf",
    title="Canadian standard freeness, corrected",
    source="T 227, ISO 5267-2; smooth stand-in for the printed table",
    holds_for="0.25 to 0.35 %, 17 to 30 °C; outside it is repeated",
    equation="S = 4 (F/850)(1 − F/850)",
    basis="default",
    checks=(
        Check({"read_ml": 432, "cons_pct": 0.312, "temp_c": 22.5}, "csf_ml", 434.05, 1e-4),
        Check({"read_ml": 432, "cons_pct": 0.312, "temp_c": 22.5}, "for_cons", 10.80, 1e-3),
        Check({"read_ml": 432, "cons_pct": 0.312, "temp_c": 22.5}, "for_temp", -8.75, 1e-3),
        Check({"read_ml": 118, "cons_pct": 0.295, "temp_c": 18.0}, "csf_ml", 119.20, 1e-4),
    ),
)
def csf(case: CsfCase) -> CsfFound:
    """Raises: ImpossibleInput."""
    cautions = check(case) + _outside(CSF_AT, case.cons_pct, case.temp_c)
    s = 4.0 * (case.read_ml / 850.0) * (1.0 - case.read_ml / 850.0)
    by_cons, by_temp = 9.0 * s * (case.cons_pct - 0.30) / 0.01, -3.5 * s * (case.temp_c - 20.0)
    return CsfFound(csf_ml=case.read_ml + by_cons + by_temp, for_cons=by_cons, for_temp=by_temp, cautions=cautions)


@dataclass(frozen=True, slots=True, kw_only=True)
class SrCase:
    side_ml: float = quantity("From the side spout", "mL", possible=(0, 1000), decimals=0)
    cons_pct: float = quantity("Consistency", "%", possible=(0.05, 1), valid=(0.18, 0.22), decimals=3, default=0.2)
    temp_c: float = quantity("Temperature", "°C", possible=(2, 60), valid=(17, 25), decimals=1, default=20.0)


@dataclass(frozen=True, slots=True, kw_only=True)
class SrFound:
    raw: float = figure("As read", "°SR", decimals=1, equation="(1000 − V)/10")
    sr: float = figure("Schopper-Riegler, 0.20 % and 20 °C", "°SR", decimals=1, equation="SR − 0.7 S ΔC/0.01 + 0.35 S ΔT")
    cautions: tuple[Caution, ...] = ()


@model(
    "lab.sr",
    title="Schopper-Riegler, corrected",
    source="ISO 5267-1; smooth stand-in for the printed table",
    holds_for="0.18 to 0.22 %, 17 to 25 °C",
    equation="SR = (1000 − V)/10",
    basis="default",
    checks=(
        Check({"side_ml": 642, "cons_pct": 0.204, "temp_c": 21.5}, "raw", 35.8, 1e-9),
        Check({"side_ml": 642, "cons_pct": 0.204, "temp_c": 21.5}, "sr", 36.03, 1e-3),
    ),
)
def sr(case: SrCase) -> SrFound:
    """Raises: ImpossibleInput."""
    cautions = check(case) + _outside(SR_AT, case.cons_pct, case.temp_c)
    raw = (1000.0 - case.side_ml) / 10.0
    s = 4.0 * (raw / 100.0) * (1.0 - raw / 100.0)
    told = raw - 0.7 * s * (case.cons_pct - 0.200) / 0.01 + 0.35 * s * (case.temp_c - 20.0)
    return SrFound(raw=raw, sr=told, cautions=cautions)


@dataclass(frozen=True, slots=True, kw_only=True)
class Pad:
    iso_pct: float = quantity("Reading", "% ISO", possible=(0, 110), decimals=1)


@dataclass(frozen=True, slots=True, kw_only=True)
class PadsCase:
    readings: tuple[Pad, ...] = rows("Reading", Pad, least=4, most=12)


@dataclass(frozen=True, slots=True, kw_only=True)
class PadsFound:
    iso_pct: float = figure("Brightness", "% ISO", decimals=1, equation="mean of both sides")
    sd: float = figure("Spread (sd)", "", decimals=2)
    half: float = figure("Mean within ± (95 %)", "", decimals=2, equation="t s/√n")
    cautions: tuple[Caution, ...] = ()


_PADS = [{"iso_pct": x} for x in (84.2, 84.5, 84.1, 84.4, 83.9, 84.3)]


@model(
    "lab.brightness",
    title="Brightness of a pad",
    source="ISO 2470-1, T 525",
    holds_for="four readings or more, both sides; spread over 0.5: remake the pad",
    equation="mean ± t s/√n",
    checks=(
        Check({"readings": _PADS}, "iso_pct", 84.233, 1e-5),
        Check({"readings": _PADS}, "sd", 0.2160, 1e-3),
        Check({"readings": _PADS}, "half", 0.2267, 1e-3),
    ),
)
def pads(case: PadsCase) -> PadsFound:
    """Raises: ImpossibleInput."""
    cautions = check(case)
    told = [p.iso_pct for p in case.readings]
    n, mean = len(told), sum(told) / len(told)
    sd = math.sqrt(sum((x - mean) ** 2 for x in told) / (n - 1))
    if sd > 0.5:
        cautions += (Caution("readings", f"scatter by {sd:.2f}: remake the pad"),)
    return PadsFound(iso_pct=mean, sd=sd, half=float(stdtrit(n - 1, 0.975)) * sd / math.sqrt(n), cautions=cautions)


@dataclass(frozen=True, slots=True, kw_only=True)
class PostColourCase:
    fresh_pct: float = quantity("Brightness, fresh", "% ISO", possible=(0, 100), above=True, decimals=1)
    aged_pct: float = quantity("Brightness, aged", "% ISO", possible=(0, 100), above=True, decimals=1)


@dataclass(frozen=True, slots=True, kw_only=True)
class PostColourFound:
    number: float = figure("Post-colour number", "", decimals=2, equation="100 (k/s aged − k/s fresh)")
    cautions: tuple[Caution, ...] = ()


@model(
    "lab.post_colour",
    title="Post-colour number",
    source="Kubelka-Munk",
    holds_for="the same pad, aged by the mill's own procedure",
    equation="k/s = (1 − R)²/(2 R)",
    checks=(Check({"fresh_pct": 84.2, "aged_pct": 80.9}, "number", 0.772, 1e-3),),
)
def post_colour(case: PostColourCase) -> PostColourFound:
    """Raises: ImpossibleInput."""
    cautions = check(case)
    fresh, aged = ((1.0 - r / PERCENT) ** 2 / (2.0 * r / PERCENT) for r in (case.fresh_pct, case.aged_pct))
    return PostColourFound(number=PERCENT * (aged - fresh), cautions=cautions)


@dataclass(frozen=True, slots=True, kw_only=True)
class ViscosityCase:
    constant: float = quantity("Constant of the viscometer", "1/s", possible=(0, 10), above=True, decimals=4)
    seconds: float = quantity("Flow time", "s", possible=(0, 10_000), above=True, decimals=1)
    g_ml: float = quantity("Concentration", "g/mL", possible=(0, 0.1), above=True, decimals=5)


@dataclass(frozen=True, slots=True, kw_only=True)
class ViscosityFound:
    ratio: float = figure("Viscosity ratio", "", decimals=3, equation="h t")
    x: float = figure("Concentration × viscosity", "", decimals=3, equation="x 10^(0.13 x) = ratio − 1; 3.0 ± 0.4 wanted")
    ml_g: float = figure("Intrinsic viscosity", "mL/g", decimals=0, equation="x/ρ")
    dp: float = figure("DP, for information", "", decimals=0, equation="[η]/0.42, or ([η]/2.28)^(1/0.76) over 399")
    cautions: tuple[Caution, ...] = ()


_VISC = {"constant": 0.0955, "seconds": 88.1, "g_ml": 0.00300}


@model(
    "lab.viscosity",
    title="Intrinsic viscosity in cupriethylenediamine",
    source="ISO 5351, Martin's equation",
    holds_for="concentration × viscosity 3.0 ± 0.4; conversions to DP differ twofold: never judge on it",
    equation="x 10^(0.13 x) = h t − 1",
    checks=(
        Check(_VISC, "ratio", 8.4135, 1e-4),
        Check(_VISC, "x", 3.0106, 1e-4),
        Check(_VISC, "ml_g", 1003.5, 1e-4),
    ),
)
def viscosity(case: ViscosityCase) -> ViscosityFound:
    """Raises: ImpossibleInput, also for a solution that runs like its solvent."""
    cautions = check(case)
    ratio = case.constant * case.seconds
    if ratio <= 1.0:
        raise ImpossibleInput(Problem("seconds", f"gives a ratio of {ratio:.3f}; it must be over 1"))
    x = brentq(lambda v: v * 10.0 ** (0.13 * v) - (ratio - 1.0), 0.0, 50.0, xtol=1e-12)
    if not 2.6 <= x <= 3.4:
        cautions += (Caution("g_ml", f"concentration × viscosity is {x:.2f}; 2.6 to 3.4 is wanted: weigh anew"),)
    ml_g = x / case.g_ml
    dp = ml_g / 0.42 if ml_g <= 399.0 else (ml_g / 2.28) ** (1.0 / 0.76)
    return ViscosityFound(ratio=ratio, x=x, ml_g=ml_g, dp=dp, cautions=cautions)


@dataclass(frozen=True, slots=True, kw_only=True)
class CapillaryCase:
    constant: float = quantity("Constant of the capillary", "", possible=(0, 10), above=True, decimals=4)
    seconds: float = quantity("Flow time", "s", possible=(0, 10_000), above=True, decimals=1)


@dataclass(frozen=True, slots=True, kw_only=True)
class CapillaryFound:
    mpa_s: float = figure("Capillary viscosity", "mPa·s", decimals=1, equation="C t d, d = 1.052")
    cautions: tuple[Caution, ...] = ()


@model(
    "lab.capillary",
    title="Capillary viscosity",
    source="T 230",
    holds_for="5 to 40 mPa·s",
    equation="V = C t d",
    checks=(Check({"constant": 0.0982, "seconds": 148.6}, "mpa_s", 15.35, 1e-3),),
)
def capillary(case: CapillaryCase) -> CapillaryFound:
    """Raises: ImpossibleInput."""
    return CapillaryFound(cautions=check(case), mpa_s=case.constant * case.seconds * DENSITY)


@dataclass(frozen=True, slots=True, kw_only=True)
class ElectrodeCase:
    first_mv: float = quantity("In the first buffer", "mV", possible=(-1000, 1000), decimals=1)
    second_mv: float = quantity("In the second", "mV", possible=(-1000, 1000), decimals=1)
    first_ph: float = quantity("pH of the first buffer", "", possible=(0, 14), decimals=2, default=4.01)
    second_ph: float = quantity("of the second", "", possible=(0, 14), decimals=2, default=7.0)
    temp_c: float = quantity("Temperature", "°C", possible=(0, 100), decimals=1, default=25.0)


@dataclass(frozen=True, slots=True, kw_only=True)
class ElectrodeFound:
    slope_pct: float = figure("Slope", "%", decimals=2, equation="ΔE/ΔpH over 59.16 (273.15 + T)/298.15")
    cautions: tuple[Caution, ...] = ()


@model(
    "lab.electrode",
    title="Slope of a pH electrode",
    source="Nernst",
    holds_for="95 to 102 good, 92 to 95 clean it, under 92 do not use it",
    equation="100 (E1 − E2)/(pH2 − pH1)/[59.16 (273.15 + T)/298.15]",
    checks=(Check({"first_mv": 172.1, "second_mv": -3.9, "temp_c": 23}, "slope_pct", 100.17, 1e-4),),
)
def electrode(case: ElectrodeCase) -> ElectrodeFound:
    """Raises: ImpossibleInput, also for one buffer twice."""
    cautions = check(case)
    if case.first_ph == case.second_ph:
        raise ImpossibleInput(Problem("second_ph", f"is {case.second_ph:g}, as the first; two buffers are needed"))
    slope = (case.first_mv - case.second_mv) / (case.second_ph - case.first_ph)
    told = PERCENT * slope / (NERNST * (KELVIN + case.temp_c) / AT_25)
    if not 95.0 <= told <= 102.0:
        what = "do not use it" if told < 92.0 else "clean it"
        cautions += (Caution("first_mv", f"gives a slope of {told:.1f} %: {what}"),)
    return ElectrodeFound(slope_pct=told, cautions=cautions)


@dataclass(frozen=True, slots=True, kw_only=True)
class ConductivityCase:
    ms_cm: float = quantity("Conductivity as read", "mS/cm", possible=(0, 1000), decimals=2)
    temp_c: float = quantity("Temperature", "°C", possible=(0, 120), valid=(5, 80), decimals=0)


@dataclass(frozen=True, slots=True, kw_only=True)
class ConductivityFound:
    at_25: float = figure("Conductivity at 25 °C", "mS/cm", decimals=2, equation="k/[1 + 0.02 (T − 25)]")
    cautions: tuple[Caution, ...] = ()


@model(
    "lab.conductivity",
    title="Conductivity at 25 °C",
    source="two per cent a degree",
    holds_for="5 to 80 °C",
    equation="k25 = k/[1 + 0.02 (T − 25)]",
    checks=(Check({"ms_cm": 6.9, "temp_c": 58}, "at_25", 4.157, 1e-3),),
)
def conductivity(case: ConductivityCase) -> ConductivityFound:
    """Raises: ImpossibleInput."""
    return ConductivityFound(cautions=check(case), at_25=case.ms_cm / (1.0 + 0.02 * (case.temp_c - 25.0)))


@dataclass(frozen=True, slots=True, kw_only=True)
class SodaLossCase:
    na_g_l: float = quantity("Sodium in the mat's liquor", "g/L", possible=(0, 100), decimals=3)
    cons_pct: float = quantity("Consistency of the mat", "%", possible=(1, 60), decimals=1)


@dataclass(frozen=True, slots=True, kw_only=True)
class SodaLossFound:
    kg_adt: float = figure("Soda loss, as Na₂SO₄", "kg/ADt", decimals=1, equation="Na × 3.0892 × 0.9 (100 − C)/C")
    cautions: tuple[Caution, ...] = ()


@model(
    "lab.soda_loss",
    title="Soda loss of a mat",
    source="flame test of sodium",
    holds_for="3 to 15 kg/ADt",
    equation="Na × 3.0892 × W",
    checks=(Check({"na_g_l": 0.41, "cons_pct": 12.5}, "kg_adt", 7.979, 1e-4),),
)
def soda_loss(case: SodaLossCase) -> SodaLossFound:
    """Raises: ImpossibleInput."""
    cautions = check(case)
    water = AIR_DRY * (PERCENT - case.cons_pct) / case.cons_pct
    return SodaLossFound(kg_adt=case.na_g_l * NA_TO_SULPHATE * water, cautions=cautions)


@dataclass(frozen=True, slots=True, kw_only=True)
class RetentionCase:
    headbox_pct: float = quantity("Headbox", "%", possible=(0, 5), above=True, decimals=3)
    tray_pct: float = quantity("White water under the wire", "%", possible=(0, 5), decimals=3)


@dataclass(frozen=True, slots=True, kw_only=True)
class RetentionFound:
    pct: float = figure("First-pass retention", "%", decimals=1, equation="100 (1 − tray/headbox)")
    cautions: tuple[Caution, ...] = ()


@model(
    "lab.retention",
    title="First-pass retention, by two consistencies",
    source="shortcut without the flow ratio",
    holds_for="50 to 98 %",
    equation="100 (1 − C tray/C headbox)",
    checks=(Check({"headbox_pct": 0.8, "tray_pct": 0.2}, "pct", 75.0, 1e-9),),
)
def retention(case: RetentionCase) -> RetentionFound:
    """Raises: ImpossibleInput, also for a tray thicker than the headbox."""
    cautions = check(case)
    if case.tray_pct > case.headbox_pct:
        raise ImpossibleInput(Problem("tray_pct", f"is {case.tray_pct:g} %; it must not be over the headbox"))
    return RetentionFound(pct=PERCENT * (1.0 - case.tray_pct / case.headbox_pct), cautions=cautions)


@dataclass(frozen=True, slots=True, kw_only=True)
class ChargeCase:
    titrant_ml: float = quantity("Titrant, minus for an anionic one", "mL", possible=(-100, 100), decimals=2)
    normality: float = quantity("Titrant", "eq/L", possible=(0, 1), above=True, decimals=5, default=0.001)
    sample_ml: float = quantity("Sample", "mL", possible=(0, 1000), above=True, decimals=1, default=10.0)


@dataclass(frozen=True, slots=True, kw_only=True)
class ChargeFound:
    ueq_l: float = figure("Charge demand", "µeq/L", decimals=0, equation="V N × 1 000 000/sample")
    cautions: tuple[Caution, ...] = ()


@model(
    "lab.charge",
    title="Charge demand by titration",
    source="streaming current",
    holds_for="the sign is kept",
    equation="V N 10⁶/sample",
    checks=(Check({"titrant_ml": 1.5, "normality": 0.001, "sample_ml": 10}, "ueq_l", 150.0, 1e-9),),
)
def charge(case: ChargeCase) -> ChargeFound:
    """Raises: ImpossibleInput."""
    return ChargeFound(cautions=check(case), ueq_l=1e6 * case.titrant_ml * case.normality / case.sample_ml)
