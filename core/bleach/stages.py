"""Stage models: what a stage makes of kappa, K/S at 457 nm, manganese and viscosity, and what is left of its chemical.

All constants are defaults to be calibrated. Charges in kg/ODt of 100 % chemical. Source: models, section 7.
"""

import math
from dataclasses import dataclass, replace
from typing import Final

from core.bleach.ceilings import CEILING, FACTOR_MOST, STRENGTH_MOST_G_L, mind_charge, mind_strength, refuse_charge, too_much
from core.colour import brightness_from_ks, ks_from_kappa, ks_from_reflectance
from core.errors import Caution, ImpossibleInput, Infeasible, Problem
from core.quantity import check, choice, figure, quantity
from core.register import Check, model
from core.wash.oxygen import WOODS, kappa_out

ACTIVE: Final = {"ClO2": 2.628, "H2O2": 2.0846, "O3": 4.4318, "O2": 4.4319, "NaOCl": 0.9525, "Paa": 0.93234}  # kg Cl2 a kg
R_J: Final = 8.314
# q at its reference, °C, Ea kJ/mol, pH at best, its width
RATE: Final = {
    "D0": (0.64, 60.0, 40.0, 2.5, 2.5),
    "D1": (0.223, 75.0, 60.0, 3.8, 2.5),
    "D2": (0.223, 75.0, 60.0, 3.8, 2.5),
    "P": (0.132, 90.0, 70.0, 10.8, 2.0),
    "PO": (0.132, 90.0, 70.0, 10.8, 2.0),
    "Paa": (0.132, 90.0, 70.0, 5.0, 2.0),
}
EXTRACT: Final = {"E": (0.45, 1.10), "EO": (0.55, 0.95), "EP": (0.55, 0.85), "EOP": (0.65, 0.75)}
BRIGHTEN: Final = {"D1": (0.385, 91.5), "D2": (0.385, 92.0), "P": (0.170, 89.5), "PO": (0.170, 89.5), "Paa": (0.10, 89.5)}
D0_GAIN, D0_FLOOR, E_FLOOR, COD_CHLORINE, COD_PEROXIDE, POWER = 5.0, 0.8, 1.2, 0.4, 0.1, 1.5
HEXA_K, HEXA_E_KJ, HEXA_REF_C = 0.0060, 122.0, 95.0
MN_ALKALINE = 60.0
CHEMICAL: Final = {
    "D0": "ClO2",
    "D1": "ClO2",
    "D2": "ClO2",
    "P": "H2O2",
    "PO": "H2O2",
    "EP": "H2O2",
    "EOP": "H2O2",
    "O": "NaOH",
    "E": "NaOH",
    "EO": "NaOH",
    "Z": "O3",
    "Paa": "Paa",
    "Y": "dithionite",
    "Q": "chelant",
    "A": "acid",
    "H": "NaOCl",
    "C": "Cl2",
}


@dataclass(frozen=True, slots=True, kw_only=True)
class Pulp:
    """Pulp between stages: kappa, K/S at 457 nm, manganese ppm, COD carried kg/ODt, viscosity against what came in mL/g."""

    kappa: float
    ks: float
    mn: float = MN_ALKALINE
    cod: float = 0.0
    viscosity: float = 0.0

    @property
    def iso(self) -> float:
        return brightness_from_ks(self.ks)


@dataclass(frozen=True, slots=True, kw_only=True)
class Setting:
    """How a stage is run: charge kg/ODt (D0: ClO2), minutes, °C, pH at its end, consistency %, pressure bar abs for O."""

    charge: float
    minutes: float
    temp_c: float
    ph: float
    cons_pct: float = 11.0
    bar_abs: float = 6.0


@dataclass(frozen=True, slots=True, kw_only=True)
class Done:
    """What left a stage: pulp, residual kg/ODt, how far it reacted (0 to 1), what pH cost (1: nothing), cautions."""

    pulp: Pulp
    residual: float
    extent: float
    ph_factor: float
    cautions: tuple[str, ...] = ()


def extent(name: str, minutes: float, temp_c: float) -> float:
    """X = 1 − exp(−q(T) √min)."""
    q_ref, ref_c, ea, _, _ = RATE[name]
    q = q_ref * math.exp(-ea * 1000.0 / R_J * (1.0 / (temp_c + 273.15) - 1.0 / (ref_c + 273.15)))
    return 1.0 - math.exp(-q * math.sqrt(minutes))


def ph_factor(name: str, ph: float) -> float:
    """exp(−((pH − best)/width)²)."""
    _, _, _, best, width = RATE[name]
    return math.exp(-(((ph - best) / width) ** 2))


