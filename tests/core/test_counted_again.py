"""What a search, a fit or a sum over rows tells, counted again from its own rows; what was planted is found."""

import math
import random
from dataclasses import replace
from typing import Any

import numpy as np
from django.test import SimpleTestCase, tag
from scipy.integrate import quad
from scipy.stats import t as student

import core.catalogue  # noqa: F401
from core.calc import read_case
from core.errors import ImpossibleInput, Infeasible
from core.register import find
from tests.core.printed import iso_of, k_over_s
from tests.core.test_another_way import answer, answers


def checked(name: str, check: int = 0, **held: Any) -> Any:
    """The case of a model's check, some of its wells held."""
    model = find(name)
    return replace(read_case(model, dict(model.checks[check].given)), **held)


def told(name: str, case: Any) -> Any:
    return find(name).function(case)


def h_along(points: list[tuple[float, float]]) -> float:
    """H-factor of a temperature that goes straight from point to point, min and °C."""
    whole = 0.0
    for (m0, t0), (m1, t1) in zip(points, points[1:], strict=False):
        rate = lambda s, t0=t0, t1=t1: math.exp(43.20 - 16115 / (t0 + (t1 - t0) * s + 273.15))  # noqa: E731
        whole += quad(rate, 0, 1, epsabs=0, epsrel=1e-10)[0] * (m1 - m0) / 60
    return whole


@tag("core")
class Plans(SimpleTestCase):
    def test_a_silo_hour_by_hour(self):
        chance = random.Random(4)
        for _ in range(12):
            case = checked(
                "schedule.silo",
                now_t=chance.uniform(200, 400),
                feed_t_h=chance.choice((40.0, 50.0, 60.0)),
                stop_h=float(chance.randint(0, 6)),
                stop_for_h=float(chance.randint(0, 3)),
                end_t=chance.uniform(150, 250),
            )
            found = told("schedule.silo", case)
            if isinstance(found, Infeasible):
                self.assertIn("cannot hold together", found.reason)
                continue
            level, at, moves, away = case.now_t, case.feed_t_h, 0, 0.0
            for hour, feed in enumerate(found.feeds):
                stands = case.stop_h <= hour < case.stop_h + case.stop_for_h
                with self.subTest(case=case, hour=hour):
                    if stands:
                        self.assertEqual(feed, 0.0)
                    else:
                        self.assertIn(feed, [f.t_h for f in case.feeds])
                        moves, away, at = moves + (feed != at), away + abs(feed - case.draw_t_h), feed
                    level += feed - case.draw_t_h
                    if found.short_t == 0:
                        self.assertTrue(case.least_t - 1e-6 <= level <= case.most_t + 1e-6, level)
            with self.subTest(case=case):
                self.assertEqual(found.moves, moves)
                self.assertAlmostEqual(found.away, away)
                self.assertAlmostEqual(found.end_t, level + found.short_t)
                self.assertAlmostEqual(found.cost, 1000 * found.short_t + moves + 0.01 * away)

    def test_the_rates_of_a_feed_block_by_block(self):
        chance = random.Random(5)
        for _ in range(8):
            case = checked("schedule.feeds")
            blocks = tuple(replace(b, draw_t_h=chance.choice((4.0, 6.0, 8.0))) for b in case.blocks)
            case = replace(case, now_t=chance.uniform(10, 50), usual_t_h=chance.choice((4.0, 6.0)), blocks=blocks)
            found = told("schedule.feeds", case)
            self.assertNotIsInstance(found, Infeasible)
            level, short, outside = case.now_t, 0.0, 0.0
            for rate, block in zip(found.rates, case.blocks, strict=True):
                level += (rate - block.draw_t_h) * case.block_h
                lacks = max(0.0, -level)
                short, level = short + lacks, level + lacks
                outside += (max(0.0, case.low_t - level) + max(0.0, level - case.high_t)) * case.block_h
            with self.subTest(case=case):
                self.assertAlmostEqual(found.short_t, short, places=6)
                self.assertAlmostEqual(found.end_t, level, places=6)
                self.assertAlmostEqual(found.outside_th, outside, places=6)
                self.assertGreaterEqual(found.cost, 1000 * short + 20 * outside - 1e-6)
                self.assertTrue(0 <= found.gap_pct <= 100)
                self.assertTrue(set(found.rates) <= {r.t_h for r in case.rates} | {0.0})

    def test_no_pair_of_pulps_can_be_exchanged_for_less(self):
        """The cheapest furnish: half a point moved from a dearer pulp to a cheaper one leaves a limit, or bounds of a pulp."""
        case = checked("blend.least")
        found = told("blend.least", case)
        prices = [p.price for p in case.pulps]
        self.assertAlmostEqual(sum(found.shares), 100.0, places=6)
        self.assertAlmostEqual(found.cost, sum(s * p for s, p in zip(found.shares, prices, strict=True)) / 100, places=6)
        self.assertAlmostEqual(found.recipe_cost, sum(p.share_pct * p.price for p in case.pulps) / 100, places=6)
        self.assertAlmostEqual(found.saves, found.recipe_cost - found.cost, places=9)
        exchanged = 0
        for i, dear in enumerate(case.pulps):
            for j, cheap in enumerate(case.pulps):
                if cheap.price >= dear.price:
                    continue
                shares = list(found.shares)
                shares[i], shares[j] = shares[i] - 0.5, shares[j] + 0.5
                if shares[i] < dear.low_pct - 1e-9 or shares[j] > cheap.high_pct + 1e-9:
                    continue
                exchanged += 1
                k, s, ash, tensile = (
                    sum(f * getattr(p, n) for f, p in zip(shares, case.pulps, strict=True)) / 100
                    for n in ("k457", "s457", "ash_pct", "tensile")
                )
                with self.subTest(dear=i, cheap=j):
                    kept = iso_of(k / s) >= case.iso_least and ash <= case.ash_most and tensile >= case.tensile_least
                    self.assertFalse(kept, shares)
        self.assertGreaterEqual(exchanged, 1)


