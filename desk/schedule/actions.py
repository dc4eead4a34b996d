"""Orders, cards issued in versions, and the start of a run."""

from collections.abc import Collection
from datetime import timedelta
from urllib.parse import urlencode

from django.urls import reverse

from core import calc
from core.catalogue import find
from core.cook.design import design
from core.errors import CoreError, ImpossibleInput
from core.quantity import quantities
from desk.cook.actions import coefficients_in_use
from desk.deliver.actions import close_lot, open_lot, running_lot
from desk.kit.refused import FieldRefused
from desk.kit.templatetags.vat import clock, figure, stop
from desk.kit.writing import writing
from desk.log.actions import write
from desk.log.models import Kind, Record
from desk.log.moves import set_shares
from desk.mill import in_force
from desk.mill.shifts import shift_of
from desk.people.rights import refuse
from desk.schedule.gates import Gates, gates_of
from desk.schedule.planning import refiner_set


class Refused(FieldRefused):
    """Why an order or a card cannot be kept: `field` is where to show it."""


def latest_card(order: str) -> Record | None:
    return Record.objects.current().filter(kind=Kind.RUNCARD, subject=order).order_by("-id").first()


def latest_cards(orders: Collection[str]) -> dict[str, Record]:
    """The newest card of each of these orders that has one."""
    kept = Record.objects.current().filter(kind=Kind.RUNCARD, subject__in=orders) if orders else ()
    return {card.subject: card for card in (kept.order_by("id") if orders else ())}


@writing()
def add_order(
    *, by, now, number: str, grade: str, gsm: float, sale_t: float, speed_m_min: float, start, state, due=None
) -> Record:
    """Put an order into the queue. Its number is used once. `due`: when it must be ready, where that is not its end."""
    refuse(by, "plan")
    if not number:
        raise Refused("order", "Order is empty; give it a number such as H-0415.")
    if (earlier := Record.objects.current().filter(kind=Kind.ORDER, subject=number).first()) is not None:
        raise Refused("order", f"Order {number} is in the queue already, put there by {stop(earlier.signed)}")
    name = state.mill.grades[grade].name
    data = {"grade": grade, "gsm": gsm, "sale_t": sale_t, "speed_m_min": speed_m_min, "start": start.isoformat()}
    data |= {"due": due.isoformat()} if due is not None else {}
    return write(
        kind=Kind.ORDER,
        subject=number,
        by=by,
        now=now,
        says=f"Order {number}: {name} {gsm:g}, {sale_t:g} t, start {clock(start)}",
        data=data,
    )


@writing()
def issue_card(*, by, now, wish, card, state) -> Record:
    """Issue a card as the order's next version. A card that runs a tower dry is not issued."""
    refuse(by, "plan")
    if not wish.order:
        raise Refused("order", "Order is empty; a card belongs to an order.")
    if not card.feasible:
        raise Refused("issue", "It can be issued once every tower holds.")
    version = Record.objects.filter(kind=Kind.RUNCARD, subject=wish.order).count() + 1
    day = shift_of(now, state.mill).start.timetuple()
    prefix = f"RC-{day.tm_year % 100:02d}{day.tm_yday:03d}-"
    serial = Record.objects.filter(kind=Kind.RUNCARD, data__number__startswith=prefix).count() + 1
    number = f"{prefix}{serial:02d}"
    data = card_data(wish, card, state) | {"number": number, "version": version}
    before = latest_card(wish.order)
    return write(
        kind=Kind.RUNCARD,
        subject=wish.order,
        by=by,
        now=now,
        data=data,
        about=before,
        says=f"Run card {number}, order {wish.order} version {version}: start {clock(wish.start)}, {figure(card.hours, 1)} h",
    )


@writing()
def _with(*, by, now, card: Record, kept: dict) -> Record:
    """The order's newest card again as its next version, with one more piece of bench work on it."""
    refuse(by, "plan")
    newest = latest_card(card.subject)
    if newest is None or newest.pk != card.pk:
        when = f" at {clock(newest.entered_at)} by {newest.signed}" if newest else ""
        raise Refused("card", f"The card was replaced{when}; send it to its newest version.")
    version = Record.objects.filter(kind=Kind.RUNCARD, subject=card.subject).count() + 1
    data = {**card.data, "version": version, "cases": [*card.data.get("cases", []), kept]}
    return write(
        kind=Kind.RUNCARD,
        subject=card.subject,
        by=by,
        now=now,
        data=data,
        about=card,
        says=f"Run card {card.data['number']}, order {card.subject} version {version}: with {kept['name']}",
    )


@writing()
def attach_case(*, by, now, card: Record, case) -> Record:
    """Send a held case to a run card."""
    figures = [
        [said.label, figure(case.result[name], said.decimals), said.unit]
        for name, said in quantities(find(case.model_name).result_class).items()
        if case.result.get(name) is not None
    ]
    kept = {"case": case.pk, "name": case.name, "model": case.model_name, "given": case.given, "figures": figures}
    return _with(by=by, now=now, card=card, kept=kept)