def _shaded(pulp: Pulp, kappa: float, tint: float) -> float:
    """K/S after delignifying: as the unbleached rule falls, times the stage's tint."""
    before = ks_from_kappa(pulp.kappa)
    return pulp.ks * (ks_from_kappa(kappa) / before if before > 0.0 else 1.0) * tint


def run(name: str, pulp: Pulp, s: Setting, *, wood: str = "softwood", washed: bool = True) -> Done:
    """One stage. `washed` takes its dissolved matter and metals away. Raises: ImpossibleInput for a charge, pH or temperature
    that cannot be."""
    bad = []
    if not s.charge >= 0.0:
        bad.append(Problem("charge", f"is {s.charge:g} kg/ODt; it must be at least 0"))
    bad += refuse_charge(name, s.charge, "charge")
    if not 0.0 <= s.ph <= 14.0:
        bad.append(Problem("ph", f"is {s.ph:g}; it must be 0 to 14"))
    if not 0.0 <= s.minutes <= 1000.0:
        bad.append(Problem("minutes", f"is {s.minutes:g}; it must be 0 to 1000"))
    if not 5.0 <= s.temp_c <= 130.0:
        bad.append(Problem("temp_c", f"is {s.temp_c:g} °C; it must be 5 to 130 °C"))
    elif s.temp_c > 100.0 and name in ("D0", "D1", "D2", "E", "Q", "A", "EP", "Y", "Paa"):
        bad.append(Problem("temp_c", f"is {s.temp_c:g} °C; {name} is open to the air and boils over 100 °C"))
    if not 0.0 < s.cons_pct < 60.0:
        bad.append(Problem("cons_pct", f"is {s.cons_pct:g} %; it must be above 0 and under 60 %"))
    if bad:
        raise ImpossibleInput(*bad)
    if name == "O":
        return _oxygen(pulp, s, wood)
    if name == "D0":
        return _d0(pulp, s, washed)
    if name in EXTRACT:
        return _extract(name, pulp, s)
    if name in BRIGHTEN:
        return _brighten(name, pulp, s)
    return _other(name, pulp, s)


def _oxygen(pulp: Pulp, s: Setting, wood: str) -> Done:
    out = kappa_out(wood, pulp.kappa, s.minutes, s.temp_c, max(0.0, s.charge - 0.10 * pulp.cod), s.cons_pct, s.bar_abs)
    removed, usual = pulp.kappa - out, 0.45 * pulp.kappa
    drop = -13.0 * min(removed, usual) - 30.0 * max(0.0, removed - usual)
    return Done(
        pulp=replace(pulp, kappa=out, ks=_shaded(pulp, out, 1.0), viscosity=pulp.viscosity + drop),
        residual=0.0,
        extent=1.0,
        ph_factor=1.0,
    )


def _d0(pulp: Pulp, s: Setting, washed: bool) -> Done:
    chlorine = ACTIVE["ClO2"] * s.charge
    left = max(0.0, chlorine - COD_CHLORINE * pulp.cod)
    x, p = extent("D0", s.minutes, s.temp_c), ph_factor("D0", s.ph)
    out = (
        pulp.kappa
        if pulp.kappa <= D0_FLOOR
        else D0_FLOOR + (pulp.kappa - D0_FLOOR) * math.exp(-D0_GAIN * left * x * p / (10.0 * pulp.kappa))
    )
    said: tuple[str, ...] = ()
    if chlorine > 3.5 * pulp.kappa:
        said += (f"kappa factor {chlorine / 10 / pulp.kappa:.2f} is over 0.35",)
    mn = pulp.mn * (0.10 if washed else 1.0)
    return Done(
        pulp=replace(pulp, kappa=out, ks=_shaded(pulp, out, 1.0), mn=mn),
        residual=left * (1.0 - x) / ACTIVE["ClO2"],
        extent=x,
        ph_factor=p,
        cautions=said + _costs("D0", p),
    )


def _costs(name: str, p: float) -> tuple[str, ...]:
    return (f"its end pH costs {100 * (1 - p):.0f} % of the stage",) if p < 0.5 else ()


def _extract(name: str, pulp: Pulp, s: Setting) -> Done:
    f, tint = EXTRACT[name]
    out = pulp.kappa if pulp.kappa <= E_FLOOR else E_FLOOR + (pulp.kappa - E_FLOOR) * (1.0 - f)
    ks = _shaded(pulp, out, tint) if pulp.kappa > E_FLOOR else pulp.ks
    return Done(
        pulp=replace(pulp, kappa=out, ks=ks), residual=0.1 * s.charge if "P" in name else 0.0, extent=1.0, ph_factor=1.0
    )


