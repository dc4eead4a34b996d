"""The bench: a form made from a core case, its answer, and the way both reach the page."""

import math
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import datetime, timedelta
from typing import Any
from urllib.parse import urlencode

from django import forms
from django.forms.utils import flatatt
from django.shortcuts import render
from django.utils import timezone
from django.utils.cache import patch_vary_headers
from django.utils.html import format_html, format_html_join

from core import calc
from core.errors import Caution, CoreError, ImpossibleInput, Infeasible
from core.quantity import Quantity, quantities
from core.register import Model
from desk.kit import units
from desk.kit.templatetags.vat import changed, figure
from desk.kit.units import Schools, shown, typed, way


def well_text(value: float, said: Quantity, schools: Schools | None) -> str:
    """A figure as a well shows it: in the reader's unit, with no more digits than it needs."""
    number, _, _ = shown(value, said.unit, schools)
    return f"{number:.6g}"


def typed_number(text: str) -> float:
    """A number as people type it: 3,6 and 1 250 are fine. Raises: ValueError."""
    clean = text.strip().replace("\u202f", "").replace("\u2009", "").replace(" ", "").replace("−", "-")
    if clean.count(",") == 1 and "." not in clean:
        clean = clean.replace(",", ".")
    number = float(clean)
    if not math.isfinite(number):
        raise ValueError("not finite")
    return number


@dataclass(frozen=True)
class Well:
    """A well that is no field of a registered model: what it is called, its unit, where it opens and what is allowed."""

    name: str
    label: str
    unit: str
    start: float
    low: float
    high: float

    def read(self, data: Mapping[str, str]) -> dict[str, Any]:
        """The well as typed: text, value (None when refused) and the error in words."""
        text, value, error = data.get(self.name, f"{self.start:g}"), None, ""
        per = f" {self.unit}" if self.unit else ""
        try:
            number = typed_number(text)
            if self.low <= number <= self.high:
                value = number
            else:
                hint = " On dry basis?" if self.unit == "% wet" and number > self.high else ""
                error = f"{self.label} is {number:g}{per}; it must be {self.low:g} to {self.high:g}{per}.{hint}"
        except ValueError:
            error = f"{self.label} is “{text}”; it must be a number, {self.low:g} to {self.high:g}{per}"
        return {"name": self.name, "label": self.label, "unit": self.unit, "text": text, "value": value, "error": error}


def refuse_well(wells: Sequence[dict[str, Any]], name: str, text: str, *, called: str = "") -> None:
    """What a model refuses, at its well by the well's label or as it is `called`; at the first where no well is to blame."""
    well = next((w for w in wells if w["name"] == name), None)
    (well or wells[0])["error"] = f"{called or (well['label'] if well else name)} {text}"


def row_caution(caution: Caution, group: str, of: type, called: Callable[[int], str]) -> str:
    """A caution in words: what its row is called, the field it is about, and what it says; of the whole case the last."""
    head, _, rest = caution.field.partition(".")
    number, _, name = rest.partition(".")
    if head != group:
        return caution.text[:1].upper() + caution.text[1:]
    said = quantities(of).get(name)
    return f"{called(int(number))}, {said.label.lower() if said else name}: {caution.text}"


def read_wells(data: Mapping[str, str], wells) -> tuple[list[dict[str, Any]], dict[str, float]]:
    """Rows for the page, and the values of those that were right."""
    rows = [w.read(data) for w in wells]
    return rows, {r["name"]: r["value"] for r in rows if r["value"] is not None}


def time_of(text: str, now: datetime) -> datetime | None:
    """A clock time as typed (10:50): today's, or yesterday's when it lies half a day ahead; None when it is no time."""
    try:
        typed_time = datetime.strptime(text.strip().replace(".", ":"), "%H:%M")
    except ValueError:
        return None
    local = timezone.localtime(now)
    at = local.replace(hour=typed_time.hour, minute=typed_time.minute, second=0, microsecond=0)
    return at - timedelta(days=1) if at - local > timedelta(hours=12) else at


FORMS = ("%Y-%m-%dT%H:%M", "%Y-%m-%d %H:%M", "%d.%m.%Y %H:%M")


