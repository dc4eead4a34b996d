"""The bench: a form made from a core case, its answer, and the way both reach the page."""

import math
from dataclasses import dataclass, fields
from typing import Any

from django import forms
from django.shortcuts import render
from django.utils.cache import patch_vary_headers

from core.errors import Caution, CoreError, ImpossibleInput, Infeasible
from core.quantity import KEY, Quantity, quantities
from core.register import Model
from desk.kit.templatetags.vat import figure


def typed_number(text: str) -> float:
    """A number as people type it: 3,6 and 1 250 are fine. Raises: ValueError."""
    clean = text.strip().replace("\u202f", "").replace("\u2009", "").replace(" ", "").replace("−", "-")
    if clean.count(",") == 1 and "." not in clean:
        clean = clean.replace(",", ".")
    number = float(clean)
    if not math.isfinite(number):
        raise ValueError("not finite")
    return number


class NumberField(forms.CharField):
    """A number in the unit of its quantity; what was typed is kept as typed when it is refused."""

    def __init__(self, said: Quantity, **kwargs):
        self.said = said
        widget = forms.TextInput(attrs={"inputmode": "decimal", "autocomplete": "off", "data-well": ""})
        super().__init__(label=said.label, help_text=said.help, widget=widget, **kwargs)

    def to_python(self, value):
        text = super().to_python(value)
        if text in self.empty_values:
            return None
        try:
            return typed_number(text)
        except ValueError:
            raise forms.ValidationError(f"is “{text}”; it must be a number, {self.allowed()}") from None

    def allowed(self) -> str:
        low, high = self.said.possible
        unit = f" {self.said.unit}" if self.said.unit else ""
        if math.isinf(high):
            return f"{'above' if self.said.above else 'at least'} {low:g}{unit}"
        return f"{'above ' if self.said.above else ''}{low:g} to {high:g}{unit}"


@dataclass(frozen=True)
class Row:
    """One line of a verdict."""

    label: str
    value: str
    unit: str
    equation: str


def result_rows(result: Any) -> list[Row]:
    """The declared figures of a result, formatted, in their order."""
    return [
        Row(said.label, figure(getattr(result, name), said.decimals), said.unit, said.equation)
        for name, said in quantities(type(result)).items()
    ]


class BenchForm(forms.Form):
    """A form over a core case: fields from its quantities, answers and refusals from its model."""

    model: Model

    def __init_subclass__(cls, **kwargs):
        super().__init_subclass__(**kwargs)

    @classmethod
    def of(cls, model: Model) -> type["BenchForm"]:
        """The form class of a registered model."""
        made = {"model": model}
        for f in fields(model.case_class):
            if KEY in f.metadata:
                said = f.metadata[KEY]
                made[f.name] = NumberField(
                    said, required=True, error_messages={"required": f"is empty; give {said.label.lower()}"}
                )
        return type(f"{model.case_class.__name__}Form", (cls,), made)

    def opening(self) -> dict[str, str]:
        return {f.name: str(f.default) for f in fields(self.model.case_class) if isinstance(f.default, (int, float))}

    def run(self) -> Any:
        """The model's result, or None with the problems on their fields."""
        if not self.is_valid():
            return None
        try:
            result = self.model.function(self.model.case_class(**self.cleaned_data))
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
        nearest = "" if why.nearest is None else f" (nearest: {why.nearest:.4g}{' ' + why.unit if why.unit else ''})"
        self.add_error(why.field if why.field in self.fields else None, why.reason + nearest)

    @property
    def wells(self):
        """What a template needs of each field, refusals included."""
        for bound in self:
            yield {
                "field": bound,
                "unit": getattr(bound.field, "said", None) and bound.field.said.unit,
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
