"""A control chart: what the process says of itself, phases that people begin, limits that they keep."""

import csv
from datetime import UTC, datetime
from urllib.parse import urlencode

from django.contrib import messages
from django.http import HttpResponse
from django.shortcuts import get_object_or_404, redirect
from django.urls import reverse
from django.views.decorators.http import require_POST, require_safe

from core.errors import ImpossibleInput, Infeasible
from core.judge.heard import SWITCHED, Heard, usual
from core.judge.move import tampering_factor
from desk.kit.bench import render_bench, time_of, time_typed
from desk.kit.templatetags.vat import dayclock, figure, midline, stop
from desk.kit.text import plain, whole
from desk.lab import charts
from desk.lab.board import Board
from desk.lab.chart_drawings import chart_picture, year_picture
from desk.lab.views import row_of
from desk.log.models import Record
from desk.mill.ribbon import STATIONS, draw_small
from desk.people.rights import may

SHORTEST_MS = 3_600_000
SHOWN_LOTS = 6


def _window(request, now: datetime) -> tuple[datetime | None, datetime]:
    """The stretch asked for in whole milliseconds, at least an hour, not ahead of now; the newest points where none is."""
    first, last = (whole(request.GET.get(name, "")) for name in ("from", "to"))
    if first is None or last is None or not 0 <= first < last < 10**14:
        return None, now
    last = min(last, round(now.timestamp() * 1000))
    first = min(first, last - SHORTEST_MS)
    return tuple(datetime.fromtimestamp(max(0, t) / 1000.0, UTC) for t in (first, last))


@require_safe
def chart(request, row_id: str):
    """A row's chart: each result, groups of three, or meter less laboratory."""
    state, row = row_of(request, row_id)
    start, end = _window(request, state.now)
    band = state.mill.band(row, state.grade)
    kinds = _kinds(row, band)
    asked = request.GET.get("of", "")
    told = charts.drawn(row, band, start, end, of=asked if asked in dict(kinds) else "")
    of = told.of
    if request.GET.get("csv") == "1":
        return _csv(row, told)
    now = Board(state, only=row_id).by_id[row_id]
    decimals = now.test.decimals if of == charts.EACH else now.test.decimals + 1
    shown = (told.points[0].at, told.points[-1].at) if told.points else (end, end)
    moved = 0.5 * (shown[1] - shown[0])
    views = {"earlier": (shown[0] - moved, shown[1] - moved), "later": (shown[0] + moved, shown[1] + moved)}
    views |= {"closer": (shown[0] + 0.5 * moved, shown[1] - 0.5 * moved), "wider": (shown[0] - moved, shown[1] + moved)}
    since = told.since if of == charts.EACH else None
    beside = [u.id for u in state.mill.units if u.station == row.station and u.id.partition(".")[0] == row.id.partition(".")[0]]
    marks = charts.marks_of(row, beside, *shown) if told.points else []
    context = {
        "station": row.station,
        "stations": STATIONS,
        "small": draw_small(state),
        "r": now,
        "row": row,
        "title": f"{row.place}, {midline(now.test.name)}",
        "of": of,
        "kinds": kinds,
        "told": told,
        "p": chart_picture(told, band if of == charts.EACH else None, decimals, marks),
        "marks": marks,
        "year": year_picture(charts.days_of(row, state.now), *shown, state.now),
        "says": _says(told, band if of == charts.EACH else None, decimals),
        "switches": _switches(told),
        "limits": charts.limits_worked(told),
        "chance": charts.chance_of(told) if told.standing or told.left_ewma is not None or told.moved is not None else None,
        "suspect": charts.suspect_of(row, since, state) if since is not None else None,
        "shown_lots": SHOWN_LOTS,
        "since": since,
        "decimals": decimals,
        "shown": shown,
        "views": [(word, key, _asked(of, *views[word])) for word, key in KEYS] if len(told.points) > 1 else [],
        "newest": _asked(of),
        "csv": _asked(of, *shown) + "&csv=1" if told.points else "",
        "may_chart": request.user.may("fit"),
        "least_kept": charts.LEAST_KEPT,
        "begun": told.records[-1] if told.records else None,
    }
    return render_bench(request, "lab/chart", context)


KEYS = (("earlier", "j"), ("later", "k"), ("closer", "+"), ("wider", "-"))


