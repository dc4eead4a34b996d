"""What lies in a vessel by its age: a plug, first in first out, over a mixed bottom zone, filled through its recorded levels.

Source: recovered to delivery, section 9 (plug tower, first in first out by volume, the dilution zone mixed) and section 13.2
(exact mixing with flows that stand through a step).
"""

import math
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from core.errors import Caution
from core.quantity import check, figure, quantity, rows
from core.register import Check, model

Array = npt.NDArray[np.float64]
NOTHING = 1e-12


@dataclass(frozen=True, slots=True, kw_only=True)
class LevelStep:
    """A stretch of the record: how long, the level at its end, what was drawn."""

    hours: float = quantity("Lasts", "h", possible=(0, 240), above=True, decimals=2)
    level_pct: float = quantity("Level at its end", "%", possible=(0, 100), decimals=1)
    rate_out: float = quantity("Out", "t/h OD", possible=(0, 10_000), decimals=2)


@dataclass(frozen=True, slots=True, kw_only=True)
class LayersCase:
    capacity: float = quantity("Capacity", "t OD", possible=(0, 100_000), above=True, decimals=1)
    level_pct: float = quantity("Level at the start", "%", possible=(0, 100), decimals=1)
    mixed_pct: float = quantity("Of its content mixed", "%", possible=(0, 100), decimals=0, default=0.0)
    steps: tuple[LevelStep, ...] = rows("Stretch", LevelStep, least=1, most=400)


@dataclass(frozen=True, slots=True)
class Layer:
    """Stock that came in through one stretch: hours ago from and to (None: before the record), t OD above and in the zone."""

    newest_h: float
    oldest_h: float | None
    plug_t: float
    zone_t: float

    @property
    def tonnes(self) -> float:
        return self.plug_t + self.zone_t


@dataclass(frozen=True, slots=True, kw_only=True)
class LayersFound:
    """What is known of the age of what leaves and what lies in it; ages stand at least, where some is older than the record."""

    content_t: float = figure("In it", "t OD", decimals=1, equation="capacity × level at the end")
    leaves_h: float = figure("What leaves now came in, mean", "h ago", decimals=1, equation="age over what leaves")
    newest_h: float = figure("newest of it", "h ago", decimals=1, equation="5 % of what leaves is newer")
    oldest_h: float = figure("oldest of it", "h ago", decimals=1, equation="95 % of what leaves is newer")
    mean_h: float = figure("All that is in it, mean age", "h", decimals=1, equation="age over its content")
    before_pct: float = figure("Of it older than the record", "%", decimals=0, equation="content that no stretch brought")
    brought_t: float = figure("Brought in the record", "t OD", decimals=1, equation="Σ rise of content + out × hours")
    layers: tuple[Layer, ...] = ()
    cautions: tuple[Caution, ...] = ()


def mixed_through(x0: Array, brought: Array, m0: float, out: float) -> Array:
    """Content of a mixed vessel after a step with its flows standing, exact for any step; extensive (mass, heat).

    `x0` and `brought` any shape, equal; `m0` total mass before and `out` total mass that leaves; what leaves is x0 + brought -
    result. Mass before or after of 0 leaves nothing behind. Source: section 13.2 D.
    """
    came = float(brought.sum())
    m1 = m0 + came - out
    if m1 <= NOTHING:
        return np.zeros_like(x0)
    if m0 <= NOTHING:
        return np.asarray(brought * (m1 / came)) if came > 0.0 else np.zeros_like(x0)
    rise = (m1 - m0) / m0
    share = math.log1p(rise) / rise if abs(rise) > 1e-9 else 1.0 - rise / 2.0
    kept = math.exp(-share * came / m0)
    result = x0 * (kept * m1 / m0)
    return np.asarray(result + brought * ((1.0 - kept) * m1 / came) if came > 0.0 else result)


def _taken(plug: Array, out: float) -> Array:
    """What a plug gives up of its parcels, oldest first."""
    before = np.concatenate(([0.0], np.cumsum(plug)[:-1]))
    return np.clip(out - before, 0.0, plug)


@dataclass(frozen=True, slots=True)
class _Held:
    """Parcels by the stretch they came in (0: before the record), in the plug and in the zone, and what was brought."""

    plug: Array
    zone: Array
    brought: Array


