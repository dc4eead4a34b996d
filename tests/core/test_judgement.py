"""Judgement: release and hold, duplicates, what is due, charts, cover, lots first in first out; laws over random results."""

import math
import random
import statistics

from django.test import SimpleTestCase, tag
from hypothesis import assume, given
from hypothesis import strategies as st

import tests.profile  # noqa: F401
from core.deliver.release import (
    Action,
    BoundCase,
    CardTest,
    ResultRow,
    Verdict,
    bound,
    bound_case,
    card_test,
    dispose,
    history,
    judge_test,
    retests_needed,
)
from core.errors import ImpossibleInput, Infeasible
from core.judge.band import Band, State, judge
from core.judge.chart import Chart, cusum, ewma, individuals, moved, run_rules, sigma_true
from core.judge.due import Changed, DueState, Pace, Stands, due, kept_pace, may_ease
from core.judge.move import outcome, tampering_factor
from core.lab.replicate import Status, combine
from core.stock.cover import CoverCase, CoverPlanCase, CoverStopCase, Leg, Piece, cover, cover_plan, cover_stop, forecast

result = st.floats(300, 500)
several = st.lists(result, min_size=3, max_size=12)


def a_test(results, *, low=380.0, high=420.0, critical=True, **more) -> CardTest:
    return CardTest(key="freeness", low=low, high=high, critical=critical, results=tuple(results), **more)


@tag("core")
class Release(SimpleTestCase):
    @given(several)
    def test_a_bound_holds_the_mean_and_narrower_limits_are_never_kinder(self, results):
        found = judge_test(a_test(results))
        self.assertTrue(found.lower <= found.mean <= found.upper)
        self.assertAlmostEqual(found.mean, statistics.fmean(results))
        order = [Verdict.PASSED, Verdict.FLAGGED, Verdict.FAILED]
        wide, tight = judge_test(a_test(results, low=300, high=500)), judge_test(a_test(results, low=395, high=405))
        ranks = [order.index(x.verdict) for x in (wide, found, tight)]
        self.assertEqual(ranks, sorted(ranks))

    @given(several)
    def test_the_bound_is_the_registered_model_and_reads_again(self, results):
        test = a_test(results)
        found, told = judge_test(test), bound(bound_case(test))
        self.assertEqual((told.mean, told.lower, told.upper), (found.mean, found.lower, found.upper))
        self.assertEqual(card_test(bound_case(test)).results, test.results)
        self.assertEqual(told.spare >= 0.0, found.verdict is Verdict.PASSED or told.spare == 0.0)
        open_side = bound_case(a_test(results, low=-math.inf))
        self.assertEqual(open_side.low, -1e9)

    @given(result, st.floats(1, 30), st.integers(0, 60))
    def test_one_result_is_guarded_by_its_history_or_by_nothing(self, value, sd, n):
        found = judge_test(a_test([value], history_sd=sd, history_n=n))
        wide = 1.645 * sd if n >= 20 else 0.0
        self.assertAlmostEqual(found.upper - found.mean, wide)
        self.assertEqual(found.basis, "guard" if n >= 20 else "plain limit")

    def test_the_rules_are_walked_in_their_order(self):
        good, out, near = [400.0, 401.0, 399.0], [430.0, 431.0, 429.0], [419.0, 419.5, 414.0]
        for asked, deviations, action, may in (
            ([a_test(good)], 0, Action.RELEASE, ("lead",)),
            ([a_test(good)], 1, Action.HOLD, ()),
            ([a_test([])], 0, Action.HOLD, ()),
            ([a_test(near)], 0, Action.HOLD, ()),
            ([a_test(out)], 0, Action.HOLD_OUT, ()),
            ([a_test(out), a_test(near)], 0, Action.HOLD, ()),
            ([a_test(good), a_test(out, critical=False)], 0, Action.RELEASE_WITH_NOTE, ("lead",)),
            ([a_test(good), a_test([], critical=False)], 0, Action.RELEASE_WITH_NOTE, ("lead",)),
            ([a_test(good, flagged_result=True)], 0, Action.HOLD, ()),
        ):
            done = dispose(tuple(asked), open_deviations=deviations)
            with self.subTest(action=action, results=[t.results for t in asked]):
                self.assertEqual((done.action, done.may_release), (action, may))
                self.assertTrue(done.why)

    @given(several)
    def test_the_retests_that_are_asked_for_prove_a_flagged_test(self, results):
        test = a_test(results)
        verdict = judge_test(test)
        needed = retests_needed(test, verdict)
        if verdict.verdict is not Verdict.FLAGGED:
            self.assertIsNone(needed)
        elif needed is not None:
            count, value = needed
            self.assertIs(judge_test(a_test([*results, *[value] * count])).verdict, Verdict.PASSED)

    def test_limits_and_results_that_cannot_be_are_refused(self):
        for bad in (a_test([400.0], low=420, high=380), a_test([math.nan]), a_test([math.inf, 1.0])):
            with self.assertRaises(ImpossibleInput):
                judge_test(bad)
        with self.assertRaises(ImpossibleInput):
            bound(BoundCase(low=2, high=1, results=(ResultRow(value=1.0),)))
        self.assertEqual(history(()), (0.0, 0))
        self.assertEqual(history((4.0,)), (0.0, 1))
        self.assertAlmostEqual(history((1.0, 3.0))[0], math.sqrt(2.0))


