"""The science of Fox Vat: pure Python with NumPy and SciPy, no web, no database, no clock.

Units inside: t/h oven-dry, L/min, m3/h, degC, % by mass, kg/ADt, kWh/t. A field's name carries its unit.
"""

__version__ = "0.1.0"
