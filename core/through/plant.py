"""A mill as a plant: its line through time as it is set, disturbed by chance, and what is really in its pipes and vessels.

What a desk believes (a kappa read, a moisture read, constants learnt) is not what a plant does: it goes by its set-up, by what
is set on it, and by chance. It is stepped by the minute whoever asks, so that one seed and one order of settings give one
course. Source: recovered to delivery, sections 13.2 to 13.5; how people steer levels is a default to be calibrated.
"""

import math
from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import Any, Final

import numpy as np

from core.colour import brightness_from_ks
from core.errors import CoreError
from core.line.network import Draw, DrawKind
from core.mill.document import PlanRow
from core.mill.mill import Mill
from core.mill.run import Running, laid_out, solve_mill
from core.mill.signals import MEANS
from core.stock.flow import l_min_of
from core.stream import INDEX, SUSPENDED, N, Vector, W
from core.through.acting import Reacting
from core.through.disturbed import Disturbed, Sizes
from core.through.entries import CSF, K457, KAPPA, S457, content, value
from core.through.layout import BLANK, TINY, qualities
from core.through.mill import levels_pct, through_time
from core.through.stepper import Event, Stepped
from core.unit import Inlet, Kind

STEP_S, DISTURBED_S, ASKED_S = 60.0, 600.0, 1800.0
MOVED: Final = 0.02  # of what comes, before a unit is asked anew
LASTS_H: Final = 24.0 * 400.0  # bale lots are laid out for so long
STEERED: Final = 0.004  # of a rate, for each per cent that a level is off what people want
MOST_STEERED: Final = 0.15
CALM: Final = Sizes(moisture_points=0.6, kappa=0.35, rate=0.012, ash_points=0.8)  # a plant that keeps its bands on most days


Settings = Mapping[str, float]


@dataclass(frozen=True, slots=True)
class Coming:
    """Settings of a unit that act from a minute on."""

    due: int
    unit: str
    settings: Settings


def plain(running: Running) -> Running:
    """A way of running without what a desk believes: what is set alone."""
    return replace(running, makes={}, moisture_pct={}, coefficients={}, constants={})


