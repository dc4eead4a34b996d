"""A cook while it runs, the house it stands in, and the moves that a judgement sizes: laws, limits and worked values."""

import math
from dataclasses import replace

from django.test import SimpleTestCase, tag
from hypothesis import given
from hypothesis import strategies as st

import tests.profile  # noqa: F401
from core.cook import house as houses
from core.cook.follow import doubt, follow, hold_move, joined, steam_loss, to_top
from core.cook.kinetic import Charge
from core.cook.profile import h_factor
from core.errors import ImpossibleInput, Infeasible
from core.judge.advise import LEAST_WATER_L_MIN, RETEST_LEAST_MIN, dilution_move, h_factor_move, share_move, water_to
from core.judge.band import Band
from core.lab.methods import TESTS, plausible
from core.lab.raw import RAW, worked
from core.stock.loop import LoopCase

PLAN = ((0.0, 80.0), (75.0, 170.0), (170.0, 170.0))
CHARGE = Charge(ea_pct_naoh=19.5, sulphidity_pct=30.0, lw_m3_t=4.2)


def until(minute: float, low: float = 0.0) -> tuple[tuple[float, float], ...]:
    """The plan's own log as far as a minute, every five minutes, colder at the top by so much."""
    told = []
    for k in range(int(minute / 5.0) + 1):
        m = 5.0 * k
        told.append((m, (80.0 + 90.0 * m / 75.0 if m < 75.0 else 170.0) - (low if m >= 75.0 else 0.0)))
    return tuple(told)


@tag("core")
class Following(SimpleTestCase):
    def test_on_its_plan_it_has_lost_nothing_and_its_foreseen_end_is_the_plans(self):
        log = until(120.0)
        told = follow("softwood", CHARGE, PLAN, log, 30.0)
        self.assertAlmostEqual(told.lost_h, 0.0, delta=2.0)
        self.assertEqual(told.planned_stop, 170.0)
        self.assertAlmostEqual(told.h_so_far, h_factor(log))
        self.assertTrue(told.stop_low <= told.stop <= told.stop_high)

    def test_colder_it_loses_h_has_a_higher_kappa_and_wants_longer(self):
        target = follow("softwood", CHARGE, PLAN, until(120.0), 30.0).planned.kappa
        even, colder = (follow("softwood", CHARGE, PLAN, until(120.0, low), target) for low in (0.0, 4.0))
        self.assertGreater(colder.lost_h, 50.0)
        self.assertGreater(colder.planned.kappa, even.planned.kappa)
        self.assertGreater(colder.stop, even.stop)
        move = hold_move(colder, "softwood", CHARGE, PLAN, until(120.0, 4.0), target)
        self.assertGreater(move.minutes, 0.0)
        self.assertLess(abs(move.kappa_after - target), abs(move.kappa_before - target))
        self.assertLess(move.viscosity_change, 0.0)  # longer costs strength
        self.assertIsNone(hold_move(even, "softwood", CHARGE, PLAN, until(120.0), target))

    def test_a_move_is_at_most_a_tenth_of_its_h_and_says_so(self):
        log = until(120.0)
        told = follow("softwood", CHARGE, PLAN, log, 18.0)
        move = hold_move(told, "softwood", CHARGE, PLAN, log, 18.0)
        self.assertIn("10 %", move.bound_by)
        self.assertLessEqual((move.h_after - move.h_before) / move.h_before, 0.10 + 1e-3)

    def test_a_cook_that_went_cold_and_a_residual_that_is_off_are_said(self):
        cold = (*until(100.0), (105.0, 135.0), (125.0, 132.0), (145.0, 135.0))
        told = follow("softwood", CHARGE, PLAN, cold, 30.0)
        self.assertIn("will be uneven", " ".join(c.text for c in told.cautions))
        off = follow("softwood", CHARGE, PLAN, until(120.0), 30.0, measured=((100.0, 1.0),))
        self.assertIn("ask moisture, chip weight, liquor strength", " ".join(c.text for c in off.cautions))
        with self.assertRaisesMessage(ImpossibleInput, "must be above 0"):
            follow("softwood", CHARGE, PLAN, until(50.0), 0.0)

    def test_a_log_goes_on_by_its_plan_from_where_it_is(self):
        self.assertEqual(
            joined(((0.0, 80.0), (60.0, 120.0)), PLAN), ((0.0, 80.0), (60.0, 120.0), (75.0, 170.0), (170.0, 170.0))
        )
        whole = until(170.0)
        self.assertEqual(joined(whole, PLAN), whole)
        self.assertEqual(to_top(joined(((0.0, 80.0), (60.0, 120.0)), PLAN), PLAN, 60.0)[-1], (75.0, 170.0))
        self.assertEqual(to_top(whole, PLAN, 120.0)[-1][0], 120.0)

    @given(st.floats(80.0, 165.0), st.floats(2.0, 40.0), st.floats(0.5, 40.0))
    def test_what_a_failure_of_steam_costs_is_made_up_by_as_much_h(self, at, minutes, drop):
        lost, more = steam_loss(PLAN, at, minutes, drop)
        self.assertGreater(lost, 0.0)
        longer, _ = steam_loss(PLAN, at, 1.5 * minutes, drop)
        deeper, _ = steam_loss(PLAN, at, minutes, 1.5 * drop)
        self.assertGreater(longer, lost)
        self.assertGreater(deeper, lost)
        self.assertGreater(more, 0.0)

    def test_an_early_blow_with_an_ordinary_kappa_is_doubted_and_others_are_not(self):
        self.assertIn("test a second sample", doubt(900.0, 1600.0, 31.0, 44.0))
        for ordinary in ((1500.0, 1600.0, 31.0, 44.0), (900.0, 1600.0, 43.0, 44.0), (900.0, 0.0, 31.0, 44.0)):
            self.assertEqual(doubt(*ordinary), "")


