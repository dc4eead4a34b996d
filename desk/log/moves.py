"""A move from the core's figures to a slip people can read, and what they decide on it."""

import math
from datetime import datetime, timedelta

from django.db import transaction

from core.errors import Infeasible
from core.judge import advise
from core.judge.band import Band
from core.judge.move import outcome
from core.stock.loop import LoopCase
from core.stock.transmitter import TransmitterCheck
from desk.kit.templatetags.vat import clock, figure
from desk.log.actions import write
from desk.log.models import Kind, Record

CHOICES = {"take": "taken", "alter": "altered", "refuse": "refused"}
STALE_H = 2.0


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
            reading=reading, band=band, now=lever["now"], gain=lever["gain"], max_step=lever["max_step"],
            temp_c=lever["temp_c"], dead_min=lever["dead_min"],
        )  # fmt: skip
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
        expect = f"Expect {figure(move.expected, decimals)} % by {clock(at)}; seen first after {figure(move.dead_min * 60, 0)} s, valve at {figure(move.valve_pct, 0)} %."
        why = (
            f"The pads agree and read {said}, {figure(abs(error), decimals)} {'over' if error > 0 else 'under'} the aim of "
            f"{figure(band.aim, decimals)}. 0.7 of it is taken, so that the water does not chase the noise."
        )
        caution = "Check the header pressure and the valve first. No second move before the retest."
        school = "This mill moves on one accepted duplicate; others wait for a second sample."
        low, high = 0.1 * row.lever["water_max_l_min"], 0.9 * row.lever["water_max_l_min"]
    else:
        rounded = round(move.after / 10.0) * 10.0
        title = f"{'Raise' if more else 'Cut'} the {row.place.split()[0].lower()} cook’s H-factor {figure(move.before, 0)} to {figure(rounded, 0)}"
        expect = f"Expect {figure(move.expected, 1)} in the {clock(at)} blow: {figure(abs(move.minutes), 0)} min {'more' if more else 'less'} at {figure(row.lever['temp_c'], 0)} °C."
        why = f"Two blows in a row read outside {figure(band.low, 1)} to {figure(band.high, 1)}. The gain, {row.lever['gain']:g} kappa a unit of H, is a default until this mill’s cooks are fitted.".replace(
            "-", "−"
        )
        caution = "Yield and viscosity fall as H rises. Not for one odd cook; never answer low alkali with heat."
        school = "Some cook to residual alkali instead of H."
        low, high = move.before - row.lever["max_step"], move.before + row.lever["max_step"]
    if move.bound_by:
        why += f" It is held back by {move.bound_by}."
    return {
        "kind": move.kind, "row": row.id, "title": title, "expect": expect, "why": why, "caution": caution, "school": school,
        "before": move.before, "after": move.after, "unit": move.unit, "reading": reading, "expected": move.expected,
        "dead_min": move.dead_min, "retest_min": move.retest_min, "low": low, "high": high, "bound_by": move.bound_by,
    }  # fmt: skip


def share_slip(state, vessel_now) -> dict | None:
    """The move for a source whose tower runs empty or full: its share, and the spare source beside it."""
    v, cover = vessel_now.vessel, vessel_now.cover
    spare = next((s for s in state.mill.sources.values() if s.spare), None)
    if not v.source or spare is None or spare.source.key == v.source or math.isinf(cover.hours):
        return None
    drawn = state.draw.solids_t_h
    move = advise.share_move(
        share=state.shares.get(v.source, 0.0), made_t_h=vessel_now.rate_in, drawn_t_h=drawn,
        spare_share=state.shares.get(spare.source.key, 0.0), empties=cover.way == "empty",
    )  # fmt: skip
    if isinstance(move, Infeasible):
        return None
    name = state.mill.sources[v.source].name.split()[-1]
    act_by = state.now + timedelta(hours=max(0.0, vessel_now.act_by_h))
    shares = {k: 100.0 * s for k, s in state.shares.items()}
    shares[v.source], shares[spare.source.key] = move.after, move.other_after
    after = state.mix_of({k: s / 100.0 for k, s in shares.items()})
    title = f"Blend: {name} {move.before:.0f} to {move.after:.0f} %, {spare.name.lower()} {move.other_before:.0f} to {move.other_after:.0f} %"
    limits = (
        f"The mix then has {figure(after.csf_ml, 0)} mL CSF (now {figure(state.mix.csf_ml, 0)}) and "
        f"{figure(after.iso_pct, 1)} % ISO (now {figure(state.mix.iso_pct, 1)})."
    )
    return {
        "kind": "share", "vessel": v.key, "source": v.source, "spare": spare.source.key, "title": title,
        "expect": f"{v.source} makes {figure(vessel_now.rate_in, 2)} t/h, the blend takes {figure(vessel_now.rate_out, 2)}. Act by {clock(act_by)}.",
        "why": f"The {v.name} is {cover.way} in {figure(cover.hours * 60, 0)} min at the rates now. {limits}",
        "caution": "Step shares by what the blend chest can mix: freeness and shade follow within a chest.",
        "school": "", "before": move.before, "after": move.after, "unit": "%", "reading": vessel_now.level_pct,
        "expected": move.after, "dead_min": move.dead_min, "retest_min": move.retest_min, "low": 0.0,
        "high": move.before + move.other_before, "bound_by": move.bound_by, "other_before": move.other_before,
        "other_after": move.other_after,
    }  # fmt: skip


