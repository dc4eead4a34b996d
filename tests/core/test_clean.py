"""Screens, cleaners and cascades: the worked rooms flow by flow, laws over random cascades, and a second way of solving."""

import random
from dataclasses import replace

import numpy as np
from django.test import SimpleTestCase, tag

from core.calc import read_case
from core.catalogue import find
from core.clean import cascade as clean
from core.clean.cascade import (
    AT,
    BACK,
    CONES,
    FORWARD,
    KINDS,
    PARTS,
    CascadeCase,
    Stage,
    cascade,
    dirt,
    fibre,
    other_ways,
    solve,
)
from core.clean.cleaner import cut_um, efficiencies, partition
from core.clean.least import LIMITS, least_loss
from core.clean.screen import PASSAGE, passage
from core.clean.unit import CascadePlan
from core.errors import ImpossibleInput, Infeasible
from core.practice.clean_advice import advise
from core.unit import NOTHING, ON

CLEANERS, SCREENS = (
    read_case(find("clean.cascade"), next(c.given for c in find("clean.cascade").checks if c.field == field))
    for field in ("sand_pct", "loss_pct")
)


def drawn(seed: int) -> CascadeCase:
    """A cascade drawn by chance: 1 to 6 stages of any kind, accepts back or forward, with and without a reject refiner."""
    chance = random.Random(seed)
    stages = []
    for _ in range(chance.randint(1, 6)):
        kind = chance.choice(KINDS)
        size = 75.0 if kind in CONES else chance.uniform(0.1, 0.3) if kind == "screen" else chance.uniform(0.8, 4.0)
        one = chance.uniform(100, 900) if kind in CONES else chance.uniform(0.2, 5.0)
        stages.append(
            Stage(
                kind=kind,
                cones_open=chance.randint(1, 40),
                rv_pct=chance.uniform(5.0, 40.0),
                feed_pct=chance.uniform(0.4, 2.0),
                size_mm=size,
                one=one,
                openings="slots" if kind in (*CONES, "screen") else "holes",
                accept=chance.choice((BACK, FORWARD)),
            )
        )
    most = {"lf": 8.0, "sf": 5.0, "fn": 2.0, "fl": 2.0, "shv": 0.2, "snd": 0.1, "stk": 0.05, "pls": 0.05, "ink": 0.02}
    comes = {name: chance.uniform(0.0, high) for name, high in most.items()} | {"feed_pct": chance.uniform(1.0, 12.0)}
    refined = chance.choice((0.0, 0.0, 0.5, 0.95))
    return CascadeCase(**comes, temp_c=chance.uniform(25.0, 65.0), refined=refined, stages=tuple(stages))


@tag("core")
class WorkedRooms(SimpleTestCase):
    """The specification's screen room and its four stages of cleaners, stage by stage."""

    def test_four_stages_of_cleaners(self):
        done = solve(CLEANERS)
        told = (
            (6.017120, 3.527162, 1.666525, 0.594507, 0.022625, 0.045402, 23281.1, 147.22, 1.3317, 14084.9, 47),
            (1.240390, 0.627574, 0.185028, 0.113864, 0.022638, 0.040513, 4955.6, 147.35, 1.2434, 1537.0, 10),
            (0.262023, 0.115882, 0.020193, 0.022581, 0.023209, 0.033963, 1225.3, 100.08, 1.3354, 385.6, 3),
            (0.044544, 0.017382, 0.001817, 0.003839, 0.020120, 0.020286, 327.2, 64.25, 1.8744, 192.5, 1),
        )
        for ran, row in zip(done.stages, told, strict=True):
            feed = [ran.feed[AT[name]] for name in ("LF", "SF", "FN", "FL", "SND", "SHV")]
            np.testing.assert_allclose(feed, row[:6], atol=6e-7, rtol=0)
            got = (ran.feed_l_min, ran.kpa, ran.reject_pct, ran.water_l_min)
            np.testing.assert_allclose(got, row[6:10], rtol=3e-4)
            self.assertEqual(ran.needed, row[10])
        np.testing.assert_allclose([r.e[AT["SND"]] for r in done.stages], (0.8641, 0.8841, 0.8669, 0.8412), atol=6e-5)
        np.testing.assert_allclose([r.e[AT["SHV"]] for r in done.stages], (0.5911, 0.6198, 0.5973, 0.5636), atol=6e-5)

    def test_three_stages_of_screens_with_a_reject_refiner(self):
        done = solve(SCREENS)
        feeds = (
            (8.59624, 3.31313, 1.77517, 0.14479),
            (3.18703, 0.96957, 0.43311, 0.13341),
            (0.95315, 0.23523, 0.08946, 0.10479),
        )
        accepts = (
            (6.02536, 2.50933, 1.40852, 0.03105),
            (2.23389, 0.73434, 0.34366, 0.02861),
            (0.61616, 0.16578, 0.06646, 0.01967),
        )
        named = ("LF", "SF", "FN", "SHV")
        for ran, feed, accept in zip(done.stages, feeds, accepts, strict=True):
            np.testing.assert_allclose([ran.feed[AT[k]] for k in named], feed, atol=2e-5)
            np.testing.assert_allclose([ran.accept[AT[k]] for k in named], accept, atol=2e-5)
        np.testing.assert_allclose([r.water_l_min for r in done.stages], (903.8, 1384.3, 936.3), atol=0.2)
        self.assertAlmostEqual(done.filtrate_l_min, 374.6, delta=0.2)
        np.testing.assert_allclose([done.out[AT[k]] for k in named], (0.01685, 0.00347, 0.00115, 0.00426), atol=1e-5)


