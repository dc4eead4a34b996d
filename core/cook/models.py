"""The cook's questions that take plain numbers, registered: kraft and soda by the kinetic model, its empirical stand-in,
rejects."""

import math
from dataclasses import dataclass
from typing import Final

from core.cook import kinetic
from core.cook.profile import profile_of
from core.cook.species import NAMES, SPECIES
from core.errors import Caution, ImpossibleInput, Infeasible, Problem, beside
from core.heat import CP_FIBRE, CP_LIQUOR, CP_WATER, STEAM_MOST_BAR, h_evaporation, h_liquid, t_saturation
from core.quantity import check, choice, figure, quantity
from core.register import Check, model

REJECTS: Final = {
    "softwood": (1.0, 30.0, 10.0),
    "hardwood": (1.0, 20.0, 6.0),
    "bagasse": (1.5, 16.0, 6.0),
    "sulphite": (1.5, 25.0, 10.0),
    "linerboard": (3.0, 90.0, 20.0),
}
REJECTS_BY = "x/(1 + x/15), x = r exp((kappa − k)/w)(1 + 0.10 max(0, over-thick − 6))"
YIELD_BY = "lignin, carbohydrate and gum left, % of oven-dry wood"
MOST_REJECTS = 15.0  # % on wood, whatever the kappa
BROWN_KAPPA = 55.0  # above it a softwood pulp is for brown grades, refined before the screens
EMPIRICAL: Final = {  # A, B, n, y0, y1, y2
    "softwood": (276.1, 51.13, 0.1409, 44.99, 0.1169, -0.1554),
    "hardwood": (110.9, 16.84, 0.2294, 50.24, 0.1339, -0.0908),
}
EMPIRICAL_VALID: Final = {"softwood": ((16.5, 19.5), (900.0, 2200.0)), "hardwood": ((15.5, 18.0), (450.0, 1200.0))}
H_LOW, H_HIGH = 100.0, 4000.0


def rejects_pct(kind: str, kappa: float, over_thick_pct: float = 0.0) -> float:
    """Rejects, % on wood: x/(1 + x/15), x = r exp((kappa − k)/w)(1 + 0.10 max(0, OT − 6)); defaults to be calibrated."""
    r, k, w = REJECTS[kind]
    x = r * math.exp(min(50.0, (kappa - k) / w)) * (1.0 + 0.10 * max(0.0, over_thick_pct - 6.0))
    return float(x / (1.0 + x / MOST_REJECTS))


def kappa_by_h(kind: str, h: float, ea_pct_naoh: float) -> float:
    """Empirical kappa (Hatton 1973 form): A − B log10 H EAⁿ."""
    a, b, n, *_ = EMPIRICAL[kind]
    return float(a - b * math.log10(h) * ea_pct_naoh**n)


def h_step(kind: str, h: float, ea_pct_naoh: float) -> float:
    """dH for one kappa: −H ln 10/(B EAⁿ)."""
    _, b, n, *_ = EMPIRICAL[kind]
    return float(-h * math.log(10.0) / (b * ea_pct_naoh**n))


@dataclass(frozen=True, slots=True, kw_only=True)
class AlkalineCase:
    species: str = choice("Wood or plant", NAMES, help="constants other than softwood's are defaults")
    ea_pct_naoh: float = quantity("EA on wood", "% NaOH", possible=(0, 30), above=True, valid=(12, 24), decimals=1)
    sulphidity_pct: float = quantity("Sulphidity, of AA", "%", possible=(0, 60), valid=(0, 45), decimals=0, help="0 is soda")
    lw_m3_t: float = quantity(
        "Liquor to wood", "m³/t", possible=(2, 12), valid=(2.8, 6), decimals=1, help="all free liquid, chip water counted"
    )
    start_c: float = quantity("Start", "°C", possible=(-10, 200), valid=(40, 110), decimals=0, default=80.0)
    rise_min: float = quantity("Rise", "min", possible=(0, 600), above=True, valid=(20, 180), decimals=0)
    cook_c: float = quantity("Cooking temperature", "°C", possible=(60, 200), valid=(140, 180), decimals=1)
    hold_min: float = quantity("At temperature", "min", possible=(0, 900), valid=(0, 400), decimals=0)
    aq_pct: float = quantity("Anthraquinone", "% on wood", possible=(0, 0.5), valid=(0, 0.15), decimals=2, default=0.0)
    over_thick_pct: float = quantity("Over-thick chips", "%", possible=(0, 100), valid=(0, 20), decimals=1, default=6.0)


