"""A move from the core's figures to a slip people can read, and what they decide on it."""

import math
from datetime import datetime, timedelta

from django.db import connection

from core.errors import ImpossibleInput, Infeasible
from core.judge import advise
from core.judge.band import Band
from core.judge.move import outcome
from core.stock.loop import LoopCase
from core.stock.transmitter import TransmitterCheck
from desk.kit.refused import FieldRefused
from desk.kit.templatetags.vat import clock, figure, hm, stop
from desk.kit.writing import writing
from desk.log.actions import REASONS, write
from desk.log.models import Kind, Record

CHOICES = {"take": "taken", "alter": "altered", "refuse": "refused"}
UNDO_S = 60.0
LEAST_STEP = 1e-9
ROUNDING_PCT = 1e-9  # of a share: nothing


def undecided(subject: str) -> Record | None:
    """The newest move on a subject where nobody has decided it yet: one waits at a time."""
    newest = Record.objects.current().filter(kind=Kind.MOVE, subject=subject).order_by("-at", "-id").first()
    decided = newest is None or newest.followed_by.filter(kind=Kind.DECISION).exists()
    return None if decided else newest


def loop_of(lever: dict, reading: float, target: float) -> LoopCase:
    """The dilution point of a plan row, as the mill document describes it."""
    return LoopCase(
        stock_l_min=lever["stock_l_min"],
        inlet_pct=lever["inlet_pct"],
        target_pct=target,
        measured_pct=reading,
        water_cons_pct=lever["water_cons_pct"],
        water_max_l_min=lever["water_max_l_min"],
        pipe_m=lever["pipe_m"],
        pipe_mm=lever["pipe_mm"],
        filter_s=lever["filter_s"],
    )


def propose(row, band: Band, reading: float) -> advise.Move | Infeasible | None:
    """The one move for a confirmed reading outside its band; None where the row names no lever."""
    lever = row.lever
    if lever.get("kind") == "dilution":
        loop = loop_of(lever, reading, band.aim)
        return advise.dilution_move(reading=reading, band=band, loop=loop, mixing_min=lever.get("mixing_min", 5.0))
    if lever.get("kind") == "h_factor":
        return advise.h_factor_move(
            reading=reading,
            band=band,
            now=lever["now"],
            gain=lever["gain"],
            max_step=lever["max_step"],
            temp_c=lever["temp_c"],
            dead_min=lever["dead_min"],
        )
    return None


def slip(move: advise.Move, *, row, band: Band, reading: float, decimals: int, unit: str, now: datetime) -> dict:
    """The words and figures of a move's slip, ready to be stored."""
    at = now + timedelta(minutes=move.retest_min)
    said = f"{figure(reading, decimals)}{' ' + unit if unit else ''}"
    more = move.after > move.before
    error = reading - band.aim
    if move.kind == "dilution":
        place = row.place.removesuffix(" outlet")
        place = place if place[1:2] == " " else place.lower()
        title = f"{'Open' if more else 'Close'} the {place} water {figure(move.before, 0)} to {figure(move.after, 0)} L/min"
        expect = (
            f"Expect {figure(move.expected, decimals)} % by {clock(at)}; seen first after "
            f"{figure(move.dead_min * 60, 0)} s, valve at {figure(move.valve_pct, 0)} %."
        )
        why = (
            f"The pads agree and read {said}, {figure(abs(error), decimals)} {'over' if error > 0 else 'under'} the aim of "
            f"{figure(band.aim, decimals)}. 0.7 of it is taken, so that the water does not chase the noise."
        )
        caution = "Check the header pressure and the valve first. No second move before the retest."
        school = "This mill moves on one accepted duplicate; others wait for a second sample."
        low, high = 0.1 * row.lever["water_max_l_min"], 0.9 * row.lever["water_max_l_min"]
    else:
        rounded = round(move.after / 10.0) * 10.0
        title = (
            f"{'Raise' if more else 'Cut'} the {row.place.split()[0].lower()} cook’s H-factor "
            f"{figure(move.before, 0)} to {figure(rounded, 0)}"
        )
        expect = (
            f"Expect {figure(move.expected, 1)} in the {clock(at)} blow: {figure(abs(move.minutes), 0)} min "
            f"{'more' if more else 'less'} at {figure(row.lever['temp_c'], 0)} °C."
        )
        why = (
            f"Two blows in a row read outside {figure(band.low, 1)} to {figure(band.high, 1)}. The gain, "
            f"{row.lever['gain']:g} kappa a unit of H, is a default until this mill’s cooks are fitted."
        ).replace("-", "−")
        caution = "Yield and viscosity fall as H rises. Not for one odd cook; never answer low alkali with heat."
        school = "Some cook to residual alkali instead of H."
        low, high = move.before - row.lever["max_step"], move.before + row.lever["max_step"]
    if move.bound_by:
        why += f" It is held back by {move.bound_by}."
    return {
        "kind": move.kind,
        "row": row.id,
        "title": title,
        "expect": expect,
        "why": why,
        "caution": caution,
        "school": school,
        "before": move.before,
        "after": move.after,
        "unit": move.unit,
        "reading": reading,
        "expected": move.expected,
        "dead_min": move.dead_min,
        "retest_min": move.retest_min,
        "low": low,
        "high": high,
        "bound_by": move.bound_by,
    }


