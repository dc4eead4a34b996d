"""Every registered model of pulp's way from chip to tower, on random inputs of its valid range: finite figures, no jumps.

A run draws 6 cases a model; VAT_LAWS=2000 draws as many as it says.
"""

import math
import os
import random
from dataclasses import MISSING, fields, replace
from typing import Any

from django.test import SimpleTestCase, tag

import core.catalogue  # noqa: F401
from core.calc import read_case
from core.errors import ImpossibleInput, Infeasible
from core.quantity import quantities, row_fields
from core.register import Model, models

STATIONS = ("chips", "cook", "wash", "oxygen", "bleach", "mechanical")
DRAWS = int(os.environ.get("VAT_LAWS", "6"))
NUDGE = 1e-3
MOST_JUMP = {"kappa": 0.2, "iso": 0.3}  # of a figure whose name begins so, for a nudge of any one input
STEP_SHARE = 0.3  # a tenth of the nudge that leaves more than this of the change is a step; less is a steep slope


def drawn(model: Model, chance: random.Random) -> Any:
    """A case with every number inside its valid range; what has no upper end or is a row is as the first check has it."""
    given = dict(model.checks[0].given) if model.checks else {}
    for f in fields(model.case_class):
        said = quantities(model.case_class).get(f.name)
        if said is None:
            continue
        low, high = said.valid
        if said.options:
            given[f.name] = chance.choice(said.options)
        elif math.isfinite(low) and math.isfinite(high):
            value = low + (high - low) * chance.uniform(0.001, 0.999)
            given[f.name] = round(value) if said.whole else value
        elif f.name not in given and f.default is MISSING:
            given[f.name] = max(low, 0.0) + chance.uniform(1, 50)
    return read_case(model, given) if row_fields(model.case_class) else model.case_class(**given)


def answer(model: Model, case: Any) -> dict[str, float] | None:
    """The figures of the case, or None where the model refuses it or has no answer."""
    try:
        result = model.function(case)
    except ImpossibleInput:
        return None
    if isinstance(result, Infeasible):
        return None
    figures = {name: getattr(result, name) for name in quantities(model.result_class)}
    return {n: float(v) for n, v in figures.items() if isinstance(v, int | float) and not (math.isnan(v) and result.cautions)}


def movable(model: Model, case: Any) -> list[str]:
    """The numbers of the case that may be a thousandth larger and still valid."""
    return [
        name
        for name, said in quantities(model.case_class).items()
        if not said.options and not said.whole and said.valid[0] <= getattr(case, name) * (1 + NUDGE) <= said.valid[1]
    ]


def change(model: Model, case: Any, name: str, share: float) -> dict[str, float]:
    """By how much each figure moves when that number of the case is larger by that share of it."""
    before, after = answer(model, case), answer(model, replace(case, **{name: getattr(case, name) * (1 + share)}))
    return {n: abs(after[n] - before[n]) for n in before if n in after} if before and after else {}


@tag("core")
class RandomInputs(SimpleTestCase):
    def test_every_valid_input_gives_finite_figures_or_a_named_refusal_and_none_makes_a_jump(self):
        answered = 0
        for model in models():
            if model.station not in STATIONS or (row_fields(model.case_class) and not model.checks):
                continue
            jumps = {n: most for n in quantities(model.result_class) for b, most in MOST_JUMP.items() if n.startswith(b)}
            chance = random.Random(model.name)
            with self.subTest(model=model.name):
                for _ in range(DRAWS):
                    case = drawn(model, chance)
                    figures = answer(model, case)
                    if figures is None:
                        continue
                    answered += 1
                    self.assertTrue(all(math.isfinite(v) for v in figures.values()), (case, figures))
                    names = movable(model, case) if jumps else []
                    if not names:
                        continue
                    name = chance.choice(names)
                    for key, moved in change(model, case, name, NUDGE).items():
                        if moved > jumps.get(key, math.inf):
                            self.assertLess(change(model, case, name, NUDGE / 10)[key], STEP_SHARE * moved, (name, key, case))
        self.assertGreater(answered, 50 * DRAWS)
