"""Codes of stops, micro-stops, who must say, overlaps, and hours lost by cause."""

import random

from django.test import SimpleTestCase, tag

from core.downtime import MICRO_H, WHYS, Down, code, lost, overlaps


@tag("core")
class Downtime(SimpleTestCase):
    def test_codes(self):
        self.assertEqual(code("cook", "M", 3), "CKM03")
        self.assertEqual(code("deliver", "N", 99), "DEN99")
        for why, number in (("X", 1), ("", 1), ("M", 0), ("M", 100)):
            with self.subTest(why=why, number=number), self.assertRaises(ValueError):
                code("cook", why, number)

    def test_a_micro_stop_is_never_asked_for_and_a_day_is_allowed(self):
        self.assertTrue(Down("a", 0.0, MICRO_H - 0.001).micro)
        self.assertFalse(Down("a", 0.0, MICRO_H).micro)
        for stop, now, asked in (
            (Down("a", 0.0, 1.0), 23.9, False),
            (Down("a", 0.0, 1.0), 24.1, True),
            (Down("a", 0.0, 1.0, "M"), 90.0, False),
            (Down("a", 0.0, 0.05), 90.0, False),
        ):
            with self.subTest(stop=stop, now=now):
                self.assertEqual(stop.must_say(now), asked)

    def test_two_on_one_unit_share_no_time(self):
        first = Down("a", 1.0, 2.0)
        for other, shares in ((Down("a", 2.0, 3.0), False), (Down("a", 1.9, 3.0), True), (Down("b", 1.0, 2.0), False)):
            self.assertEqual((overlaps(first, other), overlaps(other, first)), (shares, shares))

    def test_hours_by_cause_add_up_to_what_stood(self):
        rng = random.Random(7)
        for _ in range(50):
            stops = []
            for k in range(rng.randrange(1, 30)):
                start = rng.uniform(-10.0, 30.0)
                stops.append(Down(f"u{k}", start, start + rng.choice((0.02, 0.5, 6.0)), rng.choice(("", *WHYS))))
            causes, micro, micro_h = lost(stops, 0.0, 24.0)
            within = [min(s.end_h, 24.0) - max(s.start_h, 0.0) for s in stops]
            self.assertAlmostEqual(sum(c.hours for c in causes) + micro_h, sum(w for w in within if w > 0.0), places=9)
            self.assertEqual(sum(c.stops for c in causes) + micro, sum(w > 0.0 for w in within))
            self.assertEqual([c.hours for c in causes], sorted((c.hours for c in causes), reverse=True))
