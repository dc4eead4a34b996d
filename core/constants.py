"""Exact conversions that equations and the units table share."""

from typing import Final

SHORT_TON_KG: Final = 907.18474
US_GALLON_L: Final = 3.785411784
HORSEPOWER_KW: Final = 0.745699872
AIR_DRY_FRACTION: Final = 0.9  # 1 ADt holds 0.9 oven-dry t
MIN_PER_H: Final = 60.0
H_PER_DAY: Final = 24.0
SODIUM_IN_NAOH: Final = 22.98977 / 39.99711  # kg Na a kg NaOH
SALTCAKE_A_SODIUM: Final = 142.042 / 45.980  # kg Na2SO4 a kg Na
CHLORIDE_IN_DIOXIDE: Final = 35.453 / 67.452  # kg Cl a kg ClO2
