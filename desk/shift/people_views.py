"""People and roles: who is here, who may what, one-time PINs; the first administrator; an own PIN."""

from collections import Counter

from axes.models import AccessAttempt
from django.conf import settings
from django.contrib import messages
from django.contrib.auth import login, update_session_auth_hash
from django.contrib.auth.decorators import login_not_required
from django.http import Http404
from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.debug import sensitive_post_parameters
from django.views.decorators.http import require_http_methods, require_POST

from desk.kit.templatetags.vat import stop
from desk.kit.text import plain, whole
from desk.mill.context import state_of
from desk.people.first import nobody_is_known, opens
from desk.people.models import Person, Role
from desk.people.rights import may
from desk.shift import people_actions as actions
from desk.shift.people_actions import Refused

NEEDED = (Role.LEAD, Role.OPERATOR, Role.LAB, Role.ENGINEER, Role.SAFETY)


def _locked() -> dict[str, object]:
    """Username to the time of the last wrong PIN, of those who must wait."""
    result = AccessAttempt.objects.filter(failures_since_start__gte=settings.AXES_FAILURE_LIMIT)
    return dict(result.order_by("attempt_time").values_list("username", "attempt_time"))


def _page(request, *, status: int = 200, **more):
    locked = _locked()
    people = list(Person.objects.order_by("-is_active", "id"))
    for p in people:
        p.locked_at = locked.get(p.username)
    here = Counter(p.role for p in people if p.is_active)
    chosen = more.pop("chosen", None) or next((p for p in people if p.pk == whole(request.GET.get("who", ""))), None)
    context = {
        "people": people,
        "here": sum(here.values()),
        "cover": [(Role(role).label, here[role]) for role in NEEDED],
        "missing": [Role(role).label for role in NEEDED if not here[role]],
        "roles": Role.choices,
        "chosen": chosen,
        "may_people": request.user.may("people"),
        "all_roles": "all" in request.GET,
        "few_roles": "all" not in request.GET,
        "no_mill": state_of(request) is None,
        **more,
    }
    return render(request, "people/people.html", context, status=status)


@require_http_methods(["GET", "HEAD", "POST"])
@sensitive_post_parameters()
def people(request):
    """Everybody, and what each role may (GET); an administrator adds a person (POST)."""
    if request.method != "POST":
        return _page(request)
    return _add(request)


@may("people")
def _add(request):
    given = {name: plain(request.POST.get(name, "")) for name in ("initials", "role", "post", "works")}
    try:
        made = actions.add(**given, by=request.user, now=request.now)
    except Refused as refusal:
        return _page(request, status=422, typed=given, problem=str(refusal), field=refusal.field)
    return _page(request, given=made, chosen=made.person)


@require_POST
@may("people")
def change(request, pk: int):
    """Another role or post, a one-time PIN, leave or come back."""
    person = get_object_or_404(Person, pk=pk)
    act = request.POST.get("act", "")
    try:
        if act == "pin":
            return _page(request, given=actions.new_pin(person=person, by=request.user, now=request.now), chosen=person)
        if act == "role":
            role, post = request.POST.get("role", ""), request.POST.get("post", "")
            actions.change_role(person=person, role=role, post=post, by=request.user, now=request.now)
        elif act in ("leave", "back"):
            actions.leave(person=person, by=request.user, now=request.now, back=act == "back")
        else:
            raise Refused("act", "Choose what is to be done.")
    except Refused as refusal:
        return _page(request, status=422, chosen=person, problem=str(refusal), field="chosen")
    messages.success(request, f"Kept: {stop(Person.objects.get(pk=pk).signed)}")
    return redirect("people:people")


@login_not_required
@sensitive_post_parameters()
@require_http_methods(["GET", "HEAD", "POST"])
def first(request):
    """The first administrator of an empty desk, by the code that the start command printed."""
    if not nobody_is_known():
        raise Http404
    typed = {
        "code": plain(request.POST.get("code", request.GET.get("code", ""))),
        "initials": plain(request.POST.get("initials", "")),
    }
    context = {"typed": typed}
    if request.method == "POST":
        try:
            if not opens(typed["code"]):
                raise Refused("code", "Code is not the one that the start command printed.")
            pin, again = request.POST.get("new_pin", ""), request.POST.get("again", "")
            person = actions.add_first(initials=typed["initials"], pin=pin, again=again, now=request.now)
        except Refused as refusal:
            return render(request, "people/first.html", context | {"problem": str(refusal), "field": refusal.field}, status=422)
        login(request, person, backend="django.contrib.auth.backends.ModelBackend")
        messages.success(request, f"{person.signed} is the administrator. Add the people of the desk, then the mill.")
        return redirect("people:people")
    return render(request, "people/first.html", context)


@sensitive_post_parameters()
@require_http_methods(["GET", "HEAD", "POST"])
def own_pin(request):
    """A PIN that nobody else knows; after a one-time PIN the desk asks for it before anything else."""
    context: dict = {}
    if request.method == "POST":
        try:
            if request.user.own_pin and not request.user.check_password(request.POST.get("pin", "")):
                raise Refused("pin", "PIN is not right; nothing was changed.")
            pin, again = request.POST.get("new_pin", ""), request.POST.get("again", "")
            actions.set_own_pin(person=request.user, pin=pin, again=again, now=request.now)
        except Refused as refusal:
            context = {"problem": str(refusal), "field": refusal.field}
            return render(request, "people/pin.html", context, status=422)
        update_session_auth_hash(request, request.user)
        messages.success(request, "Your PIN is set; nobody else knows it.")
        return redirect("shift:home")
    return render(request, "people/pin.html", context)


class OwnPin:
    """Middleware: who signed in with a one-time PIN chooses an own one before anything else."""

    OPEN = ("/pin/", "/sign-out/", "/theme/", "/static/")

    def __init__(self, get_response):
        self.get_response = get_response

    def __call__(self, request):
        user = getattr(request, "user", None)
        if user is not None and user.is_authenticated and not user.own_pin and not request.path.startswith(self.OPEN):
            return redirect("people:own_pin")
        return self.get_response(request)
