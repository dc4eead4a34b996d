"""Cooks on one clock break no rule and wait for no reason; what a stop takes out; how good forecasts were."""

import random
from functools import cache
from unittest import mock

import numpy as np
from django.test import SimpleTestCase, tag
from hypothesis import given, settings
from hypothesis import strategies as st

from core.cook.house import IDLE_MIN, Batch, look_ahead
from core.cook.house import Limits as HouseLimits
from core.errors import ImpossibleInput
from core.line.passing import passing
from core.plan import checker
from core.plan.cycles import BlowTank, Stand, alkali_course, blows_of, cooks_ahead, counted_t, steam_course
from core.plan.digesters import HousePlanCase, plan_digesters
from core.plan.levels import Span, Vessel, course
from core.plan.told import LEAST_FACTOR, MOST_FACTOR, as_case, told_beforehand
from core.stream import SUSPENDED
from tests.core.test_through import demo
from tests.profile import examples

AHEAD_MIN = 24 * 60.0


def batch(
    digester: str, *, rise_at: float, fill: float = 40.0, rise: float = 90.0, hold: float = 80.0, blow: float = 20.0
) -> Batch:
    return Batch(
        name=f"last of {digester}",
        digester=digester,
        rise_at=rise_at,
        fill_min=fill,
        rise_min=rise,
        hold_min=hold,
        blow_min=blow,
        steam_t_h=8.0,
        hold_steam_t_h=1.2,
        pulp_t=7.0,
        done=True,
    )


@st.composite
def houses(draw):
    """Newest cooks of one to four digesters, which do not clash among themselves, and stops of some."""
    minutes = st.integers(min_value=1, max_value=24).map(lambda k: 10.0 * k)
    fill, rise, hold, blow = draw(minutes), draw(minutes), draw(minutes), draw(st.sampled_from((10.0, 20.0, 40.0)))
    count = draw(st.integers(1, 4))
    apart = max(fill, rise, blow)
    newest = {
        f"K.{k}": batch(f"K.{k}", rise_at=-apart * (k + 1), fill=fill, rise=rise, hold=hold, blow=blow) for k in range(count)
    }
    stands = draw(
        st.lists(
            st.tuples(st.integers(0, count - 1), st.integers(0, 20).map(lambda h: 60.0 * h), st.integers(1, 10)), max_size=3
        )
    )
    # a stop is of what has not begun: one that lies over the running cook is somebody's trip, and that cook is over then
    free = [s for s in stands if s[1] > newest[f"K.{s[0]}"].end]
    return newest, [Stand(f"K.{k}", at, at + 60.0 * h) for k, at, h in free]


