"""Figures that a model solves for, worked out again by another way: shot through, walked step by step, or put back in."""

import math
import random
from collections.abc import Iterator
from dataclasses import replace
from typing import Any

import numpy as np
from django.test import SimpleTestCase, tag
from scipy.integrate import solve_ivp
from scipy.stats import norm

import core.catalogue  # noqa: F401
from core.errors import ImpossibleInput, Infeasible
from core.register import Model, find
from tests.core.printed import clip, iso_of, water_a_tonne
from tests.core.test_random_inputs import drawn


def answers(name: str, wanted: int = 10, **held: Any) -> Iterator[tuple[Any, Any]]:
    """Random valid cases of a model, some of their wells held, each with what it answers."""
    model, chance = find(name), random.Random(name)
    for _ in range(60 * wanted):
        if wanted == 0:
            return
        case = replace(drawn(model, chance), **held)
        try:
            result = model.function(case)
        except ImpossibleInput:
            continue
        if not isinstance(result, Infeasible):
            wanted -= 1
            yield case, result
    raise AssertionError(f"{name} answers too few of the cases drawn")


def answer(name: str, **given: Any) -> Any:
    model: Model = find(name)
    return model.function(model.case_class(**given))


def washed(feed_pct: float, x0: float, df: float, y_in: float, washers: list[tuple[float, float]]) -> dict[str, float]:
    """A line of washers shot through from its last mat backwards: E10 and consistency of each, solids kg/t.

    Both equations of a stage, Norden's and the balance, are solved for what came to it; all is linear in the last mat's solids,
    so two shots tell which of them ends at what came.
    """
    waters = [water_a_tonne(feed_pct), *(water_a_tonne(out) for _, out in washers)]

    def shot(last: float) -> list[tuple[float, float]]:
        x1, y2, met = last, y_in, []
        for i in range(len(washers) - 1, -1, -1):
            l0, l1 = waters[i], waters[i + 1]
            v2, v1 = l1 + df, l0 + df
            ratio = (1 + df / 9.0) ** washers[i][0]
            y1 = (ratio * l1 * (x1 - y2) - l1 * x1 + v2 * y2) / (v1 - l0)
            came = (l1 * x1 + v1 * y1 - v2 * y2) / l0
            met.append((came, y1))
            x1, y2 = came, y1
        return met

    at_0, at_1 = shot(0.0), shot(1.0)
    last = (x0 - at_0[-1][0]) / (at_1[-1][0] - at_0[-1][0])
    first = shot(last)[-1][1]
    return {"x_last": last, "loss": 0.9 * waters[-1] * last, "y_first": first, "v_first": waters[0] + df}


@tag("core")
class Washers(SimpleTestCase):
    def test_a_series_shot_through_backwards(self):
        for case, found in answers("wash.series", 25):
            if found.pressed or abs(case.df) < 0.05:
                continue
            n = round(case.stages)
            again = washed(
                case.feed_pct,
                case.x0,
                case.df,
                case.y_in,
                [(case.e10, case.out_pct)] * (n - 1) + [(case.e10, case.last_pct)],
            )
            with self.subTest(case=case):
                self.assertAlmostEqual(found.x_last, again["x_last"], delta=1e-6 * case.x0)
                self.assertAlmostEqual(found.loss_kg_adt, again["loss"], delta=1e-5 * case.x0)
                self.assertAlmostEqual(found.solids_pct, again["y_first"] / 10, delta=1e-6 * case.x0)
                self.assertAlmostEqual(found.to_evaporators, again["v_first"], places=9)

    def test_a_line_with_air_shot_through_backwards(self):
        compared = 0
        for case, found in answers("wash.line", 25):
            if any(s.pressed for s in found.line.stages) or abs(case.df) < 0.05:
                continue
            compared += 1
            weak = math.exp(-0.04 * case.air_pct)
            washers = [(max(0.1, w.e10 * weak), w.out_pct) for w in case.washers]
            again = washed(case.feed_pct, case.x0, case.df, case.y_in, washers)
            came = 0.9 * water_a_tonne(case.feed_pct) * case.x0 * case.na2so4_share
            with self.subTest(case=case):
                self.assertAlmostEqual(found.loss_kg_adt, again["loss"], delta=1e-5 * case.x0)
                self.assertAlmostEqual(found.solids_pct, again["y_first"] / 10, delta=1e-6 * case.x0)
                self.assertAlmostEqual(
                    found.shower_m3_h, case.od_t_h * (water_a_tonne(case.washers[-1].out_pct) + case.df), places=6
                )
                free = again["loss"] * case.na2so4_share * (1 - found.bound_kg_adt / came)
                self.assertAlmostEqual(found.soda_kg_adt, free, delta=1e-4 * case.x0)
        self.assertGreater(compared, 10)

    def test_the_share_of_filtrate_brings_the_loss_to_its_limit(self):
        inside = 0
        for case, found in answers("wash.filtrate_share", 30):
            drums = [(3.5, 12.0), (3.5, 12.0), (3.5, 13.0)]
            loss = lambda y: washed(case.feed_pct, case.x0, case.df, y, drums)["loss"]  # noqa: B023, E731
            with self.subTest(case=case):
                if abs(case.df) > 0.05 and not any("pressing" in c.text for c in found.cautions):
                    self.assertAlmostEqual(found.loss_0, loss(0.0), delta=1e-5 * case.x0)
                    self.assertAlmostEqual(found.slope, loss(1.0) - loss(0.0), places=5)
                if 0 < found.share < 1:
                    inside += 1
                    comes_to = found.loss_0 + found.slope * found.share * case.filtrate_kg_t
                    self.assertAlmostEqual(comes_to, case.limit_kg_adt, places=6)
        self.assertGreater(inside, 3)


