"""Imports every station, so that the register is whole. Import this before reading `core.register.models()`."""

import core.bleach.factor
import core.bleach.infer
import core.bleach.mechanical
import core.bleach.metals
import core.bleach.models
import core.bleach.plant
import core.bleach.shade
import core.bleach.store
import core.chips.bagasse
import core.chips.reconcile
import core.chips.wood
import core.clean.cascade
import core.clean.cleaner
import core.clean.fit
import core.clean.screen
import core.cook.belt
import core.cook.blow
import core.cook.blowing
import core.cook.continuous
import core.cook.design
import core.cook.house
import core.cook.knots
import core.cook.liquor
import core.cook.models
import core.cook.running
import core.cook.sulphite
import core.cook.thickness
import core.cook.trust
import core.cook.vessel
import core.deliver.draw
import core.deliver.release
import core.deliver.runcard
import core.judge.next_cook
import core.lab.consistency
import core.lab.fibre
import core.line.heat
import core.mechanical.refine
import core.practice.table
import core.recovered.again
import core.recovered.claim
import core.recovered.flotation
import core.recovered.ink
import core.recovered.light
import core.recovered.line
import core.recovered.peroxide
import core.recovered.pulper
import core.recovered.thicken
import core.recovered.water
import core.recovered.yard
import core.refine.freeness
import core.stock.basis_weight
import core.stock.cover
import core.stock.density
import core.stock.dilution
import core.stock.flow
import core.stock.loop
import core.stock.mixing
import core.wash.air
import core.wash.closure
import core.wash.line
import core.wash.oxygen
import core.wash.scale
import core.wash.soda  # noqa: F401
from core.register import Model, find, models

__all__ = ["Model", "find", "models"]
