"""A mill as a plant: what it does follows from its seed and what is set on it, felt where and when the fibre brings it."""

import json
from dataclasses import replace
from functools import cache

import numpy as np
from django.test import SimpleTestCase, tag

import core.catalogue  # noqa: F401
from core.colour import brightness_from_ks
from core.deliver.draw import draw
from core.errors import ImpossibleInput
from core.instruments.simulate import KINDS, Fault, State, calibrated, fails, read
from core.mill.reading import read_mill
from core.mill.run import Running, solve_mill, vessel_rates
from core.mill.signals import signals, solved_at
from core.through.disturbed import Sizes
from core.through.entries import K457, S457, value
from core.through.plant import Plant, Steered, plain
from tests.core.test_through import DEMO
from tests.second_mill import document

STILL = Sizes(moisture_points=0.0, kappa=0.0, rate=0.0, ash_points=0.0)


@cache
def mills():
    """Both mills, each with a way of running it."""
    told = []
    for text in (json.loads(DEMO.read_text()), document()):
        mill = read_mill(text)
        grade = next(iter(mill.grades.values()))
        drawn = draw(mill.draw_case(grade, gsm=grade.gsm, speed_m_min=grade.speed_m_min))
        gives = {k: grade.shares.get(k, 0.0) * drawn.solids_t_h for k in mill.sources}
        told.append((mill, Running(feeds={}, gives=gives, filler_t_h=drawn.filler_t_h)))
    return tuple(told)


def plant(which: int = 0, sizes: Sizes | None = None, level: float = 60.0, seed: int = 3) -> Plant:
    mill, running = mills()[which]
    made = {} if sizes is None else {"sizes": sizes}
    return Plant(mill, running, dict.fromkeys(mill.vessels, level), seed=seed, **made)


def rows(p: Plant) -> dict[str, float]:
    return {r.id: x for r in p.mill.plan.values() if (x := p.seen_at(r)) is not None}


def as_set(p: Plant, unit: str, **values: float) -> Running:
    settings = {unit: {**p.mill.settable[unit].settings(), **values}}
    return replace(p.running, settings={**p.running.settings, **settings})


