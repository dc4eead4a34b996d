"""Cooks of batch digesters one after the other through the coming hours, on one clock.

Every digester goes on like its last cook, as soon as it may: it is free and idle again, no other is being filled, no other
rises (steam), no other blows, the blow tank has room for its pulp, and it does not stand in a planned stop. The digester that
can be filled first goes first.
Times are minutes from now; a cook as `core/cook/house.py` has it. Source: shift practice, sections 6 and 6.1.
"""

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

from core.cook.house import IDLE_MIN, Batch
from core.errors import ImpossibleInput, Problem

MOST_COOKS = 400
STEP_MIN = 15.0  # at which a level that falls is told
TINY = 1e-9


@dataclass(frozen=True, slots=True)
class Stand:
    """A digester stands from one minute to another."""

    digester: str
    from_min: float
    to_min: float


@dataclass(frozen=True, slots=True)
class BlowTank:
    """What cooks are blown into: t OD that it holds and that stand in it now, and what washing draws of it, t/h. The draw comes
    first, then the blow."""

    full_t: float
    now_t: float
    draw_t_h: float

    def blown(self, blows: Sequence[tuple[float, float]]) -> list[tuple[float, float]]:
        """The level after each blow that ends from now on: minute, t. `blows`: the minute each ends and its pulp, t."""
        level, at = self.now_t, 0.0
        told: list[tuple[float, float]] = []
        for end, pulp_t in sorted(blows):
            if end > 0.0:
                level = self._drawn(level, end - at) + pulp_t
                at = end
                told.append((end, level))
        return told

    def _drawn(self, level: float, minutes: float) -> float:
        return max(0.0, level - self.draw_t_h * minutes / 60.0)

    def wait_min(self, blows: Sequence[tuple[float, float]], end: float, pulp_t: float) -> float:
        """How much later a blow must end at least, so that nothing is over the brim after it; infinite where it never can."""
        if pulp_t > self.full_t:
            return math.inf
        over = max((t for at, t in self.blown([*blows, (end, pulp_t)]) if at >= end - TINY), default=0.0) - self.full_t
        if over <= TINY:
            return 0.0
        return 60.0 * over / self.draw_t_h if self.draw_t_h > 0.0 else math.inf

    def course(self, blows: Sequence[tuple[float, float]], until_min: float) -> list[tuple[float, float]]:
        """The level at every blow and at every quarter of an hour between: minute, t."""
        level, at = self.now_t, 0.0
        told = [(at, level)]
        for end, pulp_t in [*sorted(b for b in blows if 0.0 < b[0] <= until_min), (until_min, 0.0)]:
            while at + STEP_MIN < end and level > 0.0 and self.draw_t_h > 0.0:
                at, level = at + STEP_MIN, self._drawn(level, STEP_MIN)
                told.append((at, level))
            at, level = end, self._drawn(level, end - at) + pulp_t
            told.append((at, level))
        return told


def counted_t(full_t: float, draw_t_h: float, blows: Sequence[tuple[float, float]], back_min: float) -> float:
    """What stands in a blow tank without a meter, t: counted from half full so many minutes ago through what was blown since
    (minute, t; before now) and drawn. The tank was never over its brim, nor under nothing: a day forgets how it began."""
    level, at = 0.5 * full_t, -back_min
    for end, pulp_t in [*sorted(b for b in blows if -back_min < b[0] <= 0.0), (0.0, 0.0)]:
        level = min(full_t, max(0.0, level - draw_t_h * (end - at) / 60.0) + pulp_t)
        at = end
    return level


def blows_of(batches: Sequence[Batch]) -> list[tuple[float, float]]:
    """The minute that each cook's blow ends, and its pulp, t OD."""
    return [(b.end, b.pulp_t) for b in batches]


def _clear(at: float, lasts: float, taken: Sequence[tuple[float, float]]) -> float:
    """The first time from `at` on at which so many minutes meet none of what is taken."""
    for begin, end in sorted(taken):
        if at + lasts > begin + TINY and at < end - TINY:
            at = end
    return at