def time_typed(text: str, now: datetime, *, after: datetime | None = None) -> datetime | None:
    """A time as typed: 14:00 (today, or the next one after `after`), or with its day, 2026-11-14 14:00; None for no time."""
    local, clean = timezone.localtime(now), text.strip()
    for form in FORMS:
        try:
            return datetime.strptime(clean, form).replace(tzinfo=local.tzinfo)
        except ValueError:
            continue
    try:
        given = datetime.strptime(clean.replace(".", ":"), "%H:%M")
    except ValueError:
        return None
    at = local.replace(hour=given.hour, minute=given.minute, second=0, microsecond=0)
    while after is not None and at <= after:
        at += timedelta(days=1)
    return at


class NumberInput(forms.TextInput):
    """An input written without the three templates that Django renders for each: a bench has dozens."""

    def _render(self, template_name, context, renderer=None):
        widget = context["widget"]
        own = {"type": widget["type"], "name": widget["name"], "value": widget["value"]}
        return format_html("<input{}>", flatatt(own | widget["attrs"]))


class WordSelect(forms.Select):
    """The same for a choice among words."""

    def _render(self, template_name, context, renderer=None):
        widget = context["widget"]
        options = [o for _, group, _ in widget["optgroups"] for o in group]
        told = ((flatatt({"value": o["value"]} | o["attrs"]), o["label"]) for o in options)
        written = format_html_join("", "<option{}>{}</option>", told)
        return format_html("<select{}>{}</select>", flatatt({"name": widget["name"]} | widget["attrs"]), written)


class NumberField(forms.CharField):
    """A number in the reader's unit of its quantity; what was typed is kept as typed when it is refused."""

    def __init__(self, said: Quantity, **kwargs):
        self.said = said
        self.schools = None
        widget = NumberInput(attrs={"inputmode": "decimal", "autocomplete": "off", "data-well": ""})
        super().__init__(label=said.label, help_text=said.help, widget=widget, **kwargs)

    def to_python(self, value):
        text = super().to_python(value)
        if text in self.empty_values:
            return None
        try:
            number = typed(typed_number(text), self.said.unit, self.schools)
        except (ValueError, OverflowError, ZeroDivisionError):
            raise forms.ValidationError(f"is “{text}”; it must be a number, {self.allowed()}") from None
        if way(self.said.unit, self.schools) and (why := self.said.problem(number)):
            raise forms.ValidationError(f"is “{text}” {self.unit}; it {why.partition('it ')[2] or why}")
        return number

    @property
    def unit(self) -> str:
        result = way(self.said.unit, self.schools)
        return result.unit if result else self.said.unit

    def allowed(self) -> str:
        low, high = (shown(v, self.said.unit, self.schools)[0] for v in self.said.possible)
        low, high = min(low, high), max(low, high)
        unit = f" {self.unit}" if self.unit else ""
        if math.isinf(high):
            return f"{'above' if self.said.above else 'at least'} {low:g}{unit}"
        return f"{'above ' if self.said.above else ''}{low:g} to {high:g}{unit}"


class WordField(forms.ChoiceField):
    """One word of a quantity's options."""

    unit = ""

    def __init__(self, said: Quantity, **kwargs):
        self.said, self.schools = said, None
        messages = {
            "required": f"is empty; choose {said.label.lower()}",
            "invalid_choice": f"is “%(value)s”; it must be one of {', '.join(said.options)}",
        }
        super().__init__(
            label=said.label,
            help_text=said.help,
            choices=[(o, o) for o in said.options],
            widget=WordSelect,
            error_messages=messages,
            **kwargs,
        )


@dataclass(frozen=True)
class Row:
    """One line of a verdict."""

    label: str
    value: str
    unit: str
    equation: str
    field: str
    number: float
    held: str = ""
    change: str = ""


def result_rows(result: Any, schools: Schools | None = None) -> list[Row]:
    """The declared figures of a result, in the reader's units, in their order."""
    rows = []
    for name, said in quantities(type(result)).items():
        number = getattr(result, name)
        value, unit, more = shown(number, said.unit, schools)
        rows.append(Row(said.label, figure(value, said.decimals + more), unit, said.equation, name, number))
    return rows


def beside(rows: list[Row], held: Any, schools: Schools | None) -> list[Row]:
    """The rows with a held case's figures and the change from them; as they are when nothing is held."""
    if held is None:
        return rows
    said, result = quantities(calc.find_result(held.model_name)), []
    for row in rows:
        old = held.result.get(row.field)
        if old is None or not math.isfinite(row.number):
            result.append(row)
            continue
        (before, _, more), (after, _, _) = (shown(v, said[row.field].unit, schools) for v in (old, row.number))
        places = said[row.field].decimals + more
        change = changed(before, after, places)
        result.append(replace(row, held=figure(before, places), change=change))
    return result


