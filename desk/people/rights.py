"""Who may: one decorator for views."""

from functools import wraps

from django.core.exceptions import PermissionDenied

from desk.people.models import MAY

WORDS = {
    "record": "Entering a sample",
    "note": "Writing a note",
    "move": "Taking, altering or refusing a move",
    "propose": "Proposing a move",
    "hold": "Holding a lot",
    "divert": "Diverting a lot",
    "release": "Releasing a lot",
    "plan": "Planning an order",
    "close_lot": "Closing a lot",
    "handover": "Signing a handover",
    "correct_own": "Correcting a record",
    "correct_other": "Correcting another's record",
    "read_trail": "Reading the log",
    "setup": "Mill set-up",
    "cook": "Charging, following and blowing a cook",
    "fit": "Fitting the cook to this mill’s blows",
    "propose_setup": "Proposing a change of the set-up",
    "countersign": "Countersigning a change of the set-up",
    "readings": "Typing a reading",
    "tokens": "Making and revoking keys for programs",
    "audit": "Reading the audit",
}


def refuse(person, act: str) -> None:
    """Raise the page that says who may, when this person may not."""
    if not person.may(act):
        who = ", ".join(sorted(MAY[act]))
        raise PermissionDenied(f"{WORDS[act]} is for: {who}. You are signed in as {person.signed}.")


def may(act: str):
    """Only for roles that may do `act`; the others get a page that says who may."""

    def outer(view):
        @wraps(view)
        def inner(request, *args, **kwargs):
            refuse(request.user, act)
            return view(request, *args, **kwargs)

        return inner

    return outer
