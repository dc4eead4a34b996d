"""The furnish: mass closes, light mixes by k and s, least cost equals a search of every recipe and keeps every limit."""

import itertools
import random
from dataclasses import replace

import numpy as np
from django.test import SimpleTestCase, tag
from hypothesis import given
from hypothesis import strategies as st

from core.blend.additives import FlowsCase, Stream, flows, in_order, meetings
from core.blend.dye import DyedCase, RecipeCase, dyes, lab_of, recipe, reflects, spectrum
from core.blend.furnish import BlendCase, Pulp, Table, forecast, spread, told
from core.blend.least import LIMITS, aim, cheapest, eased, kept, least, sd_of, step_towards, trade_off, z_of
from core.blend.relief import relief
from core.blend.within import limits_within
from core.calc import read_case
from core.catalogue import find
from core.errors import ImpossibleInput, Infeasible
from tests.profile import examples

WORKED = read_case(find("blend.least"), find("blend.least").checks[-1].given)


def some(chance: random.Random, n: int = 3) -> BlendCase:
    """A random furnish of n pulps with limits that may or may not be kept."""
    pulps = tuple(
        Pulp(
            name=str(i),
            share_pct=100.0 / n,
            price=chance.uniform(200, 800),
            k457=chance.uniform(0.2, 4),
            s457=chance.uniform(25, 60),
            ash_pct=chance.uniform(0, 15),
            csf_ml=chance.uniform(150, 600),
            tensile=chance.uniform(30, 90),
            high_pct=chance.choice((60, 100)),
        )
        for i in range(n)
    )
    return BlendCase(
        iso_least=chance.uniform(65, 82),
        ash_most=chance.uniform(4, 12),
        tensile_least=chance.uniform(35, 65),
        csf_least=chance.uniform(150, 350),
        pulps=pulps,
    )