@tag("core")
class APlant(SimpleTestCase):
    def test_undisturbed_it_stays_as_it_is_solved(self):
        for which, (mill, running) in enumerate(mills()):
            p = plant(which, STILL)
            line = solve_mill(mill, running)
            solved = {r.id: x for r in mill.plan.values() if (x := solved_at(line, r)) is not None}
            with self.subTest(mill=mill.name, when="at once"):
                for key, x in rows(p).items():
                    self.assertAlmostEqual(x, solved[key], delta=1e-6 * max(1.0, abs(x)), msg=key)
            p.run(60)
            with self.subTest(mill=mill.name, when="after an hour"):
                self.assertGreater(len(rows(p)), 5)
                for key, x in rows(p).items():
                    self.assertAlmostEqual(x, solved[key], delta=2e-3 * max(1.0, abs(x)), msg=key)
                for key, gives in p.gives().items():
                    self.assertAlmostEqual(gives, running.gives[key], delta=1e-3 * max(1.0, running.gives[key]), msg=key)

    def test_levels_go_by_the_rates_of_the_solved_line(self):
        for which, (mill, running) in enumerate(mills()):
            p = plant(which, STILL)
            rates = vessel_rates(mill, solve_mill(mill, running).solution, running)
            before = p.levels()
            p.run(60)
            for key, level in p.levels().items():
                into, out = rates[key]
                wanted = 100.0 * (into - out) / mill.vessels[key].full_t
                with self.subTest(mill=mill.name, vessel=key):
                    self.assertAlmostEqual(level - before[key], wanted, delta=max(0.3, 0.06 * abs(wanted)))

    def test_one_seed_gives_one_course_and_another_another(self):
        courses = []
        for seed in (3, 3, 4):
            p = plant(seed=seed)
            told = []
            for _ in range(4):
                p.run(45)
                told.append(p.truths())
            courses.append(told)
        self.assertEqual(courses[0], courses[1])
        self.assertNotEqual(courses[0], courses[2])

    def test_how_it_is_asked_makes_no_difference(self):
        one, other = plant(), plant()
        one.run(90)
        for minutes in (1, 29, 10, 50):
            other.run(minutes)
        self.assertEqual(one.truths(), other.truths())

    def test_kept_and_restored_it_goes_on_as_if_never_stopped(self):
        for which in range(2):
            whole = plant(which)
            unit = next(k for k in whole.acting.acts if k.endswith("refine"))
            name = next(k for k in whole.mill.settable[unit].settings() if k.startswith("gross_kw"))
            set_now = as_set(whole, unit, **{name: 0.9 * whole.mill.settable[unit].settings()[name]})
            whole.run(50)
            whole.set_as(set_now)
            whole.run(47)
            kept, told = whole.kept(), json.loads(json.dumps(whole.told()))
            again = plant(which)
            again.set_as(set_now)
            again.restore(kept, told)
            with self.subTest(mill=whole.mill.name):
                self.assertEqual(again.minutes, 97)
                for p in (whole, again):
                    p.run(75)
                self.assertEqual(whole.truths(), again.truths())
                self.assertTrue(np.array_equal(whole.line.held, again.line.held))

    def test_what_was_kept_of_another_line_is_refused(self):
        own = plant(0)
        kept, told = own.kept(), own.told()
        with self.assertRaises(ImpossibleInput):
            plant(1).restore(kept, told)
        del kept["acting.at"]
        with self.assertRaises(ImpossibleInput):
            own.restore(kept, told)

    def test_a_set_point_is_felt_down_the_line_when_the_fibre_brings_it_and_comes_to_the_solved_line(self):
        p, calm = plant(sizes=STILL), plant(sizes=STILL)
        p.run(15)
        calm.run(15)
        p.set_as(as_set(p, "K.bleach", **{"charge.3": 4.0}))
        p.set_as(p.running)  # said again, it is not put again
        lag = p.acting.acting["K.bleach"].felt_min(p.acting.inlets["K.bleach"], ("charge.3",))
        whole = p.acting.acting["K.bleach"].passes_min(p.acting.inlets["K.bleach"])
        self.assertTrue(60.0 < lag < whole)
        felt: dict[str, int] = {}
        places = ("K.bleach", "K.stock", "chest")
        for minute in range(5, 9 * 60, 5):
            for line in (p, calm):
                line.run(5)
            for unit in places:
                if unit not in felt and light(p, unit) - light(calm, unit) < -0.02:
                    felt[unit] = minute
            if minute == 330:
                solved = solve_mill(p.mill, p.running).solution
                i = solved.network.index["K.stock"]
                settled = (light(p, "K.stock"), brightness_from_ks(float(solved.k457[i] / solved.s457[i])))
        self.assertEqual(list(felt), list(places))
        self.assertAlmostEqual(felt["K.bleach"], lag, delta=10)
        self.assertLess(felt["K.stock"], felt["chest"] - 60)  # a tower lies between
        self.assertAlmostEqual(*settled, delta=0.02)

    def test_settings_that_cannot_be_run_leave_it_as_it_was(self):
        p = plant()
        before = p.running
        p.set_as(replace(p.running, settings={"nowhere": {"x": 1.0}}))
        self.assertIn("nowhere", p.refused)
        self.assertIs(p.running, before)
        p.set_as(p.running)
        self.assertEqual(p.refused, "")

    def test_what_a_desk_believes_is_not_what_a_plant_does(self):
        mill, running = mills()[0]
        read_wet = replace(running, moisture_pct={"K.larch.chips": 60.0})
        self.assertEqual(plain(read_wet), running)
        levels = dict.fromkeys(mill.vessels, 60.0)
        told, plainly = Plant(mill, read_wet, levels, seed=3), Plant(mill, running, levels, seed=3)
        for p in (told, plainly):
            p.run(30)
        self.assertEqual(told.truths(), plainly.truths())

    def test_a_furnish_and_a_standing_machine_are_felt_at_once(self):
        p = plant(sizes=STILL)
        p.run(10)
        p.set_as(replace(p.running, gives={**p.running.gives, "K": 5.0, "W": 3.0}))
        p.run(10)
        self.assertAlmostEqual(p.gives()["K"], 5.0, delta=0.02)
        self.assertAlmostEqual(p.gives()["W"], 3.0, delta=0.02)
        levels = p.levels()
        p.set_as(replace(p.running, gives=dict.fromkeys(p.running.gives, 0.0)), halted=True)
        p.run(30)
        self.assertLess(max(p.gives().values()), 1e-6)
        self.assertTrue(all(p.levels()[k] > levels[k] for k in ("K.tower", "S.tower", "M.tower", "B.tower")))
        p.run(600)  # towers run full: nothing bursts, nothing is below nothing
        self.assertLessEqual(max(p.levels().values()), 100.0 + 1e-9)
        self.assertGreaterEqual(min(p.levels().values()), 0.0)

    def test_a_dilution_moved_by_hand_moves_its_own_consistency_alone(self):
        p = plant(sizes=STILL)
        before = rows(p)
        p.thinned("S.stock", -0.08)
        p.thinned("nowhere", 1.0)
        p.run(240)
        after = rows(p)
        self.assertAlmostEqual(after["S.chest.consistency"] - before["S.chest.consistency"], -0.08, delta=0.005)
        for key in ("K.chest.consistency", "M.chest.consistency", "R.chest.consistency"):
            self.assertAlmostEqual(after[key], before[key], delta=2e-3, msg=key)

    def test_every_meter_of_the_line_has_a_truth_within_what_it_can_show(self):
        for which, (mill, _) in enumerate(mills()):
            p = plant(which)
            p.run(5)
            known = {s.tag: s for s in signals(mill)}
            for t, x in p.truths().items():
                with self.subTest(mill=mill.name, tag=t):
                    self.assertTrue(known[t].low <= x <= known[t].high)

    def test_it_closes_while_it_is_disturbed_and_set(self):
        p = plant()
        line = p.line
        held, ledger = line.holds(), line.fed + line.made - line.gone
        p.run(60)
        p.set_as(as_set(p, "K.larch.chips", feed_t_h=8.0))
        p.run(60)
        off = line.fed + line.made - line.gone - ledger - (line.holds() - held)
        self.assertLess(float((np.abs(off) / np.maximum(1.0, np.abs(line.holds()))).max()), 1e-9)


