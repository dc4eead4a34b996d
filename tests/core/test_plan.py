"""Plans equal a search of every plan in small, pass an independent look at every rule, and say which rules cannot hold."""

import itertools
import random
from dataclasses import replace

from django.test import SimpleTestCase, tag

from core.errors import ImpossibleInput, Infeasible
from core.plan import checker
from core.plan.digesters import HousePlanCase, plan_digesters
from core.plan.orders import LATE_PRICE, MOST_ORDERS, Machine, Order, Standing
from core.plan.silo import DRAW, END, RULES, STOP, Feed, SiloCase, can_hold, conflict, longest_stop, plan_silo, reliefs

SHADES = range(1, 5)


def machine(chance: random.Random, most: int = 6) -> Machine:
    orders = [
        Order(
            hours=chance.choice((2.0, 3.0, 4.5, 6.0)),
            due_h=float(chance.randint(2, 40)),
            shade=chance.choice(SHADES),
            release_h=chance.choice((0.0, 0.0, 5.0, 12.0)),
        )
        for _ in range(chance.randint(1, most))
    ]
    washes = {(a, b): chance.choice((0.0, 0.25, 0.5, 1.0, 2.0)) for a in SHADES for b in SHADES if a != b}
    begins = float(chance.randint(3, 20))
    stands = [Standing(from_h=begins, to_h=begins + chance.choice((2.0, 4.0)))] if chance.random() < 0.6 else []
    price = chance.choice((0.0, 1.0, LATE_PRICE))
    return Machine(orders, washes, stands, shade=chance.choice(SHADES), free_h=chance.choice((0.0, 1.5)), price=price)


@tag("core")
class Orders(SimpleTestCase):
    def test_the_best_three_are_those_of_every_order_there_is_and_all_pass_the_checker(self):
        chance = random.Random(26318)
        for case in range(200):
            m = machine(chance, 5)
            told = m.next_best(3)
            every = sorted(m.runs(p).cost for p in itertools.permutations(range(len(m.orders))))
            with self.subTest(case=case):
                for found, cost in zip(told, every[:3], strict=True):
                    self.assertAlmostEqual(found.cost, cost)
                    self.assertEqual(checker.of_orders(found, m), [])
                self.assertEqual(len({f.orders for f in told}), len(told))

    def test_of_equal_orders_the_earliest_due_is_first(self):
        orders = [Order(hours=2.0, due_h=d) for d in (30.0, 10.0, 20.0)]
        self.assertEqual(Machine(orders, {}).best().orders, (1, 2, 0))

    def test_a_later_due_or_a_shorter_wash_never_costs_more_and_another_order_never_less(self):
        chance = random.Random(7)
        for _ in range(40):
            m = machine(chance, 5)
            cost = m.best().cost
            easier = [Order(hours=o.hours, due_h=o.due_h + 5.0, shade=o.shade, release_h=o.release_h) for o in m.orders]
            stands = [Standing(from_h=a, to_h=b) for a, b in m.stands]
            same = {"shade": m.shade, "free_h": m.free_h, "price": m.price}
            self.assertLessEqual(Machine(easier, m.washes, stands, **same).best().cost, cost + 1e-9)
            shorter = {k: 0.5 * v for k, v in m.washes.items()}
            self.assertLessEqual(Machine(m.orders, shorter, stands, **same).best().cost, cost + 1e-9)
            fewer = Machine(m.orders[1:], m.washes, stands, **same).best()
            direct = all(
                m.washes.get((a, c), 0.0) <= m.washes.get((a, b), 0.0) + m.washes.get((b, c), 0.0)
                for a in SHADES
                for b in SHADES
                for c in SHADES
                if len({a, b, c}) == 3
            )
            if direct:  # where a shade between never saves washing
                self.assertLessEqual(fewer.cost if fewer.runs else 0.0, cost + 1e-9)

    def test_what_cannot_be_is_refused(self):
        with self.assertRaisesRegex(ImpossibleInput, "at most 12"):
            Machine([Order(hours=1.0, due_h=1.0)] * (MOST_ORDERS + 1), {})
        with self.assertRaisesRegex(ImpossibleInput, "not after it begins"):
            Machine([Order(hours=1.0, due_h=1.0)], {}, [Standing(from_h=4.0, to_h=4.0)])
        self.assertEqual(Machine([], {}).next_best(3), [])

    def test_a_checker_that_finds_what_is_broken(self):
        m = Machine(
            [Order(hours=4.0, due_h=9.0), Order(hours=3.0, due_h=9.0, shade=2, release_h=1.0)],
            {(1, 2): 1.0},
            [Standing(from_h=10.0, to_h=12.0)],
        )
        found = m.best()
        self.assertEqual(checker.of_orders(found, m), [])
        late = Machine(m.orders, {(1, 2): 3.0}, [Standing(from_h=5.0, to_h=6.0)])
        told = " ".join(checker.of_orders(found, late))
        self.assertIn("before it is washed for", told)
        self.assertIn("runs through a stop", told)
        self.assertIn("not every order", " ".join(checker.of_orders(m.runs((0,)), m)))


