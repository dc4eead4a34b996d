"""The single-question benches of Cook."""

from django.http import Http404
from django.urls import reverse
from django.views.decorators.http import require_safe

from desk.cases.benches import bench_page
from desk.cook.benches import BENCHES, GROUPS
from desk.cook.views import station
from desk.mill.context import state_of


@require_safe
def bench(request, key: str):
    state = state_of(request)
    if key not in BENCHES or state is None:
        raise Http404
    context = station(request, state, groups=GROUPS, benches=BENCHES.values())
    return bench_page(
        request,
        BENCHES[key],
        address=lambda k: reverse("cook:bench", args=[k]),
        benches=BENCHES.values(),
        pictures={},
        context=context,
        seg="cook/seg.html",
    )
