"""The first administrator of an empty desk: the code that the start command prints, so that only who started it is let in."""

import hmac
from pathlib import Path

from django.conf import settings

from desk.kit.keyfile import kept_key
from desk.people.models import Person

LENGTH = 10


def nobody_is_known() -> bool:
    return not Person.objects.exists()


def first_code() -> str:
    """The code that opens the first administrator's page; empty once somebody is known."""
    return kept_key(Path(settings.DATA) / "first_code")[:LENGTH] if nobody_is_known() else ""


def opens(code: str) -> bool:
    """Whether a code that was given is the one."""
    wanted = first_code()
    return bool(wanted) and hmac.compare_digest(code.strip().encode(), wanted.encode())
