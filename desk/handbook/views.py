"""The register of models, and the working of any number: its equation, the values put in, source, range, cautions."""

import json
import re
from time import perf_counter
from urllib.parse import urlencode

from django.http import Http404
from django.shortcuts import render
from django.urls import reverse
from django.views.decorators.http import require_safe

from core import calc
from core.catalogue import find, models
from core.quantity import quantities
from desk.handbook.drawings import range_strip
from desk.kit.bench import BenchForm, render_bench
from desk.kit.templatetags.vat import figure
from desk.kit.units import shown
from desk.kit.ways import own_path
from desk.mill.context import state_of
from desk.mill.ribbon import STATIONS, draw_small

PLACES = {
    "chips": "Chips",
    "cook": "Cook",
    "mechanical": "Cook, mechanical",
    "wash": "Wash",
    "bleach": "Bleach",
    "recovered": "Recovered",
    "clean": "Screen and clean",
    "refine": "Refine",
    "stock": "Stock",
    "blend": "Blend",
    "deliver": "Deliver",
    "lab": "Laboratory",
}
BASES = {"exact": "exact", "published": "published", "default": "default"}
SENSITIVE = 3
MOVES_AT_ONCE_S = 0.15  # what moves a figure is worked out with its page where it takes no longer than about this


def _listing(request) -> dict:
    """The register as filtered by ?find= and ?basis=, by station in the order of the work."""
    asked, basis = request.GET.get("find", "").strip().lower(), request.GET.get("basis", "")
    result = [
        m
        for m in models()
        if (not basis or m.basis == basis) and (not asked or asked in f"{m.name} {m.title} {m.source} {m.equation}".lower())
    ]
    by_station: dict[str, list] = {}
    for m in result:
        by_station.setdefault(m.station, []).append(m)
    groups = [(title, by_station[key]) for key, title in PLACES.items() if key in by_station]
    counts = [("", "all", len(models())), *((b, w, sum(m.basis == b for m in models())) for b, w in BASES.items())]
    return {
        "groups": groups,
        "shown": len(result),
        "total": len(models()),
        "find": asked,
        "basis": basis,
        "counts": counts,
    }


def _page(request, **more) -> dict:
    state = state_of(request)
    return {"stations": STATIONS, "small": draw_small(state) if state else None, **_listing(request), **more}


@require_safe
def register(request):
    return render(request, "handbook/register.html", _page(request, proofs=[(m, calc.prove(m)) for m in models()]))


def tokens_of(model, case, result, schools) -> list[dict]:
    """The model's equation in pieces; a piece that is a symbol carries the value put in or come out."""
    said = {**quantities(model.case_class), **quantities(model.result_class)}
    symbols = sorted(model.symbols, key=len, reverse=True)
    if not symbols:
        return []
    pattern = "|".join(re.escape(s) for s in symbols)
    parts = re.split(rf"(?<![\w.Δ])({pattern})(?![\w.])", model.equation)
    found = []
    for part in filter(str.strip, parts):
        field = model.symbols.get(part)
        if field is None:
            found.append({"text": part.strip(), "value": ""})
            continue
        holder = case if field in quantities(model.case_class) else result
        value, unit, more = shown(getattr(holder, field), said[field].unit, schools)
        found.append(
            {"text": part, "value": figure(value, said[field].decimals + more), "unit": unit, "put_in": holder is case}
        )
    return found


def _moves(model, form, wanted: str) -> list[dict]:
    """What moves a figure of a worked case most, each by 1 % of itself."""
    put_in, of = {k: f.said for k, f in form.fields.items()}, quantities(model.result_class)[wanted].unit
    return [
        {"label": put_in[m.field].label, "step": m.step, "unit": put_in[m.field].unit, "change": m.change, "of": of}
        for m in calc.sensitivities(model, form.case, wanted)[:SENSITIVE]
    ]


@require_safe
def working(request, name: str):
    """One model worked through with the values in the address; ?show= names the figure asked for, ?back= where it stood.

    What moves the figure most runs the model twice an input; of one that takes a while it comes after the page (?moves=1).
    """
    try:
        model = find(name)
    except KeyError:
        raise Http404 from None
    usual = calc.example(model)
    form_class = BenchForm.of(model, calc.counts(model, request.GET, usual))
    schools = request.schools
    form = form_class(form_class.opened(request.GET, calc.flat(usual), schools), schools=schools)
    begun = perf_counter()
    result = form.run()
    took = perf_counter() - begun
    names = quantities(model.result_class)
    usual = next((f for f in model.symbols.values() if f in names), next(iter(names)))
    wanted = request.GET.get("show") if request.GET.get("show") in names else usual
    back = own_path(request, request.GET.get("back", ""), "")
    more = {
        "model": model,
        "form": form,
        "result": result,
        "show": wanted,
        "back": back,
        "proofs": calc.prove(model),
    }
    if result is not None:
        case = form.case
        rows = []
        for field, q in names.items():
            value, unit, extra = shown(getattr(result, field), q.unit, schools)
            rows.append(
                {
                    "field": field,
                    "label": q.label,
                    "value": figure(value, q.decimals + extra),
                    "unit": unit,
                    "equation": q.equation,
                    "on": field == wanted,
                }
            )
        asked = "moves" in request.GET
        later = took * len(form.fields) > MOVES_AT_ONCE_S and not asked
        moves = [] if later else _moves(model, form, wanted)
        if asked and request.htmx.target == "moves":
            return render(request, "handbook/_moves.html", {"moves": moves})
        more |= {
            "rows": rows,
            "lead": next(r for r in rows if r["on"]),
            "moves": moves,
            "moves_at": f"{request.path}?{urlencode({**request.GET.dict(), 'moves': 1})}" if later else "",
            "tokens": tokens_of(model, case, result, schools),
            "cautions": calc.cautions_of(result),
            "strips": {k: range_strip(getattr(case, k), q) for k, q in quantities(model.case_class).items() if not q.options},
            "address": f"{reverse('handbook:calc', args=[model.name])}",
            "call": json.dumps(calc.declared(case), ensure_ascii=False),
        }
    return render_bench(request, "handbook/working", _page(request, **more))
