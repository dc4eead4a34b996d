"""The belt into a cook: the mix on every basis, its steaming, and what every thickness class becomes in the same cook."""

from dataclasses import dataclass

from core.chips.wood import BASES, Part, WoodMix, dry_basis, full_pct, mix_wood
from core.cook.charged import ByLog, Charged, LogPoint
from core.cook.thickness import ChipClass, PresteamCase, Presteamed, Uneven, cook_chips, presteam
from core.errors import Caution, ImpossibleInput, Problem, as_named, beside
from core.quantity import check, choice, figure, leaf, quantity, rows
from core.register import Check, model

SPREAD_LIMITS, OVER_THICK_LIMITS = (0.20, 0.30), (8.0, 12.0)  # sd of kappa over its mean; % of the oven-dry wood
STEAM_LONGER_MIN, THICK_MM, LEAST_FILLED, MOST_STEAM_MIN = 5.0, 8.0, 0.3, 60.0
CLASS_SUM = (99.5, 100.5)


@dataclass(frozen=True, slots=True, kw_only=True)
class PartRow:
    """One wood of the mix."""

    share: float = quantity("Share", "", possible=(0, 1e6), decimals=1)
    moisture_pct: float = quantity("Moisture", "% wet", possible=(0, 99), valid=(20, 65), decimals=1)
    rho_b: float = quantity("Basic density", "kg/m³", possible=(200, 900), valid=(300, 650), decimals=0)


@dataclass(frozen=True, slots=True, kw_only=True)
class ClassRow:
    """One thickness class: its middle and its share of the oven-dry wood."""

    mm: float = quantity("Middle", "mm", possible=(0, 30), above=True, valid=(1, 15), decimals=1)
    share: float = quantity("Share", "%", possible=(0, 100), decimals=1)


@dataclass(frozen=True, slots=True, kw_only=True)
class BeltCase(Charged, ByLog):
    """Parts on a basis, classes in %, minutes of presteaming, oven-dry feed, and the cook they all get."""

    parts: tuple[PartRow, ...] = rows("Part", PartRow, most=6)
    basis: str = choice("Shares on", BASES, default="green")
    classes: tuple[ClassRow, ...] = rows("Class", ClassRow, most=8)
    presteam_min: float = quantity("Presteaming", "min", possible=(0, 60), valid=(2, 30), decimals=0)
    feed_t_h: float = quantity("Feed", "t/h OD", possible=(0, 1000), valid=(0, 300), decimals=2)
    points: tuple[LogPoint, ...] = rows("Point", LogPoint, least=2, most=12)


@dataclass(frozen=True, slots=True, kw_only=True)
class Belt:
    """`after` is the same belt steamed `longer_min`. Shares in %, rates in t/h and m3/h; `spread` is the sd of kappa over its
    mean."""

    mix: WoodMix
    steamed: Presteamed
    uneven: Uneven
    after: Uneven
    longer_min: float
    wet_t_h: float
    loose_m3_h: float
    over_thick_pct: float
    accept_pct: float
    worst_share_pct: float
    dry_pct: float
    full_pct: float
    spread: float


def mark_of(value: float, limits: tuple[float, float]) -> str:
    """The mark of a figure: "act" over the second limit, "watch" over the first, else "": defaults of practice."""
    return "act" if value > limits[1] else "watch" if value > limits[0] else ""


@dataclass(frozen=True, slots=True, kw_only=True)
class BeltFound:
    """What the belt becomes in its cook; `belt` holds it whole."""

    kappa: float = figure("Kappa, mean", "", decimals=1, equation="Σ pulp of a class × its kappa / Σ pulp")
    kappa_sd: float = figure("Spread of kappa", "", decimals=1, equation="standard deviation over the pulp of the classes")
    knots_pct: float = figure("Knots", "%", decimals=2, equation="Σ share × rejects of its class")
    screened_pct: float = figure("Screened yield", "%", decimals=1, equation="total yield − knots")
    over_thick_pct: float = figure("Over-thick, over 8 mm", "%", decimals=1, equation="Σ shares over 8 mm")
    moisture_pct: float = figure("Moisture of the mix", "% wet", decimals=1, equation="water of the parts by their dry shares")
    wet_t_h: float = figure("as it comes", "t/h wet", decimals=1, equation="dry feed / (1 − moisture)")
    loose_m3_h: float = figure("on the belt", "m³/h", decimals=0, equation="1000 × dry feed / loose bulk density")
    air_left_pct: float = figure("Air left after steaming", "%", decimals=0, equation="by the steaming model")
    knots_longer_pct: float = figure("Knots, steamed longer", "%", decimals=2, equation="the same belt, 5 min more of steam")
    belt: Belt
    cautions: tuple[Caution, ...] = ()


