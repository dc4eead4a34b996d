"""From an order's form to the core's run card: the state of the mill put into supplies."""

import math
from dataclasses import dataclass, replace
from datetime import datetime, timedelta

from core.blend.furnish import BlendCase, rounded
from core.blend.least import least
from core.deliver.draw import draw
from core.deliver.runcard import Reliefs, RunCard, RunCase, Supply, run_card
from core.errors import Infeasible
from core.quantity import quantities
from core.refine.unit import RefinerPlan, set_for
from desk.blend.pulps import chest_results, forecast_errors, limits_of, pulps_now, source_now
from desk.kit.templatetags.vat import clock, figure

SPARE_T = 0.1  # left in every vessel: shares are told to a tenth of a percent
NEAR_ML = 2.0  # a blend so near to its aim asks nothing of the refiners


@dataclass(frozen=True)
class Wish:
    """What is ordered, in the units people type: shares in %, start as a time."""

    order: str
    grade: str
    gsm: float
    sale_t: float
    speed_m_min: float
    start: datetime
    shares_pct: dict


def plan(wish: Wish, state) -> RunCard | Infeasible:
    """The run card of a wish at the mill's present levels and rates. Raises: ImpossibleInput."""
    mill, grade = state.mill, state.mill.grades[wish.grade]
    start_h = (wish.start - state.now).total_seconds() / 3600.0
    takes_until, free = start_h, start_h  # the machine runs on until this order takes over
    for stop in state.stops:
        begins = (stop.start - state.now).total_seconds() / 3600.0
        if stop.rate_pct == 0.0 and begins < start_h:
            takes_until = min(takes_until, max(0.0, begins))
            free = (stop.end - state.now).total_seconds() / 3600.0
    drawn = mill.draw_case(grade, gsm=wish.gsm, speed_m_min=wish.speed_m_min)
    supplies = tuple(_supply(key, wish, state) for key in mill.sources)
    order = RunCase(
        **{name: getattr(drawn, name) for name in quantities(RunCase) if name in quantities(type(drawn))},
        sale_t=wish.sale_t,
        start_h=start_h,
        busy_until_h=free,
        chest_cons_pct=grade.chest_cons_pct,
        headbox_cons_pct=grade.headbox_cons_pct,
        speed_low=mill.machine.speed_low,
        speed_high=mill.machine.speed_high,
        takes_until_h=takes_until,
        additives=grade.additives,
        supplies=supplies,
    )
    return run_card(order)


def _supply(key: str, wish: Wish, state) -> Supply:
    """A source as it stands: its pulp, its vessel's level, what is made and what the present order takes."""
    s = state.mill.sources[key]
    vessel, level = state.mill.vessels[s.vessel], state.vessels.get(s.vessel)
    rate_in, _ = state.rates[s.vessel]
    now = source_now(state, key)
    pulp = {name: getattr(now, name) for name in quantities(type(now))}
    return Supply(
        **pulp,
        key=key,
        share=wish.shares_pct.get(key, 0.0) / 100.0,
        name=s.name,
        vessel=vessel.name,
        full_t=vessel.full_t,
        level_pct=level.level_pct if level else 0.0,
        made_t_h=rate_in,
        out_now_t_h=state.shares.get(key, 0.0) * state.takes_t_h,
        raw_wet_t_t=s.raw_wet_t_t,
        raw_name=s.raw_name,
        store="bought pulp" if s.spare else "a line",
    )


@dataclass(frozen=True)
class RefinerSet:
    """The refiners of one line set so that the order's blend has its freeness: what they were and would be, or why not."""

    unit: str
    name: str
    source: str
    to_csf: float
    aim: float
    words: str
    settings: dict[str, float]
    beyond: str = ""


def refiner_set(wish: Wish, card: RunCard, state) -> RefinerSet | None:
    """The blend's freeness carried by the refiners of its largest refined source; None where it is near its aim, or nothing
    of the blend is refined."""
    grade = state.mill.grades[wish.grade]
    test = next((t for t in grade.tests if t.key == "freeness" and t.band.target is not None), None)
    plans = {u.line: u for u in state.mill.units if isinstance(state.line.acting.get(u.id), RefinerPlan)}
    refined = [r for r in card.rows if r.supply.key in plans and r.supply.share > 0.0]
    if test is None or not refined or abs(card.csf_ml - test.band.target) < NEAR_ML:
        return None
    row = max(refined, key=lambda r: r.supply.share)
    unit = plans[row.supply.key]
    plan, inlet = state.line.acting[unit.id], state.line.inlets[unit.id]
    share, aim = row.supply.share, test.band.target
    wanted = row.supply.csf_ml * math.exp((math.log(aim) - math.log(card.csf_ml)) / share)
    found = set_for(plan, inlet.csf_ml, inlet.solids_t_h, wanted)
    told = {"unit": unit.id, "name": plan.name, "source": row.supply.name, "to_csf": wanted, "aim": aim}
    if isinstance(found, Infeasible):
        nearest = f"; the nearest is {figure(found.nearest, 0)} mL" if found.nearest is not None else ""
        return RefinerSet(**told, words="", settings={}, beyond=f"{found.reason}{nearest}")
    pairs = list(zip(plan.refiners, found.refiners, strict=True))
    words = ", ".join(f"{a.name} {figure(a.gross_kw, 0)} to {figure(b.gross_kw, 0)} kW" for a, b in pairs)
    return RefinerSet(
        **told, words=words, settings={f"gross_kw.{i}": round(b.gross_kw, 1) for i, (_, b) in enumerate(pairs, 1)}
    )


