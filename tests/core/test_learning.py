"""Constants of units learnt from samples: what was put into synthetic mills is found again, what they cannot tell is said."""

import json
import math
import random
from dataclasses import replace

import numpy as np
from django.test import SimpleTestCase, tag

from core.errors import Infeasible
from core.lab.methods import TESTS
from core.learn import LEAST, Constant, Problem, rms, settle, softened_prior
from core.mill.learning import History, InForce, Sample, learn, learners, teachers, untaught
from core.mill.reading import read_mill
from core.mill.run import Running, solve_mill
from core.mill.signals import MEANS
from core.practice.bleach import BrightCase, brightness_move
from core.practice.row import ROWS
from desk.shift.demo import DOCUMENT

HOUR = 60.0


class Line(SimpleTestCase):
    """The demo mill's document, solved; samples are made by its own models with constants that a test chooses."""

    @classmethod
    def setUpClass(cls):
        super().setUpClass()
        cls.mill = read_mill(json.loads(DOCUMENT.read_text()))
        cls.gives = {k: 16.0 * s for k, s in cls.mill.grades["EX70"].shares.items()}
        cls.line = cls.run_line()
        cls.learners = learners(cls.mill, cls.line)

    @classmethod
    def run_line(cls, **how):
        return solve_mill(cls.mill, Running(feeds={}, gives=cls.gives, filler_t_h=1.6, **how))

    def truth(self, unit: str, row, values: dict, kappa: float | None = None) -> float:
        """What the row would read with these constants of the unit, on pulp of that kappa."""
        plan, inlet = replace(self.line.acting[unit], **values), self.line.inlets[unit]
        inlet = inlet if kappa is None else replace(inlet, kappa=kappa)
        return plan.facts(inlet, plan.act(inlet), row.stage if row.unit == unit else 0)[MEANS[row.test]]

    def sampled(self, unit: str, values: dict, *, n: int = 30, noise: float = 0.3, seed: int = 1) -> list[Sample]:
        """Samples of the rows at the unit itself, an hour apart, with a part of the test's repeatability as noise; the kappa
        that comes is read half an hour before each and swings."""
        chance, result = random.Random(seed), []
        near = self.feeds(unit)
        before = next((r for r in self.mill.plan.values() if r.test == "kappa" and r.unit in near and not r.stage), None)
        for i in range(n):
            kappa = None
            if before is not None and self.line.inlets[unit].kappa > 0.0:
                kappa = self.line.inlets[unit].kappa * (1.0 + 0.12 * math.sin(1.7 * i))
                result.append(Sample(row=before.id, minute=HOUR * i - 30.0, value=kappa))
            for row in self.learners[unit]:
                off = chance.gauss(0.0, noise * TESTS[row.test].r_abs)
                result.append(Sample(row=row.id, minute=HOUR * i, value=self.truth(unit, row, values, kappa) + off))
        return result

    def feeds(self, unit: str) -> set[str]:
        """The units straight before one, and before a washer that feeds it."""
        near = {u.id for u in self.mill.units for o in u.outlets if o.to == unit}
        return near | {u.id for u in self.mill.units for o in u.outlets if o.to in near}


