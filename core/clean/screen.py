"""Pressure screens: what passes a slot or a hole, what a stage rejects, and how near it is to blinding.

`E` is the share of a contaminant that leaves in the reject, `Rv` the share of the flow, `Rm` the share of the pulp, `P` the
passage ratio (concentration through the aperture over that at the plate). Sources: plug flow along the basket, Gooding and
Kerekes 1989; removal function, Kubat and Steenberg 1955; quotient, Nelson 1981; passage by length, form of Olson 2001. Passage
ratios, their exponents and the limits of blinding are defaults to be fitted per screen.
"""

import math
from dataclasses import dataclass
from typing import Final

from core.errors import Caution, ImpossibleInput, Infeasible, Problem
from core.quantity import check, choice, figure, quantity
from core.register import Check, model

# passage ratio at slots of 0.15 mm, or holes of 1.6 mm, and its exponent over the width; default
PASSAGE: Final = {
    "flat specks": (0.05, 2.0),
    "shives": (0.12, 1.75),
    "plastic film": (0.03, 2.0),
    "hard stickies": (0.20, 1.5),
    "soft stickies": (0.30, 1.5),
    "sand": (0.60, 1.0),
    "long fibre": (0.75, 0.35),
    "short fibre": (0.88, 0.20),
    "fines": (0.98, 0.05),
    "filler": (0.99, 0.03),
}
FIBRES: Final = ("long fibre", "short fibre", "fines", "filler")
STICKY: Final = ("hard stickies", "soft stickies")
SHAPES: Final = ("slots", "holes")
SLOT_MM, HOLE_MM, HOLE_POWER, WIRE_MM = 0.15, 1.6, 1.2, 3.2
SLOTS_MM, HOLES_MM = (0.08, 0.35), (0.8, 6.0)
REF_M_S, REF_C, STICKY_A_K = 1.2, 50.0, 0.01
MOST_M_S: Final = {"slots": 1.5, "holes": 1.2}
HOLES_OPEN = 0.20  # of the plate, default
T_H_A_PCT = 36.0  # t/h a m2 of open area, for a metre a second and a per cent
LEAST_RM, RM_A_PCT, MOST_THICKENING = 0.08, 0.05, 2.5
DUTIES: Final = {  # reject consistency at which a basket blinds, %, default
    "fine slots, long fibre": 4.5,
    "fine slots, short or recovered fibre": 5.5,
    "slots at medium consistency": 7.0,
    "holes": 7.5,
}
NEAR = 0.10


def open_share(aperture_mm: float, shape: str, wire_mm: float = WIRE_MM) -> float:
    """Open area of a basket as a share of its area."""
    return aperture_mm / (aperture_mm + wire_mm) if shape == "slots" else HOLES_OPEN


def passage(
    name: str,
    aperture_mm: float,
    *,
    shape: str = "slots",
    velocity_m_s: float = REF_M_S,
    temp_c: float = REF_C,
    p15: float | None = None,
    most: float = 1.0,
) -> float:
    """Passage ratio of a class, 0 to 1 (or to `most`). Debris passes more at a higher velocity; stickies alone more when warm.

    `p15`: the ratio at 0.15 mm slots (1.6 mm holes) where this screen's own is known. Source: P15 (w/0.15)^b, defaults.
    """
    at_ref, power = PASSAGE[name]
    at_ref = at_ref if p15 is None else p15
    p = at_ref * ((aperture_mm / SLOT_MM) ** power if shape == "slots" else (aperture_mm / HOLE_MM) ** HOLE_POWER)
    return float(min(most, p * driven(name, velocity_m_s, temp_c)))


def driven(name: str, velocity_m_s: float, temp_c: float) -> float:
    """What velocity and warmth do to the passage of a class: 1 at 1.2 m/s and 50 °C, and of fibre."""
    if name in FIBRES:
        return 1.0
    warm = max(0.0, 1.0 + STICKY_A_K * (temp_c - REF_C)) if name in STICKY else 1.0
    return math.sqrt(velocity_m_s / REF_M_S) * warm


