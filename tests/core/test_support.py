"""What a practitioner asks beside the main models: metals before peroxide, air on washers, a chip meter, a card's reliefs."""

import math
from dataclasses import replace

from django.test import SimpleTestCase, tag
from hypothesis import assume, given
from hypothesis import strategies as st

from core.bleach.line import Plan, bleach, typical
from core.bleach.metals import MetalsCase, metals, metals_case
from core.bleach.sequence import read
from core.bleach.stages import PUBLISHED
from core.calc import declared, read_case
from core.chips.reconcile import ReconcileCase, reconcile
from core.deliver.draw import BlendOffCase, JetCase, blend_off, jet
from core.deliver.runcard import RESERVE_T, reliefs, run_card
from core.errors import ImpossibleInput, Infeasible
from core.register import find
from core.stock.mixing import MovingCase, WashoutCase, mixing, moving, washout
from core.wash.air import AirCase, air
from core.wash.line import WashCase, Washer, wash_line
from tests import profile  # noqa: F401

CARD = read_case(find("deliver.run_card"), find("deliver.run_card").checks[0].given)


@tag("core")
class RunCards(SimpleTestCase):
    @given(st.floats(10, 300), st.floats(0, 40), st.floats(620, 980), st.floats(0.05, 0.6))
    def test_a_card_gives_each_source_its_share_and_loses_no_pulp(self, sale_t, start_h, speed, share):
        rest = 1.0 - share
        shares = (share, 0.6 * rest, 0.4 * rest)
        supplies = tuple(replace(s, share=x) for s, x in zip(CARD.supplies, shares, strict=True))
        card = run_card(replace(CARD, sale_t=sale_t, start_h=start_h, speed_m_min=speed, supplies=supplies))
        self.assertAlmostEqual(sum(r.run.t_h for r in card.rows), card.solids_t_h, places=9)
        self.assertAlmostEqual(sum(r.run.run_t for r in card.rows), card.solids_t_h * card.hours, places=6)
        self.assertAlmostEqual(card.hours * card.draw.sale_t_h, sale_t, places=6)
        for r in card.rows:
            self.assertAlmostEqual(r.worked.result.t_h, find(r.worked.model).function(r.worked.case).t_h)
            low, high = min(c for _, c in r.run.course.points), max(c for _, c in r.run.course.points)
            self.assertLessEqual(high, max(r.supply.high_t, r.supply.content_t) + 1e-9)
            self.assertEqual(r.run.short_t > 1e-6, r.run.low_at_h < math.inf)
            self.assertLessEqual(low, r.supply.content_t + 1e-9)
        self.assertEqual(card.feasible, card.low_at_h == math.inf)

    @given(st.floats(40, 200), st.floats(5, 60))
    def test_each_relief_is_enough_and_a_little_less_of_it_is_not(self, sale_t, level):
        supplies = tuple(replace(s, level_pct=level) if i == 1 else s for i, s in enumerate(CARD.supplies))
        order = replace(CARD, sale_t=sale_t, supplies=supplies)
        card = run_card(order)
        found = reliefs(order)
        if card.feasible:
            told = (found.start_h, found.moved_pct, found.sale_t, found.speed_m_min, found.listed)
            self.assertEqual(told, (order.start_h, 0.0, order.sale_t, order.speed_m_min, ()))
            return
        self.assertGreater(card.short_t, 0.0)
        for relief in found.listed:
            if not relief.enough or relief.kind == "share":
                continue
            name = {"start": "start_h", "tonnes": "sale_t", "speed": "speed_m_min"}[relief.kind]
            self.assertTrue(run_card(replace(order, **{name: relief.value})).feasible, relief)
            was = getattr(order, name)
            back = relief.value + 0.3 * (was - relief.value)
            if abs(was - relief.value) > 20.0 * RESERVE_T:  # else what is left in the vessel may bear it
                self.assertFalse(run_card(replace(order, **{name: back})).feasible, relief)

    def test_an_order_that_would_run_for_years_is_refused_at_its_tonnes_and_no_slower_speed_is_looked_for(self):
        with self.assertRaises(ImpossibleInput) as refused:
            run_card(replace(CARD, sale_t=1e6, efficiency_pct=30.0))
        self.assertEqual([p.field for p in refused.exception.problems], ["sale_t"])
        long = replace(CARD, sale_t=9e5, speed_low=20.0)
        self.assertGreater(run_card(long).hours, 3e4)
        self.assertFalse(next(r for r in reliefs(long).listed if r.kind == "speed").enough)

    def test_a_card_is_told_as_a_case_and_read_again(self):
        again = read_case(find("deliver.run_card"), declared(CARD))
        self.assertEqual(run_card(again).hours, run_card(CARD).hours)
        self.assertEqual(declared(again), declared(CARD))

    def test_a_furnish_with_more_ash_than_the_sheet_is_refused_with_the_least_that_can_be(self):
        heavy = tuple(replace(s, ash_pct=30.0) for s in CARD.supplies)
        for function in (run_card, reliefs):
            told = function(replace(CARD, supplies=heavy))
            self.assertIsInstance(told, Infeasible)
            self.assertAlmostEqual(told.nearest, 30.0)


