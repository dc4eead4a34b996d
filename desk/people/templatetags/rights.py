"""The table of rights on a page."""

from django import template

from desk.people.models import Role
from desk.people.table import ROLES, TABLE

register = template.Library()


@register.inclusion_tag("parts/rights.html")
def rights_table(*, few: bool = False):
    """The table of every role, or of the four that make a shift."""
    return {"few": few, "table": TABLE, "heads": [Role(role).label for role in ROLES]}


@register.filter
def may(person, act: str) -> bool:
    """Whether this person may do an act of the table of rights."""
    return person.may(act)
