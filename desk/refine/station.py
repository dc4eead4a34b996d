"""Refine as a station."""

from desk.kit.station import MoveGroup, Station
from desk.refine.views import BENCHES

STATION = Station(
    key="refine",
    home="refine:refiners",
    urls="desk.refine.urls",
    benches=BENCHES,
    bench="refine:bench",
    moves=(MoveGroup("refine", "Refine", ("refine",), "refine"),),
)
