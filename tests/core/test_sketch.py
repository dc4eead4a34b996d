"""Drawings by hand: what is a drawing, what is not, and how it is drawn again."""

import json

from django.test import SimpleTestCase, tag

from core.errors import ImpossibleInput
from core.sketch import HEIGHT, MOST_POINTS, MOST_STROKES, WIDTH, path, strokes


@tag("core")
class Sketch(SimpleTestCase):
    def test_it_comes_back_as_it_was_drawn(self):
        told = [[[0, 0], [WIDTH, HEIGHT]], [], [[5, 6]]]
        self.assertEqual(strokes(json.dumps(told)), (((0, 0), (WIDTH, HEIGHT)), ((5, 6),)))
        self.assertEqual(strokes("  "), ())
        self.assertEqual(path(((0, 0), (3, 4), (5, 6))), "M0 0L3 4L5 6")
        self.assertEqual(path(((5, 6),)), "M5 6h0")

    def test_what_is_no_drawing_is_refused(self):
        wrong = ['{"a": 1}', "[1]", "[[1]]", "[[[1]]]", '[[["1", 2]]]', "[[[1.5, 2]]]", "[[[true, 2]]]", "[[[-1, 2]]]"]
        wrong += [f"[[[{WIDTH + 1}, 2]]]", f"[[[2, {HEIGHT + 1}]]]", "[" * 100_000, "[[[1, 2]]", "[[[NaN, 1]]]"]
        wrong += [json.dumps([[[1, 1]]] * (MOST_STROKES + 1)), json.dumps([[[1, 1]] * (MOST_POINTS + 1)])]
        for text in wrong:
            with self.subTest(text[:40]), self.assertRaises(ImpossibleInput) as refused:
                strokes(text)
            self.assertEqual(refused.exception.problems[0].field, "Drawing")
