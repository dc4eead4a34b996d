"""Recovered paper: the fourteen steps row by row, laws of ink and light, the line as a unit, least cost against a grid."""

import random
from dataclasses import replace

import numpy as np
from django.test import SimpleTestCase, tag

from core.calc import read_case
from core.catalogue import find
from core.errors import ImpossibleInput, Infeasible
from core.recovered import flotation, peroxide, thicken
from core.recovered.again import AgainCase, again, kept
from core.recovered.cheapest import all_cost, cheapest
from core.recovered.ink import Ink, dispersed, fresh, pulped
from core.recovered.light import brightness
from core.recovered.line import FOURTEEN, LineCase, Step, line, run
from core.recovered.unit import MixPart, RecoveredPlan
from core.recovered.water import WaterCase, WaterFound, fresh_for, water
from core.stream import INDEX, N, stream
from core.unit import NOTHING, ON

PARTS = {
    "LF": 0.35,
    "SF": 0.34,
    "FN": 0.13,
    "FL": 0.155,
    "INK": 0.00075,
    "STK": 0.002,
    "SND": 0.001,
    "PLS": 0.002,
    "SHV": 0.002,
}
LINE = read_case(find("recovered.line"), find("recovered.line").checks[0].given)
ROWS = (  # yield %, ash %, ERIC, on the fibre %, stickies, dirt, s, brightness
    (99.35, 19.07, 903.1, 50.0, 5918, 2466, 79.95, 57.53),
    (98.65, 19.16, 907.8, 9.3, 5663, 2434, 80.31, 57.53),
    (98.16, 19.22, 911.3, 9.3, 5634, 2397, 80.59, 57.52),
    (97.61, 19.31, 915.6, 9.3, 5099, 2170, 80.85, 57.51),
    (88.17, 14.91, 310.0, 29.6, 3479, 1201, 73.59, 65.23),
    (87.70, 14.84, 306.4, 30.0, 3393, 1026, 73.55, 65.28),
    (87.09, 14.92, 307.9, 30.0, 1025, 620, 73.74, 65.28),
    (86.77, 14.90, 304.9, 30.3, 720, 591, 73.70, 65.33),
    (84.11, 13.72, 275.6, 34.4, 706, 598, 71.56, 65.43),
    (84.11, 13.72, 303.2, 7.7, 247, 149, 71.56, 64.86),
    (83.75, 13.78, 304.5, 7.7, 248, 150, 71.65, 67.60),
    (79.43, 11.67, 180.5, 13.4, 195, 95, 68.05, 69.97),
    (77.25, 10.67, 153.5, 16.1, 195, 97, 66.19, 70.33),
    (77.25, 10.67, 153.5, 16.1, 195, 97, 66.19, 71.52),
)


def drawn(seed: int) -> LineCase:
    """What may come, and steps of any kind in any order."""
    chance = random.Random(seed)
    steps = []
    for _ in range(chance.randint(1, 12)):
        kind = chance.choice(("takes", "pulper", "flotation", "thickener", "washer", "disperger", "peroxide", "dithionite"))
        how = {
            "lf": chance.uniform(0, 3),
            "fl": chance.uniform(0, 5),
            "stk": chance.uniform(0, 80),
            "ink_5": chance.uniform(0, 5),
        }
        how |= {"kwh_t": chance.uniform(0, 80), "minutes": chance.uniform(0, 100), "dose": chance.uniform(0, 25)}
        steps.append(
            Step(name=kind, **how, ta=chance.uniform(0.3, 2.0), air=chance.uniform(0, 2), water_pct=chance.uniform(0, 8))
        )
    comes = {"lf": chance.uniform(0.1, 0.4), "sf": chance.uniform(0.1, 0.4), "fn": chance.uniform(0.05, 0.3)}
    comes |= {"fl": chance.uniform(0.0, 0.3), "eric_ppm": chance.uniform(50, 1500), "a0": chance.uniform(0, 0.8)}
    return LineCase(**comes, stickies=4000.0, dirt=2000.0, mechanical=chance.random(), steps=tuple(steps))