@tag("core")
class Duplicates(SimpleTestCase):
    @given(st.lists(result, min_size=1, max_size=3), st.floats(0.5, 20))
    def test_the_value_lies_among_its_results_and_their_order_counts_for_nothing(self, results, limit):
        found = combine(tuple(results), r_abs=limit)
        self.assertTrue(min(results) - 1e-9 <= found.value <= max(results) + 1e-9)
        again = combine(tuple(reversed(results)), r_abs=limit)
        self.assertEqual((again.status, again.spread), (found.status, found.spread))
        self.assertAlmostEqual(again.value, found.value)
        wider = combine(tuple(results), r_abs=10.0 * limit)
        self.assertTrue(wider.stands or not found.stands)
        self.assertEqual(found.stands, found.status in (Status.SINGLE, Status.ACCEPTED))

    @given(result, st.floats(1, 20))
    def test_a_third_settles_what_two_left_open(self, value, limit):
        two = combine((value, value + 1.01 * limit), r_abs=limit)
        self.assertIs(two.status, Status.THIRD_NEEDED)
        near = combine((value, value + 1.01 * limit, value + 0.5 * limit), r_abs=limit)
        self.assertIs(near.status, Status.ACCEPTED)
        far = combine((value, value + 1.01 * limit, value + 9.0 * limit), r_abs=limit)
        self.assertIs(far.status, Status.MEDIAN_FLAGGED)
        self.assertAlmostEqual(far.value, value + 1.01 * limit)

    def test_no_result_or_four_are_refused(self):
        for results in ((), (1.0, 2.0, 3.0, 4.0), (math.nan,)):
            with self.assertRaises(ImpossibleInput):
                combine(results, r_abs=1.0)


