"""Acid sulphite and bisulphite: bounded however long they cook, one way in every lever, and a unit of a line."""

import math

from django.test import SimpleTestCase, tag
from hypothesis import given
from hypothesis import strategies as st

import tests.profile  # noqa: F401
from core.cook.acid import SulphitePlan
from core.cook.sulphite import BisulphiteCase, SulphiteCase, SulphiteTimeCase, bisulphite, sulphite, sulphite_time
from core.errors import ImpossibleInput, Infeasible
from core.mill import draft as drafting
from core.mill.trial import tried
from core.unit import NOTHING
from tests.core.test_draft import whole

heats, holds, bars = st.floats(125, 150), st.floats(0, 1500), st.floats(4, 9)


def acid(**more) -> SulphiteCase:
    return SulphiteCase(**({"rise_min": 180.0, "cook_c": 140.0, "hold_min": 240.0, "bar": 7.0} | more))


@tag("core")
class Cooks(SimpleTestCase):
    @given(cook_c=heats, hold=holds, bar=bars)
    def test_kappa_and_yield_stay_within_what_a_pulp_can_be(self, cook_c, hold, bar):
        found = sulphite(acid(cook_c=cook_c, hold_min=hold, bar=bar))
        self.assertTrue(4.0 < found.kappa < 200.0)
        self.assertTrue(30.0 < found.yield_pct <= 93.0)
        over = any("overcooked" in c.text for c in found.cautions)
        self.assertEqual(over, found.yield_pct < 42.0 or found.kappa < 10.0)

    @given(cook_c=st.floats(125, 148), hold=st.floats(30, 600), bar=st.floats(5, 8.5), more=st.floats(0.1, 1.5))
    def test_more_heat_time_or_pressure_takes_lignin_and_yield(self, cook_c, hold, bar, more):
        base = sulphite(acid(cook_c=cook_c, hold_min=hold, bar=bar))
        for longer in (
            acid(cook_c=cook_c, hold_min=hold + 60 * more, bar=bar),
            acid(cook_c=cook_c, hold_min=hold, bar=bar + more),
        ):
            found = sulphite(longer)
            self.assertGreater(found.s, base.s)
            self.assertLess(found.yield_pct, base.yield_pct)
            if base.s < 700.0:  # beyond, the carbohydrate that goes takes kappa up again
                self.assertLess(found.kappa, base.kappa)

    @given(kappa=st.floats(10, 60), cook_c=heats, bar=st.floats(5, 9))
    def test_the_hours_left_end_at_the_kappa_that_was_asked(self, kappa, cook_c, bar):
        found = sulphite_time(SulphiteTimeCase(kappa=kappa, s_so_far=0.0, cook_c=cook_c, bar=bar))
        if isinstance(found, Infeasible):
            self.assertIn(found.field, ("kappa", "bar"))
            return
        lignin = 0.30 + 26.70 * math.exp(-0.0085 * found.s_wanted)
        carb = 30.0 + (36.0 - 0.45 * (27.0 - lignin)) * math.exp(-9.1e-4 * found.s_wanted)
        self.assertAlmostEqual(100.0 * lignin / (lignin + carb) / 0.15, kappa, places=4)

    def test_what_no_sulphite_pulp_is_cannot_be_asked(self):
        found = sulphite_time(SulphiteTimeCase(kappa=7.0, s_so_far=0.0, cook_c=140.0, bar=7.0))
        self.assertIsInstance(found, Infeasible)
        self.assertEqual(found.nearest, 8.0)

    @given(minutes=st.floats(1, 1500), cook_c=st.floats(150, 168), ph=st.floats(3, 5))
    def test_bisulphite_is_bounded_and_falls_with_time(self, minutes, cook_c, ph):
        one, more = (
            bisulphite(BisulphiteCase(minutes=m, cook_c=cook_c, hso3_mol_l=0.75, ph=ph))
            for m in (minutes, min(1500.0, minutes + 5))
        )
        self.assertTrue(3.0 < one.kappa < 200.0)
        self.assertTrue(30.0 < one.yield_pct <= 93.0)
        self.assertLessEqual(more.yield_pct, one.yield_pct)


@tag("core")
class SulphiteUnit(SimpleTestCase):
    """A digester of the line: what it is set to decides what comes, in the line as on its page."""

    @classmethod
    def setUpClass(cls):
        super().setUpClass()
        cls.document = whole("sulphite")

    def test_the_line_runs_by_it_and_what_changes_is_felt_below(self):
        base = tried(self.document).line
        worked = base.acts["X.sulphite"].worked[0]
        self.assertEqual(base.acts["X.sulphite"].kappa, worked.result.kappa)
        self.assertAlmostEqual(base.inlets["X.wash"].kappa, worked.result.kappa, places=6)
        fed, made = base.inlets["X.sulphite"].solids_t_h, base.inlets["X.wash"].fibre_t_h
        self.assertAlmostEqual(made / fed, worked.result.yield_pct / 100.0, delta=0.01)
        hotter = drafting.typed(self.document, "units", "X.sulphite", {"acts.cook_c": "143"})
        after = tried(hotter).line
        self.assertLess(after.acts["X.sulphite"].kappa, base.acts["X.sulphite"].kappa)
        self.assertLess(after.inlets["X.wash"].fibre_t_h, made)
        self.assertGreater(after.solute_kg_h("X.wash", "COD"), base.solute_kg_h("X.wash", "COD"))

    def test_its_settings_go_round_and_are_bounded(self):
        plan = SulphitePlan(rise_min=180.0, cook_c=140.0, hold_min=240.0, bar=7.0)
        self.assertEqual(plan.set_to(plan.settings()), plan)
        self.assertEqual(plan.set_to({"hold_min": 300.0}).case.hold_min, 300.0)
        with self.assertRaisesMessage(ImpossibleInput, "at most 170"):
            plan.set_to({"cook_c": 400.0})
        self.assertEqual(plan.facts(NOTHING, plan.act(NOTHING))["temp_c"], 140.0)
