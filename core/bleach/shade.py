"""The colour of pulp as registered models: from kappa, and of a mix. Source: Kubelka and Munk 1931; the lignin rule is a
default."""

from dataclasses import dataclass

from core.colour import brightness_from_ks, ks_from_kappa, ks_from_reflectance, mix_ks, swatch
from core.errors import Caution
from core.quantity import check, choice, figure, quantity
from core.register import Check, model


def _rgb(hex_colour: str) -> tuple[float, float, float]:
    return float(int(hex_colour[1:3], 16)), float(int(hex_colour[3:5], 16)), float(int(hex_colour[5:7], 16))


@dataclass(frozen=True, slots=True, kw_only=True)
class KappaCase:
    kappa: float = quantity("Kappa", "", possible=(0, 200), valid=(0.5, 110), decimals=1)
    look: str = choice("Seen", ("dry pad", "wet"), default="dry pad")


@dataclass(frozen=True, slots=True, kw_only=True)
class KappaColour:
    iso_pct: float = figure("Brightness", "% ISO", decimals=1, equation="100 (1 + K/S − √((K/S)² + 2 K/S))")
    ks: float = figure("K/S at 457 nm", "", decimals=4, equation="0.030 κ/(1 + (3.5/κ)^1.36)")
    red: float = figure("Red on the screen", "0 to 255", decimals=0, equation="K/S exp(−0.0105 × 155), to sRGB")
    green: float = figure("Green", "0 to 255", decimals=0, equation="K/S exp(−0.0105 × 93), to sRGB")
    blue: float = figure("Blue", "0 to 255", decimals=0, equation="K/S, to sRGB")
    cautions: tuple[Caution, ...] = ()


@model(
    "colour.of_kappa",
    title="Colour of unbleached or delignified pulp",
    source="Kubelka and Munk 1931; absorption of lignin default, to be calibrated",
    holds_for="chemical pulp without dye, ink or whitener",
    equation="K/S = 0.030 κ/(1 + (3.5/κ)^1.36)",
    symbols="κ=kappa K/S=ks",
    basis="default",
    checks=(
        Check({"kappa": 90}, "ks", 2.6678, 5e-3),
        Check({"kappa": 28}, "iso_pct", 30.5, 5e-3),
        Check({"kappa": 10}, "iso_pct", 50.5, 5e-3),
        Check({"kappa": 1.5}, "iso_pct", 86.3, 5e-3),
        Check({"kappa": 90}, "red", 0xA5, 7e-3),
        Check({"kappa": 90, "look": "wet"}, "red", 0x8A, 8e-3),
    ),
)
def of_kappa(case: KappaCase) -> KappaColour:
    """Raises: ImpossibleInput."""
    cautions = check(case)
    ks = ks_from_kappa(case.kappa)
    red, green, blue = _rgb(swatch(ks, wet=case.look == "wet").hex)
    return KappaColour(iso_pct=brightness_from_ks(ks), ks=ks, red=red, green=green, blue=blue, cautions=cautions)


@dataclass(frozen=True, slots=True, kw_only=True)
class MixCase:
    share_pct: float = quantity("First pulp", "% of the mass", possible=(0, 100), decimals=0)
    iso_a: float = quantity("its brightness", "% ISO", possible=(1, 99), decimals=1)
    s_a: float = quantity("its scattering", "m²/kg", possible=(1, 300), valid=(20, 60), decimals=0)
    iso_b: float = quantity("The other's brightness", "% ISO", possible=(1, 99), decimals=1)
    s_b: float = quantity("its scattering", "m²/kg", possible=(1, 300), valid=(20, 60), decimals=0)


@dataclass(frozen=True, slots=True, kw_only=True)
class MixColour:
    iso_pct: float = figure("Brightness of the mix", "% ISO", decimals=2, equation="of its K/S")
    ks: float = figure("K/S of the mix", "", decimals=5, equation="Σ w s K/S / Σ w s")
    straight_pct: float = figure("a straight mean would say", "% ISO", decimals=1, equation="Σ w ISO: wrong")
    cautions: tuple[Caution, ...] = ()


@model(
    "colour.mix",
    title="Brightness of a mix",
    source="Kubelka and Munk 1931: mixing by scattered light",
    holds_for="without fluorescent whitener",
    equation="K/S = Σ(w s K/S)/Σ(w s)",
    checks=(
        Check({"share_pct": 70, "iso_a": 88, "s_a": 32, "iso_b": 60, "s_b": 55}, "ks", 0.061267, 3e-3),
        Check({"share_pct": 70, "iso_a": 88, "s_a": 32, "iso_b": 60, "s_b": 55}, "iso_pct", 70.59, 3e-3),
    ),
)
def mix(case: MixCase) -> MixColour:
    """Raises: ImpossibleInput."""
    cautions = check(case)
    f = case.share_pct / 100.0
    ks = mix_ks(
        ((f, case.s_a, ks_from_reflectance(case.iso_a / 100.0)), (1.0 - f, case.s_b, ks_from_reflectance(case.iso_b / 100.0)))
    )
    return MixColour(
        iso_pct=brightness_from_ks(ks), ks=ks, straight_pct=f * case.iso_a + (1.0 - f) * case.iso_b, cautions=cautions
    )