@tag("core")
class FourteenSteps(SimpleTestCase):
    def test_every_row_of_the_line(self):
        after = run(LINE)[1:]
        for i, (at, row) in enumerate(zip(after, ROWS, strict=True), start=1):
            got = (at.yield_pct, at.ash_pct, at.eric_ppm, at.on_fibre_pct, at.stickies_mm2_kg, at.dirt_mm2_kg, at.s, at.iso_pct)
            for value, wanted, near in zip(got, row, (0.006, 0.006, 0.06, 0.06, 0.6, 0.6, 0.006, 0.006), strict=True):
                with self.subTest(step=i, wanted=wanted):
                    self.assertAlmostEqual(value, wanted, delta=near)

    def test_half_the_energy_leaves_more_ink_after_the_same_cells(self):
        found = []
        for kwh, minutes in ((22.0, 18.0), (11.0, 9.0)):
            ink = pulped(fresh(0.5), kwh_t=kwh, minutes=minutes, pct=15.0, ph=9.5, e_a=12.0, k_r=0.004)
            how = {"cells": 5, "minutes": 2.0, "air": 1.0, "water_pct": 4.0}
            fibre = 0.4 * flotation.left(flotation.K["LF"], 0.10, **how) + 0.6 * flotation.left(flotation.K["SF"], 0.10, **how)
            found.append(flotation.floated(ink, fibre, **how).total)
        np.testing.assert_allclose(found, (0.30584, 0.39083), atol=1e-4)


@tag("core")
class Laws(SimpleTestCase):
    def test_nothing_is_made_and_every_mass_stays_one(self):
        for seed in range(60):
            case = drawn(seed)
            with self.subTest(seed=seed):
                after = run(case)
                for a, b in zip(after, after[1:], strict=False):
                    self.assertLessEqual(b.total, a.total + 1e-12)
                    self.assertLessEqual(b.ink.total, a.ink.total + 1e-15)
                    self.assertLessEqual(b.stickies, a.stickies + 1e-9)
                    self.assertAlmostEqual(a.total - b.total, b.taken, places=12)
                    self.assertGreaterEqual(min(*b.ink.free, b.ink.attached, b.ink.redeposited), 0.0)
                    self.assertGreaterEqual(min(b.solids.values()), 0.0)
                    self.assertTrue(0.0 < b.iso_pct < 100.0 and b.s > 0.0)

    def test_ink_is_kept_by_pulping_and_dispersing_and_only_changes_its_place(self):
        ink = Ink(free=(0.1, 0.3, 0.1, 0.05), attached=0.4, redeposited=0.05)
        for now in (dispersed(ink, 60.0), pulped(ink, kwh_t=30.0, minutes=25.0, pct=15.0, ph=8.0, e_a=12.0, k_r=0.004)):
            self.assertAlmostEqual(now.total, ink.total, places=12)
        self.assertLess(dispersed(ink, 60.0).on_fibre, ink.on_fibre)
        self.assertGreater(dispersed(ink, 60.0).free[0], ink.free[0])

    def test_more_cells_air_or_water_take_more_and_no_time_nothing_but_water(self):
        base = {"cells": 5, "minutes": 2.0, "air": 1.0, "water_pct": 4.0}
        for k, e in zip(flotation.INK_K, flotation.INK_E, strict=True):
            was = flotation.left(k, e, **base)
            for name, more in (("cells", 6), ("minutes", 3.0), ("air", 1.4), ("water_pct", 6.0)):
                self.assertLess(flotation.left(k, e, **{**base, name: more}), was, (k, name))
        self.assertAlmostEqual(flotation.left(0.0, 1.0, **base), 0.96)
        self.assertAlmostEqual(flotation.left(0.2, 0.5, **{**base, "minutes": 0.0, "water_pct": 0.0}), 1.0)

    def test_more_peroxide_at_the_same_alkali_never_darkens_and_no_time_does_nothing(self):
        for ta in (0.4, 0.9, 1.4, 2.2):
            for minutes in (10.0, 60.0, 180.0):
                how = {"mechanical": 0.65, "minutes": minutes, "temp_c": 65.0}
                left = [peroxide.factor(dose, ta, **how) for dose in (0.0, 2.0, 5.0, 10.0, 20.0, 40.0)]
                self.assertEqual(left, sorted(left, reverse=True), (ta, minutes))
        self.assertEqual(peroxide.factor(18.0, 1.2, mechanical=0.65, minutes=0.0, temp_c=65.0), 1.0)

    def test_filler_washed_out_darkens_at_equal_ink_and_ink_is_the_ceiling(self):
        self.assertLess(brightness(5.0, 58.0), brightness(5.0, 68.0))
        washed = replace(
            LINE, steps=(Step(name="takes", fl=60.0, ink_5=60.0, ink_25=60.0, ink_150=60.0, ink_more=60.0, ink_fibre=60.0),)
        )
        self.assertLess(run(washed)[-1].s, run(washed)[0].s)

    def test_a_mat_thinner_than_its_feed_is_refused_at_its_step(self):
        with self.assertRaises(ImpossibleInput) as refusal:
            line(replace(LINE, steps=(LINE.steps[0], replace(LINE.steps[8], to_pct=0.8))))
        self.assertEqual([p.field for p in refusal.exception.problems], ["steps.2.to_pct"])
        self.assertIsInstance(thicken.thicken(thicken.ThickenCase(feed_pct=4.0, to_pct=3.0)), Infeasible)


