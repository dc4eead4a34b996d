"""What every page shows: the ticket of the running order, theme, keys, the emergency line."""

from dataclasses import asdict

from django.conf import settings
from django.db import OperationalError
from django.utils.functional import SimpleLazyObject

from desk.kit import disk
from desk.kit.units import Schools, key, schools_from
from desk.mill.clock import mill_now
from desk.mill.state import MillState, NoMill


def house(request):
    """Context for base.html. `state` is one MillState a request, shared with the view."""
    return {
        "state": state_of(request),
        "theme": "night" if request.COOKIES.get("theme") == "night" else "day",
        "single_keys": request.COOKIES.get("keys") != "off",
        "demo": settings.DEMO,
        "may_move": request.user.is_authenticated and request.user.may("move"),
        "disk": disk.stands().value,
        "room_mb": disk.room_bytes() / 1e6,
        "schools": request.schools,
        "units_key": key(request.schools),
    }


class MillClock:
    """Middleware: `request.now`, read once so that one page has one time, and `request.get_state()`."""

    def __init__(self, get_response):
        self.get_response = get_response

    def __call__(self, request):
        request.now = mill_now()
        request.schools = SimpleLazyObject(lambda: schools_of(request))
        request.get_state = lambda: state_of(request)
        return self.get_response(request)


def schools_of(request) -> Schools:
    """The units this person reads: the mill's choice, and their own where they made one."""
    state = state_of(request)
    own = getattr(getattr(request, "user", None), "schools", {})
    return schools_from(asdict(state.mill.schools) if state else {}, own)


def state_of(request) -> MillState | None:
    """The request's MillState, made once; None while no mill is set up."""
    if not hasattr(request, "mill_state"):
        try:
            request.mill_state = MillState(request.now)
            request.mill_state.schools = schools_of(request)
        except (NoMill, OperationalError):
            request.mill_state = None
    return request.mill_state
