"""What units know of themselves, what a row of the practice table takes from it, and how long a reading leads."""

import json
import math
from dataclasses import replace

from django.test import SimpleTestCase, tag
from hypothesis import given, settings
from hypothesis import strategies as st

import core.catalogue  # noqa: F401
from core.cook.belt import BeltCase, ClassRow, PartRow, belt_found
from core.cook.charged import LogPoint
from core.cook.follow import doubt
from core.cook.house import BatchRow, HouseCase, house
from core.cook.kinetic import Charge, cook
from core.cook.profile import h_factor, thinned
from core.cook.running import as_run, as_run_case, running, running_case
from core.cook.species import Fitted
from core.cook.unit import Made
from core.deliver.release import CardTest, bound, bound_case, judge_test
from core.errors import ImpossibleInput
from core.judge.fresh import leads, led, row_leads
from core.lab.methods import TESTS
from core.mill.document import METERED
from core.mill.reading import read_mill
from core.mill.run import Running, moisture_of, solve_mill
from core.mill.signals import MEANS, signals, solved_at
from core.practice.bleach import peroxide_left
from core.practice.table import ROWS
from core.quantity import quantities
from core.register import find
from core.unit import AIR_DRY
from desk.shift.demo import DOCUMENT
from tests.profile import examples

ages, weights = st.floats(0, 2000), st.floats(0, 1)


@tag("core")
class Fresh(SimpleTestCase):
    """A reading leads, then fades, and is never heard louder as it grows older."""

    @given(age=ages, older=st.floats(0, 500), interval=st.floats(15, 480))
    def test_it_only_fades(self, age, older, interval):
        now, later = row_leads(age, interval), row_leads(age + older, interval)
        self.assertTrue(0.0 <= later <= now <= 1.0)
        self.assertEqual(row_leads(2.0 * interval, interval), 1.0)
        self.assertEqual(row_leads(3.0 * interval + 1e-6, interval), 0.0)

    @given(reading=st.floats(1, 90), plan=st.floats(1, 90), weight=weights)
    def test_what_holds_lies_between_the_reading_and_the_plan(self, reading, plan, weight):
        value = led(reading, plan, weight)
        self.assertGreaterEqual(value, min(reading, plan) - 1e-9)
        self.assertLessEqual(value, max(reading, plan) + 1e-9)
        self.assertAlmostEqual(led(reading, plan, 0.0), plan)
        self.assertAlmostEqual(led(reading, plan, 1.0), reading)

    def test_steps_are_twentieths(self):
        seen = {leads(age / 100.0, fully=0.5, at_most=1.0) for age in range(101)}
        self.assertEqual(len(seen), 21)
        self.assertTrue(all(abs(20.0 * w - round(20.0 * w)) < 1e-9 for w in seen))

    @given(weight=weights)
    def test_a_kept_cook_fades_into_the_model(self, weight):
        kept, model = Made(yield_pct=46.0, kappa=33.0, weight=weight), Made(yield_pct=44.0, kappa=29.0)
        now = kept.beside(model)
        self.assertAlmostEqual(now.kappa, 29.0 + 4.0 * weight)
        self.assertAlmostEqual(now.yield_pct, 44.0 + 2.0 * weight)


