"""Charts of groups and singles, phases, rules that are off at first, capability; what meets what; sums that are kept."""

import math
import random

import numpy as np
from django.test import SimpleTestCase, tag

from core.blend.furnish import rounded
from core.cook.profile import crossing, h_factor, until
from core.errors import ImpossibleInput, Infeasible
from core.judge.capable import AbleCase, able, capability, group_chart, grouped
from core.judge.chart import EVERY, individuals, phased, run_rules, signals_of
from core.line.network import Outlet, Unit, build, shares
from core.line.steady import UnsolvableNetwork, solve
from core.plan.levels import level_at, within
from core.safety.together import NEVER, SUBSTANCES, together

PUBLISHED = {
    2: (1.880, 3.267, 1.128),
    3: (1.023, 2.574, 1.693),
    4: (0.729, 2.282, 2.059),
    5: (0.577, 2.114, 2.326),
}  # A2, D4, d2


@tag("core")
class Groups(SimpleTestCase):
    def setUp(self):
        self.chance = random.Random(26318)

    def values(self, n: int, mean: float = 30.0, sd: float = 1.2) -> list[float]:
        return [self.chance.gauss(mean, sd) for _ in range(n)]

    def test_limits_are_those_of_the_published_constants(self):
        for n, (a2, d4, _) in PUBLISHED.items():
            means, ranges = grouped(self.values(25 * n), n)
            chart = group_chart(list(means), list(ranges), n)
            spread = float(ranges.mean())
            with self.subTest(n=n):
                self.assertAlmostEqual(chart.high, chart.mean + a2 * spread, delta=6e-4 * spread)
                self.assertAlmostEqual(chart.low, chart.mean - a2 * spread, delta=6e-4 * spread)
                self.assertAlmostEqual(chart.range_high, d4 * spread, delta=6e-4 * spread)
                self.assertAlmostEqual(3 * chart.sigma, a2 * spread, delta=6e-4 * spread)

    def test_groups_are_counted_from_the_newest_and_whole(self):
        values = [float(i) for i in range(11)]
        means, ranges = grouped(values, 3)
        self.assertEqual([float(m) for m in means], [3.0, 6.0, 9.0])
        self.assertEqual([float(r) for r in ranges], [2.0, 2.0, 2.0])
        with self.assertRaises(ImpossibleInput) as refused:
            grouped(values, 7)
        self.assertEqual(refused.exception.problems[0].field, "n")

    def test_too_few_and_a_stuck_instrument_have_no_chart(self):
        self.assertIn("groups", group_chart([1.0, 2.0], [0.1, 0.2], 3).reason)
        self.assertIn("stuck", group_chart([1.0] * 8, [0.0] * 8, 3).reason)
        self.assertIn("stuck", able([4.0] * 60, 1.0, 9.0).reason)
        self.assertIn("open on both", able(self.values(60), -math.inf, math.inf).reason)
        self.assertEqual(able(self.values(29), 1.0, 9.0).field, "values")

    def test_capability_is_that_of_the_points(self):
        values = self.values(80)
        x = np.array(values)
        case = able(values, 26.0, 34.0)
        self.assertIsInstance(case, AbleCase)
        self.assertAlmostEqual(case.sd_short, float(np.abs(np.diff(x)).mean()) / 1.128, 9)
        self.assertAlmostEqual(case.sd_whole, float(x.std(ddof=1)), 12)
        found = capability(case)
        self.assertAlmostEqual(found.pp, 8.0 / (6 * x.std(ddof=1)), 9)
        self.assertAlmostEqual(found.ppk, min(34.0 - x.mean(), x.mean() - 26.0) / (3 * x.std(ddof=1)), 9)
        for low, high, wanted in ((26.0, math.inf, "at least"), (-math.inf, 34.0, "at most")):
            one = able(values, low, high)
            self.assertEqual(one.wanted, wanted)
            self.assertEqual(capability(one).cp, 0.0)
            side = x.mean() - low if wanted == "at least" else high - x.mean()
            self.assertAlmostEqual(capability(one).ppk, side / (3 * x.std(ddof=1)), 9)


