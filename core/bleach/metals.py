"""Metals before a peroxide stage: manganese that is taken out, magnesium that stays, and what their ratio wants.

Source: chelation as the stage models have it (section 7); magnesium leaves the fibre to acid water as from an ion exchanger,
and a molar ratio of magnesium to manganese of some 30 or more keeps peroxide stable: both defaults to be calibrated.
"""

import math
from dataclasses import dataclass

from core.bleach.ceilings import CEILING
from core.bleach.line import Bleached
from core.bleach.stages import MN_ALKALINE, Pulp, Setting, metal_factor, run
from core.errors import Caution
from core.quantity import check, figure, quantity
from core.register import Check, model

MG_G_MOL, MN_G_MOL, SALT_G_MOL = 24.305, 54.938, 246.47  # the last of MgSO4 · 7 H2O
MG_PPM = 300.0  # of brown stock, default
MG_HALF_PH, MG_STEEP = 4.8, 1.2
WANTED_RATIO = 30.0
PEROXIDE = ("P", "PO", "EP", "EOP")


@dataclass(frozen=True, slots=True, kw_only=True)
class MetalsCase:
    mn_ppm: float = quantity("Manganese that comes", "ppm", possible=(0, 300), valid=(0, 80), decimals=1, default=MN_ALKALINE)
    mg_ppm: float = quantity("Magnesium that comes", "ppm", possible=(0, 3000), valid=(50, 800), decimals=0, default=MG_PPM)
    chelant_kg: float = quantity("Chelant", "kg/ODt", possible=(0, CEILING["Q"]), valid=(0, 4), decimals=1, default=0.0)
    minutes: float = quantity("Time", "min", possible=(0, 1000), valid=(0, 120), decimals=0, default=45.0)
    ph: float = quantity("pH, and of the water after it", "", possible=(0, 14), valid=(2, 8), decimals=1)
    mgso4_kg: float = quantity("MgSO₄·7H₂O added", "kg/ODt", possible=(0, 40), valid=(0, 10), decimals=1, default=0.0)
    wanted: float = quantity("Ratio wanted", "mol/mol", possible=(1, 500), valid=(20, 100), decimals=0, default=WANTED_RATIO)


@dataclass(frozen=True, slots=True, kw_only=True)
class Metals:
    """A ratio without manganese is endless."""

    ratio: float = figure("Magnesium to manganese", "mol/mol", decimals=0, equation="(Mg/24.305)/(Mn/54.938)")
    mn_out: float = figure("Manganese into peroxide", "ppm", decimals=1, equation="Mn (1 − 0.97 h (1 − exp(−kg/0.35)))")
    mg_out: float = figure("Magnesium into peroxide", "ppm", decimals=0, equation="Mg/(1 + 10^(1.2 (4.8 − pH))) + added")
    mgso4_for: float = figure(
        "MgSO₄·7H₂O for the ratio",
        "kg/ODt",
        decimals=1,
        equation="246.47 (ratio Mn/54.938 − Mg/24.305)",
    )
    works_pct: float = figure("Of peroxide’s work, left", "%", decimals=0, equation="100/(1 + Mn/30)")
    cautions: tuple[Caution, ...] = ()


@model(
    "bleach.metals",
    title="Magnesium and manganese before peroxide",
    source="chelation of the stage models; magnesium’s hold on the fibre and the ratio are defaults to be calibrated",
    holds_for="pH 2 to 8, one wash after it; metals by analysis of the pulp",
    equation="ratio = (Mg/24.305)/(Mn/54.938), wanted 30 or more",
    symbols="Mg=mg_out Mn=mn_out ratio=ratio",
    calibrated_by=("mn_ppm", "mg_ppm", "wanted"),
    basis="default",
    checks=(
        Check({"mn_ppm": 60, "mg_ppm": 300, "chelant_kg": 1.5, "minutes": 45, "ph": 5.8}, "mn_out", 3.9093, 5e-3),
        Check({"mn_ppm": 60, "mg_ppm": 300, "chelant_kg": 1.5, "minutes": 45, "ph": 5.8}, "ratio", 163.17, 5e-3),
        Check({"mn_ppm": 60, "mg_ppm": 300, "ph": 5.8}, "mgso4_for", 5.213, 5e-3),
        Check({"mn_ppm": 60, "mg_ppm": 300, "ph": 5.8, "mgso4_kg": 5.213}, "ratio", 30.0, 2e-3),
        Check({"mn_ppm": 60, "mg_ppm": 300, "ph": 2.0}, "mg_out", 300.0 / (1.0 + 10.0 ** (1.2 * 2.8)), 1e-6),
    ),
)
def metals(case: MetalsCase) -> Metals:
    """What chelation and the water leave of the metals, and the magnesium sulphate that their ratio wants.

    Raises: ImpossibleInput.
    """
    cautions = check(case)
    setting = Setting(charge=case.chelant_kg, minutes=case.minutes, temp_c=65.0, ph=case.ph)
    mn = run("Q", Pulp(kappa=1.0, ks=0.01, mn=case.mn_ppm), setting).pulp.mn if case.chelant_kg > 0.0 else case.mn_ppm
    held = case.mg_ppm / (1.0 + 10.0 ** (MG_STEEP * (MG_HALF_PH - case.ph)))
    mg = held + 1000.0 * case.mgso4_kg * MG_G_MOL / SALT_G_MOL
    ratio = (mg / MG_G_MOL) / (mn / MN_G_MOL) if mn > 0.0 else math.inf
    if ratio < case.wanted:
        told = f"magnesium to manganese {ratio:.0f} is under {case.wanted:g}: peroxide decomposes and takes viscosity with it"
        cautions += (Caution("mgso4_kg", told),)
    return Metals(
        ratio=ratio,
        mn_out=mn,
        mg_out=mg,
        mgso4_for=max(0.0, SALT_G_MOL * (case.wanted * mn / MN_G_MOL - held / MG_G_MOL) / 1000.0),
        works_pct=100.0 * metal_factor(mn),
        cautions=cautions,
    )


def metals_case(done: Bleached) -> tuple[str, MetalsCase] | None:
    """The first peroxide stage of a sequence, and the metals that come to it: through its chelation where one stands before it,
    else by the acid or alkali of the stage before. None without peroxide, or where it comes first."""
    steps = done.steps
    at = next((i for i, s in enumerate(steps) if s.stage.name in PEROXIDE and s.setting.charge > 0.0), 0)
    if at == 0:
        return None
    chelated = next((s for s in steps[:at] if s.stage.name == "Q"), None)
    if chelated is not None:
        q = chelated.setting
        case = MetalsCase(mn_ppm=chelated.into.mn, chelant_kg=q.charge, minutes=q.minutes, ph=q.ph)
    else:
        case = MetalsCase(mn_ppm=steps[at].into.mn, ph=min(8.0, steps[at - 1].setting.ph))
    return steps[at].stage.name, case
