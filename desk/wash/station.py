"""Wash as a station."""

from desk.kit.station import MoveGroup, Station
from desk.wash.views import BENCHES

STATION = Station(
    key="wash",
    home="wash:line",
    urls="desk.wash.urls",
    benches=BENCHES,
    bench="wash:bench",
    moves=(MoveGroup("wash", "Wash and oxygen", ("wash", "oxygen"), "wash"),),
)