@tag("core")
class Facts(SimpleTestCase):
    @classmethod
    def setUpClass(cls):
        super().setUpClass()
        cls.document = json.loads(DOCUMENT.read_text())
        cls.mill = read_mill(cls.document)
        cls.gives = {k: 16.0 * s for k, s in cls.mill.grades["EX70"].shares.items()}
        cls.line = cls.run_line()

    @classmethod
    def run_line(cls, **how):
        return solve_mill(cls.mill, Running(feeds={}, gives=cls.gives, filler_t_h=1.6, **how))

    def test_every_unit_tells_finite_facts_of_its_own_pulp(self):
        for unit, inlet in self.line.inlets.items():
            facts = self.line.facts(unit)
            with self.subTest(unit=unit):
                self.assertAlmostEqual(facts["adt_h"] * AIR_DRY, inlet.solids_t_h)
                self.assertTrue(all(isinstance(v, str) or math.isfinite(v) for v in facts.values()), facts)

    def test_what_a_row_takes_from_its_unit_is_known_there_and_fits_its_wells(self):
        for place in self.mill.moves.values():
            practice = ROWS[place.row]
            if not place.unit:
                continue
            facts, said = self.line.facts(place.unit, place.stage), quantities(find(practice.model).case_class)
            known = {name for name, fact in practice.solved.items() if fact in facts}
            with self.subTest(move=place.key):
                self.assertTrue(known or not practice.solved or practice.id == "B6")  # an acid stage charges no alkali
                self.assertLessEqual(known, set(said))
                for name in known:
                    self.assertIsNone(said[name].problem(facts[practice.solved[name]]), name)
                # what the line knows is not typed into the set-up as well
                self.assertFalse(known & set(place.opens))

    def test_every_name_of_a_row_is_a_well_of_its_model(self):
        for practice in ROWS.values():
            if practice.model:
                wells = set(quantities(find(practice.model).case_class))
                with self.subTest(row=practice.id):
                    self.assertLessEqual({*practice.solved, *practice.turned}, wells)

    def test_rows_of_the_plan_are_told_by_the_models_where_they_name_a_unit(self):
        told = {r.id: solved_at(self.line, r) for r in self.mill.plan.values() if r.unit}
        self.assertGreater(len(told), 12)
        for row, value in told.items():
            low, high = TESTS[self.mill.plan[row].test].possible
            with self.subTest(row=row):
                self.assertIsNotNone(value)
                self.assertTrue(low <= value <= high)
        self.assertTrue(set(MEANS) <= set(TESTS))

    def test_stages_pass_kappa_and_brightness_on(self):
        for unit, plan in self.mill.bleach_plans.items():
            if not plan.sequence:
                continue
            stages = [self.line.facts(unit, i) for i in range(1, len(plan.charges) + 1)]
            for before, after in zip(stages, stages[1:], strict=False):
                with self.subTest(unit=unit):
                    self.assertAlmostEqual(before["kappa"], after["kappa_in"])
                    self.assertAlmostEqual(before["iso_pct"], after["iso_in"])
            self.assertEqual([round(s["charge_kg"], 6) for s in stages], [round(c, 6) for c in plan.charges])
            for told in stages:  # what is left a litre and what is left of the charge are one quantity
                with self.subTest(unit=unit, charge=told["charge_kg"]):
                    left = told["residual_g_l"] * AIR_DRY * (100.0 - told["cons_pct"]) / told["cons_pct"]
                    self.assertAlmostEqual(left, told["left_pct"] / 100.0 * told["charge_kg"], places=9)
            self.assertAlmostEqual(stages[-1]["iso_pct"], self.line.acts[unit].iso_pct)
            self.assertAlmostEqual(stages[0]["kappa_in"], self.line.inlets[unit].kappa, places=6)

    def test_what_recovered_paper_loses_is_its_sludge(self):
        inlet, facts = self.line.inlets["R.float"], self.line.facts("R.float")
        self.assertAlmostEqual(facts["sludge_t_h"], inlet.solids_t_h * (1.0 - facts["yield_pct"] / 100.0), places=6)

    def test_the_plants_take_what_their_stages_take(self):
        """The duty of a chemical is the sum over stages and units, kg/ADt times ADt/h."""
        for name, fact in (("ClO2", "clo2_kg"), ("H2O2", "h2o2_kg")):
            told = 0.0
            for unit, plan in self.mill.bleach_plans.items():
                stages = range(1, len(plan.charges) + 1) if plan.sequence else (0,)
                told += sum(self.line.facts(unit, i).get(fact, 0.0) * self.line.facts(unit, i)["adt_h"] for i in stages)
            told += sum(a.duties.get(f"{name}_kg_h", 0.0) for k, a in self.line.acts.items() if k == "R.float")
            with self.subTest(chemical=name):
                self.assertAlmostEqual(told, self.line.duty(f"{name}_kg_h"), delta=1e-6 * told)

    @given(g_l=st.floats(0, 5), charge=st.floats(1, 30), cons=st.floats(8, 30))
    def test_peroxide_left_is_counted_by_its_liquor(self, g_l, charge, cons):
        pct = peroxide_left(g_l, {"h2o2_kg": charge, "cons_pct": cons})
        self.assertTrue(0.0 <= pct <= 100.0)
        if pct < 100.0:
            self.assertAlmostEqual(pct * charge / 100.0, g_l * AIR_DRY * (100.0 - cons) / cons, places=6)
        self.assertIsNone(peroxide_left(g_l, {"h2o2_kg": 0.0, "cons_pct": cons}))
        self.assertIsNone(peroxide_left(g_l, {}))

    def test_a_meter_that_there_is_none_of_is_refused(self):
        row = self.mill.plan["K.chips.moisture"]
        with self.assertRaisesMessage(ImpossibleInput, "no meter reads moisture"):
            replace(row, online=True).tried()
        meters = {s.tag: s for s in signals(self.mill)}
        for r in self.mill.plan.values():
            self.assertEqual(r.tag in meters and meters[r.tag].row == r.id, r.metered, r.id)
            if r.metered:
                self.assertIn(meters[r.tag].kind, METERED.values())

    def test_moisture_of_the_set_up(self):
        self.assertAlmostEqual(moisture_of(self.mill, "K.larch.chips"), self.document_moisture("K.larch.chips"), places=6)
        self.assertEqual(moisture_of(self.mill, "K.bleach"), 0.0)

    def document_moisture(self, unit: str) -> float:
        part = next(u for u in self.document["units"] if u["id"] == unit)
        return 100.0 - part["cons_pct"]

    def test_a_cook_half_faded_lies_between_what_it_made_and_the_plan(self):
        kept = {w: self.run_line(makes={"K.larch.cook": Made(yield_pct=46.0, kappa=36.0, weight=w)}) for w in (0.0, 0.5, 1.0)}
        kappas = [kept[w].acts["K.larch.cook"].kappa for w in (0.0, 0.5, 1.0)]
        self.assertAlmostEqual(kappas[0], self.line.acts["K.larch.cook"].kappa)
        self.assertAlmostEqual(kappas[1], (kappas[0] + kappas[2]) / 2.0)
        self.assertEqual(kappas[2], 36.0)


