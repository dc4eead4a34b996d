"""Instruments: what a real or simulated one delivers, and which readings are believed."""
