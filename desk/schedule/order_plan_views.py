"""Schedule: 72 hours in the way of the fibre on one clock; an order moved, the best and the next best found, plans issued."""

from collections.abc import Mapping
from datetime import timedelta
from urllib.parse import quote, urlencode

from django.contrib import messages
from django.http import HttpResponse, JsonResponse
from django.shortcuts import redirect, render
from django.urls import reverse
from django.utils import timezone
from django.views.decorators.http import require_http_methods, require_POST, require_safe

from core.colour import pad_hex
from core.plan import feeds
from core.unit import Worked
from desk.cook.lanes import COOKS
from desk.kit.bench import render_bench
from desk.kit.lane import Bar, Bars, Lanes, Steps
from desk.kit.text import plain
from desk.mill.context import state_of
from desk.mill.planned_sets import sets_due
from desk.people.rights import may
from desk.schedule.actions import Refused as OrderRefused
from desk.schedule.furnish_plan import Furnishes, cannot, find_furnish, told_of
from desk.schedule.moved_stops import HOLD_KEY_H, KEY_H, HeldBack, Tried, holdable, movable, read_tried, stands_with
from desk.schedule.order_plan import FROZEN_H, HOURS, RECIPES, Judged, Plan, Rates, Refused, put, rate_word, stands_of
from desk.schedule.order_plan_drawings import Old, plan_picture, strip_picture
from desk.schedule.plan_files import (
    COLUMNS,
    MOST_BYTES,
    PLAN_FORMAT,
    calendar,
    order_of,
    plan_csv,
    read_orders,
    take_in,
    words_of,
)
from desk.schedule.plan_lanes import all_lanes
from desk.schedule.versions import SAME_COOK_H, Version, issue, moved_chain, moved_from, newest, order_spans

QUEUED, MOVED, LETTERS = "queued", "moved", "ABC"
RATES, RATES_AND_FURNISH = "1", "2"
CLOCKS = {"72": 72.0, "24": 24.0, "8": 8.0}
MOST_WORDS = 400


def _shown(plan: Plan, text: str, found: list[Judged]) -> tuple[str, Judged]:
    """What is asked for: an order of orders as it is typed, or one of those found; as it is queued where none is."""
    if text in LETTERS[: len(found)] and text:
        return text, found[LETTERS.index(text)]
    orders = plan.read(text) if text else None
    queued = plan.queued
    if orders is None or orders == queued.found.orders:
        return QUEUED, queued
    return MOVED, plan.judged(orders)