def _next_rise(last: Batch, from_min: float, done: Sequence[Batch], stands: Sequence[Stand], tank: BlowTank | None) -> float:
    """When the next cook of a digester can rise behind its last one; infinite where the blow tank never has room for it."""
    rise = max(last.end + IDLE_MIN, from_min) + last.fill_min
    others = [b for b in done if b is not last]
    fills = [(b.rise_at - b.fill_min, b.rise_at) for b in others]
    rises = [(b.rise_at, b.rise_at + b.rise_min) for b in others]
    blows = [(b.blow_at, b.end) for b in others]
    own = [(s.from_min, s.to_min) for s in stands if s.digester == last.digester]
    to_blow, whole = last.rise_min + last.hold_min, last.rise_min + last.hold_min + last.blow_min
    while True:
        before = rise
        rise = _clear(rise - last.fill_min, last.fill_min, fills) + last.fill_min
        rise = _clear(rise, last.rise_min, rises)
        rise = _clear(rise + to_blow, last.blow_min, blows) - to_blow
        rise = _clear(rise - last.fill_min, last.fill_min + whole, own) + last.fill_min
        if tank is not None:
            rise += tank.wait_min(blows_of(done), rise + whole, last.pulp_t)
        if rise <= before + TINY:
            return rise


def cooks_ahead(
    newest: Mapping[str, Batch],
    until_min: float,
    stands: Sequence[Stand] = (),
    running: Sequence[Batch] = (),
    tank: BlowTank | None = None,
) -> list[Batch]:
    """Every cook that rises before a time, behind the newest of each digester; `running` are all cooks that are known, which
    keep their steam and their blow; `tank` takes every blow, where it is given. The first are named digester+1, digester+2.

    Raises: ImpossibleInput for a cook with a phase of no length.
    """
    bad = [b for b in newest.values() if min(b.rise_min, b.hold_min, b.blow_min) <= 0.0 or b.fill_min < 0.0]
    if bad:
        raise ImpossibleInput(*(Problem(b.name, "has a phase of no length") for b in bad))
    done = [*running, *(b for b in newest.values() if b not in running)]
    last, count = dict(newest), dict.fromkeys(newest, 0)
    made: list[Batch] = []
    while last and len(made) < MOST_COOKS:
        rises = {d: _next_rise(b, 0.0, done, stands, tank) for d, b in last.items()}
        digester = min(rises, key=lambda d: (rises[d] - last[d].fill_min, d))
        if rises[digester] >= until_min:
            break
        count[digester] += 1
        after = replace(last[digester], name=f"{digester}+{count[digester]}", rise_at=rises[digester], done=False)
        done.append(after)
        made.append(after)
        last[digester] = after
    return made


def load_course(spans: Sequence[tuple[float, float, float]], steady_t_h: float, until_min: float) -> list[tuple[float, float]]:
    """What spans (from, to, t/h) draw together over what is drawn all the time, t/h, at every minute at which it changes, from
    now on."""
    edges = {0.0, until_min} | {t for a, b, _ in spans for t in (a, b) if 0.0 < t < until_min}
    return [(at, steady_t_h + sum(v for a, b, v in spans if a - TINY <= at < b - TINY)) for at in sorted(edges)]


def steam_course(batches: Sequence[Batch], steady_t_h: float, until_min: float) -> list[tuple[float, float]]:
    """Steam of the cooks as they rise and are held, over what is drawn all the time, t/h, at every minute at which it
    changes."""
    rises = [(b.rise_at, b.rise_at + b.rise_min, b.steam_t_h) for b in batches]
    holds = [(b.rise_at + b.rise_min, b.blow_at, b.hold_steam_t_h) for b in batches]
    return load_course([*rises, *holds], steady_t_h, until_min)


def alkali_course(
    batches: Sequence[Batch], ea_t: Mapping[str, float], steady_t_h: float, until_min: float
) -> list[tuple[float, float]]:
    """Effective alkali that cooks are charged with as they are filled (t as NaOH of each, by digester), over what continuous
    ones take, t/h, at every minute at which it changes."""
    fills = [
        (b.rise_at - b.fill_min, b.rise_at, 60.0 * ea_t.get(b.digester, 0.0) / b.fill_min) for b in batches if b.fill_min > 0.0
    ]
    return load_course(fills, steady_t_h, until_min)
