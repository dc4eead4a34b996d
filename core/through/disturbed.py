"""What usually goes otherwise: moisture, kappa, bale lots, rates that wander, breaks and trips by chance; all seeded by name.

Sizes and times are defaults to be calibrated. Source: recovered to delivery, section 13.5.
"""

import math
from dataclasses import dataclass, field
from typing import Final

import numpy as np

from core.line.acting import Line
from core.stream import INDEX, N, Vector, W
from core.through.chance import Series, Wanders, generator
from core.through.entries import HEAT, content, value
from core.through.layout import BLANK, TINY, Layout
from core.through.stepper import Event, Stepped

PULP: Final = [INDEX[name] for name in ("LF", "SF", "FN")]
FILLER: Final = INDEX["FL"]
WET_FROM, WET_TO = 0.02, 0.95
LOT_H: Final = (2.0, 4.0)


@dataclass(frozen=True, slots=True, kw_only=True)
class Sizes:
    """How much and how soon: sd, and the time it is forgotten in (h); breaks a running hour, minutes at the median; trips of a
    pump a day, minutes from and to; the share of valves that stick."""

    moisture_points: float = 1.5
    moisture_h: float = 3.0
    kappa: float = 1.5
    kappa_h: float = 2.0
    rate: float = 0.03
    rate_h: float = 1.0
    ash_points: float = 2.5
    break_every_h: float = 8.0
    break_min: float = 12.0
    break_ln_sd: float = 0.8
    trip_every_d: float = 10.0
    trip_min: tuple[float, float] = (3.0, 15.0)
    sticking: float = 0.15  # of the valves, and by how much of their reach
    sticking_pct: tuple[float, float] = (0.5, 3.0)


@dataclass(frozen=True, slots=True, kw_only=True)
class Machine:
    """What stops in a break and where its web goes: draws of the blend, the stream that goes on from its chest, the unit that
    broke comes to (or empty), the web, t/h over what that unit is fed."""

    draws: tuple[str, ...] = ()
    on: str = ""
    broke: str = ""
    web_t_h: float = 0.0


@dataclass(frozen=True, slots=True)
class Span:
    """Hours from and to."""

    begin: float
    end: float


def breaks_of(seed: int, hours: float, sizes: Sizes) -> tuple[Span, ...]:
    """Breaks of the machine: one in so many running hours by chance, each of a lognormal length."""
    rng = generator(seed, "break")
    told: list[Span] = []
    at = 0.0
    while True:
        at += float(rng.exponential(sizes.break_every_h))
        lasts = sizes.break_min / 60.0 * math.exp(sizes.break_ln_sd * float(rng.standard_normal()))
        if at >= hours:
            return tuple(told)
        told.append(Span(at, at + lasts))
        at += lasts


def trips_of(seed: int, stream: str, hours: float, sizes: Sizes) -> tuple[Span, ...]:
    """Trips of a stream's pump."""
    rng = generator(seed, f"trip {stream}")
    told: list[Span] = []
    at = 0.0
    while True:
        at += 24.0 * float(rng.exponential(sizes.trip_every_d))
        lasts = float(rng.uniform(*sizes.trip_min)) / 60.0
        if at >= hours:
            return tuple(told)
        told.append(Span(at, at + lasts))


