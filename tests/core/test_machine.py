"""The machine and its broke: mass closes through a break and by both schools; a grade comes through as its chest mixes."""

import math
from dataclasses import replace

import numpy as np
from django.test import SimpleTestCase, tag
from hypothesis import given
from hypothesis import strategies as st

import tests.profile  # noqa: F401
from core.blend.broke import SUITS, Store, UseCase, use_up
from core.calc import read_case
from core.deliver.breaks import BreakCase, ChangeCase, broken, changed
from core.errors import ImpossibleInput
from core.practice.row import ROWS
from core.register import find
from core.stock.agitation import AgeCase, age
from core.stock.layers import LayersCase, LevelStep, layers, mixed_through
from core.stock.mixing import step_mixed, step_moving

BREAK = BreakCase(web_t_h=16, minutes=30, made_t_h=0.9, draw_t_h=16, share_pct=7, content_t=12, full_t=24)
STORES = (
    Store(name="white", t=12, full_t=24, made_t_h=1.0),
    Store(name="tinted", t=8, full_t=10, made_t_h=0.5, k457=14.0, suits=SUITS[1]),
)
USE = UseCase(draw_t_h=16, hours=10, iso_least=78.5, rest_k=0.9, rest_s=38, stores=STORES)


@tag("core")
class Breaks(SimpleTestCase):
    @given(st.floats(1, 40), st.floats(0, 300), st.floats(0, 3), st.floats(0, 20), st.floats(0, 0.95))
    def test_what_comes_is_in_the_tower_taken_or_over(self, web, minutes, made, share, filled):
        case = replace(BREAK, web_t_h=web, minutes=minutes, made_t_h=made, share_pct=share, content_t=24 * filled)
        found = broken(case)
        taken = share / 100.0 * 16.0 * minutes / 60.0
        then = 24.0 * found.level_pct / 100.0
        self.assertAlmostEqual(case.content_t + found.comes_t + made * minutes / 60.0 - taken, then + found.over_t, places=7)
        self.assertGreaterEqual(found.over_t, 0.0)
        if found.over_t > 1e-9 and filled < 0.949:
            self.assertLess(found.full_min, minutes + 1e-6)

    def test_the_share_that_brings_it_back_does_and_a_full_tower_is_told(self):
        found = broken(BREAK)
        rise = 24.0 * found.level_pct / 100.0 - 12.0
        self.assertAlmostEqual(BREAK.back_h * (found.share_pct / 100.0 * 16.0 - 0.9), rise, places=9)
        over = broken(replace(BREAK, content_t=21))
        self.assertEqual([c.field for c in over.cautions], ["minutes", "share_pct"][: len(over.cautions)])
        self.assertEqual(broken(replace(BREAK, made_t_h=2.0)).hours, math.inf)
        with self.assertRaisesMessage(ImpossibleInput, "the tower holds 24"):
            broken(replace(BREAK, content_t=25))

    @given(st.floats(5, 40), st.floats(1, 30), st.floats(0.01, 0.5))
    def test_a_change_is_through_when_its_chest_has_mixed(self, draw, chest, tolerance):
        case = ChangeCase(before_t_h=draw, after_t_h=draw, chest_t=chest, tanks=1, step=1.0, tolerance=tolerance)
        found = changed(case)
        self.assertAlmostEqual(step_mixed(1.0, 0.0, found.minutes, 60.0 * chest / draw), tolerance, places=9)
        drained = changed(replace(case, drained_pct=50))
        self.assertLessEqual(drained.minutes, found.minutes)
        self.assertLessEqual(changed(replace(case, tanks=3)).minutes, found.minutes * 3.0)

    def test_a_change_that_is_borne_takes_no_time_and_one_too_fine_or_too_slow_is_refused_at_its_own_field(self):
        case = ChangeCase(before_t_h=16, after_t_h=16, chest_t=8, tanks=1, step=1.0, tolerance=0.02)
        for tolerance, drained in ((1.0, 100), (0.9995, 100), (0.5, 50), (7.0, 100)):
            self.assertEqual(changed(replace(case, tolerance=tolerance, drained_pct=drained)).minutes, 0.0)
        for other, field in (({"tolerance": 5e-6}, "tolerance"), ({"after_t_h": 0.001, "chest_t": 9000}, "after_t_h")):
            with self.subTest(field=field), self.assertRaises(ImpossibleInput) as refused:
                changed(replace(case, **other))
            self.assertEqual([p.field for p in refused.exception.problems], [field])

    @given(st.floats(0, 100), st.floats(1, 500), st.floats(0.5, 100))
    def test_a_tower_s_age_is_its_plug_and_its_mixed_part(self, mixed, volume, flow):
        found = age(AgeCase(volume_m3=volume, flow_m3_h=flow, mixed_pct=mixed))
        self.assertAlmostEqual(found.age_h, volume / flow, places=9)
        self.assertLessEqual(found.first_h, found.age_h + 1e-9)
        self.assertGreaterEqual(found.most_h, found.first_h)
        self.assertEqual(age(AgeCase(volume_m3=volume, flow_m3_h=0)).age_h, math.inf)


