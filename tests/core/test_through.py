"""The line through time: its parts against check values, closure at every step, rest, forks, events, what is felt when."""

import json
import math
from dataclasses import replace
from functools import cache
from pathlib import Path

import numpy as np
from django.test import SimpleTestCase, tag

import core.catalogue  # noqa: F401
import tests.profile  # noqa: F401
from core.deliver.draw import draw
from core.errors import ImpossibleInput
from core.line.acting import solve_line
from core.line.network import Draw, DrawKind, Outlet, Unit, shares
from core.mill.mill import Mill
from core.mill.reading import read_mill
from core.mill.run import Running, solve_mill
from core.stock.layers import mixed_through
from core.stream import INDEX, N
from core.through.acting import Reacting
from core.through.ahead import Brings, Plan, look_ahead, sure
from core.through.chance import Series, Wanders, innovation_of, phi_of
from core.through.control import pi_step
from core.through.disturbed import Disturbed, Machine, Sizes, breaks_of
from core.through.entries import CSF, E, content, value
from core.through.layout import Holds, lay_out
from core.through.mill import through_time
from core.through.plugs import Plugs
from core.through.stepper import Event, Stepped
from tests.second_mill import document

DEMO = Path(__file__).resolve().parents[2] / "desk" / "mill" / "data" / "vixen_weir.json"


@cache
def demo():
    mill = read_mill(json.loads(DEMO.read_text()))
    return mill, running(mill)


def running(mill: Mill):
    grade = next(iter(mill.grades.values()))
    drawn = draw(mill.draw_case(grade, gsm=grade.gsm, speed_m_min=grade.speed_m_min))
    gives = {k: grade.shares.get(k, 0.0) * drawn.solids_t_h for k in mill.sources}
    return solve_mill(mill, Running(feeds={}, gives=gives, filler_t_h=drawn.filler_t_h), None)


def missing(line: Stepped, held, ledger) -> float:
    """The worst entry that does not close since a state, over what the line holds of it."""
    now = line.fed + line.made - line.gone
    off = np.abs(now - ledger - (line.holds() - held))
    return float((off / np.maximum(np.abs(line.holds()), 1.0)).max())


def pulp(fibre: float, filler: float):
    """A tonne of it."""
    parts = np.zeros(N)
    parts[[INDEX["LF"], INDEX["FL"], INDEX["W"]]] = fibre, filler, 1.0 - fibre - filler
    return parts


