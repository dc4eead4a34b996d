"""Rates of a line through a plan equal a search of every choice in small, pass an independent look, and never do worse than
leaving the line alone."""

import itertools
import random
from dataclasses import replace

from django.test import SimpleTestCase, tag

from core.errors import ImpossibleInput, Infeasible
from core.plan import checker, feeds
from core.plan.feeds import BlockRow, FeedsCase, RateRow, by_levels, cost_of, plan_feeds


def drawn(chance: random.Random, count: int, shares: tuple[float, ...]) -> FeedsCase:
    """A tower whose draw changes with the orders, with stops of its line now and then."""
    usual, full = chance.uniform(2.0, 8.0), chance.uniform(15.0, 60.0)
    return FeedsCase(
        now_t=full * chance.uniform(0.05, 0.95),
        full_t=full,
        low_t=0.1 * full,
        high_t=0.95 * full,
        usual_t_h=usual,
        block_h=chance.choice((1.0, 2.0)),
        end_t=full * chance.uniform(0.0, 0.5),
        rates=tuple(RateRow(t_h=usual * s) for s in shares),
        blocks=tuple(
            BlockRow(draw_t_h=usual * chance.choice((0.0, 0.7, 0.95, 1.0, 1.2)), stands=float(chance.random() < 0.1))
            for _ in range(count)
        ),
    )


def every(case: FeedsCase) -> float:
    """The least cost of every choice of rates there is."""
    rates = [r.t_h for r in case.rates]
    choices = ([0.0] if b.stands else rates for b in case.blocks)
    told = (cost_of(case, chosen) for chosen in itertools.product(*choices))
    return min(t[4] for t in told if t is not None)


