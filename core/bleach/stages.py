"""Stage models: what a stage makes of kappa, K/S at 457 nm, manganese and viscosity, and what is left of its chemical.

All constants are defaults to be calibrated. Charges in kg/ODt of 100 % chemical. Source: models, section 7.
"""

import math
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field, fields, replace
from typing import Any, Final

from core.bleach.ceilings import CEILING, refuse_charge
from core.colour import brightness_from_ks, ks_from_kappa, ks_from_reflectance
from core.cook.species import SPECIES
from core.errors import ImpossibleInput, Infeasible, Problem
from core.quantity import quantity
from core.roots import brentq
from core.wash.line import liquor
from core.wash.oxygen import PH_STOPPED, WOODS, react, viscosity_by

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
EXTRACT: Final = ("E", "EO", "EP", "EOP")
BRIGHTEN: Final = {"D1": (0.95, 91.5), "D2": (0.95, 92.0), "P": (0.170, 89.5), "PO": (0.170, 89.5), "Paa": (0.10, 89.5)}
D0_GAIN, D0_FLOOR, E_FLOOR, COD_CHLORINE, COD_PEROXIDE, POWER = 5.0, 0.8, 1.2, 0.4, 0.1, 1.5
CHLORITE_PH, CHLORITE_STEEP = 5.5, 1.5  # dioxide turns to chlorite above it
D_A_KAPPA, D_EASY_KAPPA, D_DULLS, D_CUTS = 0.90, 1.5, 1.0, 0.26  # demand; kappa that dulls nothing; ISO a kappa above; cut
E_Q, E_REF_C, E_EA_KJ, E_USUAL_MIN, E_PH, E_HALF_PH, E_STEEP = 0.35, 70.0, 40.0, 60.0, 10.8, 10.2, 1.5
E_GAIN, EO_GAIN, EP_GAIN, E_MOST, E_DARKENS, EO_LIGHTENS = 0.45, 0.10, 0.13, 0.90, 0.06, 0.17
EP_TAKES = 0.9  # of the peroxide, at full weight
P_A_KAPPA, P_DECOMPOSED, P_VISCOSITY = 0.021, 0.85, 5.0
DELIGNIFIED_ISO = 90.0  # the most that delignifying alone brightens to
HEXA_K, HEXA_E_KJ, HEXA_REF_C = 0.0060, 122.0, 95.0
HEXA: Final = {wood: SPECIES[wood].hexa for wood in WOODS}  # kappa of hexenuronic acids in the unbleached pulp
MN_ALKALINE, MN_METAL = 60.0, 30.0
WEAK_STAGE = 0.5  # weight or pH factor under which a stage is cautioned
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
    """Pulp between stages: kappa, K/S at 457 nm, manganese ppm, COD carried kg/ODt, viscosity against what came in mL/g.

    `oxidants`: active chlorine (OXA) and peroxide (OXP) left in its liquor by the stage before, kg/ODt.
    """

    kappa: float
    ks: float
    mn: float = MN_ALKALINE
    cod: float = 0.0
    viscosity: float = 0.0
    oxidants: Mapping[str, float] = field(default_factory=dict)

    @property
    def iso(self) -> float:
        return brightness_from_ks(self.ks)


@dataclass(frozen=True, slots=True, kw_only=True)
class Setting:
    """How a stage is run: charge kg/ODt (D0: ClO2), minutes, °C, pH at its end, consistency %, pressure bar abs for O.

    Of EP and EOP the charge is peroxide, of E and EO it is NaOH.
    """

    charge: float
    minutes: float
    temp_c: float
    ph: float
    cons_pct: float = 11.0
    bar_abs: float = 6.0


@dataclass(frozen=True, slots=True, kw_only=True)
class Constants:
    """A mill's own constants of its stages, for those that are learnt; the defaults are the published ones."""

    d0_gain: float = quantity("Gain of D0", "", possible=(0.5, 20), valid=(2, 9), decimals=2, default=D0_GAIN)
    extract_factor: float = quantity("Extraction, factor", "", possible=(0.1, 2), valid=(0.5, 1.5), decimals=3, default=1.0)
    brighten_factor: float = quantity("Brightening, factor", "", possible=(0.02, 10), valid=(0.1, 3), decimals=3, default=1.0)
    floor_more: float = quantity("Ceiling of brightness, more", "% ISO", possible=(-20, 7), valid=(-6, 3), default=0.0)


