"""Checks of a test on a standard or a blank: what was known, what was found, and whether the test may be trusted."""

from dataclasses import dataclass
from datetime import timedelta

from core.errors import ImpossibleInput
from core.lab.methods import TESTS, plausible
from core.lab.replicate import combine
from desk.kit.refused import FieldRefused
from desk.kit.templatetags.vat import figure
from desk.log.actions import write
from desk.log.models import Kind, Record
from desk.people.rights import refuse

STANDARD = "standard."
GOOD, OFF = "standard good", "standard off"
LASTS = timedelta(hours=24)


class Refused(FieldRefused):
    """Why a check cannot be kept: `field` is where to show it."""


@dataclass(frozen=True)
class Checked:
    """The newest check of a test: its record, and whether it is still fresh."""

    record: Record
    fresh: bool

    @property
    def off(self) -> bool:
        return self.record.status == OFF


def keep(*, row, known: float | None, found: float | None, by, now) -> Record:
    """Keep a check of a row's test: good where found and known agree as duplicates must. Raises: Refused."""
    refuse(by, "record")
    test = TESTS[row.test]
    for name, value in (("known", known), ("found", found)):
        if value is None:
            raise Refused(name, f"{name.capitalize()} is empty; give a number{' of ' + test.unit if test.unit else ''}.")
        try:
            plausible(test, value)
        except ImpossibleInput as refusal:
            raise Refused(name, f"{name.capitalize()} {refusal.problems[0].text}.") from None
    assert known is not None and found is not None
    told = combine((known, found), r_abs=test.r_abs, r_rel_pct=test.r_rel_pct)
    good = told.spread <= told.limit
    unit = f" {test.unit}" if test.unit else ""
    d = test.decimals + 1
    says = f"Standard of {test.name.lower()}: known {figure(known, d)}, found {figure(found, d)}{unit}, "
    says += f"{figure(told.spread, d)} apart of {figure(told.limit, d)} allowed"
    data = {"known": known, "found": found, "limit": told.limit}
    status = GOOD if good else OFF
    return write(
        kind=Kind.EVENT,
        subject=f"{STANDARD}{test.key}",
        by=by,
        now=now,
        says=says,
        value=found - known,
        status=status,
        data=data,
    )


def newest(test: str, now) -> Checked | None:
    """The newest check of a test."""
    told = (
        Record.objects.current()
        .filter(kind=Kind.EVENT, subject=f"{STANDARD}{test}", at__lte=now)
        .order_by("-at", "-id")
        .first()
    )
    return None if told is None else Checked(told, now - told.at <= LASTS)
