"""Deliver as a station."""

from desk.kit.station import MoveGroup, Station

STATION = Station(
    key="deliver",
    home="deliver:newest",
    urls="desk.deliver.urls",
    moves=(MoveGroup("deliver", "Deliver", ("deliver",), "deliver"),),
)
