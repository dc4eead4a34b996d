"""Who may: one decorator for views."""

from functools import wraps

from django.core.exceptions import PermissionDenied

from desk.kit.templatetags.vat import stop
from desk.people.table import BY_ACT


def refuse(person, act: str) -> None:
    """Raise the page that says who may, when this person may not."""
    if not person.may(act):
        right = BY_ACT[act]
        raise PermissionDenied(f"{right.doing} is for: {', '.join(right.cells)}. You are signed in as {stop(person.signed)}")


def may(act: str):
    """Only for roles that may do `act`; the others get a page that says who may."""

    def outer(view):
        @wraps(view)
        def inner(request, *args, **kwargs):
            refuse(request.user, act)
            return view(request, *args, **kwargs)

        return inner

    return outer