def bias_slip(row, check: TransmitterCheck) -> dict | None:
    """The move for a meter that stands an offset away from the laboratory; None where the check asks for another thing."""
    if check.outcome != "offset only":
        return None
    name = row.place.removesuffix(" outlet")
    off = round(check.bias_pct, 2)
    return {
        "kind": "bias", "row": row.id, "title": f"Take {figure(abs(off), 2)} % {'off' if off > 0 else 'onto'} the {name} meter",
        "expect": f"The loop then holds what the pads find; the next pairs should lie within ± {figure(check.action_pct, 3)} %.",
        "why": f"{check.n} pairs agree on {figure(check.bias_pct, 3)} %, give or take {figure(check.half_width_pct, 3)}, and the slope may be 1. "
        "Enter it as a bias, not as a new set point.",
        "caution": "A bias for one furnish is not for another. Look for fouling before the third bias. The instrument’s owner enters it.",
        "school": "", "before": 0.0, "after": -off, "unit": "%", "decimals": 2, "reading": check.bias_pct, "expected": 0.0, "dead_min": 0.0,
        "retest_min": 6.0 * row.interval_min, "low": min(0.0, -2.0 * off), "high": max(0.0, -2.0 * off), "bound_by": "",
    }  # fmt: skip


class DecisionRefused(Exception):
    """Why a decision cannot be kept: `field` is where to show it."""

    def __init__(self, field: str, text: str):
        super().__init__(text)
        self.field = field


@transaction.atomic
def decide(
    *, move: Record, choice: str, by, now, state, size: float | None = None, reason: str = "", gate: bool = False
) -> Record:
    """Keep what became of a proposed move. Altering wants a size within the slip's limits, refusing a reason.

    A share that is taken becomes the blend's set point on this desk; the person sets it at the plant.
    """
    if choice not in CHOICES:
        raise DecisionRefused("choice", "is none of take, alter, refuse")
    if Record.objects.current().filter(kind=Kind.DECISION, about=move).exists():
        raise DecisionRefused("choice", "This move has been decided already.")
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
    kept = write(
        kind=Kind.DECISION, subject=move.subject, by=by, now=now, says=says, words=reason.strip(), data=data, about=move
    )
    if choice != "refuse" and move.data["kind"] == "share":
        shares = {k: 100.0 * s for k, s in state.shares.items()}
        source, spare = move.data["source"], move.data["spare"]
        shares[spare] = shares.get(spare, 0.0) + shares[source] - after
        shares[source] = after
        set_shares(shares, by=by, now=now, state=state, about=kept)
    return kept


def set_shares(shares_pct: dict[str, float], *, by, now, state, about=None) -> Record:
    """Shares of the furnish as set by a person, with what each source then gives."""
    fractions = {k: v / 100.0 for k, v in shares_pct.items()}
    drawn = state.draw_of(state.mix_of(fractions)).solids_t_h
    words = ", ".join(f"{k} {v:g}" for k, v in shares_pct.items() if v > 0)
    data = {"shares_pct": shares_pct, "gives_t_h": {k: v * drawn for k, v in fractions.items()}}
    return write(
        kind=Kind.SETPOINT, subject="blend.shares", by=by, now=now, says=f"Furnish set: {words} %", data=data, about=about
    )


def open_decision(subject: str) -> Record | None:
    """The newest taken or altered move on a subject whose effect has not been judged yet."""
    decided = Record.objects.current().filter(kind=Kind.DECISION, subject=subject).order_by("-at", "-id").first()
    if decided is None or decided.data["choice"] == "refuse" or decided.followed_by.filter(kind=Kind.EFFECT).exists():
        return None
    return decided


def judge_effect(decided: Record, result: Record, band: Band, *, now) -> Record:
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
        data={"after": result.value, "expected": move.data["expected"]},
        about=decided,
    )