def share_slip(state, vessel_now) -> dict | None:
    """The move for a source whose tower runs empty or full: its share, and the spare source beside it."""
    v, cover = vessel_now.vessel, vessel_now.cover
    spare = next((s for s in state.mill.sources.values() if s.spare), None)
    if not v.source or spare is None or spare.source.key == v.source or math.isinf(cover.hours):
        return None
    drawn = state.draw.solids_t_h
    move = advise.share_move(
        share=state.shares.get(v.source, 0.0),
        made_t_h=vessel_now.rate_in,
        drawn_t_h=drawn,
        spare_share=state.shares.get(spare.source.key, 0.0),
        empties=cover.way == "empty",
    )
    if isinstance(move, Infeasible) or abs(move.after - move.before) < LEAST_STEP:
        return None  # nothing to change: the spare source is used up already, or the share is what is made
    name = state.mill.sources[v.source].name.split()[-1]
    act_by = state.now + timedelta(hours=max(0.0, vessel_now.act_by_h))
    shares = {k: 100.0 * s for k, s in state.shares.items()}
    shares[v.source], shares[spare.source.key] = move.after, move.other_after
    after = state.mix_of({k: s / 100.0 for k, s in shares.items()})
    title = (
        f"Blend: {name} {move.before:.0f} to {move.after:.0f} %, {spare.name.lower()} {move.other_before:.0f} to "
        f"{move.other_after:.0f} %"
    )
    limits = (
        f"The mix then has {figure(after.csf_ml, 0)} mL CSF (now {figure(state.mix.csf_ml, 0)}) and "
        f"{figure(after.iso_pct, 1)} % ISO (now {figure(state.mix.iso_pct, 1)})."
    )
    return {
        "kind": "share",
        "vessel": v.key,
        "source": v.source,
        "spare": spare.source.key,
        "title": title,
        "expect": f"{v.source} makes {figure(vessel_now.rate_in, 2)} t/h, the blend takes "
        f"{figure(vessel_now.rate_out, 2)}. Act by {clock(act_by)}.",
        "why": f"The {v.name} is {cover.way} in {hm(cover.hours)} at the rates now. {limits}",
        "caution": "Step shares by what the blend chest can mix: freeness and shade follow within a chest.",
        "school": "",
        "before": move.before,
        "after": move.after,
        "unit": "%",
        "reading": vessel_now.level_pct,
        "expected": move.after,
        "dead_min": move.dead_min,
        "retest_min": move.retest_min,
        "low": 0.0,
        "high": move.before + move.other_before,
        "bound_by": move.bound_by,
        "other_before": move.other_before,
        "other_after": move.other_after,
    }


