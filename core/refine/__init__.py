"""Refining: freeness and its scales."""
