"""Delivery: the machine's draw, the run card, release of a lot and its number."""
