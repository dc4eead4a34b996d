"""Washers and the oxygen stage as units of the line: what they get of the liquor decides what they lose and remove."""

from collections.abc import Mapping
from dataclasses import dataclass, replace

from core.colour import brightness_from_ks, ks_from_kappa
from core.constants import SALTCAKE_A_SODIUM, SODIUM_IN_NAOH
from core.document import Table, item, same, text
from core.errors import ImpossibleInput, Problem
from core.learn import Constant
from core.quantity import Quantity, quantities, quantity
from core.soda import bound_sodium, held_at
from core.unit import (
    AIR_DRY,
    COD_A_KAPPA,
    LEAST_KAPPA,
    NOTHING,
    Acts,
    Drawn,
    Facts,
    Inlet,
    Upset,
    Warmth,
    Worked,
    checked,
    of_pulp,
)
from core.wash.line import WashCase, Washer, WashFound, wash_line
from core.wash.oxygen import OxygenCase, delignify

MJ_A_KAPPA = 12.0  # heat of oxygen’s reaction an ODt for each kappa removed, default
ORGANIC_A_KAPPA = 1.3  # kg of the pulp dissolved an ODt for each kappa removed, default
SHARE, COD_SHARE = 0.56, 0.87  # Na2SO4 and COD a kg of solids where none is counted, default


OXYGEN_SET = ("naoh_kg", "temp_c", "minutes", "bar_abs")


E10_LEAST, E10_MOST = quantities(Washer)["e10"].possible
WASH_LEARNS = (
    Constant(
        field="e10_factor",
        sign="E10",
        name="E10 of all washers, factor",
        low=0.3,
        high=2.0,
        sd=0.25,
        default=1.0,
        in_log=True,
        tests=("soda_loss",),
    ),
)
OXYGEN_LEARNS = (
    Constant(
        field="rate_factor",
        sign="k",
        name="rate of delignification, factor",
        low=0.2,
        high=5.0,
        sd=0.4,
        default=1.0,
        in_log=True,
        tests=("kappa",),
    ),
    Constant(
        field="inert_more", sign="kx", name="kappa not oxidised, more", low=-3.0, high=6.0, sd=1.0, tests=("kappa",), later=True
    ),
)