@tag("core")
class Fits(SimpleTestCase):
    def test_a_planted_ratio_and_cut_are_found_with_their_spread(self):
        """Without scatter to the last digit; with it, the half is that of Student's law through nothing."""
        chance = random.Random(9)
        case = checked("screen.passage_fit")
        for p in (0.1, 0.35, 0.8):
            sets = tuple(replace(s, rv=rv, e=rv**p) for s, rv in zip(case.sets, (0.1, 0.15, 0.2, 0.25, 0.3), strict=True))
            found = told("screen.passage_fit", replace(case, sets=sets))
            self.assertAlmostEqual(found.p, p, places=9)
            self.assertAlmostEqual(found.rms, 0.0, places=9)
            noisy = tuple(replace(s, e=s.e * math.exp(chance.gauss(0, 0.02))) for s in sets)
            found = told("screen.passage_fit", replace(case, sets=noisy))
            x, y = (np.log([getattr(s, n) for s in noisy]) for n in ("rv", "e"))
            slope = float(x @ y / (x @ x))
            rms = math.sqrt(float(((y - slope * x) ** 2).sum()) / 4)
            with self.subTest(p=p):
                self.assertAlmostEqual(found.p, slope, places=12)
                self.assertAlmostEqual(found.rms, rms, places=12)
                self.assertAlmostEqual(found.half, student.ppf(0.975, 4) * rms / math.sqrt(float(x @ x)), places=6)

    def test_a_planted_cut_falls_with_its_drop(self):
        case = checked("cleaner.cut_fit")
        for at_150, power in ((40.0, 0.25), (60.0, 0.4), (90.0, 0.1)):
            sets = []
            for s, kpa in zip(case.sets, (90.0, 110.0, 140.0, 160.0, 190.0), strict=True):
                d50 = at_150 * (150 / kpa) ** power
                e = 1 - (1 - case.rv) * math.exp(-math.log(2) * (case.size_um / d50) ** 1.5)
                sets.append(replace(s, kpa=kpa, e=e))
            found = told("cleaner.cut_fit", replace(case, sets=tuple(sets)))
            with self.subTest(at_150=at_150, power=power):
                self.assertAlmostEqual(found.power, power, places=9)
                if power == 0.25:
                    self.assertAlmostEqual(found.spread_pct, 0.0, places=6)
                else:
                    self.assertGreater(found.spread_pct, 1.0)

    def test_a_furnish_that_takes_more_energy_is_told_by_its_log(self):
        """Rows made by the model itself with a planted energy; the prior draws it a little to its default."""
        log, model = checked("refine.fit"), find("refine.freeness")
        passes = type(checked("refine.freeness").passes[0])
        for factor in (0.7, 1.0, 1.5):
            rows = []
            for row, kwh in zip(log.rows, (40, 70, 100, 130, 160, 190, 220, 250), strict=True):
                case = checked("refine.freeness", furnish=log.furnish, csf_in=690.0, ph=7.0, temp_c=40.0, wear=0.0)
                case = replace(case, e0_factor=factor, passes=(passes(kwh_t=float(kwh), sel=row.sel),))
                rows.append(replace(row, kwh_t=float(kwh), csf_in=690.0, csf_out=model.function(case).csf_ml))
            found = told("refine.fit", replace(log, rows=tuple(rows)))
            default = told("refine.fit", replace(log, rows=tuple(rows[:5])))
            with self.subTest(factor=factor):
                if factor != 1.0:
                    self.assertLess(found.after_ml, 0.5 * found.before_ml)
                    self.assertEqual(found.used, 1.0)
                self.assertLess(found.after_ml, 6.0)
                self.assertEqual(default.used, 0.0)

    def test_bands_by_students_law(self):
        case = checked("cook.band")
        errors = [e.error for e in case.errors]
        for fitted in (0, 3):
            found = told("cook.band", replace(case, fitted=fitted))
            s = math.sqrt(sum(e * e for e in errors) / len(errors))
            self.assertAlmostEqual(found.s, s, places=12)
            wide = student.ppf(0.975, len(errors) - fitted) * s * math.sqrt(1 + 1 / len(errors))
            with self.subTest(fitted=fitted):
                self.assertAlmostEqual(found.half, wide, delta=1e-3 * wide)
        unread = told("cook.band", replace(case, errors=()))
        self.assertAlmostEqual(unread.half, max(4.0, 0.27 * case.kappa))

    def test_a_bound_of_a_lot_by_students_law(self):
        for values in ([391.0, 405.0, 398.0, 414.0], [400.0, 401.0, 402.0], [380.0, 430.0, 400.0, 410.0, 395.0, 405.0]):
            case = checked("deliver.lot_bound")
            row = type(case.results[0])
            found = told("deliver.lot_bound", replace(case, results=tuple(row(value=v) for v in values)))
            n, s = len(values), float(np.std(values, ddof=1))
            half = student.ppf(0.95, n - 1) * s / math.sqrt(n)
            with self.subTest(values=values):
                self.assertAlmostEqual(found.upper - found.mean, half, delta=2e-3 * half)
                self.assertAlmostEqual(found.mean - found.lower, half, delta=2e-3 * half)
                self.assertAlmostEqual(found.spare, found.lower - case.low, places=9)


