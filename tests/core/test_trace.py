"""Lots through vessels, and traces: known graphs, ledgers that close, and the line through time as a tracer sees it."""

import time

import numpy as np
from django.test import SimpleTestCase, tag
from hypothesis import given
from hypothesis import strategies as st

import tests.profile  # noqa: F401
from core.deliver.lots import LEAST_H, LONGEST_H, USUAL, Edge, End, Parcel, first_end
from core.deliver.passing import OLDER, combined, lost, mixed, plug, through_vessel, tidied
from core.deliver.trace import BlendAwayCase, Graph, WindowCase, blend_away, suspect_window
from core.errors import ImpossibleInput
from core.line.acting import solve_line
from core.line.network import Outlet, Unit, shares
from core.stream import INDEX, N
from core.through.layout import Holds, lay_out
from core.through.stepper import Stepped
from tests.core.test_through import pulp

EDGES = (
    ("BT1", "C11", 11.2),
    ("BT1", "C12", 5.6),
    ("BL", "BT1", 12.0),
    ("BL", "R7", 6.0),
    ("BL", "BK3", 2.0),
    ("RL9", "BL", 18.0),
    ("RL9", "FILL", 2.0),
)
LEDGER = (("T1", "C1", 20.0), ("T1", "C2", 14.0), ("BL", "T1", 31.0), ("BL", "R1", 8.0), ("RL", "BL", 38.0))
MADE = {"C1": 20.0, "C2": 15.0, "T1": 33.0, "R1": 8.0, "BL": 38.0, "RL": 37.0}
tonnes = st.floats(min_value=0.0, max_value=60.0)


def graph(edges, made) -> Graph:
    return Graph((Edge(*e) for e in edges), made)


@tag("core")
class Ends(SimpleTestCase):
    @given(st.floats(0.0, 1e4), st.lists(st.floats(0.0, 1e4), max_size=8))
    def test_slices_follow_without_a_gap_and_none_is_longer_than_four_hours(self, since, at):
        changes = [End(h, f"change {i}") for i, h in enumerate(at)]
        ends, begun = [], since
        while begun < since + 20.0:
            found = first_end(begun, changes)
            self.assertTrue(begun + LEAST_H < found.at_h <= begun + LONGEST_H)
            self.assertFalse([c for c in changes if begun + LEAST_H < c.at_h < found.at_h])
            ends.append(found)
            begun = found.at_h
        starts = [since, *(e.at_h for e in ends)]
        for c in changes:
            if since < c.at_h < ends[-1].at_h:  # it is a beginning, or within a minute of one
                self.assertTrue(any(s <= c.at_h <= s + LEAST_H for s in starts))
        self.assertEqual(first_end(since, []), End(since + LONGEST_H, USUAL))