@tag("core")
class Vessels(SimpleTestCase):
    def test_hours_to_a_limit_are_those_a_clock_counts(self):
        """Filled or emptied by steps of a thousandth of the way."""
        for case, found in answers("stock.cover", 40):
            low, high = case.capacity * case.low_pct / 100, case.capacity * case.high_pct / 100
            content = case.capacity * case.level_pct / 100
            with self.subTest(case=case):
                for to, limit, towards in ((found.to_low_h, low, -1), (found.to_high_h, high, 1)):
                    if math.isinf(to):
                        self.assertLessEqual(towards * found.net, 1e-3)
                        continue
                    there = content + found.net * to
                    past = towards * (content - limit) > 0
                    self.assertAlmostEqual(there, content if past else limit, delta=1e-6 * max(1, case.capacity))

    def test_a_source_walked_minute_by_minute(self):
        for case, found in answers("deliver.source_run", 12, hours=7.5, start_h=2.0, takes_until_h=1.25):
            low, high = case.full_t * case.low_pct / 100, case.full_t * case.high_pct / 100
            content, least, step, first_low = case.full_t * case.level_pct / 100, math.inf, 1 / 240, math.inf
            for i in range(round(9.5 / step)):
                t = i * step
                if t >= 2.0:
                    least = min(least, content)
                    if content < low - 1e-9:
                        first_low = min(first_low, t)
                takes = case.out_now_t_h if t < 1.25 else 0.0 if t < 2.0 else case.share * case.solids_t_h
                content = min(content + (case.made_t_h - takes) * step, max(high, content))  # a full vessel takes no more
            least = min(least, content)
            near = (case.made_t_h + case.out_now_t_h + case.share * case.solids_t_h) * step * 2
            with self.subTest(case=case):
                self.assertAlmostEqual(found.end_pct / 100 * case.full_t, content, delta=near)
                self.assertAlmostEqual(found.short_t, max(0.0, low - least), delta=near)
                if math.isfinite(first_low) and found.short_t > near:
                    self.assertAlmostEqual(found.low_at_h, first_low, delta=3 * step)

    def test_a_break_walked_minute_by_minute(self):
        for case, found in answers("deliver.break", 25):
            high = max(case.content_t, case.full_t * case.high_pct / 100)
            step, content, over = case.minutes / 60 / 4000, case.content_t, 0.0
            net = case.web_t_h + case.made_t_h - case.share_pct / 100 * case.draw_t_h
            for _ in range(4000):
                content += net * step
                over, content = over + max(0.0, content - high), min(content, high)
            with self.subTest(case=case):
                self.assertAlmostEqual(found.level_pct * case.full_t / 100, content, delta=1e-6 * max(1.0, abs(content)))
                self.assertAlmostEqual(found.over_t, over, delta=1e-6 * max(1.0, over))
                back = (case.made_t_h + max(0.0, content - case.content_t) / case.back_h) / case.draw_t_h
                self.assertAlmostEqual(found.share_pct, 100 * back, places=6)
                if math.isfinite(found.hours) and found.hours > 0:
                    worked = (case.most_pct / 100 * case.draw_t_h - case.made_t_h) * found.hours
                    self.assertAlmostEqual(found.fresh_t, worked, delta=1e-6 * worked)

    def test_layers_beside_parcels_that_leave_in_turn_or_mixed(self):
        """A tower of a tonne a parcel: first in, first out; and one stirred whole, by small steps."""
        chance, step = random.Random(3), find("stock.layers").case_class
        rows_of = type(drawn(find("stock.layers"), chance).steps[0])
        for mixed in (0.0, 100.0):
            level, steps = 50.0, []
            for _ in range(160):
                level = clip(level + chance.uniform(-4, 4), 20, 80)
                steps.append(rows_of(hours=0.5, level_pct=level, rate_out=chance.uniform(8, 16)))
            case = step(capacity=100.0, level_pct=50.0, mixed_pct=mixed, steps=tuple(steps))
            found = find("stock.layers").function(case)
            content, parcels = 50.0, [(80.0, 50.0)]  # hours ago that it came in, tonnes
            for i, one in enumerate(steps):
                goes = one.rate_out * one.hours
                came, content = one.level_pct - content + goes, one.level_pct
                for j in range(20):  # a twentieth of the stretch at a time
                    parcels.append((80.0 - 0.5 * (i + (j + 0.5) / 20), came / 20))
                    out, whole = goes / 20, sum(t for _, t in parcels)
                    if mixed:
                        parcels = [(age, t * (1 - out / whole)) for age, t in parcels]
                        continue
                    while out > 1e-12:
                        age, t = parcels[0]
                        parcels = ([(age, t - out)] if t > out else []) + parcels[1:]
                        out -= min(out, t)
            mean = sum(age * t for age, t in parcels) / content
            with self.subTest(mixed=mixed):
                self.assertAlmostEqual(found.content_t, content, places=6)
                self.assertAlmostEqual(sum(x.tonnes for x in found.layers), content, places=6)
                self.assertAlmostEqual(found.mean_h, mean, delta=0.02 * mean)
                self.assertAlmostEqual(found.leaves_h, mean if mixed else parcels[0][0], delta=0.3)
                self.assertLess(found.before_pct, 1e-3)


