"""What the demo mill did in the days before its morning: its line through time, steered by people, as plain series.

Until six the sources give what their lines make; from then on the mill is run as the morning finds it. Levels come out where
they are read at the end: a level's course is the same from whatever level it begins.
"""

from collections.abc import Mapping
from dataclasses import dataclass, replace
from datetime import datetime

import numpy as np

from core.mill.mill import Mill
from core.mill.run import Running, vessel_rates
from core.stock.flow import l_min_of
from core.through.chance import Series, Wanders
from core.through.disturbed import Sizes, breaks_of
from core.through.plant import Plant, Steered
from desk.mill.ahead import broke_unit
from desk.mill.state import MillState

NOTED_MIN, ROWS_MIN, STEERED_MIN = 10, 30, 60
WANTED_SD, WANTED_H = 7.0, 20.0  # how far, %, and how long people let a level stray on purpose
LOWEST, HIGHEST = 8.0, 96.0
QUIET_MIN = 240  # before six, in which the web held
BREAKS = Sizes(break_every_h=14.0)  # of a machine that runs well


@dataclass(frozen=True)
class Past:
    """Series on grids of milliseconds: levels (%) by vessel and flows (L/min) by source every ten minutes, what rows of the
    plan would read every half hour."""

    grid: np.ndarray
    levels: Mapping[str, np.ndarray]
    flows: Mapping[str, np.ndarray]
    rows_grid: np.ndarray
    rows: Mapping[str, np.ndarray]
    shares_pct: Mapping[str, float]  # of the furnish before six
    breaks: tuple[tuple[int, int], ...]  # of the web, from and to

    def row_at(self, row: str, at_ms: np.ndarray) -> np.ndarray:
        """What a row would have read at times, by a perfect method."""
        return np.interp(at_ms, self.rows_grid, self.rows[row])


def _before(state: MillState) -> Running:
    """The mill before six: every source gives what its line makes, the spare what is wanting."""
    mill, running = state.mill, state.running
    rates = vessel_rates(mill, state.solution, running)
    made = {key: rates[s.tower][0] for key, s in mill.sources.items() if s.tower in rates}
    spare = next(key for key, s in mill.sources.items() if s.spare)
    wanting = max(0.0, sum(running.gives.values()) - sum(made.values()))
    return replace(running, gives={**running.gives, **made, spare: wanting})


def _broken(state: MillState, before: Running) -> Running:
    """The same while the web is broken: nothing is drawn, and the web goes where broke goes."""
    broke = broke_unit(state)
    fed = {broke: state.feed_rates[broke] + state.draw.web_t_h} if broke else {}
    return replace(before, gives=dict.fromkeys(before.gives, 0.0), filler_t_h=0.0, feeds={**before.feeds, **fed})


def _breaks(seed: int, until_min: int) -> tuple[tuple[int, int], ...]:
    """Whole minutes from and to which the web was broken."""
    told = ((round(60.0 * b.begin), round(60.0 * b.end)) for b in breaks_of(seed, until_min / 60.0, BREAKS))
    return tuple((begin, max(begin + 1, end)) for begin, end in told if begin > 0 and end < until_min)


class _Wanted:
    """The levels that people want before six: about those that the morning needs, never quite."""

    def __init__(self, mill: Mill, aims: Mapping[str, float], hours: float, seed: int) -> None:
        self.aims, self.end_s = aims, 3600.0 * hours
        walk = {"sd": WANTED_SD, "time_s": 3600.0 * WANTED_H}
        self.walks = {k: Series(Wanders(name=f"wanted {k}", **walk), seed) for k in aims}

    def at(self, time_s: float) -> dict[str, float]:
        told = {k: self.aims[k] + walk.at(time_s) - walk.at(self.end_s) for k, walk in self.walks.items()}
        return {k: min(HIGHEST, max(LOWEST, v)) for k, v in told.items()}


def lived(now: datetime, days: int, ends_at: Mapping[str, float], *, morning: datetime, seed: int) -> Past:
    """The days up to `now`, from a seed. `ends_at`: the level of every vessel then, %. Raises: CoreError."""
    state = MillState(now)
    mill, running = state.mill, state.running
    hours, since = 24.0 * days, (now - morning).total_seconds() / 3600.0
    needed = {
        key: ends_at[key] - 100.0 * (into - out) * since / mill.vessels[key].full_t
        for key, (into, out) in vessel_rates(mill, state.solution, running).items()
        if key in ends_at
    }
    wanted = _Wanted(mill, needed, hours - since, seed)
    before = _before(state)
    plant = Plant(mill, before, wanted.at(0.0), seed=seed)
    people = Steered(plant, needed)
    minutes, turned = round(60.0 * hours), round(60.0 * (hours - since))
    rows = {r.id: r for r in mill.plan.values()}
    fed = {row: unit for unit, row in mill.moisture_rows.items()}
    levels: dict[str, list[float]] = {}
    flows: dict[str, list[float]] = {}
    read: dict[str, list[float]] = {}

    def note(at: int) -> None:
        if at % NOTED_MIN == 0:
            for key, level in plant.levels().items():
                levels.setdefault(key, []).append(level)
            for key, t_h in plant.gives().items():
                flows.setdefault(key, []).append(l_min_of(t_h, mill.sources[key].source.cons_pct))
        if at % ROWS_MIN == 0:
            for key, row in rows.items():
                found = plant.moisture(fed[key]) if key in fed else plant.seen_at(row)
                if found is not None:
                    read.setdefault(key, []).append(found)

    broken, breaks = _broken(state, before), _breaks(seed, turned - QUIET_MIN)
    begins, ends = {begin for begin, _ in breaks}, {end for _, end in breaks}
    stops = sorted({*range(0, minutes + 1, NOTED_MIN), turned, *begins, *ends})
    for at, then in zip(stops, [*stops[1:], minutes], strict=True):
        note(at)
        if at == turned:
            people.let_go()
            plant.set_as(running)
        elif at in begins:
            plant.set_as(broken, halted=True)
        elif at in ends:
            plant.set_as(before)
        elif at < turned and at % STEERED_MIN == 0:
            people.aims = wanted.at(60.0 * at)
            people.steer()
        plant.run(then - at)
    begin, whole = round(1000 * (now.timestamp() - 3600.0 * hours)), len(next(iter(flows.values())))
    counted = {key: np.array(told) for key, told in levels.items()}
    half_hours = max(len(told) for told in read.values())
    return Past(
        grid=begin + 60_000 * NOTED_MIN * np.arange(whole),
        levels={key: told + (ends_at[key] - told[-1]) for key, told in counted.items() if key in ends_at},
        flows={key: np.array(told) for key, told in flows.items()},
        rows_grid=begin + 60_000 * ROWS_MIN * np.arange(half_hours),
        rows={key: np.array(told) for key, told in read.items() if len(told) == half_hours},
        breaks=tuple((begin + 60_000 * a, begin + 60_000 * b) for a, b in breaks),
        shares_pct={key: 100.0 * t_h / sum(before.gives.values()) for key, t_h in before.gives.items()},
    )
