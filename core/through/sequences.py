"""What a line does of its own accord besides its loops: batches that are blown or dumped, and interlocks that trip.

Interlocks here are modelled, so that a simulated mill behaves like a mill: they set, reset or bypass no real one. Their limits
and the room behind a digester are defaults to be calibrated. Source: recovered to delivery, sections 13.2 and 13.3.
"""

import math
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Final

import numpy as np

from core.compiled import compiled
from core.errors import ImpossibleInput, Problem
from core.stream import N, Vector
from core.through.mixing import mixed_shares

READS: Final = ("level", "flow", "cons")  # % of a vessel; t/h and % of what enters a unit
LOW_PCT, LOW_RESET_PCT = 5.0, 12.0  # a pump stops, and may run again
HIGH_PCT, HIGH_RESET_PCT = 97.0, 92.0  # a feed is shut, and may open again
DELAY_S: Final = 2.0
BEHIND, LEAST_BEHIND = 2.5, 1.25  # batches that the tank behind has room for: default, and at least
LEAST_T: Final = 1e-6
LEAST_PCT: Final = 2.0  # of that tank, which its pump leaves


@dataclass(frozen=True, slots=True, kw_only=True)
class Batched:
    """A unit whose pulp leaves it by batches (a digester blown, a vat dumped): one every so many minutes, each for so many; the
    next after `first_min`. What has come since the last stands in it.

    Behind it stands a mixed tank that is drawn evenly, so that it is ready for the next batch; `tank_t` of what is dumped at
    its brim, room for two and a half batches where it is not told.
    """

    unit: str
    every_min: float
    lasts_min: float
    first_min: float
    tank_t: float | None = None

    def __post_init__(self) -> None:
        """Raises: ImpossibleInput for a batch that lasts as long as the next is away, or longer."""
        if not 0.0 < self.lasts_min < self.every_min:
            raise ImpossibleInput(
                Problem("lasts_min", f"is {self.lasts_min:g}; it must be over 0 and under every_min, {self.every_min:g}")
            )
        if self.first_min < 0.0:
            raise ImpossibleInput(Problem("first_min", f"is {self.first_min:g}; it must be at least 0"))


class Dumps:
    """The batches of a line as they come, and the tanks behind them.

    `number` of the last batch that began (-1 before the first) and its `rate`, t/h; what is drawn from each tank (`flow`, t/h)
    and what it holds (`held`, 26 each). `steady`: t/h of everything that passes at rest, of `mix` a tonne.
    """

    def __init__(self, batches: tuple[Batched, ...], steady: Vector, mix: Vector) -> None:
        self.times = [(b.every_min / 60.0, b.lasts_min / 60.0, b.first_min / 60.0) for b in batches]
        every, _, first = np.array(self.times).reshape(-1, 3).T
        self.number = np.full(len(batches), -1.0)
        self.rate = np.zeros(len(batches))
        batch = steady * every
        told = np.array([np.nan if b.tank_t is None else b.tank_t for b in batches])
        self.full = np.maximum(LEAST_BEHIND * batch, np.where(np.isnan(told), BEHIND * batch, told))
        self.full = np.maximum(self.full, LEAST_T)  # of a line that stands
        self.low = np.maximum(LEAST_PCT / 100.0 * self.full, (self.full - batch) / 2.0)  # stands in it as the next batch begins
        self.flow = steady.copy()
        self.held = mix * np.minimum(self.full, self.low + steady * first)[:, None]

    @property
    def level_pct(self) -> Vector:
        """Of each tank."""
        return np.asarray(100.0 * self.held[:, :N].sum(axis=1) / self.full)

    def gives(self, at_h: float, dt_h: float, waits_t: Vector) -> list[float]:
        """t that each unit gives up in a step: all that waits in it as its batch begins, at an even rate while that lasts."""
        told = []
        for i, (every, lasts, first) in enumerate(self.times):  # few: numbers are quicker than arrays
            now = math.floor((at_h + dt_h - first) / every - 1e-9)
            if now > self.number[i]:
                waits = float(waits_t[i])
                self.number[i], self.rate[i] = now, waits / lasts
                self.flow[i] = max(0.0, float(self.held[i, :N].sum()) + waits - self.low[i]) / every
            begun = first + float(self.number[i]) * every
            within = min(at_h + dt_h, begun + lasts) - max(at_h, begun)
            told.append(float(self.rate[i]) * max(0.0, within) if self.number[i] >= 0.0 else 0.0)
        return told


@compiled
def dumped(held: Vector, flow: Vector, full: Vector, dt_h: float, batches: Vector) -> None:
    """What the tanks pass on in a step of what is dumped into them, in place of it (tanks, 26); over the brim goes with it.

    `held` (tanks, 26) stands in them, `flow` (t/h) is drawn from them, `full` is their brim, t."""
    for i in range(len(flow)):
        mass, comes = held[i, :N].sum(), batches[i, :N].sum()
        room = mass + comes
        out = max(0.0, min(flow[i] * dt_h, room - LEAST_PCT / 100.0 * full[i]), room - full[i])
        stays, of_came = mixed_shares(mass, comes, room - out)
        for e in range(held.shape[1]):
            whole = held[i, e] + batches[i, e]
            held[i, e] = held[i, e] * stays + batches[i, e] * of_came
            batches[i, e] = whole - held[i, e]


