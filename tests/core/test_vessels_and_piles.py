"""What a vessel holds at a level and at what level it holds so much; what lies in a pile, and how old it is."""

import math
import random

from django.test import SimpleTestCase, tag
from hypothesis import given
from hypothesis import strategies as st

import tests.profile  # noqa: F401
from core.chips.piles import LOSS_A_MONTH, Receipt, what_is_left
from core.errors import ImpossibleInput
from core.stock.book import stands
from core.stock.shape import Box, Cylinder, Surveyed, level_m

SHAPES = (
    Cylinder(radius_m=2.5, brim_m=12.0, cone_m=2.0, floor_m=0.0),
    Cylinder(radius_m=4.0, brim_m=20.0),
    Cylinder(radius_m=3.0, brim_m=9.0, cone_m=1.5, floor_m=1.0),
    Box(length_m=8.0, width_m=4.0, brim_m=5.0, fillet_m2=1.5),
    Surveyed(levels_m=(0.0, 1.0, 3.0, 6.0), volumes_m3=(0.0, 4.0, 21.0, 60.0)),
)


@tag("core")
class Vessels(SimpleTestCase):
    def test_the_cone_of_the_example(self):
        cone = SHAPES[0]
        for level, wanted in ((1.0, 1.6362), (2.0, 13.0900), (6.0, 91.6298)):
            self.assertAlmostEqual(cone.volume_m3(level), wanted, places=4)
        self.assertAlmostEqual(level_m(cone, 50.0), 3.87981, places=5)

    @given(st.sampled_from(SHAPES), st.floats(0.0, 1.0), st.floats(0.0, 1.0))
    def test_more_stands_higher_and_the_level_of_a_volume_is_that_which_holds_it(self, shape, one, other):
        low, high = sorted((one * shape.brim_m, other * shape.brim_m))
        self.assertLessEqual(shape.volume_m3(low), shape.volume_m3(high) + 1e-9)
        volume = shape.volume_m3(high)
        self.assertAlmostEqual(shape.volume_m3(level_m(shape, volume)), volume, delta=1e-6 * max(1.0, volume))

    def test_a_frustum_of_no_height_is_a_cylinder_and_one_as_wide_as_its_wall_too(self):
        plain = Cylinder(radius_m=3.0, brim_m=9.0)
        wide = Cylinder(radius_m=3.0, brim_m=9.0, cone_m=1.5, floor_m=3.0)
        for level in (0.0, 0.7, 1.5, 8.9):
            self.assertAlmostEqual(wide.volume_m3(level), plain.volume_m3(level))
            self.assertAlmostEqual(plain.volume_m3(level), math.pi * 9.0 * level)

    def test_what_is_no_vessel_or_no_level_is_refused(self):
        for made, field in (
            (lambda: Cylinder(radius_m=0.0, brim_m=5.0), "radius_m"),
            (lambda: Cylinder(radius_m=2.0, brim_m=5.0, cone_m=5.0), "cone_m"),
            (lambda: Cylinder(radius_m=2.0, brim_m=5.0, cone_m=1.0, floor_m=2.1), "floor_m"),
            (lambda: Box(length_m=0.0, width_m=1.0, brim_m=1.0), "length_m"),
            (lambda: Box(length_m=2.0, width_m=1.0, brim_m=1.0, fillet_m2=2.0), "fillet_m2"),
            (lambda: Surveyed(levels_m=(0.0, 1.0), volumes_m3=(0.0,)), "levels_m"),
            (lambda: Surveyed(levels_m=(0.0, 1.0, 1.0), volumes_m3=(0.0, 1.0, 2.0)), "levels_m"),
            (lambda: SHAPES[1].volume_m3(20.001), "level_m"),
            (lambda: SHAPES[3].volume_m3(-0.1), "level_m"),
            (lambda: level_m(SHAPES[3], 1e6), "volume_m3"),
        ):
            with self.subTest(field=field), self.assertRaises(ImpossibleInput) as refused:
                made()
            self.assertEqual(refused.exception.problems[0].field, field)
        self.assertEqual((level_m(SHAPES[0], 0.0), level_m(SHAPES[1], SHAPES[1].volume_m3(20.0))), (0.0, 20.0))


RECEIPTS = st.lists(
    st.builds(Receipt, days_ago=st.floats(0.0, 400.0), od_t=st.floats(1.0, 500.0)), min_size=1, max_size=12
).map(tuple)