@tag("core")
class Waters(SimpleTestCase):
    def test_two_loops_run_until_nothing_changes(self):
        """From clean water on, litres exchanged until what is dissolved stands still."""
        for case, found in answers("recovered.water", 10):
            over = case.first_t_h * water_a_tonne(case.first_pct)
            on = case.made_t_h * water_a_tonne(case.made_pct)
            sludge = found.sludge_kg_t / 1000 * case.made_t_h * water_a_tonne(case.sludge_pct)
            back, out = found.back_m3_t * case.made_t_h, found.effluent_m3_t * case.made_t_h
            load = case.pulping_kg_t * case.paper_t_h, case.bleach_kg_t * case.first_t_h

            def rate(_t, x, load=load, over=over, out=out, sludge=sludge, back=back, on=on):
                return [load[0] + back * x[1] - (over + out + sludge) * x[0], load[1] + over * x[0] - (on + back) * x[1]]

            run = solve_ivp(rate, (0, 4000), [0.0, 0.0], method="LSODA", rtol=1e-9, atol=1e-12).y[:, -1]
            with self.subTest(case=case):
                came = found.fresh_m3_t * case.made_t_h + case.paper_t_h * case.moisture_pct / (100 - case.moisture_pct)
                self.assertAlmostEqual(came, on + out + sludge, delta=1e-9 * came)
                self.assertAlmostEqual(found.sludge_kg_t, 1000 * (case.paper_t_h / case.made_t_h - 1), places=6)
                if max(abs(v) for v in rate(0, run)) < 1e-6 * sum(load):
                    self.assertAlmostEqual(found.first_mg_l, 1000 * run[0], delta=1e-4 * found.first_mg_l)
                    self.assertAlmostEqual(found.second_mg_l, 1000 * run[1], delta=1e-4 * found.second_mg_l)
                self.assertLess(abs(found.gap_pct), 1e-9)

    def test_what_is_thickened_out_goes_with_the_water(self):
        for case, found in answers("recovered.thicken", 20):
            water = 1 - water_a_tonne(case.to_pct) / water_a_tonne(case.feed_pct)
            with self.subTest(case=case):
                for name in ("fl_pct", "fn_pct", "ink_pct"):
                    self.assertTrue(-1e-9 <= getattr(found, name) <= 100 * water + 1e-9, name)
                self.assertGreaterEqual(found.fl_pct, found.fn_pct)  # filler leaves more easily than fines
        for feed, to in ((1.0, 5.0), (2.0, 12.0), (4.0, 30.0)):
            thick, washer = (answer("recovered.thicken", feed_pct=feed, to_pct=to, how=how) for how in ("thickener", "washer"))
            with self.subTest(feed=feed, to=to):
                self.assertAlmostEqual(thick.water_pct, washer.water_pct, places=12)
                self.assertGreater(washer.fl_pct, thick.fl_pct)
                self.assertGreater(washer.ink_pct, thick.ink_pct)

    def test_what_drops_out_leaves_the_water_at_rest(self):
        """Put back: with what dropped taken out, the product of what is left is the solubility product."""
        for name, first, second, salt in (
            ("wash.barite", ("ba_mg_l", 137.33), ("so4_mg_l", 96.06), 233.39),
            ("wash.oxalate", ("ca_mg_l", 40.08), ("oxalate_mmol_l", 1.0), 146.11),
        ):
            over = 0
            for case, found in answers(name, 20):
                fell = found.drop_mg_l / salt  # mmol/L
                a = getattr(case, first[0]) / first[1] - fell
                b = getattr(case, second[0]) / second[1] - fell
                with self.subTest(model=name, case=case):
                    self.assertGreaterEqual(min(a, b), -1e-9)
                    if found.si <= 0:
                        self.assertLess(fell, 1e-9)
                        continue
                    over += 1
                    ratio = a * b / ((a + fell) * (b + fell))
                    if name == "wash.barite":
                        self.assertAlmostEqual(math.log10(ratio), -found.si, delta=2e-2)
                    else:
                        self.assertLess(ratio, 1)
            self.assertGreater(over, 3)

    def test_a_quiet_ph_put_back_in_lies_at_its_limit(self):
        for name in ("wash.calcite", "wash.oxalate"):
            tried = 0
            for case, found in answers(name, 25):
                low, high = (5, 12) if name == "wash.calcite" else (2, 12)
                if not low < found.ph_quiet < high:
                    continue
                tried += 1
                again = find(name).function(replace(case, ph=found.ph_quiet))
                with self.subTest(model=name, case=case):
                    self.assertAlmostEqual(again.si, 0.3, places=4)
            self.assertGreater(tried, 2)

    def test_sulphate_that_barite_bears_put_back_in(self):
        for case, found in answers("wash.barite", 10):
            if not 1 < found.so4_quiet < 2000:
                continue
            again = find("wash.barite").function(replace(case, so4_mg_l=found.so4_quiet))
            with self.subTest(case=case):
                self.assertAlmostEqual(again.si, 0.2, places=6)

    def test_air_of_a_cup(self):
        for case, found in answers("wash.air", 15):
            weighed = case.stock_g / case.cup_ml
            with self.subTest(case=case):
                self.assertAlmostEqual(found.air_pct, 100 * max(0, 1 - weighed / found.airless_kg_l), places=9)
                self.assertTrue(0.95 < found.airless_kg_l < 1.12)
        at = lambda **by: answer("wash.air", cup_ml=1000, stock_g=900, **by).airless_kg_l  # noqa: E731
        base = {"cons_pct": 1.0, "temp_c": 60.0, "solids_kg_t": 10.0}
        self.assertGreater(at(**base | {"solids_kg_t": 60.0}), at(**base))
        self.assertGreater(at(**base | {"cons_pct": 4.0}), at(**base))
        self.assertLess(at(**base | {"temp_c": 90.0}), at(**base))