@tag("core")
class Traces(SimpleTestCase):
    def test_the_published_graph_back_and_forward(self):
        g = graph(EDGES, {"BT1": 16.8, "BL": 20.0, "RL9": 20.0})
        back = g.back("RL9")
        for source, wanted in (("C11", 0.36), ("C12", 0.18), ("R7", 0.27), ("BK3", 0.09), ("FILL", 0.10), ("BL", 0.9)):
            self.assertAlmostEqual(back[source], wanted, places=12)
        ahead = g.forward({"C12": 1.0})
        for lot, wanted in (("BT1", 5.6), ("BL", 4.0), ("RL9", 3.6)):
            self.assertAlmostEqual(ahead[lot] * g.made[lot], wanted, places=12)

    def test_the_ledger_closes_as_published_and_refuses_more_than_was_made(self):
        g = graph(LEDGER, MADE)
        for source, in_rl, stock, gone in (
            ("C1", 17.3002, 1.1765, 1.5234),
            ("C2", 12.1101, 1.8235, 1.0664),
            ("R1", 7.5897, 0.0, 0.4103),
        ):
            told = g.account({source: 1.0})
            self.assertAlmostEqual(told.ends["RL"], in_rl, places=4)
            self.assertAlmostEqual(sum(told.stock.values()), stock, places=4)
            self.assertAlmostEqual(told.lost, gone, places=4)
            self.assertAlmostEqual(told.whole, MADE[source], places=9)
        self.assertAlmostEqual(g.gap_pct("T1"), 100.0 / 33.0)
        wrong = graph([(c, p, 34.0 if (c, p) == ("BL", "T1") else t) for c, p, t in LEDGER], MADE)
        with self.assertRaisesRegex(ImpossibleInput, "gave 34.00 t of 33.00 t"):
            wrong.account({"C1": 1.0})

    def test_time_does_not_run_back(self):
        with self.assertRaisesRegex(ImpossibleInput, "leads back to itself"):
            graph([("A", "B", 1.0), ("B", "C", 1.0), ("C", "A", 1.0)], {}).back("A")

    @given(st.lists(st.tuples(st.integers(0, 8), st.integers(1, 4), st.floats(0.1, 20.0)), min_size=1, max_size=30), st.data())
    def test_of_any_graph_shares_make_one_and_every_source_is_found_whole(self, rows, data):
        edges = [(f"L{a + step}", f"L{a}", t) for a, step, t in rows]
        came: dict[str, float] = {}
        gave: dict[str, float] = {}
        for child, parent, t in edges:
            came[child] = came.get(child, 0.0) + t
            gave[parent] = gave.get(parent, 0.0) + t
        keeps = data.draw(st.floats(0.8, 1.0))
        made = {k: max(gave.get(k, 0.0), keeps * came.get(k, gave.get(k, 0.0))) for k in {*came, *gave}}
        g = graph(edges, made)
        roots = [k for k in made if k not in came]
        for lot in came:
            back = g.back(lot)
            self.assertAlmostEqual(sum(back[k] for k in roots if k in back), 1.0, places=9)
            for source in roots:
                if source in back:
                    self.assertAlmostEqual(back[source], g.forward({source: 1.0})[lot], places=9)
        for source in roots:
            self.assertAlmostEqual(g.account({source: 1.0}).whole, made[source], places=6)

    def test_five_thousand_transfers_are_traced_in_one_walk(self):
        edges = [(f"L{k // 10 + 1}-{j}", f"L{k // 10}-{k % 10}", 1.0) for k in range(500) for j in range(10)]
        g = graph(edges, {})
        start = time.perf_counter()
        back, ahead = g.back("L50-0"), g.forward({"L0-0": 1.0})
        self.assertLess(time.perf_counter() - start, 5.0)  # paths, walked one by one, would take 10 to the 50
        self.assertAlmostEqual(sum(back[f"L0-{j}"] for j in range(10)), 1.0)
        self.assertAlmostEqual(ahead["L50-0"], 0.1)

    def test_what_is_suspect_between_good_samples_and_what_may_be_blended_away(self):
        with self.assertRaisesRegex(ImpossibleInput, "after the last good"):
            suspect_window(WindowCase(good_h=6.0, again_h=6.0, transport_h=0.5, rate_t_h=7.0))
        self.assertAlmostEqual(blend_away(BlendAwayCase(good=30, bad=50, limit=60)).most_pct, 100.0)
        with self.assertRaisesRegex(ImpossibleInput, "past the limit"):
            blend_away(BlendAwayCase(good=70, bad=220, limit=60))


