"""Worked by hand: what a caution, a plan or a picture rests on and no page asks for by itself."""

import json
import math
from dataclasses import replace

import numpy as np
from django.test import SimpleTestCase, tag

from core.bleach.mechanical import PeroxideCase, peroxide
from core.bleach.stages import dithionite_share
from core.bleach.store import TankCase, tank
from core.calc import read_case
from core.chips.unit import FeedPlan
from core.cook.design import HEATED, DesignCase, designed
from core.cook.models import rejects_pct
from core.cook.profile import thinned
from core.deliver.passing import MixedLotsCase, mixed_lots
from core.deliver.release import CardTest, Verdict, judge_test, retests_needed
from core.deliver.trace import blend_away_pct
from core.deliver.wet_end import viscosity_mpa_s
from core.errors import ImpossibleInput, Infeasible
from core.judge.advise import dilution_move
from core.judge.band import Band
from core.judge.chart import cusum, moved, run_rules
from core.judge.learnt import LearntCase, Taken, learnt
from core.judge.next_cook import TITRATED
from core.judge.run_length import fires
from core.lab.measured import CsfCase, Pad, PadsCase, csf, pads
from core.mill.reading import read_mill
from core.plan.silo import Feed, SiloCase, plan_silo
from core.practice.clean import RopeCase, rope_move
from core.practice.cook import kelvin2_over
from core.practice.mechanical import LoadCase, load
from core.practice.stock import LevelCase, falls_move, rises_move
from core.recovered.pulper import FURNISH, DefiberCase, Load, defiber
from core.register import find
from core.stock.cover import Piece, forecast
from core.stock.loop import LoopCase
from core.stock.shape import Surveyed
from core.stock.transmitter import _jackknife_se, deming
from core.stream import INDEX, N, W
from core.through.disturbed import FILLER, PULP, _ashier, _wetter
from desk.shift.demo import DOCUMENT
from tests.core.test_check_values import row


@tag("core")
class Physics(SimpleTestCase):
    def test_water_is_as_thin_as_tables_say(self):
        for temp_c, wanted in ((10, 1.306), (20, 1.002), (40, 0.653), (60, 0.466), (80, 0.354)):
            with self.subTest(temp_c=temp_c):
                self.assertAlmostEqual(viscosity_mpa_s(temp_c), wanted, delta=0.015 * wanted)

    def test_degrees_that_a_rate_takes(self):
        self.assertAlmostEqual(kelvin2_over(170.0), 443.15**2 / 16115, 9)
        self.assertAlmostEqual(100.0 / kelvin2_over(170.0), 8.2, 1)

    def test_rejects_are_a_tenth_more_for_each_per_cent_over_six_of_thick_chips(self):
        def raw(found: float) -> float:
            return found / (1 - found / 15)

        for kind in ("softwood", "hardwood"):
            base = raw(rejects_pct(kind, 40.0, 6.0))
            self.assertAlmostEqual(raw(rejects_pct(kind, 40.0, 0.0)), base, 9)
            self.assertAlmostEqual(raw(rejects_pct(kind, 40.0, 9.0)), 1.3 * base, 9)

    def test_dithionite_takes_half_of_what_mechanical_pulp_absorbs_and_a_quarter_of_bleached(self):
        self.assertAlmostEqual(dithionite_share(60.0), 0.52, 2)
        self.assertAlmostEqual(dithionite_share(75.0), 0.25 + 0.27 / 2, 12)
        self.assertAlmostEqual(dithionite_share(88.0), 0.25, 2)

    def test_a_log_keeps_what_bends_it_most(self):
        points = ((0.0, 80.0), (1.0, 90.0), (2.0, 100.0), (3.0, 130.0), (4.0, 131.0), (5.0, 132.0))
        self.assertEqual(thinned(points, 6), points)
        self.assertEqual(thinned(points, 4), ((0.0, 80.0), (2.0, 100.0), (3.0, 130.0), (5.0, 132.0)))
        self.assertEqual(thinned(points, 2), (points[0], points[-1]))

    def test_energy_to_defiber_counts_what_never_comes_apart(self):
        furnish = next(iter(FURNISH))
        found = defiber(DefiberCase(furnish=furnish, od_t=5.0, net_kw=400.0, f0_pct=70.0, to_pct=6.0, rest_pct=1.5))
        self.assertAlmostEqual(found.kwh_t, found.e_f * math.log((70 - 1.5) / (6 - 1.5)), 9)
        self.assertAlmostEqual(found.minutes, found.kwh_t * 5.0 * 60 / 400.0, 9)

    def test_catalase_takes_a_sixth_of_the_peroxide(self):
        model = find("bleach.peroxide_mechanical")
        clean = PeroxideCase(**{**model.checks[0].given, "peroxide_pct": 2.4, "catalase": "clean"})
        eaten = peroxide(replace(clean, catalase="catalase"))
        self.assertLess(eaten.gain, peroxide(clean).gain)
        self.assertGreater(eaten.gain, peroxide(replace(clean, peroxide_pct=1.8)).gain)
        self.assertIn("catalase", [c.field for c in eaten.cautions])