@tag("core")
class Pulping(SimpleTestCase):
    def test_a_pulper_mended_by_water_or_by_bales(self):
        thinned = thickened = 0
        for case, found in answers("pulper.loaded", 30, vat_m3=60.0, water_m3=22.0, heel_m3=3.0):
            with self.subTest(case=case):
                if found.more_m3 > 0:
                    thinned += 1
                    try:
                        again = find("pulper.loaded").function(replace(case, water_m3=case.water_m3 + found.more_m3))
                    except ImpossibleInput:
                        self.assertGreater(found.then_pct, 100)
                        continue
                    self.assertAlmostEqual(again.cons_pct, case.cons_pct, places=5)
                    self.assertAlmostEqual(again.level_pct, found.then_pct, places=5)
                elif found.more_kg > 0:
                    thickened += 1
                    wettest = max(x.moisture_pct for x in case.loads if x.bales > 0)
                    whole = 100 * found.od_t / found.cons_pct + found.more_kg / 1000
                    solids = found.od_t + found.more_kg / 1000 * (1 - wettest / 100)
                    self.assertAlmostEqual(100 * solids / whole, case.cons_pct, places=6)
        self.assertGreater(min(thinned, thickened), 2)

    def test_flakes_fall_to_what_is_wanted_by_that_energy(self):
        for case, found in answers("pulper.defiber", 20):
            left = case.rest_pct + (case.f0_pct - case.rest_pct) * math.exp(-found.kwh_t / found.e_f)
            with self.subTest(case=case):
                self.assertAlmostEqual(left, case.to_pct, places=9)
                self.assertAlmostEqual(found.minutes, 60 * found.kwh_t * case.od_t / case.net_kw, places=9)
                warmer = find("pulper.defiber").function(replace(case, temp_c=case.temp_c + 10))
                self.assertAlmostEqual(warmer.e_f / found.e_f, math.exp(-0.15), places=9)

    def test_a_pair_of_refiners_is_two_blow_lines(self):
        for case, found in answers("mechanical.pair", 12):
            common = {"dilution_c": case.dilution_c, "casing_bar_abs": case.casing_bar_abs}
            one = answer(
                "mechanical.blow_line",
                sec_kwh_t=case.first_kwh_t,
                dilution_t_t=case.water_1,
                feed_pct=case.feed_pct,
                feed_c=case.feed_c,
                **common,
            )
            with self.subTest(case=case):
                # water in with the feed and the dilution leaves as steam and with the pulp
                wet = water_a_tonne(case.feed_pct) + case.water_1
                self.assertAlmostEqual(wet, found.steam_1 + water_a_tonne(found.cons_1), places=6)
                self.assertAlmostEqual(
                    water_a_tonne(found.cons_1) + case.water_2, found.steam_2 + water_a_tonne(found.cons_2), places=6
                )
                self.assertAlmostEqual(one.steam_t_t, found.steam_1, places=9)
                self.assertAlmostEqual(one.cons_out_pct, found.cons_1, places=9)

    def test_freeness_by_small_steps_of_energy(self):
        """dCSF/dE added up, and the slope at its end."""
        for case, found in answers("refine.freeness", 12):
            model = find("refine.freeness")
            nudged = lambda by: tuple(  # noqa: E731
                replace(p, kwh_t=p.kwh_t + (by if i == len(case.passes) - 1 else 0))  # noqa: B023
                for i, p in enumerate(case.passes)  # noqa: B023
            )
            step = 0.01
            more, less = (model.function(replace(case, passes=nudged(s))).csf_ml for s in (step, -step))
            with self.subTest(case=case):
                self.assertAlmostEqual(found.slope, (more - less) / (2 * step), delta=1e-3 * abs(found.slope) + 1e-6)
                self.assertAlmostEqual(found.falls_ml, case.csf_in - found.csf_ml, places=9)
                idle = replace(case, passes=tuple(replace(p, kwh_t=0.0) for p in case.passes))
                rests = model.function(idle)
                self.assertAlmostEqual(rests.csf_ml, case.csf_in, places=6)
                self.assertAlmostEqual(rests.u_out, found.u_in, places=9)
                self.assertGreaterEqual(found.u_out, found.u_in)

    def test_refined_together_or_apart_comes_to_one_freeness(self):
        for case, found in answers("refine.together", 10):
            f = case.long_pct / 100
            apart = f * math.log(min(found.apart_csf, case.csf_long)) + (1 - f) * math.log(min(found.apart_csf, case.csf_short))
            with self.subTest(case=case):
                self.assertAlmostEqual(math.exp(apart), case.to_csf, places=4)
                self.assertTrue(0 < found.both_short_left <= 1 + 1e-9)
                self.assertTrue(0 < found.apart_short_left <= 1 + 1e-9)
                if found.both_kwh_t > 1 and case.sel_both == case.sel_short:
                    self.assertGreaterEqual(found.apart_short_left, found.both_short_left)

    def test_alike_fibres_need_no_second_refiner(self):
        """The same fibre, freeness and edge load in both: nothing is gained by refining apart."""
        for csf, to in ((650.0, 400.0), (500.0, 300.0), (420.0, 380.0)):
            found = answer(
                "refine.together",
                long_fibre="softwood bleached kraft",
                short_fibre="softwood bleached kraft",
                long_pct=40.0,
                csf_long=csf,
                csf_short=csf,
                to_csf=to,
                sel_both=2.0,
                sel_long=2.0,
                sel_short=2.0,
            )
            with self.subTest(csf=csf, to=to):
                self.assertAlmostEqual(found.both_kwh_t, found.apart_kwh_t, places=4)
                self.assertAlmostEqual(found.apart_csf, to, places=4)
                self.assertAlmostEqual(found.both_tensile, found.apart_tensile, places=4)
                self.assertAlmostEqual(found.both_short_left, found.apart_short_left, places=6)


