"""A change of the set-up: everything wrong with a document, what it would change, proposed by one and countersigned by
another."""

import json
from dataclasses import dataclass
from functools import cached_property
from typing import Any

from core.errors import CoreError, ImpossibleInput, Problem
from core.line.acting import Line
from core.mill.mill import Mill
from core.mill.reading import read_mill
from core.mill.run import solve_mill
from desk.kit.templatetags.vat import clock, stop
from desk.kit.writing import writing
from desk.log.actions import write
from desk.log.models import Kind
from desk.mill.models import DraftStep, MillVersion, Proposal
from desk.mill.ribbon import draw_ribbon
from desk.mill.state import MillState
from desk.people.pins import PinRefused, check_pin
from desk.people.rights import refuse

MOST_BYTES = 1_000_000


class _Rehearsal(MillState):
    """A mill that is not in force, run and drawn once, so that nothing in it can fail on a page later."""

    def __init__(self, mill: Mill, now):
        self.now, self.version_id, self.mill = now, 0, mill

    @cached_property
    def line(self) -> Line:
        return solve_mill(self.mill, self.running)


def problems(document: Any, *, now) -> list[Problem]:
    """Everything wrong with a document, each with its place; empty when it may go into force."""
    try:
        mill = read_mill(document)
    except ImpossibleInput as refusal:
        return list(refusal.problems)
    try:
        for grade in mill.grades:
            state = _Rehearsal(mill, now)
            state.__dict__["run"] = {
                "order": "",
                "grade": grade,
                "gsm": mill.grades[grade].gsm,
                "speed_m_min": mill.grades[grade].speed_m_min,
                "since": now,
            }
            state.__dict__["setpoints"] = []
            _ = state.rates
        draw_ribbon(state)
    except ImpossibleInput as refusal:
        return list(refusal.problems)
    except CoreError as failure:
        return [Problem("units", f"cannot be run: {failure}")]
    except (KeyError, StopIteration, RuntimeError, AttributeError, AssertionError, ZeroDivisionError, IndexError) as failure:
        return [Problem("lanes", f"the line cannot be drawn from this document: {type(failure).__name__} {failure}")]
    return []


@dataclass(frozen=True)
class Difference:
    """One leaf that changes: where, from what, to what."""

    place: str
    before: str
    after: str


def _leaves(value: Any, path: str = "") -> dict[str, Any]:
    if isinstance(value, dict):
        return {k: v for key, inner in value.items() for k, v in _leaves(inner, f"{path}.{key}" if path else key).items()}
    if isinstance(value, list):
        result = {}
        for i, inner in enumerate(value):
            name = (inner.get("id") or inner.get("key")) if isinstance(inner, dict) else None
            result |= _leaves(inner, f"{path}[{name or i}]")
        return result
    return {path: value}


def differences(old: Any, new: Any) -> list[Difference]:
    """Every leaf that is not the same, in the order of the new document; lists are told apart by id or key."""
    a, b = _leaves(old), _leaves(new)

    def text(v) -> str:
        return "none" if v is None else v if isinstance(v, str) else json.dumps(v, ensure_ascii=False)

    changed = [Difference(k, text(a[k]) if k in a else "not there", text(v)) for k, v in b.items() if k not in a or a[k] != v]
    return changed + [Difference(k, text(v), "taken out") for k, v in a.items() if k not in b]


class SetupRefused(Exception):
    """Why a set-up may not be proposed or countersigned; `problems` has every fault with its place."""

    def __init__(self, text: str, found: list[Problem] = ()):  # type: ignore[assignment]
        super().__init__(text)
        self.problems = found


def propose(*, document: Any, note: str, by, now) -> Proposal:
    """Keep a change that waits for its countersignature. Raises: SetupRefused with everything wrong; nothing is kept then."""
    refuse(by, "propose_setup")
    result = problems(document, now=now)  # solves the line of every grade: before the write lock
    if result:
        raise SetupRefused(f"{len(result)} faults; nothing was changed", result)
    base = MillVersion.objects.first()
    changed = differences(base.document if base else {}, document)
    if not changed:
        raise SetupRefused("Nothing differs from what is in force.")
    if not note.strip():
        raise SetupRefused("Reason is empty; say in a few words why it changes.")
    with writing():
        kept = Proposal.objects.create(document=document, base=base, note=note.strip()[:200], by=by, made_at=now)
        says = f"Set-up change proposed: {len(changed)} figures"
        data = {"changes": [f"{d.place}: {d.before} to {d.after}" for d in changed[:60]]}
        write(
            kind=Kind.SETUP,
            subject=f"setup.{kept.pk}",
            by=by,
            now=now,
            says=says,
            words=note.strip(),
            status="proposed",
            data=data,
        )
    return kept


def may_countersign(person, proposal: Proposal) -> str:
    """An empty string when `person` may sign this proposal, else why not: a lead's by an engineer, any other by a lead."""
    if proposal.by_id == person.pk:
        return "The one who proposed it may not countersign it."
    if proposal.by.role == "lead" and person.may("countersign_lead"):
        return ""
    if not person.may("countersign") or proposal.by.role == "lead":
        return "An engineer signs what a lead proposed." if proposal.by.role == "lead" else "A shift lead countersigns it."
    return ""


def decide(*, proposal: Proposal, accept: bool, by, pin: str, now, reason: str = "") -> MillVersion | None:
    """Countersigned (with PIN) or sent back (with a reason). One's own proposal is never countersigned by oneself."""
    if not by.may("countersign_lead"):
        refuse(by, "countersign")
    if why := may_countersign(by, proposal):
        raise SetupRefused(why)
    if not accept and not reason.strip():
        raise SetupRefused("Reason is empty; say why it goes back.")
    try:
        check_pin(by, pin)
    except PinRefused as refusal:
        raise SetupRefused(str(refusal)) from None
    with writing():
        proposal = Proposal.objects.select_related("by").get(pk=proposal.pk)
        if proposal.decided_at:
            word = "countersigned" if proposal.accepted else "sent back"
            raise SetupRefused(f"It was {word} at {clock(proposal.decided_at)} by {stop(proposal.decided_by.signed)}")
        in_force = MillVersion.objects.first()
        if accept and proposal.base_id != (in_force.pk if in_force else None):
            raise SetupRefused("Another version came into force since it was proposed; propose it anew from that one.")
        proposal.decided_by, proposal.decided_at, proposal.accepted = by, now, accept
        proposal.save(update_fields=["decided_by", "decided_at", "accepted"])
        version = None
        if accept:
            version = MillVersion.objects.create(document=proposal.document, made_at=now, by=proposal.by, note=proposal.note)
            draft = DraftStep.objects.first()
            if draft is not None and draft.document == proposal.document:  # it has come into force: nothing is left to draft
                DraftStep.objects.all().delete()
        says = f"Set-up change {'countersigned; version ' + str(version.pk) + ' is in force' if version else 'sent back'}"
        status = "in force" if accept else "sent back"
        write(kind=Kind.SETUP, subject=f"setup.{proposal.pk}", by=by, now=now, says=says, words=reason.strip(), status=status)
    return version