PUBLISHED: Final = Constants()


def constants_of(case: Any) -> Constants:
    """The constants that a case holds under their own names."""
    return Constants(**{f.name: getattr(case, f.name) for f in fields(Constants)})


@dataclass(frozen=True, slots=True, kw_only=True)
class Done:
    """What left a stage: pulp, residual kg/ODt, how far it reacted (0 to 1), what pH cost (1: nothing), cautions.

    `end_ph`: where the stage's own balance tells it (oxygen); else nan. `decomposed`: peroxide lost to metals, kg/ODt.
    """

    pulp: Pulp
    residual: float
    extent: float
    ph_factor: float
    end_ph: float = math.nan
    decomposed: float = 0.0
    cautions: tuple[str, ...] = ()


def _soft(steep: float, ph: float, half: float) -> float:
    """1/(1 + 10^(steep (ph − half))): 1 far under a pH, 0 far over it, no step between."""
    return float(1.0 / (1.0 + 10.0 ** (steep * (ph - half))))


def _root_extent(q_ref: float, ref_c: float, ea_kj: float, minutes: float, temp_c: float) -> float:
    q = q_ref * math.exp(-ea_kj * 1000.0 / R_J * (1.0 / (temp_c + 273.15) - 1.0 / (ref_c + 273.15)))
    return 1.0 - math.exp(-q * math.sqrt(minutes))


def extent(name: str, minutes: float, temp_c: float) -> float:
    """X = 1 − exp(−q(T) √min)."""
    return _root_extent(*RATE[name][:3], minutes, temp_c)


def ph_factor(name: str, ph: float) -> float:
    """exp(−((pH − best)/width)²); a dioxide stage loses to chlorite above pH 5.5 as well."""
    _, _, _, best, width = RATE[name]
    bell = math.exp(-(((ph - best) / width) ** 2))
    if name[0] == "D":
        bell *= _soft(CHLORITE_STEEP, ph, CHLORITE_PH) / _soft(CHLORITE_STEEP, best, CHLORITE_PH)
    return bell


def extraction_weight(minutes: float, temp_c: float, ph: float) -> float:
    """How fully an extraction works: 1 at 60 min, 70 °C, pH 10.8; near 0 under pH 9, after no time or cold."""
    alkaline = _soft(-E_STEEP, ph, E_HALF_PH) / _soft(-E_STEEP, E_PH, E_HALF_PH)
    usual = _root_extent(E_Q, E_REF_C, E_EA_KJ, E_USUAL_MIN, E_REF_C)
    return alkaline * _root_extent(E_Q, E_REF_C, E_EA_KJ, minutes, temp_c) / usual


def _shaded(pulp: Pulp, kappa: float, tint: float) -> float:
    """K/S after delignifying: as the unbleached rule falls, times the stage's tint, never under a brightness of 90."""
    before = ks_from_kappa(pulp.kappa)
    r = (ks_from_kappa(kappa) / before if before > 0.0 else 1.0) * tint
    floor = ks_from_reflectance(DELIGNIFIED_ISO / 100.0) ** 3
    return pulp.ks if pulp.ks**3 <= floor else float((floor + (pulp.ks**3 - floor) * r**3) ** (1.0 / 3.0))


def _toward(ks: float, floor_pct: float, by: float) -> float:
    """K/S brightened towards a floor of brightness, % ISO: Kf + (K − Kf)/(1 + by)^1.5; as it came where it is brighter."""
    floor = ks_from_reflectance(floor_pct / 100.0)
    return ks if ks <= floor else float(floor + (ks - floor) / (1.0 + by) ** POWER)


OPEN_STAGES: Final = ("D0", "D1", "D2", "E", "Q", "A", "EP", "Y", "Paa")


