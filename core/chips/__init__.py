"""Chips and bagasse: what the belt, the pile and the laboratory say, as oven-dry wood."""