class Plant:
    """A mill's line from its levels on, set as `running`; `seed` makes its chance.

    Raises: CoreError for a line that cannot be run so.
    """

    def __init__(
        self,
        mill: Mill,
        running: Running,
        level_pct: Mapping[str, float],
        *,
        seed: int,
        sizes: Sizes = CALM,
    ) -> None:
        self.mill, self.running = mill, plain(running)
        line = solve_mill(mill, self.running)
        layout = self.layout = through_time(mill, line, level_pct, STEP_S, lived=True)
        self.line = Stepped(layout)
        self.acting = Reacting(self.line, MOVED)
        self.disturbed = Disturbed(layout=layout, seed=seed, hours=LASTS_H, sizes=sizes)
        driven = set(layout.loops["drives"].tolist())  # a store that a loop keeps level passes on what is brought
        own = {int(node): f"on.{layout.network.units[node].id}" for node in layout.vessel_node}
        self.stored = {node for node, name in own.items() if layout.stream(name) not in driven}
        self.asked_t_h = {d.id: d.target for d in line.solution.network.draws}
        self.rate: dict[str, float] = {}  # what a feed's line takes, over what is set
        self.brought: dict[str, float] = {}  # and what is brought to it
        self.set_t_h: dict[str, float] = {}
        self.refused = ""
        self.halted = False
        units, _, plans = laid_out(mill, replace(self.running, settings={}))
        self.plans = {key: plans[key] for key in self.acting.keys}  # as they are set up
        self.applied: dict[str, Settings] = {k: dict(v) for k, v in self.running.settings.items() if k in self.plans}
        self.coming: list[Coming] = []  # settings on their way: set where pulp enters a unit, felt where it leaves
        units, _, _ = laid_out(mill, self.running)
        self._fed({u.id: u.feed for u in units if not u.supply and u.feed.any()})

    # -- what is set

    def set_as(self, running: Running, *, halted: bool = False) -> None:
        """Run it otherwise from now on: feeds, what each source gives, settings of units; `halted`: the machine stands.

        Settings that a unit cannot run with are left as they were, and `refused` says so.
        """
        self.refused = ""
        try:
            units, draws, _ = laid_out(self.mill, plain(running))
        except CoreError as failure:
            self.refused = str(failure)
            return
        self.running, self.halted = plain(running), halted
        fed_before = self.layout.network.feed
        index = self.layout.network.index
        self._fed({u.id: u.feed for u in units if not u.supply and (u.feed.any() or fed_before[index[u.id]].any())})
        for key in self.plans:
            self._set(key, dict(running.settings.get(key, {})))
        at, told = self.line.time_s, []
        for d in draws:
            wants = self._wants(d)
            if wants is not None:
                told.append((d.id, "wants", wants))
        chest = f"on.{self.mill.roles.chest}"
        if chest in self.layout.names:
            told.append((chest, "runs", 0.0 if halted else 1.0))
        self.line.file(*(Event(at_s=at, number=i, stream=n, what=w, value=v) for i, (n, w, v) in enumerate(told)))

    def _set(self, key: str, settings: Settings) -> None:
        """Put settings on a unit: they act once the pulp that met them leaves it. Nothing where it is set so already."""
        before = next((c.settings for c in reversed(self.coming) if c.unit == key), self.applied.get(key, {}))
        if settings == before:
            return
        was, now = (self._kind(key, told).settings() for told in (before, settings))
        moved = tuple(name for name in now if now[name] != was.get(name))
        due = self.minutes + round(felt_min(self._kind(key, before), self.acting.inlets[key], moved))
        self.coming.append(Coming(due, key, settings))
        self.coming.sort(key=lambda c: c.due)

    def _kind(self, key: str, settings: Settings) -> Kind:
        return self.plans[key].set_to(settings) if settings else self.plans[key]

    def _arrive(self) -> None:
        """Settings whose pulp leaves now act."""
        while self.coming and self.coming[0].due <= self.minutes:
            came = self.coming.pop(0)
            self.applied[came.unit] = came.settings
            self.acting.runs_as(came.unit, self._kind(came.unit, came.settings))

    def _wants(self, d: Draw) -> float | None:
        """What a draw by rate is now asked for: solids, or of bought pulp its whole flow; None where that stands."""
        if d.kind is not DrawKind.RATE or d.id not in self.layout.names or d.target == self.asked_t_h.get(d.id):
            return None
        self.asked_t_h[d.id] = d.target
        j = self.layout.stream(d.id)
        if int(self.layout.stream_from[j]) >= 0:
            return d.target
        supply = self.layout.supply[j, :N]
        return d.target * float(supply.sum()) / max(float(supply @ SUSPENDED), TINY)

    def _fed(self, feeds: Mapping[str, Vector]) -> None:
        """What is fed from outside, t/h by component; of a unit with a store, what its line takes and what is brought."""
        lo, network = self.layout, self.layout.network
        for unit, feed in feeds.items():
            i = network.index[unit]
            whole = float(feed.sum())
            base = float(network.feed[i].sum())
            kept = float(lo.feed[i, :N].sum()) / base if base > TINY else 1.0
            if self._brought_fixed(unit) and whole > TINY:
                kept *= base / whole
            temp = network.units[i].feed_temp_c
            self.disturbed.fed[i] = content(feed * kept, temp_c=temp, quality=BLANK)
            self.set_t_h[unit] = whole
        for unit in feeds:
            self._takes(unit)

    def _brought_fixed(self, unit: str) -> bool:
        return any(v.unit == unit and v.in_t_h is not None for v in self.mill.vessels.values())

    def _takes(self, unit: str) -> None:
        """A feed at its rate: of a unit whose store swallows what is brought, what goes on from it; of any other what comes."""
        i = self.layout.network.index[unit]
        if i in self.stored:
            wants = self.set_t_h[unit] * self.rate.get(unit, 1.0)
            self.line.file(Event(at_s=self.line.time_s, stream=f"on.{unit}", what="wants", value=wants))
            self.line.feed_by[i] = self.brought.get(unit, 1.0)
        else:
            self.line.feed_by[i] = self.rate.get(unit, 1.0)

    def eased(self, unit: str, rate: float = 1.0, brought: float = 1.0) -> None:
        """Run a feed's line at a share of what is set, and bring a share of what is usual to its store."""
        self.rate[unit], self.brought[unit] = rate, brought
        self._takes(unit)

    def thinned(self, unit: str, by_pct: float) -> None:
        """Move what the dilution of a unit holds by so much consistency, %; nothing for a unit that none thins."""
        lo = self.layout
        node = lo.network.index.get(unit)
        for j, kind in enumerate(lo.kinds):
            if kind == DrawKind.DILUTE.value and int(lo.stream_to[j]) == node:
                self.line.wants[lo.loops["drives"] == j] += by_pct / 100.0

    def takes_over_brought(self, unit: str) -> float:
        """What a feed's line takes as it is set, over what is brought to its store."""
        brought = float(self.disturbed.fed[self.layout.network.index[unit]][:N].sum())
        return self.set_t_h[unit] / brought if brought > TINY else 1.0

    # -- time

    @property
    def minutes(self) -> int:
        """Whole minutes since it began."""
        return round(self.line.time_s / STEP_S)

    def run(self, minutes: int) -> None:
        """Go on by so many minutes."""
        disturbed, asked = round(DISTURBED_S / STEP_S), round(ASKED_S / STEP_S)
        for now in range(self.minutes, self.minutes + minutes):
            self._arrive()
            if now % disturbed == 0:
                self.disturbed.apply(self.line)
            if now % asked == 0 or self.acting.anew:
                self.acting.ask()
            self.line.step(STEP_S)

    # -- what is really there

    def levels(self) -> dict[str, float]:
        """Level of every vessel that the line has, %, by the mill's key."""
        told = levels_pct(self.layout, self.line.vessel_t().tolist())
        found: dict[str, float] = {}
        for key, v in self.mill.vessels.items():
            unit = key if key in self.layout.network.index else v.unit
            if unit in told:
                found[key] = told[unit]
        return found

    def gives(self) -> dict[str, float]:
        """What each source gives now, t/h of solids."""
        told = {}
        for key, source in self.mill.sources.items():
            if source.draw not in self.layout.names:
                continue
            j = self.layout.stream(source.draw)
            v = int(self.layout.stream_from[j])
            of = self.layout.supply[j] if v < 0 else self.line.held[v]
            share = float(of[:N] @ SUSPENDED) / max(float(of[:N].sum()), TINY)
            told[key] = float(self.line.flow[j]) * share
        return told

    def leaves(self, unit: str) -> Vector:
        """(26,) of what left a unit in the last step; as solved before the first."""
        i = self.layout.network.index[unit]
        if self.line.last is not None:
            return self.line.leaves(i)
        solved = self.layout.line.solution
        return np.asarray(content(solved.after[i], temp_c=float(solved.temp_c[i]), quality=qualities(solved, i)))

    def seen_at(self, row: PlanRow) -> float | None:
        """What a row of the plan would read with a perfect method; None where the line does not tell it."""
        if not row.unit or row.unit not in self.layout.network.index:
            return None
        if row.stage == 0 and (found := _of(self.leaves(row.unit), row.test)) is not None:
            return found
        told = self.acting.facts(row.unit, row.stage).get(MEANS.get(row.test, ""))
        return None if told is None or isinstance(told, str) else float(told)

    def moisture(self, unit: str) -> float | None:
        """Moisture of what a unit's feed sends on, % of the wet; None for one that is dry."""
        parts = self.leaves(unit)[:N]
        whole = float(parts.sum())
        return 100.0 * float(parts[W]) / whole if whole > TINY and parts[W] > 0.0 else None

    def truths(self) -> dict[str, float]:
        """What every meter that the mill has would read if it were perfect, by tag."""
        told = {f"level.{key}": level for key, level in self.levels().items()}
        for key, t_h in self.gives().items():
            told[f"flow.{key}"] = l_min_of(t_h, self.mill.sources[key].source.cons_pct)
        for row in self.mill.plan.values():
            if row.metered and (found := self.seen_at(row)) is not None:
                told[row.tag] = found
        return told

    # -- kept

    def kept(self) -> dict[str, Vector]:
        """Its line as it stands, to go on from to the last bit, with `told`."""
        return self.line.kept() | {f"acting.{name}": told for name, told in self.acting.kept().items()}

    def told(self) -> dict[str, Any]:
        """What its units are set to and what is on its way to them, as plain values."""
        return {
            "applied": {key: dict(settings) for key, settings in self.applied.items()},
            "coming": [[c.due, c.unit, dict(c.settings)] for c in self.coming],
        }

    def restore(self, kept: Mapping[str, Vector], told: Mapping[str, Any]) -> None:
        """Stand as it was kept; run as it was then by `set_as` before. Raises: ImpossibleInput for what was kept of another
        line."""
        self.applied = {key: settings for key, settings in told["applied"].items() if key in self.plans}
        self.coming = [Coming(due, unit, settings) for due, unit, settings in told["coming"] if unit in self.plans]
        for key in self.plans:
            self.acting.acting[key] = self._kind(key, self.applied.get(key, {}))
        self.line.restore(kept)
        self.acting.restore({k.removeprefix("acting."): v for k, v in kept.items() if k.startswith("acting.")})


