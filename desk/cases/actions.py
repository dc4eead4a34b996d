"""Holding a case, letting it go, and comparing two point by point."""

from dataclasses import dataclass
from typing import Any

from core import calc
from core.catalogue import find
from core.errors import CoreError, ImpossibleInput
from core.quantity import quantities, row_fields
from desk.cases.models import HeldCase
from desk.kit.held import MOST_HELD
from desk.kit.templatetags.vat import changed, figure
from desk.kit.units import Schools, shown
from desk.kit.writing import writing


class CaseRefused(Exception):
    """Why a case cannot be held."""


def hold(*, name: str, model_name: str, given: Any, address: str, by, now) -> HeldCase:
    """Keep a case that answers. Raises: CaseRefused in words."""
    name = name.strip()
    if not 1 <= len(name) <= 80:
        raise CaseRefused("Name is empty or longer than 80 letters.")
    try:
        model = find(model_name)
        told = calc.calculate(model, calc.unflat(model, given))
    except KeyError as missing:
        raise CaseRefused(str(missing.args[0])) from None
    except ImpossibleInput as refusal:
        raise CaseRefused("; ".join(f"{p.field} {p.text}" for p in refusal.problems)) from None
    except CoreError as failure:
        raise CaseRefused(str(failure)) from None
    if not told["feasible"]:
        raise CaseRefused(f"It has no answer: {told['infeasible']['field']} {told['infeasible']['reason']}.")
    with writing():
        if not HeldCase.room(by):
            raise CaseRefused(f"You hold {MOST_HELD} cases already; let some go first.")
        return HeldCase.objects.create(
            name=name,
            model_name=model_name,
            given=told["given"],
            result={k: v for k, v in told["result"].items() if k in told["units"]},
            core_version=told["core"],
            address=address[:600],
            by=by,
            made_at=now,
        )


@dataclass(frozen=True)
class Line:
    """One field of two cases: as read, and what changed."""

    label: str
    unit: str
    a: str
    b: str
    change: str
    put_in: bool


def compare(a: HeldCase, b: HeldCase, schools: Schools | None) -> list[Line]:
    """Every input and figure of two cases of one model, b less a. Empty when they are of different models."""
    if a.model_name != b.model_name:
        return []
    model, lines = find(a.model_name), []
    put_in = [calc.flat(case.given) for case in (a, b)]
    counts = {name: max(int(given.get(name, 0)) for given in put_in) for name in row_fields(model.case_class)}
    for said_of, key, (of_a, of_b) in (
        (calc.leaves(model.case_class, counts), "given", put_in),
        (dict(quantities(model.result_class)), "result", (a.result, b.result)),
    ):
        for name, said in said_of.items():
            x, y = of_a.get(name), of_b.get(name)
            if said.options:
                lines.append(Line(said.label, "", str(x), str(y), "" if x == y else "other", True))
                continue
            (u, unit, more), (v, _, _) = shown(x, said.unit, schools), shown(y, said.unit, schools)
            places = said.decimals + more
            change = changed(u, v, places)
            lines.append(Line(said.label, unit, figure(u, places), figure(v, places), change, key == "given"))
    return lines