@tag("core")
class Laws(SimpleTestCase):
    def test_every_class_closes_and_nothing_leaves_its_bounds(self):
        for seed in range(80):
            with self.subTest(seed=seed):
                self.closes(drawn(seed))

    def closes(self, case: CascadeCase):
        found = cascade(case)
        done = found.solved
        self.assertLess(done.closure, 1e-9)
        for r in done.stages:
            np.testing.assert_allclose(np.array(r.accept) + np.array(r.reject), r.feed, atol=1e-12)
            self.assertTrue(all(0.0 <= e <= 1.0 for e in r.e))
            self.assertGreaterEqual(min(r.feed), 0.0)
            self.assertGreaterEqual(r.water_l_min, 0.0)
        for share in (found.loss_pct, found.fibre_lost_pct):
            self.assertTrue(-1e-9 <= share <= 100.0 + 1e-9)
        flows = done.on_l_min + done.out_l_min + done.filtrate_l_min
        came = case.solids_t_h * 100.0 / case.feed_pct * clean.L_MIN_A_T_H + sum(r.water_l_min for r in done.stages)
        if done.filtrate_l_min > 0.0 or case.refined == 0.0:
            self.assertAlmostEqual(flows, came, delta=1e-6 * flows)

    def test_walked_round_and_round_it_comes_to_the_same(self):
        for seed in range(24):
            with self.subTest(seed=seed):
                self.comes_to_the_same(drawn(seed))

    def comes_to_the_same(self, case: CascadeCase):
        """The second way: the shares of each stage known, stock is sent round until nothing moves."""
        done = solve(case)
        n, e = len(case.stages), np.array([r.e for r in done.stages])
        x = np.zeros((n, len(PARTS)))
        back = np.zeros(len(PARTS))
        for _ in range(4000):
            new = np.zeros_like(x)
            new[0] = np.array(done.fed) + back
            for i in range(n):
                if i:
                    new[i] += e[i - 1] * x[i - 1]
                if i + 1 < n and case.stages[i + 1].accept == BACK:
                    new[i] += (1.0 - e[i + 1]) * x[i + 1]
            sent = case.refined * e[-1] * new[-1]
            back = sent.copy()
            for source, into in clean.TURNS.items():
                for name, share in into.items():
                    back[AT[name]] += share * sent[AT[source]]
                    back[AT[source]] -= share * sent[AT[source]]
            moved, x = np.abs(new - x).max(), new
            if moved < 1e-13:
                break
        self.assertLess(moved, 1e-9)
        np.testing.assert_allclose(x, [r.feed for r in done.stages], atol=1e-8, rtol=1e-8)

    def test_lower_drop_bigger_cone_thicker_or_colder_stock_passes_more(self):
        base = {"kpa": 150.0, "cone_mm": 75.0, "pct": 0.6, "temp_c": 45.0}
        for name, worse in (("kpa", 100.0), ("cone_mm", 125.0), ("pct", 1.0), ("temp_c", 25.0)):
            self.assertGreater(cut_um(**{**base, name: worse}), cut_um(**base), name)
            was, now = (efficiencies(((100.0, 2650.0),), rv=0.1, **how)[0] for how in (base, {**base, name: worse}))
            self.assertLess(now, was, name)
        self.assertEqual(efficiencies(((200.0, 920.0),), rv=0.1, **base), [0.05])
        self.assertGreater(efficiencies(((200.0, 920.0),), rv=0.1, light=True, **base)[0], 0.1)
        self.assertAlmostEqual(partition(0.0, 45.0, 0.12), 0.12)

    def test_a_narrower_slot_keeps_more_of_everything_back(self):
        for name in PASSAGE:
            widths = [passage(name, mm) for mm in (0.08, 0.10, 0.15, 0.20, 0.30)]
            self.assertEqual(widths, sorted(widths), name)
            self.assertLessEqual(widths[-1], 1.0)
        self.assertGreater(passage("hard stickies", 0.15, temp_c=60.0), passage("hard stickies", 0.15, temp_c=45.0))
        self.assertEqual(passage("sand", 0.15, temp_c=60.0), passage("sand", 0.15, temp_c=45.0))

    def test_both_ways_a_bank_goes_wrong_show_in_the_dirt(self):
        base = cascade(CLEANERS)
        shut = cascade(replace(CLEANERS, stages=(replace(CLEANERS.stages[0], cones_open=37), *CLEANERS.stages[1:])))
        many = cascade(replace(CLEANERS, stages=(replace(CLEANERS.stages[0], cones_open=60), *CLEANERS.stages[1:])))
        self.assertLess(shut.dirt_out_ppm, base.dirt_out_ppm)  # the rest run at a higher drop
        self.assertGreater(many.dirt_out_ppm, base.dirt_out_ppm)
        self.assertGreater(shut.solved.stages[0].kpa, 200.0)
        self.assertTrue(any("tips wear" in c.text for c in shut.cautions))
        forward = cascade(
            replace(CLEANERS, stages=(CLEANERS.stages[0], replace(CLEANERS.stages[1], accept=FORWARD), *CLEANERS.stages[2:]))
        )
        self.assertGreater(forward.dirt_out_ppm, base.dirt_out_ppm)
        self.assertLess(forward.round_pct, base.round_pct)

    def test_what_cannot_be_is_refused_at_its_stage(self):
        wide = replace(SCREENS, stages=(SCREENS.stages[0], replace(SCREENS.stages[1], size_mm=75.0)))
        with self.assertRaises(ImpossibleInput) as refusal:
            cascade(wide)
        self.assertEqual([p.field for p in refusal.exception.problems], ["stages.2.size_mm"])
        with self.assertRaises(ImpossibleInput) as refusal:
            cascade(CascadeCase(lf=0.0, feed_pct=1.0, stages=CLEANERS.stages))
        self.assertEqual([p.field for p in refusal.exception.problems], ["lf"])