@tag("core")
class AsUnit(SimpleTestCase):
    plan = RecoveredPlan(name="x", rejects="sludge", mechanical=0.65, stickies=6000.0, steps=LINE.steps)

    def inlet(self):
        parts = [0.0] * N
        for name, share in (("LF", 0.25), ("SF", 0.375), ("FN", 0.17), ("FL", 0.19), ("SND", 0.007), ("PLS", 0.008)):
            parts[INDEX[name]] = 3.0 * share
        parts[INDEX["INK"]], parts[INDEX["STK"]], parts[INDEX["W"]] = 3.0 * 900e-6, 0.006, 60.0
        return replace(NOTHING, solids_t_h=3.0, fibre_t_h=2.4, water_t_h=60.0, parts=tuple(parts))

    def test_its_shares_are_the_lines(self):
        acts = self.plan.act(self.inlet())
        end = acts.worked[0].result.after[-1]
        on = acts.shares[ON]
        self.assertAlmostEqual(on[INDEX["FL"]], end.solids["FL"] / 0.19)
        self.assertAlmostEqual(on[INDEX["LF"]] * 0.25, end.solids["LF"])
        self.assertAlmostEqual(on[INDEX["INK"]] * 900e-6, end.ink.total)
        self.assertAlmostEqual(acts.iso_pct, 71.52, delta=0.01)
        self.assertAlmostEqual(acts.duties["H2O2_kg_h"], 18.05 * 3.0 * 0.8411, delta=0.05)
        self.assertIsNone(acts.turns)

    def test_pulping_harder_breaks_fibre_and_the_masses_still_close(self):
        steps = (self.plan.steps[0], replace(self.plan.steps[1], kwh_t=45.0), *self.plan.steps[2:])
        acts = replace(self.plan, steps=steps).act(self.inlet())
        k, on = np.array(acts.turns), np.array(acts.shares[ON])
        np.testing.assert_allclose(k.sum(axis=0), 1.0, atol=1e-12)
        end = acts.worked[0].result.after[-1]
        out = on * (k @ np.array(self.inlet().parts))
        for name in ("LF", "SF", "FN"):
            self.assertAlmostEqual(out[INDEX[name]], 3.0 * end.solids[name], places=9)

    def test_grey_is_a_setting_and_nothing_that_comes_is_no_fault(self):
        grey = self.plan.set_to({"to_step": 9.0})
        self.assertEqual(len(grey.passed), 9)
        self.assertAlmostEqual(grey.act(self.inlet()).iso_pct, 65.43, delta=0.01)
        self.assertEqual(self.plan.act(NOTHING).duties["H2O2_kg_h"], 0.0)
        self.assertIn("dose.11", self.plan.settings())


