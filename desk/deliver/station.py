"""Deliver as a station."""

from desk.kit.station import Station

STATION = Station(
    key="deliver",
    home="deliver:newest",
    urls="desk.deliver.urls",
)