def _brighten(name: str, pulp: Pulp, s: Setting) -> Done:
    b, floor = BRIGHTEN[name]
    metal = 1.0 / (1.0 + pulp.mn / 30.0) if name in ("P", "PO") else 1.0
    demand = COD_CHLORINE * pulp.cod / ACTIVE["ClO2"] if name[0] == "D" else COD_PEROXIDE * pulp.cod
    left = max(0.0, s.charge - demand)
    x, p = extent(name, s.minutes, s.temp_c), ph_factor(name, s.ph)
    k_floor = ks_from_reflectance(floor / 100.0)
    ks = pulp.ks if pulp.ks <= k_floor else k_floor + (pulp.ks - k_floor) / (1.0 + b * metal * left * x * p) ** POWER
    residual = left * (1.0 - x)
    said = _costs(name, p)
    kappa, mn, viscosity = pulp.kappa, pulp.mn, pulp.viscosity
    if name[0] == "D":
        kappa *= 0.75
        if s.charge > 0.0 and residual > 0.25 * s.charge:
            said += (f"{residual:.1f} kg/ODt is left: more than a quarter of the charge",)
    elif name in ("P", "PO"):
        kappa, mn = kappa * math.exp(-0.015 * s.charge), mn * 0.7
        if s.charge > 0.0 and residual < 0.02 * s.charge:
            said += ("nothing is left: alkali darkens the pulp",)
        if metal < 0.7:
            said += (f"metals, Mn about {pulp.mn:.0f} ppm, take {100 * (1 - metal):.0f} % of it: Q or acid before",)
    else:
        ks *= 0.8
    return Done(
        pulp=replace(pulp, kappa=kappa, ks=ks, mn=mn, viscosity=viscosity),
        residual=residual,
        extent=x,
        ph_factor=p,
        cautions=said,
    )


def _other(name: str, pulp: Pulp, s: Setting) -> Done:
    if name == "Q":
        good = 5.0 <= s.ph <= 6.5
        return Done(
            pulp=replace(pulp, mn=pulp.mn * (0.05 if good else 0.3)),
            residual=0.0,
            extent=1.0,
            ph_factor=1.0,
            cautions=() if good else ("chelation wants pH 5 to 6.5",),
        )
    if name == "Z":
        out = pulp.kappa * math.exp(-0.085 * s.charge)
        return Done(
            pulp=replace(pulp, kappa=out, ks=_shaded(pulp, out, 0.85), viscosity=pulp.viscosity - 8.0 * s.charge),
            residual=0.0,
            extent=1.0,
            ph_factor=1.0,
        )
    if name == "A":  # hexenuronic acid, taken as half of what is left after oxygen, up to 5 kappa
        hexa = min(5.0, 0.5 * pulp.kappa)
        k = HEXA_K * math.exp(-HEXA_E_KJ * 1000.0 / R_J * (1.0 / (s.temp_c + 273.15) - 1.0 / (HEXA_REF_C + 273.15)))
        out = pulp.kappa - hexa * (1.0 - math.exp(-k * s.minutes))
        said = () if 3.0 <= s.ph <= 3.5 else ("hot acid wants pH 3 to 3.5",)
        return Done(
            pulp=replace(pulp, kappa=out, ks=_shaded(pulp, out, 1.0), mn=pulp.mn * 0.2),
            residual=0.0,
            extent=1.0,
            ph_factor=1.0,
            cautions=said,
        )
    if name == "Y":
        share = 0.25 if pulp.iso > 75.0 else 0.52
        return Done(
            pulp=replace(pulp, ks=pulp.ks * (1.0 - share * (1.0 - math.exp(-min(s.charge, 12.0) / 4.0)))),
            residual=0.0,
            extent=1.0,
            ph_factor=1.0,
        )
    if name in ("H", "C"):  # kept for old lines: by its active chlorine as D0, viscosity paid
        chlorine = s.charge * (ACTIVE["NaOCl"] if name == "H" else 1.0)
        out = (
            pulp.kappa
            if pulp.kappa <= D0_FLOOR
            else D0_FLOOR
            + (pulp.kappa - D0_FLOOR)
            * math.exp(-D0_GAIN * max(0.0, chlorine - COD_CHLORINE * pulp.cod) * 0.9 / (10.0 * pulp.kappa))
        )
        said = ("kept for old lines: chloroform, strength lost; never near acid or ammonium",)
        return Done(
            pulp=replace(pulp, kappa=out, ks=_shaded(pulp, out, 0.9), viscosity=pulp.viscosity - 15.0 * s.charge / 5.0),
            residual=0.05 * s.charge,
            extent=0.95,
            ph_factor=1.0,
            cautions=said,
        )
    return Done(pulp=pulp, residual=0.0, extent=1.0, ph_factor=1.0)  # W, X