@tag("core")
class FoundAgain(Line):
    # what is put in, by unit: bleaching, washing, refining and the peroxide tower of the demo mill
    TRUE = (
        ("K.bleach", {"extract_factor": 0.88, "brighten_factor": 0.80}),
        ("S.bleach", {"extract_factor": 0.75}),
        ("S.wash", {"e10_factor": 0.80}),
        ("M.tmp", {"e0_factor": 1.12}),
        ("M.bleach", {"brighten_factor": 0.75}),
    )

    def test_what_a_mill_is_made_with_is_learnt_and_halves_the_error_of_the_default(self):
        for unit, true in self.TRUE:
            found = learn(self.mill, self.line, unit, self.sampled(unit, true))
            with self.subTest(unit=unit):
                self.assertTrue(found.accepted)
                for field, value in true.items():
                    self.assertAlmostEqual(found.values[field], value, delta=0.04 * value)
                bounds = {c.field: (c.low, c.high, c.default) for c in self.line.acting[unit].constants()}
                for field, value in found.values.items():
                    low, high, default = bounds[field]
                    self.assertTrue(low <= value <= high)
                    signs = {c.field: c.sign for c in self.line.acting[unit].constants()}
                    self.assertTrue(signs[field] in found.signs or value == default)
                moved = [r for r in found.rows if r.before > 3.0 * r.after]
                self.assertTrue(moved)
                for r in found.rows:
                    self.assertLessEqual(r.after, r.left_out * 1.001)
                    self.assertGreater(r.half, r.left_out)

    def test_oxygen_is_learnt_from_the_kappa_behind_its_washers_by_its_share_of_the_pulp(self):
        rows = teachers(self.mill, self.line, "K.larch.o2")
        self.assertEqual([r.id for r in rows], ["K.post.kappa"])
        slow = self.run_line(constants={"K.larch.o2": {"rate_factor": 0.7}}).facts("K.post")["kappa"]
        self.assertGreater(slow, self.line.facts("K.post")["kappa"] + 0.5)
        chance = random.Random(2)
        samples = [Sample(row="K.post.kappa", minute=HOUR * i, value=slow + chance.gauss(0.0, 0.1)) for i in range(20)]
        found = learn(self.mill, self.line, "K.larch.o2", samples)
        self.assertTrue(found.accepted)
        self.assertAlmostEqual(found.values["rate_factor"], 0.7, delta=0.05)
        self.assertIn("kx: 25 samples at least", found.held)

    def test_samples_of_the_default_change_nothing(self):
        for unit, _ in self.TRUE:
            found = learn(self.mill, self.line, unit, self.sampled(unit, {}, seed=5))
            with self.subTest(unit=unit):
                self.assertFalse(found.accepted)
                for c in self.line.acting[unit].constants():
                    self.assertAlmostEqual(c.scaled(found.values[c.field]), c.scaled(c.default), delta=0.12)

    def test_constants_in_use_do_not_change_what_is_learnt(self):
        samples = self.sampled("S.bleach", {"extract_factor": 1.10})
        first = learn(self.mill, self.line, "S.bleach", samples)
        used = self.run_line(constants={"S.bleach": {"extract_factor": 1.4, "brighten_factor": 0.5}})
        again = learn(self.mill, used, "S.bleach", samples)
        self.assertAlmostEqual(first.values["extract_factor"], again.values["extract_factor"], delta=0.02)

    def test_of_many_mills_the_band_holds_new_samples(self):
        inside = tried = 0
        for seed in range(12):
            true = {"e0_factor": random.Random(seed).uniform(0.8, 1.25)}
            found = learn(self.mill, self.line, "M.tmp", self.sampled("M.tmp", true, n=16, seed=seed))
            row, chance = self.learners["M.tmp"][0], random.Random(1000 + seed)
            told = self.truth("M.tmp", row, dict(found.values))
            for _ in range(40):
                new = self.truth("M.tmp", row, true) + chance.gauss(0.0, 0.3 * TESTS[row.test].r_abs)
                inside += abs(new - told) <= found.rows[0].half
                tried += 1
        self.assertTrue(0.90 <= inside / tried <= 0.99, inside / tried)