@tag("core")
class Disturbed(SimpleTestCase):
    feed = row(LF=4.0, SF=2.0, FN=1.0, FL=0.5, W=92.5)

    def test_more_filler_takes_the_place_of_fibre_and_fines(self):
        for more, by in ((0.04, 0.04 * 7.5), (-0.02, -0.02 * 7.5), (-0.5, -0.5), (2.0, 0.9 * 7.0)):
            with self.subTest(more=more):
                then = _ashier(self.feed, more)
                self.assertAlmostEqual(float(then[FILLER] - self.feed[FILLER]), by, 12)
                self.assertAlmostEqual(float(then[PULP].sum() - self.feed[PULP].sum()), -by, 12)
                self.assertEqual(float(then[W]), float(self.feed[W]))
                self.assertTrue(np.allclose(then[PULP] / then[PULP].sum(), self.feed[PULP] / self.feed[PULP].sum()))

    def test_wetter_is_the_same_mass_and_the_same_kinds_of_solids(self):
        for more, wet in ((0.02, 0.945), (-0.1, 0.825), (0.5, 0.95), (-2.0, 0.02)):
            with self.subTest(more=more):
                then = _wetter(self.feed, more)
                self.assertAlmostEqual(float(then.sum()), 100.0, 9)
                self.assertAlmostEqual(float(then[W]), 100.0 * wet, 9)
                dry = [i for i in range(N) if i != W]
                self.assertTrue(np.allclose(then[dry] / then[dry].sum(), self.feed[dry] / self.feed[dry].sum()))

    def test_nothing_stays_nothing(self):
        empty = np.zeros(N)
        self.assertEqual(float(_wetter(empty, 0.1).sum()), 0.0)
        self.assertEqual(float(_ashier(empty, 0.1).sum()), 0.0)
        filler = row(FL=1.0)
        self.assertEqual(float(_ashier(filler, 0.1)[INDEX["FL"]]), 1.0)