def refuse_aperture(shape: str, aperture_mm: float) -> None:
    low, high = SLOTS_MM if shape == "slots" else HOLES_MM
    if not low <= aperture_mm <= high:
        told = f"is {aperture_mm:g} mm; {shape} are {low:g} to {high:g} mm"
        raise ImpossibleInput(Problem("aperture_mm", told))


@dataclass(frozen=True, slots=True, kw_only=True)
class PassageCase:
    particle: str = choice("Class", tuple(PASSAGE))
    shape: str = choice("Openings", SHAPES, default="slots")
    aperture_mm: float = quantity("Width of a slot, or of a hole", "mm", possible=(0.08, 6), valid=(0.08, 2.4), decimals=2)
    velocity_m_s: float = quantity(
        "Velocity in the openings", "m/s", possible=(0, 6), above=True, valid=(0.5, 2), decimals=2, default=1.2
    )
    temp_c: float = quantity("Temperature", "°C", possible=(0, 99), valid=(20, 70), decimals=0, default=50.0)
    rv: float = quantity("Flow rejected", "share", possible=(0, 1), above=True, valid=(0.05, 0.6), decimals=2, default=0.20)


@dataclass(frozen=True, slots=True, kw_only=True)
class PassageFound:
    p: float = figure("Passage ratio", "", decimals=4, equation="P15 (w/0.15)^b × velocity and warmth")
    e: float = figure("Leaves in the reject", "share", decimals=4, equation="Rv^P")
    cautions: tuple[Caution, ...] = ()


def _slots(particle: str, mm: float) -> dict[str, object]:
    return {"particle": particle, "aperture_mm": mm}


@model(
    "screen.passage",
    title="What passes a slot or a hole",
    source="form P15 (w/0.15)^b; plug flow along the basket, Gooding and Kerekes 1989; values are defaults",
    holds_for="slots of 0.08 to 0.35 mm, holes of 0.8 to 6 mm, consistency up to 4.5 %",
    equation="P = P15 (w/0.15)^b √(v/1.2), of stickies × (1 + 0.01 (T − 50)); E = Rv^P",
    symbols="w=aperture_mm v=velocity_m_s T=temp_c Rv=rv",
    basis="default",
    checks=(
        *(
            Check(_slots(name, mm), "p", p, 1e-3)
            for name, values in (
                ("shives", (0.0590, 0.1200, 0.1985, 0.2934)),
                ("hard stickies", (0.1089, 0.2000, 0.3079, 0.4303)),
                ("long fibre", (0.6508, 0.7500, 0.8294, 0.8968)),
            )
            for mm, p in zip((0.10, 0.15, 0.20, 0.25), values, strict=True)
        ),
        Check(_slots("hard stickies", 0.20), "e", 0.60922, 1e-4),
        Check(_slots("hard stickies", 0.10), "e", 0.83928, 1e-4),
        Check(_slots("long fibre", 0.10), "e", 0.35086, 1e-4),
    ),
)
def passage_of(case: PassageCase) -> PassageFound:
    """Raises: ImpossibleInput."""
    cautions = check(case)
    refuse_aperture(case.shape, case.aperture_mm)
    p = passage(case.particle, case.aperture_mm, shape=case.shape, velocity_m_s=case.velocity_m_s, temp_c=case.temp_c)
    if case.particle in STICKY and case.temp_c > 55.0:
        cautions += (Caution("temp_c", "stickies soften and squeeze through: cooler stock keeps them back"),)
    return PassageFound(p=p, e=case.rv**p, cautions=cautions)


