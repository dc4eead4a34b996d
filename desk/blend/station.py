"""Blend as a station."""

from desk.blend.benches import BENCHES
from desk.kit.station import MoveGroup, Station

STATION = Station(
    key="blend",
    home="blend:furnish",
    urls="desk.blend.urls",
    benches=BENCHES,
    bench="blend:bench",
    moves=(MoveGroup("blend", "Blend", ("blend",), "blend"),),
)
