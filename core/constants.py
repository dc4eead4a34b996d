"""Exact conversions that equations and the units table share."""

from typing import Final

SHORT_TON_KG: Final = 907.18474
US_GALLON_L: Final = 3.785411784
HORSEPOWER_KW: Final = 0.745699872
AIR_DRY_FRACTION: Final = 0.9  # 1 ADt holds 0.9 oven-dry t
MIN_PER_H: Final = 60.0
H_PER_DAY: Final = 24.0