@require_safe
def order_plan(request):
    """The plan as it is queued, as somebody moved it, or as it is found; dashed behind it the plan that was issued last."""
    state = state_of(request)
    if state is None:
        return render(request, "no_mill.html")
    tried = read_tried(state, request.GET)
    moved_stop = tried if tried is not None and not tried.problem else None
    entered = Plan(state)
    plan = Plan(moved_stop.mill_state(state), stands_with(state, moved_stop)) if moved_stop else entered
    found = plan.found() if plan.waiting else []
    name, judged = _shown(plan, request.GET.get("orders", "")[:MOST_WORDS], found)
    lanes = all_lanes(plan, judged)
    asked_rates = request.GET.get("rates", "") if plan.waiting else ""
    rated, rates, furnish = _rated(plan, judged, asked_rates)
    if request.GET.get("json") == "1":
        return JsonResponse(plan_told(plan, rated or judged, lanes, rates, furnish), json_dumps_params={"ensure_ascii": False})
    if request.GET.get("csv") == "1":
        return _file(plan_csv(plan, judged).encode(), "text/csv", "plan.csv")
    lanes = [*lanes, *([rates_lane(state, rates)] if rates else [])]
    issued, queued = newest(state), plan.queued
    wide = request.GET.get("h", "72") if request.GET.get("h") in CLOCKS else "72"
    old = _old(entered, entered.queued if moved_stop else queued, issued, MOVED if moved_stop else name)
    moved = _moved(plan, judged, lanes, issued)
    columns = [("as queued", queued), *((f"{LETTERS[k]}", j) for k, j in enumerate(found))]
    if moved_stop:
        columns = [("as entered", entered.queued), ("stop moved", queued), *columns[1:]]
    if name == MOVED:
        columns.insert(len(columns) - len(found), ("as moved", judged))
    if rated is not None:
        columns.append(("with these" if furnish else "with rates", rated))
    asked_orders = plan.written(judged.found.orders) if name == MOVED else name if name in LETTERS else ""
    asks = "hold" if isinstance(tried, HeldBack) else "stop"
    stop_asked = f"&{asks}={tried.stop.key}&by={tried.by_h:g}" if moved_stop else ""
    longest = max((j.found.ends_h for j in found), default=0.0)
    context = {
        "waiting": plan.waiting,
        "name": name,
        "judged": judged,
        "p": plan_picture(plan, judged, old, lanes, CLOCKS[wide], issued.factor if issued else 1.0, rated),
        "rates": _rates_told(plan, rates, alone=furnish is None),
        "asked_rates": asked_rates if rated is not None else "",
        "search_s": plan.search_s,
        "furnish": furnish,
        "furnishes": told_of(plan, furnish, may_plan=request.user.may("plan")) if furnish else [],
        "cannot": cannot(furnish) if furnish else None,
        "wide": wide,
        "clocks": [(h, f"{reverse('schedule:plan')}?{urlencode(_asked(request) | {'h': h})}") for h in CLOCKS],
        "rows": _rows(plan, judged),
        "weighed": _weighed(columns, state.mill.machine.name),
        "letters": [
            (LETTERS[k], j, plan.written(j.found.orders).replace(",", ", "), strip_picture(plan, j, longest))
            for k, j in enumerate(found)
        ],
        "orders": plan.written(judged.found.orders),
        "says": _says(plan, judged, found),
        "binds": _binds(plan, judged, lanes),
        "chance": _chance(plan, rated or judged, rates, furnish, issued),
        "sets": sets_due(state),
        "may_set": request.user.may("move"),
        "may_plan": request.user.may("plan"),
        "fixed": len(plan.fixed),
        "issued": issued,
        "moved": moved,
        "next_number": issued.number + 1 if issued else 1,
        "frozen_h": FROZEN_H,
        "asked": f"&h={wide}{stop_asked}",
        "shown": f"?orders={quote(asked_orders)}&h={wide}{stop_asked}",
        "shown_orders": f"?orders={quote(asked_orders)}&h={wide}",
        "may_stop": request.user.may("stop"),
        "tried": tried,
        "tries": _tries(state, tried, f"?orders={quote(asked_orders)}&h={wide}") if plan.waiting else [],
        "clock_h": CLOCKS[wide],
    }
    return render_bench(request, "schedule/plan", context)


def _rated(plan: Plan, judged: Judged, asked: str) -> tuple[Judged | None, dict[str, Rates], Furnishes | None]:
    """The plan with what was asked to be found for it: the rates of its lines, and the furnish of its orders as well."""
    if asked not in (RATES, RATES_AND_FURNISH):
        return None, {}, None
    furnish = find_furnish(plan, judged) if asked == RATES_AND_FURNISH else None
    rated, rates = plan.with_rates(judged, furnish.shares if furnish else RECIPES)
    return rated, rates, furnish


def _file(body: bytes, kind: str, name: str) -> HttpResponse:
    response = HttpResponse(body, content_type=f"{kind}; charset=utf-8")
    response["Content-Disposition"] = f'attachment; filename="{name}"'
    return response


@require_safe
def plan_calendar(request):
    """Stops and critical samples of the plan as it is queued, as an iCalendar file."""
    state = state_of(request)
    if state is None:
        return redirect("schedule:plan")
    plan = Plan(state)
    lanes = all_lanes(plan, plan.queued)
    return _file(calendar(plan, lanes, f"{state.mill.name}, plan"), "text/calendar", "plan.ics")


@require_http_methods(["GET", "POST"])
@may("plan")
def bring_in_orders(request):
    """Orders of a file: each line looked at first, then all put in the queue together, or none."""
    state = state_of(request)
    if state is None:
        return redirect("schedule:plan")
    text = request.POST.get("text", "")
    upload = request.FILES.get("file")
    context: dict = {"text": text, "columns": COLUMNS, "rows": [], "problem": ""}
    if request.method == "POST":
        try:
            if upload is not None and not text.strip():
                context["text"] = text = _words(upload)
            if (orders := order_of(text, Plan(state))) is not None:
                messages.success(request, "The file is a plan: it is shown here, and nothing is issued yet.")
                return redirect(f"{reverse('schedule:plan')}?{urlencode({'orders': orders})}")
            context["rows"] = rows = read_orders(text, state)
            if request.POST.get("go") == "1":
                kept, left = take_in(rows=rows, by=request.user, now=state.now, state=state)
                messages.success(request, words_of(kept, left))
                return redirect("schedule:queue")
        except OrderRefused as refusal:
            context["problem"] = str(refusal)
    wrong = any(r.bad for r in context["rows"])
    context |= {"wrong": wrong, "fresh": sum(not r.there for r in context["rows"])}
    return render(request, "schedule/bring_in.html", context, status=422 if wrong or context["problem"] else 200)