@tag("core")
class House(SimpleTestCase):
    def batch(self, name: str = "1150", rise_at: float = 0.0, **more) -> houses.Batch:
        told = {"plan": PLAN, "lw_m3_t": 4.2, "wood_t": 15.0, "yield_pct": 47.0, "digester": "1"} | more
        return houses.batch_of(name=name, rise_at=rise_at, **told)

    def test_a_cook_on_the_houses_clock(self):
        b = self.batch()
        self.assertEqual((b.rise_min, b.hold_min), (75.0, 95.0))
        self.assertAlmostEqual(b.pulp_t, 7.05)
        names, edges = zip(*((n, (a, z)) for n, a, z in b.phases()), strict=True)
        self.assertEqual(names, ("fill", "rise", "hold", "blow"))
        self.assertTrue(all(a[1] == z[0] for a, z in zip(edges, edges[1:], strict=False)))  # one phase after the other
        self.assertEqual((edges[0][0], edges[-1][1]), (-houses.FILL_MIN, b.end))
        self.assertGreater(b.steam_t_h, b.hold_steam_t_h)

    def test_the_pace_of_more_digesters_is_as_many_times_faster(self):
        one, three = (houses.pace(self.batch(), n) for n in (1, 3))
        self.assertAlmostEqual(three.adt_day, 3.0 * one.adt_day)
        self.assertAlmostEqual(three.apart_h, one.cycle_h / 3.0)
        with self.assertRaises(ImpossibleInput):
            houses.pace(self.batch(), 0)

    def test_clashes_are_found_and_a_later_start_is_the_least_that_ends_them(self):
        limits = houses.Limits(steam_t_h=1.2 * self.batch().steam_t_h, tank_t=40.0, tank_now_t=5.0, wash_t_h=5.0, wash_stops=())
        pair = (self.batch("a"), self.batch("b", 10.0, digester="2"))
        told = houses.look_ahead(pair, (), limits, start=0.0, end=400.0)
        self.assertEqual({c.what for c in told.clashes}, {"steam", "two blows, a and b"})
        delay, after = houses.later_start(pair, "b", (), limits, start=0.0, end=400.0)
        self.assertEqual(after.clashes, ())
        sooner = (pair[0], replace(pair[1], rise_at=pair[1].rise_at + delay - houses.STEP_MIN))
        self.assertTrue(houses.look_ahead(sooner, (), limits, start=0.0, end=400.0).clashes)
        twice = (self.batch("a"), self.batch("b", 60.0))
        self.assertIn("digester 1 twice", {c.what for c in houses.look_ahead(twice, (), limits, start=0.0, end=400.0).clashes})
        for bad in ({"start": 10.0, "end": 10.0}, {"start": 0.0, "end": 400.0}):
            batches = pair if bad["end"] == 10.0 else (replace(pair[0], blow_min=0.0),)
            with self.assertRaises(ImpossibleInput):
                houses.look_ahead(batches, (), limits, **bad)

    def test_what_is_blown_less_what_is_washed_stands_in_the_tank(self):
        limits = houses.Limits(steam_t_h=1e3, tank_t=1e3, tank_now_t=5.0, wash_t_h=2.0, wash_stops=((200.0, 260.0),))
        b = self.batch()
        told = houses.look_ahead((b,), (), limits, start=0.0, end=400.0)
        washed = 2.0 * (400.0 - 60.0) / 60.0
        empty = max(0.0, 2.0 * b.blow_at / 60.0 - 5.0)  # what could not be washed since nothing stood there
        self.assertAlmostEqual(told.tank_t[-1], 5.0 + b.pulp_t - washed + empty, delta=0.6)
        self.assertTrue(all(t >= 0.0 for t in told.tank_t))