@tag("core")
class Parts(SimpleTestCase):
    def test_a_plug_gives_what_came_first(self):
        one = Plugs(np.array([200.0]), np.array([[0.035]]), np.array([2000]))
        left = []
        for step in range(6 * 360):
            hour = step / 360.0
            flow = (60.0 if hour < 2.0 else 90.0) / 360.0
            left.append(float(one.pop(np.array([flow]))[0, 0]))
            one.push(np.array([flow]), np.array([[flow * (0.035 if hour < 1.0 else 0.04)]]))
        told = np.array(left).reshape(6, 360).sum(axis=1)
        np.testing.assert_allclose(told, [2.1, 2.1, 3.15, 3.35, 3.6, 3.6], rtol=1e-6)
        self.assertAlmostEqual(float(one.held_t[0]), 200.0, places=9)

    def test_a_plug_keeps_its_mass_however_it_is_fed_and_rebased(self):
        rng = np.random.default_rng(4)
        some = Plugs(np.full(5, 3.0), np.ones((5, 2)) * [0.1, 0.9], np.full(5, 12))
        came, gone = some.held.sum(axis=0), np.zeros(2)
        for step in range(800):
            want = rng.random(5) * (step % 7 != 0)
            gone = gone + some.pop(want).sum(axis=0)
            push = rng.random(5) * (step % 11 != 0)
            brought = push[:, None] * rng.random((5, 1)) * [0.3, 0.7]
            some.push(push, brought)
            came = came + brought.sum(axis=0)
            if step % 100 == 99:
                some.rebase()
        np.testing.assert_allclose(came - gone, some.held.sum(axis=0), rtol=1e-12)
        self.assertTrue((some.held_t >= 0.0).all() and (some.held >= -1e-12).all())

    def test_a_mixed_vessel_and_a_combined_one(self):
        after = mixed_through(np.array([3.6, 96.4]), np.array([0.04, 0.96]) * 30.0, 100.0, 30.0)
        self.assertAlmostEqual(after[0], 3.703673, places=6)
        self.assertAlmostEqual(3.6 + 1.2 - after[0], 1.096327, places=6)
        plug = Plugs(np.array([336.0]), np.zeros((1, 1)), np.array([4000]))
        zone, told = np.array([0.0, 84.0]), {}
        for step in range(1800):
            given = float(plug.pop(np.array([120.0 / 360.0]))[0, 0])
            plug.push(np.array([120.0 / 360.0]), np.array([[120.0 / 360.0]]))
            zone = mixed_through(zone, np.array([given, 120.0 / 360.0 - given]), 84.0, 120.0 / 360.0)
            told[(step + 1) / 360.0] = zone[0] / 84.0
        for hours, wanted in ((2.5, 0.0), (3.0, 0.24852), (3.5, 0.63212), (4.0, 0.81991), (5.0, 0.95684)):
            self.assertAlmostEqual(told[hours], wanted, delta=1e-4)

    def test_an_output_at_its_end_comes_off_it_at_once(self):
        def leaves_after(back: bool) -> float:
            a, delay, put, y = math.exp(-2.0 / 30.0), 10, [0.0] * 11, 0.0
            u, integral = 0.0, 0.0
            for k in range(700):
                e = (1.2 if k < 300 else 0.6) - y
                before = integral
                u, integral = pi_step(e, u, integral, 0.75, 2.0 / 30.0, 0.0, 1.0)
                if not back:
                    integral = before + 0.75 * e * 2.0 / 30.0
                if k >= 300 and u < 1.0 - 1e-9:
                    return 2.0 * (k - 300)
                put.append(u)
                y = a * y + (1.0 - a) * put[-1 - delay]
            return math.inf

        self.assertLessEqual(leaves_after(True), 2.0)
        self.assertAlmostEqual(leaves_after(False), 298.0, delta=4.0)

    def test_what_wanders_is_exact_on_its_grid_and_its_own(self):
        self.assertAlmostEqual(phi_of(60.0, 3 * 3600.0), 0.9944598, places=7)
        self.assertAlmostEqual(innovation_of(1.5, phi_of(60.0, 3 * 3600.0)), 0.157676, places=5)
        self.assertAlmostEqual(phi_of(2.0, 8.0), 0.778801, places=6)
        self.assertAlmostEqual(innovation_of(0.02, phi_of(10.0, 8.0)), 0.019162, places=6)
        moisture = Wanders(name="moisture", sd=1.5, time_s=3 * 3600.0)
        one, two = Series(moisture, 7), Series(moisture, 7)
        late, early = one.at(90_000.0), [two.at(t) for t in (0.0, 30.0, 60.0, 90_000.0)]
        self.assertEqual(late, early[-1])
        self.assertAlmostEqual(early[1], (early[0] + early[2]) / 2.0)
        noise = Series(Wanders(name="meter", sd=0.02, time_s=8.0, grid_s=2.0, held=True), 7)
        told = np.array([noise.at(10.0 * k) for k in range(20_000)])
        self.assertAlmostEqual(float(told.std()), 0.02, delta=0.0006)
        self.assertAlmostEqual(float(np.corrcoef(told[1:], told[:-1])[0, 1]), 0.286505, delta=0.02)
        self.assertEqual(noise.at(5.9), noise.at(4.0))
        self.assertNotEqual(Series(replace(moisture, name="other"), 7).at(0.0), one.at(0.0))


