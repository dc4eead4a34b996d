"""Wash: the washers of a line, the oxygen stage, the mat as it is seen."""
