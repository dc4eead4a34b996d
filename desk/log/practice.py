"""Rows of the practice table in this mill: what their wells open with, whether they stand, and the slip of one that does."""

import math
from collections.abc import Mapping
from dataclasses import dataclass, field
from datetime import timedelta
from typing import Any

from core import calc
from core.errors import CoreError, Infeasible
from core.lab.looks import EVIDENCE, answers
from core.practice.table import ROWS, Practice, Proposal
from core.quantity import quantities
from core.register import find
from desk.kit.templatetags.vat import clock, figure
from desk.log.actions import write
from desk.log.models import Kind, Record
from desk.log.moves import undecided

STANDS = ("single", "accepted")
OF_BAND = {"target": "aim", "inner": "half_width", "low": "low", "high": "high", "most_pct": "high", "most": "high"}


@dataclass(frozen=True)
class Opening:
    """Values of the wells, where each came from, and the wells nothing is known of."""

    values: Mapping[str, Any]
    came: Mapping[str, str]
    missing: tuple[str, ...]
    results: tuple[Record, ...] = field(default=())


def opening(placement, state, *, newest: Mapping[str, Record]) -> Opening:
    """What a placement's wells open with: set-up, what the line solves at its unit, the band in force, then the newest results
    (`newest`, by plan row)."""
    practice, mill = ROWS[placement.row], state.mill
    model = find(practice.model)
    said = quantities(model.case_class)
    values: dict[str, Any] = {k: v for k, v in calc.defaults(model).items() if k in said}
    came = dict.fromkeys(values, "default")
    for name, value in placement.opens.items():
        values[name], came[name] = value, "set-up"
    facts = state.line.facts(placement.unit, placement.stage) if placement.unit else {}
    if placement.vessel:
        facts = facts | state.vessel_facts(placement.vessel)
    plan = mill.settable.get(placement.unit)
    published = {c.field: c.default for c in plan.constants()} if plan is not None else {}
    for name, fact in practice.solved.items():
        if fact in facts and not said[name].problem(facts[fact]):
            own = "default" if facts[fact] == published.get(fact) else "this mill’s own"
            values[name] = _rounded(facts[fact], said[name].decimals)
            came[name] = own if fact in published else "solved"
    if placement.band:
        band = mill.band(mill.plan[placement.band], state.grade)
        for name, of in OF_BAND.items():
            if name in said and name not in placement.opens and math.isfinite(value := getattr(band, of)):
                values[name], came[name] = value, "its band"
    results = []
    for name, row in placement.readings.items():
        values.pop(name, None)
        if (result := newest.get(row)) is not None:
            value = practice.turned[name](result.value, facts) if name in practice.turned else result.value
            if value is None:
                continue
            values[name], came[name] = value, f"{result.signed or 'laboratory'}, {clock(result.at)}"
            results.append(result)
    for name, (word, when) in looked_at(placement, practice.model, state).items():
        if name in said and word in said[name].options:
            values[name], came[name] = word, when
    for name, quantity in said.items():
        if quantity.options and name not in values:
            values[name], came[name] = quantity.options[0], "as usual"
    return Opening(values, came, tuple(n for n in said if n not in values), tuple(results))


LOOKS_FOR = timedelta(hours=6)  # what a look answers for


def looked_at(placement, model: str, state) -> dict[str, tuple[str, str]]:
    """What the newest looks at a placement's unit answer to what its model asks is seen, by field: the word, and whose look."""
    fields = [field for of, field in EVIDENCE if of == model]
    if not fields or not placement.unit:
        return {}
    asked = Record.objects.current().filter(
        kind=Kind.EVENT, subject=f"look.{placement.unit}", status="look", at__gte=state.now - LOOKS_FOR, at__lte=state.now
    )
    newest = {r.data["look"]: r for r in asked.order_by("at", "id")}
    seen = {look: r.data["code"] for look, r in newest.items()}
    told = {}
    for name in fields:
        if (found := answers(model, name, seen)) is not None:
            word, look = found
            told[name] = (word, f"look {clock(newest[look].at)}, {newest[look].signed}")
    return told


def _rounded(value: float | str, decimals: int) -> float | str:
    return value if isinstance(value, str) else round(value, decimals)