@dataclass
class Disturbed:
    """A line that is disturbed: its events, and what `apply` changes of it as time goes on."""

    layout: Layout
    seed: int
    hours: float
    machine: Machine = Machine()
    sizes: Sizes = Sizes()
    feeds: dict[int, tuple[Series, Series]] = field(default_factory=dict)
    cooks: dict[int, Series] = field(default_factory=dict)
    lots: dict[int, tuple[Vector, Vector]] = field(default_factory=dict)

    def __post_init__(self) -> None:
        lo, s = self.layout, self.sizes
        self.fed = lo.feed.copy()  # what is fed from outside, before it is disturbed
        for i in np.flatnonzero(lo.feed[:, :N].any(axis=1)).tolist():
            u = lo.network.units[i]
            moisture = s.moisture_points / 100.0 if u.station == "chips" else 0.0
            self.feeds[i] = (
                Series(Wanders(name=f"moisture {u.id}", sd=moisture, time_s=3600.0 * s.moisture_h), self.seed),
                Series(Wanders(name=f"rate {u.id}", sd=s.rate, time_s=3600.0 * s.rate_h), self.seed),
            )
            if u.station == "recovered":
                self.lots[i] = self._lots(u.id)
        for key in cooks_of(lo.line):
            wanders = Wanders(name=f"kappa {key}", sd=s.kappa, time_s=3600.0 * s.kappa_h)
            self.cooks[lo.network.index[key]] = Series(wanders, self.seed)
        self.breaks = breaks_of(self.seed, self.hours, s) if self.machine.draws else ()

    def _lots(self, unit: str) -> tuple[Vector, Vector]:
        """Hours at which a lot begins, and its ash over the usual, as a share."""
        rng = generator(self.seed, f"lot {unit}")
        count = int(self.hours / LOT_H[0]) + 2
        begins = np.concatenate([[0.0], np.cumsum(rng.uniform(*LOT_H, count))])
        return begins, self.sizes.ash_points / 100.0 * rng.standard_normal(count + 1)

    def events(self) -> tuple[Event, ...]:
        """Breaks and trips of the hours, as events."""
        told: list[tuple[float, str, float]] = []
        stops = (*self.machine.draws, *((self.machine.on,) if self.machine.on else ()))
        for b in self.breaks:
            told += [(b.begin, name, 0.0) for name in stops] + [(b.end, name, 1.0) for name in stops]
        for name in self.layout.names[: self.layout.draw_count]:
            if name in stops:
                continue
            for t in trips_of(self.seed, name, self.hours, self.sizes):
                told += [(t.begin, name, 0.0), (t.end, name, 1.0)]
        return tuple(
            Event(at_s=3600.0 * at, number=i, stream=name, what="runs", value=v) for i, (at, name, v) in enumerate(sorted(told))
        )

    def stick(self, line: Stepped) -> None:
        """Let the valves stick that do, each by its own chance."""
        lo, s = self.layout, self.sizes
        for j in sorted(set(lo.loops["drives"].tolist())):
            rng = generator(self.seed, f"valve {lo.names[j]}")
            if rng.random() < s.sticking:
                line.sticky(lo.names[j], float(rng.uniform(*s.sticking_pct)))

    def apply(self, line: Stepped) -> None:
        """Feeds and cooks as they are at the line's time."""
        lo, hours = self.layout, line.time_s / 3600.0
        broken = any(b.begin <= hours < b.end for b in self.breaks)
        for i, (moisture, rate) in self.feeds.items():
            fed = self.fed[i] * line.feed_by[i]
            parts = fed[:N] * max(0.0, 1.0 + rate.at(line.time_s))
            parts = _wetter(parts, moisture.at(line.time_s))
            if i in self.lots:
                begins, ash = self.lots[i]
                parts = _ashier(parts, float(ash[max(0, int(np.searchsorted(begins, hours, side="right")) - 1)]))
            if broken and lo.network.units[i].id == self.machine.broke:
                solids = float(parts.sum() - parts[W])
                parts = parts * ((solids + self.machine.web_t_h) / max(solids, TINY))
            line.feeds(i, content(parts, temp_c=float(np.nan_to_num(value(fed, HEAT), nan=20.0)), quality=BLANK))
        for i, kappa in self.cooks.items():
            line.off[i, 0] = kappa.at(line.time_s)
        if self.cooks:
            line.changed()


def cooks_of(line: Line) -> tuple[str, ...]:
    """The units that cook: they act at the station of cooking and set a kappa."""
    network = line.solution.network
    return tuple(k for k, act in line.acts.items() if act.kappa is not None and network.unit(k).station == "cook")


def _wetter(parts: Vector, more: float) -> Vector:
    """The same wet mass with so much more of it water (a share); a dry feed stays as it is."""
    whole = float(parts.sum())
    if more == 0.0 or whole <= TINY:
        return parts
    wet = float(parts[W]) / whole
    then = min(WET_TO, max(WET_FROM, wet + more))
    result = parts * ((1.0 - then) / max(1.0 - wet, TINY))
    result[W] = whole * then
    return np.asarray(result)


def _ashier(parts: Vector, more: float) -> Vector:
    """The same solids with so much more of them filler (a share), in place of fibre and fines."""
    pulp = float(parts[PULP].sum())
    whole = pulp + float(parts[FILLER])
    if whole <= TINY or pulp <= TINY:
        return parts
    moved = min(0.9 * pulp, max(-float(parts[FILLER]), more * whole))
    result = parts.copy()
    result[PULP] *= 1.0 - moved / pulp
    result[FILLER] += moved
    return np.asarray(result)