@tag("core")
class Sized(SimpleTestCase):
    loop = LoopCase(
        stock_l_min=2000.0, inlet_pct=4.8, target_pct=3.6, measured_pct=3.6, water_cons_pct=0.3, water_max_l_min=1500.0
    )
    band = Band(low=3.5, high=3.7, target=3.6)

    @given(st.floats(3.3, 4.4))
    def test_water_goes_the_right_way_and_stays_within_its_valve(self, reading):
        move = dilution_move(reading=reading, band=self.band, loop=self.loop, mixing_min=5.0)
        if abs(reading - 3.6) > 0.01 and not move.bound_by:
            self.assertEqual(move.change > 0.0, reading > 3.6)
            self.assertLess(abs(move.expected - 3.6), abs(reading - 3.6))
        self.assertGreaterEqual(move.retest_min, RETEST_LEAST_MIN)
        if move.bound_by:
            self.assertIn(move.bound_by, ("the valve at 90 %", "the valve at 10 %"))

    def test_nothing_is_moved_where_leaving_it_is_right(self):
        for found, wanted in ((3.6, 3.6), (3.65, 3.6), (3.6, 4.2), (3.6, 3.601)):
            loop = replace(self.loop, measured_pct=found, target_pct=wanted)
            with self.subTest(found=found, wanted=wanted):
                self.assertIsNone(water_to(band=self.band, loop=loop, mixing_min=5.0))
        move = water_to(band=self.band, loop=replace(self.loop, measured_pct=3.9, target_pct=3.6), mixing_min=5.0)
        self.assertGreater(move.change, LEAST_WATER_L_MIN)

    @given(st.floats(20.0, 45.0))
    def test_more_h_for_a_kappa_that_is_high_and_never_over_its_limits(self, reading):
        band = Band(low=28.0, high=32.0, target=30.0)
        move = h_factor_move(reading=reading, band=band, now=1640.0, gain=-0.022, max_step=120.0, temp_c=170.0, dead_min=200.0)
        self.assertLessEqual(abs(move.change), 120.0 + 1e-9)
        if not 28.0 <= reading <= 32.0:
            self.assertEqual(move.change > 0.0, reading > 30.0)
            self.assertEqual(math.copysign(1.0, move.minutes), math.copysign(1.0, move.change))

    @given(st.floats(0.05, 0.5), st.floats(0.5, 9.0), st.floats(4.0, 20.0), st.floats(0.0, 0.3), st.booleans())
    def test_a_share_is_moved_to_what_is_made_in_whole_per_cents_and_the_whole_stays(self, share, made, drawn, spare, empties):
        move = share_move(share=share, made_t_h=made, drawn_t_h=drawn, spare_share=spare, empties=empties)
        self.assertAlmostEqual(move.before + move.other_before, move.after + move.other_after)
        self.assertGreaterEqual(move.other_after, -1e-9)
        if not move.bound_by:
            self.assertAlmostEqual(move.after, round(move.after), places=6)
            gives = move.after / 100.0 * drawn
            self.assertTrue(gives <= made + 1e-6 if empties else gives >= made - 1e-6)
        self.assertIsInstance(share_move(share=0.1, made_t_h=1.0, drawn_t_h=0.0, spare_share=0.1, empties=True), Infeasible)


@tag("core")
class Bench(SimpleTestCase):
    def test_every_test_that_is_worked_from_raw_readings_gives_what_its_model_gives(self):
        for test, raw in RAW.items():
            model = raw.of
            check = next((c for c in model.checks if raw.fixed.items() <= dict(c.given).items()), None)
            if check is None:
                continue
            typed = {}
            for name, value in check.given.items():
                if isinstance(value, tuple | list):
                    typed |= {f"{name}.{i}.{k}": v for i, row in enumerate(value, start=1) for k, v in row.items()}
                elif name not in raw.fixed and not isinstance(value, str):
                    typed[name] = value
            if any(isinstance(v, str) for k, v in check.given.items() if k not in raw.fixed):
                continue
            with self.subTest(test=test):
                single = worked(test, typed)
                self.assertAlmostEqual(single.value, getattr(model.function(single.case), raw.figure))
                self.assertTrue(set(typed) <= set(raw.fields) | {n for n in typed if n.count(".") == 2})
                needed = [n for n in raw.fields if raw.needs(n)]
                self.assertTrue(needed)

    def test_results_are_shown_in_the_steps_of_their_test(self):
        for key, value, wanted in (
            ("freeness", 452.4, 450.0),
            ("freeness", 452.6, 455.0),
            ("freeness", 98.4, 98.0),
            ("consistency", 3.614, 3.61),
            ("consistency", 3.615, 3.62),
            ("consistency", 12.34, 12.3),
            ("gain", -2.25, -2.3),
            ("residual_clo2", 0.0125, 0.013),
        ):
            with self.subTest(key=key, value=value):
                self.assertAlmostEqual(TESTS[key].shown(value), wanted)

    def test_what_cannot_be_is_refused_and_what_is_unusual_is_said(self):
        for test in TESTS.values():
            low, high = test.possible
            middle = 0.5 * (test.ordinary[0] + test.ordinary[1])
            with self.subTest(test=test.key):
                self.assertEqual(plausible(test, middle), ())
                for bad in (low - 1.0, high + 1.0, math.nan, math.inf):
                    with self.assertRaises(ImpossibleInput) as refused:
                        plausible(test, bad)
                    self.assertEqual(refused.exception.problems[0].field, "value")
                if high > test.ordinary[1]:
                    (caution,) = plausible(test, high)
                    self.assertIn("is unusual", caution.text)
