"""Readings on their way in: held back within a dead band, judged one by one, summed into minutes; nothing is lost."""

import math
from dataclasses import replace

from django.test import SimpleTestCase, tag
from hypothesis import given
from hypothesis import strategies as st

import tests.profile  # noqa: F401
from core.instruments.exceptions import LONGEST_MS, Exceptions, Quality, quality_of
from core.instruments.intake import AHEAD_MS, LATE_MS, STUCK_MS, Reason, Span, Verdict, against_kept, is_stuck, judge
from core.instruments.thin import HOUR_S, MINUTE_S, summed, why_not

SERIES = st.lists(
    st.tuples(st.integers(200, 90_000), st.floats(-100.0, 100.0, allow_nan=False)), min_size=1, max_size=60
)  # ms since the one before, value


def timed(steps) -> list[tuple[int, float]]:
    at, told = 1_000_000, []
    for ms, value in steps:
        at += ms
        told.append((at, value))
    return told


@tag("core")
class ByException(SimpleTestCase):
    @given(SERIES, st.floats(0.0, 20.0))
    def test_whatever_is_held_back_lies_within_the_dead_band_of_the_steps_that_are_kept(self, steps, dead):
        signal, kept, read = Exceptions(dead=dead), [], timed(steps)
        for at, value in read:
            kept += signal.take(at, value)
        self.assertEqual([at for at, _ in kept], sorted({at for at, _ in kept}))  # each once, in order of time
        self.assertLessEqual(set(kept), set(read))  # nothing is invented
        for at, value in read:
            shown = next(v for when, v in reversed(kept) if when <= at)
            self.assertLessEqual(abs(value - shown), dead + 1e-9)

    @given(SERIES)
    def test_nothing_is_silent_for_longer_than_it_may(self, steps):
        signal, last = Exceptions(dead=1e9), None
        for at, value in timed(steps):
            for when, _ in signal.take(at, value):
                last = when
            self.assertLess(at - last, LONGEST_MS)

    def test_the_one_before_a_step_is_kept_with_it(self):
        signal = Exceptions(dead=0.5)
        self.assertEqual(signal.take(1000, 10.0), [(1000, 10.0)])
        self.assertEqual(signal.take(2000, 10.2), [])
        self.assertEqual(signal.take(3000, 10.4), [])
        self.assertEqual(signal.take(4000, 12.0), [(3000, 10.4), (4000, 12.0)])  # flat until 3000, then the step
        self.assertEqual(signal.take(5000, 14.0), [(5000, 14.0)])

    def test_every_change_of_a_signal_without_a_dead_band_and_no_number_of_any(self):
        signal = Exceptions()
        told = [signal.take(1000 * k, v) for k, v in enumerate((1.0, 1.0, 1.0 + 1e-12, math.nan, math.inf), start=1)]
        self.assertEqual([len(t) for t in told], [1, 0, 2, 0, 0])
        self.assertEqual(signal.take(500, 3.0), [(500, 3.0)])  # an older time is kept as it is, and moves nothing
        self.assertEqual(signal.kept, (3000, 1.0 + 1e-12))

    def test_the_quality_of_a_status_by_its_two_highest_bits(self):
        for status, wanted in (
            (0x00000000, Quality.GOOD),
            (0x00960000, Quality.GOOD),
            (0x40000000, Quality.UNCERTAIN),
            (0x408F0000, Quality.UNCERTAIN),
            (0x80000000, Quality.BAD),
            (0x808C0000, Quality.BAD),
            (0xC0000000, Quality.BAD),
        ):
            with self.subTest(status=hex(status)):
                self.assertIs(quality_of(status), wanted)