@dataclass(frozen=True, slots=True, kw_only=True)
class StageCase:
    """One screen of given passage ratios."""

    rv: float = quantity("Flow rejected", "share", possible=(0, 1), above=True, valid=(0.05, 0.6), decimals=3)
    p_dirt: float = quantity("Passage of the dirt", "", possible=(0, 1), valid=(0.02, 0.6), decimals=3)
    p_pulp: float = quantity("Passage of the pulp", "", possible=(0, 2), above=True, valid=(0.3, 1), decimals=3)
    feed_pct: float = quantity("Feed", "%", possible=(0, 12), above=True, valid=(0.5, 4.5), decimals=2, default=1.2)
    flow: str = choice("Along the basket", ("plug", "mixed"), default="plug")


@dataclass(frozen=True, slots=True, kw_only=True)
class StageFound:
    e: float = figure("Dirt that leaves in the reject", "share", decimals=4, equation="plug Rv^P; mixed Rv/(Rv + P (1 − Rv))")
    rm: float = figure("Pulp rejected", "share", decimals=4, equation="the same with the pulp's passage")
    thickening: float = figure("Reject thickens by", "", decimals=3, equation="Rm/Rv")
    reject_pct: float = figure("Reject", "%", decimals=2, equation="feed × Rm/Rv")
    accept_pct: float = figure("Accept", "%", decimals=2, equation="feed × (1 − Rm)/(1 − Rv)")
    exponent: float = figure("E = Rm to the power of", "", decimals=3, equation="P of the dirt/P of the pulp")
    cautions: tuple[Caution, ...] = ()


def rejected(rv: float, p: float, flow: str = "plug") -> float:
    """Share of a class that leaves in the reject."""
    return rv**p if flow == "plug" else rv / (rv + p * (1.0 - rv))


_STAGE = {"rv": 0.20, "p_dirt": 0.15, "p_pulp": 0.75}


