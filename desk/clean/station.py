"""Clean as a station."""

from desk.clean.views import BENCHES
from desk.kit.station import MoveGroup, Station

STATION = Station(
    key="clean",
    home="clean:cascade",
    urls="desk.clean.urls",
    benches=BENCHES,
    bench="clean:bench",
    moves=(MoveGroup("clean", "Screens and cleaners", ("clean",), "clean"),),
)
