"""What the models stand on: water and steam, chance, light, streams that mix, and cases as plain data that read back."""

import json
import math
import random

from django.test import SimpleTestCase, tag
from hypothesis import given
from hypothesis import strategies as st

import core.catalogue  # noqa: F401
import tests.profile  # noqa: F401
from core import calc
from core.chance import normal_share, poisson_at_most, student_quantile
from core.colour import brightness_from_ks, ks_from_kappa, ks_from_reflectance, mix_ks, reflectance_from_ks, swatch
from core.errors import ImpossibleInput, Infeasible, NotSolved
from core.heat import STEAM_MOST_BAR, h_evaporation, h_liquid, p_saturation, t_saturation
from core.register import models
from core.stream import COMPONENTS, HEAT_KJ_KG_K, Quality, Stream, mix, stream
from tests.core.test_random_inputs import drawn

FLOWS = st.fixed_dictionaries({c: st.floats(0.0, 300.0) for c in COMPONENTS})
QUALITIES = st.builds(
    Quality,
    kappa=st.floats(0.0, 120.0),
    csf_ml=st.floats(30.0, 750.0),
    k457=st.floats(0.0, 60.0),
    s457=st.floats(10.0, 60.0),
    grey=st.floats(0.0, 1.0),
)
STREAMS = st.builds(lambda flows, t, q: stream(temp_c=t, quality=q, **flows), FLOWS, st.floats(5.0, 98.0), QUALITIES)


@tag("core")
class Steam(SimpleTestCase):
    # steam tables: degC, bar absolute, kJ/kg of water, kJ/kg of evaporation
    TABLE = (
        (20.0, 0.02339, 83.9, 2453.5),
        (60.0, 0.19946, 251.2, 2357.7),
        (100.0, 1.01418, 419.2, 2256.4),
        (140.0, 3.6154, 589.2, 2144.3),
        (180.0, 10.028, 763.1, 2014.2),
    )

    def test_the_fits_are_the_steam_tables(self):
        for temp, bar, water, evaporation in self.TABLE:
            with self.subTest(temp=temp):
                self.assertAlmostEqual(p_saturation(temp), bar, delta=0.01 * bar)  # Antoine, within 1 %
                self.assertAlmostEqual(h_liquid(temp), water, delta=0.6)
                self.assertAlmostEqual(h_evaporation(temp), evaporation, delta=1.5)

    @given(st.floats(0.02, STEAM_MOST_BAR))
    def test_saturation_reads_both_ways(self, bar):
        self.assertTrue(math.isclose(p_saturation(t_saturation(bar)), bar, rel_tol=2e-2 if abs(bar - 1.01) < 0.03 else 1e-6))

    @given(st.floats(0.0, 198.0), st.floats(0.1, 2.0))
    def test_hotter_is_higher_in_pressure_and_heat_and_boils_off_for_less(self, temp, more):
        if not temp < 100.0 <= temp + more:  # two fits meet at 100 degC
            self.assertGreater(p_saturation(temp + more), p_saturation(temp))
        self.assertGreater(h_liquid(temp + more), h_liquid(temp))
        self.assertLess(h_evaporation(temp + more), h_evaporation(temp))

    def test_steam_outside_the_tables_is_refused(self):
        for bar in (0.0, -1.0, 16.0, math.nan, math.inf):
            with self.assertRaises(ImpossibleInput):
                t_saturation(bar)


@tag("core")
class Chance(SimpleTestCase):
    @given(st.floats(0.51, 0.999), st.integers(1, 200))
    def test_students_bounds_are_even_wider_than_the_normal_and_narrow_with_samples(self, p, freedom):
        upper = student_quantile(p, freedom)
        self.assertTrue(math.isclose(upper, -student_quantile(1.0 - p, freedom), rel_tol=1e-6))
        self.assertGreaterEqual(upper, student_quantile(p, 10 * freedom) - 1e-12)
        self.assertGreater(student_quantile(min(0.9995, p + 0.0005), freedom), upper - 1e-12)

    def test_known_quantiles(self):
        for p, freedom, t in ((0.95, 3, 2.3534), (0.975, 10, 2.2281), (0.95, 1e9, 1.6449)):
            self.assertAlmostEqual(student_quantile(p, freedom), t, delta=1e-4)
        self.assertAlmostEqual(normal_share(-1.96, 1.96), 0.95, delta=1e-4)
        self.assertAlmostEqual(poisson_at_most(2, 1.0), 2.5 * math.exp(-1.0), delta=1e-12)

    @given(st.floats(-6.0, 6.0), st.floats(0.0, 6.0), st.floats(0.0, 6.0))
    def test_shares_add_up(self, low, first, second):
        middle, high = low + first, low + first + second
        self.assertAlmostEqual(normal_share(low, middle) + normal_share(middle, high), normal_share(low, high), places=12)

    @given(st.integers(0, 30), st.floats(0.0, 40.0), st.floats(0.01, 5.0))
    def test_more_specks_are_less_likely_few(self, k, mean, more):
        self.assertLessEqual(poisson_at_most(k, mean + more), poisson_at_most(k, mean) + 1e-12)
        self.assertLessEqual(poisson_at_most(k, mean), poisson_at_most(k + 1, mean) + 1e-12)


