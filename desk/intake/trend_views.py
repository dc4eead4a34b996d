"""A trend: the meter, the laboratory on it, what is wanted, what the process says of itself, and what was done meanwhile."""

import csv

from django.db.models import Q
from django.http import Http404, HttpResponse
from django.shortcuts import render
from django.views.decorators.http import require_safe

from core.judge.chart import CUSUM_LIMIT, Chart, ewma, individuals, moved, run_rules
from core.judge.move import tampering_factor
from core.lab.methods import TESTS
from desk.instruments.models import Signal, at, ms
from desk.instruments.store import series
from desk.intake.calibrations import CALIBRATED
from desk.intake.drawings import trend_picture
from desk.kit.bench import render_bench
from desk.kit.sheet import safe
from desk.kit.templatetags.vat import dayclock, figure, midline
from desk.kit.text import whole
from desk.log.models import Kind, Record
from desk.mill.ahead import reading_ahead
from desk.mill.context import state_of
from desk.mill.ribbon import STATIONS, draw_small

SPANS = ((8, "8 h"), (48, "2 days"), (336, "2 weeks"), (2160, "3 months"))
SHORTEST_MS, LONGEST_MS = 10 * 60_000, 800 * 86_400_000
BUCKETS, LAB_MOST, CHART_OF = 376, 400, 30
AHEAD_TO_MS = 50 * 3_600_000  # a longer stretch shows the past alone
EVENTS = (Kind.REMARK, Kind.DECISION, Kind.SETPOINT, Kind.START, Kind.SETUP)


def _window(request, now_ms: int) -> tuple[int, int, str]:
    """The stretch asked for and what is wrong with it: ?from= and ?to= in ms, or ?hours= up to now; kept within what can be
    shown."""
    given = [request.GET.get(name) for name in ("from", "to")]
    problem = ""
    if any(v is not None for v in given):
        start, end = (whole(v) for v in given)
        if start is None or end is None:
            problem = "From and to must be whole milliseconds since 1970; the last two days are shown."
        elif end <= start:
            problem = "The stretch asked for ends before it begins; the last two days are shown."
        else:
            end = min(end, now_ms)
            length = min(LONGEST_MS, max(SHORTEST_MS, end - start))
            return max(0, end - length), end, ""
    try:
        hours = float(request.GET.get("hours", 48))
    except ValueError:
        hours = 48.0
    hours = hours if 0.1 <= hours <= 20_000 else 48.0
    return max(0, now_ms - round(hours * 3_600_000)), now_ms, problem


def _sums(chart, lab) -> str:
    """What the cumulative sum of the results says, where it says something."""
    found = moved([v for _, _, v in lab], chart.mean, chart.sigma) if isinstance(chart, Chart) and lab else None
    if found is None:
        return ""
    since, total = found
    return (
        f"The mean has moved {'up' if total > 0 else 'down'} since {dayclock(lab[since][1])}: the cumulative sum stands at "
        f"{figure(abs(total), 1)} sigma, over {CUSUM_LIMIT:g}. "
    )


def _says(chart, rules, band, last, unit: str, sums: str = "") -> dict:
    """What a reader should do with it: look at the move, look for a cause, leave the lever, or gather more."""
    if not isinstance(chart, Chart):
        return {"title": "Too little to judge", "text": f"The results {chart.reason}."}
    heard = sums
    if rules:
        rule = rules[-1]
        limit = (chart.high if rule.side > 0 else chart.low) if rule.rule == "WE1" else chart.mean
        heard += (
            f"{rule.text.capitalize()} of "
            f"{limit:.4g}{' ' + unit if unit else ''}.{' By chance once in 128.' if rule.rule == 'WE4' else ''} "
        )
    if band is not None and last is not None and not band.low <= last <= band.high:
        return {
            "title": "Outside its band",
            "text": f"{heard}The newest result is outside what is wanted: confirm it, and see its move on Shift.",
        }
    if rules or sums:
        return {
            "title": "Look for a cause",
            "text": f"{heard}Inside the inner band no lever is moved: correcting every reading widens its scatter.",
        }
    return {
        "title": "Leave it",
        "text": f"Only the process’s own scatter. Correcting it in full would multiply the scatter by "
        f"{tampering_factor(1.0):.2f}, correcting 0.7 of it by {tampering_factor(0.7):.2f}.",
    }


