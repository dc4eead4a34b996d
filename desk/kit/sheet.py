"""Cells for spreadsheets: text that a program would run as a formula is shown as text."""

STARTS = ("=", "+", "-", "@", "\t", "\r")


def safe(cell):
    """The cell as it may be written: a leading apostrophe before text that looks like a formula; numbers stay numbers."""
    if not isinstance(cell, str) or not cell.startswith(STARTS):
        return cell
    try:
        float(cell)
    except ValueError:
        return "'" + cell
    return cell
