"""Bleaching: sequences, stages, charges, towers, chemicals in store."""