@tag("core")
class EarlyBlow(SimpleTestCase):
    @given(share=st.floats(0.3, 1.3), kappa=st.floats(15, 60), predicted=st.floats(15, 60))
    def test_only_an_ordinary_kappa_of_an_early_blow_is_doubted(self, share, kappa, predicted):
        said = doubt(1600.0 * share, 1600.0, kappa, predicted)
        self.assertEqual(bool(said), share < 0.90 and predicted - kappa >= 4.0)
        if said:
            self.assertIn(f"kappa {predicted:.0f}", said)

    def test_a_cook_without_a_plan_is_not_doubted(self):
        self.assertEqual(doubt(100.0, 0.0, 20.0, 60.0), "")


@tag("core")
class Thinned(SimpleTestCase):
    """A log is thinned to its bends without changing what it cooks."""

    @given(
        st.lists(st.tuples(st.floats(0.5, 6.0), st.floats(-2.0, 2.0)), min_size=3, max_size=120),
        st.integers(2, 60),
    )
    def test_ends_stay_time_rises_and_h_is_kept(self, steps, most):
        minute, temp, log = 0.0, 80.0, [(0.0, 80.0)]
        for dt, noise in steps:
            minute += dt
            temp = min(170.0, temp + dt)
            log.append((minute, temp + noise))
        kept = thinned(tuple(log), most)
        self.assertEqual((kept[0], kept[-1][0]), ((0.0, 80.0), round(minute, 1)))
        self.assertTrue(all(a[0] < b[0] for a, b in zip(kept, kept[1:], strict=False)))
        self.assertTrue({m for m, _ in kept} <= {round(m, 1) for m, _ in log})

    def test_a_thermometers_log_cooks_the_same(self):
        log = tuple((float(m), min(170.0, 80.0 + m) + 0.3 * math.sin(m)) for m in range(0, 200, 1))
        kept = thinned(log, 60)
        self.assertLessEqual(len(kept), 60)
        self.assertAlmostEqual(h_factor(kept) / h_factor(log), 1.0, delta=0.01)
        whole, short = (cook("larch", CHARGE, points) for points in (log, kept))
        self.assertAlmostEqual(whole.kappa, short.kappa, delta=0.3)


