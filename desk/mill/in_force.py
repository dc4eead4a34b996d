"""Set points put in force on a unit: what the line is run with in place of the set-up, as records that a later one sets
back."""

from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import Any
from urllib.parse import urlencode

from django.urls import reverse

from core.errors import CoreError, ImpossibleInput, Problem
from core.line.acting import Line
from core.mill.run import solve_mill
from core.quantity import Quantity
from desk.kit.templatetags.vat import midline
from desk.kit.writing import writing
from desk.log.actions import write
from desk.log.models import Kind, Record

PREFIX = "set."
LEAST_CHANGE = 1e-6


def newest(now) -> dict[str, Record]:
    """The set points in force at a time, the newest record of each unit."""
    rows = Record.objects.current().filter(kind=Kind.SETPOINT, subject__startswith=PREFIX, at__lte=now)
    return {r.subject.removeprefix(PREFIX): r for r in rows.order_by("at", "id")}


@dataclass(frozen=True)
class Change:
    """A set point that would go into force: the line with it, solved, and what its setting was and would be."""

    unit: str
    title: str
    before: Mapping[str, float]
    after: Mapping[str, float]
    said: Mapping[str, Quantity]
    line: Line

    @property
    def moved(self) -> tuple[str, ...]:
        """The settings that change."""
        return tuple(k for k in self.after if abs(self.after[k] - self.before[k]) > LEAST_CHANGE)

    @property
    def words(self) -> str:
        told = []
        for k in self.moved:
            q = self.said[k]
            told.append(
                f"{midline(q.label)} {self.before[k]:.{q.decimals}f} to {self.after[k]:.{q.decimals}f} {q.unit}".strip()
            )
        return ", ".join(told)


def why_not(mill, failure: CoreError) -> str:
    """A line that cannot be run, in a sentence with the titles of its units."""
    titles = {u.id: u.title for u in mill.units}
    if isinstance(failure, ImpossibleInput):
        told = "; ".join(f"{titles.get(p.field, p.field)} {p.text}" for p in failure.problems)
    else:
        told = str(failure)
    return f"The line cannot be run so: {told}."


def weigh(state, unit: str, values: Mapping[str, float]) -> Change:
    """What other settings of a unit would do to the line. Raises: ImpossibleInput, CoreError for settings that cannot run."""
    if unit not in state.line.acting:
        raise ImpossibleInput(Problem("unit", f"is {unit!r}; no such unit of this mill has settings"))
    plan = state.line.acting[unit]
    before = dict(plan.settings())
    after = {**before, **values}
    plan.set_to(values)
    running = state.running_at(state.rate or 1.0)
    running = replace(running, settings={**running.settings, unit: after})
    title = next(u.title for u in state.mill.units if u.id == unit)
    line = solve_mill(state.mill, running, state.line)
    return Change(unit=unit, title=title, before=before, after=after, said=plan.settable(), line=line)


def levered(state, unit: str, by: Mapping[str, float], step: float, base: Mapping[str, float] | None = None) -> dict[str, Any]:
    """What a move of so much of its lever puts in force on a unit: the parts of a record that says so.

    `by`: how much of each setting one of the lever is. `base`: the settings it starts from, where they are not those in force.
    Raises: CoreError where the line cannot be run so.
    """
    own = {**state.line.acting[unit].settings(), **(base or {})} if unit in state.line.acting else {}
    change = weigh(state, unit, {k: own.get(k, 0.0) + share * step for k, share in by.items()})
    return {
        "subject": f"{PREFIX}{unit}",
        "says": f"In force, {change.title}: {change.words or 'as it was'}",
        "data": {"unit": unit, "settings": dict(change.after), "before": own, "moved": list(by)},
    }


def put(*, change: Change, why: str, by, now, seen: int) -> Record:
    """Put settings in force, with what they were and why.

    `seen`: the record that was in force when the person looked (0 for the set-up). Raises: ImpossibleInput.
    """
    if not why.strip():
        raise ImpossibleInput(Problem("why", "is empty; say why it is changed"))
    if not change.moved:
        raise ImpossibleInput(Problem("unit", "is run so already: nothing changes"))
    with writing():
        _not_overtaken(change.unit, seen, now)
        return write(
            kind=Kind.SETPOINT,
            subject=f"{PREFIX}{change.unit}",
            by=by,
            now=now,
            says=f"In force, {change.title}: {change.words}",
            words=why.strip()[:300],
            data={"unit": change.unit, "settings": dict(change.after), "before": dict(change.before)},
        )


def set_back(*, record: Record, by, now) -> Record:
    """What was in force before a set point is in force again, as a later record. Raises: ImpossibleInput when a newer one
    stands."""
    unit = record.data["unit"]
    with writing():
        _not_overtaken(unit, record.pk, now)
        return write(
            kind=Kind.SETPOINT,
            subject=record.subject,
            by=by,
            now=now,
            says=f"Set back. {record.says}"[:380],
            data={"unit": unit, "settings": record.data["before"], "before": record.data["settings"]},
            about=record,
        )


def _not_overtaken(unit: str, seen: int, now) -> None:
    """Inside the write: nobody put another set point meanwhile. Raises: ImpossibleInput, with who and when."""
    standing = newest(now).get(unit)
    if standing is not None and standing.pk != seen:
        told = f"was set at {standing.at:%H:%M} by {standing.signed} meanwhile: {standing.says}"
        raise ImpossibleInput(Problem("unit", told))


def put_address(unit: str, moved: Mapping[str, str], request, *, afresh: bool = False) -> str:
    """Where settings of a unit that were tried on this page are put in force, and from where one comes back.

    `afresh`: they were solved, not typed, and what is typed is no longer what would be in force: the page then opens anew.
    """
    back = request.get_full_path()
    if afresh:
        line = request.GET.get("line", "")
        back = f"{request.path}?{urlencode({'line': line})}" if line else request.path
    return f"{reverse('mill:put')}?{urlencode({'unit': unit, **moved, 'back': back})}"
