"""Mill setup: the document in force, to read and to take away."""

from django.http import JsonResponse
from django.shortcuts import render
from django.views.decorators.http import require_safe

from core.lab.methods import TESTS
from desk.kit.words import limits
from desk.mill.context import state_of
from desk.mill.models import MillVersion


@require_safe
def setup(request):
    state = state_of(request)
    if state is None:
        return render(request, "no_mill.html")
    plan = [
        {"row": r, "test": TESTS[r.test], "limits": limits(r.band, TESTS[r.test].decimals)} for r in state.mill.plan.values()
    ]
    grades = [
        {
            "g": g,
            "tests": [(t, limits(t.band, t.decimals)) for t in g.tests],
            "shares": [(k, v) for k, v in g.shares.items() if v > 0],
        }
        for g in state.mill.grades.values()
    ]
    return render(request, "mill/setup.html", {"version": MillVersion.objects.first(), "plan": plan, "grades": grades})


@require_safe
def document(request):
    """The whole document as JSON."""
    version = MillVersion.objects.first()
    return JsonResponse(version.document if version else {}, json_dumps_params={"indent": 1, "ensure_ascii": False})
