"""What a line does of its own accord: batches and the tanks behind them, interlocks, valves that stick."""

import numpy as np
from django.test import SimpleTestCase, tag

from core.errors import ImpossibleInput
from core.mill.reading import read_mill
from core.stream import N
from core.through.control import pi_step
from core.through.disturbed import Disturbed, Sizes
from core.through.entries import CSF, value
from core.through.layout import lay_out
from core.through.mill import batches_of, holds_of, locks_of, minutes_of, through_time
from core.through.sequences import Batched, Dumps, Lock, Locks, dumped
from core.through.stepper import Event, Stepped
from tests.core.test_through import demo, missing, running
from tests.second_mill import document

MIX = np.eye(1, 26)  # a tonne of one component


def dumps(**other) -> Dumps:
    told = {"unit": "u", "every_min": 60.0, "lasts_min": 10.0, "first_min": 30.0} | other
    return Dumps((Batched(**told),), np.array([12.0]), MIX)


def passed(d: Dumps, batches: np.ndarray, dt_h: float) -> np.ndarray:
    """What the tanks pass on of batches."""
    result = batches.copy()
    dumped(d.held, d.flow, d.full, dt_h, result)
    return result


@tag("core")
class Batches(SimpleTestCase):
    def course(self, d: Dumps, minutes: int, dt_min: float) -> tuple[list[float], list[float], float]:
        """What is dumped and drawn in each step of twelve t/h that wait for their batches; what waits at the end."""
        waits, given, drawn = 6.0, [], []
        for k in range(round(minutes / dt_min)):
            out = float(d.gives(k * dt_min / 60.0, dt_min / 60.0, np.array([waits]))[0])
            waits += 12.0 * dt_min / 60.0 - out
            given.append(out)
            drawn.append(float(passed(d, out * MIX, dt_min / 60.0)[0, 0]))
        return given, drawn, waits

    def test_each_gives_all_that_waited_while_it_lasts_and_the_tank_passes_it_on_evenly(self):
        for dt in (0.25, 1.0, 7.0):  # a step that no edge of a batch falls on
            with self.subTest(step=dt):
                d = dumps()
                before = float(d.held.sum())
                given, drawn, waits = self.course(d, 420, dt)
                self.assertAlmostEqual(sum(given) - sum(drawn), float(d.held.sum()) - before, places=9)
                self.assertAlmostEqual(6.0 + 12.0 * 7.0 - sum(given), waits, places=9)
                np.testing.assert_allclose(drawn[1:], 12.0 * dt / 60.0, rtol=0.05)
        given, _, _ = self.course(dumps(), 420, 1.0)
        gives = np.array(given) > 0.0
        at = np.flatnonzero(gives)
        self.assertTrue(((at % 60 >= 30) & (at % 60 < 40)).all())
        self.assertEqual(int(gives.sum()), 70)
        self.assertAlmostEqual(sum(given[30:40]), 12.0, places=9)

    def test_a_tank_over_its_brim_passes_on_and_one_that_gets_nothing_runs_low(self):
        d = dumps(tank_t=1.0)  # taken as one batch and a quarter
        self.assertAlmostEqual(float(d.full[0]), 15.0)
        passed(d, 20.0 * MIX, 0.01)
        self.assertAlmostEqual(float(d.level_pct[0]), 100.0, places=6)
        for _ in range(300):
            passed(d, 0.0 * MIX, 0.1)
        self.assertAlmostEqual(float(d.level_pct[0]), 2.0, places=6)

    def test_a_line_that_stands_dumps_nothing_and_its_tank_is_empty(self):
        d = Dumps((Batched(unit="u", every_min=60.0, lasts_min=10.0, first_min=0.0),), np.zeros(1), MIX)
        self.assertEqual(d.gives(0.0, 0.5, np.zeros(1)), [0.0])
        self.assertEqual(float(np.abs(passed(d, np.zeros((1, 26)), 0.5)).sum()), 0.0)
        self.assertTrue(np.isfinite(d.level_pct).all())

    def test_a_batch_that_cannot_be_is_refused(self):
        for bad in ({"lasts_min": 60.0}, {"lasts_min": 0.0}, {"first_min": -1.0}):
            with self.subTest(**bad), self.assertRaises(ImpossibleInput):
                dumps(**bad)
        line = demo()[1]
        for unit in ("nothing", "machine.none", "reel"):
            with self.subTest(unit=unit), self.assertRaisesRegex(ImpossibleInput, unit):
                lay_out(line, batched=(Batched(unit=unit, every_min=60.0, lasts_min=5.0, first_min=1.0),))