@tag("core")
class Cooked(SimpleTestCase):
    def test_a_bisulphite_cook_by_its_rate(self):
        for case, found in answers("cook.bisulphite", 20):
            model = find("cook.bisulphite")
            colder = model.function(replace(case, cook_c=case.cook_c - 2)) if case.cook_c > 152 else None
            acid = model.function(replace(case, hso3_mol_l=case.hso3_mol_l / 2)) if case.hso3_mol_l > 0.6 else None
            with self.subTest(case=case):
                if colder:
                    t1, t2 = case.cook_c + 273.15, case.cook_c + 271.15
                    per = math.log(found.rate / colder.rate) / (1 / t2 - 1 / t1)
                    self.assertTrue(8_000 < per < 25_000, per)  # an activation energy of 70 to 200 kJ/mol
                if acid:
                    self.assertAlmostEqual(found.rate / acid.rate, 2**0.75, places=9)
                self.assertAlmostEqual(
                    model.function(replace(case, ph=4.0)).rate / model.function(replace(case, ph=3.5)).rate,
                    10 ** (-0.5 * 0.75),
                    places=9,
                )

    def test_a_sulphite_cook_run_for_the_hours_told(self):
        for case, found in answers("cook.sulphite_time", 15, s_so_far=0.0):
            model = find("cook.sulphite_time")
            with self.subTest(case=case):
                self.assertGreater(found.s_wanted, 0)
                half = model.function(replace(case, s_so_far=found.s_wanted / 2))
                self.assertAlmostEqual(half.hours, found.hours / 2, delta=1e-9 * found.hours)
                done = model.function(replace(case, s_so_far=found.s_wanted))
                self.assertAlmostEqual(done.hours, 0.0, places=6)
                past = model.function(replace(case, s_so_far=found.s_wanted * 1.1))
                self.assertLess(past.hours, 0)
                self.assertIn("past the target", past.cautions[-1].text)
                hotter = model.function(replace(case, bar=case.bar + 0.5)) if case.bar < 8.4 else None
                if hotter:
                    self.assertLess(hotter.hours, found.hours)

    def test_what_rain_brings_stays_in_the_skin_or_runs_through(self):
        for case, found in answers("chips.weather", 30, od_t=8000.0, area_m2=2500.0):
            u = lambda wet: wet / (100 - wet)  # noqa: E731
            with self.subTest(case=case):
                water = (u(found.skin_pct) - u(case.moisture_pct)) * found.skin_t
                self.assertAlmostEqual(found.water_t, water, places=6)
                whole = (u(found.mean_pct) - u(case.moisture_pct)) * case.od_t
                self.assertAlmostEqual(found.water_t, whole, places=6)
                fell = case.area_m2 * (case.rain_mm * case.taken - case.dry_mm_day * case.days) / 1000
                if fell > found.water_t + 1e-9:
                    self.assertTrue(any("run through" in c.text for c in found.cautions))
                elif fell >= 0:
                    self.assertAlmostEqual(found.water_t, fell, places=9)
                self.assertAlmostEqual(
                    found.feed_more_pct, 100 * ((100 - case.moisture_pct) / (100 - found.skin_pct) - 1), places=9
                )

    def test_heat_of_a_charge_by_what_is_in_it(self):
        for case, found in answers("cook.steam", 20):
            q = (1.40 + 4.18 * case.u_pct / 100 + 3.90 * case.liquor_t_t) * case.rise_c + case.loss_mj_t
            with self.subTest(case=case):
                self.assertAlmostEqual(found.q_mj_t, q, places=9)
                # steam that condenses into the charge gives up its sensible heat too
                self.assertLess(found.direct_t_t, found.indirect_t_t)
                evaporation = found.q_mj_t / found.indirect_t_t
                sensible = found.q_mj_t / found.direct_t_t - evaporation
                self.assertTrue(1900 < evaporation < 2160, evaporation)
                self.assertTrue(0 <= sensible < 4.6 * 120, sensible)


