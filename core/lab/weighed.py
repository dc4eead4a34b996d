"""Weighings and counts as arithmetic: moisture, loads, bark, ash, solids, dirt, stickies, fines, thickness, hand sheets.

Source: shift practice, section 1.2.
"""

from dataclasses import dataclass

from scipy.special import gammaincinv

from core.errors import Caution, ImpossibleInput, Problem
from core.quantity import check, figure, quantity, rows
from core.register import Check, model
from core.unit import AIR_DRY

CACO3_LOSS, PERCENT, KM = 0.4397, 100.0, 9.80665
FEW_SPECKS = 30


def _lighter(name: str, light: float, heavy: float, than: str) -> None:
    if light >= heavy:
        raise ImpossibleInput(Problem(name, f"is {light:g} g; it must be lighter than {than}, {heavy:g} g"))


@dataclass(frozen=True, slots=True, kw_only=True)
class MoistureCase:
    wet_g: float = quantity("Wet, with its tin", "g", possible=(0, 20_000), above=True, decimals=1)
    dry_g: float = quantity("Dry, with its tin", "g", possible=(0, 20_000), above=True, decimals=1)
    tare_g: float = quantity("Tin", "g", possible=(0, 5000), decimals=1, default=0.0)


@dataclass(frozen=True, slots=True, kw_only=True)
class MoistureFound:
    wet_pct: float = figure("Moisture, wet basis", "% wet", decimals=1, equation="100 (w − d)/(w − tare)")
    dry_pct: float = figure("Moisture, dry basis", "%", decimals=1, equation="100 (w − d)/(d − tare)")
    dryness_pct: float = figure("Dryness", "%", decimals=1, equation="100 − moisture")
    cautions: tuple[Caution, ...] = ()


_CHIPS = {"wet_g": 412.6, "dry_g": 241.3, "tare_g": 35.2}


@model(
    "lab.moisture",
    title="Moisture by drying",
    source="T 258",
    holds_for="105 °C to constant mass; chips 30 to 65, bagasse 40 to 85, bales 5 to 15 % wet",
    equation="M = 100 (w − d)/(w − tare)",
    symbols="w=wet_g d=dry_g tare=tare_g",
    checks=(
        Check(_CHIPS, "wet_pct", 45.390, 2e-5),
        Check(_CHIPS, "dry_pct", 83.115, 1e-5),
        Check({"wet_g": 250.0, "dry_g": 228.6}, "dryness_pct", 91.44, 1e-5),
    ),
)
def moisture(case: MoistureCase) -> MoistureFound:
    """Raises: ImpossibleInput, also where it is heavier dry than wet."""
    cautions = check(case)
    _lighter("tare_g", case.tare_g, case.dry_g, "what is dry in it")
    if case.dry_g > case.wet_g:
        raise ImpossibleInput(Problem("dry_g", f"is {case.dry_g:g} g; it must not be over the wet, {case.wet_g:g} g"))
    wet = PERCENT * (case.wet_g - case.dry_g) / (case.wet_g - case.tare_g)
    dry = PERCENT * (case.wet_g - case.dry_g) / (case.dry_g - case.tare_g)
    return MoistureFound(wet_pct=wet, dry_pct=dry, dryness_pct=PERCENT - wet, cautions=cautions)


@dataclass(frozen=True, slots=True, kw_only=True)
class LoadCase:
    scale_t: float = quantity("On the scale", "t", possible=(0, 1000), above=True, decimals=2)
    dryness_pct: float = quantity("Dryness", "%", possible=(0, 100), above=True, decimals=2)


@dataclass(frozen=True, slots=True, kw_only=True)
class LoadFound:
    od_t: float = figure("Oven-dry", "t", decimals=3, equation="scale × dryness/100")
    ad_t: float = figure("Air-dry", "ADt", decimals=3, equation="scale × dryness/90")
    cautions: tuple[Caution, ...] = ()


@model(
    "lab.load",
    title="A load to its dry tonnes",
    source="definition",
    holds_for="dryness of the load itself",
    equation="od = scale × dryness/100",
    checks=(
        Check({"scale_t": 28.40, "dryness_pct": 54.610}, "od_t", 15.509, 1e-4),
        Check({"scale_t": 28.40, "dryness_pct": 54.610}, "ad_t", 17.233, 1e-4),
        Check({"scale_t": 24.85, "dryness_pct": 91.44}, "ad_t", 25.248, 1e-4),
    ),
)
def load(case: LoadCase) -> LoadFound:
    """Raises: ImpossibleInput."""
    cautions = check(case)
    od = case.scale_t * case.dryness_pct / PERCENT
    return LoadFound(od_t=od, ad_t=od / AIR_DRY, cautions=cautions)


