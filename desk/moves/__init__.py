"""Moves: the practice table of this mill, what stands, and what became of what was taken."""
