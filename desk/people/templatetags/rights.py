"""The table of rights on a page."""

from django import template

from desk.people.models import Role
from desk.people.table import ROLES, TABLE

register = template.Library()


@register.inclusion_tag("parts/rights.html")
def rights_table():
    return {"table": TABLE, "heads": [Role(role).label for role in ROLES]}
