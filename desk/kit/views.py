"""Help, and the two choices kept in a cookie: day or night, single keys on or off. They work without script."""

from django.contrib import messages
from django.contrib.auth.decorators import login_not_required
from django.http import HttpResponseRedirect
from django.shortcuts import redirect, render
from django.templatetags.static import static
from django.views.decorators.http import require_POST, require_safe

from desk.kit.units import CHOICES
from desk.kit.ways import own_path
from desk.kit.writing import writing

YEAR_S = 365 * 24 * 3600


def _back(request):
    return HttpResponseRedirect(own_path(request, request.GET.get("next", "/")))


@require_safe
def help_page(request):
    rows = [(name, title, options, request.user.schools.get(name, "")) for name, (title, options) in CHOICES.items()]
    return render(request, "help.html", {"unit_rows": rows})


@login_not_required
@require_safe
def theme(request):
    response = _back(request)
    to = "night" if request.GET.get("to") == "night" else "day"
    response.set_cookie("theme", to, max_age=YEAR_S, samesite="Lax")
    return response


@require_POST
def own_units(request):
    """Keep the units this person reads; an empty choice is the mill's."""
    kept = {name: request.POST[name] for name, (_, options) in CHOICES.items() if request.POST.get(name) in dict(options)}
    request.user.schools = kept
    with writing():
        request.user.save(update_fields=["schools"])
    messages.success(request, "Your units are kept. What you enter for the record stays in the mill’s.")
    return redirect("kit:help")


@require_safe
def keys(request):
    response = _back(request)
    response.set_cookie("keys", "off" if request.GET.get("to") == "off" else "on", max_age=YEAR_S, samesite="Lax")
    return response


@login_not_required
@require_safe
def icon(request):
    """The mark, which a browser asks for beside an answer that is no page."""
    return redirect(static("desk/icon.svg"))