@tag("core")
class Shades(SimpleTestCase):
    def test_brightness_of_a_kappa(self):
        for case, found in answers("colour.of_kappa", 20):
            with self.subTest(case=case):
                self.assertAlmostEqual(found.iso_pct, iso_of(found.ks), places=9)
                self.assertTrue(found.red >= found.green >= found.blue, "darker to the blue")
                for name in ("red", "green", "blue"):
                    self.assertTrue(0 <= getattr(found, name) <= 255)
        dry, wet = (answer("colour.of_kappa", kappa=20.0, look=look) for look in ("dry pad", "wet"))
        self.assertGreater(dry.red + dry.green + dry.blue, wet.red + wet.green + wet.blue)

    def test_the_worst_meter_of_a_furnish(self):
        case, _ = next(answers("blend.flows", 1))
        model = find("blend.flows")
        each = model.function(case).each
        for off in (0.97, 1.0, 1.05):
            streams = tuple(
                replace(s, flow_l_min=w * (off if i == 0 else 1.001))
                for i, (s, w) in enumerate(zip(case.streams, each, strict=True))
            )
            found = model.function(replace(case, streams=streams))
            with self.subTest(off=off):
                worst = 100 * (off - 1) if abs(off - 1) > 0.001 else 0.1
                self.assertAlmostEqual(found.worst_pct, worst, places=6)
                self.assertEqual(bool(found.cautions), abs(worst) > 2)

    def test_broke_kept_apart_or_mixed_is_neither_made_nor_lost(self):
        for case, found in answers("blend.use_up", 12):
            whole = sum(x.t + x.made_t_h * case.hours for x in case.stores)
            with self.subTest(case=case):
                self.assertAlmostEqual(sum(u.used_t + u.left_t + u.over_t for u in found.stores), whole, places=6)
                self.assertAlmostEqual(sum(u.used_t for u in found.stores), found.apart_t, places=9)
                self.assertAlmostEqual(sum(u.over_t for u in found.stores), found.apart_over_t, places=9)
                self.assertAlmostEqual(found.apart_pct / 100 * case.draw_t_h * case.hours, found.apart_t, places=6)
                self.assertAlmostEqual(found.together_pct / 100 * case.draw_t_h * case.hours, found.together_t, places=6)
                self.assertLessEqual(found.together_pct, case.most_pct + 1e-9)
                self.assertLessEqual(found.together_t + found.together_over_t, whole + 1e-9)
                gained = found.together_t - found.together_over_t - found.apart_t + found.apart_over_t
                self.assertAlmostEqual(found.better, gained * case.saves, delta=1e-6 * max(1.0, abs(found.better)))