def run(name: str, pulp: Pulp, s: Setting, *, wood: str = "softwood", washed: bool = True, own: Constants = PUBLISHED) -> Done:
    """One stage. A charge, a time, a pH or a heat of nothing does nothing. `washed` takes dissolved matter and metals away.
    `own`: the constants of this mill.

    Raises: ImpossibleInput for a charge, pH or temperature that cannot be.
    """
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
    elif s.temp_c > 100.0 and name in OPEN_STAGES:
        bad.append(Problem("temp_c", f"is {s.temp_c:g} °C; {name} is open to the air and boils over 100 °C"))
    if not 0.0 < s.cons_pct < 60.0:
        bad.append(Problem("cons_pct", f"is {s.cons_pct:g} %; it must be above 0 and under 60 %"))
    if bad:
        raise ImpossibleInput(*bad)
    if name == "O":
        return _oxygen(pulp, s, wood)
    if name == "D0":
        return _d0(pulp, s, washed, own)
    if name in EXTRACT:
        return _extract(name, pulp, s, own)
    if name in BRIGHTEN:
        return _brighten(name, pulp, s, own)
    return OTHERS[name](pulp, s, wood) if name in OTHERS else Done(pulp=pulp, residual=0.0, extent=1.0, ph_factor=1.0)


def _oxygen(pulp: Pulp, s: Setting, wood: str) -> Done:
    done = react(
        wood,
        pulp.kappa,
        minutes=s.minutes,
        temp_c=s.temp_c,
        naoh_kg=s.charge,
        cons_pct=s.cons_pct,
        bar_abs=s.bar_abs,
        cod_kg=pulp.cod,
    )
    told = ("its alkali is used up: the stage has stopped",) if done.end_ph < PH_STOPPED else ()
    lost = viscosity_by(pulp.kappa, done.kappa)
    return Done(
        pulp=replace(pulp, kappa=done.kappa, ks=_shaded(pulp, done.kappa, 1.0), viscosity=pulp.viscosity + lost),
        residual=done.left_kg,
        extent=1.0,
        ph_factor=1.0,
        end_ph=done.end_ph,
        cautions=told,
    )


def _d0(pulp: Pulp, s: Setting, washed: bool, own: Constants) -> Done:
    chlorine = ACTIVE["ClO2"] * s.charge
    left = max(0.0, chlorine - COD_CHLORINE * pulp.cod)
    x, p = extent("D0", s.minutes, s.temp_c), ph_factor("D0", s.ph)
    over = max(0.0, pulp.kappa - D0_FLOOR)
    out = pulp.kappa - over * -math.expm1(-own.d0_gain * left * x * p / (10.0 * pulp.kappa)) if over else pulp.kappa
    told: tuple[str, ...] = ()
    if chlorine > 3.5 * pulp.kappa:
        told += (f"kappa factor {chlorine / 10 / pulp.kappa:.2f} is over 0.35",)
    taken = 0.90 * -math.expm1(-s.charge) * -math.expm1(-s.minutes / 5.0) * _soft(1.5, s.ph, 4.5) if washed else 0.0
    return Done(
        pulp=replace(pulp, kappa=out, ks=_shaded(pulp, out, 1.0), mn=pulp.mn * (1.0 - taken)),
        residual=left * (1.0 - x) / ACTIVE["ClO2"],
        extent=x,
        ph_factor=p,
        cautions=told + _costs("D0", p),
    )


def _costs(name: str, p: float) -> tuple[str, ...]:
    return (f"its end pH costs {100 * (1 - p):.0f} % of the stage",) if p < WEAK_STAGE else ()


def metal_factor(mn_ppm: float) -> float:
    """What metals leave of peroxide's work: 1/(1 + Mn/30)."""
    return 1.0 / (1.0 + mn_ppm / MN_METAL)


def _extract(name: str, pulp: Pulp, s: Setting, own: Constants) -> Done:
    oxygen, peroxide = float("O" in name), s.charge if "P" in name else 0.0
    w = extraction_weight(s.minutes, s.temp_c, s.ph)
    gain = own.extract_factor * (E_GAIN + EO_GAIN * oxygen + EP_GAIN * -math.expm1(-peroxide / 2.0))
    removed = min(E_MOST, gain * w)
    out = pulp.kappa - max(0.0, pulp.kappa - E_FLOOR) * removed
    dark = pulp.ks * (1.0 + E_DARKENS * w) * (1.0 - EO_LIGHTENS * oxygen * min(1.0, w))
    b, floor = BRIGHTEN["P"][0] * own.brighten_factor, BRIGHTEN["P"][1] + own.floor_more
    ks = _toward(dark, floor, b * metal_factor(pulp.mn) * peroxide * min(1.2, w))
    told = (f"at pH {s.ph:.1f}, {s.minutes:.0f} min and {s.temp_c:.0f} °C it does {100 * w:.0f} % of its work",)
    return Done(
        pulp=replace(pulp, kappa=out, ks=ks),
        residual=peroxide * (1.0 - EP_TAKES * min(1.0, 2.0 * w)),
        extent=removed,
        ph_factor=w,
        cautions=told if w < WEAK_STAGE else (),
    )