def least_furnish(wish: Wish, card: RunCard, state) -> dict:
    """The furnish of least cost for an order, within its grade's card and what every vessel gives through the run: its shares
    to a tenth, what it costs and saves; or what must give."""
    grade, draw = state.mill.grades[wish.grade], card.draw.solids_t_h
    now = pulps_now(state, 1.0)
    pulps = []
    for row in card.rows:
        s = row.supply
        room = max(0.0, row.run.course.at(card.case.start_h) - s.low_t - SPARE_T) + s.made_t_h * card.hours
        supply = min(100.0, 100.0 * room / (card.hours * draw))
        pulps.append(replace(now[s.key].pulp, share_pct=100.0 * s.share, supply_pct=supply))
    sds, _ = forecast_errors(chest_results(state))
    found = least(BlendCase(**limits_of(grade), **sds, pulps=tuple(pulps)))
    if isinstance(found, Infeasible):
        return {"none": True}
    shares = rounded(found.shares)
    keys = [r.supply.key for r in card.rows]
    return {
        "cost": found.cost,
        "saves": found.saves,
        "words": ", ".join(f"{k} {figure(s, 1)}" for k, s in zip(keys, shares, strict=True)),
        "put": {f"share_{k}": f"{s:g}" for k, s in zip(keys, shares, strict=True)},
    }


def run_hours(order: dict, state) -> float:
    """How long an order runs by its card, or by its grade's draw where no card is issued; 0 where neither is known."""
    if "hours" in order:
        return float(order["hours"])
    grade = state.mill.grades.get(order["grade"])
    if grade is None:
        return 0.0
    case = state.mill.draw_case(grade, gsm=order["gsm"], speed_m_min=order["speed_m_min"])
    result = draw(case)
    return 0.0 if isinstance(result, Infeasible) else order["sale_t"] / result.sale_t_h


def relief_words(relief, card: RunCard, wish: Wish, state) -> dict:
    """A relief as a choice: its sentence, what else it means, and the form values that put it in."""
    short = card.first_short
    if relief.kind == "start":
        when = _whole_minute(state.now + _hours(relief.value)) if relief.enough else None
        title = f"Start at {clock(when)}" if when else "A later start"
        note = (
            f"the {short.supply.vessel} then holds to the end, {clock(when + _hours(card.hours))}"
            if when
            else "does not fill it within two days"
        )
        put = {"start": clock(when)} if when else {}
    elif relief.kind == "share":
        spare = state.mill.sources[relief.supply]
        if relief.enough:
            key = short.supply.key
            share, other = _floor(100 * relief.value), 0.0
            other = wish.shares_pct[relief.supply] + wish.shares_pct[key] - share
            title = (
                f"{key} {wish.shares_pct[key]:g} to {share:g} %, {spare.name.lower()} "
                f"{wish.shares_pct[relief.supply]:g} to {other:g} %"
            )
            mixed = state.mix_of({k: v / 100.0 for k, v in {**wish.shares_pct, key: share, relief.supply: other}.items()})
            note = (
                f"freeness {figure(mixed.csf_ml - card.csf_ml, 0)} mL, brightness "
                f"{figure(mixed.iso_pct - card.iso_pct, 1)} points against as written"
            )
            put = {f"share_{key}": f"{share:g}", f"share_{relief.supply}": f"{other:g}"}
        else:
            title, note, put = f"More {spare.name.lower()}", "the store does not hold enough of it", {}
    elif relief.kind == "tonnes":
        t = _floor(relief.value) if relief.enough else 0
        title = f"Make {t:g} t now, {wish.sale_t - t:g} t later" if relief.enough else "Fewer tonnes"
        note = "one more grade change" if relief.enough else "not even half a tonne can be made"
        put = {"sale_t": f"{t:g}"} if relief.enough and t > 0 else {}
    else:
        m = state.mill.machine
        if relief.enough:
            v = _floor(relief.value)
            title, note, put = f"Run at {v:g} m/min", "the order takes longer", {"speed_m_min": f"{v:g}"}
        else:
            need = "even slower than it can" if relief.value != relief.value else f"{figure(relief.value, 0)} m/min"
            title, note, put = "Slower machine", f"would need {need}; {m.name}’s least is {m.speed_low:g}", {}
    unit = quantities(Reliefs)[relief.figure].unit
    return {
        "title": title,
        "note": note,
        "put": put,
        "enough": relief.enough and bool(put),
        "figure": relief.figure,
        "unit": unit,
    }


def _floor(x: float) -> float:
    return float(int(x + 1e-6))


def _whole_minute(when: datetime) -> datetime:
    """The next whole minute: a clock time that is put in must not fall back behind the relief."""
    return when if when.second == when.microsecond == 0 else when.replace(second=0, microsecond=0) + timedelta(minutes=1)


def _hours(h: float):
    return timedelta(minutes=int(h * 60) + 1)