def attach_cook(*, by, now, card: Record, form, profile) -> Record:
    """Send a designed cook to a run card: charge, profile, what is foreseen, and the address that opens it again.

    Raises: Refused, in words, for a design that cannot be.
    """
    if not form.is_valid() or profile.bad:
        raise Refused("card", "Not sent: a well of the design is not right.")
    case = form.case
    use, fit = coefficients_in_use(case.species)
    try:
        result = design(case, profile.points, coefficients=use)
    except ImpossibleInput as refusal:
        raise Refused("card", f"Not sent. {refusal}") from None
    steps = ", ".join(f"{m:g} min {t:g} °C" for m, t in profile.points)
    figures = [
        ["kappa foreseen", figure(result.cooked.kappa, 1), ""],
        ["H-factor", figure(result.cooked.h, 0), ""],
        ["EA on wood", figure(case.ea_pct_naoh, 1), "% NaOH"],
        ["white liquor", figure(result.plan.white_m3, 1), "m³"],
        ["pulp", figure(result.pulp_t, 1), "t OD"],
        ["profile", steps, ""],
    ]
    given = form.given | {f"m{i}": f"{m:.6g}" for i, (m, _) in enumerate(profile.points)}
    given |= {f"t{i}": f"{t:.6g}" for i, (_, t) in enumerate(profile.points)}
    words = f"{case.species} cook, {'fit to ' + str(fit.n) + ' cooks' if fit else 'published coefficients'}"
    kept = {
        "case": None,
        "name": words,
        "model": "cook",
        "given": given,
        "figures": figures,
        "url": f"{reverse('cook:design')}?{urlencode(given)}",
    }
    return _with(by=by, now=now, card=card, kept=kept)


def card_data(wish, card, state) -> dict:
    """A card as it is kept and printed: inputs, results, towers through the run, steps in their order."""
    grade = state.mill.grades[wish.grade]
    rows = []
    for r in card.rows:
        course = [[t, r.level_pct(c)] for t, c in r.run.course.points]
        inside = [p for t, p in course if t <= card.end_h + 1e-9]
        rows.append(
            {
                "key": r.supply.key,
                "name": r.supply.name,
                "share_pct": 100 * r.supply.share,
                "t_h": r.run.t_h,
                "cons_pct": r.supply.cons_pct,
                "l_min": r.run.l_min,
                "run_t": r.run.run_t,
                "raw_wet_t": r.run.raw_wet_t,
                "raw_name": r.supply.raw_name,
                "vessel": r.supply.vessel,
                "course": [] if r.supply.spare else course,
                "least": min(inside),
                "most": max(inside),
            }
        )
    end = wish.start + timedelta(hours=card.hours)
    return {
        "order": wish.order,
        "grade": wish.grade,
        "grade_name": grade.name,
        "gsm": wish.gsm,
        "sale_t": wish.sale_t,
        "speed_m_min": wish.speed_m_min,
        "start": wish.start.isoformat(),
        "end": end.isoformat(),
        "start_h": (wish.start - state.now).total_seconds() / 3600.0,
        "end_h": card.end_h,
        "hours": card.hours,
        "shares_pct": wish.shares_pct,
        "gross_t_h": card.draw.gross_t_h,
        "od_t_h": card.draw.od_t_h,
        "solids_t_h": card.draw.solids_t_h,
        "filler_t_h": card.draw.filler_t_h,
        "filler_kg_min": card.filler_kg_min,
        "thick_l_min": card.thick_l_min,
        "headbox_m3_min": card.headbox_m3_min,
        "sum_l_min": card.sum_l_min,
        "chest_cons_pct": grade.chest_cons_pct,
        "headbox_cons_pct": grade.headbox_cons_pct,
        "sheet_ash_pct": grade.sheet_ash_pct,
        "mix": {
            "cons_pct": card.cons_pct,
            "csf_ml": card.csf_ml,
            "iso_pct": card.iso_pct,
            "ash_pct": card.ash_pct,
        },
        "additives": [[a.name, a.dose_kg_t, kg, 100.0 * kg / (a.strength_pct * a.density)] for a, kg in card.additives],
        "refiners": _refiners(wish, card, state),
        "rows": rows,
        "levels_at": state.now.isoformat(),
        "tests": [_test(t) for t in grade.tests],
        "steps": _steps(wish, card, state),
        "case": calc.declared(card.case),
        "efficiency_pct": state.mill.machine.efficiency_pct,
        "width_m": state.mill.machine.width_m,
    }


def _refiners(wish, card, state) -> list[dict]:
    """The refiners' set points that the order wants, as they go into force at its start; none where the blend is near its
    aim."""
    found = refiner_set(wish, card, state)
    if found is None or found.beyond:
        return []
    return [{"unit": found.unit, "name": found.name, "words": found.words, "settings": found.settings, "to_csf": found.to_csf}]