@tag("core")
class Feeds(SimpleTestCase):
    def test_small_ones_equal_a_search_of_every_choice(self):
        chance = random.Random(26318)
        for k in range(60):
            case = drawn(chance, 6, (0.0, 0.8, 1.0, 1.1))
            with self.subTest(case=k):
                found = plan_feeds(case, 5.0)
                least = every(case)
                self.assertLessEqual(found.cost, least * 1.006 + 1e-6)  # its gap is half a percent
                self.assertGreaterEqual(found.cost, least - 1e-6)
                self.assertEqual(checker.of_feeds(found, case), [])

    def test_two_hundred_random_towers_through_two_days_pass_the_checker_and_do_no_worse_than_leaving_them(self):
        chance = random.Random(7)
        for k in range(200):
            case = drawn(chance, 24, (0.0, 0.8, 0.9, 1.0, 1.05, 1.1))
            rates = by_levels(case)
            found = replace(plan_feeds(replace(case, blocks=case.blocks[:1]), 0.05), rates=rates)
            told = cost_of(case, rates)
            with self.subTest(case=k):
                named = dict(zip(("short_t", "outside_th", "moves", "end_t", "cost"), map(float, told), strict=True))
                self.assertEqual(checker.of_feeds(replace(found, **named), case), [])
                alone = cost_of(case, [0.0 if b.stands else case.usual_t_h for b in case.blocks])
                if alone is not None:
                    self.assertLessEqual(told[4], alone[4] + 1e-9)

    def test_a_rate_more_never_costs_more_and_a_stop_more_never_less(self):
        chance = random.Random(3)
        for _ in range(12):
            case = drawn(chance, 6, (0.0, 1.0))
            case = replace(case, rates=(*case.rates, RateRow(t_h=case.usual_t_h)))
            cost = every(case)
            self.assertLessEqual(every(replace(case, rates=(*case.rates, RateRow(t_h=1.15 * case.usual_t_h)))), cost + 1e-9)
            blocks = list(case.blocks)
            blocks[2] = replace(blocks[2], stands=1.0)
            if 0.0 in {r.t_h for r in case.rates}:  # what stands could have been set to nothing, but for its moves
                moves = 4 * 0.05 * 2
                self.assertGreaterEqual(every(replace(case, blocks=tuple(blocks))) + moves + 1e-9, cost)

    def test_before_a_stop_it_is_built_up_and_before_a_fill_held_back(self):
        rates = tuple(RateRow(t_h=t) for t in (0.0, 4.8, 6.0, 6.6))
        usual = {"full_t": 60.0, "low_t": 6.0, "high_t": 57.0, "usual_t_h": 6.0, "rates": rates}
        stop = (*(BlockRow(draw_t_h=6.0),) * 6, *(BlockRow(draw_t_h=6.0, stands=1.0),) * 3, BlockRow(draw_t_h=6.0))
        built = plan_feeds(FeedsCase(now_t=40.0, blocks=stop, **usual), 5.0)
        self.assertEqual((built.short_t, built.outside_th), (0.0, 0.0))
        self.assertIn(6.6, built.rates[:6])
        machine = (*(BlockRow(draw_t_h=6.0),) * 3, *(BlockRow(draw_t_h=0.0),) * 3, BlockRow(draw_t_h=6.0))
        held = plan_feeds(FeedsCase(now_t=40.0, blocks=machine, **usual), 5.0)
        self.assertEqual(held.outside_th, 0.0)
        self.assertLess(min(held.rates[:6]), 6.0)
        self.assertEqual(plan_feeds(FeedsCase(now_t=30.0, blocks=(BlockRow(draw_t_h=6.0),) * 8, **usual), 5.0).moves, 0.0)

    def test_a_conflict_is_minimal_and_each_relief_relieves_it(self):
        chance = random.Random(11)
        seen: set[tuple[str, ...]] = set()
        for k in range(60):
            case = drawn(chance, 16, (0.0, 0.9, 1.0, 1.05))
            rules = feeds.conflict(case)
            seen.add(rules)
            with self.subTest(case=k, rules=rules):
                self.assertEqual(bool(rules), feeds.short_t(case) > feeds.ENOUGH_T)
                for rule in rules:  # with any one of them given up, and those that are none of it, the rest holds
                    others = [r for r in feeds.RULES if r not in rules]
                    self.assertLessEqual(feeds.short_t(feeds.without(case, [*others, rule])), feeds.ENOUGH_T)
                for relief in feeds.reliefs(case):
                    if relief.rule == feeds.RATE:
                        self.assertLessEqual(self.short_with(case, relief.value), feeds.ENOUGH_T)
                        self.assertGreater(self.short_with(case, relief.value - 0.03 * case.usual_t_h), 0.0)
                    elif relief.rule == feeds.DRAW:
                        self.assertAlmostEqual(relief.value, feeds.short_t(case))
                    else:
                        self.assertLessEqual(relief.value, sum(b.stands for b in case.blocks) * case.block_h)
        self.assertGreater(len(seen), 2, seen)

    def short_with(self, case: FeedsCase, t_h: float) -> float:
        return feeds.short_t(replace(case, rates=(*case.rates, RateRow(t_h=t_h))))

    def test_a_stop_and_a_draw_that_do_not_fit_are_told_with_their_reliefs(self):
        rates = tuple(RateRow(t_h=t) for t in (0.0, 6.0, 6.6))
        blocks = (*(BlockRow(draw_t_h=6.0),) * 2, *(BlockRow(draw_t_h=6.0, stands=1.0),) * 4, *(BlockRow(draw_t_h=6.0),) * 2)
        usual = {"now_t": 30.0, "full_t": 60.0, "low_t": 6.0, "high_t": 57.0, "usual_t_h": 6.0}
        case = FeedsCase(rates=rates, blocks=blocks, **usual)
        # 48 t are drawn in the stop; 30 + 4 h at 0.6 are there: 15.6 are short
        self.assertAlmostEqual(feeds.short_t(case), 15.6)
        self.assertEqual(feeds.conflict(case), feeds.RULES)
        told = {r.rule: r.value for r in feeds.reliefs(case)}
        self.assertAlmostEqual(told[feeds.RATE], 6.0 + 18.0 / 4.0, delta=0.07)  # 48 − 30 in the four hours before
        self.assertAlmostEqual(told[feeds.DRAW], 15.6)
        self.assertEqual(told[feeds.STOPS], 4.0)  # 24 t in four hours, 32.4 there

    def test_what_cannot_be_is_refused_or_answered_in_words(self):
        case = drawn(random.Random(1), 6, (1.0,))
        for bad, said in (({"low_t": case.full_t}, "must be under the upper"), ({"now_t": 2 * case.full_t}, "that it holds")):
            with self.subTest(bad=bad), self.assertRaisesMessage(ImpossibleInput, said):
                plan_feeds(replace(case, **bad))
        full = replace(case, now_t=case.full_t, blocks=(BlockRow(draw_t_h=0.0),) * 4)
        answer = plan_feeds(full)
        self.assertIsInstance(answer, Infeasible)
        self.assertIn("fills the tower to over", answer.reason)

    def test_the_checker_finds_what_is_broken(self):
        case = drawn(random.Random(5), 6, (0.0, 1.0))
        case = replace(case, blocks=(BlockRow(draw_t_h=case.usual_t_h, stands=1.0), *case.blocks[1:]))
        found = plan_feeds(case)
        self.assertEqual(checker.of_feeds(found, case), [])
        rates = found.rates
        for broken, said in (
            (replace(found, rates=(case.usual_t_h, *rates[1:])), "in its stop"),
            (replace(found, rates=(*rates[:-1], 0.123)), "cannot be set"),
            (replace(found, short_t=found.short_t + 1.0), "short_t is"),
            (replace(found, end_t=found.end_t - 1.0), "end_t is"),
        ):
            with self.subTest(said=said):
                self.assertTrue(any(said in w for w in checker.of_feeds(broken, case)))
