"""Heat along the solved line: how warm the pulp and the filtrates are at every unit, and the steam that keeps a unit warm.

Temperatures move no flow and no kappa, so they are solved once, after the line: every unit mixes what comes to it, holds the
temperature it is set to, or displaces its liquor and with it the warmth of the mat. Heat closes in every unit. Source: one
balance for a line, models, chips to bleach, section 10.
"""

from collections.abc import Mapping
from dataclasses import dataclass
from functools import partial

import numpy as np

from core.document import same
from core.errors import Caution, ImpossibleInput, Problem, as_named
from core.heat import CP_FIBRE, CP_WATER, STEAM_MOST_BAR, h_evaporation, h_liquid, t_saturation
from core.line.network import DrawKind
from core.line.steady import Solution
from core.quantity import check, figure, leaf, quantity, rows
from core.register import Check, model
from core.stream import HEAT_KJ_KG_K, SUSPENDED, Vector
from core.unit import ON, HotStage, Warmth, Worked


@dataclass(frozen=True, slots=True, kw_only=True)
class HeatCase:
    """Pulp that steam warms."""

    od_t_h: float = quantity("Pulp", "t/h OD", possible=(0, 500), decimals=2, default=1.0)
    cons_pct: float = quantity("Consistency", "%", possible=(0, 60), above=True, valid=(3, 35), decimals=2)
    from_c: float = quantity("Comes at", "°C", possible=(0, 200), valid=(10, 110), decimals=1)
    to_c: float = quantity("is kept at", "°C", possible=(0, 200), valid=(30, 110), decimals=1)
    steam_bar_abs: float = quantity("Steam", "bar abs", possible=(1, STEAM_MOST_BAR), valid=(2, 14), decimals=1, default=8.0)
    reaction_mj: float = quantity("Heat of reaction", "MJ/t OD", possible=(0, 2000), decimals=0, default=0.0)
    loss_mj: float = quantity("Losses", "MJ/t OD", possible=(0, 1000), decimals=0, default=0.0)


@dataclass(frozen=True, slots=True, kw_only=True)
class HeatFound:
    q_mj_t: float = figure("Heat", "MJ/t OD", decimals=0, equation="(1.40 + 4.18 L) ΔT + loss − reaction, at least 0")
    direct_t_t: float = figure("Direct steam", "t/t OD", decimals=3, equation="q/(h of steam − h of water at the end)")
    indirect_t_t: float = figure("Indirect steam", "t/t OD", decimals=3, equation="q/heat of evaporation")
    steam_t_h: float = figure("Steam, direct", "t/h", decimals=2, equation="direct × pulp")
    cautions: tuple[Caution, ...] = ()


_TEN = {"cons_pct": 10, "from_c": 50, "to_c": 70, "steam_bar_abs": 4}
_OXYGEN = {"cons_pct": 12, "from_c": 75, "to_c": 98, "steam_bar_abs": 8, "reaction_mj": 12 * (30.05 - 16.053)}