@tag("core")
class Digesters(SimpleTestCase):
    def brute(self, case: HousePlanCase, slots: int) -> float:
        """The cheapest of every set of starts there is."""
        best = float("inf")
        for starts in itertools.combinations_with_replacement(range(slots), int(case.cooks)):
            found = type("Found", (), {"starts": starts, "short_t": float("inf")})
            if checker.of_digesters(found, case):
                continue
            level, short = case.now_t, 0.0
            blows = [s + int(case.fill + case.heat + case.hold) for s in starts]
            for slot in range(max(blows) + 1):
                drawn = min(case.draw_t, level)
                short += case.draw_t - drawn
                level += case.cook_t * blows.count(slot) - drawn
            best = min(best, max(starts) + case.cycle + case.short_price * short)
        return best

    def test_small_houses_equal_a_search_of_every_start(self):
        chance = random.Random(3)
        for _ in range(6):
            case = HousePlanCase(
                cooks=2,
                digesters=2,
                fill=chance.choice((1, 2)),
                heat=chance.choice((1, 2)),
                hold=chance.choice((0, 1)),
                tank_t=chance.choice((20.0, 26.0)),
                now_t=chance.choice((4.0, 10.0)),
                cook_t=12.0,
                draw_t=chance.choice((1.0, 2.0)),
            )
            found = plan_digesters(case)
            with self.subTest(case=case):
                self.assertEqual(checker.of_digesters(found, case), [])
                self.assertAlmostEqual(found.cost, self.brute(case, 26), places=6)

    def test_published_houses_pass_the_checker_and_start_as_early_as_told(self):
        for given, starts in (
            ({"cooks": 3}, (0, 3, 9)),
            ({"cooks": 4, "tank_t": 30, "now_t": 10, "draw_t": 2}, (0, 3, 9, 13)),
            ({"cooks": 5, "tank_t": 40, "now_t": 12, "draw_t": 1.4}, (0, 3, 9, 12, 22)),
        ):
            case = HousePlanCase(**given)
            found = plan_digesters(case)
            self.assertEqual(found.starts, starts)
            self.assertEqual(checker.of_digesters(found, case), [])

    def test_a_tank_that_cannot_take_the_second_blow_is_an_answer(self):
        found = plan_digesters(HousePlanCase(cooks=2, tank_t=30, now_t=10, cook_t=18))
        self.assertIsInstance(found, Infeasible)
        self.assertIn("too little", found.reason)
        with self.assertRaisesRegex(ImpossibleInput, "over the"):
            plan_digesters(HousePlanCase(cooks=2, tank_t=30, now_t=40))


