"""The order that follows the running one: as its card was issued, or, while it has none, as the plan in force has it."""

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import datetime, timedelta

from core.deliver.draw import draw
from core.errors import CoreError, Infeasible
from desk.log.models import Kind, Record

PLAN_SUBJECT, PLAN_STATUS = "plan", "plan issued"
AHEAD = timedelta(hours=72)


@dataclass(frozen=True)
class NextRun:
    """An order that follows: when it begins, its basis weight and speed, what the machine takes then, t/h oven-dry, and of
    which source. `record`: the card or the plan it is told by."""

    order: str
    start: datetime
    gsm: float
    speed_m_min: float
    solids_t_h: float
    t_h: Mapping[str, float]
    record: Record

    @property
    def told_by(self) -> str:
        return "next card" if self.record.kind == Kind.RUNCARD else f"plan {self.record.data['version']}"


def plan_in_force(now: datetime) -> Record | None:
    """The plan that was issued last; None where none was."""
    kept = Record.objects.current().filter(kind=Kind.EVENT, subject=PLAN_SUBJECT, status=PLAN_STATUS, at__lte=now)
    return kept.order_by("-at", "-id").first()


def of_card(card: Record) -> NextRun:
    data = card.data
    return NextRun(
        order=card.subject,
        start=datetime.fromisoformat(data["start"]),
        gsm=data["gsm"],
        speed_m_min=data["speed_m_min"],
        solids_t_h=data["solids_t_h"],
        t_h={r["key"]: r["t_h"] for r in data["rows"]},
        record=card,
    )


def of_plan(state) -> NextRun | None:
    """The next order of the plan in force that is not started; none of a grade that the set-up no longer has."""
    plan = plan_in_force(state.now)
    if plan is None:
        return None
    started = set(Record.objects.current().filter(kind=Kind.START, at__lte=state.now).values_list("subject", flat=True))
    starts = {row["name"]: datetime.fromisoformat(row["begins"]) for row in plan.data["orders"] if row["name"] not in started}
    ahead = [(at, number) for number, at in starts.items() if state.now < at <= state.now + AHEAD]
    if not ahead:
        return None
    start, number = min(ahead)
    order = Record.objects.current().filter(kind=Kind.ORDER, subject=number).order_by("-id").first()
    if order is None or order.data["grade"] not in state.mill.grades:
        return None
    grade, data = state.mill.grades[order.data["grade"]], order.data
    try:
        drawn = draw(state.mill.draw_case(grade, gsm=data["gsm"], speed_m_min=data["speed_m_min"]))
    except CoreError:
        return None
    if isinstance(drawn, Infeasible):
        return None
    return NextRun(
        order=number,
        start=start,
        gsm=data["gsm"],
        speed_m_min=data["speed_m_min"],
        solids_t_h=drawn.solids_t_h,
        t_h={k: grade.shares.get(k, 0.0) * drawn.solids_t_h for k in state.mill.sources},
        record=plan,
    )


def next_run(state, card: Record | None) -> NextRun | None:
    """What follows: the sooner of the next card and the plan's next order; of one order the card."""
    told, planned = of_card(card) if card is not None else None, of_plan(state)
    if told is None or planned is None:
        return told or planned
    return told if told.order == planned.order or told.start <= planned.start else planned
