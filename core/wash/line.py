"""Counter-current washing: Norden stages in series, displacement, loss, what goes to the evaporators, and the dilution that
costs least.

Flows in t per oven-dry t (t/ODt), solids in kg/t of liquor, loss in kg per air-dry t (0.9 of an oven-dry t).
Source: Norden 1966; Phillips and Nelson 1977 (E10, standard at 10 %); Perkins et al. 1954 (displacement ratio). E10 are
defaults.
"""

import math
from dataclasses import dataclass, replace
from typing import Final

import numpy as np

from core.constants import SALTCAKE_A_SODIUM
from core.errors import Caution, ImpossibleInput, Infeasible, Problem, as_named, beside
from core.quantity import check, choice, figure, leaf, quantities, quantity, rows
from core.register import Check, model
from core.soda import ACID_GROUPS, bound_saltcake

L_STANDARD: Final = 9.0  # t liquor / t OD at 10 %
LEAST_DF: Final = 1e-6  # at 0 both Norden equations are 0/0
AD: Final = 0.9
DF_LOW, DF_HIGH = -1.0, 6.0
MOST_GAP = 0.10  # of the feed’s solute, between samples that tell one E10
KINDS: Final = {"drum": 3.5, "pressure drum": 5.0, "belt": 7.0, "press": 4.0, "diffuser": 8.0, "wash zone": 9.0}  # E10, default


def liquor(cons_pct: float) -> float:
    """t of liquor a t OD of pulp carries at a consistency, %."""
    return (100.0 - cons_pct) / cons_pct


@dataclass(frozen=True, slots=True, kw_only=True)
class Washer:
    """One stage: its kind, E10, and the consistency it leaves at, %."""

    kind: str = choice("Kind", tuple(KINDS))
    e10: float = quantity("E10, Norden at 10 %", "", possible=(0.1, 20), valid=(1, 15), decimals=1)
    out_pct: float = quantity("Leaves at", "%", possible=(0, 60), above=True, valid=(8, 35), decimals=1)


@dataclass(frozen=True, slots=True, kw_only=True)
class Washed:
    """A stage as solved: liquor (t/ODt) in and out, wash in, filtrate out; solids (kg/t) of each; its own displacement
    ratio. `pressed`: so dry a mat at so low an E10 counts as pressing alone."""

    washer: Washer
    l0: float
    l1: float
    v2: float
    v1: float
    x0: float
    x1: float
    y2: float
    y1: float
    dr: float
    pressed: bool = False


@dataclass(frozen=True, slots=True, kw_only=True)
class WashLine:
    """The line: its stages, loss kg/ADt, recovered %, filtrate to the evaporators t/ODt and its solids %, and the solute
    balance."""

    stages: tuple[Washed, ...]
    df: float
    loss_kg_adt: float
    recovered_pct: float
    to_evaporators: float
    solids_pct: float
    closure: float
    cautions: tuple[Caution, ...] = ()


@dataclass(frozen=True, slots=True, kw_only=True)
class WashCase:
    """A line of washers and what enters it."""

    feed_pct: float = quantity("Feed", "%", possible=(0, 60), above=True, valid=(1, 30), decimals=2)
    x0: float = quantity("Solids in its liquor", "kg/t", possible=(0, 400), valid=(1, 250), decimals=1)
    df: float = quantity("Dilution factor", "t/ODt", possible=(-1, 20), valid=(0, 5), decimals=2)
    y_in: float = quantity("Solids of the wash liquor", "kg/t", possible=(0, 400), valid=(0, 100), decimals=1, default=0.0)
    na2so4_share: float = quantity(
        "Na₂SO₄ in the solids",
        "kg/kg",
        possible=(0, 4),
        valid=(0.2, 2),
        decimals=2,
        default=0.56,
    )
    od_t_h: float = quantity("Pulp", "t/h OD", possible=(0, 500), decimals=2, default=1.0)
    economy: float = quantity("Evaporators’ economy", "t/t", possible=(0.5, 12), valid=(4, 6), decimals=1, default=5.0)
    cod_share: float = quantity("COD of the solids", "kg/kg", possible=(0, 3), valid=(0.6, 1.1), decimals=2, default=0.87)
    wood: str = choice("Pulp", tuple(ACID_GROUPS), default="softwood")
    ph: float = quantity("pH of the last mat", "", possible=(0, 14), valid=(8, 12), decimals=1, default=10.0)
    air_pct: float = quantity(
        "Entrained air in the feed", "% by volume", possible=(0, 40), valid=(0, 12), decimals=1, default=0.0
    )
    washers: tuple[Washer, ...] = rows("Washer", Washer, most=12)

    @property
    def washing(self) -> tuple[Washer, ...]:
        """The washers as the air in the feed leaves them."""
        return with_air(self.washers, self.air_pct)


