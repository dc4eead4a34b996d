"""Recording a sample: result, repeatability, judgement, the move it calls for, the effect of the move before it."""

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from datetime import timedelta

from core.errors import ImpossibleInput, Infeasible, Problem
from core.judge.band import State, judge
from core.lab.methods import TESTS, plausible
from core.lab.raw import Single, worked
from core.lab.replicate import Replicates, combine
from desk.kit.templatetags.vat import clock, figure
from desk.kit.writing import writing
from desk.lab.board import STANDS, confirmed
from desk.log.actions import write
from desk.log.models import Kind, Record
from desk.log.moves import judge_effect, open_decision, propose, rejudge_effect, rest_on_corrected, slip, withdraw
from desk.log.practice import from_result

CORRECTED: list[Callable[..., None]] = []  # what other places do when a result is corrected: wrong, right, by, now, state
SAMPLED: list[Callable[..., None]] = []  # what other places do with a sample that stands: row, result, by, now, state


@dataclass(frozen=True)
class Entry:
    """What was entered for a sample: weighings, or results as read."""

    weighings: tuple[Mapping[str, float], ...] = ()
    results: tuple[float, ...] = ()


@dataclass(frozen=True)
class Outcome:
    """A sample worked out, not yet written."""

    singles: tuple[float, ...]
    replicates: Replicates
    cautions: tuple
    raw: tuple[Single, ...] = field(default=())  # singles worked out from raw entries, each with its case


def work_out(row, entry: Entry) -> Outcome:
    """Singles, the repeatability verdict and cautions. Raises: ImpossibleInput, its fields named a.stock_g, b.pad_g, value."""
    test = TESTS[row.test]
    problems, cautions, singles, raw = [], [], [], []
    for letter, w in zip("abc", entry.weighings, strict=False):
        try:
            single = worked(row.test, w)
        except ImpossibleInput as refusal:
            problems += [Problem(f"{letter}.{p.field}", p.text) for p in refusal.problems]
        else:
            singles.append(single.value)
            raw.append(single)
            cautions += single.cautions
    for i, value in enumerate(entry.results, start=1):
        try:
            cautions += plausible(test, value)
            singles.append(value)
        except ImpossibleInput as refusal:
            problems += [Problem(f"value_{i}", p.text) for p in refusal.problems]
    if problems:
        raise ImpossibleInput(*problems)
    if entry.weighings:
        for value in singles:
            cautions += plausible(test, value)
    return Outcome(
        tuple(singles), combine(tuple(singles), r_abs=test.r_abs, r_rel_pct=test.r_rel_pct), tuple(cautions), tuple(raw)
    )


def record_sample(
    *,
    row,
    entry: Entry,
    at,
    by,
    now,
    state,
    corrects: Record | None = None,
    reason: str = "",
    words: str = "",
    lot: str = "",
    of: str = "",
) -> Record:
    """Write a result (of a lot's retest, when `lot` is its number: that judges the lot, not the line); judge it; propose the
    one move it calls for; judge the move it was the retest of. `of`: what it was entered for (cook.1147), where that keeps it
    itself.

    Raises: ImpossibleInput, also for a sample time in the future or more than 24 h back.
    """
    if at > now + timedelta(minutes=1):
        raise ImpossibleInput(Problem("at", f"is {at:%H:%M}; a sample cannot be taken after now, {now:%H:%M}"))
    if now - at > timedelta(hours=24) and corrects is None:
        raise ImpossibleInput(Problem("at", "is more than 24 h ago; enter it as a correction of the log"))
    test = TESTS[row.test]
    found = work_out(row, entry)
    value, status = found.replicates.value, found.replicates.status.value
    band = state.mill.band(row, state.grade)
    unit = f" {test.unit}" if test.unit else ""
    shown = figure(test.shown(value), test.decimals)
    says = f"{test.name} {shown}{unit}, {row.place}"
    if status not in STANDS:
        says += " (third sample needed)" if status == "third_needed" else " (median of three, flagged)"
    data = {
        "test": row.test,
        "place": row.place,
        "singles": list(found.singles),
        "weighings": [dict(w) for w in entry.weighings],
        "spread": found.replicates.spread,
        "limit": found.replicates.limit,
        "band": [None if abs(x) == float("inf") else x for x in (band.low, band.high, band.outer_low, band.outer_high)],
        "cautions": [c.text for c in found.cautions],
    }
    if corrects is not None:
        data["was"] = corrects.value
        says = f"{says}; was {figure(test.shown(corrects.value), test.decimals)}"
    if of:
        data["of"] = of
    subject = f"{lot}/{row.id}" if lot else row.id
    before = Record.objects.result_before(row.id, at, STANDS, but=corrects.pk if corrects else 0)
    with writing():
        if corrects is not None:
            _still_current(corrects)
        result = write(
            kind=Kind.RESULT,
            subject=subject,
            at=at,
            by=by,
            now=now,
            says=says,
            value=value,
            status=status,
            words=words,
            data=data,
            corrects=corrects,
            reason=reason,
        )
        if corrects is not None:
            _travel(row, band, corrects, result, before, test, by=by, now=now, state=state)
        if status in STANDS and not lot:
            _follow(row, band, result, before, test, now=now, state=state)
            for follow in SAMPLED:
                follow(row=row, result=result, by=by, now=now, state=state)
    return result