@tag("core")
class Judged(SimpleTestCase):
    now, span = 10 * 3_600_000, Span(0.0, 100.0)

    def test_each_verdict_with_its_reason(self):
        for value, at, last, history, wanted in (
            (50.0, self.now, None, False, (Verdict.KEPT, Reason.GOOD)),
            (0.0, self.now, self.now, False, (Verdict.KEPT, Reason.GOOD)),
            (100.0, self.now + AHEAD_MS, None, False, (Verdict.KEPT, Reason.GOOD)),
            (50.0, self.now + AHEAD_MS + 1, None, False, (Verdict.REFUSED, Reason.AHEAD)),
            (50.0, self.now + AHEAD_MS + 1, None, True, (Verdict.REFUSED, Reason.AHEAD)),
            (math.nan, self.now, None, False, (Verdict.REFUSED, Reason.NO_NUMBER)),
            (-math.inf, self.now, None, True, (Verdict.REFUSED, Reason.NO_NUMBER)),
            (100.01, self.now, None, False, (Verdict.REFUSED, Reason.IMPOSSIBLE)),
            (-0.01, self.now, None, False, (Verdict.REFUSED, Reason.IMPOSSIBLE)),
            (50.0, self.now - LATE_MS, None, False, (Verdict.KEPT, Reason.GOOD)),
            (50.0, self.now - LATE_MS - 1, None, False, (Verdict.FLAGGED, Reason.LATE)),
            (50.0, self.now - LATE_MS - 1, None, True, (Verdict.KEPT, Reason.GOOD)),  # a delivery of the past
            (50.0, self.now - 1000, self.now, False, (Verdict.FLAGGED, Reason.OUT_OF_ORDER)),
            (50.0, self.now - 1000, self.now, True, (Verdict.KEPT, Reason.GOOD)),
        ):
            with self.subTest(value=value, at=at - self.now, history=history):
                told = judge(value, at, span=self.span, now_ms=self.now, last_ms=last, history=history)
                self.assertEqual(told, wanted)

    def test_the_same_time_twice(self):
        self.assertIs(against_kept(4.0, 4.0), Reason.DOUBLED)
        self.assertIs(against_kept(4.0, 4.1), Reason.CONTRADICTS)

    def test_a_meter_that_stands_still(self):
        minute = 60_000
        still = [(k * minute, 3.5) for k in range(21)]
        self.assertTrue(is_stuck(still))
        self.assertFalse(is_stuck(still[:20]))  # 19 minutes are not enough
        self.assertFalse(is_stuck([*still[:-1], (20 * minute, 3.5000001)]))
        self.assertTrue(is_stuck([(-minute, 9.0), *still]))  # what was before does not count
        self.assertFalse(is_stuck([(0, 3.5), (STUCK_MS, 3.5)]))  # two readings tell nothing


ROWS = st.lists(
    st.tuples(st.integers(0, 4 * 3_600_000), st.floats(-1e6, 1e6, allow_nan=False), st.integers(0, 3)), min_size=1, max_size=80
).map(lambda rows: sorted(rows, key=lambda r: r[0]))


@tag("core")
class Summed(SimpleTestCase):
    @given(ROWS, st.sampled_from((MINUTE_S, HOUR_S)))
    def test_figures_stand_for_their_readings(self, rows, width):
        figures = summed(rows, width)
        self.assertEqual(why_not(rows, figures), "")
        self.assertEqual(sum(f.n for f in figures), len(rows))
        self.assertTrue(all(f.at_s % width == 0 and f.low <= f.high for f in figures))
        self.assertEqual(max(f.flag for f in figures), max(flag for *_, flag in rows))
        hours = summed(rows, HOUR_S)
        self.assertAlmostEqual(
            math.fsum(f.mean * f.n for f in hours), math.fsum(f.mean * f.n for f in summed(rows, MINUTE_S)), delta=1e-3
        )

    def test_what_was_changed_on_the_way_shows(self):
        rows = [(60_000 * k + 500, float(k), 0) for k in range(6)]
        figures = summed(rows, MINUTE_S)

        def with_(place: int, **more):
            told = [f if i != place else replace(f, **more) for i, f in enumerate(figures)]
            return why_not(rows, told)

        self.assertIn("count 7 readings of 6", with_(2, n=2))
        self.assertIn("sum of the readings", with_(2, mean=2.5))
        self.assertIn("do not reach as far", with_(5, high=4.0, low=4.0))
        self.assertIn("leave out the reading at 120500 ms", with_(2, low=2.5, high=2.5))
        self.assertIn("leave out the reading at 180500 ms", with_(3, at_s=6000))
        self.assertEqual(why_not([], []), "")
        self.assertIn("count 0 readings of 6", why_not(rows, []))