def _put_in_force(card: Record, *, by, now, state) -> list[str]:
    """What the card sets besides the shares, in force from its start; what the set-up no longer has is said, not kept."""
    left_out = []
    for told in card.data.get("refiners", ()):
        try:
            change = in_force.weigh(state, told["unit"], told["settings"])
            if change.moved:
                standing = in_force.newest(now).get(told["unit"])
                seen = standing.pk if standing else 0
                in_force.put(change=change, why=f"run card {card.data['number']}", by=by, now=now, seen=seen)
        except CoreError as failure:
            left_out.append(f"{told['name']}: {failure}")
    return left_out


def _test(t) -> dict:
    finite = [None if abs(v) == float("inf") else v for v in (t.band.low, t.band.high)]
    return {
        "label": t.label,
        "unit": t.unit,
        "target": t.band.target,
        "low": finite[0],
        "high": finite[1],
        "every_h": t.every_h,
        "decimals": t.decimals,
    }


def _steps(wish, card, state) -> list[list[str]]:
    """What to do, in order of time, from the towers and the start."""
    steps = []
    for r in card.rows:
        if r.run.high_at_h < card.end_h and not r.supply.spare:
            at = state.now + timedelta(hours=r.run.high_at_h)
            steps.append((at, f"{r.supply.vessel} full at {clock(at)}: slow what feeds it before"))
    for v in state.vessels.values():
        if not v.vessel.source and v.cover.way == "empty" and v.cover.hours < card.end_h:
            at = state.now + timedelta(hours=max(0.0, v.act_by_h))
            steps.append(
                (
                    at,
                    f"{v.vessel.name}: bring in more by now, else it is empty at "
                    f"{clock(state.now + timedelta(hours=v.cover.hours))}",
                )
            )
    start = wish.start
    steps.append((start - timedelta(minutes=50), "white water showers on, chest agitators on, levels read back"))
    steps.append((start - timedelta(minutes=30), "set furnish shares and flows above, read them back"))
    steps.append((start, f"{state.mill.machine.name} takes stock; the first lot opens"))
    steps.append((start + timedelta(minutes=30), "machine chest: consistency, freeness, pH, two pads each"))
    steps.sort(key=lambda s: s[0])
    return [[at.isoformat(), text] for at, text in steps if at >= state.now][:8]


@writing()
def _accepted(by, told: Gates, reason: str) -> dict:
    """What the start keeps of the gates. Raises: Refused where one does not hold and no lead says why to go on."""
    if not told.not_yet:
        return {"gates": told.as_kept()}
    first = told.not_yet[0]
    if not by.may("plan"):
        raise Refused("reason", f"Not yet: {first.asks} ({first.found}). A lead may go on with a reason.")
    if not reason:
        raise Refused("reason", f"The reason is empty, and {len(told.not_yet)} gates do not hold; say why to go on.")
    return {"gates": told.as_kept(), "reason": reason} | ({"kappa_sd": told.found.sd} if told.found is not None else {})


def start_run(*, by, now, card: Record, state, reason: str = "") -> Record:
    """The machine takes this order: the run, its shares, and its first lot; the lot before is closed.

    Where a gate before the grade does not hold, a lead goes on with a `reason`, which is kept. Raises: Refused.
    """
    if not (by.may("move") or by.may("plan")):
        refuse(by, "move")
    newest = latest_card(card.subject)
    if newest.pk != card.pk:
        raise Refused("start", f"Version {newest.data['version']} has replaced this card; start that one.")
    if (earlier := Record.objects.current().filter(kind=Kind.START, subject=card.subject).first()) is not None:
        raise Refused("start", f"This order was started at {clock(earlier.entered_at)} by {stop(earlier.signed)}")
    accepted = _accepted(by, gates_of(state), reason)
    before = running_lot(state)
    if before:
        close_lot(opened=before.opened, by=by, now=now, state=state)
    d = card.data
    data = {"order": card.subject, "grade": d["grade"], "gsm": d["gsm"], "speed_m_min": d["speed_m_min"], **accepted}
    goes_on = f"; not every gate held: {reason}" if "reason" in accepted else ""
    started = write(
        kind=Kind.START,
        subject=card.subject,
        by=by,
        now=now,
        says=f"{state.mill.machine.name[0].upper()}{state.mill.machine.name[1:]} takes {d['grade_name']} "
        f"{d['gsm']:g}, order {card.subject}{goes_on}"[:400],
        data=data,
        about=card,
    )
    fresh = type(state)(now)
    set_shares(d["shares_pct"], by=by, now=now, state=fresh, about=started)
    for words in _put_in_force(card, by=by, now=now, state=type(state)(now)):
        write(kind=Kind.EVENT, subject=card.subject, by=by, now=now, says=f"Not put in force by the card, {words}"[:380])
    open_lot(order=card.subject, grade=d["grade"], by=by, now=now, state=fresh)
    return started
