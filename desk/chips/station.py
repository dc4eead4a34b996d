"""Chips as a station."""

from desk.chips.views import BENCHES
from desk.kit.station import Station

STATION = Station(key="chips", home="chips:belt", urls="desk.chips.urls", benches=BENCHES, bench="chips:bench")