def bias_slip(row, check: TransmitterCheck) -> dict | None:
    """The move for a meter that stands an offset away from the laboratory; None where the check asks for another thing."""
    if check.outcome != "offset only":
        return None
    name = row.place.removesuffix(" outlet")
    off = round(check.bias_pct, 2)
    return {
        "kind": "bias",
        "row": row.id,
        "title": f"Take {figure(abs(off), 2)} % {'off' if off > 0 else 'onto'} the {name} meter",
        "expect": f"The loop then holds what the pads find; the next pairs should lie within ± "
        f"{figure(check.action_pct, 3)} %.",
        "why": f"{check.n} pairs agree on {figure(check.bias_pct, 3)} %, give or take "
        f"{figure(check.half_width_pct, 3)}, and the slope may be 1. "
        "Enter it as a bias, not as a new set point.",
        "caution": "A bias for one furnish is not for another. Look for fouling before the third bias. The "
        "instrument’s owner enters it.",
        "school": "",
        "before": 0.0,
        "after": -off,
        "unit": "%",
        "decimals": 2,
        "reading": check.bias_pct,
        "expected": 0.0,
        "dead_min": 0.0,
        "retest_min": 6.0 * row.interval_min,
        "low": min(0.0, -2.0 * off),
        "high": max(0.0, -2.0 * off),
        "bound_by": "",
    }


class DecisionRefused(FieldRefused):
    """Why a decision cannot be kept: `field` is where to show it."""


def must_be_open(move: Record) -> None:
    """Inside the write: the move is the newest of its kind and nobody has decided it. Raises: DecisionRefused, with who and
    when."""
    decided = Record.objects.current().filter(kind=Kind.DECISION, about=move).first()
    if decided is not None:
        word = CHOICES.get(decided.data["choice"], "decided")
        raise DecisionRefused("choice", f"This move was {word} at {clock(decided.entered_at)} by {stop(decided.signed)}")
    later = Record.objects.filter(corrects=move).first()
    if later is not None:
        raise DecisionRefused("choice", f"This move was withdrawn at {clock(later.entered_at)}: {later.says}.")


def decide(
    *, move: Record, choice: str, by, now, state, size: float | None = None, reason: str = "", gate: bool = False
) -> Record:
    """Keep what became of a proposed move. Altering wants a size within the slip's limits, refusing a reason.

    A share or a setting that is taken becomes the set point in force on this desk; the person sets it at the plant.
    Raises: DecisionRefused, also where somebody else has decided it meanwhile.
    """
    if choice not in CHOICES:
        raise DecisionRefused("choice", "is none of take, alter, refuse")
    if choice == "refuse" and not reason.strip():
        raise DecisionRefused("reason", "Reason is empty; say in a few words why it is refused.")
    after = move.data["after"]
    if choice == "alter":
        low, high = move.data["low"], move.data["high"]
        if size is None or not low <= size <= high:
            shown = "empty" if size is None else f"{size:g} {move.data['unit']}"
            places = move.data.get("decimals", 0)
            raise DecisionRefused(
                "size", f"Size is {shown}; it must be {figure(low, places)} to {figure(high, places)} {move.data['unit']}."
            )
        after = size
    if choice != "refuse" and move.data.get("gate") and not gate:
        raise DecisionRefused("gate", f"The gate is not answered: {move.data['gate']}.")
    retest = now + timedelta(minutes=move.data["retest_min"])
    data = {"choice": choice, "before": move.data["before"], "after": after, "unit": move.data["unit"]}
    says = f"{CHOICES[choice].capitalize()}: {move.data['title']}"
    if choice == "alter":
        says += f"; set to {figure(after, move.data.get('decimals', 0))} {move.data['unit']}"
    if choice != "refuse":
        data["retest_at"] = retest.isoformat()
        if move.data.get("gate"):
            data["gate"] = move.data["gate"]
    shares = shares_after(move.data, after, state) if choice != "refuse" else None
    lever = _lever_after(move.data, after, state) if choice != "refuse" else None
    with writing():
        must_be_open(move)
        kept = write(
            kind=Kind.DECISION, subject=move.subject, by=by, now=now, says=says, words=reason.strip(), data=data, about=move
        )
        if shares is not None:
            set_shares(shares, by=by, now=now, state=state, about=kept)
        if lever is not None:
            write(kind=Kind.SETPOINT, by=by, now=now, about=kept, **lever)
    return kept


