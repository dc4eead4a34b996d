"""Cook as a station."""

from desk.cook.benches import BENCHES
from desk.kit.station import MoveGroup, Station

STATION = Station(
    key="cook",
    home="cook:design",
    urls="desk.cook.urls",
    benches=BENCHES,
    bench="cook:bench",
    moves=(
        MoveGroup("cook", "Chips and Cook", ("chips", "cook"), "cook"),
        MoveGroup("mechanical", "Mechanical", ("mechanical",), "cook"),
    ),
    lanes="desk.cook.lanes",
)