_FIVE = tuple({"mm": mm, "share": share} for mm, share in ((2, 10), (3, 35), (5, 35), (7, 14), (9, 6)))
_CHECK = {
    "parts": ({"share": 60, "moisture_pct": 52, "rho_b": 400}, {"share": 40, "moisture_pct": 45, "rho_b": 500}),
    "basis": "green",
    "classes": _FIVE,
    "presteam_min": 10,
    "feed_t_h": 10,
    "species": "softwood",
    "ea_pct_naoh": 18.5,
    "sulphidity_pct": 30,
    "lw_m3_t": 4,
    "points": ({"minute": 0, "temp_c": 80}, {"minute": 90, "temp_c": 170}, {"minute": 180, "temp_c": 170}),
}


@model(
    "chips.belt",
    title="A belt of chips in one cook",
    source="mass balance of the mix; thickness cook, default to be calibrated",
    holds_for="classes of 1 to 15 mm, presteaming to 30 min",
    equation="every class in the same liquor; mean by pulp mass",
    basis="default",
    checks=(
        Check(_CHECK, "moisture_pct", 100.0 * (1.0 - 1.0 / (1.0 + 0.56693 * 52 / 48 + 0.43307 * 45 / 55)), 1e-4),
        Check(_CHECK, "over_thick_pct", 6.0),
    ),
)
def belt_found(case: BeltCase) -> BeltFound:
    """The figures of a belt. Raises: ImpossibleInput naming a part, a class ("classes") or the steaming; NotSolved."""
    cautions = check(case)
    done = belt(case)
    return BeltFound(
        kappa=done.uneven.kappa,
        kappa_sd=done.uneven.kappa_sd,
        knots_pct=done.uneven.rejects,
        screened_pct=done.uneven.screened_pct,
        over_thick_pct=done.over_thick_pct,
        moisture_pct=done.mix.moisture_pct,
        wet_t_h=done.wet_t_h,
        loose_m3_h=done.loose_m3_h,
        air_left_pct=100.0 * done.steamed.air_left,
        knots_longer_pct=done.after.rejects,
        belt=done,
        cautions=beside(cautions + beside(done.mix.cautions, _part) + beside(done.steamed.cautions, _steaming), str),
    )


def _part(name: str) -> str:
    """moisture_pct_0 of the mix is parts.1.moisture_pct of the case."""
    field, _, number = name.rpartition("_")
    return leaf("parts", int(number) + 1, field) if number.isdigit() else name


def _steaming(name: str) -> str:
    """The minutes of steaming are given; its wood is that of the parts."""
    return {"minutes": "presteam_min", "rho_b": "parts", "u_pct": "parts"}.get(name, name)


def belt(case: BeltCase) -> Belt:
    """Work a belt out. Raises: ImpossibleInput naming a part, a class ("classes") or the steaming; NotSolved."""
    parts = tuple(
        Part(name=f"part {i}", share=p.share, moisture_pct=p.moisture_pct, rho_b=p.rho_b)
        for i, p in enumerate(case.parts, start=1)
    )
    with as_named(_part):
        mix = mix_wood(parts, case.basis)
    whole = sum(c.share for c in case.classes)
    if not CLASS_SUM[0] <= whole <= CLASS_SUM[1]:
        raise ImpossibleInput(Problem("classes", f"the classes sum to {whole:g} %; they must make 100 ± 0.5 %"))
    u = min(250.0, dry_basis(mix.moisture_pct))

    longer = min(MOST_STEAM_MIN, case.presteam_min + STEAM_LONGER_MIN)
    with as_named(_steaming):
        steamed, after = (presteam(PresteamCase(minutes=m, rho_b=mix.rho_b, u_pct=u)) for m in (case.presteam_min, longer))
    lots = tuple(
        tuple(ChipClass(mm=c.mm, share=c.share, penetration=max(LEAST_FILLED, x.void_filled)) for c in case.classes)
        for x in (steamed, after)
    )
    uneven, uneven_longer = cook_chips(case.species, case.charge, case.log, lots)
    thick = sum(c.rejects for c in uneven.classes if c.mm > THICK_MM)
    return Belt(
        mix=mix,
        steamed=steamed,
        uneven=uneven,
        after=uneven_longer,
        longer_min=longer,
        wet_t_h=case.feed_t_h / (1.0 - mix.moisture_pct / 100.0),
        loose_m3_h=1000.0 * case.feed_t_h / mix.bulk_od,
        over_thick_pct=sum(c.share for c in case.classes if c.mm > THICK_MM),
        accept_pct=sum(c.share for c in case.classes if 2.0 <= c.mm <= THICK_MM),
        worst_share_pct=100.0 * thick / uneven.rejects if uneven.rejects else 0.0,
        dry_pct=dry_basis(mix.moisture_pct),
        full_pct=full_pct(mix.rho_b),
        spread=uneven.kappa_sd / uneven.kappa,
    )