@dataclass(frozen=True, slots=True, kw_only=True)
class WashFound:
    """What a line of washers does; `line` holds its stages."""

    loss_kg_adt: float = figure("Loss with the pulp, solids", "kg/ADt", decimals=1, equation="0.9 L x of the last mat")
    soda_kg_adt: float = figure(
        "Soda loss, washable, as Na₂SO₄",
        "kg/ADt",
        decimals=1,
        equation="loss × Na₂SO₄ a kg solids × (1 − bound/all)",
    )
    bound_kg_adt: float = figure(
        "Soda bound on the fibre, as Na₂SO₄", "kg/ADt", decimals=1, equation="0.9 q 0.071021/(1 + 10^(0.6 (5 − pH)))"
    )
    cod_kg_adt: float = figure("COD carried on", "kg/ADt", decimals=1, equation="loss × COD a kg solids")
    recovered_pct: float = figure("Recovered", "%", decimals=1, equation="100 (1 − loss/what came in)")
    x_last: float = figure("Solids in the last mat", "kg/t", decimals=2, equation="all stages solved together")
    shower_m3_h: float = figure("Hot water", "m³/h", decimals=1, equation="(L last + DF) × pulp")
    to_evaporators: float = figure("First filtrate", "t/ODt", decimals=2, equation="L0 + V2 − L1 of the first stage")
    evaporators_t_h: float = figure("To the evaporators", "t/h", decimals=1, equation="first filtrate × pulp")
    solids_pct: float = figure("Solids to the evaporators", "%", decimals=1, equation="first filtrate's kg/t over 10")
    steam_t_h: float = figure("Steam for the dilution", "t/h", decimals=2, equation="DF × pulp/economy")
    line: WashLine
    cautions: tuple[Caution, ...] = ()


def _refuse(feed_pct: float, x0: float, washers: tuple[Washer, ...], df: float, y_in: float) -> None:
    bad = []
    for name, c in (("feed_pct", feed_pct), *((f"out_{i}", w.out_pct) for i, w in enumerate(washers, start=1))):
        if not 0.0 < c <= 60.0:
            bad.append(Problem(name, f"is {c:g} %; it must be above 0 and at most 60 %"))
    for i, w in enumerate(washers, start=1):
        if not 0.1 <= w.e10 <= 20.0:
            bad.append(Problem(f"e10_{i}", f"is {w.e10:g}; it must be 0.1 to 20"))
    if not washers or len(washers) > 12:
        bad.append(Problem("washers", f"are {len(washers)}; there must be 1 to 12"))
    if not DF_LOW <= df <= 20.0:
        bad.append(Problem("df", f"is {df:g} t/ODt; it must be {DF_LOW:g} to 20"))
    shower = liquor(washers[-1].out_pct) + df if washers and 0.0 < washers[-1].out_pct <= 60.0 else 1.0
    if shower <= 0.0:
        bad.append(Problem("df", f"is {df:g} t/ODt: a mat of {washers[-1].out_pct:g} % would take no wash liquor"))
    if x0 < 0.0 or y_in < 0.0:
        bad.append(Problem("x0" if x0 < 0.0 else "y_in", "is under 0; liquor cannot hold less than nothing"))
    if bad:
        raise ImpossibleInput(*bad)


@dataclass(frozen=True, slots=True, kw_only=True)
class _Flows:
    """Of every stage, t/ODt: liquor in and out with the pulp, wash in, filtrate out."""

    l_in: list[float]
    l_out: list[float]
    wash_in: list[float]
    filtrate: list[float]


def _solved(washers: tuple[Washer, ...], flows: _Flows, x0: float, y_in: float, pressed: frozenset[int]) -> tuple[Washed, ...]:
    """Every stage at once: Norden (of a press: what comes goes on) and the solute balance, 2N linear equations."""
    n = len(washers)
    a, b = np.zeros((2 * n, 2 * n)), np.zeros(2 * n)
    for i, w in enumerate(washers):
        # every stage has the same net flow, so its own dilution factor is that of the last
        l_in, l_out, wash_in, filtrate = flows.l_in[i], flows.l_out[i], flows.wash_in[i], flows.filtrate[i]
        own = wash_in - l_out
        own = own if abs(own) >= LEAST_DF else LEAST_DF
        ratio = (1.0 + own / L_STANDARD) ** w.e10  # = L0 (x0 - y1) / (L1 (x1 - y2))
        norden = (l_in, -ratio * l_out, -l_in, ratio * l_out) if i not in pressed else (1.0, -1.0, 0.0, 0.0)
        for row, (x_in, x_out, y_out, y_back) in (
            (2 * i, norden),
            (2 * i + 1, (l_in, -l_out, -filtrate, wash_in)),
        ):
            a[row, 2 * i] += x_out
            a[row, 2 * i + 1] += y_out
            if i:
                a[row, 2 * (i - 1)] += x_in
            else:
                b[row] -= x_in * x0
            if i < n - 1:
                a[row, 2 * (i + 1) + 1] += y_back
            else:
                b[row] -= y_back * y_in
    result = np.linalg.solve(a, b)
    stages = []
    for i, w in enumerate(washers):
        xi = float(result[2 * (i - 1)]) if i else x0
        yi = float(result[2 * (i + 1) + 1]) if i < n - 1 else y_in
        xo = float(result[2 * i])
        stages.append(
            Washed(
                washer=w,
                l0=flows.l_in[i],
                l1=flows.l_out[i],
                v2=flows.wash_in[i],
                v1=flows.filtrate[i],
                x0=xi,
                x1=xo,
                y2=yi,
                y1=float(result[2 * i + 1]),
                dr=(xi - xo) / (xi - yi) if xi != yi else math.nan,
                pressed=i in pressed,
            )
        )
    return tuple(stages)


def _refuse_solved(stages: tuple[Washed, ...]) -> None:
    """Nothing of an impossible solution is shown. Raises: ImpossibleInput naming the stage and its field."""
    for i, s in enumerate(stages, start=1):
        strongest = max(s.x0, s.y2) * (1.0 + 1e-6) + 1e-9
        if s.x1 < -1e-9 or s.y1 < -1e-9:
            raise ImpossibleInput(Problem(f"e10_{i}", f"is {s.washer.e10:g}: stage {i} would hold less than nothing"))
        if s.y1 > strongest:
            raise ImpossibleInput(
                Problem(f"e10_{i}", f"is {s.washer.e10:g}: the filtrate of stage {i} would be stronger than what comes to it")
            )