@model(
    "screen.stage",
    title="One screen",
    source="Gooding and Kerekes 1989; Kubat and Steenberg 1955",
    holds_for="passage ratios constant along the basket, Rv 0.05 to 0.6",
    equation="plug E = Rv^P; mixed E = Rv/(Rv + P (1 − Rv)); T = Rm/Rv",
    symbols="Rv=rv Rm=rm T=thickening",
    basis="published",
    checks=(
        Check(_STAGE, "e", 0.78552, 1e-4),
        Check(_STAGE, "rm", 0.29907, 1e-4),
        Check(_STAGE, "thickening", 1.49535, 1e-4),
        Check(_STAGE, "exponent", 0.200, 1e-4),
        Check({**_STAGE, "flow": "mixed"}, "e", 0.62500, 1e-4),
        Check({**_STAGE, "flow": "mixed"}, "rm", 0.25000, 1e-4),
    ),
)
def stage(case: StageCase) -> StageFound:
    """Raises: ImpossibleInput."""
    cautions = check(case)
    e, rm = rejected(case.rv, case.p_dirt, case.flow), rejected(case.rv, case.p_pulp, case.flow)
    t = rm / case.rv
    if t > MOST_THICKENING:
        cautions += (
            Caution("rv", f"thickens its reject {t:.1f} times, over {MOST_THICKENING:g}: more reject or more dilution"),
        )
    if e < rm:
        cautions += (Caution("p_dirt", "passes better than the pulp: the screen enriches its accept"),)
    return StageFound(
        e=e,
        rm=rm,
        thickening=t,
        reject_pct=case.feed_pct * t,
        accept_pct=case.feed_pct * (1.0 - rm) / (1.0 - case.rv) if case.rv < 1.0 else 0.0,
        exponent=case.p_dirt / case.p_pulp,
        cautions=cautions,
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class QuotientCase:
    rm: float = quantity("Pulp rejected", "share", possible=(0, 1), above=True, valid=(0.02, 0.6), decimals=3)
    q: float = quantity("Quotient Q", "", possible=(-5, 1), valid=(0, 1), decimals=4)


@dataclass(frozen=True, slots=True, kw_only=True)
class QuotientFound:
    e: float = figure("Dirt that leaves in the reject", "share", decimals=4, equation="Rm/(1 − Q + Q Rm)")
    cautions: tuple[Caution, ...] = ()


def quotient(e: float, rm: float) -> float:
    """Nelson's Q of a screen that rejects E of the dirt at Rm of the pulp; under 0 where it enriches its accept."""
    return (e - rm) / (e * (1.0 - rm))


@model(
    "screen.quotient",
    title="Efficiency by the quotient",
    source="Nelson 1981",
    holds_for="Q of the same screen, furnish and speed",
    equation="E = Rm/(1 − Q + Q Rm)",
    symbols="E=e Rm=rm Q=q",
    basis="published",
    checks=(Check({"rm": 0.15, "q": 0.90}, "e", 0.63830, 1e-4),),
)
def by_quotient(case: QuotientCase) -> QuotientFound:
    """Raises: ImpossibleInput."""
    cautions = check(case)
    if case.q < 0.0:
        cautions += (Caution("q", "is under 0: the screen enriches its accept with dirt"),)
    return QuotientFound(e=case.rm / (1.0 - case.q + case.q * case.rm), cautions=cautions)


@dataclass(frozen=True, slots=True, kw_only=True)
class ForCase:
    e: float = quantity("Dirt to leave in the reject", "share", possible=(0, 0.9999), above=True, valid=(0.3, 0.97), decimals=3)
    q: float = quantity("Quotient Q", "", possible=(0, 1), valid=(0.5, 0.99), decimals=4)


@dataclass(frozen=True, slots=True, kw_only=True)
class ForFound:
    rm: float = figure("Pulp to reject", "share", decimals=4, equation="E (1 − Q)/(1 − E Q)")
    cautions: tuple[Caution, ...] = ()


@model(
    "screen.rejects_for",
    title="Rejects for an efficiency",
    source="Nelson 1981, turned round",
    holds_for="Q of the same screen, furnish and speed",
    equation="Rm = E (1 − Q)/(1 − E Q)",
    symbols="E=e Rm=rm Q=q",
    basis="published",
    checks=(Check({"e": 0.90, "q": 0.95}, "rm", 0.31034, 1e-4),),
)
def rejects_for(case: ForCase) -> ForFound:
    """Raises: ImpossibleInput."""
    cautions = check(case)
    return ForFound(rm=case.e * (1.0 - case.q) / (1.0 - case.e * case.q), cautions=cautions)


@dataclass(frozen=True, slots=True, kw_only=True)
class SamplesCase:
    """Feed, accept and reject of one screen, sampled together: dirt a kg of pulp (ppm, mm²/kg or counts) and flows."""

    feed: float = quantity("Dirt in the feed", "a kg", possible=(0, 1e9), above=True, decimals=1)
    accept: float = quantity("Dirt in the accept", "a kg", possible=(0, 1e9), decimals=1)
    reject: float = quantity("Dirt in the reject", "a kg", possible=(0, 1e9), above=True, decimals=1)
    rv: float = quantity("Flow rejected", "share", possible=(0, 1), above=True, valid=(0.05, 0.6), decimals=3)
    feed_pct: float = quantity("Feed", "%", possible=(0, 12), above=True, valid=(0.3, 4.5), decimals=2)
    reject_pct: float = quantity("Reject", "%", possible=(0, 12), above=True, valid=(0.3, 6), decimals=2)


@dataclass(frozen=True, slots=True, kw_only=True)
class SamplesFound:
    rm: float = figure("Pulp rejected", "share", decimals=4, equation="Rv × reject %/feed %")
    e: float = figure("Dirt that leaves in the reject", "share", decimals=4, equation="Rm × reject/feed")
    q: float = figure("Quotient Q", "", decimals=4, equation="1 − accept/reject")
    q_by_e: float = figure("Q by what left", "", decimals=4, equation="(E − Rm)/(E (1 − Rm))")
    gap_pct: float = figure("The three do not close by", "%", decimals=1, equation="(Rm x_r + (1 − Rm) x_a)/x_f − 1")
    p_dirt: float = figure("Passage of the dirt", "", decimals=3, equation="ln E/ln Rv")
    cautions: tuple[Caution, ...] = ()


_SAMPLED = {"feed": 66, "accept": 15, "reject": 440, "rv": 0.08, "feed_pct": 1.0, "reject_pct": 1.5}


@model(
    "screen.samples",
    title="A screen by its samples",
    source="mass balance over the screen; Nelson 1981",
    holds_for="three samples of one minute at a steady screen; they should close within 10 %",
    equation="Rm = Rv C_r/C_f; E = Rm x_r/x_f; Q = 1 − x_a/x_r",
    symbols="Rv=rv Rm=rm E=e Q=q",
    basis="published",
    checks=(
        Check(_SAMPLED, "rm", 0.12, 1e-6),
        Check(_SAMPLED, "e", 0.80, 1e-6),
        Check(_SAMPLED, "q_by_e", 0.96591, 1e-4),
        Check(_SAMPLED, "q", 0.96591, 1e-4),
    ),
)
def samples(case: SamplesCase) -> SamplesFound:
    """Raises: ImpossibleInput for flows and consistencies that would reject more pulp, or more dirt, than came."""
    cautions = check(case)
    rm = case.rv * case.reject_pct / case.feed_pct
    if rm >= 1.0:
        raise ImpossibleInput(Problem("reject_pct", f"is {case.reject_pct:g} %: at this flow more pulp would leave than comes"))
    e = rm * case.reject / case.feed
    gap = 100.0 * ((rm * case.reject + (1.0 - rm) * case.accept) / case.feed - 1.0)
    if e >= 1.0:
        raise ImpossibleInput(Problem("reject", f"is {case.reject:g}: more dirt would leave than comes"))
    if abs(gap) > 10.0:
        cautions += (
            Caution("feed", f"does not close with accept and reject by {gap:+.0f} %: sample all three again, together"),
        )
    return SamplesFound(
        rm=rm,
        e=e,
        q=1.0 - case.accept / case.reject,
        q_by_e=quotient(e, rm),
        gap_pct=gap,
        p_dirt=math.log(e) / math.log(case.rv),
        cautions=cautions,
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class LengthCase:
    length_mm: float = quantity("Fibre length", "mm", possible=(0, 10), valid=(0.2, 5), decimals=2)
    scale_mm: float = quantity(
        "Length scale of the plate", "mm", possible=(0, 20), above=True, valid=(1, 5), decimals=2, default=3.0
    )
    power: float = quantity("Exponent", "", possible=(0, 4), above=True, valid=(0.4, 1.2), decimals=2, default=1.0)


@dataclass(frozen=True, slots=True, kw_only=True)
class LengthFound:
    p: float = figure("Passage ratio", "", decimals=4, equation="exp(−(l/L)^b)")
    cautions: tuple[Caution, ...] = ()


@model(
    "screen.length",
    title="Passage by fibre length",
    source="form of Olson 2001; exponent about 1 of smooth holes, about 0.5 of slots, defaults",
    holds_for="fractionation at 1 to 3 %",
    equation="P = exp(−(l/L)^b)",
    symbols="P=p l=length_mm L=scale_mm b=power",
    basis="default",
    checks=tuple(Check({"length_mm": mm}, "p", p, 1e-4) for mm, p in ((0.5, 0.8465), (1, 0.7165), (2, 0.5134), (3, 0.3679))),
)
def by_length(case: LengthCase) -> LengthFound:
    """Raises: ImpossibleInput."""
    cautions = check(case)
    return LengthFound(p=math.exp(-((case.length_mm / case.scale_mm) ** case.power)), cautions=cautions)


@dataclass(frozen=True, slots=True, kw_only=True)
class VelocityCase:
    accept_l_min: float = quantity("Accept", "L/min", possible=(0, 1e6), decimals=0)
    area_m2: float = quantity("Area of the basket", "m²", possible=(0, 50), above=True, valid=(0.2, 10), decimals=2)
    open_pct: float = quantity("Open area", "%", possible=(0, 60), above=True, valid=(2, 30), decimals=2)
    shape: str = choice("Openings", SHAPES, default="slots")


@dataclass(frozen=True, slots=True, kw_only=True)
class VelocityFound:
    velocity_m_s: float = figure("Velocity in the openings", "m/s", decimals=2, equation="accept/(open area × basket area)")
    cautions: tuple[Caution, ...] = ()


@model(
    "screen.velocity",
    title="Velocity in the openings",
    source="continuity",
    holds_for="slots 0.8 to 2.0 m/s, holes 0.5 to 1.5 m/s, defaults",
    equation="v = accept/(open area × basket area)",
    symbols="v=velocity_m_s",
    basis="published",
    checks=(Check({"accept_l_min": 6000, "area_m2": 1.9, "open_pct": 4.5}, "velocity_m_s", 1.1696, 1e-4),),
)
def velocity(case: VelocityCase) -> VelocityFound:
    """Raises: ImpossibleInput."""
    cautions = check(case)
    v = case.accept_l_min / 60000.0 / (case.area_m2 * case.open_pct / 100.0)
    low, high = (0.8, 2.0) if case.shape == "slots" else (0.5, 1.5)
    if not low <= v <= high:
        cautions += (Caution("accept_l_min", f"makes {v:.2f} m/s in {case.shape}; usual is {low:g} to {high:g} m/s"),)
    return VelocityFound(velocity_m_s=v, cautions=cautions)


@dataclass(frozen=True, slots=True, kw_only=True)
class CapacityCase:
    accept_t_h: float = quantity("Accept", "t/h OD", possible=(0, 200), above=True, decimals=2)
    accept_pct: float = quantity("Accept", "%", possible=(0, 12), above=True, valid=(0.3, 4.5), decimals=2)
    feed_pct: float = quantity("Feed", "%", possible=(0, 12), above=True, valid=(0.5, 4.5), decimals=2)
    rv: float = quantity("Flow rejected", "share", possible=(0, 1), above=True, valid=(0.05, 0.6), decimals=2)
    p_pulp: float = quantity("Passage of the pulp", "", possible=(0, 2), above=True, valid=(0.3, 1), decimals=2)
    aperture_mm: float = quantity("Width of a slot, or of a hole", "mm", possible=(0.08, 6), valid=(0.08, 2.4), decimals=2)
    area_m2: float = quantity("Area of the basket", "m²", possible=(0, 50), above=True, valid=(0.2, 10), decimals=2)
    shape: str = choice("Openings", SHAPES, default="slots")
    wire_mm: float = quantity("Width of a wire", "mm", possible=(0.5, 10), valid=(2, 4), decimals=1, default=WIRE_MM)
    duty: str = choice("Duty", tuple(DUTIES), default="fine slots, long fibre")


@dataclass(frozen=True, slots=True, kw_only=True)
class CapacityFound:
    open_share: float = figure("Open area", "share", decimals=4, equation="w/(w + wire); of holes 0.20")
    capacity: float = figure("A square metre carries", "t/h", decimals=3, equation="36 × open × v at most × accept %")
    velocity_m_s: float = figure(
        "Velocity in the openings",
        "m/s",
        decimals=2,
        equation="accept/(36 × open × accept % × area)",
    )
    rm: float = figure("Pulp rejected", "share", decimals=3, equation="Rv^P")
    least_rm: float = figure(
        "at least", "share", decimals=3, equation="0.08 + 0.05 × feed % over 1 × √(0.15/w); of holes w 0.15"
    )
    reject_pct: float = figure("Reject", "%", decimals=2, equation="feed × Rm/Rv")
    margin: float = figure("Margin to blinding", "", decimals=3, equation="the least of load, rejects, reject %, thickening")
    area_for_m2: float = figure("Area for this accept", "m²", decimals=2, equation="accept/(0.9 × capacity)")
    binds: str = ""
    cautions: tuple[Caution, ...] = ()


@dataclass(frozen=True, slots=True, kw_only=True)
class Margin:
    """How far a stage is from blinding: the least of four, each 0 at its limit, and which that is."""

    least: float
    binds: str
    least_rm: float


MOVES: Final = {
    "load": "more area, or less through it",
    "mass reject": "reject more flow",
    "reject consistency": "a thinner feed, or more flow rejected",
    "thickening": "reject more flow",
}


def margin_of(
    *, velocity_m_s: float, shape: str, rm: float, rv: float, feed_pct: float, aperture_mm: float, blinds_pct: float
) -> Margin:
    """The margin of a stage. `blinds_pct`: the reject consistency at which its basket blinds. Source: limits, defaults."""
    mm = aperture_mm if shape == "slots" else SLOT_MM  # the limit is one of slots; holes are held to that of 0.15 mm
    least = LEAST_RM + RM_A_PCT * max(0.0, feed_pct - 1.0) * math.sqrt(SLOT_MM / mm)
    told = {
        "load": 1.0 - velocity_m_s / MOST_M_S[shape],
        "mass reject": rm / least - 1.0,
        "reject consistency": 1.0 - feed_pct * rm / rv / blinds_pct,
        "thickening": 1.0 - rm / rv / MOST_THICKENING,
    }
    binds = min(told, key=lambda name: told[name])
    return Margin(least=told[binds], binds=binds, least_rm=least)


_FINE = {
    "accept_t_h": 5.2,
    "accept_pct": 1.05,
    "feed_pct": 1.2,
    "rv": 0.20,
    "p_pulp": 0.75,
    "aperture_mm": 0.15,
    "area_m2": 2.4,
}
_MEDIUM = {"accept_t_h": 4.0, "accept_pct": 2.4, "feed_pct": 3.2, "rv": 0.12, "p_pulp": 0.62, "aperture_mm": 0.10}


@model(
    "screen.capacity",
    title="What a screen carries, and how near it blinds",
    source="continuity; limits of blinding are defaults",
    holds_for="slots 0.08 to 0.35 mm, holes 0.8 to 6 mm; rotor speed is not modelled: a slower rotor blinds sooner",
    equation="capacity = 36 φ v C; margin = least of 1 − v/v most, Rm/Rm least − 1, 1 − C T/C blinds, 1 − T/2.5",
    symbols="C=accept_pct Rm=rm",
    basis="default",
    checks=(
        Check(_FINE, "open_share", 0.04478, 2e-4),
        Check(_FINE, "capacity", 2.5388, 1e-4),
        Check(_FINE, "velocity_m_s", 1.2801, 1e-4),
        Check(_FINE, "rm", 0.29907, 1e-4),
        Check(_FINE, "least_rm", 0.09000, 1e-4),
        Check(_FINE, "reject_pct", 1.7944, 1e-4),
        Check(_FINE, "margin", 0.1466, 1e-3),
        Check({**_MEDIUM, "area_m2": 2.4, "duty": "slots at medium consistency"}, "margin", -0.0232, 5e-3),
    ),
)
def capacity(case: CapacityCase) -> CapacityFound:
    """Raises: ImpossibleInput."""
    cautions = check(case)
    refuse_aperture(case.shape, case.aperture_mm)
    phi = open_share(case.aperture_mm, case.shape, case.wire_mm)
    carries = T_H_A_PCT * phi * MOST_M_S[case.shape] * case.accept_pct
    v = case.accept_t_h / (T_H_A_PCT * phi * case.accept_pct * case.area_m2)
    rm = case.rv**case.p_pulp
    m = margin_of(
        velocity_m_s=v,
        shape=case.shape,
        rm=rm,
        rv=case.rv,
        feed_pct=case.feed_pct,
        aperture_mm=case.aperture_mm,
        blinds_pct=DUTIES[case.duty],
    )
    cautions += near(m, "accept_t_h")
    return CapacityFound(
        open_share=phi,
        capacity=carries,
        velocity_m_s=v,
        rm=rm,
        least_rm=m.least_rm,
        reject_pct=case.feed_pct * rm / case.rv,
        margin=m.least,
        area_for_m2=case.accept_t_h / (0.9 * carries),
        binds=m.binds,
        cautions=cautions,
    )


def near(m: Margin, name: str) -> tuple[Caution, ...]:
    """What is to be said of a margin: the basket blinds, or nearly, by what, and the move."""
    if m.least >= NEAR:
        return ()
    how = "blinds" if m.least < 0.0 else "is near blinding"
    return (Caution(name, f"the basket {how}, by its {m.binds}: {MOVES[m.binds]}"),)


@dataclass(frozen=True, slots=True, kw_only=True)
class SlotCase:
    particle: str = choice("Class", tuple(k for k in PASSAGE if k not in FIBRES))
    e: float = quantity("Dirt to leave in the reject", "share", possible=(0, 1), above=True, valid=(0.2, 0.95), decimals=2)
    rv: float = quantity("Flow rejected", "share", possible=(0, 0.99), above=True, valid=(0.05, 0.6), decimals=2)
    velocity_m_s: float = quantity(
        "Velocity in the openings", "m/s", possible=(0, 6), above=True, valid=(0.5, 2), decimals=2, default=1.2
    )
    temp_c: float = quantity("Temperature", "°C", possible=(0, 99), valid=(20, 70), decimals=0, default=50.0)


@dataclass(frozen=True, slots=True, kw_only=True)
class SlotFound:
    aperture_mm: float = figure("Widest slot", "mm", decimals=3, equation="0.15 (ln E/(P15 f ln Rv))^(1/b)")
    cautions: tuple[Caution, ...] = ()


@model(
    "screen.slot_for",
    title="Widest slot for an efficiency",
    source="screen.passage turned round",
    holds_for="slots of 0.08 to 0.35 mm",
    equation="w = 0.15 (ln E/(P15 f ln Rv))^(1/b)",
    symbols="w=aperture_mm E=e Rv=rv",
    basis="default",
    checks=(
        Check({"particle": "hard stickies", "e": 0.60922, "rv": 0.20}, "aperture_mm", 0.20, 1e-4),
        Check({"particle": "hard stickies", "e": 0.83928, "rv": 0.20}, "aperture_mm", 0.10, 1e-4),
    ),
)
def slot_for(case: SlotCase) -> SlotFound | Infeasible:
    """Infeasible outside the slots that are made. Raises: ImpossibleInput."""
    cautions = check(case)
    p15, power = PASSAGE[case.particle]
    factor = p15 * driven(case.particle, case.velocity_m_s, case.temp_c)
    wanted = math.log(case.e) / math.log(case.rv)
    w = SLOT_MM * (wanted / factor) ** (1.0 / power) if factor > 0.0 else math.inf
    if not SLOTS_MM[0] <= w <= SLOTS_MM[1]:
        low, high = (case.rv ** min(1.0, factor * (mm / SLOT_MM) ** power) for mm in SLOTS_MM)
        at = low if w < SLOTS_MM[0] else high
        reason = f"is {case.e:.2f}: slots of {SLOTS_MM[0]:g} to {SLOTS_MM[1]:g} mm keep {high:.2f} to {low:.2f} of it back"
        return Infeasible(field="e", reason=reason, nearest=at, unit="share")
    return SlotFound(aperture_mm=w, cautions=cautions)
