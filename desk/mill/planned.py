"""The order that follows the running one: as its card was issued, or, while it has none, as the plan in force has it."""

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import datetime, timedelta

from core.deliver.draw import draw
from core.errors import CoreError, Infeasible
from desk.log.models import Kind, Record
from desk.log.tail import hold, tail

PLAN_SUBJECT, PLAN_STATUS = "plan", "plan issued"
AHEAD = timedelta(hours=72)
RUNNING = "running"  # what a plan has the furnish of the running order under

hold(Kind.ORDER, back=None)
hold(Kind.EVENT, prefix=PLAN_SUBJECT, back=timedelta(days=30))


@dataclass(frozen=True)
class NextRun:
    """An order that follows: when it begins, its basis weight and speed, what the machine takes then, t/h oven-dry, and of
    which source. `told_by`: the card or the plan that says so, `pk` its record."""

    order: str
    start: datetime
    gsm: float
    speed_m_min: float
    solids_t_h: float
    t_h: Mapping[str, float]
    told_by: str
    pk: int


def plans_issued(now: datetime):
    """The records of plans that were issued, the newest first."""
    kept = Record.objects.current().filter(kind=Kind.EVENT, subject=PLAN_SUBJECT, status=PLAN_STATUS, at__lte=now)
    return kept.order_by("-at", "-id")


def plan_in_force(now: datetime) -> Record | None:
    """The plan that was issued last; None where none was."""
    return tail().newest(Kind.EVENT, until=now, subject=PLAN_SUBJECT, status=(PLAN_STATUS,))


def planned_furnish(state, order: str) -> tuple[int, dict[str, float]] | None:
    """What the plan in force has an order made of, % by source, with the plan's number; None where it says nothing of it, or of
    sources that the set-up no longer has."""
    plan = state.plan_in_force
    shares = plan.data.get("furnish", {}).get(order) if plan else None
    if plan is None or not shares or not shares.keys() <= state.mill.sources.keys():
        return None
    return plan.data["version"], {k: shares.get(k, 0.0) for k in state.mill.sources}


def of_card(card: Record) -> NextRun:
    data = card.data
    return NextRun(
        order=card.subject,
        start=datetime.fromisoformat(data["start"]),
        gsm=data["gsm"],
        speed_m_min=data["speed_m_min"],
        solids_t_h=data["solids_t_h"],
        t_h={r["key"]: r["t_h"] for r in data["rows"]},
        told_by="next card",
        pk=card.pk,
    )


def of_plan(state) -> NextRun | None:
    """The next order of the plan in force that is not started; none of a grade that the set-up no longer has."""
    plan = state.plan_in_force
    if plan is None:
        return None
    starts = {row["name"]: datetime.fromisoformat(row["begins"]) for row in plan.data["orders"]}
    ahead = sorted((at, number) for number, at in starts.items() if state.now < at <= state.now + AHEAD)
    held = tail()
    begun = {r.subject for r in held.told(Kind.START, since=plan.at - AHEAD, until=state.now)}
    start, number = next(((at, number) for at, number in ahead if number not in begun), (state.now, ""))
    if not number:
        return None
    entered = [r for r in held.told(Kind.ORDER, prefix=number) if r.subject == number]
    order = max(entered, key=lambda r: r.pk, default=None)
    if order is None or order.data["grade"] not in state.mill.grades:
        return None
    grade, data = state.mill.grades[order.data["grade"]], order.data
    try:
        drawn = draw(state.mill.draw_case(grade, gsm=data["gsm"], speed_m_min=data["speed_m_min"]))
    except CoreError:
        return None
    if isinstance(drawn, Infeasible):
        return None
    planned = planned_furnish(state, number)
    shares = {k: v / 100.0 for k, v in planned[1].items()} if planned else grade.shares
    return NextRun(
        order=number,
        start=start,
        gsm=data["gsm"],
        speed_m_min=data["speed_m_min"],
        solids_t_h=drawn.solids_t_h,
        t_h={k: shares.get(k, 0.0) * drawn.solids_t_h for k in state.mill.sources},
        told_by=f"plan {plan.data['version']}",
        pk=plan.pk,
    )


def next_run(state, card: Record | None) -> NextRun | None:
    """What follows: the sooner of the next card and the plan's next order; of one order the card."""
    told, planned = of_card(card) if card is not None else None, of_plan(state)
    if told is None or planned is None:
        return told or planned
    return told if told.order == planned.order or told.start <= planned.start else planned