@tag("core")
class Cycles(SimpleTestCase):
    @settings(max_examples=examples(120))
    @given(houses())
    def test_no_rule_is_broken_and_none_waits_for_no_reason(self, house):
        newest, stands = house
        told = cooks_ahead(newest, AHEAD_MIN, stands)
        self.assertEqual(checker.of_cycles([*newest.values(), *told], stands), [])
        for k, b in enumerate(told):  # five minutes sooner is too soon behind its own last cook, or meets another or a stop
            own = [c for c in (*newest.values(), *told[:k]) if c.digester == b.digester]
            sooner = Batch(**{n: getattr(b, n) for n in b.__slots__} | {"rise_at": b.rise_at - 5.0})
            free = max(c.end for c in own) + IDLE_MIN
            clash = checker.of_cycles([*newest.values(), *told[:k], sooner], stands)
            self.assertTrue(sooner.rise_at - sooner.fill_min < max(0.0, free) or clash, (b, stands))

    @settings(max_examples=examples(100))
    @given(houses(), st.floats(8.0, 40.0), st.floats(0.0, 1.0), st.floats(0.5, 8.0))
    def test_none_is_blown_over_the_brim_and_none_waits_for_no_reason(self, house, full, filled, drawn):
        newest, stands = house
        tank = BlowTank(full, filled * full, drawn)
        told = cooks_ahead(newest, AHEAD_MIN, stands, tank=tank)
        cooks = [*newest.values(), *told]
        self.assertEqual(checker.of_cycles(cooks, stands), [])
        self.assertEqual(checker.of_blow_tank(cooks, tank), [])
        free = cooks_ahead(newest, AHEAD_MIN, stands)
        self.assertLessEqual(len(told), len(free) + len(newest))  # a tank never brings a cook forward for long
        for b in told[:6]:
            before = [c for c in cooks if c is not b and c.rise_at - c.fill_min <= b.rise_at - b.fill_min]
            sooner = Batch(**{n: getattr(b, n) for n in b.__slots__} | {"rise_at": b.rise_at - 6.0})
            own = max(c.end for c in before if c.digester == b.digester)
            clash = checker.of_cycles([*before, sooner], stands) or checker.of_blow_tank([*before, sooner], tank)
            early = sooner.rise_at - sooner.fill_min < max(0.0, own + IDLE_MIN)
            later = checker.of_blow_tank([*[c for c in cooks if c is not b], sooner], tank)
            self.assertTrue(
                early or clash or later or checker.of_cycles([*[c for c in cooks if c is not b], sooner], stands), b
            )

    @given(houses(), st.floats(8.0, 40.0), st.floats(0.5, 8.0))
    def test_a_tank_is_told_as_it_is_counted_and_never_below_nothing(self, house, full, drawn):
        newest, stands = house
        tank = BlowTank(full, 0.4 * full, drawn)
        blows = blows_of([*newest.values(), *cooks_ahead(newest, AHEAD_MIN, stands, tank=tank)])
        course = tank.course(blows, AHEAD_MIN)
        self.assertGreaterEqual(min(t for _, t in course), 0.0)
        self.assertEqual([m for m, _ in course], sorted(m for m, _ in course))
        told = dict(course)
        for end, level in tank.blown([b for b in blows if b[0] < AHEAD_MIN]):
            if sum(abs(end - e) < 1e-9 for e, _ in blows) == 1:
                self.assertAlmostEqual(told[end], level, places=6)
        blown = sum(p for end, p in blows if 0.0 < end <= AHEAD_MIN)
        self.assertGreaterEqual(
            course[-1][1], tank.now_t + blown - drawn * AHEAD_MIN / 60.0 - 1e-6
        )  # what is not drawn is there

    def test_a_tank_without_a_meter_is_counted_and_forgets_how_it_began(self):
        blows = [(-600.0, 9.0), (-400.0, 9.0), (-200.0, 9.0), (-20.0, 9.0)]
        self.assertAlmostEqual(counted_t(22.0, 4.5, blows, 720.0), counted_t(22.0, 4.5, [(-720.0, 22.0), *blows], 721.0))
        self.assertAlmostEqual(counted_t(22.0, 0.0, [(-5.0, 3.0)], 60.0), 14.0)
        self.assertEqual(counted_t(22.0, 0.0, [(-5.0, 30.0)], 60.0), 22.0)
        self.assertEqual(counted_t(22.0, 100.0, [(-50.0, 9.0)], 60.0), 0.0)

    def test_a_tank_that_never_has_room_stops_the_cooks_and_one_that_is_not_drawn_takes_what_fits(self):
        newest = {"K.1": batch("K.1", rise_at=-300.0)}
        self.assertEqual(cooks_ahead(newest, AHEAD_MIN, tank=BlowTank(5.0, 0.0, 3.0)), [])  # a cook gives 7 t
        self.assertEqual(len(cooks_ahead(newest, AHEAD_MIN, tank=BlowTank(16.0, 0.0, 0.0))), 2)

    def test_on_the_clock_cooks_end_no_later_than_the_integer_program_has_them_on_its_grid(self):
        """Like cooks of digesters that are free now: each as soon as it can be is as good as the best of every choice."""
        chance, slot = random.Random(12), 30.0
        with mock.patch("core.plan.cycles.IDLE_MIN", 0.0):
            for _ in range(10):
                case = HousePlanCase(
                    cooks=chance.randint(2, 4),
                    digesters=2,
                    fill=chance.choice((1, 2)),
                    heat=chance.choice((2, 3)),
                    hold=chance.choice((1, 3)),
                    tank_t=chance.choice((20.0, 24.0, 40.0)),
                    now_t=chance.choice((4.0, 10.0)),
                    cook_t=9.0,
                    draw_t=chance.choice((1.2, 2.0)),
                )
                found = plan_digesters(case)
                times = {"fill": slot * case.fill, "rise": slot * case.heat, "hold": slot * case.hold, "blow": slot}
                newest = {f"K.{k}": batch(f"K.{k}", rise_at=-5000.0, **times) for k in (1, 2)}
                newest = {k: Batch(**{n: getattr(b, n) for n in b.__slots__} | {"pulp_t": 9.0}) for k, b in newest.items()}
                tank = BlowTank(case.tank_t, case.now_t, case.draw_t * 60.0 / slot)
                told = sorted(cooks_ahead(newest, AHEAD_MIN, tank=tank), key=lambda b: b.end)[: int(case.cooks)]
                with self.subTest(case=case):
                    self.assertLessEqual(told[-1].end, slot * found.slots + 1e-6)
                    self.assertEqual(checker.of_blow_tank(told, tank), [])

    @given(houses(), st.floats(0, 10))
    def test_steam_is_that_of_the_house_board_minute_by_minute(self, house, steady):
        newest, stands = house
        cooks = [*newest.values(), *cooks_ahead(newest, AHEAD_MIN, stands)]
        told = steam_course(cooks, steady, AHEAD_MIN)
        limits = HouseLimits(steam_t_h=1e6, tank_t=1e6, tank_now_t=0.0, wash_t_h=1.0, wash_stops=())
        board = look_ahead(tuple(cooks), (), limits, start=0.0, end=AHEAD_MIN)
        for minute, t_h in zip(board.minute[:-1], board.steam_t_h[:-1], strict=True):
            at = [v for m, v in told if m <= minute + 1e-9][-1]
            self.assertAlmostEqual(at, steady + t_h, places=9)

    @given(houses(), st.floats(0.5, 6.0), st.floats(0, 3))
    def test_alkali_is_that_of_every_cook_that_is_filled(self, house, each, steady):
        newest, stands = house
        cooks = cooks_ahead(newest, AHEAD_MIN, stands)
        told = alkali_course(cooks, dict.fromkeys(newest, each), steady, AHEAD_MIN)
        whole = sum((b - a) * v / 60.0 for (a, v), (b, _) in zip(told, told[1:], strict=False))
        shares = [max(0.0, min(AHEAD_MIN, b.rise_at) - max(0.0, b.rise_at - b.fill_min)) / b.fill_min for b in cooks]
        self.assertAlmostEqual(whole, steady * AHEAD_MIN / 60.0 + each * sum(shares), places=6)

    def test_two_digesters_take_turns_and_a_stop_takes_cooks_out_of_one_alone(self):
        newest = {"K.1": batch("K.1", rise_at=-100.0), "K.2": batch("K.2", rise_at=-10.0)}
        told = cooks_ahead(newest, AHEAD_MIN)
        turns = [b.digester for b in sorted(told, key=lambda b: b.rise_at)]
        self.assertEqual(turns[:6], ["K.1", "K.2"] * 3)
        stopped = cooks_ahead(newest, AHEAD_MIN, [Stand("K.1", 300.0, 780.0)])
        count = lambda cooks, d: sum(b.digester == d for b in cooks)  # noqa: E731
        self.assertLess(count(stopped, "K.1"), count(told, "K.1"))
        self.assertGreaterEqual(count(stopped, "K.2"), count(told, "K.2"))
        names = [b.name for b in told if b.digester == "K.1"]
        self.assertEqual(names, [f"K.1+{k}" for k in range(1, len(names) + 1)])

    def test_what_cannot_be_is_refused_and_no_digester_gives_no_cook(self):
        with self.assertRaisesMessage(ImpossibleInput, "no length"):
            cooks_ahead({"K.1": batch("K.1", rise_at=0.0, hold=0.0)}, AHEAD_MIN)
        self.assertEqual(cooks_ahead({}, AHEAD_MIN), [])
        self.assertEqual(steam_course([], 3.0, 60.0), [(0.0, 3.0), (60.0, 3.0)])

    def test_the_checker_finds_each_thing_that_is_broken(self):
        one, two = batch("K.1", rise_at=0.0), batch("K.2", rise_at=45.0)
        self.assertIn("two are heated at once at 45", checker.of_cycles([one, two]))
        self.assertIn("two are filled at once at -30", checker.of_cycles([one, batch("K.2", rise_at=10.0)]))
        self.assertTrue(any("cooking in K.1" in w for w in checker.of_cycles([one, batch("K.1", rise_at=150.0)])))
        self.assertTrue(any("two are blown" in w for w in checker.of_cycles([one, batch("K.2", rise_at=10.0)])))
        self.assertTrue(any("through a stop" in w for w in checker.of_cycles([one], [Stand("K.1", 100.0, 110.0)])))


