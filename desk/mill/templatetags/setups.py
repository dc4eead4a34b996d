"""What the page of a mill without a set-up needs to know."""

from django import template

from desk.mill.models import Proposal

register = template.Library()


@register.simple_tag
def proposals_waiting() -> list[Proposal]:
    """Changes of the set-up that wait for their countersignature."""
    return list(Proposal.objects.filter(decided_at=None).select_related("by").defer("document"))