def _filled(case: LayersCase) -> _Held:
    n, share = len(case.steps) + 1, case.mixed_pct / 100.0
    plug, zone, brought = np.zeros(n), np.zeros(n), np.zeros(n)
    content = case.capacity * case.level_pct / 100.0
    plug[0], zone[0] = content * (1.0 - share), content * share
    for i, step in enumerate(case.steps, start=1):
        then = case.capacity * step.level_pct / 100.0
        out = max(step.rate_out * step.hours, content - then)  # a level that fell faster than was drawn: it was drawn
        brought[i] = then - content + out
        plug[i] += brought[i]
        down = _taken(plug, max(0.0, plug.sum() - then * (1.0 - share)))
        plug = plug - down
        zone = mixed_through(zone, down, float(zone.sum()), out) if share > 0.0 else zone
        content = then
    return _Held(plug, zone, brought)


def _quantile(ages: Array, weights: Array, part: float) -> float:
    order = np.argsort(ages)
    cumulated = np.cumsum(weights[order])
    return float(ages[order][min(len(ages) - 1, int(np.searchsorted(cumulated, part * cumulated[-1] * (1 - 1e-12))))])


_STEADY = [{"hours": 1, "level_pct": 50, "rate_out": 10}] * 24
_TOWER = {"capacity": 100, "level_pct": 50, "steps": _STEADY}


@model(
    "stock.layers",
    title="What lies in a vessel, by age",
    source="first in, first out by mass over a mixed zone; inflow by mass balance of the recorded level and what was drawn",
    holds_for="no channelling and no dead stock: where the age is wrong, look for them",
    equation="in = Δcontent + out; the plug gives up its oldest to the zone, the zone mixes exactly",
    basis="default",
    checks=(
        Check(_TOWER, "leaves_h", 5.0, 1e-9),
        Check(_TOWER, "brought_t", 240.0, 1e-9),
        Check({**_TOWER, "mixed_pct": 100}, "leaves_h", 5.0, 0.012),
        Check({**_TOWER, "mixed_pct": 20}, "newest_h", 4.0 + 1.0 * -math.log(0.95), 0.15),
        Check({**_TOWER, "steps": _STEADY[:3]}, "before_pct", 40.0, 1e-9),
    ),
)
def layers(case: LayersCase) -> LayersFound:
    """What a vessel holds by when it came in, and how old what leaves is. Nothing in it: ages 0. Raises: ImpossibleInput."""
    cautions = check(case)
    held = _filled(case)
    hours = np.array([s.hours for s in case.steps])
    ends = np.concatenate(([hours.sum()], hours.sum() - np.cumsum(hours)))  # hours ago that each stretch ended
    begins = np.concatenate(([hours.sum()], ends[:-1]))
    total = held.plug + held.zone
    content = float(total.sum())
    inside = np.flatnonzero(held.plug > NOTHING)
    middle = (ends + begins) / 2.0
    if held.zone.sum() > NOTHING:
        ages, weights = middle, held.zone
    elif len(inside):  # a plug gives its oldest: what is left of that parcel tells how much of its stretch is out
        first = inside[0]
        part = held.plug[first] / held.brought[first] if first and held.brought[first] > 0.0 else 1.0
        ages, weights = np.array([ends[first] + (begins[first] - ends[first]) * min(1.0, part)]), np.ones(1)
    else:
        ages, weights = np.zeros(1), np.ones(1)
    before = 100.0 * total[0] / content if content > NOTHING else 0.0
    leaving = held.zone[0] / held.zone.sum() if held.zone.sum() > NOTHING else float(held.plug[0] > NOTHING)
    if leaving > 0.05:
        told = f"go back {hours.sum():.0f} h, and {100.0 * leaving:.0f} % of what leaves is older: its age stands at least"
        cautions += (Caution("steps", told),)
    return LayersFound(
        content_t=content,
        leaves_h=float((ages * weights).sum() / weights.sum()),
        newest_h=_quantile(ages, weights, 0.05),
        oldest_h=_quantile(ages, weights, 0.95),
        mean_h=float((middle * total).sum() / content) if content > NOTHING else 0.0,
        before_pct=before,
        brought_t=float(held.brought.sum()),
        layers=tuple(
            Layer(float(ends[i]), float(begins[i]) if i else None, float(held.plug[i]), float(held.zone[i]))
            for i in range(len(total))
            if total[i] > NOTHING
        ),
        cautions=cautions,
    )