@dataclass(frozen=True, slots=True, kw_only=True)
class WashPlan:
    """How a unit washes: its dilution factor, t/ODt, and its washers in the way of the pulp.

    `loss_row`: the plan row of its loss, or empty. Feed and its solids come with the pulp; `feed_pct` and `x0` are what the
    set-up holds for a unit that nothing feeds yet.
    """

    name: str = text("Name")
    df: float = same(WashCase, "df")
    washers: tuple[Washer, ...] = item(Table(label="Washers", of=Washer, key="stages", least=1, most=12))
    stopped: float = quantity(
        "Washers stopped", "", possible=(0, 11), whole=True, decimals=0, default=0.0, help="counted from the last one"
    )
    air_pct: float = same(WashCase, "air_pct", default=0.0)
    loss_row: str = text("Row of its soda loss", default="", names="plan")
    wood: str = same(WashCase, "wood", default="softwood")
    ph: float = same(WashCase, "ph", default=10.0)
    feed_pct: float = same(WashCase, "feed_pct", default=11.0)
    x0: float = same(WashCase, "x0", default=60.0)
    e10_factor: float = quantity("E10 of all washers, factor", "", possible=(0.1, 5), valid=(0.3, 2), decimals=3, default=1.0)

    @property
    def in_service(self) -> tuple[Washer, ...]:
        """The washers that the pulp passes, each at the E10 that this mill has of it."""
        few, by = self.washers[: len(self.washers) - int(self.stopped)], self.e10_factor
        return few if by == 1.0 else tuple(replace(w, e10=min(E10_MOST, max(E10_LEAST, by * w.e10))) for w in few)

    def constants(self) -> tuple[Constant, ...]:
        return WASH_LEARNS

    def tried(self) -> None:
        """Raises: ImpossibleInput for washers that cannot wash, or where all of them are stopped."""
        if not self.in_service:
            told = f"is {self.stopped:g}; of {len(self.washers)} washers one at least must wash"
            raise ImpossibleInput(Problem("stopped", told))
        wash_line(self.case(NOTHING))

    def settings(self) -> Mapping[str, float]:
        return {"df": self.df, "stopped": self.stopped, "air_pct": self.air_pct}

    def settable(self) -> Mapping[str, Quantity]:
        stopped = replace(quantities(WashPlan)["stopped"], possible=(0.0, len(self.washers) - 1.0))
        said = quantities(WashCase)
        return {"df": said["df"], "stopped": stopped, "air_pct": said["air_pct"]}

    def upsets(self) -> tuple[Upset, ...]:
        left = len(self.washers) - int(self.stopped)
        foam = Upset(name="air in the feed, 6 % more", settings={"air_pct": min(40.0, self.air_pct + 6.0)})
        return (*((Upset(name="one more washer stops", settings={"stopped": self.stopped + 1.0}),) if left > 1 else ()), foam)

    def set_to(self, values: Mapping[str, float]) -> "WashPlan":
        return replace(self, **checked(values, self.settable()))

    def case(self, inlet: Inlet) -> WashCase:
        """The line of washers as the pulp that comes meets it."""
        fed = inlet.solids_t_h > 1e-9 and inlet.water_t_h > 1e-9 and inlet.dissolved_t_h > 0.0
        sodium, cod = inlet.sodium_kg_h, inlet.kg_h("COD")
        return WashCase(
            feed_pct=min(60.0, inlet.cons_pct) if fed else self.feed_pct,
            x0=min(400.0, inlet.liquor_kg_t) if fed else self.x0,
            df=self.df,
            na2so4_share=min(4.0, SALTCAKE_A_SODIUM * sodium / inlet.dissolved_t_h / 1000.0) if fed and sodium > 0.0 else SHARE,
            cod_share=min(3.0, cod / inlet.dissolved_t_h / 1000.0) if fed and cod > 0.0 else COD_SHARE,
            wood=self.wood,
            ph=self.ph,
            air_pct=self.air_pct,
            od_t_h=min(500.0, inlet.solids_t_h),
            washers=self.in_service,
        )

    def act(self, inlet: Inlet) -> Acts:
        """Raises: ImpossibleInput for a line that cannot wash so."""
        case = self.case(inlet)
        result = wash_line(case)
        carried = (100.0 - case.feed_pct) / case.feed_pct * case.x0  # kg an ODt
        lost = result.loss_kg_adt / AIR_DRY
        return Acts(
            liquor_on=min(1.0, max(0.0, lost / carried)) if carried > 0.0 else None,
            out_pct=self.in_service[-1].out_pct,
            takes=Drawn(t_h=result.shower_m3_h),
            warmth=Warmth(keeps=_kept(result)),
            adds=held_at(inlet, result.bound_kg_adt / SALTCAKE_A_SODIUM / AIR_DRY),
            duties={"water_t_h": result.shower_m3_h, "evaporators_t_h": result.evaporators_t_h, "steam_t_h": result.steam_t_h},
            worked=(Worked(model="wash.line", case=case, result=result),),
        )

    def facts(self, inlet: Inlet, acts: Acts, stage: int = 0) -> Facts:
        """Shower, m³/ADt, the feed and its solids, the mats and how many washers there are."""
        case = self.case(inlet)
        rate = inlet.solids_t_h / AIR_DRY
        shower = acts.duties["water_t_h"] / rate if rate > 0.0 else None
        known: dict[str, float | str] = {"feed_pct": case.feed_pct, "x0": case.x0, "out_pct": self.in_service[-1].out_pct}
        known |= {"stages": float(len(self.in_service))} | ({} if shower is None else {"shower_m3_adt": shower})
        lost = {"soda_kg_adt": acts.worked[0].result.soda_kg_adt}
        return of_pulp(inlet) | known | lost | {"kappa": inlet.kappa, "iso_pct": inlet.iso_pct}