def newest_results(rows) -> dict[str, Record]:
    """The newest standing result of each plan row."""
    wanted = set(rows)
    tanks = {row for row in wanted if row.startswith("tank.")}  # a chemical's newest strength test
    result: dict[str, Record] = Record.objects.newest_of(Kind.EVENT, tanks, ("strength",)) if tanks else {}
    if others := wanted - tanks:
        result |= Record.objects.newest_of(Kind.RESULT, others, STANDS)
    return result


def proposed(placement, values: Mapping[str, Any]) -> Proposal | None:
    """The model's answer; None where it refuses the values or has none."""
    model = find(ROWS[placement.row].model)
    try:
        result = model.function(model.case_class(**values))
    except CoreError:
        return None
    return None if isinstance(result, Infeasible) else result


def slip_of(practice: Practice, placement, found: Proposal, values: Mapping[str, Any], *, mill, now) -> dict:
    """A proposal as it is stored and shown: title, expectation, reason, caution, limits, the wells it was worked out from, and
    the settings that taking it puts in force."""
    plan = mill.settable.get(placement.unit)
    by = practice.moves(placement.stage, plan.settings()) if plan is not None else {}
    model = find(practice.model)
    said = quantities(model.result_class)
    before, after = (figure(getattr(found, k), practice.decimals) for k in ("before", "after"))
    expected = said["expected"]
    at = now + timedelta(minutes=practice.retest_min)
    shown = f"{figure(found.expected, expected.decimals)}{' ' + expected.unit if expected.unit else ''}"
    checks = ", ".join(practice.check_first)
    return {
        "kind": "practice",
        "row": practice.id,
        "spot": placement.key,
        "title": f"{practice.id}: {practice.says.format(before=before, after=after)}",
        "expect": f"{expected.label} {shown}. First seen after {minutes(practice.dead_min)}; look again at {clock(at)}.",
        "why": found.why + (f" Held back by {found.bound_by}." if found.bound_by else "") + f" Check first: {checks}.",
        "caution": " ".join((practice.caution, *(f"{c.text[0].upper()}{c.text[1:]}." for c in found.cautions))),
        "school": practice.school,
        "before": found.before,
        "after": found.after,
        "unit": practice.unit,
        "decimals": practice.decimals,
        "reading": values.get(practice.reads),
        "expected": found.expected,
        "dead_min": practice.dead_min,
        "retest_min": practice.retest_min,
        "low": found.low,
        "high": found.high,
        "bound_by": found.bound_by,
        "band": [found.band_low, found.band_high],
        "model": practice.model,
        "given": dict(values),
        "gate": practice.gate if found.after > found.before else "",
        "lever": {"unit": placement.unit, "by": by} if by else None,
    }


def minutes(value: float) -> str:
    """Minutes in words that stay short: 5 min, 4 h."""
    return f"{value / 60:.3g} h" if value >= 120 else f"{value:.0f} min"


def put(
    practice: Practice, placement, found: Proposal, values: Mapping[str, Any], *, about: Record | None, by, mill, now
) -> Record:
    """Write a proposed move into the log; people decide it."""
    data = slip_of(practice, placement, found, values, mill=mill, now=now)
    return write(kind=Kind.MOVE, subject=placement.subject, by=by, now=now, says=data["title"], data=data, about=about)


def _is_open(placement) -> bool:
    """Whether a move of this placement still waits to be decided: one at a time."""
    waits = undecided(placement.subject)
    return waits is not None and waits.data.get("spot") == placement.key


def from_result(subject: str, result: Record, *, state, now) -> Record | None:
    """The move that a confirmed result (of a plan row, or a tank's strength) calls for by the practice table; None where none
    stands."""
    for placement in state.mill.moves.values():
        practice = ROWS[placement.row]
        judged = placement.subject == subject or (
            subject.startswith("tank.") and placement.readings.get(practice.reads) == subject
        )
        if not practice.model or not judged or subject not in placement.readings.values():
            continue
        if _is_open(placement):
            return None
        start = opening(placement, state, newest=newest_results(placement.readings.values()) | {subject: result})
        found = None if start.missing else proposed(placement, start.values)
        if found is not None and found.stands and found.before != found.after:
            return put(practice, placement, found, start.values, about=result, by=None, mill=state.mill, now=now)
    return None
