"""Stock as a station."""

from desk.kit.station import Station
from desk.stock.benches import BENCHES

STATION = Station(
    key="stock",
    home="stock:meter",
    urls="desk.stock.urls",
    benches=BENCHES,
    bench="stock:bench",
)
