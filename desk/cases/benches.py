"""One page for every single-question bench of every station: wells, picture, verdict, held beside, working."""

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field, replace
from typing import Any

from django.http import Http404
from django.urls import reverse
from django.views.decorators.http import require_safe

from core import calc
from core.catalogue import find
from core.errors import ImpossibleInput, Infeasible
from core.quantity import quantities, row_fields
from desk.cases.models import HeldCase
from desk.kit.bench import BenchForm, beside, cautions_of, render_bench, result_rows
from desk.kit.svg import n, polyline, ticks
from desk.kit.templatetags.vat import clock, figure
from desk.kit.text import whole
from desk.mill.beside import beside as line_beside
from desk.mill.context import state_of
from desk.mill.in_force import put_address

POINTS = 25
NARROWED = 6  # times that a curve with few answers is looked for in half the range


@dataclass(frozen=True)
class Bench:
    """One bench: its address, name, the model behind it, the drawing, and where it opens."""

    key: str
    title: str
    sentence: str
    model_name: str
    picture: str
    opening: dict = field(default_factory=dict)
    group: str = ""
    mind: str = ""

    @property
    def model(self):
        return find(self.model_name)

    def form_class(self, asked: Mapping[str, str]) -> type[BenchForm]:
        """The form of its model, with as many rows of each kind as are asked for, or as it opens with."""
        counts = calc.counts(self.model, asked, self.opening)
        key = (self.model_name, *sorted(counts.items()))
        if key not in _forms:
            _forms[key] = BenchForm.of(self.model, counts)
        return _forms[key]


_forms: dict[tuple, type[BenchForm]] = {}


def held_case(pk: str, model) -> HeldCase | None:
    """The held case of ?held=, when it is of this bench's model."""
    return HeldCase.objects.filter(pk=whole(pk), model_name=model.name).first()


def _curve(model, case, name: str, shown: str, xs) -> list[tuple[float, float]]:
    """The model's own curve of a figure over values of an input, where it answers."""
    points = []
    for x in xs:
        try:
            result = model.function(replace(case, **{name: x}))
        except ImpossibleInput:
            continue
        if not isinstance(result, Infeasible) and abs(getattr(result, shown)) < 1e12:
            points.append((x, getattr(result, shown)))
    return points


def case_held(held: HeldCase | None, model) -> Any:
    """The case that was held, read anew; None where it can no longer be."""
    if held is None:
        return None
    try:
        return calc.read_case(model, held.given)
    except ImpossibleInput:
        return None


def _run(case: Any, model) -> tuple[Any, Any] | None:
    """A held case with its figures, for a picture; None where there is none."""
    result = None if case is None else model.function(case)
    return None if result is None or isinstance(result, Infeasible) else (result, case)


def sweep(result, case, model, *, of: str = "", by: str = "", band: tuple[float, float] = (), other=None) -> dict | None:
    """How a figure (the first) answers to an input (the one that moves it most), over the range the model holds for: its own
    curve, and that of another case of the model, which is drawn dashed.

    With a `band` of the input the curve is drawn around it and the reading, and the band is what is shaded.
    """
    shown = of or next(iter(quantities(model.result_class)))
    own = quantities(model.case_class)
    if not by and not (moved := [m for m in calc.sensitivities(model, case, shown) if m.field in own]):
        return None
    name = by or moved[0].field
    said, out = own[name], quantities(model.result_class)[shown]
    at = getattr(case, name)
    low, high = said.valid
    if not (abs(low) < 1e9 and abs(high) < 1e9) or not low < high:
        low, high = at * 0.5, at * 1.5
    shade = said.valid
    if band and band[0] < band[1]:
        shade, about = band, max(abs(at - band[0]), abs(at - band[1]), band[1] - band[0])
        low, high = (
            max(said.possible[0], min(at, band[0]) - 0.6 * about),
            min(said.possible[1], max(at, band[1]) + 0.6 * about),
        )
    low, high = min(low, at), max(high, at)
    if not low < high:
        return None
    count = 3 * POINTS if band else POINTS
    for narrower in range(NARROWED):
        xs = [low + (high - low) * i / (count - 1) for i in range(count)]
        points = _curve(model, case, name, shown, xs)
        if len(points) > count // 3 or at == 0.0:
            break
        reach = 0.5 ** (narrower + 1) * abs(at)  # it answers only near the case: look there
        low, high = at - reach, at + reach
    if len(points) < 3:
        return None
    dashed = _curve(model, other, name, shown, xs) if other is not None else []
    here = getattr(result, shown)
    ys = [here, *(y for _, y in (*points, *dashed))]
    least, most = min(ys), max(ys)
    if most - least <= 0:
        most = least + 1.0
    px = lambda x: 60.0 + 500.0 * (x - low) / (high - low)  # noqa: E731
    py = lambda y: 260.0 - 220.0 * (y - least) / (most - least)  # noqa: E731
    return {
        "line": polyline([(px(x), py(y)) for x, y in points]),
        "held": polyline([(px(x), py(y)) for x, y in dashed]) if len(dashed) > 1 else "",
        "x": n(px(at)),
        "y": n(py(here)),
        "label": figure(here, out.decimals),
        "unit": out.unit,
        "of": out.label,
        "by": said.label,
        "by_unit": said.unit,
        "xt": [{"x": n(px(v)), "text": f"{v:.4g}"} for v in ticks(low, high)],
        "yt": [{"y": n(py(v)), "text": f"{v:.4g}"} for v in ticks(least, most)],
        "valid": {"x": n(px(max(low, shade[0]))), "w": n(max(0.0, px(min(high, shade[1])) - px(max(low, shade[0]))))}
        if abs(shade[1]) < 1e9
        else None,
        "inner": bool(band),
    }


