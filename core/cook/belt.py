"""The belt into a cook: the mix on every basis, its steaming, and what every thickness class becomes in the same cook."""

from dataclasses import dataclass

from core.chips.wood import Part, WoodMix, dry_basis, full_pct, mix_wood
from core.cook.kinetic import Charge
from core.cook.profile import Points
from core.cook.thickness import ChipClass, PresteamCase, Presteamed, Uneven, cook_classes, presteam
from core.errors import ImpossibleInput, Problem

STEAM_LONGER_MIN, THICK_MM, LEAST_FILLED, MOST_STEAM_MIN = 5.0, 8.0, 0.3, 60.0
CLASS_SUM = (99.5, 100.5)


@dataclass(frozen=True, slots=True, kw_only=True)
class BeltCase:
    """Parts on a basis, classes as (mid mm, %), minutes of presteaming, oven-dry feed t/h, and the cook they all get."""

    parts: tuple[Part, ...]
    basis: str
    classes: tuple[tuple[float, float], ...]
    presteam_min: float
    feed_t_h: float
    species: str
    charge: Charge
    points: Points


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


def belt(case: BeltCase) -> Belt:
    """Work a belt out. Raises: ImpossibleInput naming a part, a class ("classes") or the steaming; NotSolved."""
    mix = mix_wood(case.parts, case.basis)
    whole = sum(share for _, share in case.classes)
    if not CLASS_SUM[0] <= whole <= CLASS_SUM[1]:
        raise ImpossibleInput(Problem("classes", f"the classes sum to {whole:g} %; they must make 100 ± 0.5 %"))
    u = min(250.0, dry_basis(mix.moisture_pct))

    def cooked(minutes: float) -> tuple[Presteamed, Uneven]:
        steamed = presteam(PresteamCase(minutes=minutes, rho_b=mix.rho_b, u_pct=u))
        filled = max(LEAST_FILLED, steamed.void_filled)
        classes = tuple(ChipClass(mm=mm, share=share, penetration=filled) for mm, share in case.classes)
        return steamed, cook_classes(case.species, case.charge, case.points, classes)

    longer = min(MOST_STEAM_MIN, case.presteam_min + STEAM_LONGER_MIN)
    steamed, uneven = cooked(case.presteam_min)
    thick = sum(c.rejects for c in uneven.classes if c.mm > THICK_MM)
    return Belt(
        mix=mix,
        steamed=steamed,
        uneven=uneven,
        after=cooked(longer)[1],
        longer_min=longer,
        wet_t_h=case.feed_t_h / (1.0 - mix.moisture_pct / 100.0),
        loose_m3_h=1000.0 * case.feed_t_h / mix.bulk_od,
        over_thick_pct=sum(s for mm, s in case.classes if mm > THICK_MM),
        accept_pct=sum(s for mm, s in case.classes if 2.0 <= mm <= THICK_MM),
        worst_share_pct=100.0 * thick / uneven.rejects if uneven.rejects else 0.0,
        dry_pct=dry_basis(mix.moisture_pct),
        full_pct=full_pct(mix.rho_b),
        spread=uneven.kappa_sd / uneven.kappa,
    )