@dataclass(frozen=True, slots=True, kw_only=True)
class AlkalineFound:
    kappa: float = figure("Kappa", "", decimals=1, equation="100 L/(L + C + gum)/0.15 + hexenuronic share")
    yield_pct: float = figure("Total yield", "%", decimals=1, equation=YIELD_BY)
    screened_pct: float = figure("Screened yield", "%", decimals=1, equation="total yield − rejects")
    rejects: float = figure("Rejects", "% on wood", decimals=2, equation=REJECTS_BY)
    residual_g_l: float = figure("Residual alkali", "g/L NaOH", decimals=1, equation="40 × alkali left, mol/L")
    h: float = figure("H-factor", "", decimals=0, equation="∫ exp(43.20 − 16115/T) dt")
    viscosity_ml_g: float = figure("Viscosity", "mL/g", decimals=0, equation="1/(1/mu0 + a OH G)")
    cautions: tuple[Caution, ...] = ()


_RANGE = (
    "EA 12 to 24 % NaOH, sulphidity 0 to 45 %, L/W 2.8 to 6, 80 to 180 °C, kappa 10 to 110; until fitted most cooks fall "
    "within 0.27 of the kappa, none is promised"
)
_SOURCE = "parallel pools after Gustafson et al. 1983, Ind. Eng. Chem. Process Des. Dev. 22:87; constants are defaults"


def _alkaline(
    species: str, times: tuple[float, float, float], cook_c: float, ea: float, s: float, lw: float, aq: float = 0.0
) -> dict[str, float | str]:
    return {
        "species": species,
        "start_c": times[0],
        "rise_min": times[1],
        "hold_min": times[2],
        "cook_c": cook_c,
        "ea_pct_naoh": ea,
        "sulphidity_pct": s,
        "lw_m3_t": lw,
        "aq_pct": aq,
    }


def _three(given: dict[str, float | str], kappa: float, total: float, residual: float) -> tuple[Check, ...]:
    return tuple(Check(given, f, w, 1e-3) for f, w in (("kappa", kappa), ("yield_pct", total), ("residual_g_l", residual)))


