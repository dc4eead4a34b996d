"""The models over HTTP as JSON, for people who are signed in and for tokens of the scope `calc`."""

import json

from django.contrib.auth.decorators import login_not_required
from django.http import JsonResponse
from django.views.decorators.csrf import csrf_exempt
from django.views.decorators.http import require_http_methods, require_safe

from core import calc
from core.catalogue import find, models
from core.errors import CoreError, ImpossibleInput
from desk.kit.answers import errors, told
from desk.people.tokens import bearer

LARGEST = 64_000


def _known(request) -> bool:
    return request.user.is_authenticated or bearer(request, "calc") is not None


def _stranger() -> JsonResponse:
    return errors(
        ("authorization", "is missing or not valid here; sign in, or send Authorization: Bearer with a token"), status=401
    )


def read_json(request):
    """The body as JSON, or a JsonResponse that says why not."""
    if len(request.body) > LARGEST:
        return errors(("body", f"is {len(request.body)} bytes; it must be at most {LARGEST}"), status=413)
    try:
        return json.loads(request.body)
    except (ValueError, RecursionError) as problem:
        return errors(("body", f"is no JSON: {problem}"), status=400)


@login_not_required
@require_safe
def listing(request):
    """Every model: name, title, station, equation, source, range."""
    if not _known(request):
        return _stranger()
    rows = [
        {
            "name": m.name,
            "title": m.title,
            "station": m.station,
            "equation": m.equation,
            "source": m.source,
            "holds_for": m.holds_for,
        }
        for m in models()
    ]
    return told({"models": rows})


@csrf_exempt  # asking changes nothing; a token is asked for where nobody is signed in
@login_not_required
@require_http_methods(["GET", "POST"])
def one(request, name: str):
    """GET: the JSON Schema of a model's inputs and an example. POST: its answer; 422 lists every bad field."""
    if not _known(request):
        return _stranger()
    try:
        model = find(name)
    except KeyError as missing:
        return errors(("name", missing.args[0]), status=404)
    if request.method == "GET":
        return told({"name": model.name, "schema": calc.schema(model), "example": calc.example(model)})
    given = read_json(request)
    if isinstance(given, JsonResponse):
        return given
    try:
        return told(calc.calculate(model, given))
    except ImpossibleInput as refusal:
        return errors(*((p.field, p.text) for p in refusal.problems), status=422)
    except CoreError as failure:
        return errors(("any", str(failure)), status=422)