def _words(upload) -> str:
    """What an uploaded file says. Raises: Refused for one that is too long or no text."""
    if upload.size > MOST_BYTES:
        raise OrderRefused("text", f"The file is longer than {MOST_BYTES // 1000} kB.")
    try:
        return upload.read().decode("utf-8-sig")
    except UnicodeDecodeError:
        raise OrderRefused("text", "The file is no text in UTF-8.") from None


def rates_lane(state, rates: dict[str, Rates]) -> Bars:
    """The rates that were found, a row for each line; what is other than usual is edged."""
    rows, labels = [], []
    for vessel, r in rates.items():
        usual, tint = r.case.usual_t_h, pad_hex(state.mill.sources[r.source].source.iso_pct)
        bars = [Bar(a, b, f"{t_h:.1f} t/h", tint, other=abs(t_h - usual) > 1e-6) for a, b, t_h in r.runs()]
        rows.append(tuple(bars))
        labels.append(state.mill.vessels[vessel].name.split()[0])
    return Bars("Rates found", "of each line", tuple(rows), tuple(labels))


def _cannot(r: Rates) -> str:
    """Which rules cannot hold together where no rates do, and what each alone would have to give way by."""
    if r.found.short_t <= feeds.ENOUGH_T:
        return ""
    rules = ", ".join(feeds.WORDS[rule] for rule in feeds.conflict(r.case))
    ways = {
        feeds.RATE: lambda v: f"a rate of {v:.1f} t/h in place of {max(x.t_h for x in r.case.rates):.1f}",
        feeds.STOPS: lambda v: f"stops {v:.0f} h shorter",
        feeds.DRAW: lambda v: f"{v:.1f} t of other pulp",
    }
    told = "; ".join(ways[relief.rule](relief.value) for relief in feeds.reliefs(r.case))
    return f"These cannot hold together: {rules}." + (f" Any one of: {told}." if told else "")


def _rates_told(plan: Plan, rates: dict[str, Rates], *, alone: bool) -> list[dict]:
    """Each line's moves in words, with its working; what cannot hold of it `alone`, where its furnish was not looked at too."""
    told = []
    for vessel, r in rates.items():
        moves = [(a, t_h) for a, _, t_h in r.runs() if a > 0.0 or abs(t_h - r.case.usual_t_h) > 1e-6]
        words = ", ".join(f"{rate_word(t_h)} from {_at(plan, a)}" for a, t_h in moves)
        name = plan.state.mill.vessels[vessel].name
        worked = Worked(model="schedule.feeds", case=r.case, result=r.found)
        told.append(
            {"name": name, "usual": r.case.usual_t_h, "words": words, "worked": worked, "cannot": _cannot(r) if alone else ""}
        )
    return told


def _asked(request) -> dict[str, str]:
    return {k: request.GET[k][:MOST_WORDS] for k in ("orders", "stop", "hold", "by") if request.GET.get(k)}


def _tries(state, tried: Tried | None, shown: str) -> list[dict]:
    """Each planned stop that may be moved and each next cook that may be put off, as it is or is tried, with the ways earlier
    and later."""
    rows = []
    for m in movable(state):
        by = tried.by_h if tried is not None and tried.stop.key == m.key and not tried.problem else 0.0
        own = Tried(m, by)
        ways = {word: f"{shown}&stop={m.key}&by={by + step:g}" for word, step in (("earlier", -KEY_H), ("later", KEY_H))}
        if own.start < state.now + timedelta(hours=FROZEN_H + KEY_H):
            ways["earlier"] = ""
        rows.append({"m": m, "by": by, "start": own.start, "end": own.end, **ways})
    for m in holdable(state, stands_of(state)):
        by = tried.by_h if isinstance(tried, HeldBack) and tried.stop.key == m.key else 0.0
        held = f"{shown}&hold={m.key}&by="
        earlier = "" if not by else f"{held}{by - HOLD_KEY_H:g}" if by > HOLD_KEY_H else shown
        end = m.halt.start + timedelta(hours=by)
        ways = {"earlier": earlier, "later": f"{held}{by + HOLD_KEY_H:g}"}
        rows.append({"m": m, "by": by, "start": m.halt.start, "end": end, "cook": True, **ways})
    return rows