@tag("core")
class LeastCost(SimpleTestCase):
    def test_it_is_no_dearer_than_a_grid_and_meets_the_brightness(self):
        case = replace(LINE, steps=tuple(Step(**s) for s in FOURTEEN[:11]))
        least = cheapest(case, 67.0)
        self.assertGreaterEqual(least.found.iso_pct, 66.97)
        best = min(
            all_cost(c)
            for air in np.linspace(0.3, 1.6, 8)
            for kwh in np.linspace(0.0, 100.0, 6)
            for dose in np.linspace(0.0, 30.0, 13)
            if run(c := self.set(case, air, kwh, dose))[-1].iso_pct >= 67.0
        )
        self.assertLessEqual(all_cost(replace(case, steps=self.after(case, least))), best * 1.001)
        self.assertGreater(least.saves, 0.0)
        self.assertIn("brightness", least.binds[0])

    def set(self, case, air, kwh, dose):
        steps = list(case.steps)
        steps[4], steps[9] = replace(steps[4], air=air), replace(steps[9], kwh_t=kwh)
        ta = peroxide.best_alkali(dose, mechanical=case.mechanical, minutes=90.0, temp_c=65.0)
        steps[10] = replace(steps[10], dose=dose, ta=ta)
        return replace(case, steps=tuple(steps))

    def after(self, case, least):
        steps = list(case.steps)
        for m in least.moves:
            name, _, i = m.setting.partition(".")
            steps[int(i) - 1] = replace(steps[int(i) - 1], **{name: m.after})
        return tuple(steps)

    def test_brighter_than_can_be_names_the_brightest(self):
        beyond = cheapest(LINE, 90.0)
        self.assertIsInstance(beyond, Infeasible)
        self.assertLess(beyond.nearest, 80.0)


