"""A PIN at a signature: counted, paused and logged as at the sign-in. Asked before any transaction: hashing takes its time."""

from axes.helpers import get_cool_off
from axes.utils import reset
from django.contrib.auth import authenticate
from django.http import HttpRequest

from desk.kit.writing import current_request


class PinRefused(Exception):
    """Why a signature was not taken, in words for the PIN's well."""

    field = "pin"


def _asked_from() -> HttpRequest:
    """The request that signs; a bare one where a program signs at the console."""
    request = current_request.get()
    if request is None:
        request = HttpRequest()
        request.META["REMOTE_ADDR"] = "127.0.0.1"
    return request


def check_pin(person, pin: str) -> None:
    """Return when `pin` is this person's. Raises: PinRefused, also while signing is paused after five wrong PINs."""
    request = _asked_from()
    if pin and authenticate(request, username=person.username, password=pin) is not None:
        reset(username=person.username, ip=request.META.get("REMOTE_ADDR"))
        return
    if getattr(request, "axes_locked_out", False):
        request.axes_locked_out = (
            False  # the page answers beside the PIN's well, with what was typed, not the sign-in's lock page
        )
        minutes = round(get_cool_off().total_seconds() / 60)
        raise PinRefused(f"Five PINs were wrong. Signing pauses for {minutes} minutes; an administrator can give a new PIN.")
    raise PinRefused("PIN is empty; nothing was signed." if not pin else "PIN is not right; nothing was signed.")