def _old(plan: Plan, queued: Judged, issued: Version | None, name: str) -> Old:
    """What the plan is drawn over: the issued plan; before any was issued, what is queued."""
    if issued is not None:
        return Old(issued.orders, issued.cooks, issued.levels)
    if name == QUEUED:
        return Old()
    return Old(order_spans(plan, queued), {}, {k: list(c.points) for k, c in queued.courses.items()})


def cook_rows(lanes: Lanes) -> list[dict[str, tuple[float, float]]]:
    """Coming cooks of each digester by their number, h from now."""
    digesters = [lane for lane in lanes if isinstance(lane, Bars) and lane.name == COOKS]
    return [{b.text: (b.from_h, b.to_h) for b in row if not b.known} for lane in digesters for row in lane.rows]


def cook_spans(lanes: Lanes) -> dict[str, tuple[float, float]]:
    """Every coming cook by its number, h from now."""
    return {name: span for row in cook_rows(lanes) for name, span in row.items()}


def _moved(plan: Plan, judged: Judged, lanes: Lanes, issued: Version | None) -> str:
    """What begins at another time than in the plan that was issued."""
    if issued is None:
        return ""
    orders = moved_from(order_spans(plan, judged), issued.orders)
    cooks = [c for own in cook_rows(lanes) for c in moved_chain(own, issued.cooks, SAME_COOK_H)]
    count = len(orders) + len(cooks)
    if not count:
        return f"As plan {issued.number} has it."
    parts = [", ".join(orders)] if orders else []
    if cooks:
        parts.append(f"cook{'' if len(cooks) == 1 else 's'} {', '.join(cooks)} with what follows")
    return f"{count} bar{'' if count == 1 else 's'} moved from plan {issued.number}: {' and '.join(parts)}."


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


def _at(plan: Plan, hour: float) -> str:
    return f"{timezone.localtime(plan.state.now + timedelta(hours=hour)):%-d %b %H:%M}"


def _says(plan: Plan, judged: Judged, found: list[Judged]) -> dict:
    """What a reader should do with it."""
    if not plan.waiting:
        return {"title": "No order waits", "lines": ["Add orders to the queue; the machine goes on with what it runs."]}
    lines = []
    for key, c in judged.courses.items():
        if c.first is not None:
            lines.append(f"{plan.state.mill.vessels[key].name} {c.first[0]} {_at(plan, c.first[1])}.")
    late = [(plan.waiting[r.order].number, r.late_h) for r in judged.found.runs if r.late_h > 1e-6]
    lines += [f"{number} is {h:.1f} h late." for number, h in late]
    best = found[0]
    if judged.rank <= best.rank:
        title = "Nothing found is better" if judged.found.orders != best.found.orders else "The best that was found"
    else:
        title = "A better order was found"
        lines.append(f"{' then '.join(plan.waiting[i].number for i in best.found.orders)}.")
    return {"title": title, "lines": lines or ["Nothing is late, and no vessel meets a limit."]}


def _chance(plan: Plan, judged: Judged, rates: Mapping[str, Rates], furnish: Furnishes | None, issued: Version | None) -> str:
    """How likely it is that the machine is short in this plan, and through which vessel most."""
    if not judged.courses:
        return ""
    told = plan.chances(judged, rates, furnish.shares if furnish else RECIPES, issued.factor if issued else 1.0)
    worst = max((k for k in told if k), key=lambda k: told[k])
    words = f"By chance it is short in {100.0 * told['']:.0f} of 100"
    return (
        f"{words}, most by {plan.state.mill.vessels[worst].name} ({100.0 * told[worst]:.0f})." if told[worst] else f"{words}."
    )


