"""Laws of the line through time on lines that nobody drew: mass closes, nothing is below nothing, rest is the solved line."""

import math

import numpy as np
from django.test import SimpleTestCase, tag
from hypothesis import assume, given, settings
from hypothesis import strategies as st

from core.line.acting import solve_line
from core.line.network import Draw, DrawKind, Outlet, Unit, shares
from core.stream import INDEX, SUSPENDED, N
from core.through.ahead import level_sd
from core.through.control import LevelCase, StepCase, TuningCase, averaging_level, loop_step, pi_step, tuning
from core.through.disturbed import Sizes, _ashier, _wetter, breaks_of, trips_of
from core.through.layout import Holds, lay_out
from core.through.stepper import Event, Stepped
from tests.profile import examples


def pulp(t_h: float, cons: float, filler: float):
    """A feed of so much solids at a consistency, some of it filler."""
    parts = np.zeros(N)
    parts[[INDEX["LF"], INDEX["FL"], INDEX["DS"]]] = t_h * (1.0 - filler), t_h * filler, 0.02 * t_h
    parts[INDEX["W"]] = t_h * (1.0 / cons - 1.0)
    return parts


def chain(count: int, feed, loses: float, thin: float, target: float):
    """Chests in a row, then a screen that loses some, then a dilution from a tank that the screen's water fills."""
    keeps = shares(1.0 - loses, W=0.7, DS=0.7)
    units = [Unit(id="feed", feed=feed, outlets=(Outlet(name="on", to="chest0", shares=shares()),))]
    for i in range(count):
        to = f"chest{i + 1}" if i + 1 < count else "screen"
        units.append(Unit(id=f"chest{i}", outlets=(Outlet(name="on", to=to, shares=shares()),)))
    units += [
        Unit(
            id="screen",
            outlets=(Outlet(name="on", to="joint", shares=keeps), Outlet(name="water", to="tank", shares=shares() - keeps)),
        ),
        Unit(id="joint", outlets=(Outlet(name="on", to="reel", shares=shares()),)),
        Unit(
            id="showers",
            feed=pulp(0.0, 1.0, 0.0) + thin * np.eye(N)[INDEX["W"]],
            outlets=(Outlet(name="on", to="tank", shares=shares()),),
        ),
        Unit(id="tank", outlets=(Outlet(name="over", to="sewer", shares=shares()),)),
        Unit(id="reel"),
        Unit(id="sewer"),
    ]
    draws = (Draw(id="dilution", kind=DrawKind.DILUTE, tank="tank", to="joint", target=target, rest="over"),)
    return solve_line(tuple(units), draws, {})


LINES = st.tuples(
    st.integers(1, 4), st.floats(1, 40), st.floats(0.03, 0.12), st.floats(0, 0.3), st.floats(0, 0.05), st.floats(1.2, 3.0)
)


@tag("core")
class AnyLine(SimpleTestCase):
    def laid(self, told, minutes: float = 4.0):
        count, t_h, cons, filler, loses, thin = told
        feed = pulp(t_h, cons, filler)
        line = chain(count, feed, loses, thin * t_h / cons, 0.6 * cons)
        whole = float(feed.sum())
        holds = [Holds(unit=f"chest{i}", now_t=whole / 6.0, full_t=whole / 3.0, mixed=1.0 - 0.2 * i) for i in range(count)]
        return lay_out(line, tuple(holds), {"joint": minutes}), line

    @given(LINES, st.floats(0, 20))
    @settings(max_examples=examples(16))
    def test_it_rests_where_it_is_solved(self, told, minutes):
        layout, line = self.laid(told, minutes)
        stepped = Stepped(layout)
        stepped.run(0.25)
        for unit in ("screen", "joint", "tank"):
            i = layout.network.index[unit]
            solved = line.solution.into[i]
            np.testing.assert_allclose(stepped.enters(unit)[:N], solved, atol=1e-7 * max(1.0, float(solved.sum())))

    @given(LINES, st.floats(0, 3), st.integers(0, 4), st.floats(1, 900))
    @settings(max_examples=examples(16))
    def test_it_closes_whatever_happens_and_nothing_is_below_nothing(self, told, brought, which, at_s):
        layout, _ = self.laid(told)
        stepped = Stepped(layout)
        stepped.brings(layout.network.index["feed"], brought)
        name = layout.names[which % len(layout.names)]
        stepped.file(
            Event(at_s=at_s, stream=name, what="runs", value=0.0),
            Event(at_s=at_s + 100.3, stream=name, what="runs", value=1.0),
            Event(at_s=at_s + 400.0, stream=name, what="flow", value=2.0 * float(layout.steady[which % len(layout.names)])),
        )
        held, worst = stepped.holds(), 0.0
        for _ in range(150):
            stepped.step(10.0)
            off = stepped.fed + stepped.made - stepped.gone - (stepped.holds() - held)
            worst = max(worst, float((np.abs(off) / np.maximum(np.abs(stepped.holds()), 1.0)).max()))
        self.assertLess(worst, 1e-9)
        self.assertGreaterEqual(float(stepped.held[:, :N].min()), -1e-12)
        self.assertGreaterEqual(float(stepped.plugs.held[:, :N].min()), -1e-9)
        self.assertTrue((stepped.vessel_t() <= layout.full_t * (1.0 + 1e-9) + 1e-9).all())

    @given(LINES, st.floats(0.5, 1.2))
    @settings(max_examples=examples(8))
    def test_another_feed_comes_to_the_rest_of_its_own_line(self, told, share):
        count, t_h, cons, filler, loses, thin = told
        layout, _ = self.laid(told)
        stepped = Stepped(layout)
        stepped.brings(layout.network.index["feed"], share)
        stepped.run(6.0, 20.0)
        other = chain(count, share * pulp(t_h, cons, filler), loses, thin * t_h / cons, 0.6 * cons)
        drawn = other.solution.draw_t_h("dilution")
        assume(drawn < 0.95 * float(layout.loops["most"][-1]))  # its valve reaches so far
        joint = stepped.enters("joint")[:N]
        solved = other.solution.into[layout.network.index["joint"]]
        np.testing.assert_allclose(joint, solved, atol=2e-3 * float(solved.sum()))
        self.assertAlmostEqual(float(joint @ SUSPENDED / joint.sum()), 0.6 * cons, delta=1e-3 * cons)