@tag("core")
class Due(SimpleTestCase):
    @given(st.floats(5, 2000), st.floats(0, 5000))
    def test_a_row_only_gets_later(self, interval, since):
        order = [DueState.NOT_DUE, DueState.DUE, DueState.LATE, DueState.MISSED]
        states = [
            order.index(due(since_last_min=since + more, interval_min=interval).state) for more in (0.0, 7.0, 60.0, 900.0)
        ]
        self.assertEqual(states, sorted(states))
        now = due(since_last_min=since, interval_min=interval)
        self.assertAlmostEqual(now.in_min, interval - since)
        self.assertEqual(now.late_min, max(0.0, since - interval))
        self.assertEqual(now.state is DueState.NOT_DUE, since < interval)

    changes = st.lists(st.tuples(st.floats(0, 900), st.floats(0, 300), st.floats(0, 120)), max_size=5)

    @given(st.floats(15, 1440), st.floats(0, 2000), changes)
    def test_a_change_asks_for_a_sample_once_it_is_felt_and_until_one_is_taken(self, interval, since, told):
        seen = [Changed(ago_min=a, dead_min=d, mixing_min=m) for a, d, m in told]
        plain, now = (
            due(since_last_min=since, interval_min=interval),
            due(since_last_min=since, interval_min=interval, changes=seen),
        )
        self.assertLessEqual(now.in_min, plain.in_min)
        open_ = [c.felt_in_min for c in seen if -since < c.felt_in_min < plain.in_min]
        self.assertAlmostEqual(now.in_min, min([plain.in_min, *open_]))
        self.assertEqual(now.extra is None, not open_)
        if open_:  # a sample taken as that one is felt tells of it: none of those felt by then asks again
            after = due(since_last_min=0.0, interval_min=interval, changes=[c for c in seen if c.felt_in_min <= 0.0])
            self.assertEqual((after.in_min, after.extra), (interval, None))

    def test_a_planned_stop_excuses_and_puts_off(self):
        stop = Stands(from_min=-30.0, to_min=60.0, settles_min=20.0)
        within = due(since_last_min=110.0, interval_min=120.0, stops=[stop])
        self.assertEqual((within.state, within.in_min, within.stop), (DueState.EXCUSED, 80.0, 0))
        before = due(since_last_min=160.0, interval_min=120.0, stops=[stop])  # it was due before the stop began
        self.assertEqual((before.state, before.in_min), (DueState.LATE, -40.0))
        over = Stands(from_min=-90.0, to_min=-10.0, settles_min=20.0)
        after = due(since_last_min=150.0, interval_min=120.0, stops=[over])
        self.assertEqual((after.state, after.in_min), (DueState.NOT_DUE, 10.0))
        ahead = due(since_last_min=0.0, interval_min=120.0, stops=[Stands(from_min=100.0, to_min=200.0)])
        self.assertEqual((ahead.state, ahead.in_min), (DueState.NOT_DUE, 200.0))
        two = [Stands(from_min=205.0, to_min=300.0), Stands(from_min=100.0, to_min=210.0)]
        self.assertEqual(due(since_last_min=0.0, interval_min=120.0, stops=two).in_min, 300.0)  # one behind the other

    def test_an_interval_follows_its_results(self):
        for told, wanted in (
            ("", Pace.PLANNED),
            ("x.x.x.", Pace.PLANNED),
            ("xx", Pace.HALVED),
            ("xx..", Pace.HALVED),
            ("xx...", Pace.PLANNED),
            ("xx..x..", Pace.HALVED),
            ("...xx...x...", Pace.PLANNED),
            ("xx...xx", Pace.HALVED),
        ):
            with self.subTest(told=told):
                self.assertIs(kept_pace([c == "x" for c in told]), wanted)
                self.assertIs(kept_pace([c == "x" for c in told], each_batch=True), Pace.PLANNED)
        inside = [False] * 10
        self.assertTrue(may_ease(inside, critical=False))
        self.assertFalse(may_ease(inside[1:], critical=False) or may_ease(inside, critical=True))
        self.assertFalse(may_ease([*inside[1:], True], critical=False) or may_ease(inside, critical=False, each_batch=True))
        self.assertTrue(may_ease([True, *inside], critical=False))  # the eleventh is past
        self.assertIs(kept_pace(inside, eased=True), Pace.DOUBLED)
        self.assertIs(kept_pace(inside, eased=True, critical=True), Pace.PLANNED)
        self.assertIs(kept_pace([*inside, True], eased=True), Pace.PLANNED)

    @given(st.lists(st.booleans(), max_size=30))
    def test_three_inside_always_end_a_halved_interval(self, told):
        self.assertIs(kept_pace([*told, False, False, False]), Pace.PLANNED)
        self.assertIs(kept_pace([*told, True, True]), Pace.HALVED)


