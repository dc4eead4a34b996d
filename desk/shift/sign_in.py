"""Who is at the desk? In the demo one press, at a mill initials and PIN."""

from django.conf import settings
from django.contrib.auth import authenticate, login
from django.contrib.auth.decorators import login_not_required
from django.http import Http404
from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.debug import sensitive_post_parameters
from django.views.decorators.http import require_POST

from desk.kit.errors import locked_out
from desk.kit.ways import own_path
from desk.lab.board import Board
from desk.mill.context import state_of
from desk.mill.ribbon import STATIONS, draw_small
from desk.people.first import nobody_is_known
from desk.people.models import Person
from desk.shift.people_actions import one_time_over

LOOPBACK = ("127.0.0.1", "::1")


def one_press(request) -> bool:
    """One press signs in at the demo, and only from this computer."""
    return settings.DEMO and request.META.get("REMOTE_ADDR") in LOOPBACK and "X-Forwarded-For" not in request.headers


def _next(request) -> str:
    return own_path(request, request.POST.get("next") or request.GET.get("next") or "")


def _page(request, *, problem: str = "", initials: str = "", status: int = 200):
    state = state_of(request)
    board = Board(state) if state and settings.DEMO else None
    context = {
        "people": Person.objects.filter(is_active=True) if one_press(request) else [],
        "problem": problem,
        "typed": initials,
        "next": _next(request),
        "small": draw_small(state) if state else None,
        "stations": STATIONS,
        "drifting": board.drifting[:3] if board else [],
        "late": [r for r in board.due_rows if r.due.state.value in ("late", "missed")][:1] if board else [],
        "worst": next((v for v in state.vessels.values() if v.stops_the_line), None) if board else None,
    }
    return render(request, "sign_in.html", context, status=status)


@login_not_required
@sensitive_post_parameters("pin")
def sign_in(request):
    """Initials and PIN. Failed tries are counted and paused after five."""
    if nobody_is_known():
        return redirect("people:first")
    if request.method != "POST":
        return redirect(_next(request)) if request.user.is_authenticated else _page(request)
    initials, pin = request.POST.get("initials", "").strip(), request.POST.get("pin", "")
    if not initials or not pin:
        return _page(request, problem="Initials and PIN are both needed.", initials=initials, status=422)
    person = authenticate(request, username=initials.replace(".", "").lower(), password=pin)
    if person is None:
        if getattr(request, "axes_locked_out", False):
            return locked_out(request)
        return _page(request, problem="Initials and PIN do not belong together.", initials=initials, status=422)
    if one_time_over(person, request.now):
        said = "The one-time PIN is older than a day; ask the administrator for a new one."
        return _page(request, problem=said, initials=initials, status=422)
    login(request, person)
    return redirect(_next(request))


@login_not_required
@require_POST
def sign_in_as(request):
    """One press, in the demo mill only, and only on the computer it runs on."""
    if not one_press(request):
        raise Http404
    person = get_object_or_404(Person, username=request.POST.get("person", ""), is_active=True)
    login(request, person, backend="django.contrib.auth.backends.ModelBackend")
    return redirect(_next(request))