@tag("core")
class Light(SimpleTestCase):
    @given(st.floats(0.005, 1.0))
    def test_reflectance_and_absorption_read_both_ways(self, r):
        self.assertTrue(math.isclose(reflectance_from_ks(ks_from_reflectance(r)), r, rel_tol=1e-9))
        self.assertTrue(math.isclose(brightness_from_ks(ks_from_reflectance(r)), 100.0 * r, rel_tol=1e-9))

    @given(st.floats(0.0, 199.0), st.floats(0.01, 1.0))
    def test_more_lignin_is_darker_and_wet_is_darker_still(self, kappa, more):
        light, dark = ks_from_kappa(kappa), ks_from_kappa(kappa + more)
        self.assertLess(light, dark)
        self.assertGreater(brightness_from_ks(light), brightness_from_ks(dark))

        def sum_of(colour: str) -> int:
            return sum(int(colour[i : i + 2], 16) for i in (1, 3, 5))

        self.assertGreaterEqual(sum_of(swatch(dark).hex), sum_of(swatch(dark, wet=True).hex))
        self.assertGreaterEqual(sum_of(swatch(light).hex) + 1, sum_of(swatch(dark).hex))

    @given(st.lists(st.tuples(st.floats(0.01, 50.0), st.floats(10.0, 60.0), st.floats(0.0, 5.0)), min_size=1, max_size=5))
    def test_a_blend_lies_between_its_parts_whatever_their_order(self, parts):
        mixed = mix_ks(tuple(parts))
        self.assertTrue(min(ks for *_, ks in parts) - 1e-9 <= mixed <= max(ks for *_, ks in parts) + 1e-9)
        self.assertAlmostEqual(mix_ks(tuple(reversed(parts))), mixed, places=9)

    def test_light_that_cannot_be_is_refused(self):
        for bad in (lambda: ks_from_reflectance(0.0), lambda: reflectance_from_ks(-1.0), lambda: ks_from_kappa(201.0)):
            with self.assertRaises(ImpossibleInput):
                bad()
        with self.assertRaises(ImpossibleInput):
            mix_ks(((0.0, 30.0, 1.0),))


@tag("core")
class Streams(SimpleTestCase):
    @given(st.lists(STREAMS, min_size=1, max_size=4))
    def test_mixing_keeps_mass_and_heat_and_lies_between(self, parts):
        whole = mix(parts)
        self.assertTrue(math.isclose(whole.total_t_h, sum(p.total_t_h for p in parts), rel_tol=1e-9, abs_tol=1e-9))
        heat = sum(float(p.flows @ HEAT_KJ_KG_K) * p.temp_c for p in parts)
        if whole.total_t_h > 0.0:
            self.assertTrue(math.isclose(float(whole.flows @ HEAT_KJ_KG_K) * whole.temp_c, heat, rel_tol=1e-9, abs_tol=1e-6))
        fibred = [p for p in parts if p.fibre_t_h > 1e-6]
        if len(fibred) == len(parts):
            for name in ("kappa", "csf_ml"):
                low, high = (pick(getattr(p.quality, name) for p in parts) for pick in (min, max))
                self.assertTrue(low - 1e-6 <= getattr(whole.quality, name) <= high + 1e-6, name)

    @given(STREAMS, st.floats(0.0, 1.0))
    def test_a_part_and_the_rest_are_the_whole(self, whole, share):
        again = mix((whole.scaled(share), whole.scaled(1.0 - share)))
        self.assertTrue((abs(again.flows - whole.flows) <= 1e-9 * (1.0 + whole.flows)).all())
        self.assertAlmostEqual(whole.scaled(share).cons_pct if share > 1e-6 else whole.cons_pct, whole.cons_pct, places=6)

    def test_what_cannot_flow_is_refused_by_its_component(self):
        for flows in ({"LF": -1.0}, {"W": math.nan}, {"XX": 1.0}):
            with self.assertRaises(ImpossibleInput) as refused:
                stream(**flows)
            self.assertIn(next(iter(flows)), str(refused.exception))
        with self.assertRaises(ValueError):
            stream(LF=1.0).flows[0] = 2.0  # what two units share is nobody's to alter
        self.assertIsInstance(mix(()), Stream)


@tag("core")
class CasesAsData(SimpleTestCase):
    def cases(self):
        for model in models():
            chance = random.Random(model.name)
            yield model, calc.read_case(model, dict(model.checks[0].given))
            yield model, drawn(model, chance)

    def test_a_case_reads_back_the_same_from_json_and_from_flat_names(self):
        for model, case in self.cases():
            with self.subTest(model=model.name):
                told = json.loads(json.dumps(calc.declared(case)))
                self.assertEqual(calc.read_case(model, told), case)
                laid = calc.flat(told)
                self.assertEqual(calc.read_case(model, calc.unflat(model, laid)), case)
                counts = calc.counts(model, {k: str(v) for k, v in laid.items()}, {})
                self.assertEqual(calc.gather(model, laid, counts), case)
                self.assertEqual(set(calc.leaves(model.case_class, counts)) | set(counts), set(laid))

    def test_an_answer_is_plain_data_and_says_why_a_figure_is_missing(self):
        for model, case in self.cases():
            try:
                answer = calc.calculate(model, calc.declared(case))
            except (ImpossibleInput, NotSolved):
                continue
            with self.subTest(model=model.name):
                again = json.loads(json.dumps(answer, allow_nan=False))
                self.assertEqual(again["model"], model.name)
                if not again["feasible"]:
                    self.assertTrue(again["infeasible"]["reason"])
                    self.assertIsInstance(model.function(case), Infeasible)
                    continue
                missing = {k for k in again["units"] if again["result"][k] is None}
                self.assertEqual(missing, set(again.get("why_null", {})))

    def test_what_no_model_asks_for_is_refused_by_name(self):
        for model in models():
            with self.subTest(model=model.name), self.assertRaises(ImpossibleInput) as refused:
                calc.read_case(model, {**model.checks[0].given, "no_such_field": 1.0})
            self.assertIn("no_such_field", [p.field for p in refused.exception.problems])