@tag("core")
class Broke(SimpleTestCase):
    @given(st.floats(1, 200), st.floats(0, 20), st.floats(0, 2), st.floats(0, 2), st.floats(1, 30))
    def test_both_schools_close_and_neither_breaks_the_card(self, hours, most, white, tinted, k):
        stores = (replace(STORES[0], made_t_h=white), replace(STORES[1], made_t_h=tinted, k457=k))
        case = replace(USE, hours=hours, most_pct=most, stores=stores)
        found = use_up(case)
        for store, told in zip(stores, found.stores, strict=True):
            self.assertAlmostEqual(store.t + store.made_t_h * hours, told.used_t + told.left_t + told.over_t, places=7)
        self.assertLessEqual(found.apart_pct, most + 1e-9)
        self.assertLessEqual(found.together_pct, most + 1e-9)
        self.assertEqual(found.stores[1].used_t, 0.0)

    def test_a_strong_shade_thrown_in_costs_more_than_it_clears(self):
        light, dark = use_up(replace(USE, stores=(STORES[0], replace(STORES[1], k457=1.0)))), use_up(USE)
        self.assertGreater(light.together_t, dark.together_t)
        self.assertGreater(light.better, dark.better)
        self.assertIn("bale it, or run its grade", dark.cautions[0].text)


@tag("core")
class Rows(SimpleTestCase):
    def test_rows_of_stock_blend_and_delivery_stand_only_outside_their_band_and_within_one_move(self):
        ours = [p for p in ROWS.values() if p.station in ("stock", "blend", "deliver")]
        self.assertEqual(len(ours), 16)
        for p in ours:
            model = find(p.model)
            for check in model.checks:
                found = model.function(read_case(model, check.given))
                with self.subTest(row=p.id, given=check.given):
                    self.assertEqual(found.stands, abs(found.after - found.before) > 1e-12 or self.other_lever(found))
                    self.assertTrue(min(found.low, found.before) - 1e-9 <= found.after <= max(found.high, found.before) + 1e-9)

    @staticmethod
    def other_lever(found) -> bool:
        """A row that may answer by a second lever: refining in place of long fibre."""
        return getattr(found, "kwh_t", 0.0) > 0.0


@tag("core")
class Layers(SimpleTestCase):
    levels = st.lists(st.tuples(st.floats(0.1, 4), st.floats(0, 100), st.floats(0, 30)), min_size=1, max_size=30)

    @given(levels, st.floats(0, 100), st.floats(0, 100))
    def test_what_lies_in_it_is_what_came_and_was_not_drawn(self, told, level, mixed):
        steps = tuple(LevelStep(hours=h, level_pct=pct, rate_out=out) for h, pct, out in told)
        found = layers(LayersCase(capacity=80, level_pct=level, mixed_pct=mixed, steps=steps))
        self.assertAlmostEqual(sum(layer.tonnes for layer in found.layers), 0.8 * told[-1][1], places=7)
        self.assertAlmostEqual(found.content_t, 0.8 * told[-1][1], places=7)
        self.assertTrue(all(layer.plug_t >= 0.0 and layer.zone_t >= 0.0 for layer in found.layers))
        self.assertLessEqual(found.leaves_h, sum(h for h, *_ in told) + 1e-9)
        plug = [layer.newest_h for layer in found.layers if layer.plug_t > 1e-9]
        self.assertEqual(plug, sorted(plug, reverse=True))  # first in, first out: the oldest stands lowest

    @given(st.floats(20, 200), st.floats(1, 80), st.floats(1, 80), st.floats(0.02, 0.2))
    def test_mixing_is_exact_for_any_step(self, v0, came, out, hours):
        tracer = mixed_through(np.array([0.03 * v0, 0.97 * v0]), hours * came * np.array([0.05, 0.95]), v0, hours * out)
        v1, c1 = step_moving(0.03, 0.05, v0, came, out, hours)
        self.assertAlmostEqual(float(tracer.sum()), v1, places=9)
        self.assertAlmostEqual(float(tracer[0]), c1 * v1, places=7)
        half = mixed_through(np.array([0.03 * v0, 0.97 * v0]), hours / 2 * came * np.array([0.05, 0.95]), v0, hours / 2 * out)
        whole = mixed_through(half, hours / 2 * came * np.array([0.05, 0.95]), float(half.sum()), hours / 2 * out)
        np.testing.assert_allclose(whole, tracer, rtol=1e-9)

    def test_a_tower_gives_its_oldest_and_a_chest_everything(self):
        steps = tuple(LevelStep(hours=0.5, level_pct=60, rate_out=12) for _ in range(40))
        case = LayersCase(capacity=100, level_pct=60, steps=steps)
        tower, part, chest = (layers(replace(case, mixed_pct=m)) for m in (0, 20, 100))
        self.assertAlmostEqual(tower.leaves_h, 5.0)
        for found in (tower, part, chest):
            self.assertAlmostEqual(found.leaves_h, 5.0, delta=0.1)  # mean age is content over flow, however it mixes
        self.assertLess(tower.oldest_h - tower.newest_h, part.oldest_h - part.newest_h)
        self.assertLess(part.oldest_h - part.newest_h, chest.oldest_h - chest.newest_h)
        short = layers(replace(case, steps=steps[:4]))
        self.assertIn("stands at least", short.cautions[0].text)
