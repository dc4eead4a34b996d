"""When a sample is due, late or missed, and how its interval follows what was read and what was changed.

Source: shift practice, section 2. Due = last + interval; grace = max(10 min, 25 % of the interval). A restart, a change of
grade or chemical, or a move that was taken asks for an extra sample after its dead time and two mixing times; a change of
grade that is planned does so beforehand. Two results
outside the inner band, one after the other, halve the interval until three are inside; ten inside may double it, never for a
critical test. A planned stop excuses.
"""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from enum import StrEnum
from typing import Final

from core.errors import Caution, ImpossibleInput, Problem
from core.quantity import check, choice, figure, quantity, rows
from core.register import Check, model

GRACE_LEAST_MIN: Final = 10.0
GRACE_SHARE: Final = 0.25
MIXING_TIMES: Final = 2.0
TIGHT_AFTER, LOOSE_AFTER, EASY_AFTER = 2, 3, 10  # results outside, inside, inside


class DueState(StrEnum):
    NOT_DUE = "not due"
    DUE = "due"
    LATE = "late"
    MISSED = "missed"
    EXCUSED = "excused"


class Pace(StrEnum):
    """A plan's interval as it is kept."""

    PLANNED = "as planned"
    HALVED = "halved"
    DOUBLED = "doubled"


TIMES: Final = {Pace.PLANNED: 1.0, Pace.HALVED: 0.5, Pace.DOUBLED: 2.0}


@dataclass(frozen=True, slots=True, kw_only=True)
class Changed:
    """Something that was changed upstream of a sample: how long ago (below 0: it is planned, in so many minutes), its dead
    time, and the time constant it is mixed with."""

    ago_min: float = quantity("Changed", "min ago", possible=(-10_000, 100_000), decimals=0)
    dead_min: float = quantity("Dead time", "min", possible=(0, 100_000), decimals=0)
    mixing_min: float = quantity("Mixing time", "min", possible=(0, 100_000), decimals=0)

    @property
    def felt_in_min(self) -> float:
        """Minutes from now until a sample tells what it did; under 0 where that is past."""
        return self.dead_min + MIXING_TIMES * self.mixing_min - self.ago_min


@dataclass(frozen=True, slots=True, kw_only=True)
class Stands:
    """A planned stop of what the sample is taken from, minutes from now; `settles_min` after its end a sample tells again."""

    from_min: float
    to_min: float
    settles_min: float = 0.0


@dataclass(frozen=True, slots=True)
class Due:
    """State, and minutes from now to the due time (negative once it is past).

    `extra`: which of the changes asks for it before its interval is over; `stop`: which of the stops puts it off; or None.
    """

    state: DueState
    in_min: float
    extra: int | None = None
    stop: int | None = None

    @property
    def late_min(self) -> float:
        return max(0.0, -self.in_min)


def kept_pace(outside: Sequence[bool], *, eased: bool = False, critical: bool = False, each_batch: bool = False) -> Pace:
    """How the interval is kept after these results, oldest first, each outside its inner band or not.

    `eased`: a shift lead has doubled it; that stands until a result is outside, and never for a critical test. What is sampled
    of `each_batch` is sampled as often as there is one."""
    if each_batch:
        return Pace.PLANNED
    halved, run_out, run_in = False, 0, 0
    for out in outside:
        run_out, run_in = (run_out + 1, 0) if out else (0, run_in + 1)
        halved = run_out >= TIGHT_AFTER or (halved and run_in < LOOSE_AFTER)
    if halved:
        return Pace.HALVED
    return Pace.DOUBLED if eased and not critical and not any(outside) else Pace.PLANNED


def may_ease(outside: Sequence[bool], *, critical: bool, each_batch: bool = False) -> bool:
    """Whether a shift lead may double the interval: the last ten results are inside, and the test is not critical."""
    return not (critical or each_batch) and len(outside) >= EASY_AFTER and not any(outside[-EASY_AFTER:])