@tag("core")
class Piles(SimpleTestCase):
    @given(RECEIPTS, st.floats(0.0, 1.0), st.floats(0.5, 20.0), st.booleans())
    def test_layers_make_up_the_pile_newest_first_and_none_is_more_than_came(self, receipts, share, draw, fifo):
        came = sum(r.od_t for r in receipts)
        told = what_is_left(receipts, share * came, draw, first_in_first_out=fifo)
        self.assertAlmostEqual(sum(layer.od_t for layer in told.layers), share * came, delta=1e-6 * came + 1e-8)
        days = [layer.days for layer in told.layers]
        self.assertEqual(days, sorted(days))
        edges = [e for layer in told.layers for e in (layer.start, layer.end)]
        self.assertEqual(edges, sorted(edges))
        self.assertAlmostEqual(told.cover_days, share * came / (24.0 * draw))
        self.assertTrue(0.0 <= told.lost_t <= share * came + 1e-9)
        other = what_is_left(receipts, share * came, draw, first_in_first_out=not fifo)
        older, newer = (other, told) if fifo else (told, other)
        self.assertGreaterEqual(older.oldest_days + 1e-9, newer.oldest_days)  # what is drawn from the skin leaves the oldest

    def test_a_pile_by_hand(self):
        receipts = (Receipt(days_ago=60.0, od_t=100.0), Receipt(days_ago=30.0, od_t=50.0), Receipt(days_ago=2.0, od_t=40.0))
        fifo = what_is_left(receipts, 120.0, 5.0)
        self.assertEqual([(layer.days, layer.od_t) for layer in fifo.layers], [(2.0, 40.0), (30.0, 50.0), (60.0, 30.0)])
        self.assertEqual((fifo.cover_days, fifo.oldest_days), (1.0, 60.0))
        skin = what_is_left(receipts, 120.0, 5.0, first_in_first_out=False)
        self.assertEqual([(layer.days, layer.od_t) for layer in skin.layers], [(30.0, 20.0), (60.0, 100.0)])
        one_month = what_is_left((receipts[1],), 50.0, 5.0)
        self.assertAlmostEqual(one_month.lost_t, 50.0 * (1.0 - math.exp(-LOSS_A_MONTH)))

    def test_what_cannot_lie_there_is_refused(self):
        receipts = (Receipt(days_ago=1.0, od_t=10.0),)
        for inventory, draw, field in ((-1.0, 1.0, "inventory_t"), (11.0, 1.0, "inventory_t"), (5.0, 0.0, "draw_t_h")):
            with self.subTest(inventory=inventory, draw=draw), self.assertRaises(ImpossibleInput) as refused:
                what_is_left(receipts, inventory, draw)
            self.assertEqual([p.field for p in refused.exception.problems], [field])
        self.assertEqual(stands(100.0, 48.0, 1.0, [(12.0, 20.0)]), 72.0)
        self.assertEqual(stands(10.0, 48.0, 1.0), 0.0)


@tag("core")
class InStore(SimpleTestCase):
    """What a book says of a tank or a pile between two readings."""

    def test_nothing_is_taken_that_is_not_there(self):
        """At its least when a load came, it holds the least and the load; what was not there was not used."""
        for read, hours, use, came, least, most, there in (
            (20.0, 5.0, 2.0, [], 4.0, 50.0, 10.0),
            (20.0, 50.0, 2.0, [], 4.0, 50.0, 4.0),
            (20.0, 50.0, 2.0, [(49.0, 10.0)], 4.0, 50.0, 12.0),
            (20.0, 10.0, 0.0, [(1.0, 10.0), (2.0, 40.0)], 4.0, 50.0, 50.0),
            (20.0, 10.0, 1.0, [(2.0, 60.0)], 4.0, 50.0, 42.0),
            (2.0, 1.0, 1.0, [], 4.0, 50.0, 4.0),
            (0.0, 10.0, 3.0, [(10.0, 7.0)], 0.0, math.inf, 7.0),
        ):
            with self.subTest(read=read, came=came):
                self.assertAlmostEqual(stands(read, hours, use, came, least=least, most=most), there)

    def test_hour_by_hour_it_is_the_same(self):
        chance = random.Random(12)
        for _ in range(40):
            least, most = chance.uniform(0, 5), chance.uniform(40, 90)
            read, use, hours = chance.uniform(least, most), chance.uniform(0, 4), chance.randint(1, 60)
            came = [(float(chance.randint(0, hours)), chance.uniform(1, 30)) for _ in range(chance.randint(0, 4))]
            content = read
            for hour in range(hours + 1):
                content = min(most, content + sum(much for when, much in sorted(came) if when == hour))
                if hour < hours:
                    content = max(least, content - use)
            with self.subTest(read=read, use=use, hours=hours, came=came):
                self.assertAlmostEqual(stands(read, hours, use, came, least=least, most=most), content, places=9)

    def test_more_that_comes_never_leaves_less_and_more_use_never_more(self):
        chance = random.Random(13)
        for _ in range(40):
            came = [(chance.uniform(0, 20), chance.uniform(0, 30)) for _ in range(3)]
            more = [(when, much + 2) for when, much in came]
            at = lambda use, came: stands(30.0, 20.0, use, came, least=3.0, most=70.0)  # noqa: E731
            use = chance.uniform(0, 5)
            with self.subTest(use=use, came=came):
                self.assertLessEqual(at(use, came), at(use, more) + 1e-9)
                self.assertLessEqual(at(use + 0.5, came), at(use, came) + 1e-9)
                self.assertTrue(3.0 <= at(use, came) <= 70.0)