def charge_for_iso(name: str, pulp: Pulp, s: Setting, iso: float) -> float | Infeasible:
    """Charge of a brightening stage for an ISO after it, closed form. Infeasible above its ceilings of brightness and of
    charge."""
    b, floor = BRIGHTEN[name]
    k_out, k_floor = ks_from_reflectance(iso / 100.0), ks_from_reflectance(floor / 100.0)
    if k_out <= k_floor:
        return Infeasible(
            field="iso_pct", reason=f"{iso:g} % is above the ceiling of {name}, {floor:g} %", nearest=floor, unit="% ISO"
        )
    if pulp.ks <= k_out:
        return 0.0
    metal = 1.0 / (1.0 + pulp.mn / 30.0) if name in ("P", "PO") else 1.0
    demand = COD_CHLORINE * pulp.cod / ACTIVE["ClO2"] if name[0] == "D" else COD_PEROXIDE * pulp.cod
    need = (((pulp.ks - k_floor) / (k_out - k_floor)) ** (1.0 / POWER) - 1.0) / (b * metal)
    x_p = extent(name, s.minutes, s.temp_c) * ph_factor(name, s.ph)
    if x_p < 1e-6:
        return Infeasible(field="ph", reason="stops the stage: nothing would react")
    wanted, most = float(need / x_p + demand), CEILING[name]
    if wanted > most:
        x = max(0.0, most - demand) * x_p * b * metal
        reached = brightness_from_ks(k_floor + (pulp.ks - k_floor) / (1.0 + x) ** POWER)
        asked = f"{wanted:.0f}" if wanted < 1000.0 else "over 1000"
        return Infeasible(
            field="iso_pct",
            reason=f"{iso:g} % asks {asked} kg/ODt of {name}, over the {most:g} a stage may take; that reaches "
            f"{reached:.1f} % ISO",
            nearest=reached,
            unit="% ISO",
        )
    return wanted


def end_ph(*, acid_mol_l: float, base_mol_l: float, weak_mol_l: float = 0.004, pka: float = 4.5) -> float:
    """pH of the mat liquor by its charge balance, bisection 0 to 14."""
    low, high = 0.0, 14.0
    for _ in range(80):
        ph = 0.5 * (low + high)
        balance = 10.0**-ph + base_mol_l - acid_mol_l - weak_mol_l / (1.0 + 10.0 ** (pka - ph)) - 10.0 ** (ph - 14.0)
        if balance > 0.0:
            low = ph
        else:
            high = ph
    return 0.5 * (low + high)


@dataclass(frozen=True, slots=True, kw_only=True)
class DioxideCase:
    kappa: float = quantity("Kappa in", "", possible=(0, 200), above=True, valid=(3, 35), decimals=2)
    clo2_kg: float = quantity("ClO₂", "kg/ODt", possible=(0, CEILING["D0"]), valid=(2, 25), decimals=2)
    minutes: float = quantity("Time", "min", possible=(0, 1000), valid=(30, 90), decimals=0, default=45.0)
    temp_c: float = quantity("Temperature", "°C", possible=(5, 100), valid=(50, 70), decimals=0, default=60.0)
    ph: float = quantity("pH at its end", "", possible=(0, 14), valid=(2, 3.5), decimals=1, default=2.5)
    cod_kg: float = quantity("COD carried in", "kg/ODt", possible=(0, 300), valid=(0, 30), decimals=0, default=0.0)


@dataclass(frozen=True, slots=True, kw_only=True)
class DioxideFound:
    kappa_out: float = figure("Kappa out", "", decimals=2, equation="0.8 + (κ − 0.8) exp(−5 avail X p/(10 κ))")
    factor: float = figure("Kappa factor", "", decimals=3, equation="active chlorine % / kappa")
    available: float = figure("Active chlorine for the fibre", "kg/ODt", decimals=2, equation="2.628 ClO₂ − 0.4 COD")
    residual: float = figure("Left, as active chlorine", "kg/ODt", decimals=3, equation="available (1 − X)")
    caustic_kg: float = figure("NaOH for the next E", "kg/ODt", decimals=1, equation="0.45 active chlorine + 3")
    cautions: tuple[Caution, ...] = ()