@tag("core")
class Lived(SimpleTestCase):
    """Both mills' lines with their batches and interlocks."""

    def test_batches_leave_the_line_behind_their_tanks_at_rest_and_everything_closes(self):
        for mill in (demo()[0], read_mill(document())):
            solved = running(mill)
            layout = through_time(mill, solved, dict.fromkeys(mill.vessels, 80.0), lived=True, next_min={"K.larch.cook": 7.0})
            self.assertTrue(layout.batched)
            line = Stepped(layout)
            held, worst = line.holds(), 0.0
            for _ in range(600):
                line.step(10.0)
                worst = max(worst, missing(line, held, np.zeros(line.holds().shape)))
            self.assertLess(worst, 1e-9)
            self.assertFalse(line.log)
            for k in layout.batch_plug:
                node = int(layout.plug_to[k])
                came, was = line.entered[node, :N].sum(), layout.entered[node, :N].sum()
                self.assertAlmostEqual(came, was, delta=2e-3 * was)

    def test_digesters_and_vats_go_by_their_cycles(self):
        mill, line = demo()
        told = {b.unit: b for b in batches_of(mill, line, {"R.pulper": 12.0})}
        self.assertEqual(set(told), {"K.larch.cook", "R.pulper"})  # alder and bagasse are cooked in continuous digesters
        cook, vat = told["K.larch.cook"], told["R.pulper"]
        self.assertAlmostEqual(cook.every_min, (minutes_of(line)["K.larch.cook"] + 43.0 + 20.0 + 34.0) / 2.0)  # of two
        self.assertEqual((cook.first_min, vat.first_min), (cook.every_min / 2.0, 12.0))
        made = float(line.solution.after[line.solution.network.index["R.pulper"]][:9].sum())
        self.assertAlmostEqual(vat.every_min / 60.0 * made, 22.0 * 0.14, delta=0.02)  # t of a vat

    def test_kept_and_restored_in_the_middle_of_a_blow_is_never_stopped(self):
        mill, line = demo()
        layout = through_time(mill, line, {"S.tower": 5.5}, lived=True, next_min={"K.larch.cook": 7.0})
        one = Stepped(layout)
        one.sticky(next(n for n, k in zip(layout.names, layout.kinds, strict=True) if k == "dilute"), 1.5)
        one.run(0.2)
        self.assertGreater(float(one.dumps.rate[0]), 0.0)
        two = one.fork()
        for each in (one, two):
            each.run(1.0)
        self.assertTrue(one.log)
        np.testing.assert_array_equal(one.held, two.held)
        np.testing.assert_array_equal(one.dumps.held, two.dumps.held)
        with self.assertRaisesRegex(ImpossibleInput, "dumps.held"):
            two.restore({**one.kept(), "dumps.held": np.zeros((1, 1))})
        with self.assertRaisesRegex(ImpossibleInput, "layout"):
            two.restore(Stepped(through_time(mill, line, {})).kept())

    def test_an_empty_tower_stops_its_pump_until_it_has_filled_again(self):
        mill, line = demo()
        layout = through_time(mill, line, {"S.tower": 5.5}, lived=True)
        stepped = Stepped(layout)
        stepped.run(0.5)
        trip = stepped.log[0]
        self.assertTrue(trip.tripped)
        self.assertEqual((trip.lock.at, trip.lock.stops), ("S.tower", ("out.S",)))
        self.assertEqual(float(stepped.flow[layout.stream("out.S")]), 0.0)
        self.assertGreater(float(stepped.stopped_h[layout.stream("out.S")]), 0.0)
        stepped.run(3.0)
        back = next(t for t in stepped.log if t.lock == trip.lock and not t.tripped)
        self.assertGreater(back.at_s, trip.at_s + 600.0)
        self.assertFalse([t for t in stepped.log if t.lock.at == "K.tower"])

    def test_a_full_silo_shuts_its_feed(self):
        mill, line = demo()
        layout = through_time(mill, line, {"larch.silo": 96.5}, lived=True)
        node = layout.network.index["K.larch.chips"]
        stepped = Stepped(layout)
        stepped.brings(node, 12.0)
        fed = []
        for _ in range(360):
            before = stepped.fed_by[list(stepped.feeding).index(node), :N].sum()
            stepped.step(10.0)
            fed.append(stepped.fed_by[list(stepped.feeding).index(node), :N].sum() - before)
        self.assertIn("Larch silo high: its feed is shut", {t.lock.name for t in stepped.log})
        self.assertEqual(min(fed), 0.0)
        self.assertGreater(fed[0], 0.0)

    def test_a_refiner_that_idles_lets_its_stock_through_as_it_comes(self):
        mill, line = demo()
        idle = Lock(name="thin", reads="cons", at="K.refine", trips=50.0, resets=60.0, idles=("K.refine",))
        ends = {}
        for locks in ((), (idle,)):
            stepped = Stepped(lay_out(line, holds_of(mill, line, {}), minutes_of(line), locks=locks))
            stepped.run(0.1)
            through = stepped.leaves(line.solution.network.index["K.refine"])
            ends[bool(locks)] = [float(value(x, CSF)) for x in (stepped.enters("K.refine"), through)]
        self.assertLess(ends[False][1], ends[False][0] - 0.1)
        self.assertAlmostEqual(ends[True][1], ends[True][0], places=9)

    def test_every_lock_of_both_mills_is_quiet_at_rest(self):
        for mill in (demo()[0], read_mill(document())):
            solved = running(mill)
            locks = locks_of(mill, solved, holds_of(mill, solved, {}))
            self.assertGreater(len(locks), 5)
            line = Stepped(lay_out(solved, holds_of(mill, solved, {}), minutes_of(solved), locks=locks))
            line.run(0.25)
            self.assertFalse(line.log)