@tag("core")
class Learnt(SimpleTestCase):
    def test_the_error_of_a_share_is_that_of_a_line_through_nothing(self):
        """Against the normal equations, for moves drawn at random."""
        model, chance = find("moves.learnt"), random.Random(7)
        case = drawn(model, chance)
        row = type(case.moves[0])
        for n in (3, 5, 6, 9):
            moves = tuple(
                row(foreseen=f, came=1.3 * f + chance.gauss(0, 0.1), step=s)
                for f, s in ((chance.uniform(0.5, 3), chance.uniform(1, 4)) for _ in range(n))
            )
            found = model.function(replace(case, moves=moves))
            f, d = np.array([m.foreseen for m in moves]), np.array([m.came for m in moves])
            share = float(f @ d / (f @ f))
            s = math.sqrt(float(((d - share * f) ** 2).sum()) / (n - 1))
            with self.subTest(n=n):
                self.assertAlmostEqual(found.share, share, places=12)
                self.assertAlmostEqual(found.share_sd, s / math.sqrt(float(f @ f)), places=12)
                self.assertEqual(found.offered, 1.0 if n >= 6 and abs(share - 1) > 2 * found.share_sd else 0.0)

    def test_towers_agree_once_they_are_adjusted(self):
        for case, found in answers("accounts.towers", 12):
            drawn_t = sum(t[1] for t in found.towers)
            with self.subTest(case=case):
                for made, taken, rose in found.towers:
                    self.assertAlmostEqual(made, taken + rose, places=6)
                self.assertAlmostEqual(drawn_t + found.bought_t, found.machine_t, places=6)
                self.assertGreaterEqual(found.chi, -1e-9)
                n = 3 * len(case.towers) + 2
                each = 1 - 0.95 ** (1 / n)
                self.assertAlmostEqual(found.worst_allowed, norm.ppf(1 - each / 2), places=6)
                if found.chi < found.chi_allowed and found.worst < found.worst_allowed:
                    self.assertEqual(found.suspects, ())