def demand_of(name: str, kappa: float, cod: float) -> float:
    """What a brightening stage's charge loses before it brightens, kg/ODt: to the kappa and the carry-over that come."""
    if name[0] == "D":
        return D_A_KAPPA * kappa + COD_CHLORINE * cod / ACTIVE["ClO2"]
    return COD_PEROXIDE * cod


def floor_of(name: str, kappa: float) -> float:
    """The most a brightening stage comes to, % ISO: kappa that reaches a dioxide stage dulls it."""
    dulled = D_DULLS * max(0.0, kappa - D_EASY_KAPPA) if name[0] == "D" else 0.0
    return max(1.0, BRIGHTEN[name][1] - dulled)


def _brighten(name: str, pulp: Pulp, s: Setting, own: Constants) -> Done:
    b = BRIGHTEN[name][0] * own.brighten_factor
    metal = metal_factor(pulp.mn) if name in ("P", "PO") else 1.0
    left = max(0.0, s.charge - demand_of(name, pulp.kappa, pulp.cod))
    x, p = extent(name, s.minutes, s.temp_c), ph_factor(name, s.ph)
    residual, told = left * (1.0 - x), _costs(name, p)
    kappa, mn, viscosity, decomposed = pulp.kappa, pulp.mn, pulp.viscosity, 0.0
    if name == "Paa":  # its colour goes with what is left of the charge
        floor = ks_from_reflectance((BRIGHTEN[name][1] + own.floor_more) / 100.0)
        tint = 1.0 - 0.23 * p * -math.expm1(-left / 2.0) * -math.expm1(-s.minutes / 10.0)
        ks = pulp.ks if pulp.ks <= floor else floor + (pulp.ks - floor) / (1.0 + b * left * x * p) ** POWER * tint
    else:
        ks = _toward(pulp.ks, max(1.0, floor_of(name, pulp.kappa) + own.floor_more), b * metal * left * x * p)
    if name[0] == "D":
        acting = max(0.0, s.charge - COD_CHLORINE * pulp.cod / ACTIVE["ClO2"]) * x * p
        kappa *= 1.0 - D_CUTS * -math.expm1(-acting / 2.0)
        if s.charge > 0.0 and residual > 0.25 * s.charge:
            told += (f"{residual:.1f} kg/ODt is left: more than a quarter of the charge",)
        if pulp.kappa == 0.0:
            told += ("the kappa that comes is not known and not counted",)
    elif name in ("P", "PO"):
        kappa *= math.exp(-P_A_KAPPA * left * x * p)
        mn *= 1.0 - 0.30 * p * -math.expm1(-left / 2.0) * -math.expm1(-s.minutes / 10.0)
        alkaline = p if s.ph < E_PH else 1.0
        decomposed = left * x * alkaline * (1.0 - P_DECOMPOSED * metal)
        viscosity -= P_VISCOSITY * decomposed
        if s.charge > 0.0 and residual < 0.02 * s.charge:
            told += ("nothing is left: alkali darkens the pulp",)
        if metal < 0.7:
            told += (f"metals, Mn about {pulp.mn:.0f} ppm, take {100 * (1 - metal):.0f} % of it: Q or acid before",)
    return Done(
        pulp=replace(pulp, kappa=kappa, ks=ks, mn=mn, viscosity=viscosity),
        residual=residual,
        extent=x,
        ph_factor=p,
        decomposed=decomposed,
        cautions=told,
    )


def _chelate(pulp: Pulp, s: Setting, wood: str) -> Done:
    window = _soft(-1.5, s.ph, 4.2) * _soft(1.5, s.ph, 7.2)
    bound = 0.97 * window * -math.expm1(-s.charge / 0.35) * -math.expm1(-s.minutes / 10.0)
    told = () if 5.0 <= s.ph <= 6.5 else ("chelation wants pH 5 to 6.5",)
    return Done(pulp=replace(pulp, mn=pulp.mn * (1.0 - bound)), residual=0.0, extent=bound, ph_factor=window, cautions=told)