@model(
    "cook.alkaline",
    title="Kraft or soda cook, start, rise and hold",
    source=_SOURCE,
    holds_for=_RANGE,
    equation="dLi/dt = −M ki(T) e(OH, a) Li; dCi/dt = −ki(T) e(OH, a) Ci; dn/dt = 10 (aL dL/dt + aC dC/dt + aG dG/dt)",
    calibrated_by=(),
    basis="default",
    checks=(
        *_three(_alkaline("softwood", (80, 90, 90), 170, 18.5, 30, 4), 28.621, 45.498, 10.75),
        *_three(_alkaline("softwood", (80, 90, 75), 170, 18.5, 30, 4), 33.786, 46.126, 11.172),
        *_three(_alkaline("softwood", (80, 90, 90), 170, 18.5, 0, 4), 45.566, 46.633, 11.245),
        *_three(_alkaline("larch", (80, 90, 90), 170, 19.5, 30, 4), 29.911, 41.836, 11.263),
        *_three(_alkaline("hemlock", (80, 90, 90), 170, 18.5, 30, 4), 30.673, 44.637, 10.605),
        *_three(_alkaline("hardwood", (80, 90, 47), 165, 17.5, 25, 4), 20.001, 51.387, 9.5774),
        *_three(_alkaline("eucalypt", (80, 90, 47), 165, 17.5, 28, 4), 18.863, 50.937, 7.8728),
        *_three(_alkaline("bamboo", (80, 90, 55), 165, 17.5, 22, 4), 20.276, 47.237, 7.0525),
        *_three(_alkaline("bagasse", (80, 40, 25), 165, 14, 0, 5), 14.445, 53.324, 6.8389),
        *_three(_alkaline("straw", (80, 40, 20), 160, 14, 0, 5), 17.988, 50.499, 6.0302),
        *_three(_alkaline("softwood", (80, 90, 90), 170, 18.5, 0, 4, 0.1), 31.044, 45.654, 10.816),
    ),
)
def alkaline_cook(case: AlkalineCase) -> AlkalineFound:
    """Kappa, yield and residual alkali of a kraft, soda or soda-AQ cook. Raises: ImpossibleInput."""
    cautions = check(case)
    charge = kinetic.Charge(
        ea_pct_naoh=case.ea_pct_naoh, sulphidity_pct=case.sulphidity_pct, lw_m3_t=case.lw_m3_t, aq_pct=case.aq_pct
    )
    result = kinetic.cook(case.species, charge, profile_of(case.start_c, case.rise_min, case.cook_c, case.hold_min))
    rejects = min(result.yield_pct, rejects_pct(SPECIES[case.species].kind, result.kappa, case.over_thick_pct))
    return AlkalineFound(
        kappa=result.kappa,
        yield_pct=result.yield_pct,
        screened_pct=result.yield_pct - rejects,
        rejects=rejects,
        residual_g_l=result.residual_g_l,
        h=result.h,
        viscosity_ml_g=result.viscosity_ml_g,
        cautions=beside(cautions + result.cautions, lambda field: "cook_c" if field == "points" else field),
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class EmpiricalCase:
    kind: str = choice("Wood", ("softwood", "hardwood"))
    h: float = quantity("H-factor", "", possible=(1, 20_000), valid=(300, 2200), decimals=0)
    ea_pct_naoh: float = quantity("EA on wood", "% NaOH", possible=(0, 30), above=True, valid=(15, 20), decimals=1)


@dataclass(frozen=True, slots=True, kw_only=True)
class EmpiricalFound:
    kappa: float = figure("Kappa", "", decimals=1, equation="A − B log10 H EAⁿ")
    yield_pct: float = figure("Total yield", "%", decimals=1, equation="y0 + y1 kappa + y2 EA")
    h_a_kappa: float = figure("H for one kappa less", "", decimals=1, equation="H ln 10/(B EAⁿ)")
    cautions: tuple[Caution, ...] = ()


def _by_h(kind: str, h: float, ea: float) -> dict[str, float | str]:
    return {"kind": kind, "h": h, "ea_pct_naoh": ea}


@model(
    "cook.empirical",
    title="Kappa and yield by H and charge",
    source="form of Hatton 1973, 1976; constants fitted to the kinetic model, to be calibrated",
    holds_for="softwood EA 16.5 to 19.5, H 900 to 2200, kappa 22 to 48; hardwood EA 15.5 to 18, H 450 to 1200, to 28",
    equation="κ = A − B log10 H · EA^n",
    symbols="κ=kappa H=h EA=ea_pct_naoh",
    basis="default",
    checks=(
        Check(_by_h("softwood", 1575, 18.5), "kappa", 29.495, 3e-3),
        Check(_by_h("softwood", 1575, 18.5), "yield_pct", 45.563, 3e-3),
        Check(_by_h("softwood", 1200, 19), "kappa", 37.71, 3e-3),
        Check(_by_h("softwood", 1200, 19), "yield_pct", 46.446, 3e-3),
        Check(_by_h("hardwood", 600, 17.5), "kappa", 20.691, 3e-3),
        Check(_by_h("hardwood", 600, 17.5), "yield_pct", 51.421, 3e-3),
        Check(_by_h("hardwood", 750, 16.5), "kappa", 18.796, 3e-3),
        Check(_by_h("hardwood", 750, 16.5), "yield_pct", 51.259, 3e-3),
    ),
)
def empirical(case: EmpiricalCase) -> EmpiricalFound:
    """Kappa of H and EA by the line. It has no floor: outside its range it falls where a cook would not. Raises:
    ImpossibleInput."""
    cautions = check(case)
    (ea_low, ea_high), (h_low, h_high) = EMPIRICAL_VALID[case.kind]
    if not (ea_low <= case.ea_pct_naoh <= ea_high and h_low <= case.h <= h_high):
        cautions += (
            Caution(
                "h",
                f"the {case.kind} line holds for EA {ea_low:g} to {ea_high:g} and H {h_low:g} to {h_high:g}; it has "
                f"no floor beyond",
            ),
        )
    kappa = kappa_by_h(case.kind, case.h, case.ea_pct_naoh)
    _, _, _, y0, y1, y2 = EMPIRICAL[case.kind]
    return EmpiricalFound(
        kappa=kappa,
        yield_pct=y0 + y1 * kappa + y2 * case.ea_pct_naoh,
        h_a_kappa=-h_step(case.kind, case.h, case.ea_pct_naoh),
        cautions=cautions,
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class LineHCase:
    kind: str = choice("Wood", ("softwood", "hardwood"))
    kappa: float = quantity("Kappa wanted", "", possible=(0, 200), above=True, valid=(14.5, 48), decimals=1)
    ea_pct_naoh: float = quantity("EA on wood", "% NaOH", possible=(0, 30), above=True, valid=(15, 20), decimals=1)


@dataclass(frozen=True, slots=True, kw_only=True)
class LineH:
    h: float = figure("H-factor", "", decimals=0, equation="10^((A − κ)/(B EAⁿ))")
    cautions: tuple[Caution, ...] = ()


@model(
    "cook.empirical_h",
    title="H-factor for a kappa, by the line",
    source="form of Hatton 1973, 1976; constants fitted to the kinetic model, to be calibrated",
    holds_for="as the line of H and charge; H 100 to 4000",
    equation="H = 10^((A − κ)/(B EA^n))",
    symbols="κ=kappa H=h EA=ea_pct_naoh",
    basis="default",
    checks=(Check({"kind": "softwood", "kappa": 28, "ea_pct_naoh": 18.5}, "h", 1646.9, 3e-3),),
)
def empirical_h(case: LineHCase) -> LineH | Infeasible:
    """H for a kappa at a charge. Infeasible outside H 100 to 4000. Raises: ImpossibleInput."""
    cautions = check(case)
    a, b, n, *_ = EMPIRICAL[case.kind]
    power = (a - case.kappa) / (b * case.ea_pct_naoh**n)
    end = H_LOW if power < math.log10(H_LOW) else H_HIGH if power > math.log10(H_HIGH) else None
    if end is not None:
        at = kappa_by_h(case.kind, end, case.ea_pct_naoh)
        return Infeasible(
            field="kappa",
            reason=f"{case.kappa:g} is not reached at H {H_LOW:g} to {H_HIGH:g}; {end:g} gives {at:.1f}",
            nearest=at,
        )
    return LineH(h=10.0**power, cautions=cautions)


@dataclass(frozen=True, slots=True, kw_only=True)
class RejectsCase:
    kind: str = choice("Pulp", tuple(REJECTS))
    kappa: float = quantity("Kappa", "", possible=(0, 200), above=True, valid=(10, 60), decimals=1)
    over_thick_pct: float = quantity("Over-thick chips", "%", possible=(0, 100), valid=(0, 20), decimals=1, default=6.0)


@dataclass(frozen=True, slots=True, kw_only=True)
class RejectsFound:
    rejects: float = figure("Rejects", "% on wood", decimals=2, equation=REJECTS_BY)
    cautions: tuple[Caution, ...] = ()


@model(
    "cook.rejects",
    title="Knots and rejects",
    source="exponential in kappa, bounded by 15 %; r, k, w are defaults to be calibrated",
    holds_for="kappa 10 to 60, linerboard to 110, over-thick to 20 %",
    equation="R = x/(1 + x/15), x = r exp((κ − k)/w)(1 + 0.10 (OT − 6))",
    symbols="R=rejects κ=kappa OT=over_thick_pct",
    basis="default",
    checks=(
        Check({"kind": "softwood", "kappa": 28, "over_thick_pct": 10}, "rejects", 1.0649, 2e-3),
        Check({"kind": "softwood", "kappa": 40, "over_thick_pct": 10}, "rejects", 3.0355, 2e-3),
        Check({"kind": "softwood", "kappa": 90, "over_thick_pct": 10}, "rejects", 14.612, 2e-3),
        Check({"kind": "linerboard", "kappa": 90}, "rejects", 2.5, 2e-3),
        Check({"kind": "linerboard", "kappa": 110}, "rejects", 5.2828, 2e-3),
        Check({"kind": "hardwood", "kappa": 18, "over_thick_pct": 5}, "rejects", 0.68386, 2e-3),
        Check({"kind": "hardwood", "kappa": 24, "over_thick_pct": 5}, "rejects", 1.7239, 2e-3),
        Check({"kind": "bagasse", "kappa": 16}, "rejects", 1.3636, 2e-3),
        Check({"kind": "sulphite", "kappa": 25}, "rejects", 1.3636, 2e-3),
    ),
)
def rejects(case: RejectsCase) -> RejectsFound:
    """Rejects on wood. Raises: ImpossibleInput."""
    cautions = check(case)
    if case.kind == "softwood" and case.kappa > BROWN_KAPPA:
        cautions += (Caution("kind", "not the row for this grade: above kappa 55 take linerboard, refined before the screens"),)
    return RejectsFound(cautions=cautions, rejects=rejects_pct(case.kind, case.kappa, case.over_thick_pct))


@dataclass(frozen=True, slots=True, kw_only=True)
class BatchCase:
    digesters: float = quantity("Digesters", "", possible=(1, 60), decimals=0, whole=True)
    volume_m3: float = quantity("Volume of each", "m³", possible=(1, 1000), valid=(20, 450), decimals=0)
    packing_t_m3: float = quantity(
        "Packing",
        "t OD/m³",
        possible=(0.05, 0.4),
        valid=(0.15, 0.22),
        decimals=3,
        help="gravity 0.15 to 0.18, steam packed 0.18 to 0.22",
    )
    screened_pct: float = quantity("Screened yield", "%", possible=(1, 100), valid=(35, 60), decimals=1)
    cycle_min: float = quantity("Cycle", "min", possible=(10, 5000), valid=(120, 900), decimals=0)


@dataclass(frozen=True, slots=True, kw_only=True)
class BatchFound:
    wood_t: float = figure("Wood a cook", "t OD", decimals=1, equation="volume × packing")
    adt_cook: float = figure("Pulp a cook", "ADt", decimals=1, equation="wood × yield / 0.9")
    adt_day: float = figure("Pulp a day", "ADt/d", decimals=0, equation="digesters × pulp a cook × 1440 / cycle")
    apart_min: float = figure("Starts apart", "min", decimals=0, equation="cycle / digesters")
    cautions: tuple[Caution, ...] = ()


@model(
    "cook.batch",
    title="Batch digesters: pulp a day",
    source="balance",
    holds_for="packing 0.15 to 0.22 t OD/m³",
    equation="ADt/d = N V p Y/0.9 · 1440/C",
    symbols="ADt/d=adt_day N=digesters V=volume_m3 p=packing_t_m3 Y=screened_pct C=cycle_min",
    checks=tuple(
        Check({"digesters": 6, "volume_m3": 200, "packing_t_m3": 0.19, "screened_pct": 46.5, "cycle_min": 260}, f, w, 2e-3)
        for f, w in (("wood_t", 38), ("adt_cook", 19.633), ("adt_day", 652.43))
    ),
)
def batch(case: BatchCase) -> BatchFound:
    """What so many digesters make. Raises: ImpossibleInput."""
    cautions = check(case)
    wood = case.volume_m3 * case.packing_t_m3
    adt = wood * case.screened_pct / 100.0 / 0.9
    return BatchFound(
        wood_t=wood,
        adt_cook=adt,
        adt_day=case.digesters * adt * 1440.0 / case.cycle_min,
        apart_min=case.cycle_min / case.digesters,
        cautions=cautions,
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class QuenchCase:
    fibre_t: float = quantity("Fibre", "t", possible=(0, 1000), decimals=1)
    liquor_t: float = quantity("Liquor", "t", possible=(0, 10_000), decimals=1)
    hot_c: float = quantity("Cook at", "°C", possible=(0, 200), valid=(100, 180), decimals=0)
    filtrate_t: float = quantity("Filtrate", "t", possible=(0, 10_000), decimals=1)
    filtrate_c: float = quantity("Filtrate at", "°C", possible=(0, 150), valid=(40, 100), decimals=0)


@dataclass(frozen=True, slots=True, kw_only=True)
class QuenchFound:
    mixed_c: float = figure("After mixing", "°C", decimals=1, equation="Σ m c T / Σ m c")
    rate_left_pct: float = figure(
        "Rate left", "% of cook's", decimals=2, equation="100 × exp(−16115/T) over the same at the cook"
    )
    cautions: tuple[Caution, ...] = ()


@model(
    "cook.quench",
    title="Stopping a cook with cold filtrate",
    source="heat balance; c 1.40 fibre, 3.90 liquor, 4.10 filtrate kJ/kg K",
    holds_for="stopped when the rate is under 1 % of the cook's, about 120 °C from 170",
    equation="T = Σ m c T / Σ m c",
    basis="published",
    checks=(Check({"fibre_t": 20, "liquor_t": 60, "hot_c": 168, "filtrate_t": 70, "filtrate_c": 75}, "mixed_c", 119.38, 2e-3),),
)
def quench(case: QuenchCase) -> QuenchFound | Infeasible:
    """Temperature after cold filtrate meets a hot cook, and whether it stops it. Raises: ImpossibleInput."""
    from core.cook.profile import STOPPED, h_rate
    from core.heat import CP_FIBRE, CP_FILTRATE, CP_LIQUOR

    cautions = check(case)
    hot = case.fibre_t * CP_FIBRE + case.liquor_t * CP_LIQUOR
    cold = case.filtrate_t * CP_FILTRATE
    if hot + cold <= 0.0:
        return Infeasible(field="fibre_t", reason="and liquor and filtrate are all 0: nothing is mixed")
    mixed = (hot * case.hot_c + cold * case.filtrate_c) / (hot + cold)
    left = h_rate(mixed) / h_rate(case.hot_c)
    if left > STOPPED:
        cautions += (Caution("filtrate_t", f"the cook goes on at {100 * left:.1f} % of its rate: more or colder filtrate"),)
    return QuenchFound(mixed_c=mixed, rate_left_pct=100.0 * left, cautions=cautions)


@dataclass(frozen=True, slots=True, kw_only=True)
class SteamCase:
    rise_c: float = quantity("Temperature rise", "°C", possible=(0, 180), above=True, valid=(40, 120), decimals=0)
    u_pct: float = quantity("Chip moisture, dry basis", "%", possible=(0, 400), valid=(30, 200), decimals=0)
    liquor_t_t: float = quantity("Liquor", "t/t OD", possible=(0, 12), valid=(1, 6), decimals=2)
    loss_mj_t: float = quantity("Losses", "MJ/t OD", possible=(0, 1000), valid=(40, 120), decimals=0, default=0.0)
    steam_bar_abs: float = quantity("Steam", "bar abs", possible=(1, STEAM_MOST_BAR), valid=(4, 14), decimals=1, default=11.0)
    final_c: float = quantity("Final temperature", "°C", possible=(20, 200), valid=(100, 180), decimals=0, default=170.0)


@dataclass(frozen=True, slots=True, kw_only=True)
class SteamFound:
    q_mj_t: float = figure("Heat", "MJ/t OD", decimals=0, equation="(1.40 + 4.18 u + 3.90 m) ΔT + losses")
    direct_t_t: float = figure("Direct steam", "t/t OD", decimals=3, equation="q/(h of steam − h of water at the end)")
    indirect_t_t: float = figure("Indirect steam", "t/t OD", decimals=3, equation="q/heat of evaporation")
    cautions: tuple[Caution, ...] = ()


@model(
    "cook.steam",
    title="Heat and steam of a cook",
    source="heat balance with steam tables (fits within 0.02 %)",
    holds_for="steam hotter than the cook; reaction heat left out",
    equation="q = (1.40 + 4.18 u + 3.90 m) ΔT + loss",
    symbols="q=q_mj_t u=u_pct m=liquor_t_t ΔT=rise_c loss=loss_mj_t",
    basis="published",
    checks=(
        Check({"rise_c": 90, "u_pct": 100, "liquor_t_t": 3}, "q_mj_t", 1555.2, 2e-3),
        Check({"rise_c": 90, "u_pct": 100, "liquor_t_t": 3, "loss_mj_t": 60}, "direct_t_t", 0.7835, 5e-3),
    ),
)
def steam(case: SteamCase) -> SteamFound:
    """Heat and steam to raise a charge. Raises: ImpossibleInput when the steam is not hotter than the end."""
    cautions = check(case)
    at = t_saturation(case.steam_bar_abs)
    if at <= case.final_c:
        raise ImpossibleInput(
            Problem(
                "steam_bar_abs",
                f"is {case.steam_bar_abs:g} bar, {at:.1f} °C; it must be hotter than the final {case.final_c:g} °C",
            )
        )
    q = (CP_FIBRE + CP_WATER * case.u_pct / 100.0 + CP_LIQUOR * case.liquor_t_t) * case.rise_c + case.loss_mj_t
    return SteamFound(
        q_mj_t=q,
        direct_t_t=q / (h_liquid(at) + h_evaporation(at) - h_liquid(case.final_c)),
        indirect_t_t=q / h_evaporation(at),
        cautions=cautions,
    )