def _lever_after(slip_: dict, after: float, state, base: dict[str, float] | None = None) -> dict | None:
    """The set point that a move at `after` puts in force; None for one whose lever is no setting of a unit.

    Raises: DecisionRefused where the line cannot be run so.
    """
    lever, step = slip_.get("lever"), after - slip_["before"]
    if not lever or abs(step) < LEAST_STEP:
        return None
    try:
        return state.levered(lever, step, base)
    except ImpossibleInput as refusal:
        raise DecisionRefused("choice", refusal.problems[0].text) from None


def shares_after(slip_: dict, after: float, state) -> dict[str, float] | None:
    """The furnish's shares in % once a share move is in force at `after`; None for a move of another lever."""
    if slip_["kind"] != "share":
        return None
    shares = {k: 100.0 * s for k, s in state.shares.items()}
    source, spare = slip_["source"], slip_["spare"]
    left = shares.get(spare, 0.0) + shares[source] - after
    shares[spare] = 0.0 if abs(left) < ROUNDING_PCT else left  # a spare that is used up gives nothing, not less
    shares[source] = after
    return shares


def decide_cover(*, slip_: dict, by, now, state, **decision) -> Record:
    """Propose the share move that a vessel asks for and keep what was decided on it, together.

    Raises: DecisionRefused, also where the shares were set by somebody else since the slip was worked out.
    """
    with writing():
        newest = Record.objects.current().filter(kind=Kind.SETPOINT, subject="blend.shares").order_by("-at", "-id").first()
        known = state.setpoints[-1].pk if state.setpoints else None
        if newest is not None and newest.pk != known:
            raise DecisionRefused(
                "choice", f"The shares were set at {clock(newest.entered_at)} by {newest.signed}; the move is worked out anew."
            )
        vessel = slip_["vessel"]
        move = write(kind=Kind.MOVE, subject=f"cover.{vessel}", by=None, now=now, says=slip_["title"], data=slip_)
        return decide(move=move, by=by, now=now, state=state, **decision)


def correct_decision(*, decided: Record, choice: str, size: float | None, words: str, reason: str, by, now, state) -> Record:
    """A decision as it should have been entered: a later record in its place; a share is set anew with it.

    Raises: DecisionRefused, also where it was corrected meanwhile.
    """
    if choice not in CHOICES:
        raise DecisionRefused("choice", "is none of take, alter, refuse")
    if reason not in REASONS:
        raise DecisionRefused("reason", "Reason of the correction is empty; choose one.")
    if choice == "refuse" and not words.strip():
        raise DecisionRefused("words", "Words are empty; say in a few words why it was refused.")
    slip_ = decided.about.data
    after = slip_["after"]
    if choice == "alter":
        if size is None or not slip_["low"] <= size <= slip_["high"]:
            low, high = (figure(slip_[k], slip_.get("decimals", 0)) for k in ("low", "high"))
            raise DecisionRefused(
                "size", f"Size is {'empty' if size is None else f'{size:g}'}; it must be {low} to {high} {slip_['unit']}."
            )
        after = size
    data = {**decided.data, "choice": choice, "after": after, "was": decided.data["after"]}
    if choice != "refuse":
        data.setdefault("retest_at", (now + timedelta(minutes=slip_["retest_min"])).isoformat())
    shares = shares_after(slip_, after, state) if choice != "refuse" else None
    made = Record.objects.current().filter(kind=Kind.SETPOINT, about=decided).order_by("-id").first()
    lever = None
    if choice != "refuse" and after != decided.data["after"]:
        lever = _lever_after(slip_, after, state, _moved_back(made)) if made is not None else _lever_after(slip_, after, state)
    with writing():
        if (later := decided.corrected_by.first()) is not None:
            raise DecisionRefused("choice", f"It was corrected at {clock(later.entered_at)} by {later.signed} already.")
        kept = write(
            kind=Kind.DECISION,
            subject=decided.subject,
            by=by,
            now=now,
            at=decided.at,
            words=words.strip(),
            data=data,
            says=f"{CHOICES[choice].capitalize()}: {slip_['title']}",
            about=decided.about,
            corrects=decided,
            reason=reason,
        )
        if made is not None and (choice == "refuse" or after != decided.data["after"]):
            _back(made, by=by, now=now, about=kept)
        if shares is not None and after != decided.data["after"]:
            set_shares(shares, by=by, now=now, state=state, about=kept)
        if lever is not None:
            write(kind=Kind.SETPOINT, by=by, now=now, about=kept, **lever)
    return kept