def felt_min(kind: Kind, inlet: Inlet, moved: tuple[str, ...]) -> float:
    """How long after it is put a setting is felt where a unit's pulp leaves, min."""
    felt = getattr(kind, "felt_min", None)
    if felt is not None:
        return float(felt(inlet, moved))
    passes = getattr(kind, "passes_min", None)
    return float(passes(inlet)) if passes is not None else 0.0


def _of(parts: Vector, test: str) -> float | None:
    """What a test reads of a content: consistency, kappa, freeness, brightness or ash; None for any other, and of nothing."""
    masses = parts[:N]
    solids, whole = float(masses @ SUSPENDED), float(masses.sum())
    if solids <= TINY:
        return None
    if test == "consistency":
        return 100.0 * solids / whole
    if test == "ash":
        return 100.0 * float(masses[INDEX["FL"]]) / solids
    if test == "kappa":
        found = float(value(parts, KAPPA))
    elif test == "freeness":
        found = math.exp(float(value(parts, CSF)))
    elif test == "brightness":
        k, s = float(value(parts, K457)), float(value(parts, S457))
        found = brightness_from_ks(max(0.0, k / s)) if s > 0.0 else math.nan
    else:
        return None
    return found if math.isfinite(found) else None


class Steered:
    """How people keep levels: the feeds of a line eased while its tower stands high, more brought to a store that stands low.

    `aims`: the level that is wanted of each vessel, %, by the mill's key.
    """

    def __init__(self, plant: Plant, aims: Mapping[str, float]) -> None:
        self.plant, self.aims = plant, dict(aims)
        network = plant.layout.network
        fed = [u.id for u in network.units if u.feed.any() and not u.supply]
        self.towers: dict[str, list[str]] = {}  # tower: the feeds of its line
        self.stores: dict[str, str] = {}  # feed: its store
        for key, v in plant.mill.vessels.items():
            if key in network.index and network.unit(key).stores:
                before = _before(plant, key)
                self.towers[key] = [u for u in fed if u in before]
            elif v.unit in fed and network.index[v.unit] in plant.stored:
                self.stores[v.unit] = key

    def steer(self) -> None:
        """Look at the levels and set the feeds by them."""
        levels = self.plant.levels()
        rates = {unit: 1.0 + self._off(tower, levels) for tower, feeds in self.towers.items() for unit in feeds}
        for unit in {*rates, *self.stores}:
            rate = rates.get(unit, 1.0)
            brought = rate + self._off(self.stores[unit], levels) if unit in self.stores else 1.0
            self.plant.eased(unit, rate, brought * self.plant.takes_over_brought(unit))

    def _off(self, key: str, levels: Mapping[str, float]) -> float:
        if key not in levels or key not in self.aims:
            return 0.0
        return max(-MOST_STEERED, min(MOST_STEERED, STEERED * (self.aims[key] - levels[key])))

    def let_go(self) -> None:
        """Every feed as it is set."""
        for unit in {*(u for feeds in self.towers.values() for u in feeds), *self.stores}:
            self.plant.eased(unit)


def _before(plant: Plant, unit: str) -> set[str]:
    """The units whose pulp comes to a unit by outlets alone."""
    told, ahead = {unit}, [unit]
    while ahead:
        to = ahead.pop()
        for u in plant.layout.network.units:
            if u.id not in told and any(o.to == to for o in u.outlets):
                told.add(u.id)
                ahead.append(u.id)
    return told