@dataclass(frozen=True, slots=True, kw_only=True)
class ShareCase:
    part_g: float = quantity("The part", "g", possible=(0, 1e6), decimals=2)
    whole_g: float = quantity("Of the whole sample", "g", possible=(0, 1e6), above=True, decimals=2)


@dataclass(frozen=True, slots=True, kw_only=True)
class ShareFound:
    pct: float = figure("Share", "%", decimals=2, equation="100 × part/whole")
    cautions: tuple[Caution, ...] = ()


@model(
    "lab.share",
    title="A share by weighing",
    source="definition",
    holds_for="both dried alike: bark of wood, unusable of bales, solids of black liquor",
    equation="100 × part/whole",
    checks=(Check({"part_g": 1.8, "whole_g": 120}, "pct", 1.5, 1e-9),),
)
def share(case: ShareCase) -> ShareFound:
    """Raises: ImpossibleInput, also for a part over the whole."""
    cautions = check(case)
    if case.part_g > case.whole_g:
        raise ImpossibleInput(Problem("part_g", f"is {case.part_g:g} g; it must not be over the whole, {case.whole_g:g} g"))
    return ShareFound(pct=PERCENT * case.part_g / case.whole_g, cautions=cautions)


@dataclass(frozen=True, slots=True, kw_only=True)
class AshCase:
    crucible_g: float = quantity("Crucible", "g", possible=(0, 1000), above=True, decimals=4)
    at_525_g: float = quantity("With ash of 525 °C", "g", possible=(0, 1000), above=True, decimals=4)
    at_900_g: float = quantity("With ash of 900 °C", "g", possible=(0, 1000), decimals=4, default=0.0, help="0: not burnt on")
    pulp_g: float = quantity("Pulp, oven-dry", "g", possible=(0, 100), above=True, decimals=3)


@dataclass(frozen=True, slots=True, kw_only=True)
class AshFound:
    ash_525_pct: float = figure("Ash, 525 °C", "%", decimals=1, equation="100 × ash/od")
    ash_900_pct: float = figure("Ash, 900 °C", "%", decimals=1, equation="100 × ash/od; 0: not told")
    carbonate_pct: float = figure(
        "Carbonate on pulp, at most", "%", decimals=1, equation="(A525 − A900)/0.4397; clay loses too"
    )
    cautions: tuple[Caution, ...] = ()


_ASH = {"crucible_g": 22.4186, "at_525_g": 22.8342, "at_900_g": 22.7011, "pulp_g": 4.102}


@model(
    "lab.ash",
    title="Ash at 525 and 900 °C",
    source="T 211, ISO 1762; T 413, ISO 2144",
    holds_for="virgin pulp under 1, recovered 3 to 25 %",
    equation="A = 100 (crucible with ash − crucible)/od",
    checks=(
        Check(_ASH, "ash_525_pct", 10.132, 1e-4),
        Check(_ASH, "ash_900_pct", 6.887, 1e-4),
        Check(_ASH, "carbonate_pct", 7.379, 3e-4),
    ),
)
def ash(case: AshCase) -> AshFound:
    """Raises: ImpossibleInput, also for a crucible heavier than with its ash, and ash that grows by burning on."""
    cautions = check(case)
    _lighter("crucible_g", case.crucible_g, case.at_525_g, "with its ash")
    a = PERCENT * (case.at_525_g - case.crucible_g) / case.pulp_g
    if case.at_900_g == 0.0:
        return AshFound(ash_525_pct=a, ash_900_pct=0.0, carbonate_pct=0.0, cautions=cautions)
    if not case.crucible_g <= case.at_900_g <= case.at_525_g:
        told = f"is {case.at_900_g:g} g; it must be {case.crucible_g:g} to {case.at_525_g:g} g"
        raise ImpossibleInput(Problem("at_900_g", told))
    b = PERCENT * (case.at_900_g - case.crucible_g) / case.pulp_g
    return AshFound(ash_525_pct=a, ash_900_pct=b, carbonate_pct=(a - b) / CACO3_LOSS, cautions=cautions)


@dataclass(frozen=True, slots=True, kw_only=True)
class DirtCase:
    small: float = quantity("Specks of 0.05 mm²", "", possible=(0, 10_000), decimals=0, whole=True, default=0.0)
    middle: float = quantity("Specks of 0.12 mm²", "", possible=(0, 10_000), decimals=0, whole=True, default=0.0)
    large: float = quantity("Specks of 0.45 mm²", "", possible=(0, 10_000), decimals=0, whole=True, default=0.0)
    area_m2: float = quantity("Sheet looked at", "m²", possible=(0, 100), above=True, decimals=3)
    gsm: float = quantity("Basis weight", "g/m²", possible=(5, 2000), decimals=0, default=62.0)


