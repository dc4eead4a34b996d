"""Schedule: 72 hours of orders, stops and levels on one clock; an order moved by its keys, the best and the next best found."""

from datetime import timedelta

from django.contrib import messages
from django.http import JsonResponse
from django.shortcuts import redirect, render
from django.utils import timezone
from django.views.decorators.http import require_POST, require_safe

from desk.kit.bench import render_bench
from desk.kit.text import plain
from desk.mill.context import state_of
from desk.people.rights import may
from desk.schedule.order_plan import HOURS, Judged, Plan, Refused, put
from desk.schedule.order_plan_drawings import plan_picture

QUEUED, LETTERS = "queued", "ABC"


def _shown(plan: Plan, text: str, found: list[Judged]) -> tuple[str, Judged]:
    """What is asked for: an order of orders as it is typed, or one of those found; as it is queued where none is."""
    if text in LETTERS[: len(found)] and text:
        return text, found[LETTERS.index(text)]
    orders = plan.read(text) if text else None
    queued = plan.queued
    if orders is None or orders == queued.found.orders:
        return QUEUED, queued
    return "moved", plan.judged(orders)


@require_safe
def order_plan(request):
    """The plan as it is queued, as somebody moved it, or as it is found."""
    state = state_of(request)
    if state is None:
        return render(request, "no_mill.html")
    plan = Plan(state)
    found = plan.found() if plan.waiting else []
    name, judged = _shown(plan, request.GET.get("orders", "")[:400], found)
    if request.GET.get("json") == "1":
        return JsonResponse(_told(plan, judged), json_dumps_params={"ensure_ascii": False})
    columns = [("as queued", plan.queued), *((f"{LETTERS[k]}", j) for k, j in enumerate(found))]
    if name == "moved":
        columns.insert(1, ("as moved", judged))
    context = {
        "waiting": plan.waiting,
        "name": name,
        "judged": judged,
        "p": plan_picture(plan, judged, plan.queued if name != QUEUED else None),
        "rows": _rows(plan, judged),
        "weighed": _weighed(columns, state.mill.machine.name),
        "letters": [(LETTERS[k], j, plan.written(j.found.orders)) for k, j in enumerate(found)],
        "orders": plan.written(judged.found.orders),
        "says": _says(plan, judged, found),
        "may_plan": request.user.may("plan"),
        "fixed": len(plan.fixed),
    }
    return render_bench(request, "schedule/plan", context)


def _rows(plan: Plan, judged: Judged) -> list[dict]:
    """Each order as it is run, with the orders that putting it one place earlier or later makes."""
    orders, rows = judged.found.orders, []
    for place, run in enumerate(judged.found.runs):
        w = plan.waiting[run.order]
        swaps = {}
        for word, other in (("earlier", place - 1), ("later", place + 1)):
            if len(plan.fixed) <= min(place, other) and other < len(orders):
                told = list(orders)
                told[place], told[other] = told[other], told[place]
                swaps[word] = plan.written(tuple(told))
        begins = plan.state.now + timedelta(hours=run.begins_h)
        rows.append({"w": w, "run": run, "begins": begins, "ends": begins + timedelta(hours=w.hours), **swaps})
    return rows


WEIGHED = (
    ("short_t", "{} short of stock", "t OD", 1),
    ("outside_h", "Outside usable levels", "h", 1),
    ("late_h", "Late", "h", 1),
    ("washout_h", "Washing", "h", 2),
    ("moved", "Orders moved", "", 0),
)


def _weighed(columns: list[tuple[str, Judged]], machine: str) -> dict:
    """The table by which plans are weighed: the first difference decides."""
    rows = []
    for name, label, unit, decimals in WEIGHED:
        values = [getattr(j, name) if hasattr(j, name) else getattr(j.found, name) for _, j in columns]
        rows.append(
            {"label": label.format(machine[:1].upper() + machine[1:]), "unit": unit, "decimals": decimals, "values": values}
        )
    return {"heads": [head for head, _ in columns], "rows": rows}


def _says(plan: Plan, judged: Judged, found: list[Judged]) -> dict:
    """What a reader should do with it."""
    if not plan.waiting:
        return {"title": "No order waits", "lines": ["Add orders to the queue; the machine goes on with what it runs."]}
    lines = []
    for key, c in judged.courses.items():
        if c.first is not None:
            when = timezone.localtime(plan.state.now + timedelta(hours=c.first[1]))
            lines.append(f"{plan.state.mill.vessels[key].name} {c.first[0]} {when:%-d %b %H:%M}.")
    late = [(plan.waiting[r.order].number, r.late_h) for r in judged.found.runs if r.late_h > 1e-6]
    lines += [f"{number} is {h:.1f} h late." for number, h in late]
    best = found[0]
    if judged.rank <= best.rank:
        title = "Nothing found is better" if judged.found.orders != best.found.orders else "The best that was found"
    else:
        title = "A better order was found"
        lines.append(f"{' then '.join(plan.waiting[i].number for i in best.found.orders)}.")
    return {"title": title, "lines": lines or ["Nothing is late, and no vessel meets a limit."]}


def _told(plan: Plan, judged: Judged) -> dict:
    """The plan as JSON: orders with their times, levels at every bend."""
    at = lambda h: (plan.state.now + timedelta(hours=h)).isoformat()  # noqa: E731
    orders = [
        {
            "order": plan.waiting[r.order].number,
            "grade": plan.waiting[r.order].grade,
            "washed_h": r.washed,
            "begins": at(r.begins_h),
            "ends": at(r.ends_h),
            "due": plan.waiting[r.order].due.isoformat(),
            "late_h": r.late_h,
        }
        for r in judged.found.runs
    ]
    levels = {k: [[at(h), t] for h, t in c.points] for k, c in judged.courses.items()}
    weighed = {
        "short_t": judged.short_t,
        "outside_h": judged.outside_h,
        "late_h": judged.found.late_h,
        "washout_h": judged.found.washout_h,
    }
    return {"from": plan.state.now.isoformat(), "hours": HOURS, "orders": orders, "levels_t": levels, "weighed": weighed}


@require_POST
@may("plan")
def put_in_plan(request):
    """Put an order of orders in the plan."""
    state = state_of(request)
    if state is None:
        return redirect("schedule:queue")
    plan = Plan(state)
    text = plain(request.POST.get("orders", ""))[:400]
    orders = plan.read(text)
    if orders is None:
        messages.error(request, "The orders that wait have changed; look again.")
        return redirect("schedule:plan")
    try:
        kept = put(plan=plan, orders=orders, by=request.user, now=state.now)
    except Refused as refusal:
        messages.error(request, str(refusal))
        return redirect(f"{request.path.removesuffix('put/')}?orders={text}")
    messages.success(request, f"{len(kept)} order{'' if len(kept) == 1 else 's'} moved." if kept else "Nothing had to move.")
    return redirect("schedule:plan")