def _asked(of: str, first: datetime | None = None, last: datetime | None = None) -> str:
    """The query that shows a stretch of this kind of chart."""
    told = {"of": of}
    if first is not None and last is not None:
        told |= {"from": round(first.timestamp() * 1000), "to": round(last.timestamp() * 1000) + 1}
    return f"?{urlencode(told)}"


def _kinds(row, band) -> list[tuple[str, str]]:
    n = usual(row.test, band.low, band.high, metered=row.metered).n
    kinds = [(charts.EACH, "each result"), (charts.GROUPS, f"means of {n}")]
    return kinds + ([(charts.APART, "meter less laboratory")] if row.metered else [])


WORDS = {
    "WE1": "one beyond 3 sigma",
    "WE2": "two of three beyond 2 sigma",
    "WE3": "four of five beyond 1 sigma",
    "WE4": "eight in a row on one side",
    "smooth": "smoothed mean (EWMA) past its limits",
    "sums": "cumulative sums (CUSUM) past their limit",
}
SIDES = {"both": (0, "both sides"), "up": (1, "upwards"), "down": (-1, "downwards")}


def _switches(told: charts.Drawn) -> dict:
    """What may be an alarm, whether it is, and how often all that is on cries by chance."""
    heard = told.heard
    on = {name: name in heard.rules for name in SWITCHED} | {"smooth": heard.smooth, "sums": heard.sums}
    return {
        "rows": [(name, WORDS[name], yes) for name, yes in on.items()],
        "sides": [(name, word, side == heard.side) for name, (side, word) in SIDES.items()],
        "by": told.rules_by,
        "chances": charts.chances(told),
    }


def _says(told: charts.Drawn, band, decimals: int) -> dict:
    """What a reader should do with it, and the sentences that say why."""
    chart = told.chart
    if chart is None:
        reason = told.last.chart.reason if told.phases and isinstance(told.last.chart, Infeasible) else "are none"
        return {"title": "Too little to judge", "lines": [f"The points {reason}."]}
    if told.of == charts.APART:
        return _says_of_meter(told, chart, decimals)
    newest = told.back(told.points[-1].value)
    lines = [_heard(s, told, decimals) for s in told.standing]
    if told.left_ewma is not None:
        lines.append(f"The smoothed mean left its limit at {dayclock(told.points[told.left_ewma].at)}.")
    if told.moved is not None:
        place, total = told.moved
        way = "up" if total > 0 else "down"
        lines.append(
            f"The mean has moved {way} since {dayclock(told.points[place].at)}: the cumulative sum stands at "
            f"{figure(abs(total), 1)} sigma, over {charts.cusum_limit(told.of):g}."
        )
    heard = bool(lines)
    if heard:
        restless = told.restless
        lines.append(
            f"{restless} of its ranges past their limit too: the scatter itself has grown."
            if restless
            else "Its ranges stayed inside: one cause, not restlessness."
        )
    if band is not None and not band.low <= newest <= band.high:
        return {
            "title": "Look for the cause, then move" if heard else "Outside what is wanted",
            "lines": lines or ["The newest result is outside what is wanted: confirm it, and see its move on Shift."],
        }
    if heard:
        inside = ["Inside what is wanted no lever is moved."] if band is not None else []
        return {"title": "Look for a cause", "lines": [*lines, *inside]}
    text = "Only the process’s own scatter. Correcting it in full would multiply it by"
    return {"title": "Leave it", "lines": [f"{text} {tampering_factor(1.0):.2f}."]}


def _says_of_meter(told: charts.Drawn, chart, decimals: int) -> dict:
    """Whether the meter has moved against the laboratory."""
    way = "over" if chart.mean > 0.0 else "under"
    apart = f"On average the meter reads {figure(abs(chart.mean), decimals)} {way} the laboratory."
    if told.standing or told.moved is not None or told.left_ewma is not None:
        return {
            "title": "The meter has moved",
            "lines": [apart, "Sample beside it, then see its check before it is corrected."],
        }
    return {
        "title": "The meter has not moved",
        "lines": [apart, "What it is off by has stood still; its check says whether it matters."],
    }


def _heard(signal, told: charts.Drawn, decimals: int) -> str:
    chart = told.chart
    limit = told.back((chart.high if signal.side > 0 else chart.low) if signal.rule == "WE1" else chart.mean)
    return (
        f"{signal.text.capitalize()} of {figure(limit, decimals)}." if signal.rule != "WE2" else f"{signal.text.capitalize()}."
    )