@tag("core")
class Runs(SimpleTestCase):
    def test_a_loop_stepped_by_hand(self):
        """A proportional and integral controller on a lag behind a dead time, sample by sample."""
        for gain, lag, dead, kc, ti, step in (
            (1.0, 30.0, 20.0, 0.75, 30.0, 2.0),
            (0.5, 60.0, 10.0, 2.0, 80.0, 5.0),
            (2, 20, 4, 0.4, 25, 1),
        ):
            case = checked("stock.loop_step", gain=gain, lag_s=lag, dead_s=dead, kc=kc, ti_s=ti, step_s=step, for_s=600.0)
            found = told("stock.loop_step", case)
            a, delay = math.exp(-step / lag), round(dead / step)
            y, whole, sent, seen = 0.0, 0.0, [], []
            for k in range(len(found.readings)):
                error = 1.0 - y
                whole += error * step / ti
                sent.append(kc * (error + whole))
                y = a * y + (1 - a) * gain * (sent[k - delay] if k >= delay else 0.0)
                seen.append(y)
            with self.subTest(gain=gain, lag=lag):
                self.assertAlmostEqual(found.peak, max(found.readings), places=12)
                self.assertLess(max(abs(x - r) for x, r in zip(seen, found.readings, strict=True)), 0.12)
                self.assertAlmostEqual(found.signed_s, sum(1 - r for r in found.readings) * step, places=6)
                self.assertAlmostEqual(found.signed_s, ti / (gain * kc), delta=0.03 * ti / (gain * kc))
                self.assertGreaterEqual(found.error_s, abs(found.signed_s) - 1e-9)
                late = [i for i, r in enumerate(found.readings) if abs(1 - r) > 0.02]
                self.assertAlmostEqual(found.within_s, (late[-1] + 1) * step)

    def test_h_along_a_running_cook(self):
        for minute, temp in ((30.0, 110.0), (90.0, 168.0), (120.0, 170.0)):
            case = checked("cook.running")
            row = type(case.points[0])
            begun = (row(minute=0.0, temp_c=80.0), row(minute=minute, temp_c=temp))
            found = told("cook.running", replace(case, points=begun))
            plan = [(p.minute, p.temp_c) for p in case.plan]
            with self.subTest(minute=minute):
                self.assertAlmostEqual(found.h, h_along([(0.0, 80.0), (minute, temp)]), delta=1e-3 * max(1.0, found.h))
                before = [p for p in plan if p[0] <= minute]
                here = np.interp(minute, *zip(*plan, strict=True))
                so_far = h_along([*before, (minute, float(here))])
                self.assertAlmostEqual(found.lost_h, so_far - found.h, delta=2e-3 * max(1.0, so_far))

    def test_a_cook_blown_when_its_window_opens_is_at_its_upper_edge(self):
        case = checked("cook.blow_decision")
        found = told("cook.blow_decision", case)
        self.assertAlmostEqual(found.low, case.target * (1 - case.share_pct / 100))
        self.assertAlmostEqual(found.high, case.target * (1 + case.share_pct / 100))
        *begun, last = case.points
        for minute, kappa in ((found.opens_min, found.high), (found.closes_min, found.low)):
            points = (*begun, replace(last, minute=minute))
            again = told("cook.blow_decision", replace(case, points=points))
            with self.subTest(minute=minute):
                self.assertAlmostEqual(again.kappa_now, kappa, delta=0.02)
        self.assertLess(found.opens_min, found.closes_min)

    def test_what_is_asked_of_the_oxygen_stage_put_back_in(self):
        tried = 0
        for case, found in answers("oxygen.alkali", 10):
            forward = find("oxygen.delignify")
            own = {f: getattr(case, f) for f in ("wood", "kappa_in", "minutes", "cons_pct", "bar_abs", "cod_kg")}
            by_alkali = forward.function(forward.case_class(**own, temp_c=case.temp_c, naoh_kg=found.naoh_kg))
            with self.subTest(case=case):
                self.assertAlmostEqual(by_alkali.kappa, case.kappa, delta=1e-3)
                self.assertAlmostEqual(by_alkali.end_ph, found.end_ph, places=3)
                if 85 <= found.temp_c <= 110:
                    tried += 1
                    by_heat = forward.function(forward.case_class(**own, temp_c=found.temp_c, naoh_kg=case.naoh_kg))
                    self.assertAlmostEqual(by_heat.kappa, case.kappa, delta=1e-2)
        self.assertGreater(tried, 0)

    def test_the_next_cook_takes_back_seven_tenths(self):
        base = checked("cook.next")
        for off in (-9.0, -6.0, 6.0, 9.0):
            case = replace(base, kappa=base.aim + off, residual_g_l=8.5)
            found = told("cook.next", case)
            with self.subTest(off=off):
                self.assertNotEqual(found.size, 0.0)
                self.assertAlmostEqual(found.after, found.before + found.size, places=6)
                self.assertAlmostEqual(found.expected, case.kappa + found.gain * found.size, places=6)
                self.assertLess(abs(found.expected - case.aim), abs(off))
                self.assertLessEqual(abs(found.gain * found.size), 0.7 * abs(off) + 1e-6)
                self.assertGreater(found.size * off, 0) if found.gain < 0 else self.assertLess(found.size * off, 0)