def _kept(found: WashFound) -> float:
    """The share of its warmth over the wash water that a mat keeps: as of the solids, (x1 − y2)/(x0 − y2)."""
    first, last = found.line.stages[0], found.line.stages[-1]
    over = first.x0 - last.y2
    return min(1.0, max(0.0, (last.x1 - last.y2) / over)) if over > 1e-9 else 0.0


@dataclass(frozen=True, slots=True, kw_only=True)
class OxygenPlan:
    """How an oxygen stage is run; the kappa and the COD of its case are those of the pulp that comes."""

    wood: str = same(OxygenCase, "wood")
    minutes: float = same(OxygenCase, "minutes")
    temp_c: float = same(OxygenCase, "temp_c")
    naoh_kg: float = same(OxygenCase, "naoh_kg")
    cons_pct: float = same(OxygenCase, "cons_pct", default=12.0)
    bar_abs: float = same(OxygenCase, "bar_abs", default=6.0)
    rate_factor: float = same(OxygenCase, "rate_factor", default=1.0)
    inert_more: float = same(OxygenCase, "inert_more", default=0.0)

    def constants(self) -> tuple[Constant, ...]:
        return OXYGEN_LEARNS

    def passes_min(self, inlet: Inlet) -> float:
        """How long pulp is in it, min."""
        return self.minutes

    def tried(self) -> None:
        """Raises: ImpossibleInput for a stage that cannot be run."""
        self.act(replace(NOTHING, kappa=20.0))

    def settings(self) -> Mapping[str, float]:
        return {name: getattr(self, name) for name in OXYGEN_SET}

    def settable(self) -> Mapping[str, Quantity]:
        return {name: quantities(OxygenCase)[name] for name in OXYGEN_SET}

    def set_to(self, values: Mapping[str, float]) -> "OxygenPlan":
        return replace(self, **checked(values, self.settable()))

    def upsets(self) -> tuple[Upset, ...]:
        return (
            Upset(name="no alkali", settings={"naoh_kg": 0.0}),
            Upset(name="no oxygen pressure", settings={"bar_abs": quantities(OxygenCase)["bar_abs"].possible[0]}),
        )

    def act(self, inlet: Inlet) -> Acts:
        """Raises: ImpossibleInput."""
        case = OxygenCase(
            wood=self.wood,
            kappa_in=min(200.0, max(LEAST_KAPPA, inlet.kappa)),
            minutes=self.minutes,
            temp_c=self.temp_c,
            naoh_kg=self.naoh_kg,
            cons_pct=self.cons_pct,
            bar_abs=self.bar_abs,
            cod_kg=min(300.0, inlet.kg_odt("COD")),
            rate_factor=self.rate_factor,
            inert_more=self.inert_more,
        )
        result = delignify(case)
        removed = case.kappa_in - result.kappa
        return Acts(
            dissolves=ORGANIC_A_KAPPA * removed / 1000.0,
            kappa=result.kappa,
            iso_pct=brightness_from_ks(ks_from_kappa(result.kappa)),
            adds={
                "COD": COD_A_KAPPA * removed * inlet.solids_t_h,
                "ALK": result.alkali_left_kg * inlet.solids_t_h,
            }
            | held_at(inlet, bound_sodium(self.wood, result.end_ph), SODIUM_IN_NAOH * case.naoh_kg * inlet.solids_t_h),
            duties={"NaOH_kg_h": case.naoh_kg * inlet.solids_t_h},
            warmth=Warmth(
                to_c=self.temp_c, leaves_c=self.temp_c, reaction_mj_h=MJ_A_KAPPA * max(0.0, removed) * inlet.solids_t_h
            ),
            worked=(Worked(model="oxygen.delignify", case=case, result=result),),
            cautions=result.cautions,
        )

    def facts(self, inlet: Inlet, acts: Acts, stage: int = 0) -> Facts:
        """How the stage is run; its alkali is counted a tonne air-dry."""
        own: Facts = {"wood": self.wood, "naoh_kg": AIR_DRY * self.naoh_kg, "temp_c": self.temp_c, "minutes": self.minutes}
        return {**of_pulp(inlet), **own, "kappa": acts.kappa or 0.0}