@dataclass(frozen=True, slots=True, kw_only=True)
class DirtFound:
    ppm: float = figure("Dirt", "ppm", decimals=1, equation="Σ n a/area")
    mm2_kg: float = figure("Dirt by mass", "mm²/kg", decimals=1, equation="ppm/(kg/m²)")
    least: float = figure("Specks, at least", "", decimals=1, equation="χ²(0.025, 2n)/2")
    most: float = figure("Specks, at most", "", decimals=1, equation="χ²(0.975, 2n + 2)/2")
    cautions: tuple[Caution, ...] = ()


_DIRT = {"small": 14, "middle": 6, "large": 2, "area_m2": 0.24, "gsm": 62}


@model(
    "lab.dirt",
    title="Dirt by counting",
    source="T 213, T 437, ISO 5350 idea",
    holds_for="counts by size class; under thirty specks the interval comes first",
    equation="ppm = Σ n a/area",
    checks=(
        Check(_DIRT, "ppm", 9.667, 1e-4),
        Check(_DIRT, "mm2_kg", 155.9, 3e-4),
        Check(_DIRT, "least", 13.8, 3e-3),
        Check(_DIRT, "most", 33.3, 2e-3),
    ),
)
def dirt(case: DirtCase) -> DirtFound:
    """Raises: ImpossibleInput."""
    cautions = check(case)
    n = case.small + case.middle + case.large
    ppm = (0.05 * case.small + 0.12 * case.middle + 0.45 * case.large) / case.area_m2
    least = float(gammaincinv(n, 0.025)) if n else 0.0
    most = float(gammaincinv(n + 1.0, 0.975))
    if n < FEW_SPECKS:
        cautions += (Caution("area_m2", f"{n:.0f} specks: the count lies between {least:.1f} and {most:.1f}"),)
    return DirtFound(ppm=ppm, mm2_kg=ppm / (case.gsm / 1000.0), least=least, most=most, cautions=cautions)


@dataclass(frozen=True, slots=True, kw_only=True)
class StickiesCase:
    area_mm2: float = quantity("Stickies on the filter", "mm²", possible=(0, 1e6), decimals=0)
    pulp_g: float = quantity("Pulp, oven-dry", "g", possible=(0, 1000), above=True, decimals=1, default=50.0)


@dataclass(frozen=True, slots=True, kw_only=True)
class StickiesFound:
    mm2_kg: float = figure("Stickies", "mm²/kg", decimals=0, equation="area × 1000/od")
    cautions: tuple[Caution, ...] = ()


@model(
    "lab.stickies",
    title="Macro stickies by slot",
    source="T 277 idea, slots of 0.10 to 0.15 mm",
    holds_for="50 to 5000 mm²/kg after the pulper",
    equation="area × 1000/od",
    checks=(Check({"area_mm2": 148, "pulp_g": 50}, "mm2_kg", 2960, 1e-9),),
)
def stickies(case: StickiesCase) -> StickiesFound:
    """Raises: ImpossibleInput."""
    return StickiesFound(cautions=check(case), mm2_kg=1000.0 * case.area_mm2 / case.pulp_g)


@dataclass(frozen=True, slots=True, kw_only=True)
class FinesCase:
    stock_g: float = quantity("Stock", "g", possible=(0, 5000), above=True, decimals=0, default=500.0)
    cons_pct: float = quantity("Consistency", "%", possible=(0.01, 10), decimals=2)
    kept_g: float = quantity("Kept on the wire, oven-dry", "g", possible=(0, 100), decimals=3)


@dataclass(frozen=True, slots=True, kw_only=True)
class FinesFound:
    fines_pct: float = figure("Fines", "%", decimals=1, equation="100 (W C/100 − kept)/(W C/100)")
    cautions: tuple[Caution, ...] = ()


@model(
    "lab.fines",
    title="Fines by the jar",
    source="T 261",
    holds_for="2 to 50 %",
    equation="100 (W C/100 − kept)/(W C/100)",
    checks=(Check({"stock_g": 500, "cons_pct": 0.5, "kept_g": 1.86}, "fines_pct", 25.6, 1e-9),),
)
def fines(case: FinesCase) -> FinesFound:
    """Raises: ImpossibleInput, also for more kept than there was."""
    cautions = check(case)
    there = case.stock_g * case.cons_pct / PERCENT
    if case.kept_g > there:
        raise ImpossibleInput(Problem("kept_g", f"is {case.kept_g:g} g; there was {there:.3g} g"))
    return FinesFound(fines_pct=PERCENT * (there - case.kept_g) / there, cautions=cautions)


@dataclass(frozen=True, slots=True, kw_only=True)
class Slot:
    from_mm: float = quantity("From", "mm", possible=(0, 100), decimals=1)
    mass_g: float = quantity("Mass", "g", possible=(0, 1e6), decimals=0)


