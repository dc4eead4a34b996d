"""People are added, given a new PIN, and leave; each act stands in the log. PINs are hashed before the write lock is taken."""

import re
import secrets
from dataclasses import dataclass
from datetime import datetime, timedelta

from axes.utils import reset
from django.contrib.auth.hashers import make_password
from django.contrib.auth.password_validation import validate_password
from django.core.exceptions import ValidationError

from desk.kit.refused import FieldRefused
from desk.kit.text import plain
from desk.kit.writing import writing
from desk.log.actions import write
from desk.log.models import Kind
from desk.people.first import nobody_is_known
from desk.people.models import Person, Role
from desk.people.rights import refuse

INITIALS = re.compile(r"[^\W\d_](\.?[^\W\d_]){0,3}\.?\Z")
ALPHABET = "23456789abcdefghjkmnpqrstuvwxyz"  # nothing that is read as something else
ONE_TIME_LENGTH = 8
ONE_TIME_FOR = timedelta(hours=24)


class Refused(FieldRefused):
    """Why a person cannot be kept so: `field` is where to show it."""


@dataclass(frozen=True)
class Given:
    """A person and the one-time PIN that was made for them; it is shown once and kept nowhere."""

    person: Person
    pin: str


def _initials(text: str) -> tuple[str, str]:
    """Initials as they sign (J.D.) and as they sign in (jd). Raises: Refused."""
    given = plain(text)
    if not INITIALS.match(given) or not given.replace(".", "").isalpha():
        shown = "are empty" if not given else f"are “{given[:12]}”"
        raise Refused("initials", f"Initials {shown}; give one to four letters, such as J.D.")
    letters = given.replace(".", "").upper()
    return ".".join(letters) + ".", letters.lower()


def _role(text: str) -> str:
    if text not in Role.values:
        raise Refused("role", f"Role is “{plain(text)[:20]}”; choose one of the list.")
    return text


def check_new_pin(pin: str, again: str, person: Person | None = None) -> None:
    """A PIN of one's own: long enough, not a common one, typed twice alike. Raises: Refused."""
    try:
        validate_password(pin, person)
    except ValidationError as faults:
        raise Refused("new_pin", "PIN: " + " ".join(faults.messages).replace("password", "PIN")) from None
    if person is not None and person.username and person.username in pin.lower() and len(pin) < 10:
        raise Refused("new_pin", "PIN holds the initials; choose another.")
    if pin != again:
        raise Refused("again", "The two PINs are not alike; type the same twice.")


def one_time_pin() -> str:
    return "".join(secrets.choice(ALPHABET) for _ in range(ONE_TIME_LENGTH))


def add_first(*, initials: str, pin: str, again: str, now: datetime) -> Person:
    """The first administrator of an empty desk, with a PIN of their own. Raises: Refused, also where somebody is known
    already."""
    shown, username = _initials(initials)
    check_new_pin(pin, again, Person(username=username))
    hashed = make_password(pin)
    with writing():
        if not nobody_is_known():
            raise Refused("initials", "Somebody is known already; the administrator adds people.")
        person = Person.objects.create(username=username, initials=shown, role=Role.ADMIN, password=hashed, pin_set_at=now)
        write(kind=Kind.SETUP, subject=f"people.{username}", by=person, now=now, says=f"First administrator {shown} added")
    return person


def add(*, initials: str, role: str, post: str, works: str, by: Person | None, now: datetime, pin: str = "") -> Given:
    """Add a person; without `pin` (typed at the console by its owner) a one-time PIN is made. Raises: Refused."""
    if by is not None:
        refuse(by, "people")
    shown, username = _initials(initials)
    role = _role(role)
    if pin:
        check_new_pin(pin, pin, Person(username=username))
    given = pin or one_time_pin()
    hashed = make_password(given)
    with writing():
        earlier = Person.objects.filter(username=username).first()
        if earlier is not None:
            stands = "is here" if earlier.is_active else "has left"
            raise Refused("initials", f"{earlier.signed} {stands} already; other initials, such as a third letter, are needed.")
        person = Person.objects.create(
            username=username,
            initials=shown,
            role=role,
            post=plain(post)[:40],
            works=plain(works)[:120],
            password=hashed,
            own_pin=bool(pin),
            pin_set_at=now,
        )
        write(kind=Kind.SETUP, subject=f"people.{username}", by=by, now=now, says=f"{person.signed} added")
    return Given(person, "" if pin else given)