@tag("core")
class Passing(SimpleTestCase):
    """What passes a unit: by the feeds it is all of what comes, and nothing of it is before the unit."""

    @classmethod
    def setUpClass(cls):
        super().setUpClass()
        _, line = demo()
        cls.solution = line.solution

    @cache  # noqa: B019
    def of(self, unit: str) -> dict[str, float]:
        return passing(self.solution, unit)

    def test_shares_of_all_that_is_fed_make_up_every_stream(self):
        network = self.solution.network
        fed = [u.id for u, f in zip(network.units, network.feed @ SUSPENDED, strict=True) if f > 1e-6]
        whole = {u.id: sum(self.of(f)[u.id] for f in fed) for u in network.units}
        for unit in ("K.bleach", "K.tower", "S.tower", "R.tower"):
            with self.subTest(unit=unit):
                self.assertAlmostEqual(whole[unit], 1.0, places=6)

    def test_a_unit_passes_all_of_itself_and_nothing_of_another_line(self):
        for unit, after, other in (("K.larch.wash", "K.larch.o2", "K.alder.wash"), ("S.wash", "S.tower", "K.tower")):
            told = self.of(unit)
            self.assertEqual(told[unit], 1.0)
            self.assertAlmostEqual(told[after], 1.0, places=6)
            self.assertAlmostEqual(told[other], 0.0, places=6)
            self.assertTrue(all(0.0 <= v <= 1.0 for v in told.values()))
        both = self.of("K.larch.wash")["K.tower"] + self.of("K.alder.wash")["K.tower"]
        self.assertAlmostEqual(both, 1.0, places=3)

    def test_one_that_is_not_in_the_line_is_none(self):
        with self.assertRaises(KeyError):
            passing(self.solution, "none")