@model(
    "heat.pulp",
    title="Steam that warms pulp",
    source="heat balance with steam tables (fits within 0.02 %)",
    holds_for="steam hotter than the pulp is to be; its water is added to the liquor",
    equation="q = (1.40 + 4.18 L) ΔT + loss − reaction",
    symbols="q=q_mj_t loss=loss_mj reaction=reaction_mj",
    basis="published",
    checks=(
        Check(_TEN, "direct_t_t", 0.31914, 3e-3),
        Check(_TEN, "indirect_t_t", 0.36594, 3e-3),
        Check(_OXYGEN, "direct_t_t", 0.24143, 1e-2),
        Check({**_TEN, "to_c": 50}, "direct_t_t", 0.0),
    ),
)
def heat_pulp(case: HeatCase) -> HeatFound:
    """Heat and steam of warming. Raises: ImpossibleInput when the steam is not hotter than the pulp is to be."""
    cautions = check(case)
    at = t_saturation(case.steam_bar_abs)
    if at <= case.to_c:
        told = f"is {case.steam_bar_abs:g} bar, {at:.1f} °C; it must be hotter than {case.to_c:g} °C"
        raise ImpossibleInput(Problem("steam_bar_abs", told))
    liquor = (100.0 - case.cons_pct) / case.cons_pct
    q = (CP_FIBRE + CP_WATER * liquor) * (case.to_c - case.from_c) + case.loss_mj - case.reaction_mj
    if q < 0.0:
        cautions += (Caution("from_c", f"comes warm enough: {-q:.0f} MJ/t are over; no steam"),)
    q = max(0.0, q)
    direct = q / (h_liquid(at) + h_evaporation(at) - h_liquid(case.to_c))
    return HeatFound(
        q_mj_t=q, direct_t_t=direct, indirect_t_t=q / h_evaporation(at), steam_t_h=direct * case.od_t_h, cautions=cautions
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class StagesCase:
    """Stages that pulp passes one after the other, each kept warm, with washes between."""

    od_t_h: float = same(HeatCase, "od_t_h", default=1.0)
    from_c: float = same(HeatCase, "from_c")
    water_c: float = quantity("Wash water", "°C", possible=(0, 100), valid=(10, 90), decimals=0)
    steam_bar_abs: float = same(HeatCase, "steam_bar_abs", default=8.0)
    stages: tuple[HotStage, ...] = rows("Stage", HotStage, most=12)


@dataclass(frozen=True, slots=True, kw_only=True)
class StagesFound:
    """The steam of all the stages; `each` holds what every one of them takes, t/t OD, in their order."""

    direct_t_t: float = figure("Direct steam", "t/t OD", decimals=3, equation="sum over the stages")
    steam_t_h: float = figure("Steam, direct", "t/h", decimals=2, equation="direct × pulp")
    most_t_t: float = figure("The stage that takes most", "t/t OD", decimals=3, equation="largest of the stages")
    leaves_c: float = figure("The last mat leaves at", "°C", decimals=1, equation="water + kept × (stage − water)")
    filtrate_c: float = figure("Filtrates, mean", "°C", decimals=1, equation="mean of the washed stages")
    each: tuple[float, ...]
    cautions: tuple[Caution, ...] = ()


_OXYGEN_STAGE = {"to_c": 98, "cons_pct": 12, "reaction_mj": _OXYGEN["reaction_mj"]}
_STAGES = {
    "from_c": 50,
    "water_c": 60,
    "steam_bar_abs": 4,
    "stages": ({"to_c": 70, "cons_pct": 10, "keeps": 0.1}, {"to_c": 61, "cons_pct": 10}),
}


@model(
    "heat.stages",
    title="Steam that warms the stages of a bleach plant",
    source="heat balance of each stage in turn, with steam tables",
    holds_for="open stages and pressure stages fed by direct steam; a wash moves warmth as it moves what is dissolved",
    equation="q = (1.40 + 4.18 L) ΔT − reaction, stage by stage; T after a wash = water + kept (T − water)",
    basis="default",
    checks=(
        Check(_STAGES, "direct_t_t", 0.31914, 3e-3),  # its second stage comes at the 61 °C that it is kept at
        Check(_STAGES, "leaves_c", 61.0, 1e-9),
        Check({"from_c": 75, "water_c": 60, "stages": (_OXYGEN_STAGE,)}, "direct_t_t", 0.24143, 1e-2),
    ),
)
def heat_stages(case: StagesCase) -> StagesFound:
    """Steam of stages in turn; pulp that comes warmer than its stage is kept takes none.

    Raises: ImpossibleInput when the steam is not hotter than a stage is to be.
    """
    cautions = check(case)
    at, each = case.from_c, []
    for i, stage in enumerate(case.stages, start=1):
        one = HeatCase(
            cons_pct=stage.cons_pct,
            from_c=at,
            to_c=stage.to_c,
            steam_bar_abs=case.steam_bar_abs,
            reaction_mj=stage.reaction_mj,
        )
        with as_named(partial(leaf, "stages", i)):
            each.append(heat_pulp(one).direct_t_t)
        at = mat_c(stage, case.water_c)
    direct = sum(each)
    return StagesFound(
        direct_t_t=direct,
        steam_t_h=direct * case.od_t_h,
        most_t_t=max(each),
        leaves_c=at,
        filtrate_c=filtrate_c(case.stages, case.water_c),
        each=tuple(each),
        cautions=cautions,
    )


def mat_c(stage: HotStage, water_c: float) -> float:
    """How warm the mat is after a stage and its wash, °C."""
    return water_c + stage.keeps * (stage.to_c - water_c)


def filtrate_c(stages: tuple[HotStage, ...], water_c: float) -> float:
    """How warm the filtrates of washed stages are together, °C, as their liquor is; of none, the last mat."""
    washed = [stage.to_c for stage in stages if stage.keeps < 1.0]
    return sum(washed) / len(washed) if washed else mat_c(stages[-1], water_c)


@dataclass(frozen=True, kw_only=True, eq=False)
class Heated:
    """Of every unit, °C: the pulp as it comes (`pulp`), all that comes together (`mixed`), what goes on (`on`) and by its
    other outlets (`others`). `worked`: the steam of those that are kept warm, by unit."""

    pulp: Mapping[str, float]
    mixed: Mapping[str, float]
    on: Mapping[str, float]
    others: Mapping[str, float]
    worked: Mapping[str, Worked]
    closure: float

    def steam_t_h(self, unit_id: str) -> float:
        """Direct steam of a unit, t/h; 0 of one that is not kept warm."""
        worked = self.worked.get(unit_id)
        return float(worked.result.steam_t_h) if worked is not None else 0.0


COLD_C = 20.0  # of what nothing comes to


def _steam(warmth: Warmth, flows: Vector, from_c: float) -> Worked:
    """The steam of a unit that is kept warm, its pulp at the temperature it comes at. Raises: ImpossibleInput."""
    solids = float(flows @ SUSPENDED)
    if warmth.stages:
        stages = StagesCase(
            od_t_h=solids, from_c=from_c, water_c=warmth.water_c, steam_bar_abs=warmth.steam_bar_abs, stages=warmth.stages
        )
        return Worked(model="heat.stages", case=stages, result=heat_stages(stages))
    case = HeatCase(
        od_t_h=solids,
        cons_pct=min(60.0, 100.0 * solids / float(flows.sum())),
        from_c=from_c,
        to_c=warmth.to_c or 0.0,
        steam_bar_abs=warmth.steam_bar_abs,
        reaction_mj=warmth.reaction_mj_h / solids,
    )
    return Worked(model="heat.pulp", case=case, result=heat_pulp(case))


def _known(heat: Vector, capacity: Vector) -> Vector:
    """What is known of a mixture's temperature from outside the line."""
    some = capacity > 1e-12
    return np.where(some, heat / np.where(some, capacity, 1.0), COLD_C)


def heated(solution: Solution, warmths: Mapping[str, Warmth]) -> Heated:
    """Temperatures and steam of a solved line. `warmths`: by unit how it is kept warm (`Acts.warmth`).

    Raises: ImpossibleInput naming the unit whose steam is colder than it is kept.
    """
    network = solution.network
    n, index = len(network.units), network.index
    on, others = np.zeros((n, n)), np.zeros((n, n))  # heat capacity that goes from one to another, GJ/h K
    for j, u in enumerate(network.units):
        for o in u.outlets:
            by = on if o.name == ON else others
            by[index[o.to], j] += float(np.maximum(solution.left(u.id, o.name), 0.0) @ HEAT_KJ_KG_K)
    drawn_on, drawn_others = np.zeros((n, n)), np.zeros((n, n))
    bought, warm = np.zeros(n), np.zeros(n)
    for d, q, w in zip(network.draws, solution.drawn, solution.composition, strict=True):
        tank = network.unit(d.tank)
        if d.kind is DrawKind.THICKEN:
            continue  # counted with the outlet that it thickens
        capacity = max(0.0, float(q * (w @ HEAT_KJ_KG_K)))
        if tank.supply:
            bought[index[d.to]] += capacity
            warm[index[d.to]] += capacity * tank.feed_temp_c
        else:
            (drawn_on if d.rest == ON else drawn_others)[index[d.to], index[d.tank]] += capacity
    fed = np.maximum(network.feed, 0.0) @ HEAT_KJ_KG_K
    fed_c = np.array([u.feed_temp_c for u in network.units])

    pulp_cap = on.sum(axis=1) + others.sum(axis=1) + fed
    drawn_cap = drawn_on.sum(axis=1) + drawn_others.sum(axis=1) + bought
    whole = pulp_cap + drawn_cap
    out_on = on.sum(axis=0) + drawn_on.sum(axis=0)
    out_others = others.sum(axis=0) + drawn_others.sum(axis=0)

    def over(heat: Vector, by: Vector) -> Vector:
        return heat / np.where(by > 1e-12, by, 1.0)[:, None]

    # everything as a row on [on temperatures, other temperatures] and a constant
    pulp = over(np.hstack([on, others]), pulp_cap), _known(fed * fed_c, pulp_cap)
    both = np.hstack([on + drawn_on, others + drawn_others])
    mixed = over(both, whole), _known(fed * fed_c + warm, whole)
    wash = over(np.hstack([drawn_on, drawn_others]), drawn_cap), warm / np.where(drawn_cap > 1e-12, drawn_cap, 1.0)
    into, right = np.vstack([mixed[0], mixed[0]]), np.concatenate([mixed[1], mixed[1]])
    for key, warmth in warmths.items():
        i = index[key]
        if warmth.leaves_c is not None:
            into[[i, n + i]], right[[i, n + i]] = 0.0, warmth.leaves_c
        elif warmth.stages:
            into[[i, n + i]] = 0.0
            right[i], right[n + i] = mat_c(warmth.stages[-1], warmth.water_c), filtrate_c(warmth.stages, warmth.water_c)
        elif warmth.keeps is not None and drawn_cap[i] > 1e-12:
            mat = (1.0 - warmth.keeps) * wash[0][i] + warmth.keeps * pulp[0][i]
            known_c = (1.0 - warmth.keeps) * wash[1][i] + warmth.keeps * pulp[1][i]
            into[i], right[i] = mat, known_c
            if out_others[i] > 1e-12:
                total = out_on[i] + out_others[i]
                into[n + i] = (total * mixed[0][i] - out_on[i] * mat) / out_others[i]
                right[n + i] = (total * mixed[1][i] - out_on[i] * known_c) / out_others[i]
    sent = np.linalg.solve(np.eye(2 * n) - into, right)
    comes, met = pulp[0] @ sent + pulp[1], mixed[0] @ sent + mixed[1]
    worked = {}
    for key, warmth in warmths.items():
        i = index[key]
        solids = float(solution.into[i] @ SUSPENDED)
        if (warmth.to_c is None and not warmth.stages) or solids <= 1e-9:
            continue
        try:
            worked[key] = _steam(warmth, solution.into[i], float(comes[i] if warmth.stages else met[i]))
        except ImpossibleInput as refusal:
            raise ImpossibleInput(*(Problem(f"{key}.{p.field}", p.text) for p in refusal.problems)) from None
    free = np.ones(n, dtype=bool)
    free[[index[k] for k, w in warmths.items() if w.leaves_c is not None or w.stages]] = False
    carried = out_on * sent[:n] + out_others * sent[n:] - whole * met
    ends = (out_on + out_others > 1e-12) & free
    gap = np.abs(carried[ends] - (out_on + out_others - whole)[ends] * met[ends])
    names = [u.id for u in network.units]
    return Heated(
        pulp=dict(zip(names, comes.tolist(), strict=True)),
        mixed=dict(zip(names, met.tolist(), strict=True)),
        on=dict(zip(names, sent[:n].tolist(), strict=True)),
        others=dict(zip(names, sent[n:].tolist(), strict=True)),
        worked=worked,
        closure=float(gap.max(initial=0.0) / max(1.0, float((whole * met).max(initial=1.0)))),
    )