@tag("core")
class Cuts(SimpleTestCase):
    def test_a_junk_trap_by_density_and_drop(self):
        for case, found in answers("cleaner.high", 20):
            e = 1 - math.exp(-math.log(2) * (case.size_um / found.d50_um) ** 1.5)
            model = find("cleaner.high")
            with self.subTest(case=case):
                self.assertAlmostEqual(found.e, clip(e, 0, 1), places=9)
                if case.kpa < 100:
                    twice = model.function(replace(case, kpa=2 * case.kpa))
                    self.assertAlmostEqual(twice.d50_um / found.d50_um, 0.5**0.25, places=9)
                if case.pct < 4:
                    thicker = model.function(replace(case, pct=case.pct + 0.5))
                    self.assertAlmostEqual(thicker.d50_um / found.d50_um, math.exp(0.125), places=9)


@tag("core")
class PastALimit(SimpleTestCase):
    """A vessel that is past a limit already: at once where it goes further, and not where it comes back."""

    def rows(self, *rates: tuple[float, float, float]) -> tuple:
        row = type(drawn(find("stock.cover_plan"), random.Random(1)).legs[0])
        return tuple(row(hours=h, rate_in=i, rate_out=o) for h, i, o in rates)

    def legs(self, *rates: tuple[float, float, float]) -> Any:
        case = find("stock.cover_plan").case_class
        return lambda level: find("stock.cover_plan").function(
            case(capacity=100.0, level_pct=level, low_pct=10.0, high_pct=90.0, lead_h=0.0, legs=self.rows(*rates))
        )

    def test_one_that_falls_back_is_not_full_now(self):
        falling = self.legs((20.0, 5.0, 7.0))(96.0)
        self.assertEqual((falling.way, falling.to_high_h), ("empty", math.inf))
        self.assertAlmostEqual(falling.to_low_h, 43.0)
        rising = self.legs((20.0, 7.0, 5.0))(96.0)
        self.assertEqual((rising.way, rising.to_high_h), ("full", 0.0))
        still = self.legs((20.0, 5.0, 5.0))(96.0)
        self.assertEqual((still.way, still.to_high_h, still.to_low_h), ("steady", math.inf, math.inf))

    def test_one_that_turns_before_it_is_back_is_past_it_from_then(self):
        found = self.legs((1.0, 5.0, 7.0), (9.0, 8.0, 5.0))(96.0)
        self.assertEqual((found.way, found.to_high_h), ("full", 1.0))
        back = self.legs((6.0, 5.0, 7.0), (9.0, 8.0, 5.0))(96.0)
        self.assertAlmostEqual(back.to_high_h, 6.0 + (90.0 - 84.0) / 3.0)
        low = self.legs((2.0, 7.0, 5.0), (9.0, 5.0, 8.0))(3.0)
        self.assertEqual((low.way, low.to_low_h), ("empty", 2.0))

    def test_through_a_plan_at_one_pair_of_rates_it_is_as_without(self):
        for case, found in answers("stock.cover", 40):
            same = find("stock.cover_plan").function(
                find("stock.cover_plan").case_class(
                    capacity=case.capacity,
                    level_pct=case.level_pct,
                    low_pct=case.low_pct,
                    high_pct=case.high_pct,
                    lead_h=case.lead_h,
                    legs=self.rows((1.0, case.rate_in, case.rate_out), (7.0, case.rate_in, case.rate_out)),
                )
            )
            if min(found.to_low_h, found.to_high_h) > 200.0:
                continue
            with self.subTest(case=case):
                self.assertEqual(same.way, found.way)
                for figure in ("to_low_h", "to_high_h", "act_by_h"):
                    self.assertAlmostEqual(getattr(same, figure), getattr(found, figure), places=6)
