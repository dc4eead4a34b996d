"""Cooks of batch digesters one after the other through the coming hours, on one clock.

Every digester goes on like its last cook, as soon as it may: it is free and idle again, no other is being filled, no other
rises (steam), no other blows, and it does not stand in a planned stop. The digester that can be filled first goes first.
Times are minutes from now; a cook as `core/cook/house.py` has it. Source: shift practice, sections 6 and 6.1.
"""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

from core.cook.house import IDLE_MIN, Batch
from core.errors import ImpossibleInput, Problem

MOST_COOKS = 400
TINY = 1e-9


@dataclass(frozen=True, slots=True)
class Stand:
    """A digester stands from one minute to another."""

    digester: str
    from_min: float
    to_min: float


def _clear(at: float, lasts: float, taken: Sequence[tuple[float, float]]) -> float:
    """The first time from `at` on at which so many minutes meet none of what is taken."""
    for begin, end in sorted(taken):
        if at + lasts > begin + TINY and at < end - TINY:
            at = end
    return at


def _next_rise(last: Batch, from_min: float, done: Sequence[Batch], stands: Sequence[Stand]) -> float:
    """When the next cook of a digester can rise behind its last one."""
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
        if rise <= before + TINY:
            return rise


def cooks_ahead(
    newest: Mapping[str, Batch], until_min: float, stands: Sequence[Stand] = (), running: Sequence[Batch] = ()
) -> list[Batch]:
    """Every cook that rises before a time, behind the newest of each digester; `running` are all cooks that are known, which
    keep their steam and their blow. The first are named digester+1, digester+2.

    Raises: ImpossibleInput for a cook with a phase of no length.
    """
    bad = [b for b in newest.values() if min(b.rise_min, b.hold_min, b.blow_min) <= 0.0 or b.fill_min < 0.0]
    if bad:
        raise ImpossibleInput(*(Problem(b.name, "has a phase of no length") for b in bad))
    done = [*running, *(b for b in newest.values() if b not in running)]
    last, count = dict(newest), dict.fromkeys(newest, 0)
    made: list[Batch] = []
    while last and len(made) < MOST_COOKS:
        rises = {d: _next_rise(b, 0.0, done, stands) for d, b in last.items()}
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