def light(p: Plant, unit: str) -> float:
    """Brightness of what leaves a unit, % ISO."""
    left = p.leaves(unit)
    return brightness_from_ks(float(value(left, K457) / value(left, S457)))


@tag("core")
class People(SimpleTestCase):
    """How levels are kept."""

    def test_levels_come_to_what_is_wanted_where_the_furnish_takes_what_is_made(self):
        mill, running = mills()[0]
        rates = vessel_rates(mill, solve_mill(mill, running).solution, running)
        made = {key: rates[s.tower][0] for key, s in mill.sources.items() if s.tower in rates}
        even = replace(running, gives={**running.gives, **made})
        p = Plant(mill, even, dict.fromkeys(mill.vessels, 50.0), seed=1, sizes=STILL)
        aims = {"K.tower": 62.0, "S.tower": 44.0, "R.tower": 55.0, "larch.silo": 60.0}
        people = Steered(p, aims)
        for _ in range(60):
            people.steer()
            p.run(60)
        for key, aim in aims.items():
            with self.subTest(vessel=key):
                self.assertAlmostEqual(p.levels()[key], aim, delta=2.0)
        people.let_go()
        self.assertTrue(all(p.rate[unit] == 1.0 for feeds in people.towers.values() for unit in feeds))


@tag("core")
class Meters(SimpleTestCase):
    def test_a_fault_lasts_until_it_is_calibrated(self):
        kind, rng = KINDS["consistency"], np.random.default_rng(2)
        state = State(bias=0.05, days=30.0, last=3.4, fault=Fault.STUCK)
        for _ in range(5):
            value, state = read(kind, state, 3.9, 1.0, rng)
            self.assertEqual(value, 3.4)
        state = calibrated(state, 0.0)
        told = []
        for _ in range(200):
            value, state = read(kind, state, 3.9, 1.0, rng)
            told.append(value)
        self.assertAlmostEqual(float(np.mean(told)), 3.9, delta=0.02)

    def test_meters_fail_once_in_a_while_each_by_its_own_chance_and_whichever_way_it_is_asked(self):
        month = 30 * 1440.0
        tags = [f"meter.{i}" for i in range(300)]
        failed = {t: fails(7, t, 0.0, month) for t in tags}
        share = sum(f is not Fault.NONE for f in failed.values()) / len(tags)
        self.assertAlmostEqual(share, 1.0 - np.exp(-0.5), delta=0.08)
        self.assertEqual(set(failed.values()), {Fault.NONE, Fault.STUCK, Fault.STEP, Fault.DRIFT})
        for t in tags[:40]:
            piecewise = [fails(7, t, a, a + 1440.0) for a in np.arange(0.0, month, 1440.0)]
            first = next((f for f in piecewise if f is not Fault.NONE), Fault.NONE)
            self.assertEqual(first, failed[t])