def _ozone(pulp: Pulp, s: Setting, wood: str) -> Done:
    def lives(ph: float, temp_c: float) -> float:
        return _soft(0.8, ph, 4.5) / (1.0 + math.exp((temp_c - 65.0) / 8.0))

    share = min(1.1, lives(s.ph, s.temp_c) / lives(2.8, 45.0))
    used = max(0.0, s.charge - 0.05 * pulp.cod) * share
    out = pulp.kappa * math.exp(-0.085 * used)
    told = (f"ozone decays before it bleaches: {100 * share:.0f} % of it works",) if share < WEAK_STAGE else ()
    return Done(
        pulp=replace(
            pulp,
            kappa=out,
            ks=_shaded(pulp, out, 1.0 - 0.173 * -math.expm1(-used / 2.0)),
            viscosity=pulp.viscosity - 8.0 * used,
        ),
        residual=0.0,
        extent=1.0,
        ph_factor=share,
        cautions=told,
    )


def _acid(pulp: Pulp, s: Setting, wood: str) -> Done:
    hexa = min(HEXA[wood], 0.6 * pulp.kappa)
    k = HEXA_K * math.exp(-HEXA_E_KJ * 1000.0 / R_J * (1.0 / (s.temp_c + 273.15) - 1.0 / (HEXA_REF_C + 273.15)))
    sour = _soft(1.2, s.ph, 3.9) / _soft(1.2, 3.25, 3.9)
    out = pulp.kappa - hexa * -math.expm1(-k * sour * s.minutes)
    mn = pulp.mn * (1.0 - 0.8 * min(1.0, sour) * -math.expm1(-s.minutes / 10.0))
    told = () if 3.0 <= s.ph <= 3.5 else ("hot acid wants pH 3 to 3.5",)
    return Done(
        pulp=replace(pulp, kappa=out, ks=_shaded(pulp, out, 1.0), mn=mn),
        residual=0.0,
        extent=1.0,
        ph_factor=min(1.0, sour),
        cautions=told,
    )


def dithionite_share(iso_pct: float) -> float:
    """The most of K/S that dithionite takes: 0.52 on mechanical pulp at 60 % ISO, 0.25 on bleached pulp."""
    return 0.25 + 0.27 / (1.0 + math.exp((iso_pct - 75.0) / 3.0))


def _dithionite(pulp: Pulp, s: Setting, wood: str) -> Done:
    share = dithionite_share(pulp.iso) * -math.expm1(-min(s.charge, 12.0) / 4.0)
    return Done(pulp=replace(pulp, ks=pulp.ks * (1.0 - share)), residual=0.0, extent=1.0, ph_factor=1.0)


def _old(active_a_kg: float) -> Callable[[Pulp, Setting, str], Done]:
    def stage(pulp: Pulp, s: Setting, wood: str) -> Done:
        """Kept for old lines: by its active chlorine as D0, viscosity paid."""
        acting = max(0.0, s.charge * active_a_kg - COD_CHLORINE * pulp.cod)
        over = max(0.0, pulp.kappa - D0_FLOOR)
        out = pulp.kappa - over * -math.expm1(-D0_GAIN * acting * 0.9 / (10.0 * pulp.kappa)) if over else pulp.kappa
        tint = 1.0 - 0.1 * -math.expm1(-acting / 5.0)
        return Done(
            pulp=replace(pulp, kappa=out, ks=_shaded(pulp, out, tint), viscosity=pulp.viscosity - 15.0 * s.charge / 5.0),
            residual=0.05 * s.charge,
            extent=0.95,
            ph_factor=1.0,
            cautions=("kept for old lines: chloroform, strength lost; never near acid or ammonium",),
        )

    return stage


OTHERS: Final[dict[str, Callable[[Pulp, Setting, str], Done]]] = {
    "Q": _chelate,
    "Z": _ozone,
    "A": _acid,
    "Y": _dithionite,
    "H": _old(ACTIVE["NaOCl"]),
    "C": _old(1.0),
}