@tag("core")
class Backwards(SimpleTestCase):
    def test_least_loss_is_under_the_best_of_a_grid_and_within_its_limits(self):
        """Two stages, every pair of rejects tried: the search is at least as good, as clean, and inside."""
        two = replace(CLEANERS, stages=CLEANERS.stages[:2])
        want = cascade(two).dirt_out_ppm * 0.95
        least = least_loss(two, want)
        low, high = LIMITS["cleaner"]
        grid = [
            cascade(replace(two, stages=(replace(two.stages[0], rv_pct=100 * a), replace(two.stages[1], rv_pct=100 * b))))
            for a in np.linspace(low, high, 16)
            for b in np.linspace(low, high, 16)
        ]
        fits = [g.loss_pct for g in grid if g.dirt_out_ppm <= want and g.solved.stages[1].reject_pct <= 3.0]
        self.assertLessEqual(least.found.loss_pct, min(fits) * 1.001)
        self.assertLessEqual(least.found.dirt_out_ppm, want + 1.5)
        self.assertTrue(all(low - 1e-9 <= v <= high + 1e-9 for v in least.rv))
        self.assertTrue(least.binds)

    def test_cleaner_than_can_be_names_the_cleanest(self):
        beyond = least_loss(CLEANERS, 100.0)
        self.assertIsInstance(beyond, Infeasible)
        most = tuple(replace(s, rv_pct=100.0 * LIMITS["cleaner"][1]) for s in CLEANERS.stages)
        self.assertAlmostEqual(beyond.nearest, cascade(replace(CLEANERS, stages=most)).dirt_out_ppm, delta=0.1)

    def test_advice_is_tried_before_it_is_said(self):
        few = replace(CLEANERS, stages=(replace(CLEANERS.stages[0], cones_open=36, there=48), *CLEANERS.stages[1:]))
        told = advise(few, cascade(few))
        self.assertEqual((told.what, told.stage, told.after), ("drop", 1, 38))
        self.assertLess(told.then.solved.stages[0].kpa, cascade(few).solved.stages[0].kpa)
        thick = replace(CLEANERS, stages=(replace(CLEANERS.stages[0], feed_pct=1.1, cones_open=36), *CLEANERS.stages[1:]))
        told = advise(thick, cascade(thick))
        self.assertEqual((told.what, told.stage, told.after), ("thick", 1, 0.9))
        self.assertLess(told.then.dirt_out_ppm, cascade(thick).dirt_out_ppm)


