"""Calibrations of meters: what was found against a reference and what was left; a later one stands in place of an earlier."""

from dataclasses import dataclass
from datetime import datetime

from core.errors import ImpossibleInput, Problem
from desk.instruments.models import Signal
from desk.kit.writing import writing
from desk.log.actions import write
from desk.log.models import Kind, Record

CALIBRATED = "calibrated"


@dataclass(frozen=True)
class Calibration:
    """The newest calibration of a meter: when, by whom, and how far it stood from the reference then and after."""

    at: datetime
    signed: str
    found: float | None
    left: float
    record: int


def keep(*, signal: Signal, found: float | None, left: float, words: str, by, now: datetime) -> Record:
    """Keep a calibration. `found`, `left`: the meter less its reference before and after, in its unit; `found` is None where it
    could not be read. Raises: ImpossibleInput for what lies outside the meter's span."""
    span = signal.high - signal.low
    given = {"found": found, "left": left}
    bad = [
        Problem(name, f"is {x:g} {signal.unit}; it must be within ± {span:g} {signal.unit}")
        for name, x in given.items()
        if x is not None and not abs(x) <= span
    ]
    if bad:
        raise ImpossibleInput(*bad)
    was = "could not be read" if found is None else f"found {found:+.{signal.decimals}f}"
    says = f"Calibrated: {signal.label}, {was}, left {left:+.{signal.decimals}f} {signal.unit}".replace("-", "−").rstrip()
    with writing():
        return write(
            kind=Kind.EVENT,
            subject=signal.tag,
            status=CALIBRATED,
            by=by,
            now=now,
            says=says,
            words=words[:300],
            data={"found": found, "left": left, "unit": signal.unit},
        )


def newest(now: datetime) -> dict[str, Calibration]:
    """The newest calibration of every meter that has one, by tag."""
    told = Record.objects.current().filter(kind=Kind.EVENT, status=CALIBRATED, at__lte=now).order_by("at", "id")
    return {r.subject: Calibration(r.at, r.signed, r.data["found"], r.data["left"], r.pk) for r in told}
