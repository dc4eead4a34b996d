"""The kinds of unit that act, by their name in a mill document. A new station's kinds are one line each here."""

from collections.abc import Mapping
from typing import Final

from core.bleach.unit import BleachPlan
from core.clean.unit import CascadePlan
from core.cook.acid import SulphitePlan
from core.cook.unit import CookPlan
from core.mechanical.unit import RefinePlan
from core.recovered.unit import RecoveredPlan
from core.refine.unit import RefinerPlan
from core.wash.unit import OxygenPlan, WashPlan

KINDS: Final[Mapping[str, type]] = {
    "cook": CookPlan,
    "sulphite": SulphitePlan,
    "refine": RefinePlan,
    "washers": WashPlan,
    "oxygen": OxygenPlan,
    "bleach": BleachPlan,
    "cascade": CascadePlan,
    "recovered": RecoveredPlan,
    "refiner": RefinerPlan,
}
