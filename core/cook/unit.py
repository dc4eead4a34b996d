"""A cook as a unit of the line: its charge and its log decide yield, kappa, and the liquor and solids that the washers get."""

from collections.abc import Mapping
from dataclasses import dataclass, replace

import numpy as np

from core.cook.blow import COD_A_ORGANIC, BlowCase, blow, white_liquor
from core.cook.continuous import Zone, passage
from core.cook.kinetic import Charge, cook
from core.cook.profile import Points, h_factor
from core.cook.species import DEFAULT, NAMES, SPECIES, Fitted
from core.document import Inlined, Table, item, text
from core.errors import ImpossibleInput, Problem
from core.learn import Constant
from core.quantity import Quantity, choice, quantities, quantity
from core.soda import bound_sodium, held_at
from core.stream import DS, N, Vector, W
from core.unit import Acts, Drawn, Facts, Inlet, Upset, Warmth, Worked, checked, of_pulp


@dataclass(frozen=True, slots=True, kw_only=True)
class Made:
    """What a cook made: total yield, % of oven-dry wood (above 0 to 100), and its kappa (0 to 200).

    `weight`: how much it leads over the model, 1 (alone) to 0.
    """

    yield_pct: float
    kappa: float
    weight: float = 1.0

    def beside(self, model: "Made") -> "Made":
        """What holds between it and what the model makes, by its weight."""
        return Made(
            yield_pct=model.yield_pct + self.weight * (self.yield_pct - model.yield_pct),
            kappa=model.kappa + self.weight * (self.kappa - model.kappa),
        )


def carried_over(made: Made, now: "CookPlan", then: "CookPlan", wood_t_h: float) -> Made:
    """What a kept cook would have made at other settings: the model's change between the two added to what it made.

    Raises: ImpossibleInput, NotSolved.
    """
    before, after = (plan.makes_of(plan.charge, plan.way(wood_t_h)) for plan in (now, then))
    return Made(
        yield_pct=min(100.0, max(1.0, made.yield_pct + after.yield_pct - before.yield_pct)),
        kappa=min(200.0, max(0.1, made.kappa + after.kappa - before.kappa)),
        weight=made.weight,
    )


COOK_STEAM_BAR = 11.0
BLOW_PH = 12.0  # of the liquor at the blow
VESSELS = ("batch", "continuous")
ZONE = "zone."  # of a setting: the temperature of a zone, counted from 1
WEAK, COLD_C = 0.9, 3.0  # of an upset: the strength that is left, and what the hot zones lack
HOT = ("heat", "cook")  # the zones whose temperature is set as the digester runs
TRIED_T_H = 5.0  # what zones are tried with while nothing is fed, t/h oven-dry


@dataclass(frozen=True, slots=True, kw_only=True)
class LogPoint:
    """A corner of a temperature log: minutes from the start of heating, and °C."""

    minute: float = quantity("Minute", "min", possible=(0, 10_000), decimals=0)
    temp_c: float = quantity("Temperature", "°C", possible=(-10, 200), decimals=0)


