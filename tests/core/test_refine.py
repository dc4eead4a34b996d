"""Refining: monotone in energy, one state for passes in series, set points that reach what is wanted, the two schools."""

from dataclasses import replace

from django.test import SimpleTestCase, tag
from hypothesis import assume, given
from hypothesis import strategies as st

import tests.profile  # noqa: F401
from core.errors import ImpossibleInput, Infeasible
from core.refine.fit import Log, LogCase, fit
from core.refine.furnish import FURNISHES, STRENGTHS
from core.refine.life import LifeCase, Reading, life
from core.refine.load import PointCase, ShareCase, Unit, set_point, share
from core.refine.response import EnergyCase, FreenessCase, Pass, StrengthCase, energy, freeness, strength
from core.refine.together import TogetherCase, together
from core.refine.unit import Refiner, RefinerPlan, schools, set_for, trade_off
from core.unit import NOTHING, Inlet

SOFT = "softwood bleached kraft"
PLAN = RefinerPlan(
    name="two",
    furnish=SOFT,
    refiners=(
        Refiner(name="A", cel_km=6.2, rpm=600, no_load_kw=62, motor_kw=315, gross_kw=195),
        Refiner(name="B", cel_km=8.8, rpm=600, no_load_kw=84, motor_kw=400, gross_kw=271),
    ),
)
FED = Inlet(solids_t_h=6.6, fibre_t_h=6.5, water_t_h=160, dissolved_t_h=0.1, temp_c=50, kappa=1, iso_pct=86, csf_ml=560)
furnishes, sels = st.sampled_from(sorted(FURNISHES)), st.floats(0.2, 5.0)


@tag("core")
class Laws(SimpleTestCase):
    @given(furnishes, sels, st.floats(1, 180), st.floats(1, 60))
    def test_more_energy_gives_less_freeness_and_two_passes_are_one(self, furnish, sel, kwh, more):
        csf0 = FURNISHES[furnish].csf0

        def out(*passes):
            return freeness(FreenessCase(furnish=furnish, csf_in=csf0, passes=passes)).csf_ml

        once = out(Pass(kwh_t=kwh + more, sel=sel))
        self.assertLess(once, out(Pass(kwh_t=kwh, sel=sel)))
        self.assertAlmostEqual(once, out(Pass(kwh_t=kwh, sel=sel), Pass(kwh_t=more, sel=sel)), places=8)
        self.assertGreater(once, FURNISHES[furnish].csf_inf - 1e-9)

    @given(furnishes, sels, st.floats(0.1, 0.8), st.floats(0.1, 0.9), st.floats(4.5, 10), st.floats(20, 70), st.floats(0, 1))
    def test_the_energy_for_a_freeness_gives_it(self, furnish, sel, came, goes, ph, temp_c, wear):
        f = FURNISHES[furnish]
        csf_in = f.csf0 - came * 0.6 * (f.csf0 - f.csf_inf)
        to_csf = csf_in - goes * 0.7 * (csf_in - f.csf_inf)
        told = {"furnish": furnish, "csf_in": csf_in, "ph": ph, "temp_c": temp_c, "wear": wear}
        wanted = energy(EnergyCase(to_csf=to_csf, sel=sel, **told))
        assume(wanted.kwh_t <= 500.0)  # more is asked of no pass
        found = freeness(FreenessCase(passes=(Pass(kwh_t=wanted.kwh_t, sel=sel),), **told))
        self.assertAlmostEqual(found.csf_ml, to_csf, places=6)
        point = set_point(PointCase(to_csf=to_csf, od_t_h=5, cel_km=9, rpm=600, no_load_kw=70, **told))
        again = freeness(FreenessCase(passes=(Pass(kwh_t=point.kwh_t, sel=point.sel),), **told))
        self.assertAlmostEqual(again.csf_ml, to_csf, places=6)

    @given(st.sampled_from(sorted(STRENGTHS)), sels, sels, st.floats(5, 150))
    def test_length_is_only_lost_by_cutting_and_harder_plates_cut_more(self, furnish, one, two, kwh):
        gentle, hard = (
            strength(StrengthCase(furnish=furnish, length_mm=2, passes=(Pass(kwh_t=kwh, sel=s),))) for s in sorted((one, two))
        )
        self.assertGreaterEqual(gentle.left + 1e-12, hard.left)
        self.assertTrue(0.6 - 1e-4 <= hard.left <= gentle.left <= 1.0)

    @given(st.lists(st.floats(0.5, 60), min_size=1, max_size=8), st.floats(10, 3000))
    def test_a_shared_load_sums_and_none_is_more_intense(self, edges, kw):
        found = share(ShareCase(net_kw=kw, units=tuple(Unit(cel_km=e, rpm=600) for e in edges)))
        self.assertAlmostEqual(sum(found.each), kw, places=6)
        for e, took in zip(edges, found.each, strict=True):
            self.assertAlmostEqual(took / (e * 10.0), found.sel, places=9)