CHARGE = Charge(ea_pct_naoh=18.0, sulphidity_pct=28.4, lw_m3_t=4.1)


@tag("core")
class Worked(SimpleTestCase):
    """What pages tell of cooks, belts, houses and lots is what their registered models tell of the very case."""

    PLAN = ((0.0, 80.0), (95.0, 170.0), (185.0, 170.0))

    def test_a_running_cook_ends_as_its_log_will_when_it_is_run_on(self):
        case = running_case(
            "larch", CHARGE, log=self.PLAN[:2], plan=self.PLAN, target=30.0, coefficients=Fitted(), band=8.1, measured=()
        )
        now = running(case)
        ended = as_run(as_run_case("larch", CHARGE, self.PLAN, Fitted()))
        self.assertAlmostEqual(now.kappa, ended.kappa, places=6)
        self.assertAlmostEqual(now.residual_g_l, ended.residual_g_l, places=6)
        at = as_run(as_run_case("larch", CHARGE, (*self.PLAN[:2], (now.stop_min, 170.0)), Fitted()))
        self.assertAlmostEqual(at.kappa, 30.0, delta=0.2)
        self.assertAlmostEqual(now.h_then, at.h, delta=2.0)

    @given(st.floats(1.0, 20.0), st.integers(1, 6))
    def test_more_digesters_make_more_pulp_and_never_less_steam(self, steam, digesters):
        row = {"rise_min": 95.0, "hold_min": 90.0, "steam_t_h": steam, "hold_steam_t_h": 0.15 * steam, "pulp_t": 10.0}
        at = lambda n: house(  # noqa: E731
            HouseCase(batches=tuple(BatchRow(rise_at=60.0 * i, **row) for i in range(n)), digesters=n, tank_now_t=5.0)
        )
        one, more = at(digesters), at(digesters + 1)
        self.assertGreater(more.adt_day, one.adt_day)
        self.assertGreaterEqual(more.steam_most_t_h, one.steam_most_t_h)
        self.assertGreaterEqual(more.tank_most_t, one.tank_most_t)
        self.assertAlmostEqual(one.cycle_h, more.cycle_h)

    @given(st.lists(st.floats(300, 450), min_size=1, max_size=12), st.floats(5, 30))
    def test_a_lots_bound_is_the_verdicts(self, values, sd):
        test = CardTest(key="csf", low=350.0, high=math.inf, critical=True, results=tuple(values), history_sd=sd, history_n=40)
        told, verdict = bound(bound_case(test)), judge_test(test)
        self.assertAlmostEqual(told.mean, verdict.mean)
        self.assertAlmostEqual(told.lower, verdict.lower)
        self.assertEqual(told.spare >= 0.0, not verdict.low_misses)

    @settings(max_examples=examples(16))
    @given(st.floats(1.0, 15.0), st.floats(0.0, 30.0))
    def test_a_belt_keeps_its_wood(self, feed, presteam):
        found = belt_found(
            BeltCase(
                parts=(PartRow(share=62, moisture_pct=48.7, rho_b=510), PartRow(share=38, moisture_pct=43.8, rho_b=500)),
                classes=(ClassRow(mm=3, share=60.0), ClassRow(mm=9, share=40.0)),
                presteam_min=presteam,
                feed_t_h=feed,
                species="larch",
                ea_pct_naoh=18.0,
                sulphidity_pct=28.4,
                lw_m3_t=4.1,
                points=tuple(LogPoint(minute=m, temp_c=t) for m, t in self.PLAN),
            )
        )
        self.assertAlmostEqual(found.wet_t_h * (1.0 - found.moisture_pct / 100.0), feed)
        self.assertLessEqual(found.knots_longer_pct, found.knots_pct + 1e-9)
        self.assertEqual(found.over_thick_pct, 40.0)