def wash(*, feed_pct: float, x0: float, washers: tuple[Washer, ...], df: float, y_in: float = 0.0) -> WashLine:
    """Solve a line, exact: for each stage Norden and the solute balance, the filtrate of the next washing it.

    `df` dilution factor of the last stage, t/ODt; `y_in` solids of the wash liquor, kg/t. A stage whose mat would come out
    stronger than it came counts as pressing alone. Raises: ImpossibleInput, also when a stage would take no wash liquor, give
    no filtrate, or hold less than nothing.
    """
    _refuse(feed_pct, x0, washers, df, y_in)
    d = df if abs(df) >= LEAST_DF else LEAST_DF
    n = len(washers)
    l_in = [liquor(feed_pct), *(liquor(w.out_pct) for w in washers[:-1])]
    l_out = [liquor(w.out_pct) for w in washers]
    wash_in = [0.0] * n
    filtrate = [0.0] * n
    wash_in[-1] = l_out[-1] + d
    for i in range(n - 1, -1, -1):
        filtrate[i] = l_in[i] + wash_in[i] - l_out[i]
        if filtrate[i] <= 1e-9:
            raise ImpossibleInput(Problem("df", f"is {df:g} t/ODt; stage {i + 1} would give no filtrate"))
        if i:
            wash_in[i - 1] = filtrate[i]
    flows = _Flows(l_in=l_in, l_out=l_out, wash_in=wash_in, filtrate=filtrate)
    pressed: frozenset[int] = frozenset()
    stages = _solved(washers, flows, x0, y_in, pressed)
    for _ in range(n):  # one that thickens its mat is taken as a press, and the line solved again
        more = {i for i, s in enumerate(stages) if s.x1 > max(s.x0, s.y2) * (1.0 + 1e-9)} - pressed
        if not more:
            break
        pressed |= {min(more)}
        stages = _solved(washers, flows, x0, y_in, pressed)
    _refuse_solved(stages)
    last, first = stages[-1], stages[0]
    entered = first.l0 * x0 + last.v2 * y_in
    closure = abs(entered - last.l1 * last.x1 - first.v1 * first.y1) / max(entered, 1e-12)
    fed = first.l0 * x0
    cautions: tuple[Caution, ...] = ()
    if df < 0.0:
        cautions += (Caution("df", f"dilution {df:g} is negative: liquor goes on with the pulp"),)
    for i, s in enumerate(stages, start=1):
        if s.pressed:
            told = f"stage {i}: E10 {s.washer.e10:g} is too low for so dry a mat: counted as pressing only"
            cautions += (Caution(f"e10_{i}", told),)
    return WashLine(
        stages=stages,
        df=df,
        loss_kg_adt=AD * last.l1 * last.x1,
        recovered_pct=100.0 * (1.0 - last.l1 * last.x1 / fed) if fed > 0.0 else math.nan,
        to_evaporators=first.v1,
        solids_pct=first.y1 / 10.0,
        closure=closure,
        cautions=cautions,
    )


_DRUMS = (
    {"kind": "drum", "e10": 3.5, "out_pct": 12},
    {"kind": "drum", "e10": 3.5, "out_pct": 12},
    {"kind": "drum", "e10": 3.5, "out_pct": 13},
)
_LINE = {"feed_pct": 11, "x0": 60, "df": 2.5, "washers": _DRUMS}


AIR_COSTS = 0.04  # of the logarithm of E10 a % of air, default
AIR_MINDED_PCT = 3.0


def with_air(washers: tuple[Washer, ...], air_pct: float) -> tuple[Washer, ...]:
    """Washers as entrained air leaves them: bubbles in the mat close it to the liquor, E10 × exp(−0.04 a % of air)."""
    if air_pct == 0.0:
        return washers
    least = quantities(Washer)["e10"].possible[0]
    return tuple(replace(w, e10=max(least, w.e10 * math.exp(-AIR_COSTS * air_pct))) for w in washers)


@model(
    "wash.line",
    title="A line of washers",
    source="Norden stages in counter-current, solved together; E10 are defaults by kind",
    holds_for="1 to 12 stages, each of its own kind",
    equation="loss = 0.9 L x of the last mat; 2N linear equations: Norden and solute balance of each stage",
    symbols="loss=loss_kg_adt x=x_last",
    calibrated_by=("e10",),
    basis="default",
    checks=(
        Check(_LINE, "x_last", 1.3863, 3e-3),
        Check(_LINE, "loss_kg_adt", 8.3499, 3e-3),
        Check(_LINE, "recovered_pct", 98.089, 3e-3),
        Check(_LINE, "to_evaporators", 10.591, 3e-3),
    ),
)
def wash_line(case: WashCase) -> WashFound:
    """The line of a case. Raises: ImpossibleInput, its fields named as the case has them (df, washers.2.e10)."""
    cautions = check(case)
    with as_named(_leaf):
        result = wash(feed_pct=case.feed_pct, x0=case.x0, washers=case.washing, df=case.df, y_in=case.y_in)
    if case.air_pct > AIR_MINDED_PCT:
        lost = 100.0 * (1.0 - math.exp(-AIR_COSTS * case.air_pct))
        why = "leaks before the pump, soap, a cold vat; defoamer over 85 °C"
        told = f"{case.air_pct:.1f} % air takes {lost:.0f} % of every E10: {why}"
        cautions += (Caution("air_pct", told),)
    came = AD * liquor(case.feed_pct) * case.x0 * case.na2so4_share  # all sodium of the blow, kg Na2SO4/ADt
    bound = min(came, bound_saltcake(case.wood, case.ph))
    return WashFound(
        loss_kg_adt=result.loss_kg_adt,
        soda_kg_adt=result.loss_kg_adt * case.na2so4_share * (1.0 - bound / came if came > 0.0 else 0.0),
        bound_kg_adt=bound,
        cod_kg_adt=result.loss_kg_adt * case.cod_share,
        recovered_pct=result.recovered_pct,
        x_last=result.stages[-1].x1,
        shower_m3_h=shower_of(case.df, case.od_t_h, case.washers[-1].out_pct),
        to_evaporators=result.to_evaporators,
        evaporators_t_h=filtrate_t_h(result, case.od_t_h),
        solids_pct=result.solids_pct,
        steam_t_h=steam_t_h(result, case.od_t_h, case.economy),
        line=result,
        cautions=cautions + beside(result.cautions, _leaf),
    )


