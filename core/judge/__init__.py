"""Bands, judgements, moves and what is due."""