def due(*, since_last_min: float, interval_min: float, changes: Iterable[Changed] = (), stops: Sequence[Stands] = ()) -> Due:
    """State of a sampling row, from the minutes since the last sample was *taken*.

    Of the changes upstream that no sample has told of yet, the first that is felt before the interval is over asks for an extra
    one. A sample that would be due within a planned stop is due once that is over and has settled.
    Worked: last 6.0 h, interval 4 h, now 10.9 h: due at 10.0, late only after 11.0: due. Raises: ImpossibleInput.
    """
    if not interval_min > 0.0:
        raise ImpossibleInput(Problem("interval_min", f"is {interval_min:g}; it must be above 0"))
    in_min, extra, stop = interval_min - since_last_min, None, None
    for i, change in enumerate(changes):
        if -since_last_min < change.felt_in_min < in_min:
            in_min, extra = change.felt_in_min, i
    for i in sorted(range(len(stops)), key=lambda i: stops[i].from_min):
        if stops[i].from_min <= in_min < stops[i].to_min:
            in_min, stop = stops[i].to_min + stops[i].settles_min, i
    if stop is not None and stops[stop].from_min <= 0.0 < stops[stop].to_min:
        return Due(DueState.EXCUSED, in_min, extra, stop)
    grace = max(GRACE_LEAST_MIN, GRACE_SHARE * interval_min)
    if in_min > 0.0:
        state = DueState.NOT_DUE
    elif -in_min <= grace:
        state = DueState.DUE
    elif -in_min <= interval_min:
        state = DueState.LATE
    else:
        state = DueState.MISSED
    return Due(state, in_min, extra, stop)


@dataclass(frozen=True, slots=True, kw_only=True)
class SampleCase:
    interval_min: float = quantity("Planned every", "min", possible=(1, 100_000), valid=(15, 1440), decimals=0)
    pace: str = choice("The interval is kept", tuple(Pace), default=Pace.PLANNED.value)
    since_last_min: float = quantity("Last sample taken", "min ago", possible=(0, 1e6), decimals=0)
    changes: tuple[Changed, ...] = rows("Change", Changed, least=0, most=12)


@dataclass(frozen=True, slots=True, kw_only=True)
class SampleFound:
    every_min: float = figure("Sampled every", "min", decimals=0, equation="planned interval; × ½ halved; × 2 doubled")
    due_min: float = figure("Due in", "min", decimals=0, equation="least of interval − age, dead + 2 mixing times − ago")
    late_min: float = figure("Late in", "min", decimals=0, equation="due + max(10, 25 % of the interval)")
    missed_min: float = figure("Missed in", "min", decimals=0, equation="due + interval")
    cautions: tuple[Caution, ...] = ()


_TEXT = {"interval_min": 240, "since_last_min": 294}
_CHANGED = {"interval_min": 240, "since_last_min": 60, "changes": [{"ago_min": 20, "dead_min": 25, "mixing_min": 15}]}


@model(
    "lab.next_sample",
    title="When a sample is due",
    source="shift practice: sampling plan",
    holds_for="a row of a sampling plan; grace and the changes of the interval are defaults of this desk",
    equation="due = last + interval; extra = change + dead time + 2 mixing times",
    basis="default",
    checks=(
        Check(_TEXT, "due_min", -54.0, 1e-9),
        Check(_TEXT, "late_min", 6.0, 1e-9),
        Check({**_TEXT, "pace": "halved"}, "missed_min", -54.0, 1e-9),
        Check(_CHANGED, "due_min", 35.0, 1e-9),
    ),
)
def next_sample(case: SampleCase) -> SampleFound:
    """Raises: ImpossibleInput."""
    cautions = check(case)
    every = case.interval_min * TIMES[Pace(case.pace)]
    found = due(since_last_min=case.since_last_min, interval_min=every, changes=case.changes)
    grace = max(GRACE_LEAST_MIN, GRACE_SHARE * every)
    return SampleFound(
        every_min=every,
        due_min=found.in_min,
        late_min=found.in_min + grace,
        missed_min=found.in_min + every,
        cautions=cautions,
    )
