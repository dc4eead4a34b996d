"""Accounts: what the line took and gave over a shift, a day, an order or a grade; as a page, CSV and JSON."""

import csv
from urllib.parse import urlencode

from django.http import HttpResponse, JsonResponse
from django.shortcuts import render
from django.utils import timezone
from django.views.decorators.http import require_safe

from core.accounts.line import Accounts, adt, make_up_kg_h
from desk.kit.svg import n
from desk.kit.templatetags.vat import figure
from desk.mill import accounts as kept
from desk.mill.context import state_of

MOST_BARS, BAR_LEFT, BAR_WIDE, PITCH = 12, 210.0, 300.0, 24.0
DECIMALS = {"fibre": 1, "water": 0, "steam": 1, "power": 2, "chemicals": 0, "cod": 0, "sludge": 0, "money": 0, "carbon": 0}
A_TONNE = {"fibre": 3, "water": 1, "steam": 2, "power": 3, "chemicals": 1, "cod": 1, "sludge": 1, "money": 1, "carbon": 0}
PERIOD_NAMES = {
    "shift": "This shift",
    "last shift": "Last shift",
    "day": "24 hours",
    "order": "This order",
    "grade": "This grade",
}


def _bars(entries, most: float, decimals: int, stations: dict[str, str], whole: float) -> list[dict]:
    """The largest entries as bars, the rest as one more."""
    shown = list(entries[:MOST_BARS])
    rest = sum(e.value for e in entries[MOST_BARS:])
    told = [(e.name, e.key, e.value) for e in shown] + ([("the rest", "", rest)] if abs(rest) > 0.0 else [])
    return [
        {
            "name": name,
            "y": n(30.0 + PITCH * i),
            "text_y": n(30.0 + PITCH * i + 12.0),
            "w": n(BAR_WIDE * abs(v) / most if most > 0.0 else 0.0),
            "below": v < 0.0,
            "value": figure(v, decimals),
            "share": figure(100.0 * v / whole, 1) if whole else "",
            "words_x": n(BAR_LEFT + (BAR_WIDE * abs(v) / most if most > 0.0 else 0.0) + 8.0),
            "station": stations.get(key, ""),
        }
        for i, (name, key, v) in enumerate(told)
    ]


def _csv(period, accounts: Accounts) -> HttpResponse:
    """Every line of every account of a period, a row each."""
    reply = HttpResponse(content_type="text/csv; charset=utf-8")
    reply["Content-Disposition"] = f'attachment; filename="accounts {period.start:%Y-%m-%d %H}00 {period.end:%H}00.csv"'
    out = csv.writer(reply)
    out.writerow(["account", "unit", "side", "what", "amount", "a t OD on the reel"])
    for a in accounts.of.values():
        for side, entries in (("came", a.came), ("went", a.went)):
            for e in entries:
                a_tonne = accounts.a_tonne(e.value)
                out.writerow([a.name, a.unit, side, e.name, f"{e.value:.6g}", "" if a_tonne is None else f"{a_tonne:.6g}"])
    return reply


def _json(period, accounts: Accounts, missing: int) -> JsonResponse:
    told = {
        "from": period.start.isoformat(),
        "to": period.end.isoformat(),
        "hours_missing": missing,
        "reel_t_od": round(accounts.reel_t, 6),
        "accounts": {
            key: {
                "name": a.name,
                "unit": a.unit,
                "came": {e.name: round(e.value, 6) for e in a.came},
                "went": {e.name: round(e.value, 6) for e in a.went},
                "unexplained": round(a.unexplained, 9),
            }
            for key, a in accounts.of.items()
        },
    }
    return JsonResponse(told)


@require_safe
def accounts(request):
    """The accounts of a period: each as bars, its total a tonne beside its norm, and the hours it is summed from."""
    state = state_of(request)
    if state is None:
        return render(request, "no_mill.html")
    key = request.GET.get("of", "shift")
    period = kept.period_of(state, key if key in kept.PERIODS else "shift")
    hours, missing = kept.kept_hours(period)
    whole = kept.sum_of(hours)
    if request.GET.get("as") == "csv" and hours:
        return _csv(period, whole)
    if request.GET.get("as") == "json" and hours:
        return _json(period, whole, missing)
    names = [(k, a.name) for k, a in whole.of.items()]
    chosen = request.GET.get("account", "fibre")
    chosen = chosen if chosen in whole.of else "fibre"
    context = {
        "period": period,
        "periods": [(k, PERIOD_NAMES[k]) for k in kept.PERIODS],
        "hours": hours[::-1],
        "missing": missing,
        "names": names,
        "chosen": chosen,
        "again": f"?{urlencode({'of': period.key, 'account': chosen})}",
    }
    if hours:
        context |= _worked(state, period, whole, chosen, hours)
    return render(request, "mill/accounts.html", context)


def _worked(state, period, whole: Accounts, chosen: str, hours) -> dict:
    """The account as it is drawn, the totals of all a tonne, towers by their meters, what the cycle must be given back."""
    a, reel = whole.of[chosen], whole.reel_t
    decimals = DECIMALS.get(chosen, 0)
    stations = {u.id: u.station for u in state.mill.units}
    most = max([abs(e.value) for e in (*a.came, *a.went)], default=0.0)
    came, went = (_bars(side, most, decimals, stations, a.total) for side in (a.came, a.went))
    norm = kept.norm_of(period.start, chosen)
    totals = [
        {
            "key": k,
            "name": x.name,
            "unit": x.unit,
            "a_tonne": whole.a_tonne(x.total),
            "total": x.total,
            "decimals": DECIMALS.get(k, 0),
            "a_decimals": A_TONNE.get(k, 1),
            "open": k == chosen,
        }
        for k, x in whole.of.items()
    ]
    rows = [
        {
            "at": timezone.localtime(h.start),
            "end": timezone.localtime(h.start + kept.HOUR),
            "ran": 100.0 * h.ran,
            "order": h.order,
            "reel": h.reel_t,
            "total": (own := (hour := kept.accounts_in(h)).of.get(chosen)) and own.total,
            "a_tonne": hour.a_tonne(own.total) if own else None,
        }
        for h in hours[::-1]
    ]
    return {
        "a": a,
        "reel": reel,
        "adt": adt(reel),
        "came": came,
        "went": went,
        "decimals": decimals,
        "height": n(40.0 + PITCH * max(len(came), 1)),
        "went_height": n(40.0 + PITCH * max(len(went), 1)),
        "norm": norm,
        "a_decimals": A_TONNE.get(chosen, 1),
        "a_tonne": whole.a_tonne(a.total),
        "totals": totals,
        "rows": rows,
        "towers": list(kept.towers_of(state, period, whole)) if chosen == "fibre" else [],
        "agreed": kept.agreed_of(state, period, whole, hours) if chosen == "fibre" else None,
        "made_up": [(name, make_up_kg_h(whole, k)) for k, name in (("sodium", "Sodium"), ("sulphur", "Sulphur"))]
        if chosen in ("sodium", "sulphur")
        else [],
        "loss_pct": whole.fibre_lost_pct if chosen == "fibre" else None,
    }