def may_undo(decided: Record, now: datetime) -> float:
    """Seconds in which a taken or altered move can still be undone by whoever may take it; 0 once they are over, and of a move
    on a cook, whose page holds what it changed."""
    if decided.about_id is None or decided.kind != Kind.DECISION or decided.data["choice"] == "refuse" or decided.is_corrected:
        return 0.0
    return max(0.0, UNDO_S - (now - decided.entered_at).total_seconds())


def undo(*, decided: Record, by, now) -> Record:
    """Take a decision back within its minute: a later record says so, and shares go back by a later set point.

    Raises: DecisionRefused, with who and when, where it was undone already or its minute is over.
    """
    with writing():
        earlier = decided.corrected_by.first()
        if earlier is not None:
            raise DecisionRefused("choice", f"It was undone at {clock(earlier.entered_at)} by {stop(earlier.signed)}")
        if decided.about_id is None:
            raise DecisionRefused("choice", "It was decided on the page of its cook; set it back there.")
        if may_undo(decided, now) <= 0.0:
            raise DecisionRefused("choice", "Its minute is over; make a new move.")
        kept = write(
            kind=Kind.UNDO,
            subject=decided.subject,
            by=by,
            now=now,
            says=f"Undone: {decided.says}",
            about=decided.about,
            corrects=decided,
            data={"before": decided.data["after"], "after": decided.data["before"], "unit": decided.data["unit"]},
        )
        made = Record.objects.current().filter(kind=Kind.SETPOINT, about=decided).order_by("-id").first()
        if made is not None:
            _back(made, by=by, now=now, about=kept)
    return kept


def _moved_back(made: Record) -> dict[str, float]:
    """The settings that a set point of a unit moved, as they were before it; nothing for a furnish."""
    return {k: made.data["before"][k] for k in made.data.get("moved", ())}


def _back(made: Record, *, by, now, about: Record) -> Record:
    """The set point that stood before `made`, again, as a later record; what was set on the unit since stays."""
    if "settings" in made.data:
        newest = Record.objects.current().filter(kind=Kind.SETPOINT, subject=made.subject).order_by("-at", "-id").first()
        stands = newest.data["settings"] if newest is not None else made.data["settings"]
        data = {**made.data, "settings": {**stands, **_moved_back(made)}, "before": stands}
        says = f"Set back. {made.says}"[:380]
        return write(kind=Kind.SETPOINT, subject=made.subject, by=by, now=now, says=says, data=data, about=about)
    before = (
        Record.objects.current().filter(kind=Kind.SETPOINT, subject=made.subject, id__lt=made.pk).order_by("-at", "-id").first()
    )
    data = before.data if before is not None else {"shares_pct": made.data["was_pct"], "gives_t_h": made.data["gave_t_h"]}
    words = ", ".join(f"{k} {figure(v, 1)}" for k, v in data["shares_pct"].items() if v > 0)
    return write(
        kind=Kind.SETPOINT, subject=made.subject, by=by, now=now, says=f"Furnish set back: {words} %", data=data, about=about
    )


def set_shares(shares_pct: dict[str, float], *, by, now, state, about=None, words: str = "") -> Record:
    """Shares of the furnish as set by a person, with what each source then gives."""
    fractions = {k: v / 100.0 for k, v in shares_pct.items()}
    drawn = state.draw_of(state.mix_of(fractions)).solids_t_h
    told = ", ".join(f"{k} {figure(v, 0 if abs(v - round(v)) < 0.05 else 1)}" for k, v in shares_pct.items() if v > 0)
    data = {
        "shares_pct": shares_pct,
        "gives_t_h": {k: v * drawn for k, v in fractions.items()},
        "was_pct": {k: 100.0 * v for k, v in state.shares.items()},
        "gave_t_h": {k: v * state.draw.solids_t_h for k, v in state.shares.items()},
    }
    return write(
        kind=Kind.SETPOINT,
        subject="blend.shares",
        by=by,
        now=now,
        says=f"Furnish set: {told} %",
        words=words.strip()[:300],
        data=data,
        about=about,
    )


