"""The whole practice table: importing this loads every station's rows."""

import core.practice.bleach
import core.practice.blend
import core.practice.clean
import core.practice.cook
import core.practice.deliver
import core.practice.mechanical
import core.practice.recovered
import core.practice.refine
import core.practice.stock
import core.practice.wash  # noqa: F401
from core.practice.row import ROWS, Practice, Proposal

__all__ = ["ROWS", "Practice", "Proposal"]