def _still_current(corrects: Record) -> None:
    """Inside the write: nobody corrected it meanwhile. Raises: ImpossibleInput, with who and when."""
    if (later := corrects.corrected_by.first()) is not None:
        text = f"was corrected at {clock(later.entered_at)} by {later.signed} already; correct that entry"
        raise ImpossibleInput(Problem("corrects", text))


def _slip_for(row, band, result: Record, before, test, *, now) -> dict | None:
    """The slip that a result calls for, where it stands, is confirmed and its row has a lever of its own."""
    if result.status not in STANDS or not confirmed(row, band, result, before):
        return None
    if judge(result.value, band, confirmed=True).state not in (State.ACT, State.CONTAIN):
        return None
    move = propose(row, band, result.value)
    if move is None or isinstance(move, Infeasible) or move.change == 0.0:
        return None
    return slip(move, row=row, band=band, reading=result.value, decimals=test.decimals, unit=test.unit, now=now)


def _travel(row, band, wrong: Record, right: Record, before, test, *, by, now, state) -> None:
    """A corrected reading travels: what was proposed, decided, judged or released on it is looked at again, and the log says
    so."""
    fresh = _slip_for(row, band, right, before, test, now=now)
    for move in Record.objects.current().filter(kind=Kind.MOVE, about=wrong):
        decided = Record.objects.current().filter(kind=Kind.DECISION, about=move).first()
        if decided is None:
            withdraw(move, why="its reading was corrected", by=by, now=now, about=right, reason=right.reason)
        else:
            rest_on_corrected(decided, right, fresh, by=by, now=now)
    for effect in Record.objects.current().filter(kind=Kind.EFFECT, data__result=wrong.pk).select_related("about__about"):
        if right.status in STANDS and effect.status in ("worked", "partly", "not"):
            rejudge_effect(effect, right, band, now=now)
    for follow in CORRECTED:
        follow(wrong=wrong, right=right, by=by, now=now, state=state)


def _follow(row, band, result: Record, before, test, *, now, state) -> None:
    """The effect of the move before, and the move this result calls for."""
    decided = open_decision(row.id)
    if decided is not None and result.at >= decided.at:
        judge_effect(decided, result, band, now=now)
    too_old = now - result.at > timedelta(minutes=row.interval_min)
    judgement = judge(result.value, band, confirmed=confirmed(row, band, result, before))
    if too_old or judgement.state not in (State.ACT, State.CONTAIN) or not confirmed(row, band, result, before):
        return
    if Record.objects.current().filter(kind=Kind.MOVE, about=result).exists():
        return  # the way back of a move that rested on the reading this one corrects
    if propose(row, band, result.value) is None:
        from_result(row.id, result, state=state, now=now)
        return
    data = _slip_for(row, band, result, before, test, now=now)
    if data is None:
        return
    write(kind=Kind.MOVE, subject=row.id, by=None, now=now, says=data["title"], data=data, about=result)


def could_not_sample(*, row, by, now, words: str) -> Record:
    """A sample that could not be taken, with the reason; the row stays due."""
    if not words.strip():
        raise ImpossibleInput(Problem("words", "is empty; say why the sample could not be taken"))
    return write(
        kind=Kind.NO_SAMPLE, subject=row.id, by=by, now=now, says=f"Could not sample: {row.place}", words=words.strip()
    )