@tag("core")
class Settles(SimpleTestCase):
    """The small line of a chest, a dilution, a machine and its white water."""

    def units(self):
        keeps = shares(0.0, LF=0.95, FL=0.60, W=0.02, DS=0.02)
        return (
            Unit(id="pulp", feed=60.0 * pulp(0.10, 0.01), outlets=(Outlet(name="on", to="chest", shares=shares()),)),
            Unit(id="chest", outlets=(Outlet(name="on", to="joint", shares=shares()),)),
            Unit(id="joint", outlets=(Outlet(name="on", to="machine", shares=shares()),)),
            Unit(
                id="machine",
                outlets=(
                    Outlet(name="web", to="reel", shares=keeps),
                    Outlet(name="wire", to="white", shares=shares() - keeps),
                ),
            ),
            Unit(id="white", outlets=(Outlet(name="over", to="sewer", shares=shares()),)),
            Unit(id="reel"),
            Unit(id="sewer"),
        )

    def line(self):
        draws = (Draw(id="dilution", kind=DrawKind.DILUTE, tank="white", to="joint", target=0.040, rest="over"),)
        return solve_line(self.units(), draws, {})

    def laid(self):
        holds = (Holds(unit="chest", now_t=80.0, full_t=200.0), Holds(unit="white", now_t=200.0, full_t=400.0))
        flow = {"chest": 60.0, "machine": 176.24, "white": 166.45}
        pipes = {"chest": 2.0, "machine": 4.0, "white": 3.0}
        return lay_out(self.line(), holds, {unit: 60.0 * pipes[unit] / flow[unit] for unit in pipes})

    def test_it_rests_where_the_algebra_says(self):
        line = Stepped(self.laid())
        held, ledger = line.holds(), line.fed + line.made - line.gone
        line.run(2.0)
        white = line.enters("white")
        of = white[:N] / white[:N].sum() * 100.0
        self.assertAlmostEqual(of[INDEX["LF"]], 0.18675, delta=2e-4)
        self.assertAlmostEqual(of[INDEX["FL"]], 0.20007, delta=2e-4)
        flows = dict(zip(line.layout.names, line.flow, strict=True))
        self.assertAlmostEqual(flows["dilution"], 116.2414, delta=0.12)
        self.assertAlmostEqual(flows["on.white"], 50.2104, delta=0.05)
        web = line.layout.line.solution.left("machine", "web")
        self.assertAlmostEqual(web[INDEX["LF"]], 5.90623, delta=6e-3)
        self.assertAlmostEqual(web[INDEX["FL"]], 0.49954, delta=5e-4)
        self.assertLess(missing(line, held, ledger), 1e-12)

    def test_from_its_start_it_comes_to_rest_as_the_reference_does(self):
        layout = self.laid()
        line = Stepped(layout)
        thin = content(pulp(0.001, 0.001), temp_c=45.0, quality=(0.0, 6.0, 0.0, 30.0, 0.0))
        start = content(pulp(0.10, 0.01), temp_c=20.0, quality=(0.0, 6.0, 0.0, 30.0, 0.0))
        line.held[0], line.held[1] = start * 80.0, thin * 200.0
        by = layout.loops
        level, dilutes = np.flatnonzero(by["reads"] < 2), np.flatnonzero(by["reads"] >= 2)
        by["kc"][level], by["ti"][level] = 1.2, 3.3
        by["kc"][dilutes], by["ti"][dilutes] = 400.0, 0.02
        line._paced(10.0 / 3600.0)
        told = []
        for hours in (1.0, 1.0, 3.0):
            line.run(hours)
            held = line.held[1]
            told.append((held[INDEX["FL"]] / held[:N].sum() * 100.0, held[INDEX["LF"]] / held[:N].sum() * 100.0))
        np.testing.assert_allclose(told, [(0.14632, 0.14969), (0.17147, 0.17156), (0.19573, 0.18586)], rtol=5e-3)
        line.run(85.0, 30.0)
        solved = layout.line.solution
        for unit in ("joint", "machine", "white"):
            i = layout.network.index[unit]
            np.testing.assert_allclose(line.enters(unit)[:N], solved.into[i], atol=1e-3 * solved.into[i].sum())

    def test_what_cannot_be_is_refused_by_name(self):
        line = Stepped(self.laid())
        for wrong in (0.0, 61.0, -1.0):
            with self.assertRaisesRegex(ImpossibleInput, "dt_s"):
                line.step(wrong)
        with self.assertRaisesRegex(ImpossibleInput, "no stream"):
            line.file(Event(at_s=10.0, stream="nowhere"))
        with self.assertRaisesRegex(ImpossibleInput, "cannot be set"):
            line.file(Event(at_s=10.0, stream="dilution", what="colour"))
        line.run(0.1)
        with self.assertRaisesRegex(ImpossibleInput, "before now"):
            line.file(Event(at_s=10.0, stream="dilution"))
        with self.assertRaisesRegex(ImpossibleInput, "no unit"):
            lay_out(self.line(), (Holds(unit="none", now_t=1.0, full_t=2.0),))