def change_role(*, person: Person, role: str, post: str, by: Person, now: datetime) -> None:
    """Give a person another role or post. The last administrator stays one. Raises: Refused."""
    refuse(by, "people")
    role = _role(role)
    with writing():
        person = Person.objects.get(pk=person.pk)
        _not_the_last(person, stays=role == Role.ADMIN)
        before = person.signed
        person.role, person.post = role, plain(post)[:40]
        person.save(update_fields=["role", "post"])
        says = (
            f"{before} is {person.signed} now" if before != person.signed else f"{person.signed}: post {person.post or 'none'}"
        )
        write(kind=Kind.SETUP, subject=f"people.{person.username}", by=by, now=now, says=says)


def _not_the_last(person: Person, *, stays: bool) -> None:
    others = Person.objects.filter(role=Role.ADMIN, is_active=True).exclude(pk=person.pk)
    if person.role == Role.ADMIN and not stays and not others.exists():
        raise Refused("role", "This is the last administrator; add another first.")


def new_pin(*, person: Person, by: Person, now: datetime) -> Given:
    """A one-time PIN for a person who is locked out or has forgotten theirs; their tries are counted from none again."""
    refuse(by, "people")
    made = one_time_pin()
    hashed = make_password(made)
    with writing():
        person = Person.objects.get(pk=person.pk)
        if not person.is_active:
            raise Refused("person", f"{person.signed} has left.")
        person.password, person.own_pin, person.pin_set_at = hashed, False, now
        person.save(update_fields=["password", "own_pin", "pin_set_at"])
        write(
            kind=Kind.SETUP, subject=f"people.{person.username}", by=by, now=now, says=f"New one-time PIN for {person.signed}"
        )
    reset(username=person.username)
    return Given(person, made)


def set_own_pin(*, person: Person, pin: str, again: str, now: datetime) -> None:
    """A person chooses a PIN that nobody else knows. Raises: Refused."""
    if person.check_password(pin):  # first: by chance it may be a common one as well, and this says more
        raise Refused("new_pin", "This is the PIN you were given; choose another, that nobody else knows.")
    check_new_pin(pin, again, person)
    hashed = make_password(pin)
    with writing():
        person.password, person.own_pin, person.pin_set_at = hashed, True, now
        person.save(update_fields=["password", "own_pin", "pin_set_at"])
        write(kind=Kind.SETUP, subject=f"people.{person.username}", by=person, now=now, says=f"{person.signed} set an own PIN")


def one_time_over(person: Person, now: datetime) -> bool:
    """Whether a one-time PIN is too old to be used."""
    return not person.own_pin and person.pin_set_at is not None and now - person.pin_set_at > ONE_TIME_FOR


def leave(*, person: Person, by: Person, now: datetime, back: bool = False) -> None:
    """A person leaves (what they signed stays), or comes back. Raises: Refused."""
    refuse(by, "people")
    with writing():
        person = Person.objects.get(pk=person.pk)
        if person.pk == by.pk:
            raise Refused("person", "Nobody takes themselves out; another administrator does.")
        if person.is_active == back:
            raise Refused("person", f"{person.signed} {'is here' if back else 'has left'} already.")
        _not_the_last(person, stays=back)
        person.is_active, person.left_at = back, None if back else now
        person.save(update_fields=["is_active", "left_at"])
        says = f"{person.signed} {'is back' if back else 'left'}"
        write(kind=Kind.SETUP, subject=f"people.{person.username}", by=by, now=now, says=says)