def charge_for_iso(name: str, pulp: Pulp, s: Setting, iso: float) -> float | Infeasible:
    """Charge of a brightening stage for an ISO after it, closed form. Infeasible above its ceilings of brightness and of
    charge."""
    b, floor = BRIGHTEN[name][0], floor_of(name, pulp.kappa)
    k_out, k_floor = ks_from_reflectance(iso / 100.0), ks_from_reflectance(floor / 100.0)
    if pulp.ks <= k_out:
        return 0.0
    if k_out <= k_floor:
        return Infeasible(
            field="iso_pct", reason=f"{iso:g} % is above the ceiling of {name}, {floor:.1f} %", nearest=floor, unit="% ISO"
        )
    metal = metal_factor(pulp.mn) if name in ("P", "PO") else 1.0
    demand = demand_of(name, pulp.kappa, pulp.cod)
    need = (((pulp.ks - k_floor) / (k_out - k_floor)) ** (1.0 / POWER) - 1.0) / (b * metal)
    x_p = extent(name, s.minutes, s.temp_c) * ph_factor(name, s.ph)
    if x_p < 1e-6:
        return Infeasible(field="ph", reason="stops the stage: nothing would react")
    wanted, most = float(need / x_p + demand), CEILING[name]
    if wanted > most:
        reached = brightness_from_ks(_toward(pulp.ks, floor, max(0.0, most - demand) * x_p * b * metal))
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
    """pH of the mat liquor of an acid stage by its charge balance, 0 to 14."""

    def balance(ph: float) -> float:
        acids = acid_mol_l + weak_mol_l / (1.0 + 10.0 ** (pka - ph)) + 10.0 ** (ph - 14.0)
        return float(10.0**-ph + base_mol_l - acids)

    if balance(0.0) <= 0.0:
        return 0.0
    return 14.0 if balance(14.0) >= 0.0 else brentq(balance, 0.0, 14.0, xtol=1e-9)


NAOH, PEROXIDE, PEROXIDE_PKA, STRONG_PKA, PHENOL_PKA, PH_MOST = 40.0, 34.015, 11.6, 4.5, 9.8, 14.9


@dataclass(frozen=True, slots=True, kw_only=True)
class Alkaline:
    """What the liquor of an alkaline stage must neutralise, mol/L: strong and weak acid groups, and peroxide left.

    `mat_l`: liquor, L/kg of pulp.
    """

    mat_l: float
    strong: float
    weak: float
    peroxide: float = 0.0

    def taken(self, ph: float) -> float:
        """NaOH that the acids have taken at a pH, kg/ODt."""
        return self.naoh_for(ph) - float((10.0 ** (ph - 14.0) - 10.0**-ph) * NAOH * self.mat_l)

    def naoh_for(self, ph: float) -> float:
        """NaOH that ends at a pH, kg/ODt; under 0 where acid would be needed."""
        acids = self.strong / (1.0 + 10.0 ** (STRONG_PKA - ph)) + self.weak / (1.0 + 10.0 ** (PHENOL_PKA - ph))
        acids += self.peroxide / (1.0 + 10.0 ** (PEROXIDE_PKA - ph))
        return float((acids + 10.0 ** (ph - 14.0) - 10.0**-ph) * NAOH * self.mat_l)

    def ph_of(self, naoh_kg: float) -> float:
        """The pH at the end of the stage with so much NaOH, kg/ODt."""
        if self.naoh_for(PH_MOST) <= naoh_kg:
            return PH_MOST
        return float(brentq(lambda ph: self.naoh_for(ph) - naoh_kg, 0.0, PH_MOST, xtol=1e-9))


def extraction_acids(*, active_kg: float, cod_kg: float, cons_pct: float) -> Alkaline:
    """The acids an extraction meets after so much active chlorine, kg/ODt, with so much COD carried in."""
    mat = liquor(cons_pct)
    return Alkaline(
        mat_l=mat,
        strong=(0.30 * active_kg + 1.8 + 0.05 * cod_kg) / (NAOH * mat),
        weak=(0.165 * active_kg + 1.1) / (NAOH * mat),
    )


def peroxide_acids(*, used_kg: float, left_kg: float, cod_kg: float, cons_pct: float) -> Alkaline:
    """The acids of a peroxide stage: what it used makes acid, what is left is one itself, kg H2O2/ODt."""
    mat = liquor(cons_pct)
    return Alkaline(
        mat_l=mat,
        strong=(1.8 + 0.05 * cod_kg + 0.70 * used_kg) / (NAOH * mat),
        weak=1.1 / (NAOH * mat),
        peroxide=left_kg / PEROXIDE / mat,
    )