@tag("core")
class NotTold(Line):
    def test_too_few_samples_and_a_unit_that_nothing_reads_are_refused_in_words(self):
        few = learn(self.mill, self.line, "M.tmp", self.sampled("M.tmp", {}, n=LEAST - 1))
        self.assertIsInstance(few, Infeasible)
        self.assertIn("a fit wants 8 at least", few.reason)
        self.assertIsInstance(learn(self.mill, self.line, "K.post", []), Infeasible)
        self.assertNotIn("K.post", self.learners)

    def test_each_line_of_washers_is_taught_by_its_own_loss_and_neither_by_a_shared_one(self):
        self.assertEqual([u for u in self.learners if u.endswith(".wash")], ["K.larch.wash", "K.alder.wash", "S.wash"])
        why = untaught(self.mill, self.line)
        self.assertEqual(why["K.post"], "no row reads what it gives")
        self.assertFalse(set(why) & set(self.learners))
        shared = json.loads(DOCUMENT.read_text())
        next(u for u in shared["units"] if u["id"] == "K.alder.wash")["acts"]["loss_row"] = "K.last_mat.soda_loss"
        mill = read_mill(shared)
        line = solve_mill(mill, Running(feeds={}, gives=self.gives, filler_t_h=1.6))
        self.assertEqual(teachers(mill, line, "K.larch.wash") + teachers(mill, line, "K.alder.wash"), ())
        self.assertEqual(untaught(mill, line)["K.larch.wash"], "K larch last mat is read for several lines together")

    def test_a_constant_that_comes_later_waits_for_samples(self):
        held = learn(self.mill, self.line, "M.tmp", self.sampled("M.tmp", {"e0_factor": 1.1}, n=12)).held
        self.assertEqual(held, ("CSF0: 25 samples at least",))

    def test_of_two_that_are_not_told_apart_the_first_is_learnt(self):
        found = learn(self.mill, self.line, "M.tmp", self.sampled("M.tmp", {"e0_factor": 1.1}, n=30))
        self.assertEqual(found.signs, ("E0",))
        self.assertTrue(any("CSF0: these samples do not tell it" in why for why in found.held))

    def test_one_wild_sample_moves_little(self):
        samples = self.sampled("M.tmp", {"e0_factor": 1.1}, n=20)
        wild = [replace(s, value=s.value + 300.0) if i == 7 else s for i, s in enumerate(samples)]
        clean, dirty = (learn(self.mill, self.line, "M.tmp", x).values["e0_factor"] for x in (samples, wild))
        self.assertAlmostEqual(clean, dirty, delta=0.02)

    def test_a_move_is_sized_as_the_line_answers_with_the_constants_in_use(self):
        row = ROWS["B3"]
        stage = next(r.stage for r in self.mill.plan.values() if r.unit == "K.bleach" and r.test == "brightness" and r.stage)
        name, step = f"charge.{stage}", 0.5
        for factor in (0.6, 1.0, 1.5):
            mine = {"K.bleach": {"brighten_factor": factor}}
            line = self.run_line(constants=mine)
            facts = line.facts("K.bleach", stage)
            self.assertEqual(facts["brighten_factor"], factor)
            wells = {well: facts[of] for well, of in row.solved.items()}
            gain = brightness_move(BrightCase(iso_pct=80.0, target=84.0, residual_g_l=0.0, **wells)).gain
            charge = line.acting["K.bleach"].settings()[name] + step
            more = self.run_line(constants=mine, settings={"K.bleach": {name: charge}})
            answer = (more.acts["K.bleach"].iso_pct - line.acts["K.bleach"].iso_pct) / step
            with self.subTest(factor=factor, gain=gain, answer=answer):
                self.assertAlmostEqual(gain, answer, delta=0.25 * answer)

    def test_values_of_a_unit_that_is_gone_are_left_aside(self):
        line = self.run_line(constants={"Z.gone": {"rate_factor": 2.0}, "K.larch.o2": {"no_such": 9.0}})
        self.assertAlmostEqual(line.facts("K.post")["kappa"], self.line.facts("K.post")["kappa"], places=9)


@tag("core")
class WhatCameIn(Line):
    def history(self, samples, in_force=None) -> History:
        return History(self.mill, self.line, samples, in_force or {})

    def test_the_newest_kappa_before_a_sample_counts_and_an_old_one_does_not(self):
        row = self.mill.plan["S.blow.kappa"]
        samples = [Sample(row=row.id, minute=m, value=v) for m, v in ((0.0, 15.0), (30.0, 16.0), (90.0, 17.0))]
        history = self.history(samples)
        self.assertEqual(history.kappa_into("S.bleach", 60.0, {}), 16.0)  # the washer between leaves it as it comes
        self.assertEqual(history.kappa_into("S.bleach", 95.0, {}), 17.0)
        late = history.kappa_into("S.bleach", 90.0 + 3.0 * row.interval_min + 1.0, {})
        self.assertAlmostEqual(late, self.line.inlets["S.bleach"].kappa, places=6)

    def test_two_lines_mix_by_their_pulp_and_the_line_as_it_runs_is_found_again(self):
        history = self.history([])
        self.assertAlmostEqual(history.kappa_into("K.post", 0.0, {}), self.line.inlets["K.post"].kappa, places=6)
        ends = [history.kappa_into("K.post", 0.0, {"K.larch.o2": k, "K.alder.o2": 20.0}) for k in (10.0, 20.0)]
        self.assertTrue(10.0 < ends[0] < ends[1])
        self.assertAlmostEqual(ends[1], 20.0, places=9)

    def test_settings_count_from_when_they_were_put_in_force(self):
        put = {
            "K.larch.o2": (InForce(minute=100.0, settings={"naoh_kg": 12.0}), InForce(minute=200.0, settings={"naoh_kg": -5.0}))
        }
        history = self.history([], put)
        now = self.line.acting["K.larch.o2"]
        self.assertEqual(history.plan_at("K.larch.o2", 50.0), now)
        self.assertEqual(history.plan_at("K.larch.o2", 150.0).naoh_kg, 12.0)
        self.assertEqual(history.plan_at("K.larch.o2", 250.0), now)  # what the set-up no longer allows counts as none