@dataclass(frozen=True)
class OnLine:
    """A unit of the line that runs a bench's model now: the case it runs, and what people set of it."""

    unit: str
    title: str
    case: Any
    settings: dict[str, float]

    @property
    def opening(self) -> dict:
        """The case as the wells show it: one figure more than the model's own decimals."""
        said = calc.leaves(type(self.case), {})
        given = calc.flat(calc.declared(self.case))
        return {k: round(v, said[k].decimals + 1) if k in said and isinstance(v, float) else v for k, v in given.items()}


def on_line(state, model_name: str) -> list[OnLine]:
    """The units of the line that run a model, in the order of the fibre; none where no mill is set up."""
    if state is None:
        return []
    result = []
    for u in state.mill.units:
        acts, plan = state.line.acts.get(u.id), state.line.acting.get(u.id)
        for worked in acts.worked if acts else ():
            if worked.model == model_name:
                result.append(OnLine(u.id, u.title, worked.case, dict(plan.settings())))
    return result


def _from_the_line(request, state, bench: Bench, form) -> dict:
    """What the page says of the unit it opened at: which units there are, which wells were typed, and what could go into
    force."""
    units = on_line(state, bench.model_name)
    chosen = next((u for u in units if u.unit == request.GET.get("unit")), None)
    if chosen is None:
        return {"line_units": units, "sources": {}}
    opened = type(form).opened({}, chosen.opening, request.schools)
    typed = {k for k in form.fields if form.data.get(k) != opened.get(k)}
    record = state.put_in_force.get(chosen.unit)
    held_at = f"in force since {clock(record.at)}" if record else "set-up"
    sources = {k: "typed" if k in typed else held_at if k in chosen.settings else "solved" for k in form.fields}
    more = {"line_units": units, "line_unit": chosen, "sources": sources, "beside": line_beside(state, chosen.unit)}
    if form.is_valid() and request.user.may("move") and (moved := typed & chosen.settings.keys()):
        more["put_in_force"] = put_address(chosen.unit, {k: repr(form.cleaned_data[k]) for k in moved}, request)
    return more


def _opening(request, state, bench: Bench) -> dict:
    """Where the bench opens: at the unit of ?unit= (the first that runs its model where the address says nothing), else as it
    is written."""
    units = on_line(state, bench.model_name)
    if not request.GET and units:
        request.GET = request.GET.copy()
        request.GET["unit"] = units[0].unit
    chosen = next((u for u in units if u.unit == request.GET.get("unit")), None)
    return chosen.opening if chosen else calc.flat(bench.opening)


def _row_counts(model, counts: Mapping[str, int]) -> list[tuple[str, str, int, list[int]]]:
    """The kinds of rows of a model: name, what they are called, how many there are, and how many may be chosen near that."""
    return [
        (
            name,
            group.label.lower(),
            counts[name],
            [k for k in range(counts[name] - 2, counts[name] + 4) if group.least <= k <= group.most],
        )
        for name, group in row_fields(model.case_class).items()
    ]


def bench_page(request, bench: Bench, *, address: Callable[[str], str], benches, pictures: dict, context: dict, seg: str):
    """Work out a bench and answer as a whole page or its part."""
    schools, state = request.schools, state_of(request)
    opening = _opening(request, state, bench)
    form_class = bench.form_class(request.GET)
    form = form_class(form_class.opened(request.GET, opening, schools), schools=schools)
    result = form.run()
    held = held_case(request.GET.get("held", ""), bench.model)
    siblings = [(b.title, address(b.key)) for b in benches if b.group == bench.group and b.key != bench.key]
    context = {
        **context,
        "bench": bench,
        "form": form,
        "result": result,
        "held": held,
        "here": address(bench.key),
        "siblings": siblings,
        "rows": _row_counts(bench.model, form_class.counts),
        "seg": seg,
        **_from_the_line(request, state, bench, form),
    }
    if result is not None:
        case, other = form.case, case_held(held, bench.model)
        draw = pictures.get(bench.picture)
        context |= {
            "results": beside(result_rows(result, schools), held, schools),
            "given": form.given,
            "cautions": cautions_of(result),
            "lookup": f"{reverse('handbook:working', args=[bench.model.name])}?{form.query}",
            "p": draw(result, case, _run(other, bench.model)) if draw else sweep(result, case, bench.model, other=other),
            "picture_template": f"stock/pictures/{bench.picture}.html" if draw else "cases/sweep.html",
        }
    return render_bench(request, "cases/bench", context)


def bench_view(
    space: str, benches: dict[str, Bench], station: Callable[..., dict], pictures: Mapping[str, Callable] | None = None
):
    """The view of a station's benches: `space` its addresses' namespace (space:bench), `station` what its pages share,
    `pictures` those of its own."""

    @require_safe
    def bench(request, key: str):
        state = state_of(request)
        if key not in benches or state is None:
            raise Http404
        return bench_page(
            request,
            benches[key],
            address=lambda k: reverse(f"{space}:bench", args=[k]),
            benches=benches.values(),
            pictures=dict(pictures or {}),
            context=station(request, state),
            seg=f"{space}/seg.html",
        )

    return bench
