"""The tests a shift enters by their result: unit, digits, repeatability and what is plausible.

Source: shift practice, section 1.2; repeatability limits are desk defaults, not quotations from the methods.
"""

import math
from dataclasses import dataclass
from typing import Final

from core.errors import Caution, ImpossibleInput, Problem

COARSE_FROM_PCT = 6.0


@dataclass(frozen=True, slots=True, kw_only=True)
class LabTest:
    """One test. `ordinary` guards against a slip (accept after a second look), `possible` refuses."""

    key: str
    name: str
    unit: str
    decimals: int
    r_abs: float
    r_rel_pct: float
    ordinary: tuple[float, float]
    possible: tuple[float, float]
    method: str
    step: float = 0.0

    def digits(self, value: float) -> int:
        """Decimals of a reported value: consistency loses one from 6 % on."""
        return 1 if self.key == "consistency" and value >= COARSE_FROM_PCT else self.decimals

    def shown(self, value: float) -> float:
        """The value in the steps that the test reports (half away from zero); freeness above 100 in fives."""
        step = self.step if self.step and value > 100.0 else 10.0 ** -self.digits(value)
        return math.copysign(math.floor(abs(value) / step + 0.5) * step, value)


def _t(
    key: str,
    name: str,
    unit: str,
    decimals: int,
    r: tuple[float, float],
    o: tuple[float, float],
    p: tuple[float, float],
    method: str,
    step: float = 0.0,
) -> LabTest:
    return LabTest(
        key=key,
        name=name,
        unit=unit,
        decimals=decimals,
        r_abs=r[0],
        r_rel_pct=r[1],
        ordinary=o,
        possible=p,
        method=method,
        step=step,
    )


TESTS: Final = {
    t.key: t
    for t in (
        _t("consistency", "Consistency", "%", 2, (0.05, 3), (0.2, 40), (0.001, 60), "T 240, ISO 4119"),
        _t("moisture", "Moisture", "% wet", 1, (1.0, 0), (5, 85), (0, 99.9), "T 258, wet basis"),
        _t("pith", "Pith", "%", 1, (1.0, 0), (2, 30), (0, 100), "jar"),
        _t("kappa", "Kappa", "", 1, (0.4, 2), (1, 110), (0.1, 200), "T 236, ISO 302"),
        _t("residual_alkali", "Residual alkali", "g/L NaOH", 1, (0.3, 4), (1, 20), (0, 80), "SCAN-N 33 idea"),
        _t("soda_loss", "Soda loss", "kg/ADt Na₂SO₄", 1, (0.5, 8), (1, 40), (0, 500), "sodium in the mat"),
        _t("freeness", "Freeness", "mL CSF", 0, (10, 2), (30, 750), (0, 1000), "T 227, ISO 5267-2", 5.0),
        _t("brightness", "Brightness", "% ISO", 1, (1.0, 0), (20, 95), (0, 100), "ISO 2470-1, T 525"),
        _t("dirt", "Dirt", "ppm", 1, (1.0, 0), (0, 50), (0, 100_000), "T 213 idea"),
        _t("stickies", "Stickies", "mm²/kg", 0, (0, 20), (0, 5000), (0, 1_000_000), "T 277 idea"),
        _t("shives", "Shives", "%", 2, (0.1, 0), (0, 5), (0, 100), "slotted screen"),
        _t("sand", "Sand", "%", 2, (0.1, 0), (0, 5), (0, 100), "jar"),
        _t("ash", "Ash", "%", 1, (0.1, 3), (0, 40), (0, 100), "T 211, 525 °C"),
        _t("ph", "pH", "", 1, (0.1, 0), (2, 12.5), (0, 14), "electrode"),
        _t("residual_clo2", "ClO₂ left", "g/L", 3, (0.005, 10), (0, 0.3), (0, 20), "iodometric titration"),
        _t("residual_peroxide", "Peroxide left", "g/L", 2, (0.05, 5), (0, 5), (0, 100), "iodometric titration"),
        _t("white_liquor", "Effective alkali", "g/L NaOH", 1, (1.0, 1.5), (70, 130), (0, 250), "SCAN-N 30 idea"),
        _t("ink", "Ink, 950 nm", "ppm", 0, (0, 10), (0, 2000), (0, 100_000), "reflectance"),
        _t("unusable", "Unusable", "%", 1, (0.5, 0), (0, 15), (0, 100), "hand sorted"),
        _t("gain", "Flotation gain", "points", 1, (1.0, 0), (0, 25), (-50, 80), "brightness out less in"),
        _t("drop", "Pressure drop", "kPa", 0, (4.0, 0), (5, 250), (0, 400), "two gauges, the same height"),
        _t("temperature", "Temperature", "°C", 0, (1.0, 0), (5, 95), (0, 180), "probe"),
    )
}


def plausible(test: LabTest, value: float) -> tuple[Caution, ...]:
    """Refuse an impossible result, caution on an unusual one. Raises: ImpossibleInput naming field `value`."""
    low, high = test.possible
    unit = f" {test.unit}" if test.unit else ""
    if not (math.isfinite(value) and low <= value <= high):
        raise ImpossibleInput(Problem("value", f"is {value:g}{unit}; {test.name.lower()} must be {low:g} to {high:g}{unit}"))
    if not test.ordinary[0] <= value <= test.ordinary[1]:
        text = f"{value:g}{unit} is unusual: {test.ordinary[0]:g} to {test.ordinary[1]:g}{unit} is ordinary"
        return (Caution("value", text),)
    return ()