@tag("core")
class AsUnit(SimpleTestCase):
    plan = CascadePlan(name="x", stages=CLEANERS.stages)

    def test_it_acts_on_what_comes_and_its_shares_are_the_cascades(self):
        parts = (5.0, 3.0, 1.5, 0.5, 0.0, 0.0, 0.02, 0.0, 0.03, 0.1, 277.0)
        inlet = replace(NOTHING, solids_t_h=10.05, fibre_t_h=9.5, water_t_h=277.0, dissolved_t_h=0.1, temp_c=45.0, parts=parts)
        acts = self.plan.act(inlet)
        on, out = acts.shares[ON], acts.shares["rejects"]
        for a, b in zip(on, out, strict=True):
            self.assertAlmostEqual(a + b, 1.0)
        found = acts.worked[0].result
        self.assertAlmostEqual(out[0] * 5.0, found.solved.out[0], places=9)
        self.assertAlmostEqual(dirt(found.solved.fed), 0.05)
        self.assertLess(acts.in_pct, 0.85)  # all its water, that of the later stages too

    def test_settings_are_those_of_its_stages_and_nothing_comes_is_no_fault(self):
        names = list(self.plan.settings())
        self.assertEqual(names[:3], ["cones_open.1", "rv_pct.1", "feed_pct.1"])
        self.assertEqual((len(names), names[-1]), (13, "temp_c"))
        self.assertEqual(self.plan.set_to({"cones_open.2": 8}).stages[1].cones_open, 8)
        self.assertEqual(self.plan.act(NOTHING).worked[0].result.solved.fed[0], 1.0)
        with self.assertRaises(ImpossibleInput):
            self.plan.set_to({"cones_open.9": 8})


