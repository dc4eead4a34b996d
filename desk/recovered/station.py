"""Recovered as a station."""

from desk.kit.station import MoveGroup, Station
from desk.recovered.views import BENCHES

STATION = Station(
    key="recovered",
    home="recovered:line",
    urls="desk.recovered.urls",
    benches=BENCHES,
    bench="recovered:bench",
    moves=(MoveGroup("recovered", "Recovered", ("recovered",), "recovered"),),
    lanes="desk.recovered.lanes",
)