def open_decision(subject: str) -> Record | None:
    """The newest taken or altered move on a subject whose effect has not been judged yet."""
    with connection.cursor() as cursor:  # most samples follow no move
        sql = "SELECT 1 FROM log_record WHERE kind = 'decision' AND subject = %s LIMIT 1"
        if cursor.execute(sql, [subject]).fetchone() is None:
            return None
    decided = Record.objects.current().filter(kind=Kind.DECISION, subject=subject).order_by("-at", "-id").first()
    if decided is None or decided.data["choice"] == "refuse" or decided.followed_by.filter(kind=Kind.EFFECT).exists():
        return None
    return decided


def withdraw(move: Record, *, why: str, by, now, about: Record | None = None, reason: str = "other") -> Record:
    """Take back a move that nobody has decided: a later record says why. Inside the caller's write."""
    says = f"Withdrawn: {move.says}; {why}"
    return write(
        kind=Kind.CORRECTION, subject=move.subject, by=by, now=now, says=says, corrects=move, about=about, reason=reason
    )


def rest_on_corrected(decided: Record, right: Record, fresh: dict | None, *, by, now) -> Record:
    """A decided move whose reading was corrected: marked so, and where it was taken the way back (or to the right size) is
    offered.

    `fresh` is the slip that the corrected reading asks for; None where it asks for none. Returns the offered move, or the mark.
    """
    slip_, choice = decided.about.data, decided.data["choice"]
    was = decided.about.about
    text = f"{slip_['title']} rests on a corrected reading: {_shown(was.value)}, corrected to {_shown(right.value)}"
    mark = write(
        kind=Kind.EFFECT,
        subject=decided.subject,
        by=by,
        now=now,
        says=text,
        status="rests on a corrected reading",
        data={"result": right.pk},
        about=decided,
    )
    if choice == "refuse":
        return mark
    now_at, then = decided.data["after"], fresh["after"] if fresh else decided.data["before"]
    if abs(now_at - then) < 1e-9:
        return mark
    places, unit = slip_.get("decimals", 0), slip_["unit"]
    moved = right.value if slip_["reading"] is None else right.value + (slip_["expected"] - slip_["reading"])
    title = f"Set back: {figure(now_at, places)} to {figure(then, places)} {unit} ({slip_['title']})"
    low, high = min(slip_["low"], now_at, then), max(slip_["high"], now_at, then)
    back = {
        **slip_,
        "title": title,
        "before": now_at,
        "after": then,
        "reading": moved,
        "expected": fresh["expected"] if fresh else right.value,
        "low": low,
        "high": high,
        "bound_by": "",
        "why": f"{text}. "
        + ("The corrected reading asks for this size." if fresh else "The corrected reading asks for no move."),
    }
    if slip_["kind"] == "share":
        back |= {"other_before": slip_["other_after"], "other_after": slip_["other_before"]}
    return write(kind=Kind.MOVE, subject=decided.subject, by=None, now=now, says=title, data=back, about=right)


def _shown(value: float | None) -> str:
    return "none" if value is None else f"{value:.4g}".replace("-", "−")


def rejudge_effect(effect: Record, result: Record, band: Band, *, now) -> Record:
    """What a move did, judged again by the corrected reading of its retest; the first judgement stays, corrected."""
    return judge_effect(effect.about, result, band, now=now, corrects=effect)


def judge_effect(decided: Record, result: Record, band: Band, *, now, corrects: Record | None = None) -> Record:
    """Write what a taken move did, at its retest."""
    move = decided.about
    found = outcome(before=move.data["reading"], expected=move.data["expected"], after=result.value, band=band)
    words = {"worked": "worked", "partly": "worked in part", "not": "did not work"}[found]
    says = f"{move.data['title']}: {words}"
    return write(
        kind=Kind.EFFECT,
        subject=move.subject,
        by=None,
        now=now,
        says=says,
        status=found,
        data={"after": result.value, "expected": move.data["expected"], "result": result.pk},
        about=decided,
        corrects=corrects,
    )
