"""The chance of a short machine: with no noise what the course says, spread as the formula has it, never better with less."""

import random
from dataclasses import replace

from django.test import SimpleTestCase, tag

from core.plan import chances
from core.plan.chances import SHORT_T, Tower, short_chances
from core.plan.levels import Span, Vessel, course
from core.through.ahead import FORGOTTEN_H, RATE_OFF, level_sd


def some(chance: random.Random) -> Tower:
    full, draw = chance.uniform(10.0, 60.0), chance.uniform(2.0, 8.0)
    vessel = Vessel(full * chance.uniform(0.1, 0.9), full, 0.1 * full, 0.95 * full, draw * chance.uniform(0.7, 1.1))
    draws = [Span(0.0, 9.0, draw), Span(10.5, 30.0, draw * chance.uniform(0.8, 1.3))]
    cuts = [Span(4.0, 7.0, vessel.fed_t_h)] if chance.random() < 0.5 else []
    return Tower(vessel, draws, cuts)


@tag("core")
class ShortChances(SimpleTestCase):
    def test_with_no_noise_it_is_what_the_course_says(self):
        chance, short = random.Random(2), 0
        for k in range(60):
            tower = some(chance)
            told = course(tower.vessel, tower.draws, 30.0, tower.cuts)
            found = short_chances([tower], 30.0, factor=0.0, seeds=3)
            with self.subTest(tower=k):
                self.assertAlmostEqual(found.mean_t, told.short_t, delta=0.05 + 0.02 * told.short_t)
                if abs(told.short_t - SHORT_T) > 0.1:
                    self.assertEqual(found.short, float(told.short_t > SHORT_T))
            short += told.short_t > SHORT_T
        self.assertGreater(short, 10)

    def test_half_are_short_of_a_tower_that_would_end_just_empty_and_few_of_one_two_spreads_above(self):
        """A draw that takes all of it by the end: its level there is off by the spread of the formula."""
        hours, rate = 24.0, 6.0
        sd = level_sd(RATE_OFF * rate, FORGOTTEN_H, hours)
        for spreads, low, high in ((0.0, 0.40, 0.72), (2.0, 0.01, 0.12), (-2.0, 0.93, 1.0)):
            now = 20.0 + spreads * sd
            vessel = Vessel(now, 60.0, 6.0, 57.0, rate - 20.0 / hours)
            found = short_chances([Tower(vessel, [Span(0.0, hours, rate)])], hours, seeds=2000)
            with self.subTest(spreads=spreads):
                self.assertTrue(low <= found.short <= high, found)

    def test_more_in_a_tower_or_coming_to_it_never_makes_it_likelier_and_another_tower_never_less(self):
        chance = random.Random(8)
        for k in range(25):
            tower, other = some(chance), some(chance)
            found = short_chances([tower], 30.0)
            v = tower.vessel
            fuller = replace(tower, vessel=replace(v, now_t=min(v.full_t, v.now_t + 2.0)))
            with self.subTest(tower=k):
                self.assertLessEqual(short_chances([fuller], 30.0).mean_t, found.mean_t + 1e-9)
                self.assertLessEqual(short_chances([replace(tower, cuts=())], 30.0).mean_t, found.mean_t + 0.15)
                both = short_chances([tower, other], 30.0)
                self.assertGreaterEqual(both.short, max(both.by_tower) - 1e-9)
                self.assertLessEqual(both.short, sum(both.by_tower) + 1e-9)

    def test_the_same_plan_is_told_the_same_and_no_tower_is_never_short(self):
        tower = some(random.Random(1))
        self.assertEqual(short_chances([tower], 30.0), short_chances([tower], 30.0))
        self.assertEqual(short_chances([], 30.0), chances.Chances(0.0, (), 0.0))
        self.assertEqual(short_chances([tower], 0.1).by_tower, (0.0,))
