"""A cook on its way down a continuous digester: zones by the rate, the kinetic cook as far as the wash zone."""

from dataclasses import dataclass

from core.cook import kinetic
from core.cook.charged import Charged
from core.cook.continuous import ZONE_KINDS, Zone, ZoneCase, cooked_through, filled
from core.cook.models import YIELD_BY
from core.document import same
from core.errors import Caution, ImpossibleInput, Problem, beside
from core.quantity import check, choice, figure, quantity, rows
from core.register import Check, model


@dataclass(frozen=True, slots=True, kw_only=True)
class ZoneRow:
    """A zone from the top down: what it does, its volume, its packing, and the temperature at its end."""

    kind: str = choice("Kind", ZONE_KINDS)
    volume_m3: float = same(ZoneCase, "volume_m3")
    packing_t_m3: float = same(ZoneCase, "packing_t_m3")
    temp_c: float = quantity("Temperature", "°C", possible=(20, 190), valid=(100, 175), decimals=1)


@dataclass(frozen=True, slots=True, kw_only=True)
class VesselCase(Charged):
    """What goes into the vessel, at which rate, and its zones."""

    wood_t_h: float = same(ZoneCase, "wood_t_h")
    level_pct: float = quantity("Chip level", "% of the top zone", possible=(10, 110), decimals=0, default=100.0)
    feed_c: float = quantity("Chips enter at", "°C", possible=(20, 140), valid=(80, 120), decimals=0, default=100.0)
    zones: tuple[ZoneRow, ...] = rows("Zone", ZoneRow, most=8)


@dataclass(frozen=True, slots=True, kw_only=True)
class VesselFound:
    """What leaves at the blow line once the vessel runs at this rate."""

    kappa: float = figure("Kappa at the blow line", "", decimals=1, equation="the kinetic cook along the zones, wash left out")
    yield_pct: float = figure("Total yield", "%", decimals=1, equation=YIELD_BY)
    residual_g_l: float = figure("Residual alkali", "g/L", decimals=1, equation="40 × alkali left, mol/L, at the wash zone")
    h: float = figure("H-factor", "", decimals=0, equation="∫ exp(43.20 − 16115/T) dt through the vessel")
    minutes: float = figure("In the vessel", "min", decimals=0, equation="Σ 60 × volume × packing / wood")
    cautions: tuple[Caution, ...] = ()


def zones_of(case: VesselCase) -> tuple[Zone, ...]:
    """The zones of a case, the top one as full as its level says."""
    named = (
        Zone(name=z.kind, kind=z.kind, volume_m3=z.volume_m3, packing_t_m3=z.packing_t_m3, temp_c=z.temp_c) for z in case.zones
    )
    return filled(tuple(named), case.level_pct)


_CHECK = {
    "species": "alder",
    "ea_pct_naoh": 17.5,
    "sulphidity_pct": 28.4,
    "lw_m3_t": 4,
    "wood_t_h": 4.57,
    "zones": (
        {"kind": "impregnate", "volume_m3": 18, "packing_t_m3": 0.20, "temp_c": 112},
        {"kind": "heat", "volume_m3": 8, "packing_t_m3": 0.19, "temp_c": 158},
        {"kind": "cook", "volume_m3": 37, "packing_t_m3": 0.19, "temp_c": 158},
    ),
}


@model(
    "cook.vessel",
    title="A cook down a continuous digester",
    source="balance of the zones; parallel pools, constants are defaults to be calibrated",
    holds_for="packing 0.16 to 0.26 t OD/m³, counted as wood fed; one rate all the way down",
    equation="minutes by zone; lignin, carbohydrate, gum and alkali in parallel pools along them",
    basis="default",
    checks=(Check(_CHECK, "minutes", 159.519, 1e-5),),  # (18 × 0.20 + 45 × 0.19) t × 60 / 4.57
)
def vessel(case: VesselCase) -> VesselFound:
    """The cook of a vessel. Raises: ImpossibleInput; without a heating or cooking zone nothing is cooked."""
    cautions = check(case)
    if all(z.kind == "wash" for z in case.zones):
        raise ImpossibleInput(Problem("zones.1.kind", "is wash; a vessel that only washes cooks nothing"))
    whole, done = cooked_through(case.species, case.charge, zones_of(case), case.wood_t_h, feed_c=case.feed_c)
    told = beside(cautions + done.cautions, lambda field: "zones" if field == "points" else field)
    return found_of(done, whole.h, whole.minutes, told)


def found_of(done: kinetic.Cooked, h: float, minutes: float, cautions: tuple[Caution, ...] = ()) -> VesselFound:
    """The figures of a vessel whose cook is worked out already."""
    return VesselFound(
        kappa=done.kappa,
        yield_pct=done.yield_pct,
        residual_g_l=done.residual_g_l,
        h=h,
        minutes=minutes,
        cautions=cautions,
    )
