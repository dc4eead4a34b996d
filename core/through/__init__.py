"""The line through time: the same units, stepped."""