@tag("core")
class Silos(SimpleTestCase):
    def silo(self, **other) -> SiloCase:
        given = {
            "now_t": 500.0,
            "least_t": 120.0,
            "most_t": 800.0,
            "draw_t_h": 55.0,
            "feed_t_h": 55.0,
            "feeds": (Feed(t_h=0.0), Feed(t_h=60.0)),
            "hours": 24,
            "stop_h": 10,
            "stop_for_h": 12,
            "end_t": 300.0,
        }
        return SiloCase(**(given | other))

    def test_the_published_conflict_and_what_alone_would_relieve_it(self):
        case = self.silo()
        self.assertEqual(set(conflict(case)), {DRAW, STOP, END})
        told = {r.rule: r for r in reliefs(case)}
        self.assertEqual(told[STOP].then, 5.0)  # 500 + 19 · 60 − 24 · 55 = 320 ≥ 300, one hour more is 260
        self.assertAlmostEqual(told[DRAW].then, (500.0 + 12.0 * 60.0 - 300.0) / 24.0, delta=0.01)
        self.assertNotIn(END, told)  # without it the silo still runs under its least level

    def test_the_longest_stop_holds_and_an_hour_more_does_not(self):
        chance = random.Random(11)
        for _ in range(20):
            case = self.silo(
                now_t=chance.uniform(200.0, 780.0), draw_t_h=chance.uniform(30.0, 60.0), stop_h=float(chance.randint(0, 12))
            )
            longest = longest_stop(case)
            if longest is None:
                self.assertFalse(can_hold(replace(case, stop_for_h=0.0), RULES))
                continue
            self.assertTrue(can_hold(replace(case, stop_for_h=longest), RULES))
            if longest < case.hours - case.stop_h:
                self.assertFalse(can_hold(replace(case, stop_for_h=longest + 1.0), RULES))

    def test_a_conflict_is_minimal_and_each_relief_relieves_it(self):
        chance = random.Random(5)
        seen = set()
        for _ in range(60):
            case = self.silo(
                now_t=chance.uniform(150.0, 780.0),
                draw_t_h=chance.uniform(30.0, 70.0),
                stop_h=float(chance.randint(0, 14)),
                stop_for_h=float(chance.randint(0, 14)),
                end_t=chance.choice((0.0, 300.0, 600.0)),
            )
            found = conflict(case)
            seen.add(found)
            if not found:
                self.assertTrue(can_hold(case, RULES))
                continue
            self.assertFalse(can_hold(case, found))
            for rule in found:
                self.assertTrue(can_hold(case, [r for r in found if r != rule]), rule)
        self.assertGreater(len(seen), 2)

    def test_plans_pass_the_checker_and_are_short_only_where_no_feed_would_do(self):
        chance = random.Random(9)
        for _ in range(30):
            case = self.silo(
                now_t=chance.uniform(200.0, 700.0),
                feeds=(Feed(t_h=0.0), Feed(t_h=40.0), Feed(t_h=60.0), Feed(t_h=80.0)),
                hours=12,
                stop_h=float(chance.randint(1, 8)),
                stop_for_h=float(chance.randint(0, 4)),
                end_t=chance.choice((150.0, 300.0)),
            )
            found = plan_silo(case)
            if isinstance(found, Infeasible):
                continue
            self.assertEqual(checker.of_silo(found, case), [])
            level, holds = case.now_t, True  # fed as much as can be all the time
            for hour in range(12):
                level += (0.0 if case.stops(hour) else 80.0) - case.draw_t_h
                holds &= case.least_t <= level <= case.most_t
            if holds and level >= case.end_t:
                self.assertAlmostEqual(found.short_t, 0.0, places=6)

    def test_what_cannot_be_is_refused(self):
        with self.assertRaisesRegex(ImpossibleInput, "under the most"):
            plan_silo(self.silo(least_t=900.0))
        with self.assertRaisesRegex(ImpossibleInput, "must be 120 to 800"):
            plan_silo(self.silo(now_t=20.0))