@dataclass(frozen=True, slots=True, kw_only=True)
class Lock:
    """A modelled interlock. It reads the level of a vessel (%), or the flow (t/h) or consistency (%) of what enters a unit;
    trips at `trips` once that lasts for the delay, and is reset at `resets`: by itself, or by an event that starts its stream
    again.

    While it is tripped its streams stop, feeds from outside shut, and units that idle let pulp through as it comes.
    """

    name: str
    reads: str
    at: str
    trips: float
    resets: float
    delay_s: float = DELAY_S
    stops: tuple[str, ...] = ()
    shuts: tuple[str, ...] = ()
    idles: tuple[str, ...] = ()
    automatic: bool = True

    def __post_init__(self) -> None:
        """Raises: ImpossibleInput for a reading that is none, or a reset at the limit itself."""
        if self.reads not in READS:
            raise ImpossibleInput(Problem("reads", f"“{self.reads}” is no reading; there are {', '.join(READS)}"))
        if self.trips == self.resets:
            raise ImpossibleInput(Problem("resets", f"is {self.resets:g}, where it trips; it must be another"))


@dataclass(frozen=True, slots=True)
class Trip:
    """A lock that tripped, or was reset, at a time (s)."""

    at_s: float
    lock: Lock
    tripped: bool


class Locks:
    """The interlocks of a line as they stand. `vessels`, `nodes`, `streams`: places by name."""

    def __init__(
        self, locks: tuple[Lock, ...], vessels: Mapping[str, int], nodes: Mapping[str, int], streams: Mapping[str, int]
    ) -> None:
        """Raises: ImpossibleInput naming what a lock reads or acts on and is not there."""
        bad = [
            Problem(f"lock “{k.name}”", f"“{name}” is no {what} of this line")
            for k in locks
            for what, names, there in (
                ("vessel" if k.reads == "level" else "unit", (k.at,), vessels if k.reads == "level" else nodes),
                ("stream", k.stops, streams),
                ("unit", (*k.shuts, *k.idles), nodes),
            )
            for name in names
            if name not in there
        ]
        if bad:
            raise ImpossibleInput(*bad)
        self.locks = locks
        self.of_level = np.flatnonzero([k.reads == "level" for k in locks])
        self.of_unit = np.flatnonzero([k.reads != "level" for k in locks])
        self.vessel = np.array([vessels[k.at] for k in locks if k.reads == "level"], dtype=np.int64)
        self.node = np.array([nodes[k.at] for k in locks if k.reads != "level"], dtype=np.int64)
        self.cons_row = np.array([k.reads == "cons" for k in locks if k.reads != "level"], dtype=bool)
        self.low = np.where([k.resets > k.trips for k in locks], 1.0, -1.0)  # trips as it falls; else as it rises
        self.trips, self.resets = (self.low * np.array([getattr(k, n) for k in locks]) for n in ("trips", "resets"))
        self.delay = np.array([k.delay_s for k in locks])
        self.automatic = np.array([k.automatic for k in locks], dtype=bool)
        self.stops, self.shuts, self.idles = (
            self._places(told, where)
            for told, where in (
                ([k.stops for k in locks], streams),
                ([k.shuts for k in locks], nodes),
                ([k.idles for k in locks], nodes),
            )
        )
        self.since_s, self.tripped = np.zeros(len(locks)), np.zeros(len(locks), dtype=bool)
        self.past_reset = np.zeros(len(locks), dtype=bool)

    @staticmethod
    def _places(told: list[tuple[str, ...]], where: Mapping[str, int]) -> Vector:
        """(locks, places) of what each acts on."""
        acts = np.zeros((len(told), len(where)), dtype=bool)
        for row, names in enumerate(told):
            acts[row, [where[name] for name in names]] = True
        return acts

    def look(self, level_pct: Vector, entering: Vector, at_s: float, dt_s: float) -> tuple[Trip, ...]:
        """Read once in a step. `level_pct` of every vessel; `entering` (locks that read units, 2): solids and all, t/h. What
        tripped or was reset."""
        reads = np.empty(len(self.locks))
        reads[self.of_level] = level_pct.take(self.vessel)
        cons = 100.0 * entering[:, 0] / np.maximum(entering[:, 1], 1e-12)
        reads[self.of_unit] = np.where(self.cons_row, cons, entering[:, 1])
        reads *= self.low
        met = reads <= self.trips
        if not met.any() and not self.tripped.any():
            self.since_s[:], self.past_reset[:] = 0.0, reads >= self.resets
            return ()
        was = self.tripped
        self.since_s = np.where(met, self.since_s + dt_s, 0.0)
        self.past_reset = reads >= self.resets
        self.tripped = (was | (met & (self.since_s >= self.delay))) & ~(was & self.automatic & self.past_reset)
        if (was == self.tripped).all():
            return ()
        return tuple(Trip(at_s, self.locks[i], bool(self.tripped[i])) for i in np.flatnonzero(was != self.tripped))

    def started(self, stream: int) -> None:
        """Somebody starts a stream again: locks on it that are past their reset let go."""
        self.tripped = self.tripped & ~(self.stops[:, stream] & self.past_reset)

    def over(self, acts: Vector) -> Vector:
        """Which places a tripped lock acts on."""
        return np.asarray(acts[self.tripped].any(axis=0))