@tag("core")
class Charts(SimpleTestCase):
    @given(st.integers(0, 10_000), st.floats(-50, 50), st.floats(0.1, 9))
    def test_a_chart_moves_and_scales_with_its_values(self, seed, shift, factor):
        chance = random.Random(seed)
        values = [chance.gauss(0.0, 1.0) for _ in range(25)]
        one, other = individuals(values), individuals([shift + factor * v for v in values])
        self.assertIsInstance(one, Chart)
        self.assertAlmostEqual(other.mean, shift + factor * one.mean, places=6)
        self.assertAlmostEqual(other.sigma, factor * one.sigma, places=6)
        self.assertAlmostEqual(other.high, shift + factor * one.high, places=6)
        self.assertAlmostEqual(other.phi, one.phi, places=6)
        rules = run_rules(values, one.mean, one.sigma)
        scaled = run_rules([shift + factor * v for v in values], other.mean, other.sigma)
        self.assertEqual([(r.rule, r.at, r.side) for r in scaled], [(r.rule, r.at, r.side) for r in rules])
        mirrored = run_rules([-v for v in values], -one.mean, one.sigma)
        self.assertEqual([(r.rule, r.at, -r.side) for r in mirrored], [(r.rule, r.at, r.side) for r in rules])

    @given(st.integers(0, 10_000))
    def test_sums_and_averages_start_from_nothing_and_see_a_shift(self, seed):
        chance = random.Random(seed)
        values = [chance.gauss(0.0, 1.0) for _ in range(30)]
        for up, down in cusum(values, 0.0, 1.0):
            self.assertTrue(up >= 0.0 and down >= 0.0)
        smooth = ewma(values, 0.0, 1.0)
        self.assertTrue(all(b >= a for (_, a), (_, b) in zip(smooth, smooth[1:], strict=False)))
        self.assertTrue(all(min(0.0, *values) <= z <= max(0.0, *values) for z, _ in smooth))
        seen = moved([*values[:10], *(v + 3.0 for v in values[10:])], 0.0, 1.0)
        self.assertIsNotNone(seen)
        self.assertGreater(seen[1], 5.0)
        self.assertIsNone(moved([], 0.0, 1.0))

    def test_alike_neighbours_widen_the_limits_and_too_little_makes_none(self):
        self.assertEqual(sigma_true(1.128, 0.2), 1.0)
        self.assertGreater(sigma_true(1.128, 0.6), 1.5)
        self.assertIsInstance(individuals([1.0] * 5), Infeasible)
        self.assertIsInstance(individuals([1.0] * 12), Infeasible)
        with self.assertRaises(ImpossibleInput):
            individuals([1.0, math.nan] * 8)

    def test_correcting_noise_makes_it_wider(self):
        factors = [tampering_factor(share) for share in (0.0, 0.3, 0.7, 1.0, 1.5)]
        self.assertEqual(factors, sorted(factors))
        self.assertEqual(factors[0], 1.0)
        chance, share, off, shown = random.Random(4), 0.7, 0.0, []
        for _ in range(20_000):  # the funnel: each reading is corrected by a share of itself
            reading = off + chance.gauss(0.0, 1.0)
            shown.append(reading)
            off -= share * reading
        self.assertAlmostEqual(statistics.pstdev(shown), tampering_factor(share), delta=0.03)
        with self.assertRaises(ImpossibleInput):
            tampering_factor(2.0)


@tag("core")
class Bands(SimpleTestCase):
    @given(st.floats(0, 50), st.floats(1, 20), st.floats(1, 20), st.floats(-60, 120))
    def test_the_farther_out_the_graver_and_only_what_is_confirmed_acts(self, low, width, more, value):
        band = Band(low=low, high=low + width, outer_low=low - more, outer_high=low + width + more, target=low + width / 2.0)
        order = [State.IN, State.WATCH, State.ACT, State.CONTAIN]
        sure, unsure = (judge(value, band, confirmed=yes) for yes in (True, False))
        self.assertGreaterEqual(order.index(sure.state), order.index(unsure.state))
        middle = low + width / 2.0
        farther = judge(middle + 1.5 * (value - middle), band, confirmed=True)
        self.assertGreaterEqual(order.index(farther.state), order.index(sure.state))
        if low < value < low + width:
            self.assertIn(sure.state, (State.IN, State.WATCH))

    @given(st.floats(20, 40), st.floats(-5, 5), st.floats(-5, 5))
    def test_a_move_that_ends_inside_has_worked_and_one_that_did_nothing_has_not(self, before, wanted, got):
        band = Band(low=28.0, high=32.0)
        assume(abs(wanted) > 0.1)
        after = before + got
        told = outcome(before=before, expected=before + wanted, after=after, band=band)
        self.assertEqual(told == "worked", 28.0 <= after <= 32.0)
        if not 28.0 <= before <= 32.0:
            self.assertEqual(outcome(before=before, expected=before + wanted, after=before, band=band), "not")