@require_safe
def trend(request, tag: str):
    """`tag` is a signal, or a row of the sampling plan where no meter reads it."""
    state = state_of(request)
    if state is None:
        return render(request, "no_mill.html")
    signal = Signal.objects.filter(tag=tag).first()
    row = state.mill.plan.get(signal.row if signal else tag)
    if signal is None and row is None:
        raise Http404
    now_ms = ms(state.now)
    start, end, problem = _window(request, now_ms)
    band = state.mill.band(row, state.grade) if row else None
    buckets = series(signal, at(start), at(end), BUCKETS) if signal else []
    lab = []
    if row:
        kept = Record.objects.current().filter(kind=Kind.RESULT, subject=row.id, status__in=("single", "accepted"))
        before = list(kept.filter(at__lt=at(start)).order_by("-at").values_list("at", "value")[:CHART_OF])[::-1]
        lab = list(kept.filter(at__gte=at(start), at__lte=at(end)).order_by("-at").values_list("pk", "at", "value")[:LAB_MOST])[
            ::-1
        ]
    values = [v for _, _, v in lab]
    base = ([v for _, v in before] + values)[-max(CHART_OF, len(values)) :] if row else []
    chart = individuals(base)
    good = isinstance(chart, Chart)
    rules = run_rules(values, chart.mean, chart.sigma) if good and values else ()
    done = Q(kind__in=EVENTS) | Q(kind=Kind.EVENT, status=CALIBRATED, subject=tag)
    events = Record.objects.current().filter(done, at__gte=at(start), at__lte=at(end)).order_by("at")
    live = end >= now_ms - 60_000
    ahead = _ahead(state, signal, row) if live and end - start <= AHEAD_TO_MS else None
    shown_to = max(end, ms(ahead.at[-1])) if ahead else end
    picture = trend_picture(
        start=start,
        end=shown_to,
        now=now_ms,
        buckets=buckets,
        lab=[(ms(t), v) for _, t, v in lab],
        band=band,
        chart=chart if good else None,
        smooth=ewma(values, chart.mean, chart.sigma) if good else (),
        rules=rules,
        events=[(ms(e.at), e.words or e.says, e.kind) for e in events[:60]],
        ahead=tuple(zip(map(ms, ahead.at), ahead.value, ahead.low, ahead.high, strict=True)) if ahead else (),
        decimals=signal.decimals if signal else TESTS[row.test].decimals,
    )
    if request.GET.get("csv") == "1":
        return _csv(tag, buckets, lab)
    length = end - start
    unit = signal.unit if signal else TESTS[row.test].unit
    context = {
        "problem": problem,
        "may_trail": request.user.how("read_trail") == "yes",
        "tag": tag,
        "signal": signal,
        "row": row,
        "band": band,
        "p": picture,
        "chart": chart if good else None,
        "says": _says(chart, rules, band, values[-1] if values else None, unit, _sums(chart, lab)),
        "unit": unit,
        "title": signal.label if signal else f"{row.place}, {midline(TESTS[row.test].name)}",
        "spans": SPANS,
        "hours": length / 3_600_000.0,
        "decimals": signal.decimals if signal else TESTS[row.test].decimals,
        "last": buckets[-1] if buckets else None,
        "start": at(start),
        "end": at(end),
        "live": live,
        "ahead": ahead,
        "table": [{"pk": pk, "at": t, "value": v} for pk, t, v in lab[::-1][:12]],
        "lab_total": len(lab),
        "readings_total": sum(b.n for b in buckets),
        "earlier": (start - length // 2, end - length // 2),
        "later": (start + length // 2, min(now_ms, end + length // 2)),
        "closer": (start + length // 4, end - length // 4) if length > 2 * SHORTEST_MS else None,
        "wider": (start - length // 2, min(now_ms, end + length // 2)),
        "from": start,
        "to": shown_to,
        "stations": STATIONS,
        "small": draw_small(state),
        "station": row.station if row else signal.station,
        "others": Signal.objects.filter(station=signal.station if signal else row.station).exclude(tag=tag)[:8],
    }
    return render_bench(request, "intake/trend", context)


def _ahead(state, signal, row):
    """What the hours ahead bring, by the line as it stands; None where it does not tell, or has nothing yet."""
    if signal is not None and signal.tag.startswith("level."):
        found = reading_ahead(state, vessel=signal.tag.removeprefix("level."))
    else:
        found = reading_ahead(state, row=row.id) if row is not None else None
    return found if found is not None and len(found.at) > 1 else None


def _csv(tag: str, buckets, lab) -> HttpResponse:
    """What the picture shows, as a file."""
    response = HttpResponse(content_type="text/csv; charset=utf-8")
    response["Content-Disposition"] = 'attachment; filename="trend.csv"'
    out = csv.writer(response)
    out.writerow(["source", "at", "mean", "lowest", "highest", "readings"])
    for b in buckets:
        out.writerow([safe(tag), at(b.at_ms).isoformat(), repr(b.mean), repr(b.low), repr(b.high), b.n])
    for _, when, value in lab:
        out.writerow(["laboratory", when.isoformat(), repr(value), repr(value), repr(value), 1])
    return response