@tag("core")
class Plans(SimpleTestCase):
    @given(st.floats(300, 540), st.floats(2, 12))
    def test_refiners_set_for_a_freeness_reach_it_at_one_edge_load_within_their_motors(self, want, od_t_h):
        there = set_for(PLAN, 560, od_t_h, want)
        if isinstance(there, Infeasible):
            most = replace(PLAN, refiners=tuple(replace(r, gross_kw=r.motor_kw) for r in PLAN.refiners))
            self.assertGreater(freeness(most.case(560, od_t_h)).csf_ml, want)
            self.assertAlmostEqual(there.nearest, freeness(most.case(560, od_t_h)).csf_ml, places=3)
            return
        self.assertAlmostEqual(freeness(there.case(560, od_t_h)).csf_ml, want, places=2)
        self.assertTrue(all(r.no_load_kw <= r.gross_kw <= r.motor_kw + 1e-9 for r in there.refiners))
        free = [r.sel for r in there.refiners if r.gross_kw < r.motor_kw - 1e-6]
        self.assertAlmostEqual(min(free, default=0), max(free, default=0), places=6)

    def test_the_schools_differ_in_energy_tensile_and_tear(self):
        gentle, hard = schools(PLAN, 560, 455, (1.5, 4.0))
        self.assertGreater(gentle.kwh_t, hard.kwh_t)
        self.assertGreater(gentle.tensile, hard.tensile)
        self.assertGreater(gentle.length_mm, hard.length_mm)
        curve = trade_off(PLAN, 560, 2.5, (540, 500, 460, 420))
        self.assertEqual([s.tensile for s in curve], sorted(s.tensile for s in curve))  # strength is bought with drainage

    def test_what_refined_before_is_counted_and_a_learnt_factor_scales_all_alike(self):
        dear = replace(PLAN, e0_factor=1.2)
        self.assertGreater(freeness(dear.case(560, 6)).csf_ml, freeness(PLAN.case(560, 6)).csf_ml)
        (one,), (other,) = schools(PLAN, 560, 455, (2.5,)), schools(dear, 560, 455, (2.5,))
        self.assertAlmostEqual(other.kwh_t, 1.2 * one.kwh_t, places=6)

    def test_a_unit_of_the_line_says_its_freeness_power_and_what_is_unusual(self):
        acts = PLAN.act(FED)
        self.assertEqual(acts.csf_ml, acts.worked[0].result.csf_ml)
        self.assertAlmostEqual(acts.duties["power_mw"], 0.466)
        self.assertEqual(PLAN.act(NOTHING).csf_ml, None)
        hard = PLAN.set_to({"gross_kw.2": 400}).act(FED)
        self.assertIn("gross_kw.2", [c.field for c in hard.cautions])
        with self.assertRaisesMessage(ImpossibleInput, "401"):
            PLAN.set_to({"gross_kw.2": 401})

    def test_a_mill_of_its_own_is_learnt_within_its_own_band(self):
        """Pairs made with another E0, told with no noise: what was left out is met, and the default’s error was not."""
        truth = 1.25 * FURNISHES[SOFT].e0
        rows = []
        for i in range(14):
            kwh, sel = 40.0 + 9.0 * i, 1.8 + 0.12 * (i % 7)
            out = freeness(FreenessCase(furnish=SOFT, csf_in=690, e0_factor=1.25, passes=(Pass(kwh_t=kwh, sel=sel),))).csf_ml
            rows.append(Log(kwh_t=kwh, sel=sel, csf_in=690, csf_out=out))
        found = fit(LogCase(furnish=SOFT, rows=tuple(rows)))
        self.assertEqual(found.used, 1.0)
        self.assertLess(abs(found.e0 / truth - 1.0), 0.02)
        self.assertLess(found.left_out_ml, 0.2 * found.before_ml)
        few = fit(LogCase(furnish=SOFT, rows=tuple(rows[:4])))
        self.assertEqual((few.used, few.cautions[0].field), (0.0, "rows"))