_D0 = {"kappa": 11.76, "clo2_kg": 9.844}


@model(
    "bleach.dioxide",
    title="First chlorine dioxide stage",
    source="stage model, constants default to be calibrated",
    holds_for="kappa 3 to 35, 50 to 70 °C, end pH 2 to 3",
    equation="κ out = 0.8 + (κ − 0.8) exp(−5 a X p/(10 κ))",
    basis="default",
    checks=(
        Check(_D0, "kappa_out", 4.5038, 5e-3),
        Check(_D0, "available", 25.87, 5e-3),
        Check(_D0, "residual", 0.3534, 5e-3),
        Check({**_D0, "cod_kg": 12}, "kappa_out", 5.3297, 5e-3),
        Check({**_D0, "cod_kg": 12}, "available", 21.07, 5e-3),
        Check({**_D0, "cod_kg": 12}, "residual", 0.28783, 5e-3),
    ),
)
def dioxide(case: DioxideCase) -> DioxideFound:
    """D0. Raises: ImpossibleInput."""
    cautions = check(case)
    done = run(
        "D0",
        Pulp(kappa=case.kappa, ks=ks_from_kappa(case.kappa), cod=case.cod_kg),
        Setting(charge=case.clo2_kg, minutes=case.minutes, temp_c=case.temp_c, ph=case.ph),
    )
    chlorine = ACTIVE["ClO2"] * case.clo2_kg
    cautions += tuple(Caution("clo2_kg", c) for c in done.cautions)
    cautions += (
        Caution("clo2_kg", "chlorine dioxide: monitors, tower vents on, no rust, oil or rags; yellow-green haze: leave, alarm"),
    )
    return DioxideFound(
        kappa_out=done.pulp.kappa,
        factor=chlorine / 10.0 / case.kappa,
        available=max(0.0, chlorine - COD_CHLORINE * case.cod_kg),
        residual=ACTIVE["ClO2"] * done.residual,
        caustic_kg=0.45 * chlorine + 3.0,
        cautions=cautions,
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class BrightenCase:
    stage: str = choice("Stage", ("D1", "D2", "P", "PO", "Paa"))
    iso_pct: float = quantity("Brightness in", "% ISO", possible=(1, 99), valid=(50, 90), decimals=1)
    charge_kg: float = quantity("Charge, 100 %", "kg/ODt", possible=(0, CEILING["P"]), valid=(0, 30), decimals=1)
    minutes: float = quantity("Time", "min", possible=(0, 1000), valid=(60, 300), decimals=0)
    temp_c: float = quantity("Temperature", "°C", possible=(5, 130), valid=(60, 105), decimals=0)
    ph: float = quantity("pH at its end", "", possible=(0, 14), decimals=1)
    mn_ppm: float = quantity("Manganese", "ppm", possible=(0, 300), valid=(0, 80), decimals=0, default=0.0)
    cod_kg: float = quantity("COD carried in", "kg/ODt", possible=(0, 300), valid=(0, 30), decimals=0, default=0.0)


@dataclass(frozen=True, slots=True, kw_only=True)
class BrightenFound:
    iso_out: float = figure("Brightness out", "% ISO", decimals=1, equation="100 R of K/S out")
    ks: float = figure("K/S out", "", decimals=5, equation="Kf + (K − Kf)/(1 + b m a X p)^1.5")
    residual: float = figure("Left", "kg/ODt", decimals=2, equation="available (1 − X)")
    reacted: float = figure("Reacted", "share", decimals=3, equation="X = 1 − exp(−q √min)")
    a_kg: float = figure("One kg more gives", "points ISO", decimals=2, equation="the model's slope")
    cautions: tuple[Caution, ...] = ()


_BD = {"stage": "D1", "iso_pct": 82.0, "charge_kg": 8, "minutes": 150, "temp_c": 75, "ph": 3.8}
_BP = {"stage": "P", "iso_pct": 75.7, "charge_kg": 18, "minutes": 120, "temp_c": 85, "ph": 10.8}
STOP: Final = {"D1": 0.15, "D2": 0.15, "P": 0.10, "PO": 0.10, "Paa": 0.10}  # points a kg: below it, do not chase


@model(
    "bleach.brighten",
    title="A brightening stage",
    source="stage model, constants default to be calibrated",
    holds_for="D1, D2: 70 to 80 °C, pH 3.5 to 4.5; P: 80 to 105 °C, pH 10.3 to 11.2",
    equation="K out = Kf + (K − Kf)/(1 + b m a X p)^1.5",
    basis="default",
    checks=(
        Check(_BD, "ks", 0.006017, 5e-3),
        Check(_BD, "iso_out", 89.615, 5e-3),
        Check(_BD, "residual", 0.52114, 5e-3),
        Check(_BD, "reacted", 0.93486, 5e-3),
        Check(_BP, "ks", 0.012527, 5e-3),
        Check(_BP, "iso_out", 85.375, 5e-3),
        Check(_BP, "residual", 6.3232, 5e-3),
        Check(_BP, "reacted", 0.64871, 5e-3),
    ),
)
def brighten(case: BrightenCase) -> BrightenFound:
    """D1, D2, P, PO or Paa. Raises: ImpossibleInput."""
    cautions = check(case)
    pulp = Pulp(kappa=1.0, ks=ks_from_reflectance(case.iso_pct / 100.0), mn=case.mn_ppm, cod=case.cod_kg)

    if over := refuse_charge(case.stage, case.charge_kg, "charge_kg"):
        raise ImpossibleInput(*over)

    def at(charge: float) -> Done:
        return run(case.stage, pulp, Setting(charge=charge, minutes=case.minutes, temp_c=case.temp_c, ph=case.ph))

    done = at(case.charge_kg)
    if case.charge_kg + 0.5 <= CEILING[case.stage]:
        slope = at(case.charge_kg + 0.5).pulp.iso - done.pulp.iso
    else:
        slope = done.pulp.iso - at(case.charge_kg - 0.5).pulp.iso
    cautions += mind_charge(case.stage, case.charge_kg, case.temp_c, "charge_kg")
    cautions += tuple(Caution("charge_kg", c) for c in done.cautions)
    if 2.0 * slope < STOP[case.stage]:
        cautions += (Caution("charge_kg", f"a kg more gives {2 * slope:.2f} points: near the ceiling, do not chase"),)
    return BrightenFound(
        iso_out=done.pulp.iso, ks=done.pulp.ks, residual=done.residual, reacted=done.extent, a_kg=2.0 * slope, cautions=cautions
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class TargetCase:
    stage: str = choice("Stage", ("D1", "D2", "P", "PO"))
    iso_pct: float = quantity("Brightness in", "% ISO", possible=(1, 99), valid=(50, 90), decimals=1)
    wanted_pct: float = quantity("wanted", "% ISO", possible=(1, 99), valid=(70, 91), decimals=1)
    minutes: float = quantity("Time", "min", possible=(0, 1000), above=True, valid=(60, 300), decimals=0)
    temp_c: float = quantity("Temperature", "°C", possible=(5, 130), valid=(60, 105), decimals=0)
    ph: float = quantity("pH at its end", "", possible=(0, 14), decimals=1)
    mn_ppm: float = quantity("Manganese", "ppm", possible=(0, 300), valid=(0, 80), decimals=0, default=0.0)
    cod_kg: float = quantity("COD carried in", "kg/ODt", possible=(0, 300), valid=(0, 30), decimals=0, default=0.0)


@dataclass(frozen=True, slots=True, kw_only=True)
class TargetFound:
    charge_kg: float = figure(
        "Charge, 100 %", "kg/ODt", decimals=2, equation="[((K − Kf)/(K out − Kf))^(1/1.5) − 1]/(b m X p) + demand"
    )
    charge_adt: float = figure("a tonne air-dry", "kg/ADt", decimals=2, equation="0.9 of it")
    cautions: tuple[Caution, ...] = ()


@model(
    "bleach.charge",
    title="Charge for a brightness",
    source="the stage model turned round",
    holds_for="under the stage's ceiling",
    equation="a = [((K − Kf)/(K out − Kf))^(1/1.5) − 1]/(b m X p) + demand",
    basis="default",
    checks=(Check({**{k: v for k, v in _BD.items() if k != "charge_kg"}, "wanted_pct": 89.615}, "charge_kg", 8.0, 5e-3),),
)
def charge(case: TargetCase) -> TargetFound | Infeasible:
    """Infeasible above the ceiling of the stage. Raises: ImpossibleInput."""
    cautions = check(case)
    pulp = Pulp(kappa=1.0, ks=ks_from_reflectance(case.iso_pct / 100.0), mn=case.mn_ppm, cod=case.cod_kg)
    found = charge_for_iso(
        case.stage, pulp, Setting(charge=0.0, minutes=case.minutes, temp_c=case.temp_c, ph=case.ph), case.wanted_pct
    )
    if isinstance(found, Infeasible):
        return Infeasible(field="wanted_pct", reason=found.reason, nearest=found.nearest, unit=found.unit)
    cautions += mind_charge(case.stage, found, case.temp_c, "wanted_pct")
    return TargetFound(charge_kg=found, charge_adt=0.9 * found, cautions=cautions)


@dataclass(frozen=True, slots=True, kw_only=True)
class FactorCase:
    kappa: float = quantity("Kappa", "", possible=(0, 200), above=True, valid=(3, 35), decimals=1)
    factor: float = quantity("Kappa factor", "", possible=(0, FACTOR_MOST), valid=(0.15, 0.28), decimals=3, default=0.22)
    strength_g_l: float = quantity(
        "ClO₂ solution", "g/L", possible=(0, STRENGTH_MOST_G_L), above=True, valid=(6, 10), decimals=1, default=10.0
    )
    adt_d: float = quantity("Pulp", "ADt/d", possible=(0, 10000), above=True, decimals=0, default=160.0)
    cod_kg: float = quantity("COD carried in", "kg/ODt", possible=(0, 300), valid=(0, 30), decimals=0, default=0.0)


@dataclass(frozen=True, slots=True, kw_only=True)
class FactorFound:
    active_kg: float = figure("Active chlorine", "kg/ODt", decimals=1, equation="10 × factor × kappa + 0.4 COD")
    clo2_kg: float = figure("ClO₂", "kg/ODt", decimals=2, equation="active chlorine/2.628")
    clo2_adt: float = figure("ClO₂, air-dry", "kg/ADt", decimals=2, equation="0.9 of it")
    l_min: float = figure("Solution", "L/min", decimals=1, equation="ADt/d × kg/ADt × 1000/(g/L × 1440)")
    caustic_kg: float = figure("NaOH for the next E", "kg/ODt", decimals=1, equation="0.45 active chlorine + 3")
    cautions: tuple[Caution, ...] = ()


@model(
    "bleach.kappa_factor",
    title="Kappa factor to a flow",
    source="stoichiometry; caustic rule default",
    holds_for="factor 0.15 to 0.28, solution 6 to 13 g/L",
    equation="active chlorine = 10 KF κ + 0.4 COD; L/min = ADt/d kg/ADt 1000/(g/L 1440)",
    basis="published",
    checks=(
        Check({"kappa": 12}, "active_kg", 26.4, 2e-3),
        Check({"kappa": 12}, "clo2_kg", 10.046, 2e-3),
        Check({"kappa": 12}, "clo2_adt", 9.041, 2e-3),
        Check({"kappa": 12.6093, "adt_d": 850, "strength_g_l": 10.2}, "l_min", 549.77, 1e-3),
    ),
)
def kappa_factor(case: FactorCase) -> FactorFound:
    """Charge and flow; the carry-over's demand on top. Raises: ImpossibleInput."""
    cautions = check(case)
    active = 10.0 * case.factor * case.kappa + COD_CHLORINE * case.cod_kg
    clo2 = active / ACTIVE["ClO2"]
    if why := too_much("D0", clo2):
        raise ImpossibleInput(Problem("kappa", f"at this factor asks a charge that {why}"))
    cautions += mind_strength(case.strength_g_l, "strength_g_l")
    cautions += (
        (Caution("strength_g_l", "chlorine dioxide: a weak solution thins and cools; retest before a second move"),)
        if case.strength_g_l < 8.0
        else ()
    )
    return FactorFound(
        active_kg=active,
        clo2_kg=clo2,
        clo2_adt=0.9 * clo2,
        l_min=case.adt_d * 0.9 * clo2 * 1000.0 / (case.strength_g_l * 1440.0),
        caustic_kg=0.45 * active + 3.0,
        cautions=cautions,
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class TowerCase:
    volume_m3: float = quantity("Tower, full", "m³", possible=(0, 5000), above=True, decimals=0)
    level_pct: float = quantity("Level", "%", possible=(0, 100), decimals=0, default=100.0)
    cons_pct: float = quantity("Consistency", "%", possible=(0, 60), above=True, valid=(3, 30), decimals=1)
    od_t_h: float = quantity("Pulp", "t/h OD", possible=(0, 300), above=True, decimals=2)
    gas_pct: float = quantity("Gas in it", "%", possible=(0, 50), decimals=0, default=0.0)
    plug: float = quantity("Plug-flow share", "", possible=(0.3, 1), valid=(0.85, 1), decimals=2, default=1.0)


@dataclass(frozen=True, slots=True, kw_only=True)
class TowerFound:
    minutes: float = figure("Time in it", "min", decimals=0, equation="V level (1 − gas) ρ C × 60/(od t/h)")
    holds_t: float = figure("Holds", "t OD", decimals=1, equation="V ρ C")
    cautions: tuple[Caution, ...] = ()


@model(
    "bleach.tower",
    title="Time in a tower",
    source="density of stock by additive volumes",
    holds_for="3 to 30 %",
    equation="min = 60 V (1 − gas) ρ C/100/(od t/h)",
    checks=(Check({"volume_m3": 320, "cons_pct": 11, "od_t_h": 32, "gas_pct": 4}, "minutes", 65.838, 3e-3),),
)
def tower(case: TowerCase) -> TowerFound:
    """Minutes of plug flow. Raises: ImpossibleInput."""
    cautions = check(case)
    c = case.cons_pct / 100.0
    rho = 1.0 / (c / 1.52 + 1.0 - c)
    holds = case.volume_m3 * case.level_pct / 100.0 * (1.0 - case.gas_pct / 100.0) * rho * c * case.plug
    if not case.level_pct:
        cautions += (Caution("level_pct", "0: the pulp does not stay at all"),)
    return TowerFound(minutes=60.0 * holds / case.od_t_h, holds_t=holds, cautions=cautions)


@dataclass(frozen=True, slots=True, kw_only=True)
class PhCase:
    acid: float = quantity("Acid made and added", "mol/L", possible=(0, 2), decimals=4)
    base: float = quantity("Alkali added", "mol/L", possible=(0, 2), decimals=4)
    weak: float = quantity("Weak acids", "mol/L", possible=(0, 0.5), decimals=4, default=0.004)


@dataclass(frozen=True, slots=True, kw_only=True)
class PhFound:
    ph: float = figure("pH at the end", "", decimals=2, equation="charge balance")
    cautions: tuple[Caution, ...] = ()


@model(
    "bleach.end_ph",
    title="pH at the end of a stage",
    source="charge balance; weak acids 4 mmol/L at pKa 4.5, default",
    holds_for="mat liquor",
    equation="10^−pH + base − acid − weak/(1 + 10^(pKa − pH)) − 10^(pH − 14) = 0",
    basis="default",
    checks=(Check({"acid": 0.0132, "base": 0.0120}, "ph", 2.8876, 1e-2),),
)
def end_ph_of(case: PhCase) -> PhFound:
    """Raises: ImpossibleInput."""
    return PhFound(ph=end_ph(acid_mol_l=case.acid, base_mol_l=case.base, weak_mol_l=case.weak), cautions=check(case))


@dataclass(frozen=True, slots=True, kw_only=True)
class AgedCase:
    iso_pct: float = quantity("Brightness, fresh", "% ISO", possible=(1, 99), decimals=1)
    post_colour: float = quantity("Post-colour number", "", possible=(0, 20), valid=(0.2, 5), decimals=2, default=0.4)
    active_cl_adt: float = quantity("Active chlorine as ClO₂", "kg/ADt", possible=(0, 200), decimals=1, default=40.0)
    cl2_adt: float = quantity("Elemental chlorine", "kg/ADt", possible=(0, 100), decimals=1, default=0.0)


@dataclass(frozen=True, slots=True, kw_only=True)
class AgedFound:
    aged_pct: float = figure("Brightness, aged", "% ISO", decimals=1, equation="from K/S + PC/100")
    aox_adt: float = figure("AOX, untreated", "kg/ADt", decimals=2, equation="0.12 (Cl₂ + D/5)")
    cautions: tuple[Caution, ...] = ()


@model(
    "bleach.reversion",
    title="Brightness reversion and AOX",
    source="Giertz 1945; AOX after Germgaard and Larsson 1983, constant default",
    holds_for="last stage D 0.4, P 0.3, hexenuronic 0.8, mechanical 3 to 5",
    equation="PC = 100 (K/S aged − K/S fresh); AOX = 0.12 (Cl₂ + D/5)",
    basis="default",
    checks=(Check({"iso_pct": 89}, "aged_pct", 86.345, 2e-3), Check({"iso_pct": 89}, "aox_adt", 0.96, 1e-3)),
)
def reversion(case: AgedCase) -> AgedFound:
    """Raises: ImpossibleInput."""
    cautions = check(case)
    aged = brightness_from_ks(ks_from_reflectance(case.iso_pct / 100.0) + case.post_colour / 100.0)
    return AgedFound(aged_pct=aged, aox_adt=0.12 * (case.cl2_adt + case.active_cl_adt / 5.0), cautions=cautions)


__all__ = ["ACTIVE", "WOODS", "Done", "Pulp", "Setting", "charge_for_iso", "end_ph", "run"]