@tag("core")
class Interlocks(SimpleTestCase):
    def locks(self, **other) -> Locks:
        told = {"name": "n", "reads": "level", "at": "v", "trips": 5.0, "resets": 12.0, "stops": ("s",)} | other
        return Locks((Lock(**told),), {"v": 0}, {"u": 0}, {"s": 0})

    def test_it_trips_after_its_delay_and_lets_go_at_its_reset_not_before(self):
        none = np.zeros((0, 2))
        k = self.locks(delay_s=4.0)
        levels = (6, 5, 6, 5, 4, 8, 12)
        seen = [(x, bool(k.look(np.array([x]), none, 0.0, 2.0)), bool(k.tripped[0])) for x in levels]
        self.assertEqual([t for _, _, t in seen], [False, False, False, False, True, True, False])
        self.assertEqual([c for _, c, _ in seen], [False, False, False, False, True, False, True])
        high = self.locks(trips=97.0, resets=92.0, delay_s=0.0)
        told = []
        for level in (96.0, 97.0, 93.0, 92.0):
            high.look(np.array([level]), none, 0.0, 2.0)
            told.append(bool(high.tripped[0]))
        self.assertEqual(told, [False, True, True, False])

    def test_one_that_is_not_automatic_waits_for_a_start_and_a_start_too_early_does_nothing(self):
        none = np.zeros((0, 2))
        k = self.locks(automatic=False)
        for level, starts, tripped in ((4.0, False, True), (8.0, True, True), (20.0, False, True), (20.0, True, False)):
            k.look(np.array([level]), none, 0.0, 2.0)
            if starts:
                k.started(0)
            self.assertEqual(bool(k.tripped[0]), tripped)

    def test_an_operators_start_lets_a_lock_of_the_line_go(self):
        mill, line = demo()
        lock = Lock(name="low", reads="level", at="S.tower", trips=40.0, resets=41.0, stops=("out.S",), automatic=False)
        stepped = Stepped(lay_out(line, holds_of(mill, line, {"S.tower": 39.9}), locks=(lock,)))
        stepped.run(0.5)
        self.assertEqual(float(stepped.flow[stepped.layout.stream("out.S")]), 0.0)
        stepped.file(Event(at_s=1800.0, stream="out.S", what="runs", value=1.0))
        stepped.run(0.1)
        self.assertGreater(float(stepped.flow[stepped.layout.stream("out.S")]), 0.0)

    def test_consistency_and_flow_are_read_where_they_enter(self):
        k = self.locks(reads="cons", at="u", trips=2.0, resets=2.4, delay_s=0.0)
        told = []
        for solids in (3.0, 1.9, 2.2, 2.5):
            k.look(np.zeros(1), np.array([[solids, 100.0]]), 0.0, 2.0)
            told.append(bool(k.tripped[0]))
        self.assertEqual(told, [False, True, True, False])
        flow = self.locks(reads="flow", at="u", trips=50.0, resets=60.0, delay_s=0.0)
        self.assertTrue(flow.look(np.zeros(1), np.array([[1.0, 49.0]]), 5.0, 2.0)[0].tripped)

    def test_what_is_not_there_is_named(self):
        for bad, told in (
            ({"at": "x"}, "“x” is no vessel"),
            ({"reads": "flow", "at": "v"}, "“v” is no unit"),
            ({"stops": ("x",)}, "“x” is no stream"),
            ({"idles": ("x",)}, "“x” is no unit"),
            ({"reads": "smell"}, "smell"),
            ({"resets": 5.0}, "must be another"),
        ):
            with self.subTest(**bad), self.assertRaisesRegex(ImpossibleInput, told):
                self.locks(**bad)


