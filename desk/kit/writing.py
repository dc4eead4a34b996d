"""The one way to write: what decides a write is asked, and the rows are put, inside one short transaction.

Hash a PIN, solve the line, read a file before `writing()` is entered: it holds the database's only write lock.
A form's once-only key is kept in the same transaction, so the same form sent twice writes once, whatever happens between.
"""

from collections.abc import Iterator
from contextlib import contextmanager
from contextvars import ContextVar
from enum import StrEnum

from django.db import OperationalError, connection, transaction
from django.utils import timezone

from desk.kit import disk
from desk.kit.models import Once

KEY_LENGTH = 40
current_request: ContextVar = ContextVar("current_request", default=None)
_inside: ContextVar[bool] = ContextVar("inside_writing", default=False)


class AlreadySent(Exception):
    """This form was kept before; `first` says when, by whom and as which record."""

    def __init__(self, first: Once):
        super().__init__(f"sent and kept already at {first.at:%H:%M:%S}")
        self.first = first


class Trouble(StrEnum):
    """Why the database took nothing."""

    BUSY = "busy"
    FULL = "full"


def trouble_of(error: BaseException | None) -> Trouble | None:
    """Whether an error says that the database was busy or its disk full; None for any other."""
    while error is not None:
        if isinstance(error, OperationalError):
            text = str(error)
            if "locked" in text or "busy" in text:
                return Trouble.BUSY
            if "full" in text or "disk I/O" in text:
                return Trouble.FULL
        error = error.__cause__ or error.__context__
    return None


def form_key(request) -> str:
    """The once-only key that a form came with, or an empty string."""
    return request.POST.get("once", "")[:KEY_LENGTH] if request is not None and request.method == "POST" else ""


@contextmanager
def writing() -> Iterator[None]:
    """A transaction that holds the write lock from its first moment, with the form's key kept in it.

    Raises: AlreadySent for a form that was kept before; OperationalError where the lock or the disk is not to be had.
    """
    if _inside.get():  # part of a larger write: it stands or falls with it
        yield
        return
    request = current_request.get()
    key = form_key(request)
    claims = bool(key) and not getattr(request, "once_claimed", False)
    token = _inside.set(True)
    try:
        with transaction.atomic():
            if claims:
                with connection.cursor() as cursor:
                    kept = cursor.execute("SELECT 1 FROM kit_once WHERE key = %s", [key]).fetchone()
                if kept:
                    raise AlreadySent(Once.objects.get(pk=key))
                request.once_claimed = True
            yield
            if claims:
                who = request.user.get_username() if request.user.is_authenticated else ""
                at = connection.ops.adapt_datetimefield_value(timezone.now())
                row = [key, who, at, getattr(request, "newest_record", 0)]
                with connection.cursor() as cursor:
                    cursor.execute("INSERT INTO kit_once (key, who, at, record) VALUES (%s, %s, %s, %s)", row)
    except BaseException as error:
        if claims:
            request.once_claimed = False
        if trouble_of(error) is Trouble.FULL:
            disk.mark_full()
        raise
    finally:
        _inside.reset(token)
    disk.mark_good()


def note_record(pk: int) -> None:
    """Remember the newest log entry of the form that is being kept, for a form that is sent again."""
    if (request := current_request.get()) is not None:
        request.newest_record = pk