@tag("core")
class Whole(SimpleTestCase):
    """The demo's line and another mill's."""

    def trips(self, layout):
        """A break, a trip and a vessel that runs empty."""
        outs = [name for name, kind in zip(layout.names, layout.kinds, strict=True) if kind == "rate"]
        told = [Event(at_s=603.7, number=i, stream=s, what="runs", value=0.0) for i, s in enumerate(outs)]
        told += [Event(at_s=1500.2, number=i, stream=s, what="runs", value=1.0) for i, s in enumerate(outs)]
        dilutes = next(name for name, kind in zip(layout.names, layout.kinds, strict=True) if kind == "dilute")
        told += [Event(at_s=200.0, stream=dilutes, what="runs", value=0.0)]
        return (*told, Event(at_s=320.5, stream=dilutes, what="runs", value=1.0))

    def test_it_stands_still_at_rest_and_settles_back(self):
        mill, line = demo()
        layout = through_time(mill, line, {})
        still = Stepped(layout)
        still.run(0.5)
        free = {layout.network.units[n].id for n, f in zip(layout.vessel_node, layout.free, strict=True) if f}
        solved = line.solution
        units = [u.id for u in layout.network.units if u.outlets and not u.supply and u.id not in free]

        def off(state) -> float:
            into = [(state.enters(u)[:N], solved.into[layout.network.index[u]]) for u in units]
            return max(float(np.abs(a - b).max() / max(b.sum(), 1e-6)) for a, b in into)

        self.assertLess(off(still), 1e-9)
        shaken = Stepped(layout)
        for v, node in enumerate(layout.vessel_node):  # clean water in every filtrate tank
            if "filtrate" in layout.network.units[node].id:
                mass = shaken.held[v, :N].sum()
                shaken.held[v] = content(pulp(0.0, 0.0) * mass, temp_c=45.0, quality=(0.0, 6.0, 0.0, 30.0, 0.0))
        shaken.run(0.25)
        self.assertGreater(off(shaken), 1e-4)
        shaken.run(2.75)
        self.assertLess(off(shaken), 1e-3)

    def test_everything_closes_at_every_step_in_both_mills(self):
        for mill in (demo()[0], read_mill(document())):
            layout = through_time(mill, running(mill), dict.fromkeys(mill.vessels, 12.0))
            line = Stepped(layout)
            line.file(*self.trips(layout))
            line.brings(int(np.flatnonzero(layout.feed.any(axis=1))[0]), 0.1)
            held, ledger, worst = line.holds(), np.zeros(E), 0.0
            for _ in range(360):
                line.step(10.0)
                worst = max(worst, missing(line, held, ledger))
            self.assertLess(worst, 1e-9)
            self.assertGreaterEqual(float(line.held[:, :N].min()), 0.0)
            self.assertGreaterEqual(float(line.plugs.held[:, :N].min()), -1e-9)

    def test_kept_and_restored_is_never_stopped_and_a_fork_leaves_it_alone(self):
        mill, line = demo()
        layout = through_time(mill, line, {})
        one = Stepped(layout)
        one.file(*self.trips(layout), Event(at_s=2400.0, stream="out.K", what="wants", value=6.0))
        one.run(0.3)
        two, kept = one.fork(), one.kept()
        two.run(0.5)
        self.assertEqual(one.time_s, 1080.0)
        three = Stepped(layout)
        three.restore(kept)
        for line_ in (one, three):
            line_.run(0.5)
        for a, b in ((one, two), (one, three)):
            np.testing.assert_array_equal(a.held, b.held)
            np.testing.assert_array_equal(a.plugs.content, b.plugs.content)
            np.testing.assert_array_equal(a.flow, b.flow)
        other = Stepped(through_time(mill, line, {}, 30.0))
        with self.assertRaisesRegex(ImpossibleInput, "layout"):
            other.restore(kept)
        with self.assertRaisesRegex(ImpossibleInput, "held"):
            three.restore({**kept, "held": kept["held"][1:]})

    def test_an_event_acts_at_its_time_and_steps_of_2_and_10_s_agree(self):
        mill, line = demo()
        layout = through_time(mill, line, {})
        long, short = Stepped(layout), Stepped(layout)
        for each, dt in ((long, 10.0), (short, 2.0)):
            each.file(Event(at_s=361.3, stream="out.K", what="wants", value=0.0))
            each.run(0.1, dt)
            self.assertGreater(each.flow[layout.stream("out.K")], 0.0)
            each.step(dt)
            self.assertEqual(each.flow[layout.stream("out.K")], 0.0)
            each.run(0.5 - each.time_s / 3600.0, dt)
        drawn = [line_.plugs.out[layout.inner + layout.stream("out.K")] for line_ in (long, short)]
        self.assertAlmostEqual(drawn[0], drawn[1], places=6)
        for unit in ("K.clean", "R.clean", "blend"):
            a, b = long.enters(unit)[:N], short.enters(unit)[:N]
            self.assertAlmostEqual(a[:9].sum() / a.sum(), b[:9].sum() / b.sum(), delta=2e-3 * b[:9].sum() / b.sum())

    def test_two_rates_close_agree_with_one_and_are_never_stopped(self):
        for mill in (demo()[0], read_mill(document())):
            layout = through_time(mill, running(mill), dict.fromkeys(mill.vessels, 40.0))
            lines = [(Stepped(layout, 2.0), 10.0), (Stepped(layout), 2.0)]
            outs = [name for name, kind in zip(layout.names, layout.kinds, strict=True) if kind == "rate"]
            told = [Event(at_s=601.3, number=i, stream=s, what="runs", value=0.0) for i, s in enumerate(outs[:2])]
            told += [Event(at_s=1800.0, number=i, stream=s, what="runs", value=1.0) for i, s in enumerate(outs[:2])]
            ended = []
            for line, dt in lines:
                line.file(*told)
                held, worst = line.holds(), 0.0
                for _ in range(round(2 * 3600 / dt)):
                    line.step(dt)
                    worst = max(worst, missing(line, held, np.zeros(E)))
                self.assertLess(worst, 1e-9)
                ended.append(line)
            two, one = ended
            np.testing.assert_allclose(two.vessel_t() / layout.full_t, one.vessel_t() / layout.full_t, atol=2e-3)
            for unit in (u.id for u in layout.network.units if u.outlets and not u.supply):
                a, b = two.enters(unit)[:N], one.enters(unit)[:N]
                if b.sum() > 1.0:
                    self.assertAlmostEqual(
                        a[:9].sum() / a.sum(), b[:9].sum() / b.sum(), delta=3e-3 * b[:9].sum() / b.sum() + 1e-6, msg=unit
                    )
            again = two.fork()
            for line in (two, again):
                line.run(0.2, 10.0)
            np.testing.assert_array_equal(two.held, again.held)
        with self.assertRaisesRegex(ImpossibleInput, "loops_s"):
            Stepped(layout, 0.0)

    def test_a_set_point_is_felt_down_the_line_at_the_lag_of_its_tower(self):
        mill, line = demo()
        layout = through_time(mill, line, {})
        stepped = Stepped(layout)
        acting = Reacting(stepped)
        self.assertEqual(acting.ask(), 0)  # nothing has moved
        acting.set_to("K.refine", {"gross_kw.1": 250.0})
        self.assertEqual(acting.ask(), 1)
        was = math.exp(value(layout.entered[layout.network.index["blend"]], CSF))
        stepped.run(0.25)
        near, far = (math.exp(value(stepped.enters(u), CSF)) for u in ("K.stock", "blend"))
        self.assertLess(near, 440.0)
        self.assertAlmostEqual(far, was, delta=0.01)
        stepped.run(3.75)
        self.assertLess(math.exp(value(stepped.enters("blend"), CSF)), was - 5.0)
        self.assertLess(missing(stepped, stepped.holds(), stepped.fed + stepped.made - stepped.gone), 1e-12)

    def test_looking_ahead_tells_what_a_break_and_a_lost_feed_do(self):
        mill, line = demo()
        layout = through_time(mill, line, {}, 60.0)
        plain = look_ahead(layout, Plan(), 6.0, ("chest",))
        outs = [n for n in layout.names if n.startswith("out.")]
        stops = tuple(
            Event(at_s=at, number=i, stream=n, what="runs", value=v)
            for at, v in ((600.0, 0.0), (2400.0, 1.0))
            for i, n in enumerate(outs)
        )
        broken = look_ahead(layout, Plan(events=stops), 6.0, ("chest",))
        lost = look_ahead(layout, Plan(feeds=(Brings(at_s=0.0, unit="M.chips", share=0.0),)), 6.0, ("chest",))
        for unit in ("K.tower", "B.tower"):
            self.assertGreater(broken.level_of(unit)[0][8], plain.level_of(unit)[0][8])
        self.assertLess(lost.level_of("M.tower")[0][-1], plain.level_of("M.tower")[0][-1] - 10.0)
        self.assertTrue((np.diff(plain.level_of("K.tower")[1]) >= 0.0).all())  # less sure the further ahead
        way, hours = plain.first("larch.silo" if "larch.silo" in plain.units else "K.larch.chips", 10.0, 95.0)
        self.assertEqual(way, "empty")
        self.assertAlmostEqual(hours, 0.5 * 60.0 / 6.1, delta=0.2)  # half of 60 t at 6.1 t/h more out than in

    def test_chance_is_its_own_seed_and_breaks_save_the_pulps(self):
        mill, line = demo()
        layout = through_time(mill, line, {}, 60.0)
        outs = tuple(n for n in layout.names if n.startswith("out."))
        machine = Machine(draws=outs, on="on.chest", broke="B.broke", web_t_h=16.0)
        one, two, other = (
            look_ahead(layout, Plan(), 2.0, ("chest",), Disturbed(layout=layout, seed=seed, hours=2.0, machine=machine))
            for seed in (3, 3, 4)
        )
        np.testing.assert_array_equal(one.level_pct, two.level_pct)
        np.testing.assert_array_equal(one.csf_ml, two.csf_ml)
        self.assertGreater(float(np.abs(one.level_pct - other.level_pct).max()), 0.1)
        plain = look_ahead(layout, Plan(), 2.0, ("chest",))
        broken = Disturbed(layout=layout, seed=1, hours=2.0, machine=machine, sizes=Sizes(break_every_h=0.2, break_min=60.0))
        self.assertTrue(broken.breaks)
        met = look_ahead(layout, Plan(), 2.0, ("chest",), broken)
        for unit in ("K.tower", "B.tower"):
            self.assertGreater(met.level_of(unit)[0][-1], plain.level_of(unit)[0][-1] + 1.0)
        counts = [len(breaks_of(seed, 800.0, Sizes(break_min=1e-3))) for seed in range(40)]
        self.assertAlmostEqual(float(np.mean(counts)), 100.0, delta=5.0)

    def test_twelve_ways_tell_how_sure_the_hours_are(self):
        mill, line = demo()
        layout = through_time(mill, line, {"B.tower": 88.0}, 60.0)
        heard: list[int] = []
        found = sure(layout, Plan(), 1.0, ("chest",), Machine(), heard.append, 4)
        self.assertEqual(heard, [1, 2, 3, 4])
        low, high = found.within("K.tower")
        self.assertTrue((low <= high + 1e-12).all())
        self.assertEqual(low[0], high[0])
        self.assertEqual(found.meet("K.tower", 10.0, 95.0), 0)
        self.assertEqual(found.meet("K.tower", 10.0, 60.0), 0)  # it stands at that limit now
        self.assertGreater(found.meet("B.tower", 10.0, 89.0), 0)