@tag("core")
class Furnish(SimpleTestCase):
    @given(st.lists(st.tuples(st.floats(0.01, 1), st.floats(1.5, 6)), min_size=1, max_size=8), st.floats(1, 60))
    def test_flows_of_a_recipe_carry_its_fibre(self, told_, od_t_h):
        whole = sum(f for f, _ in told_)
        streams = tuple(Stream(share_pct=100.0 * f / whole, cons_pct=c) for f, c in told_)
        found = flows(FlowsCase(od_t_h=od_t_h, streams=streams))
        fibre = sum(0.06 * q * s.cons_pct / 100.0 for q, s in zip(found.each, streams, strict=True))
        self.assertAlmostEqual(fibre, od_t_h, places=8)
        self.assertAlmostEqual(100.0 * od_t_h / (0.06 * sum(found.each)), found.cons_pct, places=8)

    def test_a_mix_lies_between_its_pulps_and_of_one_pulp_is_that_pulp(self):
        chance = random.Random(5)
        for _ in range(60):
            case = some(chance, 4)
            found = forecast(case)
            for name, of in (("csf_ml", "csf_ml"), ("ash_pct", "ash_pct"), ("tensile", "tensile"), ("cost", "price")):
                values = [getattr(p, of) for p in case.pulps]
                self.assertTrue(min(values) - 1e-9 <= getattr(found, name) <= max(values) + 1e-9, name)
            only = replace(case, pulps=tuple(replace(p, share_pct=100.0 * (i == 2)) for i, p in enumerate(case.pulps)))
            self.assertAlmostEqual(forecast(only).csf_ml, case.pulps[2].csf_ml, places=6)
        with self.assertRaisesMessage(ImpossibleInput, "must make 100 %"):
            forecast(replace(case, pulps=(replace(case.pulps[0], share_pct=99), *case.pulps[1:])))

    def test_least_cost_equals_a_search_of_every_recipe_and_never_breaks_a_limit(self):
        chance, fits = random.Random(11), 0
        steps = [np.array((i, j, 40 - i - j)) / 40.0 for i, j in itertools.product(range(41), repeat=2) if i + j <= 40]
        for _ in range(examples(40)):
            case = some(chance)
            t, z = Table(case.pulps), z_of(case.chance_pct)

            def keeps(f, case=case, t=t, z=z, slack=0.0):
                bounds = bool((f >= t.low - 1e-9).all() and (f <= t.high + 1e-9).all())
                return bounds and all(h.chance_pct >= case.chance_pct - slack for h in kept(case, t, f, z) if not h.pulp)

            tried = [float(f @ t.price) for f in steps if keeps(f)]
            found = least(case)
            if isinstance(found, Infeasible):
                self.assertEqual(tried, [])
                continue
            fits += 1
            self.assertTrue(keeps(np.array(found.shares) / 100.0, slack=1e-3))
            self.assertAlmostEqual(sum(found.shares), 100.0, places=6)
            if tried:
                self.assertLessEqual(found.cost, min(tried) + 1e-6)
                self.assertLess(min(tried) - found.cost, 25.0)  # the grid is two points and a half wide
        self.assertGreater(fits, 10)

    def test_limits_as_rows_say_of_any_recipe_what_the_forecast_says(self):
        chance, broken, told_rows = random.Random(17), 0, 0
        for k in range(60):
            case = some(chance)
            rows = limits_within(case)
            t, z = Table(case.pulps), z_of(case.chance_pct)
            own = np.array([p.share_pct for p in case.pulps]) / sum(p.share_pct for p in case.pulps)
            for over in rows:
                told_rows += 1
                x = next(x for x in LIMITS if x.field == over.field)
                self.assertAlmostEqual(float(np.abs(over.row).max()), 1.0)
                self.assertLessEqual(float(over.row @ own), 1e-9)  # the recipe, or no further than it
                recipe_keeps = self.keeps(case, t, x, own, z)
                for _ in range(20):
                    f = np.array([chance.uniform(p.low_pct, p.high_pct) + 0.01 for p in case.pulps])
                    f /= f.sum()
                    if recipe_keeps:
                        with self.subTest(case=k, limit=over.field):
                            self.assertEqual(float(over.row @ f) <= 1e-9, self.keeps(case, t, x, f, z))
                    broken += float(over.row @ f) > 0.0
            for x in LIMITS:  # what is left out no recipe within its bounds breaks
                if (
                    getattr(case, x.field) != x.none
                    and x.field not in {o.field for o in rows}
                    and self.keeps(case, t, x, own, z)
                ):
                    low = np.minimum(t.low, own)
                    high = np.maximum(t.high, own)
                    for _ in range(10):
                        f = low + np.array([chance.random() for _ in low]) * (high - low)
                        if abs(f.sum() - 1.0) < 0.02:
                            self.assertTrue(self.keeps(case, t, x, f / f.sum(), z, 0.05))
        self.assertGreater(told_rows, 20)
        self.assertGreater(broken, 100)

    def keeps(self, case, t, x, f, z, slack: float = 0.0) -> bool:
        """Whether the forecast of a recipe keeps a limit with its back-off, at the model's own deviation."""
        value = float(getattr(told(t, f, case.iso_sd), x.figure))
        wanted = aim(case, x, float(getattr(case, x.sd)) if x.sd else 0.0, z)
        return value >= wanted - 1e-9 - slack * abs(wanted) if x.least else value <= wanted + 1e-9 + slack * abs(wanted)

    def test_surer_costs_more_and_a_price_is_what_letting_go_saves(self):
        costs = [least(replace(WORKED, chance_pct=p)).cost for p in (50, 80, 90, 95, 99)]
        self.assertEqual(costs, sorted(costs))
        found = least(WORKED)
        binds = {(h.field, h.pulp) for h in found.limits if h.binds}
        self.assertEqual(binds, {("iso_least", 0), ("tensile_least", 0), ("high_pct", 4)})
        for held in (h for h in found.limits if h.binds):
            again = least(eased(WORKED, held))
            self.assertAlmostEqual(found.cost - again.cost, held.saves, places=6)
        self.assertGreaterEqual(found.limits[0].saves, found.limits[-1].saves)

    def test_what_pulps_are_known_to_makes_the_back_off_depend_on_the_recipe(self):
        known = tuple(replace(p, k_sd_pct=d, s_sd_pct=4) for p, d in zip(WORKED.pulps, (5, 5, 8, 15), strict=True))
        case = replace(WORKED, iso_sd=0.25, pulps=known)
        t, z = Table(case.pulps), z_of(95)
        f = cheapest(case, t, z)
        x = LIMITS[0]
        sd = sd_of(case, t, x, f)
        self.assertGreater(sd, 0.4)
        self.assertAlmostEqual(told(t, f).iso_pct, aim(case, x, sd, z), delta=0.02)

    def test_steps_lead_there_within_their_size_and_inside_the_limits(self):
        found = least(WORKED)
        now = replace(WORKED, pulps=tuple(replace(p, share_pct=s) for p, s in zip(WORKED.pulps, (30, 60, 4, 6), strict=True)))
        step, count = step_towards(now, found.shares), 0
        while max(abs(p.share_pct - s) for p, s in zip(now.pulps, found.shares, strict=True)) > 1e-6:
            step = step_towards(now, found.shares)
            moved = [abs(s - p.share_pct) for p, s in zip(now.pulps, step.shares, strict=True)]
            self.assertLessEqual(max(moved), 5.0 + 1e-9)
            f = np.array(step.shares) / 100.0
            self.assertTrue(all(h.chance_pct > 94.9 for h in kept(WORKED, Table(WORKED.pulps), f, z_of(95)) if not h.pulp))
            now = replace(now, pulps=tuple(replace(p, share_pct=s) for p, s in zip(now.pulps, step.shares, strict=True)))
            count += 1
        self.assertEqual(count, 4)
        curve = trade_off(WORKED, next(h for h in found.limits if h.field == "iso_least"), reach=4.0)
        costs = [c for _, c in curve if c is not None]
        self.assertEqual(costs, sorted(costs))
        self.assertIsNone(curve[-1][1] if len(costs) < len(curve) else None)

    def test_what_a_limit_must_give_makes_it_fit_and_less_does_not(self):
        chance, tried = random.Random(3), 0
        for _ in range(40):
            case = replace(some(chance), iso_least=chance.uniform(80, 92))
            found = relief(case)
            if isinstance(found, Infeasible):
                self.assertNotIsInstance(least(case), Infeasible)
                continue
            self.assertIsInstance(least(case), Infeasible)
            for g in (g for g in found.alone if g.enough and not g.pulp):
                tried += 1
                toward = 1.0 if g.to > getattr(case, g.field) else -1.0
                more = g.by * 1e-3 + 1e-6
                self.assertNotIsInstance(least(replace(case, **{g.field: max(0.0, g.to + toward * more)})), Infeasible, g)
                if g.by > 1e-3:
                    less = getattr(case, g.field) + toward * 0.98 * g.by
                    self.assertIsInstance(least(replace(case, **{g.field: less})), Infeasible, g)
        self.assertGreater(tried, 10)

    def test_a_scatter_is_robust_and_waits_for_twenty(self):
        self.assertIsNone(spread([380.0] * 19))
        chance = random.Random(2)
        values = [chance.gauss(380, 6) for _ in range(400)]
        self.assertAlmostEqual(spread(values), 6.0, delta=0.9)
        self.assertAlmostEqual(spread([*values, 9000.0, 1.0]), spread(values), delta=0.2)
        self.assertAlmostEqual(spread(values, in_log=True), 6.0 / 380.0, delta=0.003)

    def test_additives_stand_in_their_order_and_who_must_not_meet(self):
        names = ("Retention aid", "Filler", "Size", "Cationic starch", "Violet dye")
        self.assertEqual(in_order(names), ("Violet dye", "Cationic starch", "Size", "Filler", "Retention aid"))
        self.assertEqual([(m.one, m.other) for m in meetings(names)], [("Cationic starch", "Retention aid")])

    def test_the_least_dye_reaches_its_shade_and_one_that_is_lighter_is_refused(self):
        blue = recipe(RecipeCase(k457=0.95, s=38, l_star=67.659, a_star=1.7526, b_star=-16.731, within=0.8))
        self.assertAlmostEqual(blue.red, 0.262, delta=0.003)
        self.assertAlmostEqual(blue.blue, 0.7162, delta=0.004)
        self.assertAlmostEqual(blue.violet, 0.0531, delta=0.003)
        self.assertLessEqual(blue.de, 0.8 + 1e-6)
        dear = recipe(RecipeCase(k457=0.95, s=38, l_star=67.659, a_star=1.7526, b_star=-16.731, within=0.8, violet_price=50))
        self.assertLess(dear.violet, blue.violet)
        light = lab_of(reflects(spectrum(0.5, 0.0105), 38), "D65/10")
        case = RecipeCase(k457=3.5, s=50, l_star=light[0], a_star=light[1], b_star=light[2], within=1.0)
        refused = recipe(case)
        self.assertIsInstance(refused, Infeasible)
        self.assertIn("6.67 dE off", refused.reason)
        self.assertIn("dye only takes light away", refused.reason)
        more, less = (dyes(DyedCase(k457=0.95, s=38, blue=0.8, share_pct=pct)).broke_de for pct in (4, 2))
        self.assertGreater(more, less)