class BenchForm(forms.Form):
    """A form over a core case: fields from its quantities, answers and refusals from its model."""

    model: Model
    counts: Mapping[str, int] = {}  # how many rows of each kind its case has

    def __init__(self, *args, schools: Schools | None = None, **kwargs):
        super().__init__(*args, **kwargs)
        self.schools = schools
        for field in self.fields.values():
            field.schools = schools

    @classmethod
    def of(cls, model: Model, counts: Mapping[str, int] | None = None) -> type["BenchForm"]:
        """The form class of a registered model, with so many rows of each kind where its case has rows."""
        made: dict[str, Any] = {"model": model, "counts": dict(counts or {})}
        for name, said in calc.leaves(model.case_class, made["counts"]).items():
            if said.options:
                made[name] = WordField(said)
                continue
            messages = {"required": f"is empty; give {said.label.lower()}"}
            made[name] = NumberField(said, required=True, error_messages=messages)
        return type(f"{model.case_class.__name__}Form", (cls,), made)

    @classmethod
    def opened(cls, asked: Mapping[str, str], opening: Mapping[str, float], schools: Schools | None) -> dict[str, str]:
        """What the wells open with: what the address says (in its own units, ?units=), else the opening figures."""
        written = units.from_key(asked.get("units", ""), schools)
        result = {}
        usual = calc.leaf_defaults(cls.model.case_class, cls.counts)
        for name, said in calc.leaves(cls.model.case_class, cls.counts).items():
            text = asked.get(name)
            if said.options:
                result[name] = text if text is not None else str(opening.get(name, usual.get(name, said.options[0])))
            elif text is None:
                start = opening.get(name, usual.get(name))
                result[name] = "" if start is None else well_text(start, said, schools)
            elif "units" in asked and written == schools:
                result[name] = text  # as it was typed
            else:
                try:
                    result[name] = well_text(typed(typed_number(text), said.unit, written), said, schools)
                except (ValueError, OverflowError, ZeroDivisionError):
                    result[name] = text
        return result

    @property
    def case(self) -> Any:
        """The case of valid wells."""
        return calc.gather(self.model, self.cleaned_data, self.counts)

    @property
    def query(self) -> str:
        """The case as an address holds it, in the core's units."""
        return urlencode(self.given)

    @property
    def given(self) -> dict[str, str]:
        """The case as text that reads back the same."""
        told = {k: v if isinstance(v, str) else repr(float(v)) for k, v in self.cleaned_data.items()}
        return told | {name: str(count) for name, count in self.counts.items()}

    def run(self) -> Any:
        """The model's result, or None with the problems on their fields."""
        if not self.is_valid():
            return None
        try:
            result = self.model.function(self.case)
        except ImpossibleInput as refusal:
            for p in refusal.problems:
                self.add_error(p.field if p.field in self.fields else None, p.text)
            return None
        except CoreError as failure:
            self.add_error(None, str(failure))
            return None
        if isinstance(result, Infeasible):
            self.refuse(result)
            return None
        return result

    def refuse(self, why: Infeasible) -> None:
        value, unit, _ = shown(why.nearest, why.unit, self.schools)
        nearest = "" if value is None else f" (nearest: {value:.4g}{' ' + unit if unit else ''})"
        self.add_error(why.field if why.field in self.fields else None, why.reason + nearest)

    @property
    def wells(self):
        """What a template needs of each field, refusals included."""
        for bound in self:
            yield {
                "field": bound,
                "unit": bound.field.unit,
                "errors": [f"{bound.label} {e}" for e in bound.errors],
            }


def cautions_of(result: Any) -> tuple[Caution, ...]:
    return getattr(result, "cautions", ())


def render_bench(request, template: str, context: dict):
    """The whole page, or its answer alone (template _answer.html beside it) for htmx; never the answer for Back."""
    partial = request.htmx and not request.htmx.history_restore_request and request.htmx.target == "answer"
    response = render(request, f"{template}_answer.html" if partial else f"{template}.html", context)
    patch_vary_headers(response, ("HX-Request", "HX-History-Restore-Request", "HX-Target"))
    return response