def _leaf(name: str) -> str:
    """out_2 of the solver is washers.2.out_pct of the case."""
    head, _, number = name.rpartition("_")
    inner = {"out": "out_pct", "e10": "e10"}.get(head)
    return leaf("washers", int(number), inner) if inner and number.isdigit() else name


def df_for_loss(
    *, feed_pct: float, x0: float, washers: tuple[Washer, ...], loss_kg_adt: float, y_in: float = 0.0
) -> float | Infeasible:
    """Dilution factor, 0 to 6 t/ODt, for a loss. Infeasible with the loss that is reached and which end binds."""
    low = wash(feed_pct=feed_pct, x0=x0, washers=washers, df=0.0, y_in=y_in).loss_kg_adt
    high = wash(feed_pct=feed_pct, x0=x0, washers=washers, df=DF_HIGH, y_in=y_in).loss_kg_adt
    if loss_kg_adt >= low:
        return Infeasible(
            field="loss_kg_adt", reason=f"is met with no dilution: {low:.2f} kg/ADt at 0", nearest=low, unit="kg/ADt"
        )
    if loss_kg_adt <= high:
        return Infeasible(
            field="loss_kg_adt",
            reason=f"is under what {DF_HIGH:g} t/ODt of dilution reaches, {high:.2f} kg/ADt",
            nearest=high,
            unit="kg/ADt",
        )
    a, b = 0.0, DF_HIGH
    for _ in range(60):
        mid = 0.5 * (a + b)
        if wash(feed_pct=feed_pct, x0=x0, washers=washers, df=mid, y_in=y_in).loss_kg_adt > loss_kg_adt:
            a = mid
        else:
            b = mid
    return 0.5 * (a + b)


@dataclass(frozen=True, slots=True, kw_only=True)
class Prices:
    """What washing costs: steam (a tonne), economy of the evaporators (t water a t steam), solids lost (a kg), bleach chemical
    (a kg COD)."""

    steam_t: float = 14.0
    economy: float = 5.0
    solids_kg: float = 0.18
    carry_kg: float = 0.12


@dataclass(frozen=True, slots=True, kw_only=True)
class Cost:
    """Cost a tonne air-dry at a dilution factor: steam to evaporate what the wash adds, what is lost, their sum."""

    df: float
    steam: float
    lost: float

    @property
    def total(self) -> float:
        return self.steam + self.lost


def cost_at(line: WashLine, prices: Prices) -> Cost:
    """The cost of a solved line, a tonne air-dry: steam for its dilution, solids lost and carried on."""
    steam = max(0.0, AD * line.df) / prices.economy * prices.steam_t
    return Cost(df=line.df, steam=steam, lost=line.loss_kg_adt * (prices.solids_kg + prices.carry_kg))


def cost_curve(
    *,
    feed_pct: float,
    x0: float,
    washers: tuple[Washer, ...],
    y_in: float,
    prices: Prices,
    low: float = 0.5,
    high: float = 4.5,
    points: int = 33,
) -> tuple[tuple[Cost, ...], Cost]:
    """The curve over the dilution factor, and its least point (golden section)."""

    def at(df: float) -> Cost:
        return cost_at(wash(feed_pct=feed_pct, x0=x0, washers=washers, df=df, y_in=y_in), prices)

    curve = tuple(at(low + (high - low) * i / (points - 1)) for i in range(points))
    a, b, g = low, high, (math.sqrt(5.0) - 1.0) / 2.0
    for _ in range(40):
        c, d = b - g * (b - a), a + g * (b - a)
        if at(c).total < at(d).total:
            b = d
        else:
            a = c
    return curve, at(0.5 * (a + b))


def saving(now: Cost, other: Cost) -> float:
    """Money an air-dry tonne costs less at another dilution; under nought: more."""
    return now.total - other.total


@dataclass(frozen=True, slots=True, kw_only=True)
class StageCase:
    feed_pct: float = quantity("Feed", "%", possible=(0, 60), above=True, valid=(1, 30), decimals=1)
    x0: float = quantity("Solids in its liquor", "kg/t", possible=(0, 400), valid=(1, 200), decimals=1)
    out_pct: float = quantity("Leaves at", "%", possible=(0, 60), above=True, valid=(8, 35), decimals=1)
    df: float = quantity("Dilution factor", "t/ODt", possible=(-1, 20), valid=(0, 5), decimals=2)
    y2: float = quantity("Solids of the wash liquor", "kg/t", possible=(0, 400), valid=(0, 100), decimals=1, default=0.0)
    e10: float = quantity("E10, Norden at 10 %", "", possible=(0.1, 20), valid=(1, 15), decimals=1, default=3.5)


