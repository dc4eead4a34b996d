"""Pages for trouble: what happened, that nothing typed is lost, what to press."""

import secrets
import sys

from django.core.exceptions import DisallowedHost
from django.http import HttpResponse
from django.shortcuts import render

from desk.kit.once import not_recorded
from desk.kit.writing import trouble_of


def _page(request, status: int, title: str, text: str, *, number: str = ""):
    return render(request, "trouble.html", {"trouble": {"title": title, "text": text, "number": number}}, status=status)


def bad_request(request, exception=None):
    if isinstance(exception, DisallowedHost):  # nothing of the desk is shown to, or asked of, a name that is not ours
        return HttpResponse("This desk does not go by that name.\n", content_type="text/plain; charset=utf-8", status=400)
    return _page(
        request, 400, "The desk could not read this.", "What was asked is not in a form it knows. Nothing was recorded."
    )


def forbidden(request, exception=None):
    text = str(exception) if exception and str(exception) else "This page or act belongs to another role."
    return _page(request, 403, "Not for this role", text)


def not_found(request, exception=None):
    return _page(
        request, 404, "There is no such page.", "The address leads nowhere. A lot, a card or a record may be mistyped."
    )


def server_error(request):
    trouble = trouble_of(sys.exc_info()[1])
    if trouble is not None:
        return not_recorded(request, trouble)
    number = f"F-{secrets.randbelow(9000) + 1000}"
    return _page(
        request,
        500,
        "This page did not come.",
        "The desk failed to work it out. Nothing that was recorded is lost.",
        number=number,
    )


def stale_form(request, reason=""):
    text = (
        "The page was open too long or the sign-in changed. Go back, what you typed is still there; load it anew "
        "and send again."
    )
    return _page(request, 403, "Not recorded.", text)


def locked_out(request, credentials=None, *args, **kwargs):
    text = "Five sign-ins failed for these initials. Wait 15 minutes, or ask the administrator."
    return _page(request, 429, "Sign-in is paused.", text)