@dataclass(frozen=True, slots=True, kw_only=True)
class CookPlan:
    """How a cooking unit is set to cook. `makes`: what its newest kept cook made, which leads; else the kinetic model tells,
    by `coefficients`, the mill's own where it chose them.

    `charged_for_t_h`: the oven-dry wood, t/h, that the liquor is charged for; where other wood comes, the same liquor meets it
    and EA and liquor to wood are what they are on that wood. None charges for whatever comes.
    """

    species: str = choice("Wood or plant", NAMES)
    charge: Charge = item(Inlined(label="Charge", of=Charge))
    points: Points = item(Table(label="Temperature log", of=LogPoint, least=2, most=12, plain=True), default=())
    causticizing_pct: float = quantity("Causticizing", "%", possible=(30, 100), valid=(75, 90), decimals=0, default=82.0)
    reduction_pct: float = quantity("Reduction", "%", possible=(30, 100), valid=(88, 97), decimals=0, default=94.0)
    kappa_row: str = text("Row of its kappa", default="", names="plan")
    vessel: str = choice("Vessel", VESSELS, default="batch")
    zones: tuple[Zone, ...] = item(Table(label="Zones of a continuous digester", of=Zone, most=8), default=())
    blow_c: float = quantity("Blown at", "°C", possible=(20, 120), valid=(60, 105), decimals=0, default=95.0)
    feed_c: float = quantity("Chips enter at", "°C", possible=(20, 140), valid=(80, 120), decimals=0, default=100.0)
    makes: Made | None = None
    coefficients: Fitted = DEFAULT
    charged_for_t_h: float | None = None
    chip_water_t_h: float = 0.0  # that came with the wood it is charged for

    def tried(self) -> None:
        """Raises: ImpossibleInput, NotSolved for a charge, a log or zones that cannot be cooked."""
        if not self.points and not self.zones:
            raise ImpossibleInput(Problem("points", "are missing; a cook has a temperature log or zones"))
        self.makes_of(self.charge, self.points or self.way(TRIED_T_H))

    def makes_of(self, charge: Charge, points: Points) -> Made:
        """Yield and kappa by the kinetic model. Raises: ImpossibleInput."""
        done = cook(self.species, charge, points, coefficients=self.coefficients)
        return Made(yield_pct=done.yield_pct, kappa=done.kappa)

    def settings(self) -> Mapping[str, float]:
        charge = {name: getattr(self.charge, name) for name in quantities(Charge)}
        return charge | {f"{ZONE}{i}": z.temp_c for i, z in enumerate(self.zones, start=1) if z.kind in HOT}

    def settable(self) -> Mapping[str, Quantity]:
        temp = quantities(Zone)["temp_c"]
        hot = {f"{ZONE}{i}": z.name for i, z in enumerate(self.zones, start=1) if z.kind in HOT}
        return {**quantities(Charge), **{key: replace(temp, label=f"{name}, temperature") for key, name in hot.items()}}

    def set_to(self, values: Mapping[str, float]) -> "CookPlan":
        given = checked(values, self.settable())
        temps = {k: given.pop(k) for k in list(given) if k.startswith(ZONE)}
        zones = tuple(
            replace(z, temp_c=temps[f"{ZONE}{i}"]) if f"{ZONE}{i}" in temps else z for i, z in enumerate(self.zones, start=1)
        )
        return replace(self, charge=replace(self.charge, **given), zones=zones)

    def constants(self) -> tuple[Constant, ...]:
        return ()

    def passes_min(self, inlet: Inlet) -> float:
        """How long what is cooked is in the vessel, min."""
        points = self.points or self.way(max(0.1, inlet.solids_t_h))
        return float(points[-1][0] - points[0][0])

    def upsets(self) -> tuple[Upset, ...]:
        weak = Upset(name="white liquor a tenth weak", settings={"ea_pct_naoh": WEAK * self.charge.ea_pct_naoh})
        cold = {key: temp - COLD_C for key, temp in self.settings().items() if key.startswith(ZONE)}
        return (weak, Upset(name=f"hot zones {COLD_C:.0f} °C cold", settings=cold)) if cold else (weak,)

    def way(self, wood_t_h: float) -> Points:
        """Its temperature log: down the zones at a rate, t/h oven-dry, as far as the wash zone; else as it is set.

        Raises: ImpossibleInput.
        """
        if not self.zones or wood_t_h <= 0.0:
            return self.points
        return passage(tuple(z for z in self.zones if z.kind != "wash"), wood_t_h, feed_c=self.feed_c).points

    def met(self, inlet: Inlet) -> Charge:
        """The charge as the wood that comes meets it."""
        wood = inlet.solids_t_h
        if self.charged_for_t_h is None or wood <= 0.0:
            return self.charge
        drawn = self.charge.lw_m3_t * self.charged_for_t_h - self.chip_water_t_h
        return replace(
            self.charge,
            ea_pct_naoh=self.charge.ea_pct_naoh * self.charged_for_t_h / wood,
            lw_m3_t=(drawn + inlet.water_t_h) / wood,
        )

    def act(self, inlet: Inlet) -> Acts:
        """Raises: ImpossibleInput for a charge that cannot be, NotSolved."""
        charge = self.met(inlet)
        wood = inlet.solids_t_h
        points = self.way(wood) or self.way(TRIED_T_H)
        made = self.makes or self.makes_of(charge, points)
        if made.weight < 1.0:
            made = made.beside(self.makes_of(charge, points))
        liquor = charge.lw_m3_t * wood - inlet.water_t_h
        if liquor < 0.0:
            told = f"is {charge.lw_m3_t:.2f} m³/t; the chips alone bring {inlet.water_t_h / wood:.2f} t of water a t of wood"
            raise ImpossibleInput(Problem("lw_m3_t", told))
        brought = white_liquor(
            ea_pct_naoh=charge.ea_pct_naoh,
            sulphidity_pct=charge.sulphidity_pct,
            causticizing_pct=self.causticizing_pct,
            reduction_pct=self.reduction_pct,
        )
        case = BlowCase(
            yield_pct=made.yield_pct,
            ea_pct_naoh=charge.ea_pct_naoh,
            sulphidity_pct=charge.sulphidity_pct,
            lw_m3_t=charge.lw_m3_t,
            residual_g_l=cook(self.species, charge, points, coefficients=self.coefficients).residual_g_l,
            causticizing_pct=self.causticizing_pct,
            reduction_pct=self.reduction_pct,
        )
        dissolved = 1.0 - made.yield_pct / 100.0
        bound = bound_sodium(SPECIES[self.species].kind, BLOW_PH)  # kg Na/ODt of pulp
        return Acts(
            dissolves=dissolved,
            kappa=made.kappa,
            takes=Drawn(t_h=liquor, composition=_composition(brought.solids * wood / 1000.0, liquor)),
            adds=held_at(inlet, bound * made.yield_pct / 100.0, brought.sodium * wood)
            | {
                "ALK": case.residual_g_l * charge.lw_m3_t * wood,
                "SUL": brought.sulphur * wood,
                "COD": COD_A_ORGANIC * 1000.0 * dissolved * wood,
            },
            warmth=Warmth(to_c=max(t for _, t in points), leaves_c=self.blow_c, steam_bar_abs=COOK_STEAM_BAR),
            duties={"alkali_kg_h": 10.0 * charge.ea_pct_naoh * wood, "liquor_t_h": liquor},
            worked=(Worked(model="cook.blow", case=case, result=blow(case)),) if wood > 0.0 else (),
        )

    def facts(self, inlet: Inlet, acts: Acts, stage: int = 0) -> Facts:
        """The charge as the wood meets it, the H-factor and the hottest of its log, and the kappa it makes."""
        points = self.way(inlet.solids_t_h) or self.way(TRIED_T_H)
        hot = max(c for _, c in points)
        charge = self.met(inlet)
        return of_pulp(inlet) | {
            "ea_pct_naoh": charge.ea_pct_naoh,
            "lw_m3_t": charge.lw_m3_t,
            "h": h_factor(points),
            "temp_c": hot,
            "hot_min": sum(b[0] - a[0] for a, b in zip(points, points[1:], strict=False) if min(a[1], b[1]) > hot - 1.0),
            "kappa": acts.kappa or 0.0,
            "residual_g_l": acts.worked[0].case.residual_g_l if acts.worked else 0.0,
        }


def _composition(solids_t_h: float, liquor_t_h: float) -> Vector:
    """Mass fractions of the liquor charged: its solids and the rest water. Solids over the liquor are refused."""
    if solids_t_h > liquor_t_h:
        told = "leaves less liquor than the alkali weighs: charge less alkali, or more liquor"
        raise ImpossibleInput(Problem("lw_m3_t", told))
    v = np.zeros(N)
    v[DS] = solids_t_h / liquor_t_h if liquor_t_h > 0.0 else 0.0
    v[W] = 1.0 - v[DS]
    return v