class Straight(Problem):
    """y = a + b x with unit errors: the answer is known."""

    def __init__(self, some, x, y):
        super().__init__(some)
        self.x, self.y = np.array(x), np.array(y)
        self.white = np.ones((len(x), 1, 1))

    def errors(self, x):
        told = self.values(x)
        return (told.get("a", 0.0) + told.get("b", 0.0) * self.x - self.y)[None]

    def slopes(self, x):
        each = {"a": np.ones(len(self.x)), "b": self.x}
        return np.array([each[c.field] for c in self.some])[:, None, :]


@tag("core")
class LeastSquares(SimpleTestCase):
    A, B = (Constant(field=f, sign=f, name=f, low=-9.0, high=9.0, sd=100.0) for f in "ab")

    def fitted(self, x, y, some=None, **more):
        return settle(some or (self.A, self.B), lambda few: Straight(few, x, y), **more)

    def test_a_straight_line_is_found_and_left_out_errors_are_those_of_fits_without_the_sample(self):
        chance = random.Random(3)
        x = [0.1 * i for i in range(20)]
        y = [2.0 + 0.5 * v + chance.gauss(0.0, 0.01) for v in x]
        done = self.fitted(x, y)
        self.assertAlmostEqual(done.problem.values(done.x)["a"], 2.0, delta=0.02)
        self.assertAlmostEqual(done.problem.values(done.x)["b"], 0.5, delta=0.02)
        for i in (0, 9, 19):
            few = self.fitted([v for j, v in enumerate(x) if j != i], [v for j, v in enumerate(y) if j != i])
            told = few.problem.values(few.x)
            self.assertAlmostEqual(done.left_out[0][i], y[i] - told["a"] - told["b"] * x[i], delta=1e-4)

    def test_a_prior_is_a_plain_square_under_the_softened_loss(self):
        for d in (-3.0, -0.5, 0.0, 1e-9, 0.7, 12.0):
            z = float(softened_prior(np.array([d]))[0])
            self.assertAlmostEqual(2.0 * (math.sqrt(1.0 + z * z) - 1.0), d * d, places=6)

    def test_what_cannot_be_told_apart_or_at_all_stays_at_its_default(self):
        same = self.fitted([2.0] * 10, [5.0] * 10)  # one point of x: intercept and slope are one
        self.assertEqual(same.signs, ("a",))
        self.assertEqual(same.held, ("b: these samples do not tell it from a",))
        tight = Constant(field="b", sign="b", name="b", low=-9.0, high=9.0, sd=0.01)
        none = self.fitted([0.0] * 10, [5.0] * 10, some=(self.A, tight), untold=True)
        self.assertEqual((none.signs, none.held), (("a",), ("b: these samples do not tell it",)))

    def test_bounds_are_kept_and_told(self):
        done = self.fitted([float(i) for i in range(10)], [30.0 * i for i in range(10)], some=(self.B,))
        self.assertEqual(done.at_bound, ("b",))
        self.assertLessEqual(done.problem.values(done.x)["b"], 9.0)

    def test_nothing_to_fit_is_the_default(self):
        done = settle((), lambda few: Straight(few, [1.0, 2.0], [0.0, 1.0]), held=("all: why",))
        self.assertEqual((done.signs, done.held, list(done.left_out[0])), ((), ("all: why",), [0.0, 1.0]))
        self.assertTrue(math.isnan(rms(np.array([]))))
