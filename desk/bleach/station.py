"""Bleach as a station."""

from desk.bleach.views import BENCHES
from desk.kit.station import MoveGroup, Station

STATION = Station(
    key="bleach",
    home="bleach:sequence",
    urls="desk.bleach.urls",
    benches=BENCHES,
    bench="bleach:bench",
    moves=(MoveGroup("bleach", "Bleach", ("bleach",), "bleach"),),
    lanes="desk.bleach.lanes",
)