@tag("core")
class TogetherOrApart(SimpleTestCase):
    @given(st.integers(10, 90), st.floats(300, 500), st.floats(0.5, 3.5))
    def test_both_ways_blend_to_what_is_wanted(self, share, want, sel):
        case = TogetherCase(long_pct=share, csf_long=650, csf_short=540, to_csf=want, sel_both=sel, sel_long=2.5, sel_short=0.6)
        found = together(case)
        f = share / 100.0
        self.assertAlmostEqual(min(found.apart_csf, 650) ** f * min(found.apart_csf, 540) ** (1 - f), want, places=3)
        ends = [
            freeness(FreenessCase(furnish=n, csf_in=c, passes=(Pass(kwh_t=found.both_kwh_t, sel=sel),))).csf_ml
            for n, c in ((case.long_fibre, 650), (case.short_fibre, 540))
        ]
        self.assertAlmostEqual(ends[0] ** f * ends[1] ** (1 - f), want, places=3)
        if sel > 0.9:
            self.assertLess(found.both_short_left, found.apart_short_left)  # the softwood’s plates cut the short fibre
        self.assertIsInstance(together(replace(case, to_csf=640)), Infeasible)

    def test_refiners_in_parallel_share_the_pulp_by_their_edge(self):
        beside = replace(PLAN, arranged="parallel")
        (one,) = beside.passes(6.0)
        net = sum(r.net_kw for r in PLAN.refiners)
        self.assertAlmostEqual(one.kwh_t, net / 6.0, places=4)
        self.assertAlmostEqual(sum(beside.share_t_h(r, 6.0) for r in beside.refiners), 6.0)
        self.assertAlmostEqual(one.sel, net / sum(r.edge for r in PLAN.refiners), places=5)
        there = set_for(beside, 560, 6.0, 450)
        self.assertAlmostEqual(freeness(there.case(560, 6.0)).csf_ml, 450, places=2)
        self.assertGreater(beside.act(FED).csf_ml, 0.0)

    @given(st.floats(-0.01, -0.0005), st.floats(4, 9), st.integers(5, 12))
    def test_plates_that_wear_evenly_last_to_their_line(self, slope, new, count):
        readings = tuple(Reading(h=100.0 * i, y=new + slope * 100.0 * i) for i in range(count))
        found = life(LifeCase(limit=0.4 * new, readings=readings))
        self.assertAlmostEqual(found.hours, 0.6 * new / -slope, delta=1e-3 * found.hours)
        self.assertTrue(found.low - 1e-6 * found.hours <= found.hours <= found.high + 1e-6 * found.hours)
        self.assertIsInstance(life(LifeCase(limit=2 * new, readings=readings)), Infeasible)
        self.assertIsInstance(life(LifeCase(limit=0.4 * new, readings=readings[:3])), Infeasible)