@tag("core")
class Sticking(SimpleTestCase):
    def test_a_valve_that_sticks_hunts_and_one_that_does_not_settles(self):
        ends = {}
        for sticks in (0.0, 0.03):
            u, integral, y, course = 0.0, 0.0, 0.0, []
            for _ in range(2000):
                u, integral = pi_step(0.5 - y, u, integral, 0.75, 2.0 / 30.0, sticks=sticks)
                y += (1.0 - np.exp(-2.0 / 30.0)) * (u + 0.013 - y)
                course.append(y)
            ends[sticks] = float(np.ptp(course[-1000:]))
        self.assertLess(ends[0.0], 1e-6)
        self.assertGreater(ends[0.03], 0.01)
        self.assertLess(ends[0.03], 0.2)

    def test_only_what_a_loop_drives_can_stick(self):
        mill, line = demo()
        stepped = Stepped(through_time(mill, line, {}))
        for stream, pct, told in (("out.K", 1.0, "no loop"), ("none", 1.0, "no stream"), ("on.chest", 50.0, "from 0 to 10")):
            with self.subTest(stream=stream), self.assertRaisesRegex(ImpossibleInput, told):
                stepped.sticky(stream, pct)

    def test_which_valves_stick_is_chance_by_its_seed(self):
        mill, line = demo()
        layout = through_time(mill, line, {})
        found = []
        for seed in range(40):
            stepped = Stepped(layout)
            Disturbed(layout=layout, seed=seed, hours=1.0).stick(stepped)
            found.append(stepped.sticks > 0.0)
        self.assertAlmostEqual(float(np.mean(found)), Sizes().sticking, delta=0.04)
        again = Stepped(layout)
        Disturbed(layout=layout, seed=7, hours=1.0).stick(again)
        np.testing.assert_array_equal(again.sticks > 0.0, found[7])