def _binds(plan: Plan, judged: Judged, lanes: Lanes) -> list[str]:
    """What holds the plan where it is, and what an hour or a tonne more of it would give, each worked out anew."""
    told = []
    soonest = min(((c.first[1], k) for k, c in judged.courses.items() if c.first is not None), default=None)
    if soonest is not None:
        hour, key = soonest
        way = judged.courses[key].first[0]
        later = plan.later_by(judged, key, 1.0 if way == "empty" else -1.0)
        more = "more" if way == "empty" else "less"
        gain = f"; a tonne {more} in it now puts that off by {60.0 * later:.0f} min" if later > 1e-6 else ""
        told.append(f"{plan.state.mill.vessels[key].name}, {way} {_at(plan, hour)}{gain}.")
    late = next((r for r in judged.found.runs if r.late_h > 1e-6), None)
    if late is not None:
        number = plan.waiting[late.order].number
        gains = plan.saved_h(judged, 1.0)
        way = max(gains, key=lambda k: gains[k])
        told.append(f"The machine’s hours, {number} late by {late.late_h:.1f} h; {way} takes {gains[way]:.1f} h off.")
    for lane in lanes:
        if isinstance(lane, Steps) and lane.limit is not None:
            hour, peak = lane.most
            room = f"{lane.limit - peak:.1f} under" if peak <= lane.limit else f"{peak - lane.limit:.1f} over"
            told.append(
                f"{lane.name}, greatest {_at(plan, hour)}: {peak:.1f} {lane.unit}, {room} the set-up’s {lane.limit:.1f}."
            )
    return told


def plan_told(plan: Plan, judged: Judged, lanes: Lanes, rates: Mapping[str, Rates], furnish: Furnishes | None) -> dict:
    """The plan as JSON: orders with their times, cooks, stops, levels at every bend; rates and furnish where found."""
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
    weighed = {
        "short_t": judged.short_t,
        "outside_h": judged.outside_h,
        "late_h": judged.found.late_h,
        "washout_h": judged.found.washout_h,
    }
    return {
        "format": PLAN_FORMAT,
        "from": plan.state.now.isoformat(),
        "hours": HOURS,
        "orders": orders,
        "cooks": [{"cook": name, "filled": at(a), "ends": at(b)} for name, (a, b) in cook_spans(lanes).items()],
        "stops": [
            {"unit": s.unit or "machine", "begins": at(s.from_h), "ends": at(s.to_h), "what": s.what} for s in plan.stands
        ],
        "levels_t": {k: [[at(h), t] for h, t in c.points] for k, c in judged.courses.items()},
        "weighed": weighed,
        "rates_t_h": {k: [[at(a), at(b), t_h] for a, b, t_h in r.runs()] for k, r in rates.items()},
        "furnish_pct": furnish.told_pct if furnish else {},
    }


@require_POST
@may("plan")
def put_in_plan(request):
    """Put an order of orders in the plan, and issue it as the next version."""
    state = state_of(request)
    if state is None:
        return redirect("schedule:queue")
    plan = Plan(state)
    text = plain(request.POST.get("orders", ""))[:MOST_WORDS]
    orders = plan.read(text)
    if orders is None:
        messages.error(request, "The orders that wait have changed; look again.")
        return redirect("schedule:plan")
    before = newest(state)
    if str(before.number if before else 0) != request.POST.get("seen", ""):
        said = f"Plan {before.number} was issued by {before.record.signed} meanwhile" if before else "No plan is issued now"
        messages.error(request, f"{said}; look again.")
        return redirect(f"{reverse('schedule:plan')}?orders={text}")
    try:
        kept = put(plan=plan, orders=orders, by=request.user, now=state.now)
    except Refused as refusal:
        messages.error(request, str(refusal))
        return redirect(f"{reverse('schedule:plan')}?orders={text}")
    judged = plan.judged(orders)
    cooks = cook_spans(all_lanes(plan, judged))
    words = plain(request.POST.get("why", ""))[:MOST_WORDS].strip()
    rated, rates, furnish = _rated(plan, judged, request.POST.get("rates", ""))
    record = issue(
        plan=plan,
        judged=rated or judged,  # the levels it foresees are those with its rates
        cooks=cooks,
        rates=rates,
        furnish=furnish.told_pct if furnish else {},
        by=request.user,
        now=state.now,
        words=words,
    )
    moved = f"{len(kept)} order{'' if len(kept) == 1 else 's'} moved." if kept else "Nothing had to move."
    messages.success(request, f"Plan {record.data['version']} is issued. {moved}")
    return redirect("schedule:plan")
