"""Laws that every row of the practice table keeps on random cases: what does not stand moves nothing, a size can be taken as it
is proposed, what it says can be read aloud, and taken once it does not ask for as much again."""

import math
import random
import re
from collections.abc import Iterator
from dataclasses import replace
from typing import Any

from django.test import SimpleTestCase, tag

import core.catalogue  # noqa: F401
from core.calc import read_case
from core.errors import ImpossibleInput, Infeasible
from core.practice.row import ROWS, cut, feedback, within
from core.quantity import quantities
from core.register import Model, find
from tests.core.test_directions import MOVES
from tests.core.test_printed_more import BEFORE
from tests.core.test_random_inputs import drawn

DRAWS = 40  # of each model, half about its checks and half anywhere in its valid range
TINY = 1e-9
FEED_FORWARD = {  # they tell what carries the same, also for a change too small to be worth a move
    "bleach.kappa_move",
    "bleach.weak_move",
    "chips.wet_feed",
    "cook.rate_temperature",
    "cook.weak_liquor",
}
OWN_MEANING = {("cook.bagasse_kappa", "minutes")}  # minutes more, which is no setting
STOPS = {"mechanical.gap_alarm"}  # to nothing, and to nothing else
MODELS = sorted({p.model for p in ROWS.values()} - {""})


def about(model: Model, chance: random.Random) -> Any:
    """A check's case with its numbers moved by up to three tenths and any of its choices."""
    case = read_case(model, dict(chance.choice(model.checks).given))
    moved: dict[str, Any] = {}
    for name, said in quantities(model.case_class).items():
        if said.options:
            moved[name] = chance.choice(said.options)
        elif not said.whole:
            value = getattr(case, name) * chance.uniform(0.7, 1.3)
            if said.problem(value) is None:
                moved[name] = value
    return replace(case, **moved)


def asked(name: str) -> Iterator[tuple[Any, Any]]:
    """Cases of a row's model with what it proposes."""
    model, chance, answered = find(name), random.Random(name), 0
    for i in range(DRAWS):
        case = about(model, chance) if i % 2 else drawn(model, chance)
        try:
            result = model.function(case)
        except ImpossibleInput:
            continue
        if not isinstance(result, Infeasible):
            answered += 1
            yield case, result
    assert answered > DRAWS / 8, f"{name} answers too few"


@tag("core")
class EveryMove(SimpleTestCase):
    def test_each_begins_at_a_well_of_its_own(self):
        """Each model of the table is among those whose lever is known; what stands is asked of no other."""
        named = {p.model for p in ROWS.values() if p.model} - set(BEFORE)
        self.assertLess(len(named), len(BEFORE))
        for name, well in BEFORE.items():
            with self.subTest(model=name):
                self.assertIn(well, quantities(find(name).case_class))

    def test_what_does_not_stand_moves_nothing(self):
        quiet = 0
        for name in MODELS:
            model = find(name)
            wells = set(quantities(model.case_class)) & set(quantities(model.result_class)) - {"before", "after"}
            for case, found in asked(name):
                if found.stands or name in FEED_FORWARD:
                    continue
                quiet += 1
                with self.subTest(model=name, case=case):
                    self.assertAlmostEqual(found.after, found.before, delta=TINY * max(1.0, abs(found.before)))
                    for well in wells:
                        if (name, well) not in OWN_MEANING and isinstance(getattr(case, well), float):
                            self.assertAlmostEqual(getattr(found, well), getattr(case, well), places=9, msg=well)
        self.assertGreater(quiet, 5 * len(MODELS))

    def test_a_size_lies_within_what_a_person_may_set(self):
        standing = 0
        for name in MODELS:
            for case, found in asked(name):
                near = TINY * max(1.0, abs(found.high), abs(found.low))
                with self.subTest(model=name, case=case):
                    self.assertLessEqual(found.low, found.high + near)
                    self.assertLessEqual(found.band_low, found.band_high + TINY)
                    self.assertTrue(found.low - near <= found.after <= found.high + near, (found.low, found.after, found.high))
                    for figure in quantities(type(found)):
                        value = getattr(found, figure)
                        self.assertTrue(not isinstance(value, float) or math.isfinite(value), figure)
                standing += found.stands
        self.assertGreater(standing, 4 * len(MODELS))

    def test_what_it_says_can_be_read_aloud(self):
        for row in ROWS.values():
            said = row.says.format(before="1", after="2") if "{" in row.says else row.says
            with self.subTest(row=row.id):
                self.assertNotRegex(said, r"\s{2}|\.\.|[{}]")
                self.assertTrue(row.symptom and row.check_first and row.caution)
                self.assertGreaterEqual(row.retest_min, row.dead_min)
        for name in MODELS:
            wells = quantities(find(name).case_class)
            for case, found in asked(name):
                with self.subTest(model=name, case=case):
                    self.assertRegex(found.why, r"^(pH |[A-ZΔ0-9]).*[.?!]$")
                    self.assertNotRegex(found.why, r"\s{2}|\.\.|\b(nan|inf|True|False)\b|(?<=.)\bNone\b|\d{9}|\d\.\d{5}")
                    for caution in found.cautions:
                        self.assertIn(re.split(r"\.", caution.field)[0], wells)
                        self.assertNotRegex(caution.text, r"\s{2}|\bnan\b|\bNone\b")

    def test_taken_it_does_not_ask_for_as_much_again(self):
        """The lever where it was proposed, the reading where it was expected: another move is smaller, or none."""
        for name, reading, aim, inner, _ in MOVES:
            if name in FEED_FORWARD:
                continue
            model, chance, tried = find(name), random.Random(name), 0
            for _ in range(3 * DRAWS):
                case = about(model, chance)
                off = chance.choice((-3.0, -1.6, 1.6, 3.0)) * getattr(case, inner)
                try:
                    case = replace(case, **{reading: getattr(case, aim) + off})
                    found = model.function(case)
                    if isinstance(found, Infeasible) or not found.stands or found.bound_by:
                        continue
                    again = model.function(replace(case, **{reading: found.expected, BEFORE[name]: found.after}))
                except ImpossibleInput:
                    continue
                tried += 1
                with self.subTest(model=name, case=case):
                    self.assertLess(abs(again.after - again.before), 0.7 * abs(found.after - found.before) + TINY)
            self.assertGreater(tried, 1, name)