@tag("core")
class Vessels(SimpleTestCase):
    @given(tonnes, tonnes, tonnes, st.floats(0.0, 1.0))
    def test_a_mixed_vessel_loses_nothing(self, a, b, fed, share):
        drawn = share * (a + b + fed)
        found = mixed({"A": a, "B": b}, {"B": fed}, drawn)
        for lot, was in (("A", a), ("B", b + fed)):
            self.assertAlmostEqual(found.held[lot] + found.given[lot], was, places=7)
            self.assertGreaterEqual(found.held[lot], -1e-9)
            self.assertGreaterEqual(found.given[lot], -1e-7)
        self.assertAlmostEqual(sum(found.given.values()), drawn, places=6)

    def test_a_tower_gives_the_oldest_first_and_two_steps_are_one(self):
        tower = (Parcel("A", 30.0), Parcel("B", 20.0), Parcel("C", 10.0))
        left, given_ = plug(tower, 42.0)
        self.assertEqual([(p.lot, p.tonnes) for p in given_], [("A", 30.0), ("B", 12.0)])
        self.assertEqual([(p.lot, p.tonnes) for p in left], [("B", 8.0), ("C", 10.0)])
        half, one = plug(tower, 21.0)
        _, two = plug(half, 21.0)
        self.assertEqual(sum(p.tonnes for p in (*one, *two)), 42.0)
        with self.assertRaises(ImpossibleInput):
            plug(tower, 61.0)

    def test_a_tower_over_its_zone_gives_from_both(self):
        above, zone = (Parcel("B", 20.0),), {"A": 5.0}
        left, found = combined(above, zone, (Parcel("C", 10.0),), 8.0)
        self.assertEqual([(p.lot, p.tonnes) for p in left], [("B", 12.0), ("C", 10.0)])
        self.assertAlmostEqual(sum(found.given.values()), 8.0)
        self.assertGreater(found.given["A"], 3.0)  # the zone held all of it
        self.assertGreater(found.given["B"], 2.0)
        self.assertNotIn("C", found.given)

    @given(st.lists(st.floats(0.1, 20.0), min_size=1, max_size=6), st.floats(0.0, 1.0), st.floats(0.0, 1.0))
    def test_through_a_vessel_no_lot_gives_more_than_it_was(self, parts, share, drawn):
        standing = tuple(Parcel(f"L{i}", t) for i, t in enumerate(parts))
        told = through_vessel(standing, (Parcel("new", 3.0),), share, drawn * (sum(parts) + 3.0))
        self.assertAlmostEqual(sum(told.values()), drawn * (sum(parts) + 3.0), places=6)
        for p in (*standing, Parcel("new", 3.0)):
            self.assertLessEqual(told.get(p.lot, 0.0), p.tonnes + 1e-7)

    def test_losses_take_alike_and_small_rests_keep_their_names(self):
        self.assertEqual(lost({"A": 10.0, "B": 5.0}, 0.2), {"A": 8.0, "B": 4.0})
        told, names = tidied({"A": 40.0, "B": 0.02, "C": 0.06})
        self.assertEqual((told, names), ({"A": 40.0, "C": 0.06, OLDER: 0.02}, ("B",)))
        with self.assertRaises(ImpossibleInput):
            through_vessel((), (), 1.5, 1.0)


@tag("core")
class Tracer(SimpleTestCase):
    """The same vessels in the line through time, with filler as the tracer of the second lot."""

    def line(self, mixed_share: float) -> Stepped:
        """Ten tonnes an hour through forty: first of fibre alone, from hour 0 on of pulp that is all tracer."""
        halves = (("a", pulp(0.1, 0.0)), ("b", pulp(0.0, 0.1)))
        units = (
            *(Unit(id=k, feed=5.0 * p, outlets=(Outlet(name="on", to="in", shares=shares()),)) for k, p in halves),
            Unit(id="in", outlets=(Outlet(name="on", to="chest", shares=shares()),)),
            Unit(id="chest", outlets=(Outlet(name="on", to="end", shares=shares()),)),
            Unit(id="end", outlets=(Outlet(name="on", to="sink", shares=shares()),)),
            Unit(id="sink"),
        )
        holds = (Holds(unit="chest", now_t=40.0, full_t=80.0, mixed=mixed_share),)
        line = Stepped(lay_out(solve_line(units, (), {}), holds, {}))
        for hours, a, b in ((60.0, 2.0, 0.0), (0.0, 0.0, 2.0)):
            line.brings(0, a)
            line.brings(1, b)
            if hours:
                line.run(hours, 30.0)
        return line

    def share_out(self, line: Stepped) -> float:
        parts = line.leaves(line.layout.network.index["chest"])[:N]
        return float(parts[INDEX["FL"]] / (parts[INDEX["LF"]] + parts[INDEX["FL"]]))

    def given_share(self, share: float, hours: float) -> float:
        """What a vessel gave of the second lot in the last hundredth of the hours, by the rules of lots."""
        standing = (Parcel("A", 40.0),)
        early, late = (through_vessel(standing, (Parcel("B", 10.0 * h),), share, 10.0 * h) for h in (hours - 0.01, hours))
        return (late.get("B", 0.0) - early.get("B", 0.0)) / 0.1

    def test_lots_leave_as_the_tracer_does(self):
        for share in (1.0, 0.25):
            line, hour = self.line(share), 0.0
            for hours in (1.0, 2.0, 4.0, 5.0, 7.0):
                line.run(hours - hour)
                hour = hours
                with self.subTest(mixed=share, hours=hours):
                    self.assertAlmostEqual(self.share_out(line), self.given_share(share, hours), delta=0.02)
            held = line.holds()
            self.assertTrue(np.isfinite(held).all())
