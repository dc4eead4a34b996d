"""What a row of the practice table is, and the arithmetic its moves share.

Source: shift practice, section 4: step = −0.7 e/g, nothing inside the inner band, clamped to the largest step and the lever's
limits.
"""

import math
from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass, field
from typing import Final

from core.errors import Caution
from core.judge.move import DAMPING
from core.unit import Facts


@dataclass(frozen=True, slots=True, kw_only=True)
class Practice:
    """One row: what is seen, what to check first, the lever and its words, when it shows and when to look again.

    `gate` is a statement by a person that the record waits for; it commands nothing. `model` is the registered model that
    sizes it; its result is a Proposal. `says` is the slip's title with {before} and {after}.
    `solved`: field of the model's case to what the unit it is used at knows of itself (`Kind.facts`). `turned`: how a reading
    in another measure becomes a field, by that knowledge; None where it cannot. `reads` names the field that the retest reads.
    `lever`: the settings of the unit that its size moves, with how much of a setting one of its unit is; {stage} is the
    placement's, and a name that ends with * stands for every setting that begins so. None where no setting is its lever.
    `dead_min`/`retest_min` count from taking it.
    """

    id: str
    station: str
    symptom: str
    check_first: tuple[str, ...]
    says: str
    unit: str
    decimals: int
    reads: str
    dead_min: float
    retest_min: float
    caution: str
    model: str
    school: str = ""
    most: str = ""
    gate: str = ""  # what a person says before the lever goes up
    solved: Mapping[str, str] = field(default_factory=dict)
    turned: Mapping[str, Callable[[float, Facts], float | None]] = field(default_factory=dict)
    lever: Mapping[str, float] = field(default_factory=dict)

    def moves(self, stage: int, settings: Iterable[str]) -> dict[str, float]:
        """The settings of a unit that its size moves, with how much of each one of its unit is; {} where it has none."""
        told: dict[str, float] = {}
        for name, share in self.lever.items():
            wanted = name.format(stage=stage)
            if wanted.endswith("*"):
                told |= {own: share for own in settings if own.startswith(wanted[:-1])}
            elif wanted in settings:
                told[wanted] = share
        return told


@dataclass(frozen=True, slots=True, kw_only=True)
class Proposal:
    """Whether the signal stands, why (or why not), the lever from `before` to `after`, the reading expected then.

    `low` and `high` bound what a person may alter it to; `bound_by` names the limit that cut it. `band_low`, `band_high`: where
    the reading should lie at the retest.
    """

    stands: bool
    why: str
    low: float
    high: float
    band_low: float
    band_high: float
    bound_by: str = ""
    cautions: tuple[Caution, ...] = ()


@dataclass(frozen=True, slots=True, kw_only=True)
class Sized:
    """A size and the limit that cut it."""

    size: float
    bound_by: str = ""


def feedback(error: float, gain: float, most: float) -> Sized:
    """−0.7 e/g cut to the largest step. A gain of 0 moves nothing."""
    return cut(-DAMPING * error / gain, most) if gain else Sized(size=0.0, bound_by="a lever without effect")


def cut(size: float, most: float, name: str = "the most of one move") -> Sized:
    """A size within ± most."""
    return Sized(size=math.copysign(most, size), bound_by=name) if abs(size) > most else Sized(size=size)


def within(value: float, low: float, high: float) -> str:
    """Where a reading lies: "in", "high" or "low"."""
    return "high" if value > high else "low" if value < low else "in"


ROWS: Final[dict[str, Practice]] = {}


def add(*rows: Practice) -> None:
    """Put rows into the table. Raises: ValueError for an id that is there already."""
    for row in rows:
        if row.id in ROWS:
            raise ValueError(f"row {row.id} is in the table twice")
        ROWS[row.id] = row


def of(station: str) -> Mapping[str, Practice]:
    """The rows of a station, in their order."""
    return {k: r for k, r in ROWS.items() if r.station == station}
