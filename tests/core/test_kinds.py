"""What every kind of unit keeps to: it acts on what enters it and on nothing else, the same each time, twice as much on twice
as much; its figures are its models'; its upsets can be tried; its constants start at the published ones."""

import json
import math
import random
from dataclasses import replace

from django.test import SimpleTestCase, tag

from core.clean.unit import CascadePlan
from core.cook.unit import CookPlan
from core.errors import ImpossibleInput
from core.mill.reading import read_mill
from core.mill.run import Running, solve_mill
from core.refine.unit import RefinerPlan
from core.register import find
from core.unit import NOTHING, Inlet
from desk.shift.demo import DOCUMENT

INLETS = 6  # drawn for every unit


def scaled(inlet: Inlet, by: float) -> Inlet:
    """The same pulp, so much of it."""
    more = {f: by * getattr(inlet, f) for f in ("solids_t_h", "fibre_t_h", "water_t_h", "dissolved_t_h")}
    return replace(inlet, **more, solutes=tuple(by * v for v in inlet.solutes), parts=tuple(by * v for v in inlet.parts))


def twice_as_large(plan):
    """A unit that takes twice as much: twice as many cleaners and screens, refiners twice the size, else the same."""
    if isinstance(plan, RefinerPlan):
        sized = ("cel_km", "no_load_kw", "motor_kw", "gross_kw")
        return replace(plan, refiners=tuple(replace(r, **{f: 2 * getattr(r, f) for f in sized}) for r in plan.refiners))
    if not isinstance(plan, CascadePlan):
        return plan
    return replace(plan, stages=tuple(replace(s, cones_open=2 * s.cones_open) for s in plan.stages))