@tag("core")
class Metals(SimpleTestCase):
    @given(st.floats(1, 100), st.floats(0, 800), st.floats(0, 4), st.floats(2, 9), st.floats(20, 100))
    def test_the_magnesium_that_is_asked_for_brings_the_ratio(self, mn, mg, chelant, ph, wanted):
        case = MetalsCase(mn_ppm=mn, mg_ppm=mg, chelant_kg=chelant, ph=ph, wanted=wanted)
        found = metals(case)
        assume(found.mgso4_for <= 40.0)
        again = metals(replace(case, mgso4_kg=found.mgso4_for))
        self.assertGreaterEqual(again.ratio, wanted * (1.0 - 1e-9))
        if found.mgso4_for > 0.0:
            self.assertAlmostEqual(again.ratio, wanted, places=6)
            self.assertTrue(found.cautions)
        more = metals(replace(case, chelant_kg=chelant + 0.5))
        self.assertLessEqual(more.mn_out, found.mn_out)
        self.assertGreaterEqual(more.works_pct, found.works_pct)

    def test_a_sequence_tells_its_own_metals(self):
        def of(text: str):
            sequence = read(text)
            plan = Plan(sequence=sequence, settings=typical(sequence, 12.0), wood="hardwood", kappa=12.0, own=PUBLISHED)
            return metals_case(bleach(plan))

        self.assertIsNone(of("D0-E-D1"))
        self.assertIsNone(of("P"))
        stage, chelated = of("O-Q-P-P")
        self.assertEqual((stage, chelated.chelant_kg), ("P", 1.5))
        stage, sour = of("D0-EP-P")
        self.assertEqual((stage, sour.chelant_kg), ("EP", 0.0))
        self.assertLess(metals(sour).mg_out, 10.0)  # acid water has taken it
        self.assertGreater(metals(chelated).ratio, 30.0)

    def test_without_manganese_no_ratio_is_too_small(self):
        found = metals(MetalsCase(mn_ppm=0.0, ph=6.0))
        self.assertEqual((found.ratio, found.mgso4_for, found.works_pct, found.cautions), (math.inf, 0.0, 100.0, ()))


@tag("core")
class Air(SimpleTestCase):
    LINE = WashCase(feed_pct=10, x0=120, df=2.5, washers=(Washer(kind="drum", e10=3.5, out_pct=12.0),) * 3)

    @given(st.floats(0, 40), st.floats(0, 3))
    def test_more_air_washes_worse_and_a_cup_weighs_what_it_is_told_by(self, first, more):
        low, high = (wash_line(replace(self.LINE, air_pct=min(40.0, a))).loss_kg_adt for a in (first, first + more))
        self.assertLessEqual(low, high + 1e-12)
        cup = AirCase(cup_ml=1000, stock_g=1.0, cons_pct=1.0, temp_c=70, solids_kg_t=15)
        dense = air(cup).airless_kg_l
        self.assertAlmostEqual(air(replace(cup, stock_g=1000.0 * dense * (1.0 - first / 100.0))).air_pct, first, places=9)

    def test_a_cup_that_holds_too_much_is_refused_with_what_it_holds(self):
        told = air(AirCase(cup_ml=1000, stock_g=1100, cons_pct=1.0, temp_c=20))
        self.assertIsInstance(told, Infeasible)
        self.assertAlmostEqual(told.nearest, 1000.0, delta=15.0)