@tag("core")
class Judged(SimpleTestCase):
    def test_a_signal_says_where_it_begins(self):
        one, eight = [0.0] * 5 + [3.4], [0.2] * 3 + [-0.3] + [0.4] * 8
        (far,) = run_rules(one, 0.0, 1.0)
        self.assertEqual((far.rule, far.first, far.at, far.side), ("WE1", 5, 5, 1))
        (run,) = run_rules(eight, 0.0, 1.0, ("WE4",))
        self.assertEqual((run.first, run.at, run.side), (4, 11, 1))
        (fall,) = run_rules([0.1, 0.6, 0.5, 0.4, 0.3, 0.2, 0.1], 0.0, 1.0, ("trend6",))
        self.assertEqual((fall.first, fall.at, fall.side), (1, 6, -1))
        self.assertEqual(run_rules([0.6, 0.5, 0.4, 0.3, 0.2], 0.0, 1.0, ("trend6",)), ())

    def test_signals_below_the_mean_are_heard_as_those_above(self):
        for sign, side in ((1, 1), (-1, -1)):
            with self.subTest(side=side):
                two = [0.1, 2.3, -0.2, 2.5]
                (signal,) = run_rules([sign * z for z in two], 0.0, 1.0, ("WE2",))
                self.assertEqual((signal.side, signal.at), (side, 3))
                four = [1.2, 1.4, 0.3, 1.1, 1.6]
                self.assertEqual([s.side for s in run_rules([sign * z for z in four], 0.0, 1.0, ("WE3",))], [side])
                mixed = [sign * z for z in (2.3, -2.4, 2.5)]  # two of three, but only one of them on its side with the newest
                self.assertEqual(len(run_rules(mixed, 0.0, 1.0, ("WE2",))), 1)
                self.assertEqual(run_rules([sign * z for z in (2.3, -2.4, 1.9)], 0.0, 1.0, ("WE2",)), ())

    def test_sums_of_deviations_are_counted_from_the_mean_in_sigmas(self):
        values = (441, 455, 452, 466, 449, 461, 470, 458, 467, 472)
        sums = cusum(values, 450.0, 10.0)
        up = down = 0.0
        for x, (plus, minus) in zip(values, sums, strict=True):
            up, down = max(0.0, up + (x - 450) / 10 - 0.5), max(0.0, down - (x - 450) / 10 - 0.5)
            self.assertAlmostEqual(plus, up, 12)
            self.assertAlmostEqual(minus, down, 12)
        self.assertAlmostEqual(sums[-1][0], 5.8, 9)
        self.assertEqual(moved(values, 450.0, 10.0), (3, sums[-1][0]))
        mirrored = [900 - x for x in values]
        self.assertEqual(moved(mirrored, 450.0, 10.0), (3, -sums[-1][0]))
        self.assertIsNone(moved(values[:6], 450.0, 10.0))

    def test_a_flagged_lot_is_told_the_fewest_results_that_would_prove_it(self):
        test = CardTest(key="iso", low=80.0, high=84.0, critical=True, results=(80.4, 80.9, 80.2))
        verdict = judge_test(test)
        self.assertIs(verdict.verdict, Verdict.FLAGGED)
        count, value = retests_needed(test, verdict)
        self.assertTrue(verdict.mean <= value <= 82.0)
        more = replace(test, results=(*test.results, *([value] * count)))
        self.assertIs(judge_test(more).verdict, Verdict.PASSED)
        if count > 2:
            for step in range(21):
                tried = verdict.mean + (82.0 - verdict.mean) * step / 20
                fewer = replace(test, results=(*test.results, *([tried] * (count - 1))))
                self.assertIsNot(judge_test(fewer).verdict, Verdict.PASSED)
        self.assertIsNone(retests_needed(more, judge_test(more)))

    def test_freeness_is_corrected_only_near_its_standard(self):
        for cons, temp, told in ((0.30, 20.0, 0), (0.30, 35.0, 1), (0.50, 20.0, 1), (0.50, 35.0, 1)):
            with self.subTest(cons=cons, temp=temp):
                found = csf(CsfCase(read_ml=400.0, cons_pct=cons, temp_c=temp))
                self.assertEqual(sum("repeat it" in c.text for c in found.cautions), told)

    def test_a_one_sided_chart_hears_nothing_below(self):
        rules = frozenset(("WE1", "WE2", "WE4"))
        self.assertTrue(fires((4,), 1, rules))
        self.assertTrue(fires((-4,), 1, rules))
        self.assertFalse(fires((-4,), 1, rules, one=True))
        self.assertTrue(fires((4,), 1, rules, one=True))
        self.assertTrue(fires((-1,), 8, rules))
        self.assertFalse(fires((-1,), 8, rules, one=True))

    def test_the_next_cook_hears_a_residual_only_where_one_was_titrated(self):
        model = find("cook.next")
        given = next(dict(c.given) for c in model.checks if c.given.get("residual_g_l") == 4.0 and c.given.get("kappa") == 30.0)
        low = read_case(model, given)
        self.assertEqual(low.residual, TITRATED[0])
        without = replace(low, residual=TITRATED[1])
        self.assertAlmostEqual(model.function(low).size, 0.5, 9)
        self.assertNotAlmostEqual(model.function(without).size, 0.5, 3)

    def test_dilution_water_stays_within_its_valve(self):
        at = {"inlet_pct": 4.2, "target_pct": 3.6, "measured_pct": 3.6, "water_cons_pct": 0.05}
        loop = LoopCase(stock_l_min=2000, water_max_l_min=420, **at)
        for reading in (4.19, 3.50, 2.9):
            move = dilution_move(reading=reading, band=Band(low=3.4, high=3.8, target=3.6), loop=loop, mixing_min=5.0)
            with self.subTest(reading=reading):
                self.assertGreaterEqual(move.after, min(42.0, move.before) - 1e-9)
                self.assertLessEqual(move.after, max(378.0, move.before) + 1e-9)
                self.assertAlmostEqual(move.expected, (2000 * 4.2 + 0.05 * move.after) / (2000 + move.after), 9)

    def test_pads_that_scatter_are_remade(self):
        def told(*iso: float):
            return pads(PadsCase(readings=tuple(Pad(iso_pct=x) for x in iso)))

        self.assertEqual(told(84.0, 84.2, 84.1, 83.9).cautions, ())
        self.assertIn("remake", told(83.0, 84.2, 84.9, 83.9).cautions[0].text)

    def test_a_slope_is_as_sure_as_pairs_left_out_in_turn_say(self):
        chance = np.random.default_rng(26318)
        x = np.linspace(2.8, 4.2, 9)
        y = 0.1 + 1.05 * x + chance.normal(0.0, 0.03, 9)
        whole = deming(x, y)[0]
        left_out = [deming(np.delete(x, i), np.delete(y, i))[0] for i in range(9)]
        pseudo = [9 * whole - 8 * b for b in left_out]
        self.assertAlmostEqual(_jackknife_se(x, y, 1.0), float(np.std(pseudo, ddof=1)) / 3.0, 12)

    def test_a_refiner_is_loaded_as_far_as_its_motor_goes(self):
        free = load(LoadCase(csf_ml=140, target=120, sec_kwh_t=2000, rate_t_h=2, load_left_mw=5))
        held = load(LoadCase(csf_ml=140, target=120, sec_kwh_t=2000, rate_t_h=2, load_left_mw=0.05))
        self.assertAlmostEqual(held.after, 2000 + 1000 * 0.05 / 2, 9)
        self.assertEqual((held.bound_by, held.high), ("the motor's room", held.after))
        self.assertGreater(free.after, held.after)
        self.assertAlmostEqual(held.load_mw, 0.05, 9)

    def test_a_learnt_share_says_how_sure_it_is(self):
        moves = [(1.0, 2.0, 2.1), (2.0, 4.1, 3.9), (1.5, 3.0, 3.3), (-1.0, -2.1, -1.8), (0.5, 1.0, 1.2), (3.0, 6.0, 6.3)]
        found = learnt(LearntCase(moves=tuple(Taken(step=s, foreseen=f, came=d) for s, f, d in moves)))
        f, d = (np.array([m[k] for m in moves]) for k in (1, 2))
        (share,), (rest,), *_ = np.linalg.lstsq(f[:, None], d, rcond=None)
        self.assertAlmostEqual(found.share, share, 12)
        self.assertAlmostEqual(found.share_sd, math.sqrt(rest / 5 / (f @ f)), 12)
        self.assertEqual(found.offered, 0.0)

    def test_tips_that_rope_are_fewer_than_those_open(self):
        with self.assertRaises(ImpossibleInput) as refused:
            rope_move(RopeCase(roping=26, cones_open=26, feed_pct=0.7))
        self.assertEqual(refused.exception.problems[0].field, "roping")
        self.assertIn("under the 26", refused.exception.problems[0].text)
        self.assertAlmostEqual(rope_move(RopeCase(roping=2, cones_open=26, feed_pct=0.7)).left_kpa, (26 / 24) ** 2, 9)