def _csv(row, told: charts.Drawn) -> HttpResponse:
    """The points with the limits of their phase, and the rules that fired at them."""
    response = HttpResponse(content_type="text/csv; charset=utf-8")
    response["Content-Disposition"] = 'attachment; filename="chart.csv"'
    out = csv.writer(response)
    out.writerow(["at", "value", "range", "phase", "mean", "low", "high", "ewma", "rules"])
    for k, p in enumerate(told.phases):
        limits = [told.back(v) for v in (p.begun.mean, p.begun.low, p.begun.high)] if p.begun is not None else ["", "", ""]
        for i in range(p.first, p.end):
            smooth = told.back(told.smooth[k][i - p.first][0]) if told.smooth[k] else ""
            rules = " ".join(s.rule for s in told.signals if s.at == i)
            point, spread = told.points[i], told.ranges[i]
            out.writerow(
                [
                    point.at.isoformat(),
                    repr(told.back(point.value)),
                    "" if spread is None else spread,
                    k + 1,
                    *limits,
                    smooth,
                    rules,
                ]
            )
    return response


def _answered(request, row_id: str, act):
    """Do what was pressed; what is refused is told on the chart, with what was typed."""
    back = reverse("lab:chart", args=[row_id])
    try:
        kept = act()
    except charts.Refused as refusal:
        messages.error(request, str(refusal))
        typed = {k: plain(request.POST.get(k, ""))[:120] for k in ("words", "at")}
        return redirect(f"{back}?{urlencode({'of': charts.EACH} | {k: v for k, v in typed.items() if v})}")
    messages.success(request, stop(kept.says))
    return redirect(f"{back}?of={charts.EACH}")


@require_POST
@may("fit")
def phase(request, row_id: str):
    """The process was changed on purpose."""
    state, row = row_of(request, row_id)
    typed = request.POST.get("at", "").strip()

    def act() -> Record:
        at = time_of(typed, state.now) or time_typed(typed, state.now) if typed else state.now
        if at is None or at > state.now:
            text = f"“{plain(typed)[:20]}” is no time up to now; give it as 10:50, or 2026-11-14 10:50."
            raise charts.Refused("at", text)
        words = plain(request.POST.get("words", ""))[:80]
        return charts.begin_phase(row=row, by=request.user, now=state.now, at=at, words=words)

    return _answered(request, row_id, act)


@require_POST
@may("fit")
def keep(request, row_id: str):
    """The limits of the newest phase as they are worked out now."""
    state, row = row_of(request, row_id)
    words = plain(request.POST.get("words", ""))[:80]

    def act() -> Record:
        since = max((r.at for r in charts.begins_of(row, state.now)), default=None)
        told = charts.drawn(row, state.mill.band(row, state.grade), since, state.now, of=charts.EACH)
        return charts.keep_limits(row=row, by=request.user, now=state.now, told=told, words=words)

    return _answered(request, row_id, act)


@require_POST
@may("fit")
def alarms(request, row_id: str):
    """What is an alarm on this chart, or the usual ones again."""
    state, row = row_of(request, row_id)

    def act() -> Record:
        _, chosen = charts.usual_of(row, state.mill.band(row, state.grade), state.now, charts.EACH)
        if "usual" in request.POST:
            if chosen is None:
                raise charts.Refused("rules", "They are the usual ones already.")
            return charts.as_usual(row=row, by=request.user, now=state.now)
        on, (side, _) = request.POST.getlist("on"), SIDES.get(request.POST.get("side", ""), SIDES["both"])
        try:
            heard = Heard(
                rules=tuple(r for r in SWITCHED if r in on),
                smooth="smooth" in on,
                sums="sums" in on,
                side=side,
            )
        except ImpossibleInput as refusal:
            raise charts.Refused("rules", f"Alarms {refusal.problems[0].text}.") from None
        return charts.choose_alarms(row=row, by=request.user, now=state.now, heard=heard, chosen=chosen)

    return _answered(request, row_id, act)


@require_POST
@may("fit")
def back(request, row_id: str, pk: int):
    """A phase that was begun wrongly is taken back."""
    state, row = row_of(request, row_id)
    record = get_object_or_404(Record, pk=pk, subject=charts.subject(row), status=charts.PHASE)
    return _answered(request, row_id, lambda: charts.take_back(row=row, by=request.user, now=state.now, record=record))