@tag("core")
class Water(SimpleTestCase):
    """The two loops, one more recycle, soap, a second stage."""

    def drawn(self, seed: int) -> WaterCase:
        chance = random.Random(seed)
        paper = chance.uniform(1, 20)
        first = paper * chance.uniform(0.8, 0.99)
        return WaterCase(
            paper_t_h=paper,
            first_t_h=first,
            first_pct=chance.uniform(5, 30),
            made_t_h=first * chance.uniform(0.8, 0.99),
            made_pct=chance.uniform(5, 30),
            fresh_m3_t=chance.uniform(12, 60),
            seals_m3_t=chance.uniform(0, 5),
            pulping_kg_t=chance.uniform(5, 40),
            bleach_kg_t=chance.uniform(0, 20),
        )

    def test_water_and_what_is_dissolved_in_it_go_somewhere(self):
        for seed in range(60):
            case = self.drawn(seed)
            found = water(case)
            self.assertIsInstance(found, WaterFound)
            self.assertLess(abs(found.gap_pct), 1e-9)
            made = case.made_t_h
            sludge = (case.paper_t_h - made) * (100 / case.sludge_pct - 1)
            comes = found.fresh_m3_t * made + case.paper_t_h * case.moisture_pct / (100 - case.moisture_pct)
            goes = found.effluent_m3_t * made + made * (100 / case.made_pct - 1) + sludge
            self.assertAlmostEqual(comes, goes, places=8)
            self.assertGreater(found.first_mg_l, 0.0)

    def test_more_fresh_water_thins_both_loops_and_the_way_back_finds_it(self):
        for seed in range(12):
            case = self.drawn(seed)
            now, more = water(case), water(replace(case, fresh_m3_t=case.fresh_m3_t + 5))
            self.assertLess((more.first_mg_l, more.second_mg_l), (now.first_mg_l, now.second_mg_l))
            self.assertLess(more.second_mg_l, now.second_mg_l)
            self.assertAlmostEqual(fresh_for(case, now.second_mg_l), case.fresh_m3_t, places=3)
        dry = water(replace(self.drawn(1), fresh_m3_t=0.0, seals_m3_t=0.0))
        self.assertIsInstance(dry, Infeasible)
        self.assertIsInstance(water(replace(self.drawn(1), fresh_m3_t=dry.nearest + 1e-6, seals_m3_t=0.0)), WaterFound)
        self.assertIsInstance(fresh_for(self.drawn(1), 1e-3), Infeasible)
        with self.assertRaisesMessage(ImpossibleInput, "over what leaves the first loop"):
            water(replace(self.drawn(1), made_t_h=self.drawn(1).first_t_h * 1.1))

    def test_strength_falls_most_at_first_and_mechanical_pulp_keeps_it(self):
        falls = [again(AgainCase(rounds=n, mechanical=0.0)).falls_pct for n in range(8)]
        self.assertEqual(falls, sorted(falls, reverse=True))
        self.assertAlmostEqual(kept(50.0), 0.7, places=9)
        self.assertEqual(again(AgainCase(mechanical=1.0)).falls_pct, 0.0)
        self.assertLess(again(AgainCase(shorter_pct=4)).length_mm, again(AgainCase(shorter_pct=1)).length_mm)

    def test_soap_buys_brightness_up_to_a_point_and_costs(self):
        def at(dose: float):
            steps = tuple(replace(s, dose=dose) if s.name == "flotation" else s for s in LINE.steps)
            return line(replace(LINE, steps=steps))

        iso = [at(d).iso_pct for d in (0.0, 0.5, 1.0, 2.0, 3.0, 6.0)]
        self.assertEqual(iso, sorted(iso))
        self.assertAlmostEqual(at(3.0).iso_pct, line(LINE).iso_pct)  # the rates are given for it
        self.assertGreater(iso[1] - iso[0], iso[4] - iso[3])
        least = cheapest(LINE, 71.0)
        self.assertTrue(any(m.called.endswith("soap") for m in least.moves))

    def test_a_second_stage_loses_less_and_tells_ink_from_fibre_better(self):
        found = flotation.second(flotation.SecondCase(solids=0.1, ink=0.6))
        self.assertLess(found.lost_pct, 10.0)
        self.assertGreater(found.z, found.alone)
        self.assertEqual(flotation.lost_by_both(0.3, 0.0), 0.3)

    def test_hot_steps_take_steam_and_the_dissolved_rides_on(self):
        plan = RecoveredPlan(name="r", steps=LINE.steps)
        inlet = replace(NOTHING, solids_t_h=2.0, parts=tuple(2.0 * x for x in stream(**PARTS).flows))
        acts = plan.act(inlet)
        self.assertEqual([(s.to_c, s.cons_pct) for s in acts.warmth.stages], [(50.0, 30.0), (65.0, 15.0), (50.0, 10.0)])
        self.assertEqual(acts.warmth.stages[0].keeps, 1.0)  # no loop water between the disperger and the peroxide
        self.assertLess(acts.warmth.stages[1].keeps, 0.1)
        loops = acts.worked[1]
        self.assertEqual(loops.model, "recovered.water")
        self.assertAlmostEqual(acts.adds["COD"], 18.0 * 2.0 + 8.0 * loops.case.first_t_h)

    def test_another_mix_changes_what_comes_in_the_way_the_whole_feed_would(self):
        papers = tuple(
            MixPart(kind=k, share=s, moisture_pct=8, ash_pct=a, unwanted_pct=2, eric_ppm=e, stickies=4000)
            for k, s, a, e in (("a", 60, 18, 900), ("b", 40, 12, 300))
        )
        plan = RecoveredPlan(name="r", steps=LINE.steps, papers=papers, stickies=4000, unwanted_pct=2)
        feed = plan.loads(2.0 * stream(**PARTS).flows)
        inlet = replace(NOTHING, solids_t_h=2.0, parts=tuple(feed.tolist()))
        new, comes = plan.remixed(inlet, {"a": 20, "b": 80})
        direct = new.loads(2.0 * stream(**PARTS).flows)
        self.assertAlmostEqual(comes.parts[INDEX["INK"]], direct[INDEX["INK"]], places=9)
        self.assertAlmostEqual(comes.parts[INDEX["FL"]], direct[INDEX["FL"]], delta=2e-3)
        self.assertAlmostEqual(sum(comes.parts), sum(inlet.parts), places=9)
        self.assertLess(new.case(comes).eric_ppm, plan.case(inlet).eric_ppm)