@tag("core")
class ChipMeter(SimpleTestCase):
    @given(st.floats(1, 50), st.floats(4, 48), st.floats(35, 95), st.floats(-0.2, 0.2))
    def test_the_factor_brings_the_meter_to_the_pulp(self, wood, hours, share, off):
        made = wood * hours * share / 100.0
        case = ReconcileCase(wood_t_h=wood * (1.0 + off), hours=hours, out_t=0.9 * made, rise_t=0.1 * made, share_pct=share)
        found = reconcile(case)
        self.assertAlmostEqual(found.off_pct, 100.0 * off, places=6)
        self.assertAlmostEqual(found.implied_t_h, wood, places=9)
        right = reconcile(replace(case, wood_t_h=case.wood_t_h * found.factor))
        self.assertAlmostEqual(right.off_pct, 0.0, places=6)
        self.assertFalse(right.apart)
        self.assertEqual(found.apart, bool([c for c in found.cautions if c.field == "wood_t_h"]))
        longer = replace(case, hours=2.0 * hours, out_t=1.8 * made, rise_t=0.2 * made)
        self.assertLessEqual(reconcile(longer).half_pct, found.half_pct)

    def test_no_pulp_is_nothing_to_hold_it_against(self):
        self.assertIsInstance(reconcile(ReconcileCase(wood_t_h=5, hours=8, out_t=2, rise_t=-3, share_pct=50)), Infeasible)


@tag("core")
class SmallBenches(SimpleTestCase):
    @given(st.floats(1, 500), st.floats(0.01, 50), st.integers(1, 6))
    def test_washout_of_one_chest_is_that_of_the_mixing_model_and_more_chests_are_quicker(self, tau, rest, tanks):
        one = washout(WashoutCase(tau_min=tau, rest_pct=rest))
        case = find("stock.mixing").case_class(volume_m3=tau, flow_m3_h=60, active_pct=100, washout_pct=rest)
        self.assertAlmostEqual(one.minutes, mixing(case).changed_min, delta=1e-6 * one.minutes)
        many = washout(WashoutCase(tau_min=tau / tanks, rest_pct=rest, tanks=tanks))
        if rest < 20.0:
            self.assertLessEqual(many.minutes, one.minutes * (1.0 + 1e-9))

    @given(st.floats(1, 500), st.floats(0, 10), st.floats(0, 10), st.floats(0, 100), st.floats(0, 100), st.floats(0.01, 5))
    def test_a_chest_whose_level_moves_keeps_what_comes_and_stays_between(self, volume, now, comes, into, out, hours):
        assume(volume + (into - out) * hours > 0.01 * volume)
        found = moving(MovingCase(volume_m3=volume, now=now, comes=comes, in_m3_h=into, out_m3_h=out, hours=hours))
        self.assertTrue(min(now, comes) - 1e-9 <= found.then <= max(now, comes) + 1e-9)
        self.assertAlmostEqual(found.then, now + (comes - now) * found.new_pct / 100.0, places=6)
        half = moving(MovingCase(volume_m3=volume, now=now, comes=comes, in_m3_h=into, out_m3_h=out, hours=hours / 2.0))
        again = moving(
            MovingCase(volume_m3=half.volume_m3, now=half.then, comes=comes, in_m3_h=into, out_m3_h=out, hours=hours / 2.0)
        )
        self.assertAlmostEqual(again.then, found.then, places=6)

    @given(st.floats(100, 700), st.floats(100, 700), st.floats(0, 1), st.sampled_from(("its mass", "its logarithm (freeness)")))
    def test_what_may_be_blended_off_brings_the_mix_to_its_limit(self, good, bad, part, mixes):
        assume(abs(good - bad) > 1.0)
        limit = good + part * (bad - good)
        x = blend_off(BlendOffCase(good=good, bad=bad, limit=limit, mixes=mixes)).share_pct / 100.0
        mixed = (1 - x) * good + x * bad if mixes == "its mass" else math.exp((1 - x) * math.log(good) + x * math.log(bad))
        self.assertAlmostEqual(mixed, limit, places=6)

    @given(st.floats(0.1, 24), st.floats(100, 2000))
    def test_four_times_the_head_is_twice_the_jet(self, head, wire):
        one, four = (jet(JetCase(head_m=h, coefficient=1, wire_m_min=wire)) for h in (head, 4.0 * head))
        self.assertAlmostEqual(four.jet_m_min, 2.0 * one.jet_m_min, places=6)
        self.assertEqual(one.difference_m_min > 0.0, one.ratio > 1.0)