@tag("core")
class Loops(SimpleTestCase):
    @given(st.lists(st.floats(-50, 50), min_size=5, max_size=60), st.floats(0.01, 20), st.floats(0.01, 2), st.floats(0.1, 5))
    def test_an_output_keeps_its_limits_and_its_rate(self, errors, kc, quick, most):
        u, integral = 0.0, 0.0
        for e in errors:
            before = u
            u, integral = pi_step(e, u, integral, kc, quick, -3.0, 7.0, most)
            self.assertLessEqual(abs(u - before), most + 1e-9)
            self.assertTrue(-3.0 - 1e-9 <= u <= 7.0 + 1e-9)
            self.assertTrue(math.isfinite(integral))

    @given(st.floats(0.1, 10), st.floats(5, 300), st.floats(2, 60))
    def test_what_is_tuned_by_the_rule_settles_without_much_over(self, gain, lag, dead):
        found = tuning(TuningCase(gain=gain, lag_s=lag, dead_s=dead))
        case = StepCase(
            gain=gain,
            lag_s=lag,
            dead_s=dead,
            kc=found.kc,
            ti_s=found.ti_s,
            step_s=dead / 10.0,
            for_s=min(20_000.0, 12 * (lag + dead)),
        )
        told = loop_step(case)
        self.assertLess(told.peak, 1.30)
        self.assertLess(abs(1.0 - told.readings[-1]), 0.05)

    @given(st.floats(0.5, 100), st.floats(0.1, 2.0))
    @settings(max_examples=examples(10))
    def test_an_averaging_level_strays_as_far_as_it_may(self, inflow, hours):
        strays = hours * inflow
        found = averaging_level(LevelCase(inflow_t_h=inflow, strays_t=strays, level_t=1000.0, after_h=4.0 * strays / inflow))
        self.assertAlmostEqual(found.peak_t - 1000.0, strays, delta=0.06 * strays)

    def test_free_is_free(self):
        u, _ = pi_step(1e6, 0.0, 0.0, 1.0, 1.0)
        self.assertAlmostEqual(u, 2e6)


@tag("core")
class Chance(SimpleTestCase):
    feeds = st.tuples(st.floats(0.1, 20), st.floats(0.1, 0.9), st.floats(0.01, 0.4))

    @given(feeds, st.floats(-0.5, 0.5))
    def test_wetter_chips_are_the_same_wet_mass(self, told, more):
        t_h, cons, filler = told
        parts = pulp(t_h, cons, filler)
        wetter = _wetter(parts, more)
        self.assertAlmostEqual(float(wetter.sum()), float(parts.sum()), places=9)
        self.assertTrue((wetter >= 0.0).all())
        if 0.0 < more < 0.05:
            self.assertGreaterEqual(wetter[INDEX["W"]], parts[INDEX["W"]] - 1e-12)

    @given(feeds, st.floats(-1.0, 1.0))
    def test_an_ashier_lot_is_the_same_solids(self, told, more):
        parts = pulp(*told)
        other = _ashier(parts, more)
        self.assertAlmostEqual(float(other @ SUSPENDED), float(parts @ SUSPENDED), places=9)
        self.assertTrue((other >= -1e-12).all())

    @given(st.integers(0, 10_000), st.floats(1, 400))
    def test_breaks_and_trips_follow_each_other_and_are_the_seed_s(self, seed, hours):
        one, two = breaks_of(seed, hours, Sizes()), breaks_of(seed, hours, Sizes())
        self.assertEqual(one, two)
        for a, b in zip(one, one[1:], strict=False):
            self.assertLess(a.end, b.begin)
        self.assertTrue(all(0.0 <= b.begin < hours and b.end > b.begin for b in one))
        for t in trips_of(seed, "a pump", hours, Sizes()):
            self.assertTrue(3.0 / 60.0 <= t.end - t.begin <= 15.0 / 60.0)

    @given(st.floats(0.01, 10), st.floats(0.1, 20), st.floats(0, 100))
    def test_a_level_is_less_sure_the_further_ahead_and_never_surer_than_a_straight_drift(self, rate, big, hours):
        sd = level_sd(rate, big, hours)
        self.assertLessEqual(sd, level_sd(rate, big, hours + 1.0))
        self.assertLessEqual(sd, rate * hours * (1.0 + 1e-9) + 1e-12)  # what an error that stays would make