@tag("core")
class Sums(SimpleTestCase):
    def test_stages_in_turn_are_each_heated_from_where_the_last_left_off(self):
        for case, found in answers("heat.stages", 10):
            at, each = case.from_c, []
            for s in case.stages:
                one = answer(
                    "heat.pulp",
                    cons_pct=s.cons_pct,
                    from_c=at,
                    to_c=s.to_c,
                    steam_bar_abs=case.steam_bar_abs,
                    reaction_mj=s.reaction_mj,
                )
                each.append(one.direct_t_t)
                at = case.water_c + s.keeps * (s.to_c - case.water_c)
            with self.subTest(case=case):
                self.assertAlmostEqual(found.most_t_t, max(each), places=9)
                self.assertAlmostEqual(found.direct_t_t, sum(each), places=9)
                self.assertAlmostEqual(found.leaves_c, at, places=9)
                washed = [s.to_c for s in case.stages if s.keeps < 1]
                self.assertAlmostEqual(found.filtrate_c, sum(washed) / len(washed), places=9)

    def test_every_class_of_a_cascade_goes_on_or_leaves(self):
        for name in (0, 4):  # cleaners, and screens with a reject refiner
            case = checked("clean.cascade", name)
            found = told("clean.cascade", case)
            on, out, fed = (sum(x) for x in (found.solved.on, found.solved.out, found.solved.fed))
            with self.subTest(check=name):
                self.assertAlmostEqual(on + out, fed, places=6)
                self.assertAlmostEqual(found.on_t_h, on)
                self.assertAlmostEqual(found.lost_kg_h, 1000 * out)
                self.assertAlmostEqual(found.loss_pct, 100 * out / fed)
                self.assertAlmostEqual(found.round_pct, 100 * (sum(found.solved.stages[0].feed) / fed - 1))
                first = found.solved.stages[0]
                self.assertAlmostEqual(found.on_pct, 100 * on / (found.solved.on_l_min * 0.06), places=6)
                whole = fed / (case.feed_pct / 100) / 0.06  # L/min that come
                leaves = found.solved.on_l_min + found.solved.out_l_min
                self.assertAlmostEqual(whole + found.water_l_min, leaves, delta=1e-6 * leaves)
                self.assertAlmostEqual(first.accept_l_min + first.reject_l_min, first.feed_l_min, places=6)
                for stage in found.solved.stages:
                    for f, a, r, e in zip(stage.feed, stage.accept, stage.reject, stage.e, strict=True):
                        self.assertAlmostEqual(f, a + r, places=9)
                        self.assertAlmostEqual(r, e * f, places=9)

    def test_a_line_of_recovered_paper_step_by_step(self):
        case = checked("recovered.line")
        found = told("recovered.line", case)
        for before, after in zip(found.after, found.after[1:], strict=False):
            with self.subTest(step=after.called):
                for kind, part in after.solids.items():
                    self.assertLessEqual(part, before.solids[kind] + 1e-12, kind)
                self.assertLessEqual(after.stickies, before.stickies + 1e-9)
                self.assertAlmostEqual(after.iso_pct, iso_of(after.k / after.s), places=6)
                self.assertAlmostEqual(after.k / after.s, k_over_s(after.iso_pct), places=9)
        first, last = found.after[0], found.after[-1]
        left = sum(last.solids.values())
        self.assertAlmostEqual(found.yield_pct, 100 * left / sum(first.solids.values()), places=6)
        self.assertAlmostEqual(found.ash_pct, 100 * last.solids["FL"] / left, places=6)
        self.assertAlmostEqual(found.sludge_kg, 1000 * (100 / found.yield_pct - 1), places=6)
        self.assertGreater(found.iso_pct, first.iso_pct)

    def test_a_belt_of_two_piles_by_their_dry_wood(self):
        case = checked("chips.belt")
        found = told("chips.belt", case)
        dry = [p.share * (1 - p.moisture_pct / 100) for p in case.parts]
        water = [p.share * p.moisture_pct / 100 for p in case.parts]
        self.assertAlmostEqual(found.moisture_pct, 100 * sum(water) / (sum(water) + sum(dry)), places=9)
        self.assertAlmostEqual(found.wet_t_h, case.feed_t_h / (1 - found.moisture_pct / 100), places=9)
        self.assertAlmostEqual(found.over_thick_pct, sum(c.share for c in case.classes if c.mm > 8), places=9)
        self.assertLess(found.knots_longer_pct, found.knots_pct)
        alone = told("chips.belt", replace(case, classes=(replace(case.classes[1], share=100.0),)))
        self.assertAlmostEqual(alone.kappa_sd, 0.0, places=9)
        swapped = told("chips.belt", replace(case, parts=tuple(reversed(case.parts)), classes=tuple(reversed(case.classes))))
        for figure in ("kappa", "kappa_sd", "knots_pct", "screened_pct", "moisture_pct", "wet_t_h", "air_left_pct"):
            self.assertAlmostEqual(getattr(swapped, figure), getattr(found, figure), places=9, msg=figure)

    def test_a_run_card_by_its_sources(self):
        case = checked("deliver.run_card")
        found = told("deliver.run_card", case)
        k = sum(s.share * k_over_s(s.iso_pct) * s.s457 for s in case.supplies)
        s457 = sum(s.share * s.s457 for s in case.supplies)
        self.assertAlmostEqual(found.iso_pct, iso_of(k / s457), places=6)
        self.assertAlmostEqual(found.low_at_h, min(r.run.low_at_h for r in found.rows), places=9)
        self.assertAlmostEqual(found.short_t, sum(r.run.short_t for r in found.rows), delta=found.short_t)
        for row, supply in zip(found.rows, case.supplies, strict=True):
            self.assertAlmostEqual(row.run.t_h, supply.share * found.solids_t_h, places=9)
        for figure, moved in (("start_h", 1.0), ("sale_t", -1.0)):
            relief = told("deliver.relief", checked("deliver.relief"))
            with self.subTest(relief=figure):
                self.assertGreater(moved * getattr(relief, figure), moved * getattr(case, figure))
                wells = {figure: getattr(relief, figure)}
                eased = told("deliver.run_card", replace(case, **wells))
                self.assertLess(eased.short_t, 1e-6)

    def test_impossible_rows_are_named(self):
        for name, held, field in (
            ("cleaner.cut_fit", {"rv": 0.95}, "rv"),
            ("blend.flows", {"streams": ()}, "streams"),
            ("cook.next", {"low": 40.0, "high": 30.0}, "high"),
            ("stock.cover", {"low_pct": 90.0, "high_pct": 20.0}, "low_pct"),
        ):
            with self.subTest(model=name), self.assertRaises(ImpossibleInput) as refused:
                told(name, checked(name, **held))
            self.assertIn(field, [p.field for p in refused.exception.problems])