@tag("core")
class Cover(SimpleTestCase):
    case = st.builds(
        CoverCase,
        capacity=st.floats(20, 500),
        level_pct=st.floats(12, 93),
        rate_in=st.floats(0, 60),
        rate_out=st.floats(0, 60),
    )

    @given(case)
    def test_a_vessel_is_at_its_limit_when_it_is_said_to_be(self, case):
        found = cover(case)
        self.assertEqual(found.way, "steady" if abs(found.net) < 1e-9 else ("empty" if found.net < 0 else "full"))
        if math.isfinite(found.hours) and abs(found.net) > 1e-6:
            then = found.content + found.net * found.hours
            limit = case.capacity * (case.low_pct if found.net < 0 else case.high_pct) / 100.0
            self.assertAlmostEqual(then, limit, places=5)

    @given(case, st.floats(0, 20))
    def test_without_a_stop_cover_through_one_is_the_same(self, case, starts):
        same = {f: getattr(case, f) for f in ("capacity", "level_pct", "rate_in", "rate_out")}
        none = cover_stop(CoverStopCase(**same, starts_h=starts, lasts_h=0.0, in_then=0.0, out_then=0.0))
        plain = cover(case)
        if plain.hours < 5000.0:
            self.assertAlmostEqual(none.hours, plain.hours, places=6)

    @given(case, st.floats(0.1, 20), st.floats(0.1, 9), st.floats(0, 60), st.floats(0, 60))
    def test_a_plan_of_one_stop_is_the_cover_through_that_stop(self, case, starts, lasts, into, out):
        same = {f: getattr(case, f) for f in ("capacity", "level_pct")}
        stop = CoverStopCase(
            **same,
            rate_in=case.rate_in,
            rate_out=case.rate_out,
            starts_h=starts,
            lasts_h=lasts,
            in_then=into,
            out_then=out,
        )
        legs = ((starts, case.rate_in, case.rate_out), (lasts, into, out), (1.0, case.rate_in, case.rate_out))
        plan = CoverPlanCase(**same, legs=tuple(Leg(hours=h, rate_in=i, rate_out=o) for h, i, o in legs))
        one, other = cover_stop(stop), cover_plan(plan)
        if one.hours < 5000.0:
            self.assertAlmostEqual(one.hours, other.hours, places=6)
            self.assertEqual(one.way, other.way)

    @given(case, st.lists(st.tuples(st.floats(0.1, 5), st.floats(0, 50), st.floats(0, 50)), min_size=1, max_size=6))
    def test_a_course_keeps_its_mass_and_crosses_where_it_says(self, case, steps):
        pieces, at = [], 0.0
        for hours, into, out in steps:
            at += hours
            pieces.append(Piece(at, into, out))
        content = case.capacity * case.level_pct / 100.0
        course = forecast(content=content, low=0.1 * case.capacity, high=0.95 * case.capacity, pieces=tuple(pieces))
        net = sum(h * (i - o) for h, i, o in steps)
        self.assertAlmostEqual(course.at(at), content + net, places=6)
        if math.isfinite(course.low_at_h):
            self.assertAlmostEqual(course.at(course.low_at_h), 0.1 * case.capacity, places=6)
        else:
            self.assertGreaterEqual(course.least, 0.1 * case.capacity - 1e-9)
        held = forecast(
            content=content, low=0.1 * case.capacity, high=0.95 * case.capacity, pieces=tuple(pieces), holds_at_high=True
        )
        self.assertLessEqual(held.most, max(content, 0.95 * case.capacity) + 1e-9)
