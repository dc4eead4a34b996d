"""Accounts of the line: what came, what went, what it cost."""