@dataclass(frozen=True, slots=True, kw_only=True)
class StageFound:
    x1: float = figure("Solids leaving in the mat", "kg/t", decimals=2, equation="Norden and the solute balance")
    y1: float = figure("Solids of the filtrate", "kg/t", decimals=2, equation="solute balance")
    v1: float = figure("Filtrate", "t/ODt", decimals=2, equation="L0 + V2 − L1")
    dr: float = figure("Displacement ratio", "", decimals=3, equation="(x0 − x1)/(x0 − y2)")
    eff_pct: float = figure("Wash yield", "%", decimals=1, equation="100 (1 − L1 x1/(L0 x0))")
    pressed: float = figure("Counted as pressing only", "1: yes", decimals=0, equation="where Norden says less than pressing")
    cautions: tuple[Caution, ...] = ()


_PRESS = {"feed_pct": 4.5, "x0": 60, "out_pct": 32, "df": 0.5, "y2": 0, "e10": 3.2}
_ST = {"feed_pct": 11, "x0": 60, "out_pct": 12, "df": 2.5, "y2": 5, "e10": 3.5}


@model(
    "wash.stage",
    title="One washing stage",
    source="Norden 1966; E10 default by washer kind",
    holds_for="any washer by its E10; dilution −1 to 5",
    equation="L0 (x0 − y1)/(L1 (x1 − y2)) = (1 + DF/9)^E10",
    symbols="x0=x0 x1=x1 y1=y1 y2=y2 DF=df E10=e10",
    calibrated_by=("e10",),
    basis="default",
    checks=(
        Check(_ST, "x1", 13.984, 3e-3),
        Check(_ST, "y1", 40.796, 3e-3),
        Check(_ST, "v1", 10.591, 3e-3),
        Check(_ST, "dr", 0.83665, 3e-3),
        Check(_ST, "eff_pct", 78.875, 3e-3),
        Check({**_ST, "df": 0, "y2": 0}, "x1", 15.965, 5e-3),
        Check({**_ST, "df": 0, "y2": 0}, "y1", 45.53, 5e-3),
        Check({**_ST, "df": 0, "y2": 0}, "dr", 0.73392, 5e-3),
        Check(_PRESS, "x1", 60.0, 3e-3),
        Check(_PRESS, "y1", 52.749, 3e-3),
        Check(_PRESS, "pressed", 1.0),
    ),
)
def stage(case: StageCase) -> StageFound:
    """One stage. Raises: ImpossibleInput, also when it would give no filtrate."""
    cautions = check(case)
    names = {"e10_1": "e10", "out_1": "out_pct", "y_in": "y2"}
    with as_named(lambda field: names.get(field, field)):
        result = wash(
            feed_pct=case.feed_pct,
            x0=case.x0,
            washers=(Washer(kind="drum", e10=case.e10, out_pct=case.out_pct),),
            df=case.df,
            y_in=case.y2,
        )
    s = result.stages[0]
    return StageFound(
        x1=s.x1,
        y1=s.y1,
        v1=s.v1,
        dr=s.dr,
        eff_pct=100.0 * (1.0 - s.l1 * s.x1 / (s.l0 * s.x0)) if s.x0 else math.nan,
        pressed=float(s.pressed),
        cautions=cautions + beside(result.cautions, lambda field: names.get(field, field)),
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class SeriesCase:
    feed_pct: float = quantity("Feed", "%", possible=(0, 60), above=True, valid=(1, 30), decimals=1)
    x0: float = quantity("Solids in its liquor", "kg/t", possible=(0, 400), valid=(1, 200), decimals=1)
    df: float = quantity("Dilution factor", "t/ODt", possible=(-1, 20), valid=(0, 5), decimals=2)
    y_in: float = quantity("Solids of the wash liquor", "kg/t", possible=(0, 400), valid=(0, 100), decimals=1, default=0.0)
    stages: float = quantity("Stages alike", "", possible=(1, 12), valid=(1, 6), decimals=0, default=3.0, whole=True)
    e10: float = quantity("E10 of each", "", possible=(0.1, 20), valid=(1, 15), decimals=1, default=3.5)
    out_pct: float = quantity("Leave at", "%", possible=(0, 60), above=True, valid=(8, 35), decimals=1, default=12.0)
    last_pct: float = quantity("the last at", "%", possible=(0, 60), above=True, valid=(8, 35), decimals=1, default=13.0)


@dataclass(frozen=True, slots=True, kw_only=True)
class SeriesFound:
    loss_kg_adt: float = figure("Loss with the pulp", "kg/ADt", decimals=2, equation="0.9 L x of the last mat")
    recovered_pct: float = figure("Recovered", "%", decimals=2, equation="100 (1 − loss/what came in)")
    x_last: float = figure("Solids in the last mat", "kg/t", decimals=2, equation="the series solved")
    pressed: float = figure("Counted as pressing only", "stages", decimals=0, equation="where Norden says less than pressing")
    to_evaporators: float = figure("To the evaporators", "t/ODt", decimals=2, equation="first filtrate")
    solids_pct: float = figure("at", "% solids", decimals=2, equation="its kg/t over 10")
    cautions: tuple[Caution, ...] = ()


_SE = {"feed_pct": 11, "x0": 60, "df": 2.5}


@model(
    "wash.series",
    title="Washers in counter-current",
    source="Norden stages in series, solved together",
    holds_for="1 to 12 stages alike",
    equation="2N linear equations: Norden and solute balance of each",
    symbols="DF=df",
    calibrated_by=("e10",),
    basis="default",
    checks=(
        Check(_SE, "x_last", 1.3863, 3e-3),
        Check(_SE, "loss_kg_adt", 8.3499, 3e-3),
        Check(_SE, "recovered_pct", 98.089, 3e-3),
        Check(_SE, "to_evaporators", 10.591, 3e-3),
        Check({**_SE, "y_in": 3}, "loss_kg_adt", 26.002, 3e-3),
    ),
)
def series(case: SeriesCase) -> SeriesFound:
    """A line of stages alike. Raises: ImpossibleInput."""
    cautions = check(case)
    n = round(case.stages)
    washers = tuple(Washer(kind="drum", e10=case.e10, out_pct=case.last_pct if i == n - 1 else case.out_pct) for i in range(n))
    with as_named(_alike):
        result = wash(feed_pct=case.feed_pct, x0=case.x0, washers=washers, df=case.df, y_in=case.y_in)
    return SeriesFound(
        loss_kg_adt=result.loss_kg_adt,
        recovered_pct=result.recovered_pct,
        x_last=result.stages[-1].x1,
        pressed=float(sum(s.pressed for s in result.stages)),
        to_evaporators=result.to_evaporators,
        solids_pct=result.solids_pct,
        cautions=cautions + beside(result.cautions, _alike),
    )


def _alike(name: str) -> str:
    """e10_2 of the solver is e10 of stages alike, out_2 their consistency."""
    return {"out": "out_pct", "e10": "e10"}.get(name.rpartition("_")[0], name)


@dataclass(frozen=True, slots=True, kw_only=True)
class DilutionCase:
    loss_kg_adt: float = quantity("Loss wanted", "kg/ADt", possible=(0, 500), above=True, valid=(1, 60), decimals=2)
    feed_pct: float = quantity("Feed", "%", possible=(0, 60), above=True, valid=(1, 30), decimals=1)
    x0: float = quantity("Solids in its liquor", "kg/t", possible=(0, 400), above=True, valid=(1, 200), decimals=1)
    od_t_h: float = quantity("Pulp", "t/h OD", possible=(0, 500), above=True, decimals=2)
    y_in: float = quantity("Solids of the wash liquor", "kg/t", possible=(0, 400), valid=(0, 100), decimals=1, default=0.0)
    stages: float = quantity("Stages alike", "", possible=(1, 12), valid=(1, 6), decimals=0, default=3.0, whole=True)
    e10: float = quantity("E10 of each", "", possible=(0.1, 20), valid=(1, 15), decimals=1, default=3.5)
    out_pct: float = quantity("Leave at", "%", possible=(0, 60), above=True, valid=(8, 35), decimals=1, default=12.0)


@dataclass(frozen=True, slots=True, kw_only=True)
class DilutionFound:
    df: float = figure("Dilution factor", "t/ODt", decimals=2, equation="bisection, 0 to 6")
    shower_m3_h: float = figure("Shower", "m³/h", decimals=1, equation="(L last + DF) × od")
    cautions: tuple[Caution, ...] = ()


@model(
    "wash.shower",
    title="Shower for a loss",
    source="the series turned round",
    holds_for="0 to 6 t/ODt of dilution",
    equation="loss(DF) = wanted",
    symbols="DF=df",
    basis="default",
    checks=(Check({"loss_kg_adt": 8.3499, "feed_pct": 11, "x0": 60, "od_t_h": 10, "out_pct": 12}, "df", 2.5, 2e-3),),
)
def shower(case: DilutionCase) -> DilutionFound | Infeasible:
    """Dilution and shower flow for a loss; Infeasible with what is reached. Raises: ImpossibleInput."""
    cautions = check(case)
    washers = tuple(Washer(kind="drum", e10=case.e10, out_pct=case.out_pct) for _ in range(round(case.stages)))
    df = df_for_loss(feed_pct=case.feed_pct, x0=case.x0, washers=washers, loss_kg_adt=case.loss_kg_adt, y_in=case.y_in)
    if isinstance(df, Infeasible):
        return df
    return DilutionFound(df=df, shower_m3_h=(liquor(case.out_pct) + df) * case.od_t_h, cautions=cautions)


@dataclass(frozen=True, slots=True, kw_only=True)
class MeasuredCase:
    feed_pct: float = quantity("Feed", "%", possible=(0, 60), above=True, valid=(1, 30), decimals=1)
    out_pct: float = quantity("Mat off it", "%", possible=(0, 60), above=True, valid=(8, 35), decimals=1)
    x0: float = quantity("Feed liquor", "kg/t", possible=(0, 400), above=True, decimals=1)
    y1: float = quantity("Filtrate", "kg/t", possible=(0, 400), decimals=1)
    x1: float = quantity("Liquor of the mat", "kg/t", possible=(0, 400), above=True, decimals=1)
    y2: float = quantity("Wash liquor", "kg/t", possible=(0, 400), decimals=1, default=0.0)
    df: float = quantity("Dilution factor", "t/ODt", possible=(-1, 20), valid=(0.2, 5), decimals=2)


@dataclass(frozen=True, slots=True, kw_only=True)
class MeasuredFound:
    e10: float = figure("E10 as it washes", "", decimals=2, equation="ln[L0 (x0 − y1)/(L1 (x1 − y2))]/ln(1 + DF/9)")
    dr: float = figure("Displacement ratio", "", decimals=3, equation="(x0 − x1)/(x0 − y2)")
    gap_pct: float = figure("Solute not found again", "% of the feed’s", decimals=1, equation="(in − out)/(L0 x0)")
    cautions: tuple[Caution, ...] = ()


@model(
    "wash.norden",
    title="E10 from samples",
    source="Norden 1966, turned round",
    holds_for="dilution not 0; samples of one time",
    equation="E10 = ln[L0 (x0 − y1)/(L1 (x1 − y2))]/ln(1 + DF/9)",
    symbols="E10=e10 x0=x0 x1=x1 y1=y1 y2=y2 DF=df",
    checks=(
        Check({"feed_pct": 11, "out_pct": 12, "x0": 60, "y1": 40.7962, "x1": 13.9841, "y2": 5, "df": 2.5}, "e10", 3.5, 2e-3),
    ),
)
def e10(case: MeasuredCase) -> MeasuredFound | Infeasible:
    """E10 of a washer as it runs. Infeasible at no dilution; ImpossibleInput when the samples look swapped."""
    cautions = check(case)
    if case.y1 >= case.x0:
        raise ImpossibleInput(Problem("y1", f"is {case.y1:g}, stronger than the feed's {case.x0:g}: samples swapped?"))
    if case.x1 <= case.y2:
        raise ImpossibleInput(Problem("x1", f"is {case.x1:g}, not over the wash liquor's {case.y2:g}: samples swapped?"))
    if case.x1 >= max(case.x0, case.y2):
        raise ImpossibleInput(
            Problem(
                "x1",
                f"is {case.x1:g}, stronger than the feed's {case.x0:g}: a mat leaves no stronger than it came; "
                f"samples swapped?",
            )
        )
    if liquor(case.out_pct) + case.df <= 0.0:
        raise ImpossibleInput(Problem("df", f"is {case.df:g} t/ODt: a mat of {case.out_pct:g} % would take no wash liquor"))
    if abs(case.df) < 0.05:
        return Infeasible(
            field="df", reason=f"is {case.df:g}: at no dilution the samples tell no E10", nearest=0.2, unit="t/ODt"
        )
    l0, l1 = liquor(case.feed_pct), liquor(case.out_pct)
    ratio = l0 * (case.x0 - case.y1) / (l1 * (case.x1 - case.y2))
    result = math.log(ratio) / math.log1p(case.df / L_STANDARD)
    if result <= 0.0:
        raise ImpossibleInput(
            Problem("x1", f"is {case.x1:g}: with these the washer does worse than no washing; samples swapped?")
        )
    wash_in = l1 + case.df
    gap = (l0 * case.x0 + wash_in * case.y2 - l1 * case.x1 - (l0 + case.df) * case.y1) / (l0 * case.x0)
    if abs(gap) > MOST_GAP:
        told = f"what comes in and what leaves differ by {100 * gap:.0f} % of the feed’s: samples of one time?"
        cautions += (Caution("y1", told),)
    return MeasuredFound(e10=result, dr=(case.x0 - case.x1) / (case.x0 - case.y2), gap_pct=100.0 * gap, cautions=cautions)


@dataclass(frozen=True, slots=True, kw_only=True)
class EvaporateCase:
    ddf: float = quantity("Dilution more", "t/ODt", possible=(-6, 6), decimals=2)
    adt_d: float = quantity("Pulp", "ADt/d", possible=(0, 10000), above=True, decimals=0)
    economy: float = quantity(
        "Evaporators' economy", "t water/t steam", possible=(0.5, 12), valid=(4, 6), decimals=1, default=5.0
    )
    na_kg_adt: float = quantity("Sodium lost", "kg Na/ADt", possible=(0, 100), decimals=1, default=4.2)


@dataclass(frozen=True, slots=True, kw_only=True)
class EvaporateFound:
    water_t_h: float = figure("Water more", "t/h", decimals=2, equation="0.9 ΔDF × ADt/d / 24")
    steam_t_h: float = figure("Steam for it", "t/h", decimals=2, equation="water/economy")
    salt_kg_adt: float = figure("Sodium as Na₂SO₄", "kg/ADt", decimals=2, equation="3.0892 Na")
    cautions: tuple[Caution, ...] = ()


@model(
    "wash.evaporate",
    title="What dilution costs the evaporators",
    source="balance",
    holds_for="a change of dilution factor",
    equation="water = 0.9 ΔDF ADt/d / 24",
    symbols="ΔDF=ddf",
    checks=(
        Check({"ddf": 1, "adt_d": 900}, "water_t_h", 33.75, 2e-3),
        Check({"ddf": 1, "adt_d": 900}, "steam_t_h", 6.75, 2e-3),
        Check({"ddf": 1, "adt_d": 900}, "salt_kg_adt", 12.975, 1e-3),
    ),
)
def evaporate(case: EvaporateCase) -> EvaporateFound:
    """Water and steam of a change. Raises: ImpossibleInput."""
    cautions = check(case)
    water = AD * case.ddf * case.adt_d / 24.0
    return EvaporateFound(
        water_t_h=water, steam_t_h=water / case.economy, salt_kg_adt=SALTCAKE_A_SODIUM * case.na_kg_adt, cautions=cautions
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class FiltrateCase:
    limit_kg_adt: float = quantity("Carry-over allowed", "kg/ADt", possible=(0, 500), above=True, decimals=1, default=12.0)
    filtrate_kg_t: float = quantity("COD of the filtrate", "kg/t", possible=(0, 100), above=True, decimals=1)
    feed_pct: float = quantity("Feed", "%", possible=(0, 60), above=True, valid=(1, 30), decimals=1, default=11.0)
    x0: float = quantity("Solids in its liquor", "kg/t", possible=(0, 400), above=True, decimals=1, default=60.0)
    df: float = quantity("Dilution factor", "t/ODt", possible=(-1, 20), valid=(0, 5), decimals=2, default=2.5)


@dataclass(frozen=True, slots=True, kw_only=True)
class FiltrateFound:
    share: float = figure(
        "Share of filtrate allowed",
        "of the wash liquor",
        decimals=3,
        equation="(limit − loss at 0)/(slope × filtrate), 0 to 1",
    )
    loss_0: float = figure("Loss with clean wash", "kg/ADt", decimals=2, equation="series of three")
    slope: float = figure("Loss a kg/t more in the wash", "kg/ADt", decimals=2, equation="series of three")
    cautions: tuple[Caution, ...] = ()


@model(
    "wash.filtrate_share",
    title="Bleach filtrate on the brown washers",
    source="carry-over is linear in the wash liquor's solids; limits default",
    holds_for="three drums alike; alkaline filtrate to the post-oxygen washer first, acid only from chlorine-free "
    "lines, pH after mixing over 9",
    equation="share = (limit − loss(0))/(slope × filtrate)",
    basis="default",
    checks=(Check({"filtrate_kg_t": 5}, "share", 0.12407, 5e-3),),
)
def filtrate_share(case: FiltrateCase) -> FiltrateFound:
    """How much of the wash liquor may be that filtrate. Raises: ImpossibleInput."""
    cautions = check(case)

    def loss(y: float) -> float:
        washers = tuple(Washer(kind="drum", e10=3.5, out_pct=c) for c in (12.0, 12.0, 13.0))
        return wash(feed_pct=case.feed_pct, x0=case.x0, washers=washers, df=case.df, y_in=y).loss_kg_adt

    at_0 = loss(0.0)
    slope = loss(1.0) - at_0
    share = (case.limit_kg_adt - at_0) / (slope * case.filtrate_kg_t)
    if not 0.0 <= share <= 1.0:
        cautions += (
            Caution("limit_kg_adt", "the share is cut to 0" if share < 0 else "all of the wash liquor may be filtrate"),
        )
    return FiltrateFound(share=min(1.0, max(0.0, share)), loss_0=at_0, slope=slope, cautions=cautions)


def df_of(shower_m3_h: float, od_t_h: float, last_pct: float) -> float:
    """Dilution factor of a shower, t/ODt (1 m³ a t)."""
    return shower_m3_h / od_t_h - liquor(last_pct)


def e10_by_samples(
    *, feed_pct: float, x0: float, out_pct: tuple[float, ...], after: tuple[float, ...], df: float, y_in: float = 0.0
) -> tuple[float, ...]:
    """E10 of each stage from the solids measured in the mats after them; nan where the samples cannot be (no fall, no
    dilution).

    Filtrates follow by the solute balance from the last stage back. Raises: ImpossibleInput for unequal lengths.
    """
    if len(out_pct) != len(after):
        raise ImpossibleInput(Problem("after", f"are {len(after)} samples for {len(out_pct)} stages"))
    l_in, l_out = [liquor(feed_pct), *(liquor(c) for c in out_pct[:-1])], [liquor(c) for c in out_pct]
    x_in = [x0, *after[:-1]]
    y_back, wash_in, result = y_in, l_out[-1] + df, []
    for i in range(len(after) - 1, -1, -1):
        filtrate = l_in[i] + wash_in - l_out[i]
        y1 = (l_in[i] * x_in[i] + wash_in * y_back - l_out[i] * after[i]) / filtrate if filtrate > 0.0 else math.nan
        ratio = l_in[i] * (x_in[i] - y1) / (l_out[i] * (after[i] - y_back)) if after[i] > y_back else math.nan
        d = wash_in - l_out[i]
        result.append(math.log(ratio) / math.log1p(d / L_STANDARD) if ratio > 0.0 and abs(d) > 0.05 else math.nan)
        y_back, wash_in = y1, filtrate
    return tuple(reversed(result))


WEAK_UNDER = 0.75  # of what its kind does


def weak_stages(fitted: tuple[float, ...], washers: tuple[Washer, ...]) -> tuple[int, ...]:
    """The stages, counted from 1, whose E10 by samples is under three quarters of their kind's; samples that tell nothing are
    passed."""
    pairs = enumerate(zip(fitted, washers, strict=False), start=1)
    return tuple(i for i, (e, w) in pairs if math.isfinite(e) and e < WEAK_UNDER * KINDS[w.kind])


def filtrate_t_h(line: WashLine, od_t_h: float) -> float:
    """Filtrate to the evaporators, t/h."""
    return line.to_evaporators * od_t_h


def shower_of(df: float, od_t_h: float, last_pct: float) -> float:
    """Shower of a dilution factor, m³/h."""
    return (df + liquor(last_pct)) * od_t_h


def dilutions_for(
    *, feed_pct: float, x0: float, washers: tuple[Washer, ...], loss_kg_adt: float, y_in: float = 0.0
) -> tuple[float, float] | None:
    """The dilution factors, up to 4.5, that keep the loss at or under a limit; None where none does."""
    result = df_for_loss(feed_pct=feed_pct, x0=x0, washers=washers, loss_kg_adt=loss_kg_adt, y_in=y_in)
    if isinstance(result, Infeasible):
        return (
            (0.0, 4.5)
            if math.isclose(
                wash(feed_pct=feed_pct, x0=x0, washers=washers, df=0.0, y_in=y_in).loss_kg_adt, result.nearest or 0.0
            )
            else None
        )
    return (result, 4.5) if result < 4.5 else None


def steam_t_h(line: WashLine, od_t_h: float, economy: float) -> float:
    """Steam that evaporates the dilution, t/h."""
    return max(0.0, line.df) * od_t_h / economy
