"""Figures against the equations that stand beside them on the screen, written out again by hand, on random valid cases."""

import math
import random
from collections.abc import Callable, Mapping
from typing import Any

import core.catalogue  # noqa: F401
from core.errors import ImpossibleInput, Infeasible
from core.register import find
from tests.core.test_random_inputs import drawn

DRAWS, TRIES = 8, 60
WITHIN = 1e-5  # the digits that are printed

Printed = Mapping[str, Mapping[str, Callable[[Any, Any], float]]]


def clip(value: float, low: float, high: float) -> float:
    return min(max(value, low), high)


def water_a_tonne(cons_pct: float) -> float:
    """Tonnes of water with a tonne of fibre at a consistency."""
    return (100 - cons_pct) / cons_pct


def k_over_s(iso_pct: float) -> float:
    r = iso_pct / 100
    return (1 - r) ** 2 / (2 * r)


def iso_of(ks: float) -> float:
    return 100 * (1 + ks - math.sqrt(ks**2 + 2 * ks))


class AsPrinted:
    """Mixed into a test case: `printed` gives, by model and figure, the equation over the case and the result."""

    printed: Printed = {}

    def test_every_figure_is_what_its_equation_says(self):
        for name, figures in self.printed.items():
            model, chance, answered = find(name), random.Random(name), 0
            for _ in range(TRIES):
                case = drawn(model, chance)
                try:
                    result = model.function(case)
                except ImpossibleInput:
                    continue
                if isinstance(result, Infeasible):
                    continue
                answered += 1
                for figure, equation in figures.items():
                    found, wanted = getattr(result, figure), equation(case, result)
                    with self.subTest(model=name, figure=figure, case=case):
                        self.assertTrue(math.isclose(found, wanted, rel_tol=WITHIN, abs_tol=1e-9), f"{found!r}, not {wanted!r}")
                if answered == DRAWS:
                    break
            with self.subTest(model=name):
                self.assertGreaterEqual(answered, 1)
