"""What models and moves say: cautions that name a field of their case, refusals with a nearest answer, words without numbers
gone wrong, limits that hold what they bound."""

import math
import random
import re
from dataclasses import fields

from django.test import SimpleTestCase, tag

import core.catalogue  # noqa: F401
from core.calc import leaf_defaults, read_case
from core.clean.cascade import CascadeFound
from core.errors import ImpossibleInput, Infeasible
from core.practice.row import ROWS
from core.quantity import labels_alone, quantities, row_fields
from core.refine.response import FreenessFound
from core.register import find, models
from tests.core.test_directions import Moves
from tests.core.test_random_inputs import drawn
from tests.profile import examples

DRAWS = examples(12)
FEW = {"schedule.digesters": 2, "blend.recipe": 4, "blend.relief": 4, "refine.fit": 4, "chips.belt": 4}  # searches
WRONG = re.compile(r"\bnan\b|\binf\b|\bNone\b|\{|\}|  |\d\.\d{8}")
STANDS_ALONE = re.compile(r"^(pH\b|[a-z]$|[^a-z]|[a-z]+[^a-z\s])")  # pH, n, k/s, a*, or a capital
UNITS = re.compile(r"^[^\s].*[^\s]$|^.?$")


def plain(field: str) -> str:
    """The name of a figure without the row that it is of: washers.2.e10 is e10."""
    return field.split(".")[-1].split("[")[0]


@tag("core")
class Words(SimpleTestCase):
    def cases(self, model):
        """The cases of the checks, then random ones of the valid range, and some at the ends of what is possible."""
        chance = random.Random(model.name)
        for check in model.checks[:3]:
            yield read_case(model, dict(check.given))
        for _ in range(FEW.get(model.name, DRAWS)):
            yield drawn(model, chance)

    def places(self, model) -> set[str]:
        """Every name that a caution of the model may stand beside: its figures, its rows and the figures of a row."""
        names = set(quantities(model.case_class)) | set(row_fields(model.case_class)) | set(quantities(model.result_class))
        return names | {f.name for group in row_fields(model.case_class).values() for f in fields(group.of)}

    def test_cautions_stand_beside_a_field_and_read_well(self):
        heard = 0
        for model in models():
            places = self.places(model)
            for case in self.cases(model):
                try:
                    result = model.function(case)
                except ImpossibleInput as refusal:
                    for problem in refusal.problems:
                        with self.subTest(model=model.name, problem=problem):
                            self.assertTrue(problem.text)
                            self.assertIn(plain(problem.field), places)
                            self.assertNotRegex(problem.text, WRONG)
                    continue
                if isinstance(result, Infeasible):
                    with self.subTest(model=model.name, reason=result.reason):
                        self.assertIn(plain(result.field), places)
                        self.assertTrue(result.reason)
                        self.assertNotRegex(result.reason, WRONG)
                        self.assertTrue(result.nearest is None or isinstance(result.nearest, int | float))
                    continue
                for caution in getattr(result, "cautions", ()):
                    heard += 1
                    with self.subTest(model=model.name, caution=caution):
                        self.assertTrue(caution.text.strip())
                        self.assertNotRegex(caution.text, WRONG)
                        self.assertIn(plain(caution.field), places)
        self.assertGreater(heard, 200)

    def test_what_is_declared_reads_well_and_defaults_are_possible(self):
        for model in models():
            counts = {name: max(1, group.least) for name, group in row_fields(model.case_class).items()}
            usual = leaf_defaults(model.case_class, counts)
            for cls in (model.case_class, model.result_class):
                labels = [said.label for said in quantities(cls).values()]
                with self.subTest(model=model.name, cls=cls.__name__):
                    self.assertTrue(all(label.strip() == label and label for label in labels))
            for name, said in quantities(model.case_class).items():
                with self.subTest(model=model.name, field=name):
                    low, high = said.possible
                    self.assertLess(low, high)
                    self.assertTrue(low <= said.valid[0] < said.valid[1] <= high)
                    self.assertRegex(said.unit, UNITS)
                    if name in usual:
                        self.assertIsNone(said.problem(usual[name]))
            with self.subTest(model=model.name):
                self.assertTrue(all((model.title, model.source, model.holds_for, model.equation)))
                self.assertTrue((model.function.__doc__ or "").strip())
                self.assertIn(model.basis, ("default", "exact", "published", ""))
                for name in model.calibrated_by:
                    known = set(quantities(model.case_class)) | {
                        f for g in row_fields(model.case_class).values() for f in quantities(g.of)
                    }
                    self.assertIn(name, known)


@tag("core")
class Alone(SimpleTestCase):
    def test_a_label_that_goes_on_is_led_by_the_one_above(self):
        told = labels_alone(CascadeFound)
        self.assertEqual([told["on_t_h"], told["on_pct"], told["lost_kg_h"]], ["Goes on", "Goes on, at", "Leaves the line"])
        self.assertEqual(labels_alone(FreenessFound)["falls_ml"], "Freeness out, falls by")
        self.assertEqual(labels_alone(FreenessFound)["factor"], "pH and temperature")

    def test_no_figure_of_any_model_stands_alone_in_small_letters(self):
        """But for symbols: a table shows figures row by row, away from those they go on from."""
        for model in models():
            for field, label in labels_alone(model.result_class).items():
                with self.subTest(model=model.name, field=field):
                    self.assertRegex(label, STANDS_ALONE)


class Proposals(SimpleTestCase):
    """Every row of the practice table, at its model's own check and near it."""

    def test_a_lever_ends_within_what_a_person_may_alter_it_to(self):
        for practice in ROWS.values():
            if not practice.model:
                continue
            for case in Moves().varied(practice.model):
                try:
                    result = find(practice.model).function(case)
                except ImpossibleInput:
                    continue
                if isinstance(result, Infeasible):
                    continue
                with self.subTest(row=practice.id, case=case):
                    self.assertTrue(result.why.strip())
                    self.assertNotRegex(result.why, WRONG)
                    self.assertLessEqual(result.low, result.high)
                    self.assertLessEqual(result.band_low, result.band_high)
                    if result.stands and math.isfinite(result.after):
                        room = 1e-6 * max(1.0, abs(result.after))
                        self.assertTrue(result.low - room <= result.after <= result.high + room, (result.low, result.high))
                    title = practice.says.format(before=f"{result.before:.1f}", after=f"{result.after:.1f}")
                    self.assertNotRegex(title, r"[{}]")

    def test_rows_say_what_to_check_first_when_to_look_again_and_what_to_mind(self):
        for practice in ROWS.values():
            with self.subTest(row=practice.id):
                self.assertTrue(practice.symptom and practice.check_first and practice.caution)
                self.assertTrue(all(words.strip() for words in practice.check_first))
                self.assertGreaterEqual(practice.retest_min, practice.dead_min)
                self.assertRegex(practice.id, r"^[A-Z][A-Z]?\d+[a-z]?$")
                if practice.model:
                    asked = find(practice.model)
                    names = set(quantities(asked.case_class)) | set(quantities(asked.result_class))
                    self.assertIn(practice.reads, {*names, ""})
                    self.assertLessEqual(set(practice.solved), names)