@tag("core")
class Vessels(SimpleTestCase):
    def test_a_course_is_read_at_any_hour(self):
        pieces = (Piece(until_h=2.0, rate_in=3.0, rate_out=8.0), Piece(until_h=6.0, rate_in=9.0, rate_out=4.0))
        course = forecast(content=50.0, low=20.0, high=90.0, pieces=pieces)
        self.assertEqual((course.least, course.most), (40.0, 60.0))
        for hour, wanted in ((0.0, 50.0), (1.0, 45.0), (2.0, 40.0), (3.0, 45.0), (6.0, 60.0)):
            self.assertAlmostEqual(course.at(hour), wanted, 9)
        self.assertEqual((course.low_at_h, course.high_at_h), (math.inf, math.inf))
        tight = forecast(content=50.0, low=45.0, high=55.0, pieces=pieces)
        self.assertEqual((tight.low_at_h, tight.high_at_h), (1.0, 5.0))

    def test_a_vessel_past_its_limit_has_no_time_left(self):
        """One that stands over its highest and still rises, or under its lowest and still falls, asks for its move at once."""
        over = LevelCase(content_t=19.6, full_t=20.0, in_t_h=4.0, out_t_h=2.0, want_h=2.0)
        found = rises_move(over)
        self.assertEqual((found.hours, found.stands), (0.0, True))
        self.assertIn("past its highest", found.why)
        self.assertLess(found.after, 4.0)
        under = LevelCase(content_t=1.5, full_t=20.0, in_t_h=1.9, out_t_h=2.9)
        found = falls_move(under)
        self.assertEqual((found.hours, found.stands), (0.0, True))
        self.assertGreater(found.after, 1.9)
        for case, move in (
            (replace(over, in_t_h=1.5), rises_move),
            (replace(under, in_t_h=3.5), falls_move),
        ):  # on its way back
            self.assertEqual((move(case).hours, move(case).stands), (1000.0, False))

    def test_a_level_between_limits_the_wrong_way_round_is_refused(self):
        base = LevelCase(content_t=10.0, full_t=20.0, in_t_h=4.0, out_t_h=2.0)
        for wrong, field in ((replace(base, low_pct=95.0), "low_pct"), (replace(base, content_t=21.0), "content_t")):
            for move in (falls_move, rises_move):
                with self.subTest(field=field), self.assertRaises(ImpossibleInput) as refused:
                    move(wrong)
                self.assertEqual(refused.exception.problems[0].field, field)

    def test_what_two_lots_give(self):
        case = MixedLotsCase(held_a_t=30.0, held_b_t=10.0, fed_t_h=5.0, drawn_t_h=5.0, hours=4.0)
        found = mixed_lots(case)
        left = math.exp(-20.0 / 40.0)  # fed as drawn: nothing but the rate
        self.assertAlmostEqual(found.held_a, 30.0 * left, 9)
        self.assertAlmostEqual(found.given_a, 30.0 * (1 - left), 9)
        given_b = 10.0 + 20.0 - (40.0 - 30.0 * left)
        self.assertAlmostEqual(found.new_pct, 100.0 * given_b / 20.0, 9)

    def test_a_strapping_table_that_does_not_rise_is_refused(self):
        short, one = ((0.0, 1.0, 2.0), (0.0, 5.0)), ((0.0,), (0.0,))
        falls, stays = ((0.0, 2.0, 1.0), (0.0, 5.0, 9.0)), ((0.0, 1.0), (5.0, 5.0))
        for levels, volumes in (short, one, falls, stays):
            with self.subTest(levels=levels, volumes=volumes), self.assertRaises(ImpossibleInput):
                Surveyed(levels_m=levels, volumes_m3=volumes)
        table = Surveyed(levels_m=(0.0, 1.0, 4.0), volumes_m3=(0.0, 6.0, 30.0))
        self.assertEqual((table.brim_m, table.volume_m3(0.5), table.volume_m3(2.0)), (4.0, 3.0, 14.0))

    def test_as_much_of_a_lot_is_blended_away_as_the_limit_bears(self):
        self.assertAlmostEqual(blend_away_pct(good=100.0, bad=400.0, limit=250.0), 50.0, 9)
        self.assertEqual(blend_away_pct(good=100.0, bad=240.0, limit=250.0), 100.0)
        self.assertEqual(blend_away_pct(good=100.0, bad=250.0, limit=250.0), 100.0)
        self.assertAlmostEqual(blend_away_pct(good=86.0, bad=80.0, limit=85.0), 100.0 / 6.0, 9)
        with self.assertRaises(ImpossibleInput):
            blend_away_pct(good=260.0, bad=400.0, limit=250.0)

    def test_bales_that_are_loaded_weigh_what_they_weigh(self):
        load = Load(bales=7, bale_kg=510.0, moisture_pct=12.0)
        self.assertAlmostEqual(load.kg, 3570.0, 9)
        self.assertAlmostEqual(load.od_kg, 3570.0 * 0.88, 9)

    def test_a_load_fits_where_its_room_is(self):
        found = tank(TankCase(now_m3=40.0, least_m3=5.0, most_m3=60.0, use_m3_h=1.5, lead_h=10.0, margin_h=4.0, load_m3=30.0))
        self.assertAlmostEqual(found.room_m3, 60.0 - 25.0, 9)
        self.assertAlmostEqual(found.fits, 5.0, 9)
        run_dry = tank(TankCase(now_m3=20.0, least_m3=5.0, most_m3=60.0, use_m3_h=3.0, lead_h=10.0, margin_h=4.0, load_m3=30.0))
        self.assertAlmostEqual(run_dry.room_m3, 55.0, 9)  # none is used below the lowest
        self.assertIsInstance(
            tank(TankCase(now_m3=20.0, least_m3=5.0, most_m3=60.0, use_m3_h=3.0, lead_h=10.0, margin_h=4.0, load_m3=56.0)),
            Infeasible,
        )

    def test_a_silo_says_how_far_its_feed_was_from_its_draw(self):
        case = SiloCase(
            now_t=60.0,
            least_t=20.0,
            most_t=120.0,
            draw_t_h=10.0,
            feed_t_h=10.0,
            hours=8,
            stop_h=3,
            stop_for_h=2,
            end_t=40.0,
            feeds=(Feed(t_h=0.0), Feed(t_h=10.0), Feed(t_h=14.0)),
        )
        found = plan_silo(case)
        outside = [f for h, f in enumerate(found.feeds) if not case.stops(h)]
        self.assertAlmostEqual(found.away, sum(abs(f - 10.0) for f in outside), 9)
        self.assertAlmostEqual(found.end_t, 60.0 + sum(found.feeds) - 80.0 + found.short_t, 9)
        self.assertGreaterEqual(found.end_t, 40.0 - 1e-6)