@tag("core")
class Cuts(SimpleTestCase):
    vessel = Vessel(now_t=40.0, full_t=100.0, low_t=10.0, high_t=95.0, fed_t_h=6.0)

    @given(st.floats(0, 60), st.floats(0.1, 12), st.floats(0, 6))
    def test_what_comes_less_is_missing_and_nothing_else_is(self, begins, lasts, less):
        draws = [Span(0.0, 72.0, 5.5)]
        whole, cut = (course(self.vessel, draws, 72.0, cuts) for cuts in ((), [Span(begins, begins + lasts, less)]))
        self.assertGreaterEqual(whole.points[-1][1] + 1e-9, cut.points[-1][1])
        if cut.high_h == whole.high_h == cut.short_t == 0.0:
            gone = less * max(0.0, min(72.0, begins + lasts) - min(72.0, begins))
            self.assertAlmostEqual(whole.points[-1][1] - cut.points[-1][1], gone, places=6)

    def test_a_cut_of_more_than_comes_stops_what_comes(self):
        all_of_it, more = (course(self.vessel, [], 24.0, [Span(2.0, 8.0, t)]).points for t in (6.0, 60.0))
        self.assertEqual(all_of_it, more)


@tag("core")
class Told(SimpleTestCase):
    def test_the_factor_is_what_errors_were_wider_by(self):
        chance = np.random.default_rng(26318)
        for wider in (0.7, 1.0, 2.0):
            pairs = [(float(e), 0.8) for e in chance.normal(0.0, 0.8 * wider, 4000)]
            found = told_beforehand(as_case(pairs))
            with self.subTest(wider=wider):
                self.assertAlmostEqual(found.factor, wider, delta=0.05)
                self.assertAlmostEqual(found.bias, 0.0, delta=0.1)
                if wider == 1.0:
                    self.assertAlmostEqual(found.inside_pct, 90.0, delta=2.0)

    @given(st.lists(st.tuples(st.floats(-50, 50), st.floats(0.1, 20)), min_size=12, max_size=40), st.floats(1.0, 3.0))
    def test_it_does_not_lean_on_the_order_and_falls_as_bands_are_told_wider(self, pairs, wider):
        found = told_beforehand(as_case(pairs))
        shuffled = random.Random(1).sample(pairs, len(pairs))
        self.assertAlmostEqual(told_beforehand(as_case(shuffled)).factor, found.factor)
        self.assertTrue(LEAST_FACTOR <= found.factor <= MOST_FACTOR)
        told_wider = told_beforehand(as_case([(e, s * wider) for e, s in pairs]))
        self.assertLessEqual(told_wider.factor, found.factor + 1e-9)
        self.assertGreaterEqual(told_wider.inside_pct + 1e-9, found.inside_pct)

    def test_few_teach_nothing_and_none_is_refused(self):
        found = told_beforehand(as_case([(9.0, 0.1)] * 11))
        self.assertEqual((found.factor, found.cautions[0].field), (1.0, "pairs"))
        with self.assertRaises(ImpossibleInput):
            told_beforehand(as_case([]))