@dataclass(frozen=True, slots=True, kw_only=True)
class ThicknessCase:
    slots: tuple[Slot, ...] = rows("Slot", Slot, least=2, most=12)


@dataclass(frozen=True, slots=True, kw_only=True)
class ThicknessFound:
    mean_mm: float = figure("Mean thickness", "mm", decimals=1, equation="Σ m mid/Σ m; the last as wide as the one before")
    cautions: tuple[Caution, ...] = ()


_SLOTS = [{"from_mm": x, "mass_g": m} for x, m in ((0, 120), (2, 980), (4, 2150), (6, 1240), (8, 330), (10, 90))]


@model(
    "lab.thickness",
    title="Mean thickness of chips",
    source="slotted screens",
    holds_for="3 to 7 mm",
    equation="Σ m mid/Σ m",
    checks=(Check({"slots": _SLOTS}, "mean_mm", 5.387, 1e-4),),
)
def thickness(case: ThicknessCase) -> ThicknessFound:
    """Raises: ImpossibleInput, also for slots that do not grow, or nothing on them."""
    cautions = check(case)
    edges = [s.from_mm for s in case.slots]
    if any(b <= a for a, b in zip(edges, edges[1:], strict=False)):
        raise ImpossibleInput(Problem("slots", "must be given from the thinnest up"))
    whole = sum(s.mass_g for s in case.slots)
    if whole <= 0.0:
        raise ImpossibleInput(Problem("slots", "hold nothing"))
    widths = [b - a for a, b in zip(edges, edges[1:], strict=False)]
    widths.append(widths[-1])
    mean = sum(s.mass_g * (s.from_mm + w / 2.0) for s, w in zip(case.slots, widths, strict=True)) / whole
    return ThicknessFound(mean_mm=mean, cautions=cautions)


@dataclass(frozen=True, slots=True, kw_only=True)
class HandsheetCase:
    mass_g: float = quantity("Sheet, conditioned", "g", possible=(0, 100), above=True, decimals=3)
    area_m2: float = quantity("Area", "m²", possible=(0, 1), above=True, decimals=4, default=0.02)
    dryness_pct: float = quantity("Dryness", "%", possible=(50, 100), decimals=1, default=93.2)
    force_n: float = quantity("Tensile force", "N", possible=(0, 1000), decimals=1)
    width_mm: float = quantity("Strip", "mm", possible=(1, 100), decimals=0, default=15.0)
    thickness_um: float = quantity("Thickness", "µm", possible=(1, 2000), decimals=0)


@dataclass(frozen=True, slots=True, kw_only=True)
class HandsheetFound:
    gsm: float = figure("Basis weight", "g/m²", decimals=1, equation="m/A")
    tensile_kn_m: float = figure("Tensile strength", "kN/m", decimals=3, equation="F/width")
    index: float = figure("Tensile index, conditioned", "N·m/g", decimals=1, equation="S/g")
    index_dry: float = figure("Tensile index, on oven-dry", "N·m/g", decimals=1, equation="index/(dryness/100)")
    breaking_km: float = figure("Breaking length", "km", decimals=3, equation="index/9.80665")
    bulk: float = figure("Bulk", "cm³/g", decimals=3, equation="thickness/g")
    cautions: tuple[Caution, ...] = ()


_SHEET = {"mass_g": 1.268, "force_n": 52.6, "thickness_um": 94}


@model(
    "lab.handsheet",
    title="A hand sheet’s strength",
    source="T 205, T 220, ISO 5269, ISO 1924",
    holds_for="eight strips or more; houses divide by conditioned or by oven-dry: both are told",
    equation="index = S/g",
    checks=(
        Check(_SHEET, "gsm", 63.40, 1e-4),
        Check(_SHEET, "tensile_kn_m", 3.507, 1e-4),
        Check(_SHEET, "index", 55.31, 1e-4),
        Check(_SHEET, "index_dry", 59.35, 1e-4),
        Check(_SHEET, "breaking_km", 5.640, 1e-4),
        Check(_SHEET, "bulk", 1.483, 3e-4),
    ),
)
def handsheet(case: HandsheetCase) -> HandsheetFound:
    """Raises: ImpossibleInput."""
    cautions = check(case)
    gsm = case.mass_g / case.area_m2
    strength = case.force_n / case.width_mm
    index = 1000.0 * strength / gsm
    return HandsheetFound(
        gsm=gsm,
        tensile_kn_m=strength,
        index=index,
        index_dry=index / (case.dryness_pct / PERCENT),
        breaking_km=index / KM,
        bulk=case.thickness_um / gsm,
        cautions=cautions,
    )
