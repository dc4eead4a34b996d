"""Shift's board as it was rendered last: made anew when something was written, read or begun, or the minute is another."""

from collections import OrderedDict
from collections.abc import Callable

from django.db import connection
from django.utils.safestring import SafeString, mark_safe

from desk.kit.units import key as units_key

KEPT = 8
NEWEST = (
    "SELECT (SELECT max(id) FROM log_record), (SELECT max(last_ms) FROM instruments_signal), "
    "(SELECT max(id) FROM cook_cookpoint), (SELECT max(id) FROM cook_cook)"
)

_boards: OrderedDict[tuple, SafeString] = OrderedDict()


def forget() -> None:
    """Drop what is kept: a test's database begins with the same numbers."""
    _boards.clear()


def stamp(request, state) -> tuple:
    """All that a board depends on: what was written and read last, the minute, and how this person reads it."""
    with connection.cursor() as cursor:
        newest = cursor.execute(NEWEST).fetchone()
    minute = state.now.strftime("%Y-%m-%d %H:%M")
    return (state.version_id, *newest, minute, request.path, units_key(request.schools), request.user.may("move"))


def board(request, state, made: Callable[[], tuple[str, bool]]) -> SafeString:
    """The board kept for this stamp, or made now. `made` gives its text and whether it may be kept: one with a form of its
    own, whose key is good once, may not."""
    key = stamp(request, state)
    if (known := _boards.get(key)) is not None:
        _boards.move_to_end(key)
        return known
    text, lasting = made()
    if lasting:
        _boards[key] = mark_safe(text)
        while len(_boards) > KEPT:
            _boards.popitem(last=False)
    return mark_safe(text)