@tag("core")
class Kinds(SimpleTestCase):
    @classmethod
    def setUpClass(cls):
        super().setUpClass()
        cls.mill = read_mill(json.loads(DOCUMENT.read_text()))
        cls.gives = {k: 16.0 * s for k, s in cls.mill.grades["EX70"].shares.items()}
        cls.line = cls.run_line()

    @classmethod
    def run_line(cls, **how):
        return solve_mill(cls.mill, Running(feeds={}, gives=cls.gives, filler_t_h=1.6, **how), how and cls.line or None)

    def inlets(self, key: str):
        """What enters a unit now, then pulps near it: more or less, wetter or drier, stronger liquor, other kappa."""
        chance, inlet = random.Random(key), self.line.inlets[key]
        yield inlet
        for _ in range(INLETS):
            other = scaled(inlet, chance.uniform(0.4, 1.6))
            yield replace(
                other,
                water_t_h=other.water_t_h * chance.uniform(0.9, 1.1),
                dissolved_t_h=other.dissolved_t_h * chance.uniform(0.8, 1.2),
                temp_c=min(98.0, other.temp_c * chance.uniform(0.9, 1.1)),
                kappa=other.kappa * chance.uniform(0.8, 1.2),
            )

    def units(self):
        """Every unit that acts, with its plan and pulps near its own."""
        for key, plan in self.line.acting.items():
            yield key, plan, tuple(self.inlets(key))

    def test_a_unit_acts_the_same_each_time_and_by_its_inlet_alone(self):
        for key, plan, inlets in self.units():
            before = repr(plan)
            first = [repr(plan.act(inlet)) for inlet in inlets]
            again = [repr(plan.act(inlet)) for inlet in reversed(inlets)]
            with self.subTest(unit=key):
                self.assertEqual(first, again[::-1])
                self.assertEqual(repr(plan), before)

    def test_twice_the_pulp_takes_twice_as_much_and_becomes_the_same(self):
        for key, plan, inlets in self.units():
            if isinstance(plan, CookPlan) and plan.vessel == "continuous":
                continue  # its minutes follow its rate
            for inlet in inlets:
                one, two = plan.act(inlet), twice_as_large(plan).act(scaled(inlet, 2.0))
                with self.subTest(unit=key, inlet=inlet):
                    for name in ("dissolves", "liquor_on", "out_pct", "kappa", "iso_pct", "csf_ml"):
                        a, b = getattr(one, name), getattr(two, name)
                        self.assertEqual(a is None, b is None)
                        if a is not None:
                            self.assertTrue(math.isclose(a, b, rel_tol=1e-6, abs_tol=1e-9), (name, a, b))
                    self.assertEqual(set(one.duties), set(two.duties))
                    for name, value in one.duties.items():
                        self.assertTrue(math.isclose(2.0 * value, two.duties[name], rel_tol=1e-6, abs_tol=1e-6), name)
                    for name, shares in one.shares.items():
                        self.assertTrue(
                            all(math.isclose(a, b, abs_tol=1e-6) for a, b in zip(shares, two.shares[name], strict=True))
                        )
                    for solute, value in one.adds.items():
                        self.assertTrue(math.isclose(2.0 * value, two.adds[solute], rel_tol=1e-6, abs_tol=1e-6), solute)

    def test_shares_are_shares_and_quality_can_be(self):
        for key, plan, inlets in self.units():
            for inlet in inlets:
                acts = plan.act(inlet)
                with self.subTest(unit=key, inlet=inlet):
                    for share in (acts.dissolves, acts.liquor_on):
                        self.assertTrue(share is None or 0.0 <= share <= 1.0, share)
                    self.assertTrue(acts.out_pct is None or 0.0 < acts.out_pct <= 60.0)
                    self.assertTrue(acts.kappa is None or 0.0 <= acts.kappa <= 250.0)
                    self.assertTrue(acts.iso_pct is None or 0.0 < acts.iso_pct <= 95.0)
                    self.assertTrue(acts.csf_ml is None or 0.0 < acts.csf_ml <= 1500.0)
                    for caution in acts.cautions:
                        self.assertTrue(caution.text.strip())

    def test_what_a_unit_shows_is_its_models_answer_to_the_case_that_it_shows(self):
        shown = 0
        for key, plan, inlets in self.units():
            for worked in plan.act(inlets[0]).worked:
                with self.subTest(unit=key, model=worked.model):
                    self.assertEqual(repr(find(worked.model).function(worked.case)), repr(worked.result))
                    shown += 1
        self.assertGreater(shown, 12)

    def test_nothing_that_enters_is_no_error(self):
        for key, plan, _ in self.units():
            with self.subTest(unit=key):
                acts = plan.act(NOTHING)
                for name, value in acts.duties.items():
                    self.assertTrue(math.isfinite(value) and abs(value) < 1e-6, (name, value))
                for solute, value in acts.adds.items():
                    self.assertTrue(abs(value) < 1e-6, solute)

    def test_settings_set_to_themselves_are_the_same_unit(self):
        for key, plan, inlets in self.units():
            with self.subTest(unit=key):
                same = plan.set_to(plan.settings())
                self.assertEqual(repr(same.act(inlets[1])), repr(plan.act(inlets[1])))
                self.assertEqual(set(plan.settings()), set(plan.settable()))
                with self.assertRaises(ImpossibleInput) as refused:
                    plan.set_to({"no_such": 1.0})
                self.assertIn("is no setting of this unit", str(refused.exception))

    def test_constants_at_their_defaults_are_the_published_model(self):
        for key, plan, inlets in self.units():
            published = {c.field: c.default for c in plan.constants()}
            with self.subTest(unit=key):
                self.assertEqual({f: getattr(plan, f) for f in published}, published)
                self.assertEqual(repr(replace(plan, **published).act(inlets[2])), repr(plan.act(inlets[2])))
                for c in plan.constants():
                    self.assertTrue(c.low < c.default < c.high and c.sd > 0.0 and c.tests, c)

    def test_pulp_of_more_kappa_leaves_with_more_and_darker(self):
        tried = 0
        for key, plan, inlets in self.units():
            inlet = inlets[0]
            if inlet.kappa <= 1.0 or isinstance(plan, CookPlan):
                continue  # a cook makes its kappa of wood
            soft, hard = plan.act(replace(inlet, kappa=0.95 * inlet.kappa)), plan.act(replace(inlet, kappa=1.05 * inlet.kappa))
            with self.subTest(unit=key):
                if soft.kappa is not None:
                    self.assertLess(soft.kappa, hard.kappa)
                    tried += 1
                if soft.iso_pct is not None:
                    self.assertGreater(soft.iso_pct, hard.iso_pct)
        self.assertGreaterEqual(tried, 3)

    def test_every_upset_can_be_tried_and_is_felt(self):
        tried = 0
        for key, plan, _ in self.units():
            for upset in plan.upsets():
                with self.subTest(unit=key, upset=upset.name):
                    self.assertLessEqual(set(upset.settings), set(plan.settable()))
                    for name, value in upset.settings.items():
                        self.assertIsNone(plan.settable()[name].problem(value))
                    line = self.run_line(settings={key: dict(upset.settings)})
                    self.assertLess(line.solution.worst_closure, 1e-9)
                    i = line.solution.network.index
                    apart = max(
                        float(abs(line.solution.into[i[u.id]] - self.line.solution.into[i[u.id]]).max())
                        for u in self.mill.units
                    )
                    self.assertTrue(apart > 1e-4 or repr(line.acts[key]) != repr(self.line.acts[key]))
                    tried += 1
        self.assertGreater(tried, 20)