@tag("core")
class Sizes(SimpleTestCase):
    """The arithmetic that all moves share."""

    def test_seven_tenths_of_the_error_back_over_the_gain(self):
        for error, gain, most, size, bound in (
            (2.0, -1.0, 5.0, 1.4, False),
            (-2.0, -1.0, 5.0, -1.4, False),
            (2.0, 0.5, 5.0, -2.8, False),
            (20.0, -1.0, 5.0, 5.0, True),
            (-20.0, -1.0, 5.0, -5.0, True),
            (0.0, -1.0, 5.0, 0.0, False),
            (2.0, 0.0, 5.0, 0.0, True),
        ):
            found = feedback(error, gain, most)
            with self.subTest(error=error, gain=gain):
                self.assertAlmostEqual(found.size, size, places=12)
                self.assertEqual(bool(found.bound_by), bound)

    def test_a_cut_keeps_its_side_and_says_what_cut_it(self):
        for size in (-7.0, -3.0, 0.0, 2.9, 3.0, 11.0):
            found = cut(size, 3.0, "the pump")
            with self.subTest(size=size):
                self.assertLessEqual(abs(found.size), 3.0)
                self.assertGreaterEqual(found.size * size, 0.0)
                self.assertEqual(found.bound_by, "the pump" if abs(size) > 3.0 else "")
                self.assertEqual(found.size if abs(size) <= 3.0 else math.copysign(3.0, size), found.size)

    def test_the_ends_of_a_band_are_inside_it(self):
        for value, where in ((1.0, "in"), (2.0, "in"), (1.5, "in"), (0.999, "low"), (2.001, "high")):
            self.assertEqual(within(value, 1.0, 2.0), where)


@tag("core")
class FoundByTheLaws(SimpleTestCase):
    """Cases that the laws brought up, kept."""

    def test_a_charge_far_off_its_card_goes_towards_it_by_one_move(self):
        move = find("bleach.kappa_move")
        found = move.function(move.case_class(kappa=14.0, set_kappa=13.0, clo2_kg=15.0, low_factor=0.05, high_factor=0.06))
        self.assertAlmostEqual(found.after, 0.75 * 15.0)
        self.assertAlmostEqual(found.after, found.low)
        self.assertIn("one move", found.bound_by)
        near = move.function(move.case_class(kappa=14.0, set_kappa=13.0, clo2_kg=10.0, low_factor=0.15, high_factor=0.2))
        self.assertIn("upper end", near.bound_by)
        self.assertAlmostEqual(near.factor, 0.2)

    def test_more_than_the_pump_or_the_motors_give_is_brought_to_them(self):
        weak = find("bleach.weak_move")
        found = weak.function(weak.case_class(strength_g_l=9.0, set_g_l=10.0, flow_m3_h=9.0, pump_m3_h=8.0))
        self.assertEqual((found.after, found.bound_by), (8.0, "the pump"))
        self.assertLessEqual(found.low, found.after)
        thick = weak.function(weak.case_class(strength_g_l=10.0, set_g_l=6.0, flow_m3_h=9.0, pump_m3_h=12.0))
        self.assertAlmostEqual(thick.after, 5.4)
        self.assertAlmostEqual(thick.low, 5.4)

    def test_broke_over_its_card_stays_where_it_is(self):
        move = find("blend.broke_move")
        case = read_case(move, dict(move.checks[0].given))
        found = move.function(replace(case, share_pct=30.0, most_pct=12.0, level_pct=95.0, in_t_h=0.5 * case.draw_t_h))
        self.assertEqual((found.low, found.high, found.after, found.stands), (30.0, 30.0, 30.0, False))

    def test_a_kappa_inside_its_band_leaves_the_heat_of_the_oxygen_stage(self):
        move = find("oxygen.move")
        case = read_case(move, dict(move.checks[0].given))
        for off in (-0.5, 0.5):
            found = move.function(replace(case, kappa=case.target + off * case.inner))
            self.assertEqual((found.stands, found.temp_c), (False, case.temp_c))
        high = move.function(replace(case, kappa=case.target + 3 * case.inner))
        self.assertEqual(high.temp_c, case.temp_c + 2.0)

    def test_plates_that_take_more_than_new_ones_stand_between_both(self):
        move = find("refine.worn_move")
        found = move.function(move.case_class(no_load_kw=120.0, new_kw=100.0, hours=500.0))
        self.assertEqual((found.low, found.high, found.stands), (100.0, 120.0, False))
