"""Stock as a station."""

from desk.kit.station import MoveGroup, Station
from desk.stock.benches import BENCHES

STATION = Station(
    key="stock",
    home="stock:meter",
    urls="desk.stock.urls",
    benches=BENCHES,
    bench="stock:bench",
    moves=(MoveGroup("stock", "Stock", ("stock",), "stock"),),
)