@tag("core")
class Kinds(SimpleTestCase):
    """Fractionators, tail screens, fitted constants, the way not taken."""

    def one(self, **stage) -> CascadeCase:
        own = {"cones_open": 1, "rv_pct": 40.0, "feed_pct": 1.5, "size_mm": 1.2, "one": 1.0, "openings": "holes"} | stage
        return CascadeCase(lf=1.0, sf=1.0, fn=0.4, fl=0.2, shv=0.01, snd=0.01, stk=0.01, feed_pct=3.0, stages=(Stage(**own),))

    def test_a_fractionator_sends_the_long_fibre_with_its_reject(self):
        found = cascade(self.one(kind="fractionator"))
        long, short, fines = (found.solved.stages[0].e[AT[name]] for name in ("LF", "SF", "FN"))
        self.assertAlmostEqual(long, 0.4 ** np.exp(-2.0 / 2.8), places=9)  # the passage by length of section 4
        self.assertAlmostEqual(short, 0.4 ** np.exp(-0.8 / 2.8), places=9)
        self.assertGreater(long, short + 0.1)
        self.assertGreater(short, fines)
        finer = cascade(self.one(kind="fractionator", l_mm=1.5)).solved.stages[0]
        self.assertGreater(finer.e[AT["LF"]], long)

    def test_a_tail_screen_keeps_back_a_fixed_part_and_has_no_drop(self):
        found = cascade(self.one(kind="tail screen", rv_pct=12.0, e_pct=90.0, size_mm=3.0))
        ran = found.solved.stages[0]
        self.assertEqual([ran.e[AT[name]] for name in ("SHV", "SND", "STK")], [0.9] * 3)
        self.assertAlmostEqual(ran.e[AT["LF"]], 0.12)
        self.assertEqual((ran.kpa, ran.velocity_m_s, ran.margin, ran.needed, ran.pump_kw), (0.0, 0.0, None, 0, 0.0))
        with self.assertRaisesMessage(ImpossibleInput, "holes of a tail screen are 0.8 to 6 mm"):
            cascade(self.one(kind="tail screen", size_mm=75.0))

    def test_the_way_not_taken_is_the_cascade_solved_with_it(self):
        ways = other_ways(CLEANERS)
        self.assertEqual(set(ways), {1, 2, 3})
        for i, ppm in ways.items():
            stages = list(CLEANERS.stages)
            stages[i] = replace(stages[i], accept=FORWARD)
            self.assertAlmostEqual(cascade(replace(CLEANERS, stages=tuple(stages))).dirt_out_ppm, ppm, delta=0.01 * ppm)
            self.assertGreater(ppm, cascade(CLEANERS).dirt_out_ppm)

    def test_constants_of_the_mill_act_and_are_named_by_what_the_stages_are(self):
        plan = CascadePlan(name="c", stages=CLEANERS.stages)
        self.assertEqual([c.field for c in plan.constants()], ["d50_um", "shive_um"])
        self.assertEqual([c.field for c in CascadePlan(name="s", stages=SCREENS.stages).constants()], ["debris"])
        coarse = cascade(replace(CLEANERS, d50_um=70.0))
        self.assertLess(coarse.sand_pct, cascade(CLEANERS).sand_pct - 3)
        leaky = cascade(replace(SCREENS, debris=2.0))
        self.assertLess(leaky.shives_pct, cascade(SCREENS).shives_pct - 3)
        self.assertAlmostEqual(fibre(leaky.solved.on), fibre(cascade(SCREENS).solved.on), delta=0.05)

    def test_fits_find_what_was_put_in_through_noise(self):
        chance = random.Random(5)
        sets = [{"rv": rv, "e": min(0.99, rv**0.2 * chance.uniform(0.97, 1.03))} for rv in (0.1, 0.15, 0.2, 0.25, 0.3) * 3]
        case = read_case(find("screen.passage_fit"), {"particle": "hard stickies", "aperture_mm": 0.15, "sets": sets})
        found = find("screen.passage_fit").function(case)
        self.assertAlmostEqual(found.p, 0.2, delta=2 * found.half)
        self.assertLess(found.half, 0.02)
        few = find("screen.passage_fit").function(replace(case, sets=case.sets[:3]))
        self.assertIn("wants 5 or more", few.cautions[0].text)
        bad = {"size_um": 100, "sets": [{"kpa": 150, "e": 0.9}, {"kpa": 150, "e": 0.08}]}
        with self.assertRaisesMessage(ImpossibleInput, "no cut tells that"):
            find("cleaner.cut_fit").function(read_case(find("cleaner.cut_fit"), bad))
        drops = {"size_um": 100, "sets": [{"kpa": 150, "e": 0.9}, {"kpa": 150, "e": 0.92}]}
        told = find("cleaner.cut_fit").function(read_case(find("cleaner.cut_fit"), drops))
        self.assertEqual(told.power, 0.25)
        self.assertIn("how the cut falls with it is not told, 0.25 is the default", told.cautions[-1].text)