@tag("core")
class Phases(SimpleTestCase):
    def test_a_phase_has_its_own_mean_and_no_range_crosses(self):
        chance = random.Random(7)
        before, after = ([chance.gauss(m, 1.0) for _ in range(30)] for m in (30.0, 45.0))
        first, second = phased([*before, *after], [30], {})
        self.assertEqual((first.first, first.end, second.first, second.end), (0, 30, 30, 60))
        self.assertAlmostEqual(first.begun.mean, float(np.mean(before)), 12)
        self.assertAlmostEqual(second.begun.mean, float(np.mean(after)), 12)
        whole = individuals([*before, *after])
        self.assertLess(second.begun.range_mean, whole.range_mean)
        both = signals_of([*before, *after], (first, second))
        self.assertEqual(both, signals_of(before, (first,)) + signals_of([*before, *after], (second,)))

    def test_kept_limits_stay_and_places_outside_begin_nothing(self):
        values = [30.0 + 0.5 * (-1) ** i + 0.1 * (i % 3) for i in range(24)]
        kept = individuals(values[:20])
        only, *rest = phased(values, [0, -3, 24, 99], {0: kept})
        self.assertEqual((rest, only.kept, only.begun), ([], True, kept))
        (single,) = phased([30.0, 31.0], [], {})
        self.assertIsInstance(single.chart, Infeasible)
        self.assertIsNone(single.begun)

    def test_a_signal_is_placed_in_the_whole_row(self):
        values = [30.0 + 0.4 * (-1) ** i for i in range(20)] + [40.0 + 0.4 * (-1) ** i for i in range(20)]
        values[33] = 48.0
        found = [s for s in signals_of(values, phased(values, [20], {})) if s.rule == "WE1"]
        self.assertEqual([(s.at, s.first, s.side) for s in found], [(33, 33, 1)])

    def test_rules_that_are_grey_hear_what_they_are_named_for(self):
        heard = {
            "alternating14": [0.5 * (-1) ** i for i in range(14)],
            "inside15": [0.3 * math.sin(i) for i in range(15)],
            "mixed8": [1.4, -1.6, 1.2, -1.3, 1.1, -1.5, 1.2, 1.7],
            "trend6": [-1.0, -0.6, -0.2, 0.1, 0.5, 0.9],
        }
        for rule, z in heard.items():
            with self.subTest(rule=rule):
                (signal,) = run_rules(z, 0.0, 1.0, (rule,))
                self.assertEqual((signal.first, signal.at), (0, len(z) - 1))
                self.assertEqual(run_rules(z[:-1], 0.0, 1.0, (rule,)), ())
                self.assertEqual(run_rules([30.0 + 2.0 * v for v in z], 30.0, 2.0, (rule,)), (signal,))
        self.assertEqual(run_rules([1.2] * 8, 0.0, 1.0, ("mixed8",)), ())  # on one side only: another rule's
        self.assertEqual(run_rules([*heard["inside15"][:-1], 1.2], 0.0, 1.0, ("inside15",)), ())
        self.assertLessEqual({s.rule for s in run_rules(heard["mixed8"], 0.0, 1.0, EVERY)}, set(EVERY))


@tag("core")
class Kept(SimpleTestCase):
    def test_what_meets_is_the_same_from_either_side(self):
        known = 0
        for one in SUBSTANCES:
            for other in SUBSTANCES:
                found = together(one, other)
                known += bool(found)
                with self.subTest(one=one, other=other):
                    self.assertEqual(found, together(other, one))
                    for n in found:
                        self.assertTrue({one, other} & set(n.a) and {one, other} & set(n.b))
        self.assertGreater(known, len(NEVER))
        with self.assertRaises(ImpossibleInput) as refused:
            together(next(iter(SUBSTANCES)), "tea")
        self.assertEqual(refused.exception.problems[0].field, "other")

    def test_shares_rounded_to_tenths_sum_as_they_did(self):
        chance = random.Random(3)
        for _ in range(200):
            raw = [chance.random() for _ in range(chance.randint(2, 7))]
            told = [100.0 * r / sum(raw) for r in raw]
            found = rounded(told)
            self.assertAlmostEqual(sum(found), 100.0, 9)
            self.assertTrue(all(abs(a - b) < 0.1 for a, b in zip(found, told, strict=True)))

    def test_a_course_is_cut_where_it_is_asked_for(self):
        points = ((0.0, 10.0), (4.0, 30.0), (8.0, 20.0))
        self.assertEqual(within(points, 2.0, 6.0), [(2.0, 20.0), (4.0, 30.0), (6.0, 25.0)])
        self.assertEqual(within(points, -5.0, 99.0), [tuple(p) for p in points])
        self.assertEqual((within(points, 8.0, 12.0), within(points, -3.0, 0.0)), ([], []))
        self.assertEqual(level_at(points, 5.0), 27.5)

    def test_the_minute_at_which_an_integral_is_reached(self):
        log = ((0.0, 80.0), (90.0, 170.0), (180.0, 170.0))
        minute = crossing(log, h_factor, 600.0)
        self.assertAlmostEqual(h_factor(until(log, minute)), 600.0, 3)
        never = crossing(log, h_factor, 9000.0)
        self.assertAlmostEqual(never.nearest, h_factor(log), 9)

    def test_a_loop_that_gives_almost_nothing_up_is_named(self):
        feed = np.zeros(11)
        feed[0] = 1.0

        def line(back: float):
            outlets = (
                Outlet(name="on", to="out", shares=shares(1.0 - back)),
                Outlet(name="back", to="loop", shares=shares(back)),
            )
            return build([Unit(id="loop", feed=feed, outlets=outlets), Unit(id="out")])

        found = solve(line(0.5))
        self.assertAlmostEqual(float(found.into[0, 0]), 2.0, 9)
        with self.assertRaises(UnsolvableNetwork) as refused:
            solve(line(1.0 - 1e-15))
        self.assertIn("loop", str(refused.exception))
