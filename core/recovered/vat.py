"""A pulper vat as the mill has it: what it holds, its rotor, and the dump chest behind it."""

from dataclasses import dataclass

from core.document import flag, identity, named, same, text
from core.errors import ImpossibleInput, Problem
from core.quantity import choice, quantity
from core.recovered.pulper import FURNISH, DefiberCase, LoadedCase, NextCase


@dataclass(frozen=True, slots=True, kw_only=True)
class Vat:
    """A vat that bales of one source are slushed in. `unit`: the unit whose bale mix its batches make, where there is one.

    `second`: whether a second person reads every label of what is added, and says so by a PIN.
    """

    key: str = identity()
    name: str = named()
    source: str = identity("Source", names="sources")
    unit: str = text("Unit whose bale mix it loads", default="", names="units")
    furnish: str = choice("Furnish", tuple(FURNISH), default="office and white grades")
    vat_m3: float = same(LoadedCase, "vat_m3")
    cons_pct: float = same(LoadedCase, "cons_pct")
    white_pct: float = same(LoadedCase, "white_pct", default=0.25)
    heel_m3: float = same(LoadedCase, "heel_m3", default=0.0)
    temp_c: float = same(LoadedCase, "temp_c", default=45.0)
    net_kw: float = same(DefiberCase, "net_kw")
    bales: float = quantity("Bales of a batch", "", possible=(1, 100), whole=True, decimals=0, default=7)
    chest_m3: float = same(NextCase, "chest_m3")
    chest_pct: float = same(NextCase, "chest_pct", default=4.5)
    low_pct: float = same(NextCase, "low_pct", default=20.0)
    high_pct: float = same(NextCase, "high_pct", default=90.0)
    soak_min: float = quantity("Soak before the rotor", "min", possible=(0, 600), valid=(0, 60), decimals=0, default=0.0)
    minutes: float = same(NextCase, "minutes", default=40.0)
    second: bool = flag("A second person reads every label", default=True)

    def tried(self) -> None:
        """Raises: ImpossibleInput for limits of the chest in the wrong order, or a heel over the vat."""
        if self.low_pct >= self.high_pct:
            raise ImpossibleInput(Problem("low_pct", f"is {self.low_pct:g}; it must be under high_pct, {self.high_pct:g}"))
        if self.heel_m3 > self.vat_m3:
            raise ImpossibleInput(Problem("heel_m3", f"is {self.heel_m3:g}; it must be at most vat_m3, {self.vat_m3:g}"))