@tag("core")
class Upsets(SimpleTestCase):
    def test_what_may_go_wrong_is_of_the_size_it_says_and_can_be_set(self):
        mill = read_mill(json.loads(DOCUMENT.read_text()))
        sizes = {"a fifth of the load is lost": ("sec_kwh_t", 0.8), "white liquor a tenth weak": ("ea_pct_naoh", 0.9)}
        heard = set()
        for unit, plan in mill.plans.items():
            now, may = plan.settings(), plan.settable()
            for upset in plan.upsets():
                with self.subTest(unit=unit, upset=upset.name):
                    self.assertTrue(upset.settings)
                    for name, value in upset.settings.items():
                        self.assertIn(name, may)
                        self.assertIsNone(may[name].problem(value))
                        self.assertNotEqual(value, now[name])
                    if upset.name in sizes:
                        name, share = sizes[upset.name]
                        self.assertAlmostEqual(upset.settings[name], share * now[name], 9)
                        heard.add(upset.name)
        self.assertEqual(heard, set(sizes))
        (lost,) = FeedPlan(feed_t_h=20.0).upsets()
        self.assertEqual((lost.name, lost.settings), ("a quarter of the feed is lost", {"feed_t_h": 15.0}))


@tag("core")
class Cooks(SimpleTestCase):
    def case(self, **more) -> DesignCase:
        model = find("cook.design")
        return replace(read_case(model, dict(model.checks[0].given)), **more)

    def test_what_heats_a_cook_is_what_it_takes_of_steam(self):
        direct, indirect = (designed(self.case(heated=way)) for way in HEATED)
        self.assertGreater(indirect.steam_t_t, direct.steam_t_t)  # its condensate goes back hot: less heat a tonne
        self.assertGreater(direct.condensate_m3, indirect.condensate_m3)
        self.assertLessEqual(direct.hot_low_g_l, direct.hot_high_g_l)
        self.assertLessEqual(direct.hot_low_g_l, direct.residual_g_l + 1e-9)

    def test_what_more_alkali_brings_is_told_of_a_hundredth_of_it(self):
        base = self.case()
        more = replace(base, ea_pct_naoh=base.ea_pct_naoh * 1.01)
        found, then = designed(base), designed(more)
        self.assertAlmostEqual(found.a_charge, then.kappa - found.kappa, delta=0.02)
