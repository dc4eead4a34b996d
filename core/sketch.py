"""A drawing made by hand on a tablet: strokes of points on a sheet, as they are kept and drawn again.

The sheet is 800 by 500 units, whatever the screen; a stroke is a line through its points.
"""

import json
from typing import Final

from core.errors import ImpossibleInput, Problem

WIDTH: Final = 800
HEIGHT: Final = 500
MOST_STROKES: Final = 200
MOST_POINTS: Final = 6000

Stroke = tuple[tuple[int, int], ...]


def _point(told: object) -> tuple[int, int] | None:
    """A point of the sheet in whole units, or None for what is none."""
    if not isinstance(told, list) or len(told) != 2:
        return None
    x, y = told
    whole = all(isinstance(v, int) and not isinstance(v, bool) for v in (x, y))
    return (x, y) if whole and 0 <= x <= WIDTH and 0 <= y <= HEIGHT else None


def strokes(text: str) -> tuple[Stroke, ...]:
    """The strokes of a drawing from its JSON: a list of strokes, each a list of [x, y] in whole units of the sheet.

    An empty text is an empty drawing; strokes without a point are left out. Raises: ImpossibleInput naming the drawing, for
    what is no drawing, leaves the sheet, or has more than 200 strokes or 6 000 points.
    """
    if not text.strip():
        return ()
    try:
        told = json.loads(text)
    except (ValueError, RecursionError):
        told = None
    if not isinstance(told, list) or not all(isinstance(s, list) for s in told):
        raise ImpossibleInput(Problem("Drawing", "is no drawing; draw it again"))
    if len(told) > MOST_STROKES or sum(map(len, told)) > MOST_POINTS:
        allowed = f"it must be at most {MOST_STROKES} strokes and {MOST_POINTS} points"
        raise ImpossibleInput(Problem("Drawing", f"is {len(told)} strokes of {sum(map(len, told))} points; {allowed}"))
    made = []
    for stroke in told:
        points = [_point(p) for p in stroke]
        if any(p is None for p in points):
            raise ImpossibleInput(Problem("Drawing", f"leaves its sheet of {WIDTH} by {HEIGHT}; draw it again"))
        if points:
            made.append(tuple(p for p in points if p is not None))
    return tuple(made)


def path(stroke: Stroke) -> str:
    """A stroke as the d of an SVG path; a single point becomes a dot."""
    (x, y), *rest = stroke
    return f"M{x} {y}" + ("".join(f"L{a} {b}" for a, b in rest) if rest else "h0")
