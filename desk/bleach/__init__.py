"""Bleach: sequences, their picture, charges and schools, the chemical tanks."""
