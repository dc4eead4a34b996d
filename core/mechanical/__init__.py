"""Thermomechanical pulp: energy to freeness, and the refiner's heat balance."""
