"""Pages at hours at which nobody looked: by night, after a silent week-end, before anything came, beside a forgotten cook."""

import os
import random
from datetime import timedelta

from django.test import SimpleTestCase

from desk.kit.svg import minutes_step
from desk.mill.clock import set_clock
from desk.mill.drafts import begin_from_version
from tests import make
from tests.browser.test_access import EVERY_PAGE, OF_ONE_TEMPLATE
from tests.desk.reading import assert_reads_well
from tests.desk.test_bleach import Desk

HOURS = (-30, -3, 1, 3.8, 4.2, 8, 11.9, 13.8, 24, 47, 96, 216)
A_PAGE = int(os.environ.get("VAT_HOURS", "1"))  # hours tried of each page
RUNNING = 1148  # the demo's cook in the digester


class AnyHour(Desk):
    def at(self, hours: float) -> None:
        set_clock(make.NOW + timedelta(hours=hours))

    def test_every_page_opens_at_any_hour(self):
        """Whatever has run out, gone stale or not happened yet by then; nothing comes from the plant, and nobody types."""
        begin_from_version(by=make.person("pn"), now=make.NOW)
        self.as_("mr")
        chance = random.Random(5)
        asked = [
            (hours, path)
            for path in EVERY_PAGE + OF_ONE_TEMPLATE
            if path != "/nowhere/"
            for hours in chance.sample(HOURS, A_PAGE)
        ]
        for hours, path in sorted(asked):
            self.at(hours)
            with self.subTest(hours=hours, page=path):
                answer = self.client.get(path)
                self.assertIn(answer.status_code, (200, 404))  # a paper that was not written before that hour is not found
                assert_reads_well(self, answer.content.decode())

    def test_a_cook_that_was_never_blown_can_be_read_for_days(self):
        self.as_("mr")
        for hours in (0, 20, 31, 33, 90, 24 * 14):
            self.at(hours)
            with self.subTest(hours=hours):
                picture = self.client.get(f"/cook/records/{RUNNING}/").context["p"]
                marks = [int(t["text"]) for t in picture["ticks"]]
                self.assertTrue(2 <= len(marks) <= 9, marks)
                self.assertEqual(marks[0], 0)
                self.assertLessEqual(marks[-1], picture["span"])
                for page in ("/cook/", "/cook/house/", "/cook/records/", "/"):
                    self.assertEqual(self.client.get(page).status_code, 200, page)

    def test_what_was_measured_long_ago_is_not_worked_with_as_of_now(self):
        """Two days without a reading: the chips have the moisture of the set-up again, and no batch is told of."""
        fresh, late = make.state(), make.state(minutes=48 * 60)
        self.assertTrue(fresh.moistures)
        self.assertEqual((dict(late.moistures), dict(late.moisture_pct), late.loaded), ({}, {}, {}))


class Marks(SimpleTestCase):
    def test_a_time_axis_has_few_marks_and_not_too_few(self):
        for span in (1, 15, 119, 121, 240, 1919, 1921, 3839, 3841, 11_520, 11_521, 40_000, 525_600):
            for most in (4, 8):
                step = minutes_step(span, most=most)
                with self.subTest(span=span, most=most):
                    self.assertLessEqual(span / step, most)
                    self.assertTrue(step % 15 == 0 and (step % 1440 == 0 or 1440 % step == 0))
                    if step > 15:
                        self.assertGreater(span / step, most / 4)

    def test_a_longer_time_never_has_a_finer_step(self):
        steps = [minutes_step(span) for span in range(1, 60_000, 37)]
        self.assertEqual(steps, sorted(steps))
