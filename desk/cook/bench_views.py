"""The single-question benches of Cook."""

from desk.cases.benches import bench_view
from desk.cook.benches import BENCHES, GROUPS
from desk.cook.views import station

bench = bench_view("cook", BENCHES, lambda request, state: station(request, state, groups=GROUPS, benches=BENCHES.values()))
