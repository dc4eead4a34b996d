"""Two hands: an act that a shift lead and an engineer sign together, each with their own PIN."""

from dataclasses import dataclass

from desk.kit.refused import FieldRefused
from desk.people.models import Person
from desk.people.pins import PinRefused, check_pin

LEAD, ENGINEER = "lead", "engineer"
OTHER = {LEAD: ENGINEER, ENGINEER: LEAD}


@dataclass(frozen=True)
class Hands:
    """What was typed: the first PIN, who signs second, and that person's PIN."""

    pin: str
    second: str
    second_pin: str


def seconds(person) -> list[Person]:
    """Who may sign second beside a person: engineers beside a lead, leads beside an engineer."""
    role = OTHER.get(person.role)
    return list(Person.objects.filter(role=role, is_active=True).order_by("username")) if role else []


def sign(hands: Hands, by, refused: type[FieldRefused]) -> Person:
    """Both PINs, the first before the second; nobody signs twice. Returns who signed second. Raises: what is given."""
    second = next((p for p in seconds(by) if p.username == hands.second), None)
    if second is None or second.pk == by.pk:
        other = OTHER.get(by.role, "lead or engineer")
        raise refused(
            "second", f"Second is empty; a {'process engineer' if other == ENGINEER else 'shift lead'} signs with you."
        )
    for person, pin, field in ((by, hands.pin, "pin"), (second, hands.second_pin, "second_pin")):
        try:
            check_pin(person, pin)
        except PinRefused as refusal:
            raise refused(field, str(refusal)) from None
    return second
